package e2e

import (
	"path/filepath"
	"strings"
	"testing"
)

// TestOthersGoOn: while a script written with --avoid-blocking builds its index
// and looks at the rows, other sessions read and write; one written without it
// keeps them waiting.
func TestOthersGoOn(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dir := t.TempDir()
	rows := "INSERT INTO vessel SELECT i, 'vessel ' || i FROM generate_series(1, 1000) i; INSERT INTO port_call SELECT i, i FROM generate_series(1, 1000) i"
	source := s.url(s.database(t, "CREATE TABLE vessel (id int PRIMARY KEY, name text); CREATE INDEX vessel_name ON vessel (name); CREATE TABLE port_call (id int, vessel int); CREATE UNIQUE INDEX port_call_id ON port_call (id)"))
	for _, c := range []struct {
		flags []string
		waits bool
	}{{nil, true}, {[]string{"--avoid-blocking"}, false}} {
		name := s.database(t, "CREATE TABLE vessel (id int PRIMARY KEY, name text); CREATE TABLE port_call (id int, vessel int);"+rows)
		want(t, 0, dir, append([]string{"script", source, s.url(name), "-o", "up.sql", "--force"}, c.flags...)...)
		// Somebody has written to the table and has not committed yet: an index
		// that is built concurrently waits for that, and nobody for the index.
		psql := []string{"-X", "-q", "-At", "-h", s.dir, "-U", "postgres", "-d", name}
		release := holding(t, "BEGIN; INSERT INTO vessel VALUES (0, 'held'); SELECT 'held';", filepath.Join(s.clients, "psql"), psql...)
		b := &bench{places: pgPlaces{s}, dir: dir}
		cmd, said := b.start(t, "apply", filepath.Join(dir, "up.sql"), s.url(name), "--yes", "--lock-timeout", "60s")
		waiting := "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND application_name = 'dapper-mirror' AND wait_event_type = 'Lock'"
		until(t, "the run waits for the held row", func() bool { return strings.TrimSpace(s.psql(t, name, waiting)) != "0" })
		out, err := tryCommand("SET lock_timeout = '300ms'; INSERT INTO vessel VALUES (-1, 'goes on'); INSERT INTO port_call VALUES (-1, 1); SELECT count(*) FROM vessel;", filepath.Join(s.clients, "psql"), append(psql, "-v", "ON_ERROR_STOP=1")...)
		if waits := err != nil && strings.Contains(out, "lock timeout"); waits != c.waits {
			t.Errorf("%v: others wait: %v, want %v (%v)\n%s", c.flags, waits, c.waits, err, out)
		}
		release()
		if code := exitOf(cmd); code != 0 {
			t.Fatalf("%v: exit %d\n%s", c.flags, code, said)
		}
		want(t, 0, dir, "compare", source, s.url(name))
	}
}

// TestGentleStepFails: a row that comes while the script runs makes a step
// behind the transaction fail; what is said is true, and when the row is
// cleaned the run goes on.
func TestGentleStepFails(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dir := t.TempDir()
	source := s.url(s.database(t, "CREATE TABLE berth (id int, name text NOT NULL); CREATE UNIQUE INDEX berth_id ON berth (id); CREATE INDEX berth_name ON berth (name)"))
	name := s.database(t, "CREATE TABLE berth (id int, name text); INSERT INTO berth VALUES (1, 'a')")
	want(t, 0, dir, "script", source, s.url(name), "-o", "up.sql", "--avoid-blocking")
	s.psql(t, name, "INSERT INTO berth VALUES (1, 'b')")
	r := want(t, 4, dir, "apply", "up.sql", s.url(name), "--yes")
	if !strings.Contains(r.errout, "1 of 3 steps ran before it and stay; go on with --resume") || !strings.Contains(r.errout, "is duplicated") {
		t.Errorf("says %s", r.errout)
	}
	if r := want(t, 3, dir, "apply", "up.sql", s.url(name), "--yes"); !strings.Contains(r.errout, "stopped half way") {
		t.Errorf("a second run: %s", r.errout)
	}
	if r := want(t, 4, dir, "apply", "up.sql", s.url(name), "--yes", "--resume"); !strings.Contains(r.errout, "is duplicated") {
		t.Errorf("with the row still there: %s", r.errout)
	}
	// The client can finish it as well: every statement may run twice.
	s.psql(t, name, "UPDATE berth SET id = 2 WHERE name = 'b'")
	other := s.url(name)
	want(t, 0, dir, "apply", "up.sql", other, "--yes", "--resume")
	want(t, 0, dir, "compare", source, s.url(name))
	if got := strings.TrimSpace(s.psql(t, name, "SELECT count(*) FROM pg_index WHERE NOT indisvalid")); got != "0" {
		t.Errorf("%s indexes are left half built", got)
	}
	if r := want(t, 0, dir, "apply", "up.sql", s.url(name), "--yes"); !strings.Contains(r.errout, "nothing to do") {
		t.Errorf("once more: %s", r.errout)
	}
}

// TestServerRefusesRatherThanBlocks: MariaDB is told how to carry out each
// ALTER TABLE; where it cannot, the script stops before anybody waits.
func TestServerRefusesRatherThanBlocks(t *testing.T) {
	t.Parallel()
	p := mariaPlaces{mariadb(t)}
	dir := t.TempDir()
	source := p.make(t, "CREATE TABLE berth (id int PRIMARY KEY, a int, KEY k (a))")
	target := p.make(t, "CREATE TABLE berth (id int PRIMARY KEY, a int)")
	want(t, 0, dir, "script", source, target, "-o", "up.sql", "--avoid-blocking")
	text := read(t, filepath.Join(dir, "up.sql"))
	if !strings.Contains(text, "ALGORITHM=NOCOPY, LOCK=NONE;") || !strings.Contains(text, "lock: LOCK=NONE on berth") {
		t.Errorf("the script does not say how:\n%s", text)
	}
	write(t, dir, "copies.sql", strings.Replace(text, "ADD KEY `k` (`a`)", "MODIFY COLUMN `a` text", 1))
	before := p.dump(t, target)
	if r := run(t, dir, "apply", "copies.sql", target, "--yes", "--edited"); r.code != 2 || !strings.Contains(r.errout, "ALGORITHM=NOCOPY is not supported") || !strings.Contains(r.errout, "the target is as it was") {
		t.Errorf("exit %d: %s", r.code, r.errout)
	}
	if d := firstDifference(before, p.dump(t, target)); d != "" {
		t.Errorf("the target changed: %s", d)
	}
	want(t, 0, dir, "apply", "up.sql", target, "--yes")
	want(t, 0, dir, "compare", source, target)
}
