// Package match finds out which thing of one side is which of the other: by
// what it is known by, by what somebody said about names, and for parts that
// nothing refers to by name, by what they say. A thing that has two names is
// given one identity; its names are attributes.
package match

import (
	"strings"

	"dappermirror/internal/core/catalog"
)

// Pairs pairs the things of two sides: first by what they are known by, then
// those left of kinds that are defined by what they say (catalog.KindInfo). The
// order is the source's, then what only the target has; nil stands for a side
// that does not have it.
func Pairs(source, target []*catalog.Object, kinds *catalog.Kinds) [][2]*catalog.Object {
	if pairs, ok := alike(source, target); ok {
		return pairs
	}
	byRef := make(map[catalog.Ref]*catalog.Object, len(target))
	for _, t := range target {
		byRef[t.Ref()] = t
	}
	pairs := make([][2]*catalog.Object, 0, len(source)+len(target))
	taken := make(map[*catalog.Object]bool, len(target))
	for _, s := range source {
		if t := byRef[s.Ref()]; t != nil && !taken[t] {
			taken[t] = true
			pairs = append(pairs, [2]*catalog.Object{s, t})
		} else {
			pairs = append(pairs, [2]*catalog.Object{s, nil})
		}
	}
	if kinds != nil {
		byDefinition(pairs, target, taken, kinds)
	}
	for _, t := range target {
		if !taken[t] {
			pairs = append(pairs, [2]*catalog.Object{nil, t})
		}
	}
	return pairs
}

// byDefinition pairs what is left and says the same under another name.
func byDefinition(pairs [][2]*catalog.Object, target []*catalog.Object, taken map[*catalog.Object]bool, kinds *catalog.Kinds) {
	var free map[string][]*catalog.Object
	for _, t := range target {
		if taken[t] {
			continue
		}
		if d := Definition(t, kinds); d != "" {
			if free == nil {
				free = map[string][]*catalog.Object{}
			}
			free[d] = append(free[d], t)
		}
	}
	for i, p := range pairs {
		if p[1] != nil || free == nil {
			continue
		}
		d := Definition(p[0], kinds)
		if l := free[d]; d != "" && len(l) > 0 {
			pairs[i][1], free[d] = l[0], l[1:]
			taken[l[0]] = true
		}
	}
}

// Definition is what a thing says, of a kind that is defined by that; "" where
// it is not, or has not been read.
func Definition(o *catalog.Object, kinds *catalog.Kinds) string {
	facts := kinds.Info(o.Kind).DefinedBy
	if len(facts) == 0 {
		return ""
	}
	var b strings.Builder
	b.WriteString(string(o.Kind))
	some := false
	for _, f := range facts {
		b.WriteByte(0)
		if p := o.Property(f); p != nil {
			if p.Value.Unread {
				return ""
			}
			text := p.Value.Canonical()
			some = some || text != ""
			b.WriteString(text)
		}
	}
	if !some {
		return ""
	}
	return b.String()
}

// alike pairs two lists that hold the same things in the same order, as the
// parts of most tables do.
func alike(source, target []*catalog.Object) ([][2]*catalog.Object, bool) {
	if len(source) != len(target) {
		return nil, false
	}
	for i, s := range source {
		if t := target[i]; s.Kind != t.Kind || s.Schema != t.Schema || s.Home != t.Home || s.Key() != t.Key() {
			return nil, false
		}
	}
	pairs := make([][2]*catalog.Object, len(source))
	for i := range source {
		pairs[i] = [2]*catalog.Object{source[i], target[i]}
	}
	return pairs, true
}
