package reader

import (
	"strconv"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/vocab"
)

func (r *reader) schema(w *row) {
	oid, name := w.oid(), w.name()
	o := &catalog.Object{Kind: catalog.Schema, Name: name, Space: "schema"}
	r.schemas[oid] = name
	r.owned(o, w.name(), w.texts())
	r.add(pgNamespace, oid, o)
}

func (r *reader) relate(oid uint32, o *catalog.Object, kind string) {
	rel := &relation{object: o, kind: kind}
	r.rels[oid], r.byObject[o] = rel, rel
}

var relationKinds = map[string]catalog.Kind{"r": catalog.Table, "p": catalog.Table, "f": vocab.ForeignTable, "v": catalog.View, "m": vocab.MatView, "S": catalog.Sequence}

func (r *reader) relation(w *row) {
	oid, schema, name, kind := w.oid(), w.oid(), w.text(), w.name()
	if !r.mine(pgClass, oid, schema) {
		return
	}
	o := &catalog.Object{Kind: relationKinds[kind], Schema: r.schemas[schema], Name: name, Space: "relation", Properties: make([]catalog.Property, 0, 4)}
	r.relate(oid, o, kind)
	o.SetIf("unlogged", w.text() == "u")
	all := w.texts()
	for _, t := range w.texts() {
		all = append(all, "toast."+t)
	}
	if len(all) > 0 {
		o.Set("options", catalog.SetOf(all...))
		o.Carry("written options", catalog.List(all...))
	}
	o.SetIf("row security", w.bool())
	o.SetIf("row security forced", w.bool())
	switch w.text() {
	case "f":
		o.Set("replica identity", catalog.Scalar("full"))
	case "n":
		if kind == "r" || kind == "p" {
			o.Set("replica identity", catalog.Scalar("nothing"))
		}
	}
	if populated := w.bool(); kind == "m" && !populated {
		o.Carry("not populated", catalog.Scalar("yes"))
	}
	o.SetText("partition by", w.text())
	o.SetText("partition bound", w.text())
	if am := r.small[w.oid()]; am != "heap" {
		o.SetText("access method", am)
	}
	o.SetText("tablespace", r.small[w.oid()])
	r.owned(o, w.name(), w.texts())
	r.add(pgClass, oid, o)
	r.rowType(w.oid(), o)
	o.SetText("of type", w.text())
}

// rowType notes that a relation's rows are of a type.
func (r *reader) rowType(oid uint32, o *catalog.Object) {
	if oid != 0 {
		r.types[oid] = thing{o, nil}
		r.note(pgType, oid, thing{o, nil})
	}
}

func (r *reader) rowArray(w *row) {
	oid := w.oid()
	if rel := r.rels[w.oid()]; rel != nil {
		r.elements[oid] = true
		r.rowType(oid, rel.object)
	}
}

func (r *reader) typ(w *row) {
	oid, schema, name, typtype, array, relid := w.oid(), w.oid(), w.text(), w.name(), w.oid(), w.oid()
	r.elements[array] = true
	if !r.mine(pgType, oid, schema) {
		return
	}
	o := &catalog.Object{Schema: r.schemas[schema], Name: name, Space: "type"}
	notNull, hasDefault := w.bool(), !w.isNull()
	def, base, collation := w.text(), w.text(), w.text()
	switch typtype {
	case "e":
		o.Kind = catalog.Enum
	case "d":
		o.Kind = vocab.Domain
		o.Set("type", catalog.Scalar(base))
		o.SetText("collation", collation)
		o.SetIf("not null", notNull)
		if hasDefault {
			o.Set("default", sqlValue(def))
		}
	case "r":
		o.Kind = vocab.Range
	case "c":
		o.Kind, o.Space = vocab.Composite, "relation"
		r.relate(relid, o, "c")
		r.note(pgClass, relid, thing{o, nil})
	}
	if o.Kind == catalog.Enum {
		o.Set("values", catalog.List())
	}
	r.owned(o, w.name(), w.texts())
	r.add(pgType, oid, o)
	r.types[oid], r.types[array] = thing{o, nil}, thing{o, nil}
	r.note(pgType, array, thing{o, nil})
}

func (r *reader) enumValue(w *row) {
	typ, oid, label := w.oid(), w.oid(), w.text()
	r.enumLabels[oid] = label
	if o := r.types[typ].owner; o != nil && o.Kind == catalog.Enum {
		p := o.Property("values")
		p.Value.Items = append(p.Value.Items, label)
	}
}

func (r *reader) rangeType(w *row) {
	o := r.types[w.oid()].owner
	if o == nil || o.Kind != vocab.Range {
		return
	}
	o.Set("subtype", catalog.Scalar(w.text()))
	for _, fact := range []string{"subtype opclass", "collation", "canonical", "subtype diff", "multirange type"} {
		o.SetText(fact, w.text())
	}
	if f := w.oid(); f != 0 {
		r.shells[f] = o
	}
}

func (r *reader) sequence(w *row) {
	oid := w.oid()
	if r.rels[oid] == nil {
		return
	}
	o := r.rels[oid].object
	n := func() catalog.Value { return catalog.Scalar(strconv.FormatInt(w.int(), 10)) }
	o.Set("type", catalog.Scalar(w.name()))
	o.Set("start", n()).Set("increment", n()).Set("minimum", n()).Set("maximum", n()).Set("cache", n())
	o.SetIf("cycle", w.bool())
	table, num := r.rels[w.oid()], int(w.int())
	c := table.column(num)
	if c == nil || c.object == nil {
		return
	}
	if w.text() == "i" { // the sequence of an identity column is a fact of the column
		c.object.Set("identity sequence", catalog.List(vocab.SequenceOptions(o)...))
		c.object.Carry("identity sequence name", catalog.Scalar(vocab.Qualified(o)))
		c.object.Carry("identity sequence bare name", catalog.Scalar(o.Name))
		if own := o.Property("grants"); own != nil && !own.Value.Equal(vocab.Grants(catalog.Sequence, o.Text("owner"), nil)) {
			c.object.Optional("identity sequence grants", "grants", own.Value)
		}
		r.note(pgClass, oid, thing{table.object, c.object})
		o.Name = ""
		return
	}
	o.Set("owned by", catalog.Scalar(vocab.Qualified(table.object)+"."+vocab.Quote(c.name)))
}

func (r *reader) routine(w *row) {
	oid, schema, name := w.oid(), w.oid(), w.text()
	if !r.mine(pgProc, oid, schema) {
		return
	}
	args, kind, def, result, argnames, defaults := w.text(), w.text(), w.text(), w.text(), w.texts(), w.int()
	src, lang, owner, acl, types := w.text(), w.name(), w.name(), w.texts(), w.text()
	o := &catalog.Object{Kind: catalog.Routine, Schema: r.schemas[schema], Name: name + "(" + types + ")", Space: "routine", Properties: make([]catalog.Property, 0, 8)}
	o.SetIf("procedure", kind == "p")
	def = strings.TrimRight(def, " \n")
	v := sqlValue(def)
	if kind == "p" {
		v.Pieces[0].Canon = withoutIn(v.Pieces[0].Canon)
	}
	o.Set("definition", v)
	o.Carry("routine name", catalog.Scalar(name))
	o.Carry("arguments", catalog.Scalar(args))
	o.Carry("argument names", catalog.List(argnames...))
	o.Carry("argument defaults", catalog.Scalar(strconv.FormatInt(defaults, 10)))
	o.Carry("result", catalog.Scalar(result))
	r.owned(o, owner, acl)
	r.add(pgProc, oid, o)
	if src != "" && lang != "c" && lang != "internal" {
		r.bodies = append(r.bodies, body{thing{o, nil}, src})
	}
}
