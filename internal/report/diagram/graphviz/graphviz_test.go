package graphviz

import (
	"context"
	"strings"
	"testing"
)

// TestLayout: graphs are laid out, one after the other, alike each time; what is no graph
// is an error, after which the machine goes on.
func TestLayout(t *testing.T) {
	m, err := New(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer m.Close(t.Context())
	const graph = `digraph { rankdir=LR; a [width=2 height=1]; a -> b; a -> c; }`
	first, err := m.Layout(t.Context(), graph, "dot", "plain")
	if err != nil || !strings.HasPrefix(first, "graph 1 ") || strings.Count(first, "\nedge ") != 2 {
		t.Fatalf("%q %v", first, err)
	}
	for _, c := range []struct{ graph, engine, says string }{
		{"digraph { a -> ", "dot", "syntax error"}, {"", "dot", "no graph"}, {graph, "nowhere", "not recognized"}, {"digraph { a [label=<<TABLE><TR>>] }", "dot", ""}, {graph, "dot", ""},
	} {
		if _, err := m.Layout(t.Context(), c.graph, c.engine, "plain"); c.says != "" && (err == nil || !strings.Contains(err.Error(), c.says)) {
			t.Errorf("%q: %v", c.graph, err)
		}
	}
	for range 20 {
		if again, err := m.Layout(t.Context(), graph, "dot", "plain"); err != nil || again != first {
			t.Fatalf("%q %v", again, err)
		}
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := m.Layout(ctx, graph, "dot", "plain"); err == nil {
		t.Error("it goes on when nobody waits any more")
	}
}
