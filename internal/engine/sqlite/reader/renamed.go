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

// Unqualified is a CREATE TABLE text under another name in which nothing names
// the table itself any more (`berth.length` is `length`), and whether anything
// did.
func Unqualified(text, name, as string) (string, bool) {
	p := newParser(text)
	defer p.release()
	h, err := p.parseHead()
	if err != nil {
		return text, false
	}
	var b strings.Builder
	b.WriteString(text[:p.Toks[h.nameAt].Pos])
	b.WriteString(vocab.Quote(as))
	rest := p.Toks[h.nameAt+1:]
	named := false
	for i := 0; i < len(rest); i++ {
		if t := rest[i]; t.IsName() && catalog.FoldASCII(t.Name()) == catalog.FoldASCII(name) {
			point := i + 1
			for point < len(rest) && rest[point].Blank() {
				point++
			}
			if point < len(rest) && rest[point].IsOp(".") {
				named = true
				rest[point].Text = "" // what stands between them stays
				for point++; point < len(rest) && rest[point].Blank(); point++ {
				}
				if point < len(rest) && rest[point].Kind == sqltext.String { // a name behind a point, and a text without it
					rest[point].Text = sqltext.Always(rest[point].StringValue())
				}
				continue
			}
		}
		b.WriteString(rest[i].Text)
	}
	return b.String(), named
}
