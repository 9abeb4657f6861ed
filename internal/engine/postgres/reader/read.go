// Package reader fills a catalog from PostgreSQL's system catalogs, with a
// handful of set-based queries in one round trip.
package reader

import (
	"context"
	"fmt"
	"sort"
	"strings"

	"github.com/jackc/pgx/v5"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/vocab"
)

// System catalogs, by the oid they have in every version.
const (
	pgType       = 1247
	pgProc       = 1255
	pgClass      = 1259
	pgAttrdef    = 2604
	pgConstraint = 2606
	pgNamespace  = 2615
	pgRewrite    = 2618
	pgTrigger    = 2620
	pgPolicy     = 3256
)

type address struct {
	class, oid uint32
	sub        int32
}

// thing is an object, or one of its parts.
type thing struct{ owner, part *catalog.Object }

func (t thing) ref() catalog.Ref {
	if t.part != nil {
		return t.owner.PartRef(t.part)
	}
	return t.owner.Ref()
}

func (t thing) self() *catalog.Object {
	if t.part != nil {
		return t.part
	}
	return t.owner
}

// reader collects what the rows of the catalog queries say.
type reader struct {
	c        *catalog.Catalog
	version  int  // as server_version_num
	lazy     bool // leave out what is needed only to write
	keyed    bool // leave texts unread that keys stand for
	names    map[string]string
	things   map[uint32]map[uint32]thing // by system catalog, then oid
	schemas  map[uint32]string
	rels     map[uint32]*relation
	byObject map[*catalog.Object]*relation
	elements map[uint32]bool  // array types
	types    map[uint32]thing // by oid, arrays too
	bodies   []body
	classes  map[string]uint32 // oids of system catalogs by name

	typesSeen   map[typeKey]bool
	small       map[uint32]string // names of access methods and tablespaces
	shared      map[sharedKey][]catalog.Property
	defaults    map[defaultKey][]catalog.Property
	usualGrants map[catalog.Kind]catalog.Value
	slab        []catalog.Object
	lastOid     uint32
	last        *relation
	opclasses   map[uint32]opclass
	enumLabels  map[uint32]string // by the label's oid
	clones      map[uint32]uint32 // constraints and those they are copies of
	copied      []copied
	labels      map[address]string           // what copies are of: "index by_name"
	owns        map[*catalog.Object][]string // what tables' copies have of their own
	indexStats  map[uint32][]string          // "column target", of indexes
	copies      map[address]*catalog.Object  // the tables of constraints and indexes that are copies of others
	roles       map[uint32]string
	shells      map[uint32]*catalog.Object // functions that types are made of, and the type
	commented   map[uint32]bool            // oids of parts that have a comment
	attached    map[uint32]uint32          // partitions and children, their indexes too, and what they belong to
	parameters  map[uint32]bool            // indexes whose operator classes have parameters
	indexes     map[uint32]*index
	indexOrder  []*index
	unread      []unread
	buffer      []byte // see treeKey
}

// relation is a relation on the way to becoming an object.
type relation struct {
	object  *catalog.Object
	kind    string
	columns []column // by attribute number less one; dropped ones have no name
	layout  string   // see tree.go
}

type typeKey struct {
	oid uint32
	mod int32
}

type column struct {
	name     string
	object   *catalog.Object // nil in views and composites
	typ      typeKey
	collated bool   // not as its type is
	text     string // of a view: its line in the list of columns
}

type body struct {
	of   thing
	text string
}

type query struct {
	what string
	sql  string
	row  func(*row)
	done func() // after the last row
}

// Conn is what reading needs of a connection, which must be inside a
// transaction that sees one state, with an empty search path.
type Conn interface {
	SendBatch(context.Context, *pgx.Batch) pgx.BatchResults
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
}

// Extent is how much is read.
type Extent int

// The extents. Texts that a key stands for (catalog.Value.Key) are left unread
// by all but Everything; the catalog's Fetch reads them over the same
// connection, in the same transaction.
const (
	Everything Extent = iota
	ForScript         // all but the texts
	ToCompare         // nor what is needed only to write
)

// Read reads a database.
func Read(ctx context.Context, conn Conn, version int, extent Extent) (*catalog.Catalog, error) {
	r := &reader{c: &catalog.Catalog{Engine: "postgres", Kinds: vocab.Kinds, Spell: func(name string, _ bool) string { return vocab.Quote(name) }}, version: version, lazy: extent == ToCompare, keyed: extent != Everything, names: map[string]string{}, things: map[uint32]map[uint32]thing{},
		schemas: map[uint32]string{}, rels: map[uint32]*relation{}, byObject: map[*catalog.Object]*relation{}, elements: map[uint32]bool{}, types: map[uint32]thing{}, classes: map[string]uint32{},
		typesSeen: map[typeKey]bool{}, small: map[uint32]string{}, shared: map[sharedKey][]catalog.Property{}, defaults: map[defaultKey][]catalog.Property{}, usualGrants: map[catalog.Kind]catalog.Value{}, opclasses: map[uint32]opclass{}, enumLabels: map[uint32]string{}, attached: map[uint32]uint32{}, commented: map[uint32]bool{}, roles: map[uint32]string{}, shells: map[uint32]*catalog.Object{}, clones: map[uint32]uint32{}, copies: map[address]*catalog.Object{},
		indexStats: map[uint32][]string{}, labels: map[address]string{}, owns: map[*catalog.Object][]string{}, parameters: map[uint32]bool{}, indexes: map[uint32]*index{}}
	before, after := r.queries()
	if err := r.run(ctx, conn, before); err != nil {
		return nil, err
	}
	if err := r.columnTypes(ctx, conn); err != nil {
		return nil, err
	}
	if err := r.run(ctx, conn, after); err != nil {
		return nil, err
	}
	r.finish()
	fetch := r.fetcher(conn)
	if r.keyed {
		r.c.Fetch = fetch
	} else {
		var all []*catalog.Value
		for _, u := range r.unread {
			all = append(all, u.value())
		}
		if err := fetch(ctx, all); err != nil {
			return nil, err
		}
	}
	if !r.lazy {
		r.needs()
	}
	return r.c, nil
}

// run sends the queries in one round trip.
func (r *reader) run(ctx context.Context, conn Conn, qs []query) error {
	b := &pgx.Batch{}
	for _, q := range qs {
		b.Queue(q.sql)
	}
	res := conn.SendBatch(ctx, b)
	defer res.Close()
	cursor := &row{names: r.names}
	for _, q := range qs {
		rows, err := res.Query()
		if err != nil {
			return fmt.Errorf("reading %s: %w", q.what, err)
		}
		for rows.Next() {
			cursor.vals, cursor.at = rows.RawValues(), 0
			q.row(cursor)
		}
		if err := rows.Err(); err != nil {
			return fmt.Errorf("reading %s: %w", q.what, err)
		}
		if q.done != nil {
			q.done()
		}
	}
	return res.Close()
}

// since is the expression in versions that have it, else what stands for it.
func (r *reader) since(version int, sql, before string) string {
	if r.version >= version {
		return sql
	}
	return before
}

// queries are those whose rows give the tables their columns, and those after.
func (r *reader) queries() (before, after []query) {
	tree := "CASE WHEN r.rulename = '_RETURN' THEN r.ev_action END"
	if !r.keyed {
		tree = "NULL::pg_node_tree"
	}
	before = []query{
		{what: "system catalogs", sql: classesSQL(), row: func(w *row) { name := w.text(); r.classes[name] = w.oid() }},
		{what: "access methods and tablespaces", sql: smallSQL, row: func(w *row) { oid := w.oid(); r.small[oid] = w.text() }},
		{what: "schemas", sql: schemasSQL, row: r.schema},
		{what: "extensions", sql: extensionsSQL, row: r.extension},
		{what: "members of extensions", sql: membersSQL, row: r.member},
		{what: "roles", sql: "SELECT r.oid, r.rolname FROM pg_roles r", row: func(w *row) { oid := w.oid(); r.roles[oid] = w.text() }},
		{what: "foreign-data wrappers", sql: wrappersSQL, row: r.wrapper},
		{what: "foreign servers", sql: serversSQL, row: r.server},
		{what: "user mappings", sql: mappingsSQL, row: r.mapping},
		{what: "subscriptions", sql: r.subscriptionsSQL(), row: r.subscription},
		{what: "relations", sql: relationsSQL, row: r.relation},
		{what: "types", sql: typesSQL, row: r.typ},
		{what: "base types", sql: r.baseTypesSQL(), row: r.baseType},
		{what: "enum values", sql: enumsSQL, row: r.enumValue},
		{what: "ranges", sql: fmt.Sprintf(rangesSQL, r.since(140000, "r.rngmultitypid::regtype::text", "NULL::text")), row: r.rangeType},
		{what: "routines", sql: routinesSQL, row: r.routine},
	}
	before = append(before, r.simpleQueries()...)
	before = append(before, query{what: "columns", sql: fmt.Sprintf(columnsSQL, r.since(140000, "NULLIF(a.attcompression::text, '')", "NULL::text")), row: r.column})
	after = []query{
		{what: "parameters of operator classes", sql: parametersSQL, row: func(w *row) { r.parameters[w.oid()] = true }},
		{what: "foreign tables", sql: foreignTablesSQL, row: r.foreignTable},
		{what: "defaults", sql: defaultsSQL, row: r.columnDefault},
		{what: "inheritance", sql: inheritsSQL, row: r.inherits},
		{what: "operator classes", sql: opclassesSQL, row: r.opclass},
		{what: "statistics targets of indexes", sql: indexStatsSQL, row: func(w *row) {
			oid := w.oid()
			r.indexStats[oid] = append(r.indexStats[oid], fmt.Sprintf("%d %d", w.int(), w.int()))
		}},
		{what: "indexes", sql: fmt.Sprintf(indexesSQL, r.since(150000, "i.indnullsnotdistinct", "false")), row: r.index},
		{what: "constraints", sql: fmt.Sprintf(constraintsSQL, r.since(150000, "k.confdelsetcols", "NULL::int2[]")+", "+r.since(180000, "k.conperiod, k.conenforced", "false, true")), row: r.constraint, done: r.indexParts},
		{what: "triggers", sql: triggersSQL, row: r.trigger},
		{what: "policies", sql: policiesSQL, row: r.policy},
		{what: "rules", sql: fmt.Sprintf(rulesSQL, tree), row: r.rule},
		{what: "sequences", sql: sequencesSQL, row: r.sequence},
		{what: "publications", sql: r.publicationsSQL(), row: r.publication},
		{what: "default privileges", sql: defaultRightsSQL, row: r.defaultRights},
		{what: "security labels", sql: labelsSQL, row: r.label},
		{what: "other kinds", sql: notComparedSQL, row: r.notCompared},
	}
	// Where nothing else asks what an oid stands for, the comments come first,
	// so that only what has one must be found again.
	comments := query{what: "comments", sql: descriptionsSQL, row: r.comment}
	if r.lazy {
		after = append(append([]query{{what: "commented", sql: commentedSQL, row: r.isCommented}}, after...), comments)
	} else {
		after = append(after, comments, query{what: "arrays of rows", sql: rowArraysSQL, row: r.rowArray}, query{what: "members of operator classes", sql: membersOfSQL, row: r.memberOf}, query{what: "published tables", sql: r.publishedSQL(), row: r.published},
			query{what: "dependencies", sql: fmt.Sprintf(dependSQL, r.dependents()), row: r.depend})
	}
	return before, after
}

// mine tells whether the object in the schema is the user's: not the
// system's, not temporary, and no member of an extension.
func (r *reader) mine(class, oid, schema uint32) bool {
	_, known := r.schemas[schema]
	_, member := r.things[class][oid]
	return known && !member
}

func (r *reader) add(class, oid uint32, o *catalog.Object) {
	r.c.Add(o)
	r.note(class, oid, thing{o, nil})
	if o.Schema != "" && !r.lazy {
		o.Need(catalog.Ref{Kind: catalog.Schema, Name: o.Schema}, catalog.AspectName)
	}
}

// thing is what an address is of.
func (r *reader) thing(a address) (thing, bool) {
	if a.class == pgClass && a.sub > 0 {
		rel := r.rels[a.oid]
		if c := rel.column(int(a.sub)); c != nil {
			return thing{rel.object, c.object}, true
		}
	}
	t, ok := r.things[a.class][a.oid]
	return t, ok
}

// object is a new object, of many that are made at once.
func (r *reader) object() *catalog.Object {
	if len(r.slab) == 0 {
		r.slab = make([]catalog.Object, 256)
	}
	o := &r.slab[0]
	r.slab = r.slab[1:]
	return o
}

// note says what an oid of a system catalog stands for.
func (r *reader) note(class, oid uint32, t thing) {
	m := r.things[class]
	if m == nil {
		m = map[uint32]thing{}
		r.things[class] = m
	}
	m[oid] = t
}

func (r *reader) addPart(class, oid uint32, owner, part *catalog.Object) {
	owner.Add(part)
	if !r.lazy || r.commented[oid] {
		r.note(class, oid, thing{owner, part})
	}
}

func (r *reader) isCommented(w *row) { r.commented[w.oid()] = true }

func (r *reader) owned(o *catalog.Object, owner string, acl []string) {
	o.Optional("owner", "owners", catalog.Scalar(owner))
	if acl != nil {
		o.Optional("grants", "grants", vocab.Grants(o.Kind, owner, acl))
		return
	}
	v, ok := r.usualGrants[o.Kind]
	if !ok {
		v = vocab.Grants(o.Kind, owner, nil)
		r.usualGrants[o.Kind] = v
	}
	o.Optional("grants", "grants", v)
}

// laterFacts are those that older servers have by themselves, without keeping
// a choice.
var laterFacts = []struct {
	since int
	kind  catalog.Kind
	fact  string
}{
	{140000, vocab.Range, "multirange type"}, {140000, vocab.Subscription, "synchronous commit"},
	{180000, vocab.Publication, "generated columns"}, {180000, catalog.Column, "not null name"}, {180000, catalog.Column, "not null not valid"}, {180000, catalog.Column, "not null no inherit"},
}

// finish does what needs all rows.
func (r *reader) finish() {
	for _, rel := range r.rels {
		if vocab.IsTable(rel.object.Kind) {
			continue
		}
		var lines []string
		for _, c := range rel.columns {
			if c.name != "" {
				lines = append(lines, c.text)
			}
		}
		if rel.object.Kind == vocab.Composite {
			rel.object.Set("attributes", catalog.List(lines...))
		} else if rel.object.Kind != catalog.Sequence {
			rel.object.Carry("columns", catalog.List(lines...))
		}
	}
	kept := r.c.Objects[:0]
	for _, o := range r.c.Objects {
		if o.Kind == catalog.Sequence && o.Name == "" {
			continue // of an identity column
		}
		kept = append(kept, o)
	}
	r.c.Objects = kept
	for o, list := range r.owns {
		o.Set("copied parts", catalog.SetOf(list...))
	}
	for _, l := range laterFacts {
		if r.version < l.since {
			r.c.Gaps = append(r.c.Gaps, catalog.Gap{Kind: l.kind, Property: l.fact, Why: fmt.Sprintf("servers before %d do not keep it", l.since/10000), Quiet: true})
		}
	}
	r.c.Sort()
}

func (r *reader) depend(w *row) {
	a := address{w.oid(), w.oid(), int32(w.int())}
	t, ok := r.thing(a)
	refclass := w.oid()
	b := address{refclass, w.oid(), int32(w.int())}
	if !ok {
		return
	}
	on, ok := r.thing(b)
	if !ok || on.owner == nil || t.owner == nil || on == t {
		return
	}
	if copied := r.copies[address{a.class, a.oid, 0}]; copied != nil && (copied == on.owner || copied == t.owner) {
		return // of its own table, or of a partition that is referred to: the one it is a copy of is of the whole
	}
	if t.part == nil && on.owner == t.owner || refclass == pgNamespace || t.owner.Kind == catalog.Sequence && on.part != nil {
		return
	}
	aspect := catalog.AspectName
	switch {
	case b.sub > 0:
		aspect = catalog.AspectType
	case refclass == pgProc:
		aspect = catalog.AspectSignature
	case refclass == pgClass || refclass == pgType:
		aspect = catalog.AspectRowType
	}
	need := catalog.Need{On: on.ref(), Aspect: aspect}
	if a.class == pgProc && refclass == pgType && r.shells[a.oid] == on.owner {
		need.On = vocab.Shell(on.owner)
	}
	o := t.self()
	if o.Kind == catalog.Column && !o.Has("generated") {
		need.Fact = "type"
		if a.class == pgAttrdef {
			need.Fact = "default"
		}
	}
	for _, n := range o.Needs {
		if n.On == need.On && n.Fact == need.Fact {
			return
		}
	}
	o.Needs = append(o.Needs, need)
}

// dependents are the system catalogs whose rows' dependencies are read.
func (r *reader) dependents() string {
	var out []string
	for _, c := range []string{"pg_class", "pg_type", "pg_proc", "pg_constraint", "pg_attrdef", "pg_rewrite", "pg_trigger", "pg_policy", "pg_publication", "pg_publication_rel",
		"pg_amop", "pg_amproc", "pg_foreign_data_wrapper", "pg_foreign_server"} {
		out = append(out, "'"+c+"'::regclass")
	}
	if r.version >= 150000 {
		out = append(out, "'pg_publication_namespace'::regclass")
	}
	for _, k := range vocab.SimpleKinds {
		out = append(out, "'"+k.Class+"'::regclass")
	}
	return strings.Join(out, ", ")
}

func (r *reader) comment(w *row) {
	class, oid, sub, text := w.oid(), w.oid(), int32(w.int()), w.text()
	if rel := r.rels[oid]; class == pgClass && sub > 0 && rel != nil && !vocab.IsTable(rel.object.Kind) {
		if c := rel.column(int(sub)); c != nil { // of a view or composite
			o := rel.object
			o.Set("column comments", catalog.SetOf(append(o.List("column comments"), vocab.Quote(c.name)+": "+text)...))
		}
		return
	}
	t, ok := r.thing(address{class, oid, sub})
	if table := r.copies[address{class, oid, 0}]; table != nil {
		if label := r.labels[address{class, oid, 0}]; label != "" {
			r.owns[table] = append(r.owns[table], label+" comment "+text)
		}
		return
	}
	if !ok || t.owner == nil {
		return
	}
	o := t.self()
	switch {
	case o.Kind == catalog.Schema && o.Name == "public" && text == "standard public schema":
	case o.Kind == "extension" && r.classes["pg_extension"] != class: // on a member
	case class == pgClass && o.Kind == catalog.Column && sub == 0:
		o.Set("identity sequence comment", catalog.Scalar(text))
	case class == pgClass && o.Kind != catalog.Index && t.part != nil && sub == 0:
		o.Set("index comment", catalog.Scalar(text)) // on the index behind a constraint
	case class == pgType && vocab.IsTable(o.Kind):
	default:
		o.Set("comment", catalog.Scalar(text))
	}
}

func (r *reader) notCompared(w *row) {
	kind := w.text()
	r.c.Gaps = append(r.c.Gaps, catalog.Gap{Kind: catalog.Kind(kind), Why: fmt.Sprintf("%d of them, in a system catalog this version does not know", w.int())})
}

// needs completes and sorts the needs of everything.
func (r *reader) needs() {
	r.bodyNeeds()
	for _, o := range r.c.Objects {
		sortNeeds(o)
		for _, p := range o.Parts {
			sortNeeds(p)
		}
	}
}

func sortNeeds(o *catalog.Object) {
	sort.SliceStable(o.Needs, func(i, j int) bool { return o.Needs[i].On.Less(o.Needs[j].On) })
}

// bodyNeeds reads the bodies the server does not track for the names of
// relations, types and routines. Such needs only order steps.
func (r *reader) bodyNeeds() {
	byName := map[string][]catalog.Ref{}
	for _, o := range r.c.Objects {
		if o.Kind != catalog.Schema {
			byName[vocab.BareName(o)] = append(byName[vocab.BareName(o)], o.Ref())
		}
	}
	for _, b := range r.bodies {
		seen := map[catalog.Ref]bool{b.of.ref(): true}
		for _, n := range b.of.self().Needs {
			seen[n.On] = true
		}
		for _, t := range sqltext.Lex(vocab.Dialect, b.text) {
			if !t.IsName() {
				continue
			}
			name := t.Name()
			if t.Kind == sqltext.Word {
				name = strings.ToLower(name)
			}
			for _, ref := range byName[name] {
				if !seen[ref] {
					seen[ref] = true
					b.of.owner.Needs = append(b.of.owner.Needs, catalog.Need{On: ref, Aspect: catalog.AspectBody, Text: true})
				}
			}
		}
	}
}

// Floor sends the queries of a lazy reading and throws the rows away: what
// the server alone needs for them.
func Floor(ctx context.Context, conn Conn, version int) error {
	r := &reader{version: version, lazy: true, keyed: true}
	before, after := r.queries()
	qs := append(before, after...)
	for i := range qs {
		qs[i].row, qs[i].done = func(*row) {}, nil
	}
	return r.run(ctx, conn, qs)
}
