package mysql

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
)

// lowerCase is a catalog's setting: how the server keeps and compares the names
// of tables (MariaDB: lower_case_table_names): 0 as they are written, 1 in lower
// case, 2 as written, but compared in lower case.
const lowerCase = "lower_case_table_names"

func folding(c *catalog.Catalog) string {
	if s := c.Settings[lowerCase]; s != "" {
		return s
	}
	return "0"
}

// Folds implements engine.Unifier.
func (Engine) Folds(source, target *catalog.Catalog) bool {
	return folding(source) != folding(target) || folding(target) == "2"
}

// Unify implements engine.Unifier.
func (e Engine) Unify(source, target *catalog.Catalog, given []match.Given) (*catalog.Catalog, error) {
	theirs, ours := byFoldedName(target), byFoldedName(source)
	known := match.Copy(target) // and what is to come under the names it will have there
	said := map[catalog.Ref]bool{}
	for _, g := range given {
		said[g.Source] = true
	}
	for key, of := range ours {
		o := of[0]
		if len(of) > 1 {
			if folding(target) != "0" {
				return nil, fmt.Errorf("the source has %s and %s, which are one name to the target's server", o.Name, of[1].Name)
			}
			continue
		}
		if said[o.Ref()] || target.Find(o.Ref()) != nil {
			continue
		}
		var like *catalog.Object
		switch l := theirs[key]; {
		case len(l) > 1:
			return nil, fmt.Errorf("the target has %s and %s, which are one name to the source's server: %s could be either", l[0].Name, l[1].Name, o.Name)
		case len(l) == 1:
			like = l[0]
		case folding(target) == "1" && o.Name != strings.ToLower(o.Name):
			like = &catalog.Object{Kind: o.Kind, Name: strings.ToLower(o.Name), Space: o.Space}
			known.Add(like)
		default:
			continue
		}
		given = append(given, match.Given{Source: o.Ref(), Target: like.Ref()})
	}
	known.Sort()
	marked := e.Mark(source)
	if folding(target) == "0" {
		asKept(marked)
	}
	unified, err := match.Unify(marked, known, given)
	if err == nil && folding(target) != "0" {
		e.inTheirLetters(unified, target)
	}
	return unified, err
}

func byFoldedName(c *catalog.Catalog) map[string][]*catalog.Object {
	out := map[string][]*catalog.Object{}
	for _, o := range c.Objects {
		if o.Space == "relation" {
			key := string(o.Kind) + " " + strings.ToLower(o.Name)
			out[key] = append(out[key], o)
		}
	}
	return out
}

// asKept names the tables in bodies as the source's server keeps them: it found
// them in whatever letters, the target's will not.
func asKept(marked *catalog.Catalog) {
	tablesInBodies(marked, func(p *catalog.Piece) {
		kept := func(text string) string {
			if bare := strings.Trim(text, "`"); strings.EqualFold(bare, p.Ref.Name) {
				return strings.Replace(text, bare, p.Ref.Name, 1)
			}
			return text
		}
		p.Text, p.Canon = kept(p.Text), kept(p.Canon)
	})
}

// inTheirLetters gives the source's bodies the letters of the target's where
// they differ in nothing else: the target's server keeps bodies as they were
// written, and finds the tables all the same.
func (e Engine) inTheirLetters(unified, target *catalog.Catalog) {
	kept := e.Mark(target)
	asKept(kept)
	take := func(o, theirs, kept *catalog.Object) {
		for i := range o.Properties {
			p := &o.Properties[i]
			if k := kept.Property(p.Name); k != nil && p.Value.Form == catalog.FormSQL && k.Value.Canonical() == p.Value.Canonical() {
				p.Value = theirs.Property(p.Name).Value
			}
		}
	}
	for _, o := range unified.Objects {
		theirs, kept := target.Find(o.Ref()), kept.Find(o.Ref())
		if theirs == nil {
			continue
		}
		take(o, theirs, kept)
		for _, p := range o.Parts {
			if t := theirs.Part(p.Kind, p.Key()); t != nil {
				take(p, t, kept.Part(p.Kind, p.Key()))
			}
		}
	}
}

func tablesInBodies(marked *catalog.Catalog, each func(*catalog.Piece)) {
	for _, o := range marked.Objects {
		for _, x := range append([]*catalog.Object{o}, o.Parts...) {
			for i := range x.Properties {
				pieces := x.Properties[i].Value.Pieces
				for j := range pieces {
					if p := &pieces[j]; p.Ref != nil && p.Fixed && !p.Ref.IsPart() && p.Ref.Kind != catalog.Routine {
						each(p)
					}
				}
			}
		}
	}
}
