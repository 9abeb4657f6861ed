package files

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

// Folder is a folder that is filled beside the place where it is to stand, or within what
// is there already, which may be a disk of its own, and gets there when it is whole.
type Folder struct {
	temp   string
	forget func()
}

// NewFolder begins a folder that will stand at path.
func NewFolder(path string) (*Folder, error) {
	path = filepath.Clean(path)
	if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
		return nil, err
	}
	beside := filepath.Dir(path)
	if st, err := os.Stat(path); err == nil && st.IsDir() {
		beside = path
	}
	for range 1000 {
		n, err := Unused(filepath.Join(beside, "."+Short(filepath.Base(Whole(path)), 100)), ".filling")
		if err != nil {
			return nil, err
		}
		if err := os.Mkdir(n, 0o777); errors.Is(err, fs.ErrExist) {
			continue
		} else if err != nil {
			return nil, err
		}
		return &Folder{n, OnExit(func() { os.RemoveAll(n) })}, nil
	}
	return nil, fmt.Errorf("no name is free for a temporary folder beside %s", path)
}

// Put writes a file of the folder, under a name with slashes.
func (f *Folder) Put(name string, data []byte) error {
	path := filepath.Join(f.temp, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
		return err
	}
	return os.WriteFile(path, data, 0o666)
}

// Discard takes the folder away, unless it was kept.
func (f *Folder) Discard() {
	if f.forget != nil {
		os.RemoveAll(f.temp)
		f.forget()
	}
}

// Keep puts the folder where it is to stand. What is there goes where old says so of its
// name, and else stays; last, named so, is put there when all the rest is, so that a
// folder that has it is whole.
func (f *Folder) Keep(path string, old func(name string) bool, last string) error {
	if _, err := os.Lstat(path); errors.Is(err, fs.ErrNotExist) {
		if err := os.Rename(f.temp, filepath.Clean(path)); err != nil {
			return err
		}
		f.forget()
		f.forget = nil
		return nil
	}
	there, err := os.ReadDir(path)
	if err != nil {
		return err
	}
	if err := os.Remove(filepath.Join(path, last)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	for _, e := range there {
		if old(e.Name()) {
			if err := os.RemoveAll(filepath.Join(path, e.Name())); err != nil {
				return err
			}
		}
	}
	list, err := os.ReadDir(f.temp)
	if err != nil {
		return err
	}
	move := func(name string) error { return os.Rename(filepath.Join(f.temp, name), filepath.Join(path, name)) }
	for _, e := range list {
		if e.Name() != last {
			if err := move(e.Name()); err != nil {
				return err
			}
		}
	}
	if err := move(last); err != nil {
		return err
	}
	return os.RemoveAll(f.temp)
}
