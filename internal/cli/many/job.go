package many

import (
	"context"
	"fmt"
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
			if e := d.compared(ctx, s, t.N, p, noted, d.Rows && err == nil); e != nil && err == nil {
				err = e
			}
		}
		noted.Note(func(r *report.Targets) { d.note(r, t, done, j) })
		if done.Written != nil && d.Scripts != nil && done.Script != "" {
			d.Scripts.Add(t, done)
		}
		return err
	}
}

// compared notes how a target differs. What would be lost, what looks like a rename, and
// what is shown of it all are worked out once for targets that differ in one way.
func (d *Doing) compared(ctx context.Context, s *work.Session, n int, p *work.Pair, noted *Noted, rows bool) error {
	like := !rows && noted.report.OnlyWays()
	var way [32]byte
	if like {
		var given []string
		for _, g := range p.Given {
			given = append(given, fmt.Sprint(g.Source, g.Target, g.Rename))
		}
		way = p.Comparison.Way(func(it, part *compare.Item) string {
			if part != nil {
				return p.Choices.Chosen.OfPart(it, part).Decision.String()
			}
			return p.Choices.Chosen.Of(it).Decision.String()
		}, given...)
		known := false
		noted.Note(func(r *report.Targets) { known = r.Again(n, way, p.Comparison) })
		if known {
			return nil
		}
	}
	var err error
	l := p.Comparison.Likely(match.Least)
	if rows {
		l, err = s.Likely(ctx, p, rows)
	}
	v := View(p, l, noted.report.Detail || noted.report.Whole)
	noted.Note(func(r *report.Targets) {
		r.Compared(n, v)
		if like {
			r.Known(way, n)
		}
	})
	return err
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
