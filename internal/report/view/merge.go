package view

import (
	"strings"
	"unicode/utf8"

	"github.com/aymanbagabas/go-udiff"

	"dappermirror/internal/core/sqltext"
)

// Line is a line of two texts that are shown as one.
type Line struct {
	Mark Mark // Goes and Comes; Plain for what both have
	Text string
	Hot  []Span // the words that changed
}

// Span is a run of a line, in runes.
type Span struct{ From, To int }

// Piece is a run of a line whose words changed, or did not.
type Piece struct {
	Text string
	Hot  bool
}

// Pieces cuts the line where words changed.
func (l Line) Pieces() []Piece {
	r := []rune(l.Text)
	var out []Piece
	at := 0
	cut := func(to int, hot bool) {
		if to = min(to, len(r)); to > at {
			out = append(out, Piece{string(r[at:to]), hot})
			at = to
		}
	}
	for _, s := range l.Hot {
		cut(s.From, false)
		cut(s.To, true)
	}
	cut(len(r), false)
	return out
}

// Merge shows two texts as one: what goes before what comes, changed words marked.
func Merge(old, new []string) []Line {
	var out []Line
	pos := 0
	for _, e := range diffSeq(old, new) {
		for _, l := range old[pos:e.a0] {
			out = append(out, Line{Text: l})
		}
		partner := partners(old[e.a0:e.a1], new[e.b0:e.b1])
		marked := make([][]Span, e.b1-e.b0)
		for k, l := range old[e.a0:e.a1] {
			var hot []Span
			if j, ok := partner[k]; ok {
				hot, marked[j] = changedWords(l, new[e.b0+j])
			}
			out = append(out, Line{Goes, l, hot})
		}
		for k, l := range new[e.b0:e.b1] {
			out = append(out, Line{Comes, l, marked[k]})
		}
		pos = e.a1
	}
	for _, l := range old[pos:] {
		out = append(out, Line{Text: l})
	}
	return out
}

// context is how many equal lines are shown around a change.
const context = 3

// Run is lines that stand together: shown, or only counted.
type Run struct {
	Lines  []Line
	Folded int // equal lines that are left out instead
}

// Fold leaves out equal lines that are far from any change.
func Fold(lines []Line) []Run {
	var out []Run
	for i := 0; i < len(lines); {
		j := i
		for j < len(lines) && lines[j].Mark == Plain {
			j++
		}
		if j > i {
			head, tail := 0, 0
			if i > 0 {
				head = context
			}
			if j < len(lines) {
				tail = context
			}
			if n := j - i; n > head+tail+1 {
				out = append(out, Run{Lines: lines[i : i+head]}, Run{Folded: n - head - tail}, Run{Lines: lines[j-tail : j]})
			} else {
				out = append(out, Run{Lines: lines[i:j]})
			}
			i = j
			continue
		}
		for j < len(lines) && lines[j].Mark != Plain {
			j++
		}
		out = append(out, Run{Lines: lines[i:j]})
		i = j
	}
	return out
}

// edits lists the runs of a that are replaced by runs of b.
type edit struct{ a0, a1, b0, b1 int }

// diffSeq compares two sequences by way of a line diff: each element becomes
// a line.
func diffSeq(a, b []string) []edit {
	index := func(l []string) (string, map[int]int) {
		var t strings.Builder
		at := map[int]int{}
		for i, s := range l {
			at[t.Len()] = i
			t.WriteString(s)
			t.WriteByte('\n')
		}
		at[t.Len()] = len(l)
		return t.String(), at
	}
	ta, at := index(a)
	tb, _ := index(b)
	var out []edit
	shift := 0
	for _, e := range udiff.Lines(ta, tb) {
		a0, a1 := at[e.Start], at[e.End]
		n := strings.Count(e.New, "\n")
		b0 := a0 + shift
		out = append(out, edit{a0, a1, b0, b0 + n})
		shift += n - (a1 - a0)
	}
	return out
}

// partners pairs the old lines of a change with the new ones they became:
// those that begin with the same word, or line by line where as many came as
// went.
func partners(old, new []string) map[int]int {
	out := map[int]int{}
	head := func(s string) string {
		if f := strings.Fields(s); len(f) > 0 {
			return f[0]
		}
		return ""
	}
	at := map[string]int{}
	for j := len(new) - 1; j >= 0; j-- {
		at[head(new[j])] = j
	}
	for k, l := range old {
		if j, ok := at[head(l)]; ok {
			out[k] = j
			delete(at, head(l))
		} else if len(old) == len(new) {
			out[k] = k
		}
	}
	return out
}

// changedWords finds the words in which two lines differ. Where hardly
// anything is common, no word is marked: the whole line is new.
func changedWords(a, b string) (as, bs []Span) {
	split := func(s string) []string {
		var out []string
		for _, t := range sqltext.Lex(sqltext.Dialect{}, s) {
			out = append(out, t.Text)
		}
		return out
	}
	ta, tb := split(a), split(b)
	offsets := func(l []string) []int {
		out, n := []int{0}, 0
		for _, s := range l {
			n += utf8.RuneCountInString(s)
			out = append(out, n)
		}
		return out
	}
	oa, ob := offsets(ta), offsets(tb)
	changed := 0
	for _, e := range diffSeq(ta, tb) {
		if e.a1 > e.a0 {
			as = append(as, Span{oa[e.a0], oa[e.a1]})
		}
		if e.b1 > e.b0 {
			bs = append(bs, Span{ob[e.b0], ob[e.b1]})
		}
		changed += oa[e.a1] - oa[e.a0] + ob[e.b1] - ob[e.b0]
	}
	if changed*3 > (utf8.RuneCountInString(a)+utf8.RuneCountInString(b))*2 {
		return nil, nil
	}
	return as, bs
}
