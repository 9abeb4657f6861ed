package judge

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/scope"
	"dappermirror/internal/core/words"
)

// Tolerate is one tolerance that was asked for: everywhere, or on what a
// pattern matches.
type Tolerate struct {
	Name string
	On   *scope.Pattern
}

// String is the tolerance as it is asked for.
func (t Tolerate) String() string {
	if t.On == nil {
		return t.Name
	}
	return t.Name + "@" + t.On.String()
}

// Tolerated is something that differs and does not count.
type Tolerated struct {
	By             []string // the tolerances it takes
	On             catalog.Ref
	Fact           string         // "name" of its name, "" for a whole thing that one side lacks
	Source, Target *catalog.Value // nil where a side does not have it
}

// leniency is what some tolerances cover of one engine's kinds.
type leniency struct {
	covers []lenient
	fold   func(name string, part bool) string
}

type lenient struct {
	catalog.Cover
	on *scope.Pattern
}

func lenience(asked []Tolerate, c *catalog.Catalog) *leniency {
	l := &leniency{fold: c.FoldName}
	for _, t := range asked {
		for _, cover := range c.Kinds.Tolerable() {
			if cover.Tolerance == t.Name {
				l.covers = append(l.covers, lenient{cover, t.On})
			}
		}
	}
	return l
}

// of are the covers of something of a thing.
func (l *leniency) of(ref catalog.Ref, o *catalog.Object, fact string) []lenient {
	var out []lenient
	for _, c := range l.covers {
		if c.Of(o, fact) && (c.on == nil || c.on.Match(ref, l.fold)) {
			out = append(out, c)
		}
	}
	return out
}

// left is what of a value still counts; false where nothing does.
func left(covers []lenient, v *catalog.Value) (string, bool) {
	if v == nil {
		return "", !slices.ContainsFunc(covers, func(c lenient) bool { return c.Like == nil })
	}
	text := v.Canonical()
	for _, c := range covers {
		if c.Like == nil {
			return "", false
		}
		text = c.Like(text)
	}
	return text, true
}

// equal tells whether the covers make two values equal.
func equal(covers []lenient, s, t *catalog.Value) bool {
	a, counts := left(covers, s)
	b, alike := left(covers, t)
	return counts == alike && a == b && (!counts || (s == nil) == (t == nil))
}

// by names the tolerances that it takes to make two values equal: one, where one
// is enough.
func by(covers []lenient, s, t *catalog.Value) []string {
	for _, c := range covers {
		if equal([]lenient{c}, s, t) {
			return []string{c.Tolerance}
		}
	}
	var out []string
	for _, c := range covers {
		if !slices.Contains(out, c.Tolerance) {
			out = append(out, c.Tolerance)
		}
	}
	return out
}

// Forbear is the source as far as its differences from the target count: what
// is tolerated is as the target has it. So nothing downstream has to know, and
// what is made anew for other reasons keeps the target's own. Neither side is
// changed. The second answer lists what was tolerated.
func (j *Judge) Forbear(source, target *catalog.Catalog, asked []Tolerate) (*catalog.Catalog, []Tolerated) {
	f := &forbearance{judge: j, leniency: lenience(asked, target), source: source, target: target}
	if len(f.covers) == 0 {
		return source, nil
	}
	f.names()
	out := *f.source
	out.Objects = make([]*catalog.Object, 0, len(f.source.Objects))
	for _, pr := range match.Pairs(f.source.Objects, target.Objects, nil) {
		if o := f.object(pr[0], pr[1]); o != nil {
			out.Objects = append(out.Objects, o)
		}
	}
	out.Sort()
	return &out, f.found
}

type forbearance struct {
	judge *Judge
	*leniency
	source, target *catalog.Catalog
	found          []Tolerated
	made           map[*catalog.Object]bool // copies that may be changed
}

// note keeps what was tolerated, where it would have counted.
func (f *forbearance) note(owner, part *catalog.Object, t Tolerated) {
	inScope := f.judge.Considered(owner) == Counts
	if part == nil {
		inScope = inScope && f.judge.Scope.Object(owner, f.fold) == scope.Entire
	} else {
		inScope = inScope && f.judge.Part(owner, part) == Counts
	}
	if inScope {
		f.found = append(f.found, t)
	}
}

// names gives what says the same under another name the target's name, where
// that is tolerated.
func (f *forbearance) names() {
	var given []match.Given
	covers := slices.DeleteFunc(slices.Clone(f.covers), func(c lenient) bool { return !slices.Contains(c.Facts, catalog.CoverName) })
	if len(covers) == 0 {
		return
	}
	for _, s := range f.source.Objects {
		t := f.target.Find(s.Ref())
		if t == nil || s == t || s.Unread || t.Unread {
			continue
		}
		// Those that say the same under one name have found each other.
		found := func(p *catalog.Object, owner, others *catalog.Object) bool {
			q := others.Part(p.Kind, p.Key())
			return q != nil && f.says(owner, p) == f.says(others, q)
		}
		free := map[string][]*catalog.Object{}
		for _, p := range t.Parts {
			if len(f.of(t.PartRef(p), p, catalog.CoverName)) > 0 && !found(p, t, s) {
				d := f.says(t, p)
				free[d] = append(free[d], p)
			}
		}
		for _, p := range s.Parts {
			if len(free) == 0 || len(f.of(s.PartRef(p), p, catalog.CoverName)) == 0 || found(p, s, t) {
				continue
			}
			d := f.says(s, p)
			l := free[d]
			if len(l) == 0 {
				continue
			}
			free[d] = l[1:]
			given = append(given, match.Given{Source: s.PartRef(p), Target: t.PartRef(l[0])})
			sn, tn := catalog.Scalar(p.Title()), catalog.Scalar(l[0].Title())
			f.note(t, l[0], Tolerated{[]string{f.of(t.PartRef(l[0]), l[0], catalog.CoverName)[0].Tolerance}, t.PartRef(l[0]), "name", &sn, &tn})
		}
	}
	if len(given) == 0 {
		return
	}
	if unified, err := match.Unify(f.source, f.target, given); err == nil { // each was found on both sides, once
		f.source = unified
	}
}

// says is what a thing says besides its name.
func (f *forbearance) says(owner, part *catalog.Object) string {
	if d := match.Definition(part, f.target.Kinds); d != "" {
		return d
	}
	var b strings.Builder
	nameless := part.Clone()
	nameless.Name, nameless.ID = "", ""
	digest(&b, nameless, owner.PartRef(part), f.judge.Groups, f.leniency)
	return b.String()
}

func (f *forbearance) object(s, t *catalog.Object) *catalog.Object {
	if s == nil || t == nil {
		only := s
		if s == nil {
			only = t
		}
		if c := f.of(only.Ref(), only, catalog.CoverThing); len(c) > 0 {
			f.note(only, nil, Tolerated{By: []string{c[0].Tolerance}, On: only.Ref()})
			return t
		}
		return s
	}
	if s == t || s.Unread && t.Unread {
		return s
	}
	f.made = map[*catalog.Object]bool{}
	out := f.facts(s, t, s.Ref(), s, nil)
	for i, pr := range match.Pairs(s.Parts, t.Parts, f.target.Kinds) {
		was, theirs := pr[0], pr[1]
		switch {
		case was == nil || theirs == nil:
			only := was
			if was == nil {
				only = theirs
			}
			c := f.of(s.PartRef(only), only, catalog.CoverThing)
			if len(c) == 0 {
				continue
			}
			f.note(s, only, Tolerated{By: []string{c[0].Tolerance}, On: s.PartRef(only)})
			out = f.copy(out)
			if was != nil {
				out.Parts[i] = nil
			} else {
				out.Add(theirs)
			}
		default:
			if now := f.facts(was, theirs, s.PartRef(was), s, was); now != was {
				out = f.copy(out)
				out.Parts[i] = now
			}
		}
	}
	if out == s {
		return s
	}
	out.Parts = slices.DeleteFunc(out.Parts, func(p *catalog.Object) bool { return p == nil })
	return out
}

// copy is an object that may be changed.
func (f *forbearance) copy(o *catalog.Object) *catalog.Object {
	if f.made[o] {
		return o
	}
	c := o.Clone()
	f.made[c] = true
	return c
}

// facts is a thing of the source with the facts that are tolerated as the
// target has them. part is nil for an object.
func (f *forbearance) facts(s, t *catalog.Object, ref catalog.Ref, owner, part *catalog.Object) *catalog.Object {
	out, some := s, false
	tolerate := func(name string, p *catalog.Property, side Side, sv, tv *catalog.Value) {
		if f.judge.Fact(s.Kind, p, side) != Counts {
			return
		}
		covers := f.of(ref, t, name)
		if len(covers) == 0 {
			return
		}
		if !equal(covers, sv, tv) {
			if v, by := keeping(covers, sv, tv); len(by) > 0 {
				f.note(owner, part, Tolerated{by, ref, name, sv, tv})
				out = f.copy(out)
				out.Property(name).Value = v
				keepWith(out, t, covers)
			}
			return
		}
		f.note(owner, part, Tolerated{by(covers, sv, tv), ref, name, sv, tv})
		out, some = f.copy(out), true
		take(out, t, name)
		for _, c := range covers {
			if c.Letters && s.Key() == t.Key() {
				out.Name = t.Name
			}
			for _, n := range c.With {
				take(out, t, n)
			}
		}
		if theirs := t.Property(name); theirs != nil && theirs.Order {
			out.KeepOrder(s) // newcomers stand behind what they stand behind in the source
		}
	}
	for i := range s.Properties {
		p := &s.Properties[i]
		tp := t.Property(p.Name)
		if tp == nil {
			tolerate(p.Name, p, Source, &p.Value, nil)
		} else if v, same := f.judge.Difference(p, tp); !same && v == Counts {
			tolerate(p.Name, p, Source, &p.Value, &tp.Value)
		}
	}
	for i := range t.Properties {
		if p := &t.Properties[i]; s.Property(p.Name) == nil {
			tolerate(p.Name, p, Target, nil, &p.Value)
		}
	}
	if some && part != nil && s.Key() == t.Key() && f.judge.alike(out, t) {
		return t // with what is kept only to write it
	}
	if some && part == nil && len(t.Parts) == 0 && len(out.Parts) == 0 && f.judge.alike(out, t) {
		return t
	}
	return out
}

// keeping is a value of the source in which what is tolerated is as the target
// has it, though other things differ; by says which tolerances changed it.
func keeping(covers []lenient, s, t *catalog.Value) (v catalog.Value, by []string) {
	if s == nil || t == nil {
		return catalog.Value{}, nil
	}
	v = *s
	for _, c := range covers {
		if c.Keep == nil || v.Form != catalog.FormSQL {
			continue
		}
		text, canon := c.Keep(v.String(), t.String()), c.Keep(v.Canonical(), t.Canonical())
		if canon != v.Canonical() {
			v, by = catalog.SQL(catalog.Piece{Text: text, Canon: canon}), append(by, c.Tolerance)
		}
	}
	return v, by
}

// keepWith does the same to what is kept only to write it.
func keepWith(o, t *catalog.Object, covers []lenient) {
	for _, c := range covers {
		for _, n := range c.With {
			if s, tp := o.Property(n), t.Property(n); c.Keep != nil && s != nil && tp != nil {
				s.Value = catalog.Scalar(c.Keep(s.Value.String(), tp.Value.String()))
			}
		}
	}
}

// take gives a thing a fact as another one has it.
func take(o, from *catalog.Object, fact string) {
	theirs, own := from.Property(fact), o.Property(fact)
	switch {
	case theirs == nil:
		o.Remove(fact)
	case own != nil:
		*own = *theirs
	default:
		o.Properties = append(o.Properties, *theirs)
	}
}

// alike tells whether two things have no fact that differs.
func (j *Judge) alike(s, t *catalog.Object) bool {
	for _, pr := range [][2]*catalog.Object{{s, t}, {t, s}} {
		for i := range pr[0].Properties {
			p := &pr[0].Properties[i]
			q := pr[1].Property(p.Name)
			if intrinsic(p.Group, p.Carried, j.Groups) == Counts && (q == nil || !p.Value.Equal(q.Value)) {
				return false
			}
		}
	}
	return true
}

// Tally counts what was tolerated by tolerance, most first. What takes several
// counts under all of them, joined by "and".
func Tally(list []Tolerated) []Tallied {
	n := map[string]int{}
	for _, t := range list {
		n[strings.Join(t.By, " and ")]++
	}
	var out []Tallied
	for name, count := range n {
		out = append(out, Tallied{name, count})
	}
	sort.Slice(out, func(i, k int) bool {
		if out[i].N != out[k].N {
			return out[i].N > out[k].N
		}
		return out[i].Name < out[k].Name
	})
	return out
}

// Tallied is how much a tolerance hid.
type Tallied struct {
	Name string `json:"tolerance"`
	N    int    `json:"count"`
}

// ParseTolerate reads NAME[@PATTERN], several by comma. It fails on a name there
// is not, and on a pattern that is not understood.
func ParseTolerate(text string) ([]Tolerate, error) {
	var out []Tolerate
	for _, one := range scope.Cut(text) {
		name, pattern, narrowed := strings.Cut(one, "@")
		name = strings.TrimSpace(name)
		if !slices.ContainsFunc(Tolerances, func(t Tolerance) bool { return t.Name == name }) {
			var known []string
			for _, t := range Tolerances {
				known = append(known, t.Name)
			}
			return nil, fmt.Errorf("there is no tolerance %q%s; `dapper-mirror tolerances` lists them", name, words.Suggest(name, known))
		}
		t := Tolerate{Name: name}
		if narrowed {
			ps, err := scope.Parse(pattern)
			if err != nil {
				return nil, err
			}
			if len(ps) != 1 {
				return nil, fmt.Errorf("%s@%s: one pattern is wanted", name, pattern)
			}
			t.On = &ps[0]
		}
		out = append(out, t)
	}
	return out, nil
}
