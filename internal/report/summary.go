package report

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/words"
	"dappermirror/internal/report/markdown"
)

// mostSummary is how much a summary in Markdown holds: CI systems take a mebibyte of
// all steps together.
const mostSummary = 200 << 10

// Summary is a run as a CI system shows it: Markdown, in which no name can be more than
// a name.
func Summary(run JSONTaskRun, targets []JSONTarget, ways []JSONWay) string {
	var b strings.Builder
	fmt.Fprintf(&b, "### %s: %s\n\n%s\n\n", markdown.Text("dapper-mirror "+run.Task), markdown.Text(run.Result), markdown.Text(run.Summary))
	if len(targets) > 0 {
		b.WriteString("| target | differs | only source | only target | held back | result |\n|---|--:|--:|--:|--:|---|\n")
	}
	for i, j := range targets {
		if i == 100 {
			fmt.Fprintf(&b, "| and %d more | | | | | |\n", len(targets)-i)
			break
		}
		cells := "| | | |"
		if c := j.Counts; c != nil {
			cells = fmt.Sprintf("%d | %d | %d | %d", c.Differs, c.SourceOnly, c.TargetOnly, j.Held)
		}
		j.Script = ""
		fmt.Fprintf(&b, "| %s | %s | %s |\n", markdown.Text(j.Target), cells, markdown.Text(Shorten(j.outcome(), 200)))
	}
	for _, x := range ways {
		names := named(targets, func(j JSONTarget) bool { return j.Way == x.Number })
		fmt.Fprintf(&b, "\n<details><summary>way %d, %s: %s</summary>\n\n", x.Number, words.Number(x.Targets, "target", "targets"), markdown.Text(words.Join(names, 6)))
		for _, l := range x.Lines {
			fmt.Fprintf(&b, "    %s\n", Safe(strings.ReplaceAll(l, "\t", " ")))
		}
		b.WriteString("\n</details>\n")
		if b.Len() > mostSummary {
			fmt.Fprintf(&b, "\nThe rest is left out: a summary has its size.\n")
			break
		}
	}
	b.WriteString("\n")
	return b.String()
}
