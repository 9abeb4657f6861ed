package cli

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"dappermirror/internal/cli/doing"
	"dappermirror/internal/cli/many"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
)

func (a *app) applyCommand() *cobra.Command {
	var o doing.Running
	var m many.Options
	cmd := &cobra.Command{
		Use:   "apply SCRIPT TARGET...",
		Short: "Run a script that was approved",
		Long: `Runs a script on the target it was made for. It first looks whether the target is
still what the script was written for, whether its rows or the account's rights
stand in the way, says what will happen, and asks. It saves the target's structure
beside the script (SCRIPT.before.json), and the rows that are lost by permission
(SCRIPT.rows/). Inside the transaction it looks once more.

Where not everything is one transaction a run record (SCRIPT.run.json) says what has
run: when the run stops half way, --resume goes on from there.

Exit code 3 says that it was refused, 4 that the target is partly changed or its
state is not known.`,
		Example: "  dapper-mirror apply up.sql live.db\n  dapper-mirror apply up.sql live.db --yes --lock-timeout 2s\n  dapper-mirror apply up.sql mariadb://office@db/quillhaven --resume",
		Args:    cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) < 2 && m.File == "" {
				return trouble("usage", "apply wants a script and a target; see `%s --help`", cmd.CommandPath())
			}
			if m.Several(args[1:]) {
				return many.Of(desk{a}).Applies(cmd.Context(), &m, args[0], args[1:], o)
			}
			s, eng, err := a.readScript(args[0])
			if err != nil {
				return err
			}
			target, err := a.work.Place(args[1], o.Create)
			if err != nil {
				return err
			}
			if !target.Writable() {
				return trouble("not-a-database", "%s is no database; a script runs on a database only", target.Label)
			}
			o.File = args[0]
			ran, err := a.run(cmd.Context(), s, eng, target, o)
			if err != nil {
				return err
			}
			result := func(o *report.Output) {
				o.Run = &report.JSONRun{Steps: ran, Held: len(s.Held()), Target: target.Label}
			}
			if err := a.reported(func(o *report.Output) {
				result(o)
				o.Script = report.ScriptJSON(args[0], s, nil, report.Standing{})
			}); err != nil {
				return err
			}
			if a.format == "json" {
				return a.json(result)
			}
			fmt.Fprintf(&a.out, "Done: %s ran on %s.\n", words.Number(ran, "step", "steps"), report.Safe(target.Label))
			if n := len(s.Held()); n > 0 {
				fmt.Fprintf(&a.out, "%s in the script as held back did not run.\n", words.Number(n, "step", "steps"))
			}
			return nil
		},
	}
	o.Flags(cmd)
	m.Flags(cmd)
	a.reports.Flags(cmd)
	cmd.Flags().BoolVar(&o.Create, "create", false, "the target may not exist yet")
	cmd.Flags().BoolVar(&o.Edited, "edited", false, "run the script though it is not as it was written")
	cmd.Flags().BoolVar(&o.Resume, "resume", false, "go on where an earlier run of the script stopped")
	o.Rows.Flags(cmd)
	return cmd
}

// run runs a script.
func (a *app) run(ctx context.Context, s *script.Script, eng engine.Engine, target *place.Place, o doing.Running) (int, error) {
	r, err := o.Of(a)
	if err != nil {
		return 0, err
	}
	return a.work.Apply(ctx, s, eng, target, r)
}
