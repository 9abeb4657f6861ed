//go:build unix

package sqlite

import (
	"fmt"
	"os"
	"syscall"
)

func claimName(st os.FileInfo) string {
	if s, ok := st.Sys().(*syscall.Stat_t); ok {
		return fmt.Sprintf("dapper-mirror-%d-%d.claim", s.Dev, s.Ino)
	}
	return "dapper-mirror-" + st.Name() + ".claim"
}

// tryLock takes the lock if nobody has it. Whoever had it may have removed the
// file meanwhile: then it is no lock any more.
func tryLock(f *os.File) bool {
	if syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB) != nil {
		return false
	}
	mine, err := f.Stat()
	if err != nil {
		return false
	}
	there, err := os.Stat(f.Name())
	return err == nil && os.SameFile(mine, there)
}
