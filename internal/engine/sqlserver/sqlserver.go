// Package sqlserver connects to SQL Server: reader/ reads its catalog views with a
// fixed number of queries, writer/ writes its DDL, and what stands around a script and
// its run is here. Texts are read by a model of the server (internal/standin/model).
package sqlserver

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net"
	"net/url"
	"strconv"
	"strings"
	"time"

	mssql "github.com/microsoft/go-mssqldb"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlserver/convert"
	"dappermirror/internal/engine/sqlserver/reader"
	"dappermirror/internal/engine/sqlserver/vocab"
	"dappermirror/internal/engine/sqlserver/writer"
)

// oldest is the first version that is supported: it knows CREATE OR ALTER and STRING_AGG
// (SQL Server 2017).
const oldest = 14

// Engine is SQL Server.
type Engine struct{}

func init() { engine.Register(Engine{}) }

// Name implements engine.Engine.
func (Engine) Name() string { return "sqlserver" }

// Title implements engine.Engine.
func (Engine) Title() string { return "SQL Server" }

// Schemes implements engine.Engine.
func (Engine) Schemes() []string { return []string{"sqlserver", "mssql"} }

// Kinds implements engine.Engine.
func (Engine) Kinds() *catalog.Kinds { return vocab.Kinds }

// Proven implements engine.Engine.
func (Engine) Proven() string {
	return "a model of the server that ships with the program (standin sqlserver); not yet a real server"
}

// Groups implements engine.Engine.
func (Engine) Groups() []string { return []string{vocab.Owners, vocab.Grants, vocab.ColumnOrder} }

// Blank implements engine.Engine.
func (Engine) Blank() *catalog.Catalog { return vocab.Blank() }

// Dialect implements engine.Engine.
func (Engine) Dialect() sqltext.Dialect { return vocab.Dialect }

// Classes implements engine.Engine.
func (Engine) Classes() map[string]engine.Class { return classes }

var classes = map[string]engine.Class{"begin transaction": engine.Begins, "commit transaction": engine.Commits, "set": engine.Passing, "if xact_state": engine.Passing, "if @@error": engine.Passing, "if exists": engine.Guards, "if object_id": engine.Again, "if @@trancount": engine.Passing, "print": engine.Passing}

// Writer implements engine.Engine.
func (Engine) Writer(opt engine.WriteOptions) order.Writer {
	return &writer.Writer{Fill: opt.Fill, Back: opt.Back, AvoidBlocking: opt.AvoidBlocking}
}

// Remakes implements engine.Remaker.
func (Engine) Remakes(was, now *catalog.Object) bool {
	return convert.Never(was.Text("type"), now.Text("type")) && !was.Has("generated") && !now.Has("generated")
}

// Definition implements engine.Engine.
func (Engine) Definition(o *catalog.Object) string { return writer.Definition(o) }

// Frame implements engine.Engine. A client that does not know :on error goes on after
// an error, and XACT_ABORT has rolled the transaction back by then: what stands before
// each statement lets nothing run outside of it (SQL Server: SET NOEXEC).
func (Engine) Frame(plan *order.Plan) engine.Frame {
	const guard, apart = "IF XACT_STATE() <> 1 OR @@ERROR <> 0 SET NOEXEC ON;\nGO", "IF @@ERROR <> 0 SET NOEXEC ON;\nGO"
	f := engine.Frame{
		Client:   []string{":on error exit"},
		Settings: []string{"SET XACT_ABORT, NOCOUNT, ANSI_NULLS, ANSI_PADDING, ANSI_WARNINGS, ARITHABORT, CONCAT_NULL_YIELDS_NULL, QUOTED_IDENTIFIER ON;\nSET NUMERIC_ROUNDABORT OFF;\nSET DATEFORMAT ymd;\nSET LOCK_TIMEOUT 10000;\nGO"},
		Begin:    "BEGIN TRANSACTION;\nGO", Commit: "COMMIT TRANSACTION;\nGO",
		Before: guard, Apart: apart, Checks: []string{guard},
		Restore: []string{"SET NOEXEC OFF;\nGO", "IF @@TRANCOUNT > 0 ROLLBACK TRANSACTION;\nGO", "SET XACT_ABORT, NOCOUNT OFF;\nSET LOCK_TIMEOUT -1;\nGO"},
		RunWith: "sqlcmd -b -I %[1]s -i %[2]s",
		Notes: []string{"Everything runs in one transaction: when a statement fails, it is rolled back and nothing is changed. Before each statement a client that went on all the same is kept from running anything.",
			"A lock that does not come within 10 seconds stops it too; run it again then."},
		Lock: "Sch-M on each changed table until the end: others wait, readers too",
	}
	for _, s := range plan.Steps {
		if s.Alone || s.Later {
			f.Notes[0] = "All steps but those that say so run in one transaction: when a statement fails, it is rolled back. What ran outside of it stays; apply goes on from there (--resume). Before each statement a client that went on all the same is kept from running anything."
		}
	}
	return f
}

// address is where a database is: sqlserver://USER@HOST:PORT/DATABASE.
type address struct {
	url      *url.URL
	database string
}

func parseAddress(s string) (address, error) {
	u, err := url.Parse(s)
	if err != nil {
		return address{}, fmt.Errorf("%w: the address is not understood; it is written sqlserver://USER@HOST:PORT/DATABASE", engine.ErrConnect)
	}
	u.Scheme = "sqlserver"
	a := address{url: u}
	q := u.Query()
	if a.database = strings.Trim(u.Path, "/"); a.database == "" {
		a.database = q.Get("database")
	}
	if a.database == "" {
		return a, fmt.Errorf("%w: the address names no database; it is written sqlserver://USER@HOST:PORT/DATABASE", engine.ErrConnect)
	}
	u.Path = ""
	if i := q.Get("instance"); i != "" {
		u.Path = "/" + i
		q.Del("instance")
	}
	q.Set("database", a.database)
	if q.Get("encrypt") == "" { // without it a certificate would be taken unseen
		q.Set("encrypt", "true")
	}
	for name, value := range map[string]string{"app name": "dapper-mirror", "dial timeout": "15", "connection timeout": "0"} {
		if q.Get(name) == "" {
			q.Set(name, value)
		}
	}
	u.RawQuery = q.Encode()
	return a, nil
}

// ClientWords implements engine.ClientSpeller.
func (Engine) ClientWords(at string) []string {
	a, err := parseAddress(at)
	if err != nil {
		return nil
	}
	server := a.url.Hostname()
	if p := a.url.Port(); p != "" {
		server += "," + p
	}
	out := []string{"-S", server, "-d", a.database}
	if a.url.User != nil {
		out = append(out, "-U", a.url.User.Username())
	}
	if q := a.url.Query(); strings.EqualFold(q.Get("TrustServerCertificate"), "true") {
		out = append(out, "-C")
	}
	return out
}

var encryption = map[string]map[string]string{"off": {"encrypt": "disable"}, "prefer": {"encrypt": "false"}, "require": {"encrypt": "true", "TrustServerCertificate": "true"}, "verify-ca": {"encrypt": "true"}, "verify": {"encrypt": "true"}}

// Secure implements engine.Secured.
func (Engine) Secure(at, password string, t engine.TLS) (string, error) {
	u, err := url.Parse(at)
	if err != nil {
		return "", fmt.Errorf("%w: the address is not understood", engine.ErrConnect)
	}
	if password != "" && u.User != nil {
		u.User = url.UserPassword(u.User.Username(), password)
	}
	if t.Cert != "" || t.Key != "" {
		return "", fmt.Errorf("%w: SQL Server knows no certificates of clients", engine.ErrConnect)
	}
	q := u.Query()
	for name, value := range encryption[t.Mode] {
		q.Set(name, value)
	}
	if t.CA != "" {
		q.Set("certificate", t.CA)
	}
	u.RawQuery = q.Encode()
	return u.String(), nil
}

type database struct {
	db   *sql.DB
	conn *sql.Conn
	name string
	tls  string
	// gone is what is to be done when it is closed.
	gone func()
	seen string // the structure when it was last read, as a hash
}

// Open implements engine.Engine.
func (Engine) Open(ctx context.Context, at string, opt engine.OpenOptions) (engine.Database, error) {
	a, err := parseAddress(at)
	if err != nil {
		return nil, err
	}
	connector, err := mssql.NewConnector(a.url.String())
	if err != nil {
		return nil, fmt.Errorf("%w: %v", engine.ErrConnect, err)
	}
	d, err := connect(ctx, connector, a.database)
	if err != nil {
		return nil, err
	}
	if wait := opt.LockWait; wait > 0 {
		if _, err := d.conn.ExecContext(ctx, d.LockLimit(wait)); err != nil {
			d.Close()
			return nil, explain(err)
		}
	}
	d.tls = encrypted(a.url.Query())
	return d, nil
}

// encrypted says in words what an address asks for (go-mssqldb: encrypt).
func encrypted(q url.Values) string {
	switch strings.ToLower(q.Get("encrypt")) {
	case "disable":
		return "not encrypted"
	case "optional", "false", "no", "0", "f":
		return "only the login is encrypted, unless the server wants more"
	}
	if strings.EqualFold(q.Get("TrustServerCertificate"), "true") {
		return "encrypted, the certificate taken unseen"
	}
	return "encrypted, the certificate verified"
}

func connect(ctx context.Context, connector *mssql.Connector, name string) (*database, error) {
	db := sql.OpenDB(connector)
	db.SetMaxOpenConns(1)
	conn, err := db.Conn(ctx)
	if err != nil {
		db.Close()
		return nil, explain(err)
	}
	d := &database{db: db, conn: conn, name: name}
	var version string
	if err := conn.QueryRowContext(ctx, "SELECT CAST(SERVERPROPERTY(N'ProductVersion') AS nvarchar(128)) AS v").Scan(&version); err != nil {
		d.Close()
		return nil, explain(err)
	}
	major, _, _ := strings.Cut(version, ".")
	if n, _ := strconv.Atoi(major); n < oldest {
		d.Close()
		return nil, fmt.Errorf("%w: SQL Server %s; 14 (2017) and later are supported", engine.ErrTooOld, version)
	}
	return d, nil
}

// Numbers of the server's errors (SQL Server: Database Engine events and errors).
var (
	lockedNumbers = []int32{1205, 1222}
	valueNumbers  = []int32{220, 241, 242, 245, 248, 295, 515, 547, 1505, 2601, 2627, 2628, 4901, 8114, 8115, 8134, 8152, 8169, 9436}
)

// explain says in our words what the server or the driver means; nil stays nil.
func explain(err error) error {
	if err == nil {
		return nil
	}
	var e mssql.Error
	if errors.As(err, &e) {
		text := e.Message
		if len(e.All) > 1 { // the last says that others stand before it
			text = e.All[0].Message
			if n := len(e.All); n > 2 {
				text += fmt.Sprintf(" (and %d more)", n-2)
			}
			text += "; " + e.Message
		}
		said := fmt.Errorf("%s (error %d)", text, e.Number)
		is := func(list []int32) bool {
			for _, a := range e.All {
				for _, n := range list {
					if a.Number == n {
						return true
					}
				}
			}
			return false
		}
		switch {
		case e.Number == vocab.GuardNumber:
			return fmt.Errorf("%w: %s", engine.ErrGuard, e.Message)
		case e.Number == 4060, e.Number == 911:
			return fmt.Errorf("%w: the server has no such database, or the account may not use it", engine.ErrNotFound)
		case e.Number == 18456:
			return fmt.Errorf("%w: the server refused the user or password (%s)", engine.ErrConnect, e.Message)
		case is(lockedNumbers):
			return fmt.Errorf("%w (%s); try again when it is done", engine.ErrLocked, e.Message)
		case e.Number == 3906, e.Number == 3908:
			return fmt.Errorf("%w (%s)", engine.ErrReadOnly, e.Message)
		case e.Number == 1101, e.Number == 1105, e.Number == 9002:
			return fmt.Errorf("%w on the server", engine.ErrDiskFull)
		case is(valueNumbers):
			return fmt.Errorf("%w: %w", engine.ErrValue, said)
		}
		return said
	}
	var dns *net.DNSError
	var op *net.OpError
	switch {
	case errors.Is(err, context.Canceled):
		return err
	case errors.Is(err, context.DeadlineExceeded):
		return fmt.Errorf("%w: the server did not answer in time", engine.ErrTime)
	case errors.As(err, &dns):
		return fmt.Errorf("%w: the host %s is not known", engine.ErrConnect, dns.Name)
	case errors.As(err, &op):
		return fmt.Errorf("%w: %v", engine.ErrConnect, op.Err)
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, net.ErrClosed), errors.Is(err, sql.ErrConnDone), strings.Contains(err.Error(), "bad connection"):
		return fmt.Errorf("%w: the connection was lost", engine.ErrConnect)
	case strings.Contains(err.Error(), "certificate"), strings.Contains(err.Error(), "TLS"):
		return fmt.Errorf("%w: %v", engine.ErrConnect, err)
	case strings.Contains(err.Error(), "unable to open tcp connection"), strings.Contains(err.Error(), "no instance"):
		return fmt.Errorf("%w: %v", engine.ErrConnect, err)
	}
	return err
}

// tries is how often a structure is read that keeps changing.
const tries = 3

// Read implements engine.Database. The server has no one view of its catalog that
// blocks nobody: what moved meanwhile is read again.
func (d *database) Read(ctx context.Context) (*catalog.Catalog, error) {
	for try := 1; ; try++ {
		c, err := reader.Read(ctx, reader.Connection{Conn: d.conn})
		if err == nil {
			d.seen = hashOf(c.Objects)
			return c, nil
		}
		if !errors.Is(err, reader.ErrChanged) {
			return nil, explain(err)
		}
		if try == tries {
			return nil, fmt.Errorf("%w; run it again", err)
		}
	}
}

// Exec implements engine.Database.
func (d *database) Exec(ctx context.Context, text string) error {
	switch text {
	case "ROLLBACK": // an error may have rolled back already
		text = "IF @@TRANCOUNT > 0 ROLLBACK TRANSACTION"
	case "BEGIN":
		text = "BEGIN TRANSACTION"
	}
	_, err := d.conn.ExecContext(ctx, text)
	if err == nil {
		return nil
	}
	var e mssql.Error
	if lost := !errors.As(err, &e) && !errors.Is(err, context.Canceled) && d.conn.PingContext(context.WithoutCancel(ctx)) != nil; lost {
		switch {
		case strings.HasPrefix(text, "COMMIT"):
			return fmt.Errorf("the connection was lost during COMMIT; %w", engine.ErrUncertain)
		case strings.HasPrefix(text, "IF @@TRANCOUNT > 0 ROLLBACK"):
			return nil // the server rolls back when a connection is lost
		}
		return fmt.Errorf("%w: the connection was lost", engine.ErrConnect)
	}
	return explain(err)
}

// Count implements engine.RowReader.
func (d *database) Count(ctx context.Context, query string, limit time.Duration) (int64, error) {
	if limit > 0 { // whoever holds a lock may hold it for long
		if _, err := d.conn.ExecContext(ctx, "IF @@TRANCOUNT = 0 "+d.LockLimit(limit)); err != nil {
			return 0, explain(err)
		}
		var stop context.CancelFunc
		ctx, stop = context.WithTimeout(ctx, limit+time.Second) // the lock's limit comes first: it leaves the connection as it is
		defer stop()
	}
	var n int64
	if err := d.conn.QueryRowContext(ctx, query).Scan(&n); err != nil {
		return 0, explain(err)
	}
	return n, nil
}

// Lines implements engine.RowReader.
func (d *database) Lines(ctx context.Context, query string, line func(string) error) error {
	rows, err := d.conn.QueryContext(ctx, query)
	if err != nil {
		return explain(err)
	}
	defer rows.Close()
	return engine.EachLine(rows, line, explain)
}

// Close implements engine.Database.
func (d *database) Close() error {
	d.conn.Close()
	err := d.db.Close()
	if d.gone != nil {
		d.gone()
		d.gone = nil
	}
	return err
}
