package place

import (
	"database/sql"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dappermirror/internal/core/capture"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/engine"
	_ "dappermirror/internal/engine/all"
)

// TestResolve: what the user typed, what it is taken for, and how it is named
// to people, without secrets.
func TestResolve(t *testing.T) {
	dir := t.TempDir()
	t.Chdir(dir)
	db, err := sql.Open("sqlite", "live.db")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := db.Exec("CREATE TABLE t (x)"); err != nil {
		t.Fatal(err)
	}
	db.Close()
	for name, text := range map[string]string{"cap.json": `{"format":"dapper-mirror capture"}`, "schema.sql": "CREATE TABLE t (x);", "new.db": "", "note.txt": "hello"} {
		if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.MkdirAll(filepath.Join("schema", "deep"), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join("schema", "deep", "t.SQL"), []byte("CREATE TABLE t (x);"), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := os.Mkdir("empty", 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink("live.db", "link.db"); err != nil {
		t.Fatal(err)
	}
	opt := Options{Names: map[string]Named{"live": {At: "sqlite:live.db"}, "server": {At: "postgres://me:secret@h/d"}, "broken": {At: "nowhere.db"}}}
	for _, c := range []struct {
		text     string
		create   bool
		engine   string // "" for a capture
		label    string
		writable bool
		shown    bool
		err      string
	}{
		{"live.db", false, "sqlite", "live.db", true, false, ""},
		{"sqlite:live.db", false, "sqlite", "live.db", true, false, ""},
		{"new.db", false, "sqlite", "new.db", true, false, ""},
		{"live", false, "sqlite", "live.db", true, false, ""},
		{"cap.json", false, "", "cap.json", false, false, ""},
		{"schema.sql", false, "sqlite", "schema.sql", false, false, ""},
		{"schema", false, "sqlite", "schema", false, false, ""},
		{"-", false, "", "standard input", false, false, ""},
		{"gone.db", true, "sqlite", "gone.db", true, false, ""},
		{"postgres://me@h/d", false, "postgres", "postgres://me@h/d", true, false, ""},
		{"postgresql://me:secret@h:5433/d?sslmode=require", false, "postgres", "postgresql://me@h:5433/d?sslmode=require", true, true, ""},
		{"postgres:///d?host=/run/postgresql&password=secret", false, "postgres", "postgres:///d?host=/run/postgresql", true, true, ""},
		{"server", false, "postgres", "postgres://me@h/d", true, false, ""}, // a file is no command line
		{"gone.db", false, "", "", false, false, "gone.db: it does not exist"},
		{"gone.json", true, "", "", false, false, "it does not exist"},
		{"broken", false, "", "", false, false, "place broken: nowhere.db: it does not exist"},
		{"note.txt", false, "", "", false, false, "neither a SQLite database"},
		{"empty", false, "", "", false, false, "a folder without .sql files"},
		{"", false, "", "", false, false, "a place is empty"},
		{"oracle://h/d", false, "", "", false, false, "no kind of place"},
		{"mysql://me@h/d", false, "mysql", "mysql://me@h/d", true, false, ""},
		{"mariadb://me:secret@/d?socket=/run/s", false, "mysql", "mariadb://me@/d?socket=/run/s", true, true, ""},
		{"postgres://me:secret@a:1,b:2/d?target_session_attrs=primary", false, "postgres", "postgres://me@a:1,b:2/d?target_session_attrs=primary", true, true, ""},
		{"git:HEAD:x.sql", false, "", "", false, false, "in no git repository"},
		{"postgres://me:sec%ret@h/d", false, "", "", false, false, "the URL cannot be read"},
	} {
		o := opt
		o.Create = c.create
		p, err := Resolve(c.text, o)
		if c.err != "" {
			if err == nil || !strings.Contains(err.Error(), c.err) {
				t.Errorf("%q: %v, want %q", c.text, err, c.err)
			}
			if err != nil && strings.Contains(err.Error(), "sec") && strings.Contains(c.text, "sec") {
				t.Errorf("%q: the error shows the password: %v", c.text, err)
			}
			continue
		}
		if err != nil {
			t.Errorf("%q: %v", c.text, err)
			continue
		}
		engine := ""
		if p.Engine != nil {
			engine = p.Engine.Name()
		}
		if engine != c.engine || p.Label != c.label || p.Writable() != c.writable || p.PasswordShown != c.shown {
			t.Errorf("%q: engine %q label %q writable %v shown %v", c.text, engine, p.Label, p.Writable(), p.PasswordShown)
		}
	}
	same := func(a, b string) bool {
		x, err := Resolve(a, opt)
		if err != nil {
			t.Fatal(err)
		}
		y, err := Resolve(b, opt)
		if err != nil {
			t.Fatal(err)
		}
		return x.Identity == y.Identity
	}
	for _, c := range []struct {
		a, b string
		want bool
	}{
		{"live.db", "./live.db", true}, {"live.db", "link.db", true}, {"live.db", "sqlite:" + filepath.Join(dir, "live.db"), true}, {"live.db", "new.db", false},
		{"postgres://a@h/d", "postgres://b:x@h/d", true}, {"postgres://a@h/d", "postgres://a@h/e", false}, {"postgres:///d?host=/a", "postgres:///d?host=/b", false},
	} {
		if same(c.a, c.b) != c.want {
			t.Errorf("%s and %s: the same place is %v", c.a, c.b, !c.want)
		}
	}
}

// TestReadKinds reads one structure through every kind of place there is
// without a server; all of them say the same.
func TestReadKinds(t *testing.T) {
	dir := t.TempDir()
	t.Chdir(dir)
	text := "CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT NOT NULL); CREATE INDEX i ON berth (name); CREATE VIEW v AS SELECT name FROM berth;"
	db, err := sql.Open("sqlite", "x.db")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := db.Exec(text); err != nil {
		t.Fatal(err)
	}
	db.Close()
	if err := os.WriteFile("x.sql", []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	read := func(name, stdin string) string {
		p, err := Resolve(name, Options{Stdin: strings.NewReader(stdin)})
		if err != nil {
			t.Fatal(err)
		}
		c, err := p.Read(t.Context(), Options{})
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if c.Place != p.Label {
			t.Errorf("%s: the catalog is of %q", name, c.Place)
		}
		var b strings.Builder
		if err := capture.Encode(&b, c); err != nil {
			t.Fatal(err)
		}
		if name == "x.db" {
			if err := os.WriteFile("x.json", []byte(b.String()), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		return judge.Whole(c)
	}
	want := read("x.db", "")
	capture, err := os.ReadFile("x.json")
	if err != nil {
		t.Fatal(err)
	}
	for name, got := range map[string]string{"a text": read("x.sql", ""), "a capture": read("x.json", ""), "a text on standard input": read("-", text), "a capture on standard input": read("-", string(capture))} {
		if got != want {
			t.Errorf("%s is another structure", name)
		}
	}
	p, err := Resolve("none.db", Options{Create: true})
	if err != nil {
		t.Fatal(err)
	}
	if c, err := p.Read(t.Context(), Options{}); err != nil || len(c.Objects) != 0 {
		t.Errorf("a database to be created: %v", err)
	}
	if _, err := os.Stat("none.db"); err == nil {
		t.Error("reading created it")
	}
}

// TestWhatPlacesCan: each kind of place can do what it is made of, and says no to
// the rest.
func TestWhatPlacesCan(t *testing.T) {
	dir := t.TempDir()
	t.Chdir(dir)
	text := "CREATE TABLE berth (id INTEGER PRIMARY KEY);\n\n  CREATE INDEX i ON berth (id);"
	for name, data := range map[string]string{"x.sql": text, "y.sql": "CREATE VIEW v AS SELECT id FROM berth;", "x.db": ""} {
		if err := os.WriteFile(name, []byte(data), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct {
		place              string
		opens, keeps, once bool
	}{{"x.sql", false, false, false}, {".", false, false, false}, {"x.db", true, false, false}, {"-", false, false, true}, {"postgres:///d", true, false, false}} {
		p, err := Resolve(c.place, Options{Stdin: strings.NewReader(text)})
		if err != nil {
			t.Fatal(err)
		}
		if p.Writable() != c.opens || p.Streamed() != c.once || (p.Address() != "") != c.opens {
			t.Errorf("%s: opens %v, once %v, address %q", c.place, p.Writable(), p.Streamed(), p.Address())
		}
		if err := p.Keep(&catalog.Catalog{}); (err == nil) != c.keeps {
			t.Errorf("%s keeps a structure: %v", c.place, err)
		}
		if _, err := p.Open(t.Context(), engine.OpenOptions{}); !c.opens && !errors.Is(err, engine.ErrNotOurs) {
			t.Errorf("%s can be opened: %v", c.place, err)
		}
	}
	folder, err := Resolve(".", Options{})
	if err != nil {
		t.Fatal(err)
	}
	was, err := folder.Read(t.Context(), Options{})
	if err != nil {
		t.Fatal(err)
	}
	berth := was.Find(catalog.Ref{Kind: catalog.Table, Name: "berth"})
	view := was.Find(catalog.Ref{Kind: catalog.View, Name: "v"})
	if o := berth.Part(catalog.Index, "i").Origin; *berth.Origin != (catalog.Origin{File: "x.sql", Line: 1, Column: 1}) || *o != (catalog.Origin{File: "x.sql", Line: 3, Column: 3}) || view.Origin.File != "y.sql" {
		t.Errorf("origins: %+v %+v %+v", berth.Origin, o, view.Origin)
	}
	kept := Capture("kept.json")
	if err := kept.Keep(was); err != nil {
		t.Fatal(err)
	}
	p, err := Resolve("kept.json", Options{})
	if err != nil {
		t.Fatal(err)
	}
	if now, err := p.Read(t.Context(), Options{}); err != nil || judge.Whole(now) != judge.Whole(was) || !p.Same(kept) {
		t.Errorf("%v: what was kept is another structure", err)
	}
}
