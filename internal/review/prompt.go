package review

import (
	"strings"
	"unicode"

	tea "charm.land/bubbletea/v2"
)

// prompt is a line that is typed into, or a question that one key answers.
type prompt struct {
	ask    string
	text   []rune
	at     int // of the cursor, in runes
	done   func(text string) tea.Cmd
	typed  func(text string) // told with every letter; nil for nobody
	given  func()            // told when it is given up; nil for nobody
	choice func(key string)  // takes one key instead of a text; nil for a text
}

// ask1 asks for a line.
func (m *Model) ask1(ask, start string, done func(string) tea.Cmd) {
	m.prompt = &prompt{ask: ask, text: []rune(start), at: len([]rune(start)), done: done}
}

// choose asks for a key.
func (m *Model) choose(ask string, choice func(key string)) {
	m.prompt = &prompt{ask: ask, choice: choice}
}

// put writes a text where the cursor is. It is one line.
func (p *prompt) put(s string) {
	var r []rune
	for _, c := range strings.ReplaceAll(s, "\n", " ") {
		if unicode.IsPrint(c) {
			r = append(r, c)
		}
	}
	p.text = append(p.text[:p.at:p.at], append(r, p.text[p.at:]...)...)
	p.at += len(r)
	if p.typed != nil {
		p.typed(string(p.text))
	}
}

func (p *prompt) cut(from, to int) {
	if from < 0 || to > len(p.text) {
		return
	}
	p.text = append(p.text[:from:from], p.text[to:]...)
	p.at = from
	if p.typed != nil {
		p.typed(string(p.text))
	}
}

// promptKey is a key while something is asked.
func (m *Model) promptKey(k tea.KeyPressMsg) tea.Cmd {
	p, name := m.prompt, k.String()
	if name == "esc" {
		m.prompt = nil
		if p.given != nil {
			p.given()
		}
		if p.typed != nil {
			p.typed("")
		}
		return nil
	}
	if p.choice != nil {
		m.prompt = nil
		p.choice(name)
		return nil
	}
	switch name {
	case "enter":
		m.prompt = nil
		return p.done(strings.TrimSpace(string(p.text)))
	case "backspace":
		p.cut(p.at-1, p.at)
	case "delete":
		p.cut(p.at, p.at+1)
	case "ctrl+u":
		p.cut(0, p.at)
	case "left":
		p.at = max(p.at-1, 0)
	case "right":
		p.at = min(p.at+1, len(p.text))
	case "home", "ctrl+a":
		p.at = 0
	case "end", "ctrl+e":
		p.at = len(p.text)
	case "up", "down", "pgup", "pgdown":
		if m.page != nil {
			m.pageTop = max(0, min(m.pageTop+map[string]int{"up": -1, "down": 1, "pgup": -m.bodyLines(), "pgdown": m.bodyLines()}[name], len(m.pageLines())-m.bodyLines()))
		}
	default:
		if k.Text != "" {
			p.put(k.Text)
		}
	}
	return nil
}
