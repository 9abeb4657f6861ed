package mysql

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// What SHOW CREATE prints is canonical: it is taken apart here by tokens, and
// never made up from information_schema, which opens every table again.

// plain unwraps executable comments (`/*!50100 … */`, `/*M!100301 … */`),
// which only hide text from other servers, and leaves out the name of the
// database itself in front of names.
func plain(text, database string) string {
	if strings.Contains(text, "/*!") || strings.Contains(text, "/*M!") {
		var b strings.Builder
		for _, t := range sqltext.Lex(dialect, text) {
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
	prefix := quote(database) + "."
	if !strings.Contains(text, prefix) {
		return text
	}
	var b strings.Builder
	toks := sqltext.Lex(dialect, text)
	for i := 0; i < len(toks); i++ {
		if toks[i].Kind == sqltext.Quoted && toks[i].Text == quote(database) && i+2 < len(toks) && toks[i+1].Text == "." && toks[i+2].Kind == sqltext.Quoted {
			i++
			continue
		}
		b.WriteString(toks[i].Text)
	}
	return b.String()
}

// cursor walks over the tokens of a text, blanks left out.
type cursor struct {
	text string
	toks []sqltext.Token
	at   int
}

func newCursor(text string) *cursor {
	c := &cursor{text: text}
	for _, t := range sqltext.Lex(dialect, text) {
		if !t.Blank() {
			c.toks = append(c.toks, t)
		}
	}
	return c
}

func (c *cursor) done() bool { return c.at >= len(c.toks) }

func (c *cursor) peek() sqltext.Token {
	if c.done() {
		return sqltext.Token{Pos: len(c.text)}
	}
	return c.toks[c.at]
}

func (c *cursor) next() sqltext.Token {
	t := c.peek()
	c.at = min(c.at+1, len(c.toks))
	return t
}

// take takes the words if they come next.
func (c *cursor) take(words ...string) bool {
	for i, w := range words {
		if c.at+i >= len(c.toks) {
			return false
		}
		if t := c.toks[c.at+i]; !t.Is(w) && !t.IsOp(w) {
			return false
		}
	}
	c.at += len(words)
	return true
}

// end is where token i ends.
func (c *cursor) end(i int) int {
	if i < 0 || i >= len(c.toks) {
		return len(c.text)
	}
	return c.toks[i].Pos + len(c.toks[i].Text)
}

// group takes a parenthesized group, whole.
func (c *cursor) group() string {
	start, depth := c.peek().Pos, 0
	for !c.done() {
		t := c.next()
		if t.Text == "(" {
			depth++
		} else if t.Text == ")" {
			if depth--; depth == 0 {
				return c.text[start:c.end(c.at-1)]
			}
		}
	}
	return c.text[start:]
}

// rest is the text from the next token on.
func (c *cursor) rest() string { return strings.TrimSpace(c.text[c.peek().Pos:]) }

// items cuts a parenthesized list at its commas.
func (c *cursor) items() []string {
	if !c.take("(") {
		return nil
	}
	var out []string
	start, depth := c.peek().Pos, 0
	for !c.done() {
		t := c.next()
		switch {
		case t.Text == "(":
			depth++
		case t.Text == ")" && depth == 0, t.Text == "," && depth == 0:
			out = append(out, strings.TrimSpace(c.text[start:t.Pos]))
			if t.Text == ")" {
				return out
			}
			start = c.peek().Pos
		case t.Text == ")":
			depth--
		}
	}
	return out
}

// Kinds MySQL has besides the common ones.
const (
	kindPeriod   catalog.Kind = "period"
	kindEvent    catalog.Kind = "event"
	kindDatabase catalog.Kind = "database"

	kindPackage     catalog.Kind = "package"
	kindPackageBody catalog.Kind = "package-body"
)

// parseTable makes an object of what SHOW CREATE TABLE prints.
func parseTable(text string) (*catalog.Object, error) {
	c := newCursor(text)
	if !c.take("create", "table") {
		return nil, fmt.Errorf("the server printed a table in a way that is not understood: %.60q", text)
	}
	o := &catalog.Object{Kind: catalog.Table, Name: c.next().Name(), Space: "relation"}
	items := c.items()
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

// counters are table options that say no more than a count the server keeps.
var counters = map[string]bool{"AUTO_INCREMENT": true}

// options reads what stands behind the columns.
func options(o *catalog.Object, c *cursor) {
	for !c.done() {
		if c.take("with", "system", "versioning") {
			o.SetIf("system versioning", true)
			continue
		}
		if t := c.peek(); t.Is("partition") {
			o.Carry("written partitions", catalog.Scalar(c.rest()))
			o.Set("partitions", catalog.SQL(catalog.Piece{Text: c.rest(), Canon: spaced(c.rest())}))
			return
		}
		c.take("default")
		name := strings.ToUpper(c.next().Name())
		if name == "CHARACTER" {
			c.take("set")
			name = "CHARSET"
		}
		c.take("=")
		var value string
		if c.peek().Text == "(" {
			value = c.group()
		} else {
			value = c.next().Text
		}
		switch name {
		case "ENGINE":
			o.Set("engine", catalog.Scalar(value))
		case "CHARSET":
			o.Set("charset", catalog.Scalar(value))
		case "COLLATE":
			o.Set("collation", catalog.Scalar(value))
		case "COMMENT":
			o.Set("comment", catalog.Scalar(unquote(value)))
		default:
			if !counters[name] {
				o.Set("option "+name, catalog.Scalar(value))
			}
		}
		c.take(",")
	}
}

// spaced is a text with one blank between its tokens.
func spaced(text string) string {
	var out []string
	for _, t := range newCursor(text).toks {
		out = append(out, t.Text)
	}
	return strings.Join(out, " ")
}

func parsePart(item string, table *catalog.Object) (*catalog.Object, error) {
	c := newCursor(item)
	if c.peek().Kind == sqltext.Quoted {
		return parseColumn(c, table), nil
	}
	name := ""
	if c.take("constraint") && c.peek().Kind == sqltext.Quoted {
		name = c.next().Name()
	}
	index := func(class string) *catalog.Object {
		o := &catalog.Object{Kind: catalog.Index, Name: c.next().Name()}
		o.ID = strings.ToLower(o.Name)
		o.SetText("class", class)
		o.Set("definition", catalog.SQL(catalog.Piece{Text: c.rest(), Canon: spaced(c.rest())}))
		o.Carry("columns", catalog.List(keyColumns(c)...))
		return o
	}
	switch {
	case c.take("primary", "key"):
		o := &catalog.Object{Kind: catalog.PrimaryKey, Name: "PRIMARY"}
		o.Set("definition", catalog.SQL(catalog.Piece{Text: c.rest(), Canon: spaced(c.rest())}))
		o.Carry("columns", catalog.List(keyColumns(c)...))
		return o, nil
	case c.take("unique", "key"):
		return index("unique"), nil
	case c.take("fulltext", "key"):
		return index("fulltext"), nil
	case c.take("spatial", "key"):
		return index("spatial"), nil
	case c.take("key"):
		return index(""), nil
	case c.take("foreign", "key"):
		return parseForeignKey(c, name), nil
	case c.take("check"):
		o := &catalog.Object{Kind: catalog.Check, Name: name}
		o.Set("definition", catalog.SQL(catalog.Piece{Text: c.rest(), Canon: spaced(c.rest())}))
		return o, nil
	case c.take("period", "for"):
		o := &catalog.Object{Kind: kindPeriod, Name: c.next().Name()}
		o.Set("definition", catalog.SQL(catalog.Piece{Text: c.rest(), Canon: spaced(c.rest())}))
		return o, nil
	}
	return nil, fmt.Errorf("the server printed a part in a way that is not understood: %.60q", item)
}

// keyColumns are the columns of an index, folded, as far as they are columns.
func keyColumns(c *cursor) []string {
	var out []string
	for _, it := range c.items() {
		if t := newCursor(it).peek(); t.Kind == sqltext.Quoted {
			out = append(out, strings.ToLower(t.Name()))
		}
	}
	return out
}

func parseForeignKey(c *cursor, name string) *catalog.Object {
	o := &catalog.Object{Kind: catalog.ForeignKey, Name: name, ID: strings.ToLower(name)}
	start := c.peek().Pos
	cols := c.items()
	c.take("references")
	parent := c.next().Name()
	if c.take(".") { // in another database
		parent += "." + c.next().Name()
	}
	far := c.items()
	def := "FOREIGN KEY " + strings.TrimSpace(c.text[start:c.peek().Pos])
	for !c.done() {
		if !c.take("on") {
			c.next()
			continue
		}
		what := strings.ToUpper(c.next().Text)
		var words []string
		for !c.done() && !c.peek().Is("on") {
			words = append(words, strings.ToUpper(c.next().Text))
		}
		// RESTRICT and NO ACTION are one thing to the engine.
		if rule := strings.Join(words, " "); rule != "RESTRICT" && rule != "NO ACTION" {
			def += " ON " + what + " " + rule
		}
	}
	o.Set("definition", catalog.SQL(catalog.Piece{Text: def, Canon: spaced(def)}))
	names := func(l []string) []string {
		var out []string
		for _, s := range l {
			out = append(out, strings.ToLower(newCursor(s).peek().Name()))
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

// widthless are the types whose printed width means nothing without ZEROFILL.
var widthless = map[string]bool{"smallint": true, "mediumint": true, "int": true, "bigint": true, "year": true}

func parseColumn(c *cursor, table *catalog.Object) *catalog.Object {
	o := &catalog.Object{Kind: catalog.Column, Name: c.next().Name()}
	o.ID = strings.ToLower(o.Name)
	if o.ID != o.Name {
		o.Set("letter case", catalog.Scalar(o.Name))
	}
	base := strings.ToLower(c.next().Text)
	typ := base
	if base == "double" && c.take("precision") {
		typ = "double"
	}
	modifier := ""
	if c.peek().Text == "(" {
		modifier = c.group()
	}
	sign := ""
	if c.take("unsigned") {
		sign = " unsigned"
	}
	if c.take("zerofill") {
		sign += " zerofill"
	}
	meaningless := widthless[base] || base == "tinyint" && modifier != "(1)"
	if !meaningless || strings.Contains(sign, "zerofill") {
		typ += modifier
	}
	typ += sign
	o.Set("type", catalog.Scalar(typ))
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
func columnAttributes(c *cursor, o *catalog.Object) (charset, collation string) {
	for !c.done() {
		switch {
		case c.take("character", "set"), c.take("charset"):
			charset = c.next().Text
		case c.take("collate"):
			collation = c.next().Text
		case c.take("not", "null"):
			o.SetIf("not null", true)
		case c.take("null"):
			o.Carry("null", catalog.Scalar("yes"))
		case c.take("auto_increment"):
			o.SetIf("auto increment", true)
		case c.take("on", "update"):
			o.Set("on update", catalog.PlainSQL(expression(c)))
		case c.take("default"):
			if e := expression(c); !strings.EqualFold(e, "null") {
				o.Set("default", catalog.PlainSQL(e))
			}
		case c.take("generated", "always", "as", "row"), c.take("as", "row"):
			o.Set("versioning", catalog.Scalar("ROW "+strings.ToUpper(c.next().Text)))
		case c.take("generated", "always", "as"), c.take("as"):
			e := c.group()
			kind := "virtual"
			if c.take("stored") || c.take("persistent") {
				kind = "stored"
			} else {
				c.take("virtual")
			}
			o.Set("generated", catalog.Scalar(kind))
			o.Set("expression", catalog.PlainSQL(e))
		case c.take("invisible"):
			o.SetIf("invisible", true)
		case c.take("compressed"):
			o.SetIf("compressed", true)
		case c.take("without", "system", "versioning"):
			o.Set("versioning", catalog.Scalar("WITHOUT SYSTEM VERSIONING"))
		case c.take("comment"):
			o.Set("comment", catalog.Scalar(unquote(c.next().Text)))
		case c.take("check"):
			o.Set("check", catalog.PlainSQL(c.group()))
		default:
			word := c.next().Text
			if c.take("=") {
				word += "=" + c.next().Text
			} else if c.peek().Text == "(" {
				word += c.group()
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
func expression(c *cursor) string {
	start := c.peek().Pos
	if c.peek().Text == "(" {
		return c.group()
	}
	c.next()
	for !c.done() {
		t := c.peek()
		if t.Kind == sqltext.Word && attributes[strings.ToLower(t.Text)] {
			break
		}
		if t.Text == "(" {
			c.group()
			continue
		}
		c.next()
	}
	return strings.TrimSpace(c.text[start:max(start, c.end(c.at-1))])
}
