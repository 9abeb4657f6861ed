// Package highlight tells the words of SQL apart, for people.
package highlight

import (
	"io"
	"strings"

	"github.com/alecthomas/chroma/v2"
	"github.com/alecthomas/chroma/v2/formatters"
)

// style colours SQL with the palette of the reports.
var style = chroma.MustNewStyle("harbour", chroma.StyleEntries{
	chroma.Background:    "",
	chroma.Comment:       "#8a8a8a",
	chroma.Keyword:       "#5fafff",
	chroma.LiteralString: "#ffaf00",
	chroma.LiteralNumber: "#d787d7",
})

// keywords are the words of the statements scripts are made of.
const keywords = `add after all alter always and as attach before begin by cascade case cast check cluster collate column comment commit
conflict constraint create cross default deferrable deferred delete desc detach distinct domain drop each else end enable execute exists
extension for foreign from function generated grant group having identity if immediate in index inherit initially inner insert instead into is
join key left like limit materialized not null of off offset on only or order outer owned partition policy pragma primary procedure publication
references release rename replace reset restrict returning revoke right rollback row rule schema select sequence set statistics stored table temp
temporary then to transaction trigger type union unique unlogged update using valid validate value values view virtual when where with without`

// lexer is made when it is wanted: the package's own collection of lexers
// costs every start of the program more than a small comparison.
func lexer() chroma.Lexer {
	words := strings.Join(strings.Fields(keywords), "|")
	return chroma.MustNewLexer(&chroma.Config{Name: "SQL", CaseInsensitive: true, DotAll: true}, func() chroma.Rules {
		return chroma.Rules{"root": {
			{Pattern: `--[^\n]*`, Type: chroma.CommentSingle},
			{Pattern: `/\*.*?\*/`, Type: chroma.CommentMultiline},
			{Pattern: `'(?:[^']|'')*'`, Type: chroma.LiteralString},
			{Pattern: "\"(?:[^\"]|\"\")*\"|`(?:[^`]|``)*`", Type: chroma.Name},
			{Pattern: `\b(?:` + words + `)\b`, Type: chroma.Keyword},
			{Pattern: `\b\d+(?:\.\d+)?\b`, Type: chroma.LiteralNumber},
			{Pattern: `\w+`, Type: chroma.Name},
			{Pattern: `\s+`, Type: chroma.Text},
			{Pattern: `.`, Type: chroma.Text},
		}}
	})
}

// Terminal writes SQL with the colours of a terminal.
func Terminal(w io.Writer, sql string) error {
	it, err := lexer().Tokenise(nil, sql)
	if err != nil {
		return err
	}
	return formatters.TTY256.Format(w, style, it)
}

// Class is what a piece of SQL is.
type Class string

// The classes; everything else is Plain.
const (
	Plain   Class = ""
	Name    Class = "name"
	Keyword Class = "keyword"
	Text    Class = "string"
	Number  Class = "number"
	Comment Class = "comment"
)

// Piece is a piece of SQL of one class.
type Piece struct {
	Class Class
	Text  string
}

// Lexer takes SQL apart. It is used by one at a time.
type Lexer struct{ chroma.Lexer }

// New makes a lexer.
func New() Lexer { return Lexer{chroma.Coalesce(lexer())} }

// Pieces takes SQL apart; together they are the text.
func (l Lexer) Pieces(sql string) []Piece {
	// The package puts a line break at the end where there is none.
	it, err := l.Tokenise(&chroma.TokeniseOptions{State: "root"}, sql)
	if err != nil {
		return []Piece{{Plain, sql}}
	}
	var out []Piece
	for t := it(); t != chroma.EOF; t = it() {
		c := Plain
		switch {
		case t.Type == chroma.Name:
			c = Name
		case t.Type == chroma.Keyword:
			c = Keyword
		case t.Type == chroma.LiteralString:
			c = Text
		case t.Type == chroma.LiteralNumber:
			c = Number
		case t.Type.InCategory(chroma.Comment):
			c = Comment
		}
		out = append(out, Piece{c, t.Value})
	}
	return out
}
