package work

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
)

// toy is an engine in memory, as small as one can be: tables with columns, and
// views over a table. docs/design.md follows it in "how to add an engine".
type toy struct{}

func init() { engine.Register(toy{}) }

// A store is what a toy server keeps: by name, what makes the thing.
type store map[string]string

var (
	servers  = map[string]store{}
	reads    = map[string]int{} // how often each was read
	counting sync.Mutex
	toyKinds = catalog.NewKinds([]catalog.Kind{catalog.Table, catalog.Column, catalog.View}, []catalog.KindInfo{{Kind: catalog.Table}, {Kind: catalog.Column}, {Kind: catalog.View}})
)

func (toy) Name() string             { return "toy" }
func (toy) Title() string            { return "Toy" }
func (toy) Schemes() []string        { return []string{"toy"} }
func (toy) Kinds() *catalog.Kinds    { return toyKinds }
func (toy) Groups() []string         { return nil }
func (toy) Proven() string           { return "nothing" }
func (toy) Dialect() sqltext.Dialect { return sqltext.Dialect{} }
func (toy) Classes() map[string]engine.Class {
	return map[string]engine.Class{"begin": engine.Begins, "commit": engine.Commits}
}
func (toy) Blank() *catalog.Catalog                   { return &catalog.Catalog{Engine: "toy", Kinds: toyKinds} }
func (toy) Writer(o engine.WriteOptions) order.Writer { return toyWriter{} }
func (toy) Frame(*order.Plan) engine.Frame {
	return engine.Frame{Begin: "BEGIN;", Commit: "COMMIT;", RunWith: "toy %[1]s < %[2]s", Notes: []string{"Everything runs in one transaction."}}
}

func (toy) Definition(o *catalog.Object) string {
	return strings.Join(toyWriter{}.Create(&order.Change{Item: &compare.Item{Source: o}})[0].SQL, "\n")
}

func (toy) Open(_ context.Context, address string, _ engine.OpenOptions) (engine.Database, error) {
	name := strings.TrimPrefix(address, "toy://")
	if servers[name] == nil {
		return nil, engine.ErrNotFound
	}
	return &toyDB{name: name}, nil
}

// Scratch implements engine.Scratcher.
func (toy) Scratch(context.Context, string, *catalog.Catalog) (engine.Database, string, func() error, error) {
	servers["scratch"] = store{}
	return &toyDB{name: "scratch"}, "a toy in memory", func() error { delete(servers, "scratch"); return nil }, nil
}

type toyDB struct {
	name   string
	before store // when a transaction is open
}

func (d *toyDB) Close() error { return nil }

// Read implements engine.Database: a table is "table a int, b text", a view
// "view of table".
func (d *toyDB) Read(context.Context) (*catalog.Catalog, error) {
	c := toy{}.Blank()
	counting.Lock()
	reads[d.name]++
	counting.Unlock()
	for name, made := range servers[d.name] {
		kind, rest, _ := strings.Cut(made, " ")
		o := &catalog.Object{Kind: catalog.Kind(kind), Name: name, Space: "relation"}
		if o.Kind == catalog.View {
			o.Set("of", catalog.Scalar(rest))
			o.Need(catalog.Ref{Kind: catalog.Table, Name: rest}, catalog.AspectRowType)
			c.Add(o)
			continue
		}
		for _, col := range strings.Split(rest, ", ") {
			n, t, _ := strings.Cut(col, " ")
			p := &catalog.Object{Kind: catalog.Column, Name: n}
			p.Set("type", catalog.Scalar(t))
			o.Add(p)
		}
		c.Add(o)
	}
	c.Sort()
	return c, nil
}

// Exec implements engine.Database: BEGIN, COMMIT, ROLLBACK, CREATE name what…,
// DROP name, ADD table column type, CUT table column.
func (d *toyDB) Exec(_ context.Context, sql string) error {
	s := servers[d.name]
	f := strings.Fields(strings.TrimSuffix(sql, ";"))
	switch f[0] {
	case "BEGIN":
		d.before = maps.Clone(s)
		return nil
	case "COMMIT":
		d.before = nil
		return nil
	case "ROLLBACK":
		servers[d.name], d.before = d.before, nil
		return nil
	case "CREATE":
		if s[f[1]] != "" {
			return fmt.Errorf("%s is there already", f[1])
		}
		if f[2] == "view" && s[f[3]] == "" {
			return fmt.Errorf("there is no %s", f[3])
		}
		s[f[1]] = strings.Join(f[2:], " ")
		return nil
	}
	if s[f[1]] == "" {
		return fmt.Errorf("there is no %s", f[1])
	}
	switch f[0] {
	case "DROP":
		for name, made := range s {
			if made == "view "+f[1] {
				return fmt.Errorf("view %s stands on %s", name, f[1])
			}
		}
		delete(s, f[1])
	case "ADD":
		s[f[1]] += ", " + f[2] + " " + f[3]
	case "CUT":
		cols := strings.Split(strings.TrimPrefix(s[f[1]], "table "), ", ")
		s[f[1]] = "table " + strings.Join(slices.DeleteFunc(cols, func(c string) bool { return strings.HasPrefix(c, f[2]+" ") }), ", ")
	default:
		return fmt.Errorf("no statement begins with %s", f[0])
	}
	return nil
}

type toyWriter struct{}

func (toyWriter) Create(c *order.Change) []*order.Action {
	o := c.Source
	a := &order.Action{About: o.Ref(), Title: "create " + o.Kind.Title() + " " + o.Name, Makes: []catalog.Ref{o.Ref()}, Creates: true, Takes: []order.Name{{Space: "relation", Name: o.Name}}}
	made := "view " + o.Text("of")
	if o.Kind == catalog.Table {
		var cols []string
		for _, p := range o.Parts {
			cols = append(cols, p.Name+" "+p.Text("type"))
			a.Makes = append(a.Makes, o.PartRef(p))
		}
		made = "table " + strings.Join(cols, ", ")
	}
	a.SQL = []string{"CREATE " + o.Name + " " + made + ";"}
	return []*order.Action{a}
}

func (toyWriter) Drop(c *order.Change) []*order.Action {
	o := c.Target
	a := &order.Action{About: o.Ref(), Title: "drop " + o.Kind.Title() + " " + o.Name, Removes: []catalog.Ref{o.Ref()}, Frees: []order.Name{{Space: "relation", Name: o.Name}}, SQL: []string{"DROP " + o.Name + ";"}}
	if o.Kind == catalog.Table {
		a.Risks = []order.Risk{{Kind: order.Loss, On: o.Ref(), Text: "every row of table " + o.Name}}
	}
	return []*order.Action{a}
}

// Alter adds and removes columns; a column of another type is made anew.
func (toyWriter) Alter(c *order.Change) ([]*order.Action, bool) {
	if len(c.Properties) > 0 {
		return nil, false
	}
	var out []*order.Action
	for _, it := range c.Parts {
		ref := c.Object().PartRef(it.Object())
		if it.Status == compare.Same {
			continue
		}
		if it.Target != nil {
			out = append(out, &order.Action{About: ref, Title: "drop column " + it.Target.Name + " of " + c.Target.Name, Removes: []catalog.Ref{ref}, SQL: []string{"CUT " + c.Target.Name + " " + it.Target.Name + ";"},
				Risks: []order.Risk{{Kind: order.Loss, On: ref, Text: "every value of column " + it.Target.Name}}})
		}
		if it.Source != nil {
			out = append(out, &order.Action{About: ref, Title: "add column " + it.Source.Name + " to " + c.Source.Name, Makes: []catalog.Ref{ref}, SQL: []string{"ADD " + c.Source.Name + " " + it.Source.Name + " " + it.Source.Text("type") + ";"}})
		}
	}
	return out, true
}

// Survives: a view stands in the way when its table goes, and of nothing else.
func (toyWriter) Survives(_, _ *catalog.Object, _ catalog.Need, e order.Effect) bool { return !e.Gone }
