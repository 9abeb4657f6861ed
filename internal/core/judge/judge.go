// Package judge decides what counts: which objects, parts and facts are part of
// equality, and why the others are not. Comparing, likeness, what the target
// shall be like, and fingerprints all ask here.
package judge

import (
	"slices"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/scope"
)

// Verdict says whether something counts, and if not, why.
type Verdict string

// The verdicts.
const (
	Counts     Verdict = ""
	Carried    Verdict = "is kept only to write it"
	NotAsked   Verdict = "counts only when it is asked for (--include)"
	NotSeen    Verdict = "could not be read on one side"
	OutOfScope Verdict = "is out of scope"
	Unwished   Verdict = "is nothing to wish for"                // a defect that the source has
	SameOrder  Verdict = "has what both sides have in one order" // whatever else is between
)

// Side is one of the two catalogs.
type Side int

// The sides.
const (
	Source Side = iota
	Target
)

func (s Side) String() string { return [...]string{"source", "target"}[s] }

// Gap is something one side did not see, so that it was not compared.
type Gap struct {
	Side string // "source" or "target"
	catalog.Gap
}

// Judge decides for one pair of catalogs. It never changes.
type Judge struct {
	Scope  scope.Scope
	Groups map[string]bool // groups of facts that count only when asked for
	Gaps   []Gap           // worth a word
	hidden map[hidden]bool
	unread map[catalog.Ref]bool // things that are there on one side, and were not read
	fold   func(name string, part bool) string
}

// hidden is a kind, or a fact of it, that one of the sides could not see.
type hidden struct {
	kind     catalog.Kind
	property string
}

// New makes the judge of two catalogs.
func New(source, target *catalog.Catalog, sc scope.Scope, groups map[string]bool) *Judge {
	j := &Judge{Scope: sc, Groups: groups, hidden: map[hidden]bool{}, unread: map[catalog.Ref]bool{}, fold: source.FoldName}
	for side, c := range []*catalog.Catalog{source, target} {
		other := []*catalog.Catalog{target, source}[side]
		for _, g := range c.Gaps {
			if g.Group != "" && !groups[g.Group] {
				continue
			}
			j.hidden[hidden{g.Kind, g.Property}] = true
			if g.On.Kind != "" {
				j.unread[g.On] = true
			}
			if g.Quiet {
				if _, unseen := other.Unseen(g.Kind, g.Property); unseen {
					continue // neither side could have it
				}
			}
			j.Gaps = append(j.Gaps, Gap{Side(side).String(), g})
		}
	}
	return j
}

// All tells whether no object and no part is left out.
func (j *Judge) All() bool { return len(j.hidden) == 0 && j.Scope.Empty() }

// intrinsic is the verdict on what a thing says of itself.
func intrinsic(group string, carried bool, groups map[string]bool) Verdict {
	switch {
	case carried:
		return Carried
	case group != "" && !groups[group]:
		return NotAsked
	}
	return Counts
}

// Considered tells whether an object takes part in matching: scope is looked at
// later, so that what is on both sides stays so.
func (j *Judge) Considered(o *catalog.Object) Verdict {
	if v := intrinsic(o.Group, false, j.Groups); v != Counts {
		return v
	}
	if len(j.unread) > 0 && j.unread[o.Ref()] {
		return NotSeen
	}
	return j.seen(o.Kind, "")
}

// All of some objects that are considered, without copying where all are.
func (j *Judge) Considering(objects []*catalog.Object) []*catalog.Object {
	if len(j.hidden) == 0 && !slices.ContainsFunc(objects, func(o *catalog.Object) bool { return j.Considered(o) != Counts }) {
		return objects
	}
	return slices.DeleteFunc(slices.Clone(objects), func(o *catalog.Object) bool { return j.Considered(o) != Counts })
}

func (j *Judge) seen(k catalog.Kind, property string) Verdict {
	if len(j.hidden) > 0 && (j.hidden[hidden{k, ""}] || property != "" && (j.hidden[hidden{k, property}] || j.hidden[hidden{"", property}])) {
		return NotSeen
	}
	return Counts
}

// Extent is how much of an object is in scope, on whichever side has more.
func (j *Judge) Extent(sides ...*catalog.Object) scope.Extent {
	extent := scope.Out
	for _, o := range sides {
		if o != nil {
			extent = max(extent, j.Scope.Object(o, j.fold))
		}
	}
	return extent
}

// Part is the verdict on a part of an object.
func (j *Judge) Part(owner, part *catalog.Object) Verdict {
	switch {
	case j.All():
		return Counts
	case !j.Scope.Part(owner, part, j.fold):
		return OutOfScope
	case len(j.unread) > 0 && j.unread[owner.PartRef(part)]:
		return NotSeen
	}
	return j.seen(part.Kind, "")
}

// Fact is the verdict on a fact of a thing of a kind.
func (j *Judge) Fact(kind catalog.Kind, p *catalog.Property, side Side) Verdict {
	if v := intrinsic(p.Group, p.Carried, j.Groups); v != Counts {
		return v
	}
	if p.Defect && side == Source {
		return Unwished
	}
	return j.seen(kind, p.Name)
}

// Difference is the verdict on two facts of one name that both count: whether
// they differ, and why that does not count. same says that they are equal.
func (j *Judge) Difference(s, t *catalog.Property) (v Verdict, same bool) {
	switch {
	case s.Value.Equal(t.Value):
		return Counts, true
	case s.Order && sameOrder(s.Value.Items, t.Value.Items):
		return SameOrder, false
	}
	return Counts, false
}

// Optional tells whether a fact is of a group nobody asked for: something put
// back keeps it as the target has it.
func Optional(p *catalog.Property, groups map[string]bool) bool {
	return intrinsic(p.Group, false, groups) == NotAsked
}

// sameOrder tells whether two lists have what both hold in one order.
func sameOrder(a, b []string) bool {
	common := func(list, other []string) []string {
		in := make(map[string]bool, len(other))
		for _, s := range other {
			in[s] = true
		}
		return slices.DeleteFunc(slices.Clone(list), func(s string) bool { return !in[s] })
	}
	return slices.Equal(common(a, b), common(b, a))
}

// Uncounted is a fact that does not count, and why.
type Uncounted struct {
	On   catalog.Ref
	Fact string // "" for the whole thing
	Why  Verdict
}

// Uncounted lists what of two catalogs does not count, with the reasons: first
// of the source, then what only the target has.
func (j *Judge) Uncounted(source, target *catalog.Catalog) []Uncounted {
	var out []Uncounted
	seen := map[Uncounted]bool{}
	note := func(on catalog.Ref, fact string, v Verdict) {
		if u := (Uncounted{on, fact, v}); v != Counts && !seen[u] {
			seen[u] = true
			out = append(out, u)
		}
	}
	facts := func(on catalog.Ref, o, other *catalog.Object, side Side) {
		for i := range o.Properties {
			p := &o.Properties[i]
			v := j.Fact(o.Kind, p, side)
			if v == Counts && side == Source && other != nil {
				if q := other.Property(p.Name); q != nil {
					v, _ = j.Difference(p, q)
				}
			}
			note(on, p.Name, v)
		}
	}
	for side, c := range []*catalog.Catalog{source, target} {
		other := []*catalog.Catalog{target, source}[side]
		for _, o := range c.Objects {
			v := j.Considered(o)
			if v == Counts && j.Extent(o, other.Find(o.Ref())) == scope.Out {
				v = OutOfScope
			}
			if note(o.Ref(), "", v); v != Counts {
				continue
			}
			facts(o.Ref(), o, other.Find(o.Ref()), Side(side))
			for _, p := range o.Parts {
				ref := o.PartRef(p)
				v := j.Part(o, p)
				if note(ref, "", v); v == Counts {
					facts(ref, p, other.Resolve(ref), Side(side))
				}
			}
		}
	}
	return out
}
