package catalog

import (
	"strings"
	"testing"
)

func TestValues(t *testing.T) {
	ref := Ref{Kind: Table, Name: "berth"}
	named := SQL(Piece{Text: "SELECT  * FROM ", Canon: "select * from "}, Piece{Text: `"Berth"`, Canon: "berth", Ref: &ref})
	for _, c := range []struct {
		name string
		a, b Value
		want bool
	}{
		{"scalars", Scalar("a"), Scalar("a"), true},
		{"scalars in another case", Scalar("a"), Scalar("A"), false},
		{"lists", List("a", "b"), List("a", "b"), true},
		{"a list's order counts", List("a", "b"), List("b", "a"), false},
		{"a set's order does not", SetOf("a", "b"), SetOf("b", "a"), true},
		{"a list is no set", List("a", "b"), SetOf("a", "b"), false},
		{"lists that join alike", List("a,b"), List("a", "b"), false},
		{"spellings", named, PlainSQL("select * from berth"), true},
		{"equal keys prove equality", Value{Key: "k", Unread: true}, Value{Key: "k", Text: "x"}, true},
		{"other keys prove nothing", Value{Key: "k", Text: "x"}, Value{Key: "l", Text: "x"}, true},
	} {
		if got := c.a.Equal(c.b); got != c.want || c.b.Equal(c.a) != c.want {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}
	if !(Value{Key: "a", Unread: true}).Undecided(Value{Key: "b"}) || (Value{Key: "a", Unread: true}).Undecided(Value{Key: "a"}) {
		t.Error("undecided is wrong")
	}
	to := Ref{Kind: Table, Name: "quay"}
	renamed := named.Spelled(func(p Piece) Piece { return Piece{Text: "quay", Canon: "quay", Ref: &to} })
	if renamed.String() != "SELECT  * FROM quay" || renamed.Canonical() != "select * from quay" || renamed.Refs()[0] != to {
		t.Errorf("spelled anew: %q %q %v", renamed.String(), renamed.Canonical(), renamed.Refs())
	}
	list := Value{Form: FormSet, Items: []string{"a desc", "b"}, Marks: [][]Piece{{{Text: "A", Canon: "a", Ref: &ref}, {Text: " DESC", Canon: " desc"}}, {{Text: "b", Canon: "b"}}}}
	turned := list.Spelled(func(p Piece) Piece { return Piece{Text: "C", Canon: "c", Ref: &to} })
	if strings.Join(turned.Items, ",") != "b,c desc" || strings.Join(turned.Written(), ",") != "C DESC,b" || list.Items[0] != "a desc" {
		t.Errorf("a list spelled anew: %v %v", turned.Items, turned.Written())
	}
	if named.String() != `SELECT  * FROM "Berth"` {
		t.Error("rewriting changed the original")
	}
}

func TestWords(t *testing.T) {
	for k, want := range map[Kind]string{Table: "tables", Index: "indexes", PrimaryKey: "primary keys", "policy": "policies", Unique: "uniques", "materialized-view": "materialized views", Schema: "schemas"} {
		if got := k.Plural(); got != want {
			t.Errorf("%s: %q, want %q", k, got, want)
		}
	}
	c := &Catalog{}
	for _, o := range []*Object{{Kind: View, Name: "v"}, {Kind: Table, Name: "t"}, {Kind: Schema, Name: "s", Group: "owners"}} {
		o.Add(&Object{Kind: Column, Name: "c"})
		c.Add(o)
	}
	c.Kinds = NewKinds([]Kind{Table, View}, []KindInfo{{Kind: Index, Notable: true}})
	got := c.Count()
	if len(got) != 2 || got[0].Kind != Table || got[1].Kind != View {
		t.Errorf("counts: %v", got)
	}
	if FoldASCII("ÄbC") != "Äbc" || FoldASCII("abc") != "abc" {
		t.Error("only ASCII letters fold")
	}
}
