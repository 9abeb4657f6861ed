package e2e

import (
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/scope"
)

// TestPairsOfNames: structures that differ in names only compare equal under the
// pair, both ways round; what more differs is written in the target's names, and
// ends as the engine itself has it when the same is done there by hand. In these
// cases the source says dev_ where the target says live_.
func TestPairsOfNames(t *testing.T) {
	t.Parallel()
	live := strings.NewReplacer("dev_", "live_")
	turned := func(s string) string {
		kind, rest, _ := strings.Cut(s, ":")
		left, right, _ := strings.Cut(rest, "=")
		if !strings.Contains(left, ".") {
			return kind + ":" + right + "=" + left
		}
		return kind + ":" + live.Replace(left) + "=" + strings.ReplaceAll(right, "live_", "dev_")
	}
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			t.Parallel()
			p := e.with(t)
			for _, c := range readPairs(t, filepath.Join("testdata", "names", e.name+".sql")) {
				t.Run(c.name, func(t *testing.T) {
					dir := t.TempDir()
					var pairs, back []string
					for _, s := range c.says {
						pairs, back = append(pairs, "--pair", s), append(back, "--pair", turned(s))
					}
					dev, target := p.make(t, c.source), p.make(t, live.Replace(c.source))
					answers(t, 1, dir, dev, target)
					answers(t, 0, dir, dev, target, pairs...)
					answers(t, 0, dir, target, dev, back...)
					answers(t, 0, dir, target, dev, append(pairs, "--swap")...)

					more, byHand := p.make(t, c.source+"\n"+c.rows), p.make(t, live.Replace(c.source+"\n"+c.rows))
					answers(t, 0, dir, more, byHand, pairs...)
					args := append([]string{"script", more, target, "-o", "up.sql", "--may-lose", "*", "--backout", "down.sql"}, pairs...)
					want(t, 0, dir, args...)
					was, text := p.dump(t, target), read(t, filepath.Join(dir, "up.sql"))
					if _, sql, _ := strings.Cut(text, "\n\n"); strings.Contains(sql, "dev_") || !strings.Contains(text, "paired      --pair "+c.says[0]) {
						t.Errorf("the script speaks of the source's names, or not of the pair:\n%s", text)
					}
					want(t, 0, dir, "apply", "up.sql", target, "--yes")
					answers(t, 0, dir, more, target, pairs...)
					if d := firstDifference(p.dump(t, byHand), p.dump(t, target)); d != "" {
						t.Errorf("done by hand it ends elsewhere: %s\n%s", d, text)
					}
					want(t, 0, dir, "apply", "down.sql", target, "--yes")
					if d := firstDifference(was, p.dump(t, target)); d != "" {
						t.Errorf("the way back leads elsewhere: %s", d)
					}
				})
			}
		})
	}
}

// TestNamesThatAreWrong: what does not name one thing on each side is refused.
func TestNamesThatAreWrong(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	dev := lite(t, dir, "dev.db", "CREATE TABLE dev_a (id INTEGER PRIMARY KEY, x INT); CREATE TABLE dev_b (id INTEGER PRIMARY KEY); CREATE VIEW v AS SELECT id FROM dev_a;")
	live := lite(t, dir, "live.db", "CREATE TABLE live_a (id INTEGER PRIMARY KEY, y INT); CREATE TABLE live_b (id INTEGER PRIMARY KEY); CREATE VIEW v AS SELECT id FROM live_a;")
	for _, c := range []struct{ option, said, says string }{
		{"--pair", "table:dev_a", "two names are wanted"},
		{"--pair", "table:dev_x=live_a", "the source has nothing that this names; meant dev_a?"},
		{"--pair", "table:dev_a=live_x", "the target has no table called live_x; meant live_a?"},
		{"--pair", "table:dev_a=live_a,table:dev_a=live_b", "has been given another name already"},
		{"--pair", "table:dev_a=live_a,table:dev_b=live_a", "has been given another name already"},
		{"--pair", "table:dev_*=live", "as many * are wanted"},
		{"--pair", "table:dev_a=view:v", "both are of one kind"},
		{"--pair", "table:dev_a,table:dev_b=live_a", "two names are wanted"},
		{"--pair", `table:"dev_a=live_a`, "two names are wanted"},
		{"--pair", "table:dev_?=live_?", "use *"},
		{"--pair", "column:dev_a.id.y=z", "nothing that this names"},
		{"--pair", "nothing:dev_a=live_a", "nothing that this names"},
		{"--rename", "table:live_x=dev_a", "the target has nothing that this names"},
		{"--rename", "table:live_a=dev_x", "the source has no table called dev_x"},
		{"--rename", "column:id=x", "several things"},
		{"--rename", "=", "empty"},
		{"--tolerate", "comment", `no tolerance "comment"; meant comments?`},
		{"--tolerate", "comments@", "empty name"},
		{"--tolerate", "comments@tabel:x", `no kind "tabel"`},
		{"--to-source", "table:nope", "matches nothing"},
		{"--leave", "tabel:*", `no kind "tabel"`},
		{"--remake", "table:live_a", "has rows"},
		{"--remake", "view:nope", "matches nothing in the target"},
		{"--choices", "nope.yaml", "reading the choices"},
	} {
		code := 2
		if c.says == "has rows" {
			code = 3
		}
		r := want(t, code, dir, "compare", dev, live, c.option, c.said)
		if !strings.Contains(r.errout, c.says) || strings.Count(r.errout, "\n") > 4 || r.out != "" {
			t.Errorf("%s %s: it says %q, not %q", c.option, c.said, r.errout, c.says)
		}
	}
	for name, c := range map[string][2]string{
		"odd.yaml":    {"version: 1\ndefault: perhaps\n", "line 2"},
		"key.yaml":    {"version: 1\nchoises: []\n", `"choises" is no key`},
		"newer.yaml":  {"version: 9\n", "newer version"},
		"empty.yaml":  {"", "nothing in it"},
		"list.yaml":   {"- a\n", "version, default and differences"},
		"entry.yaml":  {"version: 1\ndifferences:\n  - what: table:x\n", "what and choice"},
		"bad.yaml":    {"version: [\n", "no YAML"},
		"broken.yaml": {"version: 1\ndifferences:\n  - {what: '\"x', choice: leave}\n", "quote"},
	} {
		write(t, dir, name, c[0])
		if r := want(t, 2, dir, "compare", dev, live, "--choices", name); !strings.Contains(r.errout, c[1]) {
			t.Errorf("%s: it says %q", name, r.errout)
		}
	}
}

// TestHostileNames: whatever a thing is called, it can be paired, renamed and
// chosen about, and nothing leaves its quotes on the way.
func TestHostileNames(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			t.Parallel()
			hostileNames(t, e.name, e.with(t))
		})
	}
}

func hostileNames(t *testing.T, name string, p places) {
	names := []string{"it's", `a"b`, "a`b", "a]b", "x; DROP TABLE keep; --", "--", "/*", "*", "a.b", "a=b", "a,b", "a:b", "a@b", "ü ñ", "\\", "$1", "order", "a\nb", "[x](y)", "<b>", "%s", "{target}", "null", "#"}
	dir := t.TempDir()
	next := " "
	if name == "sqlserver" { // a view is a batch of its own
		next = "\nGO\n"
		names[len(names)-1] = "a#" // what begins with # is temporary
	}
	quote := func(s string) string { return `"` + strings.ReplaceAll(s, `"`, `""`) + `"` }
	if name == "mariadb" {
		quote = func(s string) string { return "`" + strings.ReplaceAll(s, "`", "``") + "`" }
	}
	table := func(i int, table, column string) string {
		return fmt.Sprintf(strings.ReplaceAll("CREATE TABLE %s (id int PRIMARY KEY, %s int);{next}CREATE VIEW v%d AS SELECT %s AS c FROM %s;{next}INSERT INTO %s VALUES (1, %d);\n", "{next}", next), quote(table), quote(column), i, quote(column), quote(table), quote(table), i)
	}
	var source, target strings.Builder
	target.WriteString("CREATE TABLE keep (id int PRIMARY KEY);\n")
	source.WriteString("CREATE TABLE keep (id int PRIMARY KEY);\n")
	var renames, pairs, leaves []string
	for i, n := range names {
		was := fmt.Sprintf("was_%d", i)
		target.WriteString(table(i, was, "c"+n))
		source.WriteString(table(i, n, n))
		schema := map[string]string{"postgres": "public", "sqlserver": "dbo"}[name]
		old := catalog.Ref{Kind: catalog.Table, Schema: schema, Name: was}
		column := old
		column.PartKind, column.Part = catalog.Column, "c"+n
		own := catalog.Ref{Kind: catalog.Table, Schema: schema, Name: n}
		renames = append(renames, "--rename", old.String()+"="+scope.Quote(n), "--rename", column.String()+"="+scope.Quote(n))
		pairs = append(pairs, "--pair", own.String()+"="+was)
		leaves = append(leaves, "--leave", own.String())
	}
	live, dev := p.make(t, target.String()), p.make(t, source.String())
	answers(t, 1, dir, dev, live, pairs...)
	answers(t, 0, dir, dev, live, append([]string{"--leave-target-only", "--leave", "view:*"}, leaves...)...)
	want(t, 1, dir, "compare", dev, live, "--choices-out", "c.yaml")
	want(t, 1, dir, "compare", dev, live, "--choices", "c.yaml")
	if r := want(t, 1, dir, "compare", dev, live, "--choices", "c.yaml"); strings.Contains(r.errout, "matches no difference") || strings.Contains(r.errout, "not in the choices") {
		t.Errorf("choices do not read back: %s", r.errout)
	}
	want(t, 0, dir, append([]string{"script", dev, live, "-o", "up.sql"}, renames...)...)
	if out, err := p.client(live, filepath.Join(dir, "up.sql")); err != nil {
		t.Fatalf("%s\n%s", out, read(t, filepath.Join(dir, "up.sql")))
	}
	answers(t, 0, dir, dev, live)
	for i, n := range names {
		if got := strings.TrimSpace(p.ask(t, live, "SELECT "+quote(n)+" FROM "+quote(n))); got != fmt.Sprint(i) {
			t.Errorf("%q: the row holds %q", n, got)
		}
	}
	own := catalog.Ref{Kind: catalog.Table, Schema: map[string]string{"postgres": "public", "sqlserver": "dbo"}[name], Name: names[1]}
	if out := want(t, 0, dir, "impact", live, own.String(), "--format", "dot").out; strings.Count(out, "->") < 1 {
		t.Errorf("the graph says %s", out)
	}
}
