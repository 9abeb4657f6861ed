package model

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/standin/tsql"
)

// dry looks names up without reading rows: every table has one row of NULLs.
func (x *session) dry(f func()) {
	was := x.drily
	x.drily = true
	defer func() { x.drily = was }()
	f()
}

var moduleTypes = map[string]string{"VIEW": "V", "PROCEDURE": "P", "TRIGGER": "TR"}

func moduleType(m *tsql.Module) string {
	switch {
	case m.Kind != "FUNCTION":
		return moduleTypes[m.Kind]
	case m.Inline:
		return "IF"
	case m.Table != nil:
		return "TF"
	}
	return "FN"
}

var typeDesc = map[string]string{"U": "USER_TABLE", "V": "VIEW", "P": "SQL_STORED_PROCEDURE", "FN": "SQL_SCALAR_FUNCTION", "IF": "SQL_INLINE_TABLE_VALUED_FUNCTION", "TF": "SQL_TABLE_VALUED_FUNCTION", "TR": "SQL_TRIGGER",
	"SO": "SEQUENCE_OBJECT", "SN": "SYNONYM", "PK": "PRIMARY_KEY_CONSTRAINT", "UQ": "UNIQUE_CONSTRAINT", "C": "CHECK_CONSTRAINT", "F": "FOREIGN_KEY_CONSTRAINT", "D": "DEFAULT_CONSTRAINT", "TT": "TYPE_TABLE", "SP": "SECURITY_POLICY"}

// createModule makes or replaces a view, function, procedure or trigger. Its text is
// kept as it came: ALTER and CREATE OR ALTER as CREATE (SQL Server: sys.sql_modules,
// definition).
func (x *session) createModule(m *tsql.Module) {
	if m.Encrypted {
		panic(fail(unknown, "The stand-in does not know WITH ENCRYPTION."))
	}
	if m.Database {
		x.createDatabaseTrigger(m)
		return
	}
	s, name := x.home(m.Name)
	typ := moduleType(m)
	o := x.d.objects[x.d.names[x.d.key(s, name)]]
	switch {
	case o == nil && m.Verb == "ALTER":
		panic(fail(208, "Invalid object name '%s'.", strings.Join(m.Name, ".")))
	case o != nil && m.Verb == "CREATE":
		panic(fail(2714, "There is already an object named '%s' in the database.", name))
	case o != nil && (o.typ != typ):
		panic(fail(2010, "Cannot perform alter on '%s' because it is an incompatible object type.", strings.Join(m.Name, ".")))
	}
	text := x.text
	if m.Verb != "CREATE" {
		text, m = asCreate(text)
	}
	made := &object{schema: s, name: name, typ: typ, module: &module{text, x.ansiNulls, x.quoted, m}}
	if x.alone(made); m.NativeComp && !m.Bound {
		panic(fail(unknown, "A natively compiled module is bound to what it uses: WITH SCHEMABINDING."))
	}
	if typ == "TR" {
		x.triggerOn(made, m)
	}
	if o != nil {
		x.replaceable(o)
		if typ == "TR" && o.parent != made.parent {
			panic(fail(2110, "Cannot alter trigger '%s' because it is on another object.", name))
		}
		x.alter(o)
		o.module, o.cols, o.nextCol = made.module, nil, 0
		if o.fulltext != nil {
			panic(fail(unknown, "What becomes of the full-text index of view '%s' when the view is altered is not known here.", o.full()))
		}
		if o.indexes = nil; made.trig != nil {
			o.trig = &trigger{disabled: o.trig.disabled, first: map[string]bool{}, last: map[string]bool{}}
		}
	} else {
		o = x.add(made)
	}
	x.bindModule(o, m)
}

// asCreate is the text of an ALTER as the server keeps it, read anew.
func asCreate(text string) (string, *tsql.Module) {
	toks := sqltext.Significant(tsql.Dialect, text)
	from, to := toks[0].Pos, toks[0].Pos+len(toks[0].Text)
	if toks[1].Is("or") {
		to = toks[2].Pos + len(toks[2].Text)
	}
	text = text[:from] + "CREATE" + text[to:]
	list, err := tsql.Batch(text)
	if err != nil {
		panic(syntax(err))
	}
	return text, list[0].Body.(*tsql.Module)
}

// replaceable sees that nothing is bound to a module that is to change.
func (x *session) replaceable(o *object) {
	for _, b := range x.boundTo(o) {
		panic(fail(3729, "Cannot ALTER '%s' because it is being referenced by object '%s'.", o.full(), b.name))
	}
}

func (x *session) triggerOn(o *object, m *tsql.Module) {
	t := x.d.find(m.On, "U", "V")
	if t == nil {
		panic(fail(8197, "The object '%s' does not exist or is invalid for this operation.", strings.Join(m.On, ".")))
	}
	if t.typ == "V" && !m.InsteadOf {
		panic(fail(8197, "The object '%s' does not exist or is invalid for this operation.", strings.Join(m.On, ".")))
	}
	if !m.NativeComp {
		t.unsupported("feature 'triggers that are not natively compiled'")
	}
	if o.schema != t.schema {
		if len(m.Name) > 1 {
			panic(fail(2103, "Cannot create trigger '%s' because its schema is different from the schema of the target table or view.", strings.Join(m.Name, ".")))
		}
		o.schema = t.schema
	}
	if m.InsteadOf {
		for _, k := range x.d.partsOf(t, "F") {
			if k.con.del != "" && containsFold(m.Events, "DELETE") || k.con.upd != "" && containsFold(m.Events, "UPDATE") {
				panic(fail(2113, "Cannot create INSTEAD OF DELETE or INSTEAD OF UPDATE TRIGGER '%s' on table '%s'. This is because the table has a FOREIGN KEY with cascading DELETE or UPDATE.", o.name, t.name))
			}
		}
		for _, e := range m.Events {
			for _, other := range x.d.partsOf(t, "TR") {
				if other.module.ast.InsteadOf && x.d.fold(other.name) != x.d.fold(o.name) && containsFold(other.module.ast.Events, e) {
					panic(fail(2111, "Cannot create trigger '%s' on %s '%s' because an INSTEAD OF %s trigger already exists on this object.", o.name, map[bool]string{true: "view", false: "table"}[t.typ == "V"], t.full(), e))
				}
			}
		}
	}
	x.lock(lockKey{d: x.d, id: t.id}, lockSchM, true)
	o.parent, o.trig = t.id, &trigger{first: map[string]bool{}, last: map[string]bool{}}
}

// bindModule looks the names of a module up, as far as the server does that when it
// is made: those of queries that are its whole, and all of what is schema bound.
func (x *session) bindModule(o *object, m *tsql.Module) {
	vars := x.vars
	x.vars = map[string]*variable{}
	defer func() { x.vars = vars }()
	for _, p := range m.Params {
		if strings.EqualFold(p.Type.Name[0], "cursor") {
			continue
		}
		x.vars[strings.ToLower(p.Name)] = &variable{dataType: x.d.typeOf(p.Type, "Parameter or variable '"+p.Name+"'")}
	}
	if m.Returns != nil {
		x.d.typeOf(*m.Returns, "RETURNS")
	}
	switch {
	case m.Query != nil:
		if o.typ == "V" && len(m.Query.Order) > 0 && m.Query.First.Top == nil && m.Query.Offset == nil {
			panic(fail(1033, "The ORDER BY clause is invalid in views, inline functions, derived tables, subqueries, and common table expressions, unless TOP, OFFSET or FOR XML is also specified."))
		}
		var r *relation
		x.dry(func() { r = x.query(m.Query, nil) })
		if m.Columns != nil && len(m.Columns) != len(r.cols) {
			panic(fail(8158, "'%s' has more columns than were specified in the column list.", o.name))
		}
		for i, c := range r.cols {
			name := c.name
			if c.any { // what another database shows is not known
				continue
			}
			if i < len(m.Columns) {
				name = m.Columns[i]
			}
			if name == "" {
				panic(fail(4511, "Create View or Function failed because no column name was specified for column %d.", i+1))
			}
			if o.column(x.d, name) != nil {
				panic(fail(4506, "Column names in each view or function must be unique. Column name '%s' in view or function '%s' is specified more than once.", name, o.name))
			}
			t := c.typ
			if t.system == nil {
				t = sized(systemByName["nvarchar"], []string{"4000"}, "")
			}
			o.cols = append(o.cols, &column{id: i + 1, name: name, dataType: t, nullable: c.nullable})
		}
		if m.Bound {
			for _, f := range sources(m.Query) {
				if f.Name != nil && len(f.Name) != 2 && !cteOf(m.Query, f.Name[0]) {
					panic(fail(4512, "Cannot schema bind view '%s' because name '%s' is invalid for schema binding. Names must be in two-part format and an object cannot reference itself.", o.full(), strings.Join(f.Name, ".")))
				}
			}
		}
	case m.Table != nil:
		t := &object{schema: o.schema, name: o.name, typ: "TT"}
		for i := range m.Table.Columns {
			c := m.Table.Columns[i]
			c.Constraints = nil
			x.newColumn(t, &c, true)
		}
		o.cols = t.cols
	case m.Bound:
		for _, u := range x.uses(o) {
			if u.id == 0 && strings.Contains(u.name, ".") {
				panic(fail(208, "Invalid object name '%s'.", u.name))
			}
		}
	}
	if o.typ != "V" { // what stands in a body is looked at when it runs, how it is written now
		list, err := tsql.Batch(o.module.text[m.BodyPos:])
		if err == nil && (o.typ == "FN" || o.typ == "TF") && !m.NativeComp {
			ofFunction(list, o.typ == "FN", true)
		}
		if err != nil && m.Query == nil {
			var f = syntax(err)
			if f.last.Number != unknown {
				f.pos += m.BodyPos
				panic(f)
			}
		}
	}
}

// ofFunction sees that a function changes nothing, says nothing and ends with what it
// returns (SQL Server: CREATE FUNCTION, Remarks).
func ofFunction(list []tsql.Statement, scalar, outermost bool) {
	effect := func(what string) {
		panic(fail(443, "Invalid use of a side-effecting operator '%s' within a function.", what))
	}
	elsewhere := func(what string, target []string) {
		if !strings.HasPrefix(target[0], "@") {
			effect(what)
		}
	}
	for _, st := range list {
		switch b := st.Body.(type) {
		case *tsql.Block:
			ofFunction(b.List, scalar, outermost && len(list) == 1)
			return
		case *tsql.If:
			ofFunction([]tsql.Statement{b.Then}, scalar, false)
			if b.Else != nil {
				ofFunction([]tsql.Statement{*b.Else}, scalar, false)
			}
		case *tsql.While:
			ofFunction([]tsql.Statement{b.Body}, scalar, false)
		case *tsql.Insert:
			elsewhere("INSERT", b.Into)
		case *tsql.Delete:
			if b.From == nil {
				elsewhere("DELETE", b.Table)
			}
		case *tsql.Update:
			if b.From == nil {
				elsewhere("UPDATE", b.Table)
			}
		case *tsql.Merge, *tsql.PrintStmt, *tsql.Raise, *tsql.Transaction, *tsql.Try, *tsql.CreateTable, *tsql.AlterTable, *tsql.Drop, *tsql.Truncate:
			effect(strings.ToUpper(strings.TrimSuffix(strings.TrimPrefix(fmt.Sprintf("%T", b), "*tsql."), "Stmt")))
		case *tsql.SelectStmt:
			if first := b.Query.First; first.Into == nil && (len(first.Items) == 0 || first.Items[0].Var == "") {
				panic(fail(444, "Select statements included within a function cannot return data to a client."))
			}
		}
	}
	if outermost && len(list) > 0 {
		if r, ok := list[len(list)-1].Body.(*tsql.Return); !ok || r.Word != "RETURN" {
			panic(fail(455, "The last statement included within a function must be a return statement."))
		}
	}
}

func cteOf(q *tsql.Query, name string) bool {
	return slices.ContainsFunc(q.With, func(c tsql.CTE) bool { return strings.EqualFold(c.Name, name) })
}

// sources are the tables that a query reads, in queries within too.
func sources(q *tsql.Query) []*tsql.From {
	var out []*tsql.From
	tsql.WalkQuery(q, func(tsql.Expr) {}, func(f *tsql.From) {
		if f.Name != nil || f.Call != nil {
			out = append(out, f)
		}
	})
	return out
}

// use is one thing that another one uses.
type use struct {
	id    int64 // 0 where it is not there
	name  string
	col   int
	bound bool
	typ   bool // it is a type
}

// uses are the things that an object uses (SQL Server: sys.sql_expression_dependencies).
func (x *session) uses(o *object) []use {
	var out []use
	add := func(u use) {
		if !slices.Contains(out, u) && u.id != o.id {
			out = append(out, u)
		}
	}
	expr := func(t *object, e tsql.Expr) {
		for _, c := range x.used(t, e) {
			out = append(out, use{id: t.id, col: c.id, bound: true})
		}
		for _, f := range callsOf(e) {
			if fn := x.d.find(f, "FN"); fn != nil {
				add(use{id: fn.id, name: fn.name, bound: true})
			}
		}
		tsql.Walk(e, func(e tsql.Expr) {
			if n, ok := e.(*tsql.NextValue); ok {
				if s := x.d.find(n.Sequence, "SO"); s != nil {
					add(use{id: s.id, name: s.name, bound: true})
				}
			}
		})
	}
	switch {
	case o.con != nil && o.con.x != nil:
		expr(x.d.objects[o.parent], o.con.x)
	case o.module != nil && o.module.ast.Query != nil:
		x.queryUses(o, add)
	case o.module != nil:
		x.bodyUses(o, add)
	}
	if o.module != nil {
		types := []tsql.TypeName{}
		for _, p := range o.module.ast.Params {
			types = append(types, p.Type)
		}
		if o.module.ast.Returns != nil {
			types = append(types, *o.module.ast.Returns)
		}
		for _, t := range types {
			if failed := x.tried(func() {
				if d := x.d.typeOf(t, ""); d.alias != nil || d.table != nil {
					add(use{id: int64(d.userID()), name: t.Name[len(t.Name)-1], typ: true})
				}
			}); failed != nil {
				continue
			}
		}
	}
	return out
}

func (x *session) queryUses(o *object, add func(use)) {
	m := o.module.ast
	var tables []*object
	alias := map[string]*object{}
	for _, f := range sources(m.Query) {
		name := f.Name
		if f.Call != nil {
			name = f.Call.Name
		}
		if len(name) == 1 && (cteOf(m.Query, name[0]) || f.Call != nil) || len(name) > 1 && (strings.EqualFold(name[len(name)-2], "sys") || f.Call != nil && strings.EqualFold(name[len(name)-1], "nodes")) {
			continue
		}
		if x.d.foreign(name) {
			add(use{name: strings.Join(name, ".")})
			continue
		}
		t := x.d.find(name)
		if t == nil {
			add(use{name: strings.Join(name, ".")})
			continue
		}
		add(use{id: t.id, name: t.name, bound: m.Bound})
		tables = append(tables, t)
		if alias[x.d.fold(t.name)] = t; f.Alias != "" {
			alias[x.d.fold(f.Alias)] = t
		}
	}
	tsql.WalkQuery(m.Query, func(e tsql.Expr) {
		switch e := e.(type) {
		case *tsql.Name:
			for _, t := range tables {
				if len(e.Parts) > 1 && alias[x.d.fold(e.Parts[len(e.Parts)-2])] != t {
					continue
				}
				if c := t.column(x.d, e.Parts[len(e.Parts)-1]); c != nil {
					add(use{id: t.id, name: t.name, col: c.id, bound: m.Bound})
				}
			}
		case *tsql.Call:
			if len(e.Name) > 1 && !x.d.foreign(e.Name) {
				if f := x.d.find(e.Name, "FN"); f != nil {
					add(use{id: f.id, name: f.name, bound: m.Bound})
				}
			}
		}
	}, nil)
}

// bodyUses looks for names of things in a body.
func (x *session) bodyUses(o *object, add func(use)) {
	var tables []*object
	names := tsql.Uses(o.module.text[o.module.ast.BodyPos:])
	for _, n := range names {
		if len(n) > 3 || len(n) == 3 && x.d.fold(n[0]) != x.d.fold(x.d.name) {
			continue
		}
		if t := x.d.find(n); t != nil && slices.Contains([]string{"U", "V", "P", "FN", "IF", "TF", "SO", "SN"}, t.typ) {
			add(use{id: t.id, name: t.name, bound: o.module.ast.Bound})
			tables = append(tables, t)
		}
	}
	if !o.module.ast.Bound {
		return
	}
	for _, n := range names {
		for _, t := range tables {
			if c := t.column(x.d, n[len(n)-1]); c != nil {
				add(use{id: t.id, name: t.name, col: c.id, bound: true})
			}
		}
	}
}

// bound are the schema bound modules that use a column.
func (x *session) bound(t *object, c *column) []*object {
	var out []*object
	for _, o := range x.d.list("V", "FN", "IF", "TF", "P") {
		if !o.module.ast.Bound {
			continue
		}
		for _, u := range x.uses(o) {
			if u.id == t.id && u.col == c.id && u.bound {
				out = append(out, o)
				break
			}
		}
	}
	for _, s := range x.d.list("SP") {
		for _, p := range s.policy.predicates {
			if p.table == t.id && slices.Contains(x.predicateColumns(p, t), c) && !slices.Contains(out, s) {
				out = append(out, s)
			}
		}
	}
	return out
}

// boundTo are the things that are schema bound to an object: modules, and checks and
// columns that call it.
func (x *session) boundTo(o *object) []*object {
	var out []*object
	for _, m := range x.d.list("V", "FN", "IF", "TF", "P", "C", "D") {
		if m.parent == o.id || m.module != nil && !m.module.ast.Bound {
			continue
		}
		for _, u := range x.uses(m) {
			if u.id == o.id && u.bound && !u.typ {
				out = append(out, m)
				break
			}
		}
	}
	out = append(out, x.policiesOn(o)...)
	for _, t := range x.d.list("U") {
		for _, c := range t.cols {
			if c.computed == nil {
				continue
			}
			for _, f := range callsOf(c.computed) {
				if x.d.find(f) == o {
					out = append(out, t)
				}
			}
		}
	}
	return out
}

func (x *session) createType(b *tsql.CreateType) {
	s, name := x.home(b.Name)
	key := x.d.key(s, name)
	if x.d.types[key] != nil || x.d.findTableType(s.name, name) != nil {
		panic(fail(219, "The type '%s' already exists, or you do not have permission to create it.", strings.Join(b.Name, ".")))
	}
	x.saveNames()
	x.d.nextType++
	base := x.d.typeOf(b.Base, "Type")
	if base.alias != nil || base.table != nil || base.system == nil {
		panic(fail(15036, "The data type '%s' does not exist or you do not have permission.", strings.Join(b.Base.Name, ".")))
	}
	x.d.types[key] = &aliasType{schema: s.name, name: name, id: x.d.nextType, dataType: base, null: b.Null != 'n'}
}

func (x *session) createSchema(b *tsql.CreateSchema) {
	if x.d.schema(b.Name) != nil {
		panic(fail(2714, "There is already an object named '%s' in the database.", b.Name))
	}
	owner := 1
	if b.Owner != "" {
		owner = x.known(b.Owner, "principal").id
	}
	x.saveNames()
	id := 4
	for _, s := range x.d.schemas {
		id = max(id, s.id)
	}
	x.d.schemas = append(slices.Clone(x.d.schemas), &schema{id + 1, b.Name, owner})
}

func (x *session) alterSchema(b *tsql.AlterSchema) {
	s := x.d.schema(b.Schema)
	if s == nil {
		panic(fail(15151, "Cannot find the schema '%s', because it does not exist or you do not have permission.", b.Schema))
	}
	if b.Class != "" && b.Class != "OBJECT" {
		panic(fail(unknown, "The stand-in does not know ALTER SCHEMA … TRANSFER %s.", b.Class))
	}
	o := x.d.find(b.Name, "U", "V", "P", "FN", "IF", "TF", "SO", "SN")
	if o == nil {
		panic(fail(15151, "Cannot find the object '%s', because it does not exist or you do not have permission.", b.Name[len(b.Name)-1]))
	}
	for _, m := range x.boundTo(o) {
		panic(fail(15347, "Cannot transfer an object that is referenced by '%s'.", m.name))
	}
	x.moved(o, s, o.name)
	x.forget(1, o.id, 0) // SQL Server: ALTER SCHEMA, Remarks
	for _, p := range x.d.partsOf(o) {
		x.moved(p, s, p.name)
	}
}

// moved gives an object another name or schema.
func (x *session) moved(o *object, s *schema, name string) {
	x.saveNames()
	x.alter(o)
	key := x.d.key(s, name)
	if other := x.d.names[key]; other != 0 && other != o.id {
		panic(fail(15335, "Error: The new name '%s' is already in use as a OBJECT name and would cause a duplicate that is not permitted.", name))
	}
	delete(x.d.names, x.d.key(o.schema, o.name))
	o.schema, o.name = s, name
	x.d.names[key] = o.id
}

func (x *session) createSynonym(b *tsql.CreateSynonym) {
	s, name := x.home(b.Name)
	x.add(&object{schema: s, name: name, typ: "SN", syn: tsql.Path(b.For)})
}

func number64(s string) int64 {
	n, err := strconv.ParseInt(s, 10, 64)
	if err != nil {
		panic(fail(11708, "An invalid value was specified for argument '%s' for the given data type.", s))
	}
	return n
}

// sequence makes or changes a sequence (SQL Server: CREATE SEQUENCE).
func (x *session) sequence(b *tsql.Sequence) {
	var o *object
	var q sequence
	if b.Alter {
		if o = x.d.find(b.Name, "SO"); o == nil {
			panic(fail(15151, "Cannot alter the sequence '%s', because it does not exist or you do not have permission.", b.Name[len(b.Name)-1]))
		}
		x.alter(o)
		q = *o.seq
		if b.Type != nil || b.Start != "" {
			panic(fail(11711, "Argument 'AS' or 'START WITH' cannot be used in an ALTER SEQUENCE statement."))
		}
	} else {
		s, name := x.home(b.Name)
		q = sequence{dataType: systemByNameType("bigint"), step: 1, cache: -1}
		if b.Type != nil {
			if q.dataType = x.d.typeOf(*b.Type, "Sequence"); q.class != 'i' && !(q.class == 'd' && q.scale == 0) || q.dataType.name == "bit" {
				panic(fail(11702, "The sequence object '%s' must be of data type int, bigint, smallint, tinyint, or decimal or numeric with a scale of 0, or any user-defined data type that is based on one of the above integer data types.", name))
			}
		}
		o = &object{schema: s, name: name, typ: "SO"}
	}
	q.options(b, o.name)
	at := q.start
	if q.used {
		at = q.current
	}
	switch {
	case q.min >= q.max:
		panic(fail(11705, "The minimum value for sequence object '%s' must be less than its maximum value.", o.name))
	case at < q.min || at > q.max:
		panic(fail(11703, "The start value for sequence object '%s' must be between the minimum and maximum value of the sequence object.", o.name))
	}
	o.seq = &q
	if !b.Alter {
		x.add(o)
	}
}

// options sets what a statement says of a sequence.
func (q *sequence) options(b *tsql.Sequence, name string) {
	limits, ok := wholeRange[q.dataType.name]
	if !ok {
		limits = wholeRange["bigint"]
	}
	if b.Step != "" {
		if q.step = number64(b.Step); q.step == 0 {
			panic(fail(11700, "The increment for sequence object '%s' cannot be zero.", name))
		}
	}
	if b.Min != "" && b.Min != "no" {
		q.min = number64(b.Min)
	} else if b.Min == "no" || !b.Alter {
		q.min = limits[0]
	}
	if b.Max != "" && b.Max != "no" {
		q.max = number64(b.Max)
	} else if b.Max == "no" || !b.Alter {
		q.max = limits[1]
	}
	if b.Cycle != "" {
		q.cycle = b.Cycle == "yes"
	}
	switch b.Cache {
	case "":
	case "yes":
		q.cache = -1
	case "no":
		q.cache = 0
	default:
		q.cache = int(number64(b.Cache))
	}
	switch {
	case b.Start != "":
		q.start = number64(b.Start)
	case !b.Alter && q.step > 0:
		q.start = q.min
	case !b.Alter:
		q.start = q.max
	}
	if b.Restart != "" {
		if b.Restart != "yes" {
			q.start = number64(b.Restart)
		}
		q.used = false
	}
}

func (x *session) triggerState(b *tsql.TriggerState) {
	if b.Database {
		for _, o := range x.databaseTriggers(b.Name) {
			x.save(o)
			o.trig.disabled = !b.Enable
		}
		return
	}
	t := x.d.find(b.On, "U", "V")
	if t == nil {
		panic(fail(4902, "Cannot find the object \"%s\" because it does not exist or you do not have permissions.", strings.Join(b.On, ".")))
	}
	list := x.d.partsOf(t, "TR")
	if b.Name != nil {
		name := b.Name
		if len(name) == 1 {
			name = []string{t.schema.name, name[0]}
		}
		o := x.d.find(name, "TR")
		if o == nil || o.parent != t.id {
			panic(fail(4916, "Could not enable or disable the constraint. See previous errors.").after(fail(4902, "Cannot find the object \"%s\" because it does not exist or you do not have permissions.", strings.Join(b.Name, "."))))
		}
		list = []*object{o}
	}
	x.lock(lockKey{d: x.d, id: t.id}, lockSchM, true)
	for _, o := range list {
		x.save(o)
		o.trig.disabled = !b.Enable
	}
}
