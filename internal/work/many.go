package work

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"

	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/place"
	"dappermirror/internal/rehearse"
)

// Target is one of the targets of a piece of work.
type Target struct {
	Name string // what people call it, and what stands for it in names of files
	At   string // what it is found by
}

// Many says how a piece of work goes over several targets.
type Many struct {
	// Parallel is how many are at work at once, 1 at least.
	Parallel int
	// StopOnFailure begins no further target once one has failed.
	StopOnFailure bool
	// Begun and Ended are told as it goes on, by one goroutine at a time.
	Begun func(n int)
	Ended func(n int, err error)
}

// ErrNotBegun says of a target that the work came to its end before.
var ErrNotBegun = errors.New("not begun")

// OfTarget is an event of the work on one of several targets.
type OfTarget struct {
	Target string
	Event  Event
}

// part is a session for one of several pieces of work at once: it knows what the
// whole has read, and keeps its own to itself.
func (s *Session) part(name string, telling *sync.Mutex) *Session {
	return &Session{Tell: func(e Event) {
		telling.Lock()
		defer telling.Unlock()
		s.Tell(OfTarget{name, e})
	}, Places: s.Places, LockWait: s.LockWait, Patience: s.Patience, Scratch: s.Scratch, Output: s.Output, whole: s}
}

// Each does a piece of work for each of several targets, some at once. The source,
// "" for none, is read once before. What goes wrong with one target is its own
// answer; the answer of Each is what stands in the way of all.
func (s *Session) Each(ctx context.Context, source string, targets []Target, m Many, do func(ctx context.Context, s *Session, n int) error) ([]error, error) {
	if source != "" && len(targets) > 1 {
		forget, err := s.readSource(ctx, source, targets)
		if err != nil {
			return nil, err
		}
		defer forget()
	}
	out := make([]error, len(targets))
	for i := range out {
		out[i] = ErrNotBegun
	}
	var telling sync.Mutex
	tell := func(f func()) {
		telling.Lock()
		defer telling.Unlock()
		f()
	}
	var g errgroup.Group
	g.SetLimit(max(m.Parallel, 1))
	var stopped sync.Once
	stop := make(chan struct{})
	seen := &identities{of: map[string]string{}}
	for i, t := range targets {
		g.Go(func() error {
			select {
			case <-ctx.Done():
				return nil
			case <-stop:
				return nil
			default:
			}
			tell(func() { m.Begun(i) })
			part := s.part(t.Name, &telling)
			err := seen.twice(part, t)
			if err == nil {
				err = do(ctx, part, i)
			}
			out[i] = err
			tell(func() { m.Ended(i, err) })
			if err != nil && m.StopOnFailure {
				stopped.Do(func() { close(stop) })
			}
			return nil
		})
	}
	return out, g.Wait()
}

// identities are targets that were begun, by what they are.
type identities struct {
	sync.Mutex
	of map[string]string
}

// twice refuses a target that is one of the others by another name: two pieces of
// work would come upon each other.
func (d *identities) twice(s *Session, t Target) error {
	p, err := s.Place(t.At, true)
	if err != nil {
		return nil // it is said better later
	}
	d.Lock()
	defer d.Unlock()
	if other, ok := d.of[p.Identity]; ok {
		return Troubled("twice", "it is the same place as %s, which is a target too", other)
	}
	d.of[p.Identity] = t.Name
	return nil
}

// readSource reads the source of several targets, whole, and keeps it until forget
// is called.
func (s *Session) readSource(ctx context.Context, source string, targets []Target) (forget func(), err error) {
	p, err := s.Place(source, false)
	if err != nil {
		return nil, err
	}
	for _, t := range targets { // the first that there is says what a text is in that does not say it
		if q, err := s.Place(t.At, true); err == nil {
			place.Agree(p, q)
			break
		}
	}
	s.Tell(Reading{p})
	structure, err := s.structure(ctx, p, place.Options{})
	if err != nil {
		var known *Failure
		if !errors.As(err, &known) {
			err = Troubled("reading", "%w", err)
		}
		return nil, err
	}
	s.keep(p, structure)
	if p.Streamed() {
		return func() {}, nil
	}
	return func() { s.forget(p) }, nil
}

// Job is what is done with one target.
type Job struct {
	Comparing Comparing
	// Write has a script written; nil for comparing only.
	Write *Writing
	// Share has it said which targets need the same script.
	Share bool
	// Rehearse runs it on a scratch copy, Run on the target; nil for neither.
	Rehearse *Rehearsal
	Run      *Running
	// Keep is handed the script before it runs.
	Keep func(*Done) error
}

// Done is how far a job came.
type Done struct {
	Pair          *Pair
	Written, Back *Written // nil where none was made
	// Script is the same for scripts that are the same but for the names of target
	// and files; "" where that was not asked.
	Script    string
	Rehearsal *rehearse.Result
	Rewritten []FileChange // the files of texts that were written anew
	Ran       int
	// Again is the comparison after it ran; nil where nothing ran.
	Again *Pair
}

// ErrWillFail says that a script was not run because rows stand in the way.
var ErrWillFail = errors.New("the target's rows stand in the way")

// Do does a job for one target. How far it came is answered with every error.
func (s *Session) Do(ctx context.Context, source, target string, j Job) (*Done, error) {
	d := &Done{}
	texts := j.Run != nil && s.Rewritable(target)
	if j.Write != nil {
		j.Comparing.Extent = j.Write.Reads(j.Rehearse != nil || texts)
	}
	var err error
	if d.Pair, err = s.Compare(ctx, source, target, j.Comparing); err != nil {
		d.Pair = nil
		return d, err
	}
	if j.Write == nil {
		return d, nil
	}
	if texts {
		return d, s.rewriteNow(ctx, d, source, target, j)
	}
	if j.Run != nil && !d.Pair.Target.Writable() {
		return d, Troubled("not-a-database", "%s is no database and cannot be changed", d.Pair.Target.Label)
	}
	if len(d.Pair.Choices.Open())+len(d.Pair.Choices.Remake) == 0 {
		return d, nil
	}
	if d.Written, err = s.Write(ctx, d.Pair, j.Write); err != nil {
		return d, err
	}
	if j.Write.Backout != "" {
		if d.Back, err = s.WriteBackout(d.Pair, d.Written.Plan, j.Write); err != nil {
			return d, err
		}
	}
	if j.Share {
		if d.Script, err = s.shared(d.Pair, d.Written.Plan, *j.Write); err != nil {
			return d, err
		}
	}
	if j.Rehearse != nil {
		if err := s.rehearseDone(ctx, d, *j.Rehearse); err != nil {
			return d, err
		}
	}
	if j.Keep != nil {
		if err := j.Keep(d); err != nil {
			return d, err
		}
	}
	if j.Run == nil || d.Rehearsal != nil && !d.Rehearsal.Passed() {
		return d, nil
	}
	return d, s.runDone(ctx, d, source, target, j)
}

// shared is the same for scripts that are the same but for their names.
func (s *Session) shared(p *Pair, plan *order.Plan, w Writing) (string, error) {
	w.nameless = true
	made, err := s.writePlan(p, plan, &w)
	if err != nil {
		return "", err
	}
	sum := sha256.New()
	sum.Write(made.Text)
	if w.Backout != "" {
		back, err := s.WriteBackout(p, plan, &w)
		if err != nil {
			return "", err
		}
		sum.Write(back.Text)
	}
	return hex.EncodeToString(sum.Sum(nil)), nil
}

func (s *Session) rehearseDone(ctx context.Context, d *Done, r Rehearsal) (err error) {
	made, back := d.Written, &Written{}
	if d.Back != nil {
		back = d.Back
	}
	d.Rehearsal, err = s.Rehearse(ctx, made.Script, back.Script, made.Engine, d.Pair.Target, made.Plan.Actual, made.Plan.Desired, r)
	return err
}

// runDone runs the script that was written, and compares again.
func (s *Session) runDone(ctx context.Context, d *Done, source, target string, j Job) (err error) {
	if n := len(d.Written.Plan.WillFail()); n > 0 {
		return Refused("will-fail", "%w of %d of the steps; nothing was run", ErrWillFail, n)
	}
	if d.Ran, err = s.Apply(ctx, d.Written.Script, d.Written.Engine, d.Pair.Target, *j.Run); err != nil {
		return err
	}
	return s.compareAgain(ctx, d, source, target, j)
}

// compareAgain compares once more when the target was changed.
func (s *Session) compareAgain(ctx context.Context, d *Done, source, target string, j Job) (err error) {
	c := j.Comparing
	c.Extent, c.again = ToCompare, true
	c.Names = slices.DeleteFunc(slices.Clone(c.Names), func(n match.Saying) bool { return n.Rename }) // they are carried out
	if d.Again, err = s.Compare(ctx, source, target, c); err != nil {
		d.Again = nil
		return uncertain("not-proved", "it was changed, and could not be compared again: %w", err)
	}
	return nil
}

// rewriteNow brings texts in line.
func (s *Session) rewriteNow(ctx context.Context, d *Done, source, target string, j Job) error {
	if len(d.Pair.Choices.Open())+len(d.Pair.Choices.Remake) == 0 {
		return nil
	}
	w, err := s.Rewrite(ctx, d.Pair)
	if err != nil {
		return err
	}
	if err := j.Run.Approve(ctx, Approval{Target: d.Pair.Target, Files: len(FileChanges(w))}); err != nil {
		return err
	}
	if err := s.Put(d.Pair.Target, w); err != nil {
		return err
	}
	d.Rewritten = FileChanges(w)
	return s.compareAgain(ctx, d, source, target, j)
}
