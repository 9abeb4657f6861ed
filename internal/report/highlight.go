package report

import (
	"io"

	"github.com/alecthomas/chroma/v2"
	"github.com/alecthomas/chroma/v2/formatters"
	"github.com/alecthomas/chroma/v2/lexers"
)

// sqlStyle colours SQL with the palette of the reports.
var sqlStyle = chroma.MustNewStyle("harbour", chroma.StyleEntries{
	chroma.Background:    "",
	chroma.Comment:       "#8a8a8a",
	chroma.Keyword:       "#5fafff",
	chroma.LiteralString: "#ffaf00",
	chroma.LiteralNumber: "#d787d7",
})

// Highlight writes SQL in colour.
func Highlight(w io.Writer, sql string) error {
	it, err := lexers.Get("sql").Tokenise(nil, sql)
	if err != nil {
		return err
	}
	return formatters.TTY256.Format(w, sqlStyle, it)
}
