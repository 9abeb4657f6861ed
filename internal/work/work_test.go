package work

import (
	"context"
	"errors"
	"path/filepath"
	"strings"
	"testing"

	"dappermirror/internal/core/compare"
	"dappermirror/internal/script"
)

// TestAnEngineInMemory: an engine that nobody outside its file knows goes the
// whole way: compare, plan, script, check, rehearse, apply, compare again; what
// would lose something is held back, and what happens is told as events.
func TestAnEngineInMemory(t *testing.T) {
	servers["dev"] = store{"berth": "table id int, depth real", "pilot": "table id int", "deep": "view berth", "quay": "table id int"}
	servers["live"] = store{"berth": "table id int, lamp int", "pilot": "view berth", "quay": "table id int", "tug": "table id int"}
	var told []string
	s := &Session{Tell: func(e Event) {
		switch e := e.(type) {
		case BothRead:
			told = append(told, "read")
		case StepBegun:
			told = append(told, e.Title)
		}
	}}
	ctx := context.Background()
	pair, err := s.Compare(ctx, "toy://dev", "toy://live", Comparing{Extent: ToScript})
	if err != nil {
		t.Fatal(err)
	}
	if n := pair.Counts(); n.Same != 1 || n.Differs != 1 || n.SourceOnly != 2 || n.TargetOnly != 2 || len(pair.Losses()) != 2 {
		t.Errorf("counts %+v, losing %d", n, len(pair.Losses()))
	}
	careful, err := s.Write(ctx, pair, &Writing{})
	if err != nil || len(careful.Plan.HeldBecause) != 2 || !strings.Contains(string(careful.Text), "held back") {
		t.Fatalf("%v: held back %+v", err, careful)
	}
	made, err := s.Write(ctx, pair, &Writing{MayLose: []string{"*"}, TargetArg: "live"})
	if err != nil {
		t.Fatal(err)
	}
	res, err := s.Rehearse(ctx, made.Script, nil, made.Engine, pair.Target, made.Plan.Actual, made.Plan.Desired, Rehearsal{})
	if err != nil || !res.Passed() || servers["scratch"] != nil {
		t.Fatalf("rehearsed: %+v %v", res, err)
	}
	if _, fit, err := s.Fit(ctx, made.Script, pair.Target); err != nil || len(fit.Moves) > 0 || fit.Done {
		t.Errorf("it does not fit: %+v %v", fit, err)
	}
	run := Running{File: filepath.Join(t.TempDir(), "up.sql"), Approve: func(_ context.Context, a Approval) error {
		if a.Steps != made.Script.Meta.Steps || len(a.Losses) != 2 {
			t.Errorf("approved: %+v", a)
		}
		return nil
	}}
	if n, err := s.Apply(ctx, made.Script, made.Engine, pair.Target, run); err != nil || n != len(made.Plan.Steps) || !s.HasRun() || s.Changing() {
		t.Fatalf("applied %d: %v", n, err)
	}
	if len(told) < n0(made) || told[0] != "read" {
		t.Errorf("told %v", told)
	}
	again, err := s.Compare(ctx, "toy://dev", "toy://live", Comparing{})
	if err != nil || again.Different() {
		t.Errorf("%v: still different: %v %v", err, servers["live"], servers["dev"])
	}
	servers["live"]["berth"] = "table id text"
	var moved *script.MovedError
	if _, err := s.Apply(ctx, made.Script, made.Engine, pair.Target, run); !errors.As(err, &moved) {
		t.Errorf("a target that moved: %v", err)
	}
}

func n0(w *Written) int { return len(w.Plan.Steps) + 1 }

// TestEach: with several targets the source is read once, each answer is what a
// comparison of its own gives, and what goes wrong with one is its own.
func TestEach(t *testing.T) {
	servers["one"] = store{"berth": "table id int", "pilot": "table id int"}
	servers["a"] = store{"berth": "table id int"}
	servers["b"] = store{"berth": "table id int", "pilot": "table id int"}
	servers["c"] = store{"berth": "table id text", "tug": "table id int"}
	var targets []Target
	for _, n := range []string{"a", "gone", "b", "c", "one", "again"} {
		targets = append(targets, Target{n, "toy://" + strings.Replace(n, "again", "a", 1)})
	}
	counts := func(s *Session, at string) compare.Counts {
		p, err := s.Compare(t.Context(), "toy://one", at, Comparing{})
		if err != nil {
			t.Fatal(err)
		}
		return p.Counts()
	}
	want := map[string]compare.Counts{}
	for _, n := range []string{"a", "b", "c"} {
		want[n] = counts(&Session{Tell: func(Event) {}}, "toy://"+n)
	}
	for _, c := range []struct {
		parallel int
		stop     bool
	}{{1, false}, {3, false}, {1, true}} {
		reads = map[string]int{}
		told := map[string]bool{}
		s := &Session{Tell: func(e Event) {
			if of, ok := e.(OfTarget); ok {
				told[of.Target] = true
			}
		}}
		got := make([]compare.Counts, len(targets))
		begun, ended := 0, 0
		errs, err := s.Each(t.Context(), "toy://one", targets, Many{Parallel: c.parallel, StopOnFailure: c.stop, Begun: func(int) { begun++ }, Ended: func(int, error) { ended++ }},
			func(ctx context.Context, s *Session, i int) error {
				d, err := s.Do(ctx, "toy://one", targets[i].At, Job{Write: &Writing{MayLose: []string{"*"}}, Share: true})
				if d.Pair != nil {
					got[i] = d.Pair.Counts()
				}
				return err
			})
		if err != nil || reads["one"] != 1 || begun != ended || s.was("toy://one?").place != nil {
			t.Errorf("%+v: %v, read %d times, %d begun, %d ended", c, err, reads["one"], begun, ended)
		}
		if c.stop {
			if errs[0] != nil || errs[1] == nil || !errors.Is(errs[2], ErrNotBegun) || begun != 2 {
				t.Errorf("after a failure: %v", errs)
			}
			continue
		}
		for i, n := range []string{"a", "", "b", "c"} {
			if n != "" && (errs[i] != nil || got[i] != want[n] || !told[n]) {
				t.Errorf("%s: %v, %+v, want %+v", n, errs[i], got[i], want[n])
			}
		}
		twice := []error{errs[0], errs[5]} // whichever came second
		if errs[1] == nil || errs[4] == nil || !strings.Contains(errs[4].Error(), "same place") || c.parallel == 1 && (twice[0] != nil || !strings.Contains(twice[1].Error(), "which is a target too")) {
			t.Errorf("%+v: %v", c, errs)
		}
	}
	over, cancel := context.WithCancel(t.Context())
	errs, err := (&Session{Tell: func(Event) {}}).Each(over, "", targets, Many{Parallel: 1, Begun: func(int) {}, Ended: func(int, error) {}}, func(context.Context, *Session, int) error {
		cancel()
		return nil
	})
	if err != nil || errs[0] != nil || !errors.Is(errs[1], ErrNotBegun) {
		t.Errorf("called off after the first: %v %v", err, errs)
	}
}
