package postgres

import (
	"context"
	"fmt"
	"sort"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
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

// Kinds PostgreSQL has besides the common ones.
const (
	kindDomain    catalog.Kind = "domain"
	kindComposite catalog.Kind = "composite"
	kindRange     catalog.Kind = "range"
	kindMatView   catalog.Kind = "materialized-view"
	kindPolicy    catalog.Kind = "policy"
	kindRule      catalog.Kind = "rule"
	kindExclusion catalog.Kind = "exclusion"
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

// reader fills a catalog from the rows of the catalog queries.
type reader struct {
	c       *catalog.Catalog
	version int // as server_version_num
	things  map[address]thing
	rels    map[uint32]*catalog.Object
	relkind map[uint32]string
	types   map[uint32]thing // by oid, arrays too
	cols    map[uint32]map[int16]*catalog.Object
	views   map[uint32][]string // columns of views and composites, in order
	bodies  []body
	classes map[string]uint32 // oids of system catalogs by name
}

type body struct {
	of   thing
	text string
}

type query struct {
	what string
	sql  string
	row  func(pgx.Rows) error
}

// read runs all catalog queries in one round trip inside a transaction.
func read(ctx context.Context, tx interface {
	SendBatch(context.Context, *pgx.Batch) pgx.BatchResults
}, version int) (*catalog.Catalog, error) {
	r := &reader{c: &catalog.Catalog{Engine: "postgres"}, version: version, things: map[address]thing{}, rels: map[uint32]*catalog.Object{},
		relkind: map[uint32]string{}, types: map[uint32]thing{}, cols: map[uint32]map[int16]*catalog.Object{}, views: map[uint32][]string{}, classes: map[string]uint32{}}
	b := &pgx.Batch{}
	qs := r.queries()
	for _, q := range qs {
		b.Queue(q.sql)
	}
	res := tx.SendBatch(ctx, b)
	defer res.Close()
	for _, q := range qs {
		rows, err := res.Query()
		if err != nil {
			return nil, fmt.Errorf("reading %s: %w", q.what, err)
		}
		for rows.Next() {
			if err := q.row(rows); err != nil {
				rows.Close()
				return nil, fmt.Errorf("reading %s: %w", q.what, err)
			}
		}
		if err := rows.Err(); err != nil {
			return nil, fmt.Errorf("reading %s: %w", q.what, err)
		}
	}
	if err := res.Close(); err != nil {
		return nil, err
	}
	r.finish()
	return r.c, nil
}

func (r *reader) queries() []query {
	compression := "NULL::text"
	if r.version >= 140000 {
		compression = "NULLIF(a.attcompression::text, '')"
	}
	multirange := "NULL::text"
	if r.version >= 140000 {
		multirange = "r.rngmultitypid::regtype::text"
	}
	out := []query{
		{"system catalogs", classesSQL(), func(rows pgx.Rows) error {
			var name string
			var oid uint32
			err := rows.Scan(&name, &oid)
			r.classes[name] = oid
			return err
		}},
		{"schemas", schemasSQL + notSystem + " AND " + notMember("pg_namespace", "n.oid"), r.schema},
		{"relations", relationsSQL + notSystem + " AND " + notMember("pg_class", "c.oid"), r.relation},
		{"types", typesSQL + notSystem + " AND " + notMember("pg_type", "t.oid"), r.typ},
		{"columns", fmt.Sprintf(columnsSQL, compression), r.column},
		{"defaults", defaultsSQL, r.columnDefault},
		{"inheritance", inheritsSQL, r.inherits},
		{"constraints", constraintsSQL, r.constraint},
		{"indexes", indexesSQL, r.index},
		{"triggers", triggersSQL, r.trigger},
		{"policies", policiesSQL, r.policy},
		{"rules", rulesSQL, r.rule},
		{"ranges", fmt.Sprintf(rangesSQL, multirange), r.rangeType},
		{"sequences", sequencesSQL, r.sequence},
		{"routines", routinesSQL + notSystem + " AND " + notMember("pg_proc", "p.oid"), r.routine},
	}
	out = append(out, r.simpleQueries()...)
	return append(out, []query{
		{"default privileges", defaultRightsSQL, r.defaultRights},
		{"members of extensions", membersSQL, r.member},
		{"published tables", publishedSQL, r.published},
		{"dependencies", dependSQL, r.depend},
		{"comments", descriptionsSQL, r.comment},
		{"other kinds", fmt.Sprintf(notComparedSQL, notSystem, notMember("pg_proc", "p.oid")), r.notCompared},
	}...)
}

func (r *reader) add(class, oid uint32, o *catalog.Object) {
	r.c.Add(o)
	r.things[address{class, oid, 0}] = thing{o, nil}
	if o.Schema != "" {
		o.Need(catalog.Ref{Kind: catalog.Schema, Name: o.Schema}, catalog.AspectName)
	}
}

func (r *reader) addPart(class, oid uint32, owner, part *catalog.Object) {
	owner.Add(part)
	r.things[address{class, oid, 0}] = thing{owner, part}
}

func owned(o *catalog.Object, owner string, acl []string) {
	o.Optional("owner", "owners", catalog.Scalar(owner))
	o.Optional("grants", "grants", grants(o.Kind, owner, acl))
}

func str(p *string) string {
	if p == nil {
		return ""
	}
	return *p
}

func (r *reader) schema(rows pgx.Rows) error {
	var oid uint32
	var name, owner string
	var acl []string
	if err := rows.Scan(&oid, &name, &owner, &acl); err != nil {
		return err
	}
	o := &catalog.Object{Kind: catalog.Schema, Name: name, Space: "schema"}
	owned(o, owner, acl)
	r.add(pgNamespace, oid, o)
	return nil
}

var relationKinds = map[string]catalog.Kind{"r": catalog.Table, "p": catalog.Table, "v": catalog.View, "m": kindMatView, "S": catalog.Sequence}

func (r *reader) relation(rows pgx.Rows) error {
	var oid, oftype uint32
	var schema, name, kind, persistence, replident, owner string
	var options, toast, acl []string
	var rls, force, populated bool
	var partkey, bound, viewdef, am, tablespace *string
	if err := rows.Scan(&oid, &schema, &name, &kind, &persistence, &options, &toast, &rls, &force, &replident, &populated,
		&partkey, &bound, &viewdef, &am, &tablespace, &owner, &acl, &oftype); err != nil {
		return err
	}
	o := &catalog.Object{Kind: relationKinds[kind], Schema: schema, Name: name, Space: "relation"}
	r.rels[oid], r.relkind[oid] = o, kind
	o.SetIf("unlogged", persistence == "u")
	all := append([]string{}, options...)
	for _, t := range toast {
		all = append(all, "toast."+t)
	}
	if len(all) > 0 {
		o.Set("options", catalog.SetOf(all...))
		o.Carry("written options", catalog.List(all...))
	}
	o.SetIf("row security", rls)
	o.SetIf("row security forced", force)
	switch replident {
	case "f":
		o.Set("replica identity", catalog.Scalar("full"))
	case "n":
		if kind == "r" || kind == "p" {
			o.Set("replica identity", catalog.Scalar("nothing"))
		}
	}
	o.SetText("partition by", str(partkey))
	o.SetText("partition bound", str(bound))
	if am != nil && *am != "heap" {
		o.Set("access method", catalog.Scalar(*am))
	}
	o.SetText("tablespace", str(tablespace))
	if viewdef != nil {
		o.Set("definition", sqlValue(strings.TrimSuffix(strings.TrimRight(*viewdef, " \n"), ";")))
	}
	if kind == "m" && !populated {
		o.Carry("not populated", catalog.Scalar("yes"))
	}
	owned(o, owner, acl)
	r.add(pgClass, oid, o)
	return nil
}

func (r *reader) typ(rows pgx.Rows) error {
	var oid, array, relid uint32
	var schema, name, typtype, owner string
	var notNull bool
	var def, base, collation, relkind *string
	var acl, labels []string
	if err := rows.Scan(&oid, &schema, &name, &typtype, &array, &relid, &notNull, &def, &base, &collation, &owner, &acl, &labels, &relkind); err != nil {
		return err
	}
	o := &catalog.Object{Schema: schema, Name: name, Space: "type"}
	switch typtype {
	case "e":
		o.Kind = catalog.Enum
		o.Set("values", catalog.List(labels...))
	case "d":
		o.Kind = kindDomain
		o.Set("type", catalog.Scalar(str(base)))
		o.SetText("collation", str(collation))
		o.SetIf("not null", notNull)
		if def != nil {
			o.Set("default", sqlValue(*def))
		}
	case "r":
		o.Kind = kindRange
	case "c":
		if str(relkind) != "c" { // the row type of a table or view
			if rel := r.rels[relid]; rel != nil {
				r.types[oid], r.types[array] = thing{rel, nil}, thing{rel, nil}
				r.things[address{pgType, oid, 0}] = thing{rel, nil}
			}
			return nil
		}
		o.Kind, o.Space = kindComposite, "relation"
		r.rels[relid], r.relkind[relid] = o, "c"
		r.things[address{pgClass, relid, 0}] = thing{o, nil}
	}
	owned(o, owner, acl)
	r.add(pgType, oid, o)
	r.types[oid], r.types[array] = thing{o, nil}, thing{o, nil}
	r.things[address{pgType, array, 0}] = thing{o, nil}
	return nil
}

func (r *reader) column(rows pgx.Rows) error {
	var rel uint32
	var num int16
	var name, typ, identity, generated string
	var notNull, local bool
	var collation, storage, compression *string
	var target, inherited int32
	var options, acl []string
	if err := rows.Scan(&rel, &num, &name, &typ, &notNull, &collation, &storage, &compression, &target, &identity, &generated, &local, &inherited, &options, &acl); err != nil {
		return err
	}
	o := r.rels[rel]
	if o == nil {
		return nil
	}
	if k := r.relkind[rel]; k == "v" || k == "m" || k == "c" {
		text := quote(name) + " " + typ
		if collation != nil {
			text += " COLLATE " + *collation
		}
		r.views[rel] = append(r.views[rel], text)
		r.things[address{pgClass, rel, int32(num)}] = thing{o, nil}
		if k != "c" && num > 0 { // columns of views can carry comments
			r.things[address{pgClass, rel, -int32(num)}] = thing{&catalog.Object{Name: name}, nil}
		}
		return nil
	}
	c := &catalog.Object{Kind: catalog.Column, Name: name}
	c.Set("type", catalog.Scalar(typ))
	c.SetText("collation", str(collation))
	c.SetIf("not null", notNull)
	c.SetText("storage", storageNames[str(storage)])
	c.SetText("compression", compressionNames[str(compression)])
	if target >= 0 {
		c.Set("statistics target", catalog.Scalar(strconv.Itoa(int(target))))
	}
	switch identity {
	case "a":
		c.Set("identity", catalog.Scalar("always"))
	case "d":
		c.Set("identity", catalog.Scalar("by default"))
	}
	c.SetText("generated", map[string]string{"s": "stored", "v": "virtual"}[generated])
	if len(options) > 0 {
		c.Set("options", catalog.SetOf(options...))
	}
	if inherited > 0 && !local {
		c.Carry("inherited", catalog.Scalar("yes"))
	}
	if acl != nil {
		c.Optional("grants", "grants", grants(catalog.Column, o.Text("owner"), acl))
	}
	o.Add(c)
	if r.cols[rel] == nil {
		r.cols[rel] = map[int16]*catalog.Object{}
	}
	r.cols[rel][num] = c
	r.things[address{pgClass, rel, int32(num)}] = thing{o, c}
	return nil
}

var storageNames = map[string]string{"p": "plain", "e": "external", "m": "main", "x": "extended"}
var compressionNames = map[string]string{"p": "pglz", "l": "lz4"}

func (r *reader) columnDefault(rows pgx.Rows) error {
	var rel, oid uint32
	var num int16
	var expr string
	if err := rows.Scan(&rel, &num, &expr, &oid); err != nil {
		return err
	}
	if c := r.cols[rel][num]; c != nil {
		name := "default"
		if c.Has("generated") {
			name = "expression"
		}
		c.Set(name, sqlValue(expr))
		r.things[address{pgAttrdef, oid, 0}] = thing{r.rels[rel], c}
	}
	return nil
}

func (r *reader) inherits(rows pgx.Rows) error {
	var child, parent uint32
	if err := rows.Scan(&child, &parent); err != nil {
		return err
	}
	c, p := r.rels[child], r.rels[parent]
	if c == nil || p == nil || c.Kind != catalog.Table {
		return nil
	}
	c.Need(p.Ref(), catalog.AspectRowType)
	name := "inherits"
	if c.Has("partition bound") {
		name = "partition of"
	}
	c.Set(name, catalog.List(append(c.List(name), qualified(p))...))
	return nil
}

var constraintKinds = map[string]catalog.Kind{"p": catalog.PrimaryKey, "u": catalog.Unique, "c": catalog.Check, "f": catalog.ForeignKey, "x": kindExclusion}

func (r *reader) constraint(rows pgx.Rows) error {
	var oid, rel, typ, parent, index uint32
	var name, contype, def string
	var deferrable, deferred, validated, local bool
	var inherited int32
	var key []int16
	if err := rows.Scan(&oid, &rel, &typ, &name, &contype, &deferrable, &deferred, &validated, &local, &inherited, &parent, &index, &def, &key); err != nil {
		return err
	}
	owner := r.rels[rel]
	if rel == 0 {
		owner = r.types[typ].owner
	}
	if owner == nil {
		return nil
	}
	if parent != 0 || inherited > 0 && !local {
		// It comes with the parent's; what needs it needs the table.
		r.things[address{pgConstraint, oid, 0}] = thing{owner, nil}
		return nil
	}
	o := &catalog.Object{Kind: constraintKinds[contype], Name: name, Space: ""}
	// The printed definition ends in what is kept as facts of its own.
	for _, tail := range []string{" NOT VALID", " INITIALLY DEFERRED", " DEFERRABLE"} {
		def = strings.TrimSuffix(def, tail)
	}
	o.Set("definition", sqlValue(def))
	o.SetIf("deferrable", deferrable)
	o.SetIf("initially deferred", deferred)
	o.SetIf("not valid", !validated)
	o.Twin = canonical(def)
	if contype == "p" || contype == "u" || contype == "x" {
		o.Space = "relation"
	}
	for _, n := range key {
		if c := r.cols[rel][n]; c != nil {
			o.Need(owner.PartRef(c), catalog.AspectType)
		}
	}
	r.addPart(pgConstraint, oid, owner, o)
	return nil
}

func (r *reader) index(rows pgx.Rows) error {
	var oid, rel uint32
	var name, def string
	var unique, clustered, replident, valid, attached bool
	var con *uint32
	var tablespace *string
	var key []int16
	var options []string
	if err := rows.Scan(&oid, &rel, &name, &unique, &def, &clustered, &replident, &valid, &attached, &con, &tablespace, &key, &options); err != nil {
		return err
	}
	owner := r.rels[rel]
	if owner == nil {
		return nil
	}
	flags := func(o *catalog.Object) {
		o.SetIf("clustered", clustered)
		o.SetIf("replica identity", replident)
		o.SetText("tablespace", str(tablespace))
	}
	if con != nil {
		t := r.things[address{pgConstraint, *con, 0}]
		if t.part != nil {
			flags(t.part)
			if len(options) > 0 { // an index prints them in its definition
				t.part.Set("options", catalog.SetOf(options...))
				t.part.Carry("written options", catalog.List(options...))
			}
		}
		r.things[address{pgClass, oid, 0}] = t
		return nil
	}
	if attached {
		r.things[address{pgClass, oid, 0}] = thing{owner, nil}
		return nil
	}
	o := &catalog.Object{Kind: catalog.Index, Name: name, Space: "relation"}
	o.SetIf("unique", unique)
	def = afterUsing(def)
	o.Set("definition", sqlValue(def))
	flags(o)
	o.SetIf("invalid", !valid && r.relkind[rel] != "p")
	o.Twin = fmt.Sprint(unique, canonical(def))
	for _, n := range key {
		if c := r.cols[rel][n]; c != nil {
			o.Need(owner.PartRef(c), catalog.AspectType)
		}
	}
	r.addPart(pgClass, oid, owner, o)
	return nil
}

// afterUsing is an index definition from USING on: without the names.
func afterUsing(def string) string {
	for _, t := range sqltext.Lex(sqltext.Postgres, def) {
		if t.Is("using") {
			return def[t.Pos:]
		}
	}
	return def
}

var enabledNames = map[string]string{"D": "disabled", "R": "replica", "A": "always"}

func (r *reader) trigger(rows pgx.Rows) error {
	var oid, rel uint32
	var name, def, enabled string
	var clone bool
	if err := rows.Scan(&oid, &rel, &name, &def, &enabled, &clone); err != nil {
		return err
	}
	owner := r.rels[rel]
	if owner == nil {
		return nil
	}
	o := &catalog.Object{Kind: catalog.Trigger, Name: name}
	if clone { // it comes with the parent's; only its state is its own
		o.Carry("clone", catalog.Scalar("yes"))
	} else {
		o.Set("definition", sqlValue(def))
	}
	o.SetText("enabled", enabledNames[enabled])
	r.addPart(pgTrigger, oid, owner, o)
	return nil
}

var policyCommands = map[string]string{"*": "all", "r": "select", "a": "insert", "w": "update", "d": "delete"}

func (r *reader) policy(rows pgx.Rows) error {
	var oid, rel uint32
	var name, cmd string
	var permissive bool
	var roles []string
	var using, check *string
	if err := rows.Scan(&oid, &rel, &name, &permissive, &cmd, &roles, &using, &check); err != nil {
		return err
	}
	owner := r.rels[rel]
	if owner == nil {
		return nil
	}
	o := &catalog.Object{Kind: kindPolicy, Name: name}
	o.SetIf("restrictive", !permissive)
	o.Set("command", catalog.Scalar(policyCommands[cmd]))
	o.Set("roles", catalog.SetOf(roles...))
	if using != nil {
		o.Set("using", sqlValue(*using))
	}
	if check != nil {
		o.Set("with check", sqlValue(*check))
	}
	r.addPart(pgPolicy, oid, owner, o)
	return nil
}

func (r *reader) rule(rows pgx.Rows) error {
	var oid, rel uint32
	var name, enabled string
	var def *string
	if err := rows.Scan(&oid, &rel, &name, &def, &enabled); err != nil {
		return err
	}
	owner := r.rels[rel]
	if owner == nil {
		return nil
	}
	if def == nil { // the rule that makes a view a view
		r.things[address{pgRewrite, oid, 0}] = thing{owner, nil}
		return nil
	}
	o := &catalog.Object{Kind: kindRule, Name: name}
	o.Set("definition", sqlValue(strings.TrimSuffix(strings.TrimSpace(*def), ";")))
	o.SetText("enabled", enabledNames[enabled])
	r.addPart(pgRewrite, oid, owner, o)
	return nil
}

func (r *reader) rangeType(rows pgx.Rows) error {
	var oid uint32
	var subtype string
	var opclass, collation, canonical, diff, multi *string
	if err := rows.Scan(&oid, &subtype, &opclass, &collation, &canonical, &diff, &multi); err != nil {
		return err
	}
	if o := r.types[oid].owner; o != nil {
		o.Set("subtype", catalog.Scalar(subtype))
		o.SetText("subtype opclass", str(opclass))
		o.SetText("collation", str(collation))
		o.SetText("canonical", str(canonical))
		o.SetText("subtype diff", str(diff))
		o.SetText("multirange type", str(multi))
	}
	return nil
}

func (r *reader) sequence(rows pgx.Rows) error {
	var oid uint32
	var typ string
	var start, inc, minv, maxv, cache int64
	var cycle bool
	var table *uint32
	var col *int32
	var dep *string
	if err := rows.Scan(&oid, &typ, &start, &inc, &minv, &maxv, &cache, &cycle, &table, &col, &dep); err != nil {
		return err
	}
	o := r.rels[oid]
	if o == nil {
		return nil
	}
	n := func(v int64) catalog.Value { return catalog.Scalar(strconv.FormatInt(v, 10)) }
	o.Set("type", catalog.Scalar(typ))
	o.Set("start", n(start)).Set("increment", n(inc)).Set("minimum", n(minv)).Set("maximum", n(maxv)).Set("cache", n(cache))
	o.SetIf("cycle", cycle)
	if table == nil {
		return nil
	}
	c := r.cols[*table][int16(*col)]
	if c == nil {
		return nil
	}
	if *dep == "i" { // the sequence of an identity column is a fact of the column
		c.Set("identity sequence", catalog.List(sequenceOptions(o)...))
		c.Carry("identity sequence name", catalog.Scalar(qualified(o)))
		c.Carry("identity sequence bare name", catalog.Scalar(o.Name))
		r.things[address{pgClass, oid, 0}] = thing{r.rels[*table], c}
		o.Name = ""
		return nil
	}
	o.Set("owned by", catalog.Scalar(qualified(r.rels[*table])+"."+quote(c.Name)))
	o.Carry("owner column", catalog.List(r.rels[*table].Schema, r.rels[*table].Name, c.Name))
	return nil
}

func (r *reader) routine(rows pgx.Rows) error {
	var oid uint32
	var schema, name, args, kind, def, src, lang, owner, types string
	var result *string
	var argnames, acl []string
	var defaults int32
	if err := rows.Scan(&oid, &schema, &name, &args, &kind, &def, &result, &argnames, &defaults, &src, &lang, &owner, &acl, &types); err != nil {
		return err
	}
	o := &catalog.Object{Kind: catalog.Routine, Schema: schema, Name: name + "(" + types + ")", Space: "routine"}
	o.SetIf("procedure", kind == "p")
	o.Set("definition", sqlValue(strings.TrimRight(def, " \n")))
	o.Carry("routine name", catalog.Scalar(name))
	o.Carry("arguments", catalog.Scalar(args))
	o.Carry("argument names", catalog.List(argnames...))
	o.Carry("argument defaults", catalog.Scalar(strconv.Itoa(int(defaults))))
	o.Carry("result", catalog.Scalar(str(result)))
	owned(o, owner, acl)
	r.add(pgProc, oid, o)
	if src != "" && lang != "c" && lang != "internal" {
		r.bodies = append(r.bodies, body{thing{o, nil}, src})
	}
	return nil
}

func (r *reader) depend(rows pgx.Rows) error {
	var class, oid, refclass, refoid uint32
	var sub, refsub int32
	if err := rows.Scan(&class, &oid, &sub, &refclass, &refoid, &refsub); err != nil {
		return err
	}
	t, ok := r.things[address{class, oid, sub}]
	if !ok {
		return nil
	}
	on, ok := r.things[address{refclass, refoid, refsub}]
	if !ok || on.owner == nil || t.owner == nil || on == t {
		return nil
	}
	if t.part == nil && on.owner == t.owner || refclass == pgNamespace || t.owner.Kind == catalog.Sequence && on.part != nil {
		return nil
	}
	aspect := catalog.AspectName
	switch {
	case refsub > 0:
		aspect = catalog.AspectType
	case refclass == pgProc:
		aspect = catalog.AspectSignature
	case refclass == pgClass || refclass == pgType:
		aspect = catalog.AspectRowType
	}
	need := catalog.Need{On: on.ref(), Aspect: aspect}
	o := t.self()
	if o.Kind == catalog.Column && !o.Has("generated") {
		need.Fact = "type"
		if class == pgAttrdef {
			need.Fact = "default"
		}
	}
	for _, n := range o.Needs {
		if n.On == need.On && n.Fact == need.Fact {
			return nil
		}
	}
	o.Needs = append(o.Needs, need)
	return nil
}

func (r *reader) comment(rows pgx.Rows) error {
	var class, oid uint32
	var sub int32
	var text string
	if err := rows.Scan(&class, &oid, &sub, &text); err != nil {
		return err
	}
	if class == pgClass && sub > 0 {
		if col, ok := r.things[address{pgClass, oid, -sub}]; ok { // of a view
			o := r.rels[oid]
			o.Set("column comments", catalog.SetOf(append(o.List("column comments"), quote(col.owner.Name)+": "+text)...))
			return nil
		}
		if r.relkind[oid] == "c" {
			return nil
		}
	}
	t, ok := r.things[address{class, oid, sub}]
	if !ok || t.owner == nil {
		return nil
	}
	o := t.self()
	if o.Kind == catalog.Schema && o.Name == "public" && text == "standard public schema" {
		return nil
	}
	if class == pgClass && o.Kind != catalog.Index && t.part != nil && sub == 0 {
		// on the index behind a constraint
		o.Set("index comment", catalog.Scalar(text))
		return nil
	}
	if class == pgType && o.Kind == catalog.Table {
		return nil
	}
	o.Set("comment", catalog.Scalar(text))
	return nil
}

func (r *reader) notCompared(rows pgx.Rows) error {
	var kind string
	var n int64
	if err := rows.Scan(&kind, &n); err != nil {
		return err
	}
	r.c.Gaps = append(r.c.Gaps, catalog.Gap{Kind: catalog.Kind(strings.ReplaceAll(kind, " ", "-")), Why: fmt.Sprintf("%d of them; this kind is not read", n)})
	return nil
}

// finish does what needs the whole catalog.
func (r *reader) finish() {
	for rel, cols := range r.views {
		o := r.rels[rel]
		if o.Kind == kindComposite {
			o.Set("attributes", catalog.List(cols...))
		} else {
			o.Carry("columns", catalog.List(cols...))
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
	r.c.Sort()
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
			byName[bareName(o)] = append(byName[bareName(o)], o.Ref())
		}
	}
	for _, b := range r.bodies {
		seen := map[catalog.Ref]bool{b.of.ref(): true}
		for _, n := range b.of.self().Needs {
			seen[n.On] = true
		}
		for _, t := range sqltext.Lex(sqltext.Postgres, b.text) {
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
