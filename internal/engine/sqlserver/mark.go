package sqlserver

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/naming"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// filteredBy is the table that a policy is about, nil where there are more of them.
func filteredBy(c *catalog.Catalog, policy *catalog.Object) *catalog.Object {
	var one *catalog.Object
	for _, n := range policy.Needs {
		if n.On.Kind != catalog.Table {
			continue
		}
		if t := c.Find(n.On.Object()); one == nil {
			one = t
		} else if t != one {
			return nil
		}
	}
	return one
}

// Mark implements engine.Namer. Constraints and indexes know columns by number, so
// that a rename reaches them by itself; modules keep their text as it was written (SQL
// Server: sp_rename, Remarks).
func (Engine) Mark(c *catalog.Catalog) *catalog.Catalog {
	out := match.Copy(c)
	fold := vocab.Fold(c)
	name := func(t sqltext.Token) string { return fold(t.Name()) }
	dbo := &catalog.Object{Kind: catalog.Schema, Name: "dbo"} // which is always there, and no object
	out.Objects = append(out.Objects, dbo)
	objects := []string{vocab.Objects}
	n := (&naming.Names{Dialect: vocab.Dialect, Thing: name, Column: name, Relation: objects, Routine: objects, Type: []string{"type"}}).Index(out)
	n.All(func(o, part *catalog.Object, p *catalog.Property) (naming.Context, bool) {
		in := naming.Context{Own: o, Quoted: true}
		fact := strings.TrimPrefix(p.Name, vocab.Written)
		switch {
		case fact == "parent columns":
			in.Own, in.Raw = nil, fact == p.Name
			for _, need := range part.Needs {
				if need.On.Kind == catalog.Table && !need.On.IsPart() {
					in.Own = out.Find(need.On)
				}
			}
			return in, in.Own != nil
		case p.Name == "using" || p.Name == "catalog" || p.Name == vocab.Filegroup: // which are no columns
			return in, false
		case fact == "columns" || fact == "include" || fact == "descending" || fact == vocab.TypeColumns:
			in.Raw = fact == p.Name
			return in, true
		case p.Name == "predicates": // on more tables than one a column could be any's
			in.Own = filteredBy(out, o)
			return in, true
		case p.Name == "parent", p.Name == "for":
			in.Own = nil
			return in, true
		case p.Value.Form != catalog.FormSQL:
			return in, false
		case part != nil && part.Kind == catalog.Trigger:
			return naming.Context{Own: o, Fixed: true, Trigger: true, Rows: []string{"inserted", "deleted"}}, true
		case part == nil:
			return naming.Context{Fixed: true}, true
		}
		return in, true
	})
	out.Objects = slices.DeleteFunc(out.Objects, func(o *catalog.Object) bool { return o == dbo })
	out.Sort()
	return out
}
