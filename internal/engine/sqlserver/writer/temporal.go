package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/sqlserver/convert"
	"dappermirror/internal/engine/sqlserver/ddl"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// A table that keeps its history is two tables, a period of one of them, and the
// versioning between the two. Versioning pauses while either table changes, and resumes:
// nobody else gets at the rows meanwhile, as both are locked until the end.

// periodSQL gives a table a period.
func periodSQL(o, p *catalog.Object) []string {
	return append(ddl.Batches("ALTER TABLE "+qualified(o)+" ADD "+ddl.PeriodLine(p)+";"), hiddenSQL(o, p, nil)...)
}

// hiddenSQL hides columns of a period, or shows them again.
func hiddenSQL(o, p, was *catalog.Object) []string {
	var out []string
	for i, key := range p.List("columns") {
		now, before := slices.Contains(p.List("hidden"), key), was != nil && slices.Contains(was.List("hidden"), key)
		if now != before {
			out = append(out, batch("ALTER TABLE "+qualified(o)+" ALTER COLUMN "+ddl.WrittenList(p, "columns")[i]+" "+map[bool]string{true: "ADD", false: "DROP"}[now]+" HIDDEN;"))
		}
	}
	return out
}

// historyOf is the table that keeps what was.
func historyOf(p *catalog.Object) catalog.Ref {
	for _, n := range p.Needs {
		if n.On.Kind == catalog.Table && !n.On.IsPart() {
			return n.On
		}
	}
	return catalog.Ref{}
}

func versioningSQL(o, p *catalog.Object) string {
	retention := p.Text("retention")
	if retention == "" {
		retention = "INFINITE"
	}
	return versioningOn(qualified(o), p.Text("history"), retention)
}

func versioningOn(table, history, retention string) string {
	return batch("ALTER TABLE " + table + " SET (SYSTEM_VERSIONING = ON (HISTORY_TABLE = " + history + ", DATA_CONSISTENCY_CHECK = ON, HISTORY_RETENTION_PERIOD = " + retention + "));")
}

// paused says of versioning that ends and begins again what it is: a pause.
func paused(list ...*order.Action) {
	for _, a := range list {
		if a.About.PartKind == vocab.Versioning {
			a.Title = strings.Replace(strings.Replace(a.Title, "end ", "pause ", 1), "begin ", "resume ", 1)
		}
	}
}

// pausedSQL ends versioning. A history table that the server named is called otherwise on
// every server: it gets the name that this script knows it by.
func pausedSQL(o, p *catalog.Object) string {
	off := "ALTER TABLE " + qualified(o) + " SET (SYSTEM_VERSIONING = OFF);"
	if p.Text(vocab.HistoryOf) == "" {
		return batch(off)
	}
	_, name, _ := strings.Cut(p.Text("history"), "].[")
	name = strings.TrimSuffix(name, "]")
	return batch(fmt.Sprintf("DECLARE @name nvarchar(300);\nSET @name = (SELECT QUOTENAME(SCHEMA_NAME(h.schema_id)) + N'.' + QUOTENAME(h.name) FROM sys.tables AS t JOIN sys.tables AS h ON h.object_id = t.history_table_id WHERE t.object_id = OBJECT_ID(%s) AND h.name <> %s);\n%s\nIF @name IS NOT NULL EXEC sp_rename @name, %s;",
		vocab.String(qualified(o)), vocab.String(name), off, vocab.String(name)))
}

// since is what the rows of a table get that get a period: what is known is that they
// were there before.
func since(o, p *catalog.Object) string {
	i := slices.Index(ddl.PeriodOf(o), p.Key())
	if i < 0 {
		return ""
	}
	typ := p.Text("type")
	if i == 0 {
		return "CONVERT(" + typ + ", N'1900-01-01T00:00:00')"
	}
	end := "9999-12-31T23:59:59"
	digits := 7
	if _, args := convert.Split(typ); len(args) > 0 {
		digits = args[0]
	}
	if digits > 0 {
		end += "." + strings.Repeat("9", digits)
	}
	return "CONVERT(" + typ + ", N'" + end + "')"
}

// handedDown is what the rows of a history get in a column that may not be NULL: what those
// of its table get, which has the default.
func (w *Writer) handedDown(c *order.Change, p *catalog.Object) string {
	if c.Source.Text(vocab.Current) == "" || !p.Has("not null") {
		return ""
	}
	now := current(c.Desired, c.Source)
	if now == nil {
		return ""
	}
	x := now.Part(catalog.Column, p.Key())
	if x == nil {
		return ""
	}
	if v, ok := w.fill(now, x); ok {
		return v
	}
	return x.Text("default")
}

// current is the table whose history a table is, in a structure: its columns tell of it.
func current(in *catalog.Catalog, history *catalog.Object) *catalog.Object {
	for _, c := range history.PartsOf(catalog.Column) {
		for _, n := range c.Needs {
			if !n.Text || n.On.PartKind != catalog.Column || n.On.Object() == history.Ref() {
				continue
			}
			if o := in.Find(n.On); o != nil {
				for _, p := range o.PartsOf(vocab.Versioning) {
					if historyOf(p) == history.Ref() {
						return o
					}
				}
			}
		}
	}
	return nil
}

// follows tells whether a column of a history table must become the last one, as that of its
// table does, which is made anew: what is computed there is a value here.
func follows(c *order.Change, it *compare.Item) bool {
	if c.Source.Text(vocab.Current) == "" || it.Source == nil || it.Target == nil || c.Target == nil {
		return false
	}
	now, was := current(c.Desired, c.Source), current(c.Actual, c.Target)
	if now == nil || was == nil || copied(now, was) {
		return false
	}
	p, old := now.Part(catalog.Column, it.Source.Key()), was.Part(catalog.Column, it.Source.Key())
	if p == nil || old == nil {
		return false
	}
	return remade(p, old) || p.Has("generated") && c.Rebuild[was.PartRef(old)] || !p.Has("generated") && swaps(&compare.Item{Source: p, Target: old})
}

// remade tells whether a column is dropped and added to become another.
func remade(p, was *catalog.Object) bool {
	item := &compare.Item{Source: p, Target: was}
	for _, f := range []string{"generated", "not null", "persisted"} {
		if a, b := p.Property(f), was.Property(f); (a == nil) != (b == nil) || a != nil && !a.Value.Equal(b.Value) {
			item.Properties = append(item.Properties, compare.PropertyDiff{Name: f})
		}
	}
	return anew(item)
}

// inTurn lets the columns that become the last ones of a table do so in the order of the
// source, as those of its history do.
func inTurn(c *order.Change, list []*order.Action) {
	if len(c.Source.PartsOf(vocab.Versioning)) == 0 && c.Source.Text(vocab.Current) == "" {
		return
	}
	place := func(a *order.Action) int {
		return slices.IndexFunc(c.Source.PartsOf(catalog.Column), func(p *catalog.Object) bool { return c.Source.PartRef(p) == a.About })
	}
	var last []*order.Action
	for _, a := range list {
		if a.About.PartKind == catalog.Column && len(a.Removes) == 0 && place(a) >= 0 && slices.ContainsFunc(a.SQL, func(s string) bool { return strings.HasPrefix(s, "ALTER TABLE "+qualified(c.Source)+" ADD [") }) {
			last = append(last, a)
		}
	}
	slices.SortStableFunc(last, func(a, b *order.Action) int { return place(a) - place(b) })
	for i := 1; i < len(last); i++ {
		last[i].After = append(last[i].After, last[i-1].About)
	}
}

var _ order.Follower = (*Writer)(nil)

// Follow implements order.Follower: history tables have the columns of their tables, in the
// order in which both will have them, and those that the server named have the name that
// they have in the target, whatever they are called in the source.
func (w *Writer) Follow(desired, actual *catalog.Catalog, _ func(catalog.Ref) catalog.Ref) (actions []*order.Action, to, from *catalog.Catalog) {
	if !slices.ContainsFunc(desired.Objects, func(o *catalog.Object) bool { return len(o.PartsOf(vocab.Versioning)) > 0 }) {
		return nil, desired, actual
	}
	desired = together(desired, actual)
	names := calledHere(desired, actual)
	orders := map[catalog.Ref][]string{}
	for _, o := range desired.Objects {
		for _, p := range o.PartsOf(vocab.Versioning) {
			if was := actual.Find(o.Ref()); was != nil {
				orders[o.Ref()] = settledOrder(o, was)
				orders[historyOf(p)] = orders[o.Ref()]
			}
		}
	}
	out := *desired
	out.Objects = nil
	for _, o := range desired.Objects {
		name, list := names[o.Ref()], orders[o.Ref()]
		versioned := o.PartsOf(vocab.Versioning)
		if name == "" && list == nil && len(versioned) == 0 {
			out.Add(o)
			continue
		}
		if o = o.Clone(); name != "" {
			o.Name = name
		}
		sortColumns(o, list)
		for _, p := range versioned {
			ref := historyOf(p)
			if name := names[ref]; name != "" {
				o.Part(vocab.Versioning, p.Key()).Set("history", catalog.SQL(catalog.Piece{Text: quote(desired.Find(ref).Schema) + "." + quote(name), Canon: p.Property("history").Value.Canonical()}))
			}
		}
		out.Add(o)
	}
	out.Sort()
	return nil, &out, actual
}

// calledHere are the names of history tables that the server named: those of the target, or
// new ones that nothing there has.
func calledHere(desired, actual *catalog.Catalog) map[catalog.Ref]string {
	taken := map[string]bool{}
	for _, o := range actual.Objects {
		taken[strings.ToLower(o.Name)] = true
	}
	out := map[catalog.Ref]string{}
	for _, o := range desired.Objects {
		if !strings.HasPrefix(o.ID, vocab.HistoryOf) {
			continue
		}
		if h := actual.Find(o.Ref()); h != nil {
			out[o.Ref()] = h.Name
			continue
		}
		name := o.Name
		for n := 1; taken[strings.ToLower(name)]; n++ {
			name = fmt.Sprintf("%s%d", o.Name, n) // digits, as the server's own end in
		}
		taken[strings.ToLower(name)] = true
		out[o.Ref()] = name
	}
	return out
}

// settledOrder are the columns of a versioned table in the order that they will have, in it
// and in its history: those that stay, and then those that come or are made anew.
func settledOrder(o, was *catalog.Object) []string {
	old := was.PartsOf(catalog.Column)
	in := func(list []*catalog.Object, key string) int {
		return slices.IndexFunc(list, func(x *catalog.Object) bool { return x.Key() == key })
	}
	place := map[string]int{}
	var out []string
	for i, p := range o.PartsOf(catalog.Column) {
		at := in(old, p.Key())
		if at < 0 || !p.Has("generated") && !old[at].Has("generated") && convert.Explicit(old[at].Text("type"), p.Text("type")) || !copied(o, was) && (remade(p, old[at]) || p.Has("generated") && onRetyped(o, was, p)) {
			at = len(old) + i
		}
		place[p.Key()] = at
		out = append(out, p.Key())
	}
	slices.SortStableFunc(out, func(a, b string) int { return place[a] - place[b] })
	return out
}

// onRetyped tells whether a computed column is made anew as what it is computed from gets
// another type.
func onRetyped(o, was, p *catalog.Object) bool {
	return slices.ContainsFunc(p.Needs, func(n catalog.Need) bool {
		if n.On.PartKind != catalog.Column || n.On.Object() != o.Ref() {
			return false
		}
		a, b := o.Part(catalog.Column, n.On.Part), was.Part(catalog.Column, n.On.Part)
		return a != nil && b != nil && !sameColumn(a, b)
	})
}

// sortColumns gives a table its columns in an order; those that it does not name stay
// behind.
func sortColumns(o *catalog.Object, list []string) {
	if list == nil {
		return
	}
	o.Parts = slices.Clone(o.Parts)
	place := func(p *catalog.Object) int {
		if p.Kind != catalog.Column {
			return len(list) + 1
		}
		if i := slices.Index(list, p.Key()); i >= 0 {
			return i
		}
		return len(list)
	}
	slices.SortStableFunc(o.Parts, func(a, b *catalog.Object) int { return place(a) - place(b) })
}

// newHistory tells whether a history table is yet to come: the server makes it as
// versioning begins, with the columns that its table has by then, in their order.
func newHistory(c *order.Change, p *catalog.Object) bool {
	ref := historyOf(p)
	return c.Actual.Find(ref) == nil && c.Desired.Find(ref) != nil
}

// createHistory lets a table begin to keep what was, in a table that is made for it.
func createHistory(c *order.Change, of *catalog.Object) []*order.Action {
	h := c.Source
	p := of.PartsOf(vocab.Versioning)[0]
	a := locks(created(h), c.Actual.Find(of.Ref()))
	a.Title = "begin the versioning of " + title(of) + " with history table " + h.Name
	a.SQL = []string{versioningSQL(of, p)}
	a.Makes = append(a.Makes, of.PartRef(p))
	made := &catalog.Object{Kind: catalog.Index, Name: "ix_" + h.Name}
	for _, x := range h.Parts {
		ref := h.PartRef(x)
		if x.Kind == catalog.Column || x.Kind == catalog.Index && strings.EqualFold(x.Name, made.Name) && madeIndex(of, x) {
			a.Makes = append(a.Makes, ref)
		}
	}
	if !slices.ContainsFunc(a.Makes, func(r catalog.Ref) bool { return r.PartKind == catalog.Index }) { // it comes by itself
		a.SQL = append(a.SQL, batch("DROP INDEX "+quote(made.Name)+" ON "+qualified(h)+";"))
	}
	return []*order.Action{a}
}

// madeIndex tells whether an index of a history table is the one that the server makes.
func madeIndex(of, x *catalog.Object) bool {
	period := ddl.PeriodOf(of)
	return len(period) == 2 && slices.Equal(x.List("columns"), []string{period[1], period[0]}) && x.Text("type") == "clustered" && x.Text("compression") == "PAGE" && len(x.List("options")) == 0 && !x.Has("unique") && !x.Has("disabled") && !x.Has("descending")
}

// together lets history tables have the columns that their tables have, whatever was left
// out or held back of either: versioning wants both alike.
func together(desired, actual *catalog.Catalog) *catalog.Catalog {
	var out *catalog.Catalog
	find := func(ref catalog.Ref) *catalog.Object { // which may be changed
		for i, o := range out.Objects {
			if o.Ref() == ref {
				out.Objects[i] = o.Clone()
				return out.Objects[i]
			}
		}
		return nil
	}
	for _, o := range desired.Objects {
		for _, p := range o.PartsOf(vocab.Versioning) {
			h := desired.Find(historyOf(p))
			if h == nil || alike(o, h) {
				continue
			}
			if out == nil {
				c := *desired
				c.Objects = nil
				for _, x := range desired.Objects {
					c.Add(x)
				}
				out = &c
			}
			follow(find(o.Ref()), find(h.Ref()), actual.Find(o.Ref()), actual.Find(h.Ref()))
		}
	}
	if out == nil {
		return desired
	}
	return out
}

// historical are the facts of a column that its history has too.
var historical = []string{"type", "collation", "not null"}

func sameColumn(a, b *catalog.Object) bool {
	return !slices.ContainsFunc(historical, func(f string) bool { return a.Text(f) != b.Text(f) && !a.Has("generated") && !b.Has("generated") })
}

func alike(o, h *catalog.Object) bool {
	a, b := o.PartsOf(catalog.Column), h.PartsOf(catalog.Column)
	return len(a) == len(b) && !slices.ContainsFunc(a, func(p *catalog.Object) bool {
		q := h.Part(catalog.Column, p.Key())
		return q == nil || !sameColumn(p, q)
	})
}

// follow lets a table and its history have the same columns: as they are now where one of
// them keeps what the other was to lose, and otherwise as the table has them.
func follow(o, h, was, kept *catalog.Object) {
	part := func(of *catalog.Object, key string) *catalog.Object {
		if of == nil {
			return nil
		}
		return of.Part(catalog.Column, key)
	}
	replace := func(of, now *catalog.Object) {
		of.Parts = slices.DeleteFunc(slices.Clone(of.Parts), func(p *catalog.Object) bool { return p.Kind == catalog.Column && p.Key() == now.Key() })
		of.Add(now)
	}
	for _, q := range h.PartsOf(catalog.Column) {
		if o.Part(catalog.Column, q.Key()) != nil {
			continue
		}
		if p := part(was, q.Key()); p != nil && part(kept, q.Key()) != nil {
			o.Add(p)
		} else {
			h.Parts = slices.DeleteFunc(slices.Clone(h.Parts), func(x *catalog.Object) bool { return x == q })
		}
	}
	for _, p := range o.PartsOf(catalog.Column) {
		q := h.Part(catalog.Column, p.Key())
		switch old := part(kept, p.Key()); {
		case q != nil && sameColumn(p, q):
		case old != nil && sameColumn(p, old):
			replace(h, old)
		case q != nil && part(was, p.Key()) != nil && sameColumn(part(was, p.Key()), q):
			replace(o, part(was, p.Key()))
		default:
			now := p.Clone()
			now.Properties = nil
			for i := range p.Properties {
				if f := p.Properties[i]; slices.Contains(historical, f.Name) || f.Name == catalog.Letters || f.Name == "sparse" || f.Name == "mask" {
					now.Properties = append(now.Properties, f)
				}
			}
			replace(h, now)
		}
	}
}

// alterPeriod changes what is hidden of a period.
func alterPeriod(c *order.Change, it *compare.Item) ([]string, bool) {
	if it.Property("columns") != nil {
		return nil, false
	}
	return hiddenSQL(c.Source, it.Source, it.Target), true
}
