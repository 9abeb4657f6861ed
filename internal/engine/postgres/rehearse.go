package postgres

import (
	"context"
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/postgres/convert"
	"dappermirror/internal/engine/postgres/rows"
	"dappermirror/internal/engine/postgres/scratch"
)

// Scratch implements engine.Scratcher.
func (e Engine) Scratch(ctx context.Context, where string, like *catalog.Catalog) (engine.Database, string, func() error, error) {
	var address string
	var remove func() error
	var err error
	switch where {
	case "":
		return nil, "", nil, fmt.Errorf("%w: give --scratch local (a throw-away server on this machine) or --scratch PLACE (a database beside that place, removed afterwards)", engine.ErrNoScratch)
	case engine.LocalScratch:
		version, _, _ := strings.Cut(like.Version, ".")
		address, remove, err = scratch.Local(ctx, version, like)
	default:
		address, remove, err = scratch.Beside(ctx, where)
	}
	if err != nil {
		return nil, "", nil, explain(err)
	}
	db, err := e.Open(ctx, address, engine.OpenOptions{Write: true})
	if err != nil {
		remove()
		return nil, "", nil, err
	}
	about := fmt.Sprintf("a scratch database on PostgreSQL %d", db.(*database).version/10000)
	if where == engine.LocalScratch {
		about = fmt.Sprintf("a throw-away PostgreSQL %d", db.(*database).version/10000)
	}
	return db, about, func() error { db.Close(); return remove() }, nil
}

// StartLocal implements engine.Starter.
func (Engine) StartLocal(ctx context.Context) (string, func() error, error) {
	return scratch.Start(ctx)
}

// Placeholder implements engine.Placer.
func (Engine) Placeholder(col *catalog.Object, in *catalog.Catalog) string {
	return convert.Placeholder(col, in)
}

// CopyQuery implements engine.RowCopier.
func (Engine) CopyQuery(o *catalog.Object, limit int) string {
	if o.Kind != catalog.Table || o.Has("partition by") {
		return "" // its partitions have the rows
	}
	q := rows.InsertLines(o, rows.Own(o))
	if q == "" {
		return ""
	}
	return fmt.Sprintf("%s LIMIT %d", q, limit)
}

// CountQuery implements engine.RowCopier. Partitions count in their table.
func (Engine) CountQuery(o *catalog.Object) string {
	if o.Kind != catalog.Table || o.Has("partition bound") {
		return ""
	}
	return order.RowsWhere(rows.Own(o), "", "").Count
}

// CopySettings implements engine.RowCopier: triggers and keys rest meanwhile.
func (Engine) CopySettings() (before, after []string) {
	return []string{"SET session_replication_role = replica;"}, []string{"RESET session_replication_role;"}
}

// Orphans implements engine.RowCopier.
func (Engine) Orphans(table, key *catalog.Object, in *catalog.Catalog) (count, remove string) {
	q := rows.Refused(table, key, in)
	if q == nil {
		return "", ""
	}
	return q.Count, strings.Replace(q.List, "SELECT * FROM", "DELETE FROM", 1) + ";"
}
