package choose

import (
	"slices"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
)

// Hold leaves the difference that something comes from; false when there is
// none, or it is left already.
func (e *Editor) Hold(r catalog.Ref, why Reason) bool {
	c := e.made
	it := c.Find(r)
	if it == nil {
		return false
	}
	if r.IsPart() && it.Status == compare.Differs {
		for _, p := range it.Parts {
			if p.Kind() == r.PartKind && !c.leavesPart(it, p) &&
				(p.Target != nil && p.Target.Key() == r.Part || p.Source != nil && p.Source.Key() == r.Part) {
				e.choose(p, Choice{Leave, why})
				return true
			}
		}
	}
	if c.leaves(it) {
		return false
	}
	e.choose(it, Choice{Leave, why})
	return true
}

// Dependents holds back what cannot come while the held things stay as they
// are: newcomers under a name that is still taken, whatever needs what
// then does not come, and the drops of what the held things need.
func (e *Editor) Dependents() {
	c := e.made
	for again := true; again; {
		again = false
		d := c.Target()
		taken := map[[3]string]catalog.Ref{}
		for _, o := range d.Objects {
			if o.Space == "" {
				continue
			}
			n := [3]string{o.Space, d.Fold(o.Schema), d.Fold(o.Name)}
			if other, ok := taken[n]; ok {
				for _, r := range []catalog.Ref{o.Ref(), other} {
					if it := c.Find(r); it != nil && it.Status == compare.SourceOnly && !c.leaves(it) {
						e.choose(it, Choice{Leave, NameTaken})
						again = true
					}
				}
			}
			taken[n] = o.Ref()
		}
		if again {
			continue
		}
		check := func(owner, part *catalog.Object) {
			o, r := owner, owner.Ref()
			if part != nil {
				o, r = part, owner.PartRef(part)
			}
			for _, n := range o.Needs {
				if n.Text && n.Aspect != catalog.AspectIndex {
					continue
				}
				if d.Resolve(n.On) == nil && c.Comparison.Target.Resolve(n.On) != nil && c.stays(r) {
					again = e.Hold(n.On, StoodOn) || again // what stays keeps what it stands on
				} else if it := c.Find(n.On); it != nil && c.comesLater(it, n.On) && !c.stays(r) {
					again = e.holdChange(r) || again
				}
			}
		}
		for _, o := range d.Objects {
			check(o, nil)
			for _, p := range o.Parts {
				check(o, p)
			}
		}
	}
}

// stays tells whether the target's thing is left as it is: out of scope, left
// by choice, or held back.
func (c *Chosen) stays(r catalog.Ref) bool {
	it := c.Find(r)
	if it == nil || c.leavesAll(it) {
		return true
	}
	if !r.IsPart() {
		return c.leaves(it)
	}
	for _, p := range it.Parts {
		if p.Kind() == r.PartKind && p.Object().Key() == r.Part {
			return c.leavesPart(it, p)
		}
	}
	return true // a part out of scope
}

// comesLater tells whether the thing is held back, or left, in another shape than the
// source has it. What only the target has besides is in nobody's way.
func (c *Chosen) comesLater(it *compare.Item, r catalog.Ref) bool {
	if it.Status == compare.SourceOnly && c.leavesAll(it) {
		return true
	}
	lacks := func(p *compare.Item) bool {
		return p.Status != compare.TargetOnly && p.Status != compare.Same && c.leavesPart(it, p)
	}
	if r.IsPart() {
		return slices.ContainsFunc(it.Parts, func(p *compare.Item) bool {
			return p.Kind() == r.PartKind && p.Object().Key() == r.Part && lacks(p)
		})
	}
	if it.Status != compare.Differs || !c.leaves(it) {
		return false
	}
	return len(it.Properties) > 0 || c.leavesAll(it) && slices.ContainsFunc(it.Parts, lacks)
}

// holdChange holds a difference, if the reference is to one.
func (e *Editor) holdChange(r catalog.Ref) bool {
	c, why := e.made, Unready
	it := c.Find(r)
	if it == nil || it.Status == compare.Same || c.leavesAll(it) {
		return false
	}
	if !r.IsPart() {
		e.choose(it, Choice{Leave, why})
		return true
	}
	for _, p := range it.Parts {
		if p.Kind() == r.PartKind && p.Object().Key() == r.Part && p.Status != compare.Same && !c.leavesPart(it, p) {
			e.choose(p, Choice{Leave, why})
			return true
		}
	}
	return false
}
