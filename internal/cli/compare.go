package cli

import (
	"github.com/spf13/cobra"

	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/work"
)

func (a *app) compareCommand() *cobra.Command {
	var detail, all bool
	var group string
	cmd := &cobra.Command{
		Use:   "compare SOURCE TARGET [TARGET...]",
		Short: "List how the target differs from the source",
		Long: `Reads both places and lists, object by object, how the target differs from the
source and what would happen to it. Nothing is changed.

Exit code 0 says that nothing differs, 1 that something does.`,
		Example: `  dapper-mirror compare dev.db live.db
  dapper-mirror compare dev.db live.db --detail --only table:berth
  dapper-mirror compare dev.json postgres://db.example/live --format json`,
		Args: cobra.MinimumNArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			if group != "kind" && group != "status" {
				return trouble("usage", "--group %q: it is kind or status", group)
			}
			for _, extra := range args[2:] {
				if _, err := place.Resolve(extra, place.Options{Names: a.settings.Places()}); err != nil {
					return trouble("place", "%q is no place; meant `--only %s`?", extra, extra)
				}
			}
			if a.said.swap && len(args) > 2 {
				return trouble("usage", "--swap exchanges one source and one target")
			}
			args = a.said.sides(args)
			var out []report.JSONComparison
			for i, target := range args[1:] {
				p, err := a.compare(cmd.Context(), args[0], target, false, work.ToCompare)
				if err != nil {
					return err
				}
				if p.Different() {
					a.exit = worse(a.exit, exitDifferent)
				}
				a.compared(p, detail, all, group == "status", &out, i)
			}
			if a.format == "json" {
				return a.json(func(o *report.Output) { o.Comparisons = out })
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&detail, "detail", false, "show each differing object closely")
	cmd.Flags().BoolVar(&all, "all", false, "list equal objects too")
	cmd.Flags().StringVar(&group, "group", "kind", "group the list by kind or status")
	a.judgementFlags(cmd)
	return cmd
}

// compared writes one comparison.
func (a *app) compared(p *work.Pair, detail, all, byStatus bool, out *[]report.JSONComparison, n int) {
	losses := p.Losses()
	if a.format == "json" {
		var define report.Definer
		if detail {
			define = p.Definition
		}
		*out = append(*out, report.ComparisonJSON(p.Comparison, all, define, losses))
		return
	}
	if n > 0 {
		a.out.WriteString("\n")
	}
	st := a.style()
	report.List(&a.out, p.Comparison, st, report.ListOptions{All: all, ByStatus: byStatus, Losses: losses})
	if detail {
		report.Detail(&a.out, p.Comparison, st, p.Definition, losses)
	}
}
