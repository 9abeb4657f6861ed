package postgres

import (
	"context"
	"errors"
	"fmt"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/postgres/vocab"
)

// listed are the relations of two lists of names.
const listed = ` FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace JOIN unnest($1::text[], $2::text[]) AS t(schema, name) ON t.schema = n.nspname AND t.name = c.relname `

func lists(tables []catalog.Ref) (schemas, names []string) {
	for _, t := range tables {
		schemas, names = append(schemas, t.Schema), append(names, t.Name)
	}
	return schemas, names
}

// Sizes implements engine.Sizer. Asking how big a table is waits for who
// rebuilds it now, so such tables are left out.
func (d *database) Sizes(ctx context.Context, tables []catalog.Ref) (map[catalog.Ref]int64, error) {
	schemas, names := lists(tables)
	if _, err := d.conn.Exec(ctx, "SET lock_timeout = '1s'"); err != nil {
		return nil, explain(err)
	}
	rows, err := d.conn.Query(ctx, `SELECT n.nspname, c.relname, (SELECT sum(pg_total_relation_size(i.relid)) FROM (SELECT relid FROM pg_partition_tree(c.oid) UNION SELECT c.oid) AS i)::bigint`+listed+
		`WHERE c.relkind IN ('r', 'p', 'm') AND NOT EXISTS (SELECT 1 FROM pg_locks l WHERE l.relation = c.oid AND l.mode = 'AccessExclusiveLock')`, schemas, names)
	if err != nil {
		return nil, explain(err)
	}
	defer rows.Close()
	out := map[catalog.Ref]int64{}
	for rows.Next() {
		r := catalog.Ref{Kind: catalog.Table}
		var n *int64
		if err := rows.Scan(&r.Schema, &r.Name, &n); err != nil {
			return nil, explain(err)
		}
		if n == nil {
			continue
		}
		out[r] = *n
		r.Kind = vocab.MatView // they share their names with tables
		out[r] = *n
	}
	if err := rows.Err(); err != nil {
		if err = explain(err); errors.Is(err, engine.ErrLocked) {
			return out, nil
		}
		return nil, err
	}
	return out, nil
}

// Blockers implements engine.Sizer: sessions in a transaction that hold a lock
// on one of the tables.
func (d *database) Blockers(ctx context.Context, tables []catalog.Ref) ([]string, error) {
	schemas, names := lists(tables)
	rows, err := d.conn.Query(ctx, `SELECT DISTINCT a.pid, coalesce(a.application_name, ''), coalesce(a.state, ''), coalesce(extract(epoch FROM now() - a.xact_start), 0)::bigint, l.mode, n.nspname, c.relname`+listed+
		`JOIN pg_locks l ON l.relation = c.oid JOIN pg_stat_activity a ON a.pid = l.pid
		WHERE l.granted AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database()) AND l.pid <> pg_backend_pid() ORDER BY 1, 6, 7, 5`, schemas, names)
	if err != nil {
		return nil, explain(err)
	}
	defer rows.Close()
	var out []string
	for rows.Next() {
		var pid int
		var app, state, mode, schema, name string
		var seconds int64
		if err := rows.Scan(&pid, &app, &state, &seconds, &mode, &schema, &name); err != nil {
			return nil, explain(err)
		}
		out = append(out, fmt.Sprintf("session %d (%s, %s for %d s) holds %s on %s", pid, app, state, seconds, mode, catalog.Ref{Kind: catalog.Table, Schema: schema, Name: name}))
	}
	if err := rows.Err(); err != nil {
		return nil, explain(err)
	}
	return out, nil
}
