package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/family"
	"dappermirror/internal/engine/postgres/rows"
	"dappermirror/internal/engine/postgres/steps"
)

// Some changes hold others up only because they look at every row under a
// strong lock. With AvoidBlocking they are cut in two: what must be unproved stays
// in the transaction, and the looking comes after it, under a lock that lets
// others read and write (PostgreSQL: CREATE INDEX, Building Indexes
// Concurrently; ALTER TABLE, Notes). Every statement behind the transaction may
// run twice, so that a run that stopped there is finished by the same ones.

// LockLimit is how long a statement of a script waits for a lock.
const LockLimit = "10s"

// patience surrounds statements that wait for other transactions to end: the
// limit on locks would end them half way, and nobody waits for them.
func patience(sql ...string) []string {
	return slices.Concat([]string{"SET lock_timeout = 0;"}, sql, []string{"SET lock_timeout = '" + LockLimit + "';"})
}

// needed tells whether anything else of the structure stands on a part, so
// that it must be whole within the transaction.
func (w *Writer) needed(c *order.Change, part catalog.Ref) bool {
	if w.users == nil || w.usersOf != c.Desired {
		w.users, w.usersOf = map[catalog.Ref]bool{}, c.Desired
		for _, o := range c.Desired.Objects {
			for _, n := range o.Needs {
				w.users[n.On] = true
			}
			for _, p := range o.Parts {
				for _, n := range p.Needs {
					w.users[n.On] = true
				}
			}
		}
	}
	return w.users[part]
}

// gently cuts the making of a part in two, where that keeps others working;
// the whole action comes back where it does not.
func (w *Writer) gently(c *order.Change, p *catalog.Object, a *order.Action) []*order.Action {
	o := c.Source
	if !w.AvoidBlocking || c.Target == nil || o.Kind != catalog.Table || c.Target.Kind != catalog.Table || family.Recast(c, o.Ref()) || w.needed(c, o.PartRef(p)) {
		return []*order.Action{a}
	}
	if _, ok := family.RecastAbove(c, c.Desired, o); ok {
		return []*order.Action{a}
	}
	switch {
	case p.Kind == catalog.Index && o.Has("partition by"):
		return partitionedIndex(c, p, a)
	case p.Has("replica identity"), p.Has("clustered"):
		return []*order.Action{a}
	case p.Kind == catalog.Index:
		drop := fmt.Sprintf("DROP INDEX CONCURRENTLY IF EXISTS %s.%s;", quote(o.Schema), quote(p.Name))
		build := strings.Replace(a.SQL[0], "INDEX ", "INDEX CONCURRENTLY ", 1)
		a.SQL = append(patience(drop, build), a.SQL[1:]...)
		steps.ShareUpdateExclusive.Takes(a)
		a.Later, a.Note = true, "Built while others go on; one that was left half built is removed first."
		a.Risks = unlocked(a.Risks)
	case (p.Kind == catalog.PrimaryKey || p.Kind == catalog.Unique) && !o.Has("partition by") && !strings.Contains(p.Text("definition"), " WITHOUT OVERLAPS"):
		w.keyByIndex(c, p, a)
	case (p.Kind == catalog.ForeignKey || p.Kind == catalog.Check) && !p.Has("not valid") && !p.Has("not enforced") && !(p.Kind == catalog.ForeignKey && o.Has("partition by")):
		return validated(c, p, a)
	}
	return []*order.Action{a}
}

// unlocked are the risks without those that the gentle way does not have.
func unlocked(risks []order.Risk) []order.Risk {
	return slices.DeleteFunc(slices.Clone(risks), func(r order.Risk) bool { return r.Kind == order.Lock })
}

// keyByIndex builds a key's index beforehand and makes the key of it.
func (w *Writer) keyByIndex(c *order.Change, p *catalog.Object, a *order.Action) {
	o := c.Source
	if p.Kind == catalog.PrimaryKey {
		for _, n := range p.Needs { // NOT NULL must be there, or it would look at the rows
			if was := c.Actual.Resolve(n.On); n.On.PartKind == catalog.Column && (was == nil || !was.Has("not null")) {
				return
			}
		}
	}
	def := p.Text("definition")
	def = strings.TrimPrefix(strings.TrimPrefix(def, "PRIMARY KEY "), "UNIQUE ")
	nulls := ""
	if rest, ok := strings.CutPrefix(def, "NULLS NOT DISTINCT "); ok {
		def, nulls = rest, " NULLS NOT DISTINCT"
	}
	if l := p.List("written options"); len(l) > 0 {
		nulls += " WITH (" + optionList(l) + ")"
	}
	if p.Has("tablespace") {
		nulls += " TABLESPACE " + quote(p.Text("tablespace"))
	}
	using := fmt.Sprintf("%s ADD CONSTRAINT %s %s USING INDEX %s", alterPrefix(o), quote(p.Name), map[bool]string{true: "PRIMARY KEY", false: "UNIQUE"}[p.Kind == catalog.PrimaryKey], quote(p.Name))
	if p.Has("deferrable") {
		using += " DEFERRABLE"
	}
	if p.Has("initially deferred") {
		using += " INITIALLY DEFERRED"
	}
	sql := patience(fmt.Sprintf("%s DROP CONSTRAINT IF EXISTS %s;", alterPrefix(o), quote(p.Name)),
		fmt.Sprintf("DROP INDEX CONCURRENTLY IF EXISTS %s.%s;", quote(o.Schema), quote(p.Name)),
		fmt.Sprintf("CREATE UNIQUE INDEX CONCURRENTLY %s ON %s USING btree %s%s;", quote(p.Name), qualified(o), def, nulls))
	a.SQL = slices.Concat(sql, []string{using + ";"}, a.SQL)
	a.Prefix, a.Clauses, a.Later = "", nil, true
	a.Note = "Its index is built while others go on; one that was left half built is removed first."
	a.Risks = unlocked(a.Risks)
}

// validated adds a constraint that does not look at the rows, and has them
// looked at later.
func validated(c *order.Change, p *catalog.Object, a *order.Action) []*order.Action {
	o := c.Source
	later := steps.ShareUpdateExclusive.Takes(&order.Action{About: a.About, Title: fmt.Sprintf("validate %s %s of %s", p.Kind.Title(), p.Name, o.Name), Sequel: a, Later: true,
		SQL: []string{fmt.Sprintf("%s VALIDATE CONSTRAINT %s;", alterPrefix(o), quote(p.Name))}, Risks: unlocked(a.Risks)})
	unproved := p.Clone()
	unproved.Set("not valid", catalog.Scalar("yes"))
	a.Clauses, a.Risks = []string{"ADD " + constraintSQL(unproved)}, nil
	a.Title += ", for new rows at first"
	return []*order.Action{a, later}
}

// partitionedIndex makes the index of a partitioned table for the table alone,
// builds those of the partitions one by one and attaches them.
func partitionedIndex(c *order.Change, p *catalog.Object, a *order.Action) []*order.Action {
	o := c.Source
	var later []string
	above := map[catalog.Ref]string{o.Ref(): quote(o.Schema) + "." + quote(p.Name)}
	inside := []string{strings.Replace(a.SQL[0], " ON ", " ON ONLY ", 1)}
	var walk func(parent *catalog.Object) bool
	walk = func(parent *catalog.Object) bool {
		for _, child := range c.Desired.Objects {
			if up := family.ParentTable(c.Desired, child); up == nil || up.Ref() != parent.Ref() {
				continue
			}
			was := c.Actual.Find(child.Ref())
			if was == nil || child.Kind != catalog.Table || was.Text("partition bound") != child.Text("partition bound") {
				return false // it comes or moves itself
			}
			name := childIndex(c, child, p)
			full := quote(child.Schema) + "." + quote(name)
			head, def, _ := strings.Cut(a.SQL[0], " ON "+qualified(o)+" ")
			unique := strings.HasPrefix(head, "CREATE UNIQUE ")
			word := map[bool]string{true: "CREATE UNIQUE INDEX ", false: "CREATE INDEX "}[unique]
			above[child.Ref()] = full
			if child.Has("partition by") {
				inside = append(inside, word+quote(name)+" ON ONLY "+qualified(child)+" "+def)
				if !walk(child) {
					return false
				}
			} else {
				later = append(later, fmt.Sprintf("DROP INDEX CONCURRENTLY IF EXISTS %s;", full), word+"CONCURRENTLY "+quote(name)+" ON "+qualified(child)+" "+def)
			}
			later = append(later, fmt.Sprintf("ALTER INDEX %s ATTACH PARTITION %s;", above[parent.Ref()], full))
		}
		return true
	}
	if !walk(o) || len(later) == 0 {
		return []*order.Action{a}
	}
	build := steps.ShareUpdateExclusive.Takes(&order.Action{About: a.About, Title: fmt.Sprintf("build index %s on the partitions of %s", p.Name, o.Name), Sequel: a, Later: true, SQL: patience(later...), Risks: unlocked(a.Risks),
		Note: "Built while others go on, partition by partition."})
	a.SQL, a.Risks = append(inside, a.SQL[1:]...), nil
	a.Title += ", for the table alone at first"
	return []*order.Action{a, build}
}

// childIndex is the name PostgreSQL itself gives to a partition's index:
// table, columns, "idx" (PostgreSQL: CREATE INDEX, name).
func childIndex(c *order.Change, child, p *catalog.Object) string {
	parts := append([]string{child.Name}, rows.KeyNames(p.Text("definition"))...)
	name := strings.Join(parts, "_")
	if len(name) > 59 {
		name = name[:59]
	}
	try := name + "_idx"
	for n := 1; taken(c, child.Schema, try); n++ {
		try = fmt.Sprintf("%s_idx%d", name, n)
	}
	return try
}

// taken tells whether a relation of the name is there or comes.
func taken(c *order.Change, schema, name string) bool {
	for _, cat := range []*catalog.Catalog{c.Actual, c.Desired} {
		for _, o := range cat.Objects {
			if o.Schema != schema {
				continue
			}
			if o.Space == "relation" && o.Name == name {
				return true
			}
			for _, p := range o.Parts {
				if p.Space == "relation" && p.Name == name {
					return true
				}
			}
		}
	}
	return false
}

// dropGently drops an index while others go on, where nothing takes its name
// and it is no partitioned table's.
func (w *Writer) dropGently(c *order.Change, p *catalog.Object, a *order.Action) {
	o := c.Target
	if !w.AvoidBlocking || p.Kind != catalog.Index || o.Has("partition by") || o.Kind != catalog.Table || c.Source == nil || taken(&order.Change{Actual: &catalog.Catalog{}, Desired: c.Desired}, o.Schema, p.Name) {
		return
	}
	for _, n := range p.Needs { // what it stands on goes or changes meanwhile
		was, now := c.Actual.Resolve(n.On), c.Desired.Resolve(n.On)
		if now == nil || was == nil || n.On.Object() != o.Ref() && judge.Fingerprint(was, nil) != judge.Fingerprint(now, nil) || n.On.PartKind == catalog.Column && was.Text("type") != now.Text("type") {
			return
		}
	}
	for _, u := range c.Actual.Objects { // a key that points at it must go first
		for _, part := range u.Parts {
			for _, n := range part.Needs {
				if n.On == o.PartRef(p) {
					return
				}
			}
		}
	}
	a.SQL = patience(fmt.Sprintf("DROP INDEX CONCURRENTLY IF EXISTS %s.%s;", quote(o.Schema), quote(p.Name)))
	steps.ShareUpdateExclusive.Takes(a).Later = true
}

// notNullGently proves NOT NULL by a check that is validated later: then SET
// NOT NULL need not look at the rows (PostgreSQL: ALTER TABLE, SET NOT NULL).
func (w *Writer) notNullGently(c *order.Change, b *columnChange, a *order.Action) {
	if !w.AvoidBlocking || b.o.Kind != catalog.Table || b.col.Has("identity") || b.col.Has("not null name") || b.col.Has("inherited") || w.needed(c, b.ref.Of("nullability")) {
		return
	}
	for _, k := range b.o.Parts {
		if k.Kind == catalog.PrimaryKey || k.Has("replica identity") {
			for _, n := range k.Needs {
				if n.On == b.ref {
					return // the key wants it within the transaction
				}
			}
		}
	}
	if value, _ := w.forNulls(b.o, b.col); value != "" {
		return // the rows are looked at anyway
	}
	name := quote("dapper_mirror_" + b.col.Name + "_is_given")
	check := fmt.Sprintf("%s ADD CONSTRAINT %s CHECK (%s IS NOT NULL) NOT VALID;", alterPrefix(b.o), name, quote(b.col.Name))
	a.Prefix, a.Clauses, a.Later, a.Risks = "", nil, true, unlocked(a.Risks)
	a.Note = "A check proves it first, so that nobody waits while the rows are looked at."
	a.SQL = []string{
		fmt.Sprintf("%s DROP CONSTRAINT IF EXISTS %s;", alterPrefix(b.o), name), check,
		fmt.Sprintf("%s VALIDATE CONSTRAINT %s;", alterPrefix(b.o), name),
		fmt.Sprintf("%s ALTER COLUMN %s SET NOT NULL, DROP CONSTRAINT %s;", alterPrefix(b.o), quote(b.col.Name), name),
	}
}
