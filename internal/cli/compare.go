package cli

import (
	"context"
	"errors"
	"strings"

	"github.com/spf13/cobra"

	"dappermirror/internal/cli/many"
	"dappermirror/internal/cli/tasks"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/work"
)

func (a *app) compareCommand() *cobra.Command {
	var save, only string
	var detail, all, force, rows bool
	var group, choicesOut string
	var o many.Options
	cmd := &cobra.Command{
		Use:   "compare SOURCE TARGET [TARGET...] | [PAIR]",
		Short: "List how the target differs from the source",
		Long: `Reads both places and lists, object by object, how the target differs from the
source and what would happen to it. Nothing is changed.

Without places it compares the pair "default" of the project file, with one word
the pair of that name; see help places.

With several targets it says how each differs, those that differ in the same way
together; see help targets. --report writes what colleagues read: a page (.html), a
sheet (.xlsx, .csv), a comment for a merge request (.md), test results (.xml), the
JSON result itself (.json); --report-only makes one of such a result, later.

Exit code 0 says that nothing differs, 1 that something does.`,
		Example: `  dapper-mirror compare dev.db live.db
  dapper-mirror compare dev.db live.db --detail --only table:berth
  dapper-mirror compare dev.json postgres://db.example/live --format json
  dapper-mirror compare db/ live
  dapper-mirror compare dev 'customer-*' --parallel 8
  dapper-mirror compare dev.db live.db --report differences.html
  dapper-mirror compare`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if only != "" {
				return a.reportOnly(only, args)
			}
			args, err := a.sides(cmd, args)
			if err != nil {
				return err
			}
			if err := tasks.Of(desk{a}).Save(cmd, save, a.said.Sides(args), nil); err != nil {
				return err
			}
			if group != "kind" && group != "status" {
				return trouble("usage", "--group %q: it is kind or status", group)
			}
			for _, extra := range args[min(len(args), 2):] {
				if _, err := place.Resolve(extra, place.Options{Names: named(a.settings)}); err != nil && !strings.ContainsAny(extra, "/\\.:*?") {
					return trouble("place", "%q is no place; meant `--only %s`?", extra, extra)
				}
			}
			if o.Several(args[1:]) {
				if choicesOut != "" {
					return trouble("usage", "--choices-out is about one source and one target")
				}
				return many.Of(desk{a}).Jobs(cmd.Context(), &o, args, many.Showing{Detail: detail, All: all, ByStatus: group == "status", Compared: true}, &many.Doing{Rows: rows, Compared: exitDifferent}, nil)
			}
			return a.compareOne(cmd.Context(), a.said.Sides(args), detail, all, rows, group == "status", choicesOut, force)
		},
	}
	cmd.Flags().BoolVar(&detail, "detail", false, "show each differing object closely")
	cmd.Flags().BoolVar(&all, "all", false, "list equal objects too")
	cmd.Flags().StringVar(&group, "group", "kind", "group the list by kind or status")
	cmd.Flags().StringVar(&choicesOut, "choices-out", "", "write every difference and what is to become of it into this file, to be edited")
	cmd.Flags().BoolVar(&rows, "compare-rows", false, "let a sample of the rows on both sides tell how likely renames are")
	cmd.Flags().BoolVar(&force, "force", false, "overwrite the file")
	o.Flags(cmd)
	a.reports.Flags(cmd)
	cmd.Flags().StringVar(&only, "report-only", "", "write the reports of a JSON result, or of a run that was kept, without reading any place")
	tasks.SaveFlag(cmd, &save)
	a.said.Flags(cmd)
	return cmd
}

// reportOnly writes the reports of a result that was kept.
func (a *app) reportOnly(path string, places []string) error {
	if len(places) > 0 || !a.reports.Wanted() {
		return trouble("usage", "--report-only takes no places, and writes the files of --report")
	}
	text, err := work.ReadText(path, a.stdin)
	if err != nil {
		return err
	}
	kept, err := report.ReadJSON(strings.NewReader(text))
	if err != nil {
		return trouble("report", "%s: %w", path, err)
	}
	return a.reports.Write(a, func(o *report.Output) { *o = kept })
}

// compareOne compares two places and writes what it found.
func (a *app) compareOne(ctx context.Context, args []string, detail, all, rows, byStatus bool, choicesOut string, force bool) error {
	var out []report.JSONComparison
	p, err := a.compare(ctx, args[0], args[1], false, map[bool]work.Extent{true: work.ToScript}[choicesOut != ""])
	if err != nil {
		return err
	}
	if len(p.Choices.Open()) > 0 {
		a.exit = worse(a.exit, exitDifferent)
	}
	if choicesOut != "" {
		if err := a.writeChoices(ctx, p, choicesOut, force); err != nil {
			return err
		}
	}
	likely, err := a.work.Likely(ctx, p, rows)
	if err != nil {
		return err
	}
	if err := a.compared(p, detail, all, byStatus, likely, &out, 0); err != nil {
		return err
	}
	if a.format == "json" {
		return a.json(func(o *report.Output) { o.Comparisons = out })
	}
	return nil
}

// writeChoices writes every difference with what would happen, what the rows say
// and its present choice.
func (a *app) writeChoices(ctx context.Context, p *work.Pair, path string, force bool) error {
	var plan *order.Plan
	if p.Different() { // the rows are asked where there is a way to plan it
		w := work.Writing{RowChecks: true, RowCheckTime: work.RowCheckTime}
		var failed *work.Failure
		var err error
		if plan, err = a.work.Plan(ctx, p, &w); err != nil && !errors.As(err, &failed) {
			return err
		}
	}
	text, err := a.work.ChoicesFile(p, plan)
	if err != nil {
		return err
	}
	if path == "-" {
		return trouble("usage", "--choices-out wants a file")
	}
	if err := work.WriteFile(path, text, force); err != nil {
		return err
	}
	a.Note("wrote %s: edit it, and use it with --choices", path)
	return nil
}

// compared writes one comparison.
func (a *app) compared(p *work.Pair, detail, all, byStatus bool, likely []match.Likely, out *[]report.JSONComparison, n int) error {
	v := many.View(p, likely, detail || a.reports.Wanted())
	if err := a.reported(func(o *report.Output) { o.Comparisons = []report.JSONComparison{report.ComparisonJSON(v, true)} }); err != nil {
		return err
	}
	if !detail {
		v = v.Undefined()
	}
	if a.format == "json" {
		*out = append(*out, report.ComparisonJSON(v, all))
		return nil
	}
	if n > 0 {
		a.out.WriteString("\n")
	}
	st := a.style()
	report.List(&a.out, v, st, report.ListOptions{All: all, ByStatus: byStatus})
	if detail {
		report.Detail(&a.out, v, st)
	}
	return nil
}
