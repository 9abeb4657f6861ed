package texts

import (
	"errors"
	"io"
	"strings"
	"testing"

	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/fuzzing"
)

// dialects as the engines have them; the engines themselves use this package.
var dialects = map[string]sqltext.Dialect{
	"sqlite":   {Backtick: true, Bracket: true, LineEnders: true, Command: ".", OpenComment: true, TriggerEnds: true},
	"postgres": {EString: true, Dollar: true, Nested: true, Backslashes: true, Variables: true, Command: `\`},
	"mysql":    {Backtick: true, DoubleIsString: true, Backslash: true, Hash: true, DashSpace: true, Delimiter: true, Backslashes: true},
}

func scan(name, text string, rows string) ([]Statement, error) {
	s := NewScanner("x.sql", strings.NewReader(text), dialects[name], func(w string) bool { return w == rows && rows != "" })
	var out []Statement
	for {
		st, err := s.Next()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return out, err
		}
		out = append(out, st)
	}
}

func TestScan(t *testing.T) {
	long := strings.Repeat("it''s; ", 20000)
	for _, c := range []struct {
		dialect, text string
		want          []string // line:column and beginning
		err           string
	}{
		{"sqlite", "\ufeff-- a berth\nCREATE TABLE a (x /* ; */);;\n  CREATE TRIGGER t AFTER INSERT ON a BEGIN SELECT CASE 1 WHEN 1 THEN 2 END; SELECT ';'; END;\n.mode list\nSELECT [a;b]",
			[]string{"2:1 CREATE TABLE a", "3:3 CREATE TRIGGER", "4:1 .mode list", "5:1 SELECT [a;b]"}, ""},
		{"sqlite", "INSERT INTO a VALUES ('" + long + "');\nSELECT 1; /* open", []string{"1:1 INSERT INTO a", "2:1 SELECT 1;"}, ""},
		{"sqlite", "SELECT 1;\nSELECT 'open", []string{"1:1 SELECT 1;"}, "x.sql:2:8: a quote opens"},
		{"postgres", "CREATE FUNCTION f() RETURNS int LANGUAGE sql BEGIN ATOMIC SELECT CASE WHEN true THEN 1 END; SELECT 2; END;\nSELECT $$a;b$$, $x$ $$;$y$ $x$, E'\\';', 'a\\';\n\\restrict abc\nCREATE RULE r AS ON INSERT TO v DO ALSO (SELECT 1; SELECT 2);",
			[]string{"1:1 CREATE FUNCTION", "2:1 SELECT $$a;b$$", "3:1 \\restrict abc", "4:1 CREATE RULE"}, ""},
		{"postgres", "COPY public.berth (id, name) FROM stdin;\n1\tit's; \\\\.\n2\t" + long + "\n\\.\n\n\nSELECT 1;", []string{"1:1 COPY public.berth", "7:1 SELECT 1;"}, ""},
		{"postgres", "/* a /* b */ ; */ SELECT 1; /* open", []string{"1:19 SELECT 1;"}, "x.sql:1:29: a comment opens"},
		{"postgres", "SELECT $a$ ; $a ", nil, "x.sql:1:8: a string opens here with $a$"},
		{"postgres", "SELECT 1 \\gexec\nCREATE TABLE a (x int);", nil, "x.sql:1:10: a command of psql"},
		{"mysql", "/*!40101 SET NAMES utf8 */;\n# it's one\nDELIMITER ;;\n/*!50003 CREATE TRIGGER t BEFORE INSERT ON a FOR EACH ROW BEGIN SET @a = 'x;;'; END */;;\nDELIMITER ;\nINSERT INTO a VALUES ('it\\'s;');\n--x;\n",
			[]string{"1:1 /*!40101 SET", "3:1 DELIMITER ;;", "4:1 /*!50003 CREATE", "5:1 DELIMITER ;", "6:1 INSERT INTO a", "7:1 --x"}, ""},
		{"mysql", "SET sql_mode = 'ANSI_QUOTES,NO_BACKSLASH_ESCAPES';\nSELECT 'a\\', \"b\";\nsource other.sql\n", []string{"1:1 SET", "2:1 SELECT 'a\\', \"b\";", "3:1 source other.sql"}, ""},
	} {
		got, err := scan(c.dialect, c.text, "insert")
		if (err == nil) != (c.err == "") || err != nil && !strings.HasPrefix(err.Error(), c.err) {
			t.Errorf("%s %.40q: %v, want %q", c.dialect, c.text, err, c.err)
		}
		if len(got) != len(c.want) {
			t.Errorf("%s %.40q: %d statements %.200v, want %d", c.dialect, c.text, len(got), got, len(c.want))
			continue
		}
		for i, st := range got {
			pos, begins, _ := strings.Cut(c.want[i], " ")
			if !strings.HasPrefix(st.SQL, begins) || !strings.HasPrefix(st.Origin.String(), "x.sql:"+pos) {
				t.Errorf("%s: statement %d is at %s, %.60q, want %s", c.dialect, i, st.Origin.String(), st.SQL, c.want[i])
			}
			if !strings.HasPrefix(st.SQL, "INSERT") && !strings.HasPrefix(st.SQL, "COPY") && !strings.Contains(c.text[st.Start:st.End], st.SQL) {
				t.Errorf("%s: %.60q does not stand at %d to %d", c.dialect, st.SQL, st.Start, st.End)
			}
			if len(st.SQL) > keptOfRows+8 {
				t.Errorf("%s: %d bytes of rows are held", c.dialect, len(st.SQL))
			}
		}
	}
}

// FuzzScan: what streams by is cut as the whole text is.
func FuzzScan(f *testing.F) {
	for _, s := range []string{"SELECT 1; SELECT 'a;b';", "CREATE TRIGGER t BEGIN SELECT 1; END;", "DELIMITER //\nx; y//\nDELIMITER ;", "$a$ ; $a$; x", "/* /* */ */ x;", "a-- x\n;b", "CREATE FUNCTION f() BEGIN ATOMIC SELECT 1; END; x", "( ; ) ;", "\\c\nx;"} {
		for name := range dialects {
			f.Add(name, s)
		}
	}
	f.Fuzz(func(t *testing.T, name, text string) {
		defer fuzzing.Bound()()
		d, known := dialects[name]
		if !known || strings.ContainsRune(text, 0) {
			return
		}
		got, err := scan(name, text, "")
		if err != nil {
			return // it says where
		}
		var want []string
		for _, st := range sqltext.Split(d, text) {
			if st.Open || st.Client {
				return // the client's own matters are told apart elsewhere
			}
			if strings.Trim(st.Text, "; \t\r\n\v\f") != "" {
				want = append(want, st.Text)
			}
		}
		for i := range min(len(got), len(want)) {
			if got[i].SQL != want[i] && !got[i].Client && !strings.Contains(text, "/*") && !strings.ContainsAny(text, "\\#") && !strings.Contains(text, "\ufeff") {
				t.Fatalf("%s %q: statement %d is %q, and %q as a whole", name, text, i, got[i].SQL, want[i])
			}
		}
	})
}

// BenchmarkScan is how fast rows are passed over.
func BenchmarkScan(b *testing.B) {
	for name, text := range map[string]string{
		"mysql":    strings.Repeat("INSERT INTO a VALUES "+strings.Repeat("(1,'it''s \\'; long enough to be a note of the harbour master'),", 5000)+"(2,'');\n", 4),
		"postgres": "COPY a FROM stdin;\n" + strings.Repeat("1\tit's; long enough to be a note of the harbour master\t\\N\n", 20000) + "\\.\n",
		"sqlite":   strings.Repeat("INSERT INTO a VALUES(1,'it''s; long enough to be a note of the harbour master');\n", 20000),
	} {
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(text)))
			for b.Loop() {
				if _, err := scan(name, text, "insert"); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
