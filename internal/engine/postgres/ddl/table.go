package ddl

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/vocab"
)

// Column is a column as it stands in CREATE TABLE or behind ADD COLUMN.
func Column(c *catalog.Object, withDefault bool) string {
	s := vocab.Quote(c.Name) + " " + c.Text("type")
	if n := c.Text("compression"); n != "" {
		s += " COMPRESSION " + n
	}
	s += GenericOptions(c.List("foreign options"))
	if n := c.Text("collation"); n != "" {
		s += " COLLATE " + n
	}
	switch {
	case c.Has("generated"):
		s += " GENERATED ALWAYS AS (" + c.Text("expression") + ") " + strings.ToUpper(c.Text("generated"))
	case c.Has("identity"):
		s += " " + Identity(c)
	case c.Has("default") && withDefault:
		s += " DEFAULT " + c.Text("default")
	}
	if c.Has("not null") && !c.Has("not null not valid") {
		if n := c.Text("not null name"); n != "" {
			s += " CONSTRAINT " + vocab.Quote(n)
		}
		s += " NOT NULL"
		if c.Has("not null no inherit") {
			s += " NO INHERIT"
		}
	}
	return s
}

func Identity(c *catalog.Object) string {
	s := "GENERATED " + strings.ToUpper(c.Text("identity")) + " AS IDENTITY"
	opts := c.List("identity sequence")
	if n := c.Text("identity sequence name"); n != "" {
		opts = append([]string{"SEQUENCE NAME " + n}, opts...)
	}
	if len(opts) > 0 {
		s += " (" + strings.Join(opts, " ") + ")"
	}
	return s
}

// ColumnExtras are the facts of a column that only ALTER TABLE can set.
func ColumnExtras(c *catalog.Object) []string {
	var out []string
	col := "ALTER COLUMN " + vocab.Quote(c.Name)
	if s := c.Text("storage"); s != "" {
		out = append(out, col+" SET STORAGE "+strings.ToUpper(s))
	}
	if s := c.Text("statistics target"); s != "" {
		out = append(out, col+" SET STATISTICS "+s)
	}
	if l := c.List("options"); len(l) > 0 {
		out = append(out, col+" SET ("+OptionList(l)+")")
	}
	if c.Has("not null not valid") {
		add := "ADD "
		if n := c.Text("not null name"); n != "" {
			add += "CONSTRAINT " + vocab.Quote(n) + " "
		}
		out = append(out, add+"NOT NULL "+vocab.Quote(c.Name)+" NOT VALID")
	}
	return out
}

// PartitionColumn is what a partition's column has beyond its parent's.
func PartitionColumn(p, parent *catalog.Object) string {
	pc := PartOf(parent, p)
	s := ""
	if p.Has("default") && (pc == nil || pc.Text("default") != p.Text("default")) {
		s += " DEFAULT " + p.Text("default")
	}
	if p.Has("not null") && (pc == nil || !pc.Has("not null")) {
		s += " NOT NULL"
	}
	if s == "" {
		return ""
	}
	return vocab.Quote(p.Name) + s
}

// TypedColumn is what a column of a typed table has beyond its type.
func TypedColumn(p *catalog.Object) string {
	s := ""
	switch {
	case p.Has("generated"):
		s += " GENERATED ALWAYS AS (" + p.Text("expression") + ") " + strings.ToUpper(p.Text("generated"))
	case p.Has("default"):
		s += " DEFAULT " + p.Text("default")
	}
	if p.Has("not null") {
		s += " NOT NULL"
	}
	if s == "" {
		return ""
	}
	return vocab.Quote(p.Name) + " WITH OPTIONS" + s
}

// TableHead is CREATE TABLE without its semicolon.
func TableHead(o *catalog.Object, lines []string) string {
	unlogged := ""
	if o.Has("unlogged") {
		unlogged = "UNLOGGED "
	}
	s := "CREATE " + unlogged + Keyword(o) + " " + vocab.Qualified(o)
	if t := o.Text("of type"); t != "" {
		s += " OF " + t
	}
	if l := o.List("partition of"); len(l) > 0 {
		s += " PARTITION OF " + l[0]
	}
	if len(lines) > 0 {
		s += " (\n  " + strings.Join(lines, ",\n  ") + "\n)"
	} else if !o.Has("partition of") && !o.Has("of type") {
		s += " ()"
	}
	if b := o.Text("partition bound"); b != "" {
		s += " " + b
	}
	if l := o.List("inherits"); len(l) > 0 {
		s += " INHERITS (" + strings.Join(l, ", ") + ")"
	}
	if p := o.Text("partition by"); p != "" {
		s += " PARTITION BY " + p
	}
	if m := o.Text("access method"); m != "" {
		s += " USING " + vocab.Quote(m)
	}
	if o.Kind == vocab.ForeignTable {
		return s + " SERVER " + vocab.Quote(o.Text("server")) + GenericOptions(o.List("options"))
	}
	if l := o.List("written options"); len(l) > 0 {
		s += " WITH (" + OptionList(l) + ")"
	}
	if t := o.Text("tablespace"); t != "" {
		s += " TABLESPACE " + vocab.Quote(t)
	}
	return s
}

// TableTail is what follows CREATE TABLE.
func TableTail(o *catalog.Object, clauses []string) []string {
	if o.Has("row security") {
		clauses = append(clauses, "ENABLE ROW LEVEL SECURITY")
	}
	if o.Has("row security forced") {
		clauses = append(clauses, "FORCE ROW LEVEL SECURITY")
	}
	if r := o.Text("replica identity"); r != "" {
		clauses = append(clauses, "REPLICA IDENTITY "+strings.ToUpper(r))
	}
	if len(clauses) == 0 {
		return nil
	}
	return []string{"ALTER TABLE ONLY " + vocab.Qualified(o) + "\n  " + strings.Join(clauses, ",\n  ") + ";"}
}

func PartOf(o, like *catalog.Object) *catalog.Object {
	if o == nil {
		return nil
	}
	return o.Part(like.Kind, like.Key())
}

func ColumnComment(o, col *catalog.Object) string {
	return fmt.Sprintf("COMMENT ON COLUMN %s.%s IS %s;", vocab.Qualified(o), vocab.Quote(col.Name), CommentText(col))
}
