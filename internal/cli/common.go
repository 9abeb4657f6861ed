package cli

import (
	"context"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappermirror/internal/cli/help"
	"dappermirror/internal/core/capture"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/scope"
	"dappermirror/internal/core/words"
	"dappermirror/internal/place"
	"dappermirror/internal/work"
)

// scopeFlags adds what says what counts.
func (a *app) scopeFlags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringArrayVar(&a.scopeOnly, "only", nil, "count only what these patterns match; see help patterns")
	f.StringArrayVar(&a.scopeExcept, "except", nil, "do not count what these patterns match")
	f.BoolVar(&a.emptySource, "empty-source", false, "the source is meant to be empty")
	f.StringSliceVar(&a.with, "include", nil, "count also what counts only when asked for: "+strings.Join(help.Groups(), ", "))
}

func (a *app) options() (compare.Options, error) {
	opt := compare.Options{Groups: map[string]bool{}}
	for _, g := range a.with {
		if all := help.Groups(); !slices.Contains(all, g) {
			return opt, trouble("usage", "--include %q: it is one of %s", g, strings.Join(all, ", "))
		}
		opt.Groups[g] = true
	}
	var err error
	if opt.Scope.Only, err = scope.ParseAll(a.scopeOnly); err != nil {
		return opt, trouble("usage", "--only: %w", err)
	}
	if opt.Scope.Except, err = scope.ParseAll(a.scopeExcept); err != nil {
		return opt, trouble("usage", "--except: %w", err)
	}
	return opt, nil
}

// scopeWords are the options of the scope as they go into a script.
func (a *app) scopeWords() []string {
	var out []string
	for _, p := range a.scopeOnly {
		out = append(out, "--only", p)
	}
	for _, p := range a.scopeExcept {
		out = append(out, "--except", p)
	}
	return out
}

func placeLabel(text string) string {
	p, err := place.Resolve(text, place.Options{Create: true})
	if err != nil {
		return "(not understood)"
	}
	return p.Label
}

// compare reads two places and compares them, as far as the options say.
func (a *app) compare(ctx context.Context, source, target string, create bool, extent work.Extent) (*work.Pair, error) {
	opt, err := a.options()
	if err != nil {
		return nil, err
	}
	return a.work.Compare(ctx, source, target, work.Comparing{Options: opt, Extent: extent, EmptySource: a.emptySource, Create: create})
}

// writeResult writes a result to a file, or to standard output for "" and "-".
func (a *app) writeResult(path string, data []byte, force bool) error {
	if path == "" || path == "-" {
		_, err := a.out.Write(data)
		return err
	}
	return work.WriteFile(path, data, force)
}

// writeCapture writes a structure to a file, or to standard output for "" and "-".
func (a *app) writeCapture(path string, c *catalog.Catalog, force bool) error {
	if path != "" && path != "-" {
		return work.Keep(place.Capture(path), c, force)
	}
	if err := capture.Encode(&a.out, c); err != nil {
		return trouble("capture", "%w", err)
	}
	return nil
}

// suggestFlag adds the nearest option to an "unknown flag" message.
func suggestFlag(cmd *cobra.Command, message string) string {
	_, rest, ok := strings.Cut(message, "unknown flag: --")
	if !ok {
		return ""
	}
	var names []string
	cmd.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, "--"+f.Name) })
	return words.Suggest("--"+rest, names)
}
