package writer

import (
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/vocab"
)

// createSimple makes what its definition makes, which may take several
// statements.
func (w *Writer) createSimple(c *order.Change) []*order.Action {
	return []*order.Action{created(c.Source, statements(c.Source.Text("definition"))...)}
}

func statements(text string) []string {
	var out []string
	for _, st := range sqltext.Split(vocab.Dialect, text) {
		out = append(out, st.Text)
	}
	return out
}
