package work

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/scope"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
)

// Comparing says what is compared, and how much of it is read.
type Comparing struct {
	Options compare.Options
	Extent  Extent
	// EmptySource says that the source is meant to be empty.
	EmptySource bool
	// Create says that the target may not be there yet.
	Create bool
	// Wishes are what is to become of the differences; nil for all to the target.
	Wishes *choose.Wishes
	// AddNeeded takes along what a chosen thing needs and was not chosen, and what
	// it would break.
	AddNeeded bool
	// Remake drops what it matches and makes it anew.
	Remake []scope.Pattern
	// Names says which things of the two sides are one under two names.
	Names []match.Saying
	// Several are the other targets' patterns, where there are several: what matches
	// nothing here may match something there.
	Several *Patterns
	given   []match.Given // the same, found already
	again   bool          // it is compared again, so nothing is said twice
	shares  bool          // what is the same on both sides is one (match.Share)
}

// Patterns are the patterns of a comparison with several targets, by whether any
// of them has something that they match.
type Patterns struct {
	mu      sync.Mutex
	matched map[string]bool
	missed  []string
	why     map[string]error
}

// matches notes whether a pattern matches something, and answers what is wrong where
// nothing else can match it.
func (p *Patterns) matches(pattern string, is bool, wrong func() error) error {
	switch {
	case p == nil && is:
		return nil
	case p == nil:
		return wrong()
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.matched == nil {
		p.matched, p.why = map[string]bool{}, map[string]error{}
	}
	if is {
		p.matched[pattern] = true
	} else if p.why[pattern] == nil {
		p.missed, p.why[pattern] = append(p.missed, pattern), wrong()
	}
	return nil
}

// Missed is what is wrong with a pattern that matched nothing in any target.
func (p *Patterns) Missed() error {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, m := range p.missed {
		if !p.matched[m] {
			return p.why[m]
		}
	}
	return nil
}

// Extent is how much of the two sides is read.
type Extent int

// The extents.
const (
	ToCompare Extent = iota // what is not proved equal unread
	ToScript                // and what a script can come upon
	Whole
)

// Pair is two places and what comparing them found.
type Pair struct {
	Source, Target *place.Place
	*compare.Comparison
	// Choices are what becomes of the differences.
	Choices *choose.Settled
	// Given are the things that are one under two names, as was said.
	Given  []match.Given
	values map[catalog.Ref][]string // of types, that get other names
	// Blockers are sessions at work on the target's tables, known once a
	// script was planned.
	Blockers  []string
	took      [2]time.Duration
	read      [2]*catalog.Catalog // as they were read, before names were brought together
	comparing Comparing           // what it was made of
	// again reads both sides anew, and whole; nil where that was done.
	again func(context.Context) (*Pair, error)
}

// Compare reads two places at once and compares them.
func (s *Session) Compare(ctx context.Context, source, target string, c Comparing) (*Pair, error) {
	p := &Pair{}
	if len(c.Names)+len(c.given)+len(c.Remake) > 0 {
		c.Extent = Whole // texts are read for the names in them
	}
	if c.Extent != Whole && c.Options.Scope.Empty() {
		p.again = func(ctx context.Context) (*Pair, error) {
			c.Extent, c.again = Whole, true
			return s.Compare(ctx, source, target, c)
		}
	}
	var err error
	if p.Source, err = s.Place(source, false); err != nil {
		return nil, err
	}
	if p.Target, err = s.Place(target, c.Create); err != nil {
		return nil, err
	}
	if err := p.refuseSame(); err != nil {
		return nil, err
	}
	if s.was(p.Source.Identity).place == nil {
		place.Agree(p.Source, p.Target)
	}
	cats, err := s.readBoth(ctx, p, c)
	if err != nil {
		return nil, err
	}
	for i, pl := range []*place.Place{p.Source, p.Target} {
		if pl.Streamed() {
			s.keep(pl, cats[i])
		}
	}
	if p.Source.Empty() && !c.EmptySource && len(cats[1].Objects) > 0 {
		return nil, Refused("empty-source", "there is nothing in the source, %s, so everything in the target would go; give --empty-source if that is meant", p.Source.Label)
	}
	folds := p.folds(cats)
	if folds && c.Extent != Whole {
		c.Extent = Whole
		return s.Compare(ctx, source, target, c)
	}
	p.read = cats
	s.Tell(BothRead{cats, p.took})
	if cats[0].Engine != cats[1].Engine {
		return nil, Troubled("engines", "the source is %s and the target %s; only databases of one engine can be compared", engine.Title(cats[0].Engine), engine.Title(cats[1].Engine))
	}
	if cats, err = s.unify(p, cats, c, folds); err != nil {
		return nil, Troubled("names", "%w", err)
	}
	if err := matchesSomething(c.Options.Scope, c.Several, cats[0], cats[1]); err != nil {
		return nil, err
	}
	for _, t := range c.Options.Tolerate {
		if !c.again && !slices.ContainsFunc(cats[1].Kinds.Tolerable(), func(c catalog.Cover) bool { return c.Tolerance == t.Name }) {
			s.Tell(CoversNothing{t.Name, cats[1].Engine})
		}
		if t.On == nil {
			continue
		}
		if err := knownKinds("--tolerate", []scope.Pattern{*t.On}, cats[0], cats[1]); err != nil {
			return nil, err
		}
	}
	if c.shares {
		cats[0] = match.Share(cats[0], cats[1])
	}
	p.Comparison = compare.Compare(cats[0], cats[1], p.known(c.Options, cats[0]))
	p.comparing = c
	s.tellNotAsked(p)
	return p, s.chosen(p, c)
}

// known are the options with their patterns by what things are known by, where
// the source calls them otherwise.
func (p *Pair) known(opt compare.Options, source *catalog.Catalog) compare.Options {
	if len(p.Given) == 0 {
		return opt
	}
	opt.Scope.Only, opt.Scope.Except = scope.Known(opt.Scope.Only, source), scope.Known(opt.Scope.Except, source)
	var tolerate []judge.Tolerate
	for _, t := range opt.Tolerate {
		list := []*scope.Pattern{t.On}
		if t.On != nil {
			for _, on := range scope.Known([]scope.Pattern{*t.On}, source)[1:] {
				list = append(list, &on)
			}
		}
		for _, on := range list {
			tolerate = append(tolerate, judge.Tolerate{Name: t.Name, On: on})
		}
	}
	opt.Tolerate = tolerate
	return opt
}

// folds tells whether things may be one though their names are written in other
// letters.
func (p *Pair) folds(cats [2]*catalog.Catalog) bool {
	unifier, ok := p.Target.Engine.(engine.Unifier)
	return ok && cats[0].Engine == cats[1].Engine && unifier.Folds(cats[0], cats[1])
}

// unify is the source in the target's terms, where some things have two names,
// and the target with the names in its texts marked.
func (s *Session) unify(p *Pair, cats [2]*catalog.Catalog, c Comparing, folds bool) ([2]*catalog.Catalog, error) {
	source, target := cats[0], cats[1]
	found, err := match.Resolve(c.Names, source, target, !slices.ContainsFunc(target.Objects, func(o *catalog.Object) bool { return o.Space == "relation" }))
	if err != nil {
		return cats, err
	}
	for _, d := range found.Done {
		s.Tell(RenamedBefore{d.Text})
	}
	found.Given = append(found.Given, c.given...)
	p.Given, p.values = found.Given, found.Values
	namer, marks := p.Target.Engine.(engine.Namer)
	switch {
	case len(found.Given)+len(found.Values) == 0 && !folds:
		return cats, nil
	case !marks:
		return cats, fmt.Errorf("%s cannot take names for each other", p.Target.Engine.Title())
	case len(found.Given)+len(found.Values) > 0:
		target = namer.Mark(target)
		cats[1] = target
	}
	if len(found.News)+len(found.NewParts) > 0 {
		target = match.Copy(target)
		for _, o := range found.News {
			target.Add(o)
		}
		target.Sort()
		for ref, parts := range found.NewParts {
			for _, p := range parts {
				target.Find(ref).Add(p)
			}
		}
	}
	if folds {
		cats[0], err = p.Target.Engine.(engine.Unifier).Unify(source, target, found.Given)
	} else {
		cats[0], err = match.Unify(namer.Mark(source), target, found.Given)
	}
	for ref, values := range found.Values {
		if o := cats[0].Find(ref); o != nil {
			o.Carry(catalog.Revalued, catalog.List(values...))
		}
	}
	return cats, err
}

// tellNotAsked speaks of what differs without counting, where its kind wants it.
func (s *Session) tellNotAsked(p *Pair) {
	for _, k := range p.Target.Engine.Kinds().List {
		if !k.Told {
			continue
		}
		for _, c := range []*catalog.Catalog{p.Comparison.Source, p.Comparison.Target} {
			for _, o := range c.Objects {
				if o.Kind != k.Kind || o.Group == "" || p.Options.Groups[o.Group] {
					continue
				}
				groups := map[string]bool{o.Group: true}
				a, b := p.Comparison.Source.Find(o.Ref()), p.Comparison.Target.Find(o.Ref())
				if a == nil || b == nil || judge.Fingerprint(a, groups) != judge.Fingerprint(b, groups) {
					s.Tell(NotAsked{o.Ref(), o.Group})
					return
				}
			}
		}
	}
}

// refuseSame refuses two ways to one place. Servers tell only when they were read.
func (p *Pair) refuseSame() error {
	if p.Source.Same(p.Target) {
		return Troubled("same-place", "source and target are the same place: %s", p.Source.Label)
	}
	return nil
}

// readBoth reads both places at once, as far as is wanted.
func (s *Session) readBoth(ctx context.Context, p *Pair, c Comparing) (cats [2]*catalog.Catalog, err error) {
	for _, pl := range []*place.Place{p.Source, p.Target} {
		s.Tell(Reading{pl})
	}
	defer s.busy(ReadingBoth)()
	g, gctx := errgroup.WithContext(ctx)
	places := []*place.Place{p.Source, p.Target}
	var read [2]chan struct{} // closed when a side is read
	for i := range places {
		read[i] = make(chan struct{})
	}
	for i, pl := range places {
		g.Go(func() error {
			opt := place.Options{Lazy: c.Extent != Whole && c.Options.Scope.Empty(), Script: c.Extent == ToScript}
			if pl.Runs() && !places[1-i].Runs() { // what a text leaves to its server is as on the other side
				select {
				case <-read[1-i]:
					opt.Like = cats[1-i]
				case <-gctx.Done():
					return gctx.Err()
				}
			}
			start := time.Now()
			var err error
			if cats[i] = s.was(pl.Identity).structure; cats[i] == nil {
				cats[i], err = s.structure(gctx, pl, opt)
			}
			p.took[i] = time.Since(start)
			if err == nil {
				close(read[i])
			}
			return err
		})
	}
	if err = g.Wait(); err == nil {
		err = p.refuseSame()
	}
	if err == nil && cats[0].Engine == cats[1].Engine {
		settle := compare.Settle
		if c.Extent == ToScript {
			settle = func(ctx context.Context, source, target *catalog.Catalog) error {
				return compare.SettleForScript(ctx, source, target, c.Options)
			}
		}
		if err = settle(ctx, cats[0], cats[1]); err != nil {
			err = fmt.Errorf("reading the texts that differ: %w", err)
		}
	} else {
		for _, c := range cats {
			if c != nil && c.Release != nil {
				c.Release()
			}
		}
	}
	var known *Failure
	if err != nil && !errors.As(err, &known) {
		err = Troubled("reading", "%w", err)
	}
	return cats, err
}

// matchesSomething refuses patterns that name a kind the engine does not have,
// or a thing that neither side has: they are misspelled.
func matchesSomething(s scope.Scope, others *Patterns, cats ...*catalog.Catalog) error {
	for _, o := range []struct {
		option string
		ps     []scope.Pattern
	}{{"--only", s.Only}, {"--except", s.Except}} {
		if err := knownKinds(o.option, o.ps, cats...); err != nil {
			return err
		}
		for _, p := range o.ps {
			if o.option != "--only" || p.Wide() {
				continue
			}
			if err := others.matches(o.option+" "+p.String(), patternMatches(p, cats...), func() error {
				return Troubled("no-match", "%s %s matches nothing in the source or the target; see `dapper-mirror help patterns`", o.option, p)
			}); err != nil {
				return err
			}
		}
	}
	return nil
}

// knownKinds refuses patterns of kinds that the engine does not have.
func knownKinds(option string, ps []scope.Pattern, cats ...*catalog.Catalog) error {
	if len(ps) == 0 {
		return nil
	}
	known := map[string]bool{}
	for _, c := range cats {
		if c.Kinds != nil {
			for _, k := range c.Kinds.List {
				known[string(k.Kind)] = true
			}
		}
		for _, o := range c.Objects {
			known[string(o.Kind)] = true
			for _, p := range o.Parts {
				known[string(p.Kind)] = true
			}
		}
	}
	for _, p := range ps {
		if k := p.Kind(); k != "" && !known[k] {
			return Troubled("kind", "%s %s: there is no kind %q%s; `dapper-mirror help kinds` lists them", option, p, k, words.Suggest(k, slices.Collect(maps.Keys(known))))
		}
	}
	return nil
}

func patternMatches(p scope.Pattern, cats ...*catalog.Catalog) bool {
	for _, c := range cats {
		for _, o := range c.Objects {
			if p.Match(o.Ref(), c.FoldName) || p.Match(o.Own(), c.FoldName) {
				return true
			}
			for _, part := range o.Parts {
				own := o.Own()
				own.PartKind, own.Part = part.Kind, part.Own().Name
				if p.Match(o.PartRef(part), c.FoldName) || p.Match(own, c.FoldName) {
					return true
				}
			}
		}
	}
	return false
}
