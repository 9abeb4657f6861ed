package apart

import (
	"cmp"
	"fmt"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/rows"
	"dappermirror/internal/engine/postgres/steps"
	"dappermirror/internal/engine/postgres/vocab"
)

// CreateSequence makes a sequence, tied to its column where it has one.
func CreateSequence(c *order.Change) []*order.Action {
	o := c.Source
	unlogged := ""
	if o.Has("unlogged") {
		unlogged = "UNLOGGED "
	}
	s := fmt.Sprintf("CREATE %sSEQUENCE %s", unlogged, vocab.Qualified(o))
	if t := o.Text("type"); t != "bigint" {
		s += " AS " + t
	}
	for _, opt := range vocab.SequenceOptions(o) {
		s += " " + opt
	}
	out := []*order.Action{steps.Created(o, s+";")}
	if o.Has("owned by") {
		own := ownSequence(o, out[0])
		if col, ok := vocab.OwnerColumn(o); ok && !c.Groups["owners"] {
			if t := c.Actual.Find(col.Object()); t != nil && t.Has("owner") && c.Target == nil { // they must be one owner's
				own.SQL = append([]string{fmt.Sprintf("ALTER SEQUENCE %s OWNER TO %s;", vocab.Qualified(o), vocab.Quote(t.Text("owner")))}, own.SQL...)
			}
		}
		out = append(out, own)
	}
	return out
}

// ownSequence ties a sequence to its column, which must be there by then.
func ownSequence(o *catalog.Object, after *order.Action) *order.Action {
	a := &order.Action{About: o.Ref(), Title: "tie " + steps.Title(o) + " to its column", SQL: []string{fmt.Sprintf("ALTER SEQUENCE %s OWNED BY %s;", vocab.Qualified(o), cmp.Or(o.Text("owned by"), "NONE"))}, Sequel: after, After: []catalog.Ref{Released(o.Ref())}}
	if col, ok := vocab.OwnerColumn(o); ok {
		a.After = append(a.After, col, col.Object())
	}
	return a
}

// AlterSequence changes a sequence in place; it keeps its counter.
func AlterSequence(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	out := steps.OutwardActions(c)
	a := &order.Action{About: o.Ref(), Title: "change " + steps.Title(o), Makes: []catalog.Ref{o.Ref()}}
	s := ""
	for _, d := range c.Properties {
		switch d.Name {
		case "type":
			s += " AS " + o.Text("type")
		case "increment":
			s += " INCREMENT BY " + o.Text("increment")
		case "minimum":
			s += " MINVALUE " + o.Text("minimum")
		case "maximum":
			s += " MAXVALUE " + o.Text("maximum")
		case "start":
			s += " START WITH " + o.Text("start")
		case "cache":
			s += " CACHE " + o.Text("cache")
		case "cycle":
			s += map[bool]string{true: " CYCLE", false: " NO CYCLE"}[d.Source != nil]
		case "unlogged":
			out = append(out, &order.Action{About: o.Ref(), Title: "change the logging of " + steps.Title(o), Makes: []catalog.Ref{o.Ref()},
				SQL: []string{fmt.Sprintf("ALTER SEQUENCE %s SET %s;", vocab.Qualified(o), map[bool]string{true: "UNLOGGED", false: "LOGGED"}[d.Source != nil])}})
		}
	}
	if c.Property("type") != nil { // the limits follow the type unless they are said
		if c.Property("minimum") == nil {
			s += " MINVALUE " + o.Text("minimum")
		}
		if c.Property("maximum") == nil {
			s += " MAXVALUE " + o.Text("maximum")
		}
	}
	if s != "" {
		a.SQL = []string{"ALTER SEQUENCE " + vocab.Qualified(o) + s + ";"}
		a.Risks = []order.Risk{}
		if c.Property("minimum") != nil || c.Property("maximum") != nil {
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: o.Ref(), Text: "fails when its counter is outside the new limits", Ask: rows.Counter(c.Target, o.Text("minimum"), o.Text("maximum"))})
		}
		out = append(out, a)
	}
	if c.Property("owned by") != nil {
		var after *order.Action
		if len(out) > 0 {
			after = out[len(out)-1]
		}
		out = append(out, ownSequence(o, after))
	}
	return out, true
}

// Released stands for a sequence that no longer belongs to a column that goes.
func Released(r catalog.Ref) catalog.Ref {
	return catalog.Ref{Kind: "Released", Schema: r.Schema, Name: r.Name}
}

// OwnedSequences are the sequences that belong to a table, or to one column.
func OwnedSequences(cat *catalog.Catalog, table *catalog.Object, column string) []*catalog.Object {
	var out []*catalog.Object
	for _, s := range cat.Objects {
		if s.Kind != catalog.Sequence {
			continue
		}
		if r, ok := vocab.OwnerColumn(s); ok && r.Object() == table.Ref() && (column == "" || r.Part == column) {
			out = append(out, s)
		}
	}
	return out
}
