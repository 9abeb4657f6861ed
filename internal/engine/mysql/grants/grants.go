// Package grants writes what accounts may do with a MariaDB or MySQL database, and
// lets it follow the names that it is kept by.
package grants

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/mysql/vocab"
)

// SQL leads from one set of privileges to another.
func SQL(o *catalog.Object, now, was *catalog.Object) []string {
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

// Action grants or revokes what differs.
func Action(c *order.Change) *order.Action {
	o := c.Object()
	a := &order.Action{About: o.Ref(), SQL: SQL(o, c.Source, c.Target)}
	switch {
	case c.Source == nil:
		a.Title, a.Removes = "revoke what "+o.Name+" is granted", []catalog.Ref{o.Ref()}
	default:
		a.Title, a.Makes = "grant "+o.Name, []catalog.Ref{o.Ref()}
		a.Risks = []order.Risk{{Kind: order.MayFail, On: o.Ref(), Text: "fails when the account " + o.Text("account") + " is not there"}}
	}
	return a
}

// Follow grants anew what was granted on a table or its columns that have other
// names now: the server keeps it by the names (MariaDB: RENAME TABLE). was tells
// what a thing was called; it answers what shall be and what is as they are then.
func Follow(desired, actual *catalog.Catalog, was func(catalog.Ref) catalog.Ref) (actions []*order.Action, to, from *catalog.Catalog) {
	to, from = desired, actual
	for i, o := range actual.Objects {
		now := underNewNames(o, actual, was)
		if now == nil {
			continue
		}
		if from == actual {
			to, from = match.Copy(desired), match.Copy(actual)
		}
		from.Objects[i] = now
		a := &order.Action{About: o.Ref(), Title: "grant " + now.Name + " as before", Removes: []catalog.Ref{o.Ref()}, Makes: []catalog.Ref{now.Ref()},
			SQL:   append(SQL(now, now, nil), SQL(o, nil, o)...),
			Risks: []order.Risk{{Kind: order.MayFail, On: o.Ref(), Text: "fails when the account that runs it may not grant this"}}}
		actions = append(actions, a)
		for k, d := range to.Objects {
			if d.Ref() == o.Ref() { // nobody wished it otherwise
				to.Objects[k] = now
			}
		}
	}
	if from != actual {
		to.Sort()
		from.Sort()
	}
	return actions, to, from
}

// underNewNames is a grant when what it is on has other names; nil where it has
// none.
func underNewNames(o *catalog.Object, c *catalog.Catalog, was func(catalog.Ref) catalog.Ref) *catalog.Object {
	if o.Kind != vocab.Grant {
		return nil
	}
	for _, n := range o.Needs {
		t := c.Find(n.On)
		if t == nil || t.Kind == catalog.Routine {
			continue
		}
		out, old := o.Clone(), was(t.Ref()).Name
		renames := []string{}
		for _, col := range t.PartsOf(catalog.Column) {
			if name := was(t.PartRef(col)).Part; name != col.Key() {
				renames = append(renames, vocab.Quote(name), vocab.Quote(col.Name))
			}
		}
		if old == t.Name && len(renames) == 0 {
			return nil
		}
		columns := strings.NewReplacer(renames...)
		var privileges []string
		for _, p := range o.List("privileges") {
			if p = onColumns(columns.Replace(p), t); p != "" {
				privileges = append(privileges, p)
			}
		}
		if old == t.Name && slices.Equal(privileges, o.List("privileges")) {
			return nil
		}
		out.Set("privileges", catalog.SetOf(privileges...))
		out.Carry("on", catalog.Scalar("TABLE "+vocab.Quote(t.Name)))
		out.Name = strings.TrimSuffix(o.Name, "table "+old) + "table " + t.Name
		return out
	}
	return nil
}

// onColumns is a privilege without the columns that a table no longer has, which
// the server keeps all the same; "" where none is left.
func onColumns(privilege string, t *catalog.Object) string {
	word, list, some := strings.Cut(privilege, " (")
	if !some {
		return privilege
	}
	var left []string
	for _, tok := range vocab.Cursor(strings.TrimSuffix(list, ")")).Significant() {
		if tok.IsName() && t.Part(catalog.Column, strings.ToLower(tok.Name())) != nil {
			left = append(left, vocab.Quote(tok.Name()))
		}
	}
	if len(left) == 0 {
		return ""
	}
	return word + " (" + strings.Join(left, ", ") + ")"
}
