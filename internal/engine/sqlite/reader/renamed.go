package reader

import (
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlite/vocab"
)

// Renamed is the stored CREATE text under another name. Where an expression
// names the table itself (`berth.length`), that is rewritten too.
func Renamed(o *catalog.Object, as string) string {
	text := o.Text("sql")
	if as == o.Name {
		return text
	}
	p := newParser(text)
	h, err := p.parseHead()
	if err != nil {
		return text
	}
	var b strings.Builder
	b.WriteString(text[:p.Toks[h.nameAt].Pos])
	b.WriteString(vocab.Quote(as))
	rest := p.Toks[h.nameAt+1:]
	for i, t := range rest {
		if t.IsName() && catalog.FoldASCII(t.Name()) == o.ID && i+1 < len(rest) && rest[i+1].IsOp(".") {
			b.WriteString(vocab.Quote(as))
			continue
		}
		b.WriteString(t.Text)
	}
	return b.String()
}

// NamesItself tells whether an expression in CREATE TABLE names the table.
func NamesItself(o *catalog.Object) bool {
	toks := sqltext.Significant(vocab.Dialect, o.Text("sql"))
	for i, t := range toks {
		if i > 3 && t.IsName() && catalog.FoldASCII(t.Name()) == o.ID && i+1 < len(toks) && toks[i+1].IsOp(".") {
			return true
		}
	}
	return false
}
