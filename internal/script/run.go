package script

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
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
}

func (e *StepError) Error() string {
	where := fmt.Sprintf("line %d", e.Line)
	if e.Step > 0 {
		where = fmt.Sprintf("step %d (%s), line %d", e.Step, sqltext.CommentSafe(e.Title), e.Line)
	}
	state := "the target is as it was"
	if !e.RolledBack {
		state = "the target is partly changed; compare again to see what is left to do"
	}
	return fmt.Sprintf("the script stopped at %s: %v; %s", where, e.Err, state)
}

func (e *StepError) Unwrap() error { return e.Err }

// Progress is told when a step begins, and of every statement before it runs
// (then step is 0 and title the statement).
type Progress func(step, of int, title string)

// Run runs a script on a database. Inside the script's transaction, before
// its first step, the fit of the target is looked at once more. When a
// statement fails the transaction is rolled back.
func Run(ctx context.Context, s *Script, eng engine.Engine, db engine.Database, progress Progress) error {
	cmds, err := s.Commands(eng.Dialect())
	if err != nil {
		return err
	}
	titles, abouts := map[int]string{}, map[int]catalog.Ref{}
	for _, st := range s.Planned() {
		titles[st.Number], abouts[st.Number] = st.Title, st.About.Object()
	}
	apart := map[catalog.Ref]bool{} // what steps before the transaction have changed
	inside, kept, last := false, false, 0
	fail := func(c Command, err error) error {
		e := &StepError{Step: c.Step, Line: c.Line, Title: titles[c.Step], Err: err, RolledBack: !kept}
		if inside {
			// The statement's own context may be cancelled; undoing must go on.
			if rb := db.Exec(context.WithoutCancel(ctx), "ROLLBACK"); rb != nil && !errors.Is(err, engine.ErrUncertain) {
				e.Err = fmt.Errorf("%w (and ROLLBACK answered: %v)", err, rb)
			}
		}
		if errors.Is(err, engine.ErrUncertain) {
			e.RolledBack = false
		}
		return e
	}
	for _, c := range cmds {
		if c.Client {
			continue // for the engine's own client; stopping at an error is what we do anyway
		}
		if err := ctx.Err(); err != nil {
			return fail(c, err)
		}
		if c.Step != last && c.Step > 0 && progress != nil {
			progress(c.Step, s.Meta.Steps, titles[c.Step])
			last = c.Step
		}
		if progress != nil {
			progress(0, s.Meta.Steps, c.Text)
		}
		if err := db.Exec(ctx, c.Text); err != nil {
			return fail(c, err)
		}
		switch word := firstWord(eng, c.Text); {
		case word == "begin":
			inside = true
			now, err := db.Read(ctx)
			if err != nil {
				return fail(c, fmt.Errorf("reading the target once more: %w", err))
			}
			if moves := besides(s.Check(now).Moves, apart); len(moves) > 0 {
				return fail(c, &MovedError{moves})
			}
		case word == "commit":
			inside, kept = false, true
		case !inside && c.Step > 0:
			kept = true
			apart[abouts[c.Step]] = true
		}
	}
	if inside { // an edited script may have lost its COMMIT
		last := cmds[len(cmds)-1]
		return fail(last, errors.New("the script begins a transaction and never commits it"))
	}
	return nil
}

// besides is the moves that are not our own doing.
func besides(moves []Move, ours map[catalog.Ref]bool) []Move {
	var out []Move
	for _, m := range moves {
		if !ours[m.On] {
			out = append(out, m)
		}
	}
	return out
}

func firstWord(eng engine.Engine, sql string) string {
	for _, t := range sqltext.Lex(eng.Dialect(), sql) {
		if !t.Blank() {
			return strings.ToLower(t.Text)
		}
	}
	return ""
}
