package writer

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlserver/ddl"
	"dappermirror/internal/engine/sqlserver/vocab"
)

var _ order.Renamer = (*Writer)(nil)

// CanRename implements order.Renamer: modules are made anew, as their text has their
// names.
func (w *Writer) CanRename(owner, part catalog.Kind) bool {
	switch part {
	case "":
		return owner == catalog.Table || owner == catalog.Sequence || owner == vocab.Synonym
	case catalog.Column:
		return owner == catalog.Table
	}
	return false
}

// Dialect implements order.Renamer.
func (w *Writer) Dialect() sqltext.Dialect { return vocab.Dialect }

// Rename implements order.Renamer. Checks, computed columns and filtered indexes
// forbid that a column gets another name (SQL Server: error 15336): they step aside and
// come back with the new name in them.
func (w *Writer) Rename(r match.Rename) *order.Action {
	o := r.Owner
	a := locks(&order.Action{Alone: inMemory(o)}, o)
	if inMemory(o) {
		a.Note = beforeAll
	}
	if r.Part == nil {
		a.SQL = []string{renamed(o, r.To.Name, "")}
		return a
	}
	old := o.PartRef(r.Part)
	before := w.renamedBefore(o.Ref(), r.Part.Name, r.To.Name)
	uses := func(p *catalog.Object) bool {
		return slices.ContainsFunc(p.Needs, func(n catalog.Need) bool { return n.On == old })
	}
	var down, up []string
	for _, p := range slices.Backward(o.Parts) { // indexes before the columns that they are over
		text := p.Kind == catalog.Check || p.Kind == catalog.Column && p.Has("generated") || (p.Kind == catalog.Index || p.Kind == vocab.Statistics) && p.Has("where")
		over := p.Kind == catalog.Index && !p.Has("where") && slices.ContainsFunc(o.PartsOf(catalog.Column), func(c *catalog.Object) bool {
			return c.Has("generated") && uses(c) && slices.ContainsFunc(p.Needs, func(n catalog.Need) bool { return n.On == o.PartRef(c) })
		})
		if !over && (!text || !uses(p)) {
			continue
		}
		is := p // as it is by now
		for _, x := range before {
			is = respelled(is, x[0], x[1])
		}
		now := respelled(is, r.Part.Name, r.To.Name)
		table := "ALTER TABLE " + qualified(o)
		switch p.Kind {
		case catalog.Check:
			down = append(down, ddl.DropConstraint(o, is, p.Name))
			up = append(w.constraint(o, now, "CHECK"+ddl.NotForReplication(now)+" ("+now.Text("expression")+")"), up...)
		case catalog.Column:
			down = append(down, batch(table+" DROP COLUMN "+quote(p.Name)+";"))
			up = append([]string{batch(table + " ADD " + ddl.Column(now, false) + ";")}, up...)
		case vocab.Statistics:
			down = append(down, ddl.DropStatistics(o, p))
			up = append([]string{ddl.Statistics(o, now)}, up...)
		default:
			down = append(down, batch("DROP INDEX "+quote(p.Name)+" ON "+qualified(o)+";"))
			up = append([]string{batch(ddl.Index(o, now, nil) + ";")}, up...)
		}
	}
	rename := func(table string) string {
		return batch("EXEC sp_rename " + vocab.String(table+"."+quote(r.Part.Name)) + ", " + vocab.String(r.To.Name) + ", N'COLUMN';")
	}
	sql := []string{rename(qualified(o))}
	if now, other, on := versionedWith(o); now != "" { // both tables have it renamed at once, or neither could
		key := [3]string{now, r.Part.Name, r.To.Name}
		if by, ok := w.together[key]; ok && by != o.Ref() {
			a.SQL = ddl.Batches("PRINT N'It was renamed with that of the other table.';")
			return a
		}
		if w.together == nil {
			w.together = map[[3]string]catalog.Ref{}
		}
		w.together[key] = o.Ref()
		a.Note += "The column of " + other + " is renamed with it, as versioning wants: it is to be renamed as well."
		down = append(ddl.Batches("ALTER TABLE "+now+" SET (SYSTEM_VERSIONING = OFF);"), down...)
		sql, up = append(sql, rename(other)), append(up, on)
	}
	a.SQL = slices.Concat(down, sql, up)
	return a
}

var _ order.Unbinder = (*Writer)(nil)

// Bound implements order.Unbinder: modules that are schema bound, and policies (SQL Server:
// error 15336).
func (w *Writer) Bound(list []match.Rename, in *catalog.Catalog) (bound []catalog.Ref, outside bool) {
	reached := map[catalog.Ref]bool{}
	for _, r := range list {
		outside = outside || inMemory(r.Owner)
		reached[r.Was] = true
	}
	for again := true; again; { // what is found later stands on what was found before
		again = false
		for _, o := range in.Objects {
			if o.Kind != vocab.Policy && !o.Has("schema bound") || reached[o.Ref()] {
				continue
			}
			if slices.ContainsFunc(o.Needs, func(n catalog.Need) bool { return !n.Text && (reached[n.On] || reached[n.On.Object()]) }) {
				reached[o.Ref()], again = true, true
				bound = append([]catalog.Ref{o.Ref()}, bound...)
			}
		}
	}
	return bound, outside && len(bound) > 0
}

// versionedWith is, of a table that is versioned or the history of one, the versioned
// table, the other of the two, and how versioning goes on.
func versionedWith(o *catalog.Object) (now, other, on string) {
	retention := func(x *catalog.Object) string {
		if r := x.Text("retention"); r != "" {
			return r
		}
		return "INFINITE"
	}
	for _, p := range o.PartsOf(vocab.Versioning) {
		now, other = qualified(o), p.Text("history")
		return now, other, versioningOn(now, other, retention(p))
	}
	if now = o.Text(vocab.Current); now != "" {
		return now, now, versioningOn(now, qualified(o), retention(o))
	}
	return "", "", ""
}

// renamedBefore notes a rename and answers those of the table that came before it. A
// plan is made more than once: one that was met already begins anew.
func (w *Writer) renamedBefore(table catalog.Ref, old, now string) [][2]string {
	if w.renamed == nil {
		w.renamed = map[catalog.Ref][][2]string{}
	}
	list := w.renamed[table]
	if i := slices.Index(list, [2]string{old, now}); i >= 0 {
		list = list[:i]
	}
	w.renamed[table] = append(list[:len(list):len(list)], [2]string{old, now})
	return list
}

// respelled is a part with another name of a column in its texts and lists.
func respelled(p *catalog.Object, old, now string) *catalog.Object {
	out := p.Clone()
	change := func(s string) string {
		var b strings.Builder
		for _, t := range sqltext.Lex(vocab.Dialect, s) {
			if t.IsName() && strings.EqualFold(t.Name(), old) {
				b.WriteString(quote(now))
			} else {
				b.WriteString(t.Text)
			}
		}
		return b.String()
	}
	for i := range out.Properties {
		v := &out.Properties[i].Value
		switch {
		case v.Form == catalog.FormSQL:
			text := change(v.String())
			*v = catalog.SQL(catalog.Piece{Text: text, Canon: text})
		case strings.HasPrefix(out.Properties[i].Name, vocab.Written):
			items := slices.Clone(v.Written())
			for j := range items {
				items[j] = change(items[j])
			}
			*v = catalog.List(items...)
		}
	}
	return out
}
