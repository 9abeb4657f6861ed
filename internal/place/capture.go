package place

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"

	"dappermirror/internal/core/capture"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
	"dappermirror/internal/files"
	"dappermirror/internal/place/unpack"
)

// captured is a place that is a capture in a file.
type captured struct {
	from source
	disk bool // it is a file of this machine
}

// Capture is the place of a capture in a file, which may not be there yet.
func Capture(path string) *Place {
	return &Place{Label: path, Identity: identity(path), is: &captured{onDisk(path), true}}
}

func (c *captured) files() []string {
	if !c.disk {
		return nil
	}
	return []string{c.from.name}
}

func (c *captured) read(ctx context.Context, p *Place, _ Options) (*catalog.Catalog, error) {
	r, err := c.from.unpacked(ctx)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return decode(p, r)
}

// keep implements keeper.
func (c *captured) keep(structure *catalog.Catalog) error {
	var b bytes.Buffer
	if err := capture.Encode(&b, structure); err != nil {
		return err
	}
	if !c.disk {
		return fmt.Errorf("%s: a structure cannot be kept there; name a file", c.from.name)
	}
	return files.Write(c.from.name, b.Bytes())
}

// mostOfCapture is how many bytes a capture may have: a few that are packed may
// be very many.
const mostOfCapture = 2 << 30

// bounded fails where more is read than is wanted.
type bounded struct {
	r    io.Reader
	left int64
}

func (b *bounded) Read(p []byte) (int, error) {
	if b.left <= 0 {
		return 0, fmt.Errorf("it has more than %d GB", mostOfCapture>>30)
	}
	n, err := b.r.Read(p[:min(int64(len(p)), b.left)])
	b.left -= int64(n)
	return n, err
}

// decode reads a capture and finds its engine.
func decode(p *Place, r io.Reader) (*catalog.Catalog, error) {
	c, err := capture.Decode(&bounded{r, mostOfCapture})
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
	return c, nil
}

// stream is a capture or a text that comes once, through standard input or a
// pipe: which it is, its beginning tells.
type stream struct {
	pipe    string // its name; "" for standard input
	in      io.Reader
	dialect string
	// database is the one of several that is meant.
	database string
	beside   engine.Engine // that of the place it is compared with, where it has one
}

func (s *stream) streamed()       {}
func (s *stream) files() []string { return nil }

func (s *stream) read(ctx context.Context, p *Place, opt Options) (*catalog.Catalog, error) {
	if s.pipe != "" {
		f, err := os.Open(s.pipe)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read: %w", p.Label, err)
		}
		defer f.Close()
		s.in = f
	}
	in, err := unpack.New(ctx, io.NopCloser(s.in))
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", p.Label, err)
	}
	defer in.Close()
	head, err := in.Peek(512)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, fmt.Errorf("%s cannot be read: %w", p.Label, err)
	}
	if isJSON(head) {
		return decode(p, in)
	}
	// What is read to find out which SQL it is comes first when it is read.
	begins, err := in.Peek(1 << 15)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, fmt.Errorf("%s cannot be read: %w", p.Label, err)
	}
	again := source{p.Label, func(context.Context) (io.ReadCloser, error) { return io.NopCloser(in), nil }}
	t := &sqlTexts{list: []source{again}, database: s.database}
	q := &Place{Label: p.Label}
	if s.dialect != "" {
		if q, err = text(ctx, p.Label, t, nil, Options{Dialect: s.dialect}); err != nil {
			return nil, err
		}
	} else {
		q.Engine, t.doubt, t.guessed = spoken(string(begins))
		if t.doubt && s.beside != nil {
			q.Engine, t.guessed = s.beside, false
		}
	}
	p.Engine = q.Engine
	c, err := t.read(ctx, p, opt)
	return c, err
}
