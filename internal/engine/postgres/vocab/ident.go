// Package vocab holds the words that reading and writing PostgreSQL share:
// kinds, names as SQL, the options of sequences, and access rights.
package vocab

import (
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// Dialect is how PostgreSQL's SQL, and psql, read a text.
var Dialect = sqltext.Dialect{EString: true, Dollar: true, Nested: true, Backslashes: true, Variables: true, Command: `\`}

// Keywords cannot all stand as names without quotes (PostgreSQL:
// pg_get_keywords, categories R, T and C), over all supported versions.
var Keywords = func() map[string]bool {
	m := map[string]bool{}
	for _, w := range strings.Fields(`all analyse analyze and any array as asc asymmetric authorization between bigint binary bit
boolean both case cast char character check coalesce collate collation column concurrently constraint create cross current_catalog
current_date current_role current_schema current_time current_timestamp current_user dec decimal default deferrable desc distinct do
else end except exists extract false fetch float for foreign freeze from full grant greatest group grouping having ilike in initially
inner inout int integer intersect interval into is isnull join json json_array json_arrayagg json_exists json_object json_objectagg
json_query json_scalar json_serialize json_table json_value lateral leading least left like limit localtime localtimestamp
merge_action national natural nchar none normalize not notnull null nullif numeric offset on only or order out outer overlaps overlay
placing position precision primary real references returning right row select session_user setof similar smallint some substring
symmetric system_user table tablesample then time timestamp to trailing treat trim true union unique user using values varchar
variadic verbose when where window with xmlattributes xmlconcat xmlelement xmlexists xmlforest xmlnamespaces xmlparse xmlpi xmlroot
xmlserialize xmltable`) {
		m[w] = true
	}
	return m
}()

// Quote writes a name as SQL.
func Quote(s string) string {
	plain := s != "" && !Keywords[s] && !(s[0] >= '0' && s[0] <= '9')
	for i := 0; plain && i < len(s); i++ {
		c := s[i]
		plain = c == '_' || c >= 'a' && c <= 'z' || c >= '0' && c <= '9'
	}
	if plain {
		return s
	}
	return sqltext.Always(s)
}

// Bare is a name that is written as SQL.
func Bare(quoted string) string {
	toks := sqltext.Significant(Dialect, quoted)
	if len(toks) == 0 {
		return ""
	}
	return toks[0].Name()
}

// Qualified writes the name of an object with its schema.
func Qualified(o *catalog.Object) string { return Quote(o.Schema) + "." + Quote(BareName(o)) }

// BareName is an object's name; of a routine, without its arguments.
func BareName(o *catalog.Object) string {
	if n := o.Text("routine name"); n != "" {
		return n
	}
	return o.Bare()
}

// Literal writes a text as a string constant, whatever
// standard_conforming_strings says.
func Literal(s string) string {
	if strings.Contains(s, `\`) {
		return "E'" + strings.NewReplacer(`\`, `\\`, `'`, `''`).Replace(s) + "'"
	}
	return sqltext.Literal(s)
}
