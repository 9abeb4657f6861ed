package cli

import (
	"context"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
	"dappermirror/internal/work"
)

// running are the options of the commands that run a script.
type running struct {
	yes, create, edited   bool
	lockTimeout, stepTime time.Duration
	lockTries             int
	saveRows, backup      string
	resume                bool
	rowChecks             string
	rowCheckTime          time.Duration
	file                  string // the script's, "" where it is none
}

func (o *running) flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.BoolVarP(&o.yes, "yes", "y", false, "do not ask")
	f.DurationVar(&o.lockTimeout, "lock-timeout", 0, "how long a statement may wait for a lock, instead of what the script says")
	f.IntVar(&o.lockTries, "lock-tries", 3, "how often to try for a lock before giving up")
	f.DurationVar(&o.stepTime, "step-timeout", 0, "how long a statement may run (0: as long as it takes)")
	f.StringVar(&o.saveRows, "save-rows", "", "the folder for rows that are lost by permission; without it they go beside the script")
	f.StringVar(&o.backup, "backup-command", "", "a command of your own that makes a backup first; when it fails, nothing is run")
}

func (a *app) applyCommand() *cobra.Command {
	var o running
	cmd := &cobra.Command{
		Use:   "apply SCRIPT TARGET",
		Short: "Run a script that was approved",
		Long: `Runs a script on the target it was made for. It first looks whether the target is
still what the script was written for, whether its rows or the account's rights
stand in the way, says what will happen, and asks. It saves the target's structure
beside the script (SCRIPT.before.json), and the rows that are lost by permission
(SCRIPT.rows/). Inside the transaction it looks once more.

Where not everything is one transaction a run record (SCRIPT.run.json) says what has
run: when the run stops half way, --resume goes on from there.

Exit code 3 says that it was refused, 4 that the target is partly changed or its
state is not known.`,
		Example: "  dapper-mirror apply up.sql live.db\n  dapper-mirror apply up.sql live.db --yes --lock-timeout 2s\n  dapper-mirror apply up.sql mariadb://office@db/quillhaven --resume",
		Args:    cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			s, eng, err := a.readScript(args[0])
			if err != nil {
				return err
			}
			target, err := a.work.Place(args[1], o.create)
			if err != nil {
				return err
			}
			if !target.Writable() {
				return trouble("not-a-database", "%s is no database; a script runs on a database only", target.Label)
			}
			o.file = args[0]
			ran, err := a.run(cmd.Context(), s, eng, target, o)
			if err != nil {
				return err
			}
			if a.format == "json" {
				return a.json(func(o *report.Output) {
					o.Run = &report.JSONRun{Steps: ran, Held: len(s.Held()), Target: target.Label}
				})
			}
			fmt.Fprintf(&a.out, "Done: %s ran on %s.\n", words.Number(ran, "step", "steps"), report.Safe(target.Label))
			if n := len(s.Held()); n > 0 {
				fmt.Fprintf(&a.out, "%s in the script as held back did not run.\n", words.Number(n, "step", "steps"))
			}
			return nil
		},
	}
	o.flags(cmd)
	cmd.Flags().BoolVar(&o.create, "create", false, "the target may not exist yet")
	cmd.Flags().BoolVar(&o.edited, "edited", false, "run the script though it is not as it was written")
	cmd.Flags().BoolVar(&o.resume, "resume", false, "go on where an earlier run of the script stopped")
	rowCheckFlags(cmd, &o.rowChecks, &o.rowCheckTime)
	return cmd
}

// run runs a script.
func (a *app) run(ctx context.Context, s *script.Script, eng engine.Engine, target *place.Place, o running) (int, error) {
	ask, err := asked(o.rowChecks)
	if err != nil {
		return 0, err
	}
	return a.work.Apply(ctx, s, eng, target, work.Running{File: o.file, Edited: o.edited, Resume: o.resume, Create: o.create, LockTimeout: o.lockTimeout, StepTimeout: o.stepTime, LockTries: o.lockTries,
		SaveRows: o.saveRows, BackupCommand: o.backup, RowChecks: ask, RowCheckTime: o.rowCheckTime, Approve: a.approve(o.yes)})
}

// approve says what will happen, and asks.
func (a *app) approve(yes bool) func(context.Context, work.Approval) error {
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
		summary := fmt.Sprintf("%s on %s, %s", words.Number(w.Steps, "step", "steps"), w.Target.Label, words.Number(len(w.Losses), "loss", "losses"))
		if n := len(w.Gone); n > 0 {
			summary += fmt.Sprintf(", %s that only the target has", words.Number(n, "thing goes", "things go"))
		}
		a.Note("%s", summary)
		if yes {
			return nil
		}
		ok, err := a.confirm(ctx, fmt.Sprintf("Run them on %s?", w.Target.Label))
		if err == nil && !ok {
			err = refusal("declined", "not run: the answer was no")
		}
		return err
	}
}
