package e2e

import (
	"path/filepath"
	"strings"
	"testing"
)

// engines are the three of them, each on its private server.
var engines = []struct {
	name   string
	engine string // by its name inside
	with   func(t testing.TB) places
}{
	{"sqlite", "sqlite", func(t testing.TB) places { return litePlaces{t.TempDir(), new(int)} }},
	{"postgres", "postgres", func(t testing.TB) places { return pgPlaces{postgres(t)} }},
	{"mariadb", "mysql", func(t testing.TB) places { return mariaPlaces{mariadb(t)} }},
}

// unfolded is a script's text with its comments unfolded.
func unfolded(text string) string {
	return strings.Join(strings.Fields(strings.ReplaceAll(text, "\n--", " ")), " ")
}

// TestRowChecks: what the rows say about each risk stands in the script; what
// they forbid ends with 3; a row that comes between check and run trips the
// guard, in the engine's own client and in apply, and nothing is lost.
func TestRowChecks(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			p := e.with(t)
			for _, c := range readPairs(t, filepath.Join("testdata", "rows", e.name+".sql")) {
				t.Run(c.name, func(t *testing.T) { rowCheck(t, c, p) })
			}
		})
	}
}

func rowCheck(t *testing.T, c pairCase, p places) {
	dir := t.TempDir()
	source, target := p.make(t, c.common+c.source), p.make(t, c.common+c.target+c.rows)
	before := p.dump(t, target)
	file := filepath.Join(dir, "up.sql")
	r := want(t, c.exit, dir, "script", source, target, "-o", file)
	text := unfolded(read(t, file))
	for _, s := range c.says {
		if !strings.Contains(text, strings.Join(strings.Fields(s), " ")) {
			t.Errorf("the script does not say %q:\n%s", s, read(t, file))
		}
	}
	if d := firstDifference(before, p.dump(t, target)); d != "" {
		t.Errorf("asking changed the target: %s", d)
	}
	if strings.Contains(text, "will-fail") { // it is held back, and the rest runs
		if !strings.Contains(r.errout, "held back  ") || !strings.Contains(r.errout, "leave it out with --except") {
			t.Errorf("it is not said: %s", r.errout)
		}
		quiet := run(t, dir, "script", source, target, "-q")
		if quiet.code != 3 || !strings.Contains(quiet.errout, "held back  ") {
			t.Errorf("not said with -q: %s", quiet.errout)
		}
		if out, err := p.client(target, file); err != nil {
			t.Errorf("the rest does not run: %s", out)
		}
		want(t, 1, dir, "compare", source, target)
		if again := run(t, dir, "script", source, target); again.code != 3 || !strings.Contains(again.out, "none to run") {
			t.Errorf("something is still to run: %s", again.out)
		}
		return
	}
	if c.trips == "" {
		if c.exit == 0 && !strings.Contains(text, "may-fail") {
			want(t, 0, dir, "apply", file, target, "--yes")
			want(t, 0, dir, "compare", source, target)
		}
		return
	}
	p.ask(t, target, c.trips)
	keep := ""
	for _, q := range c.keep {
		keep += p.ask(t, target, q)
	}
	if out, err := p.client(target, file); err == nil {
		t.Errorf("the guard let the client through: %s", out)
	}
	want(t, 3, dir, "apply", file, target, "--yes")
	now := ""
	for _, q := range c.keep {
		now += p.ask(t, target, q)
	}
	if d := firstDifference(before, p.dump(t, target)); d != "" || keep != now {
		t.Errorf("the target is not as it was: %s %s %s", d, keep, now)
	}
}
