package postgres

import (
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// sqlValue is SQL the server printed, with the form it is compared by.
func sqlValue(text string) catalog.Value {
	return catalog.SQL(catalog.Piece{Text: text, Canon: canonical(text)})
}

// canonical makes one text of the spellings in which the server prints one
// thing: a list over a varchar column is printed as
// `(ARRAY['x'::character varying, …])::text[]` at first, and as
// `ARRAY[('x'::character varying)::text, …]` once that was read back.
func canonical(text string) string {
	const open, end = "(ARRAY[", "])::text[]"
	i := strings.Index(text, open)
	if i < 0 || !strings.Contains(text, end) {
		return text
	}
	toks := sqltext.Lex(sqltext.Postgres, text)
	var out strings.Builder
	for k := 0; k < len(toks); k++ {
		if n, items, ok := castArray(toks[k:]); ok {
			out.WriteString("ARRAY[")
			for j, it := range items {
				if j > 0 {
					out.WriteString(", ")
				}
				out.WriteString("(" + it + "::character varying)::text")
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
