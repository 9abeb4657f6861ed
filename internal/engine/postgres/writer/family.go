package writer

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

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

// ownOfCopies gives a partition's copies of its parents' constraints and indexes
// what they have of their own.
func ownOfCopies(c *order.Change) []*order.Action {
	o := c.Source
	const fact = "copied parts"
	now, was := o.List(fact), []string(nil)
	if c.Target != nil {
		was = c.Target.List(fact)
	}
	a := &order.Action{About: o.Ref(), Title: "set what copies of parts have of their own on partition " + o.Name, Makes: []catalog.Ref{ownCopies(o.Ref())}, After: []catalog.Ref{o.Ref()}}
	add := func(item string, set bool) {
		kind, rest, _ := strings.Cut(item, " ")
		of, what := splitName(rest)
		p := &copyOf{kind: catalog.Kind(kind), of: vocab.Bare(of)}
		for _, above := range family.Upwards(c.Desired, family.ParentNames(o)) {
			for _, part := range above.PartsOf(p.kind) {
				if part.Name == p.of {
					p.in = above
					a.After = append(a.After, above.PartRef(part))
				}
			}
		}
		p.find(c)
		a.SQL = append(a.SQL, p.sql(c, what, set)...)
	}
	for _, names := range []bool{true, false} { // by their names from there on
		for _, item := range was {
			if !slices.Contains(now, item) && strings.Contains(item, " name ") == names {
				add(item, false)
			}
		}
		for _, item := range now {
			if !slices.Contains(was, item) && strings.Contains(item, " name ") == names {
				add(item, true)
			}
		}
	}
	if len(a.SQL) == 0 {
		return nil
	}
	return []*order.Action{a}
}

func ownCopies(r catalog.Ref) catalog.Ref {
	return catalog.Ref{Kind: "own of copies", Schema: r.Schema, Name: r.Name}
}

// copyOf is a copy of a part, with the names it has and shall have; was is "" for
// one that is not there before.
type copyOf struct {
	kind         catalog.Kind
	of, was, now string
	in           *catalog.Object // the table it is of
}

func (p *copyOf) find(c *order.Change) {
	name := func(o *catalog.Object) string {
		if o != nil {
			for _, e := range family.CopiesOf(o) {
				if e.Kind == p.kind && e.Of == p.of {
					return e.Name
				}
			}
		}
		return ""
	}
	p.was, p.now = name(c.Target), name(c.Source)
}

// sql sets one thing, or gives it up.
func (p *copyOf) sql(c *order.Change, what string, set bool) []string {
	o := c.Source
	index := quote(o.Schema) + "." + quote(p.now)
	word, value, _ := strings.Cut(what, " ")
	switch word {
	case "name":
		return p.rename(o)
	case "clustered":
		if set {
			return []string{fmt.Sprintf("ALTER TABLE %s CLUSTER ON %s;", qualified(o), quote(p.now))}
		}
		return []string{fmt.Sprintf("ALTER TABLE %s SET WITHOUT CLUSTER;", qualified(o))}
	case "replica":
		if set {
			return []string{fmt.Sprintf("ALTER TABLE %s REPLICA IDENTITY USING INDEX %s;", qualified(o), quote(p.now))}
		}
		return []string{fmt.Sprintf("ALTER TABLE %s REPLICA IDENTITY %s;", qualified(o), strings.ToUpper(cmp.Or(o.Text("replica identity"), "default")))}
	case "options":
		if options := strings.Split(value, ", "); set && value != "" {
			return []string{fmt.Sprintf("ALTER INDEX %s SET (%s);", index, optionList(options))}
		}
		var names []string
		for _, option := range strings.Split(value, ", ") {
			name, _, _ := strings.Cut(option, "=")
			names = append(names, name)
		}
		return []string{fmt.Sprintf("ALTER INDEX %s RESET (%s);", index, strings.Join(names, ", "))}
	case "comment":
		text := "NULL"
		if set {
			text = literal(value)
		}
		if p.kind == catalog.Index {
			return []string{fmt.Sprintf("COMMENT ON INDEX %s IS %s;", index, text)}
		}
		return []string{fmt.Sprintf("COMMENT ON CONSTRAINT %s ON %s IS %s;", quote(p.now), qualified(o), text)}
	}
	return nil
}

// rename gives a copy its name. The server has named one that is new.
func (p *copyOf) rename(o *catalog.Object) []string {
	switch {
	case p.was == p.now || p.now == "":
		return nil
	case p.was != "" && p.kind == catalog.Index:
		return []string{fmt.Sprintf("ALTER INDEX %s.%s RENAME TO %s;", quote(o.Schema), quote(p.was), quote(p.now))}
	case p.was != "":
		return []string{fmt.Sprintf("%s RENAME CONSTRAINT %s TO %s;", alterPrefix(o), quote(p.was), quote(p.now))}
	case p.in == nil || p.kind == catalog.ForeignKey || p.kind == catalog.Check:
		return nil
	}
	look := fmt.Sprintf("SELECT format('ALTER INDEX %%s RENAME TO %%I', t.relid::regclass, %s) FROM pg_partition_tree(%s::regclass) AS t JOIN pg_index AS x ON x.indexrelid = t.relid WHERE x.indrelid = %s::regclass AND t.relid::regclass <> %[2]s::regclass",
		literal(p.now), literal(quote(p.in.Schema)+"."+quote(p.of)), literal(qualified(o)))
	tag := "$name$"
	for n := 2; strings.Contains(look, tag); n++ {
		tag = fmt.Sprintf("$name%d$", n)
	}
	return []string{fmt.Sprintf("DO %s BEGIN EXECUTE (%s); END %[1]s;", tag, look)}
}
