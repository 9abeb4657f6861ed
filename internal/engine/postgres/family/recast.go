package family

import (
	"slices"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/convert"
	"dappermirror/internal/engine/postgres/vocab"
)

// Recast tells whether the table of both catalogs changes in such a way, and is
// recast for it.
func Recast(c *order.Change, ref catalog.Ref) bool {
	return madeAnew(c, ref) && !RebuiltAbove(c, c.Actual, c.Actual.Find(ref))
}

// Rebuilt tells whether a partition of a table that stays is made anew by itself:
// its rows settle again in what takes its place.
func Rebuilt(c *order.Change, ref catalog.Ref) bool {
	top := topmost(c, c.Actual, c.Actual.Find(ref))
	return top != nil && top.Ref() == ref && stays(c, top)
}

// RebuiltAbove tells whether a table is such a partition or below one.
func RebuiltAbove(c *order.Change, in *catalog.Catalog, o *catalog.Object) bool {
	top := topmost(c, in, o)
	return top != nil && stays(c, top)
}

// stays tells whether a table is a partition of the same table on both sides.
func stays(c *order.Change, o *catalog.Object) bool {
	was, now := c.Actual.Find(o.Ref()), c.Desired.Find(o.Ref())
	before, after := ParentTable(c.Actual, was), ParentTable(c.Desired, now)
	return before != nil && after != nil && before.Ref() == after.Ref()
}

// topmost is the table that is made anew, the object or one it is a partition of
// in the given catalog, above which none is; nil where there is none.
func topmost(c *order.Change, in *catalog.Catalog, o *catalog.Object) (top *catalog.Object) {
	for seen := map[*catalog.Object]bool{}; o != nil && !seen[o]; o = ParentTable(in, o) {
		seen[o] = true
		if madeAnew(c, o.Ref()) {
			top = o
		}
	}
	return top
}

// madeAnew tells whether nothing but to make it anew does what changes about a
// table.
func madeAnew(c *order.Change, ref catalog.Ref) bool { return anew(c, ref, 50) }

// anew is madeAnew up to so many parents, which a capture may say to be each
// other's.
func anew(c *order.Change, ref catalog.Ref, parents int) bool {
	was, now := c.Actual.Find(ref), c.Desired.Find(ref)
	if was == nil || now == nil || was.Kind != catalog.Table {
		return false
	}
	by := was.Text("partition by")
	if by != now.Text("partition by") || InheritsAnew(was, now) {
		return true
	}
	for _, name := range now.List("inherits") { // it cannot stay when that one is made anew
		if p := Named(c.Desired, name); p != nil && p != now && slices.Contains(was.List("inherits"), name) && parents > 0 && anew(c, p.Ref(), parents-1) {
			return true
		}
	}
	if by == "" {
		return false
	}
	for _, a := range KeyColumns(was) {
		b := now.Part(catalog.Column, a.Key())
		if b == nil || a.Text("type") != b.Text("type") || a.Text("collation") != b.Text("collation") || TypeReplaced(c, a.Text("type")) {
			return true
		}
	}
	return false
}

// KeyColumns are the columns that a table is partitioned by.
func KeyColumns(o *catalog.Object) []*catalog.Object {
	var out []*catalog.Object
	if !o.Has("partition by") {
		return nil
	}
	for _, t := range sqltext.Lex(vocab.Dialect, o.Text("partition by")) {
		if col := o.Part(catalog.Column, t.Name()); t.IsName() && col != nil {
			out = append(out, col)
		}
	}
	return out
}

// TypeReplaced tells whether a type of the database's own is made anew under
// its name, so that values must be cast from the old one to the new.
func TypeReplaced(c *order.Change, typ string) bool {
	base, _, _ := convert.SplitType(typ)
	if was, now := convert.UserType(c.Actual, base, catalog.Enum), convert.UserType(c.Desired, base, catalog.Enum); was != nil && now != nil {
		return !Subsequence(was.List("values"), now.List("values"))
	}
	was, now := convert.UserType(c.Actual, base, vocab.Domain), convert.UserType(c.Desired, base, vocab.Domain)
	return was != nil && now != nil && (was.Text("type") != now.Text("type") || was.Text("collation") != now.Text("collation"))
}

// RecastAbove is the topmost table, the object or one it is a partition of,
// that is recast in the given catalog; false where none is. A family is recast
// once: what is recast below goes with it.
func RecastAbove(c *order.Change, in *catalog.Catalog, o *catalog.Object) (top catalog.Ref, found bool) {
	if o = topmost(c, in, o); o == nil || stays(c, o) {
		return catalog.Ref{}, false
	}
	return o.Ref(), true
}

func Subsequence(short, long []string) bool {
	i := 0
	for _, v := range long {
		if i < len(short) && short[i] == v {
			i++
		}
	}
	return i == len(short)
}
