package choose_test

import (
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
)

// TestWhatIsLeftHoldsBackOnlyWhatLacksIt: a view and a key on a table wait for it only
// where what is left of it is what they need.
func TestWhatIsLeftHoldsBackOnlyWhatLacksIt(t *testing.T) {
	kinds := catalog.NewKinds([]catalog.Kind{catalog.Table, catalog.Column, catalog.Index, catalog.View}, nil)
	structure := func(columns, indexes string, view bool) *catalog.Catalog {
		c := &catalog.Catalog{Kinds: kinds}
		o := &catalog.Object{Kind: catalog.Table, Name: "call", Space: "relation"}
		for _, f := range strings.Fields(columns) {
			name, typ, _ := strings.Cut(f, "=")
			o.Add((&catalog.Object{Kind: catalog.Column, Name: name}).SetText("type", typ))
		}
		for _, n := range strings.Fields(indexes) {
			o.Add((&catalog.Object{Kind: catalog.Index, Name: n}).SetText("definition", n))
		}
		c.Add(o)
		if view {
			v := &catalog.Object{Kind: catalog.View, Name: "v", Space: "relation"}
			v.Need(o.Ref(), catalog.AspectRowType)
			v.Need(catalog.Ref{Kind: catalog.Table, Name: "call", PartKind: catalog.Column, Part: "berth"}, catalog.AspectType)
			c.Add(v)
		}
		c.Sort()
		return c
	}
	for _, c := range []struct {
		name           string
		source, target [2]string // columns and indexes
		leave          []string  // of the table
		held           bool      // the view waits
	}{
		{"nothing is left", [2]string{"id=int berth=int", "x"}, [2]string{"id=int", ""}, nil, false},
		{"an index that only the target has", [2]string{"id=int berth=int", ""}, [2]string{"id=int berth=int", "old"}, []string{"old"}, false},
		{"an index that only the source has", [2]string{"id=int berth=int", "x"}, [2]string{"id=int berth=int", ""}, []string{"x"}, true},
		{"one of two indexes", [2]string{"id=int berth=int", "x y"}, [2]string{"id=int berth=int", ""}, []string{"x"}, false},
		{"the column that it needs", [2]string{"id=int berth=int", ""}, [2]string{"id=int", ""}, []string{"berth"}, true},
		{"the type of the column", [2]string{"id=int berth=int", "x"}, [2]string{"id=int berth=text", ""}, []string{"berth"}, true},
		{"another column", [2]string{"id=int berth=int n=int", "x"}, [2]string{"id=int berth=int", ""}, []string{"n"}, false},
		{"a column that only the target has", [2]string{"id=int berth=int", ""}, [2]string{"id=int berth=int old=int", ""}, []string{"old"}, false},
		{"all of it", [2]string{"id=int berth=int", ""}, [2]string{"id=int", "old"}, []string{"berth", "old"}, true},
	} {
		cmp := compare.Compare(structure(c.source[0], c.source[1], true), structure(c.target[0], c.target[1], false), compare.Options{})
		made := choose.All(cmp)
		for _, it := range cmp.Items {
			left := 0
			for _, p := range it.Changed() {
				for _, l := range c.leave {
					if p.Object().Name == l && it.Status == compare.Differs {
						made = made.With(p, choose.Choice{Decision: choose.Leave, Why: choose.Asked})
						left++
					}
				}
			}
			if it.Status == compare.Differs && left > 0 && left == len(it.Changed()) { // nothing else of it differs
				made = made.Hold(func(e *choose.Editor) { e.Hold(it.Object().Ref(), choose.Asked) })
			}
		}
		after := made.Hold(func(e *choose.Editor) { e.Dependents() })
		view := cmp.Find(catalog.Ref{Kind: catalog.View, Name: "v"})
		if held := after.Of(view).Decision == choose.Leave; held != c.held {
			t.Errorf("%s is left: the view waits: %v", c.name, held)
		}
		if made.Of(view).Decision != choose.ToTarget {
			t.Errorf("%s: the choices that were made changed", c.name)
		}
		if a, b := after.Target(), after.Target(); a != b {
			t.Errorf("%s: what is wanted is worked out twice", c.name)
		}
	}
}
