package e2e

import (
	"path/filepath"
	"strings"
	"testing"

	"dappermirror/internal/demo"
	"dappermirror/internal/engine"
)

// TestCapturesOfEarlierPrograms: a capture that an earlier version wrote is read,
// is the structure it was made of, and scripts are written from it.
func TestCapturesOfEarlierPrograms(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			p, dir := e.with(t), t.TempDir()
			eng, err := engine.Named(strings.Replace(e.name, "mariadb", "mysql", 1))
			if err != nil {
				t.Fatal(err)
			}
			capture, err := filepath.Abs(filepath.Join("testdata", "captures", e.name+".json"))
			if err != nil {
				t.Fatal(err)
			}
			live, err := demo.Text(eng, demo.Live)
			if err != nil {
				t.Fatal(err)
			}
			dev, err := demo.Text(eng, demo.Dev)
			if err != nil {
				t.Fatal(err)
			}
			now := p.make(t, live)
			want(t, 0, dir, "compare", capture, now)
			want(t, 0, dir, "compare", now, capture)
			want(t, 0, dir, "script", p.make(t, dev), capture, "--may-lose", "*", "--fill", "vessel.flag_state='QH'", "--fill", "pilot.family_name='x'", "-o", "up.sql")
			if out, err := p.client(now, filepath.Join(dir, "up.sql")); err != nil {
				t.Errorf("the script for what was captured does not run on it: %s", out)
			}
		})
	}
}
