package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"

	"dappermirror/internal/cli/help"
	"dappermirror/internal/core/words"
	"dappermirror/internal/report"
)

// buildVersion may be set when linking; else the build info tells.
var buildVersion string

func programInfo() report.JSONProgram {
	p := report.JSONProgram{Version: buildVersion, Go: runtime.Version()}
	if bi, ok := debug.ReadBuildInfo(); ok {
		if p.Version == "" {
			p.Version = strings.Trim(bi.Main.Version, "()")
		}
		for _, s := range bi.Settings {
			if s.Key == "vcs.revision" {
				p.Revision = s.Value
			}
		}
	}
	if p.Version == "" {
		p.Version = "devel"
	}
	return p
}

func (a *app) versionCommand() *cobra.Command {
	return &cobra.Command{
		Use:     "version",
		Short:   "Say which version this is",
		Example: "  dapper-mirror version --format json",
		Args:    cobra.NoArgs,
		RunE:    func(*cobra.Command, []string) error { return a.version() },
	}
}

// version says which version this is.
func (a *app) version() error {
	p := programInfo()
	if a.format == "json" {
		return a.json(func(o *report.Output) { o.Program = &p })
	}
	text := "dapper-mirror " + p.Version
	if p.Revision != "" {
		text += " (" + p.Revision[:min(12, len(p.Revision))] + ")"
	}
	fmt.Fprintf(&a.out, "%s, %s\n", text, p.Go)
	return nil
}

func (a *app) manCommand() *cobra.Command {
	var dir string
	cmd := &cobra.Command{
		Use:     "man -o FOLDER",
		Short:   "Write the manual pages of all commands into a folder",
		Example: "  dapper-mirror man -o /usr/local/share/man/man1",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			if st, err := os.Stat(dir); err != nil || !st.IsDir() {
				return trouble("not-found", "%s is no folder; make it first", dir)
			}
			root := cmd.Root()
			root.DisableAutoGenTag = true
			header := &doc.GenManHeader{Title: "DAPPER-MIRROR", Section: "1", Source: "Dapper Mirror", Manual: "Dapper Mirror"}
			if err := help.Manuals(root, header, dir); err != nil {
				return trouble("write", "%w", err)
			}
			pages, err := filepath.Glob(filepath.Join(dir, "dapper-mirror*.1"))
			if err != nil {
				return trouble("write", "%w", err)
			}
			if a.format == "json" {
				return a.json(func(o *report.Output) { o.Files = pages })
			}
			fmt.Fprintf(&a.out, "Wrote %s to %s.\n", words.Number(len(pages), "page", "pages"), report.Safe(dir))
			return nil
		},
	}
	cmd.Flags().StringVarP(&dir, "output", "o", "", "the folder to write to")
	_ = cmd.MarkFlagRequired("output")
	return cmd
}
