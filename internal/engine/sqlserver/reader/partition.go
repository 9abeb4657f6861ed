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

// lies notes on which partition scheme a table or an index lies, and by which column. A
// clustered index is its table.
func (r *reader) lies(t, o *catalog.Object, key [2]int64, m Row) {
	if key[1] <= 1 && t.Kind == catalog.Table {
		o = t
	}
	if m.text("space") == "PS" {
		column := r.parted[key]
		o.Set(vocab.Partitioned, catalog.SQL(catalog.Piece{Text: vocab.Quote(m.text("space_name")) + "(" + vocab.Quote(column) + ")", Canon: tsql.Path([]string{r.fold(m.text("space_name")), r.fold(column)})}))
		o.Needs = append(o.Needs, catalog.Need{On: catalog.Ref{Kind: vocab.PartitionScheme, Name: r.fold(m.text("space_name"))}, Aspect: catalog.AspectName, Text: true})
	} else if m["is_default"] != nil && !m.is("is_default") {
		r.elsewhere++
		o.Carry(vocab.Filegroup, catalog.Scalar(m.text("space_name")))
	}
}

// filegroups says how much lies outside the default filegroup.
func (r *reader) filegroups() {
	if r.elsewhere > 0 {
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{Why: fmt.Sprintf("%s outside the default filegroup: where things lie is not compared", words.Number(r.elsewhere, "table, index or partition lies", "tables, indexes and partitions lie"))})
	}
}
