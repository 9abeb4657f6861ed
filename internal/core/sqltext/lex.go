// Package sqltext takes SQL text apart into tokens, for every dialect the
// engines speak. It is a lexer only: what the tokens mean is the engines'
// business.
package sqltext

import (
	"strings"
	"unicode/utf8"
)

// Dialect says how a dialect quotes and comments.
type Dialect struct {
	Backtick       bool // `name`
	Bracket        bool // [name]
	DoubleIsString bool // "text" is a string, not a name
	Backslash      bool // \' inside ordinary strings
	EString        bool // E'…' with backslashes, U&'…', U&"…"
	Dollar         bool // $tag$…$tag$
	Nested         bool // /* /* */ */
	Hash           bool // # comment
	DashSpace      bool // -- begins a comment only before white space
	Delimiter      bool // a DELIMITER line changes what ends a statement
	Sigils         bool // names may hold @ and # and begin with them; [a]]b] is one name
	Batches        bool // a line that holds only GO ends what is sent at once, and nothing else does
	// What the engine's own client makes of a script's text.
	Backslashes bool // a \ outside quotes begins a command
	Variables   bool // :name, :'name' and :"name" are replaced
	LineEnders  bool // a line that holds only / or go ends a statement
	// Command begins, at the start of a line, a line for the client; "" where
	// there are none such.
	Command string
	// OpenComment says that a comment may end with the text.
	OpenComment bool
	// TriggerEnds says that a trigger ends with the END behind a semicolon, as
	// it has semicolons in its body (SQLite: sqlite3_complete).
	TriggerEnds bool
}

// After is the dialect of what follows a statement: MySQL's modes change what
// quotes and backslashes mean (MariaDB: SQL_MODE).
func (d Dialect) After(statement string) Dialect {
	if !d.Delimiter || !strings.Contains(statement, "sql_mode") {
		return d
	}
	toks := Significant(d, statement)
	if len(toks) == 0 || !toks[0].Is("set") {
		return d
	}
	for i, t := range toks {
		if !t.Is("sql_mode") || i+2 >= len(toks) || !toks[i+1].IsOp("=") || i > 0 && toks[i-1].IsOp(".") {
			continue
		}
		mode := toks[i+2].Text // a variable gives back what was before: nothing of these
		d.Backslash = !strings.Contains(mode, "NO_BACKSLASH_ESCAPES")
		d.DoubleIsString = !strings.Contains(mode, "ANSI_QUOTES") && !strings.Contains(mode, "'ANSI'") && !strings.Contains(mode, "ORACLE")
	}
	return d
}

// Kind is what a token is.
type Kind uint8

// The kinds of token.
const (
	Space   Kind = iota
	Comment      // -- to the end of the line, or /* */
	Word         // keyword or unquoted name
	Quoted       // quoted name
	String       // string, also E'', X'', dollar-quoted
	Number
	Param // ?1 :name @name $name
	Op    // everything else, one operator a token
	Bad   // an open quote or comment, up to the end of the text
)

// Token is one run of text. The texts of all tokens together are the input.
type Token struct {
	Kind Kind
	Text string
	Pos  int // byte offset
}

// Is tells whether the token is this word, in any letter case.
func (t Token) Is(word string) bool { return t.Kind == Word && strings.EqualFold(t.Text, word) }

// IsOp tells whether the token is this operator.
func (t Token) IsOp(op string) bool { return t.Kind == Op && t.Text == op }

// Blank tells whether the token is space or a comment.
func (t Token) Blank() bool { return t.Kind == Space || t.Kind == Comment }

// IsName tells whether the token can be a name.
func (t Token) IsName() bool { return t.Kind == Word || t.Kind == Quoted }

// Name is the name a token stands for, quotes taken off.
func (t Token) Name() string {
	if t.Kind != Quoted || len(t.Text) < 2 {
		return t.Text
	}
	s := t.Text
	if strings.HasPrefix(s, "U&") || strings.HasPrefix(s, "u&") {
		s = s[2:]
	}
	q := s[:1]
	if q == "[" {
		return strings.ReplaceAll(s[1:len(s)-1], "]]", "]")
	}
	return strings.ReplaceAll(s[1:len(s)-1], q+q, q)
}

// StringValue is what an ordinary 'string' token says.
func (t Token) StringValue() string {
	if t.Kind != String || len(t.Text) < 2 || t.Text[0] != '\'' {
		return t.Text
	}
	return strings.ReplaceAll(t.Text[1:len(t.Text)-1], "''", "'")
}

type stateFn func(*lexer) stateFn

// lexer follows the shape of text/template/parse: a state function emits one
// token and returns the next state.
type lexer struct {
	d     Dialect
	in    string
	start int
	pos   int
	out   []Token
}

// Lex splits text into tokens. It never fails: what cannot be read becomes a
// token of kind Bad that runs to the end.
func Lex(d Dialect, text string) []Token {
	return LexInto(make([]Token, 0, len(text)/3+4), d, text)
}

// LexInto is Lex into a buffer that is used again.
func LexInto(buf []Token, d Dialect, text string) []Token {
	l := &lexer{d: d, in: text, out: buf[:0]}
	for state := lexAny; state != nil; {
		state = state(l)
	}
	return l.out
}

// Significant is Lex without space and comments.
func Significant(d Dialect, text string) []Token {
	all := Lex(d, text)
	out := all[:0]
	for _, t := range all {
		if !t.Blank() {
			out = append(out, t)
		}
	}
	return out
}

func (l *lexer) emit(k Kind) stateFn {
	if l.pos > l.start {
		l.out = append(l.out, Token{k, l.in[l.start:l.pos], l.start})
	}
	l.start = l.pos
	return lexAny
}

func (l *lexer) peek(i int) byte {
	if l.pos+i < len(l.in) {
		return l.in[l.pos+i]
	}
	return 0
}

func (l *lexer) has(s string) bool { return strings.HasPrefix(l.in[l.pos:], s) }

func isSpace(c byte) bool { return c == ' ' || c >= '\t' && c <= '\r' }
func isDigit(c byte) bool { return c >= '0' && c <= '9' }
func isWordStart(c byte) bool {
	return c == '_' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= utf8.RuneSelf
}
func isWord(c byte) bool { return isWordStart(c) || isDigit(c) || c == '$' }

func lexAny(l *lexer) stateFn {
	if l.pos >= len(l.in) {
		return nil
	}
	c := l.in[l.pos]
	switch {
	case isSpace(c):
		for l.pos < len(l.in) && isSpace(l.in[l.pos]) {
			l.pos++
		}
		return l.emit(Space)
	case c == '-' && l.peek(1) == '-' && (!l.d.DashSpace || l.pos+2 >= len(l.in) || isSpace(l.peek(2))), c == '#' && l.d.Hash:
		return lexLineComment
	case c == '/' && l.peek(1) == '*':
		return lexBlockComment
	case c == '\'':
		return lexQuote('\'', String, l.d.Backslash)
	case c == '"':
		if l.d.DoubleIsString {
			return lexQuote('"', String, l.d.Backslash)
		}
		return lexQuote('"', Quoted, false)
	case c == '`' && l.d.Backtick:
		return lexQuote('`', Quoted, false)
	case c == '[' && l.d.Bracket:
		return lexBracket
	case l.d.Sigils && (c == '@' || c == '#' || isWordStart(c) && !(l.peek(1) == '\'' && (c == 'n' || c == 'N'))):
		return lexSigil
	case isDigit(c) || c == '.' && isDigit(l.peek(1)):
		return lexNumber
	case c == '$' && l.d.Dollar:
		return lexDollar
	case isWordStart(c):
		return lexWord
	case (c == ':' || c == '@' || c == '$') && isWordStart(l.peek(1)) && !l.d.EString, c == '?':
		l.pos++
		for isWord(l.peek(0)) {
			l.pos++
		}
		return l.emit(Param)
	}
	return lexOp
}

func lexLineComment(l *lexer) stateFn {
	for l.pos < len(l.in) && l.in[l.pos] != '\n' {
		l.pos++
	}
	return l.emit(Comment)
}

func lexBlockComment(l *lexer) stateFn {
	depth := 0
	for l.pos < len(l.in) {
		switch {
		case l.has("/*") && (depth == 0 || l.d.Nested):
			depth++
			l.pos += 2
		case l.has("*/"):
			depth--
			l.pos += 2
			if depth == 0 {
				return l.emit(Comment)
			}
		default:
			l.pos++
		}
	}
	if l.d.OpenComment {
		return l.emit(Comment)
	}
	return l.emit(Bad)
}

// lexQuote reads a quoted run that begins at the current position.
func lexQuote(q byte, k Kind, backslash bool) stateFn {
	return func(l *lexer) stateFn {
		l.pos++
		for l.pos < len(l.in) {
			switch {
			case backslash && l.in[l.pos] == '\\' && l.pos+1 < len(l.in):
				l.pos += 2
			case l.in[l.pos] == q && l.peek(1) == q:
				l.pos += 2
			case l.in[l.pos] == q:
				l.pos++
				return l.emit(k)
			default:
				l.pos++
			}
		}
		return l.emit(Bad)
	}
}

func lexBracket(l *lexer) stateFn {
	for l.pos < len(l.in) {
		if l.in[l.pos] == ']' {
			l.pos++
			if l.d.Sigils && l.peek(0) == ']' {
				l.pos++
				continue
			}
			return l.emit(Quoted)
		}
		l.pos++
	}
	return l.emit(Bad)
}

func lexNumber(l *lexer) stateFn {
	if l.in[l.pos] == '0' && (l.peek(1) == 'x' || l.peek(1) == 'X') {
		l.pos += 2
	}
	for l.pos < len(l.in) {
		c := l.in[l.pos]
		if (c == '+' || c == '-') && (l.in[l.pos-1] == 'e' || l.in[l.pos-1] == 'E') && !strings.HasPrefix(l.in[l.start:], "0x") {
			l.pos++
			continue
		}
		if c == '.' && l.peek(1) == '.' { // PL/pgSQL ranges: 1..9
			break
		}
		if !isDigit(c) && c != '.' && !isWordStart(c) {
			break
		}
		l.pos++
	}
	return l.emit(Number)
}

func lexWord(l *lexer) stateFn {
	c, n := l.in[l.pos], l.peek(1)
	switch {
	case n == '\'' && (c == 'x' || c == 'X' || c == 'b' || c == 'B' || c == 'n' || c == 'N'):
		l.pos++
		return lexQuote('\'', String, l.d.Backslash && (c == 'n' || c == 'N'))
	case l.d.EString && n == '\'' && (c == 'e' || c == 'E'):
		l.pos++
		return lexQuote('\'', String, true)
	case l.d.EString && (c == 'u' || c == 'U') && n == '&' && (l.peek(2) == '\'' || l.peek(2) == '"'):
		l.pos += 2
		if l.peek(0) == '"' {
			return lexQuote('"', Quoted, false)
		}
		return lexQuote('\'', String, false)
	}
	for l.pos < len(l.in) && isWord(l.in[l.pos]) {
		l.pos++
	}
	return l.emit(Word)
}

// lexSigil reads a name or, behind an @, a variable.
func lexSigil(l *lexer) stateFn {
	k := Word
	if l.peek(0) == '@' {
		k = Param
	}
	for l.pos < len(l.in) && (isWord(l.in[l.pos]) || l.in[l.pos] == '@' || l.in[l.pos] == '#') {
		l.pos++
	}
	return l.emit(k)
}

func lexDollar(l *lexer) stateFn {
	i := l.pos + 1
	for i < len(l.in) && isWord(l.in[i]) && l.in[i] != '$' {
		i++
	}
	if i >= len(l.in) || l.in[i] != '$' || isDigit(l.peek(1)) {
		l.pos++
		for isDigit(l.peek(0)) {
			l.pos++
		}
		if l.pos-l.start > 1 {
			return l.emit(Param)
		}
		return l.emit(Op)
	}
	tag := l.in[l.pos : i+1]
	end := strings.Index(l.in[i+1:], tag)
	if end < 0 {
		l.pos = len(l.in)
		return l.emit(Bad)
	}
	l.pos = i + 1 + end + len(tag)
	return l.emit(String)
}

// operators of more than one character, longest first
var operators = []string{"->>", "||", "->", "<<", ">>", "<=", ">=", "==", "<>", "!=", "::", ":="}

func lexOp(l *lexer) stateFn {
	for _, op := range operators {
		if l.has(op) {
			l.pos += len(op)
			return l.emit(Op)
		}
	}
	_, n := utf8.DecodeRuneInString(l.in[l.pos:])
	l.pos += n
	return l.emit(Op)
}

// Position is the line and column (from 1, in characters) of a byte offset.
func Position(text string, offset int) (line, column int) {
	before := text[:min(offset, len(text))]
	line = strings.Count(before, "\n") + 1
	return line, utf8.RuneCountInString(before[strings.LastIndexByte(before, '\n')+1:]) + 1
}
