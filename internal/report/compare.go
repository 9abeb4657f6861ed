package report

import (
	"fmt"
	"io"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/words"
)

// Counts sums a catalog up: "42 tables, 7 views, 3 triggers".
func Counts(c *catalog.Catalog) string {
	var said []string
	for _, n := range c.Count(catalog.Notable) {
		said = append(said, words.Number(n.N, n.Kind.Title(), n.Kind.Plural()))
	}
	if len(said) == 0 {
		return "nothing in it"
	}
	return strings.Join(said, ", ")
}

// Similarity writes the similarity with one decimal: "93.4 %".
func Similarity(c *compare.Comparison) string {
	n := c.Similarity()
	if n == 1000 {
		return "100 %"
	}
	return fmt.Sprintf("%d.%d %%", n/10, n%10)
}

// ListOptions say what the list shows.
type ListOptions struct {
	All      bool // equal objects too
	ByStatus bool // grouped by status instead of kind
}

// List writes the list of differences.
func List(w io.Writer, c *compare.Comparison, st Style, opt ListOptions) {
	n := c.Counts()
	fmt.Fprintf(w, "source   %s\n", Safe(c.Source.Place))
	fmt.Fprintf(w, "target   %s\n", Safe(c.Target.Place))
	fmt.Fprintf(w, "alike    %s\n", st.Strong(Similarity(c)))
	groups := grouped(c, opt)
	width := 12
	for _, g := range groups {
		for _, it := range g.items {
			width = max(width, runes(name(it)))
		}
	}
	width = min(width, max(20, st.Width*4/10))
	for _, g := range groups {
		fmt.Fprintf(w, "\n%s\n", st.Strong(g.title))
		for _, it := range g.items {
			m := marks[it.Status]
			label := Shorten(name(it), width)
			if opt.ByStatus {
				label = pad(it.Kind().Title(), 9) + " " + label
			}
			pads := width
			if opt.ByStatus {
				pads += 10
			}
			lines := pack(describe(it), max(st.Width-pads-14, 20), st)
			fmt.Fprintln(w, strings.TrimRight(fmt.Sprintf("  %s %s  %s  %s", st.paint(m.style, m.sign), pad(label, pads), st.paint(m.style, pad(m.action, 6)), lines[0]), " "))
			for _, l := range lines[1:] {
				fmt.Fprintf(w, "%s%s\n", strings.Repeat(" ", pads+14), l)
			}
		}
	}
	for i, g := range c.Gaps {
		if i == 0 {
			fmt.Fprintln(w)
		}
		what := g.Kind.Title()
		if g.Property != "" {
			what = g.Property + " of each " + what
		}
		fmt.Fprintf(w, "%s %s of the %s: %s\n", st.Warn("not compared:"), what, g.Side, Safe(g.Why))
	}
	fmt.Fprintln(w)
	if !c.Different() {
		fmt.Fprintf(w, "No difference. %s compared.\n", words.Number(n.Same, "object", "objects"))
		return
	}
	var parts []string
	for _, x := range []struct {
		n int
		s compare.Status
		t string
	}{{n.Differs, compare.Differs, "to change"}, {n.SourceOnly, compare.SourceOnly, "to create"}, {n.TargetOnly, compare.TargetOnly, "to drop"}, {n.Same, compare.Same, "the same"}} {
		if x.n > 0 {
			parts = append(parts, fmt.Sprintf("%s %s %s", st.paint(marks[x.s].style, marks[x.s].sign), words.Thousands(int64(x.n)), x.t))
		}
	}
	fmt.Fprintln(w, strings.Join(parts, "   "))
}

type listGroup struct {
	title string
	items []*compare.Item
}

// grouped puts the items to list into groups, which keep their order.
func grouped(c *compare.Comparison, opt ListOptions) []listGroup {
	var out []listGroup
	at := map[string]int{}
	add := func(title string, it *compare.Item) {
		i, ok := at[title]
		if !ok {
			i = len(out)
			at[title] = i
			out = append(out, listGroup{title: title})
		}
		out[i].items = append(out[i].items, it)
	}
	if opt.ByStatus {
		for _, s := range []struct {
			s compare.Status
			t string
		}{{compare.Differs, "to change"}, {compare.SourceOnly, "to create (source-only)"}, {compare.TargetOnly, "to drop (target-only)"}, {compare.Same, "the same"}} {
			for _, it := range c.Items {
				if it.Status == s.s && (opt.All || s.s != compare.Same) {
					add(s.t, it)
				}
			}
		}
		return out
	}
	for _, it := range c.Items {
		if opt.All || it.Status != compare.Same {
			add(it.Kind().Plural(), it)
		}
	}
	return out
}

// name is an object's name in lists; with its schema where it has one.
func name(it *compare.Item) string {
	o := it.Object()
	n := Safe(o.Title())
	if o.Schema != "" {
		n = Safe(o.Schema) + "." + n
	}
	return n
}

// describe says in one line how the two sides differ: the facts by name, the
// parts by number, or by name where there is one of a kind.
func describe(it *compare.Item) []phrase {
	if it.Status != compare.Differs {
		if it.Status == compare.Same {
			return nil
		}
		return parts(it)
	}
	var said []phrase
	for _, p := range it.Properties {
		said = append(said, phrase{text: p.Name})
	}
	type key struct {
		kind   catalog.Kind
		status compare.Status
	}
	var order []key
	by := map[key][]*compare.Item{}
	for _, p := range it.Changed() {
		k := key{p.Kind(), p.Status}
		if by[k] == nil {
			order = append(order, k)
		}
		by[k] = append(by[k], p)
	}
	for _, k := range order {
		l := by[k]
		text := ""
		if len(l) == 1 {
			text = label(l[0].Object())
			if k.status == compare.Differs {
				var facts []string
				for _, p := range l[0].Properties {
					facts = append(facts, p.Name)
				}
				text += " (" + strings.Join(facts, ", ") + ")"
			}
		} else {
			text = words.Number(len(l), k.kind.Title(), k.kind.Plural())
		}
		said = append(said, phrase{marks[k.status], text})
	}
	return said
}

// phrase is one of the things said about an object, with a status's mark or
// without.
type phrase struct {
	mark mark
	text string
}

// pack fills lines with phrases; a phrase is cut only where it is longer than
// a line.
func pack(phrases []phrase, width int, st Style) []string {
	lines, used := []string{""}, 0
	for i, p := range phrases {
		text, n := p.text, runes(p.text)
		if p.mark.sign != "" {
			n += 2
		}
		if i < len(phrases)-1 {
			n, text = n+1, text+","
		}
		if n > width {
			text = Shorten(text, width-2)
			n = width
		}
		if used > 0 && used+1+n > width {
			lines, used = append(lines, ""), 0
		}
		if used > 0 {
			lines[len(lines)-1] += " "
			used++
		}
		if p.mark.sign != "" {
			text = st.paint(p.mark.style, p.mark.sign) + " " + text
		}
		lines[len(lines)-1] += text
		used += n
	}
	return lines
}

// label is a part with its kind, unless its own words say it already.
func label(o *catalog.Object) string {
	if o.Name == "" {
		return Shorten(Safe(o.Title()), 40)
	}
	return o.Kind.Title() + " " + Shorten(Safe(o.Name), 30)
}

// parts sums up the parts of an object that is on one side only.
func parts(it *compare.Item) []phrase {
	n := map[catalog.Kind]int{}
	var order []catalog.Kind
	for _, p := range it.Parts {
		if n[p.Kind()] == 0 {
			order = append(order, p.Kind())
		}
		n[p.Kind()]++
	}
	var said []phrase
	for _, k := range order {
		said = append(said, phrase{text: words.Number(n[k], k.Title(), k.Plural())})
	}
	return said
}
