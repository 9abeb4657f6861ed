package model

import (
	"slices"
	"strings"

	"dappermirror/facts/sqlserver/chart"
	"dappermirror/internal/standin/tsql"
)

func (x *session) alterTable(b *tsql.AlterTable) {
	t := x.d.find(b.Name, "U")
	if t == nil {
		panic(fail(4902, "Cannot find the object \"%s\" because it does not exist or you do not have permissions.", strings.Join(b.Name, ".")))
	}
	x.alter(t)
	switch b.Action {
	case "ADD":
		x.addTo(t, b)
	case "DROP":
		if b.Period != nil {
			x.dropPeriod(t)
			return
		}
		for _, d := range b.Drops {
			switch {
			case d.Column:
				x.dropColumn(t, d)
			case d.Index:
				if t.memory == "" {
					panic(fail(unknown, "ALTER TABLE … DROP INDEX is for tables in memory."))
				}
				x.dropIndex(&tsql.Drop{If: d.If}, d.Name, []string{t.schema.name, t.name})
			default:
				x.dropConstraint(t, d)
			}
		}
	case "ALTER COLUMN":
		x.alterColumn(t, b)
	case "ALTER INDEX":
		x.rebuiltBuckets(t, b)
	case "CHECK", "NOCHECK":
		x.constraintState(t, b)
	case "ENABLE TRIGGER", "DISABLE TRIGGER":
		for _, n := range b.Names {
			x.triggerState(&tsql.TriggerState{Enable: b.Action[0] == 'E', Name: []string{t.schema.name, n}, On: []string{t.schema.name, t.name}})
		}
		if b.Names == nil {
			x.triggerState(&tsql.TriggerState{Enable: b.Action[0] == 'E', On: []string{t.schema.name, t.name}})
		}
	case "REBUILD":
		for _, i := range t.indexes {
			if i.id <= 1 && b.Options["DATA_COMPRESSION"] != "" {
				i.compression = b.Options["DATA_COMPRESSION"]
			}
		}
	case "SET":
		for o, v := range b.Options {
			switch {
			case o == "SYSTEM_VERSIONING":
				x.setVersioning(t, b.Options)
			case o == "LOCK_ESCALATION":
				t.escalation = v
			case !versioningOptions[o]:
				panic(fail(unknown, "The stand-in does not know ALTER TABLE … SET (%s).", o))
			}
		}
	default:
		panic(fail(unknown, "The stand-in does not know ALTER TABLE … %s.", b.Action))
	}
}

func (x *session) addTo(t *object, b *tsql.AlterTable) {
	if t.historyOf != 0 && len(b.Columns)+len(b.Rest) > 0 {
		panic(fail(13550, "Add column operation failed on table '%s' because it is not a supported operation on system-versioned temporal tables.", x.d.name+"."+t.full()))
	}
	var added []*column
	for i := range b.Columns {
		added = append(added, x.newColumn(t, &b.Columns[i], false))
		x.columnInMemory(t, added[len(added)-1])
	}
	t.rows = slices.Clone(t.rows) // rows get their place before the constraints see them
	for i, r := range t.rows {
		t.rows[i] = append(slices.Clone(r), make([]any, len(added))...)
	}
	for i := range b.Columns {
		for j := range b.Columns[i].Constraints {
			if k := &b.Columns[i].Constraints[j]; k.Kind == "DEFAULT" {
				x.constrain(t, k, b.Columns[i].Name, false)
			}
		}
	}
	for i, c := range added {
		x.fillNew(t, c, &b.Columns[i])
	}
	for i := range b.Columns {
		for j := range b.Columns[i].Constraints {
			if k := &b.Columns[i].Constraints[j]; k.Kind != "DEFAULT" {
				x.added(t, k, b.Columns[i].Name, b.WithChk)
			}
		}
	}
	for i := range b.Rest {
		x.added(t, &b.Rest[i], "", b.WithChk)
	}
	for i := range b.Indexes {
		x.newIndex(t, &b.Indexes[i])
	}
	x.periodOf(t, b.Columns, b.Period)
	if h := x.d.objects[t.history]; h != nil {
		x.alter(h)
		x.followed(t, h, added, b)
	}
}

// added adds a constraint to a table that is there; WITH NOCHECK does not look at
// the rows.
func (x *session) added(t *object, k *tsql.Constraint, at string, check byte) {
	switch k.Kind {
	case "CHECK":
		x.checkConstraint(t, k, at, false, check != 'n')
	case "FOREIGN":
		x.foreignKey(t, k, at, false, check != 'n')
	default:
		x.constrain(t, k, at, false)
	}
}

// fillNew gives the rows their values of a new column.
func (x *session) fillNew(t *object, c *column, b *tsql.Column) {
	at := t.place(c.id)
	withValues := slices.ContainsFunc(b.Constraints, func(k tsql.Constraint) bool { return k.WithValues })
	if len(t.rows) > 0 && !c.nullable && c.defaultID == 0 && !c.identity && c.computed == nil && c.dataType.name != "timestamp" {
		panic(fail(4901, "ALTER TABLE only allows columns to be added that can contain nulls, or have a DEFAULT definition specified, or the column being added is an identity or timestamp column, or alternatively if none of the previous conditions are satisfied the table must be empty to allow addition of this column. Column '%s' cannot be added to non-empty table '%s' because it does not satisfy these conditions.", c.name, t.name))
	}
	for _, r := range t.rows {
		switch {
		case c.computed != nil:
			x.compute(t, r)
		case c.identity:
			if t.identityUsed {
				t.identity += c.step
			} else {
				t.identity, t.identityUsed = c.seed, true
			}
			r[at] = x.stored(t, c, t.identity, "ALTER TABLE")
		case c.dataType.name == "timestamp":
			r[at] = x.rowVersion()
		case c.defaultID != 0 && (!c.nullable || withValues):
			r[at] = x.stored(t, c, x.eval(x.d.objects[c.defaultID].con.x, nil), "ALTER TABLE")
		}
	}
}

// blocks are the things that stand in the way of a change of a column: errors 5074.
// widens tells that the new type only has room for more letters or bytes, sameType
// that length, precision or scale alone change (SQL Server: ALTER TABLE, ALTER
// COLUMN).
func (x *session) blocks(t *object, c *column, alter, widens, sameType bool) []*failure {
	var out []*failure
	say := func(what, name string) {
		out = append(out, fail(5074, "The %s '%s' is dependent on column '%s'.", what, name, c.name))
	}
	if c.defaultID != 0 && !(alter && sameType) {
		say("object", x.d.objects[c.defaultID].name)
	}
	for _, k := range x.d.partsOf(t, "C") {
		if slices.Contains(x.used(t, k.con.x), c) && !(alter && sameType && c.dataType.system.unit > 0) {
			say("object", k.name)
		}
	}
	for _, d := range t.cols {
		if d.computed != nil && slices.Contains(x.used(t, d.computed), c) {
			say("column", d.name)
		}
	}
	for _, i := range t.indexes {
		in := slices.ContainsFunc(i.cols, func(k indexCol) bool { return k.col == c.id })
		filtered := i.where != nil && slices.Contains(x.used(t, i.where), c)
		switch {
		case i.partCol == c.id && i.id <= 1:
			say("object", t.name)
		case !in && !filtered, i.columnstore && i.id == 1 && !alter:
		case i.primary:
			say("object", i.name)
		case i.key && !(alter && widens):
			say("object", i.name)
		case !i.key && !(alter && widens && !filtered):
			say("index", i.name)
		}
	}
	for _, s := range t.stats {
		if slices.Contains(s.cols, c.id) && !(alter && widens) || s.where != nil && slices.Contains(x.used(t, s.where), c) {
			say("statistics", s.name)
		}
	}
	for _, k := range x.d.list("F") {
		if k.parent == t.id && slices.Contains(k.con.cols, c.id) || k.con.parent == t.id && slices.Contains(k.con.refs, c.id) {
			say("object", k.name)
		}
	}
	for _, m := range x.bound(t, c) {
		say("object", m.name)
	}
	return out
}

func (x *session) dropColumn(t *object, d tsql.Dropped) {
	c := t.column(x.d, d.Name)
	switch {
	case c == nil && d.If:
		return
	case c == nil:
		panic(fail(4924, "ALTER TABLE DROP COLUMN failed because column '%s' does not exist in table '%s'.", d.Name, t.name))
	case len(t.cols) == 1:
		panic(fail(4923, "ALTER TABLE DROP COLUMN failed because '%s' is the only data column in table '%s'. A table must have at least one data column.", c.name, t.name))
	}
	x.periodStays(t, c)
	t.searched(c)
	if blocks := x.blocks(t, c, false, false, false); len(blocks) > 0 {
		panic(fail(4922, "ALTER TABLE DROP COLUMN %s failed because one or more objects access this column.", c.name).after(blocks...))
	}
	at := t.place(c.id)
	t.cols = slices.Delete(slices.Clone(t.cols), at, at+1)
	rows := make([][]any, len(t.rows))
	for i, r := range t.rows {
		rows[i] = slices.Delete(slices.Clone(r), at, at+1)
	}
	t.rows = rows
	x.forget(1, t.id, int64(c.id))
	for k, v := range x.d.props {
		if k.class == 1 && k.major == t.id && k.minor == int64(c.id) {
			delete(x.d.props, k)
			x.undo = append(x.undo, func() { x.d.props[k] = v })
		}
	}
	x.follow(t, func(h *object) { x.dropColumn(h, tsql.Dropped{Column: true, Name: c.name}) })
}

func (x *session) alterColumn(t *object, b *tsql.AlterTable) {
	c := t.column(x.d, b.Column.Name)
	if c == nil {
		panic(fail(4924, "ALTER TABLE ALTER COLUMN failed because column '%s' does not exist in table '%s'.", b.Column.Name, t.name))
	}
	if b.Flag != "" {
		x.columnFlag(t, c, b)
		return
	}
	x.periodStays(t, c)
	if c.computed != nil || c.dataType.name == "timestamp" {
		panic(fail(4928, "Cannot alter column '%s' because it is '%s'.", c.name, map[bool]string{true: "COMPUTED", false: "timestamp"}[c.computed != nil]))
	}
	now := &column{id: c.id, name: c.name, nullable: b.Column.Null != 'n', identity: c.identity, seed: c.seed, step: c.step, notRepl: c.notRepl, rowGuid: c.rowGuid, sparse: b.Column.Sparse, mask: c.mask, defaultID: c.defaultID}
	x.typed(t, now, b.Column)
	x.columnInMemory(t, now)
	if b.Column.Mask != "" {
		now.mask = b.Column.Mask
	}
	if b.Column.Null == 0 {
		now.nullable = now.alias == nil || now.alias.null
	}
	if now.identity {
		if now.nullable = false; b.Column.Null == 'y' {
			panic(fail(8147, "Could not create IDENTITY attribute on nullable column '%s', table '%s'.", c.name, t.name))
		}
	}
	same := c.system == now.system && c.collation == now.collation
	equal := same && c.length == now.length && c.precision == now.precision && c.scale == now.scale
	variable := strings.HasPrefix(c.dataType.name, "var") || strings.HasPrefix(c.dataType.name, "nvar")
	widens := same && variable && c.length > 0 && now.length >= c.length && (now.nullable || !c.nullable)
	if !equal || c.nullable != now.nullable {
		t.searched(c)
		if blocks := x.blocks(t, c, true, widens, same); len(blocks) > 0 {
			panic(fail(4922, "ALTER TABLE ALTER COLUMN %s failed because one or more objects access this column.", c.name).after(blocks...))
		}
	}
	if now.dataType.name == "timestamp" {
		panic(fail(4927, "Cannot alter column '%s' to be data type timestamp.", c.name))
	}
	switch chart.Converts(c.system.name, now.system.name) {
	case chart.Never:
		panic(fail(206, "Operand type clash: %s is incompatible with %s", c.system.name, now.system.name))
	case chart.WhenTold:
		panic(fail(257, "Implicit conversion from data type %s to %s is not allowed. Use the CONVERT function to run this query.", c.system.name, now.system.name))
	}
	at := t.place(c.id)
	t.cols[at] = now
	rows := make([][]any, len(t.rows))
	for i, r := range t.rows {
		rows[i] = slices.Clone(r)
		rows[i][at] = x.stored(t, now, uniqueBytes(r[at], c.dataType, now.dataType), "UPDATE")
	}
	t.rows = rows
	x.retested(t, c)
	x.follow(t, func(h *object) { x.alterColumn(h, b) })
}

// retested sees that rows still keep the checks and keys of a column whose type
// changed.
func (x *session) retested(t *object, c *column) {
	for _, i := range t.indexes {
		if i.unique && slices.ContainsFunc(i.cols, func(k indexCol) bool { return k.col == c.id }) {
			x.unique(t, i, t.rows, 1505)
		}
	}
}

func (x *session) columnFlag(t *object, c *column, b *tsql.AlterTable) {
	on := strings.HasPrefix(b.Flag, "ADD")
	switch b.Flag[strings.IndexByte(b.Flag, ' ')+1:] {
	case "PERSISTED":
		if c.computed == nil {
			panic(fail(4928, "Cannot alter column '%s' because it is not COMPUTED.", c.name))
		}
		c.persisted = on
	case "ROWGUIDCOL":
		c.rowGuid = on
	case "SPARSE":
		c.sparse = on
	case "NOT FOR REPLICATION":
		c.notRepl = on
	case "HIDDEN":
		if c.id != t.period[0] && c.id != t.period[1] {
			panic(fail(13735, "Cannot alter HIDDEN attribute on column '%s' in table '%s' because this column is not a generated always column.", c.name, t.name))
		}
		c.hidden = on
	case "MASKED":
		if c.mask = ""; on {
			c.mask = b.Column.Mask
		}
	}
}

func (x *session) dropConstraint(t *object, d tsql.Dropped) {
	see := func(f *failure) *failure {
		return fail(3727, "Could not drop constraint. See previous errors.").after(f)
	}
	o := x.d.find([]string{t.schema.name, d.Name}, "PK", "UQ", "C", "D", "F")
	if o == nil || o.parent != t.id {
		if d.If {
			return
		}
		if o != nil {
			panic(see(fail(3733, "Constraint '%s' does not belong to table '%s'.", d.Name, t.name)))
		}
		panic(see(fail(3728, "'%s' is not a constraint.", d.Name)))
	}
	if o.typ == "PK" && t.history != 0 {
		panic(see(fail(13553, "System-versioned temporal table '%s' must have primary key defined.", t.full())))
	}
	switch o.typ {
	case "PK", "UQ":
		for _, k := range x.d.list("F") {
			if k.con.parent == t.id && k.con.key == o.con.index {
				panic(see(fail(3725, "The constraint '%s' is being referenced by table '%s', foreign key constraint '%s'.", o.name, x.d.objects[k.parent].name, k.name)))
			}
		}
		if o.typ == "PK" && t.memory == "SCHEMA_AND_DATA" {
			panic(see(fail(41321, "The memory optimized table '%s' with DURABILITY=SCHEMA_AND_DATA must have a primary key.", t.name)))
		}
		if key := t.clusteredKey(); o.typ == "PK" && key != nil && slices.ContainsFunc(t.indexes, func(i *index) bool { return i.special != nil }) {
			panic(see(fail(3734, "Could not drop the primary key constraint '%s' because the table has an XML or spatial index.", o.name)))
		}
		t.keyStays(o.con.index)
		x.dropIndexOf(t, o.con.index)
	case "D":
		t.byID(o.con.col).defaultID = 0
	case "F":
		if p := x.d.objects[o.con.parent]; p != nil {
			x.lock(lockKey{d: x.d, id: p.id}, lockSchM, true)
		}
	}
	x.remove(o)
}

func (x *session) constraintState(t *object, b *tsql.AlterTable) {
	var list []*object
	if b.Names == nil {
		list = x.d.partsOf(t, "C", "F")
	}
	for _, n := range b.Names {
		o := x.d.find([]string{t.schema.name, n}, "C", "F")
		if o == nil || o.parent != t.id {
			panic(fail(4917, "Constraint '%s' does not exist.", n))
		}
		list = append(list, o)
	}
	for _, o := range list {
		x.save(o)
		if b.Action == "NOCHECK" {
			o.con.disabled, o.con.untested = true, true
			continue
		}
		o.con.disabled = false
		if b.WithChk != 'y' {
			continue // what was not looked at stays not looked at
		}
		o.con.untested = o.con.notRepl
		if o.typ == "F" {
			x.referred(t, o, t.rows, "ALTER TABLE")
			continue
		}
		sc := newScope(tableRelation(t, nil).cols)
		for _, r := range t.rows {
			x.check(t, o, sc, r, "ALTER TABLE")
		}
	}
}

func (x *session) createIndex(b *tsql.Index) {
	t := x.d.find(b.On, "U", "V")
	if t == nil {
		panic(fail(1088, "Cannot find the object \"%s\" because it does not exist or you do not have permissions.", strings.Join(b.On, ".")))
	}
	t.unsupported("operation 'CREATE INDEX'")
	x.alter(t)
	if t.typ == "V" {
		switch {
		case !t.module.ast.Bound:
			panic(fail(1939, "Cannot create index on view '%s' because the view is not schema bound.", t.name))
		case b.Clustered && !b.Unique:
			panic(fail(1941, "Cannot create nonunique clustered index on view '%s' because only unique clustered indexes are allowed. Consider creating unique clustered index instead.", t.full()))
		case len(t.indexes) == 0 && !b.Clustered:
			panic(fail(1940, "Cannot create index on view '%s'. It does not have a unique clustered index.", t.full()))
		}
	}
	x.newIndex(t, b)
}

// newIndex adds an index that is no constraint.
func (x *session) newIndex(t *object, b *tsql.Index) {
	if i := t.index(x.d, b.Name); i != nil {
		if b.Options["DROP_EXISTING"] != "ON" {
			panic(fail(1913, "The operation failed because an index or statistics with name '%s' already exists on table '%s'.", b.Name, t.full()))
		}
		if (i.primary || i.key) && !b.Unique {
			panic(fail(1907, "Cannot recreate index '%s'. The new index definition does not match the constraint being enforced by the existing index.", b.Name))
		}
		was := *i
		x.dropIndexOf(t, i.id)
		made := x.index(t, b)
		made.primary, made.key = was.primary, was.key
		for _, k := range x.d.partsOf(t, "PK", "UQ") {
			if k.con.index == was.id {
				x.save(k)
				k.con.index = made.id
			}
		}
		return
	}
	x.index(t, b)
}

// index adds an index to a table.
func (x *session) index(t *object, b *tsql.Index) *index {
	if b.Special != nil {
		return x.specialIndex(t, b)
	}
	i := &index{name: b.Name, unique: b.Unique, columnstore: b.Columnstore, options: tsql.Options{}}
	for o, v := range b.Options {
		switch o {
		case "DATA_COMPRESSION":
			i.compression = v
		case "ONLINE", "SORT_IN_TEMPDB", "MAXDOP", "DROP_EXISTING", "RESUMABLE":
		case "PAD_INDEX", "FILLFACTOR", "IGNORE_DUP_KEY", "STATISTICS_NORECOMPUTE", "ALLOW_ROW_LOCKS", "ALLOW_PAGE_LOCKS", "OPTIMIZE_FOR_SEQUENTIAL_KEY", "COMPRESSION_DELAY", "STATISTICS_INCREMENTAL", "BUCKET_COUNT":
			i.options[o] = v
		default:
			panic(fail(155, "'%s' is not a recognized CREATE INDEX option.", o))
		}
	}
	if b.Clustered {
		for _, have := range t.indexes {
			if have.id == 1 {
				panic(fail(1902, "Cannot create more than one clustered index on %s '%s'. Drop the existing clustered index '%s' before creating another.", map[bool]string{true: "view", false: "table"}[t.typ == "V"], t.full(), have.name))
			}
		}
		i.id = 1
		for _, h := range t.indexes {
			if h.id == 0 {
				i.space, i.partCol = h.space, h.partCol
			}
		}
		t.indexes = slices.DeleteFunc(slices.Clone(t.indexes), func(h *index) bool {
			if h.id == 0 && i.compression == "" {
				i.compression = h.compression
			}
			return h.id == 0
		})
	} else {
		i.id = 2
		for _, have := range t.indexes {
			if have.special == nil {
				i.id = max(i.id, have.id+1)
			}
		}
		for _, have := range t.stats {
			i.id = max(i.id, have.id+1)
		}
	}
	x.indexColumns(t, i, b)
	x.indexInMemory(t, i, b)
	x.lie(t, i, b.Group)
	if b.Where != nil {
		if b.Clustered {
			panic(fail(10619, "Filtered index '%s' cannot be created because it is clustered.", b.Name))
		}
		x.used(t, b.Where)
		i.filter, i.where = "("+tsql.Print(b.Where)+")", b.Where
	}
	if i.unique && t.typ == "U" {
		x.unique(t, i, t.rows, 1505)
	}
	t.indexes = append(t.indexes, i)
	slices.SortFunc(t.indexes, func(a, b *index) int { return a.id - b.id })
	return i
}

func (x *session) indexColumns(t *object, i *index, b *tsql.Index) {
	if len(b.Columns) > 32 {
		panic(fail(1904, "The index '%s' on table '%s' has %d columns in the key list. The maximum limit for index key column list is 32.", b.Name, t.full(), len(b.Columns)))
	}
	seen := map[int]bool{}
	add := func(name string, desc, included bool) {
		c := t.column(x.d, name)
		switch {
		case c == nil:
			panic(fail(1911, "Column name '%s' does not exist in the target table or view.", name))
		case seen[c.id] && included:
			panic(fail(1909, "Cannot use duplicate column names in index. Column name '%s' listed more than once.", name))
		case seen[c.id]:
			panic(fail(1909, "Cannot use duplicate column names in index. Column name '%s' listed more than once.", name))
		case !included && !b.Columnstore && (c.length < 0 || slices.Contains([]string{"text", "ntext", "image", "xml", "geometry", "geography"}, c.dataType.name)):
			panic(fail(1919, "Column '%s' in table '%s' is of a type that is invalid for use as a key column in an index.", c.name, t.full()))
		}
		seen[c.id] = true
		i.cols = append(i.cols, indexCol{c.id, desc, included})
	}
	for _, c := range b.Columns {
		add(c.Name, c.Desc, b.Columnstore)
	}
	for _, n := range b.Include {
		add(n, false, true)
	}
	if b.Columnstore && b.Clustered {
		for _, c := range t.cols {
			add(c.name, false, true)
		}
	}
	if len(b.Include) > 0 && b.Clustered && !b.Columnstore {
		panic(fail(10601, "Cannot specify included columns for a clustered index."))
	}
}

// dropIndexOf takes an index away; a table without a clustered one is a heap again.
func (x *session) dropIndexOf(t *object, id int) {
	heap := &index{}
	for _, i := range t.indexes {
		if i.id == id {
			heap.space, heap.partCol = i.space, i.partCol
		}
	}
	t.indexes = slices.DeleteFunc(slices.Clone(t.indexes), func(i *index) bool {
		return i.id == id || i.special != nil && i.special.using == id // those of a primary XML index go with it
	})
	if id == 1 && t.typ != "V" {
		t.indexes = append([]*index{heap}, t.indexes...)
	}
	if id == 1 && t.typ == "V" { // all others stand on it
		t.indexes = nil
	}
	for k, v := range x.d.props {
		if k.class == 7 && k.major == t.id && k.minor == int64(id) {
			delete(x.d.props, k)
			x.undo = append(x.undo, func() { x.d.props[k] = v })
		}
	}
}

func (x *session) alterIndex(b *tsql.AlterIndex) {
	t := x.d.find(b.On, "U", "V")
	if t == nil {
		panic(fail(1088, "Cannot find the object \"%s\" because it does not exist or you do not have permissions.", strings.Join(b.On, ".")))
	}
	x.alter(t)
	t.unsupported("operation 'ALTER INDEX'")
	list := t.indexes
	if b.Name != "" {
		i := t.index(x.d, b.Name)
		if i == nil {
			panic(fail(7999, "Could not find any index named '%s' for table '%s'.", b.Name, strings.Join(b.On, ".")))
		}
		list = []*index{i}
	}
	for _, i := range list {
		switch b.Action {
		case "DISABLE":
			i.disabled = i.id > 0
			for _, k := range x.d.list("F") {
				if k.con.parent == t.id && k.con.key == i.id {
					x.save(k)
					k.con.disabled, k.con.untested = true, true
				}
			}
		case "REBUILD", "SET":
			if b.Action == "REBUILD" {
				i.disabled = false
				if i.unique {
					x.unique(t, i, t.rows, 1505)
				}
			}
			for o, v := range b.Options {
				if o == "DATA_COMPRESSION" {
					i.compression = v
				} else if o != "ONLINE" && o != "SORT_IN_TEMPDB" && o != "MAXDOP" && i.options != nil {
					i.options[o] = v
				}
			}
		}
	}
}
