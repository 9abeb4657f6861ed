package writer

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/family"
	"dappermirror/internal/engine/postgres/rows"
	"dappermirror/internal/engine/postgres/steps"
	"dappermirror/internal/engine/postgres/vocab"
)

// separate tells which parts do not stand in CREATE TABLE. A check that stood
// there would be taken for valid.
func separate(p *catalog.Object) bool {
	switch p.Kind {
	case catalog.ForeignKey, catalog.Index, catalog.Trigger, kindPolicy, kindRule:
		return true
	}
	return p.Has("not valid")
}

// ownOfInherited is what an inherited column has of its own.
func ownOfInherited(c *order.Change, o, col *catalog.Object) []string {
	var out []string
	if col.Has("default") {
		out = append(out, "ALTER COLUMN "+quote(col.Name)+" SET DEFAULT "+col.Text("default"))
	}
	above := slices.ContainsFunc(family.Upwards(c.Desired, family.ParentNames(o)), func(parent *catalog.Object) bool {
		pc := partOf(parent, col)
		return pc != nil && pc.Has("not null")
	})
	if col.Has("not null") && !col.Has("not null not valid") && !above {
		out = append(out, "ALTER COLUMN "+quote(col.Name)+" SET NOT NULL")
	}
	return append(out, columnExtras(col)...)
}

// createTable makes a table with its columns and constraints; keys to other
// tables, indexes, triggers and policies follow as steps of their own.
func (w *Writer) createTable(c *order.Change) []*order.Action {
	o := c.Source
	var lines, defaults []string
	a := steps.Created(o)
	partition := o.Has("partition of")
	var parent *catalog.Object
	if partition {
		parent = family.ParentTable(c.Desired, o)
		steps.AlsoLocks(a, steps.AccessExclusive, o)
	} else if o.Has("inherits") {
		steps.AlsoLocks(a, steps.ShareUpdateExclusive, o)
	}
	for _, p := range o.Parts {
		if separate(p) {
			continue
		}
		a.Makes = append(a.Makes, o.PartRef(p))
		switch {
		case p.Kind == catalog.Column && partition:
			if l := partitionColumn(p, parent); l != "" {
				lines = append(lines, l)
			}
			if pc := partOf(parent, p); pc != nil && pc.Has("default") && !p.Has("default") {
				defaults = append(defaults, "ALTER COLUMN "+quote(p.Name)+" DROP DEFAULT")
			}
			defaults = append(defaults, columnExtras(p)...)
		case p.Kind == catalog.Column && o.Has("of type"):
			if l := typedColumn(p); l != "" {
				lines = append(lines, l)
			}
			defaults = append(defaults, columnExtras(p)...)
		case p.Kind == catalog.Column && p.Has("inherited"):
			defaults = append(defaults, ownOfInherited(c, o, p)...)
		case p.Kind == catalog.Column:
			lines = append(lines, columnSQL(p, true))
			defaults = append(defaults, columnExtras(p)...)
		default:
			lines = append(lines, constraintSQL(p))
			a.Takes = append(a.Takes, steps.PartNames(o, p)...)
		}
	}
	a.SQL = []string{tableHead(o, lines) + ";"}
	a.SQL = append(a.SQL, tableTail(o, defaults)...)
	for _, p := range o.Parts {
		if p.Kind == catalog.Column {
			a.SQL = append(a.SQL, identityExtras(c, o, p)...)
		} else if !separate(p) {
			a.SQL = append(a.SQL, partExtras(o, p)...)
		}
	}
	if hasDefaults(o) && !partition && !o.Has("of type") {
		a.Split = func() []*order.Action { return w.splitTable(c, a) }
	}
	out := []*order.Action{a}
	var settled *order.Action
	if partition {
		defaults := w.fromDefault(c, a)
		out = append(out, family.OwnOfCopies(c)...)
		if settled = w.settle(c, a, defaults...); settled != nil {
			out = append(out, settled)
		}
	}
	for _, p := range o.Parts {
		if separate(p) {
			b := w.createPart(o, p)
			if settled != nil {
				b.After = append(b.After, settled.Makes...)
			}
			b.Risks = nil // there are no rows yet
			afterRows(c, p, b)
			if p.Has("clone") && !p.Has("enabled") {
				continue
			}
			out = append(out, b)
		}
	}
	return out
}

func hasDefaults(o *catalog.Object) bool {
	for _, p := range o.PartsOf(catalog.Column) {
		if p.Has("default") {
			return true
		}
	}
	return len(o.PartsOf(catalog.Check)) > 0
}

// splitTable makes the table without defaults and checks, and adds those as
// steps of their own: a default may call a function over the table's rows.
func (w *Writer) splitTable(c *order.Change, whole *order.Action) []*order.Action {
	o := c.Source
	a := *whole
	a.Split = nil
	bare := o.Clone()
	bare.Parts = nil
	var later []*order.Action
	a.Makes = []catalog.Ref{o.Ref()}
	var lines, extras []string
	for _, p := range o.Parts {
		switch {
		case separate(p):
		case p.Kind == catalog.Check:
			later = append(later, w.createPart(o, p))
		case p.Kind == catalog.Column:
			if p.Has("inherited") {
				break
			}
			lines = append(lines, columnSQL(p, false))
			extras = append(extras, columnExtras(p)...)
			if p.Has("default") {
				ref := o.PartRef(p)
				later = append(later, &order.Action{About: ref, Title: fmt.Sprintf("set the default of column %s of %s", p.Name, o.Name), Makes: []catalog.Ref{ref},
					Prefix: alterPrefix(o), Clauses: []string{"ALTER COLUMN " + quote(p.Name) + " SET DEFAULT " + p.Text("default")}})
			} else {
				a.Makes = append(a.Makes, o.PartRef(p))
			}
		default:
			lines = append(lines, constraintSQL(p))
			a.Makes = append(a.Makes, o.PartRef(p))
		}
	}
	a.SQL = append([]string{tableHead(o, lines) + ";"}, tableTail(o, extras)...)
	a.SQL = append(a.SQL, objectExtras(o)...)
	for _, l := range later {
		l.Risks = nil
	}
	return append([]*order.Action{&a}, later...)
}

// alterTable changes a table in place.
func (w *Writer) alterTable(c *order.Change) ([]*order.Action, bool) {
	above, ok := family.RecastAbove(c, c.Actual, c.Target)
	if to, comes := family.RecastAbove(c, c.Desired, c.Source); !ok && comes {
		above, ok = to, true
	}
	if ok && above != c.Source.Ref() || family.RebuiltAbove(c, c.Actual, c.Target) || family.RebuiltAbove(c, c.Desired, c.Source) {
		return nil, false // it goes with its root, or its rows settle anew
	}
	if ok {
		return w.recastTable(c), true
	}
	var out []*order.Action
	for _, d := range c.Properties {
		switch d.Name {
		case "access method", "server":
			return nil, false
		case "of type":
			if d.Source != nil && d.Target != nil {
				return nil, false
			}
		}
		if as := w.tableFact(c, d); as != nil {
			out = append(out, as...)
		}
	}
	out = append(out, steps.OutwardActions(c)...)
	out = append(out, w.columns(c)...)
	out = append(out, w.parts(c, func(k catalog.Kind) bool { return k != catalog.Column })...)
	return out, true
}

// tableFact changes one fact of the table itself.
func (w *Writer) tableFact(c *order.Change, d compare.PropertyDiff) []*order.Action {
	o := c.Source
	one := func(title string, clauses ...string) []*order.Action {
		return []*order.Action{{About: o.Ref(), Title: title + " of table " + o.Name, Makes: []catalog.Ref{o.Ref()}, Prefix: alterPrefix(o), Clauses: clauses}}
	}
	yes := d.Source != nil
	switch d.Name {
	case "unlogged":
		as := one("change the logging", map[bool]string{true: "SET UNLOGGED", false: "SET LOGGED"}[yes])
		as[0].Risks = []order.Risk{{Kind: order.Rewrite, On: o.Ref(), Text: "the table is copied while everything on it waits"}}
		as[0].Makes = append(as[0].Makes, logging(o.Ref()))
		as[0].After = loggedBefore(c, yes)
		return as
	case "of type":
		if yes {
			return one("tie the columns to a type", "OF "+o.Text("of type"))
		}
		return one("free the columns from their type", "NOT OF")
	case "options":
		if o.Kind == vocab.ForeignTable {
			return one("change the options", changedGeneric(o.List("options"), c.Target.List("options")))
		}
		as := one("change the storage parameters", optionClauses(writtenOptions(o), writtenOptions(c.Target))...)
		steps.ShareUpdateExclusive.Takes(as[0])
		return as
	case "row security":
		return one("change the row security", map[bool]string{true: "ENABLE ROW LEVEL SECURITY", false: "DISABLE ROW LEVEL SECURITY"}[yes])
	case "row security forced":
		return one("change the row security", map[bool]string{true: "FORCE ROW LEVEL SECURITY", false: "NO FORCE ROW LEVEL SECURITY"}[yes])
	case "replica identity":
		return one("change the replica identity", "REPLICA IDENTITY "+strings.ToUpper(cmp.Or(o.Text("replica identity"), "default")))
	case "tablespace":
		as := one("move", "SET TABLESPACE "+quote(cmp.Or(o.Text("tablespace"), "pg_default")))
		as[0].Risks = []order.Risk{{Kind: order.Rewrite, On: o.Ref(), Text: "the table is copied while everything on it waits"}}
		return as
	case "copied parts":
		return family.OwnOfCopies(c)
	case "inherits":
		return inheritance(c)
	case "partition of", "partition bound":
		if d.Name == "partition bound" && c.Property("partition of") != nil {
			return nil
		}
		return w.rebind(c)
	}
	return nil
}

// logging stands for a table having the persistence it shall have.
func logging(r catalog.Ref) catalog.Ref {
	return catalog.Ref{Kind: "logging", Schema: r.Schema, Name: r.Name}
}

// loggedBefore are the tables whose persistence changes before a table's: what
// is logged never refers to what is not (PostgreSQL: ALTER TABLE, SET LOGGED).
func loggedBefore(c *order.Change, unlogged bool) []catalog.Ref {
	var out []catalog.Ref
	for _, u := range c.Actual.Objects {
		for _, fk := range u.PartsOf(catalog.ForeignKey) {
			to := rows.Referred(c.Actual, fk)
			switch {
			case to == nil || to == u:
			case unlogged && to == c.Target:
				out = append(out, logging(u.Ref()))
			case !unlogged && u == c.Target:
				out = append(out, logging(to.Ref()))
			}
		}
	}
	return out
}

// writtenOptions are an object's storage parameters in the order in which they
// are kept.
func writtenOptions(o *catalog.Object) []string {
	if l := o.List("written options"); l != nil {
		return l
	}
	return o.List("options")
}

// inheritance lets a table leave and join tables it inherits from.
func inheritance(c *order.Change) []*order.Action {
	o := c.Source
	leaves, _, joins := family.ParentChange(c)
	var out []*order.Action
	add := func(title, word string, names []string) *order.Action {
		a := steps.AccessExclusive.Takes(&order.Action{About: o.Ref(), Title: title + " of table " + o.Name})
		for _, n := range names {
			a.SQL = append(a.SQL, fmt.Sprintf("%s %s %s;", alterPrefix(o), word, n))
		}
		steps.AlsoLocks(a, steps.ShareUpdateExclusive, c.Target)
		steps.AlsoLocks(a, steps.ShareUpdateExclusive, o)
		out = append(out, a)
		return a
	}
	if len(leaves) > 0 { // before what the parents change reaches it
		a := add("leave parents", "NO INHERIT", leaves)
		a.Removes, a.Makes = []catalog.Ref{leftParents(o.Ref())}, nil
		for _, name := range leaves {
			if p := family.Named(c.Actual, name); p != nil {
				for _, part := range p.Parts {
					a.Uses = append(a.Uses, p.PartRef(part))
				}
			}
		}
	}
	if len(joins) > 0 {
		a := add("join parents", "INHERIT", joins)
		a.After = family.Joining(c, joins)
	}
	return out
}

// rebind makes a table a partition of another one than it was, or of none, or
// with another bound.
func (w *Writer) rebind(c *order.Change) []*order.Action {
	o, was := c.Source, c.Target
	var out []*order.Action
	own := ""
	if parent := family.ParentTable(c.Desired, o); parent != nil && o.Text("partition bound") != "DEFAULT" {
		own = rows.Bound(parent.Text("partition by"), o.Text("partition bound"), parent)
	}
	where := family.Elsewhere(c, was)
	for _, p := range was.List("partition of") {
		a := steps.AccessExclusive.Takes(&order.Action{About: o.Ref(), Title: "detach partition " + o.Name, Makes: []catalog.Ref{o.Ref(), placeFree(o.Ref()), leftParents(o.Ref())},
			SQL: []string{fmt.Sprintf("ALTER TABLE %s DETACH PARTITION %s;", p, qualified(o))}})
		steps.AlsoLocks(a, steps.AccessExclusive, was)
		leaves(c, was, a)
		if o.Has("partition of") && where != "" && own != "" {
			move := "NOT " + own + " AND " + where
			a.SQL = slices.Concat(a.SQL, takeAside(was, settledName(was, nil), move), quietly(ownTriggers(was), fmt.Sprintf("DELETE FROM %s WHERE %s;", rows.Own(was), move)))
		} else if where != "" {
			where = ""
		}
		out = append(out, a)
	}
	for _, p := range o.List("partition of") {
		a := &order.Action{About: o.Ref(), Title: "attach partition " + o.Name, Makes: []catalog.Ref{o.Ref()},
			SQL:   []string{fmt.Sprintf("ALTER TABLE %s ATTACH PARTITION %s %s;", p, qualified(o), o.Text("partition bound"))},
			Risks: []order.Risk{{Kind: order.MayFail, On: o.Ref(), Text: "fails when a row does not belong into the partition", Ask: misplaced(c, o, where)}}}
		steps.AlsoLocks(steps.AccessExclusive.Takes(a), steps.ShareUpdateExclusive, o)
		if len(out) > 0 {
			a.Sequel = out[len(out)-1]
		}
		for _, t := range o.PartsOf(catalog.Trigger) {
			if t.Has("clone") && t.Has("enabled") { // it is a new copy of the parent's
				a.SQL = append(a.SQL, stateSQL(o, t)...)
			}
		}
		out = append(out, a)
		if s := w.settle(c, a); s != nil {
			out = append(out, s)
		}
	}
	return out
}

// ownTriggers is a table with the triggers it has without its parent.
func ownTriggers(o *catalog.Object) *catalog.Object {
	own := *o
	own.Parts = slices.DeleteFunc(slices.Clone(o.Parts), func(p *catalog.Object) bool { return p.Kind == catalog.Trigger && p.Has("clone") })
	return &own
}
