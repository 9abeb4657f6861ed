// Package choose makes of one comparison, and of what somebody chose, what the
// two sides shall be like; what a choice needs and what cannot go; and what is
// held back with whatever depends on it. The comparison never changes: a
// hundred choices can be made from one.
package choose

import (
	"maps"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
)

// Decision is what is to become of a difference.
type Decision int8

// The decisions.
const (
	ToTarget Decision = iota // change the target
	Leave                    // leave both as they are
	ToSource                 // change the source instead
)

// Reason says why a difference is left.
type Reason string

// The reasons.
const (
	Asked     Reason = "it was left by choice"
	Destroys  Reason = "it would destroy what nobody allowed to be lost"
	Fails     Reason = "it would fail on the rows that are there"
	NameTaken Reason = "its name is still taken by what is held back"
	StoodOn   Reason = "what stays stands on it"
	Unready   Reason = "it needs what is held back"
)

// Choice is a decision about one difference.
type Choice struct {
	Decision Decision
	Why      Reason // of what is left
}

// Chosen is a comparison with the choices about its differences. It never
// changes; what nothing was said about goes to the target.
type Chosen struct {
	*compare.Comparison
	of map[*compare.Item]Choice
	// Remake are things of the target that are dropped and made anew, though they
	// need not be.
	Remake []catalog.Ref

	target *catalog.Catalog // see Target; nil until somebody asks
}

// All takes every difference to the target.
func All(c *compare.Comparison) *Chosen { return &Chosen{Comparison: c} }

// With is the choices with one more, about an item of the comparison: an object
// or one of its parts.
func (c *Chosen) With(it *compare.Item, choice Choice) *Chosen {
	return c.Hold(func(e *Editor) { e.choose(it, choice) })
}

// Picked tells whether anything was said about any difference.
func (c *Chosen) Picked() bool { return len(c.of) > 0 }

// Of is the choice about an object: its own facts, where it differs, and what of
// its parts nothing else was said about.
func (c *Chosen) Of(it *compare.Item) Choice { return c.of[it] }

// OfPart is the choice about a part of an object.
func (c *Chosen) OfPart(it, part *compare.Item) Choice {
	if ch, ok := c.of[part]; ok {
		return ch
	}
	return c.of[it]
}

func (c *Chosen) leaves(it *compare.Item) bool { return c.of[it].Decision != ToTarget }

func (c *Chosen) leavesPart(it, part *compare.Item) bool {
	return c.OfPart(it, part).Decision != ToTarget
}

// leavesAll tells whether nothing of an object goes to the target.
func (c *Chosen) leavesAll(it *compare.Item) bool {
	if !c.leaves(it) {
		return false
	}
	for _, p := range it.Parts {
		if p.Status != compare.Same && !c.leavesPart(it, p) {
			return false
		}
	}
	return true
}

// Open lists the differences that are to go to the target, wholly or in part.
func (c *Chosen) Open() []*compare.Item {
	var out []*compare.Item
	for _, it := range c.Differences() {
		open := it.Status != compare.Differs && !c.leaves(it) || it.Status == compare.Differs && len(it.Properties) > 0 && !c.leaves(it)
		if it.Status == compare.Differs {
			for _, p := range it.Changed() {
				open = open || !c.leavesPart(it, p)
			}
		}
		if open {
			out = append(out, it)
		}
	}
	return out
}

// Taking is the choices with a difference that was left going to the target too;
// false where the thing does not differ, or goes already.
func (c *Chosen) Taking(r catalog.Ref) (*Chosen, bool) {
	it := c.Find(r)
	if it == nil || it.Status == compare.Same {
		return c, false
	}
	if r.IsPart() && it.Status == compare.Differs {
		for _, p := range it.Parts {
			if p.Kind() == r.PartKind && p.Object().Key() == r.Part && p.Status != compare.Same && c.leavesPart(it, p) {
				return c.With(p, Choice{}), true
			}
		}
		return c, false
	}
	if !c.leaves(it) && !c.leavesAll(it) {
		return c, false
	}
	return c.With(it, Choice{}), true
}

// Hold is the choices with what edit holds back as well.
func (c *Chosen) Hold(edit func(*Editor)) *Chosen {
	e := &Editor{&Chosen{Comparison: c.Comparison, of: maps.Clone(c.of), Remake: c.Remake}}
	if e.made.of == nil {
		e.made.of = map[*compare.Item]Choice{}
	}
	edit(e)
	return e.made
}

// Editor makes choices out of others.
type Editor struct{ made *Chosen }

// choose decides about an object with all its parts, or about one part.
func (e *Editor) choose(it *compare.Item, choice Choice) {
	e.made.target = nil
	e.made.of[it] = choice
	for _, p := range it.Parts {
		delete(e.made.of, p)
	}
}

// Left lists the differences that are left, with the reasons, objects before
// their parts.
func (c *Chosen) Left() map[catalog.Ref]Reason {
	out := map[catalog.Ref]Reason{}
	for _, it := range c.Items {
		if ch := c.of[it]; ch.Decision == Leave && it.Status != compare.Same && c.leavesAll(it) {
			out[it.Object().Ref()] = ch.Why
		}
		for _, p := range it.Parts {
			if ch, ok := c.of[p]; ok && ch.Decision == Leave && p.Status != compare.Same {
				out[it.Object().PartRef(p.Object())] = ch.Why
			}
		}
	}
	return out
}
