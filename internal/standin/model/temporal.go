package model

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"dappermirror/internal/standin/tsql"
)

// versioningOptions are the options that go with SYSTEM_VERSIONING.
var versioningOptions = map[string]bool{"SYSTEM_VERSIONING": true, "HISTORY_TABLE": true, "DATA_CONSISTENCY_CHECK": true, "HISTORY_RETENTION_PERIOD": true}

// forever is the end of what holds now.
var forever = time.Date(9999, 12, 31, 23, 59, 59, 999999900, time.UTC)

// timed tells whether a column is one of a period.
func (o *object) timed(c *column) bool { return o.period[1] != 0 && slices.Contains(o.period[:], c.id) }

// periodValue is what a column of a period gets: when the transaction began, or the end of
// all time.
func (x *session) periodValue(c *column, end bool) any {
	t := forever
	if !end {
		if t = time.Now().UTC(); x.depth > 0 {
			t = x.begun.UTC()
		}
	}
	unit := time.Second
	for range c.scale {
		unit /= 10
	}
	return moment{t.Truncate(unit), "datetime2", c.scale}
}

// periodOf gives a table a period, from what its columns say and what is said of them
// (SQL Server: CREATE TABLE, PERIOD FOR SYSTEM_TIME).
func (x *session) periodOf(t *object, cols []tsql.Column, period []string) {
	said := [2]string{}
	for _, c := range cols {
		if c.Generated == 0 {
			if c.Hidden {
				panic(fail(13735, "Cannot alter HIDDEN attribute on column '%s' in table '%s' because this column is not a generated always column.", c.Name, t.name))
			}
			continue
		}
		said[map[byte]int{'s': 0, 'e': 1}[c.Generated]] = c.Name
	}
	if len(period) != 2 {
		if said != [2]string{} {
			panic(fail(13509, "Cannot create generated always column when SYSTEM_TIME period is not defined."))
		}
		return
	}
	for i, n := range period {
		c := t.column(x.d, n)
		switch {
		case c == nil:
			panic(fail(1911, "Column name '%s' does not exist in the target table or view.", n))
		case said[i] != "" && x.d.fold(said[i]) != x.d.fold(n):
			panic(fail(13514, "Temporal 'GENERATED ALWAYS' column name '%s' does not match with the column of the period.", said[i]))
		case said[i] == "" && x.making == t:
			panic(fail(map[int]int32{0: 13504, 1: 13505}[i], "Temporal 'GENERATED ALWAYS AS ROW %s' column definition missing.", map[int]string{0: "START", 1: "END"}[i]))
		case c.dataType.name != "datetime2":
			panic(fail(13501, "Temporal generated always column '%s' has invalid data type.", n))
		case c.nullable:
			panic(fail(13587, "Period column '%s' in a system-versioned temporal table cannot be nullable.", n))
		}
		t.period[i] = c.id
	}
	start, end := t.place(t.period[0]), t.place(t.period[1])
	now := x.periodValue(t.cols[start], false)
	for _, r := range t.rows {
		if order(r[end], x.periodValue(t.cols[end], true)) != 0 {
			panic(fail(13575, "ADD PERIOD FOR SYSTEM_TIME failed because table '%s' contains records where end of period is not equal to MAX datetime.", x.d.name+"."+t.full()))
		}
		if order(r[start], now) > 0 {
			panic(fail(13542, "ADD PERIOD FOR SYSTEM_TIME on table '%s' failed because there are open records with start of period set to a value in the future.", x.d.name+"."+t.full()))
		}
	}
}

func order(a, b any) int {
	m, ok := a.(moment)
	n, good := b.(moment)
	if !ok || !good {
		return 1
	}
	return m.t.Compare(n.t)
}

func (x *session) dropPeriod(t *object) {
	switch {
	case t.history != 0:
		panic(fail(13596, "Dropping PERIOD FOR SYSTEM_TIME is not supported on system-versioned table '%s'.", x.d.name+"."+t.full()))
	case t.period[1] == 0:
		panic(fail(13594, "Table '%s' does not contain SYSTEM_TIME period.", x.d.name+"."+t.full()))
	}
	for _, id := range t.period {
		t.byID(id).hidden = false
	}
	t.period = [2]int{}
}

// periodStays refuses to change a column of a period.
func (x *session) periodStays(t *object, c *column) {
	if t.timed(c) {
		panic(fail(13599, "Period column '%s' in a system-versioned temporal table cannot be altered.", c.name))
	}
	if t.historyOf != 0 && x.d.objects[t.historyOf].history == t.id && !x.following {
		panic(fail(13550, "Altering column '%s' of history table '%s' is not a supported operation on system-versioned temporal tables.", c.name, x.d.name+"."+t.full()))
	}
}

func (x *session) setVersioning(t *object, b tsql.Options) {
	if b["SYSTEM_VERSIONING"] == "ON" {
		x.version(t, b)
		return
	}
	h := x.d.objects[t.history]
	if h == nil {
		panic(fail(13591, "SYSTEM_VERSIONING is not turned ON for table '%s'.", x.d.name+"."+t.full()))
	}
	x.alter(h)
	t.history, h.historyOf, t.retention = 0, 0, ""
}

// version lets a table keep what was, in a table that is there or that is made for it.
func (x *session) version(t *object, b tsql.Options) {
	full := x.d.name + "." + t.full()
	switch {
	case t.historyOf != 0:
		panic(fail(13563, "Setting SYSTEM_VERSIONING to ON failed: table '%s' is a history table.", full))
	case t.period[1] == 0:
		panic(fail(13510, "Cannot set SYSTEM_VERSIONING to ON when SYSTEM_TIME period is not defined."))
	case !slices.ContainsFunc(t.indexes, func(i *index) bool { return i.primary }):
		panic(fail(13553, "System versioned temporal table '%s' must have primary key defined.", full))
	}
	path := []string{t.schema.name, fmt.Sprint("MSSQL_TemporalHistoryFor_", t.id)}
	if n := b["HISTORY_TABLE"]; n != "" {
		if path = pathOf(n); len(path) < 2 {
			panic(fail(13539, "Setting SYSTEM_VERSIONING to ON failed because history table '%s' is not specified in two-part name format.", n))
		}
	}
	if t.retention = b["HISTORY_RETENTION_PERIOD"]; t.retention == "INFINITE" {
		t.retention = ""
	}
	if t.history != 0 {
		if h := x.d.find(path, "U"); b["HISTORY_TABLE"] == "" || h != nil && h.id == t.history {
			return // its retention alone changes
		}
		panic(fail(unknown, "The stand-in does not know a history table in another one's place."))
	}
	h := x.d.find(path, "U")
	if h == nil {
		h = x.historyFor(t, path)
	} else {
		x.alter(h)
		x.sameColumns(t, h)
	}
	t.history, h.historyOf = h.id, t.id
}

// historyFor makes a history table.
func (x *session) historyFor(t *object, path []string) *object {
	s, name := x.home(path)
	h := x.add(&object{schema: s, name: name, typ: "U", escalation: "TABLE", indexes: []*index{{}}})
	for _, c := range t.cols {
		h.cols = append(h.cols, historyColumn(c, c.id))
	}
	h.nextCol = t.nextCol
	x.index(h, &tsql.Index{Name: "ix_" + name, Clustered: true, Columns: []tsql.IndexColumn{{Name: t.byID(t.period[1]).name}, {Name: t.byID(t.period[0]).name}}, Options: tsql.Options{"DATA_COMPRESSION": "PAGE"}})
	return h
}

// historyColumn is what a column becomes in a history table: a value, whatever it comes
// from.
func historyColumn(c *column, id int) *column {
	return &column{id: id, name: c.name, dataType: c.dataType, collation: c.collation, nullable: c.nullable, sparse: c.sparse, mask: c.mask}
}

// sameColumns sees that a history table has the columns of its table, in their order.
func (x *session) sameColumns(t, h *object) {
	full, other := x.d.name+"."+t.full(), x.d.name+"."+h.full()
	if len(t.cols) != len(h.cols) {
		panic(fail(13523, "Setting SYSTEM_VERSIONING to ON failed because table '%s' has %d columns and table '%s' has %d columns.", full, len(t.cols), other, len(h.cols)))
	}
	for i, c := range t.cols {
		d := h.cols[i]
		switch {
		case x.d.fold(c.name) != x.d.fold(d.name):
			panic(fail(13524, "Setting SYSTEM_VERSIONING to ON failed because column '%s' at ordinal %d in history table '%s' has a different name than the column '%s' at the same ordinal in table '%s'.", d.name, i+1, other, c.name, full))
		case c.system != d.system || c.length != d.length || c.precision != d.precision || c.scale != d.scale:
			panic(fail(13525, "Setting SYSTEM_VERSIONING to ON failed because column '%s' has data type %s in history table '%s' which is different from corresponding column type %s in table '%s'.", c.name, d.dataType.name, other, c.dataType.name, full))
		case c.collation != d.collation:
			panic(fail(13526, "Setting SYSTEM_VERSIONING to ON failed because column '%s' does not have the same collation in tables '%s' and '%s'.", c.name, full, other))
		case c.nullable != d.nullable && (c.nullable || t.timed(c)):
			panic(fail(13527, "Setting SYSTEM_VERSIONING to ON failed because column '%s' does not have the same nullability attribute in tables '%s' and '%s'.", c.name, full, other))
		case d.identity:
			panic(fail(13518, "Setting SYSTEM_VERSIONING to ON failed because history table '%s' has IDENTITY column specification. Consider dropping all IDENTITY column specifications and trying again.", other))
		case d.computed != nil:
			panic(fail(13519, "Setting SYSTEM_VERSIONING to ON failed because history table '%s' has computed columns.", other))
		}
	}
	for _, p := range x.d.partsOf(h) {
		switch p.typ {
		case "TR":
			panic(fail(13520, "Setting SYSTEM_VERSIONING to ON failed because history table '%s' has triggers defined.", other))
		case "PK", "UQ", "F", "C":
			panic(fail(13515, "Setting SYSTEM_VERSIONING to ON failed because history table '%s' has custom unique keys, foreign keys or table constraints defined.", other))
		}
	}
}

// followed gives a history table the columns that its table got.
func (x *session) followed(t, h *object, added []*column, b *tsql.AlterTable) {
	for i, c := range added {
		if c.identity || c.computed != nil || b.Columns[i].Generated != 0 {
			panic(fail(13550, "Add column operation failed on table '%s' because it is not a supported operation on system-versioned temporal tables.", x.d.name+"."+t.full()))
		}
		h.nextCol++
		d := historyColumn(c, h.nextCol)
		h.cols = append(h.cols, d)
		var v any
		if c.defaultID != 0 && !c.nullable {
			v = x.eval(x.d.objects[c.defaultID].con.x, nil)
		}
		h.rows = slices.Clone(h.rows)
		for n, r := range h.rows {
			h.rows[n] = append(slices.Clone(r), x.stored(h, d, v, "ALTER TABLE"))
		}
	}
}

// follow does to a history table what was done to its table.
func (x *session) follow(t *object, do func(h *object)) {
	if h := x.d.objects[t.history]; h != nil {
		x.alter(h)
		outer := x.following
		x.following = true
		defer func() { x.following = outer }()
		do(h)
	}
}

// kept writes rows that are no more into the history.
func (x *session) kept(t *object, gone [][]any) {
	h := x.d.objects[t.history]
	if h == nil || len(gone) == 0 {
		return
	}
	roomFor(len(h.rows) + len(gone))
	x.lock(lockKey{d: x.d, id: h.id}, lockRows, true)
	x.saveRows(h)
	h.rows = h.rows[:len(h.rows):len(h.rows)]
	start, end := t.place(t.period[0]), t.place(t.period[1])
	for _, r := range gone {
		r = slices.Clone(r)
		if r[end] = x.periodValue(t.cols[end], false); order(r[start], r[end]) < 0 { // what began and ended in one transaction was never there
			h.rows = append(h.rows, r)
		}
	}
}

// asOf are the rows of a table at a time, or through one.
func (x *session) asOf(t *object, f *tsql.From, e *env) *relation {
	h := x.d.objects[t.history]
	x.lock(lockKey{d: x.d, id: h.id}, lockShared, false)
	start, end := t.place(t.period[0]), t.place(t.period[1])
	at := func(e0 tsql.Expr) any {
		if e0 == nil {
			return nil
		}
		return dataType{system: systemByName["datetime2"], scale: 7}.convert(x.eval(e0, e), false)
	}
	a, b := at(f.Time.A), at(f.Time.B)
	var rows [][]any
	for _, r := range slices.Concat(t.rows, h.rows) {
		s, z := r[start], r[end]
		in := true
		switch f.Time.How {
		case "AS OF":
			in = order(s, a) <= 0 && order(z, a) > 0
		case "FROM":
			in = order(s, b) < 0 && order(z, a) > 0
		case "BETWEEN":
			in = order(s, b) <= 0 && order(z, a) > 0
		case "CONTAINED IN":
			in = order(s, a) >= 0 && order(z, b) <= 0
		}
		if in {
			rows = append(rows, r)
		}
	}
	return tableRelation(t, rows)
}

// retentionOf is how long a history is kept, as the catalog tells it.
func retentionOf(t *object) (n int64, unit any, word string) {
	units := map[string]int64{"DAY": 3, "WEEK": 4, "MONTH": 5, "YEAR": 6}
	v, u, _ := strings.Cut(t.retention, " ")
	if t.retention == "" {
		return -1, int64(-1), "INFINITE"
	}
	return number64(v), units[u], u
}

func showPeriods(x *session, add func(...any)) {
	for _, t := range x.d.list("U") {
		if t.period[1] != 0 {
			add("SYSTEM_TIME", int64(1), "SYSTEM_TIME_PERIOD", t.id, int64(t.period[0]), int64(t.period[1]))
		}
	}
}

// always says whether a column is generated, as the catalog tells it.
func always(t *object, c *column) int64 {
	if !t.timed(c) {
		return 0
	}
	return int64(slices.Index(t.period[:], c.id) + 1)
}
