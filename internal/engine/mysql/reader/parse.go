package reader

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/mysql/vocab"
)

// What SHOW CREATE prints is canonical: it is taken apart here by tokens, and
// never made up from information_schema, which opens every table again.

// Plain unwraps executable comments (`/*!50100 … */`, `/*M!100301 … */`),
// which only hide text from other servers, and leaves out the name of the
// database itself in front of names.
func Plain(text, database string) string {
	if strings.Contains(text, "/*!") || strings.Contains(text, "/*M!") {
		var b strings.Builder
		for _, t := range sqltext.Lex(vocab.Dialect, text) {
			inner, ok := strings.CutPrefix(t.Text, "/*!")
			if !ok {
				inner, ok = strings.CutPrefix(t.Text, "/*M!")
			}
			if t.Kind == sqltext.Comment && ok {
				b.WriteString(strings.TrimLeft(strings.TrimSuffix(inner, "*/"), "0123456789"))
				continue
			}
			b.WriteString(t.Text)
		}
		text = b.String()
	}
	return WithoutDatabase(text, database)
}

// WithoutDatabase takes the name of the database a text is of from the names in
// it: it means the one that it is in. Where a table, an alias or anything else
// is called like the database, only what stands where nothing else can is taken
// for it.
func WithoutDatabase(text, database string) string {
	if database == "" || !strings.Contains(text, database) {
		return text
	}
	toks := sqltext.Lex(vocab.Dialect, text)
	var at []int // the significant ones
	for i, t := range toks {
		if !t.Blank() {
			at = append(at, i)
		}
	}
	tok := func(n int) sqltext.Token {
		if n < 0 || n >= len(at) {
			return sqltext.Token{}
		}
		return toks[at[n]]
	}
	named := func(n int) bool { return tok(n).IsName() && tok(n).Name() == database }
	other := false
	for n := range at {
		heads := tok(n-1).Is("table") || tok(n-1).Is("view") // its own name
		other = other || named(n) && tok(n+1).Text != "." && tok(n-1).Text != "." && !heads
	}
	drop := map[int]bool{}
	for n := range at {
		if !named(n) || tok(n+1).Text != "." || !tok(n+2).IsName() || tok(n-1).Text == "." {
			continue
		}
		if !other || tok(n+3).Text == "." || tok(n+3).Text == "(" || mustBeTable(tok(n-1)) || tok(n-1).Text == "(" && ofSequence(tok(n-2)) {
			drop[at[n]], drop[at[n+1]] = true, true
		}
	}
	if len(drop) == 0 {
		return text
	}
	var b strings.Builder
	for i, t := range toks {
		if !drop[i] {
			b.WriteString(t.Text)
		}
	}
	return b.String()
}

// mustBeTable tells whether a qualified name behind a word is a table's or
// routine's, never a column's.
func mustBeTable(t sqltext.Token) bool {
	for _, w := range []string{"from", "join", "straight_join", "into", "update", "table", "references", "call", "trigger", "procedure", "function", "event", "view"} {
		if t.Is(w) {
			return true
		}
	}
	return false
}

func ofSequence(t sqltext.Token) bool { return t.Is("nextval") || t.Is("lastval") || t.Is("setval") }

// ParseTable makes an object of what SHOW CREATE TABLE prints.
func ParseTable(text string) (*catalog.Object, error) {
	c := vocab.Cursor(text)
	if !c.Take("create", "table") {
		return nil, fmt.Errorf("the server printed a table in a way that is not understood: %.60q", text)
	}
	o := &catalog.Object{Kind: catalog.Table, Name: c.Next().Name(), Space: "relation"}
	items := c.Items()
	options(o, c)
	for _, it := range items {
		part, err := parsePart(it, o)
		if err != nil {
			return nil, fmt.Errorf("table %s: %w", o.Name, err)
		}
		part.Carry("written", catalog.Scalar(it))
		o.Add(part)
	}
	var order []string
	for _, p := range o.PartsOf(catalog.Column) {
		order = append(order, p.Key())
	}
	o.SetOrder("column order", order)
	return o, nil
}

// ofAria are the options that mean something to one engine only, and that no
// ALTER TABLE takes from a table of another.
var ofAria = map[string]bool{"PAGE_CHECKSUM": true, "TRANSACTIONAL": true}

// counters are table options that say no more than a count the server keeps.
var counters = map[string]bool{"AUTO_INCREMENT": true}

// options reads what stands behind the columns.
func options(o *catalog.Object, c *sqltext.Cursor) {
	for !c.End() {
		if c.Take("with", "system", "versioning") {
			o.SetIf("system versioning", true)
			continue
		}
		if t := c.Peek(); t.Is("partition") {
			o.Carry("written partitions", catalog.Scalar(c.Rest()))
			o.Set("partitions", catalog.SQL(catalog.Piece{Text: c.Rest(), Canon: vocab.Spaced(c.Rest())}))
			return
		}
		c.Take("default")
		name := strings.ToUpper(c.Next().Name())
		if name == "CHARACTER" {
			c.Take("set")
			name = "CHARSET"
		}
		c.Take("=")
		var value string
		if c.Peek().Text == "(" {
			value = c.Group()
		} else {
			value = c.Next().Text
		}
		switch name {
		case "ENGINE":
			o.Set("engine", catalog.Scalar(value))
		case "CHARSET":
			o.Set("charset", catalog.Scalar(value))
		case "COLLATE":
			o.Set("collation", catalog.Scalar(value))
		case "COMMENT":
			o.Set("comment", catalog.Scalar(vocab.Unquote(value)))
		default:
			switch {
			case counters[name]:
			case ofAria[name] && !strings.EqualFold(o.Text("engine"), "Aria"): // left behind by another engine
				o.Carry("option "+name, catalog.Scalar(value))
			default:
				o.Set("option "+name, catalog.Scalar(value))
			}
		}
		c.Take(",")
	}
}

func parsePart(item string, table *catalog.Object) (*catalog.Object, error) {
	c := vocab.Cursor(item)
	if c.Peek().Kind == sqltext.Quoted {
		return parseColumn(c, table), nil
	}
	name := ""
	if c.Take("constraint") && c.Peek().Kind == sqltext.Quoted {
		name = c.Next().Name()
	}
	index := func(class string) *catalog.Object {
		o := &catalog.Object{Kind: catalog.Index, Name: c.Next().Name()}
		o.ID = strings.ToLower(o.Name)
		o.SetText("class", class)
		o.Set("definition", catalog.SQL(catalog.Piece{Text: c.Rest(), Canon: vocab.Spaced(c.Rest())}))
		o.Carry("columns", catalog.List(keyColumns(c)...))
		return o
	}
	switch {
	case c.Take("primary", "key"):
		o := &catalog.Object{Kind: catalog.PrimaryKey, Name: "PRIMARY"}
		o.Set("definition", catalog.SQL(catalog.Piece{Text: c.Rest(), Canon: vocab.Spaced(c.Rest())}))
		o.Carry("columns", catalog.List(keyColumns(c)...))
		return o, nil
	case c.Take("unique", "key"):
		return index("unique"), nil
	case c.Take("fulltext", "key"):
		return index("fulltext"), nil
	case c.Take("spatial", "key"):
		return index("spatial"), nil
	case c.Take("key"):
		return index(""), nil
	case c.Take("foreign", "key"):
		return parseForeignKey(c, name), nil
	case c.Take("check"):
		o := &catalog.Object{Kind: catalog.Check, Name: name}
		o.Set("definition", catalog.SQL(catalog.Piece{Text: c.Rest(), Canon: vocab.Spaced(c.Rest())}))
		return o, nil
	case c.Take("period", "for"):
		o := &catalog.Object{Kind: vocab.Period, Name: c.Next().Name()}
		o.Set("definition", catalog.SQL(catalog.Piece{Text: c.Rest(), Canon: vocab.Spaced(c.Rest())}))
		return o, nil
	}
	return nil, fmt.Errorf("the server printed a part in a way that is not understood: %.60q", item)
}

// keyColumns are the columns of an index, folded, as far as they are columns.
func keyColumns(c *sqltext.Cursor) []string {
	var out []string
	for _, it := range c.Items() {
		if t := vocab.Cursor(it).Peek(); t.Kind == sqltext.Quoted {
			out = append(out, strings.ToLower(t.Name()))
		}
	}
	return out
}

func parseForeignKey(c *sqltext.Cursor, name string) *catalog.Object {
	o := &catalog.Object{Kind: catalog.ForeignKey, Name: name, ID: strings.ToLower(name)}
	start := c.Peek().Pos
	cols := c.Items()
	c.Take("references")
	parent := c.Next().Name()
	if c.Take(".") { // in another database
		parent += "." + c.Next().Name()
	}
	far := c.Items()
	def := "FOREIGN KEY " + strings.TrimSpace(c.Text[start:c.Peek().Pos])
	for !c.End() {
		if !c.Take("on") {
			c.Next()
			continue
		}
		what := strings.ToUpper(c.Next().Text)
		var words []string
		for !c.End() && !c.Peek().Is("on") {
			words = append(words, strings.ToUpper(c.Next().Text))
		}
		// RESTRICT and NO ACTION are one thing to the engine.
		if rule := strings.Join(words, " "); rule != "RESTRICT" && rule != "NO ACTION" {
			def += " ON " + what + " " + rule
		}
	}
	o.Set("definition", catalog.SQL(catalog.Piece{Text: def, Canon: vocab.Spaced(def)}))
	names := func(l []string) []string {
		var out []string
		for _, s := range l {
			out = append(out, strings.ToLower(vocab.Cursor(s).Peek().Name()))
		}
		return out
	}
	o.Carry("columns", catalog.List(names(cols)...))
	o.Carry("parent", catalog.Scalar(parent))
	o.Carry("parent columns", catalog.List(names(far)...))
	return o
}

// stringTypes have a character set.
var stringTypes = map[string]bool{"char": true, "varchar": true, "tinytext": true, "text": true, "mediumtext": true, "longtext": true, "enum": true, "set": true}

// usualWidths are those that the server gives to types without one (MariaDB:
// Numeric Data Type Overview; MySQL prints none since 8.0.19).
var usualWidths = map[string]string{"tinyint": "4", "tinyint unsigned": "3", "smallint": "6", "smallint unsigned": "5", "mediumint": "9", "mediumint unsigned": "8", "int": "11", "int unsigned": "10", "bigint": "20", "bigint unsigned": "20"}

// widthless are the types whose printed width means nothing for values without
// ZEROFILL.
var widthless = map[string]bool{"smallint": true, "mediumint": true, "int": true, "bigint": true, "year": true}

func parseColumn(c *sqltext.Cursor, table *catalog.Object) *catalog.Object {
	o := &catalog.Object{Kind: catalog.Column, Name: c.Next().Name()}
	o.ID = strings.ToLower(o.Name)
	if o.ID != o.Name {
		o.Set(catalog.Letters, catalog.Scalar(o.Name))
	}
	base := strings.ToLower(c.Next().Text)
	typ := base
	if base == "double" && c.Take("precision") {
		typ = "double"
	}
	modifier := ""
	if c.Peek().Text == "(" {
		modifier = c.Group()
	}
	sign := ""
	if c.Take("unsigned") {
		sign = " unsigned"
	}
	if c.Take("zerofill") {
		sign += " zerofill"
	}
	meaningless := widthless[base] || base == "tinyint" && modifier != "(1)"
	if !meaningless || strings.Contains(sign, "zerofill") {
		typ += modifier
	}
	typ += sign
	o.Set("type", catalog.Scalar(typ))
	if width := strings.Trim(modifier, "()"); meaningless && modifier != "" && base != "year" && !strings.Contains(sign, "zerofill") && width != usualWidths[base+sign] {
		o.Set("display width", catalog.Scalar(width))
	}
	charset, collation := columnAttributes(c, o)
	if stringTypes[base] {
		if collation == "" && charset == "" {
			charset, collation = table.Text("charset"), table.Text("collation")
		}
		if charset == "" {
			charset, _, _ = strings.Cut(collation, "_")
		}
		o.Set("charset", catalog.Scalar(charset))
		if collation != "" {
			o.Set("collation", catalog.Scalar(collation))
		}
	}
	return o
}

// columnAttributes reads what stands behind a column's type; the character set
// and collation, which depend on the table's, are answered.
func columnAttributes(c *sqltext.Cursor, o *catalog.Object) (charset, collation string) {
	for !c.End() {
		switch {
		case c.Take("character", "set"), c.Take("charset"):
			charset = c.Next().Text
		case c.Take("collate"):
			collation = c.Next().Text
		case c.Take("not", "null"):
			o.SetIf("not null", true)
		case c.Take("null"):
			o.Carry("null", catalog.Scalar("yes"))
		case c.Take("auto_increment"):
			o.SetIf("auto increment", true)
		case c.Take("on", "update"):
			o.Set("on update", catalog.PlainSQL(expression(c)))
		case c.Take("default"):
			if e := expression(c); !strings.EqualFold(e, "null") {
				o.Set("default", catalog.PlainSQL(e))
			}
		case c.Take("generated", "always", "as", "row"), c.Take("as", "row"):
			o.Set("versioning", catalog.Scalar("ROW "+strings.ToUpper(c.Next().Text)))
		case c.Take("generated", "always", "as"), c.Take("as"):
			e := c.Group()
			kind := "virtual"
			if c.Take("stored") || c.Take("persistent") {
				kind = "stored"
			} else {
				c.Take("virtual")
			}
			o.Set("generated", catalog.Scalar(kind))
			o.Set("expression", catalog.PlainSQL(e))
		case c.Take("invisible"):
			o.SetIf("invisible", true)
		case c.Take("compressed"):
			o.SetIf("compressed", true)
		case c.Take("without", "system", "versioning"):
			o.Set("versioning", catalog.Scalar("WITHOUT SYSTEM VERSIONING"))
		case c.Take("comment"):
			o.Set("comment", catalog.Scalar(vocab.Unquote(c.Next().Text)))
		case c.Take("check"):
			o.Set("check", catalog.PlainSQL(c.Group()))
		default:
			word := c.Next().Text
			if c.Take("=") {
				word += "=" + c.Next().Text
			} else if c.Peek().Text == "(" {
				word += c.Group()
			}
			o.Set("also", catalog.Scalar(strings.TrimSpace(o.Text("also")+" "+word)))
		}
	}
	return charset, collation
}

// attributes are the words that can follow a default.
var attributes = map[string]bool{"on": true, "auto_increment": true, "comment": true, "check": true, "invisible": true, "generated": true, "not": true, "null": true,
	"without": true, "collate": true, "compressed": true, "column_format": true, "storage": true, "ref_system_id": true}

// expression takes the expression of a default: a literal, a call, or a group.
func expression(c *sqltext.Cursor) string {
	start := c.Peek().Pos
	if c.Peek().Text == "(" {
		return c.Group()
	}
	c.Next()
	for !c.End() {
		t := c.Peek()
		if t.Kind == sqltext.Word && attributes[strings.ToLower(t.Text)] {
			break
		}
		if t.Text == "(" {
			c.Group()
			continue
		}
		c.Next()
	}
	return strings.TrimSpace(c.Text[start:max(start, c.Behind())])
}
