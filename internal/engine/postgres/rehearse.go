package postgres

import (
	"context"
	"fmt"
	"net/url"
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
	case engine.ModelScratch:
		return nil, "", nil, fmt.Errorf("%w: there is no model of this server; give --scratch local or --scratch PLACE", engine.ErrNoScratch)
	case engine.LocalScratch:
		version, _, _ := strings.Cut(like.Version, ".")
		address, remove, err = scratch.Rehearsal(ctx, version, like)
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

// Describe implements engine.Describer.
func (d *database) Describe(ctx context.Context) (engine.About, error) {
	var a engine.About
	var secure bool
	var version, cipher *string
	err := d.conn.QueryRow(ctx, "SELECT 'PostgreSQL ' || current_setting('server_version'), CASE WHEN current_user = session_user THEN current_user::text ELSE current_user || ', logged in as ' || session_user END, coalesce(s.ssl, false), s.version, s.cipher FROM (SELECT pg_backend_pid() AS pid) b LEFT JOIN pg_stat_ssl s USING (pid)").Scan(&a.Server, &a.Account, &secure, &version, &cipher)
	if err != nil {
		return a, explain(err)
	}
	a.TLS = "not encrypted"
	if secure && version != nil && cipher != nil {
		a.TLS = *version + ", " + *cipher
	} else if strings.HasPrefix(d.conn.Config().Host, "/") {
		a.TLS = "a socket of this machine"
	}
	return a, nil
}

// modes are those of TLS in the words of PostgreSQL's clients.
var modes = map[string]string{"off": "disable", "prefer": "prefer", "require": "require", "verify-ca": "verify-ca", "verify": "verify-full"}

// Secure implements engine.Secured.
func (Engine) Secure(address, password string, t engine.TLS) (string, error) {
	u, err := url.Parse(address)
	if err != nil { // several hosts
		return "", fmt.Errorf("%w: a password and TLS can be given to an address with one host", engine.ErrConnect)
	}
	if password != "" {
		name := ""
		if u.User != nil {
			name = u.User.Username()
		}
		if u.User = url.UserPassword(name, password); name == "" {
			u.User = nil
		}
	}
	q := u.Query()
	if password != "" && u.User == nil {
		q.Set("password", password)
	}
	for name, value := range map[string]string{"sslmode": modes[t.Mode], "sslrootcert": t.CA, "sslcert": t.Cert, "sslkey": t.Key} {
		if value != "" {
			q.Set(name, value)
		}
	}
	u.RawQuery = q.Encode()
	return u.String(), nil
}

// StartLocal implements engine.Starter.
func (Engine) StartLocal(ctx context.Context, variant string) (string, func() error, error) {
	return scratch.Local(ctx, variant)
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
