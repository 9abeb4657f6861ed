package writer

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/sqlserver/convert"
	"dappermirror/internal/engine/sqlserver/ddl"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// guarded makes the script stop when there are such rows: it locks the table, then
// looks.
func guarded(q *order.Question, o *catalog.Object, message string) *order.Question {
	q.On = append(q.On, o.Ref())
	q.Locks = []string{batch("IF EXISTS (SELECT 1 FROM " + qualified(o) + " WITH (TABLOCKX, HOLDLOCK) WHERE 1 = 0) PRINT N'locked';")}
	q.Guard = []string{batch(fmt.Sprintf("IF EXISTS (%s) THROW %d, %s, 1;", q.List, vocab.GuardNumber, vocab.String(message)))}
	return q
}

func anyRow(o *catalog.Object) *order.Question {
	return guarded(order.RowsWhere(qualified(o), "", "would go"), o, "table "+o.Name+" holds rows by now")
}

func holdsNull(o, p *catalog.Object) *order.Question {
	return guarded(order.RowsWhere(qualified(o), quote(p.Name)+" IS NULL", "hold NULL"), o, fmt.Sprintf("column %s of table %s holds NULL by now", p.Name, o.Name))
}

// noNull says what a stricter column does to rows without a value.
func noNull(o, p *catalog.Object) string {
	return fmt.Sprintf("fails when a row holds NULL in column %s (--fill %s.%s=…)", p.Name, o.Name, p.Name)
}

// anyValue asks whether a column that goes holds values. On the way back what the
// way there put into it is none.
func (w *Writer) anyValue(o, p *catalog.Object) *order.Question {
	where := quote(p.Name) + " IS NOT NULL"
	if w.Back {
		given, filled := w.fill(o, p)
		switch {
		case p.Has("identity"), p.Text("type") == "rowversion":
			return nil
		case !filled && p.Has("default"):
			given = p.Text("default")
		}
		if strings.Contains(given, "(") && !strings.HasPrefix(given, "(") || strings.Contains(given, "()") {
			return nil
		}
		if given != "" && comparable(p) {
			where += " AND " + quote(p.Name) + " <> (" + given + ")"
		}
	}
	return guarded(order.RowsWhere(qualified(o), where, "hold a value"), o, fmt.Sprintf("column %s of table %s holds values by now", p.Name, o.Name))
}

// comparable tells whether values of a column's type can be compared.
func comparable(p *catalog.Object) bool {
	name, _ := convert.Split(p.Text("type"))
	switch name {
	case "text", "ntext", "image", "xml", "geometry", "geography":
		return false
	}
	return true
}

// typeRisks are what a change of type can do to the values that are there.
func (w *Writer) typeRisks(c *order.Change, it *compare.Item) []order.Risk {
	p, was := it.Source, it.Target
	from, to := underlying(c.Actual, was), underlying(c.Desired, p)
	if from == to || convert.Safe(from, to) {
		return nil
	}
	o := c.Target
	ref := c.Source.PartRef(p)
	if convert.Never(from, to) {
		return []order.Risk{{Kind: order.Loss, On: ref, Text: fmt.Sprintf("the values of column %s of table %s, as nothing makes %s of %s", was.Name, o.Name, to, from), Ask: w.anyValue(o, was)}}
	}
	name := quote(was.Name)
	there := fmt.Sprintf("TRY_CONVERT(%s, %s)", to, name)
	may := order.Risk{Kind: order.MayFail, On: ref, Text: fmt.Sprintf("fails when a value of column %s is no %s", p.Name, to),
		Ask: guarded(order.RowsWhere(qualified(o), name+" IS NOT NULL AND "+there+" IS NULL", "hold a value that cannot be converted"), o, fmt.Sprintf("column %s of table %s holds values that cannot be converted", was.Name, o.Name))}
	if !comparable(was) || !comparable(p) {
		return []order.Risk{may}
	}
	changed := fmt.Sprintf("%s IS NOT NULL AND TRY_CONVERT(%s, %s) <> %s", there, from, there, exactly(from, name))
	loss := order.Risk{Kind: order.Loss, On: ref, Text: fmt.Sprintf("what %s does not hold of the values of column %s of table %s", to, p.Name, o.Name),
		Ask:   guarded(order.RowsWhere(qualified(o), changed, "hold a value that would change"), o, fmt.Sprintf("column %s of table %s holds values that would change", was.Name, o.Name)),
		First: ddl.Batches(fmt.Sprintf("UPDATE %s SET %s = CONVERT(%s, CONVERT(%s, %s)) WHERE %s;", qualified(o), name, from, to, name, changed))}
	return []order.Risk{loss, may}
}

// exactly compares texts letter by letter.
func exactly(typ, name string) string {
	switch n, _ := convert.Split(typ); n {
	case "char", "varchar", "nchar", "nvarchar":
		return name + " COLLATE Latin1_General_BIN2"
	}
	return name
}

// underlying is the server's own type behind that of a column.
func underlying(in *catalog.Catalog, p *catalog.Object) string {
	for _, n := range p.Needs {
		if n.On.Kind == vocab.AliasType {
			if t := in.Find(n.On); t != nil {
				return t.Text("type")
			}
		}
	}
	return p.Text("type")
}

// asIs tells whether the columns that a part needs are in the target as they will be
// when the part looks at them.
func (w *Writer) asIs(c *order.Change, p *catalog.Object) bool {
	if c.Target == nil || c.Target.Kind != catalog.Table {
		return false
	}
	for _, n := range p.Needs {
		switch {
		case n.On.Kind == catalog.Routine:
			was, now := c.Actual.Find(n.On), c.Desired.Find(n.On)
			if was == nil || now == nil || judge.Fingerprint(was, nil) != judge.Fingerprint(now, nil) {
				return false
			}
		case n.On.PartKind == catalog.Column:
			was, now := c.Actual.Resolve(n.On), c.Desired.Resolve(n.On)
			if !c.Keeps(n.On, "collation", "generated") || !convert.Safe(underlying(c.Actual, was), underlying(c.Desired, now)) {
				return false
			}
			if _, filled := w.fill(c.Desired.Find(n.On), c.Desired.Resolve(n.On)); filled {
				return false
			}
		}
	}
	return true
}

// doubled asks for rows that share the key of a new key or unique index.
func (w *Writer) doubled(c *order.Change, p *catalog.Object) *order.Question {
	if !w.asIs(c, p) {
		return nil
	}
	o := c.Target
	var cols []string
	for _, n := range ddl.WrittenList(p, "columns") {
		cols = append(cols, strings.TrimSuffix(n, " DESC"))
	}
	list := strings.Join(cols, ", ")
	rows := " FROM " + qualified(o)
	if f := p.Text("where"); f != "" {
		rows += " WHERE " + f
	}
	twice := rows + " GROUP BY " + list + " HAVING count(*) > 1"
	q := &order.Question{What: "share their key with another", Total: "SELECT count(*)" + rows,
		Count: "SELECT COALESCE(SUM(n), 0) FROM (SELECT count(*) AS n" + twice + ") AS twice", List: "SELECT " + list + twice}
	return guarded(q, o, fmt.Sprintf("rows of table %s share a key by now", o.Name))
}

func (w *Writer) broken(c *order.Change, p *catalog.Object) *order.Question {
	if !w.asIs(c, p) {
		return nil
	}
	o := c.Target
	return guarded(order.RowsWhere(qualified(o), "NOT ("+p.Text("expression")+")", "break it"), o, fmt.Sprintf("rows of table %s break a check by now", o.Name))
}

// orphans asks for rows that refer to rows that are not there.
func (w *Writer) orphans(c *order.Change, p *catalog.Object) *order.Question {
	if !w.asIs(c, p) {
		return nil
	}
	parent := c.Actual.Find(parentOf(p))
	if parent == nil || parent.Has(vocab.Filtered) { // who asks would not find rows that are there
		return nil
	}
	return Orphans(c.Target, p, parent)
}

// Orphans asks for rows of a table whose parent is not there.
func Orphans(o, p, parent *catalog.Object) *order.Question {
	cols, refs := ddl.WrittenList(p, "columns"), ddl.WrittenList(p, "parent columns")
	var has, same []string
	for i := range cols {
		has = append(has, "c."+cols[i]+" IS NOT NULL")
		same = append(same, "p."+refs[i]+" = c."+cols[i])
	}
	where := strings.Join(has, " AND ") + " AND NOT EXISTS (SELECT 1 FROM " + qualified(parent) + " AS p WHERE " + strings.Join(same, " AND ") + ")"
	q := &order.Question{Count: "SELECT count(*) FROM " + qualified(o) + " AS c WHERE " + where, List: "SELECT * FROM " + qualified(o) + " AS c WHERE " + where, Total: "SELECT count(*) FROM " + qualified(o), What: "refer to a row that is not there"}
	guarded(q, o, fmt.Sprintf("rows of table %s refer to rows that are not there", o.Name))
	if parent != o {
		q.On = append(q.On, parent.Ref())
	}
	return q
}
