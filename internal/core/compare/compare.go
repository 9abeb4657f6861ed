// Package compare walks two catalogs side by side and says how they differ.
// It knows no engine: whatever two spellings mean the same were made equal
// when the catalogs were read.
package compare

import (
	"context"
	"errors"
	"slices"
	"strings"
	"sync"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/match"
	"dappermirror/internal/core/scope"
)

// Status says on which sides a thing is.
type Status string

// The statuses.
const (
	Same       Status = "same"
	Differs    Status = "differs"
	SourceOnly Status = "source-only"
	TargetOnly Status = "target-only"
)

// PropertyDiff is one fact that differs; a nil side does not have it.
type PropertyDiff struct {
	Name           string
	Source, Target *catalog.Value
}

// Item is an object or part seen from both sides.
type Item struct {
	Status         Status
	Source, Target *catalog.Object // nil where the side does not have it
	Properties     []PropertyDiff  // the facts that differ
	Parts          []*Item         // all parts in scope, equal ones too
	// Partial says that only some parts of the object are in scope.
	Partial bool
}

// Object is the source's object, or the target's where there is no other.
func (it *Item) Object() *catalog.Object {
	if it.Source != nil {
		return it.Source
	}
	return it.Target
}

// Kind is the kind of the thing.
func (it *Item) Kind() catalog.Kind { return it.Object().Kind }

// Property is the difference in one fact, or nil.
func (it *Item) Property(name string) *PropertyDiff {
	for i := range it.Properties {
		if it.Properties[i].Name == name {
			return &it.Properties[i]
		}
	}
	return nil
}

// Changed lists the parts that differ in any way.
func (it *Item) Changed() []*Item {
	var out []*Item
	for _, p := range it.Parts {
		if p.Status != Same {
			out = append(out, p)
		}
	}
	return out
}

// Options say what counts.
type Options struct {
	Scope  scope.Scope
	Groups map[string]bool // groups of facts that count only when asked for
	// Deep asks for the parts of equal objects too, where the two sides share
	// what they read.
	Deep bool
	// Tolerate are kinds of differences that do not count.
	Tolerate []judge.Tolerate
	// Memo has the items of objects that both sides share, where Deep asks for them
	// again and again; nil for none.
	Memo *Memo
}

// Comparison is what comparing found. It never changes.
type Comparison struct {
	Source, Target *catalog.Catalog
	Options        Options
	Judge          *judge.Judge // decided what counts
	// Tolerated is what differs and does not count; Source has it as the target
	// does, Untouched as the source itself.
	Tolerated []judge.Tolerated
	Untouched *catalog.Catalog
	Items     []*Item // by kind, then name; equal ones too
	Memo      *Memo   // of what is worked out of the two sides
	// of the objects of both sides, and how far they agree (see Similarity)
	objects int
	agree   float64
	// of the object at hand: facts seen and facts that agree, on both sides
	facts, agreeing int
	index           map[catalog.Ref]*Item
}

// Compare compares two catalogs whose texts have all been read (see Wanted).
func Compare(source, target *catalog.Catalog, opt Options) *Comparison {
	c := &Comparison{Memo: &Memo{}, Target: target, Options: opt, Judge: judge.New(source, target, opt.Scope, opt.Groups), Untouched: source}
	c.Source, c.Tolerated = c.Judge.Forbear(source, target, opt.Tolerate)
	source = c.Source
	// Things are matched before the scope looks at them: what is on both sides
	// stays so, even where only one side has a part in scope.
	for _, pr := range match.Pairs(c.Judge.Considering(source.Objects), c.Judge.Considering(target.Objects), nil) {
		if extent := c.Judge.Extent(pr[0], pr[1]); extent != scope.Out {
			c.Items = append(c.Items, c.object(pr[0], pr[1], extent == scope.Some))
		}
	}
	slices.SortStableFunc(c.Items, func(a, b *Item) int {
		x, y := a.Object(), b.Object()
		if n := target.Kinds.Rank(x.Kind) - target.Kinds.Rank(y.Kind); n != 0 {
			return n
		}
		if n := strings.Compare(x.Schema, y.Schema); n != 0 {
			return n
		}
		if n := strings.Compare(x.Key(), y.Key()); n != 0 {
			return n
		}
		return strings.Compare(string(x.Kind), string(y.Kind))
	})
	return c
}

// object compares one object, or where partial says so only those of its parts
// that are in scope: the object itself is then nobody's business, even where
// one side lacks it.
func (c *Comparison) object(s, t *catalog.Object, partial bool) *Item {
	if s != t || partial || !c.Judge.All() {
		return c.pair(s, t, partial)
	}
	// The two sides share what was read: nothing can differ.
	if !c.Options.Deep {
		c.weigh(2, 1)
		return &Item{Status: Same, Source: s, Target: t}
	}
	if known := c.Options.Memo.item(s); known != nil {
		c.weigh(2, 1)
		return known
	}
	it := c.pair(s, t, false)
	c.Options.Memo.keep(s, it)
	return it
}

// pair compares an object of both sides, or of one.
func (c *Comparison) pair(s, t *catalog.Object, partial bool) *Item {
	it := &Item{Source: s, Target: t, Partial: partial}
	if s != nil && t != nil && s.Unread && t.Unread {
		it.Status = Same // see Settle
		c.weigh(2, 1)
		return it
	}
	c.facts, c.agreeing = 0, 0
	defer func() {
		switch {
		case s == nil || t == nil:
			c.weigh(1, 0)
		case c.facts == 0:
			c.weigh(2, 1)
		default:
			c.weigh(2, float64(c.agreeing)/float64(c.facts))
		}
	}()
	if !partial {
		c.properties(it)
	}
	inScope := func(o *catalog.Object) []*catalog.Object {
		if o == nil {
			return nil
		}
		if c.Judge.All() {
			return o.Parts
		}
		var out []*catalog.Object
		for _, p := range o.Parts {
			if c.Judge.Part(o, p) == judge.Counts {
				out = append(out, p)
			}
		}
		return out
	}
	pairs := match.Pairs(inScope(s), inScope(t), c.Target.Kinds)
	items := make([]Item, len(pairs))
	it.Parts = make([]*Item, 0, len(pairs))
	for i, pr := range pairs {
		p := &items[i]
		*p = Item{Source: pr[0], Target: pr[1]}
		c.properties(p)
		switch {
		case p.Source == nil:
			p.Status = TargetOnly
		case p.Target == nil:
			p.Status = SourceOnly
		case len(p.Properties) > 0:
			p.Status = Differs
		default:
			p.Status = Same
		}
		it.Parts = append(it.Parts, p)
	}
	switch {
	case s == nil && !partial:
		it.Status = TargetOnly
	case t == nil && !partial:
		it.Status = SourceOnly
	case len(it.Properties) > 0 || len(it.Changed()) > 0:
		it.Status = Differs
	default:
		it.Status = Same
	}
	return it
}

// weigh counts an object that is on n sides.
func (c *Comparison) weigh(n int, alike float64) {
	c.objects += n
	c.agree += float64(n) * alike
}

// properties compares the facts of one thing and counts them.
func (c *Comparison) properties(it *Item) {
	s, t := it.Source, it.Target
	if s == nil || t == nil {
		o := it.Object()
		c.facts++ // that it exists
		for i := range o.Properties {
			if v := c.Judge.Fact(o.Kind, &o.Properties[i], judge.Target); v == judge.Counts || v == judge.NotSeen {
				c.facts++
			}
		}
		return
	}
	c.facts += 2
	c.agreeing += 2
	named := s.Key() != t.Key() || s.Alias != t.Alias && !s.Has(catalog.KnownAs) || s.Alias != t.Alias && s.Bare() != t.Bare()
	if named {
		sn, tn := catalog.Scalar(s.Title()), catalog.Scalar(t.Title())
		it.Properties = append(it.Properties, PropertyDiff{"name", &sn, &tn})
		c.agreeing -= 2
	}
	for i := range s.Properties {
		sp := &s.Properties[i]
		if c.Judge.Fact(s.Kind, sp, judge.Source) != judge.Counts || named && sp.Name == catalog.Letters {
			continue
		}
		c.facts++
		tp := t.Property(sp.Name)
		if tp == nil {
			it.Properties = append(it.Properties, PropertyDiff{sp.Name, &sp.Value, nil})
			continue
		}
		c.facts++
		if v, same := c.Judge.Difference(sp, tp); same || v != judge.Counts {
			c.agreeing += 2
		} else {
			it.Properties = append(it.Properties, PropertyDiff{sp.Name, &sp.Value, &tp.Value})
		}
	}
	for i := range t.Properties {
		tp := &t.Properties[i]
		if c.Judge.Fact(s.Kind, tp, judge.Target) == judge.Counts && s.Property(tp.Name) == nil && !(named && tp.Name == catalog.Letters) {
			c.facts++
			it.Properties = append(it.Properties, PropertyDiff{tp.Name, nil, &tp.Value})
		}
	}
}

// Wanted lists, for each side, the values whose text must be read before the
// catalogs can be compared: those whose keys do not prove them equal.
func Wanted(source, target *catalog.Catalog) (s, t []*catalog.Value) {
	var walk func(a, b []*catalog.Object)
	want := func(v *catalog.Value, list *[]*catalog.Value) {
		if v != nil && v.Unread {
			*list = append(*list, v)
		}
	}
	walk = func(a, b []*catalog.Object) {
		for _, pr := range match.Pairs(a, b, target.Kinds) {
			for side, o := range pr {
				if o == nil {
					continue
				}
				other := pr[1-side]
				for i := range o.Properties {
					v := &o.Properties[i].Value
					if other != nil {
						if op := other.Property(o.Properties[i].Name); op != nil && !v.Undecided(op.Value) {
							continue
						}
					}
					if side == 0 {
						want(v, &s)
					} else {
						want(v, &t)
					}
				}
			}
			var pa, pb []*catalog.Object
			if pr[0] != nil {
				pa = pr[0].Parts
			}
			if pr[1] != nil {
				pb = pr[1].Parts
			}
			walk(pa, pb)
		}
	}
	walk(source.Objects, target.Objects)
	return s, t
}

// unsettled lists the unread objects that their digests do not prove equal.
func unsettled(source, target *catalog.Catalog) (s, t []*catalog.Object) {
	if source.Expand == nil && target.Expand == nil {
		return nil, nil
	}
	settled := make(map[*catalog.Object]bool, len(target.Objects))
	for i, o := range source.Objects {
		if !o.Unread {
			continue
		}
		var p *catalog.Object
		if i < len(target.Objects) && target.Objects[i].Ref() == o.Ref() {
			p = target.Objects[i] // both are sorted, and mostly alike
		} else {
			p = target.Find(o.Ref())
		}
		if p != nil && p.Unread && p.Digest == o.Digest {
			settled[p] = true
		} else {
			s = append(s, o)
		}
	}
	for _, o := range target.Objects {
		if o.Unread && !settled[o] {
			t = append(t, o)
		}
	}
	return s, t
}

// Settle reads what must be read before the catalogs can be compared: the
// objects and texts that digests and keys do not prove equal.
func Settle(ctx context.Context, source, target *catalog.Catalog) error {
	defer release([]*catalog.Catalog{source, target})
	return settle(ctx, source, target)
}

// release ends reading.
func release(cats []*catalog.Catalog) {
	for _, c := range cats {
		if c.Release != nil {
			c.Release()
		}
	}
}

func settle(ctx context.Context, source, target *catalog.Catalog) error {
	both := []*catalog.Catalog{source, target}
	so, to := unsettled(source, target)
	if err := onBoth(func(i int) error {
		if list := [][]*catalog.Object{so, to}[i]; len(list) > 0 && both[i].Expand != nil {
			return both[i].Expand(ctx, list)
		}
		return nil
	}); err != nil {
		return err
	}
	if source.Fetch == nil && target.Fetch == nil {
		return nil
	}
	s, t := Wanted(source, target)
	return onBoth(func(i int) error {
		if list := [][]*catalog.Value{s, t}[i]; len(list) > 0 && both[i].Fetch != nil {
			return both[i].Fetch(ctx, list)
		}
		return nil
	})
}

// onBoth does something for both sides at once.
func onBoth(do func(i int) error) error {
	var errs [2]error
	var wg sync.WaitGroup
	for i := range errs {
		wg.Go(func() { errs[i] = do(i) })
	}
	wg.Wait()
	return errors.Join(errs[:]...)
}

// Likely finds what looks like one thing under two names, of at least a weight.
func (c *Comparison) Likely(least float64) []match.Likely {
	return Once(c.Memo, least, func() []match.Likely { return c.likely(least) })
}

func (c *Comparison) likely(least float64) []match.Likely {
	// What is the same on both sides is nobody's other name.
	both := func(sides [2]bool) bool { return sides[0] && sides[1] }
	note := func(sides *[2]bool, it *Item) {
		sides[0] = sides[0] || it.Target == nil || it.Status == Differs
		sides[1] = sides[1] || it.Source == nil || it.Status == Differs
	}
	var some [2]bool
	var pairs []match.Pair
	for _, it := range c.Items {
		if it.Status == Same {
			continue
		}
		note(&some, it)
		p := match.Pair{Source: it.Source, Target: it.Target, Differs: true}
		var inside [2]bool
		for _, part := range it.Parts {
			note(&inside, part)
		}
		if it.Source != nil && it.Target != nil && both(inside) {
			for _, part := range it.Parts {
				p.Parts = append(p.Parts, match.Pair{Source: part.Source, Target: part.Target, SourceOwner: it.Source, TargetOwner: it.Target, Differs: part.Status != Same})
			}
		}
		pairs = append(pairs, p)
	}
	if !both(some) {
		return nil
	}
	return match.Renamed(pairs, c.Source, c.Target, least)
}

// Turned is the comparison from the other side: the target is its source. The
// items and their parts stand in the same order.
func (c *Comparison) Turned() *Comparison {
	t := &Comparison{Source: c.Target, Target: c.Source, Options: c.Options, Judge: c.Judge, Items: make([]*Item, len(c.Items)), objects: c.objects, agree: c.agree}
	for i, it := range c.Items {
		t.Items[i] = it.turned()
	}
	return t
}

func (it *Item) turned() *Item {
	t := &Item{Status: it.Status, Source: it.Target, Target: it.Source, Partial: it.Partial}
	switch it.Status {
	case SourceOnly:
		t.Status = TargetOnly
	case TargetOnly:
		t.Status = SourceOnly
	}
	for _, p := range it.Properties {
		t.Properties = append(t.Properties, PropertyDiff{p.Name, p.Target, p.Source})
	}
	for _, p := range it.Parts {
		t.Parts = append(t.Parts, p.turned())
	}
	return t
}

// Counts is how many objects have each status.
type Counts struct {
	Same       int `json:"same"`
	Differs    int `json:"differs"`
	SourceOnly int `json:"source_only"`
	TargetOnly int `json:"target_only"`
}

// Counts counts the objects in scope by status.
func (c *Comparison) Counts() Counts {
	var n Counts
	for _, it := range c.Items {
		switch it.Status {
		case Same:
			n.Same++
		case Differs:
			n.Differs++
		case SourceOnly:
			n.SourceOnly++
		case TargetOnly:
			n.TargetOnly++
		}
	}
	return n
}

// Different tells whether anything differs.
func (c *Comparison) Different() bool {
	n := c.Counts()
	return n.Differs+n.SourceOnly+n.TargetOnly > 0
}

// Similarity is how alike the two sides are, in tenths of a percent, 0 to
// 1000. Each object of each side counts one. An object that both sides have
// agrees as far as its facts do: a fact is that it, or one of its parts,
// exists, and each counted property of them; its agreement is the facts that
// are equal, counted on both sides, over the facts of both sides together
// (Dice's coefficient). An object only one side has agrees with nothing. The
// similarity is the mean, rounded down. It is the same both ways round, 1000
// only when nothing differs, and 1000 for two empty databases.
func (c *Comparison) Similarity() int {
	if !c.Different() {
		return 1000
	}
	if c.objects == 0 {
		return 0
	}
	return min(999, int(c.agree*1000/float64(c.objects)+1e-9))
}

// Differences lists the objects that differ in any way.
func (c *Comparison) Differences() []*Item {
	var out []*Item
	for _, it := range c.Items {
		if it.Status != Same {
			out = append(out, it)
		}
	}
	return out
}

// Find is the item of an object on either side, or nil.
func (c *Comparison) Find(r catalog.Ref) *Item {
	if c.index == nil {
		c.index = make(map[catalog.Ref]*Item, len(c.Items))
		for _, it := range c.Items {
			if it.Target != nil {
				c.index[it.Target.Ref()] = it
			}
			if it.Source != nil {
				c.index[it.Source.Ref()] = it
			}
		}
	}
	return c.index[r.Object()]
}
