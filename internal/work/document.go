package work

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/report/document"
)

// sizePatience is how long a server may look how large its tables are.
const sizePatience = 10 * time.Second

// Documented reads what a document is made of. since is an earlier structure, nil for
// none; note is what could not be found out, "" for nothing.
func (s *Session) Documented(ctx context.Context, p, since *place.Place) (src *document.Source, note string, err error) {
	if since != nil {
		place.Agree(p, since)
	}
	c, err := s.Read(ctx, p)
	if err != nil {
		return nil, "", err
	}
	eng, err := engine.Named(c.Engine)
	if err != nil {
		return nil, "", Troubled("engine", "%w", err)
	}
	mark := func(c *catalog.Catalog) *catalog.Catalog {
		if n, ok := eng.(engine.Namer); ok {
			return n.Mark(c)
		}
		return c
	}
	src = &document.Source{Title: p.Label, Catalog: mark(c), Define: eng.Definition}
	if since != nil {
		before, err := s.Read(ctx, since)
		if err != nil {
			return nil, "", err
		}
		if before.Engine != c.Engine {
			return nil, "", Troubled("engines", "%s is of %s and %s of %s; changes can be marked within one engine", p.Label, c.Engine, since.Label, before.Engine)
		}
		src.SinceName = since.Label
		src.Since = compare.Compare(src.Catalog, mark(before), compare.Options{Deep: true})
	}
	if p.Writable() {
		src.Sizes, note = s.sizes(ctx, p, c)
	}
	return src, note, nil
}

// sizes asks a database how large its tables are. That it cannot tell is no failure.
func (s *Session) sizes(ctx context.Context, p *place.Place, c *catalog.Catalog) (map[catalog.Ref]document.Size, string) {
	sizer, ok := p.Engine.(engine.Measurer)
	if !ok {
		return nil, ""
	}
	ctx, cancel := context.WithTimeout(ctx, sizePatience)
	defer cancel()
	db, err := p.Open(ctx, engine.OpenOptions{LockWait: s.LockWait})
	if err != nil {
		return nil, "the sizes of tables are not known: " + err.Error()
	}
	defer db.Close()
	rows, ok := db.(engine.RowReader)
	if !ok {
		return nil, ""
	}
	out := map[catalog.Ref]document.Size{}
	query, counted := sizer.SizeQuery()
	err = rows.Lines(ctx, query, func(line string) error {
		var schema, name string
		var n, bytes *float64
		if err := json.Unmarshal([]byte(line), &[]any{&schema, &name, &n, &bytes}); err != nil {
			return fmt.Errorf("the answer %q: %w", line, err)
		}
		size := document.Size{Rows: -1, Bytes: -1, About: !counted}
		if n != nil {
			size.Rows = int64(*n)
		}
		if bytes != nil {
			size.Bytes = int64(*bytes)
		}
		ref := catalog.Ref{Kind: catalog.Table, Schema: schema, Name: c.FoldName(name, false)}
		if c.Find(ref) == nil {
			ref.Name = name
		}
		out[ref] = size
		return nil
	})
	if err != nil {
		return nil, "the sizes of tables are not known: " + err.Error()
	}
	return out, ""
}
