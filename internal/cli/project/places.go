package project

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/report/view"
	"dappermirror/internal/settings"
	"dappermirror/internal/work"
)

func (a *commands) Places() *cobra.Command {
	var try, recent bool
	cmd := &cobra.Command{
		Use:   "places [NAME]",
		Short: "List the named places, and try whether they can be reached",
		Long: `Lists the places of the settings files: dapper-mirror.yaml, here or in a folder
above, and the user's own. With a name it says all of that place.

--try connects and reads: which server and version, as whom and how protected, what
it may read and may not, what a script would lack, and how long reading takes. It
changes nothing. --recent lists what was used last, without secrets; the setting
remember-places switches that off.`,
		Example: "  dapper-mirror places\n  dapper-mirror places live --try\n  dapper-mirror places --recent",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			all := a.Settings().Places()
			switch {
			case recent && (try || len(args) > 0):
				return work.Troubled("usage", "--recent lists; it takes no name and tries nothing")
			case recent:
				return a.recentPlaces()
			case try && len(args) == 0:
				return work.Troubled("usage", "--try: say which place")
			case len(args) == 0:
				return a.listPlaces(all)
			}
			p, ok := all[args[0]]
			if !ok && !try {
				return work.Troubled("no-match", "no settings file names a place %q%s", args[0], words.Suggest(args[0], slices.Collect(maps.Keys(all))))
			}
			if !ok { // any place can be tried
				p = settings.Place{Name: args[0], At: args[0]}
			}
			j := a.placeJSON(p)
			if try {
				if err := a.tryPlace(cmd.Context(), args[0], &j); err != nil {
					return err
				}
			}
			if a.JSON() {
				return a.WriteJSON(func(o *report.Output) { o.Places = []report.JSONPlace{j} })
			}
			report.Place(a.Out(), j, a.Style())
			return nil
		},
	}
	cmd.Flags().BoolVar(&try, "try", false, "connect, and say what can be read there and what not")
	cmd.Flags().BoolVar(&recent, "recent", false, "list the places that were used last")
	return cmd
}

// placeJSON is what the settings files say of a place, without connecting.
func (a *commands) placeJSON(p settings.Place) report.JSONPlace {
	j := report.JSONPlace{Name: p.Name, Note: p.Note, ReadOnly: p.ReadOnly, Only: p.Only, Except: p.Except, Tolerate: p.Tolerate, Dialect: p.Dialect, Scratch: p.Scratch, TLS: p.TLS.Mode}
	if p.File != "" {
		j.From = p.Where()
	}
	switch s := p.Password; {
	case s == nil:
	case s.Ask:
		j.Password = "asked for"
	case s.Env != "":
		j.Password = "environment variable " + s.Env
	case s.File != "":
		j.Password = "file " + s.File
	case len(s.Command) > 0:
		j.Password = "output of " + s.Command[0]
	}
	at, err := place.Resolve(p.At, place.Options{Create: true, Dialect: p.Dialect})
	if err != nil {
		j.At, j.Trouble = Label(p.At), err.Error()
		return j
	}
	if j.At = at.Label; at.Engine != nil {
		j.Engine = at.Engine.Name()
	}
	if at.Missing() {
		j.Trouble = "it is not there"
	}
	return j
}

// Remember notes the places that were read. That it cannot be noted is no
// trouble.
func (a *commands) Remember() {
	if a.Settings() == nil {
		return
	}
	var used []settings.Used
	for _, p := range a.Work().Used() {
		at := p.Label
		if len(p.Files()) > 0 {
			at = p.Identity // from wherever one stands
		}
		if p.Streamed() {
			continue
		}
		used = append(used, settings.Used{At: at, Name: p.Name, Last: time.Now()})
	}
	_ = settings.Remember(used)
}

// recentPlaces lists what was used last.
func (a *commands) recentPlaces() error {
	list := []report.JSONPlace{}
	for _, u := range settings.Recent() {
		list = append(list, report.JSONPlace{Name: u.Name, At: u.At, Used: u.Last.Format(time.RFC3339), Times: u.Times})
	}
	if a.JSON() {
		return a.WriteJSON(func(o *report.Output) { o.Places = list })
	}
	if len(list) == 0 {
		fmt.Fprintln(a.Out(), "No place is remembered.")
	}
	for _, p := range list {
		name := p.At
		if p.Name != "" {
			name = p.Name + "  " + p.At
		}
		fmt.Fprintf(a.Out(), "%s  %s\n", a.Style().Dim(report.Day(p.Used)), report.Safe(name))
	}
	return nil
}

func (a *commands) listPlaces(all map[string]settings.Place) error {
	list := []report.JSONPlace{}
	for _, name := range slices.Sorted(maps.Keys(all)) {
		list = append(list, a.placeJSON(all[name]))
	}
	pairs := a.Settings().Pairs()
	if a.JSON() {
		return a.WriteJSON(func(o *report.Output) {
			o.Places = list
			for _, name := range slices.Sorted(maps.Keys(pairs)) {
				o.Pairs = append(o.Pairs, report.JSONPair{Name: name, Source: pairs[name].Source, Target: pairs[name].Target})
			}
		})
	}
	if len(list)+len(pairs) == 0 {
		fmt.Fprintf(a.Out(), "No settings file names a place. A file %s in the project's folder names them; see `dapper-mirror help places`.\n", settings.ProjectFile)
		return nil
	}
	st := a.Style()
	width := 0
	for _, p := range list {
		width = max(width, len([]rune(p.Name)))
	}
	for _, p := range list {
		marks := report.PlaceMarks(p)
		fmt.Fprintf(a.Out(), "%-*s  %s%s\n", width, report.Safe(p.Name), report.Safe(p.At), st.Dim(marks))
		if p.Note != "" {
			fmt.Fprintf(a.Out(), "%*s  %s\n", width, "", report.Safe(p.Note))
		}
		if p.Trouble != "" {
			fmt.Fprintf(a.Out(), "%*s  %s\n", width, "", st.Warn(report.Safe(p.Trouble)))
		}
	}
	for i, name := range slices.Sorted(maps.Keys(pairs)) {
		if i == 0 {
			fmt.Fprintln(a.Out(), "\npairs")
		}
		fmt.Fprintf(a.Out(), "  %s: %s, then %s\n", report.Safe(name), report.Safe(pairs[name].Source), report.Safe(pairs[name].Target))
	}
	return nil
}

// tryPlace connects to a place and reads it.
func (a *commands) tryPlace(ctx context.Context, name string, j *report.JSONPlace) error {
	p, err := a.Work().Place(name, false)
	if err != nil {
		return err
	}
	t := &report.JSONTry{}
	if p.Writable() && !p.Missing() {
		db, err := p.Open(ctx, engine.OpenOptions{LockWait: a.Work().LockWait})
		if errors.Is(err, place.ErrNobody) {
			return work.Refused("no-answer", "%w", err)
		}
		if err != nil {
			return work.Troubled("open", "%w", err)
		}
		if d, ok := db.(engine.Describer); ok {
			about, err := d.Describe(ctx)
			if err != nil {
				db.Close()
				return work.Troubled("open", "%s: %w", p.Label, err)
			}
			t.Server, t.Account, t.TLS = about.Server, about.Account, about.TLS
		}
		db.Close()
	}
	start := time.Now()
	c, err := a.Work().Read(ctx, p)
	if err != nil {
		return err
	}
	t.ReadMS, t.Counts, t.Fingerprint = time.Since(start).Milliseconds(), c.Count(), ""
	j.Engine, j.At, j.Trouble = c.Engine, p.Label, ""
	t.Server = cmp.Or(t.Server, strings.TrimSpace(engine.Title(c.Engine)+" "+c.Version))
	for _, g := range c.Gaps {
		if !g.Quiet {
			t.Unseen = append(t.Unseen, view.GapWords(g)+": "+g.Why)
		}
	}
	if t.Lacks, err = a.lacks(ctx, p, c); err != nil {
		return err
	}
	j.Try = t
	return nil
}

// lacks lists what the account may not do that a script may want: change what is
// there, and make more of it.
func (a *commands) lacks(ctx context.Context, p *place.Place, c *catalog.Catalog) ([]string, error) {
	if !p.Writable() {
		return nil, nil
	}
	db, err := p.Open(ctx, engine.OpenOptions{LockWait: a.Work().LockWait})
	if err != nil {
		return nil, work.Troubled("open", "%w", err)
	}
	defer db.Close()
	i, ok := db.(engine.Inspector)
	if !ok {
		return nil, nil
	}
	var all []engine.Work
	for _, o := range c.Objects {
		all = append(all, engine.Work{On: o.Ref(), Part: catalog.Column}, engine.Work{On: o.Ref(), Drops: true})
	}
	list, err := i.Lacking(ctx, all, "")
	if err != nil {
		return nil, work.Troubled("rights", "%s: %w", p.Label, err)
	}
	return list, nil
}
