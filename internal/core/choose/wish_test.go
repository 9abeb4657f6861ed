package choose_test

import (
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/scope"
)

// wishes reads "leave table:berth, to-source column:berth.depth"; with "file " in
// front they are of a file.
func wishes(t *testing.T, text string) *choose.Wishes {
	t.Helper()
	w := &choose.Wishes{}
	for _, one := range strings.Split(text, ", ") {
		rest, filed := strings.CutPrefix(one, "file ")
		word, pattern, _ := strings.Cut(rest, " ")
		switch word {
		case "":
			continue
		case "target-only-stays":
			w.TargetOnlyStays = true
			continue
		case "default":
			d, err := choose.ParseDecision(pattern)
			if err != nil {
				t.Fatal(err)
			}
			w.Default = d
			continue
		}
		d, err := choose.ParseDecision(word)
		if err != nil {
			t.Fatal(err)
		}
		ps, err := scope.Parse(pattern)
		if err != nil {
			t.Fatal(err)
		}
		x := choose.Wish{On: ps[0], Decision: d, Alone: filed}
		if filed {
			w.Filed = append(w.Filed, x)
		} else {
			w.Said = append(w.Said, x)
		}
	}
	return w
}

// TestWishes: what names a thing most closely counts, options before the file,
// and what nothing names follows the default; what idles and what is new is told.
func TestWishes(t *testing.T) {
	source, target := side("berth: depth=int quay=text", "pilot: name=text", "tide: level=int"), side("berth: depth=text lamp=int", "tug: id=int", "tide: level=int")
	cmp := compare.Compare(source, target, compare.Options{})
	for _, c := range []struct{ wishes, want, idle, new string }{
		{"", "", "", ""},
		{"leave table:berth", "depth>leave quay>leave lamp>leave", "", ""},
		{"leave *", "depth>leave quay>leave lamp>leave pilot>leave tug>leave", "", ""},
		{"leave berth, to-target column:berth.depth", "quay>leave lamp>leave", "", ""},
		{"to-target column:berth.depth, leave berth", "quay>leave lamp>leave", "", ""},
		{"leave column:berth.*, to-target column:berth.depth", "quay>leave lamp>leave", "", ""},
		{"leave column:*, to-source column:*", "depth>to-source quay>to-source lamp>to-source", "", ""},
		{"to-target column:*, leave column:*", "depth>leave quay>leave lamp>leave", "", ""},
		{"default leave, to-target pilot", "depth>leave quay>leave lamp>leave tug>leave", "", ""},
		{"target-only-stays", "lamp>leave tug>leave", "", ""},
		{"target-only-stays, to-target tug", "lamp>leave", "", ""},
		{"leave tide", "", "tide", ""},
		{"leave column:berth.beam", "", "column:berth.beam", ""},
		{"file leave column:berth.depth", "depth>leave", "", "column:berth.lamp column:berth.quay table:pilot table:tug"},
		{"file leave table:berth", "", "table:berth", "column:berth.depth column:berth.lamp column:berth.quay table:pilot table:tug"},
		{"file leave table:tug, to-target tug", "", "", "column:berth.depth column:berth.lamp column:berth.quay table:pilot"},
		{"file to-source column:berth.depth, leave berth", "depth>leave quay>leave lamp>leave", "", "column:berth.lamp column:berth.quay table:pilot table:tug"},
		{"file leave table:gone", "", "table:gone", "column:berth.depth column:berth.lamp column:berth.quay table:pilot table:tug"},
		{"leave column:pilot.name", "pilot.name>leave", "", ""},
	} {
		got := wishes(t, c.wishes).Settle(cmp)
		var said, idle, news []string
		open := 0
		for _, it := range cmp.Differences() {
			if it.Status != compare.Differs && got.Of(it).Decision != choose.ToTarget {
				said = append(said, it.Object().Name+">"+got.Of(it).Decision.String())
			}
			for _, p := range it.Changed() {
				ch := got.OfPart(it, p)
				if it.Status == compare.Differs && ch.Decision != choose.ToTarget {
					said = append(said, p.Object().Name+">"+ch.Decision.String())
				}
				if it.Status == compare.SourceOnly && ch != got.Of(it) {
					said = append(said, it.Object().Name+"."+p.Object().Name+">"+ch.Decision.String())
				}
			}
		}
		open = len(got.Open())
		for _, w := range got.Idle {
			idle = append(idle, w.On.String())
		}
		for _, r := range got.New {
			news = append(news, r.String())
		}
		slices.Sort(news)
		want := strings.Fields(c.want)
		slices.Sort(want)
		slices.Sort(said)
		if !slices.Equal(said, want) || strings.Join(idle, " ") != c.idle || strings.Join(news, " ") != c.new {
			t.Errorf("%q: %v, idle %v, new %v", c.wishes, said, idle, news)
		}
		// Open is what is left to do: making the target as wished leaves nothing else.
		after := compare.Compare(source, got.Target(), compare.Options{})
		leaves := 0
		for _, it := range wishes(t, c.wishes).Settle(after).Open() {
			t.Errorf("%q: %s is still to do", c.wishes, it.Object().Ref())
		}
		if leaves += len(after.Differences()); leaves == 0 && open == 0 && cmp.Different() {
			t.Errorf("%q: nothing was to be done, and nothing differs", c.wishes)
		}
	}
}

// TestLacking: what a choice needs, and what it would break, is told with what
// needs it, and goes along where that is wanted.
func TestLacking(t *testing.T) {
	need := func(c *catalog.Catalog, of, on string) {
		o, x := c.Find(catalog.Ref{Kind: catalog.Table, Name: of}), c.Find(catalog.Ref{Kind: catalog.Table, Name: on})
		o.Need(x.Ref(), catalog.AspectRowType)
	}
	source, target := side("berth: id=int", "call: id=int", "stay: id=int"), side("berth: id=int", "tug: id=int", "crew: id=int")
	need(source, "call", "stay")
	need(target, "crew", "tug")
	cmp := compare.Compare(source, target, compare.Options{})
	for _, c := range []struct{ wishes, want, taken string }{
		{"", "", ""},
		{"leave *", "", ""},
		{"leave table:stay", "table:call needs table:stay", "table:stay"},
		{"default leave, to-target call", "table:call needs table:stay", "table:stay"},
		{"default leave, to-target stay", "", ""},
		{"default leave, to-target tug", "table:crew stands on table:tug", "table:crew"},
		{"target-only-stays", "", ""},
		{"to-source stay", "table:call needs table:stay", "table:stay"},
	} {
		s := wishes(t, c.wishes).Settle(cmp)
		chosen, taken, got := s.Chosen, []string{}, []string{}
		for i, m := range chosen.Lacking() {
			words := m.Thing.String() + " needs " + m.Needs.String()
			if m.Goes {
				words = m.Needs.String() + " stands on " + m.Thing.String()
			}
			got = append(got, words)
			if now, ok := chosen.Taking(m.Needs); ok && i == 0 {
				chosen = now
				taken = append(taken, m.Needs.String())
			}
		}
		if strings.Join(got, ", ") != c.want || strings.Join(taken, ", ") != c.taken || len(chosen.Lacking()) > 0 {
			t.Errorf("%q: %v, taken along %v, then %v", c.wishes, got, taken, chosen.Lacking())
		}
		if _, ok := s.Taking(catalog.Ref{Kind: catalog.Table, Name: "berth"}); ok {
			t.Errorf("%q: what is the same is taken along", c.wishes)
		}
	}
}
