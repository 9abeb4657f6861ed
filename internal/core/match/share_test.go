package match_test

import (
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
)

// TestShare: what is the same in every respect becomes one, and nothing else; neither side
// is changed.
func TestShare(t *testing.T) {
	table := func(name string, change func(*catalog.Object)) *catalog.Object {
		o := &catalog.Object{Kind: catalog.Table, Name: name, Space: "relation", Origin: &catalog.Origin{File: name}}
		o.Set("comment", catalog.Scalar("a berth"))
		o.Carry("sql", catalog.PlainSQL("CREATE TABLE x"))
		c := &catalog.Object{Kind: catalog.Column, Name: "id"}
		ref := catalog.Ref{Kind: catalog.Enum, Name: "mood"}
		c.Set("type", catalog.SQL(catalog.Piece{Text: "mood", Canon: "mood", Ref: &ref}))
		o.Add(c)
		o.Need(ref, catalog.AspectType)
		if change != nil {
			change(o)
		}
		return o
	}
	for name, change := range map[string]func(*catalog.Object){
		"a fact":                  func(o *catalog.Object) { o.Set("comment", catalog.Scalar("a quay")) },
		"one fact less":           func(o *catalog.Object) { o.Remove("comment") },
		"what is carried":         func(o *catalog.Object) { o.Carry("sql", catalog.PlainSQL("CREATE TABLE y")) },
		"how it is carried":       func(o *catalog.Object) { o.Set("sql", catalog.PlainSQL("CREATE TABLE x")) },
		"a need":                  func(o *catalog.Object) { o.Needs = nil },
		"a part":                  func(o *catalog.Object) { o.Add(&catalog.Object{Kind: catalog.Column, Name: "n"}) },
		"a part's fact":           func(o *catalog.Object) { o.Parts[0].SetIf("not null", true) },
		"a piece's text":          func(o *catalog.Object) { o.Parts[0].Set("type", catalog.PlainSQL("mood")) },
		"its space":               func(o *catalog.Object) { o.Space = "type" },
		"its alias":               func(o *catalog.Object) { o.Alias = "quay" },
		"its group":               func(o *catalog.Object) { o.Group = "owners" },
		"the letters of its name": func(o *catalog.Object) { o.Name, o.ID = "Berth", "berth" },
		"that it is not read":     func(o *catalog.Object) { o.Unread = true },
		"":                        nil,
	} {
		source, target := &catalog.Catalog{FoldNames: true}, &catalog.Catalog{FoldNames: true}
		source.Add(table("berth", change))
		source.Add(table("only", nil))
		target.Add(table("berth", nil))
		shared := match.Share(source, target)
		if one := shared.Objects[0] == target.Objects[0]; one != (change == nil) {
			t.Errorf("%s: shared %v", name, one)
		}
		if shared.Objects[1] != source.Objects[1] || source.Objects[0] == target.Objects[0] || len(shared.Objects) != 2 {
			t.Errorf("%s: what only the source has, or the source itself, was changed", name)
		}
	}
}
