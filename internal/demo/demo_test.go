package demo

import (
	"path/filepath"
	"testing"

	"dappermirror/internal/core/compare"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/mysql"
	"dappermirror/internal/engine/postgres"
	"dappermirror/internal/engine/sqlite"
	"dappermirror/internal/engine/sqlserver"
)

// TestSampleTellsItsStory: the two sides differ in all the ways the walk
// through the demo talks about.
func TestSampleTellsItsStory(t *testing.T) {
	var sides []engine.Database
	for _, side := range []Side{Dev, Live} {
		db, err := sqlite.Engine{}.Open(t.Context(), filepath.Join(t.TempDir(), string(side)+".db"), engine.OpenOptions{Write: true, Create: true})
		if err != nil {
			t.Fatal(err)
		}
		defer db.Close()
		if err := Build(t.Context(), sqlite.Engine{}, db, side); err != nil {
			t.Fatal(err)
		}
		sides = append(sides, db)
	}
	dev, err := sides[0].Read(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	live, err := sides[1].Read(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	got := compare.Compare(dev, live, compare.Options{}).Counts()
	if want := (compare.Counts{Same: 5, Differs: 8, SourceOnly: 1}); got != want {
		t.Errorf("the sample differs in %+v, the tour says %+v", got, want)
	}
	for query, want := range map[string]int64{"SELECT count(*) FROM tide_reading": 3000, "SELECT count(*) FROM booking WHERE pilotage IS NOT NULL": 140, "SELECT count(*) FROM pragma_foreign_key_check": 0} {
		if n, err := sides[1].(engine.RowReader).Count(t.Context(), query, 0); err != nil || n != want {
			t.Errorf("%s: %d, want %d (%v)", query, n, want, err)
		}
	}
}

func TestEveryEngineHasTheSample(t *testing.T) {
	for _, e := range []engine.Engine{sqlite.Engine{}, postgres.Engine{}, mysql.Engine{}, sqlserver.Engine{}} {
		for _, side := range []Side{Dev, Live} {
			if text, err := Text(e, side); err != nil || len(text) < 1000 {
				t.Errorf("%s %s: %d bytes, %v", e.Name(), side, len(text), err)
			}
		}
	}
}
