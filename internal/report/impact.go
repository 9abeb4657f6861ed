package report

import (
	"fmt"
	"io"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/impact"
	"dappermirror/internal/core/words"
)

// JSONImpact is what depends on a thing, and what it depends on.
type JSONImpact struct {
	Place  string           `json:"place"`
	Of     string           `json:"of"`
	Change string           `json:"change,omitempty"`
	Users  []JSONImpactNode `json:"depends_on_it"`
	Needs  []JSONImpactNode `json:"it_depends_on"`
}

// JSONImpactNode is one thing of the trees.
type JSONImpactNode struct {
	What      string           `json:"what"`
	Reasons   []string         `json:"reasons"`
	Text      bool             `json:"by_text_only,omitempty"`
	Fate      string           `json:"fate,omitempty"`
	Elsewhere bool             `json:"listed_elsewhere,omitempty"`
	Nodes     []JSONImpactNode `json:"nodes,omitempty"`
}

// ImpactJSON makes the JSON shape.
func ImpactJSON(place string, r *impact.Report) *JSONImpact {
	return &JSONImpact{Place: place, Of: r.Of.String(), Change: string(r.Change), Users: impactNodes(r.Users), Needs: impactNodes(r.Needs)}
}

func impactNodes(list []*impact.Node) []JSONImpactNode {
	out := []JSONImpactNode{}
	for _, n := range list {
		j := JSONImpactNode{What: n.On.String(), Reasons: n.Reasons, Text: n.Text, Fate: string(n.Fate), Elsewhere: n.Elsewhere}
		if len(n.Nodes) > 0 {
			j.Nodes = impactNodes(n.Nodes)
		}
		out = append(out, j)
	}
	return out
}

// fateMarks are the signs of what becomes of things.
var fateMarks = map[impact.Fate]mark{
	impact.Breaks: {sign: "!", style: orange}, impact.Fails: {sign: "!", style: orange}, impact.PutBack: {sign: "~", style: violet}, impact.Rewrites: {sign: "~", style: violet},
}

// Impact writes both trees.
func Impact(w io.Writer, place string, r *impact.Report, st Style) {
	fmt.Fprintf(w, "place    %s\nof       %s\n", Safe(place), st.Strong(Safe(r.Of.String())))
	if r.Change != impact.None {
		fmt.Fprintf(w, "change   %s\n", r.Change)
	}
	fmt.Fprintf(w, "\n%s\n", st.Strong("depends on it"))
	impactTree(w, r.Users, "", st)
	fmt.Fprintf(w, "\n%s\n", st.Strong("it depends on"))
	impactTree(w, r.Needs, "", st)
	fmt.Fprintln(w)
	n, all := impact.Count(r.Users), 0
	for _, k := range n {
		all += k
	}
	text := words.Number(all, "thing depends on it", "things depend on it")
	for _, f := range []struct {
		fate      impact.Fate
		one, many string
	}{{impact.Breaks, "would break", "would break"}, {impact.Fails, "would fail when it runs", "would fail when they run"}, {impact.PutBack, "would come down and be put back", "would come down and be put back"},
		{impact.Rewrites, "is to be written anew", "are to be written anew"}, {impact.Follows, "follows by itself", "follow by themselves"}} {
		if n[f.fate] > 0 {
			text += "; " + words.Number(n[f.fate], f.one, f.many)
		}
	}
	fmt.Fprintln(w, text)
}

func impactTree(w io.Writer, list []*impact.Node, indent string, st Style) {
	if len(list) == 0 && indent == "" {
		fmt.Fprintln(w, "  nothing")
	}
	for i, n := range list {
		branch, below := "├─ ", "│  "
		if i == len(list)-1 {
			branch, below = "└─ ", "   "
		}
		m, said := fateMarks[n.Fate], strings.Join(n.Reasons, ", ")
		if n.Text {
			said += " (by its text)"
		}
		if n.Fate != impact.Stays {
			said += "; " + string(n.Fate)
		}
		if n.Elsewhere {
			said += "; see its own line"
		}
		sign := ""
		if m.sign != "" {
			sign = st.paint(m.style, m.sign) + " "
		}
		head := "  " + indent + branch + sign + Safe(n.On.String()) + "  "
		Hang(w, head, st.Dim(Safe(said)), max(st.Width, runes(head)+30), nil)
		impactTree(w, n.Nodes, indent+below, st)
	}
}

// ImpactDot writes both trees as a graph in the dot language: an arrow leads from
// what depends to what it depends on.
func ImpactDot(w io.Writer, r *impact.Report) {
	fmt.Fprintf(w, "digraph impact {\n  rankdir=LR;\n  node [shape=box, fontname=\"sans-serif\"];\n  %s [style=bold];\n", dotName(r.Of))
	drawn := map[string]bool{}
	line := func(from, to catalog.Ref, n *impact.Node) {
		style := ""
		if n.Text {
			style = ", style=dashed"
		}
		s := fmt.Sprintf("  %s -> %s [label=%s%s];\n", dotName(from), dotName(to), dotQuote(strings.Join(n.Reasons, ", ")), style)
		if !drawn[s] {
			drawn[s] = true
			io.WriteString(w, s)
		}
	}
	var up, down func(of catalog.Ref, list []*impact.Node)
	up = func(of catalog.Ref, list []*impact.Node) {
		for _, n := range list {
			line(n.On, of, n)
			up(n.On, n.Nodes)
		}
	}
	down = func(of catalog.Ref, list []*impact.Node) {
		for _, n := range list {
			line(of, n.On, n)
			down(n.On, n.Nodes)
		}
	}
	up(r.Of, r.Users)
	down(r.Of, r.Needs)
	fmt.Fprintln(w, "}")
}

func dotName(r catalog.Ref) string { return dotQuote(r.String()) }

// dotQuote writes a text as the dot language has it, where a backslash escapes.
func dotQuote(s string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`, "\n", " ").Replace(Safe(s)) + `"`
}
