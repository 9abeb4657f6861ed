package reader

import (
	"testing"

	"dappermirror/internal/fuzzing"
)

func TestCanonical(t *testing.T) {
	for _, c := range [][2]string{
		{"((b)::text = ANY ((ARRAY['x'::character varying, 'y'::character varying])::text[]))", "((b)::text = ANY (ARRAY[('x'::character varying)::text, ('y'::character varying)::text]))"},
		{"a = ANY (ARRAY[1, 2])", "a = ANY (ARRAY[1, 2])"},
		{"(ARRAY['x'::text])::text[]", "(ARRAY['x'::text])::text[]"},
		{"'(ARRAY[''x''::character varying])::text[]'::text", "'(ARRAY[''x''::character varying])::text[]'::text"},
		{"(ARRAY['it''s'::character varying])::text[]", "ARRAY[('it''s'::character varying)::text]"},
		{"(ARRAY[]::character varying[])::text[]", "(ARRAY[]::character varying[])::text[]"},
	} {
		if got := canonical(c[0]); got != c[1] {
			t.Errorf("%s\n got %s\nwant %s", c[0], got, c[1])
		}
		if again := canonical(canonical(c[0])); again != canonical(c[0]) {
			t.Errorf("%s: not stable: %s", c[0], again)
		}
	}
}

// TestCanonicalView: what servers before and after 16 print is one thing.
func TestCanonicalView(t *testing.T) {
	for _, c := range []struct{ before, after string }{
		{" SELECT port_call.id,\n    port_call.state\n   FROM harbour.port_call\n  WHERE (port_call.state = 'berthed'::harbour.state)", " SELECT id,\n    state\n   FROM harbour.port_call\n  WHERE (state = 'berthed'::harbour.state)"},
		{" SELECT c.id AS call, (c.detail ->> 'cargo'::text) AS cargo FROM harbour.port_call c ORDER BY c.at LIMIT 10", " SELECT id AS call, (detail ->> 'cargo'::text) AS cargo FROM harbour.port_call c ORDER BY at LIMIT 10"},
		{" SELECT \"Odd name\".\"Id\" FROM harbour.\"Odd name\"", " SELECT \"Id\" FROM harbour.\"Odd name\""},
		{" SELECT q.name, q.n FROM ( SELECT vessel.name, length(vessel.name) AS n FROM harbour.vessel) q WHERE (q.n > 3)", " SELECT name, n FROM ( SELECT vessel.name, length(vessel.name) AS n FROM harbour.vessel) q WHERE (n > 3)"},
		{" SELECT g.g, (g.g * 2) AS twice FROM generate_series(1, 3) g(g)", " SELECT g, (g * 2) AS twice FROM generate_series(1, 3) g(g)"},
		{" SELECT vessel.name FROM harbour.vessel WHERE (EXISTS ( SELECT 1 FROM harbour.port_call WHERE (port_call.vessel_id = vessel.id)))", " SELECT name FROM harbour.vessel WHERE (EXISTS ( SELECT 1 FROM harbour.port_call WHERE (port_call.vessel_id = vessel.id)))"},
		{" SELECT harbour.id, harbour.dues(harbour.id) AS d, 'x'::harbour.kind AS k FROM harbour.harbour", " SELECT id, harbour.dues(id) AS d, 'x'::harbour.kind AS k FROM harbour.harbour"},
		{" SELECT t.* FROM harbour.t", " SELECT t.* FROM harbour.t"},
	} {
		if a, b := canonicalView(c.before), canonicalView(c.after); a != b {
			t.Errorf("before 16: %s\nsince 16:  %s", a, b)
		}
		if again := canonicalView(canonicalView(c.before)); again != canonicalView(c.before) {
			t.Errorf("not stable: %s", again)
		}
	}
	// Several relations: nothing may be left out.
	for _, text := range []string{" SELECT a.id FROM harbour.a, harbour.b", " SELECT a.id FROM harbour.a JOIN harbour.b ON a.id = b.id", " SELECT a.id FROM harbour.a UNION SELECT b.id FROM harbour.b", " SELECT 1", ""} {
		if got := canonicalView(text); got != text {
			t.Errorf("%s became %s", text, got)
		}
	}
}

func TestWithoutIn(t *testing.T) {
	for in, want := range map[string]string{
		"CREATE OR REPLACE PROCEDURE harbour.p(IN a integer, IN b text DEFAULT 'IN x'::text, INOUT c integer)\n LANGUAGE sql\nAS $$ IN (IN a, 1) $$": "CREATE OR REPLACE PROCEDURE harbour.p(a integer, b text DEFAULT 'IN x'::text, INOUT c integer)\n LANGUAGE sql\nAS $$ IN (IN a, 1) $$",
		"CREATE PROCEDURE p()": "CREATE PROCEDURE p()",
	} {
		if got := withoutIn(in); got != want {
			t.Errorf("%s", got)
		}
	}
}

func TestWritable(t *testing.T) {
	in := "((kind)::text = ANY ((ARRAY['cargo'::character varying, 'it''s'::character varying])::text[]))"
	if got := writable(in); got != "((kind)::text = ANY (ARRAY['cargo'::character varying, 'it''s'::character varying]))" {
		t.Errorf("%s", got)
	}
	if canonical(writable("a = 1")) != "a = 1" {
		t.Error("a text without arrays changed")
	}
}

func FuzzCanonicalView(f *testing.F) {
	f.Add(" SELECT a.b FROM s.a WHERE (a.c > 1)")
	f.Add("SELECT (((")
	f.Fuzz(func(t *testing.T, text string) {
		defer fuzzing.Bound()()
		if a := canonicalView(text); canonicalView(a) != canonicalView(canonicalView(a)) {
			t.Errorf("%q is never stable", text)
		}
	})
}
