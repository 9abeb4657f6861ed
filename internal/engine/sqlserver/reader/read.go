package reader

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine/sqlserver/vocab"
	"dappermirror/internal/standin/tsql"
)

// Querier is what a structure is read from: a connection, or a catalog that was
// written down. It answers queries in one go, each row with the number of its query.
type Querier interface {
	Rows(ctx context.Context, queries []string, each func(query int, row Row) error) error
}

// Row is one row of a result, by column name: nil, int64, string, bool.
type Row map[string]any

func (r Row) text(name string) string {
	switch v := r[name].(type) {
	case nil:
		return ""
	case string:
		return v
	case []byte:
		return string(v)
	default:
		return fmt.Sprint(v)
	}
}

func (r Row) num(name string) int64 {
	switch v := r[name].(type) {
	case int64:
		return v
	case float64: // of JSON
		return int64(v)
	case bool:
		if v {
			return 1
		}
	case string:
		n, _ := strconv.ParseInt(strings.TrimSpace(v), 10, 64)
		return n
	}
	return 0
}

func (r Row) is(name string) bool { return r.num(name) != 0 }

// Connection is a Querier over a connection.
type Connection struct{ *sql.Conn }

// Rows implements Querier: the queries are one batch, and one way to the server and back.
func (c Connection) Rows(ctx context.Context, queries []string, each func(int, Row) error) error {
	rows, err := c.QueryContext(ctx, strings.Join(queries, ";\n"))
	if err != nil {
		return err
	}
	defer rows.Close()
	for query := 0; ; query++ {
		cols, err := rows.Columns()
		if err != nil {
			return err
		}
		vals, into := make([]any, len(cols)), make([]any, len(cols))
		for i := range vals {
			into[i] = &vals[i]
		}
		for rows.Next() {
			if err := rows.Scan(into...); err != nil {
				return err
			}
			m := make(Row, len(cols))
			for i, c := range cols {
				m[c] = vals[i]
			}
			if err := each(query, m); err != nil {
				return err
			}
		}
		if !rows.NextResultSet() {
			if err := rows.Err(); err != nil || query == len(queries)-1 {
				return err
			}
			return fmt.Errorf("the server answered %d of %d queries", query+1, len(queries))
		}
	}
}

// ErrChanged says that something was made, changed or dropped while it was read.
var ErrChanged = errors.New("the structure changed while it was read")

type reader struct {
	q         Querier
	c         *catalog.Catalog
	fold      func(string) string
	collation string
	objects   map[int64]*catalog.Object           // tables, views, routines …
	parts     map[int64]part                      // constraints and triggers, by their object
	columns   map[int64]map[int64]*catalog.Object // by table and column
	indexes   map[[2]int64]*catalog.Object        // by table and index
	types     map[int64]*catalog.Object           // by user type
	schemas   map[int64]*catalog.Object
	roles     map[int64]*catalog.Object
	triggers  map[int64]*catalog.Object // of the database
	keyIndex  map[int64][2]int64        // the table and index of a key constraint
	typeTable map[int64]*catalog.Object
	defaults  map[int64]part // the column of a default
	bound     map[*catalog.Object]bool
	functions map[int64]*catalog.Object    // partition functions
	parted    map[[2]int64]string          // the column that partitions an index
	catalogs  map[int64]*catalog.Object    // of full-text indexes
	destined  map[*catalog.Object][]string // filegroups of the partitions of a scheme, as SQL
	periods   map[*catalog.Object]*period
	waiting   []func() // what is done when all was read
	last      []func() // what is done when everything was
}

type part struct{ owner, part *catalog.Object }

// Read reads a structure. It fails with ErrChanged where something moved meanwhile.
func Read(ctx context.Context, q Querier) (*catalog.Catalog, error) {
	r := &reader{q: q, c: vocab.Blank(), objects: map[int64]*catalog.Object{}, parts: map[int64]part{}, columns: map[int64]map[int64]*catalog.Object{}, indexes: map[[2]int64]*catalog.Object{}, types: map[int64]*catalog.Object{},
		schemas: map[int64]*catalog.Object{}, roles: map[int64]*catalog.Object{}, triggers: map[int64]*catalog.Object{}, catalogs: map[int64]*catalog.Object{}, destined: map[*catalog.Object][]string{}, periods: map[*catalog.Object]*period{}, functions: map[int64]*catalog.Object{}, parted: map[[2]int64]string{}, keyIndex: map[int64][2]int64{}, typeTable: map[int64]*catalog.Object{}, defaults: map[int64]part{}, bound: map[*catalog.Object]bool{}}
	before, after := "", ""
	moved := func(into *string) []step {
		return []step{{"what there is", queryMoved, func(m Row) error {
			*into = m.text("n") + " " + m.text("last") + " " + m.text("ids")
			return nil
		}}}
	}
	for _, steps := range [][]step{append(moved(&before), step{"the database", queryDatabase, r.database}), r.steps(), moved(&after)} {
		if err := r.read(ctx, steps); err != nil {
			return nil, err
		}
	}
	if before != after {
		return nil, ErrChanged
	}
	r.finish()
	return r.c, nil
}

// step is a query with what its rows are for.
type step struct {
	what, query string
	each        func(Row) error
}

// steps are what is read of a database that is known, in an order in which each finds what
// it is about.
func (r *reader) steps() []step {
	return []step{
		{"schemas", querySchemas, r.schema}, {"types", queryTypes, r.typ}, {"partition functions", queryPartitions, r.partitions}, {"partition schemes", querySchemes, r.scheme}, {"tables", queryTables, r.table},
		{"modules", queryModules, r.module}, {"columns", queryColumns, r.column}, {"columns of types", queryTypeColumns, r.column}, {"index columns", queryIndexColumns, r.indexColumn}, {"indexes", queryIndexes, r.index}, {"statistics", queryStatistics, r.statistic}, {"full-text catalogs", queryTextCatalogs, r.textCatalog}, {"full-text indexes", queryTextIndexes, r.textIndex},
		{"checks", queryChecks, r.check}, {"foreign key columns", queryForeignKeyColumns, r.foreignKeyColumn}, {"foreign keys", queryForeignKeys, r.foreignKey},
		{"triggers of the database", queryDatabaseTriggers, r.databaseTrigger}, {"trigger order", queryTriggerEvents, r.triggerEvent}, {"sequences", querySequences, r.sequence}, {"synonyms", querySynonyms, r.synonym}, {"extended properties", queryProperties, r.property},
		{"dependencies", queryUses, r.use}, {"security policies", queryPolicies, r.policy}, {"roles", queryRoles, r.role}, {"owners", queryOwners, r.owner}, {"rights", queryRights, r.right}, {"other things", queryUnread, r.unread},
	}
}

// read takes some steps in one go; what they leave to be done is done before the next one.
func (r *reader) read(ctx context.Context, steps []step) error {
	var queries []string
	for _, s := range steps {
		queries = append(queries, s.query)
	}
	at := 0
	settle := func() {
		for _, f := range r.waiting {
			f()
		}
		r.waiting = nil
	}
	err := r.q.Rows(ctx, queries, func(query int, m Row) error {
		if query != at {
			settle()
			at = query
		}
		return steps[query].each(m)
	})
	if err != nil && at == 0 {
		return fmt.Errorf("reading %s: %w", steps[at].what, err)
	} else if err != nil {
		return fmt.Errorf("reading %s, or what is read behind it: %w", steps[at].what, err)
	}
	settle()
	return nil
}

func (r *reader) database(m Row) error {
	r.collation = m.text("collation")
	if strings.Contains(r.collation, "_CS_") || strings.Contains(r.collation, "_BIN") {
		r.c.FoldNames = false
	}
	r.fold = vocab.Fold(r.c)
	r.c.Version = m.text("version")
	r.c.Settings = map[string]string{vocab.Collation: r.collation}
	if g := m.text("filegroup"); g != "" && g != "PRIMARY" {
		r.c.Settings[vocab.DefaultFilegroup] = g
	}
	r.c.Limits = map[string]int64{"edition": m.num("edition")}
	if m["seen"] != nil && !m.is("seen") {
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{Why: "the account may not see all definitions (VIEW DEFINITION on the database): what it may not see is not known"})
	}
	return nil
}

// folded gives an object the names that it is known by.
func (r *reader) folded(o *catalog.Object) *catalog.Object {
	if f := r.fold(o.Name); f != o.Name {
		o.ID = f
	}
	if f := r.fold(o.Schema); f != o.Schema {
		o.Home = f
	}
	return o
}

// add adds an object that is known by its name.
func (r *reader) add(id int64, o *catalog.Object) *catalog.Object {
	r.folded(o)
	if r.c.FoldNames {
		o.Set(catalog.Letters, catalog.Scalar(o.Name))
	}
	if id != 0 {
		r.objects[id] = o
	}
	if o.Schema != "" && !strings.EqualFold(o.Schema, "dbo") {
		o.Need(catalog.Ref{Kind: catalog.Schema, Name: r.fold(o.Schema)}, catalog.AspectName)
	}
	r.c.Add(o)
	return o
}

func (r *reader) schema(m Row) error {
	o := r.add(0, &catalog.Object{Kind: catalog.Schema, Name: m.text("name"), Space: "schema"})
	r.schemas[m.num("schema_id")] = o
	return nil
}

func (r *reader) typ(m Row) error {
	o := &catalog.Object{Kind: vocab.AliasType, Schema: m.text("schema"), Name: m.text("name"), Space: "type"}
	if m.is("is_table_type") {
		o.Kind = vocab.TableType
	} else {
		o.Set("type", catalog.Scalar(typeText(m.text("base"), m.num("max_length"), m.num("precision"), m.num("scale"))))
		o.SetIf("not null", !m.is("is_nullable"))
	}
	if m.is("is_memory_optimized") {
		o.Set(vocab.InMemory, catalog.Scalar("yes"))
	}
	r.add(0, o)
	r.types[m.num("user_type_id")] = o
	if m.is("is_table_type") {
		r.objects[m.num("type_table_object_id")] = o
		r.typeTable[m.num("type_table_object_id")] = o
	}
	return nil
}

// typeText writes a type with its length, precision or scale. Lengths are told in
// bytes; a national letter has two (SQL Server: sys.columns, max_length).
func typeText(name string, length, precision, scale int64) string {
	switch name {
	case "nvarchar", "nchar", "varchar", "char", "varbinary", "binary":
		switch {
		case length < 0:
			return name + "(max)"
		case name[0] == 'n':
			length /= 2
		}
		return fmt.Sprintf("%s(%d)", name, length)
	case "decimal", "numeric":
		return fmt.Sprintf("%s(%d,%d)", name, precision, scale)
	case "time", "datetime2", "datetimeoffset":
		if scale != 7 {
			return fmt.Sprintf("%s(%d)", name, scale)
		}
	case "timestamp":
		return "rowversion"
	}
	return name
}

// typeOf is the type of a row that tells one.
func typeOf(m Row) string {
	if m.is("is_user_defined") {
		return tsql.Path([]string{m.text("type_schema"), m.text("type")})
	}
	return typeText(m.text("type"), m.num("max_length"), m.num("precision"), m.num("scale"))
}

// kindsOfTables are those whose tables are not read, by the column that tells.
var kindsOfTables = [][2]string{{"is_external", "external"}, {"is_filetable", "file"}, {"is_node", "graph"}, {"is_edge", "graph"}}

func (r *reader) table(m Row) error {
	for _, k := range kindsOfTables {
		if m.is(k[0]) {
			is := r.folded(&catalog.Object{Kind: catalog.Table, Schema: m.text("schema"), Name: m.text("name")})
			r.c.Gaps = append(r.c.Gaps, catalog.Gap{On: is.Ref(), Why: fmt.Sprintf("%s table %s.%s is not read: such tables are not known yet", k[1], is.Schema, is.Name)})
			return nil
		}
	}
	if odd := m.text("odd"); odd != "" {
		is := r.folded(&catalog.Object{Kind: catalog.Table, Schema: m.text("schema"), Name: m.text("name")})
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{On: is.Ref(), Why: fmt.Sprintf("table %s.%s is not read: it has %s, which is not known yet", is.Schema, is.Name, odd)})
		return nil
	}
	o := r.add(m.num("object_id"), &catalog.Object{Kind: catalog.Table, Schema: m.text("schema"), Name: m.text("name"), Space: vocab.Objects})
	if e := m.text("lock_escalation_desc"); e != "TABLE" && e != "" {
		o.Set("lock escalation", catalog.Scalar(e))
	}
	if m.is("is_memory_optimized") {
		o.Set(vocab.InMemory, catalog.Scalar(durability(m)))
	}
	if large := m.text("large"); large != "" {
		r.last = append(r.last, func() { r.largeElsewhere(o, large) })
	}
	if m.num("temporal_type") == 2 {
		r.versioned(o, m)
	}
	return nil
}

// durability is what becomes of the rows of a table in memory when the server starts.
func durability(m Row) string {
	if m.text("durability_desc") == "SCHEMA_ONLY" {
		return "without its rows"
	}
	return "with its rows"
}

// expression is a text of the server as a value: what it is compared by is the same
// for every spelling.
func (r *reader) expression(text string) catalog.Value {
	x, err := tsql.Expression(text)
	if err != nil {
		return catalog.PlainSQL(text)
	}
	return catalog.SQL(catalog.Piece{Text: tsql.Print(x), Canon: tsql.Canon(x, r.fold)})
}

func (r *reader) column(m Row) error {
	t := r.objects[m.num("object_id")]
	if t == nil {
		return nil
	}
	name := m.text("name")
	p := &catalog.Object{Kind: catalog.Column, Name: name}
	if f := r.fold(name); f != name {
		p.ID = f
	}
	id := m.num("object_id")
	if r.columns[id] == nil {
		r.columns[id] = map[int64]*catalog.Object{}
	}
	r.columns[id][m.num("column_id")] = p
	if t.Kind != catalog.Table && t.Kind != vocab.TableType {
		return nil // of a view: it is known to tell what stands on it
	}
	t.Add(p)
	if r.c.FoldNames {
		p.Set(catalog.Letters, catalog.Scalar(name))
	}
	if n := m.num("generated_always_type"); n == 1 || n == 2 {
		r.timed(t, p, int(n-1), m.is("is_hidden"))
	}
	if m["formula"] != nil {
		p.Set("generated", r.expression(m.text("formula")))
		p.SetIf("persisted", m.is("is_persisted"))
		p.SetIf("not null", m.is("is_persisted") && !m.is("is_nullable"))
		return nil
	}
	p.Set("type", catalog.Scalar(typeOf(m)))
	if c := m.text("collation_name"); c != "" && c != r.collation {
		p.Set("collation", catalog.Scalar(c))
	}
	p.SetIf("not null", !m.is("is_nullable"))
	if m.is("is_identity") {
		p.Set("identity", catalog.Scalar(m.text("seed")+", "+m.text("step")))
		p.SetIf("not for replication", m.is("is_not_for_replication"))
	}
	p.SetIf("rowguidcol", m.is("is_rowguidcol"))
	p.SetIf("sparse", m.is("is_sparse"))
	p.SetText("mask", m.text("masking_function"))
	if m["default_text"] != nil {
		p.Set("default", r.expression(m.text("default_text")))
		if !m.is("is_system_named") && t.Kind == catalog.Table {
			p.Set("default name", catalog.Scalar(m.text("default_name")))
		}
		p.Carry("default constraint", catalog.Scalar(m.text("default_name")))
		r.defaults[m.num("default_id")] = part{t, p}
	}
	if m.is("is_user_defined") {
		p.Need(catalog.Ref{Kind: vocab.AliasType, Schema: r.fold(m.text("type_schema")), Name: r.fold(m.text("type"))}, catalog.AspectType)
	}
	return nil
}

// known is a column of a table by its number, and the reference to it.
func (r *reader) known(table, column int64) (*catalog.Object, catalog.Ref) {
	t, p := r.objects[table], r.columns[table][column]
	if t == nil || p == nil {
		return nil, catalog.Ref{}
	}
	ref := t.Ref()
	ref.PartKind, ref.Part = catalog.Column, p.Key()
	return p, ref
}

// grow adds a name to a list of columns: the list is compared by names in the form in
// which they are compared, and written as the carried list has them.
func (r *reader) grow(o *catalog.Object, fact, name, end string) {
	o.Set(fact, catalog.List(append(slices.Clone(o.List(fact)), r.fold(name))...))
	if end != "" {
		o.Set("descending", catalog.List(append(slices.Clone(o.List("descending")), r.fold(name))...))
	}
	o.Carry(vocab.Written+fact, catalog.List(append(slices.Clone(o.List(vocab.Written+fact)), vocab.Quote(name)+end)...))
}

// constraint gives a constraint what it is known by.
func (r *reader) constraint(o *catalog.Object, name string, generated bool, says string) {
	switch {
	case o.Kind == catalog.PrimaryKey:
		if o.ID = "primary key"; !generated {
			o.Name = name
			o.Set("name", catalog.Scalar(r.fold(name)))
		}
	case generated:
		o.ID = "(" + says + ")"
	default:
		if o.Name = name; r.fold(name) != name {
			o.ID = r.fold(name)
		}
	}
	o.Carry(vocab.RealName, catalog.Scalar(name))
}

// place adds a part to its table; one that says what another says gets a number.
func place(t, p *catalog.Object) {
	id := p.Key()
	for n := 2; t.Part(p.Kind, p.Key()) != nil; n++ {
		p.ID = id + " #" + strconv.Itoa(n)
	}
	t.Add(p)
}

func (r *reader) unread(m Row) error {
	if n := m.num("n"); n > 0 {
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{Why: fmt.Sprintf("%s met and not read", words.Number(n, m.text("what"), catalog.Kind(m.text("what")).Plural()))})
	}
	return nil
}

// columnOrder notes in which order columns stand: of types always, as who hands rows over
// hands them over in it. Tables with a history have the order of both.
func (r *reader) columnOrder() {
	for _, o := range r.c.Objects {
		var order []string
		for _, p := range o.PartsOf(catalog.Column) {
			order = append(order, p.Key())
		}
		switch {
		case len(order) == 0 || o.Text(vocab.Current) != "" || len(o.PartsOf(vocab.Versioning)) > 0:
		case o.Kind == vocab.TableType:
			o.SetOrder("column order", order)
		case o.Kind == catalog.Table:
			o.OptionalOrder("column order", vocab.ColumnOrder, order)
		}
	}
}

// finish brings everything into its order.
func (r *reader) finish() {
	for _, f := range r.last {
		f()
	}
	r.destinations()
	r.columnOrder()
	for _, o := range r.c.Objects {
		slices.SortStableFunc(o.Parts, func(a, b *catalog.Object) int {
			return r.c.Kinds.Rank(a.Kind) - r.c.Kinds.Rank(b.Kind)
		})
	}
	r.c.Sort()
}
