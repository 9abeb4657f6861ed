package family

import (
	"fmt"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
)

// table is a table, a partition of another where a bound is given.
func table(name, by, parent, bound string, columns ...string) *catalog.Object {
	o := &catalog.Object{Kind: catalog.Table, Schema: "h", Name: name, Space: "relation"}
	o.SetText("partition by", by)
	if parent != "" {
		o.Set("partition of", catalog.List("h."+parent))
		o.SetText("partition bound", bound)
		o.Need(catalog.Ref{Kind: catalog.Table, Schema: "h", Name: parent}, catalog.AspectRowType)
	}
	for _, c := range append(columns, "id integer") {
		n, typ, _ := strings.Cut(c, " ")
		o.Add((&catalog.Object{Kind: catalog.Column, Name: n}).Set("type", catalog.Scalar(typ)))
	}
	return o
}

func catalogOf(objects ...*catalog.Object) *catalog.Catalog {
	c := &catalog.Catalog{Engine: "postgres", Version: "15"}
	for _, o := range objects {
		c.Add(o)
	}
	return c
}

func between(now, was *catalog.Catalog) *order.Change {
	return &order.Change{Item: &compare.Item{}, Desired: now, Actual: was, Memory: map[any]any{}}
}

func listed(objects []*catalog.Object) string {
	var out []string
	for _, o := range objects {
		out = append(out, o.Name)
	}
	return strings.Join(out, " ")
}

// TestSettlers: which partitions take rows of others, which give them up, and
// where those have a place.
func TestSettlers(t *testing.T) {
	root := func() *catalog.Object { return table("call", "RANGE (id)", "", "") }
	part := func(name string, from, to int) *catalog.Object {
		return table(name, "", "call", fmt.Sprintf("FOR VALUES FROM (%d) TO (%d)", from, to))
	}
	rest := table("rest", "", "call", "DEFAULT")
	anew := table("a", "RANGE (id)", "call", "FOR VALUES FROM (0) TO (10)")
	for _, c := range []struct {
		name                string
		now, was            []*catalog.Object
		settle, leave, goes string // goes is where rows of the first that was have a place
	}{
		{"nothing moves", []*catalog.Object{part("a", 0, 10)}, []*catalog.Object{part("a", 0, 10)}, "", "", ""},
		{"one is split", []*catalog.Object{part("a", 0, 5), part("b", 5, 10)}, []*catalog.Object{part("a", 0, 10)}, "a b", "a", "((id IS NOT NULL AND id >= 5 AND id < 10))"},
		{"one goes and another comes", []*catalog.Object{part("b", 10, 20)}, []*catalog.Object{part("a", 0, 10)}, "b", "a", "((id IS NOT NULL AND id >= 10 AND id < 20))"},
		{"one goes", nil, []*catalog.Object{part("a", 0, 10)}, "", "a", ""},
		{"one for the rest comes", []*catalog.Object{rest}, []*catalog.Object{part("a", 0, 10)}, "rest", "a", "true"},
		{"one is partitioned itself", []*catalog.Object{anew}, []*catalog.Object{part("a", 0, 10)}, "a", "a", "((id IS NOT NULL AND id >= 0 AND id < 10))"},
	} {
		now, was := catalogOf(append([]*catalog.Object{root()}, c.now...)...), catalogOf(append([]*catalog.Object{root()}, c.was...)...)
		ch := between(now, was)
		parent := was.Find(catalog.Ref{Kind: catalog.Table, Schema: "h", Name: "call"})
		settle, _ := Settlers(ch, parent)
		if got := listed(settle); got != c.settle {
			t.Errorf("%s: %q settle", c.name, got)
		}
		if got := listed(Leavers(ch, parent)); got != c.leave {
			t.Errorf("%s: %q leave", c.name, got)
		}
		if got := Elsewhere(ch, c.was[0]); got != c.goes {
			t.Errorf("%s: a place for %q", c.name, got)
		}
	}
}

// TestFamiliesEnd: parents that are each other's, as only a made-up capture says
// it, keep nobody busy.
func TestFamiliesEnd(t *testing.T) {
	ring := func(typ string) *catalog.Catalog {
		a, b := table("a", "RANGE (id)", "b", "DEFAULT", "n "+typ), table("b", "RANGE (n)", "a", "DEFAULT", "n "+typ)
		a.Set("inherits", catalog.List("h.b"))
		b.Set("inherits", catalog.List("h.a"))
		return catalogOf(a, b)
	}
	c := between(ring("bigint"), ring("integer"))
	for _, o := range c.Actual.Objects {
		Recast(c, o.Ref())
		RecastAbove(c, c.Actual, o)
		Rebuilt(c, o.Ref())
		Goes(c, o)
		if got := listed(Upwards(c.Actual, ParentNames(o))); got != "a b" && got != "b a" {
			t.Errorf("above %s: %s", o.Name, got)
		}
	}
	if o := Named(c.Actual, `h."no such"`); o != nil {
		t.Errorf("found %s", o.Name)
	}
}
