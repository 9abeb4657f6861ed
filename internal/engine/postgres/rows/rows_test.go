package rows

import (
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/postgres/vocab"
)

func TestIndexKeys(t *testing.T) {
	for def, want := range map[string]struct{ keys, names string }{
		"USING btree (a, b DESC NULLS LAST) INCLUDE (c) WHERE (a > 3)":                   {"a|b", "a b c"},
		`USING btree (lower(n) varchar_pattern_ops DESC, "o d""d", ((a || b)) text_ops)`: {`lower(n)|"o d""d"|((a || b))`, `lower o d"d expr`},
		`USING gist (h.area(x, ',)') h.ops, y COLLATE pg_catalog."C" ASC)`:               {`h.area(x, ',)')|y COLLATE pg_catalog."C"`, "area expr"},
		`PRIMARY KEY (a, b)`: {"a|b", "a b"},
	} {
		inner, _ := brackets(def, lex(def), 0)
		var keys []string
		for _, k := range items(inner) {
			keys = append(keys, expression(k))
		}
		if got := strings.Join(keys, "|"); got != want.keys {
			t.Errorf("%s: keys %s", def, got)
		}
		if got := strings.Join(KeyNames(def), " "); got != want.names {
			t.Errorf("%s: names %s", def, got)
		}
	}
}

func TestBound(t *testing.T) {
	parent := &catalog.Object{Kind: catalog.Table, Schema: "harbour", Name: "tide"}
	for _, c := range []struct{ by, bound, want string }{
		{"RANGE (day)", "FOR VALUES FROM ('2026-01-01') TO ('2027-01-01')", "(day IS NOT NULL AND day >= '2026-01-01' AND day < '2027-01-01')"},
		{"RANGE (day)", "FOR VALUES FROM (MINVALUE) TO ('2027-01-01')", "(day IS NOT NULL AND day < '2027-01-01')"},
		{"RANGE (a, b)", "FOR VALUES FROM (1, 2) TO (3, 4)", "(a IS NOT NULL AND b IS NOT NULL AND (a, b) >= (1, 2) AND (a, b) < (3, 4))"},
		{"RANGE (a, b)", "FOR VALUES FROM (1, MAXVALUE) TO (3, MAXVALUE)", "(a IS NOT NULL AND b IS NOT NULL AND a > 1 AND a <= 3)"},
		{"RANGE (a, b)", "FOR VALUES FROM (MINVALUE, MINVALUE) TO (3, MINVALUE)", "(a IS NOT NULL AND b IS NOT NULL AND a < 3)"},
		{"LIST (lower(port))", "FOR VALUES IN ('q', NULL, 'it''s, so')", "(coalesce(lower(port) IN ('q', 'it''s, so'), false) OR lower(port) IS NULL)"},
		{"LIST (port)", "FOR VALUES IN (NULL)", "port IS NULL"},
		{"HASH (a, b)", "FOR VALUES WITH (modulus 4, remainder 1)", "satisfies_hash_partition('harbour.tide'::regclass, 4, 1, a, b)"},
		{"LIST (port)", "DEFAULT", ""},
	} {
		if got := Bound(c.by, c.bound, parent); got != c.want {
			t.Errorf("%s %s: %s", c.by, c.bound, got)
		}
	}
	if q := Outside(parent, []string{"a", ""}, "x"); q != nil {
		t.Error("what cannot be told is asked")
	}
}

// TestGuardsStayInTheirQuotes: whatever a table is called, its guard is one
// statement.
func TestGuardsStayInTheirQuotes(t *testing.T) {
	for _, name := range []string{"berth", "$guard$", "$guard$ $guard2$ '; DROP TABLE x; --"} {
		o := &catalog.Object{Kind: catalog.Table, Schema: "public", Name: name}
		o.Add(&catalog.Object{Kind: catalog.Column, Name: "n" + name})
		for _, q := range []string{strings.Join(Any(o).Guard, "\n"), strings.Join(Null(o, o.Parts[0]).Guard, "\n")} {
			if n := statements(q); n != 1 {
				t.Errorf("%q makes %d statements:\n%s", name, n, q)
			}
		}
	}
	if !slices.Equal(Values(&catalog.Object{Kind: catalog.Table, Schema: "s", Name: "t"}, &catalog.Object{Kind: catalog.Column, Name: "c"}, "0").Locks, []string{"LOCK TABLE s.t IN ACCESS EXCLUSIVE MODE;"}) {
		t.Error("the lock does not come first")
	}
}

func lex(s string) []sqltext.Token { return sqltext.Lex(vocab.Dialect, s) }

func statements(s string) int { return len(sqltext.Split(vocab.Dialect, s)) }
