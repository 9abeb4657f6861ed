package layout

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/texts"
)

// Piece is what makes one thing of an object: statements that belong together.
type Piece struct {
	About catalog.Ref // the object, or the part of it
	SQL   []string
}

// File is a file of a folder: one object, with its parts.
type File struct {
	Name   string // beneath the folder, with / between its parts
	Of     catalog.Ref
	Pieces []Piece
}

// Files lays a structure out, a file an object, in the order of their names. The
// same structure gives the same files.
func Files(c *catalog.Catalog, actions []*order.Action, g texts.Grammar) ([]File, error) {
	names := Names(c)
	at := map[catalog.Ref]int{}
	var out []File
	for _, a := range actions {
		of := a.About.Object()
		o := c.Find(of)
		if o == nil { // what stands for an object that is not whole yet, as the shell of a type
			for _, x := range c.Objects {
				if x.Schema == of.Schema && x.Name == of.Name && o == nil {
					o, of = x, x.Ref()
				}
			}
		}
		if o == nil {
			return nil, fmt.Errorf("%s belongs to nothing that could have a file", a.About)
		}
		i, known := at[of]
		if !known {
			i = len(out)
			at[of] = i
			out = append(out, File{Name: names[of], Of: of})
		}
		for _, sql := range a.SQL {
			if err := closed(g.Dialect, sql); err != nil {
				return nil, fmt.Errorf("%s is refused: its definition would let something else out into the file: %w", a.About, err)
			}
		}
		out[i].Pieces = append(out[i].Pieces, Piece{a.About, a.SQL})
	}
	for i := range out {
		out[i].tidy(c, g)
	}
	slices.SortFunc(out, func(a, b File) int { return cmp.Compare(a.Name, b.Name) })
	return out, nil
}

func closed(d sqltext.Dialect, sql string) error { return sqltext.Closed(d, sql) }

// tidy puts the object first and its parts behind it, by kind and name: where a
// part stands does not hang on what other objects there are.
func (f *File) tidy(c *catalog.Catalog, g texts.Grammar) {
	rank := func(p Piece) int {
		if !p.About.IsPart() {
			return math.MinInt
		}
		return c.Kinds.Rank(p.About.PartKind)
	}
	// Some statements that are about a part prepare the object, and stand before it.
	first := slices.IndexFunc(f.Pieces, func(p Piece) bool { return !p.About.IsPart() })
	rest := f.Pieces[max(first, 0):]
	slices.SortStableFunc(rest, func(a, b Piece) int {
		if a.About.PartKind == catalog.Trigger && b.About.PartKind == catalog.Trigger {
			return 0 // some engines fire them in the order in which they were made
		}
		return cmp.Or(cmp.Compare(rank(a), rank(b)), cmp.Compare(a.About.Part, b.About.Part))
	})
}

// Text is the file as it is written. Settings stand only where what follows needs
// another one than what went before.
func (f *File) Text(g texts.Grammar) []byte {
	var b strings.Builder
	inForce := map[string]string{}
	for _, p := range f.Pieces {
		if text := p.text(g, inForce); text != "" {
			if b.Len() > 0 {
				b.WriteByte('\n')
			}
			b.WriteString(text)
		}
	}
	return []byte(b.String())
}

// text are the statements of a piece, with what must be set for them.
func (p *Piece) text(g texts.Grammar, inForce map[string]string) string {
	var b strings.Builder
	var keys []string
	wanted := map[string]string{}
	for _, sql := range p.SQL {
		if r := g.Read(sql, g.Dialect); r.Action == texts.Set {
			key := ""
			for _, s := range r.Sets {
				key += s.Name + " "
			}
			keys = append(slices.DeleteFunc(keys, func(k string) bool { return k == key }), key)
			wanted[key] = sql
			continue
		}
		for _, k := range keys {
			if inForce[k] != wanted[k] {
				b.WriteString(wanted[k] + "\n")
				inForce[k] = wanted[k]
			}
		}
		keys = nil
		b.WriteString(strings.TrimRight(sql, "\n") + "\n")
	}
	return b.String()
}

// longestName is how many bytes the name of a file may have before its ending.
const longestName = 120

// Names are the files of all objects: their schema's folder, their name and
// their kind. No two are one file on any system.
func Names(c *catalog.Catalog) map[catalog.Ref]string {
	out := map[catalog.Ref]string{}
	type entry struct {
		ref  catalog.Ref
		path string
	}
	byFold := map[string][]entry{}
	folders := map[string][]string{} // by folded name
	for _, o := range c.Objects {
		if s := o.Schema; s != "" && !slices.Contains(folders[folded(safe(s))], s) {
			folders[folded(safe(s))] = append(folders[folded(safe(s))], s)
		}
	}
	for _, o := range c.Objects {
		path := ""
		if s := o.Schema; s != "" {
			path = safe(s)
			if len(folders[folded(path)]) > 1 && path != folded(path) {
				path += mark(s)
			}
			path += "/"
		}
		path += safe(strings.ReplaceAll(o.Name, ", ", ",")) + "." + string(o.Kind)
		byFold[folded(path)] = append(byFold[folded(path)], entry{o.Ref(), path})
	}
	for fold, list := range byFold {
		slices.SortFunc(list, func(a, b entry) int {
			return cmp.Or(cmp.Compare(a.path, b.path), cmp.Compare(a.ref.Name, b.ref.Name))
		})
		plain := false // one may have the name as it is: that in small letters
		for _, e := range list {
			if len(list) == 1 || e.path == fold && !plain {
				plain = true
			} else {
				e.path = strings.TrimSuffix(e.path, "."+string(e.ref.Kind)) + mark(e.ref.Name) + "." + string(e.ref.Kind)
			}
			out[e.ref] = e.path + ".sql"
		}
	}
	return out
}

// mark tells names apart that a file system may take for one.
func mark(name string) string {
	h := sha256.Sum256([]byte(name))
	return "~" + hex.EncodeToString(h[:4])
}

// folded is a name as file systems compare it that do not tell letters apart.
func folded(s string) string {
	return strings.ToLower(strings.ToUpper(norm.NFC.String(s)))
}

// reserved are names that are devices on some systems, whatever their ending.
var reserved = strings.Fields("con prn aux nul com0 com1 com2 com3 com4 com5 com6 com7 com8 com9 lpt0 lpt1 lpt2 lpt3 lpt4 lpt5 lpt6 lpt7 lpt8 lpt9 conin$ conout$")

// safe writes a name so that it is one of a file on every system. What cannot
// stand in one is written as % and its bytes.
func safe(name string) string {
	var b strings.Builder
	runes := []rune(name)
	for i, at := 0, 0; i < len(runes); i++ {
		r := runes[i]
		n := utf8.RuneLen(r)
		if r == utf8.RuneError {
			_, n = utf8.DecodeRuneInString(name[at:])
		}
		edge := i == 0 || i == len(runes)-1
		switch {
		case r == utf8.RuneError, !unicode.IsPrint(r), strings.ContainsRune(`<>:"/\|?*%#~`, r), edge && (r == ' ' || r == '.' || r == '-'):
			for _, c := range []byte(name[at : at+n]) {
				fmt.Fprintf(&b, "%%%02X", c)
			}
		default:
			b.WriteRune(r)
		}
		at += n
	}
	out := b.String()
	if base, _, _ := strings.Cut(out, "."); slices.Contains(reserved, strings.ToLower(base)) {
		out = fmt.Sprintf("%%%02X%s", out[0], out[1:])
	}
	if len(out) > longestName || !norm.NFC.IsNormalString(name) {
		cut := min(len(out), longestName)
		for cut > 0 && cut < len(out) && !utf8.RuneStart(out[cut]) {
			cut--
		}
		out = norm.NFC.String(out[:cut]) + mark(name)
	}
	if out == "" {
		out = mark(name)
	}
	return out
}
