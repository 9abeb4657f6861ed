package writer

import (
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/rows"
)

// Save implements order.Saver. The partitions of a table save its rows.
func (w *Writer) Save(o, col *catalog.Object, lost []*catalog.Object) *order.Save {
	query := ""
	switch {
	case o.Kind != catalog.Table:
	case col == nil && !o.Has("partition by"):
		query = rows.InsertLines(o, rows.Own(o))
	case col != nil && !col.Has("generated"):
		query = rows.UpdateLines(o, col, lost)
	}
	if query == "" {
		return nil
	}
	return &order.Save{Query: query, First: rows.SavedSession, Lock: "LOCK TABLE " + qualified(o) + " IN ACCESS EXCLUSIVE MODE;"}
}
