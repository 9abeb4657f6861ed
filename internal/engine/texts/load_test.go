package texts

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
)

// plain is a grammar in which the first word of a statement says what it is.
var plain = Grammar{
	Dialect: dialects["postgres"],
	IsRows:  func(w string) bool { return w == "insert" },
	Set: func(name, value string) string {
		if name == "kept" {
			return ""
		}
		return "set " + name + "=" + value
	},
	Client: func(line string) Reading {
		if name, ok := strings.CutPrefix(line, `\connect `); ok {
			return Reading{Action: Switch, Key: name}
		}
		return Reading{Action: Refuse, Why: "no such command"}
	},
	Read: func(sql string, d sqltext.Dialect) Reading {
		toks := sqltext.Significant(d, sql)
		text := func(i int) string {
			if i < len(toks) {
				return toks[i].Text
			}
			return ""
		}
		switch word := text(0); word {
		case "first", "early", "make", "raised", "late", "last":
			return Reading{Action: map[string]Action{"first": First, "early": Early, "make": Main, "raised": Raised, "late": Late, "last": Last}[word], Makes: &Made{Name: text(1)}}
		case "set":
			return Reading{Action: Set, Sets: []Setting{{Name: text(1), Value: text(3)}}}
		case "keep": // keep it from name
			return Reading{Action: Set, Sets: []Setting{{Name: text(1), From: text(3)}}}
		case "both":
			return Reading{Action: Main, Then: &Reading{Action: Late, SQL: "late " + text(1)}}
		case "insert", "commit":
			return Reading{}
		case "call":
			return Reading{Why: "a call was not run"}
		}
		return Reading{Action: Refuse, Why: "it is not known"}
	},
}

func parsed(t *testing.T, texts ...string) ([]Parsed, error) {
	t.Helper()
	var files []engine.TextFile
	for i, text := range texts {
		files = append(files, engine.TextFile{Name: fmt.Sprintf("%c.sql", 'a'+i), Reader: strings.NewReader(text)})
	}
	return Parse(t.Context(), files, plain)
}

// recorder is a server on which "make x needs y" wants y to be there.
type recorder struct {
	ran     []string
	made    map[string]bool
	loose   bool
	settled int // how much had run when it was settled
}

func (r *recorder) Run(_ context.Context, sql string, settings []string, raised bool) error {
	f := strings.Fields(strings.TrimRight(sql, "; \n"))
	if i := slices.Index(f, "needs"); i > 0 && !r.made[f[i+1]] && !(r.loose && f[0] == "make" && slices.Contains(f, "loosely")) {
		return &Refused{Message: f[i+1] + " is not there", Missing: true}
	}
	if slices.Contains(f, "wrong") {
		return &Refused{Message: "it is wrong", Final: true, Offset: strings.Index(sql, "wrong") + 1}
	}
	if slices.Contains(f, "odd") {
		return &Refused{Message: "it is odd", Line: 2}
	}
	if slices.Contains(f, "broken") {
		return errors.New("the connection is lost")
	}
	r.made[f[1]] = true
	note := strings.Join(f[:2], " ")
	if raised {
		note = "raised: " + note
	}
	if len(settings) > 0 {
		note += fmt.Sprint(settings)
	}
	r.ran = append(r.ran, note)
	return nil
}
func (r *recorder) Settle(context.Context) error   { r.settled = len(r.ran); return nil }
func (r *recorder) Loosened(context.Context) error { r.loose = true; return nil }
func (r *recorder) Read(context.Context) (*catalog.Catalog, error) {
	c := &catalog.Catalog{}
	for name := range r.made {
		c.Add(&catalog.Object{Kind: catalog.Table, Name: name})
	}
	return c, nil
}

func TestLoad(t *testing.T) {
	for _, c := range []struct {
		name  string
		texts []string
		ran   string
		err   string
	}{
		{"in its order", []string{"make a; make b; insert into a; commit;"}, "make a, make b", ""},
		{"what comes behind it first", []string{"make a needs b; make b needs c; make c;"}, "make c, make b, make a", ""},
		{"over files", []string{"make a needs z;", "make z;"}, "make z, make a", ""},
		{"phases", []string{"last e; late o; make t; raised s; early x; first h;"}, "raised: first h, raised: early x, make t, raised: raised s, raised: late o, raised: last e", ""},
		{"one that means two things", []string{"both s; make t;"}, "both s, make t, raised: late s", ""},
		{"settings hold to the end of a file", []string{"make a; set p = 1; make b; set p = 2; set q = 3; make c;", "make d;"}, "make a, make b[set p=1], make c[set p=2 set q=3], make d", ""},
		{"settings that are kept and come back", []string{"set p = 1; keep kept from p; set p = 2; make a; keep p from kept; make b; keep p from never; make c;"}, "make a[set p=2], make b[set p=1], make c", ""},
		{"tried again under its own settings", []string{"set p = 1; make a needs b; set p = 2; make b;"}, "make b[set p=2], make a[set p=1]", ""},
		{"loosely at last", []string{"make a loosely needs nothing; make b;"}, "make b, make a", ""},
		{"a circle", []string{"make a needs b; make b needs a; make c;"}, "", "a.sql:1:1: b is not there; 1 other statement cannot run either"},
		{"the reason, not what follows of it", []string{"make a needs b; make b odd;"}, "", "a.sql:2:1: it is odd; 1 other statement cannot run either"},
		{"one that nothing will help", []string{"make a;\n  make b\n wrong;"}, "", "a.sql:3:2: it is wrong"},
		{"a server that goes", []string{"make a broken;"}, "", "a.sql:1:1: the connection is lost"},
		{"one that nobody knows", []string{"make a;\nfrobnicate b;"}, "", "a.sql:2:1: it is not known (at: frobnicate b;)"},
		{"a command of the client", []string{"\\x\n"}, "", "a.sql:1:1: no such command (at: \\x)"},
		{"nothing", []string{"", "-- nothing\n"}, "", ""},
	} {
		r := &recorder{made: map[string]bool{}}
		all, err := parsed(t, c.texts...)
		if err == nil {
			err = Load(t.Context(), all, r)
		}
		if c.err != "" {
			if err == nil || err.Error() != c.err {
				t.Errorf("%s: %v, want %s", c.name, err, c.err)
			}
			continue
		}
		if err != nil || strings.Join(r.ran, ", ") != c.ran {
			t.Errorf("%s: ran %s, want %s (%v)", c.name, strings.Join(r.ran, ", "), c.ran, err)
		}
		if strings.Contains(c.ran, "last") && r.settled != len(r.ran)-1 {
			t.Errorf("%s: settled when %d had run", c.name, r.settled)
		}
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := Parse(ctx, []engine.TextFile{{Name: "a.sql", Reader: strings.NewReader("make a;")}}, plain); !errors.Is(err, context.Canceled) {
		t.Errorf("given up: %v", err)
	}
}

// TestReadSaysWhere: what was read knows where it stands, what was passed over is
// said once, and the scratch database goes whatever happens.
func TestReadSaysWhere(t *testing.T) {
	for _, c := range []struct{ text, database, says string }{
		{"make a;\n\n  make b; call x; call y;", "", ""},
		{"make a wrong;", "", "it is wrong"},
		{"\\connect one\nmake a;\n\\connect two\nmake b;", "", "several databases are in it (one, two); say which: #two"},
		{"\\connect one\nmake a;\n\\connect two\nmake b;", "thre", "no database thre is in it; there are: one, two"},
		{"\\connect one\nmake a;\n\\connect two\n\n  make b;", "two", ""},
	} {
		removed := 0
		got, err := Read(t.Context(), []engine.TextFile{{Name: "x.sql", Reader: strings.NewReader(c.text)}}, plain, c.database, func(context.Context, []Parsed) (Server, func() error, error) {
			removed--
			return &recorder{made: map[string]bool{}}, func() error { removed++; return nil }, nil
		})
		if removed != 0 {
			t.Errorf("%q: the scratch database is left", c.text)
		}
		if c.says != "" {
			if err == nil || !strings.Contains(err.Error(), c.says) {
				t.Errorf("%q: %v, want %q", c.text, err, c.says)
			}
			continue
		}
		if err != nil {
			t.Errorf("%q: %v", c.text, err)
			continue
		}
		b := got.Find(catalog.Ref{Kind: catalog.Table, Name: "b"})
		want := catalog.Origin{File: "x.sql", Line: strings.Count(c.text[:strings.Index(c.text, "make b")], "\n") + 1, Column: 3}
		if b == nil || b.Origin == nil || *b.Origin != want {
			t.Errorf("%q: b is at %+v", c.text, b)
		}
		if c.database == "" && (len(got.Gaps) != 1 || !strings.HasPrefix(got.Gaps[0].Why, "x.sql:3:11: a call")) {
			t.Errorf("passed over: %+v", got.Gaps)
		}
	}
}

func TestOwns(t *testing.T) {
	berth := &catalog.Object{Kind: catalog.Table, Schema: "harbour", Name: "berth", Parts: []*catalog.Object{{Kind: catalog.Index, Name: "by_name"}, {Kind: catalog.Trigger, Name: "noted"}}}
	c := &catalog.Catalog{Objects: []*catalog.Object{berth, {Kind: catalog.View, Schema: "office", Name: "berth"}, {Kind: catalog.Routine, Schema: "harbour", Name: "dues(integer)"},
		{Kind: catalog.Routine, Schema: "harbour", Name: "dues(integer, numeric)"}, {Kind: catalog.Routine, Schema: "harbour", Name: "fee()"}}}
	for _, x := range []struct {
		made         Made
		object, part string
	}{
		{Made{Schema: "harbour", Name: "berth"}, "table:harbour.berth", ""},
		{Made{Name: "berth", Kinds: []catalog.Kind{catalog.View}}, "view:office.berth", ""},
		{Made{Name: "berth"}, "", ""}, // it could be either
		{Made{Name: "fee", Kinds: []catalog.Kind{catalog.Routine}}, `routine:harbour.fee()`, ""},
		{Made{Name: "dues", Hint: "( INTEGER , numeric )"}, `routine:harbour."dues(integer, numeric)"`, ""},
		{Made{Name: "dues"}, "", ""},
		{Made{Schema: "harbour", Name: "berth", Part: "by_name", PartKinds: []catalog.Kind{catalog.Index}}, "table:harbour.berth", "by_name"},
		{Made{Schema: "harbour", Name: "berth", Part: "gone"}, "table:harbour.berth", ""},
		{Made{Part: "noted", PartKinds: []catalog.Kind{catalog.Trigger}}, "table:harbour.berth", "noted"},
		{Made{Part: "noted", PartKinds: []catalog.Kind{catalog.Index}}, "", ""},
		{Made{Name: "Berth", Schema: "harbour"}, "", ""},
		{Made{}, "", ""},
		{Made{Schema: "harbour", Name: "berth", Is: func(*catalog.Object) bool { return false }}, "", ""},
	} {
		o, p := ThingsOf(c).Of(&x.made)
		object, part := "", ""
		if o != nil {
			object = o.Ref().String()
		}
		if p != nil {
			part = p.Name
		}
		if object != x.object || part != x.part {
			t.Errorf("%+v is %s %s, want %s %s", x.made, object, part, x.object, x.part)
		}
	}
	c.FoldNames = true
	if o, _ := ThingsOf(c).Of(&Made{Name: "FEE"}); o == nil {
		t.Error("in other letters it is not found where these do not count")
	}
}
