package e2e

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	_ "dappermirror/internal/engine/all"
	"dappermirror/internal/place"
	"dappermirror/internal/script"
)

// readPlace reads a place, and marks the names in it.
func readPlace(t *testing.T, text string) (*catalog.Catalog, engine.Engine) {
	t.Helper()
	p, err := place.Resolve(text, place.Options{})
	if err != nil {
		t.Fatal(err)
	}
	c, err := p.Read(context.Background(), place.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return p.Engine.(engine.Namer).Mark(c), p.Engine
}

// refOf finds a thing by its pattern.
func refOf(t *testing.T, c *catalog.Catalog, pattern string) catalog.Ref {
	t.Helper()
	for _, o := range c.Objects {
		if o.Ref().String() == pattern || o.Kind == catalog.Routine && pattern == "routine:"+o.Schema+"."+o.Bare() {
			return o.Ref()
		}
		for _, p := range o.Parts {
			if o.PartRef(p).String() == pattern {
				return o.PartRef(p)
			}
		}
	}
	t.Fatalf("there is no %s", pattern)
	return catalog.Ref{}
}

// TestRenames: two structures that differ in nothing but names, which are given,
// compare as renames only and are brought in line by renames only, but for the
// texts that the engine keeps as they were written; rows stay where they are.
func TestRenames(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			for _, c := range readPairs(t, filepath.Join("testdata", "renames", e.name+".sql")) {
				t.Run(c.name, func(t *testing.T) {
					p := e.with(t)
					live, dev := p.make(t, c.target), p.make(t, c.source)
					source, eng := readPlace(t, dev)
					target, _ := readPlace(t, live)
					var given []match.Given
					for _, s := range c.says {
						now, was, _ := strings.Cut(s, "=")
						given = append(given, match.Given{Source: refOf(t, source, now), Target: refOf(t, target, was), Rename: true})
					}
					one, err := match.Unify(source, target, given)
					if err != nil {
						t.Fatal(err)
					}
					cmp := compare.Compare(one, target, compare.Options{})
					onlyNames(t, cmp, c.exit != 0)
					plan, err := order.Build(choose.All(cmp), eng.Writer(engine.WriteOptions{}), func(order.Risk) bool { return true })
					if err != nil {
						t.Fatal(err)
					}
					for _, s := range plan.Steps {
						rename := strings.HasPrefix(s.Title, "rename ") || strings.HasPrefix(s.Title, "change the name ")
						kept := s.About.Kind == catalog.View || s.About.Kind == catalog.Routine || s.About.PartKind == catalog.Trigger
						if !rename && !kept && c.exit == 0 {
							t.Errorf("step %d is no rename: %s\n%s", s.Number, s.Title, strings.Join(s.SQL, "\n"))
						}
					}
					text, err := script.Write(script.Input{Plan: plan, Engine: eng, Source: "dev", Target: "live"})
					if err != nil {
						t.Fatal(err)
					}
					file := filepath.Join(t.TempDir(), "up.sql")
					if err := os.WriteFile(file, text, 0o600); err != nil {
						t.Fatal(err)
					}
					if out, err := p.client(live, file); err != nil {
						t.Fatalf("%s\n%s", out, text)
					}
					now, _ := readPlace(t, live)
					for _, it := range compare.Compare(source, now, compare.Options{}).Differences() {
						t.Errorf("%s still differs: %v\n%s", it.Object().Ref(), it.Properties, text)
						for _, part := range it.Changed() {
							t.Errorf("  %s %s %v", part.Status, part.Object().Title(), part.Properties)
						}
					}
					sc, err := script.Read(string(text))
					if err != nil {
						t.Fatal(err)
					}
					if left := sc.Ends(now); len(left) > 0 {
						t.Errorf("not as promised: %v", left)
					}
					for _, q := range c.keep {
						if p.ask(t, live, q) == "" {
							t.Errorf("no rows: %s", q)
						}
					}
				})
			}
		})
	}
}

// onlyNames sees that nothing but names differs, those given and those of parts
// that are known by what they say.
func onlyNames(t *testing.T, cmp *compare.Comparison, more bool) {
	t.Helper()
	check := func(ref catalog.Ref, it *compare.Item) {
		if it.Status != compare.Differs && it.Status != compare.Same && !more {
			t.Errorf("%s is %s", ref, it.Status)
		}
		for _, d := range it.Properties {
			if d.Name != "name" {
				t.Errorf("%s differs in %s:\n%v\n%v", ref, d.Name, d.Source, d.Target)
			}
		}
	}
	for _, it := range cmp.Differences() {
		check(it.Object().Ref(), it)
		for _, p := range it.Changed() {
			check(it.Object().PartRef(p.Object()), p)
		}
	}
}
