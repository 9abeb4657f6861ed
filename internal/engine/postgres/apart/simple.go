package apart

import (
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/steps"
	"dappermirror/internal/engine/postgres/vocab"
)

// CreateSimple makes what its definition makes, which may take several
// statements.
func CreateSimple(c *order.Change) []*order.Action {
	return []*order.Action{steps.Created(c.Source, Statements(c.Source.Text("definition"))...)}
}

func Statements(text string) []string {
	var out []string
	for _, st := range sqltext.Split(vocab.Dialect, text) {
		out = append(out, st.Text)
	}
	return out
}
