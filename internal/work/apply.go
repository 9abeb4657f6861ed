package work

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/files"
	"dappermirror/internal/place"
	"dappermirror/internal/script"
)

// Running says how a script is run.
type Running struct {
	File                     string // the script's, "" where it is none
	Edited, Resume, Create   bool
	LockTimeout, StepTimeout time.Duration
	LockTries                int
	SaveRows                 string // the folder for rows that are lost; "" is beside the script
	// As is what the files of the run are told apart by, where a script runs on
	// several targets.
	As            string
	BackupCommand string
	RowChecks     bool
	RowCheckTime  time.Duration
	// Approve agrees to a run, or answers why not.
	Approve func(context.Context, Approval) error
}

// Beside is where the files of a run go: beside the script, or in the user's
// state folder where that is no file. as tells the runs of one script on several
// targets apart; "" where there is one.
func Beside(scriptFile, target, as string) (string, error) {
	if scriptFile != "" && scriptFile != "-" {
		base := strings.TrimSuffix(scriptFile, ".sql")
		if as != "" {
			base += "." + files.Safe(as)
		}
		return base, nil
	}
	dir := os.Getenv("XDG_STATE_HOME")
	if dir == "" {
		home, err := os.UserHomeDir()
		if err != nil {
			return "", Troubled("backup", "there is no place for the capture before the run: %w; keep the script in a file", err)
		}
		dir = filepath.Join(home, ".local", "state")
	}
	dir = filepath.Join(dir, "dapper-mirror")
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", Troubled("backup", "there is no place for the capture before the run: %w; keep the script in a file", err)
	}
	if as != "" {
		return filepath.Join(dir, files.Safe(as)), nil
	}
	target, _, _ = strings.Cut(target, "?")
	return filepath.Join(dir, files.Safe(target[strings.LastIndexAny(target, "/\\")+1:])), nil
}

// recordFile is where the record of a run is kept.
func recordFile(base string) string { return base + ".run.json" }

// Unfinished is the record of a run of the script that stopped half way, ""
// where there is none.
func Unfinished(path, as string, sc *script.Script) string {
	base, err := Beside(path, sc.Meta.Target, as)
	if err != nil {
		return ""
	}
	rec, err := script.ReadRecord(recordFile(base), sc)
	if err != nil || !rec.Unfinished() {
		return ""
	}
	return recordFile(base)
}

// Apply sees that the script fits, that neither rows nor rights stand in the
// way, has the run approved, saves what a backup wants, and runs the script; it
// answers how many steps ran.
func (s *Session) Apply(ctx context.Context, sc *script.Script, eng engine.Engine, target *place.Place, r Running) (int, error) {
	if sc.Edited && !r.Edited {
		return 0, Refused("edited", "the script is not as it was written%s; look at it with `check`, and give --edited to run it as it stands", sc.LostWords())
	}
	if err := writable(target); err != nil {
		return 0, err
	}
	base, err := Beside(r.File, target.Label, r.As)
	if err != nil {
		return 0, err
	}
	now, fit, err := s.Fit(ctx, sc, target)
	if errors.Is(err, engine.ErrHalfWritten) { // opening it for writing undoes what was half written
		if err = s.settle(ctx, target); err == nil {
			now, fit, err = s.Fit(ctx, sc, target)
		}
	}
	if err != nil {
		return 0, err
	}
	steps := sc.Planned()
	switch {
	case fit.Done:
		s.Tell(NothingToDo{})
		forget(recordFile(base), sc)
		return 0, nil
	case len(steps) == 0:
		return 0, nil
	}
	recorded := sc.NeedsRecord(eng)
	if !r.Resume || !recorded {
		if err := s.checkBeginning(ctx, sc, target, recordFile(base), recorded, fit, r); err != nil {
			return 0, err
		}
	}
	if err := r.Approve(ctx, Approval{Target: target, Steps: len(steps), Losses: losses(steps), Gone: sc.Meta.Gone, Edited: sc.Edited}); err != nil {
		return 0, err
	}
	db, err := s.claim(ctx, target, r.Create)
	if err != nil {
		return 0, err
	}
	defer db.Close()
	record, err := s.prepare(ctx, sc, eng, target, db, now, base, recorded, r)
	if err != nil {
		return 0, err
	}
	start := time.Now()
	changed := s.change()
	defer changed()
	if err := script.Run(ctx, sc, eng, db, s.runOptions(target, start, base, record, r)); err != nil {
		return 0, err
	}
	changed()
	s.ran.Store(true)
	s.Tell(Ran{time.Since(start)})
	forget(recordFile(base), sc)
	return len(steps), s.checkEnd(ctx, sc, target, db)
}

func losses(steps []script.StepInfo) []order.Risk {
	var out []order.Risk
	for _, st := range steps {
		for _, r := range st.Risks {
			if r.Kind == order.Loss {
				out = append(out, r)
			}
		}
	}
	return out
}

// prepare begins the record of a run, or takes up the one of a run that
// stopped; else it saves the target's structure. The record is nil where the
// run needs none.
func (s *Session) prepare(ctx context.Context, sc *script.Script, eng engine.Engine, target *place.Place, db engine.Database, now *catalog.Catalog, base string, recorded bool, r Running) (record *script.Record, err error) {
	if recorded {
		if record, err = s.record(ctx, recordFile(base), sc, target, db, r.Resume); err != nil {
			return nil, err
		}
	}
	if !r.Resume || !recorded {
		if target.Missing() {
			return record, nil
		}
		return record, s.backup(ctx, now, base, r.BackupCommand, sc)
	}
	next, err := record.Resume(ctx, sc, eng, db, s.outcome(target))
	if err == nil && next > 0 {
		s.Tell(GoingOn{next})
	}
	return record, err
}

// runOptions are the options of a run, which tells how it goes.
func (s *Session) runOptions(target *place.Place, start time.Time, base string, record *script.Record, r Running) script.RunOptions {
	rows := &saver{session: s, dir: base + ".rows", written: map[string]bool{}}
	if r.SaveRows != "" {
		rows.dir, rows.named = r.SaveRows, true
	}
	return script.RunOptions{
		LockTimeout: r.LockTimeout, StepTimeout: r.StepTimeout, LockTries: r.LockTries,
		Save: rows.save, Outcome: s.outcome(target), Record: record,
		Retry: func(try, of int, err error) {
			e := NoLock{Try: try, Of: of}
			var locked *script.LockError
			if errors.As(err, &locked) {
				e.Wanted, e.Holders = locked.Wanted, locked.Holders
			}
			s.Tell(e)
		},
		Holders: func(ctx context.Context, tables []catalog.Ref) []string { return s.blockers(ctx, target, tables) },
		Progress: func(step, of int, title string) {
			if step == 0 {
				s.Tell(StatementBegun{title})
				return
			}
			s.Tell(StepBegun{step, of, title, time.Since(start)})
		},
	}
}

// blockers says who is at work on tables of the target, where its server tells.
func (s *Session) blockers(ctx context.Context, target *place.Place, tables []catalog.Ref) []string {
	within, cancel := context.WithTimeout(ctx, s.LockWait)
	defer cancel()
	db, err := target.Open(within, engine.OpenOptions{LockWait: s.LockWait})
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

// checkEnd sees that the target is now as the script promises.
func (s *Session) checkEnd(ctx context.Context, sc *script.Script, target *place.Place, db engine.Database) error {
	now, err := db.Read(ctx)
	// The connection may have been lost when all was kept: then by another one.
	within, cancel := context.WithTimeout(ctx, s.Patience)
	defer cancel()
	for err != nil && within.Err() == nil {
		if now, err = s.structure(within, target, place.Options{}); err != nil && !wait(within, 300*time.Millisecond) {
			break
		}
	}
	if err != nil {
		return uncertain("not-proved", "the script ran to its end, but the target could not be read afterwards: %w; compare again", err)
	}
	left := sc.Ends(now)
	if len(left) == 0 {
		return nil
	}
	var list []string
	for _, m := range left {
		list = append(list, m.On.String()+" "+m.What)
	}
	if sc.Edited {
		s.Tell(NotAsPromised{list})
		return nil
	}
	return uncertain("not-as-promised", "the script ran to its end, but the target is not as it promises: %s; compare again", words.Join(list, 5))
}

// settle opens the target for writing once, and reads it.
func (s *Session) settle(ctx context.Context, target *place.Place) error {
	db, err := s.claim(ctx, target, false)
	if err != nil {
		return err
	}
	defer db.Close()
	if _, err := db.Read(ctx); err != nil {
		return Troubled("reading", "%s: %w", target.Label, err)
	}
	return nil
}

// claim opens the target for a run and keeps others from it.
func (s *Session) claim(ctx context.Context, target *place.Place, create bool) (engine.Database, error) {
	db, err := target.Open(ctx, engine.OpenOptions{Write: true, Create: create, LockWait: s.LockWait})
	if err != nil {
		return nil, Troubled("open", "%w", err)
	}
	if c, ok := db.(engine.Claimer); ok {
		if err := c.Claim(ctx); err != nil {
			db.Close()
			if errors.Is(err, engine.ErrClaimed) {
				return nil, Refused("claimed", "%s: %w; wait until it is done", target.Label, err)
			}
			return nil, Troubled("open", "%s: %w", target.Label, err)
		}
	}
	return db, nil
}

// checkBeginning sees that a run can begin: that no other is at work or stopped half
// way, that the target is what the script was written for, and that neither
// rows nor rights stand in the way.
func (s *Session) checkBeginning(ctx context.Context, sc *script.Script, target *place.Place, file string, recorded bool, fit script.FitReport, r Running) error {
	var unfinished error
	if old, err := script.ReadRecord(file, sc); recorded && err == nil && old.Unfinished() {
		unfinished = Refused("unfinished", "a run of this script stopped half way (%s); go on with --resume", file)
	}
	if len(fit.Moves) > 0 || unfinished != nil {
		db, err := s.claim(ctx, target, false) // is it because somebody is at work?
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
	return s.before(ctx, sc, target, r)
}

// record begins a run record, or takes up the one of a run that stopped.
func (s *Session) record(ctx context.Context, path string, sc *script.Script, target *place.Place, db engine.Database, resume bool) (*script.Record, error) {
	id := target.Label
	if i, ok := db.(engine.Identifier); ok {
		var err error
		if id, err = i.Identity(ctx); err != nil {
			return nil, Troubled("open", "%w", err)
		}
	}
	record := script.NewRecord(sc, id)
	if resume {
		var err error
		if record, err = script.ReadRecord(path, sc); err != nil {
			return nil, Refused("record", "%w; compare again and write a new script from there", err)
		}
		if record.Target != id {
			return nil, Refused("record", "%s is the record of a run on another database (%s)", path, record.Target)
		}
	}
	record.Put = func(data []byte) error { return WriteFile(path, data, true) }
	return record, nil
}

// forget removes the record of a run that is done.
func forget(path string, sc *script.Script) {
	if _, err := script.ReadRecord(path, sc); err == nil {
		_ = os.Remove(path) // one that stays says that the run is done
	}
}

// before refuses what the rows or the account's rights would stop half way.
func (s *Session) before(ctx context.Context, sc *script.Script, target *place.Place, r Running) error {
	if target.Missing() {
		return nil
	}
	lacking, err := s.lacking(ctx, sc, target, true)
	if err != nil {
		return err
	}
	if len(lacking) > 0 {
		return Refused("rights", "the account lacks %s for these steps: %s; nothing was run", words.Number(len(lacking), "right", "rights"), words.Join(lacking, 5))
	}
	if !r.RowChecks {
		return nil
	}
	failing, err := s.askAgain(ctx, sc, target, r.RowCheckTime)
	if err != nil {
		return err
	}
	for _, f := range failing {
		s.Tell(Fails{f})
	}
	if len(failing) > 0 {
		return Refused("will-fail", "the target's rows stand in the way of %s; %s; nothing was run", words.Number(len(failing), "step", "steps"), script.WayOut(order.Risk{Kind: order.WillFail}))
	}
	return nil
}

// wait waits; false when it is over before.
func wait(ctx context.Context, d time.Duration) bool {
	select {
	case <-ctx.Done():
		return false
	case <-time.After(d):
		return true
	}
}
