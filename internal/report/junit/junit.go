// Package junit lays a report out as test results, in the XML that CI systems read: each
// object is a case, and one that differs has failed.
package junit

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"strings"

	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/report/view"
)

type suites struct {
	XMLName  xml.Name `xml:"testsuites"`
	Name     string   `xml:"name,attr"`
	Tests    int      `xml:"tests,attr"`
	Failures int      `xml:"failures,attr"`
	Errors   int      `xml:"errors,attr"`
	Suites   []suite  `xml:"testsuite"`
}

type suite struct {
	Name     string `xml:"name,attr"`
	Tests    int    `xml:"tests,attr"`
	Failures int    `xml:"failures,attr"`
	Errors   int    `xml:"errors,attr"`
	Cases    []test `xml:"testcase"`
}

type test struct {
	Class   string   `xml:"classname,attr"`
	Name    string   `xml:"name,attr"`
	Skipped *failure `xml:"skipped,omitempty"`
	Failure *failure `xml:"failure,omitempty"`
	Error   *failure `xml:"error,omitempty"`
}

type failure struct {
	Message string `xml:"message,attr"`
	Type    string `xml:"type,attr,omitempty"`
	Text    string `xml:",chardata"`
}

// Write is the report as test results.
func Write(r *view.Report) ([]byte, error) {
	all := suites{Name: clean(r.Title)}
	for i, c := range r.Comparisons {
		s := suite{Name: clean(r.Titles[i])}
		if s.Name == "" {
			s.Name = clean(c.Target.Place)
		}
		for j := range c.Objects {
			s.Cases = append(s.Cases, object(&c.Objects[j]))
		}
		all.Suites = append(all.Suites, s)
	}
	if len(r.Targets) > 0 {
		s := suite{Name: "targets"}
		for _, t := range r.Targets {
			x := test{Class: "target", Name: clean(t.Name)}
			switch {
			case t.Bad:
				x.Error = &failure{clean(t.Detail), t.Result, ""}
			case t.Way > 0 && t.Result != "done":
				x.Failure = &failure{fmt.Sprintf("%d differ, %d only in the source, %d only in the target", t.Differs, t.SourceOnly, t.TargetOnly), t.Result, fmt.Sprintf("way %d", t.Way)}
			}
			s.Cases = append(s.Cases, x)
		}
		all.Suites = append(all.Suites, s)
	}
	if len(r.Steps)+len(r.Held) > 0 {
		all.Suites = append(all.Suites, steps(r))
	}
	for i := range all.Suites {
		s := &all.Suites[i]
		s.Tests = len(s.Cases)
		for _, x := range s.Cases {
			if x.Failure != nil {
				s.Failures++
			}
			if x.Error != nil {
				s.Errors++
			}
		}
		all.Tests, all.Failures, all.Errors = all.Tests+s.Tests, all.Failures+s.Failures, all.Errors+s.Errors
	}
	var b bytes.Buffer
	b.WriteString(xml.Header)
	enc := xml.NewEncoder(&b)
	enc.Indent("", "  ")
	if err := enc.Encode(all); err != nil {
		return nil, err
	}
	b.WriteByte('\n')
	return b.Bytes(), nil
}

// steps are the steps of a script as cases: what is held back is skipped, and where a
// rehearsal failed, or the script no longer fits, that is a case of its own.
func steps(r *view.Report) suite {
	s := suite{Name: "steps"}
	for _, x := range r.Steps {
		s.Cases = append(s.Cases, test{Class: "step", Name: clean(fmt.Sprintf("%d %s", x.Number, x.Title))})
	}
	for _, x := range r.Held {
		var why []string
		for _, p := range x.Risks {
			why = append(why, clean(p.Line()))
		}
		s.Cases = append(s.Cases, test{Class: "held back", Name: clean(fmt.Sprintf("%d %s", x.Number, x.Title)), Skipped: &failure{Message: strings.Join(why, "; ")}})
	}
	for _, w := range r.Wrong {
		s.Cases = append(s.Cases, test{Class: "script", Name: "it can be run", Failure: &failure{clean(w), "script", ""}})
	}
	return s
}

// object is an object as a case.
func object(o *view.Object) test {
	x := test{Class: string(o.Kind), Name: clean(o.Title())}
	if o.Status == compare.Same {
		return x
	}
	var said, text []string
	for _, p := range o.Facts {
		said = append(said, clean(strings.TrimSpace(view.Signs[p.Mark]+" "+p.Line())))
	}
	text = append(text, said...)
	if o.Defined {
		text = append(text, "")
		for _, run := range view.Fold(o.Lines()) {
			if run.Folded > 0 {
				text = append(text, fmt.Sprintf("  ⋮ %d equal lines", run.Folded))
			}
			for _, l := range run.Lines {
				text = append(text, strings.TrimRight(fmt.Sprintf("%1s %s", view.Signs[l.Mark], clean(l.Text)), " "))
			}
		}
	}
	message := view.Words[o.Status]
	if len(said) > 0 {
		message += ": " + strings.Join(said, ", ")
	}
	x.Failure = &failure{message, view.Words[o.Status], strings.Join(text, "\n")}
	return x
}

// clean is a text without what XML cannot hold.
func clean(s string) string { return sqltext.CommentSafe(s) }
