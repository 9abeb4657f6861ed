package vocab

import "fmt"

// ColumnQuery implements engine.RowLister. A name in hexadecimal is the same whatever the
// server takes a backslash for.
func (Lister) ColumnQuery(_, name string) string {
	return fmt.Sprintf("SELECT JSON_ARRAY(COLUMN_NAME, COLUMN_TYPE) FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = CONVERT(x'%x' USING utf8mb4) ORDER BY ORDINAL_POSITION", name)
}

// SizeQuery implements engine.Measurer.
func (Lister) SizeQuery() (string, bool) {
	return `SELECT JSON_ARRAY('', TABLE_NAME, TABLE_ROWS, DATA_LENGTH + INDEX_LENGTH) FROM information_schema.TABLES
WHERE TABLE_SCHEMA = DATABASE() AND TABLE_TYPE = 'BASE TABLE'`, false
}
