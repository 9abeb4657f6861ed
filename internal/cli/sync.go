package cli

import (
	"context"
	"fmt"
	"strings"

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

func (a *app) syncCommand() *cobra.Command {
	var save string
	var w doing.Writing
	var o doing.Running
	var m many.Options
	var force bool
	var out string
	cmd := &cobra.Command{
		Use:   "sync SOURCE TARGET [TARGET...] | [PAIR]",
		Short: "Compare, write the script, confirm, run it, compare again",
		Long: `Does the whole day at once: compares, writes the script, says what it would do,
asks, runs it, and compares again. What still differs is said, with the reason.

Where the target is a folder of SQL texts, or one text, exactly the statements of
what differs are written anew; all else keeps its bytes. What goes to the source
(--to-source) is written there in the same way where that is texts.

Exit code 3 says that something was held back or refused.`,
		Example: "  dapper-mirror sync dev.db live.db\n  dapper-mirror sync dev.db live.db --yes -o up.sql\n  dapper-mirror sync dev.db db/",
		RunE: func(cmd *cobra.Command, args []string) error {
			args, err := a.sides(cmd, args)
			if err != nil {
				return err
			}
			if err := tasks.Of(desk{a}).Save(cmd, save, a.said.Sides(args), w.MayLose); err != nil {
				return err
			}
			if m.Several(args[1:]) {
				return many.Of(desk{a}).Syncs(cmd.Context(), &m, args, &w, o, out, force)
			}
			args = a.said.Sides(args)
			if err := a.work.Writable([]work.Output{{Option: "-o", Path: out}}, force, args...); err != nil {
				return err
			}
			wr, err := w.Of(out, args[1], a.said.Words())
			if err != nil {
				return err
			}
			texts := a.work.Rewritable(args[1])
			p, err := a.compare(cmd.Context(), args[0], args[1], w.Create, wr.Reads(texts || a.work.Rewritable(args[0])))
			if err != nil {
				return err
			}
			if texts {
				if out != "" {
					return trouble("usage", "-o: no script is written for a folder of texts")
				}
				return a.rewrite(cmd.Context(), p, args, o.Yes)
			}
			if !p.Target.Writable() {
				return trouble("not-a-database", "%s is no database and cannot be changed; use `script` to write a script for it", p.Target.Label)
			}
			if p, err = a.shown(cmd.Context(), p, args, wr, o.Yes, w.Create); err != nil {
				return err
			}
			if err := a.toSource(cmd.Context(), p, args, o.Yes); err != nil {
				return err
			}
			if len(p.Choices.Open())+len(p.Choices.Remake) == 0 {
				zero := 0
				return a.syncDone(&report.JSONRun{Target: p.Target.Label, Remaining: &zero}, nil)
			}
			o.Create, o.Rows = w.Create, w.Rows
			return a.synced(cmd.Context(), p, args, wr, o, out, force)
		},
	}
	o.Flags(cmd)
	cmd.Flags().StringVarP(&out, "output", "o", "", "keep the script in this file")
	cmd.Flags().BoolVar(&force, "force", false, "overwrite the file")
	w.Flags(cmd)
	m.Flags(cmd)
	a.reports.Flags(cmd)
	tasks.SaveFlag(cmd, &save)
	a.said.Flags(cmd)
	return cmd
}

// synced writes the script, runs it and compares again.
func (a *app) synced(ctx context.Context, p *work.Pair, args []string, wr *work.Writing, o doing.Running, out string, force bool) error {
	made, err := a.work.Write(ctx, p, wr)
	if err != nil {
		return err
	}
	if out != "" {
		if err := a.writeResult(out, made.Text, force); err != nil {
			return err
		}
	}
	plan := made.Plan
	if a.format != "json" {
		fmt.Fprintf(&a.out, "\n%s\n", a.style().Strong(words.Number(len(plan.Steps), "step", "steps")))
		report.Steps(&a.out, made.Script.Planned(), a.style())
	}
	if len(plan.WillFail()) > 0 {
		a.willFail(plan)
		return refusal("will-fail", "the target's rows stand in the way of %s; nothing was run", words.Number(len(plan.WillFail()), "step", "steps"))
	}
	for _, r := range plan.HeldBecause {
		a.Always("held back  %s (%s)", r.Because(), script.WayOut(r))
	}
	if !o.Yes { // the list must be read before the question
		if err := a.flush(); err != nil {
			return err
		}
	}
	o.File = out
	ran, err := a.run(ctx, made.Script, made.Engine, p.Target, o)
	if err != nil {
		return err
	}
	return a.compareAgain(ctx, args, plan, p.Target.Label, ran)
}

// shown lists the differences, and asks about likely renames; where one was said
// to be one it compares once more.
func (a *app) shown(ctx context.Context, p *work.Pair, args []string, wr *work.Writing, unasked, create bool) (*work.Pair, error) {
	if a.format != "json" {
		a.list(p, p.Comparison.Likely(match.Least))
	}
	renamed, err := a.askRenames(ctx, p, unasked)
	if err != nil || !renamed {
		return p, err
	}
	wr.Said = a.said.Words()
	return a.compare(ctx, args[0], args[1], create, wr.Reads(false))
}

// list lists the differences of a pair.
func (a *app) list(p *work.Pair, likely []match.Likely) {
	report.List(&a.out, many.View(p, likely, false), a.style(), report.ListOptions{})
}

// askRenames asks, where somebody is there to answer, about each likely rename,
// and tells whether any was said to be one.
func (a *app) askRenames(ctx context.Context, p *work.Pair, unasked bool) (bool, error) {
	if unasked || a.noInput || !isTerminal(a.stdin) || a.format == "json" {
		return false, nil
	}
	some := false
	for _, l := range p.Comparison.Likely(match.Least) {
		if err := a.flush(); err != nil {
			return false, err
		}
		yes, err := a.Confirm(ctx, fmt.Sprintf("Is %s of the target what the source calls %s (%d %%: %s)?", l.Old, l.New, l.Weight, strings.Join(l.Reasons, ", ")))
		if err != nil {
			return false, err
		}
		if yes {
			a.said.Rename = append(a.said.Rename, strings.TrimPrefix(l.Option(), "--rename "))
			some = true
		}
	}
	return some, nil
}

// compareAgain says what still differs when the script has run.
func (a *app) compareAgain(ctx context.Context, args []string, plan *order.Plan, target string, ran int) error {
	a.said.Rename = nil // they are carried out
	again, err := a.compare(ctx, args[0], args[1], false, work.ToCompare)
	if err != nil {
		return err
	}
	remaining := len(again.Choices.Open())
	if len(plan.Held) > 0 || remaining > 0 {
		a.exit = exitSafety
	}
	if a.format != "json" {
		fmt.Fprintf(&a.out, "\nDone: %s ran.\n", words.Number(ran, "step", "steps"))
		for _, r := range plan.HeldBecause {
			fmt.Fprintf(&a.out, "held back  %s (%s)\n", report.Safe(r.Because()), report.Safe(script.WayOut(r)))
		}
	}
	return a.syncDone(&report.JSONRun{Steps: ran, Held: len(plan.Held), Target: target, Remaining: &remaining}, again)
}

func (a *app) syncDone(run *report.JSONRun, again *work.Pair) error {
	if err := a.reported(func(o *report.Output) {
		o.Run = run
		if again != nil {
			o.Comparisons = []report.JSONComparison{report.ComparisonJSON(many.View(again, nil, true), true)}
		}
	}); err != nil {
		return err
	}
	if a.format == "json" {
		return a.json(func(o *report.Output) { o.Run = run })
	}
	if again == nil {
		return nil
	}
	if *run.Remaining == 0 {
		fmt.Fprintln(&a.out, "Compared again: no difference.")
		return nil
	}
	fmt.Fprintf(&a.out, "Compared again: %s.\n\n", words.Number(*run.Remaining, "object still differs", "objects still differ"))
	a.list(again, nil)
	return nil
}
