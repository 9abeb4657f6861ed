package mysql

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/mysql/vocab"
)

var _ order.Renamer = (*Writer)(nil)

// CanRename implements order.Renamer: routines, triggers and events are made
// anew.
func (w *Writer) CanRename(owner, part catalog.Kind) bool {
	switch part {
	case "":
		return owner == catalog.Table || owner == catalog.View || owner == catalog.Sequence
	case catalog.Column:
		return owner == catalog.Table
	}
	return false
}

// Dialect implements order.Renamer.
func (w *Writer) Dialect() sqltext.Dialect { return vocab.Dialect }

// Rename implements order.Renamer (MariaDB 10.5 and MySQL 8.0: RENAME COLUMN).
func (w *Writer) Rename(r match.Rename) *order.Action {
	a := &order.Action{About: r.Was, SQL: []string{fmt.Sprintf("RENAME TABLE %s TO %s;", vocab.Quote(r.Owner.Name), vocab.Quote(r.To.Name))}}
	if r.Part != nil {
		a.SQL = []string{fmt.Sprintf("ALTER TABLE %s RENAME COLUMN %s TO %s;", vocab.Quote(r.Owner.Name), vocab.Quote(r.Part.Name), vocab.Quote(r.To.Name))}
	}
	return locked([]*order.Action{a})[0]
}

var _ order.Follower = (*Writer)(nil)

// Follow implements order.Follower: what accounts are granted on a table or its
// columns the server keeps by their names (MariaDB: RENAME TABLE), so it is
// granted anew under the new ones.
func (w *Writer) Follow(desired, actual *catalog.Catalog, was func(catalog.Ref) catalog.Ref) (actions []*order.Action, to, from *catalog.Catalog) {
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
			SQL:   append(grantSQL(now, now, nil), grantSQL(o, nil, o)...),
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
