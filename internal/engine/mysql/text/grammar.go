// Package text knows the statements of MariaDB's and MySQL's texts, and has
// those that make structure run in a scratch database.
package text

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/mysql/vocab"
	"dappermirror/internal/engine/texts"
)

// Grammar is how the texts are read.
var Grammar = texts.Grammar{
	Dialect: vocab.Dialect,
	IsRows:  func(word string) bool { return slices.Contains(rowWords, word) },
	Read:    read,
	Set:     set,
	Client:  client,
}

var rowWords = strings.Fields("insert replace update delete select values with truncate load")

// Signs are what only these texts have; the number tells how surely.
var Signs = []texts.Sign{
	{Text: "-- mariadb dump", Weight: 100}, {Text: "-- mysql dump", Weight: 100}, {Text: "/*m!999999", Weight: 100}, {Text: "/*!40101 set", Weight: 50}, {Text: "engine=", Weight: 20}, {Text: "engine =", Weight: 20}, {Text: "auto_increment", Weight: 15},
	{Text: "delimiter ", Weight: 15}, {Text: "`", Weight: 3}, {Text: "default charset", Weight: 15}, {Text: "character set utf8", Weight: 10}, {Text: "collate utf8mb4", Weight: 10}, {Text: " unsigned", Weight: 8}, {Text: "tinyint", Weight: 3},
	{Text: "on update current_timestamp", Weight: 10}, {Text: "mediumint", Weight: 8}, {Text: "longtext", Weight: 5}, {Text: "enum(", Weight: 8}, {Text: "for each row begin", Weight: 3}, {Text: "sql security", Weight: 8}, {Text: "definer=", Weight: 15}, {Text: "on schedule", Weight: 15},
}

func refused(why string) texts.Reading { return texts.Reading{Action: texts.Refuse, Why: why} }

func rules(list map[string]texts.Reading) texts.Rules {
	out := texts.Rules{}
	for words, r := range list {
		for w := range strings.SplitSeq(words, ",") {
			out[strings.Join(strings.Fields(w), " ")] = r
		}
	}
	return out
}

// known says what runs, and as whom. What none of them names is refused.
var known = rules(map[string]texts.Reading{
	"insert, replace, update, delete, select, values, with, truncate, begin, start, commit, savepoint, release, lock, unlock, analyze, optimize, check, checksum, repair, flush, show, explain, describe, desc, do, handler, kill, reset, prepare, deallocate, help, purge, change": {},
	"create user, create role, alter user, drop user, drop role, rename user, set role, set password, set default":                                                                                                                                                                  {},
	"drop database, drop schema":  {},
	"call":                        {Why: "a CALL was not run; what it makes is not seen"},
	"execute":                     {Why: "a prepared statement was not run; what it makes is not seen"},
	"create, alter, drop, rename": {Action: texts.Main},
	"grant, revoke":               {Action: texts.Late},
	"rollback":                    refused("the text takes back what it did; leave out what is not to be"),
	"install, uninstall, create server, alter server, drop server, create tablespace, create logfile, shutdown, backup": refused("it reaches beyond the database"),
	"load": {},
})

// settings say how what follows is meant. Others are passed over.
var settings = strings.Fields("sql_mode character_set_client character_set_results character_set_connection collation_connection time_zone timestamp default_storage_engine storage_engine explicit_defaults_for_timestamp")

var kindsOf = map[string][]catalog.Kind{
	"table": {catalog.Table}, "view": {catalog.View}, "procedure": {catalog.Routine}, "function": {catalog.Routine}, "event": {vocab.Event}, "sequence": {catalog.Sequence},
	"package": {vocab.Package}, "package body": {vocab.PackageBody}, "trigger": {catalog.Trigger}, "index": {catalog.Index}, "database": {vocab.Database}, "schema": {vocab.Database},
}

// engines are those whose tables are kept elsewhere than with the others.
var foreignEngines = strings.Fields("federated federatedx connect spider")

// Unwrapped is a text with the comments that hold code (MySQL: Comments) opened,
// each character in its place.
func Unwrapped(sql string, d sqltext.Dialect) string {
	if !strings.Contains(sql, "/*!") && !strings.Contains(sql, "/*M!") {
		return sql
	}
	out := []byte(sql)
	for _, t := range sqltext.Lex(d, sql) {
		head := 0
		switch {
		case t.Kind != sqltext.Comment:
		case strings.HasPrefix(t.Text, "/*!"):
			head = 3
		case strings.HasPrefix(t.Text, "/*M!"):
			head = 4
		}
		if head == 0 {
			continue
		}
		for head < len(t.Text) && t.Text[head] >= '0' && t.Text[head] <= '9' {
			head++
		}
		blank(out, t.Pos, t.Pos+head)
		blank(out, t.Pos+len(t.Text)-2, t.Pos+len(t.Text))
	}
	return string(out)
}

func blank(b []byte, from, to int) {
	for i := max(from, 0); i < to && i < len(b); i++ {
		if b[i] != '\n' {
			b[i] = ' '
		}
	}
}

// modifiers stand between CREATE and the kind of what is made.
var modifiers = strings.Fields("unique fulltext spatial vector online offline aggregate recursive undefined merge temptable sql security invoker definer = algorithm @ or replace ignore")

func read(sql string, d sqltext.Dialect) texts.Reading {
	open := Unwrapped(sql, d)
	toks := sqltext.Significant(d, open)
	if len(toks) == 0 || toks[0].IsOp(";") || toks[0].Kind == sqltext.Op {
		return texts.Reading{}
	}
	words := leading(toks)
	if len(words) == 0 {
		return refused("a statement begins with a word")
	}
	switch words[0] {
	case "use":
		if len(toks) > 1 {
			return texts.Reading{Action: texts.Switch, Key: toks[1].Name()}
		}
	case "set":
		return setting(open, toks)
	case "delimiter":
		return refused("DELIMITER begins a line of its own")
	}
	r, ok := known.Find(words)
	switch {
	case !ok:
		return refused("no statement that makes structure begins with " + sqltext.CommentSafe(strings.ToUpper(words[0])))
	case len(words) > 1 && words[0] == "create" && words[1] == "temporary":
		return texts.Reading{}
	case words[0] == "grant" || words[0] == "revoke":
		return granted(open, toks)
	case r.Action != texts.Main || len(words) < 2:
		return r
	}
	if why := beyond(toks); why != "" {
		return refused(why)
	}
	c := sqltext.CursorOver(open, toks)
	if kinds := kindsOf[words[1]]; len(kinds) > 0 && kinds[0] == vocab.Database {
		return database(c, words)
	}
	m := made(c, words)
	switch words[0] {
	case "create":
		r.Makes = m
		if cut, _ := definer(toks); cut[1] > 0 {
			b := []byte(sql)
			blank(b, cut[0], cut[1])
			r.SQL = string(b)
		}
	default:
		r.Alters, r.Removes = m, words[0] == "drop"
	}
	return r
}

// leading are the first words that tell what a statement is.
func leading(toks []sqltext.Token) []string {
	var out []string
	for i := 0; i < len(toks) && len(out) < 3; i++ {
		w := strings.ToLower(toks[i].Text)
		if len(out) == 1 && (slices.Contains(modifiers, w) || i > 0 && (toks[i-1].IsOp("=") || toks[i-1].IsOp("@") || toks[i].Kind == sqltext.Param || toks[i].IsOp("(") || toks[i].IsOp(")"))) {
			continue
		}
		if toks[i].Kind != sqltext.Word {
			break
		}
		out = append(out, w)
	}
	return out
}

// beyond tells why a statement reaches out of the database.
func beyond(toks []sqltext.Token) string {
	for i, t := range toks {
		next := func(n int) sqltext.Token {
			if i+n < len(toks) {
				return toks[i+n]
			}
			return sqltext.Token{}
		}
		switch {
		case t.Is("soname"):
			return "a function of a library loads a program"
		case (t.Is("data") || t.Is("index")) && next(1).Is("directory"):
			return "DATA DIRECTORY writes files at a place of its own"
		case t.Is("into") && (next(1).Is("outfile") || next(1).Is("dumpfile")):
			return "INTO OUTFILE writes files"
		case t.Is("engine") || t.Is("type"):
			e := next(1)
			if e.IsOp("=") {
				e = next(2)
			}
			if slices.Contains(foreignEngines, strings.ToLower(strings.Trim(e.Text, "`'\""))) {
				return fmt.Sprintf("a table of the engine %s is kept elsewhere", sqltext.CommentSafe(e.Text))
			}
		}
	}
	return ""
}

// database reads CREATE DATABASE and ALTER DATABASE: what they say of the
// database holds for the scratch database.
func database(c *sqltext.Cursor, words []string) texts.Reading {
	for !c.End() && !c.Peek().Is(words[1]) {
		c.Next()
	}
	c.Next()
	_ = c.Take("if", "not", "exists")
	r := texts.Reading{}
	if t := c.Peek(); t.IsName() && !t.Is("default") && !t.Is("character") && !t.Is("collate") && !t.Is("charset") {
		r.Of = c.Next().Name()
	}
	options := strings.TrimRight(c.Rest(), "; \t\r\n")
	if options != "" && words[0] != "drop" {
		r.Action, r.SQL = texts.Early, "ALTER DATABASE "+options
		r.Makes = &texts.Made{Kinds: []catalog.Kind{vocab.Database}, Name: "defaults"}
	}
	return r
}

// setting reads SET.
func setting(open string, toks []sqltext.Token) texts.Reading {
	for _, t := range toks {
		if t.Is("global") || strings.HasPrefix(strings.ToLower(t.Text), "@@global") {
			return texts.Reading{}
		}
	}
	c := sqltext.CursorOver(open, toks)
	c.Take("set")
	_ = c.Take("session") || c.Take("local")
	if c.Take("names") || c.Take("character", "set") || c.Take("charset") {
		return names(c)
	}
	r := texts.Reading{Action: texts.Set}
	for !c.End() && !c.Peek().IsOp(";") {
		name := ""
		for !c.End() && !c.Peek().IsOp("=") && !c.Peek().IsOp(":=") {
			name += strings.ToLower(c.Next().Text)
		}
		c.Next()
		at := c.At
		for !c.End() && !c.Peek().IsOp(",") && !c.Peek().IsOp(";") {
			if c.Peek().IsOp("(") {
				c.Group()
				continue
			}
			c.Next()
		}
		value := c.Significant()[0:0]
		for _, t := range c.Toks[at:c.At] {
			if !t.Blank() {
				value = append(value, t)
			}
		}
		c.Take(",")
		if s, ok := assigned(plainSetting(name), value); ok {
			r.Sets = append(r.Sets, s)
		} else {
			return texts.Reading{}
		}
	}
	return r
}

// plainSetting is the name of a setting without what says that it is the
// session's.
func plainSetting(name string) string {
	for _, p := range []string{"@@session.", "@@local.", "@@", "session", "local"} {
		name = strings.TrimPrefix(name, p)
	}
	return name
}

// assigned is one assignment of SET. Only values that cannot call anything are
// taken: words, literals, other settings and variables, and the moment of an
// event that is over.
func assigned(name string, value []sqltext.Token) (texts.Setting, bool) {
	s := texts.Setting{Name: name}
	if strings.HasSuffix(name, "storage_engine") && len(value) == 1 && slices.Contains(foreignEngines, strings.ToLower(strings.Trim(value[0].Text, "`'\""))) {
		return s, false
	}
	if len(value) == 0 || !strings.HasPrefix(name, "@") && !slices.Contains(settings, name) {
		return s, false
	}
	text := ""
	for _, t := range value {
		text += t.Text
	}
	low := strings.ToLower(text)
	moment := name == "timestamp" && len(value) >= 4 && value[0].Is("unix_timestamp") && value[1].IsOp("(") && value[2].Kind == sqltext.String && value[3].IsOp(")")
	switch {
	case strings.HasPrefix(low, "@") && len(value) <= 4 && !strings.ContainsAny(low, "()'\""):
		s.From = connection(plainSetting(low))
	case moment, len(value) == 1, len(value) == 2 && value[0].IsOp("-"):
		var parts []string
		for _, t := range value {
			parts = append(parts, t.Text)
		}
		s.Value = strings.ReplaceAll(strings.Join(parts, " "), "unix_timestamp (", "unix_timestamp(")
		s.Value = strings.ReplaceAll(s.Value, "UNIX_TIMESTAMP (", "UNIX_TIMESTAMP(")
	default:
		return s, false
	}
	if s.Name = connection(name); s.Name != name {
		s.Value = name + " = " + s.Value
	}
	return s, true
}

// connection is the one setting that two names are of: the character set of a
// connection and its collation set each other.
func connection(name string) string {
	if name == "character_set_connection" || name == "collation_connection" {
		return "connection"
	}
	return name
}

// names reads SET NAMES and SET CHARACTER SET.
func names(c *sqltext.Cursor) texts.Reading {
	charset := c.Next()
	if !charset.IsName() && charset.Kind != sqltext.String {
		return texts.Reading{}
	}
	way := "character_set_connection = " + charset.Text
	if c.Take("collate") {
		way = "collation_connection = " + c.Next().Text
	}
	return texts.Reading{Action: texts.Set, Sets: []texts.Setting{{Name: "character_set_client", Value: charset.Text}, {Name: "character_set_results", Value: charset.Text}, {Name: "connection", Value: way}}}
}

// set is the statement that gives a setting a value.
func set(name, value string) string {
	switch {
	case strings.HasPrefix(name, "@"):
		return ""
	case name == connection("collation_connection"):
		return "SET " + value
	}
	return "SET " + name + " = " + value
}

// granted reads GRANT and REVOKE. Those on everything are no part of the
// database.
func granted(open string, toks []sqltext.Token) texts.Reading {
	for i, t := range toks {
		if t.Is("proxy") || t.Is("identified") || t.Is("require") || t.IsOp(";") && i+1 < len(toks) { // about accounts, which are no part of a database
			return texts.Reading{}
		}
	}
	for i, t := range toks {
		if !t.Is("on") {
			continue
		}
		for _, k := range []string{"table", "procedure", "function", "package", "body"} {
			if i+1 < len(toks) && toks[i+1].Is(k) {
				i++
			}
		}
		if i+3 < len(toks) && toks[i+2].IsOp(".") {
			if toks[i+1].IsOp("*") {
				return texts.Reading{}
			}
			return texts.Reading{Action: texts.Late, SQL: open[:toks[i+1].Pos] + open[toks[i+3].Pos:], Key: toks[i+1].Name()}
		}
		return texts.Reading{Action: texts.Late, SQL: open}
	}
	return texts.Reading{}
}

// definer finds the clause, from where to where, and the account that it names.
func definer(toks []sqltext.Token) (cut [2]int, account string) {
	for i := range toks {
		if i > 12 || i+2 >= len(toks) || len(kindsOf[strings.ToLower(toks[i].Text)]) > 0 {
			return cut, ""
		}
		if !toks[i].Is("definer") || !toks[i+1].IsOp("=") {
			continue
		}
		end := i + 3
		user, host := bare(toks[i+2]), ""
		switch {
		case end+1 < len(toks) && toks[end].IsOp("@"):
			host = bare(toks[end+1])
			end += 2
		case end < len(toks) && toks[end].Kind == sqltext.Param:
			host = toks[end].Text[1:]
			end++
		case end+1 < len(toks) && toks[end].IsOp("(") && toks[end+1].IsOp(")"):
			end += 2
		}
		last := toks[end-1]
		cut = [2]int{toks[i].Pos, last.Pos + len(last.Text)}
		if strings.EqualFold(user, "current_user") && host == "" {
			return cut, ""
		}
		account = vocab.Quote(user)
		if host != "" {
			account += "@" + vocab.Quote(host)
		}
		return cut, account
	}
	return cut, ""
}

func bare(t sqltext.Token) string {
	if t.Kind == sqltext.String {
		return strings.Trim(t.Text, `'"`)
	}
	return t.Name()
}

func same(s string) string { return s }

// made is the thing whose kind the words say, as the statement names it.
func made(c *sqltext.Cursor, words []string) *texts.Made {
	kind := words[1]
	if kind == "package" && len(words) > 2 && words[2] == "body" {
		kind = "package body"
	}
	kinds := kindsOf[kind]
	if kinds == nil {
		return nil
	}
	last := kind[strings.LastIndexByte(kind, ' ')+1:]
	for !c.End() && !c.Peek().Is(last) {
		c.Next()
	}
	c.Next()
	_ = c.Take("if", "not", "exists") || c.Take("if", "exists")
	m := &texts.Made{Kinds: kinds}
	if kinds[0] == catalog.Routine {
		m.Is = func(o *catalog.Object) bool { return o.Has("procedure") == (kind == "procedure") }
	}
	if kinds[0] != catalog.Trigger && kinds[0] != catalog.Index {
		_, m.Name = texts.Named(c, same)
		return m
	}
	_, m.Part = texts.Named(c, same)
	for !c.End() && !c.Peek().Is("on") {
		c.Next()
	}
	c.Next()
	m.Kinds, m.PartKinds = []catalog.Kind{catalog.Table}, kinds
	_, m.Name = texts.Named(c, same)
	if m.Name == "" {
		return nil
	}
	return m
}

// client reads a line for the client.
func client(line string) texts.Reading {
	f := strings.Fields(strings.ToLower(line))
	switch {
	case f[0] == "delimiter", f[0] == `\-`, strings.HasPrefix(line, `\-`):
		return texts.Reading{}
	case f[0] == "source", strings.HasPrefix(line, `\.`):
		return refused("a text may not read other files; give the folder that they are in")
	}
	return refused("the client's command is not followed in a text")
}
