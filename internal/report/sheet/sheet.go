// Package sheet lays a report out as a workbook, and as comma-separated values. What a
// database calls its things is text there, and never a formula.
package sheet

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"strings"

	"github.com/xuri/excelize/v2"

	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/report/view"
)

// mostCell is how many letters a cell of a workbook holds, mostRows how many rows a
// sheet (Excel specifications and limits).
const (
	mostCell = 32_767
	mostRows = 1_048_576
)

// table is a sheet: a head and rows of texts and numbers.
type table struct {
	name   string
	head   []string
	widths []float64
	rows   [][]any
}

// tables are the sheets of a report.
func tables(r *view.Report) []table {
	sum := table{name: "Summary", head: []string{"what", "value"}, widths: []float64{16, 90}}
	for _, h := range r.Head {
		sum.rows = append(sum.rows, []any{h[0], h[1]})
	}
	for _, n := range r.Notes {
		sum.rows = append(sum.rows, []any{"note", n})
	}
	if r.Sum != "" {
		sum.rows = append(sum.rows, []any{"targets", r.Sum})
	}
	for i, c := range r.Comparisons {
		if t := r.Titles[i]; t != "" {
			sum.rows = append(sum.rows, []any{"", t})
		}
		for _, x := range []struct {
			name string
			n    int
		}{{"differ", c.Counts.Differs}, {"only in the source", c.Counts.SourceOnly}, {"only in the target", c.Counts.TargetOnly}, {"the same", c.Counts.Same}, {"would lose values", c.Losing}} {
			sum.rows = append(sum.rows, []any{x.name, x.n})
		}
		for _, g := range c.Gaps {
			sum.rows = append(sum.rows, []any{"not compared", fmt.Sprintf("%s of the %s: %s", g.What, g.Side, g.Why)})
		}
	}
	out := []table{sum}
	if len(r.Targets) > 0 {
		t := table{name: "Targets", head: []string{"target", "differs", "only source", "only target", "held back", "would lose", "result", "way", "detail", "script"}, widths: []float64{28, 9, 12, 12, 10, 11, 14, 6, 40, 30}}
		for _, x := range r.Targets {
			row := []any{x.Name, nil, nil, nil, x.Held, x.Losing, x.Result, nil, x.Detail, x.Script}
			if x.Known {
				row[1], row[2], row[3] = x.Differs, x.SourceOnly, x.TargetOnly
			}
			if x.Way > 0 {
				row[7] = x.Way
			}
			t.rows = append(t.rows, row)
		}
		out = append(out, t)
	}
	out = append(out, differences(r), facts(r))
	if len(r.Steps)+len(r.Held) > 0 {
		t := table{name: "Steps", head: []string{"step", "state", "what", "on", "risks", "row checks", "locks", "SQL"}, widths: []float64{7, 10, 50, 34, 50, 40, 40, 80}}
		for i, list := range [][]view.Step{r.Steps, r.Held} {
			for _, s := range list {
				var risks []string
				for _, p := range s.Risks {
					risks = append(risks, p.Line())
				}
				t.rows = append(t.rows, []any{s.Number, []string{"runs", "held back"}[i], s.Title, s.On, strings.Join(risks, "\n"), strings.Join(append(s.Checks, s.Fills...), "\n"), strings.Join(s.Locks, "\n"), strings.Join(s.SQL, "\n")})
			}
		}
		out = append(out, t)
	}
	return out
}

// differences are the objects that differ, one a row.
func differences(r *view.Report) table {
	t := table{name: "Differences", head: []string{"way", "kind", "schema", "name", "status", "action", "choice", "would lose", "what differs"}, widths: []float64{6, 14, 16, 32, 13, 10, 11, 40, 80}}
	each(r, func(way int, o *view.Object) {
		var said []string
		for _, p := range o.Facts {
			said = append(said, strings.TrimSpace(view.Signs[p.Mark]+" "+p.Line()))
		}
		t.rows = append(t.rows, []any{way, string(o.Kind), o.Schema, o.Name, view.Words[o.Status], view.Actions[o.Status], o.Choice, strings.Join(o.Loses, "; "), strings.Join(said, "; ")})
	})
	return t
}

// facts are the facts that differ, of objects and their parts, one a row.
func facts(r *view.Report) table {
	t := table{name: "Facts", head: []string{"way", "kind", "schema", "name", "part", "status", "fact", "target", "source"}, widths: []float64{6, 14, 16, 30, 34, 13, 20, 50, 50}}
	each(r, func(way int, o *view.Object) {
		var walk func(x *view.Object, part string)
		walk = func(x *view.Object, part string) {
			row := func(fact string, target, source *string) {
				t.rows = append(t.rows, []any{way, string(o.Kind), o.Schema, o.Name, part, view.Words[x.Status], fact, target, source})
			}
			for _, f := range x.Fields {
				row(f.Name, f.Target, f.Source)
			}
			if part != "" && x.Status != compare.Differs {
				row("", nil, nil)
			}
			for i := range x.Parts {
				walk(&x.Parts[i], string(x.Parts[i].Kind)+" "+x.Parts[i].Name)
			}
		}
		walk(o, "")
	})
	return t
}

// each hands on what differs, with the number of its comparison.
func each(r *view.Report, do func(way int, o *view.Object)) {
	for n, c := range r.Comparisons {
		for i := range c.Objects {
			if c.Objects[i].Status != compare.Same {
				do(n+1, &c.Objects[i])
			}
		}
	}
}

// cell is a text as a cell has it: no control character but line ends, and not longer
// than a cell is.
func cell(s string) string {
	lines := strings.Split(strings.ReplaceAll(s, "\r\n", "\n"), "\n")
	for i, l := range lines {
		lines[i] = sqltext.CommentSafe(l)
	}
	r := []rune(strings.Join(lines, "\n"))
	if len(r) > mostCell-20 {
		return string(r[:mostCell-20]) + " … (cut)"
	}
	return string(r)
}

// value is what stands in a cell; nil for nothing.
func value(v any) any {
	switch v := v.(type) {
	case string:
		return cell(v)
	case *string:
		if v == nil {
			return nil
		}
		return cell(*v)
	}
	return v
}

// Workbook is the report as a workbook.
func Workbook(r *view.Report) ([]byte, error) {
	f := excelize.NewFile()
	defer f.Close()
	if err := f.SetDefaultFont("Arial"); err != nil {
		return nil, err
	}
	head, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Family: "Arial", Size: 10, Bold: true}, Fill: excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{"E8EEF2"}}})
	if err != nil {
		return nil, err
	}
	body, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Family: "Arial", Size: 10}, Alignment: &excelize.Alignment{Horizontal: "left", Vertical: "top", WrapText: true}})
	if err != nil {
		return nil, err
	}
	for i, t := range tables(r) {
		if i == 0 {
			err = f.SetSheetName("Sheet1", t.name)
		} else {
			_, err = f.NewSheet(t.name)
		}
		if err == nil {
			err = fill(f, t, head, body)
		}
		if err != nil {
			return nil, fmt.Errorf("the sheet %s: %w", t.name, err)
		}
	}
	var b bytes.Buffer
	err = f.Write(&b)
	return b.Bytes(), err
}

// fill writes a sheet: a head that stays, a filter, and rows.
func fill(f *excelize.File, t table, head, body int) error {
	w, err := f.NewStreamWriter(t.name)
	if err != nil {
		return err
	}
	for i, width := range t.widths {
		if err := w.SetColWidth(i+1, i+1, width); err != nil {
			return err
		}
	}
	if err := w.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	var row []any
	for _, h := range t.head {
		row = append(row, excelize.Cell{StyleID: head, Value: h})
	}
	if err := w.SetRow("A1", row); err != nil {
		return err
	}
	rows := t.rows
	if len(rows) > mostRows-2 {
		rows = rows[:mostRows-2]
	}
	for i, r := range rows {
		row = row[:0]
		for _, v := range r {
			row = append(row, excelize.Cell{StyleID: body, Value: value(v)})
		}
		if err := w.SetRow(fmt.Sprintf("A%d", i+2), row); err != nil {
			return err
		}
	}
	if len(rows) > 0 { // a table is what can be filtered
		last, err := excelize.CoordinatesToCellName(len(t.head), len(rows)+1)
		if err != nil {
			return err
		}
		if err := w.AddTable(&excelize.Table{Range: "A1:" + last, Name: t.name + "_rows", StyleName: "TableStyleLight1"}); err != nil {
			return err
		}
	}
	return w.Flush()
}

// CSV is the differences as comma-separated values (RFC 4180). A spreadsheet that opens
// them takes no cell for a formula.
func CSV(r *view.Report) ([]byte, error) {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	w.UseCRLF = true
	t := differences(r)
	if err := w.Write(t.head); err != nil {
		return nil, err
	}
	for _, row := range t.rows {
		var cells []string
		for _, v := range row {
			s := fmt.Sprint(value(v))
			if strings.IndexAny(s, "=+-@\t\r") == 0 {
				s = "'" + s
			}
			cells = append(cells, s)
		}
		if err := w.Write(cells); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return b.Bytes(), w.Error()
}
