package vocab

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
)

// Hashed tells whether a table has a unique key that the server keeps by a
// hash, in a hidden column: nothing of it can be changed without a copy
// (MariaDB: Unique index with long columns).
func Hashed(o *catalog.Object) bool {
	return slices.ContainsFunc(o.PartsOf(catalog.Index), func(p *catalog.Object) bool { return HashedKey(o, p) })
}

// HashedKey tells whether that is one of them.
func HashedKey(o, p *catalog.Object) bool {
	if p.Text("class") != "unique" {
		return false
	}
	if strings.Contains(strings.ToUpper(Spaced(p.Text("definition"))), "USING HASH") {
		return true
	}
	return slices.ContainsFunc(p.List("columns"), func(name string) bool {
		col := o.Part(catalog.Column, name)
		return col != nil && (strings.HasSuffix(col.Text("type"), "text") || strings.HasSuffix(col.Text("type"), "blob"))
	})
}

// IndexedVirtual tells whether a table has an index on a column that is computed
// when read: then columns neither come nor go at once, and nothing is built anew
// beside others.
func IndexedVirtual(o *catalog.Object) bool {
	return slices.ContainsFunc(o.PartsOf(catalog.Index), func(p *catalog.Object) bool {
		return slices.ContainsFunc(p.List("columns"), func(name string) bool {
			col := o.Part(catalog.Column, name)
			return col != nil && col.Text("generated") == "virtual"
		})
	})
}

// Computes tells whether a table has a column that is computed.
func Computes(o *catalog.Object) bool {
	return slices.ContainsFunc(o.PartsOf(catalog.Column), func(p *catalog.Object) bool { return p.Has("generated") })
}

// HasVirtual tells whether a table has a column that is computed when read.
func HasVirtual(o *catalog.Object) bool {
	return slices.ContainsFunc(o.PartsOf(catalog.Column), func(p *catalog.Object) bool { return p.Text("generated") == "virtual" })
}
