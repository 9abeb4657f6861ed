// Package apart writes what stands apart from tables: wrappers, servers,
// subscriptions, publications, extensions, base types, and things that are made
// as their definition says.
package apart

import (
	"cmp"
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/ddl"
	"dappermirror/internal/engine/postgres/steps"
	"dappermirror/internal/engine/postgres/vocab"
)

func CreateForeign(c *order.Change) []*order.Action {
	o := c.Source
	s := "CREATE " + ddl.Keyword(o) + " " + ddl.Name(o)
	switch o.Kind {
	case vocab.Wrapper:
		for _, f := range []string{"handler", "validator"} {
			if o.Has(f) {
				s += " " + strings.ToUpper(f) + " " + o.Text(f)
			}
		}
	case vocab.ForeignServer:
		for _, f := range []string{"type", "version"} {
			if o.Has(f) {
				s += " " + strings.ToUpper(f) + " " + vocab.Literal(o.Text(f))
			}
		}
		s += " FOREIGN DATA WRAPPER " + vocab.Quote(o.Text("wrapper"))
	}
	a := steps.Created(o, s+ddl.GenericOptions(o.List("options"))+";")
	if o.Kind == vocab.UserMapping {
		a.Note = "Options that are secrets, as a password, are not copied; ALTER USER MAPPING adds them."
	}
	return []*order.Action{a}
}

// AlterForeign changes wrappers, servers and user mappings in place, so that
// foreign tables stay.
func AlterForeign(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	out := steps.OutwardActions(c)
	var clauses []string
	for _, d := range c.Properties {
		switch d.Name {
		case "options":
			clauses = append(clauses, ddl.ChangedGeneric(o.List("options"), c.Target.List("options")))
		case "handler", "validator":
			word := strings.ToUpper(d.Name)
			clauses = append([]string{map[bool]string{true: word + " " + o.Text(d.Name), false: "NO " + word}[d.Source != nil]}, clauses...)
		case "version":
			if d.Source == nil {
				return nil, false
			}
			clauses = append([]string{"VERSION " + vocab.Literal(o.Text("version"))}, clauses...)
		default:
			if !steps.Outward[d.Name] {
				return nil, false
			}
		}
	}
	if len(clauses) > 0 {
		out = append(out, &order.Action{About: o.Ref(), Title: "change " + steps.Title(o), Makes: []catalog.Ref{o.Ref()},
			SQL: []string{fmt.Sprintf("ALTER %s %s %s;", ddl.Keyword(o), ddl.Name(o), strings.Join(clauses, " "))}})
	}
	return out, true
}

func SubscriptionOptions(o *catalog.Object, names []string) string {
	var out []string
	for _, n := range names {
		switch n {
		case "slot":
			out = append(out, "slot_name = "+cmp.Or(map[bool]string{true: vocab.Literal(o.Text("slot"))}[o.Has("slot")], "NONE"))
		case "synchronous commit":
			out = append(out, "synchronous_commit = "+vocab.Literal(o.Text(n)))
		case "binary":
			out = append(out, fmt.Sprintf("binary = %v", o.Has(n)))
		case "streaming":
			out = append(out, "streaming = "+cmp.Or(o.Text(n), "off"))
		}
	}
	return strings.Join(out, ", ")
}

// CreateSubscription makes a subscription that connects to nothing: where to,
// and with which password, is no structure.
func CreateSubscription(c *order.Change) []*order.Action {
	o := c.Source
	names := []string{"slot", "binary"}
	for _, n := range []string{"synchronous commit", "streaming"} {
		if o.Has(n) {
			names = append(names, n)
		}
	}
	a := steps.Created(o, fmt.Sprintf("CREATE SUBSCRIPTION %s CONNECTION '' PUBLICATION %s WITH (connect = false, %s);", vocab.Quote(o.Name), Publications(o), SubscriptionOptions(o, names)))
	a.Note = "It connects to nothing yet: say where to with ALTER SUBSCRIPTION … CONNECTION, then ENABLE it and REFRESH PUBLICATION."
	return []*order.Action{a}
}

func Publications(o *catalog.Object) string {
	var out []string
	for _, p := range o.List("written publications") {
		out = append(out, vocab.Quote(p))
	}
	return strings.Join(out, ", ")
}

func AlterSubscription(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	out := steps.OutwardActions(c)
	var changed []string
	a := &order.Action{About: o.Ref(), Title: "change " + steps.Title(o), Makes: []catalog.Ref{o.Ref()}}
	add := func(clause string) {
		a.SQL = append(a.SQL, fmt.Sprintf("ALTER SUBSCRIPTION %s %s;", vocab.Quote(o.Name), clause))
	}
	for _, d := range c.Properties {
		switch d.Name {
		case "publications":
			add("SET PUBLICATION " + Publications(o) + " WITH (refresh = false)")
		case "slot", "synchronous commit", "binary", "streaming":
			changed = append(changed, d.Name)
		}
	}
	if len(changed) > 0 {
		add("SET (" + SubscriptionOptions(o, changed) + ")")
	}
	if len(a.SQL) > 0 {
		out = append(out, a)
	}
	return out, true
}

// DropSubscription lets go of the slot first: it stays on the publisher, since
// dropping it is not part of any transaction (PostgreSQL: DROP SUBSCRIPTION).
func DropSubscription(o *catalog.Object) []string {
	return []string{fmt.Sprintf("ALTER SUBSCRIPTION %s DISABLE;", vocab.Quote(o.Name)), fmt.Sprintf("ALTER SUBSCRIPTION %s SET (slot_name = NONE);", vocab.Quote(o.Name))}
}

// CreateBaseType makes the type's shell first, for the functions it is made
// of (PostgreSQL: CREATE TYPE, Base Types).
func CreateBaseType(c *order.Change) []*order.Action {
	o := c.Source
	a := steps.Created(o, o.Text("definition"))
	a.After = []catalog.Ref{vocab.Shell(o)}
	return []*order.Action{Shell(o), a}
}

func Shell(o *catalog.Object) *order.Action {
	return &order.Action{About: o.Ref(), Title: "announce " + steps.Title(o), Makes: []catalog.Ref{vocab.Shell(o)}, Takes: steps.NamesOf(o), SQL: []string{"CREATE TYPE " + vocab.Qualified(o) + ";"},
		Note: "A shell: the functions the type is made of need its name."}
}

// MadeOf is the type that cannot be without the routine, or nil.
func MadeOf(cat *catalog.Catalog, routine *catalog.Object) *catalog.Object {
	for _, n := range routine.Needs {
		for _, k := range []catalog.Kind{vocab.BaseType, vocab.Range} {
			if t := cat.Find(catalog.Ref{Kind: k, Schema: n.On.Schema, Name: n.On.Name}); t != nil && n.On == vocab.Shell(t) {
				return t
			}
		}
	}
	return nil
}

// RoutinesOf are the routines a type is made of.
func RoutinesOf(cat *catalog.Catalog, typ *catalog.Object) []*catalog.Object {
	var out []*catalog.Object
	for _, o := range cat.Objects {
		if o.Kind == catalog.Routine && MadeOf(cat, o) == typ {
			out = append(out, o)
		}
	}
	return out
}

// AlterExtension updates and moves an extension in place.
func AlterExtension(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	out := steps.OutwardActions(c)
	for _, d := range c.Properties {
		clause := map[string]string{"version": "UPDATE TO " + vocab.Literal(o.Text("version")), "schema": "SET SCHEMA " + vocab.Quote(o.Text("schema"))}[d.Name]
		if clause == "" {
			continue
		}
		a := &order.Action{About: o.Ref(), Title: fmt.Sprintf("change the %s of %s", d.Name, steps.Title(o)), Makes: []catalog.Ref{o.Ref()},
			SQL: []string{fmt.Sprintf("ALTER EXTENSION %s %s;", vocab.Quote(o.Name), clause)}}
		if n := len(out); n > 0 {
			a.Sequel = out[n-1]
		}
		out = append(out, a)
	}
	return out, true
}

func CreateExtension(c *order.Change) []*order.Action {
	o := c.Source
	a := steps.Created(o, fmt.Sprintf("CREATE EXTENSION %s SCHEMA %s VERSION %s;", vocab.Quote(o.Name), vocab.Quote(o.Text("schema")), vocab.Literal(o.Text("version"))))
	a.After = append(a.After, catalog.Ref{Kind: catalog.Schema, Name: o.Text("schema")})
	return []*order.Action{a}
}
