package cli

import (
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"go.yaml.in/yaml/v4"

	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/report"
)

const (
	projectFile = "dapper-mirror.yaml"
	envPrefix   = "DAPPER_MIRROR_"
)

// configurable are the options that may also be set in the environment and
// in files. What permits a loss or answers a question is not among them: it
// must be said each time.
var configurable = map[string]string{
	"format":         "what results look like: text or json",
	"color":          "when to use colours: auto, always or never",
	"progress":       "when to show that work goes on: auto, always or never",
	"quiet":          "say nothing besides results, warnings and errors",
	"verbose":        "say what is done: settings files, places, each statement that runs",
	"no-input":       "never ask",
	"no-pager":       "do not show long results through $PAGER",
	"lock-wait":      "how long to wait for a lock somebody else holds",
	"only":           "patterns of what counts",
	"except":         "patterns of what does not count",
	"include":        "what counts only when asked for: owners, grants",
	"avoid-blocking": "write the variants that keep others working",
	"scratch":        "where a rehearsal's scratch database is made: local or a place",
	"copy-rows":      "how many rows of each table a rehearsal copies",
	"row-checks":     "ask the target's rows about every risk: on or off",
	"row-check-time": "how long one question to the rows may take",
	"lock-timeout":   "how long a statement may wait for a lock",
	"lock-tries":     "how often a lock is tried for before it is given up",
	"step-timeout":   "how long a statement may run",
	"save-rows":      "the folder for rows that are lost by permission",
	"backup-command": "a command of your own that makes a backup before a script runs",
	"group":          "how the list is grouped: kind or status",
}

// fileSettings is a settings file.
type fileSettings struct {
	path     string
	Settings map[string]string
	Places   map[string]string
}

// settings are the values found outside the command line.
type settings struct {
	files []fileSettings // the project's before the user's
	// found is, by option, the value and where it came from.
	found map[string][2]string
	// wrong is what is not understood in the files, with its place.
	wrong []string
}

// isPath says which settings name files: they are meant beside their own file.
var isPath = map[string]bool{"save-rows": true, "scratch": true}

// readSettings takes a settings file apart. What it does not know it notes with
// line, column and a suggestion; the rest of the file still counts.
func (s *settings) readSettings(path string, data []byte) {
	f := fileSettings{path: path, Settings: map[string]string{}, Places: map[string]string{}}
	defer func() { s.files = append(s.files, f) }()
	wrong := func(n *yaml.Node, format string, args ...any) {
		s.wrong = append(s.wrong, fmt.Sprintf("%s:%d:%d: %s", path, n.Line, n.Column, fmt.Sprintf(format, args...)))
	}
	var doc yaml.Node
	if err := yaml.Unmarshal(data, &doc); err != nil {
		s.wrong = append(s.wrong, fmt.Sprintf("%s is not understood: %s", path, strings.Join(strings.Fields(err.Error()), " ")))
		return
	}
	if len(doc.Content) == 0 {
		return // nothing in it
	}
	root := doc.Content[0]
	if root.Kind != yaml.MappingNode {
		wrong(root, "a settings file has the keys settings and places")
		return
	}
	for i := 0; i+1 < len(root.Content); i += 2 {
		key, value := root.Content[i], root.Content[i+1]
		into := map[string]map[string]string{"settings": f.Settings, "places": f.Places}[key.Value]
		if into == nil {
			wrong(key, "%q is no key of a settings file%s", key.Value, words.Suggest(key.Value, []string{"settings", "places"}))
			continue
		}
		if value.Kind != yaml.MappingNode && value.Tag != "!!null" {
			wrong(value, "%s holds names and values, one a line", key.Value)
			continue
		}
		for k := 0; k+1 < len(value.Content); k += 2 {
			name, v := value.Content[k], value.Content[k+1]
			if key.Value == "settings" && configurable[name.Value] == "" {
				wrong(name, "%q is no setting%s; `dapper-mirror config` lists them", name.Value, words.Suggest(name.Value, slices.Collect(maps.Keys(configurable))))
				continue
			}
			text, ok := scalarOrList(v)
			if !ok {
				wrong(v, "%s is a text, or a list of texts", name.Value)
				continue
			}
			if key.Value == "places" || isPath[name.Value] {
				text = beside(path, os.ExpandEnv(text))
			}
			into[name.Value] = text
		}
	}
}

// scalarOrList is a value as an option takes it.
func scalarOrList(n *yaml.Node) (string, bool) {
	switch n.Kind {
	case yaml.ScalarNode:
		return n.Value, true
	case yaml.SequenceNode:
		var items []string
		for _, x := range n.Content {
			if x.Kind != yaml.ScalarNode {
				return "", false
			}
			items = append(items, x.Value)
		}
		return strings.Join(items, ","), true
	}
	return "", false
}

// beside is a path of a settings file as seen from where we are.
func beside(file, path string) string {
	prefix := ""
	if rest, ok := strings.CutPrefix(path, "sqlite:"); ok {
		prefix, path = "sqlite:", rest
	}
	if path == "" || path == "-" || path == engine.LocalScratch || strings.Contains(path, "://") || filepath.IsAbs(path) {
		return prefix + path
	}
	path = filepath.Join(filepath.Dir(file), path)
	if here, err := os.Getwd(); err == nil {
		if rel, err := filepath.Rel(here, path); err == nil && !strings.HasPrefix(rel, "..") {
			path = rel
		}
	}
	return prefix + path
}

// loadSettings reads the project file (searched upward from the working
// folder) and the user file. A file that is not there is no error.
func loadSettings() (*settings, error) {
	s := &settings{found: map[string][2]string{}}
	var paths []string
	if dir, err := os.Getwd(); err == nil {
		for {
			p := filepath.Join(dir, projectFile)
			if _, err := os.Stat(p); err == nil {
				paths = append(paths, p)
				break
			}
			up := filepath.Dir(dir)
			if up == dir {
				break
			}
			dir = up
		}
	}
	if dir, err := os.UserConfigDir(); err == nil {
		paths = append(paths, filepath.Join(dir, "dapper-mirror", "config.yaml"))
	}
	for _, p := range paths {
		data, err := os.ReadFile(p)
		if errors.Is(err, os.ErrNotExist) {
			continue
		}
		if err != nil {
			return nil, trouble("settings", "the settings file %s cannot be read: %v", p, err)
		}
		s.readSettings(p, data)
	}
	for name := range configurable {
		env := envPrefix + strings.ToUpper(strings.ReplaceAll(name, "-", "_"))
		if v, ok := os.LookupEnv(env); ok {
			s.found[name] = [2]string{v, "environment " + env}
			continue
		}
		for _, f := range s.files {
			if v, ok := f.Settings[name]; ok {
				s.found[name] = [2]string{v, f.path}
				break
			}
		}
	}
	return s, nil
}

// places are the names of the settings files; the project's win.
func (s *settings) places() map[string]string {
	out := map[string]string{}
	for i := len(s.files) - 1; i >= 0; i-- {
		for k, v := range s.files[i].Places {
			out[k] = v
		}
	}
	return out
}

// apply sets the flags of a command that the user did not give.
func (s *settings) apply(cmd *cobra.Command) error {
	var err error
	cmd.Flags().VisitAll(func(f *pflag.Flag) {
		v, ok := s.found[f.Name]
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
			for _, w := range a.settings.wrong {
				a.warn("%s", w)
			}
			var rows []report.JSONSetting
			flags := a.everyFlag(cmd.Root())
			for name, about := range configurable {
				r := report.JSONSetting{Name: name, About: about, From: "default"}
				if f := flags[name]; f != nil {
					r.Value = strings.Trim(f.DefValue, "[]")
				}
				if v, ok := a.settings.found[name]; ok {
					r.Value, r.From = v[0], v[1]
				}
				if f := cmd.Flags().Lookup(name); f != nil && f.Changed {
					r.Value, r.From = f.Value.String(), "flag --"+name
				}
				rows = append(rows, r)
			}
			for name, at := range a.settings.places() {
				rows = append(rows, report.JSONSetting{Name: "place " + name, Value: placeLabel(at), From: "settings file", About: "a named place"})
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
