package writer

import (
	"fmt"
	"slices"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/family"
	"dappermirror/internal/engine/postgres/rows"
	"dappermirror/internal/engine/postgres/steps"
)

// When partitions of a table that stays come, go or get other bounds, rows may
// belong elsewhere than they are: a partition is split or merged, a month
// leaves the default partition. Such rows wait in a temporary table from before
// their partition goes or closes until all partitions are there.

// settledName is the temporary table in which rows of a partition wait to get
// into another; to is nil where that may be any.
func settledName(from, to *catalog.Object) string {
	of := []string{from.Schema, from.Name, "elsewhere"}
	if to != nil {
		of = append(of, to.Schema, to.Name)
	}
	return asideFor("rows", from.Name, of...)
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

// placeFree stands for a partition having left the place that others may want.
func placeFree(r catalog.Ref) catalog.Ref {
	return catalog.Ref{Kind: "place free", Schema: r.Schema, Name: r.Name}
}

// rowsWait stands for the rows of a partition that goes having been put aside.
func rowsWait(r catalog.Ref) catalog.Ref {
	return catalog.Ref{Kind: "rows wait", Schema: r.Schema, Name: r.Name}
}

// settle lets rows that wait into a partition that takes them, those of default
// partitions among them; nil where none can have to. After is the action that
// made the partition or let it in.
func (w *Writer) settle(c *order.Change, after *order.Action, defaults ...*catalog.Object) *order.Action {
	o := c.Source
	parent := family.ParentTable(c.Desired, o)
	if parent == nil || c.Actual.Find(parent.Ref()) == nil {
		return nil
	}
	list, takes := family.Settlers(c, parent)
	at := slices.IndexFunc(list, func(s *catalog.Object) bool { return s.Ref() == o.Ref() })
	if at < 0 {
		return nil
	}
	cond := takes[at]
	if others := slices.Delete(slices.Clone(takes), at, at+1); cond == "" {
		cond = "NOT " + family.AnyOf(others)
	}
	a := &order.Action{About: o.Ref(), Title: "let rows into partition " + o.Name, Makes: []catalog.Ref{rowsPutBack(o.Ref())}, Sequel: after}
	for _, from := range family.Leavers(c, parent) {
		after.After = append(after.After, placeFree(from.Ref()))
		if (from.Ref() != o.Ref() || family.Rebuilt(c, o.Ref())) && family.Elsewhere(c, from) != "" {
			a.SQL = append(a.SQL, rows.Move(from, o, settledName(from, nil), cond))
			a.After = append(a.After, placeFree(from.Ref()))
		}
	}
	for _, d := range defaults {
		a.SQL = append(a.SQL, rows.Move(d, o, settledName(d, o), ""))
	}
	if len(a.SQL) == 0 {
		return nil
	}
	for below, seen := family.Partitions(c, c.Desired, o), map[catalog.Ref]bool{}; len(below) > 0; { // its own partitions take them
		next := below[0]
		if below = below[1:]; !seen[next.Ref()] {
			seen[next.Ref()] = true
			a.After = append(a.After, next.Ref())
			below = append(slices.Clone(below), family.Partitions(c, c.Desired, next)...)
		}
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
func (w *Writer) fromDefault(c *order.Change, a *order.Action) (from []*catalog.Object) {
	o := c.Source
	parent := family.ParentTable(c.Desired, o)
	if parent == nil {
		return nil
	}
	was := c.Actual.Find(parent.Ref())
	if was == nil || o.Text("partition bound") == "DEFAULT" {
		return nil
	}
	list, takes := family.Settlers(c, parent)
	at := slices.IndexFunc(list, func(s *catalog.Object) bool { return s.Ref() == o.Ref() })
	if at < 0 {
		return nil
	}
	for _, d := range family.Partitions(c, c.Actual, was) {
		now := c.Desired.Find(d.Ref())
		if d.Text("partition bound") != "DEFAULT" || now == nil || now.Text("partition bound") != "DEFAULT" || !family.Moves(c, was) || d.Kind != catalog.Table {
			continue
		}
		if by := family.Referring(c, c.Actual, d); len(by) > 0 { // to delete there would reach them
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: o.Ref(), Text: fmt.Sprintf("fails when a row of the default partition belongs into it, as %s refers to them", by[0].Table.Name), Ask: rows.Meeting(d, takes[at], "belong into it")})
			continue
		}
		name := settledName(d, o)
		head := append(takeAside(d, name, takes[at]), quietly(d, fmt.Sprintf("DELETE FROM %s WHERE %s;", rows.Own(d), takes[at]))...)
		a.SQL = append(head, a.SQL...)
		a.Uses = append(a.Uses, d.Ref())
		a.Note = "Rows of the default partition that belong into it are moved there."
		from = append(from, d)
	}
	return from
}

// leaves says what it takes that a partition leaves its table: foreign keys
// that refer to the table have a copy for it (PostgreSQL: ALTER TABLE, DETACH
// PARTITION). It tells whether there are any.
func leaves(c *order.Change, was *catalog.Object, a *order.Action) bool {
	parent := family.ParentTable(c.Actual, was)
	if parent == nil {
		return false
	}
	by := family.Referring(c, c.Actual, parent)
	for _, r := range by {
		a.Locks = append(a.Locks, steps.AccessExclusive.On(r.Table.Ref()))
		if c.Desired.Resolve(r.Table.PartRef(r.Key)) != nil {
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: was.Ref(), Text: fmt.Sprintf("fails when a row of %s refers to one of its rows", r.Table.Name), Ask: rows.Referring(r.Table, r.Key, was)})
		}
	}
	return len(by) > 0
}
