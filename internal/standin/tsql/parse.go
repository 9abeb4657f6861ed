package tsql

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/sqltext"
)

// Dialect is how Transact-SQL is taken apart, by the server and by its client.
var Dialect = sqltext.Dialect{Bracket: true, Nested: true, Sigils: true, Batches: true, Command: ":"}

// Error is a text that cannot be read. Number is the server's.
type Error struct {
	Number  int32
	Pos     int
	Message string
}

func (e *Error) Error() string { return e.Message }

// deepest is how far expressions, queries and blocks may stand in each other; the
// server's own bound is about as far (error 191).
const deepest = 200

// Parser reads statements from tokens. Its methods panic with an *Error, which the
// exported functions hand back.
type Parser struct {
	*sqltext.Cursor
	depth int
	links int // in the statement
}

func newParser(text string) *Parser { return &Parser{Cursor: sqltext.NewCursor(Dialect, text)} }

// catch turns a panic with an Error into one that is returned.
func catch(err *error) {
	if r := recover(); r != nil {
		e, ok := r.(*Error)
		if !ok {
			panic(r)
		}
		*err = e
	}
}

func (p *Parser) fail(number int32, format string, args ...any) {
	panic(&Error{Number: number, Pos: p.Peek().Pos, Message: fmt.Sprintf(format, args...)})
}

// unexpected says that the next token cannot stand here.
func (p *Parser) unexpected() {
	t := p.Peek()
	switch {
	case t.Kind == sqltext.Bad && strings.HasPrefix(t.Text, "/*"):
		p.fail(113, "Missing end comment mark '*/'.")
	case t.Kind == sqltext.Bad:
		p.fail(105, "Unclosed quotation mark after the character string '%s'.", excerpt(strings.Trim(t.Text, "'\"[")))
	case t.Text == "":
		p.fail(102, "Incorrect syntax near the end of the text.")
	case t.Kind == sqltext.Word && reserved[strings.ToLower(t.Text)]:
		p.fail(156, "Incorrect syntax near the keyword '%s'.", t.Text)
	}
	p.fail(102, "Incorrect syntax near '%s'.", excerpt(t.Text))
}

func excerpt(s string) string {
	if r := []rune(s); len(r) > 40 {
		return string(r[:40])
	}
	return s
}

// mostLinks is how many operators one statement may hold: what they join is a tree as deep.
const mostLinks = 50_000

// linked counts an operator that joins what stands before it with what stands behind it.
func (p *Parser) linked() {
	if p.links++; p.links > mostLinks {
		p.fail(191, "Some part of your SQL statement is nested too deeply. Rewrite the query or break it up into smaller queries.")
	}
}

func (p *Parser) deeper() func() {
	if p.depth++; p.depth > deepest {
		p.fail(191, "Some part of your SQL statement is nested too deeply. Rewrite the query or break it up into smaller queries.")
	}
	return func() { p.depth-- }
}

// want takes words that must stand here.
func (p *Parser) want(words ...string) {
	for _, w := range words {
		if !p.Take(w) {
			p.unexpected()
		}
	}
}

// at tells whether one of the words comes next.
func (p *Parser) at(words ...string) bool {
	t := p.Peek()
	for _, w := range words {
		if t.Is(w) || t.IsOp(w) {
			return true
		}
	}
	return false
}

// isName tells whether a token can be a name where one is looked for.
func isName(t sqltext.Token) bool {
	return t.Kind == sqltext.Quoted || t.Kind == sqltext.Word && !reserved[strings.ToLower(t.Text)]
}

// name takes one name.
func (p *Parser) name() string {
	if !isName(p.Peek()) {
		p.unexpected()
	}
	n := p.Next().Name()
	if n == "" {
		p.fail(1038, "An object or column name is missing or empty.")
	}
	if len([]rune(n)) > 128 {
		p.fail(103, "The identifier that starts with '%s' is too long. Maximum length is 128.", string([]rune(n)[:64]))
	}
	return n
}

// path takes a name of up to four parts; one between two dots may be missing.
func (p *Parser) path() []string {
	out := []string{p.name()}
	for p.Peek().IsOp(".") {
		p.Next()
		if p.Peek().IsOp(".") {
			out = append(out, "")
			continue
		}
		out = append(out, p.name())
		if len(out) > 4 {
			p.fail(117, "The object name '%s' contains more than the maximum number of prefixes. The maximum is 3.", strings.Join(out, "."))
		}
	}
	return out
}

// names takes a list of names in brackets.
func (p *Parser) names() []string {
	p.want("(")
	out := []string{p.name()}
	for p.Take(",") {
		out = append(out, p.name())
	}
	p.want(")")
	return out
}

// typeName takes a type.
func (p *Parser) typeName() TypeName {
	t := TypeName{Pos: p.Peek().Pos}
	if n := strings.ToLower(p.Peek().Text); n == "national" || n == "double" {
		p.Next()
		switch {
		case n == "double":
			p.want("precision")
			t.Name = []string{"float"}
		case p.Take("text"):
			t.Name = []string{"ntext"}
		default:
			if !p.Take("character") {
				p.want("char")
			}
			t.Name = []string{"nchar"}
		}
	} else {
		t.Name = p.path()
	}
	if p.Take("varying") {
		t.Name = []string{map[bool]string{true: "nvarchar", false: "varchar"}[strings.EqualFold(t.Name[0], "nchar")]}
	}
	if p.Take("(") {
		for {
			switch t2 := p.Peek(); {
			case t2.Is("max"), t2.Kind == sqltext.Number, t2.IsName():
				t.Args = append(t.Args, strings.ToLower(p.Next().Text))
			default:
				p.unexpected()
			}
			if p.Take(")") {
				break
			}
			p.want(",")
		}
	}
	return t
}

// Expression reads a text that is one expression.
func Expression(text string) (x Expr, err error) {
	defer catch(&err)
	p := newParser(text)
	x = p.condition()
	if !p.End() {
		p.unexpected()
	}
	return x, nil
}

// Type reads a text that is the name of one type.
func Type(text string) (t TypeName, err error) {
	defer catch(&err)
	p := newParser(text)
	t = p.typeName()
	if !p.End() {
		p.unexpected()
	}
	return t, nil
}

// condition reads what may be true or false, or a value: SQL Server keeps the two
// apart by what they are made of, so one grammar serves both.
func (p *Parser) condition() Expr {
	defer p.deeper()()
	x := p.and()
	for p.Take("or") {
		p.linked()
		x = &Binary{"or", x, p.and()}
	}
	return x
}

func (p *Parser) and() Expr {
	x := p.not()
	for p.Take("and") {
		p.linked()
		x = &Binary{"and", x, p.not()}
	}
	return x
}

func (p *Parser) not() Expr {
	if p.Take("not") {
		defer p.deeper()()
		return &Unary{"not", p.not()}
	}
	return p.predicate()
}

var comparisons = map[string]string{"=": "=", "<>": "<>", "!=": "<>", "<": "<", ">": ">", "<=": "<=", ">=": ">="}

// comparison takes a comparison operator; "" where there is none.
func (p *Parser) comparison() string {
	t := p.Peek()
	if t.Kind != sqltext.Op {
		return ""
	}
	if t.Text == "!" { // !< and !>
		n := p.PeekAfter(1)
		if n.Pos != t.Pos+1 || n.Text != "<" && n.Text != ">" {
			return ""
		}
		p.Next()
		p.Next()
		return map[string]string{"<": ">=", ">": "<="}[n.Text]
	}
	op := comparisons[t.Text]
	if op != "" {
		p.Next()
	}
	return op
}

func (p *Parser) predicate() Expr {
	if p.Peek().Is("exists") && p.PeekAfter(1).IsOp("(") {
		p.Next()
		p.want("(")
		q := p.query()
		p.want(")")
		return &Exists{q}
	}
	x := p.sum()
	for i := 0; ; i++ {
		if i > 0 {
			p.linked()
		}
		if op := p.comparison(); op != "" {
			if p.at("all", "any", "some") && p.PeekAfter(1).IsOp("(") {
				q := &Quantified{Op: op, X: x, All: p.Next().Is("all")}
				p.want("(")
				q.Query = p.query()
				p.want(")")
				x = q
				continue
			}
			x = &Binary{op, x, p.sum()}
			continue
		}
		not := p.Peek().Is("not") && (p.PeekAfter(1).Is("in") || p.PeekAfter(1).Is("between") || p.PeekAfter(1).Is("like"))
		if not {
			p.Next()
		}
		switch {
		case p.Take("is"):
			n := p.Take("not")
			if p.Take("distinct", "from") {
				x = &Binary{map[bool]string{true: isNotDistinct, false: isDistinct}[n], x, p.sum()}
				break
			}
			p.want("null")
			x = &IsNull{x, n}
		case p.Take("between"):
			low := p.sum()
			p.want("and")
			x = &Between{x, low, p.sum(), not}
		case p.Take("like"):
			l := &Like{X: x, Pattern: p.sum(), Not: not}
			if p.Take("escape") {
				l.Escape = p.sum()
			}
			x = l
		case p.Take("in"):
			p.want("(")
			in := &In{X: x, Not: not}
			if p.at("select", "with") {
				in.Query = p.query()
			} else {
				in.List = p.list()
			}
			p.want(")")
			x = in
		default:
			return x
		}
	}
}

func (p *Parser) list() []Expr {
	out := []Expr{p.condition()}
	for p.Take(",") {
		out = append(out, p.condition())
	}
	return out
}

func (p *Parser) sum() Expr {
	x := p.product()
	for {
		t := p.Peek()
		if t.Kind != sqltext.Op || t.Text != "+" && t.Text != "-" && t.Text != "&" && t.Text != "|" && t.Text != "^" {
			return x
		}
		if p.PeekAfter(1).IsOp("=") && p.PeekAfter(1).Pos == t.Pos+1 {
			return x // += of an assignment
		}
		p.linked()
		p.Next()
		x = &Binary{t.Text, x, p.product()}
	}
}

func (p *Parser) product() Expr {
	x := p.unary()
	for {
		t := p.Peek()
		if t.Kind != sqltext.Op || t.Text != "*" && t.Text != "/" && t.Text != "%" {
			return x
		}
		if p.PeekAfter(1).IsOp("=") && p.PeekAfter(1).Pos == t.Pos+1 {
			return x
		}
		p.linked()
		p.Next()
		x = &Binary{t.Text, x, p.unary()}
	}
}

func (p *Parser) unary() Expr {
	t := p.Peek()
	if t.Kind == sqltext.Op && (t.Text == "-" || t.Text == "+" || t.Text == "~") {
		defer p.deeper()()
		p.Next()
		x := p.unary()
		if l, ok := x.(*Literal); ok && l.Kind == '#' && t.Text == "-" && !strings.HasPrefix(l.Text, "-") {
			return &Literal{'#', "-" + l.Text}
		}
		if t.Text == "+" {
			return x
		}
		return &Unary{t.Text, x}
	}
	x := p.behind(p.primary())
	for {
		switch {
		case p.Take("collate"):
			p.linked()
			x = &Collate{x, p.name()}
		case p.Peek().Is("at") && p.PeekAfter(1).Is("time"):
			p.linked()
			p.want("at", "time", "zone")
			x = &AtZone{x, p.behind(p.primary())}
		default:
			return x
		}
	}
}

func (p *Parser) primary() Expr {
	t := p.Peek()
	switch {
	case t.Kind == sqltext.Number:
		p.Next()
		if len(t.Text) > 1 && (t.Text[1] == 'x' || t.Text[1] == 'X') {
			return &Literal{'b', strings.ToUpper(t.Text[2:])}
		}
		return &Literal{'#', p.numeral(t.Text)}
	case t.Kind == sqltext.String:
		p.Next()
		if t.Text[0] == 'N' || t.Text[0] == 'n' {
			return &Literal{'n', strings.ReplaceAll(t.Text[2:len(t.Text)-1], "''", "'")}
		}
		return &Literal{'s', t.StringValue()}
	case t.Kind == sqltext.Param:
		p.Next()
		if strings.HasPrefix(t.Text, "$") && p.Take(".") { // $PARTITION.function (value)
			return p.call([]string{t.Text, p.name()}, t.Pos)
		}
		return &Variable{t.Text, t.Pos}
	case t.IsOp("$"): // a money constant
		if n := p.PeekAfter(1); n.Kind == sqltext.Number {
			p.Next()
			p.Next()
			return &Literal{'#', p.numeral(n.Text)}
		}
	case t.IsOp("("):
		p.Next()
		defer p.deeper()()
		if p.at("select", "with") || p.Peek().IsOp("(") && p.nestedQuery() {
			q := p.query()
			p.want(")")
			return &Subquery{q}
		}
		x := p.condition()
		p.want(")")
		return x
	case t.IsOp("{"):
		return p.escaped()
	case t.IsOp("*"):
		p.Next()
		return &Star{}
	case t.Is("null"):
		p.Next()
		return &Literal{Kind: '0'}
	case t.Is("case"):
		return p.caseExpr()
	case t.Is("next") && p.PeekAfter(1).Is("value"):
		p.Next()
		p.want("value", "for")
		n := &NextValue{Sequence: p.path()}
		if p.Take("over") {
			n.Over = p.over()
		}
		return n
	case t.Kind == sqltext.Word || t.Kind == sqltext.Quoted:
		return p.nameOrCall()
	}
	p.unexpected()
	return nil
}

// numeral is a number as it is written, which letters other than an exponent's would
// make none.
func (p *Parser) numeral(s string) string {
	mantissa, exponent, has := strings.Cut(strings.ToLower(s), "e")
	if strings.Trim(mantissa, "0123456789.") != "" || strings.Count(mantissa, ".") > 1 || mantissa == "." || has && strings.Trim(strings.TrimLeft(exponent, "+-"), "0123456789") != "" {
		p.fail(102, "Incorrect syntax near '%s'.", excerpt(s))
	}
	return s
}

// nestedQuery tells whether a bracket begins a query in brackets.
func (p *Parser) nestedQuery() bool {
	for i := p.At; i < len(p.Toks); i++ {
		switch t := p.Toks[i]; {
		case t.Blank(), t.IsOp("("):
		default:
			return t.Is("select")
		}
	}
	return false
}

func (p *Parser) caseExpr() Expr {
	defer p.deeper()()
	p.want("case")
	c := &Case{}
	if !p.at("when") {
		c.Operand = p.condition()
	}
	for p.Take("when") {
		w := When{If: p.condition()}
		p.want("then")
		w.Then = p.condition()
		c.Whens = append(c.Whens, w)
	}
	if p.Take("else") {
		c.Else = p.condition()
	}
	p.want("end")
	if len(c.Whens) == 0 {
		p.unexpected()
	}
	return c
}

// niladic are functions that stand without brackets, by the name the server prints.
var niladic = map[string]string{"current_timestamp": "getdate", "current_user": "user_name", "session_user": "user_name", "system_user": "suser_sname", "user": "user_name"}

func (p *Parser) nameOrCall() Expr {
	t := p.Peek()
	word := strings.ToLower(t.Text)
	if t.Kind == sqltext.Word {
		if f := niladic[word]; f != "" && !p.PeekAfter(1).IsOp("(") {
			p.Next()
			return &Call{Name: []string{f}, Pos: t.Pos}
		}
		switch word {
		case "cast", "try_cast":
			p.Next()
			p.want("(")
			c := &Convert{X: p.condition(), Try: word == "try_cast"}
			p.want("as")
			c.Type = p.typeName()
			p.want(")")
			return c
		case "convert", "try_convert":
			p.Next()
			p.want("(")
			c := &Convert{Type: p.typeName(), Try: word == "try_convert"}
			p.want(",")
			c.X = p.condition()
			if p.Take(",") {
				c.Style = p.condition()
			}
			p.want(")")
			return c
		case "parse", "try_parse":
			if p.PeekAfter(1).IsOp("(") {
				return p.parse(word == "try_parse")
			}
		case "trim":
			if p.PeekAfter(1).IsOp("(") {
				return p.trim()
			}
		case "contains", "freetext":
			return p.rowset()
		case "left", "right", "coalesce", "nullif", "update":
			if !p.PeekAfter(1).IsOp("(") {
				p.unexpected()
			}
			p.Next()
			return p.call([]string{word}, t.Pos)
		}
	}
	parts := []string{p.name()}
	for p.Peek().IsOp(".") {
		p.Next()
		if p.Peek().IsOp("*") {
			p.Next()
			return &Star{parts}
		}
		if p.Peek().IsOp(".") {
			parts = append(parts, "")
			continue
		}
		parts = append(parts, p.name())
	}
	if p.Peek().IsOp("(") {
		return p.call(parts, t.Pos)
	}
	if p.Take("::") || p.Take(":", ":") { // of a type
		return p.method(&Method{Of: parts, Name: p.name()})
	}
	return &Name{parts, t.Pos}
}

func (p *Parser) call(name []string, pos int) Expr {
	defer p.deeper()()
	c := &Call{Name: name, Pos: pos}
	p.want("(")
	if c.Distinct = p.Take("distinct"); !c.Distinct {
		p.Take("all")
	}
	if t := p.Peek(); t.Kind == sqltext.Word && len(name) == 1 && dateFunctions[strings.ToLower(name[0])] && p.PeekAfter(1).IsOp(",") {
		p.Next()
		p.Next()
		c.Args = append([]Expr{&Word{t.Text}}, p.list()...)
		p.want(")")
	} else if !p.Take(")") {
		if c.Args = p.args(); p.Peek().IsOp(":") {
			p.pairs(c)
		}
		p.want(")")
	}
	if p.at("respect", "ignore") && p.PeekAfter(1).Is("nulls") {
		p.Next()
		p.Next()
	}
	if p.Take("within") {
		p.want("group", "(", "order", "by")
		c.Within = p.orderItems()
		p.want(")")
	}
	if p.Take("over") {
		c.Over = p.over()
	}
	return c
}

// args reads the arguments of a function; DEFAULT stands for what a parameter has.
func (p *Parser) args() []Expr {
	var out []Expr
	for {
		if t := p.Peek(); p.Take("default") {
			out = append(out, &Word{t.Text})
		} else {
			out = append(out, p.condition())
		}
		if !p.Take(",") {
			return out
		}
	}
}

func (p *Parser) orderItems() []OrderItem {
	var out []OrderItem
	for {
		o := OrderItem{X: p.condition()}
		if !p.Take("asc") {
			o.Desc = p.Take("desc")
		}
		if out = append(out, o); !p.Take(",") {
			return out
		}
	}
}

// reserved are the words that no name is without quotes (SQL Server: Reserved
// Keywords).
var reserved = func() map[string]bool {
	m := map[string]bool{}
	for _, w := range strings.Fields(`add all alter and any as asc authorization backup begin between break browse bulk by cascade case check checkpoint
close clustered coalesce collate column commit compute constraint contains containstable continue convert create cross current current_date
current_time current_timestamp current_user cursor database dbcc deallocate declare default delete deny desc disk distinct distributed double drop
dump else end errlvl escape except exec execute exists exit external fetch file fillfactor for foreign freetext freetexttable from full function
goto grant group having holdlock identity identity_insert identitycol if in index inner insert intersect into is join key kill left like lineno
load merge national nocheck nonclustered not null nullif of off offsets on open opendatasource openquery openrowset openxml option or order outer
over percent pivot plan primary print proc procedure raiserror read readtext reconfigure references replication restore restrict
return revert revoke right rollback rowcount rowguidcol rule save schema securityaudit select semantickeyphrasetable
semanticsimilaritydetailstable semanticsimilaritytable session_user set setuser shutdown some statistics system_user table tablesample textsize then
to top tran transaction trigger truncate try_convert tsequal union unique unpivot update updatetext use user values varying view waitfor when where
while with writetext`) {
		m[w] = true
	}
	return m
}()

// Plain tells whether a name can stand without brackets.
func Plain(name string) bool {
	if name == "" || reserved[strings.ToLower(name)] || name[0] >= '0' && name[0] <= '9' || strings.EqualFold(name, "go") {
		return false
	}
	for _, c := range name {
		if c != '_' && (c < '0' || c > '9') && (c < 'a' || c > 'z') && (c < 'A' || c > 'Z') {
			return false
		}
	}
	return true
}
