package model

import (
	"encoding/binary"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/standin/tsql"
)

// table is a table by its name.
func (x *session) table(path []string) *object {
	o := x.d.find(path, "U")
	if o == nil {
		panic(fail(4902, "Cannot find the object \"%s\" because it does not exist or you do not have permissions.", strings.Join(path, ".")))
	}
	return o
}

// target is a table whose rows are changed, locked for that.
func (x *session) target(path, hints []string) *object {
	o := x.d.find(path)
	if o != nil && o.typ == "SN" {
		o = x.d.find(pathOf(o.syn))
	}
	switch {
	case o == nil:
		panic(fail(208, "Invalid object name '%s'.", strings.Join(path, ".")))
	case o.typ == "V":
		panic(fail(unknown, "The stand-in does not change rows through a view: %s.", o.full()))
	case o.typ != "U":
		panic(fail(208, "Invalid object name '%s'.", strings.Join(path, ".")))
	}
	for _, i := range o.indexes {
		if i.id == 1 && i.disabled {
			panic(fail(8655, "The query processor is unable to produce a plan because the index '%s' on table or view '%s' is disabled.", i.name, o.name))
		}
	}
	if o.historyOf != 0 {
		panic(fail(13559, "Cannot insert, update or delete rows in a temporal history table '%s'.", x.d.name+"."+o.full()))
	}
	x.within(o, hints)
	x.lock(lockKey{d: x.d, id: o.id}, lockRows, true)
	x.saveRows(o)
	return o
}

func (o *object) identityColumn() *column {
	for _, c := range o.cols {
		if c.identity {
			return c
		}
	}
	return nil
}

func (x *session) insert(b *tsql.Insert) {
	if b.Exec {
		panic(fail(unknown, "The stand-in does not know INSERT … EXEC."))
	}
	t := x.target(b.Into, b.Hints)
	var given []*column
	for _, n := range b.Columns {
		c := t.column(x.d, n)
		switch {
		case c == nil:
			panic(fail(207, "Invalid column name '%s'.", n))
		case slices.Contains(given, c):
			panic(fail(264, "The column name '%s' is specified more than once in the SET clause or column list of an INSERT.", n))
		case c.computed != nil:
			panic(fail(271, "The column \"%s\" cannot be modified because it is either a computed column or is the result of a UNION operator.", c.name))
		case t.timed(c):
			panic(fail(13536, "Cannot insert an explicit value into a GENERATED ALWAYS column in table '%s'. Use INSERT with a column list to exclude the GENERATED ALWAYS column, or insert a DEFAULT into GENERATED ALWAYS column.", x.d.name+"."+t.full()))
		case c.system != nil && c.dataType.name == "timestamp":
			panic(fail(273, "Cannot insert an explicit value into a timestamp column. Use INSERT with a column list to exclude the timestamp column, or insert a DEFAULT into the timestamp column."))
		}
		given = append(given, c)
	}
	if b.Columns == nil && !b.Default {
		for _, c := range t.cols {
			if c.computed == nil && c.dataType.name != "timestamp" && !t.timed(c) && (!c.identity || x.insertID == t.id) {
				given = append(given, c)
			}
		}
	}
	id := t.identityColumn()
	switch {
	case id != nil && slices.Contains(given, id) && x.insertID != t.id:
		panic(fail(544, "Cannot insert explicit value for identity column in table '%s' when IDENTITY_INSERT is set to OFF.", t.name))
	case id != nil && !slices.Contains(given, id) && x.insertID == t.id:
		panic(fail(545, "Explicit value must be specified for identity column in table '%s' either when IDENTITY_INSERT is set to ON or when a replication user is inserting into a NOT FOR REPLICATION identity column.", t.name))
	case id != nil && b.Columns == nil && x.insertID == t.id && !b.Default:
		panic(fail(8101, "An explicit value for the identity column in table '%s' can only be specified when a column list is used and IDENTITY_INSERT is ON.", t.full()))
	}
	rows := x.given(b, len(given))
	var made [][]any
	for _, vals := range rows {
		made = append(made, x.newRow(t, given, vals))
	}
	roomFor(len(t.rows) + len(made))
	t.rows = append(t.rows[:len(t.rows):len(t.rows)], made...)
	x.proved(t, made, nil)
	x.blocked(t, made, "AFTER INSERT")
	x.rowcount = int64(len(made))
	x.fire(t, "INSERT", made, nil)
	x.out.Done(int64(len(made)))
}

// missing stands for DEFAULT.
type missing struct{}

// given are the rows that an INSERT brings.
func (x *session) given(b *tsql.Insert, width int) [][]any {
	var rows [][]any
	switch {
	case b.Default:
		return [][]any{nil}
	case b.Query != nil:
		r := x.query(b.Query, nil)
		if len(r.cols) != width && len(b.Columns) == 0 {
			panic(fail(213, "Column name or number of supplied values does not match table definition."))
		}
		if len(r.cols) != width {
			panic(fail(map[bool]int32{true: 121, false: 120}[len(r.cols) > width], "The select list for the INSERT statement contains %s items than the insert list. The number of SELECT values must match the number of INSERT columns.", map[bool]string{true: "more", false: "fewer"}[len(r.cols) > width]))
		}
		return r.rows
	}
	for _, vals := range b.Values {
		if len(vals) != width && len(b.Columns) == 0 {
			panic(fail(213, "Column name or number of supplied values does not match table definition."))
		}
		if len(vals) != width {
			panic(fail(map[bool]int32{true: 110, false: 109}[len(vals) > width], "There are %s columns in the INSERT statement than values specified in the VALUES clause. The number of values in the VALUES clause must match the number of columns specified in the INSERT statement.", map[bool]string{true: "fewer", false: "more"}[len(vals) > width]))
		}
		row := make([]any, width)
		for i, v := range vals {
			if v == nil {
				row[i] = missing{}
			} else {
				row[i] = x.eval(v, nil)
			}
		}
		rows = append(rows, row)
	}
	return rows
}

// newRow is a row with what is given and what comes by itself.
func (x *session) newRow(t *object, given []*column, vals []any) []any {
	row := make([]any, len(t.cols))
	for i, c := range t.cols {
		at := slices.Index(given, c)
		if at >= 0 && vals != nil {
			if _, ok := vals[at].(missing); !ok {
				row[i] = x.stored(t, c, vals[at], "INSERT")
				if c.identity {
					if v := toWhole(row[i]); !t.identityUsed || c.step > 0 && v > t.identity || c.step < 0 && v < t.identity {
						t.identity, t.identityUsed = v, true
					}
					x.lastID = row[i]
				}
				continue
			}
		}
		switch {
		case c.computed != nil:
		case t.timed(c):
			row[i] = x.stored(t, c, x.periodValue(c, c.id == t.period[1]), "INSERT")
		case c.identity:
			if t.identityUsed {
				t.identity += c.step
			} else {
				t.identity, t.identityUsed = c.seed, true
			}
			row[i] = x.stored(t, c, t.identity, "INSERT")
			x.lastID = row[i]
		case c.dataType.name == "timestamp":
			row[i] = x.rowVersion()
		case c.defaultID != 0:
			row[i] = x.stored(t, c, x.eval(x.d.objects[c.defaultID].con.x, nil), "INSERT")
		default:
			row[i] = x.stored(t, c, nil, "INSERT")
		}
	}
	x.compute(t, row)
	return row
}

func (x *session) rowVersion() any {
	x.d.version++
	return binary.BigEndian.AppendUint64(nil, uint64(2000+x.d.version))
}

// compute fills the computed columns of a row.
func (x *session) compute(t *object, row []any) {
	var sc *scope
	for i, c := range t.cols {
		if c.computed == nil {
			continue
		}
		if sc == nil {
			sc = newScope(tableRelation(t, nil).cols)
		}
		v := x.eval(c.computed, &env{scope: sc, row: row})
		if c.dataType.system != nil && c.class == 'i' {
			v = c.dataType.convert(v, false)
		}
		row[i] = v
	}
}

// stored is a value as a column keeps it.
func (x *session) stored(t *object, c *column, v any, verb string) any {
	if v == nil {
		if !c.nullable && c.computed == nil {
			panic(fail(515, "Cannot insert the value NULL into column '%s', table '%s.%s'; column does not allow nulls. %s fails.", c.name, x.d.name, t.full(), verb))
		}
		return nil
	}
	if l, ok := v.(logic); ok {
		_ = l
		panic(fail(4145, "An expression of non-boolean type specified in a context where a condition is expected."))
	}
	var out any
	if failed := x.tried(func() { out = c.dataType.convert(v, true) }); failed != nil {
		if failed.last.Number == errTooLong.last.Number {
			panic(fail(2628, "String or binary data would be truncated in table '%s.%s', column '%s'. Truncated value: '%s'.", x.d.name, t.full(), c.name, excerpt(text(v))))
		}
		panic(failed)
	}
	return out
}

func excerpt(s string) string {
	if r := []rune(s); len(r) > 20 {
		return string(r[:20])
	}
	return s
}

// proved sees that rows that are new or changed keep the table's checks and keys.
// changed tells which columns have other values; nil for all.
func (x *session) proved(t *object, rows [][]any, changed func(int) bool) {
	sc := newScope(tableRelation(t, nil).cols)
	for _, k := range x.d.partsOf(t, "C") {
		if k.con.disabled {
			continue
		}
		for _, r := range rows {
			x.check(t, k, sc, r, "INSERT")
		}
	}
	for _, i := range t.indexes {
		if i.unique && !i.disabled {
			x.unique(t, i, t.rows, 2627)
		}
	}
	for _, k := range x.d.partsOf(t, "F") {
		if !k.con.disabled && (changed == nil || slices.ContainsFunc(k.con.cols, changed)) {
			x.referred(t, k, rows, "INSERT")
		}
	}
}

func (x *session) check(t, k *object, sc *scope, row []any, verb string) {
	if truth(x.eval(k.con.x, &env{scope: sc, row: row})) == no {
		panic(fail(547, "The %s statement conflicted with the CHECK constraint \"%s\". The conflict occurred in database \"%s\", table \"%s\".", verb, k.name, x.d.name, t.full()))
	}
}

// keyOf is what an index knows a row by; false where its filter leaves it out.
func (x *session) keyOf(t *object, i *index, sc *scope, row []any) (string, bool) {
	if i.where != nil && truth(x.eval(i.where, &env{scope: sc, row: row})) != yes {
		return "", false
	}
	var b strings.Builder
	for _, c := range i.cols {
		if !c.included {
			col := t.byID(c.col)
			b.WriteString(key(row[t.place(c.col)], strings.Contains(col.collation, "_CS_") || strings.Contains(col.collation, "_BIN")))
			b.WriteByte(0)
		}
	}
	return b.String(), true
}

func (x *session) unique(t *object, i *index, rows [][]any, number int32) {
	seen := make(map[string]bool, len(rows))
	sc := newScope(tableRelation(t, nil).cols)
	for _, r := range rows {
		k, ok := x.keyOf(t, i, sc, r)
		if !ok {
			continue
		}
		if seen[k] {
			switch {
			case number == 1505:
				panic(fail(1505, "The CREATE UNIQUE INDEX statement terminated because a duplicate key was found for the object name '%s' and the index name '%s'.", t.full(), i.name))
			case i.primary || i.key:
				panic(fail(2627, "Violation of %s constraint '%s'. Cannot insert duplicate key in object '%s'.", map[bool]string{true: "PRIMARY KEY", false: "UNIQUE KEY"}[i.primary], i.name, t.full()))
			}
			panic(fail(2601, "Cannot insert duplicate key row in object '%s' with unique index '%s'.", t.full(), i.name))
		}
		seen[k] = true
	}
}

// keysOf are the values of columns that the rows of a table have; none where one of
// them is NULL.
func keysOf(t *object, cols []int, rows [][]any) map[string]bool {
	out := make(map[string]bool, len(rows))
	for _, r := range rows {
		if k, ok := refKey(t, cols, r); ok {
			out[k] = true
		}
	}
	return out
}

func refKey(t *object, cols []int, row []any) (string, bool) {
	var b strings.Builder
	for _, c := range cols {
		v := row[t.place(c)]
		if v == nil {
			return "", false
		}
		b.WriteString(key(v, false))
		b.WriteByte(0)
	}
	return b.String(), true
}

// referred sees that rows refer to rows that are there.
func (x *session) referred(t, k *object, rows [][]any, verb string) {
	p := x.d.objects[k.con.parent]
	if len(rows) == 0 {
		return
	}
	x.lock(lockKey{d: x.d, id: p.id}, lockShared, false)
	there := keysOf(p, k.con.refs, p.rows)
	for _, r := range rows {
		if key, ok := refKey(t, k.con.cols, r); ok && !there[key] {
			panic(fail(547, "The %s statement conflicted with the FOREIGN KEY constraint \"%s\". The conflict occurred in database \"%s\", table \"%s\".", verb, k.name, x.d.name, p.full()))
		}
	}
}

// unreferred sees that no row refers to one that is gone, or lets it go as well.
func (x *session) unreferred(t *object, gone [][]any, depth int) {
	if len(gone) == 0 {
		return
	}
	if depth > deepestCall {
		panic(fail(217, "Maximum nesting level exceeded (limit %d).", deepestCall))
	}
	for _, child := range x.d.list("U") {
		for _, k := range x.d.partsOf(child, "F") {
			if k.con.parent != t.id || k.con.disabled {
				continue
			}
			left := keysOf(t, k.con.refs, t.rows)
			lost := keysOf(t, k.con.refs, gone)
			var hit, keep [][]any
			for _, r := range child.rows {
				if key, ok := refKey(child, k.con.cols, r); ok && lost[key] && !left[key] {
					hit = append(hit, r)
				} else {
					keep = append(keep, r)
				}
			}
			if len(hit) == 0 {
				continue
			}
			switch k.con.del {
			case "CASCADE":
				x.lock(lockKey{d: x.d, id: child.id}, lockRows, true)
				x.saveRows(child)
				child.rows = keep
				x.unreferred(child, hit, depth+1)
			case "":
				panic(fail(547, "The DELETE statement conflicted with the REFERENCE constraint \"%s\". The conflict occurred in database \"%s\", table \"%s\".", k.name, x.d.name, child.full()))
			default:
				panic(fail(unknown, "The stand-in does not know ON DELETE %s on rows.", k.con.del))
			}
		}
	}
}

// chosen are the rows of a table that a statement is about, with the environment in
// which its expressions are evaluated.
func (x *session) chosen(path, hints []string, from []tsql.From, where tsql.Expr, ctes []tsql.CTE) (*object, []int, []*env) {
	if len(ctes) > 0 {
		panic(fail(unknown, "The stand-in does not know WITH before UPDATE and DELETE."))
	}
	alias := ""
	if len(from) > 0 {
		if len(from) > 1 || from[0].Join != "" || from[0].Name == nil {
			return x.joined(path, hints, from, where)
		}
		switch {
		case len(path) == 1 && x.d.fold(path[0]) == x.d.fold(from[0].Alias):
			path = from[0].Name
		case !x.same(path, from[0].Name):
			return x.joined(path, hints, from, where)
		}
		alias = from[0].Alias
	}
	if alias != "" {
		hints = append(slices.Clone(hints), from[0].Hints...)
	}
	t := x.target(path, hints)
	r := tableRelation(t, nil)
	if alias != "" {
		r = renamed(r, alias, nil)
	}
	sc := newScope(r.cols)
	seen := x.seen(t)
	var at []int
	var envs []*env
	for i, row := range t.rows {
		if seen != nil && !seen[i] {
			continue
		}
		e := &env{scope: sc, row: row}
		if where == nil || truth(x.eval(where, e)) == yes {
			at, envs = append(at, i), append(envs, e)
		}
	}
	return t, at, envs
}

// same tells whether two names are one table's.
func (x *session) same(a, b []string) bool {
	if len(a) == 1 && len(b) == 1 {
		return x.d.fold(a[0]) == x.d.fold(b[0])
	}
	own := func(path []string) string {
		if len(path) == 1 {
			path = []string{"dbo", path[0]}
		}
		return x.d.fold(strings.Join(path, "\x00"))
	}
	return own(a) == own(b)
}

// joined is chosen over several tables: every row of the target is met once.
func (x *session) joined(path, hints []string, from []tsql.From, where tsql.Expr) (*object, []int, []*env) {
	var byAlias, byName []*tsql.From
	var look func(f *tsql.From)
	look = func(f *tsql.From) {
		if f == nil {
			return
		}
		switch {
		case f.Name == nil:
		case f.Alias != "" && len(path) == 1 && x.d.fold(path[0]) == x.d.fold(f.Alias):
			byAlias = append(byAlias, f)
		case x.same(path, f.Name):
			byName = append(byName, f)
		}
		look(f.L)
		look(f.R)
	}
	for i := range from {
		look(&from[i])
	}
	var it *tsql.From
	switch {
	case len(byAlias) == 1:
		it = byAlias[0]
	case len(byAlias) == 0 && len(byName) == 1:
		it = byName[0]
	case len(byAlias)+len(byName) > 1:
		panic(fail(8154, "The table '%s' is ambiguous.", strings.Join(path, ".")))
	default: // the table stands beside what FROM names
		from = append(slices.Clone(from), tsql.From{Name: path})
		it = &from[len(from)-1]
	}
	t := x.target(it.Name, append(slices.Clone(hints), it.Hints...))
	alias := it.Alias
	if alias == "" {
		alias = it.Name[len(it.Name)-1]
	}
	marked := &relation{}
	visible := x.seen(t)
	for i, row := range t.rows { // each row knows its place
		if visible != nil && !visible[i] {
			continue
		}
		marked.rows = append(marked.rows, append(slices.Clone(row), int64(i)))
	}
	marked.cols = append(tableRelation(t, nil).cols, relCol{name: "dapper mirror place", whole: true})
	outer := x.pseudo
	x.pseudo = map[string]*relation{"dapper mirror target": marked}
	for name, r := range outer {
		x.pseudo[name] = r
	}
	was := *it
	it.Name, it.Alias = []string{"dapper mirror target"}, alias
	src := &relation{rows: [][]any{{}}}
	for i := range from {
		if r := x.from(&from[i], nil); i == 0 {
			src = r
		} else {
			src = x.join(src, r, "CROSS", nil, nil)
		}
	}
	*it = was
	x.pseudo = outer
	place := slices.IndexFunc(src.cols, func(c relCol) bool { return c.name == "dapper mirror place" })
	sc := newScope(src.cols)
	seen := map[int]bool{}
	var at []int
	var envs []*env
	for _, row := range src.rows {
		e := &env{scope: sc, row: row}
		if row[place] == nil || where != nil && truth(x.eval(where, e)) != yes {
			continue
		}
		if i := int(row[place].(int64)); !seen[i] {
			seen[i] = true
			at, envs = append(at, i), append(envs, e)
		}
	}
	return t, at, envs
}

func (x *session) update(b *tsql.Update) {
	if b.Top != nil {
		panic(fail(unknown, "The stand-in does not know UPDATE TOP."))
	}
	x.bindUpdate(b)
	t, at, envs := x.chosen(b.Table, b.Hints, b.From, b.Where, b.With)
	rows := slices.Clone(t.rows)
	var was, now [][]any
	for n, i := range at {
		row := slices.Clone(rows[i])
		for _, s := range b.Sets {
			if s.Var != "" {
				v := x.variable(s.Var)
				v.value = v.convert(x.eval(s.X, envs[n]), false)
				continue
			}
			c := t.column(x.d, s.Alias)
			switch {
			case c == nil:
				panic(fail(207, "Invalid column name '%s'.", s.Alias))
			case c.computed != nil:
				panic(fail(271, "The column \"%s\" cannot be modified because it is either a computed column or is the result of a UNION operator.", c.name))
			case c.identity:
				panic(fail(8102, "Cannot update identity column '%s'.", c.name))
			case t.timed(c):
				panic(fail(13537, "Cannot update GENERATED ALWAYS columns in table '%s'.", x.d.name+"."+t.full()))
			case c.dataType.name == "timestamp":
				panic(fail(272, "Cannot update a timestamp column."))
			}
			var v any
			if _, ok := s.X.(*tsql.Word); !ok {
				v = x.eval(s.X, envs[n])
			} else if c.defaultID != 0 {
				v = x.eval(x.d.objects[c.defaultID].con.x, nil)
			}
			row[t.place(c.id)] = x.stored(t, c, v, "UPDATE")
		}
		for j, c := range t.cols {
			switch {
			case c.dataType.name == "timestamp":
				row[j] = x.rowVersion()
			case t.timed(c) && c.id == t.period[0]:
				row[j] = x.stored(t, c, x.periodValue(c, false), "UPDATE")
			}
		}
		x.compute(t, row)
		was, now = append(was, rows[i]), append(now, row)
		rows[i] = row
	}
	t.rows = rows
	x.proved(t, now, func(id int) bool {
		return slices.ContainsFunc(b.Sets, func(s tsql.Item) bool { return s.Var == "" && t.column(x.d, s.Alias).id == id })
	})
	x.blocked(t, was, "BEFORE UPDATE")
	x.blocked(t, now, "AFTER UPDATE")
	x.kept(t, was)
	x.unreferred(t, was, 0)
	x.rowcount = int64(len(now))
	x.fire(t, "UPDATE", now, was)
	x.out.Done(int64(len(now)))
}

func (x *session) delete(b *tsql.Delete) {
	if b.Top != nil {
		panic(fail(unknown, "The stand-in does not know DELETE TOP."))
	}
	t, at, _ := x.chosen(b.Table, b.Hints, b.From, b.Where, b.With)
	goes := map[int]bool{}
	for _, i := range at {
		goes[i] = true
	}
	var keep, gone [][]any
	for i, r := range t.rows {
		if goes[i] {
			gone = append(gone, r)
		} else {
			keep = append(keep, r)
		}
	}
	t.rows = keep
	x.blocked(t, gone, "BEFORE DELETE")
	x.kept(t, gone)
	x.unreferred(t, gone, 0)
	x.rowcount = int64(len(gone))
	x.fire(t, "DELETE", nil, gone)
	x.out.Done(int64(len(gone)))
}

func (x *session) truncate(b *tsql.Truncate) {
	t := x.target(b.Table, nil)
	t.unsupported("operation 'TRUNCATE TABLE'")
	for _, c := range x.d.list("F") {
		if c.con.parent == t.id && c.parent != t.id {
			panic(fail(4712, "Cannot truncate table '%s' because it is being referenced by a FOREIGN KEY constraint.", t.full()))
		}
	}
	if t.history != 0 {
		panic(fail(13545, "Truncate failed on table '%s' because it is not a supported operation on system-versioned tables.", x.d.name+"."+t.full()))
	}
	x.lock(lockKey{d: x.d, id: t.id}, lockSchM, true)
	t.rows, t.identityUsed, t.identity = nil, false, 0
}

// selectInto makes a table of what a query answers.
func (x *session) selectInto(path []string, r *relation) {
	panic(fail(unknown, "The stand-in does not know SELECT … INTO: %s.", fmt.Sprint(path)))
}
