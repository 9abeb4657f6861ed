// Package texts reads SQL texts that people and dump programs wrote: it cuts
// them into statements as they stream by, and hands those that make structure
// to a scratch database.
package texts

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// Statement is one statement of a text, or one line for the engine's client.
type Statement struct {
	// SQL begins at the first token that counts and has its end mark, but a
	// client's delimiter. Of one that only brings rows it is the beginning.
	SQL    string
	Origin catalog.Origin
	Client bool
	// Start and End are the byte offsets in the file, end mark included.
	Start, End int64
	// Dialect is how the statement is taken apart: settings before it may change
	// what quotes mean.
	Dialect sqltext.Dialect
	// Delimiter is what ends statements where it stands.
	Delimiter string
}

// Longest is how many bytes a statement may have that is kept whole.
const Longest = 64 << 20

// keptOfRows is how much of a statement that brings rows is held in memory.
const keptOfRows = 64 << 10

// Scanner cuts a text into statements the way the engine's client does. What
// it holds in memory is one statement, of those that bring rows the beginning.
type Scanner struct {
	file   string
	r      *bufio.Reader
	d      sqltext.Dialect
	isRows func(firstWord string) bool

	line, col int
	at        int64
	delimiter string

	// the statement that is being read
	sql   strings.Builder
	start *Statement
	rows  bool
	shape shape
}

// NewScanner begins a text. Statements whose first word (in lower case) isRows
// are not kept whole.
func NewScanner(file string, r io.Reader, d sqltext.Dialect, isRows func(string) bool) *Scanner {
	return &Scanner{file: file, r: bufio.NewReaderSize(r, 1<<16), d: d, isRows: isRows, line: 1, col: 1, delimiter: ";"}
}

// shape is what of a statement's tokens tells where it ends; see sqltext.Split.
type shape struct {
	word          [longestWord]byte // that is being read
	letters       int               // of it
	first, last   []string
	depth, atomic int
}

// longestWord bounds what is kept of one; keywords are shorter.
const longestWord = 64

func (s *shape) letter(c byte) {
	if s.letters < longestWord {
		s.word[s.letters] = c
		s.letters++
	}
}

// is tells whether the word that is being read is one letter, in any case.
func (s *shape) is(letter byte) bool { return s.letters == 1 && s.word[0]|0x20 == letter }

// token ends the word before it, and takes another one where t is not empty.
func (s *shape) token(t string) {
	if s.letters > 0 {
		w := strings.ToLower(string(s.word[:s.letters]))
		s.letters = 0
		s.push(w)
	}
	if t != "" {
		s.push(t)
	}
}

// begin forgets the statement before.
func (s *shape) begin() { *s = shape{first: s.first[:0], last: s.last[:0]} }

func (s *shape) push(t string) {
	switch {
	case t == "(":
		s.depth++
	case t == ")":
		s.depth--
	case t == "atomic" && len(s.last) > 0 && s.last[len(s.last)-1] == "begin":
		s.atomic++
	case s.atomic > 0 && t == "case":
		s.atomic++
	case s.atomic > 0 && t == "end":
		s.atomic--
	}
	if len(s.first) < 3 {
		s.first = append(s.first, t)
	}
	if s.last = append(s.last, t); len(s.last) > 3 {
		s.last = append(s.last[:0], s.last[1:]...)
	}
}

// ends tells whether the semicolon that came last ends the statement.
func (s *shape) ends(d sqltext.Dialect) bool {
	if s.depth > 0 || s.atomic > 0 {
		return false
	}
	if !d.TriggerEnds || len(s.first) < 3 || s.first[0] != "create" || s.first[1] != "trigger" && !(strings.HasPrefix(s.first[1], "temp") && s.first[2] == "trigger") {
		return true
	}
	return len(s.last) == 3 && s.last[0] == ";" && s.last[1] == "end"
}

func (s *Scanner) read() (byte, error) {
	c, err := s.r.ReadByte()
	switch {
	case err != nil:
		return c, err
	case c == '\n':
		s.line, s.col = s.line+1, 1
	case c < 0x80 || c >= 0xc0: // the first byte of a character
		s.col++
	}
	s.at++
	return c, nil
}

func (s *Scanner) peek(n int) []byte {
	b, _ := s.r.Peek(n) // what is not there is not returned
	return b
}

func (s *Scanner) errorAt(line, col int, format string, args ...any) error {
	return fmt.Errorf("%s:%d:%d: %s", s.file, line, col, fmt.Sprintf(format, args...))
}

// put keeps a byte of the statement.
func (s *Scanner) put(c byte) error {
	switch {
	case s.rows && s.sql.Len() >= keptOfRows:
	case s.sql.Len() >= Longest:
		return s.errorAt(s.start.Origin.Line, s.start.Origin.Column, "a statement begins here that is longer than %d MB; it is cut nowhere", Longest>>20)
	default:
		s.sql.WriteByte(c)
	}
	return nil
}

// mark is what some editors begin a text with (Unicode: byte order mark).
const mark = "\ufeff"

// Next is the next statement, or io.EOF.
func (s *Scanner) Next() (Statement, error) {
	s.sql.Reset()
	s.start, s.rows = nil, false
	s.shape.begin()
	if s.at == 0 && string(s.peek(len(mark))) == mark {
		s.at = int64(len(mark))
		_, _ = s.r.Discard(len(mark)) // it was there just now
	}
	for {
		line, col, at := s.line, s.col, s.at
		c, err := s.read()
		if errors.Is(err, io.EOF) {
			if s.start == nil {
				return Statement{}, io.EOF
			}
			return s.done(0), nil // clients take the last one without its end
		}
		if err != nil {
			return Statement{}, fmt.Errorf("reading %s: %w", s.file, err)
		}
		if s.start == nil {
			switch {
			case c == ' ' || c >= '\t' && c <= '\r' || c == ';' && s.delimiter == ";":
				continue
			case s.opensComment(c) && !s.isCode():
				if err := s.comment(c, line, col, false); err != nil {
					return Statement{}, err
				}
				continue
			}
			s.start = &Statement{Origin: catalog.Origin{File: s.file, Line: line, Column: col}, Start: at}
			if s.clientLine(c, col) {
				return s.client(c)
			}
		}
		if err := s.put(c); err != nil {
			return Statement{}, err
		}
		if s.rows && ordinary[c] && s.delimiter == ";" && !s.d.EString { // what rows are made of does not matter
			continue
		}
		if err := s.token(c, line, col); err != nil {
			return Statement{}, err
		}
		if !s.rows && len(s.shape.first) == 1 {
			s.rows = s.isRows(s.shape.first[0])
		}
		switch {
		case s.delimiter == ";" && c == ';':
			if s.shape.ends(s.d) {
				if len(s.shape.first) == 1 { // nothing but its end
					s.sql.Reset()
					s.start = nil
					s.shape.begin()
					continue
				}
				return s.done(0), s.copied()
			}
		case s.delimiter != ";" && s.delimited():
			if s.sql.Len() == len(s.delimiter) {
				s.sql.Reset()
				s.start = nil
				s.shape.begin()
				continue
			}
			return s.done(len(s.delimiter)), nil
		}
	}
}

// ordinary are the bytes that neither open a quote or comment nor end a statement in
// any dialect: of rows these are most.
var ordinary = func() (out [256]bool) {
	for c := range out {
		out[c] = !strings.ContainsRune("'\"`[;-/#\\$()", rune(c)) || c >= 0x80
	}
	return out
}()

// delimited tells whether a client's delimiter was read just now. Of rows only
// the beginning is kept: there a delimiter is looked for no more, and they end
// as usual.
func (s *Scanner) delimited() bool {
	n := s.sql.Len()
	return n >= len(s.delimiter) && !(s.rows && n >= keptOfRows) && s.sql.String()[n-len(s.delimiter):] == s.delimiter
}

// done is the statement that was read, without a delimiter of so many bytes.
func (s *Scanner) done(delimiter int) Statement {
	st := *s.start
	st.SQL = strings.TrimSpace(s.sql.String()[:s.sql.Len()-delimiter])
	st.End, st.Delimiter, st.Dialect = s.at, s.delimiter, s.d
	s.d = s.d.After(st.SQL)
	return st
}

// token goes on to the end of a quote or comment that was opened, and notes
// what stands outside of them.
func (s *Scanner) token(c byte, line, col int) error {
	switch {
	case c == '\'':
		return s.quoted(c, s.d.Backslash || s.d.EString && s.shape.is('e'), line, col)
	case c == '"':
		return s.quoted(c, s.d.DoubleIsString && s.d.Backslash, line, col)
	case c == '`' && s.d.Backtick:
		return s.quoted(c, false, line, col)
	case c == '[' && s.d.Bracket:
		return s.quoted(']', false, line, col)
	case c == '$' && s.d.Dollar && s.shape.letters == 0:
		return s.dollar(line, col)
	case s.opensComment(c):
		s.shape.token("")
		return s.comment(c, line, col, true)
	case c == '\\' && s.d.Backslashes && s.d.Dollar:
		return s.errorAt(line, col, "a command of psql stands within a statement; end the statement with a semicolon")
	case c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '_' || c == '$' || c >= 0x80:
		s.shape.letter(c)
	case c == ' ' || c >= '\t' && c <= '\r':
		s.shape.token("")
	default:
		s.shape.token(string(rune(c)))
	}
	return nil
}

// quoted goes to the end of a quote that opened at a place.
func (s *Scanner) quoted(end byte, backslash bool, line, col int) error {
	s.shape.token("x")
	for {
		if s.rows && s.sql.Len() >= keptOfRows {
			s.skip(end, backslash)
		}
		x, err := s.read()
		if err == nil {
			err = s.put(x)
		}
		if err == nil && backslash && x == '\\' {
			if x, err = s.read(); err == nil {
				err = s.put(x)
			}
			x = 0 // it ends nothing
		}
		switch {
		case errors.Is(err, io.EOF):
			return s.errorAt(line, col, "a quote opens here and does not close")
		case err != nil:
			return err
		case x == end:
			return nil
		}
	}
}

// skip passes over what stands in a quote before its end, or before what may be
// no end: rows are most of a dump.
func (s *Scanner) skip(end byte, backslash bool) {
	for {
		buf := s.peek(max(s.r.Buffered(), 1))
		n := bytes.IndexByte(buf, end)
		if n < 0 {
			n = len(buf)
		}
		if i := bytes.IndexByte(buf[:n], '\\'); backslash && i >= 0 {
			n = i
		}
		passed := buf[:n]
		if lines := bytes.Count(passed, []byte("\n")); lines > 0 {
			s.line, s.col = s.line+lines, 1
			passed = passed[bytes.LastIndexByte(passed, '\n')+1:]
		}
		s.col += utf8.RuneCount(passed)
		s.at += int64(n)
		whole := n == len(buf)
		_, _ = s.r.Discard(n) // it is in the buffer
		if !whole || n == 0 {
			return
		}
	}
}

// dollar goes to the end of a dollar-quoted string that may begin with the byte
// just read.
func (s *Scanner) dollar(line, col int) error {
	ahead := s.peek(longestWord)
	n := bytes.IndexByte(ahead, '$')
	if n < 0 || n > 0 && ahead[0] >= '0' && ahead[0] <= '9' || bytes.ContainsFunc(ahead[:max(n, 0)], func(r rune) bool {
		return !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '_' || r >= 0x80)
	}) {
		s.shape.token("x")
		return nil
	}
	tag := "$" + string(ahead[:n+1])
	s.shape.token("x")
	matched := 0
	for i := 0; ; i++ {
		x, err := s.read()
		if err != nil {
			return s.errorAt(line, col, "a string opens here with %s and does not close", sqltext.CommentSafe(tag))
		}
		if err := s.put(x); err != nil {
			return err
		}
		switch {
		case i <= n: // the opening tag itself
			continue
		case x == tag[matched]:
			matched++
		case x == '$':
			matched = 1
		default:
			matched = 0
		}
		if matched == len(tag) {
			return nil
		}
	}
}

func (s *Scanner) opensComment(c byte) bool {
	n := s.peek(2)
	switch c {
	case '-':
		return len(n) > 0 && n[0] == '-' && (!s.d.DashSpace || len(n) == 1 || n[1] <= ' ')
	case '/':
		return len(n) > 0 && n[0] == '*'
	case '#':
		return s.d.Hash
	}
	return false
}

// isCode tells whether the comment that opens holds a statement (MySQL:
// Comments).
func (s *Scanner) isCode() bool {
	n := s.peek(3)
	return s.d.Hash && (bytes.HasPrefix(n, []byte("*!")) || bytes.HasPrefix(n, []byte("*M!")))
}

// comment goes to the end of a comment that opened with the byte just read.
func (s *Scanner) comment(c byte, line, col int, keep bool) error {
	if c == '/' && s.isCode() {
		s.shape.token("x")
	}
	depth, prev := 1, byte(0)
	for n := 0; ; n++ {
		x, err := s.read()
		if err != nil {
			if c == '/' && !s.d.OpenComment {
				return s.errorAt(line, col, "a comment opens here and does not close")
			}
			return nil
		}
		if keep {
			if err := s.put(x); err != nil {
				return err
			}
		}
		switch {
		case c != '/' && x == '\n':
			return nil
		case c != '/' || n == 0: // the * that opens it closes nothing
			continue
		case prev == '*' && x == '/':
			if depth--; depth == 0 {
				return nil
			}
			prev = 0
			continue
		case s.d.Nested && prev == '/' && x == '*':
			depth++
			prev = 0
			continue
		}
		prev = x
	}
}

// lineWords are the words that begin a line for MySQL's client.
var lineWords = []string{"delimiter", "source", "system"}

// clientLine tells whether a line for the client begins with the byte just read.
func (s *Scanner) clientLine(c byte, col int) bool {
	if s.d.Command != "" && string(c) == s.d.Command {
		return s.d.Backslashes || col == 1
	}
	if !s.d.Delimiter {
		return false
	}
	if c == '\\' {
		return true
	}
	ahead := strings.ToLower(string(c) + string(s.peek(10)))
	for _, w := range lineWords {
		if rest, ok := strings.CutPrefix(ahead, w); ok && (rest == "" || rest[0] <= ' ') {
			return true
		}
	}
	return false
}

// client reads a line for the client to its end.
func (s *Scanner) client(c byte) (Statement, error) {
	st := *s.start
	st.Client = true
	for c != '\n' {
		if s.sql.Len() < keptOfRows {
			s.sql.WriteByte(c)
		}
		var err error
		if c, err = s.read(); err != nil {
			break // the line ends with the text
		}
	}
	st.SQL, st.End = strings.TrimSpace(s.sql.String()), s.at
	if f := strings.Fields(st.SQL); s.d.Delimiter && len(f) > 1 && strings.EqualFold(f[0], lineWords[0]) {
		s.delimiter = f[1]
	}
	return st, nil
}

// copied passes over the rows behind a COPY … FROM stdin (psql: they end with a
// line of \. alone).
func (s *Scanner) copied() error {
	if !s.d.Dollar || len(s.shape.first) == 0 || s.shape.first[0] != "copy" {
		return nil
	}
	toks := sqltext.Significant(s.d, s.sql.String())
	from := false
	for i, t := range toks {
		from = from || t.Is("from") && i+1 < len(toks) && toks[i+1].Is("stdin")
	}
	if !from {
		return nil
	}
	for first := true; ; first = false { // the rest of its own line comes first
		line, err := s.r.ReadSlice('\n')
		end := !first && string(bytes.TrimRight(line, "\r\n")) == `\.`
		s.at += int64(len(line))
		for errors.Is(err, bufio.ErrBufferFull) { // a long row
			line, err = s.r.ReadSlice('\n')
			s.at += int64(len(line))
		}
		s.line, s.col = s.line+1, 1
		if errors.Is(err, io.EOF) || err == nil && end {
			return nil
		}
		if err != nil {
			return fmt.Errorf("reading %s: %w", s.file, err)
		}
	}
}
