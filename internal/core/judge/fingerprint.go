package judge

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"slices"
	"sort"

	"dappermirror/internal/core/catalog"
)

// Fingerprint is a short hash of an object: the facts of it and of its parts
// that count, whatever their order. groups are those asked for.
func Fingerprint(o *catalog.Object, groups map[string]bool) string {
	h := sha256.New()
	digest(h, o, groups)
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
			digest(h, o, nil)
		}
	}
	return hex.EncodeToString(h.Sum(nil)[:10])
}

func digest(h io.Writer, o *catalog.Object, groups map[string]bool) {
	fmt.Fprintf(h, "%q %q %q{", o.Kind, o.Schema, o.Key())
	facts := make([]string, 0, len(o.Properties))
	for i := range o.Properties {
		if p := &o.Properties[i]; intrinsic(p.Group, p.Carried, groups) == Counts {
			facts = append(facts, fmt.Sprintf("%q=%q;", p.Name, p.Value.Canonical()))
		}
	}
	sort.Strings(facts)
	for _, f := range facts {
		io.WriteString(h, f)
	}
	parts := slices.Clone(o.Parts)
	sort.SliceStable(parts, func(i, j int) bool {
		if parts[i].Kind != parts[j].Kind {
			return parts[i].Kind < parts[j].Kind
		}
		return parts[i].Key() < parts[j].Key()
	})
	for _, p := range parts {
		digest(h, p, groups)
	}
	io.WriteString(h, "}")
}
