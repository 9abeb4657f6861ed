package tasks

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"dappermirror/internal/core/words"
	"dappermirror/internal/report"
	"dappermirror/internal/task"
	"dappermirror/internal/work"
)

// results is the command task results.
func (a *commands) results() *cobra.Command {
	return &cobra.Command{
		Use:   "results DIR...",
		Short: "Put the results of the parts of a task together",
		Long: `Reads the results that the parts of a task left, each on its own machine: folders
of runs (.dapper-mirror/tasks/NAME), or files that --format json wrote. Says what
became of every target, and which parts are missing.

Exit code 2 says that a part is missing or never came to its end; else it is the worst
of the parts.`,
		Example: "  dapper-mirror task results part-1 part-2 part-3",
		Args:    cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			parts, err := task.Found(args)
			if err != nil {
				return work.Troubled("results", "%w", err)
			}
			m, err := task.Merge(parts)
			if err != nil {
				return work.Troubled("results", "%w", err)
			}
			a.Ends(m.Exit)
			for _, x := range []struct {
				list []string
				what string
			}{{m.Missing, "missing  share %s: no result of it is here"}, {m.Unfinished, "never came to its end  %s"}, {m.Twice, "in two parts  %s"}} {
				if len(x.list) > 0 {
					a.Always(x.what, words.Join(x.list, 12))
				}
			}
			if a.JSON() {
				return a.WriteJSON(func(o *report.Output) { o.Targets, o.Ways = m.Targets, m.Ways })
			}
			if m.Task != "" {
				fmt.Fprintf(a.Out(), "task     %s, %s\n\n", report.Safe(m.Task), words.Number(len(parts), "part", "parts"))
			}
			lines := map[int]string{}
			for _, w := range m.Ways {
				for _, l := range w.Lines {
					lines[w.Number] += report.Safe(l) + "\n"
				}
			}
			report.Matrix(a.Out(), m.Targets, m.Ways, func(n int) string { return lines[n] }, a.Style())
			if len(m.Missing) > 0 {
				fmt.Fprintf(a.Out(), "Not all of it: share %s is missing.\n", strings.Join(m.Missing, ", "))
			}
			return nil
		},
	}
}
