package model

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"dappermirror/internal/standin/tsql"
)

// define carries out what changes the structure.
func (x *session) define(st tsql.Statement) {
	watching := x.d.list("DT") // one does not look at how it is made itself
	x.memory = false
	switch b := st.Body.(type) {
	case *tsql.CreateTable:
		x.createTable(b)
	case *tsql.AlterTable:
		x.alterTable(b)
	case *tsql.Index:
		x.createIndex(b)
	case *tsql.AlterIndex:
		x.alterIndex(b)
	case *tsql.Module:
		x.createModule(b)
	case *tsql.CreateType:
		x.createType(b)
	case *tsql.Sequence:
		x.sequence(b)
	case *tsql.CreateSynonym:
		x.createSynonym(b)
	case *tsql.CreateSchema:
		x.createSchema(b)
	case *tsql.AlterSchema:
		x.alterSchema(b)
	case *tsql.Drop:
		x.drop(b)
	case *tsql.TriggerState:
		x.triggerState(b)
	case *tsql.Principal:
		x.principal(b)
	case *tsql.Authorization:
		x.authorization(b)
	case *tsql.Rights:
		x.rights(b)
	case *tsql.SecurityPolicy:
		x.securityPolicy(b)
	case *tsql.Statistics:
		x.statistics(b)
	case *tsql.PartitionFunction:
		x.createPartFunction(b)
	case *tsql.PartitionScheme:
		x.createPartScheme(b)
	case *tsql.AlterPartition:
		x.alterPartition(b)
	case *tsql.Fulltext:
		x.fulltext(b)
	default:
		panic(fail(unknown, "The stand-in does not know this statement."))
	}
	x.announce(st, watching)
	x.out.Done(-1)
}

// home is the schema and the name that something new gets.
func (x *session) home(path []string) (*schema, string) {
	sn, name := x.d.split(path)
	s := x.d.schema(sn)
	if s == nil {
		panic(fail(2760, "The specified schema name \"%s\" either does not exist or you do not have permission to use it.", sn))
	}
	if s.name == "sys" || s.name == "INFORMATION_SCHEMA" {
		panic(fail(2760, "The specified schema name \"%s\" either does not exist or you do not have permission to use it.", s.name))
	}
	if strings.HasPrefix(name, "#") {
		panic(fail(unknown, "The stand-in does not know temporary tables."))
	}
	return s, name
}

// alter locks an object for a change of its structure and notes how it is.
func (x *session) alter(o *object) *object {
	x.alone(o)
	x.lock(lockKey{d: x.d, id: o.id}, lockSchM, true)
	x.save(o)
	o.modified = time.Now().UTC()
	return o
}

func (x *session) createTable(b *tsql.CreateTable) {
	s, name := x.home(b.Name)
	t := &object{schema: s, name: name, typ: "U", escalation: "TABLE"}
	if b.Type {
		t.typ = "TT"
		x.d.nextType++
		t.userType = x.d.nextType
		if x.d.findType(s.name, name) != nil {
			panic(fail(219, "The type '%s' already exists, or you do not have permission to create it.", name))
		}
	}
	for o, v := range b.Options {
		switch {
		case o == "DATA_COMPRESSION" && v != "NONE" && v != "ROW" && v != "PAGE":
			panic(fail(unknown, "The stand-in does not know DATA_COMPRESSION = %s.", v))
		case o != "DATA_COMPRESSION" && o != "MEMORY_OPTIMIZED" && o != "DURABILITY" && !versioningOptions[o]:
			panic(fail(unknown, "The stand-in does not know the option %s of a table.", o))
		}
	}
	if len(b.Columns) == 0 {
		panic(fail(102, "Incorrect syntax near ')'."))
	}
	if b.TextImageOn != "" {
		t.large = max(x.filegroup(b.TextImageOn), 1)
	}
	t.memory = x.memoryOf(t, b.Options)
	x.alone(t)
	x.add(t)
	x.making = t
	defer func() { x.making = nil }()
	t.indexes = []*index{{compression: b.Options["DATA_COMPRESSION"], space: x.d.defaultGroup}}
	x.columns(t, b.Columns)
	x.lie(t, t.indexes[0], b.On)
	aside := lies(b)
	for i := range b.Columns {
		for _, k := range b.Columns[i].Constraints {
			x.constrain(t, beside(k, aside), b.Columns[i].Name, true)
		}
	}
	for _, k := range b.Rest {
		x.constrain(t, beside(k, aside), "", true)
	}
	for i := range b.Indexes {
		x.newIndex(t, &b.Indexes[i])
	}
	x.inMemory(t, b.On)
	x.periodOf(t, b.Columns, b.Period)
	if b.Options["SYSTEM_VERSIONING"] == "ON" {
		x.version(t, b.Options)
	}
}

// columns gives a new table its columns: what is computed may stand before what it is
// computed from.
// lies tells whether a table is said to lie in something else than its primary key, which
// is not clustered then where nothing is said of it (SQL Server: CREATE TABLE, CLUSTERED).
func lies(b *tsql.CreateTable) bool {
	clustered := func(k tsql.Constraint) bool { return k.Kind == "UNIQUE" && k.Clustered == 'y' }
	return slices.ContainsFunc(b.Rest, clustered) || slices.ContainsFunc(b.Indexes, func(i tsql.Index) bool { return i.Clustered }) ||
		slices.ContainsFunc(b.Columns, func(c tsql.Column) bool { return slices.ContainsFunc(c.Constraints, clustered) })
}

func beside(k tsql.Constraint, aside bool) *tsql.Constraint {
	if aside && k.Kind == "PRIMARY" && k.Clustered == 0 {
		k.Clustered = 'n'
	}
	return &k
}

func (x *session) columns(t *object, list []tsql.Column) {
	made := make([]*column, len(list))
	for _, computed := range []bool{false, true} {
		for i := range list {
			if (list[i].Computed != nil) == computed {
				x.newColumn(t, &list[i], true)
				made[i] = t.cols[len(t.cols)-1]
			}
		}
	}
	t.cols = made
	for i, c := range made {
		c.id = i + 1
	}
}

// newColumn adds a column to a table without its constraints.
func (x *session) newColumn(t *object, b *tsql.Column, fresh bool) *column {
	if t.column(x.d, b.Name) != nil {
		panic(fail(2705, "Column names in each table must be unique. Column name '%s' in table '%s' is specified more than once.", b.Name, t.name))
	}
	if len(t.cols) >= 1024 {
		panic(fail(1702, "CREATE TABLE failed because column '%s' in table '%s' exceeds the maximum of 1024 columns.", b.Name, t.name))
	}
	t.nextCol++
	c := &column{id: t.nextCol, name: b.Name, nullable: b.Null != 'n', mask: b.Mask, rowGuid: b.RowGuid, sparse: b.Sparse, hidden: b.Hidden}
	if b.Computed != nil {
		x.computedColumn(t, c, b)
		return c
	}
	x.typed(t, c, b)
	if b.Null == 0 { // what nothing is said of may be NULL (ANSI_NULL_DFLT_ON, as drivers set it)
		c.nullable = c.alias == nil || c.alias.null
	}
	if b.Null == 0 && b.Generated != 0 {
		c.nullable = false
	}
	key := func(k tsql.Constraint) bool { return k.Kind == "PRIMARY" }
	if slices.ContainsFunc(b.Constraints, key) {
		if b.Null == 'y' {
			panic(fail(1750, "Could not create constraint or index. See previous errors.").after(fail(8111, "Cannot define PRIMARY KEY constraint on nullable column in table '%s'.", t.name)))
		}
		c.nullable = false
	}
	if c.dataType.name == "timestamp" && b.Null == 0 {
		c.nullable = false
	}
	if b.Identity {
		x.identityOf(t, c, b)
	}
	t.cols = append(t.cols, c)
	return c
}

func (x *session) identityOf(t *object, c *column, b *tsql.Column) {
	switch {
	case b.Null == 'y':
		panic(fail(8147, "Could not create IDENTITY attribute on nullable column '%s', table '%s'.", b.Name, t.name))
	case t.identityColumn() != nil:
		panic(fail(2744, "Multiple identity columns specified for table '%s'. Only one identity column per table is allowed.", t.name))
	case c.class != 'i' && c.class != 'd' || c.dataType.name == "bit" || c.scale != 0:
		panic(fail(2749, "Identity column '%s' must be of data type int, bigint, smallint, tinyint, or decimal or numeric with a scale of 0, unencrypted, and constrained to be nonnullable.", b.Name))
	}
	c.identity, c.nullable, c.notRepl = true, false, b.NotRepl
	c.seed, _ = strconv.ParseInt(b.Seed, 10, 64)
	c.step, _ = strconv.ParseInt(b.Step, 10, 64)
	if c.step == 0 {
		panic(fail(2748, "Cannot specify data type with identity increment 0 (column '%s').", b.Name))
	}
}

// typed gives a column its type and collation.
func (x *session) typed(t *object, c *column, b *tsql.Column) {
	c.dataType = x.d.typeOf(b.Type, "Column, parameter, or variable #"+strconv.Itoa(c.id))
	if c.dataType.system == nil {
		panic(fail(350, "The column \"%s\" does not have a valid data type. A column cannot be of a user-defined table type.", b.Name))
	}
	switch {
	case c.class == 'c' || c.class == 'n' && c.dataType.name != "xml":
		if c.collation = x.d.collation; b.Collation != "" {
			if !knownCollation(b.Collation) {
				panic(fail(448, "Invalid collation '%s'.", b.Collation))
			}
			if !strings.EqualFold(b.Collation, "database_default") {
				c.collation = b.Collation
			}
		}
	case b.Collation != "":
		panic(fail(447, "Expression type %s is invalid for COLLATE clause.", c.dataType.name))
	}
	if c.sparse && !c.nullable {
		panic(fail(1731, "Cannot create the sparse column '%s' in the table '%s' because an option or data type specified is not valid. A sparse column must be nullable.", c.name, t.name))
	}
}

func (x *session) computedColumn(t *object, c *column, b *tsql.Column) {
	c.computed, c.formula, c.persisted = b.Computed, "("+tsql.Print(b.Computed)+")", b.Persisted
	c.nullable = !(b.Persisted && b.Null == 'n')
	for _, name := range columnsOf(b.Computed) {
		n := name.Parts[len(name.Parts)-1]
		d := t.column(x.d, n)
		if d == nil {
			d = t.methodOwner(x.d, name.Parts)
		}
		if d == nil {
			panic(fail(207, "Invalid column name '%s'.", n))
		}
		if d.computed != nil {
			panic(fail(1759, "Computed column '%s' in table '%s' is not allowed to be used in another computed-column definition.", n, t.name))
		}
	}
	c.dataType = x.inferred(b.Computed, t)
	if c.dataType.class == 'c' || c.dataType.class == 'n' {
		c.collation = x.d.collation
	}
	t.cols = append(t.cols, c)
	x.dry(func() { x.compute(t, make([]any, len(t.cols))) })
}

// inferred is the type of an expression over a table, as far as that is told from
// its parts.
func (x *session) inferred(e tsql.Expr, t *object) dataType {
	switch e := e.(type) {
	case *tsql.Name:
		if c := t.column(x.d, e.Parts[len(e.Parts)-1]); c != nil {
			return c.dataType
		}
	case *tsql.Convert:
		return x.d.typeOf(e.Type, "CONVERT")
	case *tsql.Literal:
		switch {
		case e.Kind == '#' && !strings.ContainsAny(e.Text, ".eE"):
			return systemByNameType("int")
		case e.Kind == '#':
			return sized(systemByName["numeric"], nil, "")
		case e.Kind == 's':
			return sized(systemByName["varchar"], []string{strconv.Itoa(max(1, letters(e.Text)))}, "")
		}
	case *tsql.Binary:
		l, r := x.inferred(e.L, t), x.inferred(e.R, t)
		if l.system != nil && r.system != nil && strings.ContainsRune("dft", rune(r.class)) || l.system == nil {
			return r
		}
		return l
	case *tsql.Case:
		return x.inferred(e.Whens[0].Then, t)
	case *tsql.Collate:
		return x.inferred(e.X, t)
	case *tsql.Call:
		switch name := strings.ToLower(e.Name[len(e.Name)-1]); {
		case len(e.Name) > 1:
			if f := x.d.find(e.Name, "FN"); f != nil {
				return x.d.typeOf(*f.module.ast.Returns, "RETURNS")
			}
		case name == "len" || name == "datalength" || name == "year" || name == "month" || name == "day" || name == "datediff" || name == "datepart" || name == "charindex" || name == "checksum":
			return systemByNameType("int")
		case name == "getdate" || name == "dateadd":
			return systemByNameType("datetime")
		case name == "newid":
			return systemByNameType("uniqueidentifier")
		case len(e.Args) > 0:
			return x.inferred(e.Args[0], t)
		}
	}
	return sized(systemByName["nvarchar"], []string{"4000"}, "")
}

// columnsOf are the columns that an expression over one table names.
func columnsOf(e tsql.Expr) []*tsql.Name {
	var out []*tsql.Name
	tsql.Walk(e, func(e tsql.Expr) {
		switch e := e.(type) {
		case *tsql.Name:
			out = append(out, e)
		case *tsql.Subquery, *tsql.Exists:
			panic(fail(1046, "Subqueries are not allowed in this context. Only scalar expressions are allowed."))
		}
	})
	return out
}

// methodOwner is the column whose method or property a name is; nil where it is none.
func (t *object) methodOwner(d *database, path []string) *column {
	if len(path) < 2 {
		return nil
	}
	if c := t.column(d, path[len(path)-2]); c != nil && c.dataType.hasMethods() {
		return c
	}
	return nil
}

// hasMethods tells whether values of a type are asked by methods.
func (t dataType) hasMethods() bool {
	return t.system != nil && slices.Contains([]string{"xml", "geometry", "geography", "hierarchyid"}, t.system.name)
}

// used are the columns of a table that an expression names.
func (x *session) used(t *object, e tsql.Expr) []*column {
	var out []*column
	for _, n := range columnsOf(e) {
		c := t.column(x.d, n.Parts[len(n.Parts)-1])
		if c == nil {
			c = t.methodOwner(x.d, n.Parts)
		}
		if c == nil {
			panic(fail(207, "Invalid column name '%s'.", n.Parts[len(n.Parts)-1]))
		}
		if !slices.Contains(out, c) {
			out = append(out, c)
		}
	}
	tsql.Walk(e, func(e tsql.Expr) {
		if call, ok := e.(*tsql.Call); ok {
			if c := t.methodOwner(x.d, call.Name); c != nil && !slices.Contains(out, c) {
				out = append(out, c)
			}
		}
	})
	return out
}

// constrain adds a constraint to a table. at is the column that it was written at.
func (x *session) constrain(t *object, k *tsql.Constraint, at string, fresh bool) *object {
	if t.typ == "TT" && (k.Name != "" || k.Kind == "FOREIGN") {
		panic(fail(102, "Incorrect syntax near 'CONSTRAINT'."))
	}
	switch k.Kind {
	case "PRIMARY", "UNIQUE":
		return x.keyConstraint(t, k, at)
	case "CHECK":
		return x.checkConstraint(t, k, at, fresh, true)
	case "DEFAULT":
		return x.defaultConstraint(t, k, at)
	}
	return x.foreignKey(t, k, at, fresh, true)
}

// named adds the object of a constraint, under its name or one that is generated.
func (x *session) named(t *object, k *tsql.Constraint, typ, prefix, column string) *object {
	o := &object{schema: t.schema, name: k.Name, typ: typ, parent: t.id, systemNamed: k.Name == "", con: &constraint{}}
	if k.Name == "" {
		o.name = generated(prefix, t.name, column, x.d.nextObject+16000057, prefix == "PK" || prefix == "UQ")
	}
	return x.add(o)
}

func (x *session) keyConstraint(t *object, k *tsql.Constraint, at string) *object {
	cols := k.Columns
	if len(cols) == 0 {
		cols = []tsql.IndexColumn{{Name: at}}
	}
	primary := k.Kind == "PRIMARY"
	x.oneKey(t, k, primary)
	for i, n := range cols {
		if slices.ContainsFunc(cols[:i], func(c tsql.IndexColumn) bool { return x.d.fold(c.Name) == x.d.fold(n.Name) }) {
			panic(fail(8136, "Duplicate columns specified in %s KEY constraint key list, table '%s'.", map[bool]string{true: "PRIMARY", false: "UNIQUE"}[primary], t.name))
		}
		c := t.column(x.d, n.Name)
		if c == nil {
			panic(fail(1750, "Could not create constraint or index. See previous errors.").after(fail(1911, "Column name '%s' does not exist in the target table or view.", n.Name)))
		}
		if primary && c.nullable {
			if x.making == t {
				c.nullable = false
				continue
			}
			panic(fail(1750, "Could not create constraint or index. See previous errors.").after(fail(8111, "Cannot define PRIMARY KEY constraint on nullable column in table '%s'.", t.name)))
		}
	}
	o := x.named(t, k, map[bool]string{true: "PK", false: "UQ"}[primary], map[bool]string{true: "PK", false: "UQ"}[primary], "")
	clustered := k.Clustered == 'y'
	if primary && k.Clustered == 0 {
		clustered = !slices.ContainsFunc(t.indexes, func(i *index) bool { return i.id == 1 })
	}
	i := x.index(t, &tsql.Index{Name: o.name, Unique: true, Clustered: clustered, Columns: cols, Options: k.Options, Group: k.On, Hash: k.Hash})
	i.primary, i.key = primary, !primary
	o.con.index = i.id
	return o
}

// oneKey sees that a table gets one primary key, and lies in one constraint's index.
func (x *session) oneKey(t *object, k *tsql.Constraint, primary bool) {
	for _, i := range t.indexes {
		switch made := x.making == t && t.typ == "U"; {
		case primary && i.primary && made:
			panic(fail(8110, "Cannot add multiple PRIMARY KEY constraints to table '%s'.", t.name))
		case primary && i.primary:
			panic(fail(1779, "Table '%s' already has a primary key defined on it.", t.name).after())
		case made && i.id == 1 && k.Clustered == 'y' && (i.primary || i.key):
			panic(fail(8112, "Cannot add more than one clustered index for constraints on table '%s'.", t.name))
		}
	}
}

func (x *session) checkConstraint(t *object, k *tsql.Constraint, at string, fresh, tested bool) *object {
	for _, c := range x.used(t, k.X) {
		if at != "" && fresh && c != t.column(x.d, at) {
			panic(fail(1750, "Could not create constraint or index. See previous errors.").after(fail(8141, "Column CHECK constraint for column '%s', table '%s' references another column.", at, t.name)))
		}
	}
	for _, f := range callsOf(k.X) {
		if x.d.find(f, "FN") == nil {
			panic(fail(4121, "Cannot find either column \"%s\" or the user-defined function or aggregate \"%s\", or the name is ambiguous.", f[0], strings.Join(f, ".")))
		}
	}
	o := x.named(t, k, "C", "CK", at)
	o.con.definition, o.con.x, o.con.notRepl, o.con.untested = "("+tsql.Print(k.X)+")", k.X, k.NotRepl, k.NotRepl || !tested
	if at != "" {
		o.con.col = t.column(x.d, at).id
	}
	sc := newScope(tableRelation(t, nil).cols)
	x.dry(func() { x.eval(k.X, &env{scope: sc, row: make([]any, len(t.cols))}) })
	if tested && !fresh {
		for _, r := range t.rows {
			x.check(t, o, sc, r, "ALTER TABLE")
		}
	}
	return o
}

// callsOf are the functions of several parts that an expression calls.
func callsOf(e tsql.Expr) [][]string {
	var out [][]string
	tsql.Walk(e, func(e tsql.Expr) {
		if c, ok := e.(*tsql.Call); ok && len(c.Name) > 1 {
			out = append(out, c.Name)
		}
	})
	return out
}

func (x *session) defaultConstraint(t *object, k *tsql.Constraint, at string) *object {
	if k.For != "" {
		at = k.For
	}
	c := t.column(x.d, at)
	switch {
	case c == nil:
		panic(fail(1750, "Could not create constraint or index. See previous errors.").after(fail(1752, "Column '%s' in table '%s' is invalid for creating a default constraint.", at, t.name)))
	case c.defaultID != 0:
		panic(fail(1750, "Could not create constraint or index. See previous errors.").after(fail(1781, "Column already has a DEFAULT bound to it.")))
	case c.computed != nil || c.identity || c.dataType.name == "timestamp":
		panic(fail(1750, "Could not create constraint or index. See previous errors.").after(fail(1754, "Defaults cannot be created on columns with an IDENTITY attribute. Table '%s', column '%s'.", t.name, at)))
	case len(columnsOf(k.X)) > 0:
		panic(fail(128, "The name \"%s\" is not permitted in this context. Valid expressions are constants, constant expressions, and (in some contexts) variables. Column names are not permitted.", columnsOf(k.X)[0].Parts[0]))
	}
	o := x.named(t, k, "D", "DF", at)
	o.con.definition, o.con.x, o.con.col = "("+tsql.Print(k.X)+")", k.X, c.id
	c.defaultID = o.id
	tsql.Walk(k.X, func(e tsql.Expr) {
		if n, ok := e.(*tsql.NextValue); ok && x.d.find(n.Sequence, "SO") == nil {
			panic(fail(208, "Invalid object name '%s'.", strings.Join(n.Sequence, ".")))
		}
	})
	return o
}

func (x *session) foreignKey(t *object, k *tsql.Constraint, at string, fresh, tested bool) *object {
	see := func(f *failure) *failure {
		return fail(1750, "Could not create constraint or index. See previous errors.").after(f)
	}
	p := x.d.find(k.Parent, "U")
	if p == nil {
		panic(see(fail(1767, "Foreign key '%s' references invalid table '%s'.", k.Name, strings.Join(k.Parent, "."))))
	}
	if p != t {
		x.lock(lockKey{d: x.d, id: p.id}, lockSchM, true)
	}
	cols := k.Columns
	if len(cols) == 0 {
		cols = []tsql.IndexColumn{{Name: at}}
	}
	con := constraint{parent: p.id, del: k.Delete, upd: k.Update, notRepl: k.NotRepl, untested: k.NotRepl || !tested}
	for _, n := range cols {
		c := t.column(x.d, n.Name)
		if c == nil {
			panic(see(fail(1769, "Foreign key '%s' references invalid column '%s' in referencing table '%s'.", k.Name, n.Name, t.name)))
		}
		switch {
		case (k.Delete == "SET NULL" || k.Update == "SET NULL") && !c.nullable:
			panic(see(fail(1761, "Cannot create the foreign key \"%s\" with SET NULL referential action, because one or more referencing columns are not nullable.", k.Name)))
		case (k.Delete == "SET DEFAULT" || k.Update == "SET DEFAULT") && !fresh && !c.nullable && c.defaultID == 0:
			panic(see(fail(1762, "Cannot create the foreign key \"%s\" with SET DEFAULT referential action, because one or more referencing not-nullable columns lack a default constraint.", k.Name)))
		case c.computed != nil && !c.persisted:
			panic(see(fail(1764, "Computed Column '%s' in table '%s' is invalid for use in 'FOREIGN KEY CONSTRAINT' because it is not persisted.", c.name, t.name)))
		}
		con.cols = append(con.cols, c.id)
	}
	refs := k.ParentCols
	if len(refs) == 0 {
		for _, i := range p.indexes {
			if i.primary {
				for _, c := range i.cols {
					refs = append(refs, p.byID(c.col).name)
				}
			}
		}
		if refs == nil {
			panic(see(fail(1773, "Foreign key '%s' has implicit reference to object '%s' which does not have a primary key defined on it.", k.Name, p.full())))
		}
	}
	for _, n := range refs {
		c := p.column(x.d, n)
		if c == nil {
			panic(see(fail(1770, "Foreign key '%s' references invalid column '%s' in referenced table '%s'.", k.Name, n, p.full())))
		}
		con.refs = append(con.refs, c.id)
	}
	if len(con.refs) != len(con.cols) {
		panic(see(fail(8139, "Number of referencing columns in foreign key differs from number of referenced columns, table '%s'.", t.full())))
	}
	x.fitting(t, p, k, &con, see)
	o := x.named(t, k, "F", "FK", cols[0].Name)
	o.con = &con
	if con.del != "" || con.upd != "" {
		x.cascades(o, see)
	}
	if tested && !fresh {
		x.referred(t, o, t.rows, "ALTER TABLE")
	}
	return o
}

// fitting sees that a foreign key leads to a key, and its columns are of the types
// of those.
func (x *session) fitting(t, p *object, k *tsql.Constraint, con *constraint, see func(*failure) *failure) {
	con.key = -1
	for _, i := range p.indexes {
		if !i.unique || i.filter != "" || i.disabled {
			continue
		}
		var ids []int
		for _, c := range i.cols {
			if !c.included {
				ids = append(ids, c.col)
			}
		}
		a, b := slices.Clone(ids), slices.Clone(con.refs)
		slices.Sort(a)
		slices.Sort(b)
		if slices.Equal(a, b) && con.key < 0 {
			con.key = i.id
		}
	}
	if con.key < 0 {
		panic(see(fail(1776, "There are no primary or candidate keys in the referenced table '%s' that match the referencing column list in the foreign key '%s'.", p.full(), k.Name)))
	}
	for i := range con.cols {
		a, b := t.byID(con.cols[i]), p.byID(con.refs[i])
		switch {
		case a.system != b.system:
			panic(see(fail(1778, "Column '%s.%s' is not the same data type as referencing column '%s.%s' in foreign key '%s'.", p.full(), b.name, t.name, a.name, k.Name)))
		case a.length != b.length || a.scale != b.scale || a.precision != b.precision:
			panic(see(fail(1753, "Column '%s.%s' is not the same length or scale as referencing column '%s.%s' in foreign key '%s'. Columns participating in a foreign key relationship must be defined with the same length and scale.", p.full(), b.name, t.name, a.name, k.Name)))
		case a.collation != b.collation:
			panic(see(fail(1757, "Column '%s.%s' is not of same collation as referencing column '%s.%s' in foreign key '%s'.", p.full(), b.name, t.name, a.name, k.Name)))
		}
	}
}

// cascades sees that what one change brings about reaches a table on one way only.
func (x *session) cascades(added *object, see func(*failure) *failure) {
	next := map[int64][]int64{}
	for _, k := range x.d.list("F") {
		if k.con.del != "" || k.con.upd != "" {
			next[k.con.parent] = append(next[k.con.parent], k.parent)
		}
	}
	bad := func() {
		panic(see(fail(1785, "Introducing FOREIGN KEY constraint '%s' on table '%s' may cause cycles or multiple cascade paths. Specify ON DELETE NO ACTION or ON UPDATE NO ACTION, or modify other FOREIGN KEY constraints.", added.name, x.d.objects[added.parent].name)))
	}
	for from := range next {
		reached := map[int64]bool{from: true}
		queue := []int64{from}
		for len(queue) > 0 {
			at := queue[0]
			queue = queue[1:]
			for _, to := range next[at] {
				if reached[to] {
					bad()
				}
				reached[to] = true
				queue = append(queue, to)
			}
		}
	}
}
