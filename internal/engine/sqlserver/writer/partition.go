package writer

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/sqlserver/convert"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// onSQL is where a table is to lie, or an index of it: where nothing is said, an index lies
// where its table does (SQL Server: CREATE INDEX).
func onSQL(o, p *catalog.Object) string {
	switch s, g := p.Text(vocab.Partitioned), p.Text(vocab.Filegroup); {
	case s != "":
		return " ON " + s
	case g != "":
		return " ON " + g
	case p != o && clustered(p) && o.Has(vocab.Filegroup):
		return " ON " + o.Text(vocab.Filegroup)
	case p != o && o.Has(vocab.Partitioned) && !clustered(p):
		return " ON " + vocab.DefaultGroup
	}
	return ""
}

var numeric = map[string]bool{"tinyint": true, "smallint": true, "int": true, "bigint": true, "decimal": true, "numeric": true, "bit": true, "money": true, "smallmoney": true, "float": true, "real": true}

var number = regexp.MustCompile(`^-?\d+(\.\d+)?([eE][+-]?\d+)?$`)

// boundary is a boundary of a partition function as SQL.
func boundary(o *catalog.Object, v string) string {
	switch name, _ := convert.Split(o.Text("type")); {
	case numeric[name] && number.MatchString(v):
		return v
	case strings.HasSuffix(name, "binary"):
		return "CONVERT(" + o.Text("type") + ", " + vocab.String(v) + ", 1)"
	}
	return vocab.String(v)
}

func partitionFunctionSQL(o *catalog.Object) string {
	var values []string
	for _, v := range o.List("values") {
		values = append(values, boundary(o, v))
	}
	return fmt.Sprintf("CREATE PARTITION FUNCTION %s (%s) AS RANGE %s FOR VALUES (%s);", quote(o.Name), o.Text("type"), strings.ToUpper(o.Text("range")), strings.Join(values, ", "))
}

func partitionSchemeSQL(o *catalog.Object) string {
	to, all := o.List("filegroups"), ""
	if len(to) == 0 {
		to, all = []string{groupOf(o)}, "ALL "
	}
	// a scheme takes no word for the default one
	groups := strings.ReplaceAll(strings.Join(to, ", "), vocab.DefaultGroup, "[PRIMARY]")
	return fmt.Sprintf("CREATE PARTITION SCHEME %s AS PARTITION %s %sTO (%s);", quote(o.Name), o.Text("function"), all, groups)
}

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
		group := groupOf(s)
		if l := s.List("filegroups"); len(l) > 0 {
			group = l[len(l)-1]
		}
		next = append(next, batch("ALTER PARTITION SCHEME "+quote(s.Name)+" NEXT USED "+strings.Replace(group, vocab.DefaultGroup, "[PRIMARY]", 1)+";"))
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
			a.SQL = append(append(a.SQL, next...), batch("ALTER PARTITION FUNCTION "+name+"() SPLIT RANGE ("+boundary(o, v)+");"))
		}
	}
	for _, v := range c.Target.List("values") {
		if !slices.Contains(o.List("values"), v) {
			a.SQL = append(a.SQL, batch("ALTER PARTITION FUNCTION "+name+"() MERGE RANGE ("+boundary(o, v)+");"))
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
