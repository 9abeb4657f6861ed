package report

import (
	"cmp"
	"fmt"
	"io"
	"strings"

	"dappermirror/internal/core/compare"
	"dappermirror/internal/report/view"
	"dappermirror/internal/script"
)

// Detail writes each differing object closely: its facts side by side, then
// both definitions as one text with the changed lines and words marked.
func Detail(w io.Writer, c *view.Comparison, st Style) {
	for i := range c.Objects {
		if o := &c.Objects[i]; o.Status != compare.Same {
			closely(w, o, st)
		}
	}
	for i := range c.Objects {
		if o := &c.Objects[i]; o.Status == compare.Same && o.Order != "" {
			fmt.Fprintf(w, "\n%s %s %s: %s\n", st.Dim("="), o.Kind.Title(), name(o), st.Dim(o.Order))
		}
	}
}

// closely writes one object.
func closely(w io.Writer, o *view.Object, st Style) {
	m, word := view.MarkOf(o.Status), view.Words[o.Status]
	title := fmt.Sprintf("%s %s %s", view.Signs[m], o.Kind.Title(), st.shorten(name(o), st.Width-30))
	fill := max(2, st.Width-runes(title)-runes(word)-3)
	fmt.Fprintf(w, "\n%s %s %s\n", st.paint(paints[m], title), st.Dim(strings.Repeat("·", fill)), st.paint(paints[m], word))
	writeFacts(w, o, st)
	if o.Order != "" {
		fmt.Fprintf(w, "  %s\n", st.Dim(o.Order))
	}
	for _, side := range [2]struct{ name, at string }{{"target", o.TargetAt}, {"source", o.SourceAt}} {
		if side.at != "" {
			fmt.Fprintf(w, "  %s\n", st.Dim(side.name+" at "+Safe(side.at)))
		}
	}
	fmt.Fprintln(w)
	if o.Untouched {
		fmt.Fprintf(w, "  %s\n", st.Dim("The target has no such "+o.Kind.Title()+", and it is out of scope."))
		return
	}
	switch o.Status {
	case compare.Differs:
		fmt.Fprintf(w, "  %s   %s\n", st.paint(paints[view.Goes], "- target"), st.paint(paints[view.Comes], "+ source"))
	case compare.SourceOnly:
		fmt.Fprintf(w, "  %s\n", st.paint(paints[m], "+ source"))
	default:
		fmt.Fprintf(w, "  %s\n", st.paint(paints[m], "- target"))
	}
	diffLines(w, safeLines(o.Target), safeLines(o.Source), st)
}

// safeLines are lines in which nothing is obeyed.
func safeLines(lines []string) []string {
	out := make([]string, len(lines))
	for i, l := range lines {
		out[i] = Safe(l)
	}
	return out
}

// writeFacts writes what differs, a fact to a line, from the target's value to
// the source's. A long text is told by its changed lines.
func writeFacts(w io.Writer, o *view.Object, st Style) {
	for _, p := range o.Facts {
		m := p.Mark
		if m == view.Plain {
			m = view.Changed
		}
		sign := cmp.Or(view.Signs[m], " ")
		for i, l := range script.Wrap(st.line(p), st.Width-4) {
			if i > 0 {
				sign = " "
			}
			fmt.Fprintf(w, "  %s %s\n", st.paint(paints[m], sign), l)
		}
	}
}

// diffLines writes two texts as one, changed lines signed, changed words
// marked.
func diffLines(w io.Writer, old, new []string, st Style) {
	for _, run := range view.Fold(view.Merge(old, new)) {
		for _, l := range run.Lines {
			writeLine(w, l, st)
		}
		if run.Folded > 0 {
			fmt.Fprintf(w, "    %s\n", st.Dim(fmt.Sprintf("⋮ %d equal lines", run.Folded)))
		}
	}
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
func writeLine(w io.Writer, l view.Line, st Style) {
	look, mine := paints[l.Mark], view.Signs[l.Mark]
	r := []rune(l.Text)
	room := max(20, st.Width-6)
	if st.Whole {
		room = max(room, len(r))
	}
	if mine == "" {
		mine = " "
	}
	for from, first := 0, true; first || from < len(r); first = false { // an empty line is one line
		to := fold(r, from, room)
		sign := mine
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
				text.WriteString(st.paint(look.Underline(true).Bold(true), run))
				carets.WriteString(strings.Repeat("^", until-at))
			case l.Mark == view.Plain:
				text.WriteString(run)
			default:
				text.WriteString(st.paint(look, run))
				carets.WriteString(strings.Repeat(" ", until-at))
			}
			at = until
		}
		for _, s := range l.Hot {
			emit(s.From, false)
			emit(s.To, true)
		}
		emit(to, false)
		fmt.Fprintln(w, strings.TrimRight("  "+st.paint(look, sign)+" "+text.String(), " "))
		if c := strings.TrimRight(carets.String(), " "); c != "" && !st.Color {
			fmt.Fprintln(w, "    "+c)
		}
		from = to
	}
}
