package e2e

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/judge"
	"dappermirror/internal/engine"
)

// TestTolerances: for each engine and each tolerance it has, a pair that differs
// only in what the tolerance makes equal, and one that differs in more. The
// section rows of a case changes the source further, says are other options.
func TestTolerances(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			t.Parallel()
			p, covered := e.with(t), map[string]bool{}
			for _, c := range readPairs(t, filepath.Join("testdata", "tolerances", e.name+".sql")) {
				covered[c.name] = true
				t.Run(c.name, func(t *testing.T) { tolerance(t, c, p) })
			}
			eng, err := engine.Named(e.engine)
			if err != nil {
				t.Fatal(err)
			}
			for _, cover := range eng.Kinds().Tolerable() {
				if !covered[cover.Tolerance] && !untried[e.name+" "+cover.Tolerance] {
					t.Errorf("no case tries %s", cover.Tolerance)
				}
				if !slices.ContainsFunc(judge.Tolerances, func(t judge.Tolerance) bool { return t.Name == cover.Tolerance }) {
					t.Errorf("nobody can ask for %s", cover.Tolerance)
				}
			}
		})
	}
}

// untried are tolerances of what the servers of these tests do not have, or not
// without more: NOT NULL has names from PostgreSQL 18 on, labels want a provider,
// another access method an extension, and accounts are the server's. MariaDB's
// client takes CR LF for LF, and its server prints defaults in one spelling.
var untried = map[string]bool{"postgres not-null-names": true, "postgres security-labels": true, "postgres access-methods": true, "mariadb grants": true,
	"mariadb line-endings": true, "mariadb default-spelling": true}

func tolerance(t *testing.T, c pairCase, p places) {
	dir := t.TempDir()
	with := append(strings.Fields(strings.Join(c.says, " ")), "--tolerate", c.name)
	include := with[:len(with)-2]
	source, target := p.make(t, c.source), p.make(t, c.target)
	answers(t, 1, dir, source, target, include...)
	hidden := func(source, target string, code int) string {
		j := answers(t, code, dir, source, target, with...)
		var by []string
		for _, n := range j.Tolerated {
			by = append(by, fmt.Sprintf("%d %s", n.N, n.Name))
		}
		if len(by) != 1 || j.Tolerated[0].Name != c.name || code == 0 && j.Similarity != 100 {
			t.Errorf("tolerated %v, alike %v", by, j.Similarity)
		}
		return strings.Join(by, ", ")
	}
	for _, sides := range [][2]string{{source, target}, {target, source}} {
		hidden(sides[0], sides[1], 0)
		out := want(t, 0, dir, append([]string{"script", sides[0], sides[1]}, with...)...).out
		if !strings.Contains(out, "none to run, 0 held back") || !strings.Contains(out, "--tolerate "+c.name) {
			t.Errorf("a script for what is tolerated:\n%s", out)
		}
	}
	if c.name == "line-endings" { // nothing of it can be seen, so it is said
		if out := run(t, dir, append(slices.Clone(include), "compare", source, target)...).out; !strings.Contains(out, "in its line endings") {
			t.Errorf("what differs is not said:\n%s", out)
		}
	}
	nowhere := append(slices.Clone(include), "--tolerate", c.name+"@*:nothing_here.*")
	if j := answers(t, 1, dir, source, target, nowhere...); len(j.Tolerated) > 0 {
		t.Errorf("tolerated elsewhere: %v", j.Tolerated)
	}

	// More differs: that is brought in line, and what is tolerated stays the
	// target's own, also where a script made for a target like the source runs.
	more := p.make(t, c.source+"\n"+c.rows)
	answers(t, 1, dir, more, target, with...)
	args := append([]string{"script", more, target, "-o", "up.sql", "--may-lose", "*", "--backout", "down.sql"}, with...)
	want(t, 0, dir, args...)
	was, before := p.dump(t, target), hiddenIn(t, dir, source, target, with)
	kept := func() (out []string) {
		for _, q := range c.keep {
			out = append(out, p.ask(t, target, q))
		}
		return out
	}
	rows := kept()
	for _, place := range []string{target, source} {
		if place == source && strings.HasSuffix(c.name, "-names") && run(t, dir, "check", "up.sql", place).code == 1 {
			continue // it speaks of names that are others here
		}
		if out := want(t, 0, dir, "check", "up.sql", place).out; !strings.Contains(out, "tolerated") {
			t.Errorf("check does not say what was tolerated:\n%s", out)
		}
		want(t, 0, dir, "apply", "up.sql", place, "--yes")
		answers(t, 0, dir, more, place, with...)
	}
	if d := firstDifference(rows, kept()); d != "" {
		t.Errorf("rows: %s", d)
	}
	// A text that is to say something else is the source's.
	text := slices.Contains([]string{"whitespace", "letter-case", "text-comments", "line-endings"}, c.name)
	if after := hiddenIn(t, dir, more, target, with); !text && !subset(before, after) {
		t.Errorf("tolerated before:\n%s\nand after:\n%s\n%s", strings.Join(before, "\n"), strings.Join(after, "\n"), read(t, filepath.Join(dir, "up.sql")))
	}
	if strings.Contains(strings.Join(c.says, " "), "grants") {
		return
	}
	want(t, 0, dir, "apply", "down.sql", target, "--yes")
	if d := firstDifference(was, p.dump(t, target)); d != "" {
		t.Errorf("the way back leads elsewhere: %s\n%s", d, read(t, filepath.Join(dir, "down.sql")))
	}
}

// hiddenIn lists what is tolerated between two places.
func hiddenIn(t *testing.T, dir, source, target string, with []string) []string {
	var out []string
	for _, d := range comparison(t, dir, append([]string{source, target, "--all"}, with...)...).ToleratedDifferences {
		out = append(out, d.On+" "+d.Fact)
	}
	return out
}

func subset(some, all []string) bool {
	return !slices.ContainsFunc(some, func(s string) bool { return !slices.Contains(all, s) })
}
