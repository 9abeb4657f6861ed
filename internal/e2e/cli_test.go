package e2e

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"
	"unicode/utf8"
)

const (
	devSQL = `CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT, depth REAL);
CREATE TABLE crane (id INTEGER PRIMARY KEY); CREATE VIEW deep AS SELECT id FROM berth WHERE depth > 9;`
	liveSQL = `CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT, pilotage REAL);
CREATE VIEW deep AS SELECT id FROM berth; INSERT INTO berth VALUES (1, 'Heron', 5);`
)

// harbour is a folder with dev.db and live.db.
func harbour(t testing.TB) string {
	t.Helper()
	dir := t.TempDir()
	lite(t, dir, "dev.db", devSQL)
	lite(t, dir, "live.db", liveSQL)
	return dir
}

// snapshot is every file of a folder with its contents.
func snapshot(t testing.TB, dir string) string {
	t.Helper()
	var b strings.Builder
	err := filepath.WalkDir(dir, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := os.ReadFile(p)
		fmt.Fprintf(&b, "%s %x\n", p, data)
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// TestBadInput: each gets one clear line on stderr, nothing on stdout, its
// exit code, and nothing is written.
func TestBadInput(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	write(t, dir, "text.txt", "hello\n")
	write(t, dir, "empty.txt", "")
	write(t, dir, "other.json", `{"format": "x"}`)
	write(t, dir, "there.sql", "kept\n")
	write(t, dir, "encrypted.db", strings.Repeat("\x93\x11\xfe", 2000))
	if err := os.WriteFile(filepath.Join(dir, "corrupt.db"), append([]byte(read(t, filepath.Join(dir, "dev.db"))[:100]), make([]byte, 8000)...), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := os.Mkdir(filepath.Join(dir, "folder"), 0o755); err != nil {
		t.Fatal(err)
	}
	want(t, 0, dir, "capture", "live.db", "-o", "live.json")
	capture := read(t, filepath.Join(dir, "live.json"))
	write(t, dir, "damaged.json", strings.Replace(capture, "pilotage", "pilotagf", 1))
	write(t, dir, "cut.json", capture[:len(capture)/2])
	write(t, dir, "newer.json", strings.Replace(capture, `"version": 1`, `"version": 7`, 1))
	if err := os.Symlink("live.db", filepath.Join(dir, "alias.db")); err != nil {
		t.Fatal(err)
	}
	want(t, 3, dir, "script", "dev.db", "live.db", "-o", "up.sql")
	before := snapshot(t, dir)
	for _, c := range []struct {
		name string
		code int
		args string
		says string // a regular expression
	}{
		{"no arguments", 2, "compare", "give a source and a target"},
		{"an unknown command", 2, "compaer dev.db live.db", "unknown command .*meant compare\\?"},
		{"an unknown topic", 2, "help patern", "no command or topic .*meant patterns\\?"},
		{"an unknown shell", 2, "completion bsh", "meant bash\\?"},
		{"a misspelled kind", 2, "compare dev.db live.db --only tabel:berth", "there is no kind \"tabel\"; meant table\\?"},
		{"a misspelled kind that may be lost", 2, "script dev.db live.db --may-lose colunm:berth.depth", "--may-lose .*meant column\\?"},
		{"a fill that cannot be computed", 2, "script dev.db live.db --fill berth.depth=nosuch(id)", "--fill berth.depth=nosuch\\(id\\) does not work .*nosuch"},
		{"a fill that fills nothing", 2, "script dev.db live.db --fill berth.id=1", "does nothing here"},
		{"an unknown option", 2, "compare dev.db live.db --detial", "unknown flag: --detial; meant --detail\\?"},
		{"a missing source", 2, "compare gone.db live.db", "gone.db: it does not exist"},
		{"a missing target", 2, "script dev.db gone.db", "gone.db: it does not exist; .*--create"},
		{"no database", 2, "compare text.txt live.db", "text.txt: neither a SQLite database, a capture, a dump nor a .sql file"},
		{"an empty file", 2, "compare empty.txt live.db", "empty.txt is empty"},
		{"said to be a database", 2, "compare sqlite:text.txt live.db", "not such a database.*no SQLite database"},
		{"an encrypted one", 2, "compare sqlite:encrypted.db live.db", "or it is encrypted"},
		{"a corrupt one", 2, "compare corrupt.db live.db", "corrupt.db: .*(damaged|malformed|no SQLite)"},
		{"a folder", 2, "compare folder live.db", "it is a folder"},
		{"another JSON", 2, "compare other.json live.db", "not a capture"},
		{"a damaged capture", 2, "compare damaged.json live.db", "the capture is damaged.*capture the place again"},
		{"half a capture", 2, "compare cut.json live.db", "the capture is damaged"},
		{"a newer capture", 2, "compare newer.json live.db", "written by a newer version.*update"},
		{"the same place twice", 2, "compare live.db ./live.db", "the same place"},
		{"the same place by a link", 2, "compare live.db alias.db", "the same place"},
		{"another scheme", 2, "compare oracle://x/y live.db", "no kind of place"},
		{"a third argument", 2, "compare dev.db live.db berth", "\"berth\" is no place; meant `--only berth`\\?"},
		{"a pattern for nothing", 2, "compare dev.db live.db --only table:bertj", "--only table:bertj matches nothing"},
		{"a broken pattern", 2, "compare dev.db live.db --only a.b.c.d", "more than three names"},
		{"a group", 2, "compare dev.db live.db --group size", "it is kind or status"},
		{"an include", 2, "compare dev.db live.db --include colours", "definers, grants, owners"},
		{"a format", 2, "compare dev.db live.db --format xml", "text, json"},
		{"a colour", 2, "compare dev.db live.db --color perhaps", "auto, always, never"},
		{"a file that is there", 2, "script dev.db live.db -o there.sql --may-lose *", "there.sql is there already; give --force"},
		{"a folder that is not there", 2, "script dev.db live.db -o no/up.sql --may-lose *", "cannot be written"},
		{"a column that is not there", 2, "script dev.db live.db --fill berth.colour=1", "--fill berth.colour: the source has no such column"},
		{"a fill without a value", 2, "script dev.db live.db --fill berth.depth", "written COLUMN=EXPR"},
		{"no script", 2, "check text.txt", "not a script of this program"},
		{"a missing script", 2, "apply gone.sql live.db --yes", "gone.sql does not exist"},
		{"a script on a capture", 2, "apply up.sql live.json --yes", "is no database"},
		{"nobody to answer", 3, "apply up.sql live.db", "Nobody is there to answer; give --yes"},
		{"nobody to answer sync", 3, "sync dev.db live.db --may-lose *", "give --yes"},
		{"a server without leave", 3, "demo x --server postgres://h/d", "say --create"},
		{"man pages to nowhere", 2, "man -o nowhere", "is no folder"},
	} {
		r := run(t, dir, strings.Fields(c.args)...)
		if r.code != c.code {
			t.Errorf("%s: exit %d, want %d\n%s%s", c.name, r.code, c.code, r.out, r.errout)
		}
		lines := strings.Split(strings.TrimSpace(r.errout), "\n")
		last := lines[len(lines)-1]
		if !strings.HasPrefix(last, "dapper-mirror: ") || !regexp.MustCompile(c.says).MatchString(last) {
			t.Errorf("%s: says %q, want %q", c.name, last, c.says)
		}
		if r.out != "" && c.name != "nobody to answer sync" {
			t.Errorf("%s: stdout is not empty: %q", c.name, r.out)
		}
		if c.name == "nobody to answer sync" {
			continue
		}
		// The same as JSON: an error with a stable code and the exit code.
		j := run(t, dir, append(strings.Fields(c.args), "--format", "json")...)
		var o struct {
			Error *struct {
				Code, Message string
				Exit          int
			}
		}
		if strings.HasPrefix(c.args, "demo") || strings.Contains(c.args, "--format") || c.code == 2 && strings.Contains(c.says, "unknown") {
			continue
		}
		from := strings.Index(j.errout, "{")
		if from < 0 || json.Unmarshal([]byte(j.errout[from:]), &o) != nil || o.Error == nil || o.Error.Exit != c.code || o.Error.Code == "" || j.code != c.code {
			t.Errorf("%s: as JSON: exit %d %s", c.name, j.code, j.errout)
		}
	}
	if after := snapshot(t, dir); after != before {
		t.Error("something was written")
	}
}

func TestReadingChangesNothing(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	for _, f := range []string{"dev.db", "live.db"} {
		if err := os.Chmod(filepath.Join(dir, f), 0o444); err != nil {
			t.Fatal(err)
		}
	}
	before := snapshot(t, dir)
	want(t, 1, dir, "compare", "dev.db", "live.db", "--detail")
	want(t, 0, dir, "capture", "dev.db")
	want(t, 3, dir, "script", "dev.db", "live.db")
	if snapshot(t, dir) != before {
		t.Error("reading changed a file")
	}
}

func TestLockedDatabase(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	want(t, 0, dir, "script", "dev.db", "live.db", "-o", "up.sql", "--may-lose", "*")
	// The engine's own shell holds the lock until its input ends.
	release := holding(t, "BEGIN EXCLUSIVE; SELECT 'locked';", "sqlite3", filepath.Join(dir, "live.db"))
	for _, args := range [][]string{{"compare", "dev.db", "live.db"}, {"apply", "up.sql", "live.db", "--yes"}} {
		start := time.Now()
		r := want(t, 2, dir, append(args, "--lock-wait", "300ms")...)
		if !strings.Contains(r.errout, "locked by another program") || !strings.Contains(r.errout, "--lock-wait") || !strings.Contains(r.errout, "(sqlite3) holds it") || time.Since(start) < 300*time.Millisecond {
			t.Errorf("%v after %v: %s", args, time.Since(start), r.errout)
		}
	}
	release()
	want(t, 0, dir, "apply", "up.sql", "live.db", "--yes")
}

func TestHeldBackAndAllowed(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	r := want(t, 3, dir, "script", "dev.db", "live.db", "-o", "up.sql")
	if !strings.Contains(r.errout, "held back  every value of column pilotage of table berth: 1 of 1 row holds a value (it looks like half of a rename: --rename column:berth.pilotage=depth; or allow it with --may-lose 'column:berth.pilotage')") {
		t.Errorf("says %s", r.errout)
	}
	want(t, 0, dir, "apply", "up.sql", "live.db", "--yes")
	if got := ask(t, filepath.Join(dir, "live.db"), "SELECT pilotage FROM berth"); strings.TrimSpace(got) != "5.0" {
		t.Errorf("the value is %q", got)
	}
	r = want(t, 1, dir, "compare", "dev.db", "live.db")
	if !strings.Contains(r.out, "- column pilotage") || !strings.Contains(r.out, "1 differs") {
		t.Errorf("what is left:\n%s", r.out)
	}
	for _, pattern := range []string{"column:pilot.pilotage", "table:crane", "pilot"} {
		want(t, 3, dir, "script", "dev.db", "live.db", "--may-lose", pattern)
	}
	for _, pattern := range []string{"column:berth.pilotage", "pilotage", "table:berth", "berth.pil*", "*"} {
		r := want(t, 0, dir, "script", "dev.db", "live.db", "--may-lose", pattern)
		if !strings.Contains(r.out, "LOSSES      every value of column pilotage of table berth") {
			t.Errorf("--may-lose %s: the header does not say the loss:\n%s", pattern, r.out)
		}
	}
}

func TestTargetMoved(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	live := filepath.Join(dir, "live.db")
	want(t, 0, dir, "script", "dev.db", "live.db", "-o", "up.sql", "--may-lose", "*")
	want(t, 0, dir, "check", "up.sql", "live.db")
	command(t, "", "sqlite3", live, "CREATE TABLE bystander (x)")
	want(t, 0, dir, "check", "up.sql", "live.db") // not what the script touches
	command(t, "", "sqlite3", live, "ALTER TABLE berth ADD COLUMN hot TEXT; UPDATE berth SET hot = 'fix'")
	before := read(t, live)
	r := want(t, 1, dir, "check", "up.sql", "live.db")
	if !strings.Contains(r.out, "table:berth has changed") {
		t.Errorf("check says:\n%s", r.out)
	}
	r = want(t, 3, dir, "apply", "up.sql", "live.db", "--yes")
	if !strings.Contains(r.errout, "table:berth has changed") || !strings.Contains(r.errout, "write the script again") {
		t.Errorf("apply says: %s", r.errout)
	}
	var o struct {
		Error struct {
			Code  string
			Moved []struct{ What string }
		}
	}
	r = want(t, 3, dir, "apply", "up.sql", "live.db", "--yes", "--format", "json", "-q")
	if err := json.Unmarshal([]byte(r.errout), &o); err != nil || o.Error.Code != "target-moved" || len(o.Error.Moved) != 1 {
		t.Errorf("as JSON: %v %s", err, r.errout)
	}
	if read(t, live) != before {
		t.Error("a refused script changed the target")
	}
}

func TestEditedScript(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	want(t, 0, dir, "script", "dev.db", "live.db", "-o", "up.sql", "--may-lose", "*")
	path := filepath.Join(dir, "up.sql")
	write(t, dir, "up.sql", strings.Replace(read(t, path), "COMMIT;", "INSERT INTO crane VALUES (7);\nCOMMIT;", 1))
	r := want(t, 0, dir, "check", "up.sql", "live.db")
	if !strings.Contains(r.out, "not as it was written") {
		t.Errorf("check says:\n%s", r.out)
	}
	r = want(t, 3, dir, "apply", "up.sql", "live.db", "--yes")
	if !strings.Contains(r.errout, "--edited") {
		t.Errorf("an edited script is refused unless it is asked for: %s", r.errout)
	}
	r = want(t, 0, dir, "apply", "up.sql", "live.db", "--yes", "--edited")
	if !strings.Contains(r.errout, "warning: the script was edited") {
		t.Errorf("apply says: %s", r.errout)
	}
	if got := ask(t, filepath.Join(dir, "live.db"), "SELECT id FROM crane"); strings.TrimSpace(got) != "7" {
		t.Errorf("the added statement did not run: %q", got)
	}
	// A step that is gone is named, and cutting the footer does not help.
	dir = harbour(t)
	want(t, 0, dir, "script", "dev.db", "live.db", "-o", "up.sql", "--may-lose", "*")
	whole := read(t, path)
	at, end := strings.Index(whole, "\n-- step 1 of"), strings.Index(whole, "\n-- step 2 of")
	foot := strings.Index(whole, "\n-- @dapper-mirror")
	for text, c := range map[string]struct {
		code int
		says string
	}{whole[:at] + whole[end:]: {3, "of its steps these are gone: 1"}, whole[:foot+1]: {2, "the footer is missing"}, whole[:strings.LastIndex(whole, "\n-- @ ")+1]: {2, "footer is damaged"}} {
		write(t, dir, "cut.sql", text)
		if r := want(t, c.code, dir, "apply", "cut.sql", "live.db", "--yes"); !strings.Contains(r.errout, c.says) {
			t.Errorf("apply does not say %q: %s", c.says, r.errout)
		}
	}
	// One that no longer runs changes nothing.
	dir = harbour(t)
	want(t, 0, dir, "script", "dev.db", "live.db", "-o", "up.sql", "--may-lose", "*")
	write(t, dir, "up.sql", strings.Replace(read(t, filepath.Join(dir, "up.sql")), "COMMIT;", "INSERT INTO nowhere VALUES (7);\nCOMMIT;", 1))
	before := witness(t, filepath.Join(dir, "live.db"))
	r = want(t, 2, dir, "apply", "up.sql", "live.db", "--yes", "--edited")
	if !strings.Contains(r.errout, "no such table: nowhere") || !strings.Contains(r.errout, "the target is as it was") {
		t.Errorf("apply says: %s", r.errout)
	}
	if d := firstDifference(before, witness(t, filepath.Join(dir, "live.db"))); d != "" {
		t.Errorf("a failed script changed the target:\n%s", d)
	}
}

func TestSync(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	r := want(t, 3, dir, "sync", "dev.db", "live.db", "--yes")
	for _, s := range []string{"held back", "Compared again: 1 object still differs.", "- column pilotage"} {
		if !strings.Contains(r.out, s) {
			t.Errorf("sync does not say %q:\n%s", s, r.out)
		}
	}
	r = want(t, 0, dir, "sync", "dev.db", "live.db", "--yes", "--may-lose", "*", "-o", "kept.sql")
	if !strings.Contains(r.out, "Compared again: no difference.") || !strings.Contains(read(t, filepath.Join(dir, "kept.sql")), "DROP COLUMN pilotage") {
		t.Errorf("sync:\n%s", r.out)
	}
	want(t, 0, dir, "sync", "dev.db", "live.db", "--yes")
	want(t, 0, dir, "sync", "dev.db", "new.db", "--yes", "--create")
	want(t, 0, dir, "compare", "dev.db", "new.db")
	if _, err := os.Stat(filepath.Join(dir, "new.db-journal")); err == nil {
		t.Error("a journal is left behind")
	}
}

func TestColumnOrderIsSaid(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	lite(t, dir, "a.db", "CREATE TABLE berth (id INTEGER PRIMARY KEY, depth REAL, name TEXT)")
	lite(t, dir, "b.db", "CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT, depth REAL)")
	r := want(t, 0, dir, "compare", "a.db", "b.db", "--detail")
	if !strings.Contains(r.out, "table berth: The columns stand in another order; that alone is no difference.") {
		t.Errorf("the order is not said:\n%s", r.out)
	}
}

func TestSQLTextPlaces(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	write(t, dir, "dump.sql", command(t, "", "sqlite3", filepath.Join(dir, "live.db"), ".dump"))
	want(t, 0, dir, "compare", "dump.sql", "live.db")
	if err := os.MkdirAll(filepath.Join(dir, "schema", "views"), 0o755); err != nil {
		t.Fatal(err)
	}
	write(t, filepath.Join(dir, "schema", "views"), "deep.sql", "CREATE VIEW deep AS SELECT id FROM berth WHERE depth > 9;")
	write(t, filepath.Join(dir, "schema"), "tables.sql", "create table crane (id integer primary key);\ncreate table berth (id integer primary key, name text);\nalter table berth add column depth real;")
	want(t, 0, dir, "compare", "schema", "dev.db")
	want(t, 0, dir, "script", "schema", "live.db", "-o", "up.sql", "--may-lose", "*")
	want(t, 0, dir, "apply", "up.sql", "live.db", "--yes")
	want(t, 0, dir, "compare", "dev.db", "live.db")
	if r := runWith(t, dir, devSQL, nil, "compare", "-", "dev.db"); r.code != 0 {
		t.Errorf("SQL on standard input: %d %s", r.code, r.errout)
	}
	write(t, dir, "bad.sql", "CREATE TABLE a (x);\nCREATE TABEL b (y);\n")
	if r := want(t, 2, dir, "compare", "bad.sql", "dev.db"); !strings.Contains(r.errout, "bad.sql:2:8: ") {
		t.Errorf("a broken text: %s", r.errout)
	}
}

func TestFill(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	lite(t, dir, "dev.db", "CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT NOT NULL, depth REAL NOT NULL)")
	lite(t, dir, "live.db", "CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT); INSERT INTO berth VALUES (1, NULL), (2, 'Heron')")
	want(t, 0, dir, "script", "dev.db", "live.db", "-o", "bare.sql", "--row-checks", "off")
	r := want(t, 2, dir, "apply", "bare.sql", "live.db", "--yes")
	if !strings.Contains(r.errout, "NOT NULL constraint failed") || !strings.Contains(r.errout, "the target is as it was") {
		t.Errorf("without a fill: %s", r.errout)
	}
	want(t, 0, dir, "script", "dev.db", "live.db", "-o", "up.sql", "--fill", "berth.depth=id * 2.5", "--fill", "berth.name='(none)'")
	want(t, 0, dir, "apply", "up.sql", "live.db", "--yes")
	if got := ask(t, filepath.Join(dir, "live.db"), "SELECT id, name, depth FROM berth ORDER BY id"); got != "1|(none)|2.5\n2|Heron|5.0\n" {
		t.Errorf("filled: %q", got)
	}
}

func TestNewOrphansStopTheScript(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	lite(t, dir, "dev.db", "CREATE TABLE v (id INTEGER PRIMARY KEY); CREATE TABLE c (id INTEGER PRIMARY KEY, v INTEGER REFERENCES v (id))")
	live := lite(t, dir, "live.db", "CREATE TABLE v (id INTEGER PRIMARY KEY); CREATE TABLE c (id INTEGER PRIMARY KEY, v INTEGER); INSERT INTO c VALUES (1, 99)")
	want(t, 0, dir, "script", "dev.db", "live.db", "-o", "up.sql", "--row-checks", "off")
	before := witness(t, live)
	if out, err := tryCommand(read(t, filepath.Join(dir, "up.sql")), "sqlite3", "-bail", live); err == nil || !strings.Contains(out, "rows would refer to rows that are not there") {
		t.Errorf("the client: %v %s", err, out)
	}
	r := want(t, 2, dir, "apply", "up.sql", "live.db", "--yes")
	if !strings.Contains(r.errout, "rows would refer to rows that are not there") {
		t.Errorf("apply: %s", r.errout)
	}
	// Inside somebody's transaction the script must not run at all: foreign
	// keys cannot be turned off there.
	out, err := tryCommand("PRAGMA foreign_keys=ON;\nBEGIN;\n"+strings.Replace(read(t, filepath.Join(dir, "up.sql")), "BEGIN IMMEDIATE;", "", 1), "sqlite3", "-bail", live)
	if err == nil || !strings.Contains(out, "foreign_keys is still on") {
		t.Errorf("inside a transaction: %v %s", err, out)
	}
	if d := firstDifference(before, witness(t, live)); d != "" {
		t.Errorf("the target changed:\n%s", d)
	}
}

// killedAt kills a run of the program when it has said n lines; with none it
// lets it go on to its end. It answers how many it said, and whether it was
// killed. With --verbose a line is said before each statement, so that the
// moment does not depend on how fast the machine is.
func killedAt(t *testing.T, dir string, n int, args ...string) (said int, killed bool) {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir, cmd.Env = dir, []string{"PATH=" + os.Getenv("PATH"), "HOME=" + dir, "TMPDIR=" + tempDir, "TERM=dumb"}
	out, err := cmd.StderrPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	lines := bufio.NewScanner(out)
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		if said++; said == n {
			_ = cmd.Process.Signal(syscall.SIGKILL)
		}
	}
	return said, cmd.Wait() != nil
}

// TestKilled kills apply at every line it says: the file is as before or as
// after.
func TestKilled(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	rows := "WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 60000) INSERT INTO big SELECT i, 'row ' || i, i * 1.5 FROM n;"
	lite(t, dir, "dev.db", "CREATE TABLE big (id INTEGER PRIMARY KEY, a TEXT NOT NULL, b REAL CHECK (b > 0)); CREATE INDEX big_a ON big (a, b)")
	seed := lite(t, dir, "seed.db", "CREATE TABLE big (id INTEGER PRIMARY KEY, a TEXT, b REAL);"+rows)
	want(t, 0, dir, "script", "dev.db", "seed.db", "-o", "up.sql")
	data := read(t, seed)
	before, after := strings.Join(witness(t, seed), "\n"), ""
	write(t, dir, "live.db", data)
	all, _ := killedAt(t, dir, 0, "apply", "up.sql", "live.db", "--yes", "-v")
	killed := 0
	for i := 1; i <= all+1; i++ { // the last one is not killed
		live := write(t, dir, "live.db", data)
		os.Remove(live + "-journal")
		if _, was := killedAt(t, dir, i, "apply", "up.sql", "live.db", "--yes", "-v"); was {
			killed++
		}
		if _, err := os.Stat(live + "-journal"); err == nil {
			// Where something was half written, reading must not mend it.
			if r := run(t, dir, "compare", "dev.db", "live.db"); r.code == 2 && !strings.Contains(r.errout, "must first undo that") || r.code != 2 && r.code != 1 {
				t.Errorf("reading a half-written file: exit %d %s", r.code, r.errout)
			}
		}
		// The engine's own shell undoes what was left half done.
		if got := strings.TrimSpace(ask(t, live, "PRAGMA integrity_check; SELECT count(*), sum(id) FROM big")); got != "ok\n60000|1800030000" {
			t.Fatalf("killed at line %d: %s", i, got)
		}
		now := strings.Join(witness(t, live), "\n")
		if now != before {
			if after == "" {
				want(t, 0, dir, "compare", "dev.db", "live.db")
				after = now
			}
			if now != after {
				t.Fatalf("killed at line %d: neither as before nor as after:\n%s", i, now)
			}
		}
	}
	if killed < all/2 || after == "" {
		t.Errorf("%d of %d runs were killed, one came to its end: %v", killed, all, after != "")
	}
}

func TestInterrupted(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	rows := "WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 900000) INSERT INTO big SELECT i, 'row ' || i FROM n;"
	lite(t, dir, "dev.db", "CREATE TABLE big (id INTEGER PRIMARY KEY, a TEXT NOT NULL UNIQUE)")
	live := lite(t, dir, "live.db", "CREATE TABLE big (id INTEGER PRIMARY KEY, a TEXT);"+rows)
	want(t, 0, dir, "script", "dev.db", "live.db", "-o", "up.sql")
	cmd := exec.Command(program, "apply", "up.sql", "live.db", "--yes")
	cmd.Dir = dir
	errout, err := cmd.StderrPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	said := make([]byte, 0, 4096)
	buf := make([]byte, 512)
	sent := false
	for {
		n, err := errout.Read(buf)
		said = append(said, buf[:n]...)
		if !sent && strings.Contains(string(said), "step 1 of") {
			sent = true
			if err := cmd.Process.Signal(os.Interrupt); err != nil {
				t.Fatal(err)
			}
		}
		if err != nil {
			break
		}
	}
	_ = cmd.Wait()
	if code := cmd.ProcessState.ExitCode(); code != 130 || !strings.Contains(string(said), "interrupted; the target is as it was") {
		t.Errorf("exit %d: %s", code, said)
	}
	want(t, 1, dir, "compare", "dev.db", "live.db")
	if got := strings.TrimSpace(ask(t, live, "PRAGMA integrity_check; SELECT count(*) FROM big")); got != "ok\n900000" {
		t.Error(got)
	}
}

func TestOutputConventions(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	quiet := want(t, 1, dir, "compare", "dev.db", "live.db", "-q")
	if quiet.errout != "" {
		t.Errorf("quiet, and yet: %q", quiet.errout)
	}
	loud := want(t, 1, dir, "compare", "dev.db", "live.db")
	if loud.out != quiet.out || !regexp.MustCompile(`read dev.db: 2 tables, 1 view \(SQLite 3[0-9.]+, \d+m?s\)`).MatchString(loud.errout) {
		t.Errorf("stderr: %q", loud.errout)
	}
	if strings.Contains(loud.out, "\x1b[") {
		t.Error("colour without a terminal")
	}
	color := want(t, 1, dir, "compare", "dev.db", "live.db", "--color", "always")
	plain := regexp.MustCompile(`\x1b\[[0-9;]*m`).ReplaceAllString(color.out, "")
	if plain == color.out || plain != loud.out {
		t.Errorf("colour changes the text:\n%s\n%s", plain, loud.out)
	}
	if r := runWith(t, dir, "", []string{"NO_COLOR=1"}, "compare", "dev.db", "live.db"); r.out != loud.out {
		t.Error("NO_COLOR changes the text")
	}
	for _, width := range []string{"80", "100"} {
		r := runWith(t, dir, "", []string{"COLUMNS=" + width}, "compare", "dev.db", "live.db", "--detail", "--all")
		for _, l := range strings.Split(r.out, "\n") {
			if n := len([]rune(l)); fmt.Sprint(n) > width && len(fmt.Sprint(n)) >= len(width) {
				t.Errorf("at %s columns a line of %d: %s", width, n, l)
			}
		}
	}
	// - is standard input and output.
	capture := want(t, 0, dir, "capture", "live.db", "-o", "-").out
	r := runWith(t, dir, capture, nil, "compare", "dev.db", "-")
	if r.code != 1 || !strings.Contains(r.out, "standard input") {
		t.Errorf("a capture on standard input: %d %s", r.code, r.errout)
	}
	if a, b := want(t, 0, dir, "script", "dev.db", "live.db", "--may-lose", "*").out, want(t, 0, dir, "script", "dev.db", "live.db", "--may-lose", "*", "-o", "-").out; a != b || !strings.HasPrefix(a, "-- ---") {
		t.Error("-o - is not standard output")
	}
	verbose := harbour(t)
	if r := want(t, 3, verbose, "sync", "dev.db", "live.db", "--yes", "-v"); !strings.Contains(r.errout, "reading dev.db") || !strings.Contains(r.errout, "        ALTER TABLE berth ADD COLUMN depth REAL;") {
		t.Errorf("verbose says\n%s", r.errout)
	}
	all := want(t, 1, dir, "compare", "dev.db", "live.db", "--all", "--group", "status").out
	if !strings.Contains(all, "differ\n") || !strings.Contains(all, "only in the source\n") {
		t.Errorf("grouped by status:\n%s", all)
	}
}

func TestSettingsOrder(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	home := t.TempDir()
	if err := os.MkdirAll(filepath.Join(home, ".config", "dapper-mirror"), 0o755); err != nil {
		t.Fatal(err)
	}
	write(t, filepath.Join(home, ".config", "dapper-mirror"), "config.yaml", "settings:\n  group: kind\n  lock-wait: 9s\n")
	write(t, dir, "dapper-mirror.yaml", "settings:\n  group: status\n  only: [berth, 'table:crane']\nplaces:\n  here: dev.db\n  there: sqlite:live.db\n")
	env := []string{"HOME=" + home, "DAPPER_MIRROR_COLOR=never"}
	r := runWith(t, dir, "", append(env, "XDG_CONFIG_HOME="), "config")
	for _, s := range []string{`group +status +from .*dapper-mirror.yaml`, `lock-wait +9s +from .*config.yaml`, `color +never +from environment DAPPER_MIRROR_COLOR`, `quiet +false +from default`, `place here +dev.db`, `only +berth,table:crane`} {
		if !regexp.MustCompile(s).MatchString(r.out) {
			t.Errorf("config does not show %q:\n%s%s", s, r.out, r.errout)
		}
	}
	r = runWith(t, dir, "", env, "compare", "here", "there")
	if r.code != 1 || !strings.Contains(r.out, "differ\n") || strings.Contains(r.out, "deep") {
		t.Errorf("named places with the project's settings: %d\n%s%s", r.code, r.out, r.errout)
	}
	r = runWith(t, dir, "", env, "compare", "here", "there", "--group", "kind", "--only", "view:*")
	if !strings.Contains(r.out, "views\n") || !strings.Contains(r.out, "deep") {
		t.Errorf("a flag does not win:\n%s", r.out)
	}
	write(t, dir, "dapper-mirror.yaml", "settings:\n  may-lose: '*'\n")
	if r := run(t, dir, "compare", "dev.db", "live.db"); r.code != 2 || !strings.Contains(r.errout, "is no setting") {
		t.Errorf("a loss allowed by a file: %d %s", r.code, r.errout)
	}
	write(t, dir, "dapper-mirror.yaml", "setings:\n  group: kind\nsettings:\n  gruop: kind\n  lock-wait: 3s\n")
	if r := run(t, dir, "compare", "dev.db", "live.db"); r.code != 2 || !strings.Contains(r.errout, `dapper-mirror.yaml:1:1: "setings" is no key of a settings file; meant settings?`) {
		t.Errorf("an unknown key: %d %s", r.code, r.errout)
	}
	if r := want(t, 0, dir, "config"); !strings.Contains(r.errout, `dapper-mirror.yaml:4:3: "gruop" is no setting; meant group?`) || !strings.Contains(r.out, "3s") {
		t.Errorf("config: %s%s", r.errout, r.out)
	}
	// What is named in the file is meant beside the file.
	write(t, dir, "dapper-mirror.yaml", "places:\n  here: dev.db\n  there: sqlite:live.db\n")
	if err := os.MkdirAll(filepath.Join(dir, "below"), 0o755); err != nil {
		t.Fatal(err)
	}
	want(t, 1, filepath.Join(dir, "below"), "compare", "here", "there")
	write(t, dir, "dapper-mirror.yaml", "settings: [broken\n")
	if r := run(t, dir, "compare", "dev.db", "live.db"); r.code != 2 || !strings.Contains(r.errout, "is not understood") {
		t.Errorf("a broken file: %d %s", r.code, r.errout)
	}
}

func TestDiskFull(t *testing.T) {
	t.Parallel()
	small := t.TempDir()
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=64k", "tmpfs", small).CombinedOutput(); err != nil {
		t.Skipf("no small file system can be made here: %s", out)
	}
	defer func() { _ = exec.Command("umount", small).Run() }()
	dir := t.TempDir()
	var b strings.Builder
	for i := range 2000 {
		fmt.Fprintf(&b, "CREATE TABLE t%d (id INTEGER PRIMARY KEY, a TEXT, b TEXT);\n", i)
	}
	lite(t, dir, "big.db", "BEGIN;"+b.String()+"COMMIT;")
	lite(t, dir, "none.db", "")
	for _, args := range [][]string{{"capture", "big.db", "-o", filepath.Join(small, "x.json")}, {"script", "big.db", "none.db", "-o", filepath.Join(small, "x.sql")}} {
		r := want(t, 2, dir, args...)
		if !strings.Contains(r.errout, "cannot be written") || !strings.Contains(r.errout, "no space left") {
			t.Errorf("%v: %s", args, r.errout)
		}
	}
	if left, err := os.ReadDir(small); err != nil || len(left) > 0 {
		t.Errorf("something half written is left: %v", left)
	}
}

func TestHelpAndPages(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	help := want(t, 0, dir, "--help").out
	for _, command := range []string{"compare", "script", "check", "rehearse", "apply", "sync", "capture", "config", "demo", "version", "man", "completion"} {
		if !strings.Contains(help, "\n  "+command+" ") {
			t.Errorf("help does not list %s", command)
		}
		if command == "completion" {
			continue
		}
		h := want(t, 0, dir, command, "--help").out
		if !strings.Contains(h, "Examples:\n  dapper-mirror "+command) && !strings.Contains(h, "dapper-mirror "+command+" ") {
			t.Errorf("%s has no example", command)
		}
	}
	for _, about := range append([]string{"compare", "script", "check", "rehearse", "apply", "sync", "capture", "config", "demo", "man", "completion", ""}, "patterns", "places", "exit-codes", "kinds", "risks", "safety") {
		h := want(t, 0, dir, strings.Fields("help "+about)...).out
		if len(h) < 300 {
			t.Errorf("help %s says little: %s", about, h)
		}
		for _, l := range strings.Split(h, "\n") {
			if utf8.RuneCountInString(l) > 80 || regexp.MustCompile(`stringArray|strings|duration|\bint\b|`+"`").MatchString(l) {
				t.Errorf("help %s: %q", about, l)
			}
		}
	}
	if h := want(t, 0, dir, "script", "--help").out; !strings.Contains(h, "\nRisks and rows:\n") || !strings.Contains(h, "--may-lose PATTERN") {
		t.Errorf("options are not grouped, or their values have no names:\n%s", h)
	}
	if strings.Index(help, "  script ") > strings.Index(help, "  apply ") || strings.Index(help, "  compare ") > strings.Index(help, "  script ") {
		t.Error("the commands are not in the order of the day")
	}
	if err := os.Mkdir(filepath.Join(dir, "man"), 0o755); err != nil {
		t.Fatal(err)
	}
	want(t, 0, dir, "man", "-o", "man")
	if page := read(t, filepath.Join(dir, "man", "dapper-mirror-script.1")); !strings.Contains(page, "may-lose") {
		t.Error("the manual page of script is thin")
	}
	if page := read(t, filepath.Join(dir, "man", "dapper-mirror-patterns.1")) + read(t, filepath.Join(dir, "man", "dapper-mirror-apply.1")); !strings.Contains(page, "kind:schema.name.part") || !strings.Contains(page, "interrupted") {
		t.Error("topics or exit codes are not in the manual")
	}
	for _, shell := range []string{"bash", "zsh", "fish", "powershell"} {
		if s := want(t, 0, dir, "completion", shell).out; !strings.Contains(s, "dapper-mirror") {
			t.Errorf("no completion for %s", shell)
		}
	}
	data := harbour(t)
	write(t, data, "dapper-mirror.yaml", "places:\n  quay: dev.db\n")
	for args, offers := range map[string]string{"compare q": "quay", "compare dev.db live.db --only tab": "table:", "compare dev.db live.db --only table:": "table:berth", "script dev.db live.db --fill ": "berth.depth=",
		"compare --format ": "json", "help pat": "patterns", "compare --include ": "owners", "completion ": "fish"} {
		if r := want(t, 0, data, append([]string{"__complete"}, strings.Split(args, " ")...)...); !strings.Contains(r.out, offers) {
			t.Errorf("%q is not completed with %s: %s", args, offers, r.out)
		}
	}
	if a, b := want(t, 0, dir, "--version").out, want(t, 0, dir, "version").out; a != b {
		t.Errorf("--version says %q", a)
	}
	if v := want(t, 0, dir, "version").out; !regexp.MustCompile(`^dapper-mirror \S+.*, go1`).MatchString(v) {
		t.Errorf("version says %q", v)
	}
}

func TestDemo(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	r := want(t, 0, dir, "demo", "q")
	for _, s := range []string{"$ dapper-mirror compare dev.db live.db", "(exit code 1)", "held back", "Done: ", "1 does not go to the target, by choice"} {
		if !strings.Contains(r.out, s) {
			t.Errorf("the demo does not show %q", s)
		}
	}
	live := filepath.Join(dir, "q", "live.db")
	if got := strings.TrimSpace(ask(t, live, "SELECT count(*) FROM tide_reading; SELECT count(*), sum(amount) > 0 FROM invoice; SELECT family_name FROM pilot WHERE id = 2; SELECT count(*) FROM vessel WHERE flag_state = 'QH'")); got != "3000\n500|1\nOakenshaw\n48" {
		t.Errorf("the demo's rows: %s", got)
	}
	r = want(t, 2, dir, "demo", "q")
	if !strings.Contains(r.errout, "is there already") {
		t.Error(r.errout)
	}
	s := postgres(t)
	r = want(t, 0, dir, "demo", "p", "--server", s.url("postgres"), "--create")
	if !strings.Contains(r.out, "1 does not go to the target, by choice") {
		t.Errorf("the demo on PostgreSQL:\n%s", r.out)
	}
	if got := strings.TrimSpace(s.psql(t, "quillhaven_live", "SELECT count(*) FROM harbour.tide_reading")); got != "3000" {
		t.Errorf("its rows: %s", got)
	}
	m := mariadb(t)
	p := mariaPlaces{m}
	r = want(t, 0, dir, "demo", "m", "--server", m.url("mysql"), "--create")
	if !strings.Contains(r.out, "1 does not go to the target, by choice") || !strings.Contains(r.out, "partitions of table tide_reading") {
		t.Errorf("the demo on MariaDB:\n%s", r.out)
	}
	if got := strings.TrimSpace(p.ask(t, m.url("quillhaven_live"), "SELECT COUNT(*) FROM tide_reading; SELECT COUNT(*) FROM vessel WHERE flag_state = 'QH'; SELECT COUNT(*) FROM booking; SELECT MIN(dues) > 0 FROM dues_by_vessel")); got != "3000\n48\n420\n1" {
		t.Errorf("its rows: %s", got)
	}
}

// TestKindsTopic: the help lists what each engine covers, from the engines.
func TestKindsTopic(t *testing.T) {
	t.Parallel()
	out := want(t, 0, t.TempDir(), "help", "kinds").out
	at := 0
	for _, s := range []string{"MariaDB/MySQL", "event", "sequence", "PostgreSQL", "user-mapping", "operator-class", "SQLite", "virtual-table"} {
		i := strings.Index(out[at:], s)
		if i < 0 {
			t.Fatalf("no %s behind what comes before it:\n%s", s, out)
		}
		at += i
	}
}
