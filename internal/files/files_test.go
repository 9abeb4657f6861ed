package files

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
)

func TestWrite(t *testing.T) {
	dir := t.TempDir()
	real, link, fresh := filepath.Join(dir, "real"), filepath.Join(dir, "link"), filepath.Join(dir, "fresh")
	if err := os.WriteFile(real, []byte("old"), 0o640); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink("real", link); err != nil {
		t.Fatal(err)
	}
	for path, mode := range map[string]os.FileMode{link: 0o640, fresh: 0} {
		if err := Write(path, []byte("new")); err != nil {
			t.Fatal(err)
		}
		st, err := os.Stat(path)
		if data, _ := os.ReadFile(path); err != nil || string(data) != "new" || mode != 0 && st.Mode().Perm() != mode {
			t.Errorf("%s: %q, %v, %v", path, data, st.Mode(), err)
		}
	}
	if st, _ := os.Lstat(link); st.Mode()&os.ModeSymlink == 0 {
		t.Error("the link was replaced")
	}
	if runtime.GOOS != "windows" {
		if err := Write("/dev/null", []byte("x")); err != nil || Taken("/dev/null") {
			t.Errorf("a device: %v", err)
		}
	}
	if err := Write(filepath.Join(dir, "no", "where"), nil); err == nil {
		t.Error("written into a folder that is not there")
	}
	left, err := filepath.Glob(filepath.Join(dir, ".*"))
	if err != nil || len(left) > 0 {
		t.Errorf("left over: %v %v", left, err)
	}
}

func TestNames(t *testing.T) {
	dir := t.TempDir()
	seen := map[string]string{}
	for _, text := range []string{"berth", "a/b", "a_b", "a:b", "../../etc/passwd", ".", "...", "", strings.Repeat("long", 100), strings.Repeat("long", 101), "Ü", "con\x00trol", "a b"} {
		name := Safe(text)
		if other, ok := seen[name]; ok {
			t.Errorf("%q and %q are both called %q", text, other, name)
		}
		seen[name] = text
		if strings.ContainsAny(name, "/\\:") || len(name) > 120 || strings.HasPrefix(name, ".") {
			t.Errorf("%q is called %q", text, name)
		}
	}
	base := filepath.Join(dir, "x")
	for _, want := range []string{"x.sql", "x.2.sql", "x.3.sql"} {
		name, err := Unused(base, ".sql")
		if err != nil || filepath.Base(name) != want {
			t.Errorf("%s, want %s: %v", name, want, err)
		}
		if err := os.Symlink("nowhere", name); err != nil { // a link that leads nowhere takes its name, too
			t.Fatal(err)
		}
	}
	if _, err := Unused(filepath.Join(dir, strings.Repeat("x", 300)), ".sql"); err == nil {
		t.Error("a name no file system takes")
	}
	if !Same(filepath.Join(dir, "y"), filepath.Join(dir, "z", "..", "y")) || Same(filepath.Join(dir, "y"), filepath.Join(dir, "z")) {
		t.Error("files that are not there yet are told apart wrongly")
	}
}

func TestClear(t *testing.T) {
	dir := t.TempDir()
	tmp, err := Create(filepath.Join(dir, "half"), 0o600)
	if err != nil {
		t.Fatal(err)
	}
	kept, err := Create(filepath.Join(dir, "whole"), 0o600)
	if err != nil {
		t.Fatal(err)
	}
	if err := kept.Keep(filepath.Join(dir, "whole")); err != nil {
		t.Fatal(err)
	}
	Clear()
	leftovers.Unlock() // for the tests that follow
	list, err := os.ReadDir(dir)
	if err != nil || len(list) != 1 || list[0].Name() != "whole" {
		t.Errorf("left over: %v %v", list, err)
	}
	tmp.Close()
}

// TestFolder: a folder stands where it is to stand when it is whole; of one that is there
// goes what is old, and what is of others stays.
func TestFolder(t *testing.T) {
	dir := t.TempDir()
	old := func(name string) bool { return name == "index.html" || name == "pages" }
	at := filepath.Join(dir, "deep", "er", "site")
	for round, want := range []string{"index.html pages/a.html pages/sub/b.html", "index.html notes.txt pages/a.html pages/sub/b.html"} {
		f, err := NewFolder(at + "/")
		if err != nil {
			t.Fatal(err)
		}
		for _, n := range []string{"pages/a.html", "index.html", "pages/sub/b.html"} {
			if err := f.Put(n, []byte(fmt.Sprint(n, round))); err != nil {
				t.Fatal(err)
			}
		}
		if _, err := os.Stat(filepath.Join(at, "pages", "sub")); round == 0 && err == nil {
			t.Error("it stands there before it is whole")
		}
		if err := f.Keep(at, old, "index.html"); err != nil {
			t.Fatal(err)
		}
		f.Discard()
		var there []string
		err = filepath.WalkDir(filepath.Dir(at), func(p string, d fs.DirEntry, err error) error {
			if err == nil && !d.IsDir() {
				name, _ := filepath.Rel(at, p)
				there = append(there, filepath.ToSlash(name))
				if data, e := os.ReadFile(p); e != nil || name != "notes.txt" && string(data) != fmt.Sprint(filepath.ToSlash(name), round) {
					t.Errorf("round %d: %s holds %q %v", round, name, data, e)
				}
			}
			return err
		})
		if got := strings.Join(there, " "); err != nil || got != want {
			t.Errorf("round %d: %s, want %s %v", round, got, want, err)
		}
		for name, text := range map[string]string{"notes.txt": "mine", "pages/gone.html": "old"} {
			if err := os.WriteFile(filepath.Join(at, name), []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
		}
	}
	f, err := NewFolder(filepath.Join(dir, "given-up"))
	if err != nil {
		t.Fatal(err)
	}
	if err := f.Put("a", nil); err != nil {
		t.Fatal(err)
	}
	f.Discard()
	if list, _ := os.ReadDir(dir); len(list) != 1 {
		t.Errorf("left over: %v", list)
	}
	if _, err := NewFolder(filepath.Join(at, "notes.txt", "x")); err == nil {
		t.Error("a folder within a file")
	}
}
