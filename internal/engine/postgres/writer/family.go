package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
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

// parentNames are the tables that a table belongs to, as SQL.
func parentNames(o *catalog.Object) []string {
	return append(slices.Clone(o.List("partition of")), o.List("inherits")...)
}

// named is the table of a qualified name.
func named(cat *catalog.Catalog, name string) *catalog.Object {
	for _, o := range cat.Objects {
		if vocab.IsTable(o.Kind) && qualified(o) == name {
			return o
		}
	}
	return nil
}

// upwards are the tables that the named ones are or belong to.
func upwards(cat *catalog.Catalog, names []string) []*catalog.Object {
	var out []*catalog.Object
	for len(names) > 0 {
		o := named(cat, names[0])
		if names = names[1:]; o != nil && !slices.Contains(out, o) {
			out, names = append(out, o), append(names, parentNames(o)...)
		}
	}
	return out
}

// parentChange splits the parents of a table into those it leaves, keeps and joins.
func parentChange(c *order.Change) (leaves, keeps, joins []string) {
	was, now := parentNames(c.Target), parentNames(c.Source)
	for _, p := range was {
		if slices.Contains(now, p) && (!c.Target.Has("partition bound") || c.Target.Text("partition bound") == c.Source.Text("partition bound")) {
			keeps = append(keeps, p)
		} else {
			leaves = append(leaves, p)
		}
	}
	for _, p := range now {
		if !slices.Contains(keeps, p) {
			joins = append(joins, p)
		}
	}
	return leaves, keeps, joins
}

// entry is one of the constraints and indexes that a table has because another
// one it belongs to has it.
type entry struct {
	kind     catalog.Kind
	name, of string
}

func copiesOf(o *catalog.Object) []entry {
	var out []entry
	for _, text := range o.List("copies") {
		kind, rest, _ := strings.Cut(text, " ")
		own, of := splitName(rest)
		e := entry{catalog.Kind(kind), vocab.Bare(own), vocab.Bare(own)}
		if of != "" {
			e.of = vocab.Bare(of)
		}
		out = append(out, e)
	}
	return out
}

// original is the part of one of the tables that an entry is a copy of.
func (e entry) original(in []*catalog.Object) *catalog.Object {
	for _, o := range in {
		for _, p := range o.PartsOf(e.kind) {
			if p.Name == e.of {
				return p
			}
		}
	}
	return nil
}

// kept are the constraints and indexes that a table has left over of the
// parents it leaves for good.
func kept(c *order.Change) []*catalog.Object {
	leaves, keeps, joins := parentChange(c)
	if len(leaves) == 0 {
		return nil
	}
	left, still := upwards(c.Actual, leaves), upwards(c.Actual, append(keeps, joins...))
	var out []*catalog.Object
	for _, e := range copiesOf(c.Target) {
		p := e.original(left)
		if p == nil || e.original(still) != nil {
			continue
		}
		copy := p.Clone()
		copy.Name, copy.ID = e.name, ""
		for _, fact := range []string{"comment", "index comment", "clustered", "replica identity"} {
			copy.Remove(fact)
		}
		out = append(out, copy)
	}
	return out
}

// alike tells whether a part is what is left over, but for its name.
func alike(p, left *catalog.Object) bool {
	return p.Kind == left.Kind && p.Text("definition") == left.Text("definition") && p.Has("unique") == left.Has("unique") && p.Has("deferrable") == left.Has("deferrable") &&
		p.Has("initially deferred") == left.Has("initially deferred") && p.Has("not valid") == left.Has("not valid") && (left.Kind != catalog.Check || p.Name == left.Name)
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
	if _, _, joins := parentChange(c); len(joins) > 0 && o.Has("partition of") {
		above := upwards(c.Desired, joins)
		for _, e := range copiesOf(o) {
			model := e.original(above)
			if model == nil {
				continue
			}
			for _, p := range c.Target.PartsOf(e.kind) {
				if there[p] || p.Has("clone") || o.Part(p.Kind, p.Key()) != nil || !alike(p, model) {
					continue
				}
				there[p] = true
				now := p.Clone()
				now.Name = e.name
				now.Remove("comment")
				a := &order.Action{About: c.Target.PartRef(p), Title: fmt.Sprintf("make %s %s of %s like its parent's", p.Kind.Title(), p.Name, o.Name), Makes: []catalog.Ref{c.Target.PartRef(p)}}
				if p.Name != e.name {
					a.SQL = []string{renameSQL(o, p, now)}
					a.Frees, a.Takes = partNames(c.Target, p), partNames(o, now)
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
	for _, left := range kept(c) {
		var own *catalog.Object
		for _, p := range o.PartsOf(left.Kind) {
			if !there[p] && !p.Has("clone") && c.Target.Part(p.Kind, p.Key()) == nil && alike(p, left) {
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
		a := &order.Action{About: o.PartRef(own), Title: fmt.Sprintf("keep %s %s of %s", own.Kind.Title(), own.Name, o.Name), Makes: []catalog.Ref{o.PartRef(own)}, After: []catalog.Ref{leftParents(o.Ref())}, Takes: partNames(o, own)}
		if own.Name != left.Name {
			a.SQL = append(a.SQL, renameSQL(o, left, own))
		}
		if a.SQL = append(a.SQL, partExtras(o, own)...); len(a.SQL) > 0 {
			out = append(out, a)
		}
	}
	return out, there
}

// comesWith tells whether a table gets a column from a parent that it belongs
// to already.
func comesWith(c *order.Change, col *catalog.Object) bool {
	if c.Target == nil {
		return true
	}
	_, keeps, _ := parentChange(c)
	return slices.ContainsFunc(keeps, func(name string) bool {
		p := named(c.Desired, name)
		return p != nil && p.Part(catalog.Column, col.Key()) != nil
	})
}

// goesWith tells whether a column goes when a parent's does that the table goes
// on belonging to.
func goesWith(c *order.Change, col *catalog.Object) bool {
	if c.Source == nil {
		return true
	}
	_, keeps, _ := parentChange(c)
	return slices.ContainsFunc(keeps, func(name string) bool {
		p := named(c.Actual, name)
		return p != nil && p.Part(catalog.Column, col.Key()) != nil
	})
}

// inheritsAnew tells whether a child table shall have columns or checks from
// its parents alone that it has of its own, or not at all: nothing but to make
// it with them does that (PostgreSQL: CREATE TABLE, INHERITS; to INHERIT leaves
// them its own as well).
func inheritsAnew(was, now *catalog.Object) bool {
	if !now.Has("inherits") || was.Has("partition of") {
		return false
	}
	for _, col := range now.PartsOf(catalog.Column) {
		old := was.Part(catalog.Column, col.Key())
		joined := !slices.Equal(now.List("inherits"), was.List("inherits"))
		if fromParent(col) && (old != nil && !fromParent(old) || old == nil && joined) {
			return true
		}
	}
	for _, e := range copiesOf(now) {
		if own := was.Part(catalog.Check, e.name); e.kind == catalog.Check && own != nil && now.Part(catalog.Check, e.name) == nil {
			return true
		}
	}
	return false
}

// joining are the things that must be there before a table joins parents: what
// it changes of its own, and what they do.
func joining(c *order.Change, joins []string) []catalog.Ref {
	var out []catalog.Ref
	for _, it := range c.Parts {
		if it.Source != nil && (it.Kind() == catalog.Column || it.Kind() == catalog.Check) && (it.Target == nil || len(it.Properties) > 0) {
			out = append(out, c.Source.PartRef(it.Source))
			for _, d := range it.Properties {
				out = append(out, c.Source.PartRef(it.Source).Of(map[string]string{"not null": "nullability"}[d.Name]), c.Source.PartRef(it.Source).Of(d.Name))
			}
		}
	}
	for _, name := range joins {
		if p := named(c.Desired, name); p != nil {
			for _, part := range p.Parts {
				if part.Kind == catalog.Column || part.Kind == catalog.Check {
					out = append(out, p.PartRef(part))
				}
			}
		}
	}
	return out
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
		if o == c.Source || !o.Has("partition of") || !slices.Contains(upwards(c.Desired, parentNames(o)), c.Source) || c.Actual.Find(o.Ref()) == nil {
			continue
		}
		if clone := o.Part(p.Kind, p.Key()); clone != nil && clone.Has("clone") && clone.Text("enabled") != p.Text("enabled") {
			out = append(out, stateSQL(o, clone)...)
		}
	}
	return out
}
