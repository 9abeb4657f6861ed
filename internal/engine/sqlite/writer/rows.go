package writer

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlite/vocab"
)

// about asks how many rows of a table meet a condition; "" is every row.
func about(o *catalog.Object, where, what string) *order.Question {
	return order.RowsWhere(vocab.Quote(o.Name), where, what)
}

// GuardTable is the temporary table whose check stops the script.
const GuardTable = "dapper_mirror_rows"

// guarded makes the script stop when there are such rows. The transaction
// has the write lock from its beginning on (BEGIN IMMEDIATE).
func guarded(q *order.Question, o *catalog.Object, message string) *order.Question {
	q.On = []catalog.Ref{o.Ref()}
	q.Guard = []string{
		fmt.Sprintf("CREATE TEMP TABLE "+GuardTable+" (n INTEGER CONSTRAINT %s CHECK (n = 0));", sqltext.Always(message)),
		fmt.Sprintf("INSERT INTO temp."+GuardTable+" %s;", q.Count),
		"DROP TABLE temp." + GuardTable + ";",
	}
	return q
}

// anyRow asks whether a table that goes holds rows. What a virtual table
// answers is its module's own affair.
func anyRow(o *catalog.Object) *order.Question {
	if o.Kind != catalog.Table {
		return nil
	}
	q := guarded(about(o, "", "would go"), o, "table "+o.Name+" holds rows by now")
	return q
}

// anyValue asks whether a column that goes holds values.
func (w *Writer) anyValue(o, col *catalog.Object) *order.Question {
	where := vocab.Quote(col.Name) + " IS NOT NULL"
	if w.Back {
		given, ok := w.Fill[o.PartRef(col)]
		if def := col.Property("default"); !ok && def != nil {
			given, ok = def.Value.String(), constantDefault(def.Value.String())
		}
		if ok { // what the way there put in is no loss
			where += fmt.Sprintf(" AND %s IS NOT (%s)", vocab.Quote(col.Name), given)
		}
	}
	q := guarded(about(o, where, "hold a value"), o, fmt.Sprintf("column %s of table %s holds values by now", col.Name, o.Name))
	return q
}

// brokenByDefault asks whether a new column's default breaks its check; it
// stands in every row that is there.
func brokenByDefault(o, col, check *catalog.Object) *order.Question {
	def := "NULL"
	if d := col.Property("default"); d != nil {
		def = d.Value.String()
	}
	if col.Has("generated") {
		return nil
	}
	return &order.Question{What: "would break it", None: "none would",
		Count: fmt.Sprintf("SELECT count(*) FROM %s CROSS JOIN (SELECT %s AS %s) AS dapper_mirror_new WHERE NOT (%s)", vocab.Quote(o.Name), def, vocab.Quote(col.Name), check.Text("expression"))}
}

// Values are the columns of a table that hold values of their own.
func Values(o *catalog.Object) []string {
	var out []string
	for _, c := range o.PartsOf(catalog.Column) {
		if !c.Has("generated") {
			out = append(out, vocab.Quote(c.Name))
		}
	}
	return out
}

// noRows asks for rows where there had better be none.
func noRows(o *catalog.Object) *order.Question {
	return about(o, "", "would have no value")
}

// noValue asks for rows without a value where one is needed.
func noValue(o, col *catalog.Object) *order.Question {
	return guarded(about(o, vocab.Quote(col.Name)+" IS NULL", "hold NULL"), o, fmt.Sprintf("column %s of table %s holds NULL by now", col.Name, o.Name))
}

// asIs tells whether the columns a part needs are in the target as they will
// be when the part looks at them.
func (w *Writer) asIs(c *order.Change, p *catalog.Object) bool {
	if c.Target == nil {
		return false
	}
	for _, n := range p.Needs {
		if n.On.PartKind != catalog.Column {
			continue
		}
		if _, filled := w.Fill[n.On]; filled || !c.Keeps(n.On, "type", "collation", "expression", "generated") {
			return false
		}
	}
	return true
}

// partQuestion asks for the rows a new constraint or unique index would
// refuse; nil where that cannot be told.
func (w *Writer) partQuestion(c *order.Change, p *catalog.Object) *order.Question {
	switch {
	case c.Target == nil:
		return nil
	case p.Kind == catalog.PrimaryKey || p.Kind == catalog.Unique || p.Kind == catalog.Index:
		return w.duplicates(c, p)
	case !w.asIs(c, p):
		return nil
	}
	o := c.Target
	switch p.Kind {
	case catalog.Check:
		return about(o, "NOT ("+p.Text("expression")+")", "break the check")
	case catalog.ForeignKey:
		return Orphans(c, o, p)
	}
	return nil
}

// lostDefault asks for the rows that would refer to nothing by the default of a
// new column.
func (w *Writer) lostDefault(c *order.Change, p *catalog.Object, value string) *order.Question {
	parent, to := parentKey(c, p)
	if parent == nil || len(to) != 1 || parent.Ref() == c.Target.Ref() {
		return nil
	}
	return about(c.Target, fmt.Sprintf("(%s) IS NOT NULL AND NOT EXISTS (SELECT 1 FROM %s AS p WHERE p.%s = (%s))", value, vocab.Quote(parent.Name), vocab.Quote(to[0]), value), "would refer to a row that is not there")
}

// parentKey is what a foreign key points at, where that is there and stays.
func parentKey(c *order.Change, p *catalog.Object) (parent *catalog.Object, columns []string) {
	parent = c.Actual.Find(catalog.Ref{Kind: catalog.Table, Name: p.Text("references")})
	if parent == nil || c.Desired.Find(parent.Ref()) == nil {
		return nil, nil
	}
	to := p.List("referenced columns")
	if len(to) == 0 {
		if pk := parent.Part(catalog.PrimaryKey, "primary key"); pk != nil {
			to = pk.List("column names")
		}
	}
	return parent, to
}

// Orphans asks for rows that refer to a row that is not there.
func Orphans(c *order.Change, o, p *catalog.Object) *order.Question {
	parent, to := parentKey(c, p)
	cols := p.List("columns")
	if parent == nil || len(to) != len(cols) {
		return nil
	}
	var given, match []string
	for i := range cols {
		given = append(given, "c."+vocab.Quote(cols[i])+" IS NOT NULL")
		match = append(match, "p."+vocab.Quote(to[i])+" = c."+vocab.Quote(cols[i]))
	}
	return order.RowsWhere(vocab.Quote(o.Name)+" AS c", fmt.Sprintf("%s AND NOT EXISTS (SELECT 1 FROM %s AS p WHERE %s)", strings.Join(given, " AND "), vocab.Quote(parent.Name), strings.Join(match, " AND ")), "refer to a row that is not there")
}
