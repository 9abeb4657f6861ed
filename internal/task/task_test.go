package task

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/report"
	"dappermirror/internal/settings"
)

// found are targets as runs find them: of each the result, the exit code, what would
// be lost and the way in which it differs.
func found(list ...string) (targets []report.JSONTarget, ways []report.JSONWay) {
	for i, l := range list {
		j := report.JSONTarget{Target: fmt.Sprint("t", i), Counts: &compare.Counts{}}
		_, _ = fmt.Sscan(l, &j.Result, &j.Exit, &j.Losing, &j.Way)
		if j.Exit == 2 || j.Exit == 4 || j.Exit == 130 || j.Result == report.Refused {
			j.Error, j.Counts = &report.JSONError{Code: "open", Exit: j.Exit, Message: "the server said Key (id)=(4711) of 'Brine'"}, nil
		}
		targets = append(targets, j)
	}
	for n := 1; n <= 2; n++ {
		ways = append(ways, report.JSONWay{Number: n, Differences: []report.JSONItem{{Kind: catalog.Table, Name: fmt.Sprint("berth", n), Status: compare.Differs, Print: fmt.Sprint("p", n)}}})
	}
	return targets, ways
}

func TestJudge(t *testing.T) {
	targets, ways := found("differs 1 0 1")
	known := Known("nightly", nil, targets, ways)
	for _, c := range []struct {
		list    []string
		results string // exit and result for differences, losses, new, never
	}{
		{nil, "0 done, 0 done, 0 done, 0 done"},
		{[]string{"equal 0 0 0", "done 0 0 1"}, "0 done, 0 done, 0 done, 0 done"},
		{[]string{"differs 1 0 1"}, "1 different, 0 done, 0 done, 0 different"},
		{[]string{"differs 0 0 1"}, "1 different, 0 done, 0 done, 0 different"},
		{[]string{"differs 1 0 2"}, "1 different, 0 done, 1 different, 0 different"},
		{[]string{"equal 0 0 0", "differs 1 0 1"}, "1 different, 0 done, 1 different, 0 different"}, // of another target
		{[]string{"held-back 3 2 1"}, "3 different, 3 different, 0 done, 0 different"},
		{[]string{"differs 1 2 1"}, "1 different, 1 different, 0 done, 0 different"},
		{[]string{"failed 2 0 0", "differs 1 0 2"}, "2 failed, 2 failed, 2 failed, 2 failed"},
		{[]string{"refused 3 0 0"}, "3 failed, 3 failed, 3 failed, 3 failed"},
		{[]string{"uncertain 4 0 0", "failed 2 0 0"}, "4 failed, 4 failed, 4 failed, 4 failed"},
		{[]string{"interrupted 130 0 0", "not-begun 0 0 0"}, "130 failed, 130 failed, 130 failed, 130 failed"},
		{[]string{"equal 0 0 0", "not-begun 0 0 0"}, "2 failed, 2 failed, 2 failed, 2 failed"},
	} {
		targets, ways := found(c.list...)
		var got []string
		for _, rule := range []string{"differences", "losses", "new", "never"} {
			v := Judge(rule, targets, ways, known)
			got = append(got, fmt.Sprintf("%d %s", v.Exit, v.Result))
		}
		if strings.Join(got, ", ") != c.results {
			t.Errorf("%v: %s, want %s", c.list, strings.Join(got, ", "), c.results)
		}
	}
	// A baseline keeps what is known of those that were not reached.
	targets, ways = found("failed 2 0 0", "differs 1 0 2")
	now := Known("nightly", known, targets, ways)
	if now.Targets["t0"]["p1"] == "" || now.Targets["t1"]["p2"] == "" {
		t.Errorf("%v", now.Targets)
	}
	path := filepath.Join(t.TempDir(), "b.json")
	if err := now.Write(path); err != nil {
		t.Fatal(err)
	}
	if b, err := ReadBaseline(path); err != nil || len(b.Targets) != 2 {
		t.Errorf("%v %v", b, err)
	}
	for text, says := range map[string]string{"{}": "is no baseline", "": "is no baseline", `{"format":"dapper-mirror baseline","version":9}`: "newer program"} {
		_ = os.WriteFile(path, []byte(text), 0o644)
		if _, err := ReadBaseline(path); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", text, err)
		}
	}
	if _, err := ReadBaseline(path + "x"); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("one that is not there: %v", err)
	}
}

// TestLetter: a letter holds what a server said only where that is asked for, and no
// name in it can be more than a name.
func TestLetter(t *testing.T) {
	targets, ways := found("failed 2 0 0", "refused 3 0 0")
	targets[0].Target, targets[1].Detail = "a\r\nBcc: all@quillhaven.example", "row 4711"
	for _, list := range [][]report.JSONTarget{targets, targets[:1], nil} {
		run := report.JSONTaskRun{Task: "nightly", Number: 3, Result: "failed", State: report.Ended, Summary: Summary(list, ways, nil) + " 4711", Error: &report.JSONError{Message: "password of 4711"}}
		l := Letter(run, list, ways, false)
		all := l.Subject + l.Text + string(l.Payload) + string(l.Report)
		if strings.Contains(all, "4711") || strings.Contains(all, "Brine") || !strings.Contains(all, "the log of the run says why") || strings.ContainsAny(l.Subject, "\r\n") || !json.Valid(l.Payload) {
			t.Errorf("a letter says %s", all)
		}
		if full := Letter(run, list, ways, true); !strings.Contains(full.Text, "4711") || full.ID != l.ID {
			t.Errorf("one that may: %s", full.Text)
		}
	}
}

// TestStore: runs are numbered, pruned and read again, whatever else lies there.
func TestStore(t *testing.T) {
	dir := t.TempDir()
	s := Of(settings.Task{Name: "every: night", File: filepath.Join(dir, "dapper-mirror.yaml")})
	begin := func(share string) *Run {
		r, err := s.Begin(settings.Task{Name: "every: night", FailOn: "never"}, share, time.Now())
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	targets, ways := found("differs 1 0 1")
	for range 5 {
		r := begin("")
		if _, err := s.Begin(settings.Task{}, "", time.Now()); err == nil || !strings.Contains(err.Error(), "is at work") {
			t.Fatalf("two at once: %v", err)
		}
		other := begin("1/2")
		if err := errors.Join(other.End(report.Output{}, time.Now()), r.End(report.Output{Targets: targets, Ways: ways}, time.Now())); err != nil {
			t.Fatal(err)
		}
	}
	for name, text := range map[string]string{"000011": "", "000012": "not a run", "000013": `{"format":"dapper-mirror","version":99,"task_run":{}}`} {
		_ = os.MkdirAll(filepath.Join(s.dir, name), 0o755)
		_ = os.WriteFile(filepath.Join(s.dir, name, runFile), []byte(text), 0o644)
	}
	_ = os.WriteFile(filepath.Join(s.dir, "99"), nil, 0o644)
	if n, died := len(s.List()), len(s.Died()); n != 13 || died != 3 {
		t.Errorf("%d runs, %d died", n, died)
	}
	if o, err := s.Get(1); err != nil || len(o.Targets) != 1 || len(o.Ways) != 2 {
		t.Errorf("%+v %v", o, err)
	}
	if n, err := s.Prune(t.Context(), "4 newest"); err != nil || n != 9 || len(s.List()) != 4 {
		t.Errorf("%d dropped, %v, %d left", n, err, len(s.List()))
	}
	if _, err := s.Get(2); err == nil || !strings.Contains(err.Error(), "10 to 13") {
		t.Errorf("one that was dropped: %v", err)
	}
	if r := begin(""); r.Number != 14 {
		t.Errorf("the next is %d", r.Number)
	}
}

// TestMerge: parts of one piece of work, put together.
func TestMerge(t *testing.T) {
	part := func(share string, exit int, list ...string) report.Output {
		o := report.Output{TaskRun: &report.JSONTaskRun{Task: "nightly", Share: share, Exit: exit, State: report.Ended}}
		o.Targets, o.Ways = found(list...)
		for i := range o.Targets {
			o.Targets[i].Target += " of " + share
		}
		return o
	}
	m, err := Merge([]report.Output{part("2/3", 1, "differs 1 0 1", "differs 1 0 2"), part("1/3", 0, "equal 0 0 0"), part("3/3", 1, "differs 1 0 2")})
	if err != nil || m.Exit != 1 || len(m.Targets) != 4 || len(m.Ways) != 2 || m.Ways[1].Targets != 2 || len(m.Missing)+len(m.Twice) > 0 {
		t.Errorf("%+v %v", m, err)
	}
	if m, err := Merge([]report.Output{part("3/3", 0, "equal 0 0 0"), part("3/3", 0, "equal 0 0 0")}); err != nil || m.Exit != 2 || strings.Join(m.Missing, " ") != "1/3 2/3" || len(m.Twice) != 1 {
		t.Errorf("%+v %v", m, err)
	}
	for _, bad := range [][]report.Output{nil, {part("1/2", 0), part("1/3", 0)}, {part("x/y", 0)}, {part("1/999999999", 0)}, {part("1/2", 0), {TaskRun: &report.JSONTaskRun{Task: "other", State: report.Ended}}}} {
		if _, err := Merge(bad); err == nil {
			t.Errorf("%v is put together", bad)
		}
	}
	// What nobody here wrote.
	var b bytes.Buffer
	path := filepath.Join(t.TempDir(), "x.json")
	for _, text := range []string{"", "null", "[]", `{"format":"dapper-mirror","version":1,"targets":[{"target":"a","way":7}],"ways":[{"number":-1},{"number":7},{"number":7}]}`, `{"format":"dapper-mirror","version":1,"task_run":null}`} {
		_ = os.WriteFile(path, []byte(text), 0o644)
		if list, err := Found([]string{path}); err == nil {
			if m, err := Merge(list); err == nil {
				report.Matrix(&b, m.Targets, m.Ways, nil, report.Style{Width: 80})
			}
		}
	}
	if !strings.Contains(b.String(), "1 target") {
		t.Errorf("says %s", b.String())
	}
}
