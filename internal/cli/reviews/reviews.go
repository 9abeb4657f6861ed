// Package reviews has the command review, and the desk at which it is done.
package reviews

import (
	"context"
	"errors"
	"io"
	"os"
	"strings"

	tea "charm.land/bubbletea/v2"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"golang.org/x/term"

	"dappermirror/internal/cli/doing"
	"dappermirror/internal/cli/judgement"
	"dappermirror/internal/cli/tasks"
	"dappermirror/internal/cli/tell"
	"dappermirror/internal/engine"
	"dappermirror/internal/files"
	"dappermirror/internal/review"
	"dappermirror/internal/script"
	"dappermirror/internal/work"
)

// App is the command line that the command is part of.
type App interface {
	tasks.App
	Stdout() io.Writer
	// Hush has nothing reach the screen until loud is called, which then shows it.
	Hush() (loud func())
	Colours() bool
}

// Command is the command review.
func Command(a App, sides func(cmd *cobra.Command, args []string) ([]string, error)) *cobra.Command {
	d := &desk{app: a}
	cmd := &cobra.Command{
		Use:   "review SOURCE TARGET | [PAIR] | TASK | SCRIPT TARGET",
		Short: "Judge the differences in a full-screen view",
		Long: `Shows the script as it would run, step by step, in a full-screen view of the
terminal. Each step opens in place: the differences that it carries out, both
definitions, its risks and locks, what the rows say, its SQL. Steps and single
differences are left, taken and turned round with one key, and the order follows at
once; losses are allowed by typing their names. The script, the way back, the choices,
a report or a task are written from there; it can be rehearsed and run.

With the name of a task it begins where the task stands; a script that was written is
shown as it stands, with what the target says to it now, and can be rehearsed and run.

The keys stand at the foot; ? lists all of them. What was said and not written is kept
and offered the next time. The options are those of script, and what they say is where
the review begins.`,
		Example: "  dapper-mirror review dev.db live.db\n  dapper-mirror review dev live --except routine:*",
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 2 {
				if sc, eng := scriptIn(args[0]); sc != nil {
					if err := d.saysNothing(cmd); err != nil {
						return err
					}
					return d.reviewScript(cmd.Context(), args, sc, eng)
				}
			}
			args, err := d.sides(cmd, args, sides)
			if err != nil {
				return err
			}
			if len(args) != 2 {
				return work.Troubled("usage", "review takes one source and one target")
			}
			args = a.Said().Sides(args)
			d.source, d.target, d.base = args[0], args[1], a.Said()
			return d.review(cmd.Context())
		},
	}
	d.w.Flags(cmd)
	d.run.SafetyFlags(cmd)
	d.re.Flags(cmd)
	a.Said().Flags(cmd)
	return cmd
}

// screen is the terminal, where it is one that can show a review.
func screen(a App) (in, out *os.File, err error) {
	in, isIn := a.Stdin().(*os.File)
	out, isOut := a.Stdout().(*os.File)
	if !isIn || !isOut || !term.IsTerminal(int(in.Fd())) || !term.IsTerminal(int(out.Fd())) {
		return nil, nil, work.Troubled("no-terminal", "review needs a terminal to draw on; use `compare` and `script` where there is none")
	}
	if t := os.Getenv("TERM"); t == "dumb" || t == "" {
		return nil, nil, work.Troubled("no-terminal", "review cannot draw on a terminal of the kind %q; use `compare` and `script`", t)
	}
	return in, out, nil
}

// sides are the two places: as they were named, or as a task names them.
func (d *desk) sides(cmd *cobra.Command, args []string, sides func(cmd *cobra.Command, args []string) ([]string, error)) ([]string, error) {
	if len(args) == 1 {
		if _, is := d.app.Settings().Tasks()[args[0]]; is {
			source, target, mayLose, err := tasks.Of(d.app).Beginning(cmd, args[0])
			d.w.MayLose = append(d.w.MayLose, mayLose...)
			return []string{source, target}, err
		}
	}
	return sides(cmd, args)
}

// saysNothing refuses options that say what becomes of differences: a script that was
// written has said it.
func (d *desk) saysNothing(cmd *cobra.Command) error {
	var said judgement.Said
	var w doing.Writing
	judging := &cobra.Command{}
	said.Flags(judging)
	w.Flags(judging)
	var wrong error
	judging.Flags().VisitAll(func(f *pflag.Flag) {
		if cmd.Flags().Changed(f.Name) && !strings.HasPrefix(f.Name, "row-check") {
			wrong = work.Troubled("usage", "--%s: a script is reviewed as it stands; to choose, review its source and its target", f.Name)
		}
	})
	return wrong
}

// scriptIn is the script that a file has; nil where it has none.
func scriptIn(path string) (*script.Script, engine.Engine) {
	if st, err := os.Stat(path); err != nil || !st.Mode().IsRegular() {
		return nil, nil
	}
	f, err := os.Open(path)
	if err != nil {
		return nil, nil
	}
	defer f.Close()
	head := make([]byte, 64)
	n, _ := io.ReadFull(f, head) // no database is read whole for this
	if head = head[:n]; !strings.HasPrefix(string(head), "--") {
		return nil, nil
	}
	text, err := io.ReadAll(f)
	if err != nil {
		return nil, nil
	}
	sc, eng, err := work.ReadScript(append(head, text...))
	if err != nil {
		return nil, nil
	}
	return sc, eng
}

// reviewScript shows a script that was written.
func (d *desk) reviewScript(ctx context.Context, args []string, sc *script.Script, eng engine.Engine) error {
	in, out, err := screen(d.app)
	if err != nil {
		return err
	}
	target, err := d.app.Work().Place(args[1], false)
	if err != nil {
		return err
	}
	return show(ctx, d.app, &scriptDesk{app: d.app, run: d.run, re: d.re, rows: d.w.Rows, file: args[0], sc: sc, eng: eng, target: target}, review.Said{}, in, out)
}

// review reads both places and opens the view.
func (d *desk) review(ctx context.Context) error {
	in, out, err := screen(d.app)
	if err != nil {
		return err
	}
	if err := d.base.Taking(d.source, d.target); err != nil {
		return err
	}
	c, _, err := d.comparing(review.Said{})
	if err != nil {
		return err
	}
	if d.judging, err = d.app.Work().Judging(ctx, d.source, d.target, c); err != nil {
		return err
	}
	defer d.judging.End()
	return show(ctx, d.app, d, d.kept(), in, out)
}

// show opens the view of a desk.
func show(ctx context.Context, a App, d review.Desk, kept review.Said, in, out *os.File) error {
	loud := a.Hush()
	defer loud()
	m, err := review.New(ctx, d, kept)
	if err != nil {
		return err
	}
	options := []tea.ProgramOption{tea.WithContext(ctx), tea.WithInput(in), tea.WithOutput(out), tea.WithoutSignalHandler()}
	if !a.Colours() {
		options = append(options, tea.WithColorProfile(noColour))
	}
	p := tea.NewProgram(m, options...)
	// A program that is ended from outside leaves the terminal as it was.
	forget := files.OnExit(func() { _ = p.ReleaseTerminal() })
	defer forget()
	s := a.Work()
	before := s.Tell
	s.Tell = tell.Words(speaker{p})
	defer func() { s.Tell = before }()
	_, err = p.Run()
	if errors.Is(err, tea.ErrProgramKilled) && ctx.Err() != nil {
		err = ctx.Err()
	}
	return err
}
