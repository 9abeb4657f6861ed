package family

import (
	"slices"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/convert"
	"dappermirror/internal/engine/postgres/vocab"
)

// Recast tells whether the table of both catalogs changes in such a way.
func Recast(c *order.Change, ref catalog.Ref) bool {
	was, now := c.Actual.Find(ref), c.Desired.Find(ref)
	if was == nil || now == nil || was.Kind != catalog.Table {
		return false
	}
	by := was.Text("partition by")
	if by != now.Text("partition by") || InheritsAnew(was, now) {
		return true
	}
	for _, name := range now.List("inherits") { // it cannot stay when that one is made anew
		if p := Named(c.Desired, name); p != nil && p != now && slices.Contains(was.List("inherits"), name) && Recast(c, p.Ref()) {
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
	for seen := map[*catalog.Object]bool{}; o != nil && !seen[o]; o = ParentTable(in, o) {
		seen[o] = true
		if Recast(c, o.Ref()) {
			top, found = o.Ref(), true
		}
	}
	return top, found
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
