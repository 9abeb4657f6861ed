// Package script is the synchronization script as a file: written, read back,
// checked against a target and run.
package script

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"sort"
	"strings"
	"unicode/utf8"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
)

// Version of the footer's format. It grows only when an older program would
// misunderstand it.
const Version = 1

const (
	metaMark = "-- @dapper-mirror "
	fitMark  = "-- @fit "
	stepMark = "-- @step "
	width    = 78
)

// Meta is the first footer line.
type Meta struct {
	Format int    `json:"format"`
	Engine string `json:"engine"`
	Source string `json:"source"`
	Target string `json:"target"`
	Steps  int    `json:"steps"`
	Held   int    `json:"held_back"`
	// Scope is how the comparison was narrowed, as options.
	Scope []string `json:"scope,omitempty"`
	// Groups are what was counted besides (`--include`).
	Groups []string `json:"include,omitempty"`
	Role   string   `json:"as,omitempty"` // whom the statements act for
	Body   string   `json:"body"`         // hash of everything before the footer
}

// Fit is the fingerprint of one object the script touches or relies on,
// before and after; empty means that it is not there.
type Fit struct {
	On   catalog.Ref `json:"on"`
	Was  string      `json:"was"`
	Then string      `json:"then"`
}

// StepInfo is what the footer says of one step.
type StepInfo struct {
	Number int          `json:"step"`
	About  catalog.Ref  `json:"about"`
	Title  string       `json:"title"`
	Risks  []order.Risk `json:"risks,omitempty"`
	// Cleared are risks that are none, as the target's rows said.
	Cleared []order.Risk      `json:"cleared,omitempty"`
	Fills   []order.Fill      `json:"fills,omitempty"`
	Locks   []order.TableLock `json:"locks,omitempty"`
	// Touches are the objects the step changes.
	Touches []catalog.Ref `json:"touches,omitempty"`
	Creates bool          `json:"creates,omitempty"` // it makes its object
	Drops   bool          `json:"drops,omitempty"`
	Apart   bool          `json:"apart,omitempty"` // it runs outside the transaction
	Later   bool          `json:"later,omitempty"` // behind it
	Held    bool          `json:"held_back,omitempty"`
}

// Input is what a script is written from.
type Input struct {
	Plan           *order.Plan
	Engine         engine.Engine
	Source, Target string // the places, without secrets
	Scope          []string
	Groups         []string
	FileName       string // the script's, for the command lines in the header
	TargetArg      string // what stands for the target in those command lines
	Role           string // whom the statements act for; the engine is an engine.Roles then
	// Backout is the file of the script that is the way back, "" for none.
	Backout string
	// BackOf is, for a back-out script, the file of the script it undoes, and
	// Gone what that destroys, which does not come back.
	BackOf string
	Gone   []order.Risk
}

// Write writes the script. The same input gives the same bytes. It fails with
// sqltext.ErrNotClosed where a definition would let something out into the
// script, or into the client that runs it.
func Write(in Input) ([]byte, error) {
	if err := closed(in.Engine.Dialect(), in.Plan); err != nil {
		return nil, err
	}
	w := &writer{Input: in, frame: in.Engine.Frame(in.Plan)}
	if in.Role != "" {
		in.Engine.(engine.Roles).As(&w.frame, in.Role)
	}
	w.header()
	w.body()
	w.held()
	w.footer()
	return w.b.Bytes(), nil
}

// closed lays every step's statements out for the client, and sees that each
// is one statement and no more.
func closed(d sqltext.Dialect, p *order.Plan) error {
	for _, s := range slices.Concat(p.Steps, p.Held) {
		for i, sql := range s.SQL {
			s.SQL[i] = sqltext.Deliverable(d, sql)
		}
		for _, sql := range s.Statements() {
			if err := sqltext.Closed(d, sql); err != nil {
				return fmt.Errorf("%s is refused: its definition would let something else out into the script: %w; leave it out with --except '%s'", s.About, err, s.About)
			}
		}
	}
	for _, sql := range p.Guards {
		if err := sqltext.Closed(d, sql); err != nil {
			return fmt.Errorf("a guard of the script is refused: %w", err)
		}
	}
	return nil
}

type writer struct {
	Input
	frame engine.Frame
	b     bytes.Buffer
}

func (w *writer) line(s string) { w.b.WriteString(s); w.b.WriteByte('\n') }

// say writes comment lines, wrapped; text from outside is made safe first.
func (w *writer) say(indent, text string) {
	text = sqltext.CommentSafe(text)
	first := true
	for _, l := range Wrap(text, width-3-len(indent)) {
		if first {
			w.line(strings.TrimRight("-- "+indent+l, " "))
		} else {
			w.line("-- " + strings.Repeat(" ", len(indent)) + l)
		}
		first = false
	}
}

func (w *writer) field(name, text string) { w.say(fmt.Sprintf("%-11s", name), text) }

// Wrap folds a text at n columns, between words.
func Wrap(text string, n int) []string {
	n = max(n, 20)
	var out []string
	line := ""
	for _, word := range strings.Fields(text) {
		if line != "" && utf8.RuneCountInString(line)+1+utf8.RuneCountInString(word) > n {
			out = append(out, line)
			line = ""
		}
		if line != "" {
			line += " "
		}
		line += word
	}
	return append(out, line)
}

func (w *writer) header() {
	p := w.Plan
	rule := "-- " + strings.Repeat("-", width-3)
	w.line(rule)
	if w.BackOf != "" {
		w.say("", "The way back: undoes what "+w.BackOf+" did.")
	} else {
		w.say("", "Brings the target in line with the source.")
	}
	w.line("--")
	w.field("source", w.Source)
	w.field("target", w.Target)
	w.field("steps", fmt.Sprintf("%d to run, %d held back", len(p.Steps), len(p.Held)))
	if len(w.Scope) > 0 {
		w.field("scope", strings.Join(w.Scope, " "))
	}
	w.line("--")
	w.field("check", fmt.Sprintf("dapper-mirror check %s %s", w.FileName, w.TargetArg))
	w.field("run", fmt.Sprintf("dapper-mirror apply %s %s", w.FileName, w.TargetArg))
	if w.frame.RunWith != "" {
		w.field("or", strings.NewReplacer("%[1]s", w.TargetArg, "%[2]s", w.FileName).Replace(w.frame.RunWith))
	}
	w.field("", "Make a backup first.")
	for i, n := range w.frame.Notes {
		name := ""
		if i == 0 {
			name = "on error"
		}
		w.field(name, n)
	}
	if len(p.Steps) > 0 && w.frame.Lock != "" {
		w.field("locks", w.frame.Lock)
	}
	losses := p.Losses()
	if len(losses) == 0 {
		w.field("losses", "none")
	}
	for i, r := range losses {
		name := ""
		if i == 0 {
			name = "LOSSES"
		}
		w.field(name, w.lossWords(r))
	}
	for _, s := range p.Steps {
		for _, r := range s.Risks {
			if r.Kind == order.WillFail {
				w.field("WILL FAIL", fmt.Sprintf("step %d, %s: %s", s.Number, r.On, r.Sentence()))
				w.field("", WayOut(r))
			}
		}
	}
	if words := asked(p); words != "" {
		w.field("row checks", words)
	}
	for i, r := range p.HeldBecause {
		name := ""
		if i == 0 {
			name = "held back"
		}
		w.field(name, r.Because())
		w.field("", WayOut(r))
	}
	for i, r := range w.Gone {
		w.field(map[bool]string{true: "GONE"}[i == 0], r.Text+": that does not come back by this; see the rows that were saved, or the backup")
	}
	switch {
	case w.BackOf != "":
	case w.Backout != "":
		w.field("way back", fmt.Sprintf("dapper-mirror apply %s %s; what a loss destroyed comes back from the rows that apply saves, or the backup", w.Backout, w.TargetArg))
	default:
		w.field("way back", "restore the backup; what a loss destroyed does not come back otherwise")
	}
	w.line(rule)
	w.line("")
}

// WayOut is what can be done about a risk that holds something back.
func WayOut(r order.Risk) string {
	if r.Kind != order.WillFail {
		return "allow it with --may-lose " + Quoted(r.On.String())
	}
	return "clean the rows first, give a value with --fill, or leave it out with --except"
}

// Quoted is a text as one word of a shell.
func Quoted(s string) string { return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'" }

func (w *writer) lossWords(r order.Risk) string {
	if r.Rows != nil && r.Rows.Guarded {
		return r.Sentence()
	}
	return r.Sentence() + ", allowed by --may-lose"
}

// asked says how many row checks were made and how they came out.
func asked(p *order.Plan) string {
	n := map[order.AnswerState]int{}
	for _, s := range slices.Concat(p.Steps, p.Held) {
		for _, r := range slices.Concat(s.Risks, s.Cleared) {
			if r.Rows != nil && r.Rows.Count != "" {
				n[r.Rows.State]++
			}
		}
	}
	all := n[order.Clean] + n[order.Found] + n[order.NotKnown]
	if all == 0 {
		return ""
	}
	return fmt.Sprintf("%s asked of the target's rows: %d clean, %d with rows concerned, %d not known", words.Number(all, "question", "questions"), n[order.Clean], n[order.Found], n[order.NotKnown])
}

func (w *writer) block(lines []string) {
	for _, l := range lines {
		w.line(l)
	}
}

func (w *writer) body() {
	if len(w.Plan.Steps) == 0 {
		w.line("-- Nothing to do.")
		return
	}
	w.block(w.frame.Client)
	w.block(w.frame.Settings)
	var inside, outside, behind []*order.Step
	for _, s := range w.Plan.Steps {
		switch {
		case s.Alone:
			outside = append(outside, s)
		case s.Later:
			behind = append(behind, s)
		default:
			inside = append(inside, s)
		}
	}
	for _, s := range outside {
		w.step(s)
	}
	if len(outside) > 0 {
		w.line("")
	}
	if w.frame.Begin != "" {
		w.line(w.frame.Begin)
	}
	w.block(w.frame.Guards)
	w.block(w.Plan.Guards)
	for _, s := range inside {
		w.step(s)
	}
	w.line("")
	w.block(w.frame.Checks)
	if w.frame.Commit != "" {
		w.line(w.frame.Commit)
	}
	if len(behind) > 0 {
		w.line("")
		w.say("", "Behind the transaction: each statement commits by itself, and may run twice.")
	}
	for _, s := range behind {
		w.step(s)
	}
	if len(behind) > 0 {
		w.line("")
	}
	w.block(w.frame.Restore)
}

// RiskWords is a risk as the step's comment says it.
func RiskWords(r order.Risk) string { return string(r.Kind) + ": " + r.Sentence() }

// ClearedWords is a risk that is none, as the step's comment says it.
func ClearedWords(r order.Risk) string {
	s := "row check: " + r.Text + ": " + r.Rows.Text
	if r.Rows.Guarded {
		s += "; the script stops if that is no longer so"
	}
	return s
}

// risk writes a risk, and how to see the rows it is about.
func (w *writer) risk(r order.Risk) {
	w.say("  ! ", RiskWords(r))
	if r.Rows != nil && r.Rows.State == order.Found && r.Rows.List != "" {
		w.say("    ", "see them: "+r.Rows.List+";")
	}
}

func (w *writer) step(s *order.Step) {
	w.line("")
	w.say(fmt.Sprintf("step %d of %d  ", s.Number, len(w.Plan.Steps)), s.Title)
	for _, r := range s.Risks {
		w.risk(r)
	}
	for _, r := range s.Cleared {
		w.say("  . ", ClearedWords(r))
	}
	for _, f := range s.Fills {
		w.say("  . fill: ", f.Sentence())
	}
	for _, l := range s.Locks {
		w.say("  lock: ", l.Words())
	}
	if s.Note != "" {
		w.say("  ", s.Note)
	}
	w.block(s.Statements())
}

// held writes the steps nobody allowed, every line of them a comment.
func (w *writer) held() {
	if len(w.Plan.Held) == 0 {
		return
	}
	w.line("")
	w.line("-- " + strings.Repeat("-", width-3))
	w.say("", "Held back: these steps would destroy something or fail on the rows, or depend on one that would. They do not run.")
	for _, s := range w.Plan.Held {
		w.line("--")
		w.say(fmt.Sprintf("held back %d  ", s.Number), s.Title)
		for _, r := range s.Risks {
			w.risk(r)
		}
		for _, sql := range s.Statements() {
			for _, l := range strings.Split(sql, "\n") {
				w.line("--     " + sqltext.CommentSafe(strings.TrimSuffix(l, "\r")))
			}
		}
	}
}

// asciiJSON is JSON in which everything beyond ASCII is escaped: a name
// cannot leave its comment.
func asciiJSON(v any) string {
	b, err := json.Marshal(v)
	if err != nil { // plain structs of strings always marshal
		return "{}"
	}
	var out strings.Builder
	for _, r := range string(b) {
		switch {
		case r < 0x7f:
			out.WriteRune(r)
		case r > 0xffff:
			r -= 0x10000
			fmt.Fprintf(&out, `\u%04x\u%04x`, 0xd800+r>>10, 0xdc00+r&0x3ff)
		default:
			fmt.Fprintf(&out, `\u%04x`, r)
		}
	}
	return out.String()
}

func bodyHash(body string) string {
	s := sha256.Sum256([]byte(body))
	return hex.EncodeToString(s[:10])
}

func (w *writer) footer() {
	w.line("")
	hash := bodyHash(w.b.String())
	w.line(metaMark + asciiJSON(Meta{Format: Version, Engine: w.Engine.Name(), Source: w.Source, Target: w.Target,
		Steps: len(w.Plan.Steps), Held: len(w.Plan.Held), Scope: w.Scope, Groups: w.Groups, Role: w.Role, Body: hash}))
	for _, s := range w.Plan.Steps {
		w.line(stepMark + asciiJSON(stepInfo(s)))
	}
	for _, s := range w.Plan.Held {
		w.line(stepMark + asciiJSON(StepInfo{Number: s.Number, About: s.About, Title: s.Title, Risks: s.Risks, Held: true}))
	}
	for _, f := range fits(w.Plan) {
		w.line(fitMark + asciiJSON(f))
	}
}

func stepInfo(s *order.Step) StepInfo {
	info := StepInfo{Number: s.Number, About: s.About, Title: s.Title, Risks: s.Risks, Cleared: s.Cleared, Fills: s.Fills, Locks: s.Locks, Apart: s.Alone || s.Later, Later: s.Later}
	seen := map[catalog.Ref]bool{}
	for _, r := range slices.Concat([]catalog.Ref{s.About}, s.Makes, s.Removes) {
		if o := r.Object(); !seen[o] {
			seen[o] = true
			info.Touches = append(info.Touches, o)
		}
	}
	object := s.About.Object()
	info.Creates = !s.About.IsPart() && slices.Contains(s.Makes, object) && !slices.Contains(s.Removes, object) && strings.HasPrefix(s.Title, "create ")
	info.Drops = !s.About.IsPart() && slices.Contains(s.Removes, object) && !slices.Contains(s.Makes, object)
	return info
}

// fits are the objects the steps touch, and those that these need.
func fits(p *order.Plan) []Fit {
	refs := map[catalog.Ref]bool{}
	for _, s := range p.Steps {
		refs[s.About.Object()] = true
		for _, r := range append(append([]catalog.Ref{}, s.Makes...), s.Removes...) {
			refs[r.Object()] = true
			for _, c := range []*catalog.Catalog{p.Desired, p.Actual} {
				if o := c.Resolve(r); o != nil {
					for _, n := range o.Needs {
						if p.Actual.Find(n.On) != nil {
							refs[n.On.Object()] = true
						}
					}
				}
			}
		}
	}
	var out []Fit
	for r := range refs {
		f := Fit{On: r}
		if o := p.Actual.Find(r); o != nil {
			f.Was = o.Fingerprint()
		}
		if o := p.Desired.Find(r); o != nil {
			f.Then = o.Fingerprint()
		}
		if f.Was != "" || f.Then != "" {
			out = append(out, f)
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].On.Less(out[j].On) })
	return out
}
