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

// lockMode is how long, and for what, a statement holds others up on its table,
// the least first (MariaDB: Metadata Locking; ALTER TABLE, LOCK).
type lockMode int

const (
	lockMoment lockMode = iota + 1
	lockNone
	lockExclusive
	lockReaders
	lockShared
)

var lockModes = map[lockMode]struct{ name, waits string }{
	lockNone:      {"LOCK=NONE", "readers and writers wait for a moment at its beginning and end"},
	lockMoment:    {"a metadata lock for a moment", "readers and writers wait for a moment at its beginning and end"},
	lockExclusive: {"EXCLUSIVE", "readers and writers wait for a moment"},
	lockReaders:   {"LOCK=SHARED", "writers wait while the table is built anew"},
	lockShared:    {"LOCK=SHARED", "writers wait while the table is copied"},
}

// takes says what an action holds up.
func (m lockMode) takes(a *order.Action) *order.Action {
	a.Locks = append(a.Locks, order.TableLock{On: a.About.Object(), Mode: lockModes[m].name, Waits: lockModes[m].waits, Rank: int(m)})
	return a
}

// locked gives actions on tables that do not say it themselves their lock:
// writers wait while the table is copied, else nobody for long.
func locked(actions []*order.Action) []*order.Action {
	for _, a := range actions {
		switch {
		case a.Locks != nil || a.About.Kind != catalog.Table:
		case slices.ContainsFunc(a.Risks, func(r order.Risk) bool { return r.Kind == order.Rewrite }):
			lockShared.takes(a)
		default:
			lockMoment.takes(a)
		}
	}
	return actions
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
