package sqlite

import (
	"context"
	"database/sql"
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlite/reader"
	"dappermirror/internal/engine/sqlite/vocab"
	"dappermirror/internal/engine/sqlite/writer"
)

// Scratch implements engine.Scratcher: in memory, wherever else was meant.
func (Engine) Scratch(ctx context.Context, _ string, like *catalog.Catalog) (engine.Database, string, func() error, error) {
	db, err := sql.Open("sqlite", ":memory:")
	if err != nil {
		return nil, "", nil, err
	}
	db.SetMaxOpenConns(1)
	conn, err := db.Conn(ctx)
	if err != nil {
		db.Close()
		return nil, "", nil, reader.Explain(err)
	}
	if like != nil && like.Limits[vocab.Statistics] > 0 {
		if _, err := conn.ExecContext(ctx, "ANALYZE"); err != nil {
			db.Close()
			return nil, "", nil, reader.Explain(err)
		}
	}
	d := &database{path: ":memory:", opt: engine.OpenOptions{Write: true}, db: db, conn: conn, released: func() {}}
	return d, "a SQLite database in memory", d.Close, nil
}

// Placeholder implements engine.Placer.
func (Engine) Placeholder(col *catalog.Object, _ *catalog.Catalog) string {
	switch vocab.Affinity(col) {
	case "TEXT":
		return "''"
	case "BLOB":
		return "x''"
	}
	return "0"
}

// CopyQuery implements engine.RowCopier.
func (Engine) CopyQuery(o *catalog.Object, limit int) string {
	if o.Kind != catalog.Table || len(writer.Values(o)) == 0 {
		return ""
	}
	return fmt.Sprintf("%s LIMIT %d", writer.InsertLines(o), limit)
}

// CountQuery implements engine.RowCopier.
func (Engine) CountQuery(o *catalog.Object) string {
	if o.Kind != catalog.Table || len(writer.Values(o)) == 0 {
		return ""
	}
	return order.RowsWhere(vocab.Quote(o.Name), "", "").Count
}

// CopySettings implements engine.RowCopier.
func (Engine) CopySettings() (before, after []string) {
	return []string{"PRAGMA foreign_keys=OFF;"}, nil
}

// Orphans implements engine.RowCopier.
func (Engine) Orphans(table, key *catalog.Object, in *catalog.Catalog) (count, remove string) {
	q := writer.Orphans(&order.Change{Actual: in, Desired: in}, table, key)
	if q == nil {
		return "", ""
	}
	return q.Count, strings.Replace(q.List, "SELECT * FROM", "DELETE FROM", 1) + ";"
}
