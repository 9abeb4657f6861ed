package writer

import (
	"fmt"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/counter"
	"dappermirror/internal/engine/postgres/steps"
)

// A column counts by the sequence of its identity or by the one its default
// names. Where that one goes or another one takes over, its state waits in a
// temporary table and goes along: a number is never given twice.

const counterAside catalog.Kind = "counter aside"

func counterName(r catalog.Ref, col *catalog.Object) string {
	return asideFor("counter", r.Name+"_"+col.Name, r.Schema, r.Name, col.Name)
}

func counterPutAside(col catalog.Ref) catalog.Ref {
	return catalog.Ref{Kind: counterAside, Schema: col.Schema, Name: col.Name, PartKind: col.PartKind, Part: col.Part}
}

// counts adds what it takes that a column that stays goes on counting where it
// was, to the actions of its change.
func (w *Writer) counts(c *order.Change, b *columnChange, was *catalog.Object) {
	keep, give := counter.Keep(c, b.ref, was, b.col, false, counterName(b.ref, b.col))
	if give == "" {
		return
	}
	then := steps.LockFree(&order.Action{About: b.ref, Title: fmt.Sprintf("let column %s of table %s go on counting", b.col.Name, b.o.Name), SQL: []string{give}, Makes: []catalog.Ref{b.ref.Of("counter")}})
	if next, _ := counter.Of(c.Desired, b.col); next.Sequence != nil {
		then.After = append(then.After, next.Sequence.Ref())
	}
	for _, a := range b.out {
		then.Sequel = a
	}
	if keep != "" {
		aside := steps.LockFree(&order.Action{About: b.ref, Title: fmt.Sprintf("keep the counter of column %s of table %s", b.col.Name, b.o.Name), SQL: []string{keep}, Makes: []catalog.Ref{counterPutAside(b.ref)}})
		if old, _ := counter.Of(c.Actual, was); old.Sequence != nil {
			aside.Uses = []catalog.Ref{old.Sequence.Ref()}
		}
		for _, a := range b.out {
			a.After = append(a.After, counterPutAside(b.ref))
		}
		then.After = append(then.After, counterPutAside(b.ref))
		b.out = append([]*order.Action{aside}, b.out...)
	}
	b.out = append(b.out, then)
}
