package convert

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/vocab"
)

// Form is how values wait while their type is made anew.
type Form struct {
	Type, Away, Back string
	Make, Drop       string // a function that the way back takes
}

// Waiting finds the form for a column; function is a name for one that the way
// back may take. Values of a row type wait as JSON, by the names of their
// attributes, which may change their types and order meanwhile; all else as text.
func Waiting(actual *catalog.Catalog, col *catalog.Object, function string) Form {
	typ, name := col.Text("type"), vocab.Quote(col.Name)
	base, _, array := SplitType(typ)
	rowType := UserType(actual, base, vocab.Composite) != nil || relationNamed(actual, base) != nil
	switch {
	case rowType && array:
		f, tag := "pg_temp."+function, "$f$"
		for n := 2; strings.Contains(typ, tag); n++ {
			tag = fmt.Sprintf("$f%d$", n)
		}
		return Form{Type: "json", Away: "to_json(" + name + ")", Back: f + "(" + name + ")",
			Make: fmt.Sprintf("CREATE FUNCTION %s(json) RETURNS %s LANGUAGE sql AS %[4]s SELECT coalesce(array_agg(CASE WHEN json_typeof(v) <> 'null' THEN json_populate_record(NULL::%[3]s, v) END ORDER BY n), '{}') FROM json_array_elements($1) WITH ORDINALITY AS e(v, n) WHERE $1 IS NOT NULL HAVING $1 IS NOT NULL %[4]s;", f, typ, base, tag),
			Drop: fmt.Sprintf("DROP FUNCTION %s(json);", f)}
	case rowType:
		return Form{Type: "json", Away: "to_json(" + name + ")", Back: fmt.Sprintf("CASE WHEN %s IS NOT NULL THEN json_populate_record(NULL::%s, %[1]s) END", name, base)}
	case strings.HasSuffix(typ, "[]"):
		return Form{Type: "text[]", Away: name + "::text[]", Back: name + "::" + typ}
	}
	return Form{Type: "text", Away: name + "::text", Back: name + "::" + typ}
}

// relationNamed is the table or view whose rows are of a type.
func relationNamed(cat *catalog.Catalog, typ string) *catalog.Object {
	for _, o := range cat.Objects {
		if (vocab.IsTable(o.Kind) || o.Kind == vocab.MatView || o.Kind == catalog.View) && vocab.Qualified(o) == typ {
			return o
		}
	}
	return nil
}
