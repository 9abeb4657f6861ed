package sqlite

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// RowText implements engine.RowLister. What a value is, SQLite says of each by itself.
func (Engine) RowText(_ []*catalog.Object, names []string, letters int) (expr, random string) {
	var cells []string
	for _, n := range names {
		cells = append(cells, fmt.Sprintf("coalesce(CASE typeof(%[1]s) WHEN 'null' THEN NULL WHEN 'blob' THEN json_array('binary', hex(substr(%[1]s, 1, %[2]d)), length(%[1]s)) "+
			"WHEN 'text' THEN json_array('text', substr(%[1]s, 1, %[2]d), length(%[1]s)) ELSE json_array('number', CAST(%[1]s AS TEXT), 0) END, 'null')", n, letters))
	}
	return "'[' || " + strings.Join(cells, " || ',' || ") + " || ']'", "random()"
}

// ColumnQuery implements engine.RowLister.
func (Engine) ColumnQuery(_, name string) string {
	return "SELECT json_array(name, type) FROM pragma_table_xinfo(" + sqltext.Literal(name) + ", 'main') ORDER BY cid"
}

// SizeQuery implements engine.Measurer. The rows of a table are the cells of its leaves; those
// of one without row numbers lie in the pages above too (SQLite: The DBSTAT Virtual
// Table).
func (Engine) SizeQuery() (string, bool) {
	return `WITH pages AS MATERIALIZED (SELECT name, sum(pgsize) AS bytes, sum(CASE WHEN pagetype = 'leaf' THEN ncell ELSE 0 END) AS leaves, sum(ncell) AS cells FROM dbstat GROUP BY name),
  tables AS MATERIALIZED (SELECT m.tbl_name, sum(p.bytes) AS bytes FROM sqlite_schema m JOIN pages p ON p.name = m.name GROUP BY m.tbl_name)
SELECT json_array('', t.name, CASE WHEN t.wr THEN p.cells ELSE p.leaves END, b.bytes)
FROM pragma_table_list t JOIN pages p ON p.name = t.name JOIN tables b ON b.tbl_name = t.name
WHERE t.schema = 'main' AND t.type = 'table' AND t.name NOT LIKE 'sqlite\_%' ESCAPE '\'`, true
}
