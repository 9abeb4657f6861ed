package model

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/standin/tds"
	"dappermirror/internal/standin/tsql"
)

// What a batch may take at most: rounds of all its loops, rows of one relation, and
// bytes of one value. The server has more room, and texts of structures need none.
const (
	mostRounds = 1_000_000
	mostRows   = 2_000_000
	mostBytes  = 64 << 20
)

// roomFor refuses a relation that has too many rows.
func roomFor(rows int) {
	if rows > mostRows {
		panic(fail(unknown, "The stand-in has no room for more than %d rows.", mostRows))
	}
}

// bounded is a value that has room.
func bounded(v any) any {
	n := 0
	switch v := v.(type) {
	case string:
		n = len(v)
	case []byte:
		n = len(v)
	}
	if n > mostBytes {
		panic(fail(unknown, "The stand-in has no room for a value of more than %d MB.", mostBytes>>20))
	}
	return v
}

// deepestCall is how far modules may call each other (SQL Server: error 217).
const deepestCall = 32

// statement runs one statement.
func (x *session) statement(st tsql.Statement) leave {
	if x.noexec {
		if s, ok := st.Body.(*tsql.Set); ok && s.Option == "NOEXEC" {
			x.set(s)
		}
		return ""
	}
	switch b := st.Body.(type) {
	case *tsql.If:
		if truth(x.eval(b.Cond, nil)) == yes {
			return x.statement(b.Then)
		} else if b.Else != nil {
			return x.statement(*b.Else)
		}
		return ""
	case *tsql.While:
		for truth(x.eval(b.Cond, nil)) == yes {
			if x.rounds++; x.rounds > mostRounds {
				panic(fail(unknown, "The stand-in gives a loop up after %d rounds.", mostRounds))
			}
			if x.ctx.Err() != nil {
				panic(errCancelled)
			}
			switch l := x.statement(b.Body); l {
			case "BREAK":
				return ""
			case "RETURN":
				return l
			}
		}
		return ""
	case *tsql.Block:
		return x.statements(b.List)
	case *tsql.Try:
		return x.try(b)
	case *tsql.Return:
		if b.X != nil {
			if x.nesting == 0 {
				panic(fail(178, "A RETURN statement with a return value cannot be used in this context."))
			}
			x.returned = x.eval(b.X, nil)
		}
		return leave(b.Word)
	case *tsql.Exec:
		if x.nesting == 0 {
			x.at = st.Pos
		}
		failed := x.tried(func() { x.exec(b) })
		if x.depth == 0 && x.nesting == 0 { // what ran in it stays
			x.end(true)
		}
		if failed != nil {
			panic(failed)
		}
		return ""
	}
	x.one(st, func() { x.do(st) })
	x.lastError = 0
	return ""
}

// try runs a TRY with its CATCH.
func (x *session) try(b *tsql.Try) (l leave) {
	failed := x.tried(func() { l = x.statements(b.List) })
	if failed == nil {
		return l
	}
	if failed.last.Number == 0 { // cancelled
		panic(failed)
	}
	if x.depth > 0 && x.abort {
		x.doomed = true
	}
	outer := x.caught
	x.caught = failed
	defer func() { x.caught = outer }()
	return x.statements(b.Catch)
}

// beyond names what of a statement is taken apart and not carried out.
func beyond(body any) string {
	output := false
	switch b := body.(type) {
	case *tsql.Merge:
		return "MERGE"
	case *tsql.Insert:
		output = b.Output
	case *tsql.Update:
		output = b.Output
	case *tsql.Delete:
		output = b.Output
	}
	return map[bool]string{true: "OUTPUT"}[output]
}

// do runs a statement that is no flow of control.
func (x *session) do(st tsql.Statement) {
	if what := beyond(st.Body); what != "" {
		panic(fail(unknown, "The stand-in does not know %s.", what))
	}
	switch b := st.Body.(type) {
	case *tsql.SelectStmt:
		x.selectStmt(b)
	case *tsql.Insert:
		x.insert(b)
	case *tsql.Update:
		x.update(b)
	case *tsql.Delete:
		x.delete(b)
	case *tsql.Truncate:
		x.truncate(b)
	case *tsql.Set:
		x.set(b)
	case *tsql.Assign:
		v := x.variable(b.Var)
		value := x.eval(b.X, nil)
		if b.Op != "" {
			value = arithmetic(b.Op, v.value, value)
		}
		v.value = v.convert(value, false)
	case *tsql.Declare:
		for _, d := range b.Vars {
			if n := d.Type.Name[0]; d.Table != nil || strings.EqualFold(n, "cursor") {
				panic(fail(unknown, "The stand-in does not know variables of type %s.", strings.ToUpper(n)))
			} else if slices.Contains([]string{"text", "ntext", "image"}, strings.ToLower(n)) {
				panic(fail(2739, "The text, ntext, and image data types are invalid for local variables."))
			}
			v := &variable{dataType: x.d.typeOf(d.Type, "Column, parameter, or variable #1")}
			if d.Default != nil {
				v.value = v.convert(x.eval(d.Default, nil), false)
			}
			x.vars[strings.ToLower(d.Name)] = v
		}
	case *tsql.Transaction:
		x.transaction(b)
	case *tsql.Raise:
		x.raise(b)
	case *tsql.PrintStmt:
		x.out.Info(text(x.eval(b.X, nil)))
	case *tsql.Use:
		d := x.s.dbs[strings.ToLower(b.Database)]
		if d == nil {
			panic(fail(911, "Database '%s' does not exist. Make sure that the name is entered correctly.", b.Database))
		}
		x.out.Database(d.name, x.d.name)
		x.d = d
	case *tsql.Checkident:
		x.checkident(b)
	case *tsql.Waitfor:
		x.waitFor0(b.Delay)
	case *tsql.Passed:
		x.passed(st, b)
	default:
		x.define(st)
	}
}

// waitFor0 lets others go on for a while.
func (x *session) waitFor0(delay string) {
	m := parseMoment(delay, "time", 3)
	until := time.Now().Add(m.t.Sub(time.Date(1900, 1, 1, 0, 0, 0, 0, time.UTC)))
	for time.Now().Before(until) {
		if x.ctx.Err() != nil {
			panic(errCancelled)
		}
		timer := time.AfterFunc(10*time.Millisecond, x.s.turn.Broadcast)
		x.s.turn.Wait()
		timer.Stop()
	}
}

// passed knows of statements beyond the structure those that make a database.
func (x *session) passed(st tsql.Statement, b *tsql.Passed) {
	words := sqltext.Significant(tsql.Dialect, strings.TrimRight(x.text[st.Pos:st.End], "; \n"))
	verb := strings.ToUpper(words[0].Text)
	if b.What == "DATABASE" && verb == "ALTER" {
		x.alterDatabase(words)
		return
	}
	if b.What != "DATABASE" || len(words) != 3 {
		panic(fail(unknown, "The stand-in does not know this statement about a %s.", strings.ToLower(b.What)))
	}
	name := words[2].Name()
	d := x.s.dbs[strings.ToLower(name)]
	switch verb {
	case "CREATE":
		if d != nil {
			panic(fail(1801, "Database '%s' already exists. Choose a different database name.", name))
		}
		x.s.create(name, Collation)
	case "DROP":
		if d == nil {
			panic(fail(3701, "Cannot drop the database '%s', because it does not exist or you do not have permission.", name))
		}
		for _, o := range x.s.sessions {
			if o.d == d {
				panic(fail(3702, "Cannot drop database \"%s\" because it is currently in use.", name))
			}
		}
		delete(x.s.dbs, strings.ToLower(name))
	}
}

func (x *session) variable(name string) *variable {
	v := x.vars[strings.ToLower(name)]
	if v == nil {
		f := fail(137, "Must declare the scalar variable \"%s\".", name)
		f.last.Class = 15
		panic(f)
	}
	return v
}

func (x *session) transaction(b *tsql.Transaction) {
	switch b.Verb {
	case "BEGIN":
		x.begin()
		if x.depth == 1 {
			x.out.Transaction(8, x.tran)
		}
	case "COMMIT":
		x.commit()
	case "ROLLBACK":
		if b.Name != "" {
			panic(fail(unknown, "The stand-in does not know savepoints."))
		}
		x.rollback()
	default:
		panic(fail(unknown, "The stand-in does not know savepoints."))
	}
}

// sessionOptions are those that change nothing here.
var sessionOptions = map[string]bool{"NOCOUNT": true, "ANSI_PADDING": true, "ANSI_WARNINGS": true, "ARITHABORT": true, "CONCAT_NULL_YIELDS_NULL": true, "NUMERIC_ROUNDABORT": true, "TEXTSIZE": true,
	"ISOLATION": true, "DATEFORMAT": true, "LANGUAGE": true, "ANSI_NULL_DFLT_ON": true, "ANSI_DEFAULTS": true, "IMPLICIT_TRANSACTIONS": true, "CURSOR_CLOSE_ON_COMMIT": true, "DEADLOCK_PRIORITY": true, "ROWCOUNT": true,
	"QUERY_GOVERNOR_COST_LIMIT": true, "FMTONLY": true, "CONTEXT_INFO": true, "STATISTICS": true}

func (x *session) set(b *tsql.Set) {
	on := b.Value == "ON"
	for _, o := range strings.Split(b.Option, ",") {
		switch o {
		case "XACT_ABORT":
			x.abort = on
		case "NOEXEC":
			x.noexec = on
		case "PARSEONLY":
			x.parseonly = on
		case "ANSI_NULLS":
			x.ansiNulls = on
		case "QUOTED_IDENTIFIER":
			if x.quoted = on; !on {
				x.quoted = false
			}
		case "DATEFIRST":
			x.dateFirst, _ = strconv.ParseInt(b.Value, 10, 64)
		case "LOCK_TIMEOUT":
			n, err := strconv.Atoi(b.Value)
			if err != nil {
				panic(fail(102, "Incorrect syntax near '%s'.", b.Value))
			}
			if x.wait = time.Duration(n) * time.Millisecond; n < 0 {
				x.wait = -1
			}
		case "IDENTITY_INSERT":
			x.identityInsert(b.Table, on)
		case "IMPLICIT_TRANSACTIONS", "ROWCOUNT", "FMTONLY":
			if on || b.Value != "OFF" && b.Value != "0" {
				panic(fail(unknown, "The stand-in does not know SET %s %s.", o, b.Value))
			}
		default:
			if !sessionOptions[o] {
				panic(fail(195, "'%s' is not a recognized SET option.", o))
			}
		}
	}
}

func (x *session) identityInsert(path []string, on bool) {
	t := x.table(path)
	if !on {
		if x.insertID == t.id {
			x.insertID = 0
		}
		return
	}
	if x.insertID != 0 && x.insertID != t.id && x.d.objects[x.insertID] != nil {
		panic(fail(8107, "IDENTITY_INSERT is already ON for table '%s.%s'. Cannot perform SET operation for table '%s'.", x.d.name, x.d.objects[x.insertID].full(), tsql.Path(path)))
	}
	if t.identityColumn() == nil {
		panic(fail(8106, "Table '%s' does not have the identity property. Cannot perform SET operation.", t.full()))
	}
	x.insertID = t.id
}

func (x *session) raise(b *tsql.Raise) {
	if b.Throw && len(b.Args) == 0 {
		if x.caught == nil {
			panic(fail(10704, "To rethrow an error, a THROW statement must be used inside a CATCH block."))
		}
		panic(x.caught)
	}
	args := make([]any, len(b.Args))
	for i, a := range b.Args {
		args[i] = x.eval(a, nil)
	}
	if b.Throw {
		if len(args) < 3 {
			panic(fail(102, "Incorrect syntax near 'THROW'."))
		}
		f := fail(int32(toWhole(args[0])), "%s", text(args[1]))
		f.last.State = byte(toWhole(args[2]))
		panic(f)
	}
	for len(args) < 3 {
		args = append(args, int64(1))
	}
	message := text(args[0])
	for _, a := range args[3:] {
		message = strings.Replace(message, map[bool]string{true: "%d", false: "%s"}[isWhole(a)], text(a), 1)
	}
	class := byte(toWhole(args[1]))
	if class <= 10 {
		x.out.Info(message)
		return
	}
	f := fail(50000, "%s", message)
	f.last.Class, f.last.State = class, byte(toWhole(args[2]))
	panic(f)
}

func isWhole(v any) bool { _, ok := v.(int64); return ok }

func toWhole(v any) int64 {
	n, _ := systemByNameType("bigint").convert(v, false).(int64)
	return n
}

func systemByNameType(name string) dataType { return sized(systemByName[name], nil, "") }

// checkident reports on or sets the identity of a table (SQL Server: DBCC
// CHECKIDENT).
func (x *session) checkident(b *tsql.Checkident) {
	path, err := tsql.Batch("TRUNCATE TABLE " + b.Table)
	if err != nil || len(path) != 1 {
		panic(fail(2501, "Cannot find a table or object with the name \"%s\". Check the system catalog.", b.Table))
	}
	t := x.table(path[0].Body.(*tsql.Truncate).Table)
	c := t.identityColumn()
	if c == nil {
		panic(fail(7997, "'%s' does not contain an identity column.", t.full()))
	}
	x.lock(lockKey{d: x.d, id: t.id}, lockSchM, true)
	x.saveRows(t)
	switch {
	case b.Reseed != nil:
		n, err := strconv.ParseInt(*b.Reseed, 10, 64)
		if err != nil {
			panic(fail(102, "Incorrect syntax near '%s'.", *b.Reseed))
		}
		if !t.identityUsed && len(t.rows) == 0 { // the first row gets the value itself
			n -= c.step
		}
		t.identity, t.identityUsed = n, true
	case !b.No:
		at := t.place(c.id)
		for _, r := range t.rows {
			if v := toWhole(r[at]); !t.identityUsed || c.step > 0 && v > t.identity || c.step < 0 && v < t.identity {
				t.identity, t.identityUsed = v, true
			}
		}
	}
	x.out.Info(fmt.Sprintf("Checking identity information: current identity value '%d'.", t.identity))
}

// exec runs EXEC.
func (x *session) exec(b *tsql.Exec) {
	if b.At != "" {
		panic(fail(unknown, "The stand-in does not reach another server: %s.", b.At))
	}
	if b.Text != nil {
		x.nested(func() { x.run(text(x.eval(b.Text, nil))) })
		return
	}
	name := strings.ToLower(b.Proc[len(b.Proc)-1])
	if p := systemProcs[name]; p != nil && (len(b.Proc) == 1 || x.d.find(b.Proc, "P ", "P") == nil) {
		args := map[string]any{}
		var order []string
		outs := map[string]*variable{}
		for i, a := range b.Args {
			n := strings.ToLower(strings.TrimPrefix(a.Name, "@"))
			if n == "" {
				n = strconv.Itoa(i)
			}
			var v any
			if a.X != nil {
				v = x.eval(a.X, nil)
			}
			if vr, ok := a.X.(*tsql.Variable); ok && a.Output {
				outs[n] = x.variable(vr.Name)
			}
			args[n] = v
			order = append(order, n)
		}
		failed := x.tried(func() { x.one(tsql.Statement{Pos: x.at}, func() { x.returned = p(x, &call{args, order, outs}) }) })
		if failed != nil {
			panic(failed)
		}
		if b.Result != "" {
			x.variable(b.Result).value = x.returned
		}
		return
	}
	proc := x.d.find(b.Proc)
	if proc == nil {
		panic(fail(2812, "Could not find stored procedure '%s'.", strings.Join(b.Proc, ".")))
	}
	if proc.typ != "P" {
		panic(fail(2809, "The request for procedure '%s' failed because '%s' is a %s object.", proc.name, proc.name, typeDesc[proc.typ]))
	}
	x.callModule(proc, b)
	if b.Result != "" {
		x.variable(b.Result).value = int64(0)
	}
}

// nested runs something one call deeper.
func (x *session) nested(f func()) {
	if x.nesting++; x.nesting > deepestCall {
		x.nesting = 0
		panic(fail(217, "Maximum stored procedure, function, trigger, or view nesting level exceeded (limit %d).", deepestCall))
	}
	defer func() { x.nesting = max(0, x.nesting-1) }()
	f()
}

// callModule runs a procedure.
func (x *session) callModule(proc *object, b *tsql.Exec) {
	m := proc.module.ast
	if len(b.Args) > len(m.Params) {
		panic(fail(8144, "Procedure or function %s has too many arguments specified.", proc.name))
	}
	for _, a := range b.Args {
		if a.Name != "" && !slices.ContainsFunc(m.Params, func(p tsql.Param) bool { return strings.EqualFold(p.Name, a.Name) }) {
			panic(fail(8145, "%s is not a parameter for procedure %s.", a.Name, proc.name))
		}
	}
	vars := map[string]*variable{}
	for i, p := range m.Params {
		v := &variable{dataType: x.d.typeOf(p.Type, "Parameter")}
		given := false
		for j, a := range b.Args {
			if a.X != nil && (strings.EqualFold(a.Name, p.Name) || a.Name == "" && i == j) {
				v.value, given = v.convert(x.eval(a.X, nil), false), true
			}
		}
		if !given {
			if p.Default == nil {
				panic(fail(201, "Procedure or function '%s' expects parameter '%s', which was not supplied.", proc.name, p.Name))
			}
			v.value = v.convert(x.eval(p.Default, nil), false)
		}
		vars[strings.ToLower(p.Name)] = v
	}
	outer := x.vars
	x.vars = vars
	defer func() { x.vars = outer }()
	x.nested(func() { x.run(body(proc)) })
}

// body is the text of a module behind AS.
func body(o *object) string { return o.module.text[o.module.ast.BodyPos:] }

// callFunction is the value of a scalar function.
func (x *session) callFunction(f *object, args []any) any {
	m := f.module.ast
	if len(args) != len(m.Params) {
		panic(fail(313, "An insufficient number of arguments were supplied for the procedure or function %s.", f.full()))
	}
	if x.drily {
		return nil
	}
	vars := map[string]*variable{}
	for i, p := range m.Params {
		v := &variable{dataType: x.d.typeOf(p.Type, "Parameter")}
		v.value = v.convert(args[i], false)
		vars[strings.ToLower(p.Name)] = v
	}
	outer, was := x.vars, x.returned
	x.vars, x.returned = vars, nil
	defer func() { x.vars, x.returned = outer, was }()
	x.nested(func() { x.run(body(f)) })
	return x.d.typeOf(*m.Returns, "RETURNS").convert(x.returned, false)
}

// fire runs the triggers of a table that look at what was done.
func (x *session) fire(t *object, event string, inserted, deleted [][]any) {
	for _, tr := range x.d.partsOf(t, "TR") {
		m := tr.module.ast
		if tr.trig.disabled || !containsFold(m.Events, event) {
			continue
		}
		if m.InsteadOf {
			panic(fail(unknown, "The stand-in does not run INSTEAD OF triggers: %s.", tr.full()))
		}
		outer, vars := x.pseudo, x.vars
		x.pseudo = map[string]*relation{"inserted": tableRelation(t, inserted), "deleted": tableRelation(t, deleted)}
		x.vars = map[string]*variable{}
		x.nested(func() { x.run(body(tr)) })
		x.pseudo, x.vars = outer, vars
	}
}

func containsFold(list []string, s string) bool {
	for _, l := range list {
		if strings.EqualFold(l, s) {
			return true
		}
	}
	return false
}

// call is a call of a procedure of the server's own.
type call struct {
	args  map[string]any
	order []string
	outs  map[string]*variable
}

// arg is an argument by its name or place.
func (c *call) arg(name string, place int) any {
	if v, ok := c.args[strings.ToLower(name)]; ok {
		return v
	}
	return c.args[strconv.Itoa(place)]
}

func (c *call) text(name string, place int) string { return text(c.arg(name, place)) }

// systemProcs are the server's own procedures. It is filled in init, as they call
// each other.
var systemProcs map[string]func(*session, *call) any

func init() {
	systemProcs = map[string]func(*session, *call) any{
		"sp_rename": spRename, "sp_addextendedproperty": spAddProperty, "sp_updateextendedproperty": spUpdateProperty, "sp_dropextendedproperty": spDropProperty,
		"sp_settriggerorder": spTriggerOrder, "sp_refreshsqlmodule": spRefresh, "sp_refreshview": spRefresh, "sp_getapplock": spGetAppLock, "sp_releaseapplock": spReleaseAppLock,
		"sp_executesql": spExecuteSQL, "sp_reset_connection": func(*session, *call) any { return int64(0) }, "sp_tableoption": spTableOption,
		"sp_addrolemember": spRoleMember("ADD"), "sp_droprolemember": spRoleMember("DROP"), "sp_addrole": spAddRole, "sp_droprole": spDropRole, "sp_addtype": spAddType, "sp_droptype": spDropType,
	}
}

func spTableOption(x *session, c *call) any {
	panic(fail(unknown, "The stand-in does not know sp_tableoption."))
}

func spExecuteSQL(x *session, c *call) any {
	outer := x.vars
	x.vars = maps.Clone(outer)
	for i, n := range c.order {
		if i >= 2 {
			x.vars["@"+n] = &variable{value: c.args[n]}
		}
	}
	defer func() { x.vars = outer }()
	stmt := c.arg("stmt", 0)
	if stmt == nil && len(c.order) > 0 { // its name is not looked at
		stmt = c.args[c.order[0]]
	}
	x.nested(func() { x.run(text(stmt)) })
	return int64(0)
}

// spGetAppLock takes a lock on a name (SQL Server: sp_getapplock).
func spGetAppLock(x *session, c *call) any {
	k := lockKey{d: x.d, name: c.text("Resource", 0)}
	owned := strings.EqualFold(c.text("LockOwner", 2), "Session")
	if !owned && x.depth == 0 {
		return int64(-999)
	}
	m := lockSchM
	if strings.EqualFold(c.text("LockMode", 1), "Shared") {
		m = lockShared
	}
	limit := x.wait
	if v := c.arg("LockTimeout", 3); v != nil {
		limit = time.Duration(toWhole(v)) * time.Millisecond
	}
	failed := x.tried(func() { x.waitFor(k, m, limit) })
	if failed != nil && failed.last.Number == 1222 {
		return int64(-1)
	} else if failed != nil {
		panic(failed)
	}
	if x.locks == nil {
		x.locks = map[lockKey]lockMode{}
	}
	x.locks[k] = max(x.locks[k], m)
	if owned {
		if x.owned == nil {
			x.owned = map[lockKey]bool{}
		}
		x.owned[k] = true
	}
	return int64(0)
}

func spReleaseAppLock(x *session, c *call) any {
	k := lockKey{d: x.d, name: c.text("Resource", 0)}
	if x.locks[k] == lockNone {
		return int64(-999)
	}
	delete(x.locks, k)
	delete(x.owned, k)
	x.s.turn.Broadcast()
	return int64(0)
}

// say sends a result.
func (x *session) say(r *relation) {
	cols := make([]tds.Column, len(r.cols))
	for i, c := range r.cols {
		cols[i] = tds.Column{Name: c.name, Type: tds.NVarChar}
		for _, row := range r.rows {
			if row[i] == nil {
				continue
			}
			switch row[i].(type) {
			case int64:
				cols[i].Type = tds.Int
			case float64:
				cols[i].Type = tds.Float
			case []byte:
				cols[i].Type = tds.VarBinary
			}
			break
		}
		if c.whole {
			cols[i].Type = tds.Int
		}
	}
	x.out.Columns(cols)
	for _, row := range r.rows {
		vals := make([]any, len(row))
		for i, v := range row {
			switch cols[i].Type {
			case tds.NVarChar:
				if v != nil {
					v = text(v)
				}
			case tds.Int:
				if v != nil {
					v = toWhole(v)
				}
			case tds.Float:
				if v != nil {
					v = toFloat(v)
				}
			case tds.VarBinary:
				if s, ok := v.(string); ok {
					v = []byte(s)
				}
			}
			vals[i] = v
		}
		x.out.Row(vals)
	}
	x.out.Done(int64(len(r.rows)))
	x.rowcount = int64(len(r.rows))
}
