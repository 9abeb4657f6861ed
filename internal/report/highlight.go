package report

import (
	"io"
	"strings"

	"github.com/alecthomas/chroma/v2"
	"github.com/alecthomas/chroma/v2/formatters"
)

// sqlStyle colours SQL with the palette of the reports.
var sqlStyle = chroma.MustNewStyle("harbour", chroma.StyleEntries{
	chroma.Background:    "",
	chroma.Comment:       "#8a8a8a",
	chroma.Keyword:       "#5fafff",
	chroma.LiteralString: "#ffaf00",
	chroma.LiteralNumber: "#d787d7",
})

// sqlKeywords are the words of the statements scripts are made of.
const sqlKeywords = `add after all alter always and as attach before begin by cascade case cast check cluster collate column comment commit
conflict constraint create cross default deferrable deferred delete desc detach distinct domain drop each else end enable execute exists
extension for foreign from function generated grant group having identity if immediate in index inherit initially inner insert instead into is
join key left like limit materialized not null of off offset on only or order outer owned partition policy pragma primary procedure publication
references release rename replace reset restrict returning revoke right rollback row rule schema select sequence set statistics stored table temp
temporary then to transaction trigger type union unique unlogged update using valid validate value values view virtual when where with without`

// sqlLexer is made when it is wanted: the package's own collection of lexers
// costs every start of the program more than a small comparison.
func sqlLexer() chroma.Lexer {
	words := strings.Join(strings.Fields(sqlKeywords), "|")
	return chroma.MustNewLexer(&chroma.Config{Name: "SQL", CaseInsensitive: true, DotAll: true}, func() chroma.Rules {
		return chroma.Rules{"root": {
			{Pattern: `--[^\n]*`, Type: chroma.CommentSingle},
			{Pattern: `/\*.*?\*/`, Type: chroma.CommentMultiline},
			{Pattern: `'(?:[^']|'')*'`, Type: chroma.LiteralString},
			{Pattern: `"(?:[^"]|"")*"`, Type: chroma.Name},
			{Pattern: `\b(?:` + words + `)\b`, Type: chroma.Keyword},
			{Pattern: `\b\d+(?:\.\d+)?\b`, Type: chroma.LiteralNumber},
			{Pattern: `\w+`, Type: chroma.Name},
			{Pattern: `\s+`, Type: chroma.Text},
			{Pattern: `.`, Type: chroma.Text},
		}}
	})
}

// Show writes a script for people: what a terminal would obey stands there as
// escapes, and altered says that there was some. Such text is not to be run.
func Show(w io.Writer, sql string, colour bool) (altered bool, err error) {
	var b strings.Builder
	for len(sql) > 0 {
		n := strings.IndexAny(sql, "\n\t")
		if n < 0 {
			n = len(sql)
		}
		safe := Safe(sql[:n])
		altered = altered || safe != sql[:n]
		b.WriteString(safe + sql[n:min(n+1, len(sql))])
		sql = sql[min(n+1, len(sql)):]
	}
	sql = b.String()
	if !colour {
		_, err = io.WriteString(w, sql)
		return altered, err
	}
	it, err := sqlLexer().Tokenise(nil, sql)
	if err != nil {
		return altered, err
	}
	return altered, formatters.TTY256.Format(w, sqlStyle, it)
}
