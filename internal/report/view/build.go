package view

import (
	"slices"
	"strings"
	"unicode/utf8"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/core/words"
)

// Found is a comparison, and what is said of it besides.
type Found struct {
	*compare.Comparison
	// Choices are what becomes of the differences; nil for all to the target.
	Choices *choose.Chosen
	// Losses are what making the target like the source would destroy, by the objects'
	// items.
	Losses map[*compare.Item][]order.Risk
	Likely []match.Likely
	Given  []match.Given
	// Define lays an object out as SQL; nil where definitions are not wanted.
	Define func(*catalog.Object) string
}

// Of is the view of a comparison.
func Of(f Found) *Comparison {
	c := f.Comparison
	side := func(x *catalog.Catalog) Side {
		return Side{Place: x.Place, Engine: x.Engine, Version: x.Version, Counts: x.Count()}
	}
	v := &Comparison{Source: side(c.Source), Target: side(c.Target), Alike: c.Similarity(), Counts: c.Counts(), Losing: len(f.Losses), Tally: judge.Tally(c.Tolerated)}
	if f.Choices != nil {
		v.Stays = len(f.Choices.Differences()) - len(f.Choices.Open())
	}
	all := choose.All(c)
	for _, it := range c.Items {
		v.Objects = append(v.Objects, f.one(it, all))
	}
	for _, g := range c.Judge.Gaps {
		v.Gaps = append(v.Gaps, Gap{g.Side, string(g.Kind), g.Property, GapWords(g.Gap), g.Why})
	}
	for _, l := range f.Likely {
		v.Likely = append(v.Likely, Likely{l.Old.String(), l.New.String(), l.Option(), l.Weight, l.Reasons})
	}
	for _, g := range f.Given {
		v.Names = append(v.Names, Pair{g.Source.String(), g.Target.String(), g.Rename})
	}
	for _, t := range c.Tolerated {
		what := "only one side has it"
		if t.Fact != "" {
			what = facts([]compare.PropertyDiff{{Name: t.Fact, Source: t.Source, Target: t.Target}})[0].Line()
		}
		v.Tolerated = append(v.Tolerated, Tolerated{t.On.String(), t.Fact, t.By, textOf(t.Source), textOf(t.Target), what})
	}
	return v
}

// One is one of the objects of a comparison.
func (f Found) One(it *compare.Item) Object { return f.one(it, choose.All(f.Comparison)) }

func (f Found) one(it *compare.Item, all *choose.Chosen) Object {
	o := object(it, nil, f.Choices)
	o.Said, o.Order = describe(it, f.Losses[it]), orderNote(it)
	o.Said = append(o.Said, chosen(f.Choices, it)...)
	if it.Status == compare.Same {
		return o
	}
	o.Facts = append(closely(it, f.Losses[it]), chosen(f.Choices, it)...)
	for _, r := range f.Losses[it] {
		o.Loses = append(o.Loses, r.Text)
	}
	if f.Define != nil {
		define(&o, it, all, f.Define)
	}
	return o
}

// Part says how a part of an object differs.
func Part(p *compare.Item) (title string, said []Phrase) {
	if p.Status == compare.Differs {
		said = facts(p.Properties)
	}
	return label(p.Object()), said
}

// GapWords name what was not seen.
func GapWords(g catalog.Gap) string {
	switch {
	case g.Property == "" && g.Kind == "":
		return "something"
	case g.Property == "":
		return g.Kind.Title()
	case g.Kind == "":
		return g.Property + " of everything"
	}
	return g.Property + " of each " + g.Kind.Title()
}

// Line is a phrase with all its names.
func (p Phrase) Line() string {
	if len(p.Names) == 0 {
		return p.Text
	}
	return p.Text + " " + strings.Join(p.Names, ", ")
}

// object is an item, or a part of owner, without what is said of it.
func object(it, owner *compare.Item, choices *choose.Chosen) Object {
	x := it.Object()
	o := Object{Kind: x.Kind, Schema: x.Schema, Name: x.Title(), Status: it.Status, SourceAt: origin(it.Source), TargetAt: origin(it.Target)}
	if choices != nil {
		ch := choices.Of(it)
		if owner != nil {
			ch = choices.OfPart(owner, it)
		}
		if ch.Decision != choose.ToTarget {
			o.Choice = ch.Decision.String()
		}
	}
	for _, p := range it.Properties {
		o.Fields = append(o.Fields, Field{p.Name, textOf(p.Source), textOf(p.Target)})
	}
	if it.Status == compare.Differs {
		for _, p := range it.Changed() {
			o.Parts = append(o.Parts, object(p, it, choices))
		}
	}
	return o
}

// define lays out both definitions. What is out of scope stays as it is.
func define(o *Object, it *compare.Item, all *choose.Chosen, lay func(*catalog.Object) string) {
	text := func(x *catalog.Object) []string {
		if x == nil {
			return nil
		}
		return Definition(x.Kind, lay(x))
	}
	o.Defined = true
	if it.Source != nil {
		o.SourceSQL = lay(it.Source)
	}
	if it.Target != nil {
		o.TargetSQL = lay(it.Target)
	}
	o.Target, o.Source = text(it.Target), text(it.Source)
	if it.Partial {
		o.Source = text(all.Wanted(it))
		o.Untouched, o.WantedSQL = it.Target == nil, ""
		if w := all.Wanted(it); w != nil {
			o.WantedSQL = lay(w)
		}
		o.Partial = true
	}
}

// Definition is a definition in lines. The semicolon that ends it is left out, since a
// line that comes after the last one is no change of that one; a table keeps it, since
// its indexes and triggers are statements of their own, one of which may be the last.
func Definition(k catalog.Kind, sql string) []string {
	if k != catalog.Table {
		sql = strings.TrimSuffix(sql, ";")
	}
	return Lines(sql)
}

// Lines are those of a text, its tabs widened.
func Lines(s string) []string {
	return strings.Split(strings.ReplaceAll(strings.ReplaceAll(s, "\r\n", "\n"), "\t", "    "), "\n")
}

// textOf is a value as it was written; nil where there is none.
func textOf(v *catalog.Value) *string {
	if v == nil {
		return nil
	}
	s := v.String()
	return &s
}

// origin is where in a text a thing stands; "" where it comes from none.
func origin(o *catalog.Object) string {
	if o == nil || o.Origin == nil {
		return ""
	}
	return o.Origin.String()
}

// describe says how the two sides differ: values as they are in the target and
// as the source has them, parts by their names, and what would be lost.
func describe(it *compare.Item, losses []order.Risk) []Phrase {
	var said []Phrase
	switch it.Status {
	case compare.Same:
		return nil
	case compare.Differs:
		said = append(facts(it.Properties), changes(it)...)
	default:
		said = parts(it)
	}
	for _, r := range losses {
		said = append(said, Phrase{Mark: Loses, Text: "loses " + strings.TrimSuffix(r.Text, " of "+it.Kind().Title()+" "+it.Object().Name)})
	}
	return said
}

// closely says what differs, one thing after the other.
func closely(it *compare.Item, losses []order.Risk) []Phrase {
	said := facts(it.Properties)
	if it.Status == compare.Differs {
		said = append(said, changes(it)...)
	}
	for _, r := range losses {
		said = append(said, Phrase{Mark: Loses, Text: "loses " + r.Text})
	}
	return said
}

// parts counts what an object has that only one side has.
func parts(it *compare.Item) []Phrase {
	n := map[catalog.Kind]int{}
	var order []catalog.Kind
	for _, p := range it.Parts {
		if n[p.Kind()] == 0 {
			order = append(order, p.Kind())
		}
		n[p.Kind()]++
	}
	var said []Phrase
	for _, k := range order {
		said = append(said, Phrase{Text: words.Number(n[k], k.Title(), k.Plural())})
	}
	return said
}

// chosen says what of a difference does not go to the target, by choice.
func chosen(c *choose.Chosen, it *compare.Item) []Phrase {
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
	var said []Phrase
	for _, d := range []choose.Decision{choose.Leave, choose.ToSource} {
		if l := names[d]; len(l) > 0 && all && len(names) == 1 {
			said = append(said, Phrase{Mark: Stays, Text: "(" + where[d] + ")"})
		} else if len(l) > 0 {
			said = append(said, Phrase{Mark: Stays, Text: "(" + strings.Join(l, ", ") + " " + where[d] + ")"})
		}
	}
	return said
}

// changes names the parts that differ: those that come or go together by kind,
// those that change with what changes of them.
func changes(it *compare.Item) []Phrase {
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
	var said []Phrase
	for _, k := range keys {
		if k.status == compare.Differs {
			for _, p := range by[k] {
				text := label(p.Object())
				for i, f := range facts(p.Properties) {
					if i > 0 {
						text += ","
					}
					if s := Signs[f.Mark]; s != "" {
						text += " " + s
					}
					text += " " + strings.TrimPrefix(f.Line(), "type ")
				}
				said = append(said, Phrase{Mark: Changed, Text: text})
			}
			continue
		}
		if len(by[k]) == 1 {
			said = append(said, Phrase{Mark: MarkOf(k.status), Text: label(by[k][0].Object())})
			continue
		}
		var names []string
		for _, p := range by[k] {
			names = append(names, p.Object().Title())
		}
		said = append(said, Phrase{MarkOf(k.status), k.kind.Plural(), names})
	}
	return said
}

// facts say how facts differ, from the target's value to the source's: "type
// varchar(8) → varchar(12)", "+ not null", "+ value inspected".
func facts(props []compare.PropertyDiff) []Phrase {
	var said []Phrase
	for _, p := range props {
		s, t := p.Source, p.Target
		switch {
		case s == nil && flag(t):
			said = append(said, Phrase{Mark: Goes, Text: p.Name})
		case t == nil && flag(s):
			said = append(said, Phrase{Mark: Comes, Text: p.Name})
		case s != nil && t != nil && s.Form != catalog.FormList && s.Form != catalog.FormSet && s.String() != t.String() && sqltext.OneLineEnding(s.String()) == sqltext.OneLineEnding(t.String()):
			said = append(said, Phrase{Text: p.Name + " in its line endings"}) // nothing of that can be seen
		case longText(p):
			said = append(said, Phrase{Text: p.Name})
		case s == nil:
			said = append(said, Phrase{Mark: Goes, Text: p.Name + " " + short(t)})
		case t == nil:
			said = append(said, Phrase{Mark: Comes, Text: p.Name + " " + short(s)})
		case s.Form == catalog.FormList || s.Form == catalog.FormSet:
			said = append(said, items(p)...)
		default:
			said = append(said, Phrase{Text: p.Name + " " + short(t) + " → " + short(s)})
		}
	}
	return said
}

// items say which items of a list came and went.
func items(p compare.PropertyDiff) []Phrase {
	var said []Phrase
	for _, x := range []struct {
		has, lacks *catalog.Value
		mark       Mark
	}{{p.Source, p.Target, Comes}, {p.Target, p.Source, Goes}} {
		var names []string
		for _, it := range x.has.Items {
			if !slices.Contains(x.lacks.Items, it) {
				names = append(names, it)
			}
		}
		switch {
		case len(names) == 1:
			said = append(said, Phrase{Mark: x.mark, Text: strings.TrimSuffix(p.Name, "s") + " " + names[0]})
		case len(names) > 1:
			said = append(said, Phrase{x.mark, p.Name, names})
		}
	}
	if said == nil {
		said = []Phrase{{Text: p.Name + " in another order"}}
	}
	return said
}

func longText(p compare.PropertyDiff) bool {
	for _, v := range []*catalog.Value{p.Source, p.Target} {
		if v != nil && (strings.Contains(v.String(), "\n") || utf8.RuneCountInString(v.String()) > 60) {
			return true
		}
	}
	return false
}

// flag tells whether a value only says that the fact holds.
func flag(v *catalog.Value) bool { return v.Form == catalog.FormScalar && v.Text == "yes" }

// short is a value on one line.
func short(v *catalog.Value) string {
	s := strings.Join(strings.Fields(v.String()), " ")
	if s == "" {
		return `""`
	}
	return s
}

// label is a part with its kind, unless its own words say it already.
func label(o *catalog.Object) string {
	if o.Name == "" {
		return o.Title()
	}
	return o.Kind.Title() + " " + o.Name
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
