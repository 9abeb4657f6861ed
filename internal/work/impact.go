package work

import (
	"context"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/impact"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
)

// Read reads a whole place.
func (s *Session) Read(ctx context.Context, p *place.Place) (*catalog.Catalog, error) {
	s.Tell(Reading{p})
	c, err := p.Read(ctx, place.Options{LockWait: s.LockWait})
	if err != nil {
		return nil, Troubled("reading", "%w", err)
	}
	return c, nil
}

// Impact follows the needs from a thing of a structure, both ways.
func (s *Session) Impact(c *catalog.Catalog, thing catalog.Ref, change impact.Change) (*impact.Report, error) {
	eng, err := engine.Named(c.Engine)
	if err != nil {
		return nil, Troubled("engine", "%w", err)
	}
	return impact.Of(c, thing, change, eng.Writer(engine.WriteOptions{})), nil
}
