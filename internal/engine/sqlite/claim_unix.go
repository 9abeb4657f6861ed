//go:build unix

package sqlite

import (
	"fmt"
	"io"
	"os"
	"syscall"
)

// noFollow opens no link that somebody put where a file of ours is to be.
const noFollow = syscall.O_NOFOLLOW

type fileID struct{ dev, ino uint64 }

func identify(path string) (fileID, bool) {
	st, err := os.Stat(path)
	if err != nil {
		return fileID{}, false
	}
	s, ok := st.Sys().(*syscall.Stat_t)
	if !ok {
		return fileID{}, false
	}
	return fileID{uint64(s.Dev), s.Ino}, true
}

// The bytes SQLite locks (SQLite: os_unix.c).
const (
	pendingByte = 0x40000000
	sharedFirst = pendingByte + 2
	sharedSize  = 510
)

// readLock takes the lock that readers of the database hold, until the file
// is closed.
func readLock(f *os.File) bool {
	lock := func(start, length int64) error {
		l := syscall.Flock_t{Type: syscall.F_RDLCK, Whence: io.SeekStart, Start: start, Len: length}
		return syscall.FcntlFlock(f.Fd(), syscall.F_SETLK, &l)
	}
	return lock(pendingByte, 1) == nil && lock(sharedFirst, sharedSize) == nil
}

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
