package sqlserver

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	mssql "github.com/microsoft/go-mssqldb"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlserver/vocab"
	"dappermirror/internal/engine/texts"
	"dappermirror/internal/standin/model"
	"dappermirror/internal/standin/tsql"
)

var signs = []texts.Sign{
	{Text: "\ngo\n", Weight: 30}, {Text: "set ansi_nulls on", Weight: 40}, {Text: "set quoted_identifier on", Weight: 40}, {Text: "[dbo].", Weight: 40}, {Text: "dbo.", Weight: 15}, {Text: "sp_addextendedproperty", Weight: 40}, {Text: "object_id(n'", Weight: 40},
	{Text: "nvarchar(", Weight: 20}, {Text: "identity(", Weight: 15}, {Text: "identity primary", Weight: 15}, {Text: "uniqueidentifier", Weight: 15}, {Text: "primary key clustered", Weight: 30}, {Text: "datetime2", Weight: 20}, {Text: "set xact_abort", Weight: 40}, {Text: "nonclustered", Weight: 20},
	{Text: "] [", Weight: 15}, {Text: "getdate()", Weight: 20}, {Text: "varbinary(max)", Weight: 30}, {Text: "varchar(max)", Weight: 30}, {Text: "for [", Weight: 5}, {Text: "sysname", Weight: 10}, {Text: " begin transaction", Weight: 3}, {Text: "with schemabinding", Weight: 30},
}

// Speaks implements engine.TextReader.
func (Engine) Speaks(beginning string) int { return texts.Signs(beginning, signs) }

// ReadText implements engine.TextReader: the texts are run on a model of the server.
func (Engine) ReadText(ctx context.Context, files []engine.TextFile, opt engine.TextOptions) (*catalog.Catalog, error) {
	m := model.New()
	m.Implied, m.Quiet = true, true
	m.Create("text", collationOf(opt.Like))
	m.Default("text", defaultOf(opt.Like))
	d, err := within(ctx, m, "text")
	if err != nil {
		return nil, err
	}
	defer d.Close()
	origins := map[string]catalog.Origin{}
	passed := map[string]catalog.Gap{}
	if err := load(ctx, d, files, false, func(st unit) {
		if st.makes != "" {
			origins[st.makes] = st.origin
		}
		if st.passed != "" {
			if _, ok := passed[st.passed]; !ok {
				passed[st.passed] = catalog.Gap{Why: fmt.Sprintf("%s: %s was passed over: it is about more than the structure of this database", st.origin, st.passed)}
			}
		}
	}); err != nil {
		return nil, err
	}
	c, err := d.Read(ctx)
	if err != nil {
		return nil, err
	}
	for _, g := range passed {
		c.Gaps = append(c.Gaps, g)
	}
	for _, o := range c.Objects {
		made := o.Schema + "." + o.Name
		if word := map[catalog.Kind]string{vocab.Role: "role ", vocab.TextCatalog: "full-text catalog "}[o.Kind]; word != "" {
			made = word + o.Name
		}
		if at, ok := origins[strings.ToLower(made)]; ok {
			o.Origin = &at
		}
	}
	return c, nil
}

// unit is what runs at once: a statement, or a whole batch where its statements hang
// together.
type unit struct {
	sql    string
	origin catalog.Origin
	makes  string // schema and name in small letters
	waits  string // what must be made before it, where a text makes it at all
	rows   bool   // it is about rows alone
	passed string // it is about more than this database
}

// missing are the numbers of errors that a thing is not there, which a later
// statement may make.
var missing = map[int32]bool{208: true, 1088: true, 1921: true, 1767: true, 1776: true, 2715: true, 2760: true, 4121: true, 4902: true, 8197: true, 15135: true, 15151: true, 15225: true, 1750: true, 3701: true, 195: true, 4917: true, 33268: true, 33284: true, 7641: true, 7653: true, 9967: true, 6343: true, 6332: true, 12008: true}

// longest is how many bytes a file may have: its batches are told apart as a whole.
const longest = 4 * texts.Longest

// load runs texts on a database, each statement in its place or, where something is
// not there yet, after what makes it. rows are brought too where they are wanted.
func load(ctx context.Context, d *database, files []engine.TextFile, rows bool, seen func(unit)) error {
	var queue []unit
	for _, f := range files {
		text, err := io.ReadAll(io.LimitReader(f.Reader, longest+1))
		if err != nil {
			return fmt.Errorf("reading %s: %w", f.Name, err)
		}
		if len(text) > longest {
			return fmt.Errorf("%s: it has more than %d MB; leave its rows out", f.Name, longest>>20)
		}
		units, err := cut(f.Name, string(text))
		if err != nil {
			return err
		}
		queue = append(queue, units...)
	}
	for len(queue) > 0 {
		var left []unit
		var first error
		coming := map[string]int{}
		for _, u := range queue {
			coming[u.makes]++
		}
		for _, u := range queue {
			if err := ctx.Err(); err != nil {
				return err
			}
			if u.waits != "" && coming[u.waits] > 0 {
				left = append(left, u)
				continue
			}
			if u.rows && !rows {
				continue
			}
			if u.passed != "" {
				if seen != nil {
					seen(u)
				}
				continue
			}
			again, err := try(ctx, d, u)
			switch {
			case err == nil:
				coming[u.makes]--
				if seen != nil {
					seen(u)
				}
			case again:
				if first == nil {
					first = err
				}
				left = append(left, u)
			default:
				return err
			}
		}
		switch {
		case len(left) < len(queue):
		case first != nil:
			return first
		default: // they wait for each other, which no text of a server does
			for i := range left {
				left[i].waits = ""
			}
		}
		queue = left
	}
	return nil
}

// try runs a unit whole or not at all; again tells that it may run later.
func try(ctx context.Context, d *database, u unit) (again bool, err error) {
	_, err = d.conn.ExecContext(ctx, u.sql)
	if err == nil {
		return false, nil
	}
	var e mssql.Error
	if !errors.As(err, &e) {
		return false, explain(err)
	}
	if _, rb := d.conn.ExecContext(ctx, "IF @@TRANCOUNT > 0 ROLLBACK TRANSACTION"); rb != nil {
		return false, explain(rb)
	}
	at := u.origin
	if line := int(e.LineNo); line > 1 {
		at.Line, at.Column = at.Line+line-1, 1
	}
	return missing[e.All[0].Number], fmt.Errorf("%s: %w%s", at, explain(err), near(u.sql))
}

// near shows the text at a place; nothing at the end of it.
func near(s string) string {
	if s = excerpt(s); s == "" {
		return ""
	}
	return " (at: " + s + ")"
}

func excerpt(s string) string {
	s = sqltext.CommentSafe(strings.Join(strings.Fields(s), " "))
	if r := []rune(s); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return s
}

// places says where in a file a place of its text is. Mostly each is behind the last.
func places(name, text string) func(int) catalog.Origin {
	line, start, seen := 1, 0, 0
	return func(pos int) catalog.Origin {
		pos = min(pos, len(text))
		if pos < start {
			line, start, seen = 1, 0, 0
		}
		if pos > seen {
			if n := strings.Count(text[seen:pos], "\n"); n > 0 {
				line, start = line+n, strings.LastIndexByte(text[:pos], '\n')+1
			}
			seen = pos
		}
		return catalog.Origin{File: name, Line: line, Column: utf8.RuneCountInString(text[start:pos]) + 1}
	}
}

// cut cuts a text into units.
func cut(name, text string) ([]unit, error) {
	var out []unit
	text = strings.TrimPrefix(text, "\ufeff")
	where := places(name, text)
	for _, b := range sqltext.Split(tsql.Dialect, text) {
		at := where(b.Pos)
		if b.Client {
			word, _, _ := strings.Cut(strings.ToLower(b.Text), " ")
			if word != ":on" && word != ":setvar" {
				return nil, fmt.Errorf("%s: the client's command is not followed%s", at, near(b.Text))
			}
			continue
		}
		list, err := tsql.Batch(b.Text)
		if err != nil {
			var e *tsql.Error
			if errors.As(err, &e) {
				at = where(b.Pos + e.Pos)
			}
			return nil, fmt.Errorf("%s: %w%s", at, err, near(b.Text[min(position(err), len(b.Text)):]))
		}
		if together(list) {
			out = append(out, unit{sql: b.Text, origin: at, rows: len(list) > 0 && onlyRows(list)})
			continue
		}
		for _, st := range list {
			u := unit{sql: strings.TrimSpace(b.Text[st.Pos:st.End]), origin: where(b.Pos + st.Pos)}
			if _, ok := st.Body.(*tsql.Module); ok { // its text is the whole batch
				u.sql = b.Text
			}
			u.about(st)
			out = append(out, u)
		}
	}
	return out, nil
}

func position(err error) int {
	var e *tsql.Error
	if errors.As(err, &e) {
		return e.Pos
	}
	return 0
}

// together tells whether the statements of a batch hang together, by variables, by
// settings for what follows, by transactions.
func together(list []tsql.Statement) bool {
	for _, st := range list {
		switch st.Body.(type) {
		case *tsql.Declare, *tsql.Assign, *tsql.Transaction, *tsql.Return, *tsql.Try:
			return true
		}
	}
	return false
}

func onlyRows(list []tsql.Statement) bool {
	for _, st := range list {
		switch st.Body.(type) {
		case *tsql.Insert, *tsql.Update, *tsql.Delete, *tsql.SelectStmt, *tsql.Declare, *tsql.Assign, *tsql.PrintStmt:
		default:
			return false
		}
	}
	return true
}

// history lets a table wait for the text of its history table: without it the server
// would make one.
func (u *unit) history(o tsql.Options) {
	if n := o["HISTORY_TABLE"]; n != "" {
		u.waits = strings.ToLower(strings.Join(namesOf(n), "."))
	}
}

// namesOf are the names of a path.
func namesOf(text string) []string {
	var out []string
	for _, t := range sqltext.Significant(tsql.Dialect, text) {
		if t.IsName() {
			out = append(out, t.Name())
		}
	}
	return out
}

// about notes what a statement makes, or that it is about something else.
func (u *unit) about(st tsql.Statement) {
	name := func(path []string) {
		if len(path) == 1 {
			path = []string{"dbo", path[0]}
		}
		u.makes = strings.ToLower(strings.Join(path[len(path)-2:], "."))
	}
	switch b := st.Body.(type) {
	case *tsql.Insert, *tsql.Update, *tsql.Delete, *tsql.Truncate, *tsql.SelectStmt, *tsql.Checkident, *tsql.PrintStmt:
		u.rows = true
	case *tsql.Statistics:
		u.rows = b.Verb == "UPDATE"
	case *tsql.Set:
		u.rows = b.Option == "IDENTITY_INSERT"
	case *tsql.Use:
		u.rows = true
	case *tsql.Passed:
		u.passed = b.What
	case *tsql.Principal:
		if b.Kind == "ROLE" && b.Verb == "CREATE" {
			u.makes = "role " + strings.ToLower(b.Name)
		}
	case *tsql.CreateTable:
		name(b.Name)
		u.history(b.Options)
	case *tsql.AlterTable:
		u.history(b.Options)
	case *tsql.If:
		if b.Else == nil {
			u.about(b.Then)
		}
	case *tsql.Fulltext:
		if b.On == nil {
			u.makes = "full-text catalog " + strings.ToLower(b.Catalog)
			break
		}
		name(b.On)
		if u.makes = "full-text index of " + u.makes; b.Verb != "CREATE" {
			u.makes, u.waits = "", u.makes
		}
	case *tsql.Module:
		name(b.Name)
	case *tsql.CreateType:
		name(b.Name)
	case *tsql.Sequence:
		name(b.Name)
	case *tsql.CreateSynonym:
		name(b.Name)
	case *tsql.CreateSchema:
		u.makes = "." + strings.ToLower(b.Name)
	}
}
