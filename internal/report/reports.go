package report

import (
	"cmp"
	"fmt"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/report/view"
	"dappermirror/internal/script"
)

// View is what a report says of an output: of one that was just made, or of one that was
// kept as JSON. It says the same of both.
func View(o Output) *view.Report {
	r := &view.Report{Title: "Dapper Mirror"}
	switch {
	case o.TaskRun != nil:
		taskHead(r, *o.TaskRun)
	case len(o.Comparisons) == 1:
		c := o.Comparisons[0]
		r.Title = c.Source.Place + " and " + c.Target.Place
		r.Head = append(r.Head, sideHead("source", c.Source), sideHead("target", c.Target), [2]string{"alike", Percent(int(c.Similarity*10 + 0.5))})
	case len(o.Comparisons) > 1:
		r.Title = fmt.Sprintf("%s and %s", o.Comparisons[0].Source.Place, words.Number(len(o.Targets), "target", "targets"))
		r.Head = append(r.Head, sideHead("source", o.Comparisons[0].Source))
	}
	r.Head = append(r.Head, script.Judgement(o.Options)...)
	if len(o.Targets) > 0 {
		r.Sum = Sum(o.Targets, o.Ways)
		for _, j := range o.Targets {
			r.Targets = append(r.Targets, targetView(j))
		}
		ways(r, o)
	} else {
		for _, c := range o.Comparisons {
			r.Comparisons, r.Titles = append(r.Comparisons, comparisonView(c)), append(r.Titles, "")
		}
	}
	if s := o.Script; s != nil {
		scriptView(r, s)
	}
	x := o.Rehearsal
	if x == nil && o.Script != nil {
		x = o.Script.Rehearsal
	}
	if x != nil && x.Passed {
		r.Notes = append(r.Notes, rehearsalWords(x))
	} else if x != nil {
		r.Wrong = append(r.Wrong, rehearsalWords(x))
	}
	if x := o.Run; x != nil {
		note := fmt.Sprintf("%s ran on %s, %d held back", words.Number(x.Steps, "step", "steps"), x.Target, x.Held)
		if x.Remaining != nil {
			note += "; compared again: " + words.Number(*x.Remaining, "object differs", "objects differ")
		}
		r.Notes = append(r.Notes, note)
	}
	r.Notes = append(r.Notes, r.Wrong...)
	return r
}

func sideHead(name string, s JSONSide) [2]string {
	return [2]string{name, fmt.Sprintf("%s (%s %s; %s)", s.Place, engine.Title(s.Engine), s.Version, CountWords(s.Counts))}
}

func taskHead(r *view.Report, t JSONTaskRun) {
	r.Title = fmt.Sprintf("Task %s, run %d", t.Task, t.Number)
	r.Head = append(r.Head, [2]string{"source", t.Source}, [2]string{"when", Day(t.Began)}, [2]string{"who", t.Who}, [2]string{"result", fmt.Sprintf("%s (exit %d)", t.Result, t.Exit)})
	if t.Share != "" {
		r.Head = append(r.Head, [2]string{"share", t.Share})
	}
	if t.Error != nil {
		r.Notes = append(r.Notes, t.Error.Message)
	}
}

// ways shows each way in which targets differ once.
func ways(r *view.Report, o Output) {
	for _, w := range o.Ways {
		names := named(o.Targets, func(j JSONTarget) bool { return j.Way == w.Number })
		title := fmt.Sprintf("Way %d, %s: %s", w.Number, words.Number(w.Targets, "target", "targets"), words.Join(names, 8))
		c := JSONComparison{Differences: w.Differences}
		for i, j := range o.Targets { // one that was kept whole says more
			if j.Way == w.Number && i < len(o.Comparisons) && len(o.Comparisons) == len(o.Targets) {
				c = o.Comparisons[i]
				break
			}
		}
		if c.Target.Place == "" {
			for _, d := range w.Differences {
				switch d.Status {
				case compare.Differs:
					c.Counts.Differs++
				case compare.SourceOnly:
					c.Counts.SourceOnly++
				default:
					c.Counts.TargetOnly++
				}
				if len(d.Loses) > 0 {
					c.Losing++
				}
			}
		}
		r.Comparisons, r.Titles = append(r.Comparisons, comparisonView(c)), append(r.Titles, title)
	}
}

func targetView(j JSONTarget) view.Target {
	t := view.Target{Name: j.Target, Result: j.Result.words(), Detail: j.Detail, Way: j.Way, Held: j.Held, Losing: j.Losing, Script: j.Script}
	if c := j.Counts; c != nil {
		t.Known, t.Differs, t.SourceOnly, t.TargetOnly = true, c.Differs, c.SourceOnly, c.TargetOnly
	}
	if j.Error != nil {
		t.Bad, t.Detail = true, j.Error.Message
	}
	return t
}

// comparisonView is the view of a comparison that was kept as JSON.
func comparisonView(c JSONComparison) *view.Comparison {
	back := func(s JSONSide) view.Side {
		return view.Side{Place: s.Place, Engine: s.Engine, Version: s.Version, Counts: s.Counts}
	}
	v := &view.Comparison{Source: back(c.Source), Target: back(c.Target), Alike: int(c.Similarity*10 + 0.5), Counts: c.Counts, Losing: c.Losing, Tally: c.Tolerated}
	for _, it := range c.Differences {
		o := itemView(it)
		if o.Choice != "" {
			v.Stays++
		}
		v.Objects = append(v.Objects, o)
	}
	for _, it := range c.Same {
		v.Objects = append(v.Objects, itemView(it))
	}
	for _, g := range c.NotCompared {
		v.Gaps = append(v.Gaps, view.Gap{Side: g.Side, Kind: g.Kind, Property: g.Property, What: view.GapWords(catalog.Gap{Kind: catalog.Kind(g.Kind), Property: g.Property}), Why: g.Why})
	}
	for _, l := range c.Likely {
		v.Likely = append(v.Likely, view.Likely{Old: l.Old, New: l.New, Option: typed(l.Option), Weight: l.Weight, Reasons: l.Reasons})
	}
	for _, n := range c.Names {
		v.Names = append(v.Names, view.Pair(n))
	}
	for _, t := range c.ToleratedDifferences {
		v.Tolerated = append(v.Tolerated, view.Tolerated{On: t.On, Fact: t.Fact, By: t.By, Source: t.Source, Target: t.Target})
	}
	return v
}

func itemView(it JSONItem) view.Object {
	o := view.Object{Kind: it.Kind, Schema: it.Schema, Name: it.Name, Status: it.Status, Facts: it.Said, Loses: it.Loses, Choice: it.Choice, Order: it.Order, SourceAt: it.SourceAt, TargetAt: it.TargetAt,
		SourceSQL: it.Source, TargetSQL: it.Target, Defined: it.Source+it.Target != "", Partial: it.Partial}
	lines := func(s string) []string {
		if s == "" {
			return nil
		}
		return view.Definition(it.Kind, s)
	}
	o.Target, o.Source = lines(it.Target), lines(it.Source)
	if it.Partial {
		o.Source = nil
		if it.Wanted != nil {
			o.WantedSQL, o.Source = *it.Wanted, lines(*it.Wanted)
		}
		o.Untouched = it.Target == ""
	}
	for _, p := range it.Properties {
		o.Fields = append(o.Fields, view.Field(p))
	}
	for _, p := range it.Parts {
		o.Parts = append(o.Parts, itemView(p))
	}
	return o
}

func scriptView(r *view.Report, s *JSONScript) {
	r.Script = s.File
	if len(r.Head) == 0 {
		r.Title = s.Source + " and " + s.Target
		r.Head = append(r.Head, [2]string{"source", s.Source}, [2]string{"target", fmt.Sprintf("%s (%s)", s.Target, engine.Title(s.Engine))})
		r.Head = append(r.Head, script.Judgement(s.Said)...)
	}
	if s.File != "" {
		r.Head = append(r.Head, [2]string{"script", s.File})
	}
	if s.Backout != "" {
		r.Head = append(r.Head, [2]string{"way back", s.Backout})
	}
	if s.Edited {
		r.Wrong = append(r.Wrong, "The script is not as it was written.")
	}
	if s.Fits != nil && !*s.Fits {
		r.Wrong = append(r.Wrong, "The target is no longer what the script was written for.")
	}
	for _, l := range s.Lacking {
		r.Wrong = append(r.Wrong, "The account lacks: "+l)
	}
	for _, b := range s.BlockedBy {
		r.Notes = append(r.Notes, "At work on the tables: "+b)
	}
	for _, st := range s.Steps {
		r.Steps = append(r.Steps, stepView(st))
	}
	for _, st := range s.Held {
		r.Held = append(r.Held, stepView(st))
	}
}

// StepViews are the steps of a plan, and those that are held back, as they are shown.
func StepViews(plan *order.Plan) (steps, held []view.Step) {
	because, left := map[string]string{}, plan.Chosen.Left()
	for _, r := range plan.HeldBecause {
		because[r.On.String()] = r.Because() + " (" + script.WayOut(r) + ")"
	}
	for i, list := range [][]JSONStep{jsonSteps(plan.Steps), jsonSteps(plan.Held)} {
		for n, s := range list {
			v := stepView(s)
			if i == 0 {
				steps = append(steps, v)
				continue
			}
			for _, r := range s.Risks {
				if v.Because == "" {
					v.Because = because[r.On.String()]
				}
			}
			if about := plan.Held[n].About; v.Because == "" {
				v.Because = cmp.Or(string(left[about]), string(left[about.Object()]), string(choose.Unready))
			}
			held = append(held, v)
		}
	}
	return steps, held
}

func stepView(s JSONStep) view.Step {
	v := view.Step{Number: s.Number, Title: s.Title, On: s.On, SQL: s.SQL}
	for _, x := range s.Risks {
		m := view.Changed
		if x.Kind == order.Loss || x.Kind == order.WillFail {
			m = view.Loses
		}
		v.Risks = append(v.Risks, view.Phrase{Mark: m, Text: script.RiskWords(x)})
	}
	for _, x := range s.Cleared {
		if x.Rows != nil {
			v.Checks = append(v.Checks, script.ClearedWords(x))
		} else {
			v.Checks = append(v.Checks, x.Text)
		}
	}
	for _, x := range s.Fills {
		v.Fills = append(v.Fills, x.Sentence())
	}
	for _, x := range s.Locks {
		v.Locks = append(v.Locks, x.Words())
	}
	return v
}

func rehearsalWords(x *JSONRehearsal) string {
	switch {
	case x.Failed != nil:
		return fmt.Sprintf("The rehearsal on %s failed at step %d, line %d: %s", x.Where, x.Failed.Step, x.Failed.Line, x.Failed.Message)
	case !x.Passed:
		return fmt.Sprintf("The rehearsal on %s does not end as it should.", x.Where)
	}
	return fmt.Sprintf("Rehearsed on %s: %s ran, it ends as it should.", x.Where, words.Number(x.Steps, "step", "steps"))
}
