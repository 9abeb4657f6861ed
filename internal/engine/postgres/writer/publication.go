package writer

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
)

func (w *Writer) createPublication(c *order.Change) []*order.Action {
	o := c.Source
	s := "CREATE PUBLICATION " + quote(o.Name)
	switch l := o.List("tables"); {
	case o.Has("all tables"):
		s += " FOR ALL TABLES"
	case len(l) > 0:
		s += " FOR " + published(o)
	}
	a := created(o, s+" WITH ("+publishOptions(o)+");")
	alsoLocks(a, shareUpdateExclusive, o)
	return []*order.Action{a}
}

// published lists the tables and schemas; before 15 the word TABLE stands once.
func published(o *catalog.Object) string {
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

func publishOptions(o *catalog.Object) string {
	s := "publish = " + literal(o.Text("operations"))
	if o.Has("through the root") {
		s += ", publish_via_partition_root = true"
	}
	if o.Has("generated columns") {
		s += ", publish_generated_columns = stored"
	}
	return s
}

// alterPublication changes it in place, so that subscriptions go on; only
// FOR ALL TABLES cannot come or go (PostgreSQL: ALTER PUBLICATION).
func (w *Writer) alterPublication(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	if c.Property("all tables") != nil || c.Property("tables") != nil && len(o.List("tables")) == 0 {
		return nil, false
	}
	out := outwardActions(c)
	alter := func(what, clause string) {
		a := &order.Action{About: o.Ref(), Title: fmt.Sprintf("change the %s of publication %s", what, o.Name), Makes: []catalog.Ref{o.Ref()},
			SQL: []string{fmt.Sprintf("ALTER PUBLICATION %s SET %s;", quote(o.Name), clause)}}
		if n := len(out); n > 0 {
			a.Sequel = out[n-1]
		}
		out = append(out, a)
	}
	if c.Property("tables") != nil {
		alter("tables", published(o))
		alsoLocks(out[len(out)-1], shareUpdateExclusive, o)
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
		set = append(set, "publish = "+literal(o.Text("operations")))
	}
	if len(set) > 0 {
		alter("options", "("+strings.Join(set, ", ")+")")
	}
	return out, true
}
