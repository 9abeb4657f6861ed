package settings

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/fuzzing"
)

func TestTargets(t *testing.T) {
	dir := t.TempDir()
	t.Chdir(dir)
	for _, f := range []string{"a*.db", "lists/b.db"} {
		if err := os.MkdirAll(filepath.Dir(f), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(f, nil, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	names := []string{"customer-10", "customer-2", "dev", "x"}
	for _, c := range []struct{ file, text, want string }{ // names and places, or !what is wrong
		{"l.txt", "live.db\n\n # no\n#no\nlive.db\nhere/live.db\n", "live.db=live.db here/live.db=here/live.db"},
		{"l.txt", "\ufeffpostgres://a@h/one?x=y\r\npostgres://a@h/two", "one=postgres://a@h/one?x=y two=postgres://a@h/two"},
		{"l.txt", "customer-*\ndev\n", "customer-2=customer-2 customer-10=customer-10 dev=dev"},
		{"l.txt", "a*.db\n", "a*=a*.db"},
		{"lists/l.txt", "b.db\nsqlite:b.db\n", "lists/b.db=lists/b.db sqlite:lists/b.db=sqlite:lists/b.db"},
		{"l.yaml", "- dev\n- {at: live.db, name: blue, may-lose: 'table:*', tolerate: [comments], password: {env: X}}\n", "dev=dev blue=live.db"},
		{"l.yml", "targets: [x, x, 'customer-1?']", "x=x customer-10=customer-10"},
		{"l.txt", "postgres://a:tiderace@h/one", "!l.txt:1: a password stands there in clear"},
		{"l.yaml", "- postgres://a:tiderace@h/one", "!a password stands there in clear"},
		{"l.yaml", "- {at: 'postgres://a:tiderace@h/one'}", "!password in clear"},
		{"l.txt", "a\x00b", "!is no place"}, {"l.txt", "", "!names no target"}, {"l.yaml", "", "!names no target"},
		{"l.yaml", "targets: dev", "!targets is a list"}, {"l.yaml", "- {name: x}", "!says nowhere where it is"}, {"l.yaml", "- {at: x, nmae: y}", `!"nmae" is no key`},
		{"l.yaml", "- {at: x, name: 'a/b'}", "!cannot name a target"}, {"l.yaml", "- [a]", "!holds names and values"}, {"l.yaml", "a: &a [*a]", "!"}, {"l.yaml", "- {at: x, fill: {a: b}}", "!fill is a text"},
		{"l.txt", "nobody-*", "!matches the name of no place"}, {"l.txt", strings.Repeat("x", 2<<20), "!cannot be read as a list"}, {"l.txt", "cust[*", "!is no pattern"},
	} {
		list, err := ReadTargets(c.file, []byte(c.text))
		for i := range list {
			list[i].Beside(c.file)
		}
		if err == nil {
			list, err = Expand(list, names, "not one")
		}
		var got []string
		for i, n := range Called(list) {
			got = append(got, n+"="+list[i].At)
		}
		if wrong, bad := strings.CutPrefix(c.want, "!"); bad {
			if err == nil || !strings.Contains(err.Error(), wrong) || strings.Contains(err.Error(), "tiderace") {
				t.Errorf("%.60q: %v, want %s", c.text, err, wrong)
			}
			continue
		}
		if err != nil || strings.Join(got, " ") != c.want {
			t.Errorf("%.60q: %v %v, want %s", c.text, got, err, c.want)
		}
	}
	if list, err := ReadTargets("l.txt", []byte(strings.Repeat("x\n", mostTargets+1))); err == nil {
		t.Errorf("%d are taken", len(list))
	}
}

// FuzzTargets: whatever stands in a list, it is taken or complained of, and what is
// called by different names has different names.
func FuzzTargets(f *testing.F) {
	for _, s := range []string{"a\nb", "- a", "targets: [{at: x, name: y}]", "a/b.db\nc/b.db\nb", "\xff", "a: &a [*a]"} {
		f.Add(s, true)
		f.Add(s, false)
	}
	f.Fuzz(func(t *testing.T, text string, asYAML bool) {
		defer fuzzing.Bound()()
		name := map[bool]string{true: "l.yaml", false: "l.txt"}[asYAML]
		list, err := ReadTargets(name, []byte(text))
		if err != nil {
			if s := err.Error(); !strings.Contains(s, name) || strings.Contains(sqltext.CommentSafe(s), "\x1b") {
				t.Fatalf("says %q", s)
			}
			return
		}
		list, err = Expand(list, []string{"a", "b"}, "a")
		if err != nil {
			return
		}
		seen := map[string]bool{}
		for _, n := range Called(list) {
			if seen[n] {
				t.Fatalf("two are called %q of %v", n, fmt.Sprint(list))
			}
			seen[n] = true
		}
	})
}
