package cli

import (
	"context"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappermirror/internal/core/capture"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/words"
	"dappermirror/internal/place"
	"dappermirror/internal/work"
)

func placeLabel(text string) string {
	p, err := place.Resolve(text, place.Options{Create: true})
	if err != nil {
		return "(not understood)"
	}
	return p.Label
}

// compare reads two places and compares them, as far as the options say.
func (a *app) compare(ctx context.Context, source, target string, create bool, extent work.Extent) (*work.Pair, error) {
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
