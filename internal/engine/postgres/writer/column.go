package writer

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/apart"
	"dappermirror/internal/engine/postgres/convert"
	"dappermirror/internal/engine/postgres/family"
	"dappermirror/internal/engine/postgres/rows"
	"dappermirror/internal/engine/postgres/steps"
	"dappermirror/internal/engine/postgres/vocab"
)

// column carries out the change of one column.
func (w *Writer) column(c *order.Change, it *compare.Item) []*order.Action {
	if c.Source.Has("of type") && c.Target.Has("of type") && (it.Target == nil || it.Source == nil || it.Property("type") != nil) {
		return w.followsType(c, it)
	}
	switch {
	case it.Target == nil:
		return w.addColumn(c, it.Source)
	case it.Source == nil:
		return w.dropColumn(c, it.Target, true)
	case c.Rebuilds(it):
		return append(w.dropColumn(c, it.Target, false), w.addColumn(c, it.Source)...)
	}
	out := w.asideAndBack(c, it)
	if it.Status == compare.Differs {
		out = append(out, w.alterColumn(c, it)...)
	}
	return out
}

// followsType changes what a typed table's column has of its own, when its
// type has changed; the rest is the type's business.
func (w *Writer) followsType(c *order.Change, it *compare.Item) []*order.Action {
	if it.Source == nil {
		return nil
	}
	was, own := it.Target, *it
	if was == nil {
		was = &catalog.Object{Kind: catalog.Column, Name: it.Source.Name}
		for i := range it.Source.Properties {
			if p := &it.Source.Properties[i]; !p.Carried && p.Group == "" {
				own.Properties = append(own.Properties, compare.PropertyDiff{Name: p.Name, Source: &p.Value})
			}
		}
	}
	own.Target = was
	own.Properties = slices.DeleteFunc(slices.Clone(own.Properties), func(d compare.PropertyDiff) bool { return d.Name == "type" || d.Name == "collation" })
	b := &columnChange{o: c.Source, was: c.Target, ref: c.Source.PartRef(it.Source), col: it.Source}
	w.columnFacts(c, &own, b)
	for _, a := range b.out {
		for _, n := range c.Source.Needs {
			if n.On.Kind == kindComposite {
				a.After = append(a.After, n.On)
			}
		}
	}
	return b.out
}

// columns are the actions on a table's columns.
func (w *Writer) columns(c *order.Change) []*order.Action {
	var out []*order.Action
	for _, it := range c.Parts {
		if it.Kind() == catalog.Column {
			out = append(out, w.column(c, it)...)
		}
	}
	for _, a := range out {
		if a.Prefix == alterPrefix(c.Source) {
			w.reaches(c, a)
		}
	}
	return out
}

// asideAndBack takes a default, or a type, from a column while what it stands
// on is replaced, and gives it back. Values wait as text.
func (w *Writer) asideAndBack(c *order.Change, it *compare.Item) []*order.Action {
	o, col, was := c.Source, it.Source, it.Target
	ref := o.PartRef(col)
	step := func(title, clause string, removes, makes []catalog.Ref) *order.Action {
		return &order.Action{About: ref, Title: fmt.Sprintf("%s of column %s of table %s", title, col.Name, o.Name), Removes: removes, Makes: makes,
			Prefix: "ALTER TABLE ONLY " + qualified(o), Clauses: []string{"ALTER COLUMN " + quote(col.Name) + " " + clause}}
	}
	var out []*order.Action
	if c.RebuildsFact(it, "default") {
		one := []catalog.Ref{ref.Of("default")}
		out = append(out, step("take away the default", "DROP DEFAULT", one, nil))
		if col.Has("default") {
			out = append(out, step("put back the default", "SET DEFAULT "+col.Text("default"), nil, one))
		}
	}
	if c.RebuildsFact(it, "type") && it.Property("type") == nil && !family.FromParent(col) {
		one := []catalog.Ref{ref.Of("type")}
		form := convert.Waiting(c.Actual, was, asideFor("array", was.Name, o.Schema, o.Name, was.Name))
		away := step("keep the values as "+form.Type, "TYPE "+form.Type+" USING "+form.Away, one, nil)
		back := step("put back the type", "TYPE "+withCollation(col)+" USING "+form.Back, nil, one)
		away.Prefix, back.Prefix, back.Sequel = alterPrefix(o), alterPrefix(o), away
		// What stands on the column comes down: it is something else meanwhile.
		away.Effects, back.Effects = w.retyped(c, ref, catalog.AspectRowType), w.retyped(c, ref, catalog.AspectRowType)
		away.Risks = []order.Risk{{Kind: order.Rewrite, On: ref, Text: "the table is copied while everything on it waits"}}
		back.Risks = slices.Clone(away.Risks)
		if form.Make != "" { // it takes a function
			back.SQL = []string{form.Make, back.Prefix + " " + back.Clauses[0] + ";", form.Drop}
			back.Prefix, back.Clauses = "", nil
		}
		out = append(out, away, back)
	}
	return out
}

// retyped is what it reaches that a column changes its type: who needs the
// column, here and in partitions and children, which follow, and whose columns
// are of the table's row type (PostgreSQL refuses those: ALTER TABLE).
func (w *Writer) retyped(c *order.Change, ref catalog.Ref, aspect catalog.Aspect) []order.Effect {
	out := []order.Effect{{On: ref, Aspect: aspect}, {On: ref.Object(), Aspect: catalog.AspectRowType}}
	for _, r := range w.descendants(c.Actual, ref.Object()) {
		out = append(out, order.Effect{On: catalog.Ref{Kind: r.Kind, Schema: r.Schema, Name: r.Name, PartKind: ref.PartKind, Part: ref.Part}, Aspect: aspect}, order.Effect{On: r, Aspect: catalog.AspectRowType})
	}
	return out
}

func (w *Writer) fill(o, col *catalog.Object) (string, bool) {
	f, ok := w.Fill[o.PartRef(col)]
	return f, ok
}

func (w *Writer) addColumn(c *order.Change, col *catalog.Object) []*order.Action {
	o := c.Source
	if family.FromParent(col) && family.ComesWith(c, col) {
		return nil
	}
	ref := o.PartRef(col)
	a := &order.Action{About: ref, Title: fmt.Sprintf("add column %s to table %s", col.Name, o.Name), Makes: []catalog.Ref{ref}}
	a.Prefix = alterPrefix(o)
	fill, filled := w.fill(o, col)
	if filled && !col.Has("generated") && namesColumn(c.Target, fill) {
		// A default cannot look at other columns: the rows are filled before
		// NOT NULL comes.
		with := col.Clone()
		with.Remove("not null")
		with.Remove("identity")
		with.Remove("default")
		a.Clauses = []string{"ADD COLUMN " + columnSQL(with, false)}
		a.SQL = append(a.SQL, fmt.Sprintf("%s ALTER COLUMN %s TYPE %s USING %s;", alterPrefix(o), quote(col.Name), withCollation(col), inBrackets(fill)))
		a.Uses = usedColumns(c.Target, fill)
		if q := rows.Needing(c.Target); q != nil {
			q = &order.Question{Tries: fmt.Sprintf("--fill %s.%s=%s", o.Name, col.Name, fill), What: "would hold NULL", None: "none would",
				Count: fmt.Sprintf("SELECT count(*) FROM %s WHERE (%s)::%s IS NULL", qualified(c.Target), fill, col.Text("type"))}
			if steadyType(c, col) && col.Has("not null") {
				a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: ref, Text: fmt.Sprintf("fails when the value for column %s is NULL", col.Name), Ask: q})
			}
		}
		var then []string
		for _, t := range []struct {
			wanted bool
			clause string
		}{{col.Has("default"), "SET DEFAULT " + col.Text("default")}, {col.Has("not null"), "SET NOT NULL"}, {col.Has("identity"), "ADD " + identitySQL(col)}} {
			if t.wanted {
				then = append(then, "ALTER COLUMN "+quote(col.Name)+" "+t.clause)
			}
		}
		if len(then) > 0 {
			a.SQL = append(a.SQL, alterPrefix(o)+" "+strings.Join(then, ", ")+";")
		}
		a.Risks = append(a.Risks, order.Risk{Kind: order.Rewrite, On: ref, Text: "every row is written anew"})
	} else if filled && !col.Has("generated") {
		// The value for the rows that are there goes in as a default, which
		// is then replaced by the real one.
		with := col.Clone()
		with.Remove("default")
		with.Remove("identity")
		with.Set("default", catalog.PlainSQL(fill))
		a.Clauses = []string{"ADD COLUMN " + columnSQL(with, true)}
		end := "DROP DEFAULT"
		if col.Has("default") {
			end = "SET DEFAULT " + col.Text("default")
		}
		if col.Has("identity") {
			end = "DROP DEFAULT, ALTER COLUMN " + quote(col.Name) + " ADD " + identitySQL(col)
		}
		a.SQL = append(a.SQL, fmt.Sprintf("%s ALTER COLUMN %s %s;", alterPrefix(o), quote(col.Name), end))
	} else {
		a.Clauses = []string{"ADD COLUMN " + columnSQL(col, true)}
		if col.Has("not null") && !col.Has("default") && !col.Has("identity") && !col.Has("generated") && !givenByDomain(c.Desired, col) {
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: ref, Text: fmt.Sprintf("fails when there are rows: column %s is NOT NULL and has no value for them (--fill %s.%s=…)", col.Name, o.Name, col.Name), Ask: rows.Needing(c.Target)})
		}
	}
	if filled && !col.Has("generated") && c.Target.Kind == catalog.Table {
		a.Fills = append(a.Fills, order.NewFill(ref, qualified(c.Target), fill))
	}
	if col.Text("generated") == "stored" || col.Has("identity") || rewrites(c.Desired, col) {
		a.Risks = append(a.Risks, order.Risk{Kind: order.Rewrite, On: ref, Text: "the table is copied while everything on it waits"})
	}
	a.Clauses = append(a.Clauses, columnExtras(col)...)
	if col.Has("comment") {
		a.SQL = append(a.SQL, columnComment(o, col))
	}
	a.SQL = append(a.SQL, identityExtras(c, o, col)...)
	if before := c.Target.Part(catalog.Column, col.Key()); c.Groups["grants"] || before != nil && before.Has("grants") {
		a.SQL = append(a.SQL, steps.Regrant(o, col.Name, col.List("grants"), nil)...)
	}
	for _, s := range apart.OwnedSequences(c.Desired, o, col.Name) {
		a.After = append(a.After, s.Ref())
	}
	return []*order.Action{a}
}

// givenByDomain tells whether the column's type itself gives new rows a value.
func givenByDomain(cat *catalog.Catalog, col *catalog.Object) bool {
	base, _, _ := splitType(col.Text("type"))
	d := userType(cat, base, kindDomain)
	return d != nil && d.Has("default")
}

// namesColumn tells whether an expression names a column of the table.
func namesColumn(o *catalog.Object, expr string) bool { return len(usedColumns(o, expr)) > 0 }

// volatile are the server's own functions that give every row a value of its
// own; a default that calls one copies the table, any other is noted once
// (PostgreSQL: ALTER TABLE, Notes).
var volatile = map[string]bool{"random": true, "random_normal": true, "nextval": true, "setval": true, "currval": true, "lastval": true, "clock_timestamp": true,
	"timeofday": true, "gen_random_uuid": true, "uuidv4": true, "uuidv7": true, "pg_sleep": true, "txid_current": true}

// rewrites tells whether adding a column with its default copies the table.
func rewrites(cat *catalog.Catalog, col *catalog.Object) bool {
	base, _, _ := splitType(col.Text("type"))
	if d := userType(cat, base, kindDomain); d != nil && (d.Has("not null") || len(d.Parts) > 0) {
		return true // its constraints are checked on every row
	}
	toks := slices.DeleteFunc(sqltext.Lex(vocab.Dialect, col.Text("default")), sqltext.Token.Blank)
	for i, t := range toks {
		if !t.IsName() || i+1 >= len(toks) || toks[i+1].Text != "(" || i > 0 && toks[i-1].Text == "::" {
			continue
		}
		if i < 2 || toks[i-1].Text != "." {
			if volatile[t.Name()] {
				return true
			}
			continue
		}
		if steady := steadyRoutine(cat, toks[i-2].Name(), t.Name()); !steady {
			return true
		}
	}
	return false
}

// steadyRoutine tells whether every routine of that name is declared stable or
// immutable; one that is not known is not.
func steadyRoutine(cat *catalog.Catalog, schema, name string) bool {
	found := false
	for _, o := range cat.Objects {
		if o.Kind != catalog.Routine || o.Schema != schema || bareName(o) != name {
			continue
		}
		head, _, _ := strings.Cut(o.Text("definition"), "\nAS ")
		if !strings.Contains(head, " IMMUTABLE") && !strings.Contains(head, " STABLE") {
			return false
		}
		found = true
	}
	return found
}

// provedNotNull tells whether a valid check of the table says that the column
// holds no NULL: then SET NOT NULL neither fails nor looks (PostgreSQL: ALTER
// TABLE, SET NOT NULL).
func provedNotNull(table, col *catalog.Object) bool {
	for _, p := range table.PartsOf(catalog.Check) {
		if !p.Has("not valid") && p.Text("definition") == "CHECK (("+quote(col.Name)+" IS NOT NULL))" {
			return true
		}
	}
	return false
}

func (w *Writer) dropColumn(c *order.Change, col *catalog.Object, late bool) []*order.Action {
	o := c.Target
	if family.FromParent(col) && family.GoesWith(c, col) {
		return nil
	}
	ref := o.PartRef(col)
	a := &order.Action{About: ref, Title: fmt.Sprintf("drop column %s of table %s", col.Name, o.Name), Removes: []catalog.Ref{ref},
		Prefix: alterPrefix(o), Clauses: []string{"DROP COLUMN " + quote(col.Name)}, Late: late}
	if family.FromParent(col) {
		a.After = append(a.After, leftParents(o.Ref()))
	}
	out := w.ownedGo(c, o, col.Name, a)
	if !col.Has("generated") {
		a.Risks = []order.Risk{{Kind: order.Loss, On: ref, Text: fmt.Sprintf("every value of column %s of table %s", col.Name, o.Name), Ask: w.anyValue(o, col)}}
	}
	return append(out, a)
}

// alterColumn changes a column in place, or drops and adds it where no way
// leads from the one to the other.
func (w *Writer) alterColumn(c *order.Change, it *compare.Item) []*order.Action {
	o, col, was := c.Source, it.Source, it.Target
	ref := o.PartRef(col)
	if d := it.Property("expression"); d != nil && col.Text("generated") == "stored" && was.Text("generated") == "stored" && it.Property("type") == nil && major(c.Actual) >= 17 {
		b := &columnChange{o: o, was: c.Target, ref: ref, col: col}
		a := b.clause("expression", "SET EXPRESSION AS ("+col.Text("expression")+")")
		a.Risks = []order.Risk{{Kind: order.Rewrite, On: ref, Text: "the table is copied while everything on it waits"}}
		w.columnFacts(c, it, b)
		return b.out
	}
	if it.Property("generated") != nil || it.Property("expression") != nil {
		if !col.Has("generated") { // its values stay
			return w.toPlain(c, it)
		}
		as := append(w.dropColumn(c, was, false), w.addColumn(c, col)...)
		return as
	}
	b := &columnChange{o: o, was: c.Target, ref: ref, col: col, fromParent: family.FromParent(col) && family.FromParent(was)}
	if d := it.Property("type"); (d != nil || it.Property("collation") != nil) && !movesAlong(c, was, col) {
		if !w.retype(c, it, b) {
			as := append(w.dropColumn(c, was, false), w.addColumn(c, col)...)
			return as
		}
	}
	w.columnFacts(c, it, b)
	if it.Property("identity") != nil || it.Property("default") != nil {
		w.counts(c, b, was)
	}
	return b.out
}

// movesAlong tells whether a column's type differs by its schema alone, which is
// that of an extension that moves.
func movesAlong(c *order.Change, was, now *catalog.Object) bool {
	for _, n := range was.Needs {
		before, after := c.Actual.Find(n.On), c.Desired.Find(n.On)
		if n.On.Kind != vocab.Extension || before == nil || after == nil || before.Text("schema") == after.Text("schema") {
			continue
		}
		if bare, ok := strings.CutPrefix(was.Text("type"), quote(before.Text("schema"))+"."); ok && now.Text("type") == quote(after.Text("schema"))+"."+bare {
			return true
		}
	}
	return false
}

// major is the major version of a catalog's server.
func major(c *catalog.Catalog) int {
	v, _, _ := strings.Cut(c.Version, ".")
	return number(v)
}

// columnChange collects the clauses of one column.
type columnChange struct {
	o, was     *catalog.Object // the table, desired and as it is
	col        *catalog.Object
	ref        catalog.Ref
	fromParent bool
	out        []*order.Action
	changes    map[string][]*order.Action // those that are a clause, by the fact they change
}

func (b *columnChange) clause(title string, clauses ...string) *order.Action {
	prefix := alterPrefix(b.o)
	if title == "default" {
		prefix = "ALTER TABLE ONLY " + qualified(b.o)
	}
	for i, c := range clauses {
		clauses[i] = "ALTER COLUMN " + quote(b.col.Name) + " " + c
	}
	a := &order.Action{About: b.ref, Title: fmt.Sprintf("change the %s of column %s of table %s", title, b.col.Name, b.o.Name), Makes: []catalog.Ref{b.ref.Of(title)}, Prefix: prefix, Clauses: clauses}
	b.out = append(b.out, a)
	if b.changes == nil {
		b.changes = map[string][]*order.Action{}
	}
	b.changes[title] = append(b.changes[title], a)
	return a
}

// retype changes the type in place; false where no cast leads there.
func (w *Writer) retype(c *order.Change, it *compare.Item, b *columnChange) bool {
	o, col, was := c.Source, it.Source, it.Target
	from, to := was.Text("type"), col.Text("type")
	cv := convert.Between(c.Actual, c.Desired, from, to)
	if o.Kind == vocab.ForeignTable { // its values are elsewhere (PostgreSQL: ALTER FOREIGN TABLE)
		cv = convert.Conversion{Possible: true}
	}
	if !cv.Possible {
		return false
	}
	if b.fromParent {
		return true
	}
	clause := "TYPE " + to
	if n := col.Text("collation"); n != "" {
		clause += " COLLATE " + n
	} else if was.Has("collation") && from == to {
		clause += ` COLLATE pg_catalog."default"`
	}
	if cv.Via != "" {
		clause += " USING " + strings.ReplaceAll(cv.Via, "$", quote(col.Name))
	}
	clauses := []string{clause}
	// A default is converted by itself only where a cast is implied, so it
	// steps aside.
	moved := was.Has("default") && from != to && !c.RebuildsFact(it, "default")
	if moved {
		b.clause("default", "DROP DEFAULT").Makes = nil
	}
	a := b.clause("type", clauses...)
	if moved {
		a.Sequel = b.out[len(b.out)-2]
		if it.Property("default") == nil {
			b.clause("default", "SET DEFAULT "+col.Text("default")).Sequel = a
		}
	}
	a.Title = fmt.Sprintf("change the type of column %s of table %s from %s to %s", col.Name, o.Name, from, to)
	if cv.Zone != "" {
		a.Title += ", times taken to be in " + cv.Zone
	}
	if from == to {
		a.Title = fmt.Sprintf("change the collation of column %s of table %s", col.Name, o.Name)
	}
	a.Effects = w.retyped(c, b.ref, catalog.AspectType)
	for _, r := range cv.Risks {
		a.Risks = append(a.Risks, order.Risk{Kind: r.Kind, On: b.ref, Text: fmt.Sprintf("column %s of table %s: %s", col.Name, o.Name, r.Text), Ask: typeQuestion(c, c.Target, was, r.Kind, cv, to)})
	}
	return true
}

func (w *Writer) columnFacts(c *order.Change, it *compare.Item, b *columnChange) {
	col, was := it.Source, it.Target
	yes := func(d compare.PropertyDiff) bool { return d.Source != nil }
	// An identity wants no default and no NULL, so it comes last.
	props := slices.Clone(it.Properties)
	slices.SortStableFunc(props, func(x, y compare.PropertyDiff) int {
		rank := map[string]int{"identity": 1, "identity sequence": 2}
		return rank[x.Name] - rank[y.Name]
	})
	for _, d := range props {
		switch d.Name {
		case "default":
			if c.RebuildsFact(it, "default") {
				continue // put back as the source has it
			}
			if yes(d) {
				b.clause("default", "SET DEFAULT "+col.Text("default"))
				b.waitsFor("type")
			} else {
				b.clause("default", "DROP DEFAULT")
			}
		case "not null":
			w.nullability(c, b, it, yes(d))
		case "not null name", "not null not valid", "not null no inherit":
			if col.Has("not null") && was.Has("not null") {
				b.notNullFact(d.Name, was)
			}
		case "identity":
			switch {
			case !yes(d):
				a := b.clause("identity", "DROP IDENTITY")
				a.Frees = identityNames(b.was, was)
			case d.Target == nil:
				a := b.clause("identity", "ADD "+identitySQL(col))
				a.Makes = nil // a sequence that stood under the default may go before
				a.Takes = identityNames(b.o, col)
				a.SQL = append(a.SQL, identityExtras(c, b.o, col)...)
				b.waitsFor("default", "nullability")
			default:
				b.clause("identity", "SET GENERATED "+strings.ToUpper(col.Text("identity")))
			}
		case "identity sequence comment", "identity sequence grants":
			if col.Has("identity") && was.Has("identity") {
				b.out = append(b.out, steps.LockFree(&order.Action{About: b.ref, Title: fmt.Sprintf("change the sequence of column %s of table %s", col.Name, b.o.Name), Makes: []catalog.Ref{b.ref}, SQL: identityExtra(b.o, col, was, d.Name)}))
			}
		case "identity sequence":
			if yes(d) && d.Target != nil {
				var set []string
				for _, s := range changedOptions(d.Source.Items, d.Target.Items) {
					set = append(set, "SET "+s)
				}
				if len(set) > 0 {
					b.clause("identity sequence", strings.Join(set, " "))
				}
			}
		case "storage":
			b.clause("storage", "SET STORAGE "+strings.ToUpper(cmp.Or(col.Text("storage"), defaultStorage(col))))
		case "compression":
			b.clause("compression", "SET COMPRESSION "+cmp.Or(col.Text("compression"), "DEFAULT"))
		case "statistics target":
			steps.ShareUpdateExclusive.Takes(b.clause("statistics target", "SET STATISTICS "+cmp.Or(col.Text("statistics target"), "-1")))
		case "options":
			steps.ShareUpdateExclusive.Takes(b.clause("options", optionClauses(col.List("options"), was.List("options"))...))
		case "foreign options":
			b.clause("options", changedGeneric(col.List("foreign options"), was.List("foreign options")))
		case "security labels":
			b.out = append(b.out, steps.ShareUpdateExclusive.Takes(&order.Action{About: b.ref, Title: fmt.Sprintf("change the security labels of column %s of table %s", col.Name, b.o.Name), Makes: []catalog.Ref{b.ref},
				SQL: labels("COLUMN "+qualified(b.o)+"."+quote(col.Name), col.List("security labels"), was.List("security labels"))}))
		case "comment":
			b.out = append(b.out, steps.ShareUpdateExclusive.Takes(&order.Action{About: b.ref, Title: fmt.Sprintf("change the comment of column %s of table %s", col.Name, b.o.Name), Makes: []catalog.Ref{b.ref}, SQL: []string{columnComment(b.o, col)}}))
		}
	}
}

// notNullComes tells whether a parent gets the NOT NULL of a column: it comes here
// when it comes there.
func notNullComes(c *order.Change, it *compare.Item) bool {
	_, keeps, _ := family.ParentChange(c)
	return slices.ContainsFunc(keeps, func(name string) bool {
		before, after := family.Named(c.Actual, name), family.Named(c.Desired, name)
		if before == nil || after == nil {
			return false
		}
		was, now := before.Part(catalog.Column, it.Target.Key()), after.Part(catalog.Column, it.Target.Key())
		return was != nil && now != nil && !was.Has("not null") && now.Has("not null")
	})
}

// notNullAbove tells whether a parent has the NOT NULL of a column as well: it
// goes here when it goes there.
func notNullAbove(c *order.Change, it *compare.Item) bool {
	return slices.ContainsFunc(family.Upwards(c.Actual, family.ParentNames(c.Target)), func(p *catalog.Object) bool {
		col := p.Part(catalog.Column, it.Target.Key())
		return col != nil && col.Has("not null")
	})
}

// nullability sets or drops NOT NULL.
func (w *Writer) nullability(c *order.Change, b *columnChange, it *compare.Item, now bool) {
	col := it.Source
	switch {
	case !now && !(b.fromParent && notNullAbove(c, it)):
		b.clause("nullability", "DROP NOT NULL")
		return
	case !now:
		return
	}
	if b.fromParent && notNullComes(c, it) {
		return
	}
	a := b.clause("nullability", "SET NOT NULL")
	if n := col.Text("not null name"); n != "" || col.Has("not null not valid") {
		a.Clauses = []string{"ADD CONSTRAINT " + quote(cmp.Or(n, vocab.NotNullName(b.o.Name, col.Name))) + " NOT NULL " + quote(col.Name)}
		if col.Has("not null no inherit") {
			a.Clauses[0] += " NO INHERIT"
		}
		if col.Has("not null not valid") {
			a.Clauses[0] += " NOT VALID"
			return
		}
	}
	if provedNotNull(b.was, it.Target) {
		return
	}
	a.Risks = []order.Risk{{Kind: order.MayFail, On: b.ref, Text: fmt.Sprintf("fails when a row holds NULL in column %s (--fill %s.%s=…)", col.Name, b.o.Name, col.Name), Ask: nullQuestion(b.was, it.Target)},
		{Kind: order.Lock, On: b.ref, Text: "everything on " + b.o.Name + " waits while the rows are checked"}}
	w.notNullGently(c, b, a)
	if value, whose := w.forNulls(b.o, col); value != "" {
		a.Risks = a.Risks[1:]
		up := w.fillNulls(c, b, it.Target, value, whose)
		for _, earlier := range b.out[:len(b.out)-1] {
			up.Sequel = earlier
		}
		a.Sequel = up
		b.out = append(b.out, up)
	}
}

// forNulls is the value for rows that hold NULL in a column that may not any
// more: what the user gives, or the source's default. whose says which.
func (w *Writer) forNulls(o, col *catalog.Object) (value, whose string) {
	if fill, ok := w.fill(o, col); ok {
		return fill, fmt.Sprintf("--fill %s.%s=%s", o.Name, col.Name, fill)
	}
	if col.Has("default") {
		return col.Text("default"), fmt.Sprintf("the default of column %s of table %s, %s,", col.Name, o.Name, col.Text("default"))
	}
	return "", ""
}

// fillNulls gives rows that hold NULL a value, and touches nothing else: where
// a trigger, rule or policy would see an UPDATE, the column is converted
// instead, which none of them do.
func (w *Writer) fillNulls(c *order.Change, b *columnChange, was *catalog.Object, value, whose string) *order.Action {
	col := b.col
	up := &order.Action{About: b.ref, Title: fmt.Sprintf("fill column %s of table %s", col.Name, b.o.Name), Makes: []catalog.Ref{b.ref},
		Effects: []order.Effect{{On: b.ref, Aspect: catalog.AspectValue}},
		SQL:     []string{fmt.Sprintf("UPDATE %s SET %s = %s WHERE %s IS NULL;", qualified(b.o), quote(col.Name), value, quote(col.Name))}}
	steps.RowExclusive.Takes(up)
	up.Uses = usedColumns(b.was, value)
	switch {
	case family.FromParent(col) && watched(b.was): // its type is its parent's business
		steps.ShareRowExclusive.Takes(up)
		up.SQL = slices.Concat([]string{alterPrefix(b.was) + " DISABLE TRIGGER USER;"}, up.SQL, []string{alterPrefix(b.was) + " ENABLE TRIGGER USER;"}, firingAgain(b.was))
	case !family.FromParent(col) && (watched(b.was) || watched(b.o)):
		steps.AccessExclusive.Takes(up)
		up.SQL = []string{fmt.Sprintf("%s ALTER COLUMN %s TYPE %s USING coalesce(%s, %s);", alterPrefix(b.o), quote(col.Name), withCollation(col), quote(col.Name), value)}
		up.Risks = []order.Risk{{Kind: order.Rewrite, On: b.ref, Text: "the table is copied, so that no trigger, rule or policy sees its rows change"}}
		up.Effects = append(up.Effects, w.retyped(c, b.ref, catalog.AspectType)...) // to the server it is a change of type
	}
	up.Fills = []order.Fill{{On: b.ref, Value: value, Ask: nullQuestion(b.was, was)}}
	if q := nullQuestion(b.was, was); q != nil { // the value itself may be none, or not to be had
		name := quote(was.Name)
		q = &order.Question{Tries: whose, What: "would still hold NULL", None: "none would",
			Count: fmt.Sprintf("SELECT count(*) FROM %s WHERE %s IS NULL AND (%s)::%s IS NULL", qualified(b.was), name, value, col.Text("type"))}
		if steadyType(c, col) {
			up.Risks = append(up.Risks, order.Risk{Kind: order.MayFail, On: b.ref, Text: fmt.Sprintf("fails when the value for column %s is NULL itself", col.Name), Ask: q})
		}
	}
	return up
}

// usedColumns are the columns of a table that an expression names.
func usedColumns(o *catalog.Object, expr string) []catalog.Ref {
	var out []catalog.Ref
	for _, t := range sqltext.Significant(vocab.Dialect, expr) {
		if col := o.Part(catalog.Column, t.Name()); t.IsName() && col != nil {
			out = append(out, o.PartRef(col))
		}
	}
	return out
}

func inBrackets(expr string) string { return "(" + expr + ")" }

// steadyType tells whether a column's type is one the target knows as the
// source does.
func steadyType(c *order.Change, col *catalog.Object) bool {
	base, _, _ := splitType(col.Text("type"))
	if !strings.Contains(base, ".") {
		return true
	}
	for _, kind := range []catalog.Kind{catalog.Enum, kindDomain} {
		if a, b := userType(c.Actual, base, kind), userType(c.Desired, base, kind); a != nil && b != nil && judge.Fingerprint(a, nil) == judge.Fingerprint(b, nil) {
			return true
		}
	}
	return false
}

// firingAgain are the statements that let triggers fire as they did before all
// of them were enabled.
func firingAgain(o *catalog.Object) []string {
	var out []string
	for _, p := range o.PartsOf(catalog.Trigger) {
		if p.Has("enabled") { // else it fires as it is made
			out = append(out, enabled(o, p, "TRIGGER")...)
		}
	}
	return out
}

// watched tells whether an UPDATE of a table is seen by anything of its own, or
// may be by its partitions'.
func watched(o *catalog.Object) bool {
	if o.Has("partition by") || o.Has("row security forced") {
		return true
	}
	return slices.ContainsFunc(o.Parts, func(p *catalog.Object) bool { return p.Kind == catalog.Trigger || p.Kind == kindRule })
}

func withCollation(col *catalog.Object) string {
	if n := col.Text("collation"); n != "" {
		return col.Text("type") + " COLLATE " + n
	}
	return col.Text("type")
}

// notNullFact changes the name or state of a NOT NULL that stays (PostgreSQL
// 18: ALTER TABLE).
func (b *columnChange) notNullFact(fact string, was *catalog.Object) {
	name := func(c *catalog.Object) string {
		return quote(cmp.Or(c.Text("not null name"), c.Text("inherited not null name"), vocab.NotNullName(b.o.Name, c.Name)))
	}
	var sql string
	switch {
	case fact == "not null name" && name(was) == name(b.col):
		return
	case fact == "not null name":
		sql = fmt.Sprintf("%s RENAME CONSTRAINT %s TO %s;", alterPrefix(b.o), name(was), name(b.col))
	case fact == "not null no inherit":
		sql = fmt.Sprintf("%s ALTER CONSTRAINT %s %s;", alterPrefix(b.o), name(b.col), map[bool]string{true: "NO INHERIT", false: "INHERIT"}[b.col.Has(fact)])
	case b.col.Has(fact): // it cannot become unsure again in place
		sql = fmt.Sprintf("%s ALTER COLUMN %s DROP NOT NULL, ADD CONSTRAINT %s NOT NULL %s NOT VALID;", alterPrefix(b.o), quote(b.col.Name), name(b.col), quote(b.col.Name))
	default:
		sql = fmt.Sprintf("%s VALIDATE CONSTRAINT %s;", alterPrefix(b.o), name(b.col))
	}
	a := &order.Action{About: b.ref, Title: fmt.Sprintf("change the NOT NULL of column %s of table %s", b.col.Name, b.o.Name), Makes: []catalog.Ref{b.ref}, SQL: []string{sql}}
	if n := len(b.out); n > 0 {
		a.Sequel = b.out[n-1]
	}
	b.out = append(b.out, a)
}

// waitsFor makes the newest action wait for the last earlier change of these
// facts: an identity wants no default and no NULL.
func (b *columnChange) waitsFor(facts ...string) {
	last := b.out[len(b.out)-1]
	for _, a := range b.out[:len(b.out)-1] {
		if slices.ContainsFunc(facts, func(f string) bool { return slices.Contains(b.changes[f], a) }) {
			last.Sequel = a
		}
	}
}

// identitySequence stands for the sequence behind an identity column.
func identitySequence(o, col *catalog.Object) *catalog.Object {
	s := &catalog.Object{Kind: catalog.Sequence, Schema: o.Schema, Name: col.Text("identity sequence bare name")}
	s.Carry("owner", catalog.Scalar(o.Text("owner")))
	return s
}

// identityExtra sets the comment or the grants of the sequence behind an
// identity column.
func identityExtra(o, col, was *catalog.Object, fact string) []string {
	s := identitySequence(o, col)
	if fact == "identity sequence comment" {
		s.SetText("comment", col.Text(fact))
		return []string{fmt.Sprintf("COMMENT ON SEQUENCE %s IS %s;", qualified(s), commentText(s))}
	}
	rights := func(c *catalog.Object) []string {
		if c != nil && c.Has(fact) {
			return c.List(fact)
		}
		return vocab.Grants(catalog.Sequence, "", nil).Items
	}
	return steps.Regrant(s, "", rights(col), rights(was))
}

// identityExtras give the sequence of a new identity column its comment and its
// grants.
func identityExtras(c *order.Change, o, col *catalog.Object) []string {
	var out []string
	if col.Has("identity sequence comment") {
		out = identityExtra(o, col, nil, "identity sequence comment")
	}
	if col.Has("identity sequence grants") && (c.Target != nil || c.Groups["grants"]) {
		out = append(out, identityExtra(o, col, nil, "identity sequence grants")...)
	}
	return out
}

// identityNames is the name of the sequence behind an identity column.
func identityNames(o, col *catalog.Object) []order.Name {
	name := col.Text("identity sequence bare name")
	if name == "" {
		return nil
	}
	return []order.Name{{Space: "relation", Schema: o.Schema, Name: name}, {Space: "type", Schema: o.Schema, Name: name}}
}

func changedOptions(now, was []string) []string {
	var out []string
	for _, n := range now {
		if !slices.Contains(was, n) {
			out = append(out, n)
		}
	}
	return out
}

// toPlain turns a generated column into an ordinary one, which keeps its
// values.
func (w *Writer) toPlain(c *order.Change, it *compare.Item) []*order.Action {
	b := &columnChange{o: c.Source, was: c.Target, ref: c.Source.PartRef(it.Source), col: it.Source}
	b.clause("expression", "DROP EXPRESSION")
	if it.Property("type") != nil {
		w.retype(c, it, b)
	}
	rest := *it
	rest.Properties = nil
	for _, d := range it.Properties {
		if d.Name != "generated" && d.Name != "expression" && d.Name != "type" && d.Name != "collation" {
			rest.Properties = append(rest.Properties, d)
		}
	}
	w.columnFacts(c, &rest, b)
	for _, a := range b.out[1:] {
		a.Sequel = b.out[0]
	}
	return b.out
}

// defaultStorage is the storage a type has when nothing is said.
func defaultStorage(col *catalog.Object) string {
	switch t, _, _ := strings.Cut(col.Text("type"), "("); t {
	case "numeric":
		return "main"
	case "inet", "cidr":
		return "main"
	}
	return "extended"
}
