package task

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"

	"dappermirror/internal/core/words"
	"dappermirror/internal/files"
	"dappermirror/internal/message"
	"dappermirror/internal/report"
	"dappermirror/internal/report/formats"
)

// letter is a run as programs are told of it. Changes within a version only add.
type letter struct {
	Format  string              `json:"format"`
	Version int                 `json:"version"`
	Run     report.JSONTaskRun  `json:"run"`
	Targets []report.JSONTarget `json:"targets"`
	Ways    []report.JSONWay    `json:"ways"`
}

// silent is what is said of an error whose own words may hold values of rows: those
// of a server do.
var silent = map[report.Result]string{
	report.Refused: "it was refused; the log of the run says why", report.Failed: "it failed; the log of the run says why",
	report.Uncertain: "its state is not known; the log of the run says more", report.Interrupted: "it was interrupted",
}

// Letter is what people are told of a run. Without rowValues it holds nothing that a
// server said: only names, kinds, counts and codes.
func Letter(run report.JSONTaskRun, targets []report.JSONTarget, ways []report.JSONWay, rowValues bool) message.Letter {
	run.Messages = nil
	ways = report.Brief(ways) // a definition may hold what is nobody's business
	list := make([]report.JSONTarget, len(targets))
	copy(list, targets)
	if !rowValues {
		for i, j := range list {
			if j.Error != nil {
				list[i].Error = &report.JSONError{Code: j.Error.Code, Exit: j.Error.Exit, Message: silent[j.Result]}
			}
			list[i].Detail = ""
		}
		if len(list) > 0 {
			run.Summary = Summary(list, ways, run.New)
		}
		if run.Error != nil {
			run.Error = &report.JSONError{Code: run.Error.Code, Exit: run.Error.Exit, Message: silent[report.Failed]}
			run.Summary = run.Error.Message
		}
	}
	var payload bytes.Buffer
	enc := json.NewEncoder(&payload)
	enc.SetEscapeHTML(false)
	_ = enc.Encode(letter{"dapper-mirror message", 1, run, list, ways})                                                // plain structs always encode
	page, _ := formats.Render("report.html", report.Output{Command: "task", TaskRun: &run, Targets: list, Ways: ways}) // it always renders
	var body strings.Builder
	fmt.Fprintf(&body, "%s\n\n", report.Safe(run.Summary))
	report.Run(&body, report.Output{TaskRun: &run, Targets: list, Ways: ways}, report.Style{Width: 100, Whole: true})
	return message.Letter{
		ID: fmt.Sprintf("%s-%d-%s", files.Safe(run.Task), run.Number, strings.Map(digitsOnly, run.Began)), Task: run.Task, Run: run.Number, Result: run.Result,
		Subject: Subject(run), Text: strings.ReplaceAll(body.String(), "\r", ""), Payload: payload.Bytes(), Report: page,
	}
}

func digitsOnly(r rune) rune {
	if r >= '0' && r <= '9' {
		return r
	}
	return -1
}

// Subject is a run in a line.
func Subject(run report.JSONTaskRun) string {
	return report.Safe(fmt.Sprintf("%s %s: %s", run.Task, run.Result, run.Summary))
}

// Trial is what a way of being told is tried with.
func Trial(task string) message.Letter {
	run := report.JSONTaskRun{Task: task, Result: "done", State: report.Ended, Summary: "this is a test: nothing was compared"}
	return Letter(run, nil, nil, false)
}

// Summary is what a run found, in one line; news are new differences, nil where there
// is no baseline.
func Summary(targets []report.JSONTarget, ways []report.JSONWay, news *int) string {
	text := report.Sum(targets, ways)
	if len(targets) == 1 {
		text = targets[0].Target + ": " + targets[0].Line()
	}
	if news != nil {
		text += "; " + words.Number(*news, "new difference", "new differences")
	}
	return text
}
