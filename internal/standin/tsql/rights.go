package tsql

import "strings"

// The statements about who may do what.
type (
	// Principal is CREATE, ALTER and DROP of a user or a role.
	Principal struct {
		Verb, Kind string // Kind is USER or ROLE
		If         bool
		Name       string
		Owner      string // AUTHORIZATION
		Add, Drop  string // a member
		NewName    string
	}
	// Authorization is ALTER AUTHORIZATION. To is "" for SCHEMA OWNER.
	Authorization struct {
		Class string
		On    []string
		To    string
	}
	// Rights is GRANT, DENY and REVOKE. On is nil for the database.
	Rights struct {
		Verb    string
		Option  bool // WITH GRANT OPTION, GRANT OPTION FOR
		List    []Permission
		Class   string
		On      []string
		To      []string
		Cascade bool
	}
	// Permission is one, in capitals, perhaps of columns.
	Permission struct {
		Name    string
		Columns []string
	}
)

// principal reads CREATE, ALTER and DROP of users and roles.
func (p *Parser) principal(verb string) any {
	x := &Principal{Verb: verb, Kind: strings.ToUpper(p.Next().Text)}
	if verb == "DROP" {
		x.If = p.Take("if", "exists")
	}
	x.Name = p.name()
	switch {
	case x.Kind == "USER":
		p.tail()
	case verb == "CREATE" && p.Take("authorization"):
		x.Owner = p.name()
	case verb == "ALTER" && p.Take("add", "member"):
		x.Add = p.name()
	case verb == "ALTER" && p.Take("drop", "member"):
		x.Drop = p.name()
	case verb == "ALTER":
		p.want("with", "name", "=")
		x.NewName = p.name()
	}
	return x
}

// tail takes what stands behind the name of a user: which login it is for is the
// server's own affair.
func (p *Parser) tail() {
	for !p.End() && !p.at(";", "create", "alter", "drop", "exec", "execute", "grant", "deny", "revoke", "declare", "if") {
		p.Next()
	}
}

// class takes the class before a name, as in OBJECT::name; "" where there is none.
func (p *Parser) class() string {
	at := *p.Cursor
	var words []string
	for p.Peek().IsName() && len(words) < 4 {
		words = append(words, strings.ToUpper(p.Next().Text))
		if p.Take("::") || p.Take(":", ":") {
			return strings.Join(words, " ")
		}
	}
	*p.Cursor = at
	return ""
}

// who takes the name of a principal; that of everybody is a reserved word.
func (p *Parser) who() string {
	if p.at("public") {
		return strings.ToLower(p.Next().Text)
	}
	return p.name()
}

func (p *Parser) authorization() any {
	p.want("on")
	a := &Authorization{Class: p.class()}
	a.On = p.path()
	p.want("to")
	if !p.Take("schema", "owner") {
		a.To = p.name()
	}
	return a
}

// rights reads GRANT, DENY and REVOKE.
func (p *Parser) rights() any {
	r := &Rights{Verb: strings.ToUpper(p.Next().Text)}
	if r.Verb == "REVOKE" {
		r.Option = p.Take("grant", "option", "for")
	}
	for {
		x := Permission{}
		for !p.End() && !p.at(",", "(", "on", "to", "from", ";") {
			x.Name = strings.TrimSpace(x.Name + " " + strings.ToUpper(p.Next().Text))
		}
		if x.Name == "" {
			p.unexpected()
		}
		if p.at("(") {
			x.Columns = p.names()
		}
		r.List = append(r.List, x)
		if !p.Take(",") {
			break
		}
	}
	if p.Take("on") {
		r.Class = p.class()
		r.On = p.path()
		if p.at("(") {
			cols := p.names()
			for i := range r.List {
				r.List[i].Columns = cols
			}
		}
	}
	if r.Verb != "REVOKE" || !p.Take("from") {
		p.want("to")
	}
	r.To = []string{p.who()}
	for p.Take(",") {
		r.To = append(r.To, p.who())
	}
	for {
		switch {
		case r.Verb == "GRANT" && p.Take("with", "grant", "option"):
			r.Option = true
		case r.Verb != "GRANT" && p.Take("cascade"):
			r.Cascade = true
		case p.Take("as"):
			p.who()
		default:
			return r
		}
	}
}
