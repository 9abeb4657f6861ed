package ddl

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// NotForReplication is what a check or key says that replication need not keep; "" for all others.
func NotForReplication(p *catalog.Object) string {
	if p.Has("not for replication") {
		return " NOT FOR REPLICATION"
	}
	return ""
}

// ForeignKey is a foreign key without its name.
func ForeignKey(p *catalog.Object) string {
	s := "FOREIGN KEY (" + Written(p, "columns") + ") REFERENCES " + p.Text("parent") + " (" + Written(p, "parent columns") + ")"
	for _, f := range []string{"on delete", "on update"} {
		if v := p.Text(f); v != "" {
			s += " " + strings.ToUpper(f) + " " + v
		}
	}
	return s + NotForReplication(p)
}

// Index is CREATE INDEX without its semicolon, with more options than those the index keeps.
func Index(o, p *catalog.Object, more []string) string {
	s := "CREATE "
	if p.Has("unique") {
		s += "UNIQUE "
	}
	if t := p.Text("type"); t != "" {
		s += strings.ToUpper(t) + " "
	}
	s += "INDEX " + quote(p.Name) + " ON " + qualified(o)
	var special []string
	switch {
	case p.Has("tessellation"):
		s += " (" + Written(p, "columns") + ") USING " + p.Text("tessellation")
		for _, f := range [][2]string{{"bounding box", "BOUNDING_BOX"}, {"grids", "GRIDS"}} {
			if l := p.List(f[0]); len(l) > 0 {
				special = append(special, f[1]+" = ("+strings.Join(l, ", ")+")")
			}
		}
		special = append(special, "CELLS_PER_OBJECT = "+p.Text("cells per object"))
	case p.Has("using"):
		s += " (" + Written(p, "columns") + ") USING XML INDEX " + p.Text("using") + " FOR " + p.Text("for")
	case strings.HasPrefix(p.Text("type"), "nonclustered columnstore"):
		s += " (" + Written(p, "include") + ")"
	case p.Text("type") != "clustered columnstore":
		s += " (" + Written(p, "columns") + ")"
		if i := Written(p, "include"); i != "" {
			s += " INCLUDE (" + i + ")"
		}
	}
	if f := p.Text("where"); f != "" {
		s += " WHERE " + f
	}
	s += WithOptions(p, append(special, more...)...)
	if strings.HasSuffix(p.Text("type"), "XML") { // it lies where its table does
		return s
	}
	return s + On(o, p)
}

// Statistics is CREATE STATISTICS, as a batch.
func Statistics(o, p *catalog.Object) string {
	s := "CREATE STATISTICS " + quote(p.Name) + " ON " + qualified(o) + " (" + Written(p, "columns") + ")"
	if f := p.Text("where"); f != "" {
		s += " WHERE " + f
	}
	if p.Has("no recompute") {
		s += " WITH NORECOMPUTE"
	}
	return batch(s + ";")
}

// DropStatistics is DROP STATISTICS, as a batch.
func DropStatistics(o, p *catalog.Object) string {
	return batch("DROP STATISTICS " + qualified(o) + "." + quote(p.Name) + ";")
}

// Durability is the option of a table in memory that says what becomes of its rows.
func Durability(o *catalog.Object) string {
	if o.Text(vocab.InMemory) == "with its rows" {
		return "SCHEMA_AND_DATA"
	}
	return "SCHEMA_ONLY"
}

// InlineIndex is an index as a line of CREATE TABLE, or behind ADD of ALTER TABLE: those of
// tables in memory, and of table types.
func InlineIndex(p *catalog.Object) string {
	s := "INDEX " + quote(p.Name)
	if p.Has("unique") {
		s += " UNIQUE"
	}
	switch t := p.Text("type"); t {
	case "clustered columnstore":
		return s + " CLUSTERED COLUMNSTORE"
	case "clustered":
		s += " CLUSTERED"
	case "hash":
		s += " HASH"
	default:
		s += " NONCLUSTERED"
	}
	return s + " (" + Written(p, "columns") + ")" + WithOptions(p)
}

// MemoryLines are the lines of CREATE TABLE of a table in memory: its indexes and its
// primary key are made with it. The key is called otherwise while another table has its name.
func MemoryLines(o *catalog.Object, columns []string, key string) []string {
	out := slices.Clone(columns)
	for _, p := range o.Parts {
		switch p.Kind {
		case catalog.PrimaryKey:
			k := *p
			if k.Name != "" && key != "" {
				k.Name = key
			}
			out = append(out, Key(o, &k, false))
		case catalog.Index:
			out = append(out, InlineIndex(p))
		}
	}
	return out
}
