package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"dappermirror/internal/cli/project"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/work"
)

func (a *app) captureCommand() *cobra.Command {
	var out, as, note, keep string
	var force, toHistory bool
	cmd := &cobra.Command{
		Use:   "capture PLACE",
		Short: "Save the structure of a place in a file or a folder",
		Long: `Saves the structure of a place, without any rows: in one JSON file, or with
--as folder as readable SQL, a file an object, as a repository keeps it. Both are
places: they can be compared and scripted, as source or as target.

The same structure gives the same bytes. A folder that is there is brought in line
with --force: files of objects that are no more go, what no object is in stays.
sync PLACE FOLDER changes no more of a folder than what differs.`,
		Example: "  dapper-mirror capture live.db -o live.json\n  dapper-mirror compare dev.db live.json\n  dapper-mirror capture live.db --as folder -o db/",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if as != "file" && as != "folder" {
				return trouble("usage", "--as %q: it is file or folder", as)
			}
			if as == "folder" && (out == "" || out == "-") {
				return trouble("usage", "--as folder: give the folder with -o")
			}
			if note != "" && !toHistory {
				return trouble("usage", "--note is for --to-history")
			}
			if toHistory && (out != "" || as != "file") {
				return trouble("usage", "--to-history keeps it beside the settings file; it takes no -o and no --as")
			}
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
			if toHistory {
				return project.Of(desk{a}).ToHistory(cmd.Context(), args[0], note, keep, c)
			}
			if as == "folder" {
				err = work.Keep(place.Folder(out), c, force)
			} else {
				err = a.writeCapture(out, c, force)
			}
			if err != nil {
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
	cmd.Flags().StringVarP(&out, "output", "o", "", "the file or folder to write; without it, or for -, standard output")
	cmd.Flags().StringVar(&as, "as", "file", "what it is saved as: file (one capture) or folder (a .sql file an object)")
	cmd.Flags().BoolVar(&toHistory, "to-history", false, "keep it in the history of the place, which a settings file names; see history")
	cmd.Flags().StringVar(&note, "note", "", "with --to-history: a word on why it is kept")
	project.KeepFlag(cmd, &keep)
	cmd.Flags().BoolVar(&force, "force", false, "overwrite the file")
	return cmd
}
