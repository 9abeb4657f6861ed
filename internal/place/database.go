package place

import (
	"context"
	"errors"
	"fmt"
	"os"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
)

// database is a place that is a database of an engine.
type database struct {
	at     string
	secure func(context.Context) (string, error) // nil where the address is all
	unmade bool                                  // a file that is to be made
	list   []string                              // the files it is made of
}

func (d *database) address() string { return d.at }
func (d *database) secured(ctx context.Context) (string, error) {
	if d.secure == nil {
		return d.at, nil
	}
	return d.secure(ctx)
}

func (d *database) missing() bool   { return d.unmade }
func (d *database) files() []string { return d.list }

func (d *database) read(ctx context.Context, p *Place, opt Options) (*catalog.Catalog, error) {
	if d.unmade {
		return p.Engine.Blank(), nil
	}
	if d.list != nil {
		st, err := os.Stat(d.at)
		p.empty = err == nil && st.Size() == 0
	}
	db, err := p.Open(ctx, engine.OpenOptions{LockWait: opt.LockWait})
	if err != nil {
		return nil, err
	}
	if i, ok := db.(engine.Identifier); ok {
		if p.Server, err = i.Identity(ctx); err != nil {
			db.Close()
			return nil, fmt.Errorf("%s: %w", p.Label, err)
		}
	}
	read := db.Read
	if l, ok := db.(engine.LazyReader); ok && opt.Lazy {
		read = func(ctx context.Context) (*catalog.Catalog, error) { return l.ReadLazy(ctx, opt.Script) }
	}
	c, err := read(ctx)
	if err != nil || c.Release == nil { // else the catalog still reads from it
		db.Close()
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", p.Label, err)
	}
	return c, nil
}

// server resolves a URL of a database server.
func server(e engine.Engine, text string) (*Place, error) {
	u, err := parseURL(text)
	if err != nil {
		return nil, fmt.Errorf("the URL cannot be read (characters like @ : / %% in a password are written %%40 %%3A %%2F %%25)")
	}
	_, shown := u.User.Password()
	label := redact(text)
	id := *u
	id.User, id.RawQuery = nil, ""
	ident := id.String() + "?" + u.Query().Get("host") + u.Query().Get("port") + u.Query().Get("socket")
	return &Place{Label: label, Identity: ident, Engine: e, is: &database{at: text}, PasswordShown: shown || u.Query().Has("password")}, nil
}

// databaseFile is a file that is a database of an engine, or is to be one.
func databaseFile(e engine.Engine, path string, opt Options) (*Place, error) {
	_, err := os.Stat(path)
	missing := errors.Is(err, os.ErrNotExist)
	if missing && !opt.Create {
		return nil, fmt.Errorf("%s: %w; check the path, or give --create to make a new database", path, engine.ErrNotFound)
	}
	return &Place{Label: path, Identity: identity(path), Engine: e, is: &database{at: path, unmade: missing, list: e.(engine.Embedded).Files(path)}}, nil
}
