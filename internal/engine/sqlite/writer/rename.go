package writer

import (
	"fmt"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlite/vocab"
)

var _ order.Renamer = (*Writer)(nil)

// CanRename implements order.Renamer: views, indexes and triggers are made anew.
func (w *Writer) CanRename(owner, part catalog.Kind) bool {
	return owner == catalog.Table && (part == "" || part == catalog.Column) || owner == catalog.VirtualTable && part == ""
}

// Dialect implements order.Renamer.
func (w *Writer) Dialect() sqltext.Dialect { return vocab.Dialect }

// Rename implements order.Renamer. The full rename, which scripts have turned
// off, writes all texts anew that name the thing.
func (w *Writer) Rename(r match.Rename) *order.Action {
	sql := fmt.Sprintf("ALTER TABLE %s RENAME TO %s;", vocab.Quote(r.Owner.Name), vocab.Quote(r.To.Name))
	if r.Part != nil {
		sql = fmt.Sprintf("ALTER TABLE %s RENAME COLUMN %s TO %s;", vocab.Quote(r.Owner.Name), vocab.Quote(r.Part.Name), vocab.Quote(r.To.Name))
	}
	return &order.Action{SQL: []string{"PRAGMA legacy_alter_table=OFF;", sql, "PRAGMA legacy_alter_table=ON;"}}
}
