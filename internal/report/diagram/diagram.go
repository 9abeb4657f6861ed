// Package diagram draws tables and the keys between them as SVG.
package diagram

import (
	"context"
	"encoding/json"
	"fmt"
	"html"
	"math"
	"slices"
	"strconv"
	"strings"

	"charm.land/lipgloss/v2"

	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/report/diagram/graphviz"
	"dappermirror/internal/report/view"
)

// Graph is what is drawn.
type Graph struct {
	Title string
	Boxes []Box
	Lines []Line
}

// Box is a table.
type Box struct {
	Title, Href string
	Rows        []Row
	Mark        view.Mark // what became of it, where two structures are told apart
	Main        bool      // the one that the diagram is about
}

// Row is a column of a table, or a remark on columns that are not shown.
type Row struct {
	Name, Type string
	Key        string // "PK", "FK" or both
	Mark       view.Mark
	Remark     bool
}

// Line is a foreign key, from the table that has it to the one it points at.
type Line struct {
	From, To       int // boxes
	FromRow, ToRow int // rows of them; -1 for the whole
	// One says that no two rows point at the same one; Optional that a row may point at
	// none.
	One, Optional bool
	Title         string
	Mark          view.Mark
}

// Sizes of what is drawn, in pixels. Texts stand in a font all of whose letters are
// equally wide, so that their width is known without the font.
const (
	letter     = 7.25 // of 12 pixels
	rowHeight  = 20.0
	padding    = 10.0
	mostText   = 34 // letters of a name or type before it is cut
	margin     = 16.0
	gap        = 28.0
	pageRatio  = 1.4
	pointsInch = 72.0
)

func fits(s string) string {
	s = sqltext.CommentSafe(s)
	for lipgloss.Width(s) > mostText {
		r := []rune(strings.TrimSuffix(s, "…"))
		s = string(r[:len(r)-1]) + "…"
	}
	return s
}

func wide(s string) float64 { return float64(lipgloss.Width(fits(s))) * letter }

// size is how large a box is drawn.
func (b *Box) size() (w, h float64) {
	w = wide(b.Title) + 1.2*padding
	if b.Mark != view.Plain {
		w += 2 * letter
	}
	for _, r := range b.Rows {
		w = max(w, b.names()+wide(r.Type)+letter)
	}
	return math.Ceil(w + 2*padding), rowHeight * float64(len(b.Rows)+1)
}

// names is where the types stand.
func (b *Box) names() float64 {
	w, keys := 0.0, 0.0
	for _, r := range b.Rows {
		if !r.Remark {
			w = max(w, wide(r.Name))
		}
		keys = max(keys, float64(len(r.Key)))
	}
	return w + keys*letter + 2.5*letter
}

type point struct{ x, y float64 }

// laid is a graph with its places.
type laid struct {
	w, h  float64
	boxes []point   // upper left corners
	lines [][]point // each the control points of a curve
}

// SVG draws the graph.
func (g *Graph) SVG(ctx context.Context, m *graphviz.Machine) (string, error) {
	l, err := g.lay(ctx, m)
	if err != nil {
		return "", err
	}
	return g.draw(l), nil
}

// lay has Graphviz find a place for the tables that keys join; the others stand in rows
// below.
func (g *Graph) lay(ctx context.Context, m *graphviz.Machine) (*laid, error) {
	joined := make([]bool, len(g.Boxes))
	for _, l := range g.Lines {
		joined[l.From], joined[l.To] = true, true
	}
	out := &laid{boxes: make([]point, len(g.Boxes)), lines: make([][]point, len(g.Lines))}
	if len(g.Lines) > 0 {
		text, err := m.Layout(ctx, g.dot(joined), "dot", "json0")
		if err != nil {
			return nil, err
		}
		if err := g.placed(text, out); err != nil {
			return nil, fmt.Errorf("reading the layout of a diagram: %w", err)
		}
	}
	g.grid(joined, out)
	return out, nil
}

// patience bounds how long Graphviz looks for a better place: of many keys it would for
// minutes (the network simplex and the search for fewer crossings grow faster than they).
func patience(lines int) string {
	switch {
	case lines <= 120:
		return ""
	case lines <= 240:
		return "nslimit=2; nslimit1=2; mclimit=0.3; "
	}
	return "nslimit=0.5; nslimit1=0.5; mclimit=0.1; searchsize=5; splines=line; "
}

// dot is the graph for Graphviz. No name gets there: tables and columns have numbers.
func (g *Graph) dot(joined []bool) string {
	var b strings.Builder
	b.WriteString("digraph {\n" + patience(len(g.Lines)) + "rankdir=RL; nodesep=0.35; ranksep=0.9; pack=28; packmode=\"graph\";\nnode [shape=plain]; edge [dir=none];\n")
	inches := func(px float64) string { return strconv.FormatFloat(px, 'f', 0, 64) }
	for i := range g.Boxes {
		if !joined[i] {
			continue
		}
		w, h := g.Boxes[i].size()
		fmt.Fprintf(&b, `%d [label=<<TABLE BORDER="0" CELLBORDER="0" CELLSPACING="0" CELLPADDING="0" FIXEDSIZE="TRUE" WIDTH="%s" HEIGHT="%s">`, i, inches(w), inches(h))
		for r := -1; r < len(g.Boxes[i].Rows); r++ {
			fmt.Fprintf(&b, `<TR><TD PORT="r%d" FIXEDSIZE="TRUE" WIDTH="%s" HEIGHT="%s"></TD></TR>`, r+1, inches(w), inches(rowHeight))
		}
		b.WriteString("</TABLE>>];\n")
	}
	for i, l := range g.Lines {
		// The parent stands to the left of what points at it. A key of a table that
		// points at itself goes round one side.
		from, to := "w", "e"
		if l.From == l.To {
			from = "e"
		}
		fmt.Fprintf(&b, "%d:r%d:%s -> %d:r%d:%s [n=%d];\n", l.From, l.FromRow+1, from, l.To, l.ToRow+1, to, i)
	}
	b.WriteString("}\n")
	return b.String()
}

// placed reads Graphviz's answer, whose y goes up.
func (g *Graph) placed(text string, out *laid) error {
	var answer struct {
		BB      string `json:"bb"`
		Objects []struct{ Name, Pos string }
		Edges   []struct{ N, Pos string }
	}
	if err := json.Unmarshal([]byte(text), &answer); err != nil {
		return err
	}
	page, err := numbers(answer.BB)
	if err != nil || len(page) != 2 {
		return fmt.Errorf("the size %q: %w", answer.BB, err)
	}
	out.w, out.h = page[1].x, page[1].y
	for _, o := range answer.Objects {
		i, err := strconv.Atoi(o.Name)
		at, e := numbers(o.Pos)
		if err != nil || e != nil || i < 0 || i >= len(g.Boxes) || len(at) != 1 {
			return fmt.Errorf("a place %q %q", o.Name, o.Pos)
		}
		w, h := g.Boxes[i].size()
		out.boxes[i] = point{at[0].x - w/2, out.h - at[0].y - h/2}
	}
	for _, l := range answer.Edges {
		i, err := strconv.Atoi(l.N)
		ps, e := numbers(l.Pos)
		if err != nil || e != nil || i < 0 || i >= len(g.Lines) || len(ps) < 4 {
			return fmt.Errorf("a line %q %q", l.N, l.Pos)
		}
		for j := range ps {
			ps[j].y = out.h - ps[j].y
		}
		out.lines[i] = ps
	}
	return nil
}

// numbers are the points of a text: "1,2 3,4", and "0,0,9,9" for a box.
func numbers(s string) ([]point, error) {
	var all []float64
	for _, f := range strings.FieldsFunc(s, func(r rune) bool { return r == ',' || r == ' ' }) {
		n, err := strconv.ParseFloat(f, 64)
		if err != nil {
			return nil, err
		}
		all = append(all, n)
	}
	var out []point
	for p := range slices.Chunk(all, 2) {
		if len(p) == 2 {
			out = append(out, point{p[0], p[1]})
		}
	}
	return out, nil
}

// grid puts the tables that no key joins in rows below the others.
func (g *Graph) grid(joined []bool, out *laid) {
	width, area := out.w, 0.0
	for i := range g.Boxes {
		if w, h := g.Boxes[i].size(); !joined[i] {
			area += (w + gap) * (h + gap)
			width = max(width, w)
		}
	}
	width = max(width, math.Sqrt(area)*pageRatio)
	x, y, high := 0.0, out.h, 0.0
	if out.h > 0 && area > 0 {
		y += 1.5 * gap
	}
	for i := range g.Boxes {
		if joined[i] {
			continue
		}
		w, h := g.Boxes[i].size()
		if x > 0 && x+w > width {
			x, y, high = 0, y+high+gap, 0
		}
		out.boxes[i] = point{x, y}
		out.w, out.h, high = max(out.w, x+w), max(out.h, y+h), max(high, h)
		x += w + gap
	}
}

// draw is the SVG of a graph. Its colours are those of the page it stands in; by itself
// it has those of the light one.
func (g *Graph) draw(l *laid) string {
	var b strings.Builder
	w, h := math.Ceil(l.w+2*margin), math.Ceil(l.h+2*margin)
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" class="diagram" viewBox="%g %g %g %g" width="%g" height="%g" role="group" aria-label="%s"><style>%s</style>`+"\n", -margin, -margin, w, h, w, h, text(g.Title), looks)
	for i, line := range g.Lines {
		g.line(&b, line, l.lines[i])
	}
	for i := range g.Boxes {
		g.Boxes[i].draw(&b, l.boxes[i])
	}
	b.WriteString("</svg>")
	return b.String()
}

// looks are the same in every diagram; a page that has several has them several times.
const looks = `.diagram{font:12px "DejaVu Sans Mono",Menlo,Consolas,monospace;--i:var(--ink,#1d2a33);--q:var(--quiet,#52636e)}.diagram text{fill:var(--i)}` +
	`.diagram .box{fill:var(--card,#fff);stroke:var(--q);stroke-width:1}.diagram .main .box{stroke-width:2.2}.diagram .head{fill:var(--wash,#e4ecef);stroke:none}.diagram .t{font-weight:700}.diagram .q{fill:var(--q)}` +
	`.diagram .key{fill:none;stroke:var(--q);stroke-width:1.3}.diagram .hit{fill:none;stroke:transparent;stroke-width:10}.diagram .end{fill:var(--paper,#fbfbf8)}.diagram g:hover>.key{stroke:var(--focus,#0b5c9e);stroke-width:2.2}` +
	`.diagram .comes .box,.diagram .comes>.key{stroke:var(--comes,#0b5c9e)}.diagram .goes .box,.diagram .goes>.key{stroke:var(--goes,#9a4d00);stroke-dasharray:5 3}.diagram .changed .box,.diagram .changed>.key{stroke:var(--changed,#7a2f86)}` +
	`.diagram text.comes{fill:var(--comes,#0b5c9e)}.diagram text.goes{fill:var(--goes,#9a4d00)}.diagram text.changed{fill:var(--changed,#7a2f86)}.diagram a:hover .t{text-decoration:underline}`

func text(s string) string { return html.EscapeString(sqltext.CommentSafe(s)) }

// line draws a key: at the end of the table that has it a foot of three toes for many
// rows, at the other a bar for one; a ring beside either for none.
func (g *Graph) line(b *strings.Builder, l Line, ps []point) {
	if len(ps) < 4 {
		return
	}
	var path strings.Builder
	fmt.Fprintf(&path, "M%.1f %.1f", ps[0].x, ps[0].y)
	for c := range slices.Chunk(ps[1:], 3) {
		if len(c) == 3 {
			fmt.Fprintf(&path, "C%.1f %.1f %.1f %.1f %.1f %.1f", c[0].x, c[0].y, c[1].x, c[1].y, c[2].x, c[2].y)
		}
	}
	fmt.Fprintf(b, `<g class="%s"><title>%s</title><path class="hit" d="%s"/><path class="key" d="%s"/>`, l.Mark, text(l.Title), path.String(), path.String())
	end := func(at, towards point, many, none bool) {
		turn := math.Atan2(towards.y-at.y, towards.x-at.x) * 180 / math.Pi
		// Drawn as if the line left to the right.
		d := "M12 0L0 -6M12 0L0 6"
		if !many {
			d = "M9 -6L9 6"
		}
		if !none && !many {
			d += "M5 -6L5 6"
		}
		fmt.Fprintf(b, `<g class="%s" transform="translate(%.1f %.1f) rotate(%.1f)"><path class="key" d="%s"/>`, l.Mark, at.x, at.y, turn, d)
		if none {
			fmt.Fprint(b, `<circle class="key end" cx="16" cy="0" r="4"/>`)
		}
		b.WriteString("</g>")
	}
	end(ps[0], ps[1], !l.One, true)
	end(ps[len(ps)-1], ps[len(ps)-2], false, l.Optional)
	b.WriteString("</g>\n")
}

// draw draws a table.
func (x *Box) draw(b *strings.Builder, at point) {
	w, h := x.size()
	class := string(x.Mark)
	if x.Main {
		class += " main"
	}
	fmt.Fprintf(b, `<g class="%s" transform="translate(%.1f %.1f)">`, strings.TrimSpace(class), at.x, at.y)
	if x.Href != "" {
		fmt.Fprintf(b, `<a href="%s">`, text(x.Href))
	}
	title := fits(x.Title)
	fmt.Fprintf(b, `<title>%s</title><rect class="box" width="%g" height="%g" rx="3"/><rect class="head" x="1" y="1" width="%g" height="%g" rx="2"/>`, text(x.Title), w, h, w-2, rowHeight-1)
	if sign := view.Signs[x.Mark]; sign != "" {
		title = sign + " " + title
	}
	fmt.Fprintf(b, `<text class="t %s" x="%g" y="14">%s</text>`, x.Mark, padding, html.EscapeString(title))
	names := x.names()
	for i, r := range x.Rows {
		y := rowHeight*float64(i+1) + 14
		if r.Remark {
			fmt.Fprintf(b, `<text class="q" x="%g" y="%g">%s</text>`, padding, y, html.EscapeString(fits(r.Name)))
			continue
		}
		name := fits(r.Name)
		fmt.Fprintf(b, `<text class="%s" x="%g" y="%g">`, r.Mark, padding, y)
		if sign := view.Signs[r.Mark]; sign != "" {
			name = sign + " " + name
		}
		if r.Name != fits(r.Name) {
			fmt.Fprintf(b, `<title>%s</title>`, text(r.Name))
		}
		fmt.Fprintf(b, `%s</text>`, html.EscapeString(name))
		if r.Key != "" {
			fmt.Fprintf(b, `<text class="q" x="%g" y="%g" font-size="9">%s</text>`, names-float64(len(r.Key))*5-letter+padding, y, r.Key)
		}
		if r.Type != "" {
			fmt.Fprintf(b, `<text class="q" x="%g" y="%g">%s</text>`, names+padding, y, html.EscapeString(fits(r.Type)))
		}
	}
	if x.Href != "" {
		b.WriteString("</a>")
	}
	b.WriteString("</g>\n")
}
