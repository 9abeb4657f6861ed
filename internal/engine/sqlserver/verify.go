package sqlserver

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlserver/vocab"
	"dappermirror/internal/standin/tsql"
)

// Verify implements engine.Verifier. Statements of this server need nothing between them,
// so that what stands at the end of one must be no more than it is meant to be; what stands
// in brackets cannot leave them.
func (Engine) Verify(o *catalog.Object) error {
	return engine.VerifyEach(o, func(kind catalog.Kind, _ string, p *catalog.Property) error {
		switch p.Name {
		case "definition":
			return whole(kind, p.Value.String())
		case "grants", "predicates":
			return statements(p)
		}
		rule := rules[p.Name]
		if ruled := rulesOf[kind]; ruled[p.Name] != nil {
			rule = ruled[p.Name]
		}
		if rule == nil && (p.Value.Form == catalog.FormSQL || strings.HasPrefix(p.Name, vocab.Written)) {
			rule = enclosed
		}
		if rule == nil {
			return nil // it is never written but within quotes
		}
		texts := []string{p.Value.String()}
		if listed[p.Name] || strings.HasPrefix(p.Name, vocab.Written) {
			texts = slices.Clone(p.Value.Items)
			for _, piece := range append(p.Value.Pieces, catalog.Piece{Text: p.Value.Text}) {
				if piece.Text != "" {
					texts = append(texts, piece.Text)
				}
			}
		} else if texts[0] == "" {
			return nil // which is as if it was not said
		}
		for _, text := range texts {
			if err := rule(text); err != nil {
				return err
			}
		}
		return nil
	})
}

// shape tells why a text is not what a fact is written as.
type shape func(string) error

// rules are what facts must be that are written as they stand, whatever they are of;
// rulesOf those of one kind.
var (
	rules = map[string]shape{
		"heading": blank, "type": typed, "default": enclosed, "expression": enclosed, "generated": enclosed, "where": expressed, vocab.Partitioned: spaced,
		vocab.Current: path, vocab.Filegroup: path, "filegroups": path, "catalog": path, "using": path, "function": path, "history": path, "parent": path, "for": path,
		"collation": like(`\w+`), "compression": like(`\w+`), "lock escalation": like(`\w+`), "range": like(`left|right`), "cache": like(`\w+`), "tessellation": like(`\w+`), "grids": like(`\w+`), "change tracking": like(`\w+`),
		"start": like(`-?\d+`), "increment": like(`-?\d+`), "minimum": like(`-?\d+`), "maximum": like(`-?\d+`), "cells per object": like(`\d+`), "buckets": like(`\d+`), "bounding box": like(`-?\d+(\.\d+)?(e[+-]?\d+)?`),
		"options": like(`[A-Z_]+ = \w+`), "on delete": like(`[A-Z ]+`), "on update": like(`[A-Z ]+`), "retention": like(`\d+ [A-Z]+`), "identity": like(`-?\d+, -?\d+`), "order": like(`(first|last) at \w+`),
	}
	rulesOf = map[catalog.Kind]map[string]shape{
		catalog.Index:   {"type": like(`(clustered|nonclustered)( columnstore)?|primary XML|XML|spatial|hash`), "for": like(`PATH|VALUE|PROPERTY`)},
		catalog.Routine: {"type": like(`procedure|function|inline function|table function`)},
	}
)

// listed are facts of which each item is written by itself.
var listed = map[string]bool{"options": true, "filegroups": true, "bounding box": true, "grids": true, "order": true}

func refuse(text, what string) error {
	return fmt.Errorf("%w: %q is %s", sqltext.ErrNotClosed, sqltext.Excerpt(text), what)
}

func like(pattern string) shape {
	whole := regexp.MustCompile(`^(` + pattern + `)$`)
	return func(text string) error {
		if !whole.MatchString(text) {
			return refuse(text, "no such option")
		}
		return nil
	}
}

// path is a name of up to four parts, some of which may be missing.
func path(text string) error {
	parts, name := 0, false
	for _, t := range sqltext.Lex(vocab.Dialect, text) {
		switch {
		case t.IsOp("."):
			name = false
		case t.Kind == sqltext.Quoted && !name:
			name = true
			parts++
		case t.Kind == sqltext.Word && !name && tsql.Plain(t.Text):
			name = true
			parts++
		default:
			return refuse(text, "no name")
		}
	}
	if parts == 0 || parts > 4 || !name {
		return refuse(text, "no name")
	}
	return nil
}

// spaced is a partition scheme with its column.
func spaced(text string) error {
	c := sqltext.NewCursor(vocab.Dialect, text)
	if c.Peek().IsName() {
		c.Next()
		if c.Take("(") && c.Peek().IsName() {
			if c.Next(); c.Take(")") && c.End() && !strings.Contains(text, "--") && !strings.Contains(text, "/*") {
				return nil
			}
		}
	}
	return refuse(text, "no partition scheme with its column")
}

func blank(text string) error {
	for _, t := range sqltext.Lex(tsql.Dialect, text) {
		if !t.Blank() {
			return fmt.Errorf("%w: before it stands %q", sqltext.ErrNotClosed, sqltext.Excerpt(text[t.Pos:]))
		}
	}
	return nil
}

// enclosed is what stands in brackets, and ends before they do.
func enclosed(text string) error {
	if err := sqltext.Fragment(tsql.Dialect, text); err != nil {
		return err
	}
	toks := sqltext.Significant(tsql.Dialect, text)
	if len(toks) == 0 || toks[len(toks)-1].Pos+len(toks[len(toks)-1].Text) != len(strings.TrimRight(text, " \t\r\n")) {
		return refuse(text, "nothing, or ends in a comment that would take what follows")
	}
	return nil
}

// expressed is one expression, at the end of a statement.
func expressed(text string) error {
	if err := enclosed(text); err != nil {
		return err
	}
	if _, err := tsql.Expression(text); err != nil {
		return fmt.Errorf("%w: %w", sqltext.ErrNotClosed, err)
	}
	return nil
}

// typed is the name of a type, with what stands in its brackets.
func typed(text string) error {
	if err := enclosed(text); err != nil {
		return err
	}
	if _, err := tsql.Type(text); err != nil {
		return fmt.Errorf("%w: %w", sqltext.ErrNotClosed, err)
	}
	return nil
}

// statements tells why a right or a predicate is not the part of one statement that it is
// written as.
func statements(p *catalog.Property) error {
	for _, item := range append(slices.Clone(p.Value.Items), p.Value.Text) {
		if item == "" {
			continue
		}
		if err := enclosed(item); err != nil {
			return err
		}
		text := item
		if p.Name == "predicates" {
			text = "CREATE SECURITY POLICY [x] ADD " + item
		}
		list, err := tsql.Batch(text)
		if err != nil {
			return fmt.Errorf("%w: %w", sqltext.ErrNotClosed, err)
		}
		one := len(list) == 1
		if one {
			switch b := list[0].Body.(type) {
			case *tsql.Rights:
				one = p.Name == "grants" && b.Verb != "REVOKE" && len(b.List) == 1 && len(b.To) == 1
			case *tsql.SecurityPolicy:
				one = p.Name == "predicates" && len(b.Changes) == 1 && b.State == ""
			default:
				one = false
			}
		}
		if !one {
			return fmt.Errorf("%w: %q is more than it may be", sqltext.ErrNotClosed, sqltext.Excerpt(item))
		}
	}
	return nil
}

// whole tells why a module's text is not the rest of one statement that makes it.
func whole(kind catalog.Kind, text string) error {
	words := map[catalog.Kind][]string{catalog.View: {"VIEW"}, catalog.Trigger: {"TRIGGER"}, vocab.DatabaseTrigger: {"TRIGGER"}, catalog.Routine: {"PROCEDURE", "FUNCTION"}}[kind]
	var err error
	for _, w := range words {
		var list []tsql.Statement
		if list, err = tsql.Batch("CREATE " + w + " [x]\n" + text); err == nil && len(list) == 1 {
			return nil
		}
	}
	if err != nil {
		return fmt.Errorf("%w: %w", sqltext.ErrNotClosed, err)
	}
	return fmt.Errorf("%w: it is more than one statement", sqltext.ErrNotClosed)
}
