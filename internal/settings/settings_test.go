package settings

import (
	"strings"
	"testing"

	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/fuzzing"
)

// FuzzSettings: whatever stands in a settings file, it is taken or complained
// of with its place, and nothing gets out of it raw.
func FuzzSettings(f *testing.F) {
	for _, s := range []string{"settings:\n  only: a\n", "places: {live: 'x', dev: [a, b]}", "a: &a [*a]", "settings: [", "settings:\n  olny: x", "\t", "places:\n  \"\\e[2J\": x", "a: &a {b: c}\nsettings: *a", "settings: {? [a] : b}"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		defer fuzzing.Bound()()
		s := &Settings{}
		s.read("harbour.yaml", data)
		if len(s.Files) != 1 {
			t.Fatalf("%d files of one", len(s.Files))
		}
		for _, w := range s.Wrong {
			if !strings.HasPrefix(w, "harbour.yaml") || strings.Contains(sqltext.CommentSafe(w), "\x1b") {
				t.Fatalf("says %q", w)
			}
		}
		for name := range s.Files[0].Settings {
			if Known[name] == "" {
				t.Fatalf("takes %q", name)
			}
		}
	})
}
