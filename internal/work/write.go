package work

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/script"
)

// Written is a script that was written, and read back.
type Written struct {
	Plan   *order.Plan
	Text   []byte
	Script *script.Script
	Engine engine.Engine
}

// noFile stands in a header for the file of a script that goes elsewhere.
const noFile = "SCRIPT.sql"

func fileName(path string) string {
	if path == "" || path == "-" {
		return noFile
	}
	return path
}

// names are what a script calls its target and its files.
type names struct{ target, arg, client, file, backout string }

func (s *Session) names(p *Pair, w *Writing) names {
	if w.nameless {
		return names{noFile, noFile, noFile, noFile, noFile}
	}
	return names{p.Comparison.Target.Place, s.targetArg(p, w), clientTarget(p), fileName(w.File), w.Backout}
}

// Write plans and writes a script for a pair.
func (s *Session) Write(ctx context.Context, p *Pair, w *Writing) (*Written, error) {
	plan, err := s.Plan(ctx, p, w)
	if err != nil {
		return nil, err
	}
	return s.writePlan(p, plan, w)
}

// writePlan writes the script of a plan.
func (s *Session) writePlan(p *Pair, plan *order.Plan, w *Writing) (*Written, error) {
	eng := p.Target.Engine
	if _, ok := eng.(engine.Roles); w.Role != "" && !ok {
		return nil, Troubled("usage", "--as %s: %s has no roles to act for", w.Role, eng.Title())
	}
	n := s.names(p, w)
	text, err := script.Write(script.Input{Plan: plan, Engine: eng, Source: p.Comparison.Source.Place, Target: n.target,
		Said: w.Said, Groups: groups(p), FileName: n.file, TargetArg: n.arg, ClientTarget: n.client, Role: w.Role, Backout: n.backout, Unasked: w.unasked(p)})
	if err != nil {
		return nil, Refused("not-closed", "%w", err)
	}
	return written(plan, text)
}

// written reads a script back: what is said of it is what stands in it.
func written(plan *order.Plan, text []byte) (*Written, error) {
	sc, eng, err := ReadScript(text)
	if err != nil {
		return nil, err
	}
	return &Written{plan, text, sc, eng}, nil
}

// ReadScript reads a script and finds its engine.
func ReadScript(text []byte) (*script.Script, engine.Engine, error) {
	sc, err := script.Read(string(text))
	if err != nil {
		return nil, nil, Troubled("script", "%w", err)
	}
	eng, err := engine.Named(sc.Meta.Engine)
	if err != nil {
		return nil, nil, Troubled("script", "%w", err)
	}
	return sc, eng, nil
}

// WriteBackout writes the script that undoes a plan.
func (s *Session) WriteBackout(p *Pair, plan *order.Plan, w *Writing) (*Written, error) {
	eng := p.Target.Engine
	permitted, fill, err := permissions(p, w)
	if err != nil {
		return nil, err
	}
	gone := placeholders(plan, eng, fill)
	was, err := p.underOldNames(plan)
	if err != nil {
		return nil, Troubled("names", "the way back: %w", err)
	}
	cmp := compare.Compare(was, plan.Desired, compare.Options{Groups: p.Options.Groups})
	back, err := order.Build(choose.All(cmp), eng.Writer(engine.WriteOptions{Fill: fill, Back: true, AvoidBlocking: w.AvoidBlocking}), func(order.Risk) bool { return true })
	if err != nil {
		return nil, Troubled("order", "the way back: %w", err)
	}
	back.Settle(nil, permitted)
	back.GuardLosses(permitted)
	n := s.names(p, w)
	text, err := script.Write(script.Input{Plan: back, Engine: eng, Source: n.target + ", as it was", Target: n.target, Groups: groups(p), Said: tolerated(w.Said),
		FileName: n.backout, TargetArg: n.arg, ClientTarget: n.client, Role: w.Role, BackOf: n.file, Gone: gone})
	if err != nil {
		return nil, Refused("not-closed", "the way back: %w", err)
	}
	return written(back, text)
}

// underOldNames is the target as it is, known as the plan leaves it: the way back
// gives back the names that things had.
func (p *Pair) underOldNames(plan *order.Plan) (*catalog.Catalog, error) {
	var given []match.Given
	for _, g := range p.Given {
		if g.Rename && plan.Actual.Resolve(g.Target) != nil && plan.Desired.Resolve(g.Source) != nil {
			given = append(given, match.Given{Source: g.Target, Target: g.Source, Rename: true})
		}
	}
	was, err := plan.Actual, error(nil)
	if len(given) > 0 {
		was, err = match.Unify(plan.Actual, plan.Desired, given)
	}
	if len(p.values) == 0 || err != nil {
		return was, err
	}
	was = match.Copy(was)
	for ref, values := range p.values {
		for _, r := range []catalog.Ref{ref, p.ofSource(ref)} {
			if o := was.Find(r); o != nil {
				back := slices.Clone(values)
				slices.Reverse(back) // each pair is turned, and the last comes first
				o.Carry(catalog.Revalued, catalog.List(back...))
			}
		}
	}
	return was, nil
}

// tolerated are the options that say what is tolerated: the way back does not
// bring what differs so either.
func tolerated(said []string) []string {
	var out []string
	for i, s := range said {
		if s == "--tolerate" && i+1 < len(said) {
			out = append(out, s, said[i+1])
		}
	}
	return out
}

// placeholders lists what a plan destroys. A lost column that must hold a value
// gets one until its own are loaded again: it is added to fill, and said.
func placeholders(plan *order.Plan, eng engine.Engine, fill map[catalog.Ref]string) []order.Risk {
	gone := plan.Losses()
	placer, ok := eng.(engine.Placer)
	for i, r := range gone {
		o := plan.Actual.Find(r.On)
		if o == nil || !ok || r.On.PartKind != catalog.Column {
			continue
		}
		col := o.Part(catalog.Column, r.On.Part)
		if col == nil || plan.Desired.Resolve(r.On) != nil || !col.Has("not null") || col.Has("default") || col.Has("identity") || col.Has("generated") {
			continue
		}
		if v := placer.Placeholder(col, plan.Actual); v != "" && fill[r.On] == "" {
			fill[r.On] = v
			gone[i].Text += fmt.Sprintf(" (it holds %s until they are loaded)", v)
		}
	}
	return gone
}

func groups(p *Pair) []string {
	var out []string
	for g := range p.Options.Groups {
		out = append(out, g)
	}
	slices.Sort(out)
	return out
}

// targetArg is what stands for the target in the header's command lines: its
// name, or its address without secrets; "" for what no script runs on.
func (s *Session) targetArg(p *Pair, w *Writing) string {
	if !p.Target.Writable() {
		return ""
	}
	if _, named := s.Places.Names[w.TargetArg]; named {
		return w.TargetArg
	}
	return p.Target.Label
}

// clientTarget is the target as the engine's own client is given it.
func clientTarget(p *Pair) string {
	list := []string{p.Target.Label}
	if c, ok := p.Target.Engine.(engine.ClientSpeller); ok && p.Target.Writable() {
		list = c.ClientWords(p.Target.Address())
	}
	for i, w := range list {
		list[i] = script.Word(w)
	}
	return strings.Join(list, " ")
}

// Losses are what making the target like the source would destroy, by the
// objects that differ.
func (p *Pair) Losses() map[*compare.Item][]order.Risk {
	eng, err := engine.Named(cmp.Or(p.Comparison.Source.Engine, p.Comparison.Target.Engine))
	if err != nil {
		return nil
	}
	return order.Losses(p.Choices.Chosen, eng.Writer(engine.WriteOptions{}))
}

// Definition lays an object out as SQL for people.
func (p *Pair) Definition(o *catalog.Object) string {
	eng, err := engine.Named(p.Comparison.Source.Engine)
	if err != nil {
		return ""
	}
	return eng.Definition(o)
}
