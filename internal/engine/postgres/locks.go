package postgres

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/postgres/vocab"
)

// modes are the lock modes of tables, the weakest first, and who waits for
// them (PostgreSQL: Explicit Locking, table 13.2).
var modes = []struct{ mode, waits string }{
	{"ROW EXCLUSIVE", "writers of the same rows wait"},
	{"SHARE UPDATE EXCLUSIVE", "nobody waits but other changes of the table and VACUUM"},
	{"SHARE", "writers wait"},
	{"SHARE ROW EXCLUSIVE", "writers wait"},
	{"ACCESS EXCLUSIVE", "readers and writers wait"},
}

// takes says which lock a statement takes on the table it is about: the first
// line counts whose beginning and inner words it has (PostgreSQL: Explicit
// Locking; the pages of the commands).
var takes = []struct{ begins, has, mode string }{
	{"CREATE INDEX CONCURRENTLY", "", "SHARE UPDATE EXCLUSIVE"}, {"CREATE UNIQUE INDEX CONCURRENTLY", "", "SHARE UPDATE EXCLUSIVE"}, {"DROP INDEX CONCURRENTLY", "", "SHARE UPDATE EXCLUSIVE"},
	{"CREATE INDEX", "", "SHARE"}, {"CREATE UNIQUE INDEX", "", "SHARE"}, {"DROP INDEX", "", "ACCESS EXCLUSIVE"}, {"ALTER INDEX", "RENAME", "SHARE UPDATE EXCLUSIVE"}, {"ALTER INDEX", "ATTACH", "SHARE UPDATE EXCLUSIVE"},
	{"ALTER TABLE", " VALIDATE CONSTRAINT ", "SHARE UPDATE EXCLUSIVE"}, {"ALTER TABLE", " SET STATISTICS ", "SHARE UPDATE EXCLUSIVE"}, {"ALTER TABLE", " CLUSTER ON ", "SHARE UPDATE EXCLUSIVE"},
	{"ALTER TABLE", " FOREIGN KEY ", "SHARE ROW EXCLUSIVE"}, {"ALTER TABLE", " ENABLE TRIGGER ", "SHARE ROW EXCLUSIVE"}, {"ALTER TABLE", " DISABLE TRIGGER ", "SHARE ROW EXCLUSIVE"},
	{"ALTER TABLE", " ATTACH PARTITION ", "SHARE UPDATE EXCLUSIVE"}, {"ALTER TABLE", "", "ACCESS EXCLUSIVE"}, {"DROP TABLE", "", "ACCESS EXCLUSIVE"},
	{"ALTER FOREIGN TABLE", "", "ACCESS EXCLUSIVE"}, {"DROP FOREIGN TABLE", "", "ACCESS EXCLUSIVE"},
	{"CREATE TRIGGER", "", "SHARE ROW EXCLUSIVE"}, {"CREATE CONSTRAINT TRIGGER", "", "SHARE ROW EXCLUSIVE"}, {"DROP TRIGGER", "", "ACCESS EXCLUSIVE"}, {"CREATE RULE", "", "ACCESS EXCLUSIVE"}, {"DROP RULE", "", "ACCESS EXCLUSIVE"},
	{"CREATE POLICY", "", "ACCESS EXCLUSIVE"}, {"ALTER POLICY", "", "ACCESS EXCLUSIVE"}, {"DROP POLICY", "", "ACCESS EXCLUSIVE"},
	{"UPDATE", "", "ROW EXCLUSIVE"}, {"COMMENT ON", "", "SHARE UPDATE EXCLUSIVE"}, {"DROP VIEW", "", "ACCESS EXCLUSIVE"}, {"DROP MATERIALIZED VIEW", "", "ACCESS EXCLUSIVE"}, {"CREATE OR REPLACE VIEW", "", "ACCESS EXCLUSIVE"},
}

// Locks implements engine.LockTeller.
func (Engine) Locks(s *order.Step, actual *catalog.Catalog) []order.TableLock {
	strongest := -1
	note := func(sql string) {
		for _, t := range takes {
			if strings.HasPrefix(sql, t.begins) && strings.Contains(sql, t.has) {
				strongest = max(strongest, slices.IndexFunc(modes, func(m struct{ mode, waits string }) bool { return m.mode == t.mode }))
				return
			}
		}
	}
	for _, c := range s.Clauses {
		note(s.Prefix + " " + c)
	}
	for _, sql := range s.SQL {
		if s.Prefix == "" || !strings.HasPrefix(sql, s.Prefix) || !strings.Contains(sql, "\n") {
			note(sql)
		}
	}
	o := actual.Find(s.About)
	if strongest < 0 || o == nil {
		return nil
	}
	out := []order.TableLock{{On: o.Ref(), Mode: modes[strongest].mode, Waits: modes[strongest].waits}}
	for _, parent := range parents(actual, s.SQL) {
		if parent != o.Ref() {
			out = append(out, order.TableLock{On: parent, Mode: "SHARE ROW EXCLUSIVE", Waits: "writers wait"})
		}
	}
	return out
}

// parents are the tables that new foreign keys point at.
func parents(actual *catalog.Catalog, statements []string) []catalog.Ref {
	var out []catalog.Ref
	for _, sql := range statements {
		for i := 0; ; {
			at := strings.Index(sql[i:], " REFERENCES ")
			if at < 0 {
				break
			}
			i += at + len(" REFERENCES ")
			name, _, _ := strings.Cut(sql[i:], "(")
			if t := sqltext.Significant(vocab.Dialect, name); len(t) == 3 {
				if o := actual.Find(catalog.Ref{Kind: catalog.Table, Schema: t[0].Name(), Name: t[2].Name()}); o != nil && !slices.Contains(out, o.Ref()) {
					out = append(out, o.Ref())
				}
			}
		}
	}
	return out
}

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
