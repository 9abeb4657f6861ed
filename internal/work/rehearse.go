package work

import (
	"context"
	"errors"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/rehearse"
	"dappermirror/internal/script"
)

// Rehearsal says how to rehearse.
type Rehearsal struct {
	CopyRows int
}

// Rehearse runs a script, and its back-out script where there is one, on a
// scratch copy of the target's structure. desired is what the target is to be
// like, nil where only the script says so.
func (s *Session) Rehearse(ctx context.Context, sc, back *script.Script, eng engine.Engine, target *place.Place, actual, desired *catalog.Catalog, r Rehearsal) (*rehearse.Result, error) {
	where, err := s.scratchFor(ctx, "", eng)
	if err != nil {
		return nil, err
	}
	opt := rehearse.Options{Where: where, Desired: desired, Groups: map[string]bool{}, CopyRows: r.CopyRows}
	for _, g := range sc.Meta.Groups {
		opt.Groups[g] = true
	}
	if r.CopyRows > 0 {
		if !target.Writable() || target.Missing() {
			return nil, Troubled("usage", "--copy-rows: %s is no database, it has no rows", target.Label)
		}
		db, err := target.Open(ctx, engine.OpenOptions{LockWait: s.LockWait})
		if err != nil {
			return nil, Troubled("open", "%w", err)
		}
		defer db.Close()
		opt.From = db
	}
	defer s.busy(Rehearsing)()
	opt.Progress = func(step, of int, title string) {
		if step > 0 {
			s.Tell(RehearsalStep{step, of, title})
		}
	}
	res, err := rehearse.Run(ctx, sc, back, eng, actual, opt)
	if errors.Is(err, engine.ErrNoScratch) {
		return nil, Troubled("scratch", "%w", err)
	}
	if err != nil {
		return nil, Troubled("rehearse", "%w", err)
	}
	return res, nil
}
