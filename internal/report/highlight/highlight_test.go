package highlight

import (
	"strings"
	"testing"
)

// TestPieces: a text is taken apart into what it is, and put together again it is itself.
func TestPieces(t *testing.T) {
	for _, c := range []struct{ sql, want string }{
		{"SELECT a FROM b", "keyword:SELECT name:a keyword:FROM name:b"},
		{"select \"Order\", `by`", "keyword:select name:\"Order\" name:`by`"},
		{"x = 'it''s -- no comment'", "name:x string:'it''s -- no comment'"},
		{"-- a SELECT\nx", "comment:-- a SELECT name:x"},
		{"/* two\nlines */ 12.5 t1", "comment:/* two\nlines */ number:12.5 name:t1"},
		{"AS $f$ BEGIN x END $f$", "keyword:AS name:f keyword:BEGIN name:x keyword:END name:f"},
		{"'never ends", "name:never name:ends"},
		{"", ""},
	} {
		var got []string
		whole := ""
		for _, p := range New().Pieces(c.sql) {
			whole += p.Text
			if p.Class != Plain {
				got = append(got, string(p.Class)+":"+p.Text)
			}
		}
		if s := strings.Join(got, " "); s != c.want || strings.TrimSuffix(whole, "\n") != c.sql {
			t.Errorf("%q: %q, want %q; whole %q", c.sql, s, c.want, whole)
		}
	}
	var b strings.Builder
	if err := Terminal(&b, "SELECT 1"); err != nil || !strings.Contains(b.String(), "\x1b[") || !strings.Contains(b.String(), "SELECT") {
		t.Errorf("on a terminal: %q %v", b.String(), err)
	}
}

// FuzzPieces: no text is lost, whatever it is.
func FuzzPieces(f *testing.F) {
	for _, s := range []string{"SELECT 'x", "\"", "/*", "`a``b`", "\x00\xff", "é 界"} {
		f.Add(s)
	}
	l := New()
	f.Fuzz(func(t *testing.T, sql string) {
		sql = strings.ToValidUTF8(strings.ReplaceAll(sql, "\r", ""), "?")
		whole := ""
		for _, p := range l.Pieces(sql) {
			whole += p.Text
		}
		if strings.TrimSuffix(whole, "\n") != strings.TrimSuffix(sql, "\n") {
			t.Errorf("%q became %q", sql, whole)
		}
	})
}
