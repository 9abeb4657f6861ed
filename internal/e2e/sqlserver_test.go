package e2e

import (
	"bufio"
	"context"
	"database/sql"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	_ "github.com/microsoft/go-mssqldb"

	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/standin/tsql"
)

// msPlaces is the stand-in for SQL Server, run by the built program as a server.
type msPlaces struct {
	address, password, certificate string
	admin                          *sql.DB
	n                              *atomic.Int64
	open                           *sync.Map // *sql.DB by database
}

// standIn starts the stand-in, and ends it with the test.
func standIn(t testing.TB, args ...string) msPlaces {
	t.Helper()
	keys := filepath.Join(t.TempDir(), "keys")
	ctx, cancel := context.WithCancel(context.Background())
	cmd := exec.CommandContext(ctx, program, append([]string{"standin", "sqlserver", "--keys", keys}, args...)...)
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { cancel(); _ = cmd.Wait() })
	p := msPlaces{certificate: filepath.Join(keys, "certificate.pem"), n: &atomic.Int64{}, open: &sync.Map{}}
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if _, at, ok := strings.Cut(lines.Text(), "at: sqlserver://sa@"); ok {
			p.address, _, _ = strings.Cut(at, "/")
			break
		}
	}
	if p.address == "" {
		t.Fatal("the stand-in does not say where it is")
	}
	secret, err := os.ReadFile(filepath.Join(keys, "password"))
	if err != nil {
		t.Fatal(err)
	}
	p.password = strings.TrimSpace(string(secret))
	p.admin = p.db("master")
	return p
}

// place is what the program is given for a database.
func (p msPlaces) place(name string) string {
	return "sqlserver://sa:" + p.password + "@" + p.address + "/" + url.PathEscape(name) + "?certificate=" + url.QueryEscape(p.certificate)
}

func (p msPlaces) name(place string) string {
	u, _ := url.Parse(place)
	return strings.Trim(u.Path, "/")
}

func (p msPlaces) db(name string) *sql.DB {
	if db, ok := p.open.Load(name); ok {
		return db.(*sql.DB)
	}
	db, err := sql.Open("sqlserver", "sqlserver://sa:"+p.password+"@"+p.address+"?encrypt=disable&database="+url.QueryEscape(name))
	if err != nil {
		panic(err)
	}
	p.open.Store(name, db)
	return db
}

func (p msPlaces) make(t testing.TB, text string) string {
	t.Helper()
	name := fmt.Sprintf("port_%d", p.n.Add(1))
	if _, err := p.admin.Exec("CREATE DATABASE " + name); err != nil {
		t.Fatal(err)
	}
	p.fill(t, name, text)
	return p.place(name)
}

func (p msPlaces) fill(t testing.TB, name, text string) {
	t.Helper()
	conn, err := p.db(name).Conn(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	for _, b := range sqltext.Split(tsql.Dialect, text) {
		if _, err := conn.ExecContext(t.Context(), b.Text); err != nil {
			t.Fatalf("%v\n%s", err, b.Text)
		}
	}
}

func (p msPlaces) ask(t testing.TB, place, query string) string {
	t.Helper()
	return strings.Join(p.lines(t, p.name(place), query), ";")
}

func (p msPlaces) lines(t testing.TB, name, query string) []string {
	t.Helper()
	rows, err := p.db(name).QueryContext(t.Context(), query)
	if err != nil {
		t.Fatalf("%s: %v", query, err)
	}
	defer rows.Close()
	cols, _ := rows.Columns()
	var out []string
	for rows.Next() {
		vals, into := make([]any, len(cols)), make([]any, len(cols))
		for i := range vals {
			into[i] = &vals[i]
		}
		if err := rows.Scan(into...); err != nil {
			t.Fatal(err)
		}
		texts := make([]string, len(vals))
		for i, v := range vals {
			texts[i] = fmt.Sprint(v)
		}
		out = append(out, strings.Join(texts, ","))
	}
	if err := rows.Err(); err != nil {
		t.Fatalf("%s: %v", query, err)
	}
	return out
}

// client runs a script in a foreign client of the protocol, which goes on after an
// error: FreeTDS's tsql. What the server's own client keeps for itself is left out.
func (p msPlaces) client(place, file string) (string, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return "", err
	}
	host, port, _ := strings.Cut(p.address, ":")
	var lines []string
	for _, l := range strings.Split(string(text), "\n") {
		if !strings.HasPrefix(l, ":") {
			lines = append(lines, l)
		}
	}
	out, err := tryCommand(strings.Join(lines, "\n")+"\nGO\nexit\n", "tsql", "-H", host, "-p", port, "-U", "sa", "-P", p.password, "-D", p.name(place))
	if err == nil && strings.Contains(out, "Msg ") {
		err = fmt.Errorf("a batch failed")
	}
	return out, err
}

// dump is the catalog as the model shows it, asked by queries of the test's own: what
// the server names is told by what it is of.
func (p msPlaces) dump(t testing.TB, place string) []string {
	var out []string
	for _, q := range strings.Split(read(t, "testdata/sqlserver/dump.sql"), ";\n") {
		if strings.TrimSpace(q) != "" {
			lines := p.lines(t, p.name(place), q)
			for i := range lines {
				lines[i] = numbered.ReplaceAllString(lines[i], "$1")
			}
			slices.Sort(lines)
			out = append(out, lines...)
		}
	}
	return out
}

// numbered are names of history tables that the server makes, each another one.
var numbered = regexp.MustCompile(`(MSSQL_TemporalHistoryFor_)\d+`)

// msCase is one change: what a database is, what it is to become, and how.
type msCase struct {
	name, was, now, query, rows string
	flags                       []string
	held, same, mayFail         bool
	steps                       int
}

var ruled = regexp.MustCompile(`(?m)^(===|---) (.*)\n`)

func msCases(t *testing.T) []msCase {
	text := read(t, "testdata/sqlserver/pairs.sql")
	marks := ruled.FindAllStringSubmatchIndex(text, -1)
	var out []msCase
	for i, m := range marks {
		end := len(text)
		if i+1 < len(marks) {
			end = marks[i+1][0]
		}
		head, body := text[m[4]:m[5]], text[m[1]:end]
		if text[m[2]:m[3]] == "===" {
			name, how, _ := strings.Cut(head, " | ")
			c := msCase{name: name, was: body}
			if how == "held" {
				c.held = true
			} else if how != "" {
				c.flags = strings.Fields(how)
			}
			out = append(out, c)
			continue
		}
		c := &out[len(out)-1]
		word, rest, _ := strings.Cut(head, " ")
		switch word {
		case "to":
			c.now = body
		case "rows":
			c.query, c.rows = rest, strings.TrimSpace(body)
		case "same":
			c.same = true
		case "may":
			c.mayFail = true
		case "steps":
			_, _ = fmt.Sscan(rest, &c.steps)
		default:
			t.Fatalf("%s: %s", c.name, head)
		}
	}
	return out
}

// TestPairsSQLServer: every change is carried out by a script that ends like its
// source, keeps the rows, and, in a foreign client, ends there as well.
func TestPairsSQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	for _, c := range msCases(t) {
		t.Run(c.name, func(t *testing.T) { p.pair(t, c) })
	}
}

func (p msPlaces) pair(t *testing.T, c msCase) {
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "dev.sql"), []byte(c.now), 0o644); err != nil {
		t.Fatal(err)
	}
	live := p.make(t, c.was)
	if c.same {
		want(t, 0, dir, "compare", "dev.sql", live)
		return
	}
	compared := []string{"compare", "dev.sql", live}
	if i := slices.Index(c.flags, "--include"); i >= 0 {
		compared = append(compared, c.flags[i:i+2]...)
	}
	want(t, 1, dir, compared...)
	code := 0
	if c.held {
		code = 3
	}
	written := want(t, code, dir, append([]string{"script", "dev.sql", live, "-o", "up.sql", "--backout", "down.sql"}, c.flags...)...)
	up := read(t, filepath.Join(dir, "up.sql"))
	was := p.dump(t, live)
	if c.steps > 0 && !strings.Contains(up, fmt.Sprintf("%d to run", c.steps)) {
		t.Errorf("it takes other steps:\n%s", up)
	}
	r := run(t, dir, "apply", "up.sql", live, "--yes")
	if c.mayFail && r.code == 4 || c.mayFail && r.code == 2 {
		return
	}
	if r.code != 0 && !(c.held && r.code == 3) {
		t.Fatalf("apply: exit %d\n%s%s\n%s\n%s", r.code, r.out, r.errout, written.errout, up)
	}
	if c.held {
		want(t, 1, dir, "compare", "dev.sql", live)
		return
	}
	if r := run(t, dir, append(compared, "--detail")...); r.code != 0 {
		t.Fatalf("a difference is left:\n%s\n%s", r.out, up)
	}
	fresh := p.make(t, c.now)
	if d := firstDifference(p.dump(t, fresh), p.dump(t, live)); d != "" {
		t.Fatalf("the catalog differs after the script:\n%s\n%s", d, up)
	}
	if c.query != "" {
		if got := p.ask(t, live, c.query); got != c.rows {
			t.Errorf("%s: %s, want %s\n%s", c.query, got, c.rows, up)
		}
	}
	// What the server names is called otherwise there.
	other := p.make(t, "CREATE TABLE dbo.noise (id int PRIMARY KEY);\nDROP TABLE dbo.noise;\nGO\n"+c.was)
	if out, err := p.client(other, filepath.Join(dir, "up.sql")); err != nil {
		t.Fatalf("in the client: %v\n%s\n%s", err, out, up)
	}
	if d := firstDifference(p.dump(t, fresh), p.dump(t, other)); d != "" {
		t.Fatalf("the client ends elsewhere:\n%s", d)
	}
	if strings.Contains(up, "ATTENTION") || len(c.flags) > 0 && len(compared) == 3 {
		return
	}
	if r := run(t, dir, "apply", "down.sql", live, "--yes"); r.code != 0 && r.code != 3 {
		t.Fatalf("the way back: exit %d %s\n%s", r.code, r.errout, read(t, filepath.Join(dir, "down.sql")))
	} else if d := firstDifference(was, p.dump(t, live)); r.code == 0 && d != "" {
		t.Fatalf("the way back leads elsewhere:\n%s\n%s", d, read(t, filepath.Join(dir, "down.sql")))
	}
}

// background runs the program in the background; done is closed when it has ended.
func background(t *testing.T, ctx context.Context, args ...string) (*os.Process, <-chan struct{}) {
	t.Helper()
	cmd := exec.CommandContext(ctx, program, args...)
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	done := make(chan struct{})
	go func() { _ = cmd.Wait(); close(done) }()
	return cmd.Process, done
}
