package rewrite

import (
	"maps"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/texts"
	"dappermirror/internal/place/layout"
)

// grammar knows CREATE TABLE, VIEW and INDEX … ON, and SET.
var grammar = texts.Grammar{
	IsRows: func(w string) bool { return w == "insert" },
	Set:    func(_, v string) string { return v },
	Client: func(string) texts.Reading { return texts.Reading{} },
	Read: func(sql string, d sqltext.Dialect) texts.Reading {
		toks := sqltext.Significant(d, sql)
		word := func(i int) string {
			if i < len(toks) {
				return toks[i].Text
			}
			return ""
		}
		switch {
		case strings.EqualFold(word(0), "set"):
			return texts.Reading{Action: texts.Set, Sets: []texts.Setting{{Name: word(1), Value: sql}}}
		case strings.EqualFold(word(0), "insert"):
			return texts.Reading{}
		}
		r := texts.Reading{Action: texts.Main}
		made := &texts.Made{Name: word(2)}
		if strings.EqualFold(word(1), "index") {
			made = &texts.Made{Name: word(4), Part: word(2), PartKinds: []catalog.Kind{catalog.Index}}
		}
		if strings.EqualFold(word(0), "create") {
			r.Makes = made
		} else {
			r.Alters = made
		}
		return r
	},
}

// laidOut makes files of "NAME: statement; statement | index INAME: statement".
func laidOut(t *testing.T, lines ...string) ([]layout.File, *catalog.Catalog) {
	t.Helper()
	c := &catalog.Catalog{}
	var out []layout.File
	for _, l := range lines {
		name, rest, _ := strings.Cut(l, ": ")
		o := &catalog.Object{Kind: catalog.Table, Name: name}
		c.Add(o)
		f := layout.File{Name: name + ".table.sql", Of: o.Ref()}
		for i, piece := range strings.Split(rest, " | ") {
			about := o.Ref()
			if i > 0 {
				index, sql, _ := strings.Cut(piece, ": ")
				about.PartKind, about.Part, piece = catalog.Index, index, sql
				o.Parts = append(o.Parts, &catalog.Object{Kind: catalog.Index, Name: index})
			}
			var sql []string
			for s := range strings.SplitSeq(piece, "; ") {
				sql = append(sql, strings.TrimSuffix(s, ";")+";")
			}
			f.Pieces = append(f.Pieces, layout.Piece{About: about, SQL: sql})
		}
		out = append(out, f)
	}
	return out, c
}

func TestRewrite(t *testing.T) {
	const was = "berth: CREATE TABLE berth (id); COMMENT ON berth 'x' | i: CREATE INDEX i ON berth (id)"
	for _, c := range []struct {
		name    string
		text    string
		was, is []string
		want    string
		others  map[string]string // other files, "" for one that goes
	}{
		{"nothing changes", "-- a\nCREATE   TABLE berth (id);\n", []string{"berth: CREATE TABLE berth (id)"}, []string{"berth: CREATE TABLE berth (id)"}, "", nil},
		{"a statement as we write it", "-- a\nCREATE TABLE berth (id);\n-- b\nCOMMENT ON berth 'x';\n\nCREATE INDEX i ON berth (id);\n", []string{was},
			[]string{"berth: CREATE TABLE berth (id, name); COMMENT ON berth 'x' | i: CREATE INDEX i ON berth (id)"},
			"-- a\nCREATE TABLE berth (id, name);\n-- b\nCOMMENT ON berth 'x';\n\nCREATE INDEX i ON berth (id);\n", nil},
		{"one as somebody else does", "create table berth(\n  id  -- the number\n);\nCOMMENT ON berth 'x'; CREATE INDEX i ON berth (id); -- last\n", []string{was},
			[]string{"berth: CREATE TABLE berth (id); COMMENT ON berth 'y' | i: CREATE INDEX i ON berth (id)"},
			"CREATE TABLE berth (id);\nCOMMENT ON berth 'y';\n CREATE INDEX i ON berth (id); -- last\n", nil},
		{"a part changes", "create table berth(id);\ncomment on berth 'x';\nCREATE INDEX i ON berth (id);\n", []string{was},
			[]string{"berth: CREATE TABLE berth (id); COMMENT ON berth 'x' | i: CREATE INDEX i ON berth (id, name)"},
			"create table berth(id);\ncomment on berth 'x';\nCREATE INDEX i ON berth (id, name);\n", nil},
		{"a part comes", "create table berth(id);\n\nCREATE TABLE vessel (id);\n", []string{"berth: CREATE TABLE berth (id)", "vessel: CREATE TABLE vessel (id)"},
			[]string{"berth: CREATE TABLE berth (id) | j: CREATE INDEX j ON berth (x)", "vessel: CREATE TABLE vessel (id)"},
			"create table berth(id);\n\nCREATE INDEX j ON berth (x);\n\nCREATE TABLE vessel (id);\n", nil},
		{"a part goes", "create table berth(id);\ncomment on berth 'x';\n\n-- quick\nCREATE INDEX i ON berth (id);\n\nINSERT INTO berth VALUES (1);\n", []string{was},
			[]string{"berth: CREATE TABLE berth (id); COMMENT ON berth 'x'"},
			"create table berth(id);\ncomment on berth 'x';\n\n-- quick\n\nINSERT INTO berth VALUES (1);\n", nil},
		{"a part that stands within the table", "create table berth(id, index i);\nCOMMENT ON berth 'x';\n", []string{was},
			[]string{"berth: CREATE TABLE berth (id); COMMENT ON berth 'x' | i: CREATE INDEX i ON berth (z)"},
			"CREATE TABLE berth (id);\nCOMMENT ON berth 'x';\n\nCREATE INDEX i ON berth (z);\n", nil},
		{"an object goes, and its file", "CREATE TABLE berth (id);\n", []string{"berth: CREATE TABLE berth (id)"}, nil, "", map[string]string{"one.sql": ""}},
		{"an object goes from among others", "CREATE TABLE berth (id);\n\nCREATE TABLE vessel (id);\n", []string{"berth: CREATE TABLE berth (id)", "vessel: CREATE TABLE vessel (id)"}, []string{"vessel: CREATE TABLE vessel (id)"},
			"CREATE TABLE vessel (id);\n", nil},
		{"an object comes", "CREATE TABLE berth (id);\n", []string{"berth: CREATE TABLE berth (id)"}, []string{"berth: CREATE TABLE berth (id)", "pilot: CREATE TABLE pilot (id)"}, "",
			map[string]string{"pilot.table.sql": "CREATE TABLE pilot (id);\n"}},
		{"no line ends the file", "CREATE TABLE berth (id)", []string{"berth: CREATE TABLE berth (id)"}, []string{"berth: CREATE TABLE berth (x)"}, "CREATE TABLE berth (x);\n", nil},
		{"it needs a setting", "CREATE TABLE berth (id);\nCREATE TABLE vessel (id);\n", []string{"berth: CREATE TABLE berth (id)", "vessel: CREATE TABLE vessel (id)"},
			[]string{"berth: SET m = 1; CREATE TABLE berth (x)", "vessel: CREATE TABLE vessel (id)"}, "SET m = 1;\nCREATE TABLE berth (x);\nCREATE TABLE vessel (id);\n", nil},
		{"nothing that we know makes it", "EXECUTE magic();\n", []string{"berth: CREATE TABLE berth (id)"}, []string{"berth: CREATE TABLE berth (x)"}, "",
			map[string]string{"berth.table.sql": "CREATE TABLE berth (x);\n"}},
	} {
		in := &Texts{Grammar: grammar, Sources: []Source{{"one.sql", []byte(c.text)}}}
		in.Was, in.Actual = laidOut(t, c.was...)
		in.Is, _ = laidOut(t, c.is...)
		got, err := Rewrite(t.Context(), in)
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		if text := string(got.Files["one.sql"]); text != c.want {
			t.Errorf("%s:\n%q, want\n%q", c.name, text, c.want)
		}
		for name, text := range c.others {
			if text == "" && (len(got.Gone) != 1 || got.Gone[0] != name) || string(got.Files[name]) != text {
				t.Errorf("%s: %s is %q, gone are %v", c.name, name, got.Files[name], got.Gone)
			}
		}
		if n := len(got.Files) + len(got.Gone); n > 1+len(c.others) {
			t.Errorf("%s: %d files change", c.name, n)
		}
	}
	in := &Texts{Grammar: grammar, Sources: []Source{{"one.sql", []byte("CREATE TABLE 'x")}}}
	if _, err := Rewrite(t.Context(), in); err == nil || !strings.HasPrefix(err.Error(), "one.sql:1:14: ") {
		t.Errorf("a broken text: %v", err)
	}
}

// TestWhole: files of objects are replaced as a whole, and nothing that somebody wrote
// besides is lost.
func TestWhole(t *testing.T) {
	file := func(name, sql string) layout.File {
		of := catalog.Ref{Kind: catalog.Table, Name: name}
		return layout.File{Name: name + ".table.sql", Of: of, Pieces: []layout.Piece{{About: of, SQL: []string{sql}}}}
	}
	text := func(files ...layout.File) (out []Source) {
		for _, f := range files {
			out = append(out, Source{f.Name, f.Text(texts.Grammar{Read: nothing})})
		}
		return out
	}
	a, b, longer := file("a", "CREATE TABLE a (id int);"), file("b", "CREATE TABLE b (id int);"), file("a", "CREATE TABLE a (id int, n int);")
	notes := []Source{{"a.table.sql", append([]byte("-- Ask Mara.\n"), text(a)[0].Text...)}}
	for _, c := range []struct {
		name        string
		sources     []Source
		was, is     []layout.File
		files, gone []string
		says        string
	}{
		{"nothing", text(a), []layout.File{a}, []layout.File{a}, nil, nil, ""},
		{"one changes", text(a, b), []layout.File{a, b}, []layout.File{longer, b}, []string{"a.table.sql"}, nil, ""},
		{"one comes", text(a), []layout.File{a}, []layout.File{a, b}, []string{"b.table.sql"}, nil, ""},
		{"one goes", text(a, b), []layout.File{a, b}, []layout.File{b}, nil, []string{"a.table.sql"}, ""},
		{"all are new", nil, nil, []layout.File{a, b}, []string{"a.table.sql", "b.table.sql"}, nil, ""},
		{"a comment in one that stays", notes, []layout.File{a}, []layout.File{a, b}, []string{"b.table.sql"}, nil, ""},
		{"a comment in one that changes", notes, []layout.File{a}, []layout.File{longer}, nil, nil, "a.table.sql holds more"},
		{"a comment in one that goes", notes, []layout.File{a}, nil, nil, nil, "a.table.sql holds more"},
		{"another file", []Source{{"all.sql", []byte("CREATE TABLE a (id int);")}}, []layout.File{a}, []layout.File{longer}, nil, nil, "no file of its own"},
		{"something in the way", append(text(a), Source{"b.table.sql", []byte("-- later")}), []layout.File{a}, []layout.File{a, b}, nil, nil, "holds something else"},
	} {
		got, err := Whole(&Texts{Grammar: texts.Grammar{Read: nothing}, Sources: c.sources, Was: c.was, Is: c.is})
		if c.says != "" {
			if err == nil || !strings.Contains(err.Error(), c.says) {
				t.Errorf("%s: %v", c.name, err)
			}
			continue
		}
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		if files := slices.Sorted(maps.Keys(got.Files)); !slices.Equal(files, c.files) || !slices.Equal(got.Gone, c.gone) {
			t.Errorf("%s: files %v, gone %v", c.name, files, got.Gone)
		}
	}
}

func nothing(string, sqltext.Dialect) texts.Reading { return texts.Reading{} }
