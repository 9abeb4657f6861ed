// Package text knows the statements of PostgreSQL's texts, and has those that
// make structure run in a scratch database.
package text

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/vocab"
	"dappermirror/internal/engine/texts"
)

// Grammar is how PostgreSQL's texts are read.
var Grammar = texts.Grammar{
	Dialect: vocab.Dialect,
	IsRows:  func(word string) bool { return slices.Contains(rowWords, word) },
	Read:    func(sql string, d sqltext.Dialect) texts.Reading { return read(sql, sqltext.Significant(d, sql)) },
	Set:     func(_, statement string) string { return statement },
	Client:  client,
}

var rowWords = strings.Fields("insert update delete merge copy select values with truncate")

func all(words string, r texts.Reading) texts.Rules {
	out := texts.Rules{}
	for w := range strings.SplitSeq(words, ",") {
		out[strings.Join(strings.Fields(w), " ")] = r
	}
	return out
}

func merged(list ...texts.Rules) texts.Rules {
	out := texts.Rules{}
	for _, r := range list {
		for k, v := range r {
			out[k] = v
		}
	}
	return out
}

func refused(why string) texts.Reading { return texts.Reading{Action: texts.Refuse, Why: why} }

// rules say what runs, and as whom. Whatever runs somebody's code runs as the
// ordinary account; as the other one run statements that only note something
// down. What none of them names is refused.
var rules = merged(
	all("insert, update, delete, merge, copy, values, with, truncate, begin, start transaction, commit, end, savepoint, release, analyze, vacuum, reindex, cluster, checkpoint, refresh, lock, listen, notify, unlisten, discard, explain, show, fetch, move, close, declare, prepare, execute, deallocate", texts.Reading{}),
	all("create database, alter database, drop database, comment on database, create role, create user, create group, alter role, alter user, alter group, drop role, drop user, drop group, comment on role, create tablespace, alter tablespace, drop tablespace, comment on tablespace, reassign, drop owned, security label", texts.Reading{}),
	all("select", texts.Reading{}),
	all("call", texts.Reading{Why: "a CALL was not run; what it makes is not seen"}),
	all("create, alter, drop, comment on, do", texts.Reading{Action: texts.Main}),
	all("create cast, create operator class, create operator family, create access method, create publication, create text search parser, create text search template, create language, create transform, create server, alter publication, alter server, alter operator family, drop publication, drop server, drop cast, drop language, drop operator class, drop operator family, drop transform, drop access method, comment on extension, comment on cast, comment on language, comment on server, comment on publication, comment on foreign data wrapper, comment on access method, comment on transform", texts.Reading{Action: texts.Raised}),
	all("create extension, alter extension, drop extension", texts.Reading{Action: texts.Early}),
	// Without a mapping nothing that runs before reaches another server.
	all("grant, revoke, alter default privileges, create user mapping, alter user mapping, drop user mapping", texts.Reading{Action: texts.Late}),
	all("create event trigger, alter event trigger, comment on event trigger", texts.Reading{Action: texts.Last}),
	all("rollback, abort, prepare transaction", refused("the text takes back what it did; leave out what is not to be")),
	all("alter system", refused("a text may not change the server's settings")),
	all("load", refused("a text may not load programs")),
	all("import foreign schema", refused("a text may not ask other servers")),
	all("create subscription", texts.Reading{Action: texts.Raised}),
	all("alter subscription", refused("a subscription is not switched in a text")),
)

// settings are those that say how what follows is meant. Others are passed
// over.
var settings = strings.Fields("search_path check_function_bodies default_table_access_method default_tablespace default_toast_compression standard_conforming_strings xmloption timezone datestyle intervalstyle array_nulls")

// kindsOf is, by the words behind CREATE, what is made.
var kindsOf = map[string][]catalog.Kind{
	"table": {catalog.Table}, "foreign table": {vocab.ForeignTable}, "view": {catalog.View}, "materialized view": {vocab.MatView}, "sequence": {catalog.Sequence},
	"schema": {catalog.Schema}, "domain": {vocab.Domain}, "type": {catalog.Enum, vocab.Composite, vocab.Range, vocab.BaseType}, "function": {catalog.Routine, "aggregate"}, "procedure": {catalog.Routine},
	"aggregate": {"aggregate"}, "extension": {vocab.Extension}, "server": {vocab.ForeignServer}, "foreign data wrapper": {vocab.Wrapper}, "publication": {vocab.Publication}, "subscription": {vocab.Subscription},
	"collation": {"collation"}, "conversion": {"conversion"}, "statistics": {"statistics"}, "language": {"language"}, "event trigger": {"event-trigger"}, "operator class": {"operator-class"}, "operator family": {"operator-family"},
	"text search configuration": {"text-search-configuration"}, "text search dictionary": {"text-search-dictionary"}, "text search parser": {"text-search-parser"}, "text search template": {"text-search-template"},
	"trigger": {catalog.Trigger}, "policy": {vocab.Policy}, "rule": {vocab.Rule}, "index": {catalog.Index},
}

// onTable are the kinds that are parts of what stands behind ON.
var onTable = []catalog.Kind{catalog.Trigger, vocab.Policy, vocab.Rule, catalog.Index}

func read(sql string, toks []sqltext.Token) texts.Reading {
	words := leading(toks)
	r, known := rules.Find(words)
	switch {
	case len(words) == 0:
		return texts.Reading{}
	case words[0] == "set" || words[0] == "reset":
		return setting(sql, toks)
	case !known:
		return refused(fmt.Sprintf("no statement that makes structure begins with %s", sqltext.CommentSafe(strings.ToUpper(words[0]))))
	case words[0] == "select":
		return asked(toks)
	case temporary(words):
		return texts.Reading{}
	case len(words) == 1 && (words[0] == "create" || words[0] == "alter" || words[0] == "drop" || words[0] == "comment"):
		return refused("what is meant is not said behind " + strings.ToUpper(words[0]))
	case words[0] == "do" && makesRoles(sql):
		return texts.Reading{Why: "a DO that makes roles was not run; what else it makes is not seen"}
	}
	if n := len(toks); n > 3 && toks[n-2].Name() != "" && words[0] == "alter" { // … OWNER TO name ;
		if end := ownerAt(toks); end > 0 && (r.Action == texts.Main || r.Action == texts.Raised) {
			r.Action = texts.Late
		}
	}
	switch words[0] {
	case "grant", "revoke":
		if onDatabase(toks) {
			return texts.Reading{}
		}
		r.Alters = granted(sql)
	case "create":
		r = special(sql, words, toks, r)
		r.Makes = made(sql, words[1:])
	case "comment":
		r.Alters = made(sql, words[2:])
		if len(words) > 2 && words[2] == "column" {
			r.Alters = columnOf(sql)
		}
	case "alter", "drop":
		r.Alters, r.Removes = made(sql, words[1:]), words[0] == "drop"
		r.Makes = constraint(sql, r.Alters)
	}
	return r
}

// leading are the first words of a statement, without those that only say how
// it is meant.
func leading(toks []sqltext.Token) []string {
	var out []string
	for i := 0; i < len(toks) && len(out) < 5; i++ {
		if toks[i].Kind != sqltext.Word {
			break
		}
		w := strings.ToLower(toks[i].Text)
		switch {
		case w == "or" && i+1 < len(toks) && toks[i+1].Is("replace"):
			i++
			continue
		case len(out) == 1 && slices.Contains([]string{"unlogged", "unique", "recursive", "constraint", "trusted", "procedural", "global", "local"}, w):
			continue
		}
		out = append(out, w)
	}
	return out
}

func temporary(words []string) bool {
	return len(words) > 1 && words[0] == "create" && (words[1] == "temp" || words[1] == "temporary")
}

// ownerAt is where the words OWNER TO stand that end a statement; 0 where they
// do not.
func ownerAt(toks []sqltext.Token) int {
	n := len(toks)
	if toks[n-1].IsOp(";") {
		n--
	}
	if n < 4 || !toks[n-3].Is("owner") || !toks[n-2].Is("to") {
		return 0
	}
	depth := 0
	for _, t := range toks[:n-3] {
		switch {
		case t.IsOp("("):
			depth++
		case t.IsOp(")"):
			depth--
		case t.IsOp(",") && depth == 0, t.IsOp(";"): // ALTER TABLE does other things before it
			return 0
		}
	}
	return n - 3
}

var rolePattern = regexp.MustCompile(`(?i)\b(create|alter|drop)\s+(role|user|group)\b`)

// makesRoles tells whether a block makes roles, which are no part of a database.
func makesRoles(sql string) bool { return rolePattern.MatchString(sql) }

// onDatabase tells rights to things that are no part of a database, and
// memberships.
func onDatabase(toks []sqltext.Token) bool {
	for i, t := range toks {
		if t.Is("on") {
			return i+1 < len(toks) && (toks[i+1].Is("database") || toks[i+1].Is("tablespace") || toks[i+1].Is("parameter"))
		}
	}
	return true
}

// setting reads SET and RESET.
func setting(sql string, toks []sqltext.Token) texts.Reading {
	c := sqltext.CursorOver("", toks)
	reset := c.Take("reset")
	c.Take("set")
	if c.Take("session", "authorization") || c.Take("role") {
		return texts.Reading{} // who does it is not said by what is made
	}
	_ = c.Take("session") || c.Take("local")
	name := strings.ToLower(c.Next().Name())
	if name == "time" {
		name = "timezone"
	}
	if !slices.Contains(settings, name) {
		return texts.Reading{}
	}
	if name == "default_tablespace" {
		return texts.Reading{} // the scratch server has none but its own
	}
	if reset {
		return texts.Reading{Action: texts.Set, Sets: []texts.Setting{{Name: name, From: "the server's own"}}}
	}
	return texts.Reading{Action: texts.Set, Sets: []texts.Setting{{Name: name, Value: strings.TrimRight(sql, "; \t\r\n")}}}
}

// asked reads a SELECT: pg_dump sets the search path by one, and the counters
// of sequences. What others call may make things.
func asked(toks []sqltext.Token) texts.Reading {
	c := sqltext.CursorOver("", toks)
	c.Take("select")
	_ = c.Take("pg_catalog", ".")
	switch {
	case c.Take("set_config", "("):
		name, _, value := c.Next(), c.Next(), c.Next()
		if slices.Contains(settings, strings.ToLower(name.StringValue())) && value.Kind == sqltext.String {
			set := "SELECT pg_catalog.set_config(" + name.Text + ", " + value.Text + ", false)"
			return texts.Reading{Action: texts.Set, Sets: []texts.Setting{{Name: strings.ToLower(name.StringValue()), Value: set}}}
		}
		return texts.Reading{}
	case c.Take("setval"):
		return texts.Reading{}
	}
	for i, t := range toks {
		if t.IsOp("(") && i > 0 && toks[i-1].IsName() {
			return texts.Reading{Why: "a SELECT that calls " + sqltext.CommentSafe(toks[i-1].Name()) + " was not run; what it makes is not seen"}
		}
	}
	return texts.Reading{}
}

// special are the statements of CREATE that are not what they look like.
func special(sql string, words []string, toks []sqltext.Token, r texts.Reading) texts.Reading {
	has := func(list ...string) bool {
		for i := range toks {
			for k, w := range list {
				if i+k >= len(toks) || !toks[i+k].Is(w) && !toks[i+k].IsOp(w) {
					break
				}
				if k == len(list)-1 {
					return true
				}
			}
		}
		return false
	}
	switch {
	case words[1] == "subscription" && !has("connect", "=", "false"):
		return refused("a subscription would connect to another server; write WITH (connect = false)")
	case words[1] == "function" && (has("language", "c") || has("language", "internal")):
		return refused("a function in C loads a program")
	case words[1] == "language" && has("handler"), words[1] == "foreign" && len(words) > 2 && words[2] == "data" && (has("handler") || has("validator")):
		return refused("a handler is code that would run as the server's superuser; make it by an extension")
	case words[1] == "foreign" && len(words) > 2 && words[2] == "data":
		r.Action = texts.Raised
	case words[1] == "foreign" && len(words) > 2 && words[2] == "table":
		// It runs as any table does.
	case words[1] == "server":
		if m := made(sql, words[1:]); m != nil {
			r.Then = &texts.Reading{Action: texts.Raised, SQL: lent + vocab.Quote(m.Name)}
		}
	case words[1] == "extension" && has("dblink"):
		r.Then = &texts.Reading{Action: texts.Early, SQL: reachesOut}
	case words[1] == "schema" && len(toks) > 2 && strings.EqualFold(toks[2].Name(), "public") && (len(toks) == 3 || toks[3].IsOp(";")):
		r.Action, r.SQL = texts.First, publicAnew
	case words[1] == "schema":
		if i := slices.IndexFunc(toks, func(t sqltext.Token) bool { return t.Is("authorization") }); i > 0 && i+1 < len(toks) {
			name, owner := toks[i+1].Text, toks[i+1].Text
			if !toks[i-1].Is("schema") && !toks[i-1].Is("exists") {
				name = toks[i-1].Text
			}
			if i+2 < len(toks) && !toks[i+2].IsOp(";") {
				return refused("a schema that is made together with what is in it cannot be given to somebody; write them one by one")
			}
			quiet := ""
			if has("if", "not", "exists") {
				quiet = "IF NOT EXISTS "
			}
			r.Action, r.SQL = texts.First, "CREATE SCHEMA "+quiet+name+" AUTHORIZATION "+account
			r.Then = &texts.Reading{Action: texts.Late, SQL: "ALTER SCHEMA " + name + " OWNER TO " + owner}
		} else if n := len(toks); n < 8 && (toks[n-1].IsOp(";") || n == 3) { // without anything in it
			r.Action, r.SQL = texts.First, strings.TrimRight(sql, "; \n\t")+" AUTHORIZATION "+account
		}
	}
	return r
}

// reachesOut takes from everybody what connects to other servers.
const reachesOut = `DO $$ DECLARE f regprocedure; BEGIN
  FOR f IN SELECT d.objid FROM pg_depend d JOIN pg_extension e ON e.oid = d.refobjid WHERE d.classid = 'pg_proc'::regclass AND d.refclassid = 'pg_extension'::regclass AND d.deptype = 'e' AND e.extname = 'dblink' LOOP
    EXECUTE 'REVOKE EXECUTE ON FUNCTION ' || f || ' FROM PUBLIC';
  END LOOP; END $$`

// account stands for the ordinary account in statements of our own.
const account = "\x00account\x00"

// publicAnew makes the schema that every database has anew, as somebody else's:
// what is said of it then is all that there is to say.
const publicAnew = "\x00public\x00"

// lent stands before the name of a server that the ordinary account may use while
// it makes tables there: what reads files it may not make.
const lent = "\x00server\x00"

func fold(s string) string { return strings.ToLower(s) }

// made is the thing whose kind the words say, as the statement names it.
func made(sql string, words []string) *texts.Made {
	var kinds []catalog.Kind
	n := 0
	for i := min(3, len(words)); i > 0 && n == 0; i-- {
		if k, ok := kindsOf[strings.Join(words[:i], " ")]; ok {
			kinds, n = k, i
		}
	}
	if n == 0 {
		return nil
	}
	last := words[n-1]
	c := sqltext.NewCursor(vocab.Dialect, sql)
	for !c.End() && !c.Peek().Is(last) {
		c.Next()
	}
	c.Next()
	_ = c.Take("concurrently")
	_ = c.Take("if", "not", "exists") || c.Take("if", "exists")
	_ = c.Take("only")
	m := &texts.Made{Kinds: kinds}
	if !slices.Contains(onTable, kinds[0]) {
		m.Schema, m.Name = texts.Named(c, fold)
		if c.Peek().IsOp("(") && (kinds[0] == catalog.Routine || kinds[0] == "aggregate") {
			m.Hint = c.Group()
		}
		if kinds[0] == catalog.Schema && m.Schema == "" {
			return m
		}
		return m
	}
	if !c.Peek().Is("on") {
		m.Schema, m.Part = texts.Named(c, fold)
	}
	if !slices.ContainsFunc(c.Toks[c.At:], func(t sqltext.Token) bool { return t.Is("on") }) { // ALTER INDEX, COMMENT ON INDEX
		m.PartKinds, m.Kinds = kinds, nil
		return m
	}
	for !c.End() && !c.Peek().Is("on") {
		c.Next()
	}
	if kinds[0] == vocab.Rule { // … ON event TO table
		for !c.End() && !c.Peek().Is("to") {
			c.Next()
		}
	}
	c.Next()
	_ = c.Take("only")
	m.PartKinds, m.Kinds = kinds, nil
	m.Schema, m.Name = texts.Named(c, fold)
	if m.Name == "" || m.Part == "" {
		return nil
	}
	return m
}

// columnOf is the object of the column that COMMENT ON COLUMN names.
func columnOf(sql string) *texts.Made {
	c := sqltext.NewCursor(vocab.Dialect, sql)
	c.Take("comment", "on", "column")
	start := c.At
	for c.Peek().IsName() {
		c.Next()
		if !c.Peek().IsOp(".") {
			break
		}
		c.Next()
	}
	// The last name is the column's.
	end := c.At
	n := 0
	for i := start; i < end; i++ {
		if c.Toks[i].IsOp(".") {
			n++
		}
	}
	if n == 0 {
		return nil
	}
	c.At = start
	var names []string
	for range n {
		t := c.Next()
		name := t.Name()
		if t.Kind == sqltext.Word {
			name = fold(name)
		}
		names = append(names, name)
		c.Take(".")
	}
	m := &texts.Made{Kinds: []catalog.Kind{catalog.Table, catalog.View, vocab.MatView, vocab.ForeignTable, vocab.Composite}, Name: names[len(names)-1]}
	if len(names) > 1 {
		m.Schema = names[len(names)-2]
	}
	return m
}

// granted is the one thing that rights are given to, where it is one.
func granted(sql string) *texts.Made {
	c := sqltext.NewCursor(vocab.Dialect, sql)
	for !c.End() && !c.Peek().Is("on") {
		c.Next()
	}
	c.Next()
	var kinds []catalog.Kind
	for _, w := range []string{"table", "sequence", "function", "procedure", "routine", "schema", "type", "domain", "language"} {
		if c.Take(w) {
			kinds = kindsOf[w]
		}
	}
	if c.Peek().Is("all") {
		return nil
	}
	m := &texts.Made{Kinds: kinds}
	m.Schema, m.Name = texts.Named(c, fold)
	if c.Peek().IsOp("(") {
		m.Hint = c.Group()
	}
	if len(kinds) == 1 && kinds[0] == catalog.Table {
		m.Kinds = nil
	}
	if c.Peek().IsOp(",") {
		return nil
	}
	return m
}

// constraint is the one that ALTER TABLE … ADD CONSTRAINT makes, where it does
// nothing else.
func constraint(sql string, of *texts.Made) *texts.Made {
	if of == nil || len(of.Kinds) == 0 || !vocab.IsTable(of.Kinds[0]) {
		return nil
	}
	c := sqltext.NewCursor(vocab.Dialect, sql)
	for !c.End() && !c.Peek().Is("add") {
		c.Next()
	}
	if !c.Take("add", "constraint") {
		return nil
	}
	m := *of
	_, m.Part = texts.Named(c, fold)
	m.PartKinds = []catalog.Kind{catalog.PrimaryKey, catalog.Unique, catalog.Check, catalog.ForeignKey, vocab.Exclusion}
	return &m
}

// client reads a line for psql.
func client(line string) texts.Reading {
	f := strings.Fields(line)
	switch f[0] {
	case `\connect`, `\c`:
		if len(f) > 1 && f[1] != "-" {
			c := sqltext.NewCursor(vocab.Dialect, strings.TrimSpace(strings.TrimPrefix(line, f[0])))
			name := c.Next().Name()
			for c.Peek().Kind != sqltext.Quoted && !c.End() && name == "-" { // \connect -reuse-previous=on "dbname='x'"
				c.Next()
			}
			if name == "-" {
				name = strings.Trim(strings.TrimPrefix(c.Peek().Name(), "dbname="), "'")
			}
			return texts.Reading{Action: texts.Switch, Key: name}
		}
		return texts.Reading{}
	case `\restrict`, `\unrestrict`, `\set`, `\unset`, `\echo`, `\qecho`, `\warn`, `\pset`, `\timing`, `\encoding`, `\x`, `\t`, `\a`, `\q`, `\.`:
		return texts.Reading{}
	case `\i`, `\ir`, `\include`, `\include_relative`:
		return refused("a text may not read other files; give the folder that they are in")
	}
	return refused("the command of psql is not followed in a text")
}

// Signs are what only PostgreSQL's texts have; the number tells how surely.
var Signs = []texts.Sign{
	{Text: "-- postgresql database", Weight: 100}, {Text: "create extension", Weight: 20}, {Text: "language plpgsql", Weight: 20}, {Text: "$$", Weight: 5}, {Text: "::", Weight: 2}, {Text: " owner to ", Weight: 10},
	{Text: "create policy", Weight: 20}, {Text: "create type", Weight: 10}, {Text: "create domain", Weight: 10}, {Text: "create materialized view", Weight: 20}, {Text: "serial", Weight: 3}, {Text: "timestamptz", Weight: 5},
	{Text: "with time zone", Weight: 5}, {Text: "jsonb", Weight: 5}, {Text: "bytea", Weight: 5}, {Text: "create schema", Weight: 3}, {Text: "set search_path", Weight: 20}, {Text: "comment on ", Weight: 10}, {Text: "generated by default as identity", Weight: 5},
	{Text: "generated always as identity", Weight: 5}, {Text: "character varying", Weight: 3}, {Text: "alter default privileges", Weight: 20}, {Text: "row level security", Weight: 20}, {Text: "execute function", Weight: 10}, {Text: "execute procedure", Weight: 10}, {Text: " uuid", Weight: 1}, {Text: "using gin", Weight: 10}, {Text: "using gist", Weight: 10},
}
