package report

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"dappermirror/internal/core/words"
	"dappermirror/internal/report/view"
)

// JSONTask is a saved comparison, and what it would do.
type JSONTask struct {
	Name    string   `json:"name"`
	From    string   `json:"from"` // the settings file and the line
	Note    string   `json:"note,omitempty"`
	Source  string   `json:"source"`
	Targets []string `json:"targets"`
	// Plan is what a run would do, a sentence each.
	Plan []string `json:"plan,omitempty"`
	// Expired are permissions that have come to their end.
	Expired  []string     `json:"expired,omitempty"`
	Schedule string       `json:"schedule,omitempty"`
	Last     *JSONTaskRun `json:"last_run,omitempty"`
}

// The states of a run.
const (
	Running = "running"
	Ended   = "ended"
	Died    = "died" // it never came to its end, and nobody is at work on it
)

// JSONTaskRun is a run of a task.
type JSONTaskRun struct {
	Task    string `json:"task"`
	Number  int    `json:"number"`
	Share   string `json:"share,omitempty"`
	Who     string `json:"who"` // user@machine
	Began   string `json:"began"`
	Ended   string `json:"ended,omitempty"`
	State   string `json:"state"`
	Source  string `json:"source"`
	FailOn  string `json:"fail_on"`
	Result  string `json:"result,omitempty"` // done, different or failed
	Exit    int    `json:"exit"`
	Summary string `json:"summary,omitempty"`
	// New are differences that the baseline does not know; nil without one.
	New      *int       `json:"new,omitempty"`
	Folder   string     `json:"folder"` // where the run is kept, with its log
	Scripts  []string   `json:"scripts,omitempty"`
	Messages []JSONSent `json:"messages,omitempty"`
	Error    *JSONError `json:"error,omitempty"` // what stood in the way of all targets
}

// JSONSent is what became of a message.
type JSONSent struct {
	Where string `json:"where"`
	Run   int    `json:"run"`
	Sent  bool   `json:"sent"`
	Kept  bool   `json:"kept,omitempty"` // it is tried again at the next run
	Why   string `json:"why,omitempty"`
}

// Took is how long a run took.
func (r JSONTaskRun) Took() time.Duration {
	a, errA := time.Parse(time.RFC3339Nano, r.Began)
	b, errB := time.Parse(time.RFC3339Nano, r.Ended)
	if errA != nil || errB != nil {
		return 0
	}
	return b.Sub(a)
}

// signs are what stands before a run, by its result.
var signs = map[string]mark{"done": {"=", "", blue}, "different": {"~", "", violet}, "failed": {"!", "", orange}}

// Runs lists runs of a task, the oldest first.
func Runs(w io.Writer, list []JSONTaskRun, st Style) {
	for _, r := range list {
		m, ok := signs[r.Result]
		if !ok || r.State != Ended {
			m = mark{"!", "", orange}
		}
		word := r.Result
		if r.State != Ended {
			word = r.State
		}
		took := ""
		if d := r.Took(); d > 0 {
			took = shortTime(d)
		}
		share := ""
		if r.Share != "" {
			share = "  share " + Safe(r.Share)
		}
		fmt.Fprintf(w, "%s %4d  %s  %s %7s  %s%s\n", st.paint(m.style, m.sign), r.Number, Day(r.Began), st.paint(m.style, pad(word, 9)), took, st.Dim(Safe(r.Who)), share)
		if r.Summary != "" {
			Hang(w, strings.Repeat(" ", 8), Safe(r.Summary), st.Width, nil)
		}
		if r.Error != nil {
			Hang(w, strings.Repeat(" ", 8), Safe(r.Error.Message), st.Width, nil)
		}
	}
}

func shortTime(d time.Duration) string {
	if d < time.Second {
		return d.Round(time.Millisecond).String()
	}
	return d.Round(100 * time.Millisecond).String()
}

// Run shows a run that was kept: when, who, what became of each target, and what it
// wrote.
func Run(w io.Writer, o Output, st Style) {
	r := o.TaskRun
	line := func(name, text string) {
		if text != "" {
			fmt.Fprintf(w, "%-9s %s\n", name, Safe(text))
		}
	}
	line("task", fmt.Sprintf("%s, run %d", r.Task, r.Number))
	line("when", strings.TrimSpace(Day(r.Began)+"  "+map[bool]string{true: shortTime(r.Took())}[r.Took() > 0]))
	line("who", r.Who)
	line("share", r.Share)
	line("source", r.Source)
	line("result", fmt.Sprintf("%s (exit %d)", map[bool]string{true: r.Result, false: r.State}[r.State == Ended], r.Exit))
	if r.New != nil {
		line("new", words.Number(*r.New, "difference that the baseline does not know", "differences that the baseline does not know"))
	}
	line("kept in", r.Folder)
	for _, s := range r.Scripts {
		line("script", s)
	}
	for _, m := range r.Messages {
		line("message", m.Words())
	}
	if r.Error != nil {
		line("failed", r.Error.Message)
	}
	fmt.Fprintln(w)
	if len(o.Targets) > 0 {
		lines := map[int]string{}
		for _, x := range o.Ways {
			for _, l := range x.Lines {
				lines[x.Number] += Safe(l) + "\n"
			}
		}
		Matrix(w, o.Targets, o.Ways, func(n int) string { return lines[n] }, st)
	}
}

// Words are what became of a message, in one line.
func (m JSONSent) Words() string {
	switch {
	case m.Sent:
		return "sent: " + m.Where
	case m.Kept:
		return "not sent, and tried again at the next run: " + m.Why
	}
	return "not sent: " + m.Why
}

// TargetChange is what changed at a target from one run to another.
type TargetChange struct {
	Target string   `json:"target"`
	Before Result   `json:"before,omitempty"` // "" where the run did not have it
	After  Result   `json:"after,omitempty"`
	New    []string `json:"new,omitempty"`  // differences that have come
	Gone   []string `json:"gone,omitempty"` // that are no more
	Stay   int      `json:"stay"`           // that are as they were
}

// Between is what changed from one run to another, by target.
func Between(before, after Output) []TargetChange {
	of := func(o Output, name string) (r Result, prints map[string]string, ok bool) {
		prints = map[string]string{}
		for _, j := range o.Targets {
			if j.Target != name {
				continue
			}
			for _, x := range o.Ways {
				if x.Number == j.Way {
					for _, d := range x.Differences {
						prints[d.Print] = d.Label()
					}
				}
			}
			return j.Result, prints, true
		}
		return "", prints, false
	}
	var out []TargetChange
	seen := map[string]bool{}
	for _, j := range slices.Concat(after.Targets, before.Targets) {
		if seen[j.Target] {
			continue
		}
		seen[j.Target] = true
		c := TargetChange{Target: j.Target}
		var was, is map[string]string
		c.Before, was, _ = of(before, j.Target)
		c.After, is, _ = of(after, j.Target)
		for p, label := range is {
			if was[p] == "" {
				c.New = append(c.New, label)
			} else {
				c.Stay++
			}
		}
		for p, label := range was {
			if is[p] == "" {
				c.Gone = append(c.Gone, label)
			}
		}
		slices.Sort(c.New)
		slices.Sort(c.Gone)
		out = append(out, c)
	}
	return out
}

// Label names a difference: "table:berth differs".
func (it JSONItem) Label() string {
	name := it.Name
	if it.Schema != "" {
		name = it.Schema + "." + name
	}
	return string(it.Kind) + ":" + name + " " + view.Words[it.Status]
}

// Changes writes what changed from one run to another.
func Changes(w io.Writer, from, to JSONTaskRun, list []TargetChange, st Style) {
	fmt.Fprintf(w, "from     run %d, %s\nto       run %d, %s\n\n", from.Number, Day(from.Began), to.Number, Day(to.Began))
	same := 0
	for _, c := range list {
		if c.Before == c.After && len(c.New)+len(c.Gone) == 0 {
			same++
			continue
		}
		word := string(c.After.words())
		switch {
		case c.Before == "":
			word = "is a target now: " + word
		case c.After == "":
			word = "is no target any more"
		case c.Before != c.After:
			word = c.Before.words() + ", now " + word
		}
		fmt.Fprintf(w, "%s  %s\n", st.Strong(Safe(c.Target)), word)
		for _, x := range []struct {
			sign, word string
			list       []string
			look       view.Mark
		}{{"+", "new", c.New, view.Comes}, {"-", "gone", c.Gone, view.Goes}} {
			for i, l := range x.list {
				if i == mostRows {
					fmt.Fprintf(w, "    and %d more\n", len(x.list)-mostRows)
					break
				}
				fmt.Fprintf(w, "  %s %-5s %s\n", st.paint(paints[x.look], x.sign), x.word, Safe(l))
			}
		}
	}
	if same == len(list) {
		fmt.Fprintf(w, "Nothing changed: %s as before.\n", words.Number(same, "target is", "targets are"))
	} else if same > 0 {
		fmt.Fprintf(w, "\n%s as before.\n", words.Number(same, "other target is", "other targets are"))
	}
}

// Tasks lists saved comparisons.
func Tasks(w io.Writer, list []JSONTask, st Style) {
	wide := 0
	for _, t := range list {
		wide = max(wide, runes(Safe(t.Name)))
	}
	for _, t := range list {
		fmt.Fprintf(w, "%s  %s, then %s\n", pad(st.Strong(Safe(t.Name)), wide), Safe(t.Source), Safe(words.Join(t.Targets, 4)))
		in := strings.Repeat(" ", wide+2)
		if t.Note != "" {
			Hang(w, in, Safe(t.Note), st.Width, nil)
		}
		if t.Schedule != "" {
			fmt.Fprintf(w, "%s%s\n", in, Safe(t.Schedule))
		}
		for _, e := range t.Expired {
			fmt.Fprintf(w, "%s%s\n", in, st.Warn(Safe(e)))
		}
		if t.Last == nil {
			fmt.Fprintf(w, "%s%s\n", in, st.Dim("never run here"))
			continue
		}
		word := t.Last.Result
		if t.Last.State != Ended {
			word = t.Last.State
		}
		Hang(w, in, fmt.Sprintf("run %d, %s, %s", t.Last.Number, Day(t.Last.Began), word), st.Width, nil)
	}
}

// Task says what a task would do.
func Task(w io.Writer, t JSONTask, st Style) {
	fmt.Fprintf(w, "%s  %s\n", st.Strong(Safe(t.Name)), st.Dim(Safe(t.From)))
	if t.Note != "" {
		fmt.Fprintln(w, Safe(t.Note))
	}
	fmt.Fprintln(w)
	for i, p := range t.Plan {
		Hang(w, fmt.Sprintf("%3d  ", i+1), Safe(p), st.Width, nil)
	}
	for _, e := range t.Expired {
		fmt.Fprintf(w, "\n%s\n", st.Warn(Safe(e)))
	}
}
