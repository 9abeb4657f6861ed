package sqltext

import (
	"bytes"
	"strings"
)

// Squeezed is a text with one blank between its words and signs, and as they
// were within quotes. Comments count.
func Squeezed(d Dialect, text string) string {
	var out []string
	for _, t := range Lex(d, text) {
		switch t.Kind {
		case Space:
		case Comment:
			out = append(out, strings.Join(strings.Fields(t.Text), " "))
		default:
			out = append(out, t.Text)
		}
	}
	return strings.Join(out, " ")
}

// Lowered is a text with all words outside quotes and comments in small letters.
func Lowered(d Dialect, text string) string {
	return each(d, text, func(t Token) string {
		if t.Kind == Word {
			return strings.ToLower(t.Text)
		}
		return t.Text
	})
}

// Uncommented is a text without comments. A line that held nothing else is
// gone with its comment, as are the blanks before one that ends a line.
func Uncommented(d Dialect, text string) string {
	var out []byte
	toks := Lex(d, text)
	for i, t := range toks {
		if t.Kind != Comment {
			out = append(out, t.Text...)
			continue
		}
		if ends := i+1 == len(toks) || strings.HasPrefix(strings.TrimLeft(toks[i+1].Text, " \t\r"), "\n"); !ends {
			continue
		}
		out = bytes.TrimRight(out, " \t")
		if bytes.HasSuffix(out, []byte("\n")) {
			out = bytes.TrimRight(out[:len(out)-1], " \t\r")
		}
	}
	return string(out)
}

// OneLineEnding is a text whose lines all end with a line feed.
func OneLineEnding(text string) string {
	return strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(text)
}

// Tidied is a text of a language in which the margin may count: without blanks
// at the ends of lines, and without empty lines.
func Tidied(text string) string {
	var out []string
	for _, l := range strings.Split(OneLineEnding(text), "\n") {
		if l = strings.TrimRight(l, " \t"); l != "" {
			out = append(out, l)
		}
	}
	return strings.Join(out, "\n")
}

// PlainDefault is a default without what changes only how it is written: the
// letters of its words, casts, brackets around all of it, and names of the
// current time that mean one thing.
func PlainDefault(d Dialect, text string) string {
	var out []string
	toks := Significant(d, text)
	for i := 0; i < len(toks); i++ {
		t := toks[i]
		if t.IsOp("::") {
			i = castEnd(toks, i+1) - 1
			continue
		}
		if t.Kind == Word {
			t.Text = strings.ToLower(t.Text)
			if t.Text == "now" && i+2 < len(toks) && toks[i+1].IsOp("(") && toks[i+2].IsOp(")") {
				t.Text, i = "current_timestamp", i+2
			}
			if t.Text == "current_timestamp" && i+2 < len(toks) && toks[i+1].IsOp("(") && toks[i+2].IsOp(")") {
				i += 2
			}
		}
		out = append(out, t.Text)
	}
	n := around(out)
	out = out[n : len(out)-n]
	text = strings.Join(out, " ")
	if n := len(text); len(out) == 1 && n > 2 && text[0] == '\'' && number(text[1:n-1]) {
		text = text[1 : n-1]
	}
	return text
}

// castEnd is where the type of a cast ends: its words, what stands in brackets
// behind them, and the brackets of an array.
func castEnd(toks []Token, i int) int {
	for ; i < len(toks) && (toks[i].IsName() || toks[i].IsOp(".")); i++ {
	}
	if i < len(toks) && toks[i].IsOp("(") {
		for ; i < len(toks) && !toks[i].IsOp(")"); i++ {
		}
		i = min(i+1, len(toks))
	}
	for i+1 < len(toks) && toks[i].IsOp("[") && toks[i+1].IsOp("]") {
		i += 2
	}
	return i
}

// around is how many pairs of brackets stand around all of a list.
func around(items []string) int {
	ahead, depth, least := 0, 0, len(items)
	for ahead < len(items) && items[ahead] == "(" {
		ahead++
	}
	behind := 0
	for behind < len(items)-ahead && items[len(items)-1-behind] == ")" {
		behind++
	}
	for i, s := range items {
		switch s {
		case "(":
			depth++
		case ")":
			depth--
		}
		if i >= ahead && i < len(items)-behind {
			least = min(least, depth)
		}
	}
	if depth != 0 || ahead+behind == len(items) {
		return 0
	}
	return max(min(ahead, behind, least), 0)
}

func number(s string) bool {
	digits := strings.TrimLeft(strings.TrimPrefix(s, "-"), "0123456789")
	fraction, ok := strings.CutPrefix(digits, ".")
	return digits == "" && s != "-" && s != "" || ok && strings.Trim(fraction, "0123456789") == "" && len(s) > 1
}

// Without is a text without some runs of tokens: cut answers how many tokens
// from i on go. Blanks and comments are gone as well.
func Without(d Dialect, text string, cut func(toks []Token, i int) int) string {
	var out []string
	toks := Significant(d, text)
	for i := 0; i < len(toks); {
		if n := cut(toks, i); n > 0 {
			i += n
			continue
		}
		out = append(out, toks[i].Text)
		i++
	}
	return strings.Join(out, " ")
}

// Keeping is a text in which some runs of tokens (see Without) are as another
// text has them: in the place of its own, or before what stands behind them
// there. Nothing else changes.
func Keeping(d Dialect, text, other string, cut func(toks []Token, i int) int) string {
	theirs, next := runs(d, other, cut)
	toks := Significant(d, text)
	var b strings.Builder
	at, put := 0, theirs == ""
	for i := 0; i < len(toks); {
		n := cut(toks, i)
		if n > 0 || !put && next != "" && strings.EqualFold(toks[i].Text, next) {
			b.WriteString(text[at:endOf(toks, i-1)])
			if !put {
				b.WriteString(theirs)
				put = true
			}
			at = endOf(toks, i+n-1)
		}
		i += max(n, 1)
	}
	b.WriteString(text[at:])
	if !put {
		b.WriteString(theirs)
	}
	return b.String()
}

// endOf is where the i-th token ends, 0 before the first.
func endOf(toks []Token, i int) int {
	if i < 0 {
		return 0
	}
	return toks[i].Pos + len(toks[i].Text)
}

// runs are the runs of tokens that cut finds, with the blanks before them, and
// the token behind the last of them.
func runs(d Dialect, text string, cut func(toks []Token, i int) int) (all, next string) {
	toks := Significant(d, text)
	var b strings.Builder
	defer func() { all = b.String() }()
	for i := 0; i < len(toks); {
		n := cut(toks, i)
		if n > 0 {
			b.WriteString(text[endOf(toks, i-1):endOf(toks, i+n-1)])
			if next = ""; i+n < len(toks) {
				next = toks[i+n].Text
			}
		}
		i += max(n, 1)
	}
	return "", next
}

func each(d Dialect, text string, write func(Token) string) string {
	var b strings.Builder
	for _, t := range Lex(d, text) {
		b.WriteString(write(t))
	}
	return b.String()
}
