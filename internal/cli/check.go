package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"dappermirror/internal/core/order"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
	"dappermirror/internal/work"
)

// readScript reads a script file.
func (a *app) readScript(path string) (*script.Script, engine.Engine, error) {
	text, err := a.readText(path)
	if err != nil {
		return nil, nil, err
	}
	s, eng, err := work.ReadScript([]byte(text))
	var f *work.Failure
	if errors.As(err, &f) {
		err = trouble(f.Code, "%s: %w", path, f.Err)
	}
	return s, eng, err
}

func (a *app) checkCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "check SCRIPT [TARGET]",
		Short: "Say what a script is for and whether the target still fits",
		Long: `Says what a script was written for, its steps and their risks, what it holds
back, and whether it was edited since. With a target it also says whether that is
still what the script was written for, what the account lacks for the steps, and
which rows stand in the way. Nothing is run.

Exit code 1 says that the target no longer fits, 3 that something stands in the way.`,
		Example: "  dapper-mirror check up.sql\n  dapper-mirror check up.sql live.db",
		Args:    cobra.RangeArgs(1, 2),
		RunE: func(cmd *cobra.Command, args []string) error {
			s, eng, err := a.readScript(args[0])
			if err != nil {
				return err
			}
			if _, err := s.Commands(eng.Dialect()); err != nil {
				return trouble("script", "%s: %w", args[0], err)
			}
			var fit *script.FitReport
			var stands work.Standing
			unfinished := work.Unfinished(args[0], s)
			if len(args) == 2 {
				target, err := a.resolve(args[1], true)
				if err != nil {
					return err
				}
				_, r, err := a.work.Fit(cmd.Context(), s, target)
				if err != nil {
					return err
				}
				fit = &r
				if len(r.Moves) > 0 {
					a.exit = exitDifferent
				} else if !r.Done {
					if stands, err = a.work.Standing(cmd.Context(), s, target); err != nil {
						return err
					}
					if len(stands.Lacking)+len(stands.Failing) > 0 {
						a.exit = exitSafety
					}
				}
			}
			if a.format == "json" {
				return a.json(func(o *report.Output) { o.Script = checkJSON(args[0], s, fit, stands, unfinished) })
			}
			a.checkText(s, fit, stands, unfinished)
			return nil
		},
	}
}

func checkJSON(path string, s *script.Script, fit *script.FitReport, stands work.Standing, unfinished string) *report.JSONScript {
	js := &report.JSONScript{Lacking: stands.Lacking, Unfinished: unfinished, Gone: s.Meta.Gone, File: path, Engine: s.Meta.Engine, Source: s.Meta.Source, Target: s.Meta.Target, Edited: s.Edited, Steps: []report.JSONStep{}, Held: []report.JSONStep{}}
	for _, st := range s.Steps {
		j := report.JSONStep{Number: st.Number, Kind: st.About.Object().Kind, On: st.About.String(), Title: st.Title, Risks: st.Risks}
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

func (a *app) checkText(s *script.Script, fit *script.FitReport, stands work.Standing, unfinished string) {
	st := a.style()
	line := func(name, format string, args ...any) {
		fmt.Fprintf(&a.out, "%-9s%s\n", name, report.Safe(fmt.Sprintf(format, args...)))
	}
	line("source", "%s", s.Meta.Source)
	line("target", "%s (%s)", s.Meta.Target, engine.Title(s.Meta.Engine))
	for i := 0; i+1 < len(s.Meta.Scope); i += 2 {
		line("scope", "%s %s", s.Meta.Scope[i], s.Meta.Scope[i+1])
	}
	if s.Edited {
		fmt.Fprintln(&a.out, st.Warn("edited   the script is not as it was written"+work.LostSteps(s)+"; apply runs it with --edited only"))
	} else {
		line("edited", "no")
	}
	if unfinished != "" {
		fmt.Fprintln(&a.out, st.Warn("stopped  a run of this script stopped half way ("+report.Safe(unfinished)+"); go on with apply --resume"))
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
		fmt.Fprintln(&a.out, "fits     no: the target is already as the script would leave it")
	case len(fit.Moves) > 0:
		fmt.Fprintln(&a.out, st.Warn("fits     no: the target is no longer what the script was written for"))
		for _, m := range fit.Moves {
			line("", "%s %s", m.On, m.What)
		}
	default:
		line("fits", "yes: what the script touches and relies on is as it was")
	}
	for _, l := range stands.Lacking {
		fmt.Fprintln(&a.out, st.Warn("lacks    "+report.Safe(l)))
	}
	for _, f := range stands.Failing {
		hang(&a.out, "fails    ", report.Safe(f), st.Width, st.Warn)
	}
	if steps := s.Planned(); len(steps) > 0 {
		fmt.Fprintf(&a.out, "\n%s\n", st.Strong(words.Number(len(steps), "step", "steps")))
		a.stepList(steps)
	}
	if held := s.Held(); len(held) > 0 {
		fmt.Fprintf(&a.out, "\n%s\n", st.Strong("held back"))
		a.stepList(held)
	}
}
