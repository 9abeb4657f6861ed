package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/sqlserver/convert"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// A table that keeps its history is two tables, a period of one of them, and the
// versioning between the two. Versioning pauses while either table changes, and resumes:
// nobody else gets at the rows meanwhile, as both are locked until the end.

// periodOf are the columns of a table's period, start and end; none where it has none.
func periodOf(o *catalog.Object) []string {
	for _, p := range o.PartsOf(vocab.Period) {
		return p.List("columns")
	}
	return nil
}

// always is what stands at a column of a period in CREATE TABLE.
func always(o, p *catalog.Object) string {
	i := slices.Index(periodOf(o), p.Key())
	if i < 0 {
		return ""
	}
	s := " GENERATED ALWAYS AS ROW " + []string{"START", "END"}[i]
	if slices.Contains(o.PartsOf(vocab.Period)[0].List("hidden"), p.Key()) {
		s += " HIDDEN"
	}
	return s
}

func periodLine(p *catalog.Object) string {
	return "PERIOD FOR SYSTEM_TIME (" + written(p, "columns") + ")"
}

// periodSQL gives a table a period.
func periodSQL(o, p *catalog.Object) []string {
	return append(batches("ALTER TABLE "+qualified(o)+" ADD "+periodLine(p)+";"), hiddenSQL(o, p, nil)...)
}

// hiddenSQL hides columns of a period, or shows them again.
func hiddenSQL(o, p, was *catalog.Object) []string {
	var out []string
	for i, key := range p.List("columns") {
		now, before := slices.Contains(p.List("hidden"), key), was != nil && slices.Contains(was.List("hidden"), key)
		if now != before {
			out = append(out, batch("ALTER TABLE "+qualified(o)+" ALTER COLUMN "+writtenList(p, "columns")[i]+" "+map[bool]string{true: "ADD", false: "DROP"}[now]+" HIDDEN;"))
		}
	}
	return out
}

// historyOf is the table that keeps what was.
func historyOf(p *catalog.Object) catalog.Ref {
	for _, n := range p.Needs {
		if n.On.Kind == catalog.Table && !n.On.IsPart() && n.Fact == "history" {
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
	i := slices.Index(periodOf(o), p.Key())
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

// current is the table whose history a table is, in a structure.
func current(in *catalog.Catalog, history *catalog.Object) *catalog.Object {
	for _, o := range in.Objects {
		for _, p := range o.PartsOf(vocab.Versioning) {
			if historyOf(p) == history.Ref() {
				return o
			}
		}
	}
	return nil
}

// ordered are the columns of a new table in the order that they need: a history table has
// its columns in the order of its table, of which what was there stays in front (SQL
// Server: error 13524).
func ordered(c *order.Change) []*catalog.Object {
	list := c.Source.PartsOf(catalog.Column)
	first := c.Target
	if first == nil {
		now := current(c.Desired, c.Source)
		if now == nil {
			return list
		}
		if first = c.Actual.Find(now.Ref()); first == nil {
			return list
		}
	} else if len(first.PartsOf(vocab.Versioning)) == 0 && current(c.Actual, first) == nil {
		return list
	}
	place := func(p *catalog.Object) int {
		return slices.IndexFunc(first.PartsOf(catalog.Column), func(x *catalog.Object) bool { return x.Key() == p.Key() })
	}
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(a, b *catalog.Object) int {
		i, j := place(a), place(b)
		switch {
		case i < 0 && j < 0:
			return 0
		case i < 0:
			return 1
		case j < 0:
			return -1
		}
		return i - j
	})
	return list
}

var _ order.Follower = (*Writer)(nil)

// Follow implements order.Follower: a history table that the server named has the name
// that it has in the target, whatever it is called in the source.
func (w *Writer) Follow(desired, actual *catalog.Catalog, _ func(catalog.Ref) catalog.Ref) (actions []*order.Action, to, from *catalog.Catalog) {
	there := map[catalog.Ref]*catalog.Object{}
	for _, o := range actual.Objects {
		if strings.HasPrefix(o.ID, vocab.HistoryOf) {
			there[o.Ref()] = o
		}
	}
	if len(there) == 0 {
		return nil, desired, actual
	}
	out := *desired
	out.Objects = nil
	for _, o := range desired.Objects {
		if h := there[o.Ref()]; h != nil && h.Name != o.Name {
			o = o.Clone()
			o.Name = h.Name
		}
		for i, p := range o.PartsOf(vocab.Versioning) {
			if h := there[historyOf(p)]; h != nil && qualified(h) != p.Text("history") {
				if i == 0 {
					o = o.Clone()
				}
				now := o.Part(vocab.Versioning, p.Key())
				now.Set("history", catalog.SQL(catalog.Piece{Text: qualified(h), Canon: p.Property("history").Value.Canonical()}))
			}
		}
		out.Add(o)
	}
	out.Sort()
	return nil, &out, actual
}

// alterPeriod changes what is hidden of a period.
func alterPeriod(c *order.Change, it *compare.Item) ([]string, bool) {
	if it.Property("columns") != nil {
		return nil, false
	}
	return hiddenSQL(c.Source, it.Source, it.Target), true
}
