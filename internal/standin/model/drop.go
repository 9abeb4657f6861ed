package model

import (
	"slices"
	"strings"

	"dappermirror/internal/standin/tsql"
)

var dropTypes = map[string][]string{"TABLE": {"U"}, "VIEW": {"V"}, "FUNCTION": {"FN", "IF", "TF"}, "PROCEDURE": {"P"}, "TRIGGER": {"TR"}, "SEQUENCE": {"SO"}, "SYNONYM": {"SN"}, "SECURITY POLICY": {"SP"}}

func (x *session) drop(b *tsql.Drop) {
	for i, n := range b.Names {
		switch b.Kind {
		case "INDEX":
			if t := x.d.find(b.On[i], "U", "V"); t != nil {
				t.unsupported("operation 'DROP INDEX'")
			}
			x.dropIndex(b, n[0], b.On[i])
		case "TYPE":
			x.dropType(b, n)
		case "SCHEMA":
			x.dropSchema(b, n[0])
		case "PARTITION FUNCTION", "PARTITION SCHEME":
			x.dropPartition(b, n[0])
		default:
			x.dropObject(b, n)
		}
	}
}

func (x *session) dropObject(b *tsql.Drop, n []string) {
	if b.OnBase {
		if b.If && x.d.names[x.d.key(wholeDatabase, n[0])] == 0 {
			return
		}
		for _, o := range x.databaseTriggers(n) {
			x.remove(o)
		}
		return
	}
	o := x.d.find(n, dropTypes[b.Kind]...)
	word := strings.ToLower(b.Kind)
	if o == nil {
		if other := x.d.find(n); other != nil {
			panic(fail(3705, "Cannot use DROP %s with '%s' because '%s' is a %s. Use DROP for that.", b.Kind, strings.Join(n, "."), strings.Join(n, "."), strings.ToLower(typeDesc[other.typ])))
		}
		if b.If {
			return
		}
		panic(fail(3701, "Cannot drop the %s '%s', because it does not exist or you do not have permission.", word, strings.Join(n, ".")))
	}
	for _, k := range x.d.list("F") {
		if k.con.parent == o.id && k.parent != o.id {
			panic(fail(3726, "Could not drop object '%s' because it is referenced by a FOREIGN KEY constraint.", strings.Join(n, ".")))
		}
	}
	if o.history != 0 || o.historyOf != 0 {
		panic(fail(13552, "Drop table operation failed on table '%s' because it is not a supported operation on system-versioned temporal tables.", x.d.name+"."+o.full()))
	}
	for _, m := range x.boundTo(o) {
		panic(fail(3729, "Cannot DROP %s '%s' because it is being referenced by object '%s'.", b.Kind, o.full(), m.name))
	}
	if o.policy != nil {
		for _, p := range o.policy.predicates {
			x.lock(lockKey{d: x.d, id: p.table}, lockSchM, true)
		}
	}
	for _, p := range x.d.partsOf(o) {
		if p.typ == "F" {
			if t := x.d.objects[p.con.parent]; t != nil && t != o {
				x.lock(lockKey{d: x.d, id: t.id}, lockSchM, true)
			}
		}
		x.remove(p)
	}
	x.remove(o)
}

func (x *session) dropIndex(b *tsql.Drop, name string, on []string) {
	t := x.d.find(on, "U", "V")
	if t == nil || t.index(x.d, name) == nil {
		if b.If {
			return
		}
		panic(fail(3701, "Cannot drop the index '%s.%s', because it does not exist or you do not have permission.", strings.Join(on, "."), name))
	}
	x.alter(t)
	i := t.index(x.d, name)
	if i.primary || i.key {
		panic(fail(3723, "An explicit DROP INDEX is not allowed on index '%s.%s'. It is being used for %s constraint enforcement.", strings.Join(on, "."), name, map[bool]string{true: "PRIMARY KEY", false: "UNIQUE KEY"}[i.primary]))
	}
	for _, k := range x.d.list("F") {
		if k.con.parent == t.id && k.con.key == i.id {
			panic(fail(3725, "The constraint '%s' is being referenced by table '%s', foreign key constraint '%s'.", i.name, x.d.objects[k.parent].name, k.name))
		}
	}
	t.keyStays(i.id)
	x.dropIndexOf(t, i.id)
}

func (x *session) dropType(b *tsql.Drop, n []string) {
	sn, name := x.d.split(n)
	t, o := x.d.findType(sn, name), x.d.findTableType(sn, name)
	if t == nil && o == nil {
		if b.If {
			return
		}
		panic(fail(15151, "Cannot drop the type '%s', because it does not exist or you do not have permission.", name))
	}
	used := func(by string) {
		panic(fail(3732, "Cannot drop type '%s' because it is being referenced by object '%s'. There may be other objects that reference this type.", strings.Join(n, "."), by))
	}
	id := 0
	if t != nil {
		id = t.id
		for _, x := range x.d.list("U", "TT") {
			for _, c := range x.cols {
				if c.alias == t {
					used(x.name)
				}
			}
		}
	} else {
		id = o.userType
	}
	for _, m := range x.d.list("P", "FN", "IF", "TF") {
		for _, u := range x.uses(m) {
			if u.typ && u.id == int64(id) {
				used(m.name)
			}
		}
	}
	if o != nil {
		for _, p := range x.d.partsOf(o) {
			x.remove(p)
		}
		x.remove(o)
		x.forget(6, int64(id), 0)
		return
	}
	x.saveNames()
	x.forget(6, int64(id), 0)
	delete(x.d.types, x.d.key(x.d.schema(t.schema), t.name))
	for k := range x.d.props {
		if k.class == 6 && k.major == int64(id) {
			delete(x.d.props, k)
		}
	}
}

func (x *session) dropSchema(b *tsql.Drop, name string) {
	s := x.d.schema(name)
	if s == nil || s.id <= 4 {
		if b.If && s == nil {
			return
		}
		panic(fail(15151, "Cannot drop the schema '%s', because it does not exist or you do not have permission.", name))
	}
	for _, o := range x.d.list() {
		if o.schema == s {
			panic(fail(3729, "Cannot DROP SCHEMA '%s' because it is being referenced by object '%s'.", name, o.name))
		}
	}
	for _, t := range x.d.types {
		if t.schema == s.name {
			panic(fail(3729, "Cannot DROP SCHEMA '%s' because it is being referenced by object '%s'.", name, t.name))
		}
	}
	x.saveNames()
	x.forget(3, int64(s.id), 0)
	x.d.schemas = slices.DeleteFunc(slices.Clone(x.d.schemas), func(o *schema) bool { return o == s })
	for k := range x.d.props {
		if k.class == 3 && k.major == int64(s.id) {
			delete(x.d.props, k)
		}
	}
}

// spRename gives a table, column, index, constraint or module another name (SQL
// Server: sp_rename). The text of a module stays as it is.
func spRename(x *session, c *call) any {
	path, now := pathOf(c.text("objname", 0)), c.text("newname", 1)
	none := func() {
		panic(fail(15225, "No item by the name of '%s' could be found in the current database '%s', given that @itemtype was input as '%s'.", c.text("objname", 0), x.d.name, c.text("objtype", 2)))
	}
	if now == "" {
		panic(fail(15223, "Error: The input parameter '@newname' is not allowed to be null."))
	}
	switch kind := strings.ToUpper(c.text("objtype", 2)); kind {
	case "COLUMN", "INDEX":
		if len(path) < 2 {
			none()
		}
		t := x.d.find(path[:len(path)-1], "U", "V", "TT")
		if t == nil {
			none()
		}
		x.alter(t)
		name := path[len(path)-1]
		if kind == "COLUMN" && (t.history != 0 || t.historyOf != 0) {
			panic(fail(unknown, "The stand-in does not know what becomes of the history when a column of %s gets another name.", t.full()))
		}
		if kind == "INDEX" {
			x.renameIndex(t, name, now, none)
		} else {
			x.renameColumn(t, name, now, none)
		}
	case "", "OBJECT":
		o := x.d.find(path)
		if o == nil {
			none()
		}
		for _, m := range x.boundTo(o) {
			if m.typ != "C" && m.typ != "D" {
				panic(fail(15336, "Object '%s' cannot be renamed because the object participates in enforced dependencies.", c.text("objname", 0)))
			}
		}
		x.lock(lockKey{d: x.d, id: max(o.parent, o.id)}, lockSchM, true)
		x.moved(o, o.schema, now)
		o.systemNamed = false
		if o.typ == "PK" || o.typ == "UQ" {
			t := x.alter(x.d.objects[o.parent])
			for _, i := range t.indexes {
				if i.id == o.con.index {
					i.name = now
				}
			}
		}
	case "USERDATATYPE":
		sn, n := x.d.split(path)
		t := x.d.findType(sn, n)
		if t == nil {
			none()
		}
		x.saveNames()
		was := t.name
		x.undo = append(x.undo, func() { t.name = was })
		delete(x.d.types, x.d.key(x.d.schema(t.schema), t.name))
		t.name = now
		x.d.types[x.d.key(x.d.schema(t.schema), now)] = t
	default:
		panic(fail(15249, "Error: Explicit @itemtype '%s' is unrecognized (%d).", kind, len(kind)))
	}
	x.out.Info("Caution: Changing any part of an object name could break scripts and stored procedures.")
	return int64(0)
}

func (x *session) renameIndex(t *object, name, now string, none func()) {
	i := t.index(x.d, name)
	if i == nil {
		none()
	}
	if other := t.index(x.d, now); other != nil && other != i {
		panic(fail(15335, "Error: The new name '%s' is already in use as a INDEX name and would cause a duplicate that is not permitted.", now))
	}
	i.name = now
	for _, k := range x.d.partsOf(t, "PK", "UQ") {
		if k.con.index == i.id {
			x.moved(k, k.schema, now)
			k.systemNamed = false
		}
	}
}

func (x *session) renameColumn(t *object, name, now string, none func()) {
	col := t.column(x.d, name)
	if col == nil {
		none()
	}
	if other := t.column(x.d, now); other != nil && other != col {
		panic(fail(15335, "Error: The new name '%s' is already in use as a COLUMN name and would cause a duplicate that is not permitted.", now))
	}
	tied := func() {
		panic(fail(15336, "Object '%s.%s' cannot be renamed because the object participates in enforced dependencies.", t.full(), name))
	}
	for _, k := range x.d.partsOf(t, "C") {
		if slices.Contains(x.used(t, k.con.x), col) {
			tied()
		}
	}
	for _, d := range t.cols {
		if d.computed != nil && slices.Contains(x.used(t, d.computed), col) {
			tied()
		}
	}
	for _, i := range t.indexes {
		if i.where != nil && slices.Contains(x.used(t, i.where), col) {
			tied()
		}
	}
	if len(x.bound(t, col)) > 0 {
		tied()
	}
	col.name = now
}

// spTriggerOrder says which trigger fires first or last (SQL Server:
// sp_settriggerorder).
func spTriggerOrder(x *session, c *call) any {
	name, event := c.text("triggername", 0), strings.ToUpper(c.text("stmttype", 2))
	var o *object
	var beside []*object
	var events []string
	if strings.EqualFold(c.text("namespace", 3), "DATABASE") {
		if o = x.d.objects[x.d.names[x.d.key(wholeDatabase, pathOf(name)[len(pathOf(name))-1])]]; o != nil {
			beside, events = x.d.list("DT"), eventsOf(o.module.ast)
		}
	} else if o = x.d.find(pathOf(name), "TR"); o != nil {
		beside, events = x.d.partsOf(x.d.objects[o.parent], "TR"), o.module.ast.Events
	}
	switch {
	case o == nil:
		panic(fail(15165, "Could not find object '%s' or you do not have permission.", name))
	case !containsFold(events, event):
		panic(fail(15125, "Trigger '%s' is not a trigger for '%s'.", o.name, event))
	case o.module.ast.InsteadOf:
		panic(fail(15133, "INSTEAD OF trigger '%s' cannot be associated with an order.", o.name))
	}
	if o.parent != 0 {
		x.lock(lockKey{d: x.d, id: o.parent}, lockSchM, true)
	}
	x.save(o)
	place := strings.ToLower(c.text("order", 1))
	for _, other := range beside {
		if other != o && (place == "first" && other.trig.first[event] || place == "last" && other.trig.last[event]) {
			panic(fail(15130, "There already exists a '%s' trigger for '%s'.", place, event))
		}
	}
	delete(o.trig.first, event)
	delete(o.trig.last, event)
	switch place {
	case "first":
		o.trig.first[event] = true
	case "last":
		o.trig.last[event] = true
	case "none":
	default:
		panic(fail(15600, "An invalid parameter or option was specified for procedure 'sp_settriggerorder'."))
	}
	return int64(0)
}

// spRefresh looks the columns of a view up anew.
func spRefresh(x *session, c *call) any {
	o := x.d.find(pathOf(c.text("name", 0)), "V", "P", "FN", "IF", "TF", "TR")
	if o == nil {
		panic(fail(15165, "Could not find object '%s' or you do not have permission.", c.text("name", 0)))
	}
	x.alter(o)
	if o.typ == "V" || o.typ == "IF" {
		indexes := o.indexes
		o.cols = nil
		x.bindModule(o, o.module.ast)
		o.indexes = indexes
	}
	return int64(0)
}
