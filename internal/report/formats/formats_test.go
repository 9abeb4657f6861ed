package formats

import (
	"encoding/csv"
	"encoding/xml"
	"strings"
	"testing"
	"unicode/utf8"

	"dappermirror/internal/core/compare"
	"dappermirror/internal/fuzzing"
	"dappermirror/internal/report"
	"dappermirror/internal/report/view"
)

// of is an output in which everything is called so.
func of(name string) report.Output {
	said := []view.Phrase{{Mark: view.Loses, Text: "loses " + name}, {Mark: view.Comes, Text: "columns", Names: []string{name, name}}}
	item := report.JSONItem{Kind: "table", Schema: name, Name: name, Status: compare.Differs, Action: "change", Said: said, Loses: []string{name}, Source: "CREATE TABLE x (\n  " + name + "\n);", Target: "CREATE TABLE x (\n  y\n);",
		Properties: []report.JSONProperty{{Name: "comment", Source: &name}}, Parts: []report.JSONItem{{Kind: "column", Name: name, Status: compare.SourceOnly}}}
	step := report.JSONStep{Number: 1, Title: name, On: name, SQL: []string{"SELECT '" + name + "';"}}
	return report.Output{Command: "compare", Options: []string{"--only", name}, Comparisons: []report.JSONComparison{{Source: report.JSONSide{Place: name}, Target: report.JSONSide{Place: name}, Counts: compare.Counts{Differs: 1}, Losing: 1,
		Differences: []report.JSONItem{item}, Same: []report.JSONItem{{Kind: "view", Name: name, Status: compare.Same}}, NotCompared: []report.JSONGap{{Side: "source", Kind: name, Why: name}}, Likely: []report.JSONLikely{{Old: name, New: name, Option: "--rename " + name, Reasons: []string{name}}}}},
		Script: &report.JSONScript{File: name, Source: name, Target: name, Steps: []report.JSONStep{step}, Held: []report.JSONStep{step}, BlockedBy: []string{name}}}
}

// FuzzRender: whatever things are called, each form is whole, and what it holds is no more
// than text.
func FuzzRender(f *testing.F) {
	for _, s := range []string{"berth", "<script>x</script>", "=1+1", "```\n</details>", "a|b\r\nc", "\x00\x1b[2J\u202e\ufffe", "]]>", "{{.}}", strings.Repeat("ü", 40000), "\xff\xfe", "</title></style>", "'\"`\\"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, name string) {
		defer fuzzing.Bound()()
		plain := of("berth")
		o := of(name)
		texts := map[string]string{}
		for _, e := range Endings() {
			data, err := Render("x"+e, o)
			if err != nil {
				t.Fatalf("%s: %v", e, err)
			}
			texts[e] = string(data)
			if e != ".xlsx" && (strings.ContainsAny(texts[e], "\x1b\x00") || strings.ContainsRune(texts[e], '\u202e')) {
				t.Fatalf("%s holds what a terminal obeys", e)
			}
		}
		// The page has as many tags as with a harmless name.
		tame, err := Render("x.html", plain)
		if err != nil {
			t.Fatal(err)
		}
		for _, tag := range []string{"<script", "</script", "<style", "<img", "<article", "</article", "<title", "<h1"} {
			if got, want := strings.Count(texts[".html"], tag), strings.Count(string(tame), tag); got != want {
				t.Fatalf("%d times %s, want %d", got, tag, want)
			}
		}
		if err := xml.Unmarshal([]byte(texts[".xml"]), &struct{}{}); err != nil {
			t.Fatalf("the test results: %v", err)
		}
		rows, err := csv.NewReader(strings.NewReader(texts[".csv"])).ReadAll()
		if err != nil || len(rows) != 2 {
			t.Fatalf("%d values, %v", len(rows), err)
		}
		for _, cell := range rows[1] {
			if strings.IndexAny(cell, "=+-@\t\r") == 0 {
				t.Fatalf("a formula: %q", cell)
			}
		}
		if md := unfenced(texts[".md"]); utf8.RuneCountInString(md) > 65_536 || strings.Count(md, "<details>") != strings.Count(md, "</details>") {
			t.Fatalf("%d letters, %d sections", utf8.RuneCountInString(md), strings.Count(md, "<details>"))
		}
	})
}

// unfenced is Markdown without its blocks of code.
func unfenced(md string) string {
	var out []string
	fence := ""
	for _, l := range strings.Split(md, "\n") {
		ticks := l[:len(l)-len(strings.TrimLeft(l, "`"))]
		switch {
		case fence == "" && len(ticks) >= 3:
			fence = ticks
		case fence != "" && l == fence:
			fence = ""
		case fence == "":
			out = append(out, l)
		}
	}
	return strings.Join(out, "\n")
}

func TestCheck(t *testing.T) {
	for name, good := range map[string]bool{"a.html": true, "A.HTML": true, "a/b.xlsx": true, "x.tar.md": true, "x": false, "x.htm": false, ".html": true, "x.html/": false, "": false} {
		if err := Check(name); (err == nil) != good {
			t.Errorf("%q: %v", name, err)
		}
	}
}
