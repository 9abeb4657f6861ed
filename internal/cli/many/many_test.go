package many

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dappermirror/internal/core/compare"
	"dappermirror/internal/report"
	"dappermirror/internal/settings"
	"dappermirror/internal/work"
)

func TestShare(t *testing.T) {
	for text, want := range map[string]string{"1/1": "1 1", "3/10": "3 10", "10/10": "10 10", "0/3": "", "4/3": "", "3": "", "/": "", "a/b": "", "-1/3": "", "1/0": "", "1/3/5": "", "": "", " 1/3": ""} {
		n, of, err := Share(text)
		if got := fmt.Sprint(n, of); err == nil && got != want || (err == nil) != (want != "") {
			t.Errorf("%q: %s, %v", text, got, err)
		}
	}
	// Shares of a list are parts of it: each target is in one.
	var list []settings.Target
	for i := range 23 {
		list = append(list, settings.Target{Place: settings.Place{At: fmt.Sprint("t", i)}})
	}
	for of := 1; of <= 25; of++ {
		seen := map[string]int{}
		for n := 1; n <= of; n++ {
			part, err := (&Options{Share: fmt.Sprintf("%d/%d", n, of)}).part(list)
			if err != nil || len(part) > 23/of+1 {
				t.Fatalf("%d/%d: %d, %v", n, of, len(part), err)
			}
			for _, p := range part {
				seen[p.At]++
			}
		}
		for _, x := range list {
			if seen[x.At] != 1 {
				t.Errorf("of %d parts %s is in %d", of, x.At, seen[x.At])
			}
		}
	}
}

func TestSeveral(t *testing.T) {
	t.Chdir(t.TempDir())
	if err := os.WriteFile("odd*.db", nil, 0o644); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		o     Options
		typed []string
		want  bool
	}{
		{Options{}, []string{"live"}, false}, {Options{}, []string{"a", "b"}, true}, {Options{}, nil, true}, {Options{}, []string{"customer-*"}, true}, {Options{}, []string{"customer-?"}, true},
		{Options{}, []string{"odd*.db"}, false}, {Options{}, []string{"postgres://h/x?host=/run"}, false}, {Options{File: "l.txt"}, nil, true}, {Options{File: "l.txt"}, []string{"a"}, true}, {Options{Share: "1/2"}, []string{"a"}, true},
	} {
		if got := c.o.Several(c.typed); got != c.want {
			t.Errorf("%+v %v: %v", c.o, c.typed, got)
		}
	}
	for name, want := range map[string]string{"live": "out/live.sql", "../../etc/x": "", "a b": "", "": "", "ü": ""} {
		if got := FileFor("out/{target}.sql", name); want != "" && got != want || filepath.Dir(got) != "out" || strings.ContainsAny(got, " ") {
			t.Errorf("%q: %s", name, got)
		}
	}
}

// TestScripts: names that would write over something are refused before anything runs.
func TestScripts(t *testing.T) {
	t.Chdir(t.TempDir())
	for _, f := range []string{"a.db", "out/b.sql"} {
		if err := os.MkdirAll(filepath.Dir(f), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(f, nil, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct {
		s     *Scripts
		names []string
		says  string
	}{
		{&Scripts{Pattern: "up/{target}.sql", Backout: "up/{target}.back.sql"}, []string{"a", "b"}, ""}, {&Scripts{Pattern: "up.sql"}, []string{"a"}, ""}, {&Scripts{}, []string{"a", "b"}, ""},
		{&Scripts{Pattern: "up.sql"}, []string{"a", "b"}, "{target} in it"}, {&Scripts{Pattern: "up/{target}.sql", Backout: "x"}, []string{"a", "b"}, "--backout x"}, {&Scripts{Pattern: "{target}.s", Backout: "{target}.s"}, []string{"a", "b"}, "are one file"},
		{&Scripts{Pattern: "out/{target}.sql"}, []string{"a", "b"}, "--force"}, {&Scripts{Pattern: "out/{target}.sql", Force: true}, []string{"a", "b"}, ""}, {&Scripts{Pattern: "{target}.db", Force: true}, []string{"a", "b"}, "is the place a.db"}, {&Scripts{Pattern: "./out/../{target}.db", Force: true}, []string{"a", "b"}, "is the place a.db"},
	} {
		if err := c.s.Check(c.names, "dev.db", "a.db", "postgres://x/y"); (err == nil) != (c.says == "") || err != nil && !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s, %s: %v, want %q", c.s.Pattern, c.s.Backout, err, c.says)
		}
	}
}

// TestResult: what became of a target, by how far its job came.
func TestResult(t *testing.T) {
	pair := func(differs bool) *work.Pair {
		c := &compare.Comparison{}
		if differs {
			c.Items = []*compare.Item{{Status: compare.Differs}}
		}
		return &work.Pair{Comparison: c}
	}
	d := Doing{Compared: 1}
	for _, c := range []struct {
		done work.Done
		job  work.Job
		open int
		want report.Result
		exit int
	}{
		{work.Done{Pair: pair(false)}, work.Job{}, 0, report.Equal, 0},
		{work.Done{Pair: pair(true)}, work.Job{}, 1, report.Differs, 1},
		{work.Done{Pair: pair(true)}, work.Job{}, 0, report.Done, 0}, // left so by choice
		{work.Done{Pair: pair(true)}, work.Job{Write: &work.Writing{}}, 1, report.Differs, 0},
		{work.Done{Pair: pair(false)}, work.Job{Write: &work.Writing{}}, 0, report.Equal, 0},
	} {
		if got, exit := d.result(&c.done, c.job, c.open); got != c.want || exit != c.exit {
			t.Errorf("%+v: %s, %d, want %s, %d", c.job, got, exit, c.want, c.exit)
		}
	}
}
