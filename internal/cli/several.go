package cli

import (
	"context"
	"strings"

	"dappermirror/internal/cli/doing"
	"dappermirror/internal/cli/many"
	"dappermirror/internal/engine"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
	"dappermirror/internal/work"
)

// showing is how what became of several targets is shown.
type showing struct{ detail, all, byStatus, compared bool }

// several does a piece of work for several targets and shows what became of each.
// source is "" where there is none; after, nil for nothing, ends the work when all
// are done.
func (a *app) several(ctx context.Context, o *many.Options, source string, typed []string, show showing, do func(names, places []string) (func(context.Context, *work.Session, many.Target, *many.Noted) error, error), after func(*report.Targets) error) error {
	d := desk{a}
	list, err := o.List(d, typed, source)
	if err != nil {
		return err
	}
	names := many.Names(list)
	places := []string{source}
	for _, t := range list {
		places = append(places, t.At)
	}
	each, err := do(names, places)
	if err != nil {
		return err
	}
	r := report.NewTargets(names, show.compared && d.JSON())
	r.Detail, r.All, r.ByStatus, r.Style = show.detail, show.all, show.byStatus, a.style()
	if err := many.Run(ctx, d, many.Call{Options: *o, Source: source, Targets: list, Do: each, Report: r}); err != nil {
		return err
	}
	if after != nil {
		if err := after(r); err != nil {
			return err
		}
	}
	if d.JSON() {
		return a.json(func(o *report.Output) { o.Targets, o.Ways, o.Comparisons = r.List() })
	}
	r.Source = source
	r.Write(&a.out)
	return nil
}

// severalJobs does a job for several targets of one source.
func (a *app) severalJobs(ctx context.Context, o *many.Options, args []string, show showing, d *many.Doing, job func(many.Target, *work.Job) error) error {
	if a.said.Swap {
		return trouble("usage", "--swap exchanges one source and one target")
	}
	var patterns work.Patterns
	d.Job = func(t many.Target) (work.Job, error) {
		said, err := a.said.For(args[0], t.Target)
		if err != nil {
			return work.Job{}, err
		}
		j := work.Job{}
		if j.Comparing, err = said.Comparing(); err != nil {
			return j, err
		}
		j.Comparing.Several = &patterns
		if job != nil {
			err = job(t, &j)
		}
		if j.Write != nil {
			j.Write.Said = said.Words()
		}
		return j, err
	}
	return a.several(ctx, o, args[0], args[1:], show, func(names, places []string) (func(context.Context, *work.Session, many.Target, *many.Noted) error, error) {
		if d.Scripts != nil {
			if err := d.Scripts.Check(names, places...); err != nil {
				return nil, err
			}
		}
		return d.Do(desk{a}, args[0]), nil
	}, func(r *report.Targets) error {
		if err := patterns.Missed(); err != nil {
			return err
		}
		if d.Scripts == nil {
			return nil
		}
		written, err := d.Scripts.Write(r)
		for _, path := range written {
			a.Note("wrote %s", path)
		}
		return err
	})
}

// scripts has a script written for each of several targets.
func (a *app) scripts(ctx context.Context, o *many.Options, args []string, w *doing.Writing, out string, force bool, rehearsal *doing.Rehearsing) error {
	if out == "" || out == "-" {
		return trouble("usage", "with several targets give -o with {target} in it, as -o 'out/{target}.sql'")
	}
	d := &many.Doing{Scripts: &many.Scripts{Pattern: out, Backout: w.Backout, Force: force}}
	return a.severalJobs(ctx, o, args, showing{}, d, func(t many.Target, j *work.Job) error {
		j.Share = true
		return writeJob(j, w, t, out, rehearsal)
	})
}

// writeJob has a script written for a target, and rehearsed where that was asked.
func writeJob(j *work.Job, w *doing.Writing, t many.Target, out string, rehearsal *doing.Rehearsing) error {
	own := *w
	own.MayLose, own.Fill = append(own.MayLose[:len(own.MayLose):len(own.MayLose)], t.MayLose...), append(own.Fill[:len(own.Fill):len(own.Fill)], t.Fill...)
	if own.Backout != "" {
		own.Backout = many.FileFor(own.Backout, t.Name)
	}
	if out != "" {
		out = many.FileFor(out, t.Name)
	}
	var err error
	j.Write, err = own.Of(out, t.Arg(), nil)
	j.Comparing.Create = own.Create
	if rehearsal != nil {
		r := rehearsal.Of()
		j.Rehearse = &r
	}
	return err
}

// syncs brings several targets in line.
func (a *app) syncs(ctx context.Context, o *many.Options, args []string, w *doing.Writing, run doing.Running, out string, force bool) error {
	d := &many.Doing{}
	if out != "" {
		d.Scripts = &many.Scripts{Pattern: out, Force: force} // written as they run, not shared
	}
	return a.severalJobs(ctx, o, args, showing{}, d, func(t many.Target, j *work.Job) error {
		own := run
		own.Create, own.Rows, own.As = w.Create, w.Rows, t.Name
		if out != "" {
			own.File, own.As = many.FileFor(out, t.Name), ""
			j.Keep = func(d *work.Done) error { return work.WriteInto(own.File, d.Written.Text, force) }
		}
		r, err := own.Of(a)
		if err != nil {
			return err
		}
		j.Run = &r
		return writeJob(j, w, t, out, nil)
	})
}

// eachScript does something with a script and each of several targets.
func (a *app) eachScript(ctx context.Context, o *many.Options, path string, targets []string, do func(ctx context.Context, s *work.Session, sc *script.Script, eng engine.Engine, t many.Target, j *report.JSONTarget) error) error {
	text, err := work.ReadText(path, a.stdin)
	if err != nil {
		return err
	}
	a.stdin = strings.NewReader("") // it was the script
	if _, _, err := scriptOf(path, text); err != nil {
		return err
	}
	return a.several(ctx, o, "", targets, showing{}, func(_, _ []string) (func(context.Context, *work.Session, many.Target, *many.Noted) error, error) {
		return func(ctx context.Context, s *work.Session, t many.Target, noted *many.Noted) error {
			sc, eng, err := scriptOf(path, text) // each its own
			if err != nil {
				return err
			}
			j := report.JSONTarget{}
			err = do(ctx, s, sc, eng, t, &j)
			noted.Note(func(r *report.Targets) {
				at := r.At(t.N)
				at.Place, at.Result, at.Exit, at.Detail, at.Ran, at.Held = j.Place, j.Result, j.Exit, j.Detail, j.Ran, j.Held
			})
			return err
		}, nil
	}, nil)
}
