package tsql

import "strings"

// Statistics is CREATE, UPDATE and DROP STATISTICS; of DROP, Names are tables with the name
// behind.
type Statistics struct {
	Verb        string
	Name        string
	On          []string
	Columns     []string
	Where       Expr
	NoRecompute bool
	Names       [][]string
}

func (p *Parser) statistics(verb string) any {
	p.want("statistics")
	s := &Statistics{Verb: verb}
	switch verb {
	case "DROP":
		for {
			n := p.path()
			if len(n) < 2 {
				p.unexpected()
			}
			if s.Names = append(s.Names, n); !p.Take(",") {
				return s
			}
		}
	case "UPDATE":
		if s.On = p.path(); isName(p.Peek()) && !p.begins() {
			s.Name = p.name()
		} else if p.at("(") {
			p.names()
		}
	default:
		s.Name = p.name()
		p.want("on")
		s.On = p.path()
		s.Columns = p.names()
		if p.Take("where") {
			s.Where = p.condition()
		}
	}
	if p.Take("with") {
		for {
			word := strings.ToUpper(p.Next().Text)
			switch {
			case word == "NORECOMPUTE":
				s.NoRecompute = true
			case word == "SAMPLE":
				p.Next()
				if !p.Take("percent") {
					p.want("rows")
				}
			case word == "FULLSCAN", word == "RESAMPLE", word == "ALL", word == "COLUMNS", word == "INDEX":
			default:
				p.want("=")
				p.Next()
			}
			if !p.Take(",") {
				break
			}
		}
	}
	return s
}
