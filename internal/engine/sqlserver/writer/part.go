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

// part carries out the change of one part.
func (w *Writer) part(c *order.Change, it *compare.Item) []*order.Action {
	switch {
	case it.Kind() == catalog.Column:
		return w.column(c, it)
	case it.Target == nil && it.Kind() == vocab.Versioning && newHistory(c, it.Source):
		return nil
	case it.Target == nil:
		return []*order.Action{w.createPart(c, it.Source)}
	case it.Source == nil:
		return []*order.Action{w.dropPart(c.Target, it.Target)}
	case c.Rebuilds(it):
		down, up := w.dropPart(c.Target, it.Target), w.createPart(c, it.Source)
		paused(down, up)
		return []*order.Action{down, up}
	case it.Status == compare.Same:
		return nil
	case it.Kind() == catalog.Trigger:
		return w.alterTrigger(c, it)
	}
	if as, ok := w.alterPart(c, it); ok {
		return as
	}
	if it.Kind() == vocab.Versioning && newHistory(c, it.Source) {
		return []*order.Action{w.dropPart(c.Target, it.Target)}
	}
	return []*order.Action{w.dropPart(c.Target, it.Target), w.createPart(c, it.Source)}
}

// partTitle is a part with its table, for people.
func partTitle(verb string, o, p *catalog.Object, between string) string {
	name := p.Name
	if name == "" {
		name = "(" + ddl.Written(p, "columns") + p.Text("expression") + ")"
	}
	return fmt.Sprintf("%s %s %s %s %s", verb, p.Kind.Title(), name, between, o.Name)
}

// online is the option that lets others go on while an index is built, on editions
// that know it (SQL Server: Perform index operations online).
func (w *Writer) online(c *order.Change, p *catalog.Object) []string {
	edition := c.Actual.Limits["edition"]
	if !w.AvoidBlocking || edition != 3 && edition != 5 && edition != 8 || strings.Contains(p.Text("type"), "columnstore") || strings.HasSuffix(p.Text("type"), "XML") || p.Text("type") == "spatial" {
		return nil
	}
	return []string{"ONLINE = ON"}
}

// createPart makes a constraint, index or trigger.
func (w *Writer) createPart(c *order.Change, p *catalog.Object) *order.Action {
	o := c.Source
	if p.Kind == catalog.Trigger {
		a := w.createTrigger(o, p, "CREATE")
		a.SQL = append(a.SQL, ddl.Comments(p, nil, ddl.LevelOf(o).Part(p))...)
		return a
	}
	ref := o.PartRef(p)
	a := locks(&order.Action{About: ref, Title: partTitle("add", o, p, "to"), Makes: []catalog.Ref{ref}, Takes: partNames(o, p)}, o)
	there := c.Target != nil && c.Target.Kind == catalog.Table
	add := "ALTER TABLE " + qualified(o)
	switch p.Kind {
	case catalog.Index:
		a.Title = partTitle("create", o, p, "on")
		a.SQL = ddl.Batches(ddl.Index(o, p, w.online(c, p)) + ";")
		if o.Has(vocab.InMemory) {
			a.SQL = ddl.Batches(add + " ADD " + ddl.InlineIndex(p) + ";")
		}
		if p.Has("unique") && there {
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: ref, Text: "fails when two rows have the same key", Ask: w.doubled(c, p)})
		}
		if p.Has("disabled") {
			a.SQL = append(a.SQL, disabled(o, p))
		}
	case catalog.PrimaryKey, catalog.Unique:
		a.SQL = ddl.Batches(add + " ADD " + ddl.Key(o, p, false) + ";")
		if there {
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: ref, Text: "fails when two rows have the same key", Ask: w.doubled(c, p)})
		}
		if p.Has("disabled") {
			a.SQL = append(a.SQL, disabled(o, p))
		}
	case vocab.TextIndex:
		a.Title, a.SQL, a.Later, a.Note = "create the full-text index of "+o.Name, w.textIndexSQL(o, p), true, behindAll
	case vocab.Statistics:
		a.Title = partTitle("create", o, p, "on")
		a.SQL = []string{ddl.Statistics(o, p)}
	case vocab.Period:
		a.Title = "give " + title(o) + " its period"
		a.SQL = periodSQL(o, p)
	case vocab.Versioning:
		a.Title = "begin the versioning of " + title(o)
		a.SQL = []string{versioningSQL(o, p)}
		locks(a, c.Actual.Find(historyOf(p)))
	case catalog.Check:
		a.SQL = w.constraint(o, p, "CHECK"+ddl.NotForReplication(p)+" ("+p.Text("expression")+")")
		if there && tested(p) {
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: ref, Text: "fails when a row breaks the check", Ask: w.broken(c, p)})
		}
	case catalog.ForeignKey:
		a.SQL = w.constraint(o, p, ddl.ForeignKey(p))
		parent := c.Actual.Find(parentOf(p))
		locks(a, parent)
		if there && tested(p) {
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: ref, Text: "fails when a row refers to a row that is not there", Ask: w.orphans(c, p)})
		}
	}
	a.SQL = append(a.SQL, ddl.Comments(p, nil, ddl.LevelOf(o).Part(p))...)
	return a
}

// parentOf is the table that a foreign key leads to.
func parentOf(p *catalog.Object) catalog.Ref {
	for _, n := range p.Needs {
		if n.On.Kind == catalog.Table && !n.On.IsPart() {
			return n.On
		}
	}
	return catalog.Ref{}
}

// tested tells whether a constraint's rows are looked at when it is added.
func tested(p *catalog.Object) bool {
	return !p.Has("not trusted") && !p.Has("disabled") && !p.Has("not for replication")
}

// constraint adds a check or foreign key with its state.
func (w *Writer) constraint(o, p *catalog.Object, text string) []string {
	add := "ALTER TABLE " + qualified(o)
	with := map[bool]string{true: " WITH CHECK", false: " WITH NOCHECK"}[tested(p)]
	if o.Has(vocab.InMemory) && tested(p) { // where it is the only way
		with = ""
	}
	sql := add + with + " ADD" + ddl.Named(p.Name) + " " + text + ";"
	if p.Has("disabled") {
		return append(ddl.Batches(sql), ddl.OnNamed(o, p, p.Name, add+" NOCHECK CONSTRAINT ", ";"))
	}
	return ddl.Batches(sql)
}

// dropPart removes a constraint, index or trigger.
func (w *Writer) dropPart(o, p *catalog.Object) *order.Action {
	ref := o.PartRef(p)
	a := locks(&order.Action{About: ref, Title: partTitle("drop", o, p, "of"), Removes: []catalog.Ref{ref}, Frees: partNames(o, p)}, o)
	switch p.Kind {
	case vocab.Statistics:
		a.SQL = []string{ddl.DropStatistics(o, p)}
	case vocab.TextIndex:
		a.Title, a.Alone, a.Note = "drop the full-text index of "+o.Name, true, beforeAll
		a.SQL = ddl.Batches("DROP FULLTEXT INDEX ON " + qualified(o) + ";")
	case vocab.Period:
		a.Title = "take the period of " + title(o) + " away"
		a.SQL = ddl.Batches("ALTER TABLE " + qualified(o) + " DROP PERIOD FOR SYSTEM_TIME;")
	case vocab.Versioning:
		a.Title = "end the versioning of " + title(o)
		a.SQL = []string{pausedSQL(o, p)}
		a.Locks = append(a.Locks, order.TableLock{On: historyOf(p), Mode: "Sch-M", Waits: "others wait to read and to write until the end", Rank: 9})
	case catalog.Trigger:
		a.Frees = append(a.Frees, turns(o, p)...)
		a.SQL = ddl.Batches("DROP TRIGGER " + quote(o.Schema) + "." + quote(p.Name) + ";")
	case catalog.Index:
		if o.Has(vocab.InMemory) {
			a.SQL = ddl.Batches("ALTER TABLE " + qualified(o) + " DROP INDEX " + quote(p.Name) + ";")
			break
		}
		a.SQL = ddl.Batches("DROP INDEX " + quote(p.Name) + " ON " + qualified(o) + ";")
	default:
		a.SQL = []string{ddl.DropConstraint(o, p, p.Name)}
	}
	return a
}

// alterPart changes a constraint or index in place; false where it must be made
// anew.
func (w *Writer) alterPart(c *order.Change, it *compare.Item) ([]*order.Action, bool) {
	o, p := c.Source, it.Source
	ref := o.PartRef(p)
	a := locks(&order.Action{About: ref, Title: partTitle("change", o, p, "of"), Makes: []catalog.Ref{ref}}, c.Target)
	switch p.Kind {
	case vocab.Statistics:
		return nil, false
	case vocab.TextIndex:
		var facts []string
		for _, d := range it.Properties {
			facts = append(facts, d.Name)
		}
		a.Title = "change the full-text index of " + o.Name
		return []*order.Action{a}, alterTextIndex(o, p, a, facts)
	case vocab.Period:
		var ok bool
		a.SQL, ok = alterPeriod(c, it)
		return []*order.Action{a}, ok
	case vocab.Versioning:
		a.SQL = []string{versioningSQL(o, p)}
		return []*order.Action{a}, it.Property("history") == nil
	}
	was, now := it.Target.Name, p.Name
	if now == "" && was != "" {
		return nil, false // a name that the server makes cannot be given
	}
	if now != was {
		switch {
		case p.Kind == catalog.Index:
			a.SQL = append(a.SQL, batch("EXEC sp_rename "+vocab.String(qualified(o)+"."+quote(was))+", "+vocab.String(now)+", N'INDEX';"))
		case was == "":
			a.SQL = append(a.SQL, ddl.RenamedByDefinition(c.Target, it.Target, now))
		default:
			a.SQL = append(a.SQL, renamed(&catalog.Object{Schema: o.Schema, Name: was}, now, ""))
		}
		a.Frees, a.Takes = partNames(c.Target, it.Target), partNames(o, p)
	}
	for _, d := range it.Properties {
		switch {
		case ddl.Described(d.Name), d.Name == "name", d.Name == catalog.Letters:
		case d.Name == "compression":
			how := p.Text("compression")
			if how == "" {
				how = map[bool]string{true: "COLUMNSTORE", false: "NONE"}[strings.Contains(p.Text("type"), "columnstore")]
			}
			a.SQL = append(a.SQL, ddl.OnNamed(o, it.Target, now, "ALTER INDEX ", fmt.Sprintf(" ON %s REBUILD WITH (%s);", qualified(o), strings.Join(append([]string{"DATA_COMPRESSION = " + how}, w.online(c, p)...), ", "))))
			a.Risks = append(a.Risks, order.Risk{Kind: order.Rewrite, On: ref, Text: strings.TrimSpace(partTitle("", o, p, "of")) + " is written anew"})
		case d.Name == "buckets" && p.Has("buckets") && it.Target.Has("buckets"):
			a.SQL = append(a.SQL, ddl.OnNamed(o, it.Target, now, "ALTER TABLE "+qualified(o)+" ALTER INDEX ", " REBUILD WITH (BUCKET_COUNT = "+p.Text("buckets")+");"))
		case d.Name == "disabled" && (p.Kind == catalog.Index || p.Kind == catalog.Unique || p.Kind == catalog.PrimaryKey):
			a.SQL = append(a.SQL, ddl.OnNamed(o, it.Target, now, "ALTER INDEX ", " ON "+qualified(o)+map[bool]string{true: " DISABLE;", false: " REBUILD;"}[p.Has("disabled")]))
		case d.Name == "disabled" || d.Name == "not trusted":
			w.switched(c, it, a)
		default:
			return nil, false
		}
	}
	a.SQL = append(a.SQL, ddl.Comments(p, it.Target, ddl.LevelOf(o).Part(&catalog.Object{Kind: p.Kind, Name: now}))...)
	if len(a.SQL) == 0 {
		return nil, true
	}
	if len(it.Properties) == 1 && it.Property("name") != nil {
		a.Title = partTitle("change the name of", o, p, "of")
	}
	return []*order.Action{a}, true
}

// switched lets a constraint hold or not, and be trusted or not.
func (w *Writer) switched(c *order.Change, it *compare.Item, a *order.Action) {
	o, p := c.Source, it.Source
	state := ddl.OnNamed(o, it.Target, p.Name, stateSQL(o, p), ";")
	if !slices.Contains(a.SQL, state) {
		a.SQL = append(a.SQL, state)
	}
	if p.Has("not trusted") && !it.Target.Has("disabled") { // it is trusted until it is off for a moment
		a.SQL = slices.Insert(a.SQL, len(a.SQL)-1, ddl.OnNamed(o, it.Target, p.Name, "ALTER TABLE "+qualified(o)+" NOCHECK CONSTRAINT ", ";"))
	}
	if !tested(p) || slices.ContainsFunc(a.Risks, func(r order.Risk) bool { return r.Kind == order.MayFail }) {
		return
	}
	ask := w.broken(c, p)
	if p.Kind == catalog.ForeignKey {
		ask = w.orphans(c, p)
	}
	a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: o.PartRef(p), Text: "fails when a row does not keep it", Ask: ask})
}

// stateSQL switches the constraint whose name follows on or off; one that is to be
// trusted has its rows looked at.
func stateSQL(o, p *catalog.Object) string {
	s := "ALTER TABLE " + qualified(o)
	switch {
	case p.Has("disabled"):
		return s + " NOCHECK CONSTRAINT "
	case tested(p):
		s += " WITH CHECK"
	}
	return s + " CHECK CONSTRAINT "
}

// disabled switches an index, or the index of a key, off.
func disabled(o, p *catalog.Object) string {
	return ddl.OnNamed(o, p, p.Name, "ALTER INDEX ", " ON "+qualified(o)+" DISABLE;")
}
