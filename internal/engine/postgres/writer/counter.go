package writer

import (
	"fmt"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
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

// counter is what a column counts by.
type counter struct {
	name     string          // of the sequence, as SQL
	sequence *catalog.Object // nil for an identity, whose sequence is the column's own
}

// counterOf finds what a column of a catalog counts by.
func counterOf(cat *catalog.Catalog, col *catalog.Object) (counter, bool) {
	if col.Has("identity") {
		name := col.Text("identity sequence name")
		return counter{name: name}, name != ""
	}
	for _, n := range col.Needs {
		if s := cat.Find(n.On); n.Fact == "default" && s != nil && s.Kind == catalog.Sequence {
			return counter{qualified(s), s}, true
		}
	}
	return counter{}, false
}

// keepCounter is the statement that keeps the state of what a column counts by,
// and the statement that gives it to what it counts by then; "" where it goes
// on counting by the same; anew says that the table is made anew. The second
// uses what the first made, or else the greatest value.
func keepCounter(c *order.Change, ref catalog.Ref, was, now *catalog.Object, anew bool) (keep, give string) {
	old, had := counterOf(c.Actual, was)
	next, has := counterOf(c.Desired, now)
	if now.Has("identity") {
		has = true
	}
	if !has || had && was.Has("identity") && now.Has("identity") && !anew || next.sequence != nil && c.Actual.Find(next.sequence.Ref()) != nil {
		return "", ""
	}
	table := c.Desired.Find(ref.Object())
	to := fmt.Sprintf("pg_get_serial_sequence(%s, %s)", literal(qualified(table)), literal(now.Name))
	if next.sequence != nil {
		to = literal(next.name)
	}
	if had {
		return fmt.Sprintf("CREATE TEMPORARY TABLE %s ON COMMIT DROP AS SELECT last_value, is_called FROM %s;", counterName(ref, now), old.name),
			fmt.Sprintf("SELECT setval(%s, last_value, is_called) FROM %s;", to, counterName(ref, now))
	}
	return "", fmt.Sprintf("SELECT setval(%s, max(%[2]s)) FROM %s HAVING max(%[2]s) > 0;", to, quote(now.Name), qualified(table))
}

// counts adds what it takes that a column that stays goes on counting where it
// was, to the actions of its change.
func (w *Writer) counts(c *order.Change, b *columnChange, was *catalog.Object) {
	keep, give := keepCounter(c, b.ref, was, b.col, false)
	if give == "" {
		return
	}
	then := steps.LockFree(&order.Action{About: b.ref, Title: fmt.Sprintf("let column %s of table %s go on counting", b.col.Name, b.o.Name), SQL: []string{give}, Makes: []catalog.Ref{b.ref.Of("counter")}})
	if next, _ := counterOf(c.Desired, b.col); next.sequence != nil {
		then.After = append(then.After, next.sequence.Ref())
	}
	for _, a := range b.out {
		then.Sequel = a
	}
	if keep != "" {
		aside := steps.LockFree(&order.Action{About: b.ref, Title: fmt.Sprintf("keep the counter of column %s of table %s", b.col.Name, b.o.Name), SQL: []string{keep}, Makes: []catalog.Ref{counterPutAside(b.ref)}})
		if old, _ := counterOf(c.Actual, was); old.sequence != nil {
			aside.Uses = []catalog.Ref{old.sequence.Ref()}
		}
		for _, a := range b.out {
			a.After = append(a.After, counterPutAside(b.ref))
		}
		then.After = append(then.After, counterPutAside(b.ref))
		b.out = append([]*order.Action{aside}, b.out...)
	}
	b.out = append(b.out, then)
}
