package choose

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/scope"
)

// words are the decisions as people write them.
var words = [...]string{ToTarget: "to-target", Leave: "leave", ToSource: "to-source"}

func (d Decision) String() string { return words[d] }

// ParseDecision reads one.
func ParseDecision(text string) (Decision, error) {
	for d, w := range words {
		if w == text {
			return Decision(d), nil
		}
	}
	return ToTarget, fmt.Errorf("%q is no choice: it is one of %s", text, strings.Join(words[:], ", "))
}

// Wish is a decision about the differences that a pattern matches.
type Wish struct {
	On scope.Pattern
	Decision
	// Alone says that it is about the very thing it names, not about the parts of
	// an object that both sides have: these have wishes of their own.
	Alone bool
}

// Wishes are what somebody wants to become of the differences.
type Wishes struct {
	// Said are wishes from the command line, Filed those of a file; of what is
	// said nothing about, Default is what becomes.
	Said, Filed []Wish
	Default     Decision
	// TargetOnlyStays leaves everything that only the target has.
	TargetOnlyStays bool
}

// Empty tells whether every difference goes to the target.
func (w *Wishes) Empty() bool {
	return len(w.Said)+len(w.Filed) == 0 && w.Default == ToTarget && !w.TargetOnlyStays
}

// Settled are the choices that follow from wishes, with the wishes that no
// difference answers to, and the differences that no filed wish is about.
type Settled struct {
	*Chosen
	Idle []Wish
	New  []catalog.Ref
}

// Settle makes choices of wishes. Of several wishes about one thing that counts
// which names it most closely: the part before its object, a name before a
// pattern; of two that are equally close, to-source before leave before to-target.
func (w *Wishes) Settle(c *compare.Comparison) *Settled {
	s := &Settled{Chosen: &Chosen{Comparison: c, of: map[*compare.Item]Choice{}}}
	if w.Empty() {
		s.Chosen = All(c)
		return s
	}
	used := map[string]bool{}
	decide := func(it *compare.Item, refs ...catalog.Ref) {
		d, filed := w.decide(refs, it.Status, c.Target.FoldName, used)
		s.of[it] = Choice{Decision: d, Why: Asked}
		if !filed && len(w.Filed) > 0 {
			s.New = append(s.New, refs[0])
		}
	}
	for _, it := range c.Differences() {
		differs := it.Status == compare.Differs
		if !differs || len(it.Properties) > 0 {
			decide(it, names(it.Source, it.Target)...)
		}
		for _, p := range it.Changed() {
			var refs []catalog.Ref
			for _, o := range names(it.Source, it.Target) {
				for _, q := range []*catalog.Object{p.Source, p.Target} {
					if q != nil {
						r := o
						r.PartKind, r.Part = q.Kind, q.Key()
						refs = append(refs, r)
						if own := q.Own().Name; own != r.Part {
							r.Part = own
							refs = append(refs, r)
						}
					}
				}
			}
			if !differs { // it comes and goes with its object, unless it is named itself
				if d, ok := w.alone(refs, c.Target.FoldName, used); ok {
					s.of[p] = Choice{Decision: d, Why: Asked}
				}
				continue
			}
			decide(p, refs...)
		}
		if stays := differs && len(it.Properties) == 0; stays { // its own facts are the same
			for _, p := range it.Changed() {
				stays = stays && s.leavesPart(it, p)
			}
			if stays {
				s.of[it] = Choice{Decision: Leave, Why: Asked}
			}
		}
	}
	for _, x := range append(w.Said, w.Filed...) {
		if !used[key(x)] {
			s.Idle = append(s.Idle, x)
		}
	}
	return s
}

func key(w Wish) string { return fmt.Sprint(w.On, w.Decision, w.Alone) }

// names are the references to a thing: what it is known by, and its own names.
func names(objects ...*catalog.Object) []catalog.Ref {
	var out []catalog.Ref
	for _, o := range objects {
		if o != nil {
			out = append(out, o.Ref())
			if own := o.Own(); own != o.Ref() {
				out = append(out, own)
			}
		}
	}
	return out
}

// decide is what becomes of a thing, and whether the file says so.
func (w *Wishes) decide(refs []catalog.Ref, status compare.Status, fold func(name string, part bool) string, used map[string]bool) (d Decision, filed bool) {
	best := -1
	for _, list := range [][]Wish{w.Said, w.Filed} {
		for _, x := range list {
			close := closeness(x, refs, fold)
			if close < 0 {
				continue
			}
			used[key(x)] = true
			if close > best || close == best && rank(x.Decision) > rank(d) {
				best, d = close, x.Decision
			}
		}
		if best >= 0 {
			break
		}
	}
	for _, x := range w.Filed {
		if closeness(x, refs, fold) >= 0 {
			used[key(x)], filed = true, true
		}
	}
	switch {
	case best >= 0:
		return d, filed
	case w.TargetOnlyStays && status == compare.TargetOnly:
		return Leave, filed
	}
	return w.Default, filed
}

// alone is what a wish that names the part itself says. A pattern of columns is
// not meant for those of an object that comes or goes as a whole.
func (w *Wishes) alone(refs []catalog.Ref, fold func(name string, part bool) string, used map[string]bool) (Decision, bool) {
	for _, list := range [][]Wish{w.Said, w.Filed} {
		for _, x := range list {
			for _, r := range refs {
				if x.On.Kind() == string(r.PartKind) && !(x.On.Wild() && r.PartKind == catalog.Column) && x.On.MatchSelf(r, fold) {
					used[key(x)] = true
					return x.Decision, true
				}
			}
		}
	}
	return ToTarget, false
}

func rank(d Decision) int { return map[Decision]int{ToTarget: 0, Leave: 1, ToSource: 2}[d] }

// closeness is how closely a wish names a thing; less than nothing where it does
// not.
func closeness(w Wish, refs []catalog.Ref, fold func(name string, part bool) string) int {
	best := -1
	for _, r := range refs {
		n := -1
		switch {
		case w.On.MatchSelf(r, fold):
			n = 2
		case !w.Alone && r.IsPart() && w.On.Match(r, fold):
			n = 0
		}
		if n >= 0 && !w.On.Wild() {
			n++
		}
		best = max(best, n)
	}
	return best
}
