package postgres

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// numbers are the beginnings of the names of types whose values are numbers.
var numbers = []string{"smallint", "integer", "bigint", "numeric", "decimal", "real", "double precision", "oid", "money"}

// RowText implements engine.RowLister.
func (Engine) RowText(columns []*catalog.Object, names []string, letters int) (expr, random string) {
	var cells []string
	for i, n := range names {
		typ, kind := columns[i].Text("type"), "text"
		for _, t := range numbers {
			if strings.HasPrefix(typ, t) && !strings.HasSuffix(typ, "[]") {
				kind = "number"
			}
		}
		cell := fmt.Sprintf("pg_catalog.json_build_array('%[3]s', pg_catalog.left(%[1]s::pg_catalog.text, %[2]d), pg_catalog.length(%[1]s::pg_catalog.text))", n, letters, kind)
		if typ == "bytea" {
			cell = fmt.Sprintf("pg_catalog.json_build_array('binary', pg_catalog.encode(pg_catalog.substr(%[1]s, 1, %[2]d), 'hex'), pg_catalog.length(%[1]s))", n, letters)
		}
		cells = append(cells, fmt.Sprintf("CASE WHEN %s IS NULL THEN 'null' ELSE %s::pg_catalog.text END", n, cell))
	}
	return "'[' || " + strings.Join(cells, " || ',' || ") + " || ']'", "pg_catalog.random()"
}

// ColumnQuery implements engine.RowLister.
func (Engine) ColumnQuery(schema, name string) string {
	return `SELECT pg_catalog.json_build_array(a.attname, pg_catalog.format_type(a.atttypid, a.atttypmod))::pg_catalog.text FROM pg_catalog.pg_attribute a JOIN pg_catalog.pg_class c ON c.oid = a.attrelid
JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace WHERE a.attnum > 0 AND NOT a.attisdropped AND n.nspname = ` + sqltext.Literal(schema) + " AND c.relname = " + sqltext.Literal(name) + " ORDER BY a.attnum"
}

// SizeQuery implements engine.Measurer. A table that was never analyzed has
// -1 rows; asking how big one is waits for who rebuilds it now, so that is left out.
func (Engine) SizeQuery() (string, bool) {
	return `SELECT json_build_array(n.nspname, c.relname, c.reltuples::bigint,
  CASE WHEN NOT EXISTS (SELECT 1 FROM pg_locks l WHERE l.relation = c.oid AND l.mode = 'AccessExclusiveLock') THEN pg_total_relation_size(c.oid) END)::text
FROM pg_catalog.pg_class c JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace
WHERE c.relkind IN ('r', 'p') AND n.nspname !~ '^pg_' AND n.nspname <> 'information_schema'`, false
}
