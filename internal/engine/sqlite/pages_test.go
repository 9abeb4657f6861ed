package sqlite

import (
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/judge"
	"dappermirror/internal/engine"
	"dappermirror/internal/fuzzing"
)

func open(t testing.TB, path string) *sql.DB {
	t.Helper()
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		t.Fatal(err)
	}
	db.SetMaxOpenConns(1)
	return db
}

// TestPagesAgainstLibrary: what is read from the pages is what SQLite says,
// whatever the page size, the length of texts and the depth of the tree.
func TestPagesAgainstLibrary(t *testing.T) {
	long := "CREATE TABLE long (id INTEGER PRIMARY KEY, note TEXT DEFAULT '" + strings.Repeat("überlang ", 9000) + "')"
	for _, size := range []int{512, 1024, 4096, 65536} {
		for _, n := range []int{0, 1, 7, 300} {
			t.Run(fmt.Sprintf("%d tables on pages of %d", n, size), func(t *testing.T) {
				path := filepath.Join(t.TempDir(), "x.db")
				db := open(t, path)
				stmts := []string{fmt.Sprintf("PRAGMA page_size = %d; PRAGMA synchronous = OFF", size), "VACUUM"}
				for i := range n {
					stmts = append(stmts, fmt.Sprintf("CREATE TABLE t%d (id INTEGER PRIMARY KEY, name TEXT UNIQUE, n%s TEXT)", i, strings.Repeat("x", i%300)), fmt.Sprintf("CREATE INDEX i%d ON t%d (name, id)", i, i))
					if i%3 == 0 {
						stmts = append(stmts, fmt.Sprintf("CREATE VIEW v%d AS SELECT name FROM t%d", i, i), fmt.Sprintf("CREATE TRIGGER g%d AFTER INSERT ON t%d BEGIN SELECT 1; END", i, i))
					}
					if i%5 == 4 {
						stmts = append(stmts, fmt.Sprintf("DROP TABLE t%d", i-1))
					}
				}
				if n > 1 {
					stmts = append(stmts, long)
				}
				for _, s := range append(append([]string{"BEGIN"}, stmts[2:]...), "COMMIT") {
					if s == "BEGIN" {
						for _, p := range stmts[:2] {
							if _, err := db.Exec(p); err != nil {
								t.Fatal(err)
							}
						}
					}
					if _, err := db.Exec(s); err != nil {
						t.Fatalf("%s: %v", s[:min(80, len(s))], err)
					}
				}
				want, err := schemaRows(t.Context(), db)
				if err != nil {
					t.Fatal(err)
				}
				db.Close()
				got, err := pageRowsOf(path)
				if n == 0 && errors.Is(err, errNotPlain) {
					return // an empty file
				}
				if err != nil {
					t.Fatal(err)
				}
				if !slices.Equal(got, want) {
					t.Errorf("%d rows from the pages, %d from the library, or they differ", len(got), len(want))
				}
			})
		}
	}
}

// TestPagesWhenNotPlain: whenever somebody may be writing, or the file is not
// what is expected, the library reads; what it reads is right all the same.
func TestPagesWhenNotPlain(t *testing.T) {
	dir := t.TempDir()
	make := func(name string, stmts ...string) (string, *sql.DB) {
		path := filepath.Join(dir, name)
		db := open(t, path)
		t.Cleanup(func() { db.Close() })
		for _, s := range append([]string{"CREATE TABLE t (a INTEGER)"}, stmts...) {
			if _, err := db.Exec(s); err != nil {
				t.Fatal(err)
			}
		}
		return path, db
	}
	plain, db := make("plain.db")
	db.Close()
	if _, err := pageRowsOf(plain); err != nil {
		t.Errorf("a plain file: %v", err)
	}
	release := holdOpen(plain)
	if _, err := pageRowsOf(plain); !errors.Is(err, errNotPlain) {
		t.Errorf("a file this process has open: %v", err)
	}
	release()
	wal, _ := make("wal.db", "PRAGMA journal_mode=WAL", "CREATE TABLE second (b INTEGER)")
	utf16 := filepath.Join(dir, "utf16.db")
	other := open(t, utf16)
	for _, x := range []string{"PRAGMA encoding = 'UTF-16le'", "CREATE TABLE t (a INTEGER)"} {
		if _, err := other.Exec(x); err != nil {
			t.Fatal(err)
		}
	}
	other.Close()
	journal, db := make("journal.db")
	db.Close()
	if err := os.WriteFile(journal+"-journal", []byte("not empty"), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, path := range []string{wal, utf16, journal, filepath.Join(dir, "gone.db")} {
		if _, err := pageRowsOf(path); !errors.Is(err, errNotPlain) {
			t.Errorf("%s: %v", filepath.Base(path), err)
		}
	}
	d, err := Engine{}.Open(t.Context(), wal, engine.OpenOptions{})
	if err != nil {
		t.Fatal(err)
	}
	defer d.Close()
	c, err := d.Read(t.Context())
	if err != nil || len(c.Objects) != 2 {
		t.Errorf("with a write-ahead log: %v, %d objects", err, len(c.Objects))
	}
}

// Damage anywhere in the file is an answer, never a panic.
func FuzzPages(f *testing.F) {
	path := filepath.Join(f.TempDir(), "seed.db")
	db := open(f, path)
	for i := range 30 {
		if _, err := db.Exec(fmt.Sprintf("CREATE TABLE t%d (id INTEGER PRIMARY KEY, a TEXT DEFAULT '%s')", i, strings.Repeat("x", i*40))); err != nil {
			f.Fatal(err)
		}
	}
	db.Close()
	data, err := os.ReadFile(path)
	if err != nil {
		f.Fatal(err)
	}
	f.Add([]byte{0, 105, 255})
	f.Add([]byte{0, 20, 7, 0, 108, 0, 0, 109, 1})
	f.Fuzz(func(t *testing.T, edits []byte) { // three bytes each: where, and what
		defer fuzzing.Bound()()
		data := slices.Clone(data)
		for ; len(edits) >= 3; edits = edits[3:] {
			data[(int(edits[0])<<8|int(edits[1]))%len(data)] = edits[2]
		}
		file := filepath.Join(t.TempDir(), "x.db")
		if err := os.WriteFile(file, data, 0o644); err != nil {
			t.Fatal(err)
		}
		rows, err := pageRowsOf(file)
		if err != nil {
			return
		}
		size := 0
		for _, r := range rows {
			size += len(r.SQL)
		}
		if size > len(data) {
			t.Fatalf("%d bytes of definitions from a file of %d", size, len(data))
		}
		_, _ = Build(rows)
	})
}

// textFiles reads files given as name and text in turn.
func textFiles(t testing.TB, parts ...string) (string, error) {
	t.Helper()
	var files []engine.TextFile
	for i := 0; i+1 < len(parts); i += 2 {
		files = append(files, engine.TextFile{Name: parts[i], Reader: strings.NewReader(parts[i+1])})
	}
	c, err := Engine{}.ReadText(t.Context(), files, engine.TextOptions{})
	if err != nil {
		return "", err
	}
	return judge.Whole(c), nil
}

// TestTextsLikeTheDatabase: a text, as written, in a folder in any order, or
// with changes to what it made, is the database that running it makes.
func TestTextsLikeTheDatabase(t *testing.T) {
	var chain strings.Builder
	for i := range 40 {
		fmt.Fprintf(&chain, "CREATE TABLE c%d (id INTEGER PRIMARY KEY, up REFERENCES c%d (id), n); CREATE VIEW w%d AS SELECT a.id, b.n FROM c%d a JOIN c%d b ON a.up = b.id; CREATE TRIGGER g%d AFTER INSERT ON c%d BEGIN UPDATE c%d SET n = 1; END;\n", i, max(i-1, 0), i, i, max(i-1, 0), i, i, max(i-1, 0))
	}
	for i := range 40 {
		fmt.Fprintf(&chain, "ALTER TABLE c%d ADD COLUMN more; ALTER TABLE c%d RENAME COLUMN n TO name; ALTER TABLE c%d RENAME COLUMN id TO key; ALTER TABLE c%d DROP COLUMN more;\n", i, i, i, i)
		if i%7 == 3 {
			fmt.Fprintf(&chain, "ALTER TABLE c%d RENAME TO d%d;\n", i, i)
		}
	}
	for name, c := range map[string]struct {
		run   string   // what SQLite runs
		parts []string // the same as files
	}{
		"a chain":           {chain.String(), nil},
		"as written":        {"CREATE TABLE a (x INTEGER PRIMARY KEY); CREATE VIEW v AS SELECT x FROM a", nil},
		"rows between":      {"CREATE TABLE a (x TEXT); INSERT INTO a VALUES ('; CREATE TABLE z (q)'); UPDATE a SET x = 'b;'; CREATE INDEX i ON a (x); DELETE FROM a", nil},
		"a trigger":         {"CREATE TABLE a (x); CREATE TRIGGER g AFTER INSERT ON a BEGIN SELECT CASE WHEN 1 THEN 2 END; SELECT ';'; END; CREATE TABLE b (y)", nil},
		"comments":          {"-- one;\nCREATE TABLE a (x); /* two; */ CREATE TABLE b (y) -- three", nil},
		"add a column":      {"CREATE TABLE a (x); ALTER TABLE a ADD COLUMN y TEXT NOT NULL DEFAULT 'q'", nil},
		"rename all over":   {"CREATE TABLE a (x, k REFERENCES b (y)); CREATE TABLE b (y PRIMARY KEY); CREATE VIEW v AS SELECT x FROM a; CREATE INDEX i ON a (x); CREATE TRIGGER g AFTER INSERT ON b BEGIN INSERT INTO a (x) VALUES (NEW.y); END; ALTER TABLE a RENAME COLUMN x TO z; ALTER TABLE b RENAME TO c; ALTER TABLE a RENAME TO d", nil},
		"drop and again":    {"CREATE TABLE a (x); CREATE INDEX i ON a (x); DROP TABLE a; CREATE TABLE a (y); CREATE INDEX i ON a (y); DROP INDEX i; DROP TABLE IF EXISTS nowhere; CREATE VIEW v AS SELECT 1; DROP VIEW v", nil},
		"only if not there": {"CREATE TABLE IF NOT EXISTS a (x); CREATE TABLE IF NOT EXISTS a (other)", nil},
		"as select":         {"CREATE TABLE a (x INTEGER, y TEXT); CREATE TABLE b AS SELECT y, x AS n FROM a", nil},
		"a schema's name":   {"CREATE TABLE main.a (x); CREATE INDEX main.i ON a (x); CREATE VIEW main.v AS SELECT x FROM a", nil},
		"temporary things":  {"CREATE TEMP TABLE a (x); CREATE TABLE b (x)", nil},
		"full text":         {"CREATE VIRTUAL TABLE f USING fts5(a, b)", nil},
		"a folder": {"CREATE TABLE a (x INTEGER PRIMARY KEY); CREATE INDEX i ON a (x); CREATE VIEW v AS SELECT x FROM a; ALTER TABLE a ADD COLUMN y",
			[]string{"1.sql", "CREATE VIEW v AS SELECT x FROM a; ALTER TABLE a ADD COLUMN y", "2.sql", "CREATE INDEX i ON a (x)", "3.sql", "CREATE TABLE a (x INTEGER PRIMARY KEY)"}},
	} {
		db, _ := sql.Open("sqlite", ":memory:")
		db.SetMaxOpenConns(1)
		if _, err := db.Exec(c.run); err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		rows, err := schemaRows(t.Context(), db)
		if err != nil {
			t.Fatal(err)
		}
		db.Close()
		want, err := Build(rows)
		if err != nil {
			t.Fatal(err)
		}
		parts := c.parts
		if parts == nil {
			parts = []string{"x.sql", c.run}
		}
		got, err := textFiles(t, parts...)
		if err != nil || got != judge.Whole(want) {
			t.Errorf("%s: the text is another structure (%v)", name, err)
		}
	}
}

func TestTextErrors(t *testing.T) {
	for in, want := range map[string]string{
		"CREATE TABLE a (x);\nCREATE TABEL b (y)":             "x.sql:2:8: ",
		"CREATE TABLE a (x);\n\n  CREATE TABLE b (y CHECK y)": "x.sql:3:27: ",
		"CREATE TABLE a (x);\nCREATE TABLE a (y)":             "x.sql:2:14: table a is there already, first at x.sql:1",
		"\n SELEC 1":      `x.sql:2:2: no statement of SQLite begins with "SELEC"`,
		"ATTACH 'x' AS y": "x.sql:1:1: ATTACH is refused",
		"CREATE TABLE a (x); VACUUM INTO '/tmp/x'": "VACUUM is refused",
		"SELECT 'open":               "x.sql:1:8: a quote opens here",
		"DROP TABLE a":               "there is no table a to drop",
		"ALTER TABLE a ADD COLUMN x": "there is no table a",
		"CREATE TABLE a (x);\nALTER TABLE a DROP COLUMN nothing":     `x.sql:2:1: `,
		"CREATE INDEX i ON nowhere (x)":                              "its table nowhere is not there",
		"é CREATE":                                                   "x.sql:1:1: ",
		"CREATE TABLE a (x);\nCREATE TABLE b (\n  y REFERENCES (z))": "x.sql:3:16: ",
	} {
		if _, err := textFiles(t, "x.sql", in); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, want %q", in, err, want)
		}
	}
}

func FuzzText(f *testing.F) {
	for _, s := range []string{"CREATE TABLE a (x); ALTER TABLE a ADD y;", "DROP TABLE a", "create trigger t after insert on a begin select 1; end;", "INSERT INTO sqlite_schema VALUES ('table', 'CREATE VIRTUAL TABLE f USING fts5(a)')", ".mode x\n'", "--\n/*", "CREATE TABLE a AS SELECT 1"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		defer fuzzing.Bound()()
		if _, err := textFiles(t, "x.sql", s); err != nil && strings.TrimSpace(err.Error()) == "" {
			t.Fatal("an error without words")
		}
	})
}
