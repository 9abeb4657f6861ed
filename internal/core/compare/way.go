package compare

import (
	"crypto/sha256"
	"encoding/binary"

	"dappermirror/internal/core/catalog"
)

// Way is the same for comparisons that found the same differences, whatever else the two
// sides hold: a source has many targets, and what is worked out of differences is worked
// out once for all that have them. also is what else tells ways apart of the differences
// of an item, or of a part of it, as what was chosen for it; nil for nothing. given is what
// tells comparisons apart as a whole, as the names that were said to be one. Where in a
// text a thing stands is no part of it.
func (c *Comparison) Way(also func(item, part *Item) string, given ...string) [sha256.Size]byte {
	var b way
	b.count(len(given))
	for _, g := range given {
		b.text(g)
	}
	for _, it := range c.Items {
		if it.Status == Same {
			continue
		}
		b.item(it)
		b.flag(it.Partial)
		if also != nil {
			b.text(also(it, nil))
		}
		// In which order the parts stand may be said of an object that differs.
		if it.Target != nil {
			b.count(len(it.Target.Parts))
			for _, p := range it.Target.Parts {
				b.text(string(p.Kind))
				b.text(p.Key())
			}
		}
		for _, p := range it.Parts {
			if p.Status == Same {
				continue
			}
			b.item(p)
			if also != nil {
				b.text(also(it, p))
			}
		}
	}
	b.count(len(c.Tolerated))
	for _, t := range c.Tolerated {
		b.ref(t.On)
		b.text(t.Fact)
		b.value(t.Source)
		b.value(t.Target)
	}
	b.count(len(c.Judge.Gaps))
	for _, g := range c.Judge.Gaps {
		for _, s := range []string{g.Side, string(g.Kind), g.Property, g.Why} {
			b.text(s)
		}
	}
	return sha256.Sum256(b)
}

// way is what a way is known by: texts behind their lengths, so that none runs into the
// next.
type way []byte

func (b *way) count(n int) { *b = binary.AppendUvarint(*b, uint64(n)) }

func (b *way) flag(is bool) {
	n := 0
	if is {
		n = 1
	}
	b.count(n)
}

func (b *way) text(s string) {
	b.count(len(s))
	*b = append(*b, s...)
}

func (b *way) ref(r catalog.Ref) { b.text(r.String()) }

func (b *way) value(v *catalog.Value) {
	b.flag(v != nil)
	if v != nil {
		b.count(int(v.Form))
		b.text(v.String())
	}
}

// item writes a thing, and the facts of it that differ.
func (b *way) item(it *Item) {
	b.text(string(it.Status))
	for _, o := range []*catalog.Object{it.Source, it.Target} {
		b.flag(o != nil)
		if o != nil {
			b.text(string(o.Kind))
			b.text(o.Schema)
			b.text(o.Name)
			b.text(o.Title())
		}
	}
	// What one side alone has differs in all its facts.
	if it.Source == nil || it.Target == nil {
		o := it.Object()
		b.count(len(o.Properties))
		for i := range o.Properties {
			b.text(o.Properties[i].Name)
			b.value(&o.Properties[i].Value)
		}
		return
	}
	b.count(len(it.Properties))
	for _, p := range it.Properties {
		b.text(p.Name)
		b.value(p.Source)
		b.value(p.Target)
	}
}
