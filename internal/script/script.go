// Package script is the synchronization script as a file: written, read back,
// checked against a target and run.
package script

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
)

// Version of the footer's format. It grows only when an older program would
// misunderstand it.
const Version = 2

const width = 78 // of the comments

// Meta is what a script is for.
type Meta struct {
	Engine         string
	Source, Target string
	Steps, Held    int
	Said           []string // what was said about what counts and what is taken, as options
	Groups         []string // what was counted besides (`--include`)
	Role           string   // whom the statements act for
	Gone           []string // what only the target has and the steps remove, as patterns
}

// Fit is the fingerprint of one object the script touches or relies on,
// before and after; empty means that it is not there. Users are the objects
// that stand on it.
type Fit struct {
	On        catalog.Ref
	Was, Then string
	Users     []catalog.Ref
	// Named says that names of its parts count though they are tolerated, because
	// the steps speak of them.
	Named bool
}

// StepInfo is what a script says of one step.
type StepInfo struct {
	Number int
	About  catalog.Ref
	Title  string
	// Risks, Cleared, Fills and Locks are as the step's comment says them: the
	// text of a risk is its whole sentence.
	Risks          []order.Risk
	Cleared, Fills []string
	Locks          []string
	Touches        []catalog.Ref // the objects the step changes
	Creates, Drops bool          // it makes its object, or removes it
	Apart, Later   bool          // it runs outside the transaction, behind it
	Guards         bool          // it locks, to see that the rows are as they were
	Held           bool

	packed packedStep
}

// Input is what a script is written from.
type Input struct {
	Plan           *order.Plan
	Engine         engine.Engine
	Source, Target string // the places, without secrets
	Said           []string
	Groups         []string
	FileName       string // the script's, for the command lines in the header
	TargetArg      string // what stands for the target in those command lines; "" where it is no database
	ClientTarget   string // the same in the words of the engine's client, ready for a shell
	Role           string // whom the statements act for; the engine is an engine.Roles then
	// Unasked says why the target's rows were not asked, where they were not.
	Unasked string
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
		now := d
		for _, sql := range s.Statements() {
			err := sqltext.Closed(now, sql)
			now = now.After(sql)
			if err != nil {
				return fmt.Errorf("%s is refused: its definition would let something else out into the script: %w; leave it out with --except %s", s.About, err, Quoted(s.About.String()))
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

// comment writes comment lines, wrapped; text from outside is made safe first.
func (w *writer) comment(indent, text string) {
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

func (w *writer) field(name, text string) { w.comment(fmt.Sprintf("%-12s", name), text) }

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
		w.comment("", "The way back: undoes what "+w.BackOf+" did.")
	} else {
		w.comment("", "Brings the target in line with the source.")
	}
	w.line("--")
	w.field("source", w.Source)
	w.field("target", w.Target)
	for _, l := range Judgement(w.Said) {
		w.field(l[0], l[1])
	}
	if len(p.Steps) == 0 {
		w.field("steps", fmt.Sprintf("none to run, %d held back: the target stays as it is", len(p.Held)))
		w.heldBack()
		w.line(rule)
		return
	}
	w.field("steps", fmt.Sprintf("%d to run, %d held back", len(p.Steps), len(p.Held)))
	w.line("--")
	if w.TargetArg == "" { // a capture or text: it stands for a database that was not at hand
		w.field("run", "on the database that the target was made of: dapper-mirror apply "+Word(w.FileName)+" TARGET")
	} else {
		w.command("check", "dapper-mirror check %s %s", w.FileName, w.TargetArg)
		w.command("run", "dapper-mirror apply %s %s", w.FileName, w.TargetArg)
	}
	if w.frame.RunWith != "" && w.TargetArg != "" {
		w.line("-- " + sqltext.CommentSafe(fmt.Sprintf("%-12s", "or")+strings.NewReplacer("%[1]s", cmp.Or(w.ClientTarget, Word(w.TargetArg)), "%[2]s", Word(w.FileName)).Replace(w.frame.RunWith)))
	}
	w.field("", "Make a backup first.")
	w.list("on error", w.frame.Notes)
	if w.frame.Lock != "" {
		w.field("locks", w.frame.Lock)
	}
	w.losses()
	w.going()
	for _, s := range p.Steps {
		for _, r := range s.Risks {
			if r.Kind == order.WillFail {
				w.field("WILL FAIL", fmt.Sprintf("step %d, %s: %s", s.Number, r.On, r.Sentence()))
				w.field("", WayOut(r))
			}
		}
	}
	if words := w.asked(); words != "" {
		w.field("row checks", words)
	}
	w.heldBack()
	w.wayBack()
	w.line(rule)
	w.line("")
}

// labels are what the options are called that say what counts and what is taken.
var labels = map[string]string{"--only": "scope", "--except": "scope", "--tolerate": "tolerated", "--pair": "paired", "--rename": "renamed",
	"--leave": "left", "--leave-target-only": "left", "--to-target": "taken", "--to-source": "to source", "--choices": "choices", "--remake": "remade", "--add-needed": "needs", "--default": "choices"}

// Judgement is what was said about what counts and what is taken, a line each: a
// label and the option.
func Judgement(said []string) [][2]string {
	var out [][2]string
	for i, s := range said {
		if label := labels[s]; label != "" {
			text := s
			if i+1 < len(said) && labels[said[i+1]] == "" {
				text += " " + said[i+1]
			}
			out = append(out, [2]string{label, text})
		}
	}
	return out
}

// regard is what counts of a structure for a script that was told so much.
func regard(c *catalog.Catalog, groups, said []string) judge.Regard {
	var tolerate []judge.Tolerate
	for i, s := range said {
		if s == "--tolerate" && i+1 < len(said) {
			l, _ := judge.ParseTolerate(said[i+1]) // what is not known here covers nothing
			tolerate = append(tolerate, l...)
		}
	}
	return judge.NewRegard(c, groups, tolerate)
}

// list writes fields of one name, which stands before the first.
func (w *writer) list(name string, texts []string) {
	for _, t := range texts {
		w.field(name, t)
		name = ""
	}
}

// command writes a command line on one line, so that it can be pasted.
func (w *writer) command(name, format string, args ...string) {
	quoted := make([]any, len(args))
	for i, a := range args {
		quoted[i] = Word(a)
	}
	w.line("-- " + sqltext.CommentSafe(fmt.Sprintf("%-12s", name)+fmt.Sprintf(format, quoted...)))
}

func (w *writer) losses() {
	losses := w.Plan.Losses()
	if len(losses) == 0 {
		w.field("losses", "none")
	}
	var texts []string
	for _, r := range losses {
		text := r.Sentence()
		if r.Rows == nil || !r.Rows.Guarded {
			text += ", allowed by --may-lose"
		}
		texts = append(texts, text)
	}
	w.list("LOSSES", texts)
}

// mostGoing is how many things that go are named in the header.
const mostGoing = 20

// going names what only the target has and goes: it may be somebody's.
func (w *writer) going() {
	if len(w.Plan.Gone) == 0 || w.BackOf != "" {
		return
	}
	var names []string
	for i, r := range w.Plan.Gone {
		if i == mostGoing {
			names = append(names, fmt.Sprintf("and %d more", len(w.Plan.Gone)-mostGoing))
			break
		}
		names = append(names, r.String())
	}
	w.field("target-only", "goes, since only the target has it: "+strings.Join(names, ", "))
}

func (w *writer) heldBack() {
	name := "held back"
	for _, r := range w.Plan.HeldBecause {
		w.field(name, r.Because())
		w.field("", WayOut(r))
		name = ""
	}
}

func (w *writer) wayBack() {
	var gone []string
	for _, r := range w.Gone {
		gone = append(gone, r.Text+": that does not come back by this; see the rows that were saved, or the backup")
	}
	w.list("GONE", gone)
	losing := ""
	if len(w.Plan.Losses()) > 0 {
		losing = "what a loss destroyed comes back from the rows that apply saves, or from the backup"
	}
	switch {
	case w.BackOf != "":
	case w.Backout != "":
		w.command("way back", "dapper-mirror apply %s %s", w.Backout, cmp.Or(w.TargetArg, "TARGET"))
		if losing != "" {
			w.field("", losing)
		}
	case losing != "":
		w.field("way back", "restore the backup, or write a script for it with --backout; "+losing)
	default:
		w.field("way back", "none was written; --backout writes one")
	}
}

// WayOut is what can be done about a risk that holds something back.
func WayOut(r order.Risk) string {
	if r.Kind != order.WillFail {
		way := "allow it with --may-lose " + Quoted(r.On.String())
		if r.Perhaps != "" {
			option, what, _ := strings.Cut(r.Perhaps, " ")
			way = "it looks like half of a rename: " + option + " " + Word(what) + "; or " + way
		}
		return way
	}
	if r.Ask != nil && r.Ask.Way != "" {
		return r.Ask.Way + ", or leave it out with --except"
	}
	return "clean the rows first, give a value with --fill, or leave it out with --except"
}

// Quoted is a text as one quoted word of a shell.
func Quoted(s string) string { return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'" }

// Word is a text as one word of a shell, quoted where it must be.
func Word(s string) string {
	plain := func(r rune) bool {
		return r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || strings.ContainsRune("_-./:@%+,=", r)
	}
	if s != "" && strings.IndexFunc(s, func(r rune) bool { return !plain(r) }) < 0 {
		return s
	}
	return Quoted(s)
}

// asked says how many row checks were made and how they came out, or why
// none was.
func (w *writer) asked() string {
	p := w.Plan
	n := map[order.AnswerState]int{}
	open := 0 // questions that got no answer
	for _, s := range slices.Concat(p.Steps, p.Held) {
		for _, r := range slices.Concat(s.Risks, s.Cleared) {
			switch {
			case r.Rows != nil && r.Rows.Count != "":
				n[r.Rows.State]++
			case r.Ask != nil:
				open++
			}
		}
	}
	all := n[order.Clean] + n[order.Found] + n[order.NotKnown]
	if all == 0 {
		if open == 0 || w.BackOf != "" {
			return ""
		}
		return fmt.Sprintf("not made (%s): what the risks below come to, the rows were not asked", cmp.Or(w.Unasked, "the rows were not at hand"))
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
		if w.frame.Apart != "" {
			w.line(w.frame.Apart)
		}
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
		again := ", and may run twice"
		if slices.ContainsFunc(behind, func(s *order.Step) bool { return s.Leads }) {
			again = ""
		}
		w.comment("", "Behind the transaction: each statement commits by itself"+again+".")
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
	w.comment("  ! ", RiskWords(r))
	if r.Rows != nil && r.Rows.State == order.Found && r.Rows.List != "" {
		w.comment("    ", "see them: "+r.Rows.List+";")
	}
}

func (w *writer) step(s *order.Step) {
	w.line("")
	w.comment(fmt.Sprintf("step %d of %d  ", s.Number, len(w.Plan.Steps)), s.Title)
	for _, r := range s.Risks {
		w.risk(r)
	}
	for _, r := range s.Cleared {
		w.comment("  . ", ClearedWords(r))
	}
	for _, f := range s.Fills {
		w.comment("  . fill: ", f.Sentence())
	}
	for _, l := range s.Locks {
		w.comment("  lock: ", l.Words())
	}
	if s.Note != "" {
		w.comment("  ", s.Note)
	}
	for _, sql := range s.Statements() {
		before := w.frame.Before
		if s.Alone || s.Later {
			before = w.frame.Apart
		}
		if before != "" {
			w.line(before)
		}
		w.line(sql)
	}
}

// held writes the steps nobody allowed, every line of them a comment.
func (w *writer) held() {
	if len(w.Plan.Held) == 0 {
		return
	}
	w.line("")
	w.line("-- " + strings.Repeat("-", width-3))
	w.comment("", "Held back: these steps would destroy something or fail on the rows, or depend on one that would. They do not run.")
	for _, s := range w.Plan.Held {
		w.line("--")
		w.comment(fmt.Sprintf("held back %d  ", s.Number), s.Title)
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

func bodyHash(body string) string {
	s := sha256.Sum256([]byte(body))
	return hex.EncodeToString(s[:10])
}

func stepInfo(p *order.Plan, s *order.Step) StepInfo {
	info := StepInfo{Number: s.Number, About: s.About, Title: s.Title, Risks: s.Risks, Apart: s.Alone || s.Later, Later: s.Later}
	info.Guards = slices.ContainsFunc(s.Cleared, func(r order.Risk) bool { return r.Rows != nil && r.Rows.Guarded })
	seen := map[catalog.Ref]bool{}
	for _, r := range slices.Concat([]catalog.Ref{s.About}, s.Makes, s.Removes) {
		if o := r.Object(); !seen[o] {
			seen[o] = true
			info.Touches = append(info.Touches, o)
			if was := p.Before(o); s.Alone && !s.Later && was != o { // what is renamed has its old name by then
				info.Touches = append(info.Touches, was)
			}
		}
	}
	object := s.About.Object()
	info.Creates = s.Creates
	info.Drops = !s.About.IsPart() && slices.Contains(s.Removes, object) && !slices.Contains(s.Makes, object)
	return info
}
