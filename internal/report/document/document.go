// Package document makes pages of a whole database that people read who never see it: an
// index, a page for each object, and diagrams of the tables and their keys.
package document

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/words"
	"dappermirror/internal/files"
	"dappermirror/internal/report/diagram/graphviz"
	"dappermirror/internal/report/highlight"
	"dappermirror/internal/report/view"
)

// Size is how large a table is.
type Size struct {
	Rows  int64 // -1 where it is not known
	About bool  // the rows were not counted
	Bytes int64 // with its indexes; -1 where it is not known
}

// Source is what a document is made of.
type Source struct {
	Title   string
	Catalog *catalog.Catalog // with the names in its texts marked
	// Define lays an object out as SQL.
	Define func(*catalog.Object) string
	Sizes  map[catalog.Ref]Size // by table; nil where they are not known
	// Since tells the structure (its source) from an earlier one (its target); nil where
	// no changes are to be marked.
	Since     *compare.Comparison
	SinceName string
	// OneFile has all in one page.
	OneFile bool
	// At is where and how the structure was read, a word and a text each.
	At [][2]string
}

// A diagram shows so many tables and keys at once: of more nobody could follow the lines.
const (
	MostDrawn = 80
	MostKeys  = 400
)

// thing is an object of the document.
type thing struct {
	*catalog.Object
	ref    catalog.Ref
	file   string // its page
	status compare.Status
	item   *compare.Item // what changed since; nil where nothing did, or nobody asked
	said   []view.Phrase // the same in words
	old    bool          // it is of the earlier structure
}

// book is a document while it is made.
type book struct {
	*Source
	things []*thing // in the order of the catalog
	of     map[catalog.Ref]*thing
	keys   map[catalog.Ref][]*key  // by the table that has them
	into   map[catalog.Ref][]*key  // by the table that they point at
	users  map[catalog.Ref][]usage // by the object that is used
	uses   map[catalog.Ref][]usage // by the object that uses
	lexer  highlight.Lexer
	layout *graphviz.Machine // made when the first diagram is drawn
	undone []string          // diagrams that are not drawn, and why
	files  map[string]bool   // that are taken, in small letters
}

// usage says that one object uses another, and which parts of it.
type usage struct {
	by, of catalog.Ref
	parts  []string
}

// key is a foreign key.
type key struct {
	part          *catalog.Object
	of, to        catalog.Ref // tables
	columns, ends []string
	one, optional bool // see diagram.Line
	status        compare.Status
}

// Write makes the pages and gives each to put, under a name with slashes. What is not to
// be kept is not: a page is made, given away and forgotten.
func Write(ctx context.Context, s *Source, put func(name string, data []byte) error) error {
	b := &book{Source: s, of: map[catalog.Ref]*thing{}, keys: map[catalog.Ref][]*key{}, into: map[catalog.Ref][]*key{},
		users: map[catalog.Ref][]usage{}, uses: map[catalog.Ref][]usage{}, lexer: highlight.New(), files: map[string]bool{}}
	defer func() {
		if b.layout != nil {
			b.layout.Close(context.WithoutCancel(ctx))
		}
	}()
	b.gather()
	if s.OneFile {
		return b.writeOne(ctx, put)
	}
	return b.write(ctx, put)
}

// gather finds all things, their keys and what uses what.
func (b *book) gather() {
	items := map[*catalog.Object]*compare.Item{}
	var gone []*catalog.Object
	phrases := map[string][]view.Phrase{}
	if b.Since != nil {
		for _, it := range b.Since.Items {
			items[it.Object()] = it
			if it.Source == nil {
				gone = append(gone, it.Target)
			}
		}
		for _, o := range view.Of(view.Found{Comparison: b.Since}).Objects {
			if o.Status == compare.Differs {
				phrases[o.ID()] = o.Facts
			}
		}
	}
	add := func(o *catalog.Object, old bool) {
		t := &thing{Object: o, ref: o.Ref(), old: old, status: compare.Same}
		if it := items[o]; it != nil && it.Status != compare.Same {
			t.item, t.status = it, it.Status
			t.said = phrases[string(o.Kind)+":"+titleOf(o)]
		}
		if _, twice := b.of[t.ref]; twice {
			return
		}
		t.file = b.page(t.ref)
		b.things, b.of[t.ref] = append(b.things, t), t
	}
	for _, o := range b.Catalog.Objects {
		if o.Group == "" || b.Since == nil || items[o] != nil {
			add(o, false)
		}
	}
	for _, o := range gone {
		add(o, true)
	}
	for _, t := range b.things {
		b.keysOf(t)
		b.usesOf(t)
	}
}

// titleOf is an object's name with its schema.
func titleOf(o *catalog.Object) string {
	if o.Schema != "" {
		return o.Schema + "." + o.Title()
	}
	return o.Title()
}

// page is the file of an object's page, no two of which differ by the case of letters
// alone.
func (b *book) page(r catalog.Ref) string {
	base := string(r.Kind) + "." + r.Name
	if r.Schema != "" {
		base = string(r.Kind) + "." + r.Schema + "." + r.Name
	}
	base = "things/" + files.Safe(base)
	name := base
	for n := 2; b.files[strings.ToLower(name)]; n++ {
		name = fmt.Sprintf("%s-%d", base, n)
	}
	b.files[strings.ToLower(name)] = true
	return name + ".html"
}

// keysOf notes a table's foreign keys.
func (b *book) keysOf(t *thing) {
	var unique [][]string
	for _, p := range t.Parts {
		if p.Kind == catalog.PrimaryKey || p.Kind == catalog.Unique || p.Kind == catalog.Index && (p.Has("unique") || p.Text("class") == "unique") && !p.Has("where") {
			unique = append(unique, columnsOf(t.Object, p))
		}
	}
	for _, p := range b.parts(t, catalog.ForeignKey) {
		k := &key{part: p, of: t.ref, status: b.partStatus(t, p), columns: columnsOf(t.Object, p)}
		for _, f := range p.Properties {
			for _, r := range f.Value.Refs() {
				switch {
				case !r.IsPart() && r.Kind != catalog.Schema:
					k.to = r
				case k.to != (catalog.Ref{}) && r.Object() == k.to && f.Name != "columns" && f.Name != "column":
					if c := b.partName(r); !slices.Contains(k.ends, c) && len(k.ends) < len(k.columns) {
						k.ends = append(k.ends, c)
					}
				}
			}
		}
		if b.of[k.to] == nil {
			continue // its table is not there, which some engines allow
		}
		k.optional = slices.ContainsFunc(k.columns, func(c string) bool {
			col := t.Part(catalog.Column, b.Catalog.FoldName(c, true))
			return col != nil && !col.Has("not null") && !slices.ContainsFunc(t.PartsOf(catalog.PrimaryKey), func(pk *catalog.Object) bool { return slices.Contains(columnsOf(t.Object, pk), c) })
		})
		k.one = slices.ContainsFunc(unique, func(u []string) bool {
			return len(u) > 0 && !slices.ContainsFunc(u, func(c string) bool { return !slices.Contains(k.columns, c) })
		})
		b.keys[k.of], b.into[k.to] = append(b.keys[k.of], k), append(b.into[k.to], k)
	}
}

// partName is the name of a part, as it is shown.
func (b *book) partName(r catalog.Ref) string {
	if t := b.of[r.Object()]; t != nil {
		if p := t.Part(r.PartKind, r.Part); p != nil {
			return p.Name
		}
	}
	return r.Part
}

// columnsOf are the columns that a part of a table names, each once: those of the list
// that says so, or those that its definition names.
func columnsOf(o, part *catalog.Object) []string {
	var out []string
	add := func(v catalog.Value) {
		for _, r := range v.Refs() {
			if !r.IsPart() && r.Kind != catalog.Schema {
				return // what follows belongs to another table
			}
			if r.PartKind != catalog.Column || r.Object() != o.Ref() {
				continue
			}
			if c := o.Part(catalog.Column, r.Part); c != nil && !slices.Contains(out, c.Name) {
				out = append(out, c.Name)
			}
		}
	}
	for _, name := range []string{"columns", "definition"} {
		if p := part.Property(name); p != nil && out == nil {
			add(p.Value)
		}
	}
	return out
}

// partStatus is what became of a part.
func (b *book) partStatus(t *thing, p *catalog.Object) compare.Status {
	switch it := b.partItem(t, p); {
	case it != nil:
		return it.Status
	case t.status == compare.SourceOnly || t.status == compare.TargetOnly:
		return t.status
	}
	return compare.Same
}

func (b *book) partItem(t *thing, p *catalog.Object) *compare.Item {
	if t.item == nil {
		return nil
	}
	for _, it := range t.item.Parts {
		if it.Object() == p || it.Source == p || it.Target == p {
			return it
		}
	}
	return nil
}

// parts are a thing's parts of a kind, those that are gone after the others.
func (b *book) parts(t *thing, k catalog.Kind) []*catalog.Object {
	out := slices.Clone(t.PartsOf(k))
	if t.item != nil && t.status == compare.Differs {
		for _, it := range t.item.Parts {
			if it.Source == nil && it.Kind() == k {
				out = append(out, it.Target)
			}
		}
	}
	return out
}

// usesOf notes what a thing and its parts use of other things. Keys are told apart.
func (b *book) usesOf(t *thing) {
	at := map[catalog.Ref]int{}
	var list []usage
	note := func(r catalog.Ref) {
		of := r.Object()
		if of == t.ref || of.Kind == catalog.Schema || b.of[of] == nil {
			return
		}
		i, known := at[of]
		if !known {
			i = len(list)
			at[of] = i
			list = append(list, usage{by: t.ref, of: of})
		}
		if r.IsPart() {
			if name := b.partName(r); name != "" && !slices.Contains(list[i].parts, name) {
				list[i].parts = append(list[i].parts, name)
			}
		}
	}
	each := func(o *catalog.Object) {
		for _, n := range o.Needs {
			note(n.On)
		}
		for _, p := range o.Properties {
			for _, r := range p.Value.Refs() {
				note(r)
			}
		}
	}
	each(t.Object)
	for _, p := range t.Parts {
		if p.Kind != catalog.ForeignKey {
			each(p)
		}
	}
	slices.SortFunc(list, func(x, y usage) int { return cmp.Compare(x.of.String(), y.of.String()) })
	b.uses[t.ref] = list
	for _, u := range list {
		b.users[u.of] = append(b.users[u.of], u)
	}
}

// counts say how many things there are, as "42 tables, 7 views".
func (b *book) counts() string {
	var out []string
	for _, c := range b.Catalog.Count() {
		out = append(out, words.Number(c.N, c.Kind.Title(), c.Kind.Plural()))
	}
	return strings.Join(out, ", ")
}
