package work

import (
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
)

func TestFills(t *testing.T) {
	c := &catalog.Catalog{}
	for _, schema := range []string{"h", "s"} {
		o := &catalog.Object{Kind: catalog.Table, Schema: schema, Name: "berth"}
		o.Add(&catalog.Object{Kind: catalog.Column, Name: "depth"})
		c.Add(o)
	}
	for in, want := range map[string]string{
		"berth.depth=0":          "h.berth.depth=0 s.berth.depth=0",
		"h.berth.depth=id = 1":   "h.berth.depth=id = 1",
		"column:h.berth.depth=x": "h.berth.depth=x",
		"berth.width=0":          "!no such column",
		"berth.depth=":           "!COLUMN=EXPR",
		"a.b.c.d=1":              "!is no column",
	} {
		got, err := fills([]string{in}, c)
		if rest, bad := strings.CutPrefix(want, "!"); bad {
			if err == nil || !strings.Contains(err.Error(), rest) {
				t.Errorf("%s: %v, want %q", in, err, rest)
			}
			continue
		}
		var list []string
		for _, k := range []string{"h.berth.depth", "s.berth.depth"} {
			schema, _, _ := strings.Cut(k, ".")
			if v, ok := got[catalog.Ref{Kind: catalog.Table, Schema: schema, Name: "berth", PartKind: catalog.Column, Part: "depth"}]; ok {
				list = append(list, k+"="+v)
			}
		}
		if err != nil || strings.Join(list, " ") != want {
			t.Errorf("%s: %v %v, want %s", in, list, err, want)
		}
	}
}
