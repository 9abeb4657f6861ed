package ddl

import (
	"strings"

	"dappermirror/internal/core/catalog"
)

// Module makes a view or routine, or replaces it.
func Module(o *catalog.Object, verb string) string {
	return Heading(o) + verb + " " + Keyword(o) + " " + qualified(o) + Spaced(o.Text("definition"))
}

// Heading is what stands before a module's text: comments that its server keeps.
func Heading(o *catalog.Object) string {
	if h := o.Text("heading"); h != "" {
		return h + "\n"
	}
	return ""
}

// Spaced is a definition with the blank that it wants behind a name.
func Spaced(definition string) string {
	if strings.HasPrefix(definition, "(") {
		return definition
	}
	return " " + definition
}

// InSettings puts what a module was made under around its statements: the server
// keeps it with the module (SQL Server: sys.sql_modules).
func InSettings(o *catalog.Object, sql []string) []string {
	for _, s := range [][2]string{{"ansi nulls off", "ANSI_NULLS"}, {"quoted identifier off", "QUOTED_IDENTIFIER"}} {
		if o.Has(s[0]) {
			sql = append(append([]string{batch("SET " + s[1] + " OFF;")}, sql...), batch("SET "+s[1]+" ON;"))
		}
	}
	return sql
}
