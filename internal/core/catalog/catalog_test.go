package catalog

import (
	"bytes"
	"errors"
	"strings"
	"testing"

	"dappermirror/internal/fuzzing"
)

// sample has every form of value, parts, needs, gaps and odd names.
func sample() *Catalog {
	c := &Catalog{Engine: "sqlite", Version: "3.50", Place: "live.db", FoldNames: true,
		Gaps: []Gap{{Kind: "aggregate", Why: "2 of them; this kind is not read"}}}
	t := &Object{Kind: Table, Name: "Berth \"1\"\n", Match: "berth \"1\"\n", Space: "relation"}
	t.SetIf("strict", true).SetIf("absent", false).SetText("comment", "").SetText("note", "a <b> & c")
	t.Carry("sql", Scalar("CREATE TABLE …"))
	t.Optional("owner", "owners", Scalar("harbour"))
	col := &Object{Kind: Column, Name: "depth"}
	col.Set("type", SQL(Piece{Text: "numeric( 5,2 )", Canon: "NUMERIC(5,2)"}))
	col.Set("options", SetOf("b", "a"))
	t.Add(col)
	check := &Object{Kind: Check, Match: "(depth > 0)", Twin: "depth > 0", Label: "check (depth > 0)"}
	ref := t.PartRef(col)
	check.Set("expression", SQL(Piece{Text: "depth", Canon: "depth", Ref: &ref}, Piece{Text: ">0", Canon: " > 0"}))
	check.Need(ref, AspectType)
	t.Add(check)
	c.Add(t)
	v := &Object{Kind: View, Schema: "s", Name: "v"}
	v.Set("columns", List("x", "y"))
	v.Needs = []Need{{On: t.Ref(), Aspect: AspectRowType, Text: true, Fact: "default"}}
	c.Add(v)
	c.Sort()
	return c
}

func encode(t *testing.T, c *Catalog) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := c.Encode(&b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestCaptureRoundTrip(t *testing.T) {
	first := encode(t, sample())
	c, err := Decode(bytes.NewReader(first))
	if err != nil {
		t.Fatal(err)
	}
	if again := encode(t, c); !bytes.Equal(first, again) {
		t.Errorf("a capture read back is written differently:\n%s\n%s", first, again)
	}
	if c.Fingerprint() != sample().Fingerprint() {
		t.Error("the fingerprint does not survive")
	}
	o := c.Find(Ref{Kind: Table, Name: "berth \"1\"\n"})
	if o == nil || o.Text("note") != "a <b> & c" || o.Text("sql") == "" || o.Has("absent") || o.Has("comment") || !o.Property("sql").Carried || o.Property("owner").Group != "owners" {
		t.Errorf("facts are lost: %+v", o)
	}
	if why, unseen := c.Unseen("aggregate", "anything"); !unseen || why == "" {
		t.Error("a gap is lost")
	}
	check := o.Part(Check, "(depth > 0)")
	if refs := check.Property("expression").Value.Refs(); len(refs) != 1 || c.Resolve(refs[0]) != o.Part(Column, "depth") {
		t.Errorf("a marked name does not lead to its column: %v", refs)
	}
}

func TestDecodeBadCaptures(t *testing.T) {
	good := string(encode(t, sample()))
	for name, c := range map[string]struct {
		text string
		want error
	}{
		"another format":      {`{"format": "something else", "version": 1}`, ErrNotCapture},
		"not JSON":            {"SQLite format 3", ErrDamaged},
		"cut short":           {good[:len(good)/2], ErrDamaged},
		"a changed fact":      {strings.Replace(good, "numeric( 5,2 )", "numeric( 6,2 )", 1), ErrDamaged},
		"a changed carried":   {strings.Replace(good, "CREATE TABLE …", "CREATE TABLE x", 1), ErrDamaged},
		"a newer version":     {strings.Replace(good, `"version": 1`, `"version": 99`, 1), ErrNewerCapture},
		"no version":          {strings.Replace(good, `"version": 1`, `"version": 0`, 1), ErrDamaged},
		"objects of no shape": {strings.Replace(good, `"objects": [`, `"objects": [3,`, 1), ErrDamaged},
		"empty":               {"", ErrDamaged},
		"another fingerprint": {strings.Replace(good, sample().Fingerprint(), "00000000000000000000", 1), ErrDamaged},
	} {
		if _, err := Decode(strings.NewReader(c.text)); !errors.Is(err, c.want) {
			t.Errorf("%s: %v, want %v", name, err, c.want)
		}
	}
}

// What a newer program of the same format adds is no damage.
func TestDecodeIgnoresAdditions(t *testing.T) {
	text := string(encode(t, sample()))
	for old, added := range map[string]string{
		`"version": 1,`:        `"version": 1, "colour": "blue",`,
		`"kind": "aggregate",`: `"kind": "aggregate", "shade": 3,`,
	} {
		if _, err := Decode(strings.NewReader(strings.Replace(text, old, added, 1))); err != nil {
			t.Errorf("an added field: %v", err)
		}
	}
}

func TestFingerprint(t *testing.T) {
	base := sample().Fingerprint()
	for name, c := range map[string]struct {
		change func(*Catalog)
		same   bool
	}{
		"another order of objects":    {func(c *Catalog) { c.Objects[0], c.Objects[1] = c.Objects[1], c.Objects[0] }, true},
		"another order of parts":      {func(c *Catalog) { p := c.Objects[0].Parts; p[0], p[1] = p[1], p[0] }, true},
		"another order of properties": {func(c *Catalog) { p := c.Objects[0].Properties; p[0], p[1] = p[1], p[0] }, true},
		"a carried fact":              {func(c *Catalog) { c.Objects[0].Carry("sql", Scalar("other")) }, true},
		"an optional fact":            {func(c *Catalog) { c.Objects[0].Optional("owner", "owners", Scalar("else")) }, true},
		"another spelling": {func(c *Catalog) {
			c.Objects[0].Parts[0].Set("type", SQL(Piece{Text: "NUMERIC(5,2)", Canon: "NUMERIC(5,2)"}))
		}, true},
		"another place":    {func(c *Catalog) { c.Place = "elsewhere" }, true},
		"a counted fact":   {func(c *Catalog) { c.Objects[0].SetText("note", "other") }, false},
		"a fact taken off": {func(c *Catalog) { c.Objects[0].Remove("strict") }, false},
		"a part more":      {func(c *Catalog) { c.Objects[0].Add(&Object{Kind: Column, Name: "z"}) }, false},
		"an object less":   {func(c *Catalog) { c.Objects = c.Objects[:1] }, false},
		"a list's order":   {func(c *Catalog) { c.Objects[1].Set("columns", List("y", "x")) }, false},
	} {
		x := sample()
		c.change(x)
		if same := x.Fingerprint() == base; same != c.same {
			t.Errorf("%s: same fingerprint is %v", name, same)
		}
	}
}

func TestValues(t *testing.T) {
	ref := Ref{Kind: Table, Name: "berth"}
	named := SQL(Piece{Text: "SELECT  * FROM ", Canon: "select * from "}, Piece{Text: `"Berth"`, Canon: "berth", Ref: &ref})
	for _, c := range []struct {
		name string
		a, b Value
		want bool
	}{
		{"scalars", Scalar("a"), Scalar("a"), true},
		{"scalars in another case", Scalar("a"), Scalar("A"), false},
		{"lists", List("a", "b"), List("a", "b"), true},
		{"a list's order counts", List("a", "b"), List("b", "a"), false},
		{"a set's order does not", SetOf("a", "b"), SetOf("b", "a"), true},
		{"a list is no set", List("a", "b"), SetOf("a", "b"), false},
		{"lists that join alike", List("a,b"), List("a", "b"), false},
		{"spellings", named, PlainSQL("select * from berth"), true},
		{"equal keys prove equality", Value{Key: "k", Unread: true}, Value{Key: "k", Text: "x"}, true},
		{"other keys prove nothing", Value{Key: "k", Text: "x"}, Value{Key: "l", Text: "x"}, true},
	} {
		if got := c.a.Equal(c.b); got != c.want || c.b.Equal(c.a) != c.want {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}
	if !(Value{Key: "a", Unread: true}).Undecided(Value{Key: "b"}) || (Value{Key: "a", Unread: true}).Undecided(Value{Key: "a"}) {
		t.Error("undecided is wrong")
	}
	to := Ref{Kind: Table, Name: "quay"}
	renamed := named.Rewrite(func(r Ref) (string, string, Ref, bool) { return "quay", "quay", to, r == ref })
	if renamed.String() != "SELECT  * FROM quay" || renamed.Canonical() != "select * from quay" || renamed.Refs()[0] != to {
		t.Errorf("rewritten: %q %q %v", renamed.String(), renamed.Canonical(), renamed.Refs())
	}
	if named.String() != `SELECT  * FROM "Berth"` {
		t.Error("rewriting changed the original")
	}
}

func TestWords(t *testing.T) {
	for k, want := range map[Kind]string{Table: "tables", Index: "indexes", PrimaryKey: "primary keys", "policy": "policies", Unique: "uniques", "materialized-view": "materialized views", Schema: "schemas"} {
		if got := k.Plural(); got != want {
			t.Errorf("%s: %q, want %q", k, got, want)
		}
	}
	c := sample()
	c.Kinds = NewKinds([]Kind{Table, View}, []KindInfo{{Kind: Index, Notable: true}})
	got := c.Count()
	if len(got) != 2 || got[0].Kind != Table || got[1].Kind != View {
		t.Errorf("counts: %v", got)
	}
	if FoldASCII("ÄbC") != "Äbc" || FoldASCII("abc") != "abc" {
		t.Error("only ASCII letters fold")
	}
}

func TestCloneIsDeep(t *testing.T) {
	o := sample().Objects[0]
	before := o.Fingerprint()
	c := o.Clone()
	c.Set("note", Scalar("x"))
	c.Parts[0].Set("type", Scalar("y"))
	c.Add(&Object{Kind: Column, Name: "new"})
	c.Need(Ref{Name: "x"}, AspectName)
	if o.Fingerprint() != before || o.Part(Column, "new") != nil {
		t.Error("changing a clone changed the original")
	}
}

func FuzzDecode(f *testing.F) {
	var b bytes.Buffer
	if err := sample().Encode(&b); err != nil {
		f.Fatal(err)
	}
	f.Add(b.Bytes())
	f.Add([]byte(`{"format":"dapper-mirror capture","version":1,"objects":[]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		defer fuzzing.Bound()()
		c, err := Decode(bytes.NewReader(data))
		if err != nil {
			if !errors.Is(err, ErrDamaged) && !errors.Is(err, ErrNotCapture) && !errors.Is(err, ErrNewerCapture) {
				t.Fatalf("an error of no kind: %v", err)
			}
			return
		}
		c.Fingerprint()
		c.Sort()
	})
}

func BenchmarkFingerprint(b *testing.B) {
	c := sample()
	b.ReportAllocs()
	for b.Loop() {
		c.Fingerprint()
	}
}
