// Package revalue gives values of an enum other names in place.
package revalue

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/vocab"
)

// Follow renames the values that shall be called otherwise (catalog.Revalued;
// PostgreSQL: ALTER TYPE, RENAME VALUE), and answers what is then. What the server
// prints of the values anywhere is new with that; bodies in quotes
// stay as they were written.
func Follow(desired, actual *catalog.Catalog) (actions []*order.Action, after *catalog.Catalog) {
	after = actual
	for _, d := range desired.Objects {
		list, o := d.List(catalog.Revalued), actual.Find(d.Ref())
		if len(list) == 0 || o == nil || d.Kind != catalog.Enum {
			continue
		}
		if after == actual {
			after = match.Copy(actual)
		}
		now := after.Find(d.Ref())
		values := slices.Clone(o.List(catalog.Values))
		for i := 0; i+1 < len(list); i += 2 {
			at := slices.Index(values, list[i])
			if at < 0 {
				continue
			}
			values[at] = list[i+1]
			actions = append(actions, &order.Action{About: o.Ref(), Title: fmt.Sprintf("rename value %s of type %s to %s", list[i], o.Name, list[i+1]), Makes: []catalog.Ref{},
				SQL: []string{fmt.Sprintf("ALTER TYPE %s RENAME VALUE %s TO %s;", vocab.Qualified(o), vocab.Literal(list[i]), vocab.Literal(list[i+1]))}})
			respell(after, o, list[i], list[i+1])
		}
		now.Set(catalog.Values, catalog.List(values...))
	}
	return actions, after
}

// respell writes a value of a type anew wherever the server prints it.
func respell(c *catalog.Catalog, typ *catalog.Object, was, now string) {
	old := sqltext.Literal(was) + "::"
	turn := func(text string) string {
		if !strings.Contains(text, old) {
			return text
		}
		toks := sqltext.Lex(vocab.Dialect, text)
		var b strings.Builder
		for i, t := range toks {
			if t.Kind == sqltext.String && t.StringValue() == was && i+2 < len(toks) && toks[i+1].IsOp("::") && ofType(toks[i+2:], typ) {
				b.WriteString(vocab.Literal(now))
			} else {
				b.WriteString(t.Text)
			}
		}
		return b.String()
	}
	for _, o := range c.Objects {
		if o.Kind == catalog.Routine {
			continue // its text is kept as it was written, but for the defaults of its arguments
		}
		for _, x := range append([]*catalog.Object{o}, o.Parts...) {
			for i := range x.Properties {
				v := &x.Properties[i].Value
				if text := v.String(); v.Form != catalog.FormList && v.Form != catalog.FormSet && strings.Contains(text, old) {
					*v = catalog.SQL(catalog.Piece{Text: turn(text), Canon: turn(v.Canonical())})
				}
			}
		}
	}
}

// ofType tells whether the name of a type stands at the head of toks.
func ofType(toks []sqltext.Token, typ *catalog.Object) bool {
	if len(toks) > 2 && toks[1].IsOp(".") {
		return toks[0].Name() == typ.Schema && toks[2].Name() == typ.Name
	}
	return len(toks) > 0 && toks[0].Name() == typ.Name
}
