package many

import (
	"context"
	"errors"
	"fmt"
	"sync"

	"dappermirror/internal/cli/doing"
	"dappermirror/internal/engine"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
	"dappermirror/internal/work"
)

// Showing is how what became of several targets is shown.
type Showing struct{ Detail, All, ByStatus, Compared bool }

// several does a piece of work for several targets and shows what became of each.
// source is "" where there is none; after, nil for nothing, ends the work when all
// are done.
func (a *commands) several(ctx context.Context, o *Options, source string, typed []string, show Showing, do func(names, places []string) (func(context.Context, *work.Session, Target, *Noted) error, error), after func(*report.Targets) error) error {
	list, err := o.List(a, typed, source)
	if err != nil {
		return err
	}
	names := Names(list)
	each, err := do(names, Files(a, source, list))
	if err != nil {
		return err
	}
	r := report.NewTargets(names, show.Compared && a.JSON())
	r.Detail, r.All, r.ByStatus, r.Style, r.Whole = show.Detail, show.All, show.ByStatus, a.Style(), a.Reports()
	if err := Run(ctx, a, Call{Options: *o, Source: source, Targets: list, Do: each, Report: r}); err != nil {
		return err
	}
	for i := range names {
		a.Ends(r.At(i).Exit)
	}
	if after != nil {
		if err := after(r); err != nil {
			return err
		}
	}
	if err := a.Reported(r.Fill); err != nil {
		return err
	}
	if a.JSON() {
		return a.WriteJSON(func(o *report.Output) { o.Targets, o.Ways, o.Comparisons = r.List() })
	}
	r.Source = source
	if a.Terminal() {
		a.Note("")
	}
	r.Write(a.Out())
	return nil
}

// Jobs does a job for several targets of one source.
func (a *commands) Jobs(ctx context.Context, o *Options, args []string, show Showing, d *Doing, job func(Target, *work.Job) error) error {
	if a.Said().Swap {
		return work.Troubled("usage", "--swap exchanges one source and one target")
	}
	var patterns work.Patterns
	d.Job = func(t Target) (work.Job, error) {
		said, err := a.Said().For(args[0], t.Target)
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
	return a.several(ctx, o, args[0], args[1:], show, func(names, places []string) (func(context.Context, *work.Session, Target, *Noted) error, error) {
		if d.Scripts != nil {
			if err := d.Scripts.Check(names, places...); err != nil {
				return nil, err
			}
		}
		return d.Do(a, args[0]), nil
	}, func(r *report.Targets) error {
		if err := a.Missed(&patterns, r); err != nil {
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

// Missed is what is wrong with a pattern that matched nothing in any target. Where
// something ran already it is said, and what was done is shown.
func (a *commands) Missed(p *work.Patterns, r *report.Targets) error {
	err := p.Missed()
	if err == nil {
		return nil
	}
	for i := range r.Len() {
		if j := r.At(i); j.Ran > 0 || len(j.Files) > 0 {
			a.Always("%v", err)
			a.Ends(2)
			return nil
		}
	}
	return err
}

// Scripts has a script written for each of several targets.
func (a *commands) Scripts(ctx context.Context, o *Options, args []string, w *doing.Writing, out string, force bool, rehearsal *doing.Rehearsing) error {
	if out == "" || out == "-" {
		return work.Troubled("usage", "with several targets give -o with {target} in it, as -o 'out/{target}.sql'")
	}
	d := &Doing{Scripts: &Scripts{Pattern: out, Backout: w.Backout, Force: force}}
	return a.Jobs(ctx, o, args, Showing{}, d, func(t Target, j *work.Job) error {
		j.Share = true
		return writeJob(j, w, t, out, rehearsal)
	})
}

// writeJob has a script written for a target, and rehearsed where that was asked.
func writeJob(j *work.Job, w *doing.Writing, t Target, out string, rehearsal *doing.Rehearsing) error {
	own := *w
	own.MayLose, own.Fill = append(own.MayLose[:len(own.MayLose):len(own.MayLose)], t.MayLose...), append(own.Fill[:len(own.Fill):len(own.Fill)], t.Fill...)
	if own.Backout != "" {
		own.Backout = FileFor(own.Backout, t.Name)
	}
	if out != "" {
		out = FileFor(out, t.Name)
	}
	var err error
	j.Write, err = own.Of(out, t.At, nil)
	j.Comparing.Create = own.Create
	if rehearsal != nil {
		r := rehearsal.Of()
		j.Rehearse = &r
	}
	return err
}

// Syncs brings several targets in line.
func (a *commands) Syncs(ctx context.Context, o *Options, args []string, w *doing.Writing, run doing.Running, out string, force bool) error {
	d := &Doing{}
	if out != "" {
		d.Scripts = &Scripts{Pattern: out, Force: force} // written as they run, not shared
	}
	return a.Jobs(ctx, o, args, Showing{}, d, func(t Target, j *work.Job) error {
		own := run
		own.Create, own.Rows, own.As = w.Create, w.Rows, t.Name
		if out != "" {
			own.File, own.As = FileFor(out, t.Name), ""
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

// EachScript does something with a script and each of several targets.
func (a *commands) EachScript(ctx context.Context, o *Options, path string, targets []string, do func(ctx context.Context, s *work.Session, sc *script.Script, eng engine.Engine, t Target, j *report.JSONTarget) error) error {
	text, err := work.ReadText(path, a.Stdin())
	if err != nil {
		return err
	}
	if _, _, err := ScriptOf(path, text); err != nil {
		return err
	}
	return a.several(ctx, o, "", targets, Showing{}, func(_, _ []string) (func(context.Context, *work.Session, Target, *Noted) error, error) {
		return func(ctx context.Context, s *work.Session, t Target, noted *Noted) error {
			sc, eng, err := ScriptOf(path, text) // each its own
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

// ScriptOf is the script in a text.
func ScriptOf(path, text string) (*script.Script, engine.Engine, error) {
	s, eng, err := work.ReadScript([]byte(text))
	var f *work.Failure
	if errors.As(err, &f) {
		err = work.Troubled(f.Code, "%s: %w", path, f.Err)
	}
	return s, eng, err
}

// Checked is whether a target fits a script, and what stands in the way.
func Checked(ctx context.Context, s *work.Session, sc *script.Script, target string, standing *report.Standing) (*script.FitReport, int, error) {
	p, err := s.Place(target, true)
	if err != nil {
		return nil, 0, err
	}
	_, fit, err := s.Fit(ctx, sc, p)
	if err != nil {
		return nil, 0, err
	}
	switch {
	case len(fit.Moves) > 0:
		return &fit, 1, nil
	case fit.Done:
		return &fit, 0, nil
	}
	standing.Lacking, standing.Failing, err = s.Standing(ctx, sc, p)
	if len(standing.Lacking)+len(standing.Failing) > 0 {
		return &fit, 3, err
	}
	return &fit, 0, err
}

// Checks says of several targets whether they fit a script.
func (a *commands) Checks(ctx context.Context, o *Options, path string, targets []string) error {
	return a.EachScript(ctx, o, path, targets, func(ctx context.Context, s *work.Session, sc *script.Script, _ engine.Engine, t Target, j *report.JSONTarget) error {
		var standing report.Standing
		fit, exit, err := Checked(ctx, s, sc, t.Arg(), &standing)
		if err != nil {
			return err
		}
		j.Exit, j.Held = exit, len(sc.Held())
		switch {
		case len(fit.Moves) > 0:
			j.Result, j.Detail = report.Moved, fit.Moves[0].On.String()+" "+fit.Moves[0].What
			if n := len(fit.Moves); n > 1 {
				j.Detail += fmt.Sprintf(", and %d more", n-1)
			}
		case fit.Done:
			j.Result, j.Detail = report.Done, "it is as the script would leave it"
		case exit == 3:
			j.Result, j.Detail = report.HeldBack, append(standing.Lacking, standing.Failing...)[0]
		default:
			j.Result = report.Fits
		}
		if record := work.Unfinished(path, t.Name, sc); record != "" {
			j.Detail = "a run stopped half way: " + record
		}
		return nil
	})
}

// Applies runs a script on several targets.
func (a *commands) Applies(ctx context.Context, m *Options, path string, targets []string, o doing.Running) error {
	var asking sync.Mutex
	return a.EachScript(ctx, m, path, targets, func(ctx context.Context, s *work.Session, sc *script.Script, eng engine.Engine, t Target, j *report.JSONTarget) error {
		target, err := s.Place(t.Arg(), o.Create)
		if err != nil {
			return err
		}
		if !target.Writable() {
			return work.Troubled("not-a-database", "%s is no database; a script runs on a database only", target.Label)
		}
		own := o
		own.File, own.As = path, t.Name
		r, err := own.Of(a)
		if err != nil {
			return err
		}
		ask := r.Approve
		r.Approve = func(ctx context.Context, w work.Approval) error { // one question at a time
			asking.Lock()
			defer asking.Unlock()
			return ask(ctx, w)
		}
		j.Place, j.Held = target.Label, len(sc.Held())
		if j.Ran, err = s.Apply(ctx, sc, eng, target, r); err != nil {
			return err
		}
		if j.Result = report.Done; j.Ran == 0 {
			j.Detail = "there was nothing to do"
		}
		return nil
	})
}

// Rehearsals rehearses for several targets.
func (a *commands) Rehearsals(ctx context.Context, m *Options, args []string, written bool, w *doing.Writing, re doing.Rehearsing) error {
	if !written {
		return a.Jobs(ctx, m, args, Showing{}, &Doing{}, func(t Target, j *work.Job) error { return writeJob(j, w, t, "", &re) })
	}
	return a.EachScript(ctx, m, args[0], args[1:], func(ctx context.Context, s *work.Session, sc *script.Script, eng engine.Engine, t Target, j *report.JSONTarget) error {
		target, err := s.Place(t.Arg(), false)
		if err != nil {
			return err
		}
		j.Place = target.Label
		actual, fit, err := s.Fit(ctx, sc, target)
		if err != nil {
			return err
		}
		if len(fit.Moves) > 0 && !fit.Done {
			return &script.MovedError{Moves: fit.Moves}
		}
		res, err := s.Rehearse(ctx, sc, nil, eng, target, actual, nil, re.Of())
		if err != nil {
			return err
		}
		if j.Result, j.Detail = report.Done, "rehearsed"; !res.Passed() {
			j.Result, j.Detail, j.Exit = report.Differs, "the rehearsal failed", 1
		}
		return nil
	})
}
