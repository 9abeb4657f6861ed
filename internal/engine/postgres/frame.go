package postgres

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/postgres/vocab"
)

// Limits of a catalog.
const (
	lockRoom   = "locks"             // that the server has room for at once
	lockFactor = "locks per setting" // by how much that grows with max_locks_per_transaction
)

// As implements engine.Roles.
func (Engine) As(f *engine.Frame, role string) {
	f.Settings = append(slices.Clip(f.Settings), "SET ROLE "+quote(role)+";")
	f.Restore = append(f.Restore, "RESET ROLE;")
	f.Notes = append(f.Notes, "It acts for the role "+role+", which the account that runs it must be a member of.")
}

// Kinds implements engine.Surveyor.
func (Engine) Kinds() []engine.KindNote {
	const whole = "dropped and made anew when its definition changes"
	out := []engine.KindNote{
		{Kind: catalog.Schema, Note: "with owner, grants and default privileges"},
		{Kind: catalog.Table, Note: "ordinary, unlogged, partitioned, inheriting, of a type; recast with its rows when its partitioning changes"},
		{Kind: catalog.Column, Note: "type, collation, NOT NULL and its name (18), default, identity, generated, storage, compression, statistics target, options"},
		{Kind: catalog.PrimaryKey, Note: "also over time (18)"}, {Kind: catalog.Unique, Note: "NULLS NOT DISTINCT, deferrable"}, {Kind: catalog.Check, Note: "NO INHERIT, NOT VALID, NOT ENFORCED (18)"},
		{Kind: catalog.ForeignKey, Note: "all actions, deferrable, NOT VALID; SET NULL of some columns"}, {Kind: kindExclusion},
		{Kind: catalog.Index, Note: "every method; one that is not valid is made anew"}, {Kind: catalog.Trigger, Note: "with its enabled state"},
		{Kind: kindPolicy, Note: "with row security of the table"}, {Kind: kindRule},
		{Kind: catalog.View, Note: "replaced in place where its columns allow it"}, {Kind: kindMatView, Note: "with its indexes; filled again when made anew"},
		{Kind: catalog.Routine, Note: "functions, procedures, window functions; replaced in place where the signature allows it"},
		{Kind: catalog.Sequence, Note: "the counter is no structure"}, {Kind: catalog.Enum, Note: "values added in place; else a new type and a cast"},
		{Kind: kindDomain}, {Kind: kindComposite, Note: "attributes changed in place"}, {Kind: kindRange, Note: whole}, {Kind: vocab.BaseType, Note: "made through its shell; " + whole},
		{Kind: vocab.Extension, Note: "version and schema; its members are not objects of their own"},
		{Kind: vocab.ForeignTable, Note: "with options of table and columns"}, {Kind: vocab.Wrapper, Note: "changed in place"}, {Kind: vocab.ForeignServer, Note: "changed in place"},
		{Kind: vocab.UserMapping, Note: "without secrets"}, {Kind: kindPublication, Note: "changed in place"}, {Kind: vocab.Subscription, Note: "names and options; not where it connects to"},
		{Kind: kindDefaultRights, Note: "with --include grants"},
	}
	for _, k := range vocab.SimpleKinds {
		if k.Kind != vocab.Extension {
			out = append(out, engine.KindNote{Kind: k.Kind, Note: whole})
		}
	}
	return out
}

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
		if column != "" && !slices.Contains(columns[t], quote(column)) {
			columns[t] = append(columns[t], quote(column))
		}
	}
	for _, s := range plan.Steps {
		for _, e := range s.Effects {
			if e.Aspect == catalog.AspectType && e.On.PartKind == catalog.Column {
				add(e.On.Object(), e.On.Part)
			}
		}
		for _, m := range s.Makes {
			if m.Kind == rowsBack {
				add(catalog.Ref{Kind: catalog.Table, Schema: m.Schema, Name: m.Name}, "")
			}
		}
	}
	var out []string
	for _, t := range tables {
		sql := "ANALYZE " + quote(t.Schema) + "." + quote(t.Name)
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
	case catalog.Table, vocab.ForeignTable, kindMatView:
		n := int64(3) // the table, its TOAST table and that one's index
		for _, p := range o.Parts {
			switch p.Kind {
			case catalog.Index, catalog.PrimaryKey, catalog.Unique, kindExclusion:
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
