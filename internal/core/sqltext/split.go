package sqltext

import (
	"strconv"
	"strings"
)

// Statement is one statement of a script, or one line meant for the client
// program (`.bail on`, `\set …`).
type Statement struct {
	Text   string // without what precedes it; with its semicolon, if it has one
	Pos    int    // byte offset of its first token
	Client bool
	// Open says that the text ended inside a quote, comment or body.
	Open bool
	// Before is the space and the comments in front of it.
	Before string
	// Times is how often the client sends it, and Next is where the line ends that says so
	// (GO 3), 0 where none does; both are of batches alone.
	Times, Next int
}

// Split cuts a script into statements the way the engine's own client does:
// semicolons inside quotes, brackets, trigger bodies and routine bodies do
// not end a statement.
func Split(d Dialect, text string) []Statement {
	if d.Batches {
		return batches(d, text)
	}
	var out []Statement
	in := stream{lexer{d: d, in: text}}
	var sig []Token // significant tokens of the current statement
	start, before, depth, atomic := -1, 0, 0, 0
	lineStart := true
	delimiter := ";"
	flush := func(end int, open bool) {
		if start >= 0 {
			st := Statement{Text: strings.TrimSpace(text[start:end]), Pos: start, Open: open, Before: text[before:start]}
			out = append(out, st)
			if then := in.d.After(st.Text); then != in.d && !open {
				in.move(then, end)
			}
		}
		start, before, depth, atomic, sig = -1, end, 0, 0, nil
	}
	for t, ok := in.next(); ok; t, ok = in.next() {
		if t.Blank() {
			if t.Kind == Space && strings.Contains(t.Text, "\n") {
				lineStart = true
			}
			continue
		}
		delimiterLine := d.Delimiter && t.Is("delimiter")
		if start < 0 && (lineStart || t.Pos == 0) && (delimiterLine || d.Command != "" && t.Text == d.Command) {
			end := strings.IndexByte(text[t.Pos:], '\n')
			if end < 0 {
				end = len(text) - t.Pos
			}
			line := strings.TrimSpace(text[t.Pos : t.Pos+end])
			if f := strings.Fields(line); delimiterLine && len(f) > 1 {
				delimiter = f[1]
			}
			out = append(out, Statement{Text: line, Pos: t.Pos, Client: true, Before: text[before:t.Pos]})
			before = t.Pos + end
			in.move(in.d, before) // the line may hold anything
			continue
		}
		lineStart = false
		if start < 0 {
			start = t.Pos
		}
		if delimiter != ";" {
			if at := ends(text, t, delimiter); at >= 0 {
				end := at + len(delimiter)
				flush(at, false)
				before = end
				in.move(in.d, end)
			} else if t.Kind == Bad {
				flush(len(text), true)
			}
			continue
		}
		sig = append(sig, t)
		switch {
		case t.Kind == Bad:
			flush(len(text), true)
		case t.IsOp("("):
			depth++
		case t.IsOp(")"):
			depth--
		case t.Is("atomic") && len(sig) > 1 && sig[len(sig)-2].Is("begin"):
			atomic++
		case atomic > 0 && t.Is("case"):
			atomic++
		case atomic > 0 && t.Is("end"):
			atomic--
		case t.IsOp(";") && depth <= 0 && atomic <= 0 && complete(d, sig):
			flush(t.Pos+1, false)
		}
	}
	flush(len(text), delimiter != ";" || depth > 0 || atomic > 0 || start >= 0 && !complete(d, append(sig, Token{Kind: Op, Text: ";"})))
	return out
}

// stream gives tokens one by one, and can go on elsewhere, in another dialect.
type stream struct{ lexer }

func (s *stream) next() (Token, bool) {
	s.out = s.out[:0]
	for state := stateFn(lexAny); state != nil && len(s.out) == 0; {
		state = state(&s.lexer)
	}
	if len(s.out) == 0 {
		return Token{}, false
	}
	return s.out[0], true
}

func (s *stream) move(d Dialect, to int) { s.d, s.start, s.pos = d, to, to }

// ends finds a delimiter that begins in a token: at its start, or in a word
// that a client's delimiter may stand right behind (`END$$`). -1 where none
// does.
func ends(text string, t Token, delimiter string) int {
	switch i := strings.Index(t.Text, delimiter); {
	case t.Kind == Op && strings.HasPrefix(text[t.Pos:], delimiter):
		return t.Pos
	case t.Kind == Word && i >= 0:
		return t.Pos + i
	}
	return -1
}

// complete tells whether a statement that now ends in a semicolon is whole.
func complete(d Dialect, sig []Token) bool {
	if !d.TriggerEnds || len(sig) < 3 || !sig[0].Is("create") {
		return true
	}
	if !sig[1].Is("trigger") && !(len(sig) > 2 && (sig[1].Is("temp") || sig[1].Is("temporary")) && sig[2].Is("trigger")) {
		return true
	}
	n := len(sig)
	return n >= 3 && sig[n-2].Is("end") && sig[n-3].IsOp(";")
}

// batches cuts a script at the lines that hold only GO, and perhaps how often, as
// the client does (SQL Server: SQL Server Utilities Statements, GO): what stands
// between them is sent at once.
func batches(d Dialect, text string) []Statement {
	var out []Statement
	in := stream{lexer{d: d, in: text}}
	start, before := -1, 0
	lineStart, open := true, false
	flush := func(end, times, next int) {
		if start >= 0 {
			out = append(out, Statement{Text: strings.TrimSpace(text[start:end]), Pos: start, Open: open, Before: text[before:start], Times: times, Next: next})
		}
		start, before, open = -1, end, false
	}
	for t, ok := in.next(); ok; t, ok = in.next() {
		if t.Blank() {
			lineStart = strings.Contains(t.Text, "\n") && (t.Kind == Space || !strings.HasSuffix(t.Text, "*/")) || lineStart && t.Kind == Space
			continue
		}
		first := lineStart || t.Pos == 0
		lineStart = false
		line := ""
		if first { // nothing else needs it, and a line may be long
			line, _, _ = strings.Cut(text[t.Pos:], "\n")
		}
		times := -1
		if first && t.Is("go") {
			times = goLine(line)
		}
		switch {
		case times >= 0:
			flush(t.Pos, times, t.Pos+len(line))
			before = t.Pos + len(line)
			in.move(d, before)
		case first && start < 0 && d.Command != "" && strings.HasPrefix(t.Text, d.Command):
			out = append(out, Statement{Text: strings.TrimSpace(line), Pos: t.Pos, Client: true, Before: text[before:t.Pos]})
			before = t.Pos + len(line)
			in.move(d, before)
		default:
			if start < 0 {
				start = t.Pos
			}
			open = open || t.Kind == Bad
		}
	}
	flush(len(text), 1, 0)
	return out
}

// goLine tells how often the batch is sent that a line ends which begins with GO: behind
// it stands nothing but a number, or a comment. -1 where it ends none.
func goLine(line string) int {
	rest := strings.Trim(beforeComment(line[2:]), " \t\r;")
	if rest == "" {
		return 1
	}
	if n, err := strconv.ParseUint(rest, 10, 31); err == nil {
		return int(n)
	}
	return -1
}

func beforeComment(line string) string {
	line, _, _ = strings.Cut(line, "--")
	return line
}
