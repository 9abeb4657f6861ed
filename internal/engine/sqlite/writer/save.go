package writer

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlite/vocab"
)

// Save implements order.Saver.
func (w *Writer) Save(o, col *catalog.Object, _ []*catalog.Object) *order.Save {
	query := ""
	switch {
	case o.Kind == catalog.VirtualTable && col == nil:
		query = virtualLines(o)
	case o.Kind == catalog.Table && col == nil:
		query = InsertLines(o)
	case o.Kind == catalog.Table && !col.Has("generated"):
		query = updateLines(o, col)
	}
	if query == "" {
		return nil
	}
	return &order.Save{Query: query}
}

// written is SQL for the SQL of a value: what quote() writes, but for texts
// that it cuts short (at a NUL) or that the client would change (a carriage
// return before a line end).
func written(name string) string {
	return fmt.Sprintf("CASE WHEN typeof(%[1]s) = 'text' AND (instr(CAST(%[1]s AS BLOB), x'00') OR instr(CAST(%[1]s AS BLOB), x'0D')) THEN 'CAST(x''' || hex(CAST(%[1]s AS BLOB)) || ''' AS TEXT)' ELSE quote(%[1]s) END", name)
}

// rowid is a name of the rowid that no column of the table has; "" where there
// is no rowid, or none of its names is free.
func rowid(o *catalog.Object) string {
	if !o.Has("without rowid") {
		for _, name := range vocab.RowidNames {
			if o.Part(catalog.Column, name) == nil {
				return name
			}
		}
	}
	return ""
}

// InsertLines is a query whose rows are INSERT statements for all rows, with
// their rowids.
func InsertLines(o *catalog.Object) string {
	cols := Values(o)
	if id := rowid(o); id != "" && vocab.RowidAlias(o) == "" {
		cols = append([]string{id}, cols...)
	}
	return lines(o, cols)
}

// virtualLines is insertLines for a virtual table that gives its rows back.
func virtualLines(o *catalog.Object) string {
	var cols []string
	for _, c := range virtualColumns(o) {
		cols = append(cols, vocab.Quote(c))
	}
	if len(cols) == 0 || option(o, "content") != "" {
		return ""
	}
	if strings.HasPrefix(o.Text("module"), "fts") {
		cols = append([]string{"rowid"}, cols...)
	}
	return lines(o, cols)
}

func lines(o *catalog.Object, cols []string) string {
	if len(cols) == 0 {
		return ""
	}
	vals := make([]string, len(cols))
	for i, c := range cols {
		vals[i] = written(c)
	}
	return fmt.Sprintf("SELECT %s || %s || ');' FROM %s", sqltext.Literal("INSERT INTO "+vocab.Quote(o.Name)+" ("+strings.Join(cols, ", ")+") VALUES ("), strings.Join(vals, " || ', ' || "), vocab.Quote(o.Name))
}

// updateLines is a query whose rows are UPDATE statements that give a column
// its values back, by the table's key; by the rowid where a key holds NULL, as
// keys of SQLite may.
func updateLines(o, col *catalog.Object) string {
	var keys []string
	if pk := o.Part(catalog.PrimaryKey, "primary key"); pk != nil {
		for _, k := range pk.List("column names") {
			keys = append(keys, vocab.Quote(k))
			if k == col.ID { // the key itself is what goes
				keys = nil
				break
			}
		}
	}
	by := func(names ...string) string {
		out := make([]string, len(names))
		for i, k := range names {
			out[i] = fmt.Sprintf("%s || %s", sqltext.Literal(map[bool]string{true: "", false: " AND "}[i == 0]+k+" IS "), written(k))
		}
		return strings.Join(out, " || ")
	}
	id, where := rowid(o), ""
	switch {
	case len(keys) == 0 && id == "":
		return InsertLines(o)
	case len(keys) == 0:
		where = by(id)
	case id == "":
		where = by(keys...)
	default:
		where = fmt.Sprintf("CASE WHEN %s IS NULL THEN %s ELSE %s END", strings.Join(keys, " IS NULL OR "), by(id), by(keys...))
	}
	name := vocab.Quote(col.Name)
	query := fmt.Sprintf("SELECT %s || %s || ' WHERE ' || %s || ';' FROM %s", sqltext.Literal("UPDATE "+vocab.Quote(o.Name)+" SET "+name+" = "), written(name), where, vocab.Quote(o.Name))
	if !col.Has("default") { // which would stand where nothing stood
		query += " WHERE " + name + " IS NOT NULL"
	}
	return query
}
