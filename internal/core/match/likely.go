package match

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/scope"
	"dappermirror/internal/core/words"
)

// Likely is two things, one on each side, that look like one under two names. It
// is said, and never done unasked.
type Likely struct {
	Old, New catalog.Ref // what the target has, and what the source has
	Weight   int         // how likely, in percent
	Reasons  []string
}

// Option is what to type to have it done.
func (l Likely) Option() string {
	name := l.New.Name
	if l.New.IsPart() {
		name = l.New.Part
	} else if l.New.Kind == catalog.Routine {
		name, _, _ = strings.Cut(name, "(")
	}
	return "--rename " + oldPattern(l.Old) + "=" + scope.Quote(name)
}

// Sampled is the same with what samples of a column's values on both sides say
// about it. Values that are few, or the same throughout, say nothing.
func (l Likely) Sampled(source, target []string) Likely {
	ours, theirs := slices.Compact(slices.Sorted(slices.Values(source))), slices.Compact(slices.Sorted(slices.Values(target)))
	if len(ours) < 3 || len(theirs) < 3 {
		return l
	}
	share, n := dice(ours, theirs)
	l.Reasons = slices.Clone(l.Reasons)
	switch {
	case share >= 0.5:
		l.Weight = min(99, l.Weight+int(30*share))
		l.Reasons = append(l.Reasons, fmt.Sprintf("%d of %s the same in a sample", n, words.Number(max(len(ours), len(theirs)), "value", "values")))
	case share < 0.1:
		l.Weight = max(1, l.Weight-25)
		l.Reasons = append(l.Reasons, "other values in a sample")
	}
	return l
}

// oldPattern names a thing without the arguments of a routine.
func oldPattern(r catalog.Ref) string {
	if bare, _, ok := strings.Cut(r.Name, "("); ok && r.Kind == catalog.Routine && !r.IsPart() {
		r.Name = bare
	}
	return r.String()
}

// Pair is a thing as it was matched: nil where a side does not have it. Differs
// says that the two are not the same.
type Pair struct {
	Source, Target           *catalog.Object
	SourceOwner, TargetOwner *catalog.Object // nil for objects
	Differs                  bool
	Parts                    []Pair
}

// The least that is said, what two that are each other's by name must be better
// by, and how many are looked at one by one.
const (
	Least     = 0.62
	better    = 0.15
	hopeless  = 0.25 // what is so little alike is another thing, whatever its name
	known     = 0.7  // what is so alike is no other thing
	mostPairs = 200_000
	commonly  = 40 // what so many have in common says nothing
)

// Renamed finds what looks like one thing under two names, of at least a weight
// (Least, where nothing else is known): of one kind in one place, alike in what it says, in name, in position and in what uses it.
func Renamed(pairs []Pair, source, target *catalog.Catalog, least float64) []Likely {
	f := &finder{least: least, source: source, target: target}
	f.uses(pairs)
	out := f.among(pairs)
	for _, p := range pairs {
		if p.Source != nil && p.Target != nil {
			out = append(out, f.among(p.Parts)...)
		}
	}
	return out
}

type finder struct {
	least          float64
	source, target *catalog.Catalog
	usedBy         [2]map[catalog.Ref][]string
}

// uses notes what needs the things of pairs, and what is in them.
func (f *finder) uses(pairs []Pair) {
	for side, c := range []*catalog.Catalog{f.source, f.target} {
		wanted := map[catalog.Ref]bool{}
		for _, p := range pairs {
			if o := []*catalog.Object{p.Source, p.Target}[side]; o != nil {
				wanted[o.Ref()] = true
			}
		}
		used := map[catalog.Ref][]string{}
		for _, o := range c.Objects {
			for _, n := range o.Needs {
				if wanted[n.On.Object()] {
					used[n.On.Thing()] = append(used[n.On.Thing()], o.Ref().String())
				}
			}
			for _, p := range o.Parts {
				for _, n := range p.Needs {
					if wanted[n.On.Object()] {
						used[n.On.Thing()] = append(used[n.On.Thing()], string(p.Kind)+":"+p.Key())
					}
				}
			}
		}
		f.usedBy[side] = used
	}
}

// candidate is one side's thing that may be another's under another name.
type candidate struct {
	self, owner *catalog.Object
	says        []string // what it says of itself
	types       []string // of its columns
	name        string
	grams       []string // of the name
	position    string   // among what both sides have
	pair        int
}

func (c *candidate) ref() catalog.Ref {
	if c.owner != nil {
		return c.owner.PartRef(c.self)
	}
	return c.self.Ref()
}

func (c *candidate) place() string {
	if c.owner != nil {
		return string(c.self.Kind)
	}
	return string(c.self.Kind) + " " + c.self.Ref().Schema
}

// among finds them among the things of one place.
func (f *finder) among(pairs []Pair) []Likely {
	var sides [2][]*candidate
	for i, p := range pairs {
		both := p.Source != nil && p.Target != nil
		if both && (!p.Differs || f.own(p) >= known) {
			continue // it is what its name says
		}
		for side, o := range []*catalog.Object{p.Source, p.Target} {
			owner := []*catalog.Object{p.SourceOwner, p.TargetOwner}[side]
			if o == nil || o.Unread || !named(o, owner) {
				continue
			}
			c := &candidate{self: o, owner: owner, pair: i, name: strings.ToLower(o.Bare())}
			c.grams = grams(c.name)
			c.says = f.says(side, o)
			for _, p := range o.PartsOf(catalog.Column) {
				c.types = append(c.types, p.Text("type"))
			}
			slices.Sort(c.says)
			slices.Sort(c.types)
			sides[side] = append(sides[side], c)
		}
	}
	for side := range sides {
		places(sides[side], pairs, side)
	}
	if len(sides[0]) == 0 || len(sides[1]) == 0 {
		return nil
	}
	var found []scored
	for _, pr := range meeting(sides[0], sides[1]) {
		s, t := pr[0], pr[1]
		if s.pair == t.pair || s.place() != t.place() {
			continue
		}
		x := f.score(s, t, false)
		if x.weight < f.least || !f.beats(x.weight, s, pairs) || !f.beats(x.weight, t, pairs) {
			continue
		}
		found = append(found, f.score(s, t, true))
	}
	slices.SortStableFunc(found, func(a, b scored) int {
		return cmp.Or(cmp.Compare(b.weight, a.weight), strings.Compare(a.s.ref().String()+" "+a.t.ref().String(), b.s.ref().String()+" "+b.t.ref().String()))
	})
	var out []Likely
	taken := map[*candidate]bool{}
	for _, x := range found {
		if taken[x.s] || taken[x.t] {
			continue
		}
		taken[x.s], taken[x.t] = true, true
		out = append(out, Likely{Old: x.t.ref(), New: x.s.ref(), Weight: int(x.weight*100 + 0.5), Reasons: x.reasons})
		if len(x.s.self.Parts) > 0 { // and what is in it
			var inner []Pair
			for _, pr := range Pairs(x.s.self.Parts, x.t.self.Parts, f.target.Kinds) {
				inner = append(inner, Pair{Source: pr[0], Target: pr[1], SourceOwner: x.s.self, TargetOwner: x.t.self})
			}
			out = append(out, f.among(inner)...)
		}
	}
	return out
}

// named tells whether a thing has a name that somebody chose.
func named(o, owner *catalog.Object) bool {
	if owner != nil {
		return o.Name != "" && o.Kind != catalog.PrimaryKey
	}
	return o.Kind == catalog.Schema || o.Space != ""
}

// places notes where each candidate stands among the parts that both sides have.
func places(list []*candidate, pairs []Pair, side int) {
	at := map[*catalog.Object]*candidate{}
	var owner *catalog.Object
	for _, c := range list {
		at[c.self] = c
		owner = c.owner
	}
	if owner == nil {
		return
	}
	both := map[*catalog.Object]bool{}
	for _, p := range pairs {
		if p.Source != nil && p.Target != nil && !p.Differs {
			both[p.Source], both[p.Target] = true, true
		}
	}
	last, n := "", 0
	for _, p := range owner.Parts {
		switch c := at[p]; {
		case p.Kind != catalog.Column:
		case both[p]:
			last, n = p.Key(), 0
		default:
			n++
			if c != nil {
				c.position = fmt.Sprintf("%s+%d", last, n)
			}
		}
	}
}

// says is what a thing says, without its name: facts, and its parts.
func (f *finder) says(side int, o *catalog.Object) []string {
	var out []string
	if o.Kind == catalog.Schema {
		for _, x := range []*catalog.Catalog{f.source, f.target}[side].Objects {
			if x.Ref().Schema == o.Name {
				out = append(out, string(x.Kind)+" "+x.Key())
			}
		}
		return out
	}
	for _, p := range o.PartsOf(catalog.Column) {
		out = append(out, "column "+p.Key()+" "+p.Text("type"))
	}
	if len(out) > 0 {
		return out
	}
	for i := range o.Properties {
		p := &o.Properties[i]
		if p.Carried || p.Group != "" || p.Name == "name" {
			continue
		}
		for _, w := range strings.FieldsFunc(p.Value.Canonical(), func(r rune) bool { return strings.ContainsRune(" \t\r\n(),;`\"", r) }) {
			if !strings.EqualFold(w, o.Bare()) {
				out = append(out, p.Name+" "+w)
			}
		}
	}
	return out
}

// meeting are the pairs that are worth a look: all of few, else those that have
// something uncommon in common.
func meeting(s, t []*candidate) [][2]*candidate {
	var out [][2]*candidate
	if len(s)*len(t) <= mostPairs/4 {
		for _, a := range s {
			for _, b := range t {
				out = append(out, [2]*candidate{a, b})
			}
		}
		return out
	}
	have := map[string][]*candidate{}
	for _, b := range t {
		for _, w := range b.says {
			have[b.place()+" "+w] = append(have[b.place()+" "+w], b)
		}
	}
	for _, a := range s {
		seen := map[*candidate]bool{}
		for _, w := range a.says {
			if l := have[a.place()+" "+w]; len(l) <= commonly {
				for _, b := range l {
					if !seen[b] && len(out) < mostPairs {
						seen[b] = true
						out = append(out, [2]*candidate{a, b})
					}
				}
			}
		}
	}
	return out
}

// scored is how much two candidates are alike, and why.
type scored struct {
	s, t    *candidate
	weight  float64
	reasons []string
}

// score is how much two are alike; say wants the reasons as well.
func (f *finder) score(s, t *candidate, say bool) scored {
	x := scored{s: s, t: t}
	total := 0.0
	add := func(share, of float64, reason string) {
		x.weight += share * of
		total += share
		if reason != "" {
			x.reasons = append(x.reasons, reason)
		}
	}
	alike, n := dice(s.says, t.says)
	if len(s.types)+len(t.types) > 0 { // its columns may have other names as well
		types, _ := dice(s.types, t.types)
		alike = 0.6*alike + 0.4*types
	}
	if alike < hopeless && s.owner == nil && len(s.says)+len(t.says) > 0 && !plain(s.self) {
		return x // no name makes up for that
	}
	name := similar(s, t)
	said := ""
	if name >= 0.5 {
		said = "similar names"
	}
	switch {
	case s.owner != nil && s.self.Kind == catalog.Column:
		alike = columnsAlike(s.self, t.self)
		add(0.35, alike, map[bool]string{true: "the same type and facts"}[alike == 1])
		add(0.30, name, said)
		same := s.position != "" && s.position == t.position
		add(0.20, number(same), map[bool]string{true: "the same position"}[same])
		if used, by := f.used(s, t); by != "" {
			add(0.15, used, map[bool]string{true: by}[used >= 0.5])
		}
		total -= 0.15 * (1 - name) // a new name need not be like the old one
	case len(s.says)+len(t.says) == 0 || plain(s.self) && plain(t.self):
		// It says nothing, or what many say: a sequence that counts from one.
		add(0.5, 0.5*alike, "")
		add(0.5, name, said)
	default:
		reason := ""
		switch {
		case alike == 1:
			reason = "alike in all they say"
		case !say:
		case n > 0 && len(s.types) > 0:
			reason = fmt.Sprintf("%d of %s alike", n, words.Number(max(len(s.says), len(t.says)), "column", "columns"))
		case alike >= 0.5:
			reason = fmt.Sprintf("alike to %d %%", int(alike*100))
		}
		add(0.7, alike, reason)
		add(0.2, name, said)
		if used, by := f.used(s, t); by != "" {
			add(0.1, used, map[bool]string{true: by}[used >= 0.5])
		}
		total -= 0.15 * (1 - name)
	}
	x.weight = min(x.weight/total, 0.99)
	return x
}

// plain tells whether a thing says no more of itself than numbers and switches.
func plain(o *catalog.Object) bool {
	return o.Kind != catalog.Schema && !slices.ContainsFunc(o.Properties, func(p catalog.Property) bool {
		return p.Value.Form != catalog.FormScalar && !p.Carried && p.Group == ""
	}) && len(o.Parts) == 0
}

func number(b bool) float64 {
	if b {
		return 1
	}
	return 0
}

// used is how far the two are used by the same things; "" where nothing uses them.
func (f *finder) used(s, t *candidate) (float64, string) {
	a, b := f.usedBy[0][s.ref()], f.usedBy[1][t.ref()]
	if len(a)+len(b) == 0 {
		return 0, ""
	}
	slices.Sort(a)
	slices.Sort(b)
	share, n := dice(a, b)
	return share, fmt.Sprintf("used by the same %s", words.Number(n, "thing", "things"))
}

// beats tells whether a weight is better by far than what a thing has in common
// with the one of its own name.
func (f *finder) beats(weight float64, c *candidate, pairs []Pair) bool {
	p := pairs[c.pair]
	if p.Source == nil || p.Target == nil {
		return true
	}
	return weight > f.own(p)+better
}

// own is how far two that are each other's by name are alike.
func (f *finder) own(p Pair) float64 {
	if p.SourceOwner != nil && p.Source.Kind == catalog.Column {
		return columnsAlike(p.Source, p.Target)
	}
	a, b := f.says(0, p.Source), f.says(1, p.Target)
	slices.Sort(a)
	slices.Sort(b)
	alike, _ := dice(a, b)
	return alike
}

// columnsAlike is how far two columns say the same: 1 where all facts are the
// same, less where it is the type alone, or its kind.
func columnsAlike(s, t *catalog.Object) float64 {
	base := func(o *catalog.Object) string {
		typ, _, _ := strings.Cut(strings.ToLower(o.Text("type")), "(")
		return strings.TrimSpace(typ)
	}
	n, same := 0, 0
	for _, pr := range [][2]*catalog.Object{{s, t}, {t, s}} {
		for i := range pr[0].Properties {
			p := &pr[0].Properties[i]
			if p.Carried || p.Group != "" {
				continue
			}
			n++
			if q := pr[1].Property(p.Name); q != nil && q.Value.Equal(p.Value) {
				same++
			}
		}
	}
	switch {
	case base(s) != base(t) && (family(base(s)) == "" || family(base(s)) != family(base(t))):
		return 0
	case base(s) != base(t):
		return 0.4
	case s.Text("type") != t.Text("type"):
		return 0.5
	case n == same:
		return 1
	}
	return 0.7
}

// families are words of types that hold one sort of value: a release widens a
// column within one.
var families = map[string][]string{"text": {"char", "text", "clob"}, "whole number": {"int", "serial"}, "number": {"real", "float", "double", "numeric", "decimal", "number"}, "time": {"date", "time"}}

func family(base string) string {
	for _, name := range []string{"text", "time", "number", "whole number"} {
		if slices.ContainsFunc(families[name], func(w string) bool { return strings.Contains(base, w) }) {
			return name
		}
	}
	return ""
}

// dice is Dice's coefficient of two sorted bags, and how many they share.
func dice(a, b []string) (float64, int) {
	if len(a)+len(b) == 0 {
		return 0, 0
	}
	n := 0
	for i, k := 0, 0; i < len(a) && k < len(b); {
		switch c := strings.Compare(a[i], b[k]); {
		case c == 0:
			n++
			i++
			k++
		case c < 0:
			i++
		default:
			k++
		}
	}
	return 2 * float64(n) / float64(len(a)+len(b)), n
}

// similar is how alike the names of two are, by their pairs of letters; one that
// is in the other is like it.
func similar(s, t *candidate) float64 {
	a, b := s.name, t.name
	if short := min(len(a), len(b)); short >= 3 && (strings.Contains(a, b) || strings.Contains(b, a)) {
		return max(0.7, float64(short)/float64(max(len(a), len(b))))
	}
	share, _ := dice(s.grams, t.grams)
	return share
}

// grams are the pairs of letters of a name.
func grams(name string) []string {
	var out []string
	for i := 0; i+2 <= len(name); i++ {
		out = append(out, name[i:i+2])
	}
	slices.Sort(out)
	return out
}
