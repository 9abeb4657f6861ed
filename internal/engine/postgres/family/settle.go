package family

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/rows"
)

// Settlers are the partitions of a table that take rows of others: those that
// are new, and those whose bound changes. The second answer is what their rows
// meet; "" for one that takes what no other does.
func Settlers(c *order.Change, parent *catalog.Object) (list []*catalog.Object, takes []string) {
	s := order.Remember(c, once{"settlers", parent.Ref(), nil}, func() settlers {
		list, takes := findSettlers(c, parent)
		return settlers{list, takes}
	})
	return s.list, s.takes
}

type settlers struct {
	list  []*catalog.Object
	takes []string
}

// once is a key of what is worked out once for a plan: of a table, or of a whole
// catalog.
type once struct {
	what string
	on   catalog.Ref
	in   *catalog.Catalog
}

// Partitions are the partitions of a table in one of the catalogs.
func Partitions(c *order.Change, in *catalog.Catalog, parent *catalog.Object) []*catalog.Object {
	all := order.Remember(c, once{"partitions", catalog.Ref{}, in}, func() map[catalog.Ref][]*catalog.Object {
		m := map[catalog.Ref][]*catalog.Object{}
		for _, o := range in.Objects {
			if up := ParentTable(in, o); up != nil {
				m[up.Ref()] = append(m[up.Ref()], o)
			}
		}
		return m
	})
	return all[parent.Ref()]
}

func findSettlers(c *order.Change, parent *catalog.Object) (list []*catalog.Object, takes []string) {
	before, now := c.Actual.Find(parent.Ref()), c.Desired.Find(parent.Ref())
	if before == nil || now == nil || Recast(c, parent.Ref()) {
		return nil, nil
	}
	if _, ok := RecastAbove(c, c.Desired, now); ok {
		return nil, nil
	}
	for _, o := range Partitions(c, c.Desired, parent) {
		if o.Kind != catalog.Table {
			continue
		}
		if was := c.Actual.Find(o.Ref()); was != nil && !Rebuilt(c, o.Ref()) && (was.Text("partition bound") == o.Text("partition bound") || !was.Has("partition of")) {
			continue
		}
		cond := ""
		if o.Text("partition bound") != "DEFAULT" {
			if cond = rows.Bound(now.Text("partition by"), o.Text("partition bound"), now); cond == "" {
				continue
			}
		}
		list, takes = append(list, o), append(takes, cond)
	}
	return list, takes
}

// AnyOf is the condition that one of them is met; one that is "" always is.
func AnyOf(conditions []string) string {
	switch {
	case len(conditions) == 0:
		return "false"
	case slices.Contains(conditions, ""):
		return "true"
	}
	return "(" + strings.Join(conditions, " OR ") + ")"
}

// Leavers are the partitions of a table whose rows may have to settle
// elsewhere: those that go, and those that get another bound.
func Leavers(c *order.Change, parent *catalog.Object) []*catalog.Object {
	return order.Remember(c, once{"leavers", parent.Ref(), nil}, func() []*catalog.Object { return findLeavers(c, parent) })
}

func findLeavers(c *order.Change, parent *catalog.Object) []*catalog.Object {
	var out []*catalog.Object
	for _, was := range Partitions(c, c.Actual, parent) {
		if was.Kind != catalog.Table {
			continue
		}
		now := c.Desired.Find(was.Ref())
		if now == nil || Rebuilt(c, was.Ref()) || now.Has("partition of") && now.Text("partition bound") != was.Text("partition bound") {
			out = append(out, was)
		}
	}
	return out
}

// Elsewhere is what rows of a partition meet that have a place in another one;
// "" where there is none, or where they cannot be moved as they are.
func Elsewhere(c *order.Change, was *catalog.Object) string {
	return order.Remember(c, once{"elsewhere", was.Ref(), nil}, func() string { return findElsewhere(c, was) })
}

func findElsewhere(c *order.Change, was *catalog.Object) string {
	parent := ParentTable(c.Actual, was)
	if parent == nil || !Moves(c, parent) {
		return ""
	}
	var places []string
	list, takes := Settlers(c, parent)
	for i, o := range list {
		if o.Ref() != was.Ref() || Rebuilt(c, o.Ref()) {
			places = append(places, takes[i])
		}
	}
	if len(places) == 0 {
		return ""
	}
	return AnyOf(places)
}

// Goes is the topmost partition of a table that stays which goes, or is made
// anew, with a partition below it; nil where there is none, or where none of its
// rows can settle.
func Goes(c *order.Change, o *catalog.Object) *catalog.Object {
	var top *catalog.Object
	for seen := map[*catalog.Object]bool{}; o != nil && !seen[o]; o = ParentTable(c.Actual, o) {
		seen[o] = true
		parent := ParentTable(c.Actual, o)
		if parent != nil && c.Desired.Find(parent.Ref()) != nil && (c.Desired.Find(o.Ref()) == nil || Rebuilt(c, o.Ref())) && Elsewhere(c, o) != "" {
			top = o
		}
	}
	return top
}

// Moves tells whether no column of the partitions changes its type meanwhile,
// which the rows that wait would miss.
func Moves(c *order.Change, parent *catalog.Object) bool {
	now := c.Desired.Find(parent.Ref())
	return now != nil && !slices.ContainsFunc(now.PartsOf(catalog.Column), func(col *catalog.Object) bool {
		was := parent.Part(catalog.Column, col.Key())
		return was != nil && was.Text("type") != col.Text("type")
	})
}

// Reference is a foreign key of a table.
type Reference struct{ Table, Key *catalog.Object }

// Referring are the foreign keys that refer to a table or one it is a
// partition of.
func Referring(c *order.Change, cat *catalog.Catalog, o *catalog.Object) []Reference {
	return order.Remember(c, once{"referring", o.Ref(), cat}, func() []Reference { return findReferring(cat, o) })
}

func findReferring(cat *catalog.Catalog, o *catalog.Object) []Reference {
	up := map[*catalog.Object]bool{}
	for ; o != nil && !up[o]; o = ParentTable(cat, o) {
		up[o] = true
	}
	var out []Reference
	for _, u := range cat.Objects {
		for _, fk := range u.PartsOf(catalog.ForeignKey) {
			if up[rows.Referred(cat, fk)] {
				out = append(out, Reference{u, fk})
			}
		}
	}
	return out
}
