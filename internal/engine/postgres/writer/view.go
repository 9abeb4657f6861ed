package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/steps"
)

func (w *Writer) createView(c *order.Change) []*order.Action {
	o := c.Source
	a := steps.Created(o, viewSQL(o, false))
	if o.Kind == kindMatView {
		a.Note = "The rows are computed while it runs."
		afterRows(c, o, a)
	}
	for _, d := range o.List("column defaults") {
		a.SQL = append(a.SQL, viewDefault(o, d))
	}
	for _, s := range o.List("column settings") {
		a.SQL = append(a.SQL, columnSetting(o, s))
	}
	out := []*order.Action{a}
	for _, p := range o.Parts {
		b := w.createPart(o, p)
		if o.Kind == kindMatView {
			b.Risks = nil
		}
		out = append(out, b)
	}
	return out
}

// alterView replaces a view in place where its columns stay and new ones only
// follow (PostgreSQL: CREATE VIEW, CREATE OR REPLACE VIEW).
func (w *Writer) alterView(c *order.Change) ([]*order.Action, bool) {
	o, was := c.Source, c.Target
	out := steps.OutwardActions(c)
	defined := c.Property("definition") != nil
	if defined || c.Property("options") != nil {
		now, old := o.List("columns"), was.List("columns")
		switch {
		case o.Kind == kindMatView && defined:
			return nil, false
		case o.Kind == kindMatView:
			out = append(out, steps.ShareUpdateExclusive.Takes(&order.Action{About: o.Ref(), Title: "change the storage parameters of " + steps.Title(o), Makes: []catalog.Ref{o.Ref()},
				Prefix: "ALTER MATERIALIZED VIEW " + qualified(o), Clauses: optionClauses(writtenOptions(o), writtenOptions(was))}))
		case len(now) < len(old) || !slices.Equal(now[:len(old)], old):
			return nil, false
		default:
			out = append(out, &order.Action{About: o.Ref(), Title: "replace " + steps.Title(o), Makes: []catalog.Ref{o.Ref()}, SQL: []string{viewSQL(o, true)}})
		}
	}
	for _, d := range c.Properties {
		switch d.Name {
		case "definition", "options", "comment", "column comments", "owner", "grants", "column grants":
		case "column settings":
			a := steps.ShareUpdateExclusive.Takes(&order.Action{About: o.Ref(), Title: "change how columns of " + steps.Title(o) + " are kept", Makes: []catalog.Ref{o.Ref()}})
			for _, s := range was.List("column settings") {
				if !slices.Contains(o.List("column settings"), s) {
					a.SQL = append(a.SQL, columnUsual(o, s))
				}
			}
			for _, s := range o.List("column settings") {
				if !slices.Contains(was.List("column settings"), s) {
					if a.SQL = append(a.SQL, columnSetting(o, s)); strings.Contains(s, " STORAGE ") || strings.Contains(s, " COMPRESSION ") {
						steps.AccessExclusive.Takes(a)
					}
				}
			}
			out = append(out, a)
		case "column defaults":
			out = append(out, viewDefaults(o, was)...)
		default:
			return nil, false
		}
	}
	parts := w.parts(c, func(catalog.Kind) bool { return true })
	return append(out, parts...), true
}

// columnSetting says how a materialized view keeps a column: "name WORD value"
// or "name option=value".
func columnSetting(o *catalog.Object, setting string) string {
	name, what := splitName(setting)
	if strings.Contains(what, "=") {
		return fmt.Sprintf("ALTER MATERIALIZED VIEW %s ALTER COLUMN %s SET (%s);", qualified(o), name, optionList([]string{what}))
	}
	return fmt.Sprintf("ALTER MATERIALIZED VIEW %s ALTER COLUMN %s SET %s;", qualified(o), name, what)
}

// columnUsual undoes a setting.
func columnUsual(o *catalog.Object, setting string) string {
	name, what := splitName(setting)
	if option, _, ok := strings.Cut(what, "="); ok {
		return fmt.Sprintf("ALTER MATERIALIZED VIEW %s ALTER COLUMN %s RESET (%s);", qualified(o), name, option)
	}
	word, _, _ := strings.Cut(what, " ")
	return fmt.Sprintf("ALTER MATERIALIZED VIEW %s ALTER COLUMN %s SET %s %s;", qualified(o), name, word, map[string]string{"STATISTICS": "-1", "STORAGE": "EXTENDED", "COMPRESSION": "DEFAULT"}[word])
}

// viewDefault gives a column of a view a default, "name expression".
func viewDefault(o *catalog.Object, d string) string {
	name, expr := splitName(d)
	return fmt.Sprintf("ALTER VIEW %s ALTER COLUMN %s SET DEFAULT %s;", qualified(o), name, expr)
}

func viewDefaults(now, was *catalog.Object) []*order.Action {
	a := &order.Action{About: now.Ref(), Title: "change the defaults of " + steps.Title(now), Makes: []catalog.Ref{now.Ref()}}
	set := map[string]bool{}
	for _, d := range now.List("column defaults") {
		name, _ := splitName(d)
		set[name] = true
		if !slices.Contains(was.List("column defaults"), d) {
			a.SQL = append(a.SQL, viewDefault(now, d))
		}
	}
	for _, d := range was.List("column defaults") {
		if name, _ := splitName(d); !set[name] && steps.HasColumn(now, name) {
			a.SQL = append(a.SQL, fmt.Sprintf("ALTER VIEW %s ALTER COLUMN %s DROP DEFAULT;", qualified(now), name))
		}
	}
	return []*order.Action{a}
}

func (w *Writer) createRoutine(c *order.Change) []*order.Action {
	o := c.Source
	sql := strings.Replace(o.Text("definition"), "CREATE OR REPLACE ", "CREATE ", 1)
	return []*order.Action{steps.Created(o, sql+";")}
}

// alterRoutine replaces a routine in place where its result and the names of
// its arguments stay (PostgreSQL: CREATE FUNCTION, Notes).
func (w *Writer) alterRoutine(c *order.Change) ([]*order.Action, bool) {
	o, was := c.Source, c.Target
	if c.Property("procedure") != nil {
		return nil, false
	}
	out := steps.OutwardActions(c)
	if c.Property("definition") == nil {
		return out, true
	}
	named := was.List("argument names")
	if o.Text("result") != was.Text("result") || number(o.Text("argument defaults")) < number(was.Text("argument defaults")) {
		return nil, false
	}
	for i, n := range named {
		if now := o.List("argument names"); n != "" && (i >= len(now) || now[i] != n) {
			return nil, false
		}
	}
	a := &order.Action{About: o.Ref(), Title: "replace " + steps.Title(o), Makes: []catalog.Ref{o.Ref()}, SQL: []string{o.Text("definition") + ";"}}
	// Names that come where there were none are allowed as well.
	return append(out, a), true
}

// Definition lays an object out as SQL for people.
func Definition(o *catalog.Object) string {
	w := &Writer{}
	c := &order.Change{Item: &compare.Item{Source: o, Status: compare.SourceOnly}, Desired: &catalog.Catalog{}, Actual: &catalog.Catalog{}}
	var b strings.Builder
	for i, a := range w.Create(c) {
		if i > 0 {
			b.WriteString("\n")
		}
		if a.Prefix != "" {
			fmt.Fprintf(&b, "%s %s;", a.Prefix, strings.Join(a.Clauses, ", "))
			if len(a.SQL) > 0 {
				b.WriteString("\n")
			}
		}
		b.WriteString(strings.Join(a.SQL, "\n"))
	}
	return b.String()
}
