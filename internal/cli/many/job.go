package many

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"slices"
	"sync"

	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/match"
	"dappermirror/internal/report"
	"dappermirror/internal/report/view"
	"dappermirror/internal/work"
)

// Doing is what is done with each of several targets.
type Doing struct {
	// Job is what is done with a target.
	Job func(Target) (work.Job, error)
	// Rows lets a sample of rows tell how likely renames are.
	Rows bool
	// Scripts gathers what is written; nil where nothing is.
	Scripts *Scripts
	// Compared says what a comparison that nothing is written of ends with.
	Compared int
}

// Do does a job for a target and notes what it finds; it is a Call's.
func (d *Doing) Do(a App, source string) func(context.Context, *work.Session, Target, *Noted) error {
	var asking sync.Mutex // people answer one question at a time
	known := &ways{of: map[[32]byte]*view.Comparison{}}
	return func(ctx context.Context, s *work.Session, t Target, noted *Noted) error {
		j, err := d.Job(t)
		if err != nil {
			return err
		}
		if j.Run != nil {
			ask := j.Run.Approve
			j.Run.Approve = func(ctx context.Context, w work.Approval) error {
				asking.Lock()
				defer asking.Unlock()
				return ask(ctx, w)
			}
		}
		done, err := s.Do(ctx, source, t.Arg(), j)
		if p := done.Pair; p != nil {
			v, e := known.view(ctx, s, p, noted.report.Detail || noted.report.Whole, d.Rows && err == nil)
			if e != nil && err == nil {
				err = e
			}
			noted.Note(func(r *report.Targets) { r.Compared(t.N, v) })
		}
		noted.Note(func(r *report.Targets) { d.note(r, t, done, j) })
		if done.Written != nil && d.Scripts != nil && done.Script != "" {
			d.Scripts.Add(t, done)
		}
		return err
	}
}

func likely(ctx context.Context, s *work.Session, p *work.Pair, rows bool) ([]match.Likely, error) {
	if !rows {
		return p.Comparison.Likely(match.Least), nil
	}
	return s.Likely(ctx, p, rows)
}

// ways are what is said of targets that differ in one way: what would be lost, and what
// looks like a rename, is found out once for all of them.
type ways struct {
	mu sync.Mutex
	of map[[32]byte]*view.Comparison
}

// view is what a report says of a target.
func (w *ways) view(ctx context.Context, s *work.Session, p *work.Pair, detail, rows bool) (*view.Comparison, error) {
	bare := view.Of(view.Found{Comparison: p.Comparison, Choices: p.Choices.Chosen, Given: p.Given})
	var differ []view.Object
	for _, o := range bare.Objects {
		if o.Status != compare.Same {
			differ = append(differ, o)
		}
	}
	data, err := json.Marshal(differ)
	if err != nil || detail || rows {
		l, err := likely(ctx, s, p, rows)
		return View(p, l, detail), err
	}
	key := sha256.Sum256(data)
	w.mu.Lock()
	same := w.of[key]
	w.mu.Unlock()
	if same == nil {
		v := View(p, p.Comparison.Likely(match.Least), false)
		w.mu.Lock()
		w.of[key] = &view.Comparison{Objects: slices.DeleteFunc(slices.Clone(v.Objects), func(o view.Object) bool { return o.Status == compare.Same }), Losing: v.Losing, Likely: v.Likely}
		w.mu.Unlock()
		return v, nil
	}
	n := 0
	for i := range bare.Objects { // they stand in the same order
		if bare.Objects[i].Status != compare.Same {
			bare.Objects[i] = same.Objects[n]
			n++
		}
	}
	bare.Losing, bare.Likely = same.Losing, same.Likely
	return bare, nil
}

// View is what a report says of a pair; detail has the definitions laid out.
func View(p *work.Pair, likely []match.Likely, detail bool) *view.Comparison {
	f := view.Found{Comparison: p.Comparison, Choices: p.Choices.Chosen, Losses: p.Losses(), Likely: likely, Given: p.Given}
	if detail {
		f.Define = p.Definition
	}
	return view.Of(f)
}

// note notes how far a job came.
func (d *Doing) note(r *report.Targets, t Target, done *work.Done, j work.Job) {
	at := r.At(t.N)
	if done.Pair == nil {
		return
	}
	open := len(done.Pair.Choices.Open())
	if w := done.Written; w != nil {
		at.Steps, at.Held = len(w.Plan.Steps), len(w.Plan.Held)
		if n := len(w.Plan.WillFail()); n > 0 {
			at.Detail = "the rows stand in the way"
		}
	}
	at.Ran = done.Ran
	if j.Keep != nil && done.Written != nil {
		at.Script = j.Write.File
	}
	for _, f := range done.Rewritten {
		at.Files = append(at.Files, report.JSONFile{File: f.Name, Change: f.Change, Objects: f.Objects})
	}
	if done.Again != nil {
		left := len(done.Again.Choices.Open())
		at.Remaining = &left
	}
	at.Result, at.Exit = d.result(done, j, open)
	if x := done.Rehearsal; x != nil && !x.Passed() {
		at.Result, at.Exit, at.Detail = report.Differs, 1, "the rehearsal failed"
	} else if x != nil {
		at.Detail = "rehearsed"
	}
}

// result is what became of a target that nothing went wrong with, and what the call
// would end with for it alone.
func (d *Doing) result(done *work.Done, j work.Job, open int) (report.Result, int) {
	held := done.Written != nil && (len(done.Written.Plan.Held) > 0 || len(done.Written.Plan.WillFail()) > 0)
	changed := done.Again != nil
	switch {
	case held, changed && len(done.Again.Choices.Open()) > 0:
		return report.HeldBack, 3
	case changed:
		return report.Done, 0
	case open == 0 && done.Pair.Different():
		return report.Done, 0 // what differs was left so by choice
	case open == 0 && j.Write == nil || open == 0:
		return report.Equal, 0
	case j.Write == nil:
		return report.Differs, d.Compared
	}
	return report.Differs, 0
}
