// Package work compares, plans, rehearses and applies, for one target or many.
// It tells what happens as events and says nothing: the command line, and
// whoever else drives it, finds the words.
package work

import (
	"io"
	"sync/atomic"
	"time"

	"dappermirror/internal/core/catalog"
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
	// Output takes what a backup command of the user's prints.
	Output io.Writer

	changing atomic.Bool
	ran      bool
	kept     map[string]kept // places whose structure is not read again, by identity
}

// kept is a place that was read, with what was read.
type kept struct {
	place     *place.Place
	structure *catalog.Catalog
}

func (s *Session) keep(p *place.Place, c *catalog.Catalog) {
	if s.kept == nil {
		s.kept = map[string]kept{}
	}
	s.kept[p.Identity] = kept{p, c}
}

// Changing tells whether a script is at work on a target now.
func (s *Session) Changing() bool { return s.changing.Load() }

// HasRun tells whether a script ran to its end.
func (s *Session) HasRun() bool { return s.ran }

// Place finds out what a place is; create says that it may not be there yet.
func (s *Session) Place(text string, create bool) (*place.Place, error) {
	opt := s.Places
	opt.Create = create
	p, err := place.Resolve(text, opt)
	if err != nil {
		return nil, Troubled("place", "%w", err)
	}
	if k, ok := s.kept[p.Identity]; ok {
		return k.place, nil
	}
	if p.PasswordShown {
		s.Tell(PasswordShown{})
	}
	return p, nil
}

func (s *Session) busy(doing Doing) func() {
	s.Tell(Busy{doing})
	return func() { s.Tell(Idle{}) }
}
