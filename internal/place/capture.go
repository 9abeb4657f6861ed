package place

import (
	"bufio"
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
)

// captured is a place that is a capture in a file.
type captured struct{ path string }

// Capture is the place of a capture in a file, which may not be there yet.
func Capture(path string) *Place {
	return &Place{Label: path, Identity: identity(path), is: &captured{path}}
}

func (c *captured) files() []string { return []string{c.path} }

func (c *captured) read(_ context.Context, p *Place, _ Options) (*catalog.Catalog, error) {
	f, err := os.Open(c.path)
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", p.Label, err)
	}
	defer f.Close()
	return decode(p, f)
}

// keep implements keeper.
func (c *captured) keep(structure *catalog.Catalog) error {
	var b bytes.Buffer
	if err := capture.Encode(&b, structure); err != nil {
		return err
	}
	return files.Write(c.path, b.Bytes())
}

// decode reads a capture and finds its engine.
func decode(p *Place, r io.Reader) (*catalog.Catalog, error) {
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
	return c, nil
}

// stream is a capture or a text that comes once, through standard input or a
// pipe: which it is, its beginning tells.
type stream struct {
	pipe    string // its name; "" for standard input
	in      io.Reader
	dialect string
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
	in := bufio.NewReader(s.in)
	head, err := in.Peek(512)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, fmt.Errorf("standard input cannot be read: %w", err)
	}
	if bytes.HasPrefix(bytes.TrimLeft(head, " \t\r\n\ufeff"), []byte("{")) {
		return decode(p, in)
	}
	t, err := text(p.Label, []string{"-"}, Options{Stdin: in, Dialect: s.dialect})
	if err != nil {
		return nil, err
	}
	p.Engine = t.Engine
	return t.is.read(ctx, p, opt)
}
