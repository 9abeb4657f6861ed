package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"dappermirror/internal/core/judge"
	"dappermirror/internal/report"
	"dappermirror/internal/work"
)

func (a *app) captureCommand() *cobra.Command {
	var out string
	var force bool
	cmd := &cobra.Command{
		Use:   "capture PLACE",
		Short: "Save the structure of a place in one file",
		Long: `Saves the structure of a place, without any rows, in one JSON file. A capture is a
place: it can be compared and scripted, as source or as target, without a server.`,
		Example: "  dapper-mirror capture live.db -o live.json\n  dapper-mirror compare dev.db live.json",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			p, err := a.work.Place(args[0], false)
			if err == nil {
				err = work.Apart([]work.Output{{Option: "-o", Path: out}}, p)
			}
			if err != nil {
				return err
			}
			c, err := a.work.Read(cmd.Context(), p)
			if err != nil {
				return err
			}
			if err := a.writeCapture(out, c, force); err != nil {
				return err
			}
			a.Note("captured %s: %s", c.Place, report.Counts(c))
			if a.format == "json" && out != "" && out != "-" {
				return a.json(func(o *report.Output) {
					o.Capture = &report.JSONCapture{File: out, Place: c.Place, Fingerprint: judge.Whole(c), Counts: c.Count()}
				})
			}
			if out != "" && out != "-" {
				fmt.Fprintf(&a.out, "Saved %s in %s.\n", report.Safe(c.Place), report.Safe(out))
			}
			return nil
		},
	}
	cmd.Flags().StringVarP(&out, "output", "o", "", "the file to write; without it, or for -, standard output")
	cmd.Flags().BoolVar(&force, "force", false, "overwrite the file")
	return cmd
}
