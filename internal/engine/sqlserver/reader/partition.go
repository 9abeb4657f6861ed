package reader

import (
	"fmt"
	"slices"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine/sqlserver/vocab"
	"dappermirror/internal/standin/tsql"
)

// partitions reads a partition function, one boundary a row.
func (r *reader) partitions(m Row) error {
	id := m.num("function_id")
	o := r.functions[id]
	if o == nil {
		o = r.add(0, &catalog.Object{Kind: vocab.PartitionFunction, Name: m.text("name"), Space: "partition function"})
		o.Set("type", catalog.Scalar(typeOf(m)))
		o.Set("range", catalog.Scalar(map[bool]string{true: "right", false: "left"}[m.is("boundary_value_on_right")]))
		o.Set("values", catalog.List())
		r.functions[id] = o
	}
	if m["value"] != nil {
		o.Set("values", catalog.List(append(slices.Clone(o.List("values")), m.text("value"))...))
	}
	return nil
}

// scheme reads a partition scheme. Where its partitions lie is carried, as filegroups are a
// server's own affair.
func (r *reader) scheme(m Row) error {
	f := r.functions[m.num("function_id")]
	if f == nil {
		return nil
	}
	o := r.c.Find(catalog.Ref{Kind: vocab.PartitionScheme, Name: r.fold(m.text("name"))})
	if o == nil {
		o = r.add(0, &catalog.Object{Kind: vocab.PartitionScheme, Name: m.text("name"), Space: "data space"})
		o.Set("function", catalog.SQL(catalog.Piece{Text: vocab.Quote(f.Name), Canon: f.Key()}))
		o.Need(f.Ref(), catalog.AspectName)
	}
	if !m.is("is_default") && m["is_default"] != nil {
		r.elsewhere++
	}
	if g := m.text("filegroup"); !slices.Contains(o.List("filegroups"), g) {
		o.Carry("filegroups", catalog.List(append(slices.Clone(o.List("filegroups")), g)...))
	}
	return nil
}

// lies notes where a table or an index lies: on which partition scheme, by which column.
// An index that lies where its table does says nothing of it.
func (r *reader) lies(t, o *catalog.Object, key [2]int64, m Row) {
	on, canon := "", ""
	if m.text("space") == "PS" {
		on = vocab.Quote(m.text("space_name")) + "(" + vocab.Quote(r.parted[key]) + ")"
		canon = tsql.Path([]string{r.fold(m.text("space_name")), r.fold(r.parted[key])})
	} else if m["is_default"] != nil && !m.is("is_default") {
		r.elsewhere++
		if t.Kind == catalog.Table {
			(map[bool]*catalog.Object{true: t, false: o}[key[1] <= 1]).Carry(vocab.Filegroup, catalog.Scalar(m.text("space_name")))
		}
	}
	need := func(x *catalog.Object) {
		x.Needs = append(x.Needs, catalog.Need{On: catalog.Ref{Kind: vocab.PartitionScheme, Name: r.fold(m.text("space_name"))}, Aspect: catalog.AspectName, Text: true})
	}
	if key[1] <= 1 && t.Kind == catalog.Table {
		if on != "" {
			t.Set(vocab.Partitioned, catalog.SQL(catalog.Piece{Text: on, Canon: canon}))
			need(t)
		}
		return
	}
	if whole := t.Property(vocab.Partitioned); whole != nil && whole.Value.Canonical() == canon || whole == nil && on == "" {
		return
	}
	if on == "" {
		o.Set(vocab.Partitioned, catalog.SQL(catalog.Piece{Text: "[PRIMARY]", Canon: "not"}))
		return
	}
	o.Set(vocab.Partitioned, catalog.SQL(catalog.Piece{Text: on, Canon: canon}))
	need(o)
}

// filegroups says how much lies outside the default filegroup.
func (r *reader) filegroups() {
	if r.elsewhere > 0 {
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{Why: fmt.Sprintf("%s outside the default filegroup: where things lie is not compared", words.Number(r.elsewhere, "table, index or partition lies", "tables, indexes and partitions lie"))})
	}
}
