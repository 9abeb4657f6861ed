package tsql

import (
	"slices"
	"strings"

	"dappermirror/internal/core/sqltext"
)

// Quote writes a name in brackets.
func Quote(name string) string { return "[" + strings.ReplaceAll(name, "]", "]]") + "]" }

// Path writes a name of several parts in brackets.
func Path(parts []string) string {
	out := make([]string, len(parts))
	for i, p := range parts {
		if p != "" {
			out[i] = Quote(p)
		}
	}
	return strings.Join(out, ".")
}

// String writes a text as a national constant.
func String(s string) string { return "N'" + strings.ReplaceAll(s, "'", "''") + "'" }

// Print writes an expression as the server stores it: names in brackets, numbers in
// round ones, IN as a chain of OR from its last value on, BETWEEN as two
// comparisons, CAST as CONVERT (SQL Server: sys.check_constraints, definition, as
// its documentation's examples show it).
func Print(x Expr) string {
	p := printer{name: Path}
	return p.print(x, 0)
}

// Canon writes an expression in the one form that all its spellings share. fold
// brings names into the form in which they are compared.
func Canon(x Expr, fold func(string) string) string {
	p := printer{canon: true, name: func(parts []string) string {
		out := make([]string, len(parts))
		for i, s := range parts {
			out[i] = fold(s)
		}
		return Path(out)
	}}
	return p.print(x, 0)
}

// Bare is Canon without what stands before the names of columns.
func Bare(x Expr, fold func(string) string) string {
	p := printer{canon: true, name: func(parts []string) string { return Quote(fold(parts[len(parts)-1])) }}
	return p.print(x, 0)
}

// TypeText writes a type as the server stores it in an expression.
func TypeText(t TypeName) string {
	s := Path(t.Name)
	if len(t.Name) == 1 {
		s = Quote(Synonym(t.Name[0]))
	}
	if len(t.Args) > 0 {
		s += "(" + strings.Join(t.Args, ",") + ")"
	}
	return s
}

// Spelled writes a text so that names in quotes and without, and words in small letters
// and in capitals, are the same: what the server does not tell apart. Space, comments
// and constants stay as they are. fold brings a name into the form in which it is
// compared.
func Spelled(text string, fold func(string) string) string {
	var b strings.Builder
	for _, t := range sqltext.Lex(Dialect, text) {
		switch {
		case t.Kind == sqltext.Quoted && Plain(t.Name()):
			b.WriteString(fold(t.Name()))
		case t.Kind == sqltext.Quoted:
			b.WriteString(Quote(fold(t.Name())))
		case t.Kind == sqltext.Word && reserved[strings.ToLower(t.Text)]:
			b.WriteString(strings.ToLower(t.Text))
		case t.Kind == sqltext.Word, t.Kind == sqltext.Param:
			b.WriteString(fold(t.Text))
		default:
			b.WriteString(t.Text)
		}
	}
	return b.String()
}

// Synonym is the server's own name of a type that has several (SQL Server: Data
// Type Synonyms).
func Synonym(name string) string {
	n := strings.ToLower(name)
	if s := synonyms[n]; s != "" {
		return s
	}
	return n
}

var synonyms = map[string]string{"integer": "int", "dec": "decimal", "character": "char", "rowversion": "timestamp", "national char": "nchar", "binary varying": "varbinary"}

type printer struct {
	canon bool
	name  func([]string) string
}

// The ranks of operators, the loosest first (SQL Server: Operator Precedence).
const (
	rankOr = iota + 1
	rankAnd
	rankNot
	rankCompare
	rankSum
	rankProduct
	rankUnary
)

var ranks = map[string]int{"or": rankOr, "and": rankAnd, "=": rankCompare, "<>": rankCompare, "<": rankCompare, ">": rankCompare, "<=": rankCompare, ">=": rankCompare, isDistinct: rankCompare, isNotDistinct: rankCompare,
	"+": rankSum, "-": rankSum, "&": rankSum, "|": rankSum, "^": rankSum, "*": rankProduct, "/": rankProduct, "%": rankProduct}

// print writes an expression that stands in one of a rank.
func (p *printer) print(x Expr, within int) string {
	bracket := func(rank int, s string) string {
		if rank < within {
			return "(" + s + ")"
		}
		return s
	}
	switch x := x.(type) {
	case *Name:
		return p.name(x.Parts)
	case *Star:
		if x.Of == nil {
			return "*"
		}
		return p.name(x.Of) + ".*"
	case *Literal:
		return literal(x)
	case *Variable:
		return x.Name
	case *Unary:
		if x.Op == "not" {
			return bracket(rankNot, "NOT "+p.print(x.X, rankNot+1))
		}
		return bracket(rankUnary, x.Op+apart(p.print(x.X, rankUnary)))
	case *Binary:
		return p.binary(x, bracket)
	case *In:
		return p.in(x, within)
	case *Between:
		y := Expr(&Binary{"and", &Binary{">=", x.X, x.Low}, &Binary{"<=", x.X, x.High}})
		if x.Not {
			y = &Unary{"not", y}
		} else if !p.canon {
			return "(" + p.print(y, 0) + ")"
		}
		return p.print(y, within)
	case *Like:
		s := p.print(x.X, rankSum) + " like " + p.print(x.Pattern, rankSum)
		if x.Escape != nil {
			s += " escape " + p.print(x.Escape, rankSum)
		}
		if x.Not {
			return bracket(rankNot, "NOT "+s)
		}
		return bracket(rankCompare, s)
	case *IsNull:
		s := p.print(x.X, rankSum) + " IS NULL"
		if x.Not {
			s = p.print(x.X, rankSum) + " IS NOT NULL"
		}
		return bracket(rankCompare, s)
	case *Collate:
		return p.print(x.X, rankUnary) + " collate " + strings.ToLower(x.Name)
	}
	return p.primary(x)
}

// primary writes what never needs brackets.
func (p *printer) primary(x Expr) string {
	switch x := x.(type) {
	case *Call:
		return p.call(x)
	case *Convert:
		word := "CONVERT"
		if x.Parse {
			word = map[bool]string{true: "TRY_PARSE", false: "PARSE"}[x.Try]
			s := word + "(" + p.print(x.X, 0) + " AS " + TypeText(x.Type)
			if x.Culture != nil {
				s += " USING " + p.print(x.Culture, 0)
			}
			return s + ")"
		}
		if x.Try {
			word = "TRY_CAST"
			return word + "(" + p.print(x.X, 0) + " AS " + TypeText(x.Type) + ")"
		}
		s := word + "(" + TypeText(x.Type) + "," + p.print(x.X, 0)
		if l, ok := x.Style.(*Literal); x.Style != nil && !(ok && l.Text == "0") { // 0 is what it is without
			s += "," + p.print(x.Style, 0)
		}
		return s + ")"
	case *Case:
		s := "case"
		if x.Operand != nil {
			s += " " + p.print(x.Operand, 0)
		}
		for _, w := range x.Whens {
			s += " when " + p.print(w.If, 0) + " then " + p.print(w.Then, 0)
		}
		if x.Else != nil {
			s += " else " + p.print(x.Else, 0)
		}
		return s + " end"
	case *Exists:
		return "EXISTS(" + p.query(x.Query) + ")"
	case *Subquery:
		return "(" + p.query(x.Query) + ")"
	case *NextValue:
		return "NEXT VALUE FOR " + p.name(x.Sequence)
	case *Word:
		if s := dateParts[strings.ToLower(x.Text)]; s != "" {
			return s
		}
		return strings.ToLower(x.Text)
	case *Method:
		return p.method(x)
	case *AtZone:
		return p.print(x.X, rankUnary) + " AT TIME ZONE " + p.print(x.Zone, rankUnary)
	case *Quantified:
		word := "ANY"
		if x.All {
			word = "ALL"
		}
		return p.print(x.X, rankCompare) + x.Op + word + " (" + p.query(x.Query) + ")"
	}
	return "?"
}

func literal(x *Literal) string {
	switch x.Kind {
	case 's':
		return "'" + strings.ReplaceAll(x.Text, "'", "''") + "'"
	case 'n':
		return String(x.Text)
	case 'b':
		return "0x" + x.Text
	case '0':
		return "NULL"
	}
	return "(" + x.Text + ")"
}

func (p *printer) binary(x *Binary, bracket func(int, string) string) string {
	rank := ranks[x.Op]
	if strings.HasPrefix(x.Op, "is ") {
		return bracket(rank, p.print(x.L, rank+1)+" "+strings.ToUpper(x.Op)+" "+p.print(x.R, rank+1))
	}
	if rank > rankAnd {
		return bracket(rank, p.print(x.L, rank)+x.Op+apart(p.print(x.R, rank+1)))
	}
	list := chain(x, x.Op)
	texts := make([]string, len(list))
	for i, e := range list {
		texts[i] = p.print(e, rank)
	}
	if p.canon && x.Op == "or" && p.sameLeft(list) {
		slices.Sort(texts)
		texts = slices.Compact(texts)
	}
	return bracket(rank, strings.Join(texts, " "+strings.ToUpper(x.Op)+" "))
}

// apart keeps a sign from making a comment with the one before it.
func apart(s string) string {
	if strings.HasPrefix(s, "-") {
		return "(" + s + ")"
	}
	return s
}

// chain are the operands of one operator that stand side by side.
func chain(x Expr, op string) []Expr {
	if b, ok := x.(*Binary); ok && b.Op == op {
		return append(chain(b.L, op), chain(b.R, op)...)
	}
	if in, ok := x.(*In); ok && op == "or" && !in.Not && in.Query == nil {
		return equals(in)
	}
	return []Expr{x}
}

func equals(x *In) []Expr {
	out := make([]Expr, len(x.List))
	for i, v := range x.List {
		out[len(out)-1-i] = &Binary{"=", x.X, v}
	}
	return out
}

// sameLeft tells whether all compare one thing for being equal, as IN does; in
// which order does not matter then.
func (p *printer) sameLeft(list []Expr) bool {
	left := ""
	for i, e := range list {
		b, ok := e.(*Binary)
		if !ok || b.Op != "=" {
			return false
		}
		if s := p.print(b.L, 0); i > 0 && s != left {
			return false
		} else {
			left = s
		}
	}
	return true
}

func (p *printer) in(x *In, within int) string {
	if x.Query != nil {
		s := p.print(x.X, rankSum) + " IN (" + p.query(x.Query) + ")"
		if x.Not {
			s = "NOT " + s
		}
		return s
	}
	list := equals(x)
	y := list[0]
	for _, e := range list[1:] {
		y = &Binary{"or", y, e}
	}
	switch {
	case x.Not:
		y = &Unary{"not", y}
	case len(list) > 1 && !p.canon:
		return "(" + p.print(y, 0) + ")"
	}
	return p.print(y, within)
}

func (p *printer) call(x *Call) string {
	if len(x.Name) == 1 {
		if y := standsFor(x); y != nil {
			return p.print(y, 0)
		}
	}
	name := p.name(x.Name)
	if len(x.Name) == 1 {
		name = strings.ToLower(x.Name[0])
	}
	args := make([]string, len(x.Args))
	for i, a := range x.Args {
		args[i] = p.print(a, 0)
	}
	if side, ok := strings.CutPrefix(name, "trim "); ok {
		return "trim(" + side + " " + strings.Join(args, " from ") + ")"
	}
	if name == "json_object" && len(args)%2 == 0 {
		for i := 0; i < len(args); i += 2 {
			args[i/2] = args[i] + ":" + args[i+1]
		}
		args = args[:len(args)/2]
	}
	distinct := ""
	if x.Distinct {
		distinct = "distinct "
	}
	s := name + "(" + distinct + strings.Join(args, ",") + ")"
	if len(x.Within) > 0 {
		s += " WITHIN GROUP (ORDER BY " + p.order(x.Within) + ")"
	}
	if x.Over != nil {
		s += " OVER (" + p.over(x.Over) + ")"
	}
	return s
}

func (p *printer) method(x *Method) string {
	s := p.name([]string{x.Name})
	if x.X != nil {
		s = p.print(x.X, rankUnary) + "." + s
	} else {
		s = p.name(x.Of) + "::" + s
	}
	if x.Bare {
		return s
	}
	args := make([]string, len(x.Args))
	for i, a := range x.Args {
		args[i] = p.print(a, 0)
	}
	return s + "(" + strings.Join(args, ",") + ")"
}

func (p *printer) over(o *Over) string {
	var out []string
	if len(o.Partition) > 0 {
		var l []string
		for _, e := range o.Partition {
			l = append(l, p.print(e, 0))
		}
		out = append(out, "PARTITION BY "+strings.Join(l, ","))
	}
	if len(o.Order) > 0 {
		out = append(out, "ORDER BY "+p.order(o.Order))
	}
	return strings.Join(append(out, strings.ToUpper(o.Frame)), " ")
}

func (p *printer) order(items []OrderItem) string {
	var l []string
	for _, e := range items {
		l = append(l, p.print(e.X, 0)+map[bool]string{true: " DESC"}[e.Desc])
	}
	return strings.Join(l, ",")
}

// standsFor is the CASE that the server stores for some functions (SQL Server:
// COALESCE, Remarks; NULLIF, Remarks; IIF, Remarks); nil for others.
func standsFor(x *Call) Expr {
	switch name := strings.ToLower(x.Name[0]); {
	case name == "coalesce" && len(x.Args) > 1:
		c := &Case{Else: x.Args[len(x.Args)-1]}
		for _, a := range x.Args[:len(x.Args)-1] {
			c.Whens = append(c.Whens, When{&IsNull{a, true}, a})
		}
		return c
	case name == "nullif" && len(x.Args) == 2:
		return &Case{Whens: []When{{&Binary{"=", x.Args[0], x.Args[1]}, &Literal{Kind: '0'}}}, Else: x.Args[0]}
	case name == "iif" && len(x.Args) == 3:
		return &Case{Whens: []When{{x.Args[0], x.Args[1]}}, Else: x.Args[2]}
	}
	return nil
}

// query writes a query within an expression; it is no definition of its own.
func (p *printer) query(q *Query) string {
	s := p.selects(q.First)
	for _, r := range q.Rest {
		s += " " + strings.ToUpper(r.Op) + " " + p.selects(r.Select)
	}
	if len(q.Order) > 0 {
		s += " ORDER BY " + p.order(q.Order)
	}
	return s
}

func (p *printer) selects(s *Select) string {
	if s.Nested != nil {
		return "(" + p.query(s.Nested) + ")"
	}
	var items []string
	for _, it := range s.Items {
		t := p.print(it.X, 0)
		if it.Alias != "" {
			t += " AS " + p.name([]string{it.Alias})
		}
		items = append(items, t)
	}
	out := "SELECT " + map[bool]string{true: "DISTINCT "}[s.Distinct]
	if s.Top != nil {
		out += "TOP (" + p.print(s.Top, 0) + ") "
	}
	out += strings.Join(items, ",")
	for i := range s.From {
		out += map[bool]string{true: " FROM ", false: ","}[i == 0] + p.from(&s.From[i])
	}
	if s.Where != nil {
		out += " WHERE " + p.print(s.Where, 0)
	}
	for i, g := range s.Group {
		out += map[bool]string{true: " GROUP BY ", false: ","}[i == 0] + p.print(g, 0)
	}
	if s.Having != nil {
		out += " HAVING " + p.print(s.Having, 0)
	}
	return out
}

func (p *printer) from(f *From) string {
	switch {
	case f.Join != "":
		s := p.from(f.L) + " " + f.Join + " JOIN " + p.from(f.R)
		if f.On != nil {
			s += " ON " + p.print(f.On, 0)
		}
		return s
	case f.Query != nil:
		return "(" + p.query(f.Query) + ") AS " + p.name([]string{f.Alias})
	case f.Call != nil:
		return p.call(f.Call) + " AS " + p.name([]string{f.Alias})
	}
	s := p.name(f.Name)
	if f.Alias != "" {
		s += " AS " + p.name([]string{f.Alias})
	}
	return s
}
