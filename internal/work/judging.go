package work

import (
	"context"
	"errors"
	"fmt"
	"sync"

	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
)

// Judging is a comparison that is judged again and again: both sides are read once, and
// what the rows said is remembered.
type Judging struct {
	s              *Session
	source, target string
	pair           *Pair  // with the names and tolerances of made
	made           string // what the pair was made with

	mu      sync.Mutex // the rows are asked beside what goes on
	answers order.Answers
}

// Draft is what would become of a judgement. Nothing was asked for it.
type Draft struct {
	Pair *Pair
	Plan *order.Plan // nil where there is none
	// Stuck says why there is none: a circle, a fill that is for nothing.
	Stuck error
	// Lacking are things that cannot come or go by what was chosen.
	Lacking []choose.Missing
	// Unasked are questions that the rows were not asked yet.
	Unasked []*order.Question
	Likely  []match.Likely
}

// Judging reads two places whole, and keeps what was read.
func (s *Session) Judging(ctx context.Context, source, target string, c Comparing) (*Judging, error) {
	j := &Judging{s: s, source: source, target: target, answers: order.Answers{}}
	return j, j.Again(ctx, c)
}

// Again reads both places anew. What the rows said is forgotten.
func (j *Judging) Again(ctx context.Context, c Comparing) error {
	c.Extent, c.shares = Whole, true
	for _, at := range []string{j.source, j.target} {
		if p, err := j.s.Place(at, true); err == nil {
			j.s.forget(p)
		}
	}
	p, err := j.s.Compare(ctx, j.source, j.target, c)
	if err != nil {
		return err
	}
	for i, pl := range []*place.Place{p.Source, p.Target} {
		j.s.keep(pl, p.read[i])
	}
	j.mu.Lock()
	defer j.mu.Unlock()
	j.pair, j.made, j.answers = p, madeWith(c), order.Answers{}
	return nil
}

// End forgets what was read.
func (j *Judging) End() {
	for _, p := range []*place.Place{j.pair.Source, j.pair.Target} {
		j.s.forget(p)
	}
}

// madeWith is what of a judgement decides which differences there are.
func madeWith(c Comparing) string { return fmt.Sprintf("%v %v", c.Names, c.Options.Tolerate) }

// Draft orders the steps of a judgement, by what is known.
func (j *Judging) Draft(ctx context.Context, c Comparing, w *Writing) (*Draft, error) {
	c.Extent, c.again, c.shares = Whole, true, true
	if c.Wishes == nil {
		c.Wishes = &choose.Wishes{}
	}
	if made := madeWith(c); made != j.made {
		p, err := j.s.Compare(ctx, j.source, j.target, c)
		if err != nil {
			return nil, err
		}
		j.pair, j.made = p, made
	}
	p := *j.pair
	p.comparing = c
	p.Choices = c.Wishes.Settle(p.Comparison)
	var err error
	if p.Choices.Remake, err = remade(p.Comparison.Target, c.Remake); err != nil {
		return nil, err
	}
	d := &Draft{Pair: &p, Likely: p.Comparison.Likely(match.Least)}
	d.Lacking = p.Choices.Lacking()
	if c.AddNeeded && len(d.Lacking) > 0 {
		if err := j.s.needed(&p); err == nil {
			d.Lacking = nil
		}
	}
	j.mu.Lock()
	defer j.mu.Unlock()
	d.Plan, d.Unasked, d.Stuck = p.draft(w, j.answers)
	return d, nil
}

// draft is the plan of a pair by the answers that are there, and the questions that are
// not answered.
func (p *Pair) draft(w *Writing, answers order.Answers) (*order.Plan, []*order.Question, error) {
	permitted, fill, err := permissions(p, w)
	if err != nil {
		return nil, nil, err
	}
	eng, err := engine.Named(p.Comparison.Target.Engine)
	if err != nil {
		return nil, nil, Troubled("engine", "%w", err)
	}
	writer := eng.Writer(engine.WriteOptions{Fill: fill, AvoidBlocking: w.AvoidBlocking})
	full, err := order.Build(p.Choices.Chosen, writer, func(order.Risk) bool { return true })
	if err != nil {
		full = nil // what is held back may be what is in the way
	}
	var unasked []*order.Question
	if full != nil && w.unasked(p) == "" {
		for _, q := range full.Questions() {
			if answers.To(q) == nil {
				unasked = append(unasked, q)
			}
		}
	}
	plan, err := p.plan(full, writer, answers, permitted)
	if err != nil {
		return nil, unasked, Troubled("order", "%w", err)
	}
	plan.Settle(answers, permitted)
	plan.Hint(p.Comparison.Likely(match.Least))
	return plan, unasked, nil
}

// Ask asks the rows what a draft wants to know of them.
func (j *Judging) Ask(ctx context.Context, d *Draft, w *Writing) error {
	if len(d.Unasked) == 0 {
		return nil
	}
	j.s.Tell(Asking{len(d.Unasked)})
	j.mu.Lock()
	known := j.answers // of this reading: what is asked now says nothing of a later one
	j.mu.Unlock()
	answers, err := j.s.askRows(ctx, d.Pair.Target, d.Unasked, w.RowCheckTime)
	if err != nil {
		return err
	}
	j.mu.Lock()
	defer j.mu.Unlock()
	var wrong error
	for _, q := range d.Unasked {
		an := answers.To(q)
		if an == nil {
			continue
		}
		known.Give(q, *an)
		if q.Tries != "" && an.State == order.Broken {
			wrong = errors.Join(wrong, Troubled("fill", "%s does not work on the rows that are there: %s", q.Tries, an.Text))
		}
	}
	return wrong
}
