package e2e

import (
	"path/filepath"
	"strings"
	"testing"

	"dappermirror/internal/core/compare"
	"dappermirror/internal/report"
)

// TestRenames: two structures that differ in nothing but names, which are given,
// compare as renames only and are brought in line by renames only, but for the
// texts that the engine keeps as they were written; rows stay where they are, the
// engine's dumps agree, and the way back leads back.
func TestRenames(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			t.Parallel()
			p := e.with(t)
			for _, c := range readPairs(t, filepath.Join("testdata", "renames", e.name+".sql")) {
				t.Run(c.name, func(t *testing.T) { renamed(t, c, p) })
			}
		})
	}
}

func renamed(t *testing.T, c pairCase, p places) {
	dir := t.TempDir()
	live, dev := p.make(t, c.target), p.make(t, c.source)
	var said []string
	for _, s := range c.says {
		said = append(said, "--rename", s)
	}
	more := c.exit != 0 || c.loss // it differs in more than names
	if j := answers(t, 1, dir, dev, live, said...); !more {
		onlyNames(t, j.Differences)
	}
	was := p.dump(t, live)
	args := append([]string{"script", dev, live, "-o", "up.sql", "--backout", "down.sql", "--may-lose", "*"}, said...)
	want(t, 0, dir, args...)
	text := read(t, filepath.Join(dir, "up.sql"))
	for _, l := range strings.Split(text, "\n") {
		title, ok := strings.CutPrefix(l, "-- step ")
		_, title, _ = strings.Cut(title, "  ")
		kept := strings.Contains(title, "view ") || strings.Contains(title, "routine ") || strings.Contains(title, "function ") || strings.Contains(title, "trigger ")
		if ok && !strings.HasPrefix(title, "rename ") && !strings.HasPrefix(title, "change the name ") && !kept && !more {
			t.Errorf("a step is no rename: %s\n%s", title, text)
		}
	}
	for _, s := range c.says {
		if !strings.Contains(unfolded(text), "renamed --rename "+s) && !strings.Contains(unfolded(text), "--rename "+s) {
			t.Errorf("the header does not say --rename %s", s)
		}
	}
	other := p.make(t, c.target)
	if out, err := p.client(live, filepath.Join(dir, "up.sql")); err != nil {
		t.Fatalf("%s\n%s", out, text)
	}
	want(t, 0, dir, "apply", "up.sql", other, "--yes")
	for _, place := range []string{live, other} {
		answers(t, 0, dir, dev, place)
		if d := firstDifference(p.dump(t, dev), p.dump(t, place)); d != "" {
			t.Errorf("the engine's own view differs: %s\n%s", d, text)
		}
		for _, q := range c.keep {
			if p.ask(t, place, q) == "" {
				t.Errorf("no rows: %s", q)
			}
		}
	}
	want(t, 0, dir, "apply", "down.sql", other, "--yes")
	if d := firstDifference(was, p.dump(t, other)); d != "" {
		t.Errorf("the way back leads elsewhere: %s\n%s", d, read(t, filepath.Join(dir, "down.sql")))
	}
	for _, q := range c.keep {
		if p.ask(t, live, q) == "" {
			t.Errorf("no rows: %s", q)
		}
	}
}

// onlyNames sees that nothing but names differs, those given and those of parts
// that are known by what they say.
func onlyNames(t *testing.T, list []report.JSONItem) {
	t.Helper()
	for _, it := range list {
		if it.Status != compare.Differs {
			t.Errorf("%s %s is %s", it.Kind, it.Name, it.Status)
		}
		for _, d := range it.Properties {
			if d.Name != "name" {
				t.Errorf("%s %s differs in %s", it.Kind, it.Name, d.Name)
			}
		}
		onlyNames(t, it.Parts)
	}
}
