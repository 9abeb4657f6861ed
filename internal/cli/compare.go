package cli

import (
	"github.com/spf13/cobra"

	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
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
				if _, err := place.Resolve(extra, place.Options{Names: a.settings.places()}); err != nil {
					return trouble("place", "%q is no place; meant `--only %s`?", extra, extra)
				}
			}
			var out []report.JSONComparison
			for i, target := range args[1:] {
				p, err := a.compare(cmd.Context(), args[0], target, false, toCompare)
				if err != nil {
					return err
				}
				if p.comparison.Different() {
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
	a.scopeFlags(cmd)
	return cmd
}

// compared writes one comparison.
func (a *app) compared(p *pair, detail, all, byStatus bool, out *[]report.JSONComparison, n int) {
	define, losses := definer(p.comparison), losses(p.comparison)
	if a.format == "json" {
		if !detail {
			define = nil
		}
		*out = append(*out, report.ComparisonJSON(p.comparison, all, define, losses))
		return
	}
	if n > 0 {
		a.out.WriteString("\n")
	}
	st := a.style()
	report.List(&a.out, p.comparison, st, report.ListOptions{All: all, ByStatus: byStatus, Losses: losses})
	if detail {
		report.Detail(&a.out, p.comparison, st, define, losses)
	}
}

// losses are what making the target like the source would destroy.
func losses(c *compare.Comparison) map[*compare.Item][]order.Risk {
	e, err := place.EngineNamed(c.Source.Engine)
	if err != nil {
		return nil
	}
	return order.Losses(c, e.Writer(engine.WriteOptions{}))
}

func definer(c *compare.Comparison) report.Definer {
	e, err := place.EngineNamed(c.Source.Engine)
	if err != nil {
		return nil
	}
	return e.Definition
}
