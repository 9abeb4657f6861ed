package cli

import (
	"testing"

	"dappermirror/internal/cli/help"
)

// TestHelpShowsEveryOption: an option that help has no heading for is not shown.
func TestHelpShowsEveryOption(t *testing.T) {
	if unknown := help.Unknown((&app{}).root()); len(unknown) > 0 {
		t.Errorf("help does not show %v", unknown)
	}
}

func TestOfSeveralExitCodesTheWorstCounts(t *testing.T) {
	for _, c := range [][3]int{{0, 1, 1}, {1, 3, 3}, {3, 2, 2}, {2, 4, 4}, {4, 130, 130}, {0, 0, 0}, {3, 1, 3}} {
		if got := worse(c[0], c[1]); got != c[2] {
			t.Errorf("%d and %d: %d, want %d", c[0], c[1], got, c[2])
		}
		if worse(c[0], c[1]) != worse(c[1], c[0]) {
			t.Errorf("%d and %d: the order matters", c[0], c[1])
		}
	}
}
