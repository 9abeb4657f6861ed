package tsql

import "strings"

// Special is what an index on XML or on a place in space has besides. Kind is PRIMARY
// XML, XML or SPATIAL; Using is the primary index of an XML one, or the tessellation of a
// spatial one; For is PATH, VALUE or PROPERTY of a secondary XML one.
type Special struct{ Kind, Using, For string }

// specialIndex reads CREATE [PRIMARY] XML INDEX and CREATE SPATIAL INDEX.
func (p *Parser) specialIndex() any {
	i := &Index{Pos: p.Peek().Pos, Special: &Special{}}
	if p.Take("primary") {
		i.Special.Kind = "PRIMARY "
	}
	i.Special.Kind += strings.ToUpper(p.Next().Text)
	p.want("index")
	i.Name = p.name()
	p.want("on")
	i.On = p.path()
	p.want("(")
	i.Columns = []IndexColumn{{Name: p.name()}}
	p.want(")")
	switch {
	case i.Special.Kind == "SPATIAL" && p.Take("using"):
		i.Special.Using = strings.ToUpper(p.name())
	case i.Special.Kind == "XML" && p.Take("using", "xml", "index"):
		i.Special.Using = p.name()
		p.want("for")
		if !p.at("path", "value", "property") {
			p.unexpected()
		}
		i.Special.For = strings.ToUpper(p.Next().Text)
	}
	p.indexTail(i)
	return i
}

// Fulltext is CREATE, ALTER and DROP FULLTEXT CATALOG and INDEX.
type Fulltext struct {
	Verb    string
	Catalog string   // of a statement about a catalog
	On      []string // of one about an index
	If      bool
	// Action is ADD, DROP, SET, ENABLE, DISABLE or START of ALTER … INDEX, and AS DEFAULT,
	// REBUILD or REORGANIZE of ALTER … CATALOG.
	Action    string
	Columns   []FulltextColumn
	Key, In   string
	Options   Options // CHANGE_TRACKING, STOPLIST, ACCENT_SENSITIVITY
	IsDefault bool
}

// FulltextColumn is a column of a full-text index; Language is as it is written.
type FulltextColumn struct{ Name, TypeColumn, Language string }

// fulltext reads a statement about full-text search.
func (p *Parser) fulltext(verb string) any {
	p.want("fulltext")
	f := &Fulltext{Verb: verb, Options: Options{}}
	switch {
	case p.Take("catalog"):
		f.If = verb == "DROP" && p.Take("if", "exists")
		f.Catalog = p.name()
		if verb == "DROP" {
			return f
		}
		p.fulltextCatalog(f)
	case p.Take("index"):
		p.want("on")
		f.On = p.path()
		switch verb {
		case "CREATE":
			p.fulltextIndex(f)
		case "ALTER":
			p.alterFulltext(f)
		}
	default:
		p.fail(40000, "%s FULLTEXT %s is not known here.", verb, strings.ToUpper(p.Peek().Text))
	}
	return f
}

func (p *Parser) fulltextCatalog(f *Fulltext) {
	for {
		switch {
		case p.Take("with", "accent_sensitivity", "="), p.Take("accent_sensitivity", "="):
			f.Options["ACCENT_SENSITIVITY"] = strings.ToUpper(p.Next().Text)
		case p.Take("as", "default"):
			f.IsDefault = true
		case p.Take("authorization"):
			p.name()
		case f.Verb == "ALTER" && p.at("rebuild", "reorganize"):
			f.Action = strings.ToUpper(p.Next().Text)
		case p.Take("with"):
		case p.at("in", "on"):
			p.fail(40000, "FULLTEXT CATALOG … %s is not known here.", strings.ToUpper(p.Peek().Text))
		default:
			return
		}
	}
}

func (p *Parser) fulltextIndex(f *Fulltext) {
	if p.at("(") {
		f.Columns = p.fulltextColumns()
	}
	p.want("key", "index")
	f.Key = p.name()
	if p.Take("on") {
		if p.Take("(") {
			f.In = p.name()
			if p.at(",") {
				p.fail(40000, "A filegroup of a full-text index is not known here.")
			}
			p.want(")")
		} else {
			f.In = p.name()
		}
	}
	if p.Take("with") {
		brackets := p.Take("(")
		for {
			p.fulltextOption(f)
			if !p.Take(",") {
				break
			}
		}
		if brackets {
			p.want(")")
		}
	}
}

func (p *Parser) fulltextColumns() []FulltextColumn {
	var out []FulltextColumn
	p.want("(")
	for {
		c := FulltextColumn{Name: p.name()}
		if p.Take("type", "column") {
			c.TypeColumn = p.name()
		}
		if p.Take("language") {
			c.Language = p.Next().Text
		}
		if p.at("statistical_semantics") {
			p.fail(40000, "STATISTICAL_SEMANTICS is not known here.")
		}
		if out = append(out, c); !p.Take(",") {
			break
		}
	}
	p.want(")")
	return out
}

// fulltextOption takes CHANGE_TRACKING or STOPLIST, with = or without.
func (p *Parser) fulltextOption(f *Fulltext) {
	name := strings.ToUpper(p.Next().Text)
	if name != "CHANGE_TRACKING" && name != "STOPLIST" {
		p.fail(40000, "The option %s of a full-text index is not known here.", name)
	}
	p.Take("=")
	t := p.Next()
	if f.Options[name] = strings.ToUpper(t.Text); name == "STOPLIST" && f.Options[name] != "OFF" && f.Options[name] != "SYSTEM" {
		f.Options[name] = t.Name()
	}
	if p.Take(",", "no", "population") || p.Take("with", "no", "population") {
		f.Options["POPULATION"] = "NO"
	}
}

func (p *Parser) alterFulltext(f *Fulltext) {
	f.Action = strings.ToUpper(p.Next().Text)
	switch f.Action {
	case "ENABLE", "DISABLE":
	case "SET":
		p.fulltextOption(f)
	case "START", "STOP", "PAUSE", "RESUME":
		for p.at("full", "incremental", "update", "population") {
			p.Next()
		}
	case "ADD":
		f.Columns = p.fulltextColumns()
	case "DROP":
		f.Columns = p.fulltextColumns()
	default:
		p.fail(40000, "ALTER FULLTEXT INDEX … %s is not known here.", f.Action)
	}
	if p.Take("with", "no", "population") {
		f.Options["POPULATION"] = "NO"
	}
}
