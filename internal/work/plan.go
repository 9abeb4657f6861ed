package work

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/scope"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/rowcheck"
)

// Writing is what the user says about a script.
type Writing struct {
	MayLose, Fill []string
	Role          string // whom the statements act for
	AvoidBlocking bool
	// RowChecks says whether the target's rows are asked, RowCheckTime how long
	// one question may take.
	RowChecks    bool
	RowCheckTime time.Duration
	// File is the script's, and Backout the one with the way back, "" for none.
	File, Backout string
	// TargetArg is the target as the user named it.
	TargetArg string
	// Said is what was said about what counts and what is taken, as options.
	Said []string

	nameless bool // no target and no file is named in it
}

// Reads is how much must be read for the script: a scratch copy is made of all
// of it, and a fill may be meant for anything.
func (w *Writing) Reads(rehearsal bool) Extent {
	if rehearsal || w.Backout != "" || len(w.Fill) > 0 {
		return Whole
	}
	return ToScript
}

// unasked says why the target's rows are not asked, "" where they are.
func (w *Writing) unasked(p *Pair) string {
	switch {
	case !w.RowChecks:
		return "--row-checks off"
	case !p.Target.Writable():
		return "the target is no database"
	case p.Target.Missing():
		return "the target is still to be made"
	}
	return ""
}

// errUnread says that a plan came upon something that was left unread.
var errUnread = errors.New("something that is wanted was left unread")

// planWhole reads both sides whole, because something was wanted that had been
// left unread, and plans again.
func (s *Session) planWhole(ctx context.Context, p *Pair, w *Writing) (*order.Plan, error) {
	again, err := p.again(ctx)
	if err != nil {
		return nil, err
	}
	*p = *again
	return s.Plan(ctx, p, w)
}

// Plan orders the steps for a pair, asks the target's rows about their risks,
// and settles what is held back. The pair is read again, whole, where it was
// read for comparing only and the plan needs more.
func (s *Session) Plan(ctx context.Context, p *Pair, w *Writing) (*order.Plan, error) {
	eng, err := engine.Named(p.Comparison.Target.Engine)
	if err != nil {
		return nil, Troubled("engine", "%w", err)
	}
	permitted, fill, err := permissions(p, w)
	if err != nil {
		return nil, err
	}
	if p.again != nil && len(p.Choices.Lacking()) > 0 {
		return s.planWhole(ctx, p, w)
	}
	if err := s.needed(p); err != nil {
		return nil, err
	}
	s.Tell(Ordering{len(p.Choices.Open())})
	writer := eng.Writer(engine.WriteOptions{Fill: fill, AvoidBlocking: w.AvoidBlocking})
	answers, plan, err := s.rowChecks(ctx, p, w, writer)
	if errors.Is(err, errUnread) {
		return s.planWhole(ctx, p, w)
	}
	if err != nil {
		return nil, err
	}
	plan, err = p.plan(plan, writer, answers, permitted)
	if p.again != nil && (err != nil || plan.Unread()) {
		return s.planWhole(ctx, p, w)
	}
	if err != nil {
		return nil, Troubled("order", "%w", err)
	}
	for _, r := range p.Choices.Remake {
		if !slices.ContainsFunc(plan.Steps, func(st *order.Step) bool {
			return slices.Contains(slices.Concat(st.Makes, st.Removes, []catalog.Ref{st.About}), r)
		}) {
			s.Tell(NotRemade{r})
		}
	}
	plan.Settle(answers, permitted)
	plan.Hint(p.Comparison.Likely(match.Least))
	if err := s.locks(ctx, p, w, plan); err != nil {
		return nil, err
	}
	return plan, nil
}

// plan is what may be done by what is permitted and by what the rows answered: all of
// full, the plan of a pair as if everything were permitted and nil for none, or less.
func (p *Pair) plan(full *order.Plan, writer order.Writer, answers order.Answers, permitted func(order.Risk) bool) (*order.Plan, error) {
	allowed := func(r order.Risk) bool {
		if r.Kind == order.MayFail {
			return !answers.Forbids(r)
		}
		return permitted(r) || answers.Clean(r)
	}
	if full != nil && full.Allowed(allowed) {
		return full, nil
	}
	return order.Build(p.Choices.Chosen, writer, allowed)
}

// locks asks how big the tables are that the steps lock, and who is at work on
// them now.
func (s *Session) locks(ctx context.Context, p *Pair, w *Writing, plan *order.Plan) error {
	var tables []catalog.Ref // as they are called now
	seen := map[catalog.Ref]bool{}
	for _, st := range plan.Steps {
		for _, l := range st.Locks {
			if on := plan.Before(l.On); !seen[on] {
				seen[on] = true
				tables = append(tables, on)
			}
		}
	}
	if len(tables) == 0 || w.unasked(p) != "" {
		return nil
	}
	db, err := p.Target.Open(ctx, engine.OpenOptions{LockWait: s.LockWait})
	if err != nil {
		return Troubled("open", "%w", err)
	}
	defer db.Close()
	sizer, ok := db.(engine.Sizer)
	if !ok {
		return nil
	}
	sizes, err := sizer.Sizes(ctx, tables)
	if err != nil {
		return Troubled("row-checks", "asking how big the tables are: %w", err)
	}
	for _, st := range plan.Steps {
		for i := range st.Locks {
			st.Locks[i].Bytes = sizes[plan.Before(st.Locks[i].On)]
		}
	}
	if p.Blockers, err = sizer.Blockers(ctx, tables); err != nil {
		return Troubled("row-checks", "asking who is at work on the tables: %w", err)
	}
	for _, b := range p.Blockers {
		s.Tell(AtWork{b})
	}
	return nil
}

// permissions are what --may-lose permits and --fill gives.
func permissions(p *Pair, w *Writing) (func(order.Risk) bool, map[catalog.Ref]string, error) {
	allowed, err := scope.ParseAll(w.MayLose)
	if err != nil {
		return nil, nil, Troubled("usage", "--may-lose: %w", err)
	}
	if err := knownKinds("--may-lose", allowed, p.Comparison.Source, p.Comparison.Target); err != nil {
		return nil, nil, err
	}
	fill, err := fills(w.Fill, p.Comparison.Source)
	if err == nil {
		err = fillsSomething(fill, p.Comparison, p.comparing.Several)
	}
	fold := p.Comparison.Target.FoldName
	return func(r order.Risk) bool {
		return scope.Any(allowed, r.On, fold) || r.Before.Kind != "" && scope.Any(allowed, r.Before, fold)
	}, fill, err
}

// rowChecks plans as if every loss were allowed, and asks the target's rows
// about the risks of that. Without row checks it answers no plan.
func (s *Session) rowChecks(ctx context.Context, p *Pair, w *Writing, writer order.Writer) (order.Answers, *order.Plan, error) {
	if w.unasked(p) != "" {
		return nil, nil, nil
	}
	plan, err := order.Build(p.Choices.Chosen, writer, func(order.Risk) bool { return true })
	if p.again != nil && (err != nil || plan.Unread()) {
		return nil, nil, errUnread
	}
	if err != nil {
		return nil, nil, nil // what is held back may be what is in the way
	}
	questions := plan.Questions()
	if len(questions) == 0 {
		return nil, plan, nil
	}
	s.Tell(Asking{len(questions)})
	defer s.busy(AskingRows)()
	answers, err := s.askRows(ctx, p.Target, questions, w.RowCheckTime)
	if err != nil {
		return nil, nil, err
	}
	for _, q := range questions {
		if an := answers.To(q); q.Tries != "" && an != nil && an.State == order.Broken {
			return nil, nil, Troubled("fill", "%s does not work on the rows that are there: %s", q.Tries, an.Text)
		}
	}
	return answers, plan, nil
}

// atOnce is over how many connections the rows are asked.
const atOnce = 4

func (s *Session) askRows(ctx context.Context, target *place.Place, questions []*order.Question, limit time.Duration) (order.Answers, error) {
	if limit <= 0 {
		return nil, Troubled("usage", "--row-check-time %s: it must be longer than nothing", limit)
	}
	answers, err := rowcheck.Ask(ctx, questions, func(ctx context.Context) (engine.Database, error) {
		return target.Open(ctx, engine.OpenOptions{LockWait: s.LockWait})
	}, rowcheck.Options{Limit: limit, AtOnce: atOnce, Started: func(q *order.Question) { s.Tell(Asked{cmp.Or(q.Probe, q.Count)}) }})
	if err != nil {
		return nil, Troubled("row-checks", "asking the target's rows: %w; --row-checks off leaves that out", err)
	}
	return answers, nil
}
