// Package chart has what SQL Server's documentation says of conversions between types.
package chart

import (
	_ "embed"
	"strings"
)

//go:embed conversions.tsv
var conversions string

// Conversion is how values of one type become values of another one (CAST and CONVERT, the
// chart of implicit and explicit conversions).
type Conversion byte

// The ways. What the chart does not name the server does by itself.
const (
	ByItself Conversion = iota
	WhenTold            // by CAST and CONVERT alone
	Never
)

var ways = func() map[[2]string]Conversion {
	out := map[[2]string]Conversion{}
	for line := range strings.Lines(conversions) {
		f := strings.Split(strings.TrimSuffix(line, "\n"), "\t")
		how := map[string]Conversion{"told": WhenTold, "never": Never}[f[2]]
		for from := range strings.SplitSeq(f[0], ",") {
			for to := range strings.SplitSeq(f[1], ",") {
				out[[2]string{from, to}] = how
			}
		}
	}
	return out
}()

// Converts tells how values of one of the server's own types become those of another one.
func Converts(from, to string) Conversion { return ways[[2]string{from, to}] }
