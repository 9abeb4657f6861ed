package reader

import (
	"fmt"
	"strings"
	"sync"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlite/vocab"
)

// parser walks the tokens of one CREATE statement, as SQLite stores it in
// sqlite_schema.sql (SQLite: The Schema Table) or as a person wrote it.
type parser struct {
	*sqltext.Cursor
	buf *[]sqltext.Token
}

// SyntaxError says where a statement could not be read.
type SyntaxError struct {
	Offset int // byte offset in the statement
	Near   string
	Want   string
}

func (e *SyntaxError) Error() string {
	near := e.Near
	if near == "" {
		near = "the end of the statement"
	} else {
		near = fmt.Sprintf("%q", near)
	}
	return fmt.Sprintf("syntax not understood near %s: %s expected", near, e.Want)
}

// buffers are token buffers: reading a schema is mostly allocating otherwise.
var buffers = sync.Pool{New: func() any { b := make([]sqltext.Token, 0, 512); return &b }}

func newParser(text string) *parser {
	buf := buffers.Get().(*[]sqltext.Token)
	return &parser{sqltext.CursorOver(text, sqltext.LexInto(*buf, vocab.Dialect, text)), buf}
}

// release gives the tokens back; nothing may hold them any more.
func (p *parser) release() {
	*p.buf = p.Toks[:0]
	p.Toks = nil
	buffers.Put(p.buf)
}

func (p *parser) expected(want string) error {
	t := p.Peek()
	return &SyntaxError{Offset: t.Pos, Near: t.Text, Want: want}
}

// name reads a name; SQLite also takes a string for one.
func (p *parser) name() (string, error) {
	t := p.Peek()
	switch {
	case t.IsName():
		p.Next()
		return t.Name(), nil
	case t.Kind == sqltext.String && strings.HasPrefix(t.Text, "'"):
		p.Next()
		return t.StringValue(), nil
	}
	return "", p.expected("a name")
}

// group consumes a bracketed run, brackets included, and answers the tokens
// between them.
func (p *parser) group() ([]sqltext.Token, error) {
	if !p.Peek().IsOp("(") {
		return nil, p.expected("(")
	}
	toks, ok := p.Bracketed()
	if !ok {
		return nil, p.expected(")")
	}
	return toks, nil
}

// splitComma cuts tokens at the commas outside brackets.
func splitComma(toks []sqltext.Token) [][]sqltext.Token {
	var out [][]sqltext.Token
	depth, from := 0, 0
	for i, t := range toks {
		switch {
		case t.IsOp("("):
			depth++
		case t.IsOp(")"):
			depth--
		case t.IsOp(",") && depth == 0:
			out = append(out, toks[from:i])
			from = i + 1
		}
	}
	return append(out, toks[from:])
}

func raw(toks []sqltext.Token) string {
	var b strings.Builder
	for _, t := range toks {
		b.WriteString(t.Text)
	}
	return strings.TrimSpace(b.String())
}

func significant(toks []sqltext.Token) []sqltext.Token {
	var out []sqltext.Token
	for _, t := range toks {
		if !t.Blank() {
			out = append(out, t)
		}
	}
	return out
}

// bare takes the brackets off that enclose everything.
func bare(toks []sqltext.Token) []sqltext.Token {
	sig := significant(toks)
	closes := make([]int, len(sig)) // where a bracket that opens here closes
	var open []int
	for i, t := range sig {
		switch {
		case t.IsOp("("):
			open = append(open, i)
		case t.IsOp(")") && len(open) > 0:
			closes[open[len(open)-1]] = i
			open = open[:len(open)-1]
		}
	}
	n := 0
	for 2*n+2 < len(sig) && sig[n].IsOp("(") && closes[n] == len(sig)-1-n {
		n++
	}
	if n == 0 {
		return toks
	}
	// Space between tokens is needed where two words would run together.
	return spread(sig[n : len(sig)-n])
}

// closed tells whether the tokens are one whole statement of a kind for a
// name: stored texts can be anything where somebody wrote to the schema table.
func (p *parser) closed(h head, typ, name string) error {
	kind := string(h.kind)
	if h.kind == catalog.VirtualTable {
		kind = "table"
	}
	if kind != typ || catalog.FoldASCII(h.name) != catalog.FoldASCII(name) {
		return fmt.Errorf("its stored text makes %s %s instead", h.kind.Title(), sqltext.CommentSafe(h.name))
	}
	for i, t := range p.Toks {
		switch {
		case t.Kind == sqltext.Bad:
			return &SyntaxError{Offset: t.Pos, Near: t.Text[:1], Want: "a quote that closes"}
		case t.IsOp(";") && h.kind != catalog.Trigger && len(significant(p.Toks[i+1:])) > 0:
			return &SyntaxError{Offset: t.Pos, Near: t.Text, Want: "the end of the definition"}
		}
	}
	if h.kind == catalog.Trigger {
		if err := sqltext.Closed(vocab.Dialect, vocab.Statement(p.Text)); err != nil {
			return err
		}
	}
	return nil
}

// head is what all CREATE statements begin with.
type head struct {
	kind     catalog.Kind
	unique   bool
	temp     bool
	name     string
	nameAt   int // token index of the name
	headEnd  int // token index after the name
	verbEnd  int // token index after TABLE, INDEX … [IF NOT EXISTS] [schema .]
	afterCre int
}

// parseHead reads CREATE … name.
func (p *parser) parseHead() (head, error) {
	var h head
	if !p.Take("create") {
		return h, p.expected("CREATE")
	}
	h.temp = p.Take("temp") || p.Take("temporary")
	switch {
	case p.Take("table"):
		h.kind = catalog.Table
	case p.Take("virtual", "table"):
		h.kind = catalog.VirtualTable
	case p.Take("view"):
		h.kind = catalog.View
	case p.Take("trigger"):
		h.kind = catalog.Trigger
	case p.Take("index"):
		h.kind = catalog.Index
	case p.Take("unique", "index"):
		h.kind, h.unique = catalog.Index, true
	default:
		return h, p.expected("TABLE, INDEX, VIEW or TRIGGER")
	}
	h.afterCre = p.At
	p.Take("if", "not", "exists")
	if p.PeekAfter(1).IsOp(".") {
		p.Next()
		p.Next()
	}
	h.verbEnd, h.nameAt = p.At, p.At
	name, err := p.name()
	h.name, h.headEnd = name, p.At
	return h, err
}

// names resolves the names in an expression, in the manner in which SQLite
// does: a double-quoted text that names nothing is a string.
type names struct {
	// column answers what a name stands for; nil means nothing known.
	lookup func(name string) *catalog.Ref
	// known tells whether the name stands for anything at all.
	known func(name string) bool
}

// value makes an SQL value of tokens: the text as written, and the canonical
// form without space, comments, quotes and letter case that mean nothing.
func (n *names) value(toks []sqltext.Token) catalog.Value {
	var pieces []catalog.Piece
	var text, canon strings.Builder
	first := true
	var prev, before sqltext.Token // before is the last one that counts
	next := 0                      // the place of the next one that does
	for i, t := range toks {
		if t.Blank() {
			text.WriteString(t.Text)
			continue
		}
		var nx sqltext.Token
		for next = max(next, i+1); next < len(toks) && toks[next].Blank(); next++ {
		}
		if next < len(toks) {
			nx = toks[next]
		}
		c, ref := n.canon(t, prev, nx)
		prev = t
		if c == "" {
			text.WriteString(t.Text)
			continue
		}
		if !first && spaceBetween(before, t) {
			canon.WriteByte(' ')
		}
		first, before = false, t
		if ref == nil {
			text.WriteString(t.Text)
			canon.WriteString(c)
			continue
		}
		if text.Len() > 0 || canon.Len() > 0 {
			pieces = append(pieces, catalog.Piece{Text: text.String(), Canon: canon.String()})
			text.Reset()
			canon.Reset()
		}
		pieces = append(pieces, catalog.Piece{Text: t.Text, Canon: c, Ref: ref})
	}
	if text.Len() > 0 || canon.Len() > 0 {
		pieces = append(pieces, catalog.Piece{Text: text.String(), Canon: canon.String()})
	}
	if len(pieces) > 0 {
		l := &pieces[0]
		l.Text = strings.TrimLeft(l.Text, " \t\r\n")
		l = &pieces[len(pieces)-1]
		l.Text = strings.TrimRight(l.Text, " \t\r\n")
	}
	return catalog.SQL(pieces...)
}

// spaceBetween lays canonical text out: the same tokens always get the same
// space, whatever was written.
func spaceBetween(a, b sqltext.Token) bool {
	switch {
	case a.IsOp("("), a.IsOp("."), b.IsOp(")"), b.IsOp(","), b.IsOp("."), b.IsOp(";"):
		return false
	case b.IsOp("("): // a call, not a keyword before brackets
		return !a.IsName() || a.Kind == sqltext.Word && vocab.Reserved[catalog.FoldASCII(a.Text)]
	}
	return true
}

func (n *names) canon(t, prev, next sqltext.Token) (string, *catalog.Ref) {
	switch t.Kind {
	case sqltext.Word, sqltext.Quoted:
		name := catalog.FoldASCII(t.Name())
		qualified := prev.IsOp(".") || next.IsOp(".")
		if t.Kind == sqltext.Quoted && t.Text[0] == '"' && !qualified && !prev.Is("as") && n.known != nil && !n.known(name) {
			return sqltext.Literal(t.Name()), nil
		}
		var ref *catalog.Ref
		if n.lookup != nil && !next.IsOp("(") && !next.IsOp(".") {
			ref = n.lookup(name)
		}
		if t.Kind == sqltext.Word {
			return name, ref
		}
		return vocab.Canon(name), ref
	case sqltext.String:
		if t.Text[0] == 'x' || t.Text[0] == 'X' {
			return strings.ToUpper(t.Text), nil
		}
		return t.Text, nil
	case sqltext.Number:
		return strings.ToLower(t.Text), nil
	case sqltext.Op:
		switch t.Text {
		case "==":
			return "=", nil
		case "!=":
			return "<>", nil
		case ";":
			if next.Text == "" {
				return "", nil
			}
		}
	}
	return t.Text, nil
}
