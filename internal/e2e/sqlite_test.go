package e2e

import (
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"sort"
	"strings"
	"testing"

	_ "modernc.org/sqlite"
)

// lite makes a SQLite file with the sqlite3 shell and answers its path.
func lite(t testing.TB, dir, name, text string) string {
	t.Helper()
	path := filepath.Join(dir, name)
	if out, err := tryCommand("PRAGMA user_version=0;\nVACUUM;\n"+text, "sqlite3", "-bail", path); err != nil || strings.Contains(out, "rror") {
		t.Fatalf("building %s: %v %s", name, err, out)
	}
	return path
}

// ask runs a query through the sqlite3 shell.
func ask(t testing.TB, path, query string) string {
	t.Helper()
	return command(t, "", "sqlite3", "-bail", path, query)
}

// witness describes a database by the engine's own pragmas, which the program
// does not use: columns, keys, references, indexes, and the texts of checks,
// views and triggers without their layout.
var saidText = regexp.MustCompile(`'(\w+)' as said`)

func witness(t testing.TB, path string) []string {
	t.Helper()
	db, err := sql.Open("sqlite", "file:"+path+"?mode=ro")
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var out []string
	rows := func(label, query string, args ...any) [][]string {
		r, err := db.Query(query, args...)
		if err != nil {
			t.Fatalf("%s: %v", query, err)
		}
		defer r.Close()
		cols, err := r.Columns()
		if err != nil {
			t.Fatal(err)
		}
		var all [][]string
		for r.Next() {
			vals := make([]any, len(cols))
			ptrs := make([]any, len(cols))
			for i := range vals {
				ptrs[i] = &vals[i]
			}
			if err := r.Scan(ptrs...); err != nil {
				t.Fatal(err)
			}
			one := make([]string, len(cols))
			for i, v := range vals {
				one[i] = fmt.Sprint(v)
			}
			all = append(all, one)
		}
		for _, one := range all {
			if label != "" {
				out = append(out, label+" "+strings.ToLower(strings.Join(one, " | ")))
			}
		}
		return all
	}
	for _, m := range rows("", "SELECT type, name, sql FROM sqlite_schema WHERE name NOT LIKE 'sqlite\\_%' ESCAPE '\\'") {
		switch m[0] {
		case "view", "trigger":
			// SQLite itself puts texts in double quotes into single ones when a
			// column goes somewhere.
			out = append(out, m[0]+" "+saidText.ReplaceAllString(flat(m[2]), "$1 as said"))
		case "table":
			if strings.HasPrefix(strings.ToUpper(m[2]), "CREATE VIRTUAL") {
				out = append(out, "virtual "+flat(m[2]))
				continue
			}
			name := strings.ToLower(m[1])
			rows("column "+name, "SELECT name, upper(type), \"notnull\", coalesce(trim(dflt_value, '()'), '-'), pk, hidden FROM pragma_table_xinfo(?) ORDER BY name", m[1])
			rows("key "+name, "SELECT \"from\", \"table\", coalesce(\"to\", '-'), on_update, on_delete, seq FROM pragma_foreign_key_list(?) ORDER BY 2, 1, 3", m[1])
			for _, ix := range rows("", "SELECT name, \"unique\", origin, partial FROM pragma_index_list(?)", m[1]) {
				label := ix[0]
				if ix[2] != "c" {
					label = "(made by the engine)"
				}
				var cols []string
				for _, c := range rows("", "SELECT coalesce(name, 'expression'), \"desc\", coll FROM pragma_index_xinfo(?) WHERE key ORDER BY seqno", ix[0]) {
					cols = append(cols, strings.ToLower(strings.Join(c, " ")))
				}
				out = append(out, strings.ToLower(fmt.Sprintf("index %s %s %v %s", name, label, ix[1:], strings.Join(cols, ", "))))
			}
			for _, word := range []string{"CHECK", "AUTOINCREMENT", "WITHOUT ROWID", "STRICT", "DEFERRED", "NOCASE"} {
				out = append(out, fmt.Sprintf("%s has %d %s", name, strings.Count(strings.ToUpper(m[2]), word), word))
			}
		}
	}
	sort.Strings(out)
	return out
}

// flat takes the layout and the quotes off a text.
func flat(s string) string {
	s = strings.NewReplacer(`"`, "", "`", "", "[", "", "]", "", "(", " ( ", ")", " ) ", ",", " , ", ";", " ; ").Replace(s)
	return strings.ToLower(strings.Join(strings.Fields(s), " "))
}

// TestFileVersions: the numbers in a file's header count when they are asked for,
// from every kind of place, and are spoken of when they differ.
func TestFileVersions(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	lite(t, dir, "dev.db", "PRAGMA user_version = 7; PRAGMA application_id = -5; CREATE TABLE berth (id INTEGER PRIMARY KEY);")
	lite(t, dir, "live.db", "PRAGMA journal_mode=WAL; PRAGMA user_version = 3; CREATE TABLE berth (id INTEGER PRIMARY KEY);")
	write(t, dir, "dev.sql", "PRAGMA application_id(-5); CREATE TABLE berth (id INTEGER PRIMARY KEY);\nPRAGMA user_version=7; PRAGMA user_version;")
	want(t, 0, dir, "capture", "dev.db", "-o", "dev.json")
	if r := want(t, 0, dir, "compare", "dev.db", "live.db"); !strings.Contains(r.errout, "--include versions") {
		t.Errorf("it is not said: %s", r.errout)
	}
	if r := want(t, 0, dir, "compare", "dev.db", "dev.json"); strings.Contains(r.errout, "versions") {
		t.Errorf("it is said: %s", r.errout)
	}
	for _, place := range []string{"dev.sql", "dev.json"} {
		answers(t, 0, dir, "dev.db", place, "--include", "versions")
		answers(t, 1, dir, place, "live.db", "--include", "versions")
	}
	want(t, 0, dir, "script", "dev.db", "live.db", "--include", "versions", "-o", "up.sql", "--backout", "down.sql", "--rehearse")
	for _, step := range []struct{ file, numbers string }{{"up.sql", "7\n-5"}, {"down.sql", "3\n0"}} {
		want(t, 0, dir, "apply", step.file, "live.db", "--yes")
		if got := strings.TrimSpace(ask(t, filepath.Join(dir, "live.db"), "PRAGMA user_version; PRAGMA application_id")); got != step.numbers {
			t.Errorf("%s: %s", step.file, got)
		}
	}
	for _, f := range []string{"live.db-wal", "live.db-shm"} {
		if _, err := os.Stat(filepath.Join(dir, f)); err == nil {
			t.Errorf("%s was left", f)
		}
	}
}
