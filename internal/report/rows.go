package report

import (
	"fmt"
	"io"
	"strings"

	"charm.land/lipgloss/v2"

	"dappermirror/internal/core/words"
)

// JSONRows are rows of a table.
type JSONRows struct {
	Place   string       `json:"place"`
	Table   string       `json:"table"`
	Columns []JSONColumn `json:"columns"`
	Rows    [][]JSONCell `json:"rows"`
	More    bool         `json:"more"` // there are more than were asked for
}

// JSONColumn is a column of listed rows.
type JSONColumn struct {
	Name string `json:"name"`
	Type string `json:"type,omitempty"`
}

// JSONCell is a value; null text says that it is NULL.
type JSONCell struct {
	Kind string  `json:"kind,omitempty"` // "number", "text" or "binary"
	Text *string `json:"text"`
	Size int     `json:"size,omitempty"` // in letters or bytes, where the text is cut
}

// words are a value as people read it: NULL is no text, and a text that says so is
// quoted; what is binary has its sign.
func (c JSONCell) words(most int) string {
	if c.Text == nil {
		return "NULL"
	}
	text := Safe(*c.Text)
	size, unit := c.Size, "letters"
	switch c.Kind {
	case "number":
		return text
	case "binary":
		text, unit = "x'"+strings.ToLower(text)+"'", "bytes"
		if size <= len(*c.Text)/2 {
			size = 0
		}
	default:
		if size <= runes(*c.Text) {
			size = 0
		}
		if text == "" || text == "NULL" || strings.TrimSpace(text) != text {
			text = "'" + text + "'"
		}
	}
	if lipgloss.Width(text) > most {
		if size == 0 {
			size = max(c.Size, runes(*c.Text))
		}
		text = string([]rune(text)[:most-1]) + "…"
	} else if size > 0 {
		text += "…"
	}
	if size > 0 {
		text += fmt.Sprintf(" (%s %s)", words.Thousands(int64(size)), unit)
	}
	return text
}

// longest is how long a value is shown beside others.
const longest = 40

// Rows writes rows of a table: aligned, or one below the other where they are wider than
// the page.
func Rows(w io.Writer, r JSONRows, st Style) {
	fmt.Fprintf(w, "%s  %s\n\n", st.Strong(Safe(r.Table)), st.Dim(Safe(r.Place)))
	wide := make([]int, len(r.Columns))
	total := 0
	for i, c := range r.Columns {
		wide[i] = lipgloss.Width(Safe(c.Name))
		for _, row := range r.Rows {
			wide[i] = max(wide[i], lipgloss.Width(row[i].words(longest)))
		}
		total += wide[i] + 2
	}
	if total-2 > st.Width {
		turned(w, r, st)
	} else {
		aligned(w, r, wide, st)
	}
	end := words.Number(len(r.Rows), "row", "rows")
	if r.More {
		end += ", and there are more"
	}
	fmt.Fprintf(w, "\n%s\n", end)
}

func aligned(w io.Writer, r JSONRows, wide []int, st Style) {
	var head strings.Builder
	for i, c := range r.Columns {
		head.WriteString(pad(Safe(c.Name), wide[i]) + "  ")
	}
	fmt.Fprintln(w, st.Strong(strings.TrimRight(head.String(), " ")))
	for _, row := range r.Rows {
		var line strings.Builder
		for i, c := range row {
			text := c.words(longest)
			gap := strings.Repeat(" ", max(0, wide[i]-lipgloss.Width(text)))
			if c.Kind == "number" {
				line.WriteString(gap + text)
			} else {
				line.WriteString(st.value(c, text) + gap)
			}
			line.WriteString("  ")
		}
		fmt.Fprintln(w, strings.TrimRight(line.String(), " "))
	}
}

// value paints a value: NULL stands back.
func (s Style) value(c JSONCell, text string) string {
	if c.Text == nil {
		return s.Dim(text)
	}
	return text
}

// turned writes rows on their sides: a column a line.
func turned(w io.Writer, r JSONRows, st Style) {
	name, typ := 0, 0
	for _, c := range r.Columns {
		name, typ = max(name, lipgloss.Width(Safe(c.Name))), max(typ, lipgloss.Width(Safe(c.Type)))
	}
	name, typ = min(name, 30), min(typ, 20)
	for n, row := range r.Rows {
		fmt.Fprintf(w, "%s\n", st.Dim(fmt.Sprintf("row %d", n+1)))
		for i, c := range row {
			fmt.Fprintf(w, "  %s  %s  %s\n", pad(Shorten(Safe(r.Columns[i].Name), name), name), st.Dim(pad(Shorten(Safe(r.Columns[i].Type), typ), typ)), st.value(c, c.words(max(st.Width-name-typ-24, 20))))
		}
	}
}

// TwoRows writes one row of either side beside the other, a column a line; what differs
// is marked.
func TwoRows(w io.Writer, source, target JSONRows, st Style) (differ int) {
	fmt.Fprintf(w, "%s\n", st.Strong(Safe(source.Table)))
	at := func(r JSONRows) map[string]JSONCell {
		out := map[string]JSONCell{}
		for i, c := range r.Columns {
			if len(r.Rows) > 0 {
				out[c.Name] = r.Rows[0][i]
			}
		}
		return out
	}
	a, b := at(source), at(target)
	var names []string
	for _, r := range []JSONRows{source, target} {
		for _, c := range r.Columns {
			if !has(names, c.Name) {
				names = append(names, c.Name)
			}
		}
	}
	wide := len("column")
	for _, n := range names {
		wide = max(wide, min(lipgloss.Width(Safe(n)), 30))
	}
	half := max((st.Width-wide-8)/2, 20)
	fmt.Fprintf(w, "\n  %s  %s  %s\n", st.Strong(pad("column", wide)), st.Strong(pad(head("source", source, half), half)), st.Strong(head("target", target, half)))
	for _, n := range names {
		x, inA := a[n]
		y, inB := b[n]
		texts := [2]string{"", ""}
		if inA {
			texts[0] = x.words(half - 16)
		}
		if inB {
			texts[1] = y.words(half - 16)
		}
		sign := " "
		if same := inA == inB && (x.Text == nil) == (y.Text == nil) && (x.Text == nil || *x.Text == *y.Text && x.Size == y.Size); !same {
			sign = st.sign("changed")
			differ++
		}
		fmt.Fprintf(w, "%s %s  %s  %s\n", sign, pad(Shorten(Safe(n), wide), wide), pad(texts[0], half), texts[1])
	}
	fmt.Fprintf(w, "\n%s\n", words.Number(differ, "value differs", "values differ"))
	return differ
}

// head names a side.
func head(side string, r JSONRows, room int) string {
	text := side + ": " + Safe(r.Place)
	if len(r.Rows) == 0 {
		text = side + ": no such row in " + Safe(r.Place)
	}
	return Shorten(text, room)
}

func has(list []string, s string) bool {
	for _, x := range list {
		if x == s {
			return true
		}
	}
	return false
}
