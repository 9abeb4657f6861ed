package reviews

import (
	"fmt"
	"os"
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

const (
	dev  = "CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT COLLATE NOCASE NOT NULL, depth REAL); CREATE TABLE slot (id INTEGER PRIMARY KEY REFERENCES berth (id)); CREATE VIEW v AS SELECT id FROM slot; CREATE INDEX ix ON berth (depth);"
	live = "CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT NOT NULL, old TEXT); CREATE TABLE hot_fix (id INTEGER PRIMARY KEY);"
)

// TestDesk: what follows from what was said, one thing after the other.
func TestDesk(t *testing.T) {
	d := opened(t, dev, live)
	for _, c := range []struct {
		name        string
		said        review.Said
		steps, held int
		lacking     string
		wrong       string
	}{
		{"nothing", review.Said{}, 4, 2, "", ""},
		{"all losses", review.Said{MayLose: []string{"*"}}, 5, 0, "", ""},
		{"one loss", review.Said{MayLose: []string{"table:hot_fix"}}, 5, 1, "", ""},
		{"a table left", review.Said{Own: true, Leave: []string{"table:slot"}}, 0, 0, "view:v needs table:slot; view:v needs column:slot.id", ""},
		{"and taken along", review.Said{Own: true, Leave: []string{"table:slot"}, AddNeeded: true}, 4, 2, "", ""},
		{"to the source", review.Said{Own: true, ToSource: []string{"table:hot_fix"}}, 4, 1, "", ""},
		{"a rename", review.Said{Rename: []string{"column:berth.old=depth"}}, 3, 4, "", ""},
		{"tolerated", review.Said{Tolerate: []string{"collation"}}, 4, 2, "", ""},
		{"no tolerance", review.Said{Tolerate: []string{"nonsense"}}, 0, 0, "", "nonsense"},
		{"no such rename", review.Said{Rename: []string{"column:berth.x=y"}}, 0, 0, "", "berth.x"},
		{"no kind", review.Said{MayLose: []string{"tabel:x"}}, 0, 0, "", "tabel"},
		{"nothing again", review.Said{}, 4, 2, "", ""},
	} {
		j, err := d.Judge(t.Context(), c.said)
		if err != nil {
			if c.wrong == "" || !strings.Contains(err.Error(), c.wrong) {
				t.Errorf("%s: %v", c.name, err)
			}
			continue
		}
		if c.wrong != "" {
			if !strings.Contains(j.Stuck, c.wrong) {
				t.Errorf("%s: it is not refused: %q", c.name, j.Stuck)
			}
			continue
		}
		var lacking []string
		for _, l := range j.Lacking {
			lacking = append(lacking, l.Thing+" needs "+l.Needs)
		}
		if got := strings.Join(lacking, "; "); got != c.lacking {
			t.Errorf("%s: lacking %q", c.name, got)
		}
		if c.lacking == "" && (len(j.Steps) != c.steps || len(j.Held) != c.held) {
			t.Errorf("%s: %d steps, %d held back", c.name, len(j.Steps), len(j.Held))
			for _, s := range slices.Concat(j.Steps, j.Held) {
				t.Log(s.Title, s.Of, s.Loses)
			}
		}
		for _, h := range j.Held {
			if h.Because == "" || h.Worst == "loss" && len(h.Loses) == 0 {
				t.Errorf("%s: %s is held back, and nothing says why: %+v", c.name, h.Title, h)
			}
		}
	}
	if got := d.Tolerances("column:berth.name"); !slices.Contains(got, "collation") {
		t.Errorf("tolerances: %q", got)
	}
	if got := d.Tolerances("table:nowhere"); got != nil {
		t.Errorf("tolerances of nothing: %q", got)
	}
	if _, err := d.Look("table:nowhere"); err == nil {
		t.Error("what does not differ can be looked at")
	}
	if err := files.Write(d.target, []byte(live+"CREATE TABLE later (id INTEGER);")); err != nil {
		t.Fatal(err)
	}
	changed, err := d.Again(t.Context(), review.Said{Own: true, Leave: []string{"table:hot_fix"}})
	if err != nil || !slices.Equal(changed, []string{"differs now: table later"}) {
		t.Errorf("read again: %q %v", changed, err)
	}
}

// TestWriting: what is written is what the commands write, never over what is there, and
// what was said is kept until then.
func TestWriting(t *testing.T) {
	d := opened(t, dev, live)
	dir := filepath.Dir(d.source)
	said := review.Said{Own: true, Leave: []string{"index:berth.ix"}, ToSource: []string{"table:hot_fix"}, MayLose: []string{"column:berth.old"}}
	if _, err := d.Judge(t.Context(), said); err != nil {
		t.Fatal(err)
	}
	if err := d.Keep(said); err != nil || fmt.Sprint(d.kept()) != fmt.Sprint(said) {
		t.Errorf("kept %+v %v", d.kept(), err)
	}
	for _, c := range []struct {
		what review.What
		file string
		says []string
	}{
		{review.Choices, "choices.yaml", []string{"index:berth.ix", "to-source"}}, {review.Script, "up.sql", []string{"--leave index:berth.ix", "CREATE TABLE slot"}}, {review.Backout, "down.sql", []string{"DROP TABLE slot"}},
		{review.Source, "source.sql", []string{"CREATE TABLE hot_fix"}}, {review.Report, "r.md", []string{"berth", "slot"}}, {review.Report, "r.html", []string{"<html"}},
	} {
		path := filepath.Join(dir, c.file)
		text, err := d.Write(t.Context(), c.what, path, said)
		if err != nil || !strings.Contains(text, c.file) {
			t.Errorf("%s: %q %v", c.what, text, err)
			continue
		}
		data, err := os.ReadFile(path)
		for _, s := range c.says {
			if err != nil || !strings.Contains(strings.ReplaceAll(string(data), "\n--             ", " "), s) {
				t.Errorf("%s does not say %q %v:\n%s", c.file, s, err, data)
			}
		}
		if _, err := d.Write(t.Context(), c.what, path, said); err == nil || !strings.Contains(err.Error(), "there already") {
			t.Errorf("%s is written over: %v", c.what, err)
		}
	}
	if !d.kept().Empty() {
		t.Errorf("what was written is still kept: %+v", d.kept())
	}
	for _, c := range []struct {
		what review.What
		file string
		says string
	}{{review.Script, "", "name a file"}, {review.Report, filepath.Join(dir, "r.odd"), "r.odd"}, {review.Script, d.source, "there already"}, {review.Script, filepath.Join(dir, "no\x00name"), ""}} {
		if _, err := d.Write(t.Context(), c.what, c.file, said); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s into %q: %v", c.what, c.file, err)
		}
	}
	if _, err := d.Summary(said); err == nil || !strings.Contains(err.Error(), "no database") {
		t.Errorf("a text can be run: %v", err)
	}
	text, err := os.ReadFile(filepath.Join(dir, "up.sql"))
	if err != nil {
		t.Fatal(err)
	}
	sc, eng := scriptIn(filepath.Join(dir, "up.sql"))
	if sc == nil {
		t.Fatal("the script is not known as one")
	}
	parts, err := statements(sc, eng)
	if err != nil {
		t.Fatal(err)
	}
	for _, st := range sc.Planned() {
		if len(parts[st.Number]) == 0 {
			t.Errorf("step %d has no statement", st.Number)
		}
		for _, s := range parts[st.Number] {
			if !strings.Contains(string(text), s) {
				t.Errorf("step %d has %q", st.Number, s)
			}
		}
	}
	// What looks like the head of a step within a body moves nothing to another step.
	odd := *sc
	odd.Body = "-- step 1 of 2  create trigger\nCREATE TRIGGER t AFTER INSERT ON a BEGIN\n-- step 7 of 9  nothing\n  DELETE FROM a;\nEND;\n-- step 2 of 2  drop\nDROP TABLE b;\n"
	if parts, err := statements(&odd, eng); err != nil || len(parts) != 2 || len(parts[1]) != 1 || !strings.Contains(parts[1][0], "DELETE FROM a") || !slices.Equal(parts[2], []string{"DROP TABLE b;"}) {
		t.Errorf("a body with the head of a step: %v %v", parts, err)
	}
	for _, path := range []string{d.source, dir, filepath.Join(dir, "nowhere.sql")} {
		if sc, _ := scriptIn(path); sc != nil {
			t.Errorf("%s is taken for a script", path)
		}
	}
}
