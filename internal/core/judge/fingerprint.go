package judge

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"slices"
	"sort"
	"strings"

	"dappermirror/internal/core/catalog"
)

// Fingerprint is a short hash of an object: the facts of it and of its parts
// that count, whatever their order. groups are those asked for.
func Fingerprint(o *catalog.Object, groups map[string]bool) string {
	return fingerprint(o, groups, nil)
}

// Regard is what of the structures of one engine counts.
type Regard struct {
	// Named says that names count though they are tolerated: somebody speaks in
	// them.
	Named   bool
	groups  map[string]bool
	lenient *leniency
}

// NewRegard makes it of the groups asked for and of what is tolerated; c says
// which engine's.
func NewRegard(c *catalog.Catalog, groups []string, tolerate []Tolerate) Regard {
	r := Regard{groups: map[string]bool{}}
	for _, g := range groups {
		r.groups[g] = true
	}
	if l := lenience(tolerate, c); len(l.covers) > 0 {
		r.lenient = l
	}
	return r
}

// Ignores tells whether an object may be missing on a side.
func (r Regard) Ignores(o *catalog.Object) bool {
	return o != nil && r.lenient != nil && len(r.lenient.of(o.Ref(), o, catalog.CoverThing)) > 0
}

// Nameless lists the names of an object's parts that do not count.
func (r Regard) Nameless(o *catalog.Object) []string {
	var out []string
	for _, p := range o.Parts {
		if r.lenient != nil && len(r.lenient.of(o.PartRef(p), p, catalog.CoverName)) > 0 {
			out = append(out, p.Name)
		}
	}
	return out
}

// Fingerprint is the fingerprint of what counts of an object.
func (r Regard) Fingerprint(o *catalog.Object) string {
	l := r.lenient
	if r.Named && l != nil {
		l = &leniency{fold: l.fold, covers: slices.DeleteFunc(slices.Clone(l.covers), func(c lenient) bool { return slices.Contains(c.Facts, catalog.CoverName) })}
	}
	return fingerprint(o, r.groups, l)
}

func fingerprint(o *catalog.Object, groups map[string]bool, l *leniency) string {
	h := sha256.New()
	digest(h, o, o.Ref(), groups, l)
	return hex.EncodeToString(h.Sum(nil)[:10])
}

// Whole is the fingerprint of a structure, of what counts without being asked
// for.
func Whole(c *catalog.Catalog) string {
	objects := slices.Clone(c.Objects)
	slices.SortStableFunc(objects, func(a, b *catalog.Object) int {
		switch x, y := a.Ref(), b.Ref(); {
		case x.Less(y):
			return -1
		case y.Less(x):
			return 1
		}
		return 0
	})
	h := sha256.New()
	fmt.Fprintf(h, "%s\n", c.Engine)
	for _, o := range objects {
		if intrinsic(o.Group, false, nil) == Counts {
			digest(h, o, o.Ref(), nil, nil)
		}
	}
	return hex.EncodeToString(h.Sum(nil)[:10])
}

// digest writes what counts of a thing. With leniency, parts stand in the order
// of what they say, since their names may not count.
func digest(h io.Writer, o *catalog.Object, ref catalog.Ref, groups map[string]bool, l *leniency) {
	key := o.Key()
	if l != nil && len(l.of(ref, o, catalog.CoverName)) > 0 {
		key = ""
	}
	fmt.Fprintf(h, "%q %q %q{", o.Kind, o.Schema, key)
	facts := make([]string, 0, len(o.Properties))
	for i := range o.Properties {
		p := &o.Properties[i]
		if intrinsic(p.Group, p.Carried, groups) != Counts {
			continue
		}
		text, counts := p.Value.Canonical(), true
		if l != nil {
			if covers := l.of(ref, o, p.Name); len(covers) > 0 {
				text, counts = left(covers, &p.Value)
			}
		}
		if counts {
			facts = append(facts, fmt.Sprintf("%q=%q;", p.Name, text))
		}
	}
	sort.Strings(facts)
	for _, f := range facts {
		io.WriteString(h, f)
	}
	if l != nil {
		digestLenient(h, o, groups, l)
	} else {
		parts := slices.Clone(o.Parts)
		sort.SliceStable(parts, func(i, j int) bool {
			if parts[i].Kind != parts[j].Kind {
				return parts[i].Kind < parts[j].Kind
			}
			return parts[i].Key() < parts[j].Key()
		})
		for _, p := range parts {
			digest(h, p, o.PartRef(p), groups, nil)
		}
	}
	io.WriteString(h, "}")
}

func digestLenient(h io.Writer, o *catalog.Object, groups map[string]bool, l *leniency) {
	var list []string
	for _, p := range o.Parts {
		ref := o.PartRef(p)
		if len(l.of(ref, p, catalog.CoverThing)) > 0 {
			continue
		}
		var b strings.Builder
		digest(&b, p, ref, groups, l)
		list = append(list, b.String())
	}
	sort.Strings(list)
	for _, s := range list {
		io.WriteString(h, s)
	}
}
