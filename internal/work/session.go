// Package work compares, plans, rehearses and applies, for one target or many.
// It tells what happens as events and says nothing: the command line, and
// whoever else drives it, finds the words.
package work

import (
	"cmp"
	"context"
	"errors"
	"io"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
)

// Session is a piece of work: what it may use, and who hears of it.
type Session struct {
	// Tell is told what happens, by one goroutine at a time.
	Tell func(Event)
	// Places says how places are understood.
	Places place.Options
	// LockWait is how long to wait for a lock somebody else holds, Patience how
	// long for a server that went away at COMMIT.
	LockWait, Patience time.Duration
	// Scratch is where scratch databases are made: engine.LocalScratch or a place;
	// "" where nobody said so.
	Scratch string
	// Output takes what a backup command of the user's prints.
	Output io.Writer

	changing atomic.Int32 // scripts that are at work
	ran      atomic.Bool
	keeping  sync.Mutex
	used     []*place.Place  // that were read
	kept     map[string]kept // places whose structure is not read again, by identity
	whole    *Session        // the one that this is a part of; nil for none
	// resolved are databases that are there, as they were found by a part: it asks again
	// and again for the same one.
	resolved map[string]*place.Place
}

// kept is a place that was read, with what was read.
type kept struct {
	place     *place.Place
	structure *catalog.Catalog
}

func (s *Session) keep(p *place.Place, c *catalog.Catalog) {
	s.keeping.Lock()
	defer s.keeping.Unlock()
	if s.kept == nil {
		s.kept = map[string]kept{}
	}
	s.kept[p.Identity] = kept{p, c}
}

// was is the place as it was read, if it is kept.
func (s *Session) was(identity string) kept {
	s.keeping.Lock()
	k, ok := s.kept[identity]
	s.keeping.Unlock()
	if !ok && s.whole != nil {
		return s.whole.was(identity)
	}
	return k
}

func (s *Session) use(p *place.Place) {
	if s.whole != nil {
		s.whole.use(p)
		return
	}
	s.keeping.Lock()
	defer s.keeping.Unlock()
	if slices.Contains(s.used, p) {
		return
	}
	if len(s.used) == mostUsed {
		s.used = slices.Delete(s.used, 0, 1)
	}
	s.used = append(s.used, p)
}

// mostUsed is how many places are known to have been used.
const mostUsed = 50

// Used are the places that were read, the last ones.
func (s *Session) Used() []*place.Place {
	s.keeping.Lock()
	defer s.keeping.Unlock()
	return slices.Clone(s.used)
}

// Changing tells whether a script is at work on a target now.
func (s *Session) Changing() bool { return s.changing.Load() > 0 }

// change notes that something is changed from now on, until done is called.
func (s *Session) change() (done func()) {
	var once sync.Once
	for x := s; x != nil; x = x.whole {
		x.changing.Add(1)
	}
	return func() {
		once.Do(func() {
			for x := s; x != nil; x = x.whole {
				x.changing.Add(-1)
			}
		})
	}
}

// HasRun tells whether a script ran to its end.
func (s *Session) HasRun() bool { return s.ran.Load() }

// found is a database as a part found it before; nil for none.
func (s *Session) found(text string) *place.Place {
	s.keeping.Lock()
	defer s.keeping.Unlock()
	p, ok := s.resolved[text]
	if !ok {
		return nil
	}
	known := *p
	return &known
}

// Place finds out what a place is; create says that it may not be there yet.
func (s *Session) Place(text string, create bool) (*place.Place, error) {
	if p := s.found(text); p != nil {
		return p, nil
	}
	opt := s.Places
	opt.Create = create
	p, err := place.Resolve(text, opt)
	if err != nil {
		return nil, Troubled("place", "%w", err)
	}
	if s.whole != nil && p.Writable() && !p.Missing() && s.was(p.Identity).place == nil {
		s.keeping.Lock()
		if s.resolved == nil {
			s.resolved = map[string]*place.Place{}
		}
		s.resolved[text] = p
		s.keeping.Unlock()
	}
	if k := s.was(p.Identity); k.place != nil {
		known := *k.place // which a comparison beside this one has too
		return &known, nil
	}
	if p.PasswordShown {
		s.Tell(PasswordShown{})
	}
	return p, nil
}

// structure reads the structure of a place.
func (s *Session) structure(ctx context.Context, p *place.Place, opt place.Options) (*catalog.Catalog, error) {
	opt.LockWait = s.LockWait
	if p.Runs() {
		var err error
		if opt.Scratch, err = s.scratchFor(ctx, p.Scratch(), p.Engine); err != nil {
			return nil, err
		}
	}
	c, err := p.Read(ctx, opt)
	if err == nil {
		s.use(p)
	}
	switch {
	case errors.Is(err, engine.ErrNoScratch):
		return nil, Troubled("scratch", "%w", err)
	case errors.Is(err, place.ErrNobody):
		return nil, Refused("no-answer", "%w", err)
	}
	if err == nil && p.Runs() {
		s.keep(p, c) // it is not run again
	}
	return c, err
}

// scratchFor is where scratch databases of an engine are made:
// engine.LocalScratch or engine.ModelScratch, the address of a server, or "" where nobody said so. own is
// what the place says of itself. An engine that is nil is not known yet.
func (s *Session) scratchFor(ctx context.Context, own string, eng engine.Engine) (string, error) {
	where := cmp.Or(s.Scratch, own)
	if where == "" || where == engine.LocalScratch {
		return where, nil
	}
	if where == engine.ModelScratch {
		_, modelled := eng.(engine.StandIn)
		_, file := eng.(engine.Embedded)
		if eng != nil && !modelled && !file {
			return "", Troubled("usage", "--scratch model: there is no model of %s; give --scratch local (a throw-away server on this machine) or --scratch PLACE (a database beside that place)", eng.Title())
		}
		return where, nil
	}
	p, err := s.Place(where, false)
	if err != nil {
		return "", err
	}
	if !p.Writable() || eng != nil && p.Engine.Name() != eng.Name() {
		title := "database"
		if eng != nil {
			title = eng.Title()
		}
		return "", Troubled("usage", "--scratch %s: it is no %s server", p.Label, title)
	}
	if err := writable(p); err != nil {
		return "", err
	}
	return p.Secured(ctx)
}

func (s *Session) busy(doing Doing) func() {
	s.Tell(Busy{doing})
	return func() { s.Tell(Idle{}) }
}
