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
	if !w.asIs(c, p) {
		return nil
	}
	o := c.Target
	switch p.Kind {
	case catalog.Check:
		return about(o, "NOT ("+p.Text("expression")+")", "break the check")
	case catalog.PrimaryKey, catalog.Unique, catalog.Index:
		return duplicates(o, p)
	case catalog.ForeignKey:
		return Orphans(c, o, p)
	}
	return nil
}

// duplicates asks for rows that share a key. A primary key that is not the
// rowid takes NULLs, and two of them are not equal (SQLite: CREATE TABLE,
// section 3.5).
func duplicates(o, p *catalog.Object) *order.Question {
	var keys, given []string
	for _, k := range p.List("columns") {
		toks := sqltext.Significant(vocab.Dialect, k)
		if n := len(toks); n > 1 && (toks[n-1].Is("asc") || toks[n-1].Is("desc")) {
			k = k[:toks[n-1].Pos]
		}
		keys = append(keys, k)
		given = append(given, "("+k+") IS NOT NULL")
	}
	if w := p.Property("where"); w != nil {
		given = append(given, "("+w.Value.String()+")")
	}
	list, from := strings.Join(keys, ", "), vocab.Quote(o.Name)
	return &order.Question{What: "share their key with another", Total: "SELECT count(*) FROM " + from,
		Count: fmt.Sprintf("SELECT coalesce(sum(n), 0) FROM (SELECT count(*) AS n FROM %s WHERE %s GROUP BY %s HAVING count(*) > 1)", from, strings.Join(given, " AND "), list),
		List:  fmt.Sprintf("SELECT %s, count(*) FROM %s WHERE %s GROUP BY %s HAVING count(*) > 1", list, from, strings.Join(given, " AND "), list)}
}

// Orphans asks for rows that refer to a row that is not there.
func Orphans(c *order.Change, o, p *catalog.Object) *order.Question {
	parent := c.Actual.Find(catalog.Ref{Kind: catalog.Table, Name: p.Text("references")})
	cols, to := p.List("columns"), p.List("referenced columns")
	if parent == nil || c.Desired.Find(parent.Ref()) == nil {
		return nil
	}
	if len(to) == 0 {
		if pk := parent.Part(catalog.PrimaryKey, "primary key"); pk != nil {
			to = pk.List("column names")
		}
	}
	if len(to) != len(cols) {
		return nil
	}
	var given, match []string
	for i := range cols {
		given = append(given, "c."+vocab.Quote(cols[i])+" IS NOT NULL")
		match = append(match, "p."+vocab.Quote(to[i])+" = c."+vocab.Quote(cols[i]))
	}
	return order.RowsWhere(vocab.Quote(o.Name)+" AS c", fmt.Sprintf("%s AND NOT EXISTS (SELECT 1 FROM %s AS p WHERE %s)", strings.Join(given, " AND "), vocab.Quote(parent.Name), strings.Join(match, " AND ")), "refer to a row that is not there")
}

// changedValues asks for values that another affinity would change (SQLite:
// Datatypes, section 3.3).
func changedValues(o, col *catalog.Object, to string) *order.Question {
	name := vocab.Quote(col.Name)
	var where string
	switch untyped := vocab.Affinity(col) == "BLOB"; { // such a column keeps a text a text and a number a number
	case untyped && to == "TEXT":
		where = fmt.Sprintf("typeof(%s) IN ('integer', 'real')", name)
	case untyped && to == "REAL":
		where = fmt.Sprintf("typeof(%[1]s) = 'integer' OR typeof(%[1]s) = 'text' AND %[1]s GLOB '*[0-9]*'", name)
	case untyped:
		where = fmt.Sprintf("typeof(%[1]s) = 'text' AND %[1]s GLOB '*[0-9]*'", name)
	case to == "TEXT":
		where = fmt.Sprintf("typeof(%[1]s) IN ('integer', 'real') AND CAST(CAST(%[1]s AS TEXT) AS NUMERIC) IS NOT %[1]s", name)
	case to == "REAL":
		where = fmt.Sprintf("typeof(%[1]s) = 'text' AND CAST(CAST(%[1]s AS REAL) AS TEXT) IS NOT %[1]s OR typeof(%[1]s) = 'integer' AND %[1]s NOT BETWEEN -9007199254740992 AND 9007199254740992", name)
	default:
		where = fmt.Sprintf("typeof(%[1]s) = 'text' AND CAST(CAST(%[1]s AS NUMERIC) AS TEXT) IS NOT %[1]s", name)
	}
	q := guarded(about(o, where, "hold a value that would change"), o, fmt.Sprintf("column %s of table %s holds values that would change", col.Name, o.Name))
	return q
}

// otherTypes asks for values that a STRICT table may refuse (SQLite: STRICT
// Tables).
func otherTypes(now, was *catalog.Object) *order.Question {
	takes := map[string]string{"INT": "'integer'", "INTEGER": "'integer'", "REAL": "'real', 'integer'", "TEXT": "'text'", "BLOB": "'blob'"}
	var where []string
	for _, col := range now.PartsOf(catalog.Column) {
		if kinds := takes[strings.ToUpper(col.Text("type"))]; kinds != "" && was.Part(catalog.Column, col.ID) != nil && !col.Has("generated") {
			where = append(where, fmt.Sprintf("typeof(%s) NOT IN (%s, 'null')", vocab.Quote(col.Name), kinds))
		}
	}
	if len(where) == 0 {
		return nil
	}
	q := about(was, strings.Join(where, " OR "), "hold a value of another type")
	q.Unsure = true // some are converted
	return q
}
