package e2e

import (
	"encoding/csv"
	"encoding/xml"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// TestReports: on every engine each report counts the same differences, names each of
// them, and is the same when it is made of the JSON result later.
func TestReports(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			p := e.with(t)
			dev, live := harbours(t, e.name)
			source, target := p.make(t, dev), p.make(t, live)
			args := []string{"script", source, target, "-o", "up.sql", "--may-lose", "*", "--row-checks", "off", "--tolerate", "comments", "-q"}
			forms := []string{"html", "xlsx", "csv", "md", "xml", "json"}
			for _, f := range forms {
				args = append(args, "--report", "out/r."+f)
			}
			if r := run(t, dir, args...); r.code != 0 && r.code != 3 {
				t.Fatalf("%d %s", r.code, r.errout)
			}
			all := files(t, filepath.Join(dir, "out"))
			if len(all) != len(forms) {
				t.Fatalf("%d reports", len(all))
			}
			for _, f := range forms {
				want(t, 0, dir, "compare", "--report-only", "out/r.json", "--report", "again."+f)
				if f != "xlsx" && read(t, filepath.Join(dir, "again."+f)) != all["r."+f] {
					t.Errorf("%s of the JSON result is another one", f)
				}
			}
			o := output(t, result{out: all["r.json"]})
			n := len(o.Comparisons[0].Differences)
			values, err := csv.NewReader(strings.NewReader(all["r.csv"])).ReadAll()
			if err != nil || len(values) != n+1 {
				t.Errorf("%d values for %d differences: %v", len(values)-1, n, err)
			}
			var suites struct {
				Failures int `xml:"failures,attr"`
			}
			if err := xml.Unmarshal([]byte(all["r.xml"]), &suites); err != nil || suites.Failures != n {
				t.Errorf("%d failures for %d differences: %v", suites.Failures, n, err)
			}
			if got := strings.Count(all["r.html"], `<article class="object`); got != n+len(o.Comparisons[0].Same) {
				t.Errorf("%d objects on the page, want %d", got, n+len(o.Comparisons[0].Same))
			}
			if got := strings.Count(all["r.html"], `<article class="step`); got != len(o.Script.Steps)+len(o.Script.Held) {
				t.Errorf("%d steps on the page, want %d", got, len(o.Script.Steps)+len(o.Script.Held))
			}
			if got := strings.Count(all["r.md"], "<details>"); got != n+len(o.Script.Steps)+len(o.Script.Held) && !strings.Contains(all["r.md"], "left out here") {
				t.Errorf("%d sections for %d differences", got, n)
			}
			for _, d := range o.Comparisons[0].Differences {
				for _, f := range []string{"html", "csv", "xml"} {
					if !strings.Contains(all["r."+f], d.Name) && !strings.ContainsAny(d.Name, `"'<>&`) {
						t.Errorf("%s does not name %s", f, d.Name)
					}
				}
			}
			list := want(t, 1, dir, "compare", source, target, "--tolerate", "comments", "--report", "of.md")
			if !strings.Contains(read(t, filepath.Join(dir, "of.md")), regexp.MustCompile(`\d+ differ`).FindString(list.out)) {
				t.Error("the list and the comment count otherwise")
			}
		})
	}
	dir := harbour(t)
	for _, c := range []struct{ args, says string }{
		{"compare dev.db live.db --report x.doc", "says what a report is: .csv, .html"}, {"compare dev.db live.db --report dev.db", "says what a report is"},
		{"compare --report-only dev.db --report x.md", "is not understood"}, {"compare --report-only none.json --report x.md", "does not exist"},
		{"compare dev.db live.db --report-only x.json --report x.md", "takes no places"}, {"compare --report-only x.json", "writes the files of --report"},
	} {
		if r := run(t, dir, strings.Fields(c.args)...); r.code != 2 || r.out != "" || !strings.Contains(r.errout, c.says) {
			t.Errorf("%s: %d %s", c.args, r.code, r.errout)
		}
	}
	write(t, dir, "there.md", "mine")
	if r := run(t, dir, "compare", "dev.db", "live.db", "--report", "there.md"); r.code != 2 || read(t, filepath.Join(dir, "there.md")) != "mine" {
		t.Errorf("over what is there: %d %s", r.code, r.errout)
	}
	// What is left by choice and what stands in another order is said wherever the object is.
	command(t, "CREATE TABLE lane (a, b, c);CREATE TABLE quay (id); CREATE TABLE shed (id)", "sqlite3", filepath.Join(dir, "d.db"))
	command(t, "CREATE TABLE lane (b, a); CREATE INDEX ix_lane ON lane (a); CREATE TABLE quay (id)", "sqlite3", filepath.Join(dir, "l.db"))
	said := []string{want(t, 1, dir, "compare", "d.db", "l.db", "--leave", "index:ix_lane,table:shed", "--detail", "--report", "c.html", "--report", "c.md", "--report", "c.json", "--report", "c.csv", "--report", "c.xml").out}
	for _, f := range []string{"html", "md", "json", "csv", "xml"} {
		said = append(said, read(t, filepath.Join(dir, "c."+f)))
	}
	for i, text := range said {
		text = strings.NewReplacer(`\`, "").Replace(text)
		if !strings.Contains(text, "(index ix_lane is left)") || !strings.Contains(text, "(is left)") || i < 4 && !strings.Contains(text, "stand in another order") {
			t.Errorf("of what is left or stands elsewhere not all is said:\n%s", text)
		}
	}
	// A script alone: its steps are the cases, and what stands in the way is one that fails.
	want(t, 3, dir, "script", "dev.db", "live.db", "-o", "up.sql", "-q")
	want(t, 0, dir, "check", "up.sql", "live.db", "--report", "check.xml", "--report", "check.html")
	command(t, "", "sqlite3", filepath.Join(dir, "live.db"), "ALTER TABLE berth ADD COLUMN moved")
	want(t, 1, dir, "check", "up.sql", "live.db", "--report", "moved.xml", "--report", "moved.html")
	for name, fails := range map[string]int{"check": 0, "moved": 1} {
		text := read(t, filepath.Join(dir, name+".xml"))
		if !strings.Contains(text, fmt.Sprintf(`failures="%d"`, fails)) || strings.Count(text, "<skipped") == 0 || strings.Count(text, `classname="step"`) == 0 || strings.Contains(read(t, filepath.Join(dir, name+".html")), "note warn") != (fails > 0) {
			t.Errorf("%s: %s", name, text)
		}
	}
	want(t, 0, dir, "capture", "dev.db", "-o", "dev.json")
	if r := run(t, dir, "compare", "dev.json", "live.db", "--report", "./dev.json", "--force"); r.code != 2 || !strings.Contains(r.errout, "that is read") || !strings.Contains(read(t, filepath.Join(dir, "dev.json")), "berth") {
		t.Errorf("over what is read: %d %s", r.code, r.errout)
	}
	// Of several targets each way stands once, with its definitions; of a task, too.
	write(t, dir, "other.db", read(t, filepath.Join(dir, "live.db")))
	write(t, dir, "dapper-mirror.yaml", "tasks:\n  told: {source: dev.db, targets: [live.db, other.db, gone.db], reports: [told.html, told.md]}\n")
	want(t, 2, dir, "compare", "dev.db", "live.db", "other.db", "gone.db", "--report", "many.html", "--report", "many.json", "--report", "many.xml")
	want(t, 2, dir, "task", "told", "--report", "also.html")
	want(t, 0, dir, "task", "told@1", "--report", "again.html")
	want(t, 0, dir, "compare", "--report-only", "many.json", "--report", "many2.html")
	for _, name := range []string{"many.html", "told.html", "also.html", "again.html"} {
		page := read(t, filepath.Join(dir, name))
		if strings.Count(page, `class="object`) != 3 || !strings.Contains(page, "Way 1, 2 targets: live, other") || !strings.Contains(page, "gone") || !strings.Contains(page, `<mark>depth</mark>`) && !strings.Contains(page, "depth") {
			t.Errorf("%s: %d objects\n%s", name, strings.Count(page, `class="object`), page[strings.Index(page, "<main"):])
		}
	}
	if read(t, filepath.Join(dir, "many2.html")) != read(t, filepath.Join(dir, "many.html")) {
		t.Error("the page of many targets is another one when it is made later")
	}
}

// TestRowsOfATable: rows as they are, on every engine: NULL and a text that says so told
// apart, numbers, what is binary, what is long; nothing is written, and it ends.
func TestRowsOfATable(t *testing.T) {
	t.Parallel()
	odd := "o'd \"n\t`ame"
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			p := e.with(t)
			quote, blob, bytes, text := `"`, "BYTEA", `'\xdeadbeef'`, "TEXT"
			switch e.name {
			case "sqlite":
				blob, bytes = "BLOB", "x'deadbeef'"
			case "mariadb":
				quote, blob, bytes, text = "`", "BLOB", "x'deadbeef'", "VARCHAR(2000)"
			}
			q := func(s string) string { return quote + strings.ReplaceAll(s, quote, quote+quote) + quote }
			sql := fmt.Sprintf("CREATE TABLE %s (id INTEGER PRIMARY KEY, %s %s, amount NUMERIC(8,2), data %s);\n", q(odd), q("no te"), text, blob)
			for i, v := range []string{"NULL", "'NULL'", "''", "' x '", "'" + strings.Repeat("lang ", 300) + "'", "'Ω – ünï'", "'a\tb'"} {
				sql += fmt.Sprintf("INSERT INTO %s VALUES (%d, %s, %d.50, %s);\n", q(odd), i+1, v, i*1000, map[bool]string{true: bytes, false: "NULL"}[i%2 == 0])
			}
			sql += fmt.Sprintf("CREATE VIEW %s AS SELECT id, amount AS big, data FROM %s;\n", q(`odd\view`), q(odd))
			place := p.make(t, sql+"CREATE TABLE empty (id INTEGER PRIMARY KEY);\n")
			before := p.dump(t, place)
			table := `table:"` + strings.ReplaceAll(odd, `"`, `""`) + `"`
			if e.name == "postgres" {
				table = `table:public."` + strings.ReplaceAll(odd, `"`, `""`) + `"`
			}
			r := want(t, 0, dir, "rows", place, table)
			for _, s := range []string{"NULL", "'NULL'", "''", "' x '", "lang lang", "(1,500 letters)", "Ω – ünï", `a\tb`, "6000.50", "x'deadbeef'", "7 rows\n"} {
				if e.name == "sqlite" {
					s = strings.ReplaceAll(s, "6000.50", "6000.5")
				}
				if !strings.Contains(r.out, s) {
					t.Errorf("the rows do not show %q:\n%s", s, r.out)
				}
			}
			o := output(t, want(t, 0, dir, "rows", place, table, "--columns", `"no te",id`, "--where", "id > 4", "--limit", "2", "--format", "json"))
			if x := o.Rows[0]; len(x.Rows) != 2 || !x.More || len(x.Columns) != 2 || *x.Rows[0][0].Text != "5" || len(*x.Rows[0][1].Text) != 500 || x.Rows[0][1].Size != 1500 {
				t.Errorf("some of them: %+v", x)
			}
			if o := output(t, want(t, 0, dir, "rows", place, "odd\\view", "--where", "big > 3000", "--format", "json")); len(o.Rows[0].Rows) != 4 || len(o.Rows[0].Columns) != 3 || o.Rows[0].Columns[1].Name != "big" {
				t.Errorf("of a view: %+v", o.Rows[0])
			}
			if x := output(t, want(t, 0, dir, "rows", place, table, "--sample", "--limit", "3", "--format", "json")).Rows[0]; len(x.Rows) != 3 {
				t.Errorf("from anywhere: %+v", x)
			}
			if r := want(t, 0, dir, "rows", place, "empty"); !strings.Contains(r.out, "0 rows") {
				t.Errorf("none: %s", r.out)
			}
			other := p.make(t, strings.Replace(sql, "2000.50", "2000.75", 1))
			if r := want(t, 1, dir, "rows", place, other, table, "--key", "3"); !strings.Contains(r.out, "~ amount") || !strings.Contains(r.out, "1 value differs") {
				t.Errorf("beside each other:\n%s", r.out)
			}
			want(t, 0, dir, "rows", place, other, table, "--key", "2")
			slow := "(WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 100000000) SELECT count(*) FROM n) > id"
			if e.name == "mariadb" {
				slow = "sleep(30) = id"
			}
			for _, c := range []struct {
				args []string
				says string
			}{
				{[]string{table, "--where", slow, "--row-check-time", "300ms"}, "longer than 300ms"},
				{[]string{table, "--where", "1 = 1); DELETE FROM empty; --"}, "brackets closed"}, {[]string{table, "--where", "id > 0; DELETE FROM empty"}, ""}, {[]string{table, "--where", "nonsense"}, ""}, {[]string{"nowhere"}, "has no table nowhere"},
				{[]string{table, "--columns", "nota"}, "has no column nota"}, {[]string{table, "--limit", "0"}, "from 1 to"}, {[]string{table, "--key", "1,2"}, "primary key of 1 column"}, {[]string{table, "--key", `\`}, "backslash"},
			} {
				if r := run(t, dir, append([]string{"rows", place}, c.args...)...); r.code != 2 || r.out != "" || !strings.Contains(r.errout, c.says) {
					t.Errorf("%v: %d %s%s", c.args, r.code, r.out, r.errout)
				}
			}
			if e.name == "postgres" { // what a condition calls may not write either
				made := p.make(t, sql+"CREATE SEQUENCE berths; CREATE TABLE empty (id integer); INSERT INTO empty VALUES (1); CREATE FUNCTION grab() RETURNS boolean LANGUAGE sql AS $$ DELETE FROM public.empty RETURNING true $$;")
				for _, where := range []string{"nextval('berths') > 0", "grab()"} {
					if r := run(t, dir, "rows", made, table, "--where", where); r.code != 2 || !strings.Contains(r.errout, "read-only") {
						t.Errorf("%s: %d %s%s", where, r.code, r.out, r.errout)
					}
				}
				if n := p.ask(t, made, "SELECT count(*) FROM empty"); strings.TrimSpace(n) != "1" {
					t.Errorf("a row is gone: %s", n)
				}
			}
			if d := firstDifference(before, p.dump(t, place)); d != "" {
				t.Errorf("something was written: %s", d)
			}
		})
	}
	dir := harbour(t)
	want(t, 0, dir, "capture", "dev.db", "-o", "dev.json")
	if r := run(t, dir, "rows", "dev.json", "berth"); r.code != 2 || !strings.Contains(r.errout, "has no rows") {
		t.Errorf("of a capture: %d %s", r.code, r.errout)
	}
	if _, err := os.Stat(filepath.Join(dir, "live.db-wal")); err == nil {
		t.Error("a file was left")
	}
}
