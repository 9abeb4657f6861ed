package work

import (
	"context"
	"errors"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/impact"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
)

// Read reads a whole place.
func (s *Session) Read(ctx context.Context, p *place.Place) (*catalog.Catalog, error) {
	s.Tell(Reading{p})
	c, err := s.structure(ctx, p, place.Options{})
	var known *Failure
	if errors.As(err, &known) {
		return nil, err
	}
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
