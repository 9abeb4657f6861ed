package writer

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/sqlserver/ddl"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// alterPartitions splits and merges partitions in place; false where the function is
// another one altogether.
func alterPartitions(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	if c.Property("type") != nil || c.Property("range") != nil {
		return nil, false
	}
	a := &order.Action{About: o.Ref(), Title: "change " + title(o), Makes: []catalog.Ref{o.Ref()}, Locks: []order.TableLock{}}
	var tables []*catalog.Object
	var next []string
	for _, s := range c.Actual.Objects {
		if s.Kind != vocab.PartitionScheme || !slices.ContainsFunc(s.Needs, func(n catalog.Need) bool { return n.On == o.Ref() }) {
			continue
		}
		if now := c.Desired.Find(s.Ref()); now == nil || !strings.EqualFold(ddl.GroupOf(now), ddl.GroupOf(s)) || !strings.EqualFold(now.Text("function"), s.Text("function")) {
			a.Takes = append(a.Takes, goneFrom(s)) // it goes first, and needs no room
			continue
		}
		group := ddl.GroupOf(s)
		if l := s.List("filegroups"); len(l) > 0 {
			group = l[len(l)-1]
		}
		next = append(next, batch("ALTER PARTITION SCHEME "+quote(s.Name)+" NEXT USED "+ddl.Space(group, c.Actual)+";"))
		for _, t := range c.Actual.Objects {
			on := func(x *catalog.Object) bool {
				return slices.ContainsFunc(x.Needs, func(n catalog.Need) bool { return n.On == s.Ref() })
			}
			if t.Kind == catalog.Table && (on(t) || slices.ContainsFunc(t.Parts, on)) {
				tables = append(tables, t)
			}
		}
	}
	name := quote(o.Name)
	for _, v := range o.List("values") { // first, so that no partition ever holds more than it did
		if !slices.Contains(c.Target.List("values"), v) {
			a.SQL = append(append(a.SQL, next...), batch("ALTER PARTITION FUNCTION "+name+"() SPLIT RANGE ("+ddl.Boundary(o, v)+");"))
		}
	}
	for _, v := range c.Target.List("values") {
		if !slices.Contains(o.List("values"), v) {
			a.SQL = append(a.SQL, batch("ALTER PARTITION FUNCTION "+name+"() MERGE RANGE ("+ddl.Boundary(o, v)+");"))
		}
	}
	if len(a.SQL) == 0 {
		return nil, true
	}
	for _, t := range tables {
		locks(a, t)
		a.Risks = append(a.Risks, order.Risk{Kind: order.Rewrite, On: t.Ref(), Text: "rows of table " + t.Name + " move between partitions"})
	}
	return []*order.Action{a}, true
}

// goneFrom is what a partition scheme that goes leaves free: its function.
func goneFrom(scheme *catalog.Object) order.Name {
	return order.Name{Space: "partition function of a scheme", Name: strings.ToLower(scheme.Name)}
}

// inUse warns of a function or scheme that is made anew or dropped while what stays lies on
// it: the server refuses that (SQL Server: DROP PARTITION SCHEME).
func inUse(c *order.Change, a *order.Action) {
	o := c.Target
	uses := func(x *catalog.Object) bool {
		return slices.ContainsFunc(x.Needs, func(n catalog.Need) bool { return n.On == o.Ref() })
	}
	for _, x := range c.Desired.Objects {
		if x.Kind == vocab.PartitionScheme && o.Kind == vocab.PartitionFunction {
			continue // which is made anew with it
		}
		if was := c.Actual.Find(x.Ref()); was == nil || !uses(x) && !slices.ContainsFunc(x.Parts, uses) {
			continue
		}
		query := "SELECT COUNT(*) FROM sys.indexes AS i JOIN sys.partition_schemes AS s ON s.data_space_id = i.data_space_id WHERE s.name = " + vocab.String(o.Name)
		a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: o.Ref(), Text: "fails while tables or indexes lie on it",
			Ask: &order.Question{Count: query, None: "nothing lies on it", Found: "some do", Way: "move them first", Tries: "another scheme for them"}})
		return
	}
}
