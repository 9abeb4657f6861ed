package mysql

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/mysql/vocab"
	"dappermirror/internal/engine/naming"
)

// rawFacts hold names themselves: of columns of the table, and of the table
// that a key points at.
var rawFacts = []string{"columns", "column order", "parent"}

// Mark implements engine.Namer. The server writes what belongs to a table anew
// when something in it gets another name; views and bodies it keeps as they
// were written.
func (Engine) Mark(c *catalog.Catalog) *catalog.Catalog {
	out := match.Copy(c)
	folded := func(t sqltext.Token) string { return strings.ToLower(t.Name()) }
	thing := sqltext.Token.Name
	if folding(c) == "1" {
		thing = folded // a body may have them as it likes
	}
	n := (&naming.Names{Dialect: vocab.Dialect, Thing: thing, Column: folded,
		Relation: []string{"relation"}, Routine: []string{"function", "procedure"}}).Index(out)
	n.All(func(o, part *catalog.Object, p *catalog.Property) (naming.Context, bool) {
		in := naming.Context{Own: o}
		switch {
		case o.Kind != catalog.Table:
			in = naming.Context{Fixed: true, Quoted: o.Kind == catalog.View}
			return in, p.Value.Form == catalog.FormSQL
		case p.Name == "parent columns":
			if in.Own = out.Find(catalog.Ref{Kind: catalog.Table, Name: part.Text("parent")}); in.Own == nil {
				return in, false
			}
			in.Raw = true
		case slices.Contains(rawFacts, p.Name):
			in.Raw = true
			if p.Name == "parent" {
				in.Own = nil
			}
		case part != nil && part.Kind == catalog.Trigger:
			in.Fixed, in.Trigger = true, true
			return in, p.Value.Form == catalog.FormSQL
		case p.Value.Form != catalog.FormSQL && p.Name != "written":
			return in, false
		default:
			in.Quoted = true // as the server prints it
		}
		return in, true
	})
	return out
}
