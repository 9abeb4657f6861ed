package place

import (
	"context"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
)

// texts is a place of SQL texts: one file, or those of a folder.
type texts struct {
	names []string  // "-" for what streams in
	in    io.Reader // for "-"
}

func (t *texts) files() []string { return t.names }

func (t *texts) read(ctx context.Context, p *Place, _ Options) (*catalog.Catalog, error) {
	var files []engine.TextFile
	for _, name := range t.names {
		if name == "-" {
			files = append(files, engine.TextFile{Name: "standard input", Reader: t.in})
			continue
		}
		f, err := os.Open(name)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read: %w", name, err)
		}
		defer f.Close()
		files = append(files, engine.TextFile{Name: name, Reader: f})
	}
	c, err := p.Engine.(engine.TextReader).ReadText(ctx, files)
	p.empty = err == nil && len(c.Objects) == 0
	return c, err
}

// folder is a folder of .sql files, however deep.
func folder(path string, opt Options) (*Place, error) {
	var files []string
	err := filepath.WalkDir(path, func(p string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() && strings.EqualFold(filepath.Ext(p), ".sql") {
			files = append(files, p)
		}
		return err
	})
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", path, err)
	}
	if len(files) == 0 {
		return nil, fmt.Errorf("%s: %w: it is a folder without .sql files", path, engine.ErrNotOurs)
	}
	return text(path, files, opt)
}

// text is a place of SQL texts. Without a dialect it is read as the engine
// that can read texts.
func text(label string, files []string, opt Options) (*Place, error) {
	for _, e := range engine.All() {
		if _, ok := e.(engine.TextReader); ok && (opt.Dialect == "" || opt.Dialect == e.Name()) {
			return &Place{Label: label, Identity: identity(label), Engine: e, is: &texts{names: files, in: opt.Stdin}}, nil
		}
	}
	return nil, fmt.Errorf("%s: texts in the dialect %q cannot be read; load them into a database and name that", label, opt.Dialect)
}
