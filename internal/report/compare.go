package report

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/words"
	"dappermirror/internal/script"
)

// Counts sums a catalog up: "42 tables, 7 views, 3 triggers".
func Counts(c *catalog.Catalog) string {
	return CountWords(c.Count())
}

// Similarity writes the similarity with one decimal: "93.4 %".
func Similarity(c *compare.Comparison) string {
	return Percent(c.Similarity())
}

// ListOptions say what the list shows.
type ListOptions struct {
	All      bool // equal objects too
	ByStatus bool // grouped by status instead of kind
	Shared   bool // by several targets, of which each has its own equal objects
	// Losses are what making the target like the source would destroy, by the
	// objects' items.
	Losses map[*compare.Item][]order.Risk
	// Likely are the likely renames.
	Likely []match.Likely
	// Choices are what becomes of the differences; nil for all to the target.
	Choices *choose.Chosen
}

// List writes the list of differences.
func List(w io.Writer, c *compare.Comparison, st Style, opt ListOptions) {
	fmt.Fprintf(w, "source   %s\n", Safe(c.Source.Place))
	fmt.Fprintf(w, "target   %s\n", Safe(c.Target.Place))
	fmt.Fprintf(w, "alike    %s\n", st.Strong(Similarity(c)))
	listed(w, c, st, opt)
}

// listed is the list without the head that names the two sides.
func listed(w io.Writer, c *compare.Comparison, st Style, opt ListOptions) {
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
			label := st.shorten(name(it), width)
			pads := width
			if opt.ByStatus {
				label, pads = pad(it.Kind().Title(), 9)+" "+label, pads+10
			}
			lines := pack(append(describe(it, opt.Losses[it], st), chosen(opt.Choices, it, st)...), max(st.Width-pads-19, 20), st)
			fmt.Fprintln(w, strings.TrimRight(fmt.Sprintf("  %s %s  %s  %s", st.paint(m.style, m.sign), pad(label, pads), st.paint(m.style, pad(m.word, 11)), lines[0]), " "))
			for _, l := range lines[1:] {
				fmt.Fprintf(w, "%s%s\n", strings.Repeat(" ", pads+19), l)
			}
		}
	}
	for i, g := range c.Judge.Gaps {
		if i == 0 {
			fmt.Fprintln(w)
		}
		fmt.Fprintf(w, "%s %s of the %s: %s\n", st.Warn("not compared:"), GapWords(g.Gap), g.Side, Safe(g.Why))
	}
	likely(w, opt.Likely, st)
	tolerated(w, c.Tolerated, st, opt.All)
	closing := Closing(c, len(opt.Losses))
	if opt.Shared && c.Different() {
		n := c.Counts()
		n.Same = 0
		closing = counted(n, len(opt.Losses))
	}
	fmt.Fprintf(w, "\n%s%s\n", closing, stays(opt.Choices))
}

// likely lists what looks like a rename, with the option that makes it one.
func likely(w io.Writer, list []match.Likely, st Style) {
	for i, l := range list {
		if i == 0 {
			fmt.Fprintf(w, "\n%s\n", st.Strong("likely renames"))
		}
		option, what, _ := strings.Cut(l.Option(), " ")
		Hang(w, "  ? ", fmt.Sprintf("%d %%  %s %s  (%s)", l.Weight, option, Safe(script.Word(what)), strings.Join(l.Reasons, ", ")), st.Width, nil)
	}
}

// stays counts the objects of which nothing goes to the target.
func stays(c *choose.Chosen) string {
	if c == nil {
		return ""
	}
	if n := len(c.Differences()) - len(c.Open()); n > 0 {
		return "; " + words.Number(n, "does not go to the target", "do not go to the target") + ", by choice"
	}
	return ""
}

// tolerated counts what differs and does not count, and lists it where all is
// asked for.
func tolerated(w io.Writer, list []judge.Tolerated, st Style, all bool) {
	if len(list) == 0 {
		return
	}
	var by []string
	for _, t := range judge.Tally(list) {
		by = append(by, fmt.Sprintf("%d %s", t.N, t.Name))
	}
	fmt.Fprintf(w, "\n%s: %s\n", words.Number(len(list), "difference tolerated", "differences tolerated"), strings.Join(by, ", "))
	for _, t := range list {
		if !all {
			return
		}
		what := "only one side has it"
		if t.Fact != "" {
			what = facts([]compare.PropertyDiff{{Name: t.Fact, Source: t.Source, Target: t.Target}}, st)[0].text
		}
		Hang(w, "  ~ ", fmt.Sprintf("%s  %s  (%s)", Safe(t.On.String()), what, strings.Join(t.By, " and ")), st.Width, nil)
	}
}

// Closing counts the objects by status: "8 differ, 1 only in the source, 5 the
// same; 3 would lose values".
func Closing(c *compare.Comparison, losing int) string {
	n := c.Counts()
	if !c.Different() {
		return fmt.Sprintf("No difference. %s the same.", words.Number(n.Same, "object is", "objects are"))
	}
	return counted(n, losing)
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
		}{{compare.Differs, "differ"}, {compare.SourceOnly, "only in the source"}, {compare.TargetOnly, "only in the target"}, {compare.Same, "the same"}} {
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

// describe says how the two sides differ: values as they are in the target and
// as the source has them, parts by their names, and what would be lost.
func describe(it *compare.Item, losses []order.Risk, st Style) []phrase {
	var said []phrase
	switch it.Status {
	case compare.Same:
		return nil
	case compare.Differs:
		said = append(facts(it.Properties, st), changes(it, st)...)
	default:
		said = parts(it)
	}
	for _, r := range losses {
		said = append(said, phrase{mark{sign: "!", style: orange}, "loses " + Safe(strings.TrimSuffix(r.Text, " of "+it.Kind().Title()+" "+it.Object().Name))})
	}
	return said
}

// chosen says what of a difference does not go to the target, by choice.
func chosen(c *choose.Chosen, it *compare.Item, st Style) []phrase {
	if c == nil || it.Status == compare.Same {
		return nil
	}
	where := map[choose.Decision]string{choose.Leave: "is left", choose.ToSource: "goes to the source"}
	names, all := map[choose.Decision][]string{}, true
	if it.Status != compare.Differs || len(it.Properties) > 0 {
		d := c.Of(it).Decision
		names[d], all = append(names[d], "the "+it.Kind().Title()+" itself"), d != choose.ToTarget
	}
	if it.Status == compare.Differs {
		for _, p := range it.Changed() {
			d := c.OfPart(it, p).Decision
			names[d], all = append(names[d], label(p.Object())), all && d != choose.ToTarget
		}
	}
	var said []phrase
	for _, d := range []choose.Decision{choose.Leave, choose.ToSource} {
		if l := names[d]; len(l) > 0 && all && len(names) == 1 {
			said = append(said, phrase{text: "(" + where[d] + ")"})
		} else if len(l) > 0 {
			said = append(said, phrase{text: "(" + st.few(l) + " " + where[d] + ")"})
		}
	}
	return said
}

// changes names the parts that differ: those that come or go together by kind,
// those that change with what changes of them.
func changes(it *compare.Item, st Style) []phrase {
	type key struct {
		kind   catalog.Kind
		status compare.Status
	}
	var keys []key
	by := map[key][]*compare.Item{}
	for _, p := range it.Changed() {
		k := key{p.Kind(), p.Status}
		if by[k] == nil {
			keys = append(keys, k)
		}
		by[k] = append(by[k], p)
	}
	var said []phrase
	for _, k := range keys {
		if k.status == compare.Differs {
			for _, p := range by[k] {
				text := label(p.Object())
				for i, f := range facts(p.Properties, st) {
					if i > 0 {
						text += ","
					}
					if f.mark.sign != "" {
						text += " " + f.mark.sign
					}
					text += " " + strings.TrimPrefix(f.text, "type ")
				}
				said = append(said, phrase{marks[k.status], text})
			}
			continue
		}
		var names []string
		for _, p := range by[k] {
			names = append(names, Safe(p.Object().Title()))
		}
		if len(names) == 1 {
			said = append(said, phrase{marks[k.status], label(by[k][0].Object())})
			continue
		}
		said = append(said, phrase{marks[k.status], k.kind.Plural() + " " + st.few(names)})
	}
	return said
}

// facts say how facts differ, from the target's value to the source's: "type
// varchar(8) → varchar(12)", "+ not null", "+ value inspected".
func facts(props []compare.PropertyDiff, st Style) []phrase {
	plus, minus := marks[compare.SourceOnly], marks[compare.TargetOnly]
	var said []phrase
	for _, p := range props {
		s, t := p.Source, p.Target
		switch {
		case s == nil && flag(t):
			said = append(said, phrase{minus, p.Name})
		case t == nil && flag(s):
			said = append(said, phrase{plus, p.Name})
		case longText(p):
			said = append(said, phrase{text: p.Name})
		case s == nil:
			said = append(said, phrase{minus, p.Name + " " + short(t)})
		case t == nil:
			said = append(said, phrase{plus, p.Name + " " + short(s)})
		case s.Form == catalog.FormList || s.Form == catalog.FormSet:
			said = append(said, items(p, st)...)
		default:
			said = append(said, phrase{text: p.Name + " " + short(t) + " → " + short(s)})
		}
	}
	return said
}

// items say which items of a list came and went.
func items(p compare.PropertyDiff, st Style) []phrase {
	var said []phrase
	for _, x := range []struct {
		has, lacks *catalog.Value
		mark       mark
	}{{p.Source, p.Target, marks[compare.SourceOnly]}, {p.Target, p.Source, marks[compare.TargetOnly]}} {
		var names []string
		for _, it := range x.has.Items {
			if !slices.Contains(x.lacks.Items, it) {
				names = append(names, Safe(it))
			}
		}
		switch {
		case len(names) == 1:
			said = append(said, phrase{x.mark, strings.TrimSuffix(p.Name, "s") + " " + names[0]})
		case len(names) > 1:
			said = append(said, phrase{x.mark, p.Name + " " + st.few(names)})
		}
	}
	if said == nil {
		said = []phrase{{text: p.Name + " in another order"}}
	}
	return said
}

// flag tells whether a value only says that the fact holds.
func flag(v *catalog.Value) bool { return v.Form == catalog.FormScalar && v.Text == "yes" }

// short is a value on one line.
func short(v *catalog.Value) string {
	s := Safe(strings.Join(strings.Fields(v.String()), " "))
	if s == "" {
		return `""`
	}
	return s
}

// few is a list of names, of which a narrow page shows the first.
func (s Style) few(names []string) string {
	const most = 6
	if n := len(names); !s.Whole && n > most+1 {
		return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), n-most)
	}
	return strings.Join(names, ", ")
}

// phrase is one of the things said about an object, with a status's mark or
// without.
type phrase struct {
	mark mark
	text string
}

// pack fills lines with phrases; one that is longer than a line is folded
// between its words.
func pack(phrases []phrase, width int, st Style) []string {
	lines, used := []string{""}, 0
	for i, p := range phrases {
		text := p.text
		if i < len(phrases)-1 {
			text += ","
		}
		sign := 0
		if p.mark.sign != "" {
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
				head = st.paint(p.mark.style, p.mark.sign) + " "
			}
			lines[len(lines)-1] += head + l
			used += n
		}
	}
	return lines
}

// label is a part with its kind, unless its own words say it already.
func label(o *catalog.Object) string {
	if o.Name == "" {
		return Safe(o.Title())
	}
	return o.Kind.Title() + " " + Safe(o.Name)
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
