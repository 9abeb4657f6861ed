package tsql

import (
	"strings"

	"dappermirror/internal/core/sqltext"
)

// alter reads ALTER.
func (p *Parser) alter() any {
	start := p.Peek().Pos
	p.want("alter")
	switch {
	case p.at("view", "function", "procedure", "proc", "trigger"):
		return p.module("ALTER", start)
	case p.Take("table"):
		return p.alterTable()
	case p.Take("index"):
		return p.alterIndex()
	case p.Take("sequence"):
		return p.sequence(true)
	case p.Take("schema"):
		a := &AlterSchema{Schema: p.name()}
		p.want("transfer")
		a.Class = p.class()
		a.Name = p.path()
		return a
	case p.at("user", "role"):
		return p.principal("ALTER")
	case p.Take("authorization"):
		return p.authorization()
	case p.Take("security", "policy"):
		return p.securityPolicy(true)
	case p.Take("partition"):
		return p.alterPartition()
	case p.at("fulltext"):
		return p.fulltext("ALTER")
	case p.at("login", "database"):
		return p.passed()
	}
	p.fail(40000, "ALTER %s is not known here.", strings.ToUpper(p.Peek().Text))
	return nil
}

func (p *Parser) alterTable() any {
	a := &AlterTable{Name: p.path()}
	switch {
	case p.Take("with", "check"):
		a.WithChk = 'y'
	case p.Take("with", "nocheck"):
		a.WithChk = 'n'
	}
	switch {
	case p.Take("add"):
		a.Action = "ADD"
		p.added(a)
	case p.Take("drop"):
		a.Action = "DROP"
		p.dropped(a)
	case p.Take("alter", "column"):
		a.Action = "ALTER COLUMN"
		p.alterColumn(a)
	case p.Take("alter", "index"):
		a.Action, a.Names = "ALTER INDEX", []string{p.name()}
		p.want("rebuild")
		p.Take("nonclustered")
		p.Take("hash")
		p.want("with")
		a.Options = p.options()
	case p.at("check", "nocheck"):
		a.Action = strings.ToUpper(p.Next().Text)
		p.want("constraint")
		a.Names = p.allOrNames()
	case p.at("enable", "disable") && p.PeekAfter(1).Is("trigger"):
		a.Action = strings.ToUpper(p.Next().Text) + " TRIGGER"
		p.Next()
		a.Names = p.allOrNames()
	case p.Take("rebuild"):
		a.Action = "REBUILD"
		if p.Take("partition") {
			p.want("=", "all")
		}
		if p.Take("with") {
			a.Options = p.options()
		}
	case p.Take("set"):
		a.Action = "SET"
		a.Options = p.options()
	default:
		p.fail(40000, "ALTER TABLE … %s is not known here.", strings.ToUpper(p.Peek().Text))
	}
	return a
}

// allOrNames takes ALL, as nil, or names.
func (p *Parser) allOrNames() []string {
	if p.Take("all") {
		return nil
	}
	out := []string{p.name()}
	for p.Take(",") {
		out = append(out, p.name())
	}
	return out
}

func (p *Parser) added(a *AlterTable) {
	for {
		switch {
		case p.at("constraint", "primary", "unique", "foreign", "check", "default"):
			a.Rest = append(a.Rest, p.constraint(true))
		case p.Take("index"):
			a.Indexes = append(a.Indexes, p.inlineIndex(""))
		case p.Take("period", "for"):
			a.Period = p.period()
		default:
			a.Columns = append(a.Columns, p.column())
			if p.Take("with", "values") {
				k := a.Columns[len(a.Columns)-1].Constraints
				for i := range k {
					k[i].WithValues = true
				}
			}
		}
		if !p.Take(",") {
			return
		}
	}
}

func (p *Parser) dropped(a *AlterTable) {
	column, index := false, false
	for {
		d := Dropped{}
		switch {
		case p.Take("column"):
			column, index = true, false
		case p.Take("constraint"):
			column, index = false, false
		case p.Take("index"):
			column, index = false, true
		case p.Take("period", "for", "system_time"):
			a.Period = []string{}
			return
		}
		d.Column, d.Index = column, index
		d.If = p.Take("if", "exists")
		d.Name = p.name()
		if p.Take("with") {
			p.options()
		}
		a.Drops = append(a.Drops, d)
		if !p.Take(",") {
			return
		}
	}
}

func (p *Parser) alterColumn(a *AlterTable) {
	c := Column{Pos: p.Peek().Pos, Name: p.name()}
	a.Column = &c
	if p.at("add", "drop") {
		a.Flag = strings.ToUpper(p.Next().Text) + " "
		switch {
		case p.Take("not", "for", "replication"):
			a.Flag += "NOT FOR REPLICATION"
		case p.at("masked"):
			if a.Flag += "MASKED"; a.Flag[0] == 'A' {
				p.columnTail(&c)
			} else {
				p.Next()
			}
		case p.at("rowguidcol", "persisted", "sparse", "hidden"):
			a.Flag += strings.ToUpper(p.Next().Text)
		default:
			p.unexpected()
		}
		return
	}
	c.Type = p.typeName()
	p.columnTail(&c)
	if p.Take("with") {
		a.Options = p.options()
	}
}

func (p *Parser) alterIndex() any {
	a := &AlterIndex{}
	if !p.Take("all") {
		a.Name = p.name()
	}
	p.want("on")
	a.On = p.path()
	switch {
	case p.Take("rebuild"):
		a.Action = "REBUILD"
		if p.Take("partition") {
			p.want("=", "all")
		}
		if p.Take("with") {
			a.Options = p.options()
		}
	case p.Take("disable"):
		a.Action = "DISABLE"
	case p.Take("reorganize"):
		a.Action = "REORGANIZE"
	case p.Take("set"):
		a.Action = "SET"
		a.Options = p.options()
	default:
		p.unexpected()
	}
	return a
}

func (p *Parser) triggerState() any {
	s := &TriggerState{Enable: p.Peek().Is("enable")}
	p.Next()
	p.want("trigger")
	if !p.Take("all") {
		s.Name = p.path()
	}
	p.want("on")
	if p.Take("database") {
		s.Database = true
	} else {
		s.On = p.path()
	}
	return s
}

// dropKinds are the kinds that DROP knows.
var dropKinds = []string{"table", "view", "function", "procedure", "proc", "trigger", "index", "type", "sequence", "synonym", "schema", "security", "partition"}

func (p *Parser) drop() any {
	p.want("drop")
	switch {
	case p.at("user", "role"):
		return p.principal("DROP")
	case p.at("statistics"):
		return p.statistics("DROP")
	case p.at("fulltext"):
		return p.fulltext("DROP")
	case p.at("login", "database"):
		return p.passed()
	}
	if !p.at(dropKinds...) {
		p.fail(40000, "DROP %s is not known here.", strings.ToUpper(p.Peek().Text))
	}
	d := &Drop{Kind: strings.ToUpper(p.Next().Text)}
	switch d.Kind {
	case "PROC":
		d.Kind = "PROCEDURE"
	case "SECURITY":
		p.want("policy")
		d.Kind = "SECURITY POLICY"
	case "PARTITION":
		if d.Kind += " FUNCTION"; !p.Take("function") {
			p.want("scheme")
			d.Kind = "PARTITION SCHEME"
		}
	}
	d.If = p.Take("if", "exists")
	for {
		n := p.path()
		if d.Kind == "INDEX" {
			if p.Take("on") {
				d.On = append(d.On, p.path())
			} else { // the old form, table.index
				if len(n) < 2 {
					p.unexpected()
				}
				d.On = append(d.On, n[:len(n)-1])
				n = n[len(n)-1:]
			}
			if p.Take("with") {
				p.options()
			}
		}
		if d.Names = append(d.Names, n); !p.Take(",") {
			break
		}
	}
	if d.Kind == "TRIGGER" && p.Take("on") {
		p.want("database")
		d.OnBase = true
	}
	return d
}

// Uses are the names of things that a text may use, in the order in which they
// stand: chains of names that are no variables, of which the caller knows some. A
// body is looked through without being taken apart: the server, too, looks names in
// it up only when it runs (SQL Server: Deferred Name Resolution).
func Uses(text string) [][]string {
	var out [][]string
	toks := sqltext.Significant(Dialect, text)
	for i := 0; i < len(toks); i++ {
		if !isName(toks[i]) {
			continue
		}
		path := []string{toks[i].Name()}
		for i+2 < len(toks) && toks[i+1].IsOp(".") && isName(toks[i+2]) {
			path = append(path, toks[i+2].Name())
			i += 2
		}
		out = append(out, path)
	}
	return out
}
