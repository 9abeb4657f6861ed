package judge

import (
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/scope"
)

// TestUnread: a thing that one side has and did not read is left out on both, and nothing
// else is: not another of its kind, not what bears its name elsewhere.
func TestUnread(t *testing.T) {
	table := func(schema, name string) *catalog.Object {
		o := &catalog.Object{Kind: catalog.Table, Schema: schema, Name: name}
		o.Add(&catalog.Object{Kind: catalog.Column, Name: "id"})
		o.Add(&catalog.Object{Kind: catalog.Index, Name: "ix"})
		return o
	}
	view := &catalog.Object{Kind: catalog.View, Schema: "dbo", Name: "berth"}
	berth, quay, yard := table("dbo", "berth"), table("dbo", "quay"), table("yard", "berth")
	for _, c := range []struct {
		name            string
		on              catalog.Ref
		berth, ix, quay Verdict
	}{
		{"nothing", catalog.Ref{}, Counts, Counts, Counts},
		{"a table", berth.Ref(), NotSeen, Counts, Counts},
		{"an index of it", berth.PartRef(berth.Part(catalog.Index, "ix")), Counts, NotSeen, Counts},
		{"another table", quay.Ref(), Counts, Counts, NotSeen},
		{"one that is not there", catalog.Ref{Kind: catalog.Table, Schema: "dbo", Name: "gone"}, Counts, Counts, Counts},
	} {
		for _, side := range []Side{Source, Target} {
			sides := [2]*catalog.Catalog{{}, {}}
			if c.on.Kind != "" {
				sides[side].Gaps = []catalog.Gap{{On: c.on, Why: "it is of a kind that is not known"}}
			}
			j := New(sides[0], sides[1], scope.Scope{}, nil)
			if (c.on.Kind == "") != j.All() {
				t.Errorf("%s: all counts: %v", c.name, j.All())
			}
			if len(j.Gaps) != len(sides[side].Gaps) || len(j.Gaps) > 0 && j.Gaps[0].Side != side.String() {
				t.Errorf("%s: it is said as %v", c.name, j.Gaps)
			}
			for _, x := range []struct {
				what      string
				got, want Verdict
			}{
				{"the table", j.Considered(berth), c.berth}, {"its index", j.Part(berth, berth.Part(catalog.Index, "ix")), c.ix}, {"its column", j.Part(berth, berth.Part(catalog.Column, "id")), Counts},
				{"another", j.Considered(quay), c.quay}, {"another's index", j.Part(quay, quay.Part(catalog.Index, "ix")), Counts}, {"one of its name elsewhere", j.Considered(yard), Counts}, {"a view of its name", j.Considered(view), Counts},
			} {
				if x.got != x.want {
					t.Errorf("%s, at the %s: the verdict on %s is %q, want %q", c.name, side, x.what, x.got, x.want)
				}
			}
			if left := len(j.Considering([]*catalog.Object{berth, quay, yard, view})); left != 4-map[bool]int{true: 1}[c.berth == NotSeen || c.quay == NotSeen] {
				t.Errorf("%s: %d objects are left", c.name, left)
			}
		}
	}
}
