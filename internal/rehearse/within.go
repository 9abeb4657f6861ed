package rehearse

import (
	"maps"
	"slices"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/script"
)

// within is the part of a structure that scripts can meet: what they touch and
// rely on, what stands on what they touch, what bears a name they use, and from
// there on what these need. What is only needed is bare: without its foreign
// keys and triggers, which would need ever more. whole tells the others.
func within(c *catalog.Catalog, scripts ...*script.Script) (part *catalog.Catalog, whole map[catalog.Ref]bool) {
	m := meeting{c: c, whole: map[catalog.Ref]bool{}, bare: map[catalog.Ref]bool{}, stood: map[catalog.Ref]bool{}, users: map[catalog.Ref][]user{}}
	names := map[string]bool{}
	var touched []catalog.Ref
	for _, s := range scripts {
		if s == nil {
			continue
		}
		for _, f := range s.Fits {
			m.whole[f.On] = true
			names[c.Fold(f.On.Name)] = true
		}
		for _, st := range s.Steps {
			touched = append(touched, st.Touches...)
			if r := st.About; r.PartKind != catalog.Column && r.PartKind != catalog.PrimaryKey {
				names[c.Fold(r.Part)] = true
			}
		}
	}
	delete(names, "")
	for _, o := range c.Objects {
		m.index(o, o, false)
		same := names[c.Fold(o.Name)]
		for _, p := range o.Parts {
			m.index(o, p, true)
			same = same || p.Kind != catalog.Column && p.Kind != catalog.PrimaryKey && names[c.Fold(p.Name)]
		}
		// What needs nothing (a function, a sequence) is cheap to make, and may
		// be relied on by a text nobody looked into.
		free := o.Kind != catalog.Table && o.Kind != catalog.View && len(o.Parts)+len(o.Needs) == 0
		if same || free {
			m.whole[o.Ref()] = true
		}
	}
	for _, r := range touched {
		m.standing(r)
	}
	m.needs()
	narrow := *c
	narrow.Objects = nil
	for _, o := range c.Objects {
		switch r := o.Ref(); {
		case m.whole[r]:
			narrow.Add(o)
		case m.bare[r]:
			narrow.Add(without(o, catalog.ForeignKey, catalog.Trigger))
		}
	}
	return &narrow, m.whole
}

// without is an object without its parts of some kinds.
func without(o *catalog.Object, kinds ...catalog.Kind) *catalog.Object {
	if o.Kind != catalog.Table {
		return o
	}
	c := o.Clone()
	c.Parts = slices.DeleteFunc(c.Parts, func(p *catalog.Object) bool { return slices.Contains(kinds, p.Kind) })
	return c
}

// like narrows what a target is to be like to what was built of it and what
// the script leaves.
func like(desired, part *catalog.Catalog, whole map[catalog.Ref]bool, s *script.Script) *catalog.Catalog {
	c := *desired
	c.Objects = nil
	stays := maps.Clone(whole)
	for _, f := range s.Fits {
		stays[f.On] = true
	}
	for _, o := range part.Objects {
		if !stays[o.Ref()] {
			c.Add(o)
		}
	}
	for _, o := range desired.Objects {
		if stays[o.Ref()] {
			c.Add(o)
		}
	}
	c.Sort()
	return &c
}

// user is an object that needs another one; inPart says that only a part of it
// does.
type user struct {
	ref    catalog.Ref
	inPart bool
}

// meeting collects objects of a structure.
type meeting struct {
	c           *catalog.Catalog
	whole, bare map[catalog.Ref]bool
	stood       map[catalog.Ref]bool   // those whose users were taken
	users       map[catalog.Ref][]user // who needs an object
}

// index notes whom an object, or a part of it, needs.
func (m *meeting) index(owner, o *catalog.Object, inPart bool) {
	for _, n := range o.Needs {
		if on := n.On.Object(); on != owner.Ref() {
			m.users[on] = append(m.users[on], user{owner.Ref(), inPart && owner.Kind == catalog.Table})
		}
	}
}

// standing takes an object and all that stands on it. What stands on a table
// that has only a key to the object is not concerned.
func (m *meeting) standing(r catalog.Ref) {
	for todo := []catalog.Ref{r.Object()}; len(todo) > 0; {
		r, todo = todo[len(todo)-1], todo[:len(todo)-1]
		if m.stood[r] {
			continue
		}
		m.stood[r], m.whole[r] = true, true
		for _, u := range m.users[r] {
			if m.whole[u.ref] = true; !u.inPart {
				todo = append(todo, u.ref)
			}
		}
	}
}

// needs takes what the objects that were taken need.
func (m *meeting) needs() {
	var todo []catalog.Ref
	need := func(o *catalog.Object) {
		for _, n := range o.Needs {
			if on := n.On.Object(); !m.whole[on] && !m.bare[on] && m.c.Find(on) != nil {
				m.bare[on] = true
				todo = append(todo, on)
			}
		}
	}
	all := func(o *catalog.Object, bare bool) {
		if o == nil {
			return
		}
		need(o)
		for _, p := range o.Parts {
			if !bare || o.Kind != catalog.Table || p.Kind != catalog.ForeignKey && p.Kind != catalog.Trigger {
				need(p)
			}
		}
	}
	for r := range m.whole {
		all(m.c.Find(r), false)
	}
	for len(todo) > 0 {
		r := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		all(m.c.Find(r), true)
	}
}
