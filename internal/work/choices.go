package work

import (
	"context"
	"fmt"
	"strings"

	"dappermirror/internal/choices"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/scope"
	"dappermirror/internal/core/words"
	"dappermirror/internal/script"
)

// chosen makes choices of what was wished.
func (s *Session) chosen(p *Pair, c Comparing) error {
	wishes := c.Wishes
	if wishes == nil {
		wishes = &choose.Wishes{}
	}
	var patterns []scope.Pattern
	for _, w := range wishes.Said {
		patterns = append(patterns, w.On)
	}
	for _, w := range wishes.Said {
		if w.On.Wide() {
			continue
		}
		text := fmt.Sprintf("--%s %s", w.Decision, w.On)
		if err := c.Several.matches(text, patternMatches(w.On, p.Comparison.Source, p.Comparison.Target), func() error {
			return Troubled("no-match", "%s matches nothing in the source or the target; see `dapper-mirror help patterns`", text)
		}); err != nil {
			return err
		}
	}
	if err := knownKinds("a choice", patterns, p.Comparison.Source, p.Comparison.Target); err != nil {
		return err
	}
	p.Choices = wishes.Settle(p.Comparison)
	var err error
	if p.Choices.Remake, err = remade(p.Comparison.Target, c.Remake); err != nil {
		return err
	}
	if c.again {
		return nil // it was said already
	}
	for _, w := range p.Choices.Idle {
		s.Tell(IdleWish{w.On.String()})
	}
	if len(p.Choices.New) > 0 {
		s.Tell(NewDifferences{p.Choices.New, wishes.Default})
	}
	return nil
}

// remade finds what is to be made anew: of the target, what has no rows of its
// own.
func remade(target *catalog.Catalog, patterns []scope.Pattern) ([]catalog.Ref, error) {
	var out []catalog.Ref
	for _, p := range patterns {
		found := false
		for _, o := range target.Objects {
			if p.MatchSelf(o.Ref(), target.FoldName) {
				if o.PartsOf(catalog.Column) != nil && o.Kind != catalog.View || o.Kind == catalog.Schema || o.Kind == catalog.Sequence {
					return nil, Refused("remake", "--remake %s: %s has rows, things or a count that would go with it; only what has none can be made anew", p, o.Ref())
				}
				out, found = append(out, o.Ref()), true
			}
			for _, part := range o.Parts {
				if p.MatchSelf(o.PartRef(part), target.FoldName) {
					if part.Kind == catalog.Column {
						return nil, Refused("remake", "--remake %s: %s has values that would go with it", p, o.PartRef(part))
					}
					out, found = append(out, o.PartRef(part)), true
				}
			}
		}
		if !found {
			return nil, Troubled("no-match", "--remake %s matches nothing in the target; see `dapper-mirror help patterns`", p)
		}
	}
	return out, nil
}

// needed takes along what chosen things need and was not chosen, and what they
// would break, or refuses.
func (s *Session) needed(p *Pair) error {
	missing := p.Choices.Lacking()
	for round := 0; p.comparing.AddNeeded && len(missing) > 0 && round < len(p.Comparison.Items)+1; round++ {
		more, some := p.Choices.Chosen, false
		for _, m := range missing {
			on := m.Needs
			if it := p.Comparison.Find(on); it != nil && it.Status != compare.Differs {
				on = on.Object() // it comes or goes as a whole
				m.Needs = on
			}
			if now, ok := more.Taking(on); ok {
				more, some = now, true
				s.Tell(TakenAlong{m})
			}
		}
		if !some {
			break
		}
		p.Choices.Chosen = more
		missing = p.Choices.Lacking()
	}
	if len(missing) == 0 {
		return nil
	}
	for _, m := range missing[:min(len(missing), 10)] {
		s.Tell(Stuck{m})
	}
	first := missing[0]
	if p.Comparison.Options.Scope.Empty() {
		way := "take it along with --add-needed, or leave " + script.Quoted(first.Thing.String()) + " as well"
		if first.Goes {
			way = "take it along with --add-needed, or --leave " + script.Quoted(first.Thing.String())
		}
		return Refused("needs", "%s chosen cannot come or go without what is left; %s", words.Number(len(missing), "thing", "things"), way)
	}
	return Refused("needs", "%s in scope cannot come or go without what is out of scope; widen the scope, for example with --only %s, or leave it out with --except %s",
		words.Number(len(missing), "thing", "things"), script.Quoted(first.Needs.Object().String()), script.Quoted(first.Thing.String()))
}

// Back is the pair the other way round, for what is to go to the source: from one
// reading, with everything that was said turned as well.
func (s *Session) Back(ctx context.Context, p *Pair, source, target string) (*Pair, error) {
	c := p.comparing
	c.Extent, c.Create, c.again = Whole, false, true
	c.Wishes = p.turned()
	c.Names, c.given = nil, nil
	for _, g := range p.Given {
		if p.Comparison.Target.Resolve(g.Target) != nil {
			c.given = append(c.given, match.Given{Source: g.Target, Target: g.Source, Rename: g.Rename})
		}
	}
	return s.Compare(ctx, target, source, c)
}

// ToSource tells whether something was chosen to go to the source.
func (p *Pair) ToSource() bool { return len(p.turned().Filed) > 0 }

// turned are the choices as the source sees them: each difference by its own
// name there.
func (p *Pair) turned() *choose.Wishes {
	w := &choose.Wishes{Default: choose.Leave}
	add := func(r catalog.Ref, ch choose.Choice) {
		if ch.Decision == choose.ToSource {
			w.Filed = append(w.Filed, choose.Wish{On: scope.Exactly(p.ofSource(r)), Decision: choose.ToTarget, Alone: true})
		}
	}
	for _, it := range p.Comparison.Differences() {
		if it.Status != compare.Differs || len(it.Properties) > 0 {
			add(it.Object().Ref(), p.Choices.Of(it))
		}
		if it.Status == compare.Differs {
			for _, part := range it.Changed() {
				add(it.Object().PartRef(part.Object()), p.Choices.OfPart(it, part))
			}
		}
	}
	return w
}

// ofSource is what the source calls a thing.
func (p *Pair) ofSource(r catalog.Ref) catalog.Ref {
	object := r.Object()
	for _, g := range p.Given {
		switch {
		case g.Target == r:
			return g.Source
		case g.Target == object:
			object = g.Source
		case g.Target.Kind == catalog.Schema && g.Target.Name == object.Schema && object == r.Object():
			object.Schema = g.Source.Name
		}
	}
	object.PartKind, object.Part = r.PartKind, r.Part
	return object
}

// ChoicesFile is the comparison as a file of choices: every difference with what
// would happen, what the rows say, and its present choice.
func (s *Session) ChoicesFile(p *Pair, plan *order.Plan) ([]byte, error) {
	f := choices.File{Version: choices.Version, Source: p.Comparison.Source.Place, Target: p.Comparison.Target.Place, Default: p.wishes().Default.String(), Differences: []choices.Difference{}}
	says := map[catalog.Ref][]string{}
	if plan != nil {
		for _, st := range append(append([]*order.Step{}, plan.Steps...), plan.Held...) {
			for _, r := range append(append([]order.Risk{}, st.Risks...), st.Cleared...) {
				if r.Rows != nil {
					on := plan.Before(r.On)
					says[on] = append(says[on], r.Sentence())
				}
			}
		}
	}
	add := func(r catalog.Ref, it *compare.Item, ch choose.Choice) {
		d := choices.Difference{What: r.String(), Status: string(it.Status), Would: would(it), Rows: says[r], Choice: ch.Decision.String()}
		f.Differences = append(f.Differences, d)
	}
	for _, it := range p.Comparison.Differences() {
		ref := it.Object().Ref()
		if it.Status != compare.Differs || len(it.Properties) > 0 {
			add(ref, it, p.Choices.Of(it))
		}
		if it.Status == compare.Differs {
			for _, part := range it.Changed() {
				add(it.Object().PartRef(part.Object()), part, p.Choices.OfPart(it, part))
			}
		}
	}
	return choices.Write(f)
}

func (p *Pair) wishes() *choose.Wishes {
	if p.comparing.Wishes == nil {
		return &choose.Wishes{}
	}
	return p.comparing.Wishes
}

// would is what happens to a difference that goes to the target.
func would(it *compare.Item) string {
	switch it.Status {
	case compare.SourceOnly:
		return "create it"
	case compare.TargetOnly:
		return "drop it"
	}
	var facts []string
	for _, d := range it.Properties {
		facts = append(facts, d.Name)
	}
	return "change " + strings.Join(facts, ", ")
}
