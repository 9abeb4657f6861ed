package tasks

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"strings"

	"dappermirror/internal/core/words"
	"dappermirror/internal/report"
)

// system is the CI system whose log this is, "" for none.
func system(annotate string) string {
	switch {
	case annotate != "auto" && annotate != "off":
		return annotate
	case annotate == "off":
		return ""
	case os.Getenv("GITHUB_ACTIONS") == "true":
		return "github"
	case os.Getenv("TF_BUILD") != "":
		return "azure"
	}
	return ""
}

// marking is how a CI system has lines of a log marked.
type marking struct {
	line   func(level, title, text string) string
	escape *strings.Replacer
}

// markings are the systems' own: GitHub, workflow commands for Actions; Azure
// Pipelines, logging commands.
var markings = map[string]marking{
	"github": {func(level, title, text string) string { return fmt.Sprintf("::%s title=%s::%s", level, title, text) },
		strings.NewReplacer("%", "%25", "\r", "%0D", "\n", "%0A", ":", "%3A", ",", "%2C")},
	"azure": {func(level, title, text string) string {
		return fmt.Sprintf("##vso[task.logissue type=%s]%s: %s", level, title, text)
	}, strings.NewReplacer("%", "%AZP25", "\r", "%0D", "\n", "%0A", ";", "%3B", "]", "%5D")},
}

// mostMarks is how many lines are marked; systems show ten of a kind.
const mostMarks = 10

// annotations marks what a run found in the log of a CI system.
func annotations(w io.Writer, system string, run report.JSONTaskRun, targets []report.JSONTarget, ways []report.JSONWay) {
	m, ok := markings[system]
	if !ok {
		return
	}
	n := 0
	mark := func(level, text string) {
		if n++; n <= mostMarks {
			fmt.Fprintln(w, m.line(level, m.escape.Replace("dapper-mirror "+run.Task), m.escape.Replace(report.Safe(text))))
		}
	}
	for _, j := range targets {
		if j.Error != nil {
			mark("error", j.Target+": "+j.Error.Message)
		}
	}
	for _, x := range ways {
		var names, things []string
		for _, j := range targets {
			if j.Way == x.Number && j.Result != report.Done {
				names = append(names, j.Target)
			}
		}
		for _, d := range x.Differences {
			things = append(things, d.Label())
		}
		if len(names) > 0 {
			mark("warning", words.Join(names, 4)+": "+words.Join(things, 8))
		}
	}
}

// Guard is a log that a CI system reads: what looks like a command of the system's, and
// came from a database, is none any more. Commands of our own do not pass through it.
type Guard struct {
	W io.Writer
}

// Write implements io.Writer. Lines come whole.
func (g Guard) Write(p []byte) (int, error) {
	var out bytes.Buffer
	for _, line := range bytes.SplitAfter(p, []byte("\n")) {
		if trimmed := bytes.TrimLeft(line, " \t"); bytes.HasPrefix(trimmed, []byte("::")) {
			out.Write(line[:len(line)-len(trimmed)])
			out.WriteString("> ")
			line = trimmed
		}
		for _, c := range []string{"##[", "##vso["} {
			line = bytes.ReplaceAll(line, []byte(c), []byte("# #"+c[2:]))
		}
		out.Write(line)
	}
	if _, err := g.W.Write(out.Bytes()); err != nil {
		return 0, err
	}
	return len(p), nil
}
