package impact_test

import (
	"fmt"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/impact"
	"dappermirror/internal/core/order"
)

// toy is a writer under which only views fall when what they read changes.
type toy struct{ order.Writer }

func (toy) Survives(owner, _ *catalog.Object, _ catalog.Need, _ order.Effect) bool {
	return owner.Kind != catalog.View
}

func ref(text string) catalog.Ref {
	kind, name, _ := strings.Cut(text, ":")
	if table, col, ok := strings.Cut(name, "."); ok {
		return catalog.Ref{Kind: catalog.Table, Name: table, PartKind: catalog.Kind(kind), Part: col}
	}
	return catalog.Ref{Kind: catalog.Kind(kind), Name: name}
}

// graph is a catalog of edges: "view:a > table:b" with "~" for one by text only.
func graph(edges ...string) *catalog.Catalog {
	c := &catalog.Catalog{Engine: "toy"}
	at := func(r catalog.Ref) (o, self *catalog.Object) {
		if o = c.Find(r); o == nil {
			o = &catalog.Object{Kind: r.Kind, Name: r.Name}
			c.Add(o)
		}
		if !r.IsPart() {
			return o, o
		}
		if self = o.Part(r.PartKind, r.Part); self == nil {
			self = &catalog.Object{Kind: r.PartKind, Name: r.Part}
			o.Add(self)
		}
		return o, self
	}
	for _, e := range edges {
		f := strings.Fields(e)
		_, user := at(ref(f[0]))
		at(ref(f[2]))
		user.Needs = append(user.Needs, catalog.Need{On: ref(f[2]), Aspect: catalog.AspectType, Text: f[1] == "~"})
	}
	c.Sort()
	return c
}

func lines(list []*impact.Node, indent string) (out string) {
	for _, n := range list {
		out += indent + n.On.String()
		if n.Text {
			out += " ~"
		}
		if n.Fate != impact.Stays {
			out += " " + map[impact.Fate]string{impact.Breaks: "breaks", impact.Fails: "fails", impact.PutBack: "back", impact.Follows: "follows", impact.Rewrites: "anew"}[n.Fate]
		}
		if n.Elsewhere {
			out += " elsewhere"
		}
		out += "\n" + lines(n.Nodes, indent+" ")
	}
	return out
}

// TestTrees: users and needs are followed transitively, each thing once, through
// circles too; a change reaches on only through what comes down.
func TestTrees(t *testing.T) {
	c := graph("view:a > column:t.x", "view:a > table:t", "view:b > view:a", "view:c > view:b", "view:c > view:a", "index:t.i > column:t.x", "routine:r ~ table:t", "view:d > routine:r",
		"foreign-key:u.k > column:t.id", "view:p > view:q", "view:q > view:p", "view:p > table:u")
	for _, x := range []struct {
		of           string
		change       impact.Change
		users, needs string
	}{
		{"column:t.x", impact.None, "view:a\n view:b\n  view:c elsewhere\n view:c\nindex:t.i\n", ""},
		{"column:t.x", impact.Type, "view:a back\n view:b back\n  view:c back elsewhere\n view:c back\nindex:t.i\n", ""},
		{"column:t.x", impact.Drop, "view:a breaks\n view:b breaks\n  view:c breaks elsewhere\n view:c breaks\nindex:t.i breaks\n", ""},
		{"table:t", impact.Drop, "view:a breaks\n view:b breaks\n  view:c breaks elsewhere\n view:c breaks\nroutine:r ~ fails\n view:d\nforeign-key:u.k breaks\n", ""},
		{"table:t", impact.Rename, "view:a follows\n view:b\n  view:c elsewhere\n view:c\nroutine:r ~ anew\n view:d\nforeign-key:u.k follows\n", ""},
		{"view:c", impact.None, "", "view:a\n table:t\nview:b\n view:a elsewhere\n"},
		{"view:p", impact.Drop, "view:q breaks\n view:p breaks elsewhere\n", "view:q\n view:p elsewhere\ntable:u\n table:t\n"},
		{"table:u", impact.None, "view:p\n view:q\n  view:p elsewhere\n", "table:t\n"},
	} {
		r := impact.Of(c, ref(x.of), x.change, toy{})
		if got := lines(r.Users, ""); got != x.users {
			t.Errorf("%s %s: depends on it:\n%snot\n%s", x.of, x.change, lines(r.Users, ""), x.users)
		}
		if got := lines(r.Needs, ""); got != x.needs {
			t.Errorf("%s %s: it depends on:\n%snot\n%s", x.of, x.change, got, x.needs)
		}
	}
	// A ladder on which every rung needs the two below has ever more ways down.
	var edges []string
	for i := range 60 {
		edges = append(edges, fmt.Sprintf("view:v%d > view:v%d", i+2, i+1), fmt.Sprintf("view:v%d > view:v%d", i+2, i))
	}
	if n := strings.Count(lines(impact.Of(graph(edges...), ref("view:v0"), impact.Drop, toy{}).Users, ""), "\n"); n > 200 {
		t.Errorf("the tree has %d lines", n)
	}
}
