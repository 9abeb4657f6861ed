// Package tolerance has what the engines share of what tolerances cover
// (catalog.Cover).
package tolerance

import (
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// Constraints are the kinds of constraints that have names.
var Constraints = []catalog.Kind{catalog.PrimaryKey, catalog.Unique, catalog.Check, catalog.ForeignKey, "exclusion"}

// Of covers facts wholly.
func Of(name string, kinds []catalog.Kind, facts ...string) catalog.Cover {
	return catalog.Cover{Tolerance: name, Kinds: kinds, Facts: facts}
}

// Kinds is a list of kinds.
func Kinds(kinds ...catalog.Kind) []catalog.Kind { return kinds }

// Texts cover how the text of some kinds is written. body applies what makes
// texts alike to the part of a definition that is in quotes of its own; nil
// where there is none such.
func Texts(d sqltext.Dialect, kinds []catalog.Kind, facts []string, body func(text string, like func(sqltext.Dialect, string) string, other func(string) string) string) []catalog.Cover {
	if body == nil {
		body = func(text string, like func(sqltext.Dialect, string) string, _ func(string) string) string {
			return like(d, text)
		}
	}
	same := func(s string) string { return s }
	cover := func(name string, like func(sqltext.Dialect, string) string, other func(string) string) catalog.Cover {
		return catalog.Cover{Tolerance: name, Kinds: kinds, Facts: facts, Like: func(text string) string { return body(text, like, other) }}
	}
	return []catalog.Cover{
		cover("whitespace", sqltext.Squeezed, sqltext.Tidied),
		cover("letter-case", sqltext.Lowered, same),
		cover("text-comments", sqltext.Uncommented, same),
		{Tolerance: "line-endings", Kinds: kinds, Facts: facts, Like: sqltext.OneLineEnding},
	}
}

// Defaults cover the spelling of defaults.
func Defaults(d sqltext.Dialect, facts ...string) catalog.Cover {
	return catalog.Cover{Tolerance: "default-spelling", Facts: facts, Like: func(text string) string { return sqltext.PlainDefault(d, text) }}
}

// Clauses cover some runs of tokens in definitions, which cut finds (see
// sqltext.Without); with are facts that repeat the definition.
func Clauses(d sqltext.Dialect, name string, kinds []catalog.Kind, cut func([]sqltext.Token, int) int, with ...string) catalog.Cover {
	return catalog.Cover{Tolerance: name, Kinds: kinds, Facts: []string{"definition"}, With: with,
		Like: func(text string) string { return sqltext.Without(d, text, cut) },
		Keep: func(source, target string) string { return sqltext.Keeping(d, source, target, cut) }}
}

// Names cover the names of constraints and of indexes; named is the fact that
// repeats a constraint's name, "" for none.
func Names(named ...string) []catalog.Cover {
	return []catalog.Cover{
		{Tolerance: "constraint-names", Kinds: Constraints, Facts: append([]string{catalog.CoverName}, named...)},
		{Tolerance: "index-names", Kinds: Kinds(catalog.Index), Facts: []string{catalog.CoverName}},
	}
}
