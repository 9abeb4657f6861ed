package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlite/vocab"
)

// Writer turns changes into SQLite's SQL. It relies on what every script for
// SQLite sets first: foreign_keys off, so that dropping a table deletes
// nothing elsewhere, and legacy_alter_table on, so that a rename touches
// nothing but the table (SQLite: PRAGMA legacy_alter_table).
type Writer struct {
	// Fill gives the value for existing rows of a column.
	Fill map[catalog.Ref]string
	// Back says that the script is the way back of another one: what that
	// one put into new columns is no loss.
	Back bool
}

var _ order.Writer = (*Writer)(nil)

// Survives: SQLite resolves the names in views and triggers only when they
// are used, so they stay while a table they name is changed. Only a rename
// that is not the legacy one looks at them (see rebuild).
func (w *Writer) Survives(owner, part *catalog.Object, need catalog.Need, effect order.Effect) bool {
	return effect.Gone || effect.Aspect != catalog.AspectName || need.Aspect == catalog.AspectIndex
}

// createExactly are the statements that make an object with exactly this text.
func createExactly(typ, name, text string) []string {
	return append([]string{vocab.Statement(text)}, exactly(typ, name, text)...)
}

func relation(o *catalog.Object) []order.Name {
	space := "relation" // tables, views and indexes share their names
	if o.Kind == catalog.Trigger {
		space = "trigger"
	}
	return []order.Name{{Space: space, Name: catalog.FoldASCII(o.Name)}}
}

// Create makes a table with its indexes and triggers, or a view with its
// triggers.
func (w *Writer) Create(c *order.Change) []*order.Action {
	o := c.Source
	if o.Kind == vocab.Database {
		return []*order.Action{numbers(o, nil)}
	}
	a := &order.Action{About: o.Ref(), Title: "create " + o.Kind.Title() + " " + o.Name, Makes: []catalog.Ref{o.Ref()}, Creates: true, Takes: relation(o)}
	for _, p := range o.Parts {
		if vocab.Inline(p.Kind) {
			a.Makes = append(a.Makes, o.PartRef(p))
		}
	}
	switch o.Kind {
	case catalog.Table:
		a.SQL = createExactly("table", o.Name, tableSQL(o, o.Name))
	case catalog.VirtualTable:
		a.SQL = []string{vocab.Statement(virtualSQL(o, o.Name))}
		if content := option(o, "content"); content != "" && content != "''" && strings.HasPrefix(o.Text("module"), "fts") {
			// The rows are in another table; without them in its index the next
			// change of one damages it (SQLite FTS5: External Content Tables).
			a.SQL = append(a.SQL, fmt.Sprintf("INSERT INTO %[1]s (%[1]s) VALUES ('rebuild');", vocab.Quote(o.Name)))
		}
	default:
		a.SQL = createExactly("view", o.Name, o.Text("definition"))
	}
	out := []*order.Action{a}
	for _, p := range o.Parts {
		if !vocab.Inline(p.Kind) {
			out = append(out, w.createPart(c, p))
		}
	}
	return out
}

func (w *Writer) createPart(c *order.Change, p *catalog.Object) *order.Action {
	o := c.Source
	a := &order.Action{About: o.PartRef(p), Makes: []catalog.Ref{o.PartRef(p)}}
	a.Title = partTitle("create", o, p)
	a.Takes = relation(p)
	if p.Kind == catalog.Trigger {
		a.SQL = createExactly("trigger", p.Name, p.Text("definition"))
		return a
	}
	a.SQL = createExactly("index", p.Name, p.Text("sql"))
	if p.Has("unique") {
		a.Risks = append(a.Risks, w.keyRisk(c, p))
	}
	return a
}

func partTitle(verb string, o, p *catalog.Object) string {
	return fmt.Sprintf("%s %s %s on %s", verb, p.Kind.Title(), p.Name, o.Name)
}

func (w *Writer) dropPart(o, p *catalog.Object) *order.Action {
	a := &order.Action{About: o.PartRef(p), Removes: []catalog.Ref{o.PartRef(p)},
		Title: partTitle("drop", o, p),
		SQL:   []string{fmt.Sprintf("DROP %s %s;", strings.ToUpper(p.Kind.Title()), vocab.Quote(p.Name))}, Frees: relation(p)}
	return a
}

// Drop removes a table or view; its indexes and triggers go with it.
func (w *Writer) Drop(c *order.Change) []*order.Action {
	o := c.Target
	if o.Kind == vocab.Database {
		return []*order.Action{numbers(nil, o)}
	}
	a := &order.Action{About: o.Ref(), Title: "drop " + o.Kind.Title() + " " + o.Name, Removes: []catalog.Ref{o.Ref()}, Frees: relation(o), Late: c.Source == nil}
	verb := "TABLE"
	if o.Kind == catalog.View {
		verb = "VIEW"
	} else {
		a.Risks = []order.Risk{{Kind: order.Loss, On: o.Ref(), Text: "every row of " + o.Kind.Title() + " " + o.Name, Ask: anyRow(o)}}
	}
	for _, p := range o.Parts {
		a.Removes = append(a.Removes, o.PartRef(p))
		if !vocab.Inline(p.Kind) {
			a.Frees = append(a.Frees, relation(p)...)
		}
	}
	a.SQL = []string{fmt.Sprintf("DROP %s %s;", verb, vocab.Quote(o.Name))}
	return []*order.Action{a}
}

// Alter changes a table in place where SQLite can (SQLite: ALTER TABLE),
// else rebuilds it with its rows. A view whose text differs is created anew.
func (w *Writer) Alter(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	var out []*order.Action
	gone := map[*compare.Item]bool{}
	if o.Kind == vocab.Database {
		return []*order.Action{numbers(o, c.Target)}, true
	}
	if o.Kind == catalog.View {
		if len(c.Properties) > 0 {
			return nil, false
		}
	} else {
		body, rebuilt := w.alterTable(c)
		out = append(out, body...)
		if rebuilt { // indexes and triggers went with the old table
			for _, it := range c.Parts {
				gone[it] = !vocab.Inline(it.Kind())
			}
		}
	}
	for _, it := range c.Parts {
		if vocab.Inline(it.Kind()) {
			continue
		}
		changed := it.Status != compare.Same || c.Rebuilds(it)
		if it.Target != nil && changed && !gone[it] {
			out = append(out, w.dropPart(c.Target, it.Target))
		}
		if it.Source != nil && (changed || gone[it]) {
			a := w.createPart(c, it.Source)
			if gone[it] {
				a.Sequel = out[0]
				if !changed {
					if !compared(c, it.Source) {
						a.Risks = nil // it was there before, over the same rows
					}
					a.Title = partTitle("put back", o, it.Source)
				}
			}
			out = append(out, a)
		}
	}
	return out, true
}

// numbers sets the numbers in the header of the file.
func numbers(now, was *catalog.Object) *order.Action {
	a := &order.Action{Title: "set the versions of the file"}
	if now != nil {
		a.About, a.Makes = now.Ref(), []catalog.Ref{now.Ref()}
	} else {
		a.About, a.Removes = was.Ref(), []catalog.Ref{was.Ref()}
	}
	for _, n := range [][2]string{{vocab.UserVersion, "user_version"}, {vocab.AppID, "application_id"}} {
		value := func(o *catalog.Object) string {
			if o == nil || !o.Has(n[0]) {
				return "0"
			}
			return o.Text(n[0])
		}
		if value(now) != value(was) {
			a.SQL = append(a.SQL, fmt.Sprintf("PRAGMA %s = %s;", n[1], value(now)))
		}
	}
	return a
}

// alterTable changes the columns and constraints of a table.
func (w *Writer) alterTable(c *order.Change) (actions []*order.Action, rebuilt bool) {
	if c.Source.Kind == catalog.VirtualTable {
		if len(c.Properties) == 0 {
			return nil, false
		}
		return []*order.Action{w.rebuildVirtual(c)}, true
	}
	var inlineChanges []*compare.Item
	for _, it := range c.Parts {
		if vocab.Inline(it.Kind()) && it.Status != compare.Same {
			inlineChanges = append(inlineChanges, it)
		}
	}
	if len(inlineChanges) == 0 && len(c.Properties) == 0 {
		return nil, false
	}
	if as, ok := w.inPlace(c, inlineChanges); ok {
		return as, false
	}
	return []*order.Action{w.rebuild(c, inlineChanges)}, true
}

// inPlace tries ADD COLUMN and DROP COLUMN. It answers false as soon as one
// change needs more.
func (w *Writer) inPlace(c *order.Change, changes []*compare.Item) ([]*order.Action, bool) {
	if len(c.Properties) > 0 {
		return nil, false
	}
	extra := map[*compare.Item]bool{} // constraints that come with a new column
	var out []*order.Action
	for _, it := range changes {
		if it.Kind() != catalog.Column {
			continue
		}
		var a *order.Action
		switch it.Status {
		case compare.SourceOnly:
			a = w.addColumn(c, it.Source, changes, extra)
		case compare.TargetOnly:
			a = w.dropColumn(c, it.Target)
		}
		if a == nil {
			return nil, false
		}
		out = append(out, a)
	}
	for _, it := range changes {
		if it.Kind() != catalog.Column && !extra[it] {
			return nil, false
		}
	}
	return out, true
}

// addColumn writes ALTER TABLE ADD COLUMN, or answers nil where SQLite's
// limits forbid it (SQLite: ALTER TABLE, section 3).
func (w *Writer) addColumn(c *order.Change, col *catalog.Object, changes []*compare.Item, extra map[*compare.Item]bool) *order.Action {
	o := c.Source
	ref := o.PartRef(col)
	def := col.Property("default")
	if _, fill := w.Fill[o.PartRef(col)]; fill || col.Has("stored") || slices.Contains(vocab.RowidNames, col.ID) {
		return nil
	}
	constant := def == nil || constantDefault(def.Value.String())
	null := def == nil || def.Value.Canonical() == "null"
	if !constant || col.Has("not null") && null && !col.Has("generated") || !there(c, col, ref) {
		return nil
	}
	sql := columnSQL(col)
	if returnsInQuotes(sql) {
		return nil // only the text of a whole table can be put right
	}
	makes := []catalog.Ref{ref}
	var risks []order.Risk
	if g := col.Property("generated"); g != nil && col.Has("not null") {
		risks = append(risks, order.Risk{Kind: order.MayFail, On: ref, Text: fmt.Sprintf("fails when the value of column %s is NULL", col.Name), Ask: about(c.Target, "("+g.Value.String()+") IS NULL", "would hold NULL")})
	}
	for _, p := range o.Parts {
		if !vocab.Inline(p.Kind) || p.Kind == catalog.Column || !needsColumn(p, ref) {
			continue
		}
		switch p.Kind {
		case catalog.PrimaryKey, catalog.Unique:
			return nil
		case catalog.ForeignKey:
			if len(p.List("columns")) > 1 {
				return nil
			}
			if !null { // allowed, as the script turns foreign keys off
				risks = append(risks, order.Risk{Kind: order.MayFail, On: o.PartRef(p), Text: fmt.Sprintf("fails when there are rows, and no row of %s that the default refers to", p.Text("parent")), Ask: w.lostDefault(c, p, def.Value.String())})
			}
		case catalog.Check:
			if !there(c, p, ref) {
				return nil
			}
			risks = append(risks, order.Risk{Kind: order.MayFail, On: o.PartRef(p), Text: "fails when the rows that are there break the check", Ask: brokenByDefault(c.Target, col, p)})
		}
		sql += " " + constraintSQL(p, true)
		if returnsInQuotes(sql) {
			return nil
		}
		makes = append(makes, o.PartRef(p))
		for _, it := range changes {
			if it.Source == p {
				extra[it] = it.Target == nil
			}
		}
	}
	return &order.Action{About: ref, Title: fmt.Sprintf("add column %s to table %s", col.Name, o.Name), Makes: makes, Risks: risks,
		SQL: []string{fmt.Sprintf("ALTER TABLE %s ADD COLUMN %s;", vocab.Quote(c.Target.Name), sql)}}
}

// there tells whether all columns that a new column, or its check, names are in
// the target already, but for the new one itself.
func there(c *order.Change, p *catalog.Object, except catalog.Ref) bool {
	return !slices.ContainsFunc(p.Needs, func(n catalog.Need) bool {
		return n.On.PartKind == catalog.Column && n.On != except && c.Actual.Resolve(n.On) == nil
	})
}

func needsColumn(p *catalog.Object, col catalog.Ref) bool {
	for _, n := range p.Needs {
		if n.On == col {
			return true
		}
	}
	return false
}

// constantDefault: SQLite refuses CURRENT_TIME and its like, and anything in
// brackets, as the default of an added column.
func constantDefault(text string) bool {
	toks := sqltext.Significant(vocab.Dialect, text)
	if n := len(toks); n > 2 && toks[0].IsOp("(") && toks[n-1].IsOp(")") { // one value in brackets is that value
		for len(toks) > 2 && toks[0].IsOp("(") && toks[len(toks)-1].IsOp(")") {
			toks = toks[1 : len(toks)-1]
		}
		if len(toks) == 2 && (toks[0].IsOp("-") || toks[0].IsOp("+")) {
			toks = toks[1:]
		}
		return len(toks) == 1 && (toks[0].Kind == sqltext.Number || toks[0].Kind == sqltext.String || toks[0].Is("null") || toks[0].Is("true") || toks[0].Is("false"))
	}
	for _, t := range toks {
		if t.IsOp("(") || strings.HasPrefix(strings.ToLower(t.Text), "current_") {
			return false
		}
	}
	return true
}

// dropColumn writes ALTER TABLE DROP COLUMN, or answers nil where something
// of the table itself still names the column (SQLite: ALTER TABLE, section 5).
func (w *Writer) dropColumn(c *order.Change, col *catalog.Object) *order.Action {
	o := c.Target
	ref := o.PartRef(col)
	if slices.Contains(vocab.RowidNames, col.ID) {
		return nil // SQLite takes it for the rowid
	}
	for _, p := range o.Parts {
		if p == col || !needsColumn(p, ref) {
			continue
		}
		if vocab.Inline(p.Kind) {
			return nil
		}
		if d := c.Desired.Resolve(o.PartRef(p)); d != nil && needsColumn(d, ref) {
			return nil
		}
	}
	a := &order.Action{About: ref, Title: fmt.Sprintf("drop column %s of table %s", col.Name, o.Name), Removes: []catalog.Ref{ref}, Late: true,
		SQL: []string{fmt.Sprintf("ALTER TABLE %s DROP COLUMN %s;", vocab.Quote(o.Name), vocab.Quote(col.Name))}}
	a.Risks = w.dropRisks(o, col)
	return a
}

func (w *Writer) dropRisks(o, col *catalog.Object) []order.Risk {
	if col.Has("generated") {
		return nil
	}
	return []order.Risk{{Kind: order.Loss, On: o.PartRef(col), Text: fmt.Sprintf("every value of column %s of table %s", col.Name, o.Name), Ask: w.anyValue(o, col)}}
}
