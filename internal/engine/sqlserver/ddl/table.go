package ddl

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// Column writes a column. bare leaves out its default.
func Column(p *catalog.Object, bare bool) string { return ColumnIn(nil, p, bare) }

// ColumnIn writes a column of a table that is made, where it may be one of a period.
func ColumnIn(o, p *catalog.Object, bare bool) string {
	s := quote(p.Name) + " "
	if p.Has("generated") {
		s += "AS (" + p.Text("generated") + ")"
		if p.Has("persisted") {
			s += " PERSISTED"
		}
		if p.Has("not null") {
			s += " NOT NULL"
		}
		return s
	}
	s += Type(p)
	if p.Has("sparse") {
		s += " SPARSE"
	}
	if m := p.Text("mask"); m != "" {
		s += " MASKED WITH (FUNCTION = '" + strings.ReplaceAll(m, "'", "''") + "')"
	}
	if id := p.Text("identity"); id != "" {
		s += " IDENTITY(" + id + ")"
		if p.Has("not for replication") {
			s += " NOT FOR REPLICATION"
		}
	}
	if o != nil {
		s += always(o, p)
	}
	s += Null(p)
	if p.Has("rowguidcol") {
		s += " ROWGUIDCOL"
	}
	if d := p.Text("default"); d != "" && !bare {
		s += Named(p.Text("default name")) + " DEFAULT (" + d + ")"
	}
	return s
}

// Type is the type of a column with its collation.
func Type(p *catalog.Object) string {
	s := p.Text("type")
	if c := p.Text("collation"); c != "" {
		s += " COLLATE " + c
	}
	return s
}

// Null says whether a column may be NULL.
func Null(p *catalog.Object) string {
	if p.Has("not null") {
		return " NOT NULL"
	}
	return " NULL"
}

// Named is CONSTRAINT with a name; "" where the server is to make one.
func Named(name string) string {
	if name == "" {
		return ""
	}
	return " CONSTRAINT " + quote(name)
}

// Written are the columns of a list as SQL.
func Written(p *catalog.Object, fact string) string { return strings.Join(WrittenList(p, fact), ", ") }

// WrittenList are the columns of a list, each as SQL.
func WrittenList(p *catalog.Object, fact string) []string {
	if v := p.Property(vocab.Written + fact); v != nil {
		return v.Value.Written()
	}
	return nil
}

// Key is a primary or unique key.
func Key(o, p *catalog.Object, bare bool) string {
	s := strings.TrimSpace(Named(p.Name)) + " "
	if bare {
		s = ""
	}
	s += map[bool]string{true: "PRIMARY KEY", false: "UNIQUE"}[p.Kind == catalog.PrimaryKey]
	s += map[bool]string{true: " CLUSTERED", false: " NONCLUSTERED"}[p.Has("clustered")]
	if p.Has("buckets") {
		s += " HASH"
	}
	s += " (" + Written(p, "columns") + ")"
	return strings.TrimSpace(s) + WithOptions(p) + On(o, p)
}

// WithOptions is WITH of an index or a key; "" where it has none.
func WithOptions(p *catalog.Object, more ...string) string {
	list := append(slices.Clone(p.List("options")), more...)
	if c := p.Text("compression"); c != "" {
		list = append(list, "DATA_COMPRESSION = "+c)
	}
	if n := p.Text("buckets"); n != "" {
		list = append(list, "BUCKET_COUNT = "+n)
	}
	if len(list) == 0 {
		return ""
	}
	return " WITH (" + strings.Join(list, ", ") + ")"
}

// Lines are the lines of CREATE TABLE: columns and keys; of a type, checks and
// indexes as well.
func Lines(o *catalog.Object, typ bool) []string {
	var out []string
	for _, p := range o.PartsOf(catalog.Column) {
		out = append(out, ColumnIn(o, p, false))
	}
	for _, p := range o.Parts {
		switch {
		case p.Kind == vocab.Period:
			out = append(out, PeriodLine(p))
		case p.Kind == catalog.PrimaryKey || p.Kind == catalog.Unique:
			out = append(out, Key(o, p, typ))
		case typ && p.Kind == catalog.Check:
			out = append(out, "CHECK ("+p.Text("expression")+")")
		case p.Kind == catalog.Index && (typ || o.Has(vocab.InMemory)):
			out = append(out, InlineIndex(p))
		}
	}
	return out
}

// Table is CREATE TABLE of given lines, under a name.
func Table(o *catalog.Object, name string, lines []string) string {
	s := fmt.Sprintf("CREATE TABLE %s (\n  %s\n)", name, strings.Join(lines, ",\n  ")) + On(o, o)
	if o.Has(vocab.InMemory) {
		return s + " WITH (MEMORY_OPTIMIZED = ON, DURABILITY = " + Durability(o) + ");"
	}
	if c := o.Text("compression"); c != "" {
		s += " WITH (DATA_COMPRESSION = " + c + ")"
	}
	return s + ";"
}

// PeriodOf are the columns of a table's period, start and end; none where it has none.
func PeriodOf(o *catalog.Object) []string {
	for _, p := range o.PartsOf(vocab.Period) {
		return p.List("columns")
	}
	return nil
}

// always is what stands at a column of a period in CREATE TABLE.
func always(o, p *catalog.Object) string {
	i := slices.Index(PeriodOf(o), p.Key())
	if i < 0 {
		return ""
	}
	s := " GENERATED ALWAYS AS ROW " + []string{"START", "END"}[i]
	if slices.Contains(o.PartsOf(vocab.Period)[0].List("hidden"), p.Key()) {
		s += " HIDDEN"
	}
	return s
}

// PeriodLine is a period as a line of CREATE TABLE.
func PeriodLine(p *catalog.Object) string {
	return "PERIOD FOR SYSTEM_TIME (" + Written(p, "columns") + ")"
}
