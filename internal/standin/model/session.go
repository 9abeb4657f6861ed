package model

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strings"
	"time"

	"dappermirror/internal/standin/tds"
	"dappermirror/internal/standin/tsql"
)

// session is one client's.
type session struct {
	s    *Server
	id   int64
	who  tds.Login
	d    *database
	ctx  context.Context
	out  *tds.Out
	text string // of the batch that runs
	at   int    // where in it

	depth     int  // @@TRANCOUNT
	memory    bool // the statement defines what is in memory
	tran      uint64
	doomed    bool
	abort     bool // XACT_ABORT
	undo      []func()
	locks     map[lockKey]lockMode // until the transaction ends
	owned     map[lockKey]bool     // which of them stay as long as the session
	waiting   *lockKey
	wants     lockMode
	wait      time.Duration // LOCK_TIMEOUT; -1 for ever
	noexec    bool
	parseonly bool
	ansiNulls bool
	quoted    bool
	dateFirst int64
	insertID  int64 // the table with IDENTITY_INSERT ON
	lastID    any
	rowcount  int64
	lastError int32
	nesting   int
	vars      map[string]*variable
	caught    *failure
	begun     time.Time
	sysRead   bool
	rounds    int                  // of the batch's loops
	pseudo    map[string]*relation // inserted and deleted, within a trigger
	returned  any                  // by the function that ran
	making    *object              // the table that is being made
	told      string               // what EVENTDATA tells
	following bool                 // what is done to a table is done to its history
	drily     bool                 // names are looked up, rows are not read
	lookedUp  map[any]bool         // the queries of the batch whose names were looked up
}

type variable struct {
	dataType
	value any
}

// Open makes a session; it is what a tds.Server opens.
func (s *Server) Open(l tds.Login) (tds.Session, *tds.Error) {
	if s.Auth != nil && !s.Auth(l) {
		return nil, &tds.Error{Number: 18456, Class: 14, State: 1, Line: 1, Message: "Login failed for user '" + l.User + "'."}
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	name := l.Database
	if name == "" {
		name = "master"
	}
	d := s.dbs[strings.ToLower(name)]
	if d == nil {
		return nil, &tds.Error{Number: 4060, Class: 11, State: 1, Line: 1, Message: "Cannot open database \"" + name + "\" requested by the login. The login failed."}
	}
	s.nextID++
	x := &session{s: s, id: s.nextID, who: l, d: d}
	x.fresh()
	s.sessions[x.id] = x
	return x, nil
}

// fresh are the settings that a session begins with.
func (x *session) fresh() {
	x.abort, x.noexec, x.parseonly, x.insertID, x.wait = false, false, false, 0, -1
	x.ansiNulls, x.quoted, x.dateFirst = true, true, 7
	x.lastID, x.rowcount, x.lastError = nil, 0, 0
}

// lockMode is how a thing is locked, the weakest first.
type lockMode byte

const (
	lockNone   lockMode = iota
	lockSchS            // its structure is used
	lockShared          // its rows are read
	lockRows            // its rows are changed
	lockSchM            // its structure is changed
)

var lockWords = map[lockMode]string{lockSchS: "Sch-S", lockShared: "S", lockRows: "X", lockSchM: "Sch-M"}

// lockKey is what is locked: an object of a database, or a name of an application.
type lockKey struct {
	d    *database
	id   int64
	name string
}

// conflicts tells whether two modes cannot stand beside each other (SQL Server:
// Lock Compatibility).
func conflicts(a, b lockMode) bool {
	if a > b {
		a, b = b, a
	}
	switch {
	case a == lockNone:
		return false
	case b == lockSchM:
		return true
	case b == lockRows:
		return a != lockSchS
	}
	return false
}

// holders are the sessions that stand in the way.
func (x *session) holders(k lockKey, m lockMode) []*session {
	var out []*session
	for _, o := range x.s.sessions {
		if o != x && conflicts(o.locks[k], m) {
			out = append(out, o)
		}
	}
	return out
}

// lock takes a lock, or waits for it. One that is not kept goes with the statement:
// as one statement runs at a time, nobody else can want it meanwhile.
func (x *session) lock(k lockKey, m lockMode, keep bool) {
	x.waitFor(k, m, x.wait)
	if keep && m > x.locks[k] {
		if x.locks == nil {
			x.locks = map[lockKey]lockMode{}
		}
		x.locks[k] = m
	}
}

// waitFor waits until nobody stands in the way.
func (x *session) waitFor(k lockKey, m lockMode, limit time.Duration) {
	if len(x.holders(k, m)) == 0 {
		return
	}
	x.waiting, x.wants = &k, m
	defer func() { x.waiting = nil }()
	until := time.Now().Add(limit)
	for len(x.holders(k, m)) > 0 {
		switch {
		case x.ctx.Err() != nil:
			panic(errCancelled)
		case limit >= 0 && !time.Now().Before(until):
			panic(fail(1222, "Lock request time out period exceeded."))
		case x.circle(x, map[*session]bool{}):
			f := fail(1205, "Transaction (Process ID %d) was deadlocked on lock resources with another process and has been chosen as the deadlock victim. Rerun the transaction.", x.id)
			f.last.Class = 13
			panic(f)
		}
		timer := time.AfterFunc(20*time.Millisecond, x.s.turn.Broadcast)
		x.s.turn.Wait()
		timer.Stop()
	}
}

// circle tells whether those that x waits for wait for x themselves.
func (x *session) circle(from *session, seen map[*session]bool) bool {
	if from.waiting == nil || seen[from] {
		return false
	}
	seen[from] = true
	for _, h := range from.holders(*from.waiting, from.wants) {
		if h == x || x.circle(h, seen) {
			return true
		}
	}
	return false
}

// catalogLock waits until nobody else is changing the structure.
func (x *session) catalogLock() {
	for _, o := range x.s.sessions {
		if o == x || o.d != x.d {
			continue
		}
		for k, m := range o.locks {
			if m == lockSchM && k.name == "" {
				x.lock(k, lockSchS, false)
			}
		}
	}
}

var errCancelled = fail(0, "Operation cancelled by user.")

// save notes how an object is, for when that must come back.
func (x *session) save(o *object) {
	d, was := x.d, o.clone()
	x.undo = append(x.undo, func() {
		*o = *was
		d.put(o)
	})
}

// rowsOf notes the rows of a table, for when they must come back.
func (x *session) saveRows(o *object) {
	rows, identity, used, version := o.rows[:len(o.rows):len(o.rows)], o.identity, o.identityUsed, x.d.version
	x.undo = append(x.undo, func() { o.rows, o.identity, o.identityUsed, x.d.version = rows, identity, used, version })
}

// saveNames notes the names and types of the database.
func (x *session) saveNames() {
	d := x.d
	names, types, props, schemas := maps.Clone(d.names), maps.Clone(d.types), maps.Clone(d.props), slices.Clone(d.schemas)
	x.undo = append(x.undo, func() { d.names, d.types, d.props, d.schemas = names, types, props, schemas })
}

// add gives the database an object.
func (x *session) add(o *object) *object {
	d := x.d
	key := d.key(o.schema, o.name)
	if o.typ == "TT" {
		key = "type:" + key
	}
	if d.names[key] != 0 {
		panic(fail(2714, "There is already an object named '%s' in the database.", o.name))
	}
	d.nextObject += 16000057
	o.id = d.nextObject
	o.created, o.modified = time.Now().UTC(), time.Now().UTC()
	d.put(o)
	d.names[key] = o.id
	if o.parent != 0 {
		parts := d.parts[o.parent]
		d.parts[o.parent] = append(parts[:len(parts):len(parts)], o.id)
	}
	x.undo = append(x.undo, func() { x.unhook(o) })
	x.lock(lockKey{d: d, id: o.id}, lockSchM, true)
	return o
}

// unhook takes an object out of the database.
func (x *session) unhook(o *object) {
	d := x.d
	key := d.key(o.schema, o.name)
	if o.typ == "TT" {
		key = "type:" + key
	}
	d.take(o)
	if d.names[key] == o.id {
		delete(d.names, key)
	}
	if o.parent != 0 {
		d.parts[o.parent] = slices.DeleteFunc(slices.Clone(d.parts[o.parent]), func(id int64) bool { return id == o.id })
	}
}

// remove takes an object and its extended properties out of the database, for as
// long as the transaction is not rolled back.
func (x *session) remove(o *object) {
	x.alone(o)
	x.lock(lockKey{d: x.d, id: o.id}, lockSchM, true)
	d := x.d
	key := d.key(o.schema, o.name)
	if o.typ == "TT" {
		key = "type:" + key
	}
	parts := d.parts[o.parent]
	for k, v := range d.props {
		if k.class != 3 && k.class != 6 && k.major == o.id {
			delete(d.props, k)
			x.undo = append(x.undo, func() { d.props[k] = v })
		}
	}
	x.forget(1, o.id, 0)
	x.unhook(o)
	x.undo = append(x.undo, func() {
		d.put(o)
		d.names[key] = o.id
		if o.parent != 0 {
			d.parts[o.parent] = parts
		}
	})
}

// undoTo brings back what was, down to a mark.
func (x *session) undoTo(mark int) {
	for i := len(x.undo) - 1; i >= mark; i-- {
		x.undo[i]()
	}
	x.undo = x.undo[:mark]
}

func (x *session) begin() {
	if x.depth == 0 {
		x.tran++
		x.begun = time.Now()
	}
	x.depth++
}

// end ends the transaction, kept or not.
func (x *session) end(keep bool) {
	if !keep {
		x.undoTo(0)
	}
	x.undo, x.depth, x.doomed = nil, 0, false
	for k := range x.locks {
		if !x.owned[k] {
			delete(x.locks, k)
		}
	}
	x.s.turn.Broadcast()
}

// Begin implements tds.Session.
func (x *session) Begin(out *tds.Out) {
	x.s.mu.Lock()
	defer x.s.mu.Unlock()
	x.begin()
	out.Transaction(8, x.tran)
}

// Commit implements tds.Session.
func (x *session) Commit(out *tds.Out) {
	x.s.mu.Lock()
	defer x.s.mu.Unlock()
	x.out = out
	if f := x.tried(x.commit); f != nil {
		out.Error(f.all(1)[0])
	}
}

func (x *session) commit() {
	switch {
	case x.depth == 0:
		panic(fail(3902, "The COMMIT TRANSACTION request has no corresponding BEGIN TRANSACTION."))
	case x.doomed:
		panic(fail(3930, "The current transaction cannot be committed and cannot support operations that write to the log file. Roll back the transaction."))
	case x.depth > 1:
		x.depth--
		return
	}
	x.end(true)
	x.out.Transaction(9, x.tran)
}

// Rollback implements tds.Session.
func (x *session) Rollback(out *tds.Out) {
	x.s.mu.Lock()
	defer x.s.mu.Unlock()
	x.out = out
	if f := x.tried(x.rollback); f != nil {
		out.Error(f.all(1)[0])
	}
}

func (x *session) rollback() {
	if x.depth == 0 {
		panic(fail(3903, "The ROLLBACK TRANSACTION request has no corresponding BEGIN TRANSACTION."))
	}
	x.end(false)
	x.out.Transaction(10, x.tran)
}

// Reset implements tds.Session.
func (x *session) Reset() {
	x.s.mu.Lock()
	defer x.s.mu.Unlock()
	x.end(false)
	clear(x.locks)
	clear(x.owned)
	x.fresh()
}

// Close implements tds.Session.
func (x *session) Close() {
	x.s.mu.Lock()
	defer x.s.mu.Unlock()
	x.end(false)
	delete(x.s.sessions, x.id)
	x.s.turn.Broadcast()
}

// tried runs something that may panic with a failure.
func (x *session) tried(f func()) (failed *failure) {
	defer func() {
		switch r := recover().(type) {
		case nil:
		case *failure:
			c := *r
			failed = &c
		default:
			panic(r)
		}
	}()
	f()
	return nil
}

// Batch implements tds.Session. The whole batch is parsed before anything of it
// runs, as the server does.
func (x *session) Batch(ctx context.Context, text string, params []tds.Param, out *tds.Out) {
	x.s.mu.Lock()
	defer x.s.mu.Unlock()
	x.ctx, x.out, x.vars = ctx, out, map[string]*variable{}
	for _, p := range params {
		x.vars[strings.ToLower(p.Name)] = &variable{value: p.Value}
	}
	x.sysRead, x.rounds, x.lookedUp = false, 0, nil
	failed := x.tried(func() { x.run(text) })
	if x.sysRead && x.s.Count != nil {
		x.s.Count(text)
	}
	if failed == nil {
		return
	}
	x.lastError = failed.last.Number
	if failed.last.Number == errCancelled.last.Number { // who asked for it is told by the end alone
		if x.depth > 0 && x.abort {
			x.end(false)
			out.Transaction(10, x.tran)
		}
		return
	}
	pos := x.at
	if failed.pos >= 0 {
		pos = failed.pos
	}
	line := int32(strings.Count(text[:min(pos, len(text))], "\n") + 1)
	for _, e := range failed.all(line) {
		out.Error(e)
	}
	// A statement that fails ends its batch here always; on the server some errors
	// let the next one run. Scripts must not rely on either.
	if x.depth > 0 && (x.abort || failed.last.Number == 1205) {
		x.end(false)
		out.Transaction(10, x.tran)
	}
}

// run runs a text as a batch.
func (x *session) run(text string) {
	list, err := tsql.Batch(text)
	if err != nil {
		panic(syntax(err))
	}
	if x.parseonly {
		for _, st := range list {
			if s, ok := st.Body.(*tsql.Set); ok && s.Option == "PARSEONLY" {
				x.set(s)
			}
		}
		return
	}
	outer := x.text
	x.text = text
	defer func() { x.text = outer }()
	x.statements(list)
}

func syntax(err error) *failure {
	var e *tsql.Error
	if !errors.As(err, &e) {
		return fail(102, "%v", err)
	}
	f := fail(e.Number, "%s", e.Message)
	f.last.Class, f.pos = 15, e.Pos
	return f
}

// leave is what BREAK, CONTINUE and RETURN do.
type leave string

func (x *session) statements(list []tsql.Statement) leave {
	for _, st := range list {
		if x.ctx.Err() != nil {
			panic(errCancelled)
		}
		if l := x.statement(st); l != "" {
			return l
		}
	}
	return ""
}

// one runs a statement whole or not at all.
func (x *session) one(st tsql.Statement, f func()) {
	if x.nesting == 0 {
		x.at = st.Pos
	}
	if x.doomed {
		panic(fail(3930, "The current transaction cannot be committed and cannot support operations that write to the log file. Roll back the transaction."))
	}
	mark := len(x.undo)
	if failed := x.tried(f); failed != nil {
		x.undoTo(mark)
		panic(failed)
	}
	if x.depth == 0 && x.nesting == 0 {
		x.end(true)
	}
}
