package e2e

import (
	"net"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// TestPostgresTrouble: each gets one clear line and exit code 2.
func TestPostgresTrouble(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dir := t.TempDir()
	good := s.url(s.database(t, "CREATE TABLE t (id integer)"))
	s.psql(t, "postgres", "DO $$ BEGIN CREATE ROLE nobody_here LOGIN PASSWORD 'x'; EXCEPTION WHEN duplicate_object THEN NULL; END $$")
	// A server that talks something else.
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			_, _ = c.Write([]byte("SSH-2.0-harbour\r\n"))
			c.Close()
		}
	}()
	for name, c := range map[string]struct{ place, says string }{
		"no such database":      {s.url("gone"), "it does not exist: the server has no such database"},
		"no such socket":        {"postgres://postgres@/x?host=/nowhere/at/all", "no connection"},
		"nobody listens":        {"postgres://postgres@127.0.0.1:1/x", "no connection: .*refused"},
		"no such role":          {strings.Replace(s.url("postgres"), "postgres@/", "stranger@/", 1), "refused the user or password"},
		"another protocol":      {"postgres://postgres@" + l.Addr().String() + "/x?sslmode=disable", "no connection|unexpected"},
		"TLS that is not there": {"postgres://postgres@" + l.Addr().String() + "/x?sslmode=require", "no connection|TLS"},
		"a broken option":       {"postgres://postgres@/x?port=abc", "the address is not understood"},
		"TLS is refused":        {strings.Replace(s.overTCP(t), "/postgres?", "/postgres?sslmode=require&", 1), "no connection.*TLS"},
		"several hosts, none":   {"postgres://postgres@127.0.0.1:1,127.0.0.1:2/x", "no connection: .*refused"},
		"two engines":           {"lite.db", "only databases of one engine can be compared"},
	} {
		lite(t, dir, "lite.db", "")
		r := want(t, 2, dir, "compare", good, c.place)
		lines := strings.Split(strings.TrimSpace(r.errout), "\n")
		if last := lines[len(lines)-1]; !regexp.MustCompile(c.says).MatchString(last) || r.out != "" {
			t.Errorf("%s: says %q, want %q", name, last, c.says)
		}
	}
	// A password on the command line earns a warning and is never shown.
	r := want(t, 2, dir, "compare", good, strings.Replace(s.url("gone"), "postgres@/", "postgres:sesame@/", 1))
	if !strings.Contains(r.errout, "warning: a password on the command line") || strings.Contains(r.errout, "sesame") {
		t.Errorf("a password: %s", r.errout)
	}
}

// TestPostgresReadsOnly: a role that may only read can compare, and nothing
// in the database changes by it.
func TestPostgresReadsOnly(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	s.psql(t, "postgres", "DO $$ BEGIN CREATE ROLE onlooker LOGIN; EXCEPTION WHEN duplicate_object THEN NULL; END $$; ALTER ROLE onlooker SET default_transaction_read_only = on")
	name := s.database(t, "CREATE TABLE t (id serial PRIMARY KEY, a text DEFAULT 'x'); CREATE VIEW v AS SELECT a FROM t; REVOKE ALL ON t FROM PUBLIC")
	other := s.database(t, "CREATE TABLE t (id serial PRIMARY KEY, a text DEFAULT 'y'); CREATE VIEW v AS SELECT a FROM t")
	dir := t.TempDir()
	as := func(db string) string { return strings.Replace(s.url(db), "postgres@", "onlooker@", 1) }
	before := s.psql(t, name, "SELECT xmin, relname FROM pg_class ORDER BY oid")
	want(t, 1, dir, "compare", as(name), as(other), "--detail")
	want(t, 0, dir, "script", as(name), as(other), "-o", "up.sql")
	if s.psql(t, name, "SELECT xmin, relname FROM pg_class ORDER BY oid") != before {
		t.Error("reading changed the catalog")
	}
	r := want(t, 2, dir, "apply", "up.sql", as(other), "--yes")
	if !strings.Contains(r.errout, "standby or read-only") {
		t.Errorf("apply: %s", r.errout)
	}
}

// TestPostgresLock: a lock somebody holds stops apply, and nothing changes.
func TestPostgresLock(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dir := t.TempDir()
	source := s.url(s.database(t, "CREATE TABLE t (id integer, a text)"))
	name := s.database(t, "CREATE TABLE t (id integer)")
	want(t, 0, dir, "script", source, s.url(name), "-o", "up.sql")
	path := filepath.Join(dir, "up.sql")
	write(t, dir, "up.sql", strings.Replace(read(t, path), "lock_timeout = '10s'", "lock_timeout = '200ms'", 1))
	release := holding(t, "BEGIN; LOCK TABLE t; SELECT 'locked';", filepath.Join(s.clients, "psql"), "-X", "-q", "-h", s.dir, "-U", "postgres", "-d", name)
	r := want(t, 2, dir, "apply", "up.sql", s.url(name), "--yes", "--edited")
	for _, says := range []string{"locked by another program", "the target is as it was", "no lock on table:public.t yet; trying again (2 of 3)", "holds AccessExclusiveLock on table:public.t", "wanted: table:public.t"} {
		if !strings.Contains(r.errout, says) {
			t.Errorf("apply does not say %q: %s", says, r.errout)
		}
	}
	release()
	want(t, 0, dir, "apply", "up.sql", s.url(name), "--yes", "--edited")
	want(t, 0, dir, "compare", source, s.url(name))
}

// TestPostgresHeldBack: a narrowing, a dropped table and what takes its name
// wait until they are allowed.
func TestPostgresHeldBack(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dir := t.TempDir()
	source := s.url(s.database(t, "CREATE TABLE t (id integer PRIMARY KEY, name varchar(3)); CREATE VIEW old AS SELECT id FROM t"))
	name := s.database(t, "CREATE TABLE t (id integer PRIMARY KEY, name text); CREATE TABLE old (id integer); INSERT INTO t VALUES (1, 'Heron'); INSERT INTO old VALUES (4)")
	want(t, 3, dir, "sync", source, s.url(name), "--yes")
	if got := strings.TrimSpace(s.psql(t, name, "SELECT name FROM t; SELECT id FROM old")); got != "Heron\n4" {
		t.Errorf("after a careful sync: %s", got)
	}
	want(t, 3, dir, "sync", source, s.url(name), "--yes", "--may-lose", "table:old")
	if got := strings.TrimSpace(s.psql(t, name, "SELECT name FROM t; SELECT id FROM old")); got != "Heron\n1" {
		t.Errorf("after the table was allowed to go: %s", got)
	}
	want(t, 0, dir, "sync", source, s.url(name), "--yes", "--may-lose", "column:t.name")
	if got := strings.TrimSpace(s.psql(t, name, "SELECT name FROM t")); got != "Her" {
		t.Errorf("after the narrowing was allowed: %s", got)
	}
}

// TestPostgresRights: owners and grants count only when asked for, and what is
// rebuilt keeps them in any case.
func TestPostgresRights(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dir := t.TempDir()
	s.psql(t, "postgres", "DO $$ BEGIN CREATE ROLE reader; CREATE ROLE keeper; EXCEPTION WHEN duplicate_object THEN NULL; END $$")
	common := "CREATE TABLE t (id integer PRIMARY KEY, a %s); CREATE VIEW v AS SELECT a FROM t; CREATE FUNCTION f() RETURNS integer LANGUAGE sql AS 'SELECT 1'; "
	source := s.url(s.database(t, strings.Replace(common, "%s", "bigint", 1)))
	name := s.database(t, strings.Replace(common, "%s", "integer", 1)+
		"ALTER VIEW v OWNER TO keeper; GRANT SELECT ON v TO reader WITH GRANT OPTION; GRANT SELECT (a), UPDATE (a) ON t TO reader; REVOKE ALL ON FUNCTION f() FROM PUBLIC; ALTER DEFAULT PRIVILEGES GRANT SELECT ON TABLES TO reader")
	rights := func() string {
		return s.psql(t, name, "SELECT relname, relowner::regrole, relacl FROM pg_class WHERE relname IN ('t', 'v') ORDER BY 1; SELECT attacl FROM pg_attribute WHERE attrelid = 't'::regclass AND attname = 'a'; SELECT proacl FROM pg_proc WHERE proname = 'f'; SELECT defaclacl FROM pg_default_acl")
	}
	before := rights()
	r := want(t, 1, dir, "compare", source, s.url(name))
	if strings.Contains(r.out, "grants") || strings.Contains(r.out, "owner") {
		t.Errorf("nobody asked for rights:\n%s", r.out)
	}
	want(t, 0, dir, "sync", source, s.url(name), "--yes")
	if after := rights(); after != before {
		t.Errorf("a view that was rebuilt lost its rights:\n%s\n%s", before, after)
	}
	want(t, 0, dir, "compare", source, s.url(name))
	r = want(t, 1, dir, "compare", source, s.url(name), "--include", "owners,grants")
	for _, what := range []string{"owner", "grants", "default privileges"} {
		if !strings.Contains(r.out, what) {
			t.Errorf("with rights asked for, no word of %s:\n%s", what, r.out)
		}
	}
	want(t, 0, dir, "sync", source, s.url(name), "--yes", "--include", "owners,grants")
	want(t, 0, dir, "compare", source, s.url(name), "--include", "owners,grants")
}

// TestPostgresPartlyChanged: a step that had to run before the transaction
// stays when a later one fails; the exit code says so, and a new script
// finishes the work.
func TestPostgresPartlyChanged(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dir := t.TempDir()
	source := s.url(s.database(t, "CREATE TYPE state AS ENUM ('a', 'b'); CREATE TABLE t (id integer PRIMARY KEY, state state DEFAULT 'b', x integer NOT NULL)"))
	name := s.database(t, "CREATE TYPE state AS ENUM ('a'); CREATE TABLE t (id integer PRIMARY KEY, state state DEFAULT 'a', x integer); INSERT INTO t VALUES (1, 'a', NULL)")
	want(t, 0, dir, "script", source, s.url(name), "-o", "up.sql", "--row-checks", "off")
	r := want(t, 4, dir, "apply", "up.sql", s.url(name), "--yes")
	if !strings.Contains(r.errout, "1 of 3 steps ran before it and stay; go on with --resume") {
		t.Errorf("apply: %s", r.errout)
	}
	if got := strings.TrimSpace(s.psql(t, name, "SELECT enum_range(NULL::state); SELECT count(*) FROM t")); got != "{a,b}\n1" {
		t.Errorf("what is kept: %s", got)
	}
	want(t, 0, dir, "sync", source, s.url(name), "--yes", "--fill", "t.x=0")
	want(t, 0, dir, "compare", source, s.url(name))
}

// TestPostgresConnectionLost: the server ends the connection in the middle of
// the transaction; the target is as it was, and that is said.
func TestPostgresConnectionLost(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dir := t.TempDir()
	source := s.url(s.database(t, "CREATE TABLE t (id integer, a text); CREATE TABLE u (id integer)"))
	name := s.database(t, "CREATE TABLE t (id integer)")
	want(t, 0, dir, "script", source, s.url(name), "-o", "up.sql")
	path := filepath.Join(dir, "up.sql")
	write(t, dir, "cut.sql", strings.Replace(read(t, path), "COMMIT;", "SELECT pg_terminate_backend(pg_backend_pid());\nCOMMIT;", 1))
	before := s.dump(t, name)
	r := want(t, 2, dir, "apply", "cut.sql", s.url(name), "--yes", "--edited")
	if !strings.Contains(r.errout, "the target is as it was") {
		t.Errorf("apply: %s", r.errout)
	}
	if d := firstDifference(before, s.dump(t, name)); d != "" {
		t.Errorf("the target changed:\n%s", d)
	}
	want(t, 0, dir, "apply", "up.sql", s.url(name), "--yes")
}

// TestPostgresCutWhileReading: a connection that ends while the catalogs are
// read gives one line and exit code 2.
func TestPostgresCutWhileReading(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dir := t.TempDir()
	good := s.url(s.database(t, "CREATE TABLE t (id integer)"))
	server := filepath.Join(s.dir, ".s.PGSQL.5432")
	socket := t.TempDir()
	for _, bytes := range []int64{100, 700, 3000, 9000} {
		l, err := net.Listen("unix", filepath.Join(socket, ".s.PGSQL.5432"))
		if err != nil {
			t.Fatal(err)
		}
		go relay(l, server, bytes) // and no more
		r := want(t, 2, dir, "compare", good, "postgres://postgres@/postgres?host="+socket)
		lines := strings.Split(strings.TrimSpace(r.errout), "\n")
		if last := lines[len(lines)-1]; !strings.Contains(last, "no connection") && !strings.Contains(last, "connection was lost") || r.out != "" {
			t.Errorf("cut after %d bytes: says %q", bytes, last)
		}
		l.Close()
	}
}

// TestPostgresStandby: a standby can be read, and is not written.
func TestPostgresStandby(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dir := t.TempDir()
	source := s.database(t, "CREATE TABLE t (id integer, a text)")
	name := s.database(t, "CREATE TABLE t (id integer)")
	standby := &server{bin: s.bin, from: s}
	if err := standby.start(); err != nil {
		t.Fatal(err)
	}
	want(t, 1, dir, "compare", s.url(source), standby.url(name))
	want(t, 0, dir, "script", s.url(source), standby.url(name), "-o", "up.sql")
	if r := want(t, 2, dir, "apply", "up.sql", standby.url(name), "--yes"); !strings.Contains(r.errout, "standby or read-only") {
		t.Errorf("apply: %s", r.errout)
	}
	// Of several hosts, the one that can be written is found.
	hosts := "postgres://postgres@/" + name + "?host=" + standby.dir + "," + s.dir + "&target_session_attrs=read-write"
	want(t, 0, dir, "apply", "up.sql", hosts, "--yes")
}

// TestPostgresEverything: everything goes into an empty database, and an
// empty one over everything.
func TestPostgresEverything(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dir := t.TempDir()
	for _, file := range []string{"majors.sql", "kinds.sql", ""} {
		sql := plainExtensions(t)
		if file != "" {
			sql = read(t, "testdata/postgres/"+file)
		}
		name, empty, none := s.database(t, sql), s.database(t, ""), s.database(t, "")
		want(t, 0, dir, "sync", s.url(name), s.url(empty), "--yes", "--include", "owners,grants")
		if d := firstDifference(s.dump(t, name), s.dump(t, empty)); d != "" {
			t.Errorf("%s: everything into nothing:\n%s", file, d)
		}
		want(t, 0, dir, "compare", s.url(name), s.url(empty), "--include", "owners,grants")
		want(t, 0, dir, "sync", s.url(none), s.url(empty), "--yes", "--may-lose", "*")
		if d := firstDifference(s.dump(t, none), s.dump(t, empty)); d != "" {
			t.Errorf("%s: nothing over everything:\n%s", file, d)
		}
	}
}

// plainExtensions is the SQL of extensions that come with the server, as if a
// user had written it: a thousand functions, types, operators and casts that
// need each other in circles.
func plainExtensions(t *testing.T) string {
	t.Helper()
	var b strings.Builder
	for _, name := range []string{"isn--1.1", "hstore--1.4", "ltree--1.1", "cube--1.2", "seg--1.1", "citext--1.4", "btree_gist--1.2", "pg_trgm--1.3"} {
		found, err := filepath.Glob("/usr/share/postgresql/*/extension/" + name + ".sql")
		if err != nil || len(found) == 0 {
			t.Fatalf("no %s: %v", name, err)
		}
		library, _, _ := strings.Cut(name, "--")
		for _, line := range strings.SplitAfter(read(t, found[len(found)-1]), "\n") {
			if !strings.HasPrefix(line, "\\") {
				b.WriteString(strings.NewReplacer("MODULE_PATHNAME", "$libdir/"+library, "@extschema@", "public").Replace(line))
			}
		}
	}
	return "SET client_min_messages = error;\n" + b.String()
}

// TestPostgresAs: a script acts for the owner, where the account that runs it
// is a member.
func TestPostgresAs(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dir := t.TempDir()
	s.psql(t, "postgres", "DO $$ BEGIN CREATE ROLE harbour_owner; CREATE ROLE clerk LOGIN NOINHERIT; GRANT harbour_owner TO clerk; EXCEPTION WHEN duplicate_object THEN NULL; END $$")
	source := s.url(s.database(t, "CREATE TABLE t (id integer, a text)"))
	name := s.database(t, "CREATE TABLE t (id integer); ALTER TABLE t OWNER TO harbour_owner; GRANT CREATE ON SCHEMA public TO harbour_owner")
	clerk := strings.Replace(s.url(name), "postgres@", "clerk@", 1)
	if r := want(t, 3, dir, "sync", source, clerk, "--yes"); !strings.Contains(r.errout, "lacks 1 right for these steps: to own table:public.t; nothing was run") {
		t.Errorf("without --as: %s", r.errout)
	}
	want(t, 0, dir, "sync", source, clerk, "--yes", "--as", "harbour_owner")
	lite(t, dir, "a.db", "CREATE TABLE t (id INTEGER)")
	lite(t, dir, "b.db", "")
	want(t, 2, dir, "script", "a.db", "b.db", "--as", "somebody")
}
