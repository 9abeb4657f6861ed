package mysql

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/mysql/convert"
	"dappermirror/internal/engine/mysql/vocab"
)

// Save implements order.Saver.
func (w *Writer) Save(o, col *catalog.Object, lost []*catalog.Object) *order.Save {
	query := ""
	switch {
	case o.Kind != catalog.Table:
	case col == nil:
		query = insertLines(o)
	case !col.Has("generated") && !col.Has("versioning"):
		query = updateLines(o, col, lost)
	}
	if query == "" {
		return nil
	}
	return &order.Save{Query: query, First: savedSession, Lock: "LOCK TABLES " + vocab.Quote(o.Name) + " WRITE;", Release: "UNLOCK TABLES;"}
}

// savedSession is the session saved rows are loaded in: timestamps are written
// by UTC, and a 0 in a counter's column is a 0.
const savedSession = "SET NAMES utf8mb4, SESSION time_zone = '+00:00', SESSION sql_mode = 'NO_AUTO_VALUE_ON_ZERO';"

// value is a column's value as SQL, written by the server. What a text in the
// connection's character set would change, or the client (a carriage return),
// goes as its bytes; a FLOAT goes with all its digits.
func value(col *catalog.Object) string {
	name := vocab.Quote(col.Name)
	switch convert.FamilyOf(col.Text("type")) {
	case convert.Float:
		return fmt.Sprintf("coalesce(CAST(%s AS DOUBLE), 'NULL')", name)
	case convert.Number, convert.Decimal, convert.Year:
		return fmt.Sprintf("coalesce(%s, 'NULL')", name)
	case convert.Time, convert.Clock, convert.UUID, convert.Inet:
		return fmt.Sprintf("quote(%s)", name)
	case convert.Choice: // one that its column did not take is its place, 0
		return fmt.Sprintf("if(%[1]s + 0 = 0, '0', quote(CONVERT(%[1]s USING utf8mb4)))", name)
	case convert.Choices:
		return fmt.Sprintf("quote(CONVERT(%s USING utf8mb4))", name)
	case convert.Bit:
		return fmt.Sprintf("coalesce(concat('b''', bin(%s + 0), ''''), 'NULL')", name)
	case convert.Text:
		return fmt.Sprintf("if(INSTR(%[1]s, CHAR(13)) = 0 AND BINARY CONVERT(CONVERT(%[1]s USING utf8mb4) USING %[2]s) = BINARY %[1]s OR %[1]s IS NULL, quote(CONVERT(%[1]s USING utf8mb4)), concat('_%[2]s x''', hex(%[1]s), ''''))",
			name, cmp.Or(col.Text("charset"), "utf8mb4"))
	}
	return fmt.Sprintf("coalesce(concat('x''', hex(%s), ''''), 'NULL')", name)
}

// insertLines is a query whose rows are INSERT statements for all rows.
func insertLines(o *catalog.Object) string {
	var cols, vals []string
	for _, c := range o.PartsOf(catalog.Column) {
		if c.Has("generated") || c.Has("versioning") {
			continue
		}
		cols, vals = append(cols, vocab.Quote(c.Name)), append(vals, value(c))
	}
	if len(cols) == 0 {
		return ""
	}
	return fmt.Sprintf("SELECT concat(%s, concat_ws(', ', %s), ');') FROM %s", vocab.Literal("INSERT INTO "+vocab.Quote(o.Name)+" ("+strings.Join(cols, ", ")+") VALUES ("), strings.Join(vals, ", "), vocab.Quote(o.Name))
}

// updateLines is a query whose rows are UPDATE statements that give a column
// its values back, by the table's key. Without a key, rows that are alike in
// all that is left of them get the values they have among them, each one: nobody
// can tell such rows apart.
func updateLines(o, col *catalog.Object, lost []*catalog.Object) string {
	var where []string
	for _, k := range o.PartsOf(catalog.PrimaryKey) {
		for _, name := range k.List("columns") {
			p := o.Part(catalog.Column, name)
			if p == nil || p.Key() == col.Key() {
				return alikeLines(o, col, lost)
			}
			where = append(where, fmt.Sprintf("concat(%s, %s)", vocab.Literal(vocab.Quote(p.Name)+" = "), value(p)))
		}
	}
	if len(where) == 0 {
		return alikeLines(o, col, lost)
	}
	query := fmt.Sprintf("SELECT concat(%s, %s, ' WHERE ', concat_ws(' AND ', %s), ';') FROM %s", vocab.Literal("UPDATE "+vocab.Quote(o.Name)+" SET "+vocab.Quote(col.Name)+" = "), value(col), strings.Join(where, ", "), vocab.Quote(o.Name))
	if !filled(col) {
		query += " WHERE " + vocab.Quote(col.Name) + " IS NOT NULL"
	}
	return query
}

// filled tells whether a column that comes back holds something of itself.
func filled(col *catalog.Object) bool {
	def := col.Text("default")
	return def != "" && !strings.EqualFold(def, "null") || col.Has("auto increment")
}

// alikeLines is updateLines for a table without a key: two statements for the
// rows that are alike, which bring back all that is lost of them at once.
func alikeLines(o, col *catalog.Object, lost []*catalog.Object) string {
	if len(lost) > 0 && lost[0] != col {
		return "" // saved with the first
	}
	if len(lost) == 0 {
		lost = []*catalog.Object{col}
	}
	var where, given, held, sets []string
	for _, c := range o.PartsOf(catalog.Column) {
		if !slices.Contains(lost, c) && !c.Has("generated") && !c.Has("versioning") {
			where = append(where, fmt.Sprintf("concat(%s, %s)", vocab.Literal(vocab.Quote(c.Name)+" <=> "), value(c)))
		}
	}
	for i, c := range lost {
		given = append(given, fmt.Sprintf("%s AS given%d", value(c), i))
		held = append(held, vocab.Quote(c.Name)+" IS NOT NULL")
		step := map[bool]string{true: "@dapper_mirror_row := @dapper_mirror_row + 1", false: "@dapper_mirror_row"}[i == 0]
		sets = append(sets, fmt.Sprintf("%s, group_concat(given%d ORDER BY place SEPARATOR ', '), ')'", vocab.Literal(map[bool]string{true: "", false: ", "}[i == 0]+vocab.Quote(c.Name)+" = ELT("+step+", "), i))
	}
	match := "'true'"
	if len(where) > 0 {
		match = "concat_ws(' AND ', " + strings.Join(where, ", ") + ")"
	}
	return fmt.Sprintf("SELECT concat(%s, %s, ' WHERE ', alike, ';') FROM (SELECT %s, %s AS alike, %s AS held, row_number() OVER () AS place FROM %s) AS t GROUP BY BINARY alike HAVING sum(held) > 0 OR %t",
		vocab.Literal("SET @dapper_mirror_row = 0; UPDATE "+vocab.Quote(o.Name)+" SET "), strings.Join(sets, ", "), strings.Join(given, ", "), match, strings.Join(held, " OR "), vocab.Quote(o.Name), slices.ContainsFunc(lost, filled))
}
