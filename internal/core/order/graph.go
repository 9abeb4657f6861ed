package order

import (
	"container/heap"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
)

// graph holds which action waits for which. Building it is the one place
// where needs, removals, effects and names become order.
type graph struct {
	actions []*Action
	after   []map[int]edge // after[i][j]: i waits for j
	// release are the waits for a thing that is changed in place so that it
	// lets go of what it needed.
	release []release
	kinds   *catalog.Kinds
}

// strength is how firmly one action waits for another.
type strength int8

const (
	byOldText strength = iota // a text that the engine does not track still has a name that goes
	byText                    // a name was read in a text the engine does not track
	byName                    // a name had better be free first
	firm
)

// edge says how firmly one action waits for another, and why.
type edge struct {
	strength
	why reason
	on  catalog.Ref // what it is about, or else
	of  Name
}

type reason int8

const (
	needsIt   reason = iota // it needs what the other makes
	stillUsed               // the other lets go of what it removes or changes
	goesLater               // it removes what the other uses
	takesName               // the other frees the name that it takes
	follows                 // it is the other's sequel
)

// between is the reason in words.
func (e edge) between(waits, on *Action) string {
	switch e.why {
	case stillUsed:
		return fmt.Sprintf("%q waits until %q lets go of %s", waits.Title, on.Title, e.on)
	case goesLater:
		return fmt.Sprintf("%q waits until %q has used %s", waits.Title, on.Title, e.on)
	case takesName:
		return fmt.Sprintf("%q waits until %q frees the name %s", waits.Title, on.Title, e.of.Name)
	case follows:
		return fmt.Sprintf("%q comes right behind %q", waits.Title, on.Title)
	}
	return fmt.Sprintf("%q needs %s from %q", waits.Title, e.on, on.Title)
}

type release struct {
	waits, on int
	thing     catalog.Ref
}

// ledger says, for every thing and name, which actions deal with it.
type ledger struct {
	index         map[*Action]int
	makes         map[catalog.Ref][]int
	reaches       map[catalog.Ref][]int // actions on parts that reach who uses the object
	removes       map[catalog.Ref][]int
	takes         map[Name][]int
	facts         map[catalog.Ref][]catalog.Ref // the facts of a thing that are made by themselves
	partsRemoved  map[catalog.Ref][]int         // by the object they are parts of
	usersOfTarget map[catalog.Ref][]user
}

func newLedger(actions []*Action, users map[catalog.Ref][]user) *ledger {
	l := &ledger{index: make(map[*Action]int, len(actions)), makes: map[catalog.Ref][]int{}, reaches: map[catalog.Ref][]int{}, removes: map[catalog.Ref][]int{}, takes: map[Name][]int{},
		facts: map[catalog.Ref][]catalog.Ref{}, partsRemoved: map[catalog.Ref][]int{}, usersOfTarget: users}
	for i, a := range actions {
		l.index[a] = i
		for _, r := range a.Makes {
			if r.Fact != "" && len(l.makes[r]) == 0 {
				l.facts[r.Thing()] = append(l.facts[r.Thing()], r)
			}
			l.makes[r] = append(l.makes[r], i)
		}
		for _, e := range a.Effects {
			if a.About.IsPart() && a.About.Object() == e.On { // a part's change reaches the users of its object, not the other parts
				l.reaches[e.On] = append(l.reaches[e.On], i)
			} else if !contains(l.makes[e.On], i) {
				l.makes[e.On] = append(l.makes[e.On], i)
			}
		}
		for _, r := range a.Removes {
			l.removes[r] = append(l.removes[r], i)
			if r.IsPart() {
				l.partsRemoved[r.Object()] = append(l.partsRemoved[r.Object()], i)
			}
		}
		for _, n := range a.Takes {
			l.takes[n] = append(l.takes[n], i)
		}
	}
	return l
}

// makers are the actions that bring a thing into its desired state: its own,
// else those of the object it belongs to.
func (l *ledger) makers(r catalog.Ref) []int {
	m := l.makes[r]
	if !r.IsPart() {
		return append(m[:len(m):len(m)], l.reaches[r]...)
	}
	if len(m) > 0 {
		return m
	}
	return l.makes[r.Object()]
}

// removers are the actions after which a thing is gone.
func (l *ledger) removers(r catalog.Ref) []int {
	if m := l.removes[r]; len(m) > 0 || !r.IsPart() {
		return m
	}
	if m := l.removes[r.Thing()]; len(m) > 0 {
		return m
	}
	return l.removes[r.Object()]
}

func newGraph(actions []*Action, desired, actual *catalog.Catalog, users map[catalog.Ref][]user) *graph {
	g := &graph{actions: actions, kinds: actual.Kinds, after: make([]map[int]edge, len(actions))}
	for i := range actions {
		g.after[i] = map[int]edge{}
	}
	l := newLedger(actions, users)
	for i, a := range actions {
		if j, ok := l.index[a.Sequel]; ok && a.Sequel != nil {
			g.wait(i, j, edge{strength: firm, why: follows})
		}
		for _, r := range a.After {
			g.waitAll(i, l.makers(r), edge{strength: firm, on: r})
		}
		for _, r := range a.Uses {
			for _, j := range l.removers(r) {
				g.wait(j, i, edge{strength: firm, why: goesLater, on: r})
			}
		}
		for _, r := range a.Makes {
			g.makesAfter(i, r, desired, l)
		}
		for _, r := range a.Removes {
			g.clearFirst(i, r, true, l)
			if !r.IsPart() { // parts that come down by themselves go first
				g.waitAll(i, l.partsRemoved[r], edge{strength: firm, why: stillUsed, on: r})
			}
		}
		for _, e := range a.Effects {
			g.clearFirst(i, e.On, false, l)
		}
		for _, n := range a.Frees {
			for _, j := range l.takes[n] {
				g.wait(j, i, edge{strength: nameStrength(n), why: takesName, of: n})
			}
		}
	}
	return g
}

// makesAfter makes action i, which makes the thing, wait for what the thing
// needs, for what it is a part or fact of, and for the old one to be gone.
func (g *graph) makesAfter(i int, r catalog.Ref, desired *catalog.Catalog, l *ledger) {
	o := desired.Resolve(r)
	if o == nil {
		return
	}
	for _, n := range o.Needs {
		if r.Fact == "" || n.Fact == r.Fact {
			g.waitAll(i, l.makers(n.On), edge{strength: need(n), on: n.On})
		}
	}
	if r.Fact != "" {
		g.waitAll(i, l.makes[r.Thing()], edge{strength: firm, on: r.Thing()})
	}
	if r.IsPart() {
		g.waitAll(i, l.makes[r.Object()], edge{strength: firm, on: r.Object()})
	}
	g.waitAll(i, l.removes[r], edge{strength: firm, why: stillUsed, on: r})
}

// clearFirst makes action i wait until those are gone, or changed, that need
// the thing it removes or changes.
func (g *graph) clearFirst(i int, r catalog.Ref, gone bool, l *ledger) {
	if r.Fact != "" {
		return // nothing needs a fact
	}
	for _, u := range l.usersOfTarget[r.Object()] {
		if u.need.On != r && !(gone && !r.IsPart()) {
			continue
		}
		z := u.ref()
		rs := l.removers(z)
		g.waitAll(i, rs, edge{strength: oldNeed(u.need), why: stillUsed, on: r})
		if !gone || len(rs) > 0 {
			continue
		}
		// Changed in place: it lets go first.
		letGo := l.makes[z]
		if z.Fact == "" {
			for _, f := range l.facts[z] {
				letGo = append(letGo[:len(letGo):len(letGo)], l.makes[f]...)
			}
		}
		for _, j := range letGo {
			g.wait(i, j, edge{strength: oldNeed(u.need), why: stillUsed, on: r})
			g.release = append(g.release, release{i, j, z})
		}
	}
}

func (g *graph) waitAll(i int, js []int, e edge) {
	for _, j := range js {
		g.wait(i, j, e)
	}
}

func contains(l []int, x int) bool {
	for _, v := range l {
		if v == x {
			return true
		}
	}
	return false
}

func need(n catalog.Need) strength {
	if n.Text {
		return byText
	}
	return firm
}

// oldNeed is how firmly what goes waits for what needs it to be gone or changed.
func oldNeed(n catalog.Need) strength {
	if n.Text {
		return byOldText
	}
	return firm
}

func nameStrength(n Name) strength {
	if n.Soft {
		return byName
	}
	return firm
}

func (g *graph) wait(i, j int, e edge) {
	if i == j {
		return
	}
	if old, ok := g.after[i][j]; !ok || old.strength < e.strength {
		g.after[i][j] = e
	}
}

// sort is a topological sort that always takes the smallest action that is
// ready. Where there is a circle it answers the actions in it.
func (g *graph) sort() (ordered, cycle []*Action) {
	waits := make([]int, len(g.actions))
	before := make([][]int, len(g.actions))
	for i, m := range g.after {
		waits[i] = len(m)
		for j := range m {
			before[j] = append(before[j], i)
		}
	}
	h := &ready{g: g}
	for i, n := range waits {
		if n == 0 {
			h.items = append(h.items, i)
		}
	}
	heap.Init(h)
	for h.Len() > 0 {
		i := heap.Pop(h).(int)
		ordered = append(ordered, g.actions[i])
		waits[i] = -1
		for _, j := range before[i] {
			if waits[j]--; waits[j] == 0 {
				heap.Push(h, j)
			}
		}
	}
	if len(ordered) == len(g.actions) {
		return ordered, nil
	}
	return nil, g.circle(waits, before)
}

// behind lets what waits for a step that leads behind the transaction follow it there.
func (g *graph) behind(ordered []*Action) []*Action {
	if !slices.ContainsFunc(ordered, func(a *Action) bool { return a.Leads }) {
		return ordered
	}
	index := make(map[*Action]int, len(g.actions))
	for i, a := range g.actions {
		index[a] = i
	}
	for _, a := range ordered {
		if a.Leads {
			continue
		}
		for j := range g.after[index[a]] {
			if g.actions[j].Leads {
				a.Leads, a.Later, a.Alone = true, true, false
				a.Note = strings.TrimSpace(a.Note + " It follows what it waits for behind the transaction.")
				break
			}
		}
	}
	return ordered
}

// circle narrows what is left down to the actions that really wait for each
// other: those from which nothing outside the rest depends are taken away.
func (g *graph) circle(waits []int, before [][]int) []*Action {
	left := map[int]bool{}
	for i, n := range waits {
		if n > 0 {
			left[i] = true
		}
	}
	for again := true; again; {
		again = false
		for i := range left {
			needed := false
			for _, j := range before[i] {
				needed = needed || left[j]
			}
			if !needed {
				delete(left, i)
				again = true
			}
		}
	}
	var out []*Action
	for i := range g.actions {
		if left[i] {
			out = append(out, g.actions[i])
		}
	}
	return out
}

// drop forgets the waits of one strength within a circle.
func (g *graph) drop(s strength, cycle []*Action) bool {
	in := members(cycle)
	any := false
	for i, m := range g.after {
		for j, have := range m {
			if have.strength == s && in[g.actions[i]] && in[g.actions[j]] {
				delete(m, j)
				any = true
			}
		}
	}
	return any
}

// released are the things that change in place within a circle.
func (g *graph) released(cycle []*Action) []catalog.Ref {
	in := members(cycle)
	var out []catalog.Ref
	for _, r := range g.release {
		if in[g.actions[r.waits]] && in[g.actions[r.on]] {
			out = append(out, r.thing)
		}
	}
	return out
}

// path is one circle among actions that wait for each other, told step by step
// (go/types reports an initialization cycle so).
func (g *graph) path(cycle []*Action) string {
	in := members(cycle)
	start := slices.IndexFunc(g.actions, func(a *Action) bool { return in[a] })
	at, seen := start, map[int]int{} // when a step was come by
	var steps []int
	for {
		if first, again := seen[at]; again {
			steps = steps[first:]
			break
		}
		seen[at] = len(steps)
		steps = append(steps, at)
		next := -1
		for j := range g.after[at] {
			if in[g.actions[j]] && (next < 0 || j < next) {
				next = j
			}
		}
		if next < 0 { // not a circle after all
			break
		}
		at = next
	}
	var said []string
	for n, i := range steps {
		j := steps[(n+1)%len(steps)]
		said = append(said, g.after[i][j].between(g.actions[i], g.actions[j]))
		if len(said) == 6 && len(steps) > 7 {
			said = append(said, fmt.Sprintf("and so on through %d more", len(steps)-6))
			break
		}
	}
	return strings.Join(said, "; ")
}

func members(cycle []*Action) map[*Action]bool {
	in := make(map[*Action]bool, len(cycle))
	for _, a := range cycle {
		in[a] = true
	}
	return in
}

// ready is the heap of actions that wait for nothing.
type ready struct {
	g     *graph
	items []int
}

func (h *ready) Len() int      { return len(h.items) }
func (h *ready) Swap(i, j int) { h.items[i], h.items[j] = h.items[j], h.items[i] }
func (h *ready) Push(x any)    { h.items = append(h.items, x.(int)) }
func (h *ready) Pop() any {
	x := h.items[len(h.items)-1]
	h.items = h.items[:len(h.items)-1]
	return x
}

func (h *ready) Less(i, j int) bool {
	a, b := h.items[i], h.items[j]
	x, y := h.g.actions[a], h.g.actions[b]
	if p, q := phase(x), phase(y); p != q {
		return p < q
	}
	if p, q := h.g.kinds.Rank(x.About.Object().Kind), h.g.kinds.Rank(y.About.Object().Kind); p != q {
		return p < q
	}
	if x.About.Object() != y.About.Object() {
		return x.About.Object().Less(y.About.Object())
	}
	return a < b // as the writer named them: columns in the source's order
}

// phase puts what comes down before what goes up, and the last goodbyes last.
func phase(a *Action) int {
	switch {
	case a.Late:
		return 2
	case len(a.Removes) > 0 && len(a.Makes) == 0:
		return 0
	}
	return 1
}
