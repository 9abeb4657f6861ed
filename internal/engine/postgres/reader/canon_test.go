package reader

import "testing"

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
