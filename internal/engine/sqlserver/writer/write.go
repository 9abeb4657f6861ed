// Package writer turns changes into SQL Server's DDL.
package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/sqlserver/ddl"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// Writer turns changes into SQL Server's SQL. Every statement is a batch of its own.
type Writer struct {
	// Fill gives the value for existing rows of a column.
	Fill map[catalog.Ref]string
	// Back says that the script is the way back of another one: what that one put
	// into new columns is no loss.
	Back bool
	// AvoidBlocking writes what keeps others working, where the server can.
	AvoidBlocking bool

	// Shown says that statements are for people to read, or for a file: they do not look
	// whether they have run.
	Shown bool

	renamed  map[catalog.Ref][][2]string // columns, by their table: the old name and the new one, as they come
	together map[[3]string]catalog.Ref   // columns of a versioned table and its history: the one that was renamed first
}

var _ order.Writer = (*Writer)(nil)

var (
	quote     = vocab.Quote
	qualified = vocab.Qualified
	batch     = vocab.Batch
)

// title names an object for people.
func title(o *catalog.Object) string {
	name := o.Name
	if o.Schema != "" && !strings.EqualFold(o.Schema, "dbo") {
		name = o.Schema + "." + name
	}
	return o.Kind.Title() + " " + name
}

// names are those an object takes or frees.
func names(o *catalog.Object) []order.Name {
	out := []order.Name{{Space: o.Space, Schema: o.Schema, Name: strings.ToLower(o.Name)}}
	for _, p := range o.Parts {
		out = append(out, partNames(o, p)...)
	}
	return out
}

// partNames are those of a part: constraints and triggers are objects of the schema.
// A name that the server makes is never taken.
func partNames(o, p *catalog.Object) []order.Name {
	switch {
	case p.Kind == catalog.Column:
		if n := p.Text("default name"); n != "" {
			return []order.Name{{Space: vocab.Objects, Schema: o.Schema, Name: strings.ToLower(n)}}
		}
	case p.Kind != catalog.Index && p.Kind != vocab.Statistics && p.Kind != vocab.Period && p.Kind != vocab.Versioning && p.Kind != vocab.TextIndex && p.Name != "":
		return []order.Name{{Space: vocab.Objects, Schema: o.Schema, Name: strings.ToLower(p.Name)}}
	}
	return nil
}

func created(o *catalog.Object, sql ...string) *order.Action {
	return &order.Action{About: o.Ref(), Title: "create " + title(o), SQL: ddl.Batches(sql...), Makes: []catalog.Ref{o.Ref()}, Creates: true, Takes: []order.Name{{Space: o.Space, Schema: o.Schema, Name: strings.ToLower(o.Name)}}, Locks: []order.TableLock{}}
}

// Create implements order.Writer.
func (w *Writer) Create(c *order.Change) []*order.Action {
	o := c.Source
	var out []*order.Action
	switch o.Kind {
	case catalog.Table:
		out = w.createTable(c)
	case catalog.View, catalog.Routine:
		out = append([]*order.Action{created(o, ddl.Module(o, "CREATE"))}, w.moduleParts(c)...)
		out[0].SQL = ddl.InSettings(o, out[0].SQL)
	case vocab.Grant:
		return []*order.Action{createGrant(c)}
	case vocab.DatabaseTrigger:
		return []*order.Action{databaseTrigger(c, "CREATE")}
	case vocab.Role:
		out = []*order.Action{createRole(c)}
	case vocab.TextCatalog:
		return []*order.Action{w.createTextCatalog(o)}
	default:
		out = []*order.Action{created(o, ddl.Plain(o, c.Desired))}
	}
	out[0].SQL = append(out[0].SQL, ddl.Comments(o, nil, ddl.LevelOf(o))...)
	if sql := settled(c); len(sql) > 0 {
		out[0].SQL, out[0].Note = append(out[0].SQL, sql...), strings.TrimSpace(out[0].Note+" "+wanted(c))
		out[0].After = append(out[0].After, principals(c)...)
	}
	return led(c, grouped(c, out))
}

// Drop implements order.Writer.
func (w *Writer) Drop(c *order.Change) []*order.Action {
	o := c.Target
	a := &order.Action{About: o.Ref(), Title: "drop " + title(o), Removes: []catalog.Ref{o.Ref()}, Frees: names(o), Late: c.Source == nil, SQL: ddl.Batches("DROP " + ddl.Keyword(o) + " " + qualified(o) + ";")}
	switch o.Kind {
	case vocab.Role:
		dropRole(c, a)
		return []*order.Action{a}
	case vocab.DatabaseTrigger:
		a.SQL, a.Late = ddl.Batches("DROP TRIGGER "+quote(o.Name)+" ON DATABASE;"), false
		a.Frees = append(a.Frees, turns(o, o)...)
		return []*order.Action{a}
	case vocab.TextCatalog:
		a.SQL, a.Late, a.Alone, a.Note = ddl.Batches("DROP FULLTEXT CATALOG "+quote(o.Name)+";"), false, true, beforeAll
		return []*order.Action{a}
	case vocab.PartitionScheme, vocab.PartitionFunction:
		if inUse(c, a); o.Kind == vocab.PartitionScheme {
			a.Frees = append(a.Frees, goneFrom(o))
		}
		return []*order.Action{a}
	case vocab.Grant:
		a.Title, a.SQL = "take the rights of "+o.Name+" on the database away", nil
		for _, g := range o.List("grants") {
			a.SQL = append(a.SQL, revoked(g, ""))
		}
		return []*order.Action{a}
	}
	var out []*order.Action
	for _, p := range o.Parts {
		if p.Kind == vocab.Versioning || p.Kind == vocab.TextIndex || p.Kind == catalog.ForeignKey && needsElsewhere(o, p) { // first, so that tables can go in any order
			out = append(out, w.dropPart(o, p))
			continue
		}
		a.Removes = append(a.Removes, o.PartRef(p))
	}
	if o.Kind == catalog.Table {
		a.Risks = []order.Risk{{Kind: order.Loss, On: o.Ref(), Text: "every row of table " + o.Name, Ask: anyRow(o)}}
		locks(a, o)
	}
	return led(c, hidden(o, append(out, a)))
}

func needsElsewhere(o, key *catalog.Object) bool {
	return slices.ContainsFunc(key.Needs, func(n catalog.Need) bool { return n.On.Kind == catalog.Table && n.On.Object() != o.Ref() })
}

// locks says that an action locks a table against everybody (SQL Server: Schema
// locks).
func locks(a *order.Action, tables ...*catalog.Object) *order.Action {
	for _, o := range tables {
		if o != nil && o.Kind == catalog.Table {
			a.Locks = append(a.Locks, order.TableLock{On: o.Ref(), Mode: "Sch-M", Waits: "others wait to read and to write until the end", Rank: 9})
		}
	}
	return a
}

// Alter implements order.Writer.
func (w *Writer) Alter(c *order.Change) ([]*order.Action, bool) {
	out, ok := w.altered(c)
	out = led(c, grouped(c, hidden(c.Target, out)))
	if !ok || c.Source.Kind == catalog.Table && rebuilt(c) != "" { // it got them with all else
		return out, ok
	}
	return append(out, rights(c)...), true
}

// altered changes all of an object but its owner and rights.
func (w *Writer) altered(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	switch o.Kind {
	case catalog.Table:
		return w.alterTable(c), true
	case catalog.View, catalog.Routine:
		return w.alterModule(c)
	case vocab.Role:
		return alterRole(c), true
	case vocab.PartitionFunction:
		return alterPartitions(c)
	case vocab.DatabaseTrigger:
		return alterDatabaseTrigger(c)
	case vocab.TextCatalog:
		return alterTextCatalog(c)
	}
	a := &order.Action{About: o.Ref(), Title: "change " + title(o), Makes: []catalog.Ref{o.Ref()}, Locks: []order.TableLock{}}
	rest := 0
	for _, d := range c.Properties {
		switch {
		case ddl.Described(d.Name), rightly(d):
		case d.Name == "disabled" && o.Kind == vocab.Policy:
			a.SQL = append(a.SQL, batch("ALTER SECURITY POLICY "+qualified(o)+" WITH (STATE = "+ddl.OnOff(!o.Has("disabled"))+");"))
		case d.Name == catalog.Letters && o.Kind == vocab.Grant:
		case d.Name == catalog.Letters && o.Kind != catalog.Schema:
			a.SQL = append(a.SQL, renamed(c.Target, o.Name, map[catalog.Kind]string{vocab.AliasType: "USERDATATYPE", vocab.TableType: "USERDATATYPE"}[o.Kind]))
		default:
			rest++
		}
	}
	if rest > 0 && o.Kind == catalog.Sequence && c.Property("type") == nil {
		a.SQL = append(a.SQL, alterSequence(c, a)...)
		rest = 0
	}
	if rest > 0 || o.Kind == vocab.TableType && len(c.Parts) > 0 && differs(c.Parts) {
		return nil, false
	}
	a.SQL = append(a.SQL, ddl.Comments(o, c.Target, ddl.LevelOf(o))...)
	if len(a.SQL) == 0 {
		return nil, true
	}
	return []*order.Action{a}, true
}

func differs(parts []*compare.Item) bool {
	return slices.ContainsFunc(parts, func(it *compare.Item) bool { return it.Status != compare.Same })
}

func alterSequence(c *order.Change, a *order.Action) []string {
	o := c.Source
	options := ddl.SequenceOptions(o, c.Target)
	if o.Text("start") != c.Target.Text("start") { // the start alone is no option of ALTER
		options = strings.TrimSpace("RESTART WITH " + o.Text("start") + " " + options)
		a.Note = "It begins again at its start: the start cannot be changed otherwise."
		a.Risks = append(a.Risks, order.Risk{Kind: order.BreaksCallers, On: o.Ref(), Text: "numbers that were given already may be given again"})
	}
	if options == "" {
		return nil
	}
	return ddl.Batches("ALTER SEQUENCE " + qualified(o) + " " + options + ";")
}

// renamed gives something another name; kind is its word for sp_rename, "" for an
// object.
func renamed(o *catalog.Object, now, kind string) string {
	sql := fmt.Sprintf("EXEC sp_rename %s, %s", vocab.String(qualified(o)), vocab.String(now))
	if kind != "" {
		sql += ", " + vocab.String(kind)
	}
	return batch(sql + ";")
}

// Survives implements order.Writer (SQL Server: ALTER TABLE, ALTER COLUMN): what is
// bound to a column refuses its change but where only its room grows.
func (w *Writer) Survives(owner, part *catalog.Object, need catalog.Need, effect order.Effect) bool {
	switch {
	case part != nil && part.Kind == catalog.Column && owner.Text(vocab.Current) != "" && need.Text: // of a history: it follows that of its table
		return !effect.Gone
	case need.Text:
		return true
	case effect.Gone:
		return false
	case part != nil && (part.Kind == vocab.Period || part.Kind == vocab.Versioning):
		return false
	case effect.Aspect == vocab.AspectColumns, effect.Aspect == vocab.AspectRows:
		return effect.Aspect != need.Aspect
	case part != nil && part.Kind == vocab.TextIndex:
		return effect.Aspect == catalog.AspectName
	case part == nil: // a module that is bound
		return false
	}
	switch effect.Aspect {
	case vocab.AspectWidened:
		return (part.Kind == catalog.Index || part.Kind == vocab.Statistics) && !part.Has("where") || part.Kind == catalog.Unique || part.Kind == catalog.Check
	case vocab.AspectResized:
		return part.Kind == catalog.Check
	case catalog.AspectSignature: // of a function
		return part.Kind != catalog.Check && part.Kind != catalog.Column
	case catalog.AspectType:
		return part.Kind == catalog.Column && !part.Has("generated")
	}
	return true
}
