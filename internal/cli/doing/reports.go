package doing

import (
	"os"
	"strings"

	"github.com/spf13/cobra"

	"dappermirror/internal/files"
	"dappermirror/internal/report"
	"dappermirror/internal/report/formats"
	"dappermirror/internal/work"
)

// Reports are the files that a result is written into besides.
type Reports struct{ files []string }

// Flags adds the option to a command.
func (r *Reports) Flags(cmd *cobra.Command) {
	cmd.Flags().StringArrayVar(&r.files, "report", nil, "write a report into this file besides; its name ends in "+strings.Join(formats.Endings(), ", "))
	if cmd.Flags().Lookup("force") == nil {
		cmd.Flags().Bool("force", false, "overwrite the file")
	}
}

// Wanted tells whether there are any.
func (r *Reports) Wanted() bool { return len(r.files) > 0 }

// Check refuses reports of no known form, files that are there, and those that the call
// reads: --force overwrites a report, not what it is made from.
func (r *Reports) Check(cmd *cobra.Command, read []string) error {
	f := cmd.Flags().Lookup("force")
	force := f != nil && f.Value.String() == "true"
	for _, path := range r.files {
		if err := formats.Check(path); err != nil {
			return work.Troubled("usage", "--report %w", err)
		}
		if err := work.Unwritten(path, force); err != nil {
			return err
		}
		for _, in := range read {
			if st, err := os.Stat(in); err == nil && !st.IsDir() && files.Same(path, in) {
				return work.Troubled("own-input", "--report %s is a file that is read; name another file", path)
			}
		}
	}
	return nil
}

// Write writes the reports of a result.
func (r *Reports) Write(a interface{ Note(string, ...any) }, fill func(*report.Output)) error {
	if !r.Wanted() {
		return nil
	}
	var o report.Output
	fill(&o)
	for _, path := range r.files {
		data, err := formats.Render(path, o)
		if err != nil {
			return work.Troubled("report", "%s: %w", path, err)
		}
		if err := work.WriteInto(path, data, true); err != nil {
			return err
		}
		a.Note("wrote %s", path)
	}
	return nil
}
