// Package files writes files whole or not at all, and takes away what is left
// over when the program has to end at once.
package files

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"
)

// leftovers are what must go when the program ends before its time.
var leftovers = struct {
	sync.Mutex
	next int
	undo map[int]func()
}{undo: map[int]func(){}}

// OnExit has something undone if the program ends at once; forget takes that
// back.
func OnExit(undo func()) (forget func()) {
	leftovers.Lock()
	defer leftovers.Unlock()
	leftovers.next++
	n := leftovers.next
	leftovers.undo[n] = undo
	return func() {
		leftovers.Lock()
		defer leftovers.Unlock()
		delete(leftovers.undo, n)
	}
}

// Clear undoes what is left over, for a program that ends at once. Nothing can
// be added any more.
func Clear() {
	leftovers.Lock() // never given back
	for _, undo := range leftovers.undo {
		undo()
	}
}

// Temp is a file that stands under its name only when it is whole.
type Temp struct {
	*os.File
	forget func()
}

// Create makes a file beside path, with the mode the user's umask leaves of
// perm.
func Create(path string, perm fs.FileMode) (*Temp, error) {
	dir, base := filepath.Split(path)
	for range 1000 {
		name := filepath.Join(dir, fmt.Sprintf(".%s.%08x", Short(base, 100), rand.Uint32()))
		f, err := os.OpenFile(name, os.O_RDWR|os.O_CREATE|os.O_EXCL, perm)
		if errors.Is(err, fs.ErrExist) {
			continue
		}
		if err != nil {
			return nil, err
		}
		return &Temp{f, OnExit(func() { os.Remove(name) })}, nil
	}
	return nil, fmt.Errorf("no name is free for a temporary file in %s", dir)
}

// Discard takes the file away, unless it was kept.
func (t *Temp) Discard() {
	t.Close()
	if t.forget != nil {
		os.Remove(t.Name())
		t.forget()
	}
}

// Keep puts the file under its name, on the disk.
func (t *Temp) Keep(path string) error {
	if err := t.Sync(); err != nil && !errors.Is(err, errors.ErrUnsupported) {
		return err
	}
	if err := t.Close(); err != nil {
		return err
	}
	if err := os.Rename(t.Name(), path); err != nil {
		return err
	}
	t.forget()
	t.forget = nil
	return nil
}

// Write puts data under a name, whole or not at all. A link is followed, a
// device or pipe is written to as it is.
func Write(path string, data []byte) error {
	if through(path) {
		f, err := os.OpenFile(path, os.O_WRONLY, 0)
		if err != nil {
			return err
		}
		if _, err := f.Write(data); err != nil {
			f.Close()
			return err
		}
		return f.Close()
	}
	if real, err := filepath.EvalSymlinks(path); err == nil {
		path = real
	}
	t, err := Create(path, 0o666)
	if err != nil {
		return err
	}
	defer t.Discard()
	if st, err := os.Stat(path); err == nil { // what is overwritten keeps its mode
		if err := t.Chmod(st.Mode().Perm()); err != nil {
			return err
		}
	}
	if _, err := t.Write(data); err != nil {
		return err
	}
	return t.Keep(path)
}

// through tells whether a path is no file but a way to somewhere.
func through(path string) bool {
	st, err := os.Stat(path)
	return err == nil && !st.Mode().IsRegular() && !st.IsDir()
}

// Taken tells whether something stands under a name that writing would
// replace.
func Taken(path string) bool {
	_, err := os.Lstat(path)
	return err == nil && !through(path)
}

// Same tells whether two paths are one file, or would be.
func Same(a, b string) bool {
	if x, err := os.Stat(a); err == nil {
		if y, err := os.Stat(b); err == nil {
			return os.SameFile(x, y)
		}
	}
	return Whole(a) == Whole(b)
}

// Whole is the path from the root, links in its folder followed.
func Whole(path string) string {
	if abs, err := filepath.Abs(path); err == nil {
		path = abs
	}
	if dir, err := filepath.EvalSymlinks(filepath.Dir(path)); err == nil {
		return filepath.Join(dir, filepath.Base(path))
	}
	return path
}

// Unused is a name under which nothing stands yet: base and ext, with a number
// between them where need be.
func Unused(base, ext string) (string, error) {
	for n := 1; n < 100000; n++ {
		name := base + ext
		if n > 1 {
			name = fmt.Sprintf("%s.%d%s", base, n, ext)
		}
		_, err := os.Lstat(name)
		if errors.Is(err, fs.ErrNotExist) {
			return name, nil
		}
		if err != nil {
			return "", err
		}
	}
	return "", fmt.Errorf("%s%s and all names like it are taken", base, ext)
}

// Safe is a text as a file name: of any length, on any system, and different
// for different texts.
func Safe(text string) string {
	clean := strings.Map(func(c rune) rune {
		switch {
		case c >= 'a' && c <= 'z', c >= 'A' && c <= 'Z', c >= '0' && c <= '9', c == '_', c == '-', c == '.':
			return c
		}
		return '_'
	}, text)
	clean = strings.TrimLeft(clean, ".")
	if clean != text || clean == "" || len(clean) > 100 {
		h := sha256.Sum256([]byte(text))
		return Short(clean, 100) + "-" + hex.EncodeToString(h[:4])
	}
	return clean
}

// Short is the beginning of a name, n bytes at most.
func Short(name string, n int) string {
	if len(name) > n {
		return strings.ToValidUTF8(name[:n], "")
	}
	return name
}
