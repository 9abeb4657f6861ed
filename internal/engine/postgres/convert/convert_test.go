package convert

import (
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/vocab"
)

// userTypes is a catalog with an enum, domains and a composite.
func userTypes() *catalog.Catalog {
	c := &catalog.Catalog{}
	c.Add(&catalog.Object{Kind: catalog.Enum, Schema: "h", Name: "state"})
	c.Add(&catalog.Object{Kind: catalog.Enum, Schema: "h", Name: "Other"})
	d := &catalog.Object{Kind: vocab.Domain, Schema: "h", Name: "metres"}
	d.Set("type", catalog.Scalar("numeric(8,2)"))
	c.Add(d)
	e := &catalog.Object{Kind: vocab.Domain, Schema: "h", Name: "depth"}
	e.Set("type", catalog.Scalar("h.metres"))
	c.Add(e)
	return c
}

func TestConvert(t *testing.T) {
	for _, c := range []struct {
		from, to string
		via      string // what stands for the column is $; "-" where there is no way
		risks    string
	}{
		{"integer", "bigint", "$::bigint", "rewrite"},
		{"bigint", "integer", "$::integer", "may-fail rewrite"},
		{"smallint", "integer", "$::integer", "rewrite"},
		{"integer", "numeric(5,2)", "$::numeric(5,2)", "may-fail rewrite"},
		{"integer", "numeric", "$::numeric", "rewrite"},
		{"numeric", "integer", "$::integer", "loss rewrite"},
		{"numeric(5,0)", "integer", "$::integer", "may-fail rewrite"},
		{"double precision", "real", "$::real", "loss rewrite"},
		{"real", "numeric", "$::numeric", "loss rewrite"},
		{"real", "double precision", "$::double precision", "rewrite"},
		{"bigint", "double precision", "$::double precision", "loss rewrite"},
		{"numeric(10,4)", "numeric(10,1)", "$::numeric(10,1)", "loss rewrite"},
		{"numeric(6,2)", "numeric(8,2)", "", ""},
		{"numeric(8,2)", "numeric(6,2)", "$::numeric(6,2)", "may-fail rewrite"},
		{"numeric(8,2)", "numeric(8,4)", "$::numeric(8,4)", "may-fail rewrite"},
		{"numeric(8,2)", "numeric(10,4)", "$::numeric(10,4)", "rewrite"},
		{"numeric(8,2)", "numeric", "", ""},
		{"numeric", "numeric(8,2)", "$::numeric(8,2)", "loss rewrite"},
		{"character varying(5)", "character varying(9)", "", ""},
		{"character varying(9)", "character varying(5)", "$::character varying(5)", "loss rewrite"},
		{"character varying(9)", "text", "", ""},
		{"character varying", "text", "", ""},
		{"text", "character varying", "", ""},
		{"text", "character varying(9)", "$::character varying(9)", "loss rewrite"},
		{"text", "character(9)", "$::character(9)", "loss rewrite"},
		{"text", "integer", "$::integer", "rewrite loss may-fail"},
		{"text", "uuid", "$::uuid", "rewrite loss may-fail"},
		{"integer", "text", "$::text", "rewrite"},
		{"integer", "character varying(3)", "$::character varying(3)", "rewrite loss rewrite"},
		{"date", "timestamp without time zone", "$::timestamp without time zone", "rewrite"},
		{"timestamp with time zone", "date", "$::date", "loss rewrite"},
		{"timestamp without time zone", "timestamp with time zone", "", ""},
		{"timestamp(6) without time zone", "timestamp(0) without time zone", "$::timestamp(0) without time zone", "loss rewrite"},
		{"timestamp(0) without time zone", "timestamp(3) without time zone", "", ""},
		{"json", "jsonb", "$::jsonb", "loss rewrite"},
		{"boolean", "integer", "$::integer", "rewrite"},
		{"boolean", "bigint", "$::integer::bigint", "rewrite"},
		{"bigint", "boolean", "$::integer::boolean", "loss may-fail rewrite"},
		{"integer", "boolean", "$::integer::boolean", "loss may-fail rewrite"},
		{"double precision", "money", "$::numeric::money", "loss may-fail rewrite"},
		{"money", "numeric(10,0)", "$::numeric::numeric(10,0)", "loss may-fail rewrite"},
		{"numeric", "bit(4)", "-", ""},
		{"integer", "bit(4)", "$::bit(4)", "loss may-fail rewrite"},
		{"timestamp without time zone", "time with time zone", "$::timestamp with time zone::time with time zone", "loss may-fail rewrite"},
		{"interval", "interval year to month", "$::interval year to month", "loss rewrite"},
		{"integer", "numeric(5,-2)", "$::numeric(5,-2)", "loss rewrite"},
		{"bit(8)", "bit varying(4)", "$::bit varying(4)", "loss rewrite"},
		{"time(6) without time zone", "time(0) with time zone", "$::time(0) with time zone", "loss rewrite rewrite"},
		{"inet", "cidr", "$::cidr", "loss rewrite"},
		{"point", "integer[]", "-", ""},
		{"uuid", "integer", "-", ""},
		{"integer[]", "bigint[]", "$::bigint[]", "rewrite"},
		{"integer[]", "text", "$::text", "rewrite"},
		{"integer", "integer[]", "-", ""},
		{"text", "h.state", "$::h.state", "rewrite may-fail"},
		{"h.state", "text", "$::text", "rewrite"},
		{"h.state", `h."Other"`, `$::text::h."Other"`, "may-fail rewrite"},
		{"h.state[]", `h."Other"[]`, `$::text[]::h."Other"[]`, "may-fail rewrite"},
		{"h.state", "integer", "-", ""},
		{"numeric(8,2)", "h.metres", "$::h.metres", "may-fail"},
		{"numeric(8,2)", "h.depth", "$::h.depth", "may-fail"},
		{"h.metres", "numeric(8,2)", "", ""},
		{"h.depth", "integer", "$::integer", "loss rewrite"},
		{"text", "text", "", "lock"},
	} {
		got := Between(userTypes(), userTypes(), c.from, c.to)
		if c.via == "-" {
			if got.Possible {
				t.Errorf("%s to %s: there is no way, got %q", c.from, c.to, got.Via)
			}
			continue
		}
		var risks []string
		for _, r := range got.Risks {
			risks = append(risks, string(r.Kind))
		}
		if !got.Possible || got.Via != c.via || strings.Join(risks, " ") != c.risks {
			t.Errorf("%s to %s: possible %v via %q risks %q; want via %q risks %q", c.from, c.to, got.Possible, got.Via, strings.Join(risks, " "), c.via, c.risks)
		}
	}
}

func TestSplitType(t *testing.T) {
	for in, want := range map[string][3]string{
		"numeric(10,2)":                 {"numeric", "10,2", ""},
		"integer[]":                     {"integer", "", "[]"},
		"character varying(5)[]":        {"character varying", "5", "[]"},
		"timestamp(3) with time zone":   {"timestamp with time zone", "3", ""},
		`"Odd (name)"`:                  {`"Odd (name)"`, "", ""},
		"public.berth":                  {"public.berth", "", ""},
		"interval(2)":                   {"interval", "2", ""},
		"timestamp(3) with time zone[]": {"timestamp with time zone", "3", "[]"},
	} {
		b, m, a := SplitType(in)
		if b != want[0] || m != want[1] || a != (want[2] != "") {
			t.Errorf("%s: %q %q %v", in, b, m, a)
		}
	}
}
