package report

import (
	"fmt"
	"io"
	"strings"

	"github.com/aymanbagabas/go-udiff"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/script"
)

// Definer lays an object out as SQL.
type Definer func(*catalog.Object) string

// Detail writes each differing object closely: its facts side by side, then
// both definitions as one text with the changed lines and words marked.
func Detail(w io.Writer, c *compare.Comparison, st Style, define Definer, losses map[*compare.Item][]order.Risk) {
	all := choose.All(c)
	for _, it := range c.Differences() {
		m := marks[it.Status]
		title := fmt.Sprintf("%s %s %s", m.sign, it.Kind().Title(), st.shorten(name(it), st.Width-30))
		fill := max(2, st.Width-runes(title)-runes(m.word)-3)
		fmt.Fprintf(w, "\n%s %s %s\n", st.paint(m.style, title), st.Dim(strings.Repeat("·", fill)), st.paint(m.style, m.word))
		writeFacts(w, it, losses[it], st)
		if order := orderNote(it); order != "" {
			fmt.Fprintf(w, "  %s\n", st.Dim(order))
		}
		for _, side := range [2]struct {
			name string
			o    *catalog.Object
		}{{"target", it.Target}, {"source", it.Source}} {
			if at := origin(side.o); at != "" {
				fmt.Fprintf(w, "  %s\n", st.Dim(side.name+" at "+Safe(at)))
			}
		}
		fmt.Fprintln(w)
		text := func(o *catalog.Object) []string {
			if o == nil {
				return nil
			}
			return safeLines(strings.TrimSuffix(define(o), ";"))
		}
		old, new := text(it.Target), text(it.Source)
		if it.Partial { // what is out of scope stays as it is
			if new = text(all.Wanted(it)); it.Target == nil {
				fmt.Fprintf(w, "  %s\n", st.Dim("The target has no such "+it.Kind().Title()+", and it is out of scope."))
				continue
			}
		}
		switch it.Status {
		case compare.Differs:
			fmt.Fprintf(w, "  %s   %s\n", st.paint(marks[compare.TargetOnly].style, "- target"), st.paint(marks[compare.SourceOnly].style, "+ source"))
		case compare.SourceOnly:
			fmt.Fprintf(w, "  %s\n", st.paint(m.style, "+ source"))
		default:
			fmt.Fprintf(w, "  %s\n", st.paint(m.style, "- target"))
		}
		diffLines(w, old, new, st)
	}
	for _, it := range c.Items {
		if it.Status == compare.Same && orderNote(it) != "" {
			fmt.Fprintf(w, "\n%s %s %s: %s\n", st.Dim("="), it.Kind().Title(), name(it), st.Dim(orderNote(it)))
		}
	}
}

// origin is where in a text a thing stands; "" where it comes from none.
func origin(o *catalog.Object) string {
	if o == nil || o.Origin == nil {
		return ""
	}
	return o.Origin.String()
}

// writeFacts writes what differs, a fact to a line, from the target's value to
// the source's. A long text is told by its changed lines.
func writeFacts(w io.Writer, it *compare.Item, losses []order.Risk, st Style) {
	said := facts(it.Properties, st)
	if it.Status == compare.Differs {
		said = append(said, changes(it, st)...)
	}
	for _, r := range losses {
		said = append(said, phrase{mark{sign: "!", style: orange}, "loses " + Safe(r.Text)})
	}
	for _, p := range said {
		sign := p.mark.sign
		if sign == "" {
			sign = "~"
			p.mark.style = violet
		}
		for i, l := range script.Wrap(p.text, st.Width-4) {
			if i > 0 {
				sign = " "
			}
			fmt.Fprintf(w, "  %s %s\n", st.paint(p.mark.style, sign), l)
		}
	}
}

func longText(p compare.PropertyDiff) bool {
	for _, v := range []*catalog.Value{p.Source, p.Target} {
		if v != nil && (strings.Contains(v.String(), "\n") || runes(v.String()) > 60) {
			return true
		}
	}
	return false
}

// orderNote says when only the order of columns differs, which is no
// difference.
func orderNote(it *compare.Item) string {
	if it.Source == nil || it.Target == nil {
		return ""
	}
	var s, t []string
	for _, c := range it.Source.PartsOf(catalog.Column) {
		if it.Target.Part(catalog.Column, c.Key()) != nil {
			s = append(s, c.Key())
		}
	}
	for _, c := range it.Target.PartsOf(catalog.Column) {
		if it.Source.Part(catalog.Column, c.Key()) != nil {
			t = append(t, c.Key())
		}
	}
	if strings.Join(s, "\x00") == strings.Join(t, "\x00") {
		return ""
	}
	return "The columns stand in another order; that alone is no difference."
}

// edits lists the runs of a that are replaced by runs of b.
type edit struct{ a0, a1, b0, b1 int }

// diffSeq compares two sequences by way of a line diff: each element becomes
// a line.
func diffSeq(a, b []string) []edit {
	index := func(l []string) (string, map[int]int) {
		var t strings.Builder
		at := map[int]int{}
		for i, s := range l {
			at[t.Len()] = i
			t.WriteString(s)
			t.WriteByte('\n')
		}
		at[t.Len()] = len(l)
		return t.String(), at
	}
	ta, at := index(a)
	tb, _ := index(b)
	var out []edit
	shift := 0
	for _, e := range udiff.Lines(ta, tb) {
		a0, a1 := at[e.Start], at[e.End]
		n := strings.Count(e.New, "\n")
		b0 := a0 + shift
		out = append(out, edit{a0, a1, b0, b0 + n})
		shift += n - (a1 - a0)
	}
	return out
}

// context is how many equal lines are shown around a change.
const context = 3

// diffLines writes two texts as one, changed lines signed, changed words
// marked.
func diffLines(w io.Writer, old, new []string, st Style) {
	es := diffSeq(old, new)
	minus, plus := marks[compare.TargetOnly], marks[compare.SourceOnly]
	pos := 0
	for i, e := range es {
		equal := old[pos:e.a0]
		writeContext(w, equal, st, i > 0, true)
		partner := partners(old[e.a0:e.a1], new[e.b0:e.b1])
		marked := make([][]span, e.b1-e.b0)
		for k, l := range old[e.a0:e.a1] {
			var ch []span
			if j, ok := partner[k]; ok {
				ch, marked[j] = changedWords(l, new[e.b0+j])
			}
			writeLine(w, minus, l, ch, st)
		}
		for k, l := range new[e.b0:e.b1] {
			writeLine(w, plus, l, marked[k], st)
		}
		pos = e.a1
	}
	writeContext(w, old[pos:], st, len(es) > 0, false)
}

// partners pairs the old lines of a change with the new ones they became:
// those that begin with the same word, or line by line where as many came as
// went.
func partners(old, new []string) map[int]int {
	out := map[int]int{}
	head := func(s string) string {
		if f := strings.Fields(s); len(f) > 0 {
			return f[0]
		}
		return ""
	}
	at := map[string]int{}
	for j := len(new) - 1; j >= 0; j-- {
		at[head(new[j])] = j
	}
	for k, l := range old {
		if j, ok := at[head(l)]; ok {
			out[k] = j
			delete(at, head(l))
		} else if len(old) == len(new) {
			out[k] = k
		}
	}
	return out
}

func writeContext(w io.Writer, lines []string, st Style, after, before bool) {
	head, tail := 0, 0
	if after {
		head = context
	}
	if before {
		tail = context
	}
	if len(lines) <= head+tail+1 {
		head, tail = len(lines), 0
	}
	for i, l := range lines {
		switch {
		case i < head || i >= len(lines)-tail:
			writeLine(w, mark{sign: " ", style: dim}, l, nil, st)
		case i == head:
			fmt.Fprintf(w, "    %s\n", st.Dim(fmt.Sprintf("⋮ %d equal lines", len(lines)-head-tail)))
		}
	}
}

type span struct{ from, to int } // in runes

// changedWords finds the words in which two lines differ. Where hardly
// anything is common, no word is marked: the whole line is new.
func changedWords(a, b string) (as, bs []span) {
	split := func(s string) []string {
		var out []string
		for _, t := range sqltext.Lex(sqltext.Dialect{}, s) {
			out = append(out, t.Text)
		}
		return out
	}
	ta, tb := split(a), split(b)
	offsets := func(l []string) []int {
		out, n := []int{0}, 0
		for _, s := range l {
			n += runes(s)
			out = append(out, n)
		}
		return out
	}
	oa, ob := offsets(ta), offsets(tb)
	changed := 0
	for _, e := range diffSeq(ta, tb) {
		if e.a1 > e.a0 {
			as = append(as, span{oa[e.a0], oa[e.a1]})
		}
		if e.b1 > e.b0 {
			bs = append(bs, span{ob[e.b0], ob[e.b1]})
		}
		changed += oa[e.a1] - oa[e.a0] + ob[e.b1] - ob[e.b0]
	}
	if changed*3 > (runes(a)+runes(b))*2 {
		return nil, nil
	}
	return as, bs
}

// fold is where a line that begins at from ends: at the last space in the room
// there is, if that is not too early.
func fold(r []rune, from, room int) int {
	if len(r)-from <= room {
		return len(r)
	}
	for to := from + room; to > from+room/2; to-- {
		if r[to-1] == ' ' {
			return to
		}
	}
	return from + room
}

// writeLine writes one line of a definition, folded at the width. With
// colour the changed words are underlined, without it carets stand below.
func writeLine(w io.Writer, m mark, line string, changed []span, st Style) {
	r := []rune(line)
	room := max(20, st.Width-6)
	if st.Whole {
		room = max(room, len(r))
	}
	for from, first := 0, true; first || from < len(r); first = false { // an empty line is one line
		to := fold(r, from, room)
		sign := m.sign
		if !first {
			sign = "↳"
		}
		var text, carets strings.Builder
		at := from
		emit := func(until int, hot bool) {
			until = min(max(until, at), to)
			if until <= at {
				return
			}
			run := string(r[at:until])
			switch {
			case hot:
				text.WriteString(st.paint(m.style.Underline(true).Bold(true), run))
				carets.WriteString(strings.Repeat("^", until-at))
			case m.sign == " ":
				text.WriteString(run)
			default:
				text.WriteString(st.paint(m.style, run))
				carets.WriteString(strings.Repeat(" ", until-at))
			}
			at = until
		}
		for _, s := range changed {
			emit(s.from, false)
			emit(s.to, true)
		}
		emit(to, false)
		fmt.Fprintln(w, strings.TrimRight("  "+st.paint(m.style, sign)+" "+text.String(), " "))
		if c := strings.TrimRight(carets.String(), " "); c != "" && !st.Color {
			fmt.Fprintln(w, "    "+c)
		}
		from = to
	}
}
