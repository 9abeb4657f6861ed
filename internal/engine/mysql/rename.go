package mysql

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/mysql/grants"
	"dappermirror/internal/engine/mysql/vocab"
)

var _ order.Renamer = (*Writer)(nil)

// CanRename implements order.Renamer: routines, triggers and events are made
// anew.
func (w *Writer) CanRename(owner, part catalog.Kind) bool {
	switch part {
	case "":
		return owner == catalog.Table || owner == catalog.View || owner == catalog.Sequence
	case catalog.Column:
		return owner == catalog.Table
	}
	return false
}

// Dialect implements order.Renamer.
func (w *Writer) Dialect() sqltext.Dialect { return vocab.Dialect }

// Rename implements order.Renamer (MariaDB 10.5 and MySQL 8.0: RENAME COLUMN).
func (w *Writer) Rename(r match.Rename) *order.Action {
	a := &order.Action{About: r.Was, SQL: []string{fmt.Sprintf("RENAME TABLE %s TO %s;", vocab.Quote(r.Owner.Name), vocab.Quote(r.To.Name))}}
	if r.Part != nil {
		a.SQL = []string{fmt.Sprintf("ALTER TABLE %s RENAME COLUMN %s TO %s;", vocab.Quote(r.Owner.Name), vocab.Quote(r.Part.Name), vocab.Quote(r.To.Name))}
	}
	return locked([]*order.Action{a})[0]
}

var _ order.Follower = (*Writer)(nil)

// Follow implements order.Follower.
func (w *Writer) Follow(desired, actual *catalog.Catalog, was func(catalog.Ref) catalog.Ref) (actions []*order.Action, to, from *catalog.Catalog) {
	return grants.Follow(desired, keysRenamed(actual, was), was)
}

// keysRenamed is what is once the server has given the foreign keys of renamed
// tables other names: it takes each that begins with the table's name and _ibfk_
// for its own invention (MariaDB, InnoDB: generated names of constraints).
func keysRenamed(c *catalog.Catalog, was func(catalog.Ref) catalog.Ref) *catalog.Catalog {
	out := c
	for i, t := range c.Objects {
		old := was(t.Ref()).Name
		if t.Kind != catalog.Table || old == t.Name {
			continue
		}
		for k, key := range t.Parts {
			rest, generated := strings.CutPrefix(key.Name, old+"_ibfk_")
			if key.Kind != catalog.ForeignKey || !generated {
				continue
			}
			if out == c {
				out = match.Copy(c)
			}
			p := out.Objects[i].Parts[k]
			p.Name = t.Name + "_ibfk_" + rest
			p.ID = strings.ToLower(p.Name)
		}
	}
	if out != c {
		out.Sort()
	}
	return out
}
