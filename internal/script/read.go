package script

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// Script is a script read back.
type Script struct {
	Meta   Meta
	Steps  []StepInfo
	Fits   []Fit
	Edited bool // its text is not what was written
	Body   string
}

// Errors that Read reports; test with errors.Is.
var (
	ErrNotScript   = errors.New("it is not a script of this program: the footer is missing")
	ErrNewerScript = errors.New("the script was written by a newer version")
	ErrCutShort    = errors.New("the script's footer is damaged")
)

// Read reads a script. It fails with ErrNotScript, ErrNewerScript or
// ErrCutShort; an edited script is no error.
func Read(text string) (*Script, error) {
	text = strings.ReplaceAll(text, "\r\n", "\n")
	i := strings.LastIndex(text, "\n"+metaMark)
	if i < 0 {
		return nil, ErrNotScript
	}
	s := &Script{Body: text[:i+1]}
	seen := 0
	for n, line := range strings.Split(strings.TrimRight(text[i+1:], "\n"), "\n") {
		var into any
		var rest string
		switch {
		case strings.HasPrefix(line, metaMark):
			into, rest = &s.Meta, line[len(metaMark):]
		case strings.HasPrefix(line, stepMark):
			s.Steps = append(s.Steps, StepInfo{})
			into, rest = &s.Steps[len(s.Steps)-1], line[len(stepMark):]
		case strings.HasPrefix(line, fitMark):
			s.Fits = append(s.Fits, Fit{})
			into, rest = &s.Fits[len(s.Fits)-1], line[len(fitMark):]
		case strings.TrimSpace(line) == "" || strings.HasPrefix(line, "--"):
			continue
		default:
			s.Edited = true // SQL behind the footer
			s.Body += line + "\n"
			continue
		}
		if err := json.Unmarshal([]byte(rest), into); err != nil {
			return nil, fmt.Errorf("%w in its line %d; write the script again", ErrCutShort, n+1)
		}
		seen++
	}
	if s.Meta.Format > Version {
		return nil, fmt.Errorf("%w (format %d, this program reads up to %d); update dapper-mirror", ErrNewerScript, s.Meta.Format, Version)
	}
	if s.Meta.Format < 1 || s.Meta.Engine == "" || len(s.Steps) != s.Meta.Steps+s.Meta.Held {
		return nil, fmt.Errorf("%w; write the script again", ErrCutShort)
	}
	if bodyHash(text[:i+1]) != s.Meta.Body {
		s.Edited = true
	}
	return s, nil
}

// Planned and Held list the steps that run and those that were held back.
func (s *Script) Planned() []StepInfo { return s.pick(false) }

// Held lists the steps that were held back.
func (s *Script) Held() []StepInfo { return s.pick(true) }

func (s *Script) pick(held bool) []StepInfo {
	var out []StepInfo
	for _, st := range s.Steps {
		if st.Held == held {
			out = append(out, st)
		}
	}
	return out
}

// Move is one thing in which a target is not what a script was written for.
type Move struct {
	On   catalog.Ref `json:"on"`
	What string      `json:"what"` // "has changed", "is gone", "is new"
}

// Fit is how a target fits a script.
type FitReport struct {
	Moves []Move // what is not as it was
	Done  bool   // everything is already as the script would leave it
}

// Check tells whether the target is still what the script was written for.
func (s *Script) Check(target *catalog.Catalog) FitReport {
	var r FitReport
	r.Done = len(s.Fits) > 0
	for _, f := range s.Fits {
		now := ""
		if o := target.Find(f.On); o != nil {
			now = o.Fingerprint()
		}
		if now != f.Then {
			r.Done = false
		}
		if now == f.Was {
			continue
		}
		what := "has changed"
		switch {
		case now == "":
			what = "is gone"
		case f.Was == "":
			what = "is new"
		}
		r.Moves = append(r.Moves, Move{f.On, what})
	}
	if len(r.Moves) == 0 {
		r.Done = false
	}
	return r
}

// Ends lists what is not as the script leaves it.
func (s *Script) Ends(now *catalog.Catalog) []Move {
	var out []Move
	for _, f := range s.Fits {
		is := ""
		if o := now.Find(f.On); o != nil {
			is = o.Fingerprint()
		}
		switch {
		case is == f.Then:
		case is == "":
			out = append(out, Move{f.On, "is not there"})
		case f.Then == "":
			out = append(out, Move{f.On, "is still there"})
		default:
			out = append(out, Move{f.On, "is not as the script promises"})
		}
	}
	return out
}

// Command is one statement of a script as it is run.
type Command struct {
	sqltext.Statement
	Step int // the step it belongs to, 0 for what stands around the steps
	Line int // in the file, from 1
}

var stepComment = regexp.MustCompile(`(?m)^-- step (\d+) of \d+ `)

// Commands cuts the script's body into what is run. A statement that does not
// end is an error with its line.
func (s *Script) Commands(d sqltext.Dialect) ([]Command, error) {
	var out []Command
	step := 0
	for _, st := range sqltext.Split(d, s.Body) {
		line, _ := sqltext.Position(s.Body, st.Pos)
		if st.Open {
			return nil, fmt.Errorf("line %d: the statement that begins here does not end", line)
		}
		if m := stepComment.FindAllStringSubmatch(st.Before, -1); m != nil {
			step, _ = strconv.Atoi(m[len(m)-1][1])
		}
		out = append(out, Command{st, step, line})
	}
	return out, nil
}
