package tsql

import "strings"

// The statements about security policies.
type (
	// SecurityPolicy is CREATE and ALTER SECURITY POLICY.
	SecurityPolicy struct {
		Name    []string
		Alter   bool
		Changes []Predicate
		State   string // ON, OFF, or "" where nothing is said
		Unbound bool   // SCHEMABINDING = OFF
		NotRepl bool
	}
	// Predicate is one that is added, altered or dropped.
	Predicate struct {
		Verb      string // ADD, ALTER, DROP
		Block     bool
		Call      *Call
		On        []string
		Operation string // of a block predicate: AFTER INSERT and the like, "" for all
	}
)

func (p *Parser) securityPolicy(alter bool) any {
	s := &SecurityPolicy{Name: p.path(), Alter: alter}
	for p.at("add", "alter", "drop") {
		c := Predicate{Verb: strings.ToUpper(p.Next().Text)}
		if c.Block = p.Take("block"); !c.Block {
			p.want("filter")
		}
		p.want("predicate")
		if c.Verb != "DROP" {
			pos := p.Peek().Pos
			call, ok := p.call(p.path(), pos).(*Call)
			if !ok {
				p.unexpected()
			}
			c.Call = call
		}
		p.want("on")
		c.On = p.path()
		for _, op := range [][2]string{{"after", "insert"}, {"after", "update"}, {"before", "update"}, {"before", "delete"}} {
			if p.Take(op[0], op[1]) {
				c.Operation = strings.ToUpper(op[0] + " " + op[1])
			}
		}
		s.Changes = append(s.Changes, c)
		if !p.Take(",") {
			break
		}
	}
	if p.Take("with") {
		for name, value := range p.options() {
			switch {
			case name == "STATE":
				s.State = value
			case name == "SCHEMABINDING" && !alter:
				s.Unbound = value == "OFF"
			default:
				p.unexpected()
			}
		}
	}
	if p.Take("not", "for", "replication") {
		s.NotRepl = true
	}
	return s
}
