package cli

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/words"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
)

func (a *app) syncCommand() *cobra.Command {
	var w writing
	var o running
	var force bool
	var out string
	cmd := &cobra.Command{
		Use:   "sync SOURCE TARGET",
		Short: "Compare, write the script, confirm, run it, compare again",
		Long: `Does the whole day at once: compares, writes the script, says what it would do,
asks, runs it, and compares again. What still differs is said, with the reason.

Exit code 3 says that something was held back or refused.`,
		Example: "  dapper-mirror sync dev.db live.db\n  dapper-mirror sync dev.db live.db --yes -o up.sql",
		Args:    cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := unwritten(out, force); err != nil {
				return err
			}
			if err := a.ownInput([]output{{"-o", out}}, args...); err != nil {
				return err
			}
			p, err := a.compare(cmd.Context(), args[0], args[1], w.create, w.reads(false))
			if err != nil {
				return err
			}
			if !p.target.Writable() {
				return trouble("not-a-database", "%s is no database and cannot be changed; use `script` to write a script for it", p.target.Label)
			}
			if a.format != "json" {
				report.List(&a.out, p.comparison, a.style(), report.ListOptions{Losses: losses(p.comparison)})
			}
			if !p.comparison.Different() {
				zero := 0
				return a.syncDone(&report.JSONRun{Target: p.target.Label, Remaining: &zero}, nil)
			}
			plan, text, err := a.write(cmd.Context(), p, &w, out, args[1])
			if err != nil {
				return err
			}
			if out != "" {
				if err := a.put(out, text, force); err != nil {
					return err
				}
			}
			s, eng, err := a.parsed(text, p)
			if err != nil {
				return err
			}
			if a.format != "json" {
				fmt.Fprintf(&a.out, "\n%s\n", a.style().Strong(words.Number(len(plan.Steps), "step", "steps")))
				a.stepList(s.Planned())
			}
			if len(plan.WillFail()) > 0 {
				a.willFail(plan)
				return refusal("will-fail", "the target's rows stand in the way of %s; nothing was run", words.Number(len(plan.WillFail()), "step", "steps"))
			}
			for _, r := range plan.HeldBecause {
				a.say("held back  %s (%s)", r.Because(), script.WayOut(r))
			}
			if !o.yes { // the list must be read before the question
				if err := a.flush(); err != nil {
					return err
				}
			}
			o.file, o.create, o.rowChecks, o.rowCheckTime = out, w.create, w.rowChecks, w.rowCheckTime
			ran, err := a.run(cmd.Context(), s, eng, p.target, o)
			if err != nil {
				return err
			}
			return a.compareAgain(cmd.Context(), args, plan, p.target.Label, ran)
		},
	}
	o.flags(cmd)
	cmd.Flags().StringVarP(&out, "output", "o", "", "keep the script in this file")
	cmd.Flags().BoolVar(&force, "force", false, "overwrite the file")
	w.flags(cmd)
	a.scopeFlags(cmd)
	return cmd
}

// compareAgain says what still differs when the script has run.
func (a *app) compareAgain(ctx context.Context, args []string, plan *order.Plan, target string, ran int) error {
	again, err := a.compare(ctx, args[0], args[1], false, toCompare)
	if err != nil {
		return err
	}
	left := again.comparison.Differences()
	remaining := len(left)
	if len(plan.Held) > 0 || remaining > 0 {
		a.exit = exitSafety
	}
	if a.format != "json" {
		fmt.Fprintf(&a.out, "\nDone: %s ran.\n", words.Number(ran, "step", "steps"))
		for _, r := range plan.HeldBecause {
			fmt.Fprintf(&a.out, "held back  %s (%s)\n", report.Safe(r.Because()), report.Safe(script.WayOut(r)))
		}
	}
	return a.syncDone(&report.JSONRun{Steps: ran, Held: len(plan.Held), Target: target, Remaining: &remaining}, again.comparison)
}

func (a *app) syncDone(run *report.JSONRun, again *compare.Comparison) error {
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
	report.List(&a.out, again, a.style(), report.ListOptions{Losses: losses(again)})
	return nil
}
