package choose

import (
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/judge"
)

// Target is the structure the target shall have: what was chosen comes from
// the source, everything left or out of scope stays as the target has it.
// Planning starts from it, so a choice never needs a case of its own there. It is worked
// out once, and nobody changes it.
func (c *Chosen) Target() *catalog.Catalog {
	if c.target == nil {
		c.target = c.makeTarget()
	}
	return c.target
}

func (c *Chosen) makeTarget() *catalog.Catalog {
	d := &catalog.Catalog{Engine: c.Comparison.Target.Engine, Kinds: c.Comparison.Target.Kinds, Spell: c.Comparison.Target.Spell, Version: c.Comparison.Target.Version, Place: c.Comparison.Target.Place,
		FoldNames: c.Comparison.Target.FoldNames, Limits: c.Comparison.Target.Limits, Settings: c.Comparison.Target.Settings}
	// What one side does not know is no wish of the other.
	d.Gaps = append(append(d.Gaps, c.Comparison.Target.Gaps...), c.Comparison.Source.Gaps...)
	seen := map[*catalog.Object]bool{}
	for _, it := range c.Items {
		if it.Target != nil {
			seen[it.Target] = true
		}
		if o := c.Wanted(it); o != nil {
			d.Add(o)
		}
	}
	for _, t := range c.Comparison.Target.Objects {
		if !seen[t] {
			d.Add(t) // out of scope
		}
	}
	d.Sort()
	if follow := d.Kinds.Following(); follow != nil && !c.Whole() {
		follow(d, c.Comparison.Target, func(o *catalog.Object) bool { return c.Comparison.Target.Find(o.Ref()) == o })
	}
	return d
}

// Whole tells whether all of the source goes to the target, as it is.
func (c *Chosen) Whole() bool {
	return c.Judge.All() && !c.Picked() && len(c.Options.Tolerate) == 0
}

// Source is the structure the source shall have: what goes to it comes from the
// target, all else stays.
func (c *Chosen) Source() *catalog.Catalog {
	back := &Chosen{Comparison: c.Comparison.Turned(), of: map[*compare.Item]Choice{}}
	turned := map[bool]Choice{true: {Decision: ToTarget}, false: {Decision: Leave}}
	for i, it := range c.Items {
		now := back.Items[i]
		back.of[now] = turned[c.of[it].Decision == ToSource]
		for k, p := range it.Parts {
			back.of[now.Parts[k]] = turned[c.OfPart(it, p).Decision == ToSource]
		}
	}
	return back.Target()
}

// Wanted is what one item's object shall be in the target; nil where it shall
// not be there.
func (c *Chosen) Wanted(it *compare.Item) *catalog.Object {
	return c.wanted(it, nil, c.Options.Groups)
}

// Way is the item of the way from the target's object to what it shall be; nil
// where nothing is to be done.
func (c *Chosen) Way(it *compare.Item) *compare.Item {
	wanted := c.Wanted(it)
	if wanted == it.Target {
		return nil
	}
	s, t := &catalog.Catalog{FoldNames: c.Comparison.Source.FoldNames, Kinds: c.Comparison.Target.Kinds}, &catalog.Catalog{FoldNames: c.Comparison.Target.FoldNames, Kinds: c.Comparison.Target.Kinds}
	if wanted != nil {
		s.Add(wanted)
	}
	if it.Target != nil {
		t.Add(it.Target)
	}
	for _, way := range compare.Compare(s, t, compare.Options{Groups: c.Options.Groups, Deep: true}).Items {
		return way
	}
	return nil
}

// wanted is what an object shall be, or a part of owner.
func (c *Chosen) wanted(it, owner *compare.Item, groups map[string]bool) *catalog.Object {
	left := c.leaves(it)
	if owner != nil {
		left = c.leavesPart(owner, it)
	}
	switch it.Status {
	case compare.SourceOnly:
		if left {
			return nil
		}
		return c.newcomer(it)
	case compare.TargetOnly:
		if left {
			return it.Target
		}
		return nil
	case compare.Same:
		if it.Source == it.Target {
			return it.Target
		}
		if it.Partial || it.Source == nil || len(it.Parts) != len(it.Source.Parts) || len(it.Parts) != len(it.Target.Parts) {
			return it.Target // equal in scope; what is out of scope stays
		}
		return keepOptional(it.Source, it.Target, groups)
	}
	if left && (owner != nil || c.leavesAll(it)) || it.Target == nil {
		return it.Target // parts of what is not there cannot come alone: see Lacking
	}
	base, merged := it.Source, false
	if it.Partial || left {
		base, merged = it.Target, true
	}
	out := keepOptional(base, it.Target, groups).Clone()
	out.Parts = nil
	if c.wantedParts(out, it, groups) || merged {
		if it.Source != nil {
			out.KeepOrder(it.Source)
		}
		out.KeepOrder(it.Target)
		out.Needs = union(out.Needs, it.Target.Needs)
	}
	return out
}

// wantedParts adds the parts that an object shall have, and tells whether they
// are of both sides.
func (c *Chosen) wantedParts(out *catalog.Object, it *compare.Item, groups map[string]bool) (merged bool) {
	// Parts come in the source's order; those only the target has, and those
	// out of scope, follow in the target's.
	var last []*catalog.Object
	inScope := map[*catalog.Object]bool{}
	for _, p := range it.Parts {
		if p.Source != nil {
			inScope[p.Source] = true
		}
		if p.Target != nil {
			inScope[p.Target] = true
		}
		o := c.wanted(p, it, groups)
		if o == nil {
			merged = merged || p.Status == compare.SourceOnly
			continue
		}
		if c.leavesPart(it, p) && p.Status != compare.Same {
			merged = true
		}
		if p.Source == nil {
			last = append(last, o)
		} else {
			out.Add(o)
		}
	}
	for _, o := range last {
		out.Add(o)
	}
	if it.Source != nil {
		for _, p := range it.Source.Parts {
			if !inScope[p] {
				merged = true
			}
		}
	}
	for _, p := range it.Target.Parts {
		if !inScope[p] {
			out.Add(p)
			merged = true
		}
	}
	return merged
}

// newcomer is the source's object without the parts that scope or choice
// leaves out.
func (c *Chosen) newcomer(it *compare.Item) *catalog.Object {
	if len(it.Parts) == len(it.Source.Parts) {
		all := true
		for _, p := range it.Parts {
			all = all && !c.leavesPart(it, p)
		}
		if all {
			return it.Source
		}
	}
	out := it.Source.Clone()
	out.Parts = nil
	for _, p := range it.Parts {
		if !c.leavesPart(it, p) {
			out.Add(p.Source)
		}
	}
	return out
}

// keepOptional is base with the facts of groups nobody asked for (owner,
// grants) as the target has them: something put back keeps its owner.
func keepOptional(base, target *catalog.Object, groups map[string]bool) *catalog.Object {
	if base == target {
		return base
	}
	var out *catalog.Object
	edit := func() *catalog.Object {
		if out == nil {
			out = base.Clone()
		}
		return out
	}
	for i := range base.Properties {
		p := &base.Properties[i]
		if p.Order || !judge.Optional(p, groups) { // its parts come in its order
			continue
		}
		if t := target.Property(p.Name); t == nil {
			edit().Remove(p.Name)
		} else if !t.Value.Equal(p.Value) {
			edit().Optional(p.Name, p.Group, t.Value)
		}
	}
	for i := range target.Properties {
		p := &target.Properties[i]
		if !p.Order && judge.Optional(p, groups) && base.Property(p.Name) == nil {
			edit().Optional(p.Name, p.Group, p.Value)
		}
	}
	if out == nil {
		return base
	}
	return out
}

func union(a, b []catalog.Need) []catalog.Need {
	seen := make(map[catalog.Need]bool, len(a))
	for _, n := range a {
		seen[n] = true
	}
	out := append([]catalog.Need(nil), a...)
	for _, n := range b {
		if !seen[n] {
			out = append(out, n)
		}
	}
	return out
}
