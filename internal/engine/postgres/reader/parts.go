package reader

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/vocab"
)

// column is the column with an attribute number, or nil.
func (rel *relation) column(num int) *column {
	if rel == nil || num < 1 || num > len(rel.columns) || rel.columns[num-1].name == "" {
		return nil
	}
	return &rel.columns[num-1]
}

func (r *reader) column(w *row) {
	oid, num := w.oid(), int(w.int())
	if oid != r.lastOid { // the columns of a table mostly come together
		r.lastOid, r.last = oid, r.rels[oid]
	}
	rel := r.last
	if rel == nil {
		return
	}
	for len(rel.columns) < num {
		rel.columns = append(rel.columns, column{})
	}
	c := &rel.columns[num-1]
	c.name, c.typ = w.name(), typeKey{w.oid(), int32(w.int())}
	if !vocab.IsTable(rel.object.Kind) {
		r.typesSeen[c.typ] = true
	} else {
		c.object = r.object()
		c.object.Kind, c.object.Name = catalog.Column, c.name
		c.object.Properties = r.columnFacts(c.typ, w.bool())
	}
	if w.at = 6; !w.isNull() {
		r.rare(rel, c, w.elements())
	}
}

// sharedKey stands for the facts of a column that many columns have alike.
type sharedKey struct {
	typ     typeKey
	notNull bool
}

// columnFacts are the facts nearly every column has. Columns that are alike
// share them: to add to them copies.
func (r *reader) columnFacts(typ typeKey, notNull bool) []catalog.Property {
	key := sharedKey{typ, notNull}
	if l, ok := r.shared[key]; ok {
		return l
	}
	o := &catalog.Object{}
	o.Set("type", catalog.Scalar("")) // see columnTypes
	r.typesSeen[typ] = true
	o.SetIf("not null", notNull)
	r.shared[key] = slices.Clip(slices.Clone(o.Properties))
	return r.shared[key]
}

// columnTypes asks for the names of the types that columns have, and gives
// the tables their columns, in order.
func (r *reader) columnTypes(ctx context.Context, conn Conn) error {
	var oids []uint32
	var mods []int32
	for k := range r.typesSeen {
		oids, mods = append(oids, k.oid), append(mods, k.mod)
	}
	rows, err := conn.Query(ctx, columnTypesSQL, oids, mods)
	if err != nil {
		return fmt.Errorf("reading types of columns: %w", err)
	}
	names := map[typeKey]string{}
	w := &row{}
	for rows.Next() {
		w.vals, w.at = rows.RawValues(), 0
		k := typeKey{w.oid(), int32(w.int())}
		names[k] = w.text()
	}
	if err := rows.Err(); err != nil {
		return fmt.Errorf("reading types of columns: %w", err)
	}
	for k, facts := range r.shared {
		facts[0].Value.Text = names[k.typ]
	}
	for _, rel := range r.rels {
		for i := range rel.columns {
			c := &rel.columns[i]
			switch {
			case c.object != nil:
				c.object.Properties[0].Value.Text = names[c.typ] // where it was copied
				rel.object.Add(c.object)
			case c.name != "":
				c.text = vocab.Quote(c.name) + " " + names[c.typ] + c.text
			}
		}
	}
	return nil
}

var storageNames = map[string]string{"p": "plain", "e": "external", "m": "main", "x": "extended"}
var compressionNames = map[string]string{"p": "pglz", "l": "lz4"}

// rare notes what few columns have.
func (r *reader) rare(rel *relation, c *column, facts [][]byte) {
	text := func(i int) string { return string(facts[i]) }
	list := func(i int) []string {
		if facts[i] == nil {
			return nil
		}
		return strings.Split(text(i), "\x01")
	}
	c.collated = facts[0] != nil
	o := c.object
	if o == nil {
		if c.collated {
			c.text = " COLLATE " + text(0)
		}
		if view := rel.object; view.Kind == catalog.View || view.Kind == vocab.MatView {
			viewColumn(view, vocab.Quote(c.name), map[string]string{"STORAGE": storageNames[text(1)], "COMPRESSION": compressionNames[text(2)], "STATISTICS": text(3)}, list(4), list(5))
		}
		return
	}
	o.SetText("collation", text(0))
	o.SetText("storage", storageNames[text(1)])
	o.SetText("compression", compressionNames[text(2)])
	if n := text(3); n != "" && n != "-1" {
		o.Set("statistics target", catalog.Scalar(n))
	}
	if facts[4] != nil {
		o.Set("options", catalog.SetOf(list(4)...))
	}
	o.SetText("identity", map[string]string{"a": "always", "d": "by default"}[text(6)])
	o.SetText("generated", map[string]string{"s": "stored", "v": "virtual"}[text(7)])
	if facts[8] != nil {
		o.Carry("inherited", catalog.Scalar("yes"))
	}
	if l := options(list(9)); len(l) > 0 {
		o.Set("foreign options", catalog.SetOf(l...))
	}
	if facts[5] != nil {
		o.Optional("grants", "grants", vocab.Grants(catalog.Column, rel.object.Text("owner"), list(5)))
	}
}

// viewColumn notes what a column of a view has of its own: how a materialized
// one keeps it, and who may use it.
func viewColumn(view *catalog.Object, name string, set map[string]string, options, acl []string) {
	settings := view.List("column settings")
	for word, value := range set {
		if view.Kind == vocab.MatView && value != "" && value != "-1" {
			settings = append(settings, name+" "+word+" "+value)
		}
	}
	for _, o := range options {
		settings = append(settings, name+" "+o)
	}
	if len(settings) > 0 {
		view.Set("column settings", catalog.SetOf(settings...))
	}
	if acl != nil {
		grants := view.List("column grants")
		for _, g := range vocab.Grants(catalog.Column, view.Text("owner"), acl).Items {
			grants = append(grants, name+" "+g)
		}
		view.Optional("column grants", "grants", catalog.SetOf(grants...))
	}
}

func (r *reader) columnDefault(w *row) {
	oid, rel, num := w.oid(), w.oid(), int(w.int())
	c := r.rels[rel].column(num)
	if c == nil {
		return
	}
	o := c.object
	if o == nil { // of a view
		r.rels[rel].viewDefault(c, w.text())
		return
	}
	r.note(pgAttrdef, oid, thing{r.rels[rel].object, o})
	if !w.isNull() {
		if o.Has("generated") { // over no column
			o.Set("expression", sqlValue(w.text()))
		} else {
			r.setDefault(o, w.name())
		}
		return
	}
	w.next()
	r.wait(unread{of: thing{r.rels[rel].object, o}, rel: r.rels[rel], fact: "expression", class: pgAttrdef, oid: oid}, "generated", w.next())
}

// setDefault adds a default to the facts of a column, which it shares with
// columns that are alike in this, too.
func (r *reader) setDefault(o *catalog.Object, text string) {
	key := defaultKey{&o.Properties[0], len(o.Properties), text}
	if l, ok := r.defaults[key]; ok {
		o.Properties = l
		return
	}
	o.Set("default", sqlValue(text))
	o.Properties = slices.Clip(o.Properties)
	r.defaults[key] = o.Properties
}

// defaultKey is what columns had before their default, and that.
type defaultKey struct {
	facts *catalog.Property
	n     int
	text  string
}

// viewDefault notes the default that a view gives a column (PostgreSQL: ALTER
// VIEW, SET DEFAULT).
func (rel *relation) viewDefault(c *column, expr string) {
	o := rel.object
	o.Set("column defaults", catalog.SetOf(append(o.List("column defaults"), vocab.Quote(c.name)+" "+expr)...))
}

func (r *reader) inherits(w *row) {
	childOid, parentOid := w.oid(), w.oid()
	r.attached[childOid] = parentOid
	child, parent := r.rels[childOid], r.rels[parentOid]
	if child == nil || parent == nil || !vocab.IsTable(child.object.Kind) {
		return
	}
	c, p := child.object, parent.object
	c.Need(p.Ref(), catalog.AspectRowType)
	name := "inherits"
	if c.Has("partition bound") {
		name = "partition of"
	}
	c.Set(name, catalog.List(append(c.List(name), vocab.Qualified(p))...))
}

var constraintKinds = map[string]catalog.Kind{"p": catalog.PrimaryKey, "u": catalog.Unique, "c": catalog.Check, "f": catalog.ForeignKey, "x": vocab.Exclusion}

// constraint is a row of pg_constraint as far as a definition is made of it.
type constraint struct {
	kind                  string
	key, far, set         []int
	update, delete, match string
	noInherit, period     bool
	table, other          *relation
	index                 *index
}

func (r *reader) constraint(w *row) {
	oid, rel, typ, name, contype := w.oid(), w.oid(), w.oid(), w.text(), w.text()
	deferrable, deferred, valid, local, inherited, parent, indexOid := w.bool(), w.bool(), w.bool(), w.bool(), w.bool(), w.oid(), w.oid()
	k := &constraint{kind: contype, table: r.rels[rel], other: r.rels[w.oid()], key: w.numbers(), far: w.numbers(), update: w.text(), delete: w.text(), match: w.text(),
		noInherit: w.bool(), set: w.numbers(), period: w.bool()}
	enforced, tree := w.bool(), w.next()
	var owner *catalog.Object
	if k.table != nil {
		owner = k.table.object
	} else if rel == 0 {
		owner = r.types[typ].owner
	}
	if owner == nil {
		return
	}
	if contype == "n" {
		r.notNull(k, name, valid, inherited)
		return
	}
	k.index = r.indexes[indexOid]
	if parent != 0 || inherited && !local {
		// It comes and goes with the parent's.
		if parent != 0 {
			r.clones[oid] = parent
			r.copies[address{pgConstraint, oid, 0}] = owner
			r.labels[address{pgConstraint, oid, 0}] = r.labels[address{pgConstraint, parent, 0}]
		}
		if kind := constraintKinds[contype]; !r.lazy && (parent != 0 || contype == "c") {
			r.copied = append(r.copied, copied{owner, kind, name, address{pgConstraint, parent, 0}})
		}
		if contype != "f" && k.index != nil {
			k.index.constraint = &thing{owner, nil}
		}
		return
	}
	if k.table != nil && k.table.kind == "p" {
		r.labels[address{pgConstraint, oid, 0}] = string(constraintKinds[contype]) + " " + vocab.Quote(name)
	}
	o := r.object()
	o.Kind, o.Name = constraintKinds[contype], name
	if contype == "p" || contype == "u" || contype == "x" {
		o.Space = "relation"
	}
	r.addPart(pgConstraint, oid, owner, o)
	if contype != "f" && k.index != nil {
		k.index.constraint = &thing{owner, o}
	}
	if def := r.definition(k); def != "" {
		o.Set("definition", sqlValue(def))
	} else {
		u := unread{of: thing{owner, o}, rel: k.table, fact: "definition", class: pgConstraint, oid: oid}
		prefix := ""
		if contype == "c" {
			prefix = map[bool]string{false: "check", true: "check no inherit"}[k.noInherit]
		}
		r.wait(u, prefix, tree)
	}
	o.SetIf("deferrable", deferrable)
	o.SetIf("initially deferred", deferred)
	o.SetIf("not enforced", !enforced)
	o.SetIf("not valid", !valid && enforced)
	if !r.lazy {
		for _, n := range k.key {
			if c := k.table.column(n); c != nil && c.object != nil {
				o.Need(owner.PartRef(c.object), catalog.AspectType)
			}
		}
	}
}

// notNull notes what PostgreSQL 18 knows of a NOT NULL: a name of its own,
// and whether it is valid and inherited.
func (r *reader) notNull(k *constraint, name string, valid, inherited bool) {
	if k.table == nil || len(k.key) != 1 {
		return
	}
	c := k.table.column(k.key[0])
	if c == nil || c.object == nil {
		return
	}
	if usual := vocab.NotNullName(k.table.object.Name, c.name); name != usual && len(usual) < 64 {
		if inherited { // named like the parent's
			c.object.Carry("inherited not null name", catalog.Scalar(name))
			return
		}
		c.object.Set("not null name", catalog.Scalar(name))
	}
	c.object.SetIf("not null not valid", !valid)
	c.object.SetIf("not null no inherit", k.noInherit)
}

var keyActions = map[string]string{"r": "RESTRICT", "c": "CASCADE", "n": "SET NULL", "d": "SET DEFAULT"}

// definition puts a key together as pg_get_constraintdef does, or answers ""
// where only the server can.
func (r *reader) definition(k *constraint) string {
	names := func(rel *relation, key []int, last string) (string, bool) {
		out := make([]string, len(key))
		for i, n := range key {
			c := rel.column(n)
			if c == nil {
				return "", false
			}
			out[i] = vocab.Quote(c.name)
		}
		if n := len(out) - 1; last != "" && k.period {
			out[n] = strings.ReplaceAll(last, "$", out[n])
		}
		return strings.Join(out, ", "), true
	}
	switch k.kind {
	case "p", "u":
		if k.index == nil {
			return ""
		}
		cols, ok := names(k.table, k.key, "$ WITHOUT OVERLAPS")
		def := "PRIMARY KEY ("
		if k.kind == "u" {
			def = "UNIQUE ("
			if k.index.nullsNotDistinct {
				def = "UNIQUE NULLS NOT DISTINCT ("
			}
		}
		def += cols + ")"
		if more := k.index.columns[k.index.keys:]; ok && len(more) > 0 {
			var inc string
			inc, ok = names(k.table, more, "")
			def += " INCLUDE (" + inc + ")"
		}
		if !ok {
			return ""
		}
		return def
	case "f":
		near, ok := names(k.table, k.key, "PERIOD $")
		far, found := names(k.other, k.far, "PERIOD $")
		if !ok || !found {
			return ""
		}
		def := fmt.Sprintf("FOREIGN KEY (%s) REFERENCES %s(%s)", near, vocab.Qualified(k.other.object), far)
		if k.match == "f" {
			def += " MATCH FULL"
		}
		if a := keyActions[k.update]; a != "" {
			def += " ON UPDATE " + a
		}
		if a := keyActions[k.delete]; a != "" {
			def += " ON DELETE " + a
		}
		if len(k.set) > 0 {
			cols, ok := names(k.table, k.set, "")
			if !ok {
				return ""
			}
			def += " (" + cols + ")"
		}
		return def
	}
	return ""
}

// index is a row of pg_index on the way to a part, or to facts of a
// constraint.
type index struct {
	oid                               uint32
	table                             *relation
	name, method, tablespace          string
	unique, nullsNotDistinct, invalid bool
	clustered, replicaIdentity        bool
	keys                              int
	columns, classes, collations      []int
	options                           []int
	parameters                        []string
	exprs, pred                       []byte
	constraint                        *thing
}

func (r *reader) index(w *row) {
	x := &index{oid: w.oid(), table: r.rels[w.oid()]}
	if x.table == nil {
		return
	}
	x.name, x.method, x.unique, x.clustered, x.replicaIdentity, x.invalid, x.keys = w.text(), r.small[w.oid()], w.bool(), w.bool(), w.bool(), !w.bool(), int(w.int())
	x.columns, x.classes, x.collations, x.options, x.nullsNotDistinct = w.vector(), w.vector(), w.vector(), w.vector(), w.bool()
	x.parameters, x.tablespace, x.exprs, x.pred = w.texts(), r.small[w.oid()], slices.Clone(w.next()), slices.Clone(w.next())
	r.indexes[x.oid] = x
	r.indexOrder = append(r.indexOrder, x)
}

type opclass struct {
	name  string
	typ   uint32
	plain bool // the default of its type
}

func (r *reader) opclass(w *row) { r.opclasses[w.oid()] = opclass{w.text(), w.oid(), w.bool()} }

// indexParts makes parts of the indexes that are no constraint's.
func (r *reader) indexParts() {
	// A constraint that a partition has because the table it belongs to has one,
	// or that a key to a partitioned table has for each partition, is no more
	// than that one: who needs it needs that one, and what it needs is what that
	// one needs.
	for oid, parent := range r.clones {
		for r.clones[parent] != 0 {
			parent = r.clones[parent]
		}
		if t, ok := r.things[pgConstraint][parent]; ok {
			r.note(pgConstraint, oid, t)
		}
	}
	for _, x := range r.indexOrder {
		owner := x.table.object
		flags := func(o *catalog.Object) {
			o.SetIf("clustered", x.clustered)
			o.SetIf("replica identity", x.replicaIdentity)
			o.SetText("tablespace", x.tablespace)
		}
		if t := x.constraint; t != nil {
			if t.part != nil {
				flags(t.part)
				if len(x.parameters) > 0 { // an index prints them in its definition
					t.part.Set("options", catalog.SetOf(x.parameters...))
					t.part.Carry("written options", catalog.List(x.parameters...))
				}
			}
			if t.part != nil && (!r.lazy || r.commented[x.oid]) {
				r.note(pgClass, x.oid, *t)
			}
			continue
		}
		if r.attached[x.oid] != 0 {
			continue
		}
		o := r.object()
		o.Kind, o.Name, o.Space = catalog.Index, x.name, "relation"
		o.SetIf("unique", x.unique)
		r.addPart(pgClass, x.oid, owner, o)
		if def, ok := r.plainIndex(x); ok {
			o.Set("definition", catalog.PlainSQL(def))
		} else {
			r.wait(unread{of: thing{owner, o}, rel: x.table, fact: "definition", class: pgClass, oid: x.oid}, r.indexKey(x), x.exprs, x.pred)
		}
		flags(o)
		if l := r.indexStats[x.oid]; l != nil {
			o.Set("statistics targets", catalog.SetOf(l...))
		}
		o.SetDefect("invalid", x.invalid && x.table.kind != "p")
		if r.lazy {
			continue
		}
		for _, n := range x.columns {
			if c := x.table.column(n); c != nil && c.object != nil {
				o.Need(owner.PartRef(c.object), catalog.AspectType)
			}
		}
	}
	for _, x := range r.indexOrder { // and those of partitions, which are the root's
		root := x.oid
		for n := 0; r.attached[root] != 0 && n < len(r.attached); n++ {
			root = r.attached[root]
		}
		if root == x.oid {
			continue
		}
		r.copies[address{pgClass, x.oid, 0}] = x.table.object
		r.ownOfCopy(x, r.indexes[root])
		if t, ok := r.things[pgClass][root]; ok {
			r.note(pgClass, x.oid, t)
			if !r.lazy && x.constraint == nil {
				r.copied = append(r.copied, copied{x.table.object, catalog.Index, x.name, address{pgClass, root, 0}})
			}
		}
	}
	r.noteCopied()
}

// ownOfCopy notes what a partition's copy of an index has of its own. One that is
// called after its table was named by the server.
func (r *reader) ownOfCopy(x, root *index) {
	if root == nil {
		return
	}
	label := string(catalog.Index) + " " + vocab.Quote(root.name)
	if t := root.constraint; t != nil && t.part != nil {
		label = string(t.part.Kind) + " " + vocab.Quote(t.part.Name)
	}
	r.labels[address{pgClass, x.oid, 0}] = label
	own := func(is bool, what string) {
		if is {
			r.owns[x.table.object] = append(r.owns[x.table.object], label+" "+what)
		}
	}
	own(x.clustered, "clustered")
	own(x.replicaIdentity, "replica identity")
	own(!slices.Equal(x.parameters, root.parameters), "options "+strings.Join(x.parameters, ", "))
	table := x.table.object.Name
	own(!strings.HasPrefix(x.name, table[:min(len(table), 24)]), "name "+vocab.Quote(x.name))
}

// copied is a constraint or index that a table has because one it belongs to
// has it: it keeps that when it no longer belongs there.
type copied struct {
	table *catalog.Object
	kind  catalog.Kind
	name  string
	of    address // no oid where its own name tells which
}

// noteCopied carries with each table what it has of others.
func (r *reader) noteCopied() {
	for _, k := range r.copied {
		entry := string(k.kind) + " " + vocab.Quote(k.name)
		if k.of.oid != 0 {
			of, ok := r.thing(k.of)
			if !ok || of.part == nil || of.owner == k.table { // of a partition that is referred to
				continue
			}
			entry += " " + vocab.Quote(of.part.Name)
		}
		k.table.Carry("copies", catalog.SetOf(append(k.table.List("copies"), entry)...))
	}
}

// defaultCollation is the collation a type has that says nothing else.
const defaultCollation = 100

// Types whose default operator class another type shares.
const (
	textType    = 25
	varcharType = 1043
	anyEnum     = 3500
)

// usual tells whether the operator class is the one a column of the type gets
// by itself.
func (r *reader) usual(class int, typ uint32) bool {
	c := r.opclasses[uint32(class)]
	if !c.plain {
		return false
	}
	if c.typ == anyEnum {
		o := r.types[typ].owner
		return o != nil && o.Kind == catalog.Enum
	}
	return c.typ == typ || c.typ == textType && typ == varcharType
}

// plainIndex writes the definition of an index over columns alone as
// pg_get_indexdef does.
func (r *reader) plainIndex(x *index) (string, bool) {
	if x.exprs != nil || x.pred != nil || len(x.parameters) > 0 || r.parameters[x.oid] {
		return "", false
	}
	var b strings.Builder
	b.WriteString("USING " + vocab.Quote(x.method) + " (")
	for i, n := range x.columns {
		c := x.table.column(n)
		if c == nil {
			return "", false
		}
		switch {
		case i == x.keys:
			b.WriteString(") INCLUDE (")
		case i > 0:
			b.WriteString(", ")
		}
		b.WriteString(vocab.Quote(c.name))
		if i >= x.keys {
			continue
		}
		if !r.usual(x.classes[i], c.typ.oid) || c.collated || x.collations[i] != 0 && x.collations[i] != defaultCollation {
			return "", false
		}
		const descending, nullsFirst = 1, 2
		switch x.options[i] & (descending | nullsFirst) {
		case descending:
			b.WriteString(" DESC NULLS LAST")
		case nullsFirst:
			b.WriteString(" NULLS FIRST")
		case descending | nullsFirst:
			b.WriteString(" DESC")
		}
	}
	b.WriteString(")")
	if x.nullsNotDistinct {
		b.WriteString(" NULLS NOT DISTINCT")
	}
	return b.String(), true
}

// indexKey is what of an index is not in its expressions, or "" where oids
// stand for what has no name here.
func (r *reader) indexKey(x *index) string {
	var b strings.Builder
	fmt.Fprint(&b, "index ", x.method, x.keys, x.options, x.nullsNotDistinct, x.parameters)
	for i, n := range x.columns {
		if c := x.table.column(n); c != nil {
			b.WriteString(strconv.Quote(c.name))
		} else {
			fmt.Fprint(&b, " expression", n)
		}
		if i < x.keys {
			if x.collations[i] >= firstInitOid {
				return ""
			}
			b.WriteString(r.opclasses[uint32(x.classes[i])].name)
			b.WriteString(strconv.Itoa(x.collations[i]))
		}
	}
	if r.parameters[x.oid] {
		return ""
	}
	return b.String()
}

// afterUsing is an index definition from USING on: without the names.
func afterUsing(def string) string {
	for _, t := range sqltext.Lex(vocab.Dialect, def) {
		if t.Is("using") {
			return def[t.Pos:]
		}
	}
	return def
}

var enabledNames = map[string]string{"D": "disabled", "R": "replica", "A": "always"}

func (r *reader) trigger(w *row) {
	oid, rel, name, def, enabled, clone := w.oid(), r.rels[w.oid()], w.text(), w.text(), w.text(), w.bool()
	if rel == nil {
		return
	}
	o := &catalog.Object{Kind: catalog.Trigger, Name: name}
	if clone { // it comes with the parent's; only its state is its own
		o.Carry("clone", catalog.Scalar("yes"))
	} else {
		o.Set("definition", sqlValue(def))
	}
	o.SetText("enabled", enabledNames[enabled])
	r.addPart(pgTrigger, oid, rel.object, o)
}

var policyCommands = map[string]string{"*": "all", "r": "select", "a": "insert", "w": "update", "d": "delete"}

func (r *reader) policy(w *row) {
	oid, rel, name, permissive, cmd, roles := w.oid(), r.rels[w.oid()], w.text(), w.bool(), w.text(), w.texts()
	if rel == nil {
		return
	}
	o := &catalog.Object{Kind: vocab.Policy, Name: name}
	o.SetIf("restrictive", !permissive)
	o.Set("command", catalog.Scalar(policyCommands[cmd]))
	o.Set("roles", catalog.SetOf(roles...))
	for _, fact := range []string{"using", "with check"} {
		if expr := w.text(); expr != "" {
			o.Set(fact, sqlValue(expr))
		}
	}
	r.addPart(pgPolicy, oid, rel.object, o)
}

func (r *reader) rule(w *row) {
	oid, rel, name, isView, def, enabled, tree := w.oid(), r.rels[w.oid()], w.name(), w.isNull(), w.text(), w.text(), w.next()
	if rel == nil {
		return
	}
	if isView {
		r.note(pgRewrite, oid, thing{rel.object, nil})
		r.wait(unread{of: thing{rel.object, nil}, rel: rel, fact: "definition", class: pgRewrite, oid: oid}, "view", tree)
		return
	}
	o := &catalog.Object{Kind: vocab.Rule, Name: name}
	o.Set("definition", sqlValue(strings.TrimSuffix(strings.TrimSpace(def), ";")))
	o.SetText("enabled", enabledNames[enabled])
	r.addPart(pgRewrite, oid, rel.object, o)
}
