package work

import (
	"context"
	"errors"
	"path/filepath"
	"slices"
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

// TestOneSource: with several targets the source is read once, and each answer
// is what a comparison of its own gives; an error of one ends it.
func TestOneSource(t *testing.T) {
	servers["one"] = store{"berth": "table id int", "pilot": "table id int"}
	servers["a"] = store{"berth": "table id int"}
	servers["b"] = store{"berth": "table id int", "pilot": "table id int"}
	servers["c"] = store{"berth": "table id text", "tug": "table id int"}
	targets := []string{"toy://a", "toy://b", "toy://c"}
	counts := func(s *Session) []compare.Counts {
		var out []compare.Counts
		for _, target := range targets {
			p, err := s.Compare(t.Context(), "toy://one", target, Comparing{})
			if err != nil {
				t.Fatal(err)
			}
			out = append(out, p.Counts())
		}
		return out
	}
	quiet := func(Event) {}
	want := counts(&Session{Tell: quiet})
	reads = map[string]int{}
	s := &Session{Tell: quiet}
	var got []compare.Counts
	if err := s.CompareEach(t.Context(), "toy://one", targets, Comparing{}, func(p *Pair) error {
		got = append(got, p.Counts())
		if _, err := s.Write(t.Context(), p, &Writing{MayLose: []string{"*"}}); err != nil {
			t.Error(err)
		}
		return nil
	}); err != nil || !slices.Equal(got, want) || reads["one"] != 1 {
		t.Errorf("%v: got %+v, want %+v, read %d times", err, got, want, reads["one"])
	}
	if again := counts(s); !slices.Equal(again, want) {
		t.Errorf("afterwards: got %+v, want %+v", again, want)
	}
	if err := s.CompareEach(t.Context(), "toy://one", []string{"toy://a", "toy://gone"}, Comparing{}, func(*Pair) error { return nil }); err == nil || s.kept["toy://one?"].place != nil {
		t.Errorf("a target that is not there: %v", err)
	}
	if err := s.CompareEach(t.Context(), "toy://one", []string{"toy://a", "toy://one"}, Comparing{}, func(*Pair) error { return nil }); err == nil || !strings.Contains(err.Error(), "same place") {
		t.Errorf("the source as a target: %v", err)
	}
}
