package scope

import (
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/fuzzing"
)

func table(schema, name string) catalog.Ref {
	return catalog.Ref{Kind: catalog.Table, Schema: schema, Name: name}
}

func part(r catalog.Ref, kind catalog.Kind, name string) catalog.Ref {
	r.PartKind, r.Part = kind, name
	return r
}

func TestMatch(t *testing.T) {
	berth := table("harbour", "berth")
	lite := table("", "berth")
	depth := part(berth, catalog.Column, "depth")
	odd := table("", `odd.name:"x"`)
	dues := catalog.Ref{Kind: catalog.Routine, Schema: "harbour", Name: "dues(integer, numeric)"}
	id := func(s string) string { return s }
	for _, c := range []struct {
		pattern string
		ref     catalog.Ref
		fold    func(string) string
		want    bool
	}{
		{"berth", berth, id, true},
		{"table:harbour.berth ", berth, id, true},
		{"berth", lite, id, true},
		{"BERTH", lite, id, false},
		{"BERTH", lite, catalog.FoldASCII, true},
		{"b*", berth, id, true},
		{"b?rth", berth, id, true},
		{"b?th", berth, id, false},
		{"table:berth", berth, id, true},
		{"view:berth", berth, id, false},
		{"ta*:berth", berth, id, true},
		{"table:harbour.b*", berth, id, true},
		{"table:other.b*", berth, id, false},
		{"harbour.berth", berth, id, true},
		{"berth.depth", depth, id, true},
		{"column:berth.depth", depth, id, true},
		{"column:harbour.berth.depth", depth, id, true},
		{"column:depth", depth, id, true},
		{"index:depth", depth, id, false},
		{"depth", depth, id, true},
		{"table:berth", depth, id, true}, // a part comes with its object
		{"*", depth, id, true},
		{"*", berth, id, true},
		{"column:*", depth, id, true},
		{"column:*", berth, id, false},
		{`table:"odd.name:""x"""`, odd, id, true},
		{`"odd.name:""x"""`, odd, id, true},
		{`"o*"`, odd, id, false}, // quoted is literal
		{"a.b.c", berth, id, false},
		{"routine:dues", dues, id, true},
		{"routine:harbour.dues", dues, id, true},
		{"routine:du*", dues, id, true},
		{"routine:due", dues, id, false},
		{`routine:"dues(integer, numeric)"`, dues, id, true},
	} {
		ps, err := Parse(c.pattern)
		if err != nil || len(ps) != 1 {
			t.Errorf("%s: %v %v", c.pattern, ps, err)
			continue
		}
		if got := ps[0].Match(c.ref, func(name string, _ bool) string { return c.fold(name) }); got != c.want {
			t.Errorf("%s on %s: %v, want %v", c.pattern, c.ref, got, c.want)
		}
		if ps[0].String() != strings.TrimSpace(c.pattern) {
			t.Errorf("%s is printed %s", c.pattern, ps[0])
		}
	}
}

func TestParse(t *testing.T) {
	for _, c := range []struct {
		in   string
		n    int
		want string // part of the error
	}{
		{"a,b , table:c", 3, ""},
		{`"a,b"`, 1, ""},
		{"a.b.c.d", 0, "more than three"},
		{"a..b", 0, "empty name"},
		{"", 0, "empty name"},
		{`"open`, 0, "not closed"},
		{"a,", 0, "empty name"},
	} {
		ps, err := Parse(c.in)
		if c.want == "" && (err != nil || len(ps) != c.n) {
			t.Errorf("%q: %d patterns, %v", c.in, len(ps), err)
		}
		if c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%q: error %v, want %q", c.in, err, c.want)
		}
	}
}

// A reference printed as a pattern matches that reference, however odd its
// names are.
func TestRefIsItsPattern(t *testing.T) {
	for _, name := range []string{"plain", "a.b", "a:b", `q"q`, "x*", "y?", "two words", "new\nline", "", "a,b", "it's", "[x]"} {
		for _, r := range []catalog.Ref{table("", name), table("s.s", name), part(table("h", "t"), catalog.Column, name), part(table("", name), catalog.Check, "(a > 1)")} {
			ps, err := Parse(r.String())
			if err != nil || len(ps) != 1 || !ps[0].MatchSelf(r, func(s string, _ bool) string { return s }) {
				t.Errorf("%q does not match itself: %v %v", r.String(), ps, err)
			}
		}
	}
}

func TestScope(t *testing.T) {
	o := &catalog.Object{Kind: catalog.Table, Name: "berth"}
	depth := &catalog.Object{Kind: catalog.Column, Name: "depth"}
	ix := &catalog.Object{Kind: catalog.Index, Name: "ix"}
	o.Add(depth)
	o.Add(ix)
	id := func(s string, _ bool) string { return s }
	for _, c := range []struct {
		only, except string
		object       Extent
		depth, ix    bool
	}{
		{"", "", Entire, true, true},
		{"table:berth", "", Entire, true, true},
		{"table:berth", "index:*", Entire, true, false},
		{"column:berth.depth", "", Some, true, false},
		{"view:*", "", Out, false, false},
		{"", "table:b*", Out, false, false},
		{"", "column:depth", Entire, false, true},
	} {
		var s Scope
		if c.only != "" {
			s.Only, _ = Parse(c.only)
		}
		if c.except != "" {
			s.Except, _ = Parse(c.except)
		}
		if s.Empty() != (c.only == "" && c.except == "") {
			t.Errorf("%q %q: empty is %v", c.only, c.except, s.Empty())
		}
		if got := s.Object(o, id); got != c.object {
			t.Errorf("%q %q: object %v, want %v", c.only, c.except, got, c.object)
		}
		if c.object != Out && (s.Part(o, depth, id) != c.depth || s.Part(o, ix, id) != c.ix) {
			t.Errorf("%q %q: parts %v %v", c.only, c.except, s.Part(o, depth, id), s.Part(o, ix, id))
		}
	}
}

// FuzzParse: a pattern is what it says it is, and matching comes to an end.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"table:a.b", `"a,b"."c"`, "*:*.*.*", "a,,b", `"`, ":", "\r", "table:a , view:b ", `"a" `, "a*********************b", "ü:?"} {
		f.Add(s, "aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa")
	}
	f.Fuzz(func(t *testing.T, text, name string) {
		defer fuzzing.Bound()()
		lower := func(s string, _ bool) string { return strings.ToLower(s) }
		list, err := Parse(text)
		if err != nil {
			return
		}
		for _, p := range list {
			again, err := Parse(p.String())
			if err != nil || len(again) != 1 || again[0].String() != p.String() {
				t.Fatalf("%q is read as %q, and that as %v: %v", text, p, again, err)
			}
			for _, r := range []catalog.Ref{table("", name), table(name, name), part(table("s", "t"), catalog.Column, name)} {
				if p.Match(r, lower) != again[0].Match(r, lower) {
					t.Fatalf("%q and %q match %v differently", p, again[0], r)
				}
			}
		}
	})
}
