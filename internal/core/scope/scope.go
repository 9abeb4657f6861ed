// Package scope reads patterns (`table:harbour.b*`) and tells what they match.
package scope

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
)

// Pattern is one pattern: an optional kind and one to three name pieces, each
// a glob with * and ?.
type Pattern struct {
	text  string
	kind  string // glob; "" matches any
	names []glob
}

type glob struct {
	text   string
	quoted bool // taken literally
}

// Parse reads patterns separated by commas. It fails on an open quote, an
// empty pattern or more than three name pieces.
func Parse(text string) ([]Pattern, error) {
	var out []Pattern
	cur := Pattern{}
	piece, quoted, start := strings.Builder{}, false, 0
	endPiece := func(end int) error {
		if piece.Len() == 0 && !quoted {
			return fmt.Errorf("pattern %q has an empty name", strings.Trim(text[start:end], " \t"))
		}
		cur.names = append(cur.names, glob{piece.String(), quoted})
		piece.Reset()
		quoted = false
		return nil
	}
	endPattern := func(end int) error {
		if err := endPiece(end); err != nil {
			return err
		}
		cur.text = strings.Trim(text[start:end], " \t")
		if len(cur.names) > 3 {
			return fmt.Errorf("pattern %q has more than three names (kind:schema.name.part)", cur.text)
		}
		out = append(out, cur)
		cur, start = Pattern{}, end+1
		return nil
	}
	for i := 0; i < len(text); i++ {
		switch ch := text[i]; {
		case ch == '"':
			quoted = true
			for i++; ; i++ {
				if i >= len(text) {
					return nil, fmt.Errorf("pattern %q: a quote is not closed", text[start:])
				}
				if text[i] == '"' {
					if i+1 < len(text) && text[i+1] == '"' {
						i++
					} else {
						break
					}
				}
				piece.WriteByte(text[i])
			}
		case ch == ',':
			if err := endPattern(i); err != nil {
				return nil, err
			}
		case ch == ':' && len(cur.names) == 0 && cur.kind == "" && !quoted && piece.Len() > 0:
			cur.kind = strings.ToLower(piece.String())
			piece.Reset()
		case ch == '.':
			if err := endPiece(i); err != nil {
				return nil, err
			}
		case (ch == ' ' || ch == '\t') && piece.Len() == 0 && !quoted && len(cur.names) == 0:
			// blanks after a comma
		case (ch == ' ' || ch == '\t') && ends(text[i:]):
			// and before one
		default:
			piece.WriteByte(ch)
		}
	}
	if err := endPattern(len(text)); err != nil {
		return nil, err
	}
	return out, nil
}

// ends tells whether a pattern ends here, but for blanks.
func ends(text string) bool {
	text = strings.TrimLeft(text, " \t")
	return text == "" || text[0] == ','
}

// ParseAll reads several texts of patterns.
func ParseAll(texts []string) ([]Pattern, error) {
	var out []Pattern
	for _, t := range texts {
		ps, err := Parse(t)
		if err != nil {
			return nil, err
		}
		out = append(out, ps...)
	}
	return out, nil
}

// String is the pattern as it was written.
func (p Pattern) String() string { return p.text }

// Kind is the kind the pattern names, "" where it names none or several.
func (p Pattern) Kind() string {
	if strings.ContainsAny(p.kind, "*?") {
		return ""
	}
	return p.kind
}

// Quote writes a name as a pattern has it: in quotes where it needs them.
func Quote(name string) string {
	return strings.TrimPrefix(catalog.Ref{Name: name}.String(), ":")
}

// Name is one name of a pattern.
type Name struct {
	Text    string
	Literal bool // it is no glob
}

// Names are the names of the pattern, the last one the thing's own.
func (p Pattern) Names() []Name {
	var out []Name
	for _, g := range p.names {
		out = append(out, Name{g.text, g.quoted})
	}
	return out
}

// Like is the pattern with the kind of another one, and that one's names in
// front where it has fewer.
func (p Pattern) Like(o Pattern) Pattern {
	p.kind = o.kind
	if n := len(o.names) - len(p.names); n > 0 {
		p.names = append(append([]glob{}, o.names[:n]...), p.names...)
	}
	return p
}

// Within is the pattern's own name in an owner of another name, with the kind of
// a third pattern.
func (p Pattern) Within(owner, like Pattern) Pattern {
	p.kind = like.kind
	p.names = append(append([]glob{}, owner.names...), p.names[len(p.names)-1])
	return p
}

// Wild tells whether the pattern can match more than one thing by its names.
func (p Pattern) Wild() bool {
	for _, g := range p.names {
		if !g.quoted && strings.ContainsAny(g.text, "*?") {
			return true
		}
	}
	return strings.ContainsAny(p.kind, "*?")
}

// Exactly is the pattern that matches one thing.
func Exactly(r catalog.Ref) Pattern {
	p := Pattern{text: r.String(), kind: string(r.Kind)}
	if r.Schema != "" {
		p.names = append(p.names, glob{r.Schema, true})
	}
	p.names = append(p.names, glob{r.Name, true})
	if r.IsPart() {
		p.kind, p.names = string(r.PartKind), append(p.names, glob{r.Part, true})
	}
	return p
}

// Wide tells whether the pattern names no thing, only a kind: it is right also
// where there is none of it.
func (p Pattern) Wide() bool {
	for _, g := range p.names {
		if g.quoted || strings.Trim(g.text, "*") != "" {
			return false
		}
	}
	return true
}

// Match tells whether the pattern matches the reference itself, or, for a
// part, the object it belongs to. fold is how the engine compares names: catalog.Catalog.FoldName.
func (p Pattern) Match(r catalog.Ref, fold func(name string, part bool) string) bool {
	if p.matchOne(r, fold) {
		return true
	}
	return r.IsPart() && p.matchOne(r.Object(), fold)
}

// MatchSelf is Match without the second chance of the owning object.
func (p Pattern) MatchSelf(r catalog.Ref, fold func(name string, part bool) string) bool {
	return p.matchOne(r, fold)
}

func (p Pattern) matchOne(r catalog.Ref, fold func(name string, part bool) string) bool {
	kind, path := r.Kind, make([]string, 0, 3)
	if r.Schema != "" {
		path = append(path, r.Schema)
	}
	path = append(path, r.Name)
	if r.IsPart() {
		kind = r.PartKind
		path = append(path, r.Part)
	}
	if p.kind != "" && !match(p.kind, string(kind)) {
		return false
	}
	if len(p.names) > len(path) {
		return false
	}
	if r.IsPart() && p.kind == "" && len(p.names) == 1 && p.names[0].text == "*" {
		return false // a bare * means every object; its parts come with it
	}
	path = path[len(path)-len(p.names):]
	for i, g := range p.names {
		own := r.IsPart() && i == len(p.names)-1
		want, have := fold(g.text, own), fold(path[i], own)
		if g.quoted && want != have || !g.quoted && !match(want, have) {
			// A routine may be named without its arguments.
			if bare, _, found := strings.Cut(have, "("); !found || g.quoted || !match(want, bare) {
				return false
			}
		}
	}
	return true
}

// Any tells whether one of the patterns matches.
func Any(ps []Pattern, r catalog.Ref, fold func(name string, part bool) string) bool {
	for _, p := range ps {
		if p.Match(r, fold) {
			return true
		}
	}
	return false
}

// match is a glob with * (any run) and ? (one character).
func match(pattern, s string) bool {
	p, t := []rune(pattern), []rune(s)
	pi, ti, star, mark := 0, 0, -1, 0
	for ti < len(t) {
		switch {
		case pi < len(p) && p[pi] == '*':
			star, mark = pi, ti
			pi++
		case pi < len(p) && (p[pi] == '?' || p[pi] == t[ti]):
			pi++
			ti++
		case star >= 0:
			pi = star + 1
			mark++
			ti = mark
		default:
			return false
		}
	}
	for pi < len(p) && p[pi] == '*' {
		pi++
	}
	return pi == len(p)
}

// Scope is what counts: Only (empty: everything) without Except.
type Scope struct {
	Only, Except []Pattern
}

// Empty tells whether everything counts.
func (s Scope) Empty() bool { return len(s.Only) == 0 && len(s.Except) == 0 }

// Extent is how much of an object is in scope.
type Extent int

// The extents.
const (
	Out    Extent = iota // nothing
	Some                 // some of its parts
	Entire               // the object and its parts, less excepted parts
)

// Known are the patterns with those added that name, by what a thing is known by,
// what they name by the names that things have themselves (catalog.Object.Own): both
// sides can then be asked by what they are known by alone.
func Known(ps []Pattern, c *catalog.Catalog) []Pattern {
	out := ps
	add := func(known, own catalog.Ref) {
		for _, p := range ps {
			if known != own && p.MatchSelf(own, c.FoldName) && !p.MatchSelf(known, c.FoldName) {
				out = append(slices.Clip(out), Exactly(known))
			}
		}
	}
	for _, o := range c.Objects {
		add(o.Ref(), o.Own())
		for _, part := range o.Parts {
			own := o.Own()
			own.PartKind, own.Part = part.Kind, part.Own().Name
			add(o.PartRef(part), own)
		}
	}
	return out
}

// Object tells how much of an object is in scope.
func (s Scope) Object(o *catalog.Object, fold func(name string, part bool) string) Extent {
	r := o.Ref()
	if Any(s.Except, r, fold) {
		return Out
	}
	if len(s.Only) == 0 || Any(s.Only, r, fold) {
		return Entire
	}
	for _, p := range o.Parts {
		if s.Part(o, p, fold) {
			return Some
		}
	}
	return Out
}

// Part tells whether a part is in scope.
func (s Scope) Part(o, part *catalog.Object, fold func(name string, part bool) string) bool {
	r := o.PartRef(part)
	if Any(s.Except, r, fold) {
		return false
	}
	return len(s.Only) == 0 || Any(s.Only, r, fold)
}

// Cut cuts a text at its commas outside quotes.
func Cut(text string) []string {
	var out []string
	quoted, start := false, 0
	for i := 0; i < len(text); i++ {
		switch {
		case text[i] == '"':
			quoted = !quoted
		case text[i] == ',' && !quoted:
			out = append(out, text[start:i])
			start = i + 1
		}
	}
	return append(out, text[start:])
}
