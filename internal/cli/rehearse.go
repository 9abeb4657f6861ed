package cli

import (
	"errors"
	"os"

	"github.com/spf13/cobra"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
	"dappermirror/internal/work"
)

// rehearsing are the options of a rehearsal.
type rehearsing struct {
	copyRows int
}

func (r *rehearsing) flags(cmd *cobra.Command) {
	cmd.Flags().IntVar(&r.copyRows, "copy-rows", 0, "copy that many rows of each table, to rehearse on real values")
}

func (a *app) rehearseCommand() *cobra.Command {
	var w writing
	var re rehearsing
	cmd := &cobra.Command{
		Use:   "rehearse SOURCE TARGET | SCRIPT TARGET",
		Short: "Run the script on a scratch copy of the target's structure",
		Long: `Builds the target's structure in a scratch database, runs the script there, and
proves that it ends like the source, or for a script that was written before, as
that promises. The scratch database is removed whatever happens; the target itself
is only read.

For SQLite it is in memory. For servers, --scratch local starts a throw-away server
from the programs installed on this machine, and --scratch PLACE makes a database
beside that place. With --copy-rows some rows come along, under their keys.

Exit code 1 says that a step failed or that it does not end as promised.`,
		Example: "  dapper-mirror rehearse dev.db live.db\n  dapper-mirror rehearse up.sql live.db --copy-rows 100\n  dapper-mirror rehearse up.sql postgres://office@db/quillhaven --scratch local",
		Args:    cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			s, eng, err := a.scriptAt(args[0])
			if err != nil {
				return err
			}
			var target *place.Place
			var actual, desired *catalog.Catalog
			whole := false
			if err := idle(cmd, s != nil, "the script is written already", "only", "except", "include", "tolerate", "pair", "rename", "to-target", "leave", "to-source", "leave-target-only", "choices", "add-needed", "remake", "swap", "may-lose", "fill", "as", "create", "avoid-blocking", "row-checks", "row-check-time"); err != nil {
				return err
			}
			if s != nil {
				if target, err = a.work.Place(args[1], false); err != nil {
					return err
				}
				var fit script.FitReport
				if actual, fit, err = a.work.Fit(cmd.Context(), s, target); err != nil {
					return err
				}
				if len(fit.Moves) > 0 && !fit.Done {
					return &script.MovedError{Moves: fit.Moves}
				}
			} else {
				args := a.said.Sides(args)
				wr, err := a.writing(&w, "", args[1])
				if err != nil {
					return err
				}
				p, err := a.compare(cmd.Context(), args[0], args[1], w.create, work.Whole)
				if err != nil {
					return err
				}
				made, err := a.work.Write(cmd.Context(), p, wr)
				if err != nil {
					return err
				}
				s, eng, target, actual, desired = made.Script, made.Engine, p.Target, made.Plan.Actual, made.Plan.Desired
				whole = p.Options.Scope.Empty() && !p.Choices.Picked() && len(p.Tolerated)+len(made.Plan.Held) == 0
				if len(made.Plan.Held) > 0 {
					a.exit = exitSafety
				}
			}
			res, err := a.work.Rehearse(cmd.Context(), s, nil, eng, target, actual, desired, work.Rehearsal{CopyRows: re.copyRows})
			if err != nil {
				return err
			}
			if !res.Passed() {
				a.exit = worse(a.exit, exitDifferent)
			}
			if a.format == "json" {
				return a.json(func(o *report.Output) { o.Rehearsal = report.RehearsalJSON(res, s) })
			}
			report.Rehearsal(&a.out, res, s, whole, a.style())
			return nil
		},
	}
	w.flags(cmd)
	re.flags(cmd)
	a.said.Flags(cmd)
	return cmd
}

// scriptAt reads a script of ours; nil where the argument is anything else.
func (a *app) scriptAt(path string) (*script.Script, engine.Engine, error) {
	if st, err := os.Stat(path); err != nil || st.IsDir() {
		return nil, nil, nil
	}
	s, eng, err := a.readScript(path)
	if errors.Is(err, script.ErrNotScript) {
		return nil, nil, nil
	}
	return s, eng, err
}
