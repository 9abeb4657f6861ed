package writer

import (
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// hidden says of actions on a table of which a policy hides rows that the rows cannot be
// asked: who asks may not see all.
func hidden(o *catalog.Object, list []*order.Action) []*order.Action {
	by := ""
	if o != nil {
		by = o.Text(vocab.Filtered)
	}
	if by == "" {
		return list
	}
	for _, a := range list {
		for i := range a.Risks {
			if a.Risks[i].Ask != nil {
				a.Risks[i].Ask = nil
				a.Risks[i].Text += "; the security policy " + by + " may hide rows from who asks"
			}
		}
		for i := range a.Fills {
			a.Fills[i].Ask = nil
		}
	}
	return list
}
