package sqltext

import (
	"errors"
	"fmt"
	"strings"
)

// ErrNotClosed says that a text is not exactly one statement that its client
// would hand to the server as it stands; test with errors.Is.
var ErrNotClosed = errors.New("it is not one closed statement")

// Closed tells why a text, cut the way the engine's own client cuts it, is not
// exactly one statement: it has a tail, ends inside a quote, comment or body,
// or holds what the client would take for a command of its own. A MySQL text
// may stand between DELIMITER lines.
func Closed(d Dialect, text string) error {
	if d.Batches {
		return closedBatch(d, text)
	}
	n, delimited := 0, false
	for _, st := range Split(d, text) {
		switch {
		case st.Client && d.Delimiter:
			delimited = true
			continue
		case st.Client:
			return fmt.Errorf("%w: its client would run the line %q", ErrNotClosed, Excerpt(st.Text))
		case st.Open:
			return fmt.Errorf("%w: a quote, comment, bracket or body in it does not end", ErrNotClosed)
		}
		if n++; n > 1 {
			return fmt.Errorf("%w: behind it stands %q", ErrNotClosed, Excerpt(st.Text))
		}
		toks := Lex(d, st.Text)
		if last := toks[len(toks)-1]; !delimited && !last.IsOp(";") {
			return fmt.Errorf("%w: its end is not marked", ErrNotClosed)
		}
		simple := delimited && !holdsStatements(toks)
		for i, t := range toks {
			if simple && t.IsOp(";") && i+1 < len(toks) {
				return fmt.Errorf("%w: behind it stands %q", ErrNotClosed, Excerpt(st.Text[t.Pos+1:]))
			}
			if d.Backslashes && t.IsOp(`\`) {
				return fmt.Errorf(`%w: its client would take what follows the \ in it for a command`, ErrNotClosed)
			}
		}
	}
	if n == 0 {
		return fmt.Errorf("%w: it is empty", ErrNotClosed)
	}
	return nil
}

// Ends tells whether nothing of a text waits for the line that ends its batch.
func Ends(d Dialect, text string) bool {
	list := Split(d, text)
	return len(list) == 0 || list[len(list)-1].Client || list[len(list)-1].Next > 0
}

// Ended is a statement with what marks its end.
func (d Dialect) Ended(sql string) string {
	if d.Batches {
		return sql + "\nGO"
	}
	return sql + ";"
}

// closedBatch tells why a text is not exactly one batch with the line that ends it.
// The client looks at lines before the server does: at its variables, and at what
// begins with a command's sign, whatever quotes stand around them.
func closedBatch(d Dialect, text string) error {
	list := Split(d, text)
	switch {
	case len(list) == 0:
		return fmt.Errorf("%w: it is empty", ErrNotClosed)
	case list[0].Client:
		return fmt.Errorf("%w: its client would run the line %q", ErrNotClosed, Excerpt(list[0].Text))
	case list[0].Open:
		return fmt.Errorf("%w: a quote or comment in it does not end", ErrNotClosed)
	case len(list) > 1:
		return fmt.Errorf("%w: behind it stands %q", ErrNotClosed, Excerpt(list[1].Text))
	}
	batch, rest := list[0].Text, strings.TrimSpace(text[list[0].Pos:])
	if !strings.EqualFold(strings.TrimSpace(rest[len(batch):]), "go") {
		return fmt.Errorf("%w: its end is not marked", ErrNotClosed)
	}
	if line := ClientLine(d, list[0].Before+batch); line != "" {
		return fmt.Errorf("%w: its client would take %q for its own", ErrNotClosed, Excerpt(line))
	}
	return nil
}

// ClientLine is a line of a batch that the client would not hand on as it stands:
// one with a variable, one that begins with a command's sign, one that holds only
// GO. "" where there is none.
func ClientLine(d Dialect, batch string) string {
	for _, line := range strings.Split(batch, "\n") {
		l := strings.TrimSpace(line)
		if strings.Contains(l, "$(") || strings.HasPrefix(l, d.Command) || strings.HasPrefix(l, "!!") || len(l) >= 2 && strings.EqualFold(l[:2], "go") && strings.Trim(beforeComment(l[2:]), "0123456789 \t\r;") == "" {
			return l
		}
	}
	return ""
}

// holdsStatements tells whether a statement is of a kind that has others in
// it. The server takes what follows the end of any other for the next one,
// whatever the client's delimiter is (MySQL: Multiple Statement Execution
// Support).
func holdsStatements(toks []Token) bool {
	for _, t := range toks {
		switch strings.ToLower(t.Text) {
		case "procedure", "function", "trigger", "event", "package", "begin":
			return true
		case "table", "view", "index", "sequence", "database", "select":
			return false
		}
	}
	return false
}

// Excerpt is the beginning of a text, in one line that can stand in a comment.
func Excerpt(text string) string {
	if len(text) > longestExcerpt {
		text = strings.ToValidUTF8(text[:longestExcerpt], "")
	}
	text = CommentSafe(strings.Join(strings.Fields(text), " "))
	if r := []rune(text); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return text
}

// longestExcerpt is how many bytes of a text are looked at for an excerpt.
const longestExcerpt = 400

// Deliverable is a statement laid out so that the engine's own client delivers
// all of it, with the same meaning: sqlite3 ends a statement at a line that
// holds only "/" or "go", psql puts variables in where a colon stands right
// before a name or string.
func Deliverable(d Dialect, text string) string {
	if !d.LineEnders && !d.Variables {
		return text
	}
	toks := Lex(d, text)
	changed := false
	for i := range toks {
		t := &toks[i]
		if d.Variables && t.IsOp(":") && i+1 < len(toks) && (toks[i+1].IsName() || toks[i+1].Kind == String) {
			t.Text, changed = ": ", true
		}
		if d.LineEnders && (t.IsOp("/") || t.Is("go")) && aloneOnLine(toks, i) {
			if space := &toks[i-1]; i == 1 || toks[i-2].Kind != Comment || !strings.HasPrefix(toks[i-2].Text, "--") {
				space.Text = " "
			} else {
				space.Text += "/**/" // a line comment must keep its end
			}
			changed = true
		}
	}
	if !changed {
		return text
	}
	var b strings.Builder
	for _, t := range toks {
		b.WriteString(t.Text)
	}
	return b.String()
}

// aloneOnLine tells whether a token begins a line on which otherwise only
// blanks and comments stand.
func aloneOnLine(toks []Token, i int) bool {
	if i == 0 || toks[i-1].Kind != Space || !strings.Contains(toks[i-1].Text, "\n") {
		return false
	}
	for _, t := range toks[i+1:] {
		if !t.Blank() {
			return false
		}
		if strings.Contains(t.Text, "\n") {
			return true
		}
	}
	return true
}

// Fragment tells why a text cannot stand inside a statement without ending it
// or reaching beyond itself: a quote, comment or bracket in it does not end, a
// bracket closes what it did not open, a semicolon ends the statement, or the
// client would take something in it for a command.
func Fragment(d Dialect, text string) error {
	depth := 0
	for _, t := range Lex(d, text) {
		switch {
		case t.Kind == Bad, t.Kind == Comment && strings.HasPrefix(t.Text, "/*") && !strings.HasSuffix(t.Text, "*/"):
			return fmt.Errorf("%w: a quote or comment in it does not end", ErrNotClosed)
		case t.IsOp("("):
			depth++
		case t.IsOp(")"):
			if depth--; depth < 0 {
				return fmt.Errorf("%w: a bracket in it closes more than was opened", ErrNotClosed)
			}
		case t.IsOp(";"):
			return fmt.Errorf("%w: a semicolon in it ends the statement", ErrNotClosed)
		case t.IsOp(`\`) && d.Backslashes:
			return fmt.Errorf(`%w: its client would take what follows the \ in it for a command`, ErrNotClosed)
		}
	}
	if depth > 0 {
		return fmt.Errorf("%w: a bracket in it does not close", ErrNotClosed)
	}
	return nil
}
