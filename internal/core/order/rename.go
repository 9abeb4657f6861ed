package order

import (
	"fmt"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
)

// Renamer is a Writer that can give things other names in place.
type Renamer interface {
	// CanRename tells for which kinds it can; part is empty for objects.
	CanRename(owner, part catalog.Kind) bool
	// Rename is how.
	Rename(r match.Rename) *Action
}

// renamed gives the things of the target the names they shall have, first of
// all: what follows is planned between two structures that call everything the
// same. Both are answered in these names.
func renamed(desired, actual *catalog.Catalog, w Writer) (first []*Action, to, from *catalog.Catalog) {
	can := func(owner, part catalog.Kind) bool { return false }
	r, ok := w.(Renamer)
	if ok {
		can = r.CanRename
	}
	list, after := match.Renames(desired, actual, can)
	if len(list) == 0 {
		return nil, match.Named(desired, true), actual
	}
	for _, x := range inFreeOrder(list, actual, after) {
		a := r.Rename(x)
		a.About, a.Removes, a.Makes = x.Was, []catalog.Ref{x.Was}, []catalog.Ref{x.Final}
		a.Title = fmt.Sprintf("rename %s %s to %s", x.Owner.Kind.Title(), x.Owner.Bare(), x.To.Bare())
		if x.Part != nil {
			a.Title = fmt.Sprintf("rename %s %s of %s to %s", x.Part.Kind.Title(), x.Part.Name, x.Owner.Name, x.To.Name)
		}
		first = append(first, a)
	}
	return first, match.Named(desired, true), match.Named(after, false)
}

// inFreeOrder orders renames so that every name is free when it is taken. A name that
// somebody else bears meanwhile is freed by another one for the time being:
// after tells how all is called in the end.
func inFreeOrder(list []match.Rename, actual, after *catalog.Catalog) []match.Rename {
	bears := map[catalog.Ref]bool{} // the names there are
	for _, o := range actual.Objects {
		bears[o.Own()] = true
		for _, p := range o.Parts {
			bears[partName(o.Own(), p)] = true
		}
	}
	var out []match.Rename
	for len(list) > 0 {
		var wait []match.Rename
		for _, r := range list {
			if bears[r.Now] && r.Was != r.Now {
				wait = append(wait, r)
				continue
			}
			delete(bears, r.Was)
			bears[r.Now] = true
			out = append(out, r)
		}
		if len(wait) == len(list) { // a circle, or a name of something that goes
			stuck := wait[0]
			unused := unusedName(stuck.Now, bears)
			bears[unused] = true
			delete(bears, stuck.Now)
			out = append(out, stepAside(stuck, unused, wait, after))
		}
		list = wait
	}
	return out
}

func partName(owner catalog.Ref, p *catalog.Object) catalog.Ref {
	owner.PartKind, owner.Part = p.Kind, p.Own().Name
	return owner
}

// unusedName is a name that nothing has.
func unusedName(r catalog.Ref, bears map[catalog.Ref]bool) catalog.Ref {
	for n := 0; ; n++ {
		to := r
		name := &to.Name
		if r.IsPart() {
			name = &to.Part
		}
		*name = "dapper_mirror_was_" + *name
		if n > 0 {
			*name = fmt.Sprintf("%s_%d", *name, n)
		}
		if !bears[to] {
			return to
		}
	}
}

// stepAside renames who bears the name that another one waits for. What is to be
// renamed itself goes on from there; what goes keeps the name until then.
func stepAside(stuck match.Rename, to catalog.Ref, list []match.Rename, after *catalog.Catalog) match.Rename {
	name := to.Name
	if to.IsPart() {
		name = to.Part
	}
	for i := range list {
		x := &list[i]
		if x.Was != stuck.Now {
			continue
		}
		r := *x
		r.Now, r.Final = to, to
		r.To = &catalog.Object{Kind: x.To.Kind, Schema: x.To.Schema, Name: name}
		x.Was = to
		if x.Part != nil {
			x.Part = x.Part.Clone()
			x.Part.Name = name
		} else {
			x.Owner = x.Owner.Clone()
			x.Owner.Name = name
		}
		return r
	}
	// It is not renamed itself: it goes, or is made anew under this name.
	for _, o := range after.Objects {
		if !to.IsPart() && o.Own() == stuck.Now && o.Alias == "" {
			r := match.Rename{Was: stuck.Now, Now: to, Final: to, Owner: o.Clone(), To: &catalog.Object{Kind: o.Kind, Schema: o.Schema, Name: name}}
			if o.ID == "" {
				o.ID = o.Name
			}
			o.Alias, o.Name = name, name
			return r
		}
		for _, p := range o.Parts {
			if to.IsPart() && partName(o.Own(), p) == stuck.Now && p.Alias == "" {
				r := match.Rename{Was: stuck.Now, Now: to, Final: to, Owner: o, Part: p.Clone(), To: &catalog.Object{Kind: p.Kind, Name: name}}
				if p.ID == "" {
					p.ID = p.Name
				}
				p.Alias, p.Name = name, name
				return r
			}
		}
	}
	return stuck
}
