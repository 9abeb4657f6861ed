package mysql

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
)

// grantSQL leads from one set of privileges to another.
func grantSQL(o *catalog.Object, now, was *catalog.Object) []string {
	list := func(o *catalog.Object) []string {
		if o == nil {
			return nil
		}
		l := slices.Clone(o.List("privileges"))
		if o.Has("grant option") {
			l = append(l, "GRANT OPTION")
		}
		return l
	}
	a, b := list(now), list(was)
	missing := func(l, from []string) []string {
		return slices.DeleteFunc(slices.Clone(l), func(p string) bool { return slices.Contains(from, p) })
	}
	var out []string
	if gone := missing(b, a); len(gone) > 0 {
		out = append(out, fmt.Sprintf("REVOKE %s ON %s FROM %s;", strings.Join(gone, ", "), o.Text("on"), o.Text("account")))
	}
	if more := missing(a, b); len(more) > 0 {
		onward := ""
		if slices.Contains(more, "GRANT OPTION") {
			onward = " WITH GRANT OPTION"
			if more = slices.DeleteFunc(more, func(p string) bool { return p == "GRANT OPTION" }); len(more) == 0 {
				more = []string{"USAGE"}
			}
		}
		out = append(out, fmt.Sprintf("GRANT %s ON %s TO %s%s;", strings.Join(more, ", "), o.Text("on"), o.Text("account"), onward))
	}
	return out
}

func grantAction(c *order.Change) *order.Action {
	o := c.Object()
	a := &order.Action{About: o.Ref(), SQL: grantSQL(o, c.Source, c.Target)}
	switch {
	case c.Source == nil:
		a.Title, a.Removes = "revoke what "+o.Name+" is granted", []catalog.Ref{o.Ref()}
	default:
		a.Title, a.Makes = "grant "+o.Name, []catalog.Ref{o.Ref()}
		a.Risks = []order.Risk{{Kind: order.MayFail, On: o.Ref(), Text: "fails when the account " + o.Text("account") + " is not there"}}
	}
	return a
}
