// Package reviews has the command review, and the desk at which it is done.
package reviews

import (
	"context"
	"errors"
	"io"
	"os"

	tea "charm.land/bubbletea/v2"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"dappermirror/internal/cli/tasks"
	"dappermirror/internal/cli/tell"
	"dappermirror/internal/files"
	"dappermirror/internal/review"
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
		Use:   "review SOURCE TARGET | [PAIR]",
		Short: "Judge the differences in a full-screen view",
		Long: `Shows the script as it would run, step by step, in a full-screen view of the
terminal. Each step opens in place: the differences that it carries out, both
definitions, its risks and locks, what the rows say, its SQL. Steps and single
differences are left, taken and turned round with one key, and the order follows at
once; losses are allowed by typing their names. The script, the way back, the choices,
a report or a task are written from there; it can be rehearsed and run.

The keys stand at the foot; ? lists all of them. What was said and not written is kept
and offered the next time. The options are those of script, and what they say is where
the review begins.`,
		Example: "  dapper-mirror review dev.db live.db\n  dapper-mirror review dev live --except routine:*",
		RunE: func(cmd *cobra.Command, args []string) error {
			args, err := sides(cmd, args)
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
	loud := d.app.Hush()
	defer loud()
	m, err := review.New(ctx, d, d.kept())
	if err != nil {
		return err
	}
	options := []tea.ProgramOption{tea.WithContext(ctx), tea.WithInput(in), tea.WithOutput(out), tea.WithoutSignalHandler()}
	if !d.app.Colours() {
		options = append(options, tea.WithColorProfile(noColour))
	}
	p := tea.NewProgram(m, options...)
	// A program that is ended from outside leaves the terminal as it was.
	forget := files.OnExit(func() { _ = p.ReleaseTerminal() })
	defer forget()
	s := d.app.Work()
	before := s.Tell
	s.Tell = tell.Words(speaker{p})
	defer func() { s.Tell = before }()
	_, err = p.Run()
	if errors.Is(err, tea.ErrProgramKilled) && ctx.Err() != nil {
		err = ctx.Err()
	}
	return err
}
