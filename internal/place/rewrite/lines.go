package rewrite

import (
	"bytes"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// inLines is a text about a thing whose lines end as those of another one do. Strings
// keep theirs, and so does a thing that is known by a text of several lines.
func (r *rewriter) inLines(about catalog.Ref, text string, as []byte) string {
	if !bytes.Contains(as, []byte("\r\n")) || r.lined(about) {
		return text
	}
	var b strings.Builder
	for _, t := range sqltext.Lex(r.Grammar.Dialect, text) {
		if t.Kind == sqltext.Space || t.Kind == sqltext.Comment {
			t.Text = strings.ReplaceAll(strings.ReplaceAll(t.Text, "\r\n", "\n"), "\n", "\r\n")
		}
		b.WriteString(t.Text)
	}
	return b.String()
}

// lined tells whether a thing that is wanted, or a part of it, has a text of several lines.
func (r *rewriter) lined(about catalog.Ref) bool {
	o := r.Desired.Find(about.Object())
	if o == nil {
		return false
	}
	of := append([]*catalog.Object{o}, o.Parts...)
	if about.IsPart() {
		of = []*catalog.Object{o.Part(about.PartKind, about.Part)}
	}
	return slices.ContainsFunc(of, func(o *catalog.Object) bool {
		return o != nil && slices.ContainsFunc(o.Properties, func(p catalog.Property) bool { return strings.Contains(p.Value.String(), "\n") })
	})
}

// blankLine is where the next line begins, where nothing but blanks stands
// between.
func blankLine(text []byte, at int) int {
	end := at
	for end < len(text) && (text[end] == ' ' || text[end] == '\t' || text[end] == '\r') {
		end++
	}
	if end < len(text) && text[end] == '\n' {
		return end + 1
	}
	return at
}
