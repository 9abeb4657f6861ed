package order

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/sqltext"
)

// Renamer is a Writer that can give things other names in place.
type Renamer interface {
	// CanRename tells for which kinds it can; part is empty for objects.
	CanRename(owner, part catalog.Kind) bool
	// Rename is how.
	Rename(r match.Rename) *Action
	// Dialect is how its SQL is taken apart.
	Dialect() sqltext.Dialect
}

// Unbinder is a Renamer whose server lets some things forbid that what they are bound to
// gets another name. They go before it, and come again with what else is to be done.
type Unbinder interface {
	// Bound are they, each before what it stands on itself; outside says that they go before
	// the transaction, as the renaming does.
	Bound(list []match.Rename, in *catalog.Catalog) (bound []catalog.Ref, outside bool)
}

// Follower is a Writer that knows what else follows a change of names: values of
// a type that get other names (catalog.Revalued), grants that are kept by name. It
// is given what shall be and what is when things are renamed, and what a thing was
// called before, and answers the actions with both as they are then.
type Follower interface {
	Follow(desired, actual *catalog.Catalog, was func(catalog.Ref) catalog.Ref) (actions []*Action, to, from *catalog.Catalog)
}

// renamed gives the things of the target the names they shall have, first of
// all: what follows is planned between two structures that call everything the
// same. Both are answered in these names.
//
// named says that something may be known by another name than its own.
func renamed(desired, actual *catalog.Catalog, w Writer, named bool) (first []*Action, to, from *catalog.Catalog, before oldNames) {
	can := func(owner, part catalog.Kind) bool { return false }
	r, ok := w.(Renamer)
	if ok {
		can = r.CanRename
	}
	var list []match.Rename
	after := actual
	if named {
		list, after = match.Renames(desired, actual, can)
	}
	defer func() {
		if f, ok := w.(Follower); ok {
			var more []*Action
			more, to, from = f.Follow(to, from, before.of)
			first = append(first, more...)
		}
	}()
	if !named {
		return nil, desired, actual, nil
	}
	if len(list) == 0 {
		return nil, match.Named(desired, true), match.Named(actual, false), nil
	}
	before = oldNames{}
	if u, ok := w.(Unbinder); ok {
		first, after = unbound(u, w, list, desired, actual, after)
	}
	for _, x := range inFreeOrder(list, actual, after) {
		before.note(x)
		a := r.Rename(x)
		a.About, a.Removes, a.Makes = x.Was, []catalog.Ref{x.Was}, []catalog.Ref{x.Final}
		a.Title = fmt.Sprintf("rename %s %s to %s", x.Owner.Kind.Title(), x.Owner.Bare(), x.To.Bare())
		if x.Part != nil {
			a.Title = fmt.Sprintf("rename %s %s of %s to %s", x.Part.Kind.Title(), x.Part.Name, x.Owner.Name, x.To.Name)
		}
		a.renames = true
		first = append(first, a)
	}
	return first, match.Named(desired, true), match.Named(after, false), before
}

// unbound takes down what is bound to things that get other names, and answers the target
// without it.
func unbound(u Unbinder, w Writer, list []match.Rename, desired, actual, after *catalog.Catalog) ([]*Action, *catalog.Catalog) {
	bound, outside := u.Bound(list, actual)
	if len(bound) == 0 {
		return nil, after
	}
	var first []*Action
	for _, r := range bound {
		o := actual.Find(r)
		if o == nil {
			continue
		}
		for _, a := range w.Drop(&Change{Item: &compare.Item{Target: o, Status: compare.TargetOnly}, Desired: desired, Actual: actual}) {
			a.Leads, a.Later, a.Late, a.Alone = false, false, false, outside
			first = append(first, a)
		}
	}
	left := *after
	left.Objects = nil
	for _, o := range after.Objects {
		if !slices.Contains(bound, o.Ref()) {
			left.Add(o)
		}
	}
	return first, &left
}

// oldNames are, by the names when everything is renamed, those that the target
// has before; nil where nothing is.
type oldNames map[catalog.Ref]catalog.Ref

func (n oldNames) note(r match.Rename) {
	was := r.Was
	if older, ok := n[was]; ok { // it stepped aside before
		delete(n, was)
		was = older
	}
	n[r.Final] = was
}

// of is what a thing is called before.
func (n oldNames) of(r catalog.Ref) catalog.Ref {
	if was, ok := n[r.Thing()]; ok {
		return was.Of(r.Fact)
	}
	if schema, ok := n[catalog.Ref{Kind: catalog.Schema, Name: r.Schema}]; ok {
		r.Schema = schema.Name
	}
	if was, ok := n[r.Object()]; ok {
		was.PartKind, was.Part = r.PartKind, r.Part
		return was.Of(r.Fact)
	}
	return r
}

// text is a query about the rows in the names that things have before. It fails
// where a name could be a renamed column's or another's.
func (n oldNames) text(c *catalog.Catalog, d sqltext.Dialect, sql string) (string, bool) {
	toks := sqltext.Lex(d, sql)
	spoken := map[string]bool{}
	for _, t := range toks {
		if t.IsName() {
			spoken[c.Fold(t.Name())] = true
		}
	}
	things, columns, sure := map[string]string{}, map[string]string{}, true
	for now, was := range n {
		name := c.Fold(now.Part)
		switch {
		case !now.IsPart():
			things[c.Fold(now.Name)] = was.Name
		case spoken[c.Fold(now.Name)] && spoken[name]:
			if o, twice := columns[name]; twice && o != was.Part {
				sure = false
			}
			columns[name] = was.Part
		}
	}
	for _, o := range c.Objects { // has another table of the query a column of such a name?
		for _, p := range o.Parts {
			if was, ok := columns[c.Fold(p.Name)]; ok && spoken[c.Fold(o.Name)] && was != n.of(o.PartRef(p)).Part {
				sure = false
			}
		}
	}
	var b strings.Builder
	for i, t := range toks {
		name, ok := columns[c.Fold(t.Name())]
		if was, both := things[c.Fold(t.Name())]; both && (!ok || namesThing(toks, i)) {
			name, ok = was, true
		}
		if ok && t.IsName() && t.Name() != name {
			b.WriteString(c.Spell(name, false))
		} else {
			b.WriteString(t.Text)
		}
	}
	return b.String(), sure
}

// namesThing tells whether the name at a place of a query, which a table and a column
// have both, is the table's: it stands behind a word or a schema, or before a dot.
func namesThing(toks []sqltext.Token, at int) bool {
	next := func(i, by int) int {
		for i += by; i >= 0 && i < len(toks) && toks[i].Blank(); i += by {
		}
		return i
	}
	is := func(i int, words ...string) bool {
		return i >= 0 && i < len(toks) && slices.ContainsFunc(words, func(w string) bool { return toks[i].Is(w) || toks[i].IsOp(w) })
	}
	before := []string{"from", "join", "update", "into", "table"}
	was := next(at, -1)
	if is(was, ".") {
		return is(next(next(was, -1), -1), before...)
	}
	return is(next(at, 1), ".") || is(was, before...)
}

// Before is what a thing of the steps is called before any of them ran.
func (p *Plan) Before(r catalog.Ref) catalog.Ref { return p.before.of(r) }

// ask puts what the rows are asked, and how they are saved, in the names that
// things have before the steps run: that is when it is asked. A question that
// could be about something else is not asked. c is the target under its new names.
func (n oldNames) ask(steps []*Step, c *catalog.Catalog, d sqltext.Dialect) {
	done := map[*Question]bool{} // and whether it is sure
	turn := func(texts ...*string) bool {
		sure := true
		for _, t := range texts {
			text, ok := n.text(c, d, *t)
			*t, sure = text, sure && ok
		}
		return sure
	}
	ask := func(q *Question) *Question {
		if q == nil {
			return nil
		}
		if _, ok := done[q]; !ok {
			done[q] = turn(&q.Count, &q.Probe, &q.Total, &q.List)
			q.early = func(sql string) string { text, _ := n.text(c, d, sql); return text }
		}
		if !done[q] {
			return nil
		}
		return q
	}
	for _, s := range steps {
		for i := range s.SQL {
			if s.Alone && !s.Later { // it runs before the transaction with the renames
				s.SQL[i], _ = n.text(c, d, s.SQL[i])
			}
		}
		for i := range s.Risks {
			r := &s.Risks[i]
			r.Before = n.of(r.On)
			// Without a transaction the rows are saved when their step comes.
			if r.Ask = ask(r.Ask); r.Save != nil && r.Save.Release == "" && !s.Alone && !s.Later {
				save := *r.Save
				turn(&save.Lock, &save.Query, &save.First)
				r.Save = &save
			}
		}
		for i := range s.Fills {
			s.Fills[i].Ask = ask(s.Fills[i].Ask)
		}
	}
}

// inFreeOrder orders renames so that every name is free when it is taken. A name that
// somebody else bears meanwhile is freed by another one for the time being:
// after tells how all is called in the end.
func inFreeOrder(list []match.Rename, actual, after *catalog.Catalog) []match.Rename {
	bears := map[catalog.Ref]bool{} // the names there are
	for _, o := range actual.Objects {
		bears[o.Own()] = true
		for _, p := range o.Parts {
			bears[partName(o.Own(), p)] = true
		}
	}
	var out []match.Rename
	for len(list) > 0 {
		var wait []match.Rename
		for _, r := range list {
			if bears[r.Now] && r.Was != r.Now {
				wait = append(wait, r)
				continue
			}
			delete(bears, r.Was)
			bears[r.Now] = true
			out = append(out, r)
		}
		if len(wait) == len(list) { // a circle, or a name of something that goes
			stuck := wait[0]
			unused := unusedName(stuck.Now, bears)
			bears[unused] = true
			delete(bears, stuck.Now)
			out = append(out, stepAside(stuck, unused, wait, after))
		}
		list = wait
	}
	return out
}

func partName(owner catalog.Ref, p *catalog.Object) catalog.Ref {
	owner.PartKind, owner.Part = p.Kind, p.Own().Name
	return owner
}

// unusedName is a name that nothing has.
func unusedName(r catalog.Ref, bears map[catalog.Ref]bool) catalog.Ref {
	for n := 0; ; n++ {
		to := r
		name := &to.Name
		if r.IsPart() {
			name = &to.Part
		}
		*name = "dapper_mirror_was_" + *name
		if n > 0 {
			*name = fmt.Sprintf("%s_%d", *name, n)
		}
		if !bears[to] {
			return to
		}
	}
}

// stepAside renames who bears the name that another one waits for. What is to be
// renamed itself goes on from there; what goes keeps the name until then.
func stepAside(stuck match.Rename, to catalog.Ref, list []match.Rename, after *catalog.Catalog) match.Rename {
	name := to.Name
	if to.IsPart() {
		name = to.Part
	}
	for i := range list {
		x := &list[i]
		if x.Was != stuck.Now {
			continue
		}
		r := *x
		r.Now, r.Final = to, to
		r.To = &catalog.Object{Kind: x.To.Kind, Schema: x.To.Schema, Name: name}
		x.Was = to
		if x.Part != nil {
			x.Part = x.Part.Clone()
			x.Part.Name = name
		} else {
			x.Owner = x.Owner.Clone()
			x.Owner.Name = name
		}
		return r
	}
	// It is not renamed itself: it goes, or is made anew under this name.
	for _, o := range after.Objects {
		if !to.IsPart() && o.Own() == stuck.Now && o.Alias == "" {
			r := match.Rename{Was: stuck.Now, Now: to, Final: to, Owner: o.Clone(), To: &catalog.Object{Kind: o.Kind, Schema: o.Schema, Name: name}}
			if o.ID == "" {
				o.ID = o.Name
			}
			o.Alias, o.Name = name, name
			return r
		}
		for _, p := range o.Parts {
			if to.IsPart() && partName(o.Own(), p) == stuck.Now && p.Alias == "" {
				r := match.Rename{Was: stuck.Now, Now: to, Final: to, Owner: o, Part: p.Clone(), To: &catalog.Object{Kind: p.Kind, Name: name}}
				if p.ID == "" {
					p.ID = p.Name
				}
				p.Alias, p.Name = name, name
				return r
			}
		}
	}
	return stuck
}
