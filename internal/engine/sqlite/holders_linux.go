package sqlite

import (
	"bytes"
	"fmt"
	"os"
	"slices"
	"strings"
)

// holders are the other processes that hold a lock on a database file, in
// words (proc(5), /proc/locks).
func holders(path string) []string {
	locks, err := os.ReadFile("/proc/locks")
	if err != nil {
		return nil
	}
	var inodes []string
	for _, p := range []string{path, path + "-shm"} {
		if id, ok := identify(p); ok {
			inodes = append(inodes, fmt.Sprint(id.ino))
		}
	}
	var out []string
	for line := range strings.Lines(string(locks)) {
		// 1: POSIX  ADVISORY  WRITE 1234 08:01:131083 1073741826 1073742335
		f := strings.Fields(line)
		if len(f) < 6 || f[1] != "POSIX" || f[4] == fmt.Sprint(os.Getpid()) {
			continue
		}
		if i := strings.LastIndexByte(f[5], ':'); !slices.Contains(inodes, f[5][i+1:]) {
			continue
		}
		who := "process " + f[4]
		if name, err := os.ReadFile("/proc/" + f[4] + "/comm"); err == nil {
			who += " (" + string(bytes.TrimSpace(name)) + ")"
		}
		if who += " holds it"; !slices.Contains(out, who) {
			out = append(out, who)
		}
	}
	return out
}
