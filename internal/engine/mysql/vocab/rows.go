package vocab

import (
	"fmt"
	"regexp"
	"strings"

	"dappermirror/internal/core/catalog"
)

// numeric and binary tell from the name of a type what its values are.
var (
	numeric = regexp.MustCompile(`^(tiny|small|medium|big)?int|^(decimal|numeric|float|double|year)`)
	binary  = regexp.MustCompile(`binary|blob|^bit|^(geometry|point|linestring|polygon|multi|geomcollection)`)
)

// Lister is an engine.RowLister.
type Lister struct{}

// RowText implements engine.RowLister.
func (Lister) RowText(columns []*catalog.Object, names []string, letters int) (expr, random string) {
	var cells []string
	for i, n := range names {
		cell := fmt.Sprintf("JSON_ARRAY('text', LEFT(CONVERT(%[1]s USING utf8mb4), %[2]d), CHAR_LENGTH(CONVERT(%[1]s USING utf8mb4)))", n, letters)
		switch typ := strings.ToLower(columns[i].Text("type")); {
		case numeric.MatchString(typ):
			cell = fmt.Sprintf("JSON_ARRAY('number', CAST(%s AS CHAR), 0)", n)
		case binary.MatchString(typ):
			cell = fmt.Sprintf("JSON_ARRAY('binary', HEX(LEFT(CAST(%[1]s AS BINARY), %[2]d)), LENGTH(CAST(%[1]s AS BINARY)))", n, letters)
		}
		cells = append(cells, fmt.Sprintf("IF(%s IS NULL, 'null', %s)", n, cell))
	}
	return "CONCAT('[', " + strings.Join(cells, ", ',', ") + ", ']')", "RAND()"
}
