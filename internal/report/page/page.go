// Package page lays a report out as one HTML page that needs nothing else: it is opened
// from a mail, printed, or kept with a release. Without JavaScript everything is open.
package page

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"fmt"
	"html/template"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/core/words"
	"dappermirror/internal/report/palette"
	"dappermirror/internal/report/view"
)

//go:embed page.html
var layout string

//go:embed page.css
var looks string

//go:embed page.js
var moves string

var page = template.Must(template.New("page").Funcs(template.FuncMap{
	"safe": sqltext.CommentSafe, "mark": view.MarkOf, "sign": func(m view.Mark) string { return view.Signs[m] },
	"word":   func(s compare.Status) string { return view.Words[s] },
	"number": func(n int, one, many string) string { return words.Number(n, one, many) },
	"join":   strings.Join, "phrase": phrase, "runs": runs, "parts": parts, "id": id, "groups": groups, "add": func(a, b int) int { return a + b },
	"kind": func(k catalog.Kind) string { return sqltext.CommentSafe(string(k)) }, "sql": sql, "quoted": quoted, "wrong": slices.Contains[[]string], "find": find, "percent": func(n int) string { return fmt.Sprintf("%d.%d %%", n/10, n%10) },
}).Parse(layout))

// Write is the page of a report.
func Write(r *view.Report) ([]byte, error) {
	var b bytes.Buffer
	err := page.Execute(&b, struct {
		*view.Report
		Looks template.CSS
		Moves template.JS
	}{r, template.CSS(palette.CSS + looks), template.JS(moves)})
	return b.Bytes(), err
}

// phrase is a phrase with all its names.
func phrase(p view.Phrase) string { return sqltext.CommentSafe(p.Line()) }

// id is an object's name in links: of several comparisons the first has the plain ones.
func id(n int, o *view.Object) string {
	name := sqltext.CommentSafe(o.ID())
	if n > 0 {
		name += fmt.Sprintf("@%d", n+1)
	}
	return name
}

// quoted is a text as a string of JSON within a page: nothing in it ends its element, and
// nothing is obeyed by who looks at the source.
func quoted(s string) (template.JS, error) {
	data, err := json.Marshal(s)
	return template.JS(sqltext.JSONSafe(data)), err
}

// sql are the lines of statements, as they can be shown.
func sql(statements []string) []string {
	lines := view.Lines(strings.Join(statements, "\n"))
	for i, l := range lines {
		lines[i] = sqltext.CommentSafe(l)
	}
	return lines
}

// find is what a search looks through for an object.
func find(o *view.Object) string {
	var b strings.Builder
	b.WriteString(o.ID())
	for _, p := range o.Facts {
		b.WriteString(" " + p.Line())
	}
	return strings.ToLower(sqltext.CommentSafe(b.String()))
}

// groups are the objects that differ, by kind, and then those that are equal.
func groups(c *view.Comparison) []view.Group {
	out := c.Groups(false, false)
	var equal view.Group
	for i := range c.Objects {
		if o := &c.Objects[i]; o.Status == compare.Same {
			equal.Objects = append(equal.Objects, o)
		}
	}
	if len(equal.Objects) > 0 {
		equal.Title = "the same"
		out = append(out, equal)
	}
	return out
}

// runs are an object's definitions as one text.
func runs(o *view.Object) []view.Run { return view.Fold(o.Lines()) }

// parts cuts a line where words changed, as it can be shown.
func parts(l view.Line) []view.Piece {
	out := l.Pieces()
	for i := range out {
		out[i].Text = sqltext.CommentSafe(out[i].Text)
	}
	return out
}
