// Package task keeps the runs of saved comparisons, says when one fails, and what
// people are told of it.
package task

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gofrs/flock"

	"dappermirror/internal/files"
	"dappermirror/internal/history"
	"dappermirror/internal/message"
	"dappermirror/internal/report"
	"dappermirror/internal/settings"
)

// Store keeps the runs of one task, beside the settings file that has it: a folder
// each, with what became of it (run.json), its log and its scripts.
type Store struct{ dir, name string }

// Of is the store of a task.
func Of(t settings.Task) *Store {
	return &Store{filepath.Join(filepath.Dir(t.File), ".dapper-mirror", "tasks", files.Safe(t.Name)), t.Name}
}

// Folder is where the runs are kept, as seen from the settings file.
func (s *Store) Folder() string {
	return filepath.Join(".dapper-mirror", "tasks", filepath.Base(s.dir))
}

// Outbox are the messages of the task that could not be sent.
func (s *Store) Outbox() message.Outbox { return message.Outbox{Dir: filepath.Join(s.dir, "outbox")} }

// The names of the files of a run.
const (
	runFile = "run.json"
	logFile = "log.txt"
	scripts = "scripts"
)

// defaultKeep is which runs are kept where a task says nothing.
const defaultKeep = "50 newest"

// Run is a run that goes on.
type Run struct {
	report.JSONTaskRun
	Log io.Writer

	store *Store
	log   *os.File
	lock  *flock.Flock
}

// BusyError says that a run of the task is at work.
type BusyError struct {
	Task  string
	Other *report.JSONTaskRun // nil where it is not known which
}

func (e *BusyError) Error() string {
	if e.Other == nil {
		return fmt.Sprintf("a run of %s is at work; wait until it is done", e.Task)
	}
	return fmt.Sprintf("run %d of %s, which %s began at %s, is at work; wait until it is done", e.Other.Number, e.Task, e.Other.Who, report.Day(e.Other.Began))
}

// lockOf is the lock of a share of the runs: shares of one run may be at work at once.
func (s *Store) lockOf(share string) *flock.Flock {
	name := "lock"
	if share != "" {
		name += "-" + files.Safe(share)
	}
	return flock.New(filepath.Join(s.dir, name))
}

// Begin begins a run. It fails with a BusyError while another one is at work.
func (s *Store) Begin(t settings.Task, share string, now time.Time) (*Run, error) {
	fail := func(err error) (*Run, error) {
		return nil, fmt.Errorf("the run of %s cannot be kept: %w", s.name, err)
	}
	if err := os.MkdirAll(s.dir, 0o777); err != nil {
		return fail(err)
	}
	ignore := filepath.Join(filepath.Dir(s.dir), ".gitignore") // runs are of this machine
	if _, err := os.Lstat(ignore); errors.Is(err, os.ErrNotExist) {
		if err := files.Write(ignore, []byte("*\n")); err != nil {
			return fail(err)
		}
	}
	lock := s.lockOf(share)
	got, err := lock.TryLock()
	if err != nil {
		return fail(err)
	}
	if !got {
		return nil, &BusyError{s.name, s.atWork(share)}
	}
	r := &Run{store: s, lock: lock}
	for n := s.newest() + 1; ; n++ {
		dir := s.folder(n)
		err := os.Mkdir(dir, 0o777)
		if errors.Is(err, os.ErrExist) {
			continue // another share took it
		}
		if err != nil {
			_ = lock.Unlock()
			return fail(err)
		}
		r.JSONTaskRun = report.JSONTaskRun{Task: s.name, Number: n, Share: share, Who: who(), Began: now.Format(time.RFC3339Nano), State: report.Running, Source: t.Source, FailOn: t.FailOn, Folder: dir}
		break
	}
	if r.log, err = os.Create(filepath.Join(r.Folder, logFile)); err == nil {
		r.Log = r.log
		err = r.write(report.Output{})
	}
	if err != nil {
		_ = lock.Unlock()
		return fail(err)
	}
	return r, nil
}

// who runs it, and where.
func who() string {
	name := cmp.Or(os.Getenv("USER"), os.Getenv("USERNAME"))
	if u, err := user.Current(); err == nil {
		name = u.Username
	}
	host, err := os.Hostname()
	if err != nil {
		host = "this machine"
	}
	return name + "@" + host
}

// ScriptFolder is the folder for the scripts of the run.
func (r *Run) ScriptFolder() string { return filepath.Join(r.Folder, scripts) }

// End keeps what became of the run.
func (r *Run) End(o report.Output, now time.Time) error {
	r.State, r.Ended = report.Ended, now.Format(time.RFC3339Nano)
	err := r.write(o)
	err = errors.Join(err, r.log.Close(), r.lock.Unlock())
	if err != nil {
		return fmt.Errorf("the run of %s cannot be kept: %w", r.Task, err)
	}
	return nil
}

func (r *Run) write(o report.Output) error {
	var b strings.Builder
	err := report.WriteJSON(&b, "task", func(x *report.Output) {
		run := r.JSONTaskRun
		x.TaskRun, x.Targets, x.Ways = &run, o.Targets, o.Ways
	})
	if err != nil {
		return err
	}
	return files.Write(filepath.Join(r.Folder, runFile), []byte(b.String()))
}

func (s *Store) folder(n int) string { return filepath.Join(s.dir, fmt.Sprintf("%06d", n)) }

// numbers are those of the runs there are, in order.
func (s *Store) numbers() []int {
	var out []int
	list, _ := os.ReadDir(s.dir) // where there is none there was no run
	for _, e := range list {
		if n, err := strconv.Atoi(e.Name()); err == nil && e.IsDir() && n > 0 {
			out = append(out, n)
		}
	}
	slices.Sort(out)
	return out
}

func (s *Store) newest() int {
	if n := s.numbers(); len(n) > 0 {
		return n[len(n)-1]
	}
	return 0
}

// Read reads the record of a run: a file, or the folder that has it.
func Read(path string) (report.Output, error) {
	var o report.Output
	if st, err := os.Stat(path); err == nil && st.IsDir() {
		path = filepath.Join(path, runFile)
	}
	f, err := os.Open(path)
	if err != nil {
		return o, err
	}
	defer f.Close()
	if o, err = report.ReadJSON(f); err == nil && o.TaskRun == nil && o.Targets == nil {
		err = errors.New("it is no record of a run")
	}
	if err != nil {
		err = fmt.Errorf("%s: %w", path, err)
	}
	return o, err
}

// Get is a run that was kept, by its number.
func (s *Store) Get(n int) (report.Output, error) {
	list := s.numbers()
	if !slices.Contains(list, n) {
		if len(list) == 0 {
			return report.Output{}, fmt.Errorf("%s has not run here yet", s.name)
		}
		return report.Output{}, fmt.Errorf("%s has no run %d; `dapper-mirror task %s --runs` lists them (%d to %d)", s.name, n, s.name, list[0], list[len(list)-1])
	}
	o, err := Read(s.folder(n))
	if err != nil { // it died before it wrote a word
		o = report.Output{TaskRun: &report.JSONTaskRun{Task: s.name, Number: n, State: report.Running, Folder: s.folder(n)}}
		if st, e := os.Stat(s.folder(n)); e == nil {
			o.TaskRun.Began = st.ModTime().Format(time.RFC3339Nano)
		}
	}
	if r := o.TaskRun; r.State == report.Running && !s.working(r.Share) {
		r.State = report.Died
	}
	return o, nil
}

// working tells whether a run is at work.
func (s *Store) working(share string) bool {
	lock := s.lockOf(share)
	got, err := lock.TryLock()
	if got {
		_ = lock.Unlock()
	}
	return err == nil && !got
}

// atWork is the run that is at work.
func (s *Store) atWork(share string) *report.JSONTaskRun {
	for _, n := range slices.Backward(s.numbers()) {
		if o, err := Read(s.folder(n)); err == nil && o.TaskRun.State == report.Running && o.TaskRun.Share == share {
			return o.TaskRun
		}
	}
	return nil
}

// List are the runs that were kept, the oldest first.
func (s *Store) List() []report.JSONTaskRun {
	var out []report.JSONTaskRun
	for _, n := range s.numbers() {
		if o, err := s.Get(n); err == nil {
			out = append(out, *o.TaskRun)
		}
	}
	return out
}

// Last is the newest run, nil for none.
func (s *Store) Last() *report.JSONTaskRun {
	n := s.newest()
	if n == 0 {
		return nil
	}
	o, err := s.Get(n)
	if err != nil {
		return nil
	}
	return o.TaskRun
}

// Died are the runs that never came to their end, after the last that did.
func (s *Store) Died() []report.JSONTaskRun {
	var out []report.JSONTaskRun
	for _, n := range slices.Backward(s.numbers()) {
		o, err := s.Get(n)
		if err != nil || o.TaskRun.State == report.Ended {
			break
		}
		if o.TaskRun.State == report.Died {
			out = append(out, *o.TaskRun)
		}
	}
	return out
}

// Prune drops the runs that a rule does not keep, and answers how many. What is at
// work stays, and the newest.
func (s *Store) Prune(ctx context.Context, rule string) (int, error) {
	keep, err := history.ParseRule(cmp.Or(rule, defaultKeep))
	if err != nil {
		return 0, err
	}
	var moments []history.Moment
	list := s.List()
	for _, r := range list {
		began, _ := time.Parse(time.RFC3339Nano, r.Began) // one that is not known is old
		moments = append(moments, history.Moment{Number: r.Number, Date: began})
	}
	stay := history.Stay(keep, moments)
	gone := 0
	for i, r := range list {
		if stay[r.Number] || r.State == report.Running || i == len(list)-1 || ctx.Err() != nil {
			continue
		}
		if err := os.RemoveAll(s.folder(r.Number)); err != nil {
			return gone, fmt.Errorf("an old run of %s cannot be dropped: %w", s.name, err)
		}
		gone++
	}
	return gone, nil
}
