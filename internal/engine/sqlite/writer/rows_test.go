package writer_test

import (
	"context"
	"fmt"
	"math/rand/v2"
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

// TestChangedValuesTellTheTruth: which values another affinity would change is
// predicted as SQLite then really changes them.
func TestChangedValuesTellTheTruth(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 20261123))
	value := func() string {
		switch r.IntN(8) {
		case 0:
			return fmt.Sprint(r.IntN(2000) - 1000)
		case 1:
			return fmt.Sprintf("%.3f", r.Float64()*100)
		case 2:
			return fmt.Sprintf("'%03d'", r.IntN(200))
		case 3:
			return fmt.Sprintf("'%d'", r.IntN(200))
		case 4:
			return fmt.Sprintf("'%.2f'", r.Float64()*10)
		case 5:
			return "'" + []string{"berth", "", "1e3", " 7", "0x10", "-0", "9007199254740993", "12 m"}[r.IntN(8)] + "'"
		case 6:
			return []string{"9007199254740993", "9223372036854775807", "1e300", "0.1", "3.0"}[r.IntN(5)]
		}
		return []string{"NULL", "x'00ff'", "x'3132'"}[r.IntN(3)]
	}
	found := 0
	for pair, lost := range writer.Lossy {
		if !lost {
			continue
		}
		types := map[string]string{"TEXT": "TEXT", "INTEGER": "INTEGER", "REAL": "REAL", "NUMERIC": "NUMERIC", "BLOB": ""}
		from, to := types[pair[0]], types[pair[1]]
		for range 60 {
			v := value()
			db := scratchDB(t, "CREATE TABLE a (v "+from+")", "INSERT INTO a VALUES ("+v+")", "CREATE TABLE b (v "+to+")", "INSERT INTO b SELECT v FROM a", "CREATE TABLE back (v "+from+")", "INSERT INTO back SELECT v FROM b")
			o := structure(t, db).Find(catalog.Ref{Kind: catalog.Table, Name: "a"})
			q := writer.ChangedValues(o, o.Part(catalog.Column, "v"), pair[1])
			rows := db.(engine.RowReader)
			asked, err := rows.Count(t.Context(), q.Count, 0)
			if err != nil {
				t.Fatal(err)
			}
			// A value is changed when the way there and back does not bring it back.
			changed, err := rows.Count(t.Context(), "SELECT count(*) FROM a, back WHERE a.v IS NOT back.v OR typeof(a.v) <> typeof(back.v) AND typeof(a.v) IN ('text', 'blob')", 0)
			if err != nil {
				t.Fatal(err)
			}
			if asked == 0 && changed > 0 {
				t.Errorf("%s from %s to %s is changed, and the rows are said to be clean", v, pair[0], pair[1])
			}
			found += int(asked)
		}
	}
	if found == 0 {
		t.Error("no value was ever found; the values are badly chosen")
	}
}

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
