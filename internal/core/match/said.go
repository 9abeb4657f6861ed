package match

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/scope"
	"dappermirror/internal/core/words"
)

// Saying is what somebody said about two names: KIND:NAME=NAME, where the first
// may be a pattern. In a pair the first is the source's; in a rename it is the
// one that the target has now, and the second the source's.
type Saying struct {
	Text        string
	Rename      bool
	left, right scope.Pattern
}

// ParseSayings reads several, by comma. It fails where it is not two names, or where a * of one
// has none in the other to stand for the same.
func ParseSayings(text string, rename bool) ([]Saying, error) {
	var out []Saying
	for _, one := range scope.Cut(text) {
		s, err := parseSaying(strings.TrimSpace(one), rename)
		if err != nil {
			return nil, err
		}
		out = append(out, s)
	}
	return out, nil
}

func parseSaying(text string, rename bool) (Saying, error) {
	s := Saying{Text: text, Rename: rename}
	left, right, ok := cutEqual(text)
	if !ok {
		return s, fmt.Errorf("%q: two names are wanted, with = between them", text)
	}
	for _, x := range []struct {
		text string
		into *scope.Pattern
	}{{left, &s.left}, {right, &s.right}} {
		ps, err := scope.Parse(x.text)
		if err != nil {
			return s, err
		}
		if len(ps) != 1 {
			return s, fmt.Errorf("%q: one thing is wanted on each side of =", text)
		}
		*x.into = ps[0]
	}
	if k := s.right.Kind(); k != "" && k != s.left.Kind() {
		return s, fmt.Errorf("%q: both are of one kind", text)
	}
	if stars(s.left) != stars(s.right) {
		return s, fmt.Errorf("%q: as many * are wanted on the right as on the left", text)
	}
	if slices.ContainsFunc(s.right.Names(), func(n scope.Name) bool { return !n.Literal && strings.Contains(n.Text, "?") }) {
		return s, fmt.Errorf("%q: a ? stands for nothing on the right; use *", text)
	}
	return s, nil
}

// cutEqual cuts at the first = outside quotes.
func cutEqual(text string) (left, right string, ok bool) {
	quoted := false
	for i := 0; i < len(text); i++ {
		switch {
		case text[i] == '"':
			quoted = !quoted
		case text[i] == '=' && !quoted:
			return text[:i], text[i+1:], true
		}
	}
	return "", "", false
}

func stars(p scope.Pattern) int {
	n := 0
	for _, g := range p.Names() {
		if !g.Literal {
			n += strings.Count(g.Text, "*")
		}
	}
	return n
}

// Wide tells whether the saying is about all that matches a pattern.
func (s Saying) Wide() bool {
	return slices.ContainsFunc(s.left.Names(), func(n scope.Name) bool { return !n.Literal && strings.ContainsAny(n.Text, "*?") })
}

// Option is the option it was said with.
func (s Saying) Option() string {
	if s.Rename {
		return "--rename " + s.Text
	}
	return "--pair " + s.Text
}

// Found is what was said about, found in both structures.
type Found struct {
	Given []Given
	// News are things that only the source has, under the names that the target
	// shall have for them; NewParts are parts, by what they are in.
	News     []*catalog.Object
	NewParts map[catalog.Ref][]*catalog.Object
	// Values are values of types that get other names, by the target's types.
	Values map[catalog.Ref][]string
	// Done are renames that were carried out before.
	Done []Saying
}

// Resolve finds what was said about. It fails where something is not there, or
// is several things. What only the source has and a wide pair has a name for
// comes under that name; so does what an exact pair names where coming says that
// the target is still to be filled.
func Resolve(said []Saying, source, target *catalog.Catalog, coming bool) (Found, error) {
	r := &resolver{source: source, target: target, coming: coming, theirs: map[catalog.Ref]catalog.Ref{}, ours: map[catalog.Ref]catalog.Ref{}, hits: make([]int, len(said))}
	for level := range 3 { // what a thing is in is found before it
		for i, s := range said {
			if err := r.resolve(i, s, level); err != nil {
				return Found{}, fmt.Errorf("%s: %w", s.Option(), err)
			}
		}
	}
	r.carriedOut(said)
	for i, s := range said {
		if r.hits[i] == 0 {
			return Found{}, fmt.Errorf("%s: %w", s.Option(), r.nothing(s))
		}
	}
	r.implied()
	return r.Found, nil
}

// implied pairs what is named after things that are paired: the names that engines
// give to keys, checks and sequences of a table begin with the table's, and have
// those of columns in them.
func (r *resolver) implied() {
	r.NewParts = map[catalog.Ref][]*catalog.Object{}
	said := map[catalog.Ref]bool{}
	for _, g := range r.Given {
		said[g.Source], said[g.Target] = true, true
	}
	pair := func(source, target catalog.Ref) {
		if source != target && !said[source] && !said[target] {
			r.Given = append(r.Given, Given{Source: source, Target: target})
		}
	}
	for _, g := range slices.Clone(r.Given) {
		s, t := r.source.Find(g.Source), r.target.Find(g.Target)
		for _, o := range r.News {
			if o.Ref() == g.Target {
				t = o
			}
		}
		if g.Rename || g.Source.IsPart() || s == nil || t == nil || len(s.Parts) == 0 {
			continue
		}
		columns := map[string]string{}
		for from, to := range r.theirs {
			if from.IsPart() && from.Object() == g.Source {
				columns[from.Part] = to.Part
			}
		}
		// after is what a thing named after s would be called after t: with its
		// columns' new names, unless there is one with the old ones.
		after := func(name string, is func(string) bool) (string, bool) {
			rest, ok := strings.CutPrefix(name, s.Name+"_")
			plain, best := t.Name+"_"+rest, ""
			for from, to := range columns {
				if end, begins := strings.CutPrefix(rest, from); begins && (end == "" || end[0] == '_') && len(from) > len(best) {
					best, name = from, t.Name+"_"+to+end
				}
			}
			if best == "" || is(plain) {
				return plain, ok
			}
			return name, ok
		}
		for _, p := range s.Parts {
			name, ok := after(p.Name, func(n string) bool {
				return slices.ContainsFunc(t.Parts, func(q *catalog.Object) bool { return q.Kind == p.Kind && q.Name == n })
			})
			if !ok || p.Kind == catalog.Column || t.Part(p.Kind, p.Key()) != nil {
				continue
			}
			i := slices.IndexFunc(t.Parts, func(q *catalog.Object) bool { return q.Kind == p.Kind && q.Name == name })
			if i >= 0 {
				pair(s.PartRef(p), t.PartRef(t.Parts[i]))
				continue
			}
			q := &catalog.Object{Kind: p.Kind, Name: name}
			if p.ID != "" && p.ID == r.source.Fold(p.Name) {
				q.ID = r.source.Fold(name)
			}
			if !said[s.PartRef(p)] {
				r.NewParts[t.Ref()] = append(r.NewParts[t.Ref()], q)
				pair(s.PartRef(p), t.PartRef(q))
			}
		}
		for _, o := range r.source.Objects {
			if o.Kind != catalog.Sequence || o.Schema != s.Schema {
				continue
			}
			to := catalog.Ref{Kind: o.Kind, Schema: t.Schema}
			is := func(n string) bool { to.Name = n; return r.target.Find(to) != nil }
			if name, ok := after(o.Name, is); ok && is(name) {
				pair(o.Ref(), to)
			}
		}
	}
}

type resolver struct {
	Found
	source, target *catalog.Catalog
	coming         bool
	// theirs is what is said of the source's things: the target's; ours the other
	// way round.
	theirs, ours map[catalog.Ref]catalog.Ref
	hits         []int
}

// thing is an object, or a part of one.
type thing struct{ owner, part *catalog.Object }

func (t thing) ref() catalog.Ref {
	if t.part != nil {
		return t.owner.PartRef(t.part)
	}
	return t.owner.Ref()
}

func (t thing) level() int {
	switch {
	case t.part != nil:
		return 2
	case t.owner.Kind == catalog.Schema:
		return 0
	}
	return 1
}

// self is the object or part itself.
func (t thing) self() *catalog.Object {
	if t.part != nil {
		return t.part
	}
	return t.owner
}

// matching lists what a pattern matches.
func matching(c *catalog.Catalog, p scope.Pattern) []thing {
	var out []thing
	for _, o := range c.Objects {
		if p.MatchSelf(o.Ref(), c.FoldName) {
			out = append(out, thing{o, nil})
		}
		for _, part := range o.Parts {
			if p.MatchSelf(o.PartRef(part), c.FoldName) {
				out = append(out, thing{o, part})
			}
		}
	}
	return out
}

// sides are the catalog that the left name of a saying is in, and the other.
func (r *resolver) sides(s Saying) (here, there *catalog.Catalog, known map[catalog.Ref]catalog.Ref) {
	if s.Rename {
		return r.target, r.source, r.ours
	}
	return r.source, r.target, r.theirs
}

func (r *resolver) resolve(i int, s Saying, level int) error {
	if s.left.Kind() == catalog.ValueKind {
		if level == 2 {
			return r.value(i, s)
		}
		return nil
	}
	here, _, _ := r.sides(s)
	all := matching(here, s.left)
	if !s.Wide() && len(all) > 1 && !overloads(all) {
		var list []string
		for _, t := range all {
			list = append(list, t.ref().String())
		}
		return fmt.Errorf("that is several things: %s; say which", words.Join(list, 5))
	}
	for _, t := range all {
		if t.level() != level {
			continue
		}
		if err := r.one(i, s, t); err != nil {
			return err
		}
	}
	return nil
}

// carriedOut finds the renames that the target has behind it: it has the new name
// as the source does, and the old one no more. What a thing is in may have been
// renamed with it.
func (r *resolver) carriedOut(said []Saying) {
	for again := true; again; {
		again = false
		for i, s := range said {
			if r.hits[i] > 0 || !s.Rename || len(matching(r.target, s.left)) > 0 {
				continue
			}
			likes := []scope.Pattern{s.right.Like(s.left)}
			for _, d := range r.Done {
				likes = append(likes, s.right.Within(d.right, s.left))
			}
			for _, p := range likes {
				for _, t := range matching(r.source, p) {
					if r.hits[i] == 0 && r.target.Resolve(t.ref()) != nil {
						r.hits[i]++
						r.Done = append(r.Done, s)
						again = true
					}
				}
			}
		}
	}
}

// value finds a value of a type that gets another name.
func (r *resolver) value(i int, s Saying) error {
	left, right := s.left.Names(), s.right.Names()
	if !s.Rename || len(left) < 2 || len(right) != 1 || s.Wide() {
		return fmt.Errorf("a value is renamed by value:TYPE.OLD=NEW")
	}
	was, now := left[len(left)-1].Text, right[0].Text
	for _, o := range r.target.Objects {
		if !o.Has(catalog.Values) || o.Bare() != left[len(left)-2].Text || len(left) > 2 && o.Schema != left[0].Text {
			continue
		}
		source := o.Ref()
		if to, ok := r.ours[source]; ok {
			source = to
		} else if to, ok := r.ours[catalog.Ref{Kind: catalog.Schema, Name: source.Schema}]; ok {
			source.Schema = to.Name
		}
		theirs := r.source.Find(source)
		switch has, wants := slices.Contains(o.List(catalog.Values), was), theirs != nil && slices.Contains(theirs.List(catalog.Values), now); {
		case !wants:
			return fmt.Errorf("the source has no value %s in %s", now, source)
		case !has && slices.Contains(o.List(catalog.Values), now):
			r.Done = append(r.Done, s)
		case !has:
			continue
		case slices.Contains(o.List(catalog.Values), now):
			return fmt.Errorf("the target has a value %s already", now)
		default:
			if r.Values == nil {
				r.Values = map[catalog.Ref][]string{}
			}
			r.Values[o.Ref()] = append(r.Values[o.Ref()], was, now)
		}
		r.hits[i]++
	}
	return nil
}

// overloads tells whether things are routines of one name.
func overloads(all []thing) bool {
	return !slices.ContainsFunc(all, func(t thing) bool {
		return t.part != nil || t.owner.Schema != all[0].owner.Schema || bareKey(t.owner) != bareKey(all[0].owner) || t.owner.Kind != all[0].owner.Kind
	})
}

// bareKey is what a thing is known by without its arguments.
func bareKey(o *catalog.Object) string {
	key, _, _ := strings.Cut(o.Key(), "(")
	return key
}

// one finds the other side of one thing.
func (r *resolver) one(i int, s Saying, t thing) error {
	_, there, known := r.sides(s)
	names, err := s.names(t)
	if err != nil {
		return err
	}
	other := func(ref catalog.Ref) catalog.Ref {
		if to, ok := known[ref]; ok {
			return to
		}
		if to, ok := known[catalog.Ref{Kind: catalog.Schema, Name: ref.Schema}]; ok {
			ref.Schema = to.Name
		}
		return ref
	}
	name := names[len(names)-1]
	if s.Rename && len(names) > 1 && t.part == nil && t.owner.Kind != catalog.Schema && other(t.owner.Ref()).Schema != names[0] {
		return fmt.Errorf("a rename stays in its schema")
	}
	var found []thing
	owner := other(t.owner.Ref())
	if t.part == nil {
		schema := owner.Schema
		if len(names) > 1 {
			schema = names[len(names)-2]
		}
		for _, o := range there.Objects {
			if o.Kind == t.owner.Kind && o.Schema == schema && bears(o, name, there) {
				found = append(found, thing{o, nil})
			}
		}
		if len(found) > 1 { // overloads: the one of the same arguments
			_, args, _ := strings.Cut(t.owner.Key(), "(")
			found = slices.DeleteFunc(found, func(x thing) bool { _, a, _ := strings.Cut(x.owner.Key(), "("); return a != args })
		}
		owner = catalog.Ref{Kind: t.owner.Kind, Schema: schema, Name: name}
	} else {
		if len(names) > 1 {
			owner.Name = names[len(names)-2]
		}
		if len(names) > 2 {
			owner.Schema = names[0]
		}
		for _, o := range there.Objects {
			if o.Kind != owner.Kind || o.Schema != owner.Schema || !bears(o, owner.Name, there) {
				continue
			}
			for _, p := range o.Parts {
				if p.Kind == t.part.Kind && (bears(p, name, there) || p.Key() == there.FoldName(name, true)) {
					found = append(found, thing{o, p})
				}
			}
		}
	}
	switch {
	case len(found) == 1:
		r.take(i, s, t.ref(), found[0].ref())
	case len(found) > 1:
		return fmt.Errorf("%q is several things on the other side", name)
	case s.Rename:
		if !s.Wide() {
			return fmt.Errorf("the source has no %s called %s%s", t.self().Kind.Title(), name, r.suggest(there, t, name))
		}
	case t.part == nil && (s.Wide() || r.coming):
		if _, args, routine := strings.Cut(t.owner.Key(), "("); routine {
			name += "(" + args
		}
		like := &catalog.Object{Kind: t.owner.Kind, Schema: owner.Schema, Name: name, Space: t.owner.Space}
		r.News = append(r.News, like)
		r.take(i, s, t.ref(), like.Ref())
	case !s.Wide():
		return fmt.Errorf("the target has no %s called %s%s", t.self().Kind.Title(), name, r.suggest(there, t, name))
	}
	return nil
}

func (r *resolver) take(i int, s Saying, here, there catalog.Ref) {
	g := Given{Source: here, Target: there, Rename: s.Rename}
	if s.Rename {
		g.Source, g.Target = there, here
	}
	r.hits[i]++
	r.Given = append(r.Given, g)
	r.theirs[g.Source], r.ours[g.Target] = g.Target, g.Source
}

// names are the names on the right, with what the * on the left stood for.
func (s Saying) names(t thing) ([]string, error) {
	ref := t.ref()
	path := []string{ref.Name}
	if ref.Schema != "" {
		path = []string{ref.Schema, ref.Name}
	}
	if ref.IsPart() {
		path = append(path, ref.Part)
	}
	left, right := s.left.Names(), s.right.Names()
	if len(right) > len(path) {
		return nil, fmt.Errorf("%s has no such many names", ref)
	}
	path = path[len(path)-len(left):]
	var stood []string
	for i, g := range left {
		if !g.Literal {
			if i == len(left)-1 && ref.Kind == catalog.Routine && !ref.IsPart() {
				path[i], _, _ = strings.Cut(path[i], "(")
			}
			stood = append(stood, captures(g.Text, path[i])...)
		}
	}
	var out []string
	for _, g := range right {
		text := g.Text
		if !g.Literal {
			for strings.Contains(text, "*") && len(stood) > 0 {
				text = strings.Replace(text, "*", stood[0], 1)
				stood = stood[1:]
			}
		}
		out = append(out, text)
	}
	return out, nil
}

// captures are what the * of a glob stand for in a name that it matches: as
// little as can be, the last one the rest.
func captures(pattern, name string) []string {
	pieces := strings.Split(pattern, "*")
	if len(pieces) == 1 {
		return nil
	}
	var out []string
	rest := name[min(len(pieces[0]), len(name)):]
	for i, p := range pieces[1:] {
		at := strings.Index(strings.ToLower(rest), strings.ToLower(p))
		if i == len(pieces)-2 {
			at = len(rest) - len(p)
		}
		at = max(at, 0)
		out = append(out, rest[:at])
		rest = rest[min(at+len(p), len(rest)):]
	}
	return out
}

// bears tells whether a thing has a name, as the engine compares names.
func bears(o *catalog.Object, name string, c *catalog.Catalog) bool {
	return o.Key() == name || o.Name == name || c.Fold(o.Key()) == c.Fold(name) || bareKey(o) == name
}

// nothing says why nothing was found.
func (r *resolver) nothing(s Saying) error {
	here, _, _ := r.sides(s)
	where := "source"
	if s.Rename {
		where = "target"
	}
	if _, there, _ := r.sides(s); len(matching(there, s.left)) > 0 && len(matching(here, s.right.Like(s.left))) > 0 {
		return fmt.Errorf("it is the other way round: the %s's name comes first", where)
	}
	if len(matching(here, s.left)) > 0 {
		return fmt.Errorf("nothing of what the %s has has such a name on the other side", where)
	}
	var known []string
	want := s.left.Names()[len(s.left.Names())-1].Text
	for _, o := range here.Objects {
		if s.left.Kind() == "" || s.left.Kind() == string(o.Kind) {
			known = append(known, bareKey(o))
		}
		for _, p := range o.Parts {
			if s.left.Kind() == string(p.Kind) {
				known = append(known, p.Key())
			}
		}
	}
	return fmt.Errorf("the %s has nothing that this names%s", where, words.Suggest(want, known))
}

func (r *resolver) suggest(there *catalog.Catalog, t thing, name string) string {
	var known []string
	for _, o := range there.Objects {
		switch {
		case t.part == nil && o.Kind == t.owner.Kind:
			known = append(known, bareKey(o))
		case t.part != nil && o.Kind == t.owner.Kind:
			for _, p := range o.PartsOf(t.part.Kind) {
				known = append(known, p.Key())
			}
		}
	}
	return words.Suggest(name, known)
}
