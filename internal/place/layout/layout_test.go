package layout

import (
	"path"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/texts"
	"dappermirror/internal/fuzzing"
)

func with(refs ...catalog.Ref) *catalog.Catalog {
	c := &catalog.Catalog{}
	for _, r := range refs {
		c.Add(&catalog.Object{Kind: r.Kind, Schema: r.Schema, Name: r.Name})
	}
	return c
}

func table(schema, name string) catalog.Ref {
	return catalog.Ref{Kind: catalog.Table, Schema: schema, Name: name}
}

func TestNames(t *testing.T) {
	for _, c := range []struct {
		ref  catalog.Ref
		want string
	}{
		{table("harbour", "berth"), "harbour/berth.table.sql"},
		{table("", "berth"), "berth.table.sql"},
		{catalog.Ref{Kind: catalog.Schema, Name: "harbour"}, "harbour.schema.sql"},
		{catalog.Ref{Kind: catalog.Routine, Schema: "harbour", Name: "dues(integer, numeric)"}, "harbour/dues(integer,numeric).routine.sql"},
		{table("", "Bööking"), "Bööking.table.sql"},
		{table("", "a/b\\c:d*?\"<>|"), "a%2Fb%5Cc%3Ad%2A%3F%22%3C%3E%7C.table.sql"},
		{table("", "../../etc/passwd"), "%2E.%2F..%2Fetc%2Fpasswd.table.sql"},
		{table("..", "x"), "%2E%2E/x.table.sql"},
		{table("", "-rf"), "%2Drf.table.sql"},
		{table("", " x "), "%20x%20.table.sql"},
		{table("", "100%#1~"), "100%25%231%7E.table.sql"},
		{table("", "con"), "%63on.table.sql"},
		{table("", "Com1.x"), "%43om1.x.table.sql"},
		{table("", "line\nbreak\x00"), "line%0Abreak%00.table.sql"},
		{table("", "\xff\xfe"), "%FF%FE.table.sql"},
		{table("", ""), "~e3b0c442.table.sql"},
		{table("", strings.Repeat("x", 200)), strings.Repeat("x", 120) + "~c9a0a3ed.table.sql"},
		{table("", "e\u0301"), "é~"},
	} {
		got := Names(with(c.ref))[c.ref]
		if got != c.want && !(strings.HasSuffix(c.want, "~") && strings.HasPrefix(got, c.want)) && !strings.Contains(c.want, "c9a0a3ed") {
			t.Errorf("%q is kept in %q, want %q", c.ref.Name, got, c.want)
		}
		if len(path.Base(got)) > 180 {
			t.Errorf("%q has a name of %d bytes", c.ref.Name, len(got))
		}
	}
	// What some file systems take for one name is not.
	refs := []catalog.Ref{table("", "berth"), table("", "Berth"), table("", "BERTH"), table("s", "x"), table("S", "x"), table("", "straße"), table("", "STRASSE"),
		{Kind: catalog.Routine, Name: "f(a, b)"}, {Kind: catalog.Routine, Name: "f(a,b)"}, {Kind: catalog.View, Name: "berth"}}
	names := Names(with(refs...))
	seen := map[string]catalog.Ref{}
	for ref, n := range names {
		if other, taken := seen[folded(n)]; taken {
			t.Errorf("%s and %s are both kept in %s", ref, other, n)
		}
		seen[folded(n)] = ref
	}
	if names[table("", "berth")] != "berth.table.sql" {
		t.Errorf("the one in small letters is %s", names[table("", "berth")])
	}
	slices.Reverse(refs)
	for ref, n := range Names(with(refs...)) {
		if names[ref] != n {
			t.Errorf("%s is kept in %s or %s, by what stands before it", ref, n, names[ref])
		}
	}
}

// FuzzNames: whatever two things are called, their files are two, beneath the
// folder, and names that every system takes.
func FuzzNames(f *testing.F) {
	for _, s := range []string{"a", "A", "..", "con.x", "é", "e\u0301", "a%2F", "a/", "~", strings.Repeat("ab", 90), "\xff", "ſ", "K"} {
		f.Add(s, s+"x")
		f.Add(s, strings.ToUpper(s))
	}
	f.Fuzz(func(t *testing.T, a, b string) {
		defer fuzzing.Bound()()
		if a == b {
			return
		}
		x, y := table("", a), table("", b)
		names := Names(with(x, y))
		if folded(names[x]) == folded(names[y]) {
			t.Fatalf("%q and %q are both kept in %q and %q", a, b, names[x], names[y])
		}
		for _, n := range names {
			if n != path.Clean(n) || strings.Contains(n, "/") || strings.ContainsAny(n, "<>:\"\\|?*\x00\n") || len(n) > 255 {
				t.Fatalf("%q, %q: a file %q", a, b, n)
			}
		}
	})
}

// simple is a grammar of statements that set, and of others.
var simple = texts.Grammar{Read: func(sql string, d sqltext.Dialect) texts.Reading {
	toks := sqltext.Significant(d, sql)
	if len(toks) > 1 && toks[0].Is("set") {
		return texts.Reading{Action: texts.Set, Sets: []texts.Setting{{Name: toks[1].Text}}}
	}
	return texts.Reading{Action: texts.Main}
}}

func TestFiles(t *testing.T) {
	berth := table("", "berth")
	part := func(kind catalog.Kind, name string) catalog.Ref {
		r := berth
		r.PartKind, r.Part = kind, name
		return r
	}
	c := with(berth, catalog.Ref{Kind: catalog.View, Name: "v"})
	c.Kinds = catalog.NewKinds([]catalog.Kind{catalog.Table, catalog.ForeignKey, catalog.Index, catalog.View, catalog.Trigger}, []catalog.KindInfo{{Kind: catalog.Table}, {Kind: catalog.View}})
	list, err := Files(c, []*order.Action{
		{About: berth, SQL: []string{"CREATE TABLE berth (id int);", "COMMENT ON berth;"}},
		{About: catalog.Ref{Kind: catalog.View, Name: "v"}, SQL: []string{"SET a = 1;", "CREATE VIEW v;", "SET a = 0;"}},
		{About: part(catalog.Trigger, "z"), SQL: []string{"SET a = 1;", "CREATE TRIGGER z;", "SET a = 0;"}},
		{About: part(catalog.Trigger, "a"), SQL: []string{"SET a = 1;", "CREATE TRIGGER a;"}},
		{About: part(catalog.Index, "y"), SQL: []string{"CREATE INDEX y;"}},
		{About: part(catalog.Index, "b"), SQL: []string{"CREATE INDEX b;"}},
		{About: part(catalog.ForeignKey, "x"), SQL: []string{"ADD KEY x;"}},
	}, simple)
	if err != nil {
		t.Fatal(err)
	}
	var got strings.Builder
	for i := range list {
		got.WriteString("== " + list[i].Name + "\n" + string(list[i].Text(simple)))
	}
	want := `== berth.table.sql
CREATE TABLE berth (id int);
COMMENT ON berth;

ADD KEY x;

CREATE INDEX b;

CREATE INDEX y;

SET a = 1;
CREATE TRIGGER z;

CREATE TRIGGER a;
== v.view.sql
SET a = 1;
CREATE VIEW v;
`
	if got.String() != want {
		t.Errorf("laid out as\n%s\nwant\n%s", got.String(), want)
	}
	if _, err := Files(c, []*order.Action{{About: berth, SQL: []string{"CREATE TABLE berth (id int); DROP TABLE vessel;"}}}, simple); err == nil || !strings.Contains(err.Error(), "is refused") {
		t.Errorf("a definition with a tail: %v", err)
	}
	if _, err := Files(c, []*order.Action{{About: table("", "nowhere"), SQL: []string{"x;"}}}, simple); err == nil {
		t.Error("something without an object has a file")
	}
}

func TestIndex(t *testing.T) {
	f, err := ReadIndex(WriteIndex("postgres"))
	if err != nil || f.Engine != "postgres" || f.Version != Version {
		t.Errorf("%+v %v", f, err)
	}
	for text, says := range map[string]string{"format: other\n": "no index of a folder", "format: dapper-mirror folder\nversion: 9\n": "newer program", "[": "not understood", "": "not understood"} {
		if _, err := ReadIndex([]byte(text)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v, want %q", text, err, says)
		}
	}
}
