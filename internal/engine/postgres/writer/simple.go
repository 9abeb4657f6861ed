package writer

import (
	"strings"

	"dappermirror/internal/core/order"
)

func (w *Writer) createSimple(c *order.Change) []*order.Action {
	return []*order.Action{created(c.Source, strings.Split(c.Source.Text("definition"), "\n")...)}
}
