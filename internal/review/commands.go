package review

import (
	"context"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"dappermirror/internal/report/view"
)

// command is what keys do.
type command struct {
	keys  []string
	short string // at the foot, "" for what everybody tries
	long  string // in the help
	do    func(m *Model) tea.Cmd
}

// commands are all there are; the foot and the help are made of them.
var commands []command

func init() {
	quiet := func(f func(m *Model)) func(*Model) tea.Cmd {
		return func(m *Model) tea.Cmd { f(m); return nil }
	}
	commands = []command{
		{[]string{"up", "k"}, "", "up and down, through what stands open", quiet(func(m *Model) { m.move(-1) })},
		{[]string{"down", "j"}, "", "", quiet(func(m *Model) { m.move(1) })},
		{[]string{"pgup", "ctrl+b"}, "", "a page up or down", quiet(func(m *Model) { m.leap(-1) })},
		{[]string{"pgdown", "ctrl+f"}, "", "", quiet(func(m *Model) { m.leap(1) })},
		{[]string{"home", "g"}, "", "to the beginning or the end; a number goes to that step", quiet(func(m *Model) { m.end(false) })},
		{[]string{"end", "G"}, "", "", quiet(func(m *Model) { m.end(true) })},
		{[]string{"enter", "right", "l"}, "Enter opens", "open: why a step is there, both definitions, risks, locks, SQL", quiet(func(m *Model) { m.toggleOpen(!m.open[m.current().key] || m.current().kind == differenceRow) })},
		{[]string{"left", "h"}, "", "close", quiet(func(m *Model) { m.toggleOpen(false) })},
		{[]string{"O"}, "", "open or close all steps", quiet((*Model).openAll)},
		{[]string{"space", " "}, "Space off/on", "leave a step or a difference as it is, or take it again", func(m *Model) tea.Cmd { return m.decide(leave) }},
		{[]string{"s"}, "s to source", "change the source instead (to-source)", func(m *Model) tea.Cmd { return m.decide(toSource) }},
		{[]string{"+"}, "", "take along what a chosen thing needs", func(m *Model) tea.Cmd { return m.takeAlong() }},
		{[]string{"a"}, "a allow loss", "allow a loss, by typing its name", quiet((*Model).allow)},
		{[]string{"f"}, "f fill", "give a value for the rows that are there", quiet((*Model).fill)},
		{[]string{"y"}, "", "yes, it is a rename", func(m *Model) tea.Cmd { return m.rename(true) }},
		{[]string{"n"}, "", "no, it is none", func(m *Model) tea.Cmd { return m.rename(false) }},
		{[]string{"t"}, "t tolerate", "let this kind of difference count no more, here or everywhere", quiet((*Model).tolerate)},
		{[]string{"u", "ctrl+z"}, "u undo", "undo", func(m *Model) tea.Cmd { return m.back(&m.undone, &m.redone, "nothing to undo") }},
		{[]string{"U", "ctrl+r"}, "", "do again what was undone", func(m *Model) tea.Cmd { return m.back(&m.redone, &m.undone, "nothing to do again") }},
		{[]string{"/"}, "/ find", "show only what has these words: a name, a kind, a schema, a risk", quiet((*Model).search)},
		{[]string{"esc"}, "", "show all again", quiet(func(m *Model) { m.find = ""; m.layOut() })},
		{[]string{"o"}, "", "show the rows that a risk is about", func(m *Model) tea.Cmd { return m.offending() }},
		{[]string{"r"}, "", "ask the rows now what they say about the risks", func(m *Model) tea.Cmd { return m.askNow() }},
		{[]string{"c"}, "", "copy the SQL, or the name, to the clipboard of the terminal", func(m *Model) tea.Cmd { return m.copy() }},
		{[]string{"R"}, "", "read both places again; what was said stays", func(m *Model) tea.Cmd { return m.again() }},
		{[]string{"w"}, "w write", "write the script, the way back, the choices, a report, a task", quiet((*Model).write)},
		{[]string{"e"}, "e rehearse", "rehearse the script on a scratch copy", func(m *Model) tea.Cmd { return m.rehearse() }},
		{[]string{"A"}, "A apply", "run the script on the target, after a summary and a yes", func(m *Model) tea.Cmd { return m.apply() }},
		{[]string{"K"}, "", "take up what an earlier review said", func(m *Model) tea.Cmd { return m.takeUp() }},
		{[]string{"D"}, "", "forget it", quiet((*Model).forget)},
		{[]string{"?", "f1"}, "? all keys", "this page", quiet((*Model).help)},
		{[]string{"q"}, "q ends", "end; what was not written is kept and offered the next time", func(*Model) tea.Cmd { return tea.Quit }},
	}
}

func (m *Model) leap(n int) {
	lines := m.bodyLines()
	m.top = max(0, min(m.top+n*lines, len(m.rows)-lines))
	for i := m.top; i < min(m.top+lines, len(m.rows)); i++ {
		if m.rows[i].selectable() {
			m.cursor = i
			if n < 0 {
				return
			}
		}
	}
}

func (m *Model) end(last bool) {
	for i := range m.rows {
		if j := len(m.rows) - 1 - i; last && m.rows[j].selectable() {
			m.select_(j)
			return
		}
		if !last && m.rows[i].selectable() {
			m.select_(i)
			return
		}
	}
}

func (m *Model) openAll() {
	open := !slices.ContainsFunc(m.rows, func(r row) bool { return r.kind == stepRow && m.open[r.key] })
	for _, r := range slices.Clone(m.rows) {
		if r.kind == stepRow {
			m.open[r.key] = open
		}
	}
	m.layOut()
}

func (m *Model) takeAlong() tea.Cmd {
	if len(m.judged.Lacking) == 0 {
		m.say("nothing is lacking")
		return nil
	}
	s := m.said.clone()
	s.AddNeeded = true
	return m.change(s)
}

// allow has the name of a loss typed: one key is too easy.
func (m *Model) allow() {
	r := m.current()
	if r.step == nil || len(r.step.Loses) == 0 {
		m.say("nothing here is held back for what it destroys")
		return
	}
	want := r.step.Loses
	shown := safe(strings.Join(want, ",")) // what no key types is typed as it is shown
	m.ask1("to allow the loss, type "+shown, "", func(text string) tea.Cmd {
		named := want
		if text != shown { // some of them
			named = nil
			for _, t := range strings.Split(text, ",") {
				i := slices.IndexFunc(want, func(w string) bool { return safe(w) == strings.TrimSpace(t) })
				if i < 0 {
					m.warn(fmt.Errorf("%q is not what would be lost; nothing was allowed", t))
					return nil
				}
				named = append(named, want[i])
			}
		}
		s := m.said.clone()
		s.MayLose = append(s.MayLose, named...)
		return m.change(s)
	})
}

func (m *Model) fill() {
	start := ""
	if r := m.current(); r.step != nil && len(r.step.Lacks) > 0 {
		start = r.step.Lacks[0] + "="
	} else {
		for _, d := range m.differences() { // a column that comes is the likeliest
			if column, ok := strings.CutPrefix(d.ID, "column:"); ok && (start == "" || d.Mark == view.Comes) {
				start = column + "="
			}
		}
	}
	m.ask1("a value for the rows that are there, COLUMN=EXPRESSION", start, func(text string) tea.Cmd {
		column, value, ok := strings.Cut(text, "=")
		if !ok || strings.TrimSpace(value) == "" {
			m.warn(fmt.Errorf("write it as COLUMN=EXPRESSION"))
			return nil
		}
		s := m.said.clone()
		s.Fill = slices.DeleteFunc(s.Fill, func(x string) bool { c, _, _ := strings.Cut(x, "="); return c == column })
		s.Fill = append(s.Fill, text)
		return m.change(s)
	})
}

// rename answers whether two things are one.
func (m *Model) rename(yes bool) tea.Cmd {
	l := m.current().likely
	if l == nil {
		m.say("this is no question")
		return nil
	}
	s := m.said.clone()
	if !yes {
		s.Apart = append(s.Apart, l.Option)
		return m.change(s)
	}
	s.Rename = append(s.Rename, strings.TrimPrefix(l.Option, "--rename "))
	return m.change(s)
}

func (m *Model) tolerate() {
	list := m.differences()
	if len(list) == 0 {
		m.say("nothing here can be tolerated")
		return
	}
	names := m.desk.Tolerances(list[0].ID)
	if len(names) == 0 {
		m.say("no tolerance covers this; `dapper-mirror tolerances` lists all")
		return
	}
	m.ask1("tolerate here; without @… everywhere ("+strings.Join(names, ", ")+")", names[0]+"@"+list[0].ID, func(text string) tea.Cmd {
		s := m.said.clone()
		s.Tolerate = append(s.Tolerate, text)
		return m.change(s)
	})
}

func (m *Model) search() {
	m.ask1("find", m.find, func(text string) tea.Cmd { m.find = text; m.layOut(); return nil })
	m.prompt.typed = func(text string) { m.find = text; m.layOut() }
}

func (m *Model) offending() tea.Cmd {
	s := m.current().step
	if s == nil {
		m.say("the cursor is on no step")
		return nil
	}
	return m.run("rows", func(ctx context.Context) (string, []string, error) {
		lines, err := m.desk.Rows(ctx, s)
		if err == nil && len(lines) == 0 {
			return "no risk of this step is about rows", nil, nil
		}
		return "", lines, err
	})
}

func (m *Model) askNow() tea.Cmd {
	said := m.said
	return m.run("asking", func(ctx context.Context) (string, []string, error) {
		return "the rows were asked", nil, m.desk.AskNow(ctx, said)
	})
}

func (m *Model) copy() tea.Cmd {
	r := m.current()
	text := ""
	switch {
	case r.step != nil:
		text = strings.Join(r.step.SQL, "\n")
	case r.diff != nil:
		text = r.diff.ID
	}
	if text == "" {
		m.say("nothing here to copy")
		return nil
	}
	m.say("copied, where the terminal lets a program do that")
	return tea.SetClipboard(text)
}

func (m *Model) again() tea.Cmd {
	said := m.said
	return m.run("reading", func(ctx context.Context) (string, []string, error) {
		changed, err := m.desk.Again(ctx, said)
		if err == nil && len(changed) == 0 {
			return "read again: nothing changed meanwhile", nil, nil
		}
		return "", changed, err
	})
}

// write asks what is written, and where to.
func (m *Model) write() {
	files := []struct {
		key  string
		what What
		file string
	}{{"s", Script, "up.sql"}, {"b", Backout, "down.sql"}, {"c", Choices, "choices.yaml"}, {"p", Report, "report.html"}, {"t", Task, "nightly"}, {"o", Source, "source.sql"}}
	m.choose("write: s script, b way back, o script for the source, c choices, p report, t task", func(key string) {
		for _, f := range files {
			if f.key != key {
				continue
			}
			ask := string(f.what) + " into the file"
			if f.what == Task {
				ask = "name of the task"
			}
			said := m.said
			m.ask1(ask, f.file, func(name string) tea.Cmd {
				return m.run(string(f.what), func(ctx context.Context) (string, []string, error) {
					text, err := m.desk.Write(ctx, f.what, name, said)
					return text, nil, err
				})
			})
		}
	})
}

func (m *Model) rehearse() tea.Cmd {
	said := m.said
	return m.run("rehearsal", func(ctx context.Context) (string, []string, error) {
		text, err := m.desk.Rehearse(ctx, said)
		return text, nil, err
	})
}

// apply runs the script once somebody has read the summary and typed yes.
func (m *Model) apply() tea.Cmd {
	said := m.said
	lines, err := m.desk.Summary(said)
	if err != nil {
		m.warn(err)
		return nil
	}
	m.page, m.pageTop, m.pageOf = lines, 0, "what will be run"
	m.ask1("type yes to run it on "+safe(m.judged.Target), "", func(text string) tea.Cmd {
		m.page = nil
		if text != "yes" {
			m.say("not run")
			return nil
		}
		return m.run("apply", func(ctx context.Context) (string, []string, error) {
			text, err := m.desk.Apply(ctx, said)
			return text, nil, err
		})
	})
	m.prompt.given = func() { m.page = nil; m.say("not run") }
	return nil
}

func (m *Model) takeUp() tea.Cmd {
	if m.nothingKept() {
		m.say("nothing is kept of an earlier review")
		return nil
	}
	s := m.kept
	m.kept = Said{}
	return m.change(s)
}

func (m *Model) forget() {
	if m.nothingKept() {
		m.say("nothing is kept of an earlier review")
		return
	}
	m.kept = Said{}
	m.keep()
	m.say("forgotten")
}

func (m *Model) help() {
	m.page, m.pageTop, m.pageOf = nil, 0, "keys"
	var pending []string
	for _, c := range commands {
		names := make([]string, len(c.keys))
		for i, k := range c.keys {
			names[i] = keyName(k)
		}
		pending = append(pending, strings.Join(slices.Compact(names), " "))
		if c.long == "" && len(m.page) > 0 {
			last := len(m.page) - 1
			head, rest, _ := strings.Cut(m.page[last], "  ")
			m.page[last] = fmt.Sprintf("%-28s  %s", strings.TrimSpace(head)+", "+pending[0], strings.TrimSpace(rest))
			pending = nil
			continue
		}
		m.page = append(m.page, fmt.Sprintf("%-28s  %s", strings.Join(pending, ", "), c.long))
		pending = nil
	}
	m.page = append(m.page, "", "In the margin: ! loses values or fails on the rows, ? may fail, * copies the table,", "· others wait. + comes, - goes, ~ changes. ┄ was chosen away, or is held back.")
}

// keyName is a key as people call it.
func keyName(k string) string {
	names := map[string]string{"up": "↑", "down": "↓", "left": "←", "right": "→", "pgup": "PgUp", "pgdown": "PgDn", "home": "Home", "end": "End", "enter": "Enter", "space": "Space", " ": "Space", "esc": "Esc", "f1": "F1"}
	if n, ok := names[k]; ok {
		return n
	}
	if c, ok := strings.CutPrefix(k, "ctrl+"); ok {
		return "Ctrl-" + strings.ToUpper(c)
	}
	return k
}
