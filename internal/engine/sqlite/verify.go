package sqlite

import (
	"fmt"
	"strconv"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlite/reader"
	"dappermirror/internal/engine/sqlite/vocab"
)

// storedTypes are the types of sqlite_schema of what stands in one text.
var storedTypes = map[catalog.Kind]string{catalog.Table: "table", catalog.VirtualTable: "table", catalog.View: "view", catalog.Trigger: "trigger", catalog.Index: "index"}

// Verify implements engine.Verifier.
func (Engine) Verify(o *catalog.Object) error {
	return engine.VerifyEach(o, func(kind catalog.Kind, name string, p *catalog.Property) error {
		whole := p.Name == "sql" || p.Name == "definition"
		switch {
		case kind == vocab.Database:
			if _, err := strconv.ParseInt(p.Value.String(), 10, 32); err != nil {
				return fmt.Errorf("it is no number: %w", err)
			}
			return nil
		case whole && storedTypes[kind] != "":
			return reader.Closed(reader.Row{Type: storedTypes[kind], Name: name, SQL: p.Value.String()})
		case engine.AsSQL(p):
			return engine.Fragments(vocab.Dialect, p)
		case p.Name == "columns":
			for _, it := range p.Value.Items {
				if err := sqltext.Fragment(vocab.Dialect, it); err != nil {
					return fmt.Errorf("%s: %w", sqltext.CommentSafe(it), err)
				}
			}
		}
		return nil
	})
}
