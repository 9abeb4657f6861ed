package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dappermirror/internal/cli/help"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/impact"
	"dappermirror/internal/core/scope"
	"dappermirror/internal/core/words"
	"dappermirror/internal/report"
)

func (a *app) impactCommand() *cobra.Command {
	var change string
	cmd := &cobra.Command{
		Use:   "impact PLACE OBJECT",
		Short: "Show what depends on a thing, and what it depends on",
		Long: `Reads a place and follows, from one thing of it, what depends on it and what it
depends on itself, as trees with the reasons. The thing is an object or a part,
named as patterns name it (table:berth, column:booking.pilotage).

With --change it says of everything that depends on the thing what a change would
do to it: what would break when the thing is dropped, what would come down and be
put back when its type changes, and what a new name reaches. Nothing is changed.`,
		Example: "  dapper-mirror impact live.db table:berth\n  dapper-mirror impact live.json column:booking.pilotage --change drop\n  dapper-mirror impact live.db table:berth --format dot | dot -Tsvg > berth.svg",
		Args:    cobra.ExactArgs(2),

		ValidArgsFunction: help.CompleteThing,
		RunE: func(cmd *cobra.Command, args []string) error {
			if change != "" && !slices.Contains(impact.Changes, impact.Change(change)) {
				return trouble("usage", "--change %q: it is drop, type or rename", change)
			}
			p, err := a.work.Place(args[0], false)
			if err != nil {
				return err
			}
			structure, err := a.work.Read(cmd.Context(), p)
			if err != nil {
				return err
			}
			ref, err := oneThing(structure, args[1])
			if err != nil {
				return err
			}
			r, err := a.work.Impact(structure, ref, impact.Change(change))
			if err != nil {
				return err
			}
			switch a.format {
			case "json":
				return a.json(func(o *report.Output) { o.Impact = report.ImpactJSON(p.Label, r) })
			case "dot":
				report.ImpactDot(&a.out, r)
			default:
				report.Impact(&a.out, p.Label, r, a.style())
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&change, "change", "", "say what this change would do: drop, type or rename")
	return cmd
}

// oneThing is the one object or part that a pattern names.
func oneThing(c *catalog.Catalog, text string) (catalog.Ref, error) {
	ps, err := scope.Parse(text)
	if err != nil {
		return catalog.Ref{}, trouble("usage", "%w", err)
	}
	var found []catalog.Ref
	var known []string
	for _, o := range c.Objects {
		known = append(known, o.Ref().String())
		if ps[0].MatchSelf(o.Ref(), c.FoldName) {
			found = append(found, o.Ref())
		}
		for _, part := range o.Parts {
			if ps[0].MatchSelf(o.PartRef(part), c.FoldName) {
				found = append(found, o.PartRef(part))
			}
		}
	}
	switch {
	case len(ps) > 1:
		return catalog.Ref{}, trouble("usage", "%q: one thing is wanted", text)
	case len(found) == 0:
		return catalog.Ref{}, trouble("no-match", "%s matches nothing%s; see `dapper-mirror help patterns`", text, words.Suggest(text, known))
	case len(found) > 1:
		if objects := slices.DeleteFunc(slices.Clone(found), func(r catalog.Ref) bool { return r.IsPart() }); len(objects) == 1 && !strings.Contains(text, ":") {
			return objects[0], nil // a bare name is an object's first
		}
		var list []string
		for _, r := range found {
			list = append(list, r.String())
		}
		return catalog.Ref{}, trouble("usage", "%s is several things: %s; say which", text, words.Join(list, 5))
	}
	return found[0], nil
}
