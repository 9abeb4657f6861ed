package rewrite

import (
	"bytes"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// isDOS tells whether lines of a text end as those of DOS do.
func isDOS(text []byte) bool { return bytes.Contains(text, []byte("\r\n")) }

// inLines is a text about a thing whose lines end as those around it do; a thing that is
// known by a text of several lines keeps its own.
func (r *rewriter) inLines(about catalog.Ref, text string, dos bool) string {
	return inLines(r.Grammar.Dialect, text, dos && !r.lined(about))
}

// inLines is a text in the lines of DOS, where that is wanted. Strings keep theirs.
func inLines(d sqltext.Dialect, text string, dos bool) string {
	if !dos {
		return text
	}
	var b strings.Builder
	for _, t := range sqltext.Lex(d, text) {
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
