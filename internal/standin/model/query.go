package model

import (
	"math"
	"slices"
	"strings"

	"dappermirror/internal/standin/tsql"
)

// relation is a table of values, as queries read and make them.
type relation struct {
	cols []relCol
	rows [][]any
}

// relCol is one column of a relation.
type relCol struct {
	of, name string // of is what its table goes by
	whole    bool   // it holds whole numbers, also where no row says so
	exactly  bool   // letter case counts
	typ      dataType
	nullable bool
	hidden   bool // from a star
	any      bool // it stands for whatever is asked for
}

// scope is what names can stand for.
type scope struct {
	cols  []relCol
	known map[*tsql.Name]int
}

// env is a row in its scope, within those of the queries around it.
type env struct {
	*scope
	row   []any
	outer *env
	group [][]any // the rows of a group, where one is looked at
	ctes  map[string]*relation
	items []tsql.Item // what ORDER BY may call by its alias
	made  []any
}

func newScope(cols []relCol) *scope { return &scope{cols, map[*tsql.Name]int{}} }

// lookup is the place of a name in a scope, -1 where it is not there.
func (x *session) lookup(s *scope, n *tsql.Name) int {
	if at, ok := s.known[n]; ok {
		return at
	}
	of, name := "", n.Parts[len(n.Parts)-1]
	if len(n.Parts) > 1 {
		of = n.Parts[len(n.Parts)-2]
	}
	found := -1
	for i, c := range s.cols {
		if x.d.fold(c.name) != x.d.fold(name) || of != "" && x.d.fold(c.of) != x.d.fold(of) {
			continue
		}
		if found >= 0 {
			panic(fail(209, "Ambiguous column name '%s'.", name))
		}
		found = i
	}
	if found < 0 {
		found = slices.IndexFunc(s.cols, func(c relCol) bool { return c.any && (of == "" || x.d.fold(c.of) == x.d.fold(of)) })
	}
	s.known[n] = found
	return found
}

// column is what a name stands for.
func (x *session) column(e *env, n *tsql.Name) (*relCol, any) {
	for at := e; at != nil; at = at.outer {
		if at.scope == nil {
			continue
		}
		if i := x.lookup(at.scope, n); i >= 0 {
			if at.row == nil {
				return &at.cols[i], nil
			}
			return &at.cols[i], at.row[i]
		}
		if len(n.Parts) == 1 && at.made != nil {
			for i, it := range at.items {
				if it.Alias != "" && x.d.fold(it.Alias) == x.d.fold(n.Parts[0]) {
					return &relCol{}, at.made[i]
				}
			}
		}
	}
	if len(n.Parts) > 1 {
		var of *relCol
		if x.tried(func() { of, _ = x.column(e, &tsql.Name{Parts: n.Parts[:len(n.Parts)-1]}) }) == nil && of.typ.hasMethods() {
			return &relCol{name: n.Parts[len(n.Parts)-1], nullable: true}, x.unread("the property "+n.Parts[len(n.Parts)-1], e)
		}
		panic(&failure{last: fail(4104, "The multi-part identifier \"%s\" could not be bound.", strings.Join(n.Parts, ".")).last, pos: -1})
	}
	panic(fail(207, "Invalid column name '%s'.", n.Parts[0]))
}

func (x *session) selectStmt(b *tsql.SelectStmt) {
	s := b.Query.First
	if len(s.Items) > 0 && s.Items[0].Var != "" {
		if slices.ContainsFunc(s.Items, func(it tsql.Item) bool { return it.Var == "" }) {
			panic(fail(141, "A SELECT statement that assigns a value to a variable must not be combined with data-retrieval operations."))
		}
		r := x.query(b.Query, nil)
		for _, row := range r.rows { // the last row's values stay
			for i, it := range s.Items {
				v := x.variable(it.Var)
				v.value = v.convert(row[i], false)
			}
		}
		return
	}
	x.bind(b.Query)
	r := x.query(b.Query, nil)
	if s.Into != nil {
		x.selectInto(s.Into, r)
		return
	}
	x.say(r)
}

// query is what a query answers, within the row around it.
func (x *session) query(q *tsql.Query, outer *env) *relation {
	e := &env{outer: outer}
	if q.For != "" {
		return x.forText(q, outer)
	}
	if len(q.With) > 0 {
		e.ctes = map[string]*relation{}
		for _, c := range q.With {
			e.ctes[x.d.fold(c.Name)] = x.cte(c, e)
		}
	}
	if len(q.Rest) == 0 {
		return x.selects(q.First, e, q)
	}
	first := x.selects(q.First, e, nil)
	r := &relation{cols: first.cols, rows: slices.Clip(first.rows)} // which may be a table's
	for _, op := range q.Rest {
		other := x.selects(op.Select, e, nil)
		if len(other.cols) != len(r.cols) {
			panic(fail(205, "All queries combined using a UNION, INTERSECT or EXCEPT operator must have an equal number of expressions in their target lists."))
		}
		r = combined(op.Op, r, other)
	}
	if len(q.Order) > 0 {
		sc := newScope(r.cols)
		for _, o := range q.Order {
			if n, ok := o.X.(*tsql.Name); ok && x.lookup(sc, n) < 0 {
				panic(fail(104, "ORDER BY items must appear in the select list if the statement contains a UNION, INTERSECT or EXCEPT operator."))
			}
		}
		x.order(r, q.Order, func(i int) *env { return &env{scope: sc, row: r.rows[i], outer: e} })
	}
	x.page(r, q, e)
	return r
}

func (x *session) page(r *relation, q *tsql.Query, e *env) {
	if q.Offset != nil {
		r.rows = r.rows[min(len(r.rows), int(toWhole(x.eval(q.Offset, e)))):]
	}
	if q.Fetch != nil {
		r.rows = r.rows[:min(len(r.rows), int(toWhole(x.eval(q.Fetch, e))))]
	}
}

func rowKey(row []any) string {
	var b strings.Builder
	for _, v := range row {
		b.WriteString(key(v, true))
		b.WriteByte(0)
	}
	return b.String()
}

func combined(op string, a, b *relation) *relation {
	out := &relation{cols: a.cols}
	if op == "union all" {
		roomFor(len(a.rows) + len(b.rows))
		out.rows = append(a.rows, b.rows...)
		return out
	}
	in := map[string]bool{}
	for _, r := range b.rows {
		in[rowKey(r)] = true
	}
	rows := a.rows
	if op == "union" {
		rows = append(slices.Clone(a.rows), b.rows...)
	}
	seen := map[string]bool{}
	for _, r := range rows {
		k := rowKey(r)
		if seen[k] || op == "except" && in[k] || op == "intersect" && !in[k] {
			continue
		}
		seen[k] = true
		out.rows = append(out.rows, r)
	}
	return out
}

// renamed is a relation under another name.
func renamed(r *relation, name string, cols []string) *relation {
	out := &relation{cols: slices.Clone(r.cols), rows: r.rows}
	for i := range out.cols {
		if out.cols[i].of = name; i < len(cols) {
			out.cols[i].name = cols[i]
		}
		if out.cols[i].name == "" && !out.cols[i].any {
			panic(fail(8155, "No column name was specified for column %d of '%s'.", i+1, name))
		}
	}
	return out
}

func (x *session) order(r *relation, items []tsql.OrderItem, at func(int) *env) {
	keys := make([][]any, len(r.rows))
	exactly := make([]bool, len(items))
	for i := range r.rows {
		e := at(i)
		for j, o := range items {
			if l, ok := o.X.(*tsql.Literal); ok && l.Kind == '#' {
				n := int(toWhole(number(l.Text)))
				if n < 1 || n > len(r.cols) {
					panic(fail(108, "The ORDER BY position number %d is out of range of the number of items in the select list.", n))
				}
				keys[i] = append(keys[i], r.rows[i][n-1])
				continue
			}
			exactly[j] = x.exactly(o.X, e)
			keys[i] = append(keys[i], x.eval(o.X, e))
		}
	}
	place := make([]int, len(r.rows))
	for i := range place {
		place[i] = i
	}
	slices.SortStableFunc(place, func(a, b int) int {
		for j, o := range items {
			n := nullsFirst(keys[a][j], keys[b][j], exactly[j])
			if o.Desc {
				n = -n
			}
			if n != 0 {
				return n
			}
		}
		return 0
	})
	rows := make([][]any, len(place))
	for i, p := range place {
		rows[i] = r.rows[p]
	}
	r.rows = rows
}

func nullsFirst(a, b any, exactly bool) int {
	switch {
	case a == nil && b == nil:
		return 0
	case a == nil:
		return -1
	case b == nil:
		return 1
	}
	return compareValues(a, b, exactly)
}

// selects is one SELECT. q, where it is not nil, has its order.
func (x *session) selects(s *tsql.Select, e *env, q *tsql.Query) *relation {
	switch {
	case s.Nested != nil:
		return x.query(s.Nested, e)
	case s.Values != nil:
		return x.values(s.Values, e)
	}
	src := &relation{rows: [][]any{{}}}
	x.exposed(s.From)
	for i := range s.From {
		r := x.from(&s.From[i], e)
		if i == 0 {
			src = r
		} else {
			src = x.join(src, r, "CROSS", nil, e)
		}
	}
	sc := newScope(src.cols)
	if s.Where != nil {
		src = &relation{src.cols, x.filtered(src.rows, sc, s.Where, e)}
	}
	items := x.items(s.Items, src.cols)
	out := &relation{}
	var envs []*env
	var order []tsql.OrderItem
	if q != nil {
		order = q.Order
	}
	if s.Distinct {
		x.sorted(items, order)
	}
	if len(s.Group) > 0 || s.Having != nil || aggregates(items) {
		x.grouped(s, items, order, sc, e)
		envs = append(envs, x.groups(src, sc, s, e)...)
	} else {
		envs = make([]*env, len(src.rows))
		for i, row := range src.rows {
			envs[i] = &env{scope: sc, row: row, outer: e}
		}
	}
	probe := &env{scope: sc, outer: e}
	for _, it := range items {
		out.cols = append(out.cols, x.headed(it, probe))
	}
	for i, g := range envs {
		if i%1000 == 0 && x.ctx.Err() != nil {
			panic(errCancelled)
		}
		g.items, g.made = items, make([]any, len(items))
		for j, it := range items {
			if _, star := it.X.(*tsql.Star); !star {
				g.made[j] = x.eval(it.X, g)
			}
		}
		out.rows = append(out.rows, g.made)
	}
	if s.Distinct {
		seen := map[string]bool{}
		out.rows, envs = distinct(out.rows, envs, seen)
	}
	if q != nil && len(q.Order) > 0 {
		x.order(out, q.Order, func(i int) *env { return envs[i] })
	}
	if s.Top != nil {
		n := float64(toWhole(x.eval(s.Top, e)))
		if s.Percent {
			n = math.Ceil(min(n, 100) / 100 * float64(len(out.rows)))
		}
		out.rows = out.rows[:int(min(float64(len(out.rows)), max(0, n)))]
	}
	if q != nil {
		x.page(out, q, e)
	}
	return out
}

func distinct(rows [][]any, envs []*env, seen map[string]bool) (r [][]any, es []*env) {
	for i, row := range rows {
		if k := rowKey(row); !seen[k] {
			seen[k] = true
			r, es = append(r, row), append(es, envs[i])
		}
	}
	return r, es
}

func (x *session) filtered(rows [][]any, sc *scope, where tsql.Expr, e *env) [][]any {
	var out [][]any
	inner := &env{scope: sc, outer: e}
	for i, row := range rows {
		if i%1000 == 0 && x.ctx.Err() != nil {
			panic(errCancelled)
		}
		if inner.row = row; truth(x.eval(where, inner)) == yes || x.drily {
			out = append(out, row)
		}
	}
	return out
}

// items are the columns of a SELECT with its stars spelled out.
func (x *session) items(list []tsql.Item, cols []relCol) []tsql.Item {
	var out []tsql.Item
	for _, it := range list {
		star, ok := it.X.(*tsql.Star)
		if !ok {
			out = append(out, it)
			continue
		}
		n := 0
		for _, c := range cols {
			if c.any && (star.Of == nil || x.d.fold(c.of) == x.d.fold(star.Of[len(star.Of)-1])) {
				out = append(out, it) // whatever they are
				n++
				break
			}
			if !c.hidden && (star.Of == nil || x.d.fold(c.of) == x.d.fold(star.Of[len(star.Of)-1])) {
				parts := []string{c.name}
				if c.of != "" {
					parts = []string{c.of, c.name}
				}
				out = append(out, tsql.Item{X: &tsql.Name{Parts: parts}})
				n++
			}
		}
		if n == 0 && star.Of != nil {
			panic(fail(107, "The column prefix '%s' does not match with a table name or alias name used in the query.", strings.Join(star.Of, ".")))
		}
	}
	return out
}

// headed is the column that an item makes.
func (x *session) headed(it tsql.Item, probe *env) relCol {
	out := relCol{name: it.Alias, nullable: true}
	switch y := it.X.(type) {
	case *tsql.Star:
		out.any = true
	case *tsql.Name:
		c, _ := x.column(probe, y)
		out = *c
		out.of, out.hidden, out.any = "", false, false
		if it.Alias != "" {
			out.name = it.Alias
		} else {
			out.name = y.Parts[len(y.Parts)-1]
		}
	case *tsql.Convert:
		out.typ = x.d.typeOf(y.Type, "CONVERT")
		out.whole = out.typ.system != nil && out.typ.class == 'i'
	case *tsql.Call:
		switch strings.ToLower(y.Name[len(y.Name)-1]) {
		case "count", "count_big", "len", "datalength", "object_id", "db_id":
			out.whole, out.typ = true, systemByNameType("int")
		}
	case *tsql.Literal:
		if y.Kind == '#' && !strings.Contains(y.Text, ".") {
			out.whole, out.typ = true, systemByNameType("int")
		}
	}
	return out
}

func (x *session) values(rows [][]tsql.Expr, e *env) *relation {
	out := &relation{cols: make([]relCol, len(rows[0]))}
	for _, r := range rows {
		if len(r) != len(out.cols) {
			panic(fail(10709, "The number of columns for each row in a table value constructor must be the same."))
		}
		row := make([]any, len(r))
		for i, v := range r {
			row[i] = x.eval(v, e)
		}
		out.rows = append(out.rows, row)
	}
	return out
}

// aggregateNames are the functions that look at a group of rows.
var aggregateNames = map[string]bool{"count": true, "count_big": true, "sum": true, "min": true, "max": true, "avg": true, "string_agg": true,
	// and those that are not computed
	"stdev": true, "stdevp": true, "var": true, "varp": true, "checksum_agg": true, "approx_count_distinct": true, "grouping": true, "grouping_id": true, "approx_percentile_cont": true, "approx_percentile_disc": true, "json_arrayagg": true, "json_objectagg": true}

// aggregates tells whether an item holds an aggregate of its own query.
func aggregates(items []tsql.Item) bool {
	found := false
	for _, it := range items {
		walkOwn(it.X, func(e tsql.Expr) {
			if c, ok := e.(*tsql.Call); ok && len(c.Name) == 1 && c.Over == nil && aggregateNames[strings.ToLower(c.Name[0])] {
				found = true
			}
		})
	}
	return found
}

// walkOwn is tsql.Walk without what stands in queries within.
func walkOwn(e tsql.Expr, f func(tsql.Expr)) {
	if e == nil {
		return
	}
	f(e)
	for _, p := range tsql.Parts(e) {
		walkOwn(p, f)
	}
}

// groups are the rows of a query, one environment for each group.
func (x *session) groups(src *relation, sc *scope, s *tsql.Select, e *env) []*env {
	byKey := map[string]*env{}
	var order []*env
	by := x.groupedBy(s.Group)
	for _, row := range src.rows {
		inner := &env{scope: sc, row: row, outer: e}
		var k strings.Builder
		for _, g := range by {
			k.WriteString(key(x.eval(g, inner), x.exactly(g, inner)))
			k.WriteByte(0)
		}
		g := byKey[k.String()]
		if g == nil {
			g = inner
			byKey[k.String()] = g
			order = append(order, g)
		}
		g.group = append(g.group, row)
	}
	if len(s.Group) == 0 && len(order) == 0 {
		order = []*env{{scope: sc, row: make([]any, len(src.cols)), outer: e}}
	}
	for _, g := range order {
		if g.group == nil {
			g.group = [][]any{}
		}
	}
	if s.Having != nil {
		order = slices.DeleteFunc(order, func(g *env) bool { return truth(x.eval(s.Having, g)) != yes })
	}
	return order
}

// from is what a FROM reads.
func (x *session) from(f *tsql.From, e *env) *relation {
	switch {
	case strings.HasSuffix(f.Join, "APPLY"):
		return x.apply(f, e)
	case f.Join != "":
		return x.join(x.from(f.L, e), x.from(f.R, e), f.Join, f.On, e)
	case f.Query != nil:
		return x.once(renamed(x.query(f.Query, e), f.Alias, f.Cols), f.Alias)
	case f.Pivot != nil:
		return renamed(x.pivoted(f.Pivot, e), f.Alias, f.Cols)
	case f.Call != nil:
		return x.tableFunction(f, e)
	}
	alias := f.Alias
	if alias == "" {
		alias = f.Name[len(f.Name)-1]
	}
	if len(f.Name) == 1 {
		for at := e; at != nil; at = at.outer {
			if r := at.ctes[x.d.fold(f.Name[0])]; r != nil {
				return renamed(r, alias, nil)
			}
		}
		if r := x.pseudo[strings.ToLower(f.Name[0])]; r != nil {
			return renamed(r, alias, nil)
		}
	}
	if len(f.Name) > 1 {
		if s := f.Name[len(f.Name)-2]; strings.EqualFold(s, "sys") || strings.EqualFold(s, "information_schema") {
			if x.drily {
				return x.catalogView(f, alias)
			}
			return renamed(x.system(f), alias, nil)
		}
	}
	if x.d.foreign(f.Name) {
		return x.elsewhere(f.Name, alias)
	}
	o := x.d.find(f.Name, "U", "V", "SN")
	if o == nil && compatible[strings.ToLower(f.Name[len(f.Name)-1])] {
		return renamed(x.system(f), alias, nil)
	}
	if o != nil && o.typ == "SN" {
		to := pathOf(o.syn)
		if x.d.foreign(to) {
			return x.elsewhere(to, alias)
		}
		o = x.d.find(to, "U", "V")
	}
	if o == nil {
		panic(fail(208, "Invalid object name '%s'.", strings.Join(f.Name, ".")))
	}
	k := lockKey{d: x.d, id: o.id}
	if o.typ == "V" {
		x.lock(k, lockSchS, false)
		return renamed(x.view(o), alias, nil)
	}
	return renamed(x.tableRows(o, k, f, e), alias, nil)
}

// tableRows are the rows of a table that are read: those of a time, those that are seen.
func (x *session) tableRows(o *object, k lockKey, f *tsql.From, e *env) *relation {
	mode, keep := lockShared, false
	for _, h := range f.Hints {
		switch h {
		case "NOLOCK", "READUNCOMMITTED":
			mode = lockSchS
		case "TABLOCKX", "XLOCK":
			mode, keep = lockRows, true
		case "HOLDLOCK", "SERIALIZABLE", "REPEATABLEREAD":
			keep = true
		case "UPDLOCK":
			mode, keep = lockRows, true
		case "SNAPSHOT":
			if o.memory == "" {
				panic(fail(unknown, "The hint SNAPSHOT is for tables in memory."))
			}
		case "TABLOCK", "READCOMMITTED", "ROWLOCK", "PAGLOCK", "INDEX", "FORCESEEK", "NOEXPAND":
		default:
			panic(fail(321, "\"%s\" is not a recognized table hints option.", strings.ToLower(h)))
		}
	}
	x.within(o, f.Hints)
	x.lock(k, mode, keep && x.depth > 0)
	if f.Time != nil && o.history == 0 {
		panic(fail(13544, "Temporal FOR SYSTEM_TIME clause can only be used with system-versioned tables. '%s' is not a system-versioned table.", x.d.name+"."+o.full()))
	}
	if x.drily {
		return tableRelation(o, [][]any{make([]any, len(o.cols))})
	}
	if seen := x.seen(o); seen != nil {
		var rows [][]any
		for i, r := range o.rows {
			if seen[i] {
				rows = append(rows, r)
			}
		}
		if f.Time != nil {
			panic(fail(unknown, "The stand-in does not know FOR SYSTEM_TIME of a table with a security policy."))
		}
		return tableRelation(o, rows)
	}
	if f.Time != nil {
		return x.asOf(o, f, e)
	}
	return tableRelation(o, o.rows)
}

// view is what a view shows.
func (x *session) view(o *object) *relation {
	outer, vars := x.pseudo, x.vars
	x.pseudo, x.vars = nil, map[string]*variable{}
	defer func() { x.pseudo, x.vars = outer, vars }()
	var r *relation
	x.nested(func() { r = x.query(o.module.ast.Query, nil) })
	names := make([]string, len(o.cols))
	for i, c := range o.cols {
		names[i] = c.name
	}
	if slices.ContainsFunc(r.cols, func(c relCol) bool { return c.any }) {
		return renamed(r, o.name, nil)
	}
	if len(r.cols) != len(names) {
		panic(fail(4502, "View or function '%s' has more column names specified than columns defined.", o.full()))
	}
	return renamed(r, o.name, names)
}

func tableRelation(o *object, rows [][]any) *relation {
	r := &relation{rows: rows}
	for _, c := range o.cols {
		r.cols = append(r.cols, relCol{of: o.name, name: c.name, typ: c.dataType, whole: c.system != nil && c.class == 'i', exactly: strings.Contains(c.collation, "_CS_") || strings.Contains(c.collation, "_BIN"), nullable: c.nullable, hidden: c.hidden})
	}
	return r
}

// apply evaluates the right side for every row of the left.
func (x *session) apply(f *tsql.From, e *env) *relation {
	l := x.from(f.L, e)
	sc := newScope(l.cols)
	out := &relation{cols: l.cols}
	width := -1
	var missing [][]any
	for _, row := range l.rows {
		r := x.from(f.R, &env{scope: sc, row: row, outer: e})
		if width < 0 {
			width = len(r.cols)
			out.cols = append(slices.Clone(l.cols), r.cols...)
		}
		roomFor(len(out.rows) + len(r.rows))
		for _, right := range r.rows {
			out.rows = append(out.rows, append(slices.Clone(row), right...))
		}
		if len(r.rows) == 0 && f.Join == "OUTER APPLY" {
			out.rows = append(out.rows, append(slices.Clone(row), make([]any, width)...))
		}
	}
	if width < 0 { // the columns are wanted all the same
		r := x.from(f.R, &env{scope: sc, row: make([]any, len(l.cols)), outer: e})
		out.cols = append(slices.Clone(l.cols), r.cols...)
		out.rows = missing
	}
	return out
}

// join joins two relations. Where the condition compares one side's columns with the
// other's for being equal, rows are found by a table of keys.
func (x *session) join(l, r *relation, how string, on tsql.Expr, e *env) *relation {
	out := &relation{cols: append(slices.Clone(l.cols), r.cols...)}
	left, right, all := newScope(l.cols), newScope(r.cols), newScope(out.cols)
	var lk, rk []tsql.Expr
	var rest []tsql.Expr
	for _, c := range conjuncts(on) {
		b, ok := c.(*tsql.Binary)
		switch {
		case ok && b.Op == "=" && x.only(b.L, left, right) && x.only(b.R, right, left):
			lk, rk = append(lk, b.L), append(rk, b.R)
		case ok && b.Op == "=" && x.only(b.R, left, right) && x.only(b.L, right, left):
			lk, rk = append(lk, b.R), append(rk, b.L)
		default:
			rest = append(rest, c)
		}
	}
	keys := func(list, other []tsql.Expr, sc, osc *scope, row []any) (string, bool) {
		inner := &env{scope: sc, row: row, outer: e}
		var b strings.Builder
		for i, k := range list {
			v := x.eval(k, inner)
			if v == nil && !x.drily {
				return "", false
			}
			b.WriteString(key(v, x.exactly(k, inner) || x.exactly(other[i], &env{scope: osc, outer: e})))
			b.WriteByte(0)
		}
		return b.String(), true
	}
	by := map[string][]int{}
	for i, row := range r.rows {
		if k, ok := keys(rk, lk, right, left, row); ok {
			by[k] = append(by[k], i)
		}
	}
	matched := make([]bool, len(r.rows))
	inner := &env{scope: all, outer: e}
	for i, row := range l.rows {
		if i%500 == 0 && x.ctx.Err() != nil {
			panic(errCancelled)
		}
		found := false
		if k, ok := keys(lk, rk, left, right, row); ok {
			for _, j := range by[k] {
				both := append(slices.Clone(row), r.rows[j]...)
				inner.row = both
				if slices.ContainsFunc(rest, func(c tsql.Expr) bool { return truth(x.eval(c, inner)) != yes && !x.drily }) {
					continue
				}
				found, matched[j] = true, true
				roomFor(len(out.rows))
				out.rows = append(out.rows, both)
			}
		}
		if !found && (how == "LEFT" || how == "FULL") {
			out.rows = append(out.rows, append(slices.Clone(row), make([]any, len(r.cols))...))
		}
	}
	if how == "RIGHT" || how == "FULL" {
		for j, row := range r.rows {
			if !matched[j] {
				out.rows = append(out.rows, append(make([]any, len(l.cols)), row...))
			}
		}
	}
	return out
}

// conjuncts are the conditions that AND joins.
func conjuncts(e tsql.Expr) []tsql.Expr {
	if e == nil {
		return nil
	}
	if b, ok := e.(*tsql.Binary); ok && b.Op == "and" {
		return append(conjuncts(b.L), conjuncts(b.R)...)
	}
	return []tsql.Expr{e}
}

// only tells whether an expression names columns of one scope and none of the other,
// and holds no query.
func (x *session) only(e tsql.Expr, in, not *scope) bool {
	ok, some := true, false
	tsql.Walk(e, func(e tsql.Expr) {
		switch e := e.(type) {
		case *tsql.Name:
			if x.lookup(in, e) < 0 {
				ok = false
			}
			some = true
		case *tsql.Subquery, *tsql.Exists, *tsql.In:
			ok = false
		}
	})
	return ok && some
}

// tableFunction is what a function in FROM answers.
func (x *session) tableFunction(f *tsql.From, e *env) *relation {
	alias := f.Alias
	if alias == "" {
		alias = f.Call.Name[len(f.Call.Name)-1]
	}
	if r := x.rowset(f, e); r != nil {
		return renamed(r, alias, f.Cols)
	}
	if x.d.foreign(f.Call.Name) {
		return x.elsewhere(f.Call.Name, alias)
	}
	o := x.d.find(f.Call.Name, "IF", "TF")
	if o == nil || o.typ == "TF" {
		if o != nil && x.drily {
			for _, a := range f.Call.Args {
				x.eval(a, e)
			}
			return renamed(tableRelation(o, [][]any{make([]any, len(o.cols))}), alias, f.Cols)
		}
		if o != nil {
			panic(fail(unknown, "The stand-in does not run multi-statement functions: %s.", o.full()))
		}
		if strings.EqualFold(f.Call.Name[len(f.Call.Name)-1], "fn_listextendedproperty") {
			return renamed(x.listed(f.Call.Args, e), alias, f.Cols)
		}
		panic(fail(208, "Invalid object name '%s'.", strings.Join(f.Call.Name, ".")))
	}
	vars := map[string]*variable{}
	for i, p := range o.module.ast.Params {
		v := &variable{dataType: x.d.typeOf(p.Type, "Parameter")}
		if i < len(f.Call.Args) {
			v.value = v.convert(x.argument(o, i, f.Call.Args[i], e), false)
		}
		vars[strings.ToLower(p.Name)] = v
	}
	outer := x.vars
	x.vars = vars
	defer func() { x.vars = outer }()
	var r *relation
	x.nested(func() { r = x.query(o.module.ast.Query, nil) })
	return renamed(r, alias, f.Cols)
}
