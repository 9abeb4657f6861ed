package cli

import (
	"errors"

	"github.com/spf13/cobra"

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
	s, eng, err := work.ReadScript([]byte(text))
	var f *work.Failure
	if errors.As(err, &f) {
		err = trouble(f.Code, "%s: %w", path, f.Err)
	}
	return s, eng, err
}

func (a *app) checkCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "check SCRIPT [TARGET]",
		Short: "Say what a script is for and whether the target still fits",
		Long: `Says what a script was written for, its steps and their risks, what it holds
back, and whether it was edited since. With a target it also says whether that is
still what the script was written for, what the account lacks for the steps, and
which rows stand in the way. Nothing is run.

Exit code 1 says that the target no longer fits, 3 that something stands in the way.`,
		Example: "  dapper-mirror check up.sql\n  dapper-mirror check up.sql live.db",
		Args:    cobra.RangeArgs(1, 2),
		RunE: func(cmd *cobra.Command, args []string) error {
			s, eng, err := a.readScript(args[0])
			if err != nil {
				return err
			}
			if _, err := s.Commands(eng.Dialect()); err != nil {
				return trouble("script", "%s: %w", args[0], err)
			}
			var fit *script.FitReport
			standing := report.Standing{Unfinished: work.Unfinished(args[0], s)}
			if len(args) == 2 {
				target, err := a.work.Place(args[1], true)
				if err != nil {
					return err
				}
				_, r, err := a.work.Fit(cmd.Context(), s, target)
				if err != nil {
					return err
				}
				fit = &r
				if len(r.Moves) > 0 {
					a.exit = exitDifferent
				} else if !r.Done {
					if standing.Lacking, standing.Failing, err = a.work.Standing(cmd.Context(), s, target); err != nil {
						return err
					}
					if len(standing.Lacking)+len(standing.Failing) > 0 {
						a.exit = exitSafety
					}
				}
			}
			if a.format == "json" {
				return a.json(func(o *report.Output) { o.Script = report.ScriptJSON(args[0], s, fit, standing) })
			}
			report.Script(&a.out, s, fit, standing, a.style())
			return nil
		},
	}
}
