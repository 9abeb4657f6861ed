package document

import (
	"bytes"
	"context"
	_ "embed"
	"encoding/json"
	"fmt"
	"html/template"
	"net/url"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/core/words"
	"dappermirror/internal/report/highlight"
	"dappermirror/internal/report/palette"
	"dappermirror/internal/report/view"
)

//go:embed document.html
var layout string

//go:embed document.css
var looks string

//go:embed document.js
var moves string

var pages = template.Must(template.New("document").Funcs(template.FuncMap{
	"safe": sqltext.CommentSafe, "number": func(n int, one, many string) string { return words.Number(n, one, many) }, "sign": func(m view.Mark) string { return view.Signs[m] },
	"lines": func(s string) []string { return safeLines(s) }, "phrase": func(p view.Phrase) string { return sqltext.CommentSafe(p.Line()) }, "size": sizeWords, "join": strings.Join,
}).Parse(layout))

// Mark stands in every page, and tells it from those of others.
const Mark = `<meta name="generator" content="dapper-mirror document">`

// frame is what every page has.
type frame struct {
	Title, Root string
	At          [][2]string
	OneFile     bool
	Looks       template.CSS
	Moves       template.JS
	Find        template.JS // what is searched, where all is one page
	Index       *indexPage
	Thing       *thingPage
	Things      []*thingPage
	Drawing     *drawing
	Drawings    []*drawing
}

// span is a piece of text, which may lead somewhere.
type span struct {
	Text, Class, Href string
}

// indexPage lists all.
type indexPage struct {
	Counts   string
	Changes  []string
	Since    bool
	Schemas  []schemaList
	Drawings []entry
	Notes    []string // of what was not seen
	Plain    []string // of diagrams that are not drawn
}

type schemaList struct {
	Name  string
	Kinds []kindList
}

type kindList struct {
	Title  string
	Tables bool
	Sizes  bool
	// Comments says that one of them has one.
	Comments bool
	Things   []entry
}

// entry is a line of a list.
type entry struct {
	Name, Href, Comment string
	Mark                view.Mark
	Word                string
	Columns             int
	Size                *Size
}

// thingPage is the page of an object.
type thingPage struct {
	ID, Kind, Name, Comment string
	Mark                    view.Mark
	Word                    string
	Changes                 []view.Phrase
	Since                   string
	Size                    *Size
	Facts, Owned            []fact
	Columns                 []row
	Parts                   []partList
	To, From                []keyLine
	Uses, Users             []node
	More                    int // users that are not listed
	Definition              []span
	Was                     string // the definition before
	Open                    bool   // the definition is what the page is about
	Drawing                 *drawing
}

type fact struct {
	Name  string
	Value []span
}

// row is a column or another part.
type row struct {
	ID, Name, Comment, Was string
	Mark                   view.Mark
	Type, Default, More    []span
	Keys                   []span
	Null                   bool
	Block                  bool // More is of several lines
}

type partList struct {
	Title string
	Rows  []row
}

// keyLine is a foreign key in words.
type keyLine struct {
	ID, Name, Href, Other, Of, At, Says, Was string
	Mark                                     view.Mark
	More                                     []span
}

// node is a thing that uses another, and what uses that.
type node struct {
	Name, Kind, Href, Parts string
	Nodes                   []node
}

// drawing is a diagram on a page.
type drawing struct {
	ID, Title string
	SVG       template.HTML
	Since     bool
}

// statusWords are what became of a thing since.
var statusWords = map[compare.Status]string{compare.SourceOnly: "new", compare.TargetOnly: "gone", compare.Differs: "changed"}

func markOf(s compare.Status) view.Mark {
	if s == compare.Same || s == "" {
		return view.Plain
	}
	return view.MarkOf(s)
}

// href leads to a thing, or to a part of it, from a page below root.
func (b *book) href(root string, r catalog.Ref) string {
	t := b.of[r.Object()]
	if t == nil {
		return ""
	}
	part := ""
	if r.IsPart() && t.Part(r.PartKind, r.Part) != nil {
		part = partID(r.PartKind, r.Part)
	}
	if b.OneFile {
		return "#" + fragment(strings.TrimSuffix(thingID(t)+"/"+part, "/"))
	}
	if part != "" {
		part = "#" + fragment(part)
	}
	return root + t.file + part
}

// fragment is a text as the part of a link that leads to a place of a page. A colon in it
// could be taken for the end of a protocol.
func fragment(s string) string { return strings.ReplaceAll(url.PathEscape(s), ":", "%3A") }

func partID(k catalog.Kind, key string) string { return sqltext.CommentSafe(string(k) + ":" + key) }

func thingID(t *thing) string { return sqltext.CommentSafe(t.ref.String()) }

// anchor is what a part is led to by.
func (b *book) anchor(t *thing, p *catalog.Object) string {
	if b.OneFile {
		return thingID(t) + "/" + partID(p.Kind, p.Key())
	}
	return partID(p.Kind, p.Key())
}

// sizeWords say how large a table is.
func sizeWords(s *Size) string {
	if s == nil {
		return ""
	}
	var out []string
	if s.Rows >= 0 {
		about := ""
		if s.About {
			about = "about "
		}
		out = append(out, about+words.Number(s.Rows, "row", "rows"))
	}
	if s.Bytes >= 0 {
		out = append(out, words.Size(s.Bytes))
	}
	return strings.Join(out, ", ")
}

// entryOf is a thing's line in a list.
func (b *book) entryOf(root string, t *thing) entry {
	e := entry{Name: titleOf(t.Object), Href: b.href(root, t.ref), Comment: t.Text("comment"), Mark: markOf(t.status), Word: statusWords[t.status], Columns: len(t.PartsOf(catalog.Column))}
	if s, ok := b.Sizes[t.ref]; ok {
		e.Size = &s
	}
	return e
}

// index is the page that lists all.
func (b *book) index() *indexPage {
	p := &indexPage{Counts: b.counts(), Since: b.Since != nil}
	at := map[string]int{}
	kinds := map[string]map[catalog.Kind]int{}
	n := map[compare.Status]int{}
	for _, t := range b.things {
		n[t.status]++
		i, ok := at[t.Schema]
		if !ok {
			i = len(p.Schemas)
			at[t.Schema], kinds[t.Schema] = i, map[catalog.Kind]int{}
			p.Schemas = append(p.Schemas, schemaList{Name: t.Schema})
		}
		s := &p.Schemas[i]
		j, ok := kinds[t.Schema][t.Kind]
		if !ok {
			j = len(s.Kinds)
			kinds[t.Schema][t.Kind] = j
			s.Kinds = append(s.Kinds, kindList{Title: t.Kind.Plural(), Tables: t.Kind == catalog.Table, Sizes: t.Kind == catalog.Table && b.Sizes != nil})
		}
		e := b.entryOf("", t)
		e.Name = t.Title()
		s.Kinds[j].Things, s.Kinds[j].Comments = append(s.Kinds[j].Things, e), s.Kinds[j].Comments || e.Comment != ""
	}
	// Those of no schema, as schemas themselves, stand after what people look for.
	slices.SortStableFunc(p.Schemas, func(x, y schemaList) int {
		if x.Name == "" || y.Name == "" {
			return len(y.Name) - len(x.Name)
		}
		return strings.Compare(x.Name, y.Name)
	})
	if b.Since != nil {
		for _, s := range []compare.Status{compare.SourceOnly, compare.Differs, compare.TargetOnly} {
			p.Changes = append(p.Changes, fmt.Sprintf("%d %s", n[s], statusWords[s]))
		}
	}
	for _, g := range b.Catalog.Gaps {
		if !g.Quiet && g.Group == "" {
			p.Notes = append(p.Notes, fmt.Sprintf("Not seen: %s: %s", view.GapWords(g), g.Why))
		}
	}
	return p
}

// thing is the page of one.
func (b *book) thing(ctx context.Context, root string, t *thing) (*thingPage, error) {
	p := &thingPage{ID: thingID(t), Kind: t.Kind.Title(), Name: titleOf(t.Object), Comment: t.Text("comment"), Mark: markOf(t.status), Word: statusWords[t.status], Changes: t.said, Since: b.SinceName}
	if s, ok := b.Sizes[t.ref]; ok {
		p.Size = &s
	}
	links := b.links(root, t)
	for _, f := range t.Properties {
		switch {
		case f.Name == "comment", f.Name == "definition", f.Order, f.Carried && !slices.Contains(shown, f.Name), f.Name == "sql":
		case f.Group != "":
			p.Owned = append(p.Owned, fact{f.Name, b.value(root, f.Value)})
		default:
			p.Facts = append(p.Facts, fact{f.Name, b.value(root, f.Value)})
		}
	}
	for _, c := range b.parts(t, catalog.Column) {
		p.Columns = append(p.Columns, b.column(root, t, c))
	}
	seen := map[catalog.Kind]bool{catalog.Column: true}
	for _, k := range b.kindsOf(t) {
		if seen[k] {
			continue
		}
		seen[k] = true
		l := partList{Title: k.Plural()}
		for _, x := range b.parts(t, k) {
			if k != catalog.ForeignKey || !slices.ContainsFunc(b.keys[t.ref], func(k *key) bool { return k.part == x }) {
				l.Rows = append(l.Rows, b.part(root, t, x, links))
			}
		}
		if len(l.Rows) > 0 {
			p.Parts = append(p.Parts, l)
		}
	}
	for _, k := range b.keys[t.ref] {
		p.To = append(p.To, b.keyLine(root, k, k.to, true))
	}
	for _, k := range b.into[t.ref] {
		p.From = append(p.From, b.keyLine(root, k, k.of, false))
	}
	for _, u := range b.uses[t.ref] {
		p.Uses = append(p.Uses, b.node(root, u.of, u.parts))
	}
	left := 200
	p.Users = b.usersOf(root, t.ref, map[catalog.Ref]bool{t.ref: true}, &left, 0)
	if left < 0 {
		p.More = -left
	}
	if b.Define != nil {
		p.Definition = b.sql(b.Define(t.Object), links)
		if t.item != nil && t.status == compare.Differs {
			p.Was = b.Define(t.item.Target)
		}
	}
	p.Open = len(p.Columns) == 0
	var err error
	if t.Kind == catalog.Table && len(b.keys[t.ref])+len(b.into[t.ref]) > 0 {
		p.Drawing, err = b.neighbours(ctx, root, t)
	}
	return p, err
}

// shown are facts that are carried for writing and tell people something too.
var shown = []string{"columns", "arguments", "result"}

func (b *book) kindsOf(t *thing) []catalog.Kind {
	var out []catalog.Kind
	for _, x := range t.Parts {
		out = append(out, x.Kind)
	}
	if t.item != nil {
		for _, it := range t.item.Parts {
			out = append(out, it.Kind())
		}
	}
	slices.SortStableFunc(out, func(x, y catalog.Kind) int { return b.Catalog.Kinds.Rank(x) - b.Catalog.Kinds.Rank(y) })
	return slices.Compact(out)
}

// column is a column's row.
func (b *book) column(root string, t *thing, c *catalog.Object) row {
	r := row{ID: b.anchor(t, c), Name: c.Name, Comment: c.Text("comment"), Null: !c.Has("not null"), Mark: markOf(b.partStatus(t, c)), Was: b.was(t, c)}
	for _, f := range c.Properties {
		switch {
		case f.Name == "type":
			r.Type = b.value(root, f.Value)
		case f.Name == "default":
			r.Default = b.value(root, f.Value)
		case f.Name == "comment", f.Name == "not null", f.Carried, f.Order, f.Group != "":
		default:
			if r.More != nil {
				r.More = append(r.More, span{Text: "; "})
			}
			r.More = append(append(r.More, span{Text: f.Name + " "}), b.value(root, f.Value)...)
		}
	}
	for _, x := range t.Parts {
		if cs := columnsOf(t.Object, x); slices.Contains(cs, c.Name) {
			switch {
			case x.Kind == catalog.PrimaryKey:
				r.Keys, r.Null = append(r.Keys, span{Text: "primary key"}), false
			case x.Kind == catalog.Unique && len(cs) == 1:
				r.Keys = append(r.Keys, span{Text: "unique"})
			}
		}
	}
	for _, k := range b.keys[t.ref] {
		if i := slices.Index(k.columns, c.Name); i >= 0 && k.status != compare.TargetOnly {
			to := b.of[k.to]
			text := "→ " + titleOf(to.Object)
			if i < len(k.ends) {
				text += "." + k.ends[i]
			}
			r.Keys = append(r.Keys, span{Text: text, Href: b.href(root, k.to)})
		}
	}
	return r
}

// was says what a part was like before.
func (b *book) was(t *thing, p *catalog.Object) string {
	it := b.partItem(t, p)
	if it == nil || it.Status != compare.Differs {
		return ""
	}
	var out []string
	for _, f := range it.Properties {
		if f.Target == nil {
			out = append(out, "no "+f.Name)
		} else if text := f.Target.String(); f.Name == "type" || f.Name == "name" || text == "yes" {
			out = append(out, strings.TrimSuffix(text, "yes")+map[bool]string{true: f.Name}[text == "yes"])
		} else {
			out = append(out, f.Name+" "+text)
		}
	}
	return strings.Join(out, ", ")
}

// part is the row of another part: its definition, or its facts.
func (b *book) part(root string, t *thing, x *catalog.Object, links map[string]string) row {
	r := row{ID: b.anchor(t, x), Name: x.Title(), Comment: x.Text("comment"), Mark: markOf(b.partStatus(t, x)), Was: b.was(t, x)}
	for _, f := range x.Properties {
		switch {
		case f.Name == "comment", f.Carried, f.Order, f.Group != "":
			continue
		case f.Name == "definition" || len(f.Value.String()) > 80:
			if r.More != nil {
				r.More = append(r.More, span{Text: "; "})
			}
			if text := f.Value.String(); strings.Contains(text, "\n") || len(text) > 160 {
				r.More, r.Block = append(r.More, b.sql(text, links)...), true
			} else {
				r.More = append(r.More, b.value(root, f.Value)...)
			}
			continue
		}
		if r.More != nil {
			r.More = append(r.More, span{Text: "; "})
		}
		r.More = append(r.More, span{Text: f.Name})
		if text := f.Value.String(); text != "yes" {
			r.More = append(append(r.More, span{Text: " "}), b.value(root, f.Value)...)
		}
	}
	return r
}

// value is a fact's text, whose names lead to what they name.
func (b *book) value(root string, v catalog.Value) []span {
	lists := [][]catalog.Piece{v.Pieces}
	switch {
	case v.Form == catalog.FormScalar:
		return []span{{Text: v.Text}}
	case len(v.Marks) > 0 && len(v.Marks) == len(v.Items):
		lists = v.Marks
	case v.Form != catalog.FormSQL:
		return []span{{Text: v.String()}}
	}
	var out []span
	for i, pieces := range lists {
		if i > 0 {
			out = append(out, span{Text: ", "})
		}
		for _, p := range pieces {
			s := span{Text: p.Text}
			if p.Ref != nil {
				s.Href = b.href(root, *p.Ref)
			}
			out = append(out, s)
		}
	}
	return out
}

// links are where the names lead that stand in the texts of a thing: those of what it
// uses, which the reader found in them. A column's name leads nowhere where several
// tables have one of that name.
func (b *book) links(root string, t *thing) map[string]string {
	out, columns := map[string]string{}, map[string]catalog.Ref{}
	note := func(r catalog.Ref) {
		of := b.of[r.Object()]
		switch {
		case of == nil || of.ref == t.ref:
		case !r.IsPart():
			out[b.Catalog.FoldName(of.Bare(), false)] = b.href(root, r)
		case r.PartKind == catalog.Column && t.Part(catalog.Column, r.Part) == nil:
			name := b.Catalog.FoldName(b.partName(r), true)
			if one, twice := columns[name]; twice && one != r {
				r = catalog.Ref{}
			}
			columns[name] = r
		}
	}
	each := func(o *catalog.Object) {
		for _, p := range o.Properties {
			for _, r := range p.Value.Refs() {
				note(r)
				note(r.Object())
			}
		}
		for _, n := range o.Needs {
			note(n.On)
			note(n.On.Object())
		}
	}
	each(t.Object)
	for _, p := range t.Parts {
		each(p)
	}
	for name, r := range columns {
		if r.IsPart() && out[name] == "" {
			out[name] = b.href(root, r)
		}
	}
	return out
}

// sql is a statement in coloured pieces, whose names lead to what they name.
func (b *book) sql(text string, links map[string]string) []span {
	var out []span
	for _, p := range b.lexer.Pieces(text) {
		s := span{Text: p.Text, Class: string(p.Class)}
		if p.Class == highlight.Name {
			s.Class = ""
			s.Href = links[b.Catalog.FoldName(unquoted(p.Text), false)]
		}
		if n := len(out) - 1; n >= 0 && s.Href == "" && out[n].Href == "" && out[n].Class == s.Class {
			out[n].Text += s.Text
			continue
		}
		out = append(out, s)
	}
	return out
}

func unquoted(s string) string {
	for _, q := range []string{`"`, "`"} {
		if len(s) > 1 && strings.HasPrefix(s, q) {
			return strings.ReplaceAll(s[1:len(s)-1], q+q, q)
		}
	}
	return s
}

// keyLine is a key in words, as seen from one of its tables. own says that it is the one
// that has the key, whose page tells all of it.
func (b *book) keyLine(root string, k *key, other catalog.Ref, own bool) keyLine {
	l := keyLine{Name: k.part.Name, Href: b.href(root, other), Other: titleOf(b.of[other].Object), Of: strings.Join(k.columns, ", "), At: strings.Join(k.ends, ", "), Mark: markOf(k.status), Says: k.says()}
	if own {
		t := b.of[k.of]
		l.ID, l.Was = b.anchor(t, k.part), b.was(t, k.part)
		for _, f := range k.part.Properties {
			switch {
			case f.Carried, f.Order, f.Group != "", slices.Contains(said, f.Name):
			case f.Name == "definition":
				l.More = append(l.More, b.value(root, f.Value)...)
			default:
				if l.More != nil {
					l.More = append(l.More, span{Text: "; "})
				}
				l.More = append(append(l.More, span{Text: f.Name + " "}), b.value(root, f.Value)...)
			}
		}
	}
	return l
}

// said are facts of a key that its line says in words.
var said = []string{"columns", "references", "referenced columns", "comment"}

// says says how many rows belong to how many.
func (k *key) says() string {
	from, to := "many", "one"
	if k.one {
		from = "at most one"
	}
	if k.optional {
		to = "one or none"
	}
	return from + " to " + to
}

// node is a thing in a list of what is used.
func (b *book) node(root string, r catalog.Ref, parts []string) node {
	return node{Name: titleOf(b.of[r].Object), Kind: r.Kind.Title(), Href: b.href(root, r), Parts: words.Join(parts, 6)}
}

// usersOf are the things that use one, and what uses those. left bounds how many are
// listed, depth how far that goes.
func (b *book) usersOf(root string, r catalog.Ref, seen map[catalog.Ref]bool, left *int, depth int) []node {
	var out []node
	for _, u := range b.users[r] {
		if seen[u.by] {
			continue
		}
		seen[u.by] = true
		if *left--; *left < 0 {
			continue
		}
		n := b.node(root, u.by, u.parts)
		if depth < 8 {
			n.Nodes = b.usersOf(root, u.by, seen, left, depth+1)
		}
		out = append(out, n)
	}
	return out
}

// write makes all pages.
func (b *book) write(ctx context.Context, put func(string, []byte) error) error {
	for _, f := range []struct{ name, text string }{{"document.css", palette.CSS + looks}, {"document.js", moves}} {
		if err := put(f.name, []byte(f.text)); err != nil {
			return err
		}
	}
	find, err := b.find("")
	if err != nil {
		return err
	}
	if err := put("find.js", []byte("var found = "+string(find)+";\n")); err != nil {
		return err
	}
	index := b.index()
	err = b.drawings(ctx, "", func(d *drawing, file string) error {
		index.Drawings = append(index.Drawings, entry{Name: d.Title, Href: file + ".html"})
		if err := put(file+".svg", []byte(d.SVG)); err != nil {
			return err
		}
		return b.put(put, file+".html", frame{Drawing: d})
	})
	if err != nil {
		return err
	}
	index.Plain = b.undone
	if err := b.put(put, "index.html", frame{Index: index}); err != nil {
		return err
	}
	for _, t := range b.things {
		if err := ctx.Err(); err != nil {
			return err
		}
		p, err := b.thing(ctx, "../", t)
		if err != nil {
			return fmt.Errorf("the page of %s: %w", t.ref, err)
		}
		if err := b.put(put, t.file, frame{Thing: p, Root: "../"}); err != nil {
			return err
		}
	}
	return nil
}

func (b *book) put(put func(string, []byte) error, name string, f frame) error {
	data, err := b.render(f)
	if err != nil {
		return fmt.Errorf("the page %s: %w", name, err)
	}
	return put(name, data)
}

func (b *book) render(f frame) ([]byte, error) {
	f.Title, f.At, f.OneFile = b.Title, b.At, b.OneFile
	var out bytes.Buffer
	err := pages.Execute(&out, f)
	return out.Bytes(), err
}

// writeOne makes the one page that has all.
func (b *book) writeOne(ctx context.Context, put func(string, []byte) error) error {
	find, err := b.find("")
	if err != nil {
		return err
	}
	f := frame{Index: b.index(), Looks: template.CSS(palette.CSS + looks), Moves: template.JS(moves), Find: template.JS("var found = " + string(find) + ";")}
	err = b.drawings(ctx, "", func(d *drawing, _ string) error {
		d.ID = "diagram-" + fmt.Sprint(len(f.Drawings)+1)
		f.Drawings = append(f.Drawings, d)
		f.Index.Drawings = append(f.Index.Drawings, entry{Name: d.Title, Href: "#" + d.ID})
		return nil
	})
	if err != nil {
		return err
	}
	f.Index.Plain = b.undone
	for _, t := range b.things {
		p, err := b.thing(ctx, "", t)
		if err != nil {
			return fmt.Errorf("the part on %s: %w", t.ref, err)
		}
		f.Things = append(f.Things, p)
	}
	return b.put(put, "index.html", f)
}

// find is what a search looks through: for each thing and column its name, what it is,
// where it is and its comment.
func (b *book) find(root string) ([]byte, error) {
	list := [][4]string{}
	for _, t := range b.things {
		list = append(list, [4]string{titleOf(t.Object), t.Kind.Title(), b.href(root, t.ref), t.Text("comment")})
		for _, p := range t.Parts {
			if p.Name != "" {
				list = append(list, [4]string{p.Name, p.Kind.Title() + " of " + titleOf(t.Object), b.href(root, t.PartRef(p)), p.Text("comment")})
			}
		}
	}
	for i := range list {
		for j := range list[i] {
			list[i][j] = sqltext.CommentSafe(list[i][j])
		}
	}
	data, err := json.Marshal(list)
	return sqltext.JSONSafe(data), err
}

// safeLines are the lines of a text, as they can be shown.
func safeLines(s string) []string {
	out := view.Lines(s)
	for i := range out {
		out[i] = sqltext.CommentSafe(out[i])
	}
	return out
}
