package sqlite

import (
	"dappermirror/internal/engine/sqlite/reader"
)

// The parts of the engine under the names that the tests of the whole use.
type Row = reader.Row

var (
	Build      = reader.Build
	parseTable = reader.ParseTable
	renamed    = reader.Renamed
	schemaRows = reader.SchemaRows
)

// pageRowsOf are the rows that are read page by page.
func pageRowsOf(path string) ([]Row, error) {
	rows, _, err := pageRows(path)
	return rows, err
}
