// Package vocab holds the words that reading and writing SQLite share: its
// Dialect, its Kinds, names as SQL, and what follows from a column's type.
package vocab

import (
	"strconv"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// Dialect is how SQLite's SQL, and its shell, read a text.
var Dialect = sqltext.Dialect{Backtick: true, Bracket: true, LineEnders: true, Command: ".", OpenComment: true, TriggerEnds: true}

// Database is the file itself: numbers in its header that its applications set
// (SQLite: Database File Format, section 1.3). They count with --include versions.
const Database catalog.Kind = "database"

// The group that its facts belong to, and their names.
const (
	Versions    = "versions"
	UserVersion = "user version"
	AppID       = "application id"
)

// File is a database with these numbers in its header; nil where there are none.
func File(user, application int32) *catalog.Object {
	if user == 0 && application == 0 {
		return nil
	}
	o := &catalog.Object{Kind: Database, Name: "main", Group: Versions}
	for _, n := range []struct {
		name  string
		value int32
	}{{UserVersion, user}, {AppID, application}} {
		if n.value != 0 {
			o.Set(n.name, catalog.Scalar(strconv.Itoa(int(n.value))))
		}
	}
	return o
}

// Kinds are those that SQLite has, with what is done with each.
var Kinds = catalog.NewKinds([]catalog.Kind{catalog.Table, catalog.VirtualTable, catalog.Column, catalog.PrimaryKey, catalog.Unique, catalog.Check, catalog.ForeignKey, catalog.Index, catalog.View, catalog.Trigger, Database},
	[]catalog.KindInfo{
		{Kind: catalog.Table, Note: "changed in place where ALTER TABLE can, else rebuilt with its rows"},
		{Kind: catalog.VirtualTable, Note: "dropped and made anew; its shadow tables are its own"},
		{Kind: catalog.Column, Note: "type, NOT NULL, default, collation, generated"}, {Kind: catalog.PrimaryKey}, {Kind: catalog.Unique, DefinedBy: []string{"columns"}}, {Kind: catalog.Check, DefinedBy: []string{"expression"}},
		{Kind: catalog.ForeignKey, DefinedBy: []string{"columns", "references"}},
		{Kind: catalog.Index, DefinedBy: []string{"unique", "columns", "where"}, Note: "expressions, partial, collations, order", Notable: true}, {Kind: catalog.View}, {Kind: catalog.Trigger, Note: "on tables and views", Notable: true},
		{Kind: Database, Note: "user_version and application_id, with --include versions", Told: true},
	}).Tolerating(tolerances()...)

// Statistics is, among the limits of a structure, whether ANALYZE was ever run:
// then there is a table for what it found (SQLite: sqlite_stat1).
const Statistics = "sqlite_stat1"

// Blank is a structure with nothing in it.
func Blank() *catalog.Catalog {
	return &catalog.Catalog{Engine: "sqlite", Kinds: Kinds, FoldNames: true, Spell: func(name string, canonical bool) string {
		if canonical {
			return Canon(catalog.FoldASCII(name))
		}
		return Quote(name)
	}}
}

// Canon writes a folded name so that quoted and unquoted spellings agree:
// quotes stay only where they are needed.
func Canon(name string) string {
	if plainName(name) && !Reserved[name] {
		return name
	}
	return sqltext.Always(name)
}

func plainName(s string) bool {
	if s == "" || s[0] >= '0' && s[0] <= '9' || s[0] == '$' {
		return false
	}
	for i := 0; i < len(s); i++ {
		c := s[i]
		if !(c == '_' || c == '$' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= 0x80) {
			return false
		}
	}
	return true
}

// Quote writes a name for SQL: quoted only where it must be.
func Quote(s string) string {
	if f := catalog.FoldASCII(s); plainName(s) && !Reserved[f] && !wordy[f] {
		return s
	}
	return sqltext.Always(s)
}

func Words(text string) map[string]bool {
	m := map[string]bool{}
	for _, w := range strings.Fields(text) {
		m[w] = true
	}
	return m
}

// Reserved are the words SQLite does not take for a name without quotes
// (SQLite: parse.y, the tokens without %fallback ID).
var Reserved = Words(`add all alter and as autoincrement between case check collate commit constraint create
	cross current_date current_time current_timestamp default deferrable delete distinct drop else escape except exists
	foreign from full group having in index inner insert intersect into is isnull join left limit natural not notnull
	null nothing on or order outer primary references returning right select set table then to transaction union unique update using
	values when where generated`)

// wordy are words SQLite takes for names, but a reader would stumble over.
var wordy = Words(`abort action after always analyze asc attach before begin by cascade cast column conflict current
	database deferred desc detach do each end exclude exclusive explain fail filter first following for glob
	groups if ignore immediate indexed initially instead key last like match materialized no nulls of offset others over
	partition plan pragma preceding query raise range recursive regexp reindex release rename replace restrict rollback
	row rows savepoint temp temporary ties trigger unbounded vacuum view virtual window with without true false rowid`)

// Statement ends a text with a semicolon that ends it. SQLite takes a comment
// at the end of a stored text that does not end itself.
func Statement(sql string) string {
	sql = strings.TrimSpace(sql)
	toks := sqltext.Lex(Dialect, sql)
	if n := len(toks); n > 0 && toks[n-1].Kind == sqltext.Comment {
		switch last := toks[n-1].Text; {
		case strings.HasPrefix(last, "--"):
			sql += "\n"
		case len(last) < 4 || !strings.HasSuffix(last, "*/"):
			sql += "*/"
		}
		return sql + ";"
	}
	return strings.TrimRight(sql, "; \n") + ";"
}

// Inline parts have no life of their own: they are in CREATE TABLE.
func Inline(k catalog.Kind) bool { return k != catalog.Index && k != catalog.Trigger }

// RowidNames are the names of the rowid (SQLite: ROWIDs and the INTEGER
// PRIMARY KEY).
var RowidNames = []string{"rowid", "_rowid_", "oid"}

// RowidAlias is the column that is another name of the rowid, or "" (SQLite:
// ROWIDs and the INTEGER PRIMARY KEY).
func RowidAlias(o *catalog.Object) string {
	pk := o.Part(catalog.PrimaryKey, "primary key")
	if pk == nil || o.Has("without rowid") || pk.Has("Inline descending") {
		return ""
	}
	cols := pk.List("column names")
	if len(cols) != 1 {
		return ""
	}
	if c := o.Part(catalog.Column, cols[0]); c != nil && c.Property("type") != nil && c.Property("type").Value.Canonical() == "INTEGER" {
		return c.Name
	}
	return ""
}

// AffinityIn is the affinity of a column in its table: ANY keeps every value as
// it is in a STRICT table, and is a word like any other elsewhere (SQLite:
// STRICT Tables, section 3).
func AffinityIn(table, c *catalog.Object) string {
	if p := c.Property("type"); p != nil && table.Has("strict") && p.Value.Canonical() == "ANY" {
		return "BLOB"
	}
	return Affinity(c)
}

// Affinity is the type Affinity of a column (SQLite: Datatypes, section 3.1).
func Affinity(c *catalog.Object) string {
	t := ""
	if p := c.Property("type"); p != nil {
		t = p.Value.Canonical()
	}
	has := func(s ...string) bool {
		for _, x := range s {
			if strings.Contains(t, x) {
				return true
			}
		}
		return false
	}
	switch {
	case has("INT"):
		return "INTEGER"
	case has("CHAR", "CLOB", "TEXT"):
		return "TEXT"
	case t == "" || has("BLOB"):
		return "BLOB"
	case has("REAL", "FLOA", "DOUB"):
		return "REAL"
	}
	return "NUMERIC"
}
