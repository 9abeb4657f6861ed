package project

import (
	"dappermirror/internal/report"
	"dappermirror/internal/settings"
	"dappermirror/internal/work"
	"fmt"
	"sort"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// Config is the command config.
func (a *commands) Config() *cobra.Command {
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
			for _, w := range a.Settings().Wrong {
				a.Warn("%s", w)
			}
			var rows []report.JSONSetting
			flags := everyFlag(cmd.Root())
			for name, about := range settings.Known {
				r := report.JSONSetting{Name: name, About: about, From: "default"}
				if f := flags[name]; f != nil {
					r.Value = strings.Trim(f.DefValue, "[]")
				}
				if v, ok := a.Settings().Found[name]; ok {
					r.Value, r.From = v[0], v[1]
				}
				if f := cmd.Flags().Lookup(name); f != nil && f.Changed {
					r.Value, r.From = f.Value.String(), "flag --"+name
				}
				rows = append(rows, r)
			}
			for name, at := range a.Settings().Places() {
				rows = append(rows, report.JSONSetting{Name: "place " + name, Value: Label(at.At), From: at.Where(), About: "a named place"})
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
					return work.Troubled("no-match", "no setting has %q in its name or description", args[0])
				}
			}
			if a.JSON() {
				return a.WriteJSON(func(o *report.Output) { o.Settings = rows })
			}
			st := a.Style()
			for _, r := range rows {
				value := r.Value
				if value == "" {
					value = "–"
				}
				fmt.Fprintf(a.Out(), "%-14s %-10s %s\n%15s%s\n", report.Safe(r.Name), report.Safe(value), st.Dim("from "+report.Safe(r.From)), "", r.About)
			}
			return nil
		},
	}
}

// everyFlag collects the flags of all commands by name.
func everyFlag(cmd *cobra.Command) map[string]*pflag.Flag {
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
