package writer_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlite"
	"dappermirror/internal/engine/sqlite/writer"
)

// scratchDB is a database in memory.
func scratchDB(t *testing.T, sql ...string) engine.Database {
	t.Helper()
	db, _, remove, err := sqlite.Engine{}.Scratch(t.Context(), "", nil)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = remove() })
	for _, s := range sql {
		if err := db.Exec(t.Context(), s); err != nil {
			t.Fatalf("%s: %v", s, err)
		}
	}
	return db
}

func structure(t *testing.T, db engine.Database) *catalog.Catalog {
	t.Helper()
	c, err := db.Read(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// TestChangedValuesTellTheTruth: between all types, in all kinds of tables, the
// values that a change would change are told as SQLite then really changes
// them, one by one, and what is said to fail is all that fails.
func TestChangedValuesTellTheTruth(t *testing.T) {
	values := []string{"NULL", "x'00ff'", "x'3132'", "0", "-7", "9007199254740992", "9007199254740993", "1152921504606846976", "9223372036854775807", "0.1", "3.0", "1e300", "-2.50", "9e999", "0.1 + 0.2", "123456789012345678",
		"''", "'berth'", "'007'", "'42'", "'-42'", "'1e3'", "' 7'", "'7 '", "'0x10'", "'-0'", "'3.0'", "'2.5'", "'2.50'", "'9007199254740993'", "'12 m'", "'123456789012345678901'", "'inf'", "'.5'"}
	kinds := []string{"TEXT", "INTEGER", "REAL", "NUMERIC", "", "ANY", "TEXT STRICT", "INTEGER STRICT", "REAL STRICT", "BLOB STRICT", "ANY STRICT"}
	table := func(name, kind string) string {
		typ, strict, _ := strings.Cut(kind, " ")
		return "CREATE TABLE " + name + " (id INTEGER PRIMARY KEY, v " + typ + ") " + strict
	}
	total, failing := 0, 0
	for _, from := range kinds {
		for _, to := range kinds {
			if from == to {
				continue
			}
			db := scratchDB(t, table("t", from))
			held := ""
			for i, v := range values {
				if db.Exec(t.Context(), fmt.Sprintf("INSERT INTO t VALUES (%d, %s)", i, v)) == nil { // a STRICT table takes what it takes
					held += fmt.Sprintf(" %d", i)
				}
			}
			db.Exec(t.Context(), "CREATE TEMP TABLE was AS SELECT id, v FROM t")
			plan, err := order.Build(choose.All(compare.Compare(structure(t, scratchDB(t, table("t", to))), structure(t, db), compare.Options{})), &writer.Writer{}, func(order.Risk) bool { return true })
			if err != nil {
				t.Fatal(err)
			}
			rows := db.(engine.RowReader)
			asked, mayFail := "", false
			for _, s := range plan.Steps {
				for _, r := range s.Risks {
					mayFail = mayFail || r.Kind == order.MayFail
					if r.Kind == order.Loss {
						if err := rows.Lines(t.Context(), "SELECT id FROM ("+r.Ask.List+") ORDER BY id", func(l string) error { asked += " " + l; return nil }); err != nil {
							t.Fatal(err)
						}
					}
				}
			}
			run := func() error {
				for _, s := range plan.Steps {
					for _, sql := range s.SQL {
						if err := db.Exec(t.Context(), sql); err != nil {
							return err
						}
					}
				}
				return nil
			}
			if err := run(); err != nil {
				if failing++; !mayFail {
					t.Errorf("from %q to %q it fails, and is not said to: %v", from, to, err)
				}
				continue
			}
			// A value is another one when the way back does not bring it back.
			changed := ""
			if err := db.Exec(t.Context(), table("back", from)); err != nil {
				t.Fatal(err)
			}
			for i := range values { // one by one: a STRICT table may not take it back
				_ = db.Exec(t.Context(), fmt.Sprintf("INSERT INTO back SELECT id, v FROM t WHERE id = %d", i))
			}
			if err := rows.Lines(t.Context(), `SELECT was.id FROM temp.was LEFT JOIN back USING (id) WHERE was.v IS NOT back.v OR typeof(was.v) <> typeof(back.v) AND (typeof(was.v) IN ('text', 'blob') OR typeof(back.v) IN ('text', 'blob')) ORDER BY 1`,
				func(l string) error { changed += " " + l; return nil }); err != nil {
				t.Fatal(err)
			}
			if asked != changed {
				t.Errorf("from %q to %q: said to change%s, changed%s (of%s)", from, to, asked, changed, held)
			}
			total += len(strings.Fields(changed))
		}
	}
	if total < 100 || failing < 5 {
		t.Errorf("%d values changed, %d changes failed: the values are badly chosen", total, failing)
	}
}

// TestKeysOverRowsThatAreThere: what a new or changed key finds in the rows is
// what SQLite finds, and rows go only where that was said.
func TestKeysOverRowsThatAreThere(t *testing.T) {
	for _, c := range []struct {
		name, target, source, rows string
		kind                       order.RiskKind
		count                      int64
		left                       int64 // rows that are left where it runs; -1 where it fails
	}{
		{"unique", "k TEXT", "k TEXT UNIQUE", "('a'), ('a'), ('b')", order.MayFail, 2, -1},
		{"unique over texts and NULLs", "k TEXT", "k TEXT UNIQUE", "('a'), (NULL), (NULL)", order.MayFail, 0, 3},
		{"unique, rows go", "k TEXT", "k TEXT UNIQUE ON CONFLICT REPLACE", "('a'), ('a'), ('b')", order.Loss, 2, 2},
		{"unique, rows stay away", "k TEXT", "k TEXT, UNIQUE (k) ON CONFLICT IGNORE", "('a'), ('a'), ('a')", order.Loss, 3, 1},
		{"a collation under a key", "k TEXT UNIQUE", "k TEXT COLLATE NOCASE UNIQUE", "('a'), ('A'), ('b')", order.MayFail, 2, -1},
		{"a collation under a key that replaces", "k TEXT UNIQUE ON CONFLICT REPLACE", "k TEXT COLLATE NOCASE UNIQUE ON CONFLICT REPLACE", "('a'), ('A'), ('b')", order.Loss, 2, 2},
		{"a collation goes", "k TEXT COLLATE NOCASE UNIQUE", "k TEXT UNIQUE", "('a'), ('b')", order.MayFail, 0, 2},
		{"a collation under an index", "k TEXT); CREATE UNIQUE INDEX i ON t (k", "k TEXT COLLATE RTRIM); CREATE UNIQUE INDEX i ON t (k", "('a'), ('a ')", order.MayFail, 2, -1},
		{"an index with its own collation", "k TEXT", "k TEXT); CREATE UNIQUE INDEX i ON t (k COLLATE NOCASE DESC", "('a'), ('A')", order.MayFail, 2, -1},
		{"numbers that were texts", "k TEXT UNIQUE", "k INTEGER UNIQUE", "('1'), ('2')", order.MayFail, 0, 2},
		{"a partial index", "k TEXT", "k TEXT); CREATE UNIQUE INDEX i ON t (k) WHERE (k <> 'a'", "('a'), ('a'), ('b')", order.MayFail, 0, 3},
		{"NOT NULL, rows go", "k TEXT", "k TEXT NOT NULL ON CONFLICT IGNORE", "('a'), (NULL)", order.Loss, 1, 1},
		{"NOT NULL with a default", "k TEXT", "k TEXT NOT NULL ON CONFLICT REPLACE DEFAULT 'x'", "('a'), (NULL)", order.MayFail, 0, 2},
		{"a check with a clause", "k TEXT", "k TEXT, CHECK (k <> 'a') ON CONFLICT IGNORE", "('a'), ('b')", order.MayFail, 1, -1},
		{"a key becomes the rowid", "k INT PRIMARY KEY", "k INTEGER PRIMARY KEY", "(1), (NULL), (5)", order.Loss, 1, 3},
		{"a key of texts becomes the rowid", "k TEXT PRIMARY KEY", "k INTEGER PRIMARY KEY", "('1'), ('2')", order.MayFail, 0, 2},
		{"a key of words becomes the rowid", "k TEXT PRIMARY KEY", "k INTEGER PRIMARY KEY", "('1'), ('two')", order.MayFail, 1, -1},
		{"a primary key that replaces", "k TEXT, v", "k TEXT PRIMARY KEY ON CONFLICT REPLACE, v", "('a', 1), ('a', 2)", order.Loss, 2, 1},
	} {
		db := scratchDB(t, statements("CREATE TABLE t ("+c.target+")")...)
		columns := "k"
		if strings.Contains(c.target, "v") {
			columns = "k, v"
		}
		if err := db.Exec(t.Context(), "INSERT INTO t ("+columns+") VALUES "+c.rows); err != nil {
			t.Fatal(err)
		}
		plan, err := order.Build(choose.All(compare.Compare(structure(t, scratchDB(t, statements("CREATE TABLE t ("+c.source+")")...)), structure(t, db), compare.Options{})), &writer.Writer{}, func(order.Risk) bool { return true })
		if err != nil {
			t.Fatal(err)
		}
		rows := db.(engine.RowReader)
		asked := false
		for _, s := range plan.Steps {
			for _, r := range s.Risks {
				if r.Kind != c.kind || r.Ask == nil {
					continue
				}
				n, err := rows.Count(t.Context(), r.Ask.Count, 0)
				if err != nil {
					t.Errorf("%s: %v", c.name, err)
				}
				asked = asked || n == c.count
			}
		}
		if !asked {
			t.Errorf("%s: no question of kind %s finds %d: %+v", c.name, c.kind, c.count, plan.Steps[0].Risks)
		}
		left := int64(-1)
		failed := false
		for _, s := range plan.Steps {
			for _, sql := range s.SQL {
				failed = failed || db.Exec(t.Context(), sql) != nil
			}
		}
		if !failed {
			if left, err = rows.Count(t.Context(), "SELECT count(*) FROM t", 0); err != nil {
				t.Error(err)
			}
		}
		if left != c.left {
			t.Errorf("%s: %d rows are left, want %d", c.name, left, c.left)
		}
	}
}

// statements cuts a text at its semicolons.
func statements(text string) []string { return strings.Split(text, "; ") }

// TestQuestionsRun: each question, list, guard and saving query of a change is
// SQL that runs on the target.
func TestQuestionsRun(t *testing.T) {
	target := scratchDB(t, "CREATE TABLE [odd \"t] (id INTEGER PRIMARY KEY, \"a'b\" TEXT, [select] TEXT, n)", "CREATE TABLE gone (x TEXT, y BLOB)", "CREATE TABLE k (a TEXT, b TEXT, v TEXT, PRIMARY KEY (a, b)) WITHOUT ROWID",
		"INSERT INTO [odd \"t] VALUES (1, 'it''s', NULL, x'00')", "INSERT INTO gone VALUES ('a', x'ff')", "INSERT INTO k VALUES ('a', 'b', 'c')")
	source := scratchDB(t, "CREATE TABLE [odd \"t] (id INTEGER PRIMARY KEY, \"a'b\" INTEGER UNIQUE, [select] TEXT NOT NULL CHECK ([select] <> ''), n REFERENCES [odd \"t] (id))", "CREATE TABLE k (a TEXT, b TEXT, PRIMARY KEY (a, b)) WITHOUT ROWID")
	plan, err := order.Build(choose.All(compare.Compare(structure(t, source), structure(t, target), compare.Options{})), &writer.Writer{}, func(order.Risk) bool { return true })
	if err != nil {
		t.Fatal(err)
	}
	rows := target.(engine.RowReader)
	guards, saved := 0, []string{}
	for _, q := range plan.Questions() {
		for _, query := range []string{q.Count, q.Total} {
			if query != "" {
				if _, err := rows.Count(t.Context(), query, 0); err != nil {
					t.Errorf("%s: %v", query, err)
				}
			}
		}
		for _, query := range []string{q.List} {
			if query == "" {
				continue
			}
			if err := rows.Lines(t.Context(), "SELECT count(*) FROM ("+query+")", func(string) error { return nil }); err != nil {
				t.Errorf("%s: %v", query, err)
			}
		}
		for _, g := range q.Guard {
			guards++
			if err := target.Exec(t.Context(), g); err != nil && !strings.Contains(err.Error(), "were when the script was written") {
				t.Errorf("%s: %v", g, err)
			}
		}
		_ = target.Exec(t.Context(), "DROP TABLE IF EXISTS temp."+writer.GuardTable)
	}
	for _, step := range plan.Steps {
		for _, r := range step.Risks {
			if r.Save != nil {
				if err := rows.Lines(t.Context(), r.Save.Query, func(l string) error { saved = append(saved, l); return nil }); err != nil {
					t.Error(err)
				}
			}
		}
	}
	want := []string{`INSERT INTO gone (rowid, x, y) VALUES (1, 'a', X'FF');`, `UPDATE k SET v = 'c' WHERE a IS 'a' AND b IS 'b';`, `UPDATE "odd ""t" SET "a'b" = 'it''s' WHERE id IS 1;`}
	for _, w := range want {
		if !strings.Contains(strings.Join(saved, "\n"), w) {
			t.Errorf("not saved: %s\n%s", w, strings.Join(saved, "\n"))
		}
	}
	if guards < 3 {
		t.Errorf("%d guards", guards)
	}
}
