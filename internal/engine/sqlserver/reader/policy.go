package reader

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/sqlserver/vocab"
	"dappermirror/internal/standin/tsql"
)

// policy reads a security policy, one predicate a row.
func (r *reader) policy(m Row) error {
	o := r.objects[m.num("object_id")]
	if o == nil {
		o = r.add(m.num("object_id"), &catalog.Object{Kind: vocab.Policy, Schema: m.text("schema"), Name: m.text("name"), Space: vocab.Objects})
		o.Set("predicates", catalog.SetOf())
		o.SetIf("disabled", !m.is("is_enabled"))
		o.SetIf("not for replication", m.is("is_not_for_replication"))
		o.SetIf("not schema bound", !m.is("is_schema_bound"))
	}
	t := r.objects[m.num("target_object_id")]
	if m["text"] == nil {
		return nil
	}
	if t == nil {
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{On: o.Ref(), Why: "what the security policy " + o.Schema + "." + o.Name + " filters is not seen: it is not compared"})
		return nil
	}
	x, err := tsql.Expression(m.text("text"))
	call, ok := x.(*tsql.Call)
	if err != nil || !ok {
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{On: o.Ref(), Why: "a predicate of the security policy " + o.Schema + "." + o.Name + " is not understood: it is not compared"})
		return nil
	}
	text := m.text("type") + " PREDICATE " + tsql.Canon(x, r.fold) + " ON " + tsql.Path([]string{r.fold(t.Schema), r.fold(t.Name)})
	if op := m.text("operation"); op != "" {
		text += " " + op
	}
	o.Set("predicates", catalog.SetOf(append(slices.Clone(o.List("predicates")), text)...))
	bound := m.is("is_schema_bound")
	o.Needs = append(o.Needs, catalog.Need{On: t.Ref(), Aspect: vocab.AspectRows})
	if m.is("is_enabled") && strings.HasPrefix(m.text("type"), "FILTER") {
		t.Carry(vocab.Filtered, catalog.Scalar(o.Name))
	}
	tsql.Walk(call, func(e tsql.Expr) {
		switch e := e.(type) {
		case *tsql.Call:
			if f := r.c.Find(catalog.Ref{Kind: catalog.Routine, Schema: r.fold(strings.Join(e.Name[:len(e.Name)-1], ".")), Name: r.fold(e.Name[len(e.Name)-1])}); f != nil {
				o.Needs = append(o.Needs, catalog.Need{On: f.Ref(), Aspect: catalog.AspectSignature, Text: !bound})
			}
		case *tsql.Name:
			if p := t.Part(catalog.Column, r.fold(e.Parts[len(e.Parts)-1])); p != nil {
				o.Needs = append(o.Needs, catalog.Need{On: t.PartRef(p), Aspect: catalog.AspectType})
			}
		}
	})
	return nil
}
