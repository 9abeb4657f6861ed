package sqltext_test

import (
	"strings"
	"testing"

	"dappermirror/internal/core/sqltext"
)

var (
	pg = sqltext.Dialect{EString: true, Dollar: true, Nested: true}
	my = sqltext.Dialect{Backtick: true, DoubleIsString: true, Backslash: true, Hash: true, DashSpace: true}
)

// TestAlike: texts that differ in what is taken out become one, and no others do.
func TestAlike(t *testing.T) {
	squeezed := func(s string) string { return sqltext.Squeezed(pg, s) }
	lowered := func(s string) string { return sqltext.Lowered(pg, s) }
	uncommented := func(s string) string { return sqltext.Uncommented(pg, s) }
	plain := func(s string) string { return sqltext.PlainDefault(pg, s) }
	for _, c := range []struct {
		name string
		like func(string) string
		a, b string
		same bool
	}{
		{"blanks", squeezed, "SELECT  1\n FROM\tt", "SELECT 1 FROM t", true},
		{"blanks in a string", squeezed, "SELECT 'a  b'", "SELECT 'a b'", false},
		{"blanks in a name", squeezed, `SELECT "a  b"`, `SELECT "a b"`, false},
		{"blanks in a comment", squeezed, "a --  x   y\n b", "a -- x y\nb", true},
		{"a comment more", squeezed, "a -- x\n b", "a\nb", false},
		{"no blank at all", squeezed, "f( a,b )", "f(a, b)", true},
		{"words that grow together", squeezed, "a b", "ab", false},
		{"nothing", squeezed, "", " \n", true},
		{"an open quote", squeezed, "'a  b", "'a b", false},
		{"letters", lowered, "SELECT A FROM T", "select a from t", true},
		{"letters in a string", lowered, "select 'A'", "select 'a'", false},
		{"letters in a name", lowered, `select "A"`, `select "a"`, false},
		{"letters in a comment", lowered, "a -- X\n", "a -- x\n", false},
		{"letters in dollars", lowered, "$$ A $$", "$$ a $$", false},
		{"a line of comment", uncommented, "a\n  -- x\n  b", "a\n  b", true},
		{"a comment at the end", uncommented, "a -- x\nb", "a\nb", true},
		{"a comment at the very end", uncommented, "a\n-- x", "a", true},
		{"comments inside", uncommented, "a /* x */ b", "a  b", true},
		{"comments in comments", uncommented, "a /* x /* y */ z */ b", "a  b", true},
		{"a comment in a string", uncommented, "a '-- x' b", "a '' b", false},
		{"another word", uncommented, "a -- x\nb", "a\nc", false},
		{"line ends", sqltext.OneLineEnding, "a\r\nb\rc\nd", "a\nb\nc\nd", true},
		{"an empty line more", sqltext.OneLineEnding, "a\r\n\r\nb", "a\nb", false},
		{"the ends of lines", sqltext.Tidied, "a  \r\n\r\n  b", "a\n  b", true},
		{"the margin", sqltext.Tidied, "a\n  b", "a\nb", false},
		{"a cast", plain, "'x'::text", "'x'", true},
		{"a long cast", plain, "'x'::character varying(9)[]", "'x'", true},
		{"a cast inside", plain, "lower('x'::text)", "LOWER('x')", true},
		{"brackets", plain, "((5))", "5", true},
		{"brackets that do not close each other", plain, "(1) + (2)", "1) + (2", false},
		{"a number in quotes", plain, "'5'", "5", true},
		{"a fraction in quotes", plain, "'2.50'", "2.50", true},
		{"a word in quotes", plain, "'five'", "five", false},
		{"a sign alone", plain, "'-'", "-", false},
		{"the time", plain, "now()", "CURRENT_TIMESTAMP", true},
		{"the time with brackets", plain, "current_timestamp()", "(CURRENT_TIMESTAMP)", true},
		{"another time", plain, "now()", "current_date", false},
		{"another value", plain, "'a'", "'b'", false},
		{"a cast of nothing", plain, "x::", "x", true},
	} {
		if a, b := c.like(c.a), c.like(c.b); (a == b) != c.same {
			t.Errorf("%s: %q and %q", c.name, a, b)
		}
		if once := c.like(c.a); c.like(once) != once && c.name != "brackets that do not close each other" {
			t.Errorf("%s: done twice it is another: %q, %q", c.name, once, c.like(once))
		}
	}
}

// cutComment cuts COMMENT 'x'.
func cutComment(toks []sqltext.Token, i int) int {
	if toks[i].Is("comment") && i+1 < len(toks) && toks[i+1].Kind == sqltext.String {
		return 2
	}
	return 0
}

// TestKeeping: a text takes over what is tolerated of another one, in its place,
// and nothing else.
func TestKeeping(t *testing.T) {
	for _, c := range []struct{ text, other, want string }{
		{"(`a`) COMMENT 'x'", "(`b`) COMMENT 'y'", "(`a`) COMMENT 'y'"},
		{"(`a`)", "(`b`) COMMENT 'y'", "(`a`) COMMENT 'y'"},
		{"(`a`) COMMENT 'x'", "(`b`)", "(`a`)"},
		{"(`a`)", "(`b`)", "(`a`)"},
		{"f() RETURNS int\n  COMMENT 'x'\nRETURN 1", "f() RETURNS int\n  COMMENT 'y'\nRETURN 2", "f() RETURNS int\n  COMMENT 'y'\nRETURN 1"},
		{"f() RETURNS int\nRETURN 1", "f() RETURNS int\n  COMMENT 'y'\nRETURN 2", "f() RETURNS int\n  COMMENT 'y'\nRETURN 1"},
		{"f() RETURNS int\n  COMMENT 'x'\nRETURN 1", "f() RETURNS int\nRETURN 2", "f() RETURNS int\nRETURN 1"},
		{"COMMENT 'x'", "COMMENT 'y'", "COMMENT 'y'"},
		{"", "COMMENT 'y'", "COMMENT 'y'"},
		{"a COMMENT 'x' b COMMENT 'z' c", "a COMMENT 'y' b", "a COMMENT 'y' b c"},
	} {
		got := sqltext.Keeping(my, c.text, c.other, cutComment)
		if got != c.want {
			t.Errorf("%q with %q: %q, not %q", c.text, c.other, got, c.want)
		}
		if a, b := sqltext.Without(my, got, cutComment), sqltext.Without(my, c.text, cutComment); a != b {
			t.Errorf("%q with %q: the rest changed: %q, %q", c.text, c.other, a, b)
		}
	}
}

func FuzzAlike(f *testing.F) {
	for _, s := range []string{"SELECT 'a' -- x\n FROM t", "/* /* */", "$a$ b $a$", "COMMENT 'x' COMMENT", "'", "((('5'::int)))", "a\r\n\r", "x::::y"} {
		f.Add(s, s)
	}
	f.Fuzz(func(t *testing.T, a, b string) {
		for _, d := range []sqltext.Dialect{pg, my} {
			for _, like := range []func(sqltext.Dialect, string) string{sqltext.Squeezed, sqltext.Lowered, sqltext.Uncommented, sqltext.PlainDefault} {
				if n := len(like(d, a)); n > 3*len(a)+64 {
					t.Errorf("%q grows to %d", a, n)
				}
			}
			got := sqltext.Keeping(d, a, b, cutComment)
			if !strings.Contains(a+b, "--") && !strings.Contains(a+b, "#") && !strings.Contains(a+b, "/*") && sqltext.Without(d, got, cutComment) != sqltext.Without(d, a, cutComment) && !strings.ContainsAny(a+b, "'\"`$[\\") {
				t.Errorf("%q with %q: the rest changed: %q", a, b, got)
			}
		}
	})
}
