package compare_test

import (
	"context"
	"fmt"
	"strings"
	"sync/atomic"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/scope"
)

var kinds = catalog.NewKinds(nil, []catalog.KindInfo{{Kind: catalog.Index, DefinedBy: []string{"definition"}}})

// build makes a catalog of a small notation: "table berth: id=int depth=real
// #ix=depth" has columns with a type, and an index with a definition.
func build(lines ...string) *catalog.Catalog {
	c := &catalog.Catalog{Engine: "sqlite", FoldNames: true, Kinds: kinds}
	for _, l := range lines {
		head, rest, _ := strings.Cut(l, ":")
		kind, name, _ := strings.Cut(head, " ")
		o := &catalog.Object{Kind: catalog.Kind(kind), Name: name, ID: catalog.FoldASCII(name), Space: "relation"}
		for _, f := range strings.Fields(rest) {
			n, v, _ := strings.Cut(f, "=")
			switch {
			case strings.HasPrefix(n, "#"):
				p := &catalog.Object{Kind: catalog.Index, Name: n[1:]}
				p.Set("definition", catalog.PlainSQL(v))
				o.Add(p)
			case strings.HasPrefix(n, "@"):
				o.Set(n[1:], catalog.Scalar(v))
			case strings.HasPrefix(n, "+"):
				o.Optional(n[1:], "owners", catalog.Scalar(v))
			default:
				p := &catalog.Object{Kind: catalog.Column, Name: n}
				p.Set("type", catalog.Scalar(v))
				o.Add(p)
			}
		}
		c.Add(o)
	}
	c.Sort()
	return c
}

// story tells a comparison in one line, for tests.
func story(c *compare.Comparison) string {
	var out []string
	for _, it := range c.Differences() {
		s := fmt.Sprintf("%s %s %s", it.Status, it.Kind(), it.Object().Name)
		for _, p := range it.Properties {
			s += " " + p.Name
		}
		if it.Status == compare.Differs {
			for _, p := range it.Changed() {
				s += fmt.Sprintf(" [%s %s", p.Status, p.Object().Name)
				for _, d := range p.Properties {
					s += " " + d.Name
				}
				s += "]"
			}
		}
		out = append(out, s)
	}
	return strings.Join(out, "; ")
}

func TestCompare(t *testing.T) {
	for _, c := range []struct {
		name           string
		source, target []string
		only, except   string
		groups         string
		want           string
	}{
		{"nothing", nil, nil, "", "", "", ""},
		{"the same", []string{"table berth: id=int"}, []string{"table Berth: id=int"}, "", "", "", ""},
		{"new and gone", []string{"table a:", "table b:"}, []string{"table b:", "view c:"}, "", "", "", "source-only table a; target-only view c"},
		{"a column", []string{"table a: x=int y=int"}, []string{"table a: x=real z=int"}, "", "", "", "differs table a [differs x type] [source-only y] [target-only z]"},
		{"a property", []string{"table a: @strict=yes"}, []string{"table a:"}, "", "", "", "differs table a strict"},
		{"a property of the target only", []string{"table a:"}, []string{"table a: @strict=yes"}, "", "", "", "differs table a strict"},
		{"an index under another name", []string{"table a: #new=x"}, []string{"table a: #old=x"}, "", "", "", "differs table a [differs new name]"},
		{"two twins", []string{"table a: #n1=x #n2=x"}, []string{"table a: #o1=x #o2=x"}, "", "", "", "differs table a [differs n1 name] [differs n2 name]"},
		{"a name keeps its match before a twin", []string{"table a: #i=x #j=y"}, []string{"table a: #i=y #k=x"}, "", "", "", "differs table a [differs i definition] [source-only j] [target-only k]"},
		{"a kind changes", []string{"view a:"}, []string{"table a:"}, "", "", "", "target-only table a; source-only view a"},
		{"only", []string{"table a: x=int", "table b: x=int"}, []string{"table a: x=real", "table b: x=real"}, "table:b", "", "", "differs table b [differs x type]"},
		{"only one column", []string{"table a: x=int y=int @strict=yes"}, []string{"table a: x=real y=real"}, "column:a.x", "", "", "differs table a [differs x type]"},
		{"except a part", []string{"table a: x=int #i=x"}, []string{"table a: x=real"}, "", "index:*", "", "differs table a [differs x type]"},
		{"an owner is no difference", []string{"table a: +owner=me"}, []string{"table a: +owner=you"}, "", "", "", ""},
		{"unless asked for", []string{"table a: +owner=me"}, []string{"table a: +owner=you"}, "", "", "owners", "differs table a owner"},
	} {
		opt := compare.Options{Groups: map[string]bool{c.groups: true}}
		if c.only != "" {
			opt.Scope.Only, _ = scope.Parse(c.only)
		}
		if c.except != "" {
			opt.Scope.Except, _ = scope.Parse(c.except)
		}
		cmp := compare.Compare(build(c.source...), build(c.target...), opt)
		if got := story(cmp); got != c.want {
			t.Errorf("%s\n got %s\nwant %s", c.name, got, c.want)
		}
		if cmp.Different() != (c.want != "") || (cmp.Similarity() == 1000) != (c.want == "") {
			t.Errorf("%s: different %v, similarity %d", c.name, cmp.Different(), cmp.Similarity())
		}
		back := compare.Compare(build(c.target...), build(c.source...), opt)
		if back.Similarity() != cmp.Similarity() {
			t.Errorf("%s: similarity is %d one way and %d the other", c.name, cmp.Similarity(), back.Similarity())
		}
		// What is desired, put beside the target, shows the same differences,
		// and beside the source none that is in scope.
		d := choose.All(cmp).Target()
		if got := story(compare.Compare(d, cmp.Target, compare.Options{Groups: opt.Groups})); got != c.want {
			t.Errorf("%s: desired against the target\n got %s\nwant %s", c.name, got, c.want)
		}
		if got := story(compare.Compare(cmp.Source, d, opt)); got != "" {
			t.Errorf("%s: the source against what is desired: %s", c.name, got)
		}
	}
}

func TestSimilarity(t *testing.T) {
	var many, changed []string
	for i := range 100 {
		l := fmt.Sprintf("table t%03d: a=int b=int c=int d=int e=int f=int g=int h=int i=int j=int", i)
		many = append(many, l)
		if i == 50 {
			l = strings.Replace(l, "e=int", "e=real", 1)
		}
		changed = append(changed, l)
	}
	for _, c := range []struct {
		name     string
		a, b     []string
		min, max int
	}{
		{"one column of a thousand", many, changed, 995, 999},
		{"nothing in common", []string{"table a: x=int"}, []string{"view b:"}, 0, 0},
		{"one empty", many, nil, 0, 0},
		{"half", []string{"table a: x=int", "table b: x=int"}, []string{"table a: x=int"}, 600, 700},
	} {
		got := compare.Compare(build(c.a...), build(c.b...), compare.Options{}).Similarity()
		if got < c.min || got > c.max {
			t.Errorf("%s: %d, want %d to %d", c.name, got, c.min, c.max)
		}
	}
}

func TestNotSeenIsNotAbsent(t *testing.T) {
	source, target := build("table a: x=int", "routine f:"), build("table a: x=int")
	target.Gaps = []catalog.Gap{{Kind: "routine", Why: "no right"}}
	cmp := compare.Compare(source, target, compare.Options{})
	if cmp.Different() || len(cmp.Judge.Gaps) != 1 || cmp.Judge.Gaps[0].Side != "target" {
		t.Errorf("a kind one side could not see differs: %s %v", story(cmp), cmp.Judge.Gaps)
	}
	if d := choose.All(cmp).Target(); d.Find(catalog.Ref{Kind: "routine", Name: "f"}) != nil {
		t.Error("what was not compared is desired")
	}
	source, target = build("table a: x=int @comment=x"), build("table a: x=int")
	source.Gaps = []catalog.Gap{{Kind: "table", Property: "comment", Why: "no right"}}
	if cmp := compare.Compare(source, target, compare.Options{}); cmp.Different() {
		t.Errorf("a fact one side could not see differs: %s", story(cmp))
	}
}

func TestChoices(t *testing.T) {
	source := build("table a: x=int y=int", "table n: x=int", "view v: @text=new")
	target := build("table a: x=real z=int", "table g: x=int", "view v: @text=old")
	cmp := compare.Compare(source, target, compare.Options{}) // all choices are made from this one
	leave := func(path ...string) *catalog.Catalog {
		made := choose.All(cmp)
		for _, it := range cmp.Items {
			for _, p := range path {
				if it.Object().Name == p {
					made = made.With(it, choose.Choice{Decision: choose.Leave})
				}
				for _, part := range it.Parts {
					if it.Object().Name+"."+part.Object().Name == p {
						made = made.With(part, choose.Choice{Decision: choose.Leave})
					}
				}
			}
		}
		return made.Target()
	}
	for _, c := range []struct {
		leave []string
		want  string // the desired against the target
	}{
		{nil, "differs table a [differs x type] [source-only y] [target-only z]; target-only table g; source-only table n; differs view v text"},
		{[]string{"g", "n", "v"}, "differs table a [differs x type] [source-only y] [target-only z]"},
		{[]string{"a.x", "g", "n", "v"}, "differs table a [source-only y] [target-only z]"},
		{[]string{"a.z", "g", "n", "v"}, "differs table a [differs x type] [source-only y]"},
		{[]string{"a.y", "g", "n", "v"}, "differs table a [differs x type] [target-only z]"},
		{[]string{"a", "g", "n", "v"}, ""},
		{[]string{"a"}, "target-only table g; source-only table n; differs view v text"},
	} {
		d := leave(c.leave...)
		if got := story(compare.Compare(d, target, compare.Options{})); got != c.want {
			t.Errorf("left %v\n got %s\nwant %s", c.leave, got, c.want)
		}
	}
}

func TestOwnerStaysWhenNotAskedFor(t *testing.T) {
	cmp := compare.Compare(build("table a: x=int +owner=me"), build("table a: x=real +owner=you"), compare.Options{})
	if got := choose.All(cmp).Target().Objects[0].Text("owner"); got != "you" {
		t.Errorf("the owner becomes %q", got)
	}
	cmp = compare.Compare(build("table a: x=int"), build("table a: x=int +owner=you"), compare.Options{})
	if got := choose.All(cmp).Target().Objects[0].Text("owner"); got != "you" {
		t.Errorf("of an equal object the owner becomes %q", got)
	}
}

// Only values whose keys do not prove them equal are read.
func TestSettleReadsOnlyWhatDiffers(t *testing.T) {
	lazy := func(key string) *catalog.Object {
		o := &catalog.Object{Kind: catalog.View, Name: "v" + key[:1]}
		o.Set("definition", catalog.Value{Form: catalog.FormSQL, Key: key, Unread: true})
		return o
	}
	side := func(keys ...string) (*catalog.Catalog, *int) {
		c, n := &catalog.Catalog{}, new(int)
		for _, k := range keys {
			c.Add(lazy(k))
		}
		c.Fetch = func(_ context.Context, vs []*catalog.Value) error {
			for _, v := range vs {
				*n++
				v.Pieces, v.Unread = []catalog.Piece{{Text: "text of " + v.Key, Canon: "text of " + v.Key}}, false
			}
			return nil
		}
		return c, n
	}
	source, sn := side("a1", "b1", "c1")
	target, tn := side("a1", "b2", "d1")
	if err := compare.Settle(t.Context(), source, target); err != nil {
		t.Fatal(err)
	}
	if *sn != 2 || *tn != 2 {
		t.Errorf("read %d and %d texts, want 2 and 2: the differing one and the one without a partner", *sn, *tn)
	}
	if got := story(compare.Compare(source, target, compare.Options{})); got != "differs view vb definition; source-only view vc; target-only view vd" {
		t.Error(got)
	}
	source.Fetch = func(context.Context, []*catalog.Value) error { return fmt.Errorf("lost") }
	source.Objects[0].Properties[0].Value.Key = "zz"
	if err := compare.Settle(t.Context(), source, target); err == nil {
		t.Error("a failed read is not reported")
	}
}

func BenchmarkCompare(b *testing.B) {
	var lines []string
	for i := range 1000 {
		lines = append(lines, fmt.Sprintf("table t%d: a=int b=int c=int d=int e=int #i=a #j=b", i))
	}
	source, target := build(lines...), build(lines...)
	b.ReportAllocs()
	for b.Loop() {
		compare.Compare(source, target, compare.Options{})
	}
}

// TestFactsOfAKind: a defect is nobody's wish, an order counts for what both
// sides have, and what one server cannot know is said only where the other
// does.
func TestFactsOfAKind(t *testing.T) {
	table := func(set func(o *catalog.Object)) *catalog.Catalog {
		c := &catalog.Catalog{}
		o := &catalog.Object{Kind: catalog.Table, Name: "berth"}
		set(o)
		c.Add(o)
		return c
	}
	bad := func(o *catalog.Object) { o.SetDefect("invalid", true) }
	good := func(*catalog.Object) {}
	order := func(l ...string) func(*catalog.Object) {
		return func(o *catalog.Object) { o.SetOrder("column order", l) }
	}
	for _, c := range []struct {
		name           string
		source, target func(*catalog.Object)
		differs        bool
	}{
		{"only the target is broken", good, bad, true}, {"only the source is broken", bad, good, false}, {"both are", bad, bad, false},
		{"one more in between", order("a", "x", "b"), order("a", "b"), false}, {"one less", order("b"), order("a", "b"), false}, {"turned round", order("b", "a"), order("a", "b"), true},
		{"one more, and turned round", order("b", "x", "a"), order("a", "b"), true},
	} {
		if got := compare.Compare(table(c.source), table(c.target), compare.Options{}).Different(); got != c.differs {
			t.Errorf("%s: differs is %v", c.name, got)
		}
	}
	named := func(o *catalog.Object) { o.Set("not null name", catalog.Scalar("n")) }
	older := func() *catalog.Catalog {
		c := table(good)
		c.Gaps = []catalog.Gap{{Kind: catalog.Table, Property: "not null name", Why: "too old", Quiet: true}}
		return c
	}
	for _, c := range []struct {
		name           string
		source, target *catalog.Catalog
		gaps           int
	}{{"both too old", older(), older(), 0}, {"the target", table(named), older(), 1}, {"the source", older(), table(named), 1}} {
		cmp := compare.Compare(c.source, c.target, compare.Options{})
		if cmp.Different() || len(cmp.Judge.Gaps) != c.gaps {
			t.Errorf("%s: differs %v, %d gaps", c.name, cmp.Different(), len(cmp.Judge.Gaps))
		}
		if d := compare.Compare(choose.All(cmp).Target(), c.target, compare.Options{Deep: true}); d.Different() {
			t.Errorf("%s: what one side does not know is wished for", c.name)
		}
	}
}

// TestSettleReleases: whatever was read from is given back, whether reading
// the rest succeeds or not.
func TestSettleReleases(t *testing.T) {
	for _, fails := range []bool{false, true} {
		var released atomic.Int32
		side := func(key string) *catalog.Catalog {
			c := &catalog.Catalog{Release: func() { released.Add(1) }}
			o := &catalog.Object{Kind: catalog.View, Name: "v"}
			o.Set("definition", catalog.Value{Form: catalog.FormSQL, Unread: true, Key: key, Handle: 1})
			c.Add(o)
			c.Fetch = func(_ context.Context, values []*catalog.Value) error {
				if fails {
					return fmt.Errorf("gone")
				}
				for _, v := range values {
					*v = catalog.PlainSQL("SELECT " + key)
				}
				return nil
			}
			return c
		}
		x, y := side("1"), side("2")
		if err := compare.Settle(t.Context(), x, y); (err != nil) != fails || released.Load() != 2 {
			t.Errorf("fails %v: %v, %d given back", fails, err, released.Load())
		}
		if !fails && !compare.Compare(x, y, compare.Options{}).Different() {
			t.Error("the texts were not read")
		}
	}
}

// TestOrderOfWhatStays: where the order of columns is a fact, a column that is
// held back stays behind what it stood behind.
func TestOrderOfWhatStays(t *testing.T) {
	table := func(columns ...string) *catalog.Catalog {
		o := &catalog.Object{Kind: catalog.Table, Name: "pilot"}
		for _, c := range columns {
			o.Add(&catalog.Object{Kind: catalog.Column, Name: c})
		}
		o.Add(&catalog.Object{Kind: catalog.Index, Name: "i"})
		o.SetOrder("column order", columns)
		c := &catalog.Catalog{Engine: "toy"}
		c.Add(o)
		return c
	}
	for _, c := range []struct{ source, target, held, want string }{
		{"id given family licence", "id name licence", "name", "id name given family licence"},
		{"a b", "gone a b", "gone", "gone a b"},
		{"a b", "a b gone away", "gone away", "a b gone away"},
		{"b a", "a gone b", "gone", "b a gone"},
		{"a new b", "a b gone", "new gone", "a b gone"},
		{"a new b", "a b", "", "a new b"},
	} {
		cmp := compare.Compare(table(strings.Fields(c.source)...), table(strings.Fields(c.target)...), compare.Options{})
		made := choose.All(cmp)
		for _, p := range cmp.Items[0].Parts {
			if strings.Contains(" "+c.held+" ", " "+p.Object().Name+" ") {
				made = made.With(p, choose.Choice{Decision: choose.Leave})
			}
		}
		o := made.Target().Objects[0]
		var got []string
		for _, p := range o.PartsOf(catalog.Column) {
			got = append(got, p.Name)
		}
		if g := strings.Join(got, " "); g != c.want || strings.Join(o.List("column order"), " ") != c.want {
			t.Errorf("%s over %s without %s: %s, said to be %v", c.source, c.target, c.held, g, o.List("column order"))
		}
	}
}

// TestWay: targets are taken for alike where their differences are, and nowhere else.
func TestWay(t *testing.T) {
	source := []string{"table berth: id=int depth=real #ix=depth", "table vessel: id=int"}
	way := func(also string, target ...string) [32]byte {
		return compare.Compare(build(source...), build(target...), compare.Options{}).Way(func(it, part *compare.Item) string { return also })
	}
	drifted := way("", "table berth: id=int depth=int", "table vessel: id=int")
	if drifted != way("", "table vessel: id=int", "table berth: id=int depth=int") {
		t.Error("the same differences are two ways")
	}
	seen := map[[32]byte]string{drifted: "the first"}
	for _, c := range [][]string{
		{"", "table berth: id=int depth=real #ix=depth", "table vessel: id=int"}, // equal
		{"chosen", "table berth: id=int depth=int", "table vessel: id=int"},
		{"", "table berth: id=int depth=text", "table vessel: id=int"},
		{"", "table berth: id=int depth=int #ix=id", "table vessel: id=int"},
		{"", "table berth: depth=int id=int", "table vessel: id=int"},
		{"", "table berth: id=int depth=int", "table vessel: id=int", "table pilot: id=int"},
		{"", "table berth: id=int depth=int", "table vessel: id=int", "table pilot: id=text"},
		{"", "table berth: id=int depth=int", "table vessel: id=int", "table pilot: i=dint"},
		{"", "table berth: id=int depth=int", "table vessel: id=int", "view pilot: @definition=x"},
		{"", "table berth: id=int depth=int", "table vessel: id=int", "view pilot: @definition=y"},
		{"", "table berth: id=int depth=int"},
	} {
		w, name := way(c[0], c[1:]...), fmt.Sprint(c)
		if other, taken := seen[w]; taken {
			t.Errorf("%s is taken for %s", name, other)
		}
		seen[w] = name
	}
}
