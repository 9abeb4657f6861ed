package report

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/report/view"
	"dappermirror/internal/script"
)

// OutputFormat and OutputVersion stand in every JSON output. Changes within a
// version only add. The shapes are published in docs/output.schema.json.
const (
	OutputFormat  = "dapper-mirror"
	OutputVersion = 1
)

// Output is the one shape of all JSON output; a command fills its own part.
type Output struct {
	Format  string `json:"format"`
	Version int    `json:"version"`
	Command string `json:"command"`
	// Options are what was said about what counts and what is taken.
	Options     []string         `json:"options,omitempty"`
	Comparisons []JSONComparison `json:"comparisons,omitempty"`
	Targets     []JSONTarget     `json:"targets,omitempty"` // of several
	Ways        []JSONWay        `json:"ways,omitempty"`    // in which they differ
	Script      *JSONScript      `json:"script,omitempty"`
	Run         *JSONRun         `json:"run,omitempty"`
	Rehearsal   *JSONRehearsal   `json:"rehearsal,omitempty"`
	Capture     *JSONCapture     `json:"capture,omitempty"`
	Document    *JSONDocument    `json:"document,omitempty"`
	Settings    []JSONSetting    `json:"settings,omitempty"`
	Tolerances  []JSONTolerance  `json:"tolerances,omitempty"`
	Impact      *JSONImpact      `json:"impact,omitempty"`
	Rows        []JSONRows       `json:"rows,omitempty"`
	Places      []JSONPlace      `json:"places,omitempty"`
	Pairs       []JSONPair       `json:"pairs,omitempty"`
	History     []JSONHistory    `json:"history,omitempty"`
	Tasks       []JSONTask       `json:"tasks,omitempty"`
	TaskRun     *JSONTaskRun     `json:"task_run,omitempty"`
	Runs        []JSONTaskRun    `json:"task_runs,omitempty"`
	Changes     []TargetChange   `json:"changes,omitempty"` // from one run to another
	Program     *JSONProgram     `json:"program,omitempty"`
	Files       []string         `json:"files,omitempty"` // that were written
	Error       *JSONError       `json:"error,omitempty"`
}

// JSONSide is one side of a comparison.
type JSONSide struct {
	Place   string `json:"place"`
	Engine  string `json:"engine"`
	Version string `json:"server_version,omitempty"`
	// Fingerprint is left out where not all of the structure had to be read.
	Fingerprint string          `json:"fingerprint,omitempty"`
	Counts      []catalog.Count `json:"counts"`
}

// JSONComparison is one comparison.
type JSONComparison struct {
	Source      JSONSide       `json:"source"`
	Target      JSONSide       `json:"target"`
	Similarity  float64        `json:"similarity"`
	Counts      compare.Counts `json:"counts"`
	Losing      int            `json:"would_lose_values"` // of the differences
	Differences []JSONItem     `json:"differences"`
	Same        []JSONItem     `json:"same,omitempty"`
	NotCompared []JSONGap      `json:"not_compared,omitempty"`
	// Names are things that are one under two names, as was said.
	Names []JSONNames `json:"names,omitempty"`
	// Likely are things that look like one under two names.
	Likely []JSONLikely `json:"likely_renames,omitempty"`
	// Tolerated counts what differs and does not count, by tolerance; the
	// differences themselves are listed where all was asked for.
	Tolerated            []judge.Tallied `json:"tolerated,omitempty"`
	ToleratedDifferences []JSONTolerated `json:"tolerated_differences,omitempty"`
}

// JSONNames is one thing under two names.
type JSONNames struct {
	Source string `json:"source"`
	Target string `json:"target"`
	Rename bool   `json:"rename"` // the target's gets the source's name
}

// JSONLikely is something that looks like a rename.
type JSONLikely struct {
	Old     string   `json:"old"` // the target's
	New     string   `json:"new"` // the source's
	Weight  int      `json:"weight"`
	Reasons []string `json:"reasons"`
	Option  string   `json:"option"`
}

// JSONTolerated is a difference that does not count.
type JSONTolerated struct {
	On     string   `json:"on"`
	Fact   string   `json:"fact,omitempty"` // "" where a side lacks the thing
	By     []string `json:"by"`
	Source *string  `json:"source"`
	Target *string  `json:"target"`
}

// JSONTolerance is a kind of difference that can be tolerated.
type JSONTolerance struct {
	Name    string   `json:"name"`
	Equal   string   `json:"makes_equal"`
	Still   string   `json:"stays_different"`
	Engines []string `json:"engines"`
	On      []string `json:"on,omitempty"` // as settings have it
}

// JSONGap is something that was not compared.
type JSONGap struct {
	Side     string `json:"side"`
	Kind     string `json:"kind"`
	Property string `json:"property,omitempty"`
	Why      string `json:"why"`
}

// JSONItem is one object or part.
type JSONItem struct {
	Kind       catalog.Kind   `json:"kind"`
	Schema     string         `json:"schema,omitempty"`
	Name       string         `json:"name"`
	Status     compare.Status `json:"status"`
	Action     string         `json:"action"`
	Properties []JSONProperty `json:"properties,omitempty"`
	Parts      []JSONItem     `json:"parts,omitempty"`
	Source     string         `json:"source_definition,omitempty"`
	Target     string         `json:"target_definition,omitempty"`
	// Wanted is what the target's is to be, where some of it is out of scope; null where
	// the target is to have none.
	Wanted  *string `json:"wanted_definition,omitempty"`
	Partial bool    `json:"partly_in_scope,omitempty"`
	// SourceAt and TargetAt are where in a text it stands: file:line:column.
	SourceAt string `json:"source_at,omitempty"`
	TargetAt string `json:"target_at,omitempty"`
	// Choice is what becomes of it, where that is not to change the target.
	Choice string `json:"choice,omitempty"`
	// Loses is what making the target like the source would destroy.
	Loses []string `json:"would_lose,omitempty"`
	// Order is a note on the order of its parts, which alone is no difference.
	Order string `json:"order,omitempty"`
	// Said is what differs, one thing after the other, as people read it.
	Said []view.Phrase `json:"said,omitempty"`
	// Print is the same for differences that are the same, of whatever target.
	Print string `json:"print,omitempty"`
}

// JSONProperty is a fact that differs; null means that the side lacks it.
type JSONProperty struct {
	Name   string  `json:"name"`
	Source *string `json:"source"`
	Target *string `json:"target"`
}

// JSONStep is one step of a script.
type JSONStep struct {
	Number int          `json:"number"`
	Kind   catalog.Kind `json:"kind"`
	On     string       `json:"on"`
	Title  string       `json:"title"`
	SQL    []string     `json:"sql,omitempty"`
	Risks  []order.Risk `json:"risks,omitempty"`
	// Cleared are risks that are none, as the target's rows said.
	Cleared []order.Risk      `json:"cleared,omitempty"`
	Fills   []order.Fill      `json:"fills,omitempty"`
	Locks   []order.TableLock `json:"locks,omitempty"`
}

// JSONScript is what a script is and, with a target, whether that fits.
type JSONScript struct {
	File   string        `json:"file,omitempty"`
	Engine string        `json:"engine"`
	Source string        `json:"source"`
	Target string        `json:"target"`
	Steps  []JSONStep    `json:"steps"`
	Held   []JSONStep    `json:"held_back"`
	Edited bool          `json:"edited"`
	Fits   *bool         `json:"fits,omitempty"`
	Done   *bool         `json:"already_done,omitempty"`
	Moved  []script.Move `json:"moved,omitempty"`
	Text   string        `json:"text,omitempty"`
	// Unfinished is the record of a run that stopped half way.
	Unfinished string `json:"unfinished_run,omitempty"`
	// Gone is what only the target has and the steps remove.
	Gone []string `json:"gone,omitempty"`
	// Said is what was said about what counts and what is taken, as options.
	Said []string `json:"said,omitempty"`
	// Lacking are the rights the account lacks for the steps.
	Lacking []string `json:"lacking,omitempty"`
	// BlockedBy are sessions that were at work on the tables.
	BlockedBy []string `json:"blocked_by,omitempty"`
	// Backout is the file of the way back.
	Backout   string         `json:"backout,omitempty"`
	Rehearsal *JSONRehearsal `json:"rehearsal,omitempty"`
}

// JSONRun is what running a script did.
type JSONRun struct {
	Steps     int    `json:"steps_run"`
	Held      int    `json:"held_back"`
	Remaining *int   `json:"remaining_differences,omitempty"`
	Target    string `json:"target"`
	// Files are those that were written, where the target is texts.
	Files []JSONFile `json:"files,omitempty"`
}

// JSONFile is what became of a file of a folder.
type JSONFile struct {
	File    string   `json:"file"`
	Change  string   `json:"change"` // "new", "changed" or "gone"
	Objects []string `json:"objects"`
}

// JSONRehearsal is how a rehearsal went.
type JSONRehearsal struct {
	Where  string        `json:"where"`
	Steps  int           `json:"steps_run"`
	Of     int           `json:"steps"`
	Rows   int           `json:"rows_copied"`
	Passed bool          `json:"passed"`
	Back   bool          `json:"back_out_ran,omitempty"`
	Failed *JSONFailure  `json:"failed,omitempty"`
	Left   []script.Move `json:"left,omitempty"` // what is not as promised
}

// JSONFailure is the step at which a script failed.
type JSONFailure struct {
	Step    int    `json:"step"`
	Line    int    `json:"line"`
	Title   string `json:"title"`
	Message string `json:"message"`
}

// JSONCapture is where a capture went.
type JSONCapture struct {
	File        string          `json:"file"`
	Place       string          `json:"place"`
	Fingerprint string          `json:"fingerprint"`
	Counts      []catalog.Count `json:"counts"`
}

// JSONDocument is where the pages of a database went: a folder, or one file.
type JSONDocument struct {
	Folder string          `json:"folder,omitempty"`
	File   string          `json:"file,omitempty"`
	Place  string          `json:"place"`
	Pages  int             `json:"pages"`
	Counts []catalog.Count `json:"counts"`
}

// JSONSetting is one setting, its value and where that came from.
type JSONSetting struct {
	Name  string `json:"name"`
	Value string `json:"value"`
	From  string `json:"from"`
	About string `json:"about"`
}

// JSONProgram is the program itself.
type JSONProgram struct {
	Version  string `json:"version"`
	Revision string `json:"revision,omitempty"`
	Go       string `json:"go"`
}

// JSONError is what went wrong. Codes are stable.
type JSONError struct {
	Code    string        `json:"code"`
	Message string        `json:"message"`
	Exit    int           `json:"exit"`
	Moved   []script.Move `json:"moved,omitempty"`
}

// WriteJSON writes one output.
func WriteJSON(w io.Writer, command string, fill func(*Output)) error {
	o := Output{Format: OutputFormat, Version: OutputVersion, Command: command}
	fill(&o)
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	if err := enc.Encode(o); err != nil {
		return err
	}
	_, err := w.Write(sqltext.JSONSafe(b.Bytes()))
	return err
}

// mostOutput is how large an output may be that is read.
const mostOutput = 512 << 20

// ReadJSON reads an output that was kept. A newer one than this program knows is an
// error, and what is no output at all.
func ReadJSON(r io.Reader) (Output, error) {
	var o Output
	data, err := io.ReadAll(io.LimitReader(r, mostOutput))
	if err != nil {
		return o, err
	}
	if err := json.Unmarshal(data, &o); err != nil {
		return o, fmt.Errorf("it is not understood: %w", err)
	}
	switch {
	case o.Format != OutputFormat:
		return o, errors.New("it is no JSON result of this program")
	case o.Version > OutputVersion:
		return o, errors.New("it was written by a newer program")
	}
	return o, nil
}

// ComparisonJSON makes the JSON shape of a comparison; all lists what is equal and
// what is tolerated too.
func ComparisonJSON(c *view.Comparison, all bool) JSONComparison {
	side := func(x view.Side) JSONSide {
		return JSONSide{Place: x.Place, Engine: x.Engine, Version: x.Version, Counts: x.Counts}
	}
	out := JSONComparison{Source: side(c.Source), Target: side(c.Target), Similarity: float64(c.Alike) / 10, Counts: c.Counts, Losing: c.Losing, Differences: []JSONItem{}}
	for i := range c.Objects {
		switch o := &c.Objects[i]; {
		case o.Status != compare.Same:
			out.Differences = append(out.Differences, itemJSON(o))
		case all:
			out.Same = append(out.Same, itemJSON(o))
		}
	}
	for _, p := range c.Names {
		out.Names = append(out.Names, JSONNames(p))
	}
	for _, l := range c.Likely {
		out.Likely = append(out.Likely, JSONLikely{l.Old, l.New, l.Weight, l.Reasons, l.Option})
	}
	out.Tolerated = c.Tally
	for _, t := range c.Tolerated {
		if all {
			out.ToleratedDifferences = append(out.ToleratedDifferences, JSONTolerated{t.On, t.Fact, t.By, t.Source, t.Target})
		}
	}
	for _, g := range c.Gaps {
		out.NotCompared = append(out.NotCompared, JSONGap{g.Side, g.Kind, g.Property, g.Why})
	}
	return out
}

// itemJSON is an object, or a part of one.
func itemJSON(o *view.Object) JSONItem {
	j := JSONItem{Kind: o.Kind, Schema: o.Schema, Name: o.Name, Status: o.Status, Action: view.Actions[o.Status], SourceAt: o.SourceAt, TargetAt: o.TargetAt,
		Choice: o.Choice, Loses: o.Loses, Source: o.SourceSQL, Target: o.TargetSQL, Order: o.Order, Said: o.Facts}
	if o.Status != compare.Differs { // what is in it
		j.Said = o.Said
	}
	if o.Partial {
		if j.Partial = true; o.WantedSQL != "" {
			j.Wanted = &o.WantedSQL
		}
	}
	for _, f := range o.Fields {
		j.Properties = append(j.Properties, JSONProperty(f))
	}
	for i := range o.Parts {
		j.Parts = append(j.Parts, itemJSON(&o.Parts[i]))
	}
	return j
}
