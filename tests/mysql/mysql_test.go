// Package mysql runs the built program against a server that speaks MySQL 8 and
// that nobody here wrote: a Go library.
//
// What it cannot do, and the program is not bent to: DO, and so the guards of
// what the rows were asked; triggers, routines and events are not shown; no
// partitions, no SPATIAL and FULLTEXT indexes, no invisible columns, no
// instant ALGORITHM; views are kept as they were written.
package mysql

import (
	"context"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	sqle "github.com/dolthub/go-mysql-server"
	"github.com/dolthub/go-mysql-server/memory"
	"github.com/dolthub/go-mysql-server/server"
	"github.com/dolthub/go-mysql-server/sql"
	"github.com/dolthub/go-mysql-server/sql/expression"
	"github.com/dolthub/go-mysql-server/sql/types"

	"github.com/sirupsen/logrus"

	"dappermirror/tests/built"
)

// program is the built program.
var program string

func TestMain(m *testing.M) {
	logrus.SetLevel(logrus.PanicLevel)
	os.Exit(built.Main(m, &program))
}

// start runs a server with two databases, loads SQL into each, and answers their
// addresses.
func start(t *testing.T, source, target string) (string, string) {
	t.Helper()
	dbs := []*memory.Database{memory.NewDatabase("office"), memory.NewDatabase("live")}
	for _, db := range dbs {
		db.EnablePrimaryKeyIndexes()
	}
	provider := memory.NewDBProvider(dbs[0], dbs[1])
	engine := sqle.NewDefault(provider)
	engine.Analyzer.Catalog.MySQLDb.AddRootAccount()
	engine.Analyzer.Catalog.RegisterFunction(sql.NewEmptyContext(), sql.Function0{Name: "current_role", Fn: func() sql.Expression { return expression.NewLiteral("NONE", types.LongText) }})
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	s, err := server.NewServer(server.Config{Protocol: "tcp", Address: listener.Addr().String(), Listener: listener}, engine, sql.NewContext, memory.NewSessionBuilder(provider), nil)
	if err != nil {
		t.Fatal(err)
	}
	go func() { _ = s.Start() }()
	t.Cleanup(func() { _ = s.Close() })
	for i, text := range []string{source, target} {
		session := memory.NewSession(sql.NewBaseSessionWithClientServer("", sql.Client{User: "root", Address: "localhost"}, 1), provider)
		session.SetCurrentDatabase(dbs[i].Name())
		for _, statement := range strings.Split(text, ";\n") {
			if strings.TrimSpace(statement) == "" {
				continue
			}
			ctx := sql.NewContext(context.Background(), sql.WithSession(session))
			_, rows, _, err := engine.Query(ctx, statement)
			if err == nil {
				_, err = sql.RowIterToRows(ctx, rows)
			}
			if err != nil {
				t.Fatalf("%s: %v", statement, err)
			}
		}
	}
	at := "mysql://root@" + listener.Addr().String() + "/"
	return at + "office", at + "live"
}

// run runs the program.
func run(t *testing.T, dir string, args ...string) (code int, out string) {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir = dir
	cmd.Env = append(os.Environ(), "HOME="+dir, "XDG_CONFIG_HOME="+dir)
	b, err := cmd.CombinedOutput()
	if exit, ok := err.(*exec.ExitError); ok {
		return exit.ExitCode(), string(b)
	}
	if err != nil {
		t.Fatal(err)
	}
	return 0, string(b)
}

// cases are pairs as the server understands them.
var cases = []struct {
	name, source, target string
	says                 []string // what the script must say
}{
	{"columns, keys and a view", `CREATE TABLE berth (id int NOT NULL AUTO_INCREMENT, name varchar(40), depth decimal(5,2) DEFAULT 4.5, PRIMARY KEY (id), KEY by_name (name));
CREATE TABLE visit (id int NOT NULL PRIMARY KEY, berth int, CONSTRAINT at_berth FOREIGN KEY (berth) REFERENCES berth (id));
CREATE VIEW deep AS SELECT id, name FROM berth WHERE depth > 5;
`, `CREATE TABLE berth (id int NOT NULL AUTO_INCREMENT, name varchar(20), PRIMARY KEY (id));
INSERT INTO berth (name) VALUES ('North');
`, []string{"ADD KEY `by_name`", "ADD CONSTRAINT `at_berth`"}},
	{"defaults and checks", `CREATE TABLE tide (id int PRIMARY KEY, level int NOT NULL DEFAULT '3', note varchar(20) DEFAULT 'calm', CONSTRAINT level_given CHECK (level > 0));
`, `CREATE TABLE tide (id int PRIMARY KEY, level int NOT NULL DEFAULT '2', note varchar(20));
INSERT INTO tide VALUES (1, 5, 'x');
`, []string{"ADD CONSTRAINT `level_given`"}},
	{"tables come and go", `CREATE TABLE pilot (id int PRIMARY KEY, licence varchar(10) UNIQUE);
`, `CREATE TABLE agent (id int PRIMARY KEY);
`, []string{"DROP TABLE `agent`", "CREATE TABLE `pilot`"}},
	{"nothing differs", "CREATE TABLE pilot (id int PRIMARY KEY, n bigint unsigned, e enum('a','b'), at datetime(3));\n", "CREATE TABLE pilot (id int PRIMARY KEY, n bigint unsigned, e enum('a','b'), at datetime(3));\n", nil},
}

// TestMySQL8 compares, scripts and applies: afterwards nothing differs.
func TestMySQL8(t *testing.T) {
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			source, target := start(t, c.source, c.target)
			dir := t.TempDir()
			code, out := run(t, dir, "compare", source, target)
			if want := map[bool]int{true: 1, false: 0}[c.says != nil]; code != want {
				t.Fatalf("compare exits %d, want %d\n%s", code, want, out)
			}
			if c.says == nil {
				return
			}
			if code, out := run(t, dir, "script", source, target, "--may-lose", "*", "--row-checks", "off", "-o", "up.sql"); code != 0 {
				t.Fatalf("script exits %d\n%s", code, out)
			}
			text, err := os.ReadFile(filepath.Join(dir, "up.sql"))
			if err != nil {
				t.Fatal(err)
			}
			for _, want := range c.says {
				if !strings.Contains(string(text), want) {
					t.Errorf("the script does not say %q:\n%s", want, text)
				}
			}
			if code, out := run(t, dir, "apply", "up.sql", target, "--yes"); code != 0 {
				t.Fatalf("apply exits %d\n%s\n%s", code, out, text)
			}
			if code, out := run(t, dir, "compare", source, target); code != 0 {
				t.Errorf("afterwards compare exits %d\n%s", code, out)
			}
			if code, out := run(t, dir, "capture", target, "-o", "live.json"); code != 0 {
				t.Fatalf("capture exits %d\n%s", code, out)
			}
			if code, out := run(t, dir, "compare", "live.json", target); code != 0 {
				t.Errorf("the capture differs from what it is of: %d\n%s", code, out)
			}
		})
	}
}

// TestMySQL8Gaps names what the server does not show, which the program says.
func TestMySQL8Gaps(t *testing.T) {
	source, target := start(t, "CREATE TABLE pilot (id int PRIMARY KEY, n int(4));\n", "CREATE TABLE pilot (id int PRIMARY KEY, n int(5));\n")
	if code, out := run(t, t.TempDir(), "compare", source, target); code != 0 {
		t.Errorf("a display width that the server does not print is a difference: %d\n%s", code, out)
	}
}
