// Package place finds out what the user meant by a place and reads it.
package place

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"dappermirror/internal/core/capture"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
)

// Place is where a structure is read from or written to.
type Place struct {
	// Label names the place for people and files, without secrets.
	Label string
	// Identity is the same for two ways of writing one place.
	Identity string
	// Engine is nil until a capture was read.
	Engine  engine.Engine
	Address string // what the engine opens; empty for captures
	// PasswordShown says that the user wrote a password where others can read it.
	PasswordShown bool
	// Server identifies the database on its server, whatever address leads
	// there; known once it was read.
	Server   string
	missing  bool      // a file that is to be created
	streamed bool      // can be read once only
	empty    bool      // it was read, and nothing at all was in it
	capture  string    // file with a capture, or "-"
	pipe     string    // what "-" stands for, where it is not standard input
	stdin    io.Reader // for "-"
	dialect  string
	texts    []string // .sql files; "-" for standard input
}

// Options say how to resolve and read a place.
type Options struct {
	Stdin    io.Reader
	Names    map[string]string // places named in the project file
	Create   bool              // a file that is not there may be created
	LockWait time.Duration
	Lazy     bool   // objects may be left unread
	Script   bool   // a script will be written of what is read lazily
	Dialect  string // which SQL a text is in; "" lets the text tell
}

var scheme = regexp.MustCompile(`^([a-z][a-z0-9+.-]*):`)

// Resolve finds out what is meant by text: a URL, `sqlite:FILE`, a file
// recognised by its contents, `-`, or a name from the project file.
func Resolve(text string, opt Options) (*Place, error) {
	if named, ok := opt.Names[text]; ok {
		p, err := Resolve(named, Options{Stdin: opt.Stdin, Create: opt.Create})
		if err != nil {
			return nil, fmt.Errorf("place %s: %w", text, err)
		}
		p.PasswordShown = false
		return p, nil
	}
	if text == "" {
		return nil, fmt.Errorf("a place is empty; give a file or a URL (see `dapper-mirror help places`)")
	}
	if text == "-" {
		return &Place{Label: "standard input", Identity: "-", capture: "-", stdin: opt.Stdin, dialect: opt.Dialect, streamed: true}, nil
	}
	if m := scheme.FindStringSubmatch(text); m != nil {
		if e := engine.ForScheme(m[1]); e != nil {
			if _, ok := e.(engine.Embedded); ok {
				return databaseFile(e, strings.TrimPrefix(text, m[1]+":"), opt)
			}
			return server(e, text)
		}
		if m[1] == "git" {
			return nil, fmt.Errorf("%s: places of this kind cannot be read yet", m[1])
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
	return &Place{Label: label, Identity: ident, Engine: e, Address: text, PasswordShown: shown || u.Query().Has("password")}, nil
}

// parseURL reads a URL that may name several hosts, "a:1,b:2", as servers
// with standbys have them; net/url knows one port only.
func parseURL(text string) (*url.URL, error) {
	head, rest, ok := strings.Cut(text, "://")
	end := strings.IndexAny(rest, "/?#")
	if end < 0 {
		end = len(rest)
	}
	hosts := rest[strings.LastIndex(rest[:end], "@")+1 : end]
	if !ok || !strings.Contains(hosts, ",") {
		return url.Parse(text)
	}
	u, err := url.Parse(head + "://" + rest[:end-len(hosts)] + "several" + rest[end:])
	if err == nil {
		u.Host = hosts
	}
	return u, err
}

// Secrets are the runs of a text, as byte offsets, that are passwords of a URL
// in it.
func Secrets(text string) [][2]int {
	var out [][2]int
	at := strings.Index(text, "://")
	if at < 0 {
		return nil
	}
	at += len("://")
	end := len(text)
	if i := strings.IndexAny(text[at:], "/?#"); i >= 0 {
		end = at + i
	}
	// A password with an @ or / in it that was not escaped is one all the same.
	if i := strings.LastIndex(text[at:], "@"); i >= 0 && at+i > end && strings.Contains(text[at:end], ":") && !strings.Contains(text[at:end], "@") {
		end = at + i
	}
	if i := strings.LastIndex(text[at:min(end+1, len(text))], "@"); i >= 0 {
		if c := strings.Index(text[at:at+i], ":"); c >= 0 {
			out = append(out, [2]int{at + c + 1, at + i})
		}
	}
	for _, key := range []string{"password=", "sslpassword="} {
		for from := end; ; {
			i := strings.Index(text[from:], key)
			if i < 0 {
				break
			}
			from += i + len(key)
			stop := len(text)
			if j := strings.IndexAny(text[from:], "&#"); j >= 0 {
				stop = from + j
			}
			out = append(out, [2]int{from, stop})
		}
	}
	return out
}

// redact takes the password out of a URL.
func redact(text string) string {
	u, err := parseURL(text)
	if err != nil {
		return "(a URL that cannot be read)"
	}
	if u.User != nil {
		u.User = url.User(u.User.Username())
	}
	q := u.Query()
	for _, k := range []string{"password", "sslpassword"} {
		q.Del(k)
	}
	u.RawQuery = strings.ReplaceAll(q.Encode(), "%2F", "/")
	return u.String()
}

// databaseFile is a file that is a database of an engine, or is to be one.
func databaseFile(e engine.Engine, path string, opt Options) (*Place, error) {
	_, err := os.Stat(path)
	missing := errors.Is(err, os.ErrNotExist)
	if missing && !opt.Create {
		return nil, fmt.Errorf("%s: %w; check the path, or give --create to make a new database", path, engine.ErrNotFound)
	}
	return &Place{Label: path, Identity: identity(path), Engine: e, Address: path, missing: missing}, nil
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

// file recognises a file by its contents.
func file(path string, opt Options) (*Place, error) {
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
		return folder(path, opt)
	case !st.Mode().IsRegular(): // a pipe, as of the shell's <(command)
		return &Place{Label: path, Identity: path, capture: "-", pipe: path, dialect: opt.Dialect, streamed: true}, nil
	case strings.EqualFold(filepath.Ext(path), ".sql"):
		return text(path, []string{path}, opt)
	}
	return recognise(path, opt)
}

// recognise tells databases and captures by how they begin, empty files by
// their names.
func recognise(path string, opt Options) (*Place, error) {
	var titles []string
	for _, e := range embedded() {
		db := e.(engine.Embedded)
		head, err := db.Head(path, 512)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read: %w", path, err)
		}
		switch {
		case db.Recognise(head), len(head) == 0 && slices.Contains(db.Endings(), strings.ToLower(filepath.Ext(path))):
			return databaseFile(e, path, opt)
		case bytes.HasPrefix(bytes.TrimLeft(head, " \t\r\n\ufeff"), []byte("{")):
			return &Place{Label: path, Identity: identity(path), capture: path}, nil
		}
		titles = append(titles, e.Title())
		if len(head) == 0 {
			return nil, fmt.Errorf("%s is empty; write %s:%s if it is meant as an empty %s database", path, e.Schemes()[0], path, e.Title())
		}
	}
	return nil, fmt.Errorf("%s: neither a %s database, a capture nor a .sql file (or it is encrypted or damaged); see `dapper-mirror help places`", path, strings.Join(titles, " or "))
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
			return &Place{Label: label, Identity: identity(label), Engine: e, texts: files, stdin: opt.Stdin}, nil
		}
	}
	return nil, fmt.Errorf("%s: texts in the dialect %q cannot be read; load them into a database and name that", label, opt.Dialect)
}

// readTexts reads the place's SQL texts.
func (p *Place) readTexts(ctx context.Context) (*catalog.Catalog, error) {
	var files []engine.TextFile
	for _, name := range p.texts {
		if name == "-" {
			files = append(files, engine.TextFile{Name: "standard input", Reader: p.stdin})
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
	if err != nil {
		return nil, err
	}
	c.Place = p.Label
	return c, nil
}

// Files are the files the place is made of; none for a server.
func (p *Place) Files() []string {
	switch {
	case p.texts != nil:
		return p.texts
	case p.capture != "":
		return []string{p.capture}
	case p.Engine != nil:
		if db, ok := p.Engine.(engine.Embedded); ok {
			return db.Files(p.Address)
		}
	}
	return nil
}

// Writable tells whether a script can be run on the place.
func (p *Place) Writable() bool { return p.Address != "" }

// Streamed tells whether the place can be read only once.
func (p *Place) Streamed() bool { return p.streamed }

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

// Missing tells whether the place is still to be created.
func (p *Place) Missing() bool { return p.missing }

// Open connects to the place, which must be a database.
func (p *Place) Open(ctx context.Context, opt engine.OpenOptions) (engine.Database, error) {
	db, err := p.Engine.Open(ctx, p.Address, opt)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", p.Label, err)
	}
	return db, nil
}

// Read reads the structure of the place.
func (p *Place) Read(ctx context.Context, opt Options) (*catalog.Catalog, error) {
	if p.missing {
		c := p.Engine.Blank()
		c.Place = p.Label
		return c, nil
	}
	if p.pipe != "" {
		f, err := os.Open(p.pipe)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read: %w", p.Label, err)
		}
		defer f.Close()
		p.stdin = f
	}
	if p.capture == "-" {
		if err := p.sniff(); err != nil {
			return nil, err
		}
	}
	if p.capture != "" {
		return p.readCapture()
	}
	if p.texts != nil {
		c, err := p.readTexts(ctx)
		p.empty = err == nil && len(c.Objects) == 0
		return c, err
	}
	if _, ok := p.Engine.(engine.Embedded); ok {
		st, err := os.Stat(p.Address)
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
	c.Place = p.Label
	return c, nil
}

// sniff finds out whether standard input brings a capture or SQL.
func (p *Place) sniff() error {
	in := bufio.NewReader(p.stdin)
	p.stdin = in
	head, err := in.Peek(512)
	if err != nil && !errors.Is(err, io.EOF) {
		return fmt.Errorf("standard input cannot be read: %w", err)
	}
	if bytes.HasPrefix(bytes.TrimLeft(head, " \t\r\n\ufeff"), []byte("{")) {
		return nil
	}
	t, err := text(p.Label, []string{"-"}, Options{Stdin: in, Dialect: p.dialect})
	if err != nil {
		return err
	}
	p.capture, p.texts, p.Engine = "", t.texts, t.Engine
	return nil
}

func (p *Place) readCapture() (*catalog.Catalog, error) {
	var r io.Reader = p.stdin
	if p.capture != "-" {
		f, err := os.Open(p.capture)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read: %w", p.Label, err)
		}
		defer f.Close()
		r = f
	}
	c, err := capture.Decode(r)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", p.Label, err)
	}
	if p.Engine, err = engine.Named(c.Engine); err != nil {
		return nil, fmt.Errorf("%s: %w", p.Label, err)
	}
	c.Kinds, c.Spell = p.Engine.Kinds(), p.Engine.Blank().Spell
	if v, ok := p.Engine.(engine.Verifier); ok { // anybody can write such a file
		for _, o := range c.Objects {
			if err := v.Verify(o); err != nil {
				return nil, fmt.Errorf("%s: the capture is refused: %w", p.Label, err)
			}
		}
	}
	c.Place = p.Label
	return c, nil
}
