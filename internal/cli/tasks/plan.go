package tasks

import (
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"dappermirror/internal/cli/many"
	"dappermirror/internal/core/words"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/schedule"
	"dappermirror/internal/settings"
	"dappermirror/internal/task"
	"dappermirror/internal/task/timer"
	"dappermirror/internal/work"
)

// plan says what a run of a task would do. Nothing is read.
func (a *commands) plan(t settings.Task, o *options) error {
	list, err := a.targets(t, o)
	if err != nil {
		return err
	}
	j := a.taskJSON(t)
	j.Targets = many.Names(list)
	say := func(format string, args ...any) { j.Plan = append(j.Plan, fmt.Sprintf(format, args...)) }
	share := ""
	if o.many.Share != "" {
		share = ", share " + o.many.Share + " of all"
	}
	say("compare %s with %s%s: %s; %d at once", t.Source, words.Number(len(list), "target", "targets"), share, words.Join(j.Targets, 12), o.many.Parallel)
	for _, option := range slices.Sorted(maps.Keys(t.Options)) {
		if v := t.Options[option]; len(v) > 0 && option != "parallel" {
			say("with --%s %s", option, strings.Join(v, ", "))
		}
	}
	mayLose, _ := permitted(t, time.Now())
	for _, p := range mayLose {
		i := slices.IndexFunc(t.MayLose, func(x settings.Permission) bool { return x.Pattern == p })
		say("what %s names may be lost, until %s", p, t.MayLose[i].Until.Format("2006-01-02"))
	}
	for _, f := range []struct{ file, what string }{{t.Script, "write the script into"}, {t.Backout, "write the way back into"}} {
		if f.file == "" {
			continue
		}
		text := f.what + " " + f.file
		if len(list) > 1 {
			text += "; targets that need the same one share it"
			if t.Apply {
				text = f.what + " " + f.file
			}
		}
		say("%s", text)
	}
	if t.Rehearse {
		say("rehearse the script on a scratch copy of the target's structure")
	}
	if t.Apply {
		say("run the script on the target, without asking, and compare again")
	}
	if t.History {
		say("capture each target into its history")
	}
	for _, r := range t.Reports {
		say("write the result into %s", r)
	}
	say("fail when %s (fail-on: %s)", settings.FailOns[t.FailOn], t.FailOn)
	for _, m := range t.Messages {
		when := m.When
		if len(when) == 0 {
			when = []string{"different", "failed"}
		}
		say("when %s: %s", strings.Join(when, " or "), m.Where())
	}
	keep := t.Keep
	if keep == "" {
		keep = "50 newest"
	}
	say("keep the run with its log in %s beside the project file, and of all runs %s", task.Of(t).Folder(), keep)
	if a.JSON() {
		return a.WriteJSON(func(o *report.Output) { o.Tasks = []report.JSONTask{j} })
	}
	report.Task(a.Out(), j, a.Style())
	return nil
}

// kinds are the systems that a task can be handed to.
func kinds() []string { return timer.Kinds() }

// write writes the files by which another system runs a task.
func (a *commands) write(t settings.Task, o *options) error {
	job := timer.Job{Task: t.Name, Folder: whole(filepath.Dir(t.File)), Kept: task.Of(t).Folder(), Secrets: a.secrets(t)}
	var err error
	if t.Schedule != "" {
		if job.Schedule, err = schedule.Parse(t.Schedule); err != nil {
			return work.Troubled("settings", "%s:%d: task %s: %w", t.File, t.Line, t.Name, err)
		}
		job.Timed = true
	}
	if job.Program, err = os.Executable(); err != nil {
		return work.Troubled("write", "the path of this program is not known: %w", err)
	}
	if root := repository(job.Folder); root != "" {
		if job.Within, err = filepath.Rel(root, job.Folder); err != nil || job.Within == "." {
			job.Within = ""
		}
	}
	files, err := timer.Write(o.write, job)
	if err != nil {
		return work.Troubled("usage", "%w", err)
	}
	if o.out == "" || o.out == "-" {
		for _, f := range files {
			if len(files) > 1 {
				fmt.Fprintf(a.Out(), "# %s\n", f.Name)
			}
			a.Out().Write(f.Data)
		}
		return nil
	}
	var written []string
	for _, f := range files {
		path := o.out
		if st, err := os.Stat(path); len(files) > 1 || err == nil && st.IsDir() || strings.HasSuffix(path, "/") {
			path = filepath.Join(path, filepath.FromSlash(f.Name))
		}
		if err := work.WriteInto(path, f.Data, o.force); err != nil {
			return err
		}
		written = append(written, path)
		a.Note("wrote %s", path)
	}
	if a.JSON() {
		return a.WriteJSON(func(o *report.Output) { o.Files = written })
	}
	return nil
}

func whole(path string) string {
	if abs, err := filepath.Abs(path); err == nil {
		return abs
	}
	return path
}

// repository is the folder of the git repository that a folder is in, "" for none.
func repository(folder string) string {
	for dir := folder; ; dir = filepath.Dir(dir) {
		if _, err := os.Lstat(filepath.Join(dir, ".git")); err == nil {
			return dir
		}
		if dir == filepath.Dir(dir) {
			return ""
		}
	}
}

// secrets are the variables of the environment that a task's passwords come from.
func (a *commands) secrets(t settings.Task) []string {
	var out []string
	add := func(s *place.Secret) {
		if s != nil && s.Env != "" {
			out = append(out, s.Env)
		}
	}
	all := a.Settings().Places()
	for _, name := range append([]string{t.Source}, t.Targets...) {
		for key, p := range all {
			if ok, err := filepath.Match(name, key); key == name || ok && err == nil {
				add(p.Password)
			}
		}
	}
	for _, m := range t.Messages {
		if m.Mail != nil {
			add(m.Mail.Password)
		}
		if m.Webhook != nil {
			add(m.Webhook.Secret)
			add(m.Webhook.Address)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
