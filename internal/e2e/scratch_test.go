package e2e

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
)

// TestThrowAwayServers: calls at once share one server, which the next call
// finds; it goes when nobody used it for a while, when its keeper is killed
// another one comes, and where the calls cannot meet each has its own.
func TestThrowAwayServers(t *testing.T) {
	t.Parallel()
	for _, e := range engines[1:2] { // how they are kept is the same for all
		t.Run(e.name, func(t *testing.T) {
			p := e.with(t)
			dir := t.TempDir()
			_, liveSQL := harbours(t, e.name)
			write(t, dir, "live.sql", liveSQL)
			live := p.make(t, liveSQL)
			room, err := os.MkdirTemp(tempDir, "w") // a socket's path must be short
			if err != nil {
				t.Fatal(err)
			}
			if err := os.Chmod(room, 0o755); err != nil { // the server runs as another user
				t.Fatal(err)
			}
			defer os.RemoveAll(room)
			meeting := filepath.Join(room, fmt.Sprintf("dapper-mirror-%d", os.Getuid()))
			servers := func() []string {
				l, _ := filepath.Glob(filepath.Join(room, "dapper-mirror-scratch-*"))
				return l
			}
			call := func(keep string) {
				t.Helper()
				r := runWith(t, dir, "", []string{"TMPDIR=" + room}, "compare", "live.sql", live, "--scratch", "local", "--scratch-keep", keep)
				if r.code != 0 {
					t.Errorf("exit %d: %s%s", r.code, r.out, r.errout)
				}
			}
			var all sync.WaitGroup
			for range 4 {
				all.Go(func() { call("1m") })
			}
			all.Wait()
			write(t, dir, "dev.sql", strings.ReplaceAll(liveSQL, "depth_m", "draught_m"))
			if r := runWith(t, dir, "", []string{"TMPDIR=" + room}, "compare", "dev.sql", live, "--scratch", "local", "--include", "grants"); r.code != 1 {
				t.Errorf("another text: %d %s", r.code, r.errout)
			}
			first := servers()
			if len(first) != 1 {
				t.Fatalf("four calls at once started %d servers", len(first))
			}
			left := command(t, "", filepath.Join(p.(pgPlaces).s.clients, "psql"), "-X", "-At", "-h", first[0], "-U", "postgres", "-d", "postgres", "-c",
				"SELECT datname FROM pg_database WHERE datname LIKE 'dapper%' UNION ALL SELECT rolname FROM pg_roles WHERE rolname LIKE 'dapper%'")
			if left != "" {
				t.Errorf("left on it: %s", left)
			}
			call("1m")
			if !slices.Equal(first, servers()) {
				t.Error("the next call did not find it")
			}
			keeper := keeperOf(t, room)
			if err := syscall.Kill(keeper, syscall.SIGKILL); err != nil {
				t.Fatal(err)
			}
			until(t, "the server went with its keeper", func() bool { return len(using(first[0])) == 0 })
			call("1m")
			if len(servers()) < 1 || slices.Contains(servers()[max(len(servers())-1, 0):], "") {
				t.Error("no server came after the kill")
			}
			// Where the calls look for it is gone: so is the server.
			if err := os.RemoveAll(meeting); err != nil {
				t.Fatal(err)
			}
			until(t, "it ended", func() bool { return len(using(room)) == 0 })
			// A folder that others may write to is not trusted: each call has its own.
			if err := os.Mkdir(meeting, 0o700); err != nil {
				t.Fatal(err)
			}
			if err := os.Chmod(meeting, 0o777); err != nil {
				t.Fatal(err)
			}
			before := len(servers())
			call("1m")
			if n := len(servers()); n > before || len(using(room)) > 0 {
				t.Errorf("in a folder of everybody's: %d servers are left", n-before)
			}
			if err := os.Chmod(meeting, 0o700); err != nil {
				t.Fatal(err)
			}
			call("0")
			if len(using(room)) > 0 {
				t.Error("one that was not to be kept is left")
			}
			call("100ms")
			until(t, "it ended when nobody used it", func() bool { return len(using(room)) == 0 })
			if left, _ := filepath.Glob(filepath.Join(meeting, "*.json")); len(left) > 0 {
				t.Errorf("left: %v", left)
			}
		})
	}
}

// using are the processes that were started in a folder, by their arguments.
func using(folder string) []int {
	var out []int
	procs, _ := filepath.Glob("/proc/[0-9]*/cmdline")
	for _, f := range procs {
		data, err := os.ReadFile(f)
		if err != nil || !bytes.Contains(data, []byte(folder)) || bytes.HasPrefix(data, []byte("go\x00")) {
			continue
		}
		var pid int
		if _, err := fmt.Sscanf(f, "/proc/%d/", &pid); err == nil && pid != os.Getpid() {
			out = append(out, pid)
		}
	}
	return out
}

// keeperOf is the process that keeps a server in a folder.
func keeperOf(t *testing.T, room string) int {
	t.Helper()
	out, err := exec.Command("pgrep", "-f", "scratch-server").Output()
	if err != nil {
		t.Fatalf("no keeper: %v", err)
	}
	for _, word := range strings.Fields(string(out)) {
		data, err := os.ReadFile("/proc/" + word + "/environ")
		if err == nil && bytes.Contains(data, []byte("TMPDIR="+room+"\x00")) {
			var pid int
			if _, err := fmt.Sscan(word, &pid); err == nil {
				return pid
			}
		}
	}
	t.Fatalf("no keeper works in %s", room)
	return 0
}
