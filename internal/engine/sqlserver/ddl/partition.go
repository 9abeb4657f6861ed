package ddl

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/sqlserver/convert"
	"dappermirror/internal/engine/sqlserver/vocab"
)

var numeric = map[string]bool{"tinyint": true, "smallint": true, "int": true, "bigint": true, "decimal": true, "numeric": true, "bit": true, "money": true, "smallmoney": true, "float": true, "real": true}

var number = regexp.MustCompile(`^-?\d+(\.\d+)?([eE][+-]?\d+)?$`)

// On is where a table is to lie, or an index of it: where nothing is said, an index lies
// where its table does (SQL Server: CREATE INDEX).
func On(o, p *catalog.Object) string {
	switch s, g := p.Text(vocab.Partitioned), p.Text(vocab.Filegroup); {
	case s != "":
		return " ON " + s
	case g != "":
		return " ON " + g
	case p != o && Clustered(p) && o.Has(vocab.Filegroup):
		return " ON " + o.Text(vocab.Filegroup)
	case p != o && o.Has(vocab.Partitioned) && !Clustered(p):
		return " ON " + vocab.DefaultGroup
	}
	return ""
}

// Boundary is a boundary of a partition function as SQL.
func Boundary(o *catalog.Object, v string) string {
	switch name, _ := convert.Split(o.Text("type")); {
	case numeric[name] && number.MatchString(v):
		return v
	case strings.HasSuffix(name, "binary"):
		return "CONVERT(" + o.Text("type") + ", " + vocab.String(v) + ", 1)"
	}
	return vocab.String(v)
}

// PartitionFunction is CREATE PARTITION FUNCTION.
func PartitionFunction(o *catalog.Object) string {
	var values []string
	for _, v := range o.List("values") {
		values = append(values, Boundary(o, v))
	}
	return fmt.Sprintf("CREATE PARTITION FUNCTION %s (%s) AS RANGE %s FOR VALUES (%s);", quote(o.Name), o.Text("type"), strings.ToUpper(o.Text("range")), strings.Join(values, ", "))
}

// Space is a filegroup of a partition scheme, as SQL: a scheme takes no word for the default
// one of a database, which is named.
func Space(group string, in *catalog.Catalog) string {
	if group != vocab.DefaultGroup {
		return group
	}
	return quote(cmp.Or(in.Settings[vocab.DefaultFilegroup], "PRIMARY"))
}

// PartitionScheme is CREATE PARTITION SCHEME, with the filegroups of its partitions.
func PartitionScheme(o *catalog.Object, in *catalog.Catalog) string {
	to, all := slices.Clone(o.List("filegroups")), ""
	if len(to) == 0 {
		to, all = []string{GroupOf(o)}, "ALL "
	}
	for i, group := range to {
		to[i] = Space(group, in)
	}
	return fmt.Sprintf("CREATE PARTITION SCHEME %s AS PARTITION %s %sTO (%s);", quote(o.Name), o.Text("function"), all, strings.Join(to, ", "))
}
