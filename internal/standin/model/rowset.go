package model

import (
	"slices"
	"strings"

	"dappermirror/internal/standin/tsql"
)

// deepest is how often a common table expression may call itself (SQL Server: MAXRECURSION).
const deepest = 100

// serverVariables are those of the server that are looked up and have no value here.
var serverVariables = strings.Fields("@@connections @@cpu_busy @@cursor_rows @@dbts @@fetch_status @@idle @@io_busy @@langid @@language @@max_connections @@options @@packet_errors @@procid @@remserver @@servicename @@textsize @@total_errors @@total_read @@total_write")

// notComputed are functions of the server that are known and not worked out: what uses
// them is defined, and refused where rows are to go through it.
var notComputed = append(strings.Fields(`
	acos asin atan atn2 cos cot degrees exp log log10 pi radians rand sin tan square binary_checksum choose concat_ws difference format formatmessage soundex str translate
	patindex datefromparts datetimefromparts datetime2fromparts datetimeoffsetfromparts smalldatetimefromparts timefromparts eomonth switchoffset todatetimeoffset getansinull
	isjson json_value json_query json_modify json_object json_array json_path_exists greatest least compress decompress session_context context_info program_name rowcount_big
	error_line error_procedure min_active_rowversion encryptbykey decryptbykey encryptbypassphrase decryptbypassphrase encryptbycert decryptbycert crypt_gen_random pwdcompare
	pwdencrypt key_guid cert_id columnproperty filegroup_name filegroup_id file_name index_col objectpropertyex stats_date type_name typeproperty suser_id suser_sid
	is_rolemember permissions has_dbaccess connectionproperty current_timezone current_timezone_id ident_incr ident_seed sql_variant_property textptr textvalid
	trigger_nestlevel left_shift right_shift bit_count get_bit set_bit regexp_like regexp_replace regexp_substr regexp_count regexp_instr edit_distance
	fulltextserviceproperty fulltextcatalogproperty objectproperty current_request_id original_db_name xml_schema_namespace row_number rank dense_rank ntile lag lead
	first_value last_value percent_rank cume_dist percentile_cont percentile_disc columns_updated datetrunc date_bucket datediff_big datename
`), "trim both", "trim leading", "trim trailing")

// unread looks the names in expressions up that nobody works out. Where rows are wanted it
// fails.
func (x *session) unread(what string, in *env, args ...tsql.Expr) any {
	if !x.drily {
		panic(fail(unknown, "The stand-in does not work %s out.", what))
	}
	for _, a := range args {
		if _, star := a.(*tsql.Star); a != nil && !star {
			x.eval(a, in)
		}
	}
	return nil
}

// forText is a query FOR XML or FOR JSON: one text.
func (x *session) forText(q *tsql.Query, outer *env) *relation {
	if !x.drily {
		panic(fail(unknown, "The stand-in does not know FOR XML and FOR JSON."))
	}
	plain := *q
	plain.For = ""
	x.query(&plain, outer)
	return &relation{cols: []relCol{{nullable: true}}, rows: [][]any{{nil}}}
}

// cte is what a common table expression answers; one that reads itself is run until
// nothing comes to it (SQL Server: WITH common_table_expression).
func (x *session) cte(c tsql.CTE, e *env) *relation {
	itself := slices.ContainsFunc(sources(c.Query), func(f *tsql.From) bool { return len(f.Name) == 1 && x.d.fold(f.Name[0]) == x.d.fold(c.Name) })
	if !itself || len(c.Query.Rest) == 0 {
		return x.once(renamed(x.query(c.Query, e), c.Name, c.Columns), c.Name)
	}
	reads := func(s *tsql.Select) bool {
		return slices.ContainsFunc(sources(&tsql.Query{First: s}), func(f *tsql.From) bool { return len(f.Name) == 1 && x.d.fold(f.Name[0]) == x.d.fold(c.Name) })
	}
	first := len(c.Query.Rest)
	for first > 0 && reads(c.Query.Rest[first-1].Select) {
		first--
	}
	name := x.d.fold(c.Name)
	inner := &env{outer: e, ctes: map[string]*relation{}}
	begun := *c.Query
	begun.Rest, begun.Order = c.Query.Rest[:first], nil
	out := renamed(x.query(&begun, inner), c.Name, c.Columns)
	out.rows = slices.Clone(out.rows)
	last := out.rows
	for round := 0; len(last) > 0; round++ {
		if round > deepest {
			panic(fail(530, "The statement terminated. The maximum recursion %d has been exhausted before statement completion.", deepest))
		}
		inner.ctes[name] = &relation{cols: out.cols, rows: last}
		last = nil
		for _, op := range c.Query.Rest[first:] {
			r := x.selects(op.Select, inner, nil)
			if len(r.cols) != len(out.cols) {
				panic(fail(205, "All queries combined using a UNION, INTERSECT or EXCEPT operator must have an equal number of expressions in their target lists."))
			}
			last = append(last, r.rows...)
		}
		roomFor(len(out.rows) + len(last))
		if out.rows = append(out.rows, last...); x.drily {
			break
		}
	}
	return out
}

// groupedBy are the expressions that rows are grouped by.
func (x *session) groupedBy(list []tsql.Expr) []tsql.Expr {
	var out []tsql.Expr
	for _, g := range list {
		c, ok := g.(*tsql.Call)
		if !ok || !slices.Contains([]string{"rollup", "cube", "grouping sets"}, c.Name[0]) || len(c.Name) > 1 {
			out = append(out, g)
			continue
		}
		if !x.drily {
			panic(fail(unknown, "The stand-in does not know %s.", strings.ToUpper(c.Name[0])))
		}
		out = append(out, c.Args...)
	}
	return out
}

// elsewhere is a table of another database, of which nothing is known.
func (x *session) elsewhere(path []string, alias string) *relation {
	if !x.drily {
		x.d.find(path) // which says so
	}
	return &relation{cols: []relCol{{of: alias, any: true, nullable: true}}, rows: [][]any{{nil}}}
}

// catalogView is a view of the catalog that something is defined with: the server's have
// more columns than are shown here, and there are more of them.
func (x *session) catalogView(f *tsql.From, alias string) *relation {
	out := &relation{cols: []relCol{{of: alias, any: true, nullable: true}}, rows: [][]any{{nil}}}
	x.tried(func() {
		r := renamed(x.system(f), alias, nil)
		out.cols = append(slices.Clone(r.cols), out.cols...)
		out.rows = [][]any{make([]any, len(out.cols))}
	})
	return out
}

// nothing is a relation of columns with one row of NULL.
func nothing(names ...string) *relation {
	r := &relation{rows: [][]any{make([]any, len(names))}}
	for _, n := range names {
		r.cols = append(r.cols, relCol{name: n, nullable: true})
	}
	return r
}

// rowsetColumns are those that the server's own table functions have (SQL Server: Rowset
// Functions).
var rowsetColumns = map[string][]string{"openjson": {"key", "value", "type"}, "string_split": {"value", "ordinal"}, "generate_series": {"value"}, "containstable": {"KEY", "RANK"}, "freetexttable": {"KEY", "RANK"},
	"semantickeyphrasetable": {"column_id", "document_key", "keyphrase", "score"}, "regexp_matches": {"match_id", "start_position", "end_position", "match_value", "substring_matches"}, "regexp_split_to_table": {"value", "ordinal"}}

// rowset is what a table function of the server answers; nil where it is none.
func (x *session) rowset(f *tsql.From, e *env) *relation {
	c := f.Call
	name := strings.ToLower(c.Name[len(c.Name)-1])
	var out *relation
	switch {
	case len(c.Name) > 1 && name == "nodes":
		if len(f.Cols) != 1 {
			return nil
		}
		out = nothing(f.Cols...)
	case len(c.Name) > 1 && strings.EqualFold(c.Name[len(c.Name)-2], "sys") && name != "fn_listextendedproperty":
		out = &relation{cols: []relCol{{any: true, nullable: true}}, rows: [][]any{{nil}}}
	case len(c.Name) > 1:
		return nil
	case f.Columns != nil:
		var names []string
		for _, col := range f.Columns {
			names = append(names, col.Name)
		}
		if out = nothing(names...); name != "openjson" && name != "openxml" {
			return nil
		}
		for i, col := range f.Columns {
			out.cols[i].typ = x.d.typeOf(col.Type, "Column '"+col.Name+"'")
		}
	case slices.Contains([]string{"openquery", "openrowset", "opendatasource", "openxml", "semanticsimilaritytable", "semanticsimilaritydetailstable"}, name):
		out = &relation{cols: []relCol{{any: true, nullable: true}}, rows: [][]any{{nil}}}
		out.cols[0].name = name
	case rowsetColumns[name] != nil:
		names := rowsetColumns[name]
		if name == "string_split" && len(c.Args) < 3 {
			names = names[:1]
		}
		out = nothing(names...)
	default:
		return nil
	}
	args := c.Args
	if strings.HasSuffix(name, "table") && len(args) > 0 {
		if t, ok := args[0].(*tsql.Name); ok && x.d.find(t.Parts, "U", "V") == nil {
			panic(fail(208, "Invalid object name '%s'.", strings.Join(t.Parts, ".")))
		}
		args = nil
	}
	if strings.HasPrefix(name, "open") && name != "openjson" {
		args = nil
	}
	x.unread(strings.ToUpper(name), e, args...)
	if name == "nodes" && !strings.HasPrefix(c.Name[0], "@") {
		x.column(e, &tsql.Name{Parts: c.Name[:len(c.Name)-1]})
	}
	return out
}

// pivoted is what PIVOT and UNPIVOT make of a relation.
func (x *session) pivoted(p *tsql.Pivot, e *env) *relation {
	if !x.drily {
		panic(fail(unknown, "The stand-in does not know PIVOT and UNPIVOT."))
	}
	src := x.from(p.Of, e)
	in := &env{scope: newScope(src.cols), outer: e}
	gone := map[string]bool{}
	if p.Un {
		for _, n := range p.In {
			x.column(in, &tsql.Name{Parts: []string{n}})
			gone[x.d.fold(n)] = true
		}
	} else {
		for _, n := range append([]tsql.Expr{&tsql.Name{Parts: p.For}}, p.Agg.Args...) {
			if n, ok := n.(*tsql.Name); ok {
				x.column(in, n)
				gone[x.d.fold(n.Parts[len(n.Parts)-1])] = true
			}
		}
	}
	out := &relation{}
	for _, c := range src.cols {
		if !gone[x.d.fold(c.name)] {
			out.cols = append(out.cols, c)
		}
	}
	names := p.In
	if p.Un {
		names = []string{p.Value, p.For[len(p.For)-1]}
	}
	out.cols = append(out.cols, nothing(names...).cols...)
	out.rows = [][]any{make([]any, len(out.cols))}
	return out
}

// methodOf is a call that is one of a method on a column; nil where it is none.
func (x *session) methodOf(e *tsql.Call, in *env) *tsql.Method {
	if in == nil {
		return nil
	}
	n := &tsql.Name{Parts: e.Name[:len(e.Name)-1], Pos: e.Pos}
	var c *relCol
	if x.tried(func() { c, _ = x.column(in, n) }) != nil {
		return nil
	}
	if !c.any && c.typ.system != nil && !c.typ.hasMethods() {
		return nil
	}
	return &tsql.Method{X: n, Name: e.Name[len(e.Name)-1], Args: e.Args}
}

func (x *session) method(e *tsql.Method, in *env) any {
	return x.unread("the method "+e.Name, in, append([]tsql.Expr{e.X}, e.Args...)...)
}

// quantified compares a value with all, or any, that a query answers.
func (x *session) quantified(e *tsql.Quantified, in *env) any {
	v := x.eval(e.X, in)
	r := x.query(e.Query, in)
	if len(r.cols) != 1 {
		panic(fail(116, "Only one expression can be specified in the select list when the subquery is not introduced with EXISTS."))
	}
	out := is(e.All)
	for _, row := range r.rows {
		l := compared(e.Op, v, row[0], x.exactly(e.X, in))
		if e.All {
			out = min(out, l)
		} else {
			out = max(out, l)
		}
	}
	return out
}
