package sqltext

import "strings"

// Cursor walks over the tokens of a text. It stands at a token that counts, or
// at the end; space and comments are passed over but stay in Toks.
type Cursor struct {
	Text string
	Toks []Token
	At   int // in Toks
	last int // the token that was taken last
}

// NewCursor begins at the first token of a text that counts.
func NewCursor(d Dialect, text string) *Cursor { return CursorOver(text, Lex(d, text)) }

// CursorOver is NewCursor over tokens that were cut already.
func CursorOver(text string, toks []Token) *Cursor {
	c := &Cursor{Text: text, Toks: toks, last: -1}
	c.Skip()
	return c
}

// Skip passes over tokens that do not count.
func (c *Cursor) Skip() {
	for c.At < len(c.Toks) && c.Toks[c.At].Blank() {
		c.At++
	}
}

// End tells whether nothing is left.
func (c *Cursor) End() bool { return c.At >= len(c.Toks) }

// Peek is the next token; at the end an empty one that stands behind the text.
func (c *Cursor) Peek() Token {
	if c.End() {
		return Token{Pos: len(c.Text)}
	}
	return c.Toks[c.At]
}

// PeekAfter is the n-th token after the next one.
func (c *Cursor) PeekAfter(n int) Token {
	for i := c.At + 1; i < len(c.Toks); i++ {
		if !c.Toks[i].Blank() {
			if n--; n == 0 {
				return c.Toks[i]
			}
		}
	}
	return Token{}
}

// Next takes the next token.
func (c *Cursor) Next() Token {
	t := c.Peek()
	if !c.End() {
		c.last = c.At
		c.At++
		c.Skip()
	}
	return t
}

// Take takes the words or operators if all of them come next.
func (c *Cursor) Take(words ...string) bool {
	for i, w := range words {
		t := c.Peek()
		if i > 0 {
			t = c.PeekAfter(i)
		}
		if !t.Is(w) && !t.IsOp(w) {
			return false
		}
	}
	for range words {
		c.Next()
	}
	return true
}

// Behind is the offset behind the token that was taken last.
func (c *Cursor) Behind() int {
	if c.last < 0 {
		return 0
	}
	return c.Toks[c.last].Pos + len(c.Toks[c.last].Text)
}

// Bracketed takes a run in brackets and answers the tokens between them; false
// where none begins here, or it does not end.
func (c *Cursor) Bracketed() ([]Token, bool) {
	if !c.Peek().IsOp("(") {
		return nil, false
	}
	depth, from := 0, c.At+1
	for !c.End() {
		i := c.At
		switch t := c.Next(); {
		case t.IsOp("("):
			depth++
		case t.IsOp(")"):
			if depth--; depth == 0 {
				return c.Toks[from:i], true
			}
		}
	}
	return nil, false
}

// Group takes a run in brackets as text, brackets included; to the end where it
// does not end.
func (c *Cursor) Group() string {
	start := c.Peek().Pos
	if _, ok := c.Bracketed(); !ok {
		return c.Text[start:]
	}
	return c.Text[start:c.Behind()]
}

// Rest is the text from the next token on.
func (c *Cursor) Rest() string { return strings.TrimSpace(c.Text[c.Peek().Pos:]) }

// Items takes a list in brackets, cut at its commas.
func (c *Cursor) Items() []string {
	if !c.Take("(") {
		return nil
	}
	var out []string
	start, depth := c.Peek().Pos, 0
	for !c.End() {
		t := c.Next()
		switch {
		case t.IsOp("("):
			depth++
		case t.IsOp(")") && depth == 0, t.IsOp(",") && depth == 0:
			out = append(out, strings.TrimSpace(c.Text[start:t.Pos]))
			if t.IsOp(")") {
				return out
			}
			start = c.Peek().Pos
		case t.IsOp(")"):
			depth--
		}
	}
	return out
}

// Significant are the tokens that count.
func (c *Cursor) Significant() []Token {
	var out []Token
	for _, t := range c.Toks {
		if !t.Blank() {
			out = append(out, t)
		}
	}
	return out
}
