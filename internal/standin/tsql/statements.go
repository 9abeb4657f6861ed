package tsql

import (
	"slices"
	"strings"

	"dappermirror/internal/core/sqltext"
)

// Batch reads the statements of one batch. It fails with an *Error.
func Batch(text string) (list []Statement, err error) {
	defer catch(&err)
	p := newParser(text)
	for {
		for p.Take(";") {
		}
		if p.End() {
			return list, nil
		}
		before := p.At
		p.links = 0
		st := p.statement()
		if m, ok := st.Body.(*Module); ok && (len(list) > 0 || !p.End()) && m.Kind != "" {
			panic(&Error{Number: 111, Pos: st.Pos, Message: "'" + m.Verb + " " + m.Kind + "' must be the first statement in a query batch."})
		}
		list = append(list, st)
		if p.At == before { // nothing here takes nothing
			p.unexpected()
		}
	}
}

// statement reads one statement, with its semicolon.
func (p *Parser) statement() Statement {
	defer p.deeper()()
	st := Statement{Pos: p.Peek().Pos}
	word := strings.ToLower(p.Peek().Text)
	read := statements[word]
	if p.Peek().Kind == sqltext.Word && (slices.Contains(notRead, word) || p.PeekAfter(1).IsOp(":")) {
		p.fail(40000, "%s is not known here.", strings.ToUpper(p.Peek().Text))
	}
	if p.Peek().Kind != sqltext.Word || read == nil {
		if p.Peek().Kind == sqltext.Word && !reserved[word] { // a procedure's name, at the start of a batch
			if n := p.PeekAfter(1); p.At == 0 || n.Kind == sqltext.String || n.Kind == sqltext.Param {
				st.Body = p.execCall()
				st.End = p.Behind()
				return st
			}
		}
		p.unexpected()
	}
	st.Body = read(p)
	p.Take(";")
	st.End = p.Behind()
	return st
}

// notRead begin statements that are known and not taken apart.
var notRead = strings.Fields("add backup bulk close deallocate fetch get goto kill lineno move open readtext receive restore revert send setuser shutdown updatetext writetext")

// statements are the readers by their first word. It is filled in init, as they
// call each other.
var statements map[string]func(*Parser) any

func init() {
	statements = map[string]func(*Parser) any{
		"create": (*Parser).create, "alter": (*Parser).alter, "drop": (*Parser).drop, "enable": (*Parser).triggerState, "disable": (*Parser).triggerState,
		"select": (*Parser).selectStmt, "with": (*Parser).withStmt, "insert": (*Parser).insert, "update": (*Parser).update, "delete": (*Parser).delete, "truncate": (*Parser).truncate,
		"set": (*Parser).set, "declare": (*Parser).declare, "if": (*Parser).ifStmt, "while": (*Parser).while, "begin": (*Parser).begin, "commit": (*Parser).transaction, "rollback": (*Parser).transaction,
		"save": (*Parser).transaction, "exec": (*Parser).exec, "execute": (*Parser).exec, "raiserror": (*Parser).raise, "throw": (*Parser).raise, "print": (*Parser).print, "use": (*Parser).use,
		"dbcc": (*Parser).dbcc, "return": (*Parser).ret, "break": (*Parser).ret, "continue": (*Parser).ret, "waitfor": (*Parser).waitfor, "checkpoint": (*Parser).passed, "reconfigure": (*Parser).passed, "merge": (*Parser).merge, "grant": (*Parser).rights, "deny": (*Parser).rights, "revoke": (*Parser).rights,
	}
}

func (p *Parser) selectStmt() any { return &SelectStmt{p.query()} }

// withStmt reads WITH before what it is for.
func (p *Parser) withStmt() any {
	if p.PeekAfter(1).Is("xmlnamespaces") {
		return &SelectStmt{p.query()}
	}
	at := *p.Cursor
	p.want("with")
	ctes := p.ctes()
	switch {
	case p.at("merge"):
		return p.merge()
	case p.at("update"):
		u, ok := p.update().(*Update)
		if !ok {
			p.unexpected()
		}
		u.With = ctes
		return u
	case p.at("delete"):
		d := p.delete().(*Delete)
		d.With = ctes
		return d
	case p.at("insert"):
		i := p.insert().(*Insert)
		if i.Query == nil {
			p.unexpected()
		}
		i.Query.With = append(ctes, i.Query.With...)
		return i
	}
	*p.Cursor = at
	return &SelectStmt{p.query()}
}

func (p *Parser) target() []string {
	if p.Peek().Kind == sqltext.Param {
		return []string{p.Next().Text}
	}
	return p.path()
}

func (p *Parser) insert() any {
	p.want("insert")
	p.top()
	p.Take("into")
	i := &Insert{Into: p.target()}
	if p.Take("with") {
		i.Hints = p.hints()
	}
	if p.Peek().IsOp("(") && !p.nestedQuery() {
		i.Columns = p.names()
	}
	i.Output = p.output()
	switch {
	case p.Take("default", "values"):
		i.Default = true
	case p.Take("values"):
		i.Values = p.rows()
	case p.at("exec", "execute"):
		p.exec()
		i.Exec = true
	default:
		i.Query = p.query()
	}
	return i
}

func (p *Parser) top() Expr {
	if !p.Take("top") {
		return nil
	}
	p.want("(")
	x := p.condition()
	p.want(")")
	return x
}

func (p *Parser) update() any {
	p.want("update")
	if p.at("statistics") {
		return p.statistics("UPDATE")
	}
	u := &Update{Top: p.top(), Table: p.target()}
	if p.Take("with") {
		u.Hints = p.hints()
	}
	p.want("set")
	for {
		it := Item{}
		if p.Peek().Kind == sqltext.Param {
			it.Var = p.Next().Text
		} else {
			path := p.path()
			it.Alias = path[len(path)-1]
		}
		op := p.assignment()
		if t := p.Peek(); op == "" && p.Take("default") {
			it.X = &Word{t.Text}
		} else {
			it.X = p.condition()
		}
		if op != "" {
			left := Expr(&Name{Parts: []string{it.Alias}})
			if it.Var != "" {
				left = &Variable{Name: it.Var}
			}
			it.X = &Binary{op, left, it.X}
		}
		u.Sets = append(u.Sets, it)
		if !p.Take(",") {
			break
		}
	}
	u.Output = p.output()
	u.From = p.fromList()
	if p.Take("where") {
		u.Where = p.condition()
	}
	return u
}

// assignment takes = or += and its like, and answers the operator in front.
func (p *Parser) assignment() string {
	for _, op := range []string{"+", "-", "*", "/", "%", "&", "|", "^"} {
		if p.Take(op) {
			p.want("=")
			return op
		}
	}
	p.want("=")
	return ""
}

func (p *Parser) fromList() []From {
	if !p.Take("from") {
		return nil
	}
	out := []From{p.from()}
	for p.Take(",") {
		out = append(out, p.from())
	}
	return out
}

func (p *Parser) delete() any {
	p.want("delete")
	d := &Delete{Top: p.top()}
	p.Take("from")
	d.Table = p.target()
	if p.Take("with") {
		d.Hints = p.hints()
	}
	d.Output = p.output()
	d.From = p.fromList()
	if p.Take("where") {
		d.Where = p.condition()
	}
	return d
}

func (p *Parser) truncate() any {
	p.want("truncate", "table")
	return &Truncate{p.path()}
}

func (p *Parser) set() any {
	p.want("set")
	if p.Peek().Kind == sqltext.Param {
		a := &Assign{Var: p.Next().Text}
		if p.Peek().IsOp(".") {
			p.fail(40000, "A method that changes its variable is not known here.")
		}
		if a.Op = p.assignment(); p.at("cursor") {
			p.fail(40000, "Cursors are not known here.")
		}
		a.X = p.condition()
		return a
	}
	s := &Set{Option: strings.ToUpper(p.Next().Text)}
	switch s.Option {
	case "IDENTITY_INSERT":
		s.Table = p.path()
	case "TRANSACTION":
		p.want("isolation", "level")
		s.Option = "ISOLATION"
		for p.at("read", "committed", "uncommitted", "repeatable", "serializable", "snapshot") {
			s.Value += " " + strings.ToUpper(p.Next().Text)
		}
		s.Value = strings.TrimSpace(s.Value)
		return s
	case "STATISTICS", "OFFSETS":
		p.Next()
	}
	for p.Take(",") { // SET ANSI_NULLS, QUOTED_IDENTIFIER ON
		s.Option += "," + strings.ToUpper(p.Next().Text)
	}
	if p.Peek().IsOp("-") {
		p.Next()
		s.Value = "-"
	}
	if p.End() {
		p.unexpected()
	}
	t := p.Next()
	s.Value += strings.ToUpper(t.Name())
	if t.Kind == sqltext.String {
		s.Value = t.StringValue()
	}
	return s
}

func (p *Parser) declare() any {
	p.want("declare")
	d := &Declare{}
	for {
		if isName(p.Peek()) {
			p.fail(40000, "Cursors are not known here.")
		}
		if p.Peek().Kind != sqltext.Param {
			p.unexpected()
		}
		v := Param{Name: p.Next().Text}
		p.Take("as")
		switch t := p.Peek(); {
		case p.Take("cursor"):
			v.Type = TypeName{Name: []string{"cursor"}, Pos: t.Pos}
		case p.Take("table"):
			v.Type, v.Table = TypeName{Name: []string{"table"}, Pos: t.Pos}, &CreateTable{}
			p.tableBody(v.Table)
		default:
			v.Type = p.typeName()
		}
		if p.Take("=") {
			v.Default = p.condition()
		}
		d.Vars = append(d.Vars, v)
		if !p.Take(",") {
			return d
		}
	}
}

func (p *Parser) ifStmt() any {
	p.want("if")
	s := &If{Cond: p.condition(), Then: p.statement()}
	if p.Take("else") {
		e := p.statement()
		s.Else = &e
	}
	return s
}

func (p *Parser) while() any {
	p.want("while")
	return &While{p.condition(), p.statement()}
}

func (p *Parser) begin() any {
	if n := p.PeekAfter(1); n.Is("tran") || n.Is("transaction") || n.Is("distributed") {
		return p.transaction()
	} else if n.Is("dialog") || n.Is("conversation") {
		p.fail(40000, "BEGIN %s is not known here.", strings.ToUpper(n.Text))
	}
	p.want("begin")
	if p.Take("try") {
		t := &Try{List: p.until("try")}
		p.Take(";")
		p.want("begin", "catch")
		t.Catch = p.until("catch")
		return t
	}
	if p.Take("atomic", "with") { // of a natively compiled module
		p.Group()
	}
	return &Block{p.until("")}
}

// until reads statements up to END, and the word behind it.
func (p *Parser) until(word string) []Statement {
	var out []Statement
	for {
		for p.Take(";") {
		}
		if p.Take("end") {
			if word != "" {
				p.want(word)
			}
			return out
		}
		if p.End() {
			p.unexpected()
		}
		out = append(out, p.statement())
	}
}

func (p *Parser) transaction() any {
	t := &Transaction{Verb: strings.ToUpper(p.Next().Text)}
	if t.Verb == "BEGIN" || t.Verb == "SAVE" {
		if !p.Take("tran") {
			p.want("transaction")
		}
	} else if !p.Take("tran") && !p.Take("transaction") {
		p.Take("work")
	}
	switch {
	case p.Peek().Kind == sqltext.Param:
		t.Name = p.Next().Text
	case isName(p.Peek()) && !p.begins():
		t.Name = p.Next().Name()
	}
	return t
}

func (p *Parser) exec() any {
	if p.Next(); p.at("as") {
		p.fail(40000, "EXECUTE AS is not known here.")
	}
	return p.execCall()
}

func (p *Parser) execCall() any {
	e := &Exec{}
	if p.Take("(") {
		e.Text = p.condition()
		for p.Take(",") {
			e.Args = append(e.Args, Arg{X: p.condition()})
		}
		p.want(")")
		if p.Take("as") {
			p.Next()
			p.want("=")
			p.Next()
		}
		if p.Take("at") {
			p.Take("data_source")
			e.At = p.name()
		}
		return e
	}
	if p.Peek().Kind == sqltext.Param {
		e.Result = p.Next().Text
		p.want("=")
	}
	e.Proc = p.path()
	for {
		t := p.Peek()
		a := Arg{}
		switch {
		case t.Kind == sqltext.Param && p.PeekAfter(1).IsOp("="):
			a.Name = p.Next().Text
			p.Next()
		case t.Kind == sqltext.Param, t.Kind == sqltext.String, t.Kind == sqltext.Number, t.Is("null"), t.Is("default"), t.IsOp("-"):
		case t.Kind == sqltext.Quoted:
		case isName(t) && !p.begins(): // a bare word is a text here
		default:
			p.results()
			return e
		}
		if t := p.Peek(); t.IsName() && !t.Is("null") && !t.Is("default") {
			p.Next()
			a.X = &Literal{'n', t.Name()}
		} else if !p.Take("default") {
			a.X = p.unary()
		}
		if p.Take("output") || p.Take("out") {
			a.Output = true
		}
		e.Args = append(e.Args, a)
		if !p.Take(",") {
			p.results()
			return e
		}
	}
}

// results takes what EXEC says of the results.
func (p *Parser) results() {
	if !p.Peek().Is("with") || !p.PeekAfter(1).Is("recompile") && !p.PeekAfter(1).Is("result") {
		return
	}
	p.Next()
	if p.Take("recompile") {
		return
	}
	p.want("result", "sets")
	if !p.Take("undefined") && !p.Take("none") {
		p.Group()
	}
}

// output reads OUTPUT … INTO; it tells whether there is one.
func (p *Parser) output() bool {
	found := false
	for p.Take("output") { // there may be two
		found = true
		for {
			p.item()
			if !p.Take(",") {
				break
			}
		}
		if p.Take("into") {
			p.target()
			if p.Peek().IsOp("(") && !p.nestedQuery() {
				p.names()
			}
		}
	}
	return found
}

// merge takes MERGE to the semicolon that ends it (SQL Server: MERGE).
func (p *Parser) merge() any {
	p.want("merge")
	for !p.Peek().IsOp(";") {
		if p.End() {
			p.fail(10713, "A MERGE statement must be terminated by a semi-colon (;).")
		}
		p.Next()
	}
	return &Merge{}
}

func (p *Parser) raise() any {
	r := &Raise{Throw: p.Peek().Is("throw")}
	p.Next()
	if r.Throw {
		if p.at(";") || p.End() || p.at("end") {
			return r
		}
		for {
			r.Args = append(r.Args, p.unary())
			if !p.Take(",") {
				return r
			}
		}
	}
	p.want("(")
	r.Args = p.list()
	p.want(")")
	if p.Take("with") {
		for p.at("nowait", "log", "seterror") {
			p.Next()
			p.Take(",")
		}
	}
	return r
}

func (p *Parser) print() any {
	p.want("print")
	return &PrintStmt{p.condition()}
}

func (p *Parser) use() any {
	p.want("use")
	return &Use{p.name()}
}

func (p *Parser) dbcc() any {
	p.want("dbcc")
	if !p.Take("checkident") {
		return p.passed()
	}
	p.want("(")
	c := &Checkident{}
	if p.Peek().Kind == sqltext.String {
		t := p.Next()
		c.Table = strings.ReplaceAll(strings.TrimSuffix(t.Text[strings.IndexByte(t.Text, '\'')+1:], "'"), "''", "'")
	} else {
		c.Table = Path(p.path())
	}
	for p.Take(",") {
		switch {
		case p.Take("reseed"):
		case p.Take("noreseed"):
			c.No = true
		default:
			v := ""
			if p.Take("-") {
				v = "-"
			}
			v += p.Next().Text
			c.Reseed = &v
		}
	}
	p.want(")")
	if p.Take("with") {
		p.want("no_infomsgs")
	}
	return c
}

func (p *Parser) ret() any {
	word := strings.ToUpper(p.Next().Text)
	r := &Return{Word: word}
	if t := p.Peek(); word == "RETURN" && !p.End() && !t.IsOp(";") && !t.Is("end") && !t.Is("else") && statements[strings.ToLower(t.Text)] == nil {
		r.X = p.condition()
	}
	return r
}

func (p *Parser) waitfor() any {
	p.want("waitfor")
	if !p.Take("delay") {
		p.fail(40000, "WAITFOR %s is not known here.", strings.ToUpper(p.Peek().Text))
	}
	if p.Peek().Kind != sqltext.String {
		p.unexpected()
	}
	return &Waitfor{p.Next().StringValue()}
}
