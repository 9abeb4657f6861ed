package reader

import (
	"cmp"
	"fmt"
	"slices"

	"dappermirror/internal/core/catalog"
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

// scheme reads a partition scheme, one partition a row; behind them may stand one for where
// the next partition is to go.
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
	if len(r.destined[o]) <= len(f.List("values")) {
		group := vocab.DefaultGroup
		if m["is_default"] != nil && !m.is("is_default") {
			group = vocab.Quote(m.text("filegroup"))
		}
		r.destined[o] = append(r.destined[o], group)
	}
	return nil
}

// destinations notes where the partitions of schemes lie. Where that is one filegroup it
// counts; where they are several they are carried, and that is said.
func (r *reader) destinations() {
	for o, list := range r.destined {
		one := slices.Compact(slices.Clone(list))
		if len(one) == 1 && one[0] != vocab.DefaultGroup {
			o.Set(vocab.Filegroup, r.group(one[0]))
		} else if len(one) > 1 {
			o.Carry("filegroups", catalog.List(list...))
			r.c.Gaps = append(r.c.Gaps, catalog.Gap{Why: fmt.Sprintf("the partitions of %s lie in several filegroups: which lies where is not compared", o.Name)})
		}
	}
}

// largeElsewhere says where the large values of a table lie apart from it.
func (r *reader) largeElsewhere(o *catalog.Object, large string) {
	base := vocab.Quote(cmp.Or(r.c.Settings[vocab.DefaultFilegroup], "PRIMARY"))
	if g := o.Text(vocab.Filegroup); g != "" {
		base = g
	}
	if r.fold(vocab.Quote(large)) != r.fold(base) && !o.Has(vocab.Partitioned) {
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{Why: fmt.Sprintf("the large values of %s.%s lie in another filegroup than its rows: where they lie is not compared", o.Schema, o.Name)})
	}
}

// group is a filegroup, as SQL, as a value.
func (r *reader) group(quoted string) catalog.Value {
	return catalog.SQL(catalog.Piece{Text: quoted, Canon: r.fold(quoted)})
}

// lies notes on which partition scheme and column a table or an index lies, or in which
// filegroup where that is not the one of its table, or the default one. A clustered index
// is its table.
func (r *reader) lies(t, o *catalog.Object, key [2]int64, m Row) {
	if key[1] <= 1 && t.Kind == catalog.Table {
		o = t
	}
	if m.text("space") == "PS" {
		column := r.parted[key]
		o.Set(vocab.Partitioned, catalog.SQL(catalog.Piece{Text: vocab.Quote(m.text("space_name")) + "(" + vocab.Quote(column) + ")", Canon: tsql.Path([]string{r.fold(m.text("space_name")), r.fold(column)})}))
		o.Needs = append(o.Needs, catalog.Need{On: catalog.Ref{Kind: vocab.PartitionScheme, Name: r.fold(m.text("space_name"))}, Aspect: catalog.AspectName, Text: true})
		return
	}
	group := vocab.DefaultGroup
	if m["is_default"] == nil || t.Has(vocab.InMemory) {
		return // it has none
	}
	if !m.is("is_default") {
		group = vocab.Quote(m.text("space_name"))
	}
	base := vocab.DefaultGroup
	if g := t.Text(vocab.Filegroup); g != "" && o != t {
		base = g
	}
	if group != base {
		o.Set(vocab.Filegroup, r.group(group))
	}
}
