package reader

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlite/vocab"
)

// Row is one row of sqlite_schema.
type Row struct {
	Type, Name, Table, SQL string
	// Origin is where the statement stands, if it comes from a text.
	Origin *catalog.Origin
}

// Build makes a catalog of the rows of sqlite_schema. It fails when a
// statement cannot be read, naming the object.
func Build(rows []Row) (*catalog.Catalog, error) { return Read(rows, false) }

// build is Build; lazy leaves tables and views unread, with their texts as
// digests.
func Read(rows []Row, lazy bool) (*catalog.Catalog, error) {
	c := vocab.Blank()
	b := &builder{c: c, tables: make(map[string]*catalog.Object, len(rows)), views: map[string]string{}, inView: map[string][]string{}, whole: func(o *catalog.Object) *catalog.Object { return o }}
	for _, r := range rows {
		if r.Type == "view" {
			b.views[catalog.FoldASCII(r.Name)] = r.SQL
		}
	}
	if slices.ContainsFunc(rows, func(r Row) bool { return r.Name == "sqlite_stat1" }) {
		c.Limits = map[string]int64{vocab.Statistics: 1}
	}
	virtual, err := b.virtual(rows)
	if err != nil {
		return nil, err
	}
	var groups []*group
	byTable := map[string]*group{}
	for _, r := range rows {
		if r.Type != "table" || isVirtual(r.SQL) || strings.HasPrefix(catalog.FoldASCII(r.Name), "sqlite_") || isShadow(r.Name, virtual) {
			continue
		}
		g := &group{table: r}
		groups = append(groups, g)
		byTable[catalog.FoldASCII(r.Name)] = g
	}
	for _, r := range rows {
		g := byTable[catalog.FoldASCII(r.Table)]
		switch {
		case r.Type == "index" && r.SQL == "": // it belongs to a constraint
		case r.Type == "index" && g == nil:
			return nil, objectError(r, fmt.Errorf("its table %s is not there", sqltext.CommentSafe(r.Table)))
		case r.Type == "index":
			g.indexes = append(g.indexes, r)
		case r.Type == "trigger" && g != nil:
			g.triggers = true
		}
	}
	if lazy {
		c := b.stubs(rows, groups)
		b.contents(virtual)
		return c, nil
	}
	if err := parseGroups(groups); err != nil {
		return nil, err
	}
	for _, g := range groups {
		b.add(g.object)
	}
	for _, r := range rows {
		if r.Type == "view" {
			b.add(&catalog.Object{Kind: catalog.View, Name: r.Name, ID: catalog.FoldASCII(r.Name), Space: "relation"})
		}
	}
	// All names are known from here on.
	b.contents(virtual)
	for _, r := range rows {
		var err error
		switch r.Type {
		case "view":
			err = b.view(r)
		case "trigger":
			err = b.trigger(r)
		}
		if err != nil {
			return nil, objectError(r, err)
		}
	}
	b.origins(rows)
	c.Sort()
	return c, nil
}

// origins says of what comes from a text where it stands there.
func (b *builder) origins(rows []Row) {
	for _, r := range rows {
		if r.Origin == nil {
			continue
		}
		for _, k := range []catalog.Kind{catalog.Table, catalog.VirtualTable, catalog.View} {
			o := b.c.Find(catalog.Ref{Kind: k, Name: catalog.FoldASCII(r.Table)})
			switch {
			case o == nil:
			case r.Type == "index" || r.Type == "trigger":
				if p := o.Part(catalog.Kind(r.Type), catalog.FoldASCII(r.Name)); p != nil {
					p.Origin = r.Origin
				}
			default:
				o.Origin = r.Origin
			}
		}
	}
}

// virtual reads the virtual tables, which tell what tables are their own.
func (b *builder) virtual(rows []Row) ([]*catalog.Object, error) {
	var out []*catalog.Object
	for _, r := range rows {
		if r.Type != "table" || !isVirtual(r.SQL) {
			continue
		}
		o, err := parseVirtual(r.SQL, r.Name)
		if err != nil {
			return nil, objectError(r, err)
		}
		out = append(out, o)
		b.add(o)
	}
	return out, nil
}

// contents lets full-text tables need what their rows are kept in.
func (b *builder) contents(virtual []*catalog.Object) {
	for _, o := range virtual {
		for _, arg := range o.List("written arguments") {
			sig := sqltext.Significant(vocab.Dialect, arg)
			if len(sig) != 3 || !sig[0].Is("content") || !sig[1].IsOp("=") {
				continue
			}
			name := sig[2].Name()
			if sig[2].Kind == sqltext.String {
				name = sig[2].StringValue()
			}
			if t := b.tables[catalog.FoldASCII(name)]; t != nil && t != o {
				o.Need(t.Ref(), catalog.AspectRowType)
			}
		}
	}
}

// group is a table with its indexes: what can be read without knowing
// anything else of the database.
type group struct {
	table    Row
	indexes  []Row
	triggers bool // it has triggers, which are added later
	object   *catalog.Object
	err      error
}

// known holds the groups that were read already, by their texts: the two sides
// of a comparison are mostly alike, and what is alike is read once.
var known sync.Map

type once struct {
	sync.Once
	object *catalog.Object
	err    error
}

// parseGroups reads the groups, one worker from the front and one from the
// back, so that two catalogs that are read at once meet in the middle.
func parseGroups(groups []*group) error {
	var wg sync.WaitGroup
	var tickets atomic.Int64
	n := len(groups)
	for _, fromBack := range []bool{false, true} {
		wg.Go(func() {
			// Each ticket is one group, so the two never take the same one.
			for i := 0; int(tickets.Add(1)) <= n; i++ {
				if fromBack {
					groups[n-1-i].parse()
				} else {
					groups[i].parse()
				}
			}
		})
	}
	wg.Wait()
	for _, g := range groups {
		if g.err != nil {
			return g.err
		}
	}
	return nil
}

func (g *group) parse() {
	if g.triggers || g.table.Origin != nil {
		g.object, g.err = g.read()
		return
	}
	var key strings.Builder
	key.WriteString(g.table.Name)
	key.WriteByte(0)
	key.WriteString(g.table.SQL)
	for _, ix := range g.indexes {
		key.WriteByte(0)
		key.WriteString(ix.SQL)
	}
	v, _ := known.LoadOrStore(key.String(), &once{})
	o := v.(*once)
	o.Do(func() { o.object, o.err = g.read() })
	g.object, g.err = o.object, o.err
}

func (g *group) read() (*catalog.Object, error) {
	o, err := ParseTable(g.table.SQL, g.table.Name)
	if err != nil {
		return nil, objectError(g.table, err)
	}
	for _, ix := range g.indexes {
		if err := addIndex(o, ix); err != nil {
			return nil, objectError(ix, err)
		}
	}
	o.Part(catalog.Index, "") // finds nothing, but two readers may share it from here on
	return o, nil
}

func objectError(r Row, err error) error {
	if r.Origin != nil {
		offset := 0
		var se *SyntaxError
		if errors.As(err, &se) {
			offset = se.Offset
		}
		return textError(r.Origin, r.SQL, offset, "%s %s: %v", r.Type, sqltext.CommentSafe(r.Name), err)
	}
	return fmt.Errorf("reading the definition of %s %s: %w", r.Type, sqltext.CommentSafe(r.Name), err)
}

type builder struct {
	c      *catalog.Catalog
	tables map[string]*catalog.Object // tables, virtual tables and views by folded name
	views  map[string]string          // the texts of views by folded name
	inView map[string][]string        // the names in them, once they were looked for
	// whole is a table with its columns, also where the catalog leaves it unread.
	whole func(*catalog.Object) *catalog.Object
}

// stubs makes a catalog in which tables and views wait to be read.
func (b *builder) stubs(rows []Row, groups []*group) *catalog.Catalog {
	groupOf, own := map[*catalog.Object]*group{}, map[*catalog.Object][]Row{}
	for _, g := range groups {
		o := &catalog.Object{Kind: catalog.Table, Name: g.table.Name, ID: catalog.FoldASCII(g.table.Name), Space: "relation", Unread: true, Digest: g.table.SQL}
		for _, ix := range g.indexes {
			o.Digest += "\x00" + ix.Name + "\x00" + ix.SQL
			o.Add(&catalog.Object{Kind: catalog.Index, Name: ix.Name})
		}
		groupOf[o] = g
		b.add(o)
	}
	for _, r := range rows {
		if r.Type == "view" {
			o := &catalog.Object{Kind: catalog.View, Name: r.Name, ID: catalog.FoldASCII(r.Name), Space: "relation", Unread: true, Digest: r.SQL}
			own[o] = append(own[o], r)
			b.add(o)
		}
	}
	for _, r := range rows {
		if o := b.tables[catalog.FoldASCII(r.Table)]; r.Type == "trigger" && o != nil {
			o.Digest += "\x00" + r.Name + "\x00" + r.SQL
			o.Add(&catalog.Object{Kind: catalog.Trigger, Name: r.Name})
			own[o] = append(own[o], r)
		}
	}
	read := func(list []*catalog.Object) error {
		var gs []*group
		for _, o := range list {
			if o.Unread && groupOf[o] != nil {
				gs = append(gs, groupOf[o])
			}
		}
		if err := parseGroups(gs); err != nil {
			return err
		}
		for _, o := range list {
			if g := groupOf[o]; o.Unread && g != nil {
				*o = *g.object // tables with triggers share it with nobody
			}
		}
		return nil
	}
	b.whole = func(o *catalog.Object) *catalog.Object {
		g := groupOf[o]
		if g == nil || !o.Unread {
			return o
		}
		if err := parseGroups([]*group{g}); err != nil {
			return o // what cannot be read is told when it is wanted
		}
		return g.object
	}
	b.c.Expand = func(_ context.Context, list []*catalog.Object) error {
		if err := read(list); err != nil {
			return err
		}
		for _, o := range list {
			if o.Kind == catalog.View {
				o.Unread, o.Parts = false, nil
			}
			for _, r := range own[o] {
				part := b.view
				if r.Type == "trigger" {
					part = b.trigger
				}
				if err := part(r); err != nil {
					return objectError(r, err)
				}
			}
		}
		return nil
	}
	texts := make(map[*catalog.Object]string, len(b.c.Objects)) // reading an object takes its digest away
	for _, o := range b.c.Objects {
		texts[o] = o.Digest
	}
	b.c.Text = func(o *catalog.Object) string { return texts[o] }
	b.c.Sort()
	return b.c
}

func (b *builder) add(o *catalog.Object) {
	b.c.Add(o)
	b.tables[o.ID] = o
}

func isVirtual(sql string) bool {
	// As SQLite stores it, and the texts that are read are put like that.
	const head = "create virtual "
	return len(sql) > len(head) && strings.EqualFold(sql[:len(head)], head)
}

// shadowSuffixes are the tables the modules of the SQLite distribution keep
// their data in (SQLite: The Virtual Table Mechanism, xShadowName).
var shadowSuffixes = map[string][]string{
	"fts5":          {"data", "idx", "content", "docsize", "config"},
	"fts4":          {"content", "segments", "segdir", "docsize", "stat"},
	"fts3":          {"content", "segments", "segdir", "docsize", "stat"},
	"rtree":         {"node", "rowid", "parent"},
	"rtree_i32":     {"node", "rowid", "parent"},
	"geopoly":       {"node", "rowid", "parent"},
	"spellfix1":     {"vocab"},
	"fts5vocab":     {},
	"fts4aux":       {},
	"csv":           {},
	"dbstat":        {},
	"bytecode":      {},
	"sqlite_dbpage": {},
}

func isShadow(name string, virtual []*catalog.Object) bool {
	f := catalog.FoldASCII(name)
	for _, v := range virtual {
		rest, ok := strings.CutPrefix(f, v.ID+"_")
		if !ok {
			continue
		}
		suffixes, known := shadowSuffixes[v.Text("module")]
		if !known || slices.Contains(suffixes, rest) {
			return true
		}
	}
	return false
}

// parseVirtual reads CREATE VIRTUAL TABLE. The arguments are the module's
// business; their spelling is compared without space and letter case of words.
func parseVirtual(text, name string) (*catalog.Object, error) {
	p := newParser(text)
	h, err := p.parseHead()
	if err == nil {
		err = p.closed(h, "table", name)
	}
	if err != nil {
		return nil, err
	}
	o := &catalog.Object{Kind: catalog.VirtualTable, Name: h.name, ID: catalog.FoldASCII(h.name), Space: "relation"}
	if !p.Take("using") {
		return nil, p.expected("USING")
	}
	module, err := p.name()
	if err != nil {
		return nil, err
	}
	o.Set("module", catalog.Scalar(catalog.FoldASCII(module)))
	if p.Peek().IsOp("(") {
		toks, err := p.group()
		if err != nil {
			return nil, err
		}
		var canon, written []string
		for _, arg := range splitComma(toks) {
			n := names{}
			canon = append(canon, n.value(arg).Canonical())
			written = append(written, raw(arg))
		}
		o.Set("arguments", catalog.List(canon...))
		o.Carry("written arguments", catalog.List(written...))
	}
	o.Carry("sql", catalog.Scalar(strings.TrimRight(text, "; \t\r\n")))
	return o, nil
}

// statementNames resolves the names in a view or trigger: what is a table,
// view or a column of one that the statement names, or is written without
// quotes somewhere in it, is a name; any other double-quoted text is a string
// (SQLite: Quirks, section 8).
func (b *builder) statementNames(toks []sqltext.Token, self string) *names {
	local := map[string]bool{self: true}
	var prev sqltext.Token
	for _, t := range toks {
		if t.Blank() {
			continue
		}
		keyword := t.Kind == sqltext.Word && vocab.Reserved[catalog.FoldASCII(t.Text)]
		if t.IsName() && !keyword && (t.Kind == sqltext.Word || t.Text[0] != '"' || prev.Is("as") || prev.IsOp(".") || prev.IsOp(")")) {
			local[catalog.FoldASCII(t.Name())] = true
		}
		prev = t
	}
	columns := sync.OnceValue(func() map[string]bool {
		out := map[string]bool{}
		for _, t := range toks {
			if t.IsName() {
				b.columnsOf(catalog.FoldASCII(t.Name()), out, map[string]bool{})
			}
		}
		return out
	})
	return &names{
		known: func(n string) bool { return local[n] || b.tables[n] != nil || columns()[n] },
		lookup: func(n string) *catalog.Ref {
			if o := b.tables[n]; o != nil && n != self {
				r := o.Ref()
				return &r
			}
			return nil
		},
	}
}

// columnsOf adds the column names of a table or virtual table, and of a view
// all names in its text: some of them are its columns'.
func (b *builder) columnsOf(relation string, into, seen map[string]bool) {
	o := b.tables[relation]
	if o == nil || seen[relation] {
		return
	}
	seen[relation] = true
	for _, p := range b.whole(o).PartsOf(catalog.Column) {
		into[p.ID] = true
	}
	for _, a := range o.List("written arguments") {
		if sig := sqltext.Significant(vocab.Dialect, a); len(sig) > 0 {
			into[catalog.FoldASCII(sig[0].Name())] = true
		}
	}
	if text, ok := b.views[relation]; ok && b.inView[relation] == nil {
		b.inView[relation] = relations(text)
	}
	for _, n := range b.inView[relation] {
		into[n] = true
		b.columnsOf(n, into, seen)
	}
}

// needs are what a statement stands on: the tables and views it names, and
// of the tables every column of which the name occurs in it. A column needed
// in vain only costs a step; one overlooked would break a script.
func (b *builder) needs(o *catalog.Object, v catalog.Value, toks []sqltext.Token) {
	seen := map[catalog.Ref]bool{}
	occurs := map[string]bool{}
	for _, t := range toks {
		if t.IsName() {
			occurs[catalog.FoldASCII(t.Name())] = true
		}
	}
	for _, r := range v.Refs() {
		if seen[r] {
			continue
		}
		seen[r] = true
		o.Need(r, catalog.AspectRowType)
		if t := b.c.Find(r); t != nil {
			for _, col := range b.whole(t).PartsOf(catalog.Column) {
				if occurs[col.ID] {
					o.Need(t.PartRef(col), catalog.AspectType)
				}
			}
		}
	}
}

// definition makes the counted value of a whole statement, without the words
// of its head that say nothing (IF NOT EXISTS, the schema's name).
func (b *builder) definition(p *parser, h head, self string) (catalog.Value, []sqltext.Token) {
	toks := p.Toks
	n := b.statementNames(toks[h.headEnd:], self)
	body := n.value(toks[h.headEnd:])
	text := ""
	for _, t := range toks[:h.headEnd] {
		text += t.Text
	}
	v := catalog.SQL(append([]catalog.Piece{{Text: text, Canon: ""}}, body.Pieces...)...)
	// What is the same to the letter is the same, whatever the names in it
	// stand for on either side.
	sum := sha256.Sum256([]byte(p.Text))
	v.Key = hex.EncodeToString(sum[:8])
	return v, toks[h.headEnd:]
}

// headOf reads the head of a stored statement and sees that it is one.
func (p *parser) headOf(r Row) (head, error) {
	h, err := p.parseHead()
	if err == nil {
		err = p.closed(h, r.Type, r.Name)
	}
	return h, err
}

func (b *builder) view(r Row) error {
	p := newParser(r.SQL)
	h, err := p.headOf(r)
	if err != nil {
		return err
	}
	o := b.tables[catalog.FoldASCII(r.Name)]
	v, toks := b.definition(p, h, o.ID)
	o.Set("definition", v)
	if names := outputNames(toks); slices.ContainsFunc(names, func(n string) bool { return n != catalog.FoldASCII(n) }) {
		o.Set("output columns", catalog.List(names...))
	}
	b.needs(o, v, toks)
	return nil
}

// outputNames are the names that a view itself gives to its columns, as written:
// who reads it gets them so, whatever case means elsewhere.
func outputNames(toks []sqltext.Token) []string {
	sig := significant(toks)
	var out []string
	depth, selecting := 0, false
	list := len(sig) > 0 && sig[0].IsOp("(") // of the view's head
	for i, t := range sig {
		ends := i+1 == len(sig) || sig[i+1].IsOp(",") || sig[i+1].IsOp(";") || sig[i+1].Is("from") || sig[i+1].IsOp(")")
		switch {
		case t.IsOp("("):
			depth++
		case t.IsOp(")"):
			depth--
			list = list && depth > 0
		case list && depth == 1 && t.IsName():
			out = append(out, t.Name())
		case depth > 0:
		case t.Is("select"):
			selecting = true
		case t.Is("from"):
			return out
		case selecting && ends && i > 0 && (t.IsName() || t.Kind == sqltext.String) && named(sig[i-1]):
			name := t.Name()
			if t.Kind == sqltext.String {
				name = t.StringValue()
			}
			out = append(out, name)
		}
	}
	return out
}

// named tells whether what follows a token can only be a name for the value
// before it.
func named(before sqltext.Token) bool {
	if before.Kind == sqltext.Word && vocab.Reserved[catalog.FoldASCII(before.Text)] {
		return before.Is("as") || before.Is("null")
	}
	return before.Kind != sqltext.Op || before.IsOp(")")
}

func (b *builder) trigger(r Row) error {
	p := newParser(r.SQL)
	h, err := p.headOf(r)
	if err != nil {
		return err
	}
	owner := b.tables[catalog.FoldASCII(r.Table)]
	if owner == nil {
		return fmt.Errorf("its table %s is not there", sqltext.CommentSafe(r.Table))
	}
	o := &catalog.Object{Kind: catalog.Trigger, Name: r.Name, ID: catalog.FoldASCII(r.Name)}
	// FOR EACH ROW is the only kind there is: saying so is like a comment.
	for ; !p.End() && !p.Peek().Is("begin"); p.Next() {
		if p.Peek().Is("for") && p.PeekAfter(1).Is("each") {
			for range 3 {
				p.Toks[p.At].Kind = sqltext.Comment
				p.Skip()
			}
			break
		}
	}
	v, toks := b.definition(p, h, o.ID)
	o.Set("definition", v)
	b.needs(o, v, toks)
	owner.Add(o)
	return nil
}

// addIndex reads CREATE INDEX into a part of its table.
func addIndex(owner *catalog.Object, r Row) error {
	p := newParser(r.SQL)
	defer p.release()
	h, err := p.headOf(r)
	if err != nil {
		return err
	}
	o := &catalog.Object{Kind: catalog.Index, Name: r.Name, ID: catalog.FoldASCII(r.Name), Space: "relation"}
	o.SetIf("unique", h.unique)
	if !p.Take("on") {
		return p.expected("ON")
	}
	if _, err := p.name(); err != nil {
		return err
	}
	terms, err := p.group()
	if err != nil {
		return err
	}
	n := &names{
		known: func(s string) bool {
			return owner.Part(catalog.Column, s) != nil || s == "rowid" || s == owner.ID
		},
		lookup: func(s string) *catalog.Ref {
			if c := owner.Part(catalog.Column, s); c != nil {
				r := owner.PartRef(c)
				return &r
			}
			return nil
		},
	}
	var canon []string
	refs := n.value(terms).Refs()
	for _, term := range splitComma(terms) {
		sig := significant(term)
		if len(sig) > 1 && sig[len(sig)-1].Is("asc") {
			sig = sig[:len(sig)-1]
		}
		canon = append(canon, n.value(spread(sig)).Canonical())
	}
	o.Set("columns", catalog.List(canon...))
	if p.Take("where") {
		v := n.value(p.Toks[p.At:])
		o.Set("where", v)
		refs = append(refs, v.Refs()...)
	}
	for _, ref := range refs {
		o.Need(ref, catalog.AspectType)
	}
	o.Carry("sql", catalog.Scalar(strings.TrimRight(r.SQL, "; \t\r\n")))
	owner.Add(o)
	return nil
}

// Closed tells why a row's text is not the one statement that it should be.
func Closed(r Row) error {
	p := newParser(r.SQL)
	defer p.release()
	_, err := p.headOf(r)
	return err
}
