package reviews

import (
	"cmp"
	"context"
	"fmt"

	"dappermirror/internal/cli/doing"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/report/view"
	"dappermirror/internal/review"
	"dappermirror/internal/script"
	"dappermirror/internal/work"
)

// scriptDesk shows a script that was written, and whether its target still fits. Nothing
// of it is chosen any more.
type scriptDesk struct {
	app    App
	run    doing.Running
	re     doing.Rehearsing
	rows   doing.RowChecks
	file   string
	sc     *script.Script
	eng    engine.Engine
	target *place.Place

	shown *review.Judged
	fit   script.FitReport
	sure  bool // what stands in the way is known
}

// asItStands refuses what would change a script.
func asItStands() error {
	return work.Troubled("script", "a script is reviewed as it stands; to choose, review its source and its target")
}

// look reads the target, and says whether the script fits.
func (d *scriptDesk) look(ctx context.Context) error {
	_, fit, err := d.app.Work().Fit(ctx, d.sc, d.target)
	if err != nil {
		return err
	}
	stands := report.Standing{}
	if d.fit = fit; len(fit.Moves) == 0 && !fit.Done {
		if stands.Lacking, stands.Failing, err = d.app.Work().Standing(ctx, d.sc, d.target); err != nil {
			return err
		}
	}
	js := report.ScriptJSON(d.file, d.sc, &fit, stands)
	v := report.View(report.Output{Script: js})
	j := &review.Judged{Source: d.sc.Meta.Source, Target: d.target.Label, Alike: -1, Notes: append(v.Wrong, v.Notes...)}
	if fit.Done {
		j.Notes = append(j.Notes, "The target is already as the script would leave it.")
	}
	for _, m := range fit.Moves {
		j.Notes = append(j.Notes, m.On.String()+" "+m.What)
	}
	for _, f := range stands.Failing {
		j.Notes = append(j.Notes, "The rows stand in the way of "+f)
	}
	sql, err := statements(d.sc, d.eng)
	if err != nil {
		j.Notes = append(j.Notes, err.Error())
	}
	for i, list := range [][]view.Step{v.Steps, v.Held} {
		infos := d.sc.Planned()
		if i == 1 {
			infos = d.sc.Held()
		}
		for k, st := range list {
			x := &review.Step{Step: st}
			x.SQL = sql[st.Number]
			for _, kind := range severity {
				for _, r := range infos[k].Risks {
					if r.Kind == kind {
						x.Worst = cmp.Or(x.Worst, string(kind))
					}
				}
			}
			if i == 0 {
				j.Steps = append(j.Steps, x)
			} else {
				j.Held = append(j.Held, x)
			}
		}
	}
	d.shown, d.sure = j, true
	return nil
}

// statements are those of a script's steps, by their numbers, cut as they are for a run:
// what merely looks like the head of a step, within a text, is none.
func statements(sc *script.Script, eng engine.Engine) (map[int][]string, error) {
	list, err := sc.Commands(eng.Dialect())
	out := map[int][]string{}
	for _, c := range list {
		out[c.Step] = append(out[c.Step], c.Text)
	}
	return out, err
}

// Judge implements review.Desk.
func (d *scriptDesk) Judge(ctx context.Context, s review.Said) (*review.Judged, error) {
	if !s.Empty() {
		return nil, asItStands()
	}
	if !d.sure {
		if err := d.look(ctx); err != nil {
			return nil, err
		}
	}
	return d.shown, nil
}

// Again implements review.Desk.
func (d *scriptDesk) Again(ctx context.Context, _ review.Said) ([]string, error) {
	return nil, d.look(ctx)
}

// Ask, AskNow, Look, Rows, Tolerances, Write and Keep implement review.Desk.
func (d *scriptDesk) Ask(context.Context) error                            { return nil }
func (d *scriptDesk) AskNow(ctx context.Context, _ review.Said) error      { return d.look(ctx) }
func (d *scriptDesk) Look(id string) (*review.Closely, error)              { return &review.Closely{}, nil }
func (d *scriptDesk) Rows(context.Context, *review.Step) ([]string, error) { return nil, nil }
func (d *scriptDesk) Tolerances(string) []string                           { return nil }
func (d *scriptDesk) Keep(review.Said) error                               { return nil }
func (d *scriptDesk) Write(context.Context, review.What, string, review.Said) (string, error) {
	return "", asItStands()
}

// Rehearse implements review.Desk.
func (d *scriptDesk) Rehearse(ctx context.Context, _ review.Said) (string, error) {
	actual, fit, err := d.app.Work().Fit(ctx, d.sc, d.target)
	if err != nil {
		return "", err
	}
	if len(fit.Moves) > 0 && !fit.Done {
		return "", &script.MovedError{Moves: fit.Moves}
	}
	res, err := d.app.Work().Rehearse(ctx, d.sc, nil, d.eng, d.target, actual, nil, d.re.Of())
	if err != nil {
		return "", err
	}
	return rehearsed(res)
}

// Summary implements review.Desk.
func (d *scriptDesk) Summary(review.Said) ([]string, error) {
	if !d.target.Writable() {
		return nil, work.Troubled("not-a-database", "%s is no database; a script runs on a database only", d.target.Label)
	}
	if len(d.fit.Moves) > 0 && !d.fit.Done {
		return nil, &script.MovedError{Moves: d.fit.Moves}
	}
	out := []string{fmt.Sprintf("%s of %s on %s", words.Number(len(d.shown.Steps), "step", "steps"), d.file, d.target.Label), ""}
	for _, g := range d.sc.Meta.Gone {
		out = append(out, "goes    "+g+": only the target has it")
	}
	for _, st := range d.shown.Steps {
		for _, r := range st.Risks {
			if r.Mark == view.Loses {
				out = append(out, "loss    "+r.Line())
			}
		}
	}
	return out, nil
}

// Apply implements review.Desk.
func (d *scriptDesk) Apply(ctx context.Context, _ review.Said) (string, error) {
	o := d.run
	o.Yes, o.File = true, d.file
	o.Rows = d.rows
	running, err := o.Of(d.app)
	if err != nil {
		return "", err
	}
	n, err := d.app.Work().Apply(ctx, d.sc, d.eng, d.target, running)
	d.sure = false
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("%s ran; what is shown was read again", words.Number(n, "step", "steps")), nil
}
