package place

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/texts"
	"dappermirror/internal/files"
	"dappermirror/internal/place/layout"
)

// folderOf is a folder that a structure is written to as a whole, a file an
// object.
type folderOf struct{ path string }

// Folder is the place of a structure in a folder, which may not be there yet.
func Folder(path string) *Place {
	return &Place{Label: path, Identity: identity(path), is: &folderOf{path}}
}

// laidOut are the files of a structure.
func laidOut(c *catalog.Catalog) ([]layout.File, texts.Grammar, error) {
	e, err := engine.Named(c.Engine)
	if err != nil {
		return nil, texts.Grammar{}, err
	}
	grammar := texts.Grammar{Dialect: e.Dialect(), Read: func(string, sqltext.Dialect) texts.Reading { return texts.Reading{} }}
	if s, ok := e.(texts.Speaker); ok {
		grammar = s.Grammar()
	}
	groups := map[string]bool{}
	for _, g := range e.Groups() {
		groups[g] = true
	}
	on := e.Blank()
	if f, ok := e.(engine.Founder); ok {
		on = f.Founded()
	}
	actions, err := order.Anew(c, on, groups, e.Writer(engine.WriteOptions{}))
	if err != nil {
		return nil, texts.Grammar{}, err
	}
	list, err := layout.Files(c, actions, grammar)
	return list, grammar, err
}

func (f *folderOf) files() []string { return nil }

func (f *folderOf) read(ctx context.Context, p *Place, opt Options) (*catalog.Catalog, error) {
	is, err := folder(p.Label, f.path, "", opt)
	if err != nil {
		return nil, err
	}
	p.Engine = is.Engine
	return is.is.read(ctx, is, opt)
}

// keep implements keeper: all is written anew. Files of objects that are no more
// go; what no object is in stays.
func (f *folderOf) keep(c *catalog.Catalog) error {
	list, g, err := laidOut(c)
	if err != nil {
		return err
	}
	out := map[string][]byte{layout.Index: layout.WriteIndex(c.Engine)}
	for i := range list {
		out[list[i].Name] = list[i].Text(g)
	}
	var gone []string
	err = filepath.WalkDir(f.path, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		name, err := filepath.Rel(f.path, p)
		if err != nil {
			return err
		}
		if name = filepath.ToSlash(name); out[name] == nil && isObject(name, c) {
			gone = append(gone, name)
		}
		return nil
	})
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return put(f.path, out, gone)
}

// isObject tells by its name whether a file is one that an object is written to.
func isObject(name string, c *catalog.Catalog) bool {
	rest, ok := strings.CutSuffix(name, ".sql")
	kind := catalog.Kind(strings.TrimPrefix(filepath.Ext(rest), "."))
	return ok && slices.ContainsFunc(c.Kinds.List, func(k catalog.KindInfo) bool { return k.Kind == kind })
}

// put writes the files of a folder, and takes away those that are gone. A folder
// that is new stands under its name when it is whole; one that was there gets its
// files when all of them are on the disk.
func put(folder string, out map[string][]byte, gone []string) (err error) {
	if _, err := os.Stat(folder); errors.Is(err, fs.ErrNotExist) {
		return putNew(folder, out)
	}
	type written struct {
		file *files.Temp
		path string
	}
	var all []written
	defer func() {
		for _, w := range all {
			w.file.Discard()
		}
	}()
	for name, data := range out {
		path := filepath.Join(folder, filepath.FromSlash(name))
		if old, err := os.ReadFile(path); err == nil && string(old) == string(data) {
			continue // it keeps its time
		}
		if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
			return err
		}
		t, err := files.Create(path, 0o666)
		if err != nil {
			return err
		}
		all = append(all, written{t, path})
		if _, err := t.Write(data); err != nil {
			return err
		}
	}
	for _, w := range all {
		if err := w.file.Keep(w.path); err != nil {
			return fmt.Errorf("some files of %s are new and some are not (compare again, or have your version control give it back): %w", folder, err)
		}
	}
	for _, name := range gone {
		path := filepath.Join(folder, filepath.FromSlash(name))
		if err := os.Remove(path); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		_ = os.Remove(filepath.Dir(path)) // where nothing else is in it
	}
	return nil
}

// putNew writes a folder beside its place and moves it there.
func putNew(folder string, out map[string][]byte) error {
	folder = filepath.Clean(folder)
	if err := os.MkdirAll(filepath.Dir(folder), 0o777); err != nil {
		return err
	}
	temp, err := os.MkdirTemp(filepath.Dir(folder), "."+files.Short(filepath.Base(folder), 100)+".")
	if err != nil {
		return err
	}
	forget := files.OnExit(func() { os.RemoveAll(temp) })
	defer func() { os.RemoveAll(temp); forget() }()
	for name, data := range out {
		path := filepath.Join(temp, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
			return err
		}
		if err := os.WriteFile(path, data, 0o666); err != nil {
			return err
		}
	}
	if err := os.Chmod(temp, 0o755); err != nil {
		return err
	}
	return os.Rename(temp, folder)
}
