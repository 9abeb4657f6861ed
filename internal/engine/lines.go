package engine

// Rows is what drivers have in common of a query's rows.
type Rows interface {
	Next() bool
	Scan(dest ...any) error
	Err() error
}

// EachLine hands on the first column of every row; explain says the engine's
// errors in our words.
func EachLine(rows Rows, line func(string) error, explain func(error) error) error {
	for rows.Next() {
		var s string
		if err := rows.Scan(&s); err != nil {
			return explain(err)
		}
		if err := line(s); err != nil {
			return err
		}
	}
	if err := rows.Err(); err != nil {
		return explain(err)
	}
	return nil
}
