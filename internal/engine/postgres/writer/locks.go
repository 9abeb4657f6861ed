package writer

import (
	"slices"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/vocab"
)

// lockMode is a lock mode of tables, the weakest first (PostgreSQL: Explicit
// Locking, table 13.2).
type lockMode int

const (
	rowExclusive lockMode = iota + 1
	shareUpdateExclusive
	share
	shareRowExclusive
	accessExclusive
)

var lockModes = map[lockMode]struct{ name, waits string }{
	rowExclusive:         {"ROW EXCLUSIVE", "writers of the same rows wait"},
	shareUpdateExclusive: {"SHARE UPDATE EXCLUSIVE", "nobody waits but other changes of the table and VACUUM"},
	share:                {"SHARE", "writers wait"},
	shareRowExclusive:    {"SHARE ROW EXCLUSIVE", "writers wait"},
	accessExclusive:      {"ACCESS EXCLUSIVE", "readers and writers wait"},
}

func (m lockMode) on(ref catalog.Ref) order.TableLock {
	return order.TableLock{On: ref.Object(), Mode: lockModes[m].name, Waits: lockModes[m].waits, Rank: int(m)}
}

// takes says which lock an action takes where that is not the strongest.
func (m lockMode) takes(a *order.Action) *order.Action {
	a.Locks = []order.TableLock{m.on(a.About)}
	return a
}

// lockFree says that an action locks no table that others read or write.
func lockFree(a *order.Action) *order.Action {
	a.Locks = []order.TableLock{}
	return a
}

// locked gives every action on what has rows, or stands for rows, its lock:
// where its writer does not say better the strongest, which is never too little.
func locked(actions []*order.Action) []*order.Action {
	for _, a := range actions {
		if isRelation(a.About.Kind) && a.Locks == nil {
			accessExclusive.takes(a)
		}
		a.Locks = slices.DeleteFunc(a.Locks, func(l order.TableLock) bool { return !isRelation(l.On.Kind) })
	}
	return actions
}

// lockedBy is locked, with the tables that statistics are kept of.
func lockedBy(c *order.Change, actions []*order.Action) []*order.Action {
	o := c.Object()
	if o.Kind == vocab.ForeignTable { // nobody looks at its rows, and none go
		for _, a := range actions {
			a.Risks = nil
		}
	}
	if o.Kind == "statistics" {
		for _, a := range actions {
			alsoLocks(a, shareUpdateExclusive, o)
		}
	}
	return locked(actions)
}

func isRelation(k catalog.Kind) bool {
	return vocab.IsTable(k) || k == kindMatView || k == catalog.View
}

// reaches says that what the action does is done to the partitions and child
// tables as well.
func (w *Writer) reaches(c *order.Change, a *order.Action) *order.Action {
	if a.Locks == nil {
		accessExclusive.takes(a)
	}
	for i := range a.Locks {
		l := &a.Locks[i]
		on := c.Actual.Find(l.On)
		if l.On == a.About.Object() || on != nil && on.Has("partition by") { // a foreign key has a copy for each partition
			l.Children = w.below(c.Actual, l.On)
		}
	}
	return a
}

// below counts the partitions and child tables of a table, and theirs.
func (w *Writer) below(cat *catalog.Catalog, table catalog.Ref) int {
	return len(w.descendants(cat, table))
}

// descendants are the partitions and child tables of a table, and theirs.
func (w *Writer) descendants(cat *catalog.Catalog, table catalog.Ref) []catalog.Ref {
	if w.children == nil || w.childrenOf != cat {
		w.children, w.childrenOf = map[catalog.Ref][]catalog.Ref{}, cat
		for _, o := range cat.Objects {
			if !vocab.IsTable(o.Kind) {
				continue
			}
			for _, n := range o.Needs {
				if vocab.IsTable(n.On.Kind) && !n.On.IsPart() && n.On != o.Ref() {
					w.children[n.On] = append(w.children[n.On], o.Ref())
				}
			}
		}
	}
	var out []catalog.Ref
	seen := map[catalog.Ref]bool{}
	var walk func(catalog.Ref)
	walk = func(r catalog.Ref) {
		for _, child := range w.children[r] {
			if !seen[child] {
				seen[child] = true
				out = append(out, child)
				walk(child)
			}
		}
	}
	walk(table)
	return out
}

// alsoLocks adds the locks on the tables that a foreign key, or a partition or
// child, refers to.
func alsoLocks(a *order.Action, m lockMode, o *catalog.Object) {
	for _, n := range o.Needs {
		if vocab.IsTable(n.On.Kind) && n.On.Object() != a.About.Object() {
			a.Locks = append(a.Locks, m.on(n.On))
		}
	}
}
