package writer

import (
	"fmt"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/steps"
	"dappermirror/internal/engine/postgres/vocab"
)

func TestQuote(t *testing.T) {
	for in, want := range map[string]string{
		"berth": "berth", "Berth": `"Berth"`, "two words": `"two words"`, "select": `"select"`, "user": `"user"`, "1st": `"1st"`, "a1_": "a1_",
		`q"q`: `"q""q"`, "": `""`, "a$": `"a$"`, "ünï": `"ünï"`, "name": "name", "system_user": `"system_user"`, "new\nline": "\"new\nline\"",
	} {
		if got := quote(in); got != want {
			t.Errorf("%q: %s, want %s", in, got, want)
		}
	}
	for in, want := range map[string]string{"it's": "'it''s'", `back\slash`: `E'back\\slash'`, `it's \`: `E'it''s \\'`, "": "''"} {
		if got := literal(in); got != want {
			t.Errorf("%q: %s, want %s", in, got, want)
		}
	}
}

func TestEnumValues(t *testing.T) {
	enum := func(values ...string) *catalog.Catalog {
		c := &catalog.Catalog{}
		o := &catalog.Object{Kind: catalog.Enum, Schema: "h", Name: "state", Space: "type"}
		o.Set("values", catalog.List(values...))
		c.Add(o)
		return c
	}
	for _, c := range []struct {
		was, now []string
		want     []string
	}{
		{[]string{"a"}, []string{"a", "b"}, []string{"ALTER TYPE h.state ADD VALUE 'b';"}},
		{[]string{"b"}, []string{"a", "b"}, []string{"ALTER TYPE h.state ADD VALUE 'a' BEFORE 'b';"}},
		{[]string{"a", "c"}, []string{"a", "b", "c"}, []string{"ALTER TYPE h.state ADD VALUE 'b' AFTER 'a';"}},
		{[]string{"c"}, []string{"a", "b", "c", "it's"}, []string{"ALTER TYPE h.state ADD VALUE 'a' BEFORE 'c';", "ALTER TYPE h.state ADD VALUE 'b' AFTER 'a';", "ALTER TYPE h.state ADD VALUE 'it''s';"}},
		{nil, []string{"a"}, []string{"ALTER TYPE h.state ADD VALUE 'a';"}},
		{[]string{"a", "b"}, []string{"b"}, []string{"ALTER TYPE h.state RENAME TO state_before;", "CREATE TYPE h.state AS ENUM ('b');", "DROP TYPE h.state_before;"}},
		{[]string{"a", "b"}, []string{"b", "a"}, []string{"ALTER TYPE h.state RENAME TO state_before;", "CREATE TYPE h.state AS ENUM ('b', 'a');", "DROP TYPE h.state_before;"}},
	} {
		cmp := compare.Compare(enum(c.now...), enum(c.was...), compare.Options{})
		p, err := order.Build(choose.All(cmp), &Writer{}, func(order.Risk) bool { return true })
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, s := range p.Steps {
			got = append(got, s.SQL...)
		}
		if fmt.Sprint(got) != fmt.Sprint(c.want) {
			t.Errorf("%v to %v\n got %q\nwant %q", c.was, c.now, got, c.want)
		}
	}
}

func TestSequenceOptions(t *testing.T) {
	for want, f := range map[string][6]string{
		"":                {"bigint", "1", "1", "1", "9223372036854775807", "1"},
		"INCREMENT BY -1": {"bigint", "-1", "-1", "-9223372036854775808", "-1", "1"},
		"INCREMENT BY 2 MINVALUE 10 MAXVALUE 30000 START WITH 12 CACHE 5": {"smallint", "12", "2", "10", "30000", "5"},
		"MAXVALUE 100":  {"integer", "1", "1", "1", "100", "1"},
		"START WITH 50": {"integer", "50", "1", "1", "2147483647", "1"},
	} {
		o := &catalog.Object{Kind: catalog.Sequence}
		for i, n := range []string{"type", "start", "increment", "minimum", "maximum", "cache"} {
			o.Set(n, catalog.Scalar(f[i]))
		}
		if got := strings.Join(vocab.SequenceOptions(o), " "); got != want {
			t.Errorf("%v: %q, want %q", f, got, want)
		}
	}
}

func TestOptions(t *testing.T) {
	if got := strings.Join(optionClauses([]string{"fillfactor=90", "a=it's"}, []string{"fillfactor=70", "b=1"}), "; "); got != "RESET (b); SET (fillfactor=90, a='it''s')" {
		t.Error(got)
	}
	if got := optionClauses([]string{"a=1"}, []string{"a=1"}); got != nil {
		t.Error(got)
	}
	for in, want := range map[string][2]string{"id integer": {"id", "integer"}, `"a b" text`: {`"a b"`, "text"}, `"a""b c" numeric(5,2)`: {`"a""b c"`, "numeric(5,2)"}} {
		if n, typ := splitName(in); n != want[0] || typ != want[1] {
			t.Errorf("%s: %q %q", in, n, typ)
		}
	}
}

func TestGrants(t *testing.T) {
	for _, c := range []struct {
		kind catalog.Kind
		acl  []string
		want string
	}{
		{catalog.Table, nil, "(owner): SELECT, INSERT, UPDATE, DELETE, TRUNCATE, REFERENCES, TRIGGER"},
		{catalog.Table, []string{"me=arwdDxt/me"}, "(owner): SELECT, INSERT, UPDATE, DELETE, TRUNCATE, REFERENCES, TRIGGER"},
		{catalog.Table, []string{"me=arwdDxtm/me"}, "(owner): SELECT, INSERT, UPDATE, DELETE, TRUNCATE, REFERENCES, TRIGGER"}, // 17 has one more
		{catalog.Table, []string{"me=arwdDxt/me", "reader=r*w/me", "=r/me"}, "(owner): SELECT, INSERT, UPDATE, DELETE, TRUNCATE, REFERENCES, TRIGGER, PUBLIC: SELECT, reader: SELECT*, UPDATE"},
		{catalog.Table, []string{}, ""},
		{catalog.Routine, nil, "(owner): EXECUTE, PUBLIC: EXECUTE"},
		{catalog.Routine, []string{"me=X/me"}, "(owner): EXECUTE"},
		{catalog.Schema, []string{`"odd ""role"""=UC/me`, "me=UC/me"}, `(owner): USAGE, CREATE, odd "role": USAGE, CREATE`},
		{catalog.Column, []string{"reader=rw/me"}, "reader: SELECT, UPDATE"},
	} {
		if got := strings.Join(vocab.Grants(c.kind, "me", c.acl).Items, ", "); got != c.want {
			t.Errorf("%s %q\n got %s\nwant %s", c.kind, c.acl, got, c.want)
		}
	}
	o := &catalog.Object{Kind: catalog.Table, Schema: "h", Name: "t"}
	o.Optional("owner", "owners", catalog.Scalar("Me"))
	for _, c := range []struct {
		now, was []string
		column   string
		want     string
	}{
		{[]string{"reader: SELECT"}, nil, "", "GRANT SELECT ON TABLE h.t TO reader;"},
		{nil, []string{"reader: SELECT*, UPDATE"}, "", "REVOKE SELECT, UPDATE ON TABLE h.t FROM reader;"},
		{[]string{"reader: SELECT*, UPDATE"}, []string{"reader: SELECT"}, "", "REVOKE SELECT ON TABLE h.t FROM reader; GRANT UPDATE ON TABLE h.t TO reader; GRANT SELECT ON TABLE h.t TO reader WITH GRANT OPTION;"},
		{[]string{"PUBLIC: SELECT", "(owner): SELECT"}, []string{"(owner): SELECT, INSERT"}, "", `REVOKE SELECT, INSERT ON TABLE h.t FROM "Me"; GRANT SELECT ON TABLE h.t TO PUBLIC; GRANT SELECT ON TABLE h.t TO "Me";`},
		{[]string{"reader: SELECT, UPDATE"}, nil, "a b", `GRANT SELECT ("a b"), UPDATE ("a b") ON TABLE h.t TO reader;`},
		{[]string{"reader: SELECT"}, []string{"reader: SELECT"}, "", ""},
	} {
		if got := strings.Join(steps.Regrant(o, c.column, c.now, c.was), " "); got != c.want {
			t.Errorf("%q from %q\n got %s\nwant %s", c.now, c.was, got, c.want)
		}
	}
}
