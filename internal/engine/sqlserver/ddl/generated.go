package ddl

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// A name that the server makes is another one on every server, and another one after
// the way back: whoever drops such a constraint looks its name up.

// lookup asks for the name of a constraint by what it says; %s is the table's
// OBJECT_ID.
func lookup(o, p *catalog.Object) string {
	table := "OBJECT_ID(" + vocab.String(qualified(o)) + ")"
	switch p.Kind {
	case catalog.Column:
		return fmt.Sprintf("SELECT d.name FROM sys.default_constraints AS d JOIN sys.columns AS c ON c.default_object_id = d.object_id WHERE d.parent_object_id = %s AND c.name = %s", table, vocab.String(p.Name))
	case catalog.PrimaryKey:
		return fmt.Sprintf("SELECT k.name FROM sys.key_constraints AS k WHERE k.parent_object_id = %s AND k.type = 'PK'", table)
	case catalog.Unique:
		return fmt.Sprintf("SELECT TOP (1) k.name FROM sys.key_constraints AS k WHERE k.parent_object_id = %s AND k.type = 'UQ' AND k.is_system_named = 1 AND %s", table,
			columnsAre("sys.index_columns AS x JOIN sys.columns AS c ON c.object_id = x.object_id AND c.column_id = x.column_id WHERE x.object_id = k.parent_object_id AND x.index_id = k.unique_index_id", "x.key_ordinal", p, "columns"))
	case catalog.Check:
		return fmt.Sprintf("SELECT TOP (1) k.name FROM sys.check_constraints AS k WHERE k.parent_object_id = %s AND k.is_system_named = 1 AND k.definition = %s", table, vocab.String(stored(p)))
	case catalog.ForeignKey:
		return fmt.Sprintf("SELECT TOP (1) f.name FROM sys.foreign_keys AS f WHERE f.parent_object_id = %s AND f.is_system_named = 1 AND f.referenced_object_id = OBJECT_ID(%s) AND %s", table, vocab.String(p.Text("parent")),
			columnsAre("sys.foreign_key_columns AS x JOIN sys.columns AS c ON c.object_id = x.parent_object_id AND c.column_id = x.parent_column_id WHERE x.constraint_object_id = f.object_id", "x.constraint_column_id", p, "columns"))
	}
	return ""
}

// stored is a check as the server keeps its text.
func stored(p *catalog.Object) string {
	if s := p.Text(vocab.Stored); s != "" {
		return s
	}
	return "(" + p.Text("expression") + ")"
}

// columnsAre is a condition that a list of columns is that of a part, in its order.
func columnsAre(from, place string, p *catalog.Object, fact string) string {
	names := WrittenList(p, fact)
	var each []string
	for i, n := range names {
		each = append(each, fmt.Sprintf("%s = %d AND c.name = %s", place, i+1, vocab.String(vocab.Bare(n))))
	}
	return fmt.Sprintf("(SELECT COUNT(*) FROM %s) = %d AND (SELECT COUNT(*) FROM %s AND (%s)) = %d", from, len(names), from, strings.Join(each, " OR "), len(names))
}

// DropConstraint drops a constraint by its name, or one that the server named by what
// it says.
func DropConstraint(o, p *catalog.Object, name string) string {
	return OnNamed(o, p, name, "ALTER TABLE "+qualified(o)+" DROP CONSTRAINT ", ";")
}

// OnNamed is a statement with a name in it, or with the one that the server gave.
func OnNamed(o, p *catalog.Object, name, before, after string) string {
	if name != "" {
		return batch(before + quote(name) + after)
	}
	return byName(o, p, before, after)
}

// RenamedByDefinition gives a constraint that the server named a name.
func RenamedByDefinition(o, p *catalog.Object, now string) string {
	return batch(fmt.Sprintf("DECLARE @name nvarchar(300);\nSET @name = (%s);\nSET @name = %s + QUOTENAME(@name);\nEXEC sp_rename @name, %s;", lookup(o, p), vocab.String(quote(o.Schema)+"."), vocab.String(now)))
}

// byName runs a statement with the name of a constraint that the server named.
func byName(o, p *catalog.Object, before, after string) string {
	return batch(fmt.Sprintf("DECLARE @name nvarchar(128), @sql nvarchar(max);\nSET @name = (%s);\nIF @name IS NULL THROW %d, %s, 1;\nSET @sql = %s + QUOTENAME(@name) + %s;\nEXEC (@sql);",
		lookup(o, p), vocab.GuardNumber, vocab.String("the "+p.Kind.Title()+" that the server named on "+o.Name+" is not there"), vocab.String(before), vocab.String(after)))
}
