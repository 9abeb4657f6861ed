package script

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"slices"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
)

// RecordVersion is the version of a run record's format.
const RecordVersion = 1

// Record says which statements of a script have run on a target. It is kept
// beside the script where not everything is one transaction, and written
// before and after each statement that commits by itself.
type Record struct {
	Format     int           `json:"format"`
	Script     string        `json:"script"` // hash of its text
	Target     string        `json:"target"` // which database, whatever way led there
	Statements []RecordEntry `json:"statements"`
	// Transaction names the transaction, as soon as it is about to commit.
	Transaction string `json:"transaction,omitempty"`
	Committed   bool   `json:"committed,omitempty"`
	Done        bool   `json:"done"`

	// Put writes the record down so that it lasts; it is called with the whole
	// text.
	Put func([]byte) error `json:"-"`
	// skip are the statements that need not run.
	skip    map[int]bool
	resumed bool
}

// RecordEntry is one statement: the fingerprint of what it touches before it
// and after it. Without the latter it is not known whether it ran.
type RecordEntry struct {
	Statement int    `json:"statement"` // its place in the script, from 0
	Step      int    `json:"step"`
	Line      int    `json:"line"`
	Before    string `json:"before"`
	After     string `json:"after,omitempty"`
	Ran       bool   `json:"ran"`
}

// NewRecord begins a record.
func NewRecord(s *Script, target string) *Record {
	return &Record{Format: RecordVersion, Script: bodyHash(s.Body), Target: target}
}

// NeedsRecord tells whether a run of the script can stop half way.
func (s *Script) NeedsRecord(eng engine.Engine) bool {
	r, err := newRunner(s, eng, nil, RunOptions{})
	return err == nil && (!r.transaction || slices.ContainsFunc(s.Planned(), func(st StepInfo) bool { return st.Apart }))
}

// Unfinished tells whether the run stopped half way.
func (rec *Record) Unfinished() bool {
	return !rec.Done && (len(rec.Statements) > 0 || rec.Transaction != "")
}

// ErrRecord says that a run record cannot be used; test with errors.Is.
var ErrRecord = errors.New("the run record cannot be used")

// ReadRecord reads a run record and sees that it is of this script.
func ReadRecord(path string, s *Script) (*Record, error) {
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrRecord, err)
	}
	rec := &Record{}
	if err := json.Unmarshal(data, rec); err != nil {
		return nil, fmt.Errorf("%w: %s is damaged (%v)", ErrRecord, path, err)
	}
	switch {
	case rec.Format > RecordVersion:
		return nil, fmt.Errorf("%w: %s was written by a newer version; update dapper-mirror", ErrRecord, path)
	case rec.Script != bodyHash(s.Body):
		return nil, fmt.Errorf("%w: %s is of another script, or the script was edited since", ErrRecord, path)
	}
	return rec, nil
}

// Resume finds out by the target what has run: statements whose note is
// missing by what they touch, the transaction by what the server says or by
// comparing. It fails with a MovedError where something the script touched or
// will touch was changed by somebody else since. It answers the step to go on
// with.
func (rec *Record) Resume(ctx context.Context, s *Script, eng engine.Engine, db engine.Database, outcome func(context.Context, string) engine.Outcome) (int, error) {
	r, err := newRunner(s, eng, db, RunOptions{})
	if err != nil {
		return 0, err
	}
	rec.skip, rec.resumed = map[int]bool{}, true
	for i := range rec.Statements {
		e := &rec.Statements[i]
		if e.Statement >= len(r.cmds) {
			return 0, fmt.Errorf("%w: it knows a statement the script does not have", ErrRecord)
		}
		if !e.Ran {
			// Killed between the server's answer and the note: what it
			// touches tells. Engines without marks write statements that
			// may run twice.
			now, err := r.mark(ctx, e.Statement)
			if err != nil {
				return 0, err
			}
			if _, ok := db.(engine.Marker); ok && now != e.Before && r.classes[e.Statement] != engine.Again {
				e.After, e.Ran = now, true
			}
		}
		rec.skip[e.Statement] = e.Ran
	}
	if _, ok := db.(engine.Marker); !ok {
		rec.wholeSteps(r)
	}
	if rec.Transaction != "" && !rec.Committed && outcome != nil {
		rec.Committed = outcome(ctx, rec.Transaction) == engine.Committed
	}
	if err := rec.unmoved(ctx, r); err != nil {
		return 0, err
	}
	for i, c := range r.cmds {
		if c.Step > 0 && r.classes[i].Stays() && !rec.skips(r, i) && r.classes[i] != engine.Commits {
			return c.Step, rec.write()
		}
	}
	return 0, rec.write()
}

// wholeSteps lets a step of which anything is left to do run again from its
// beginning: its statements may run twice, but what one left half done only the
// ones before it clear away.
func (rec *Record) wholeSteps(r *runner) {
	for step := range r.titles {
		if rec.unfinished(r, step) {
			for i, c := range r.cmds {
				if c.Step == step {
					rec.skip[i] = false
				}
			}
		}
	}
}

// unfinished tells whether anything of a step is still to do; begunStep whether
// anything of it has run.
func (rec *Record) unfinished(r *runner, step int) bool {
	return rec.anyStatement(r, step, func(i int) bool { return !rec.skip[i] })
}

func (rec *Record) begunStep(r *runner, step int) bool {
	return rec != nil && rec.resumed && rec.anyStatement(r, step, func(i int) bool { return rec.skip[i] })
}

// anyStatement tells whether something holds of a statement of a step that is not the
// session's and not the transaction's.
func (rec *Record) anyStatement(r *runner, step int, is func(int) bool) bool {
	for i, c := range r.cmds {
		if c.Step == step && r.classes[i].Stays() && !c.Client && !r.within[i] && is(i) {
			return true
		}
	}
	return false
}

// ran counts the steps that an earlier run did.
func (rec *Record) ran(r *runner) int {
	n := 0
	if rec == nil || !rec.resumed {
		return 0
	}
	for step := range r.titles {
		outside := rec.anyStatement(r, step, func(int) bool { return true })
		if outside && !rec.unfinished(r, step) || !outside && rec.Committed {
			n++
		}
	}
	return n
}

// unmoved sees that what ran is still as it was left, and what will be touched
// as the script was written for.
func (rec *Record) unmoved(ctx context.Context, r *runner) error {
	touched := map[catalog.Ref]bool{}
	for _, e := range rec.Statements {
		for _, t := range r.titles[e.Step].Touches {
			touched[t] = true
		}
	}
	now, err := r.db.Read(ctx)
	if err != nil {
		return err
	}
	if !rec.Committed && rec.Transaction == "" {
		if moves := withoutOurs(r.s.Check(now).Moves, touched); len(moves) > 0 {
			return &MovedError{moves}
		}
	}
	if _, ok := r.db.(engine.Marker); !ok {
		return nil
	}
	// Of each thing the last statement that touched it tells, so from the last
	// to the first.
	later := map[catalog.Ref]bool{}
	for _, e := range slices.Backward(rec.Statements) {
		if rec.Committed && !slices.Contains(r.within[:e.Statement], true) { // it stands before the transaction
			for i, c := range r.cmds {
				for _, t := range r.titles[c.Step].Touches {
					later[t] = later[t] || r.within[i]
				}
			}
		}
		touches := r.titles[e.Step].Touches
		again := slices.ContainsFunc(touches, func(t catalog.Ref) bool { return later[t] })
		for _, t := range touches {
			later[t] = true
		}
		if again || !e.Ran {
			continue
		}
		mark, err := r.mark(ctx, e.Statement)
		if err != nil {
			return err
		}
		if mark != e.After {
			return &MovedError{[]Move{{r.titles[e.Step].About.Object(), "has changed since the run stopped"}}}
		}
	}
	return nil
}

func (r *runner) mark(ctx context.Context, statement int) (string, error) {
	m, ok := r.db.(engine.Marker)
	if !ok {
		return "", nil
	}
	return m.Mark(ctx, r.titles[r.cmds[statement].Step].Touches)
}

// skips tells whether a resumed run leaves a command out: what ran, session
// statements of steps that ran whole, and all of a transaction that was kept.
func (rec *Record) skips(r *runner, i int) bool {
	if rec == nil || !rec.resumed {
		return false
	}
	c := r.cmds[i]
	switch {
	case r.within[i]:
		return rec.Committed
	case c.Step == 0:
		return false
	case r.classes[i].Stays():
		return rec.skip[i]
	}
	// A session statement serves the statements of its step; a guard looks at
	// what is not there any more when the first of them has run.
	if guard := r.classes[i] == engine.Guards; guard && rec.begunStep(r, c.Step) {
		return true
	}
	return !rec.unfinished(r, c.Step)
}

// began tells whether an earlier run changed, or may have changed, anything.
func (rec *Record) began() bool {
	return rec != nil && rec.resumed && (rec.Committed || len(rec.Statements) > 0)
}

func (rec *Record) write() error {
	if rec == nil || rec.Put == nil {
		return nil
	}
	data, err := json.MarshalIndent(rec, "", "  ")
	if err != nil {
		return err
	}
	if err := rec.Put(append(data, '\n')); err != nil {
		return fmt.Errorf("writing the run record: %w", err)
	}
	return nil
}

// before notes that a statement is about to run.
func (rec *Record) before(ctx context.Context, r *runner, i int) error {
	if rec == nil {
		return nil
	}
	mark, err := r.mark(ctx, i)
	if err != nil {
		return err
	}
	e := RecordEntry{Statement: i, Step: r.cmds[i].Step, Line: r.cmds[i].Line, Before: mark}
	if n := len(rec.Statements); n > 0 && rec.Statements[n-1].Statement == i { // tried again
		rec.Statements[n-1] = e
	} else {
		rec.Statements = append(rec.Statements, e)
	}
	return rec.write()
}

// after notes that it ran.
func (rec *Record) after(ctx context.Context, r *runner, i int) error {
	if rec == nil {
		return nil
	}
	mark, err := r.mark(ctx, i)
	if err != nil {
		return err
	}
	e := &rec.Statements[len(rec.Statements)-1]
	e.After, e.Ran = mark, true
	return rec.write()
}

func (rec *Record) transaction(id string) error {
	if rec == nil {
		return nil
	}
	rec.Transaction = id
	return rec.write()
}

func (rec *Record) committed() error {
	if rec == nil {
		return nil
	}
	rec.Committed = true
	return rec.write()
}

func (rec *Record) finish() error {
	if rec == nil {
		return nil
	}
	rec.Done = true
	return rec.write()
}

// undone notes that nothing of this run stays.
func (rec *Record) undone() {
	if rec != nil && !rec.resumed {
		rec.Statements, rec.Transaction = nil, ""
		_ = rec.write() // what it says is still true if that fails
	}
}
