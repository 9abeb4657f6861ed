// Package mysql reads MariaDB and MySQL with batched SHOW CREATE, and writes
// their DDL. No statement of it can be taken back: each commits.
package mysql

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	driver "github.com/go-sql-driver/mysql"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/mysql/address"
	"dappermirror/internal/engine/mysql/reader"
	"dappermirror/internal/engine/mysql/vocab"
)

// Engine is MariaDB, and MySQL.
type Engine struct{ vocab.Lister }

func init() { engine.Register(Engine{}) }

// Name implements engine.Engine.
func (Engine) Name() string { return "mysql" }

// Classes implements engine.Engine. Guards are written so that they are stored
// nowhere.
func (Engine) Classes() map[string]engine.Class { return statementClasses }

var statementClasses = map[string]engine.Class{"begin": engine.Begins, "commit": engine.Commits, "begin not": engine.Guards, "do": engine.Guards,
	"set": engine.Passing, "lock": engine.Passing, "unlock": engine.Passing, "use": engine.Passing, "select": engine.Passing}

// Title implements engine.Engine.
func (Engine) Title() string { return "MariaDB/MySQL" }

// Dialect implements engine.Engine.
func (Engine) Dialect() sqltext.Dialect { return vocab.Dialect }

// Writer implements engine.Engine.
func (Engine) Writer(opt engine.WriteOptions) order.Writer {
	return &Writer{Fill: opt.Fill, Back: opt.Back, AvoidBlocking: opt.AvoidBlocking}
}

// Schemes implements engine.Engine.
func (Engine) Schemes() []string { return []string{"mariadb", "mysql"} }

// Proven implements engine.Engine.
func (Engine) Proven() string {
	return "MariaDB 10.11, a real server; MySQL 8 on recorded definitions and on a server that speaks some of its language"
}

// Groups implements engine.Engine.
func (Engine) Groups() []string { return []string{"grants", "definers"} }

// Blank implements engine.Engine.
func (Engine) Blank() *catalog.Catalog { return vocab.Blank() }

// Kinds implements engine.Engine.
func (Engine) Kinds() *catalog.Kinds { return vocab.Kinds }

// timeZone is a catalog's setting: the zone in which the server's clients take
// times.
const timeZone = "time_zone"

// settings fix what the meaning of the statements depends on; what they
// change is kept in variables and given back.
var settings = []string{
	"SET @dapper_mirror_sql_mode = @@SESSION.sql_mode, @dapper_mirror_time_zone = @@SESSION.time_zone, @dapper_mirror_lock = @@SESSION.lock_wait_timeout,\n  @dapper_mirror_keys = @@SESSION.foreign_key_checks, @dapper_mirror_notes = @@SESSION.sql_notes, @dapper_mirror_client = @@SESSION.character_set_client,\n  @dapper_mirror_results = @@SESSION.character_set_results, @dapper_mirror_connection = @@SESSION.collation_connection;",
	"SET NAMES utf8mb4 COLLATE utf8mb4_general_ci;",
	"SET SESSION sql_mode = '" + vocab.Mode + "', time_zone = '+00:00', lock_wait_timeout = 10, foreign_key_checks = 1, sql_notes = 0;",
}

// Frame implements engine.Engine.
func (Engine) Frame(plan *order.Plan) engine.Frame {
	return engine.Frame{
		Settings: settings,
		Restore:  []string{"SET SESSION sql_mode = @dapper_mirror_sql_mode, time_zone = @dapper_mirror_time_zone, lock_wait_timeout = @dapper_mirror_lock, foreign_key_checks = @dapper_mirror_keys,\n  sql_notes = @dapper_mirror_notes, character_set_client = @dapper_mirror_client, character_set_results = @dapper_mirror_results, collation_connection = @dapper_mirror_connection;"},
		RunWith:  "mariadb %[1]s < %[2]s",
		Notes: []string{
			"Every statement commits at once; nothing can be rolled back. When one fails, the client stops: the steps before it stay, and the database is usable. Run by apply, the script goes on with apply --resume; run by the client, compare again and write a new script from there: it does what is left.",
			"A lock that does not come within 10 seconds (lock_wait_timeout) stops it too.",
		},
		Lock: "a metadata lock on each table while it is altered; most changes let others read meanwhile, those marked rewrite copy the table",
	}
}

type database struct {
	pool *sql.DB
	conn *sql.Conn
	name string
	// maria says that it is MariaDB's server, not MySQL's.
	maria bool
}

// ClientWords implements engine.ClientSpeller.
func (Engine) ClientWords(at string) []string { return address.ClientWords(at) }

// Secure implements engine.Secured.
func (Engine) Secure(at, password string, t engine.TLS) (string, error) {
	return address.Secure(at, password, t)
}

// Open implements engine.Engine.
func (Engine) Open(ctx context.Context, at string, opt engine.OpenOptions) (engine.Database, error) {
	cfg, err := address.Config(at)
	if err != nil {
		return nil, err
	}
	cfg.MultiStatements = !opt.Single
	connector, err := driver.NewConnector(cfg)
	if err != nil {
		return nil, fmt.Errorf("%w: %v", engine.ErrConnect, err)
	}
	d := &database{pool: sql.OpenDB(connector), name: cfg.DBName}
	// A server of another kind waits for us to speak first, and we for it.
	greeted, cancel := context.WithTimeout(ctx, cfg.Timeout)
	defer cancel()
	if d.conn, err = d.pool.Conn(greeted); err != nil {
		d.pool.Close()
		if greeted.Err() != nil && ctx.Err() == nil {
			return nil, fmt.Errorf("%w: nothing at %s answered as a MariaDB or MySQL server within %s", engine.ErrConnect, cfg.Addr, cfg.Timeout)
		}
		return nil, explain(err)
	}
	var version string
	if err := d.conn.QueryRowContext(ctx, "SELECT VERSION()").Scan(&version); err != nil {
		d.Close()
		return nil, explain(err)
	}
	d.maria = strings.Contains(version, "MariaDB")
	if !opt.Write {
		// Times are printed and asked about as they are in UTC, wherever the server is.
		for _, set := range []string{"SET SESSION TRANSACTION READ ONLY", "SET SESSION time_zone = '+00:00'"} {
			if _, err := d.conn.ExecContext(ctx, set); err != nil {
				d.Close()
				return nil, explain(err)
			}
		}
	}
	if opt.Write {
		var readOnly bool
		if err := d.conn.QueryRowContext(ctx, "SELECT @@GLOBAL.read_only").Scan(&readOnly); err != nil {
			d.Close()
			return nil, explain(err)
		}
		if readOnly {
			d.Close()
			return nil, fmt.Errorf("%w: the server is read-only, perhaps a replica", engine.ErrReadOnly)
		}
	}
	return d, nil
}

// The driver keeps one logger for the whole process, and takes it without a
// lock: it is set before anything runs.
func init() { _ = driver.SetLogger(quiet{}) }

// quiet swallows what the driver would print: its errors come back as errors.
type quiet struct{}

func (quiet) Print(...any) {}

// explain says in our words what the server or the driver means.
func explain(err error) error {
	var my *driver.MySQLError
	if errors.As(err, &my) {
		if string(my.SQLState[:]) == engine.GuardState {
			return fmt.Errorf("%w: %s", engine.ErrGuard, my.Message)
		}
		switch my.Number {
		case 1049:
			return fmt.Errorf("%w: the server has no such database", engine.ErrNotFound)
		case 1044, 1045, 1698:
			return fmt.Errorf("%w: the server refused the user or password (%s)", engine.ErrConnect, my.Message)
		case 1969, 3024:
			return fmt.Errorf("%w (%s)", engine.ErrTime, my.Message)
		case 1264, 1265, 1292, 1366, 1406, 1062, 1048, 1138, 1452, 4025:
			return fmt.Errorf("%w: %s (error %d)", engine.ErrValue, my.Message, my.Number)
		case 1205, 1213:
			return fmt.Errorf("%w (%s); try again when it is done", engine.ErrLocked, my.Message)
		case 1290, 1836:
			return fmt.Errorf("%w (%s)", engine.ErrReadOnly, my.Message)
		case 1021, 1114:
			return fmt.Errorf("%w on the server (%s)", engine.ErrDiskFull, my.Message)
		}
		return fmt.Errorf("%s (error %d)", my.Message, my.Number)
	}
	switch {
	case errors.Is(err, context.Canceled), errors.Is(err, reader.ErrChanged):
		return err
	case errors.Is(err, os.ErrNotExist):
		return fmt.Errorf("%w: there is no server socket where the address says", engine.ErrConnect)
	case errors.Is(err, driver.ErrInvalidConn), errors.Is(err, sql.ErrConnDone):
		return fmt.Errorf("%w: the connection was lost", engine.ErrConnect)
	}
	return fmt.Errorf("%w: %v", engine.ErrConnect, err)
}

// Read implements engine.Database. Names are printed in backticks whatever
// the session says, in a session that can change nothing.
func (d *database) Read(ctx context.Context) (*catalog.Catalog, error) { return d.tries(ctx, false) }

// ReadLazy implements engine.LazyReader: tables whose texts are equal need not
// be taken apart.
func (d *database) ReadLazy(ctx context.Context, _ bool) (*catalog.Catalog, error) {
	return d.tries(ctx, true)
}

func (d *database) tries(ctx context.Context, lazy bool) (*catalog.Catalog, error) {
	for try := 1; ; try++ {
		c, err := d.read(ctx, lazy)
		if !errors.Is(err, reader.ErrChanged) || try == 3 {
			return c, err
		}
	}
}

func (d *database) read(ctx context.Context, lazy bool) (*catalog.Catalog, error) {
	var before string
	if err := d.conn.QueryRowContext(ctx, "SELECT @@SESSION.sql_mode").Scan(&before); err != nil {
		return nil, explain(err)
	}
	if _, err := d.conn.ExecContext(ctx, "SET SESSION sql_mode = '', sql_quote_show_create = 1"); err != nil {
		return nil, explain(err)
	}
	defer d.conn.ExecContext(context.WithoutCancel(ctx), "SET SESSION sql_mode = "+vocab.Literal(before))
	c := Engine{}.Blank()
	if err := d.conn.QueryRowContext(ctx, "SELECT VERSION()").Scan(&c.Version); err != nil {
		return nil, explain(err)
	}
	if f := strings.SplitN(c.Version, "-", 3); len(f) > 1 && f[1] == "MariaDB" {
		c.Version = f[0] + "-" + f[1] // without the packager's part
	}
	var zone, system, folding string
	if err := d.conn.QueryRowContext(ctx, "SELECT @@GLOBAL.time_zone, @@GLOBAL.system_time_zone, @@GLOBAL.lower_case_table_names").Scan(&zone, &system, &folding); err != nil {
		return nil, explain(err)
	}
	if zone == "SYSTEM" && (system == "UTC" || system == "GMT") {
		zone = "+00:00"
	}
	c.Settings = map[string]string{timeZone: zone, lowerCase: folding}
	if !d.maria && !strings.HasPrefix(c.Version, "5.") {
		c.Gaps = append(c.Gaps, catalog.Gap{Kind: catalog.Column, Property: "display width", Why: "the server prints none", Quiet: true})
	}
	if err := reader.Read(ctx, d.conn, d.name, c, lazy); err != nil {
		return nil, explainReading(err)
	}
	return c, nil
}

func explainReading(err error) error {
	var my *driver.MySQLError
	if errors.As(err, &my) || errors.Is(err, driver.ErrInvalidConn) {
		return explain(err)
	}
	return err
}

// Exec implements engine.Database.
func (d *database) Exec(ctx context.Context, text string) error {
	if _, err := d.conn.ExecContext(ctx, text); err != nil {
		var my *driver.MySQLError
		if errors.As(err, &my) && my.Number == 1242 && strings.HasPrefix(text, doGuard) {
			return engine.ErrGuard
		}
		return explain(err)
	}
	return nil
}

// Count implements engine.RowReader.
func (d *database) Count(ctx context.Context, query string, limit time.Duration) (int64, error) {
	if limit > 0 && strings.HasPrefix(query, "SELECT ") {
		if d.maria {
			query = fmt.Sprintf("SET STATEMENT max_statement_time = %.3f, lock_wait_timeout = %d FOR %s", limit.Seconds(), max(int(limit.Seconds()), 1), query)
		} else {
			query = fmt.Sprintf("SELECT /*+ MAX_EXECUTION_TIME(%d) */ %s", limit.Milliseconds(), strings.TrimPrefix(query, "SELECT "))
		}
	}
	var n int64
	if err := d.conn.QueryRowContext(ctx, query).Scan(&n); err != nil {
		return 0, explain(err)
	}
	return n, nil
}

// Lines implements engine.RowReader.
func (d *database) Lines(ctx context.Context, query string, line func(string) error) error {
	// A timestamp is written down by the zone of the session.
	set := "SET SESSION time_zone = '+00:00', group_concat_max_len = 1073741824"
	if end, ok := ctx.Deadline(); ok && d.maria {
		set += fmt.Sprintf(", max_statement_time = %.3f", max(time.Until(end).Seconds(), 0.001))
	}
	if _, err := d.conn.ExecContext(ctx, set); err != nil {
		return explain(err)
	}
	rows, err := d.conn.QueryContext(ctx, query)
	if err != nil {
		return explain(err)
	}
	defer rows.Close()
	return engine.EachLine(rows, line, explain)
}

// Close implements engine.Database.
func (d *database) Close() error {
	if d.conn != nil {
		d.conn.Close()
	}
	return d.pool.Close()
}
