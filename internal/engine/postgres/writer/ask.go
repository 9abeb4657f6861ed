package writer

import (
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/convert"
	"dappermirror/internal/engine/postgres/family"
	"dappermirror/internal/engine/postgres/rows"
	"dappermirror/internal/engine/postgres/vocab"
)

// asIs tells whether the columns a part needs are in the target as they will
// be when the part looks at them: what the rows say of it now holds then.
func (w *Writer) asIs(c *order.Change, p *catalog.Object) bool {
	if c.Target == nil || c.Target.Kind != catalog.Table || family.Recast(c, c.Target.Ref()) || !steady(c, p) {
		return false
	}
	for _, n := range p.Needs {
		if n.On.PartKind != catalog.Column {
			continue
		}
		if !c.Keeps(n.On, "type", "collation", "generated", "expression") {
			return false
		}
		if _, filled := w.fill(c.Desired.Find(n.On), c.Desired.Resolve(n.On)); filled {
			return false
		}
		base, _, _ := splitType(c.Actual.Resolve(n.On).Text("type"))
		for _, kind := range []catalog.Kind{catalog.Enum, kindDomain} {
			if a, b := userType(c.Actual, base, kind), userType(c.Desired, base, kind); (a == nil) != (b == nil) || a != nil && judge.Fingerprint(a, nil) != judge.Fingerprint(b, nil) {
				return false
			}
		}
	}
	return true
}

// steady tells whether the functions and types a part needs are there, and stay
// as they are.
func steady(c *order.Change, p *catalog.Object) bool {
	for _, n := range p.Needs {
		if vocab.IsTable(n.On.Kind) || n.On.Object() == c.Source.Ref() {
			continue
		}
		was, now := c.Actual.Resolve(n.On), c.Desired.Resolve(n.On)
		if was == nil || now == nil || n.On.Kind != catalog.Schema && judge.Fingerprint(was, nil) != judge.Fingerprint(now, nil) {
			return false
		}
	}
	return true
}

// askRows gives the risks of a new or validated part what the rows can say.
func (w *Writer) askRows(c *order.Change, p *catalog.Object, a *order.Action) {
	if !w.asIs(c, p) {
		return
	}
	for i := range a.Risks {
		if a.Risks[i].Kind == order.MayFail {
			a.Risks[i].Ask = rows.Refused(c.Target, p, c.Actual)
		}
	}
}

// anyValue asks whether a column that goes holds values. On the way back what
// the way there put into it is none; a value of its own for each row cannot be
// told from others.
func (w *Writer) anyValue(o, col *catalog.Object) *order.Question {
	given := ""
	if w.Back {
		fill, filled := w.fill(o, col)
		switch {
		case filled:
			given = fill
		case col.Has("identity"):
			return nil
		case col.Has("default"):
			if given = col.Text("default"); !constant(given) {
				return nil
			}
		}
	}
	return rows.Values(o, col, given)
}

// constant tells whether an expression calls nothing.
func constant(expr string) bool {
	for _, t := range sqltext.Significant(vocab.Dialect, expr) {
		if t.IsOp("(") || strings.HasPrefix(strings.ToLower(t.Text), "current_") || t.Is("session_user") || t.Is("user") || strings.HasPrefix(strings.ToLower(t.Text), "localtime") {
			return false
		}
	}
	return true
}

// typeQuestion asks for the values a change of type would change or refuse.
func typeQuestion(c *order.Change, o, col *catalog.Object, kind order.RiskKind, cv convert.Conversion, to string) *order.Question {
	if o.Kind != catalog.Table {
		return nil
	}
	from := col.Text("type")
	base, _, array := splitType(to)
	if e := userType(c.Desired, base, catalog.Enum); e != nil {
		return rows.Labels(o, col, e.List("values"), array)
	}
	if strings.Contains(base, ".") { // a type of the database's own, which may change as well
		return nil
	}
	via := cv.Via
	if via == "" {
		via = "$::" + to
	}
	via = strings.ReplaceAll(via, "$", quote(col.Name))
	fb, _, _ := splitType(from)
	switch kind {
	case order.Loss:
		if cv.Back == "" {
			return nil // nothing leads back
		}
		return rows.Changed(o, col, strings.ReplaceAll(cv.Back, "$", "("+via+")"))
	case order.MayFail:
		return rows.Fitting(o, col, via, base, isText(fb))
	}
	return nil
}

// uses are the columns of a type that stay of it.
func uses(c *order.Change, name string) []rows.Use {
	var out []rows.Use
	for _, t := range c.Actual.Objects {
		if t.Kind != catalog.Table || t.Has("partition of") {
			continue
		}
		for _, col := range t.PartsOf(catalog.Column) {
			base, array := strings.CutSuffix(col.Text("type"), "[]")
			if now := c.Desired.Resolve(t.PartRef(col)); base == name && now != nil && now.Text("type") == col.Text("type") && !col.Has("inherited") {
				out = append(out, rows.Use{Table: t, Column: col, Array: array})
			}
		}
	}
	return out
}

// outside asks for the rows no partition takes.
func outside(c *order.Change, root *catalog.Object) *order.Question {
	was := c.Actual.Find(root.Ref())
	if was == nil {
		return nil
	}
	var conditions []string
	for _, o := range c.Desired.Objects {
		if p := family.ParentTable(c.Desired, o); p == nil || p.Ref() != root.Ref() {
			continue
		}
		if o.Text("partition bound") == "DEFAULT" {
			return nil
		}
		conditions = append(conditions, rows.Bound(root.Text("partition by"), o.Text("partition bound"), nil))
	}
	return rows.Outside(was, conditions, "have no partition")
}

// misplaced asks for the rows that do not belong into a partition, nor are
// taken elsewhere.
func misplaced(c *order.Change, o *catalog.Object, elsewhere string) *order.Question {
	was, parent := c.Actual.Find(o.Ref()), family.ParentTable(c.Desired, o)
	if was == nil || parent == nil || c.Actual.Find(parent.Ref()) == nil || o.Text("partition bound") == "DEFAULT" {
		return nil
	}
	conditions := []string{rows.Bound(parent.Text("partition by"), o.Text("partition bound"), parent)}
	if elsewhere != "" {
		conditions = append(conditions, elsewhere)
	}
	return rows.Outside(was, conditions, "do not belong into it")
}

func nullQuestion(o, col *catalog.Object) *order.Question {
	if o.Kind != catalog.Table {
		return nil
	}
	return rows.Null(o, col)
}
