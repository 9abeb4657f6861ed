package vocab

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/tolerance"
)

func tolerances() []catalog.Cover {
	tables, keys := tolerance.Kinds(catalog.Table, ForeignTable), tolerance.Kinds(catalog.Index, catalog.PrimaryKey, catalog.Unique, Exclusion)
	kept := append(tolerance.Kinds(catalog.Table, MatView, catalog.Index, catalog.Column), keys...)
	texts := tolerance.Kinds(catalog.Routine, catalog.View, MatView, catalog.Trigger, Rule)
	partition := catalog.Cover{Tolerance: "partitions", Kinds: tables, Facts: []string{catalog.CoverThing}, Where: func(o *catalog.Object) bool { return o.Has("partition bound") }}
	bound := partition
	bound.Facts = []string{"partition bound"}
	return slices.Concat(tolerance.Names(), tolerance.Texts(Dialect, texts, []string{"definition"}, inBody), []catalog.Cover{
		tolerance.Of("access-methods", nil, "access method"),
		tolerance.Of("collation", tolerance.Kinds(catalog.Column, Domain, Range), "collation"),
		tolerance.Of("comments", nil, "comment", "column comments", "identity sequence comment", "index comment"),
		tolerance.Defaults(Dialect, "default"),
		tolerance.Of("enabled", nil, "enabled", "not enforced"),
		tolerance.Of("extension-versions", tolerance.Kinds(Extension), "version"),
		tolerance.Of("grants", nil, "grants", "column grants", "identity sequence grants"), tolerance.Of("grants", tolerance.Kinds(DefaultRights), catalog.CoverThing, "rights"),
		{Tolerance: "identity", Kinds: tolerance.Kinds(catalog.Column), Facts: []string{"identity"}, Like: func(string) string { return "yes" }},
		tolerance.Of("not-null-names", tolerance.Kinds(catalog.Column), "not null name"),
		tolerance.Of("owners", nil, "owner"),
		partition, bound,
		tolerance.Of("replica-identity", nil, "replica identity"),
		tolerance.Of("row-security", tables, "row security", "row security forced"),
		tolerance.Of("security-labels", nil, "security labels"),
		tolerance.Of("sequence-options", tolerance.Kinds(catalog.Sequence), "start", "minimum", "maximum", "increment", "cache", "cycle"),
		{Tolerance: "sequence-options", Kinds: tolerance.Kinds(catalog.Column), Facts: []string{"identity sequence"}, With: []string{"identity sequence name", "identity sequence bare name"}},
		tolerance.Of("statistics-targets", nil, "statistics target", "statistics targets"),
		{Tolerance: "storage", Kinds: kept, Facts: []string{"options"}, With: []string{"written options"}}, tolerance.Of("storage", kept, "tablespace", "storage", "compression", "clustered"),
		tolerance.Clauses(Dialect, "storage", keys, cutParameters),
		tolerance.Of("validated", nil, "not valid", "not null not valid"),
	})
}

// cutParameters cuts WITH (…) of an index.
func cutParameters(toks []sqltext.Token, i int) int {
	if !toks[i].Is("with") || i+1 == len(toks) || !toks[i+1].IsOp("(") {
		return 0
	}
	for n := 2; i+n < len(toks); n++ {
		if toks[i+n].IsOp(")") {
			return n + 1
		}
	}
	return 0
}

// inBody makes texts alike within the quotes of a routine's body too, as far
// as its language is one of ours.
func inBody(text string, like func(sqltext.Dialect, string) string, other func(string) string) string {
	toks := sqltext.Significant(Dialect, text)
	ours := true
	for i, t := range toks {
		if t.Is("language") && i+1 < len(toks) {
			l := strings.ToLower(toks[i+1].Name())
			ours = l == "sql" || l == "plpgsql"
			break
		}
	}
	for i := len(toks) - 1; i >= 0; i-- {
		t := toks[i]
		if t.Kind != sqltext.String || !strings.HasPrefix(t.Text, "$") {
			continue
		}
		tag := t.Text[:strings.Index(t.Text[1:], "$")+2]
		body := strings.TrimSuffix(strings.TrimPrefix(t.Text, tag), tag)
		if ours {
			body = like(Dialect, body)
		} else {
			body = other(body)
		}
		return like(Dialect, text[:t.Pos]) + " $ " + body + " $ " + like(Dialect, text[t.Pos+len(t.Text):])
	}
	return like(Dialect, text)
}
