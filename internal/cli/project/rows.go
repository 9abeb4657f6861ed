package project

import (
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappermirror/internal/core/scope"
	"dappermirror/internal/report"
	"dappermirror/internal/work"
)

// Rows is the command rows.
func (a *commands) Rows() *cobra.Command {
	r := work.Rows{}
	var columns, key []string
	cmd := &cobra.Command{
		Use:   "rows PLACE TABLE | SOURCE TARGET TABLE",
		Short: "Show a few rows of a table",
		Long: `Shows the first rows of a table or view by its key, or with --sample rows from
anywhere. Rows that are wider than the page stand on their sides; NULL is no text,
what is binary is in hexadecimal, and what is long is shortened. Nothing is written,
and it ends after --row-check-time.

With two places it shows the row of one --key on both sides beside each other; exit
code 1 says that they differ.`,
		Example: "  dapper-mirror rows live.db berth\n  dapper-mirror rows live.db booking --columns id,pilotage --where 'pilotage > 900' --limit 5\n  dapper-mirror rows dev.db live.db berth --key 3",
		Args:    cobra.RangeArgs(2, 3),
		RunE: func(cmd *cobra.Command, args []string) error {
			if r.Limit < 1 || r.Limit > 10_000 {
				return work.Troubled("usage", "--limit %d: it is from 1 to 10,000", r.Limit)
			}
			if r.Time <= 0 {
				return work.Troubled("usage", "--row-check-time %s: it must be longer than nothing", r.Time)
			}
			for _, list := range columns {
				for _, c := range scope.Cut(list) {
					r.Columns = append(r.Columns, strings.Trim(strings.TrimSpace(c), `"`))
				}
			}
			r.Table, r.Key, r.Letters = args[len(args)-1], key, 500
			if len(args) == 3 {
				return a.twoRows(cmd, args, r)
			}
			list, err := a.Work().ListRows(cmd.Context(), args[0], r)
			if err != nil {
				return err
			}
			j := RowsJSON(list)
			if a.JSON() {
				return a.WriteJSON(func(o *report.Output) { o.Rows = []report.JSONRows{j} })
			}
			report.Rows(a.Out(), j, a.Style())
			return nil
		},
	}
	f := cmd.Flags()
	f.StringArrayVar(&columns, "columns", nil, "only these columns")
	f.StringVar(&r.Where, "where", "", "a condition, in the engine's SQL")
	f.StringSliceVar(&key, "key", nil, "the row with this primary key")
	f.IntVar(&r.Limit, "limit", 10, "how many rows")
	f.BoolVar(&r.Sample, "sample", false, "rows from anywhere")
	f.DurationVar(&r.Time, "row-check-time", 10*time.Second, "how long it may take")
	return cmd
}

// twoRows shows the row of a key on both sides.
func (a *commands) twoRows(cmd *cobra.Command, args []string, r work.Rows) error {
	if len(r.Key) == 0 && r.Where == "" {
		return work.Troubled("usage", "with two places say which row: --key VALUE")
	}
	r.Limit = 1
	var both [2]report.JSONRows
	for i := range both {
		list, err := a.Work().ListRows(cmd.Context(), args[i], r)
		if err != nil {
			return err
		}
		if list.More {
			return work.Troubled("usage", "%s of %s: more than one row is meant; give --key", list.Table, list.Place)
		}
		both[i] = RowsJSON(list)
	}
	if len(both[0].Rows)+len(both[1].Rows) == 0 {
		return work.Troubled("no-match", "neither side has such a row")
	}
	if differ := report.TwoRows(a.Out(), both[0], both[1], a.Style()); differ > 0 {
		a.Ends(1)
	}
	if a.JSON() {
		a.Out().Reset()
		return a.WriteJSON(func(o *report.Output) { o.Rows = both[:] })
	}
	return nil
}

// RowsJSON are rows as programs read them.
func RowsJSON(l *work.RowList) report.JSONRows {
	j := report.JSONRows{Place: l.Place, Table: l.Table, More: l.More, Rows: [][]report.JSONCell{}}
	for i, c := range l.Columns {
		j.Columns = append(j.Columns, report.JSONColumn{Name: c, Type: l.Types[i]})
	}
	for _, row := range l.Rows {
		var cells []report.JSONCell
		for _, c := range row {
			x := report.JSONCell{Kind: c.Kind, Size: c.Size}
			if !c.Null {
				text := c.Text
				x.Text = &text
			}
			cells = append(cells, x)
		}
		j.Rows = append(j.Rows, cells)
	}
	return j
}
