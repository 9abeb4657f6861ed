package choose

import (
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
)

// Missing is something in scope that cannot come, because the target lacks
// what it needs and that is out of scope; or, where Goes, something that cannot
// go, because what is out of scope stands on it.
type Missing struct {
	Thing, Needs catalog.Ref
	Goes         bool
}

// Lacking lists what in scope needs something that the source has and the
// target neither has nor is to get.
func (c *Chosen) Lacking() []Missing {
	var out []Missing
	var d *catalog.Catalog
	for _, it := range c.Items {
		if it.Source == nil || it.Status == compare.Same || c.leavesAll(it) {
			continue
		}
		if d == nil {
			d = c.Target()
		}
		if !it.Partial && !c.leaves(it) {
			out = append(out, c.lacking(d, it.Source, nil)...)
		}
		for _, p := range it.Parts {
			if p.Source == nil || p.Status == compare.Same || c.leavesPart(it, p) {
				continue
			}
			ref := it.Source.PartRef(p.Source)
			if it.Target == nil && (it.Partial || c.leaves(it)) {
				out = append(out, Missing{ref, it.Source.Ref(), false})
				continue
			}
			out = append(out, c.lacking(d, it.Source, p.Source)...)
		}
	}
	if !c.Options.Scope.Empty() || c.Picked() {
		if d == nil {
			d = c.Target()
		}
		out = append(out, c.lackingNeeds(d)...)
	}
	return out
}

// lackingNeeds lists what stays and needs something that is to go.
func (c *Chosen) lackingNeeds(d *catalog.Catalog) []Missing {
	var out []Missing
	check := func(ref catalog.Ref, needs []catalog.Need) {
		for _, n := range needs {
			on := n.On.Thing()
			if n.Text && n.Aspect != catalog.AspectIndex || d.Resolve(on) != nil || c.Comparison.Target.Resolve(on) == nil || c.Comparison.Target.Resolve(ref) == nil {
				continue
			}
			out = append(out, Missing{on, ref, true})
		}
	}
	for _, o := range d.Objects {
		check(o.Ref(), o.Needs)
		for _, p := range o.Parts {
			check(o.PartRef(p), p.Needs)
		}
	}
	return out
}

func (c *Chosen) lacking(d *catalog.Catalog, owner, part *catalog.Object) []Missing {
	o, ref := owner, owner.Ref()
	if part != nil {
		o, ref = part, owner.PartRef(part)
	}
	var out []Missing
	seen := map[catalog.Ref]bool{}
	for _, n := range o.Needs {
		on := n.On.Thing()
		// A body may name what is not there; a view may not.
		if seen[on] || n.Text && (part != nil || owner.Kind != catalog.View) {
			continue
		}
		seen[on] = true
		if c.Comparison.Source.Resolve(on) == nil || d.Resolve(on) != nil {
			continue
		}
		if _, unseen := c.Comparison.Target.Unseen(on.Kind, ""); unseen {
			continue // not seen is not absent
		}
		out = append(out, Missing{ref, on, false})
	}
	return out
}
