package review

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/words"
	"dappermirror/internal/report/view"
)

// piece is a run of a row in one colour.
type piece struct {
	text string
	mark view.Mark
	bold bool
}

type rowKind int

const (
	textRow rowKind = iota // cannot be selected
	stepRow
	differenceRow
	leftRow
	headRow
	likelyRow
	lackRow
)

// statuses are the words by which differences are looked for.
var statuses = map[view.Mark]string{view.Comes: view.Words[compare.SourceOnly], view.Goes: view.Words[compare.TargetOnly], view.Changed: view.Words[compare.Differs]}

// row is a line of the review.
type row struct {
	kind   rowKind
	key    string // what it is opened by, the same after every judgement
	parent string // the key of the row that it stands in
	indent int
	number string
	sign   string
	signed view.Mark
	pieces []piece
	right  string // at the end of the line
	step   *Step
	held   bool
	diff   *Difference
	likely *view.Likely
	faint  bool
}

func (r *row) selectable() bool { return r.kind != textRow }

// text is what a search looks through.
func (r *row) text() string {
	var b strings.Builder
	for _, p := range r.pieces {
		b.WriteString(p.text)
		b.WriteByte(' ')
	}
	b.WriteString(r.right)
	return strings.ToLower(b.String())
}

// signs stand for the worst risk of a step, in the margin beside its number.
var signs = map[string]string{"will-fail": "!", "loss": "!", "may-fail": "?", "breaks-callers": "?", "rewrite": "*", "lock": "·"}

// layOut makes the rows of the judgement and keeps the cursor on what it was on.
func (m *Model) layOut() {
	was := *m.current()
	place := m.cursor - m.top
	m.rows = m.rows[:0]
	if m.judged == nil {
		return
	}
	m.questions()
	m.spine()
	m.section("held", "held back", len(m.judged.Held), func() {
		for _, s := range m.judged.Held {
			m.stepRows(s, true)
		}
	})
	left := m.left()
	m.section("left", "left by choice", len(left), func() {
		for _, d := range left {
			m.add(m.leftLine(d, 1))
		}
	})
	m.section("equal", "the same", len(m.judged.Same), func() {
		for _, s := range m.judged.Same {
			m.add(row{kind: textRow, indent: 3, parent: "equal", faint: true, pieces: []piece{{text: safe(s)}}})
		}
	})
	at := -1
	for i, r := range m.rows {
		if r.selectable() && r.key == was.key && r.kind == was.kind {
			at = i
			break
		}
	}
	if at < 0 { // what it was on is elsewhere now, or gone
		for i, r := range m.rows {
			if was.diff != nil && r.diff != nil && r.diff.ID == was.diff.ID || was.step != nil && r.diff != nil && slices.Contains(was.step.Of, r.diff.ID) {
				at = i
				break
			}
		}
	}
	if at < 0 {
		at = min(m.cursor, len(m.rows)-1)
		for at > 0 && !m.rows[at].selectable() {
			at--
		}
	}
	m.cursor = max(at, 0)
	m.top = max(0, min(m.cursor-place, len(m.rows)-m.bodyLines()))
	m.select_(m.cursor)
}

func (m *Model) add(r row) {
	m.rows = append(m.rows, r)
}

// matches tells whether a row is among those that are looked for.
func (m *Model) matches(text string) bool {
	for _, w := range strings.Fields(strings.ToLower(m.find)) {
		if !strings.Contains(text, w) {
			return false
		}
	}
	return true
}

// section is a heading that opens.
func (m *Model) section(key, title string, n int, fill func()) {
	if n == 0 {
		return
	}
	from := len(m.rows)
	m.add(row{kind: headRow, key: key, sign: map[bool]string{true: "▾", false: "▸"}[m.open[key] || m.find != ""], pieces: []piece{{text: fmt.Sprintf("%d %s", n, title), bold: true}}})
	if m.open[key] || m.find != "" || key == "held" && !m.closed(key) {
		m.rows[from].sign = "▾"
		fill()
		if m.find == "" {
			return
		}
		kept := m.rows[:from+1]
		for _, r := range m.rows[from+1:] {
			if m.matches(r.text()) {
				kept = append(kept, r)
			}
		}
		if m.rows = kept; len(kept) == from+1 {
			m.rows = kept[:from]
		}
	}
}

// closed tells whether something was closed that is open by itself.
func (m *Model) closed(key string) bool {
	open, said := m.open[key]
	return said && !open
}

// questions are what somebody should answer: things that look like one under two names,
// and things that cannot come or go alone.
func (m *Model) questions() {
	for _, n := range m.judged.Notes {
		m.add(row{kind: lackRow, key: "note " + n, sign: "!", signed: view.Loses, pieces: []piece{{text: safe(n), mark: view.Loses}}})
	}
	if m.judged.Stuck != "" {
		m.add(row{kind: lackRow, key: "stuck", sign: "!", signed: view.Loses, pieces: []piece{{text: "no script: " + safe(m.judged.Stuck), mark: view.Loses}}})
	}
	for i := range m.judged.Likely {
		l := &m.judged.Likely[i]
		if slices.Contains(m.said.Apart, l.Option) {
			continue
		}
		m.add(row{kind: likelyRow, key: "likely " + l.Option, sign: "?", signed: view.Changed, likely: l, right: fmt.Sprintf("%d %%", l.Weight),
			pieces: []piece{{text: "is it a rename? ", bold: true}, {text: "y/n  " + safe(l.Old) + " → " + safe(l.New)}, {text: reasons(l.Reasons), mark: view.Equal}}})
	}
	for _, x := range m.judged.Lacking {
		text := safe(x.Thing) + " needs " + safe(x.Needs) + ", which is left"
		if x.Goes {
			text = safe(x.Needs) + " stays and needs " + safe(x.Thing) + ", which would go"
		}
		m.add(row{kind: lackRow, key: "lack " + x.Thing + x.Needs, sign: "!", signed: view.Loses, pieces: []piece{{text: text, mark: view.Loses}, {text: "  + takes it along, u undoes"}}})
	}
}

// reasons say why two things look like one.
func reasons(list []string) string {
	if len(list) == 0 {
		return ""
	}
	return "  (" + safe(strings.Join(list, ", ")) + ")"
}

// spine are the steps in their order, and what is left where it would stand.
func (m *Model) spine() {
	at := map[string]int{}
	for i, id := range m.first {
		if _, ok := at[id]; !ok {
			at[id] = i
		}
	}
	left := m.left()
	slices.SortStableFunc(left, func(a, b *Difference) int { return place(at, a) - place(at, b) })
	for _, s := range m.judged.Steps {
		here := len(m.first)
		for _, id := range s.Of {
			if i, ok := at[id]; ok {
				here = min(here, i)
			}
		}
		for len(left) > 0 && place(at, left[0]) <= here {
			m.folded(left[0])
			left = left[1:]
		}
		m.stepRows(s, false)
	}
	for _, d := range left {
		m.folded(d)
	}
	if len(m.judged.Steps) == 0 && m.find == "" && m.judged.Stuck == "" {
		m.add(row{kind: textRow, indent: 1, faint: true, pieces: []piece{{text: "no step: the target stays as it is"}}})
	}
}

// place is where a difference, or the first of its parts, was carried out in the first
// plan.
func place(at map[string]int, d *Difference) int {
	best := 1 << 30
	for _, x := range append([]*Difference{d}, d.Parts...) {
		if i, ok := at[x.ID]; ok {
			best = min(best, i)
		}
	}
	return best
}

// folded is something that was chosen away, where it stood.
func (m *Model) folded(d *Difference) {
	if r := m.leftLine(d, 0); m.matches(r.text()) {
		r.key = "folded " + d.ID
		m.add(r)
	}
}

func (m *Model) leftLine(d *Difference, indent int) row {
	how := map[string]string{leave: "left", toSource: "goes to the source"}[d.Choice]
	return row{kind: leftRow, key: "left " + d.ID, parent: map[int]string{1: "left"}[indent], indent: indent, sign: "┄", diff: d, faint: true, right: how, pieces: []piece{{text: safe(d.Title)}}}
}

// left are the differences that do not go to the target: objects, and parts of those that
// go in part.
func (m *Model) left() []*Difference {
	var out []*Difference
	for _, d := range m.judged.Differences {
		if d.Choice != "" && !d.Bare {
			out = append(out, d)
			continue
		}
		for _, p := range d.Parts {
			if p.Choice != "" {
				out = append(out, p)
			}
		}
	}
	return out
}

// stepRows are a step and, where it is open, all that is said of it.
func (m *Model) stepRows(s *Step, held bool) {
	key := "step " + s.Title
	sign, mark := signs[s.Worst], view.Plain
	if sign == "!" {
		mark = view.Loses
	}
	number := fmt.Sprint(s.Number)
	if held {
		number = "┄"
	}
	r := row{kind: stepRow, key: key, parent: map[bool]string{true: "held"}[held], number: number, sign: sign, signed: mark, right: s.Worst, step: s, held: held, pieces: []piece{{text: safe(s.Title)}}}
	hay := r.text()
	for _, id := range s.Of {
		hay += " " + strings.ToLower(safe(id))
		if d := m.difference(id); d != nil {
			hay += " " + statuses[d.Mark]
		}
	}
	for _, x := range s.Risks {
		hay += " " + strings.ToLower(x.Text)
	}
	if !held && !m.matches(hay) {
		return
	}
	m.add(r)
	if m.open[key] {
		m.inside(s, key)
	}
}

// inside is what an open step shows: the differences it carries out, what it does to
// rows, what it locks, both definitions, and its SQL.
func (m *Model) inside(s *Step, key string) {
	text := func(mark view.Mark, sign, format string, args ...any) {
		m.add(row{kind: textRow, parent: key, indent: 6, sign: sign, signed: mark, pieces: []piece{{text: safe(fmt.Sprintf(format, args...)), mark: mark}}})
	}
	var objects []string
	for _, id := range s.Of {
		d := m.difference(id)
		if d == nil {
			continue
		}
		m.differenceRow(d, key)
		of := d.ID
		if d.Of != "" {
			of = d.Of
		}
		if !slices.Contains(objects, of) {
			objects = append(objects, of)
		}
	}
	if len(s.Of) == 0 && len(m.judged.Differences) > 0 {
		text(view.Plain, "·", "nothing of it differs: it makes way for another step")
	}
	if s.Because != "" {
		text(view.Loses, "!", "held back: %s", s.Because)
	}
	for _, p := range s.Risks {
		text(p.Mark, view.Signs[view.Loses], "%s", p.Line())
	}
	for _, l := range s.Loses {
		text(view.Plain, "·", "a allows the loss of %s", l)
	}
	for _, l := range s.Lacks {
		text(view.Plain, "·", "f gives %s a value", l)
	}
	for _, c := range s.Checks {
		text(view.Plain, "·", "%s", c)
	}
	for _, f := range s.Fills {
		text(view.Plain, "·", "fill: %s", f)
	}
	for _, l := range s.Locks {
		text(view.Plain, "·", "lock %s", l)
	}
	for _, id := range objects[:min(len(objects), 3)] {
		m.closely(id, key)
	}
	if len(s.SQL) > 0 {
		m.add(row{kind: textRow, parent: key, indent: 6, faint: true, pieces: []piece{{text: "SQL"}}})
		for _, l := range view.Lines(strings.Join(s.SQL, "\n")) {
			m.add(row{kind: textRow, parent: key, indent: 6, sign: "│", pieces: []piece{{text: safe(l)}}})
		}
	}
}

// differenceRow is a difference within a step, which can be chosen by itself.
func (m *Model) differenceRow(d *Difference, parent string) {
	r := row{kind: differenceRow, key: "diff " + d.ID, parent: parent, indent: 4, sign: view.Signs[d.Mark], signed: d.Mark, diff: d, right: d.Choice, pieces: []piece{{text: safe(d.Title), bold: true}}}
	for i, p := range d.Said {
		if i == 6 {
			r.pieces = append(r.pieces, piece{text: " …"})
			break
		}
		sep := "  "
		if i > 0 {
			sep = ", "
		}
		sign := view.Signs[p.Mark]
		if sign != "" {
			sign += " "
		}
		r.pieces = append(r.pieces, piece{text: sep}, piece{text: sign + safe(p.Line()), mark: p.Mark})
	}
	m.add(r)
}

// closely shows both definitions of an object as one text, and what stands on it.
func (m *Model) closely(id, parent string) {
	c := m.looks[id]
	if c == nil {
		var err error
		if c, err = m.desk.Look(id); err != nil {
			m.add(row{kind: textRow, parent: parent, indent: 6, pieces: []piece{{text: safe(err.Error()), mark: view.Loses}}})
			return
		}
		m.looks[id] = c
	}
	if len(c.Users) > 0 {
		m.add(row{kind: textRow, parent: parent, indent: 6, sign: "·", pieces: []piece{{text: "what stands on it: " + safe(words.Join(c.Users, 8))}}})
	}
	if c.Object == nil || !c.Object.Defined {
		return
	}
	m.add(row{kind: textRow, parent: parent, indent: 6, faint: true, pieces: []piece{{text: safe(c.Object.Title()) + ": - as the target has it, + as the source does"}}})
	for _, run := range view.Fold(c.Object.Lines()) {
		if run.Folded > 0 {
			m.add(row{kind: textRow, parent: parent, indent: 6, faint: true, sign: "⋮", pieces: []piece{{text: words.Number(run.Folded, "equal line", "equal lines")}}})
		}
		for _, l := range run.Lines {
			m.add(row{kind: textRow, parent: parent, indent: 6, sign: view.Signs[l.Mark], signed: l.Mark, pieces: spans(l)})
		}
	}
}

// spans are a line's pieces, those that changed bold.
func spans(l view.Line) []piece {
	var out []piece
	for _, p := range l.Pieces() {
		out = append(out, piece{text: safe(p.Text), mark: l.Mark, bold: p.Hot})
	}
	return out
}
