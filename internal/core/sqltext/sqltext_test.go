package sqltext

import (
	"strings"
	"testing"

	"dappermirror/internal/fuzzing"
)

func TestLex(t *testing.T) {
	for _, c := range []struct {
		d    Dialect
		in   string
		want string // kind letter and text of each token, | between
	}{
		{SQLite, `a "b" [c d] ` + "`e`", "w:a|_: |q:\"b\"|_: |q:[c d]|_: |q:`e`"},
		{SQLite, `'it''s' x'0A'`, `s:'it''s'|_: |s:x'0A'`},
		{SQLite, "a--c\nb/*d*/e", "w:a|c:--c|_:\n|w:b|c:/*d*/|w:e"},
		{SQLite, "/* open", "c:/* open"},
		{Postgres, "/* a /* b */ c */ d", "c:/* a /* b */ c */|_: |w:d"},
		{Postgres, "/* open", "b:/* open"},
		{Postgres, "$$a'b$$ $x$ $$ $x$ $1", "s:$$a'b$$|_: |s:$x$ $$ $x$|_: |p:$1"},
		{Postgres, `E'a\'b' 'c\' U&"d" u&'e'`, `s:E'a\'b'|_: |s:'c\'|_: |q:U&"d"|_: |s:u&'e'`},
		{Postgres, "a::text", "w:a|o:::|w:text"},
		{Postgres, "1..9 1.5e-3 .5 0x1F", "n:1|o:.|n:.9|_: |n:1.5e-3|_: |n:.5|_: |n:0x1F"},
		{SQLite, "?1 :a @b $c", "p:?1|_: |p::a|_: |p:@b|_: |p:$c"},
		{SQLite, "a->>'b'||c<>d!=e==f<<g", "w:a|o:->>|s:'b'|o:|||w:c|o:<>|w:d|o:!=|w:e|o:==|w:f|o:<<|w:g"},
		{SQLite, "'open", "b:'open"},
		{SQLite, "ünï", "w:ünï"},
		{SQLite, "", ""},
	} {
		letters := map[Kind]string{Space: "_", Comment: "c", Word: "w", Quoted: "q", String: "s", Number: "n", Param: "p", Op: "o", Bad: "b"}
		var got []string
		for _, tok := range Lex(c.d, c.in) {
			got = append(got, letters[tok.Kind]+":"+tok.Text)
		}
		if g := strings.Join(got, "|"); g != c.want {
			t.Errorf("%+v %q\n got %s\nwant %s", c.d, c.in, g, c.want)
		}
	}
}

func TestTokenNames(t *testing.T) {
	for in, want := range map[string]string{`"a""b"`: `a"b`, "`x``y`": "x`y", "[a b]": "a b", "plain": "plain"} {
		if got := Lex(SQLite, in)[0].Name(); got != want {
			t.Errorf("%s: %q, want %q", in, got, want)
		}
	}
	if got := Lex(SQLite, `'it''s'`)[0].StringValue(); got != "it's" {
		t.Errorf("string value %q", got)
	}
	if got := Lex(Postgres, `U&"d"`)[0].Name(); got != "d" {
		t.Errorf("unicode name %q", got)
	}
}

func TestSplit(t *testing.T) {
	for _, c := range []struct {
		d    Dialect
		in   string
		want []string
	}{
		{SQLite, "a; b;", []string{"a;", "b;"}},
		{SQLite, "select ';' ; -- ; \n x", []string{"select ';' ;", "x"}},
		{SQLite, ".bail on\nselect 1;\n.mode line\nselect 2;", []string{"!.bail on", "select 1;", "!.mode line", "select 2;"}},
		{SQLite, ".print it's\nselect 1;", []string{"!.print it's", "select 1;"}},
		{SQLite, "create trigger t after insert on x begin select 1; select case when 1 then 2 end; end; select 3;",
			[]string{"create trigger t after insert on x begin select 1; select case when 1 then 2 end; end;", "select 3;"}},
		{SQLite, "create temp trigger t after insert on x begin select 1; end;", []string{"create temp trigger t after insert on x begin select 1; end;"}},
		{SQLite, "create trigger t after insert on x begin select 1;", []string{"?create trigger t after insert on x begin select 1;"}},
		{Postgres, "do $$ begin; end $$; select 1;", []string{"do $$ begin; end $$;", "select 1;"}},
		{Postgres, "create function f() returns int begin atomic select 1; select case when true then 2 end; end; select 3;",
			[]string{"create function f() returns int begin atomic select 1; select case when true then 2 end; end;", "select 3;"}},
		{Postgres, "create rule r as on insert to t do (select 1; select 2); select 3;", []string{"create rule r as on insert to t do (select 1; select 2);", "select 3;"}},
		{Postgres, "\\set ON_ERROR_STOP on\nbegin;", []string{"!\\set ON_ERROR_STOP on", "begin;"}},
		{Postgres, "select 'open", []string{"?select 'open"}},
		{Postgres, " -- nothing\n", nil},
		{MySQL, "DELIMITER $$\ncreate procedure p() begin select ';'; select 1; end$$\nselect 2 $$\ndelimiter ;\nselect 3;", []string{"!DELIMITER $$", "create procedure p() begin select ';'; select 1; end", "select 2", "!delimiter ;", "select 3;"}},
		{MySQL, "select '\\';', \"a;b\", `c;d`; # e; f\nselect 1--1; -- g;\nselect 2;", []string{"select '\\';', \"a;b\", `c;d`;", "select 1--1;", "select 2;"}},
		{MySQL, "DELIMITER ;;\nselect 1;\nselect ';;';;\n", []string{"!DELIMITER ;;", "select 1;\nselect ';;'"}},
		{MySQL, "delimiter //\nselect 1; select 2", []string{"!delimiter //", "?select 1; select 2"}},
		{MySQL, "select delimiter;", []string{"select delimiter;"}},
	} {
		var got []string
		for _, s := range Split(c.d, c.in) {
			mark := ""
			if s.Client {
				mark = "!"
			}
			if s.Open {
				mark = "?"
			}
			if !strings.HasPrefix(c.in[s.Pos:], s.Text) {
				t.Errorf("%q: statement %q is not at %d", c.in, s.Text, s.Pos)
			}
			got = append(got, mark+s.Text)
		}
		if strings.Join(got, "¦") != strings.Join(c.want, "¦") {
			t.Errorf("%+v %q\n got %q\nwant %q", c.d, c.in, got, c.want)
		}
	}
}

// TestClosed: what a client would not hand on as exactly one statement.
func TestClosed(t *testing.T) {
	for _, c := range []struct {
		d      Dialect
		in     string
		closed bool
	}{
		{SQLite, "CREATE VIEW v AS SELECT ';', [a;b] -- ;\n;", true}, {SQLite, "CREATE VIEW v AS SELECT 1; DROP TABLE t;", false}, {SQLite, "CREATE VIEW v AS SELECT 1", false},
		{SQLite, "CREATE VIEW v AS SELECT 1 /* open;", false}, {SQLite, "CREATE VIEW v AS SELECT 'open;", false}, {SQLite, "CREATE VIEW v AS SELECT 1;\n.shell x", false}, {SQLite, "", false}, {SQLite, "-- nothing", false},
		{SQLite, "CREATE TRIGGER g AFTER INSERT ON t BEGIN SELECT 1; SELECT 2; END;", true}, {SQLite, "CREATE TRIGGER g AFTER INSERT ON t BEGIN SELECT 1; END; DROP TABLE t;", false},
		{Postgres, `CREATE FUNCTION f() AS $$ ; \! x $$;`, true}, {Postgres, `SELECT 1 \! x` + "\n;", false}, {Postgres, "SELECT $a$;", false}, {Postgres, "CREATE FUNCTION f() BEGIN ATOMIC SELECT 1; SELECT CASE WHEN 1 THEN 2 END; END;", true},
		{MySQL, "DELIMITER ;;\nCREATE PROCEDURE p() BEGIN SELECT 1; END\n;;\nDELIMITER ;", true}, {MySQL, "DELIMITER ;;\nCREATE PROCEDURE p() BEGIN SELECT 1; END", false}, {MySQL, `SELECT '\';`, false}, {MySQL, `SELECT 1 \! x;`, false},
		{MySQL.After("SET SESSION sql_mode = 'NO_BACKSLASH_ESCAPES';"), `SELECT '\';`, true}, {MySQL.After("SET SESSION sql_mode = 'ANSI_QUOTES';"), `SELECT "\";`, true},
	} {
		if err := Closed(c.d, c.in); (err == nil) != c.closed {
			t.Errorf("%+v %q: %v", c.d, c.in, err)
		}
	}
	for in, want := range map[string]string{"SELECT 1\n/\n2;": "SELECT 1 /\n2;", "SELECT 1 AS\n\tGo -- x\nFROM t;": "SELECT 1 AS Go -- x\nFROM t;", "SELECT 1 -- c\n/\n2;": "SELECT 1 -- c\n/**//\n2;", "SELECT '\n/\n', a\n/ 2;": "SELECT '\n/\n', a\n/ 2;"} {
		if got := Deliverable(SQLite, in); got != want {
			t.Errorf("%q: %q", in, got)
		}
	}
	if got := Deliverable(Postgres, `SELECT a[1:"USER"], b::int, ':x'`); got != `SELECT a[1: "USER"], b::int, ':x'` {
		t.Error(got)
	}
}

func TestCommentSafe(t *testing.T) {
	for in, want := range map[string]string{
		"plain name": "plain name", "two\nlines": `two\nlines`, "tab\tcr\r": `tab\tcr\r`, "\x1b[31m": `\u001b[31m`, "a\u202eb": `a\u202eb`, "bad\xff": `bad\ufffd`, "line\u2028sep": `line\u2028sep`,
	} {
		if got := CommentSafe(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}

func TestPosition(t *testing.T) {
	text := "ab\ncdé\nf"
	for offset, want := range map[int][2]int{0: {1, 1}, 3: {2, 1}, 7: {2, 4}, 8: {3, 1}, 99: {3, 2}} {
		if l, c := Position(text, offset); l != want[0] || c != want[1] {
			t.Errorf("offset %d: %d:%d, want %v", offset, l, c, want)
		}
	}
}

// Whatever the input, the tokens put together are the input, and splitting
// loses nothing but what stands between statements.
func FuzzLex(f *testing.F) {
	for _, s := range []string{"select 1;", "'", `"`, "$a$", "/*", "--", "[", "E'\\", ".x\n", "\\x\n;", "begin atomic end;", "create trigger x begin;end;", "delimiter $$\nselect 1;$$\ndelimiter ;", "\x00\xff"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		defer fuzzing.Bound()()
		for _, d := range []Dialect{SQLite, Postgres, MySQL, {}} {
			var b strings.Builder
			for _, tok := range Lex(d, s) {
				if tok.Text == "" {
					t.Fatal("an empty token")
				}
				b.WriteString(tok.Text)
			}
			if b.String() != s {
				t.Fatalf("%+v: tokens are %q, input %q", d, b.String(), s)
			}
			at := 0
			for _, st := range Split(d, s) {
				if st.Pos < at || !strings.HasPrefix(s[st.Pos:], st.Text) {
					t.Fatalf("%+v: statement %q at %d of %q", d, st.Text, st.Pos, s)
				}
				at = st.Pos + len(st.Text)
			}
		}
	})
}

func BenchmarkLex(b *testing.B) {
	text := strings.Repeat("CREATE TABLE \"berth\" (id INTEGER PRIMARY KEY, name TEXT NOT NULL DEFAULT 'it''s', CHECK (length(name) > 2)); -- x\n", 100)
	b.SetBytes(int64(len(text)))
	b.ReportAllocs()
	for b.Loop() {
		Lex(SQLite, text)
	}
}
