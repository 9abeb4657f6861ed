package judge_test

import (
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/scope"
)

// toy are kinds with tolerances of every sort: a whole fact, what of a text still
// counts, a name, a whole thing, an order, and facts that go along.
var toy = catalog.NewKinds(nil, nil).Tolerating(
	catalog.Cover{Tolerance: "comments", Facts: []string{"comment"}},
	catalog.Cover{Tolerance: "letter-case", Facts: []string{"definition"}, Like: strings.ToLower},
	catalog.Cover{Tolerance: "whitespace", Facts: []string{"definition"}, Like: func(s string) string { return strings.Join(strings.Fields(s), " ") }},
	catalog.Cover{Tolerance: "constraint-names", Kinds: []catalog.Kind{catalog.Check}, Facts: []string{catalog.CoverName}},
	catalog.Cover{Tolerance: "grants", Kinds: []catalog.Kind{"grant"}, Facts: []string{catalog.CoverThing}},
	catalog.Cover{Tolerance: "column-order", Facts: []string{"column order"}},
	catalog.Cover{Tolerance: "storage", Facts: []string{"option *"}, With: []string{"written"}},
	catalog.Cover{Tolerance: "owners", Facts: []string{"owner"}},
)

// side is a catalog of lines: "table berth comment=x definition=y" is an object
// with facts, one that begins with a blank a part of the one before.
func side(lines ...string) *catalog.Catalog {
	c := &catalog.Catalog{Engine: "toy", Kinds: toy}
	var owner *catalog.Object
	for _, l := range lines {
		f := strings.Split(strings.TrimPrefix(l, " "), "|")
		kind, name, _ := strings.Cut(f[0], " ")
		o := &catalog.Object{Kind: catalog.Kind(kind), Name: name}
		for _, fact := range f[1:] {
			k, v, _ := strings.Cut(fact, "=")
			switch k {
			case "column order":
				o.SetOrder(k, strings.Fields(v))
			case "owner":
				o.Optional(k, "owners", catalog.Scalar(v))
			case "written":
				o.Carry(k, catalog.Scalar(v))
			case "definition":
				o.Set(k, catalog.PlainSQL(v))
			default:
				o.Set(k, catalog.Scalar(v))
			}
		}
		if strings.HasPrefix(l, " ") {
			owner.Add(o)
			continue
		}
		owner = o
		c.Add(o)
	}
	c.Sort()
	return c
}

func asked(t *testing.T, text string) []judge.Tolerate {
	t.Helper()
	if text == "" {
		return nil
	}
	l, err := judge.ParseTolerate(text)
	if err != nil {
		t.Fatal(err)
	}
	return l
}

// TestForbear: what is tolerated is as the target has it, is counted under what
// hides it, and is all that changes; fingerprints leave the same out.
func TestForbear(t *testing.T) {
	for _, c := range []struct {
		name           string
		source, target []string
		tolerate       string
		tally          string // "2 comments 1 …"
		left           string // what differs all the same
		same           bool   // the fingerprints agree
	}{
		{"a comment", []string{"table a|comment=x"}, []string{"table a|comment=y"}, "comments", "1 comments", "", true},
		{"a comment on one side", []string{"table a|comment=x"}, []string{"table a"}, "comments", "1 comments", "", true},
		{"a comment on the other side", []string{"table a"}, []string{"table a|comment=x"}, "comments", "1 comments", "", true},
		{"a comment on a part", []string{"table a", " column b|comment=x"}, []string{"table a", " column b"}, "comments", "1 comments", "", true},
		{"and more", []string{"table a|comment=x|engine=p"}, []string{"table a|comment=y|engine=q"}, "comments", "1 comments", "table:a engine", false},
		{"nothing asked", []string{"table a|comment=x"}, []string{"table a"}, "", "", "table:a comment", false},
		{"elsewhere", []string{"table a|comment=x"}, []string{"table a"}, "comments@table:b", "", "table:a comment", false},
		{"here", []string{"table a|comment=x", "table b|comment=x"}, []string{"table a", "table b"}, "comments@table:b", "1 comments", "table:a comment", false},
		{"on the table of a part", []string{"table a", " column b|comment=x"}, []string{"table a", " column b"}, "comments@table:a", "1 comments", "", true},
		{"letters", []string{"view a|definition=SELECT B"}, []string{"view a|definition=select b"}, "letter-case", "1 letter-case", "", true},
		{"blanks", []string{"view a|definition=select  b"}, []string{"view a|definition=select b"}, "letter-case", "", "view:a definition", false},
		{"blanks and letters", []string{"view a|definition=SELECT  B"}, []string{"view a|definition=select b"}, "letter-case,whitespace", "1 letter-case and whitespace", "", true},
		{"one of two is enough", []string{"view a|definition=select  b"}, []string{"view a|definition=select b"}, "letter-case,whitespace", "1 whitespace", "", true},
		{"a text on one side is no other spelling", []string{"view a|definition=x"}, []string{"view a"}, "letter-case", "", "view:a definition", false},
		{"names of the same", []string{"table a", " check x|definition=b > 0"}, []string{"table a", " check y|definition=b > 0"}, "constraint-names", "1 constraint-names", "", true},
		{"names of others", []string{"table a", " check x|definition=b > 0"}, []string{"table a", " check y|definition=b > 1"}, "constraint-names", "", "check:a.x check:a.y", false},
		{"two of three", []string{"table a", " check x|definition=p", " check y|definition=q", " check z|definition=r"}, []string{"table a", " check x|definition=q", " check v|definition=r", " check w|definition=p"}, "constraint-names", "3 constraint-names", "", true},
		{"a whole thing", []string{"table a", "grant x|p=1"}, []string{"table a", "grant y|p=1"}, "grants", "2 grants", "", true},
		{"an order", []string{"table a|column order=p q r", " column p", " column q", " column r"}, []string{"table a|column order=r q p", " column r", " column q", " column p"}, "column-order", "1 column-order", "", true},
		{"an order and a newcomer", []string{"table a|column order=p q n r", " column p", " column q", " column n", " column r"}, []string{"table a|column order=r q p", " column r", " column q", " column p"}, "column-order", "1 column-order", "column:a.n", false},
		{"facts by their beginning", []string{"table a|option x=1|option y=2|written=s"}, []string{"table a|option x=2|written=t"}, "storage", "2 storage", "", true},
		{"what was not asked for", []string{"table a|owner=x"}, []string{"table a|owner=y"}, "owners", "", "", true},
	} {
		source, target := side(c.source...), side(c.target...)
		cmp := compare.Compare(source, target, compare.Options{Tolerate: asked(t, c.tolerate)})
		var tally, left []string
		for _, n := range judge.Tally(cmp.Tolerated) {
			tally = append(tally, string(rune('0'+n.N))+" "+n.Name)
		}
		note := func(ref catalog.Ref, it *compare.Item) {
			if it.Status != compare.Differs {
				left = append(left, ref.String())
			}
			for _, p := range it.Properties {
				left = append(left, ref.String()+" "+p.Name)
			}
		}
		for _, it := range cmp.Differences() {
			note(it.Object().Ref(), it)
			for _, p := range it.Changed() {
				note(it.Object().PartRef(p.Object()), p)
			}
		}
		slices.Sort(left)
		if got := strings.Join(left, " "); got != c.left || strings.Join(tally, " ") != c.tally {
			t.Errorf("%s: %q differs and %q is tolerated, not %q and %q", c.name, got, strings.Join(tally, " "), c.left, c.tally)
		}
		if c.left == "" && cmp.Similarity() != 1000 {
			t.Errorf("%s: alike to %d", c.name, cmp.Similarity())
		}
		if strings.Join(c.source, "\n") != texts(source) || strings.Join(c.target, "\n") != texts(target) {
			t.Errorf("%s: a side was changed:\n%s\n%s", c.name, texts(source), texts(target))
		}
		r := judge.NewRegard(target, nil, asked(t, c.tolerate))
		if same := prints(r, source) == prints(r, target); same != c.same {
			t.Errorf("%s: the same fingerprint: %v", c.name, same)
		}
		if r.Named = true; c.tolerate == "constraint-names" && prints(r, source) == prints(r, target) {
			t.Errorf("%s: names that are spoken of do not count", c.name)
		}
	}
	// What is only kept to write a fact goes along with it.
	cmp := compare.Compare(side("table a|option x=1|written=s|engine=p"), side("table a|option x=2|written=t|engine=q"), compare.Options{Tolerate: asked(t, "storage")})
	if o := cmp.Source.Objects[0]; o.Text("option x") != "2" || o.Text("written") != "t" || o.Text("engine") != "p" {
		t.Errorf("the source has %q, written %q", o.Text("option x"), o.Text("written"))
	}
	if cmp.Untouched.Objects[0].Text("option x") != "1" {
		t.Error("the source itself is not known any more")
	}
}

// prints are the fingerprints of what is not ignored.
func prints(r judge.Regard, c *catalog.Catalog) (out string) {
	for _, o := range c.Objects {
		if !r.Ignores(o) {
			out += r.Fingerprint(o) + " "
		}
	}
	return out
}

// texts writes a catalog as side reads it.
func texts(c *catalog.Catalog) string {
	var lines []string
	write := func(indent string, o *catalog.Object) {
		l := indent + string(o.Kind) + " " + o.Name
		for _, p := range o.Properties {
			v := p.Value.String()
			if p.Order {
				v = strings.Join(p.Value.Items, " ")
			}
			l += "|" + p.Name + "=" + v
		}
		lines = append(lines, l)
	}
	for _, o := range c.Objects {
		write("", o)
		for _, p := range o.Parts {
			write(" ", p)
		}
	}
	return strings.Join(lines, "\n")
}

// TestTolerated: only what is in scope is told, and only what was asked for
// counts at all.
func TestTolerated(t *testing.T) {
	source, target := side("table a|comment=x|owner=p", "table b|comment=x"), side("table a|owner=q", "table b")
	only, err := scope.Parse("table:b")
	if err != nil {
		t.Fatal(err)
	}
	cmp := compare.Compare(source, target, compare.Options{Tolerate: asked(t, "comments,owners"), Scope: scope.Scope{Only: only}})
	if len(cmp.Tolerated) != 1 || cmp.Tolerated[0].On.Name != "b" || cmp.Different() {
		t.Errorf("in scope: %v", cmp.Tolerated)
	}
	cmp = compare.Compare(source, target, compare.Options{Tolerate: asked(t, "owners"), Groups: map[string]bool{"owners": true}})
	if len(cmp.Tolerated) != 1 || cmp.Tolerated[0].Fact != "owner" || cmp.Tolerated[0].Source.Text != "p" {
		t.Errorf("asked for: %v", cmp.Tolerated)
	}
	for text, wrong := range map[string]string{"comment": "meant comments?", "": "no tolerance", "comments@": "empty name", "comments@a,": "no tolerance", `comments@"`: "not closed", "comments@a.b.c.d": "more than three"} {
		if _, err := judge.ParseTolerate(text); err == nil || !strings.Contains(err.Error(), wrong) {
			t.Errorf("%q: %v", text, err)
		}
	}
	if l := asked(t, `comments@"odd, name",whitespace`); len(l) != 2 || l[0].String() != `comments@"odd, name"` || l[1].String() != "whitespace" {
		t.Errorf("read as %v", l)
	}
	names := map[string]bool{}
	for i, x := range judge.Tolerances {
		if names[x.Name] || x.Equal == "" || x.Still == "" || i > 0 && judge.Tolerances[i-1].Name > x.Name {
			t.Errorf("%s is said twice, or badly, or stands in the wrong place", x.Name)
		}
		names[x.Name] = true
	}
}
