package reader

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlserver/vocab"
	"dappermirror/internal/standin/tsql"
)

func (r *reader) indexColumn(m Row) error {
	key := [2]int64{m.num("object_id"), m.num("index_id")}
	p, ref := r.known(key[0], m.num("column_id"))
	if p == nil {
		return nil
	}
	if m.num("partition_ordinal") > 0 {
		r.parted[key] = p.Name
		if m.num("key_ordinal") == 0 && !m.is("is_included_column") {
			return nil
		}
	}
	o := r.indexes[key]
	if o == nil {
		o = &catalog.Object{Kind: catalog.Index}
		r.indexes[key] = o
	}
	o.Need(ref, catalog.AspectType)
	end := ""
	if m.is("is_descending_key") {
		end = " DESC"
	}
	fact := "columns"
	if m.num("key_ordinal") == 0 {
		if fact = "include"; !m.is("is_included_column") {
			return nil
		}
	}
	r.grow(o, fact, p.Name, end)
	return nil
}

var indexTypes = map[int64]string{1: "clustered", 5: "clustered columnstore", 6: "nonclustered columnstore", 3: "XML", 4: "spatial", 7: "hash"}

// XML indexes that are read, by their type (SQL Server: sys.xml_indexes); the others are
// selective ones.
const primaryXML, secondaryXML = 0, 1

// index reads an index, and the key whose index it is.
func (r *reader) index(m Row) error {
	key := [2]int64{m.num("object_id"), m.num("index_id")}
	t := r.objects[key[0]]
	if t == nil {
		return nil
	}
	compression := m.text("compression")
	if compression == "NONE" || compression == "COLUMNSTORE" {
		compression = ""
	}
	if m.num("type") == 0 {
		if t.Kind == catalog.Table {
			t.SetText("compression", compression)
			r.lies(t, t, key, m)
		}
		return nil
	}
	if m.num("type") == 3 && m.num("xml_index_type") > secondaryXML {
		is := &catalog.Object{Kind: catalog.Index, Name: m.text("name"), ID: r.fold(m.text("name"))}
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{On: t.PartRef(is), Why: fmt.Sprintf("selective XML index %s of %s.%s is not read: such indexes are not known yet", m.text("name"), t.Schema, t.Name)})
		return nil
	}
	o := r.indexes[key]
	if o == nil {
		o = &catalog.Object{Kind: catalog.Index}
	}
	r.indexes[key] = o
	says := strings.Join(o.List("columns"), ", ")
	clustered := m.num("type") == 1 || m.num("type") == 5
	r.lies(t, o, key, m)
	o.SetText("compression", compression)
	if opts := indexOptions(m); len(opts) > 0 {
		o.Set("options", catalog.SetOf(opts...))
	}
	o.SetIf("disabled", m.is("is_disabled"))
	o.SetText("buckets", m.text("buckets"))
	switch {
	case m.is("is_primary_key"), m.is("is_unique_constraint"):
		o.Kind = catalog.Unique
		if m.is("is_primary_key") {
			o.Kind = catalog.PrimaryKey
		}
		o.SetIf("clustered", clustered)
		r.constraint(o, m.text("name"), m.is("is_system_named") || t.Kind == vocab.TableType, says)
		r.parts[m.num("key_id")] = part{t, o}
	default:
		switch o.Name = m.text("name"); {
		case madeHistory.MatchString(o.Name):
			o.ID = "ix_history"
		case r.fold(o.Name) != o.Name:
			o.ID = r.fold(o.Name)
		}
		o.SetIf("unique", m.is("is_unique"))
		o.SetText("type", indexTypes[m.num("type")])
		r.special(t, o, m)
		if m.num("type") == 5 { // it has all columns, always
			o.Remove("include")
			o.Remove(vocab.Written + "include")
			o.Needs = nil
		}
		if m["filter_definition"] != nil {
			o.Set("where", r.expression(m.text("filter_definition")))
		}
		if t.Kind == catalog.View && !clustered { // they stand on the clustered one
			for _, p := range t.Parts {
				if strings.HasPrefix(p.Text("type"), "clustered") {
					o.Need(t.PartRef(p), catalog.AspectName)
				}
			}
		}
	}
	place(t, o)
	return nil
}

func indexOptions(m Row) []string {
	var out []string
	for _, x := range []struct {
		fact string
		on   bool
		text string
	}{
		{"ignore_dup_key", m.is("ignore_dup_key"), "IGNORE_DUP_KEY = ON"}, {"is_padded", m.is("is_padded"), "PAD_INDEX = ON"}, {"no_recompute", m.is("no_recompute"), "STATISTICS_NORECOMPUTE = ON"},
		{"allow_row_locks", !m.is("allow_row_locks"), "ALLOW_ROW_LOCKS = OFF"}, {"allow_page_locks", !m.is("allow_page_locks"), "ALLOW_PAGE_LOCKS = OFF"},
	} {
		if x.on && m[x.fact] != nil {
			out = append(out, x.text)
		}
	}
	if f := m.num("fill_factor"); f > 0 && f < 100 {
		out = append(out, fmt.Sprintf("FILLFACTOR = %d", f))
	}
	return out
}

func (r *reader) check(m Row) error {
	t := r.objects[m.num("parent_object_id")]
	if t == nil {
		return nil
	}
	o := &catalog.Object{Kind: catalog.Check}
	v := r.expression(m.text("definition"))
	o.Set("expression", v)
	o.Carry(vocab.Stored, catalog.Scalar(m.text("definition")))
	r.constraint(o, m.text("name"), m.is("is_system_named") || t.Kind == vocab.TableType, v.Canonical())
	state(o, m)
	place(t, o)
	r.parts[m.num("object_id")] = part{t, o}
	return nil
}

// state notes whether a constraint holds, and whether its rows were looked at.
func state(o *catalog.Object, m Row) {
	o.SetIf("not for replication", m.is("is_not_for_replication"))
	o.SetIf("disabled", m.is("is_disabled"))
	o.SetIf("not trusted", m.is("is_not_trusted") && !m.is("is_disabled") && !m.is("is_not_for_replication"))
}

func (r *reader) foreignKeyColumn(m Row) error {
	id := m.num("constraint_object_id")
	t, p := r.objects[m.num("parent_object_id")], r.objects[m.num("referenced_object_id")]
	a, ra := r.known(m.num("parent_object_id"), m.num("parent_column_id"))
	b, rb := r.known(m.num("referenced_object_id"), m.num("referenced_column_id"))
	if t == nil || p == nil || a == nil || b == nil {
		return nil
	}
	k := r.parts[id]
	if k.part == nil {
		k = part{t, &catalog.Object{Kind: catalog.ForeignKey}}
		k.part.Set("columns", catalog.List())
		k.part.Set("parent", catalog.SQL(catalog.Piece{Text: vocab.Qualified(p), Canon: tsql.Path([]string{r.fold(p.Schema), r.fold(p.Name)})}))
		k.part.Need(p.Ref(), catalog.AspectName)
		r.parts[id] = k
	}
	r.grow(k.part, "columns", a.Name, "")
	r.grow(k.part, "parent columns", b.Name, "")
	k.part.Need(ra, catalog.AspectType)
	k.part.Need(rb, catalog.AspectType)
	return nil
}

func (r *reader) foreignKey(m Row) error {
	k := r.parts[m.num("object_id")]
	if k.part == nil {
		if t := r.objects[m.num("parent_object_id")]; t != nil {
			is := &catalog.Object{Kind: catalog.ForeignKey, Name: m.text("name"), ID: r.fold(m.text("name"))}
			r.c.Gaps = append(r.c.Gaps, catalog.Gap{On: t.PartRef(is), Why: fmt.Sprintf("foreign key %s of %s.%s is not read: it leads to a table that is not", m.text("name"), t.Schema, t.Name)})
		}
		return nil
	}
	o := k.part
	r.constraint(o, m.text("name"), m.is("is_system_named"), strings.Join(o.List("columns"), ", ")+") to "+o.Property("parent").Value.Canonical()+" ("+strings.Join(o.List("parent columns"), ", "))
	for _, x := range [][2]string{{"on delete", m.text("del")}, {"on update", m.text("upd")}} {
		if x[1] != "NO_ACTION" && x[1] != "" {
			o.Set(x[0], catalog.Scalar(strings.ReplaceAll(x[1], "_", " ")))
		}
	}
	state(o, m)
	if i := r.indexes[[2]int64{m.num("referenced_object_id"), m.num("key_index_id")}]; i != nil {
		o.Need(r.objects[m.num("referenced_object_id")].PartRef(i), catalog.AspectIndex)
	}
	place(k.owner, o)
	return nil
}

// module reads a view, routine or trigger. Its text is told from behind its name:
// the name in it may be an old one (SQL Server: sp_rename, Remarks).
func (r *reader) module(m Row) error {
	o := &catalog.Object{Schema: m.text("schema"), Name: m.text("name"), Space: vocab.Objects}
	typ := strings.TrimSpace(m.text("type"))
	text := m.text("definition")
	unseen := m["definition"] == nil
	heading, rest := cutModule(text)
	switch typ {
	case "V":
		o.Kind = catalog.View
	case "TR":
		o.Kind = catalog.Trigger
	default:
		o.Kind = catalog.Routine
		o.Set("type", catalog.Scalar(map[string]string{"P": "procedure", "FN": "function", "IF": "inline function", "TF": "table function"}[typ]))
	}
	if unseen {
		gap := catalog.Gap{On: r.folded(o).Ref()}
		if t := r.objects[m.num("parent_object_id")]; o.Kind == catalog.Trigger && t != nil {
			gap.On = t.PartRef(o)
		}
		gap.Why = fmt.Sprintf("the text of %s.%s is not told: it is encrypted, or the account lacks VIEW DEFINITION", o.Schema, o.Name)
		r.c.Gaps = append(r.c.Gaps, gap)
		return nil
	}
	r.body(o, m, heading, rest)
	if r.bound[o] = m.is("is_schema_bound"); m.is("uses_native_compilation") {
		o.Carry(vocab.Native, catalog.Scalar("yes"))
	}
	if m.is("is_schema_bound") {
		o.Carry("schema bound", catalog.Scalar("yes"))
	}
	if o.Kind != catalog.Trigger {
		r.add(m.num("object_id"), o)
		return nil
	}
	t := r.objects[m.num("parent_object_id")]
	o.Schema = ""
	if f := r.fold(o.Name); f != o.Name {
		o.ID = f
	}
	o.SetIf("disabled", m.is("is_disabled"))
	r.parts[m.num("object_id")] = part{t, o}
	if t == nil { // its view comes later, or it is of a table that is not read
		r.late(m.num("parent_object_id"), m.num("object_id"), o)
		return nil
	}
	t.Add(o)
	return nil
}

// body notes the text of a module, and what it was made under.
func (r *reader) body(o *catalog.Object, m Row, heading, rest string) {
	o.Set("definition", catalog.SQL(catalog.Piece{Text: rest, Canon: tsql.Spelled(rest, r.fold)}))
	if heading != "" {
		o.Carry("heading", catalog.Scalar(heading))
	}
	o.SetIf("ansi nulls off", !m.is("uses_ansi_nulls"))
	o.SetIf("quoted identifier off", !m.is("uses_quoted_identifier"))
}

// databaseTrigger reads a trigger of the database itself.
func (r *reader) databaseTrigger(m Row) error {
	o := &catalog.Object{Kind: vocab.DatabaseTrigger, Name: m.text("name"), Space: "database trigger"}
	if m["definition"] == nil {
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{On: r.folded(o).Ref(), Why: fmt.Sprintf("the text of the trigger %s of the database is not told: it is encrypted, or the account lacks VIEW DEFINITION", o.Name)})
		return nil
	}
	heading, rest := cutModule(m.text("definition"))
	r.body(o, m, heading, rest)
	o.SetIf("disabled", m.is("is_disabled"))
	r.add(0, o)
	r.triggers[m.num("object_id")] = o
	return nil
}

// late puts a trigger to what it is on when that was read.
func (r *reader) late(on, id int64, o *catalog.Object) {
	r.waiting = append(r.waiting, func() {
		if t := r.objects[on]; t != nil {
			t.Add(o)
			r.parts[id] = part{t, o}
		}
	})
}

// cutModule takes what stands before CREATE, and the words up to the name, off a
// module's text.
func cutModule(text string) (heading, rest string) {
	c := sqltext.NewCursor(tsql.Dialect, text)
	heading = strings.TrimSpace(text[:c.Peek().Pos])
	if !c.Take("create") && !c.Take("alter") {
		return "", strings.TrimSpace(text)
	}
	c.Take("or", "alter")
	c.Next()
	c.Next()
	for c.Take(".") {
		c.Next()
	}
	return heading, strings.TrimSpace(text[c.Behind():])
}

func (r *reader) triggerEvent(m Row) error {
	o := r.triggers[m.num("object_id")]
	if o == nil {
		o = r.parts[m.num("object_id")].part
	}
	if o == nil {
		return nil
	}
	list := slices.Clone(o.List("order"))
	for _, x := range [][2]string{{"is_first", "first"}, {"is_last", "last"}} {
		if m.is(x[0]) {
			list = append(list, x[1]+" at "+m.text("type_desc"))
		}
	}
	o.Set("order", catalog.SetOf(list...))
	return nil
}

func (r *reader) sequence(m Row) error {
	o := &catalog.Object{Kind: catalog.Sequence, Schema: m.text("schema"), Name: m.text("name"), Space: vocab.Objects}
	m["scale"] = int64(0)
	o.Set("type", catalog.Scalar(typeOf(m)))
	for _, f := range [][2]string{{"start", "start"}, {"increment", "step"}, {"minimum", "least"}, {"maximum", "most"}} {
		o.Set(f[0], catalog.Scalar(m.text(f[1])))
	}
	o.SetIf("cycle", m.is("is_cycling"))
	switch {
	case !m.is("is_cached"):
		o.Set("cache", catalog.Scalar("none"))
	case m["cache_size"] != nil:
		o.Set("cache", catalog.Scalar(m.text("cache_size")))
	}
	if m.is("is_user_defined") {
		o.Need(catalog.Ref{Kind: vocab.AliasType, Schema: r.fold(m.text("type_schema")), Name: r.fold(m.text("type"))}, catalog.AspectType)
	}
	r.add(m.num("object_id"), o)
	return nil
}

func (r *reader) synonym(m Row) error {
	o := &catalog.Object{Kind: vocab.Synonym, Schema: m.text("schema"), Name: m.text("name"), Space: vocab.Objects}
	text := m.text("base_object_name")
	o.Set("for", catalog.SQL(catalog.Piece{Text: text, Canon: r.fold(text)}))
	r.add(m.num("object_id"), o)
	return nil
}

// property notes an extended property: the description as a comment, any other
// under its name.
func (r *reader) property(m Row) error {
	var o *catalog.Object
	major, minor := m.num("major_id"), m.num("minor_id")
	switch m.num("class") {
	case 1:
		if k := r.parts[major]; k.part != nil {
			o = k.part
		} else if d := r.defaults[major]; d.part != nil {
			return nil
		} else if o = r.objects[major]; minor > 0 {
			o, _ = r.known(major, minor)
		}
	case 3:
		o = r.schemas[major]
	case 6:
		o = r.types[major]
	case 7:
		o = r.indexes[[2]int64{major, minor}]
	}
	if o == nil {
		return nil
	}
	fact := "comment"
	if n := m.text("name"); n != "MS_Description" {
		fact = "property " + n
	}
	o.Set(fact, catalog.Scalar(m.text("value")))
	return nil
}

// use notes what needs what. What is bound to a schema forbids changes; what else
// the server knows of orders steps only.
func (r *reader) use(m Row) error {
	from, owner := r.user(m)
	if from == nil {
		return nil
	}
	bound := m.is("is_schema_bound_reference")
	need := catalog.Need{Aspect: catalog.AspectName, Text: !bound}
	switch {
	case m.num("referenced_class") == 6:
		o := r.types[m.num("referenced_id")]
		if o == nil {
			return nil
		}
		need.On, need.Aspect, need.Text = o.Ref(), catalog.AspectType, false
	case m["referenced_id"] == nil:
		return nil
	case m.num("referenced_minor_id") > 0:
		_, ref := r.known(m.num("referenced_id"), m.num("referenced_minor_id"))
		if ref.Name == "" {
			return nil
		}
		if need.On, need.Aspect = ref, catalog.AspectType; ref.Kind != catalog.Table { // columns of a view are no parts
			need.On, need.Aspect = ref.Object(), catalog.AspectName
		}
	default:
		o := r.objects[m.num("referenced_id")]
		if o == nil || o == from {
			return nil
		}
		need.On = o.Ref()
	}
	if owner != nil && need.On == owner.PartRef(from) {
		return nil
	}
	if from.Kind == catalog.Column && owner != nil && !from.Has("generated") {
		need.Fact = "default"
	}
	if !slices.Contains(from.Needs, need) {
		from.Needs = append(from.Needs, need)
	}
	return nil
}

// user is the thing that a dependency is of, and the table it is in.
func (r *reader) user(m Row) (from, owner *catalog.Object) {
	id, minor := m.num("referencing_id"), m.num("referencing_minor_id")
	if m.num("referencing_class") == 7 {
		return r.indexes[[2]int64{id, minor}], r.objects[id]
	}
	if k := r.parts[id]; k.part != nil {
		return k.part, k.owner
	}
	if d := r.defaults[id]; d.part != nil {
		return d.part, d.owner
	}
	if minor > 0 {
		p, _ := r.known(id, minor)
		return p, r.objects[id]
	}
	return r.objects[id], nil
}

// statistic reads statistics that somebody created, one column a row.
func (r *reader) statistic(m Row) error {
	t := r.objects[m.num("object_id")]
	p, ref := r.known(m.num("object_id"), m.num("column_id"))
	if t == nil || p == nil {
		return nil
	}
	name := m.text("name")
	o := t.Part(vocab.Statistics, r.fold(name))
	if o == nil {
		if o = (&catalog.Object{Kind: vocab.Statistics, Name: name}); r.fold(name) != name {
			o.ID = r.fold(name)
		}
		o.Set("columns", catalog.List())
		if m["filter_definition"] != nil {
			x := r.expression(m.text("filter_definition"))
			o.Set("where", x)
			tokens := sqltext.Significant(tsql.Dialect, x.String())
			for _, c := range t.PartsOf(catalog.Column) {
				if slices.ContainsFunc(tokens, func(k sqltext.Token) bool { return k.IsName() && r.fold(k.Name()) == c.Key() }) {
					o.Need(t.PartRef(c), catalog.AspectType)
				}
			}
		}
		o.SetIf("no recompute", m.is("no_recompute"))
		t.Add(o)
	}
	r.grow(o, "columns", p.Name, "")
	o.Need(ref, catalog.AspectType)
	return nil
}
