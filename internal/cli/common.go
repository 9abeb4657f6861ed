package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"golang.org/x/sync/errgroup"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/scope"
	"dappermirror/internal/engine"
	"dappermirror/internal/files"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
)

// scopeFlags adds what says what counts.
func (a *app) scopeFlags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringArrayVar(&a.scopeOnly, "only", nil, "count only what these patterns match; see help patterns")
	f.StringArrayVar(&a.scopeExcept, "except", nil, "do not count what these patterns match")
	f.BoolVar(&a.emptySource, "empty-source", false, "the source is meant to be empty")
	f.StringSliceVar(&a.with, "include", nil, "count also what counts only when asked for: owners, grants, definers")
}

var groups = map[string]bool{"owners": true, "grants": true, "definers": true}

func (a *app) options() (compare.Options, error) {
	opt := compare.Options{Groups: map[string]bool{}}
	for _, g := range a.with {
		if !groups[g] {
			return opt, trouble("usage", "--include %q: it is one of owners, grants, definers", g)
		}
		opt.Groups[g] = true
	}
	var err error
	if opt.Scope.Only, err = scope.ParseAll(a.scopeOnly); err != nil {
		return opt, trouble("usage", "--only: %w", err)
	}
	if opt.Scope.Except, err = scope.ParseAll(a.scopeExcept); err != nil {
		return opt, trouble("usage", "--except: %w", err)
	}
	return opt, nil
}

// scopeWords are the options of the scope as they go into a script.
func (a *app) scopeWords() []string {
	var out []string
	for _, p := range a.scopeOnly {
		out = append(out, "--only", p)
	}
	for _, p := range a.scopeExcept {
		out = append(out, "--except", p)
	}
	return out
}

// resolve finds out what a place is.
func (a *app) resolve(text string, create bool) (*place.Place, error) {
	p, err := place.Resolve(text, place.Options{Stdin: a.stdin, Names: a.settings.places(), Create: create, Dialect: a.dialect})
	if err != nil {
		return nil, trouble("place", "%w", err)
	}
	if p.PasswordShown {
		a.warn("a password on the command line can be read by others on this machine; use a password file, PGPASSWORD or a place in %s", projectFile)
	}
	return p, nil
}

func placeLabel(text string) string {
	p, err := place.Resolve(text, place.Options{Create: true})
	if err != nil {
		return "(not understood)"
	}
	return p.Label
}

// pair is two places and what was read from them.
type pair struct {
	source, target *place.Place
	comparison     *compare.Comparison
	took           [2]time.Duration
	blockers       []string // sessions at work on the target's tables
	// again reads both sides anew, and whole; nil where that was done.
	again func(context.Context) (*pair, error)
}

// reading is how much of the two sides is read.
type reading int

const (
	toCompare reading = iota // what is not proved equal unread
	toScript                 // and what a script can come upon
	whole
)

// compare resolves two places, reads both at once and compares them.
func (a *app) compare(ctx context.Context, sourceText, targetText string, create bool, how reading) (*pair, error) {
	opt, err := a.options()
	if err != nil {
		return nil, err
	}
	p := &pair{}
	if how != whole && opt.Scope.Empty() {
		p.again = func(ctx context.Context) (*pair, error) { return a.compare(ctx, sourceText, targetText, create, whole) }
	}
	if p.source, err = a.resolve(sourceText, false); err != nil {
		return nil, err
	}
	if p.target, err = a.resolve(targetText, create); err != nil {
		return nil, err
	}
	same := func() error {
		if p.source.Same(p.target) {
			return trouble("same-place", "source and target are the same place: %s", p.source.Label)
		}
		return nil
	}
	if err := same(); err != nil {
		return nil, err
	}
	cats, err := a.readBoth(ctx, p, opt, how, same)
	if err != nil {
		return nil, err
	}
	for i, pl := range []*place.Place{p.source, p.target} { // what can be read once is kept
		if pl.Streamed() {
			a.streams[pl.Identity] = cats[i]
		}
	}
	if p.source.Empty() && !a.emptySource && len(cats[1].Objects) > 0 {
		return nil, refusal("empty-source", "there is nothing in the source, %s, so everything in the target would go; give --empty-source if that is meant", p.source.Label)
	}
	for i, c := range cats {
		a.note("read %s: %s (%s %s, %s)", c.Place, report.Counts(c), engineTitle(c.Engine), c.Version, p.took[i].Round(time.Millisecond))
	}
	if !a.quiet && isTerminal(a.stderr) {
		fmt.Fprintln(a.stderr)
	}
	if cats[0].Engine != cats[1].Engine {
		return nil, trouble("engines", "the source is %s and the target %s; only databases of one engine can be compared", engineTitle(cats[0].Engine), engineTitle(cats[1].Engine))
	}
	if err := matchesSomething(opt.Scope, cats[0], cats[1]); err != nil {
		return nil, err
	}
	p.comparison = compare.Compare(cats[0], cats[1], opt)
	return p, nil
}

// readBoth reads both places at once, as far as how wants.
func (a *app) readBoth(ctx context.Context, p *pair, opt compare.Options, how reading, same func() error) (cats [2]*catalog.Catalog, err error) {
	g, gctx := errgroup.WithContext(ctx)
	for i, pl := range []*place.Place{p.source, p.target} {
		g.Go(func() error {
			start := time.Now()
			var err error
			if cats[i] = a.streams[pl.Identity]; cats[i] == nil {
				cats[i], err = pl.Read(gctx, place.Options{LockWait: a.lockWait, Lazy: how != whole && opt.Scope.Empty(), Script: how == toScript})
			}
			p.took[i] = time.Since(start)
			return err
		})
	}
	for _, pl := range []*place.Place{p.source, p.target} {
		a.detail("reading %s", pl.Label)
	}
	stop := a.working("reading both sides")
	err = g.Wait()
	if err == nil {
		err = same()
	}
	if err == nil && cats[0].Engine == cats[1].Engine {
		if how == toScript {
			err = compare.SettleForScript(ctx, cats[0], cats[1], opt)
		} else {
			err = compare.Settle(ctx, cats[0], cats[1])
		}
		if err != nil {
			err = fmt.Errorf("reading the texts that differ: %w", err)
		}
	} else {
		for _, c := range cats {
			if c != nil && c.Release != nil {
				c.Release()
			}
		}
	}
	stop()
	if err != nil {
		var f *failure
		if errors.As(err, &f) {
			return cats, err
		}
		return cats, trouble("reading", "%w", err)
	}
	return cats, nil
}

func engineTitle(name string) string {
	e, err := place.EngineNamed(name)
	if err != nil {
		return name
	}
	return e.Title()
}

// matchesSomething refuses patterns that name a kind the engine does not have,
// or a thing that neither side has: they are misspelled.
func matchesSomething(s scope.Scope, cats ...*catalog.Catalog) error {
	for _, o := range []struct {
		option string
		ps     []scope.Pattern
	}{{"--only", s.Only}, {"--except", s.Except}} {
		if err := knownKinds(o.option, o.ps, cats...); err != nil {
			return err
		}
		for _, p := range o.ps {
			if o.option == "--only" && !p.Wide() && !patternMatches(p, cats...) {
				return trouble("no-match", "%s %s matches nothing in the source or the target; see `dapper-mirror help patterns`", o.option, p)
			}
		}
	}
	return nil
}

// knownKinds refuses patterns of kinds that the engine does not have.
func knownKinds(option string, ps []scope.Pattern, cats ...*catalog.Catalog) error {
	known := map[string]bool{}
	for _, c := range cats {
		if e, err := place.EngineNamed(c.Engine); err == nil {
			if s, ok := e.(engine.Surveyor); ok {
				for _, k := range s.Kinds() {
					known[string(k.Kind)] = true
				}
			}
		}
		for _, o := range c.Objects {
			known[string(o.Kind)] = true
			for _, p := range o.Parts {
				known[string(p.Kind)] = true
			}
		}
	}
	for _, p := range ps {
		if k := p.Kind(); k != "" && !known[k] {
			return trouble("kind", "%s %s: there is no kind %q%s; `dapper-mirror help kinds` lists them", option, p, k, suggest(k, slices.Collect(maps.Keys(known))))
		}
	}
	return nil
}

// suggest is what a misspelled word may have meant, as the end of a sentence.
func suggest(word string, words []string) string {
	slices.Sort(words)
	best, distance := "", 1+len(word)/2
	for _, w := range words {
		d := editDistance(strings.ToLower(word), w)
		if word != "" && strings.HasPrefix(w, word) {
			d = 1
		}
		if d < distance {
			best, distance = w, d
		}
	}
	if best == "" {
		return ""
	}
	return "; meant " + best + "?"
}

func patternMatches(p scope.Pattern, cats ...*catalog.Catalog) bool {
	for _, c := range cats {
		for _, o := range c.Objects {
			if p.Match(o.Ref(), c.Fold) {
				return true
			}
			for _, part := range o.Parts {
				if p.Match(o.PartRef(part), c.Fold) {
					return true
				}
			}
		}
	}
	return false
}

// detail says what is done, for who asked with --verbose.
func (a *app) detail(format string, args ...any) {
	if a.verbose {
		fmt.Fprintf(a.stderr, "%s\n", report.Safe(fmt.Sprintf(format, args...)))
	}
}

// working shows on a terminal that work goes on, until the answer is called.
func (a *app) working(what string) func() {
	if a.progress == "never" || a.quiet || a.progress == "auto" && !isTerminal(a.stderr) {
		return func() {}
	}
	done, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		start := time.Now()
		tick := time.NewTicker(200 * time.Millisecond)
		defer tick.Stop()
		shown := false
		for {
			select {
			case <-tick.C:
				shown = true
				fmt.Fprintf(a.stderr, "\r%s … %ds", what, int(time.Since(start).Seconds()))
			case <-done:
				if shown {
					fmt.Fprintf(a.stderr, "\r%s\r", strings.Repeat(" ", len(what)+12))
				}
				return
			}
		}
	}()
	return func() { close(done); <-ended }
}

// writeFile writes a file whole or not at all. Without force one that is there
// is left alone.
func writeFile(path string, data []byte, force bool) error {
	if err := unwritten(path, force); err != nil {
		return err
	}
	if err := files.Write(path, data); err != nil {
		return trouble("write", "%s cannot be written: %w", path, err)
	}
	return nil
}

// unwritten refuses a file that is there already, unless it may be overwritten.
func unwritten(path string, force bool) error {
	if path != "" && path != "-" && !force && files.Taken(path) {
		return trouble("exists", "%s is there already; give --force to overwrite it", path)
	}
	return nil
}

// output is a file that a call writes, by the option that names it.
type output struct{ option, path string }

// ownInput refuses outputs that are files of the places a call reads.
func (a *app) ownInput(outputs []output, places ...string) error {
	var read []*place.Place
	for _, text := range places {
		p, err := a.resolve(text, true)
		if err != nil {
			return err
		}
		read = append(read, p)
	}
	return apart(outputs, read...)
}

// apart refuses outputs that are one of the places the call reads, or each
// other: --force overwrites a script, not what it is made from.
func apart(outputs []output, places ...*place.Place) error {
	for i, o := range outputs {
		if o.path == "" || o.path == "-" {
			continue
		}
		for _, p := range places {
			for _, f := range p.Files() {
				if files.Same(o.path, f) {
					return trouble("own-input", "%s %s is a file of %s; name another file", o.option, o.path, p.Label)
				}
			}
		}
		for _, other := range outputs[:i] {
			if other.path != "" && other.path != "-" && files.Same(o.path, other.path) && files.Taken(o.path) == files.Taken(other.path) {
				return trouble("same-file", "%s and %s are the same file, %s", other.option, o.option, o.path)
			}
		}
	}
	return nil
}

// put writes a result to a file, or to standard output for "" and "-".
func (a *app) put(path string, data []byte, force bool) error {
	if path == "" || path == "-" {
		_, err := a.out.Write(data)
		return err
	}
	return writeFile(path, data, force)
}

// readText reads a file, or standard input for "-".
func (a *app) readText(path string) (string, error) {
	var data []byte
	var err error
	if path == "-" {
		data, err = io.ReadAll(a.stdin)
	} else {
		data, err = os.ReadFile(path)
	}
	if errors.Is(err, os.ErrNotExist) {
		return "", trouble("not-found", "%s does not exist", path)
	}
	if err != nil {
		return "", trouble("read", "%s cannot be read: %w", path, err)
	}
	return string(data), nil
}

// suggestFlag adds the nearest option to an "unknown flag" message.
func suggestFlag(cmd *cobra.Command, message string) string {
	_, rest, ok := strings.Cut(message, "unknown flag: --")
	if !ok {
		return ""
	}
	var names []string
	cmd.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, "--"+f.Name) })
	return suggest("--"+rest, names)
}

func editDistance(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := 1; i <= len(a); i++ {
		diag := row[0]
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := diag
			if a[i-1] != b[j-1] {
				cost++
			}
			diag = row[j]
			row[j] = min(cost, row[j]+1, row[j-1]+1)
		}
	}
	return row[len(b)]
}
