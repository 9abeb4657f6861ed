package mysql

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/mysql/vocab"
)

// takes says what a statement holds up on the table it is about: the first
// line counts whose beginning and inner words it has (MariaDB: Metadata
// Locking; ALTER TABLE, LOCK).
var takes = []struct{ begins, has, mode, waits string }{
	{"LOCK TABLES", "", "WRITE", "readers and writers wait for the whole step"},
	{"ALTER TABLE", online, "LOCK=NONE", "readers and writers wait for a moment at its beginning and end"},
	{"ALTER TABLE", copying, "LOCK=SHARED", "writers wait while the table is copied"},
	{"DROP TABLE", "", "EXCLUSIVE", "readers and writers wait for a moment"},
	{"UPDATE", "", "row locks", "writers of the same rows wait"},
	{"CREATE TRIGGER", "", "EXCLUSIVE", "readers and writers wait for a moment"}, {"DROP TRIGGER", "", "EXCLUSIVE", "readers and writers wait for a moment"},
}

// Locks implements engine.LockTeller.
func (Engine) Locks(s *order.Step, actual *catalog.Catalog) []order.TableLock {
	o := actual.Find(s.About)
	if o == nil || o.Kind != catalog.Table {
		return nil
	}
	altered := slices.ContainsFunc(s.SQL, func(sql string) bool { return strings.HasPrefix(sql, "ALTER TABLE") })
	for _, sql := range s.SQL {
		for _, t := range takes {
			if t.begins == "UPDATE" && altered {
				continue // the stronger lock is what matters
			}
			if strings.HasPrefix(sql, t.begins) && strings.Contains(sql, t.has) {
				return []order.TableLock{{On: o.Ref(), Mode: t.mode, Waits: t.waits}}
			}
		}
		if !strings.HasPrefix(sql, "ALTER TABLE") {
			continue
		}
		for _, r := range s.Risks {
			if r.Kind == order.Rewrite {
				return []order.TableLock{{On: o.Ref(), Mode: "LOCK=SHARED", Waits: "writers wait while the table is copied"}}
			}
		}
		return []order.TableLock{{On: o.Ref(), Mode: "a metadata lock for a moment", Waits: "readers and writers wait for a moment at its beginning and end"}}
	}
	return nil
}

// Sizes implements engine.Sizer.
func (d *database) Sizes(ctx context.Context, tables []catalog.Ref) (map[catalog.Ref]int64, error) {
	out := map[catalog.Ref]int64{}
	if len(tables) > 500 {
		return out, nil // the server opens each of them for the answer
	}
	for _, t := range tables {
		var n sql.NullInt64
		limit := ""
		if d.maria { // asking waits for who alters the table now
			limit = "SET STATEMENT lock_wait_timeout = 1 FOR "
		}
		err := d.conn.QueryRowContext(ctx, limit+"SELECT data_length + index_length FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = "+vocab.Literal(t.Name)).Scan(&n)
		if err != nil && !errors.Is(err, sql.ErrNoRows) {
			if err = explain(err); errors.Is(err, engine.ErrLocked) {
				continue
			}
			return nil, err
		}
		if n.Valid {
			out[t] = n.Int64
		}
	}
	return out, nil
}

// Blockers implements engine.Sizer: sessions in this database that are in a
// transaction, or at work. The server does not say which tables they have
// touched.
func (d *database) Blockers(ctx context.Context, tables []catalog.Ref) ([]string, error) {
	rows, err := d.conn.QueryContext(ctx, `SELECT p.id, p.user, p.command, t.trx_id IS NOT NULL, coalesce(timestampdiff(SECOND, t.trx_started, now()), p.time)
		FROM information_schema.processlist p LEFT JOIN information_schema.innodb_trx t ON p.id = t.trx_mysql_thread_id
		WHERE p.db = DATABASE() AND p.id <> connection_id() AND (t.trx_id IS NOT NULL OR p.command = 'Query') ORDER BY 1`)
	if err != nil {
		return nil, nil // the account may not look at others
	}
	defer rows.Close()
	var out []string
	for rows.Next() {
		var id, seconds int64
		var user, command string
		var transaction bool
		if err := rows.Scan(&id, &user, &command, &transaction, &seconds); err != nil {
			return nil, explain(err)
		}
		does := "at work"
		if transaction {
			does = "in a transaction"
		}
		out = append(out, fmt.Sprintf("session %d (%s, %s) has been %s for %d s", id, user, strings.ToLower(command), does, seconds))
	}
	if err := rows.Err(); err != nil {
		return nil, explain(err)
	}
	return out, nil
}
