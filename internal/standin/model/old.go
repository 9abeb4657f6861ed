package model

import (
	"strings"

	"dappermirror/internal/standin/tsql"
)

// spAddType makes an alias type (SQL Server: sp_addtype).
func spAddType(x *session, c *call) any {
	null := byte('y')
	if strings.EqualFold(strings.Trim(c.text("nulltype", 2), "' "), "NOT NULL") {
		null = 'n'
	}
	base, err := tsql.Type(strings.Trim(c.text("phystype", 1), "' "))
	if err != nil {
		panic(syntax(err))
	}
	x.createType(&tsql.CreateType{Name: []string{c.text("typename", 0)}, Base: base, Null: null})
	return int64(0)
}

func spDropType(x *session, c *call) any {
	x.drop(&tsql.Drop{Kind: "TYPE", Names: [][]string{{c.text("typename", 0)}}})
	return int64(0)
}

// compatible are the catalog's names of old, which stand in every schema (SQL Server:
// Compatibility views).
var compatible = map[string]bool{"sysobjects": true, "syscolumns": true, "sysindexes": true}

var oldViews, standardViews map[string]sysView

func init() {
	oldViews = map[string]sysView{
		"sysobjects": {"name id# xtype uid# parent_obj# crdate type", func(x *session, add func(...any)) {
			for _, o := range x.d.list("U", "V", "P", "FN", "IF", "TF", "TR", "SO", "SN", "PK", "UQ", "C", "F", "D") {
				b := o.base()
				typ := strings.TrimSpace(o.typ)
				add(o.name, o.id, typ, int64(o.schema.id), o.parent, b[7], map[string]string{"PK": "K", "UQ": "K"}[typ]+map[bool]string{true: typ}[typ != "PK" && typ != "UQ"])
			}
		}},
		"syscolumns": {"name id# xtype# colid# length# isnullable#", func(x *session, add func(...any)) {
			for _, o := range x.d.list("U", "V") {
				for _, c := range o.cols {
					add(c.name, o.id, int64(c.dataType.system.system), int64(c.id), int64(c.length), bit(c.nullable))
				}
			}
		}},
		"sysindexes": {"name id# indid#", func(x *session, add func(...any)) {
			for _, o := range x.d.list("U", "V") {
				for _, i := range o.indexes {
					add(orNull(i.name), o.id, int64(i.id))
				}
			}
		}},
	}
}

func init() {
	standardViews = map[string]sysView{
		"tables": {"TABLE_CATALOG TABLE_SCHEMA TABLE_NAME TABLE_TYPE", func(x *session, add func(...any)) {
			for _, o := range x.d.list("U", "V") {
				add(x.d.name, o.schema.name, o.name, map[bool]string{true: "BASE TABLE", false: "VIEW"}[o.typ == "U"])
			}
		}},
		"views": {"TABLE_CATALOG TABLE_SCHEMA TABLE_NAME", func(x *session, add func(...any)) {
			for _, o := range x.d.list("V") {
				add(x.d.name, o.schema.name, o.name)
			}
		}},
		"columns": {"TABLE_CATALOG TABLE_SCHEMA TABLE_NAME COLUMN_NAME ORDINAL_POSITION# COLUMN_DEFAULT IS_NULLABLE DATA_TYPE CHARACTER_MAXIMUM_LENGTH#", func(x *session, add func(...any)) {
			for _, o := range x.d.list("U", "V") {
				for _, c := range o.cols {
					var length, def any
					if c.unit > 0 {
						if length = int64(c.length / c.unit); c.length < 0 {
							length = int64(-1)
						}
					}
					if d := x.d.objects[c.defaultID]; d != nil {
						def = d.con.definition
					}
					add(x.d.name, o.schema.name, o.name, c.name, int64(c.id), def, map[bool]string{true: "YES", false: "NO"}[c.nullable], c.dataType.system.name, length)
				}
			}
		}},
		"routines": {"ROUTINE_CATALOG ROUTINE_SCHEMA ROUTINE_NAME ROUTINE_TYPE", func(x *session, add func(...any)) {
			for _, o := range x.d.list("P", "FN", "IF", "TF") {
				add(x.d.name, o.schema.name, o.name, map[bool]string{true: "PROCEDURE", false: "FUNCTION"}[o.typ == "P"])
			}
		}},
		"table_constraints": {"CONSTRAINT_SCHEMA CONSTRAINT_NAME TABLE_SCHEMA TABLE_NAME CONSTRAINT_TYPE", func(x *session, add func(...any)) {
			for _, o := range x.d.list("PK", "UQ", "C", "F") {
				add(o.schema.name, o.name, o.schema.name, x.d.objects[o.parent].name, map[string]string{"PK": "PRIMARY KEY", "UQ": "UNIQUE", "C": "CHECK", "F": "FOREIGN KEY"}[o.typ])
			}
		}},
	}
}

func init() { // behind the functions that have no need of the views
	functions["objectproperty"] = function{2, 2, true, objectProperty}
	functions["objectpropertyex"] = function{2, 2, true, objectProperty}
	functions["columnproperty"] = function{3, 3, true, func(x *session, a []any) any {
		o := x.d.objects[toWhole(a[0])]
		if o == nil {
			return nil
		}
		c := o.column(x.d, text(a[1]))
		if c == nil {
			return nil
		}
		switch strings.ToLower(text(a[2])) {
		case "columnid":
			return int64(c.id)
		case "isidentity":
			return bit(c.identity)
		case "iscomputed":
			return bit(c.computed != nil)
		case "allowsnull":
			return bit(c.nullable)
		}
		return nil
	}}
}

// propertyTypes are the properties that tell what an object is.
var propertyTypes = map[string][]string{"isusertable": {"U"}, "istable": {"U"}, "isview": {"V"}, "isprocedure": {"P"}, "isscalarfunction": {"FN"}, "isinlinefunction": {"IF"}, "istablefunction": {"IF", "TF"}, "istrigger": {"TR"},
	"isforeignkey": {"F"}, "isprimarykey": {"PK"}, "isuniquecnst": {"UQ"}, "ischeckcnst": {"C"}, "isdefaultcnst": {"D"}, "isconstraint": {"PK", "UQ", "C", "D", "F"}}

func objectProperty(x *session, a []any) any {
	o := x.d.objects[toWhole(a[0])]
	types, ok := propertyTypes[strings.ToLower(text(a[1]))]
	if o == nil || !ok {
		return nil
	}
	for _, t := range types {
		if t == o.typ {
			return int64(1)
		}
	}
	return int64(0)
}
