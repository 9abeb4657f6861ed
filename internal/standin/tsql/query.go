package tsql

import (
	"strings"

	"dappermirror/internal/core/sqltext"
)

// query reads a SELECT with its WITH, set operators, order and options.
func (p *Parser) query() *Query {
	defer p.deeper()()
	q := &Query{}
	if p.Take("with") {
		if p.Take("xmlnamespaces") {
			p.Group()
			if p.Take(",") {
				q.With = p.ctes()
			}
		} else {
			q.With = p.ctes()
		}
	}
	q.First = p.operand()
	for {
		op := ""
		switch {
		case p.Take("union", "all"):
			op = "union all"
		case p.Take("union"):
			op = "union"
		case p.Take("except"):
			op = "except"
		case p.Take("intersect"):
			op = "intersect"
		}
		if op == "" {
			break
		}
		q.Rest = append(q.Rest, SetOp{op, p.operand()})
	}
	if p.Take("order", "by") {
		q.Order = p.orderItems()
		if p.Take("offset") {
			q.Offset = p.sum()
			if !p.Take("rows") {
				p.want("row")
			}
			if p.Take("fetch") {
				if !p.Take("next") {
					p.want("first")
				}
				q.Fetch = p.sum()
				if !p.Take("rows") {
					p.want("row")
				}
				p.want("only")
			}
		}
	}
	if p.Peek().Is("for") && (p.PeekAfter(1).Is("xml") || p.PeekAfter(1).Is("json")) {
		start := p.Peek().Pos
		for !p.End() && !p.at(")", ";", "option") {
			if p.Peek().IsOp("(") {
				p.Bracketed()
				continue
			}
			p.Next()
		}
		q.For = strings.TrimSpace(p.Text[start:p.Peek().Pos])
	}
	if p.Take("option") {
		q.Options = p.Group()
	}
	return q
}

func (p *Parser) ctes() []CTE {
	var out []CTE
	for {
		c := CTE{Name: p.name()}
		if p.Peek().IsOp("(") {
			c.Columns = p.names()
		}
		p.want("as", "(")
		c.Query = p.query()
		p.want(")")
		if out = append(out, c); !p.Take(",") {
			return out
		}
	}
}

// operand is a SELECT, or a query in brackets.
func (p *Parser) operand() *Select {
	if p.Take("(") {
		defer p.deeper()()
		s := &Select{Nested: p.query()}
		p.want(")")
		return s
	}
	p.want("select")
	s := &Select{}
	if !p.Take("all") {
		s.Distinct = p.Take("distinct")
	}
	if p.Take("top") {
		if p.Peek().IsOp("(") {
			s.Top = p.primary()
		} else {
			s.Top = p.primary()
		}
		s.Percent = p.Take("percent")
		if p.Take("with") {
			p.want("ties")
			s.Ties = true
		}
	}
	for {
		s.Items = append(s.Items, p.item())
		if !p.Take(",") {
			break
		}
	}
	if p.Take("into") {
		s.Into = p.path()
	}
	if p.Take("from") {
		for {
			s.From = append(s.From, p.from())
			if !p.Take(",") {
				break
			}
		}
	}
	if p.Take("where") {
		s.Where = p.condition()
	}
	if p.Take("group", "by") {
		s.Group = p.grouping()
	}
	if p.Take("having") {
		s.Having = p.condition()
	}
	if p.Peek().Is("window") && isName(p.PeekAfter(1)) && p.PeekAfter(2).Is("as") {
		p.Next()
		s.Windows = p.windows()
	}
	return s
}

func (p *Parser) item() Item {
	t, n := p.Peek(), p.PeekAfter(1)
	if t.Kind == sqltext.Param && n.Kind == sqltext.Op && strings.Contains("+-*/%&|^", n.Text) && p.PeekAfter(2).IsOp("=") && p.PeekAfter(2).Pos == n.Pos+1 { // @v += …
		p.Next()
		p.assignment()
		return Item{X: &Binary{n.Text, &Variable{t.Text, t.Pos}, p.condition()}, Var: t.Text}
	}
	if n.IsOp("=") && t.Kind == sqltext.Param && !strings.HasPrefix(t.Text, "@@") {
		p.Next()
		p.Next()
		return Item{X: p.condition(), Var: t.Text}
	}
	if n.IsOp("=") && isName(t) {
		p.Next()
		p.Next()
		return Item{X: p.condition(), Alias: t.Name()}
	}
	it := Item{X: p.condition()}
	if p.Take("as") {
		if p.Peek().Kind == sqltext.String {
			it.Alias = p.Next().StringValue()
		} else {
			it.Alias = p.name()
		}
	} else if isName(p.Peek()) && !p.begins() {
		it.Alias = p.Next().Name()
	} else if p.Peek().Kind == sqltext.String {
		it.Alias = p.Next().StringValue()
	}
	return it
}

// begins tells whether the next word, though it could be a name, begins a
// statement, as it may stand without a semicolon before it.
func (p *Parser) begins() bool {
	t, n := p.Peek(), p.PeekAfter(1)
	return t.Is("throw") || t.Is("go") && !n.IsOp(",") || (t.Is("enable") || t.Is("disable")) && n.Is("trigger") || t.Is("offset") || t.Is("window") && isName(n) && p.PeekAfter(2).Is("as")
}

// alias takes the name that a table goes by.
func (p *Parser) alias() string {
	if p.Take("as") {
		return p.name()
	}
	if isName(p.Peek()) && !p.begins() {
		return p.Next().Name()
	}
	return ""
}

func (p *Parser) from() From {
	l := p.table()
	for {
		join := ""
		switch {
		case p.Take("cross", "join"):
			join = "CROSS"
		case p.Take("cross", "apply"):
			join = "CROSS APPLY"
		case p.Take("outer", "apply"):
			join = "OUTER APPLY"
		case p.Take("join"):
			join = "INNER"
		case p.Take("inner"):
			join = "INNER"
			p.hintedJoin()
		default:
			for _, w := range []string{"left", "right", "full"} {
				if p.Take(w) {
					p.Take("outer")
					p.hintedJoin()
					join = strings.ToUpper(w)
				}
			}
		}
		if join == "" {
			return l
		}
		p.linked()
		left := l
		var right From
		if p.Peek().IsOp("(") && !p.nestedQuery() {
			right = p.table()
		} else if right = p.table(); !strings.HasPrefix(join, "CROSS") && join != "OUTER APPLY" {
			for p.at("join", "inner", "left", "right", "full") { // a join b join c on … on …
				inner := p.joinOn(right)
				right = inner
			}
		}
		l = From{Join: join, L: &left, R: &right}
		if !strings.HasPrefix(join, "CROSS") && join != "OUTER APPLY" {
			p.want("on")
			l.On = p.condition()
		}
	}
}

func (p *Parser) systemTime() *SystemTime {
	t := &SystemTime{}
	switch {
	case p.Take("all"):
		t.How = "ALL"
	case p.Take("as", "of"):
		t.How, t.A = "AS OF", p.sum()
	case p.Take("from"):
		t.How, t.A = "FROM", p.sum()
		p.want("to")
		t.B = p.sum()
	case p.Take("between"):
		t.How, t.A = "BETWEEN", p.sum()
		p.want("and")
		t.B = p.sum()
	default:
		p.want("contained", "in", "(")
		t.How, t.A = "CONTAINED IN", p.sum()
		p.want(",")
		t.B = p.sum()
		p.want(")")
	}
	return t
}

// joinOn reads the rest of a join whose left side was read, with its condition.
func (p *Parser) joinOn(left From) From {
	join := "INNER"
	for _, w := range []string{"left", "right", "full"} {
		if p.Take(w) {
			p.Take("outer")
			join = strings.ToUpper(w)
		}
	}
	p.Take("inner")
	p.hintedJoin()
	right := p.table()
	for p.at("join", "inner", "left", "right", "full") {
		defer p.deeper()()
		right = p.joinOn(right)
	}
	p.want("on")
	return From{Join: join, L: &left, R: &right, On: p.condition()}
}

// hintedJoin takes JOIN, with a hint before it.
func (p *Parser) hintedJoin() {
	for p.at("loop", "hash", "merge", "remote") {
		p.Next()
	}
	p.Take("join")
}

// table reads what stands between the commas and joins of FROM.
func (p *Parser) table() From {
	f := p.source()
	for p.at("pivot", "unpivot") {
		defer p.deeper()()
		f = p.pivot(f)
	}
	return f
}

func (p *Parser) source() From {
	f := From{Pos: p.Peek().Pos}
	switch {
	case p.Peek().IsOp("("):
		p.Next()
		defer p.deeper()()
		switch {
		case p.at("select", "with") || p.nestedQuery():
			f.Query = p.query()
		case p.Take("values"):
			f.Query = &Query{First: &Select{Values: p.rows()}}
		default:
			f = p.from()
			p.want(")")
			return f
		}
		p.want(")")
		f.Alias = p.alias()
		if p.Peek().IsOp("(") {
			f.Cols = p.names()
		}
		return f
	case p.Peek().Kind == sqltext.Param:
		f.Name = []string{p.Next().Text}
		if p.Take(".") { // the rows of an XML variable
			f.Call = p.call(append(f.Name, p.name()), f.Pos).(*Call)
			f.Name = nil
		}
	case p.at(rowsets...) && p.PeekAfter(1).IsOp("("):
		f.Call = p.rowset()
	default:
		f.Name = p.path()
		if p.Peek().IsOp("(") && !p.PeekAfter(1).Is("nolock") {
			f.Call = p.call(f.Name, f.Pos).(*Call)
			f.Name = nil
		}
	}
	if p.Take("for", "system_time") {
		f.Time = p.systemTime()
	}
	if f.Call != nil && p.Peek().Is("with") && p.PeekAfter(1).IsOp("(") {
		p.Next()
		f.Columns = p.shape()
	}
	f.Alias = p.alias()
	if f.Call != nil && p.Peek().IsOp("(") {
		f.Cols = p.names()
	}
	p.sample()
	if p.Peek().Is("with") && p.PeekAfter(1).IsOp("(") {
		p.Next()
		f.Hints = p.hints()
	} else if p.Peek().IsOp("(") {
		f.Hints = p.hints()
	}
	return f
}

func (p *Parser) hints() []string {
	var out []string
	toks, ok := p.Bracketed()
	if !ok {
		p.unexpected()
	}
	for _, t := range toks {
		if t.Kind == sqltext.Word {
			out = append(out, strings.ToUpper(t.Text))
		}
	}
	return out
}

// rows takes rows of values in brackets.
func (p *Parser) rows() [][]Expr {
	var out [][]Expr
	for {
		p.want("(")
		var row []Expr
		for {
			if p.Peek().Is("default") {
				p.Next()
				row = append(row, nil)
			} else {
				row = append(row, p.condition())
			}
			if !p.Take(",") {
				break
			}
		}
		p.want(")")
		if out = append(out, row); !p.Take(",") {
			return out
		}
	}
}
