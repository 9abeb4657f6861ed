package model

import (
	"encoding/hex"
	"slices"
	"strconv"
	"strings"

	"dappermirror/facts/sqlserver/chart"
	"dappermirror/internal/standin/tsql"
)

// logic is what a condition is: true, false or unknown.
type logic byte

const (
	no logic = iota
	maybe
	yes
)

func truth(v any) logic {
	if l, ok := v.(logic); ok {
		return l
	}
	panic(fail(4145, "An expression of non-boolean type specified in a context where a condition is expected."))
}

func is(b bool) logic {
	if b {
		return yes
	}
	return no
}

func not(l logic) logic { return yes - l }

// eval is the value of an expression; of a condition, a logic.
func (x *session) eval(e tsql.Expr, in *env) any {
	switch e := e.(type) {
	case nil:
		return nil
	case *tsql.Literal:
		return constant(e)
	case *tsql.Name:
		if in == nil {
			if len(e.Parts) == 1 {
				panic(fail(207, "Invalid column name '%s'.", e.Parts[0]))
			}
			panic(fail(4104, "The multi-part identifier \"%s\" could not be bound.", strings.Join(e.Parts, ".")))
		}
		_, v := x.column(in, e)
		return v
	case *tsql.Word:
		if strings.EqualFold(e.Text, "default") {
			return nil
		}
		return e.Text
	case *tsql.Variable:
		return x.global(e.Name)
	case *tsql.Unary:
		return x.unary(e, in)
	case *tsql.Binary:
		return x.binary(e, in)
	case *tsql.In:
		return x.in(e, in)
	case *tsql.Between:
		l := min(x.compare(">=", e.X, e.Low, in), x.compare("<=", e.X, e.High, in))
		if e.Not {
			l = not(l)
		}
		return l
	case *tsql.Like:
		return x.like(e, in)
	case *tsql.IsNull:
		v := x.eval(e.X, in) == nil
		return is(v != e.Not)
	case *tsql.Exists:
		return is(len(x.query(e.Query, in).rows) > 0)
	case *tsql.Subquery:
		r := x.query(e.Query, in)
		switch {
		case len(r.cols) != 1:
			panic(fail(116, "Only one expression can be specified in the select list when the subquery is not introduced with EXISTS."))
		case len(r.rows) > 1:
			panic(fail(512, "Subquery returned more than 1 value. This is not permitted when the subquery follows =, !=, <, <= , >, >= or when the subquery is used as an expression."))
		case len(r.rows) == 0:
			return nil
		}
		return r.rows[0][0]
	case *tsql.Collate:
		if !knownCollation(e.Name) {
			panic(fail(448, "Invalid collation '%s'.", e.Name))
		}
		return x.eval(e.X, in)
	case *tsql.Case:
		return x.cases(e, in)
	case *tsql.Convert:
		return x.convert(e, in)
	case *tsql.NextValue:
		if x.drily && x.d.find(e.Sequence, "SO") != nil {
			return nil
		}
		return x.nextValue(e.Sequence)
	case *tsql.Method:
		return x.method(e, in)
	case *tsql.AtZone:
		return x.unread("AT TIME ZONE", in, e.X, e.Zone)
	case *tsql.Quantified:
		return x.quantified(e, in)
	case *tsql.Call:
		return x.call(e, in)
	}
	panic(fail(102, "Incorrect syntax near '*'."))
}

func knownCollation(name string) bool {
	n := strings.ToUpper(name)
	return n == "DATABASE_DEFAULT" || n == "CATALOG_DEFAULT" || strings.Contains(n, "_CI_") || strings.Contains(n, "_CS_") || strings.HasSuffix(n, "_BIN") || strings.HasSuffix(n, "_BIN2") || strings.HasSuffix(n, "_BIN2_UTF8")
}

func constant(e *tsql.Literal) any {
	switch e.Kind {
	case 's', 'n':
		return e.Text
	case '0':
		return nil
	case 'b':
		t := e.Text
		if len(t)%2 == 1 {
			t = "0" + t
		}
		b, err := hex.DecodeString(t)
		if err != nil {
			panic(fail(102, "Incorrect syntax near '0x%s'.", e.Text))
		}
		return b
	}
	if strings.ContainsAny(e.Text, "eE") {
		f, err := strconv.ParseFloat(e.Text, 64)
		if err != nil {
			panic(fail(102, "Incorrect syntax near '%s'.", e.Text))
		}
		return f
	}
	if n, err := strconv.ParseInt(e.Text, 10, 64); err == nil {
		return n
	}
	d, ok := parseDecimal(e.Text)
	if !ok {
		panic(fail(102, "Incorrect syntax near '%s'.", e.Text))
	}
	return d
}

func (x *session) unary(e *tsql.Unary, in *env) any {
	v := x.eval(e.X, in)
	if e.Op == "not" {
		return not(truth(v))
	}
	if v == nil {
		return nil
	}
	if e.Op == "~" {
		return ^toWhole(v)
	}
	return arithmetic("-", int64(0), v)
}

func (x *session) binary(e *tsql.Binary, in *env) any {
	switch e.Op {
	case "and":
		l := truth(x.eval(e.L, in))
		if l == no {
			return no
		}
		return min(l, truth(x.eval(e.R, in)))
	case "or":
		l := truth(x.eval(e.L, in))
		if l == yes {
			return yes
		}
		return max(l, truth(x.eval(e.R, in)))
	case "=", "<>", "<", ">", "<=", ">=":
		return x.compare(e.Op, e.L, e.R, in)
	case "is distinct from", "is not distinct from":
		a, b := x.eval(e.L, in), x.eval(e.R, in)
		same := a == nil && b == nil || a != nil && b != nil && compareValues(a, b, x.exactly(e.L, in) || x.exactly(e.R, in)) == 0
		return is(same == (e.Op != "is distinct from"))
	}
	return bounded(arithmetic(e.Op, x.eval(e.L, in), x.eval(e.R, in)))
}

func (x *session) compare(op string, l, r tsql.Expr, in *env) logic {
	return compared(op, x.eval(l, in), x.eval(r, in), x.exactly(l, in) || x.exactly(r, in))
}

func compared(op string, a, b any, exactly bool) logic {
	if a == nil || b == nil {
		return maybe
	}
	n := compareValues(a, b, exactly)
	switch op {
	case "=":
		return is(n == 0)
	case "<>":
		return is(n != 0)
	case "<":
		return is(n < 0)
	case ">":
		return is(n > 0)
	case "<=":
		return is(n <= 0)
	}
	return is(n >= 0)
}

// exactly tells whether letter case counts when an expression is compared.
func (x *session) exactly(e tsql.Expr, in *env) bool {
	switch e := e.(type) {
	case *tsql.Collate:
		n := strings.ToUpper(e.Name)
		if n == "DATABASE_DEFAULT" {
			return x.d.caseSensitive()
		}
		return strings.Contains(n, "_CS_") || strings.Contains(n, "_BIN")
	case *tsql.Name:
		if in == nil {
			return false
		}
		c, _ := x.column(in, e)
		return c.exactly
	case *tsql.Literal, *tsql.Variable:
		return x.d.caseSensitive()
	}
	return false
}

func (x *session) in(e *tsql.In, in *env) any {
	v := x.eval(e.X, in)
	out := no
	exactly := x.exactly(e.X, in)
	see := func(w any) {
		switch {
		case v == nil || w == nil:
			out = max(out, maybe)
		case compareValues(v, w, exactly) == 0:
			out = yes
		}
	}
	if e.Query != nil {
		r := x.query(e.Query, in)
		if len(r.cols) != 1 {
			panic(fail(116, "Only one expression can be specified in the select list when the subquery is not introduced with EXISTS."))
		}
		for _, row := range r.rows {
			see(row[0])
		}
	}
	for _, w := range e.List {
		see(x.eval(w, in))
	}
	if e.Not {
		return not(out)
	}
	return out
}

func (x *session) like(e *tsql.Like, in *env) any {
	v, p := x.eval(e.X, in), x.eval(e.Pattern, in)
	if v == nil || p == nil {
		return maybe
	}
	escape := rune(-1)
	if e.Escape != nil {
		for _, r := range text(x.eval(e.Escape, in)) {
			escape = r
		}
	}
	s, pat := text(v), text(p)
	if !x.exactly(e.X, in) {
		s, pat = strings.ToLower(s), strings.ToLower(pat)
	}
	return is(like([]rune(s), []rune(pat), escape) != e.Not)
}

// like matches a text with a pattern; it takes time in proportion to both lengths.
func like(s, p []rune, escape rune) bool {
	at := map[[2]int]bool{}
	var match func(i, j int) bool
	match = func(i, j int) bool {
		if r, ok := at[[2]int{i, j}]; ok {
			return r
		}
		r := false
		switch {
		case j == len(p):
			r = i == len(s)
		case p[j] == '%':
			r = match(i, j+1) || i < len(s) && match(i+1, j)
		case i == len(s):
		case p[j] == escape && j+1 < len(p):
			r = p[j+1] == s[i] && match(i+1, j+2)
		case p[j] == '_':
			r = match(i+1, j+1)
		case p[j] == '[':
			ok, next := oneOf(s[i], p, j+1)
			r = ok && match(i+1, next)
		default:
			r = p[j] == s[i] && match(i+1, j+1)
		}
		at[[2]int{i, j}] = r
		return r
	}
	return match(0, 0)
}

// oneOf reads [a-z] of a pattern and tells whether a letter is in it.
func oneOf(c rune, p []rune, j int) (bool, int) {
	wrong, found := false, false
	if j < len(p) && p[j] == '^' {
		wrong = true
		j++
	}
	for j < len(p) && p[j] != ']' {
		if j+2 < len(p) && p[j+1] == '-' && p[j+2] != ']' {
			found = found || p[j] <= c && c <= p[j+2]
			j += 3
			continue
		}
		found = found || p[j] == c
		j++
	}
	return found != wrong, j + 1
}

func (x *session) cases(e *tsql.Case, in *env) any {
	if x.drily { // names in all branches are looked up
		for _, w := range e.Whens {
			x.eval(w.If, in)
			x.eval(w.Then, in)
		}
	}
	for _, w := range e.Whens {
		l := no
		if e.Operand != nil {
			l = x.compare("=", e.Operand, w.If, in)
		} else {
			l = truth(x.eval(w.If, in))
		}
		if l == yes {
			return x.eval(w.Then, in)
		}
	}
	return x.eval(e.Else, in)
}

func (x *session) convert(e *tsql.Convert, in *env) (out any) {
	t := x.d.typeOf(e.Type, "CONVERT")
	if e.Parse {
		return x.unread("PARSE", in, e.X, e.Culture)
	}
	if from := x.static(e.X, in); from.system != nil && t.system != nil && chart.Converts(from.system.name, t.system.name) == chart.Never {
		panic(fail(529, "Explicit conversion from data type %s to %s is not allowed.", from.system.name, t.system.name))
	}
	if t.unit > 0 && len(e.Type.Args) == 0 { // 30 letters where nothing is said
		t.length = 30 * t.unit
	}
	v := uniqueBytes(x.eval(e.X, in), x.static(e.X, in), t)
	if s, ok := v.(string); ok && t.class == 'b' && x.national(e.X, in) && e.Style == nil {
		v = bytesOf(s, true)
	}
	if e.Try {
		if failed := x.tried(func() { out = t.convert(v, false) }); failed != nil {
			return nil
		}
		return out
	}
	if e.Style != nil {
		style := toWhole(x.eval(e.Style, in))
		switch b, ok := v.([]byte); {
		case ok && (style == 1 || style == 2) && (t.class == 'c' || t.class == 'n'):
			s := hexText(b)
			if style == 2 {
				s = s[2:]
			}
			return t.convert(s, false)
		case t.class == 'b' && (style == 1 || style == 2):
			return fromHex(text(v), style)
		case style == 0 || style == 3 && !ok || v == nil || style == 121 && plain(v): // which has no styles
		default:
			if m, ok := v.(moment); ok {
				if s, ok := m.styled(style); ok {
					return t.convert(s, false)
				}
			}
			if s, ok := v.(string); ok && t.class == 't' {
				return t.convert(s, false)
			}
			panic(fail(unknown, "The stand-in does not know style %d of CONVERT.", style))
		}
	}
	return t.convert(v, false)
}

// plain tells whether a value is written in one way only.
func plain(v any) bool {
	switch v.(type) {
	case int64, string, decimal:
		return true
	}
	return false
}

// static is the type of an expression, as far as it is told without a value.
func (x *session) static(e tsql.Expr, in *env) dataType {
	switch e := e.(type) {
	case *tsql.Name:
		if in != nil {
			c, _ := x.column(in, e)
			return c.typ
		}
	case *tsql.Variable:
		if v := x.vars[strings.ToLower(e.Name)]; v != nil {
			return v.dataType
		}
	case *tsql.Convert:
		return x.d.typeOf(e.Type, "CONVERT")
	case *tsql.Collate:
		return x.static(e.X, in)
	}
	return dataType{}
}

// national tells whether a text is one of national letters, which are kept otherwise.
func (x *session) national(e tsql.Expr, in *env) bool {
	switch e := e.(type) {
	case *tsql.Literal:
		return e.Kind == 'n'
	case *tsql.Name:
		c, _ := x.column(in, e)
		return c.typ.class == 'n'
	case *tsql.Variable:
		v := x.vars[strings.ToLower(e.Name)]
		return v != nil && v.class == 'n'
	case *tsql.Convert:
		return x.d.typeOf(e.Type, "CONVERT").class == 'n'
	case *tsql.Binary:
		return x.national(e.L, in) || x.national(e.R, in)
	case *tsql.Collate:
		return x.national(e.X, in)
	case *tsql.Call:
		return len(e.Args) > 0 && x.national(e.Args[0], in)
	}
	return false
}

func fromHex(s string, style int64) any {
	if style == 1 {
		s = strings.TrimPrefix(strings.TrimPrefix(s, "0x"), "0X")
	}
	b, err := hex.DecodeString(s)
	if err != nil {
		panic(fail(8114, "Error converting data type varchar to varbinary."))
	}
	return b
}

// momentStyles are how dates are written (SQL Server: CAST and CONVERT, Date and
// time styles).
var momentStyles = map[int64]string{23: "2006-01-02", 101: "01/02/2006", 102: "2006.01.02", 104: "02.01.2006", 111: "2006/01/02", 112: "20060102", 108: "15:04:05", 114: "15:04:05.000",
	127: "2006-01-02T15:04:05.0000000Z07:00"}

// styled writes a moment in a style. The long ones write what its type has: a date has no
// time, and only datetimeoffset tells a zone.
func (m moment) styled(style int64) (string, bool) {
	switch style {
	case 120:
		m.frac = 0
		if m.kind == "datetime" {
			m.kind = "datetime2"
		}
		return m.String(), true
	case 121, 126:
		s := m.String()
		if m.kind == "smalldatetime" && style == 121 {
			s += ".000"
		}
		if style == 126 {
			s = strings.Replace(strings.Replace(s, " ", "T", 1), " ", "", 1)
		}
		return s, true
	}
	layout, ok := momentStyles[style]
	return m.t.Format(layout), ok
}

// nextValue takes the next value of a sequence.
func (x *session) nextValue(path []string) any {
	o := x.d.find(path, "SO")
	if o == nil {
		panic(fail(208, "Invalid object name '%s'.", strings.Join(path, ".")))
	}
	q := *o.seq
	switch {
	case !q.used:
		q.current = q.start
	case q.step > 0 && q.current > q.max-q.step, q.step < 0 && q.current < q.min-q.step:
		if !q.cycle {
			panic(fail(11728, "The sequence object '%s' has reached its minimum or maximum value. Restart the sequence object to allow new values to be generated.", o.name))
		}
		if q.current = q.min; q.step < 0 {
			q.current = q.max
		}
	default:
		q.current += q.step
	}
	q.used = true
	o.seq = &q // it does not come back with a rollback
	return q.current
}

// global is a variable of the batch or of the server.
func (x *session) global(name string) any {
	if strings.HasPrefix(name, "$") && x.drily { // $IDENTITY, $ROWGUID
		return nil
	}
	if !strings.HasPrefix(name, "@@") {
		return x.variable(name).value
	}
	switch strings.ToLower(name) {
	case "@@trancount":
		return int64(x.depth)
	case "@@version":
		return "Microsoft SQL Server 2022 (a stand-in of dapper-mirror) - " + Version
	case "@@rowcount":
		return x.rowcount
	case "@@error":
		return int64(x.lastError)
	case "@@spid":
		return x.id
	case "@@identity":
		return x.lastID
	case "@@servername":
		return "STANDIN"
	case "@@max_precision":
		return int64(38)
	case "@@microsoftversion":
		return int64(0x10000000)
	case "@@datefirst":
		return x.dateFirst
	case "@@lock_timeout":
		if x.wait < 0 {
			return int64(-1)
		}
		return x.wait.Milliseconds()
	case "@@nestlevel":
		return int64(x.nesting)
	}
	if x.drily && slices.Contains(serverVariables, strings.ToLower(name)) {
		return nil
	}
	panic(fail(137, "Must declare the scalar variable \"%s\".", name))
}
