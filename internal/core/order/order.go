// Package order turns a comparison into ordered steps. What a step is, and
// which SQL it takes, an engine's Writer says; in which order steps can run,
// what must come down for a while and what is held back, is decided here.
package order

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/words"
)

// RiskKind is what can go wrong with a step.
type RiskKind string

// The risks.
const (
	Loss          RiskKind = "loss"           // rows or values are destroyed
	WillFail      RiskKind = "will-fail"      // fails on the rows that are there
	MayFail       RiskKind = "may-fail"       // fails on some rows
	Rewrite       RiskKind = "rewrite"        // the table is copied
	Lock          RiskKind = "lock"           // others wait
	BreaksCallers RiskKind = "breaks-callers" // who calls it by this name or shape fails
)

// Risk is one risk of a step.
type Risk struct {
	Kind RiskKind    `json:"kind"`
	On   catalog.Ref `json:"on"`
	Text string      `json:"text"`
	// Before is what the thing is called before the steps, where some rename.
	Before catalog.Ref `json:"-"`
	// Perhaps is the option that makes a rename of it, where what goes looks like
	// half of one.
	Perhaps string `json:"perhaps,omitempty"`
	// Ask is what the rows can say about it, nil where they cannot.
	Ask *Question `json:"-"`
	// Rows is what they said, nil where they were not asked.
	Rows *Answer `json:"row_check,omitempty"`
	// First are statements that carry the loss out by itself: they stand before
	// those of the step where the loss is permitted and the rows do not say that
	// there is none. The step's own would refuse.
	First []string `json:"-"`
	// Save is how the rows can be saved before they are lost; nil where they
	// cannot, or where nothing is lost.
	Save *Save `json:"save,omitempty"`
}

// Because is the risk as the reason why something is held back.
func (r Risk) Because() string {
	if r.Kind == WillFail {
		return r.On.String() + " " + r.Sentence()
	}
	return r.Sentence()
}

// Save is how rows are written down: each row of the query is a statement
// that brings something back. Lock keeps others from changing it meanwhile,
// Release gives the lock back where the end of the transaction does not.
type Save struct {
	Lock    string `json:"lock,omitempty"`
	Query   string `json:"query"`
	First   string `json:"first,omitempty"` // a statement that what was saved wants before it
	Release string `json:"release,omitempty"`
}

// Sentence is the risk in words, with what the rows say.
func (r Risk) Sentence() string {
	if r.Rows == nil {
		return r.Text
	}
	return r.Text + ": " + r.Rows.Text
}

// Name is a name in a namespace, as names are freed and taken by steps.
type Name struct {
	Space, Schema, Name string
	// Soft names had better be free, but need not.
	Soft bool
}

// Effect is a change of a thing that stays, as far as it reaches others.
type Effect struct {
	On       catalog.Ref
	Aspect   catalog.Aspect
	Gone     bool // it is removed
	Replaced bool // the step that removes it makes it anew and mends its users
}

// Action is one thing a script does: a step before it has a number.
type Action struct {
	About   catalog.Ref // the object or part it is about
	Title   string      // what it does, in words, names unquoted
	SQL     []string    // statements, each with its terminator
	Risks   []Risk
	Makes   []catalog.Ref // things that are as desired from here on
	Removes []catalog.Ref // things of the target that are gone from here on
	// Creates says that it makes the object it is about, which is not there.
	Creates bool
	Effects []Effect // changes in place that reach what needs the thing
	Frees   []Name
	Takes   []Name
	// Alone says that the step cannot run inside a transaction.
	Alone bool
	// Later says that it runs behind the transaction, on its own.
	Later bool
	// Leads says of a step behind the transaction that it runs once, and that what waits for
	// it comes behind the transaction as well.
	Leads bool
	// Note is said in the script where the step needs a word more.
	Note string
	// Late asks for a place as late as the order allows (drops of what only
	// the target has).
	Late bool
	// After lists things that must be as desired before the action runs,
	// besides what the things it makes need.
	After []catalog.Ref
	// Uses lists things of the target that must still be there when it runs.
	Uses []catalog.Ref
	// Fills are the values that rows get where they hold NULL.
	Fills []Fill
	// Prefix and Clauses stand for one statement, "PREFIX CLAUSE, CLAUSE;".
	// Neighbours with one Prefix become one statement, so that a table is
	// rewritten once.
	Prefix  string
	Clauses []string
	// Split, where not nil, breaks the action into several that together do
	// the same; it is called to break a circle.
	Split func() []*Action
	// Sequel keeps an action right behind another one of the same Writer
	// call: it runs after it.
	Sequel *Action

	// Guards stand before the statements and Release behind them: they stop
	// the script where the rows are no longer as they were (see Question).
	Guards, Release []string

	// Locks are what it takes; on what is not there before it they count for
	// nothing.
	Locks []TableLock

	titles  []string // of what was joined
	renames bool     // it gives another name, and does nothing else
	// Cleared are risks that are none, as the rows say.
	Cleared []Risk
}

// Fill is a value for the rows that hold NULL in a column that may not any
// more.
type Fill struct {
	On    catalog.Ref `json:"on"`
	Value string      `json:"value"` // SQL
	New   bool        `json:"new_column,omitempty"`
	// Ask is how many rows that are, nil where they cannot be asked. Its probe
	// tries the value on them.
	Ask  *Question `json:"-"`
	Rows *Answer   `json:"row_check,omitempty"`
}

// Sentence is the fill in words, with what the rows say.
func (f Fill) Sentence() string {
	text := fmt.Sprintf("where column %s holds NULL it gets %s", f.On.Part, f.Value)
	if f.New {
		text = fmt.Sprintf("the new column %s gets %s", f.On.Part, f.Value)
	}
	if f.Rows != nil {
		text += ": " + f.Rows.Text
	}
	return text
}

// NewFill is the value for the rows of a column that is new; it is tried on the
// rows of the target's table. from is how the engine's SQL names that.
func NewFill(on catalog.Ref, from, value string) Fill {
	return Fill{On: on, Value: value, New: true, Ask: &Question{Count: fmt.Sprintf("SELECT count((%s)) FROM %s", value, from), Total: "SELECT count(*) FROM " + from,
		What: "get a value by it", None: "there are no rows", Tries: fmt.Sprintf("--fill %s.%s=%s", on.Name, on.Part, value)}}
}

// Change is a difference a Writer is to carry out.
type Change struct {
	*compare.Item // Source is the desired thing, Target the one that is there
	// Rebuild lists the parts that must come down and go up again though
	// they do not differ, because of what they stand on.
	Rebuild map[catalog.Ref]bool
	// Desired and Actual are the whole catalogs, for what a writer must know
	// about other objects.
	Desired, Actual *catalog.Catalog
	// Groups are the groups of facts that were asked for.
	Groups map[string]bool
	// Memory keeps what a writer works out once for all changes of a plan; nil
	// where there is no plan.
	Memory map[any]any
}

// Remember is what f answers, worked out once for all changes of a plan.
func Remember[T any](c *Change, key any, f func() T) T {
	if v, ok := c.Memory[key]; ok {
		return v.(T)
	}
	v := f()
	if c.Memory != nil {
		c.Memory[key] = v
	}
	return v
}

// Keeps tells whether a part of the target is in the desired structure with
// the same facts of the given names.
func (c *Change) Keeps(part catalog.Ref, facts ...string) bool {
	was, now := c.Actual.Resolve(part), c.Desired.Resolve(part)
	if was == nil || now == nil {
		return false
	}
	return !slices.ContainsFunc(facts, func(f string) bool { return was.Text(f) != now.Text(f) || was.Has(f) != now.Has(f) })
}

// Rebuilds tells whether a part must come down and go up again.
func (c *Change) Rebuilds(part *compare.Item) bool { return c.RebuildsFact(part, "") }

// RebuildsFact tells whether one fact of a part must.
func (c *Change) RebuildsFact(part *compare.Item, fact string) bool {
	return part.Target != nil && c.Rebuild[c.Target.PartRef(part.Target).Of(fact)]
}

// Writer is what an engine must be able to say.
type Writer interface {
	// Create makes an object with all its parts.
	Create(c *Change) []*Action
	// Drop removes an object with all its parts.
	Drop(c *Change) []*Action
	// Alter changes an object in place. It answers false when that cannot be
	// done: the object is then dropped and created.
	Alter(c *Change) ([]*Action, bool)
	// Survives tells whether a thing of the target that has this need can
	// stay as it is while the effect happens to what it needs.
	Survives(owner, part *catalog.Object, need catalog.Need, effect Effect) bool
}

// Saver is a Writer that knows how rows of the target can be written down, so
// that loading what was written gives the same values back.
type Saver interface {
	// Save is for the values of a column, or all rows of a table where that is
	// nil; nil where there are none of its own. lost are all columns of the table
	// that lose values: what is left of a row must tell it from others, so where
	// there is no key they may be saved together with the first of them.
	Save(table, column *catalog.Object, lost []*catalog.Object) *Save
}

// savings gives every loss the way to save what it destroys.
func savings(steps []*Step, actual *catalog.Catalog, w Writer) {
	s, ok := w.(Saver)
	if !ok {
		return
	}
	lost := map[*catalog.Object][]*catalog.Object{}
	column := func(r Risk) (o, col *catalog.Object) {
		if o = actual.Find(r.On); o != nil && r.On.PartKind == catalog.Column {
			col = o.Part(catalog.Column, r.On.Part)
		}
		return o, col
	}
	for _, r := range risks(steps, Loss) {
		if o, col := column(r); col != nil && !slices.Contains(lost[o], col) {
			lost[o] = append(lost[o], col)
		}
	}
	for _, step := range steps {
		for i := range step.Risks {
			r := &step.Risks[i]
			if o, col := column(*r); r.Kind == Loss && o != nil && (col != nil || r.On.PartKind != catalog.Column) {
				r.Save = s.Save(o, col, lost[o])
			}
		}
	}
}

// TableLock is a lock that a step takes on a table that is there, and who waits
// for it.
type TableLock struct {
	On    catalog.Ref `json:"on"`
	Mode  string      `json:"mode"`
	Waits string      `json:"waits"`
	Bytes int64       `json:"bytes,omitempty"` // how big the table is, where that is known
	// Children is how many partitions and child tables it is taken on as well.
	Children int `json:"children,omitempty"`
	// Rank orders the modes of an engine, the weakest first.
	Rank int `json:"-"`
}

// Words are the lock in words.
func (l TableLock) Words() string {
	size := ""
	if l.Bytes > 0 {
		size = ", " + words.Size(l.Bytes)
	}
	_, name, _ := strings.Cut(l.On.String(), ":")
	if l.Children > 0 {
		name += " and its " + words.Number(l.Children, "child", "children")
	}
	return fmt.Sprintf("%s on %s%s: %s", l.Mode, name, size, l.Waits)
}

// Step is an action in its place.
type Step struct {
	*Action
	Number int
}

// Statements are all statements of the step, in order.
func (s *Step) Statements() []string { return slices.Concat(s.Guards, s.SQL, s.Release) }

// Plan is what is to be done, in order.
type Plan struct {
	Steps []*Step
	// Held are the steps nobody allowed, in the order in which they would
	// follow, with what depends on them.
	Held []*Step
	// HeldBecause are the losses that nobody allowed, and what the rows forbid.
	HeldBecause []Risk
	// Gone is what only the target has and the steps remove.
	Gone []catalog.Ref
	// Guards are statements that stop the script before its first step.
	Guards []string
	// Chosen is what is done of the comparison, and why the rest is not.
	Chosen *choose.Chosen
	// Renamed is the target when its things have the names they shall have; the
	// same as Actual where none gets another.
	Renamed *catalog.Catalog
	// Actual is the target as it is, Desired after Steps, Full after Held as
	// well.
	Actual, Desired, Full *catalog.Catalog

	before oldNames
}

// Unread tells whether a step is about, or stands on, an object that was left
// unread: then the plan is not to be relied on.
func (p *Plan) Unread() bool {
	for _, s := range slices.Concat(p.Steps, p.Held) {
		refs := slices.Concat([]catalog.Ref{s.About}, s.Makes, s.Removes)
		for _, e := range s.Effects {
			refs = append(refs, e.On)
		}
		for _, r := range refs {
			for _, c := range []*catalog.Catalog{p.Actual, p.Desired} {
				o := c.Find(r)
				if o == nil {
					continue
				}
				if !o.Read() {
					return true
				}
				for _, n := range o.Needs {
					if on := c.Find(n.On); on != nil && !on.Read() {
						return true
					}
				}
			}
		}
	}
	return false
}

// Allowed tells whether nothing in the plan needs to be held back.
func (p *Plan) Allowed(allow func(Risk) bool) bool {
	return !slices.ContainsFunc(risks(p.Steps, Loss, MayFail), func(r Risk) bool { return !allow(r) })
}

// Hint says of what is held back where it looks like half of a rename.
func (p *Plan) Hint(likely []match.Likely) {
	option := map[catalog.Ref]string{}
	for _, l := range likely {
		option[l.Old] = l.Option()
	}
	for i := range p.HeldBecause {
		p.HeldBecause[i].Perhaps = option[p.Before(p.HeldBecause[i].On)]
	}
}

// Losses lists what the steps destroy, by permission.
func (p *Plan) Losses() []Risk { return risks(p.Steps, Loss) }

func risks(steps []*Step, kinds ...RiskKind) []Risk {
	var out []Risk
	for _, s := range steps {
		for _, r := range s.Risks {
			if slices.Contains(kinds, r.Kind) {
				out = append(out, r)
			}
		}
	}
	return out
}

// Build plans the way from the target of a comparison to what was chosen for
// it. allow tells which losses are permitted, or are none, and which steps the
// rows do not forbid. What is not allowed is held back, with what depends on it.
func Build(chosen *choose.Chosen, w Writer, allow func(Risk) bool) (*Plan, error) {
	actual, groups := chosen.Comparison.Target, chosen.Options.Groups
	full := chosen.Target()
	named := compare.Once(chosen.Comparison.Memo, "named", func() bool { return match.Aliased(chosen.Comparison.Source) || match.Aliased(actual) })
	steps, before, err := plan(full, actual, groups, w, chosen.Remake, named, chosen.Comparison.Memo)
	if err != nil {
		return nil, err
	}
	p := &Plan{Steps: steps, before: before, Actual: actual, Desired: full, Full: full, Chosen: chosen}
	for round := 0; ; round++ {
		tooLong := round > len(full.Objects)+len(actual.Objects)+100
		var held []Risk
		var stuck *Risk
		now := map[catalog.Ref]bool{} // held back in this round
		next := p.Chosen.Hold(func(e *choose.Editor) {
			for _, r := range risks(p.Steps, Loss, MayFail) {
				switch {
				case allow(r):
				case !tooLong && (now[r.On] || e.Hold(p.before.of(r.On), map[RiskKind]choose.Reason{Loss: choose.Destroys, MayFail: choose.Fails}[r.Kind])):
					now[r.On] = true
					held = append(held, r)
				case r.Kind == MayFail: // it stands in the script as what will fail, which then is not run
				case stuck == nil:
					stuck = &r
				}
			}
			if len(held) > 0 && stuck == nil {
				p.waiting(now, e)
				e.Dependents()
			}
		})
		if stuck != nil {
			return nil, fmt.Errorf("the step on %s would lose data and cannot be held back alone; leave it out with --except, or allow it with --may-lose", stuck.On)
		}
		if len(held) == 0 {
			break
		}
		p.HeldBecause = append(p.HeldBecause, held...)
		p.Chosen = next
		p.Desired = next.Target()
		if p.Steps, p.before, err = plan(p.Desired, actual, groups, w, chosen.Remake, named, chosen.Comparison.Memo); err != nil {
			return nil, err
		}
	}
	_, to, from, _ := renamed(p.Desired, actual, w, named)
	p.Gone = onlyInTarget(to, from, groups)
	defer func() {
		p.Desired, p.Full, p.Renamed = to, full, from
		if named {
			p.Full = match.Named(full, true)
		}
	}()
	if len(p.HeldBecause) > 0 {
		if p.Held, _, err = plan(full, p.Desired, groups, w, nil, named, nil); err != nil {
			return nil, err
		}
		for i, s := range p.Held {
			s.Number, s.Locks = len(p.Steps)+i+1, nil // which it takes is said when it is no longer held back
		}
	}
	return p, nil
}

// waiting holds back the steps that wait for what only a held one brings about,
// a place that becomes free, and those that wait for them.
func (p *Plan) waiting(held map[catalog.Ref]bool, e *choose.Editor) {
	for again := true; again; {
		again = false
		kept := map[catalog.Ref]bool{}
		for _, s := range p.Steps {
			if held[s.About] || held[s.About.Object()] {
				for _, r := range s.Makes {
					kept[r] = r.Object() != s.About.Object()
				}
			}
		}
		for _, s := range p.Steps {
			if slices.ContainsFunc(s.After, func(r catalog.Ref) bool { return kept[r] }) && !held[s.About] && e.Hold(p.before.of(s.About), choose.Unready) {
				held[s.About], again = true, true
			}
		}
	}
}

// Losses lists what carrying out the choices would destroy, by the objects that
// differ; without what must only step aside for it.
func Losses(chosen *choose.Chosen, w Writer) map[*compare.Item][]Risk {
	out, cmp := map[*compare.Item][]Risk{}, chosen.Comparison
	desired := chosen.Target()
	b := &builder{w: w, desired: desired, actual: cmp.Target, groups: cmp.Options.Groups, rebuildObject: map[catalog.Ref]bool{}, rebuildPart: map[catalog.Ref]bool{}, memory: map[any]any{}}
	for _, it := range chosen.Open() {
		way := it
		if it.Partial || chosen.Picked() {
			if way = chosen.Way(it); way == nil {
				continue
			}
		}
		for _, a := range b.write(way) {
			for _, r := range a.Risks {
				if r.Kind == Loss {
					out[it] = append(out[it], r)
				}
			}
		}
	}
	return out
}

// onlyInTarget lists the objects, and the parts of those that stay, that are in the
// target and shall not be.
func onlyInTarget(desired, actual *catalog.Catalog, groups map[string]bool) []catalog.Ref {
	var out []catalog.Ref
	for _, it := range compare.Compare(desired, actual, compare.Options{Groups: groups}).Items {
		switch it.Status {
		case compare.TargetOnly:
			out = append(out, it.Target.Ref())
		case compare.Differs:
			for _, p := range it.Parts {
				if p.Status == compare.TargetOnly {
					out = append(out, it.Target.PartRef(p.Target))
				}
			}
		}
	}
	return out
}

// plan orders the steps from one catalog to another.
func plan(desired, actual *catalog.Catalog, groups map[string]bool, w Writer, remake []catalog.Ref, named bool, memo *compare.Memo) ([]*Step, oldNames, error) {
	before := actual
	first, desired, actual, old := renamed(desired, actual, w, named)
	if actual != before {
		memo = nil // what is named otherwise is not met again
	}
	ordered, err := arranged(desired, actual, groups, w, remake, memo)
	if err != nil {
		return nil, nil, err
	}
	ordered = firstThings(append(first, join(lastThings(ordered))...))
	steps := make([]*Step, len(ordered))
	for i, a := range ordered {
		a.Locks = strongest(a.Locks, before)
		steps[i] = &Step{Action: a, Number: i + 1}
	}
	savings(steps, actual, w)
	if len(old) > 0 {
		old.ask(steps, actual, w.(Renamer).Dialect())
	}
	return steps, old, nil
}

// arranged are the actions from one catalog to another in the order in which
// they can run.
func arranged(desired, actual *catalog.Catalog, groups map[string]bool, w Writer, remake []catalog.Ref, memo *compare.Memo) ([]*Action, error) {
	// Everything counts here: what is put back must come back whole.
	cmp := compare.Compare(desired, actual, compare.Options{Groups: groups, Deep: true, Memo: memo})
	b := &builder{w: w, desired: desired, actual: actual, groups: groups, users: compare.Once(memo, actual, func() map[catalog.Ref][]user { return users(actual) }), rebuildObject: map[catalog.Ref]bool{}, rebuildPart: map[catalog.Ref]bool{}, memory: map[any]any{}}
	b.takeDown(slices.DeleteFunc(slices.Clone(remake), func(r catalog.Ref) bool { return actual.Resolve(r) == nil || desired.Resolve(r) == nil }))
	for {
		actions := b.actions(cmp)
		ordered, stuck, err := arrange(actions, desired, actual, b.users)
		if err == nil {
			return ordered, nil
		}
		// What changes in place within a circle comes down first instead.
		if !b.takeDown(stuck) {
			return nil, err
		}
	}
}

// strongest leaves one lock for each thing that is there.
func strongest(locks []TableLock, actual *catalog.Catalog) []TableLock {
	var out []TableLock
	for _, l := range locks {
		if at := slices.IndexFunc(out, func(x TableLock) bool { return x.On == l.On }); at >= 0 {
			children := max(out[at].Children, l.Children)
			if out[at].Rank < l.Rank {
				out[at] = l
			}
			out[at].Children = children
		} else if actual.Find(l.On) != nil {
			out = append(out, l)
		}
	}
	return out
}

// firstThings puts what comes before the transaction first; it waits for nothing within it.
func firstThings(actions []*Action) []*Action {
	before := func(a *Action) bool { return a.Alone && !a.Later }
	slices.SortStableFunc(actions, func(a, b *Action) int {
		switch {
		case before(a) == before(b):
			return 0
		case before(a):
			return -1
		}
		return 1
	})
	return actions
}

// lastThings puts what comes behind the transaction last; nothing within it needs it.
func lastThings(actions []*Action) []*Action {
	var within, behind []*Action
	for _, a := range actions {
		if a.Later {
			behind = append(behind, a)
		} else {
			within = append(within, a)
		}
	}
	return append(within, behind...)
}

// join makes one step of neighbours that alter the same thing, and writes
// their SQL.
func join(actions []*Action) []*Action {
	var out []*Action
	for _, a := range actions {
		if n := len(out); n > 0 && joins(out[n-1], a) {
			m := out[n-1]
			m.Clauses = append(m.Clauses[:len(m.Clauses):len(m.Clauses)], a.Clauses...)
			m.Risks = append(m.Risks, a.Risks...)
			m.Makes = append(m.Makes, a.Makes...)
			m.Removes = append(m.Removes, a.Removes...)
			m.Fills = append(m.Fills, a.Fills...)
			m.Uses = append(m.Uses[:len(m.Uses):len(m.Uses)], a.Uses...)
			m.Effects = append(m.Effects[:len(m.Effects):len(m.Effects)], a.Effects...)
			m.SQL = append(m.SQL, a.SQL...)
			m.Locks = append(m.Locks[:len(m.Locks):len(m.Locks)], a.Locks...)
			m.titles = append(m.titles, a.Title)
			continue
		}
		c := *a
		c.titles = []string{a.Title}
		out = append(out, &c)
	}
	for _, a := range out {
		a.SQL = a.written()
		a.Title = joinTitles(a.titles)
	}
	return out
}

// written are the statements of an action, that of its clauses first.
func (a *Action) written() []string {
	if a.Prefix == "" {
		return a.SQL
	}
	sep := " "
	if len(a.Clauses) > 1 {
		sep = "\n  "
	}
	return append([]string{a.Prefix + sep + strings.Join(a.Clauses, ",\n  ") + ";"}, a.SQL...)
}

// Anew are the actions that make a structure where there is another one, in
// order, each with statements of its own: for who wants to see them one by one.
func Anew(structure, on *catalog.Catalog, groups map[string]bool, w Writer) ([]*Action, error) {
	ordered, err := arranged(structure, on, groups, w, nil, nil)
	if err != nil {
		return nil, err
	}
	for i, a := range ordered {
		c := *a
		c.SQL = c.written()
		ordered[i] = &c
	}
	return ordered, nil
}

// joins tells whether an action's clauses can stand in the statement of the one
// before it. That one's other statements run behind them then, so nothing they
// use may go or change with these clauses.
func joins(before, a *Action) bool {
	if a.Prefix == "" || before.Prefix != a.Prefix || before.Alone != a.Alone || before.Later != a.Later {
		return false
	}
	if len(before.SQL) == 0 {
		return true
	}
	uses := func(r catalog.Ref) bool { return slices.Contains(before.Uses, r.Thing()) }
	return !slices.ContainsFunc(a.Removes, uses) && !slices.ContainsFunc(a.Makes, uses) && !slices.ContainsFunc(a.Effects, func(e Effect) bool { return uses(e.On) })
}

func joinTitles(titles []string) string {
	switch {
	case len(titles) == 1:
		return titles[0]
	case len(titles) > 3:
		return fmt.Sprintf("%s; %s; and %d more", titles[0], titles[1], len(titles)-2)
	}
	return strings.Join(titles, "; ")
}

// user is one thing that needs another.
type user struct {
	owner, part *catalog.Object // part is nil where the object itself needs it
	need        catalog.Need
}

func (u user) ref() catalog.Ref {
	r := u.owner.Ref()
	if u.part != nil {
		r = u.owner.PartRef(u.part)
	}
	return r.Of(u.need.Fact)
}

// users indexes who needs a thing, by the thing's object.
func users(c *catalog.Catalog) map[catalog.Ref][]user {
	m := map[catalog.Ref][]user{}
	for _, o := range c.Objects {
		for _, n := range o.Needs {
			m[n.On.Object()] = append(m[n.On.Object()], user{o, nil, n})
		}
		for _, p := range o.Parts {
			for _, n := range p.Needs {
				m[n.On.Object()] = append(m[n.On.Object()], user{o, p, n})
			}
		}
	}
	return m
}

type builder struct {
	w                          Writer
	desired, actual            *catalog.Catalog
	users                      map[catalog.Ref][]user
	groups                     map[string]bool
	rebuildObject, rebuildPart map[catalog.Ref]bool
	memory                     map[any]any
}

// actions asks the writer for every difference, then takes down whatever
// cannot stay meanwhile, until nothing more must come down.
func (b *builder) actions(cmp *compare.Comparison) []*Action {
	made := make([][]*Action, len(cmp.Items))
	dirty := make([]bool, len(cmp.Items))
	at := map[catalog.Ref]int{} // by the target's reference
	for i, it := range cmp.Items {
		if it.Target != nil {
			at[it.Target.Ref()] = i
		}
		dirty[i] = it.Status != compare.Same
	}
	// What an earlier round marked comes down this time as well.
	for _, marked := range []map[catalog.Ref]bool{b.rebuildObject, b.rebuildPart} {
		for r := range marked {
			dirty[at[r.Object()]] = true
		}
	}
	removed := map[catalog.Ref]bool{} // of the target, objects and parts
	for {
		var fresh []*Action
		for i, it := range cmp.Items {
			if dirty[i] {
				made[i] = b.write(it)
				fresh = append(fresh, made[i]...)
				dirty[i] = false
			}
		}
		if len(fresh) == 0 {
			break
		}
		for _, a := range fresh {
			for _, r := range a.Removes {
				removed[r] = true
			}
		}
		mark := func(r catalog.Ref) { dirty[at[r.Object()]] = true }
		for _, a := range fresh {
			for _, r := range a.Removes {
				if i, ok := at[r]; ok && a.About.Object() != r && cmp.Items[i].Source != nil && !b.rebuildObject[r] && !slices.Contains(a.Makes, r) {
					b.rebuildObject[r] = true // it is taken along, though it shall stay
					mark(r)
				}
				e := Effect{On: r, Aspect: catalog.AspectName, Gone: true, Replaced: slices.Contains(a.Makes, r)}
				b.disturb(cmp, e, removed, mark)
			}
			for _, e := range a.Effects {
				b.disturb(cmp, e, removed, mark)
			}
		}
	}
	var out []*Action
	for _, as := range made {
		out = append(out, as...)
	}
	return out
}

func (b *builder) write(it *compare.Item) []*Action {
	c := &Change{Item: it, Rebuild: b.rebuildPart, Desired: b.desired, Actual: b.actual, Groups: b.groups, Memory: b.memory}
	switch {
	case it.Target == nil:
		return b.w.Create(c)
	case it.Source == nil:
		return b.w.Drop(c)
	}
	if !b.rebuildObject[it.Target.Ref()] {
		if as, ok := b.w.Alter(c); ok {
			return as
		}
		b.rebuildObject[it.Target.Ref()] = true
	}
	return append(b.w.Drop(c), b.w.Create(c)...)
}

// takeDown marks things for rebuilding; false when all were marked before.
func (b *builder) takeDown(refs []catalog.Ref) bool {
	again := false
	for _, r := range refs {
		m := b.rebuildObject
		if r.IsPart() {
			m = b.rebuildPart
		}
		again = again || !m[r]
		m[r] = true
	}
	return again
}

// disturb marks for rebuilding whatever stands on the thing and cannot stay.
func (b *builder) disturb(cmp *compare.Comparison, e Effect, removed map[catalog.Ref]bool, mark func(catalog.Ref)) {
	if e.Aspect == catalog.AspectValue {
		return
	}
	for _, u := range b.users[e.On.Object()] {
		if u.need.Text && !e.Gone {
			continue
		}
		// An effect on a part reaches who needs that part; a removed object
		// takes all its parts along.
		if u.need.On != e.On && !(e.Gone && !e.On.IsPart()) {
			continue
		}
		r := u.ref()
		if removed[r] || removed[r.Thing()] || removed[r.Object()] || u.owner.Ref() == e.On {
			continue
		}
		if u.part == nil && b.rebuildObject[r] || u.part != nil && (b.rebuildPart[r] || b.rebuildPart[r.Thing()]) {
			continue
		}
		if e.Gone && letsGo(cmp, r) && !b.stillNeeds(r, u.need.On) {
			continue // it changes in place so that it no longer needs it
		}
		if b.w.Survives(u.owner, u.part, u.need, e) {
			continue
		}
		if u.part == nil {
			b.rebuildObject[r] = true
		} else {
			b.rebuildPart[r] = true
		}
		mark(r)
	}
}

// letsGo tells whether the thing is changed itself, in the fact that is meant
// or in a text or list, which is what names other things.
func letsGo(cmp *compare.Comparison, r catalog.Ref) bool {
	it := cmp.Find(r)
	if it == nil {
		return false
	}
	if r.IsPart() {
		var part *compare.Item
		for _, p := range it.Parts {
			if p.Target != nil && p.Kind() == r.PartKind && p.Target.Key() == r.Part {
				part = p
			}
		}
		if it = part; it == nil {
			return false
		}
	}
	for _, p := range it.Properties {
		if r.Fact != "" {
			if p.Name == r.Fact {
				return true
			}
			continue
		}
		// A changed text or list is bound anew; a flag is not.
		for _, v := range []*catalog.Value{p.Source, p.Target} {
			if v != nil && (v.Form == catalog.FormSQL || v.Form == catalog.FormList) {
				return true
			}
		}
	}
	return false
}

// stillNeeds tells whether what the target's thing becomes needs on, too.
func (b *builder) stillNeeds(r, on catalog.Ref) bool {
	o := b.desired.Resolve(r)
	if o == nil {
		return false
	}
	for _, n := range o.Needs {
		if n.On == on && n.Fact == r.Fact {
			return true
		}
	}
	return false
}

// arrange orders actions so that each runs when what it needs is there and
// what stands on it is gone. The same actions always give the same order. A
// circle is broken, in this order, by forgetting needs read from texts, by
// splitting actions, by taking down what changes in place (stuck), and by not
// waiting for names that had better be free.
func arrange(actions []*Action, desired, actual *catalog.Catalog, users map[catalog.Ref][]user) (ordered []*Action, stuck []catalog.Ref, err error) {
	for {
		g := newGraph(actions, desired, actual, users)
		ordered, cycle := g.sort()
		if cycle == nil {
			return g.behind(ordered), nil, nil
		}
		for _, s := range []strength{byOldText, byText} {
			for cycle != nil && g.drop(s, cycle) {
				ordered, cycle = g.sort()
			}
		}
		if cycle == nil {
			return g.behind(ordered), nil, nil
		}
		if split := splitSome(actions, cycle); split != nil {
			actions = split
			continue
		}
		stuck = append(stuck, g.released(cycle)...)
		if len(stuck) > 0 {
			return nil, stuck, circleError(g, cycle)
		}
		for cycle != nil && g.drop(byName, cycle) {
			ordered, cycle = g.sort()
		}
		if cycle == nil {
			return g.behind(ordered), nil, nil
		}
		return nil, stuck, circleError(g, cycle)
	}
}

func splitSome(actions, cycle []*Action) []*Action {
	in := map[*Action]bool{}
	for _, a := range cycle {
		if a.Split != nil {
			in[a] = true
		}
	}
	if len(in) == 0 {
		return nil
	}
	var out []*Action
	for _, a := range actions {
		if in[a] {
			out = append(out, a.Split()...)
		} else {
			out = append(out, a)
		}
	}
	return out
}

// circleError names a circle as the path through it.
func circleError(g *graph, cycle []*Action) error {
	return fmt.Errorf("no order of the steps runs, as they wait for each other in a circle: %s; leave one of them out with --except", g.path(cycle))
}
