package writer

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/apart"
	"dappermirror/internal/engine/postgres/convert"
	"dappermirror/internal/engine/postgres/family"
	"dappermirror/internal/engine/postgres/rows"
	"dappermirror/internal/engine/postgres/steps"
	"dappermirror/internal/engine/postgres/vocab"
)

func (w *Writer) createSchema(c *order.Change) []*order.Action {
	return []*order.Action{steps.Created(c.Source, "CREATE SCHEMA "+quote(c.Source.Name)+";")}
}

func (w *Writer) createEnum(c *order.Change) []*order.Action {
	return []*order.Action{steps.Created(c.Source, enumSQL(c.Source))}
}

// alterEnum adds values in place. A value that is taken away or moved needs
// a new type under the old name, and every column of the type a cast
// (PostgreSQL: ALTER TYPE).
func (w *Writer) alterEnum(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	out := steps.OutwardActions(c)
	d := c.Property("values")
	if d == nil {
		return out, true
	}
	now, was := d.Source.Items, d.Target.Items
	if !family.Subsequence(was, now) {
		return append(out, w.replaceType(c, enumSQL(o), lostValues(c, was, now))), true
	}
	prefix := "ALTER TYPE " + qualified(o)
	have := slices.Clone(was)
	for i, v := range now {
		if slices.Contains(have, v) {
			continue
		}
		clause := "ADD VALUE " + literal(v)
		switch {
		case i == 0 && len(have) > 0:
			clause += " BEFORE " + literal(have[0])
		case i > 0 && i < len(now)-1 || i > 0 && have[len(have)-1] != now[i-1]:
			clause += " AFTER " + literal(now[i-1])
		}
		at := 0
		if i > 0 {
			at = slices.Index(have, now[i-1]) + 1
		}
		have = slices.Insert(have, at, v)
		a := &order.Action{About: o.Ref(), Title: fmt.Sprintf("add value %s to %s", v, steps.Title(o)), Makes: []catalog.Ref{o.Ref()}, SQL: []string{prefix + " " + clause + ";"}}
		if usedAtOnce(c, v) {
			a.Alone, a.SQL[0] = true, strings.Replace(a.SQL[0], " ADD VALUE ", " ADD VALUE IF NOT EXISTS ", 1) // it may run twice
			a.Note = "A later step uses the value, so it is added before the transaction begins; it stays when that fails."
		}
		if n := len(out); n > 0 {
			a.Sequel = out[n-1]
		}
		out = append(out, a)
	}
	return out, true
}

func lostValues(c *order.Change, was, now []string) []order.Risk {
	var gone []string
	for _, v := range was {
		if !slices.Contains(now, v) {
			gone = append(gone, v)
		}
	}
	if len(gone) == 0 {
		return nil
	}
	o := c.Source
	return []order.Risk{{Kind: order.MayFail, On: o.Ref(), Text: "fails when a row holds " + strings.Join(gone, ", ") + ", which " + steps.Title(o) + " no longer has", Ask: rows.InUse(uses(c, typeName(c.Target)), gone)}}
}

// usedAtOnce tells whether something that is new or changes mentions a new
// enum value: it cannot be used in the transaction that adds it (PostgreSQL:
// ALTER TYPE, Notes).
func usedAtOnce(c *order.Change, value string) bool {
	quoted := literal(value)
	for _, o := range c.Desired.Objects {
		uses := func(p *catalog.Object, was *catalog.Object) bool {
			for i := range p.Properties {
				pr := &p.Properties[i]
				if pr.Name == "values" || pr.Name == "comment" || pr.Carried {
					continue
				}
				text := pr.Value.String()
				if strings.Contains(text, quoted) && (was == nil || was.Text(pr.Name) != text) {
					return true
				}
			}
			return false
		}
		was := c.Actual.Find(o.Ref())
		if uses(o, was) {
			return true
		}
		for _, p := range o.Parts {
			var pw *catalog.Object
			if was != nil {
				pw = was.Part(p.Kind, p.Key())
			}
			if uses(p, pw) {
				return true
			}
		}
	}
	return false
}

// replaceType puts a new type in the place of one that is in use: the old one
// steps aside, columns are cast over, the old one goes.
func (w *Writer) replaceType(c *order.Change, create string, risks []order.Risk) *order.Action {
	o, old := c.Source, c.Target
	aside := bareName(old) + "_before"
	for n := 2; c.Actual.Find(catalog.Ref{Kind: old.Kind, Schema: old.Schema, Name: aside}) != nil; n++ {
		aside = fmt.Sprintf("%s_before_%d", bareName(old), n)
	}
	word := "TYPE"
	if o.Kind == kindDomain {
		word = "DOMAIN"
	}
	a := &order.Action{About: o.Ref(), Title: "replace " + steps.Title(o), Makes: []catalog.Ref{o.Ref()}, Removes: []catalog.Ref{old.Ref()}, Risks: risks}
	for _, p := range o.Parts {
		a.Makes = append(a.Makes, o.PartRef(p))
	}
	a.SQL = append(a.SQL, fmt.Sprintf("ALTER %s %s RENAME TO %s;", word, qualified(old), quote(aside)), create)
	a.SQL = append(a.SQL, objectExtras(o)...)
	a.SQL = append(a.SQL, steps.OwnerAndGrants(c)...)
	name := typeName(old)
	for _, t := range c.Actual.Objects {
		if !vocab.IsTable(t.Kind) {
			continue
		}
		if _, ok := family.RecastAbove(c, c.Actual, t); ok {
			continue // it is not there meanwhile
		}
		for _, col := range t.PartsOf(catalog.Column) {
			typ := col.Text("type")
			base, array := strings.CutSuffix(typ, "[]")
			if base != name || family.FromParent(col) {
				continue
			}
			ref := t.PartRef(col)
			target := c.Desired.Resolve(ref)
			if target == nil || target.Text("type") != typ {
				continue // dropped or retyped by a step of its own, which comes before
			}
			prefix := fmt.Sprintf("ALTER TABLE %s ALTER COLUMN %s ", qualified(t), quote(col.Name))
			if col.Has("default") {
				a.SQL = append(a.SQL, prefix+"DROP DEFAULT;")
			}
			via := "text"
			if array {
				via = "text[]"
			}
			if o.Kind == kindDomain {
				via = cmp.Or(map[bool]string{true: o.Text("type") + "[]"}[array], o.Text("type"))
			}
			a.SQL = append(a.SQL, fmt.Sprintf("%sTYPE %s USING %s::%s::%s;", prefix, typ, quote(col.Name), via, typ))
			if target.Has("default") {
				a.SQL = append(a.SQL, prefix+"SET DEFAULT "+target.Text("default")+";")
			}
			a.Effects = append(a.Effects, order.Effect{On: ref, Aspect: catalog.AspectType})
			a.Locks = append(a.Locks, steps.AccessExclusive.On(ref))
			a.Risks = append(a.Risks, order.Risk{Kind: order.Rewrite, On: o.Ref(), Text: "table " + t.Name + " is copied while everything on it waits"})
		}
	}
	a.SQL = append(a.SQL, fmt.Sprintf("DROP %s %s.%s;", word, quote(old.Schema), quote(aside)))
	return a
}

// typeName is how format_type prints a type of ours: with an empty search
// path, always with its schema.
func typeName(o *catalog.Object) string { return qualified(o) }

func (w *Writer) createDomain(c *order.Change) []*order.Action {
	o := c.Source
	a := steps.Created(o, domainSQL(o))
	for _, p := range o.Parts {
		a.Makes = append(a.Makes, o.PartRef(p))
		a.SQL = append(a.SQL, partExtras(o, p)...)
	}
	return []*order.Action{a}
}

func (w *Writer) alterDomain(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	out := steps.OutwardActions(c)
	if c.Property("type") != nil || c.Property("collation") != nil {
		return append(out, w.replaceType(c, domainSQL(o), nil)), true
	}
	one := func(what, clause string) *order.Action {
		a := &order.Action{About: o.Ref(), Title: "change the " + what + " of " + steps.Title(o), Makes: []catalog.Ref{o.Ref()}, SQL: []string{"ALTER DOMAIN " + qualified(o) + " " + clause + ";"}}
		out = append(out, a)
		return a
	}
	if d := c.Property("default"); d != nil {
		one("default", map[bool]string{true: "SET DEFAULT " + o.Text("default"), false: "DROP DEFAULT"}[d.Source != nil])
	}
	if d := c.Property("not null"); d != nil {
		a := one("nullability", map[bool]string{true: "SET NOT NULL", false: "DROP NOT NULL"}[d.Source != nil])
		if d.Source != nil {
			a.Risks = []order.Risk{{Kind: order.MayFail, On: o.Ref(), Text: "fails when a row holds NULL in a column of the domain", Ask: rows.NullIn(uses(c, typeName(c.Target)))}}
		}
	}
	parts := w.parts(c, func(catalog.Kind) bool { return true })
	for _, a := range parts {
		a.SQL = append([]string{a.Prefix + " " + strings.Join(a.Clauses, ", ") + ";"}, a.SQL...)
		if a.Prefix == "" {
			a.SQL = a.SQL[1:]
		}
		a.Prefix, a.Clauses = "", nil // ALTER DOMAIN takes one clause
		if p := o.Part(a.About.PartKind, a.About.Part); p != nil && p.Kind == catalog.Check && !p.Has("not valid") && slices.Contains(a.Makes, a.About) && len(a.Removes) == 0 && strings.Contains(a.SQL[0], " ADD CONSTRAINT ") {
			r := order.Risk{Kind: order.MayFail, On: a.About, Text: "fails when a value breaks the check"}
			if steady(c, p) {
				r.Ask = rows.BreakIn(uses(c, typeName(c.Target)), p.Text("definition"))
			}
			a.Risks = append(a.Risks, r)
		}
	}
	return append(out, parts...), true
}

func (w *Writer) createComposite(c *order.Change) []*order.Action {
	o := c.Source
	return []*order.Action{steps.Created(o, fmt.Sprintf("CREATE TYPE %s AS (%s);", qualified(o), strings.Join(o.List("attributes"), ", ")))}
}

// attributes are the names of a composite type's attributes, in order, and what
// else is said of each.
func attributes(o *catalog.Object) (names []string, defs map[string]string) {
	defs = map[string]string{}
	for _, a := range o.List("attributes") {
		n, t := splitName(a)
		names = append(names, n)
		defs[n] = t
	}
	return names, defs
}

// typedTables are the tables whose columns are a composite type's attributes.
func typedTables(cat *catalog.Catalog, typ *catalog.Object) []*catalog.Object {
	var out []*catalog.Object
	for _, t := range cat.Objects {
		if t.Text("of type") == typeName(typ) {
			out = append(out, t)
		}
	}
	return out
}

// attributeColumns are the columns that an attribute is in typed tables.
func attributeColumns(typed []*catalog.Object, attribute string) []catalog.Ref {
	var out []catalog.Ref
	for _, t := range typed {
		for _, col := range t.PartsOf(catalog.Column) {
			if quote(col.Name) == attribute {
				out = append(out, t.PartRef(col))
			}
		}
	}
	return out
}

// alterComposite adds, drops and retypes attributes in place. Typed tables
// follow; columns of the type step aside while an attribute changes its own
// (PostgreSQL: ALTER TYPE, CASCADE).
func (w *Writer) alterComposite(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	out := steps.OutwardActions(c)
	if c.Property("attributes") == nil {
		return out, true
	}
	now, nowDef := attributes(o)
	was, wasDef := attributes(c.Target)
	typed := typedTables(c.Actual, c.Target)
	var kept []string
	a := &order.Action{About: o.Ref(), Title: "change the attributes of " + steps.Title(o), Makes: []catalog.Ref{o.Ref()}, Prefix: "ALTER TYPE " + qualified(o)}
	for _, n := range was {
		if _, ok := nowDef[n]; ok {
			kept = append(kept, n)
			continue
		}
		a.Clauses = append(a.Clauses, "DROP ATTRIBUTE "+n)
		a.Removes = append(a.Removes, attributeColumns(typed, n)...)
		if used := uses(c, typeName(c.Target)); len(used)+len(typed) > 0 {
			a.Risks = append(a.Risks, order.Risk{Kind: order.Loss, On: o.Ref(), Text: fmt.Sprintf("attribute %s of every value of %s", n, steps.Title(o)), Ask: rows.Attributes(used, typed, n, "$ IS NOT NULL", "hold a value")})
		}
	}
	if len(kept) > len(now) || !slices.Equal(kept, now[:len(kept)]) {
		return nil, false // the order of attributes cannot be changed in place
	}
	for _, n := range now {
		switch old, ok := wasDef[n]; {
		case !ok:
			a.Clauses = append(a.Clauses, "ADD ATTRIBUTE "+n+" "+nowDef[n])
			a.Makes = append(a.Makes, attributeColumns(typedTables(c.Desired, o), n)...)
		case old != nowDef[n]:
			a.Clauses = append(a.Clauses, "ALTER ATTRIBUTE "+n+" TYPE "+nowDef[n])
			a.Effects = append(a.Effects, order.Effect{On: o.Ref(), Aspect: catalog.AspectRowType})
			for _, r := range attributeColumns(typed, n) {
				a.Effects = append(a.Effects, w.retyped(c, r, catalog.AspectType)...)
			}
			from, _, _ := strings.Cut(old, " COLLATE ")
			to, _, _ := strings.Cut(nowDef[n], " COLLATE ")
			if used := uses(c, typeName(c.Target)); len(used)+len(typed) > 0 && from != to {
				cv := convert.Between(c.Actual, c.Desired, from, to)
				if !cv.Possible {
					return nil, false
				}
				for _, r := range cv.Risks {
					if r.Kind == order.Loss || r.Kind == order.MayFail {
						risk := order.Risk{Kind: r.Kind, On: o.Ref(), Text: fmt.Sprintf("attribute %s of %s: %s", n, steps.Title(o), r.Text)}
						if r.Kind == order.Loss && cv.Back != "" {
							via := cmp.Or(cv.Via, "$::"+to)
							risk.Ask = rows.Attributes(used, typed, n, strings.ReplaceAll(cv.Back, "$", "("+via+")")+" IS DISTINCT FROM $", "hold a value that would change")
						}
						a.Risks = append(a.Risks, risk)
					}
				}
			}
		}
	}
	for i := range a.Clauses {
		a.Clauses[i] += " CASCADE" // typed tables follow
	}
	for _, t := range typed {
		a.Locks = append(a.Locks, steps.AccessExclusive.On(t.Ref()))
	}
	a.Effects = append(a.Effects, order.Effect{On: o.Ref(), Aspect: catalog.AspectBody})
	return append(out, a), true
}

func (w *Writer) createRange(c *order.Change) []*order.Action {
	o := c.Source
	opts := []string{"subtype = " + o.Text("subtype")}
	for _, f := range [][2]string{{"subtype opclass", "subtype_opclass"}, {"collation", "collation"}, {"canonical", "canonical"}, {"subtype diff", "subtype_diff"}, {"multirange type", "multirange_type_name"}} {
		if t := o.Text(f[0]); t != "" {
			opts = append(opts, f[1]+" = "+t)
		}
	}
	out := []*order.Action{steps.Created(o, fmt.Sprintf("CREATE TYPE %s AS RANGE (%s);", qualified(o), strings.Join(opts, ", ")))}
	if o.Has("canonical") { // whose argument is the range
		out[0].After = []catalog.Ref{vocab.Shell(o)}
		out = append([]*order.Action{apart.Shell(o)}, out...)
	}
	return out
}
