package reader

import (
	"slices"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/vocab"
)

// world is a reader that knows a table, a view, an enum and a routine, whose
// oids begin at base: the same things have other oids in another database.
func world(base uint32) *reader {
	r := &reader{version: 150000, lazy: true, things: map[uint32]map[uint32]thing{}, rels: map[uint32]*relation{}, byObject: map[*catalog.Object]*relation{},
		types: map[uint32]thing{}, elements: map[uint32]bool{}, enumLabels: map[uint32]string{}, c: &catalog.Catalog{}}
	table := &catalog.Object{Kind: catalog.Table, Schema: "harbour", Name: "berth"}
	r.relate(base, table, "r")
	r.rels[base].columns = []column{{name: "id"}, {name: "depth"}}
	r.note(pgClass, base, thing{table, nil})
	enum := &catalog.Object{Kind: catalog.Enum, Schema: "harbour", Name: "state"}
	r.types[base+1], r.types[base+2] = thing{enum, nil}, thing{enum, nil}
	r.note(pgType, base+1, thing{enum, nil})
	r.note(pgType, base+2, thing{enum, nil})
	r.elements[base+2] = true
	r.enumLabels[base+3], r.enumLabels[base+4] = "announced", "left"
	r.note(pgProc, base+5, thing{&catalog.Object{Kind: catalog.Routine, Schema: "harbour", Name: "dues(integer)"}, nil})
	r.note(pgProc, base+6, thing{&catalog.Object{Kind: vocab.Extension, Name: "ltree"}, nil})
	return r
}

// bytesOf writes an oid as a tree writes a constant of it.
func bytesOf(oid uint32) string {
	return "4 [ " + num(oid&255) + " " + num(oid>>8&255) + " " + num(oid>>16&255) + " " + num(oid>>24) + " 0 0 0 0 ]"
}

func num(n uint32) string {
	if n >= 10 {
		return num(n/10) + string(rune('0'+n%10))
	}
	return string(rune('0' + n))
}

// TestTreeKeys: a key is the same for the same thing under other oids and at
// another place in its text, another for anything else, and none where an oid
// has no name.
func TestTreeKeys(t *testing.T) {
	const a, b = 20000, 31000
	x, y := world(a), world(b)
	for _, c := range []struct {
		name   string
		tree   func(base uint32) string
		keyed  bool
		differ string // a tree that must have another key
	}{
		{"an operator over a column", func(uint32) string {
			return "{OPEXPR :opno 521 :opfuncid 147 :args ({VAR :varno 1 :varattno 2 :vartype 23 :vartypmod -1 :location 82} {CONST :consttype 23 :constvalue 4 [ 3 0 0 0 0 0 0 0 ]}) :location 7}"
		}, true, "{OPEXPR :opno 521 :opfuncid 147 :args ({VAR :varno 1 :varattno 2 :vartype 23 :vartypmod -1 :location 82} {CONST :consttype 23 :constvalue 4 [ 4 0 0 0 0 0 0 0 ]}) :location 7}"},
		{"a value of an enum", func(base uint32) string {
			return "{CONST :consttype " + num(base+1) + " :constvalue " + bytesOf(base+4) + "}"
		}, true, "{CONST :consttype 20001 :constvalue " + bytesOf(a+3) + "}"},
		{"a call of a routine", func(base uint32) string {
			return "{FUNCEXPR :funcid " + num(base+5) + " :funcresulttype 23}"
		}, true, "{FUNCEXPR :funcid 147 :funcresulttype 23}"},
		{"a relation", func(base uint32) string {
			return "{RANGETBLENTRY :relid " + num(base) + " :relkind r}"
		}, true, "{RANGETBLENTRY :relid 0 :relkind r}"},
		{"an array of an enum, and the enum", func(base uint32) string { return "{VAR :vartype " + num(base+2) + "}" }, true, "{VAR :vartype 20001}"},
		{"a wide text is no oid", func(uint32) string { return "{VAR :vartype 1043 :vartypmod 20004}" }, true, "{VAR :vartype 1043 :vartypmod 20005}"},
		{"the name of a table as a constant", func(base uint32) string { return "{CONST :consttype 2205 :constvalue " + bytesOf(base) + "}" }, true, ""},
		{"a routine of an extension", func(base uint32) string { return "{FUNCEXPR :funcid " + num(base+6) + "}" }, false, ""},
		{"an oid nobody knows", func(base uint32) string { return "{FUNCEXPR :funcid " + num(base+99) + "}" }, false, ""},
		{"an oid in a field that is not known", func(base uint32) string { return "{NEW :novelty " + num(base) + "}" }, false, ""},
		{"an oid of the cluster's own", func(uint32) string { return "{OPEXPR :inputcollid 12345}" }, false, ""},
		{"the name of a routine as a constant", func(uint32) string { return "{CONST :consttype 24 :constvalue 4 [ 1 0 0 0 0 0 0 0 ]}" }, false, ""},
		{"a field of a composite", func(uint32) string { return "{FIELDSELECT :fieldnum 1}" }, false, ""},
		{"an open constant", func(uint32) string { return "{CONST :constvalue 4 [ 1 2" }, false, ""},
	} {
		key := func(r *reader, tree string) string {
			return r.treeKey(r.rels[uint32(0)], "check", [][]byte{[]byte(tree)})
		}
		one, two := key(x, c.tree(a)), key(y, c.tree(b))
		if (one != "") != c.keyed || one != two {
			t.Errorf("%s: keys %x and %x, want one: %v", c.name, one, two, c.keyed)
		}
		if c.differ != "" && key(x, c.differ) == one {
			t.Errorf("%s: the key of something else is the same", c.name)
		}
	}
	// What columns are called, and the major version, is part of it.
	tree := [][]byte{[]byte("{VAR :varattno 2}")}
	before := x.treeKey(x.rels[a], "check", tree)
	y.rels[b].columns[1].name, y.rels[b].layout = "draught", ""
	if y.treeKey(y.rels[b], "check", tree) == before {
		t.Error("another column under the same number has the same key")
	}
	x.version = 160000
	if x.treeKey(x.rels[a], "check", tree) == before {
		t.Error("another major version has the same key")
	}
	if x.treeKey(x.rels[a], "check no inherit", tree) == x.treeKey(x.rels[a], "check", tree) {
		t.Error("what is not in the tree is not in the key")
	}
}

// TestRow reads values as the server sends them.
func TestRow(t *testing.T) {
	array := func(items ...string) []byte {
		out := []byte{0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 25, 0, 0, 0, byte(len(items)), 0, 0, 0, 1}
		for _, s := range items {
			if s == "NULL" {
				out = append(out, 0xff, 0xff, 0xff, 0xff)
				continue
			}
			out = append(append(out, 0, 0, 0, byte(len(s))), s...)
		}
		return out
	}
	w := &row{names: map[string]string{}, vals: [][]byte{
		{0, 0, 0x40, 1}, {0xff, 0xff}, {0xff, 0xff, 0xff, 0xff}, {0, 0, 0, 0, 0, 0, 1, 0}, {1}, nil, []byte("berth"), array("a", "NULL", "c"), make([]byte, 12), nil, array("\x00\x02", "\x00\x03"), []byte("1 22 333"), nil,
	}}
	if oid := w.oid(); oid != 16385 {
		t.Errorf("oid %d", oid)
	}
	for _, want := range []int64{-1, -1, 256} {
		if n := w.int(); n != want {
			t.Errorf("int %d, want %d", n, want)
		}
	}
	if !w.bool() || !w.isNull() || w.text() != "" || w.name() != "berth" {
		t.Error("bool, NULL or text")
	}
	if l := w.texts(); !slices.Equal(l, []string{"a", "", "c"}) {
		t.Errorf("texts %q", l)
	}
	if l := w.texts(); l == nil || len(l) != 0 {
		t.Errorf("an empty array is %v", l)
	}
	if l := w.texts(); l != nil {
		t.Errorf("NULL is %v", l)
	}
	if l := w.numbers(); !slices.Equal(l, []int{2, 3}) {
		t.Errorf("numbers %v", l)
	}
	if l := w.vector(); !slices.Equal(l, []int{1, 22, 333}) {
		t.Errorf("vector %v", l)
	}
	if l := w.vector(); l != nil {
		t.Errorf("no vector is %v", l)
	}
}

// TestOwnDefinitions: keys and plain indexes are put together as the server
// prints them, and left to it where that is not sure.
func TestOwnDefinitions(t *testing.T) {
	r := world(20000)
	berth := r.rels[20000]
	berth.columns = []column{{name: "id", typ: typeKey{oid: 23}}, {name: "Depth", typ: typeKey{oid: 23}}, {name: "name", typ: typeKey{oid: varcharType}}, {name: "state", typ: typeKey{oid: 20001}}, {name: "note", typ: typeKey{oid: textType}, collated: true}}
	r.opclasses = map[uint32]opclass{1: {"pg_catalog.int4_ops", 23, true}, 2: {"pg_catalog.text_ops", textType, true}, 3: {"pg_catalog.text_pattern_ops", textType, false}, 4: {"pg_catalog.enum_ops", anyEnum, true}}
	for _, c := range []struct {
		name string
		k    *constraint
		want string
	}{
		{"a primary key", &constraint{kind: "p", table: berth, key: []int{1, 2}, index: &index{keys: 2, columns: []int{1, 2}}}, `PRIMARY KEY (id, "Depth")`},
		{"with columns along", &constraint{kind: "p", table: berth, key: []int{1}, index: &index{keys: 1, columns: []int{1, 3}}}, `PRIMARY KEY (id) INCLUDE (name)`},
		{"nulls alike", &constraint{kind: "u", table: berth, key: []int{3}, index: &index{keys: 1, columns: []int{3}, nullsNotDistinct: true}}, `UNIQUE NULLS NOT DISTINCT (name)`},
		{"over time", &constraint{kind: "p", table: berth, key: []int{1, 3}, period: true, index: &index{keys: 2, columns: []int{1, 3}}}, `PRIMARY KEY (id, name WITHOUT OVERLAPS)`},
		{"a foreign key", &constraint{kind: "f", table: berth, other: berth, key: []int{2}, far: []int{1}, update: "c", delete: "n", match: "f", set: []int{2}}, `FOREIGN KEY ("Depth") REFERENCES harbour.berth(id) MATCH FULL ON UPDATE CASCADE ON DELETE SET NULL ("Depth")`},
		{"to a table nobody read", &constraint{kind: "f", table: berth, key: []int{2}, far: []int{1}}, ""},
		{"to a column that is not there", &constraint{kind: "f", table: berth, other: berth, key: []int{2}, far: []int{9}}, ""},
		{"a check", &constraint{kind: "c", table: berth}, ""},
	} {
		if got := r.definition(c.k); got != c.want {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
	for _, c := range []struct {
		name string
		x    *index
		want string // "" where the server must say
	}{
		{"plain", &index{keys: 1, columns: []int{1}, classes: []int{1}, collations: []int{0}, options: []int{0}}, "USING btree (id)"},
		{"orders", &index{keys: 3, columns: []int{1, 2, 3}, classes: []int{1, 1, 2}, collations: []int{0, 0, 100}, options: []int{1, 2, 3}}, `USING btree (id DESC NULLS LAST, "Depth" NULLS FIRST, name DESC)`},
		{"with columns along", &index{keys: 1, columns: []int{1, 3}, classes: []int{1}, collations: []int{0}, options: []int{0}, nullsNotDistinct: true}, "USING btree (id) INCLUDE (name) NULLS NOT DISTINCT"},
		{"an enum", &index{keys: 1, columns: []int{4}, classes: []int{4}, collations: []int{0}, options: []int{0}}, "USING btree (state)"},
		{"another class", &index{keys: 1, columns: []int{3}, classes: []int{3}, collations: []int{100}, options: []int{0}}, ""},
		{"a collated column", &index{keys: 1, columns: []int{5}, classes: []int{2}, collations: []int{950}, options: []int{0}}, ""},
		{"an expression", &index{keys: 1, columns: []int{0}, classes: []int{1}, collations: []int{0}, options: []int{0}, exprs: []byte("(…)")}, ""},
		{"with parameters", &index{keys: 1, columns: []int{1}, classes: []int{1}, collations: []int{0}, options: []int{0}, parameters: []string{"fillfactor=70"}}, ""},
	} {
		c.x.method, c.x.table = "btree", berth
		if got, ok := r.plainIndex(c.x); got != c.want && ok || ok != (c.want != "") {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

func TestSecretsStayOut(t *testing.T) {
	got := options([]string{"host=far.example", "password=sesame", "sslpassword=x", "user=guest", "api_token=t", "PassFile=f"})
	if !slices.Equal(got, []string{"host=far.example", "user=guest"}) {
		t.Errorf("options %v", got)
	}
}
