package match

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
)

// Given is what somebody said about a thing with two names. In a pair both stay
// as they are; a rename gives the target's thing the name that the source has.
type Given struct {
	Source, Target catalog.Ref
	Rename         bool
}

// Unify gives the things of both sides one identity, that of the target, and
// answers the source in these terms; its things keep their own names as
// attributes. The names in the source's texts must be marked. It fails where
// something given is not there, or is given twice.
func Unify(source, target *catalog.Catalog, given []Given) (*catalog.Catalog, error) {
	u := &unifier{source: source, target: target, to: map[catalog.Ref]Given{}, given: map[catalog.Ref]bool{}, ids: map[catalog.Ref]catalog.Ref{}}
	for _, g := range given {
		if err := u.take(g); err != nil {
			return nil, err
		}
	}
	u.identify()
	out := *source
	out.Objects = make([]*catalog.Object, 0, len(source.Objects))
	out.Fetch, out.Expand, out.Text, out.Link, out.Release = nil, nil, nil, nil, nil
	for _, o := range source.Objects {
		out.Objects = append(out.Objects, u.object(o))
	}
	out.Sort()
	return &out, nil
}

type unifier struct {
	source, target *catalog.Catalog
	to             map[catalog.Ref]Given       // by the source's own reference
	given          map[catalog.Ref]bool        // the target's references in it
	ids            map[catalog.Ref]catalog.Ref // from the source's own reference to the identity
}

func (u *unifier) take(g Given) error {
	switch _, twice := u.to[g.Source]; {
	case twice:
		return fmt.Errorf("%s has been given another name already", g.Source)
	case u.source.Resolve(g.Source) == nil:
		return fmt.Errorf("the source has no %s", g.Source)
	case u.target.Resolve(g.Target) == nil:
		return fmt.Errorf("the target has no %s", g.Target)
	}
	if u.given[g.Target] {
		return fmt.Errorf("%s has been given another name already", g.Target)
	}
	u.to[g.Source], u.given[g.Target] = g, true
	return nil
}

// identify gives every object and part of the source its identity. What is
// known by a text with names in it (a routine by the types of its arguments)
// comes after what these names stand for.
func (u *unifier) identify() {
	taken := map[catalog.Ref]bool{}
	for _, g := range u.to {
		taken[g.Target] = true
	}
	identity := func(own, id catalog.Ref) {
		if g, ok := u.to[own]; ok {
			id = g.Target
		} else {
			for taken[id] { // somebody else is known by it
				if id.IsPart() {
					id.Part += " (new)"
				} else {
					id.Name += " (new)"
				}
			}
		}
		taken[id] = true
		u.ids[own] = id
	}
	for _, composed := range []bool{false, true} {
		for _, o := range u.source.Objects {
			known := o.Property(catalog.KnownAs)
			if (known != nil) != composed {
				continue
			}
			id := o.Ref()
			id.Schema = u.schema(o.Schema)
			if composed {
				id.Name = o.Bare() + known.Value.Spelled(u.spell).Canonical()
			}
			identity(o.Ref(), id)
			for _, p := range o.Parts {
				if !p.Has(catalog.KnownAs) {
					own, id := o.PartRef(p), u.ids[o.Ref()]
					id.PartKind, id.Part = own.PartKind, own.Part
					identity(own, id)
				}
			}
		}
	}
	for _, o := range u.source.Objects {
		for _, p := range o.Parts {
			if known := p.Property(catalog.KnownAs); known != nil {
				id := u.ids[o.Ref()]
				id.PartKind, id.Part = p.Kind, known.Value.Spelled(u.spell).Canonical()
				identity(o.PartRef(p), id)
			}
		}
	}
}

// schema is the identity of the schema of a name.
func (u *unifier) schema(name string) string {
	if g, ok := u.to[catalog.Ref{Kind: catalog.Schema, Name: name}]; ok {
		return g.Target.Name
	}
	return name
}

// id is the identity of what the source calls r.
func (u *unifier) id(r catalog.Ref) catalog.Ref {
	fact := r.Fact
	r = r.Thing()
	if id, ok := u.ids[r]; ok {
		return id.Of(fact)
	}
	id, ok := u.ids[r.Object()]
	if !ok {
		id = r.Object()
		id.Schema = u.schema(id.Schema)
	}
	id.PartKind, id.Part = r.PartKind, r.Part
	return id.Of(fact)
}

// paired tells whether the target's name stays.
func (u *unifier) paired(r catalog.Ref) bool {
	g, ok := u.to[r]
	return ok && !g.Rename
}

// spell writes a piece in the terms of the identity; in a pair also for people,
// since the target's name is the one that stays.
func (u *unifier) spell(p catalog.Piece) catalog.Piece {
	own := *p.Ref
	id := u.id(own)
	q := p
	q.Ref = &id
	if id == own {
		return q
	}
	t := u.target.Resolve(id)
	if p.Canon != "" && nameOf(id) != nameOf(own) {
		q.Canon = spelled(u.source, p, lettered(p, id, t), true)
	}
	if p.Text != "" && t != nil && u.paired(own) {
		q.Text = spelled(u.source, p, t.Bare(), false)
	}
	return q
}

// spelled is a name as a piece has it: a piece that bears the name already stays
// as it is, and one that is compared keeps its quotes, or goes on without.
func spelled(c *catalog.Catalog, p catalog.Piece, name string, canonical bool) string {
	was := p.Text
	if canonical {
		was = p.Canon
	}
	bare := strings.Trim(was, "`\"[]")
	switch {
	case p.Raw:
		return name
	case bare == name:
		return was
	case canonical && bare == was && word(name) && c.Spell(was, true) != was, p.Fixed && bare == was && strings.EqualFold(was, name):
		return name // it went without quotes where the engine itself would write them
	}
	return c.Spell(name, canonical)
}

// word tells whether a name can do without quotes, if it is no keyword.
func word(name string) bool {
	for i, r := range name {
		if r != '_' && (r < 'a' || r > 'z') && (r < 'A' || r > 'Z') && (i == 0 || r < '0' || r > '9') {
			return false
		}
	}
	return name != ""
}

// nameOf is the name in a reference, of a routine without its arguments.
func nameOf(r catalog.Ref) string {
	if r.IsPart() {
		return r.Part
	}
	name, _, _ := strings.Cut(r.Name, "(")
	return strings.TrimSuffix(name, " ")
}

// lettered is the name in a reference as a text has it, which is in its own
// letters; a bare name in a list is what the thing is known by.
func lettered(p catalog.Piece, r catalog.Ref, o *catalog.Object) string {
	if o != nil && !p.Raw && o.Has(catalog.Letters) {
		return o.Bare()
	}
	return nameOf(r)
}

func (u *unifier) object(o *catalog.Object) *catalog.Object {
	c := o.Clone()
	own := o.Ref()
	id := u.ids[own]
	u.facts(c)
	if id.Schema != o.Schema {
		c.Home = id.Schema
		if u.paired(catalog.Ref{Kind: catalog.Schema, Name: o.Schema}) {
			c.Schema, c.Home = id.Schema, "" // where it is stays, too
		}
	}
	if known := c.Property(catalog.KnownAs); known != nil {
		c.Name = o.Bare() + known.Value.String()
	}
	u.known(c, own, id.Name, u.target.Find(id))
	for i, p := range c.Parts {
		ref := o.PartRef(o.Parts[i])
		u.facts(p)
		u.known(p, ref, u.ids[ref].Part, u.target.Resolve(u.ids[ref]))
	}
	return c
}

// known lets a thing be known by an identity: its own name becomes an alias, or
// in a pair the target's name its own.
func (u *unifier) known(c *catalog.Object, own catalog.Ref, id string, t *catalog.Object) {
	key := c.Key()
	switch {
	case u.paired(own) && t != nil:
		c.SpellAs(t)
		c.Schema, c.ID, c.Home = t.Schema, t.ID, ""
	case id != key:
		c.ID, c.Alias = id, key
	}
}

func (u *unifier) facts(c *catalog.Object) {
	for i := range c.Properties {
		p := &c.Properties[i]
		p.Value = p.Value.Spelled(u.spell)
	}
	for i := range c.Needs {
		c.Needs[i].On = u.id(c.Needs[i].On)
	}
}

// Named is a structure in which every thing is known by its own name again, and
// the names in texts are spelled as their things are called. Where written says
// so that goes for texts which the engine keeps as they were written, too: for
// what shall be, not for what is.
func Named(c *catalog.Catalog, written bool) *catalog.Catalog {
	if !Aliased(c) {
		return c
	}
	n := &namer{c: c, written: written, own: map[catalog.Ref]catalog.Ref{}, things: map[catalog.Ref]*catalog.Object{}}
	n.index()
	out := *c
	out.Objects = make([]*catalog.Object, 0, len(c.Objects))
	for _, o := range c.Objects {
		out.Objects = append(out.Objects, n.object(o))
	}
	out.Sort()
	return &out
}

// Aliased tells whether anything is known by another name than its own.
func Aliased(c *catalog.Catalog) bool {
	return slices.ContainsFunc(c.Objects, func(o *catalog.Object) bool {
		return o.Alias != "" || o.Home != "" || slices.ContainsFunc(o.Parts, func(p *catalog.Object) bool { return p.Alias != "" })
	})
}

// namer gives things their own names for identities.
type namer struct {
	c       *catalog.Catalog
	written bool
	own     map[catalog.Ref]catalog.Ref // from identity to what the own names make of it
	things  map[catalog.Ref]*catalog.Object
}

// index finds what everything is called. What has names of other things in its
// own comes after these.
func (n *namer) index() {
	for _, late := range []bool{false, true} {
		for _, o := range n.c.Objects {
			known := o.Property(catalog.KnownAs)
			if (known != nil) != late {
				continue
			}
			to := o.Own()
			if late {
				to.Name = o.Bare() + n.composed(known)
			}
			n.own[o.Ref()], n.things[o.Ref()] = to, o
			for _, p := range o.Parts {
				r := to
				r.PartKind, r.Part = p.Kind, p.Own().Name
				n.own[o.PartRef(p)], n.things[o.PartRef(p)] = r, p
			}
		}
	}
	for _, o := range n.c.Objects {
		for _, p := range o.Parts {
			if known := p.Property(catalog.KnownAs); known != nil {
				r := n.own[o.PartRef(p)]
				r.Part = n.composed(known)
				n.own[o.PartRef(p)] = r
			}
		}
	}
}

// named is what the own names make of an identity.
func (n *namer) named(id catalog.Ref) catalog.Ref {
	if to, ok := n.own[id.Thing()]; ok {
		return to.Of(id.Fact)
	}
	if to, ok := n.own[id.Object()]; ok {
		to.PartKind, to.Part = id.PartKind, id.Part
		return to.Of(id.Fact)
	}
	return id
}

// composed is a name with names of other things in it.
func (n *namer) composed(known *catalog.Property) string {
	return known.Value.Spelled(func(p catalog.Piece) catalog.Piece {
		if at := n.named(*p.Ref); at != *p.Ref {
			p.Canon, p.Ref = spelled(n.c, p, nameOf(at), true), &at
		}
		return p
	}).Canonical()
}

func (n *namer) spell(p catalog.Piece) catalog.Piece {
	to := n.named(*p.Ref)
	q := p
	q.Ref = &to
	o := n.things[*p.Ref]
	if o == nil || p.Fixed && !n.written {
		return q
	}
	if nameOf(to) == nameOf(*p.Ref) {
		return q // in whatever letters it is written
	}
	if p.Canon != "" {
		q.Canon = spelled(n.c, p, lettered(p, to, o), true)
	}
	if p.Text != "" {
		q.Text = spelled(n.c, p, o.Bare(), false)
	}
	return q
}

func (n *namer) object(o *catalog.Object) *catalog.Object {
	out := o.Clone()
	for k, x := range append([]*catalog.Object{out}, out.Parts...) {
		for i := range x.Properties {
			x.Properties[i].Value = x.Properties[i].Value.Spelled(n.spell)
		}
		for i := range x.Needs {
			x.Needs[i].On = n.named(x.Needs[i].On)
		}
		if x.Alias != "" {
			x.ID, x.Alias = x.Alias, ""
		}
		x.Home = ""
		switch known := x.Has(catalog.KnownAs); {
		case known && k == 0:
			x.Name, x.ID = n.own[o.Ref()].Name, ""
		case known:
			x.ID = n.own[o.PartRef(o.Parts[k-1])].Part
		}
	}
	return out
}

// Rename is one thing that is to bear another name.
type Rename struct {
	Was, Now catalog.Ref // by the names before and after it
	Final    catalog.Ref // by the names when everything is renamed
	// Owner and Part are as they were called before anything was renamed; Part
	// is nil for an object.
	Owner, Part *catalog.Object
	To          *catalog.Object // what it shall be called
}

// Renames lists what must be renamed on the way from what is to what shall be,
// both in the same identities, of the kinds that can be. The parts come first,
// then objects, those known by others before these, and the schemas last: so
// each is done while all around it has the names it always had. The second
// answer is what is, with all of that done.
func Renames(desired, actual *catalog.Catalog, can func(owner, part catalog.Kind) bool) ([]Rename, *catalog.Catalog) {
	if !Aliased(desired) && !Aliased(actual) {
		return nil, actual
	}
	after := *actual
	after.Objects = make([]*catalog.Object, 0, len(actual.Objects))
	schemas := map[string]string{} // by their names now
	for _, o := range actual.Objects {
		if d := desired.Find(o.Ref()); o.Kind == catalog.Schema && d != nil && d.Alias != o.Alias && can(o.Kind, "") {
			schemas[o.Name] = d.Name
		}
	}
	var list [4][]Rename
	for _, o := range actual.Objects {
		n := o.Clone()
		d := desired.Find(o.Ref())
		if to, ok := schemas[o.Schema]; ok {
			n.Home, n.Schema = o.Ref().Schema, to
		}
		if d != nil && d.Alias != o.Alias && can(o.Kind, "") && (d.Bare() != o.Bare() || !o.Has(catalog.KnownAs)) {
			r := Rename{Was: o.Own(), Now: o.Own(), Owner: o, To: d}
			called(n, o, d)
			at := 2
			switch {
			case o.Kind == catalog.Schema:
				at = 3
			case o.Has(catalog.KnownAs): // the types of its arguments are named later
				at = 1
				n.Name = d.Bare() + strings.TrimPrefix(o.Name, o.Bare())
				n.Alias = n.Name
			}
			r.Now.Name = n.Own().Name
			r.Final = n.Own()
			list[at] = append(list[at], r)
		}
		for i, p := range o.Parts {
			dp := desired.Resolve(o.PartRef(p))
			if dp == nil || dp.Alias == p.Alias || !can(o.Kind, p.Kind) {
				continue
			}
			m := n.Parts[i]
			called(m, p, dp)
			r := Rename{Was: o.Own(), Now: o.Own(), Final: n.Own(), Owner: o, Part: p, To: dp}
			r.Was.PartKind, r.Was.Part = p.Kind, p.Own().Name
			r.Now.PartKind, r.Now.Part = p.Kind, m.Own().Name
			r.Final.PartKind, r.Final.Part = p.Kind, m.Own().Name
			list[0] = append(list[0], r)
		}
		after.Objects = append(after.Objects, n)
	}
	after.Sort()
	var all []Rename
	for _, l := range list {
		all = append(all, l...)
	}
	return all, &after
}

// called lets a thing be called like another one, and known as it was.
func called(n, was, like *catalog.Object) {
	n.SpellAs(like)
	n.Alias = like.Alias
	if n.ID == "" && n.Alias != "" {
		n.ID = was.Name
	}
}

// Copy is a structure whose objects can be changed without touching others that
// share them.
func Copy(c *catalog.Catalog) *catalog.Catalog {
	out := *c
	out.Objects = make([]*catalog.Object, len(c.Objects))
	for i, o := range c.Objects {
		out.Objects[i] = o.Clone()
	}
	out.Limits, out.Settings = maps.Clone(c.Limits), maps.Clone(c.Settings)
	out.Sort()
	return &out
}
