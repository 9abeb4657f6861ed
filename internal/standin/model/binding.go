package model

import (
	"slices"
	"strings"

	"dappermirror/internal/standin/tsql"
)

// What a query may name and where is looked at before a row is: the rules of grouped
// queries, of DISTINCT and of names (SQL Server: SELECT, GROUP BY, ORDER BY, FROM).

// grouping is what the columns of a grouped query may be made of.
type grouping struct {
	x     *session
	scope *scope
	by    map[string]int    // the expressions, as they are compared, with their sizes
	sizes map[tsql.Expr]int // of how many parts an expression is made
}

func (x *session) groupingOf(by []tsql.Expr, sc *scope, outer *env) grouping {
	g := grouping{x: x, scope: sc, by: map[string]int{}, sizes: map[tsql.Expr]int{}}
	for _, e := range by {
		walkOwn(e, func(e tsql.Expr) {
			if n, ok := e.(*tsql.Name); ok {
				x.column(&env{scope: sc, outer: outer}, n)
			}
		})
		g.by[tsql.Bare(e, x.d.fold)] = g.size(e)
	}
	return g
}

func (g grouping) size(e tsql.Expr) int {
	if e == nil {
		return 0
	}
	n, known := g.sizes[e]
	if !known {
		n = 1
		for _, p := range tsql.Parts(e) {
			n += g.size(p)
		}
		g.sizes[e] = n
	}
	return n
}

// is tells whether rows are grouped by an expression. Only those of the same size are
// compared, so that long ones are not written down once for each of their parts.
func (g grouping) is(e tsql.Expr) bool {
	n := g.size(e)
	for _, m := range g.by {
		if m == n {
			_, found := g.by[tsql.Bare(e, g.x.d.fold)]
			return found
		}
	}
	return false
}

// free is a column of the query itself that stands outside of what it is grouped by and of
// aggregates; nil where there is none.
func (g grouping) free(e tsql.Expr) *tsql.Name {
	if e == nil || g.is(e) {
		return nil
	}
	switch e := e.(type) {
	case *tsql.Name:
		if g.x.lookup(g.scope, e) >= 0 {
			return e
		}
		return nil
	case *tsql.Call:
		if len(e.Name) == 1 && e.Over == nil && aggregateNames[strings.ToLower(e.Name[0])] {
			return nil
		}
	case *tsql.Subquery, *tsql.Exists, *tsql.Quantified:
		return nil
	}
	for _, part := range tsql.Parts(e) {
		if n := g.free(part); n != nil {
			return n
		}
	}
	return nil
}

// grouped sees that a query that is grouped, or aggregated as a whole, names columns only
// where each group has one value of them.
func (x *session) grouped(s *tsql.Select, items []tsql.Item, order []tsql.OrderItem, sc *scope, outer *env) {
	g := x.groupingOf(x.groupedBy(s.Group), sc, outer)
	of := func(n *tsql.Name) string {
		c := sc.cols[x.lookup(sc, n)]
		return strings.TrimPrefix(c.of+"."+c.name, ".")
	}
	for _, it := range items {
		if n := g.free(it.X); n != nil {
			panic(fail(8120, "Column '%s' is invalid in the select list because it is not contained in either an aggregate function or the GROUP BY clause.", of(n)))
		}
	}
	if n := g.free(s.Having); n != nil {
		panic(fail(8121, "Column '%s' is invalid in the HAVING clause because it is not contained in either an aggregate function or the GROUP BY clause.", of(n)))
	}
	for _, o := range order {
		if n := g.free(o.X); n != nil && !x.shown(o.X, items) {
			panic(fail(8127, "Column \"%s\" is invalid in the ORDER BY clause because it is not contained in either an aggregate function or the GROUP BY clause.", of(n)))
		}
	}
}

// shown tells whether an expression of ORDER BY is one of the select list: by its place, its
// alias or what it is.
func (x *session) shown(e tsql.Expr, items []tsql.Item) bool {
	if l, ok := e.(*tsql.Literal); ok && l.Kind == '#' {
		return true
	}
	return slices.ContainsFunc(items, func(it tsql.Item) bool {
		n, ok := e.(*tsql.Name)
		return ok && len(n.Parts) == 1 && it.Alias != "" && x.d.fold(it.Alias) == x.d.fold(n.Parts[0]) || tsql.Bare(e, x.d.fold) == tsql.Bare(it.X, x.d.fold)
	})
}

// sorted sees that what DISTINCT leaves is sorted by what is shown.
func (x *session) sorted(items []tsql.Item, order []tsql.OrderItem) {
	for _, o := range order {
		if !x.shown(o.X, items) {
			panic(fail(145, "ORDER BY items must appear in the select list if SELECT DISTINCT is specified."))
		}
	}
}

// exposed sees that no two tables of a FROM go by one name.
func (x *session) exposed(list []tsql.From) {
	seen := map[string]bool{} // with whether it is an alias
	var see func(f *tsql.From)
	see = func(f *tsql.From) {
		if f.L != nil {
			see(f.L)
			see(f.R)
			return
		}
		key, aliased := x.d.fold(f.Alias), f.Alias != ""
		switch {
		case aliased:
		case f.Name == nil || strings.HasPrefix(f.Name[0], "@"):
			return
		case len(f.Name) == 1:
			key = x.d.fold("dbo." + f.Name[0])
		default:
			key = x.d.fold(strings.Join(f.Name, "."))
		}
		was, found := seen[key]
		switch {
		case found && was && aliased:
			panic(fail(1011, "The correlation name '%s' is specified multiple times in a FROM clause.", f.Alias))
		case found:
			panic(fail(1013, "The objects \"%s\" and \"%s\" in the FROM clause have the same exposed names. Use correlation names to distinguish them.", strings.Join(f.Name, "."), strings.Join(f.Name, ".")))
		}
		seen[key] = aliased
	}
	for i := range list {
		see(&list[i])
	}
}

// once sees that the columns of a table that a query makes have names of their own.
func (x *session) once(r *relation, of string) *relation {
	seen := map[string]bool{}
	for _, c := range r.cols {
		if key := x.d.fold(c.name); !c.any && seen[key] {
			panic(fail(8156, "The column '%s' was specified multiple times for '%s'.", c.name, of))
		} else {
			seen[key] = true
		}
	}
	return r
}

// bindUpdate is bind of what a table alone is changed by.
func (x *session) bindUpdate(b *tsql.Update) {
	if x.lookedUp[b] {
		return
	}
	q := &tsql.Query{With: b.With, First: &tsql.Select{From: []tsql.From{{Name: b.Table}}, Where: b.Where}}
	for i, s := range b.Sets {
		if s.Var == "" && slices.ContainsFunc(b.Sets[:i], func(o tsql.Item) bool { return o.Var == "" && x.d.fold(o.Alias) == x.d.fold(s.Alias) }) {
			panic(fail(264, "The column name '%s' is specified more than once in the SET clause or column list of an INSERT. A column cannot be assigned more than one value in the same clause.", s.Alias))
		}
		if _, ok := s.X.(*tsql.Word); !ok {
			q.First.Items = append(q.First.Items, tsql.Item{X: s.X})
		}
	}
	if b.From == nil && len(q.First.Items) > 0 {
		x.bind(q)
	}
	x.looked(b)
}

// bind looks the names of a query up before it is run, as rows may be few. What the catalog
// shows is left to the running.
func (x *session) bind(q *tsql.Query) {
	from := sources(q)
	if x.drily || x.lookedUp[q] || len(from) == 0 || slices.ContainsFunc(from, func(f *tsql.From) bool {
		return len(f.Name) > 1 && (strings.EqualFold(f.Name[len(f.Name)-2], "sys") || strings.EqualFold(f.Name[len(f.Name)-2], "information_schema")) || f.Call != nil
	}) {
		return
	}
	x.dry(func() { x.query(q, nil) })
	x.looked(q)
}

// looked notes that the names of a statement were looked up: in a loop that is done once.
func (x *session) looked(at any) {
	if x.lookedUp == nil {
		x.lookedUp = map[any]bool{}
	}
	x.lookedUp[at] = true
}
