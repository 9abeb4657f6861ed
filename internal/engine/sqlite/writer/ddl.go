package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlite/reader"
	"dappermirror/internal/engine/sqlite/vocab"
)

// tableSQL writes CREATE TABLE under the given name: the stored text where it
// still describes the object, else from its parts.
func tableSQL(o *catalog.Object, as string) string {
	if describes(o) {
		return reader.Renamed(o, as)
	}
	return composed(o, as)
}

// describes tells whether the stored text says what the object is: one put
// together from two sides has the text of neither.
func describes(o *catalog.Object) bool {
	text := o.Text("sql")
	if text == "" {
		return false
	}
	stored, err := reader.ParseTable(text, o.Name)
	if err != nil {
		return false
	}
	body := o.Clone()
	body.Parts = slices.DeleteFunc(body.Parts, func(p *catalog.Object) bool { return !vocab.Inline(p.Kind) })
	return judge.Fingerprint(stored, nil) == judge.Fingerprint(body, nil) && slices.EqualFunc(stored.PartsOf(catalog.Column), body.PartsOf(catalog.Column), func(a, b *catalog.Object) bool { return a.ID == b.ID })
}

// composed writes CREATE TABLE from the parts of a table.
func composed(o *catalog.Object, as string) string {
	var lines []string
	for _, p := range o.PartsOf(catalog.Column) {
		lines = append(lines, "  "+columnSQL(p))
	}
	for _, k := range []catalog.Kind{catalog.PrimaryKey, catalog.Unique, catalog.Check, catalog.ForeignKey} {
		for _, p := range o.PartsOf(k) {
			lines = append(lines, "  "+constraintSQL(p, false))
		}
	}
	sql := "CREATE TABLE " + vocab.Quote(as) + " (\n" + strings.Join(lines, ",\n") + "\n)"
	var options []string
	if o.Has("strict") {
		options = append(options, "STRICT")
	}
	if o.Has("without rowid") {
		options = append(options, "WITHOUT ROWID")
	}
	if len(options) > 0 {
		sql += " " + strings.Join(options, ", ")
	}
	return sql
}

// Definition lays an object out as SQL for people.
func Definition(o *catalog.Object) string {
	var b strings.Builder
	switch o.Kind {
	case vocab.Database:
		return strings.Join(numbers(o, nil).SQL, "\n")
	case catalog.Table:
		b.WriteString(vocab.Statement(composed(o, o.Name))) // so that layout does not matter
	case catalog.VirtualTable:
		args := o.List("arguments")
		b.WriteString("CREATE VIRTUAL TABLE " + vocab.Quote(o.Name) + " USING " + o.Text("module") + " (\n  " + strings.Join(args, ",\n  ") + "\n);")
	default:
		b.WriteString(vocab.Statement(o.Text("definition")))
	}
	for _, k := range []catalog.Kind{catalog.Index, catalog.Trigger} {
		for _, p := range o.PartsOf(k) {
			b.WriteString("\n")
			if k == catalog.Trigger {
				b.WriteString(vocab.Statement(p.Text("definition")))
				continue
			}
			unique := ""
			if p.Has("unique") {
				unique = "UNIQUE "
			}
			fmt.Fprintf(&b, "CREATE %sINDEX %s ON %s (%s)", unique, vocab.Quote(p.Name), vocab.Quote(o.Name), strings.Join(p.List("columns"), ", "))
			if w := p.Property("where"); w != nil {
				b.WriteString(" WHERE " + w.Value.String())
			}
			b.WriteString(";")
		}
	}
	return b.String()
}

// virtualSQL writes CREATE VIRTUAL TABLE under the given name.
func virtualSQL(o *catalog.Object, as string) string { return reader.Renamed(o, as) }

func columnSQL(c *catalog.Object) string {
	var b strings.Builder
	b.WriteString(vocab.Quote(c.Name))
	add := func(s string) {
		b.WriteByte(' ')
		b.WriteString(s)
	}
	if t := c.Text("type"); t != "" {
		add(t)
	}
	if c.Has("not null") {
		add("NOT NULL")
		if on := c.Text("not null conflict"); on != "" {
			add("ON CONFLICT " + strings.ToUpper(on))
		}
	}
	if d := c.Property("default"); d != nil {
		add("DEFAULT " + d.Value.String())
	}
	if n := c.Text("collation"); n != "" {
		add("COLLATE " + vocab.Quote(strings.ToUpper(n)))
	}
	if g := c.Property("generated"); g != nil {
		kind := "VIRTUAL"
		if c.Has("stored") {
			kind = "STORED"
		}
		add("GENERATED ALWAYS AS (" + g.Value.String() + ") " + kind)
	}
	return b.String()
}

// constraintSQL writes a constraint, as part of a column or of the table.
func constraintSQL(p *catalog.Object, inColumn bool) string {
	var b strings.Builder
	if p.Name != "" {
		b.WriteString("CONSTRAINT " + vocab.Quote(p.Name) + " ")
	}
	quoteAll := func(l []string) string {
		out := make([]string, len(l))
		for i, s := range l {
			out[i] = vocab.Quote(s)
		}
		return "(" + strings.Join(out, ", ") + ")"
	}
	switch p.Kind {
	case catalog.PrimaryKey:
		b.WriteString("PRIMARY KEY (" + strings.Join(p.List("columns"), ", "))
		if p.Has("autoincrement") {
			b.WriteString(" AUTOINCREMENT")
		}
		b.WriteString(")")
	case catalog.Unique:
		b.WriteString("UNIQUE (" + strings.Join(p.List("columns"), ", ") + ")")
	case catalog.Check:
		b.WriteString("CHECK (" + p.Text("expression") + ")")
	case catalog.ForeignKey:
		if !inColumn {
			b.WriteString("FOREIGN KEY " + quoteAll(p.List("columns")) + " ")
		}
		b.WriteString("REFERENCES " + vocab.Quote(p.Text("parent")))
		if to := p.List("referenced columns"); len(to) > 0 {
			b.WriteString(" " + quoteAll(to))
		}
		if s := p.Text("on delete"); s != "" {
			b.WriteString(" ON DELETE " + strings.ToUpper(s))
		}
		if s := p.Text("on update"); s != "" {
			b.WriteString(" ON UPDATE " + strings.ToUpper(s))
		}
		if p.Has("initially deferred") {
			b.WriteString(" DEFERRABLE INITIALLY DEFERRED")
		}
	}
	if s := p.Text("conflict"); s != "" {
		b.WriteString(" ON CONFLICT " + strings.ToUpper(s))
	}
	return b.String()
}

// exactly are the statements behind the one that made an object, where its text
// holds carriage returns in quotes: the client takes them away before a line
// end, so the stored text is put right (SQLite: PRAGMA writable_schema; the
// text differs in nothing else).
func exactly(typ, name, text string) []string {
	if !returnsInQuotes(text) {
		return nil
	}
	return putRight(typ, name, text)
}

// putRight replaces a stored text by one that means the same (SQLite: PRAGMA
// writable_schema).
func putRight(typ, name, text string) []string {
	stored := strings.TrimSuffix(vocab.Statement(text), ";")
	return []string{
		"PRAGMA writable_schema=ON;",
		fmt.Sprintf("UPDATE sqlite_schema SET sql = %s WHERE type = %s AND name = %s;", strings.ReplaceAll(sqltext.Literal(stored), "\r", "' || char(13) || '"), sqltext.Literal(typ), sqltext.Literal(name)),
		"PRAGMA writable_schema=RESET;",
	}
}

// returnsInQuotes tells whether a quoted name or string in a text holds a
// carriage return: elsewhere it is space like any other.
func returnsInQuotes(text string) bool {
	if !strings.Contains(text, "\r") {
		return false
	}
	for _, t := range sqltext.Lex(vocab.Dialect, text) {
		if (t.Kind == sqltext.String || t.Kind == sqltext.Quoted) && strings.Contains(t.Text, "\r") {
			return true
		}
	}
	return false
}
