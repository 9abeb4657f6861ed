package cli

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"dappermirror/internal/cli/doing"
	"dappermirror/internal/cli/many"
	"dappermirror/internal/cli/tasks"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/words"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
	"dappermirror/internal/work"
)

func (a *app) scriptCommand() *cobra.Command {
	var save string
	var w doing.Writing
	var re doing.Rehearsing
	var out, forSource string
	var force, rehearsal bool
	var o many.Options
	cmd := &cobra.Command{
		Use:   "script SOURCE TARGET [TARGET...] | [PAIR]",
		Short: "Write the ordered script that brings the target in line",
		Long: `Compares both places and writes the ordered SQL script that brings the target in
line with the source. Nothing is run. A step that would lose rows or values is
held back, with whatever depends on it, unless --may-lose names it.

Where the target is a live database its rows are asked about every risk: how many hold
a value that would go, a NULL where none may be, a key twice. See help safety.

With several targets the name of the file has {target} in it; targets that need the
same script share it. See help targets.

Exit code 3 says that something was held back, or that the rows would stop a step.`,
		Example: `  dapper-mirror script dev.db live.db -o up.sql
  dapper-mirror script dev.db live.db --may-lose column:booking.pilotage
  dapper-mirror script dev.db live.db --fill berth.depth=0
  dapper-mirror script dev 'customer-*' -o 'out/{target}.sql'`,
		RunE: func(cmd *cobra.Command, args []string) error {
			args, err := a.sides(cmd, args)
			if err != nil {
				return err
			}
			if err := tasks.Of(desk{a}).Save(cmd, save, a.said.Sides(args), w.MayLose); err != nil {
				return err
			}
			if err := idle(cmd, !rehearsal, "only --rehearse needs it", "copy-rows"); err != nil {
				return err
			}
			if o.Several(args[1:]) {
				if forSource != "" {
					return trouble("usage", "--script-for-source is about one source and one target")
				}
				return many.Of(desk{a}).Scripts(cmd.Context(), &o, args, &w, out, force, map[bool]*doing.Rehearsing{true: &re}[rehearsal])
			}
			return a.scriptOne(cmd.Context(), a.said.Sides(args), &w, re, out, forSource, force, rehearsal)
		},
	}
	cmd.Flags().StringVarP(&out, "output", "o", "", "the file to write; without it, or for -, standard output")
	cmd.Flags().BoolVar(&force, "force", false, "overwrite the file")
	cmd.Flags().StringVar(&w.Backout, "backout", "", "write the way back into this file")
	cmd.Flags().StringVar(&forSource, "script-for-source", "", "write what goes to the source, by --to-source or --choices, into this file")
	cmd.Flags().BoolVar(&rehearsal, "rehearse", false, "run it on a scratch copy of the target's structure first; see help rehearse")
	re.Flags(cmd)
	w.Flags(cmd)
	o.Flags(cmd)
	a.reports.Flags(cmd)
	tasks.SaveFlag(cmd, &save)
	a.said.Flags(cmd)
	return cmd
}

// scriptOne writes the script for one target.
func (a *app) scriptOne(ctx context.Context, args []string, w *doing.Writing, re doing.Rehearsing, out, forSource string, force, rehearsal bool) error {
	if err := a.work.Writable([]work.Output{{Option: "-o", Path: out}, {Option: "--backout", Path: w.Backout}, {Option: "--script-for-source", Path: forSource}}, force, args...); err != nil {
		return err
	}
	wr, err := w.Of(out, args[1], a.said.Words())
	if err != nil {
		return err
	}
	p, err := a.compare(ctx, args[0], args[1], w.Create, wr.Reads(rehearsal))
	if err != nil {
		return err
	}
	made, err := a.work.Write(ctx, p, wr)
	if err != nil {
		return err
	}
	if len(made.Plan.Held) > 0 || len(made.Plan.WillFail()) > 0 {
		a.exit = exitSafety
	}
	js := report.PlanJSON(made.Plan, p.Comparison.Target.Engine, p.Comparison.Source.Place, p.Comparison.Target.Place, made.Text, out)
	js.BlockedBy = p.Blockers
	js.Backout, js.Said = w.Backout, wr.Said
	if js.Rehearsal, err = a.wayBack(ctx, p, made, wr, force, rehearsal, re); err != nil {
		return err
	}
	if forSource != "" {
		if err := a.writeForSource(ctx, p, wr, args, forSource, force, rehearsal, re); err != nil {
			return err
		}
	}
	if err := a.reported(func(o *report.Output) {
		o.Comparisons = []report.JSONComparison{report.ComparisonJSON(many.View(p, p.Comparison.Likely(match.Least), true), true)}
		o.Script = js
	}); err != nil {
		return err
	}
	err = a.deliver(js, made.Text, out, force)
	if err == nil {
		a.scriptNote(made.Plan, out)
	}
	return err
}

// wayBack writes the back-out script, where one is wanted, and rehearses both.
func (a *app) wayBack(ctx context.Context, p *work.Pair, made *work.Written, wr *work.Writing, force, rehearsal bool, re doing.Rehearsing) (said *report.JSONRehearsal, err error) {
	back := &work.Written{}
	if wr.Backout != "" {
		if back, err = a.work.WriteBackout(p, made.Plan, wr); err != nil {
			return nil, err
		}
	}
	if rehearsal {
		if said, err = a.rehearseWritten(ctx, p, made, back.Script, re); err != nil {
			return nil, err
		}
	}
	if wr.Backout == "" {
		return said, nil
	}
	if err := work.WriteFile(wr.Backout, back.Text, force); err != nil {
		return nil, err
	}
	a.Note("wrote %s: the way back", wr.Backout)
	return said, nil
}

// writeForSource writes the script for what is to change the source instead, and
// rehearses it where the other one was.
func (a *app) writeForSource(ctx context.Context, p *work.Pair, wr *work.Writing, args []string, path string, force, rehearsal bool, re doing.Rehearsing) error {
	back, err := a.work.Back(ctx, p, args[0], args[1])
	if err != nil {
		return err
	}
	w := *wr
	w.File, w.Backout, w.TargetArg, w.Fill = path, "", args[0], nil
	made, err := a.work.Write(ctx, back, &w)
	if err != nil {
		return fmt.Errorf("the script for the source: %w", err)
	}
	if rehearsal {
		if _, err := a.rehearseWritten(ctx, back, made, nil, re); err != nil {
			return err
		}
	}
	if err := work.WriteFile(path, made.Text, force); err != nil {
		return err
	}
	a.Note("for the source:")
	a.scriptNote(made.Plan, path)
	if len(made.Plan.Held) > 0 || len(made.Plan.WillFail()) > 0 {
		a.exit = exitSafety
	}
	return nil
}

// deliver writes the script where it belongs: into its file, as JSON, or to
// people.
func (a *app) deliver(js *report.JSONScript, text []byte, out string, force bool) (err error) {
	switch {
	case a.format == "json":
		if out != "" && out != "-" {
			if err := work.WriteFile(out, text, force); err != nil {
				return err
			}
		}
		err = a.json(func(o *report.Output) { o.Script = js })
	case (out == "" || out == "-") && (a.style().Color || isTerminal(a.stdout)):
		var altered bool
		if altered, err = report.Show(&a.out, string(text), a.style().Color); altered {
			a.Note("control characters are shown as escapes here; write it to a file (-o) to run it")
		}
	default:
		err = a.writeResult(out, text, force)
	}
	return err
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

// rehearseWritten rehearses a script, and its back-out script, before anybody
// relies on it.
func (a *app) rehearseWritten(ctx context.Context, p *work.Pair, made *work.Written, back *script.Script, re doing.Rehearsing) (*report.JSONRehearsal, error) {
	res, err := a.work.Rehearse(ctx, made.Script, back, made.Engine, p.Target, made.Plan.Actual, made.Plan.Desired, re.Of())
	if err != nil {
		return nil, err
	}
	switch {
	case res.Failed != nil:
		a.Note("rehearsed on %s: it FAILED: %v", res.Where, res.Failed)
	case !res.Passed():
		a.Note("rehearsed on %s: it does NOT end as it should: %s %s", res.Where, res.Left[0].On, res.Left[0].What)
	default:
		a.Note("rehearsed on %s: %s ran, it ends as it should%s", res.Where, words.Number(res.Steps, "step", "steps"), map[bool]string{true: ", and the way back leads back"}[res.Back])
	}
	if !res.Passed() {
		a.exit = worse(a.exit, exitDifferent)
	}
	return report.RehearsalJSON(res, made.Script), nil
}

func (a *app) scriptNote(plan *order.Plan, output string) {
	where := ""
	if output != "" && output != "-" {
		where = "wrote " + output + ": "
	}
	a.Note("%s%s to run, %d held back", where, words.Number(len(plan.Steps), "step", "steps"), len(plan.Held))
	for _, r := range plan.HeldBecause {
		a.Always("held back  %s (%s)", r.Because(), script.WayOut(r))
	}
	a.willFail(plan)
}

// willFail says which steps the rows will stop, and the way out.
func (a *app) willFail(plan *order.Plan) {
	for _, s := range plan.Steps {
		for _, r := range s.Risks {
			if r.Kind == order.WillFail {
				a.Always("will fail  step %d (%s): %s; %s", s.Number, s.Title, r.Sentence(), script.WayOut(r))
			}
		}
	}
}
