package project

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/words"
	"dappermirror/internal/history"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/work"
)

func (a *commands) History() *cobra.Command {
	var prune, detail bool
	var keep string
	cmd := &cobra.Command{
		Use:   "history [NAME | NAME@FROM..TO]",
		Short: "List the captures of a named place, and what changed between them",
		Long: `Lists the captures of a named place that capture --to-history kept: number, date,
note, what was in it, and how alike it is to the one before. With a range it says
what changed from each to the next. Without a name it lists the places that have a
history.

A capture is a place: NAME@3, NAME@latest, NAME@2026-11-01 (as it was at the end of
that day), NAME@friday (the last one). So what changed since Friday is

  dapper-mirror compare live live@friday

which lists what live has now beside what it had then. The captures are kept beside
the settings file that names the place, in .dapper-mirror/history. --prune drops
what the rule of --history-keep does not keep; what has a note stays.`,
		Example: "  dapper-mirror history live\n  dapper-mirror history live@3..5\n  dapper-mirror history live --prune --history-keep '20 newest, 30 daily'",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return a.histories()
			}
			name, ends, ranged := strings.Cut(args[0], "@")
			store, err := a.history(name)
			if err != nil {
				return err
			}
			if prune {
				gone, err := store.Prune(cmd.Context(), keep)
				if err != nil {
					return work.Troubled("history", "%w", err)
				}
				if keep == "" {
					return work.Troubled("usage", "--prune wants a rule: --history-keep '20 newest, 30 daily', or history-keep in the settings")
				}
				a.Note("%s dropped", words.Number(len(gone), "capture was", "captures were"))
			}
			if ranged {
				return a.changes(cmd.Context(), name, ends, store, detail)
			}
			list, err := store.List()
			if err != nil {
				return work.Troubled("history", "%w", err)
			}
			if a.JSON() {
				return a.WriteJSON(func(o *report.Output) { o.History = historyJSON(list) })
			}
			if len(list) == 0 {
				fmt.Fprintf(a.Out(), "%s has no history yet; `dapper-mirror capture %s --to-history` begins one.\n", report.Safe(name), report.Safe(name))
			}
			report.History(a.Out(), historyJSON(list), a.Style())
			return nil
		},
	}
	cmd.Flags().BoolVar(&prune, "prune", false, "drop what --history-keep does not keep")
	cmd.Flags().BoolVar(&detail, "detail", false, "with a range: show each differing object closely")
	KeepFlag(cmd, &keep)
	return cmd
}

// KeepFlag adds the option that says what of a history is kept.
func KeepFlag(cmd *cobra.Command, keep *string) {
	cmd.Flags().StringVar(keep, "history-keep", "", "which captures of a history are kept, as '20 newest, 30 daily, 24 monthly'; all, where nothing is said")
}

// history is the one of a named place.
func (a *commands) history(name string) (*history.Store, error) { return historyOf(a.Work(), name) }

func historyOf(s *work.Session, name string) (*history.Store, error) {
	n, ok := s.Places.Names[name]
	if !ok {
		var known []string
		for k := range s.Places.Names {
			known = append(known, k)
		}
		return nil, work.Troubled("no-match", "a history is of a named place, and no settings file names %q%s; see `dapper-mirror help places`", name, words.Suggest(name, known))
	}
	return history.Of(n.Folder, name), nil
}

func historyJSON(list []history.Entry) []report.JSONHistory {
	out := []report.JSONHistory{}
	for _, e := range list {
		j := report.JSONHistory{Number: e.Number, Date: e.Date.Format(time.RFC3339), Seen: e.Seen.Format(time.RFC3339), Note: e.Note, Server: e.Server, Counts: e.Counts, Fingerprint: e.Fingerprint}
		if e.Alike != nil {
			alike := float64(*e.Alike) / 10
			j.Alike = &alike
		}
		out = append(out, j)
	}
	return out
}

// histories lists the places that have one.
func (a *commands) histories() error {
	var rows []report.JSONHistory
	for _, name := range slices.Sorted(maps.Keys(a.Work().Places.Names)) {
		list, err := history.Of(a.Work().Places.Names[name].Folder, name).List()
		if err != nil {
			return work.Troubled("history", "%w", err)
		}
		if len(list) > 0 {
			j := historyJSON(list[len(list)-1:])[0]
			j.Place, j.Captures = name, len(list)
			rows = append(rows, j)
		}
	}
	if a.JSON() {
		return a.WriteJSON(func(o *report.Output) { o.History = rows })
	}
	if len(rows) == 0 {
		fmt.Fprintln(a.Out(), "No place has a history yet; `dapper-mirror capture NAME --to-history` begins one.")
	}
	for _, r := range rows {
		fmt.Fprintf(a.Out(), "%-14s %s, the newest of %s\n", report.Safe(r.Place), words.Number(r.Captures, "capture", "captures"), report.Day(r.Date))
	}
	return nil
}

// changes says what changed from each capture of a range to the next.
func (a *commands) changes(ctx context.Context, name, ends string, store *history.Store, detail bool) error {
	first, last, ok := strings.Cut(ends, "..")
	if !ok {
		return work.Troubled("usage", "give a range as %s@3..5, or compare two places: compare %s@latest %s@%s", name, name, name, ends)
	}
	from, err := store.Find(first, time.Now())
	if err == nil && last == "" {
		last = "latest"
	}
	var to history.Entry
	if err == nil {
		to, err = store.Find(last, time.Now())
	}
	list, e := store.List()
	if err == nil {
		err = e
	}
	if err != nil {
		return work.Troubled("history", "%w", err)
	}
	if from.Number > to.Number {
		from, to = to, from
	}
	var out []report.JSONComparison
	before := ""
	for _, e := range list {
		if e.Number < from.Number || e.Number > to.Number {
			continue
		}
		now := name + "@" + strconv.Itoa(e.Number)
		if before != "" {
			if err := a.Compare(ctx, now, before, detail, &out); err != nil {
				return err
			}
			if !a.JSON() {
				out = append(out, report.JSONComparison{}) // counts those that were written
			}
		}
		before = now
	}
	if len(out) == 0 {
		return work.Troubled("usage", "%s@%s is one capture; what changed is between two", name, ends)
	}
	if a.JSON() {
		return a.WriteJSON(func(o *report.Output) { o.Comparisons = out })
	}
	return nil
}

// AddToHistory keeps a structure in the history of its place, and prunes it.
func AddToHistory(ctx context.Context, s *work.Session, name, note, keep string, c *catalog.Catalog) (e history.Entry, added bool, gone []int, err error) {
	store, err := historyOf(s, name)
	if err != nil {
		return e, false, nil, err
	}
	if _, err := history.ParseRule(keep); err != nil {
		return e, false, nil, work.Troubled("usage", "--history-keep: %w", err)
	}
	e, added, err = store.Add(ctx, c, note, time.Now(), func(n int) (*catalog.Catalog, error) {
		p, err := place.Resolve(name+"@"+strconv.Itoa(n), s.Places)
		if err != nil {
			return nil, err
		}
		return p.Read(ctx, place.Options{})
	})
	if err == nil {
		gone, err = store.Prune(ctx, keep)
	}
	if err != nil {
		err = work.Troubled("history", "%w", err)
	}
	return e, added, gone, err
}

// ToHistory keeps a structure in the history of its place, and says so.
func (a *commands) ToHistory(ctx context.Context, name, note, keep string, c *catalog.Catalog) error {
	e, added, gone, err := AddToHistory(ctx, a.Work(), name, note, keep, c)
	if err != nil {
		return err
	}
	if len(gone) > 0 {
		a.Note("%s dropped from its history", words.Number(len(gone), "older capture was", "older captures were"))
	}
	if a.JSON() {
		return a.WriteJSON(func(o *report.Output) { o.History = historyJSON([]history.Entry{e}) })
	}
	if !added {
		fmt.Fprintf(a.Out(), "%s is as capture %d of %s was; it was noted to be still so.\n", report.Safe(name), e.Number, report.Day(e.Date.Format(time.RFC3339)))
		return nil
	}
	alike := ""
	if e.Alike != nil {
		alike = fmt.Sprintf(", %s like the one before", report.Percent(*e.Alike))
	}
	fmt.Fprintf(a.Out(), "Kept %s as capture %d of its history%s.\n", report.Safe(name), e.Number, alike)
	return nil
}
