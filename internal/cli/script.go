package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"sort"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/scope"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/rowcheck"
	"dappermirror/internal/script"
)

// writing are the options of the commands that write a script.
type writing struct {
	mayLose, fill []string
	create        bool
	as            string
	rowChecks     string
	rowCheckTime  time.Duration
	backout       string
	avoidBlocking bool
}

func (w *writing) flags(cmd *cobra.Command) {
	cmd.Flags().StringArrayVar(&w.mayLose, "may-lose", nil, "allow the loss of what these patterns match; '*' for everything")
	cmd.Flags().StringArrayVar(&w.fill, "fill", nil, "the value for existing rows of a column that is new or becomes NOT NULL")
	cmd.Flags().BoolVar(&w.avoidBlocking, "avoid-blocking", false, "write the variants that keep others working, though not all of it is one transaction then")
	cmd.Flags().StringVar(&w.as, "as", "", "the role the script acts for, where the account that runs it is a member of the owner")
	rowCheckFlags(cmd, &w.rowChecks, &w.rowCheckTime)
	cmd.Flags().BoolVar(&w.create, "create", false, "the target may not exist yet")
}

// rowCheckTime is how long one question to the rows may take, unless it is said.
const rowCheckTime = 5 * time.Second

func rowCheckFlags(cmd *cobra.Command, checks *string, limit *time.Duration) {
	cmd.Flags().StringVar(checks, "row-checks", "on", "ask the target's rows about every risk: on or off")
	cmd.Flags().DurationVar(limit, "row-check-time", rowCheckTime, "how long one question to the rows may take")
}

func (a *app) scriptCommand() *cobra.Command {
	var w writing
	var re rehearsing
	var out string
	var force, rehearsal bool
	cmd := &cobra.Command{
		Use:   "script SOURCE TARGET",
		Short: "Write the ordered script that brings the target in line",
		Long: `Compares both places and writes the ordered SQL script that brings the target in
line with the source. Nothing is run. A step that would lose rows or values is
held back, with whatever depends on it, unless --may-lose names it.

Where the target is a live database its rows are asked about every risk: how many hold
a value that would go, a NULL where none may be, a key twice. See help safety.

Exit code 3 says that something was held back, or that the rows would stop a step.`,
		Example: `  dapper-mirror script dev.db live.db -o up.sql
  dapper-mirror script dev.db live.db --may-lose column:booking.pilotage
  dapper-mirror script dev.db live.db --fill berth.depth=0`,
		Args: cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := idle(cmd, !rehearsal, "only --rehearse needs it", "scratch", "copy-rows"); err != nil {
				return err
			}
			if err := a.writable([]output{{"-o", out}, {"--backout", w.backout}}, force, args); err != nil {
				return err
			}
			p, err := a.compare(cmd.Context(), args[0], args[1], w.create, w.reads(rehearsal))
			if err != nil {
				return err
			}
			plan, text, err := a.write(cmd.Context(), p, &w, out, args[1])
			if err != nil {
				return err
			}
			if len(plan.Held) > 0 || len(plan.WillFail()) > 0 {
				a.exit = exitSafety
			}
			js := a.scriptJSON(p, plan, text, out)
			var back []byte
			if w.backout != "" {
				if back, err = a.backout(p, plan, &w, out, args[1]); err != nil {
					return err
				}
				js.Backout = w.backout
			}
			if rehearsal {
				if js.Rehearsal, err = a.rehearseWritten(cmd.Context(), p, plan, text, back, re); err != nil {
					return err
				}
			}
			if back != nil {
				if err := writeFile(w.backout, back, force); err != nil {
					return err
				}
				a.note("wrote %s: the way back", w.backout)
			}
			err = a.deliver(js, text, out, force)
			if err == nil {
				a.scriptNote(plan, out)
			}
			return err
		},
	}
	cmd.Flags().StringVarP(&out, "output", "o", "", "the file to write; without it, or for -, standard output")
	cmd.Flags().BoolVar(&force, "force", false, "overwrite the file")
	cmd.Flags().StringVar(&w.backout, "backout", "", "write the way back into this file")
	cmd.Flags().BoolVar(&rehearsal, "rehearse", false, "run it on a scratch copy of the target's structure first; see help rehearse")
	re.flags(cmd)
	w.flags(cmd)
	a.scopeFlags(cmd)
	return cmd
}

// deliver writes the script where it belongs: into its file, as JSON, or to
// people.
func (a *app) deliver(js *report.JSONScript, text []byte, out string, force bool) (err error) {
	switch {
	case a.format == "json":
		if out != "" && out != "-" {
			if err := writeFile(out, text, force); err != nil {
				return err
			}
		}
		err = a.json(func(o *report.Output) { o.Script = js })
	case (out == "" || out == "-") && (a.style().Color || isTerminal(a.stdout)):
		var altered bool
		if altered, err = report.Show(&a.out, string(text), a.style().Color); altered {
			a.note("control characters are shown as escapes here; write it to a file (-o) to run it")
		}
	default:
		err = a.put(out, text, force)
	}
	return err
}

// writable sees that all outputs can be written before any is, and that none is
// an input.
func (a *app) writable(outputs []output, force bool, inputs []string) error {
	for _, o := range outputs {
		if err := unwritten(o.path, force); err != nil {
			return err
		}
	}
	return a.ownInput(outputs, inputs...)
}

// idle refuses options that were given and would do nothing.
func idle(cmd *cobra.Command, nothing bool, why string, options ...string) error {
	for _, o := range options {
		if f := cmd.Flags().Lookup(o); nothing && f != nil && f.Changed {
			return trouble("usage", "--%s does nothing here: %s", o, why)
		}
	}
	return nil
}

// backout writes the script that undoes the plan.
func (a *app) backout(p *pair, plan *order.Plan, w *writing, output, targetArg string) ([]byte, error) {
	eng, err := place.EngineNamed(p.comparison.Target.Engine)
	if err != nil {
		return nil, trouble("engine", "%w", err)
	}
	permitted, fill, err := a.permissions(p, w)
	if err != nil {
		return nil, err
	}
	gone := a.placeholders(plan, eng, fill)
	cmp := compare.Compare(plan.Actual, plan.Desired, compare.Options{Groups: p.comparison.Options.Groups})
	back, err := order.Build(cmp, eng.Writer(engine.WriteOptions{Fill: fill, Back: true, AvoidBlocking: w.avoidBlocking}), func(order.Risk) bool { return true })
	if err != nil {
		return nil, trouble("order", "the way back: %w", err)
	}
	back.Settle(nil, permitted)
	back.GuardLosses(permitted)
	file := output
	if file == "" || file == "-" {
		file = "SCRIPT.sql"
	}
	text, err := script.Write(script.Input{Plan: back, Engine: eng, Source: p.comparison.Target.Place + ", as it was", Target: p.comparison.Target.Place, Groups: groupNames(p),
		FileName: w.backout, TargetArg: a.targetArg(p, targetArg), ClientTarget: clientTarget(p), Role: w.as, BackOf: file, Gone: gone})
	if err != nil {
		return nil, refusal("not-closed", "the way back: %w", err)
	}
	return text, nil
}

// placeholders lists what a plan destroys. A lost column that must hold a value
// gets one until its own are loaded again: it is added to fill, and said.
func (a *app) placeholders(plan *order.Plan, eng engine.Engine, fill map[string]string) []order.Risk {
	gone := plan.Losses()
	placer, ok := eng.(engine.Placer)
	for i, r := range gone {
		o := plan.Actual.Find(r.On)
		if o == nil || !ok || r.On.PartKind != catalog.Column {
			continue
		}
		col := o.Part(catalog.Column, r.On.Part)
		after := plan.Desired.Resolve(r.On)
		key := columnKey(o, col)
		if col == nil || after != nil || !col.Has("not null") || col.Has("default") || col.Has("identity") || col.Has("generated") || fill[key] != "" {
			continue
		}
		if v := placer.Placeholder(col, plan.Actual); v != "" {
			fill[key] = v
			gone[i].Text += fmt.Sprintf(" (it holds %s until they are loaded)", v)
		}
	}
	return gone
}

func columnKey(o, col *catalog.Object) string {
	if col == nil {
		return ""
	}
	key := o.Key() + "." + col.Key()
	if o.Schema != "" {
		key = o.Schema + "." + key
	}
	return key
}

// rehearseWritten rehearses a script, and its back-out script, before anybody
// relies on it.
func (a *app) rehearseWritten(ctx context.Context, p *pair, plan *order.Plan, text, back []byte, re rehearsing) (*report.JSONRehearsal, error) {
	s, eng, err := a.parsed(text, p)
	if err != nil {
		return nil, err
	}
	var b *script.Script
	if back != nil {
		if b, _, err = a.parsed(back, p); err != nil {
			return nil, err
		}
	}
	res, err := a.rehearse(ctx, s, b, eng, p.target, plan.Actual, plan.Desired, re)
	if err != nil {
		return nil, err
	}
	switch {
	case res.Failed != nil:
		a.note("rehearsed on %s: it FAILED: %v", res.Where, res.Failed)
	case !res.Passed():
		a.note("rehearsed on %s: it does NOT end as it should: %s %s", res.Where, res.Left[0].On, res.Left[0].What)
	default:
		a.note("rehearsed on %s: %s ran, it ends as it should%s", res.Where, words.Number(res.Steps, "step", "steps"), map[bool]string{true: ", and the way back leads back"}[res.Back])
	}
	if !res.Passed() {
		a.exit = worse(a.exit, exitDifferent)
	}
	return rehearsalJSON(res, s), nil
}

func groupNames(p *pair) []string {
	var out []string
	for g := range p.comparison.Options.Groups {
		out = append(out, g)
	}
	sort.Strings(out)
	return out
}

// targetArg is what stands for the target in the header's command lines: its
// name, or its address without secrets; "" for what no script runs on.
func (a *app) targetArg(p *pair, arg string) string {
	if !p.target.Writable() {
		return ""
	}
	if _, named := a.settings.places()[arg]; named {
		return arg
	}
	return p.target.Label
}

// clientTarget is the target as the engine's own client is given it.
func clientTarget(p *pair) string {
	words := []string{p.target.Label}
	if s, ok := p.target.Engine.(engine.ClientSpeller); ok && p.target.Writable() {
		words = s.ClientWords(p.target.Address)
	}
	for i, w := range words {
		words[i] = script.Word(w)
	}
	return strings.Join(words, " ")
}

// unasked says why the target's rows are not asked, "" where they are.
func (w *writing) unasked(p *pair) string {
	switch {
	case w.rowChecks == "off":
		return "--row-checks off"
	case !p.target.Writable():
		return "the target is no database"
	case p.target.Missing():
		return "the target is still to be made"
	}
	return ""
}

func (a *app) scriptNote(plan *order.Plan, output string) {
	where := ""
	if output != "" && output != "-" {
		where = "wrote " + output + ": "
	}
	a.note("%s%s to run, %d held back", where, words.Number(len(plan.Steps), "step", "steps"), len(plan.Held))
	for _, r := range plan.HeldBecause {
		a.say("held back  %s (%s)", r.Because(), script.WayOut(r))
	}
	a.willFail(plan)
}

// write plans and writes a script for a comparison.
func (a *app) write(ctx context.Context, p *pair, w *writing, output, targetArg string) (*order.Plan, []byte, error) {
	plan, eng, err := a.plan(ctx, p, w)
	if err != nil {
		return nil, nil, err
	}
	file := output
	if file == "" || file == "-" {
		file = "SCRIPT.sql"
	}
	if _, ok := eng.(engine.Roles); w.as != "" && !ok {
		return nil, nil, trouble("usage", "--as %s: %s has no roles to act for", w.as, eng.Title())
	}
	text, err := script.Write(script.Input{Plan: plan, Engine: eng, Source: p.comparison.Source.Place, Target: p.comparison.Target.Place,
		Scope: a.scopeWords(), Groups: groupNames(p), FileName: file, TargetArg: a.targetArg(p, targetArg), ClientTarget: clientTarget(p), Role: w.as, Backout: w.backout, Unasked: w.unasked(p)})
	if err != nil {
		return nil, nil, refusal("not-closed", "%w", err)
	}
	return plan, text, nil
}

// reads is how much must be read for the script.
func (w *writing) reads(rehearsal bool) reading {
	if rehearsal || w.backout != "" || len(w.fill) > 0 { // a scratch copy is made of it; a fill may be meant for anything
		return whole
	}
	return toScript
}

// errUnread says that a plan came upon something that was left unread.
var errUnread = errors.New("something that is wanted was left unread")

// planWhole reads both sides whole, because something was wanted that had been
// left unread, and plans again.
func (a *app) planWhole(ctx context.Context, p *pair, w *writing) (*order.Plan, engine.Engine, error) {
	again, err := p.again(ctx)
	if err != nil {
		return nil, nil, err
	}
	*p = *again
	return a.plan(ctx, p, w)
}

func (a *app) plan(ctx context.Context, p *pair, w *writing) (*order.Plan, engine.Engine, error) {
	eng, err := place.EngineNamed(p.comparison.Target.Engine)
	if err != nil {
		return nil, nil, trouble("engine", "%w", err)
	}
	permitted, fill, err := a.permissions(p, w)
	if err != nil {
		return nil, nil, err
	}
	missing := p.comparison.Lacking()
	if len(missing) > 0 && p.again != nil {
		return a.planWhole(ctx, p, w)
	}
	if len(missing) > 0 {
		for _, m := range missing[:min(len(missing), 10)] {
			if m.Goes {
				a.say("cannot go  %s is needed by %s, which stays and is out of scope", m.Thing, m.Needs)
				continue
			}
			a.say("cannot come  %s needs %s, which the target lacks and the scope leaves out", m.Thing, m.Needs)
		}
		return nil, nil, refusal("needs", "%s in scope cannot come or go without what is out of scope; widen the scope, for example with --only %s, or leave it out with --except %s",
			words.Number(len(missing), "thing", "things"), script.Quoted(missing[0].Needs.Object().String()), script.Quoted(missing[0].Thing.String()))
	}
	a.detail("ordering the steps for %s", words.Number(len(p.comparison.Differences()), "difference", "differences"))
	writer := eng.Writer(engine.WriteOptions{Fill: fill, AvoidBlocking: w.avoidBlocking})
	answers, plan, err := a.rowChecks(ctx, p, w, writer)
	if errors.Is(err, errUnread) {
		return a.planWhole(ctx, p, w)
	}
	if err != nil {
		return nil, nil, err
	}
	allowed := func(r order.Risk) bool {
		if r.Kind == order.MayFail {
			return !answers.Forbids(r)
		}
		return permitted(r) || answers.Clean(r)
	}
	if plan == nil || !plan.Allowed(allowed) {
		plan, err = order.Build(p.comparison, writer, allowed)
		if p.again != nil && (err != nil || plan.Unread()) {
			return a.planWhole(ctx, p, w)
		}
		if err != nil {
			return nil, nil, trouble("order", "%w", err)
		}
	}
	plan.Settle(answers, permitted)
	if err := a.locks(ctx, p, w, plan, eng); err != nil {
		return nil, nil, err
	}
	return plan, eng, nil
}

// locks says of each step which locks it takes, how big that is, and who is at
// work on it now.
func (a *app) locks(ctx context.Context, p *pair, w *writing, plan *order.Plan, eng engine.Engine) error {
	teller, ok := eng.(engine.LockTeller)
	if !ok {
		return nil
	}
	var tables []catalog.Ref
	seen := map[catalog.Ref]bool{}
	for _, s := range plan.Steps {
		s.Locks = teller.Locks(s, plan.Actual)
		for _, l := range s.Locks {
			if !seen[l.On] {
				seen[l.On] = true
				tables = append(tables, l.On)
			}
		}
	}
	if len(tables) == 0 || w.rowChecks == "off" || !p.target.Writable() || p.target.Missing() {
		return nil
	}
	db, err := p.target.Open(ctx, engine.OpenOptions{LockWait: a.lockWait})
	if err != nil {
		return trouble("open", "%w", err)
	}
	defer db.Close()
	sizer, ok := db.(engine.Sizer)
	if !ok {
		return nil
	}
	sizes, err := sizer.Sizes(ctx, tables)
	if err != nil {
		return trouble("row-checks", "asking how big the tables are: %w", err)
	}
	for _, s := range plan.Steps {
		for i := range s.Locks {
			s.Locks[i].Bytes = sizes[s.Locks[i].On]
		}
	}
	if p.blockers, err = sizer.Blockers(ctx, tables); err != nil {
		return trouble("row-checks", "asking who is at work on the tables: %w", err)
	}
	for _, b := range p.blockers {
		a.note("at work now  %s", b)
	}
	return nil
}

// permissions are what --may-lose permits and --fill gives.
func (a *app) permissions(p *pair, w *writing) (func(order.Risk) bool, map[string]string, error) {
	allowed, err := scope.ParseAll(w.mayLose)
	if err != nil {
		return nil, nil, trouble("usage", "--may-lose: %w", err)
	}
	if err := knownKinds("--may-lose", allowed, p.comparison.Source, p.comparison.Target); err != nil {
		return nil, nil, err
	}
	fill, err := fills(w.fill, p.comparison.Source)
	if err == nil {
		err = fillsSomething(fill, p.comparison)
	}
	fold := p.comparison.Target.Fold
	return func(r order.Risk) bool { return scope.Any(allowed, r.On, fold) }, fill, err
}

// rowChecks plans as if every loss were allowed, and asks the target's rows
// about the risks of that. Without row checks it answers no plan.
func (a *app) rowChecks(ctx context.Context, p *pair, w *writing, writer order.Writer) (order.Answers, *order.Plan, error) {
	switch w.rowChecks {
	case "on", "off":
	default:
		return nil, nil, trouble("usage", "--row-checks %q: it is on or off", w.rowChecks)
	}
	if w.unasked(p) != "" {
		return nil, nil, nil
	}
	plan, err := order.Build(p.comparison, writer, func(order.Risk) bool { return true })
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
	a.detail("asking the target's rows %s", words.Number(len(questions), "question", "questions"))
	stop := a.working("asking the target's rows")
	defer stop()
	answers, err := a.askRows(ctx, p.target, questions, w.rowCheckTime)
	if err != nil {
		return nil, nil, err
	}
	for _, q := range questions {
		if an := answers.To(q); q.Tries != "" && an != nil && an.State == order.Broken {
			return nil, nil, trouble("fill", "%s does not work on the rows that are there: %s", q.Tries, an.Text)
		}
	}
	return answers, plan, nil
}

// atOnce is over how many connections the rows are asked.
const atOnce = 4

func (a *app) askRows(ctx context.Context, target *place.Place, questions []*order.Question, limit time.Duration) (order.Answers, error) {
	if limit <= 0 {
		return nil, trouble("usage", "--row-check-time %s: it must be longer than nothing", limit)
	}
	answers, err := rowcheck.Ask(ctx, questions, func(ctx context.Context) (engine.Database, error) {
		return target.Open(ctx, engine.OpenOptions{LockWait: a.lockWait})
	}, rowcheck.Options{Limit: limit, AtOnce: atOnce, Started: func(q *order.Question) { a.detail("        %s", cmp.Or(q.Probe, q.Count)) }})
	if err != nil {
		return nil, trouble("row-checks", "asking the target's rows: %w; --row-checks off leaves that out", err)
	}
	return answers, nil
}

// willFail says which steps the rows will stop, and the way out.
func (a *app) willFail(plan *order.Plan) {
	for _, s := range plan.Steps {
		for _, r := range s.Risks {
			if r.Kind == order.WillFail {
				a.say("will fail  step %d (%s): %s; %s", s.Number, s.Title, r.Sentence(), script.WayOut(r))
			}
		}
	}
}

// fills reads the --fill options; each must name a column of the source.
func fills(texts []string, source *catalog.Catalog) (map[string]string, error) {
	out := map[string]string{}
	for _, t := range texts {
		column, expr, ok := strings.Cut(t, "=")
		if !ok || strings.TrimSpace(expr) == "" {
			return nil, trouble("usage", "--fill %q: it is written COLUMN=EXPR, for example berth.depth=0", t)
		}
		ps, err := scope.Parse("column:" + strings.TrimPrefix(column, "column:"))
		if err != nil || len(ps) != 1 {
			return nil, trouble("usage", "--fill %q: %q is no column; write TABLE.COLUMN", t, column)
		}
		found := false
		for _, o := range source.Objects {
			for _, c := range o.PartsOf(catalog.Column) {
				if ps[0].MatchSelf(o.PartRef(c), source.Fold) {
					out[columnKey(o, c)] = expr
					found = true
				}
			}
		}
		if !found {
			return nil, trouble("no-match", "--fill %s: the source has no such column; write TABLE.COLUMN", column)
		}
	}
	return out, nil
}

// fillsSomething refuses values for columns that need none: they would do
// nothing.
func fillsSomething(fill map[string]string, cmp *compare.Comparison) error {
	needed := map[string]bool{}
	for _, it := range cmp.Items {
		if it.Source == nil || it.Target == nil {
			continue
		}
		for _, p := range it.Parts {
			if p.Kind() != catalog.Column || p.Source == nil {
				continue
			}
			if d := p.Property("not null"); p.Target == nil || d != nil && d.Target == nil {
				needed[columnKey(it.Source, p.Source)] = true
			}
		}
	}
	for _, column := range slices.Sorted(maps.Keys(fill)) {
		if !needed[column] {
			return trouble("usage", "--fill %s does nothing here: the column is neither new in its table nor becomes NOT NULL", column)
		}
	}
	return nil
}

func (a *app) scriptJSON(p *pair, plan *order.Plan, text []byte, output string) *report.JSONScript {
	js := &report.JSONScript{BlockedBy: p.blockers, Gone: patterns(plan.Gone), Engine: p.comparison.Target.Engine, Source: p.comparison.Source.Place, Target: p.comparison.Target.Place,
		Steps: jsonSteps(plan.Steps), Held: jsonSteps(plan.Held)}
	if output == "" || output == "-" {
		js.Text = string(text)
	} else {
		js.File = output
	}
	return js
}

func patterns(refs []catalog.Ref) []string {
	var out []string
	for _, r := range refs {
		out = append(out, r.String())
	}
	return out
}

func jsonSteps(steps []*order.Step) []report.JSONStep {
	out := []report.JSONStep{}
	for _, s := range steps {
		out = append(out, report.JSONStep{Number: s.Number, Kind: s.About.Object().Kind, On: s.About.String(), Title: s.Title, SQL: s.Statements(), Risks: s.Risks, Cleared: s.Cleared, Fills: s.Fills, Locks: s.Locks})
	}
	return out
}

// stepList writes steps for people.
func (a *app) stepList(steps []script.StepInfo) {
	st := a.style()
	for _, s := range steps {
		hang(&a.out, fmt.Sprintf("  %3d  ", s.Number), report.Safe(s.Title), st.Width, nil)
		for _, r := range s.Risks {
			paint := st.Dim
			if r.Kind == order.Loss || r.Kind == order.WillFail {
				paint = st.Warn
			}
			hang(&a.out, "       ! ", report.Safe(script.RiskWords(r)), st.Width, paint)
		}
		for _, l := range s.Locks {
			hang(&a.out, "       lock ", report.Safe(l), st.Width, st.Dim)
		}
		for _, r := range s.Cleared {
			hang(&a.out, "       . ", report.Safe(r), st.Width, st.Dim)
		}
		for _, f := range s.Fills {
			hang(&a.out, "       . fill: ", report.Safe(f), st.Width, st.Dim)
		}
	}
}

// hang writes a text behind a head, folded at the width, the rest below it.
func hang(w io.Writer, head, text string, width int, paint func(string) string) {
	for i, l := range script.Wrap(text, width-len(head)) {
		if i > 0 {
			head = strings.Repeat(" ", len(head))
		}
		if l = head + l; paint != nil {
			l = paint(l)
		}
		fmt.Fprintln(w, l)
	}
}
