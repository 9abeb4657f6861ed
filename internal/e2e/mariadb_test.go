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
}

var maria mariaServer

func mariadb(t testing.TB) *mariaServer {
	t.Helper()
	maria.once.Do(func() { maria.err = maria.start() })
	if maria.err != nil {
		t.Fatalf("MariaDB (run scripts/install-test-servers): %v", maria.err)
	}
	return &maria
}

func (s *mariaServer) start() error {
	s.dir = filepath.Join(tempDir, "maria")
	if err := os.Mkdir(s.dir, 0o755); err != nil {
		return err
	}
	as := []string{}
	if os.Geteuid() == 0 {
		as = []string{"--user=root"}
	}
	data := filepath.Join(s.dir, "data")
	install := exec.Command("mariadb-install-db", append([]string{"--no-defaults", "--datadir=" + data, "--skip-test-db", "--auth-root-authentication-method=normal"}, as...)...)
	if out, err := install.CombinedOutput(); err != nil {
		return fmt.Errorf("mariadb-install-db: %v\n%s", err, out)
	}
	log, err := os.Create(filepath.Join(s.dir, "log"))
	if err != nil {
		return err
	}
	defer log.Close()
	s.cmd = exec.Command("mariadbd", append([]string{"--no-defaults", "--datadir=" + data, "--socket=" + s.socket(), "--skip-networking", "--pid-file=" + filepath.Join(s.dir, "pid"),
		"--innodb-flush-log-at-trx-commit=0", "--innodb-flush-method=nosync", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_general_ci", "--event-scheduler=OFF"}, as...)...)
	s.cmd.Stdout, s.cmd.Stderr = log, log
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

func stopMariaDB() {
	if maria.cmd != nil {
		_ = maria.cmd.Process.Kill()
		_ = maria.cmd.Wait()
	}
}

func (s *mariaServer) socket() string { return filepath.Join(s.dir, "s") }

func (s *mariaServer) args(more ...string) []string {
	return append([]string{"--no-defaults", "--socket=" + s.socket(), "--user=root", "--default-character-set=utf8mb4", "-N", "-B"}, more...)
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
	eachPair(t, "testdata/mariadb/harbour.sql", mariaPlaces{mariadb(t)})
}

func TestRandomPairsMariaDB(t *testing.T) {
	randomPairs(t, "mysql", mariaPlaces{mariadb(t)}, *randomRuns/2)
}
