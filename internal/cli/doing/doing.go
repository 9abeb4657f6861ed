// Package doing is what a person says about scripts: how they are written, rehearsed
// and run. The options are spelled the same on every command.
package doing

import (
	"context"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"dappermirror/internal/core/words"
	"dappermirror/internal/work"
)

// Writing are the options of the commands that write a script.
type Writing struct {
	MayLose, Fill []string
	Create        bool
	As            string
	Rows          RowChecks
	Backout       string
	AvoidBlocking bool
}

// RowChecks say whether and how the target's rows are asked.
type RowChecks struct {
	Checks string
	Time   time.Duration
}

// Flags adds the options to a command.
func (w *Writing) Flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringArrayVar(&w.MayLose, "may-lose", nil, "allow the loss of what these patterns match; '*' for everything")
	f.StringArrayVar(&w.Fill, "fill", nil, "the value for existing rows of a column that is new or becomes NOT NULL")
	f.BoolVar(&w.AvoidBlocking, "avoid-blocking", false, "write the variants that keep others working, though not all of it is one transaction then")
	f.StringVar(&w.As, "as", "", "the role the script acts for, where the account that runs it is a member of the owner")
	f.BoolVar(&w.Create, "create", false, "the target may not exist yet")
	w.Rows.Flags(cmd)
}

// Flags adds the options to a command.
func (r *RowChecks) Flags(cmd *cobra.Command) {
	cmd.Flags().StringVar(&r.Checks, "row-checks", "on", "ask the target's rows about every risk: on or off")
	cmd.Flags().DurationVar(&r.Time, "row-check-time", work.RowCheckTime, "how long one question to the rows may take")
}

// Asked tells whether the rows are asked.
func (r *RowChecks) Asked() (bool, error) {
	if r.Checks != "on" && r.Checks != "off" {
		return false, work.Troubled("usage", "--row-checks %q: it is on or off", r.Checks)
	}
	return r.Checks == "on", nil
}

// Of is what the options say about a script that goes to a file. said is what was
// said about what counts.
func (w *Writing) Of(out, target string, said []string) (*work.Writing, error) {
	ask, err := w.Rows.Asked()
	return &work.Writing{MayLose: w.MayLose, Fill: w.Fill, Role: w.As, AvoidBlocking: w.AvoidBlocking, RowChecks: ask, RowCheckTime: w.Rows.Time,
		File: out, Backout: w.Backout, TargetArg: target, Said: said}, err
}

// Rehearsing are the options of a rehearsal.
type Rehearsing struct {
	CopyRows int
}

// Flags adds the options to a command.
func (r *Rehearsing) Flags(cmd *cobra.Command) {
	cmd.Flags().IntVar(&r.CopyRows, "copy-rows", 0, "copy that many rows of each table, to rehearse on real values")
}

// Of is what the options say about a rehearsal.
func (r *Rehearsing) Of() work.Rehearsal { return work.Rehearsal{CopyRows: r.CopyRows} }

// Running are the options of the commands that run a script.
type Running struct {
	Yes, Create, Edited   bool
	LockTimeout, StepTime time.Duration
	LockTries             int
	SaveRows, Backup      string
	Resume                bool
	Rows                  RowChecks
	File                  string // the script's, "" where it is none
	As                    string // what its files are told apart by, with several targets
}

// Flags adds the options to a command.
func (o *Running) Flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.BoolVarP(&o.Yes, "yes", "y", false, "do not ask")
	o.SafetyFlags(cmd)
}

// SafetyFlags adds the options but the one that answers the question.
func (o *Running) SafetyFlags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.DurationVar(&o.LockTimeout, "lock-timeout", 0, "how long a statement may wait for a lock, instead of what the script says")
	f.IntVar(&o.LockTries, "lock-tries", 3, "how often to try for a lock before giving up")
	f.DurationVar(&o.StepTime, "step-timeout", 0, "how long a statement may run (0: as long as it takes)")
	f.StringVar(&o.SaveRows, "save-rows", "", "the folder for rows that are lost by permission; without it they go beside the script")
	f.StringVar(&o.Backup, "backup-command", "", "a command of your own that makes a backup first; when it fails, nothing is run")
}

// Asker asks a person, and says things.
type Asker interface {
	Note(format string, args ...any)
	Warn(format string, args ...any)
	Confirm(ctx context.Context, question string) (bool, error)
}

// Of is what the options say about a run.
func (o *Running) Of(a Asker) (work.Running, error) {
	ask, err := o.Rows.Asked()
	return work.Running{File: o.File, As: o.As, Edited: o.Edited, Resume: o.Resume, Create: o.Create, LockTimeout: o.LockTimeout, StepTimeout: o.StepTime, LockTries: o.LockTries,
		SaveRows: o.SaveRows, BackupCommand: o.Backup, RowChecks: ask, RowCheckTime: o.Rows.Time, Approve: o.approve(a)}, err
}

// approve says what will happen, and asks.
func (o *Running) approve(a Asker) func(context.Context, work.Approval) error {
	return func(ctx context.Context, w work.Approval) error {
		if w.Edited {
			a.Warn("the script was edited after it was written; it runs as it stands")
		}
		for _, name := range w.Gone {
			a.Note("goes    %s: only the target has it", name)
		}
		for _, r := range w.Losses {
			a.Note("loss    %s", r.Sentence())
		}
		what, question := fmt.Sprintf("%s on %s, %s", words.Number(w.Steps, "step", "steps"), w.Target.Label, words.Number(len(w.Losses), "loss", "losses")), fmt.Sprintf("Run them on %s?", w.Target.Label)
		if w.Steps == 0 {
			what = fmt.Sprintf("%s of %s", words.Number(w.Files, "file", "files"), w.Target.Label)
			question = fmt.Sprintf("Write %s of %s?", words.Number(w.Files, "file", "files"), w.Target.Label)
		}
		if n := len(w.Gone); n > 0 {
			what += fmt.Sprintf(", %s that only the target has", words.Number(n, "thing goes", "things go"))
		}
		a.Note("%s", what)
		if o.Yes {
			return nil
		}
		ok, err := a.Confirm(ctx, question)
		if err == nil && !ok {
			err = work.Refused("declined", "not run: the answer was no")
		}
		return err
	}
}
