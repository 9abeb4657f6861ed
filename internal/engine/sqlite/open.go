package sqlite

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"sync"

	"dappermirror/internal/engine"
)

// openFiles are the files SQLite has open in this process: opening and closing
// one of them ourselves would take SQLite's locks away (SQLite: How To Corrupt
// An SQLite Database File, section 2.2).
var openFiles = struct {
	sync.Mutex
	n map[fileID]int
}{n: map[fileID]int{}}

// errHeldOpen says that SQLite has the file open in this process.
var errHeldOpen = errors.New("the library has it open")

// holdOpen notes that SQLite is about to open the file, which is there; the
// answer notes that it closed it.
func holdOpen(path string) func() {
	id, ok := identify(path)
	if !ok {
		return func() {}
	}
	openFiles.Lock()
	openFiles.n[id]++
	openFiles.Unlock()
	return sync.OnceFunc(func() {
		openFiles.Lock()
		openFiles.n[id]--
		openFiles.Unlock()
	})
}

// openBeside opens a file beside SQLite, hands it on and closes it; with
// errHeldOpen where that would harm a connection of this process.
func openBeside(path string, flag int, do func(*os.File) error) error {
	openFiles.Lock()
	defer openFiles.Unlock()
	if id, ok := identify(path); ok && openFiles.n[id] > 0 {
		return errHeldOpen
	}
	f, err := os.OpenFile(path, flag, 0)
	if err != nil {
		return err
	}
	defer f.Close()
	return do(f)
}

// Head reads the first bytes of a file, of any kind. It is how a file may be
// looked at while SQLite may have it open in this process.
func Head(path string, n int) ([]byte, error) {
	head := make([]byte, n)
	err := openBeside(path, os.O_RDONLY, func(f *os.File) error {
		var err error
		if n, err = io.ReadFull(f, head); errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			err = nil
		}
		return err
	})
	if errors.Is(err, errHeldOpen) {
		return []byte(Magic), nil
	}
	return head[:n], err
}

// writable tells why a file cannot be written, or made where it may be.
func writable(path string, create bool) error {
	if _, err := os.Stat(path); errors.Is(err, os.ErrNotExist) && create {
		if st, err := os.Stat(filepath.Dir(path)); err != nil || !st.IsDir() {
			return fmt.Errorf("%w: its folder is not there", engine.ErrNotFound)
		}
		return nil
	}
	err := openBeside(path, os.O_RDWR, func(*os.File) error { return nil })
	if err != nil && !errors.Is(err, errHeldOpen) {
		return fmt.Errorf("%w: %w", engine.ErrReadOnly, err)
	}
	return nil
}
