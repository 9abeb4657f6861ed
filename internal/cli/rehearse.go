package cli

import (
	"context"
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/rehearse"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
)

// rehearsing are the options of a rehearsal.
type rehearsing struct {
	scratch  string
	copyRows int
}

func (r *rehearsing) flags(cmd *cobra.Command) {
	cmd.Flags().StringVar(&r.scratch, "scratch", "", "where a server's scratch database is made: local (a throw-away server on this machine) or a place; SQLite needs none")
	cmd.Flags().IntVar(&r.copyRows, "copy-rows", 0, "copy that many rows of each table, to rehearse on real values")
}

func (a *app) rehearseCommand() *cobra.Command {
	var w writing
	var re rehearsing
	cmd := &cobra.Command{
		Use:   "rehearse SOURCE TARGET | SCRIPT TARGET",
		Short: "Run the script on a scratch copy of the target's structure",
		Long: `Builds the target's structure in a scratch database, runs the script there, and
proves that it ends like the source, or for a script that was written before, as
that promises. The scratch database is removed whatever happens; the target itself
is only read.

For SQLite it is in memory. For servers, --scratch local starts a throw-away server
from the programs installed on this machine, and --scratch PLACE makes a database
beside that place. With --copy-rows some rows come along, under their keys.

Exit code 1 says that a step failed or that it does not end as promised.`,
		Example: "  dapper-mirror rehearse dev.db live.db\n  dapper-mirror rehearse up.sql live.db --copy-rows 100\n  dapper-mirror rehearse up.sql postgres://office@db/quillhaven --scratch local",
		Args:    cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			s, eng, err := a.scriptAt(args[0])
			if err != nil {
				return err
			}
			var target *place.Place
			var actual, desired *catalog.Catalog
			if err := idle(cmd, s != nil, "the script is written already", "only", "except", "include", "may-lose", "fill", "as", "create", "avoid-blocking", "row-checks", "row-check-time"); err != nil {
				return err
			}
			if s != nil {
				if target, err = a.resolve(args[1], false); err != nil {
					return err
				}
				var fit script.FitReport
				if actual, fit, err = a.fit(cmd.Context(), s, target); err != nil {
					return err
				}
				if len(fit.Moves) > 0 && !fit.Done {
					return &script.MovedError{Moves: fit.Moves}
				}
			} else {
				p, err := a.compare(cmd.Context(), args[0], args[1], w.create, whole)
				if err != nil {
					return err
				}
				plan, text, err := a.write(cmd.Context(), p, &w, "", args[1])
				if err != nil {
					return err
				}
				if s, eng, err = a.parsed(text, p); err != nil {
					return err
				}
				target, actual, desired = p.target, plan.Actual, plan.Desired
				if len(plan.Held) > 0 {
					a.exit = exitSafety
				}
			}
			res, err := a.rehearse(cmd.Context(), s, nil, eng, target, actual, desired, re)
			if err != nil {
				return err
			}
			if !res.Passed() {
				a.exit = worse(a.exit, exitDifferent)
			}
			if a.format == "json" {
				return a.json(func(o *report.Output) { o.Rehearsal = rehearsalJSON(res, s) })
			}
			a.rehearsed(res, s, desired != nil)
			return nil
		},
	}
	w.flags(cmd)
	re.flags(cmd)
	a.scopeFlags(cmd)
	return cmd
}

// scriptAt reads a script of ours; nil where the argument is anything else.
func (a *app) scriptAt(path string) (*script.Script, engine.Engine, error) {
	if st, err := os.Stat(path); err != nil || st.IsDir() {
		return nil, nil, nil
	}
	s, eng, err := a.readScript(path)
	if errors.Is(err, script.ErrNotScript) {
		return nil, nil, nil
	}
	return s, eng, err
}

// rehearse holds a rehearsal of a script, and of its back-out script.
func (a *app) rehearse(ctx context.Context, s, back *script.Script, eng engine.Engine, target *place.Place, actual, desired *catalog.Catalog, re rehearsing) (*rehearse.Result, error) {
	where := re.scratch
	if where != "" && where != engine.LocalScratch {
		p, err := a.resolve(where, false)
		if err != nil {
			return nil, err
		}
		if !p.Writable() || p.Engine.Name() != eng.Name() {
			return nil, trouble("usage", "--scratch %s: it is no %s server", where, eng.Title())
		}
		where = p.Address
	}
	opt := rehearse.Options{Where: where, Desired: desired, Groups: map[string]bool{}, CopyRows: re.copyRows}
	for _, g := range s.Meta.Groups {
		opt.Groups[g] = true
	}
	if re.copyRows > 0 {
		if !target.Writable() || target.Missing() {
			return nil, trouble("usage", "--copy-rows: %s is no database, it has no rows", target.Label)
		}
		db, err := target.Open(ctx, engine.OpenOptions{LockWait: a.lockWait})
		if err != nil {
			return nil, trouble("open", "%w", err)
		}
		defer db.Close()
		opt.From = db
	}
	stop := a.working("rehearsing")
	defer stop()
	if a.verbose {
		opt.Progress = func(step, of int, title string) {
			if step > 0 {
				a.detail("rehearsing step %d of %d  %s", step, of, title)
			}
		}
	}
	res, err := rehearse.Run(ctx, s, back, eng, actual, opt)
	if errors.Is(err, engine.ErrNoScratch) {
		return nil, trouble("scratch", "%w", err)
	}
	if err != nil {
		return nil, trouble("rehearse", "%w", err)
	}
	return res, nil
}

// rehearsed says how a rehearsal went.
func (a *app) rehearsed(res *rehearse.Result, s *script.Script, source bool) {
	st := a.style()
	rows := ""
	if res.Rows > 0 {
		rows = fmt.Sprintf(", with %s copied", words.Number(res.Rows, "row", "rows"))
	}
	fmt.Fprintf(&a.out, "Rehearsed on %s%s.\n", res.Where, rows)
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
		hang(&a.out, "", fmt.Sprintf("%s failed at step %d of %d, line %d: %s", which, res.Failed.Step, res.Failed.Of, res.Failed.Line, report.Safe(res.Failed.Title)), st.Width, st.Warn)
		hang(&a.out, "  ", report.Safe(res.Failed.Err.Error()), st.Width, nil)
	case len(res.Left) > 0:
		fmt.Fprintf(&a.out, "%s\n", st.Warn(fmt.Sprintf("%s ran, but it does not end %s:", words.Number(res.Steps, "step", "steps"), like)))
		for _, m := range res.Left {
			fmt.Fprintf(&a.out, "  %s %s\n", report.Safe(m.On.String()), m.What)
		}
	default:
		fmt.Fprintf(&a.out, "%s ran; it ends %s.\n", words.Number(res.Steps, "step", "steps"), like)
		if res.Back {
			fmt.Fprintf(&a.out, "The back-out script ran and brought everything back.\n")
		}
	}
	if n := len(s.Held()); n > 0 {
		fmt.Fprintf(&a.out, "%s held back and did not run.\n", words.Number(n, "step is", "steps are"))
	}
}

func rehearsalJSON(res *rehearse.Result, s *script.Script) *report.JSONRehearsal {
	j := &report.JSONRehearsal{Where: res.Where, Steps: res.Steps, Of: s.Meta.Steps, Rows: res.Rows, Passed: res.Passed(), Back: res.Back, Left: res.Left}
	if res.Failed != nil {
		j.Failed = &report.JSONFailure{Step: res.Failed.Step, Line: res.Failed.Line, Title: res.Failed.Title, Message: res.Failed.Err.Error()}
	}
	return j
}
