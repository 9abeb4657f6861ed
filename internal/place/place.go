// Package place finds out what the user meant by a place and reads it.
package place

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
	"dappermirror/internal/history"
	"dappermirror/internal/place/layout"
	"dappermirror/internal/place/unpack"
)

// Place is where a structure is read from, or kept. What it is made of says what
// can be done with it.
type Place struct {
	// Label names the place for people and files, without secrets.
	Label string
	// Identity is the same for two ways of writing one place.
	Identity string
	// Engine is nil until a capture was read.
	Engine engine.Engine
	// Name is what a settings file calls it; "" where none does.
	Name string
	// ReadOnly is the settings file and line that say that no command may write to
	// it; "" where none does.
	ReadOnly string
	// PasswordShown says that the user wrote a password where others can read it.
	PasswordShown bool
	// Server identifies the database on its server, whatever address leads
	// there; known once it was read.
	Server string

	is    reader
	empty bool // it was read, and nothing at all was in it
	// scratch is where its texts are run to be read, where a settings file says so.
	scratch string
}

// reader is what every place can do.
type reader interface {
	read(ctx context.Context, p *Place, opt Options) (*catalog.Catalog, error)
	// files are those it is made of; none for a server.
	files() []string
}

// opener is a place that is a database: it can be opened, and changed.
type opener interface {
	address() string
	// secured is the address with its password, which may have to be fetched.
	secured(ctx context.Context) (string, error)
	// missing tells whether it is still to be made.
	missing() bool
}

// keeper is a place that a structure can be written back to.
type keeper interface {
	keep(c *catalog.Catalog) error
}

// once is a place that can be read only once.
type once interface{ streamed() }

// Options say how to resolve and read a place.
type Options struct {
	Stdin io.Reader
	Names map[string]Named // places named in the project file
	// Ask asks a person for a password; nil where nobody is there.
	Ask      func(ctx context.Context, prompt string) (string, error)
	Create   bool // a file that is not there may be created
	LockWait time.Duration
	Lazy     bool   // objects may be left unread
	Script   bool   // a script will be written of what is read lazily
	Dialect  string // which SQL a text is in; "" lets the text tell
	// Scratch is where texts of servers are run to be read: engine.LocalScratch or
	// the address of a server.
	Scratch string
	// Groups are the facts that count though only when asked for, where texts are
	// written.
	Groups map[string]bool
	// Like is the structure that a text is compared with, where it is known.
	Like *catalog.Catalog
}

var scheme = regexp.MustCompile(`^([a-z][a-z0-9+.-]*):`)

// Resolve finds out what is meant by text: a URL, `sqlite:FILE`, a file
// recognised by its contents, `-`, or a name from the project file.
func Resolve(text string, opt Options) (*Place, error) {
	if named, ok := opt.Names[text]; ok {
		return named.resolve(text, opt)
	}
	p, err := resolve(text, opt)
	if err == nil {
		p.protect(opt)
	}
	return p, err
}

// resolve finds out what is meant by the name of a place.
func (n Named) resolve(name string, opt Options) (*Place, error) {
	dialect := n.Dialect
	if opt.Dialect != "" {
		dialect = opt.Dialect
	}
	p, err := resolve(n.At, Options{Stdin: opt.Stdin, Create: opt.Create, Dialect: dialect})
	if err != nil {
		return nil, fmt.Errorf("place %s: %w", name, err)
	}
	p.PasswordShown, p.Name, p.ReadOnly, p.scratch = false, name, n.ReadOnly, n.Scratch
	if n.Password == nil && n.TLS == (TLS{}) {
		return p, nil
	}
	db, ok := p.is.(*database)
	e, secured := p.Engine.(engine.Secured)
	if !ok || !secured {
		return nil, fmt.Errorf("place %s: a password and TLS are for servers, which %s is none", name, p.Label)
	}
	var once sync.Once
	var at string
	db.secure = func(ctx context.Context) (string, error) {
		var err error
		once.Do(func() {
			password := ""
			if n.Password != nil {
				if password, err = n.Password.Get(ctx, "place "+name, opt.Ask); err != nil {
					return
				}
			}
			at, err = e.Secure(db.at, password, n.TLS)
		})
		if err == nil && at == "" {
			err = fmt.Errorf("place %s: its password is not known", name)
		}
		return at, err
	}
	return p, nil
}

// protect marks a place that a settings file calls read-only under another
// name: the mark is on what is there, not on how it is called.
func (p *Place) protect(opt Options) {
	for _, n := range opt.Names {
		if n.ReadOnly == "" {
			continue
		}
		if q, err := resolve(n.At, Options{Dialect: n.Dialect}); err == nil && q.Same(p) {
			p.ReadOnly = n.ReadOnly
		}
	}
}

// past is a capture in the history of a named place: "live@3", "live@friday".
func past(text string, opt Options) (*Place, error) {
	name, word, _ := strings.Cut(text, "@")
	e, err := history.Of(opt.Names[name].Folder, name).Find(word, time.Now())
	if err != nil {
		return nil, err
	}
	label := fmt.Sprintf("%s@%d (%s)", name, e.Number, e.Date.Local().Format("2006-01-02 15:04"))
	store := history.Of(opt.Names[name].Folder, name)
	open := func(context.Context) (io.ReadCloser, error) { return store.Open(e.Number) }
	return &Place{Label: label, Identity: fmt.Sprintf("history:%s:%s@%d", opt.Names[name].Folder, name, e.Number), is: &captured{source{label, open}, false}}, nil
}

func resolve(text string, opt Options) (*Place, error) {
	if name, _, ok := strings.Cut(text, "@"); ok {
		if _, named := opt.Names[name]; named {
			if _, err := os.Lstat(text); err != nil { // else it is a file of that name
				return past(text, opt)
			}
		}
	}
	if text == "" {
		return nil, fmt.Errorf("a place is empty; give a file or a URL (see `dapper-mirror help places`)")
	}
	if text == "-" {
		return &Place{Label: "standard input", Identity: "-", is: &stream{in: opt.Stdin, dialect: opt.Dialect}}, nil
	}
	if m := scheme.FindStringSubmatch(text); m != nil {
		if e := engine.ForScheme(m[1]); e != nil {
			if _, ok := e.(engine.Embedded); ok {
				return databaseFile(e, strings.TrimPrefix(text, m[1]+":"), opt)
			}
			return server(e, text)
		}
		if m[1] == "git" {
			return revision(text, opt)
		}
		if strings.Contains(text, "://") {
			return nil, fmt.Errorf("%q begins with %s:, which is no kind of place; known are %s and files", redact(text), m[1], strings.Join(schemes(), ", "))
		}
	}
	return file(text, opt)
}

// schemes are the beginnings of addresses, as people write them.
func schemes() []string {
	var out []string
	for _, e := range engine.All() {
		after := "://"
		if _, ok := e.(engine.Embedded); ok {
			after = ":"
		}
		for _, s := range e.Schemes() {
			out = append(out, s+after)
		}
	}
	return out
}

// embedded are the engines whose databases are files.
func embedded() []engine.Engine {
	return slices.DeleteFunc(engine.All(), func(e engine.Engine) bool { _, ok := e.(engine.Embedded); return !ok })
}

func identity(path string) string {
	if abs, err := filepath.Abs(path); err == nil {
		path = abs
	}
	if real, err := filepath.EvalSymlinks(path); err == nil {
		path = real
	}
	return path
}

// inside parts the name of a file from that of the database in it that is meant:
// "all.sql#harbour". A file whose own name has the sign is itself.
func inside(path string) (file, database string) {
	i := strings.LastIndexByte(path, '#')
	if _, err := os.Lstat(path); i <= 0 || err == nil {
		return path, ""
	}
	return path[:i], path[i+1:]
}

// file recognises a file by its contents.
func file(label string, opt Options) (*Place, error) {
	path, database := inside(label)
	st, err := os.Stat(path)
	switch {
	case errors.Is(err, os.ErrNotExist):
		if db := embedded(); opt.Create && filepath.Ext(path) != ".json" && len(db) > 0 {
			return databaseFile(db[0], path, opt)
		}
		return nil, fmt.Errorf("%s: %w; check the path, or give --create to make a new database", path, engine.ErrNotFound)
	case err != nil:
		return nil, fmt.Errorf("%s cannot be read: %w", path, err)
	case st.IsDir():
		return folder(label, path, database, opt)
	case !st.Mode().IsRegular(): // a pipe, as of the shell's <(command)
		return &Place{Label: label, Identity: path, is: &stream{pipe: path, dialect: opt.Dialect, database: database}}, nil
	}
	if p, err := recognise(path, opt); p != nil || err != nil {
		return p, err
	}
	return single(label, onDisk(path), true, database, opt)
}

// folder is a folder of texts, or an archive of PostgreSQL's dump program.
func folder(label, path, database string, opt Options) (*Place, error) {
	ctx := context.Background()
	if _, err := os.Stat(filepath.Join(path, unpack.Table)); err == nil {
		return text(ctx, label, &sqlTexts{list: []source{archived(path)}, disk: true, database: database}, nil, opt)
	}
	list, err := inFolder(path)
	if err != nil {
		return nil, err
	}
	index, err := os.ReadFile(filepath.Join(path, layout.Index))
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("%s cannot be read: %w", path, err)
	}
	if len(list) == 0 && index == nil {
		return nil, fmt.Errorf("%s: %w: it is a folder without .sql files", path, engine.ErrNotOurs)
	}
	return text(ctx, label, &sqlTexts{list: list, disk: true, folder: path, database: database}, index, opt)
}

// recognise tells databases by how they begin, empty files by their names; nil
// for what is none.
func recognise(path string, opt Options) (*Place, error) {
	for _, e := range embedded() {
		db := e.(engine.Embedded)
		head, err := db.Head(path, 512)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read: %w", path, err)
		}
		switch {
		case db.Recognise(head), len(head) == 0 && slices.Contains(db.Endings(), strings.ToLower(filepath.Ext(path))):
			return databaseFile(e, path, opt)
		case len(head) == 0 && !isText(path):
			return nil, fmt.Errorf("%s is empty; write %s:%s if it is meant as an empty %s database", path, e.Schemes()[0], path, e.Title())
		}
	}
	return nil, nil
}

// single is a capture or a text in one file, wherever it is kept.
func single(label string, from source, disk bool, database string, opt Options) (*Place, error) {
	ctx := context.Background()
	r, err := from.unpacked(ctx)
	if err != nil {
		return nil, err
	}
	head, err := r.Peek(1 << 12)
	archive := r.Archive
	_ = r.Close() // it was only looked into
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, fmt.Errorf("%s cannot be read: %w", from.name, err)
	}
	if isJSON(head) {
		return &Place{Label: label, Identity: identity(label), is: &captured{from, disk}}, nil
	}
	if _, _, guessed := spoken(string(head)); !isText(from.name) && !archive && guessed {
		var titles []string
		for _, e := range embedded() {
			if e.(engine.Embedded).Recognise(head) {
				return nil, fmt.Errorf("%s is a %s database that is packed, or kept where it cannot be opened; put the file itself on this machine's disk", label, e.Title())
			}
			titles = append(titles, e.Title())
		}
		return nil, fmt.Errorf("%s: neither a %s database, a capture, a dump nor a .sql file (or it is encrypted or damaged); see `dapper-mirror help places`", label, strings.Join(titles, " or "))
	}
	return text(ctx, label, &sqlTexts{list: []source{from}, disk: disk, database: database}, nil, opt)
}

// Read reads the structure of the place.
func (p *Place) Read(ctx context.Context, opt Options) (*catalog.Catalog, error) {
	c, err := p.is.read(ctx, p, opt)
	if err == nil {
		c.Place = p.Label
	}
	return c, err
}

// Files are the files the place is made of; none for a server.
func (p *Place) Files() []string { return p.is.files() }

// Writable tells whether a script can be run on the place.
func (p *Place) Writable() bool { _, ok := p.is.(opener); return ok }

// Address is what the engine opens; empty for what is no database.
func (p *Place) Address() string {
	if db, ok := p.is.(opener); ok {
		return db.address()
	}
	return ""
}

// Secured is the address with what opens it. It is for engines only, and is
// shown to nobody.
func (p *Place) Secured(ctx context.Context) (string, error) {
	if db, ok := p.is.(opener); ok {
		return db.secured(ctx)
	}
	return "", nil
}

// Scratch is where a settings file says that its texts are run to be read.
func (p *Place) Scratch() string { return p.scratch }

// Missing tells whether the place is a database that is still to be made.
func (p *Place) Missing() bool {
	db, ok := p.is.(opener)
	return ok && db.missing()
}

// Open connects to the place, which must be a database.
func (p *Place) Open(ctx context.Context, opt engine.OpenOptions) (engine.Database, error) {
	db, ok := p.is.(opener)
	if !ok {
		return nil, fmt.Errorf("%s: %w: it is no database", p.Label, engine.ErrNotOurs)
	}
	if opt.Write && p.ReadOnly != "" {
		return nil, fmt.Errorf("%s: %w: %s says that no command may write to it", p.Label, engine.ErrReadOnly, p.ReadOnly)
	}
	at, err := db.secured(ctx)
	if err != nil {
		return nil, err
	}
	d, err := p.Engine.Open(ctx, at, opt)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", p.Label, err)
	}
	return d, nil
}

// Keep writes a structure back to the place, over what is there.
func (p *Place) Keep(c *catalog.Catalog) error {
	k, ok := p.is.(keeper)
	if !ok {
		return fmt.Errorf("%s: a structure cannot be kept there; name a file", p.Label)
	}
	return k.keep(c)
}

// Streamed tells whether the place can be read only once.
func (p *Place) Streamed() bool { _, ok := p.is.(once); return ok }

// Runs tells whether the place is a text that is run in a scratch database to be
// read, or may be one.
func (p *Place) Runs() bool {
	switch p.is.(type) {
	case *sqlTexts:
		_, embedded := p.Engine.(engine.Embedded)
		return !embedded
	case *stream:
		return true
	}
	return false
}

// Empty tells whether a text or file that was read held nothing at all, as the
// output of a command that failed does.
func (p *Place) Empty() bool { return p.empty }

// Same tells whether two places are one, whatever way leads there. Servers
// tell only when they were read.
func (p *Place) Same(q *Place) bool {
	if p.Identity == q.Identity || p.Server != "" && p.Server == q.Server {
		return true
	}
	x, errX := os.Stat(p.Identity)
	y, errY := os.Stat(q.Identity)
	return errX == nil && errY == nil && os.SameFile(x, y)
}
