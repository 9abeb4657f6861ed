package reviews

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dappermirror/internal/cli/doing"
	"dappermirror/internal/cli/judgement"
	"dappermirror/internal/cli/many"
	"dappermirror/internal/cli/tasks"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/words"
	"dappermirror/internal/rehearse"
	"dappermirror/internal/report"
	"dappermirror/internal/report/formats"
	"dappermirror/internal/review"
	"dappermirror/internal/script"
	"dappermirror/internal/work"
)

// pair is the pair of a judgement, as the commands compare it: both structures are those
// that were read.
func (d *desk) pair(ctx context.Context, s review.Said) (*work.Pair, *work.Writing, error) {
	c, wr, err := d.comparing(s)
	if err != nil {
		return nil, nil, err
	}
	c.Extent = work.Whole
	p, err := d.app.Work().Compare(ctx, d.source, d.target, c)
	return p, wr, err
}

// Write implements review.Desk.
func (d *desk) Write(ctx context.Context, what review.What, file string, s review.Said) (string, error) {
	if file == "" || file == "-" {
		return "", work.Troubled("usage", "name a file")
	}
	switch what {
	case review.Task:
		return d.saveTask(file, s)
	case review.Report:
		if err := formats.Check(file); err != nil {
			return "", work.Troubled("usage", "%w", err)
		}
	}
	if err := d.app.Work().Writable([]work.Output{{Option: "the file", Path: file}}, false, d.source, d.target); err != nil {
		return "", err
	}
	p, wr, err := d.pair(ctx, s)
	if err == nil && what == review.Source {
		if !p.ToSource() {
			return "", work.Troubled("nothing", "nothing goes to the source; s says so of a difference")
		}
		wr.File, wr.TargetArg, wr.Fill = file, d.source, nil
		p, err = d.app.Work().Back(ctx, p, d.source, d.target)
	}
	if err != nil {
		return "", err
	}
	switch what {
	case review.Script:
		wr.File = file
	case review.Backout:
		wr.Backout = file
	}
	var text []byte
	said := string(what) + " written to " + file
	switch made, err := d.app.Work().Write(ctx, p, wr); {
	case err != nil:
		return "", err
	case what == review.Script || what == review.Source:
		text = made.Text
		said += fmt.Sprintf(": %s to run, %d held back", words.Number(len(made.Plan.Steps), "step", "steps"), len(made.Plan.Held))
	case what == review.Backout:
		back, err := d.app.Work().WriteBackout(p, made.Plan, wr)
		if err != nil {
			return "", err
		}
		text = back.Text
	case what == review.Choices:
		if text, err = d.app.Work().ChoicesFile(p, made.Plan); err != nil {
			return "", err
		}
	default:
		js := report.PlanJSON(made.Plan, p.Comparison.Target.Engine, p.Comparison.Source.Place, p.Comparison.Target.Place, made.Text, d.script)
		js.BlockedBy, js.Said = p.Blockers, wr.Said
		if text, err = formats.Render(file, report.Output{Comparisons: []report.JSONComparison{report.ComparisonJSON(many.View(p, p.Comparison.Likely(match.Least), true), true)}, Script: js}); err != nil {
			return "", work.Troubled("report", "%w", err)
		}
	}
	if err := work.WriteInto(file, text, false); err != nil {
		return "", err
	}
	if what == review.Script {
		d.script, d.written = file, string(text)
	}
	if what == review.Script || what == review.Choices {
		return said, d.Keep(review.Said{Apart: s.Apart})
	}
	return said, nil
}

// saveTask saves the judgement as a task, by the words that the command would take.
func (d *desk) saveTask(name string, s review.Said) (string, error) {
	cmd := &cobra.Command{Use: "script"}
	var said judgement.Said
	var w doing.Writing
	said.Flags(cmd)
	w.Flags(cmd)
	_, wr, err := d.comparing(s)
	if err != nil {
		return "", err
	}
	list := slices.Clone(wr.Said)
	for _, f := range wr.Fill {
		list = append(list, "--fill", f)
	}
	if s.AddNeeded {
		list = append(list, "--add-needed")
	}
	for i := 0; i < len(list); i++ {
		name := strings.TrimPrefix(list[i], "--")
		f := cmd.Flags().Lookup(name)
		value := "true"
		if f != nil && f.Value.Type() != "bool" && i+1 < len(list) {
			i++
			value = list[i]
		}
		if err := cmd.Flags().Set(name, value); err != nil {
			return "", work.Troubled("task", "%w", err)
		}
	}
	if err := tasks.Of(d.app).Save(cmd, name, []string{d.source, d.target}, wr.MayLose); err != nil {
		return "", err
	}
	return "task " + name + " saved", d.Keep(review.Said{Apart: s.Apart})
}

// made is the script of a judgement.
func (d *desk) made(ctx context.Context, s review.Said) (*work.Pair, *work.Written, error) {
	p, wr, err := d.pair(ctx, s)
	if err != nil {
		return nil, nil, err
	}
	if len(p.Choices.Open())+len(p.Choices.Remake) == 0 {
		return nil, nil, work.Troubled("nothing", "there is nothing to run")
	}
	made, err := d.app.Work().Write(ctx, p, wr)
	return p, made, err
}

// Rehearse implements review.Desk.
func (d *desk) Rehearse(ctx context.Context, s review.Said) (string, error) {
	p, made, err := d.made(ctx, s)
	if err != nil {
		return "", err
	}
	res, err := d.app.Work().Rehearse(ctx, made.Script, nil, made.Engine, p.Target, made.Plan.Actual, made.Plan.Desired, d.re.Of())
	if err != nil {
		return "", err
	}
	return rehearsed(res)
}

// rehearsed says how a rehearsal ended.
func rehearsed(res *rehearse.Result) (string, error) {
	switch {
	case res.Failed != nil:
		return "", fmt.Errorf("rehearsed on %s: it FAILED: %w", res.Where, res.Failed)
	case !res.Passed():
		return "", fmt.Errorf("rehearsed on %s: it does NOT end as it should: %s %s", res.Where, res.Left[0].On, res.Left[0].What)
	}
	return fmt.Sprintf("rehearsed on %s: %s ran, it ends as it should", res.Where, words.Number(res.Steps, "step", "steps")), nil
}

// Summary implements review.Desk.
func (d *desk) Summary(review.Said) ([]string, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	p, plan := d.draft.Pair, d.draft.Plan
	switch {
	case !p.Target.Writable():
		return nil, work.Troubled("not-a-database", "%s is no database and cannot be changed; write a script for it", p.Target.Label)
	case d.draft.Stuck != nil:
		return nil, d.draft.Stuck
	case len(d.draft.Lacking) > 0:
		return nil, work.Refused("needs", "%s cannot come or go by what was chosen", words.Number(len(d.draft.Lacking), "thing", "things"))
	case len(plan.Steps) == 0:
		return nil, work.Troubled("nothing", "there is nothing to run")
	case len(plan.WillFail()) > 0:
		return nil, work.Refused("will-fail", "%w of %d of the steps", work.ErrWillFail, len(plan.WillFail()))
	}
	losses := plan.Losses()
	out := []string{fmt.Sprintf("%s on %s, %s", words.Number(len(plan.Steps), "step", "steps"), p.Target.Label, words.Number(len(losses), "loss", "losses")), ""}
	for _, r := range plan.Gone {
		out = append(out, "goes    "+r.String()+": only the target has it")
	}
	for _, r := range losses {
		out = append(out, "loss    "+r.Sentence())
	}
	for _, r := range plan.HeldBecause {
		out = append(out, "held back  "+r.Because()+" ("+script.WayOut(r)+")")
	}
	return out, nil
}

// Apply implements review.Desk: it runs the script and reads both places again.
func (d *desk) Apply(ctx context.Context, s review.Said) (string, error) {
	p, made, err := d.made(ctx, s)
	if err != nil {
		return "", err
	}
	if n := len(made.Plan.WillFail()); n > 0 {
		return "", work.Refused("will-fail", "%w of %d of the steps; nothing was run", work.ErrWillFail, n)
	}
	o := d.run
	o.Yes, o.Rows, o.Create = true, d.w.Rows, d.w.Create
	if string(made.Text) == d.written { // else what stands in the file is another script
		o.File = d.script
	}
	running, err := o.Of(d.app)
	if err != nil {
		return "", err
	}
	n, err := d.app.Work().Apply(ctx, made.Script, made.Engine, p.Target, running)
	if err != nil {
		return "", err
	}
	// They are carried out, those of the call as well.
	s.Rename, s.Fill, s.MayLose = nil, nil, nil
	done := *d.base
	done.Rename, d.base = nil, &done
	d.w.Fill, d.w.MayLose = nil, nil
	c, _, err := d.comparing(s)
	if err != nil {
		return "", err
	}
	if err := d.judging.Again(context.WithoutCancel(ctx), c); err != nil {
		return "", fmt.Errorf("%s ran; comparing again: %w", words.Number(n, "step", "steps"), err)
	}
	if err := d.Keep(review.Said{Apart: s.Apart}); err != nil {
		return "", err
	}
	return fmt.Sprintf("%s ran; what is shown was compared again", words.Number(n, "step", "steps")), nil
}
