package report

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/words"
	"dappermirror/internal/report/view"
	"dappermirror/internal/script"
)

// Result is what became of one of several targets.
type Result string

// The results, from the best to the worst.
const (
	Equal       Result = "equal"
	Done        Result = "done" // it was brought in line, or what was asked was done
	Fits        Result = "fits" // a script
	Differs     Result = "differs"
	Moved       Result = "moved" // it no longer fits a script
	HeldBack    Result = "held-back"
	NotBegun    Result = "not-begun"
	Refused     Result = "refused"
	Failed      Result = "failed"
	Interrupted Result = "interrupted"
	Uncertain   Result = "uncertain"
)

// JSONTarget is what became of one of several targets.
type JSONTarget struct {
	Target string `json:"target"`
	Place  string `json:"place,omitempty"`
	Result Result `json:"result"`
	Exit   int    `json:"exit"` // what the call would have ended with for it alone
	// Counts are of objects, by status.
	Counts     *compare.Counts `json:"counts,omitempty"`
	Similarity *float64        `json:"similarity,omitempty"`
	Losing     int             `json:"would_lose_values,omitempty"`
	Steps      int             `json:"steps,omitempty"`
	Held       int             `json:"held_back,omitempty"`
	Ran        int             `json:"steps_run,omitempty"`
	Remaining  *int            `json:"remaining_differences,omitempty"`
	Files      []JSONFile      `json:"files,omitempty"` // of texts that were written anew
	// Way is the number of the way in which it differs; 0 for none.
	Way     int        `json:"way,omitempty"`
	Detail  string     `json:"detail,omitempty"` // a word more on the result
	Script  string     `json:"script,omitempty"` // its file, which others may share
	Backout string     `json:"backout,omitempty"`
	Error   *JSONError `json:"error,omitempty"`
	TookMS  int64      `json:"took_ms"`
}

// JSONWay is a way in which targets differ from the source.
type JSONWay struct {
	Number      int        `json:"number"`
	Targets     int        `json:"targets"`
	Differences []JSONItem `json:"differences"`
	// Lines are the list as people read it.
	Lines []string `json:"lines,omitempty"`
}

// Targets gathers what became of several targets. It holds what is the same for
// many of them once.
type Targets struct {
	Source string
	// Detail also shows each way closely, All lists equal objects too.
	Detail, All, ByStatus bool
	Style                 Style
	// Whole keeps each way with its definitions, for reports.
	Whole bool

	list []JSONTarget
	of   []*way // by target; nil for what does not differ
	ways map[[32]byte]*way
	tell bool // what was compared in full is kept
	each []JSONComparison
	// first is the first target of each way, by what the comparisons know it by.
	first map[[32]byte]int
}

// way is a way in which targets differ.
type way struct {
	number, n int
	text      string // the list, as people read it
	plain     string // the same without colours
	items     []JSONItem
	whole     []JSONItem // with definitions
	full      JSONComparison
}

// NewTargets gathers for targets of these names. full keeps all of each comparison,
// for JSON.
func NewTargets(names []string, full bool) *Targets {
	t := &Targets{list: make([]JSONTarget, len(names)), of: make([]*way, len(names)), ways: map[[32]byte]*way{}, tell: full, first: map[[32]byte]int{}}
	if full {
		t.each = make([]JSONComparison, len(names))
	}
	for i, n := range names {
		t.list[i] = JSONTarget{Target: n, Result: NotBegun}
	}
	return t
}

// Compared notes how a target differs. Nothing of the comparison is kept.
func (t *Targets) Compared(i int, c *view.Comparison) {
	t.compared(i, c.Target.Place, c.Counts, c.Alike, c.Losing)
	if t.Whole && !t.Detail {
		defer func(with *view.Comparison) { t.define(i, with) }(c)
		c = c.Undefined()
	}
	x := ComparisonJSON(c, t.All)
	if c.Different() || t.tell {
		w := t.way(x, func(st Style) string { return t.listed(c, st) })
		if c.Different() {
			t.of[i], t.list[i].Way = w, 1 // it is numbered when all are known
		}
		x.Differences, x.Same, x.NotCompared = w.full.Differences, w.full.Same, w.full.NotCompared
	}
	if t.tell {
		t.each[i] = x
	}
}

// OnlyWays tells whether targets that differ in one way are told from each other by
// their numbers alone: nothing is said of what they have alike, and none is kept whole.
func (t *Targets) OnlyWays() bool { return !t.All && !t.tell }

// Known notes by what a comparison knows the way in which a target differs.
func (t *Targets) Known(key [32]byte, i int) { t.first[key] = i }

// Again notes a target that differs in a way that another one was Compared with, and
// tells whether there is one.
func (t *Targets) Again(i int, key [32]byte, c *compare.Comparison) bool {
	n, ok := t.first[key]
	if !ok {
		return false
	}
	t.compared(i, c.Target.Place, c.Counts(), c.Similarity(), t.list[n].Losing)
	t.of[i], t.list[i].Way = t.of[n], t.list[n].Way
	return true
}

// compared notes what is said of a target apart from its way.
func (t *Targets) compared(i int, place string, counts compare.Counts, alike, losing int) {
	j, share := &t.list[i], float64(alike)/10
	j.Place, j.Counts, j.Similarity, j.Losing = place, &counts, &share, losing
}

// define keeps the way of a target with its definitions.
func (t *Targets) define(i int, c *view.Comparison) {
	if w := t.of[i]; w != nil && w.whole == nil {
		w.whole = ComparisonJSON(c, false).Differences
	}
}

// Fill is the result with the ways as a report has them.
func (t *Targets) Fill(o *Output) {
	o.Targets, o.Ways, _ = t.List()
	for _, w := range t.ways {
		list := w.whole
		if list == nil {
			list = w.full.Differences
		}
		if w.number > 0 {
			o.Ways[w.number-1].Differences = printed(list)
		}
	}
}

// way is the one that a comparison found, which may be known.
func (t *Targets) way(c JSONComparison, text func(Style) string) *way {
	key := c
	key.Target, key.Source = JSONSide{}, JSONSide{}
	key.Counts.Same, key.Similarity = 0, 0
	key.Differences = placeless(c.Differences)
	data, err := json.Marshal(key)
	if err != nil {
		data = []byte(err.Error()) // nothing in it cannot be written
	}
	sum := sha256.Sum256(data)
	if t.ways[sum] == nil {
		t.ways[sum] = &way{text: text(t.Style), plain: text(Style{Width: 100, Whole: true}), items: brief(c.Differences), full: c}
	}
	return t.ways[sum]
}

// placeless are differences without where in a text they stand.
func placeless(list []JSONItem) []JSONItem {
	out := slices.Clone(list)
	for i := range out {
		out[i].SourceAt, out[i].TargetAt, out[i].Parts = "", "", placeless(out[i].Parts)
	}
	return out
}

// brief are differences without their facts.
func brief(list []JSONItem) []JSONItem {
	out := []JSONItem{}
	for _, it := range list {
		out = append(out, JSONItem{Kind: it.Kind, Schema: it.Schema, Name: it.Name, Status: it.Status, Action: it.Action, Choice: it.Choice, Loses: it.Loses, Said: it.Said, Print: printOf(it)})
	}
	return out
}

// printed are differences with what each is recognised by.
func printed(list []JSONItem) []JSONItem {
	out := slices.Clone(list)
	for i := range out {
		out[i].Print = printOf(out[i])
	}
	return out
}

// Brief are ways without facts and definitions.
func Brief(ways []JSONWay) []JSONWay {
	out := slices.Clone(ways)
	for i := range out {
		prints := map[int]string{}
		for j, d := range out[i].Differences {
			prints[j] = d.Print
		}
		out[i].Differences = brief(out[i].Differences)
		for j := range out[i].Differences {
			out[i].Differences[j].Print = prints[j]
		}
	}
	return out
}

// printOf is the same for differences that are the same in all but where they stand in
// a text. Baselines keep it: it is made of what a difference is, and of nothing that a
// later version may add.
func printOf(it JSONItem) string {
	h := sha256.New()
	var write func(JSONItem)
	write = func(x JSONItem) {
		fmt.Fprintf(h, "%q %q %q %q\n", x.Kind, x.Schema, x.Name, x.Status)
		for _, p := range x.Properties {
			fmt.Fprintf(h, "%q", p.Name)
			for _, v := range []*string{p.Source, p.Target} {
				if v == nil {
					fmt.Fprint(h, " -")
				} else {
					fmt.Fprintf(h, " %q", *v)
				}
			}
			fmt.Fprintln(h)
		}
		for _, p := range x.Parts {
			write(p)
		}
		fmt.Fprintln(h, ".")
	}
	write(it)
	return hex.EncodeToString(h.Sum(nil)[:6])
}

func (t *Targets) listed(c *view.Comparison, st Style) string {
	var b bytes.Buffer
	listed(&b, c, st, ListOptions{All: t.All, ByStatus: t.ByStatus, Shared: true})
	if t.Detail {
		Detail(&b, c, st)
	}
	return strings.Trim(b.String(), "\n") + "\n"
}

// Len is how many targets there are.
func (t *Targets) Len() int { return len(t.list) }

// At is what is known of a target.
func (t *Targets) At(i int) *JSONTarget { return &t.list[i] }

// Ended notes what became of a target, and how long that took.
func (t *Targets) Ended(i int, r Result, exit int, e *JSONError, took time.Duration) {
	j := &t.list[i]
	j.Result, j.Exit, j.Error, j.TookMS = r, exit, e, took.Milliseconds()
}

// List are the targets as programs read them; ways are numbered in their order.
func (t *Targets) List() ([]JSONTarget, []JSONWay, []JSONComparison) {
	var ways []JSONWay
	for _, w := range t.ways {
		w.number, w.n = 0, 0
	}
	for i := range t.list {
		w := t.of[i]
		if w == nil {
			continue
		}
		if w.number == 0 {
			w.number = len(ways) + 1
			ways = append(ways, JSONWay{Number: w.number, Differences: w.items, Lines: strings.Split(strings.TrimRight(w.plain, "\n"), "\n")})
		}
		w.n++
		ways[w.number-1].Targets = w.n
		t.list[i].Way = w.number
	}
	var full []JSONComparison
	for i, c := range t.each {
		if t.list[i].Counts != nil {
			full = append(full, c)
		}
	}
	return t.list, ways, full
}

// Line is a target in one line.
func (j *JSONTarget) Line() string {
	if j.Error != nil {
		return fmt.Sprintf("%s: %s", j.Result.words(), Safe(j.Error.Message))
	}
	var parts []string
	if c := j.Counts; c != nil && j.Way > 0 {
		n := *c
		n.Same = 0
		parts = append(parts, counted(n, j.Losing))
	}
	if j.Steps > 0 && j.Ran == 0 {
		parts = append(parts, words.Number(j.Steps, "step", "steps"))
	}
	if j.Held > 0 {
		parts = append(parts, fmt.Sprintf("%d held back", j.Held))
	}
	if j.Ran > 0 {
		parts = append(parts, words.Number(j.Ran, "step ran", "steps ran"))
	}
	if len(j.Files) > 0 {
		parts = append(parts, words.Number(len(j.Files), "file written", "files written"))
	}
	if j.Remaining != nil && *j.Remaining > 0 {
		parts = append(parts, words.Number(*j.Remaining, "still differs", "still differ"))
	}
	if j.Detail != "" {
		parts = append(parts, Safe(j.Detail))
	}
	if j.Result == Differs && len(parts) > 0 {
		return strings.Join(parts, ", ")
	}
	return strings.Join(append([]string{j.Result.words()}, parts...), ", ")
}

func (r Result) words() string { return strings.ReplaceAll(string(r), "-", " ") }

// mostNamed is how many targets of one way are named in a line, mostRows how many
// stand in the table when there are many.
const (
	mostNamed = 6
	mostRows  = 40
)

// Matrix writes how several targets differ: each way once, then a table.
func Matrix(w io.Writer, list []JSONTarget, ways []JSONWay, text func(way int) string, st Style) {
	for _, x := range ways {
		if text == nil {
			break
		}
		fmt.Fprintf(w, "%s %s\n", st.Strong(fmt.Sprintf("way %d,", x.Number)), st.Strong(words.Number(x.Targets, "target: ", "targets: "))+Safe(words.Join(named(list, func(j JSONTarget) bool { return j.Way == x.Number }), mostNamed)))
		fmt.Fprint(w, text(x.Number))
		fmt.Fprintln(w)
	}
	table(w, list, st)
	fmt.Fprintf(w, "\n%s\n", Sum(list, ways))
}

func named(list []JSONTarget, is func(JSONTarget) bool) []string {
	var out []string
	for _, j := range list {
		if is(j) {
			out = append(out, j.Target)
		}
	}
	return out
}

// Write writes what was gathered for people.
func (t *Targets) Write(w io.Writer) {
	list, ways, _ := t.List()
	if t.Source != "" {
		fmt.Fprintf(w, "source   %s\n\n", Safe(t.Source))
	}
	texts := map[int]string{}
	for _, x := range t.of {
		if x != nil {
			texts[x.number] = x.text
		}
	}
	Matrix(w, list, ways, func(n int) string { return texts[n] }, t.Style)
}

// looks are the sign and colour of a result.
var looks = map[Result]mark{Equal: {"=", "", dim}, Done: {"=", "", blue}, Fits: {"=", "", blue}, Differs: {"~", "", violet}}

// table is targets by what differs, those that differ in one way together.
func table(w io.Writer, list []JSONTarget, st Style) {
	rows := slices.Clone(list)
	slices.SortStableFunc(rows, func(a, b JSONTarget) int {
		return place(a) - place(b)
	})
	wide := len("target")
	for _, j := range rows {
		wide = max(wide, runes(Safe(j.Target)))
	}
	wide = min(wide, max(20, st.Width*4/10))
	held := "held back"
	if !slices.ContainsFunc(rows, func(j JSONTarget) bool { return j.Steps+j.Held > 0 }) {
		held = "loses"
	}
	fmt.Fprintln(w, st.Strong(fmt.Sprintf("  %s  %8s %12s %12s %10s  %s", pad("target", wide), "differs", "only source", "only target", held, "result")))
	shown, left := 0, 0
	for i, j := range rows {
		if i > 0 && place(rows[i-1]) != place(j) {
			left = more(w, left, st)
			shown = 0
		}
		if shown++; len(rows) > mostRows && shown > mostNamed && place(j) <= 1+1<<20 {
			left++
			continue
		}
		m, ok := looks[j.Result]
		if !ok {
			m = mark{"!", "", orange}
		}
		cells := strings.Repeat(" ", 45)
		if c := j.Counts; c != nil {
			n := j.Losing
			if held != "loses" {
				n = j.Held
			}
			cells = fmt.Sprintf("%8d %12d %12d %10d", c.Differs, c.SourceOnly, c.TargetOnly, n)
		}
		fmt.Fprintf(w, "%s %s  %s  %s\n", st.paint(m.style, m.sign), pad(st.shorten(Safe(j.Target), wide), wide), cells, st.paint(m.style, st.shorten(j.outcome(), max(st.Width-wide-51, 20))))
	}
	more(w, left, st)
}

func more(w io.Writer, n int, st Style) int {
	if n > 0 {
		fmt.Fprintf(w, "  %s\n", st.Dim(fmt.Sprintf("and %d more like these", n)))
	}
	return 0
}

// place is where in the table a target stands: by the way in which it differs, then
// what is equal, then what went wrong.
func place(j JSONTarget) int {
	switch {
	case j.Error != nil || j.Result == NotBegun || j.Result == Interrupted:
		return 2 + 1<<20
	case j.Way > 0:
		return j.Way
	}
	return 1 + 1<<20
}

// outcome is the last cell of a row.
func (j JSONTarget) outcome() string {
	text := j.Result.words()
	switch {
	case j.Error != nil:
		return text + ": " + Safe(j.Error.Message)
	case j.Way > 0:
		text = fmt.Sprintf("%s, way %d", text, j.Way)
	}
	if j.Detail != "" {
		text += ": " + Safe(j.Detail)
	}
	if j.Ran > 0 {
		text += ", " + words.Number(j.Ran, "step ran", "steps ran")
	}
	if n := len(j.Files); n > 0 {
		text += ", " + words.Number(n, "file written", "files written")
	}
	if j.Script != "" {
		text += "  " + Safe(j.Script)
	}
	return text
}

// Sum is what became of several targets, in one line: "12 targets: 9 the same 4
// differences; 2 equal; 1 failed".
func Sum(list []JSONTarget, ways []JSONWay) string {
	var parts []string
	differ := map[int]int{} // targets that only differ, by way
	for _, j := range list {
		if j.Result == Differs && j.Way > 0 {
			differ[j.Way]++
		}
	}
	many := slices.DeleteFunc(slices.Clone(ways), func(x JSONWay) bool { return differ[x.Number] == 0 })
	slices.SortStableFunc(many, func(a, b JSONWay) int { return differ[b.Number] - differ[a.Number] })
	for i, x := range many {
		if i == 3 && len(many) > 4 {
			n := 0
			for _, rest := range many[i:] {
				n += differ[rest.Number]
			}
			parts = append(parts, fmt.Sprintf("%d in %d other ways", n, len(many)-i))
			break
		}
		n := words.Number(len(x.Differences), "difference", "differences")
		if differ[x.Number] > 1 {
			n = "the same " + n
		}
		parts = append(parts, fmt.Sprintf("%d with %s", differ[x.Number], n))
	}
	for _, r := range []Result{Equal, Done, Fits, Moved, HeldBack, Refused, Failed, Uncertain, Interrupted, NotBegun} {
		n := 0
		for _, j := range list {
			if j.Result == r {
				n++
			}
		}
		if n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, r.words()))
		}
	}
	return words.Number(len(list), "target", "targets") + ": " + strings.Join(parts, "; ")
}

// SharedBy says, in the header of a script, for which targets it is.
func SharedBy(first string, others []string) string {
	return first + "; the same steps are for " + words.Join(others, 20)
}

// Retargeted is a script that several targets share.
func Retargeted(text []byte, first string, others []string) ([]byte, error) {
	if len(others) == 0 {
		return text, nil
	}
	return script.Retarget(text, SharedBy(first, others))
}
