package report

import (
	"fmt"
	"io"
	"strings"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/words"
)

// JSONHistory is a capture in the history of a place.
type JSONHistory struct {
	Place       string          `json:"place,omitempty"`
	Captures    int             `json:"captures,omitempty"`
	Number      int             `json:"number"`
	Date        string          `json:"date"`
	Seen        string          `json:"last_seen"` // when it was last found to be still so
	Note        string          `json:"note,omitempty"`
	Server      string          `json:"server_version,omitempty"`
	Counts      []catalog.Count `json:"counts"`
	Fingerprint string          `json:"fingerprint"`
	Alike       *float64        `json:"similarity_to_previous,omitempty"`
}

// CountWords are counts as people say them.
func CountWords(counts []catalog.Count) string {
	var said []string
	for _, n := range counts {
		said = append(said, words.Number(n.N, n.Kind.Title(), n.Kind.Plural()))
	}
	if len(said) == 0 {
		return "nothing in it"
	}
	return strings.Join(said, ", ")
}

// Percent writes tenths of a percent: "93.4 %".
func Percent(n int) string {
	if n == 1000 {
		return "100 %"
	}
	return fmt.Sprintf("%d.%d %%", n/10, n%10)
}

// Day writes a moment as people here read it, to the minute.
func Day(rfc string) string {
	t, err := time.Parse(time.RFC3339, rfc)
	if err != nil {
		return Safe(rfc)
	}
	return t.Local().Format("Mon 2006-01-02 15:04")
}

// History lists captures, the oldest first.
func History(w io.Writer, list []JSONHistory, st Style) {
	for _, e := range list {
		alike := ""
		if e.Alike != nil {
			alike = Percent(int(*e.Alike*10+0.5)) + " like the one before"
		}
		fmt.Fprintf(w, "%4d  %s  %s\n", e.Number, Day(e.Date), st.Strong(alike))
		if e.Seen != e.Date {
			fmt.Fprintf(w, "      %s\n", st.Dim("still so on "+Day(e.Seen)))
		}
		if e.Note != "" {
			fmt.Fprintf(w, "      %s\n", Safe(e.Note))
		}
		fmt.Fprintf(w, "      %s\n", st.Dim(CountWords(e.Counts)))
	}
}
