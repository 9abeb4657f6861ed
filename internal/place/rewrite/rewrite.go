// Package rewrite changes SQL texts so that they say another structure: only
// the statements of what changed are written anew, all else keeps its bytes.
package rewrite

import (
	"bytes"
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/texts"
	"dappermirror/internal/place/layout"
)

// Source is a text of the folder.
type Source struct {
	Name string // beneath the folder, with / between its parts
	Text []byte
}

// Texts is what a folder says, now and as it shall.
type Texts struct {
	Grammar texts.Grammar
	Sources []Source
	Actual  *catalog.Catalog // what the sources say
	Desired *catalog.Catalog // what they shall say
	Was, Is []layout.File    // how it and the wanted structure are laid out
}

// Change is what becomes of the files: their new texts, and those that go.
type Change struct {
	Files map[string][]byte
	Gone  []string
	// Objects are those that changed, with the file that each stands in then.
	Objects map[catalog.Ref]string
}

// statement is one of the sources, with what it is about.
type statement struct {
	texts.Parsed
	file   int
	about  catalog.Ref // the object, or the part of it; of no kind where nobody knows
	canon  string      // itself as statements are compared
	edited bool        // it is replaced, or gone
	by     string      // what stands in its place
}

// layouts are the pieces of an object: by what they are about, in order.
type layouts struct {
	file  *layout.File
	order []catalog.Ref
	of    map[catalog.Ref][]layout.Piece
}

type rewriter struct {
	*Texts
	things *texts.Things
	whose  map[catalog.Ref][]*statement // by the object that they are about
	all    []*statement
	was    map[catalog.Ref]*layouts
	is     map[catalog.Ref]*layouts
	change *Change
	added  map[string][]*layouts // by the names of the files that they come into
}

// Rewrite changes the texts as far as the two layouts differ.
func Rewrite(ctx context.Context, t *Texts) (*Change, error) {
	r := &rewriter{Texts: t, things: texts.ThingsOf(t.Actual), whose: map[catalog.Ref][]*statement{}, was: laid(t.Was), is: laid(t.Is), added: map[string][]*layouts{}, change: &Change{Files: map[string][]byte{}, Objects: map[catalog.Ref]string{}}}
	if err := r.parse(ctx); err != nil {
		return nil, err
	}
	for i := range t.Was {
		of := t.Was[i].Of
		if r.is[of] == nil {
			r.remove(of)
		} else if !r.equal(of) {
			r.alter(of)
		}
	}
	for i := range t.Is {
		if f := &t.Is[i]; r.was[f.Of] == nil {
			r.added[f.Name] = append(r.added[f.Name], r.is[f.Of])
			r.change.Objects[f.Of] = f.Name
		}
	}
	r.write()
	return r.change, nil
}

func laid(files []layout.File) map[catalog.Ref]*layouts {
	out := map[catalog.Ref]*layouts{}
	for i := range files {
		l := &layouts{file: &files[i], of: map[catalog.Ref][]layout.Piece{}}
		for _, p := range files[i].Pieces {
			key := p.About.Thing()
			if l.of[key] == nil {
				l.order = append(l.order, key)
			}
			l.of[key] = append(l.of[key], p)
		}
		out[files[i].Of] = l
	}
	return out
}

// parse takes the sources apart and finds what each statement is about: by the
// statement that the layout has for it, or by what it names.
func (r *rewriter) parse(ctx context.Context) error {
	known := map[string]catalog.Ref{}
	for _, l := range r.was {
		for key, pieces := range l.of {
			for _, p := range pieces {
				for _, sql := range p.SQL {
					known[r.canon(sql)] = key
				}
			}
		}
	}
	var files []engine.TextFile
	for _, s := range r.Sources {
		files = append(files, engine.TextFile{Name: s.Name, Reader: bytes.NewReader(s.Text)})
	}
	all, err := texts.Parse(ctx, files, r.Grammar)
	if err != nil {
		return err
	}
	file := 0
	for i, p := range all {
		for r.Sources[file].Name != p.Origin.File {
			file++
		}
		if !p.Action.Runs() || i > 0 && all[i-1].Start == p.Start && all[i-1].Origin.File == p.Origin.File {
			continue
		}
		s := &statement{Parsed: p, file: file, canon: r.canon(p.Statement.SQL)}
		if key, ok := known[s.canon]; ok {
			s.about = key
		} else {
			s.about = r.named(cmp.Or(p.Makes, p.Alters))
		}
		r.all = append(r.all, s)
		r.whose[s.about.Object()] = append(r.whose[s.about.Object()], s)
	}
	return nil
}

// named is the thing that a statement names, as far as it is there.
func (r *rewriter) named(m *texts.Made) catalog.Ref {
	if m == nil {
		return catalog.Ref{}
	}
	switch o, p := r.things.Of(m); {
	case p != nil:
		return o.PartRef(p)
	case o != nil:
		return o.Ref()
	}
	return catalog.Ref{}
}

// canon is a statement as it is compared with others: without the client's
// lines, its end mark and blanks that mean nothing.
func (r *rewriter) canon(sql string) string {
	if st := sqltext.Split(r.Grammar.Dialect, sql); len(st) > 1 || r.Grammar.Dialect.Batches {
		for _, s := range st {
			if !s.Client {
				sql = s.Text
			}
		}
	}
	return strings.TrimRight(sqltext.Squeezed(r.Grammar.Dialect, strings.TrimRight(sql, "; \t\r\n")), "; ")
}

// equal tells whether an object is laid out alike on both sides.
func (r *rewriter) equal(of catalog.Ref) bool {
	return bytes.Equal(r.was[of].file.Text(r.Grammar), r.is[of].file.Text(r.Grammar))
}

// of are the statements about an object and its parts.
func (r *rewriter) of(object catalog.Ref) []*statement { return r.whose[object] }

func (r *rewriter) remove(of catalog.Ref) {
	for _, s := range r.of(of) {
		s.edited = true
		r.change.Objects[of] = r.Sources[s.file].Name
	}
	if _, found := r.change.Objects[of]; !found {
		r.change.Objects[of] = ""
	}
}

// alter writes the statements of what changed in an object.
func (r *rewriter) alter(of catalog.Ref) {
	own := r.of(of)
	if len(own) == 0 { // nothing that we know makes it: it is said once more, and the proof will tell
		f := r.is[of].file
		r.added[f.Name] = append(r.added[f.Name], r.is[of])
		r.change.Objects[of] = f.Name
		return
	}
	own = standing(own)
	r.change.Objects[of] = r.Sources[own[0].file].Name
	was, is := r.was[of], r.is[of]
	by := map[catalog.Ref][]*statement{}
	for _, s := range own {
		by[s.about] = append(by[s.about], s)
	}
	var changed []catalog.Ref
	for _, key := range slices.Concat(was.order, is.order) {
		if !slices.Contains(changed, key) && r.text(was, key) != r.text(is, key) {
			changed = append(changed, key)
		}
	}
	// Where the object's own statement is written anew, what only one of the text
	// and the layout has within it must not get lost, or come twice.
	anew := slices.Contains(changed, of)
	within := func(key catalog.Ref) bool { return was.of[key] != nil && len(by[key]) == 0 }
	beside := func(key catalog.Ref) bool { return was.of[key] == nil && is.of[key] == nil }
	if anew && (slices.ContainsFunc(was.order, within) || slices.ContainsFunc(slices.Collect(maps.Keys(by)), beside)) ||
		slices.ContainsFunc(changed, func(key catalog.Ref) bool { return within(key) || r.sets(was, key) || r.sets(is, key) }) {
		r.whole(own, is)
		return
	}
	last := own[len(own)-1]
	for _, key := range changed {
		r.piece(key, by[key], is, &last)
	}
}

// standing leaves out what takes a thing away before it is made: that may stay as it is.
func standing(own []*statement) []*statement {
	for len(own) > 1 && own[0].Removes {
		own = own[1:]
	}
	return own
}

// sets tells whether a piece needs settings of its own, which would reach what
// stands behind it.
func (r *rewriter) sets(l *layouts, key catalog.Ref) bool {
	for _, p := range l.of[key] {
		for _, sql := range p.SQL {
			if r.Grammar.Read(sql, r.Grammar.Dialect).Action == texts.Set {
				return true
			}
		}
	}
	return false
}

func (r *rewriter) text(l *layouts, key catalog.Ref) string {
	f := layout.File{Pieces: l.of[key]}
	return string(f.Text(r.Grammar))
}

// piece writes what is about one thing: statements that say the same keep their
// bytes, others are replaced where the first of them stood. What comes besides stands
// where the layout has it among those that stay.
func (r *rewriter) piece(key catalog.Ref, own []*statement, is *layouts, last **statement) {
	var list []string
	for _, p := range is.of[key] {
		list = append(list, p.SQL...)
	}
	wanted := map[string]bool{}
	for _, sql := range list {
		wanted[r.canon(sql)] = true
	}
	kept := map[string]*statement{}
	var free *statement
	own = standing(own)
	for _, s := range own {
		if wanted[s.canon] {
			kept[s.canon] = s
		} else if s.edited = true; free == nil {
			free = s
		}
	}
	var b strings.Builder
	var next *statement // the first that stays behind what comes
	for _, sql := range list {
		if s := kept[r.canon(sql)]; s == nil {
			b.WriteString(strings.TrimRight(sql, "\n") + "\n")
		} else if b.Len() > 0 && next == nil {
			next = s
		}
	}
	switch {
	case b.Len() == 0:
	case free != nil:
		free.by = b.String()
	case next != nil && !next.edited:
		next.edited, next.by = true, b.String()+r.bytes(next)
	default:
		after := *last
		if len(own) > 0 {
			after = own[len(own)-1]
		}
		if !after.edited {
			after.edited, after.by = true, r.bytes(after)
		}
		if len(own) == 0 && after.by != "" {
			after.by += "\n"
		}
		after.by += b.String()
	}
}

// bytes is a statement as it stands, with its end.
func (r *rewriter) bytes(s *statement) string {
	text := string(r.Sources[s.file].Text[s.Start:s.End])
	return text + r.end(text)
}

// whole writes an object anew where its first statement stood.
func (r *rewriter) whole(own []*statement, is *layouts) {
	for _, s := range own {
		s.edited = true
	}
	own[0].by, own[0].about = string(is.file.Text(r.Grammar)), is.file.Of
}

// end is the end of a text's last line, and that of its batch where the client sends
// batches.
func (r *rewriter) end(text string) string {
	if d := r.Grammar.Dialect; d.Batches && !sqltext.Ends(d, text) {
		return d.Ended("") + "\n"
	}
	return "\n"
}

// write puts the files together.
func (r *rewriter) write() {
	byFile := map[int][]*statement{}
	left := map[int]int{}
	for _, s := range r.all {
		byFile[s.file] = append(byFile[s.file], s)
		if !s.edited || s.by != "" {
			left[s.file]++
		}
	}
	for i, src := range r.Sources {
		switch {
		case !slices.ContainsFunc(byFile[i], func(s *statement) bool { return s.edited }):
		case left[i] == 0 && r.added[src.Name] == nil:
			r.change.Gone = append(r.change.Gone, src.Name)
		default:
			r.change.Files[src.Name] = r.edited(src.Text, byFile[i])
		}
	}
	for name, list := range r.added {
		var text []byte
		for _, src := range r.Sources {
			if src.Name == name {
				text = src.Text
			}
		}
		if now, ok := r.change.Files[name]; ok {
			text = now
		}
		dos := isDOS(text)
		text = bytes.TrimRight(text, "\r\n")
		var b bytes.Buffer
		if b.Write(text); len(text) > 0 {
			b.WriteString(inLines(r.Grammar.Dialect, r.end(string(text)), dos))
		}
		for _, l := range list {
			if b.Len() > 0 {
				b.WriteString(inLines(r.Grammar.Dialect, "\n", dos))
			}
			b.WriteString(r.inLines(l.file.Of, string(l.file.Text(r.Grammar)), dos))
		}
		r.change.Files[name] = b.Bytes()
	}
	for name, text := range r.change.Files {
		if !bytes.HasSuffix(text, []byte("\n")) {
			r.change.Files[name] = append(text, '\n')
		}
	}
}

// edited is a text with what stands in the place of its statements.
func (r *rewriter) edited(src []byte, list []*statement) []byte {
	batches, dos := newBatches(r.Grammar.Dialect, src, list), isDOS(src)
	var b bytes.Buffer
	at := 0
	for _, s := range list {
		if !s.edited {
			continue
		}
		b.Write(src[at:s.Start])
		text := r.inLines(s.about, strings.TrimRight(s.by, "\n"), dos)
		if s.Delimiter != ";" && text != "" {
			end := inLines(r.Grammar.Dialect, "\n", dos)
			text = "DELIMITER ;" + end + text + end + "DELIMITER " + s.Delimiter
		}
		text, at = batches.fit(s, text, src)
		b.WriteString(text)
		if text == "" {
			if at = blankLine(src, at); b.Len() == 0 || bytes.HasSuffix(b.Bytes(), []byte("\n\n")) {
				at = blankLine(src, at) // one of the two empty lines around it
			}
		}
	}
	b.Write(src[at:])
	return b.Bytes()
}
