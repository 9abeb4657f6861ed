package cli

import (
	"github.com/spf13/cobra"

	"dappermirror/internal/cli/many"
	"dappermirror/internal/engine"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
	"dappermirror/internal/work"
)

// readScript reads a script file.
func (a *app) readScript(path string) (*script.Script, engine.Engine, error) {
	text, err := work.ReadText(path, a.stdin)
	if err != nil {
		return nil, nil, err
	}
	return many.ScriptOf(path, text)
}

func (a *app) checkCommand() *cobra.Command {
	var o many.Options
	cmd := &cobra.Command{
		Use:   "check SCRIPT [TARGET...]",
		Short: "Say what a script is for and whether the target still fits",
		Long: `Says what a script was written for, its steps and their risks, what it holds
back, and whether it was edited since. With a target it also says whether that is
still what the script was written for, what the account lacks for the steps, and
which rows stand in the way. Nothing is run.

Exit code 1 says that the target no longer fits, 3 that something stands in the way.`,
		Example: "  dapper-mirror check up.sql\n  dapper-mirror check up.sql live.db",
		Args:    cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) > 1 && o.Several(args[1:]) || o.File != "" {
				return many.Of(desk{a}).Checks(cmd.Context(), &o, args[0], args[1:])
			}
			s, eng, err := a.readScript(args[0])
			if err != nil {
				return err
			}
			if _, err := s.Commands(eng.Dialect()); err != nil {
				return trouble("script", "%s: %w", args[0], err)
			}
			var fit *script.FitReport
			standing := report.Standing{Unfinished: work.Unfinished(args[0], "", s)}
			if len(args) == 2 {
				var exit int
				if fit, exit, err = many.Checked(cmd.Context(), a.work, s, args[1], &standing); err != nil {
					return err
				}
				a.exit = exit
			}
			result := func(o *report.Output) { o.Script = report.ScriptJSON(args[0], s, fit, standing) }
			if err := a.reported(result); err != nil {
				return err
			}
			if a.format == "json" {
				return a.json(result)
			}
			report.Script(&a.out, s, fit, standing, a.style())
			return nil
		},
	}
	o.Flags(cmd)
	a.reports.Flags(cmd)
	return cmd
}
