// Package impact follows what needs what: who stands on a thing, what a change
// of it would do to them, and what it stands on itself.
package impact

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
)

// Change is what is to be done to a thing.
type Change string

// The changes.
const (
	None   Change = ""
	Drop   Change = "drop"
	Type   Change = "type"
	Rename Change = "rename"
)

// Changes are those that can be asked about.
var Changes = []Change{Drop, Type, Rename}

// Fate is what becomes of something that stands on what is changed.
type Fate string

// The fates.
const (
	Stays    Fate = ""
	Breaks   Fate = "would break"                              // it cannot be there without
	Fails    Fate = "would fail when it runs"                  // a text that the engine does not track
	PutBack  Fate = "would come down and be put back"          // for the time of the change
	Follows  Fate = "follows the new name by itself"           // the engine sees to it
	Rewrites Fate = "names it in its text, to be written anew" // which the engine keeps as it was written
)

// Node is a thing that stands on the one above it, or that the one above stands on.
type Node struct {
	On      catalog.Ref
	Reasons []string
	// Text says that only a name in a text says so, which the engine does not track.
	Text bool
	Fate Fate
	// Elsewhere says that it has a line of its own in the tree, where what follows
	// from it is listed.
	Elsewhere bool
	Nodes     []*Node
}

// Report is what was found.
type Report struct {
	Of     catalog.Ref
	Change Change
	Users  []*Node // what depends on it
	Needs  []*Node // what it depends on
}

// Of follows the needs from a thing of a structure, both ways. survives is the
// engine's Survives (order.Writer).
func Of(c *catalog.Catalog, thing catalog.Ref, change Change, w order.Writer) *Report {
	f := &follower{c: c, change: change, w: w, users: map[catalog.Ref][]use{}}
	for _, o := range c.Objects {
		for _, n := range o.Needs {
			f.note(o, nil, n)
		}
		for _, p := range o.Parts {
			for _, n := range p.Needs {
				f.note(o, p, n)
			}
		}
	}
	return &Report{Of: thing, Change: change,
		Users: f.up(thing, change != None, map[catalog.Ref]bool{thing: true}),
		Needs: f.down(thing, map[catalog.Ref]bool{thing: true})}
}

type use struct {
	owner, part *catalog.Object
	need        catalog.Need
}

func (u use) ref() catalog.Ref {
	if u.part != nil {
		return u.owner.PartRef(u.part)
	}
	return u.owner.Ref()
}

type follower struct {
	c      *catalog.Catalog
	change Change
	w      order.Writer
	users  map[catalog.Ref][]use // by the object that is needed
}

func (f *follower) note(owner, part *catalog.Object, n catalog.Need) {
	n.Text = n.Text && n.Aspect != catalog.AspectIndex // what a key stands on is sure
	f.users[n.On.Object()] = append(f.users[n.On.Object()], use{owner, part, n})
}

// concerns tells whether a need is about a thing: about an object also where it
// is about a part of it.
func concerns(n catalog.Need, thing catalog.Ref) bool {
	return n.On.Thing() == thing || !thing.IsPart() && n.On.Object() == thing
}

// nodes gathers things, each once with all its reasons.
type nodes struct {
	list []*Node
	at   map[catalog.Ref]*Node
}

func (l *nodes) add(on catalog.Ref, reason string, text bool) *Node {
	n := l.at[on]
	if n == nil {
		if l.at == nil {
			l.at = map[catalog.Ref]*Node{}
		}
		n = &Node{On: on, Text: true}
		l.at[on], l.list = n, append(l.list, n)
	}
	n.Text = n.Text && text
	if !slices.Contains(n.Reasons, reason) {
		n.Reasons = append(n.Reasons, reason)
	}
	return n
}

// up lists what stands on a thing. changed says that the thing itself is changed:
// further up, only what comes down reaches on.
func (f *follower) up(thing catalog.Ref, changed bool, seen map[catalog.Ref]bool) []*Node {
	var out nodes
	for _, u := range f.users[thing.Object()] {
		ref := u.ref()
		if !concerns(u.need, thing) || ref == thing || ref.Object() == thing { // its own parts go with it
			continue
		}
		n := out.add(ref, reason(u, thing), u.need.Text)
		if changed {
			n.Fate = worse(n.Fate, f.fate(u, thing))
		}
	}
	tidy(out.list)
	for _, n := range out.list {
		if n.Elsewhere = seen[n.On]; !n.Elsewhere {
			seen[n.On] = true
		}
	}
	for _, n := range out.list {
		if !n.Elsewhere {
			n.Nodes = f.up(n.On, n.Fate == Breaks || n.Fate == PutBack, seen)
		}
	}
	return out.list
}

// tidy orders the nodes. A need of a table beside one of its columns says nothing
// more.
func tidy(list []*Node) {
	for _, n := range list {
		if len(n.Reasons) > 1 {
			n.Reasons = slices.DeleteFunc(n.Reasons, func(r string) bool { return r == "reads it" })
		}
	}
	slices.SortFunc(list, func(a, b *Node) int { return compareRefs(a.On, b.On) })
}

func compareRefs(a, b catalog.Ref) int {
	switch {
	case a.Less(b):
		return -1
	case b.Less(a):
		return 1
	}
	return 0
}

var fates = []Fate{Stays, Follows, Rewrites, Fails, PutBack, Breaks}

func worse(a, b Fate) Fate {
	if slices.Index(fates, b) > slices.Index(fates, a) {
		return b
	}
	return a
}

// fate is what becomes of a user when what it needs is changed.
func (f *follower) fate(u use, thing catalog.Ref) Fate {
	switch {
	case f.change == Rename && u.need.Text:
		return Rewrites
	case f.change == Rename:
		return Follows
	case u.need.Text && f.change == Drop:
		return Fails
	case u.need.Text:
		return Stays
	case f.change == Drop:
		return Breaks
	}
	effect := order.Effect{On: u.need.On, Aspect: u.need.Aspect}
	if !thing.IsPart() { // it is made anew
		effect.Aspect, effect.Gone = catalog.AspectName, true
	}
	if f.w.Survives(u.owner, u.part, u.need, effect) {
		return Stays
	}
	return PutBack
}

// down lists what a thing stands on.
func (f *follower) down(thing catalog.Ref, seen map[catalog.Ref]bool) []*Node {
	o := f.c.Find(thing)
	if o == nil {
		return nil
	}
	var uses []use
	if part := f.c.Resolve(thing); thing.IsPart() && part != nil {
		for _, n := range part.Needs {
			uses = append(uses, use{o, part, n})
		}
	} else {
		for _, n := range o.Needs {
			uses = append(uses, use{o, nil, n})
		}
		for _, p := range o.Parts {
			for _, n := range p.Needs {
				uses = append(uses, use{o, p, n})
			}
		}
	}
	var out nodes
	for _, u := range uses {
		on := u.need.On.Object()
		if on == thing.Object() && !thing.IsPart() || f.c.Find(on) == nil || on == thing || on.Kind == catalog.Schema && len(seen) > 1 && seen[on] {
			continue // where a thing is is said once
		}
		u.need.Text = u.need.Text && u.need.Aspect != catalog.AspectIndex
		r := reason(u, on)
		if u.part != nil && !thing.IsPart() {
			r = strings.TrimPrefix(u.part.Title(), u.part.Kind.Title()+" ") + " " + r
			r = u.part.Kind.Title() + " " + r
		}
		out.add(on, r, u.need.Text)
	}
	tidy(out.list)
	for _, n := range out.list {
		if n.Elsewhere = seen[n.On]; !n.Elsewhere {
			seen[n.On] = true
			n.Nodes = f.down(n.On, seen)
		}
	}
	return out.list
}

// reason says how one thing uses another.
func reason(u use, thing catalog.Ref) string {
	what := "it"
	if u.need.On.IsPart() && !thing.IsPart() {
		what = u.need.On.PartKind.Title() + " " + u.need.On.Part
	}
	kind := u.owner.Kind
	if u.part != nil {
		kind = u.part.Kind
	}
	on := u.need.On.Kind
	if u.need.On.IsPart() {
		on = u.need.On.PartKind
	}
	switch {
	case kind == catalog.ForeignKey && u.need.Aspect == catalog.AspectIndex && u.need.On.IsPart():
		return "relies on " + what
	case kind == catalog.ForeignKey && u.owner.Ref() != u.need.On.Object():
		return "refers to " + what
	case on == catalog.Schema:
		return "is in " + what
	case on == catalog.Routine:
		return "calls " + what
	case u.need.Text:
		return "names " + what + " in its text"
	case strings.HasSuffix(string(on), "type"), on == catalog.Enum, on == "domain", on == "composite", on == "range":
		return "is made with " + what
	case on == catalog.Sequence:
		return "takes its numbers from " + what
	case u.need.Aspect == catalog.AspectBody:
		return "computes with " + what
	case kind == catalog.Index, kind == catalog.PrimaryKey, kind == catalog.Unique:
		return "is over " + what
	case kind == catalog.Trigger, kind == "policy", kind == "rule":
		return "works on " + what
	}
	return "reads " + what
}

// Count counts the things of a tree by fate.
func Count(nodes []*Node) map[Fate]int {
	out := map[Fate]int{}
	for _, n := range nodes {
		if !n.Elsewhere {
			out[n.Fate]++
		}
		for f, k := range Count(n.Nodes) {
			out[f] += k
		}
	}
	return out
}
