package review

import (
	"fmt"
	"image/color"
	"strings"

	tea "charm.land/bubbletea/v2"
	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"

	"dappermirror/internal/core/words"
	"dappermirror/internal/report/view"
)

// The frame: a head, the body, and a foot.
const (
	headLines = 3
	footLines = 3
)

// bodyLines is how many rows there is room for.
func (m *Model) bodyLines() int { return max(m.height-headLines-footLines, 1) }

// colours are those of marks, on a dark ground and on a light one; a sign stands beside
// each.
var colours = map[view.Mark][2]color.Color{
	view.Comes: {lipgloss.Color("75"), lipgloss.Color("25")}, view.Goes: {lipgloss.Color("214"), lipgloss.Color("130")}, view.Loses: {lipgloss.Color("214"), lipgloss.Color("130")},
	view.Changed: {lipgloss.Color("176"), lipgloss.Color("90")}, view.Equal: {lipgloss.Color("245"), lipgloss.Color("241")}, view.Stays: {lipgloss.Color("245"), lipgloss.Color("241")},
}

func (m *Model) paint(p piece, faint bool) string {
	st := lipgloss.NewStyle().Bold(p.bold)
	c, ok := colours[p.mark]
	if faint {
		c, ok = colours[view.Equal], true
	}
	if ok {
		i := 0
		if m.light {
			i = 1
		}
		st = st.Foreground(c[i])
	}
	return st.Render(p.text)
}

func (m *Model) dim(s string) string { return m.paint(piece{text: s}, true) }

// View implements tea.Model.
func (m *Model) View() tea.View {
	v := tea.NewView(m.Frame())
	v.AltScreen, v.MouseMode = true, tea.MouseModeCellMotion
	v.WindowTitle = "review " + safe(m.judged.Source) + " → " + safe(m.judged.Target)
	if p := m.prompt; p != nil && p.choice == nil {
		v.Cursor = tea.NewCursor(min(ansi.StringWidth(safe(p.ask)+": "+safe(string(p.text[:p.at]))), m.width-1), m.height-2)
	}
	return v
}

// Frame is the screen.
func (m *Model) Frame() string {
	var b strings.Builder
	line := func(s string) { b.WriteString(ansi.Truncate(s, m.width, "…") + "\n") }
	line(m.ends(m.paint(piece{text: "review", bold: true}, false)+"  "+safe(m.judged.Source)+" "+m.paint(piece{text: "→", bold: true}, false)+" "+safe(m.judged.Target), m.alike()))
	line(m.ends(m.sum(), m.state()))
	line(m.dim(strings.Repeat("─", m.width)))
	body := m.bodyLines()
	if m.page != nil {
		lines := m.pageLines()
		for i := range body {
			s := ""
			if n := m.pageTop + i; n < len(lines) {
				s = " " + lines[n]
			}
			line(s)
		}
	} else {
		for i := range body {
			s := ""
			if n := m.top + i; n < len(m.rows) {
				s = m.line(&m.rows[n], n == m.cursor)
			}
			line(s)
		}
	}
	where := m.where()
	line(m.dim(strings.Repeat("─", max(m.width-ansi.StringWidth(where), 0)) + where))
	line(m.said1())
	b.WriteString(ansi.Truncate(m.dim(m.foot()), m.width, "…"))
	return b.String()
}

// pageLines are the lines of the text over the screen, folded at its width.
func (m *Model) pageLines() []string {
	var out []string
	for _, l := range m.page {
		out = append(out, strings.Split(ansi.Wrap(safe(l), m.width-2, " "), "\n")...)
	}
	return out
}

// ends puts one text at the beginning of a line and one at its end.
func (m *Model) ends(a, z string) string {
	room := m.width - ansi.StringWidth(z) - 1
	if room < 4 {
		return a
	}
	a = ansi.Truncate(a, room, "…")
	return a + strings.Repeat(" ", room-ansi.StringWidth(a)+1) + z
}

// alike says how alike the two sides are, where that is known.
func (m *Model) alike() string {
	if m.judged.Alike < 0 {
		return "a script"
	}
	return fmt.Sprintf("%d.%d %% alike", m.judged.Alike/10, m.judged.Alike%10)
}

// sum counts what there is.
func (m *Model) sum() string {
	j := m.judged
	parts := []string{words.Number(len(j.Differences), "difference", "differences"), words.Number(len(j.Steps), "step", "steps")}
	if j.Alike < 0 {
		parts = parts[1:]
	}
	loses := 0
	for _, s := range j.Steps {
		if s.Worst == "loss" {
			loses++
		}
	}
	if loses > 0 {
		parts = append(parts, fmt.Sprintf("%d of them %s", loses, map[bool]string{true: "loses values", false: "lose values"}[loses == 1]))
	}
	if n := len(j.Held); n > 0 {
		parts = append(parts, fmt.Sprintf("%d held back", n))
	}
	if n := len(m.left()); n > 0 {
		parts = append(parts, fmt.Sprintf("%d left", n))
	}
	if n := len(j.Lacking); n > 0 {
		parts = append(parts, fmt.Sprintf("%d lacking", n))
	}
	return strings.Join(parts, ", ")
}

// state says what is at work, and what is not written.
func (m *Model) state() string {
	switch {
	case m.busy != "":
		return m.busy + " …"
	case m.asking:
		return "asking the rows …"
	case m.find != "":
		return "only: " + safe(m.find)
	case m.Unwritten():
		return "not written"
	}
	return ""
}

// where says how much of the text is shown.
func (m *Model) where() string {
	n, top := len(m.rows), m.top
	if m.page != nil {
		n, top = len(m.pageLines()), m.pageTop
	}
	switch lines := m.bodyLines(); {
	case n <= lines:
		return " all "
	case top == 0:
		return " top "
	case top+lines >= n:
		return " end "
	default:
		return fmt.Sprintf(" %d %% ", 100*top/max(n-lines, 1))
	}
}

// said1 is the line that is typed into, or what there is to say.
func (m *Model) said1() string {
	if p := m.prompt; p != nil {
		if p.choice != nil {
			return m.paint(piece{text: safe(p.ask), bold: true}, false)
		}
		return m.paint(piece{text: safe(p.ask) + ": ", bold: true}, false) + safe(string(p.text))
	}
	if m.warned {
		return m.paint(piece{text: "! " + safe(m.message), mark: view.Loses}, false)
	}
	return safe(m.message)
}

// foot names the keys that there is room for.
func (m *Model) foot() string {
	switch {
	case m.prompt != nil && m.prompt.choice == nil:
		return "Enter does it, Esc gives up"
	case m.prompt != nil:
		return "Esc gives up"
	case m.page != nil:
		return m.pageOf + ": ↑ ↓ move, any other key goes back"
	}
	last := "? all keys"
	out := ""
	for _, c := range commands {
		if c.short == "" || c.short == last {
			continue
		}
		if ansi.StringWidth(out+"  "+c.short+"  "+last) > m.width {
			break
		}
		if out != "" {
			out += "  "
		}
		out += c.short
	}
	return out + "  " + last
}

// line is a row as it is drawn.
func (m *Model) line(r *row, here bool) string {
	cursor := "  "
	if here {
		cursor = m.paint(piece{text: "▌ ", mark: view.Comes, bold: true}, false)
	}
	var b strings.Builder
	b.WriteString(cursor)
	switch r.kind {
	case stepRow:
		b.WriteString(m.paint(piece{text: fmt.Sprintf("%4s ", r.number), bold: here}, r.held))
		b.WriteString(m.paint(piece{text: orBlank(r.sign) + " ", mark: r.signed, bold: true}, false))
	case leftRow:
		b.WriteString(strings.Repeat(" ", r.indent) + m.dim("   ┄ "))
	default:
		b.WriteString(strings.Repeat(" ", r.indent))
		if r.sign != "" || r.kind == textRow || r.kind == differenceRow {
			b.WriteString(m.paint(piece{text: orBlank(r.sign) + " ", mark: r.signed}, r.faint))
		}
	}
	for _, p := range r.pieces {
		p.bold = p.bold || here
		b.WriteString(m.paint(p, r.faint || r.held && r.kind == stepRow))
	}
	if r.right != "" && m.width >= 50 {
		right := piece{text: safe(r.right), mark: r.signed}
		return m.ends(b.String(), m.paint(right, r.faint || r.signed == view.Plain))
	}
	return b.String()
}

func orBlank(s string) string {
	if s == "" {
		return " "
	}
	return s
}
