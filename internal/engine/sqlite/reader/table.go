package reader

import (
	"strconv"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlite/vocab"
)

// tableParser reads the body of CREATE TABLE into an object with parts.
type tableParser struct {
	*parser
	obj   *catalog.Object
	names names
	cols  map[string]bool
	// inline is what waits until all columns are known, since an expression
	// may name any of them.
	later []func()
	// lastKey is the newest foreign key: when it is checked can be said apart.
	lastKey *catalog.Object
}

// ParseTable reads CREATE TABLE (SQLite: CREATE TABLE).
func ParseTable(text, name string) (*catalog.Object, error) {
	p := newParser(text)
	defer p.release()
	h, err := p.parseHead()
	if err != nil {
		return nil, err
	}
	if err := p.closed(h, "table", name); err != nil {
		return nil, err
	}
	obj := &catalog.Object{Kind: catalog.Table, Name: h.name, ID: catalog.FoldASCII(h.name), Space: "relation"}
	obj.Carry("sql", catalog.Scalar(strings.TrimRight(text, "; \t\r\n")))
	t := &tableParser{parser: p, obj: obj, cols: map[string]bool{}}
	t.names = names{
		known: func(n string) bool {
			return t.cols[n] || n == "rowid" || n == "oid" || n == "_rowid_" || n == obj.ID
		},
		lookup: func(n string) *catalog.Ref {
			if !t.cols[n] {
				return nil
			}
			return &catalog.Ref{Kind: catalog.Table, Name: obj.ID, PartKind: catalog.Column, Part: n}
		},
	}
	if p.Take("as") {
		return nil, &SyntaxError{Offset: p.Peek().Pos, Near: "AS", Want: "a list of columns (CREATE TABLE … AS must be executed)"}
	}
	if !p.Take("(") {
		return nil, p.expected("(")
	}
	for {
		if err := t.element(); err != nil {
			return nil, err
		}
		if p.Take(",") {
			continue
		}
		if p.Take(")") {
			break
		}
		// SQLite: the comma between table constraints may be left out.
		if !tableConstraintStart(p.Peek()) {
			return nil, p.expected(", or )")
		}
	}
	for !p.End() {
		switch {
		case p.Take("without", "rowid"):
			obj.Set("without rowid", catalog.Scalar("yes"))
		case p.Take("strict"):
			obj.Set("strict", catalog.Scalar("yes"))
		case p.Take(","), p.Take(";"):
		default:
			return nil, p.expected("WITHOUT ROWID, STRICT or the end")
		}
	}
	for _, f := range t.later {
		f()
	}
	t.finish()
	return obj, nil
}

func tableConstraintStart(tok sqltext.Token) bool {
	return tok.Is("constraint") || tok.Is("primary") || tok.Is("unique") || tok.Is("check") || tok.Is("foreign")
}

func (t *tableParser) element() error {
	tok := t.Peek()
	if tok.Kind == sqltext.Word && tableConstraintStart(tok) && len(t.cols) > 0 {
		return t.tableConstraint()
	}
	return t.column()
}

func (t *tableParser) column() error {
	name, err := t.name()
	if err != nil {
		return err
	}
	col := &catalog.Object{Kind: catalog.Column, Name: name, ID: catalog.FoldASCII(name)}
	t.obj.Add(col)
	t.cols[col.ID] = true
	from := t.At
	for {
		tok := t.Peek()
		if tok.Kind == sqltext.Word && columnConstraint[strings.ToLower(tok.Text)] && !(tok.Is("generated") && !t.PeekAfter(1).Is("always")) {
			break
		}
		if tok.IsName() || tok.Kind == sqltext.String {
			t.Next()
			continue
		}
		if tok.IsOp("(") && t.At > from {
			if _, err := t.group(); err != nil {
				return err
			}
		}
		break
	}
	if typ := t.Toks[from:t.At]; len(significant(typ)) > 0 {
		col.Set("type", typeValue(typ))
	}
	constraint := "" // name given by CONSTRAINT
	for {
		tok := t.Peek()
		if t.End() || tok.IsOp(",") || tok.IsOp(")") {
			return nil
		}
		if t.Take("constraint") {
			if constraint, err = t.name(); err != nil {
				return err
			}
			continue
		}
		if err := t.columnConstraint(col, constraint); err != nil {
			return err
		}
		constraint = ""
	}
}

var columnConstraint = vocab.Words("constraint primary not null unique check default collate references generated as")

// typeValue folds what SQLite ignores in a type name: letter case and space.
func typeValue(toks []sqltext.Token) catalog.Value {
	var b strings.Builder
	var prev sqltext.Token
	for _, t := range significant(toks) {
		if prev.Text != "" && prev.Kind != sqltext.Op && t.Kind != sqltext.Op {
			b.WriteByte(' ')
		}
		switch t.Kind {
		case sqltext.Quoted:
			b.WriteString(t.Name())
		case sqltext.String:
			b.WriteString(t.StringValue())
		default:
			b.WriteString(t.Text)
		}
		prev = t
	}
	return catalog.SQL(catalog.Piece{Text: raw(toks), Canon: strings.ToUpper(b.String())})
}

func (t *tableParser) columnConstraint(col *catalog.Object, constraint string) error {
	here := []string{col.Name}
	switch {
	case t.Take("primary", "key"):
		pk := &catalog.Object{Kind: catalog.PrimaryKey, Name: constraint}
		desc := false
		if t.Take("desc") {
			desc = true
		} else {
			t.Take("asc")
		}
		t.conflict(pk)
		if t.Take("autoincrement") {
			pk.Set("autoincrement", catalog.Scalar("yes"))
		}
		term := sqltext.Token{Kind: sqltext.Quoted, Text: sqltext.Always(col.Name)}
		terms := []sqltext.Token{term}
		if desc {
			// SQLite: only INTEGER PRIMARY KEY DESC inline is no alias of the rowid.
			terms = append(terms, sqltext.Token{Kind: sqltext.Space, Text: " "}, sqltext.Token{Kind: sqltext.Word, Text: "desc"})
			pk.Set("inline descending", catalog.Scalar("yes"))
		}
		t.key(pk, terms)
	case t.Take("not", "null"):
		v := &catalog.Object{}
		t.conflict(v)
		col.Set("not null", catalog.Scalar("yes"))
		col.SetText("not null conflict", v.Text("conflict"))
	case t.Take("null"):
		t.conflict(&catalog.Object{})
	case t.Take("unique"):
		u := &catalog.Object{Kind: catalog.Unique, Name: constraint}
		t.conflict(u)
		t.key(u, []sqltext.Token{{Kind: sqltext.Quoted, Text: sqltext.Always(col.Name)}})
	case t.Take("check"):
		return t.check(constraint, col.ID)
	case t.Take("default"):
		return t.defaultValue(col)
	case t.Take("collate"):
		name, err := t.name()
		if err != nil {
			return err
		}
		if f := catalog.FoldASCII(name); f != "binary" {
			col.Set("collation", catalog.Scalar(f))
		}
	case t.Take("references"):
		return t.foreignKey(constraint, here, col.ID)
	case t.Take("generated", "always", "as"), t.Take("as"):
		toks, err := t.group()
		if err != nil {
			return err
		}
		stored := t.Take("stored")
		if !stored {
			t.Take("virtual")
		}
		t.later = append(t.later, func() {
			v := t.names.value(bare(toks))
			col.Set("generated", v)
			col.SetIf("stored", stored)
			for _, r := range v.Refs() {
				col.Need(r, catalog.AspectType)
			}
		})
	case t.Peek().Is("deferrable"), t.Peek().Is("initially"), t.Peek().Is("not") && t.PeekAfter(1).Is("deferrable"):
		if rules := t.keyRules(); t.lastKey != nil {
			t.lastKey.Remove("initially deferred")
			t.lastKey.SetIf("initially deferred", rules.deferred)
		}
	case t.Take("on", "conflict"): // a second clause; SQLite takes it
		t.Next()
	default:
		return t.expected("a column constraint")
	}
	return nil
}

func (t *tableParser) conflict(o *catalog.Object) {
	if t.Take("on", "conflict") {
		if w := strings.ToLower(t.Next().Text); w != "abort" {
			o.Set("conflict", catalog.Scalar(w))
		}
	}
}

// defaultWords are the words that are no texts behind DEFAULT.
var defaultWords = vocab.Words("null true false current_date current_time current_timestamp")

func (t *tableParser) defaultValue(col *catalog.Object) error {
	from := t.At
	tok := t.Peek()
	switch {
	case tok.IsOp("("):
		if _, err := t.group(); err != nil {
			return err
		}
	case tok.IsOp("+") || tok.IsOp("-"):
		t.Next()
		t.Next()
	default:
		t.Next()
	}
	toks := t.Toks[from:t.At]
	if tok.IsName() && len(toks) == 1 && !defaultWords[catalog.FoldASCII(tok.Text)] {
		// A word is a text (SQLite: CREATE TABLE, section 3.2, and parse.y).
		col.Set("default", catalog.SQL(catalog.Piece{Text: tok.Text, Canon: sqltext.Literal(tok.Name())}))
		return nil
	}
	t.later = append(t.later, func() {
		// No name means anything in a default: a double-quoted text is a string.
		n := names{known: func(string) bool { return false }}
		v := n.value(toks)
		canon := n.value(bare(toks)).Canonical()
		col.Set("default", catalog.SQL(catalog.Piece{Text: v.String(), Canon: canon}))
	})
	return nil
}

func (t *tableParser) tableConstraint() error {
	name := ""
	for t.Take("constraint") {
		var err error
		if name, err = t.name(); err != nil {
			return err
		}
	}
	switch {
	case t.Take("primary", "key"):
		toks, err := t.group()
		if err != nil {
			return err
		}
		pk := &catalog.Object{Kind: catalog.PrimaryKey, Name: name}
		if sig := significant(toks); len(sig) > 1 && sig[len(sig)-1].Is("autoincrement") {
			pk.Set("autoincrement", catalog.Scalar("yes"))
			toks = sig[:len(sig)-1]
		}
		t.conflict(pk)
		t.key(pk, toks)
	case t.Take("unique"):
		toks, err := t.group()
		if err != nil {
			return err
		}
		u := &catalog.Object{Kind: catalog.Unique, Name: name}
		t.conflict(u)
		t.key(u, toks)
	case t.Take("check"):
		err := t.check(name, "")
		t.conflict(&catalog.Object{})
		return err
	case t.Take("foreign", "key"):
		toks, err := t.group()
		if err != nil {
			return err
		}
		var cols []string
		for _, c := range splitComma(toks) {
			if sig := significant(c); len(sig) > 0 {
				cols = append(cols, sig[0].Name())
			}
		}
		if !t.Take("references") {
			return t.expected("REFERENCES")
		}
		return t.foreignKey(name, cols, "")
	default:
		return t.expected("PRIMARY KEY, UNIQUE, CHECK or FOREIGN KEY")
	}
	return nil
}

// key finishes a primary key or unique constraint over terms.
func (t *tableParser) key(o *catalog.Object, terms []sqltext.Token) {
	t.later = append(t.later, func() {
		var canon, cols []string
		for _, term := range splitComma(terms) {
			sig := significant(term)
			if len(sig) > 1 && sig[len(sig)-1].Is("asc") {
				sig = sig[:len(sig)-1]
			}
			if len(sig) == 0 {
				continue
			}
			cols = append(cols, catalog.FoldASCII(sig[0].Name()))
			canon = append(canon, t.names.value(spread(sig)).Canonical())
		}
		o.Set("columns", catalog.List(canon...))
		for _, c := range cols {
			o.Need(catalog.Ref{Kind: catalog.Table, Name: t.obj.ID, PartKind: catalog.Column, Part: c}, catalog.AspectType)
		}
		o.Carry("column names", catalog.List(cols...))
		t.constraint(o, strings.Join(canon, ", "))
	})
}

func spread(sig []sqltext.Token) []sqltext.Token {
	var out []sqltext.Token
	for i, t := range sig {
		if i > 0 {
			out = append(out, sqltext.Token{Kind: sqltext.Space, Text: " "})
		}
		out = append(out, t)
	}
	return out
}

// constraint gives a constraint what it is known by and adds it: a name where
// it has one, else its definition. A key is the only one of its table.
func (t *tableParser) constraint(o *catalog.Object, definition string) {
	switch {
	case o.Kind == catalog.PrimaryKey:
		o.ID = "primary key"
		o.SetText("name", o.Name)
	case o.Name != "":
		o.ID = catalog.FoldASCII(o.Name)
	case o.Kind == catalog.ForeignKey: // "(columns) to parent"
		o.ID = "(" + definition
	default:
		o.ID = "(" + definition + ")"
	}
	// SQLite: a constraint that repeats another adds nothing.
	if t.obj.Part(o.Kind, o.ID) != nil {
		if o.Name == "" && (o.Kind == catalog.Unique) {
			return
		}
		for i := 2; ; i++ {
			m := o.ID + " #" + strconv.Itoa(i)
			if t.obj.Part(o.Kind, m) == nil {
				o.ID = m
				break
			}
		}
	}
	t.obj.Add(o)
}

func (t *tableParser) check(name, column string) error {
	toks, err := t.group()
	if err != nil {
		return err
	}
	t.later = append(t.later, func() {
		v := t.names.value(bare(toks))
		o := &catalog.Object{Kind: catalog.Check, Name: name}
		o.Set("expression", v)
		if column != "" {
			o.Carry("column", catalog.Scalar(column))
		}
		for _, r := range v.Refs() {
			o.Need(r, catalog.AspectType)
		}
		t.constraint(o, v.Canonical())
	})
	return nil
}

// foreignKey reads what follows REFERENCES (SQLite: Foreign Key Support).
func (t *tableParser) foreignKey(name string, cols []string, column string) error {
	parent, err := t.name()
	if err != nil {
		return err
	}
	o := &catalog.Object{Kind: catalog.ForeignKey, Name: name}
	var to []string
	if t.Peek().IsOp("(") {
		toks, err := t.group()
		if err != nil {
			return err
		}
		for _, c := range splitComma(toks) {
			if sig := significant(c); len(sig) > 0 {
				to = append(to, sig[0].Name())
			}
		}
	}
	t.lastKey = o
	rules := t.keyRules()
	fold := func(l []string) []string {
		var out []string
		for _, s := range l {
			out = append(out, catalog.FoldASCII(s))
		}
		return out
	}
	o.Set("columns", catalog.List(fold(cols)...))
	o.Set("references", catalog.Scalar(catalog.FoldASCII(parent)))
	if len(to) > 0 {
		o.Set("referenced columns", catalog.List(fold(to)...))
	}
	o.SetText("on delete", rules.onDelete)
	o.SetText("on update", rules.onUpdate)
	o.SetIf("initially deferred", rules.deferred)
	if column != "" {
		o.Carry("column", catalog.Scalar(column))
	}
	o.Carry("parent", catalog.Scalar(parent))
	// A dangling reference is legal in SQLite, so the need is a loose one.
	o.Needs = append(o.Needs, catalog.Need{On: catalog.Ref{Kind: catalog.Table, Name: catalog.FoldASCII(parent)}, Aspect: catalog.AspectIndex, Text: true})
	for _, c := range fold(cols) {
		o.Need(catalog.Ref{Kind: catalog.Table, Name: t.obj.ID, PartKind: catalog.Column, Part: c}, catalog.AspectType)
	}
	t.later = append(t.later, func() {
		t.constraint(o, strings.Join(fold(cols), ", ")+") to "+catalog.FoldASCII(parent))
	})
	return nil
}

// keyRules are what stands behind the columns of a foreign key.
type keyRules struct {
	onDelete, onUpdate string
	deferred           bool
}

func (t *tableParser) keyRules() keyRules {
	action := func() string {
		switch {
		case t.Take("set", "null"):
			return "set null"
		case t.Take("set", "default"):
			return "set default"
		case t.Take("no", "action"):
			return ""
		}
		return strings.ToLower(t.Next().Text)
	}
	var r keyRules
	deferrable, deferred := false, false
	for {
		switch {
		case t.Take("on", "delete"):
			r.onDelete = action()
		case t.Take("on", "update"):
			r.onUpdate = action()
		case t.Take("on", "insert"):
			action() // SQLite: it is read and means nothing
		case t.Take("match"):
			t.Next() // SQLite: MATCH is read and ignored
		case t.Take("not", "deferrable"):
			deferrable = false
		case t.Take("deferrable"):
			deferrable = true
		case t.Take("initially", "deferred"):
			deferred = true
		case t.Take("initially", "immediate"):
			deferred = false
		default:
			r.deferred = deferrable && deferred
			return r
		}
	}
}

// finish adds what follows from the whole table.
func (t *tableParser) finish() {
	// SQLite: in a WITHOUT ROWID table the key's columns are NOT NULL.
	if pk := t.obj.Part(catalog.PrimaryKey, "primary key"); pk != nil && t.obj.Has("without rowid") {
		for _, c := range pk.List("column names") {
			if col := t.obj.Part(catalog.Column, c); col != nil {
				col.Set("not null", catalog.Scalar("yes"))
			}
		}
	}
	// Inline DESC means something of its own only for INTEGER.
	if pk := t.obj.Part(catalog.PrimaryKey, "primary key"); pk != nil && pk.Has("inline descending") {
		c := t.obj.Part(catalog.Column, pk.List("column names")[0])
		if c.Property("type") == nil || c.Property("type").Value.Canonical() != "INTEGER" {
			pk.Remove("inline descending")
		}
	}
}
