// Package judgement is what a person says about what counts, what is the same
// thing and what to take: the options, spelled the same on every command, and
// what they mean.
package judgement

import (
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dappermirror/internal/choices"
	"dappermirror/internal/cli/help"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/scope"
	"dappermirror/internal/settings"
	"dappermirror/internal/work"
)

// Said is what was said.
type Said struct {
	Swap   bool
	Rename []string

	only, except, include, tolerate []string
	pair                            []string
	toTarget, leave, toSource       []string
	remake                          []string
	choices                         string
	leaveTargetOnly, addNeeded      bool
	emptySource                     bool

	// Of are the places of the settings files, which say for themselves what
	// counts where they take part.
	Of map[string]settings.Place

	taken map[string]bool
	own   []string // what was said of --only when the places were not looked at yet
}

// Taking takes along what the settings files say of places: what does not count
// and what is tolerated is added to what was said; what alone counts is taken
// where nothing was said.
func (j *Said) Taking(places ...string) error {
	if j.taken == nil {
		j.taken, j.own = map[string]bool{}, slices.Clone(j.only)
	}
	for _, name := range places {
		p, ok := j.Of[name]
		if !ok || j.taken[name] {
			continue
		}
		j.taken[name] = true
		j.except = append(j.except, p.Except...)
		j.tolerate = append(j.tolerate, p.Tolerate...)
		if len(j.own) > 0 || len(p.Only) == 0 {
			continue
		}
		if len(j.only) > 0 && !slices.Equal(j.only, p.Only) {
			return work.Troubled("usage", "the places %s say two things of what counts; say it with --only", strings.Join(places, " and "))
		}
		j.only = slices.Clone(p.Only)
	}
	return nil
}

// For is what was said for one of several targets: what the settings files say of it
// and of the source, and what its list says, is said of no other.
func (j *Said) For(source string, t settings.Target) (*Said, error) {
	own := *j
	own.taken, own.Of = nil, j.Of
	for _, list := range []*[]string{&own.only, &own.except, &own.include, &own.tolerate, &own.pair, &own.toTarget, &own.leave, &own.toSource, &own.remake, &own.Rename} {
		*list = slices.Clone(*list)
	}
	own.pair, own.leave, own.Rename = append(own.pair, t.Pair...), append(own.leave, t.Leave...), append(own.Rename, t.Rename...)
	at := t.At
	if t.Name != "" && t.Name != t.At { // its list says what a settings file would
		own.Of = map[string]settings.Place{source: j.Of[source], t.Name: t.Place}
		if _, ok := j.Of[source]; !ok {
			delete(own.Of, source)
		}
		at = t.Name
	}
	return &own, own.Taking(source, at)
}

// Flags adds the options to a command.
func (j *Said) Flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringArrayVar(&j.only, "only", nil, "count only what these patterns match; see help patterns")
	f.StringArrayVar(&j.except, "except", nil, "do not count what these patterns match")
	f.BoolVar(&j.emptySource, "empty-source", false, "the source is meant to be empty")
	f.StringSliceVar(&j.include, "include", nil, "count also what counts only when asked for: "+strings.Join(help.Groups(), ", "))
	f.StringArrayVar(&j.tolerate, "tolerate", nil, "kinds of differences that do not count, NAME or NAME@PATTERN; see tolerances")
	f.StringArrayVar(&j.pair, "pair", nil, "the same thing under two names, which both stay; see help names")
	f.StringArrayVar(&j.Rename, "rename", nil, "what the target calls OLD is the source's NEW: rename it; see help names")
	f.StringArrayVar(&j.toTarget, "to-target", nil, "take only the differences that these patterns match; see help choices")
	f.StringArrayVar(&j.leave, "leave", nil, "leave the differences that these patterns match as they are")
	f.StringArrayVar(&j.toSource, "to-source", nil, "change the source instead where these patterns match")
	f.BoolVar(&j.leaveTargetOnly, "leave-target-only", false, "leave what only the target has")
	f.StringVar(&j.choices, "choices", "", "a file that says what becomes of each difference; compare --choices-out writes one")
	f.BoolVar(&j.addNeeded, "add-needed", false, "take along what a chosen thing needs and was not chosen")
	f.StringArrayVar(&j.remake, "remake", nil, "drop what these patterns match and make it anew")
	f.BoolVar(&j.Swap, "swap", false, "exchange source and target")
}

// Comparing is what was said, understood.
func (j *Said) Comparing() (work.Comparing, error) {
	c := work.Comparing{}
	c.EmptySource = j.emptySource
	opt := &c.Options
	opt.Groups = map[string]bool{}
	for _, g := range j.include {
		if all := help.Groups(); !slices.Contains(all, g) {
			return c, work.Troubled("usage", "--include %q: it is one of %s", g, strings.Join(all, ", "))
		}
		opt.Groups[g] = true
	}
	var err error
	if opt.Scope.Only, err = scope.ParseAll(j.only); err != nil {
		return c, work.Troubled("usage", "--only: %w", err)
	}
	if opt.Scope.Except, err = scope.ParseAll(j.except); err != nil {
		return c, work.Troubled("usage", "--except: %w", err)
	}
	for _, t := range j.tolerate {
		l, err := judge.ParseTolerate(t)
		if err != nil {
			return c, work.Troubled("usage", "--tolerate: %w", err)
		}
		opt.Tolerate = append(opt.Tolerate, l...)
	}
	for i, list := range [][]string{j.pair, j.Rename} {
		for _, text := range list {
			l, err := match.ParseSayings(text, i == 1)
			if err != nil {
				return c, work.Troubled("usage", "--%s: %w", []string{"pair", "rename"}[i], err)
			}
			c.Names = append(c.Names, l...)
		}
	}
	if c.Remake, err = scope.ParseAll(j.remake); err != nil {
		return c, work.Troubled("usage", "--remake: %w", err)
	}
	c.AddNeeded = j.addNeeded
	c.Wishes, err = j.wishes()
	return c, err
}

// wishes are what is to become of the differences.
func (j *Said) wishes() (*choose.Wishes, error) {
	w := &choose.Wishes{}
	if j.choices != "" {
		data, err := os.ReadFile(j.choices)
		if err != nil {
			return nil, work.Troubled("choices", "reading the choices: %w", err)
		}
		if w, err = choices.Read(data); err != nil {
			return nil, work.Troubled("choices", "%s: %w", j.choices, err)
		}
	}
	w.TargetOnlyStays = j.leaveTargetOnly
	for _, x := range []struct {
		texts []string
		d     choose.Decision
	}{{j.toTarget, choose.ToTarget}, {j.leave, choose.Leave}, {j.toSource, choose.ToSource}} {
		ps, err := scope.ParseAll(x.texts)
		if err != nil {
			return nil, work.Troubled("usage", "--%s: %w", x.d, err)
		}
		for _, p := range ps {
			w.Said = append(w.Said, choose.Wish{On: p, Decision: x.d})
		}
	}
	if len(j.toTarget) > 0 && j.choices == "" {
		w.Default = choose.Leave // only what was named
	}
	return w, nil
}

// Words are what was said, as options as they go into a script.
func (j *Said) Words() []string {
	var out []string
	for _, o := range []struct {
		option string
		values []string
	}{{"--only", j.only}, {"--except", j.except}, {"--tolerate", j.tolerate}, {"--pair", j.pair}, {"--rename", j.Rename}, {"--to-target", j.toTarget}, {"--leave", j.leave}, {"--to-source", j.toSource}, {"--remake", j.remake}} {
		for _, v := range o.values {
			out = append(out, o.option, v)
		}
	}
	if j.leaveTargetOnly {
		out = append(out, "--leave-target-only")
	}
	if j.choices != "" {
		out = append(out, "--choices", j.choices)
	}
	return out
}

// Sides are source and target in the order in which they are meant.
func (j *Said) Sides(args []string) []string {
	if j.Swap && len(args) > 1 {
		args = slices.Clone(args)
		args[0], args[1] = args[1], args[0]
	}
	return args
}

// Further is what is said further, besides what was said.
type Further struct {
	// Own says that choices made before count no more: all that count are here.
	Own                               bool
	Leave, ToSource, Rename, Tolerate []string
	AddNeeded                         bool
}

// With is what was said with more.
func (j *Said) With(f Further) *Said {
	out := *j
	if f.Own {
		out.toTarget, out.leave, out.toSource, out.choices, out.leaveTargetOnly = nil, nil, nil, "", false
	}
	out.leave, out.toSource = slices.Concat(out.leave, f.Leave), slices.Concat(out.toSource, f.ToSource)
	out.Rename, out.tolerate = slices.Concat(out.Rename, f.Rename), slices.Concat(out.tolerate, f.Tolerate)
	out.addNeeded = out.addNeeded || f.AddNeeded
	return &out
}
