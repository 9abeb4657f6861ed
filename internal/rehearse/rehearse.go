// Package rehearse runs a script on a scratch copy of the target's structure
// and proves that it ends as it promises.
package rehearse

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/files"
	"dappermirror/internal/script"
)

// Options say how to rehearse.
type Options struct {
	Where string // for the scratch database, see engine.Scratcher
	// CopyRows is how many rows of each table are copied first; From has them.
	CopyRows int
	From     engine.Database
	Groups   map[string]bool // what is counted besides
	Progress func(step, of int, title string)
	// Desired is what the target is to be like, where that is known.
	Desired *catalog.Catalog
}

// Result is how a rehearsal went.
type Result struct {
	Where string // in words
	Steps int    // that ran
	Rows  int    // that were copied
	// Failed is the step that failed, nil where all ran.
	Failed *script.StepError
	// Left is what is not as it was promised.
	Left []script.Move
	// Back says that the back-out script ran as well, and brought everything
	// back.
	Back bool
}

// Passed tells whether all went as promised.
func (r *Result) Passed() bool { return r.Failed == nil && len(r.Left) == 0 }

// Run rehearses a script for a target, and its back-out script where there is
// one. The error says that no rehearsal could be held; how it went is in the
// result.
//
// Without rows it builds only what the script can meet (see within), which a
// big database is the bulk of. What does not pass there is held again on
// everything, so that no script fails for what was left out.
func Run(ctx context.Context, s, back *script.Script, eng engine.Engine, target *catalog.Catalog, opt Options) (*Result, error) {
	if opt.CopyRows <= 0 {
		if part, whole := within(target, s, back); len(part.Objects) < len(target.Objects) {
			few := opt
			if opt.Desired != nil {
				few.Desired = like(opt.Desired, part, whole, s)
			}
			res, err := hold(ctx, s, back, eng, part, few)
			if err == nil && res.Passed() || ctx.Err() != nil || errors.Is(err, engine.ErrNoScratch) {
				return res, err
			}
		}
	}
	return hold(ctx, s, back, eng, target, opt)
}

// hold holds a rehearsal on a scratch copy of a structure.
func hold(ctx context.Context, s, back *script.Script, eng engine.Engine, target *catalog.Catalog, opt Options) (res *Result, err error) {
	sc, ok := eng.(engine.Scratcher)
	if !ok {
		return nil, fmt.Errorf("%s has no scratch databases", eng.Title())
	}
	all := *target // what the source has besides may need things of the server's: roles
	if opt.Desired != nil {
		all.Objects = slices.Concat(target.Objects, opt.Desired.Objects)
	}
	db, where, remove, err := sc.Scratch(ctx, opt.Where, &all)
	if err != nil {
		return nil, fmt.Errorf("making a scratch database: %w", err)
	}
	once := sync.OnceValue(remove)
	forget := files.OnExit(func() { atOnce(once) })
	defer func() {
		forget()
		if e := once(); e != nil && err == nil {
			err = e
		}
	}()
	res = &Result{Where: where}
	if res.Rows, err = build(ctx, eng, db, target, opt); err != nil {
		return nil, fmt.Errorf("building the target's structure on %s: %w", where, err)
	}
	now, err := played(ctx, s, eng, db, target, opt, res)
	if now == nil || err != nil {
		return res, err
	}
	res.Left = append(res.Left, s.Ends(now)...)
	if len(res.Left) == 0 && opt.Desired != nil {
		for _, it := range compare.Compare(opt.Desired, now, compare.Options{Groups: opt.Groups}).Differences() {
			res.Left = append(res.Left, script.Move{On: it.Object().Ref(), What: "is not as in the source"})
		}
	}
	if back == nil || len(res.Left) > 0 {
		return res, nil
	}
	steps := res.Steps
	if now, err = played(ctx, back, eng, db, now, opt, res); now == nil || err != nil {
		return res, err
	}
	res.Steps, res.Back = steps, true
	for _, it := range compare.Compare(target, now, compare.Options{Groups: opt.Groups}).Differences() {
		res.Left = append(res.Left, script.Move{On: it.Object().Ref(), What: "does not come back"})
	}
	return res, nil
}

// atOnce waits for a scratch database to go, but not for long: the program is
// told to end.
func atOnce(remove func() error) {
	gone := make(chan struct{})
	go func() { _ = remove(); close(gone) }()
	select {
	case <-gone:
	case <-time.After(5 * time.Second):
	}
}

// played runs a script on the scratch database, sees that every table that
// stays has the rows it had, and answers the structure then; nil where a step
// failed. was is the structure before.
func played(ctx context.Context, s *script.Script, eng engine.Engine, db engine.Database, was *catalog.Catalog, opt Options, res *Result) (*catalog.Catalog, error) {
	before, err := counted(ctx, eng, db, was, opt)
	if err != nil {
		return nil, err
	}
	done, err := play(ctx, s, eng, db, opt.Progress, res)
	if err != nil || !done {
		return nil, err
	}
	now, err := db.Read(ctx)
	if err != nil {
		return nil, err
	}
	after, err := counted(ctx, eng, db, now, opt)
	if err != nil {
		return nil, err
	}
	for _, st := range s.Planned() {
		for _, r := range st.Risks { // what is lost at a key is whole rows
			if r.Kind == order.Loss && r.On.IsPart() && r.On.PartKind != catalog.Column && r.On.Object() == st.About.Object() {
				delete(before, st.About.Object())
			}
		}
		if !st.Drops {
			continue
		}
		// What goes takes its rows along, also from the table it is a partition of.
		delete(before, st.About.Object())
		if o := was.Find(st.About); o != nil {
			for _, n := range o.Needs {
				delete(before, n.On.Object())
			}
		}
	}
	var had, has int64
	var less []script.Move
	for _, o := range now.Objects {
		ref := o.Ref()
		n, known := before[ref]
		had, has = had+n, has+after[ref]
		if m, there := after[ref]; known && there && m != n {
			less = append(less, script.Move{On: ref, What: fmt.Sprintf("had %s and has %d", words.Number(n, "row", "rows"), m)})
		}
	}
	if had != has { // else they only moved, as into a partition
		res.Left = append(res.Left, less...)
	}
	return now, nil
}

// counted counts the rows of every table, where rows were copied.
func counted(ctx context.Context, eng engine.Engine, db engine.Database, in *catalog.Catalog, opt Options) (map[catalog.Ref]int64, error) {
	copier, ok := eng.(engine.RowCopier)
	rows, asks := db.(engine.RowReader)
	if opt.CopyRows <= 0 || !ok || !asks {
		return nil, nil
	}
	n := map[catalog.Ref]int64{}
	for _, o := range in.Objects {
		query := copier.CountQuery(o)
		if query == "" {
			continue
		}
		var err error
		if n[o.Ref()], err = rows.Count(ctx, query, 0); err != nil {
			return nil, fmt.Errorf("counting the rows of %s: %w", o.Ref(), err)
		}
	}
	return n, nil
}

// play runs a script on the scratch database; false where a step failed.
func play(ctx context.Context, s *script.Script, eng engine.Engine, db engine.Database, progress func(int, int, string), res *Result) (bool, error) {
	if len(s.Planned()) == 0 {
		return true, nil
	}
	err := script.Run(ctx, s, eng, db, script.RunOptions{Progress: progress})
	if err == nil {
		res.Steps = len(s.Planned())
		return true, nil
	}
	var moved *script.MovedError
	if errors.As(err, &moved) && ctx.Err() == nil {
		return false, fmt.Errorf("the scratch copy is not like the target the script was written for: %w", err)
	}
	if errors.As(err, &res.Failed) && ctx.Err() == nil {
		res.Steps = res.Failed.Ran
		return false, nil
	}
	return false, err
}

// build makes the target's structure in the scratch database. With rows to
// copy, keys to other tables and triggers come when the rows are there.
func build(ctx context.Context, eng engine.Engine, db engine.Database, target *catalog.Catalog, opt Options) (int, error) {
	copier, ok := eng.(engine.RowCopier)
	if opt.CopyRows <= 0 || !ok || opt.From == nil {
		return 0, bring(ctx, eng, db, target, opt)
	}
	bare := *target
	bare.Objects = nil
	for _, o := range target.Objects {
		o = without(o, catalog.ForeignKey, catalog.Trigger)
		bare.Add(o)
	}
	if err := bring(ctx, eng, db, &bare, opt); err != nil {
		return 0, err
	}
	n, err := copyRows(ctx, db, copier, target, opt)
	if err != nil {
		return 0, fmt.Errorf("copying rows: %w", err)
	}
	return n, bring(ctx, eng, db, target, opt)
}

// bring brings the scratch database in line with a structure.
func bring(ctx context.Context, eng engine.Engine, db engine.Database, like *catalog.Catalog, opt Options) error {
	now, err := db.Read(ctx)
	if err != nil {
		return err
	}
	plan, err := order.Build(choose.All(compare.Compare(like, now, compare.Options{Groups: opt.Groups})), eng.Writer(engine.WriteOptions{}), func(order.Risk) bool { return true })
	if err != nil {
		return err
	}
	if len(plan.Steps) == 0 {
		return nil
	}
	text, err := script.Write(script.Input{Plan: plan, Engine: eng, Source: like.Place, Target: "scratch"})
	if err != nil {
		return err
	}
	s, err := script.Read(string(text))
	if err != nil {
		return err
	}
	return script.Run(ctx, s, eng, db, script.RunOptions{})
}

// copyRows copies the first rows of each table, and takes away those that
// refer to rows that were not among them.
func copyRows(ctx context.Context, db engine.Database, copier engine.RowCopier, target *catalog.Catalog, opt Options) (int, error) {
	from, ok := opt.From.(engine.RowReader)
	if !ok {
		return 0, nil
	}
	before, after := copier.CopySettings()
	for _, sql := range before {
		if err := db.Exec(ctx, sql); err != nil {
			return 0, err
		}
	}
	n := 0
	for _, o := range target.Objects {
		query := copier.CopyQuery(o, opt.CopyRows)
		if query == "" {
			continue
		}
		if err := from.Lines(ctx, query, func(line string) error {
			n++
			return db.Exec(ctx, line)
		}); err != nil {
			return 0, fmt.Errorf("%s: %w", o.Ref(), err)
		}
	}
	gone, err := withoutOrphans(ctx, db, copier, target)
	if err != nil {
		return 0, err
	}
	n -= gone
	for _, sql := range after {
		if err := db.Exec(ctx, sql); err != nil {
			return 0, err
		}
	}
	return n, nil
}

// withoutOrphans deletes rows whose parents were not copied, until none is
// left: taking one away can leave another without its own. It answers how many
// went.
func withoutOrphans(ctx context.Context, db engine.Database, copier engine.RowCopier, target *catalog.Catalog) (int, error) {
	rows, ok := db.(engine.RowReader)
	if !ok {
		return 0, nil
	}
	gone := 0
	for again := true; again; {
		again = false
		for _, o := range target.Objects {
			for _, fk := range o.PartsOf(catalog.ForeignKey) {
				count, remove := copier.Orphans(o, fk, target)
				if count == "" {
					continue
				}
				n, err := rows.Count(ctx, count, 0)
				if err == nil && n > 0 {
					err, again = db.Exec(ctx, remove), true
					gone += int(n)
				}
				if err != nil {
					return 0, err
				}
			}
		}
	}
	return gone, nil
}
