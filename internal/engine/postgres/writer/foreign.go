package writer

import (
	"cmp"
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/vocab"
)

func (w *Writer) createForeign(c *order.Change) []*order.Action {
	o := c.Source
	s := "CREATE " + keyword(o) + " " + sqlName(o)
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
				s += " " + strings.ToUpper(f) + " " + literal(o.Text(f))
			}
		}
		s += " FOREIGN DATA WRAPPER " + quote(o.Text("wrapper"))
	}
	a := created(o, s+genericOptions(o.List("options"))+";")
	if o.Kind == vocab.UserMapping {
		a.Note = "Options that are secrets, as a password, are not copied; ALTER USER MAPPING adds them."
	}
	return []*order.Action{a}
}

// alterForeign changes wrappers, servers and user mappings in place, so that
// foreign tables stay.
func (w *Writer) alterForeign(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	out := outwardActions(c)
	var clauses []string
	for _, d := range c.Properties {
		switch d.Name {
		case "options":
			clauses = append(clauses, changedGeneric(o.List("options"), c.Target.List("options")))
		case "handler", "validator":
			word := strings.ToUpper(d.Name)
			clauses = append([]string{map[bool]string{true: word + " " + o.Text(d.Name), false: "NO " + word}[d.Source != nil]}, clauses...)
		case "version":
			if d.Source == nil {
				return nil, false
			}
			clauses = append([]string{"VERSION " + literal(o.Text("version"))}, clauses...)
		default:
			if !outward[d.Name] {
				return nil, false
			}
		}
	}
	if len(clauses) > 0 {
		out = append(out, &order.Action{About: o.Ref(), Title: "change " + title(o), Makes: []catalog.Ref{o.Ref()},
			SQL: []string{fmt.Sprintf("ALTER %s %s %s;", keyword(o), sqlName(o), strings.Join(clauses, " "))}})
	}
	return out, true
}

func subscriptionOptions(o *catalog.Object, names []string) string {
	var out []string
	for _, n := range names {
		switch n {
		case "slot":
			out = append(out, "slot_name = "+cmp.Or(map[bool]string{true: literal(o.Text("slot"))}[o.Has("slot")], "NONE"))
		case "synchronous commit":
			out = append(out, "synchronous_commit = "+literal(o.Text(n)))
		case "binary":
			out = append(out, fmt.Sprintf("binary = %v", o.Has(n)))
		case "streaming":
			out = append(out, "streaming = "+cmp.Or(o.Text(n), "off"))
		}
	}
	return strings.Join(out, ", ")
}

// createSubscription makes a subscription that connects to nothing: where to,
// and with which password, is no structure.
func (w *Writer) createSubscription(c *order.Change) []*order.Action {
	o := c.Source
	names := []string{"slot", "binary"}
	for _, n := range []string{"synchronous commit", "streaming"} {
		if o.Has(n) {
			names = append(names, n)
		}
	}
	a := created(o, fmt.Sprintf("CREATE SUBSCRIPTION %s CONNECTION '' PUBLICATION %s WITH (connect = false, %s);", quote(o.Name), publications(o), subscriptionOptions(o, names)))
	a.Note = "It connects to nothing yet: say where to with ALTER SUBSCRIPTION … CONNECTION, then ENABLE it and REFRESH PUBLICATION."
	return []*order.Action{a}
}

func publications(o *catalog.Object) string {
	var out []string
	for _, p := range o.List("written publications") {
		out = append(out, quote(p))
	}
	return strings.Join(out, ", ")
}

func (w *Writer) alterSubscription(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	out := outwardActions(c)
	var changed []string
	a := &order.Action{About: o.Ref(), Title: "change " + title(o), Makes: []catalog.Ref{o.Ref()}}
	add := func(clause string) {
		a.SQL = append(a.SQL, fmt.Sprintf("ALTER SUBSCRIPTION %s %s;", quote(o.Name), clause))
	}
	for _, d := range c.Properties {
		switch d.Name {
		case "publications":
			add("SET PUBLICATION " + publications(o) + " WITH (refresh = false)")
		case "slot", "synchronous commit", "binary", "streaming":
			changed = append(changed, d.Name)
		}
	}
	if len(changed) > 0 {
		add("SET (" + subscriptionOptions(o, changed) + ")")
	}
	if len(a.SQL) > 0 {
		out = append(out, a)
	}
	return out, true
}

// dropSubscription lets go of the slot first: it stays on the publisher, since
// dropping it is not part of any transaction (PostgreSQL: DROP SUBSCRIPTION).
func dropSubscription(o *catalog.Object) []string {
	return []string{fmt.Sprintf("ALTER SUBSCRIPTION %s DISABLE;", quote(o.Name)), fmt.Sprintf("ALTER SUBSCRIPTION %s SET (slot_name = NONE);", quote(o.Name))}
}

// createBaseType makes the type's shell first, for the functions it is made
// of (PostgreSQL: CREATE TYPE, Base Types).
func (w *Writer) createBaseType(c *order.Change) []*order.Action {
	o := c.Source
	a := created(o, o.Text("definition"))
	a.After = []catalog.Ref{vocab.Shell(o)}
	return []*order.Action{shell(o), a}
}

func shell(o *catalog.Object) *order.Action {
	return &order.Action{About: o.Ref(), Title: "announce " + title(o), Makes: []catalog.Ref{vocab.Shell(o)}, Takes: names(o), SQL: []string{"CREATE TYPE " + qualified(o) + ";"},
		Note: "A shell: the functions the type is made of need its name."}
}

// madeOf is the type that cannot be without the routine, or nil.
func madeOf(cat *catalog.Catalog, routine *catalog.Object) *catalog.Object {
	for _, n := range routine.Needs {
		for _, k := range []catalog.Kind{vocab.BaseType, kindRange} {
			if t := cat.Find(catalog.Ref{Kind: k, Schema: n.On.Schema, Name: n.On.Name}); t != nil && n.On == vocab.Shell(t) {
				return t
			}
		}
	}
	return nil
}

// routinesOf are the routines a type is made of.
func routinesOf(cat *catalog.Catalog, typ *catalog.Object) []*catalog.Object {
	var out []*catalog.Object
	for _, o := range cat.Objects {
		if o.Kind == catalog.Routine && madeOf(cat, o) == typ {
			out = append(out, o)
		}
	}
	return out
}

// alterExtension updates and moves an extension in place.
func (w *Writer) alterExtension(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	out := outwardActions(c)
	for _, d := range c.Properties {
		clause := map[string]string{"version": "UPDATE TO " + literal(o.Text("version")), "schema": "SET SCHEMA " + quote(o.Text("schema"))}[d.Name]
		if clause == "" {
			continue
		}
		a := &order.Action{About: o.Ref(), Title: fmt.Sprintf("change the %s of %s", d.Name, title(o)), Makes: []catalog.Ref{o.Ref()},
			SQL: []string{fmt.Sprintf("ALTER EXTENSION %s %s;", quote(o.Name), clause)}}
		if n := len(out); n > 0 {
			a.Sequel = out[n-1]
		}
		out = append(out, a)
	}
	return out, true
}

func (w *Writer) createExtension(c *order.Change) []*order.Action {
	o := c.Source
	a := created(o, fmt.Sprintf("CREATE EXTENSION %s SCHEMA %s VERSION %s;", quote(o.Name), quote(o.Text("schema")), literal(o.Text("version"))))
	a.After = append(a.After, catalog.Ref{Kind: catalog.Schema, Name: o.Text("schema")})
	return []*order.Action{a}
}
