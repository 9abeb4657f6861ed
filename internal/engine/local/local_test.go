package local

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

func TestServer(t *testing.T) {
	for _, c := range []struct {
		name, script string
		ready        bool
		says         string
	}{
		{"it starts", "touch up; exec sleep 60", true, ""},
		{"it does not", "echo no room for it >&2; exit 3", false, "the server did not start: no room for it"},
	} {
		s, err := New("")
		if err != nil {
			t.Fatal(err)
		}
		up := filepath.Join(s.Dir, "up")
		err = s.Start(t.Context(), func(context.Context) error { _, err := os.Stat(up); return err }, "sh", "-c", c.script)
		if (err == nil) != c.ready || !c.ready && err.Error() != c.says {
			t.Errorf("%s: %v", c.name, err)
		}
		if err := s.Stop(); err != nil {
			t.Errorf("%s: stopping: %v", c.name, err)
		}
		if _, err := os.Stat(s.Dir); !errors.Is(err, os.ErrNotExist) {
			t.Errorf("%s: its folder is left: %v", c.name, err)
		}
		if c.ready && s.cmd.ProcessState == nil {
			t.Errorf("%s: it still runs", c.name)
		}
	}
	s, err := New("")
	if err != nil {
		t.Fatal(err)
	}
	defer s.Stop()
	if err := s.Run(t.Context(), "sh", "-c", "echo first; echo the reason >&2; exit 1"); err == nil || !strings.HasSuffix(err.Error(), "the reason") {
		t.Errorf("a program that fails: %v", err)
	}
	ctx, cancel := context.WithTimeout(t.Context(), 100*time.Millisecond)
	defer cancel()
	if err := s.Start(ctx, func(context.Context) error { return errors.New("not yet") }, "sleep", "60"); !errors.Is(err, context.DeadlineExceeded) {
		t.Errorf("given up: %v", err)
	}
}

func TestFind(t *testing.T) {
	dir := t.TempDir()
	for _, v := range []string{"13", "15"} {
		if err := os.MkdirAll(filepath.Join(dir, v), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(dir, v, "served"), nil, 0o755); err != nil {
			t.Fatal(err)
		}
	}
	if got, err := Find("served", filepath.Join(dir, "*")); err != nil || got != filepath.Join(dir, "15", "served") {
		t.Errorf("the newest is %s, %v", got, err)
	}
	if got, err := Find("sh", filepath.Join(dir, "*")); err != nil || filepath.Base(got) != "sh" {
		t.Errorf("from PATH: %s, %v", got, err)
	}
	if _, err := Find("no-such-program-here", dir); !errors.Is(err, ErrNoPrograms) {
		t.Errorf("not there: %v", err)
	}
}

// TestKey: what a server is kept under tells the engine and the variant again.
func TestKey(t *testing.T) {
	for _, c := range [][4]string{{"toy", "", "texts", "toy..texts"}, {"toy", "15", "rehearsals", "toy.15.rehearsals"}, {"toy", "folding", "texts", "toy.folding.texts"}} {
		key := Key(c[0], c[1], c[2])
		if engine, variant := Named(key); key != c[3] || engine != c[0] || variant != c[1] {
			t.Errorf("%v is kept under %s, which is of %s %s", c, key, engine, variant)
		}
	}
	if engine, variant := Named("toy"); engine != "toy" || variant != "" {
		t.Errorf("a word alone is of %s %s", engine, variant)
	}
}
