package family

import (
	"slices"

	"dappermirror/internal/core/catalog"
)

// followed are the facts of a column that ALTER TABLE changes in the children
// too (PostgreSQL: ALTER TABLE, Description).
var followed = []string{"type", "collation", "not null", "default", "generated", "expression"}

// Follow gives children that are left as they are what they have from their
// parents all the same: the server changes inherited columns with those of the
// parent (PostgreSQL: Inheritance). left tells which objects are left.
func Follow(wanted, actual *catalog.Catalog, left func(*catalog.Object) bool) {
	f := &follower{wanted: wanted, actual: actual, left: left, done: map[catalog.Ref]bool{}}
	for i := range wanted.Objects {
		f.follow(i)
	}
	wanted.Sort()
}

type follower struct {
	wanted, actual *catalog.Catalog
	left           func(*catalog.Object) bool
	done           map[catalog.Ref]bool
	at             map[catalog.Ref]int
}

// follow settles an object, its parents first.
func (f *follower) follow(i int) {
	o := f.wanted.Objects[i]
	names := ParentNames(o)
	if len(names) == 0 || f.done[o.Ref()] {
		return
	}
	f.done[o.Ref()] = true
	if f.at == nil {
		f.at = map[catalog.Ref]int{}
		for k, x := range f.wanted.Objects {
			f.at[x.Ref()] = k
		}
	}
	for _, name := range names {
		now, was := Named(f.wanted, name), Named(f.actual, name)
		if now == nil || was == nil {
			continue
		}
		k := f.at[now.Ref()]
		f.follow(k)
		if now = f.wanted.Objects[k]; now == was || !f.left(o) {
			continue
		}
		f.wanted.Objects[i] = inheriting(f.wanted.Objects[i], was, now)
	}
}

// inheriting is a child when its parent has become another.
func inheriting(child, was, now *catalog.Object) *catalog.Object {
	out := child.Clone()
	out.Parts = slices.DeleteFunc(out.Parts, func(p *catalog.Object) bool {
		return p.Kind == catalog.Column && FromParent(p) && was.Part(catalog.Column, p.Key()) != nil && now.Part(catalog.Column, p.Key()) == nil
	})
	for _, col := range now.PartsOf(catalog.Column) {
		own, before := out.Part(catalog.Column, col.Key()), was.Part(catalog.Column, col.Key())
		if own == nil {
			own = &catalog.Object{Kind: catalog.Column, Name: col.Name, ID: col.ID, Needs: slices.Clone(col.Needs)}
			own.Set("type", catalog.Scalar("")).Carry("inherited", catalog.Scalar("yes"))
			out.Parts = slices.Insert(out.Parts, len(out.PartsOf(catalog.Column)), own)
			before = nil
		}
		for _, fact := range followed {
			p := col.Property(fact)
			if before != nil && (before.Property(fact) == nil) == (p == nil) && (p == nil || before.Property(fact).Value.Equal(p.Value)) {
				continue
			}
			if p == nil {
				own.Remove(fact)
			} else {
				own.Set(fact, p.Value)
			}
		}
	}
	return out
}
