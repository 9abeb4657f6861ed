package writer

import (
	"fmt"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
)

// A table moves into another schema with its rows, indexes, constraints and
// owned sequences; whatever stands on it follows (PostgreSQL: ALTER TABLE, SET
// SCHEMA).

// moved tells whether the two are one thing in two schemas.
func moved(now, was *catalog.Object) bool {
	return now != nil && was != nil && now.Schema != was.Schema && now.Twin != "" && now.Twin == was.Twin
}

// move is the step that moves a table or a free sequence.
func move(now, was *catalog.Object) *order.Action {
	a := &order.Action{About: now.Ref(), Title: fmt.Sprintf("move %s into schema %s", title(was), now.Schema),
		Makes: []catalog.Ref{now.Ref(), was.Ref()}, Frees: names(was), Takes: names(now),
		SQL: []string{fmt.Sprintf("ALTER %s %s SET SCHEMA %s;", keyword(was), qualified(was), quote(now.Schema))}}
	for _, p := range was.Parts {
		a.Frees = append(a.Frees, partNames(was, p)...)
	}
	for _, p := range now.Parts {
		if was.Part(p.Kind, p.Key()) != nil {
			a.Takes = append(a.Takes, partNames(now, p)...)
		}
	}
	return a
}

// moveTable moves the table before anything else is done to it, but after what
// is taken from it.
func moveTable(c *order.Change, actions []*order.Action) []*order.Action {
	m := move(c.Source, c.Target)
	taken := catalog.Ref{Kind: "taken before the move", Schema: c.Target.Schema, Name: c.Target.Name}
	m.After = []catalog.Ref{taken}
	for _, a := range actions {
		for _, e := range a.Effects { // it reaches who needed the thing where it was
			if e.On.Object() == c.Source.Ref() {
				e.On.Schema = c.Target.Schema
				a.Effects = append(a.Effects[:len(a.Effects):len(a.Effects)], e)
			}
		}
		switch {
		case len(a.Removes) > 0:
			a.Makes, a.Late = append(a.Makes, taken), false
		case a.Sequel == nil:
			a.Sequel = m
		}
	}
	return append([]*order.Action{m}, actions...)
}

// ownerMoved tells whether the table that owns a sequence moves, and the
// sequence with it.
func ownerMoved(c *order.Change) bool {
	now, was := c.Source.List("owner column"), c.Target.List("owner column")
	if len(now) != 3 || len(was) != 3 || now[2] != was[2] {
		return false
	}
	table := func(l []string) catalog.Ref {
		return catalog.Ref{Kind: catalog.Table, Schema: l[0], Name: l[1]}
	}
	return moved(c.Desired.Find(table(now)), c.Actual.Find(table(was)))
}

// parentMoved tells whether a partition or heir names another parent only
// because that one moved.
func parentMoved(c *order.Change, fact string) bool {
	now, was := c.Source.List(fact), c.Target.List(fact)
	if len(now) != len(was) {
		return false
	}
	find := func(cat *catalog.Catalog, o *catalog.Object, name string) *catalog.Object {
		for _, n := range o.Needs {
			if p := cat.Find(n.On); p != nil && !n.On.IsPart() && p.Kind == catalog.Table && qualified(p) == name {
				return p
			}
		}
		return nil
	}
	for i := range now {
		if now[i] != was[i] && !moved(find(c.Desired, c.Source, now[i]), find(c.Actual, c.Target, was[i])) {
			return false
		}
	}
	return true
}
