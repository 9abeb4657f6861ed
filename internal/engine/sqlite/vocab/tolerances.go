package vocab

import (
	"slices"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/tolerance"
)

// How texts are spaced and commented is no fact here: definitions are compared
// token by token.
func tolerances() []catalog.Cover {
	return slices.Concat(tolerance.Names("name"), []catalog.Cover{
		tolerance.Of("collation", tolerance.Kinds(catalog.Column), "collation"),
		tolerance.Defaults(Dialect, "default"),
		tolerance.Of("letter-case", tolerance.Kinds(catalog.View), "output columns"),
	})
}
