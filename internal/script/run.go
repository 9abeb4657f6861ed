package script

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
)

// MovedError says that the target is not what the script was written for.
type MovedError struct{ Moves []Move }

func (e *MovedError) Error() string {
	var words []string
	for _, m := range e.Moves {
		words = append(words, fmt.Sprintf("%s %s", sqltext.CommentSafe(m.On.String()), m.What))
	}
	if len(words) > 5 {
		words = append(words[:5], fmt.Sprintf("and %d more", len(e.Moves)-5))
	}
	return "the target is no longer what the script was written for: " + strings.Join(words, ", ") + "; write the script again"
}

// StepError says at which statement a script stopped and what became of the
// target.
type StepError struct {
	Step, Line int
	Title      string
	Err        error
	RolledBack bool // the target is as it was
	Unknown    bool // whether the statement was kept is not known
	Commit     bool // it is the transaction that is not known
	Ran, Of    int  // steps that ran whole, of all
	Resume     bool // a run record says how to go on
}

func (e *StepError) Error() string {
	where := fmt.Sprintf("line %d", e.Line)
	if e.Step > 0 {
		where = fmt.Sprintf("step %d (%s), line %d", e.Step, sqltext.CommentSafe(e.Title), e.Line)
	}
	return fmt.Sprintf("the script stopped at %s: %v; %s", where, e.Err, e.state())
}

func (e *StepError) state() string {
	if e.RolledBack {
		return "the target is as it was"
	}
	if e.Commit {
		return "whether the transaction was kept is not known; apply --resume finds out"
	}
	how := "compare again to see what is left to do"
	if e.Resume {
		how = "go on with --resume"
	}
	state := "the target is partly changed"
	if e.Of > 0 {
		state = fmt.Sprintf("%d of %s ran before it and stay", e.Ran, words.Number(e.Of, "step", "steps"))
	}
	if e.Unknown {
		state += ", and whether this statement was kept is not known"
	}
	return state + "; " + how
}

func (e *StepError) Unwrap() error { return e.Err }

// LockError says which locks a step wanted and who has them.
type LockError struct {
	Wanted, Holders []string
	Err             error
}

func (e *LockError) Error() string {
	s := e.Err.Error()
	if len(e.Wanted) > 0 {
		s += "; wanted: " + strings.Join(e.Wanted, ", ")
	}
	if len(e.Holders) > 0 {
		s += "; " + strings.Join(e.Holders, "; ")
	}
	return s
}

func (e *LockError) Unwrap() error { return e.Err }

// RunOptions say how a script is run.
type RunOptions struct {
	// Progress is told when a step begins, and of every statement before it
	// runs (then step is 0 and title the statement).
	Progress func(step, of int, title string)
	// LockTimeout and StepTimeout replace the script's own, where given.
	LockTimeout, StepTimeout time.Duration
	// LockTries is how often a lock is tried for; Retry is told before each
	// try but the first.
	LockTries int
	Retry     func(try, of int, err error)
	// Holders says in words who is at work on some tables.
	Holders func(ctx context.Context, tables []catalog.Ref) []string
	// Save keeps the rows a risk would destroy; it is called under the lock,
	// before the step.
	Save func(ctx context.Context, db engine.Database, r order.Risk) error
	// Outcome finds out what became of a transaction whose connection was
	// lost.
	Outcome func(ctx context.Context, id string) engine.Outcome
	// Record, where given, is kept up to date, and says what has run.
	Record *Record
}

// runner is one run of a script.
type runner struct {
	RunOptions
	s      *Script
	eng    engine.Engine
	db     engine.Database
	cmds   []Command
	titles map[int]StepInfo
	// transaction says that the script has one.
	transaction  bool
	inside, kept bool
	gone         bool // the connection was lost when all was kept
	limited      bool
	apart        map[catalog.Ref]bool // what steps outside the transaction change
	at           int                  // the command that runs
	sent         bool                 // the server may have got it
	last, ran    int
	stay         int    // steps that ran and stay
	id           string // of the transaction
	locked       []string
	classes      []engine.Class // of each command
	within       []bool         // which commands are inside the transaction
}

func newRunner(s *Script, eng engine.Engine, db engine.Database, opt RunOptions) (*runner, error) {
	cmds, err := s.Commands(eng.Dialect())
	if err != nil {
		return nil, err
	}
	r := &runner{RunOptions: opt, s: s, eng: eng, db: db, cmds: cmds, titles: map[int]StepInfo{}, apart: map[catalog.Ref]bool{},
		classes: make([]engine.Class, len(cmds)), within: make([]bool, len(cmds))}
	for _, st := range s.Planned() {
		r.titles[st.Number] = st
		if st.Apart && !st.Later {
			for _, t := range st.Touches {
				r.apart[t] = true
			}
		}
	}
	inside, around := false, -1
	for i, c := range cmds {
		r.classes[i] = engine.Classify(eng, c.Text)
		inside = inside || r.classes[i] == engine.Begins
		// What stands around the transaction's steps belongs to none of them.
		if r.classes[i] == engine.Begins || r.classes[i] == engine.Commits || i > 0 && c.Step == around {
			around, cmds[i].Step = c.Step, 0
		} else {
			around = -1
		}
		r.within[i] = inside
		inside = inside && r.classes[i] != engine.Commits
		r.transaction = r.transaction || r.classes[i] == engine.Begins
	}
	return r, nil
}

// Run runs a script on a database. Inside the script's transaction, before
// its first step, the fit of the target is looked at once more. When a
// statement fails the transaction is rolled back. With a record it goes on
// where that says that an earlier run stopped.
func Run(ctx context.Context, s *Script, eng engine.Engine, db engine.Database, opt RunOptions) error {
	r, err := newRunner(s, eng, db, opt)
	if err != nil {
		return err
	}
	r.ran = r.Record.ran(r)
	r.stay, r.kept = r.ran, r.ran > 0 || r.Record.began()
	begin := 0
	for try := 1; ; try++ {
		at, err := r.from(ctx, begin)
		if err == nil {
			break
		}
		if !errors.Is(err, engine.ErrLocked) || ctx.Err() != nil {
			return err
		}
		var se *StepError
		if errors.As(err, &se) {
			r.held(ctx, se)
		}
		if try >= r.LockTries {
			if se != nil && try > 1 {
				se.Err = fmt.Errorf("%w; given up after %d tries", se.Err, try)
			}
			return err
		}
		if r.Retry != nil {
			r.Retry(try+1, r.LockTries, err)
		}
		begin = at
		select {
		case <-time.After(time.Duration(try) * 500 * time.Millisecond):
		case <-ctx.Done():
		}
	}
	if r.inside { // an edited script may have lost its COMMIT
		return r.stop(ctx, r.cmds[len(r.cmds)-1], errors.New("the script begins a transaction and never commits it"))
	}
	return r.Record.finish()
}

// held says which locks a step wanted, and who holds them.
func (r *runner) held(ctx context.Context, se *StepError) {
	var want, all []catalog.Ref
	for _, st := range r.s.Planned() {
		if se.Step == 0 || st.Number == se.Step {
			want = append(want, st.Touches...)
		}
	}
	for _, f := range r.s.Fits { // a key locks the table it leads to as well
		all = append(all, f.On)
	}
	var who []string
	if r.Holders != nil {
		if who = r.Holders(ctx, want); len(who) == 0 {
			who = r.Holders(ctx, all)
		}
	}
	var names []string
	for _, t := range want {
		if n := sqltext.CommentSafe(t.String()); !slices.Contains(names, n) {
			names = append(names, n)
		}
	}
	if len(names) > 3 {
		names = append(names[:3], fmt.Sprintf("%d more", len(names)-3))
	}
	se.Err = &LockError{Wanted: names, Holders: who, Err: se.Err}
}

// from runs the commands from one on. When it fails it answers with which to
// begin again: with the transaction's first, or the one that failed.
func (r *runner) from(ctx context.Context, begin int) (int, error) {
	start := begin
	for i := begin; i < len(r.cmds); i++ {
		c := r.cmds[i]
		r.at, r.sent = i, false
		if c.Client || r.Record.skips(r, i) {
			continue // for the engine's own client; stopping at an error is what we do anyway
		}
		if err := ctx.Err(); err != nil {
			return start, r.stop(ctx, c, err)
		}
		if r.gone {
			if r.titles[c.Step].Apart && r.classes[i] != engine.Passing {
				return start, r.stop(ctx, c, fmt.Errorf("%w: the connection was lost", engine.ErrConnect))
			}
			continue // it changes nothing that stays
		}
		class := r.classes[i]
		if class == engine.Begins {
			start = i
		} else if !r.inside {
			start = i
		}
		if err := r.command(ctx, i, c, class); err != nil {
			return start, err
		}
	}
	return start, r.release(ctx)
}

// command runs one command with what stands around it.
func (r *runner) command(ctx context.Context, i int, c Command, class engine.Class) error {
	if c.Step != r.last && !r.inside {
		r.limited = false // the step before may have set limits of its own
	}
	if (class == engine.Begins || c.Step > 0) && !r.limited {
		r.limited = true
		if err := r.limit(ctx); err != nil {
			return r.stop(ctx, c, err)
		}
	}
	if c.Step != r.last {
		if err := r.step(ctx, c); err != nil {
			return err
		}
	}
	if r.Progress != nil {
		r.Progress(0, r.s.Meta.Steps, c.Text)
	}
	single := !r.inside && class != engine.Begins && c.Step > 0 && r.classes[i].Stays()
	if single {
		if err := r.Record.before(ctx, r, i); err != nil {
			return r.stop(ctx, c, err)
		}
	}
	if class == engine.Commits {
		if t, ok := r.db.(engine.Transactor); ok && r.inside {
			r.id, _ = t.Transaction(ctx) // "" is not known
			if err := r.Record.transaction(r.id); err != nil {
				return r.stop(ctx, c, err)
			}
		}
	}
	r.sent = true
	err := r.exec(ctx, c.Text)
	if class == engine.Commits && errors.Is(err, engine.ErrUncertain) && r.Outcome != nil && r.id != "" {
		switch r.Outcome(ctx, r.id) {
		case engine.Committed:
			r.inside, r.kept, r.gone = false, true, true
			return r.Record.committed()
		case engine.Aborted:
			r.inside = false
			return r.stop(ctx, c, fmt.Errorf("%w: the connection was lost at COMMIT, and the server says that it was undone", engine.ErrConnect))
		}
	}
	if err != nil && r.kept && !r.inside && errors.Is(err, engine.ErrConnect) && !r.changesFrom(i) {
		r.gone = true // with all that stays in its place
		return nil
	}
	if err != nil {
		return r.stop(ctx, c, err)
	}
	switch {
	case class == engine.Begins:
		r.inside, r.stay = true, r.ran
		return r.begun(ctx, c)
	case class == engine.Commits:
		r.inside, r.kept = false, r.kept || r.changesWithin()
		if err := r.Record.committed(); err != nil {
			return r.stop(ctx, c, err)
		}
	case single:
		r.kept = true
		if err := r.Record.after(ctx, r, i); err != nil {
			return r.stop(ctx, c, err)
		}
	}
	return nil
}

// changesWithin tells whether the transaction holds anything that stays: all of a script may
// run outside of it.
func (r *runner) changesWithin() bool {
	for i, c := range r.cmds {
		if r.within[i] && c.Step > 0 && r.classes[i].Stays() && r.classes[i] != engine.Commits {
			return true
		}
	}
	return false
}

// changesFrom tells whether a command from one on leaves something behind, or
// looks at what others left.
func (r *runner) changesFrom(i int) bool {
	return slices.ContainsFunc(r.classes[i:], func(c engine.Class) bool { return c != engine.Passing })
}

// begun looks at the fit once more and saves what is lost.
func (r *runner) begun(ctx context.Context, c Command) error {
	now, err := r.db.Read(ctx)
	if err != nil {
		return r.stop(ctx, c, fmt.Errorf("reading the target once more: %w", err))
	}
	if moves := withoutOurs(r.s.Check(now).Moves, r.apart); len(moves) > 0 {
		return r.stop(ctx, c, &MovedError{moves})
	}
	for _, st := range r.s.Planned() {
		if !st.Apart {
			if err := r.save(ctx, st); err != nil {
				return r.stop(ctx, c, err)
			}
		}
	}
	return nil
}

// step begins a step.
func (r *runner) step(ctx context.Context, c Command) error {
	if err := r.release(ctx); err != nil {
		return r.stop(ctx, c, err)
	}
	if r.last > 0 {
		r.ran++
	}
	if r.last = c.Step; c.Step == 0 {
		return nil
	}
	if r.Progress != nil {
		r.Progress(c.Step, r.s.Meta.Steps, r.titles[c.Step].Title)
	}
	if !r.inside && !r.Record.begunStep(r, c.Step) { // else they were saved before
		if err := r.save(ctx, r.titles[c.Step]); err != nil {
			return r.stop(ctx, c, err)
		}
	}
	return nil
}

// save keeps the rows that a step would destroy.
func (r *runner) save(ctx context.Context, st StepInfo) error {
	if r.Save == nil {
		return nil
	}
	for _, risk := range st.Risks {
		if risk.Kind != order.Loss || risk.Save == nil {
			continue
		}
		if risk.Save.Lock != "" {
			if err := r.exec(ctx, risk.Save.Lock); err != nil {
				return err
			}
		}
		if risk.Save.Release != "" {
			r.locked = append(r.locked, risk.Save.Release)
		}
		if err := r.Save(ctx, r.db, risk); err != nil {
			return fmt.Errorf("saving the rows that would be lost: %w", err)
		}
	}
	return nil
}

// release gives back locks of a step that no transaction held.
func (r *runner) release(ctx context.Context) error {
	if r.gone { // so are they
		return nil
	}
	for _, sql := range r.locked {
		if err := r.exec(ctx, sql); err != nil {
			return err
		}
	}
	r.locked = nil
	return nil
}

// limit sets how long to wait, behind the script's own settings.
func (r *runner) limit(ctx context.Context) error {
	l, ok := r.db.(engine.Limiter)
	if !ok {
		return nil
	}
	if r.LockTimeout > 0 {
		if sql := l.LockLimit(r.LockTimeout); sql != "" {
			if err := r.db.Exec(ctx, sql); err != nil {
				return err
			}
		}
	}
	if r.StepTimeout > 0 {
		if sql := l.StepLimit(r.StepTimeout); sql != "" {
			return r.db.Exec(ctx, sql)
		}
	}
	return nil
}

func (r *runner) exec(ctx context.Context, sql string) error {
	if r.StepTimeout <= 0 {
		return r.db.Exec(ctx, sql)
	}
	within, cancel := context.WithTimeout(ctx, r.StepTimeout+time.Second) // where the engine itself does not stop it
	defer cancel()
	err := r.db.Exec(within, sql)
	if err != nil && within.Err() != nil && ctx.Err() == nil {
		return fmt.Errorf("%w (--step-timeout %s), %w", engine.ErrTime, r.StepTimeout, engine.ErrConnect)
	}
	if errors.Is(err, engine.ErrTime) {
		return fmt.Errorf("%w (--step-timeout %s)", engine.ErrTime, r.StepTimeout)
	}
	return err
}

// stop undoes what can be undone and says where the script stopped.
func (r *runner) stop(ctx context.Context, c Command, err error) error {
	e := &StepError{Step: c.Step, Line: c.Line, Title: r.titles[c.Step].Title, Err: err, RolledBack: !r.kept, Ran: r.ran, Of: r.s.Meta.Steps, Resume: r.Record != nil}
	// The statement's own context may be cancelled; undoing must go on.
	going := context.WithoutCancel(ctx)
	if r.inside {
		if rb := r.db.Exec(going, "ROLLBACK"); rb != nil && !errors.Is(err, engine.ErrUncertain) {
			e.Err = fmt.Errorf("%w (and ROLLBACK answered: %v)", err, rb)
		}
		r.inside, r.last, r.ran = false, 0, r.stay
		e.Ran = r.ran
	}
	for _, sql := range r.locked {
		_ = r.db.Exec(going, sql) // the end of the session does it too
	}
	r.locked = nil
	lost := errors.Is(err, engine.ErrConnect) || errors.Is(err, context.Canceled)
	// What commits by itself and was not answered may have been kept.
	alone := r.sent && c.Step > 0 && !r.within[r.at] && r.classes[r.at].Stays()
	if errors.Is(err, engine.ErrUncertain) || alone && lost {
		e.RolledBack, e.Unknown, e.Commit = false, true, r.classes[r.at] == engine.Commits
	}
	if e.RolledBack {
		r.Record.undone()
	}
	return e
}

// withoutOurs is the moves that are not our own doing.
func withoutOurs(moves []Move, ours map[catalog.Ref]bool) []Move {
	var out []Move
	for _, m := range moves {
		if !ours[m.On] {
			out = append(out, m)
		}
	}
	return out
}
