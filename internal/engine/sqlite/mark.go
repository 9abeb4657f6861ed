package sqlite

import (
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/naming"
	"dappermirror/internal/engine/sqlite/vocab"
)

// Mark implements engine.Namer. ALTER TABLE … RENAME writes every text anew that
// names the table or column, views and triggers too (SQLite: ALTER TABLE,
// section 2).
func (Engine) Mark(c *catalog.Catalog) *catalog.Catalog {
	out := match.Copy(c)
	fold := func(t sqltext.Token) string { return catalog.FoldASCII(t.Name()) }
	n := (&naming.Names{Dialect: vocab.Dialect, Thing: fold, Column: fold, Relation: []string{"relation"}}).Index(out)
	for _, o := range out.Objects {
		for _, p := range o.Parts {
			if p.Name == "" && p.ID != "" && vocab.Inline(p.Kind) && p.Kind != catalog.PrimaryKey {
				p.Carry(catalog.KnownAs, catalog.Scalar(p.ID))
			}
		}
	}
	n.All(func(o, part *catalog.Object, p *catalog.Property) (naming.Context, bool) {
		in := naming.Context{Own: o}
		key := part != nil && part.Kind == catalog.ForeignKey
		switch {
		case p.Name == "references" || p.Name == "parent":
			in.Own, in.Raw = nil, true
		case p.Name == "referenced columns":
			if in.Own = out.Find(catalog.Ref{Kind: catalog.Table, Name: part.Text("references")}); in.Own == nil {
				return in, false
			}
			in.Raw = true
		case key && p.Name == "columns", p.Name == "column names", p.Name == "column":
			in.Raw = true
		case p.Name == "columns", p.Name == catalog.KnownAs:
		case p.Value.Form != catalog.FormSQL || p.Name == "type":
			return in, false
		case o.Kind == catalog.View:
			in.Own = nil
		case part != nil && part.Kind == catalog.Trigger:
			in.Trigger = true
		}
		return in, true
	})
	return out
}
