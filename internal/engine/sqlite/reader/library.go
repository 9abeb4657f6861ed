package reader

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"

	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"

	"dappermirror/internal/engine"
)

// ErrCannotOpen is what SQLite says of a file, or of one that belongs to it.
var ErrCannotOpen = errors.New("it cannot be opened")

// Explain says in our words what the library means.
func Explain(err error) error {
	var e *sqlite.Error
	if !errors.As(err, &e) {
		return err
	}
	if e.Code() == sqlite3.SQLITE_READONLY_ROLLBACK || e.Code() == sqlite3.SQLITE_READONLY_RECOVERY {
		return fmt.Errorf("%w, and SQLite must first undo that; open it once for writing (sqlite3 FILE .schema) and try again", engine.ErrHalfWritten)
	}
	switch e.Code() & 0xff {
	case sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED:
		return fmt.Errorf("%w; try again when it is done, or wait longer with --lock-wait", engine.ErrLocked)
	case sqlite3.SQLITE_CANTOPEN:
		return fmt.Errorf("%w (%s)", ErrCannotOpen, e.Error())
	case sqlite3.SQLITE_NOTADB:
		return fmt.Errorf("%w: the file is no SQLite database, or it is encrypted", engine.ErrNotOurs)
	case sqlite3.SQLITE_CORRUPT:
		return fmt.Errorf("the database file is damaged (%s); restore it from a backup or try `sqlite3 FILE .recover`", e.Error())
	case sqlite3.SQLITE_READONLY:
		return fmt.Errorf("%w", engine.ErrReadOnly)
	case sqlite3.SQLITE_FULL:
		return fmt.Errorf("%w on the disk of the database", engine.ErrDiskFull)
	}
	return errors.New(strings.TrimSpace(e.Error()))
}

// SchemaRows reads sqlite_schema through the library.
func SchemaRows(ctx context.Context, q interface {
	QueryContext(context.Context, string, ...any) (*sql.Rows, error)
}) ([]Row, error) {
	rows, err := q.QueryContext(ctx, "SELECT type, name, tbl_name, coalesce(sql, '') FROM main.sqlite_schema")
	if err != nil {
		return nil, Explain(err)
	}
	defer rows.Close()
	var list []Row
	for rows.Next() {
		var r Row
		if err := rows.Scan(&r.Type, &r.Name, &r.Table, &r.SQL); err != nil {
			return nil, Explain(err)
		}
		list = append(list, r)
	}
	if err := rows.Err(); err != nil {
		return nil, Explain(err)
	}
	return list, nil
}
