package writer

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/sqlserver/ddl"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// What full-text search is made of cannot be changed within a transaction (SQL Server:
// CREATE FULLTEXT INDEX, Remarks): what goes, goes before it, and what comes, comes behind
// it, and looks first whether it is there.
const (
	beforeAll = "It cannot run in a transaction, so it runs before it, and stays when that fails."
	behindAll = "It cannot run in a transaction, so it runs behind it."
)

func (w *Writer) unless(query, sql string) string {
	if w.Shown {
		return sql
	}
	return "IF (" + query + ") = 0 " + sql
}

func textCatalogThere(o *catalog.Object) string {
	return "SELECT COUNT(*) FROM sys.fulltext_catalogs AS c WHERE c.name = " + vocab.String(o.Name)
}

func (w *Writer) createTextCatalog(o *catalog.Object) *order.Action {
	a := created(o, w.unless(textCatalogThere(o), ddl.TextCatalog(o)))
	a.Later, a.Note = true, behindAll
	return a
}

// alterTextCatalog changes a catalog in place; false where it must be made anew.
func alterTextCatalog(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	if c.Property(catalog.Letters) != nil || c.Property("default") != nil && !o.Has("default") { // neither can be said
		return nil, false
	}
	a := &order.Action{About: o.Ref(), Title: "change " + title(o), Makes: []catalog.Ref{o.Ref()}, Locks: []order.TableLock{}, Later: true, Note: behindAll}
	alter := "ALTER FULLTEXT CATALOG " + quote(o.Name)
	if c.Property("accents do not count") != nil {
		a.SQL = append(a.SQL, batch(alter+" REBUILD WITH ACCENT_SENSITIVITY = "+ddl.OnOff(!o.Has("accents do not count"))+";"))
		a.Note += " What its indexes know is gathered anew."
	}
	if c.Property("default") != nil {
		a.SQL = append(a.SQL, batch(alter+" AS DEFAULT;"))
	}
	return []*order.Action{a}, len(a.SQL) > 0
}

func textIndexThere(o *catalog.Object) string {
	return "SELECT COUNT(*) FROM sys.fulltext_indexes AS i WHERE i.object_id = OBJECT_ID(" + vocab.String(qualified(o)) + ")"
}

// textIndexSQL makes the full-text index of a table.
func (w *Writer) textIndexSQL(o, p *catalog.Object) []string {
	with := "CHANGE_TRACKING = " + p.Text("change tracking")
	if p.Has("no stoplist") {
		with += ", STOPLIST = OFF"
	}
	before := w.unless(textIndexThere(o), "CREATE FULLTEXT INDEX ON "+qualified(o)+" ("+ddl.Written(p, "columns")+") KEY INDEX ")
	after := " ON " + p.Text("catalog") + " WITH (" + with + ");"
	var key *catalog.Object
	for _, k := range o.Parts {
		if k.Key() == p.Text("key") && (k.Kind == catalog.PrimaryKey || k.Kind == catalog.Unique || k.Kind == catalog.Index) {
			key = k
		}
	}
	if key == nil {
		return nil
	}
	sql := []string{ddl.OnNamed(o, key, key.Name, before, after)}
	if p.Has("disabled") {
		sql = append(sql, batch("ALTER FULLTEXT INDEX ON "+qualified(o)+" DISABLE;"))
	}
	return sql
}

// alterTextIndex changes a full-text index in place; false where it must be made anew.
func alterTextIndex(o, p *catalog.Object, a *order.Action, facts []string) bool {
	alter := "ALTER FULLTEXT INDEX ON " + qualified(o)
	for _, f := range facts {
		switch f {
		case "change tracking":
			a.SQL = append(a.SQL, batch(alter+" SET CHANGE_TRACKING = "+p.Text(f)+";"))
		case "no stoplist":
			a.SQL = append(a.SQL, batch(alter+" SET STOPLIST = "+map[bool]string{true: "OFF", false: "SYSTEM"}[p.Has(f)]+";"))
		case "disabled":
			a.SQL = append(a.SQL, batch(alter+map[bool]string{true: " DISABLE;", false: " ENABLE;"}[p.Has(f)]))
		default:
			return false
		}
	}
	a.Later, a.Note = true, behindAll
	return true
}

// moved takes a table to another filegroup with its clustered index, which is made anew
// there in one go (SQL Server: CREATE INDEX, DROP_EXISTING), and the indexes that lie where
// it does after it. The clustered index is left out where it is made anew for another reason.
func (w *Writer) moved(c *order.Change) []*order.Action {
	o := c.Source
	var out []*order.Action
	if p := stays(c); p != nil {
		out = append(out, w.movedWith(c, p, &order.Action{About: o.Ref(), Title: "move " + title(o) + " to another filegroup", Makes: []catalog.Ref{o.Ref()},
			Risks: []order.Risk{{Kind: order.Rewrite, On: o.Ref(), Text: "table " + o.Name + " is written anew"}}}))
	}
	for _, it := range c.Parts {
		p := it.Source
		if p == nil || it.Target == nil || !inPlace(it) || c.Rebuilds(it) || ddl.Clustered(p) || p.Has(vocab.Filegroup) || p.Has(vocab.Partitioned) || p.Kind != catalog.Index && p.Kind != catalog.Unique && p.Kind != catalog.PrimaryKey {
			continue
		}
		ref := o.PartRef(p)
		a := w.movedWith(c, p, &order.Action{About: ref, Title: partTitle("move", o, p, "of") + " to another filegroup"})
		a.After = append(a.After, o.Ref(), ref) // under its new name
		out = append(out, a)
	}
	return out
}

// inPlace tells whether all that changes of an index or key changes while it stays.
func inPlace(it *compare.Item) bool {
	return !slices.ContainsFunc(it.Properties, func(d compare.PropertyDiff) bool {
		return !ddl.Described(d.Name) && !slices.Contains([]string{"name", catalog.Letters, "disabled", "compression"}, d.Name)
	})
}

// movedWith lets an index, or the index of a key, be made anew where its table is to lie.
func (w *Writer) movedWith(c *order.Change, p *catalog.Object, a *order.Action) *order.Action {
	o := c.Source
	locks(a, c.Target)
	options := append(w.online(c, p), "DROP_EXISTING = ON")
	on := " ON " + ddl.GroupOf(o)
	if p.Kind == catalog.Index {
		a.SQL = ddl.Batches(strings.TrimSuffix(ddl.Index(o, p, options), on) + on + ";")
	} else {
		how := map[bool]string{true: "CLUSTERED", false: "NONCLUSTERED"}[ddl.Clustered(p)]
		a.SQL = []string{ddl.OnNamed(c.Target, p, p.Name, "CREATE UNIQUE "+how+" INDEX ", " ON "+qualified(o)+" ("+ddl.Written(p, "columns")+")"+ddl.WithOptions(p, options...)+on+";")}
	}
	if p.Has("disabled") { // which it is no longer
		a.SQL = append(a.SQL, disabled(o, p))
	}
	return a
}

// explicit says of the indexes of a table that moves where they lie, which is where it will:
// it depends on the order of things whether it lies there when they are made.
func explicit(c *order.Change) *order.Change {
	out, item := *c, *c.Item
	out.Item, item.Parts = &item, slices.Clone(c.Parts)
	for i, it := range item.Parts {
		p := it.Source
		if p == nil || p.Has(vocab.Filegroup) || p.Has(vocab.Partitioned) || p.Kind != catalog.Index && p.Kind != catalog.Unique && p.Kind != catalog.PrimaryKey {
			continue
		}
		part := *it
		part.Source = p.Clone()
		part.Source.Set(vocab.Filegroup, catalog.PlainSQL(ddl.GroupOf(c.Source)))
		item.Parts[i] = &part
	}
	return &out
}

// special tells whether a table has indexes on XML or in space, which do not move.
func special(o *catalog.Object) bool {
	return slices.ContainsFunc(o.Parts, func(p *catalog.Object) bool {
		return p.Kind == catalog.Index && (p.Has("tessellation") || strings.HasSuffix(p.Text("type"), "XML"))
	})
}

// stays is the clustered index or key of a table that stays as it is.
func stays(c *order.Change) *catalog.Object {
	for _, it := range c.Parts {
		if it.Source != nil && it.Target != nil && ddl.Clustered(it.Source) && len(it.Properties) == 0 && !c.Rebuilds(it) {
			return it.Source
		}
	}
	return nil
}

// comes tells whether a table gets a clustered index or key in this change, with which it
// moves.
func comes(c *order.Change) bool {
	return slices.ContainsFunc(c.Parts, func(it *compare.Item) bool {
		return it.Source != nil && ddl.Clustered(it.Source) && (it.Target == nil || c.Rebuilds(it))
	})
}

// groupsOf are the filegroups that an object or a part wants besides the default one.
func groupsOf(o *catalog.Object) []string {
	var out []string
	for _, g := range append(slices.Clone(o.List("filegroups")), o.Text(vocab.Filegroup)) {
		if g != "" && g != vocab.DefaultGroup && !slices.Contains(out, g) {
			out = append(out, g)
		}
	}
	return out
}

// grouped warns of actions that want a filegroup in which nothing lies yet: who made the
// database made its filegroups, and no script does.
func grouped(c *order.Change, list []*order.Action) []*order.Action {
	there := order.Remember(c, "filegroups", func() map[string]bool {
		m := map[string]bool{}
		for _, o := range c.Actual.Objects {
			for _, x := range append([]*catalog.Object{o}, o.Parts...) {
				for _, g := range groupsOf(x) {
					m[strings.ToLower(g)] = true
				}
			}
		}
		return m
	})
	for _, a := range list {
		warned := map[string]bool{}
		for _, made := range a.Makes {
			x := c.Desired.Resolve(made)
			if x == nil {
				continue
			}
			for _, g := range groupsOf(x) {
				if there[strings.ToLower(g)] || warned[g] {
					continue
				}
				warned[g] = true
				name := vocab.Bare(g)
				a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: made, Text: "fails when the database has no filegroup " + name,
					Ask: &order.Question{Count: "SELECT 1 - COUNT(*) FROM sys.filegroups AS g WHERE g.name = " + vocab.String(name), None: "it has it", Found: "it has none of that name", Way: "have the filegroup made by who looks after the database", Tries: "a filegroup of that name"}})
			}
		}
	}
	return list
}
