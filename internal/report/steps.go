package report

import (
	"fmt"
	"io"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/rehearse"
	"dappermirror/internal/script"
)

// PlanJSON is a script that was written, for programs: with its text, or with
// the file that has it.
func PlanJSON(plan *order.Plan, engine, source, target string, text []byte, file string) *JSONScript {
	js := &JSONScript{Gone: patterns(plan.Gone), Engine: engine, Source: source, Target: target, Steps: jsonSteps(plan.Steps), Held: jsonSteps(plan.Held)}
	if file == "" || file == "-" {
		js.Text = string(text)
	} else {
		js.File = file
	}
	return js
}

func patterns(refs []catalog.Ref) []string {
	var out []string
	for _, r := range refs {
		out = append(out, r.String())
	}
	return out
}

func jsonSteps(steps []*order.Step) []JSONStep {
	out := []JSONStep{}
	for _, s := range steps {
		out = append(out, JSONStep{Number: s.Number, Kind: s.About.Object().Kind, On: s.About.String(), Title: s.Title, SQL: s.Statements(), Risks: s.Risks, Cleared: s.Cleared, Fills: s.Fills, Locks: s.Locks})
	}
	return out
}

// Steps writes steps for people.
func Steps(w io.Writer, steps []script.StepInfo, st Style) {
	for _, s := range steps {
		Hang(w, fmt.Sprintf("  %3d  ", s.Number), Safe(s.Title), st.Width, nil)
		for _, r := range s.Risks {
			paint := st.Dim
			if r.Kind == order.Loss || r.Kind == order.WillFail {
				paint = st.Warn
			}
			Hang(w, "       ! ", Safe(script.RiskWords(r)), st.Width, paint)
		}
		for _, l := range s.Locks {
			Hang(w, "       lock ", Safe(l), st.Width, st.Dim)
		}
		for _, r := range s.Cleared {
			Hang(w, "       . ", Safe(r), st.Width, st.Dim)
		}
		for _, f := range s.Fills {
			Hang(w, "       . fill: ", Safe(f), st.Width, st.Dim)
		}
	}
}

// Hang writes a text behind a head, folded at the width, the rest below it.
func Hang(w io.Writer, head, text string, width int, paint func(string) string) {
	for i, l := range script.Wrap(text, width-len(head)) {
		if i > 0 {
			head = strings.Repeat(" ", len(head))
		}
		if l = head + l; paint != nil {
			l = paint(l)
		}
		fmt.Fprintln(w, l)
	}
}

// Standing is what a script meets on a target that it fits.
type Standing struct {
	Lacking, Failing []string // rights the account does not have, steps that the rows stop
	Unfinished       string   // the record of a run that stopped half way
}

// ScriptJSON is a script that was read, for programs. fit is nil where no
// target was named.
func ScriptJSON(path string, s *script.Script, fit *script.FitReport, stands Standing) *JSONScript {
	js := &JSONScript{Lacking: stands.Lacking, Unfinished: stands.Unfinished, Gone: s.Meta.Gone, Said: s.Meta.Said, File: path, Engine: s.Meta.Engine, Source: s.Meta.Source, Target: s.Meta.Target, Edited: s.Edited, Steps: []JSONStep{}, Held: []JSONStep{}}
	for _, st := range s.Steps {
		j := JSONStep{Number: st.Number, Kind: st.About.Object().Kind, On: st.About.String(), Title: st.Title, Risks: st.Risks}
		for _, text := range st.Cleared {
			j.Cleared = append(j.Cleared, order.Risk{Kind: order.MayFail, On: st.About, Text: text})
		}
		for _, text := range st.Fills {
			j.Fills = append(j.Fills, order.Fill{On: st.About, Value: text})
		}
		for _, text := range st.Locks {
			mode, waits, _ := strings.Cut(text, ": ")
			j.Locks = append(j.Locks, order.TableLock{On: st.About.Object(), Mode: mode, Waits: waits})
		}
		if st.Held {
			js.Held = append(js.Held, j)
		} else {
			js.Steps = append(js.Steps, j)
		}
	}
	if fit != nil {
		ok := len(fit.Moves) == 0
		js.Fits, js.Done, js.Moved = &ok, &fit.Done, fit.Moves
	}
	return js
}

// Script says of a script what it is for, its steps and their risks, and
// whether its target still fits.
func Script(w io.Writer, s *script.Script, fit *script.FitReport, stands Standing, st Style) {
	line := func(name, format string, args ...any) {
		fmt.Fprintf(w, "%-8s %s\n", name, Safe(fmt.Sprintf(format, args...)))
	}
	line("source", "%s", s.Meta.Source)
	line("target", "%s (%s)", s.Meta.Target, engine.Title(s.Meta.Engine))
	for _, l := range script.Judgement(s.Meta.Said) {
		line(l[0], "%s", l[1])
	}
	if s.Edited {
		fmt.Fprintln(w, st.Warn("edited   the script is not as it was written"+s.LostWords()+"; apply runs it with --edited only"))
	} else {
		line("edited", "no")
	}
	if stands.Unfinished != "" {
		fmt.Fprintln(w, st.Warn("stopped  a run of this script stopped half way ("+Safe(stands.Unfinished)+"); go on with apply --resume"))
	}
	for _, name := range s.Meta.Gone {
		line("goes", "%s: only the target has it", name)
	}
	losses := 0
	for _, p := range s.Planned() {
		for _, r := range p.Risks {
			if r.Kind == order.Loss {
				losses++
			}
		}
	}
	line("losses", "%s", map[bool]string{true: "none", false: words.Number(losses, "loss, marked below", "losses, marked below")}[losses == 0])
	switch {
	case fit == nil:
	case fit.Done:
		fmt.Fprintln(w, "fits     no: the target is already as the script would leave it")
	case len(fit.Moves) > 0:
		fmt.Fprintln(w, st.Warn("fits     no: the target is no longer what the script was written for"))
		for _, m := range fit.Moves {
			line("", "%s %s", m.On, m.What)
		}
	default:
		line("fits", "yes: what the script touches and relies on is as it was")
	}
	for _, l := range stands.Lacking {
		fmt.Fprintln(w, st.Warn("lacks    "+Safe(l)))
	}
	for _, f := range stands.Failing {
		Hang(w, "fails    ", Safe(f), st.Width, st.Warn)
	}
	if steps := s.Planned(); len(steps) > 0 {
		fmt.Fprintf(w, "\n%s\n", st.Strong(words.Number(len(steps), "step", "steps")))
		Steps(w, steps, st)
	}
	if held := s.Held(); len(held) > 0 {
		fmt.Fprintf(w, "\n%s\n", st.Strong("held back"))
		Steps(w, held, st)
	}
}

// Rehearsal says how a rehearsal went. source says that the target is to end
// like the source, and not only as the script promises.
func Rehearsal(w io.Writer, res *rehearse.Result, s *script.Script, source bool, st Style) {
	rows := ""
	if res.Rows > 0 {
		rows = fmt.Sprintf(", with %s copied", words.Number(res.Rows, "row", "rows"))
	}
	fmt.Fprintf(w, "Rehearsed on %s%s.\n", res.Where, rows)
	like := "as the script promises"
	if source {
		like = "identical to the source"
		if len(s.Held()) > 0 {
			like = "as the source but for what is held back"
		}
	}
	switch {
	case res.Failed != nil:
		which := "The script"
		if res.Back {
			which = "The back-out script"
		}
		Hang(w, "", fmt.Sprintf("%s failed at step %d of %d, line %d: %s", which, res.Failed.Step, res.Failed.Of, res.Failed.Line, Safe(res.Failed.Title)), st.Width, st.Warn)
		Hang(w, "  ", Safe(res.Failed.Err.Error()), st.Width, nil)
	case len(res.Left) > 0:
		fmt.Fprintf(w, "%s\n", st.Warn(fmt.Sprintf("%s ran, but it does not end %s:", words.Number(res.Steps, "step", "steps"), like)))
		for _, m := range res.Left {
			fmt.Fprintf(w, "  %s %s\n", Safe(m.On.String()), m.What)
		}
	default:
		fmt.Fprintf(w, "%s ran; it ends %s.\n", words.Number(res.Steps, "step", "steps"), like)
		if res.Back {
			fmt.Fprintf(w, "The back-out script ran and brought everything back.\n")
		}
	}
	if n := len(s.Held()); n > 0 {
		fmt.Fprintf(w, "%s held back and did not run.\n", words.Number(n, "step is", "steps are"))
	}
}

// RehearsalJSON is a rehearsal for programs.
func RehearsalJSON(res *rehearse.Result, s *script.Script) *JSONRehearsal {
	j := &JSONRehearsal{Where: res.Where, Steps: res.Steps, Of: s.Meta.Steps, Rows: res.Rows, Passed: res.Passed(), Back: res.Back, Left: res.Left}
	if res.Failed != nil {
		j.Failed = &JSONFailure{Step: res.Failed.Step, Line: res.Failed.Line, Title: res.Failed.Title, Message: res.Failed.Err.Error()}
	}
	return j
}
