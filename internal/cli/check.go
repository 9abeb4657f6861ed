package cli

import (
	"context"
	"errors"
	"fmt"

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
	return scriptOf(path, text)
}

// scriptOf is the script in a text.
func scriptOf(path, text string) (*script.Script, engine.Engine, error) {
	s, eng, err := work.ReadScript([]byte(text))
	var f *work.Failure
	if errors.As(err, &f) {
		err = trouble(f.Code, "%s: %w", path, f.Err)
	}
	return s, eng, err
}

// checked is whether a target fits a script, and what stands in the way.
func checked(ctx context.Context, s *work.Session, sc *script.Script, target string, standing *report.Standing) (*script.FitReport, int, error) {
	p, err := s.Place(target, true)
	if err != nil {
		return nil, 0, err
	}
	_, fit, err := s.Fit(ctx, sc, p)
	if err != nil {
		return nil, 0, err
	}
	switch {
	case len(fit.Moves) > 0:
		return &fit, exitDifferent, nil
	case fit.Done:
		return &fit, exitOK, nil
	}
	standing.Lacking, standing.Failing, err = s.Standing(ctx, sc, p)
	if len(standing.Lacking)+len(standing.Failing) > 0 {
		return &fit, exitSafety, err
	}
	return &fit, exitOK, err
}

// checks says of several targets whether they fit a script.
func (a *app) checks(ctx context.Context, o *many.Options, path string, targets []string) error {
	return a.eachScript(ctx, o, path, targets, func(ctx context.Context, s *work.Session, sc *script.Script, _ engine.Engine, t many.Target, j *report.JSONTarget) error {
		var standing report.Standing
		fit, exit, err := checked(ctx, s, sc, t.Arg(), &standing)
		if err != nil {
			return err
		}
		j.Exit, j.Held = exit, len(sc.Held())
		switch {
		case len(fit.Moves) > 0:
			j.Result, j.Detail = report.Moved, fit.Moves[0].On.String()+" "+fit.Moves[0].What
			if n := len(fit.Moves); n > 1 {
				j.Detail += fmt.Sprintf(", and %d more", n-1)
			}
		case fit.Done:
			j.Result, j.Detail = report.Done, "it is as the script would leave it"
		case exit == exitSafety:
			j.Result, j.Detail = report.HeldBack, append(standing.Lacking, standing.Failing...)[0]
		default:
			j.Result = report.Fits
		}
		if record := work.Unfinished(path, t.Name, sc); record != "" {
			j.Detail = "a run stopped half way: " + record
		}
		return nil
	})
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
				return a.checks(cmd.Context(), &o, args[0], args[1:])
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
				if fit, exit, err = checked(cmd.Context(), a.work, s, args[1], &standing); err != nil {
					return err
				}
				a.exit = exit
			}
			if a.format == "json" {
				return a.json(func(o *report.Output) { o.Script = report.ScriptJSON(args[0], s, fit, standing) })
			}
			report.Script(&a.out, s, fit, standing, a.style())
			return nil
		},
	}
	o.Flags(cmd)
	return cmd
}
