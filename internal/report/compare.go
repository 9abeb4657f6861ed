package report

import (
	"fmt"
	"io"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/words"
	"dappermirror/internal/report/view"
	"dappermirror/internal/script"
)

// Counts sums a catalog up: "42 tables, 7 views, 3 triggers".
func Counts(c *catalog.Catalog) string {
	return CountWords(c.Count())
}

// ListOptions say what the list shows.
type ListOptions struct {
	All      bool // equal objects too
	ByStatus bool // grouped by status instead of kind
	Shared   bool // by several targets, of which each has its own equal objects
}

// List writes the list of differences.
func List(w io.Writer, c *view.Comparison, st Style, opt ListOptions) {
	fmt.Fprintf(w, "source   %s\n", Safe(c.Source.Place))
	fmt.Fprintf(w, "target   %s\n", Safe(c.Target.Place))
	fmt.Fprintf(w, "alike    %s\n", st.Strong(Percent(c.Alike)))
	listed(w, c, st, opt)
}

// listed is the list without the head that names the two sides.
func listed(w io.Writer, c *view.Comparison, st Style, opt ListOptions) {
	groups := c.Groups(opt.ByStatus, opt.All)
	width := 12
	for _, g := range groups {
		for _, o := range g.Objects {
			width = max(width, runes(name(o)))
		}
	}
	width = min(width, max(20, st.Width*4/10))
	for _, g := range groups {
		fmt.Fprintf(w, "\n%s\n", st.Strong(g.Title))
		for _, o := range g.Objects {
			m := view.MarkOf(o.Status)
			label := st.shorten(name(o), width)
			pads := width
			if opt.ByStatus {
				label, pads = pad(o.Kind.Title(), 9)+" "+label, pads+10
			}
			lines := pack(o.Said, max(st.Width-pads-19, 20), st)
			fmt.Fprintln(w, strings.TrimRight(fmt.Sprintf("  %s %s  %s  %s", st.sign(m), pad(label, pads), st.paint(paints[m], pad(view.Words[o.Status], 11)), lines[0]), " "))
			for _, l := range lines[1:] {
				fmt.Fprintf(w, "%s%s\n", strings.Repeat(" ", pads+19), l)
			}
		}
	}
	for i, g := range c.Gaps {
		if i == 0 {
			fmt.Fprintln(w)
		}
		fmt.Fprintf(w, "%s %s of the %s: %s\n", st.Warn("not compared:"), g.What, g.Side, Safe(g.Why))
	}
	likely(w, c.Likely, st)
	tolerated(w, c, st, opt.All)
	closing := Closing(c)
	if opt.Shared && c.Different() {
		n := c.Counts
		n.Same = 0
		closing = counted(n, c.Losing)
	}
	fmt.Fprintf(w, "\n%s%s\n", closing, stays(c.Stays))
}

// likely lists what looks like a rename, with the option that makes it one.
func likely(w io.Writer, list []view.Likely, st Style) {
	for i, l := range list {
		if i == 0 {
			fmt.Fprintf(w, "\n%s\n", st.Strong("likely renames"))
		}
		Hang(w, "  ? ", fmt.Sprintf("%d %%  %s  (%s)", l.Weight, Safe(typed(l.Option)), strings.Join(l.Reasons, ", ")), st.Width, nil)
	}
}

// typed is an option with its value as it is typed into a shell.
func typed(option string) string {
	name, value, _ := strings.Cut(option, " ")
	return name + " " + script.Word(value)
}

// stays counts the objects of which nothing goes to the target.
func stays(n int) string {
	if n > 0 {
		return "; " + words.Number(n, "does not go to the target", "do not go to the target") + ", by choice"
	}
	return ""
}

// tolerated counts what differs and does not count, and lists it where all is
// asked for.
func tolerated(w io.Writer, c *view.Comparison, st Style, all bool) {
	if len(c.Tolerated) == 0 {
		return
	}
	var by []string
	for _, t := range c.Tally {
		by = append(by, fmt.Sprintf("%d %s", t.N, t.Name))
	}
	fmt.Fprintf(w, "\n%s: %s\n", words.Number(len(c.Tolerated), "difference tolerated", "differences tolerated"), strings.Join(by, ", "))
	for _, t := range c.Tolerated {
		if !all {
			return
		}
		Hang(w, "  ~ ", fmt.Sprintf("%s  %s  (%s)", Safe(t.On), Safe(t.What), strings.Join(t.By, " and ")), st.Width, nil)
	}
}

// Closing counts the objects by status: "8 differ, 1 only in the source, 5 the
// same; 3 would lose values".
func Closing(c *view.Comparison) string {
	if !c.Different() {
		return fmt.Sprintf("No difference. %s the same.", words.Number(c.Counts.Same, "object is", "objects are"))
	}
	return counted(c.Counts, c.Losing)
}

// counted counts objects by status, and those that would lose something.
func counted(n compare.Counts, losing int) string {
	var parts []string
	for _, x := range []struct {
		n         int
		one, many string
	}{{n.Differs, "differs", "differ"}, {n.SourceOnly, "only in the source", "only in the source"}, {n.TargetOnly, "only in the target", "only in the target"}, {n.Same, "the same", "the same"}} {
		if x.n > 0 {
			parts = append(parts, words.Number(x.n, x.one, x.many))
		}
	}
	text := strings.Join(parts, ", ")
	if losing > 0 {
		text += "; " + words.Number(losing, "would lose values", "would lose values")
	}
	return text
}

// name is an object's name in lists; with its schema where it has one.
func name(o *view.Object) string {
	n := Safe(o.Name)
	if o.Schema != "" {
		n = Safe(o.Schema) + "." + n
	}
	return n
}

// line is a phrase in a line; of many names a narrow page shows the first.
func (s Style) line(p view.Phrase) string {
	if len(p.Names) == 0 {
		return Safe(p.Text)
	}
	names := make([]string, len(p.Names))
	for i, n := range p.Names {
		names[i] = Safe(n)
	}
	return Safe(p.Text) + " " + s.few(names)
}

// few is a list of names, of which a narrow page shows the first.
func (s Style) few(names []string) string {
	const most = 6
	if n := len(names); !s.Whole && n > most+1 {
		return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), n-most)
	}
	return strings.Join(names, ", ")
}

// pack fills lines with phrases; one that is longer than a line is folded
// between its words.
func pack(phrases []view.Phrase, width int, st Style) []string {
	lines, used := []string{""}, 0
	for i, p := range phrases {
		text := st.line(p)
		if i < len(phrases)-1 {
			text += ","
		}
		sign := 0
		if view.Signs[p.Mark] != "" {
			sign = 2
		}
		folded := script.Wrap(text, width-sign)
		for j, l := range folded {
			n := sign + runes(l)
			if used > 0 && (used+1+n > width || j > 0 || len(folded) > 1) {
				lines, used = append(lines, ""), 0
			}
			if used > 0 {
				lines[len(lines)-1] += " "
				used++
			}
			head := strings.Repeat(" ", sign)
			if j == 0 && sign > 0 {
				head = st.paint(paints[p.Mark], view.Signs[p.Mark]) + " "
			}
			lines[len(lines)-1] += head + l
			used += n
		}
	}
	return lines
}
