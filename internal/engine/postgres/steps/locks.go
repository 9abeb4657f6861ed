package steps

import (
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/vocab"
)

// LockMode is a lock mode of tables, the weakest first (PostgreSQL: Explicit
// Locking, table 13.2).
type LockMode int

const (
	RowExclusive LockMode = iota + 1
	ShareUpdateExclusive
	Share
	ShareRowExclusive
	AccessExclusive
)

var LockModes = map[LockMode]struct{ name, waits string }{
	RowExclusive:         {"ROW EXCLUSIVE", "writers of the same rows wait"},
	ShareUpdateExclusive: {"SHARE UPDATE EXCLUSIVE", "nobody waits but other changes of the table and VACUUM"},
	Share:                {"SHARE", "writers wait"},
	ShareRowExclusive:    {"SHARE ROW EXCLUSIVE", "writers wait"},
	AccessExclusive:      {"ACCESS EXCLUSIVE", "readers and writers wait"},
}

func (m LockMode) On(ref catalog.Ref) order.TableLock {
	return order.TableLock{On: ref.Object(), Mode: LockModes[m].name, Waits: LockModes[m].waits, Rank: int(m)}
}

// Takes says which lock an action takes where that is not the strongest.
func (m LockMode) Takes(a *order.Action) *order.Action {
	a.Locks = []order.TableLock{m.On(a.About)}
	return a
}

// LockFree says that an action locks no table that others read or write.
func LockFree(a *order.Action) *order.Action {
	a.Locks = []order.TableLock{}
	return a
}

func IsRelation(k catalog.Kind) bool {
	return vocab.IsTable(k) || k == vocab.MatView || k == catalog.View
}

// AlsoLocks adds the locks on the tables that a foreign key, or a partition or
// child, refers to.
func AlsoLocks(a *order.Action, m LockMode, o *catalog.Object) {
	for _, n := range o.Needs {
		if vocab.IsTable(n.On.Kind) && n.On.Object() != a.About.Object() {
			a.Locks = append(a.Locks, m.On(n.On))
		}
	}
}
