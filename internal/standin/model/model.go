package model

import (
	"fmt"
	"hash/fnv"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"dappermirror/internal/standin/tds"
	"dappermirror/internal/standin/tsql"
)

// Collation is the server's own, which new databases have.
const Collation = "SQL_Latin1_General_CP1_CI_AS"

// Version is what the stand-in says it stands for.
const Version = "16.0.1000.6"

// Server is the stand-in: databases, and the sessions that work on them.
type Server struct {
	// Auth tells who may log in; nil for everybody.
	Auth func(tds.Login) bool
	// Implied lets principals be there that statements name and none makes: users belong to
	// logins, of which texts and scripts seldom tell. Quiet keeps triggers of the database from
	// looking on.
	Implied, Quiet bool
	// Count is told of every batch that reads the catalog; nil for nobody.
	Count func(batch string)

	mu       sync.Mutex // one statement runs at a time
	turn     *sync.Cond // a lock was given back
	dbs      map[string]*database
	sessions map[int64]*session
	nextID   int64
}

// New makes a server with empty databases of the given names.
func New(databases ...string) *Server {
	s := &Server{dbs: map[string]*database{}, sessions: map[int64]*session{}, nextID: 50}
	s.turn = sync.NewCond(&s.mu)
	for _, n := range append([]string{"master", "tempdb"}, databases...) {
		s.create(n, Collation)
	}
	return s
}

// Create makes an empty database.
func (s *Server) Create(name, collation string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.create(name, collation)
}

// Default lets things of a database lie in another filegroup where they say nothing.
func (s *Server) Default(name, group string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if d := s.dbs[strings.ToLower(name)]; group != "" {
		d.filegroups = append(d.filegroups, fileGroup{name: group, files: true})
		d.defaultGroup = len(d.filegroups) + 1
	}
}

func (s *Server) create(name, collation string) *database {
	d := &database{name: name, collation: collation, id: len(s.dbs) + 1, created: time.Now().UTC(), objects: map[int64]*object{}, many: map[string]int{}, names: map[string]int64{}, parts: map[int64][]int64{},
		types: map[string]*aliasType{}, props: map[propKey]string{}, principals: founders(), members: []member{{16384, 1}}, rights: map[rightKey]string{}, partFunctions: map[string]partFunction{}, partSchemes: map[string]partScheme{}, textCatalogs: map[string]textCatalog{}, nextObject: 245575913, nextType: 257}
	for i, n := range []string{"dbo", "guest", "INFORMATION_SCHEMA", "sys"} {
		d.schemas = append(d.schemas, &schema{i + 1, n, 1})
	}
	s.dbs[strings.ToLower(name)] = d
	return d
}

// database is one database.
type database struct {
	name, collation string
	id              int
	created         time.Time
	schemas         []*schema
	objects         map[int64]*object
	many            map[string]int    // how many of each type there are
	names           map[string]int64  // of objects, by schema and name
	parts           map[int64][]int64 // constraints and triggers, by the table's object
	types           map[string]*aliasType
	props           map[propKey]string
	principals      []principal
	members         []member
	rights          map[rightKey]string // G, W with the option to grant, D denied
	partFunctions   map[string]partFunction
	partSchemes     map[string]partScheme
	textCatalogs    map[string]textCatalog
	textDefault     int         // the full-text catalog where none is named
	filegroups      []fileGroup // besides PRIMARY; the first is number 2
	defaultGroup    int         // the number of the default one, 0 for PRIMARY
	nextObject      int64
	nextType        int
	version         int64 // of rows (rowversion)
}

type schema struct {
	id    int
	name  string
	owner int
}

// propKey is what an extended property is of.
type propKey struct {
	class        int // 0 the database, 1 an object or column, 2 a parameter, 3 a schema, 6 a type, 7 an index
	major, minor int64
	name         string
}

// object is a row of sys.objects and what belongs to it.
type object struct {
	id          int64
	schema      *schema
	name        string
	typ         string // U V P FN IF TF TR SO SN PK UQ C F D TT
	parent      int64
	systemNamed bool
	owner       int // 0 for that of the schema
	created     time.Time
	modified    time.Time

	cols         []*column
	indexes      []*index
	nextCol      int
	rows         [][]any
	identity     int64 // the last value, where used
	identityUsed bool
	escalation   string
	large        int    // the data space of its large values, 0 where nothing is said
	memory       string // SCHEMA_AND_DATA or SCHEMA_ONLY of one in memory
	userType     int    // of a table type

	stats     []*statistic
	fulltext  *fulltext // never changed, but replaced
	period    [2]int    // the columns of the period, where it has one
	history   int64     // the table that keeps what was, where one does
	historyOf int64
	retention string // "" for ever

	module *module
	con    *constraint
	seq    *sequence
	syn    string
	trig   *trigger
	policy *policy
}

// column is a column of a table, view or table type.
type column struct {
	id   int
	name string
	dataType
	collation  string
	nullable   bool
	identity   bool
	seed, step int64
	notRepl    bool
	rowGuid    bool
	sparse     bool
	mask       string
	computed   tsql.Expr
	formula    string
	persisted  bool
	hidden     bool
	defaultID  int64
}

type index struct {
	id           int // 0 the heap, 1 the clustered one
	name         string
	columnstore  bool
	hash         bool
	buckets      int64
	unique       bool
	primary, key bool // of a primary or unique key
	disabled     bool
	cols         []indexCol
	filter       string
	where        tsql.Expr
	options      tsql.Options
	compression  string
	space        int      // the partition scheme or filegroup that it lies on, 0 for PRIMARY
	partCol      int      // 0 where it is not partitioned
	special      *special // nil of all but those on XML or in space
}

type indexCol struct {
	col            int // column id
	desc, included bool
}

type module struct {
	text              string
	ansiNulls, quoted bool
	ast               *tsql.Module
}

type constraint struct {
	col                int // of a default, or a check that was written at one
	definition         string
	x                  tsql.Expr
	disabled, untested bool
	notRepl            bool
	// of a foreign key
	parent     int64
	key        int // the index it stands on
	cols, refs []int
	del, upd   string
	index      int // of a key: its index
}

type sequence struct {
	dataType
	start, step, min, max int64
	cycle                 bool
	cache                 int // -1 for the server's own, 0 for none
	current               int64
	used                  bool
}

type trigger struct {
	disabled bool
	first    map[string]bool
	last     map[string]bool
}

func (d *database) fold(s string) string {
	if d.caseSensitive() {
		return s
	}
	return strings.ToLower(s)
}

func (d *database) caseSensitive() bool {
	return strings.Contains(d.collation, "_CS_") || strings.Contains(d.collation, "_BIN")
}

func (d *database) key(schema *schema, name string) string {
	return fmt.Sprint(schema.id, ":", d.fold(name))
}

func (d *database) schema(name string) *schema {
	if name == "" {
		name = "dbo"
	}
	for _, s := range d.schemas {
		if d.fold(s.name) == d.fold(name) {
			return s
		}
	}
	return nil
}

// foreign tells whether a name is that of something in another database, or on another
// server.
func (d *database) foreign(path []string) bool {
	return len(path) > 3 || len(path) > 2 && path[0] != "" && d.fold(path[0]) != d.fold(d.name)
}

// split takes a name of up to three parts apart; the database must be this one.
func (d *database) split(path []string) (schema, name string) {
	name = path[len(path)-1]
	if len(path) > 1 {
		schema = path[len(path)-2]
	}
	if d.foreign(path) {
		panic(fail(unknown, "The stand-in does not reach into another database: %s.", tsql.Path(path)))
	}
	if len(path) > 3 && path[0] != "" {
		panic(fail(7202, "Could not find server '%s' in sys.servers.", path[0]))
	}
	return schema, name
}

// find is an object of one of the types, or nil.
func (d *database) find(path []string, types ...string) *object {
	sn, name := d.split(path)
	s := d.schema(sn)
	if s == nil {
		return nil
	}
	o := d.objects[d.names[d.key(s, name)]]
	if o == nil || len(types) > 0 && !slices.Contains(types, o.typ) {
		return nil
	}
	return o
}

func (d *database) findType(schemaName, name string) *aliasType {
	s := d.schema(schemaName)
	if s == nil {
		return nil
	}
	return d.types[d.key(s, name)]
}

func (d *database) findTableType(schemaName, name string) *object {
	s := d.schema(schemaName)
	if s == nil {
		return nil
	}
	return d.objects[d.names["type:"+d.key(s, name)]]
}

// full is the name of an object with its schema.
func (o *object) full() string { return o.schema.name + "." + o.name }

func (o *object) column(d *database, name string) *column {
	for _, c := range o.cols {
		if c.name == name || d.fold(c.name) == d.fold(name) {
			return c
		}
	}
	return nil
}

func (o *object) byID(id int) *column {
	for _, c := range o.cols {
		if c.id == id {
			return c
		}
	}
	return nil
}

// place is where the values of a column stand in a row.
func (o *object) place(id int) int {
	return slices.IndexFunc(o.cols, func(c *column) bool { return c.id == id })
}

func (o *object) index(d *database, name string) *index {
	for _, i := range o.indexes {
		if i.name != "" && d.fold(i.name) == d.fold(name) {
			return i
		}
	}
	return nil
}

// clone copies an object so that the copy stays as it is whatever becomes of it.
func (o *object) clone() *object {
	c := *o
	c.cols = make([]*column, len(o.cols))
	for i, x := range o.cols {
		y := *x
		c.cols[i] = &y
	}
	c.indexes = make([]*index, len(o.indexes))
	for i, x := range o.indexes {
		y := *x
		y.cols = slices.Clone(x.cols)
		y.options = maps.Clone(x.options)
		c.indexes[i] = &y
	}
	if o.con != nil {
		k := *o.con
		c.con = &k
	}
	if o.seq != nil {
		k := *o.seq
		c.seq = &k
	}
	if o.policy != nil {
		p := *o.policy
		c.policy = &p
	}
	if o.trig != nil {
		c.trig = &trigger{o.trig.disabled, maps.Clone(o.trig.first), maps.Clone(o.trig.last)}
	}
	return &c
}

// put lets a database have an object, and take no longer.
func (d *database) put(o *object) {
	if d.objects[o.id] == nil {
		d.many[o.typ]++
	}
	d.objects[o.id] = o
}

func (d *database) take(o *object) {
	if d.objects[o.id] != nil {
		d.many[o.typ]--
	}
	delete(d.objects, o.id)
}

// list are the objects of some types, by their ids.
func (d *database) list(types ...string) []*object {
	if len(types) > 0 && !slices.ContainsFunc(types, func(t string) bool { return d.many[t] > 0 }) {
		return nil
	}
	var out []*object
	for _, o := range d.objects {
		if len(types) == 0 || slices.Contains(types, o.typ) {
			out = append(out, o)
		}
	}
	slices.SortFunc(out, func(a, b *object) int { return int(a.id - b.id) })
	return out
}

// partsOf are the constraints and triggers of an object.
func (d *database) partsOf(o *object, types ...string) []*object {
	var out []*object
	for _, id := range d.parts[o.id] {
		if p := d.objects[id]; p != nil && (len(types) == 0 || slices.Contains(types, p.typ)) {
			out = append(out, p)
		}
	}
	return out
}

// generated is a name that the server makes: what it is of, cut, and a number that
// no other has.
func generated(prefix, table, column string, id int64, long bool) string {
	cut := func(s string, n int) string {
		r := []rune(s)
		return string(r[:min(n, len(r))])
	}
	h := fnv.New64a()
	fmt.Fprint(h, prefix, table, column, id)
	n := fmt.Sprintf("%08X", uint32(id))
	if long {
		n += fmt.Sprintf("%08X", uint32(h.Sum64()))
	}
	name := prefix + "__" + cut(table, 9) + "__"
	if long {
		for len([]rune(name)) < len(prefix)+2+9+2 {
			name += "_"
		}
	}
	if column != "" {
		name += cut(column, 5) + "__"
	}
	return name + n
}
