package apart

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/steps"
	"dappermirror/internal/engine/postgres/vocab"
)

func CreatePublication(c *order.Change) []*order.Action {
	o := c.Source
	s := "CREATE PUBLICATION " + vocab.Quote(o.Name)
	switch l := o.List("tables"); {
	case o.Has("all tables"):
		s += " FOR ALL TABLES"
	case len(l) > 0:
		s += " FOR " + Published(o)
	}
	a := steps.Created(o, s+" WITH ("+PublishOptions(o)+");")
	steps.AlsoLocks(a, steps.ShareUpdateExclusive, o)
	return []*order.Action{a}
}

// Published lists the tables and schemas; before 15 the word TABLE stands once.
func Published(o *catalog.Object) string {
	var tables, schemas []string
	for _, item := range o.List("tables") {
		if t, ok := strings.CutPrefix(item, "TABLE "); ok {
			tables = append(tables, t)
		} else {
			schemas = append(schemas, item)
		}
	}
	if len(tables) > 0 {
		schemas = append([]string{"TABLE " + strings.Join(tables, ", ")}, schemas...)
	}
	return strings.Join(schemas, ", ")
}

func PublishOptions(o *catalog.Object) string {
	s := "publish = " + vocab.Literal(o.Text("operations"))
	if o.Has("through the root") {
		s += ", publish_via_partition_root = true"
	}
	if o.Has("generated columns") {
		s += ", publish_generated_columns = stored"
	}
	return s
}

// AlterPublication changes it in place, so that subscriptions go on; only
// FOR ALL TABLES cannot come or go (PostgreSQL: ALTER PUBLICATION).
func AlterPublication(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	if c.Property("all tables") != nil || c.Property("tables") != nil && len(o.List("tables")) == 0 {
		return nil, false
	}
	out := steps.OutwardActions(c)
	alter := func(what, clause string) {
		a := &order.Action{About: o.Ref(), Title: fmt.Sprintf("change the %s of publication %s", what, o.Name), Makes: []catalog.Ref{o.Ref()},
			SQL: []string{fmt.Sprintf("ALTER PUBLICATION %s SET %s;", vocab.Quote(o.Name), clause)}}
		if n := len(out); n > 0 {
			a.Sequel = out[n-1]
		}
		out = append(out, a)
	}
	if c.Property("tables") != nil {
		alter("tables", Published(o))
		steps.AlsoLocks(out[len(out)-1], steps.ShareUpdateExclusive, o)
	}
	var set []string
	for _, f := range [][2]string{{"through the root", "publish_via_partition_root = %v"}, {"generated columns", "publish_generated_columns = %s"}} {
		if c.Property(f[0]) == nil {
			continue
		}
		if f[0] == "generated columns" {
			set = append(set, fmt.Sprintf(f[1], map[bool]string{true: "stored", false: "none"}[o.Has(f[0])]))
		} else {
			set = append(set, fmt.Sprintf(f[1], o.Has(f[0])))
		}
	}
	if c.Property("operations") != nil {
		set = append(set, "publish = "+vocab.Literal(o.Text("operations")))
	}
	if len(set) > 0 {
		alter("options", "("+strings.Join(set, ", ")+")")
	}
	return out, true
}
