package capture

import (
	"bytes"
	"errors"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/fuzzing"
)

// sample has every form of value, parts, needs, gaps and odd names.
func sample() *catalog.Catalog {
	c := &catalog.Catalog{Engine: "sqlite", Version: "3.50", Place: "live.db", FoldNames: true,
		Gaps: []catalog.Gap{{Kind: "aggregate", Why: "2 of them; this kind is not read"}}}
	t := &catalog.Object{Kind: catalog.Table, Name: "Berth \"1\"\n", ID: "berth \"1\"\n", Space: "relation"}
	t.SetIf("strict", true).SetIf("absent", false).SetText("comment", "").SetText("note", "a <b> & c")
	t.Carry("sql", catalog.Scalar("CREATE TABLE …"))
	t.Optional("owner", "owners", catalog.Scalar("harbour"))
	col := &catalog.Object{Kind: catalog.Column, Name: "depth"}
	col.Set("type", catalog.SQL(catalog.Piece{Text: "numeric( 5,2 )", Canon: "NUMERIC(5,2)"}))
	col.Set("options", catalog.SetOf("b", "a"))
	t.Add(col)
	check := &catalog.Object{Kind: catalog.Check, ID: "(depth > 0)"}
	ref := t.PartRef(col)
	check.Set("expression", catalog.SQL(catalog.Piece{Text: "depth", Canon: "depth", Ref: &ref}, catalog.Piece{Text: ">0", Canon: " > 0"}))
	check.Need(ref, catalog.AspectType)
	t.Add(check)
	c.Add(t)
	v := &catalog.Object{Kind: catalog.View, Schema: "s", Name: "v"}
	v.Set("columns", catalog.List("x", "y"))
	v.Needs = []catalog.Need{{On: t.Ref(), Aspect: catalog.AspectRowType, Text: true, Fact: "default"}}
	c.Add(v)
	c.Sort()
	return c
}

func encode(t *testing.T, c *catalog.Catalog) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := Encode(&b, c); err != nil {
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
	if judge.Whole(c) != judge.Whole(sample()) {
		t.Error("the fingerprint does not survive")
	}
	o := c.Find(catalog.Ref{Kind: catalog.Table, Name: "berth \"1\"\n"})
	if o == nil || o.Text("note") != "a <b> & c" || o.Text("sql") == "" || o.Has("absent") || o.Has("comment") || !o.Property("sql").Carried || o.Property("owner").Group != "owners" {
		t.Errorf("facts are lost: %+v", o)
	}
	if why, unseen := c.Unseen("aggregate", "anything"); !unseen || why == "" {
		t.Error("a gap is lost")
	}
	check := o.Part(catalog.Check, "(depth > 0)")
	if refs := check.Property("expression").Value.Refs(); len(refs) != 1 || c.Resolve(refs[0]) != o.Part(catalog.Column, "depth") {
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
		"another fingerprint": {strings.Replace(good, judge.Whole(sample()), "00000000000000000000", 1), ErrDamaged},
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
	base := judge.Whole(sample())
	for name, c := range map[string]struct {
		change func(*catalog.Catalog)
		same   bool
	}{
		"another order of objects":    {func(c *catalog.Catalog) { c.Objects[0], c.Objects[1] = c.Objects[1], c.Objects[0] }, true},
		"another order of parts":      {func(c *catalog.Catalog) { p := c.Objects[0].Parts; p[0], p[1] = p[1], p[0] }, true},
		"another order of properties": {func(c *catalog.Catalog) { p := c.Objects[0].Properties; p[0], p[1] = p[1], p[0] }, true},
		"a carried fact":              {func(c *catalog.Catalog) { c.Objects[0].Carry("sql", catalog.Scalar("other")) }, true},
		"an optional fact":            {func(c *catalog.Catalog) { c.Objects[0].Optional("owner", "owners", catalog.Scalar("else")) }, true},
		"another spelling": {func(c *catalog.Catalog) {
			c.Objects[0].Parts[0].Set("type", catalog.SQL(catalog.Piece{Text: "NUMERIC(5,2)", Canon: "NUMERIC(5,2)"}))
		}, true},
		"another place":    {func(c *catalog.Catalog) { c.Place = "elsewhere" }, true},
		"a counted fact":   {func(c *catalog.Catalog) { c.Objects[0].SetText("note", "other") }, false},
		"a fact taken off": {func(c *catalog.Catalog) { c.Objects[0].Remove("strict") }, false},
		"a part more":      {func(c *catalog.Catalog) { c.Objects[0].Add(&catalog.Object{Kind: catalog.Column, Name: "z"}) }, false},
		"an object less":   {func(c *catalog.Catalog) { c.Objects = c.Objects[:1] }, false},
		"a list's order":   {func(c *catalog.Catalog) { c.Objects[1].Set("columns", catalog.List("y", "x")) }, false},
	} {
		x := sample()
		c.change(x)
		if same := judge.Whole(x) == base; same != c.same {
			t.Errorf("%s: same fingerprint is %v", name, same)
		}
	}
}

func TestCloneIsDeep(t *testing.T) {
	o := sample().Objects[0]
	before := judge.Fingerprint(o, nil)
	c := o.Clone()
	c.Set("note", catalog.Scalar("x"))
	c.Parts[0].Set("type", catalog.Scalar("y"))
	c.Add(&catalog.Object{Kind: catalog.Column, Name: "new"})
	c.Need(catalog.Ref{Name: "x"}, catalog.AspectName)
	if judge.Fingerprint(o, nil) != before || o.Part(catalog.Column, "new") != nil {
		t.Error("changing a clone changed the original")
	}
}

func FuzzDecode(f *testing.F) {
	var b bytes.Buffer
	if err := Encode(&b, sample()); err != nil {
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
		judge.Whole(c)
		c.Sort()
	})
}

func BenchmarkFingerprint(b *testing.B) {
	c := sample()
	b.ReportAllocs()
	for b.Loop() {
		judge.Whole(c)
	}
}
