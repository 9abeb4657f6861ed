package cli

import (
	"context"
	"errors"
	"os"

	"github.com/spf13/cobra"

	"dappermirror/internal/cli/doing"
	"dappermirror/internal/cli/many"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
	"dappermirror/internal/work"
)

func (a *app) rehearseCommand() *cobra.Command {
	var w doing.Writing
	var re doing.Rehearsing
	var m many.Options
	cmd := &cobra.Command{
		Use:   "rehearse SOURCE TARGET... | SCRIPT TARGET...",
		Short: "Run the script on a scratch copy of the target's structure",
		Long: `Builds the target's structure in a scratch database, runs the script there, and
proves that it ends like the source, or for a script that was written before, as
that promises. The scratch database is removed whatever happens; the target itself
is only read.

For SQLite it is in memory. For servers, --scratch local starts a throw-away server
from the programs installed on this machine, and --scratch PLACE makes a database
beside that place; --scratch model is a model of SQL Server in this program. With
--copy-rows some rows come along, under their keys.

Exit code 1 says that a step failed or that it does not end as promised.`,
		Example: "  dapper-mirror rehearse dev.db live.db\n  dapper-mirror rehearse up.sql live.db --copy-rows 100\n  dapper-mirror rehearse up.sql postgres://office@db/quillhaven --scratch local",
		Args:    cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			s, eng, err := a.scriptAt(args[0])
			if err != nil {
				return err
			}
			if len(args) < 2 && m.File == "" {
				return trouble("usage", "rehearse wants a source, or a script, and a target; see `%s --help`", cmd.CommandPath())
			}
			if err := idle(cmd, s != nil, "the script is written already", "only", "except", "include", "tolerate", "pair", "rename", "to-target", "leave", "to-source", "leave-target-only", "choices", "add-needed", "remake", "swap", "may-lose", "fill", "as", "create", "avoid-blocking", "row-checks", "row-check-time"); err != nil {
				return err
			}
			if m.Several(args[1:]) {
				return many.Of(desk{a}).Rehearsals(cmd.Context(), &m, args, s != nil, &w, re)
			}
			return a.rehearseOne(cmd.Context(), args, s, eng, &w, re)
		},
	}
	w.Flags(cmd)
	re.Flags(cmd)
	m.Flags(cmd)
	a.reports.Flags(cmd)
	a.said.Flags(cmd)
	return cmd
}

// rehearseOne rehearses for one target; s is the script, nil where it is to be written.
func (a *app) rehearseOne(ctx context.Context, args []string, s *script.Script, eng engine.Engine, w *doing.Writing, re doing.Rehearsing) error {
	var target *place.Place
	var actual, desired *catalog.Catalog
	var err error
	whole := false
	if s != nil {
		if target, err = a.work.Place(args[1], false); err != nil {
			return err
		}
		var fit script.FitReport
		if actual, fit, err = a.work.Fit(ctx, s, target); err != nil {
			return err
		}
		if len(fit.Moves) > 0 && !fit.Done {
			return &script.MovedError{Moves: fit.Moves}
		}
	} else {
		args := a.said.Sides(args)
		wr, err := w.Of("", args[1], a.said.Words())
		if err != nil {
			return err
		}
		p, err := a.compare(ctx, args[0], args[1], w.Create, work.Whole)
		if err != nil {
			return err
		}
		made, err := a.work.Write(ctx, p, wr)
		if err != nil {
			return err
		}
		s, eng, target, actual, desired = made.Script, made.Engine, p.Target, made.Plan.Actual, made.Plan.Desired
		whole = p.Options.Scope.Empty() && !p.Choices.Picked() && len(p.Tolerated)+len(made.Plan.Held) == 0
		if len(made.Plan.Held) > 0 {
			a.exit = exitSafety
		}
	}
	res, err := a.work.Rehearse(ctx, s, nil, eng, target, actual, desired, re.Of())
	if err != nil {
		return err
	}
	if !res.Passed() {
		a.exit = worse(a.exit, exitDifferent)
	}
	if err := a.reported(func(o *report.Output) {
		o.Script, o.Rehearsal = report.ScriptJSON(args[0], s, nil, report.Standing{}), report.RehearsalJSON(res, s)
	}); err != nil {
		return err
	}
	if a.format == "json" {
		return a.json(func(o *report.Output) { o.Rehearsal = report.RehearsalJSON(res, s) })
	}
	report.Rehearsal(&a.out, res, s, whole, a.style())
	return nil
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
