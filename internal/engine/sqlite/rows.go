package sqlite

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
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
