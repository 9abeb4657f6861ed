package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dappermirror/internal/cli/help"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/report"
)

func (a *app) tolerancesCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "tolerances [WORD]",
		Short: "List the kinds of differences that can be tolerated",
		Long: `Lists the kinds of differences that --tolerate can leave out of account: what each
makes equal, what stays different all the same, on which engines there is such a
thing, and whether settings have it on. With a word, only those are listed in which
it occurs.

A tolerated difference is neither listed nor scripted, does not count for likeness,
and does not matter to whether a script still fits. What is made anew for other
reasons keeps the target's own. NAME@PATTERN tolerates only on what the pattern
matches.`,
		Example: "  dapper-mirror tolerances\n  dapper-mirror tolerances collation\n  dapper-mirror compare dev.db live.db --tolerate comments,whitespace@routine:*",
		Args:    cobra.MaximumNArgs(1),

		ValidArgs: help.Tolerances(),
		RunE: func(cmd *cobra.Command, args []string) error {
			var on []judge.Tolerate
			from := a.settings.Found["tolerate"]
			if from[0] != "" {
				var err error
				if on, err = judge.ParseTolerate(from[0]); err != nil {
					return trouble("settings", "%s: tolerate: %w", from[1], err)
				}
			}
			var list []report.JSONTolerance
			for _, t := range judge.Tolerances {
				j := report.JSONTolerance{Name: t.Name, Equal: t.Equal, Still: t.Still, Engines: tolerating(t.Name)}
				for _, o := range on {
					if o.Name == t.Name {
						j.On = append(j.On, o.String())
					}
				}
				if len(args) == 0 || strings.Contains(strings.ToLower(strings.Join([]string{t.Name, t.Equal, t.Still, strings.Join(j.Engines, " ")}, " ")), strings.ToLower(args[0])) {
					list = append(list, j)
				}
			}
			if len(list) == 0 {
				return trouble("no-match", "no tolerance has %q in its name or description; `dapper-mirror tolerances` lists all", args[0])
			}
			if a.format == "json" {
				return a.json(func(o *report.Output) { o.Tolerances = list })
			}
			st := a.style()
			for _, t := range list {
				state := ""
				if len(t.On) > 0 {
					state = "  on: " + words.Join(t.On, 5) + ", from " + from[1]
				}
				fmt.Fprintf(&a.out, "%s  %s%s\n", st.Strong(t.Name), st.Dim(strings.Join(t.Engines, ", ")), report.Safe(state))
				report.Hang(&a.out, "  equal   ", t.Equal, st.Width, nil)
				report.Hang(&a.out, "  still   ", t.Still, st.Width, nil)
			}
			return nil
		},
	}
}

// tolerating are the engines that have something a tolerance covers.
func tolerating(name string) []string {
	var out []string
	for _, e := range engine.All() {
		for _, c := range e.Kinds().Tolerable() {
			if c.Tolerance == name && !slices.Contains(out, e.Title()) {
				out = append(out, e.Title())
			}
		}
	}
	return out
}
