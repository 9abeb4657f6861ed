package tsql

import (
	"slices"
	"strings"

	"dappermirror/internal/core/sqltext"
)

// create reads CREATE, and ALTER of modules.
func (p *Parser) create() any {
	start := p.Peek().Pos
	p.want("create")
	verb := "CREATE"
	if p.Take("or", "alter") {
		verb = "CREATE OR ALTER"
	}
	switch {
	case p.at("view", "function", "procedure", "proc", "trigger"):
		return p.module(verb, start)
	case verb != "CREATE":
		p.unexpected()
	case p.Take("table"):
		return p.createTable()
	case p.Take("schema"):
		s := &CreateSchema{}
		if p.Take("authorization") {
			s.Owner = p.name()
			s.Name = s.Owner
		} else {
			s.Name = p.name()
			if p.Take("authorization") {
				s.Owner = p.name()
			}
		}
		return s
	case p.Take("type"):
		return p.createType()
	case p.Take("sequence"):
		return p.sequence(false)
	case p.Take("synonym"):
		s := &CreateSynonym{Name: p.path()}
		p.want("for")
		s.For = p.path()
		return s
	case p.Take("security", "policy"):
		return p.securityPolicy(false)
	case p.Take("partition"):
		return p.createPartition()
	case p.at("unique", "clustered", "nonclustered", "index", "columnstore"):
		return p.createIndex()
	case p.at("xml", "spatial", "primary"):
		return p.specialIndex()
	case p.at("fulltext"):
		return p.fulltext("CREATE")
	case p.at("user", "role"):
		return p.principal("CREATE")
	case p.at("statistics"):
		return p.statistics("CREATE")
	case p.at("login", "database"):
		return p.passed()
	}
	p.fail(40000, "CREATE %s is not known here.", strings.ToUpper(p.Peek().Text))
	return nil
}

// passed takes a statement about something beyond the structure, to its end or to
// the next word that begins one.
func (p *Parser) passed() any {
	what := strings.ToUpper(p.Peek().Text)
	for !p.End() && !p.at(";", "create", "go", "exec", "grant", "declare", "if") {
		p.Next()
	}
	return &Passed{what}
}

func (p *Parser) createTable() any {
	t := &CreateTable{Name: p.path()}
	p.tableBody(t)
	for {
		switch {
		case p.Take("on"):
			t.On = p.space()
		case p.Take("textimage_on"):
			t.TextImageOn = p.space().Name
		case p.Take("with"):
			t.Options = p.options()
		case p.at("as", "filestream_on"):
			p.fail(40000, "CREATE TABLE … %s is not known here.", strings.ToUpper(p.Peek().Text))
		default:
			return t
		}
	}
}

// tableBody takes the list of columns, constraints and indexes.
func (p *Parser) tableBody(t *CreateTable) {
	p.want("(")
	for !p.at(")") {
		switch {
		case p.at("constraint", "primary", "unique", "foreign", "check"):
			t.Rest = append(t.Rest, p.constraint(true))
		case p.Take("period", "for"):
			t.Period = p.period()
		case p.Take("index"):
			t.Indexes = append(t.Indexes, p.inlineIndex(""))
		default:
			c := p.column()
			for p.Take("index") {
				t.Indexes = append(t.Indexes, p.inlineIndex(c.Name))
			}
			t.Columns = append(t.Columns, c)
		}
		if !p.Take(",") {
			break
		}
	}
	p.want(")")
}

// period takes the columns of a period.
func (p *Parser) period() []string {
	p.want("system_time", "(")
	out := []string{p.name()}
	p.want(",")
	out = append(out, p.name())
	p.want(")")
	return out
}

func (p *Parser) inlineIndex(column string) Index {
	i := Index{Pos: p.Peek().Pos, Name: p.name()}
	i.Unique = p.Take("unique")
	i.Clustered = p.Take("clustered")
	if !i.Clustered {
		p.Take("nonclustered")
	}
	i.Columnstore = p.Take("columnstore")
	i.Hash = p.Take("hash")
	if column != "" && !p.at("(") {
		i.Columns = []IndexColumn{{Name: column}}
	} else if !i.Columnstore || !i.Clustered {
		i.Columns = p.indexColumns()
	}
	p.indexTail(&i)
	return i
}

func (p *Parser) indexColumns() []IndexColumn {
	var out []IndexColumn
	p.want("(")
	for {
		c := IndexColumn{Name: p.name()}
		if !p.Take("asc") {
			c.Desc = p.Take("desc")
		}
		out = append(out, c)
		if !p.Take(",") {
			break
		}
	}
	p.want(")")
	return out
}

func (p *Parser) column() Column {
	c := Column{Pos: p.Peek().Pos, Name: p.name()}
	if p.Take("as") {
		c.Computed = p.condition()
		c.Persisted = p.Take("persisted")
		p.columnTail(&c)
		return c
	}
	if !p.Peek().IsName() { // timestamp stands alone
		if !strings.EqualFold(c.Name, "timestamp") {
			p.unexpected()
		}
		c.Type = TypeName{Name: []string{"timestamp"}}
	} else if strings.EqualFold(c.Name, "timestamp") && !isName(p.Peek()) {
		c.Type = TypeName{Name: []string{"timestamp"}}
	} else {
		c.Type = p.typeName()
	}
	p.columnTail(&c)
	return c
}

// columnTail takes what stands behind the type of a column.
func (p *Parser) columnTail(c *Column) {
	for {
		switch {
		case p.Take("collate"):
			c.Collation = p.name()
		case c.Null != 0 && p.at("not", "null"):
			p.fail(8150, "Multiple NULL constraints were specified for column '%s'.", c.Name)
		case p.Take("not", "null"):
			c.Null = 'n'
		case p.Take("null"):
			c.Null = 'y'
		case p.Take("identity"):
			c.Identity, c.Seed, c.Step = true, "1", "1"
			if p.Take("(") {
				c.Seed = p.signed()
				p.want(",")
				c.Step = p.signed()
				p.want(")")
			}
		case p.Take("not", "for", "replication"):
			c.NotRepl = true
		case p.Take("rowguidcol"):
			c.RowGuid = true
		case p.Take("sparse"):
			c.Sparse = true
		case p.Take("persisted"):
			c.Persisted = true
		case p.Take("masked"):
			p.want("with", "(", "function", "=")
			if p.Peek().Kind != sqltext.String {
				p.unexpected()
			}
			c.Mask = p.Next().StringValue()
			p.want(")")
		case p.at("constraint", "primary", "unique", "check", "references", "default", "foreign"):
			if x, ok := p.columnConstraint(); ok {
				c.Constraints = append(c.Constraints, x)
			} else {
				return
			}
		case p.Take("generated"):
			p.want("always", "as", "row")
			if c.Generated = 's'; !p.Take("start") {
				p.want("end")
				c.Generated = 'e'
			}
		case p.Take("hidden"):
			c.Hidden = true
		case p.at("encrypted", "filestream"):
			p.fail(40000, "A column that is %s is not known here.", strings.ToUpper(p.Peek().Text))
		default:
			return
		}
	}
}

func (p *Parser) signed() string {
	s := ""
	if p.Take("-") {
		s = "-"
	}
	if p.Peek().Kind != sqltext.Number {
		p.unexpected()
	}
	return s + p.Next().Text
}

func (p *Parser) columnConstraint() (Constraint, bool) {
	return p.constraint(false), true
}

// constraint reads one constraint, of a table or of a column.
func (p *Parser) constraint(table bool) Constraint {
	k := Constraint{Pos: p.Peek().Pos}
	if p.Take("constraint") {
		k.Name = p.name()
	}
	switch {
	case p.Take("primary", "key"):
		k.Kind = "PRIMARY"
	case p.Take("unique"):
		k.Kind = "UNIQUE"
	case p.Take("check"):
		k.Kind = "CHECK"
		k.NotRepl = p.Take("not", "for", "replication")
		p.want("(")
		k.X = p.condition()
		p.want(")")
		return k
	case p.Take("default"):
		k.Kind = "DEFAULT"
		k.X = p.sum()
		if p.Take("for") {
			k.For = p.name()
		}
		k.WithValues = p.Take("with", "values")
		return k
	case p.at("foreign", "references"):
		return p.foreignKey(k, table)
	default:
		p.unexpected()
	}
	switch {
	case p.Take("clustered"):
		k.Clustered = 'y'
	case p.Take("nonclustered"):
		k.Clustered = 'n'
	}
	k.Hash = p.Take("hash")
	if table || p.Peek().IsOp("(") {
		k.Columns = p.indexColumns()
	}
	for {
		switch {
		case p.Take("with"):
			if p.Take("fillfactor") {
				p.want("=")
				k.Options = Options{"FILLFACTOR": p.Next().Text}
			} else {
				k.Options = p.options()
			}
		case p.Take("on"):
			k.On = p.space()
		default:
			return k
		}
	}
}

func (p *Parser) foreignKey(k Constraint, table bool) Constraint {
	k.Kind = "FOREIGN"
	if p.Take("foreign") {
		p.want("key")
		if table || p.Peek().IsOp("(") {
			for _, n := range p.names() {
				k.Columns = append(k.Columns, IndexColumn{Name: n})
			}
		}
	}
	p.want("references")
	k.Parent = p.path()
	if p.Peek().IsOp("(") {
		k.ParentCols = p.names()
	}
	for {
		switch {
		case p.Take("on", "delete"):
			k.Delete = p.action()
		case p.Take("on", "update"):
			k.Update = p.action()
		case p.Take("not", "for", "replication"):
			k.NotRepl = true
		default:
			return k
		}
	}
}

func (p *Parser) action() string {
	switch {
	case p.Take("cascade"):
		return "CASCADE"
	case p.Take("set", "null"):
		return "SET NULL"
	case p.Take("set", "default"):
		return "SET DEFAULT"
	}
	p.want("no", "action")
	return ""
}

// options takes a list of options in brackets.
func (p *Parser) options() Options {
	out := Options{}
	p.want("(")
	for {
		name := strings.ToUpper(p.Next().Text)
		value := "ON"
		if p.Take("=") {
			value = p.optionValue(name, out)
		}
		if name == "" || name == ")" {
			p.unexpected()
		}
		out[name] = value
		if name == "DATA_COMPRESSION" && p.Peek().Is("on") {
			p.fail(40000, "Partitioning is not known here.")
		}
		if !p.Take(",") {
			break
		}
	}
	p.want(")")
	return out
}

func (p *Parser) optionValue(name string, out Options) string {
	if p.at("(") {
		return strings.ToUpper(p.Group())
	}
	value := strings.ToUpper(p.Next().Text)
	switch {
	case name == "SYSTEM_VERSIONING" && p.at("("):
		p.versioning(out)
	case p.Peek().IsOp("("):
		value += " " + p.Group()
	case p.at("minutes", "minute"):
		p.Next()
	}
	return value
}

// versioning takes what is said of a history table, as options.
func (p *Parser) versioning(out Options) {
	p.want("(")
	for {
		switch {
		case p.Take("history_table", "="):
			out["HISTORY_TABLE"] = Path(p.path())
		case p.Take("data_consistency_check", "="):
			out["DATA_CONSISTENCY_CHECK"] = strings.ToUpper(p.Next().Text)
		case p.Take("history_retention_period", "="):
			v := strings.ToUpper(p.Next().Text)
			if p.at("day", "days", "week", "weeks", "month", "months", "year", "years") {
				v += " " + strings.TrimSuffix(strings.ToUpper(p.Next().Text), "S")
			}
			out["HISTORY_RETENTION_PERIOD"] = v
		default:
			p.unexpected()
		}
		if !p.Take(",") {
			break
		}
	}
	p.want(")")
}

func (p *Parser) createIndex() any {
	i := &Index{Pos: p.Peek().Pos}
	i.Unique = p.Take("unique")
	i.Clustered = p.Take("clustered")
	if !i.Clustered {
		p.Take("nonclustered")
	}
	i.Columnstore = p.Take("columnstore")
	p.want("index")
	i.Name = p.name()
	p.want("on")
	i.On = p.path()
	if !i.Columnstore || !i.Clustered {
		i.Columns = p.indexColumns()
	}
	p.indexTail(i)
	return i
}

func (p *Parser) indexTail(i *Index) {
	for {
		switch {
		case p.Take("include"):
			i.Include = p.names()
		case p.Take("where"):
			i.Where = p.condition()
		case p.Take("with"):
			if p.Take("fillfactor") {
				p.want("=")
				i.Options = Options{"FILLFACTOR": p.Next().Text}
			} else {
				i.Options = p.options()
			}
		case p.at("on") && !p.PeekAfter(1).Is("delete") && !p.PeekAfter(1).Is("update"):
			p.Next()
			i.Group = p.space()
		case p.at("filestream_on"):
			p.fail(40000, "FILESTREAM_ON is not known here.")
		default:
			return
		}
	}
}

func (p *Parser) createType() any {
	name := p.path()
	switch {
	case p.Take("from"):
		t := &CreateType{Name: name, Base: p.typeName()}
		switch {
		case p.Take("not", "null"):
			t.Null = 'n'
		case p.Take("null"):
			t.Null = 'y'
		}
		return t
	case p.Take("as"):
		p.want("table")
		t := &CreateTable{Name: name, Type: true}
		p.tableBody(t)
		if p.Take("with") {
			t.Options = p.options()
		}
		return t
	}
	p.fail(40000, "CREATE TYPE … %s is not known here.", strings.ToUpper(p.Peek().Text))
	return nil
}

func (p *Parser) sequence(alter bool) any {
	s := &Sequence{Name: p.path(), Alter: alter}
	for {
		switch {
		case p.Take("as"):
			t := p.typeName()
			s.Type = &t
		case p.Take("start", "with"):
			s.Start = p.signed()
		case p.Take("restart"):
			s.Restart = "yes"
			if p.Take("with") {
				s.Restart = p.signed()
			}
		case p.Take("increment", "by"):
			s.Step = p.signed()
		case p.Take("minvalue"):
			s.Min = p.signed()
		case p.Take("no", "minvalue"):
			s.Min = "no"
		case p.Take("maxvalue"):
			s.Max = p.signed()
		case p.Take("no", "maxvalue"):
			s.Max = "no"
		case p.Take("cycle"):
			s.Cycle = "yes"
		case p.Take("no", "cycle"):
			s.Cycle = "no"
		case p.Take("no", "cache"):
			s.Cache = "no"
		case p.Take("cache"):
			if s.Cache = "yes"; p.Peek().Kind == sqltext.Number {
				s.Cache = p.Next().Text
			}
		default:
			return s
		}
	}
}

// module reads a view, function, procedure or trigger. Bodies are not taken apart
// but those of views and inline functions, which are queries.
func (p *Parser) module(verb string, start int) any {
	m := &Module{Verb: verb, Kind: strings.ToUpper(p.Next().Text)}
	if m.Kind == "PROC" {
		m.Kind = "PROCEDURE"
	}
	m.NamePos = p.Peek().Pos
	m.Name = p.path()
	switch m.Kind {
	case "VIEW":
		p.viewBody(m)
	case "TRIGGER":
		p.triggerHead(m)
	case "PROCEDURE":
		if p.Take(";") {
			p.fail(40000, "Numbered procedures are not known here.")
		}
		bracket := p.Take("(")
		m.Params = p.params()
		if bracket {
			p.want(")")
		}
		p.moduleOptions(m)
		if p.Take("for", "replication") {
			p.fail(40000, "FOR REPLICATION is not known here.")
		}
		p.want("as")
	case "FUNCTION":
		p.want("(")
		if !p.at(")") {
			m.Params = p.params()
		}
		p.want(")")
		p.functionHead(m)
	}
	if m.BodyPos == 0 {
		m.BodyPos = p.Peek().Pos
	}
	if p.End() && m.Query == nil {
		p.unexpected()
	}
	if p.at("external") {
		p.fail(40000, "Modules of the CLR are not known here.")
	}
	for !p.End() {
		if p.Peek().Kind == sqltext.Bad {
			p.unexpected()
		}
		p.Next()
	}
	return m
}

func (p *Parser) viewBody(m *Module) {
	if p.Peek().IsOp("(") {
		m.Columns = p.names()
	}
	p.moduleOptions(m)
	p.want("as")
	m.BodyPos = p.Peek().Pos
	m.Query = p.query()
	m.Check = p.Take("with", "check", "option")
	p.Take(";")
	if !p.End() {
		p.unexpected()
	}
}

func (p *Parser) triggerHead(m *Module) {
	p.want("on")
	switch {
	case p.Take("database"):
		m.Database = true
	case p.Take("all", "server"):
		p.fail(40000, "Triggers ON ALL SERVER are not known here.")
	default:
		m.On = p.path()
	}
	p.moduleOptions(m)
	switch {
	case p.Take("instead", "of"):
		m.InsteadOf = true
	case p.Take("for"), p.Take("after"):
	default:
		p.unexpected()
	}
	for {
		m.Events = append(m.Events, strings.ToUpper(p.Next().Text))
		if !p.Take(",") {
			break
		}
	}
	if !m.Database && slices.ContainsFunc(m.Events, func(e string) bool { return e != "INSERT" && e != "UPDATE" && e != "DELETE" }) {
		p.unexpected()
	}
	p.Take("with", "append")
	p.Take("not", "for", "replication")
	p.want("as")
}

func (p *Parser) functionHead(m *Module) {
	p.want("returns")
	switch {
	case p.Peek().Kind == sqltext.Param: // a table variable
		p.Next()
		p.want("table")
		m.Table = &CreateTable{Type: true}
		p.tableBody(m.Table)
		p.moduleOptions(m)
		p.Take("as")
	case p.Take("table"):
		m.Inline = true
		p.moduleOptions(m)
		p.Take("as")
		m.BodyPos = p.Peek().Pos
		p.want("return")
		m.Query = p.bracketedQuery()
		p.Take(";")
		if !p.End() {
			p.unexpected()
		}
	default:
		t := p.typeName()
		m.Returns = &t
		p.moduleOptions(m)
		p.Take("as")
	}
}

// bracketedQuery is a query that may stand in brackets.
func (p *Parser) bracketedQuery() *Query {
	at := *p.Cursor
	if p.Take("(") && p.at("select", "with") {
		q := p.query()
		if p.Take(")") && (p.End() || p.at(";")) {
			return q
		}
	}
	*p.Cursor = at
	return p.query()
}

func (p *Parser) params() []Param {
	var out []Param
	for p.Peek().Kind == sqltext.Param {
		x := Param{Name: p.Next().Text}
		p.Take("as")
		if t := p.Peek(); p.Take("cursor") {
			x.Type = TypeName{Name: []string{"cursor"}, Pos: t.Pos}
			p.want("varying")
		} else {
			x.Type = p.typeName()
		}
		if !p.Take("not", "null") {
			p.Take("null")
		}
		if p.Take("=") {
			x.Default = p.unary0()
		}
		for {
			switch {
			case p.Take("output"), p.Take("out"):
				x.Output = true
				continue
			case p.Take("readonly"):
				x.ReadOnly = true
				continue
			}
			break
		}
		if out = append(out, x); !p.Take(",") {
			break
		}
	}
	return out
}

// unary0 is a default of a parameter: a constant, or a bare word.
func (p *Parser) unary0() Expr {
	if isName(p.Peek()) {
		return &Literal{'n', p.Next().Name()}
	}
	return p.unary()
}

func (p *Parser) moduleOptions(m *Module) {
	if !p.Peek().Is("with") || p.PeekAfter(1).Is("append") {
		return
	}
	p.Next()
	for {
		switch {
		case p.Take("schemabinding"):
			m.Bound = true
		case p.Take("encryption"):
			m.Encrypted = true
		case p.Take("view_metadata"):
			m.Metadata = true
		case p.Take("native_compilation"):
			m.NativeComp = true
		case p.Take("recompile"):
		case p.Take("returns", "null"):
			p.want("on", "null", "input")
			m.NullOnNull = true
		case p.Take("called"):
			p.want("on", "null", "input")
		case p.Take("inline"):
			p.want("=")
			p.Next()
		case p.Take("execute"), p.Take("exec"):
			p.want("as")
			m.ExecuteAs = strings.TrimPrefix(p.Next().Text, "N")
		default:
			p.unexpected()
		}
		if !p.Take(",") {
			return
		}
	}
}
