package document

import (
	"context"
	"fmt"
	"html/template"
	"slices"
	"strings"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/files"
	"dappermirror/internal/report/diagram"
	"dappermirror/internal/report/diagram/graphviz"
	"dappermirror/internal/report/view"
)

// mostRows is how many columns a table shows in a diagram.
const mostRows = 30

// drawPatience is how long a diagram may take; what takes longer is a knot.
const drawPatience = 30 * time.Second

// draw has a graph drawn; nil where that takes too long.
func (b *book) draw(ctx context.Context, g *diagram.Graph) (*drawing, error) {
	within, cancel := context.WithTimeout(ctx, drawPatience)
	defer cancel()
	if b.layout == nil {
		m, err := graphviz.New(ctx)
		if err != nil {
			return nil, err
		}
		b.layout = m
	}
	svg, err := g.SVG(within, b.layout)
	if err != nil && ctx.Err() == nil && within.Err() != nil { // the machine is closed
		b.layout = nil
		b.undone = append(b.undone, g.Title+" is not drawn: it took too long")
		return nil, nil
	}
	return &drawing{Title: g.Title, SVG: template.HTML(svg), Since: b.Since != nil}, err
}

// box adds a table to a graph, once. all shows all of its columns, not those of keys
// alone.
func (b *book) box(g *diagram.Graph, at map[catalog.Ref]int, root string, t *thing, all bool) int {
	if i, ok := at[t.ref]; ok {
		return i
	}
	x := diagram.Box{Title: titleOf(t.Object), Href: b.href(root, t.ref), Mark: markOf(t.status)}
	primary, foreign := map[string]bool{}, map[string]bool{}
	for _, p := range t.PartsOf(catalog.PrimaryKey) {
		for _, c := range columnsOf(t.Object, p) {
			primary[c] = true
		}
	}
	for _, k := range b.keys[t.ref] {
		for _, c := range k.columns {
			foreign[c] = true
		}
	}
	ends := map[string]bool{} // that other tables point at
	for _, k := range b.into[t.ref] {
		for _, c := range k.ends {
			ends[c] = true
		}
	}
	left := 0
	for _, c := range b.parts(t, catalog.Column) {
		mark := markOf(b.partStatus(t, c))
		if t.status != compare.Differs {
			mark = view.Plain // the whole table is marked
		}
		if !all && !primary[c.Name] && !foreign[c.Name] && !ends[c.Name] && mark == view.Plain || len(x.Rows) >= mostRows {
			left++
			continue
		}
		r := diagram.Row{Name: c.Name, Type: c.Text("type"), Mark: mark}
		if primary[c.Name] {
			r.Key = "PK"
		}
		if foreign[c.Name] {
			r.Key = strings.TrimSpace(r.Key + " FK")
		}
		x.Rows = append(x.Rows, r)
	}
	if left > 0 {
		x.Rows = append(x.Rows, diagram.Row{Name: fmt.Sprintf("… %d more", left), Remark: true})
	}
	at[t.ref] = len(g.Boxes)
	g.Boxes = append(g.Boxes, x)
	return at[t.ref]
}

// join adds a key to a graph that has both of its tables.
func (b *book) join(g *diagram.Graph, at map[catalog.Ref]int, k *key) {
	from, to := at[k.of], at[k.to]
	row := func(box int, columns []string) int {
		if len(columns) != 1 {
			return -1
		}
		return slices.IndexFunc(g.Boxes[box].Rows, func(r diagram.Row) bool { return r.Name == columns[0] && !r.Remark })
	}
	title := fmt.Sprintf("%s (%s) to %s: %s", titleOf(b.of[k.of].Object), strings.Join(k.columns, ", "), titleOf(b.of[k.to].Object), k.says())
	g.Lines = append(g.Lines, diagram.Line{From: from, To: to, FromRow: row(from, k.columns), ToRow: row(to, k.ends), One: k.one, Optional: k.optional, Title: title, Mark: markOf(k.status)})
}

// neighbours draws a table with those that it points at and that point at it.
func (b *book) neighbours(ctx context.Context, root string, t *thing) (*drawing, error) {
	g := &diagram.Graph{Title: titleOf(t.Object) + " and its neighbours"}
	at := map[catalog.Ref]int{}
	g.Boxes[b.box(g, at, root, t, true)].Main = true
	keys := slices.Clone(b.keys[t.ref])
	for _, k := range b.into[t.ref] {
		if k.of != t.ref { // a table that points at itself does so once
			keys = append(keys, k)
		}
	}
	left := 0
	for _, k := range keys {
		other := k.to
		if other == t.ref {
			other = k.of
		}
		if _, ok := at[other]; !ok && len(g.Boxes) > MostDrawn/2 {
			left++
			continue
		}
		b.box(g, at, root, b.of[other], false)
		b.join(g, at, k)
	}
	if left > 0 {
		g.Title += fmt.Sprintf(", %d of which are not drawn", left)
	}
	return b.draw(ctx, g)
}

// drawings draws all tables where they are few, or those of each schema that has few.
func (b *book) drawings(ctx context.Context, root string, each func(d *drawing, file string) error) error {
	by := map[string][]*thing{}
	var schemas []string
	var all []*thing
	for _, t := range b.things {
		if t.Kind != catalog.Table {
			continue
		}
		if by[t.Schema] == nil {
			schemas = append(schemas, t.Schema)
		}
		by[t.Schema], all = append(by[t.Schema], t), append(all, t)
	}
	slices.Sort(schemas)
	draw := func(title, file string, list []*thing) error {
		if len(list) > MostDrawn {
			b.undone = append(b.undone, fmt.Sprintf("%s: they are not drawn, since there are %d; the page of each shows its neighbours", title, len(list)))
		}
		if len(list) < 2 || len(list) > MostDrawn {
			return nil
		}
		g := &diagram.Graph{Title: title}
		at := map[catalog.Ref]int{}
		for _, t := range list {
			b.box(g, at, root, t, len(list) <= 8)
		}
		for _, t := range list {
			for _, k := range b.keys[t.ref] {
				if _, ok := at[k.to]; ok {
					b.join(g, at, k)
				}
			}
		}
		if len(g.Lines) > MostKeys {
			b.undone = append(b.undone, fmt.Sprintf("%s: they are not drawn, since nobody could follow %d lines between %d tables; the page of each shows its neighbours", title, len(g.Lines), len(list)))
			return nil
		}
		d, err := b.draw(ctx, g)
		if d == nil || err != nil {
			return err
		}
		return each(d, file)
	}
	if err := draw("All tables and their keys", "diagram", all); err != nil || len(all) <= MostDrawn && len(schemas) == 1 {
		return err
	}
	for _, s := range schemas {
		if s == "" && len(schemas) == 1 {
			continue
		}
		if err := draw("Tables of "+s, "diagram-"+files.Safe(s), by[s]); err != nil {
			return err
		}
	}
	return nil
}
