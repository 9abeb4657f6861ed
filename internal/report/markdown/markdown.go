// Package markdown lays a report out for a merge request: a short head, and a folded
// section for each object with what changes as a diff.
package markdown

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/core/words"
	"dappermirror/internal/report/view"
)

// most is how many letters a comment of the usual systems takes (65,536 on the
// smallest), with some room for a greeting.
const most = 60_000

// Write is the report in Markdown.
func Write(r *view.Report) []byte {
	w := &writer{}
	w.line("### " + Text(r.Title))
	w.line("")
	for _, h := range r.Head {
		w.line("- **" + Text(h[0]) + "**: " + Text(h[1]))
	}
	for _, n := range r.Notes {
		w.line("- " + Text(n))
	}
	if r.Sum != "" {
		w.line("")
		w.line(Text(r.Sum))
		targets(w, r.Targets)
	}
	for i, c := range r.Comparisons {
		w.line("")
		if t := r.Titles[i]; t != "" {
			w.line("#### " + Text(t))
			w.line("")
		}
		n := c.Counts
		w.line(fmt.Sprintf("%d differ, %d only in the source, %d only in the target; %s", n.Differs, n.SourceOnly, n.TargetOnly, words.Number(c.Losing, "would lose values", "would lose values")))
		for _, g := range c.Gaps {
			w.line("")
			w.line("Not compared: " + Text(fmt.Sprintf("%s of the %s: %s", g.What, g.Side, g.Why)))
		}
		for _, g := range c.Groups(false, false) {
			w.line("")
			w.line("**" + g.Title + "**")
			w.line("")
			for _, o := range g.Objects {
				w.whole(object(o))
			}
		}
	}
	steps(w, r)
	if w.left > 0 {
		w.b.WriteString(fmt.Sprintf("\n*Cut: %s left out here, since a comment has its size; the page and the sheet have all of it.*\n", words.Number(w.left, "section is", "sections are")))
	}
	return []byte(w.b.String())
}

// writer leaves out sections for which there is no room any more.
type writer struct {
	b    strings.Builder
	n    int // letters
	left int
}

func (w *writer) line(s string) { w.whole(s + "\n") }

// whole writes a section whole or not at all.
func (w *writer) whole(s string) {
	n := utf8.RuneCountInString(s)
	if w.left > 0 || w.n+n > most {
		if strings.HasPrefix(s, "<details>") {
			w.left++
		} else if w.left == 0 {
			w.left = 1
		}
		return
	}
	w.n += n
	w.b.WriteString(s)
}

func targets(w *writer, list []view.Target) {
	w.line("")
	w.line("| target | differs | only source | only target | held back | result |\n|---|--:|--:|--:|--:|---|")
	for i, t := range list {
		if i == 100 {
			w.line(fmt.Sprintf("| and %d more | | | | | |", len(list)-i))
			break
		}
		cells := "| | | "
		if t.Known {
			cells = fmt.Sprintf("%d | %d | %d | %d", t.Differs, t.SourceOnly, t.TargetOnly, t.Held)
		}
		result := t.Result
		if t.Way > 0 {
			result += fmt.Sprintf(", way %d", t.Way)
		}
		if t.Detail != "" {
			result += ": " + t.Detail
		}
		w.line(fmt.Sprintf("| %s | %s | %s |", Text(t.Name), cells, Text(result)))
	}
}

// object is the section of an object.
func object(o *view.Object) string {
	var b strings.Builder
	m := view.MarkOf(o.Status)
	fmt.Fprintf(&b, "<details><summary>%s %s (%s)</summary>\n\n", view.Signs[m], Text(o.Title()), view.Words[o.Status])
	for _, p := range o.Facts {
		fmt.Fprintf(&b, "- %s\n", Text(strings.TrimSpace(view.Signs[p.Mark]+" "+p.Line())))
	}
	if o.Order != "" {
		fmt.Fprintf(&b, "\n%s\n", Text(o.Order))
	}
	if o.Defined && !o.Untouched {
		var lines []string
		for _, run := range view.Fold(o.Lines()) {
			if run.Folded > 0 {
				lines = append(lines, fmt.Sprintf("  ⋮ %d equal lines", run.Folded))
			}
			for _, l := range run.Lines {
				lines = append(lines, strings.TrimRight(fmt.Sprintf("%1s %s", view.Signs[l.Mark], sqltext.CommentSafe(l.Text)), " "))
			}
		}
		b.WriteString("\n" + fenced("diff", lines))
	}
	b.WriteString("\n</details>\n")
	return b.String()
}

func steps(w *writer, r *view.Report) {
	if len(r.Steps)+len(r.Held) == 0 {
		return
	}
	w.line("")
	w.line("#### " + words.Number(len(r.Steps), "step", "steps") + map[bool]string{true: ", " + fmt.Sprint(len(r.Held)) + " held back"}[len(r.Held) > 0])
	w.line("")
	for i, list := range [][]view.Step{r.Steps, r.Held} {
		for _, s := range list {
			var b strings.Builder
			fmt.Fprintf(&b, "<details><summary>%s%d %s</summary>\n\n", []string{"", "held back "}[i], s.Number, Text(s.Title))
			for _, p := range s.Risks {
				fmt.Fprintf(&b, "- %s\n", Text("! "+p.Line()))
			}
			for _, l := range append(append(s.Checks, s.Fills...), s.Locks...) {
				fmt.Fprintf(&b, "- %s\n", Text(l))
			}
			if len(s.SQL) > 0 {
				var lines []string
				for _, l := range view.Lines(strings.Join(s.SQL, "\n")) {
					lines = append(lines, sqltext.CommentSafe(l))
				}
				b.WriteString("\n" + fenced("sql", lines))
			}
			b.WriteString("\n</details>\n")
			w.whole(b.String())
		}
	}
}

// fenced is a block of code whose fence is longer than any in it.
func fenced(language string, lines []string) string {
	longest := 2
	for _, l := range lines {
		n := 0
		for _, r := range l {
			if r != '`' {
				n = 0
				continue
			}
			n++
			longest = max(longest, n)
		}
	}
	fence := strings.Repeat("`", longest+1)
	return fence + language + "\n" + strings.Join(lines, "\n") + "\n" + fence + "\n"
}

// Text is a text that stays text in Markdown.
func Text(s string) string {
	var b strings.Builder
	for i, r := range sqltext.CommentSafe(s) {
		switch {
		case i == 0 && r == '-': // it would begin a list
			b.WriteString("\\-")
		case strings.ContainsRune("&<>", r):
			fmt.Fprintf(&b, "&#%d;", r)
		case strings.ContainsRune("\\`*_{}[]()#+!|~@$", r):
			b.WriteByte('\\')
			b.WriteRune(r)
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}
