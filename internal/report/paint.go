// Package report writes what people and programs read: the list of
// differences, one object closely, and the JSON shapes.
package report

import (
	"strings"
	"unicode/utf8"

	"charm.land/lipgloss/v2"

	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/report/view"
)

// Style is how text is put on paper or a terminal.
type Style struct {
	Color bool
	Width int // columns
	// Whole says that nothing is cut: the page is a file, or wide enough.
	Whole bool
}

// The palette keeps apart for every common kind of colour-blindness, and a
// sign stands beside every colour.
var (
	blue   = lipgloss.NewStyle().Foreground(lipgloss.Color("75"))
	orange = lipgloss.NewStyle().Foreground(lipgloss.Color("214"))
	violet = lipgloss.NewStyle().Foreground(lipgloss.Color("176"))
	dim    = lipgloss.NewStyle().Foreground(lipgloss.Color("245"))
	strong = lipgloss.NewStyle().Bold(true)
)

func (s Style) paint(st lipgloss.Style, text string) string {
	if !s.Color || text == "" {
		return text
	}
	return st.Render(text)
}

// Strong makes a text stand out.
func (s Style) Strong(text string) string { return s.paint(strong, text) }

// Dim makes a text stand back.
func (s Style) Dim(text string) string { return s.paint(dim, text) }

// Warn colours a warning.
func (s Style) Warn(text string) string { return s.paint(orange, text) }

// mark is the sign, colour and word of something.
type mark struct {
	sign, word string
	style      lipgloss.Style
}

// paints are the colours of marks.
var paints = map[view.Mark]lipgloss.Style{view.Equal: dim, view.Plain: dim, view.Stays: dim, view.Changed: violet, view.Comes: blue, view.Goes: orange, view.Loses: orange}

// sign is the sign of a mark, in its colour.
func (s Style) sign(m view.Mark) string { return s.paint(paints[m], view.Signs[m]) }

// shorten is Shorten where the page is narrow.
func (s Style) shorten(text string, n int) string {
	if s.Whole {
		return text
	}
	return Shorten(text, n)
}

// Shorten cuts a text to n columns, out of its middle.
func Shorten(text string, n int) string {
	if lipgloss.Width(text) <= n || n < 4 {
		return text
	}
	r := []rune(text)
	head := (n - 1) / 2
	tail := n - 1 - head
	return string(r[:head]) + "…" + string(r[len(r)-tail:])
}

func pad(text string, n int) string {
	if w := lipgloss.Width(text); w < n {
		return text + strings.Repeat(" ", n-w)
	}
	return text
}

// Safe makes text from a database safe for a terminal.
func Safe(s string) string { return sqltext.CommentSafe(s) }

func runes(s string) int { return utf8.RuneCountInString(s) }
