package text

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlserver/vocab"
	"dappermirror/internal/engine/texts"
	"dappermirror/internal/standin/tsql"
)

// holders are what has indexes, triggers and statistics.
var holders = []catalog.Kind{catalog.Table, catalog.View}

// keys are the parts that a name of an index may stand for.
var keys = []catalog.Kind{catalog.Index, catalog.PrimaryKey, catalog.Unique}

// words are what statements call the kinds.
var words = map[string][]catalog.Kind{
	"TABLE": {catalog.Table}, "VIEW": {catalog.View}, "PROCEDURE": {catalog.Routine}, "FUNCTION": {catalog.Routine}, "SEQUENCE": {catalog.Sequence}, "SYNONYM": {vocab.Synonym},
	"TYPE": {vocab.AliasType, vocab.TableType}, "TABLE_TYPE": {vocab.TableType}, "SCHEMA": {catalog.Schema}, "ROLE": {vocab.Role}, "SECURITY POLICY": {vocab.Policy},
	"PARTITION FUNCTION": {vocab.PartitionFunction}, "PARTITION SCHEME": {vocab.PartitionScheme}, "COLUMN": {catalog.Column}, "CONSTRAINT": {catalog.Check, catalog.PrimaryKey, catalog.Unique, catalog.ForeignKey},
	"INDEX": keys, "TRIGGER": {catalog.Trigger}, "PRIMARY": {catalog.PrimaryKey}, "UNIQUE": {catalog.Unique}, "CHECK": {catalog.Check}, "FOREIGN": {catalog.ForeignKey},
}

// beyond are the server's procedures that set up servers, databases and logins.
var beyond = strings.Fields("sp_addlogin sp_addsrvrolemember sp_configure sp_db_vardecimal_storage_format sp_dbcmptlevel sp_dboption sp_defaultdb sp_droplogin sp_fulltext_database sp_grantlogin sp_revokelogin")

// object names a thing that stands in a schema: in dbo where none is said.
func object(path []string, kinds ...catalog.Kind) *texts.Made {
	m := &texts.Made{Kinds: kinds, Schema: "dbo", Name: path[len(path)-1]}
	if len(path) > 1 {
		m.Schema = path[len(path)-2]
	}
	return m
}

// plain names a thing that stands in none.
func plain(name string, kind catalog.Kind) *texts.Made {
	return &texts.Made{Kinds: []catalog.Kind{kind}, Name: name}
}

// part names a part of a thing.
func part(of *texts.Made, name string, kinds ...catalog.Kind) *texts.Made {
	of.Part, of.PartKinds = name, kinds
	return of
}

// about says what a statement makes or changes, or that it is about something else.
func about(st tsql.Statement) Unit {
	u := Unit{}
	u.Action = texts.Main
	switch b := st.Body.(type) {
	case *tsql.Insert, *tsql.Update, *tsql.Delete, *tsql.Merge, *tsql.Truncate, *tsql.SelectStmt, *tsql.Checkident, *tsql.PrintStmt, *tsql.Use:
		u.Rows = true
	case *tsql.Set:
		if u.Rows = b.Option == "IDENTITY_INSERT"; !u.Rows {
			u.Action = texts.Set
		}
	case *tsql.Passed:
		u.Action, u.Why = texts.Pass, b.What
	case *tsql.If:
		if b.Else == nil {
			u = about(b.Then)
		}
	case *tsql.Block:
		if len(b.List) == 1 {
			u = about(b.List[0])
		}
	case *tsql.Exec:
		if n := len(b.Proc); n > 0 && strings.HasPrefix(strings.ToLower(b.Proc[n-1]), "sp_help") {
			u.Rows = true // it shows something
			break
		}
		if sql := within(b); sql != "" {
			if list, err := tsql.Batch(sql); err == nil && len(list) == 1 {
				inner := about(list[0])
				u.Makes, u.Alters = inner.Makes, inner.Alters
			}
			break
		}
		if u.Alters = called(b); len(b.Proc) > 0 && slices.Contains(beyond, strings.ToLower(b.Proc[len(b.Proc)-1])) {
			u.Action, u.Why = texts.Pass, b.Proc[len(b.Proc)-1]
		} else if len(b.Proc) > 0 && strings.EqualFold(b.Proc[len(b.Proc)-1], "sp_addtype") {
			u.Makes, u.Alters = u.Alters, nil
		}
	case *tsql.CreateTable, *tsql.AlterTable, *tsql.Index, *tsql.AlterIndex, *tsql.Statistics, *tsql.Fulltext, *tsql.TriggerState:
		u.ofTable(b)
	case *tsql.Module:
		u.noted(moduleOf(b), b.Verb != "ALTER")
	case *tsql.Drop:
		u.Alters, u.Removes = dropped(b), true
	default:
		u.noted(simple(b))
	}
	if u.Rows {
		u.Action = texts.Pass
	}
	return u
}

// noted notes what a statement makes, or changes where it makes nothing.
func (u *Unit) noted(m *texts.Made, makes bool) {
	if makes {
		u.Makes = m
	} else {
		u.Alters = m
	}
}

// ofTable says what statements about tables and what hangs on them are about.
func (u *Unit) ofTable(body any) {
	switch b := body.(type) {
	case *tsql.CreateTable:
		kind := catalog.Table
		if b.Type {
			kind = vocab.TableType
		}
		u.Makes = object(b.Name, kind)
		u.history(b.Options)
	case *tsql.AlterTable:
		u.Alters = object(b.Name, catalog.Table)
		u.history(b.Options)
		switch {
		case b.Action == "ADD" && len(b.Columns)+len(b.Indexes) == 0 && len(b.Rest) == 1 && b.Rest[0].Name != "" && words[b.Rest[0].Kind] != nil:
			u.Makes, u.Alters = part(u.Alters, b.Rest[0].Name, words[b.Rest[0].Kind]...), nil
		case b.Action == "ADD" && len(b.Columns)+len(b.Rest) == 0 && len(b.Indexes) == 1:
			u.Makes, u.Alters = part(u.Alters, b.Indexes[0].Name, catalog.Index), nil
		case len(b.Names) == 1 && strings.HasSuffix(b.Action, "TRIGGER"):
			part(u.Alters, b.Names[0], catalog.Trigger)
		case len(b.Names) == 1 && strings.HasSuffix(b.Action, "CHECK"):
			part(u.Alters, b.Names[0], words["CONSTRAINT"]...)
		}
	case *tsql.Index:
		u.Makes = part(object(b.On, holders...), b.Name, catalog.Index)
	case *tsql.AlterIndex:
		if u.Alters = object(b.On, holders...); b.Name != "" {
			part(u.Alters, b.Name, keys...)
		}
	case *tsql.Statistics:
		switch {
		case b.Verb == "CREATE":
			u.Makes = part(object(b.On, holders...), b.Name, vocab.Statistics)
		case b.Verb == "UPDATE":
			u.Rows = true
		case len(b.Names) == 1 && len(b.Names[0]) > 1:
			path := b.Names[0]
			u.Alters = part(object(path[:len(path)-1], holders...), path[len(path)-1], vocab.Statistics)
		}
	case *tsql.Fulltext:
		if b.On == nil {
			u.noted(plain(b.Catalog, vocab.TextCatalog), b.Verb == "CREATE")
			break
		}
		u.noted(part(object(b.On, holders...), vocab.TextIndexName, vocab.TextIndex), b.Verb == "CREATE")
		u.Waits = u.Alters
	case *tsql.TriggerState:
		if n := len(b.Name); n == 0 { // all of them
			break
		} else if b.Database {
			u.Alters = plain(b.Name[n-1], vocab.DatabaseTrigger)
		} else if b.On != nil {
			u.Alters = part(object(b.On, holders...), b.Name[len(b.Name)-1], catalog.Trigger)
		}
	}
}

// history lets a table wait for the text of its history table: without it the server
// would make one.
func (u *Unit) history(o tsql.Options) {
	if n := namesOf(o["HISTORY_TABLE"]); len(n) > 0 {
		u.Waits = object(n, catalog.Table)
	}
}

// namesOf are the names of a path.
func namesOf(text string) []string {
	var out []string
	for _, t := range sqltext.Significant(tsql.Dialect, text) {
		if t.IsName() {
			out = append(out, t.Name())
		}
	}
	return out
}

func moduleOf(b *tsql.Module) *texts.Made {
	switch {
	case b.Database:
		return plain(b.Name[len(b.Name)-1], vocab.DatabaseTrigger)
	case b.Kind == "TRIGGER":
		return part(object(b.On, holders...), b.Name[len(b.Name)-1], catalog.Trigger)
	}
	return object(b.Name, words[b.Kind]...)
}

// dropped is what a DROP takes away, the first of several.
func dropped(b *tsql.Drop) *texts.Made {
	switch {
	case len(b.Names) == 0:
		return nil
	case b.OnBase:
		return plain(b.Names[0][0], vocab.DatabaseTrigger)
	case b.Kind == "INDEX" && len(b.On) > 0:
		return part(object(b.On[0], holders...), b.Names[0][len(b.Names[0])-1], keys...)
	case b.Kind == "TRIGGER":
		m := object(b.Names[0])
		return &texts.Made{Schema: m.Schema, Part: m.Name, PartKinds: words["TRIGGER"]}
	case b.Kind == "SCHEMA", strings.HasPrefix(b.Kind, "PARTITION"):
		return plain(b.Names[0][0], words[b.Kind][0])
	case words[b.Kind] != nil:
		return object(b.Names[0], words[b.Kind]...)
	}
	return nil
}

// simple says what statements about other things are about, and whether they make them.
func simple(body any) (*texts.Made, bool) {
	switch b := body.(type) {
	case *tsql.CreateType:
		return object(b.Name, vocab.AliasType), true
	case *tsql.Sequence:
		return object(b.Name, catalog.Sequence), !b.Alter
	case *tsql.CreateSynonym:
		return object(b.Name, vocab.Synonym), true
	case *tsql.CreateSchema:
		return plain(b.Name, catalog.Schema), true
	case *tsql.AlterSchema:
		return object([]string{b.Schema, b.Name[len(b.Name)-1]}), false
	case *tsql.SecurityPolicy:
		return object(b.Name, vocab.Policy), !b.Alter
	case *tsql.PartitionFunction:
		return plain(b.Name, vocab.PartitionFunction), true
	case *tsql.PartitionScheme:
		return plain(b.Name, vocab.PartitionScheme), true
	case *tsql.AlterPartition:
		if b.Next != "" {
			return plain(b.Name, vocab.PartitionScheme), false
		}
		return plain(b.Name, vocab.PartitionFunction), false
	case *tsql.Principal:
		if b.Kind == "ROLE" {
			return plain(b.Name, vocab.Role), b.Verb == "CREATE"
		}
	case *tsql.Authorization:
		return secured(b.Class, b.On), false
	case *tsql.Rights:
		if b.On == nil && len(b.To) > 0 {
			return plain(b.To[0], vocab.Grant), false
		}
		return secured(b.Class, b.On), false
	}
	return nil, false
}

// secured names what rights and owners are of.
func secured(class string, on []string) *texts.Made {
	switch {
	case len(on) == 0:
		return nil
	case class == "SCHEMA", class == "ROLE":
		return plain(on[0], words[class][0])
	}
	return object(on, words[class]...)
}

// within is the text that a call runs, where it is a constant.
func within(b *tsql.Exec) string {
	text := b.Text
	if text == nil && len(b.Proc) > 0 && strings.EqualFold(b.Proc[len(b.Proc)-1], "sp_executesql") && len(b.Args) == 1 {
		text = b.Args[0].X
	}
	if l, ok := text.(*tsql.Literal); ok {
		return l.Text
	}
	return ""
}

// called is what a procedure of the server that changes the structure is called for.
func called(b *tsql.Exec) *texts.Made {
	if len(b.Proc) == 0 {
		return nil
	}
	arg := func(name string, at int) string {
		for i, a := range b.Args {
			if l, ok := a.X.(*tsql.Literal); ok && (strings.EqualFold(a.Name, "@"+name) || a.Name == "" && i == at) {
				return l.Text
			}
		}
		return ""
	}
	switch proc := strings.ToLower(b.Proc[len(b.Proc)-1]); proc {
	case "sp_addextendedproperty", "sp_updateextendedproperty", "sp_dropextendedproperty":
		from := 2
		if proc == "sp_dropextendedproperty" {
			from = 1
		}
		return described(arg("level0name", from+1), arg("level1type", from+2), arg("level1name", from+3), arg("level2type", from+4), arg("level2name", from+5))
	case "sp_rename":
		return renamed(namesOf(arg("objname", 0)), arg("newname", 1), strings.ToUpper(arg("objtype", 2)))
	case "sp_settriggerorder":
		if name := namesOf(arg("triggername", 0)); len(name) > 0 && strings.EqualFold(arg("namespace", 3), "DATABASE") {
			return plain(name[len(name)-1], vocab.DatabaseTrigger)
		} else if len(name) > 0 {
			m := object(name)
			return &texts.Made{Schema: m.Schema, Part: m.Name, PartKinds: words["TRIGGER"]}
		}
	case "sp_addtype", "sp_droptype":
		return object([]string{"dbo", arg("typename", 0)}, vocab.AliasType)
	case "sp_addrolemember", "sp_droprolemember", "sp_addrole", "sp_droprole":
		return plain(arg("rolename", 0), vocab.Role)
	}
	return nil
}

// described names what an extended property is of.
func described(schema, kind, name, partKind, partName string) *texts.Made {
	kinds := words[strings.ToUpper(kind)]
	switch {
	case schema == "":
		return nil
	case kind == "":
		return plain(schema, catalog.Schema)
	case kinds == nil:
		return nil
	}
	m := object([]string{schema, name}, kinds...)
	if of := words[strings.ToUpper(partKind)]; of != nil {
		part(m, partName, of...)
	}
	return m
}

// renamed is what has the new name that a renaming gives.
func renamed(path []string, name, class string) *texts.Made {
	switch {
	case len(path) == 0, name == "":
		return nil
	case class == "COLUMN" && len(path) > 1:
		return part(object(path[:len(path)-1], catalog.Table), name, catalog.Column)
	case class == "INDEX" && len(path) > 1:
		return part(object(path[:len(path)-1], holders...), name, keys...)
	}
	return object(append(path[:len(path)-1:len(path)-1], name))
}
