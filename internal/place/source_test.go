package place

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dappermirror/internal/engine"
)

// TestSpoken: which SQL a text is in, it mostly says itself.
func TestSpoken(t *testing.T) {
	for _, c := range []struct {
		text, engine   string
		doubt, guessed bool
	}{
		{"-- PostgreSQL database dump\n", "postgres", false, false},
		{"/*M!999999\\- enable the sandbox mode */\n-- MariaDB dump 10.19\n", "mysql", false, false},
		{"-- MySQL dump 10.13\n", "mysql", false, false},
		{"PRAGMA foreign_keys=OFF;\nBEGIN TRANSACTION;\n", "sqlite", false, false},
		{"CREATE TABLE t (id serial, at timestamptz, j jsonb);\nCREATE FUNCTION f() RETURNS int LANGUAGE plpgsql AS $$ BEGIN RETURN 1; END $$;", "postgres", true, false},
		{"CREATE TABLE `t` (`id` int unsigned NOT NULL AUTO_INCREMENT) ENGINE=InnoDB;", "mysql", true, false},
		{"CREATE TABLE t (id INTEGER PRIMARY KEY AUTOINCREMENT) STRICT;", "sqlite", true, false},
		{"CREATE TABLE t (id int);", "sqlite", true, true},
		{"", "sqlite", true, true},
		{"\x00\xff\xfe", "sqlite", true, true},
	} {
		e, doubt, guessed := spoken(c.text)
		if e.Name() != c.engine || doubt != c.doubt || guessed != c.guessed {
			t.Errorf("%.40q is %s, doubt %v, guessed %v", c.text, e.Name(), doubt, guessed)
		}
	}
}

// TestAgree: a text that does not say which SQL it is in takes that of the place
// it is compared with.
func TestAgree(t *testing.T) {
	dir := t.TempDir()
	t.Chdir(dir)
	for name, text := range map[string]string{"plain.sql": "CREATE TABLE t (id int);", "looks.sql": "CREATE TABLE `t` (id int unsigned AUTO_INCREMENT) ENGINE=InnoDB;", "dump.sql": "-- PostgreSQL database dump\n", "x.db": ""} {
		if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct{ a, b, engines string }{
		{"plain.sql", "postgres://h/d", "postgres postgres"},
		{"mariadb://h/d", "plain.sql", "mysql mysql"},
		{"plain.sql", "x.db", "sqlite sqlite"},
		{"plain.sql", "looks.sql", "mysql mysql"},
		{"plain.sql", "dump.sql", "postgres postgres"},
		{"looks.sql", "postgres://h/d", "postgres postgres"}, // its looks are no word
		{"dump.sql", "mariadb://h/d", "postgres mysql"},      // a dump's first line is
		{"plain.sql", "plain.sql", "sqlite sqlite"},
	} {
		a, err := Resolve(c.a, Options{})
		if err != nil {
			t.Fatal(err)
		}
		b, err := Resolve(c.b, Options{})
		if err != nil {
			t.Fatal(err)
		}
		Agree(a, b)
		if got := a.Engine.Name() + " " + b.Engine.Name(); got != c.engines {
			t.Errorf("%s and %s are in %s, want %s", c.a, c.b, got, c.engines)
		}
	}
}

// TestResolveTexts: files are told by their names and what is in them, and what
// cannot be read is said.
func TestResolveTexts(t *testing.T) {
	dir := t.TempDir()
	t.Chdir(dir)
	for name, text := range map[string]string{"all.sql": "-- MySQL dump\n", "odd#name.sql": "CREATE TABLE t (id int);", "backup.dump": "PGDMP", "x.gz": "\x1f\x8bnothing", "readme.txt": "hello", "noext": "-- PostgreSQL database dump\nCREATE TABLE t();\n",
		"capture.json": `{"format":"dapper-mirror capture"}`, "db/1_a.sql": "x", "db/.git/b.sql": "x", "db/c.txt": "x", "db/deep/2_d.SQL": "x", "arch/toc.dat": "PGDMP", "made/dapper-mirror-folder.yaml": "format: dapper-mirror folder\nversion: 1\nengine: mysql\n",
		"newer/dapper-mirror-folder.yaml": "format: dapper-mirror folder\nversion: 99\nengine: mysql\n", "newer/x.sql": "x", "empty/c.txt": ""} {
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct {
		text, dialect string
		engine        string
		files         string
		err           string
	}{
		{"all.sql", "", "mysql", "all.sql", ""},
		{"all.sql#harbour", "", "mysql", "all.sql", ""},
		{"odd#name.sql", "", "sqlite", "odd#name.sql", ""},
		{"odd#name.sql", "mariadb", "mysql", "odd#name.sql", ""},
		{"odd#name.sql", "postgresql", "postgres", "odd#name.sql", ""},
		{"odd#name.sql", "cobol", "", "", `texts in the dialect "cobol" cannot be read`},
		{"noext", "", "postgres", "noext", ""},
		{"readme.txt", "", "", "", "neither a"},
		{"x.gz", "", "", "", "cannot be unpacked"},
		{"db", "", "sqlite", "db/1_a.sql db/deep/2_d.SQL", ""},
		{"made", "", "mysql", "", ""},
		{"newer", "", "", "", "newer program"},
		{"empty", "", "", "", "a folder without .sql files"},
		{"nowhere.sql#x", "", "", "", "nowhere.sql: it does not exist"},
	} {
		p, err := Resolve(c.text, Options{Dialect: c.dialect})
		if c.err != "" {
			if err == nil || !strings.Contains(err.Error(), c.err) {
				t.Errorf("%s: %v, want %q", c.text, err, c.err)
			}
			continue
		}
		if err != nil || p.Engine.Name() != c.engine || strings.Join(p.Files(), " ") != c.files {
			t.Errorf("%s: %+v %v", c.text, p, err)
			continue
		}
		if _, embedded := p.Engine.(engine.Embedded); p.Runs() == embedded || !p.Rewritable() || p.Writable() {
			t.Errorf("%s: runs %v, can be written anew %v", c.text, p.Runs(), p.Rewritable())
		}
	}
}
