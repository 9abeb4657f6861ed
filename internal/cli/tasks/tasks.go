// Package tasks has the commands about saved comparisons: run, planned, listed, shown
// again, and handed to other systems.
package tasks

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappermirror/internal/cli/doing"
	"dappermirror/internal/cli/many"
	"dappermirror/internal/core/words"
	"dappermirror/internal/report"
	"dappermirror/internal/settings"
	"dappermirror/internal/task"
	"dappermirror/internal/work"
)

// App is the command line that the commands are part of.
type App interface {
	many.App
	// Rewire has what was set since the call began reach the work.
	Rewire()
	// Flush shows what was written so far.
	Flush() error
	Detail(format string, args ...any)
	// Guarded keeps names from databases from being read as commands by the CI system
	// whose log this is, "" for none; it answers where the system's commands go.
	Guarded(system string) io.Writer
	Stderr() io.Writer
}

type commands struct{ App }

// Of are the commands of an application.
func Of(a App) *commands { return &commands{a} }

// options are those of a call of task.
type options struct {
	plan, runs, try, verify, keepBaseline, force bool
	write, out, failOn                           string
	every                                        time.Duration
	annotate, summary                            string

	many    many.Options
	w       doing.Writing
	run     doing.Running
	re      doing.Rehearsing
	reports doing.Reports
}

// Task is the command task.
func (a *commands) Task() *cobra.Command {
	o := &options{}
	cmd := &cobra.Command{
		Use:   "task NAME",
		Short: "Run a saved comparison, for CI and timers",
		Long: `Runs a comparison that the project file keeps under tasks: compares the source with
each target and does what the task says: writes the scripts, rehearses, applies,
tells people. Each run is kept, with its log and its scripts.

--plan says what a run would do; nothing is read then. --runs lists the runs,
NAME@7 shows one again, NAME@5..7 what changed between two. --write makes the file
by which another system runs the task. An option that is given here wins over the
task's. See help tasks.

Exit code 1 says that something differs, as the task's fail-on counts it.`,
		Example: `  dapper-mirror task nightly
  dapper-mirror task nightly --plan
  dapper-mirror task nightly@7
  dapper-mirror task nightly --every 5m
  dapper-mirror task nightly --write systemd -o timers/`,
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error { return a.call(cmd, args[0], o) },
	}
	f := cmd.Flags()
	f.BoolVar(&o.plan, "plan", false, "say what a run would do")
	f.BoolVar(&o.runs, "runs", false, "list the runs")
	f.StringVar(&o.write, "write", "", "write the file by which another system runs the task: "+strings.Join(kinds(), ", "))
	f.StringVarP(&o.out, "output", "o", "", "the file that --write writes, or the folder for several; without it, standard output")
	f.BoolVar(&o.force, "force", false, "overwrite files")
	f.DurationVar(&o.every, "every", 0, "look so often whether a place has changed, and run then; until Ctrl-C")
	f.BoolVar(&o.try, "try-messages", false, "send a test by every message of the task")
	f.BoolVar(&o.verify, "verify", false, "compare only: write, apply and tell nothing")
	f.BoolVar(&o.keepBaseline, "keep-baseline", false, "keep the differences of this run as known, for fail-on: new")
	f.StringVar(&o.failOn, "fail-on", "", "when differences make it fail: differences, losses, new or never; as the task says")
	f.StringVar(&o.annotate, "annotate", "off", "mark what differs in the log of a CI system: off, auto, github or azure")
	f.StringVar(&o.summary, "summary", "", "add a summary in Markdown to this file")
	o.many.Flags(cmd)
	o.w.Flags(cmd)
	o.run.SafetyFlags(cmd)
	o.re.Flags(cmd)
	o.reports.Flags(cmd)
	a.Said().Flags(cmd)
	cmd.AddCommand(a.results())
	return cmd
}

// call does what is asked of a task.
func (a *commands) call(cmd *cobra.Command, word string, o *options) error {
	name, which, again := strings.Cut(word, "@")
	t, err := a.named(name)
	if err != nil {
		return err
	}
	if err := o.reports.Check(cmd, nil); err != nil {
		return err
	}
	store := task.Of(t)
	switch {
	case again:
		return a.shown(store, t.Name, which, &o.reports)
	case o.runs:
		return a.listed(store, t.Name)
	case o.write != "":
		return a.write(t, o)
	case o.out != "":
		return work.Troubled("usage", "-o is for --write; a task's scripts go where its script: says")
	}
	if err := a.settle(cmd, &t, o); err != nil {
		return err
	}
	switch {
	case o.plan:
		return a.plan(t, o)
	case o.try:
		return a.tryMessages(cmd.Context(), t)
	case o.every > 0:
		return a.watch(cmd.Context(), t, o)
	case cmd.Flags().Changed("every"):
		return work.Troubled("usage", "--every %s: it must be longer than nothing", o.every)
	}
	return a.once(cmd.Context(), t, o)
}

// Beginning is where a review of a task begins: its source, its one target, and what may
// be lost now. The options of the command are set as the task says.
func (a *commands) Beginning(cmd *cobra.Command, name string) (source, target string, mayLose []string, err error) {
	t, err := a.named(name)
	if err != nil {
		return "", "", nil, err
	}
	o := &options{annotate: "off", many: many.Options{Parallel: 1}}
	if err := a.settle(cmd, &t, o); err != nil {
		return "", "", nil, err
	}
	list, err := a.targets(t, o)
	if err != nil {
		return "", "", nil, err
	}
	if len(list) != 1 {
		return "", "", nil, work.Troubled("usage", "the task %s has %s; a review is of one: `dapper-mirror review %s TARGET`", name, words.Number(len(list), "target", "targets"), t.Source)
	}
	mayLose, _ = permitted(t, time.Now())
	target = list[0].At
	if list[0].Name != "" {
		target = list[0].Name
	}
	return t.Source, target, append(mayLose, list[0].MayLose...), nil
}

// named is the task of a name.
func (a *commands) named(name string) (settings.Task, error) {
	all := a.Settings().Tasks()
	t, ok := all[name]
	if !ok {
		hint := words.Suggest(name, slices.Collect(maps.Keys(all)))
		if len(all) == 0 {
			hint = "; none does yet: see `dapper-mirror help tasks`"
		}
		return t, work.Troubled("no-match", "no settings file has a task %q%s", name, hint)
	}
	return t, nil
}

// settle sets the options that the task says and the user did not: a flag wins over
// the environment, that over the task, that over the settings of the project.
func (a *commands) settle(cmd *cobra.Command, t *settings.Task, o *options) error {
	for name, values := range t.Options {
		f := cmd.Flags().Lookup(name)
		if found, ok := a.Settings().Found[name]; f == nil || f.Changed || ok && strings.HasPrefix(found[1], "environment ") {
			continue
		}
		if err := set(f, values); err != nil {
			return work.Troubled("settings", "%s:%d: task %s: %q is no value for %s: %v", t.File, t.Line, t.Name, strings.Join(values, ", "), name, err)
		}
	}
	if a.Said().Swap {
		return work.Troubled("usage", "--swap does nothing here: a task says which place is the source")
	}
	if o.failOn != "" {
		if settings.FailOns[o.failOn] == "" {
			return work.Troubled("usage", "--fail-on %q: it is one of %s", o.failOn, strings.Join(slices.Sorted(maps.Keys(settings.FailOns)), ", "))
		}
		t.FailOn = o.failOn
	}
	if t.FailOn == "new" && t.Baseline == "" {
		return work.Troubled("usage", "--fail-on new: the task says nowhere which file has the known differences (baseline:)")
	}
	if !slices.Contains([]string{"off", "auto", "github", "azure"}, o.annotate) {
		return work.Troubled("usage", "--annotate %q: it is one of off, auto, github, azure", o.annotate)
	}
	if o.many.File == "" {
		o.many.File = t.TargetsFile
	}
	a.Rewire()
	return nil
}

// set sets an option; a list replaces what is there.
func set(f *pflag.Flag, values []string) error {
	if list, ok := f.Value.(pflag.SliceValue); ok {
		return list.Replace(values)
	}
	for _, v := range values {
		if err := f.Value.Set(v); err != nil {
			return err
		}
	}
	return nil
}

// permitted are the losses that are permitted now, and what is said of permissions
// that have ended.
func permitted(t settings.Task, now time.Time) (patterns, expired []string) {
	for _, p := range t.MayLose {
		if now.After(p.Until) {
			expired = append(expired, fmt.Sprintf("the permission to lose %s ended on %s", p.Pattern, p.Until.Format("2006-01-02")))
			continue
		}
		patterns = append(patterns, p.Pattern)
	}
	return patterns, expired
}

// targets are those of a task.
func (a *commands) targets(t settings.Task, o *options) ([]settings.Target, error) {
	return o.many.List(a, t.Targets, t.Source)
}

// listed lists the runs of a task.
func (a *commands) listed(store *task.Store, name string) error {
	list := store.List()
	if a.JSON() {
		return a.WriteJSON(func(o *report.Output) { o.Runs = list })
	}
	if len(list) == 0 {
		fmt.Fprintf(a.Out(), "%s has not run here yet; `dapper-mirror task %s` runs it.\n", report.Safe(name), report.Safe(name))
	}
	report.Runs(a.Out(), list, a.Style())
	return nil
}

// shown shows a run again, or what changed between two.
func (a *commands) shown(store *task.Store, name, which string, reports *doing.Reports) error {
	number := func(text string) (int, error) {
		if text == "latest" || text == "" {
			if last := store.Last(); last != nil {
				return last.Number, nil
			}
		}
		n, err := strconv.Atoi(text)
		if err != nil {
			return 0, work.Troubled("usage", "%q is no run; write %s@7, %s@latest or %s@5..7", text, name, name, name)
		}
		return n, nil
	}
	get := func(text string) (o report.Output, err error) {
		n, err := number(text)
		if err != nil {
			return o, err
		}
		if o, err = store.Get(n); err != nil {
			return o, work.Troubled("no-match", "%w", err)
		}
		return o, nil
	}
	first, last, ranged := strings.Cut(which, "..")
	one, err := get(first)
	if err != nil {
		return err
	}
	if !ranged {
		if err := reports.Write(a, func(o *report.Output) { *o = one }); err != nil {
			return err
		}
		if a.JSON() {
			return a.WriteJSON(func(o *report.Output) { o.TaskRun, o.Targets, o.Ways = one.TaskRun, one.Targets, one.Ways })
		}
		report.Run(a.Out(), one, a.Style())
		return nil
	}
	two, err := get(last)
	if err != nil {
		return err
	}
	changes := report.Between(one, two)
	if a.JSON() {
		return a.WriteJSON(func(o *report.Output) { o.Changes, o.Runs = changes, []report.JSONTaskRun{*one.TaskRun, *two.TaskRun} })
	}
	report.Changes(a.Out(), *one.TaskRun, *two.TaskRun, changes, a.Style())
	return nil
}

// Tasks is the command tasks.
func (a *commands) Tasks() *cobra.Command {
	return &cobra.Command{
		Use:   "tasks",
		Short: "List the saved comparisons, and how each last ran",
		Long: `Lists the tasks of the settings files, with when each last ran here and what came
of it. See help tasks.`,
		Example: "  dapper-mirror tasks\n  dapper-mirror tasks --format json",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			list := []report.JSONTask{}
			all := a.Settings().Tasks()
			for _, name := range slices.Sorted(maps.Keys(all)) {
				list = append(list, a.taskJSON(all[name]))
			}
			if a.JSON() {
				return a.WriteJSON(func(o *report.Output) { o.Tasks = list })
			}
			if len(list) == 0 {
				fmt.Fprintf(a.Out(), "No settings file has a task. %s keeps them under tasks:, and compare, script and sync save one with --save-task NAME.\n", settings.ProjectFile)
			}
			report.Tasks(a.Out(), list, a.Style())
			return nil
		},
	}
}

func (a *commands) taskJSON(t settings.Task) report.JSONTask {
	_, expired := permitted(t, time.Now())
	targets := slices.Clone(t.Targets)
	if t.TargetsFile != "" {
		targets = append(targets, "those of "+t.TargetsFile)
	}
	return report.JSONTask{Name: t.Name, From: settings.Place{File: t.File, Line: t.Line}.Where(), Note: t.Note, Source: t.Source, Targets: targets, Schedule: t.Schedule, Expired: expired, Last: task.Of(t).Last()}
}

// tryMessages sends a test by every message.
func (a *commands) tryMessages(ctx context.Context, t settings.Task) error {
	if len(t.Messages) == 0 {
		return work.Troubled("usage", "task %s has no messages:", t.Name)
	}
	letter := task.Trial(t.Name)
	var failed []string
	for _, m := range t.Messages {
		if err := m.Send(ctx, letter, a.Stderr()); err != nil {
			failed = append(failed, err.Error())
			a.Always("not sent  %v", err)
			continue
		}
		fmt.Fprintf(a.Out(), "sent  %s\n", report.Safe(m.Where()))
	}
	if len(failed) > 0 {
		return work.Troubled("message", "%s could not be sent: %s", words.Number(len(failed), "message", "messages"), words.Join(failed, 3))
	}
	return nil
}

// busy makes a refusal of a run that is at work.
func busy(err error) error {
	var other *task.BusyError
	if errors.As(err, &other) {
		return work.Refused("busy", "%w", err)
	}
	return work.Troubled("runs", "%w", err)
}
