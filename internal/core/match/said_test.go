package match_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/match"
)

// side is a catalog: "harbour.berth: id=int depth=real uq:one" is a table with
// columns and a unique key; "view v = text" and "routine r(int) = text" stand
// alone, "schema s" too.
func side(lines ...string) *catalog.Catalog {
	c := &catalog.Catalog{Engine: "toy", Kinds: catalog.NewKinds(nil, nil), Spell: func(name string, _ bool) string { return name }}
	for _, l := range lines {
		kind, rest, stands := strings.Cut(l, " ")
		o := &catalog.Object{Space: "relation"}
		switch {
		case stands && (kind == "view" || kind == "routine" || kind == "schema" || kind == "sequence"):
			name, text, _ := strings.Cut(rest, " = ")
			o.Kind, o.Space = catalog.Kind(kind), map[string]string{"view": "relation", "sequence": "relation", "routine": "routine"}[kind]
			o.Schema, o.Name = cut(name)
			if text != "" {
				o.Set("definition", catalog.PlainSQL(text))
			}
		default:
			name, cols, _ := strings.Cut(l, ":")
			o.Kind = catalog.Table
			o.Schema, o.Name = cut(name)
			for _, f := range strings.Fields(cols) {
				p := &catalog.Object{Kind: catalog.Column}
				var typ string
				if key, is := strings.CutPrefix(f, "uq:"); is {
					p.Kind, f = catalog.Unique, key
				}
				p.Name, typ, _ = strings.Cut(f, "=")
				if typ != "" {
					p.Set("type", catalog.Scalar(typ))
				}
				o.Add(p)
			}
		}
		c.Add(o)
	}
	c.Sort()
	return c
}

func cut(name string) (schema, own string) {
	schema, own, ok := strings.Cut(name, ".")
	if !ok {
		return "", schema
	}
	return schema, own
}

// TestResolve: what was said is found on both sides, what is in something that
// has another name too; what is wrong says so.
func TestResolve(t *testing.T) {
	source := side("schema dev", "dev.ship: id=int name=text uq:ship_key", "dev.stay: id=int", "routine dev.dues(int) = a", "routine dev.dues(text) = b", "view dev.v = x", "sequence dev.ship_id_seq", "dev.lamp: id=int uq:lamp_key")
	target := side("schema live", "live.boat: ident=int name=text uq:boat_key", "live.stay: id=int", "routine live.charges(int) = a", "routine live.charges(text) = b", "view live.v = x", "sequence live.boat_id_seq")
	for _, c := range []struct {
		pair, rename string
		given        string // "source>target" each, sorted
		news, done   string
		wrong        string
	}{
		{pair: "schema:dev=live", given: "schema:dev>schema:live"},
		{pair: "schema:dev=live,table:dev.ship=boat", given: "schema:dev>schema:live sequence:dev.ship_id_seq>sequence:live.boat_id_seq table:dev.ship>table:live.boat unique:dev.ship.ship_key>unique:live.boat.boat_key"},
		{pair: "schema:dev=live,table:ship=boat,column:ship.id=ident", given: "column:dev.ship.id>column:live.boat.ident schema:dev>schema:live sequence:dev.ship_id_seq>sequence:live.boat_id_seq table:dev.ship>table:live.boat unique:dev.ship.ship_key>unique:live.boat.boat_key"},
		{pair: "table:dev.ship=live.boat", given: "sequence:dev.ship_id_seq>sequence:live.boat_id_seq table:dev.ship>table:live.boat unique:dev.ship.ship_key>unique:live.boat.boat_key"},
		{pair: "schema:d*=l*", wrong: "", given: "schema:dev>schema:lev", news: "schema:lev"},
		{pair: "schema:dev=live,routine:dues=charges", given: `routine:dev.dues(int)>routine:live.charges(int) routine:dev.dues(text)>routine:live.charges(text) schema:dev>schema:live`},
		{pair: "schema:dev=live,table:dev.la*=live.lo*", given: "schema:dev>schema:live table:dev.lamp>table:live.lomp unique:dev.lamp.lamp_key>unique:live.lomp.lomp_key", news: "table:live.lomp"},
		{pair: "dev=live", given: "schema:dev>schema:live"},
		{pair: "schema:dev=live,v=v", given: "schema:dev>schema:live view:dev.v>view:live.v"},
		{pair: "schema:nope=live", wrong: "the source has nothing that this names"},
		{pair: "schema:dev=nope", wrong: "the target has no schema called nope"},
		{pair: "schema:dev=live,column:id=ident", wrong: "that is several things"},
		{pair: "table:*.*.*.*=x", wrong: "more than three names"},
		{rename: "table:live.boat=ship", wrong: "the source has no table called ship"},
		{pair: "schema:dev=live", rename: "table:boat=ship", given: "schema:dev>schema:live table:dev.ship>table:live.boat"},
		{pair: "schema:dev=live", rename: "table:boat=ship,column:boat.ident=id", given: "column:dev.ship.id>column:live.boat.ident schema:dev>schema:live table:dev.ship>table:live.boat"},
		{pair: "schema:dev=live", rename: "table:gone=stay", wrong: "the target has nothing that this names"},
		{pair: "schema:dev=live", rename: "table:live.boat=other.ship", wrong: "a rename stays in its schema"},
	} {
		var said []match.Saying
		var err error
		for i, text := range []string{c.pair, c.rename} {
			if text != "" && err == nil {
				var l []match.Saying
				l, err = match.ParseSayings(text, i == 1)
				said = append(said, l...)
			}
		}
		var found match.Found
		if err == nil {
			found, err = match.Resolve(said, source, target, false)
		}
		if c.wrong != "" || err != nil {
			if err == nil || c.wrong == "" || !strings.Contains(err.Error(), c.wrong) {
				t.Errorf("%s %s: %v, not %q", c.pair, c.rename, err, c.wrong)
			}
			continue
		}
		var given, news []string
		for _, g := range found.Given {
			given = append(given, bare(g.Source)+">"+bare(g.Target))
		}
		for _, o := range found.News {
			news = append(news, bare(o.Ref()))
		}
		slices.Sort(given)
		if got := strings.Join(given, " "); got != c.given || strings.Join(news, " ") != c.news {
			t.Errorf("%s %s:\n%s\nnot\n%s (%v)", c.pair, c.rename, got, c.given, news)
		}
	}
	// A target that is still to be filled gets the name; a rename that was carried
	// out is passed over, with what is in it.
	said, _ := match.ParseSayings("schema:dev=live", false)
	if found, err := match.Resolve(said, source, side(), true); err != nil || len(found.News) != 1 {
		t.Errorf("into an empty target: %v %v", found, err)
	}
	said, _ = match.ParseSayings("table:ship=boat,column:ship.id=ident", true)
	if found, err := match.Resolve(said, side("boat: ident=int"), side("boat: ident=int"), false); err != nil || len(found.Done) != 2 || len(found.Given) != 0 {
		t.Errorf("carried out: %+v %v", found, err)
	}
}

// bare is a reference without the quotes of its pattern.
func bare(r catalog.Ref) string { return strings.ReplaceAll(r.String(), `"`, "") }

func FuzzSayings(f *testing.F) {
	for _, s := range []string{"table:a=b", `"a=b"=c`, "a*=b*", "=", ",", "a=b=c", "x:y.z.w=q", `table:"`, "a.b=c.d,e=f", "**=**", "*a*b*=*c*d*"} {
		f.Add(s)
	}
	source, target := side("schema dev", "dev.ship: id=int", "a: b=int", "routine dev.r(int) = x"), side("schema live", "live.boat: id=int", "b: c=int")
	f.Fuzz(func(t *testing.T, text string) {
		for _, rename := range []bool{false, true} {
			said, err := match.ParseSayings(text, rename)
			if err != nil {
				continue
			}
			found, err := match.Resolve(said, source, target, rename)
			if err == nil && len(found.Given)+len(found.Done) == 0 {
				t.Errorf("%q names nothing and is no error", text)
			}
		}
	})
}

// likely are the renames that a comparison suggests, "old>new" each.
func likely(source, target *catalog.Catalog) (out []string) {
	for _, l := range compare.Compare(source, target, compare.Options{}).Likely(match.Least) {
		out = append(out, strings.TrimPrefix(l.Option(), "--rename "))
	}
	slices.Sort(out)
	return out
}

// TestRenamed: chains, swaps and renames within renames are found; what only
// shares a type or a letter is not.
func TestRenamed(t *testing.T) {
	wide := func(name string, but int) string {
		s := name + ":"
		for i := range 14 {
			typ := []string{"int", "text", "real"}[i%3]
			if i == but {
				typ = "bytes"
			}
			s += fmt.Sprintf(" c%d=%s", i, typ)
		}
		return s
	}
	for name, c := range map[string]struct {
		source, target []string
		want           string
	}{
		"a table, 13 of 14 columns":   {[]string{wide("vessel", 3)}, []string{wide("ship", -1)}, "table:ship=vessel"},
		"a column in its place":       {[]string{"t: id=int tonnage=real note=text"}, []string{"t: id=int weight=real note=text"}, "column:t.weight=tonnage"},
		"a column, retyped":           {[]string{"t: id=int flag_state=varchar(9) note=text"}, []string{"t: id=int flag=varchar(2) note=text"}, "column:t.flag=flag_state"},
		"a table and a column in it":  {[]string{"vessel: id=int title=text flag=text tons=real"}, []string{"ship: id=int name=text flag=text tons=real"}, "column:ship.name=title table:ship=vessel"},
		"a view":                      {[]string{"view busy = SELECT a FROM t WHERE b"}, []string{"view full = SELECT a FROM t WHERE b"}, "view:full=busy"},
		"a routine":                   {[]string{"routine charges(int) = SELECT d * 2"}, []string{"routine dues(int) = SELECT d * 2"}, "routine:dues=charges"},
		"a chain":                     {[]string{"t: id=int b=real c=text z=int"}, []string{"t: id=int a=real b=text z=int"}, "column:t.a=b column:t.b=c"},
		"a swap":                      {[]string{"t: id=int a=text b=real"}, []string{"t: id=int b=text a=real"}, "column:t.a=b column:t.b=a"},
		"a swap of tables":            {[]string{"a: p=int q=text r=real", "b: x=bytes y=date"}, []string{"b: p=int q=text r=real", "a: x=bytes y=date"}, "table:a=b table:b=a"},
		"a schema":                    {[]string{"schema new", "new.a: x=int", "new.b: y=int"}, []string{"schema old", "old.a: x=int", "old.b: y=int"}, "schema:old=new"},
		"an odd name":                 {[]string{`t: id=int it's=real`}, []string{"t: id=int its=real"}, `column:t.its="it's"`},
		"sequences that count alike":  {[]string{"sequence pool_id_seq"}, []string{"sequence log_id_seq"}, ""},
		"one goes":                    {[]string{"t: id=int"}, []string{"t: id=int a=text"}, ""},
		"nothing in common":           {[]string{"a: p=int q=text r=real"}, []string{"x: s=bytes t=date u=uuid"}, ""},
		"another type":                {[]string{"t: id=int lamp=bytes note=text"}, []string{"t: id=int weight=real note=text"}, ""},
		"a view that says other":      {[]string{"view busy = SELECT a FROM t WHERE b"}, []string{"view full = INSERT x INTO y VALUES z"}, ""},
		"another kind":                {[]string{"view busy = SELECT a"}, []string{"routine busy() = SELECT a"}, ""},
		"another schema":              {[]string{"one.a: x=int y=text"}, []string{"two.b: x=int y=text"}, ""},
		"the same, with one retyped":  {[]string{"t: id=int a=real"}, []string{"t: id=int a=text"}, ""},
		"two alike, the nearer taken": {[]string{"t: id=int flag_state=text"}, []string{"t: id=int flag=text other=text"}, "column:t.flag=flag_state"},
	} {
		if got := strings.Join(likely(side(c.source...), side(c.target...)), " "); got != c.want {
			t.Errorf("%s: %q, not %q", name, got, c.want)
		}
	}
}

// TestRenamedAmongMany: of thousands of tables on each side only, those that are
// one are found, and looking stays bounded.
func TestRenamedAmongMany(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	var s, o []string
	for i := range 2000 {
		cols := ""
		for k := range 6 {
			cols += fmt.Sprintf(" c%d_%d=%s", r.IntN(4000), k, []string{"int", "text", "real"}[r.IntN(3)])
		}
		s, o = append(s, fmt.Sprintf("new_%d:%s id=int", i, cols)), append(o, fmt.Sprintf("was_%d:%s id=int", i, cols))
	}
	if n := len(likely(side(s...), side(o...))); n < 1990 {
		t.Errorf("%d of 2000 found", n)
	}
}
