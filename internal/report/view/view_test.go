package view

import (
	"dappermirror/internal/core/compare"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

func TestChangedWords(t *testing.T) {
	for _, c := range []struct {
		a, b   string
		as, bs []Span
	}{
		{"a b c", "a x c", []Span{{2, 3}}, []Span{{2, 3}}},
		{"a c", "a b c", nil, []Span{{1, 3}}},
		{"über alles", "über alle", []Span{{5, 10}}, []Span{{5, 9}}},
		{"same", "same", nil, nil},
		{"nothing alike here", "quite another thing", nil, nil},
	} {
		as, bs := changedWords(c.a, c.b)
		if len(as) != len(c.as) || len(bs) != len(c.bs) {
			t.Errorf("%q %q: %v %v", c.a, c.b, as, bs)
			continue
		}
		for i := range as {
			if as[i] != c.as[i] {
				t.Errorf("%q %q: %v", c.a, c.b, as)
			}
		}
		for i := range bs {
			if bs[i] != c.bs[i] {
				t.Errorf("%q %q: %v", c.a, c.b, bs)
			}
		}
	}
}

// TestMerge: from two texts that are shown as one both can be had back, whatever is in
// them, and folding loses no line.
func TestMerge(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 1))
	words := strings.Fields("CREATE TABLE berth ( id integer , name text NOT NULL -- '' \" ü ) ; DEFAULT 'x y' CHECK depth > 9")
	text := func() []string {
		var out []string
		for range r.IntN(40) {
			var line []string
			for range r.IntN(6) {
				line = append(line, words[r.IntN(len(words))])
			}
			out = append(out, strings.Join(line, " "))
		}
		return out
	}
	for range 300 {
		old := text()
		young := slices.Clone(old)
		for range r.IntN(6) { // sometimes nothing is alike, mostly much is
			switch n := r.IntN(len(young) + 1); {
			case r.IntN(8) == 0:
				young = text()
			case r.IntN(2) == 0 && n < len(young):
				young = slices.Delete(young, n, n+1)
			default:
				young = slices.Insert(young, n, words[r.IntN(len(words))])
			}
		}
		var was, is []string
		lines := Merge(old, young)
		for _, l := range lines {
			if l.Mark != Comes {
				was = append(was, l.Text)
			}
			if l.Mark != Goes {
				is = append(is, l.Text)
			}
			at := 0
			for _, s := range l.Hot {
				if s.From < at || s.To <= s.From || s.To > len([]rune(l.Text)) {
					t.Fatalf("%q is marked at %v", l.Text, l.Hot)
				}
				at = s.To
			}
			if l.Mark == Plain && l.Hot != nil {
				t.Fatalf("what both have is marked: %q", l.Text)
			}
		}
		if !slices.Equal(was, old) || !slices.Equal(is, young) {
			t.Fatalf("%q and %q are shown as %v", old, young, lines)
		}
		n, changed := 0, 0
		for _, run := range Fold(lines) {
			n += len(run.Lines) + run.Folded
			for _, l := range run.Lines {
				if l.Mark != Plain {
					changed++
				}
			}
			if run.Folded > 0 && len(run.Lines) > 0 || run.Folded == 1 {
				t.Fatalf("folded: %+v", run)
			}
		}
		if n != len(lines) || changed != len(lines)-count(lines) {
			t.Fatalf("%d lines of %d, %d changed", n, len(lines), changed)
		}
	}
}

// count counts the lines that both texts have.
func count(lines []Line) (n int) {
	for _, l := range lines {
		if l.Mark == Plain {
			n++
		}
	}
	return n
}

// TestGroups: each object stands in one group, and equal ones only where all is asked
// for.
func TestGroups(t *testing.T) {
	c := &Comparison{Objects: []Object{{Kind: "table", Name: "a", Status: compare.Differs}, {Kind: "table", Name: "b", Status: compare.Same}, {Kind: "view", Schema: "s", Name: "c", Status: compare.TargetOnly}, {Kind: "view", Name: "d", Status: compare.SourceOnly}}}
	for _, x := range []struct {
		byStatus, all bool
		want          string
	}{
		{false, false, "tables: a; views: s.c d"}, {false, true, "tables: a b; views: s.c d"},
		{true, false, "differ: a; only in the source: d; only in the target: s.c"}, {true, true, "differ: a; only in the source: d; only in the target: s.c; the same: b"},
	} {
		var got []string
		for _, g := range c.Groups(x.byStatus, x.all) {
			var names []string
			for _, o := range g.Objects {
				names = append(names, o.Title())
			}
			got = append(got, g.Title+": "+strings.Join(names, " "))
		}
		if strings.Join(got, "; ") != x.want {
			t.Errorf("%+v: %s", x, strings.Join(got, "; "))
		}
	}
	if c.Objects[2].ID() != "view:s.c" || (&Step{Risks: []Phrase{{Mark: Loses}}}).Risky() != true || (&Step{Risks: []Phrase{{Mark: Changed}}}).Risky() {
		t.Error("names or risks")
	}
}
