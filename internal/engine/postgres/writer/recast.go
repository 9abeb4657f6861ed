package writer

import (
	"fmt"
	"hash/fnv"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/apart"
	"dappermirror/internal/engine/postgres/convert"
	"dappermirror/internal/engine/postgres/counter"
	"dappermirror/internal/engine/postgres/family"
	"dappermirror/internal/engine/postgres/rows"
	"dappermirror/internal/engine/postgres/vocab"
)

// Some changes PostgreSQL cannot make to a table that is there: how it is
// partitioned, the type of a column in its partition key (PostgreSQL: ALTER
// TABLE, Notes), and what it has from its parents alone. The table is then recast: its rows wait in a temporary
// table while it is dropped and made anew with its partitions, and are put
// back before keys, indexes and triggers come.

// asText is a table's columns as they wait: those whose type is made anew as
// text, and "*" where there are none.
func asText(c *order.Change, o *catalog.Object) string {
	var list []string
	some := false
	for _, col := range o.PartsOf(catalog.Column) {
		name := quote(col.Name)
		if family.TypeReplaced(c, col.Text("type")) {
			some = true
			_, _, array := splitType(col.Text("type"))
			name = fmt.Sprintf("%s::text%s AS %[1]s", name, map[bool]string{true: "[]"}[array])
		}
		list = append(list, name)
	}
	if !some {
		return "*"
	}
	return strings.Join(list, ", ")
}

const (
	rowsAside catalog.Kind = "rows aside"
	RowsBack  catalog.Kind = "rows back"
)

// rowsPutAside and rowsPutBack stand for the rows of a recast table being put aside and
// having come back.
func rowsPutAside(r catalog.Ref) catalog.Ref {
	return catalog.Ref{Kind: rowsAside, Schema: r.Schema, Name: r.Name}
}
func rowsPutBack(r catalog.Ref) catalog.Ref {
	return catalog.Ref{Kind: RowsBack, Schema: r.Schema, Name: r.Name}
}

// asideFor is the name of a temporary table for something of a thing: names are
// cut at 63 bytes, and joined ones can meet, so a sum of the whole tells them
// apart.
func asideFor(what, readable string, of ...string) string {
	sum := fnv.New32a()
	for _, s := range of {
		_, _ = sum.Write([]byte(s + "\x00")) // never fails
	}
	return quote(fmt.Sprintf("dapper_mirror_%s_of_%s_%08x", what, strings.ToValidUTF8(readable[:min(len(readable), 24)], ""), sum.Sum32()))
}

func asideName(r catalog.Ref) string {
	return asideFor("rows", r.Name, r.Schema, r.Name)
}

// recastTable recasts the table as a whole.
func (w *Writer) recastTable(c *order.Change) []*order.Action {
	now, was := c.Source, c.Target
	ref := now.Ref()
	aside := &order.Action{About: ref, Title: "put the rows of table " + was.Name + " aside", Makes: []catalog.Ref{rowsPutAside(ref)},
		SQL: []string{fmt.Sprintf("LOCK TABLE %s IN ACCESS EXCLUSIVE MODE;", qualified(was)), // what is written while the rows are copied would be lost
			fmt.Sprintf("CREATE TEMPORARY TABLE %s ON COMMIT DROP AS SELECT %s FROM %s;", asideName(ref), asText(c, was), rows.Own(was))},
		Risks: []order.Risk{{Kind: order.Rewrite, On: ref, Text: "its rows are copied twice while everything on the table waits"}},
		Note:  "This cannot be changed in place: the table is made anew, and its rows come back."}
	var kept []*catalog.Object
	for _, s := range apart.OwnedSequences(c.Actual, was, "") {
		if c.Desired.Find(s.Ref()) != nil {
			kept = append(kept, s)
		}
	}
	drop := w.Drop(c)
	gone := drop[len(drop)-1]
	gone.Risks, gone.Sequel, gone.Late = nil, aside, false
	create := w.Create(c)
	create[0].Split = nil
	restore := &order.Action{About: ref, Title: "put the rows of table " + now.Name + " back", Makes: []catalog.Ref{rowsPutBack(ref)}, Sequel: create[0],
		Risks: []order.Risk{{Kind: order.MayFail, On: ref, Text: "fails when no partition takes a row", Ask: outside(c, now)}}}
	w.returnRows(c, aside, restore)
	for _, s := range kept {
		if _, ok := vocab.OwnerColumn(c.Desired.Find(s.Ref())); ok {
			restore.SQL = append(restore.SQL, fmt.Sprintf("ALTER SEQUENCE %s OWNED BY %s;", qualified(s), c.Desired.Find(s.Ref()).Text("owned by")))
		}
	}
	for _, o := range c.Desired.Objects {
		if root, ok := family.RecastAbove(c, c.Desired, o); ok && root == ref && o.Ref() != ref {
			restore.After = append(restore.After, o.Ref()) // the partitions
		}
	}
	for _, a := range create[1:] {
		a.After = append(a.After, rowsPutBack(ref))
	}
	out := append([]*order.Action{aside}, drop...)
	return append(append(out, create...), restore)
}

// returnRows writes how the rows come back: column by column, converted where
// a type changed, and with what they count on.
func (w *Writer) returnRows(c *order.Change, aside, restore *order.Action) {
	now, was := c.Source, c.Target
	ref := now.Ref()
	var names, values []string
	overriding := ""
	for _, col := range now.PartsOf(catalog.Column) {
		old := was.Part(catalog.Column, col.Key())
		switch {
		case col.Has("generated"):
			continue
		case old == nil:
			if fill, ok := w.fill(now, col); ok {
				names, values = append(names, quote(col.Name)), append(values, fill)
			}
			continue
		}
		value := quote(col.Name)
		if from, to := old.Text("type"), col.Text("type"); from != to {
			cv := convert.Between(c.Actual, c.Desired, from, to)
			if !cv.Possible {
				restore.Risks = append(restore.Risks, order.Risk{Kind: order.Loss, On: now.PartRef(col), Text: fmt.Sprintf("every value of column %s of table %s, which cannot become %s", col.Name, now.Name, to), Ask: w.anyValue(was, old)})
				continue
			}
			if cv.Via != "" {
				value = strings.ReplaceAll(cv.Via, "$", value)
			}
			for _, r := range cv.Risks {
				if r.Kind == order.Loss || r.Kind == order.MayFail {
					restore.Risks = append(restore.Risks, order.Risk{Kind: r.Kind, On: now.PartRef(col), Text: fmt.Sprintf("column %s of table %s: %s", col.Name, now.Name, r.Text), Ask: typeQuestion(c, was, old, r.Kind, cv, to)})
				}
			}
		}
		if old.Text("type") == col.Text("type") && family.TypeReplaced(c, col.Text("type")) {
			value += "::" + col.Text("type")
		}
		if fill, ok := w.fill(now, col); ok && col.Has("not null") && !old.Has("not null") {
			value = fmt.Sprintf("coalesce(%s, %s)", value, fill)
		}
		if col.Has("identity") {
			overriding = " OVERRIDING SYSTEM VALUE"
		}
		if keep, give := counter.Keep(c, ref, old, col, true, counterName(ref, col)); give != "" {
			if keep != "" {
				aside.SQL = append(aside.SQL, keep)
			}
			restore.SQL = append(restore.SQL, give)
			if next, _ := counter.Of(c.Desired, col); next.Sequence != nil {
				restore.After = append(restore.After, next.Sequence.Ref())
			}
			if before, _ := counter.Of(c.Actual, old); before.Sequence != nil {
				aside.Uses = append(aside.Uses, before.Sequence.Ref())
			}
		}
		names, values = append(names, quote(col.Name)), append(values, value)
	}
	for _, col := range was.PartsOf(catalog.Column) {
		if now.Part(catalog.Column, col.Key()) == nil && !col.Has("generated") {
			restore.Risks = append(restore.Risks, order.Risk{Kind: order.Loss, On: was.PartRef(col), Text: fmt.Sprintf("every value of column %s of table %s", col.Name, was.Name), Ask: w.anyValue(was, col)})
		}
	}
	if len(names) > 0 {
		insert := fmt.Sprintf("INSERT INTO %s (%s)%s\nSELECT %s FROM %s;", qualified(now), strings.Join(names, ", "), overriding, strings.Join(values, ", "), asideName(ref))
		restore.SQL = append([]string{insert, rows.AsMany(now, asideName(ref))}, restore.SQL...)
	}
}

// underRecast adapts the actions on a partition whose root is recast: its
// rows wait with the root's, and triggers and keys come when they are back.
func underRecast(c *order.Change, in *catalog.Catalog, o *catalog.Object, actions []*order.Action) {
	root, ok := family.RecastAbove(c, in, o)
	if !ok || root == o.Ref() {
		return
	}
	for i, a := range actions {
		switch {
		case in == c.Actual:
			a.After = append(a.After, rowsPutAside(root))
			a.Risks, a.Late = nil, false
		case i > 0:
			a.After = append(a.After, rowsPutBack(root))
		}
	}
}

// afterRows makes an action that looks at rows of other tables, a foreign key
// or a materialized view, wait for those that are put back.
func afterRows(c *order.Change, o *catalog.Object, a *order.Action) {
	if o.Kind != catalog.ForeignKey && o.Kind != kindMatView {
		return
	}
	for _, n := range o.Needs {
		if t := c.Desired.Find(n.On); t != nil && t.Kind == catalog.Table {
			if root, ok := family.RecastAbove(c, c.Desired, t); ok && !slices.Contains(a.After, rowsPutBack(root)) {
				a.After = append(a.After, rowsPutBack(root))
			}
		}
	}
}
