package document

import (
	"context"
	"errors"
	"fmt"
	"html"
	"regexp"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
)

// harbour makes a catalog of a small notation, with the names in it marked:
//
//	berth: id!* name=text          a key column, marked * for the primary key, ! for NOT NULL
//	call: id!* berth_id>berth.id   a column that points at another table
//	> view v of berth              a view on a table
func harbour(lines ...string) *catalog.Catalog {
	c := &catalog.Catalog{Engine: "sqlite", Version: "3", Place: "live.db", FoldNames: true, Kinds: catalog.NewKinds([]catalog.Kind{catalog.Table, catalog.Column, catalog.PrimaryKey, catalog.Unique, catalog.ForeignKey, catalog.View}, nil)}
	marked := func(refs ...catalog.Ref) catalog.Value {
		v := catalog.Value{Form: catalog.FormList}
		for _, r := range refs {
			name := r.Name
			if r.IsPart() {
				name = r.Part
			}
			v.Items, v.Marks = append(v.Items, name), append(v.Marks, []catalog.Piece{{Text: name, Canon: name, Ref: &r}})
		}
		return v
	}
	for _, l := range lines {
		if rest, ok := strings.CutPrefix(l, "> view "); ok {
			name, of, _ := strings.Cut(rest, " of ")
			v := &catalog.Object{Kind: catalog.View, Name: name, Space: "relation"}
			v.Set("definition", catalog.PlainSQL("SELECT * FROM "+of))
			v.Need(catalog.Ref{Kind: catalog.Table, Name: of}, catalog.AspectRowType)
			c.Add(v)
			continue
		}
		name, rest, _ := strings.Cut(l, ":")
		o := &catalog.Object{Kind: catalog.Table, Name: name, Space: "relation"}
		column := func(n string) catalog.Ref {
			return catalog.Ref{Kind: catalog.Table, Name: name, PartKind: catalog.Column, Part: n}
		}
		for _, f := range strings.Fields(rest) {
			f, to, points := strings.Cut(f, ">")
			f, typ, _ := strings.Cut(f, "=")
			n := strings.Trim(f, "!*+")
			col := (&catalog.Object{Kind: catalog.Column, Name: n}).SetText("type", typ).SetIf("not null", strings.Contains(f, "!"))
			o.Add(col)
			for mark, kind := range map[string]catalog.Kind{"*": catalog.PrimaryKey, "+": catalog.Unique} {
				if strings.Contains(f, mark) {
					o.Add((&catalog.Object{Kind: kind, ID: string(kind) + n}).Set("columns", marked(column(n))))
				}
			}
			if points {
				table, end, _ := strings.Cut(to, ".")
				fk := &catalog.Object{Kind: catalog.ForeignKey, Name: "fk_" + n}
				fk.Set("columns", marked(column(n)))
				parent := catalog.Ref{Kind: catalog.Table, Name: table}
				fk.Set("references", catalog.SQL(catalog.Piece{Text: table, Canon: table, Ref: &parent}))
				fk.Set("referenced columns", marked(catalog.Ref{Kind: catalog.Table, Name: table, PartKind: catalog.Column, Part: end}))
				o.Add(fk)
			}
		}
		c.Add(o)
	}
	c.Sort()
	return c
}

// pages are those of a document.
func pagesOf(t *testing.T, s *Source) map[string]string {
	t.Helper()
	out := map[string]string{}
	s.Title = "Quillhaven"
	if s.Define == nil {
		s.Define = func(o *catalog.Object) string {
			return "CREATE " + string(o.Kind) + " " + o.Name + " AS " + o.Text("definition")
		}
	}
	err := Write(t.Context(), s, func(name string, data []byte) error {
		if out[name] != "" {
			t.Errorf("%s is written twice", name)
		}
		out[name] = string(data)
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

var tags = regexp.MustCompile(`<[^>]*>`)

// text is a page without markup and drawings.
func text(page string) string {
	page = regexp.MustCompile(`(?s)<svg.*?</svg>`).ReplaceAllString(page, " ")
	return strings.Join(strings.Fields(html.UnescapeString(tags.ReplaceAllString(page, " "))), " ")
}

// TestPages: what a page says of a table, and where its names lead.
func TestPages(t *testing.T) {
	s := &Source{Catalog: harbour("berth: id!*=integer name!+=text", "port_call: id!*=integer berth_id>berth.id up>port_call.id", "booking: id!*>port_call.id pilot!>pilot.id", "pilot: id!*=integer", "lonely: x>nowhere.id", "> view v_berth of berth", "> view v_v of v_berth"),
		Sizes: map[catalog.Ref]Size{{Kind: catalog.Table, Name: "berth"}: {Rows: 6, Bytes: 8192}, {Kind: catalog.Table, Name: "pilot"}: {Rows: 1, About: true, Bytes: -1}, {Kind: catalog.Table, Name: "booking"}: {Rows: -1, Bytes: 10}}}
	v := s.Catalog.Find(catalog.Ref{Kind: catalog.View, Name: "v_v"})
	v.Needs = []catalog.Need{{On: catalog.Ref{Kind: catalog.View, Name: "v_berth"}}}
	all := pagesOf(t, s)
	for _, c := range []struct {
		page string
		says []string
		not  []string
	}{
		{"index.html", []string{"5 tables, 2 views", "berth 2 6 rows, 8.2 kB", "pilot 1 about 1 row", "booking 2 10 bytes", "All tables and their keys"}, []string{"Changes are marked"}},
		{"things/table.berth.html", []string{"6 rows, 8.2 kB", "id integer not null primary key", "name text not null unique", "referred to by port_call berth_id → id many to one or none", "Used by v_berth view v_v view"}, []string{"refers to"}},
		{"things/table.port_call.html", []string{"refers to berth berth_id → id many to one or none fk_berth_id", "refers to port_call up → id", "referred to by booking id → id at most one to one", "→ berth.id"}, nil},
		{"things/table.booking.html", []string{"refers to port_call id → id at most one to one", "refers to pilot pilot → id many to one"}, nil},
		{"things/table.lonely.html", []string{"foreign keys 1", "references nowhere"}, []string{"Neighbours", "refers to"}},
		{"things/view.v_berth.html", []string{"Uses berth table", "Used by v_v view", "CREATE view v_berth AS SELECT * FROM berth"}, []string{"Columns"}},
	} {
		page, said := all[c.page], text(all[c.page])
		for _, s := range c.says {
			if !strings.Contains(said, s) {
				t.Errorf("%s does not say %q:\n%s", c.page, s, said)
			}
		}
		for _, s := range c.not {
			if strings.Contains(said, s) {
				t.Errorf("%s says %q:\n%s", c.page, s, said)
			}
		}
		if page == "" {
			t.Errorf("there is no %s in %q", c.page, slices.Collect(func(yield func(string) bool) {
				for n := range all {
					yield(n)
				}
			}))
		}
	}
	if !strings.Contains(all["things/view.v_berth.html"], `<a href="../things/table.berth.html">berth</a>`) {
		t.Errorf("the name in the definition leads nowhere:\n%s", all["things/view.v_berth.html"])
	}
	if n := strings.Count(all["find.js"], `"column of`); n != 9 {
		t.Errorf("%d columns are found: %s", n, all["find.js"])
	}
}

// TestSince: what is new, changed and gone has its mark and its page.
func TestSince(t *testing.T) {
	before := harbour("berth: id!*=integer name=text old=text", "gone: id!*=integer", "port_call: id!*=integer berth_id>berth.id")
	now := harbour("berth: id!*=integer name=varchar depth=real", "fresh: id!*>berth.id", "port_call: id!*=integer berth_id>berth.id")
	for _, one := range []bool{false, true} {
		s := &Source{Catalog: now, OneFile: one, Since: compare.Compare(now, before, compare.Options{Deep: true}), SinceName: "last week"}
		all := pagesOf(t, s)
		page := func(name string) string {
			if one {
				return text(all["index.html"])
			}
			return text(all[name])
		}
		for name, says := range map[string][]string{
			"index.html":                  {"1 new, 1 changed, 1 gone", "+ fresh new", "~ berth changed", "- gone gone"},
			"things/table.berth.html":     {"Changed since last week", "+ depth real", "- old text", "name varchar", "before: text", "The definition before"},
			"things/table.gone.html":      {"- gone table, gone"},
			"things/table.fresh.html":     {"+ fresh table, new", "refers to berth"},
			"things/table.port_call.html": {"port_call table"},
		} {
			for _, x := range says {
				if !strings.Contains(page(name), x) {
					t.Errorf("one file %v: %s does not say %q:\n%s", one, name, x, page(name))
				}
			}
		}
		if one && len(all) != 1 {
			t.Errorf("one file is %d", len(all))
		}
	}
}

// TestMany: names that differ by the case of letters have pages of their own, too many
// tables and keys are not drawn, and what cannot be written ends the work.
func TestMany(t *testing.T) {
	var lines []string
	for i := range 90 {
		lines = append(lines, fmt.Sprintf("t%d: id!*=integer", i))
	}
	all := pagesOf(t, &Source{Catalog: harbour(append(lines, "Berth: id!*=integer", "bErth2: id!*=integer")...)})
	if !strings.Contains(text(all["index.html"]), "not drawn, since there are 92") || all["diagram.html"] != "" {
		t.Errorf("92 tables are drawn:\n%s", text(all["index.html"]))
	}
	lines = nil
	for i := range 60 {
		l := fmt.Sprintf("t%d: id!*=integer", i)
		for k := range 8 {
			l += fmt.Sprintf(" r%d>t%d.id", k, (i*7+k*11)%60)
		}
		lines = append(lines, l)
	}
	if all := pagesOf(t, &Source{Catalog: harbour(lines...)}); !strings.Contains(text(all["index.html"]), "480 lines between 60 tables") {
		t.Errorf("a knot is drawn:\n%s", text(all["index.html"]))
	}
	c := harbour("a: id!*=integer")
	c.FoldNames = false
	c.Add(&catalog.Object{Kind: catalog.Table, Name: "A"})
	if all := pagesOf(t, &Source{Catalog: c}); all["things/table.a.html"] == "" || all["things/table.A-2.html"] == "" {
		t.Errorf("two names that differ by case share a page")
	}
	full := errors.New("the disk is full")
	if err := Write(t.Context(), &Source{Catalog: c}, func(string, []byte) error { return full }); !errors.Is(err, full) {
		t.Errorf("a full disk: %v", err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if err := Write(ctx, &Source{Catalog: c}, func(string, []byte) error { return nil }); !errors.Is(err, context.Canceled) {
		t.Errorf("interrupted: %v", err)
	}
}
