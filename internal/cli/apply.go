package cli

import (
	"context"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
)

func (a *app) applyCommand() *cobra.Command {
	var yes, create bool
	cmd := &cobra.Command{
		Use:   "apply SCRIPT TARGET",
		Short: "Run a script that was approved",
		Long: `Runs a script on the target it was made for. It first looks whether the target is
still what the script was written for, says what will happen, and asks. Inside the
transaction it looks once more. Make a backup first.

Exit code 3 says that it was refused, 4 that the target is partly changed.`,
		Example: "  dapper-mirror apply up.sql live.db\n  dapper-mirror apply up.sql live.db --yes",
		Args:    cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			s, eng, err := a.readScript(args[0])
			if err != nil {
				return err
			}
			target, err := a.resolve(args[1], create)
			if err != nil {
				return err
			}
			if !target.Writable() {
				return trouble("not-a-database", "%s is no database; a script runs on a database only", target.Label)
			}
			ran, err := a.run(cmd.Context(), s, eng, target, yes, create)
			if err != nil {
				return err
			}
			if a.format == "json" {
				return a.json(func(o *report.Output) {
					o.Run = &report.JSONRun{Steps: ran, Held: len(s.Held()), Target: target.Label}
				})
			}
			fmt.Fprintf(&a.out, "Done: %s ran on %s.\n", report.Number(ran, "step", "steps"), report.Safe(target.Label))
			if n := len(s.Held()); n > 0 {
				fmt.Fprintf(&a.out, "%s in the script as held back did not run.\n", report.Number(n, "step", "steps"))
			}
			return nil
		},
	}
	cmd.Flags().BoolVarP(&yes, "yes", "y", false, "do not ask")
	cmd.Flags().BoolVar(&create, "create", false, "the target may not exist yet")
	return cmd
}

// run checks the fit, asks, and runs a script; it answers how many steps ran.
func (a *app) run(ctx context.Context, s *script.Script, eng engine.Engine, target *place.Place, yes, create bool) (int, error) {
	fit, err := a.fit(ctx, s, target)
	if err != nil {
		return 0, err
	}
	if fit.Done {
		a.note("the target is already as the script would leave it; nothing to do")
		return 0, nil
	}
	if len(fit.Moves) > 0 {
		return 0, &script.MovedError{Moves: fit.Moves}
	}
	steps := s.Planned()
	if len(steps) == 0 {
		return 0, nil
	}
	if s.Edited {
		a.warn("the script was edited after it was written; it runs as it stands")
	}
	losses := 0
	for _, st := range steps {
		for _, r := range st.Risks {
			if r.Kind == order.Loss {
				losses++
				a.note("loss    %s", r.Text)
			}
		}
	}
	a.note("%s on %s, %s", report.Number(len(steps), "step", "steps"), target.Label, report.Number(losses, "loss", "losses"))
	if !yes {
		ok, err := a.ask(fmt.Sprintf("Run them on %s?", target.Label))
		if err != nil {
			return 0, err
		}
		if !ok {
			return 0, refusal("declined", "not run: the answer was no")
		}
	}
	db, err := target.Open(ctx, engine.OpenOptions{Write: true, Create: create, LockWait: a.lockWait})
	if err != nil {
		return 0, trouble("open", "%w", err)
	}
	defer db.Close()
	start := time.Now()
	err = script.Run(ctx, s, eng, db, func(step, of int, title string) {
		if step == 0 {
			a.detail("        %s", title)
			return
		}
		digits := len(fmt.Sprint(of))
		head := fmt.Sprintf("%6.1fs  step %*d of %d  ", time.Since(start).Seconds(), digits, step, of)
		a.note("%s%s", head, report.Shorten(title, a.style().Width-len(head)))
	})
	if err != nil {
		return 0, err
	}
	return len(steps), nil
}
