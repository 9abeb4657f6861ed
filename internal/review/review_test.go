package review

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"

	"dappermirror/internal/report/view"
)

var update = flag.Bool("update", false, "write the frames anew")

// toy is a desk whose steps are its differences, one each, in their order. A step that
// loses something is held back until that is allowed.
type toy struct {
	list         []*Difference
	loses, lacks map[string]string // by ID: what is lost, and which column lacks a value
	unasked      int
	kept         []Said
	wrote        []string
	fail         error
	summary      []string
}

func (y *toy) Judge(_ context.Context, s Said) (*Judged, error) {
	if slices.Contains(s.Tolerate, "nonsense") {
		return nil, errors.New("nonsense is no tolerance")
	}
	j := &Judged{Source: "dev.db", Target: "live.db", Alike: 871, Same: []string{"table:berth", "view:\x1b[31mred"}, Unasked: y.unasked}
	if !slices.Contains(s.Rename, "column:vessel.flag=flag_state") {
		j.Likely = []view.Likely{{Old: "column:vessel.flag", New: "column:vessel.flag_state", Option: "--rename column:vessel.flag=flag_state", Weight: 94}}
	}
	for _, d := range y.list {
		own := *d
		own.Parts = nil
		choice := func(id string) string {
			switch {
			case slices.Contains(s.Leave, id):
				return "leave"
			case slices.Contains(s.ToSource, id):
				return "to-source"
			}
			return ""
		}
		own.Choice = choice(d.ID)
		for _, p := range d.Parts {
			part := *p
			if part.Choice = choice(p.ID); part.Choice == "" {
				part.Choice = own.Choice
			}
			own.Parts = append(own.Parts, &part)
		}
		j.Differences = append(j.Differences, &own)
		if own.Choice != "" {
			if d.ID == "routine:dues" {
				j.Lacking = append(j.Lacking, Lack{Thing: "view:v_dues", Needs: "routine:dues"})
			}
			continue
		}
		st := &Step{Step: view.Step{Title: "change " + d.Title, SQL: []string{"ALTER " + d.Title + ";"}}, Of: []string{d.ID}}
		if l := y.loses[d.ID]; l != "" {
			st.Worst, st.Risks = "loss", []view.Phrase{{Mark: view.Loses, Text: "loss: every value of " + l}}
			if !slices.Contains(s.MayLose, l) {
				st.Loses, st.Because = []string{l}, "nobody allowed it"
				j.Held = append(j.Held, st)
				continue
			}
		}
		if l := y.lacks[d.ID]; l != "" && !slices.ContainsFunc(s.Fill, func(f string) bool { return strings.HasPrefix(f, l+"=") }) {
			st.Worst, st.Lacks = "will-fail", []string{l}
		}
		st.Number = len(j.Steps) + 1
		j.Steps = append(j.Steps, st)
	}
	return j, nil
}
func (y *toy) Ask(context.Context) error          { y.unasked = 0; return y.fail }
func (y *toy) AskNow(context.Context, Said) error { y.unasked = 0; return y.fail }
func (y *toy) Again(context.Context, Said) ([]string, error) {
	return []string{"differs now: table pilot"}, y.fail
}
func (y *toy) Rows(context.Context, *Step) ([]string, error) {
	return []string{"id  pilotage", " 1       900"}, nil
}
func (y *toy) Tolerances(id string) []string {
	return map[bool][]string{true: {"comments"}}[id == "routine:dues"]
}
func (y *toy) Rehearse(context.Context, Said) (string, error) {
	return "rehearsed", y.fail
}
func (y *toy) Summary(Said) ([]string, error) { return y.summary, y.fail }
func (y *toy) Apply(context.Context, Said) (string, error) {
	y.wrote = append(y.wrote, "applied")
	return "4 steps ran", y.fail
}
func (y *toy) Keep(s Said) error { y.kept = append(y.kept, s); return nil }
func (y *toy) Write(_ context.Context, w What, file string, s Said) (string, error) {
	y.wrote = append(y.wrote, fmt.Sprintf("%s %s %q", w, file, s.Leave))
	return "written to " + file, y.fail
}
func (y *toy) Look(id string) (*Closely, error) {
	return &Closely{Users: []string{"view:v_dues"}, Object: &view.Object{Kind: "table", Name: strings.TrimPrefix(id, "table:"), Defined: true,
		Target: []string{"CREATE TABLE x (", "  id INTEGER,", "  depth INTEGER", ")"}, Source: []string{"CREATE TABLE x (", "  id INTEGER,", "  depth NUMERIC", ")"}}}, nil
}

func harbour() *toy {
	d := func(kind, name string, mark view.Mark, parts ...string) *Difference {
		x := &Difference{ID: kind + ":" + name, Kind: kind, Name: name, Title: kind + " " + name, Mark: mark, Said: []view.Phrase{{Mark: view.Comes, Text: "column shore_power"}}, Bare: len(parts) > 0}
		for _, p := range parts {
			x.Parts = append(x.Parts, &Difference{ID: "column:" + name + "." + p, Kind: "column", Name: p, Title: "column " + p + " of " + name, Of: x.ID, Mark: view.Changed})
		}
		return x
	}
	return &toy{list: []*Difference{d("table", "port_call", view.Changed), d("table", "booking", view.Changed), d("table", "pilot", view.Changed, "given_name", "family_name"), d("routine", "dues", view.Changed), d("view", "v_dues", view.Comes),
		d("view", "odd", view.Goes), d("view", "a name\x1b]0;x\x07 that is far longer than any line of any terminal that anybody would ever look at 界界界界", view.Goes)},
		loses: map[string]string{"table:booking": "column:booking.pilotage", "view:odd": "view:o\x1b[2Jdd"}, lacks: map[string]string{"table:pilot": "pilot.family_name"}, summary: []string{"4 steps on live.db, 0 losses"}}
}

// press types keys; what takes a while is waited for.
func press(t *testing.T, m *Model, keys ...string) {
	t.Helper()
	var run func(tea.Cmd)
	run = func(c tea.Cmd) {
		if c == nil {
			return
		}
		switch msg := c().(type) {
		case tea.BatchMsg:
			for _, c := range msg {
				run(c)
			}
		case done:
			_, c = m.Update(msg)
			run(c)
		}
	}
	for _, k := range keys {
		for _, msg := range typed(k) {
			_, c := m.Update(msg)
			run(c)
			frame(t, m)
		}
	}
}

// typed are a key by its name, or the letters of a text in quotes.
func typed(k string) []tea.Msg {
	special := map[string]rune{"enter": tea.KeyEnter, "esc": tea.KeyEscape, "up": tea.KeyUp, "down": tea.KeyDown, "left": tea.KeyLeft, "right": tea.KeyRight, "space": tea.KeySpace, "home": tea.KeyHome, "end": tea.KeyEnd, "pgdown": tea.KeyPgDown, "pgup": tea.KeyPgUp, "backspace": tea.KeyBackspace}
	if c, ok := special[k]; ok {
		text := ""
		if k == "space" {
			text = " "
		}
		return []tea.Msg{tea.KeyPressMsg{Code: c, Text: text}}
	}
	if c, ok := strings.CutPrefix(k, "ctrl+"); ok {
		return []tea.Msg{tea.KeyPressMsg{Code: rune(c[0]), Mod: tea.ModCtrl}}
	}
	var out []tea.Msg
	for _, r := range strings.Trim(k, "'") {
		out = append(out, tea.KeyPressMsg{Code: r, Text: string(r)})
	}
	return out
}

var paints = regexp.MustCompile("\x1b\\[[0-9;:]*m")

// frame is the screen without colours. It has as many lines as the terminal, none of which
// is too wide, and nothing that a terminal would obey.
func frame(t *testing.T, m *Model) string {
	t.Helper()
	// What paints is taken away, and nothing else: the rest is as a terminal would get it.
	text := paints.ReplaceAllString(m.Frame(), "")
	lines := strings.Split(text, "\n")
	if len(lines) != m.height {
		t.Fatalf("%d lines on a screen of %d", len(lines), m.height)
	}
	for i, l := range lines {
		if ansi.StringWidth(l) > m.width || strings.ContainsAny(l, "\x1b\x07") {
			t.Fatalf("line %d of %d columns: %q", i, m.width, l)
		}
		lines[i] = strings.TrimRight(l, " ")
	}
	return strings.Join(lines, "\n") + "\n"
}

func open(t *testing.T, y *toy, w, h int) *Model {
	t.Helper()
	m, err := New(t.Context(), y, Said{})
	if err != nil {
		t.Fatal(err)
	}
	m.Update(tea.WindowSizeMsg{Width: w, Height: h})
	return m
}

// TestFrames holds the screen to frames that were looked at.
func TestFrames(t *testing.T) {
	for _, c := range []struct {
		name string
		keys []string
	}{
		{"begin", nil}, {"opened", []string{"1", "enter"}}, {"left", []string{"down", "space", "down", "s"}}, {"held", []string{"end", "up", "enter"}}, {"lacking", []string{"3", "space"}},
		{"found", []string{"/", "'dues'", "enter"}}, {"asked", []string{"2", "f"}}, {"keys", []string{"?"}}, {"summary", []string{"A"}},
	} {
		for _, size := range [][2]int{{80, 24}, {120, 40}} {
			t.Run(fmt.Sprintf("%s-%dx%d", c.name, size[0], size[1]), func(t *testing.T) {
				m := open(t, harbour(), size[0], size[1])
				press(t, m, c.keys...)
				got, file := frame(t, m), filepath.Join("testdata", fmt.Sprintf("%s-%dx%d.txt", c.name, size[0], size[1]))
				if *update {
					if err := os.WriteFile(file, []byte(got), 0o644); err != nil {
						t.Fatal(err)
					}
				}
				want, err := os.ReadFile(file)
				if err != nil || got != string(want) {
					t.Errorf("%v\n%s\nwant\n%s", err, got, want)
				}
			})
		}
	}
}

// TestKeys: what keys say is what stands in the judgement, and can be undone and done again.
func TestKeys(t *testing.T) {
	for _, c := range []struct {
		name string
		keys []string
		said Said
		says string
	}{
		{"leave and take", []string{"1", "space", "space"}, Said{Own: true}, ""},
		{"a part alone", []string{"2", "enter", "down", "space"}, Said{Own: true, Leave: []string{"table:pilot"}}, ""},
		{"to the source", []string{"1", "s"}, Said{Own: true, ToSource: []string{"table:port_call"}}, "goes to the source"},
		{"left, then to the source", []string{"1", "space", "s"}, Said{Own: true, ToSource: []string{"table:port_call"}}, ""},
		{"undone", []string{"1", "space", "u"}, Said{}, ""},
		{"undone and done again", []string{"1", "space", "u", "U"}, Said{Own: true, Leave: []string{"table:port_call"}}, ""},
		{"nothing to undo", []string{"u"}, Said{}, "nothing to undo"},
		{"a rename", []string{"home", "y"}, Said{Rename: []string{"column:vessel.flag=flag_state"}}, ""},
		{"none", []string{"home", "n"}, Said{Apart: []string{"--rename column:vessel.flag=flag_state"}}, ""},
		{"a loss by its name", []string{"end", "up", "up", "a", "'column:booking.pilotage'", "enter"}, Said{MayLose: []string{"column:booking.pilotage"}}, ""},
		{"a loss by another name", []string{"end", "up", "a", "'*'", "enter"}, Said{}, "is not what would be lost"},
		{"a loss that no key types", []string{"/", "'odd'", "enter", "end", "a", "'view:o\\u001b[2Jdd'", "enter"}, Said{MayLose: []string{"view:o\x1b[2Jdd"}}, ""},
		{"no loss by one key", []string{"end", "up", "a", "enter"}, Said{}, "is not what would be lost"},
		{"a fill", []string{"2", "f", "'x'", "enter"}, Said{Fill: []string{"pilot.family_name=x"}}, ""},
		{"a fill without a value", []string{"2", "f", "enter"}, Said{}, "COLUMN=EXPRESSION"},
		{"tolerated here", []string{"3", "t", "enter"}, Said{Tolerate: []string{"comments@routine:dues"}}, ""},
		{"tolerated everywhere", []string{"3", "t", "ctrl+u", "'comments'", "enter"}, Said{Tolerate: []string{"comments"}}, ""},
		{"refused", []string{"3", "t", "ctrl+u", "'nonsense'", "enter"}, Said{}, "no tolerance"},
		{"taken along", []string{"3", "space", "+"}, Said{Own: true, Leave: []string{"routine:dues"}, AddNeeded: true}, ""},
		{"no such step", []string{"9"}, Said{}, "no step 9"},
		{"read again", []string{"R"}, Said{}, "differs now: table pilot"},
		{"rows", []string{"1", "o"}, Said{}, "pilotage"},
		{"asked now", []string{"r"}, Said{}, "the rows were asked"},
		{"found by status", []string{"/", "'target-only'", "enter", "home"}, Said{}, "only: target-only"},
		{"given up", []string{"A", "esc"}, Said{}, "not run"},
		{"not yes", []string{"A", "'ja'", "enter"}, Said{}, "not run"},
		{"rehearsed", []string{"e"}, Said{}, "rehearsed"},
		{"typed and cut", []string{"/", "'abc'", "left", "backspace", "'x'", "enter"}, Said{}, "only: axc"},
	} {
		t.Run(c.name, func(t *testing.T) {
			y := harbour()
			m := open(t, y, 100, 30)
			press(t, m, c.keys...)
			if fmt.Sprint(m.said.bare()) != fmt.Sprint(c.said.bare()) {
				t.Errorf("said %+v, want %+v", m.said, c.said)
			}
			if text := frame(t, m); !strings.Contains(text, c.says) {
				t.Errorf("it does not say %q:\n%s", c.says, text)
			}
			if m.busy != "" || m.asking {
				t.Errorf("%s is still at work", m.busy)
			}
			if n := len(y.kept); !c.said.Empty() && (n == 0 || fmt.Sprint(y.kept[n-1]) != fmt.Sprint(m.said)) {
				t.Errorf("kept %+v", y.kept)
			}
		})
	}
}

// TestDay: written, run, and what was kept taken up the next time.
func TestDay(t *testing.T) {
	y := harbour()
	m := open(t, y, 90, 28)
	press(t, m, "1", "space", "w", "s", "enter")
	if m.Unwritten() || !slices.Equal(y.wrote, []string{`script up.sql ["table:port_call"]`}) {
		t.Errorf("wrote %q, and not written: %v", y.wrote, m.Unwritten())
	}
	press(t, m, "1", "space")
	if !m.Unwritten() {
		t.Error("what was said since is taken for written")
	}
	kept := y.kept[len(y.kept)-1]
	again, err := New(t.Context(), harbour(), kept)
	if err != nil {
		t.Fatal(err)
	}
	press(t, again, "K")
	if fmt.Sprint(again.said) != fmt.Sprint(kept) {
		t.Errorf("taken up: %+v", again.said)
	}
	none, err := New(t.Context(), harbour(), Said{Apart: []string{"--rename column:vessel.flag=flag_state"}})
	if err != nil || strings.Contains(frame(t, none), "is it a rename?") || none.Unwritten() || none.message != "" {
		t.Errorf("what was no rename is asked again: %v\n%s", err, frame(t, none))
	}
	press(t, m, "A", "'yes'", "enter")
	if !slices.Contains(y.wrote, "applied") || m.Unwritten() {
		t.Errorf("not run: %q", y.wrote)
	}
	y.fail = errors.New("the disk is full\x1b[2J")
	press(t, m, "w", "s", "enter")
	if text := frame(t, m); !strings.Contains(text, "the disk is full") {
		t.Errorf("a failure is not said:\n%s", text)
	}
}

// FuzzKeys: whatever is typed, at whatever size, the screen is whole.
func FuzzKeys(f *testing.F) {
	f.Add("jj lu?x/abc\r", 80, 24)
	f.Add("3 +uUOtRwsA", 20, 8)
	f.Fuzz(func(t *testing.T, keys string, w, h int) {
		m := open(t, harbour(), w%300, h%100)
		for _, r := range keys[:min(len(keys), 200)] {
			switch {
			case r == '\r':
				press(t, m, "enter")
			case r < 27 && r > 0:
				press(t, m, []string{"up", "down", "left", "right", "home", "end", "pgup", "pgdown", "esc", "backspace"}[int(r)%10])
			case r != 'q':
				press(t, m, "'"+string(r)+"'")
			}
		}
	})
}

// TestMoving: the cursor and the page go where keys, the mouse and numbers say, at any
// size, and stay on what they were on when something else changes.
func TestMoving(t *testing.T) {
	y := harbour()
	for i := range 60 {
		y.list = append(y.list, &Difference{ID: fmt.Sprintf("table:t%02d", i), Title: fmt.Sprintf("table t%02d", i), Mark: view.Comes})
	}
	m := open(t, y, 80, 20)
	at := func() string {
		t.Helper()
		for _, l := range strings.Split(frame(t, m), "\n") {
			if strings.HasPrefix(l, "▌") {
				return strings.TrimSpace(strings.TrimPrefix(l, "▌"))
			}
		}
		return ""
	}
	for _, c := range []struct {
		keys []string
		want string // the line that the cursor is on has it
	}{
		{[]string{"home"}, "is it a rename?"}, {[]string{"down"}, "change table port_call"}, {[]string{"3"}, "change routine dues"}, {[]string{"esc", "4", "2"}, "change table t36"},
		{[]string{"up"}, "change table t35"}, {[]string{"end"}, "2 the same"}, {[]string{"pgup"}, "change table t"}, {[]string{"home", "pgdown"}, "change table t"}, {[]string{"g", "G"}, "2 the same"},
		{[]string{"enter"}, "2 the same"}, {[]string{"left"}, "2 the same"}, {[]string{"home", "1", "enter", "down", "down"}, ""},
	} {
		press(t, m, c.keys...)
		if got := at(); !strings.Contains(got, c.want) {
			t.Errorf("%q: the cursor is on %q, want %q", c.keys, got, c.want)
		}
	}
	press(t, m, "1")
	before := at()
	m.Update(tea.MouseWheelMsg{Button: tea.MouseWheelDown})
	if got := at(); got == before {
		t.Errorf("the wheel moves nothing: %q", got)
	}
	m.Update(tea.MouseWheelMsg{Button: tea.MouseWheelUp})
	press(t, m, "home", "left")
	m.Update(tea.MouseClickMsg{Y: headLines + 1})
	if got := at(); !strings.Contains(got, "port_call") {
		t.Errorf("a click puts the cursor on %q", got)
	}
	opened := frame(t, m)
	m.Update(tea.MouseClickMsg{Y: headLines + 1})
	if frame(t, m) == opened {
		t.Error("a second click opens nothing")
	}
	for _, outside := range []int{0, 19, 500, -3} {
		m.Update(tea.MouseClickMsg{Y: outside})
	}
	press(t, m, "5", "space")
	here := at()
	for _, size := range [][2]int{{20, 8}, {250, 80}, {1, 1}, {80, 24}} {
		m.Update(tea.WindowSizeMsg{Width: size[0], Height: size[1]})
		frame(t, m)
	}
	if at() != here {
		t.Errorf("after other sizes the cursor is on %q, not on %q", at(), here)
	}
	press(t, m, "/", "'abc'")
	m.Update(tea.PasteMsg{Content: "d\x1b[31m\ne"})
	if text := frame(t, m); !strings.Contains(text, "find: abcd[31m e") {
		t.Errorf("pasted:\n%s", text)
	}
	press(t, m, "esc", "O")
	if text := frame(t, m); !strings.Contains(text, "SQL") {
		t.Errorf("all are open:\n%s", text)
	}
	press(t, m, "O", "?", "down", "end", "home", "pgdown", "x")
	if strings.Contains(frame(t, m), "up and down") {
		t.Error("the help does not go away")
	}
}

// TestBusy: while something is at work nothing else is begun or changed, and Ctrl-C stops
// it; a failure to ask the rows is said once.
func TestBusy(t *testing.T) {
	y := harbour()
	y.unasked = 3
	m := open(t, y, 90, 24)
	_, c := m.Update(tea.KeyPressMsg{Code: 'e', Text: "e"})
	if c == nil || !strings.Contains(frame(t, m), "rehearsal …") {
		t.Fatalf("nothing is at work:\n%s", frame(t, m))
	}
	for _, k := range []string{"space", "u", "e", "R", "A"} {
		press(t, m, "1", k)
		if !m.said.Empty() {
			t.Errorf("%s changed something meanwhile", k)
		}
	}
	press(t, m, "esc")
	m.Update(Told("step 3 of 4"))
	if !strings.Contains(frame(t, m), "step 3 of 4") {
		t.Errorf("how it goes is not said:\n%s", frame(t, m))
	}
	if _, end := m.Update(tea.KeyPressMsg{Code: 'c', Mod: tea.ModCtrl}); end != nil {
		t.Error("Ctrl-C ends the review while something is at work")
	}
	y.fail = errors.New("the server went away")
	m.Update(c())
	if text := frame(t, m); !strings.Contains(text, "the server went away") || strings.Contains(text, "rehearsal …") {
		t.Errorf("the failure is not said:\n%s", text)
	}
	m.Update(Told("too late"))
	if strings.Contains(frame(t, m), "too late") {
		t.Error("what is over is said")
	}
	y.unasked = 1
	if err := m.judge(m.said); err != nil {
		t.Fatal(err)
	}
	m.asking = false
	ask := m.ask()
	if ask == nil {
		t.Fatal("the rows are not asked")
	}
	if _, again := m.Update(ask()); again != nil {
		t.Error("rows that could not be asked are asked again at once")
	}
	// An answer that comes while something is at work is not judged beside it.
	y.fail = nil
	_, c = m.Update(tea.KeyPressMsg{Code: 'R', Text: "R"})
	was := m.judged
	if m.Update(done{what: asked}); m.judged != was {
		t.Error("it is judged while both places are read")
	}
	m.Update(c())
	if m.judged == was || m.busy != "" {
		t.Error("it is not judged when they were read")
	}
	m.page = nil
	if _, end := m.Update(tea.KeyPressMsg{Code: 'c', Mod: tea.ModCtrl}); end == nil || fmt.Sprintf("%T", end()) != "tea.QuitMsg" {
		t.Error("Ctrl-C does not end the review")
	}
}
