// Package text takes T-SQL texts apart into what runs at once, and says what each of
// that is about.
package text

import (
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/texts"
	"dappermirror/internal/standin/tsql"
)

// Longest is how many bytes a file may have: its batches are told apart as a whole.
const Longest = 4 * texts.Longest

// Grammar is how the texts are taken apart.
var Grammar = texts.Grammar{
	Dialect: tsql.Dialect,
	Read:    func(string, sqltext.Dialect) texts.Reading { return texts.Reading{} },
	Parse: func(f engine.TextFile) ([]texts.Parsed, error) {
		units, err := Cut(f)
		out := make([]texts.Parsed, len(units))
		for i, u := range units {
			out[i] = u.Parsed
		}
		return out, err
	},
}

// Unit is what runs at once: a statement, or a whole batch where its statements hang
// together.
type Unit struct {
	texts.Parsed
	Waits *texts.Made // what must be made before it, where a text makes it at all
	Rows  bool        // it is about rows alone
	Times int         // how often it runs
	// Changes says that it sets something for what follows.
	Changes bool
}

// Cut cuts a text into units.
func Cut(f engine.TextFile) ([]Unit, error) {
	read, err := io.ReadAll(io.LimitReader(f.Reader, Longest+1))
	if err != nil {
		return nil, fmt.Errorf("reading %s: %w", f.Name, err)
	}
	if len(read) > Longest {
		return nil, fmt.Errorf("%s: it has more than %d MB; leave its rows out", f.Name, Longest>>20)
	}
	var out []Unit
	text := strings.TrimPrefix(string(read), "\ufeff")
	marked := len(read) - len(text)
	where := places(f.Name, text)
	database, inForce := "", []string{"SET ANSI_NULLS ON;", "SET QUOTED_IDENTIFIER ON;"}
	add := func(u Unit, list []tsql.Statement, pos, end, times int) {
		u.Settings, u.Database, u.Origin, u.Start, u.End, u.Delimiter, u.Dialect = inForce, database, where(pos), int64(marked+pos), int64(marked+end), ";", tsql.Dialect
		if u.Statement.SQL == "" {
			u.Statement.SQL = strings.TrimSpace(text[pos:end])
		}
		u.Times = times
		at := len(out)
		out = append(out, u)
		for _, st := range list {
			if s, ok := st.Body.(*tsql.Set); ok {
				inForce, out[at].Changes = settled(inForce, s), true
			}
		}
	}
	values := variables{}
	for _, b := range sqltext.Split(tsql.Dialect, text) {
		if b.Client {
			if !values.command(b.Text) {
				return nil, fmt.Errorf("%s: the client's command is not followed%s", where(b.Pos), Near(b.Text))
			}
			continue
		}
		original := b.Text
		if b.Text, err = values.in(original); err != nil {
			return nil, fmt.Errorf("%s: %w", where(b.Pos), err)
		}
		list, err := tsql.Batch(b.Text)
		if err != nil {
			at := 0
			var e *tsql.Error
			if errors.As(err, &e) {
				at = e.Pos
			}
			return nil, fmt.Errorf("%s: %w%s", where(b.Pos+at), err, Near(b.Text[min(at, len(b.Text)):]))
		}
		if len(list) > 0 && together(list) || b.Times > 1 || b.Text != original {
			u := Unit{Rows: onlyRows(list)}
			if u.Action = texts.Main; u.Rows {
				u.Action = texts.Pass
			}
			if len(list) == 1 && !together(list) {
				u = about(list[0])
			}
			for _, st := range list {
				if use, ok := st.Body.(*tsql.Use); ok {
					database = use.Database
				}
			}
			u.Statement.SQL = b.Text
			add(u, list, b.Pos, b.Pos+len(original), b.Times)
			continue
		}
		for _, st := range list {
			u := about(st)
			if use, ok := st.Body.(*tsql.Use); ok {
				database = use.Database
			}
			if _, ok := st.Body.(*tsql.Module); ok { // its text is the whole batch
				u.Statement.SQL = b.Text
			}
			add(u, []tsql.Statement{st}, b.Pos+st.Pos, b.Pos+st.End, b.Times)
		}
	}
	return out, nil
}

// variables are those that the client puts in where a text says $(name), whatever stands
// around it (SQL Server: sqlcmd, scripting variables).
type variables map[string]string

var named = regexp.MustCompile(`\$\(([\pL_][\pL\pN_-]*)\)`)

// command carries a line for the client out; it tells whether that is known.
func (v variables) command(line string) bool {
	words := strings.Fields(line)
	switch strings.ToLower(words[0]) {
	case ":setvar":
		if len(words) > 1 {
			value := strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(line[len(words[0]):]), words[1]))
			v[strings.ToLower(words[1])] = strings.TrimSuffix(strings.TrimPrefix(value, `"`), `"`)
		}
		return true
	case ":on":
		return true
	}
	return false
}

// in is a text with the values of variables; what was given none stays as it is.
func (v variables) in(text string) (string, error) {
	if len(v) == 0 || !strings.Contains(text, "$(") {
		return text, nil
	}
	room := Longest - len(text)
	out := named.ReplaceAllStringFunc(text, func(s string) string {
		value, ok := v[strings.ToLower(s[2:len(s)-1])]
		if room -= len(value); !ok || room < 0 {
			return s
		}
		return value
	})
	if room < 0 {
		return "", fmt.Errorf("with the values of its variables this batch has more than %d MB", Longest>>20)
	}
	return out, nil
}

// settled are the settings that modules are stored with (SQL Server: sys.sql_modules) when
// a statement has set some of them.
func settled(inForce []string, s *tsql.Set) []string {
	out := slices.Clone(inForce)
	for option := range strings.SplitSeq(s.Option, ",") {
		option = strings.TrimSpace(option)
		for i, now := range out {
			if strings.HasPrefix(now, "SET "+option+" ") {
				out[i] = "SET " + option + " " + s.Value + ";"
			}
		}
	}
	return out
}

// Served are the names of the databases that every server has.
var Served = []string{"master", "tempdb", "model", "msdb"}

// Of keeps what belongs to a database of a text that changes between several; "" is the
// only one, where those that every server has do not count. What stands before the first USE
// belongs to each.
func Of(all []Unit, database string) ([]Unit, error) {
	var named []texts.Parsed
	first := map[string]string{} // as it was first written
	for i, u := range all {
		key := strings.ToLower(u.Database)
		if first[key] == "" {
			first[key] = u.Database
		}
		if all[i].Database = first[key]; key != "" {
			named = append(named, all[i].Parsed)
		}
	}
	if n := first[strings.ToLower(database)]; n != "" {
		database = n
	}
	if database == "" { // what is done to the server before the one database there is
		for i, u := range all {
			if slices.Contains(Served, strings.ToLower(u.Database)) && u.Action.Runs() {
				all[i].Action, all[i].Why = texts.Pass, "what is of "+u.Database
			}
		}
		named = slices.DeleteFunc(named, func(p texts.Parsed) bool { return slices.Contains(Served, strings.ToLower(p.Database)) })
	}
	if _, err := texts.Select(named, database); err != nil || database == "" {
		return all, err
	}
	return slices.DeleteFunc(all, func(u Unit) bool { return u.Database != "" && u.Database != database }), nil
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

// Near shows the text at a place; nothing at the end of it.
func Near(s string) string {
	if s = sqltext.Excerpt(s); s == "" {
		return ""
	}
	return " (at: " + s + ")"
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
		case *tsql.Insert, *tsql.Update, *tsql.Delete, *tsql.Merge, *tsql.SelectStmt, *tsql.Declare, *tsql.Assign, *tsql.PrintStmt:
		default:
			return false
		}
	}
	return true
}
