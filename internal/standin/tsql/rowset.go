package tsql

import (
	"strings"

	"dappermirror/internal/core/sqltext"
)

// rowsets are the server's functions that stand in FROM under a reserved word, and the two
// conditions that are written as they are (SQL Server: Rowset Functions; CONTAINS).
var rowsets = []string{"openquery", "openrowset", "opendatasource", "openxml", "containstable", "freetexttable", "semantickeyphrasetable", "semanticsimilaritytable", "semanticsimilaritydetailstable"}

// The operators of IS DISTINCT FROM.
const (
	isDistinct    = "is distinct from"
	isNotDistinct = "is not distinct from"
)

// dateFunctions begin with a part of a date, and dateParts are the names of those that have
// several (SQL Server: DATEPART).
var (
	dateFunctions = map[string]bool{"dateadd": true, "datediff": true, "datediff_big": true, "datename": true, "datepart": true, "datetrunc": true, "date_bucket": true}
	dateParts     = map[string]string{"yy": "year", "yyyy": "year", "qq": "quarter", "q": "quarter", "mm": "month", "m": "month", "dy": "dayofyear", "y": "dayofyear", "dd": "day", "d": "day", "wk": "week", "ww": "week", "dw": "weekday",
		"w": "weekday", "hh": "hour", "mi": "minute", "n": "minute", "ss": "second", "s": "second", "ms": "millisecond", "mcs": "microsecond", "ns": "nanosecond", "tz": "tzoffset", "isowk": "iso_week", "isoww": "iso_week"}
)

// rowset reads a call whose arguments are no expressions. The first is a name, or a list of
// names, where it is one.
func (p *Parser) rowset() *Call {
	t := p.Next()
	c := &Call{Name: []string{strings.ToLower(t.Text)}, Pos: t.Pos}
	if !p.Peek().IsOp("(") {
		p.unexpected()
	}
	first := p.PeekAfter(1)
	toks, ok := p.Bracketed()
	if !ok {
		p.unexpected()
	}
	if isName(first) && !first.Is("bulk") {
		n := &Name{Pos: first.Pos}
		for i, t := range toks {
			if t.Blank() || i == 0 && t.IsOp("(") || t.IsOp(".") {
				continue
			}
			if !isName(t) {
				break
			}
			n.Parts = append(n.Parts, t.Name())
		}
		c.Args = []Expr{n}
	}
	return c
}

// shape reads the columns that OPENJSON and OPENXML are to have, with where each comes from.
func (p *Parser) shape() []Column {
	var out []Column
	p.want("(")
	for {
		c := Column{Name: p.name(), Type: p.typeName()}
		if p.Take("collate") {
			c.Collation = p.name()
		}
		if p.Peek().Kind == sqltext.String {
			p.Next()
		}
		p.Take("as", "json")
		if out = append(out, c); !p.Take(",") {
			break
		}
	}
	p.want(")")
	return out
}

// sample takes TABLESAMPLE, which changes which rows are read and not what they are.
func (p *Parser) sample() {
	if !p.Take("tablesample") {
		return
	}
	p.Take("system")
	p.Group()
	if p.Take("repeatable") {
		p.Group()
	}
}

// pivot reads PIVOT and UNPIVOT behind what they turn.
func (p *Parser) pivot(of From) From {
	v := &Pivot{Un: p.Next().Is("unpivot"), Of: &of}
	p.want("(")
	if v.Un {
		v.Value = p.name()
	} else {
		name, pos := p.path(), p.Peek().Pos
		v.Agg = p.call(name, pos).(*Call)
	}
	p.want("for")
	v.For = p.path()
	p.want("in", "(")
	for {
		path := p.path()
		if v.In = append(v.In, path[len(path)-1]); !p.Take(",") {
			break
		}
	}
	p.want(")", ")")
	f := From{Pivot: v, Pos: of.Pos, Alias: p.alias()}
	if p.Peek().IsOp("(") {
		f.Cols = p.names()
	}
	return f
}

// grouping reads what GROUP BY groups by. ROLLUP, CUBE and GROUPING SETS are calls, whose
// arguments are all that they name.
func (p *Parser) grouping() []Expr {
	var out []Expr
	for {
		switch t := p.Peek(); {
		case t.Is("grouping") && p.PeekAfter(1).Is("sets"):
			p.Next()
			p.Next()
			out = append(out, &Call{Name: []string{"grouping sets"}, Args: p.groupingSets(), Pos: t.Pos})
		case p.at("rollup", "cube") && p.PeekAfter(1).IsOp("("):
			p.Next()
			out = append(out, &Call{Name: []string{strings.ToLower(t.Text)}, Args: p.groupingSets(), Pos: t.Pos})
		default:
			out = append(out, p.condition())
		}
		if !p.Take(",") {
			break
		}
	}
	if p.Peek().Is("with") && (p.PeekAfter(1).Is("rollup") || p.PeekAfter(1).Is("cube")) {
		p.Next()
		out = []Expr{&Call{Name: []string{strings.ToLower(p.Next().Text)}, Args: out}}
	}
	return out
}

// groupingSets are the expressions in the brackets of grouping sets, however these nest.
func (p *Parser) groupingSets() []Expr {
	defer p.deeper()()
	var out []Expr
	p.want("(")
	for !p.Take(")") {
		switch {
		case p.Peek().IsOp("("):
			out = append(out, p.groupingSets()...)
		case p.at("rollup", "cube") && p.PeekAfter(1).IsOp("("):
			p.Next()
			out = append(out, p.groupingSets()...)
		default:
			out = append(out, p.condition())
		}
		if !p.Take(",") && !p.Peek().IsOp(")") {
			p.unexpected()
		}
	}
	return out
}

func (p *Parser) windows() []Window {
	var out []Window
	for {
		w := Window{Name: p.name()}
		p.want("as")
		w.Over = p.over()
		if out = append(out, w); !p.Take(",") {
			return out
		}
	}
}

// over reads a window: its name, or what it is.
func (p *Parser) over() *Over {
	o := &Over{}
	if isName(p.Peek()) {
		o.Name = p.name()
		return o
	}
	p.want("(")
	if isName(p.Peek()) && !p.at("partition", "rows", "range") {
		o.Name = p.name()
	}
	if p.Take("partition", "by") {
		o.Partition = p.list()
	}
	if p.Take("order", "by") {
		o.Order = p.orderItems()
	}
	start := p.Peek().Pos
	for p.at("rows", "range", "unbounded", "between", "preceding", "following", "current", "row", "and") || p.Peek().Kind == sqltext.Number {
		p.Next()
	}
	o.Frame = strings.TrimSpace(p.Text[start:p.Peek().Pos])
	p.want(")")
	return o
}

// behind reads the methods that are called on a value.
func (p *Parser) behind(x Expr) Expr {
	for p.Peek().IsOp(".") && isName(p.PeekAfter(1)) {
		if _, ok := x.(*Literal); ok {
			return x
		}
		defer p.deeper()()
		p.Next()
		x = p.method(&Method{X: x, Name: p.name()})
	}
	return x
}

// method takes the arguments of a method; a property has none.
func (p *Parser) method(m *Method) Expr {
	if m.Bare = !p.Take("("); !m.Bare && !p.Take(")") {
		m.Args = p.list()
		p.want(")")
	}
	return p.behind(m)
}

// pairs reads the rest of JSON_OBJECT: each name is followed by its value.
func (p *Parser) pairs(c *Call) {
	for p.Take(":") {
		c.Args = append(c.Args, p.condition())
		if p.Take(",") {
			c.Args = append(c.Args, p.condition())
		}
	}
	if p.at("null", "absent") {
		p.Next()
		p.want("on", "null")
	}
	if len(c.Args)%2 == 1 {
		p.unexpected()
	}
}

// escaped reads what stands in the brackets of ODBC: a function, or a moment.
func (p *Parser) escaped() Expr {
	defer p.deeper()()
	p.want("{")
	var x Expr
	switch {
	case p.Take("fn"):
		x = p.primary()
	case p.at("d", "t", "ts", "guid"):
		if p.Next(); p.Peek().Kind != sqltext.String {
			p.unexpected()
		}
		x = p.primary()
	default:
		p.unexpected()
	}
	p.want("}")
	return x
}

// parse reads PARSE and TRY_PARSE.
func (p *Parser) parse(try bool) Expr {
	p.Next()
	p.want("(")
	c := &Convert{X: p.condition(), Try: try, Parse: true}
	p.want("as")
	c.Type = p.typeName()
	if p.Take("using") {
		c.Culture = p.condition()
	}
	p.want(")")
	return c
}

// trim reads TRIM, which may say from which side what is to go.
func (p *Parser) trim() Expr {
	c := &Call{Name: []string{"trim"}, Pos: p.Next().Pos}
	p.want("(")
	for _, side := range []string{"leading", "trailing", "both"} {
		if p.Take(side) {
			c.Name[0] = "trim " + side
		}
	}
	c.Args = p.list()
	if p.Take("from") {
		if c.Args = append(c.Args, p.condition()); c.Name[0] == "trim" {
			c.Name[0] = "trim both"
		}
	}
	p.want(")")
	return c
}
