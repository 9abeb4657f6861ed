package e2e

import (
	"fmt"
	"html"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

var (
	hrefs = regexp.MustCompile(`href="([^"]*)"`)
	ids   = regexp.MustCompile(` id="([^"]*)"`)
)

// linked sees that every link of a document leads to a page, and to a place of it that is
// there. It answers the pages.
func linked(t *testing.T, dir string) map[string]string {
	t.Helper()
	pages := files(t, dir)
	there := map[string]map[string]bool{}
	for name, text := range pages {
		there[name] = map[string]bool{"": true}
		for _, m := range ids.FindAllStringSubmatch(text, -1) {
			id := html.UnescapeString(m[1])
			if there[name][id] {
				t.Errorf("%s has %q twice", name, id)
			}
			there[name][id] = true
		}
	}
	n := 0
	for name, text := range pages {
		if !strings.HasSuffix(name, ".html") {
			continue
		}
		for _, m := range hrefs.FindAllStringSubmatch(text, -1) {
			u, err := url.Parse(html.UnescapeString(m[1]))
			if err != nil || u.Scheme != "" || u.Host != "" {
				t.Fatalf("%s: the link %q: %v", name, m[1], err)
			}
			to := name
			if u.Path != "" {
				to = path.Join(path.Dir(name), u.Path)
			}
			if n++; !there[to][u.Fragment] {
				t.Errorf("%s: %q leads nowhere", name, m[1])
			}
		}
	}
	if n == 0 {
		t.Error("there are no links")
	}
	return pages
}

// keysAsked are the foreign keys of a database, as it tells them: child and parent.
var keysAsked = map[string]string{
	"sqlite":   `SELECT m.name || ' ' || f."table" FROM sqlite_schema m, pragma_foreign_key_list(m.name) f WHERE m.type = 'table' AND f.seq = 0`,
	"postgres": `SELECT format('%s.%s %s.%s', cn.nspname, c.relname, pn.nspname, p.relname) FROM pg_constraint k JOIN pg_class c ON c.oid = k.conrelid JOIN pg_namespace cn ON cn.oid = c.relnamespace JOIN pg_class p ON p.oid = k.confrelid JOIN pg_namespace pn ON pn.oid = p.relnamespace WHERE k.contype = 'f'`,
	"mariadb":  `SELECT concat(TABLE_NAME, ' ', REFERENCED_TABLE_NAME) FROM information_schema.REFERENTIAL_CONSTRAINTS WHERE CONSTRAINT_SCHEMA = DATABASE()`,
}

var toTable = regexp.MustCompile(`refers to <a href="[^"]*">([^<]*)</a>`)

// TestDocument: all links of a document lead somewhere, its keys are those the engine
// tells, it is the same from a capture but for sizes, changes since another structure are
// marked, and nothing of others is overwritten.
func TestDocument(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			t.Parallel()
			dir, p := t.TempDir(), e.with(t)
			dev, live := harbours(t, e.name)
			source, target := p.make(t, dev), p.make(t, live)
			before := p.dump(t, target)
			r := want(t, 0, dir, "document", target, "-o", "pages", "--title", "Quillhaven")
			if !strings.Contains(r.out, "begin with "+filepath.Join("pages", "index.html")) {
				t.Errorf("it says %q", r.out)
			}
			pages := linked(t, filepath.Join(dir, "pages"))
			var keys []string
			for name, text := range pages {
				if child, ok := strings.CutPrefix(strings.TrimSuffix(name, ".html"), "things/table."); ok {
					for _, m := range toTable.FindAllStringSubmatch(text, -1) {
						keys = append(keys, child+" "+m[1])
					}
				}
			}
			told := strings.Fields(strings.ReplaceAll(p.ask(t, target, keysAsked[e.name]), " ", "\x00"))
			for i := range told {
				told[i] = strings.ReplaceAll(told[i], "\x00", " ")
			}
			slices.Sort(keys)
			slices.Sort(told)
			if len(keys) == 0 || !slices.Equal(keys, told) {
				t.Errorf("the pages have the keys %q, the engine %q", keys, told)
			}
			if d := firstDifference(before, p.dump(t, target)); d != "" {
				t.Errorf("it changed the database: %s", d)
			}
			if !strings.Contains(pages["index.html"], " rows, ") && e.name == "sqlite" || !strings.Contains(pages["diagram.svg"], "port_call") {
				t.Errorf("no sizes or no diagram:\n%s", pages["index.html"])
			}

			want(t, 0, dir, "capture", target, "-o", "live.json")
			want(t, 0, dir, "document", "live.json", "-o", "captured", "--title", "Quillhaven")
			captured := linked(t, filepath.Join(dir, "captured"))
			sizes := regexp.MustCompile(`<p class="size">.*</p>|<th scope="col">size</th>|<td>[^<]*(?:rows?, )?[\d.,]+ (?:bytes|[kM]B)</td>|(?s)<dl class="head">.*</dl>`)
			for name, text := range pages {
				if sizes.ReplaceAllString(text, "") != sizes.ReplaceAllString(captured[name], "") {
					t.Errorf("%s of the capture is another one", name)
				}
			}

			want(t, 0, dir, "document", source, "--since", "live.json", "-o", "changes")
			changes := linked(t, filepath.Join(dir, "changes"))
			counts := output(t, want(t, 1, dir, "compare", source, "live.json", "--format", "json")).Comparisons[0].Counts
			if says := fmt.Sprintf("%d new, %d changed, %d gone", counts.SourceOnly, counts.Differs, counts.TargetOnly); !strings.Contains(changes["index.html"], says) {
				t.Errorf("the index does not say %q:\n%s", says, changes["index.html"])
			}
			for _, s := range []string{"pilotage", "table, changed"} {
				if text := changes[documentPage(e.name, "booking")]; !strings.Contains(text, s) {
					t.Errorf("what changes of booking does not say %q", s)
				}
			}

			want(t, 0, dir, "document", target, "-o", "one.html", "--one-file")
			if err := os.Mkdir(filepath.Join(dir, "one"), 0o755); err != nil {
				t.Fatal(err)
			}
			write(t, filepath.Join(dir, "one"), "one.html", read(t, filepath.Join(dir, "one.html")))
			if one := linked(t, filepath.Join(dir, "one"))["one.html"]; strings.Contains(one, `src=`) || strings.Contains(one, "<link") {
				t.Error("the one file needs others")
			}
		})
	}
}

// documentPage is the page of a table of the harbour.
func documentPage(engine, table string) string {
	if engine == "postgres" {
		table = "harbour." + table
	}
	return "things/table." + table + ".html"
}

// TestDocumentRefuses: pages go where nothing stands, or where a document was made before.
func TestDocumentRefuses(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	lite(t, dir, "live.db", "CREATE TABLE berth (id INTEGER PRIMARY KEY, \"a<b>\" TEXT); CREATE TABLE Berth2 (id INTEGER REFERENCES berth (id)); CREATE TABLE gone (id INTEGER REFERENCES nowhere (id));")
	lite(t, dir, "empty.db", "PRAGMA user_version = 1;")
	for name, text := range map[string]string{"taken/index.html": "mine", "notes/todo.txt": "mine", "live.sql": "CREATE TABLE berth (id INTEGER PRIMARY KEY);"} {
		if err := os.MkdirAll(filepath.Join(dir, filepath.Dir(name)), 0o755); err != nil {
			t.Fatal(err)
		}
		write(t, dir, name, text)
	}
	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{nil, 2, "say which place"}, {[]string{"live.db"}, 2, "-o FOLDER"}, {[]string{"live.db", "old.json", "-o", "x"}, 2, "--since old.json"}, {[]string{"nowhere.db", "-o", "x"}, 2, "nowhere.db"},
		{[]string{"live.db", "-o", "-"}, 2, "-o FOLDER"}, {[]string{"live.db", "-o", "taken"}, 2, "--force"}, {[]string{"live.db", "-o", "taken", "--force"}, 2, "name another folder"}, {[]string{"live.db", "-o", "live.sql"}, 2, "no folder"},
		{[]string{"live.db", "-o", "live.db", "--one-file", "--force"}, 2, "is a file of"}, {[]string{"live.db", "--since", "live.db", "-o", "same"}, 0, ""}, {[]string{"live.db", "-o", "notes"}, 2, "not empty"}, {[]string{"live.db", "-o", "notes", "--force"}, 0, ""},
		{[]string{"empty.db", "-o", "none"}, 0, "begin with"}, {[]string{"live.db", "-o", "notes", "--force"}, 0, ""}, {[]string{"live.db", "-o", "deep/er/pages"}, 0, ""},
	} {
		r := run(t, dir, append([]string{"document"}, c.args...)...)
		if r.code != c.code || !strings.Contains(r.out+r.errout, c.says) {
			t.Errorf("%q: exit %d, %s%s", c.args, r.code, r.out, r.errout)
		}
	}
	if read(t, filepath.Join(dir, "taken", "index.html")) != "mine" || read(t, filepath.Join(dir, "notes", "todo.txt")) != "mine" {
		t.Error("what is of others was overwritten")
	}
	for _, d := range []string{"same", "notes", "none", "deep/er/pages"} {
		if d != "none" {
			linked(t, filepath.Join(dir, d))
		}
	}
	if left, _ := filepath.Glob(filepath.Join(dir, ".*")); len(left) > 0 {
		t.Errorf("left over: %q", left)
	}
	if r := want(t, 0, dir, "document", "live.db", "-o", "-", "--one-file"); !strings.HasPrefix(r.out, "<!DOCTYPE html>") {
		t.Errorf("to standard output: %.100s", r.out)
	}
	if o := output(t, want(t, 0, dir, "document", "live.db", "-o", "j", "--format", "json")); o.Document == nil || o.Document.Pages < 4 || o.Document.Folder != "j" {
		t.Errorf("as JSON: %+v", o.Document)
	}
}
