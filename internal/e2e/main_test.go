// Package e2e drives the built program on files in a temporary folder and
// against real servers, and lets the engines' own dumps judge.
package e2e

import (
	"bytes"
	"context"
	_ "dappermirror/internal/engine/all"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"
)

var (
	program string // the built program
	tempDir string
)

func TestMain(m *testing.M) {
	os.Exit(func() int {
		var err error
		if tempDir, err = os.MkdirTemp("", "dme2e"); err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer os.RemoveAll(tempDir)
		if err := os.Chmod(tempDir, 0o755); err != nil { // the server runs as another user
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		program = filepath.Join(tempDir, "dapper-mirror")
		build := exec.Command("go", "build", "-buildvcs=false", "-o", program, "dappermirror/cmd/dapper-mirror")
		build.Env = append(os.Environ(), "CGO_ENABLED=0")
		if out, err := build.CombinedOutput(); err != nil {
			fmt.Fprintf(os.Stderr, "building the program: %v\n%s", err, out)
			return 1
		}
		if err := os.Setenv("HOME", tempDir); err != nil { // what is remembered there is nobody's
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer stopScratch()
		defer stopPostgres()
		defer maria.stop()
		return m.Run()
	}())
}

// stopScratch has the throw-away servers end that calls left for the next one:
// they go when the folder is gone where calls look for them.
func stopScratch() {
	os.RemoveAll(filepath.Join(tempDir, fmt.Sprintf("dapper-mirror-%d", os.Getuid())))
	for range 400 {
		if left, _ := filepath.Glob(filepath.Join(tempDir, "dapper-mirror-scratch-*")); len(left) == 0 {
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	fmt.Fprintln(os.Stderr, "a throw-away server is left")
}

// result is what one run of the program answered.
type result struct {
	code        int
	out, errout string
}

// run runs the program in a folder, without a terminal and with a clean
// environment.
func run(t testing.TB, dir string, args ...string) result {
	t.Helper()
	return runWith(t, dir, "", nil, args...)
}

func runWith(t testing.TB, dir, stdin string, env []string, args ...string) result {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir = dir
	cmd.Env = append([]string{"PATH=" + os.Getenv("PATH"), "HOME=" + t.TempDir(), "TMPDIR=" + tempDir, "TERM=dumb"}, env...)
	cmd.Stdin = strings.NewReader(stdin)
	var out, errout bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errout
	err := cmd.Run()
	code := 0
	if x, ok := err.(*exec.ExitError); ok {
		code = x.ExitCode()
	} else if err != nil {
		t.Fatalf("running %v: %v", args, err)
	}
	if strings.Contains(errout.String(), "goroutine ") || strings.Contains(errout.String(), "panic:") {
		t.Fatalf("%v ended in a stack trace:\n%s", args, errout.String())
	}
	return result{code, out.String(), errout.String()}
}

// want runs the program and fails unless it ends with the code.
func want(t testing.TB, code int, dir string, args ...string) result {
	t.Helper()
	r := run(t, dir, args...)
	if r.code != code {
		t.Fatalf("dapper-mirror %s\nexit %d, want %d\nstdout:\n%s\nstderr:\n%s", strings.Join(args, " "), r.code, code, r.out, r.errout)
	}
	return r
}

// command runs another program and fails when it does.
func command(t testing.TB, stdin string, name string, args ...string) string {
	t.Helper()
	out, err := tryCommand(stdin, name, args...)
	if err != nil {
		t.Fatalf("%s %s: %v\n%s", name, strings.Join(args, " "), err, out)
	}
	return out
}

func tryCommand(stdin string, name string, args ...string) (string, error) {
	cmd := exec.Command(name, args...)
	cmd.Stdin = strings.NewReader(stdin)
	cmd.Dir = tempDir
	cmd.Env = append(os.Environ(), "PGOPTIONS=", "PGCLIENTENCODING=UTF8")
	var b bytes.Buffer
	cmd.Stdout, cmd.Stderr = &b, &b
	err := cmd.Run()
	return b.String(), err
}

// server is a private PostgreSQL, started when the first test wants it.
type server struct {
	once    sync.Once
	err     error
	bin     string  // the server's programs
	clients string  // psql and pg_dump, which come with Debian's server
	extra   string  // settings
	from    *server // it is a standby of
	dir     string
	mu      sync.Mutex
	number  int
}

// pg is Debian's server; others are the majors of the matrix.
var (
	pg      = server{extra: "-c max_locks_per_transaction=1024"}
	started []*server
)

// postgres answers the running server; the test is skipped only where no
// PostgreSQL is installed.
func postgres(t testing.TB) *server {
	t.Helper()
	pg.once.Do(func() { pg.err = pg.start() })
	if pg.err != nil {
		t.Fatalf("PostgreSQL (run scripts/install-test-servers): %v", pg.err)
	}
	return &pg
}

// asPostgres makes a command run as the user postgres when we are root, which
// PostgreSQL refuses.
func asPostgres(cmd *exec.Cmd) error {
	cmd.Dir = "/"
	if os.Geteuid() != 0 {
		return nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return err
	}
	uid, err := strconv.Atoi(u.Uid)
	if err != nil {
		return err
	}
	gid, err := strconv.Atoi(u.Gid)
	if err != nil {
		return err
	}
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}}
	return nil
}

func (s *server) start() error {
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	if err != nil {
		return err
	}
	if len(found) == 0 {
		return fmt.Errorf("no PostgreSQL programs under /usr/lib/postgresql")
	}
	sort.Strings(found)
	s.clients = filepath.Dir(found[len(found)-1])
	if s.bin == "" {
		s.bin = s.clients
	}
	var err2 error
	if s.dir, err2 = os.MkdirTemp(tempDir, "pg"); err2 != nil {
		return err2
	}
	data := filepath.Join(s.dir, "data")
	if s.from != nil {
		s.extra = s.from.extra // a standby must not have less room
	}
	initdb := exec.Command(filepath.Join(s.bin, "initdb"), "-D", data, "-U", "postgres", "-A", "trust", "-E", "UTF8", "--locale=C.UTF-8", "-N")
	if s.from != nil {
		initdb = exec.Command(filepath.Join(s.clients, "pg_basebackup"), "-D", data, "-R", "-c", "fast", "-h", s.from.dir, "-U", "postgres")
	}
	if err := asPostgres(initdb); err != nil {
		return err
	}
	if attr := initdb.SysProcAttr; attr != nil {
		if err := os.Chown(s.dir, int(attr.Credential.Uid), int(attr.Credential.Gid)); err != nil {
			return err
		}
	}
	started = append(started, s)
	if out, err := initdb.CombinedOutput(); err != nil {
		return fmt.Errorf("initdb: %v\n%s", err, out)
	}
	ctl := exec.Command(filepath.Join(s.bin, "pg_ctl"), "-D", data, "-w", "-t", "60", "-l", filepath.Join(s.dir, "log"),
		"-o", fmt.Sprintf("-k %s -c listen_addresses='' -c fsync=off -c full_page_writes=off -c synchronous_commit=off -c autovacuum=off -c shared_buffers=64MB %s", s.dir, s.extra), "start")
	if err := asPostgres(ctl); err != nil {
		return err
	}
	// The server keeps the pipes of its starter open: its words go to the log.
	if err := ctl.Run(); err != nil {
		log, _ := os.ReadFile(filepath.Join(s.dir, "log"))
		return fmt.Errorf("pg_ctl: %v\n%s", err, log)
	}
	return nil
}

func stopPostgres() {
	for _, s := range started {
		ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
		ctl := exec.CommandContext(ctx, filepath.Join(s.bin, "pg_ctl"), "-D", filepath.Join(s.dir, "data"), "-m", "immediate", "-w", "stop")
		if asPostgres(ctl) == nil {
			_ = ctl.Run()
		}
		cancel()
	}
}

// database makes a new database, loads SQL into it and answers its name.
func (s *server) database(t testing.TB, sql string) string {
	t.Helper()
	s.mu.Lock()
	s.number++
	name := fmt.Sprintf("t%d", s.number)
	s.mu.Unlock()
	command(t, "", filepath.Join(s.clients, "psql"), "-X", "-q", "-h", s.dir, "-U", "postgres", "-d", "postgres", "-c", "CREATE DATABASE "+name+" TEMPLATE template0")
	t.Cleanup(func() {
		_, _ = tryCommand("", filepath.Join(s.clients, "psql"), "-X", "-q", "-h", s.dir, "-U", "postgres", "-d", "postgres", "-c", "DROP DATABASE IF EXISTS "+name+" WITH (FORCE)")
	})
	if sql != "" {
		s.psql(t, name, sql)
	}
	return name
}

// relay hands connections on to a socket, and cuts each off after so many bytes
// of answer.
func relay(l net.Listener, socket string, answer int64) {
	between(l, socket, func(client, server net.Conn) {
		go func() { _, _ = io.Copy(server, client) }()
		_, _ = io.CopyN(client, server, answer)
	})
}

// between stands between clients and a server's socket; both ends are closed
// when serve is done.
func between(l net.Listener, socket string, serve func(client, server net.Conn)) {
	for {
		c, err := l.Accept()
		if err != nil {
			return
		}
		go func() {
			defer c.Close()
			up, err := net.Dial("unix", socket)
			if err != nil {
				return
			}
			defer up.Close()
			serve(c, up)
		}()
	}
}

// until waits for something that must come.
func until(t testing.TB, what string, is func() bool) {
	t.Helper()
	for end := time.Now().Add(60 * time.Second); !is(); time.Sleep(20 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatalf("in vain waited until %s", what)
		}
	}
}

// overTCP is the server by an address of this machine, through a listener
// that hands on to its socket: it listens on no port of its own.
func (s *server) overTCP(t testing.TB) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go relay(l, filepath.Join(s.dir, ".s.PGSQL.5432"), 1<<62)
	return "postgres://postgres@" + l.Addr().String() + "/postgres?application_name=test"
}

func (s *server) url(name string) string {
	return "postgres://postgres@/" + name + "?host=" + s.dir
}

// psql runs SQL through PostgreSQL's own client and answers what it prints.
func (s *server) psql(t testing.TB, name, sql string) string {
	t.Helper()
	return command(t, sql, filepath.Join(s.clients, "psql"), "-X", "-q", "-At", "-v", "ON_ERROR_STOP=1", "-h", s.dir, "-U", "postgres", "-d", name, "-f", "-")
}

// dump is what pg_dump says of the structure, as sorted statements; the
// columns of a table are sorted too, since an added column stands last.
func (s *server) dump(t testing.TB, name string) []string {
	t.Helper()
	text := command(t, "", filepath.Join(s.clients, "pg_dump"), "-h", s.dir, "-U", "postgres", "--schema-only", "--no-owner", "--no-privileges", "-d", name)
	var out []string
	for _, st := range strings.Split(text, ";\n") {
		var lines []string
		for _, l := range strings.Split(st, "\n") {
			if l = strings.TrimRight(l, " "); l == "" || strings.HasPrefix(l, "--") || strings.HasPrefix(l, `\`) {
				continue
			}
			lines = append(lines, l)
		}
		if len(lines) == 0 || strings.HasPrefix(lines[0], "SET ") || strings.HasPrefix(lines[0], "SELECT pg_catalog.set_config") {
			continue
		}
		if strings.HasPrefix(lines[0], "CREATE TABLE") && len(lines) > 2 {
			body := lines[1 : len(lines)-1]
			for i := range body {
				body[i] = strings.TrimSuffix(body[i], ",")
			}
			sort.Strings(body)
		}
		if strings.Contains(lines[0], " OPERATOR ") { // the members of a family have no order
			for i := range lines {
				lines[i] = strings.TrimRight(lines[i], " ,")
			}
			sort.Strings(lines)
		}
		out = append(out, strings.Join(lines, "\n"))
	}
	sort.Strings(out)
	return out
}

// firstDifference is the first line in which two lists differ, or "".
func firstDifference(a, b []string) string {
	for i := 0; i < max(len(a), len(b)); i++ {
		x, y := "(nothing)", "(nothing)"
		if i < len(a) {
			x = a[i]
		}
		if i < len(b) {
			y = b[i]
		}
		if x != y {
			return fmt.Sprintf("source: %s\ntarget: %s", x, y)
		}
	}
	return ""
}

// write puts a text into a file of the folder and answers its path.
func write(t testing.TB, dir, name, text string) string {
	t.Helper()
	path := filepath.Join(dir, name)
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	return path
}

func read(t testing.TB, path string) string {
	t.Helper()
	b, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

// holding starts an engine's own shell that runs statements and then waits;
// they must end in printing something. The answer ends it.
func holding(t testing.TB, statements string, name string, args ...string) (release func()) {
	t.Helper()
	cmd := exec.Command(name, args...)
	in, err := cmd.StdinPipe()
	if err != nil {
		t.Fatal(err)
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	if _, err := in.Write([]byte(statements + "\n")); err != nil {
		t.Fatal(err)
	}
	if _, err := out.Read(make([]byte, 10)); err != nil {
		t.Fatal(err)
	}
	return func() {
		in.Close()
		_ = cmd.Wait()
	}
}
