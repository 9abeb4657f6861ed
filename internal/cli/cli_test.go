package cli

import (
	"strings"
	"testing"

	"dappermirror/internal/fuzzing"
	"dappermirror/internal/report"
)

func TestOfSeveralExitCodesTheWorstCounts(t *testing.T) {
	for _, c := range [][3]int{{0, 1, 1}, {1, 3, 3}, {3, 2, 2}, {2, 4, 4}, {4, 130, 130}, {0, 0, 0}, {3, 1, 3}} {
		if got := worse(c[0], c[1]); got != c[2] {
			t.Errorf("%d and %d: %d, want %d", c[0], c[1], got, c[2])
		}
		if worse(c[0], c[1]) != worse(c[1], c[0]) {
			t.Errorf("%d and %d: the order matters", c[0], c[1])
		}
	}
}

// FuzzSettings: whatever stands in a settings file, it is taken or complained
// of with its place, and nothing gets out of it raw.
func FuzzSettings(f *testing.F) {
	for _, s := range []string{"settings:\n  only: a\n", "places: {live: 'x', dev: [a, b]}", "a: &a [*a]", "settings: [", "settings:\n  olny: x", "\t", "places:\n  \"\\e[2J\": x", "a: &a {b: c}\nsettings: *a", "settings: {? [a] : b}"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		defer fuzzing.Bound()()
		s := &settings{}
		s.readSettings("harbour.yaml", data)
		if len(s.files) != 1 {
			t.Fatalf("%d files of one", len(s.files))
		}
		for _, w := range s.wrong {
			if !strings.HasPrefix(w, "harbour.yaml") || strings.Contains(report.Safe(w), "\x1b") {
				t.Fatalf("says %q", w)
			}
		}
		for name := range s.files[0].Settings {
			if configurable[name] == "" {
				t.Fatalf("takes %q", name)
			}
		}
	})
}
