package writer

import (
	"slices"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/steps"
	"dappermirror/internal/engine/postgres/vocab"
)

// locked gives every action on what has rows, or stands for rows, its lock:
// where its writer does not say better the strongest, which is never too little.
func locked(actions []*order.Action) []*order.Action {
	for _, a := range actions {
		if steps.IsRelation(a.About.Kind) && a.Locks == nil {
			steps.AccessExclusive.Takes(a)
		}
		a.Locks = slices.DeleteFunc(a.Locks, func(l order.TableLock) bool { return !steps.IsRelation(l.On.Kind) })
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
			steps.AlsoLocks(a, steps.ShareUpdateExclusive, o)
		}
	}
	return locked(actions)
}

// reaches says that what the action does is done to the partitions and child
// tables as well.
func (w *Writer) reaches(c *order.Change, a *order.Action) *order.Action {
	if a.Locks == nil {
		steps.AccessExclusive.Takes(a)
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
