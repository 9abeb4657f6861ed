package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlserver/ddl"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// moduleParts are the indexes and triggers of a view.
func (w *Writer) moduleParts(c *order.Change) []*order.Action {
	var out []*order.Action
	for _, p := range c.Source.Parts {
		out = append(out, w.createPart(c, p))
	}
	return out
}

// alterModule changes a view or routine in place: CREATE OR ALTER keeps what was
// granted on it.
func (w *Writer) alterModule(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	if c.Property("type") != nil {
		return nil, false
	}
	a := &order.Action{About: o.Ref(), Title: "replace " + title(o), Makes: []catalog.Ref{o.Ref()}, Locks: []order.TableLock{}}
	if c.Property(catalog.Letters) != nil {
		a.SQL = append(a.SQL, renamed(c.Target, o.Name, ""))
	}
	replaced := slices.ContainsFunc(c.Properties, func(d compare.PropertyDiff) bool { return d.Name == "definition" || strings.HasSuffix(d.Name, " off") })
	if replaced {
		a.SQL = append(a.SQL, ddl.InSettings(o, ddl.Batches(ddl.Module(o, "CREATE OR ALTER")))...)
		a.Effects = []order.Effect{{On: o.Ref(), Aspect: catalog.AspectSignature}}
	}
	a.SQL = append(a.SQL, ddl.Comments(o, c.Target, ddl.LevelOf(o))...)
	var out []*order.Action
	if len(a.SQL) > 0 {
		out = append(out, a)
	}
	indexed := slices.ContainsFunc(c.Target.Parts, func(p *catalog.Object) bool { return p.Kind == catalog.Index })
	for _, it := range c.Parts {
		if replaced && indexed && it.Kind() == vocab.TextIndex { // its key goes when the view is altered
			if it.Target != nil {
				out = append(out, w.dropPart(c.Target, it.Target))
			}
			if it.Source != nil {
				out = append(out, w.createPart(c, it.Source))
			}
			continue
		}
		if replaced && indexed && it.Kind() == catalog.Index { // they go when the view is altered
			if it.Target != nil {
				a.Removes = append(a.Removes, c.Target.PartRef(it.Target))
			}
			if it.Source != nil {
				up := w.createPart(c, it.Source)
				up.Sequel = a
				out = append(out, up)
			}
			continue
		}
		out = append(out, w.part(c, it)...)
	}
	return out, true
}

// createTrigger makes a trigger, or replaces it, with its order and state; not with what
// describes it.
func (w *Writer) createTrigger(o, p *catalog.Object, verb string) *order.Action {
	ref := o.PartRef(p)
	name := quote(o.Schema) + "." + quote(p.Name)
	sql := []string{batch(ddl.Heading(p) + verb + " TRIGGER " + name + ddl.Spaced(p.Text("definition")))}
	sql = ddl.InSettings(p, sql)
	sql = append(sql, placed(name, p, "")...)
	if p.Has("disabled") {
		sql = append(sql, batch("DISABLE TRIGGER "+name+" ON "+qualified(o)+";"))
	}
	word := "create"
	if verb != "CREATE" {
		word = "replace"
	}
	return locks(&order.Action{About: ref, Title: fmt.Sprintf("%s trigger %s on %s", word, p.Name, o.Name), Makes: []catalog.Ref{ref}, Takes: append(partNames(o, p), turns(o, p)...), SQL: sql}, o)
}

// placed says of which events a trigger is the first or the last; on is DATABASE for one of
// the database.
func placed(name string, p *catalog.Object, on string) []string {
	var sql []string
	for _, at := range p.List("order") {
		place, event, _ := strings.Cut(at, " at ")
		sql = append(sql, batch("EXEC sp_settriggerorder "+vocab.String(name)+", "+vocab.String(strings.ToUpper(place[:1])+place[1:])+", "+vocab.String(event)+on+";"))
	}
	return sql
}

// turns are the places in the order of triggers that a trigger has: each is one's only.
func turns(o, p *catalog.Object) []order.Name {
	var out []order.Name
	for _, at := range p.List("order") {
		out = append(out, order.Name{Space: "trigger place", Schema: home(o, p), Name: at})
	}
	return out
}

// stepsBack gives up the places in the order that a trigger has and will not have, so that
// others can take them.
func stepsBack(o, was, now *catalog.Object, name, on string) []*order.Action {
	a := &order.Action{About: o.Ref(), Title: "let trigger " + was.Name + " fire in no set order", Locks: []order.TableLock{}}
	if was != o {
		a.About = o.PartRef(was)
		locks(a, o)
	}
	for _, at := range was.List("order") {
		if slices.Contains(now.List("order"), at) {
			continue
		}
		_, event, _ := strings.Cut(at, " at ")
		a.SQL = append(a.SQL, batch("EXEC sp_settriggerorder "+vocab.String(name)+", N'None', "+vocab.String(event)+on+";"))
		a.Frees = append(a.Frees, order.Name{Space: "trigger place", Schema: home(o, was), Name: at})
	}
	if len(a.SQL) == 0 {
		return nil
	}
	return []*order.Action{a}
}

// home is what the places of a trigger are counted in: its table, or the database.
func home(o, p *catalog.Object) string {
	if o == p {
		return ""
	}
	return o.Ref().String()
}

// databaseTrigger makes a trigger of the database, or replaces it, last of all: it looks at
// what the steps before it do as well, once it is there.
func databaseTrigger(c *order.Change, verb string) *order.Action {
	o := c.Source
	a := created(o, ddl.Heading(o)+verb+" TRIGGER "+quote(o.Name)+ddl.Spaced(o.Text("definition")))
	a.SQL, a.Late = append(ddl.InSettings(o, a.SQL), placed(quote(o.Name), o, ofDatabase)...), true
	a.Takes = append(a.Takes, turns(o, o)...)
	if anyInMemory(c) { // which it must not see come
		a.Leads, a.Later = true, true
	}
	if o.Has("disabled") {
		a.SQL = append(a.SQL, batch("DISABLE TRIGGER "+quote(o.Name)+" ON DATABASE;"))
	}
	return a
}

func alterDatabaseTrigger(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	if c.Property(catalog.Letters) != nil { // it has no other name to be given
		return nil, false
	}
	a := &order.Action{About: o.Ref(), Title: "change " + title(o), Makes: []catalog.Ref{o.Ref()}, Locks: []order.TableLock{}, Late: true}
	replaced := c.Property("definition") != nil || c.Property("ansi nulls off") != nil || c.Property("quoted identifier off") != nil
	if replaced {
		a.SQL = ddl.InSettings(o, ddl.Batches(ddl.Heading(o)+"CREATE OR ALTER TRIGGER "+quote(o.Name)+ddl.Spaced(o.Text("definition"))))
	}
	var before []*order.Action
	if replaced || c.Property("order") != nil {
		before = stepsBack(c.Target, c.Target, o, quote(o.Name), ofDatabase)
		a.SQL = append(a.SQL, placed(quote(o.Name), o, ofDatabase)...)
		a.Takes = turns(o, o)
	}
	if !o.Has("disabled") && anyInMemory(c) {
		a.Leads, a.Later = true, true
	}
	if c.Property("disabled") != nil {
		a.SQL = append(a.SQL, batch(map[bool]string{true: "DISABLE", false: "ENABLE"}[o.Has("disabled")]+" TRIGGER "+quote(o.Name)+" ON DATABASE;"))
	}
	if len(a.SQL) == 0 && len(before) > 0 { // it gives up its place, and no more
		before[0].Makes = a.Makes
		return before, true
	}
	return append(before, a), true
}

// ofDatabase ends a statement about the order of a trigger of the database.
const ofDatabase = ", N'DATABASE'"

// alterTrigger changes a trigger in place.
func (w *Writer) alterTrigger(c *order.Change, it *compare.Item) []*order.Action {
	o, p := c.Source, it.Source
	name := quote(o.Schema) + "." + quote(p.Name)
	if slices.ContainsFunc(it.Properties, func(d compare.PropertyDiff) bool {
		return d.Name == "definition" || d.Name == "order" || strings.HasSuffix(d.Name, " off")
	}) {
		a := w.createTrigger(o, p, "CREATE OR ALTER")
		a.Takes = turns(o, p)
		if it.Target.Has("disabled") && !p.Has("disabled") {
			a.SQL = append(a.SQL, batch("ENABLE TRIGGER "+name+" ON "+qualified(o)+";"))
		}
		a.SQL = append(a.SQL, ddl.Comments(p, it.Target, ddl.LevelOf(o).Part(p))...)
		return append(stepsBack(c.Target, it.Target, p, quote(o.Schema)+"."+quote(it.Target.Name), ""), a)
	}
	a := locks(&order.Action{About: o.PartRef(p), Title: fmt.Sprintf("change trigger %s on %s", p.Name, o.Name), Makes: []catalog.Ref{o.PartRef(p)}}, o)
	if it.Property(catalog.Letters) != nil {
		old := &catalog.Object{Schema: o.Schema, Name: it.Target.Name}
		a.SQL = append(a.SQL, renamed(old, p.Name, ""))
	}
	if it.Property("disabled") != nil {
		a.SQL = append(a.SQL, batch(map[bool]string{true: "DISABLE", false: "ENABLE"}[p.Has("disabled")]+" TRIGGER "+name+" ON "+qualified(o)+";"))
	}
	a.SQL = append(a.SQL, ddl.Comments(p, it.Target, ddl.LevelOf(o).Part(p))...)
	return []*order.Action{a}
}

// refreshed looks the columns of views up anew that read a table: the server keeps
// them as they were when the view was made (SQL Server: sp_refreshsqlmodule).
func refreshed(c *order.Change, after []catalog.Ref) []*order.Action {
	reach := map[catalog.Ref]bool{c.Target.Ref(): true}
	gone := map[string]bool{}
	for _, it := range c.Parts {
		if it.Kind() == catalog.Column && it.Source == nil {
			gone[strings.ToLower(it.Target.Name)] = true
		}
	}
	broken := map[catalog.Ref]bool{}
	var out []*order.Action
	for again := true; again; {
		again = false
		for _, v := range c.Actual.Objects {
			if v.Kind != catalog.View || v.Has("schema bound") || reach[v.Ref()] || !slices.ContainsFunc(v.Needs, func(n catalog.Need) bool { return reach[n.On.Object()] }) {
				continue
			}
			reach[v.Ref()], again = true, true
			now := c.Desired.Find(v.Ref())
			if slices.ContainsFunc(v.Needs, func(n catalog.Need) bool { return broken[n.On.Object()] }) || slices.ContainsFunc(sqltext.Significant(vocab.Dialect, v.Text("definition")), func(t sqltext.Token) bool { return t.IsName() && gone[strings.ToLower(t.Name())] }) {
				broken[v.Ref()] = true // it may read what goes: it would be refused
				continue
			}
			if now == nil || now.Text("definition") != v.Text("definition") || slices.ContainsFunc(v.Needs, func(n catalog.Need) bool { return c.Desired.Resolve(n.On) == nil }) {
				continue // it is made anew, or reads what will not be there: that is somebody else's to mend
			}
			a := &order.Action{About: v.Ref(), Title: "refresh " + title(v), Late: true, After: after, Locks: []order.TableLock{}, SQL: ddl.Batches("EXEC sp_refreshsqlmodule " + vocab.String(qualified(v)) + ";")}
			for _, n := range now.Needs { // it reads them all
				a.After = append(a.After, n.On)
			}
			out = append(out, a)
		}
	}
	return out
}
