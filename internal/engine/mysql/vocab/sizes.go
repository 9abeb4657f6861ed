package vocab

// SizeQuery implements engine.Measurer.
func (Lister) SizeQuery() (string, bool) {
	return `SELECT JSON_ARRAY('', TABLE_NAME, TABLE_ROWS, DATA_LENGTH + INDEX_LENGTH) FROM information_schema.TABLES
WHERE TABLE_SCHEMA = DATABASE() AND TABLE_TYPE = 'BASE TABLE'`, false
}
