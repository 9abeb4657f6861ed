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
}

// All takes every difference to the target.
func All(c *compare.Comparison) *Chosen { return &Chosen{Comparison: c} }

// With is the choices with one more, about an item of the comparison: an object
// or one of its parts.
func (c *Chosen) With(it *compare.Item, choice Choice) *Chosen {
	return c.Hold(func(e *Editor) { e.choose(it, choice) })
}

// Of is the choice about an item.
func (c *Chosen) Of(it *compare.Item) Choice { return c.of[it] }

func (c *Chosen) leaves(it *compare.Item) bool { return c.of[it].Decision != ToTarget }

// Hold is the choices with what edit holds back as well.
func (c *Chosen) Hold(edit func(*Editor)) *Chosen {
	e := &Editor{&Chosen{Comparison: c.Comparison, of: maps.Clone(c.of)}}
	if e.made.of == nil {
		e.made.of = map[*compare.Item]Choice{}
	}
	edit(e)
	return e.made
}

// Editor makes choices out of others.
type Editor struct{ made *Chosen }

func (e *Editor) choose(it *compare.Item, choice Choice) { e.made.of[it] = choice }

// Left lists the differences that are left, with the reasons, objects before
// their parts.
func (c *Chosen) Left() map[catalog.Ref]Reason {
	out := map[catalog.Ref]Reason{}
	for _, it := range c.Items {
		if ch := c.of[it]; ch.Decision == Leave && it.Status != compare.Same {
			out[it.Object().Ref()] = ch.Why
		}
		for _, p := range it.Parts {
			if ch := c.of[p]; ch.Decision == Leave && p.Status != compare.Same {
				out[it.Object().PartRef(p.Object())] = ch.Why
			}
		}
	}
	return out
}
