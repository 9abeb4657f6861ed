package model

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/standin/tsql"
)

// wholeDatabase is the schema of what belongs to the database and to no schema: its own triggers.
var wholeDatabase = &schema{}

// groups are the groups of events that a trigger of the database can name, by what they
// hold (SQL Server: DDL Event Groups).
var groups = map[string][]string{
	"DDL_DATABASE_LEVEL_EVENTS": nil, // all
	"DDL_TABLE_EVENTS":          {"TABLE"}, "DDL_VIEW_EVENTS": {"VIEW"}, "DDL_INDEX_EVENTS": indexEvents, "DDL_TABLE_VIEW_EVENTS": append([]string{"TABLE", "VIEW"}, indexEvents...),
	"DDL_FUNCTION_EVENTS": {"FUNCTION"}, "DDL_PROCEDURE_EVENTS": {"PROCEDURE"}, "DDL_TRIGGER_EVENTS": {"TRIGGER"}, "DDL_SYNONYM_EVENTS": {"SYNONYM"}, "DDL_TYPE_EVENTS": {"TYPE"}, "DDL_SEQUENCE_EVENTS": {"SEQUENCE"},
	"DDL_SCHEMA_EVENTS": {"SCHEMA"}, "DDL_ROLE_EVENTS": {"ROLE"}, "DDL_USER_EVENTS": {"USER"}, "DDL_GDR_DATABASE_EVENTS": {"DATABASE"}, "DDL_PARTITION_EVENTS": {"PARTITION_FUNCTION", "PARTITION_SCHEME"}, "DDL_FULLTEXT_CATALOG_EVENTS": {"FULLTEXT_CATALOG"},
}

// indexEvents are those of indexes of all kinds.
var indexEvents = []string{"INDEX", "XML_INDEX", "SPATIAL_INDEX", "FULLTEXT_INDEX"}

// things are what the events of single statements end in.
var things = []string{"TABLE", "VIEW", "INDEX", "FUNCTION", "PROCEDURE", "TRIGGER", "SYNONYM", "TYPE", "SEQUENCE", "SCHEMA", "ROLE", "USER", "PARTITION_FUNCTION", "PARTITION_SCHEME", "SECURITY_POLICY", "XML_INDEX", "SPATIAL_INDEX", "FULLTEXT_CATALOG", "FULLTEXT_INDEX"}

// events sees that a trigger of the database names events that there are.
func events(m *tsql.Module) {
	for _, e := range m.Events {
		verb, thing, _ := strings.Cut(e, "_")
		_, group := groups[e]
		if !group && e != "RENAME" && !(slices.Contains([]string{"CREATE", "ALTER", "DROP"}, verb) && slices.Contains(things, thing)) && !slices.Contains([]string{"GRANT_DATABASE", "DENY_DATABASE", "REVOKE_DATABASE"}, e) {
			panic(fail(1084, "'%s' is an invalid event type.", e))
		}
	}
}

// eventsOf are the single events that a trigger of the database looks at.
func eventsOf(m *tsql.Module) []string {
	var out []string
	for _, e := range m.Events {
		held, group := groups[e]
		if !group {
			out = append(out, e)
			continue
		}
		if held == nil {
			held = things
		}
		for _, t := range held {
			for _, verb := range []string{"CREATE_", "ALTER_", "DROP_"} {
				out = append(out, verb+t)
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// eventOf is the event that a statement is.
func eventOf(st tsql.Statement) string {
	switch b := st.Body.(type) {
	case *tsql.CreateTable:
		return map[bool]string{true: "CREATE_TYPE", false: "CREATE_TABLE"}[b.Type]
	case *tsql.AlterTable:
		return "ALTER_TABLE"
	case *tsql.Index:
		if b.Special != nil {
			return "CREATE_" + map[bool]string{true: "SPATIAL", false: "XML"}[b.Special.Kind == "SPATIAL"] + "_INDEX"
		}
		return "CREATE_INDEX"
	case *tsql.Fulltext:
		return b.Verb + "_FULLTEXT_" + map[bool]string{true: "CATALOG", false: "INDEX"}[b.On == nil]
	case *tsql.AlterIndex:
		return "ALTER_INDEX"
	case *tsql.Module:
		return map[bool]string{true: "ALTER_", false: "CREATE_"}[b.Verb == "ALTER"] + b.Kind
	case *tsql.CreateType:
		return "CREATE_TYPE"
	case *tsql.Sequence:
		return map[bool]string{true: "ALTER_", false: "CREATE_"}[b.Alter] + "SEQUENCE"
	case *tsql.CreateSynonym:
		return "CREATE_SYNONYM"
	case *tsql.CreateSchema:
		return "CREATE_SCHEMA"
	case *tsql.AlterSchema:
		return "ALTER_SCHEMA"
	case *tsql.Drop:
		return "DROP_" + strings.ReplaceAll(b.Kind, " ", "_")
	case *tsql.Principal:
		return b.Verb + "_" + b.Kind
	case *tsql.Rights:
		return b.Verb + "_DATABASE"
	case *tsql.PartitionFunction:
		return "CREATE_PARTITION_FUNCTION"
	case *tsql.PartitionScheme:
		return "CREATE_PARTITION_SCHEME"
	}
	return ""
}

// announce runs the triggers of the database that look at a statement. What procedures of
// the server's own do is announced to none here.
func (x *session) announce(st tsql.Statement, watching []*object) {
	event := eventOf(st)
	_, thing, _ := strings.Cut(event, "_")
	for _, tr := range watching {
		covers := slices.ContainsFunc(tr.module.ast.Events, func(e string) bool {
			held, group := groups[e]
			return e == event || group && (held == nil || slices.Contains(held, thing))
		})
		if event == "" || x.s.Quiet || tr.trig.disabled || !covers {
			continue
		}
		if x.memory {
			panic(fail(12332, "Database and server triggers on DDL statements CREATE, ALTER and DROP are not supported with memory optimized tables."))
		}
		vars, told := x.vars, x.told
		x.vars, x.told = map[string]*variable{}, fmt.Sprintf("<EVENT_INSTANCE><EventType>%s</EventType><DatabaseName>%s</DatabaseName></EVENT_INSTANCE>", event, x.d.name)
		x.nested(func() { x.run(body(tr)) })
		x.vars, x.told = vars, told
	}
}

// createDatabaseTrigger makes or replaces a trigger of the database.
func (x *session) createDatabaseTrigger(m *tsql.Module) {
	if len(m.Name) > 1 {
		panic(fail(1098, "The specified event type(s) is/are not valid on the specified target object."))
	}
	events(m)
	name := m.Name[0]
	o := x.d.objects[x.d.names[x.d.key(wholeDatabase, name)]]
	switch {
	case o == nil && m.Verb == "ALTER":
		panic(fail(208, "Invalid object name '%s'.", name))
	case o != nil && m.Verb == "CREATE":
		panic(fail(2714, "There is already an object named '%s' in the database.", name))
	}
	text := x.text
	if m.Verb != "CREATE" {
		text, m = asCreate(text)
	}
	made := &module{text, x.ansiNulls, x.quoted, m}
	if o == nil {
		x.add(&object{schema: wholeDatabase, name: name, typ: "DT", module: made, trig: &trigger{first: map[string]bool{}, last: map[string]bool{}}})
		return
	}
	x.alter(o)
	o.module, o.trig = made, &trigger{disabled: o.trig.disabled, first: map[string]bool{}, last: map[string]bool{}}
}

// databaseTriggers are those of a name, or all.
func (x *session) databaseTriggers(name []string) []*object {
	if name == nil {
		return x.d.list("DT")
	}
	o := x.d.objects[x.d.names[x.d.key(wholeDatabase, name[len(name)-1])]]
	if o == nil {
		panic(fail(3701, "Cannot drop or alter the trigger '%s', because it does not exist or you do not have permission.", name[len(name)-1]))
	}
	return []*object{o}
}
