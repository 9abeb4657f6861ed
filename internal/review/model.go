package review

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"

	tea "charm.land/bubbletea/v2"

	"dappermirror/internal/core/sqltext"
)

// Model is a review on a screen.
type Model struct {
	desk Desk
	ctx  context.Context
	// said is what was said, undone and redone what it was before and after.
	said           Said
	undone, redone []Said
	written        Said // what was said when it was written
	kept           Said // of an earlier review, to be taken up or forgotten
	judged         *Judged
	first          []string // the differences in the order in which the first plan carried them out
	looks          map[string]*Closely

	width, height int
	top, cursor   int
	rows          []row
	open          map[string]bool
	find          string
	jump          string // digits that were typed

	prompt  *prompt
	page    []string // a text over the whole screen
	pageTop int
	pageOf  string
	message string
	warned  bool // the message is a warning
	busy    string
	stop    context.CancelFunc // ends what is at work
	asking  bool
	light   bool
}

// New is a review at a desk. kept is what an earlier one said and did not write.
func New(ctx context.Context, desk Desk, kept Said) (*Model, error) {
	m := &Model{desk: desk, ctx: ctx, open: map[string]bool{}, looks: map[string]*Closely{}, width: 80, height: 24, kept: kept}
	// What was said to be no rename is not asked again.
	m.written = Said{Apart: kept.Apart}
	if err := m.judge(m.written); err != nil {
		return nil, err
	}
	for _, s := range slices.Concat(m.judged.Steps, m.judged.Held) {
		m.first = append(m.first, s.Of...)
	}
	if !m.nothingKept() {
		m.say("what an earlier review said is kept: K takes it up, D forgets it")
	}
	return m, nil
}

// nothingKept tells whether an earlier review left nothing to be taken up.
func (m *Model) nothingKept() bool {
	s := m.kept
	s.Apart = nil
	return s.Empty()
}

// Unwritten tells whether something was said that was not written.
func (m *Model) Unwritten() bool { return !reflect.DeepEqual(m.said.bare(), m.written.bare()) }

// done is told when something that took a while is over.
type done struct {
	what string
	said string
	page []string
	err  error
}

// asked is what is over when the rows were asked for a judgement.
const asked = "asked"

// Told is what is said meanwhile.
func Told(text string) tea.Msg { return told{text} }

// told is what is said meanwhile.
type told struct{ text string }

// Init implements tea.Model.
func (m *Model) Init() tea.Cmd { return tea.Batch(tea.RequestBackgroundColor, m.ask()) }

func (m *Model) say(format string, args ...any) {
	m.message, m.warned = fmt.Sprintf(format, args...), false
}

func (m *Model) warn(err error) { m.message, m.warned = err.Error(), true }

// judge has the desk say what follows from what was said.
func (m *Model) judge(s Said) error {
	j, err := m.desk.Judge(m.ctx, s)
	if err != nil {
		return err
	}
	m.said, m.judged = s, j
	m.layOut()
	return nil
}

// change says something else, which can be undone. What cannot be is left as it was.
func (m *Model) change(s Said) tea.Cmd {
	if m.busy != "" {
		m.say("%s is at work; Ctrl-C stops it", m.busy)
		return nil
	}
	before := m.said
	if err := m.judge(s); err != nil {
		m.warn(err)
		return nil
	}
	m.undone, m.redone = append(m.undone, before), nil
	m.keep()
	return m.ask()
}

func (m *Model) keep() {
	if err := m.desk.Keep(m.said); err != nil {
		m.warn(err)
	}
}

// back undoes, or does again.
func (m *Model) back(from, to *[]Said, none string) tea.Cmd {
	n := len(*from) - 1
	if n < 0 || m.busy != "" {
		m.say("%s", none)
		return nil
	}
	now, s := m.said, (*from)[n]
	if err := m.judge(s); err != nil {
		m.warn(err)
		return nil
	}
	*from, *to = (*from)[:n], append(*to, now)
	m.keep()
	return m.ask()
}

// ask asks the rows, beside whatever goes on.
func (m *Model) ask() tea.Cmd {
	if m.asking || m.judged.Unasked == 0 || m.busy != "" {
		return nil
	}
	m.asking = true
	return func() tea.Msg { return done{what: asked, err: m.desk.Ask(m.ctx)} }
}

// run does something that takes a while.
func (m *Model) run(what string, do func(ctx context.Context) (string, []string, error)) tea.Cmd {
	if m.busy != "" {
		m.say("%s is at work; Ctrl-C stops it", m.busy)
		return nil
	}
	ctx, stop := context.WithCancel(m.ctx)
	m.busy, m.stop = what, stop
	return func() tea.Msg {
		defer stop()
		said, page, err := do(ctx)
		return done{what, said, page, err}
	}
}

// Update implements tea.Model.
func (m *Model) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		m.width, m.height = max(msg.Width, 20), max(msg.Height, 8)
		m.layOut()
	case tea.BackgroundColorMsg:
		m.light = !msg.IsDark()
	case told:
		if m.busy != "" { // afterwards it is old
			m.say("%s", msg.text)
		}
	case done:
		return m, m.over(msg)
	case tea.MouseWheelMsg:
		if msg.Button == tea.MouseWheelUp {
			m.move(-3)
		} else {
			m.move(3)
		}
	case tea.MouseClickMsg:
		if i := m.top + msg.Y - headLines; msg.Y >= headLines && msg.Y < headLines+m.bodyLines() && i < len(m.rows) && m.page == nil && m.prompt == nil {
			if again := i == m.cursor; m.select_(i) && again {
				m.toggleOpen(!m.open[m.rows[m.cursor].key])
			}
		}
	case tea.PasteMsg:
		if m.prompt != nil {
			m.prompt.put(msg.Content)
		}
	case tea.KeyPressMsg:
		return m, m.key(msg)
	}
	return m, nil
}

// over says how something ended that took a while.
func (m *Model) over(d done) tea.Cmd {
	if d.what == asked {
		m.asking = false
	} else {
		m.busy, m.stop = "", nil
	}
	if d.what == "apply" && d.err == nil { // they are carried out
		m.said.Rename, m.said.Fill, m.said.MayLose, m.undone, m.redone = nil, nil, nil, nil, nil
		m.written = m.said
	}
	if d.what == asked && m.busy != "" {
		return nil // it is judged when what is at work is over, and reads and writes no more
	}
	if d.err == nil || d.what == asked || d.what == "reading" || d.what == "asking" || d.what == "apply" {
		m.looks = map[string]*Closely{}
		if err := m.judge(m.said); err != nil && d.err == nil {
			d.err = err
		}
	}
	if w := What(d.what); d.err == nil && (w == Script || w == Choices || w == Task) {
		m.written = m.said
	}
	switch {
	case d.err != nil:
		m.warn(d.err)
		if d.what == asked {
			return nil // it would be asked again and again
		}
	case d.page != nil:
		m.page, m.pageTop, m.pageOf = d.page, 0, d.what
	case d.said != "":
		m.say("%s", d.said)
	}
	return m.ask()
}

// key does what a key says.
func (m *Model) key(k tea.KeyPressMsg) tea.Cmd {
	name := k.String()
	switch {
	case name == "ctrl+c" && m.busy != "":
		m.stop()
		m.say("stopping %s …", m.busy)
		return nil
	case name == "ctrl+c":
		return tea.Quit
	case m.prompt != nil:
		return m.promptKey(k)
	case m.page != nil:
		m.pageKey(name)
		return nil
	}
	if len(name) == 1 && name[0] >= '0' && name[0] <= '9' {
		m.jump += name
		m.say("to step %s", m.jump)
		m.jumpTo()
		return nil
	}
	m.jump = ""
	if m.message != "" && !m.warned {
		m.message = ""
	}
	for _, x := range commands {
		if slices.Contains(x.keys, name) {
			m.message = ""
			return x.do(m)
		}
	}
	return nil
}

// jumpTo goes to the step whose number was typed.
func (m *Model) jumpTo() {
	n, err := strconv.Atoi(m.jump)
	for i, r := range m.rows {
		if err == nil && r.step != nil && !r.held && r.diff == nil && r.kind == stepRow && r.step.Number == n {
			m.select_(i)
			return
		}
	}
	m.say("there is no step %s", m.jump)
	if err != nil || len(m.jump) > 5 {
		m.jump = ""
	}
}

// pageKey moves in a text that covers the screen, or ends it.
func (m *Model) pageKey(name string) {
	lines := m.bodyLines()
	switch name {
	case "up", "k":
		m.pageTop--
	case "down", "j":
		m.pageTop++
	case "pgup", "b":
		m.pageTop -= lines
	case "pgdown", "space", "f":
		m.pageTop += lines
	case "home", "g":
		m.pageTop = 0
	case "end", "G":
		m.pageTop = len(m.pageLines())
	default:
		m.page = nil
		return
	}
	m.pageTop = max(0, min(m.pageTop, len(m.pageLines())-lines))
}

// move moves the cursor over what can be selected.
func (m *Model) move(n int) {
	if m.page != nil {
		m.pageTop = max(0, min(m.pageTop+n, len(m.pageLines())-m.bodyLines()))
		return
	}
	step := 1
	if n < 0 {
		step = -1
	}
	at, left := m.cursor, n*step
	for i := m.cursor + step; i >= 0 && i < len(m.rows) && left > 0; i += step {
		if m.rows[i].selectable() {
			at = i
			left--
		} else if left > 1 || n > 1 || n < -1 {
			left--
		}
	}
	// Text that stands open before the next thing is scrolled through first.
	if (n == 1 || n == -1) && m.scrolls(at, step) {
		return
	}
	m.select_(at)
}

// scrolls moves the page by a line where the next thing is beyond it.
func (m *Model) scrolls(at, step int) bool {
	lines := m.bodyLines()
	beyond := at >= m.top+lines || at < m.top || at == m.cursor
	if !beyond {
		return false
	}
	top := max(0, min(m.top+step, len(m.rows)-lines))
	if top == m.top {
		return false
	}
	m.top = top
	return at < m.top || at >= m.top+lines || at == m.cursor
}

// select_ puts the cursor on a row, and the row on the screen.
func (m *Model) select_(i int) bool {
	if i < 0 || i >= len(m.rows) || !m.rows[i].selectable() {
		return false
	}
	m.cursor = i
	lines := m.bodyLines()
	if i < m.top {
		m.top = i
	}
	if i >= m.top+lines {
		m.top = i - lines + 1
	}
	return true
}

func (m *Model) current() *row {
	if m.cursor < len(m.rows) {
		return &m.rows[m.cursor]
	}
	return &row{}
}

// toggleOpen opens or closes what the cursor is on.
func (m *Model) toggleOpen(open bool) {
	r := m.current()
	if !open && !m.open[r.key] && r.parent != "" { // it closes what it stands in
		for i := range m.rows {
			if m.rows[i].key == r.parent {
				m.select_(i)
				r = m.current()
				break
			}
		}
	}
	if r.key == "" {
		return
	}
	m.open[r.key] = open
	m.layOut()
	if open { // what was opened is shown
		last := m.cursor
		for last+1 < len(m.rows) && m.rows[last+1].parent == r.key {
			last++
		}
		if lines := m.bodyLines(); last >= m.top+lines {
			m.top = max(0, min(m.cursor, last-lines+1))
		}
	}
}

// differences are those that the row under the cursor is about.
func (m *Model) differences() []*Difference {
	r := m.current()
	if r.diff != nil {
		return []*Difference{r.diff}
	}
	var out []*Difference
	if r.step != nil {
		for _, id := range r.step.Of {
			if d := m.difference(id); d != nil {
				out = append(out, d)
			}
		}
	}
	return out
}

func (m *Model) difference(id string) *Difference {
	for _, d := range m.judged.Differences {
		if d.ID == id {
			return d
		}
		for _, p := range d.Parts {
			if p.ID == id {
				return p
			}
		}
	}
	return nil
}

// decide says what becomes of what the cursor is on; where that is said already, it goes
// to the target again.
func (m *Model) decide(choice string) tea.Cmd {
	list := m.differences()
	if len(list) == 0 {
		m.say("nothing here can be chosen")
		return nil
	}
	back := slices.ContainsFunc(list, func(d *Difference) bool { return d.Choice != "" })
	if choice == toSource {
		back = !slices.ContainsFunc(list, func(d *Difference) bool { return d.Choice != toSource })
	}
	s := m.mine()
	for _, d := range list {
		if whole := m.difference(d.Of); whole != nil {
			s = apart(s, whole)
		}
		for _, x := range append([]*Difference{d}, d.Parts...) {
			s.Leave, s.ToSource = without(s.Leave, x.ID), without(s.ToSource, x.ID)
		}
		switch {
		case back:
		case choice == leave:
			s.Leave = append(s.Leave, d.ID)
		default:
			s.ToSource = append(s.ToSource, d.ID)
		}
	}
	return m.change(s)
}

// The choices, as options have them.
const (
	leave    = "leave"
	toSource = "to-source"
)

// apart names the parts of an object that was named as a whole.
func apart(s Said, whole *Difference) Said {
	for _, l := range []*[]string{&s.Leave, &s.ToSource} {
		if slices.Contains(*l, whole.ID) && len(whole.Parts) > 0 {
			*l = without(*l, whole.ID)
			for _, p := range whole.Parts {
				*l = append(*l, p.ID)
			}
		}
	}
	return s
}

// mine is what was said, to be changed. From the first choice on that is made here, those
// that the call made stand in it one by one.
func (m *Model) mine() Said {
	s := m.said.clone()
	if s.Own {
		return s
	}
	s.Own = true
	for _, d := range m.judged.Differences {
		for _, x := range append([]*Difference{d}, d.Parts...) {
			list := map[string]*[]string{leave: &s.Leave, toSource: &s.ToSource}[x.Choice]
			if list != nil && !d.Bare && (x.Of == "" || d.Choice != x.Choice) || list != nil && d.Bare && x.Of != "" {
				*list = append(*list, x.ID)
			}
		}
	}
	return s
}

func without(list []string, s string) []string {
	return slices.DeleteFunc(slices.Clone(list), func(x string) bool { return x == s })
}

// safe is a text of a database on a terminal.
func safe(s string) string { return sqltext.CommentSafe(strings.ReplaceAll(s, "\t", "    ")) }
