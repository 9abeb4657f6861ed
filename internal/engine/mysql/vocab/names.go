// Package vocab holds the words that reading and writing MariaDB and MySQL
// share: the Dialect, Kinds, names and constants as SQL.
package vocab

import (
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// Quote writes a name as SQL.
func Quote(s string) string { return "`" + strings.ReplaceAll(s, "`", "``") + "`" }

// Literal writes a text as a string constant, for a session in which the
// backslash escapes.
func Literal(s string) string {
	return "'" + strings.NewReplacer(`\`, `\\`, `'`, `''`, "\x00", `\0`, "\n", `\n`, "\r", `\r`, "\x1a", `\Z`).Replace(s) + "'"
}

// Unquote reads a string constant.
func Unquote(s string) string {
	if len(s) < 2 || s[0] != '\'' {
		return s
	}
	var b strings.Builder
	for i := 1; i < len(s)-1; i++ {
		switch c := s[i]; {
		case c == '\'' && s[i+1] == '\'':
			i++
			b.WriteByte('\'')
		case c == '\\' && i+1 < len(s)-1:
			i++
			switch s[i] {
			case 'n':
				b.WriteByte('\n')
			case 'r':
				b.WriteByte('\r')
			case 't':
				b.WriteByte('\t')
			case '0':
				b.WriteByte(0)
			case 'Z':
				b.WriteByte(0x1a)
			default:
				b.WriteByte(s[i])
			}
		default:
			b.WriteByte(c)
		}
	}
	return b.String()
}

// Title names an object for people.
func Title(o *catalog.Object) string {
	kind := o.Kind.Title()
	if o.Kind == catalog.Routine {
		kind = "function"
		if o.Has("procedure") {
			kind = "procedure"
		}
	}
	if o.Kind == Database {
		return "the database's " + o.Name
	}
	return kind + " " + o.Name
}

// Mentions lists the names in a text, folded.
func Mentions(text string) map[string]bool {
	out := map[string]bool{}
	for _, t := range sqltext.Lex(Dialect, text) {
		if t.IsName() {
			out[strings.ToLower(t.Name())] = true
		}
	}
	return out
}

// Cursor walks over a text of the server's.
func Cursor(text string) *sqltext.Cursor { return sqltext.NewCursor(Dialect, text) }

// Dialect is how MariaDB's SQL, and its client, read a text.
var Dialect = sqltext.Dialect{Backtick: true, DoubleIsString: true, Backslash: true, Hash: true, DashSpace: true, Delimiter: true, Backslashes: true}

// Kinds MySQL has besides the common ones.
const (
	Period   catalog.Kind = "period"
	Event    catalog.Kind = "event"
	Database catalog.Kind = "database"

	Package     catalog.Kind = "package"
	PackageBody catalog.Kind = "package-body"
)

// Grant is what one account may do with the database, or with one thing in
// it. It counts with --include grants only.
const Grant catalog.Kind = "grant"

var Kinds = catalog.NewKinds([]catalog.Kind{catalog.Sequence, catalog.Table, catalog.Column, catalog.PrimaryKey, catalog.Check, catalog.ForeignKey, catalog.Index, catalog.Routine, catalog.View, catalog.Trigger},
	[]catalog.KindInfo{
		{Kind: Database, Note: "its default character set and collation"},
		{Kind: catalog.Table, Note: "engine, character set, options, partitions, system versioning; one ALTER TABLE for all its changes"},
		{Kind: catalog.Column, Note: "with its place among the others"}, {Kind: catalog.PrimaryKey}, {Kind: catalog.Check}, {Kind: catalog.ForeignKey, DefinedBy: []string{"definition"}, Note: "dropped before and added after what it stands on changes"},
		{Kind: catalog.Index, DefinedBy: []string{"class", "definition"}, Note: "unique, full-text, spatial, descending, prefixes, ignored", Notable: true}, {Kind: Period, Note: "application-time periods"},
		{Kind: catalog.Trigger, Note: "with its order and SQL mode", Notable: true}, {Kind: catalog.View, Note: "replaced in place"},
		{Kind: catalog.Routine, Note: "functions and procedures, with SQL Mode and character set"}, {Kind: Package}, {Kind: PackageBody},
		{Kind: Grant, Note: "with --include grants"}, {Kind: Event, Note: "with its time zone"}, {Kind: catalog.Sequence, Note: "the counter is no structure"},
	}).Tolerating(tolerances()...)

func init() { Kinds.FoldParts = true }

// Blank is a structure with nothing in it.
func Blank() *catalog.Catalog {
	return &catalog.Catalog{Engine: "mysql", Kinds: Kinds, Spell: func(name string, _ bool) string { return Quote(name) }}
}

// Mode is the SQL Mode the statements run in. Without strictness a narrowing
// cuts values silently; NO_ZERO_DATE would refuse rows that are there.
const Mode = "STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION"

const ConnectionSet = "utf8mb4 utf8mb4_general_ci"

// Spaced is a text with one blank between its tokens.
func Spaced(text string) string {
	var out []string
	for _, t := range Cursor(text).Significant() {
		out = append(out, t.Text)
	}
	return strings.Join(out, " ")
}
