package sqlserver

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlserver/convert"
	"dappermirror/internal/engine/sqlserver/vocab"
	"dappermirror/internal/standin/tsql"
)

// numbers are the types whose values are numbers.
var numbers = map[string]bool{"tinyint": true, "smallint": true, "int": true, "bigint": true, "decimal": true, "numeric": true, "money": true, "smallmoney": true, "float": true, "real": true, "bit": true}

// RowText implements engine.RowLister.
func (Engine) RowText(columns []*catalog.Object, names []string, letters int) (expr, random string) {
	var cells []string
	for i, n := range names {
		typ, _ := convert.Split(columns[i].Text("type"))
		kind := "text"
		if numbers[typ] {
			kind = "number"
		}
		text := "CONVERT(nvarchar(max), " + n + ")"
		switch typ {
		case "float", "real":
			text = "CONVERT(nvarchar(max), " + n + ", 3)"
		case "date", "time", "datetime", "smalldatetime", "datetime2", "datetimeoffset":
			text = "CONVERT(nvarchar(50), " + n + ", 121)"
		}
		length := "LEN(" + text + " + N'.') - 1"
		if typ == "binary" || typ == "varbinary" || typ == "rowversion" || typ == "image" {
			kind = "binary"
			length = "DATALENGTH(" + n + ")"
			text = "CONVERT(nvarchar(max), CONVERT(varbinary(max), " + n + "), 2)"
		}
		cells = append(cells, fmt.Sprintf("CASE WHEN %s IS NULL THEN N'null' ELSE N'[\"%s\",\"' + STRING_ESCAPE(LEFT(%s, %d), N'json') + N'\",' + CONVERT(nvarchar(20), %s) + N']' END", n, kind, text, letters, length))
	}
	return "N'[' + " + strings.Join(cells, " + N',' + ") + " + N']'", "NEWID()"
}

// RowTail implements engine.RowPager.
func (Engine) RowTail(order string, n int) string {
	if order == "" {
		order = "(SELECT NULL)"
	}
	return fmt.Sprintf(" ORDER BY %s OFFSET 0 ROWS FETCH NEXT %d ROWS ONLY", order, n)
}

// ColumnQuery implements engine.RowLister.
func (Engine) ColumnQuery(schema, name string) string {
	return "SELECT N'[\"' + STRING_ESCAPE(c.name, N'json') + N'\",\"' + STRING_ESCAPE(t.name, N'json') + N'\"]' AS line FROM sys.columns AS c JOIN sys.types AS t ON t.user_type_id = c.user_type_id WHERE c.object_id = OBJECT_ID(" +
		vocab.String(vocab.Quote(schema)+"."+vocab.Quote(name)) + ") ORDER BY c.column_id"
}

// SizeQuery implements engine.Measurer.
func (Engine) SizeQuery() (string, bool) {
	return "SELECT N'[\"' + STRING_ESCAPE(s.name, N'json') + N'\",\"' + STRING_ESCAPE(t.name, N'json') + N'\",' + CONVERT(nvarchar(20), SUM(CASE WHEN p.index_id < 2 THEN p.row_count ELSE 0 END)) + N',' + CONVERT(nvarchar(20), SUM(p.used_page_count) * 8192) + N']' AS line FROM sys.tables AS t JOIN sys.schemas AS s ON s.schema_id = t.schema_id JOIN sys.dm_db_partition_stats AS p ON p.object_id = t.object_id GROUP BY s.name, t.name", true
}

// Verify implements engine.Verifier.
func (Engine) Verify(o *catalog.Object) error {
	return engine.VerifyEach(o, func(kind catalog.Kind, _ string, p *catalog.Property) error {
		text := p.Value.String()
		switch {
		case p.Name == "definition":
			return whole(kind, text)
		case p.Name == "heading":
			for _, t := range sqltext.Lex(tsql.Dialect, text) {
				if !t.Blank() {
					return fmt.Errorf("%w: before it stands %q", sqltext.ErrNotClosed, excerpt(text[t.Pos:]))
				}
			}
		case p.Name == vocab.Current:
			if tsql.Path(namesOf(text)) != text {
				return fmt.Errorf("%w: %q is no name", sqltext.ErrNotClosed, excerpt(text))
			}
		case p.Name == "grants" || p.Name == "predicates":
			return statements(p)
		case p.Name == "type" || p.Value.Form == catalog.FormSQL || p.Name == "identity":
			return sqltext.Fragment(tsql.Dialect, text)
		case strings.HasPrefix(p.Name, vocab.Written):
			for _, item := range p.Value.Written() {
				if err := sqltext.Fragment(tsql.Dialect, item); err != nil {
					return err
				}
			}
		case plain[p.Name] != nil:
			for _, item := range append(slices.Clone(p.Value.Items), p.Value.Text) {
				if item != "" && !plain[p.Name].MatchString(item) {
					return fmt.Errorf("%w: %q is no such option", sqltext.ErrNotClosed, excerpt(item))
				}
			}
		}
		return nil
	})
}

// plain are facts that are written as they stand, and what they may be.
var plain = func() map[string]*regexp.Regexp {
	word, number := regexp.MustCompile(`^\w+$`), regexp.MustCompile(`^-?\d+$`)
	return map[string]*regexp.Regexp{
		"collation": word, "compression": word, "lock escalation": word, "range": word, "cache": word, "start": number, "increment": number, "minimum": number, "maximum": number,
		"tessellation": word, "grids": word, "cells per object": number, "bounding box": regexp.MustCompile(`^-?\d+(\.\d+)?(e[+-]?\d+)?$`), "change tracking": word, "buckets": number,
		"options": regexp.MustCompile(`^[A-Z_]+ = \w+$`), "on delete": regexp.MustCompile(`^[A-Z ]+$`), "on update": regexp.MustCompile(`^[A-Z ]+$`), "retention": regexp.MustCompile(`^\d+ [A-Z]+$`),
	}
}()

// statements tells why a right or a predicate is not the part of one statement that it is
// written as.
func statements(p *catalog.Property) error {
	for _, item := range append(slices.Clone(p.Value.Items), p.Value.Text) {
		if item == "" {
			continue
		}
		if err := sqltext.Fragment(tsql.Dialect, item); err != nil {
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
		if toks := sqltext.Significant(tsql.Dialect, item); toks[len(toks)-1].Pos+len(toks[len(toks)-1].Text) != len(item) {
			one = false // a comment would take what follows
		}
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
			return fmt.Errorf("%w: %q is more than it may be", sqltext.ErrNotClosed, excerpt(item))
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
