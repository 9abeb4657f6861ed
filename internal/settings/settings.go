// Package settings reads the settings files and the environment: what is set
// outside the command line, and where.
package settings

import (
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"go.yaml.in/yaml/v4"

	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
)

const (
	// ProjectFile is the settings file of a project.
	ProjectFile = "dapper-mirror.yaml"
	envPrefix   = "DAPPER_MIRROR_"
)

// Known are the options that may also be set in the environment and
// in files. What permits a loss or answers a question is not among them: it
// must be said each time.
var Known = map[string]string{
	"format":          "what results look like: text or json",
	"color":           "when to use colours: auto, always or never",
	"progress":        "when to show that work goes on: auto, always or never",
	"quiet":           "say nothing besides results, warnings and errors",
	"verbose":         "say what is done: settings files, places, each statement that runs",
	"no-input":        "never ask",
	"no-pager":        "do not show long results through $PAGER",
	"lock-wait":       "how long to wait for a lock somebody else holds",
	"only":            "patterns of what counts",
	"except":          "patterns of what does not count",
	"include":         "what counts only when asked for: owners, grants",
	"tolerate":        "kinds of differences that do not count; see tolerances",
	"pair":            "things that are one under two names, which both stay",
	"leave":           "patterns of differences that are left as they are",
	"avoid-blocking":  "write the variants that keep others working",
	"scratch":         "where scratch databases of servers are made, to read texts and to rehearse: local or a place",
	"history-keep":    "which captures of a history are kept, as '20 newest, 30 daily, 24 monthly'",
	"remember-places": "remember which places were used, for places --recent: on or off",
	"scratch-keep":    "how long a throw-away server that read a text stays for the next call",
	"copy-rows":       "how many rows of each table a rehearsal copies",
	"row-checks":      "ask the target's rows about every risk: on or off",
	"row-check-time":  "how long one question to the rows may take",
	"lock-timeout":    "how long a statement may wait for a lock",
	"lock-tries":      "how often a lock is tried for before it is given up",
	"step-timeout":    "how long a statement may run",
	"save-rows":       "the folder for rows that are lost by permission",
	"backup-command":  "a command of your own that makes a backup before a script runs",
	"group":           "how the list is grouped: kind or status",
}

// File is a settings file.
type File struct {
	Path     string
	Settings map[string]string
	Places   map[string]Place
	Pairs    map[string]Pair
	Tasks    map[string]Task
}

// Settings are the values found outside the command line.
type Settings struct {
	Files []File // the project's before the user's
	// Found is, by option, the value and where it came from.
	Found map[string][2]string
	// Wrong is what is not understood in the files, with its place.
	Wrong []string
}

// isPath says which settings name files: they are meant beside their own file.
var isPath = map[string]bool{"save-rows": true}

// read takes a settings file apart. What it does not know it notes with
// line, column and a suggestion; the rest of the file still counts.
func (s *Settings) read(path string, data []byte) {
	f := File{Path: path, Settings: map[string]string{}, Places: map[string]Place{}, Pairs: map[string]Pair{}, Tasks: map[string]Task{}}
	defer func() { s.Files = append(s.Files, f) }()
	bad := func(n *yaml.Node, format string, args ...any) {
		s.Wrong = append(s.Wrong, fmt.Sprintf("%s:%d:%d: %s", path, n.Line, n.Column, fmt.Sprintf(format, args...)))
	}
	var doc yaml.Node
	if err := yaml.Unmarshal(data, &doc); err != nil {
		s.Wrong = append(s.Wrong, fmt.Sprintf("%s is not understood: %s", path, strings.Join(strings.Fields(err.Error()), " ")))
		return
	}
	if len(doc.Content) == 0 {
		return // nothing in it
	}
	root := doc.Content[0]
	if root.Kind != yaml.MappingNode {
		bad(root, "a settings file has the keys settings, places, pairs and tasks")
		return
	}
	each := func(what string, do func(key, value *yaml.Node)) func(*yaml.Node) {
		return func(n *yaml.Node) {
			if n.Kind != yaml.MappingNode && n.Tag != "!!null" {
				bad(n, "%s holds names and values, one a line", what)
				return
			}
			for i := 0; i+1 < len(n.Content); i += 2 {
				do(n.Content[i], n.Content[i+1])
			}
		}
	}
	keyed(root, "a settings file", bad, map[string]func(*yaml.Node){
		"settings": each("settings", func(name, v *yaml.Node) {
			if Known[name.Value] == "" {
				bad(name, "%q is no setting%s; `dapper-mirror config` lists them", name.Value, words.Suggest(name.Value, slices.Collect(maps.Keys(Known))))
				return
			}
			text, ok := scalarOrList(v)
			if !ok {
				bad(v, "%s is a text, or a list of texts", name.Value)
				return
			}
			if isPath[name.Value] {
				text = beside(path, os.ExpandEnv(text))
			}
			f.Settings[name.Value] = text
		}),
		"places": each("places", func(name, v *yaml.Node) {
			if why := badName(name.Value); why != "" {
				bad(name, "%q cannot name a place: %s", name.Value, why)
				return
			}
			p := readPlace(path, name.Value, v, bad)
			p.Line = name.Line
			f.Places[name.Value] = p
		}),
		"pairs": each("pairs", func(name, v *yaml.Node) { f.Pairs[name.Value] = readPair(v, name.Value, bad) }),
		"tasks": each("tasks", func(name, v *yaml.Node) {
			if why := badTask(name.Value); why != "" {
				bad(name, "%q cannot name a task: %s", name.Value, why)
				return
			}
			t := readTask(path, name.Value, v, bad)
			t.Line = name.Line
			f.Tasks[name.Value] = t
		}),
	})
}

// badName tells why a word cannot name a place: it would be taken for something
// else.
func badName(name string) string {
	switch {
	case name == "" || name == "-":
		return "it means something else"
	case strings.ContainsAny(name, "@:/\\#*?\t\n"):
		return "it has one of the characters @ : / \\ # * ? in it"
	}
	return ""
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
	if path == "" || path == "-" || path == engine.LocalScratch || path == engine.ModelScratch || strings.Contains(path, "://") || filepath.IsAbs(path) {
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

// Load reads the project file (searched upward from the working
// folder) and the user file. A file that is not there is no error.
func Load() (*Settings, error) {
	s := &Settings{Found: map[string][2]string{}}
	var paths []string
	if dir, err := os.Getwd(); err == nil {
		for {
			p := filepath.Join(dir, ProjectFile)
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
			return nil, fmt.Errorf("the settings file %s cannot be read: %w", p, err)
		}
		s.read(p, data)
	}
	for name := range Known {
		env := envPrefix + strings.ToUpper(strings.ReplaceAll(name, "-", "_"))
		if v, ok := os.LookupEnv(env); ok {
			s.Found[name] = [2]string{v, "environment " + env}
			continue
		}
		for _, f := range s.Files {
			if v, ok := f.Settings[name]; ok {
				s.Found[name] = [2]string{v, f.Path}
				break
			}
		}
	}
	return s, nil
}

// Places are those of the settings files, by name; the project's win.
func (s *Settings) Places() map[string]Place {
	out := map[string]Place{}
	for i := len(s.Files) - 1; i >= 0; i-- {
		maps.Copy(out, s.Files[i].Places)
	}
	return out
}

// Pairs are those of the settings files, by name; the project's win.
func (s *Settings) Pairs() map[string]Pair {
	out := map[string]Pair{}
	for i := len(s.Files) - 1; i >= 0; i-- {
		maps.Copy(out, s.Files[i].Pairs)
	}
	return out
}

// Project is the folder of the project file; "" where there is none.
func (s *Settings) Project() string {
	for _, f := range s.Files {
		if filepath.Base(f.Path) == ProjectFile {
			return filepath.Dir(f.Path)
		}
	}
	return ""
}
