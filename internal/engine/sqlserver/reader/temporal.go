package reader

import (
	"fmt"
	"regexp"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/sqlserver/vocab"
	"dappermirror/internal/standin/tsql"
)

// madeHistory are the names that the server gives history tables, and their indexes (SQL
// Server: Create a system-versioned temporal table).
var madeHistory = regexp.MustCompile(`(?i)^(ix_)?MSSQL_TemporalHistoryFor_\d+(_[0-9a-f]+)?$`)

// period is what the columns of a table say of its period.
type period struct {
	columns [2]*catalog.Object
	hidden  [2]bool
}

// timed notes a column of a period: 0 for the start, 1 for the end. It becomes a part of
// its own, so that a column is what it is without it.
func (r *reader) timed(t, p *catalog.Object, end int, hidden bool) {
	x := r.periods[t]
	if x == nil {
		x = &period{}
		r.periods[t] = x
		r.waiting = append(r.waiting, func() { r.period(t, x) })
	}
	x.columns[end], x.hidden[end] = p, hidden
}

func (r *reader) period(t *catalog.Object, x *period) {
	if x.columns[0] == nil || x.columns[1] == nil {
		return
	}
	o := &catalog.Object{Kind: vocab.Period, Name: "SYSTEM_TIME", ID: "system_time"}
	o.Set("columns", catalog.List())
	var hidden []string
	for i, p := range x.columns {
		r.grow(o, "columns", p.Name, "")
		o.Need(t.PartRef(p), catalog.AspectType)
		if x.hidden[i] {
			hidden = append(hidden, r.fold(p.Name))
		}
	}
	if len(hidden) > 0 {
		o.Set("hidden", catalog.SetOf(hidden...))
	}
	t.Add(o)
}

// versioned notes which table keeps what was of another.
func (r *reader) versioned(t *catalog.Object, m Row) {
	id := m.num("history_table_id")
	o := &catalog.Object{Kind: vocab.Versioning, Name: "SYSTEM_VERSIONING", ID: "system_versioning"}
	if n := m.num("retention"); n > 0 {
		o.Set("retention", catalog.Scalar(fmt.Sprintf("%d %sS", n, strings.TrimSuffix(strings.ToUpper(m.text("retention_unit")), "S"))))
	}
	r.waiting = append(r.waiting, func() { // when all tables were read
		h := r.objects[id]
		if h == nil {
			r.c.Gaps = append(r.c.Gaps, catalog.Gap{On: t.PartRef(o), Why: fmt.Sprintf("the history table of %s.%s is not seen: that it is versioned is not compared", t.Schema, t.Name)})
			return
		}
		if madeHistory.MatchString(h.Name) {
			h.ID = vocab.HistoryOf + t.Key()
			h.Remove(catalog.Letters)
			o.Carry(vocab.HistoryOf, catalog.Scalar("yes"))
		}
		o.Set("history", catalog.SQL(catalog.Piece{Text: vocab.Qualified(h), Canon: tsql.Path([]string{r.fold(h.Schema), h.Key()})}))
		h.Carry(vocab.Current, catalog.Scalar(vocab.Qualified(t)))
		if v := o.Text("retention"); v != "" {
			h.Carry("retention", catalog.Scalar(v))
		}
		t.Add(o)
		r.last = append(r.last, func() {
			o.Need(h.Ref(), vocab.AspectColumns)
			for _, p := range h.PartsOf(catalog.Column) { // which is what that of the table was
				if q := t.Part(catalog.Column, p.Key()); q != nil {
					p.Needs = append(p.Needs, catalog.Need{On: t.PartRef(q), Aspect: catalog.AspectName, Text: true})
				}
			}
			for _, x := range []*catalog.Object{t, h} {
				for _, p := range x.Parts {
					if p.Kind == catalog.Column || x == t && (p.Kind == vocab.Period || p.Kind == catalog.PrimaryKey) {
						o.Need(x.PartRef(p), catalog.AspectType)
					}
				}
			}
		})
	})
}
