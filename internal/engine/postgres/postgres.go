// Package postgres connects to PostgreSQL: reader/ reads its catalogs with a
// handful of set-based queries, writer/ writes its DDL, and what stands around
// a script and its run is here.
package postgres

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/postgres/convert"
	"dappermirror/internal/engine/postgres/reader"
	"dappermirror/internal/engine/postgres/text"
	"dappermirror/internal/engine/postgres/vocab"
	"dappermirror/internal/engine/postgres/writer"
	"dappermirror/internal/engine/texts"
)

// oldest is the first version that is supported, as server_version_num.
const oldest = 130000

// Engine is PostgreSQL.
type Engine struct{}

func init() { engine.Register(Engine{}) }

// Name implements engine.Engine.
func (Engine) Name() string { return "postgres" }

// Classes implements engine.Engine.
func (Engine) Classes() map[string]engine.Class { return classes }

var classes = map[string]engine.Class{"begin": engine.Begins, "commit": engine.Commits, "do": engine.Guards,
	"set": engine.Passing, "reset": engine.Passing, "lock": engine.Passing, "select": engine.Passing}

// Title implements engine.Engine.
func (Engine) Title() string { return "PostgreSQL" }

// Dialect implements engine.Engine.
func (Engine) Dialect() sqltext.Dialect { return vocab.Dialect }

// Writer implements engine.Engine.
func (Engine) Writer(opt engine.WriteOptions) order.Writer {
	return &writer.Writer{Fill: opt.Fill, Back: opt.Back, AvoidBlocking: opt.AvoidBlocking}
}

// settings fix what the meaning of the statements depends on. Names are
// written in full, but the target's search path is left alone: a routine that
// is called while the script runs may need it.
var settings = []string{
	"SET client_encoding = 'UTF8';", "SET standard_conforming_strings = on;", "SET check_function_bodies = off;", "SET client_min_messages = warning;",
	"SET DateStyle = 'ISO, YMD';", "SET IntervalStyle = 'postgres';", "SET TimeZone = 'UTC';", "SET extra_float_digits = 1;", "SET bytea_output = 'hex';", "SET lock_timeout = '" + writer.LockLimit + "';",
	"SET statement_timeout = 0;", "SET row_security = off;",
}

// Frame implements engine.Engine.
func (Engine) Frame(plan *order.Plan) engine.Frame {
	f := engine.Frame{
		Client: []string{`\set ON_ERROR_STOP on`}, Settings: settings, Begin: "BEGIN;", Commit: "COMMIT;",
		RunWith: "psql -X -d %[1]s -f %[2]s",
		Notes: []string{"Everything runs in one transaction: when a statement fails, the client stops and nothing is changed.",
			"A lock that does not come within 10 seconds (lock_timeout) stops it too; run it again then."},
		Lock: "ACCESS EXCLUSIVE on each changed table until the end: others wait, readers too",
	}
	f.Notes = append(f.Notes, lockNote(plan)...)
	if a := analyze(plan); len(a) > 0 {
		f.Restore = a
		f.Notes = append(f.Notes, "Columns whose type changed have no statistics: their tables are analyzed after the transaction.")
	}
	for _, s := range settings {
		name := strings.Fields(s)[1]
		f.Restore = append(f.Restore, "RESET "+name+";")
	}
	for _, s := range plan.Steps {
		if s.Later {
			f.Notes[0] = "All steps but those behind it run in one transaction: when one of them fails, the client stops and nothing is changed."
			f.Notes = slices.Insert(f.Notes, 1, "The steps behind the transaction run one by one, so that others can go on. When one fails: see to the rows it names, then go on with apply --resume, or run its statements and those after it again; each may run twice.")
			break
		}
	}
	for _, s := range plan.Steps {
		if s.Alone {
			f.Notes[0] = "All steps but those before and behind it run in one transaction: when one of them fails, the client stops, and only the steps before it remain."
		}
	}
	return f
}

// Definition implements engine.Engine.
func (Engine) Definition(o *catalog.Object) string { return writer.Definition(o) }

type database struct {
	conn    *pgx.Conn
	version int
}

// Open implements engine.Engine. The address is a URL; PG* variables, the
// password file and the service file are honoured as by PostgreSQL's clients.
func (Engine) Open(ctx context.Context, address string, opt engine.OpenOptions) (engine.Database, error) {
	cfg, err := pgx.ParseConfig(address)
	if err != nil {
		return nil, fmt.Errorf("%w: the address is not understood (%s)", engine.ErrConnect, parseReason(err))
	}
	if cfg.ConnectTimeout == 0 {
		cfg.ConnectTimeout = 15 * time.Second
	}
	if cfg.RuntimeParams["application_name"] == "" {
		cfg.RuntimeParams["application_name"] = "dapper-mirror"
	}
	delete(cfg.RuntimeParams, "timezone") // this machine's (PGTZ): the server's own is asked for
	conn, err := pgx.ConnectConfig(ctx, cfg)
	if err != nil {
		return nil, explain(err)
	}
	d := &database{conn: conn}
	if err := conn.QueryRow(ctx, "SELECT current_setting('server_version_num')::int").Scan(&d.version); err != nil {
		conn.Close(ctx)
		return nil, explain(err)
	}
	if d.version < oldest {
		conn.Close(ctx)
		return nil, fmt.Errorf("%w: PostgreSQL %d; 13 and later are supported", engine.ErrTooOld, d.version/10000)
	}
	if opt.Write {
		var standby, readOnly bool
		if err := conn.QueryRow(ctx, "SELECT pg_is_in_recovery(), current_setting('default_transaction_read_only')::bool").Scan(&standby, &readOnly); err != nil {
			conn.Close(ctx)
			return nil, explain(err)
		}
		if standby || readOnly {
			conn.Close(ctx)
			return nil, fmt.Errorf("%w: the server is a standby or read-only", engine.ErrReadOnly)
		}
	}
	return d, nil
}

// parseReason is pgx's reason without the address, which may hold a password.
func parseReason(err error) string {
	var p *pgconn.ParseConfigError
	if errors.As(err, &p) {
		if u := errors.Unwrap(p); u != nil {
			return u.Error()
		}
	}
	s := err.Error()
	if i := strings.LastIndex(s, ": "); i >= 0 {
		return s[i+2:]
	}
	return "see `dapper-mirror help places`"
}

// explain says in our words what the server or the driver means.
func explain(err error) error {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		switch pg.Code {
		case "3D000":
			return fmt.Errorf("%w: the server has no such database", engine.ErrNotFound)
		case "28P01", "28000":
			return fmt.Errorf("%w: the server refused the user or password (%s)", engine.ErrConnect, pg.Message)
		case "55P03":
			return fmt.Errorf("%w (%s); try again when it is done", engine.ErrLocked, pg.Message)
		case "25006":
			return fmt.Errorf("%w (%s)", engine.ErrReadOnly, pg.Message)
		case engine.GuardState:
			return fmt.Errorf("%w: %s", engine.ErrGuard, pg.Message)
		case "53100":
			return fmt.Errorf("%w on the server", engine.ErrDiskFull)
		}
		text := pg.Message
		switch {
		case pg.Code == "57014" && strings.Contains(pg.Message, "statement timeout"):
			return fmt.Errorf("%w (%s)", engine.ErrTime, pg.Message)
		case strings.HasPrefix(pg.Code, "22") || strings.HasPrefix(pg.Code, "23"):
			return fmt.Errorf("%w: %s (SQLSTATE %s)", engine.ErrValue, joined(text, pg.Detail), pg.Code)
		}
		return fmt.Errorf("%s (SQLSTATE %s)", joined(text, pg.Detail), pg.Code)
	}
	var dns *net.DNSError
	var op *net.OpError
	switch {
	case errors.Is(err, context.Canceled):
		return err
	case errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF), errors.Is(err, net.ErrClosed), pgconn.SafeToRetry(err) && strings.Contains(err.Error(), "conn closed"):
		return fmt.Errorf("%w: the connection was lost", engine.ErrConnect)
	case errors.Is(err, reader.ErrChanged):
		return fmt.Errorf("%w; run it again", err)
	case errors.As(err, &dns):
		return fmt.Errorf("%w: the host %s is not known", engine.ErrConnect, dns.Name)
	case errors.Is(err, os.ErrNotExist):
		return fmt.Errorf("%w: there is no server socket where the address says", engine.ErrConnect)
	case errors.As(err, &op):
		return fmt.Errorf("%w: %v", engine.ErrConnect, op.Err)
	case errors.Is(err, context.DeadlineExceeded):
		return fmt.Errorf("%w: the server did not answer in time", engine.ErrConnect)
	}
	var ce *pgconn.ConnectError
	if errors.As(err, &ce) {
		if u := errors.Unwrap(ce); u != nil {
			return fmt.Errorf("%w: %s", engine.ErrConnect, strings.Join(strings.Fields(u.Error()), " "))
		}
	}
	return err
}

func joined(text, detail string) string {
	if detail != "" {
		text += "; " + strings.Join(strings.Fields(detail), " ")
	}
	return text
}

// Read implements engine.Database. Everything is read in one transaction that
// can change nothing; with an empty search path every name is printed in full.
// Inside a script's transaction it reads what that sees.
func (d *database) Read(ctx context.Context) (*catalog.Catalog, error) {
	if d.conn.PgConn().TxStatus() != 'I' {
		if _, err := d.conn.Exec(ctx, "SAVEPOINT dapper_mirror_read"); err != nil {
			return nil, explain(err)
		}
		if _, err := d.conn.Exec(ctx, "SET LOCAL search_path = ''; SET LOCAL jit = off"); err != nil {
			return nil, explain(err)
		}
		c, err := d.catalog(ctx, reader.Everything)
		if _, rb := d.conn.Exec(ctx, "ROLLBACK TO SAVEPOINT dapper_mirror_read; RELEASE SAVEPOINT dapper_mirror_read"); err == nil && rb != nil {
			err = explain(rb)
		}
		return c, err
	}
	for try := 1; ; try++ {
		c, err := d.begin(ctx, reader.Everything)
		d.conn.Exec(context.WithoutCancel(ctx), "ROLLBACK")
		if !errors.Is(err, reader.ErrChanged) || try == 3 {
			return c, err
		}
	}
}

// ReadLazy implements engine.LazyReader: texts that keys stand for are read
// when they are wanted, in the same transaction, which Release ends.
func (d *database) ReadLazy(ctx context.Context, script bool) (*catalog.Catalog, error) {
	extent := reader.ToCompare
	if script {
		extent = reader.ForScript
	}
	c, err := d.begin(ctx, extent)
	if err != nil {
		d.conn.Exec(context.WithoutCancel(ctx), "ROLLBACK")
		return nil, err
	}
	fetch := c.Fetch
	c.Fetch = func(ctx context.Context, values []*catalog.Value) error {
		if err := fetch(ctx, values); err != nil {
			return explain(err)
		}
		return nil
	}
	c.Release = func() { d.Close() }
	return c, nil
}

// begin opens the transaction and reads in it.
func (d *database) begin(ctx context.Context, extent reader.Extent) (*catalog.Catalog, error) {
	if _, err := d.conn.Exec(ctx, "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY; SET LOCAL search_path = ''; SET LOCAL jit = off"); err != nil {
		return nil, explain(err)
	}
	return d.catalog(ctx, extent)
}

func (d *database) catalog(ctx context.Context, extent reader.Extent) (*catalog.Catalog, error) {
	c, err := reader.Read(ctx, d.conn, d.version, extent)
	if err != nil {
		return nil, explain(err)
	}
	var perTransaction, connections, prepared int64
	if err := d.conn.QueryRow(ctx, "SELECT current_setting('max_locks_per_transaction')::bigint, current_setting('max_connections')::bigint, current_setting('max_prepared_transactions')::bigint").Scan(&perTransaction, &connections, &prepared); err != nil {
		return nil, explain(err)
	}
	c.Limits = map[string]int64{lockRoom: perTransaction * (connections + prepared), lockFactor: connections + prepared}
	var zone string
	if err := d.conn.QueryRow(ctx, "SELECT reset_val FROM pg_settings WHERE name = 'TimeZone'").Scan(&zone); err != nil {
		return nil, explain(err)
	}
	c.Settings = map[string]string{convert.TimeZone: zone}
	c.Version, _, _ = strings.Cut(d.conn.PgConn().ParameterStatus("server_version"), " ")
	return c, nil
}

// ReadText implements engine.TextReader.
func (Engine) ReadText(ctx context.Context, files []engine.TextFile, opt engine.TextOptions) (*catalog.Catalog, error) {
	read := func(ctx context.Context, conn *pgx.Conn) (*catalog.Catalog, error) {
		d := &database{conn: conn}
		if err := conn.QueryRow(ctx, "SELECT current_setting('server_version_num')::int").Scan(&d.version); err != nil {
			return nil, explain(err)
		}
		return d.Read(ctx)
	}
	return texts.Read(ctx, files, text.Grammar, opt.Database, func(ctx context.Context, all []texts.Parsed) (texts.Server, func() error, error) {
		s, remove, err := text.Open(ctx, opt, all, read)
		if err != nil {
			return nil, nil, explain(err)
		}
		return s, remove, nil
	})
}

// Speaks implements engine.TextReader.
func (Engine) Speaks(beginning string) int { return texts.Signs(beginning, text.Signs) }

// Grammar implements texts.Speaker.
func (Engine) Grammar() texts.Grammar { return text.Grammar }

// Exec implements engine.Database.
func (d *database) Exec(ctx context.Context, sql string) error {
	_, err := d.conn.PgConn().Exec(ctx, sql).ReadAll()
	if err == nil {
		return nil
	}
	if d.conn.IsClosed() && strings.HasPrefix(strings.ToUpper(strings.TrimSpace(sql)), "COMMIT") {
		return fmt.Errorf("the connection was lost during COMMIT; %w", engine.ErrUncertain)
	}
	if d.conn.IsClosed() && sql == "ROLLBACK" {
		return nil // the server rolls back when a connection is lost
	}
	var pg *pgconn.PgError
	if d.conn.IsClosed() && !errors.Is(err, context.Canceled) && (!errors.As(err, &pg) || strings.HasPrefix(pg.Code, "57P")) {
		return fmt.Errorf("%w: the connection was lost", engine.ErrConnect)
	}
	return explain(err)
}

// Count implements engine.RowReader.
func (d *database) Count(ctx context.Context, query string, limit time.Duration) (int64, error) {
	if d.conn.PgConn().TxStatus() == 'I' {
		if _, err := d.conn.Exec(ctx, fmt.Sprintf("BEGIN READ ONLY; SET LOCAL jit = off; SET LOCAL TimeZone = 'UTC'; SET LOCAL DateStyle = 'ISO, YMD'; SET LOCAL IntervalStyle = 'postgres'; SET LOCAL row_security = off; SET LOCAL lock_timeout = %d; SET LOCAL statement_timeout = %d", limit.Milliseconds(), limit.Milliseconds())); err != nil {
			return 0, explain(err)
		}
		defer d.conn.Exec(context.WithoutCancel(ctx), "ROLLBACK")
	}
	var n int64
	if err := d.conn.QueryRow(ctx, query).Scan(&n); err != nil {
		return 0, explain(err)
	}
	return n, nil
}

// Lines implements engine.RowReader.
func (d *database) Lines(ctx context.Context, query string, line func(string) error) error {
	if d.conn.PgConn().TxStatus() == 'I' { // in a script's transaction they are set
		begin := "BEGIN READ ONLY; SET LOCAL DateStyle = 'ISO, YMD'; SET LOCAL IntervalStyle = 'postgres'; SET LOCAL TimeZone = 'UTC'"
		if end, ok := ctx.Deadline(); ok { // the server gives up too
			begin += fmt.Sprintf("; SET LOCAL statement_timeout = %d", max(time.Until(end).Milliseconds(), 1))
		}
		if _, err := d.conn.Exec(ctx, begin); err != nil {
			return explain(err)
		}
		defer d.conn.Exec(context.WithoutCancel(ctx), "ROLLBACK")
	}
	rows, err := d.conn.Query(ctx, query)
	if err != nil {
		return explain(err)
	}
	defer rows.Close()
	return engine.EachLine(rows, line, explain)
}

// Close implements engine.Database.
func (d *database) Close() error {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	return d.conn.Close(ctx)
}
