package engine

import (
	"context"
	"database/sql"
)

// Lines hands on the first column of every row of a query of a database/sql
// connection; explain says the engine's errors in our words.
func Lines(ctx context.Context, conn *sql.Conn, query string, line func(string) error, explain func(error) error) error {
	rows, err := conn.QueryContext(ctx, query)
	if err != nil {
		return explain(err)
	}
	defer rows.Close()
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
