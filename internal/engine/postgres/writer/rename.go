package writer

import (
	"fmt"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/revalue"
	"dappermirror/internal/engine/postgres/vocab"
)

var _ order.Renamer = (*Writer)(nil)

// partWords are the parts with an ALTER … RENAME of their own; constraints and
// indexes get their names with their other changes.
var partWords = map[catalog.Kind]string{catalog.Trigger: "TRIGGER", vocab.Policy: "POLICY", vocab.Rule: "RULE"}

// CanRename implements order.Renamer.
func (w *Writer) CanRename(owner, part catalog.Kind) bool {
	if part == "" {
		return keyword(&catalog.Object{Kind: owner}) != "" && owner != vocab.UserMapping && owner != "cast" && owner != "transform"
	}
	return part == catalog.Column && vocab.IsTable(owner) || partWords[part] != ""
}

// Dialect implements order.Renamer.
func (w *Writer) Dialect() sqltext.Dialect { return vocab.Dialect }

// Rename implements order.Renamer.
func (w *Writer) Rename(r match.Rename) *order.Action {
	a := &order.Action{About: r.Was, SQL: []string{fmt.Sprintf("ALTER %s %s RENAME TO %s;", keyword(r.Owner), sqlName(r.Owner), quote(bareName(r.To)))}}
	if r.Part != nil && partWords[r.Part.Kind] != "" {
		a.SQL = []string{fmt.Sprintf("ALTER %s %s ON %s RENAME TO %s;", partWords[r.Part.Kind], quote(r.Part.Name), sqlName(r.Owner), quote(r.To.Name))}
	} else if r.Part != nil {
		a.SQL = []string{fmt.Sprintf("%s RENAME COLUMN %s TO %s;", alterPrefix(r.Owner), quote(r.Part.Name), quote(bareName(r.To)))}
	}
	return locked([]*order.Action{a})[0]
}

var _ order.Follower = (*Writer)(nil)

// Follow implements order.Follower.
func (w *Writer) Follow(desired, actual *catalog.Catalog, _ func(catalog.Ref) catalog.Ref) (actions []*order.Action, to, from *catalog.Catalog) {
	actions, from = revalue.Follow(desired, actual)
	return actions, desired, from
}
