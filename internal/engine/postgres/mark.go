package postgres

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/naming"
	"dappermirror/internal/engine/postgres/vocab"
)

// namedFacts are the facts that are no SQL by their form and have names in them
// all the same.
var namedFacts = []string{"type", "owned by", "of type", "partition of", "inherits", "partition by", "attributes", "columns", "column defaults", "column settings", "column grants", "subtype", "subtype opclass", "canonical", "subtype diff", "multirange type",
	"result", "arguments", "tables", "identity sequence name"}

// Mark implements engine.Namer. The server prints names with their schemas, and
// prints them anew when their things get others; but a routine's body stays as
// it was written.
func (Engine) Mark(c *catalog.Catalog) *catalog.Catalog {
	out := match.Copy(c)
	for _, o := range out.Objects {
		if name := o.Text("routine name"); name != "" {
			o.Remove("routine name")
			o.Carry(catalog.KnownAs, catalog.Scalar(strings.TrimPrefix(o.Name, name)))
		}
	}
	fold := func(t sqltext.Token) string {
		if t.Kind == sqltext.Word {
			return strings.ToLower(t.Text)
		}
		return t.Name()
	}
	n := (&naming.Names{Dialect: vocab.Dialect, Thing: fold, Column: fold, Relation: []string{"relation"}, Type: []string{"type", "relation"}, Routine: []string{"routine"}}).Index(out)
	n.All(func(o, part *catalog.Object, p *catalog.Property) (naming.Context, bool) {
		if p.Name == catalog.KnownAs {
			return naming.Context{}, true
		}
		if p.Value.Form != catalog.FormSQL && !slices.Contains(namedFacts, p.Name) {
			return naming.Context{}, false
		}
		var in naming.Context
		if part != nil || p.Name == "partition by" {
			in.Own, in.Trigger = o, part != nil && part.Kind == catalog.Trigger
		}
		if p.Name == "type" {
			in.Own = nil // a column may be called like a type
		}
		if o.Kind == catalog.Routine && part == nil {
			in.Own = nil
		}
		return in, true
	})
	for _, o := range out.Objects {
		for _, p := range o.Parts {
			if def := p.Property("definition"); def != nil && (p.Kind == catalog.Trigger || p.Kind == vocab.Rule) {
				def.Value.Pieces = ownName(def.Value.Pieces, o.PartRef(p), p.Name)
			}
		}
	}
	return out
}

// ownName marks the name that CREATE TRIGGER or CREATE RULE gives, so that the
// thing can get another one in place.
func ownName(pieces []catalog.Piece, ref catalog.Ref, name string) []catalog.Piece {
	for i, p := range pieces {
		toks := sqltext.Significant(vocab.Dialect, p.Text)
		for k := 0; k+1 < len(toks); k++ {
			t := toks[k+1]
			if !toks[k].Is("trigger") && !toks[k].Is("rule") || !t.IsName() || t.Name() != name || p.Text != p.Canon || p.Ref != nil {
				continue
			}
			before, after := p.Text[:t.Pos], p.Text[t.Pos+len(t.Text):]
			own := catalog.Piece{Text: t.Text, Canon: t.Text, Ref: &ref}
			return slices.Insert(slices.Clone(pieces[:i]), i, append([]catalog.Piece{{Text: before, Canon: before}, own, {Text: after, Canon: after}}, pieces[i+1:]...)...)
		}
		if i > 2 {
			break // it stands at the beginning
		}
	}
	return pieces
}
