package report

import (
	"bytes"
	"regexp"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/report/view"
)

// side builds a catalog: "table name: column=type …" a line, "view name: text".
func side(place string, lines ...string) *catalog.Catalog {
	c := &catalog.Catalog{Engine: "toy", Place: place}
	for _, l := range lines {
		head, rest, _ := strings.Cut(l, ": ")
		kind, name, _ := strings.Cut(head, " ")
		o := &catalog.Object{Kind: catalog.Kind(kind), Name: name}
		if kind == "view" {
			o.Set("definition", catalog.PlainSQL(rest))
		} else {
			for _, f := range strings.Fields(rest) {
				n, v, _ := strings.Cut(f, "=")
				p := &catalog.Object{Kind: catalog.Column, Name: n}
				if strings.HasPrefix(n, "#") {
					p.Kind, p.Name = catalog.Index, n[1:]
				}
				p.Set("type", catalog.Scalar(v))
				o.Add(p)
			}
		}
		c.Add(o)
	}
	c.Sort()
	return c
}

func define(o *catalog.Object) string {
	if d := o.Text("definition"); d != "" {
		return "CREATE VIEW " + o.Name + " AS\n" + d
	}
	lines := []string{"CREATE TABLE " + o.Name + " ("}
	for _, p := range o.Parts {
		lines = append(lines, "  "+p.Name+" "+p.Text("type")+",")
	}
	return strings.Join(append(lines, ");"), "\n")
}

func example() *compare.Comparison {
	return compare.Compare(
		side("dev", "table berth: id=int depth=numeric(6,2) name=text #ix_name=name", "table crane: id=int", "table same: id=int", "view deep: SELECT id, depth FROM berth\nWHERE depth > 9"),
		side("live", "table berth: id=int depth=real pilotage=real old=int", "table same: id=int", "view deep: SELECT id FROM berth\nWHERE depth > 8", "view gone: SELECT 1"),
		compare.Options{})
}

// seen is the view of a comparison, with its definitions.
func seen(c *compare.Comparison) *view.Comparison {
	return view.Of(view.Found{Comparison: c, Define: define})
}

func TestList(t *testing.T) {
	var b bytes.Buffer
	cmp := example()
	losses := map[*compare.Item][]order.Risk{cmp.Items[0]: {{Kind: order.Loss, Text: "every value of column old of table berth"}}}
	List(&b, view.Of(view.Found{Comparison: cmp, Losses: losses}), Style{Width: 84}, ListOptions{})
	want := `source   dev
target   live
alike    42.9 %

tables
  ~ berth         differs      ~ column depth real → numeric(6,2), + column name,
                               + index ix_name, - columns pilotage, old,
                               ! loses every value of column old
  + crane         source-only  1 column

views
  ~ deep          differs      definition
  - gone          target-only

2 differ, 1 only in the source, 1 only in the target, 1 the same; 1 would lose values
`
	got := regexp.MustCompile(`alike    [0-9.]+ %`).ReplaceAllString(b.String(), "alike    42.9 %")
	if got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
	b.Reset()
	List(&b, seen(example()), Style{Width: 80}, ListOptions{All: true, ByStatus: true})
	for _, s := range []string{"differ\n", "only in the source\n", "only in the target\n", "the same\n", "= table     same"} {
		if !strings.Contains(b.String(), s) {
			t.Errorf("grouped by status, all: no %q in\n%s", s, b.String())
		}
	}
	b.Reset()
	List(&b, seen(compare.Compare(side("a"), side("b"), compare.Options{})), Style{Width: 80}, ListOptions{})
	if !strings.Contains(b.String(), "No difference. 0 objects are the same.") {
		t.Errorf("two empty sides:\n%s", b.String())
	}
}

func TestListSaysWhatWasNotCompared(t *testing.T) {
	s, d := side("a"), side("b")
	s.Gaps = []catalog.Gap{{Kind: "operator", Why: "3 of them; this kind is not read"}}
	var b bytes.Buffer
	List(&b, seen(compare.Compare(s, d, compare.Options{})), Style{Width: 80}, ListOptions{})
	if !strings.Contains(b.String(), "not compared: operator of the source: 3 of them") {
		t.Error(b.String())
	}
}

func TestDetail(t *testing.T) {
	var b bytes.Buffer
	Detail(&b, seen(example()), Style{Width: 80})
	for _, want := range []string{
		"~ table berth ·", " differs\n",
		"  ~ column depth real → numeric(6,2)\n  + column name\n",
		"  - target   + source\n    CREATE TABLE berth (\n      id int,\n  -   depth real,\n            ^^^^\n  -   pilotage real,\n  -   old int,\n",
		"  +   depth numeric(6,2),\n            ^^^^^^^^^^^^\n  +   name text,\n  +   ix_name name,\n    );\n",
		"+ table crane ·", "  + source\n  + CREATE TABLE crane (\n",
		"  - SELECT id FROM berth\n  - WHERE depth > 8\n                  ^\n  + SELECT id, depth FROM berth\n             ^^^^^^^\n  + WHERE depth > 9\n                  ^\n",
		"- view gone ·", " target-only\n",
	} {
		if !strings.Contains(b.String(), want) {
			t.Errorf("no %q in\n%s", want, b.String())
		}
	}
	var colored bytes.Buffer
	Detail(&colored, seen(example()), Style{Width: 80, Color: true})
	if strings.Contains(colored.String(), "^^^") || !strings.Contains(colored.String(), "\x1b[") {
		t.Error("with colour the words are underlined, not pointed at")
	}
}

// Nothing that comes from a database reaches the terminal as a control
// character, and no line is longer than the page.
func TestOddNamesStayOnThePage(t *testing.T) {
	odd := "x\x1b[2J\x07\nnew line\r\u202etoolongtoolong" + strings.Repeat("ü", 90)
	s := side("dev\x1b]0;title\x07", "table berth: id=int")
	s.Objects[0].Name = odd
	s.Objects[0].Parts[0].Name = odd
	s.Objects[0].Parts[0].Set("type", catalog.Scalar(odd))
	d := side("live", "view v: SELECT '\x1b[31m' "+strings.Repeat("long ", 60))
	c := compare.Compare(s, d, compare.Options{})
	for _, width := range []int{60, 80, 100} {
		var b bytes.Buffer
		List(&b, seen(c), Style{Width: width}, ListOptions{})
		Detail(&b, seen(c), Style{Width: width})
		for _, l := range strings.Split(b.String(), "\n") {
			if strings.ContainsAny(l, "\x1b\x07\r") || strings.ContainsRune(l, '\u202e') {
				t.Errorf("a control character: %q", l)
			}
			if n := runes(l); n > width && !strings.HasPrefix(l, "source") {
				t.Errorf("at %d columns a line of %d: %s", width, n, l)
			}
		}
	}
}

// TestWholePage: what goes into a file is not cut, nor where it fits.
func TestWholePage(t *testing.T) {
	long := strings.Repeat("long_name_", 12)
	cols := "id=int"
	for _, n := range strings.Fields("a b c d e f g h i j") {
		cols += " new_" + n + "=int"
	}
	c := compare.Compare(side("dev", "table "+long+": "+cols), side("live", "table "+long+": id=int"), compare.Options{})
	for whole, want := range map[bool]string{true: "new_j", false: "and 4 more"} {
		var b bytes.Buffer
		List(&b, seen(c), Style{Width: 100, Whole: whole}, ListOptions{})
		if !strings.Contains(b.String(), want) || strings.Contains(b.String(), long) != whole {
			t.Errorf("whole %v:\n%s", whole, b.String())
		}
	}
}

func TestShortenAndCounts(t *testing.T) {
	for in, want := range map[string]string{"short": "short", "a_rather_long_name": "a_r…name", "ünïcode_wörds_here": "ünï…here"} {
		if got := Shorten(in, 8); got != want {
			t.Errorf("%s: %s, want %s", in, got, want)
		}
	}
	c := side("x", "table a: id=int #i=x #j=y", "view v: x")
	c.Kinds = catalog.NewKinds([]catalog.Kind{catalog.Table, catalog.Index, catalog.View}, []catalog.KindInfo{{Kind: catalog.Index, Notable: true}})
	if got := Counts(c); got != "1 table, 2 indexes, 1 view" {
		t.Error(got)
	}
}

// TestShow: the text stays as it is, but for what a terminal would obey.
func TestShow(t *testing.T) {
	plain := "-- comment\nCREATE TABLE \"a b\" (x INTEGER\tDEFAULT 'it''s');\n\\set ON_ERROR_STOP on\n.bail on\n"
	for in, want := range map[string]string{plain: plain, "": "", "a\x1b[2Jb\n\u202e\u0085": "a\\u001b[2Jb\n\\u202e\\u0085"} {
		for _, colour := range []bool{false, true} {
			var b bytes.Buffer
			altered, err := Show(&b, in, colour)
			got := regexp.MustCompile(`\x1b\[[0-9;]*m`).ReplaceAllString(b.String(), "")
			if err != nil || got != want || altered != (in != want) {
				t.Errorf("%q: %q, %v, %v", in, got, altered, err)
			}
		}
	}
}

// TestManyTargets: what differs in the same way stands together, all outputs agree, and
// no name gets out of its cell.
func TestManyTargets(t *testing.T) {
	names := []string{"a", "b|`x`", "c\x1b[2J\n::error::x", "d</summary><script>", "e"}
	r := NewTargets(names, true)
	r.Style = Style{Width: 100}
	for i := range names[:4] {
		cmp := example()
		if i == 3 {
			cmp = compare.Compare(side("dev", "table berth: id=int"), side("live", "table berth: id=int"), compare.Options{})
		}
		r.Compared(i, seen(cmp))
		r.Ended(i, map[bool]Result{true: Equal, false: Differs}[i == 3], 1, nil, 0)
	}
	list, ways, full := r.List()
	if len(ways) != 1 || ways[0].Targets != 3 || list[0].Way != 1 || list[3].Way != 0 || len(full) != 4 || len(full[2].Differences) != len(ways[0].Differences) || ways[0].Differences[0].Print == "" {
		t.Errorf("%d ways: %+v %+v", len(ways), ways, list)
	}
	var b bytes.Buffer
	r.Write(&b)
	md := Summary(JSONTaskRun{Task: "n*ight", Result: "different", Summary: Sum(list, ways)}, list, ways)
	for _, s := range []string{"5 targets: 3 with the same 4 differences; 1 equal; 1 not begun", "way 1, 3 targets"} {
		if !strings.Contains(b.String(), s) {
			t.Errorf("does not say %q:\n%s", s, b.String())
		}
	}
	if strings.ContainsAny(b.String()+md, "\x1b") || strings.Contains(b.String(), "\n::") || strings.Contains(md, "<script") || strings.Contains(md, "b|") || strings.Count(md, "</summary>") != 1 || !strings.Contains(md, "n\\*ight") {
		t.Errorf("a name got out:\n%s\n%s", b.String(), md)
	}
}

// TestPrint: what baselines keep of a difference does not change with the program, and
// changes with the difference.
func TestPrint(t *testing.T) {
	a, b := "int", "bigint"
	it := JSONItem{Kind: "table", Schema: "harbour", Name: "berth", Status: compare.Differs, Properties: []JSONProperty{{Name: "comment", Source: &a}}, Parts: []JSONItem{{Kind: "column", Name: "id", Status: compare.Differs, Properties: []JSONProperty{{Name: "type", Source: &b, Target: &a}}}}}
	if got := printOf(it); got != "f8509dc9f091" {
		t.Errorf("it is %s now: every baseline that somebody keeps would be wrong", got)
	}
	seen := map[string]bool{printOf(it): true}
	other := it
	for _, change := range []func(*JSONItem){
		func(x *JSONItem) { x.Name = "pilot" }, func(x *JSONItem) { x.Schema = "" }, func(x *JSONItem) { x.Kind = "view" }, func(x *JSONItem) { x.Status = compare.SourceOnly },
		func(x *JSONItem) { x.Properties = []JSONProperty{{Name: "comment", Target: &a}} }, func(x *JSONItem) { x.Properties = nil }, func(x *JSONItem) { x.Parts = nil }, func(x *JSONItem) { x.Parts = append(x.Parts, x.Parts...) },
	} {
		other = it
		if change(&other); seen[printOf(other)] {
			t.Errorf("%+v looks like another", other)
		}
		seen[printOf(other)] = true
	}
	other = it
	other.SourceAt, other.Loses, other.Source, other.Choice, other.Print = "a.sql:1:1", []string{"x"}, "CREATE", "leave", "x"
	if printOf(other) != printOf(it) {
		t.Error("what is said of a difference makes it another one")
	}
}
