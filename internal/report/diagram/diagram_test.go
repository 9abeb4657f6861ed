package diagram

import (
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"dappermirror/internal/report/diagram/graphviz"
	"dappermirror/internal/report/view"
)

// random is a graph of n tables with keys, as schemas have them: most point at a table that
// was made before.
func random(seed uint64, n int) *Graph {
	r := rand.New(rand.NewPCG(seed, 1))
	g := &Graph{Title: "random"}
	for i := range n {
		b := Box{Title: fmt.Sprintf("table_%d", i), Href: "x.html", Rows: []Row{{Name: "id", Type: "integer", Key: "PK"}}}
		for j := range r.IntN(12) {
			b.Rows = append(b.Rows, Row{Name: strings.Repeat("c", 1+r.IntN(40)) + fmt.Sprint(j), Type: "character varying(40)"})
		}
		g.Boxes = append(g.Boxes, b)
		for range r.IntN(3) {
			if i > 0 {
				g.Lines = append(g.Lines, Line{From: i, To: max(0, i-1-r.IntN(20)), FromRow: r.IntN(len(b.Rows)), ToRow: 0, One: r.IntN(5) == 0, Optional: r.IntN(2) == 0})
			}
		}
	}
	g.Lines = append(g.Lines, Line{From: 0, To: 0, FromRow: -1, ToRow: -1})
	return g
}

// TestPlaces: no two tables lie on each other, none outside the drawing, and every key
// begins and ends at a side of its tables, in the row it is of.
func TestPlaces(t *testing.T) {
	m, err := graphviz.New(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer m.Close(t.Context())
	for seed, n := range []int{1, 2, 9, 30, 60, 80} {
		g := random(uint64(seed), n)
		l, err := g.lay(t.Context(), m)
		if err != nil {
			t.Fatal(err)
		}
		for i := range g.Boxes {
			w, h := g.Boxes[i].size()
			if p := l.boxes[i]; p.x < -1 || p.y < -1 || p.x+w > l.w+1 || p.y+h > l.h+1 {
				t.Errorf("%d tables: %d at %v is outside %v×%v", n, i, p, l.w, l.h)
			}
			for j := range i {
				v, k := g.Boxes[j].size()
				if a, b := l.boxes[i], l.boxes[j]; a.x < b.x+v && b.x < a.x+w && a.y < b.y+k && b.y < a.y+h {
					t.Errorf("%d tables: %d and %d lie on each other", n, i, j)
				}
			}
		}
		at := func(p point, box, row int) bool {
			w, _ := g.Boxes[box].size()
			corner := l.boxes[box]
			y := corner.y + rowHeight*(float64(row)+1.5)
			return math.Abs(p.y-y) < rowHeight/2 && (math.Abs(p.x-corner.x) < 3 || math.Abs(p.x-corner.x-w) < 3)
		}
		for i, line := range g.Lines {
			ps := l.lines[i]
			if len(ps) < 4 || !at(ps[0], line.From, line.FromRow) || !at(ps[len(ps)-1], line.To, line.ToRow) {
				t.Errorf("%d tables: key %d from %v to %v, which are at %v and %v", n, i, ps[0], ps[len(ps)-1], l.boxes[line.From], l.boxes[line.To])
			}
		}
	}
}

// TestNamesStayNames: whatever things are called, the drawing is XML that says so.
func TestNamesStayNames(t *testing.T) {
	m, err := graphviz.New(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer m.Close(t.Context())
	names := []string{`<script>x</script>`, `"><b>`, `]]>`, "a\x00b\x1b[31m\u202e", `</svg>`, `x" label="y`, `<TABLE>`, `}; a -> b`, strings.Repeat("界", 200), strings.Repeat("e\u0301", 300), ``, ` `}
	g := &Graph{Title: strings.Join(names, " ")}
	for i, n := range names {
		g.Boxes = append(g.Boxes, Box{Title: n, Href: n, Mark: view.Comes, Main: i == 0, Rows: []Row{{Name: n, Type: n, Key: "FK", Mark: view.Goes}, {Name: n, Remark: true}}})
		g.Lines = append(g.Lines, Line{From: i, To: (i + 1) % len(names), Title: n, Mark: view.Changed})
	}
	svg, err := g.SVG(t.Context(), m)
	if err != nil {
		t.Fatal(err)
	}
	count := map[string]int{}
	for d := xml.NewDecoder(strings.NewReader(svg)); ; {
		tok, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		if s, ok := tok.(xml.StartElement); ok {
			count[s.Name.Local]++
		}
	}
	for tag := range count {
		if !strings.Contains(" svg style g title path circle a rect text ", " "+tag+" ") {
			t.Errorf("there is a <%s>", tag)
		}
	}
	if count["rect"] != 2*len(names) || strings.ContainsAny(svg, "\x00\x1b\u202e") {
		t.Errorf("%v", count)
	}
}

func BenchmarkSVG(b *testing.B) {
	m, err := graphviz.New(b.Context())
	if err != nil {
		b.Fatal(err)
	}
	defer m.Close(b.Context())
	for _, n := range []int{5, 60} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			g := random(7, n)
			for b.Loop() {
				if _, err := g.SVG(b.Context(), m); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
