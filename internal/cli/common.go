package cli

import (
	"bytes"
	"context"
	"io"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappermirror/internal/cli/judgement"
	"dappermirror/internal/cli/tasks"
	"dappermirror/internal/core/capture"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/words"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/settings"
	"dappermirror/internal/work"
)

// desk is the application as the commands about its project see it.
type desk struct{ *app }

// Settings implements project.App.
func (d desk) Settings() *settings.Settings { return d.settings }

// Work implements project.App.
func (d desk) Work() *work.Session { return d.work }

// Out implements project.App.
func (d desk) Out() *bytes.Buffer { return &d.out }

// Style implements project.App.
func (d desk) Style() report.Style { return d.style() }

// JSON implements project.App.
func (d desk) JSON() bool { return d.format == "json" }

// WriteJSON implements project.App.
func (d desk) WriteJSON(fill func(*report.Output)) error { return d.json(fill) }

// Said implements many.App.
func (d desk) Said() *judgement.Said { return &d.said }

// Stdin implements many.App.
func (d desk) Stdin() io.Reader { return d.stdin }

// Ends implements many.App.
func (d desk) Ends(code int) { d.exit = worse(d.exit, code) }

// Failing implements many.App.
func (d desk) Failing(ctx context.Context, err error) report.JSONError { return d.failing(ctx, err) }

// Reports implements many.App.
func (d desk) Reports() bool { return d.reports.Wanted() }

// Reported implements many.App.
func (d desk) Reported(fill func(*report.Output)) error { return d.reported(fill) }

// Rewire implements tasks.App.
func (d desk) Rewire() { d.wire() }

// Flush implements tasks.App.
func (d desk) Flush() error { return d.flush() }

// Stderr implements tasks.App.
func (d desk) Stderr() io.Writer { return d.stderr }

// Guarded implements tasks.App.
func (d desk) Guarded(system string) io.Writer {
	if g, is := d.stderr.(tasks.Guard); is {
		return g.W
	}
	log := d.stderr
	if system != "" {
		d.stderr = tasks.Guard{W: d.stderr}
		if d.format != "json" {
			d.stdout = tasks.Guard{W: d.stdout}
		}
	}
	return log
}

// Compare implements project.App.
func (d desk) Compare(ctx context.Context, source, target string, detail bool, out *[]report.JSONComparison) error {
	p, err := d.compare(ctx, source, target, false, work.ToCompare)
	if err != nil {
		return err
	}
	if len(p.Choices.Open()) > 0 {
		d.exit = worse(d.exit, exitDifferent)
	}
	return d.compared(p, detail, false, false, nil, out, len(*out))
}

// named are the places of the settings files as they are resolved.
func named(s *settings.Settings) map[string]place.Named {
	out := map[string]place.Named{}
	for name, p := range s.Places() {
		out[name] = p.Named()
	}
	return out
}

// sides are the places that were typed, or those of a pair of the settings
// files: the one that was named, or the default.
func (a *app) sides(cmd *cobra.Command, args []string) ([]string, error) {
	pairs := a.settings.Pairs()
	switch {
	case len(args) > 1:
		return args, nil
	case len(args) == 1 && cmd.Flags().Changed("targets"): // which has the other side
		return args, nil
	case len(args) == 0:
		if p, ok := pairs[settings.DefaultPair]; ok {
			return []string{p.Source, p.Target}, nil
		}
		if len(pairs) == 1 {
			for _, p := range pairs {
				return []string{p.Source, p.Target}, nil
			}
		}
		return nil, trouble("usage", "give a source and a target, or name them in %s (pairs: default:); see `%s --help`", settings.ProjectFile, cmd.CommandPath())
	}
	if p, ok := pairs[args[0]]; ok {
		return []string{p.Source, p.Target}, nil
	}
	return nil, trouble("usage", "%q is no pair of places of %s%s; give a source and a target", args[0], settings.ProjectFile, words.Suggest(args[0], slices.Collect(maps.Keys(pairs))))
}

// compare reads two places and compares them, as far as the options say.
func (a *app) compare(ctx context.Context, source, target string, create bool, extent work.Extent) (*work.Pair, error) {
	if err := a.said.Taking(source, target); err != nil {
		return nil, err
	}
	c, err := a.said.Comparing()
	if err != nil {
		return nil, err
	}
	c.Extent, c.Create = extent, create
	return a.work.Compare(ctx, source, target, c)
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
