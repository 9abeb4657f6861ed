// Package counter finds what a column counts by, and lets that go along when the
// column gets another one.
package counter

import (
	"fmt"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/vocab"
)

// Counter is what a column counts by.
type Counter struct {
	Name     string          // of the sequence, as SQL
	Sequence *catalog.Object // nil for an identity, whose sequence is the column's own
}

// Of finds what a column of a catalog counts by.
func Of(cat *catalog.Catalog, col *catalog.Object) (Counter, bool) {
	if col.Has("identity") {
		name := col.Text("identity sequence name")
		return Counter{Name: name}, name != ""
	}
	for _, n := range col.Needs {
		if s := cat.Find(n.On); n.Fact == "default" && s != nil && s.Kind == catalog.Sequence {
			return Counter{vocab.Qualified(s), s}, true
		}
	}
	return Counter{}, false
}

// Keep is the statement that keeps the state of what a column counts by,
// and the statement that gives it to what it counts by then; "" where it goes
// on counting by the same; anew says that the table is made anew. The second
// uses what the first made, aside, or else the greatest value.
func Keep(c *order.Change, ref catalog.Ref, was, now *catalog.Object, anew bool, aside string) (keep, give string) {
	old, had := Of(c.Actual, was)
	next, has := Of(c.Desired, now)
	if now.Has("identity") {
		has = true
	}
	if !has || had && was.Has("identity") && now.Has("identity") && !anew || next.Sequence != nil && c.Actual.Find(next.Sequence.Ref()) != nil {
		return "", ""
	}
	table := c.Desired.Find(ref.Object())
	to := fmt.Sprintf("pg_get_serial_sequence(%s, %s)", vocab.Literal(vocab.Qualified(table)), vocab.Literal(now.Name))
	if next.Sequence != nil {
		to = vocab.Literal(next.Name)
	}
	if had {
		return fmt.Sprintf("CREATE TEMPORARY TABLE %s ON COMMIT DROP AS SELECT last_value, is_called FROM %s;", aside, old.Name),
			fmt.Sprintf("SELECT setval(%s, last_value, is_called) FROM %s;", to, aside)
	}
	return "", fmt.Sprintf("SELECT setval(%s, max(%[2]s)) FROM %s HAVING max(%[2]s) > 0;", to, vocab.Quote(now.Name), vocab.Qualified(table))
}
