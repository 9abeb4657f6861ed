package sqlite

import (
	"encoding/binary"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlite/vocab"
	"dappermirror/internal/fuzzing"
)

// TestCraftedPages: files in which pages point at each other, or lengths claim
// what is not there, cost no more than their own size and are left to SQLite.
func TestCraftedPages(t *testing.T) {
	for name, craft := range map[string]func(data []byte){
		"a page that points at its own ancestors": func(data []byte) {
			for page := 1; page <= 50; page++ { // interior pages of many cells, all pointing onwards
				at := (page - 1) * 512
				if page == 1 {
					at = 100
				}
				data[at] = 5
				binary.BigEndian.PutUint16(data[at+3:], 50)
				binary.BigEndian.PutUint32(data[at+8:], uint32(page%50+1))
				for cell := range 50 {
					binary.BigEndian.PutUint16(data[at+12+2*cell:], 480)
				}
				binary.BigEndian.PutUint32(data[(page-1)*512+480:], uint32(page%50+1))
			}
		},
		"a cell as long as memory, its overflow a ring": func(data []byte) {
			data[100] = 13
			binary.BigEndian.PutUint16(data[103:], 1)
			binary.BigEndian.PutUint16(data[108:], 300)
			copy(data[300:], []byte{0x84, 0x80, 0x80, 0x80, 0x00, 1}) // 2^30, rowid 1
			binary.BigEndian.PutUint32(data[508:], 2)
			binary.BigEndian.PutUint32(data[512:], 2)
		},
		"a record whose head is empty": func(data []byte) {
			data[100] = 13
			binary.BigEndian.PutUint16(data[103:], 1)
			binary.BigEndian.PutUint16(data[108:], 300)
			copy(data[300:], []byte{4, 1, 0, 0, 0, 0})
		},
	} {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "x.db")
			db := open(t, path)
			for _, s := range []string{"PRAGMA page_size = 512", "VACUUM", "CREATE TABLE t (a TEXT)", "INSERT INTO t VALUES (zeroblob(40000))"} {
				if _, err := db.Exec(s); err != nil {
					t.Fatal(err)
				}
			}
			db.Close()
			data, err := os.ReadFile(path)
			if err != nil {
				t.Fatal(err)
			}
			craft(data)
			if err := os.WriteFile(path, data, 0o644); err != nil {
				t.Fatal(err)
			}
			func() {
				defer fuzzing.Bound()()
				if _, err := pageRowsOf(path); !errors.Is(err, errNotPlain) {
					t.Errorf("it was read: %v", err)
				}
			}()
		})
	}
}

// TestStoredTails: a stored text that is more than its own definition, or not
// even that, is refused with its name; one that SQLite's users can make is not.
func TestStoredTails(t *testing.T) {
	for _, c := range []struct {
		name, set string
		refused   bool
	}{
		{"v", "CREATE VIEW v AS SELECT a FROM t;\n.shell touch /tmp/owned", true},
		{"v", "CREATE VIEW v AS SELECT a FROM t; DROP TABLE keep", true},
		{"v", "CREATE VIEW v AS SELECT 'a", true},
		{"v", "CREATE TABLE v (a)", true},
		{"v", "CREATE VIEW other AS SELECT 1", true},
		{"i", "CREATE INDEX i ON t (a); DROP TABLE keep", true},
		{"g", "CREATE TRIGGER g AFTER INSERT ON t BEGIN SELECT 1; END; DROP TABLE keep", true},
		{"g", "CREATE TRIGGER g AFTER INSERT ON t BEGIN SELECT 1", true},
		{"t", "CREATE TABLE t (a TEXT); DROP TABLE keep", true},
		{"v", "CREATE VIEW v AS SELECT a FROM t -- all", false},
		{"v", "CREATE VIEW v AS SELECT a FROM t /* all", false},
		{"v", "CREATE VIEW v AS SELECT ';', a FROM t /* ; */", false},
		{"g", "CREATE TRIGGER g AFTER INSERT ON t BEGIN SELECT 1; SELECT ';'; END -- ;", false},
	} {
		path := filepath.Join(t.TempDir(), "x.db")
		db := open(t, path)
		for _, s := range []string{"CREATE TABLE t (a TEXT)", "CREATE INDEX i ON t (a)", "CREATE VIEW v AS SELECT 1", "CREATE TRIGGER g AFTER INSERT ON t BEGIN SELECT 1; END", "PRAGMA writable_schema = ON"} {
			if _, err := db.Exec(s); err != nil {
				t.Fatal(err)
			}
		}
		if _, err := db.Exec("UPDATE sqlite_schema SET sql = ? WHERE name = ?", c.set, c.name); err != nil {
			t.Fatal(err)
		}
		db.Close()
		d, err := Engine{}.Open(t.Context(), path, engine.OpenOptions{})
		if err != nil {
			t.Fatal(err)
		}
		cat, err := d.Read(t.Context())
		d.Close()
		if c.refused != (err != nil) || err != nil && !strings.Contains(err.Error(), " "+c.name+":") {
			t.Errorf("%q: %v", c.set, err)
		}
		if err != nil {
			continue
		}
		for _, o := range cat.Objects { // what is written of it is closed
			if def := (Engine{}).Definition(o); !strings.HasSuffix(strings.TrimSpace(def), ";") {
				t.Errorf("%q is written %q", c.set, def)
			}
		}
	}
}

// TestCreateTableAs: the columns are those SQLite gives such a table, and the
// query is not run.
func TestCreateTableAs(t *testing.T) {
	base := "CREATE TABLE b (i INTEGER PRIMARY KEY, t VARCHAR(9), r DOUBLE, n DECIMAL(5,2), x BLOB, y);\nCREATE VIEW bv AS SELECT t AS name, r FROM b;\n"
	for _, query := range []string{
		"SELECT * FROM b", "SELECT i, t AS \"a b\", r * 2, n, x, y FROM b", "SELECT count(*), max(t), t || 'x' AS joined FROM b", "SELECT 1, 'a', 2.5, x'00', NULL",
		"VALUES (1, 'b')", "SELECT i FROM b UNION SELECT t FROM b ORDER BY 1", "SELECT name, r, name FROM bv", "SELECT cast(t AS INTEGER) AS c, +i AS p FROM b", "WITH q (a) AS (SELECT t FROM b) SELECT a FROM q -- all",
	} {
		text := base + "CREATE TABLE made AS " + query + ";"
		want, db := fromSQL(t, text)
		db.Close()
		got, err := textFiles(t, "x.sql", text)
		if err != nil {
			t.Errorf("%s: %v", query, err)
			continue
		}
		if got != judge.Whole(want) {
			t.Errorf("%s: not the columns of %s", query, Engine{}.Definition(want.Find(catalog.Ref{Kind: catalog.Table, Name: "made"})))
		}
	}
	endless := "CREATE TABLE made AS WITH RECURSIVE c (n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM c) SELECT n, zeroblob(1000000) AS z FROM c ORDER BY n;"
	func() {
		defer fuzzing.Bound()()
		got, err := textFiles(t, "x.sql", endless)
		want, werr := textFiles(t, "x.sql", "CREATE TABLE made (n, z)")
		if err != nil || werr != nil || got != want {
			t.Errorf("an endless query: %v", err)
		}
	}()
}

// TestDeepAndLong: brackets within brackets, constraints that are alike, and
// long chains of ALTERs are read in time that grows with their number.
func TestDeepAndLong(t *testing.T) {
	deep := strings.Repeat("(", 100000) + "1" + strings.Repeat(")", 100000)
	alike, chain := &strings.Builder{}, &strings.Builder{}
	alike.WriteString("CREATE TABLE t (a INTEGER")
	for i := range 300 {
		fmt.Fprintf(alike, ", CHECK (a > 0), CONSTRAINT c CHECK (a > 1)")
		if i == 0 {
			chain.WriteString("CREATE TABLE t0 (id INTEGER PRIMARY KEY);\n")
		}
		fmt.Fprintf(chain, "CREATE TABLE t%d (id INTEGER PRIMARY KEY, up INTEGER REFERENCES t%d (id));\nALTER TABLE t%d ADD COLUMN a INTEGER;\nALTER TABLE t%d RENAME COLUMN a TO b;\n", i+1, i, i, i)
	}
	for name, text := range map[string]string{
		"deep": "CREATE TABLE t (a INTEGER DEFAULT " + deep + ", CHECK (" + deep + "));\nCREATE VIEW v AS SELECT " + deep + ";", "alike": alike.String() + ");", "chain": chain.String(),
	} {
		func() {
			defer fuzzing.Bound()()
			if _, err := textFiles(t, "x.sql", text); err != nil {
				t.Errorf("%s: %v", name, err)
			}
		}()
	}
}

// TestNumbersAreNumbers: what a capture says is in a file's header is a number.
func TestNumbersAreNumbers(t *testing.T) {
	for value, ok := range map[string]bool{"7": true, "-5": true, "7; DROP TABLE berth": false, "": false, "99999999999": false} {
		o := vocab.File(1, 0)
		o.Set(vocab.UserVersion, catalog.Scalar(value))
		if err := (Engine{}).Verify(o); (err == nil) != ok {
			t.Errorf("%q: %v", value, err)
		}
	}
}
