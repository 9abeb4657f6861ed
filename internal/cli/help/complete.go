package help

import (
	"context"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/match"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/settings"
)

// Complete gives every command and option its completion.
func Complete(root *cobra.Command) {
	for _, cmd := range root.Commands() {
		if cmd.ValidArgsFunction == nil && len(cmd.ValidArgs) == 0 && cmd.Runnable() {
			cmd.ValidArgsFunction = completePlaces
		}
		cmd.LocalFlags().VisitAll(func(f *pflag.Flag) { completeFlag(cmd, f) })
	}
	root.PersistentFlags().VisitAll(func(f *pflag.Flag) { completeFlag(root, f) })
}

func completeFlag(cmd *cobra.Command, f *pflag.Flag) {
	called, values := Values(cmd, f.Name)
	var do cobra.CompletionFunc
	switch {
	case called == "PATTERN", f.Name == "pair":
		do = completePatterns
	case f.Name == "rename":
		do = completeRenames
	case f.Name == "fill":
		do = func(cmd *cobra.Command, args []string, to string) ([]string, cobra.ShellCompDirective) {
			var out []string
			for _, c := range things(args, func(k catalog.Kind) bool { return k == catalog.Column }) {
				out = append(out, strings.TrimPrefix(c, "column:")+"=")
			}
			return out, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
		}
	case len(values) > 0:
		do = cobra.FixedCompletions(values, cobra.ShellCompDirectiveNoFileComp)
	default:
		return
	}
	_ = cmd.RegisterFlagCompletionFunc(f.Name, do) // it fails only where it was done before
}

// completePlaces offers the named places, and pairs of them, and leaves files to the shell.
func completePlaces(cmd *cobra.Command, args []string, to string) ([]string, cobra.ShellCompDirective) {
	s, err := settings.Load()
	if err != nil {
		return nil, cobra.ShellCompDirectiveDefault
	}
	var out []string
	for name := range s.Places() {
		if strings.HasPrefix(name, to) {
			out = append(out, name)
		}
	}
	for name := range s.Pairs() {
		if len(args) == 0 && strings.HasPrefix(name, to) && slices.Contains([]string{"compare", "script", "sync"}, cmd.Name()) {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return slices.Compact(out), cobra.ShellCompDirectiveDefault
}

// completeRenames offers the likely renames between the places that were typed
// already, where these are files, and else what patterns offer.
func completeRenames(cmd *cobra.Command, args []string, to string) ([]string, cobra.ShellCompDirective) {
	if sides := readable(args); len(sides) == 2 && sides[0].Engine == sides[1].Engine {
		var out []string
		for _, l := range compare.Compare(sides[0], sides[1], compare.Options{}).Likely(match.Least) {
			out = append(out, strings.TrimPrefix(l.Option(), "--rename "))
		}
		if len(out) > 0 {
			return out, cobra.ShellCompDirectiveNoFileComp
		}
	}
	return completePatterns(cmd, args, to)
}

// CompleteThing offers places, then what patterns of these name.
func CompleteThing(cmd *cobra.Command, args []string, to string) ([]string, cobra.ShellCompDirective) {
	if len(args) == 0 {
		return completePlaces(cmd, args, to)
	}
	return completePatterns(cmd, args, to)
}

// completePatterns offers kinds, then the things of a kind in the places that
// were typed already, where these are files.
func completePatterns(_ *cobra.Command, args []string, to string) ([]string, cobra.ShellCompDirective) {
	kind, _, named := strings.Cut(to, ":")
	if !named {
		var out []string
		for _, e := range engine.All() {
			for _, k := range e.Kinds().List {
				out = append(out, string(k.Kind)+":")
			}
		}
		slices.Sort(out)
		return slices.Compact(out), cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
	}
	return things(args, func(k catalog.Kind) bool { return string(k) == kind }), cobra.ShellCompDirectiveNoFileComp
}

// readable reads the places that are files: completion asks no server.
func readable(places []string) []*catalog.Catalog {
	var out []*catalog.Catalog
	for _, text := range places {
		if strings.Contains(text, "://") {
			continue
		}
		p, err := place.Resolve(text, place.Options{})
		if err != nil || p.Streamed() {
			continue
		}
		if c, err := p.Read(context.Background(), place.Options{}); err == nil {
			out = append(out, c)
		}
	}
	return out
}

// things lists the objects and parts of some kinds in places that are files.
func things(places []string, want func(catalog.Kind) bool) []string {
	var out []string
	for _, c := range readable(places) {
		for _, o := range c.Objects {
			if want(o.Kind) {
				out = append(out, o.Ref().String())
			}
			for _, part := range o.Parts {
				if want(part.Kind) {
					out = append(out, o.PartRef(part).String())
				}
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
