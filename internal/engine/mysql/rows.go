package mysql

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/mysql/convert"
	"dappermirror/internal/engine/mysql/vocab"
)

// about asks how many rows of a table meet a condition; "" is every row.
func about(o *catalog.Object, where, what string) *order.Question {
	return order.RowsWhere(vocab.Quote(o.Name), where, what)
}

// guarded makes the script stop when there are such rows: the table is locked
// around the step, as no transaction can do it. MySQL has no SIGNAL outside
// routines: a subquery of two rows where one is wanted stops it there.
func guarded(q *order.Question, o *catalog.Object, maria bool, message string) *order.Question {
	look := fmt.Sprintf(doGuard+"1 UNION ALL SELECT 1 WHERE EXISTS (%s));", q.List)
	if maria {
		look = delimited(fmt.Sprintf("BEGIN NOT ATOMIC\n  IF EXISTS (%s) THEN\n    SIGNAL SQLSTATE '%s' SET MESSAGE_TEXT = %s;\n  END IF;\nEND", q.List, engine.GuardState, vocab.Literal(truncated(message, 120))))
	}
	q.Locks, q.Guard = []string{"LOCK TABLES " + vocab.Quote(o.Name) + " WRITE;"}, []string{look}
	q.Release = []string{"UNLOCK TABLES;"}
	return q
}

func truncated(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n])
	}
	return s
}

// doGuard is how the guard for MySQL begins.
const doGuard = "DO (SELECT "

// historic tells whether a table keeps rows that a plain query does not see.
func historic(o *catalog.Object) bool { return o.Has("system versioning") }

// anyRow asks whether a table that goes holds rows.
func anyRow(c *order.Change, o *catalog.Object) *order.Question {
	if historic(o) {
		return nil
	}
	q := guarded(about(o, "", "would go"), o, maria(c), "table "+o.Name+" holds rows by now")
	return q
}

// anyValue asks whether a column that goes holds values. On the way back what
// the way there put into it is none.
func (w *Writer) anyValue(c *order.Change, o, col *catalog.Object) *order.Question {
	if historic(o) {
		return nil
	}
	name := vocab.Quote(col.Name)
	where := name + " IS NOT NULL"
	if w.Back {
		given, ok := w.fill(o, col)
		switch def := col.Text("default"); {
		case ok:
		case col.Has("auto increment"), strings.Contains(def, "("):
			return nil
		case def != "" && !strings.EqualFold(def, "null"):
			given, ok = def, true
		case col.Has("not null"):
			given, ok = implied(col), true
		}
		if ok {
			where += fmt.Sprintf(" AND NOT %s <=> (%s)", name, given)
		}
	}
	q := guarded(about(o, where, "hold a value"), o, maria(c), fmt.Sprintf("column %s of table %s holds values by now", col.Name, o.Name))
	return q
}

// implied is what a new NOT NULL column without a default holds (MariaDB:
// ALTER TABLE, ADD COLUMN).
func implied(col *catalog.Object) string {
	base, mod, _ := convert.Split(col.Text("type"))
	switch convert.FamilyOf(base) {
	case convert.Number, convert.Decimal, convert.Float, convert.Bit:
		return "0"
	case convert.Time:
		return map[bool]string{true: "'0000-00-00'", false: "'0000-00-00 00:00:00'"}[base == "date"]
	case convert.Clock:
		return "'00:00:00'"
	case convert.Year:
		return "'0000'"
	case convert.Choice:
		if len(mod) > 0 {
			return mod[0]
		}
	}
	return "''"
}

func noValue(c *order.Change, o, col *catalog.Object) *order.Question {
	return guarded(about(o, vocab.Quote(col.Name)+" IS NULL", "hold NULL"), o, maria(c), fmt.Sprintf("column %s of table %s holds NULL by now", col.Name, o.Name))
}

// plain tells whether a column is in the target as it will be.
func (w *Writer) plain(c *order.Change, o *catalog.Object, name string) bool {
	col := o.Part(catalog.Column, name)
	if col == nil || !c.Keeps(o.PartRef(col), "type", "charset", "collation", "generated", "expression") {
		return false
	}
	_, filled := w.fill(o, col)
	return !filled
}

// refused asks for the rows a new key, check or foreign key would refuse; nil
// where that cannot be told.
func (w *Writer) refused(c *order.Change, p *catalog.Object) *order.Question {
	o := c.Target
	if o == nil {
		return nil
	}
	switch p.Kind {
	case catalog.Check:
		for name := range vocab.Mentions(p.Text("definition")) {
			if c.Source.Part(catalog.Column, name) != nil && !w.plain(c, o, name) {
				return nil
			}
		}
		return about(o, "NOT ("+p.Text("definition")+")", "break the check")
	case catalog.ForeignKey:
		return w.orphans(c, o, p)
	}
	for _, name := range p.List("columns") {
		if _, ok := w.given(c, name); !ok && !w.plain(c, o, name) {
			return nil
		}
	}
	return w.duplicates(c, o, p)
}

// given is the one value that every row gets in a column that comes; false for
// one that is there, or of which each row gets its own.
func (w *Writer) given(c *order.Change, name string) (string, bool) {
	if c.Item == nil || c.Source == nil || c.Target == nil { // nothing comes: the rows are what they are
		return "", false
	}
	col := c.Source.Part(catalog.Column, name)
	if col == nil || c.Target.Part(catalog.Column, name) != nil || col.Has("generated") || col.Has("auto increment") {
		return "", false
	}
	if fill, ok := w.fill(c.Source, col); ok {
		return fill, len(vocab.Mentions(fill)) == 0 && !strings.Contains(fill, "(")
	}
	switch def := col.Text("default"); {
	case strings.Contains(def, "("):
		return "", false
	case def != "":
		return def, true
	case col.Has("not null"):
		return implied(col), true
	}
	return "NULL", true
}

// duplicates asks for rows that share a key.
func (w *Writer) duplicates(c *order.Change, o, p *catalog.Object) *order.Question {
	var keys, given []string
	for _, it := range vocab.Cursor(p.Text("definition")).Items() {
		k := vocab.Cursor(it)
		name := k.Next()
		if value, ok := w.given(c, strings.ToLower(name.Name())); ok { // the same in every row
			if strings.EqualFold(value, "NULL") {
				return nil
			}
			continue
		}
		switch {
		case name.Text == "(":
			keys = append(keys, it)
		case k.Peek().Text == "(":
			keys = append(keys, fmt.Sprintf("LEFT(%s, %s)", name.Text, strings.Trim(k.Group(), "()")))
		case k.Take("without"):
			return nil
		default:
			keys = append(keys, name.Text)
		}
		given = append(given, keys[len(keys)-1]+" IS NOT NULL")
	}
	if len(keys) == 0 { // one row may have it
		return &order.Question{What: "share their key with another", None: "there is one row at most",
			Count: fmt.Sprintf("SELECT IF(count(*) > 1, count(*), 0) FROM %s", vocab.Quote(o.Name))}
	}
	by, where := strings.Join(keys, ", "), strings.Join(given, " AND ")
	return &order.Question{What: "share their key with another", Total: "SELECT count(*) FROM " + vocab.Quote(o.Name),
		Count: fmt.Sprintf("SELECT coalesce(sum(n), 0) FROM (SELECT count(*) AS n FROM %s WHERE %s GROUP BY %s HAVING count(*) > 1) AS shared", vocab.Quote(o.Name), where, by),
		List:  fmt.Sprintf("SELECT %s, count(*) FROM %s WHERE %s GROUP BY %s HAVING count(*) > 1", by, vocab.Quote(o.Name), where, by)}
}

// orphans asks for rows that refer to a row that is not there.
func (w *Writer) orphans(c *order.Change, o, p *catalog.Object) *order.Question {
	parent := c.Actual.Find(catalog.Ref{Kind: catalog.Table, Name: p.Text("parent")})
	cols, to := p.List("columns"), p.List("parent columns")
	if parent == nil || len(cols) == 0 || len(cols) != len(to) {
		return nil
	}
	var given, match []string
	for i := range cols {
		if value, ok := w.given(c, cols[i]); ok && w.plain(c, parent, to[i]) {
			if strings.EqualFold(value, "NULL") {
				return nil
			}
			match = append(match, "p."+vocab.Quote(to[i])+" = "+value)
			continue
		}
		if !w.plain(c, o, cols[i]) || !w.plain(c, parent, to[i]) {
			return nil
		}
		given = append(given, "c."+vocab.Quote(cols[i])+" IS NOT NULL")
		match = append(match, "p."+vocab.Quote(to[i])+" = c."+vocab.Quote(cols[i]))
	}
	if len(given) == 0 {
		given = []string{"true"}
	}
	return order.RowsWhere(vocab.Quote(o.Name)+" AS c", fmt.Sprintf("%s AND NOT EXISTS (SELECT 1 FROM %s AS p WHERE %s)", strings.Join(given, " AND "), vocab.Quote(parent.Name), strings.Join(match, " AND ")), "refer to a row that is not there")
}

// changedValues asks for the values that a change of type would change; nil
// where no query tells.
func changedValues(c *order.Change, o, was *catalog.Object, cv convert.Conversion) *order.Question {
	if cv.Where == "" || historic(o) {
		return nil
	}
	where := strings.ReplaceAll(cv.Where, "{}", vocab.Quote(was.Name))
	return guarded(about(o, where, "hold a value that would change"), o, maria(c), fmt.Sprintf("column %s of table %s holds values that would change", was.Name, o.Name))
}

// computed asks for values that the expression which computes them from now on
// does not give.
func computed(c *order.Change, o, was, col *catalog.Object) *order.Question {
	for name := range vocab.Mentions(col.Text("expression")) {
		if p := o.Part(catalog.Column, name); p == nil && c.Source.Part(catalog.Column, name) != nil || p != nil && !c.Keeps(o.PartRef(p), "type", "charset", "collation", "generated", "expression") {
			return nil
		}
	}
	if historic(o) {
		return nil
	}
	return guarded(about(o, fmt.Sprintf("NOT %s <=> %s", vocab.Quote(was.Name), col.Text("expression")), "hold another value"), o, maria(c), fmt.Sprintf("column %s of table %s holds other values by now", was.Name, o.Name))
}

// inPartitions asks for the rows of partitions that go.
func inPartitions(c *order.Change, o *catalog.Object, names []string) *order.Question {
	if historic(o) {
		return nil
	}
	q := order.RowsWhere(vocab.Quote(o.Name)+" PARTITION ("+strings.Join(names, ", ")+")", "", "would go")
	return guarded(q, o, maria(c), "partitions of table "+o.Name+" hold rows by now")
}

// outside asks for rows that no partition takes; nil where that cannot be
// told.
func outside(c *order.Change, o *catalog.Object) *order.Question {
	head, list := cutPartitions(c.Source.Text("written partitions"))
	h := vocab.Cursor(head)
	if !h.Take("partition", "by") || len(list) == 0 {
		return nil
	}
	kind := strings.ToUpper(h.Next().Text)
	columns := h.Take("columns")
	by := strings.TrimSpace(strings.TrimSuffix(strings.TrimPrefix(h.Group(), "("), ")"))
	if columns && strings.Contains(by, ",") {
		return nil
	}
	switch kind {
	case "RANGE":
		p := vocab.Cursor(list[len(list)-1])
		for !p.End() && !p.Take("less", "than") {
			p.Next()
		}
		if p.End() || p.Take("maxvalue") {
			return nil
		}
		bound := p.Group()
		if strings.Contains(strings.ToUpper(bound), "MAXVALUE") {
			return nil
		}
		return about(o, by+" >= "+bound, "have no partition")
	case "LIST":
		var in []string
		for _, text := range list {
			p := vocab.Cursor(text)
			for !p.End() && !p.Take("values", "in") {
				if p.Take("default") {
					return nil
				}
				p.Next()
			}
			in = append(in, p.Items()...)
		}
		if slices.ContainsFunc(in, func(s string) bool { return strings.EqualFold(s, "null") }) {
			return nil
		}
		return about(o, fmt.Sprintf("%s IS NULL OR %s NOT IN (%s)", by, by, strings.Join(in, ", ")), "have no partition")
	}
	return nil
}
