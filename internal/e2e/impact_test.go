package e2e

import (
	"encoding/json"
	"path/filepath"
	"strings"
	"testing"

	"dappermirror/internal/report"
)

// TestImpact: what depends on a thing is found transitively, on a database and on
// its capture alike; what is said to break, breaks in the engine.
func TestImpact(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			t.Parallel()
			p, dir := e.with(t), t.TempDir()
			for _, c := range readPairs(t, filepath.Join("testdata", "impact", e.name+".sql")) {
				place := p.make(t, c.source)
				want(t, 0, dir, "capture", place, "-o", "c.json", "--force")
				args := strings.Fields(c.name)
				live := impactOf(t, dir, append([]string{place}, args...)...)
				if kept := impactOf(t, dir, append([]string{"c.json"}, args...)...); firstDifference(live, kept) != "" {
					t.Errorf("%s: the capture says otherwise: %s", c.name, firstDifference(live, kept))
				}
				for _, says := range c.says {
					found := false
					for _, l := range live {
						found = found || l == says
					}
					if !found {
						t.Errorf("%s: it does not say %q:\n%s", c.name, says, strings.Join(live, "\n"))
					}
				}
				if want := len(c.says); len(live) != want {
					t.Errorf("%s: %d lines, not %d:\n%s", c.name, len(live), want, strings.Join(live, "\n"))
				}
				out := want(t, 0, dir, append([]string{"impact", place}, args...)...).out
				for _, l := range live {
					if what, _, _ := strings.Cut(strings.TrimLeft(l, "< >"), "  "); !strings.Contains(out, what) {
						t.Errorf("%s: the tree does not have %s:\n%s", c.name, what, out)
					}
				}
			}
			want(t, 2, dir, "impact", p.make(t, ""), "nothing")
		})
	}
}

// impactOf is the answer a line each: "<" what depends on it, ">" what it depends
// on, a blank for each level.
func impactOf(t *testing.T, dir string, args ...string) (lines []string) {
	t.Helper()
	var o report.Output
	if err := json.Unmarshal([]byte(want(t, 0, dir, append([]string{"impact", "--format", "json"}, args...)...).out), &o); err != nil || o.Impact == nil {
		t.Fatalf("no JSON: %v", err)
	}
	var walk func(sign string, list []report.JSONImpactNode)
	walk = func(sign string, list []report.JSONImpactNode) {
		for _, n := range list {
			l := sign + n.What + "  " + strings.Join(n.Reasons, ", ")
			if n.Fate != "" {
				l += "; " + n.Fate
			}
			lines = append(lines, l)
			walk(sign+" ", n.Nodes)
		}
	}
	walk("<", o.Impact.Users)
	walk(">", o.Impact.Needs)
	if dot := want(t, 0, dir, append([]string{"impact", "--format", "dot"}, args...)...).out; strings.Count(dot, "->") > len(lines) || !strings.HasPrefix(dot, "digraph") {
		t.Errorf("the graph has other arrows:\n%s", dot)
	}
	return lines
}
