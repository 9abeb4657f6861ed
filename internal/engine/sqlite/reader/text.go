package reader

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlite/vocab"
	"dappermirror/internal/engine/texts"
)

// position is where a byte offset within the statement that begins at o stands.
func position(o *catalog.Origin, sql string, offset int) string {
	line, col := sqltext.Position(sql, offset)
	if line == 1 {
		col += o.Column - 1
	}
	return fmt.Sprintf("%s:%d:%d", o.File, o.Line+line-1, col)
}

// ReadText takes SQL texts apart without
// running them. Rows are passed over as they stream by. Only what changes an
// earlier statement (ALTER, CREATE TABLE … AS) is run, in memory, together
// with the objects it concerns.
func ReadText(ctx context.Context, files []engine.TextFile) (*catalog.Catalog, error) {
	t := &textReader{ctx: ctx, at: map[string]int{}, temp: map[string]bool{}}
	defer t.memory.close()
	for _, f := range files {
		if err := t.file(f); err != nil {
			return nil, err
		}
	}
	for _, p := range t.later { // a folder may have the table in a later file
		if err := t.alter(p.sql, p.table, p.origin); err != nil {
			return nil, err
		}
	}
	rows := slices.DeleteFunc(t.rows, func(r Row) bool { return r.Type == "" })
	c, err := Build(rows)
	if err != nil {
		return nil, err
	}
	c.Version = "text"
	if o := vocab.File(t.numbers[0], t.numbers[1]); o != nil {
		c.Add(o)
		c.Sort()
	}
	return c, nil
}

type textReader struct {
	ctx    context.Context
	rows   []Row
	at     map[string]int  // by space and folded name: index in rows
	temp   map[string]bool // what is only there for the session
	later  []pending
	memory memory
	// numbers are the user version and the application id.
	numbers [2]int32
}

type pending struct {
	sql, table string
	origin     *catalog.Origin
}

// rowSpace is the namespace of a row: triggers have one of their own.
func rowKey(typ, name string) string {
	if typ == "trigger" {
		return "trigger " + catalog.FoldASCII(name)
	}
	return "relation " + catalog.FoldASCII(name)
}

func (t *textReader) add(r Row) {
	t.at[rowKey(r.Type, r.Name)] = len(t.rows)
	t.rows = append(t.rows, r)
	t.memory.added(t, len(t.rows)-1)
}

func (t *textReader) remove(i int) {
	delete(t.at, rowKey(t.rows[i].Type, t.rows[i].Name))
	t.rows[i] = Row{}
}

// file reads one text, statement by statement.
func (t *textReader) file(f engine.TextFile) error {
	s := texts.NewScanner(f.Name, f.Reader, vocab.Dialect, func(word string) bool { return passedOver[word] })
	for {
		if err := t.ctx.Err(); err != nil {
			return err
		}
		st, err := s.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if st.Client {
			continue
		}
		if err := t.statement(st.SQL, &st.Origin); err != nil {
			return err
		}
	}
}

// passedOver are the statements that say nothing about the structure.
var passedOver = vocab.Words(`insert replace update delete begin commit end rollback savepoint release analyze reindex select with values pragma explain vacuum`)

func textError(o *catalog.Origin, sql string, offset int, format string, args ...any) error {
	around := strings.Join(strings.Fields(sql[min(offset, len(sql)):]), " ")
	if utf8.RuneCountInString(around) > 40 {
		around = string([]rune(around)[:40]) + "…"
	}
	return fmt.Errorf("%s: %s (at: %s)", position(o, sql, offset), fmt.Sprintf(format, args...), sqltext.CommentSafe(around))
}

func (t *textReader) statement(sql string, origin *catalog.Origin) error {
	p := newParser(sql)
	word := strings.ToLower(p.Peek().Text)
	switch {
	case p.End():
		return nil
	case word == "create":
		return t.create(p, sql, origin)
	case word == "drop":
		return t.drop(p, sql, origin)
	case word == "alter":
		p.Next()
		if !p.Take("table") {
			return textError(origin, sql, p.Peek().Pos, "TABLE expected after ALTER")
		}
		name, err := p.qualifiedName()
		if err != nil {
			return textError(origin, sql, p.Peek().Pos, "the name of a table expected")
		}
		if _, ok := t.at[rowKey("table", name)]; !ok {
			t.later = append(t.later, pending{sql, name, origin})
			return nil
		}
		return t.alter(sql, name, origin)
	case word == "attach" || word == "detach" || word == "vacuum" && p.PeekAfter(1).Is("into"):
		return textError(origin, sql, 0, "%s is refused: a text may not touch files", strings.ToUpper(word))
	case word == "insert" && intoSchema(p):
		return t.virtual(sql, origin)
	case word == "pragma" && (p.PeekAfter(1).Is("user_version") || p.PeekAfter(1).Is("application_id")):
		return t.number(p)
	case word == "pragma" && p.PeekAfter(1).Is("writable_schema"), passedOver[word]:
		return nil // pragmas are never run
	}
	return textError(origin, sql, 0, "no statement of SQLite begins with %q", sqltext.CommentSafe(p.Peek().Text))
}

// number takes a number for the file's header out of a pragma.
func (t *textReader) number(p *parser) error {
	p.Next()
	which := 0
	if p.Next().Is("application_id") {
		which = 1
	}
	text := ""
	for !p.End() {
		if tok := p.Next(); tok.Kind == sqltext.Number || tok.IsOp("-") {
			text += tok.Text
		}
	}
	if n, err := strconv.ParseInt(text, 0, 64); err == nil { // else it only asks
		t.numbers[which] = int32(n)
	}
	return nil
}

// qualifiedName reads a name, with or without its schema.
func (p *parser) qualifiedName() (string, error) {
	if p.PeekAfter(1).IsOp(".") {
		p.Next()
		p.Next()
	}
	return p.name()
}

func intoSchema(p *parser) bool {
	return p.PeekAfter(1).Is("into") && (p.PeekAfter(2).Is("sqlite_schema") || p.PeekAfter(2).Is("sqlite_master"))
}

// virtual takes a virtual table out of the INSERT INTO sqlite_schema by which
// .dump restores one.
func (t *textReader) virtual(sql string, origin *catalog.Origin) error {
	for _, tok := range sqltext.Significant(vocab.Dialect, sql) {
		if text := tok.StringValue(); tok.Kind == sqltext.String && isVirtual(text) {
			return t.statement(text, origin)
		}
	}
	return nil
}

func (t *textReader) create(p *parser, sql string, origin *catalog.Origin) error {
	h, err := p.parseHead()
	if err != nil {
		var se *SyntaxError
		if errors.As(err, &se) {
			return textError(origin, sql, se.Offset, "%v", err)
		}
		return err
	}
	if h.temp {
		t.temp[rowKey(string(h.kind), h.name)] = true
		return nil
	}
	r := Row{Type: string(h.kind), Name: h.name, Table: h.name, Origin: origin}
	word := strings.ToUpper(string(h.kind))
	switch h.kind {
	case catalog.VirtualTable:
		r.Type, word = "table", "VIRTUAL TABLE"
	case catalog.Index:
		if h.unique {
			word = "UNIQUE INDEX"
		}
		p.Take("on")
		if r.Table, err = p.name(); err != nil {
			return textError(origin, sql, p.Peek().Pos, "the name of a table expected")
		}
	case catalog.Trigger:
		for !p.End() && !p.Peek().Is("on") {
			p.Next()
		}
		p.Next()
		if r.Table, err = p.qualifiedName(); err != nil {
			return textError(origin, sql, p.Peek().Pos, "the name of a table expected")
		}
	}
	// As SQLite stores it: without IF NOT EXISTS and without the schema. The
	// offsets of errors count from the name, so the origin moves along.
	named := sql[p.Toks[h.nameAt].Pos:]
	line, col := sqltext.Position(sql, p.Toks[h.nameAt].Pos)
	if line == 1 {
		col += origin.Column - 1
	}
	prefix := "CREATE " + word + " "
	r.Origin = &catalog.Origin{File: origin.File, Line: origin.Line + line - 1, Column: col - len(prefix)}
	r.SQL = prefix + strings.TrimRight(named, "; \t\r\n")
	if i, ok := t.at[rowKey(r.Type, r.Name)]; ok {
		if p.ifNotExists(h) {
			return nil
		}
		where := ""
		if o := t.rows[i].Origin; o != nil {
			where = fmt.Sprintf(", first at %s:%d", o.File, o.Line)
		}
		return textError(origin, sql, p.Toks[h.nameAt].Pos, "%s %s is there already%s", r.Type, sqltext.CommentSafe(r.Name), where)
	}
	if h.kind == catalog.Table && p.Toks != nil && p.Peek().Is("as") {
		return t.createAs(h.name, prefix+named, origin)
	}
	t.add(r)
	return nil
}

func (p *parser) ifNotExists(h head) bool {
	return h.afterCre < len(p.Toks) && p.Toks[h.afterCre].Is("if")
}

// drop carries out DROP by itself: a table takes its indexes and triggers along.
func (t *textReader) drop(p *parser, sql string, origin *catalog.Origin) error {
	p.Next()
	typ := strings.ToLower(p.Next().Text)
	ifExists := p.Take("if", "exists")
	name, err := p.qualifiedName()
	if err != nil {
		return textError(origin, sql, p.Peek().Pos, "a name expected")
	}
	if t.temp[rowKey(typ, name)] { // it hides a lasting one of its name
		delete(t.temp, rowKey(typ, name))
		return nil
	}
	i, ok := t.at[rowKey(typ, name)]
	if !ok || t.rows[i].Type != typ {
		if ifExists {
			return nil
		}
		return textError(origin, sql, 0, "there is no %s %s to drop", typ, sqltext.CommentSafe(name))
	}
	t.remove(i)
	if typ == "table" || typ == "view" {
		for j, r := range t.rows {
			if r.Type != "" && catalog.FoldASCII(r.Table) == catalog.FoldASCII(name) {
				t.remove(j)
			}
		}
	}
	return nil
}
