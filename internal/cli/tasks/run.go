package tasks

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"sync"
	"time"

	"dappermirror/internal/cli/many"
	"dappermirror/internal/cli/project"
	"dappermirror/internal/core/words"
	"dappermirror/internal/message"
	"dappermirror/internal/report"
	"dappermirror/internal/report/formats"
	"dappermirror/internal/settings"
	"dappermirror/internal/task"
	"dappermirror/internal/work"
)

// once runs a task once.
func (a *commands) once(ctx context.Context, t settings.Task, o *options) error {
	list, err := a.targets(t, o)
	if err != nil {
		return err
	}
	var known *task.Baseline
	if t.Baseline != "" && (t.FailOn == "new" || fileThere(t.Baseline)) {
		if known, err = task.ReadBaseline(t.Baseline); err != nil && !(o.keepBaseline && errors.Is(err, fs.ErrNotExist)) {
			return work.Troubled("baseline", "%w", err)
		}
	}
	if o.keepBaseline && t.Baseline == "" {
		return work.Troubled("usage", "--keep-baseline: the task says nowhere into which file (baseline:)")
	}
	system := system(o.annotate)
	log := a.Guarded(system)
	if o.verify {
		t.Script, t.Backout, t.Apply, t.Rehearse, t.History, t.Messages, t.Reports = "", "", false, false, false, nil, nil
	}
	store := task.Of(t)
	for _, d := range store.Died() {
		a.Always("run %d, which %s began at %s, died before its end; its log is in %s", d.Number, d.Who, report.Day(d.Began), d.Folder)
	}
	run, err := store.Begin(t, o.many.Share, time.Now())
	if err != nil {
		return busy(err)
	}
	r, err := a.compared(ctx, t, o, list, run)
	var targets []report.JSONTarget
	var ways []report.JSONWay
	v := task.Verdict{Result: "failed"}
	if err != nil {
		e := a.Failing(ctx, err)
		run.Error, v.Exit, run.Summary = &e, e.Exit, e.Message
	} else {
		var kept report.Output
		r.Fill(&kept)
		targets, ways = kept.Targets, kept.Ways
		v = task.Judge(t.FailOn, targets, ways, known)
		if ctx.Err() != nil {
			v.Exit = 130
		}
		run.Summary = task.Summary(targets, ways, v.New)
	}
	run.Result, run.Exit, run.New = v.Result, v.Exit, v.New
	out := report.Output{Targets: targets, Ways: ways}
	a.tell(ctx, t, store, run, out)
	if e := run.End(out, time.Now()); e != nil {
		a.Always("%v", e)
	}
	if n, e := store.Prune(ctx, t.Keep); e != nil {
		a.Always("%v", e)
	} else if n > 0 {
		a.Note("%s dropped", words.Number(n, "older run was", "older runs were"))
	}
	if err != nil {
		return err
	}
	if o.keepBaseline {
		if err := task.Known(t.Name, known, targets, ways).Write(t.Baseline); err != nil {
			return work.Troubled("baseline", "the baseline cannot be written: %w", err)
		}
		a.Note("wrote %s: what differs now is known", t.Baseline)
	}
	a.Ends(v.Exit)
	annotations(log, system, run.JSONTaskRun, targets, ways)
	return a.ended(t, o, run, r, out)
}

func fileThere(path string) bool { _, err := os.Stat(path); return err == nil }

// compared does what the task says for each target.
func (a *commands) compared(ctx context.Context, t settings.Task, o *options, list []settings.Target, run *task.Run) (*report.Targets, error) {
	names := many.Names(list)
	r := report.NewTargets(names, false)
	r.Source, r.Style, r.Whole = t.Source, a.Style(), true
	var patterns work.Patterns
	d := &many.Doing{Compared: 1}
	writes := t.Script != "" || t.Backout != "" || t.Apply || t.Rehearse
	pattern := t.Script
	if pattern == "" {
		pattern = filepath.Join(run.ScriptFolder(), "{target}.sql")
	}
	if writes {
		scripts := &many.Scripts{Pattern: pattern, Backout: t.Backout, Force: true}
		if err := scripts.Check(names, many.Files(a, t.Source, list)...); err != nil {
			return nil, err
		}
		if !t.Apply { // else each is written before it runs
			d.Scripts = scripts
		}
	}
	mayLose, expired := permitted(t, time.Now())
	for _, e := range expired {
		a.Warn("%s", e)
		fmt.Fprintln(run.Log, report.Safe(e))
	}
	d.Job = func(x many.Target) (work.Job, error) {
		said, err := a.Said().For(t.Source, x.Target)
		if err != nil {
			return work.Job{}, err
		}
		j := work.Job{}
		if j.Comparing, err = said.Comparing(); err != nil {
			return j, err
		}
		j.Comparing.Several, j.Comparing.Create = &patterns, o.w.Create
		if writes {
			err = a.writing(&j, t, o, x, pattern, mayLose)
			j.Write.Said = said.Words()
		}
		return j, err
	}
	each := d.Do(a, t.Source)
	do := func(ctx context.Context, s *work.Session, x many.Target, noted *many.Noted) error {
		err := each(ctx, s, x, noted)
		if err == nil && t.History {
			err = a.toHistory(ctx, s, x)
		}
		return err
	}
	if err := many.Run(ctx, a, many.Call{Options: o.many, Source: t.Source, Targets: list, Do: do, Report: r, Log: run.Log}); err != nil {
		return nil, err
	}
	if err := many.Of(a).Missed(&patterns, r); err != nil {
		return nil, err
	}
	return r, a.keepScripts(t, run, d.Scripts, names, r)
}

// writing has the script of a target written, and rehearsed and run where the task
// says so.
func (a *commands) writing(j *work.Job, t settings.Task, o *options, x many.Target, pattern string, mayLose []string) error {
	w := o.w
	w.MayLose = append(append(w.MayLose[:len(w.MayLose):len(w.MayLose)], mayLose...), x.MayLose...)
	w.Fill = append(w.Fill[:len(w.Fill):len(w.Fill)], x.Fill...)
	if t.Backout != "" {
		w.Backout = many.FileFor(t.Backout, x.Name)
	}
	file := many.FileFor(pattern, x.Name)
	var err error
	if j.Write, err = w.Of(file, x.At, nil); err != nil {
		return err
	}
	j.Share = !t.Apply
	if t.Rehearse {
		re := o.re.Of()
		j.Rehearse = &re
	}
	if !t.Apply {
		return nil
	}
	run := o.run
	run.Yes, run.Create, run.Rows, run.File = true, w.Create, w.Rows, file // the task says so
	r, err := run.Of(a)
	j.Run = &r
	j.Keep = func(d *work.Done) error {
		if d.Back != nil {
			if err := work.WriteInto(w.Backout, d.Back.Text, true); err != nil {
				return err
			}
		}
		return work.WriteInto(file, d.Written.Text, true)
	}
	return err
}

// keepScripts writes the scripts of a run, keeps a copy with it, and takes away those
// that an earlier run left for targets that need none now: they would be taken for
// today's.
func (a *commands) keepScripts(t settings.Task, run *task.Run, scripts *many.Scripts, names []string, r *report.Targets) error {
	written := map[string]bool{}
	if scripts != nil {
		list, err := scripts.Write(r)
		if err != nil {
			return err
		}
		for _, path := range list {
			written[path] = true
			a.Note("wrote %s", path)
		}
	} else {
		for i := range names {
			if s := r.At(i).Script; s != "" {
				written[s] = true
			}
		}
	}
	for path := range written {
		kept := filepath.Join(run.ScriptFolder(), filepath.Base(path))
		if data, err := os.ReadFile(path); err == nil && filepath.Dir(path) != run.ScriptFolder() {
			if err := work.WriteInto(kept, data, true); err != nil {
				return err
			}
		}
		run.JSONTaskRun.Scripts = append(run.JSONTaskRun.Scripts, path)
	}
	for _, pattern := range []string{t.Script, t.Backout} {
		for i, name := range names {
			path := many.FileFor(pattern, name)
			if pattern == "" || written[path] || r.At(i).Counts == nil {
				continue
			}
			data, err := os.ReadFile(path)
			if err != nil {
				continue
			}
			if sc, _, err := work.ReadScript(data); err == nil && !sc.Edited && os.Remove(path) == nil {
				a.Note("took away %s: it is of an earlier run", path)
			}
		}
	}
	return nil
}

// adding is held while a history is added to: two places may have one.
var adding sync.Mutex

// toHistory captures a target into its history.
func (a *commands) toHistory(ctx context.Context, s *work.Session, x many.Target) error {
	p, err := s.Place(x.Arg(), false)
	if err != nil {
		return err
	}
	if p.Name == "" {
		return work.Troubled("history", "a history is of a named place; name %s in %s", x.Name, settings.ProjectFile)
	}
	c, err := s.Read(ctx, p)
	if err != nil {
		return err
	}
	adding.Lock()
	defer adding.Unlock()
	keep := ""
	if found, ok := a.Settings().Found["history-keep"]; ok {
		keep = found[0]
	}
	_, _, _, err = project.AddToHistory(ctx, a.Work(), p.Name, "", keep, c)
	return err
}

// tell has people told of a run. What goes wrong with that is said and kept, and does
// not change the result.
func (a *commands) tell(ctx context.Context, t settings.Task, store *task.Store, run *task.Run, out report.Output) {
	run.Ended = time.Now().Format(time.RFC3339Nano)
	now := run.JSONTaskRun
	now.State = report.Ended
	if ctx.Err() != nil { // it is still told
		var stop context.CancelFunc
		ctx, stop = context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
		defer stop()
	}
	sent := store.Outbox().Send(ctx, t.Messages, func(m message.Message) message.Letter { return task.Letter(now, out.Targets, out.Ways, m.RowValues) }, run.Log)
	for _, s := range sent {
		j := report.JSONSent{Where: s.Where, Run: s.Run, Sent: s.Err == nil, Kept: s.Kept}
		if s.Err != nil {
			j.Why = s.Err.Error()
			a.Always("message %s", j.Words())
		} else {
			a.Note("message %s", j.Words())
		}
		fmt.Fprintln(run.Log, report.Safe("message "+j.Words()))
		run.Messages = append(run.Messages, j)
	}
}

// ended shows what a run came to.
func (a *commands) ended(t settings.Task, o *options, run *task.Run, r *report.Targets, out report.Output) error {
	result := func(x *report.Output) {
		j := run.JSONTaskRun
		x.TaskRun, x.Targets, x.Ways = &j, out.Targets, out.Ways
	}
	if err := o.reports.Write(a, func(x *report.Output) {
		x.Command, x.Options = "task", a.Said().Words()
		result(x)
	}); err != nil {
		return err
	}
	for _, path := range t.Reports {
		x := report.Output{Command: "task", Options: a.Said().Words()}
		result(&x)
		data, err := formats.Render(path, x)
		if err != nil {
			return work.Troubled("report", "%s: %w", path, err)
		}
		if err := work.WriteInto(path, data, true); err != nil {
			return err
		}
		a.Note("wrote %s", path)
	}
	if o.summary != "" {
		if err := appendTo(o.summary, report.Summary(run.JSONTaskRun, out.Targets, out.Ways)); err != nil {
			return work.Troubled("write", "the summary cannot be written: %w", err)
		}
	}
	if a.JSON() {
		return a.WriteJSON(result)
	}
	if a.Terminal() {
		a.Note("")
	}
	r.Write(a.Out())
	fmt.Fprintf(a.Out(), "%s run %d: %s (exit %d)\n", report.Safe(t.Name), run.Number, run.Result, run.Exit)
	return nil
}

// appendTo adds a text to a file.
func appendTo(path, text string) error {
	f, err := os.OpenFile(path, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o666)
	if err != nil {
		return err
	}
	if _, err := f.WriteString(text); err != nil {
		f.Close()
		return err
	}
	return f.Close()
}
