// Package writer turns changes into PostgreSQL's DDL.
package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/apart"
	"dappermirror/internal/engine/postgres/family"
	"dappermirror/internal/engine/postgres/rows"
	"dappermirror/internal/engine/postgres/steps"
	"dappermirror/internal/engine/postgres/vocab"
)

// Writer turns changes into PostgreSQL's SQL.
type Writer struct {
	// Fill gives the value for existing rows of a column.
	Fill map[catalog.Ref]string
	// Back says that the script is the way back of another one: what that
	// one put into new columns is no loss.
	Back bool
	// AvoidBlocking writes what keeps others working.
	AvoidBlocking bool

	users      map[catalog.Ref]bool // what something of usersOf needs
	usersOf    *catalog.Catalog
	children   map[catalog.Ref][]catalog.Ref // partitions and child tables, in childrenOf
	childrenOf *catalog.Catalog
}

var _ order.Writer = (*Writer)(nil)

// kindWriter is what is different from kind to kind.
type kindWriter struct {
	create func(*Writer, *order.Change) []*order.Action
	alter  func(*Writer, *order.Change) ([]*order.Action, bool)
}

var kinds map[catalog.Kind]kindWriter

func init() { // a table that refers to methods that refer to the table
	kinds = map[catalog.Kind]kindWriter{
		catalog.Schema:   {(*Writer).createSchema, changes(steps.AlterByFacts)},
		catalog.Enum:     {(*Writer).createEnum, (*Writer).alterEnum},
		kindDomain:       {(*Writer).createDomain, (*Writer).alterDomain},
		kindComposite:    {(*Writer).createComposite, (*Writer).alterComposite},
		kindRange:        {(*Writer).createRange, rebuildIfDefined},
		catalog.Sequence: {makes(apart.CreateSequence), changes(apart.AlterSequence)},
		catalog.Table:    {(*Writer).createTable, (*Writer).alterTable},
		catalog.View:     {(*Writer).createView, (*Writer).alterView},
		kindMatView:      {(*Writer).createView, (*Writer).alterView},
		catalog.Routine:  {(*Writer).createRoutine, (*Writer).alterRoutine},
	}
	kinds[kindPublication] = kindWriter{makes(apart.CreatePublication), changes(apart.AlterPublication)}
	kinds[vocab.ForeignTable] = kindWriter{(*Writer).createTable, (*Writer).alterTable}
	kinds[vocab.Wrapper] = kindWriter{makes(apart.CreateForeign), changes(apart.AlterForeign)}
	kinds[vocab.ForeignServer] = kindWriter{makes(apart.CreateForeign), changes(apart.AlterForeign)}
	kinds[vocab.UserMapping] = kindWriter{makes(apart.CreateForeign), changes(apart.AlterForeign)}
	kinds[vocab.Subscription] = kindWriter{makes(apart.CreateSubscription), changes(apart.AlterSubscription)}
	kinds[vocab.BaseType] = kindWriter{makes(apart.CreateBaseType), rebuildIfDefined}
	kinds[kindDefaultRights] = kindWriter{makes(steps.CreateDefaultRights), changes(steps.AlterDefaultRights)}
	for _, k := range vocab.SimpleKinds {
		kinds[k.Kind] = kindWriter{makes(apart.CreateSimple), rebuildIfDefined}
	}
	kinds[vocab.Extension] = kindWriter{makes(apart.CreateExtension), changes(apart.AlterExtension)}
}

// makes and changes take what wants nothing to be known of the Writer.
func makes(create func(*order.Change) []*order.Action) func(*Writer, *order.Change) []*order.Action {
	return func(_ *Writer, c *order.Change) []*order.Action { return create(c) }
}

func changes(alter func(*order.Change) ([]*order.Action, bool)) func(*Writer, *order.Change) ([]*order.Action, bool) {
	return func(_ *Writer, c *order.Change) ([]*order.Action, bool) { return alter(c) }
}

// Create implements order.Writer.
func (w *Writer) Create(c *order.Change) []*order.Action {
	as := kinds[c.Source.Kind].create(w, c)
	if vocab.IsTable(c.Source.Kind) {
		underRecast(c, c.Desired, c.Source, as)
	}
	for _, a := range as { // a shell may come before it
		if slices.Contains(a.Makes, c.Source.Ref()) {
			a.SQL = append(append(a.SQL, objectExtras(c.Source)...), steps.OwnerAndGrants(c)...)
			if note := steps.PolicyNote(c); note != "" {
				a.Note = strings.TrimSpace(a.Note + " " + note)
			}
			break
		}
	}
	return lockedBy(c, as)
}

// Drop implements order.Writer.
func (w *Writer) Drop(c *order.Change) []*order.Action {
	o := c.Target
	if o.Kind == kindDefaultRights {
		return []*order.Action{steps.DefaultRights(o, "drop", o.List("normal"), o.List("rights"))}
	}
	if o.Kind == catalog.Sequence && o.Has("owned by") {
		// It goes with its column.
		if ref, ok := vocab.OwnerColumn(o); ok && c.Desired.Resolve(ref) == nil {
			return nil
		}
	}
	a := &order.Action{About: o.Ref(), Title: "drop " + steps.Title(o), Removes: []catalog.Ref{o.Ref()}, Frees: steps.NamesOf(o), Late: c.Source == nil,
		SQL: []string{fmt.Sprintf("DROP %s %s;", keyword(o), sqlName(o))}}
	var out []*order.Action
	for _, p := range o.Parts {
		ref := o.PartRef(p)
		if p.Kind == catalog.ForeignKey && needsElsewhere(o, p) {
			// Keys first, so that tables can go in any order.
			out = append(out, w.dropPart(o, p))
			continue
		}
		a.Removes = append(a.Removes, ref)
		a.Frees = append(a.Frees, steps.PartNames(o, p)...)
	}
	if o.Has("partition of") {
		steps.AlsoLocks(steps.AccessExclusive.Takes(a), steps.AccessExclusive, o)
	}
	if o.Kind == catalog.Table {
		a.Risks = []order.Risk{{Kind: order.Loss, On: o.Ref(), Text: "every row of " + steps.Title(o), Ask: rows.Any(o)}}
		out = append(out, w.ownedGo(c, o, "", a)...)
		out = append(out, dropPartition(c, a)...)
	}
	switch {
	case o.Kind == vocab.Subscription:
		a.SQL = append(apart.DropSubscription(o), a.SQL...)
	case o.Kind == vocab.BaseType || o.Kind == kindRange && len(apart.RoutinesOf(c.Actual, o)) > 0:
		// It and the functions it is made of need each other: they go at once.
		a.SQL = []string{fmt.Sprintf("DROP TYPE %s CASCADE;", qualified(o))}
		a.Removes = append(a.Removes, vocab.Shell(o))
		for _, f := range apart.RoutinesOf(c.Actual, o) {
			a.Removes = append(a.Removes, f.Ref())
			a.Frees = append(a.Frees, steps.NamesOf(f)...)
		}
	case o.Kind == catalog.Routine && apart.MadeOf(c.Actual, o) != nil:
		return nil // it goes with its type
	}
	if out = append(out, a); vocab.IsTable(o.Kind) {
		underRecast(c, c.Actual, o, out)
	}
	return lockedBy(c, out)
}

// dropPartition is what is different for a table that is a partition of one
// that stays.
func dropPartition(c *order.Change, drop *order.Action) []*order.Action {
	o := c.Target
	parent := family.ParentTable(c.Actual, o)
	if parent == nil {
		return nil
	}
	if top := family.Goes(c, o); top != nil && top != o { // its rows wait with those of the whole
		drop.After, drop.Risks, drop.Late = append(drop.After, rowsWait(top.Ref())), nil, false
		return nil
	}
	if leaves(c, o, drop) {
		drop.SQL = append([]string{fmt.Sprintf("ALTER TABLE %s DETACH PARTITION %s;", qualified(parent), qualified(o))}, drop.SQL...)
	}
	if list, _ := family.Settlers(c, parent); len(list) == 0 {
		return nil
	}
	drop.Late = false // others may want its place
	drop.Makes = append(drop.Makes, placeFree(o.Ref()))
	where := family.Elsewhere(c, o)
	if where == "" {
		return nil
	}
	drop.Note = "Its rows get into the partitions that take them."
	drop.After = append(drop.After, rowsWait(o.Ref()))
	for i, r := range drop.Risks {
		if r.Kind == order.Loss {
			drop.Risks[i].Text, drop.Risks[i].Ask = "rows of "+steps.Title(o)+" that no other partition takes", rows.Placeless(o, where)
		}
	}
	aside := &order.Action{About: o.Ref(), Title: "let the rows of partition " + o.Name + " wait", Makes: []catalog.Ref{rowsWait(o.Ref())}, SQL: takeAside(o, settledName(o, nil), where)}
	return []*order.Action{aside}
}

// ownedGo says that the sequences of a table, or of one column, go with it, and
// releases those that stay.
func (w *Writer) ownedGo(c *order.Change, o *catalog.Object, column string, drop *order.Action) []*order.Action {
	var out []*order.Action
	for _, s := range apart.OwnedSequences(c.Actual, o, column) {
		if c.Desired.Find(s.Ref()) == nil {
			drop.Removes = append(drop.Removes, s.Ref())
			drop.Frees = append(drop.Frees, steps.NamesOf(s)...)
			continue
		}
		drop.After = append(drop.After, apart.Released(s.Ref()))
		out = append(out, steps.LockFree(&order.Action{About: s.Ref(), Title: "release " + steps.Title(s) + " from its column", Makes: []catalog.Ref{apart.Released(s.Ref())},
			SQL: []string{fmt.Sprintf("ALTER SEQUENCE %s OWNED BY NONE;", qualified(s))}}))
	}
	return out
}

// needsElsewhere tells whether a foreign key points at another table.
func needsElsewhere(o, fk *catalog.Object) bool {
	for _, n := range fk.Needs {
		if vocab.IsTable(n.On.Kind) && n.On.Object() != o.Ref() {
			return true
		}
	}
	return false
}

// Alter implements order.Writer.
func (w *Writer) Alter(c *order.Change) ([]*order.Action, bool) {
	out, ok := kinds[c.Source.Kind].alter(w, c)
	return lockedBy(c, out), ok
}

// rebuildIfDefined rebuilds the object when more than its comment differs.
func rebuildIfDefined(_ *Writer, c *order.Change) ([]*order.Action, bool) {
	return steps.AlterByFacts(c)
}

// Survives implements order.Writer: what PostgreSQL carries along by itself
// when a column's type changes. It rebuilds indexes and re-checks keys and
// checks of the table; everything else that names the column refuses
// (PostgreSQL: ALTER TABLE, Notes).
func (w *Writer) Survives(owner, part *catalog.Object, need catalog.Need, effect order.Effect) bool {
	if need.Text {
		return true
	}
	if effect.Gone {
		// A column of a type that is replaced is cast by that step.
		return effect.Replaced && need.Fact == "type" && !slices.Contains(family.KeyColumns(owner), part)
	}
	switch effect.Aspect {
	case catalog.AspectRowType: // of a column: its values wait as something else
		return !effect.On.IsPart() && (part == nil && owner.Kind != kindMatView || part != nil && (part.Kind != catalog.Column || need.Fact != "type") || owner.Ref() == effect.On)
	case catalog.AspectType:
		if part == nil {
			return false
		}
		switch part.Kind {
		case catalog.Index, catalog.PrimaryKey, catalog.Unique, catalog.Check, kindExclusion:
			return owner.Ref() == effect.On.Object()
		case catalog.Column:
			return !part.Has("generated")
		}
		return false
	}
	return true
}

// parts carries out the changes of parts that live alone: those of
// kind pick are dropped and created where they differ or must come down.
func (w *Writer) parts(c *order.Change, pick func(catalog.Kind) bool) []*order.Action {
	var out []*order.Action
	create := func(p *catalog.Object) {
		a := w.createPart(c.Source, p)
		a.SQL = append(a.SQL, w.statesBelow(c, p)...)
		if p.Kind != kindPolicy && p.Kind != kindRule {
			w.reaches(c, a)
		}
		w.askRows(c, p, a)
		afterRows(c, p, a)
		out = append(out, w.gently(c, p, a)...)
	}
	drop := func(p *catalog.Object) {
		if a := w.dropPart(c.Target, p); a != nil {
			if p.Kind != kindPolicy && p.Kind != kindRule {
				w.reaches(c, a)
			}
			w.dropGently(c, p, a)
			out = append(out, a)
		}
	}
	kept, there := w.leftovers(c)
	out = append(out, kept...)
	for _, it := range c.Parts {
		if !pick(it.Kind()) {
			continue
		}
		switch {
		case it.Target == nil && there[it.Source]:
		case it.Target == nil:
			create(it.Source)
		case it.Source == nil && there[it.Target]:
		case it.Source == nil:
			drop(it.Target)
		case c.Rebuilds(it):
			drop(it.Target)
			create(it.Source)
		case it.Status == compare.Differs:
			if as, ok := w.alterPart(c, it); ok {
				out = append(out, as...)
			} else {
				drop(it.Target)
				create(it.Source)
			}
		}
	}
	return out
}
