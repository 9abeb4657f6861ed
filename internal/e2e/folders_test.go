package e2e

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/report"
)

// everything are the groups of an engine, which count here as well.
var everything = map[string]string{"sqlite": "versions", "postgres": "owners,grants", "mariadb": "grants,definers"}

// equal compares two places, all groups counted, and fails unless nothing
// differs. What was not seen is no proof: it must not be more than is expected.
func equal(t testing.TB, dir, engine, source, target string, unseen ...string) {
	t.Helper()
	r := run(t, dir, "compare", source, target, "--scratch", "local", "--include", everything[engine])
	if r.code != 0 {
		t.Errorf("%s and %s: exit %d\n%s%s", source, target, r.code, r.out, r.errout)
		return
	}
	for _, l := range strings.Split(r.out, "\n") {
		if what, ok := strings.CutPrefix(l, "not compared: "); ok && !slices.ContainsFunc(unseen, func(u string) bool { return strings.HasPrefix(what, u) }) {
			t.Errorf("%s and %s: not compared: %s", source, target, what)
		}
	}
}

// harbours are the harbour of an engine, dev and live.
func harbours(t testing.TB, engine string) (dev, live string) {
	t.Helper()
	name := map[string]string{"sqlite": "sqlite", "postgres": "postgres", "mariadb": "mysql"}[engine]
	return read(t, filepath.Join("..", "demo", name, "dev.sql")), read(t, filepath.Join("..", "demo", name, "live.sql"))
}

// files reads a folder: every file by its name beneath it.
func files(t testing.TB, dir string) map[string]string {
	t.Helper()
	out := map[string]string{}
	err := filepath.WalkDir(dir, func(p string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := os.ReadFile(p)
		name, _ := filepath.Rel(dir, p)
		out[filepath.ToSlash(name)] = string(data)
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

func gzipped(t testing.TB, text string) string {
	t.Helper()
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	if _, err := w.Write([]byte(text)); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// TestFolders: a folder that a structure was captured to says the same as the
// database, and the same bytes come of it again; bringing it in line with
// another database changes the files of what differs and no other byte, and
// then it says the same as that.
func TestFolders(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			p := e.with(t)
			dir := t.TempDir()
			devSQL, liveSQL := harbours(t, e.name)
			dev, live := p.make(t, devSQL), p.make(t, liveSQL)
			want(t, 0, dir, "capture", live, "--as", "folder", "-o", "db")
			want(t, 0, dir, "capture", live, "--as", "folder", "-o", "again")
			if a, b := files(t, filepath.Join(dir, "db")), files(t, filepath.Join(dir, "again")); !maps.Equal(a, b) {
				t.Error("two captures of one structure are not the same bytes")
			}
			equal(t, dir, e.name, "db", live)

			// What is new does not bring along whose it is on the other side, unless that
			// counts.
			want(t, 0, dir, "sync", dev, "again", "--scratch", "local", "--yes")
			want(t, 0, dir, "compare", "again", dev, "--scratch", "local")
			old, mine := files(t, filepath.Join(dir, "db")), files(t, filepath.Join(dir, "again"))
			for name, text := range mine {
				if _, was := old[name]; !was && (strings.Contains(text, "OWNER") || strings.Contains(text, "DEFINER") || strings.Contains(text, "GRANT")) {
					t.Errorf("%s brings along whose it is:\n%s", name, text)
				}
				if was := old[name]; strings.Count(was, "OWNER") != strings.Count(text, "OWNER") {
					t.Errorf("%s: what was said of its owner changed:\n%s", name, text)
				}
			}

			// People write into it: comments stay, and so does what no object is in.
			table := "berth.table.sql"
			if e.name == "postgres" {
				table = "harbour/" + table
			}
			write(t, filepath.Join(dir, "db"), table, "-- Ask Mara before you change this.\n\n"+read(t, filepath.Join(dir, "db", table))+"\n-- The end.\n")
			write(t, filepath.Join(dir, "db"), "README.md", "notes")
			before := files(t, filepath.Join(dir, "db"))
			var differ report.Output
			if err := json.Unmarshal([]byte(want(t, 1, dir, "compare", dev, live, "--format", "json", "--include", everything[e.name]).out), &differ); err != nil {
				t.Fatal(err)
			}
			// What a text says knows where it stands.
			line := strings.Count(read(t, filepath.Join(dir, "db", table))[:strings.Index(read(t, filepath.Join(dir, "db", table)), "CREATE TABLE")], "\n") + 1
			at := fmt.Sprintf("db/%s:%d:1", table, line)
			if r := want(t, 1, dir, "compare", dev, "db", "--scratch", "local", "--detail"); !strings.Contains(r.out, "target at "+at+"\n") || strings.Contains(r.out, "source at") {
				t.Errorf("where berth stands is not said, or wrongly:\n%s", r.out)
			}
			if r := want(t, 1, dir, "compare", "db", dev, "--scratch", "local", "--format", "json"); !strings.Contains(r.out, `"source_at": "`+at+`"`) {
				t.Errorf("where berth stands is not said to programs")
			}
			r := want(t, 3, dir, "sync", dev, "db", "--scratch", "local", "--include", everything[e.name], "--no-input")
			if !strings.Contains(r.errout, "give --yes") || !maps.Equal(before, files(t, filepath.Join(dir, "db"))) {
				t.Errorf("without an answer: %s", r.errout)
			}
			var done report.Output
			if err := json.Unmarshal([]byte(want(t, 0, dir, "sync", dev, "db", "--scratch", "local", "--include", everything[e.name], "--yes", "--format", "json").out), &done); err != nil || done.Run == nil {
				t.Fatalf("no JSON: %v", err)
			}
			after := files(t, filepath.Join(dir, "db"))
			changed := map[string]bool{}
			for _, f := range done.Run.Files {
				changed[f.File] = true
				if was, now := before[f.File] != "", after[f.File] != ""; map[string][2]bool{"new": {false, true}, "changed": {true, true}, "gone": {true, false}}[f.Change] != [2]bool{was, now} {
					t.Errorf("%s is said to be %s", f.File, f.Change)
				}
			}
			for name, text := range before {
				if after[name] != text && !changed[name] {
					t.Errorf("%s changed and nobody said so", name)
				}
			}
			if n := len(differ.Comparisons[0].Differences); len(changed) != n {
				t.Errorf("%d files changed for %d objects: %v", len(changed), n, changed)
			}
			if text := after[table]; !strings.HasPrefix(text, "-- Ask Mara before you change this.\n\nCREATE TABLE") || !strings.HasSuffix(text, "-- The end.\n") || !strings.Contains(text, "shore_power") {
				t.Errorf("the comments of %s:\n%s", table, text)
			}
			equal(t, dir, e.name, "db", dev)

			// What goes to the source goes into its folder.
			want(t, 0, dir, "sync", "db", live, "--scratch", "local", "--to-source", "table:*", "--yes", "--add-needed")
			r = run(t, dir, "compare", "db", live, "--scratch", "local", "--format", "json")
			var left report.Output
			if err := json.Unmarshal([]byte(r.out), &left); err != nil {
				t.Fatalf("%v %s", err, r.errout)
			}
			for _, d := range left.Comparisons[0].Differences {
				if d.Kind == "table" {
					t.Errorf("%s still differs from what went to the source", d.Name)
				}
			}

			// A capture over it makes it what a new one is, and leaves the rest.
			want(t, 2, dir, "capture", live, "--as", "folder", "-o", "db")
			want(t, 0, dir, "capture", live, "--as", "folder", "-o", "db", "--force")
			want(t, 0, dir, "capture", live, "--as", "folder", "-o", "fresh")
			now := files(t, filepath.Join(dir, "db"))
			if now["README.md"] != "notes" {
				t.Error("a file that is no object went")
			}
			delete(now, "README.md")
			if fresh := files(t, filepath.Join(dir, "fresh")); !maps.Equal(now, fresh) {
				t.Errorf("over an older one it is not what a new one is: %v, %v", slices.Sorted(maps.Keys(now)), slices.Sorted(maps.Keys(fresh)))
			}
		})
	}
}

// TestFolderPairs brings the folder of some targets in line with its
// source, and reads it again; and the same with one text, as people wrote it.
func TestFolderPairs(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		pattern := map[string]string{"sqlite": "testdata/sqlite/*.sql", "postgres": "testdata/postgres/harbour*.sql", "mariadb": "testdata/mariadb/harbour*.sql"}[e.name]
		step := map[string]int{"sqlite": 3, "postgres": 9, "mariadb": 5}[e.name]
		t.Run(e.name, func(t *testing.T) {
			p := e.with(t)
			for i, c := range readPairs(t, pattern) {
				if i%step != 0 || c.since > "15" || strings.Contains(c.common+c.source+c.target, "LANGUAGE c ") {
					continue
				}
				t.Run(c.name, func(t *testing.T) {
					dir := t.TempDir()
					source, target := p.make(t, c.common+c.source), p.make(t, c.common+c.target)
					r := run(t, dir, "capture", target, "--as", "folder", "-o", "db")
					if r.code != 0 {
						t.Fatalf("capturing: %s", r.errout)
					}
					equal(t, dir, e.name, "db", target, "connection", "something")
					r = run(t, dir, "sync", source, "db", "--scratch", "local", "--yes", "--include", everything[e.name])
					switch {
					case r.code == 3 && strings.Contains(r.errout, "cannot be written anew"):
						equal(t, dir, e.name, "db", target, "connection", "something") // refused, and as it was
					case r.code != 0:
						t.Errorf("bringing the folder in line: %d %s%s", r.code, r.out, r.errout)
					default:
						equal(t, dir, e.name, "db", source, "connection", "something")
					}
					text := c.common + c.target
					write(t, dir, "one.sql", text)
					r = run(t, dir, "sync", source, "one.sql", "--scratch", "local", "--yes", "--dialect", e.engine)
					switch {
					case r.code == 3 && strings.Contains(r.errout, "cannot be written anew"):
						if read(t, filepath.Join(dir, "one.sql")) != text {
							t.Error("what was refused was written all the same")
						}
					case r.code != 0:
						t.Errorf("bringing the text in line: %d %s%s", r.code, r.out, r.errout)
					}
				})
			}
		})
	}
}

// TestLayouts: however the texts of a structure lie, they say the same: in one
// file, a file a kind, numbered as they were written, an object a file in any
// order; packed or not; with an owner's own notes between them.
func TestLayouts(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			p := e.with(t)
			dir := t.TempDir()
			parts := []string{
				"CREATE TABLE berth (id int NOT NULL PRIMARY KEY, name varchar(40));",
				"CREATE TABLE port_call (id int NOT NULL PRIMARY KEY, berth_id int, FOREIGN KEY (berth_id) REFERENCES berth (id));",
				"CREATE VIEW calls AS SELECT c.id, b.name FROM port_call c JOIN berth b ON b.id = c.berth_id;",
				"CREATE INDEX call_berth ON port_call (berth_id);",
				"ALTER TABLE berth ADD COLUMN depth int;",
				"CREATE VIEW deep AS SELECT id, depth FROM berth;",
			}
			live := p.make(t, strings.Join(parts, "\n"))
			lay := func(name string, files map[string]string) {
				for f, text := range files {
					if err := os.MkdirAll(filepath.Dir(filepath.Join(dir, name, f)), 0o755); err != nil {
						t.Fatal(err)
					}
					write(t, filepath.Join(dir, name), f, text)
				}
				r := run(t, dir, "compare", name, live, "--scratch", "local")
				if r.code != 0 {
					t.Errorf("%s: exit %d\n%s%s", name, r.code, r.out, r.errout)
				}
			}
			lay("one", map[string]string{"all.sql": "-- notes\n" + strings.Join(parts, "\n\n")})
			lay("numbered", map[string]string{"1_berth.sql": parts[0], "2_call.sql": parts[1], "3_views.sql": parts[2], "9_index.sql": parts[3], "10_depth.sql": parts[4], "11_deep.sql": parts[5]})
			lay("kinds", map[string]string{"tables.sql": parts[1] + parts[0] + parts[4], "views.sql": parts[5] + parts[2], "a/indexes.sql": parts[3]})
			lay("objects", map[string]string{"b/z.sql": parts[0], "a.sql": parts[1], "b/b.SQL": parts[2], "c.ddl": parts[3], "d.sql": parts[4], "README.md": "CREATE TABLE readme (x int);", ".hidden/x.sql": "CREATE TABLE hidden (x int);", "e.sql": parts[5]})
			lay("packed", map[string]string{"all.sql.gz": gzipped(t, strings.Join(parts, "\n"))})
			if r := run(t, dir, "sync", live, "packed", "--yes", "--scratch", "local"); r.code != 0 { // nothing differs
				t.Errorf("a packed folder that is in line: %d %s", r.code, r.errout)
			}
			other := p.make(t, parts[0])
			if r := run(t, dir, "sync", other, "packed", "--yes", "--scratch", "local"); r.code != 3 || !strings.Contains(r.errout, "is packed") {
				t.Errorf("a packed folder that is not: %d %s", r.code, r.errout)
			}
			// Numbered changes are continued by a script, or written as one.
			r := run(t, dir, "sync", other, "numbered", "--yes", "--scratch", "local")
			if now := run(t, dir, "compare", "numbered", map[bool]string{true: other, false: live}[r.code == 0], "--scratch", "local"); now.code != 0 || r.code != 0 && r.code != 3 {
				t.Errorf("numbered changes: %d, then %d\n%s%s", r.code, now.code, r.errout, now.out)
			}
		})
	}
}

// TestDumps: every form in which an engine's dump program writes a structure, and
// every packing, is that structure.
func TestDumps(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			p := e.with(t)
			dir := t.TempDir()
			devSQL, liveSQL := harbours(t, e.name)
			live := p.make(t, liveSQL)
			var unseen []string
			switch p := p.(type) {
			case litePlaces:
				command(t, "", "sh", "-c", fmt.Sprintf("sqlite3 '%s' .dump > '%s/plain.sql'", live, dir))
			case pgPlaces:
				dump := func(args ...string) {
					command(t, "", filepath.Join(p.s.clients, "pg_dump"), append([]string{"-h", p.s.dir, "-U", "postgres", "-d", p.name(live)}, args...)...)
				}
				dump("-f", filepath.Join(dir, "plain.sql"))
				dump("-Fc", "-f", filepath.Join(dir, "custom.dump"))
				dump("-Ft", "-f", filepath.Join(dir, "tar.dump"))
				dump("-Fd", "-f", filepath.Join(dir, "folder"))
				dump("--inserts", "--clean", "--if-exists", "--create", "-f", filepath.Join(dir, "inserts.sql"))
				for _, f := range []string{"custom.dump", "tar.dump", "folder", "inserts.sql"} {
					equal(t, dir, e.name, f, live)
				}
				other := p.make(t, devSQL)
				all := command(t, "", filepath.Join(p.s.clients, "pg_dump"), "--create", "-h", p.s.dir, "-U", "postgres", "-d", p.name(live)) +
					command(t, "", filepath.Join(p.s.clients, "pg_dump"), "--create", "-h", p.s.dir, "-U", "postgres", "-d", p.name(other))
				write(t, dir, "both.sql", all)
				equal(t, dir, e.name, "both.sql#"+p.name(live), live)
				several(t, dir, "both.sql", p.name(live), p.name(other))
			case mariaPlaces:
				dump := func(args ...string) string {
					return command(t, "", "mariadb-dump", append([]string{"--no-defaults", "--socket=" + p.s.socket(), "--user=root", "--routines", "--events"}, args...)...)
				}
				write(t, dir, "plain.sql", dump(p.name(live)))
				other := p.make(t, devSQL)
				write(t, dir, "both.sql", dump("--databases", p.name(live), p.name(other)))
				equal(t, dir, e.name, "both.sql#"+p.name(live), live)
				several(t, dir, "both.sql", p.name(live), p.name(other))
				unseen = []string{"database of the source"}
			}
			plain := read(t, filepath.Join(dir, "plain.sql"))
			packed := gzipped(t, plain)
			write(t, dir, "plain.sql.gz", packed)
			command(t, "", "sh", "-c", fmt.Sprintf("cd '%s' && xz -k plain.sql && (zstd -q plain.sql || true)", dir))
			for _, f := range []string{"plain.sql", "plain.sql.gz", "plain.sql.xz", "plain.sql.zst"} {
				if _, err := os.Stat(filepath.Join(dir, f)); err == nil {
					equal(t, dir, e.name, f, live, unseen...)
				}
			}
			r := runWith(t, dir, packed, nil, "compare", "-", live, "--scratch", "local")
			if r.code != 0 {
				t.Errorf("a packed dump on standard input: %d %s%s", r.code, r.out, r.errout)
			}
			// One object out of a backup.
			r = want(t, 0, dir, "script", "plain.sql.gz", p.make(t, devSQL), "--scratch", "local", "--only", "view:*", "--add-needed", "-o", "up.sql")
			if text := read(t, filepath.Join(dir, "up.sql")); !strings.Contains(text, "step 1") && !strings.Contains(text, "nothing to do") && !strings.Contains(text, "none to run") {
				t.Errorf("one object of a backup: %s", text)
			}
			cut := write(t, dir, "cut.sql.gz", packed[:len(packed)/2])
			if r := run(t, dir, "compare", cut, live, "--scratch", "local"); r.code != 2 || !strings.Contains(r.errout, "unexpected EOF") {
				t.Errorf("half a file: %d %s", r.code, r.errout)
			}
		})
	}
}

// several compares a text of two databases without saying which, and with one
// that is not there.
func several(t *testing.T, dir, file, a, b string) {
	t.Helper()
	if r := run(t, dir, "compare", file, file, "--scratch", "local"); r.code != 2 {
		t.Errorf("a place with itself: %d", r.code)
	}
	r := run(t, dir, "capture", file, "--scratch", "local")
	if r.code != 2 || !strings.Contains(r.errout, a) || !strings.Contains(r.errout, b) || !strings.Contains(r.errout, "say which") {
		t.Errorf("two databases: %d %s", r.code, r.errout)
	}
	if r := run(t, dir, "capture", file+"#nowhere", "--scratch", "local"); r.code != 2 || !strings.Contains(r.errout, "no database nowhere is in it") {
		t.Errorf("no such database: %d %s", r.code, r.errout)
	}
}

// TestScratchPlace: a text is read on a server that was named for it, where
// nothing is left of it; without a word it is read nowhere.
func TestScratchPlace(t *testing.T) {
	t.Parallel()
	for _, e := range engines[1:] {
		t.Run(e.name, func(t *testing.T) {
			p := e.with(t)
			dir := t.TempDir()
			devSQL, liveSQL := harbours(t, e.name)
			live := p.make(t, liveSQL)
			write(t, dir, "live.sql", liveSQL)
			write(t, dir, "dev.sql", devSQL)
			left := map[string]string{"postgres": "SELECT 'left ' || datname FROM pg_database WHERE datname LIKE 'dapper%' UNION ALL SELECT 'left role ' || rolname FROM pg_roles WHERE rolname LIKE 'dapper%'",
				"mariadb": "SELECT concat('le', 'ft ', schema_name) FROM information_schema.schemata WHERE schema_name LIKE 'dapper%' UNION ALL SELECT concat('le', 'ft user ', user) FROM mysql.user WHERE user LIKE 'dm\\_%' UNION ALL SELECT concat('le', 'ft right on ', db) FROM mysql.db WHERE db LIKE 'dapper%'"}[e.name]
			nothing := func() bool { return !strings.Contains(p.ask(t, live, left), "left ") }
			if r := run(t, dir, "compare", "live.sql", live); r.code != 2 || !strings.Contains(r.errout, "--scratch local") || !strings.Contains(r.errout, "--scratch PLACE") {
				t.Errorf("nobody said where: %d %s", r.code, r.errout)
			}
			want(t, 0, dir, "compare", "live.sql", live, "--scratch", live)
			write(t, dir, "dapper-mirror.yaml", "places:\n  kept: {at: \""+live+"\", read-only: true}\n  own: {at: dev.sql, scratch: \""+live+"\", dialect: "+e.engine+"}\n")
			for _, place := range []string{"kept", live} {
				if r := run(t, dir, "compare", "live.sql", "dev.sql", "--scratch", place); r.code != 3 || !strings.Contains(r.errout, "read-only") {
					t.Errorf("beside a place that nobody may write to: %d %s", r.code, r.errout)
				}
			}
			write(t, dir, "dapper-mirror.yaml", "places:\n  own: {at: dev.sql, scratch: \""+live+"\", dialect: "+e.engine+"}\n")
			want(t, 1, dir, "compare", "own", live)
			if err := os.Remove(filepath.Join(dir, "dapper-mirror.yaml")); err != nil {
				t.Fatal(err)
			}
			want(t, 1, dir, "compare", "dev.sql", live, "--scratch", live)
			write(t, dir, "broken.sql", liveSQL+"\n\nCREATE TABLE broken (\n  id int,\n  x nosuchtype\n);\n")
			r := run(t, dir, "compare", "broken.sql", live, "--scratch", live)
			line := strings.Count(liveSQL, "\n") + 3
			if r.code != 2 || !strings.Contains(r.errout, "broken.sql:"+fmt.Sprint(line)) && !strings.Contains(r.errout, "broken.sql:"+fmt.Sprint(line+2)) || !strings.Contains(r.errout, "nosuchtype") {
				t.Errorf("a broken text: %d %s, want line %d", r.code, r.errout, line)
			}
			if !nothing() {
				t.Errorf("on the server is %s", p.ask(t, live, left))
			}
			// Stopped in the middle it leaves nothing either.
			cmd := exec.Command(program, "compare", "dev.sql", live, "--scratch", live)
			cmd.Dir, cmd.Env = dir, []string{"PATH=" + os.Getenv("PATH"), "HOME=" + dir, "TMPDIR=" + tempDir}
			if err := cmd.Start(); err != nil {
				t.Fatal(err)
			}
			until(t, "it is at work", func() bool {
				return cmd.ProcessState != nil || !nothing()
			})
			_ = cmd.Process.Signal(os.Interrupt) // it may be done already
			_ = cmd.Wait()
			until(t, "nothing is left of "+strings.Join(strings.Fields(p.ask(t, live, left)), " "), nothing)
		})
	}
}

// TestGit: a branch's folder is compared with another's, with a database and
// with one in another repository, and the work tree stays as it is.
func TestGit(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	devSQL, liveSQL := harbours(t, "sqlite")
	lite(t, dir, "dev.db", devSQL)
	lite(t, dir, "live.db", liveSQL)
	repo := filepath.Join(dir, "repo")
	if err := os.Mkdir(repo, 0o755); err != nil {
		t.Fatal(err)
	}
	git := func(args ...string) {
		t.Helper()
		command(t, "", "git", append([]string{"-C", repo, "-c", "user.name=Mara", "-c", "user.email=mara@quillhaven.example", "-c", "init.defaultBranch=main"}, args...)...)
	}
	git("init", "-q")
	want(t, 0, repo, "capture", "../live.db", "--as", "folder", "-o", "db")
	want(t, 0, repo, "capture", "../live.db", "-o", "live.json")
	git("add", "-A")
	git("commit", "-qm", "The office's database")
	git("checkout", "-qb", "shore-power")
	want(t, 0, repo, "sync", "../dev.db", "db", "--yes")
	git("add", "-A")
	git("commit", "-qm", "Shore power")
	write(t, repo, "db/berth.table.sql", "not committed")
	before := snapshot(t, repo)
	for _, c := range []struct {
		name, in, a, b string
		exit           int
		says           string
	}{
		{"two branches", repo, "git:HEAD:db", "git:main:db", 1, "10 differ"},
		{"a revision and a database", repo, "git:shore-power:db", "../dev.db", 0, ""},
		{"an earlier one", repo, "git:HEAD~1:db", "../live.db", 0, ""},
		{"from within the folder", filepath.Join(repo, "db"), "git:main:.", "../../live.db", 0, ""},
		{"its top", repo, "git:main:", "git:main:db", 0, ""},
		{"a capture", repo, "git:main:live.json", "../live.db", 0, ""},
		{"one file", repo, "git:main:db/tariff.table.sql", "git:HEAD:db/tariff.table.sql", 1, "1 differs"},
		{"another repository", dir, "git:repo//main:db", "live.db", 0, ""},
		{"one that git fetches", dir, "git:file://" + repo + "//shore-power:db", "dev.db", 0, ""},
		{"no revision", repo, "git:gone:db", "../live.db", 2, "there is no revision gone"},
		{"no such path", repo, "git:main:gone", "../live.db", 2, "main has no gone"},
		{"outside", repo, "git:main:../live.db", "../live.db", 2, "outside of the repository"},
		{"an option", repo, "git:--upload-pack=x:db", "../live.db", 2, "no revision"},
		{"no repository", dir, "git:main:db", "live.db", 2, "in no git repository"},
		{"a program for a protocol", dir, "git:ext::sh -c 'touch pwned'//main:db", "live.db", 2, "not allowed"},
		{"a broken one", repo, "git:main:db#x", "../live.db", 2, "one database"},
	} {
		r := run(t, c.in, "compare", c.a, c.b)
		if r.code != c.exit || !strings.Contains(r.out+r.errout, strings.TrimPrefix(c.says, "10 differ")) {
			t.Errorf("%s: exit %d, want %d and %q\n%s%s", c.name, r.code, c.exit, c.says, r.out, r.errout)
		}
	}
	if snapshot(t, repo) != before {
		t.Error("reading revisions changed the work tree")
	}
	if _, err := os.Stat(filepath.Join(dir, "pwned")); err == nil {
		t.Error("a repository's address ran a command")
	}
	if left, _ := filepath.Glob(filepath.Join(tempDir, "dapper-mirror-git-*")); len(left) > 0 {
		t.Errorf("left: %v", left)
	}
}

// TestHostileTexts: what reaches beyond the database is refused or has no
// effect, and is said with its line; what runs for ever is given up.
func TestHostileTexts(t *testing.T) {
	t.Parallel()
	for _, e := range engines[1:] {
		t.Run(e.name, func(t *testing.T) {
			_ = e.with(t) // the programs are there
			for _, c := range readHostile(t, filepath.Join("testdata", "texts", "hostile."+e.name+".sql")) {
				t.Run(c.name, func(t *testing.T) {
					dir := t.TempDir()
					mark := filepath.Join(dir, "pwned")
					write(t, dir, "x.sql", strings.ReplaceAll(c.text, "{mark}", mark))
					r := run(t, dir, "capture", "x.sql", "--dialect", e.engine, "--scratch", "local")
					if r.code != c.exit || !strings.Contains(r.out+r.errout, c.says) {
						t.Errorf("exit %d, want %d and %q\n%.2000s%s", r.code, c.exit, c.says, r.out, r.errout)
					}
					if c.exit == 2 && !strings.Contains(r.errout, "x.sql:") {
						t.Errorf("it is not said where: %s", r.errout)
					}
					if _, err := os.Stat(mark); err == nil {
						t.Error("it got out")
					}
				})
			}
		})
	}
}

type hostileText struct {
	name, says, text string
	exit             int
}

// readHostile reads texts: "--- case NAME", "--- says EXIT WORDS", then the text.
func readHostile(t *testing.T, path string) []hostileText {
	t.Helper()
	var out []hostileText
	for _, line := range strings.SplitAfter(read(t, path), "\n") {
		name, isCase := strings.CutPrefix(line, "--- case ")
		says, isSays := strings.CutPrefix(line, "--- says ")
		switch {
		case isCase:
			out = append(out, hostileText{name: strings.TrimSpace(name)})
		case isSays:
			c := &out[len(out)-1]
			if _, err := fmt.Sscan(says, &c.exit); err != nil {
				t.Fatal(err)
			}
			_, c.says, _ = strings.Cut(strings.TrimSpace(says), " ")
		case len(out) > 0:
			out[len(out)-1].text += line
		}
	}
	return out
}
