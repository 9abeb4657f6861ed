package rehearse

import (
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/script"
)

// within is the part of a structure that scripts can meet: what they touch and
// rely on, what bears a name they use, and from there on all that these need
// and all that stands on them.
func within(c *catalog.Catalog, scripts ...*script.Script) *catalog.Catalog {
	m := meeting{c: c, met: map[catalog.Ref]bool{}, stood: map[catalog.Ref]bool{}, users: map[catalog.Ref][]catalog.Ref{}}
	names := map[string]bool{}
	var touched []catalog.Ref
	for _, s := range scripts {
		if s == nil {
			continue
		}
		for _, f := range s.Fits {
			m.needed(f.On)
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
		m.index(o, o)
		same := names[c.Fold(o.Name)]
		for _, p := range o.Parts {
			m.index(o, p)
			same = same || p.Kind != catalog.Column && p.Kind != catalog.PrimaryKey && names[c.Fold(p.Name)]
		}
		if same {
			m.needed(o.Ref())
		}
	}
	for _, r := range touched {
		m.standing(r)
	}
	part := *c
	part.Objects = nil
	for _, o := range c.Objects {
		// What needs nothing (a function, a sequence) is cheap to make, and may
		// be relied on by a text nobody looked into.
		if m.met[o.Ref()] || o.Kind != catalog.Table && o.Kind != catalog.View && len(o.Parts)+len(o.Needs) == 0 {
			part.Add(o)
		}
	}
	return &part
}

// like narrows what a target is to be like to what was built of it and what
// the script leaves.
func like(desired, part *catalog.Catalog, s *script.Script) *catalog.Catalog {
	stays := map[catalog.Ref]bool{}
	for _, o := range part.Objects {
		stays[o.Ref()] = true
	}
	for _, f := range s.Fits {
		stays[f.On] = true
	}
	c := *desired
	c.Objects = nil
	for _, o := range desired.Objects {
		if stays[o.Ref()] {
			c.Add(o)
		}
	}
	return &c
}

// meeting collects objects of a structure.
type meeting struct {
	c          *catalog.Catalog
	met, stood map[catalog.Ref]bool          // objects taken, and taken with what stands on them
	users      map[catalog.Ref][]catalog.Ref // who needs an object
}

// index notes whom an object, or a part of it, needs.
func (m *meeting) index(owner, o *catalog.Object) {
	for _, n := range o.Needs {
		if on := n.On.Object(); on != owner.Ref() {
			m.users[on] = append(m.users[on], owner.Ref())
		}
	}
}

// needed takes an object and all it needs.
func (m *meeting) needed(r catalog.Ref) {
	for todo := []catalog.Ref{r.Object()}; len(todo) > 0; {
		r, todo = todo[len(todo)-1], todo[:len(todo)-1]
		o := m.c.Find(r)
		if o == nil || m.met[r] {
			continue
		}
		m.met[r] = true
		for _, x := range append([]*catalog.Object{o}, o.Parts...) {
			for _, n := range x.Needs {
				todo = append(todo, n.On.Object())
			}
		}
	}
}

// standing takes all that stands on an object, with what that needs.
func (m *meeting) standing(r catalog.Ref) {
	for todo := []catalog.Ref{r.Object()}; len(todo) > 0; {
		r, todo = todo[len(todo)-1], todo[:len(todo)-1]
		if m.stood[r] {
			continue
		}
		m.stood[r] = true
		m.needed(r)
		todo = append(todo, m.users[r]...)
	}
}
