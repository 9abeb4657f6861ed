package postgres

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/postgres/family"
	"dappermirror/internal/engine/postgres/vocab"
	"dappermirror/internal/engine/postgres/writer"
)

// Limits of a catalog.
const (
	lockRoom   = "locks"             // that the server has room for at once
	lockFactor = "locks per setting" // by how much that grows with max_locks_per_transaction
)

// As implements engine.Roles.
func (Engine) As(f *engine.Frame, role string) {
	f.Settings = append(slices.Clip(f.Settings), "SET ROLE "+vocab.Quote(role)+";")
	f.Restore = append(f.Restore, "RESET ROLE;")
	f.Notes = append(f.Notes, "It acts for the role "+role+", which the account that runs it must be a member of.")
}

// Schemes implements engine.Engine.
func (Engine) Schemes() []string { return []string{"postgres", "postgresql"} }

// Proven implements engine.Engine.
func (Engine) Proven() string { return "PostgreSQL 15, a real server; 13 to 18 with make test-matrix" }

// Groups implements engine.Engine.
func (Engine) Groups() []string { return []string{"owners", "grants"} }

// Blank implements engine.Engine.
func (Engine) Blank() *catalog.Catalog {
	return &catalog.Catalog{Engine: "postgres", Kinds: vocab.Kinds, Spell: func(name string, _ bool) string { return vocab.Quote(name) }}
}

// Kinds implements engine.Engine.
func (Engine) Kinds() *catalog.Kinds { return vocab.Kinds }

func init() { vocab.Kinds.Follow = family.Follow }

// analyze writes ANALYZE for the columns that lost their statistics: changing
// a type removes them (PostgreSQL: ALTER TABLE, Notes).
func analyze(plan *order.Plan) []string {
	columns := map[catalog.Ref][]string{}
	var tables []catalog.Ref
	add := func(t catalog.Ref, column string) {
		if o := plan.Desired.Find(t); o == nil || column != "" && o.Part(catalog.Column, column) == nil {
			return
		}
		if _, ok := columns[t]; !ok {
			tables = append(tables, t)
		}
		if column != "" && !slices.Contains(columns[t], vocab.Quote(column)) {
			columns[t] = append(columns[t], vocab.Quote(column))
		}
	}
	for _, s := range plan.Steps {
		for _, e := range s.Effects {
			if o := plan.Desired.Find(e.On.Object()); o != nil && o.Has("partition of") && o.Ref() != s.About.Object() {
				continue // analyzed with the whole
			}
			if e.Aspect == catalog.AspectType && e.On.PartKind == catalog.Column {
				add(e.On.Object(), e.On.Part)
			}
		}
		for _, m := range s.Makes {
			if m.Kind == writer.RowsBack {
				add(catalog.Ref{Kind: catalog.Table, Schema: m.Schema, Name: m.Name}, "")
			}
		}
	}
	var out []string
	for _, t := range tables {
		sql := "ANALYZE " + vocab.Quote(t.Schema) + "." + vocab.Quote(t.Name)
		if l := columns[t]; len(l) > 0 {
			sql += " (" + strings.Join(l, ", ") + ")"
		}
		out = append(out, sql+";")
	}
	return out
}

// locksOf estimates how many locks making or removing an object takes: one
// for each relation, its row type's aside, and those that belong to it.
func locksOf(o *catalog.Object) int64 {
	switch o.Kind {
	case catalog.Table, vocab.ForeignTable, vocab.MatView:
		n := int64(3) // the table, its TOAST table and that one's index
		for _, p := range o.Parts {
			switch p.Kind {
			case catalog.Index, catalog.PrimaryKey, catalog.Unique, vocab.Exclusion:
				n++
			case catalog.ForeignKey:
				n++
			}
		}
		return n
	}
	return 1
}

// locks estimates how many objects the transaction holds locks on at its end.
func locks(plan *order.Plan) int64 {
	touched := map[catalog.Ref]bool{}
	for _, s := range plan.Steps {
		if s.Alone {
			continue
		}
		for _, l := range [][]catalog.Ref{s.Makes, s.Removes, {s.About}} {
			for _, r := range l {
				touched[r.Object()] = true
			}
		}
	}
	var n int64
	for r := range touched {
		for _, c := range []*catalog.Catalog{plan.Actual, plan.Desired} {
			if o := c.Find(r); o != nil {
				n += locksOf(o)
			}
		}
	}
	return n
}

// lockNote says when the server has not room enough for the locks of one
// transaction (PostgreSQL: max_locks_per_transaction).
func lockNote(plan *order.Plan) []string {
	room := plan.Actual.Limits[lockRoom]
	n := locks(plan)
	if room == 0 || n < room*7/10 {
		return nil
	}
	need := n*10/7/max(plan.Actual.Limits[lockFactor], 1) + 1
	return []string{fmt.Sprintf("ATTENTION: the transaction holds about %d locks, and the server has room for %d in all. It would stop with \"out of shared memory\": set max_locks_per_transaction to %d or more first, or write several scripts with --only.", n, room, need)}
}
