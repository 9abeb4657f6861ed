package reader

import (
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/vocab"
)

// sqlValue is SQL the server printed, with the form it is compared by.
func sqlValue(text string) catalog.Value {
	return catalog.SQL(catalog.Piece{Text: writable(text), Canon: canonical(text)})
}

// writable is a printed text in the spelling that, written and printed again,
// gives that text: see canonical.
func writable(text string) string {
	return eachCastArray(text, func(item string) string { return item + "::character varying" })
}

// canonical makes one text of the spellings in which the server prints one
// thing: a list over a varchar column is printed as
// `(ARRAY['x'::character varying, …])::text[]` at first, and as
// `ARRAY[('x'::character varying)::text, …]` once that was read back.
func canonical(text string) string {
	return eachCastArray(text, func(item string) string { return "(" + item + "::character varying)::text" })
}

// eachCastArray writes each `(ARRAY['x'::character varying, …])::text[]` in
// the text without its cast, its items as spell has them.
func eachCastArray(text string, spell func(item string) string) string {
	const open, end = "(ARRAY[", "])::text[]"
	i := strings.Index(text, open)
	if i < 0 || !strings.Contains(text, end) {
		return text
	}
	toks := sqltext.Lex(vocab.Dialect, text)
	var out strings.Builder
	for k := 0; k < len(toks); k++ {
		if n, items, ok := castArray(toks[k:]); ok {
			out.WriteString("ARRAY[")
			for j, it := range items {
				if j > 0 {
					out.WriteString(", ")
				}
				out.WriteString(spell(it))
			}
			out.WriteString("]")
			k += n - 1
			continue
		}
		out.WriteString(toks[k].Text)
	}
	return out.String()
}

// castArray reads `(ARRAY['x'::character varying, …])::text[]` at the head of
// toks; n is how many tokens it takes, items are the strings.
func castArray(toks []sqltext.Token) (n int, items []string, ok bool) {
	at := 0
	take := func(text string) bool {
		for at < len(toks) && toks[at].Kind == sqltext.Space {
			at++
		}
		if at < len(toks) && strings.EqualFold(toks[at].Text, text) {
			at++
			return true
		}
		return false
	}
	if !take("(") || !take("ARRAY") || !take("[") {
		return 0, nil, false
	}
	for {
		for at < len(toks) && toks[at].Kind == sqltext.Space {
			at++
		}
		if at >= len(toks) || toks[at].Kind != sqltext.String {
			return 0, nil, false
		}
		items = append(items, toks[at].Text)
		at++
		if !take("::") || !take("character") || !take("varying") {
			return 0, nil, false
		}
		if take(",") {
			continue
		}
		break
	}
	for _, t := range []string{"]", ")", "::", "text", "[", "]"} {
		if !take(t) {
			return 0, nil, false
		}
	}
	return at, items, true
}

// canonicalView is what a view's query is compared by. PostgreSQL 16 and later
// print the columns of a query over a single relation without the relation's
// name, earlier ones with it (PostgreSQL: release notes of 16); here it is left
// out.
func canonicalView(text string) string {
	toks := sqltext.Lex(vocab.Dialect, text)
	first, last, name, ok := singleRelation(toks)
	if !ok {
		return canonical(text)
	}
	var out strings.Builder
	var inner []bool // for each open parenthesis: whether a query stands in it
	queries := 0
	for i, t := range toks {
		switch t.Text {
		case "(":
			n := next(toks, i)
			q := n < len(toks) && (toks[n].Is("select") || toks[n].Is("with") || toks[n].Is("values"))
			inner = append(inner, q)
			if q {
				queries++
			}
		case ")":
			if n := len(inner) - 1; n >= 0 {
				if inner[n] {
					queries--
				}
				inner = inner[:n]
			}
		}
		outside := (i < first || i > last) && queries == 0
		if outside && t.Text == "." && i > 0 && isPrefix(toks, i-1, name) {
			continue
		}
		if outside && i+1 < len(toks) && toks[i+1].Text == "." && isPrefix(toks, i, name) {
			continue
		}
		out.WriteString(t.Text)
	}
	return canonical(out.String())
}

func next(toks []sqltext.Token, i int) int {
	for i++; i < len(toks) && toks[i].Kind == sqltext.Space; i++ {
	}
	return i
}

// isPrefix tells whether token i is the relation's name in front of a column.
func isPrefix(toks []sqltext.Token, i int, name string) bool {
	if !toks[i].IsName() || toks[i].Name() != name || i+2 >= len(toks) || toks[i+1].Text != "." || !toks[i+2].IsName() {
		return false
	}
	if i+3 < len(toks) && (toks[i+3].Text == "(" || toks[i+3].Text == ".") {
		return false // a routine of a schema of that name
	}
	return i == 0 || toks[i-1].Text != "." && toks[i-1].Text != "::" && toks[i-1].Text != ":"
}

// singleRelation finds the one item in the FROM of the outermost query, as
// the tokens from first to last, and the name its columns go by.
func singleRelation(toks []sqltext.Token) (first, last int, name string, ok bool) {
	depth := 0
	first = -1
	for i, t := range toks {
		switch {
		case t.Text == "(":
			depth++
			continue
		case t.Text == ")":
			depth--
			continue
		case depth > 0 || t.Kind == sqltext.Space:
			continue
		case t.Is("union") || t.Is("intersect") || t.Is("except"):
			return 0, 0, "", false
		case first < 0:
			if t.Is("from") {
				first, last = i, len(toks)-1
			}
			continue
		case last < len(toks)-1:
			continue
		}
		for _, w := range []string{"where", "group", "having", "window", "order", "limit", "offset", "fetch", "for"} {
			if t.Is(w) {
				last = i - 1
			}
		}
		switch {
		case last < len(toks)-1:
		case t.Text == "," || t.Is("join"):
			return 0, 0, "", false
		case t.Is("tablesample"):
			last = i
		case t.IsName():
			name = t.Name()
		}
	}
	return first, last, name, first >= 0 && name != ""
}

// withoutIn leaves out the mode IN of a procedure's arguments, which servers
// print from 14 on.
func withoutIn(def string) string {
	toks := sqltext.Lex(vocab.Dialect, def)
	depth := 0
	var out strings.Builder
	for i := 0; i < len(toks); i++ {
		t := toks[i]
		switch t.Text {
		case "(":
			depth++
		case ")":
			depth--
			if depth == 0 { // the end of the arguments
				return out.String() + def[t.Pos:]
			}
		}
		if t.Text == "IN" && depth == 1 && (toks[i-1].Text == "(" || toks[i-1].Kind == sqltext.Space && toks[i-2].Text == ",") {
			i++ // and the space behind it
			continue
		}
		out.WriteString(t.Text)
	}
	return out.String()
}
