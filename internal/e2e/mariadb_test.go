package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"
)

// mariaServer is a private MariaDB, in a temporary folder and on a socket only.
type mariaServer struct {
	once   sync.Once
	err    error
	dir    string
	cmd    *exec.Cmd
	mu     sync.Mutex
	number int
	// name is of its folder, options are how it is started.
	name    string
	options []string
}

var maria = mariaServer{name: "maria"}

func mariadb(t testing.TB) *mariaServer {
	t.Helper()
	maria.once.Do(func() { maria.err = maria.start() })
	if maria.err != nil {
		t.Fatalf("MariaDB (run scripts/install-test-servers): %v", maria.err)
	}
	return &maria
}

func (s *mariaServer) start() error {
	s.dir = filepath.Join(tempDir, s.name)
	if err := os.Mkdir(s.dir, 0o755); err != nil {
		return err
	}
	as := []string{}
	if os.Geteuid() == 0 {
		as = []string{"--user=root"}
	}
	data := filepath.Join(s.dir, "data")
	install := exec.Command("mariadb-install-db", append([]string{"--no-defaults", "--datadir=" + data, "--skip-test-db", "--auth-root-authentication-method=normal"}, as...)...)
	// A server takes away what it finds of temporary files when it starts, also
	// those of others.
	own := append(os.Environ(), "TMPDIR="+s.dir)
	install.Env = own
	if out, err := install.CombinedOutput(); err != nil {
		return fmt.Errorf("mariadb-install-db: %v\n%s", err, out)
	}
	log, err := os.Create(filepath.Join(s.dir, "log"))
	if err != nil {
		return err
	}
	defer log.Close()
	s.cmd = exec.Command("mariadbd", append([]string{"--no-defaults", "--datadir=" + data, "--socket=" + s.socket(), "--skip-networking", "--pid-file=" + filepath.Join(s.dir, "pid"),
		"--innodb-flush-log-at-trx-commit=0", "--innodb-flush-method=nosync", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_general_ci", "--event-scheduler=OFF"}, append(as, s.options...)...)...)
	s.cmd.Env, s.cmd.Stdout, s.cmd.Stderr = own, log, log
	if err := s.cmd.Start(); err != nil {
		return err
	}
	for end := time.Now().Add(60 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		if _, err := tryCommand("SELECT 1", "mariadb", s.args()...); err == nil {
			return nil
		}
		if time.Now().After(end) {
			text, _ := os.ReadFile(log.Name())
			return fmt.Errorf("the server does not answer:\n%s", text)
		}
	}
}

func (s *mariaServer) stop() {
	if s.cmd != nil {
		_ = s.cmd.Process.Kill()
		_ = s.cmd.Wait()
	}
}

func (s *mariaServer) socket() string { return filepath.Join(s.dir, "s") }

func (s *mariaServer) args(more ...string) []string {
	return append([]string{"--no-defaults", "--socket=" + s.socket(), "--user=root", "--default-character-set=utf8mb4", "-N", "-B", "--comments"}, more...)
}

// database makes a new database, loads SQL into it and answers its name.
func (s *mariaServer) database(t testing.TB, sql string) string {
	t.Helper()
	s.mu.Lock()
	s.number++
	name := fmt.Sprintf("t%d", s.number)
	s.mu.Unlock()
	command(t, "CREATE DATABASE "+name, "mariadb", s.args()...)
	t.Cleanup(func() { _, _ = tryCommand("DROP DATABASE IF EXISTS "+name, "mariadb", s.args()...) })
	command(t, sql, "mariadb", s.args(name)...)
	return name
}

func (s *mariaServer) url(name string) string {
	return "mariadb://root@/" + name + "?socket=" + s.socket()
}

type mariaPlaces struct{ s *mariaServer }

func (p mariaPlaces) make(t testing.TB, sql string) string { return p.s.url(p.s.database(t, sql)) }
func (p mariaPlaces) name(place string) string {
	name, _, _ := strings.Cut(strings.TrimPrefix(place, "mariadb://root@/"), "?")
	return name
}
func (p mariaPlaces) ask(t testing.TB, place, query string) string {
	return command(t, query, "mariadb", p.s.args(p.name(place))...)
}
func (p mariaPlaces) client(place, file string) (string, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return "", err
	}
	return tryCommand(string(text), "mariadb", p.s.args(p.name(place))...)
}

var counter = regexp.MustCompile(` AUTO_INCREMENT=\d+`)

// dump is what mariadb-dump says of the structure, a statement each, in its
// order: the order of columns counts.
func (p mariaPlaces) dump(t testing.TB, place string) []string {
	out := command(t, "", "mariadb-dump", "--no-defaults", "--socket="+p.s.socket(), "--user=root", "--no-data", "--routines", "--triggers", "--events", "--skip-comments", "--skip-dump-date", p.name(place))
	out = strings.ReplaceAll(counter.ReplaceAllString(out, ""), "`"+p.name(place)+"`", "`here`")
	lines := strings.Split(strings.NewReplacer(" ON DELETE NO ACTION", "", " ON UPDATE NO ACTION", "").Replace(out), "\n")
	for i := 0; i < len(lines); i++ { // keys have no order
		j := i
		for ; j < len(lines) && keyLine.MatchString(lines[j]); j++ {
			lines[j] = strings.TrimSuffix(lines[j], ",")
		}
		slices.Sort(lines[i:j])
		i = max(i, j-1)
	}
	return lines
}

var keyLine = regexp.MustCompile("^  (PRIMARY KEY|UNIQUE KEY|KEY|FULLTEXT KEY|SPATIAL KEY|CONSTRAINT|PERIOD) ")

func TestPairsMariaDB(t *testing.T) {
	t.Parallel()
	eachPair(t, "testdata/mariadb/harbour*.sql", mariaPlaces{mariadb(t)})
}

// TestServersOfAllKinds runs pairs on servers that are set up otherwise: names
// folded, timestamps as of old, another time zone, modes that change meaning.
func TestServersOfAllKinds(t *testing.T) {
	t.Parallel()
	for name, options := range map[string][]string{
		"folds names":    {"--lower-case-table-names=1"},
		"old timestamps": {"--explicit-defaults-for-timestamp=OFF", "--default-time-zone=+02:00"},
		"other modes":    {"--sql-mode=ANSI_QUOTES,NO_BACKSLASH_ESCAPES,PIPES_AS_CONCAT,NO_ZERO_DATE,STRICT_ALL_TABLES", "--character-set-server=latin1", "--collation-server=latin1_swedish_ci"},
	} {
		t.Run(name, func(t *testing.T) {
			s := &mariaServer{name: "maria-" + strings.ReplaceAll(name, " ", "-"), options: options}
			if err := s.start(); err != nil {
				t.Fatal(err)
			}
			t.Cleanup(s.stop)
			for i, c := range readPairs(t, "testdata/mariadb/harbour*.sql") {
				if i%3 == 0 || strings.HasPrefix(c.name, "one permitted loss") {
					t.Run(c.name, func(t *testing.T) { pair(t, c, mariaPlaces{s}) })
				}
			}
		})
	}
}

// TestNamesInOtherLetters: one server keeps the names of tables in lower case,
// the other as they were written, and each is brought in line with the other.
// The servers' dumps then say the same in all but letters, and bodies run.
func TestNamesInOtherLetters(t *testing.T) {
	t.Parallel()
	folds := &mariaServer{name: "maria-letters", options: []string{"--lower-case-table-names=1"}}
	if err := folds.start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(folds.stop)
	lower := func(lines []string) []string { // they are in the order of letters
		out := strings.Split(strings.ToLower(strings.Join(lines, "\x00")), "\x00")
		slices.Sort(out)
		return out
	}
	c := readPairs(t, "testdata/mariadb/letters.sql")[0]
	for name, sides := range map[string][2]mariaPlaces{"from folded": {{folds}, {mariadb(t)}}, "to folded": {{mariadb(t)}, {folds}}} {
		for _, how := range [][]string{nil, {"--avoid-blocking"}} {
			t.Run(fmt.Sprint(name, how), func(t *testing.T) {
				dir, p := t.TempDir(), sides[1]
				source, target := sides[0].make(t, c.source), p.make(t, c.target+c.rows)
				kept := p.ask(t, target, c.keep[0])
				want(t, 0, dir, append([]string{"script", source, target, "--may-lose", "table:gone", "-o", "up.sql"}, how...)...)
				if text := read(t, filepath.Join(dir, "up.sql")); strings.Contains(text, "Count_Berths") || strings.Contains(text, "TRIGGER Free") {
					t.Errorf("bodies differ in nothing but letters, and are written:\n%s", text)
				}
				want(t, 0, dir, "check", "up.sql", target)
				if how == nil {
					want(t, 0, dir, "rehearse", "up.sql", target, "--scratch", "local", "--copy-rows", "10")
				}
				if out, err := p.client(target, filepath.Join(dir, "up.sql")); err != nil {
					t.Fatalf("the script stopped: %v\n%s", err, out)
				}
				if d := firstDifference(lower(sides[0].dump(t, source)), lower(p.dump(t, target))); d != "" {
					t.Error(d)
				}
				if now := p.ask(t, target, c.keep[0]); now != kept {
					t.Errorf("rows were\n%s\nand are\n%s", kept, now)
				}
				p.ask(t, target, "INSERT INTO "+map[bool]string{true: "ship", false: "Ship"}[name == "from folded"]+" (id) VALUES (1); SELECT Longest(); CALL Count_Ships()")
				want(t, 0, dir, "compare", source, target)
				want(t, 0, dir, "compare", target, source)
				want(t, 0, dir, "capture", source, "-o", "source.json")
				want(t, 0, dir, "compare", "source.json", target)
			})
		}
	}
	one, two := mariaPlaces{mariadb(t)}.make(t, "CREATE TABLE Pier (id INT); CREATE TABLE pier (id INT)"), mariaPlaces{folds}.make(t, "")
	if r := want(t, 2, t.TempDir(), "compare", one, two); !strings.Contains(r.errout, "one name to the target's server") {
		t.Error(r.errout)
	}
}

func TestRandomPairsMariaDB(t *testing.T) {
	t.Parallel()
	randomPairs(t, "mysql", mariaPlaces{mariadb(t)}, *randomRuns/2)
}

// TestMariaDBEverything: everything goes into an empty database, and an empty
// one over everything.
func TestMariaDBEverything(t *testing.T) {
	t.Parallel()
	p := mariaPlaces{mariadb(t)}
	dir := t.TempDir()
	full, copied, none := p.make(t, read(t, "testdata/mariadb/kinds.sql")), p.make(t, ""), p.make(t, "")
	want(t, 0, dir, "sync", full, copied, "--yes")
	if d := firstDifference(p.dump(t, full), p.dump(t, copied)); d != "" {
		t.Errorf("everything into nothing:\n%s", d)
	}
	want(t, 0, dir, "compare", full, copied, "--include", "definers")
	want(t, 0, dir, "capture", full, "-o", "full.json")
	want(t, 0, dir, "compare", "full.json", copied)
	want(t, 0, dir, "script", none, copied, "--may-lose", "*", "-o", "down.sql")
	if out, err := p.client(copied, filepath.Join(dir, "down.sql")); err != nil {
		t.Fatalf("nothing over everything: %v\n%s", err, out)
	}
	if d := firstDifference(p.dump(t, none), p.dump(t, copied)); d != "" {
		t.Errorf("nothing over everything:\n%s", d)
	}
}

// TestMariaDBInterrupted: every statement commits, so a script can stop after
// any of them. From each such place a new script finishes the work, and no row
// is lost.
func TestMariaDBInterrupted(t *testing.T) {
	t.Parallel()
	p := mariaPlaces{mariadb(t)}
	dir := t.TempDir()
	var source, target, rows strings.Builder
	var keep []string
	for _, c := range readPairs(t, "testdata/mariadb/harbour.sql") {
		switch { // those whose names do not meet
		case strings.HasPrefix(c.name, "keys at both ends"), strings.HasPrefix(c.name, "new tables in a ring"), strings.HasPrefix(c.name, "columns are moved"),
			strings.HasPrefix(c.name, "enum values"), strings.HasPrefix(c.name, "views on views"), strings.HasPrefix(c.name, "routines, events"), strings.HasPrefix(c.name, "character sets"),
			strings.HasPrefix(c.name, "partitions come"), strings.HasPrefix(c.name, "indexes of every class"):
			if !strings.Contains(c.name, "ring") {
				source.WriteString(c.source + "\n")
				target.WriteString(c.target + "\n")
				rows.WriteString(c.rows + "\n")
				for _, q := range c.keep {
					if !strings.HasPrefix(q, "/* held */") {
						keep = append(keep, q)
					}
				}
			}
		}
	}
	dev := p.make(t, source.String())
	load := target.String() + rows.String()
	live := p.make(t, load)
	want(t, 0, dir, "script", dev, live, "--may-lose", "*", "-o", "up.sql")
	var before []string
	for _, q := range keep {
		before = append(before, p.ask(t, live, q))
	}
	script := read(t, filepath.Join(dir, "up.sql"))
	head, rest, _ := strings.Cut(script, "-- step 1 of")
	steps := strings.Split("-- step 1 of"+rest, "\n\n-- step ")
	if len(steps) < 30 {
		t.Fatalf("only %d steps", len(steps))
	}
	for n := 1; n < len(steps); n++ {
		place := p.make(t, load)
		write(t, dir, "part.sql", head+strings.Join(steps[:n], "\n\n-- step ")+"\n")
		if out, err := p.client(place, filepath.Join(dir, "part.sql")); err != nil {
			t.Fatalf("the first %d steps: %v\n%s", n, err, out)
		}
		want(t, 0, dir, "sync", dev, place, "--may-lose", "*", "--yes")
		if d := firstDifference(p.dump(t, dev), p.dump(t, place)); d != "" {
			t.Fatalf("stopped after step %d, and finished:\n%s", n, d)
		}
		for i, q := range keep {
			if now := p.ask(t, place, q); now != before[i] {
				t.Fatalf("stopped after step %d: %s: was %q, is %q", n, q, before[i], now)
			}
		}
	}
}

// TestMariaDBTrouble: each gets one clear line and exit code 2; a script that
// stops half way says where it stands.
func TestMariaDBTrouble(t *testing.T) {
	t.Parallel()
	s := mariadb(t)
	p := mariaPlaces{s}
	dir := t.TempDir()
	good := p.make(t, "CREATE TABLE t (id INT PRIMARY KEY, a INT)")
	for name, c := range map[string]struct{ place, says string }{
		"no such database": {s.url("gone"), "the server has no such database"},
		"no such socket":   {"mariadb://root@/x?socket=/nowhere/at/all", "no connection"},
		"nobody listens":   {"mariadb://root@127.0.0.1:1/x", "no connection"},
		"wrong user":       {strings.Replace(s.url("mysql"), "root@", "stranger@", 1), "refused the user or password"},
		"no database said": {"mysql://root@localhost/", "names no database"},
	} {
		r := want(t, 2, dir, "compare", good, c.place)
		lines := strings.Split(strings.TrimSpace(r.errout), "\n")
		if last := lines[len(lines)-1]; !strings.Contains(last, c.says) || r.out != "" {
			t.Errorf("%s: says %q, want %q", name, last, c.says)
		}
	}
	live := p.make(t, "CREATE TABLE t (id INT PRIMARY KEY, a INT); INSERT INTO t VALUES (1, 1), (2, 1); CREATE TABLE u (id INT)")
	dev := p.make(t, "CREATE TABLE t (id INT PRIMARY KEY, a INT, UNIQUE KEY one (a)); CREATE TABLE a_first (id INT); CREATE TABLE u (id BIGINT)")
	want(t, 0, dir, "script", dev, live, "-o", "up.sql", "--row-checks", "off")
	if r := want(t, 4, dir, "apply", "up.sql", live, "--yes"); !strings.Contains(r.errout, "1 of 3 steps ran before it and stay; go on with --resume") {
		t.Errorf("apply: %s", r.errout)
	}
	command(t, "UPDATE t SET a = id", "mariadb", s.args(p.name(live))...)
	want(t, 0, dir, "sync", dev, live, "--yes")
	want(t, 0, dir, "compare", dev, live)
	// An account that may only read.
	command(t, "CREATE USER IF NOT EXISTS onlooker; GRANT SELECT, SHOW VIEW ON *.* TO onlooker", "mariadb", s.args()...)
	want(t, 0, dir, "compare", strings.Replace(dev, "root@", "onlooker@", 1), live)
	// What it may not see is said, and no step takes it for absent.
	more := p.make(t, "CREATE TABLE t (id INT PRIMARY KEY, a INT, UNIQUE KEY one (a)); CREATE TABLE a_first (id INT); CREATE TABLE u (id BIGINT); CREATE FUNCTION f() RETURNS INT NO SQL RETURN 1; CREATE TRIGGER tr BEFORE INSERT ON t FOR EACH ROW SET NEW.a = 1; CREATE EVENT e ON SCHEDULE EVERY 1 DAY DO DELETE FROM u")
	r := want(t, 0, dir, "compare", strings.Replace(dev, "root@", "onlooker@", 1), more)
	for _, kind := range []string{"trigger", "routine", "event"} {
		if !strings.Contains(r.out, "not compared: "+kind) {
			t.Errorf("no word of %s:\n%s", kind, r.out)
		}
	}
	want(t, 0, dir, "sync", strings.Replace(dev, "root@", "onlooker@", 1), more, "--yes", "--may-lose", "*")
	if got := strings.TrimSpace(p.ask(t, more, "SELECT f(); SHOW TRIGGERS LIKE 't'")); !strings.HasPrefix(got, "1\ntr") {
		t.Errorf("what was not seen is gone: %s", got)
	}
}

// TestMariaDBRights: grants and definers count only when asked for.
func TestMariaDBRights(t *testing.T) {
	t.Parallel()
	s := mariadb(t)
	p := mariaPlaces{s}
	dir := t.TempDir()
	command(t, "CREATE USER IF NOT EXISTS clerk@localhost, agent@localhost", "mariadb", s.args()...)
	common := "CREATE TABLE t (id INT PRIMARY KEY, a INT, b INT); CREATE FUNCTION f() RETURNS INT NO SQL RETURN 1; CREATE %s VIEW v AS SELECT id FROM t; "
	dev := p.make(t, fmt.Sprintf(common, "DEFINER=clerk@localhost")+"GRANT SELECT, INSERT ON * TO clerk@localhost WITH GRANT OPTION; GRANT SELECT (a, b), UPDATE ON t TO agent@localhost; GRANT EXECUTE ON FUNCTION f TO agent@localhost")
	live := p.make(t, fmt.Sprintf(common, "")+"GRANT SELECT, DELETE ON * TO clerk@localhost; GRANT UPDATE ON v TO agent@localhost")
	want(t, 0, dir, "compare", dev, live)
	want(t, 1, dir, "compare", dev, live, "--include", "grants")
	want(t, 1, dir, "compare", dev, live, "--include", "definers")
	want(t, 0, dir, "sync", dev, live, "--yes", "--include", "grants,definers")
	want(t, 0, dir, "compare", dev, live, "--include", "grants,definers")
	grants := func(place string) string {
		all := command(t, "SHOW GRANTS FOR clerk@localhost; SHOW GRANTS FOR agent@localhost", "mariadb", s.args()...)
		var out []string
		for _, l := range strings.Split(all, "\n") {
			if strings.Contains(l, "`"+p.name(place)+"`") {
				out = append(out, strings.ReplaceAll(l, p.name(place), "here"))
			}
		}
		return strings.Join(out, "\n")
	}
	if a, b := grants(dev), grants(live); a != b {
		t.Errorf("the grants differ:\n%s\n%s", a, b)
	}
}
