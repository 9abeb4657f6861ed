package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/sqlserver/ddl"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// apart tells the parts of a table that are made by statements of their own.
func apart(o, p *catalog.Object) bool {
	if p.Kind == catalog.Index && o.Has(vocab.InMemory) {
		return false
	}
	return p.Kind != catalog.Column && p.Kind != catalog.PrimaryKey && p.Kind != catalog.Unique && p.Kind != vocab.Period
}

func (w *Writer) createTable(c *order.Change) []*order.Action {
	o := c.Source
	if of := current(c.Desired, o); of != nil && c.Actual.Find(o.Ref()) == nil {
		out := createHistory(c, of)
		for _, p := range o.Parts {
			if p.Kind != catalog.Column && !slices.Contains(out[0].Makes, o.PartRef(p)) {
				out = append(out, w.createPart(c, p))
			}
		}
		return out
	}
	a := created(o, ddl.Table(o, qualified(o), ddl.Lines(o, false)))
	if e := o.Text("lock escalation"); e != "" {
		a.SQL = append(a.SQL, batch("ALTER TABLE "+qualified(o)+" SET (LOCK_ESCALATION = "+e+");"))
	}
	out := []*order.Action{a}
	for _, p := range o.Parts {
		if p.Kind == vocab.Versioning && newHistory(c, p) {
			continue
		}
		if apart(o, p) {
			out = append(out, w.createPart(c, p))
			continue
		}
		a.Makes = append(a.Makes, o.PartRef(p))
		a.Takes = append(a.Takes, partNames(o, p)...)
		a.SQL = append(a.SQL, ddl.Comments(p, nil, ddl.LevelOf(o).Part(p))...)
		if p.Has("disabled") {
			a.SQL = append(a.SQL, disabled(o, p))
		}
	}
	return out
}

// alterTable changes a table in place, or rebuilds it where ALTER TABLE cannot.
func (w *Writer) alterTable(c *order.Change) []*order.Action {
	if why := rebuilt(c); why != "" {
		return w.rebuild(c, why)
	}
	o := c.Source
	var out []*order.Action
	if c.Property(vocab.Filegroup) != nil {
		out = append(out, w.moved(c)...)
		c = explicit(c)
	}
	a := locks(&order.Action{About: o.Ref(), Title: "change " + title(o), Makes: []catalog.Ref{o.Ref()}}, c.Target)
	for _, d := range c.Properties {
		switch d.Name {
		case catalog.Letters:
			a.SQL = append(a.SQL, renamed(c.Target, o.Name, ""))
		case "lock escalation":
			e := o.Text("lock escalation")
			if e == "" {
				e = "TABLE"
			}
			a.SQL = append(a.SQL, batch("ALTER TABLE "+qualified(o)+" SET (LOCK_ESCALATION = "+e+");"))
		case "compression":
			how := o.Text("compression")
			if how == "" {
				how = "NONE"
			}
			a.SQL = append(a.SQL, batch("ALTER TABLE "+qualified(o)+" REBUILD WITH (DATA_COMPRESSION = "+how+");"))
			a.Risks = append(a.Risks, order.Risk{Kind: order.Rewrite, On: o.Ref(), Text: "table " + o.Name + " is written anew"})
		}
	}
	a.SQL = append(a.SQL, ddl.Comments(o, c.Target, ddl.LevelOf(o))...)
	if len(a.SQL) > 0 {
		out = append(out, a)
	}
	var touched []catalog.Ref
	for _, it := range c.Parts {
		as := w.part(c, it)
		if it.Kind() == catalog.Column && len(as) > 0 {
			touched = append(touched, as[len(as)-1].Makes...)
		}
		out = append(out, as...)
	}
	inTurn(c, out)
	if slices.ContainsFunc(c.Parts, func(it *compare.Item) bool { return it.Kind() == catalog.Column && it.Status != compare.Same }) {
		out = append(out, refreshed(c, touched)...)
	}
	return out
}

// rebuilt says why a table cannot be changed in place; "" where it can.
func rebuilt(c *order.Change) string {
	if c.Property(vocab.Partitioned) != nil {
		return "it is partitioned otherwise"
	}
	if d := c.Property(vocab.InMemory); d != nil {
		switch {
		case !c.Target.Has(vocab.InMemory):
			return "it goes into memory"
		case !c.Source.Has(vocab.InMemory):
			return "it leaves the memory"
		}
		return "what becomes of its rows is another thing"
	}
	if c.Groups[vocab.ColumnOrder] && c.Source.Has("column order") && c.Target.Has("column order") && !slices.Equal(settledOrder(c.Source, c.Target), c.Source.List("column order")) {
		return "its columns stand in another order"
	}
	if rekeyed(c) {
		return "its primary key is another one"
	}
	if c.Property(vocab.Filegroup) != nil && (special(c.Target) || stays(c) == nil && !comes(c)) {
		return "it lies in another filegroup"
	}
	return counts(c.Source, c.Target)
}

// copied tells whether one table becomes another by a copy of its rows.
func copied(o, was *catalog.Object) bool {
	if o.Text(vocab.InMemory) != was.Text(vocab.InMemory) {
		return true
	}
	a, b := o.Property(vocab.Partitioned), was.Property(vocab.Partitioned)
	if ddl.GroupOf(o) != ddl.GroupOf(was) && (special(was) || !slices.ContainsFunc(o.Parts, func(p *catalog.Object) bool { return ddl.Clustered(p) && was.Part(p.Kind, p.Key()) != nil })) {
		return true
	}
	return counts(o, was) != "" || (a == nil) != (b == nil) || a != nil && !a.Value.Equal(b.Value)
}

// counts says which column counts by itself otherwise than before.
func counts(o, was *catalog.Object) string {
	for _, p := range o.PartsOf(catalog.Column) {
		old := was.Part(catalog.Column, p.Key())
		if old == nil {
			continue
		}
		if a, b := p.Text("identity"), old.Text("identity"); a != b {
			switch {
			case b == "":
				return "column " + p.Name + " counts by itself from now on"
			case a == "":
				return "column " + p.Name + " no longer counts by itself"
			}
			return "column " + p.Name + " counts otherwise"
		}
	}
	return ""
}

// rebuild makes a new table, copies the rows with their identity values, drops the
// old one and gives the new one its name. Keys that lead to it step aside.
func (w *Writer) rebuild(c *order.Change, why string) []*order.Action {
	o, old := c.Source, c.Target
	tmp := scratchName(c, "dapper_mirror_new_")
	fresh := quote(o.Schema) + "." + quote(tmp)
	a := locks(&order.Action{About: o.Ref(), Title: fmt.Sprintf("rebuild %s: %s", title(o), why), Makes: []catalog.Ref{o.Ref()},
		Effects: []order.Effect{{On: old.Ref(), Aspect: vocab.AspectRows}},
		After:   principals(c),
		Risks:   []order.Risk{{Kind: order.Rewrite, On: o.Ref(), Text: "every row of table " + o.Name + " is copied"}}}, old)
	var lines, into, from []string
	identity := false
	for _, p := range o.PartsOf(catalog.Column) {
		lines = append(lines, ddl.Column(p, true))
		a.Makes = append(a.Makes, o.PartRef(p))
		was := old.Part(catalog.Column, p.Key())
		if p.Has("generated") || p.Text("type") == "rowversion" {
			continue
		}
		value := w.taken(c, p, was, a)
		if value == "" {
			continue
		}
		identity = identity || p.Has("identity")
		into, from = append(into, quote(p.Name)), append(from, value)
	}
	for _, p := range old.PartsOf(catalog.Column) {
		ref := old.PartRef(p)
		if o.Part(catalog.Column, p.Key()) == nil {
			a.Removes = append(a.Removes, ref)
			a.Risks = append(a.Risks, order.Risk{Kind: order.Loss, On: ref, Text: fmt.Sprintf("the values of column %s of table %s", p.Name, old.Name), Ask: w.anyValue(old, p)})
		}
		a.Effects = append(a.Effects, order.Effect{On: ref, Aspect: catalog.AspectType})
	}
	if inMemory(o) || inMemory(old) {
		key := ""
		if inMemory(o) {
			lines = ddl.MemoryLines(o, lines, tmp+"_key")
			for _, p := range o.PartsOf(catalog.PrimaryKey) {
				key = p.Name
			}
		}
		a.SQL = append(ddl.Batches("IF OBJECT_ID("+vocab.String(fresh)+") IS NULL "+ddl.Table(o, fresh, lines)), swapped(c, fresh, into, from, identity)...)
		if identity && o.Has(vocab.InMemory) {
			a.Note = "Its next number follows the highest one that it has."
		}
		a.SQL = append(a.SQL, batch("EXEC sp_rename "+vocab.String(fresh)+", "+vocab.String(o.Name)+";"))
		if key != "" {
			a.SQL = append(a.SQL, batch("EXEC sp_rename "+vocab.String(quote(o.Schema)+"."+quote(tmp+"_key"))+", "+vocab.String(key)+";"))
		}
		if ddl.Durability(o) == "SCHEMA_ONLY" && o.Has(vocab.InMemory) {
			a.Risks = append(a.Risks, order.Risk{Kind: order.Loss, On: o.Ref(), Text: "every row of table " + o.Name + " when the server starts again", Ask: anyRow(old)})
		}
		return w.dressed(c, a)
	}
	copying := fmt.Sprintf("INSERT INTO %s (%s)\n  SELECT %s\n  FROM %s WITH (HOLDLOCK, TABLOCKX);", fresh, strings.Join(into, ", "), strings.Join(from, ", "), qualified(old))
	if identity {
		copying = "SET IDENTITY_INSERT " + fresh + " ON;\n" + copying + "\nSET IDENTITY_INSERT " + fresh + " OFF;"
	}
	a.SQL = ddl.Batches(ddl.Table(o, fresh, lines), copying)
	if identity && hasIdentity(old) {
		a.SQL = append(a.SQL, reseeded(qualified(old), fresh))
	}
	a.SQL = append(a.SQL, ddl.Batches("DROP TABLE "+qualified(old)+";", "EXEC sp_rename "+vocab.String(fresh)+", "+vocab.String(o.Name)+";")...)
	return w.dressed(c, a)
}

// reseeded lets a new table count on where the old one stands: the next number is the one
// that was the next.
func reseeded(old, fresh string) string {
	return batch(fmt.Sprintf("DECLARE @last bigint = CAST(IDENT_CURRENT(%s) AS bigint), @reseed nvarchar(400);\nSET @reseed = N'DBCC CHECKIDENT (N''%s'', RESEED, ' + CAST(@last AS nvarchar(40)) + N')';\nIF EXISTS (SELECT 1 FROM %s) EXEC (@reseed);",
		vocab.String(old), strings.ReplaceAll(strings.ReplaceAll(fresh, "'", "''"), "'", "''"), old))
}

// dressed gives a rebuilt table all that it has besides columns and rows.
func (w *Writer) dressed(c *order.Change, a *order.Action) []*order.Action {
	o := c.Source
	for _, p := range o.PartsOf(catalog.Column) {
		if d := p.Text("default"); d != "" {
			a.SQL = append(a.SQL, batch("ALTER TABLE "+qualified(o)+" ADD"+ddl.Named(p.Text("default name"))+" DEFAULT ("+d+") FOR "+quote(p.Name)+";"))
		}
		a.SQL = append(a.SQL, ddl.Comments(p, nil, ddl.LevelOf(o).Part(p))...)
	}
	if e := o.Text("lock escalation"); e != "" {
		a.SQL = append(a.SQL, batch("ALTER TABLE "+qualified(o)+" SET (LOCK_ESCALATION = "+e+");"))
	}
	a.SQL = append(a.SQL, ddl.Comments(o, nil, ddl.LevelOf(o))...)
	a.SQL = append(a.SQL, settled(c)...)
	return append(w.around(c, a), refreshed(c, a.Makes)...)
}

// around takes the parts down that go with the old table, and puts those of the new
// one up.
func (w *Writer) around(c *order.Change, a *order.Action) []*order.Action {
	o, old := c.Source, c.Target
	var before, after []*order.Action
	aside := map[catalog.Ref]bool{} // columns whose types go before the table does
	for _, it := range c.Parts {
		if it.Kind() != catalog.Column || it.Target == nil || it.Source == nil || !c.Rebuilds(it) || !ofAlias(it.Target) {
			continue
		}
		first := &order.Action{}
		if was := it.Target; was.Has("default") {
			first.SQL, first.Frees = []string{ddl.DropConstraint(old, was, was.Text("default name"))}, partNames(old, was)
		}
		if down, _ := w.letGo(c, it.Target, first); down != nil {
			before = append(before, down)
			aside[old.PartRef(it.Target)] = true
		}
	}
	for _, p := range old.Parts {
		switch {
		case p.Kind == catalog.Column:
		case slices.ContainsFunc(p.Needs, func(n catalog.Need) bool { return aside[n.On] }):
			before = append(before, w.dropPart(old, p))
		case p.Kind == catalog.ForeignKey, p.Kind == vocab.Versioning, p.Kind == vocab.TextIndex:
			before = append(before, w.dropPart(old, p))
		default:
			a.Removes = append(a.Removes, old.PartRef(p))
			a.Frees = append(a.Frees, partNames(old, p)...)
		}
	}
	for _, p := range o.Parts {
		if p.Kind == catalog.Column || p.Kind == vocab.Versioning && newHistory(c, p) {
			continue
		}
		if o.Has(vocab.InMemory) && (p.Kind == catalog.PrimaryKey || p.Kind == catalog.Index) { // it has them already
			a.Makes, a.Takes = append(a.Makes, o.PartRef(p)), append(a.Takes, partNames(o, p)...)
			a.SQL = append(a.SQL, ddl.Comments(p, nil, ddl.LevelOf(o).Part(p))...)
			continue
		}
		up := w.createPart(c, p)
		up.After = append(up.After, o.Ref())
		after = append(after, up)
	}
	if len(o.PartsOf(vocab.Versioning)) > 0 && len(old.PartsOf(vocab.Versioning)) > 0 {
		paused(before...)
		paused(after...)
	}
	return slices.Concat(before, []*order.Action{a}, after)
}

func hasIdentity(o *catalog.Object) bool {
	return slices.ContainsFunc(o.Parts, func(p *catalog.Object) bool { return p.Has("identity") })
}

// taken is what a column of the new table gets; "" for its default or NULL.
func (w *Writer) taken(c *order.Change, p, was *catalog.Object, a *order.Action) string {
	fill, filled := w.fill(c.Source, p)
	ref := c.Source.PartRef(p)
	switch {
	case was == nil && filled:
		a.Fills = append(a.Fills, order.NewFill(ref, qualified(c.Target), fill))
		return "(" + fill + ")"
	case was == nil && since(c.Source, p) != "":
		return since(c.Source, p)
	case was == nil && p.Has("not null") && p.Text("default") != "":
		return "(" + p.Text("default") + ")"
	case was == nil:
		if p.Has("not null") && !p.Has("identity") {
			a.Risks = append(a.Risks, needsValue(c, p))
		}
		return ""
	}
	it := &compare.Item{Source: p, Target: was}
	if unlike(it) {
		a.Risks = append(a.Risks, w.typeRisks(c, it)...)
		return w.taken(c, p, nil, a)
	}
	a.Risks = append(a.Risks, w.typeRisks(c, it)...)
	value := quote(was.Name)
	if p.Text("type") != was.Text("type") {
		value = "CONVERT(" + p.Text("type") + ", " + value + ")"
	}
	if p.Has("not null") && !was.Has("not null") {
		if !filled {
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: ref, Text: noNull(c.Source, p), Ask: holdsNull(c.Target, was)})
			return value
		}
		a.Fills = append(a.Fills, order.Fill{On: ref, Value: fill, Ask: holdsNull(c.Target, was)})
		return "COALESCE(" + value + ", " + fill + ")"
	}
	return value
}

// scratchName is a name for the new table, or the old one, that nothing on either side has.
func scratchName(c *order.Change, prefix string) string {
	base := []rune(prefix + c.Source.Name)
	for n := 0; ; n++ {
		try := string(base[:min(len(base), 120)])
		if n > 0 {
			try += fmt.Sprintf("_%d", n)
		}
		taken := func(in *catalog.Catalog) bool {
			return slices.ContainsFunc(in.Objects, func(o *catalog.Object) bool { return strings.EqualFold(o.Name, try) })
		}
		if !taken(c.Actual) && !taken(c.Desired) {
			return try
		}
	}
}
