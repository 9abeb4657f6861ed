package match

import (
	"slices"

	"dappermirror/internal/core/catalog"
)

// Share is the source with the target's objects in the place of its own where the two say
// the same in every respect: who compares them again and again need not look into them.
// Where in a text they stand is no part of it.
func Share(source, target *catalog.Catalog) *catalog.Catalog {
	out := *source
	out.Objects = nil
	for _, o := range source.Objects {
		if t := target.Find(o.Ref()); t != nil && identical(o, t) {
			o = t
		}
		out.Add(o)
	}
	return &out
}

func identical(a, b *catalog.Object) bool {
	if a == b {
		return true
	}
	return a.Kind == b.Kind && a.Schema == b.Schema && a.Name == b.Name && a.ID == b.ID && a.Home == b.Home && a.Alias == b.Alias && a.Space == b.Space && a.Group == b.Group && !a.Unread && !b.Unread &&
		slices.EqualFunc(a.Properties, b.Properties, func(x, y catalog.Property) bool {
			return x.Name == y.Name && x.Carried == y.Carried && x.Group == y.Group && x.Defect == y.Defect && x.Order == y.Order && sameValue(x.Value, y.Value)
		}) && slices.Equal(a.Needs, b.Needs) && slices.EqualFunc(a.Parts, b.Parts, identical)
}

func sameValue(a, b catalog.Value) bool {
	same := func(x, y []catalog.Piece) bool {
		return slices.EqualFunc(x, y, func(p, q catalog.Piece) bool {
			return p.Text == q.Text && p.Canon == q.Canon && p.Fixed == q.Fixed && p.Raw == q.Raw && (p.Ref == nil) == (q.Ref == nil) && (p.Ref == nil || *p.Ref == *q.Ref)
		})
	}
	return a.Form == b.Form && a.Text == b.Text && !a.Unread && !b.Unread && slices.Equal(a.Items, b.Items) && same(a.Pieces, b.Pieces) && slices.EqualFunc(a.Marks, b.Marks, same)
}
