package task

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"os"
	"slices"

	"dappermirror/internal/files"
	"dappermirror/internal/report"
)

// Baseline are differences that are known, by target: what each is recognised by,
// and what it is called.
type Baseline struct {
	Format  string                       `json:"format"`
	Version int                          `json:"version"`
	Task    string                       `json:"task"`
	Targets map[string]map[string]string `json:"targets"`
}

const baselineFormat = "dapper-mirror baseline"

// ReadBaseline reads a baseline. One that is not there knows nothing, and is an
// error: a misspelled name would make everything new.
func ReadBaseline(path string) (*Baseline, error) {
	data, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("the baseline %s is not there; make it with --keep-baseline: %w", path, err)
	}
	if err != nil {
		return nil, fmt.Errorf("the baseline cannot be read: %w", err)
	}
	var b Baseline
	if err := json.Unmarshal(data, &b); err != nil || b.Format != baselineFormat {
		return nil, fmt.Errorf("%s is no baseline", path)
	}
	if b.Version > 1 {
		return nil, fmt.Errorf("the baseline %s was written by a newer program", path)
	}
	return &b, nil
}

// Known makes a baseline of what a run found. What is known of targets that it did
// not reach stays.
func Known(task string, before *Baseline, targets []report.JSONTarget, ways []report.JSONWay) *Baseline {
	b := &Baseline{baselineFormat, 1, task, map[string]map[string]string{}}
	if before != nil {
		maps.Copy(b.Targets, before.Targets)
	}
	for _, j := range targets {
		if j.Counts == nil {
			continue
		}
		prints := map[string]string{}
		for _, d := range differences(j, ways) {
			prints[d.Print] = d.Label()
		}
		b.Targets[j.Target] = prints
	}
	return b
}

// Write writes the baseline, whole or not at all.
func (b *Baseline) Write(path string) error {
	data, err := json.MarshalIndent(b, "", "  ")
	if err != nil {
		return err
	}
	return files.Write(path, append(data, '\n'))
}

// differences are those of a target.
func differences(j report.JSONTarget, ways []report.JSONWay) []report.JSONItem {
	i := slices.IndexFunc(ways, func(w report.JSONWay) bool { return w.Number == j.Way })
	if j.Way == 0 || i < 0 {
		return nil
	}
	return ways[i].Differences
}

// new counts what a target has that the baseline does not know.
func (b *Baseline) new(j report.JSONTarget, ways []report.JSONWay) int {
	n := 0
	for _, d := range differences(j, ways) {
		if _, known := b.Targets[j.Target][d.Print]; !known && d.Choice == "" {
			n++
		}
	}
	return n
}

// Verdict is what a run comes to.
type Verdict struct {
	Result string // done, different or failed
	Exit   int
	New    *int // differences that the baseline does not know; nil without one
}

// order is which of several exit codes counts, the highest first.
var order = []int{130, 4, 2, 3, 1, 0}

// Worse is which of two exit codes counts.
func Worse(a, b int) int {
	for _, c := range order {
		if a == c || b == c {
			return c
		}
	}
	return a
}

// Judge says what a run comes to: when it fails, its task says; what went wrong with
// a target always counts.
func Judge(failOn string, targets []report.JSONTarget, ways []report.JSONWay, known *Baseline) Verdict {
	v := Verdict{}
	news := 0
	for _, j := range targets {
		fresh := 0
		if known != nil {
			fresh = known.new(j, ways)
			news += fresh
		}
		differs := j.Result == report.Differs || j.Result == report.Moved || j.Result == report.HeldBack
		switch {
		case j.Error != nil || j.Result == report.NotBegun:
			v.Exit = Worse(v.Exit, j.Exit)
			if j.Result == report.NotBegun {
				v.Exit = Worse(v.Exit, 2)
			}
			continue
		case !differs:
			continue
		}
		counts := map[string]bool{"differences": true, "losses": j.Losing > 0, "new": fresh > 0}[failOn]
		if counts || failOn == "never" {
			v.Result = "different"
		}
		if counts {
			v.Exit = Worse(v.Exit, max(j.Exit, 1))
		}
	}
	if known != nil {
		v.New = &news
	}
	switch {
	case v.Exit == 2 || v.Exit == 4 || v.Exit == 130 || slices.ContainsFunc(targets, func(j report.JSONTarget) bool { return j.Error != nil }):
		v.Result = "failed"
	case v.Result == "":
		v.Result = "done"
	}
	return v
}
