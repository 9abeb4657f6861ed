package family

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/ddl"
	"dappermirror/internal/engine/postgres/vocab"
)

// OwnOfCopies gives a partition's copies of its parents' constraints and indexes
// what they have of their own.
func OwnOfCopies(c *order.Change) []*order.Action {
	o := c.Source
	const fact = "copied parts"
	now, was := o.List(fact), []string(nil)
	if c.Target != nil {
		was = c.Target.List(fact)
	}
	a := &order.Action{About: o.Ref(), Title: "set what copies of parts have of their own on partition " + o.Name, Makes: []catalog.Ref{ownCopies(o.Ref())}, After: []catalog.Ref{o.Ref()}}
	add := func(item string, set bool) {
		kind, rest, _ := strings.Cut(item, " ")
		of, what := vocab.SplitName(rest)
		p := &copyOf{kind: catalog.Kind(kind), of: vocab.Bare(of)}
		for _, above := range Upwards(c.Desired, ParentNames(o)) {
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
			for _, e := range CopiesOf(o) {
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
	index := vocab.Quote(o.Schema) + "." + vocab.Quote(p.now)
	word, value, _ := strings.Cut(what, " ")
	switch word {
	case "name":
		return p.rename(o)
	case "clustered":
		if set {
			return []string{fmt.Sprintf("ALTER TABLE %s CLUSTER ON %s;", vocab.Qualified(o), vocab.Quote(p.now))}
		}
		return []string{fmt.Sprintf("ALTER TABLE %s SET WITHOUT CLUSTER;", vocab.Qualified(o))}
	case "replica":
		if set {
			return []string{fmt.Sprintf("ALTER TABLE %s REPLICA IDENTITY USING INDEX %s;", vocab.Qualified(o), vocab.Quote(p.now))}
		}
		return []string{fmt.Sprintf("ALTER TABLE %s REPLICA IDENTITY %s;", vocab.Qualified(o), strings.ToUpper(cmp.Or(o.Text("replica identity"), "default")))}
	case "options":
		if options := strings.Split(value, ", "); set && value != "" {
			return []string{fmt.Sprintf("ALTER INDEX %s SET (%s);", index, ddl.OptionList(options))}
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
			text = vocab.Literal(value)
		}
		if p.kind == catalog.Index {
			return []string{fmt.Sprintf("COMMENT ON INDEX %s IS %s;", index, text)}
		}
		return []string{fmt.Sprintf("COMMENT ON CONSTRAINT %s ON %s IS %s;", vocab.Quote(p.now), vocab.Qualified(o), text)}
	}
	return nil
}

// rename gives a copy its name. The server has named one that is new.
func (p *copyOf) rename(o *catalog.Object) []string {
	switch {
	case p.was == p.now || p.now == "":
		return nil
	case p.was != "" && p.kind == catalog.Index:
		return []string{fmt.Sprintf("ALTER INDEX %s.%s RENAME TO %s;", vocab.Quote(o.Schema), vocab.Quote(p.was), vocab.Quote(p.now))}
	case p.was != "":
		return []string{fmt.Sprintf("%s RENAME CONSTRAINT %s TO %s;", ddl.AlterPrefix(o), vocab.Quote(p.was), vocab.Quote(p.now))}
	case p.in == nil || p.kind == catalog.ForeignKey || p.kind == catalog.Check:
		return nil
	}
	look := fmt.Sprintf("SELECT format('ALTER INDEX %%s RENAME TO %%I', t.relid::regclass, %s) FROM pg_partition_tree(%s::regclass) AS t JOIN pg_index AS x ON x.indexrelid = t.relid WHERE x.indrelid = %s::regclass AND t.relid::regclass <> %[2]s::regclass",
		vocab.Literal(p.now), vocab.Literal(vocab.Quote(p.in.Schema)+"."+vocab.Quote(p.of)), vocab.Literal(vocab.Qualified(o)))
	tag := "$name$"
	for n := 2; strings.Contains(look, tag); n++ {
		tag = fmt.Sprintf("$name%d$", n)
	}
	return []string{fmt.Sprintf("DO %s BEGIN EXECUTE (%s); END %[1]s;", tag, look)}
}
