package e2e

import (
	"bytes"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
)

// bench is a target and a script under trial: what the fault table is about.
type bench struct {
	places
	engine        string
	c             pairCase
	dir           string
	source        string
	before, after []string // the engine's own dumps
	keep          []string
}

func newBench(t *testing.T, engine string, p places) *bench {
	b := &bench{places: p, engine: engine, c: readPairs(t, filepath.Join("testdata", "faults", engine+".sql"))[0], dir: t.TempDir()}
	b.source = p.make(t, b.c.source)
	b.after = p.dump(t, b.source)
	place := b.target(t)
	b.before, b.keep = p.dump(t, place), b.kept(t, place)
	return b
}

func (b *bench) target(t *testing.T) string { return b.make(t, b.c.target) }

func (b *bench) kept(t *testing.T, place string) []string {
	var out []string
	for _, q := range b.c.keep {
		out = append(out, b.ask(t, place, q))
	}
	return out
}

// script writes a script for a target.
func (b *bench) script(t *testing.T, place string, flags ...string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "up.sql")
	want(t, 0, b.dir, append([]string{"script", b.source, place, "-o", file, "--may-lose", "table:*old_tariff"}, flags...)...)
	return file
}

// quiet waits until nobody but us is on the target: a server goes on for a
// while when its client is gone.
func (b *bench) quiet(t *testing.T, place string) {
	t.Helper()
	query := map[string]string{
		"postgres": "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()",
		"mariadb":  "SELECT count(*) FROM information_schema.processlist WHERE db = database() AND id <> connection_id()",
	}[b.engine]
	until(t, "nobody is on the target", func() bool { return query == "" || strings.TrimSpace(b.ask(t, place, query)) == "0" })
}

// state tells which of "before", "after" and "between" the target is in, and
// fails unless its rows are where they were.
func (b *bench) state(t *testing.T, place string) string {
	t.Helper()
	if now := b.kept(t, place); !slices.Equal(now, b.keep) {
		t.Fatalf("rows are lost: %q, they were %q", now, b.keep)
	}
	dump := b.dump(t, place)
	switch {
	case firstDifference(dump, b.before) == "":
		return "before"
	case firstDifference(dump, b.after) == "":
		return "after"
	}
	return "between"
}

// finish goes on from wherever a run stopped, and must end like the source.
func (b *bench) finish(t *testing.T, file, place, state string) {
	t.Helper()
	args := []string{"apply", file, place, "--yes"}
	if _, err := os.Stat(strings.TrimSuffix(file, ".sql") + ".run.json"); err == nil && state != "after" {
		args = append(args, "--resume")
	}
	r := want(t, 0, b.dir, args...)
	if state := b.state(t, place); state != "after" {
		t.Fatalf("went on, and is %s:\n%s\n%s", state, firstDifference(b.after, b.dump(t, place)), r.errout)
	}
	if left, _ := filepath.Glob(strings.TrimSuffix(file, ".sql") + ".run.json"); len(left) > 0 {
		t.Errorf("the run record of a run that is done is left: %v", left)
	}
}

// holds are statements of another session that hold the target's tables.
var holds = map[string]string{
	"sqlite":   "BEGIN IMMEDIATE; SELECT 'held';",
	"postgres": "BEGIN; SELECT 'held' FROM vessel, port_call LIMIT 1;",
	"mariadb":  "LOCK TABLES vessel READ, port_call READ; SELECT 'held';",
}

// hold takes the locks in the engine's own shell.
func (b *bench) hold(t *testing.T, place string) func() {
	switch p := b.places.(type) {
	case pgPlaces:
		return holding(t, holds[b.engine], filepath.Join(p.s.clients, "psql"), "-X", "-q", "-At", "-h", p.s.dir, "-U", "postgres", "-d", p.name(place))
	case mariaPlaces:
		return holding(t, holds[b.engine], "mariadb", p.s.args("-n", p.name(place))...)
	}
	return holding(t, holds[b.engine], "sqlite3", place)
}

// start starts the program and answers it with what it will have said.
func (b *bench) start(t *testing.T, args ...string) (*exec.Cmd, *bytes.Buffer) {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir, cmd.Env = b.dir, []string{"PATH=" + os.Getenv("PATH"), "HOME=" + b.dir, "TMPDIR=" + tempDir, "TERM=dumb"}
	var said bytes.Buffer
	cmd.Stderr = &said
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	return cmd, &said
}

// begun waits until an apply has claimed the target and is about to run: it has
// saved the structure by then.
func begun(t *testing.T, file string) {
	t.Helper()
	until(t, "the run begins", func() bool {
		_, err := os.Stat(strings.TrimSuffix(file, ".sql") + ".before.json")
		return err == nil
	})
}

func exitOf(cmd *exec.Cmd) int {
	_ = cmd.Wait()
	return cmd.ProcessState.ExitCode()
}

// slowly is how the applies that meet a lock are told to wait.
var slowly = []string{"--yes", "--lock-timeout", "20s", "--lock-wait", "20s"}

// fault is one thing that goes wrong: it answers the exit code and what was
// said, and leaves the target in one of the states.
type fault struct {
	name   string
	except string // engines on which it cannot be made
	flags  string // of script
	run    func(t *testing.T, b *bench, file, place string) (int, string)
	codes  []int
	states string
	says   string
}

var faults = []fault{
	{"nothing goes wrong", "", "", func(t *testing.T, b *bench, file, place string) (int, string) {
		r := run(t, b.dir, "apply", file, place, "--yes")
		return r.code, r.errout
	}, []int{0}, "after", "saved  2 rows"},
	{"a lock is held by another session", "", "", func(t *testing.T, b *bench, file, place string) (int, string) {
		release := b.hold(t, place)
		defer release()
		r := run(t, b.dir, "apply", file, place, "--yes", "--lock-timeout", "100ms", "--lock-tries", "2", "--lock-wait", "100ms")
		return r.code, r.errout
	}, []int{2, 4}, "before between", "given up after 2 tries"},
	{"the target changed between script and apply", "", "", func(t *testing.T, b *bench, file, place string) (int, string) {
		b.ask(t, place, "ALTER TABLE vessel ADD COLUMN flag varchar(9)")
		r := run(t, b.dir, "apply", file, place, "--yes")
		b.ask(t, place, "ALTER TABLE vessel DROP COLUMN flag")
		return r.code, r.errout
	}, []int{3}, "before", "table:*vessel has changed"},
	{"a row came that trips a guard", "", "", func(t *testing.T, b *bench, file, place string) (int, string) {
		b.ask(t, place, b.c.trips)
		r := run(t, b.dir, "apply", file, place, "--yes")
		b.ask(t, place, "DELETE FROM tide_gauge")
		return r.code, r.errout
	}, []int{3, 4}, "before between", "table tide_gauge holds rows by now"},
	{"two applies at once", "", "", func(t *testing.T, b *bench, file, place string) (int, string) {
		release := b.hold(t, place)
		first, said := b.start(t, append([]string{"apply", file, place}, slowly...)...)
		begun(t, file)
		other := filepath.Join(t.TempDir(), "up.sql")
		if err := os.WriteFile(other, []byte(read(t, file)), 0o644); err != nil {
			t.Fatal(err)
		}
		r := run(t, b.dir, "apply", other, place, "--yes", "--row-checks", "off")
		release()
		if code := exitOf(first); code != 0 {
			t.Errorf("the first apply: exit %d\n%s", code, said)
		}
		return r.code, r.errout
	}, []int{3}, "after", "another run is at work on it"},
	{"interrupted while it waits", "", "", func(t *testing.T, b *bench, file, place string) (int, string) {
		release := b.hold(t, place)
		defer release()
		cmd, said := b.start(t, append([]string{"apply", file, place}, slowly...)...)
		begun(t, file)
		_ = cmd.Process.Signal(os.Interrupt)
		return exitOf(cmd), said.String()
	}, []int{130, 4}, "before between", ""},
	{"a statement takes too long", "sqlite", "", func(t *testing.T, b *bench, file, place string) (int, string) {
		release := b.hold(t, place)
		defer release()
		r := run(t, b.dir, "apply", file, place, "--yes", "--lock-timeout", "20s", "--step-timeout", "300ms")
		return r.code, r.errout
	}, []int{2, 4}, "before between", "took too long"},
	{"the user's backup fails", "", "", func(t *testing.T, b *bench, file, place string) (int, string) {
		r := run(t, b.dir, "apply", file, place, "--yes", "--backup-command", "echo no room; exit 7")
		return r.code, r.errout
	}, []int{3}, "before", "the backup command failed"},
	{"the disk for saved rows is full", "", "", func(t *testing.T, b *bench, file, place string) (int, string) {
		r := run(t, b.dir, "apply", file, place, "--yes", "--save-rows", "/dev/full/x")
		return r.code, r.errout
	}, []int{2, 4}, "before between", "saving the rows"},
	{"the connection is cut", "sqlite", "--avoid-blocking", func(t *testing.T, b *bench, file, place string) (int, string) {
		r := result{}
		for bytes := int64(200); bytes < 60000; bytes = bytes*3/2 + 500 {
			cut := b.through(t, place, func(l net.Listener, socket string) { relay(l, socket, bytes) })
			if r = run(t, b.dir, "apply", file, cut, "--yes"); r.code != 2 {
				break
			}
			b.quiet(t, place)
			if state := b.state(t, place); state != "before" && !strings.Contains(r.errout, "stay") {
				t.Fatalf("cut after %d bytes it is %s, and says %s", bytes, state, r.errout)
			}
		}
		return r.code, r.errout
	}, []int{0, 2, 3, 4}, "before between after", ""},
}

// through makes another way to the target, and answers it.
func (b *bench) through(t *testing.T, place string, serve func(l net.Listener, socket string)) string {
	t.Helper()
	dir := t.TempDir()
	var path, socket, url string
	switch p := b.places.(type) {
	case pgPlaces:
		path, socket = filepath.Join(dir, ".s.PGSQL.5432"), filepath.Join(p.s.dir, ".s.PGSQL.5432")
		url = strings.Replace(place, p.s.dir, dir, 1)
	case mariaPlaces:
		path, socket = filepath.Join(dir, "s"), p.s.socket()
		url = strings.Replace(place, socket, path, 1)
	}
	l, err := net.Listen("unix", path)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go serve(l, socket)
	return url
}

// TestFaults: whatever goes wrong, rows are where they were, the target is as
// before, as after, or a run goes on from where it stands; the exit code and
// the message are true.
func TestFaults(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			b := newBench(t, e.name, e.with(t))
			for _, f := range faults {
				if strings.Contains(f.except, e.name) {
					continue
				}
				t.Run(f.name, func(t *testing.T) {
					place := b.target(t)
					file := b.script(t, place, strings.Fields(f.flags)...)
					code, said := f.run(t, b, file, place)
					b.quiet(t, place)
					state := b.state(t, place)
					says := strings.ReplaceAll(strings.ReplaceAll(said, "table:public.", "table:*"), "table:vessel", "table:*vessel")
					if !slices.Contains(f.codes, code) || !strings.Contains(f.states, state) || !strings.Contains(says, f.says) {
						t.Fatalf("exit %d, the target is %s, says\n%s", code, state, said)
					}
					if state == "between" && code != 4 || code == 4 && state != "between" && !strings.Contains(said, "not known") {
						t.Errorf("exit %d, the target is %s, says\n%s", code, state, said)
					}
					if strings.Contains(f.name, "changed between") && e.name == "postgres" {
						return // the dropped column leaves a trace in the order of columns
					}
					b.finish(t, file, place, state)
				})
			}
		})
	}
}

// TestKilledAnywhere: killed at some twenty of the lines it says, each time the
// target is as before, as after, or a resumed run finishes it.
func TestKilledAnywhere(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			t.Parallel() // each waits most of the time
			b := newBench(t, e.name, e.with(t))
			flags := []string{"--avoid-blocking"}
			first := b.target(t)
			all, _ := killedAt(t, b.dir, 0, "apply", b.script(t, first, flags...), first, "--yes", "-v")
			seen, killed, runs := map[string]int{}, 0, 0
			for i := 1; i <= all; i += max(1, all/20) {
				runs++
				place := b.target(t)
				file := b.script(t, place, flags...)
				if _, was := killedAt(t, b.dir, i, "apply", file, place, "--yes", "-v"); was {
					killed++
				}
				b.quiet(t, place)
				if e.name == "sqlite" {
					b.ask(t, place, "SELECT count(*) FROM sqlite_schema") // the engine's own shell undoes what was left half done
				}
				state := b.state(t, place)
				seen[state]++
				b.finish(t, file, place, state)
			}
			t.Logf("%d of %d runs were killed: %v", killed, runs, seen)
			if killed < runs/2 || e.name != "sqlite" && seen["between"] == 0 {
				t.Errorf("%d of %d runs were killed, at: %v", killed, runs, seen)
			}
		})
	}
}

// TestCommitCut: the connection is lost at COMMIT, before or after the server
// got it; either way the server is asked and the truth is said.
func TestCommitCut(t *testing.T) {
	t.Parallel()
	b := newBench(t, "postgres", pgPlaces{postgres(t)})
	for _, c := range []struct {
		name, state string
		forward     bool
		code        int
	}{{"the server got it", "after", true, 0}, {"it was lost on the way", "between", false, 4}} {
		place := b.target(t)
		file := b.script(t, place)
		var cut atomic.Bool
		way := b.through(t, place, func(l net.Listener, socket string) { cutAtCommit(l, socket, c.forward, &cut) })
		r := run(t, b.dir, "apply", file, way, "--yes")
		b.quiet(t, place)
		state := b.state(t, place)
		if !cut.Load() || state != c.state || !strings.Contains(r.errout, "asking the server") || r.code != c.code {
			t.Errorf("%s: exit %d, the target is %s\n%s", c.name, r.code, state, r.errout)
		}
		if state == "between" { // an enum value was added before the transaction
			want(t, 0, b.dir, "apply", file, way, "--yes", "--resume")
			if state := b.state(t, place); state != "after" {
				t.Errorf("%s: went on, and is %s", c.name, state)
			}
		}
	}
}

// cutAtCommit hands connections on until a client says COMMIT.
func cutAtCommit(l net.Listener, socket string, forward bool, done *atomic.Bool) {
	between(l, socket, func(client, server net.Conn) {
		go func() { _, _ = io.Copy(client, server) }()
		buf := make([]byte, 1<<16)
		for {
			n, err := client.Read(buf)
			if bytes.Contains(buf[:n], []byte("COMMIT;")) && done.CompareAndSwap(false, true) {
				if forward { // the server reads it before it sees the end; its answer finds nobody
					client.Close()
					_, _ = server.Write(buf[:n])
				}
				return
			}
			if _, e := server.Write(buf[:n]); err != nil || e != nil {
				return
			}
		}
	})
}

// TestServerStopped: the server is stopped at once in the middle of a run, and
// started again.
func TestServerStopped(t *testing.T) {
	t.Parallel()
	own := &server{extra: "-c max_locks_per_transaction=256 -c synchronous_commit=on"} // what was committed before must be there after
	if err := own.start(); err != nil {
		t.Fatal(err)
	}
	b := newBench(t, "postgres", pgPlaces{own})
	place := b.target(t)
	file := b.script(t, place, "--avoid-blocking")
	release := b.hold(t, place)
	cmd, said := b.start(t, append([]string{"apply", file, place}, slowly...)...)
	begun(t, file)
	ctl := func(args ...string) {
		c := exec.Command(filepath.Join(own.bin, "pg_ctl"), append([]string{"-D", filepath.Join(own.dir, "data"), "-w", "-l", filepath.Join(own.dir, "log")}, args...)...)
		if err := asPostgres(c); err != nil {
			t.Fatal(err)
		}
		_ = c.Run()
	}
	ctl("-m", "immediate", "stop")
	release()
	code := exitOf(cmd)
	ctl("-o", "-k "+own.dir+" -c listen_addresses='' -c max_locks_per_transaction=256", "start")
	state := b.state(t, place)
	unsure := code == 4 && strings.Contains(said.String(), "not known") // it was stopped before it answered
	if code != 2 && code != 4 || state == "after" || (code == 4) != (state == "between") && !unsure || !strings.Contains(said.String(), "connection") {
		t.Errorf("exit %d, the target is %s\n%s", code, state, said)
	}
	b.finish(t, file, place, state)
}

// TestDiskFullInApply: the disk of the database is full half way.
func TestDiskFullInApply(t *testing.T) {
	t.Parallel()
	small := t.TempDir()
	b := newBench(t, "sqlite", litePlaces{t.TempDir(), new(int)})
	data := read(t, b.target(t))
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", fmt.Sprintf("size=%dk", len(data)/1024+500), "tmpfs", small).CombinedOutput(); err != nil {
		t.Skipf("no small file system can be made here: %s", out)
	}
	defer func() { _ = syscall.Unmount(small, syscall.MNT_DETACH) }()
	place := write(t, small, "live.db", data)
	file := b.script(t, place)
	r := run(t, b.dir, "apply", file, place, "--yes")
	if state := b.state(t, place); r.code != 2 || state != "before" || !strings.Contains(r.errout, "no space left") || !strings.Contains(r.errout, "the target is as it was") {
		t.Errorf("exit %d, the target is %s\n%s", r.code, state, r.errout)
	}
}

// TestServerDiskFull: the server's disk is full while a table is copied.
func TestServerDiskFull(t *testing.T) {
	t.Parallel()
	s := &server{} // one that may be left with a folder it cannot reach
	if err := s.start(); err != nil {
		t.Fatal(err)
	}
	small, err := os.MkdirTemp(tempDir, "small") // the server's account must reach it
	if err != nil {
		t.Fatal(err)
	}
	who := exec.Command("true")
	if err := asPostgres(who); err != nil || who.SysProcAttr == nil {
		t.Skip("only the system's superuser can make a small file system")
	}
	account := who.SysProcAttr.Credential
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", fmt.Sprintf("size=6m,mode=700,uid=%d,gid=%d", account.Uid, account.Gid), "tmpfs", small).CombinedOutput(); err != nil {
		t.Skipf("no small file system can be made here: %s", out)
	}
	defer func() { _ = syscall.Unmount(small, syscall.MNT_DETACH) }()
	s.psql(t, "postgres", "CREATE TABLESPACE small LOCATION '"+small+"'")
	dir := t.TempDir()
	name := s.database(t, "CREATE TABLE vessel (id int, name text) TABLESPACE small; INSERT INTO vessel SELECT i, repeat('x', 90) FROM generate_series(1, 30000) i")
	source := s.url(s.database(t, "CREATE TABLE berth (id int); CREATE TABLE vessel (id bigint, name text) TABLESPACE small"))
	defer s.psql(t, "postgres", "DROP DATABASE "+name+" WITH (FORCE)")
	before := s.dump(t, name)
	want(t, 0, dir, "script", source, s.url(name), "-o", "up.sql")
	r := want(t, 2, dir, "apply", "up.sql", s.url(name), "--yes")
	if !strings.Contains(r.errout, "no space left on the server") || !strings.Contains(r.errout, "the target is as it was") {
		t.Errorf("says %s", r.errout)
	}
	if d := firstDifference(before, s.dump(t, name)); d != "" {
		t.Errorf("the target changed: %s", d)
	}
	if got := strings.TrimSpace(s.psql(t, name, "SELECT count(*), sum(id) FROM vessel")); got != "30000|450015000" {
		t.Errorf("the rows are %s", got)
	}
}
