package reader

import (
	"fmt"
	"slices"
	"strconv"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// special reads what an index on XML or in space has besides. Both stand on the clustered
// primary key of their table (SQL Server: CREATE XML INDEX, CREATE SPATIAL INDEX).
func (r *reader) special(t, o *catalog.Object, m Row) {
	switch {
	case m.num("type") == 4:
		o.SetText("tessellation", m.text("tessellation"))
		if m["xmin"] != nil {
			o.Set("bounding box", catalog.List(coordinate(m, "xmin"), coordinate(m, "ymin"), coordinate(m, "xmax"), coordinate(m, "ymax")))
		}
		if m["grid1"] != nil {
			o.Set("grids", catalog.List(m.text("grid1"), m.text("grid2"), m.text("grid3"), m.text("grid4")))
		}
		o.SetText("cells per object", m.text("cells"))
	case m.num("type") != 3:
		return
	case m.num("xml_index_type") == primaryXML:
		o.Set("type", catalog.Scalar("primary XML"))
	default:
		o.SetText("for", m.text("xml_for"))
		o.Set("using", catalog.SQL(catalog.Piece{Text: vocab.Quote(m.text("xml_using")), Canon: r.fold(m.text("xml_using"))}))
		o.Need(t.PartRef(&catalog.Object{Kind: catalog.Index, Name: r.fold(m.text("xml_using"))}), catalog.AspectName)
	}
	for _, k := range t.PartsOf(catalog.PrimaryKey) {
		o.Need(t.PartRef(k), catalog.AspectIndex)
	}
}

// coordinate is a corner of a bounding box, with all its digits.
func coordinate(m Row, name string) string {
	if f, ok := m[name].(float64); ok {
		return strconv.FormatFloat(f, 'g', -1, 64)
	}
	return m.text(name)
}

func (r *reader) textCatalog(m Row) error {
	o := r.add(0, &catalog.Object{Kind: vocab.TextCatalog, Name: m.text("name"), Space: "full-text catalog"})
	o.SetIf("default", m.is("is_default"))
	o.SetIf("accents do not count", !m.is("is_accent_sensitivity_on"))
	r.catalogs[m.num("fulltext_catalog_id")] = o
	return nil
}

// textIndex reads a full-text index, one column a row: a table or an indexed view has one,
// which has no name.
func (r *reader) textIndex(m Row) error {
	id := m.num("object_id")
	t, in := r.objects[id], r.catalogs[m.num("fulltext_catalog_id")]
	key := r.indexes[[2]int64{id, m.num("unique_index_id")}]
	if t == nil {
		return nil
	}
	gap := func(why string) error {
		at := catalog.Gap{On: t.PartRef(&catalog.Object{Kind: vocab.TextIndex, Name: vocab.TextIndexName}), Why: fmt.Sprintf("the full-text index of %s.%s is not read: %s", t.Schema, t.Name, why)}
		if !slices.Contains(r.c.Gaps, at) {
			r.c.Gaps = append(r.c.Gaps, at)
		}
		return nil
	}
	switch {
	case in == nil || key == nil:
		return gap("its catalog or its key is not told")
	case m.num("stoplist_id") > 0:
		return gap("it has a stoplist of its own")
	}
	o := t.Part(vocab.TextIndex, vocab.TextIndexName)
	if o == nil {
		o = &catalog.Object{Kind: vocab.TextIndex, Name: vocab.TextIndexName}
		o.Set("columns", catalog.List())
		o.Set(vocab.TypeColumns, catalog.List())
		o.Set("languages", catalog.List())
		o.Set("key", catalog.Scalar(key.Key()))
		o.Set("catalog", catalog.SQL(catalog.Piece{Text: vocab.Quote(in.Name), Canon: in.Key()}))
		o.Set("change tracking", catalog.Scalar(m.text("tracking")))
		o.SetIf("no stoplist", m["stoplist_id"] == nil)
		o.SetIf("disabled", !m.is("is_enabled"))
		o.Need(in.Ref(), catalog.AspectName)
		o.Need(t.PartRef(key), catalog.AspectIndex)
		t.Add(o)
	}
	p, ref := r.known(id, m.num("column_id"))
	if p == nil {
		return nil
	}
	on := func(column catalog.Ref) {
		if t.Kind == catalog.Table { // what a view has, its key stands on
			o.Need(column, catalog.AspectType)
		}
	}
	on(ref)
	kind, written := "", vocab.Quote(p.Name)
	if typ, at := r.known(id, m.num("type_column_id")); typ != nil {
		kind, written = r.fold(typ.Name), written+" TYPE COLUMN "+vocab.Quote(typ.Name)
		on(at)
	}
	language := strconv.FormatInt(m.num("language_id"), 10)
	if m.is("statistical_semantics") {
		language += " STATISTICAL_SEMANTICS"
	}
	for fact, item := range map[string]string{"columns": r.fold(p.Name), "languages": language, vocab.TypeColumns: kind} {
		o.Set(fact, catalog.List(append(slices.Clone(o.List(fact)), item)...))
	}
	o.Carry(vocab.Written+"columns", catalog.List(append(slices.Clone(o.List(vocab.Written+"columns")), written+" LANGUAGE "+language)...))
	return nil
}
