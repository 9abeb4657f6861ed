package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlserver/convert"
	"dappermirror/internal/engine/sqlserver/ddl"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// fill is the value that the user gives for the rows of a column.
func (w *Writer) fill(o, p *catalog.Object) (string, bool) {
	v, ok := w.Fill[o.PartRef(p)]
	return v, ok
}

// column carries out the change of one column.
func (w *Writer) column(c *order.Change, it *compare.Item) []*order.Action {
	switch {
	case it.Target == nil:
		return []*order.Action{w.addColumn(c, it.Source)}
	case it.Source == nil:
		return []*order.Action{w.dropColumn(c, it.Target)}
	case it.Status == compare.Same && !c.Rebuilds(it) && !c.RebuildsFact(it, "default") && !follows(c, it):
		return nil
	case unlike(it) && w.filled(c.Source, it.Source):
		return w.alterColumn(c, it)
	case anew(it) || unlikeBeneath(c, it) || c.Rebuilds(it) && it.Source.Has("generated"):
		drop, add := w.dropColumn(c, it.Target), w.addColumn(c, it.Source)
		switch {
		case it.Target.Has("generated"):
			drop.Risks = nil
		case unlike(it), unlikeBeneath(c, it):
			drop.Risks[0].Text += ", as nothing makes " + it.Source.Text("type") + " of " + it.Target.Text("type")
		}
		return []*order.Action{drop, add}
	}
	return w.alterColumn(c, it)
}

// anew tells whether a column must be dropped and added.
func anew(it *compare.Item) bool {
	s, t := it.Source, it.Target
	if s.Has("generated") != t.Has("generated") || (s.Text("type") == "rowversion") != (t.Text("type") == "rowversion") || unlike(it) {
		return true
	}
	if !s.Has("generated") {
		return false
	}
	return it.Property("generated") != nil || it.Property("not null") != nil || it.Property("persisted") != nil && s.Has("not null")
}

// unlike tells whether a column is to have a type that nothing converts its values to.
func unlike(it *compare.Item) bool {
	return !it.Source.Has("generated") && !it.Target.Has("generated") && convert.Never(it.Target.Text("type"), it.Source.Text("type"))
}

// unlikeBeneath is unlike of the types behind alias types.
func unlikeBeneath(c *order.Change, it *compare.Item) bool {
	return !it.Source.Has("generated") && !it.Target.Has("generated") && convert.Never(underlying(c.Actual, it.Target), underlying(c.Desired, it.Source))
}

func (w *Writer) filled(o, p *catalog.Object) bool {
	_, ok := w.fill(o, p)
	return ok
}

func (w *Writer) addColumn(c *order.Change, p *catalog.Object) *order.Action {
	o := c.Source
	ref := o.PartRef(p)
	a := locks(&order.Action{About: ref, Title: fmt.Sprintf("add column %s to %s", p.Name, o.Name), Makes: []catalog.Ref{ref}, Takes: append(partNames(o, p), order.Name{Space: "column", Schema: o.Schema, Name: strings.ToLower(o.Name + "." + p.Name)})}, c.Target)
	add := "ALTER TABLE " + qualified(o) + " ADD "
	a.Effects = columnsOf(c.Target)
	value, filled := w.fill(o, p)
	if v := since(o, p) + w.handedDown(c, p); v != "" && !filled {
		value, filled = v, true
	}
	if filled {
		a.Effects = append(a.Effects, order.Effect{On: c.Target.Ref(), Aspect: vocab.AspectRows})
	}
	switch {
	case filled && !p.Has("generated") && !p.Has("identity"):
		nullable := p.Clone()
		nullable.Remove("not null")
		a.Fills = append(a.Fills, order.NewFill(ref, qualified(c.Target), value))
		a.Uses = append(a.Uses, reads(c, value)...)
		a.SQL = ddl.Batches(add + ddl.Column(nullable, false) + ";")
		a.SQL = append(a.SQL, w.quietly(c, "UPDATE "+qualified(o)+" SET "+quote(p.Name)+" = ("+value+");")...)
		if p.Has("not null") {
			a.SQL = append(a.SQL, batch("ALTER TABLE "+qualified(o)+" ALTER COLUMN "+quote(p.Name)+" "+ddl.Type(p)+ddl.Null(p)+";"))
			if since(o, p) == "" || value != since(o, p) { // which never is
				a.Risks = append(a.Risks, isNull(c, p, value))
			}
		}
	default:
		a.SQL = ddl.Batches(add + ddl.Column(p, false) + ";")
		if p.Has("not null") && !p.Has("default") && !p.Has("identity") && !p.Has("generated") && p.Text("type") != "rowversion" {
			a.Risks = append(a.Risks, needsValue(c, p))
		}
	}
	if p.Has("identity") || p.Has("persisted") || p.Text("type") == "rowversion" {
		a.Risks = append(a.Risks, order.Risk{Kind: order.Rewrite, On: ref, Text: "every row of table " + o.Name + " gets a value"})
	}
	a.SQL = append(a.SQL, ddl.Comments(p, nil, ddl.LevelOf(o).Part(p))...)
	return a
}

// isNull is the risk that what a new column is filled with is NULL where none may be.
func isNull(c *order.Change, p *catalog.Object, value string) order.Risk {
	return order.Risk{Kind: order.MayFail, On: c.Source.PartRef(p), Text: fmt.Sprintf("fails when the value for column %s is NULL itself", p.Name),
		Ask: &order.Question{Count: fmt.Sprintf("SELECT count(*) FROM %s WHERE (%s) IS NULL", qualified(c.Target), value), What: "would still hold NULL", None: "none would", Tries: fmt.Sprintf("--fill %s.%s=%s", c.Source.Name, p.Name, value)}}
}

// columnsOf is the effect that a table has other columns, by which versioning learns of it.
func columnsOf(o *catalog.Object) []order.Effect {
	out := []order.Effect{{On: o.Ref(), Aspect: vocab.AspectColumns}}
	for _, p := range o.PartsOf(vocab.Period) {
		out = append(out, order.Effect{On: o.PartRef(p), Aspect: vocab.AspectColumns})
	}
	return out
}

// reads are the columns of the target that an expression names: they must still be
// there.
func reads(c *order.Change, value string) []catalog.Ref {
	var out []catalog.Ref
	for _, t := range sqltext.Significant(vocab.Dialect, value) {
		for _, p := range c.Target.PartsOf(catalog.Column) {
			if t.IsName() && strings.EqualFold(t.Name(), p.Name) {
				out = append(out, c.Target.PartRef(p))
			}
		}
	}
	return out
}

func needsValue(c *order.Change, p *catalog.Object) order.Risk {
	return order.Risk{Kind: order.MayFail, On: c.Source.PartRef(p), Text: fmt.Sprintf("fails when there are rows: column %s is NOT NULL and has no value for them (--fill %s.%s=…)", p.Name, c.Source.Name, p.Name), Ask: order.RowsWhere(qualified(c.Target), "", "would have no value")}
}

// quietly runs an update that is nobody's but ours: triggers do not see it.
func (w *Writer) quietly(c *order.Change, update string) []string {
	var off, on []string
	for _, t := range c.Target.PartsOf(catalog.Trigger) {
		now := c.Source.Part(catalog.Trigger, t.Key())
		if t.Has("disabled") || now == nil { // one that goes is gone by then, or in its way
			continue
		}
		name := quote(c.Target.Schema) + "." + quote(t.Name)
		off = append(off, "DISABLE TRIGGER "+name+" ON "+qualified(c.Target)+";")
		on = append(on, "ENABLE TRIGGER "+name+" ON "+qualified(c.Target)+";")
	}
	return ddl.Batches(slices.Concat(off, []string{update}, on)...)
}

func (w *Writer) dropColumn(c *order.Change, p *catalog.Object) *order.Action {
	o := c.Target
	ref := o.PartRef(p)
	a := locks(&order.Action{About: ref, Title: fmt.Sprintf("drop column %s of %s", p.Name, o.Name), Removes: []catalog.Ref{ref}, Frees: append(partNames(o, p), order.Name{Space: "column", Schema: o.Schema, Name: strings.ToLower(o.Name + "." + p.Name)})}, o)
	alter := "ALTER TABLE " + qualified(o) + " DROP "
	if p.Has("default") {
		a.SQL = []string{ddl.DropConstraint(o, p, p.Text("default name"))}
	}
	a.SQL = append(a.SQL, batch(alter+"COLUMN "+quote(p.Name)+";"))
	a.Effects = columnsOf(o)
	if !p.Has("generated") {
		a.Risks = []order.Risk{{Kind: order.Loss, On: ref, Text: fmt.Sprintf("the values of column %s of table %s", p.Name, o.Name), Ask: w.anyValue(o, p)}}
	}
	return a
}

// alterColumn changes a column in place: its default steps aside by name, then all
// of the column is stated again.
func (w *Writer) alterColumn(c *order.Change, it *compare.Item) []*order.Action {
	o, p, was := c.Source, it.Source, it.Target
	ref := o.PartRef(p)
	a := locks(&order.Action{About: ref, Title: fmt.Sprintf("change column %s of %s", p.Name, o.Name), Makes: []catalog.Ref{ref}}, c.Target)
	alter := "ALTER TABLE " + qualified(o) + " "
	if it.Property(catalog.Letters) != nil {
		a.SQL = append(a.SQL, batch("EXEC sp_rename "+vocab.String(qualified(c.Target)+"."+quote(was.Name))+", "+vocab.String(p.Name)+", N'COLUMN';"))
	}
	change := it.Property("type") != nil || it.Property("collation") != nil || it.Property("not null") != nil || it.Property("sparse") != nil
	typed := it.Property("type") != nil || it.Property("collation") != nil
	moves := follows(c, it)
	change = change || moves
	rebuild := c.Rebuilds(it) && ofAlias(was) // its type steps aside
	newDefault := it.Property("default") != nil || it.Property("default name") != nil && (p.Text("default name") == "" || was.Text("default") == "" || nameTaken(c, p)) || c.RebuildsFact(it, "default")
	aside := was.Has("default") && (newDefault || typed || rebuild)
	if aside {
		a.SQL = append(a.SQL, ddl.DropConstraint(c.Target, was, was.Text("default name")))
		a.Frees = append(a.Frees, partNames(c.Target, was)...)
	}
	if rebuild {
		return w.retyped(c, it, a)
	}
	var out []*order.Action
	if aside && (nameTaken(c, p) || c.RebuildsFact(it, "default")) { // the name, or what it calls, must be free meanwhile
		down := *a
		down.Title, down.Makes, down.Locks = fmt.Sprintf("drop the default of column %s of %s", p.Name, o.Name), nil, slices.Clone(a.Locks)
		down.Removes = []catalog.Ref{c.Target.PartRef(was).Of("default")}
		out = append(out, &down)
		a.SQL, a.Frees = nil, nil
		a.Makes = append(a.Makes, ref.Of("default"))
	}
	if change {
		w.restated(c, it, a, alter)
	}
	described := was
	if change && (swaps(it) || moves) { // a new column has its flags, and no descriptions
		described = nil
	} else {
		a.SQL = append(a.SQL, w.columnFlags(it, alter)...)
	}
	switch {
	case p.Has("default") && (aside || !was.Has("default")):
		a.SQL = append(a.SQL, batch(alter+"ADD"+ddl.Named(p.Text("default name"))+" DEFAULT ("+p.Text("default")+") FOR "+quote(p.Name)+";"))
		a.Takes = append(a.Takes, partNames(o, p)...)
	case it.Property("default name") != nil && p.Has("default"):
		if old := was.Text("default name"); old != "" {
			a.SQL = append(a.SQL, renamed(&catalog.Object{Schema: o.Schema, Name: old}, p.Text("default name"), ""))
		} else {
			a.SQL = append(a.SQL, ddl.RenamedByDefinition(c.Target, was, p.Text("default name")))
		}
		a.Frees, a.Takes = append(a.Frees, partNames(c.Target, was)...), append(a.Takes, partNames(o, p)...)
	}
	a.SQL = append(a.SQL, ddl.Comments(p, described, ddl.LevelOf(o).Part(p))...)
	if len(a.SQL) == 0 {
		return out
	}
	return append(out, a)
}

// nameTaken tells whether the default of another column of the target has the name
// that one is to get.
func nameTaken(c *order.Change, p *catalog.Object) bool {
	name := p.Text("default name")
	return name != "" && slices.ContainsFunc(c.Target.PartsOf(catalog.Column), func(x *catalog.Object) bool {
		return x.Key() != p.Key() && strings.EqualFold(x.Text("default name"), name)
	})
}

// restated writes ALTER COLUMN with what the rows need before it.
func (w *Writer) restated(c *order.Change, it *compare.Item, a *order.Action, alter string) {
	o, p, was := c.Source, it.Source, it.Target
	ref := o.PartRef(p)
	a.Effects = append(a.Effects, order.Effect{On: ref, Aspect: aspect(it)})
	if swaps(it) || p.Has("not null") && !was.Has("not null") {
		a.Effects = append(a.Effects, order.Effect{On: c.Target.Ref(), Aspect: vocab.AspectRows})
	}
	a.Risks = append(a.Risks, w.typeRisks(c, it)...)
	notNull := p.Has("not null") && !was.Has("not null")
	whole := alter + "ALTER COLUMN " + quote(p.Name) + " " + ddl.Type(p) + sparseSQL(p)
	if swaps(it) || follows(c, it) {
		w.swapped(c, it, a, alter)
		return
	}
	if notNull {
		value, filled := w.fill(o, p)
		if !filled {
			value = p.Text("default") + w.handedDown(c, p)
		}
		if value == "" {
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: ref, Text: noNull(c.Source, p), Ask: holdsNull(c.Target, was)})
		} else {
			if it.Property("type") != nil || it.Property("collation") != nil {
				a.SQL = append(a.SQL, batch(whole+" NULL;"))
			}
			a.Fills = append(a.Fills, order.Fill{On: ref, Value: value, Ask: holdsNull(c.Target, was)})
			a.Uses = append(a.Uses, reads(c, value)...)
			a.SQL = append(a.SQL, w.quietly(c, "UPDATE "+qualified(o)+" SET "+quote(p.Name)+" = ("+value+") WHERE "+quote(p.Name)+" IS NULL;")...)
			whose := fmt.Sprintf("the default of column %s of table %s, %s,", p.Name, o.Name, value)
			if filled {
				whose = fmt.Sprintf("--fill %s.%s=%s", o.Name, p.Name, value)
			}
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: ref, Text: fmt.Sprintf("fails when the value for column %s is NULL itself", p.Name),
				Ask: &order.Question{Tries: whose, What: "would still hold NULL", None: "none would", Count: fmt.Sprintf("SELECT count(*) FROM %s WHERE %s IS NULL AND (%s) IS NULL", qualified(c.Target), quote(was.Name), value)}})
		}
	}
	a.SQL = append(a.SQL, batch(whole+ddl.Null(p)+";"))
}

func sparseSQL(p *catalog.Object) string {
	if p.Has("sparse") {
		return " SPARSE"
	}
	return ""
}

// swaps tells whether a column is to have a type that the server does not convert to by
// itself.
func swaps(it *compare.Item) bool {
	return unlike(it) || convert.Explicit(it.Target.Text("type"), it.Source.Text("type"))
}

// swapped gives a column a type that the server does not convert to by itself: a new
// column takes the values and then the name.
func (w *Writer) swapped(c *order.Change, it *compare.Item, a *order.Action, alter string) {
	p := it.Source
	o := c.Source
	tmp := p.Clone()
	for n := 0; n == 0 || c.Target.Part(catalog.Column, strings.ToLower(tmp.Name)) != nil || o.Part(catalog.Column, strings.ToLower(tmp.Name)) != nil; n++ {
		tmp.Name = fmt.Sprintf("dapper_mirror_%d_%s", n, string([]rune(p.Name)[:min(100, len([]rune(p.Name)))]))
	}
	bare := tmp.Clone()
	bare.Remove("not null")
	old, fresh := quote(p.Name), quote(tmp.Name)
	value := "CONVERT(" + p.Text("type") + ", " + old + ")"
	switch f, ok := w.fill(o, p); {
	case ok && unlike(it):
		value = "(" + f + ")"
		a.Fills, a.Uses = append(a.Fills, order.NewFill(o.PartRef(p), qualified(c.Target), f)), append(a.Uses, reads(c, f)...)
		if p.Has("not null") {
			a.Risks = append(a.Risks, isNull(c, p, f))
		}
	case ok:
		value = "COALESCE(" + value + ", " + f + ")"
		a.Fills = append(a.Fills, order.Fill{On: o.PartRef(p), Value: f, Ask: holdsNull(c.Target, it.Target)})
	}
	a.SQL = append(a.SQL, batch(alter+"ADD "+ddl.Column(bare, true)+";"))
	a.SQL = append(a.SQL, w.quietly(c, "UPDATE "+qualified(o)+" SET "+fresh+" = "+value+";")...)
	if p.Has("not null") {
		a.SQL = append(a.SQL, batch(alter+"ALTER COLUMN "+fresh+" "+ddl.Type(p)+ddl.Null(p)+";"))
	}
	a.SQL = append(a.SQL, batch(alter+"DROP COLUMN "+old+";"), batch("EXEC sp_rename "+vocab.String(qualified(o)+"."+fresh)+", "+vocab.String(p.Name)+", N'COLUMN';"))
	a.Note = strings.TrimSpace(a.Note + " The column becomes the last one of the table.")
}

// ofAlias tells whether a column has a type that can be made anew.
func ofAlias(p *catalog.Object) bool {
	return slices.ContainsFunc(p.Needs, func(n catalog.Need) bool { return n.On.Kind == vocab.AliasType })
}

// retyped lets a column have the type that its own is made of while that is made
// anew.
func (w *Writer) retyped(c *order.Change, it *compare.Item, a *order.Action) []*order.Action {
	o, p, was := c.Source, it.Source, it.Target
	down, plain := w.letGo(c, was, a)
	if down == nil {
		return nil
	}
	item := &compare.Item{Source: p, Target: plain, Properties: it.Properties, Status: it.Status}
	up := locks(&order.Action{About: o.PartRef(p), Title: fmt.Sprintf("change column %s of %s", p.Name, o.Name), Makes: []catalog.Ref{o.PartRef(p)}}, c.Target)
	w.restated(c, item, up, "ALTER TABLE "+qualified(o)+" ")
	up.Effects = nil
	if swaps(item) { // a new column has its flags, and no descriptions
		was = nil
	} else {
		up.SQL = append(up.SQL, w.columnFlags(it, "ALTER TABLE "+qualified(o)+" ")...)
	}
	if p.Has("default") {
		up.SQL = append(up.SQL, batch("ALTER TABLE "+qualified(o)+" ADD"+ddl.Named(p.Text("default name"))+" DEFAULT ("+p.Text("default")+") FOR "+quote(p.Name)+";"))
		up.Takes = partNames(o, p)
	}
	up.SQL = append(up.SQL, ddl.Comments(p, was, ddl.LevelOf(o).Part(p))...)
	return []*order.Action{down, up}
}

// letGo lets a column have the type that its own is made of, so that its own can go, behind
// what an action does already; nil where it has none such.
func (w *Writer) letGo(c *order.Change, was *catalog.Object, a *order.Action) (down *order.Action, plain *catalog.Object) {
	var t *catalog.Object
	for _, n := range was.Needs {
		if n.On.Kind == vocab.AliasType {
			t = c.Actual.Find(n.On)
		}
	}
	if t == nil {
		return nil, nil
	}
	plain = was.Clone()
	plain.Set("type", catalog.Scalar(t.Text("type")))
	alter := "ALTER TABLE " + qualified(c.Target) + " ALTER COLUMN " + quote(was.Name) + " " + ddl.Type(plain) + ddl.Null(was) + ";"
	return locks(&order.Action{About: c.Target.PartRef(was), Title: fmt.Sprintf("let column %s of %s have the type behind %s", was.Name, c.Source.Name, t.Name), Removes: []catalog.Ref{c.Target.PartRef(was)}, Frees: a.Frees,
		SQL: append(a.SQL, batch(alter))}, c.Target), plain
}

// columnFlags switches what ALTER COLUMN adds and drops by itself.
func (w *Writer) columnFlags(it *compare.Item, alter string) []string {
	var out []string
	p := it.Source
	column := alter + "ALTER COLUMN " + quote(p.Name) + " "
	for _, f := range [][2]string{{"rowguidcol", "ROWGUIDCOL"}, {"persisted", "PERSISTED"}, {"not for replication", "NOT FOR REPLICATION"}} {
		if it.Property(f[0]) != nil {
			out = append(out, batch(column+map[bool]string{true: "ADD ", false: "DROP "}[p.Has(f[0])]+f[1]+";"))
		}
	}
	if it.Property("mask") != nil {
		if m := p.Text("mask"); m != "" {
			out = append(out, batch(column+"ADD MASKED WITH (FUNCTION = '"+strings.ReplaceAll(m, "'", "''")+"');"))
		} else {
			out = append(out, batch(column+"DROP MASKED;"))
		}
	}
	return out
}

// aspect is what of a column's type changes.
func aspect(it *compare.Item) catalog.Aspect {
	s, t := it.Source, it.Target
	if it.Property("collation") != nil || !s.Has("not null") != !t.Has("not null") && it.Property("not null") != nil {
		return catalog.AspectType
	}
	switch {
	case convert.Widens(t.Text("type"), s.Text("type")):
		return vocab.AspectWidened
	case convert.Same(t.Text("type"), s.Text("type")):
		return vocab.AspectResized
	}
	return catalog.AspectType
}
