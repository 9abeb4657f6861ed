package tasks

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappermirror/internal/core/scope"
	"dappermirror/internal/settings"
	"dappermirror/internal/work"
)

// permits is how long a loss stays permitted that was saved with a task.
const permits = 30 * 24 * time.Hour

// SaveFlag adds the option that saves what is typed.
func SaveFlag(cmd *cobra.Command, save *string) {
	cmd.Flags().StringVar(save, "save-task", "", "save what is typed here as a task of the project file; see help tasks")
}

// Save saves what was just typed as a task, where that was asked.
func (a *commands) Save(cmd *cobra.Command, name string, args []string, mayLose []string) error {
	if name == "" {
		return nil
	}
	folder := a.Settings().Project()
	if folder == "" {
		var err error
		if folder, err = os.Getwd(); err != nil {
			return work.Troubled("settings", "%w", err)
		}
	}
	if slices.Contains(args, "-") {
		return work.Troubled("usage", "--save-task: standard input is there once only; name a file")
	}
	keys := []settings.Saying{{Key: "source", Values: []string{a.within(folder, args[0])}}}
	var targets []string
	for _, t := range args[1:] {
		targets = append(targets, a.within(folder, t))
	}
	if len(targets) > 0 {
		keys = append(keys, settings.Saying{Key: "targets", Values: targets, List: true})
	}
	var wrong error
	cmd.Flags().VisitAll(func(f *pflag.Flag) {
		if !f.Changed {
			return
		}
		switch f.Name {
		case "targets":
			keys = append(keys, settings.Saying{Key: "targets-file", Values: []string{a.within(folder, f.Value.String())}})
		case "output", "backout":
			if f.Value.String() != "-" {
				keys = append(keys, settings.Saying{Key: strings.Replace(f.Name, "output", "script", 1), Values: []string{a.within(folder, f.Value.String())}})
			}
		case "rehearse":
			keys = append(keys, settings.Saying{Key: "rehearse"})
		case "share":
			wrong = work.Troubled("usage", "--save-task: --share is said where a part runs, as `task %s --share %s`", name, f.Value)
		}
		if _, ok := settings.TaskOptions[f.Name]; !ok {
			return
		}
		k := settings.Saying{Key: f.Name}
		list, many := f.Value.(pflag.SliceValue)
		switch {
		case many:
			k.Values, k.List = list.GetSlice(), true
		case f.Value.Type() == "bool":
		default:
			k.Values = []string{f.Value.String()}
		}
		keys = append(keys, k)
	})
	if wrong != nil {
		return wrong
	}
	if cmd.Name() == "sync" {
		keys = append(keys, settings.Saying{Key: "apply"})
	}
	var losses []settings.Permission
	for _, l := range mayLose {
		for _, p := range scope.Cut(l) {
			losses = append(losses, settings.Permission{Pattern: strings.TrimSpace(p), Until: time.Now().Add(permits)})
		}
	}
	file, err := settings.SaveTask(folder, name, keys, losses)
	if err != nil {
		return work.Troubled("settings", "%w", err)
	}
	a.Note("saved the task %s in %s", name, file)
	for _, l := range losses {
		a.Note("the permission to lose %s ends on %s", l.Pattern, l.Until.Format("2006-01-02"))
	}
	return nil
}

// within is a file as seen from the project's folder; what is no file is itself.
func (a *commands) within(folder, at string) string {
	if _, named := a.Settings().Places()[at]; named || strings.Contains(at, "://") || strings.HasPrefix(at, "git:") || filepath.IsAbs(at) {
		return at
	}
	scheme := ""
	if head, rest, ok := strings.Cut(at, ":"); ok && len(head) > 1 && !strings.ContainsAny(head, `/\.`) {
		scheme, at = head+":", rest
	}
	abs, err := filepath.Abs(at)
	if err != nil {
		return scheme + at
	}
	rel, err := filepath.Rel(folder, abs)
	if err != nil {
		return scheme + at
	}
	if _, err := os.Lstat(at); err != nil && !strings.ContainsAny(at, `/\`) && rel == at {
		return scheme + at // the pattern of a name, say
	}
	return scheme + filepath.ToSlash(rel)
}
