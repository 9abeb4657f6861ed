package cli

import (
	"fmt"
	"sort"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappermirror/internal/cli/project"
	"dappermirror/internal/report"
	"dappermirror/internal/settings"
)

// apply sets the flags of a command that the user did not give.
func apply(s *settings.Settings, cmd *cobra.Command) error {
	var err error
	cmd.Flags().VisitAll(func(f *pflag.Flag) {
		v, ok := s.Found[f.Name]
		if !ok || f.Changed || err != nil {
			return
		}
		if e := f.Value.Set(v[0]); e != nil {
			err = trouble("settings", "%s: %q is no value for %s", v[1], v[0], f.Name)
		}
	})
	return err
}

func (a *app) configCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "config [WORD]",
		Short: "Show each setting, its value and where that came from",
		Long: `Shows each setting, its value and where that came from. A flag wins over the
environment (DAPPER_MIRROR_ and the name in capitals), that over the project file
(dapper-mirror.yaml, here or in a folder above), that over the user's file, that
over the default. With a word, only the settings are shown in which it occurs.`,
		Example: "  dapper-mirror config\n  DAPPER_MIRROR_COLOR=never dapper-mirror config color",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			for _, w := range a.settings.Wrong {
				a.Warn("%s", w)
			}
			var rows []report.JSONSetting
			flags := a.everyFlag(cmd.Root())
			for name, about := range settings.Known {
				r := report.JSONSetting{Name: name, About: about, From: "default"}
				if f := flags[name]; f != nil {
					r.Value = strings.Trim(f.DefValue, "[]")
				}
				if v, ok := a.settings.Found[name]; ok {
					r.Value, r.From = v[0], v[1]
				}
				if f := cmd.Flags().Lookup(name); f != nil && f.Changed {
					r.Value, r.From = f.Value.String(), "flag --"+name
				}
				rows = append(rows, r)
			}
			for name, at := range a.settings.Places() {
				rows = append(rows, report.JSONSetting{Name: "place " + name, Value: project.Label(at.At), From: at.Where(), About: "a named place"})
			}
			sort.Slice(rows, func(i, j int) bool { return rows[i].Name < rows[j].Name })
			if len(args) == 1 {
				var some []report.JSONSetting
				for _, r := range rows {
					if strings.Contains(r.Name+" "+r.About, strings.ToLower(args[0])) {
						some = append(some, r)
					}
				}
				if rows = some; len(rows) == 0 {
					return trouble("no-match", "no setting has %q in its name or description", args[0])
				}
			}
			if a.format == "json" {
				return a.json(func(o *report.Output) { o.Settings = rows })
			}
			st := a.style()
			for _, r := range rows {
				value := r.Value
				if value == "" {
					value = "–"
				}
				fmt.Fprintf(&a.out, "%-14s %-10s %s\n%15s%s\n", report.Safe(r.Name), report.Safe(value), st.Dim("from "+report.Safe(r.From)), "", r.About)
			}
			return nil
		},
	}
}

// everyFlag collects the flags of all commands by name.
func (a *app) everyFlag(cmd *cobra.Command) map[string]*pflag.Flag {
	out := map[string]*pflag.Flag{}
	var walk func(*cobra.Command)
	walk = func(c *cobra.Command) {
		for _, fs := range []*pflag.FlagSet{c.Flags(), c.PersistentFlags()} {
			fs.VisitAll(func(f *pflag.Flag) { out[f.Name] = f })
		}
		for _, s := range c.Commands() {
			walk(s)
		}
	}
	walk(cmd)
	return out
}
