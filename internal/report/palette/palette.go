// Package palette has the colours of pages, light and dark, which keep apart for every
// common kind of colour-blindness.
package palette

import _ "embed"

// CSS sets the colours as variables: --ink, --quiet, --paper, --card, --rule, and those of
// what comes, goes and changes.
//
//go:embed palette.css
var CSS string
