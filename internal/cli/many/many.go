// Package many has the commands go over several targets: which they are, how the
// work goes on, and what became of each.
package many

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"dappermirror/internal/cli/doing"
	"dappermirror/internal/cli/judgement"
	"dappermirror/internal/core/words"
	"dappermirror/internal/files"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/settings"
	"dappermirror/internal/work"
)

// App is the command line that the commands are part of.
type App interface {
	Settings() *settings.Settings
	Work() *work.Session
	Said() *judgement.Said
	Stdin() io.Reader
	Out() *bytes.Buffer
	Style() report.Style
	JSON() bool
	WriteJSON(fill func(*report.Output)) error
	// Reports tells whether reports are to be written, Reported writes them.
	Reports() bool
	Reported(fill func(*report.Output)) error
	doing.Asker
	Always(format string, args ...any)
	Terminal() bool // somebody looks on
	// Ends notes an exit code; of several the worst counts.
	Ends(code int)
	// Failing is an error as programs read it.
	Failing(ctx context.Context, err error) report.JSONError
}

type commands struct{ App }

// Of are the commands of an application, for several targets.
func Of(a App) *commands { return &commands{a} }

// Options are what can be said about many targets.
type Options struct {
	File, Share string
	Parallel    int
	Stop        bool
}

// Flags adds the options to a command.
func (o *Options) Flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringVar(&o.File, "targets", "", "a file that lists targets: a place a line, or YAML; see help targets")
	f.IntVar(&o.Parallel, "parallel", 4, "how many targets are at work at once")
	f.StringVar(&o.Share, "share", "", "take a part of the targets only, as 3/10, so that several machines divide them")
	f.BoolVar(&o.Stop, "stop-on-failure", false, "begin no further target once one has failed")
}

// Several tells whether what was typed means several targets, or may.
func (o *Options) Several(targets []string) bool {
	return o.File != "" || o.Share != "" || len(targets) != 1 || isPattern(targets[0])
}

// isPattern tells a pattern of names of places.
func isPattern(text string) bool {
	if !strings.ContainsAny(text, "*?") || strings.Contains(text, "://") {
		return false
	}
	_, err := os.Lstat(text)
	return err != nil
}

// List finds the targets: those that were typed, those of the file, and what
// patterns of names stand for. not is the source, which is none.
func (o *Options) List(a App, typed []string, not string) ([]settings.Target, error) {
	if o.Parallel < 1 {
		return nil, work.Troubled("usage", "--parallel %d: it is 1 at least", o.Parallel)
	}
	var list []settings.Target
	for _, t := range typed {
		list = append(list, settings.Target{Place: settings.Place{At: t}})
	}
	if o.File != "" {
		text, err := work.ReadText(o.File, a.Stdin())
		if err != nil {
			return nil, err
		}
		more, err := settings.ReadTargets(o.File, []byte(text))
		if err != nil {
			return nil, work.Troubled("targets", "%w", err)
		}
		for i := range more {
			if _, named := a.Settings().Places()[more[i].At]; !named {
				more[i].Beside(o.File)
			}
		}
		list = append(list, more...)
	}
	list, err := settings.Expand(list, a.Settings().Names(), not)
	if err != nil {
		return nil, work.Troubled("targets", "%w", err)
	}
	return o.part(list)
}

// part is the share of the targets that is to be taken.
func (o *Options) part(list []settings.Target) ([]settings.Target, error) {
	if o.Share == "" {
		return list, nil
	}
	n, of, err := Share(o.Share)
	if err != nil {
		return nil, err
	}
	var out []settings.Target
	for i, t := range list {
		if i%of == n-1 {
			out = append(out, t)
		}
	}
	return out, nil
}

// Share reads a share: "3/10" is the third of ten.
func Share(text string) (n, of int, err error) {
	a, b, ok := strings.Cut(text, "/")
	n, errN := strconv.Atoi(a)
	of, errOf := strconv.Atoi(b)
	if !ok || errN != nil || errOf != nil || n < 1 || n > of {
		return 0, 0, work.Troubled("usage", "--share %q: write it as 3/10, the third of ten parts", text)
	}
	return n, of, nil
}

// Call is a piece of work that is done for several targets.
type Call struct {
	Options
	Source  string // "" where there is none
	Targets []settings.Target
	// Do does it for one, and notes what it finds.
	Do func(ctx context.Context, s *work.Session, t Target, noted *Noted) error
	// Report gathers what became of them; its details are set before.
	Report *report.Targets
	// Log takes the line of each target, besides who reads the notes; nil for none.
	Log io.Writer
}

// Target is one of several.
type Target struct {
	settings.Target
	N    int
	Name string // short, and different from all others
}

// Arg is the target as a command takes it.
func (t Target) Arg() string {
	if t.Target.Name != "" {
		return t.Target.Name
	}
	return t.At
}

// Noted is where the work on targets notes what it finds.
type Noted struct {
	mu     sync.Mutex
	report *report.Targets
}

// Note notes something.
func (n *Noted) Note(f func(*report.Targets)) {
	n.mu.Lock()
	defer n.mu.Unlock()
	f(n.report)
}

// Files are what the places of a piece of work may be files of: nothing is written over
// them.
func Files(a App, source string, list []settings.Target) []string {
	all := a.Settings().Places()
	var out []string
	for _, at := range append([]settings.Target{{Place: settings.Place{At: source}}}, list...) {
		for _, text := range []string{at.At, all[at.At].At} {
			out = append(out, text, text[strings.Index(text, ":")+1:])
		}
	}
	return out
}

// Names are short names for targets, which stand for {target} in names of files.
func Names(list []settings.Target) []string { return settings.Called(list) }

// Run does a piece of work for several targets and notes what becomes of each.
func Run(ctx context.Context, a App, c Call) error {
	names := Names(c.Targets)
	targets := make([]work.Target, len(names))
	known := a.Work().Places.Names
	for i, t := range c.Targets {
		targets[i] = work.Target{Name: names[i], At: t.At}
		if t.Name != "" { // a list says of it what a settings file would
			targets[i].At = t.Name
			if _, taken := known[t.Name]; taken {
				return work.Troubled("targets", "%s:%d: %s is the name of a place already", t.File, t.Line, t.Name)
			}
		}
	}
	a.Work().Places.Names = Known(known, c.Targets)
	defer func() { a.Work().Places.Names = known }()
	noted := &Noted{report: c.Report}
	began := make([]time.Time, len(names))
	done := 0
	say := func(format string, args ...any) {
		a.Note(format, args...)
		if c.Log != nil {
			fmt.Fprintln(c.Log, report.Safe(fmt.Sprintf(format, args...)))
		}
	}
	errs, err := a.Work().Each(ctx, c.Source, targets, work.Many{
		Parallel: c.Parallel, StopOnFailure: c.Stop,
		Begun: func(i int) { began[i] = time.Now() },
		Ended: func(i int, err error) {
			done++
			noted.Note(func(r *report.Targets) {
				ended(ctx, a, r, i, err, time.Since(began[i]))
				say("%*d/%d  %s  %s  (%s)", len(strconv.Itoa(len(names))), done, len(names), names[i], r.At(i).Line(), time.Since(began[i]).Round(time.Millisecond))
			})
		},
	}, func(ctx context.Context, s *work.Session, i int) error {
		return c.Do(ctx, s, Target{c.Targets[i], i, names[i]}, noted)
	})
	if err != nil {
		return err
	}
	left := 0
	for i := range names {
		if errors.Is(errs[i], work.ErrNotBegun) {
			left++
		}
	}
	if ctx.Err() != nil {
		a.Always("interrupted; %s came to their end, %d did not begin", words.Number(done, "target", "targets"), left)
		a.Ends(interrupted)
	} else if left > 0 {
		a.Always("stopped at the first failure; %s did not begin", words.Number(left, "target", "targets"))
	}
	return nil
}

// interrupted is the exit code of a call that was.
const interrupted = 130

// Known are the places that are known by name, and those that a list of targets
// names.
func Known(places map[string]place.Named, targets []settings.Target) map[string]place.Named {
	out := map[string]place.Named{}
	for k, v := range places {
		out[k] = v
	}
	for _, t := range targets {
		if t.Name != "" {
			out[t.Name] = t.Named()
		}
	}
	return out
}

// results are what an exit code says of a target that failed.
var results = map[int]report.Result{1: report.Failed, 2: report.Failed, 3: report.Refused, 4: report.Uncertain, 130: report.Interrupted}

// ended notes how the work on a target ended.
func ended(ctx context.Context, a App, r *report.Targets, i int, err error, took time.Duration) {
	if err != nil {
		e := a.Failing(ctx, err)
		r.Ended(i, results[e.Exit], e.Exit, &e, took)
		return
	}
	j := r.At(i)
	r.Ended(i, j.Result, j.Exit, nil, took)
}

// FileFor is the file of a target: {target} in a pattern is its name.
func FileFor(pattern, name string) string {
	return strings.ReplaceAll(pattern, "{target}", files.Safe(name))
}

// Scripts gathers scripts until all are written: those that several targets need are
// written once.
type Scripts struct {
	Pattern, Backout string
	Force            bool

	mu   sync.Mutex
	made map[string]*shared
}

// shared is a script, and the targets that need it.
type shared struct {
	first      int
	name       string
	text, back []byte
	targets    map[int]string
}

// Check refuses patterns that would write one file for all, files that are there, and
// those that are one of the places: --force overwrites a script, not what it is made
// from.
func (s *Scripts) Check(names []string, places ...string) error {
	made := map[string]string{}
	for _, p := range places {
		if st, err := os.Stat(p); err == nil && st.Mode().IsRegular() {
			made[files.Whole(p)] = p
		}
	}
	for _, o := range []struct{ option, pattern string }{{"-o", s.Pattern}, {"--backout", s.Backout}} {
		switch {
		case o.pattern == "":
			continue
		case len(names) > 1 && !strings.Contains(o.pattern, "{target}"):
			return work.Troubled("usage", "%s %s: with several targets the name has {target} in it, as %s 'out/{target}.sql'", o.option, o.pattern, o.option)
		}
		for _, n := range names {
			path := FileFor(o.pattern, n)
			if err := work.Unwritten(path, s.Force); err != nil {
				return err
			}
			if p, ok := made[files.Whole(path)]; ok {
				return work.Troubled("own-input", "%s %s is the place %s; name another file", o.option, path, p)
			}
		}
	}
	if s.Pattern != "" && s.Pattern == s.Backout {
		return work.Troubled("usage", "-o and --backout are one file")
	}
	return nil
}

// Add takes a script of a target.
func (s *Scripts) Add(t Target, d *work.Done) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.made == nil {
		s.made = map[string]*shared{}
	}
	x := s.made[d.Script]
	if x == nil {
		x = &shared{first: t.N + 1, targets: map[int]string{}}
		s.made[d.Script] = x
	}
	x.targets[t.N] = d.Pair.Target.Label
	if t.N < x.first || x.text == nil {
		x.first, x.name, x.text = t.N, t.Name, d.Written.Text
		if d.Back != nil {
			x.back = d.Back.Text
		}
	}
}

// Write writes each script once, under the name of the first target that needs it.
func (s *Scripts) Write(r *report.Targets) ([]string, error) {
	var out []string
	list := make([]*shared, 0, len(s.made))
	for _, x := range s.made {
		list = append(list, x)
	}
	slices.SortFunc(list, func(a, b *shared) int { return a.first - b.first })
	for _, x := range list {
		var others []string
		for i := range r.Len() {
			if label, ok := x.targets[i]; ok && i != x.first {
				others = append(others, label)
			}
		}
		for _, f := range []struct {
			pattern string
			text    []byte
			note    func(*report.JSONTarget, string)
		}{{s.Pattern, x.text, func(j *report.JSONTarget, f string) { j.Script = f }}, {s.Backout, x.back, func(j *report.JSONTarget, f string) { j.Backout = f }}} {
			if f.pattern == "" || f.text == nil {
				continue
			}
			text, err := report.Retargeted(f.text, x.targets[x.first], others)
			if err != nil {
				return out, err
			}
			path := FileFor(f.pattern, x.name)
			if err := work.WriteInto(path, text, s.Force); err != nil {
				return out, err
			}
			out = append(out, path)
			for i := range x.targets {
				f.note(r.At(i), path)
			}
		}
	}
	return out, nil
}
