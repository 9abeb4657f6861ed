// Package writer turns changes into PostgreSQL's DDL.
package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/rows"
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
		catalog.Schema:   {(*Writer).createSchema, alterByFacts},
		catalog.Enum:     {(*Writer).createEnum, (*Writer).alterEnum},
		kindDomain:       {(*Writer).createDomain, (*Writer).alterDomain},
		kindComposite:    {(*Writer).createComposite, (*Writer).alterComposite},
		kindRange:        {(*Writer).createRange, rebuildIfDefined},
		catalog.Sequence: {(*Writer).createSequence, (*Writer).alterSequence},
		catalog.Table:    {(*Writer).createTable, (*Writer).alterTable},
		catalog.View:     {(*Writer).createView, (*Writer).alterView},
		kindMatView:      {(*Writer).createView, (*Writer).alterView},
		catalog.Routine:  {(*Writer).createRoutine, (*Writer).alterRoutine},
	}
	kinds[kindPublication] = kindWriter{(*Writer).createPublication, (*Writer).alterPublication}
	kinds[vocab.ForeignTable] = kindWriter{(*Writer).createTable, (*Writer).alterTable}
	kinds[vocab.Wrapper] = kindWriter{(*Writer).createForeign, (*Writer).alterForeign}
	kinds[vocab.ForeignServer] = kindWriter{(*Writer).createForeign, (*Writer).alterForeign}
	kinds[vocab.UserMapping] = kindWriter{(*Writer).createForeign, (*Writer).alterForeign}
	kinds[vocab.Subscription] = kindWriter{(*Writer).createSubscription, (*Writer).alterSubscription}
	kinds[vocab.BaseType] = kindWriter{(*Writer).createBaseType, rebuildIfDefined}
	kinds[kindDefaultRights] = kindWriter{(*Writer).createDefaultRights, (*Writer).alterDefaultRights}
	for _, k := range vocab.SimpleKinds {
		kinds[k.Kind] = kindWriter{(*Writer).createSimple, rebuildIfDefined}
	}
	kinds[vocab.Extension] = kindWriter{(*Writer).createExtension, (*Writer).alterExtension}
}

// title names an object for people.
func title(o *catalog.Object) string {
	name := o.Name
	if o.Schema != "" && o.Schema != "public" {
		name = o.Schema + "." + name
	}
	kind := o.Kind.Title()
	if o.Has("procedure") {
		kind = "procedure"
	}
	return kind + " " + name
}

func names(o *catalog.Object) []order.Name {
	if o.Space == "" {
		return nil
	}
	out := []order.Name{{Space: o.Space, Schema: o.Schema, Name: o.Name}}
	if o.Space == "routine" {
		// While two overloads stand side by side a call can be ambiguous.
		out = append(out, order.Name{Space: "overload", Schema: o.Schema, Name: bareName(o), Soft: true})
	}
	if o.Space == "relation" { // every relation has a row type
		out = append(out, order.Name{Space: "type", Schema: o.Schema, Name: o.Name})
	}
	return out
}

// partNames are the names a part takes beside the table's.
func partNames(o, p *catalog.Object) []order.Name {
	if p.Space == "" {
		return []order.Name{{Space: "part of " + o.Ref().String() + " " + constraintSpace(p.Kind), Name: p.Name}}
	}
	return []order.Name{{Space: "relation", Schema: o.Schema, Name: p.Name}, {Space: "part of " + o.Ref().String() + " " + constraintSpace(p.Kind), Name: p.Name}}
}

// Create implements order.Writer.
func (w *Writer) Create(c *order.Change) []*order.Action {
	as := kinds[c.Source.Kind].create(w, c)
	if vocab.IsTable(c.Source.Kind) {
		underRecast(c, c.Desired, c.Source, as)
	}
	for _, a := range as { // a shell may come before it
		if slices.Contains(a.Makes, c.Source.Ref()) {
			a.SQL = append(append(a.SQL, objectExtras(c.Source)...), ownerAndGrants(c)...)
			if note := policyNote(c); note != "" {
				a.Note = strings.TrimSpace(a.Note + " " + note)
			}
			break
		}
	}
	return lockedBy(c, as)
}

// created is the action that makes an object.
func created(o *catalog.Object, sql ...string) *order.Action {
	return lockFree(&order.Action{About: o.Ref(), Title: "create " + title(o), SQL: sql, Makes: []catalog.Ref{o.Ref()}, Creates: true, Takes: names(o)})
}

// Drop implements order.Writer.
func (w *Writer) Drop(c *order.Change) []*order.Action {
	o := c.Target
	if o.Kind == kindDefaultRights {
		return []*order.Action{defaultRights(o, "drop", o.List("normal"), o.List("rights"))}
	}
	if o.Kind == catalog.Sequence && o.Has("owned by") {
		// It goes with its column.
		if ref, ok := vocab.OwnerColumn(o); ok && c.Desired.Resolve(ref) == nil {
			return nil
		}
	}
	a := &order.Action{About: o.Ref(), Title: "drop " + title(o), Removes: []catalog.Ref{o.Ref()}, Frees: names(o), Late: c.Source == nil,
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
		a.Frees = append(a.Frees, partNames(o, p)...)
	}
	if o.Has("partition of") {
		alsoLocks(accessExclusive.takes(a), accessExclusive, o)
	}
	if o.Kind == catalog.Table {
		a.Risks = []order.Risk{{Kind: order.Loss, On: o.Ref(), Text: "every row of " + title(o), Ask: rows.Any(o)}}
		out = append(out, w.ownedGo(c, o, "", a)...)
		dropPartition(c, a)
	}
	switch {
	case o.Kind == vocab.Subscription:
		a.SQL = append(dropSubscription(o), a.SQL...)
	case o.Kind == vocab.BaseType || o.Kind == kindRange && len(routinesOf(c.Actual, o)) > 0:
		// It and the functions it is made of need each other: they go at once.
		a.SQL = []string{fmt.Sprintf("DROP TYPE %s CASCADE;", qualified(o))}
		a.Removes = append(a.Removes, vocab.Shell(o))
		for _, f := range routinesOf(c.Actual, o) {
			a.Removes = append(a.Removes, f.Ref())
			a.Frees = append(a.Frees, names(f)...)
		}
	case o.Kind == catalog.Routine && madeOf(c.Actual, o) != nil:
		return nil // it goes with its type
	}
	if out = append(out, a); vocab.IsTable(o.Kind) {
		underRecast(c, c.Actual, o, out)
	}
	return lockedBy(c, out)
}

// dropPartition is what is different for a table that is a partition of one
// that stays.
func dropPartition(c *order.Change, drop *order.Action) {
	o := c.Target
	parent := parentTable(c.Actual, o)
	if parent == nil {
		return
	}
	if leaves(c, o, drop) {
		drop.SQL = append([]string{fmt.Sprintf("ALTER TABLE %s DETACH PARTITION %s;", qualified(parent), qualified(o))}, drop.SQL...)
	}
	if list, _ := settlers(c, parent); len(list) == 0 {
		return
	}
	drop.Late = false // others may want its place
	drop.Makes = append(drop.Makes, rowsPutAside(o.Ref()))
	if where := elsewhere(c, o); where != "" {
		drop.SQL = append(takeAside(o, settledName(o, nil), where), drop.SQL...)
		drop.Note = "Its rows get into the partitions that take them."
		for i, r := range drop.Risks {
			if r.Kind == order.Loss {
				drop.Risks[i].Text, drop.Risks[i].Ask = "rows of "+title(o)+" that no other partition takes", rows.Placeless(o, where)
			}
		}
	}
}

// ownedGo says that the sequences of a table, or of one column, go with it, and
// releases those that stay.
func (w *Writer) ownedGo(c *order.Change, o *catalog.Object, column string, drop *order.Action) []*order.Action {
	var out []*order.Action
	for _, s := range ownedSequences(c.Actual, o, column) {
		if c.Desired.Find(s.Ref()) == nil {
			drop.Removes = append(drop.Removes, s.Ref())
			drop.Frees = append(drop.Frees, names(s)...)
			continue
		}
		drop.After = append(drop.After, released(s.Ref()))
		out = append(out, lockFree(&order.Action{About: s.Ref(), Title: "release " + title(s) + " from its column", Makes: []catalog.Ref{released(s.Ref())},
			SQL: []string{fmt.Sprintf("ALTER SEQUENCE %s OWNED BY NONE;", qualified(s))}}))
	}
	return out
}

// released stands for a sequence that no longer belongs to a column that goes.
func released(r catalog.Ref) catalog.Ref {
	return catalog.Ref{Kind: "released", Schema: r.Schema, Name: r.Name}
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

// ownedSequences are the sequences that belong to a table, or to one column.
func ownedSequences(cat *catalog.Catalog, table *catalog.Object, column string) []*catalog.Object {
	var out []*catalog.Object
	for _, s := range cat.Objects {
		if s.Kind != catalog.Sequence {
			continue
		}
		if r, ok := vocab.OwnerColumn(s); ok && r.Object() == table.Ref() && (column == "" || r.Part == column) {
			out = append(out, s)
		}
	}
	return out
}

// Alter implements order.Writer.
func (w *Writer) Alter(c *order.Change) ([]*order.Action, bool) {
	out, ok := kinds[c.Source.Kind].alter(w, c)
	return lockedBy(c, out), ok
}

// alterByFacts changes what every kind can change: comment, owner, grants.
// It answers false when anything else differs.
func alterByFacts(w *Writer, c *order.Change) ([]*order.Action, bool) {
	for _, p := range c.Properties {
		if !outward[p.Name] {
			return nil, false
		}
	}
	return outwardActions(c), true
}

// outward are the facts that do not touch the thing itself.
var outward = map[string]bool{"security labels": true, "comment": true, "owner": true, "grants": true, "column grants": true, "column comments": true, "index comment": true}

// rebuildIfDefined rebuilds the object when more than its comment differs.
func rebuildIfDefined(w *Writer, c *order.Change) ([]*order.Action, bool) { return alterByFacts(w, c) }

// outwardActions set comment and the like on an object that stays.
func outwardActions(c *order.Change) []*order.Action {
	o := c.Source
	var out []*order.Action
	add := func(what string, sql ...string) {
		out = append(out, shareUpdateExclusive.takes(&order.Action{About: o.Ref(), Title: "change the " + what + " of " + title(o), SQL: sql, Makes: []catalog.Ref{o.Ref()}}))
	}
	if d := c.Property("comment"); d != nil {
		add("comment", fmt.Sprintf("COMMENT ON %s %s IS %s;", keyword(o), sqlName(o), commentText(o)))
	}
	if c.Property("security labels") != nil {
		add("security labels", labels(keyword(o)+" "+sqlName(o), o.List("security labels"), c.Target.List("security labels"))...)
	}
	if c.Property("column comments") != nil {
		add("column comments", columnComments(c)...)
	}
	return append(out, rightsActions(c)...)
}

// columnComments sets the comments on the columns of a view.
func columnComments(c *order.Change) []string {
	split := func(o *catalog.Object) map[string]string {
		m := map[string]string{}
		for _, t := range o.List("column comments") {
			col, text, _ := strings.Cut(t, ": ")
			m[col] = text
		}
		return m
	}
	now, was := split(c.Source), split(c.Target)
	var out []string
	for _, col := range sortedKeys(now) {
		if old, ok := was[col]; !ok || old != now[col] {
			out = append(out, fmt.Sprintf("COMMENT ON COLUMN %s.%s IS %s;", qualified(c.Source), col, literal(now[col])))
		}
	}
	for _, col := range sortedKeys(was) {
		if _, ok := now[col]; !ok && hasColumn(c.Source, col) {
			out = append(out, fmt.Sprintf("COMMENT ON COLUMN %s.%s IS NULL;", qualified(c.Source), col))
		}
	}
	return out
}

func hasColumn(view *catalog.Object, quoted string) bool {
	starts := func(c string) bool { return strings.HasPrefix(c, quoted+" ") }
	return slices.ContainsFunc(view.List("columns"), starts) || slices.ContainsFunc(view.List("attributes"), starts)
}

func sortedKeys[V any](m map[string]V) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
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
		return effect.Replaced && need.Fact == "type" && !slices.Contains(keyColumns(owner), part)
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
