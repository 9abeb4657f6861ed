// Package family knows what it means for a change that tables belong to others,
// as partitions or as children: what comes with a parent and what stays when it
// is left, which tables must be made anew, where rows have to settle, and what
// copies of parts have of their own.
package family

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/vocab"
)

// FromParent tells whether the column comes with a parent's, whose own change
// reaches it.
func FromParent(col *catalog.Object) bool { return col.Has("inherited") }

// ParentNames are the tables that a table belongs to, as SQL.
func ParentNames(o *catalog.Object) []string {
	return append(slices.Clone(o.List("partition of")), o.List("inherits")...)
}

// Named is the table of a vocab.Qualified name.
func Named(cat *catalog.Catalog, name string) *catalog.Object {
	toks := sqltext.Significant(vocab.Dialect, name)
	if len(toks) != 3 {
		return nil
	}
	for _, kind := range []catalog.Kind{catalog.Table, vocab.ForeignTable} {
		if o := cat.Find(catalog.Ref{Kind: kind, Schema: toks[0].Name(), Name: toks[2].Name()}); o != nil {
			return o
		}
	}
	return nil
}

// Upwards are the tables that the named ones are or belong to.
func Upwards(cat *catalog.Catalog, names []string) []*catalog.Object {
	var out []*catalog.Object
	for len(names) > 0 {
		o := Named(cat, names[0])
		if names = names[1:]; o != nil && !slices.Contains(out, o) {
			out, names = append(out, o), append(names, ParentNames(o)...)
		}
	}
	return out
}

// ParentChange splits the parents of a table into those it leaves, keeps and joins.
func ParentChange(c *order.Change) (leaves, keeps, joins []string) {
	was, now := ParentNames(c.Target), ParentNames(c.Source)
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

// Copy is one of the constraints and indexes that a table has because another
// one it belongs to has it.
type Copy struct {
	Kind     catalog.Kind
	Name, Of string
}

func CopiesOf(o *catalog.Object) []Copy {
	var out []Copy
	for _, text := range o.List("copies") {
		kind, rest, _ := strings.Cut(text, " ")
		own, of := vocab.SplitName(rest)
		e := Copy{catalog.Kind(kind), vocab.Bare(own), vocab.Bare(own)}
		if of != "" {
			e.Of = vocab.Bare(of)
		}
		out = append(out, e)
	}
	return out
}

// Original is the part of one of the tables that an entry is a copy of.
func (e Copy) Original(in []*catalog.Object) *catalog.Object {
	for _, o := range in {
		for _, p := range o.PartsOf(e.Kind) {
			if p.Name == e.Of {
				return p
			}
		}
	}
	return nil
}

// Kept are the constraints and indexes that a table has left over of the
// parents it leaves for good.
func Kept(c *order.Change) []*catalog.Object {
	leaves, keeps, joins := ParentChange(c)
	if len(leaves) == 0 {
		return nil
	}
	left, still := Upwards(c.Actual, leaves), Upwards(c.Actual, append(keeps, joins...))
	var out []*catalog.Object
	for _, e := range CopiesOf(c.Target) {
		p := e.Original(left)
		if p == nil || e.Original(still) != nil {
			continue
		}
		copy := p.Clone()
		copy.Name, copy.ID = e.Name, ""
		for _, fact := range []string{"comment", "index comment", "clustered", "replica identity"} {
			copy.Remove(fact)
		}
		out = append(out, copy)
	}
	return out
}

// Alike tells whether a part is what is left over, but for its name.
func Alike(p, left *catalog.Object) bool {
	return p.Kind == left.Kind && p.Text("definition") == left.Text("definition") && p.Has("unique") == left.Has("unique") && p.Has("deferrable") == left.Has("deferrable") &&
		p.Has("initially deferred") == left.Has("initially deferred") && p.Has("not valid") == left.Has("not valid") && (left.Kind != catalog.Check || p.Name == left.Name)
}

// ComesWith tells whether a table gets a column from a parent that it belongs
// to already.
func ComesWith(c *order.Change, col *catalog.Object) bool {
	if c.Target == nil {
		return true
	}
	_, keeps, _ := ParentChange(c)
	return slices.ContainsFunc(keeps, func(name string) bool {
		p := Named(c.Desired, name)
		return p != nil && p.Part(catalog.Column, col.Key()) != nil
	})
}

// GoesWith tells whether a column goes when a parent's does that the table goes
// on belonging to.
func GoesWith(c *order.Change, col *catalog.Object) bool {
	if c.Source == nil {
		return true
	}
	_, keeps, _ := ParentChange(c)
	return slices.ContainsFunc(keeps, func(name string) bool {
		p := Named(c.Actual, name)
		return p != nil && p.Part(catalog.Column, col.Key()) != nil
	})
}

// InheritsAnew tells whether a child table shall have columns or checks from
// its parents alone that it has of its own, or not at all: nothing but to make
// it with them does that (PostgreSQL: CREATE TABLE, INHERITS; to INHERIT leaves
// them its own as well).
func InheritsAnew(was, now *catalog.Object) bool {
	if !now.Has("inherits") || was.Has("partition of") {
		return false
	}
	for _, col := range now.PartsOf(catalog.Column) {
		old := was.Part(catalog.Column, col.Key())
		joined := !slices.Equal(now.List("inherits"), was.List("inherits"))
		if FromParent(col) && (old != nil && !FromParent(old) || old == nil && joined) {
			return true
		}
	}
	for _, e := range CopiesOf(now) {
		if own := was.Part(catalog.Check, e.Name); e.Kind == catalog.Check && own != nil && now.Part(catalog.Check, e.Name) == nil {
			return true
		}
	}
	return false
}

// Joining are the things that must be there before a table joins parents: what
// it changes of its own, and what they do.
func Joining(c *order.Change, joins []string) []catalog.Ref {
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
		if p := Named(c.Desired, name); p != nil {
			for _, part := range p.Parts {
				if part.Kind == catalog.Column || part.Kind == catalog.Check {
					out = append(out, p.PartRef(part))
				}
			}
		}
	}
	return out
}

func ParentTable(cat *catalog.Catalog, o *catalog.Object) *catalog.Object {
	for _, n := range o.Needs {
		if vocab.IsTable(n.On.Kind) && !n.On.IsPart() {
			if p := cat.Find(n.On); p != nil && slices.Contains(o.List("partition of"), vocab.Qualified(p)) {
				return p
			}
		}
	}
	return nil
}
