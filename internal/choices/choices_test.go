package choices_test

import (
	"strings"
	"testing"

	"dappermirror/internal/choices"
	"dappermirror/internal/core/catalog"
)

// TestWriteAndRead: whatever things are called, what was written reads back as it
// was meant.
func TestWriteAndRead(t *testing.T) {
	refs := []catalog.Ref{{Kind: catalog.Table, Name: "berth"}, {Kind: catalog.Table, Schema: "a.b", Name: "it's: \"odd\" # [x]", PartKind: catalog.Column, Part: "- y\n: z"},
		{Kind: catalog.Routine, Schema: "s", Name: "dues(integer, text)"}, {Kind: catalog.Table, Name: "null"}, {Kind: catalog.View, Name: "*"}, {Kind: catalog.View, Name: "\t'{}!&%@`"}}
	f := choices.File{Version: choices.Version, Source: "dev: x", Target: "- live", Default: "leave"}
	decisions := []string{"to-target", "leave", "to-source"}
	for i, r := range refs {
		f.Differences = append(f.Differences, choices.Difference{What: r.String(), Status: "differs", Would: "change: all", Rows: []string{"1 of 2: 'x'", "- y"}, Choice: decisions[i%3]})
	}
	text, err := choices.Write(f)
	if err != nil {
		t.Fatal(err)
	}
	w, err := choices.Read(text)
	if err != nil {
		t.Fatalf("%v\n%s", err, text)
	}
	if w.Default.String() != "leave" || len(w.Filed) != len(refs) {
		t.Fatalf("%+v", w)
	}
	same := func(s string, _ bool) string { return s }
	for i, x := range w.Filed {
		if x.Decision.String() != decisions[i%3] || !x.Alone {
			t.Errorf("%s: %v", refs[i], x)
		}
		for k, r := range refs {
			if x.On.MatchSelf(r, same) != (i == k) {
				t.Errorf("the entry of %s and %s", refs[i], r)
			}
		}
	}
}

func FuzzRead(f *testing.F) {
	for _, s := range []string{"version: 1\ndefault: leave\ndifferences:\n  - what: table:x\n    choice: leave\n", "version: 1", "a: &a [*a]", "version: 1\ndifferences: {}", "- - -", "version: 99999999999999999999", "version: 1\nversion: 1", "\xff"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		w, err := choices.Read(data)
		switch {
		case err == nil && w == nil:
			t.Error("neither choices nor an error")
		case err != nil && (strings.ContainsAny(err.Error(), "\n\x1b") || err.Error() == ""):
			t.Errorf("%q is no message", err)
		}
	})
}
