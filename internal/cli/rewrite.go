package cli

import (
	"context"
	"fmt"
	"strings"
	"unicode/utf8"

	"dappermirror/internal/core/match"
	"dappermirror/internal/core/words"
	"dappermirror/internal/report"
	"dappermirror/internal/report/view"
	"dappermirror/internal/work"
)

// rewrite brings texts in line with what was chosen, and compares again.
func (a *app) rewrite(ctx context.Context, p *work.Pair, args []string, yes bool) error {
	if a.format != "json" {
		report.List(&a.out, view.Of(view.Found{Comparison: p.Comparison, Choices: p.Choices.Chosen, Likely: p.Comparison.Likely(match.Least)}), a.style(), report.ListOptions{}) // texts have no rows to lose
	}
	if err := a.toSource(ctx, p, args, yes); err != nil {
		return err
	}
	zero := 0
	run := &report.JSONRun{Target: p.Target.Label, Remaining: &zero}
	if len(p.Choices.Open()) == 0 {
		return a.syncDone(run, nil)
	}
	var err error
	if run.Files, err = a.written(ctx, p, yes); err != nil {
		return err
	}
	a.said.Rename = nil // they are carried out
	again, err := a.compare(ctx, args[0], args[1], false, work.ToCompare)
	if err != nil {
		return err
	}
	if *run.Remaining = len(again.Choices.Open()); *run.Remaining > 0 {
		a.exit = exitSafety
	}
	return a.syncDone(run, again)
}

// toSource writes what goes to the source, where that is texts.
func (a *app) toSource(ctx context.Context, p *work.Pair, args []string, yes bool) error {
	if !p.ToSource() {
		return nil
	}
	if !p.Source.Rewritable() {
		a.Note("what goes to the source %s is not done here: script --script-for-source writes a script for it", p.Source.Label)
		return nil
	}
	back, err := a.work.Back(ctx, p, args[0], args[1])
	if err != nil {
		return err
	}
	_, err = a.written(ctx, back, yes)
	return err
}

// written says which files of the target would change, asks, and writes them.
func (a *app) written(ctx context.Context, p *work.Pair, yes bool) ([]report.JSONFile, error) {
	w, err := a.work.Rewrite(ctx, p)
	if err != nil {
		return nil, err
	}
	var list []report.JSONFile
	for _, f := range work.FileChanges(w) {
		list = append(list, report.JSONFile{File: f.Name, Change: f.Change, Objects: f.Objects})
	}
	if a.format != "json" {
		fmt.Fprintf(&a.out, "\n%s in %s\n", a.style().Strong(words.Number(len(list), "file", "files")), report.Safe(p.Target.Label))
		wide := 0
		for _, f := range list {
			wide = max(wide, utf8.RuneCountInString(report.Safe(f.File)))
		}
		for _, f := range list {
			fmt.Fprintf(&a.out, "  %-8s %-*s  %s\n", f.Change, wide, report.Safe(f.File), report.Safe(strings.Join(f.Objects, ", ")))
		}
	}
	if len(list) == 0 {
		return list, nil
	}
	if !yes {
		if err := a.flush(); err != nil {
			return nil, err
		}
		ok, err := a.Confirm(ctx, fmt.Sprintf("Write %s?", words.Number(len(list), "file", "files")))
		if err == nil && !ok {
			err = refusal("declined", "not written: the answer was no")
		}
		if err != nil {
			return nil, err
		}
	}
	return list, a.work.Put(p.Target, w)
}
