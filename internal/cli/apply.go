package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
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
			target, err := a.resolve(args[1], o.create)
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

// run checks the fit, the rows and the rights, asks, saves what a backup wants
// and runs a script; it answers how many steps ran.
func (a *app) run(ctx context.Context, s *script.Script, eng engine.Engine, target *place.Place, o running) (int, error) {
	if s.Edited && !o.edited {
		return 0, refusal("edited", "the script is not as it was written%s; look at it with `check`, and give --edited to run it as it stands", lostSteps(s))
	}
	base, err := a.beside(o.file, target.Label)
	if err != nil {
		return 0, err
	}
	now, fit, err := a.fit(ctx, s, target)
	if err != nil {
		return 0, err
	}
	recordFile := base + ".run.json"
	if fit.Done {
		a.note("the target is already as the script would leave it; nothing to do")
		a.forget(recordFile, s)
		return 0, nil
	}
	steps := s.Planned()
	if len(steps) == 0 {
		return 0, nil
	}
	recorded := s.NeedsRecord(eng)
	if !o.resume || !recorded {
		if err := a.fresh(ctx, s, target, recordFile, recorded, fit, o); err != nil {
			return 0, err
		}
	}
	if err := a.confirm(ctx, s, target, o.yes); err != nil {
		return 0, err
	}
	db, err := a.claim(ctx, target, o.create)
	if err != nil {
		return 0, err
	}
	defer db.Close()
	var record *script.Record
	if recorded {
		if record, err = a.record(ctx, recordFile, s, target, db, o.resume); err != nil {
			return 0, err
		}
	}
	if o.resume && recorded {
		next, err := record.Resume(ctx, s, eng, db, a.outcome(target))
		if err != nil {
			return 0, err
		}
		if next > 0 {
			a.note("going on with step %d", next)
		}
	} else if !target.Missing() {
		if err := a.backup(ctx, now, base, o.backup, s); err != nil {
			return 0, err
		}
	}
	rows := &saver{app: a, dir: base + ".rows", written: map[string]bool{}}
	if o.saveRows != "" {
		rows.dir, rows.named = o.saveRows, true
	}
	start := time.Now()
	a.changing.Store(true)
	defer a.changing.Store(false)
	opt := a.telling(target, start)
	opt.LockTimeout, opt.StepTimeout, opt.LockTries = o.lockTimeout, o.stepTime, o.lockTries
	opt.Save, opt.Outcome, opt.Record = rows.save, a.outcome(target), record
	err = script.Run(ctx, s, eng, db, opt)
	if err != nil {
		return 0, err
	}
	a.changing.Store(false)
	a.ran = true
	a.note("%6.1fs  done", time.Since(start).Seconds())
	a.forget(recordFile, s)
	return len(steps), a.proved(ctx, s, target, db)
}

// telling are the options of a run that say how it goes.
func (a *app) telling(target *place.Place, start time.Time) script.RunOptions {
	return script.RunOptions{
		Retry: func(try, of int, err error) {
			on := "the target"
			var locked *script.LockError
			if errors.As(err, &locked) && len(locked.Wanted) > 0 {
				on = join(locked.Wanted, 3)
			}
			a.note("no lock on %s yet; trying again (%d of %d)", report.Safe(on), try, of)
			if locked != nil {
				for _, h := range locked.Holders {
					a.note("        %s", report.Safe(h))
				}
			}
		},
		Holders: func(ctx context.Context, tables []catalog.Ref) []string { return a.blockers(ctx, target, tables) },
		Progress: func(step, of int, title string) {
			if step == 0 {
				a.detail("        %s", title)
				return
			}
			digits := len(fmt.Sprint(of))
			head := fmt.Sprintf("%6.1fs  step %*d of %d  ", time.Since(start).Seconds(), digits, step, of)
			a.note("%s%s", head, report.Shorten(title, a.style().Width-len(head)))
		},
	}
}

// blockers says who is at work on tables of the target, where its server tells.
func (a *app) blockers(ctx context.Context, target *place.Place, tables []catalog.Ref) []string {
	within, cancel := context.WithTimeout(ctx, a.lockWait)
	defer cancel()
	db, err := target.Open(within, engine.OpenOptions{LockWait: a.lockWait})
	if err != nil {
		return nil
	}
	defer db.Close()
	sizer, ok := db.(engine.Sizer)
	if !ok {
		return nil
	}
	who, _ := sizer.Blockers(within, tables)
	return who
}

// lostSteps says which steps are gone from a script.
func lostSteps(s *script.Script) string {
	if len(s.Lost) == 0 {
		return ""
	}
	var list []string
	for _, n := range s.Lost {
		list = append(list, fmt.Sprint(n))
	}
	return ": of its steps these are gone: " + join(list, 10)
}

// proved sees that the target is now as the script promises.
func (a *app) proved(ctx context.Context, s *script.Script, target *place.Place, db engine.Database) error {
	now, err := db.Read(ctx)
	// The connection may have been lost when all was kept: then by another one.
	within, cancel := context.WithTimeout(ctx, a.patience)
	defer cancel()
	for err != nil && within.Err() == nil {
		if now, err = target.Read(within, place.Options{LockWait: a.lockWait}); err != nil && !wait(within, 300) {
			break
		}
	}
	if err != nil {
		return partly("not-proved", "the script ran to its end, but the target could not be read afterwards: %w; compare again", err)
	}
	left := s.Ends(now)
	if len(left) == 0 {
		return nil
	}
	var list []string
	for _, m := range left {
		list = append(list, m.On.String()+" "+m.What)
	}
	if s.Edited {
		a.warn("the script was edited, and the target is not as it was to be: %s", join(list, 5))
		return nil
	}
	return partly("not-as-promised", "the script ran to its end, but the target is not as it promises: %s; compare again", join(list, 5))
}

// claim opens the target for a run and keeps others from it.
func (a *app) claim(ctx context.Context, target *place.Place, create bool) (engine.Database, error) {
	db, err := target.Open(ctx, engine.OpenOptions{Write: true, Create: create, LockWait: a.lockWait})
	if err != nil {
		return nil, trouble("open", "%w", err)
	}
	if c, ok := db.(engine.Claimer); ok {
		if err := c.Claim(ctx); err != nil {
			db.Close()
			if errors.Is(err, engine.ErrClaimed) {
				return nil, refusal("claimed", "%s: %w; wait until it is done", target.Label, err)
			}
			return nil, trouble("open", "%s: %w", target.Label, err)
		}
	}
	return db, nil
}

// fresh sees that a run can begin: that no other is at work or stopped half
// way, that the target is what the script was written for, and that neither
// rows nor rights stand in the way.
func (a *app) fresh(ctx context.Context, s *script.Script, target *place.Place, recordFile string, recorded bool, fit script.FitReport, o running) error {
	var unfinished error
	if old, err := script.ReadRecord(recordFile, s); recorded && err == nil && old.Unfinished() {
		unfinished = refusal("unfinished", "a run of this script stopped half way (%s); go on with --resume", recordFile)
	}
	if len(fit.Moves) > 0 || unfinished != nil {
		db, err := a.claim(ctx, target, false) // is it because somebody is at work?
		if err != nil {
			return err
		}
		db.Close()
	}
	switch {
	case unfinished != nil:
		return unfinished
	case len(fit.Moves) > 0:
		return &script.MovedError{Moves: fit.Moves}
	}
	return a.before(ctx, s, target, o)
}

// record begins a run record, or takes up the one of a run that stopped.
func (a *app) record(ctx context.Context, path string, s *script.Script, target *place.Place, db engine.Database, resume bool) (*script.Record, error) {
	id := target.Label
	if i, ok := db.(engine.Identifier); ok {
		var err error
		if id, err = i.Identity(ctx); err != nil {
			return nil, trouble("open", "%w", err)
		}
	}
	record := script.NewRecord(s, id)
	if resume {
		var err error
		if record, err = script.ReadRecord(path, s); err != nil {
			return nil, refusal("record", "%w; compare again and write a new script from there", err)
		}
		if record.Target != id {
			return nil, refusal("record", "%s is the record of a run on another database (%s)", path, record.Target)
		}
	}
	record.Put = func(data []byte) error { return writeFile(path, data, true) }
	return record, nil
}

// forget removes the record of a run that is done.
func (a *app) forget(path string, s *script.Script) {
	if _, err := script.ReadRecord(path, s); err == nil {
		_ = os.Remove(path) // one that stays says that the run is done
	}
}

// before refuses what the rows or the account's rights would stop half way.
func (a *app) before(ctx context.Context, s *script.Script, target *place.Place, o running) error {
	if target.Missing() {
		return nil
	}
	lacking, err := a.lacking(ctx, s, target, true)
	if err != nil {
		return err
	}
	if len(lacking) > 0 {
		return refusal("rights", "the account lacks %s for these steps: %s; nothing was run", words.Number(len(lacking), "right", "rights"), join(lacking, 5))
	}
	if o.rowChecks == "off" {
		return nil
	}
	failing, err := a.askAgain(ctx, s, target, o.rowCheckTime)
	if err != nil {
		return err
	}
	for _, f := range failing {
		a.note("will fail  %s", f)
	}
	if len(failing) > 0 {
		return refusal("will-fail", "the target's rows stand in the way of %s; %s; nothing was run", words.Number(len(failing), "step", "steps"), script.WayOut(order.Risk{Kind: order.WillFail}))
	}
	return nil
}

// askAgain asks the rows once more about what they stood in the way of, and
// answers what they still do.
func (a *app) askAgain(ctx context.Context, s *script.Script, target *place.Place, limit time.Duration) ([]string, error) {
	var questions []*order.Question
	words := map[*order.Question]string{}
	for _, st := range s.Planned() {
		for _, r := range st.Risks {
			if r.Rows == nil || r.Rows.Count == "" || r.Kind != order.WillFail {
				continue
			}
			q := &order.Question{Count: r.Rows.Count, What: "stand in the way", Converts: true}
			questions = append(questions, q)
			words[q] = fmt.Sprintf("step %d (%s): %s", st.Number, st.Title, r.Sentence())
		}
	}
	answers, err := a.askRows(ctx, target, questions, limit)
	if err != nil {
		return nil, err
	}
	var out []string
	for _, q := range questions {
		if an := answers.To(q); an != nil && an.State == order.Found {
			out = append(out, words[q])
		}
	}
	return out, nil
}

// lacking lists what the account may not do that the script wants.
func (a *app) lacking(ctx context.Context, s *script.Script, target *place.Place, write bool) ([]string, error) {
	db, err := target.Open(ctx, engine.OpenOptions{Write: write, LockWait: a.lockWait})
	if err != nil {
		return nil, trouble("open", "%w", err)
	}
	defer db.Close()
	in, ok := db.(engine.Inspector)
	if !ok {
		return nil, nil
	}
	var work []engine.Work
	for _, st := range s.Planned() {
		locks := st.Guards || slices.ContainsFunc(st.Risks, func(r order.Risk) bool { return r.Save != nil && r.Save.Lock != "" })
		work = append(work, engine.Work{On: st.About.Object(), Creates: st.Creates, Drops: st.Drops, Part: st.About.PartKind, Locks: locks})
	}
	out, err := in.Lacking(ctx, work, s.Meta.Role)
	if err != nil {
		return nil, trouble("rights", "finding out what the account may do: %w", err)
	}
	return out, nil
}

// confirm says what will happen, and asks.
func (a *app) confirm(ctx context.Context, s *script.Script, target *place.Place, yes bool) error {
	if s.Edited {
		a.warn("the script was edited after it was written; it runs as it stands")
	}
	for _, name := range s.Meta.Gone {
		a.note("goes    %s: only the target has it", name)
	}
	losses := 0
	for _, st := range s.Planned() {
		for _, r := range st.Risks {
			if r.Kind == order.Loss {
				losses++
				a.note("loss    %s", r.Sentence())
			}
		}
	}
	summary := fmt.Sprintf("%s on %s, %s", words.Number(len(s.Planned()), "step", "steps"), target.Label, words.Number(losses, "loss", "losses"))
	if n := len(s.Meta.Gone); n > 0 {
		summary += fmt.Sprintf(", %s that only the target has", words.Number(n, "thing goes", "things go"))
	}
	a.note("%s", summary)
	if yes {
		return nil
	}
	ok, err := a.ask(ctx, fmt.Sprintf("Run them on %s?", target.Label))
	if err == nil && !ok {
		err = refusal("declined", "not run: the answer was no")
	}
	return err
}

func join(words []string, most int) string {
	out := ""
	for i, w := range words {
		switch {
		case i == most:
			return fmt.Sprintf("%s and %d more", out, len(words)-most)
		case i > 0:
			out += ", "
		}
		out += w
	}
	return out
}

// wait waits some milliseconds; false when it is over before.
func wait(ctx context.Context, milliseconds int) bool {
	select {
	case <-ctx.Done():
		return false
	case <-time.After(time.Duration(milliseconds) * time.Millisecond):
		return true
	}
}
