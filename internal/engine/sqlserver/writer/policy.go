package writer

import (
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// policySQL makes a security policy.
func policySQL(o *catalog.Object) string {
	s := "CREATE SECURITY POLICY " + qualified(o)
	for i, p := range o.List("predicates") {
		if i > 0 {
			s += ","
		}
		s += "\n  ADD " + p
	}
	with := []string{"STATE = " + onOff(!o.Has("disabled"))}
	if o.Has("not schema bound") {
		with = append(with, "SCHEMABINDING = OFF")
	}
	s += "\nWITH (" + strings.Join(with, ", ") + ")"
	if o.Has("not for replication") {
		s += " NOT FOR REPLICATION"
	}
	return s + ";"
}

func onOff(on bool) string { return map[bool]string{true: "ON", false: "OFF"}[on] }

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
