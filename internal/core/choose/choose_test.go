package choose_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/scope"
)

// side is a catalog of tables with columns, "berth: depth=int beam=real".
func side(lines ...string) *catalog.Catalog {
	c := &catalog.Catalog{Engine: "toy"}
	for _, l := range lines {
		name, cols, _ := strings.Cut(l, ":")
		o := &catalog.Object{Kind: catalog.Table, Name: name, Space: "relation"}
		for _, f := range strings.Fields(cols) {
			col, typ, _ := strings.Cut(f, "=")
			p := &catalog.Object{Kind: catalog.Column, Name: col}
			p.Set("type", catalog.Scalar(typ))
			o.Add(p)
		}
		c.Add(o)
	}
	c.Sort()
	return c
}

func print(c *catalog.Catalog) string {
	var out []string
	for _, o := range c.Objects {
		out = append(out, judge.Fingerprint(o, nil))
	}
	return strings.Join(out, " ")
}

// TestHundredChoicesFromOneComparison: each gives what a fresh comparison
// gives, whatever was chosen before, held back or asked.
func TestHundredChoicesFromOneComparison(t *testing.T) {
	sides := func() (s, t *catalog.Catalog) {
		return side("berth: depth=int beam=real quay=text", "pilot: name=text", "tide: level=int", "vessel: imo=int"), side("berth: depth=text beam=real lamp=int", "pilot: name=text", "tide: level=real", "tug: id=int")
	}
	source, target := sides()
	one := compare.Compare(source, target, compare.Options{})
	r := rand.New(rand.NewPCG(7, 7))
	for range 100 {
		seed := r.Uint64()
		choices := func(cmp *compare.Comparison) *choose.Chosen {
			r := rand.New(rand.NewPCG(seed, 1))
			made := choose.All(cmp)
			decide := func(it *compare.Item) {
				made = made.With(it, choose.Choice{Decision: choose.Decision(r.IntN(3)), Why: choose.Asked})
			}
			for _, it := range cmp.Items {
				if it.Status != compare.Same && r.IntN(2) == 0 {
					decide(it)
				}
				for _, p := range it.Parts {
					if p.Status != compare.Same && r.IntN(2) == 0 {
						decide(p)
					}
				}
			}
			if r.IntN(2) == 0 {
				ref := cmp.Items[r.IntN(len(cmp.Items))].Object().Ref()
				made = made.Hold(func(e *choose.Editor) { e.Hold(ref, choose.Destroys); e.Dependents() })
			}
			return made
		}
		a := choices(one)
		fresh := compare.Compare(source, target, compare.Options{})
		b := choices(fresh)
		if print(a.Target()) != print(b.Target()) || print(a.Source()) != print(b.Source()) || fmt.Sprint(a.Left()) != fmt.Sprint(b.Left()) {
			t.Fatalf("seed %d: chosen from one comparison\n%v\nfrom a fresh one\n%v", seed, a.Left(), b.Left())
		}
		if print(choose.All(one).Target()) != print(choose.All(fresh).Target()) {
			t.Fatal("a choice changed the comparison")
		}
	}
}

// TestBothSides: what goes to the target is there as the source has it, what
// goes to the source as the target has it, and what is left stays on each.
func TestBothSides(t *testing.T) {
	source, target := side("berth: depth=int quay=text", "pilot: name=text"), side("berth: depth=text lamp=int", "tug: id=int")
	cmp := compare.Compare(source, target, compare.Options{})
	find := func(path string) *compare.Item {
		for _, it := range cmp.Items {
			if it.Object().Name == path {
				return it
			}
			for _, p := range it.Parts {
				if it.Object().Name+"."+p.Object().Name == path {
					return p
				}
			}
		}
		t.Fatal(path)
		return nil
	}
	for _, c := range []struct{ choices, target, source string }{
		{"", "berth: depth=int quay=text|pilot: name=text", "berth: depth=int quay=text|pilot: name=text"},
		{"berth>source pilot>source tug>source", "berth: depth=text lamp=int|tug: id=int", "berth: depth=text lamp=int|tug: id=int"},
		{"berth>leave pilot>leave tug>leave", "berth: depth=text lamp=int|tug: id=int", "berth: depth=int quay=text|pilot: name=text"},
		{"berth.depth>source berth.lamp>leave tug>source", "berth: depth=text quay=text lamp=int|pilot: name=text|tug: id=int", "berth: depth=text quay=text|pilot: name=text|tug: id=int"},
	} {
		made := choose.All(cmp)
		for _, ch := range strings.Fields(c.choices) {
			path, to, _ := strings.Cut(ch, ">")
			made = made.With(find(path), choose.Choice{Decision: map[string]choose.Decision{"source": choose.ToSource, "leave": choose.Leave}[to]})
		}
		for what, g := range map[string][2]string{"target": {print(made.Target()), c.target}, "source": {print(made.Source()), c.source}} {
			if want := print(side(strings.Split(g[1], "|")...)); g[0] != want {
				t.Errorf("%q: the %s is not %s", c.choices, what, g[1])
			}
		}
	}
}

// TestWhyNotCounted: every fact that is no part of equality has its reason.
func TestWhyNotCounted(t *testing.T) {
	source, target := side("berth: depth=int", "pilot: name=text", "tug: id=int"), side("berth: depth=int", "pilot: name=text", "tug: id=int")
	berth, other := source.Objects[0], target.Objects[0]
	berth.Carry("sql", catalog.Scalar("CREATE …")).Optional("owner", "owners", catalog.Scalar("me"))
	berth.SetDefect("invalid", true)
	berth.Set("comment", catalog.Scalar("x"))
	berth.SetOrder("column order", []string{"a", "b"})
	other.SetOrder("column order", []string{"a", "c", "b"})
	target.Gaps = []catalog.Gap{{Kind: catalog.Table, Property: "comment", Why: "no right"}}
	only, err := scope.Parse("berth,pilot")
	if err != nil {
		t.Fatal(err)
	}
	sc := scope.Scope{Only: only}
	cmp := compare.Compare(source, target, compare.Options{Scope: sc})
	if cmp.Different() {
		t.Errorf("something counts: %+v", cmp.Differences()[0])
	}
	why := map[string]judge.Verdict{}
	for _, u := range cmp.Judge.Uncounted(source, target) {
		why[strings.TrimSuffix(u.On.String()+" "+u.Fact, " ")] = u.Why
	}
	want := map[string]judge.Verdict{"table:berth sql": judge.Carried, "table:berth owner": judge.NotAsked, "table:berth invalid": judge.Unwished, "table:berth comment": judge.NotSeen,
		"table:berth column order": judge.SameOrder, "table:tug": judge.OutOfScope}
	if fmt.Sprint(why) != fmt.Sprint(want) {
		t.Errorf("reasons\n got %v\nwant %v", why, want)
	}
}
