package tasks

import (
	"bytes"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/report"
)

// TestAnnotations: what is marked in a log stays one line of the system's, and nothing
// that only looks like one gets through.
func TestAnnotations(t *testing.T) {
	hostile := "x\n::error::y, z: 100% ##vso[task.setvariable variable=a]b;c]"
	targets := []report.JSONTarget{{Target: hostile, Result: report.Differs, Way: 1}, {Target: "gone", Result: report.Failed, Error: &report.JSONError{Message: hostile}}}
	ways := []report.JSONWay{{Number: 1, Targets: 1, Differences: []report.JSONItem{{Kind: catalog.Table, Name: hostile, Status: compare.Differs}}}}
	for system, begins := range map[string]string{"github": "::", "azure": "##vso[task.logissue type="} {
		var b bytes.Buffer
		annotations(&b, system, report.JSONTaskRun{Task: "nightly"}, targets, ways)
		lines := strings.Split(strings.TrimSuffix(b.String(), "\n"), "\n")
		if len(lines) != 2 {
			t.Errorf("%s: %d lines: %s", system, len(lines), b.String())
		}
		for _, l := range lines {
			rest, ok := strings.CutPrefix(l, begins)
			if !ok || system == "github" && strings.Count(rest, "::") != 1 || system == "azure" && (strings.Count(rest, "]") != 1 || strings.Contains(rest, ";")) {
				t.Errorf("%s: %q", system, l)
			}
		}
	}
	var many []report.JSONTarget
	for range 50 {
		many = append(many, targets[1])
	}
	var b bytes.Buffer
	annotations(&b, "github", report.JSONTaskRun{}, many, nil)
	if strings.Count(b.String(), "\n") != mostMarks {
		t.Errorf("%d marks", strings.Count(b.String(), "\n"))
	}
	b.Reset()
	for _, l := range []string{"  ::set-output name=a::b\n", "::stop-commands::x\n", "fine :: really\n", "a ##[error]b ##vso[task.complete]\n"} {
		if n, err := (Guard{&b}).Write([]byte(l)); n != len(l) || err != nil {
			t.Errorf("%d %v", n, err)
		}
	}
	for _, l := range strings.Split(b.String(), "\n") {
		if strings.HasPrefix(strings.TrimSpace(l), "::") || strings.Contains(l, "##[") || strings.Contains(l, "##vso[") {
			t.Errorf("%q gets through", l)
		}
	}
	if !strings.Contains(b.String(), "fine :: really\n") {
		t.Errorf("what is harmless is changed: %s", b.String())
	}
	if system("off") != "" || system("github") != "github" {
		t.Error("which system it is")
	}
}
