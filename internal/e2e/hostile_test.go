package e2e

import (
	"bytes"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"dappermirror/internal/core/capture"
	"dappermirror/internal/core/catalog"
)

// bounded runs the program and fails where it does not come to an end.
func bounded(t *testing.T, dir, stdin string, args ...string) result {
	t.Helper()
	done := make(chan result, 1)
	go func() { done <- runWith(t, dir, stdin, nil, args...) }()
	select {
	case r := <-done:
		return r
	case <-time.After(2 * time.Minute):
		t.Fatalf("dapper-mirror %s does not come to an end", strings.Join(args, " "))
		return result{}
	}
}

// tamper writes to the schema table itself, as SQLite's own shell lets anybody.
func tamper(t *testing.T, path, name, sql string) {
	t.Helper()
	command(t, "PRAGMA writable_schema = ON;\nUPDATE sqlite_schema SET sql = "+"'"+strings.ReplaceAll(sql, "'", "''")+"' WHERE name = '"+name+"';\n", "sqlite3", path)
}

// TestDefinitionsStayInside: a definition with a tail is refused, from a
// database and from a capture, and what is odd but whole goes through the
// client unharmed.
func TestDefinitionsStayInside(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	base := "CREATE TABLE keep (id INTEGER PRIMARY KEY); CREATE TABLE t (a TEXT, n INTEGER);"
	for i, tail := range []string{";\n.shell touch owned", "; DROP TABLE keep", " /*", "; ATTACH 'owned' AS x"} {
		source, target := fmt.Sprintf("s%d.db", i), fmt.Sprintf("t%d.db", i)
		lite(t, dir, source, base+"CREATE VIEW v AS SELECT a FROM t; CREATE VIEW w AS SELECT n FROM t;")
		lite(t, dir, target, base)
		tamper(t, filepath.Join(dir, source), "v", "CREATE VIEW v AS SELECT a FROM t"+tail)
		r := run(t, dir, "script", source, target, "-o", "up.sql", "--force")
		if r.code == 0 { // a comment that the end closes is no tail
			command(t, read(t, filepath.Join(dir, "up.sql")), "sqlite3", "-bail", filepath.Join(dir, target))
			want(t, 0, dir, "compare", source, target)
		} else if !strings.Contains(r.errout, "view v") || r.code != 2 {
			t.Errorf("%q: exit %d %s", tail, r.code, r.errout)
		}
		if (r.code == 0) != (tail == " /*") {
			t.Errorf("%q: exit %d", tail, r.code)
		}
	}
	if _, err := os.Stat(filepath.Join(dir, "owned")); err == nil {
		t.Error("a stored text ran a command")
	}
	// The same in a capture that somebody wrote by hand, for each engine.
	for _, e := range engines {
		p := e.with(t)
		place := p.make(t, "CREATE TABLE keep (id integer PRIMARY KEY, name varchar(9) DEFAULT 'x', CHECK (id > 0)); CREATE INDEX i ON keep (name); CREATE VIEW v AS SELECT id FROM keep;")
		want(t, 0, dir, "capture", place, "-o", "whole.json", "--force")
		want(t, 0, dir, "compare", "whole.json", place)
		for _, tail := range []string{"; DROP TABLE keep", " 'open", " /* open", "); DROP TABLE keep; --"} {
			c, err := capture.Decode(strings.NewReader(read(t, filepath.Join(dir, "whole.json"))))
			if err != nil {
				t.Fatal(err)
			}
			for _, o := range c.Objects {
				for i := range o.Properties {
					if pr := &o.Properties[i]; o.Kind == catalog.View && pr.Name == "definition" {
						pr.Value = catalog.PlainSQL(pr.Value.String() + tail)
					}
				}
			}
			var b bytes.Buffer
			if err := capture.Encode(&b, c); err != nil {
				t.Fatal(err)
			}
			write(t, dir, "bad.json", b.String())
			if r := run(t, dir, "compare", "bad.json", place); r.code != 2 || !strings.Contains(r.errout, "the capture is refused: view:") {
				if !(e.name == "sqlite" && tail == " /* open") { // SQLite's comments may end with the text
					t.Errorf("%s, a capture with %q: %d %s", e.name, tail, r.code, r.errout)
				}
			}
		}
	}
	// Lines that the client takes for its own.
	odd := base + "CREATE VIEW division AS SELECT n\n/\n2 AS half FROM t;\nCREATE VIEW named AS SELECT n AS\ngo\nFROM t;\nCREATE VIEW dots AS SELECT '\n.quit\n' AS q, n -- why\n/\n3 AS third FROM t;"
	lite(t, dir, "odd.db", "")
	runSQL(t, filepath.Join(dir, "odd.db"), odd)
	lite(t, dir, "plain.db", base)
	want(t, 0, dir, "script", "odd.db", "plain.db", "-o", "odd.sql")
	command(t, read(t, filepath.Join(dir, "odd.sql")), "sqlite3", "-bail", filepath.Join(dir, "plain.db"))
	answers(t, 0, dir, "odd.db", "plain.db")
}

// runSQL loads SQL without the client, which reads lines in its own way.
func runSQL(t *testing.T, path, sql string) {
	t.Helper()
	command(t, "import sqlite3, sys; sqlite3.connect(sys.argv[1]).executescript(sys.argv[2])", "python3", "-c", "import sqlite3, sys; c = sqlite3.connect(sys.argv[1]); c.executescript(sys.argv[2]); c.commit()", path, sql)
}

// TestComesToAnEnd: what made the program run for ever.
func TestComesToAnEnd(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	alike := strings.Repeat(", CONSTRAINT c CHECK (a > 0), CHECK (a > 1), UNIQUE (a)", 15)
	lite(t, dir, "a.db", "CREATE TABLE t (a INTEGER"+alike+"); CREATE VIEW v AS SELECT a\n\n\n,1 AS one FROM t;")
	lite(t, dir, "b.db", "CREATE TABLE t (a INTEGER, b TEXT); CREATE VIEW v AS SELECT a FROM t;")
	if r := bounded(t, dir, "", "compare", "a.db", "b.db", "--detail"); r.code != 1 {
		t.Errorf("detail: %d %s", r.code, r.errout)
	}
	long := strings.Repeat("long_name_", 25)
	lite(t, dir, "c.db", "CREATE TABLE keep (id INTEGER);")
	lite(t, dir, "d.db", "CREATE TABLE keep (id INTEGER); CREATE TABLE "+long+" (id INTEGER); INSERT INTO "+long+" VALUES (1);")
	want(t, 0, dir, "script", "c.db", "d.db", "-o", "up.sql", "--may-lose", "*")
	if r := bounded(t, dir, "", "apply", "up.sql", "d.db", "--yes"); r.code != 0 {
		t.Errorf("apply: %d %s", r.code, r.errout)
	}
	// A server that waits for the client to begin, as PostgreSQL does.
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	if r := bounded(t, dir, "", "compare", "mysql://me@"+l.Addr().String()+"/x", "c.db"); r.code != 2 || !strings.Contains(r.errout, "MariaDB or MySQL server") {
		t.Errorf("a server that says nothing: %d %s", r.code, r.errout)
	}
}

// TestEndsAtOnce: two Ctrl-C, or a SIGTERM, end the program while it waits for
// a lock, and nothing is left behind.
func TestEndsAtOnce(t *testing.T) {
	t.Parallel()
	for name, signals := range map[string][]os.Signal{"two Ctrl-C": {os.Interrupt, os.Interrupt}, "a SIGTERM": {syscall.SIGTERM}} {
		dir := harbour(t)
		want(t, 0, dir, "script", "dev.db", "live.db", "-o", "up.sql", "--may-lose", "*")
		live := filepath.Join(dir, "live.db")
		release := holding(t, "BEGIN IMMEDIATE; SELECT 'held';", "sqlite3", live)
		before := witness(t, live)
		cmd := exec.Command(program, "apply", "up.sql", "live.db", "--yes", "--lock-timeout", "10m", "--lock-wait", "10m")
		cmd.Dir = dir
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		begun(t, filepath.Join(dir, "up.sql"))
		for _, s := range signals {
			if err := cmd.Process.Signal(s); err != nil {
				t.Fatal(err)
			}
			time.Sleep(50 * time.Millisecond) // two signals of a kind at once are one
		}
		ended := make(chan int, 1)
		go func() { ended <- exitOf(cmd) }()
		select {
		case code := <-ended:
			if code != 130 && code != 4 {
				t.Errorf("%s: exit %d", name, code)
			}
		case <-time.After(time.Minute):
			_ = cmd.Process.Kill()
			t.Errorf("%s: it goes on", name)
		}
		release()
		if d := firstDifference(before, witness(t, live)); d != "" {
			t.Errorf("%s: the target was changed: %s", name, d)
		}
		if left, _ := filepath.Glob(filepath.Join(dir, ".*")); len(left) > 0 {
			t.Errorf("%s: left behind: %v", name, left)
		}
	}
}

// TestOutputsAreNoInputs: a file that is read is never written over, and what
// is no file is written to as it is.
func TestOutputsAreNoInputs(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	want(t, 0, dir, "capture", "live.db", "-o", "live.json")
	write(t, dir, "dev.sql", command(t, "", "sqlite3", filepath.Join(dir, "dev.db"), ".schema"))
	if err := os.Symlink("live.db", filepath.Join(dir, "link.sql")); err != nil {
		t.Fatal(err)
	}
	before := snapshot(t, dir)
	for _, args := range [][]string{
		{"script", "dev.db", "live.db", "-o", "live.db"}, {"script", "dev.db", "live.db", "-o", "./dev.db"}, {"script", "dev.db", "live.db", "-o", "link.sql"}, {"script", "dev.sql", "live.json", "-o", "dev.sql"},
		{"script", "dev.db", "live.json", "-o", "live.json"}, {"script", "dev.db", "live.db", "-o", "up.sql", "--backout", "./up.sql"}, {"script", "dev.db", "live.db", "-o", "live.db-wal"},
		{"capture", "live.db", "-o", "live.db"}, {"sync", "dev.db", "live.db", "-o", "dev.db", "--yes"},
	} {
		if r := run(t, dir, append(args, "--force")...); r.code != 2 || !strings.Contains(r.errout, "is a file of") && !strings.Contains(r.errout, "are the same file") {
			t.Errorf("%v: exit %d %s", args, r.code, r.errout)
		}
	}
	if snapshot(t, dir) != before {
		t.Error("something was written")
	}
	want(t, 0, dir, "script", "dev.db", "live.db", "--may-lose", "*", "-o", "/dev/null")
	pipe := filepath.Join(dir, "pipe")
	if err := syscall.Mkfifo(pipe, 0o600); err != nil {
		t.Fatal(err)
	}
	got := make(chan string)
	go func() { b, _ := os.ReadFile(pipe); got <- string(b) }()
	want(t, 0, dir, "script", "dev.db", "live.db", "--may-lose", "*", "-o", "pipe")
	if text := <-got; !strings.Contains(text, "-- @dapper-mirror") {
		t.Errorf("through a pipe: %q", text)
	}
}

// TestSources: an empty source is refused unless it is meant; a pipe is read
// once, for everything.
func TestSources(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	write(t, dir, "nothing.sql", "-- the dump failed\n")
	write(t, dir, "nothing.db", "")
	for _, c := range [][]string{{"-", ""}, {"nothing.sql", ""}, {"nothing.db", ""}, {"-", "-- ERROR\n"}} {
		for _, verb := range [][]string{{"compare"}, {"script"}, {"sync", "--yes"}, {"rehearse"}} {
			args := append([]string{verb[0], c[0], "live.db"}, verb[1:]...)
			if r := runWith(t, dir, c[1], nil, args...); r.code != 3 || !strings.Contains(r.errout, "--empty-source") {
				t.Errorf("%v: exit %d %s", args, r.code, r.errout)
			}
		}
	}
	if r := run(t, dir, "script", "nothing.sql", "live.db", "--empty-source", "--may-lose", "*"); r.code != 0 || !strings.Contains(r.out, "DROP TABLE") {
		t.Errorf("meant: %d %s", r.code, r.errout)
	}
	dump := command(t, "", "sqlite3", filepath.Join(dir, "dev.db"), ".dump")
	copied := filepath.Join(dir, "copy.db")
	write(t, dir, "copy.db", read(t, filepath.Join(dir, "live.db")))
	if r := runWith(t, dir, dump, nil, "compare", "-", "dev.db", "live.db"); r.code != 1 || !strings.Contains(r.out, "= dev ") || !strings.Contains(r.out, "~ live ") {
		t.Errorf("two targets: %d\n%s%s", r.code, r.out, r.errout)
	}
	if r := runWith(t, dir, dump, nil, "sync", "-", "copy.db", "--yes", "--may-lose", "*"); r.code != 0 || !strings.Contains(r.out, "no difference") {
		t.Errorf("sync from a pipe: %d\n%s%s", r.code, r.out, r.errout)
	}
	if d := firstDifference(witness(t, filepath.Join(dir, "dev.db")), witness(t, copied)); d != "" {
		t.Error(d)
	}
}

// TestScopeTouchesNothingElse: parts in scope where one side lacks their table.
func TestScopeTouchesNothingElse(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			p := e.with(t)
			dir := t.TempDir()
			both := "CREATE TABLE berth (id integer PRIMARY KEY, depth integer); CREATE INDEX berth_depth ON berth (depth);"
			source, target := p.make(t, both+"CREATE TABLE crane (id integer, reach integer); CREATE INDEX crane_reach ON crane (reach);"), p.make(t, both+"CREATE TABLE t (a integer, b integer); CREATE INDEX t_a ON t (a); INSERT INTO t VALUES (1, 2);")
			r := want(t, 3, dir, "script", source, target, "--only", "index:*")
			if !strings.Contains(r.errout, "crane_reach needs table:") {
				t.Errorf("it is not said: %s", r.errout)
			}
			want(t, 0, dir, "script", source, target, "--only", "index:*", "--except", "index:*.crane_reach", "-o", "up.sql")
			if out, err := p.client(target, filepath.Join(dir, "up.sql")); err != nil {
				t.Fatal(out)
			}
			if got := strings.TrimSpace(p.ask(t, target, "SELECT a, b FROM t")); !strings.HasPrefix(got, "1") {
				t.Errorf("the table's rows: %q", got)
			}
			if dump := strings.Join(p.dump(t, target), "\n"); strings.Contains(dump, "t_a") || strings.Contains(dump, "crane") || !strings.Contains(dump, "berth_depth") {
				t.Errorf("only the index was to go:\n%s", dump)
			}
		})
	}
}

// TestNothingRawGetsOut: names and values from a database reach neither
// terminal nor programs as control or direction characters, and a password not
// even the process's title.
func TestNothingRawGetsOut(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	evil := "x\u009b31m\u202e\u0085\x7f"
	lite(t, dir, "a.db", `CREATE TABLE "`+evil+`" (id INTEGER, "`+evil+`" TEXT DEFAULT '`+evil+`'); CREATE VIEW v AS SELECT '`+evil+`' AS e;`)
	lite(t, dir, "b.db", "CREATE VIEW v AS SELECT 1 AS e;")
	write(t, dir, "dapper-mirror.yaml", "places:\n  \"n\u202ea\": \"sqlite:\\x9bx.db\"\n")
	for _, args := range [][]string{{"compare", "a.db", "b.db"}, {"compare", "a.db", "b.db", "--detail"}, {"compare", "a.db", "b.db", "--format", "json", "--detail"}, {"config"}, {"compare", evil, "b.db"},
		{"capture", "a.db"}, {"script", "a.db", "b.db", "--format", "json"}, {"compare", evil, "b.db", "--format", "json"}} {
		r := runWith(t, dir, "", []string{"DAPPER_MIRROR_ONLY="}, args...)
		for _, c := range "\u009b\u202e\u0085\x7f" {
			if strings.ContainsRune(r.out+r.errout, c) {
				t.Errorf("%v lets %U out", args, c)
			}
		}
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	cmd := exec.Command(program, "compare", "postgres://me:s3cret@"+l.Addr().String()+"/x?password=s3cret", filepath.Join(dir, "b.db"))
	cmd.Dir = t.TempDir()
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	if err := l.(*net.TCPListener).SetDeadline(time.Now().Add(time.Minute)); err != nil {
		t.Fatal(err)
	}
	conn, err := l.Accept() // it has started for good
	if err != nil {
		t.Fatal(err)
	}
	title := read(t, fmt.Sprintf("/proc/%d/cmdline", cmd.Process.Pid))
	conn.Close()
	_ = cmd.Process.Kill()
	_ = cmd.Wait()
	if strings.Contains(title, "s3cret") || !strings.Contains(title, "me:xxxxxx@") {
		t.Errorf("the title is %q", title)
	}
}

// TestSavedRowsStayHere: saved rows are for their owner only, and go where the
// script is, not where a link leads.
func TestSavedRowsStayHere(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	want(t, 0, dir, "script", "dev.db", "live.db", "-o", "up.sql", "--may-lose", "*")
	elsewhere := t.TempDir()
	if err := os.Symlink(elsewhere, filepath.Join(dir, "up.rows")); err != nil {
		t.Fatal(err)
	}
	before := witness(t, filepath.Join(dir, "live.db"))
	if r := want(t, 2, dir, "apply", "up.sql", "live.db", "--yes"); !strings.Contains(r.errout, "is a link") {
		t.Error(r.errout)
	}
	if d := firstDifference(before, witness(t, filepath.Join(dir, "live.db"))); d != "" {
		t.Error(d)
	}
	if err := os.Remove(filepath.Join(dir, "up.rows")); err != nil {
		t.Fatal(err)
	}
	want(t, 0, dir, "apply", "up.sql", "live.db", "--yes")
	saved, err := filepath.Glob(filepath.Join(dir, "up.rows", "*"))
	if err != nil || len(saved) == 0 {
		t.Fatal("nothing was saved")
	}
	for _, f := range saved {
		if st, err := os.Stat(f); err != nil || st.Mode().Perm() != 0o600 {
			t.Errorf("%s: %v", f, st.Mode())
		}
	}
}
