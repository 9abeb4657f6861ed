package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/sqlserver/convert"
	"dappermirror/internal/engine/sqlserver/ddl"
	"dappermirror/internal/engine/sqlserver/vocab"
)

var _ order.Saver = (*Writer)(nil)

// Save implements order.Saver.
func (w *Writer) Save(o, p *catalog.Object, lost []*catalog.Object) *order.Save {
	if o.Kind != catalog.Table || o.Has(vocab.Filtered) { // not all of them may be seen
		return nil
	}
	query := ""
	switch {
	case p == nil:
		query = InsertLines(o, 0)
	case !p.Has("generated") && p.Text("type") != "rowversion" && !p.Has("identity"):
		query = updateLines(o, p)
	}
	if query == "" {
		return nil
	}
	return &order.Save{Query: query, Lock: "IF EXISTS (SELECT 1 FROM " + qualified(o) + " WITH (TABLOCKX, HOLDLOCK) WHERE 1 = 0) PRINT N'locked';"}
}

// value is an expression that is a column's value as SQL.
func value(p *catalog.Object) string {
	name := quote(p.Name)
	switch t, _ := convert.Split(p.Text("type")); t {
	case "bit", "tinyint", "smallint", "int", "bigint", "decimal", "numeric":
		return "COALESCE(CONVERT(nvarchar(50), " + name + "), N'NULL')"
	case "money", "smallmoney":
		return "COALESCE(CONVERT(nvarchar(50), CONVERT(decimal(19,4), " + name + ")), N'NULL')"
	case "float", "real":
		return "COALESCE(CONVERT(nvarchar(50), " + name + ", 3), N'NULL')"
	case "binary", "varbinary", "rowversion", "image":
		return "COALESCE(CONVERT(nvarchar(max), CONVERT(varbinary(max), " + name + "), 1), N'NULL')"
	case "date", "datetime", "smalldatetime", "datetime2", "time":
		return "COALESCE(N'''' + CONVERT(nvarchar(50), " + name + ", 121) + N'''', N'NULL')"
	case "datetimeoffset":
		return "COALESCE(N'''' + CONVERT(nvarchar(50), " + name + ", 121) + N'''', N'NULL')"
	}
	return "COALESCE(N'N''' + REPLACE(CONVERT(nvarchar(max), " + name + "), N'''', N'''''') + N'''', N'NULL')"
}

// InsertLines is a query whose rows are INSERT statements for the rows of a table, so
// many at most where limit is not 0.
func InsertLines(o *catalog.Object, limit int) string {
	var cols, vals []string
	identity := false
	for _, p := range o.PartsOf(catalog.Column) {
		if p.Has("generated") || p.Text("type") == "rowversion" || slices.Contains(ddl.PeriodOf(o), p.Key()) {
			continue
		}
		identity = identity || p.Has("identity")
		cols, vals = append(cols, quote(p.Name)), append(vals, value(p))
	}
	if len(cols) == 0 {
		return ""
	}
	head, tail := "INSERT INTO "+qualified(o)+" ("+strings.Join(cols, ", ")+") VALUES (", ");"
	if identity {
		head, tail = "SET IDENTITY_INSERT "+qualified(o)+" ON; "+head, "); SET IDENTITY_INSERT "+qualified(o)+" OFF;"
	}
	top := ""
	if limit > 0 {
		top = fmt.Sprintf("TOP (%d) ", limit)
	}
	return "SELECT " + top + vocab.String(head) + " + " + strings.Join(vals, " + N', ' + ") + " + " + vocab.String(tail) + " AS line FROM " + qualified(o)
}

// updateLines is a query whose rows are UPDATE statements that give a column its
// values back, by the table's key; without one, rows that are alike in all that is left
// cannot be told apart, so all of the row is written down instead.
func updateLines(o, p *catalog.Object) string {
	var where []string
	for _, k := range o.PartsOf(catalog.PrimaryKey) {
		for _, n := range k.List("columns") {
			c := o.Part(catalog.Column, n)
			if c == nil || c == p {
				return InsertLines(o, 0)
			}
			where = append(where, vocab.String(quote(c.Name)+" = ")+" + "+value(c))
		}
	}
	if len(where) == 0 {
		return InsertLines(o, 0)
	}
	return fmt.Sprintf("SELECT %s + %s + N' WHERE ' + %s + N';' AS line FROM %s WHERE %s IS NOT NULL", vocab.String("UPDATE "+qualified(o)+" SET "+quote(p.Name)+" = "), value(p), strings.Join(where, " + N' AND ' + "), qualified(o), quote(p.Name))
}

// Definition lays an object out as SQL for people.
func Definition(o *catalog.Object) string {
	c := &order.Change{Item: &compare.Item{Source: o, Status: compare.SourceOnly}, Desired: &catalog.Catalog{}, Actual: &catalog.Catalog{}}
	var out []string
	for _, a := range (&Writer{Shown: true}).Create(c) {
		for _, sql := range a.SQL {
			out = append(out, strings.TrimSuffix(sql, "\nGO"))
		}
	}
	between := "\n"
	if o.Kind == catalog.View || o.Kind == catalog.Routine || o.Kind == vocab.DatabaseTrigger || len(o.PartsOf(catalog.Trigger)) > 0 { // which are batches of their own
		between = "\nGO\n"
	}
	return strings.Join(out, between)
}
