// Package cli is the command line: flags in, calls, words out. One file per
// command; nothing here computes.
package cli

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"dappermirror/internal/cli/documents"
	"dappermirror/internal/cli/doing"
	"dappermirror/internal/cli/help"
	"dappermirror/internal/cli/judgement"
	"dappermirror/internal/cli/project"
	"dappermirror/internal/cli/reviews"
	"dappermirror/internal/cli/standing"
	"dappermirror/internal/cli/tasks"
	"dappermirror/internal/cli/tell"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	_ "dappermirror/internal/engine/all" // the engines make themselves known
	"dappermirror/internal/engine/local"
	"dappermirror/internal/place"
	"dappermirror/internal/process"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
	"dappermirror/internal/settings"
	"dappermirror/internal/task"
	"dappermirror/internal/work"
)

// The exit codes.
const (
	exitOK          = 0
	exitDifferent   = 1
	exitTrouble     = 2
	exitSafety      = 3
	exitPartly      = 4
	exitInterrupted = 130
)

// worse is which of two exit codes counts.
var worse = task.Worse

// trouble and refusal make the failures of the command line itself.
var trouble, refusal = work.Troubled, work.Refused

// exitOf is the exit code of a class of failure.
var exitOf = map[work.Class]int{work.Trouble: exitTrouble, work.Refusal: exitSafety, work.Uncertain: exitPartly}

// app is one run of the program.
type app struct {
	stdin          io.Reader
	stdout, stderr io.Writer
	out            bytes.Buffer // results; written only when the command ends well
	exit           int
	settings       *settings.Settings
	command        string

	// what every command can be told
	format, color, progress string
	dialect, scratch        string
	quiet, verbose          bool
	remember                string
	noInput, noPager        bool
	lockWait, scratchKeep   time.Duration
	said                    judgement.Said
	reports                 doing.Reports

	work   *work.Session
	asking sync.Mutex // people answer one question at a time
}

// Main runs the program and answers its exit code.
func Main(args []string, stdin io.Reader, stdout, stderr io.Writer) int {
	a := &app{stdin: stdin, stdout: stdout, stderr: stderr}
	a.work = &work.Session{Tell: tell.Words(a), Patience: 30 * time.Second, Output: stderr, Places: place.Options{Stdin: stdin}}
	ctx, stop := process.Interrupts(stderr, a.work.Changing, exitInterrupted, exitPartly)
	defer stop()
	root := a.root()
	root.SetArgs(args)
	root.SetIn(stdin)
	root.SetOut(&a.out)
	root.SetErr(stderr)
	cmd, err := root.ExecuteContextC(ctx)
	if a.remember != "off" {
		project.Of(desk{a}).Remember()
	}
	if cmd != nil {
		a.command = top(cmd)
	}
	if err != nil {
		return a.reportError(ctx, err)
	}
	if err := a.flush(); err != nil {
		if errors.Is(err, syscall.EPIPE) {
			return a.exit
		}
		fmt.Fprintf(stderr, "dapper-mirror: writing the result: %v\n", err)
		return exitTrouble
	}
	return a.exit
}

// reportError says what went wrong in one line (or as JSON) and answers the code.
func (a *app) reportError(ctx context.Context, err error) int {
	j := a.failing(ctx, err)
	if a.format == "json" {
		_ = report.WriteJSON(a.stderr, a.command, func(o *report.Output) { o.Error = &j })
	} else {
		fmt.Fprintf(a.stderr, "dapper-mirror: %s\n", j.Message)
	}
	return j.Exit
}

// failing is what went wrong, with its exit code, as programs read it.
func (a *app) failing(ctx context.Context, err error) report.JSONError {
	j := report.JSONError{Code: "trouble", Exit: exitTrouble, Message: err.Error()}
	var f *work.Failure
	var moved *script.MovedError
	var step *script.StepError
	switch {
	case errors.As(err, &moved):
		j.Code, j.Exit, j.Moved = "target-moved", exitSafety, moved.Moves
	case errors.As(err, &step) && step.RolledBack && errors.Is(err, engine.ErrGuard):
		j.Code, j.Exit = "guard", exitSafety
	case errors.As(err, &step):
		j.Code = "step-failed"
		if !step.RolledBack {
			j.Code, j.Exit = "partly-changed", exitPartly
		}
	case errors.As(err, &f):
		j.Code, j.Exit = f.Code, exitOf[f.Class]
	}
	if ctx.Err() != nil && j.Exit != exitPartly {
		j.Code, j.Exit, j.Message = "interrupted", exitInterrupted, "interrupted; "+a.afterInterrupt(step)
	}
	j.Message = report.Safe(j.Message)
	return j
}

func (a *app) afterInterrupt(step *script.StepError) string {
	switch {
	case step != nil:
		return "the target is as it was"
	case a.work.HasRun():
		return "the script had run to its end before"
	}
	return "nothing was changed"
}

// flush writes the result, through a pager where it is long and read by a
// person.
func (a *app) flush() error {
	if a.out.Len() == 0 {
		return nil
	}
	if f, ok := a.stdout.(*os.File); ok && !a.noPager && a.format != "json" && isTerminal(a.stdin) && process.Long(f, a.out.Bytes()) {
		return process.Page(f, a.stderr, &a.out)
	}
	_, err := a.out.WriteTo(a.stdout)
	return err
}

func isTerminal(x any) bool {
	f, ok := x.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// style is how results are to look.
func (a *app) style() report.Style {
	st := report.Style{Width: 100, Whole: true}
	f, ok := a.stdout.(*os.File)
	width := 0
	if terminal := ok && term.IsTerminal(int(f.Fd())); terminal {
		st.Color = os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
		if w, _, err := term.GetSize(int(f.Fd())); err == nil {
			width = w
		}
	}
	if c := os.Getenv("COLUMNS"); width == 0 && c != "" {
		width, _ = strconv.Atoi(c) // what is no number says nothing
	}
	if width >= 40 {
		st.Width, st.Whole = width, false
	}
	switch a.color {
	case "always":
		st.Color = true
	case "never":
		st.Color = false
	}
	return st
}

// Note says something besides the result.
func (a *app) Note(format string, args ...any) {
	if !a.quiet {
		fmt.Fprintf(a.stderr, "%s\n", report.Safe(fmt.Sprintf(format, args...)))
	}
}

// Always says what must be known whatever else is left out: --quiet does not
// silence it.
func (a *app) Always(format string, args ...any) {
	fmt.Fprintf(a.stderr, "%s\n", report.Safe(fmt.Sprintf(format, args...)))
}

// Warn says something that should not be overlooked, also with --quiet.
func (a *app) Warn(format string, args ...any) {
	fmt.Fprintf(a.stderr, "warning: %s\n", report.Safe(fmt.Sprintf(format, args...)))
}

// Detail says what is done, for who asked with --verbose.
func (a *app) Detail(format string, args ...any) {
	if a.verbose {
		fmt.Fprintf(a.stderr, "%s\n", report.Safe(fmt.Sprintf(format, args...)))
	}
}

// Working shows on a terminal that work goes on, until the answer is called.
func (a *app) Working(what string) func() {
	if a.progress == "never" || a.quiet || a.progress == "auto" && !isTerminal(a.stderr) {
		return func() {}
	}
	return process.Working(a.stderr, what)
}

// Width is how long a line is.
func (a *app) Width() int { return a.style().Width }

// Terminal tells whether somebody reads the notes as they come.
func (a *app) Terminal() bool { return !a.quiet && isTerminal(a.stderr) }

// Confirm asks a question that is answered with yes or no. Where nobody can
// answer it is a refusal.
func (a *app) Confirm(ctx context.Context, question string) (bool, error) {
	if a.noInput || !isTerminal(a.stdin) {
		return false, refusal("no-answer", "%s Nobody is there to answer; give --yes to go ahead", question)
	}
	a.asking.Lock()
	defer a.asking.Unlock()
	fmt.Fprintf(a.stderr, "%s [y/N] ", report.Safe(question))
	answered := make(chan string, 1)
	go func() { // a read cannot be called off; the program ends without it
		line, _ := bufio.NewReader(a.stdin).ReadString('\n')
		answered <- strings.ToLower(strings.TrimSpace(line))
	}()
	select {
	case answer := <-answered:
		return answer == "y" || answer == "yes", nil
	case <-ctx.Done():
		fmt.Fprintln(a.stderr)
		return false, ctx.Err()
	}
}

// secret asks for a password, which is not shown.
func (a *app) secret(ctx context.Context, prompt string) (string, error) {
	f, ok := a.stdin.(*os.File)
	if a.noInput || !ok || !term.IsTerminal(int(f.Fd())) {
		return "", place.ErrNobody
	}
	a.asking.Lock()
	defer a.asking.Unlock()
	fmt.Fprint(a.stderr, report.Safe(prompt))
	type answer struct {
		text []byte
		err  error
	}
	answered := make(chan answer, 1)
	state, err := term.GetState(int(f.Fd()))
	if err != nil {
		return "", err
	}
	go func() { // a read cannot be called off; the program ends without it
		text, err := term.ReadPassword(int(f.Fd()))
		answered <- answer{text, err}
	}()
	select {
	case got := <-answered:
		fmt.Fprintln(a.stderr)
		return string(got.text), got.err
	case <-ctx.Done():
		_ = term.Restore(int(f.Fd()), state) // the program ends
		fmt.Fprintln(a.stderr)
		return "", ctx.Err()
	}
}

// reported has the result written into the files of --report.
func (a *app) reported(fill func(*report.Output)) error {
	return a.reports.Write(a, func(o *report.Output) {
		o.Command, o.Options = a.command, a.said.Words()
		fill(o)
	})
}

// json writes a JSON result.
func (a *app) json(fill func(*report.Output)) error {
	return report.WriteJSON(&a.out, a.command, fill)
}

func (a *app) root() *cobra.Command {
	var version bool
	root := &cobra.Command{
		Use:   "dapper-mirror",
		Short: "Compare two databases and write the script that brings one in line with the other",
		Long: `Dapper Mirror reads the structure of two databases, says object by object how
they differ, and writes the ordered SQL script that brings the target in line
with the source without losing what the target holds.

The usual day:

  dapper-mirror compare dev.db live.db              what differs?
  dapper-mirror compare dev.db live.db --detail     and how exactly?
  dapper-mirror script  dev.db live.db -o up.sql    the script, to be approved
  dapper-mirror check   up.sql live.db              does it still fit?
  dapper-mirror apply   up.sql live.db              run it

Run "dapper-mirror demo" to see all of it on made-up data.`,
		Args: func(cmd *cobra.Command, args []string) error {
			if len(args) > 0 {
				return trouble("usage", "unknown command %q%s; `dapper-mirror help` lists them", args[0], words.Suggest(args[0], commandNames(cmd)))
			}
			return nil
		},
		SilenceErrors: true,
		SilenceUsage:  true,
		PersistentPreRunE: func(cmd *cobra.Command, args []string) error {
			a.command = top(cmd)
			return a.prepare(cmd)
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if version {
				return a.version()
			}
			return cmd.Help()
		},
	}
	f := root.PersistentFlags()
	f.StringVar(&a.format, "format", "text", "what results look like: text or json")
	f.StringVar(&a.color, "color", "auto", "when to use colours: auto, always or never")
	f.StringVar(&a.progress, "progress", "auto", "when to show that work goes on: auto, always or never")
	f.BoolVarP(&a.quiet, "quiet", "q", false, "say nothing besides results, warnings and errors")
	f.BoolVarP(&a.verbose, "verbose", "v", false, "say what is done: settings files, places, each statement that runs")
	f.BoolVar(&a.noInput, "no-input", false, "never ask; a question is then a refusal (exit 3)")
	f.BoolVar(&a.noPager, "no-pager", false, "do not show long results through a pager")
	f.DurationVar(&a.lockWait, "lock-wait", 5*time.Second, "how long to wait for a lock somebody else holds")
	f.StringVar(&a.dialect, "dialect", "", "which SQL a text is in, where nothing else says it: "+strings.Join(place.Dialects(), ", "))
	f.StringVar(&a.scratch, "scratch", "", "where scratch databases of servers are made, to read texts and to rehearse: local (a throw-away server on this machine), model (a model of SQL Server, in this program, to rehearse on) or a place")
	f.DurationVar(&a.scratchKeep, "scratch-keep", time.Minute, "how long a throw-away server that read a text stays for the next call; 0 for not at all")
	f.StringVar(&a.remember, "remember-places", "on", "remember which places were used, without secrets, for places --recent: on or off")
	root.Flags().BoolVar(&version, "version", false, "say which version this is")
	cobra.EnableCommandSorting = false // they stand in the order of the day
	root.AddCommand(a.compareCommand(), a.scriptCommand(), a.checkCommand(), a.rehearseCommand(), a.applyCommand(), a.syncCommand(),
		a.captureCommand(), a.impactCommand(), project.Of(desk{a}).Rows(), documents.Command(desk{a}), reviews.Command(desk{a}, a.sides), a.tolerancesCommand(), project.Of(desk{a}).History(), project.Of(desk{a}).Places(), tasks.Of(desk{a}).Task(), tasks.Of(desk{a}).Tasks(), project.Of(desk{a}).Config(), a.demoCommand(), standing.Command(a.stdout), a.versionCommand(), a.manCommand(), a.completionCommand(), a.scratchServerCommand())
	root.SetHelpCommand(a.helpCommand())
	root.AddCommand(help.Topics()...)
	root.SetHelpFunc(func(cmd *cobra.Command, _ []string) { help.Write(&a.out, cmd) })
	root.SetUsageFunc(func(cmd *cobra.Command) error { help.Usage(&a.out, cmd); return nil })
	root.SetFlagErrorFunc(func(cmd *cobra.Command, err error) error {
		return trouble("usage", "%v%s; see `%s --help`", err, suggestFlag(cmd, err.Error()), cmd.CommandPath())
	})
	root.CompletionOptions.DisableDefaultCmd = true
	help.Complete(root)
	return root
}

// top is the name of the command that a command is part of.
func top(cmd *cobra.Command) string {
	for cmd.HasParent() && cmd.Parent().HasParent() {
		cmd = cmd.Parent()
	}
	return cmd.Name()
}

// placesAt are where named places are.
func (a *app) placesAt(names []string) []string {
	var out []string
	for _, n := range names {
		out = append(out, a.settings.Places()[n].At)
	}
	return out
}

// wire has what was set reach the work.
func (a *app) wire() {
	a.work.LockWait, a.work.Places.Names, a.work.Places.Dialect, a.work.Scratch = a.lockWait, named(a.settings), a.dialect, a.scratch
	a.work.Places.Ask = a.secret
}

// prepare settles the settings and checks those that have few values.
func (a *app) prepare(cmd *cobra.Command) error {
	s, err := settings.Load()
	if err != nil {
		return trouble("settings", "%w", err)
	}
	a.settings = s
	if len(s.Wrong) > 0 && cmd.Name() != "config" {
		return trouble("settings", "%s", s.Wrong[0])
	}
	if err := apply(s, cmd); err != nil {
		return err
	}
	a.wire()
	a.said.Of = s.Places()
	if self, err := os.Executable(); err == nil && a.scratchKeep > 0 {
		local.Keeper = []string{self, scratchServer, "--scratch-keep", a.scratchKeep.String()}
	}
	for _, f := range s.Files {
		a.Detail("settings from %s", f.Path)
	}
	formats := []string{"text", "json"}
	if cmd.Name() == "impact" {
		formats = append(formats, "dot") // a graph
	}
	for _, c := range []struct {
		name, value string
		of          []string
	}{{"format", a.format, formats}, {"color", a.color, []string{"auto", "always", "never"}}, {"progress", a.progress, []string{"auto", "always", "never"}}, {"remember-places", a.remember, []string{"on", "off"}}} {
		ok := false
		for _, v := range c.of {
			ok = ok || v == c.value
		}
		if !ok {
			return trouble("usage", "--%s %q: it is one of %s", c.name, c.value, strings.Join(c.of, ", "))
		}
	}
	return a.reports.Check(cmd, append(cmd.Flags().Args(), a.placesAt(cmd.Flags().Args())...))
}
