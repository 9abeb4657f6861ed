package reviews

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	tea "charm.land/bubbletea/v2"

	"dappermirror/internal/cli/judgement"
	_ "dappermirror/internal/engine/all"
	"dappermirror/internal/files"
	"dappermirror/internal/review"
	"dappermirror/internal/work"
)

// office is a command line with nothing but its work.
type office struct {
	App
	work *work.Session
}

func (o office) Work() *work.Session { return o.work }

// opened is a desk on two SQL texts of SQLite.
func opened(t testing.TB, source, target string) *desk {
	t.Helper()
	t.Setenv("XDG_STATE_HOME", t.TempDir())
	dir := t.TempDir()
	d := &desk{app: office{work: &work.Session{Tell: func(work.Event) {}}}, base: &judgement.Said{}, source: filepath.Join(dir, "dev.sql"), target: filepath.Join(dir, "live.sql")}
	d.app.Work().Places.Dialect = "sqlite"
	d.w.Rows.Checks, d.w.Rows.Time = "on", work.RowCheckTime
	for path, text := range map[string]string{d.source: source, d.target: target} {
		if err := files.Write(path, []byte(text)); err != nil {
			t.Fatal(err)
		}
	}
	c, _, err := d.comparing(review.Said{})
	if err == nil {
		d.judging, err = d.app.Work().Judging(t.Context(), d.source, d.target, c)
	}
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// TestEveryDifferenceIsInAStep: what differs is carried out by a step, held back or left,
// and what is left by its name is left and nothing else.
func TestEveryDifferenceIsInAStep(t *testing.T) {
	d := opened(t, "CREATE TABLE a (id INTEGER PRIMARY KEY, n TEXT NOT NULL DEFAULT 'x', depth NUMERIC(8,2)); CREATE INDEX ia ON a (n); CREATE VIEW v AS SELECT n FROM a; CREATE TABLE b (id INTEGER PRIMARY KEY REFERENCES a (id)); CREATE TRIGGER t AFTER INSERT ON a BEGIN SELECT 1; END;",
		"CREATE TABLE a (id INTEGER PRIMARY KEY, depth REAL, old TEXT); CREATE INDEX ib ON a (depth); CREATE TABLE gone (id INTEGER);")
	j, err := d.Judge(t.Context(), review.Said{})
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for _, x := range j.Differences {
		if x.Parts == nil || !x.Bare {
			all = append(all, x.ID)
		}
		for _, p := range x.Parts {
			all = append(all, p.ID)
		}
	}
	in := func(j *review.Judged, id string) bool {
		return slices.ContainsFunc(slices.Concat(j.Steps, j.Held), func(s *review.Step) bool { return slices.Contains(s.Of, id) })
	}
	for _, id := range all {
		if !in(j, id) {
			t.Errorf("%s is in no step", id)
		}
		left, err := d.Judge(t.Context(), review.Said{Own: true, Leave: []string{id}})
		if err != nil {
			t.Fatal(err)
		}
		if in(left, id) {
			t.Errorf("%s is left, and in a step all the same", id)
		}
		if c, err := d.Look(strings.TrimSpace(id)); err != nil || !strings.Contains(id, ".") && !c.Object.Defined {
			t.Errorf("%s closely: %v", id, err)
		}
	}
	if len(all) < 8 {
		t.Errorf("%d differences: %q", len(all), all)
	}
}

// BenchmarkKey measures a key that changes the judgement, in a review of 10,000 tables and
// 300 steps: all is ordered and drawn anew.
func BenchmarkKey(b *testing.B) {
	var source, target strings.Builder
	for i := range 10_000 {
		table := fmt.Sprintf("CREATE TABLE t_%05d (id INTEGER PRIMARY KEY, name TEXT, depth REAL, up INTEGER REFERENCES t_%05d (id));\n", i, i/2)
		target.WriteString(table)
		if i%33 == 0 {
			table = strings.Replace(table, "depth REAL", "depth NUMERIC(8,2)", 1)
		}
		source.WriteString(table)
	}
	m, err := review.New(b.Context(), opened(b, source.String(), target.String()), review.Said{})
	if err != nil {
		b.Fatal(err)
	}
	m.Update(tea.WindowSizeMsg{Width: 120, Height: 40})
	for _, c := range []struct {
		name string
		key  tea.KeyPressMsg
	}{{"move", tea.KeyPressMsg{Code: tea.KeyDown}}, {"off and on", tea.KeyPressMsg{Code: tea.KeySpace, Text: " "}}} {
		b.Run(c.name, func(b *testing.B) {
			for b.Loop() {
				m.Update(c.key)
				_ = m.Frame()
			}
		})
	}
}
