package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/rows"
)

// When partitions of a table that stays come, go or get other bounds, rows may
// belong elsewhere than they are: a partition is split or merged, a month
// leaves the default partition. Such rows wait in a temporary table from before
// their partition goes or closes until all partitions are there.

// settlers are the partitions of a table that take rows of others: those that
// are new, and those whose bound changes. The second answer is what their rows
// meet; "" for one that takes what no other does.
func settlers(c *order.Change, parent *catalog.Object) (list []*catalog.Object, takes []string) {
	before, now := c.Actual.Find(parent.Ref()), c.Desired.Find(parent.Ref())
	if before == nil || now == nil || recast(c, parent.Ref()) {
		return nil, nil
	}
	if _, ok := recastAbove(c, c.Desired, now); ok {
		return nil, nil
	}
	for _, o := range c.Desired.Objects {
		if up := parentTable(c.Desired, o); up == nil || up.Ref() != parent.Ref() || o.Kind != catalog.Table {
			continue
		}
		if was := c.Actual.Find(o.Ref()); was != nil && (was.Text("partition bound") == o.Text("partition bound") || !was.Has("partition of")) {
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

// anyOf is the condition that one of them is met; one that is "" always is.
func anyOf(conditions []string) string {
	switch {
	case len(conditions) == 0:
		return "false"
	case slices.Contains(conditions, ""):
		return "true"
	}
	return "(" + strings.Join(conditions, " OR ") + ")"
}

// settledName is the temporary table in which rows of a partition wait to get
// into another; to is nil where that may be any.
func settledName(from, to *catalog.Object) string {
	of := []string{from.Schema, from.Name, "elsewhere"}
	if to != nil {
		of = append(of, to.Schema, to.Name)
	}
	return asideFor("rows", from.Name, of...)
}

// leavers are the partitions of a table whose rows may have to settle
// elsewhere: those that go, and those that get another bound.
func leavers(c *order.Change, parent *catalog.Object) []*catalog.Object {
	var out []*catalog.Object
	for _, was := range c.Actual.Objects {
		if up := parentTable(c.Actual, was); up == nil || up.Ref() != parent.Ref() || was.Kind != catalog.Table {
			continue
		}
		now := c.Desired.Find(was.Ref())
		if now == nil || now.Has("partition of") && now.Text("partition bound") != was.Text("partition bound") {
			out = append(out, was)
		}
	}
	return out
}

// elsewhere is what rows of a partition meet that have a place in another one;
// "" where there is none, or where they cannot be moved as they are.
func elsewhere(c *order.Change, was *catalog.Object) string {
	parent := parentTable(c.Actual, was)
	if parent == nil || !moves(c, parent) {
		return ""
	}
	var places []string
	list, takes := settlers(c, parent)
	for i, o := range list {
		if o.Ref() != was.Ref() {
			places = append(places, takes[i])
		}
	}
	if len(places) == 0 {
		return ""
	}
	return anyOf(places)
}

// moves tells whether no column of the partitions changes its type meanwhile,
// which the rows that wait would miss.
func moves(c *order.Change, parent *catalog.Object) bool {
	now := c.Desired.Find(parent.Ref())
	return now != nil && !slices.ContainsFunc(now.PartsOf(catalog.Column), func(col *catalog.Object) bool {
		was := parent.Part(catalog.Column, col.Key())
		return was != nil && was.Text("type") != col.Text("type")
	})
}

// takeAside puts rows of a table into a temporary one.
func takeAside(was *catalog.Object, name, where string) []string {
	return []string{fmt.Sprintf("LOCK TABLE %s IN ACCESS EXCLUSIVE MODE;", qualified(was)),
		fmt.Sprintf("CREATE TEMPORARY TABLE %s ON COMMIT DROP AS SELECT * FROM %s WHERE %s;", name, rows.Own(was), where)}
}

// quietly runs statements that change a table's rows without its triggers,
// which fire afterwards as they do in the one that is given.
func quietly(o *catalog.Object, sql ...string) []string {
	if !slices.ContainsFunc(o.Parts, func(p *catalog.Object) bool { return p.Kind == catalog.Trigger }) {
		return sql
	}
	return slices.Concat([]string{fmt.Sprintf("ALTER TABLE %s DISABLE TRIGGER USER;", qualified(o))}, sql, []string{fmt.Sprintf("ALTER TABLE %s ENABLE TRIGGER USER;", qualified(o))}, firingAgain(o))
}

// settle lets rows that wait into a partition that takes them; nil where none
// can have to. After is the action that made the partition or let it in.
func (w *Writer) settle(c *order.Change, after *order.Action) *order.Action {
	o := c.Source
	parent := parentTable(c.Desired, o)
	if parent == nil || c.Actual.Find(parent.Ref()) == nil {
		return nil
	}
	list, takes := settlers(c, parent)
	at := slices.IndexFunc(list, func(s *catalog.Object) bool { return s.Ref() == o.Ref() })
	if at < 0 {
		return nil
	}
	cond := takes[at]
	if others := slices.Delete(slices.Clone(takes), at, at+1); cond == "" {
		cond = "NOT " + anyOf(others)
	}
	a := &order.Action{About: o.Ref(), Title: "let rows into partition " + o.Name, Makes: []catalog.Ref{rowsPutBack(o.Ref())}, Sequel: after}
	for _, from := range leavers(c, parent) {
		after.After = append(after.After, rowsPutAside(from.Ref())) // its place must be free
		if from.Ref() != o.Ref() && elsewhere(c, from) != "" {
			a.SQL = append(a.SQL, rows.Move(from, o, settledName(from, nil), cond))
			a.After = append(a.After, rowsPutAside(from.Ref()))
		}
	}
	if len(a.SQL) == 0 {
		return nil
	}
	a.SQL = quietly(standing(c, o), a.SQL...)
	return a
}

// standing is a table with the triggers it has by then: its own are made when
// its rows are there.
func standing(c *order.Change, o *catalog.Object) *catalog.Object {
	own := *o
	own.Parts = slices.DeleteFunc(slices.Clone(o.Parts), func(p *catalog.Object) bool {
		return p.Kind == catalog.Trigger && !p.Has("clone") && (c.Target == nil || c.Target.Part(p.Kind, p.Key()) == nil)
	})
	return &own
}

// fromDefault moves the rows that belong into a new partition there from the
// default partition, which would not let it come otherwise.
func (w *Writer) fromDefault(c *order.Change, a *order.Action) {
	o := c.Source
	parent := parentTable(c.Desired, o)
	if parent == nil {
		return
	}
	was := c.Actual.Find(parent.Ref())
	if was == nil || o.Text("partition bound") == "DEFAULT" {
		return
	}
	list, takes := settlers(c, parent)
	at := slices.IndexFunc(list, func(s *catalog.Object) bool { return s.Ref() == o.Ref() })
	if at < 0 {
		return
	}
	for _, d := range c.Actual.Objects {
		up := parentTable(c.Actual, d)
		now := c.Desired.Find(d.Ref())
		if up != was || d.Text("partition bound") != "DEFAULT" || now == nil || now.Text("partition bound") != "DEFAULT" || !moves(c, was) || d.Kind != catalog.Table {
			continue
		}
		if by := referring(c.Actual, d); len(by) > 0 { // to delete there would reach them
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: o.Ref(), Text: fmt.Sprintf("fails when a row of the default partition belongs into it, as %s refers to them", by[0].table.Name), Ask: rows.Meeting(d, takes[at], "belong into it")})
			continue
		}
		name := settledName(d, o)
		head := append(takeAside(d, name, takes[at]), quietly(d, fmt.Sprintf("DELETE FROM %s WHERE %s;", rows.Own(d), takes[at]))...)
		a.SQL = slices.Concat(head, a.SQL, quietly(standing(c, o), rows.Move(d, o, name, "")))
		a.Uses = append(a.Uses, d.Ref())
		a.Note = "Rows of the default partition that belong into it are moved there."
	}
}

// reference is a foreign key of a table.
type reference struct{ table, key *catalog.Object }

// referring are the foreign keys that refer to a table or one it is a
// partition of.
func referring(cat *catalog.Catalog, o *catalog.Object) []reference {
	up := map[*catalog.Object]bool{}
	for ; o != nil && !up[o]; o = parentTable(cat, o) {
		up[o] = true
	}
	var out []reference
	for _, u := range cat.Objects {
		for _, fk := range u.PartsOf(catalog.ForeignKey) {
			if up[rows.Referred(cat, fk)] {
				out = append(out, reference{u, fk})
			}
		}
	}
	return out
}

// leaves says what it takes that a partition leaves its table: foreign keys
// that refer to the table have a copy for it (PostgreSQL: ALTER TABLE, DETACH
// PARTITION). It tells whether there are any.
func leaves(c *order.Change, was *catalog.Object, a *order.Action) bool {
	parent := parentTable(c.Actual, was)
	if parent == nil {
		return false
	}
	by := referring(c.Actual, parent)
	for _, r := range by {
		a.Locks = append(a.Locks, accessExclusive.on(r.table.Ref()))
		if c.Desired.Resolve(r.table.PartRef(r.key)) != nil {
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: was.Ref(), Text: fmt.Sprintf("fails when a row of %s refers to one of its rows", r.table.Name), Ask: rows.Referring(r.table, r.key, was)})
		}
	}
	return len(by) > 0
}
