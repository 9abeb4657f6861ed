package compare

import (
	"context"
	"maps"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
)

// texts is a catalog of unread objects with texts: "table berth: …".
func texts(read *[]string, lines ...string) *catalog.Catalog {
	c := &catalog.Catalog{Engine: "sqlite", FoldNames: true}
	text := map[*catalog.Object]string{}
	for _, l := range lines {
		head, body, _ := strings.Cut(l, ": ")
		kind, name, _ := strings.Cut(head, " ")
		o := &catalog.Object{Kind: catalog.Kind(kind), Name: name, ID: strings.ToLower(name), Unread: true, Digest: body}
		text[o] = body
		c.Add(o)
	}
	c.Text = func(o *catalog.Object) string { return text[o] }
	c.Expand = func(_ context.Context, list []*catalog.Object) error {
		for _, o := range list {
			*read = append(*read, o.Name)
			o.Unread = false
			o.Set("text", catalog.Scalar(o.Digest))
		}
		return nil
	}
	c.Sort()
	return c
}

// TestSettleForScript: read is what differs, what stands on it (over views
// however far, over tables two steps), and what these need; nothing else.
func TestSettleForScript(t *testing.T) {
	same := []string{
		"table Far: a", "table lonely: a", "table harbour: a",
		"table call: x REFERENCES Berth, y REFERENCES harbour", // it has a key to what differs
		"table line: REFERENCES call",                          // and this one a key to that
		"table note: REFERENCES line",                          // too far
		"view deep: SELECT * FROM BERTH, far", "view deeper: SELECT * FROM deep", "view odd one: SELECT * FROM deeper",
		"view other: SELECT * FROM lonely", "table berths: a", `table é: REFERENCES "odd one"`,
	}
	for name, c := range map[string]struct {
		source, target string
		want           string
	}{
		"a table differs":         {"table Berth: b REFERENCES pier", "table Berth: c REFERENCES pier", `Berth Far call deep deeper harbour line odd one é`},
		"only the source has it":  {"table Berth: b", "", `Berth Far call deep deeper harbour line odd one é`},
		"a leaf differs":          {"view last: SELECT 1 FROM lonely", "view last: SELECT 2 FROM lonely", "last lonely"},
		"nothing differs":         {"table Berth: b", "table Berth: b", ""},
		"quotes in a name":        {`table a"b: c`, `table a"b: d`, ``},
		"what it needs on a side": {"table Berth: REFERENCES note", "table Berth: x", `Berth Far call deep deeper harbour line note odd one é`},
	} {
		var read [2][]string
		sides := [2]*catalog.Catalog{}
		for i, own := range []string{c.source, c.target} {
			lines := slices.Clone(same)
			if own != "" {
				lines = append(lines, own)
			}
			sides[i] = texts(&read[i], lines...)
		}
		if err := SettleForScript(t.Context(), sides[0], sides[1], Options{}); err != nil {
			t.Fatal(err)
		}
		all := map[string]bool{}
		for _, n := range slices.Concat(read[0], read[1]) {
			all[n] = true
		}
		got := strings.Join(slices.Sorted(maps.Keys(all)), " ")
		if strings.Contains(name, "quotes") { // a quoted name can be written in many ways: everything may mention it
			if !all[`a"b`] || !all["call"] || !all["other"] {
				t.Errorf("%s: read %s", name, got)
			}
			continue
		}
		if got != c.want {
			t.Errorf("%s: read %s, want %s", name, got, c.want)
		}
	}
}
