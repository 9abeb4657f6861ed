package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// TestSavedRowsComeBack: what was lost by permission comes back whole, by the
// back-out script and the rows that apply saved.
func TestSavedRowsComeBack(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		for _, c := range readPairs(t, filepath.Join("testdata", "saved", e.name+".sql")) {
			t.Run(e.name+"/"+c.name, func(t *testing.T) { comesBack(t, e.name, e.with(t), c) })
		}
	}
}

// comesBack loses what a pair loses, by permission, goes the way back and loads
// what was saved.
func comesBack(t *testing.T, engine string, p places, c pairCase) {
	dir := t.TempDir()
	source, place := p.make(t, c.source), p.make(t, c.target)
	kept := func() (out []string) {
		for _, q := range c.keep {
			out = append(out, strings.Split(p.ask(t, place, q), "\n")...)
		}
		return out
	}
	dump, before := p.dump(t, place), kept()
	want(t, 0, dir, "script", source, place, "-o", "up.sql", "--may-lose", "*", "--backout", "down.sql")
	want(t, 0, dir, "apply", "up.sql", place, "--yes", "--save-rows", "saved")
	want(t, 0, dir, "compare", source, place)
	if down := read(t, filepath.Join(dir, "down.sql")); !strings.Contains(down, "GONE") || strings.HasPrefix(c.name, "rows that") && !strings.Contains(unfolded(down), "it holds '' until they are loaded") && engine != "mariadb" {
		t.Errorf("the way back does not say what is gone:\n%s", down)
	}
	want(t, 0, dir, "apply", "down.sql", place, "--yes")
	files, err := filepath.Glob(filepath.Join(dir, "saved", "*.sql"))
	if err != nil || len(files) < 3 {
		t.Fatalf("saved are %v, %v", files, err)
	}
	for _, f := range files {
		// The session that loads them may be anybody's.
		mine := map[string]string{"postgres": "SET DateStyle = 'SQL, DMY'; SET TimeZone = 'Asia/Tokyo'; SET IntervalStyle = 'sql_standard';\n", "mariadb": "SET time_zone = '+05:00';\n"}[engine]
		loads := write(t, dir, "loads.sql", mine+read(t, f))
		if out, err := p.client(place, loads); err != nil {
			t.Fatalf("loading %s: %v\n%s\n%s", f, err, out, read(t, f))
		}
	}
	if d := firstDifference(dump, p.dump(t, place)); d != "" {
		t.Errorf("the structure did not come back: %s", d)
	}
	if d := firstDifference(before, kept()); d != "" {
		t.Errorf("the rows did not come back: %s", d)
	}
}

// TestBackoutKeepsNewRows: what came in by the new structure stops the way
// back, unless that was permitted.
func TestBackoutKeepsNewRows(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			p, dir := e.with(t), t.TempDir()
			old := "CREATE TABLE berth (id int PRIMARY KEY); INSERT INTO berth VALUES (1);"
			source := p.make(t, "CREATE TABLE berth (id int PRIMARY KEY, depth int DEFAULT 3); CREATE TABLE crane (id int PRIMARY KEY)")
			for _, c := range []struct {
				came  string
				flags []string
				code  int
			}{
				{"SELECT 1", nil, 0},
				{"INSERT INTO berth VALUES (2, 3)", nil, 0}, // the default is no loss
				{"UPDATE berth SET depth = 4", nil, 3},
				{"INSERT INTO crane VALUES (1)", nil, 3},
				{"INSERT INTO crane VALUES (1)", []string{"--may-lose", "table:*crane"}, 0},
			} {
				place := p.make(t, old)
				want(t, 0, dir, append([]string{"script", source, place, "-o", "up.sql", "--force", "--backout", "down.sql"}, c.flags...)...)
				want(t, 0, dir, "apply", "up.sql", place, "--yes")
				p.ask(t, place, c.came)
				if r := run(t, dir, "apply", "down.sql", place, "--yes"); r.code != c.code && !(c.code == 3 && r.code == 4 && e.name == "mariadb") {
					t.Errorf("after %s: exit %d, want %d: %s", c.came, r.code, c.code, r.errout)
				}
				os.Remove(filepath.Join(dir, "down.run.json"))
			}
		})
	}
}

// TestRehearse: a rehearsal says what a run would do, touches nothing but its
// scratch database, and leaves nothing behind.
func TestRehearse(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			p, dir := e.with(t), t.TempDir()
			// A copy has what was never proved, too.
			own := map[string]string{"postgres": "; ALTER TABLE vessel ADD CONSTRAINT named CHECK (name <> '') NOT VALID"}[e.name]
			target := p.make(t, "CREATE TABLE vessel (id int PRIMARY KEY, name varchar(40)); CREATE TABLE port_call (id int PRIMARY KEY, vessel_id int REFERENCES vessel (id), state varchar(9)); INSERT INTO vessel VALUES (1, 'a'), (2, 'b'), (3, 'c'); INSERT INTO port_call VALUES (7, 3, 'left'), (8, 1, NULL), (9, NULL, 'x')"+own)
			source := p.make(t, "CREATE TABLE vessel (id int PRIMARY KEY, name varchar(60)); CREATE TABLE port_call (id int PRIMARY KEY, vessel_id int REFERENCES vessel (id), state varchar(9) NOT NULL); CREATE VIEW left_ones AS SELECT id FROM port_call WHERE state = 'left'"+own)
			wheres := [][]string{nil}
			if e.name != "sqlite" {
				wheres = [][]string{{"--scratch", "local"}, {"--scratch", p.make(t, "")}}
				if r := want(t, 2, dir, "rehearse", source, target); !strings.Contains(r.errout, "--scratch local") {
					t.Errorf("without a place: %s", r.errout)
				}
			}
			before, left := p.dump(t, target), leftBehind(t, p)
			want(t, 0, dir, "script", source, target, "-o", "up.sql", "--row-checks", "off")
			text := read(t, filepath.Join(dir, "up.sql"))
			_, view, _ := strings.Cut(text, "  create view left_ones\n")
			view = view[strings.Index(view, "CREATE "):]
			view = view[:strings.Index(view, ";")+1]
			write(t, dir, "bad.sql", strings.Replace(text, view, strings.Replace(view, "VIEW", "VEIW", 1), 1))
			write(t, dir, "less.sql", strings.Replace(text, view, "SELECT 1;", 1))
			for _, where := range wheres {
				for _, c := range []struct {
					code       int
					args, says string
				}{
					{0, "rehearse up.sql", "as the script promises"},
					{3, "rehearse " + source, "identical to the source"},
					{1, "rehearse up.sql --copy-rows 100", "failed at step"},  // a NULL that is there
					{0, "rehearse up.sql --copy-rows 1", "with 1 row copied"}, // the first call's vessel did not come along
					{1, "rehearse bad.sql", "failed at step"},
					{1, "rehearse less.sql", "it does not end as the script promises"},
					{0, "script " + source + " -o new.sql --force --rehearse --row-checks off --backout back.sql", ""},
				} {
					args := strings.Fields(c.args)
					args = append(append([]string{args[0], args[1]}, target), append(args[2:], where...)...)
					if c.code == 3 { // a will-fail step is no reason not to rehearse
						args = append(args, "--row-checks", "off")
						c.code = 0
					}
					r := run(t, dir, args...)
					if r.code != c.code || !strings.Contains(r.out, c.says) {
						t.Errorf("%v: exit %d, want %d\n%s\n%s", args, r.code, c.code, r.out, r.errout)
					}
				}
			}
			if d := firstDifference(before, p.dump(t, target)); d != "" {
				t.Errorf("the target changed: %s", d)
			}
			stays(t, p, left)
		})
	}
}

// stays fails where something that was not there before is there for good;
// what other tests use meanwhile goes again.
func stays(t *testing.T, p places, before []string) {
	t.Helper()
	more := leftBehind(t, p)
	until(t, "nothing is left behind", func() bool {
		now := leftBehind(t, p)
		more = slices.DeleteFunc(more, func(s string) bool { return slices.Contains(before, s) || !slices.Contains(now, s) })
		return len(more) == 0
	})
}

// leftBehind lists scratch databases. What becomes of throw-away servers, and of
// what was on them, TestThrowAwayServers sees.
func leftBehind(t *testing.T, p places) (out []string) {
	switch p := p.(type) {
	case pgPlaces:
		out = strings.Fields(p.s.psql(t, "postgres", "SELECT datname FROM pg_database WHERE datname LIKE 'dapper%'"))
	case mariaPlaces:
		out = strings.Fields(command(t, "SHOW DATABASES LIKE 'dapper%'", "mariadb", p.s.args()...))
	}
	return out
}

// TestRowChecksOnlyRead: an account that may only read is enough, a question
// stops at its limit, and a lock somebody holds is no reason to wait for ever.
func TestRowChecksOnlyRead(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dir := t.TempDir()
	common := "CREATE FUNCTION slow(int) RETURNS boolean LANGUAGE sql AS 'SELECT true FROM pg_sleep(20)'; "
	source := s.url(s.database(t, common+"CREATE TABLE berth (id int, CHECK (slow(id))); CREATE TABLE vessel (id int NOT NULL); CREATE TABLE held (id int NOT NULL)"))
	name := s.database(t, common+"CREATE TABLE berth (id int); CREATE TABLE vessel (id int); CREATE TABLE held (id int); INSERT INTO berth VALUES (1); INSERT INTO vessel VALUES (1), (NULL);"+
		"DO $$ BEGIN CREATE ROLE looker LOGIN; EXCEPTION WHEN duplicate_object THEN NULL; END $$; GRANT SELECT ON ALL TABLES IN SCHEMA public TO looker")
	release := holding(t, "BEGIN; LOCK TABLE held; SELECT 'held';", filepath.Join(s.clients, "psql"), "-X", "-q", "-At", "-h", s.dir, "-U", "postgres", "-d", name)
	defer release()
	as := strings.Replace(s.url(name), "postgres@", "looker@", 1)
	r := want(t, 3, dir, "script", source, as, "-o", "up.sql", "--row-check-time", "300ms")
	text := unfolded(read(t, filepath.Join(dir, "up.sql")))
	for _, says := range []string{"may-fail: fails when a row breaks the check: not known (it took longer than 300ms)", "1 of 2 rows holds NULL", "held; not known", "3 questions asked of the target's rows: 0 clean, 1 with rows concerned, 2 not known"} {
		before, after, two := strings.Cut(says, "; ")
		if !strings.Contains(text, before) || two && !strings.Contains(text, after) {
			t.Errorf("the script does not say %q:\n%s", says, text)
		}
	}
	if !strings.Contains(r.errout, "at work now  session") || !strings.Contains(r.errout, "holds AccessExclusiveLock on table:public.held") {
		t.Errorf("who is at work is not said: %s", r.errout)
	}
	want(t, 0, dir, "script", source, as, "-o", "off.sql", "--row-checks", "off")
	want(t, 2, dir, "script", source, as, "--row-checks", "perhaps")
	want(t, 2, dir, "script", source, as, "--row-check-time", "0s")
}

// TestRightsAreListed: what the account lacks is listed before anything runs.
func TestRightsAreListed(t *testing.T) {
	t.Parallel()
	pgs, my := postgres(t), mariaPlaces{mariadb(t)}
	dir := t.TempDir()
	source := "CREATE TABLE berth (id int, depth int); CREATE TABLE crane (id int); CREATE VIEW deep AS SELECT id FROM berth;"
	target := "CREATE TABLE berth (id int); CREATE TABLE tariff (id int);"
	pgName := pgs.database(t, target+"DO $$ BEGIN CREATE ROLE looker LOGIN; EXCEPTION WHEN duplicate_object THEN NULL; END $$; REVOKE CREATE ON SCHEMA public FROM PUBLIC; GRANT SELECT ON ALL TABLES IN SCHEMA public TO looker")
	myPlace := my.make(t, target)
	command(t, fmt.Sprintf("CREATE USER IF NOT EXISTS looker; GRANT SELECT, DROP ON `%s`.* TO looker; GRANT ALTER ON `%s`.tariff TO looker", my.name(myPlace), my.name(myPlace)), "mariadb", my.s.args()...)
	for _, c := range []struct {
		source, place string
		lacks         []string
	}{
		{pgs.url(pgs.database(t, source)), strings.Replace(pgs.url(pgName), "postgres@", "looker@", 1), []string{"to own table:public.berth", "CREATE on schema public", "to own table:public.tariff"}},
		{my.make(t, source), strings.Replace(myPlace, "root@", "looker@", 1), []string{"ALTER on berth", "CREATE on crane", "CREATE VIEW on deep", "LOCK TABLES on tariff"}},
	} {
		want(t, 0, dir, "script", c.source, c.place, "-o", "up.sql", "--force")
		checked, applied := want(t, 3, dir, "check", "up.sql", c.place), want(t, 3, dir, "apply", "up.sql", c.place, "--yes")
		for _, l := range c.lacks {
			if !strings.Contains(checked.out, "lacks    "+l) || !strings.Contains(applied.errout, l) {
				t.Errorf("%q is not listed:\n%s\n%s", l, checked.out, applied.errout)
			}
		}
		if strings.Contains(applied.errout, "DROP on") || !strings.Contains(applied.errout, "nothing was run") {
			t.Errorf("says %s", applied.errout)
		}
	}
}

// TestOptionsThatWouldDoNothing: they are refused, and of a script and its way
// back neither is written where the other cannot be.
func TestOptionsThatWouldDoNothing(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	want(t, 0, dir, "script", "dev.db", "live.db", "-o", "up.sql", "--may-lose", "*")
	for _, c := range []struct{ args, says string }{
		{"script dev.db live.db --copy-rows 5", "--copy-rows does nothing here"},
		{"rehearse up.sql live.db --may-lose *", "--may-lose does nothing here"},
		{"rehearse up.sql live.db --only table:berth", "--only does nothing here"},
		{"script dev.db live.db --may-lose * -o up.sql --backout down.sql", "up.sql is there already"},
		{"script dev.db live.db --may-lose * -o other.sql --backout up.sql", "up.sql is there already"},
	} {
		if r := want(t, 2, dir, strings.Fields(c.args)...); !strings.Contains(r.errout, c.says) {
			t.Errorf("%s: %s", c.args, r.errout)
		}
	}
	for _, file := range []string{"down.sql", "other.sql"} {
		if _, err := os.Stat(filepath.Join(dir, file)); err == nil {
			t.Errorf("%s was written alone", file)
		}
	}
	if r := want(t, 0, dir, "rehearse", "dev.db", "new.db", "--create"); !strings.Contains(r.out, "it ends identical to the source") {
		t.Errorf("a target that is not there yet: %s", r.out)
	}
	if _, err := os.Stat(filepath.Join(dir, "new.db")); err == nil {
		t.Error("the rehearsal made the target")
	}
}

// TestHeaderCommandsRun: every command line of a header can be pasted as it
// stands, also where the target was given by its name and the file's name is
// odd.
func TestHeaderCommandsRun(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			p, dir := e.with(t), t.TempDir()
			source := p.make(t, "CREATE TABLE pier (id int PRIMARY KEY, name varchar(40))")
			for _, command := range []string{"check", "run", "or"} {
				target := p.make(t, "CREATE TABLE pier (id int PRIMARY KEY)")
				write(t, dir, "dapper-mirror.yaml", fmt.Sprintf("places:\n  live one: %q\n", target))
				const file = "it's up & on.sql"
				want(t, 0, dir, "script", source, "live one", "-o", file, "--force")
				line := ""
				for _, l := range strings.Split(read(t, filepath.Join(dir, file)), "\n") {
					if rest, ok := strings.CutPrefix(l, "-- "+command+" "); ok {
						line = strings.TrimSpace(rest)
					}
				}
				if command == "run" {
					line += " --yes"
				}
				c := exec.Command("sh", "-c", line)
				c.Dir, c.Env = dir, append(os.Environ(), "PATH="+filepath.Dir(program)+":"+os.Getenv("PATH"))
				if out, err := c.CombinedOutput(); err != nil {
					t.Fatalf("%s: %s: %v\n%s", command, line, err, out)
				}
				if command != "check" {
					want(t, 0, dir, "compare", source, target)
				}
			}
		})
	}
}
