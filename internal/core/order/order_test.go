package order

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
)

// toy is an engine with objects that need each other by name. "!" in a
// property means that it cannot be changed in place; "loss" that dropping it
// loses something.
type toy struct{}

func (toy) action(verb string, o *catalog.Object) *Action {
	return &Action{About: o.Ref(), Title: verb + " " + o.Name, SQL: []string{verb + " " + o.Name + ";"}}
}

func (w toy) Create(c *Change) []*Action {
	a := w.action("create", c.Source)
	a.Makes = []catalog.Ref{c.Source.Ref()}
	a.Takes = []Name{{Space: "all", Name: c.Source.Name}}
	if c.Source.Has("splits") {
		a.Split = func() []*Action {
			bare, late := *a, w.action("finish", c.Source)
			bare.Split, bare.Makes = nil, nil
			late.Makes, late.Sequel = a.Makes, &bare
			return []*Action{&bare, late}
		}
	}
	return []*Action{a}
}

func (w toy) Drop(c *Change) []*Action {
	a := w.action("drop", c.Target)
	a.Removes = []catalog.Ref{c.Target.Ref()}
	a.Frees = []Name{{Space: "all", Name: c.Target.Name}}
	a.Late = c.Source == nil
	if c.Target.Has("loss") {
		a.Risks = []Risk{{Kind: Loss, On: c.Target.Ref(), Text: c.Target.Name}}
	}
	return []*Action{a}
}

func (w toy) Alter(c *Change) ([]*Action, bool) {
	if c.Source.Has("!") {
		return nil, false
	}
	a := w.action("alter", c.Source)
	a.Makes = []catalog.Ref{c.Source.Ref()}
	if c.Property("type") != nil {
		a.Effects = []Effect{{On: c.Source.Ref(), Aspect: catalog.AspectType}}
	}
	a.Prefix, a.Clauses, a.SQL = "ALTER "+c.Source.Text("table"), []string{c.Source.Name}, nil
	if !c.Source.Has("table") {
		a.Prefix, a.SQL = "", []string{"alter " + c.Source.Name + ";"}
	}
	return []*Action{a}, true
}

func (toy) Survives(owner, part *catalog.Object, need catalog.Need, e Effect) bool {
	return need.Text || !e.Gone && e.Aspect != catalog.AspectType
}

// world reads "name prop=value >need ~textneed"; the kind is "thing", or what
// stands before a slash.
func world(lines ...string) *catalog.Catalog {
	c := &catalog.Catalog{}
	for _, l := range lines {
		f := strings.Fields(l)
		kind, name, ok := strings.Cut(f[0], "/")
		if !ok {
			kind, name = "thing", f[0]
		}
		o := &catalog.Object{Kind: catalog.Kind(kind), Name: name, Space: "all"}
		for _, x := range f[1:] {
			if n, ok := strings.CutPrefix(x, ">"); ok {
				o.Need(catalog.Ref{Kind: "thing", Name: n}, catalog.AspectName)
			} else if n, ok := strings.CutPrefix(x, "~"); ok {
				o.Needs = append(o.Needs, catalog.Need{On: catalog.Ref{Kind: "thing", Name: n}, Text: true})
			} else if n, v, ok := strings.Cut(x, "=="); ok {
				o.Set(n, catalog.PlainSQL(v))
			} else {
				n, v, _ := strings.Cut(x, "=")
				o.Set(n, catalog.Scalar(v))
			}
		}
		c.Add(o)
	}
	c.Sort()
	return c
}

func steps(list []*Step) string {
	var out []string
	for _, s := range list {
		out = append(out, s.Title)
	}
	return strings.Join(out, ", ")
}

func TestBuild(t *testing.T) {
	for _, c := range []struct {
		name           string
		source, target []string
		allow          string
		want, held     string
		err            string
	}{
		{"needs first", []string{"a >b", "b >c", "c"}, nil, "", "create c, create b, create a", "", ""},
		{"users go first", nil, []string{"a", "b >a", "c >b"}, "", "drop c, drop b, drop a", "", ""},
		{"what stands on it steps aside", []string{"base type=2 ", "mid >base", "top >mid"}, []string{"base type=1", "mid >base", "top >mid"}, "",
			"drop top, drop mid, alter base, create mid, create top", "", ""},
		{"a harmless change disturbs nobody", []string{"base color=2", "mid >base"}, []string{"base color=1", "mid >base"}, "", "alter base", "", ""},
		{"rebuilt with its users", []string{"base ! x=2", "mid >base", "other"}, []string{"base ! x=1", "mid >base", "other"}, "", "drop mid, drop base, create base, create mid", "", ""},
		{"a text need disturbs nobody", []string{"base type=2", "mid ~base"}, []string{"base type=1", "mid ~base"}, "", "alter base", "", ""},
		{"a user lets go by changing", []string{"mid def==x"}, []string{"base", "mid def==y >base"}, "", "alter mid, drop base", "", ""},
		{"a user that does not let go is rebuilt", []string{"mid"}, []string{"base", "mid >base"}, "", "drop mid, create mid, drop base", "", ""},
		{"a name is freed before it is taken", []string{"view/a"}, []string{"thing/a"}, "", "drop a, create a", "", ""},
		{"text needs in a circle", []string{"a ~b", "b ~a"}, nil, "", "create a, create b", "", ""},
		{"a circle is split", []string{"a splits=yes >b", "b >a"}, nil, "", "", "", "circle"},
		{"a circle without a way out", []string{"a >b", "b >a"}, nil, "", "", "", `"create a" needs thing:b from "create b"; "create b" needs thing:a from "create a"`},
		{"who lets go by its text goes before what it had", []string{"view/v def==x ~a", "a"}, []string{"view/v def==y ~b", "view/a ~b", "b"}, "", "drop a, create a, alter v, drop b", "", ""},
		{"held back", []string{"b"}, []string{"a loss=yes"}, "", "create b", "drop a", ""},
		{"allowed", []string{"b"}, []string{"a loss=yes"}, "a", "create b, drop a", "", ""},
		{"what needs the name is held back too", []string{"view/a", "c"}, []string{"a loss=yes"}, "", "create c", "drop a, create a", ""},
		{"what the held thing stands on stays", nil, []string{"a loss=yes >b", "b", "c"}, "", "drop c", "drop a, drop b", ""},
	} {
		cmp := compare.Compare(world(c.source...), world(c.target...), compare.Options{})
		p, err := Build(choose.All(cmp), toy{}, func(r Risk) bool { return r.On.Name == c.allow })
		if c.err != "" {
			if err == nil || !strings.Contains(err.Error(), c.err) {
				t.Errorf("%s: %v, want an error with %q", c.name, err, c.err)
			}
			continue
		}
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		if got := steps(p.Steps); got != c.want {
			t.Errorf("%s\n got %s\nwant %s", c.name, got, c.want)
		}
		if got := steps(p.Held); got != c.held {
			t.Errorf("%s: held\n got %s\nwant %s", c.name, got, c.held)
		}
		for i, s := range append(slices.Clone(p.Steps), p.Held...) {
			if s.Number != i+1 {
				t.Errorf("%s: step %d has number %d", c.name, i+1, s.Number)
			}
		}
	}
}

func TestNeighboursBecomeOneStatement(t *testing.T) {
	source := world("a table=T x=2", "b table=T x=2", "c table=U x=2", "d x=2")
	target := world("a table=T x=1", "b table=T x=1", "c table=U x=1", "d x=1")
	p, err := Build(choose.All(compare.Compare(source, target, compare.Options{})), toy{}, func(Risk) bool { return true })
	if err != nil {
		t.Fatal(err)
	}
	var sql []string
	for _, s := range p.Steps {
		sql = append(sql, s.SQL...)
	}
	want := []string{"ALTER T\n  a,\n  b;", "ALTER U c;", "alter d;"}
	if !slices.Equal(sql, want) {
		t.Errorf("got %q, want %q", sql, want)
	}
	if p.Steps[0].Title != "alter a; alter b" {
		t.Errorf("title %q", p.Steps[0].Title)
	}
}

// replay runs steps on a set of names and fails when a need is broken on the
// way, whatever the structure.
func replay(t *testing.T, seed uint64, p *Plan) {
	t.Helper()
	there := map[string]*catalog.Object{}
	for _, o := range p.Actual.Objects {
		there[o.Name] = o
	}
	for _, s := range p.Steps {
		verb, name, _ := strings.Cut(s.Title, " ")
		switch verb {
		case "drop":
			delete(there, name)
		default:
			there[name] = p.Desired.Find(catalog.Ref{Kind: "thing", Name: name})
		}
		for _, o := range there {
			for _, n := range o.Needs {
				if there[n.On.Name] == nil {
					t.Fatalf("seed %d: after %q, %s stands on %s, which is not there; steps: %s", seed, s.Title, o.Name, n.On.Name, steps(p.Steps))
				}
			}
		}
	}
	if len(there) != len(p.Desired.Objects) {
		t.Fatalf("seed %d: ends with %d things, %d are desired; %s", seed, len(there), len(p.Desired.Objects), steps(p.Steps))
	}
}

// TestRandomGraphs plans between made-up graphs without circles: no step may
// ever leave something without what it stands on, and the order is the same
// every time.
func TestRandomGraphs(t *testing.T) {
	for seed := range uint64(400) {
		r := rand.New(rand.NewPCG(seed, 3))
		graph := func() []string {
			var out []string
			perm := r.Perm(12)
			for i, n := range perm {
				if r.IntN(4) == 0 {
					continue
				}
				l := fmt.Sprintf("n%02d def==%d", n, r.IntN(2))
				if r.IntN(3) == 0 {
					l += " !"
				}
				if r.IntN(3) == 0 {
					l += fmt.Sprintf(" type=%d", r.IntN(2))
				}
				for j := range i {
					if r.IntN(5) == 0 {
						for _, o := range out {
							if strings.HasPrefix(o, fmt.Sprintf("n%02d ", perm[j])) {
								l += fmt.Sprintf(" >n%02d", perm[j])
							}
						}
					}
				}
				out = append(out, l)
			}
			return out
		}
		source, target := graph(), graph()
		plan := func() *Plan {
			p, err := Build(choose.All(compare.Compare(world(source...), world(target...), compare.Options{})), toy{}, func(Risk) bool { return true })
			if err != nil {
				t.Fatalf("seed %d: %v\nsource %v\ntarget %v", seed, err, source, target)
			}
			return p
		}
		p := plan()
		replay(t, seed, p)
		if again := plan(); steps(again.Steps) != steps(p.Steps) {
			t.Fatalf("seed %d: another order the second time\n%s\n%s", seed, steps(p.Steps), steps(again.Steps))
		}
	}
}

func BenchmarkBuild(b *testing.B) {
	var lines []string
	for i := range 1000 {
		l := fmt.Sprintf("n%04d", i)
		if i > 0 {
			l += fmt.Sprintf(" >n%04d", i/2)
		}
		lines = append(lines, l)
	}
	source, target := world(lines...), world()
	b.ReportAllocs()
	for b.Loop() {
		if _, err := Build(choose.All(compare.Compare(source, target, compare.Options{})), toy{}, func(Risk) bool { return true }); err != nil {
			b.Fatal(err)
		}
	}
}

// TestWhatComesLaterIsLast: steps behind the transaction keep their order, and
// follow all others; those within are not joined with them.
func TestWhatComesLaterIsLast(t *testing.T) {
	actions := []*Action{{Title: "a", Later: true, Prefix: "P", Clauses: []string{"1"}}, {Title: "b", Prefix: "P", Clauses: []string{"2"}}, {Title: "c", Later: true, Prefix: "P", Clauses: []string{"3"}}, {Title: "d"}}
	var got []string
	for _, a := range join(lastThings(actions)) {
		got = append(got, a.Title)
	}
	if s := strings.Join(got, " | "); s != "b | d | a; c" {
		t.Errorf("the order is %s", s)
	}
}

// TestJoinKeepsWhatIsUsed: clauses are not put before statements that use what
// they take away.
func TestJoinKeepsWhatIsUsed(t *testing.T) {
	a, b, c := catalog.Ref{Kind: "table", Name: "t", PartKind: "column", Part: "a"}, catalog.Ref{Kind: "table", Name: "t", PartKind: "column", Part: "b"}, catalog.Ref{Kind: "table", Name: "t", PartKind: "column", Part: "c"}
	add := func() *Action {
		return &Action{Title: "add a", Makes: []catalog.Ref{a}, Prefix: "ALTER t", Clauses: []string{"ADD a"}, SQL: []string{"FILL a FROM b;"}, Uses: []catalog.Ref{b}}
	}
	for _, x := range []struct {
		then *Action
		want string
	}{
		{&Action{Title: "drop b", Removes: []catalog.Ref{b}, Prefix: "ALTER t", Clauses: []string{"DROP b"}}, "ALTER t ADD a;|FILL a FROM b;|ALTER t DROP b;"},
		{&Action{Title: "change b", Makes: []catalog.Ref{b.Of("type")}, Prefix: "ALTER t", Clauses: []string{"TYPE b"}}, "ALTER t ADD a;|FILL a FROM b;|ALTER t TYPE b;"},
		{&Action{Title: "touch b", Effects: []Effect{{On: b}}, Prefix: "ALTER t", Clauses: []string{"TYPE b"}}, "ALTER t ADD a;|FILL a FROM b;|ALTER t TYPE b;"},
		{&Action{Title: "drop c", Removes: []catalog.Ref{c}, Prefix: "ALTER t", Clauses: []string{"DROP c"}}, "ALTER t\n  ADD a,\n  DROP c;|FILL a FROM b;"},
	} {
		var got []string
		for _, s := range join([]*Action{add(), x.then}) {
			got = append(got, s.SQL...)
		}
		if s := strings.Join(got, "|"); s != x.want {
			t.Errorf("%s:\n got %s\nwant %s", x.then.Title, s, x.want)
		}
	}
}
