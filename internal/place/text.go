package place

import (
	"context"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
	"dappermirror/internal/place/layout"
)

// sqlTexts is a place of SQL texts: one file, or those of a folder.
type sqlTexts struct {
	list     []source
	disk     bool   // they are files of this machine
	folder   string // that they are in, if they are
	database string // the one of several that is meant
	whole    bool   // all of a database is in them
	// doubt says that the text says only by its looks which SQL it is, and guessed
	// that not even these do.
	doubt, guessed bool
}

func (t *sqlTexts) files() []string {
	var out []string
	for _, s := range t.list {
		if t.disk {
			out = append(out, s.name)
		}
	}
	return out
}

func (t *sqlTexts) read(ctx context.Context, p *Place, opt Options) (*catalog.Catalog, error) {
	var files []engine.TextFile
	defer func() {
		for _, f := range files {
			_ = f.Reader.(io.Closer).Close() // it was only read
		}
	}()
	for _, s := range t.list {
		files = append(files, engine.TextFile{Name: s.name, Reader: &late{ctx: ctx, s: s}})
	}
	c, err := p.Engine.(engine.TextReader).ReadText(ctx, files, engine.TextOptions{Scratch: opt.Scratch, Database: t.database, Like: opt.Like, Whole: t.whole})
	if err != nil && t.guessed {
		err = fmt.Errorf("%w; it was read as %s: --dialect says if it is something else", err, p.Engine.Title())
	}
	p.empty = err == nil && len(c.Objects) == 0
	return c, err
}

// late is a file that is opened when somebody reads it, and closed at its end:
// a folder may have more of them than may be open at once.
type late struct {
	ctx  context.Context
	s    source
	r    io.ReadCloser
	done error
}

func (l *late) Read(b []byte) (int, error) {
	if l.done != nil {
		return 0, l.done
	}
	if l.r == nil {
		r, err := l.s.unpacked(l.ctx)
		if err != nil {
			l.done = err
			return 0, err
		}
		l.r = r
	}
	n, err := l.r.Read(b)
	if err != nil {
		l.done = err
		_ = l.r.Close()
		l.r = nil
	}
	return n, err
}

func (l *late) Close() error {
	if l.r == nil {
		return nil
	}
	return l.r.Close()
}

// text is a place of SQL texts. In which SQL they are is said by the option, by
// the index of a folder, or by themselves; where nothing says so, by the place
// that they are compared with.
func text(ctx context.Context, label string, t *sqlTexts, index []byte, opt Options) (*Place, error) {
	p := &Place{Label: label, Identity: identity(label), is: t}
	dialect := opt.Dialect
	if dialect == "" && index != nil {
		i, err := layout.ReadIndex(index)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", path.Join(label, layout.Index), err)
		}
		dialect, t.whole = i.Engine, true
	}
	if dialect != "" {
		for _, e := range engine.All() {
			if _, ok := e.(engine.TextReader); ok && (dialect == e.Name() || slices.Contains(e.Schemes(), dialect)) {
				p.Engine = e
				return p, nil
			}
		}
		return nil, fmt.Errorf("%s: texts in the dialect %q cannot be read; known are %s", label, dialect, strings.Join(Dialects(), ", "))
	}
	begins, err := beginning(ctx, t.list)
	if err != nil {
		return nil, err
	}
	p.Engine, t.doubt, t.guessed = spoken(begins)
	return p, nil
}

// From where on the signs of a text say which SQL it is: likely, and for sure, as
// the first line of a dump does.
const likely, sure = 10, 100

// spoken is the engine in whose SQL a text most likely is. Where nothing says
// so it is one that can read texts without a server.
func spoken(begins string) (best engine.Engine, doubt, guessed bool) {
	most, second := 0, 0
	for _, e := range engine.All() {
		r, ok := e.(engine.TextReader)
		if !ok {
			continue
		}
		switch n := r.Speaks(begins); {
		case n > most:
			best, most, second = e, n, most
		case n > second:
			second = n
		}
	}
	if most >= likely && most > second {
		return best, most < sure, false
	}
	if db := embedded(); most == 0 || best == nil {
		best = db[0]
	}
	return best, true, true
}

// Dialects are the names of those that texts can be in.
func Dialects() []string {
	var out []string
	for _, e := range engine.All() {
		if _, ok := e.(engine.TextReader); ok {
			out = append(out, e.Name())
		}
	}
	return out
}

// Agree lets two places that are compared agree on the SQL of a text that does
// not say it itself.
func Agree(a, b *Place) {
	for _, x := range [][2]*Place{{a, b}, {b, a}} {
		if s, streams := x[0].is.(*stream); streams {
			if _, reads := x[1].Engine.(engine.TextReader); reads {
				s.beside = x[1].Engine
			}
		}
		t, ok := x[0].is.(*sqlTexts)
		if !ok || !t.doubt || x[1].Engine == nil {
			continue
		}
		if u, also := x[1].is.(*sqlTexts); also && u.doubt && (u.guessed || !t.guessed) {
			continue
		}
		if _, reads := x[1].Engine.(engine.TextReader); reads {
			x[0].Engine, t.doubt, t.guessed = x[1].Engine, false, false
		}
	}
}
