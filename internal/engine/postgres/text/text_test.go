package text

import (
	"fmt"
	"testing"

	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/vocab"
	"dappermirror/internal/engine/texts"
	"dappermirror/internal/fuzzing"
)

func said(sql string) texts.Reading { return read(sql, sqltext.Significant(vocab.Dialect, sql)) }

// about is what a statement makes or changes: schema.name, and the part.
func about(m *texts.Made) string {
	if m == nil {
		return ""
	}
	return fmt.Sprintf("%s.%s/%s%s", m.Schema, m.Name, m.Part, m.Hint)
}

func TestRead(t *testing.T) {
	const p, main, raised, early, first, late, last, refuse, set = texts.Pass, texts.Main, texts.Raised, texts.Early, texts.First, texts.Late, texts.Last, texts.Refuse, texts.Set
	for _, c := range []struct {
		sql    string
		action texts.Action
		makes  string
		alters string
	}{
		{"CREATE TABLE harbour.berth (id int);", main, "harbour.berth/", ""},
		{"create unlogged table if not exists Berth (id int)", main, ".berth/", ""},
		{`CREATE TABLE "Port"."Call" ();`, main, "Port.Call/", ""},
		{"CREATE TEMP TABLE t (a int);", p, "", ""},
		{"CREATE OR REPLACE FUNCTION harbour.dues(a int, b numeric) RETURNS numeric LANGUAGE sql AS $$ SELECT 1 $$;", main, "harbour.dues/(a int, b numeric)", ""},
		{"CREATE FUNCTION f() RETURNS int LANGUAGE c AS 'x';", refuse, "", ""},
		{"CREATE FUNCTION f() RETURNS int LANGUAGE internal AS 'pg_read_file';", refuse, "", ""},
		{"CREATE UNIQUE INDEX CONCURRENTLY IF NOT EXISTS i ON ONLY harbour.berth (id);", main, "harbour.berth/i", ""},
		{"CREATE CONSTRAINT TRIGGER t AFTER INSERT ON harbour.berth DEFERRABLE FOR EACH ROW EXECUTE FUNCTION f();", main, "harbour.berth/t", ""},
		{"CREATE POLICY own ON port_call USING (true);", main, ".port_call/own", ""},
		{"CREATE RULE r AS ON INSERT TO v DO ALSO (SELECT 1; SELECT 2);", main, ".v/r", ""},
		{"CREATE MATERIALIZED VIEW m AS SELECT 1;", main, ".m/", ""},
		{"CREATE SCHEMA harbour;", first, ".harbour/", ""},
		{"CREATE SCHEMA harbour AUTHORIZATION office;", first, ".harbour/", ""},
		{"CREATE SCHEMA harbour AUTHORIZATION office CREATE TABLE t ();", refuse, "", ""},
		{"CREATE SCHEMA public;", first, ".public/", ""},
		{"CREATE EXTENSION IF NOT EXISTS hstore WITH SCHEMA public;", early, ".hstore/", ""},
		{"CREATE SERVER s FOREIGN DATA WRAPPER postgres_fdw;", raised, ".s/", ""},
		{"CREATE FOREIGN DATA WRAPPER w VALIDATOR evil;", refuse, "", ""},
		{"CREATE FOREIGN TABLE f (a int) SERVER s;", main, ".f/", ""},
		{"CREATE USER MAPPING FOR PUBLIC SERVER s;", late, "", ""},
		{"CREATE EVENT TRIGGER e ON ddl_command_end EXECUTE FUNCTION f();", last, ".e/", ""},
		{"ALTER EVENT TRIGGER e OWNER TO office;", last, "", ".e/"},
		{"CREATE SUBSCRIPTION s CONNECTION 'x' PUBLICATION p WITH (connect = false);", raised, ".s/", ""},
		{"CREATE SUBSCRIPTION s CONNECTION 'x' PUBLICATION p;", refuse, "", ""},
		{"ALTER TABLE ONLY harbour.berth ADD CONSTRAINT c CHECK (id > 0);", main, "harbour.berth/c", "harbour.berth/"},
		{"ALTER TABLE harbour.berth OWNER TO office;", late, "", "harbour.berth/"},
		{"ALTER FUNCTION harbour.dues(a int, b numeric) OWNER TO office;", late, "", "harbour.dues/(a int, b numeric)"},
		{"ALTER TABLE t ALTER a TYPE int USING evil(), OWNER TO office;", main, "", ".t/"},
		{"ALTER DATABASE d OWNER TO office;", p, "", ""},
		{"ALTER ROLE office SET work_mem = '1GB';", p, "", ""},
		{"ALTER SYSTEM SET work_mem = '1GB';", refuse, "", ""},
		{"ALTER DEFAULT PRIVILEGES FOR ROLE office GRANT SELECT ON TABLES TO PUBLIC;", late, "", ""},
		{"GRANT SELECT ON harbour.berth TO office;", late, "", "harbour.berth/"},
		{"GRANT EXECUTE ON FUNCTION harbour.dues(int) TO office;", late, "", "harbour.dues/(int)"},
		{"GRANT SELECT ON ALL TABLES IN SCHEMA harbour TO office;", late, "", ""},
		{"GRANT office TO mara;", p, "", ""},
		{"GRANT CONNECT ON DATABASE d TO office;", p, "", ""},
		{"COMMENT ON TABLE harbour.berth IS 'x';", main, "", "harbour.berth/"},
		{"COMMENT ON COLUMN harbour.berth.id IS 'x';", main, "", "harbour.berth/"},
		{"COMMENT ON INDEX harbour.i IS 'x';", main, "", "harbour./i"},
		{"COMMENT ON EXTENSION hstore IS 'x';", raised, "", ".hstore/"},
		{"DROP TABLE IF EXISTS harbour.berth CASCADE;", main, "", "harbour.berth/"},
		{"SET search_path = harbour, public;", set, "", ""},
		{"SET LOCAL TimeZone TO 'UTC';", set, "", ""},
		{"RESET search_path;", set, "", ""},
		{"SET statement_timeout = 0;", p, "", ""},
		{"SET ROLE postgres;", p, "", ""},
		{"SET SESSION AUTHORIZATION 'postgres';", p, "", ""},
		{"SELECT pg_catalog.set_config('search_path', '', false);", set, "", ""},
		{"SELECT pg_catalog.set_config('work_mem', '', false);", p, "", ""},
		{"SELECT pg_catalog.setval('s', 3, true);", p, "", ""},
		{"COPY t FROM stdin;", p, "", ""},
		{"INSERT INTO t VALUES (1);", p, "", ""},
		{"BEGIN;", p, "", ""},
		{"ROLLBACK;", refuse, "", ""},
		{"LOAD 'evil';", refuse, "", ""},
		{"DO $$ BEGIN CREATE ROLE x; END $$;", p, "", ""},
		{"DO $$ BEGIN CREATE TYPE x AS ENUM (); END $$;", main, "", ""},
		{"FROBNICATE t;", refuse, "", ""},
		{";", p, "", ""},
	} {
		r := said(c.sql)
		if r.Action != c.action || r.Action != refuse && (about(r.Makes) != c.makes || about(r.Alters) != c.alters) {
			t.Errorf("%s\nis %d makes %q alters %q, want %d %q %q (%s)", c.sql, r.Action, about(r.Makes), about(r.Alters), c.action, c.makes, c.alters, r.Why)
		}
	}
	for line, want := range map[string]texts.Reading{`\connect harbour`: {Action: switched, Key: "harbour"}, `\c "Har bour"`: {Action: switched, Key: "Har bour"}, `\connect -reuse-previous=on "dbname='x'"`: {Action: switched, Key: "x"},
		`\restrict abc`: {}, `\set ON_ERROR_STOP on`: {}} {
		if r := client(line); r.Action != want.Action || r.Key != want.Key {
			t.Errorf("%s is %+v", line, r)
		}
	}
	for _, line := range []string{`\i x.sql`, `\! id`, `\copy t from x`, `\gexec`, `\o x`} {
		if client(line).Action != refuse {
			t.Errorf("%s is followed", line)
		}
	}
}

const switched = texts.Switch

// FuzzRead: whatever a statement is, something is said of it; what changes the
// rights of others, or programs, is never run as who may make databases.
func FuzzRead(f *testing.F) {
	for _, s := range []string{"CREATE TABLE a.b (c int);", "ALTER TABLE x OWNER TO y;", "COMMENT ON COLUMN a.b.c IS 'x'", "GRANT a ON b TO c", "CREATE SCHEMA a AUTHORIZATION b", "SELECT set_config('search_path','x',true)", "CREATE INDEX ON t (a)", "COMMENT ON COLUMN a", "ALTER", "CREATE TRIGGER a", "SET", "RESET", "GRANT x ON FUNCTION f("} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, sql string) {
		defer fuzzing.Bound()()
		r := said(sql)
		if r.Action == texts.Refuse && r.Why == "" {
			t.Fatalf("%q is refused without a word", sql)
		}
		if r.Action == texts.Set && len(r.Sets) == 0 {
			t.Fatalf("%q sets nothing", sql)
		}
	})
}
