// Package sqlite is the embedded engine: it reads the stored CREATE texts with
// a parser of its own, writes ALTER TABLE or the documented rebuild, and runs
// scripts through the SQLite library.
package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	// registers the driver "sqlite"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlite/reader"
	"dappermirror/internal/engine/sqlite/vocab"
	"dappermirror/internal/engine/sqlite/writer"
	"dappermirror/internal/engine/texts"
)

// Engine is SQLite.
type Engine struct{}

func init() { engine.Register(Engine{}) }

// Name implements engine.Engine.
func (Engine) Name() string { return "sqlite" }

// Classes implements engine.Engine.
func (Engine) Classes() map[string]engine.Class { return classes }

var classes = map[string]engine.Class{"begin": engine.Begins, "commit": engine.Commits, "pragma": engine.Passing, "select": engine.Passing,
	"pragma user_version": engine.Lasting, "pragma application_id": engine.Lasting}

// Title implements engine.Engine.
func (Engine) Title() string { return "SQLite" }

// Dialect implements engine.Engine.
func (Engine) Dialect() sqltext.Dialect { return vocab.Dialect }

// Writer implements engine.Engine.
func (Engine) Writer(opt engine.WriteOptions) order.Writer {
	return &writer.Writer{Fill: opt.Fill, Back: opt.Back}
}

// Speaks implements engine.TextReader.
func (Engine) Speaks(beginning string) int { return texts.Signs(beginning, signs) }

// signs are what only SQLite's texts have; the number tells how surely.
var signs = []texts.Sign{
	{Text: "pragma foreign_keys=off;\nbegin transaction;", Weight: 100}, {Text: "pragma ", Weight: 10}, {Text: "autoincrement", Weight: 10}, {Text: "without rowid", Weight: 15}, {Text: "create virtual table", Weight: 20},
	{Text: "using fts5", Weight: 20}, {Text: ") strict", Weight: 10}, {Text: "sqlite_sequence", Weight: 50}, {Text: "julianday(", Weight: 10}, {Text: "select raise(", Weight: 10}, {Text: "begin select raise", Weight: 10},
}

// Schemes implements engine.Engine.
func (Engine) Schemes() []string { return []string{"sqlite"} }

// Proven implements engine.Engine.
func (Engine) Proven() string { return "the library built in, and the sqlite3 shell" }

// Groups implements engine.Engine.
func (Engine) Groups() []string { return []string{vocab.Versions} }

// Blank implements engine.Engine.
func (Engine) Blank() *catalog.Catalog { return vocab.Blank() }

// Kinds implements engine.Engine.
func (Engine) Kinds() *catalog.Kinds { return vocab.Kinds }

// Endings implements engine.Embedded.
func (Engine) Endings() []string { return []string{".db", ".sqlite", ".sqlite3", ".db3"} }

// Files implements engine.Embedded.
func (Engine) Files(path string) []string {
	return []string{path, path + "-journal", path + "-wal", path + "-shm"}
}

// Head implements engine.Embedded.
func (Engine) Head(path string, n int) ([]byte, error) { return Head(path, n) }

// Recognise implements engine.Embedded.
func (Engine) Recognise(head []byte) bool { return Recognise(head) }

// Definition implements engine.Engine.
func (Engine) Definition(o *catalog.Object) string { return writer.Definition(o) }

// ReadText implements engine.TextReader.
func (Engine) ReadText(ctx context.Context, files []engine.TextFile, opt engine.TextOptions) (*catalog.Catalog, error) {
	if opt.Database != "" {
		return nil, fmt.Errorf("#%s: a text of SQLite has one database", opt.Database)
	}
	return reader.ReadText(ctx, files)
}

// Frame implements engine.Engine. PRAGMA foreign_keys does nothing inside a
// transaction, and DROP TABLE with foreign keys on deletes from the children
// (SQLite: PRAGMA foreign_keys; Foreign Key Support, section 5): so it is
// turned off first, and the first statement of the transaction fails unless
// that worked. PRAGMA foreign_key_check only prints, so the counts of broken
// references before and after are compared in tables.
func (Engine) Frame(plan *order.Plan) engine.Frame {
	f := engine.Frame{
		Client:   []string{".bail on"},
		Settings: []string{"PRAGMA foreign_keys=OFF;", "PRAGMA legacy_alter_table=ON;"},
		Begin:    "BEGIN IMMEDIATE;",
		Guards: []string{
			"CREATE TEMP TABLE dapper_mirror_guard (\n  off INTEGER CONSTRAINT \"foreign_keys is still on: run this script outside a transaction\" CHECK (off = 0),\n  orphans INTEGER CONSTRAINT \"rows would refer to rows that are not there\" CHECK (orphans = 0)\n);",
			"INSERT INTO temp.dapper_mirror_guard (off) SELECT foreign_keys FROM pragma_foreign_keys;",
		},
		Commit:  "COMMIT;",
		Restore: []string{"PRAGMA legacy_alter_table=OFF;"},
		RunWith: "sqlite3 -bail %[1]s < %[2]s",
		Notes: []string{
			"Everything runs in one transaction: when a statement fails, the client stops and nothing is changed.",
			"It leaves PRAGMA foreign_keys off in the session that ran it; new connections are not affected.",
		},
		Lock: "the whole database is locked for writing while it runs; readers wait only during the commit (with a write-ahead log, never)",
	}
	count := func(into string, c *catalog.Catalog, tables []string) []string {
		out := []string{fmt.Sprintf("CREATE TEMP TABLE %s (child TEXT, parent TEXT, n INTEGER);", into)}
		for _, t := range tables {
			if o := c.Find(catalog.Ref{Kind: catalog.Table, Name: t}); o != nil && soundKeys(c, o) {
				out = append(out, fmt.Sprintf("INSERT INTO temp.%s SELECT \"table\", parent, count(*) FROM pragma_foreign_key_check(%s) GROUP BY 1, 2;", into, sqltext.Literal(o.Name)))
			}
		}
		return out
	}
	if tables := referencesTouched(plan); len(tables) > 0 {
		f.Guards = append(f.Guards, count("dapper_mirror_before", plan.Actual, tables)...)
		f.Checks = append(count("dapper_mirror_after", plan.Desired, tables),
			"INSERT INTO temp.dapper_mirror_guard (orphans)\n  SELECT a.n - coalesce(b.n, 0) FROM temp.dapper_mirror_after AS a\n  LEFT JOIN temp.dapper_mirror_before AS b ON lower(b.child) = lower(a.child) AND lower(b.parent) = lower(a.parent)\n  WHERE a.n > coalesce(b.n, 0);",
			"DROP TABLE temp.dapper_mirror_before;", "DROP TABLE temp.dapper_mirror_after;")
	}
	f.Checks = append(f.Checks, "DROP TABLE temp.dapper_mirror_guard;")
	return f
}

// referencesTouched lists the tables whose rows may refer to nothing after
// the plan: those that change and have foreign keys, and those that point at
// a table that changes.
func referencesTouched(plan *order.Plan) []string {
	touched := map[string]bool{}
	for _, s := range plan.Steps {
		if s.About.Kind == catalog.Table && s.About.PartKind != catalog.Index && s.About.PartKind != catalog.Trigger {
			touched[s.About.Name] = true
		}
	}
	var out []string
	for _, o := range plan.Desired.Objects {
		for _, fk := range o.PartsOf(catalog.ForeignKey) {
			if touched[o.ID] || touched[fk.Text("references")] {
				out = append(out, o.ID)
				break
			}
		}
	}
	return out
}

// soundKeys tells whether every foreign key of the table points at a key of
// its parent. PRAGMA foreign_key_check fails on others (SQLite: Foreign Key
// Support, section 3).
func soundKeys(c *catalog.Catalog, table *catalog.Object) bool {
	for _, fk := range table.PartsOf(catalog.ForeignKey) {
		parent := c.Find(catalog.Ref{Kind: catalog.Table, Name: fk.Text("references")})
		if parent == nil {
			for _, k := range []catalog.Kind{catalog.View, catalog.VirtualTable} {
				if c.Find(catalog.Ref{Kind: k, Name: fk.Text("references")}) != nil {
					return false
				}
			}
			continue // every row that refers to it is reported, without failing
		}
		want := fk.List("referenced columns")
		pk := parent.Part(catalog.PrimaryKey, "primary key")
		if len(want) == 0 {
			if pk == nil || len(pk.List("column names")) != len(fk.List("columns")) {
				return false
			}
			continue
		}
		found := pk != nil && sameSet(pk.List("column names"), want)
		for _, k := range parent.PartsOf(catalog.Unique) {
			found = found || sameSet(k.List("column names"), want)
		}
		for _, k := range parent.PartsOf(catalog.Index) {
			found = found || k.Has("unique") && !k.Has("where") && sameSet(k.List("columns"), want)
		}
		if !found {
			return false
		}
	}
	return true
}

func sameSet(a, b []string) bool {
	a, b = slices.Clone(a), slices.Clone(b)
	slices.Sort(a)
	slices.Sort(b)
	return slices.Equal(a, b)
}

// Magic is how every SQLite file begins (SQLite: Database File Format).
const Magic = "SQLite format 3\x00"

// Recognise tells whether a file looks like a SQLite database: by its magic,
// or because it is empty and its name says so.
func Recognise(head []byte) bool { return strings.HasPrefix(string(head), Magic) }

type database struct {
	path     string
	opt      engine.OpenOptions
	db       *sql.DB
	conn     *sql.Conn // nil until the library is needed
	released func()
	claimed  *os.File
	numbers  [2]int32 // user version and application id, as they were read
}

// Open implements engine.Engine. The address is a file.
func (Engine) Open(ctx context.Context, path string, opt engine.OpenOptions) (engine.Database, error) {
	st, err := os.Stat(path)
	switch {
	case errors.Is(err, os.ErrNotExist):
		if !opt.Create {
			return nil, fmt.Errorf("%w; check the path, or give --create to make a new database", engine.ErrNotFound)
		}
	case err != nil:
		return nil, err
	case st.IsDir():
		return nil, fmt.Errorf("%w: it is a folder", engine.ErrNotOurs)
	case st.Size() > 0:
		head, err := Head(path, len(Magic))
		if err != nil {
			return nil, fmt.Errorf("it cannot be read: %w", err)
		}
		if !Recognise(head) {
			return nil, fmt.Errorf("%w: the file is no SQLite database, or it is encrypted", engine.ErrNotOurs)
		}
	}
	if opt.Write {
		if err := writable(path, opt.Create); err != nil {
			return nil, err
		}
	}
	d := &database{path: path, opt: opt}
	if opt.Write {
		return d, d.connect(ctx)
	}
	return d, nil // reading may do without the library
}

// connect opens the file through the library.
func (d *database) connect(ctx context.Context) error {
	if d.conn != nil {
		return nil
	}
	opt := d.opt
	abs, err := filepath.Abs(d.path)
	if err != nil {
		return err
	}
	q := url.Values{}
	q.Add("_pragma", fmt.Sprintf("busy_timeout(%d)", max(opt.LockWait, 10*time.Millisecond).Milliseconds()))
	mode := "ro"
	if opt.Write {
		mode = "rw"
		if opt.Create {
			mode = "rwc"
		}
	} else {
		q.Add("_pragma", "query_only(1)")
		// Who may only read makes a write-ahead log to read beside, and cannot
		// take it away again.
		if _, err := os.Stat(abs + "-wal"); errors.Is(err, os.ErrNotExist) && logged(abs) && writable(abs, false) == nil {
			mode = "rw"
		}
	}
	q.Set("mode", mode)
	u := url.URL{Scheme: "file", Path: abs, RawQuery: q.Encode()}
	db, err := sql.Open("sqlite", u.String())
	if err != nil {
		return err
	}
	db.SetMaxOpenConns(1)
	released := holdOpen(d.path)
	conn, err := db.Conn(ctx)
	if err != nil {
		db.Close()
		released()
		return reader.Explain(err)
	}
	if opt.Create { // it may be there only now
		released()
		released = holdOpen(d.path)
	}
	d.db, d.conn, d.released = db, conn, released
	return nil
}

// explain says besides who holds the file, where the system tells.
func (d *database) explain(err error) error { return d.held(reader.Explain(err)) }

func (d *database) held(err error) error {
	if st, stat := os.Stat(d.path + "-wal"); errors.Is(err, reader.ErrCannotOpen) && stat == nil && st.Size() > 0 {
		return fmt.Errorf("%w: what was written last is in its write-ahead log, which can be read only where the folder can be written; copy the file together with its -wal to another folder, or open it there once for writing", err)
	}
	if !errors.Is(err, engine.ErrLocked) {
		return err
	}
	if who := holders(d.path); len(who) > 0 {
		return fmt.Errorf("%w; %s", err, strings.Join(who, ", "))
	}
	return err
}

// Read implements engine.Database.
func (d *database) Read(ctx context.Context) (*catalog.Catalog, error) {
	c, err := d.read(ctx, false)
	return c, d.held(err)
}

// ReadLazy implements engine.LazyReader.
func (d *database) ReadLazy(ctx context.Context, _ bool) (*catalog.Catalog, error) {
	c, err := d.read(ctx, true)
	return c, d.held(err)
}

func (d *database) read(ctx context.Context, lazy bool) (*catalog.Catalog, error) {
	list, err := d.rows(ctx)
	if err != nil {
		return nil, err
	}
	c, err := reader.Read(list, lazy)
	if err != nil {
		return nil, err
	}
	c.Version = Version()
	if o := vocab.File(d.numbers[0], d.numbers[1]); o != nil {
		c.Add(o)
		c.Sort()
	}
	return c, nil
}

// rows reads sqlite_schema from the pages where that is safe, else through the
// library.
func (d *database) rows(ctx context.Context) ([]reader.Row, error) {
	if d.conn == nil {
		if rows, numbers, err := pageRows(d.path); err == nil {
			d.numbers = numbers
			return rows, nil
		}
	}
	if err := d.connect(ctx); err != nil {
		return nil, err
	}
	for i, pragma := range []string{"user_version", "application_id"} {
		if err := d.conn.QueryRowContext(ctx, "PRAGMA "+pragma).Scan(&d.numbers[i]); err != nil {
			return nil, reader.Explain(err)
		}
	}
	return reader.SchemaRows(ctx, d.conn)
}

// Version is the library's.
var Version = sync.OnceValue(func() string {
	db, err := sql.Open("sqlite", ":memory:")
	if err != nil {
		return ""
	}
	defer db.Close()
	var v string
	_ = db.QueryRow("SELECT sqlite_version()").Scan(&v)
	return v
})

// Exec implements engine.Database.
func (d *database) Exec(ctx context.Context, sql string) error {
	if err := d.connect(ctx); err != nil {
		return err
	}
	_, err := d.conn.ExecContext(ctx, sql)
	if err != nil && sql == "ROLLBACK" && strings.Contains(err.Error(), "no transaction is active") {
		return nil // SQLite rolled back by itself (SQLite: Response To Errors Within A Transaction)
	}
	if err != nil && strings.Contains(sql, writer.GuardTable) && strings.Contains(err.Error(), "CHECK constraint failed: ") {
		_, message, _ := strings.Cut(err.Error(), "CHECK constraint failed: ")
		return fmt.Errorf("%w: %s", engine.ErrGuard, strings.TrimSuffix(message, " (275)"))
	}
	if err != nil {
		return d.explain(err)
	}
	return nil
}

// Count implements engine.RowReader.
func (d *database) Count(ctx context.Context, query string, limit time.Duration) (int64, error) {
	if err := d.connect(ctx); err != nil {
		return 0, err
	}
	if limit > 0 {
		within, cancel := context.WithTimeout(ctx, limit)
		defer cancel()
		n, err := d.count(within, query)
		if err != nil && within.Err() != nil && ctx.Err() == nil {
			return 0, engine.ErrTime
		}
		return n, err
	}
	return d.count(ctx, query)
}

func (d *database) count(ctx context.Context, query string) (int64, error) {
	var n int64
	if err := d.conn.QueryRowContext(ctx, query).Scan(&n); err != nil {
		return 0, d.explain(err)
	}
	return n, nil
}

// Lines implements engine.RowReader.
func (d *database) Lines(ctx context.Context, query string, line func(string) error) error {
	if err := d.connect(ctx); err != nil {
		return err
	}
	rows, err := d.conn.QueryContext(ctx, query)
	if err != nil {
		return d.explain(err)
	}
	defer rows.Close()
	return engine.EachLine(rows, line, d.explain)
}

// Close implements engine.Database.
func (d *database) Close() error {
	d.unclaim()
	if d.conn == nil {
		return nil
	}
	defer d.released()
	d.conn.Close()
	return d.db.Close()
}
