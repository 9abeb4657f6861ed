package rewrite

import (
	"io"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
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
		if r.Removes = strings.EqualFold(word(0), "drop"); strings.EqualFold(word(0), "create") {
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
		{"what comes before what stays", "create table berth(id);\nCOMMENT ON berth 'x';\n", []string{"berth: CREATE TABLE berth (id); COMMENT ON berth 'x'"},
			[]string{"berth: CREATE TABLE berth (id); OWNER OF berth; COMMENT ON berth 'x'"}, "CREATE TABLE berth (id);\nOWNER OF berth;\nCOMMENT ON berth 'x';\n", nil},
		{"what takes it away first stays, with what is said of it", "DROP TABLE berth;\n-- x\ncreate table berth(id);\nDROP INDEX i ON berth;\nCREATE INDEX i ON berth (id);\n", []string{"berth: CREATE TABLE berth (id) | i: CREATE INDEX i ON berth (id)"},
			[]string{"berth: CREATE TABLE berth (n) | i: CREATE INDEX i ON berth (n)"}, "DROP TABLE berth;\n-- x\nCREATE TABLE berth (n);\nDROP INDEX i ON berth;\nCREATE INDEX i ON berth (n);\n", nil},
		{"what takes it away goes with it", "DROP TABLE berth;\ncreate table berth(id);\nCREATE TABLE vessel (id);\n", []string{"berth: CREATE TABLE berth (id)", "vessel: CREATE TABLE vessel (id)"}, []string{"vessel: CREATE TABLE vessel (id)"}, "CREATE TABLE vessel (id);\n", nil},
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
		in.Is, in.Desired = laidOut(t, c.is...)
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

// TestBatches: what stands in the place of a statement ends the batch before it and begins
// the one behind it, and no batch ends twice.
func TestBatches(t *testing.T) {
	g := grammar
	g.Dialect = sqltext.Dialect{Bracket: true, Batches: true, Command: ":"}
	g.Parse = func(f engine.TextFile) (out []texts.Parsed, err error) {
		text, err := io.ReadAll(f.Reader)
		for _, b := range sqltext.Split(g.Dialect, string(text)) {
			at := b.Pos
			for s := range strings.SplitAfterSeq(b.Text, ";") {
				if at += len(s) - len(strings.TrimLeft(s, "\r\n ")); strings.TrimSpace(s) == "" {
					continue
				}
				s = strings.TrimSpace(s)
				p := texts.Parsed{Reading: g.Read(s, g.Dialect)}
				p.Statement.SQL, p.Origin.File, p.Start, p.End, p.Delimiter = s, f.Name, int64(at), int64(at+len(s)), ";"
				out, at = append(out, p), at+len(s)
			}
		}
		return out, err
	}
	const one, two = "CREATE TABLE a (id);", "CREATE TABLE b (id);"
	for _, c := range []struct{ name, text, is, want string }{
		{"a batch of its own", "-- x\n" + one + "\nGO\n-- y\n" + two + "\nGO\n", "a: CREATE TABLE a (n); GO|b: CREATE TABLE b (id)", "-- x\nCREATE TABLE a (n);\nGO\n-- y\n" + two + "\nGO\n"},
		{"the first of a batch", one + "\n" + two + "\nGO\n", "a: CREATE TABLE a (n); GO|b: CREATE TABLE b (id)", "CREATE TABLE a (n);\nGO\n" + two + "\nGO\n"},
		{"the last of a batch", one + " " + two + "\nGO 1\n", "a: CREATE TABLE a (id)|b: CREATE TABLE b (n); GO", one + " \nGO\nCREATE TABLE b (n);\nGO 1\n"},
		{"both", one + two + "\nGO\n", "a: CREATE TABLE a (n); GO|b: CREATE TABLE b (n); GO", "CREATE TABLE a (n);\nGO\nCREATE TABLE b (n);\nGO\n"},
		{"the first goes", one + "\n" + two + "\nGO\n", "b: CREATE TABLE b (id)", two + "\nGO\n"},
		{"the last goes", one + "\n" + two + "\nGO\n", "a: CREATE TABLE a (id)", one + "\nGO\n"},
		{"a batch goes", one + "\nGO\n\n" + two + "\nGO\n", "a: CREATE TABLE a (id)", one + "\nGO\n\n"},
		{"no line ends it", one + "\n" + two, "a: CREATE TABLE a (id)|b: CREATE TABLE b (n); GO", one + "\nGO\nCREATE TABLE b (n);\nGO\n"},
		{"lines that end otherwise", one + "\r\nGO\r\n" + two + "\r\nGO\r\n", "a: CREATE TABLE a (n,\n 'x\ny'); GO|b: CREATE TABLE b (id)", "CREATE TABLE a (n,\r\n 'x\ny');\r\nGO\r\n" + two + "\r\nGO\r\n"},
		{"all go, and one comes", "-- x\n" + one + "\nGO\n-- y\n" + two, "c: CREATE TABLE c (id); GO", "-- x\n-- y\n\nCREATE TABLE c (id);\nGO\n"},
		{"one comes", one + "\nGO\n" + two, "a: CREATE TABLE a (id); GO|b: CREATE TABLE b (id); GO|c: CREATE TABLE c (id); GO", one + "\nGO\n" + two + "\nGO\n\nCREATE TABLE c (id);\nGO\n"},
	} {
		in := &Texts{Grammar: g, Sources: []Source{{"c.table.sql", []byte(c.text)}}}
		in.Was, in.Actual = laidOut(t, "a: "+one, "b: "+two)
		in.Is, in.Desired = laidOut(t, strings.Split(c.is, "|")...)
		for _, f := range in.Is { // as an engine whose statements are batches writes them
			for i := range f.Pieces {
				if n := len(f.Pieces[i].SQL); n > 1 {
					f.Pieces[i].SQL = []string{strings.Join(f.Pieces[i].SQL[:n-1], "") + "\nGO"}
				}
			}
		}
		got, err := Rewrite(t.Context(), in)
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
		} else if text := string(got.Files["c.table.sql"]); text != c.want {
			t.Errorf("%s:\n%q, want\n%q", c.name, text, c.want)
		}
	}
}
