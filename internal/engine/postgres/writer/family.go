package writer

import (
	"cmp"
	"fmt"
	"slices"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/family"
	"dappermirror/internal/engine/postgres/steps"
	"dappermirror/internal/engine/postgres/vocab"
)

// A table has columns, constraints and indexes of those it belongs to, as a
// partition or as a child. It keeps them when it leaves, and must have them
// before it joins (PostgreSQL: ALTER TABLE, INHERIT, DETACH PARTITION).

const parentsLeft catalog.Kind = "parents left"

// leftParents stands for a table having left the parents it leaves.
func leftParents(r catalog.Ref) catalog.Ref {
	return catalog.Ref{Kind: parentsLeft, Schema: r.Schema, Name: r.Name}
}

// leftovers takes over what is left of former parents as parts of the table's
// own, and drops what the table shall not have; what a table that becomes a
// partition has like its new parent becomes that one's copy. It tells which
// parts of the source are there, and which of the target stay, by that.
func (w *Writer) leftovers(c *order.Change) (out []*order.Action, there map[*catalog.Object]bool) {
	there = map[*catalog.Object]bool{}
	if c.Target == nil || c.Source == nil || !vocab.IsTable(c.Source.Kind) {
		return nil, there
	}
	o := c.Source
	if _, _, joins := family.ParentChange(c); len(joins) > 0 && o.Has("partition of") {
		above := family.Upwards(c.Desired, joins)
		for _, e := range family.CopiesOf(o) {
			model := e.Original(above)
			if model == nil {
				continue
			}
			for _, p := range c.Target.PartsOf(e.Kind) {
				if there[p] || p.Has("clone") || o.Part(p.Kind, p.Key()) != nil || !family.Alike(p, model) {
					continue
				}
				there[p] = true
				now := p.Clone()
				now.Name = e.Name
				now.Remove("comment")
				a := &order.Action{About: c.Target.PartRef(p), Title: fmt.Sprintf("make %s %s of %s like its parent's", p.Kind.Title(), p.Name, o.Name), Makes: []catalog.Ref{c.Target.PartRef(p)}}
				if p.Name != e.Name {
					a.SQL = []string{renameSQL(o, p, now)}
					a.Frees, a.Takes = steps.PartNames(c.Target, p), steps.PartNames(o, now)
				}
				if p.Has("comment") {
					a.SQL = append(a.SQL, partComment(o, now))
				}
				if len(a.SQL) > 0 {
					out = append(out, a)
				}
				break
			}
		}
	}
	if leaves, _, _ := family.ParentChange(c); len(leaves) > 0 {
		out = append(out, notNullNames(c)...)
	}
	for _, left := range family.Kept(c) {
		var own *catalog.Object
		for _, p := range o.PartsOf(left.Kind) {
			if !there[p] && !p.Has("clone") && c.Target.Part(p.Kind, p.Key()) == nil && family.Alike(p, left) {
				own = p
				break
			}
		}
		if own == nil {
			a := w.dropPart(c.Target, left)
			a.After = append(a.After, leftParents(o.Ref()))
			out = append(out, a)
			continue
		}
		there[own] = true
		a := &order.Action{About: o.PartRef(own), Title: fmt.Sprintf("keep %s %s of %s", own.Kind.Title(), own.Name, o.Name), Makes: []catalog.Ref{o.PartRef(own)}, After: []catalog.Ref{leftParents(o.Ref())}, Takes: steps.PartNames(o, own)}
		if own.Name != left.Name {
			a.SQL = append(a.SQL, renameSQL(o, left, own))
		}
		if a.SQL = append(a.SQL, partExtras(o, own)...); len(a.SQL) > 0 {
			out = append(out, a)
		}
	}
	return out, there
}

// statesBelow are the statements that let a partitioned table's trigger fire in
// the partitions as each of them says: what makes it, or sets its state, sets
// the same in all of them (PostgreSQL: ALTER TABLE, ENABLE TRIGGER).
func (w *Writer) statesBelow(c *order.Change, p *catalog.Object) []string {
	if p.Kind != catalog.Trigger || !c.Source.Has("partition by") {
		return nil
	}
	var out []string
	for _, o := range c.Desired.Objects {
		if o == c.Source || !o.Has("partition of") || !slices.Contains(family.Upwards(c.Desired, family.ParentNames(o)), c.Source) || c.Actual.Find(o.Ref()) == nil {
			continue
		}
		if clone := o.Part(p.Kind, p.Key()); clone != nil && clone.Has("clone") && clone.Text("enabled") != p.Text("enabled") {
			out = append(out, stateSQL(o, clone)...)
		}
	}
	return out
}

// notNullNames gives NOT NULLs that a table has left over of former parents the
// names they shall have (PostgreSQL 18: they have their parents').
func notNullNames(c *order.Change) []*order.Action {
	o := c.Source
	var out []*order.Action
	for _, col := range o.PartsOf(catalog.Column) {
		was := c.Target.Part(catalog.Column, col.Key())
		if was == nil || !was.Has("inherited not null name") || !col.Has("not null") || family.FromParent(col) {
			continue
		}
		name := cmp.Or(col.Text("not null name"), vocab.NotNullName(o.Name, col.Name))
		if name == was.Text("inherited not null name") {
			continue
		}
		ref := o.PartRef(col)
		out = append(out, &order.Action{About: ref, Title: fmt.Sprintf("change the name of the NOT NULL of column %s of table %s", col.Name, o.Name), Makes: []catalog.Ref{ref.Of("not null name")}, After: []catalog.Ref{leftParents(o.Ref())},
			SQL: []string{fmt.Sprintf("%s RENAME CONSTRAINT %s TO %s;", alterPrefix(o), quote(was.Text("inherited not null name")), quote(name))}})
	}
	return out
}
