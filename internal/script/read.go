package script

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/core/words"
)

// Script is a script read back.
type Script struct {
	Meta  Meta
	Steps []StepInfo
	Fits  []Fit
	Body  string
	// Edited says that the text or the footer is not what was written, Lost
	// which steps are gone from it.
	Edited bool
	Lost   []int

	packed packed // the footer
}

// Read reads a script. It fails with ErrNotScript, ErrOlderScript,
// ErrNewerScript or ErrCutShort; an edited script is no error. A text whose
// line ends were turned into those of DOS on its way is as it was written.
func Read(text string) (*Script, error) {
	s, err := read(text)
	if err == nil && s.Edited && strings.Count(text, "\n") == strings.Count(text, "\r\n") {
		if unix, e := read(strings.ReplaceAll(text, "\r\n", "\n")); e == nil && !unix.Edited {
			return unix, nil
		}
	}
	return s, err
}

func read(text string) (*Script, error) {
	i := strings.LastIndex(text, "\n"+footMark)
	if i < 0 {
		return nil, ErrNotScript
	}
	s := &Script{Body: text[:i+1]}
	var data strings.Builder
	hash := ""
	for n, line := range strings.Split(text[i+1:], "\n") {
		line = strings.TrimSuffix(line, "\r")
		switch {
		case n == 0:
			var version string
			version, hash, _ = strings.Cut(strings.TrimPrefix(line, footMark), " ")
			if v, err := strconv.Atoi(version); strings.HasPrefix(version, "{") || err == nil && v < Version {
				return nil, fmt.Errorf("%w; write it again", ErrOlderScript)
			} else if err != nil {
				return nil, fmt.Errorf("%w; write the script again", ErrCutShort)
			} else if v > Version {
				return nil, fmt.Errorf("%w (format %d, this program reads up to %d); update dapper-mirror", ErrNewerScript, v, Version)
			}
		case strings.HasPrefix(line, dataMark):
			data.WriteString(line[len(dataMark):])
		case strings.TrimSpace(line) == "" || strings.HasPrefix(line, "--"):
		default:
			s.Edited = true // SQL behind the footer
			s.Body += line + "\n"
		}
	}
	if err := s.unpack(data.String()); err != nil {
		return nil, fmt.Errorf("%w (%v); write the script again", ErrCutShort, err)
	}
	s.Edited = s.Edited || protect(text[:i+1], data.String()) != hash
	s.comments()
	return s, nil
}

var (
	stepComment = regexp.MustCompile(`(?m)^-- step (\d+) of \d+ `)
	stepBegins  = regexp.MustCompile(`^-- (?:step (\d+) of \d+|held back (\d+)) ( *)(.*)`)
)

// comments reads what the comments of the steps say.
func (s *Script) comments() {
	var st *StepInfo
	var item *string // what the next lines go on with
	seen := map[int]bool{}
	for _, line := range strings.Split(s.Body, "\n") {
		line = strings.TrimSuffix(line, "\r")
		if m := stepBegins.FindStringSubmatch(line); m != nil {
			n, _ := strconv.Atoi(m[1] + m[2])
			if st, item = nil, nil; n >= 1 && n <= len(s.Steps) && !seen[n] {
				st, seen[n] = &s.Steps[n-1], true
				st.Title, item = m[4], &st.Title
			}
			continue
		}
		rest, ok := strings.CutPrefix(line, "--   ")
		if st == nil || !ok {
			st, item = nil, nil // the comment is over
			continue
		}
		switch {
		case strings.HasPrefix(rest, "! "):
			kind, text, _ := strings.Cut(rest[2:], ": ")
			st.Risks = append(st.Risks, st.packed.risk(len(st.Risks), st.About, order.RiskKind(kind), text))
			item = &st.Risks[len(st.Risks)-1].Text
		case strings.HasPrefix(rest, ". fill: "):
			item = add(&st.Fills, rest[len(". fill: "):])
		case strings.HasPrefix(rest, ". "):
			item = add(&st.Cleared, rest[len(". "):])
		case strings.HasPrefix(rest, "lock: "):
			item = add(&st.Locks, rest[len("lock: "):])
		case strings.HasPrefix(rest, " ") && strings.HasPrefix(strings.TrimSpace(rest), "see them: "):
			item = nil
		case strings.HasPrefix(rest, " ") && item != nil:
			*item += " " + strings.TrimSpace(rest)
		default:
			item = nil
		}
	}
	for i := range s.Steps {
		if n := i + 1; !seen[n] && !s.Steps[i].Held {
			s.Lost = append(s.Lost, n)
		}
	}
}

func add(list *[]string, text string) *string {
	*list = append(*list, text)
	return &(*list)[len(*list)-1]
}

// risk is the n-th risk of a step with what the footer knows of it.
func (p packedStep) risk(n int, about catalog.Ref, kind order.RiskKind, text string) order.Risk {
	key := strconv.Itoa(n)
	r := order.Risk{Kind: kind, On: about, Text: text}
	if on, ok := p.Risks[key]; ok {
		r.On = on
	}
	if s, ok := p.Saves[key]; ok {
		r.Save = &s
	}
	if q, ok := p.Counts[key]; ok {
		r.Rows = &order.Answer{State: order.Found, Count: q}
	}
	return r
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
	touched, known := map[catalog.Ref]bool{}, map[[2]catalog.Ref]bool{}
	for _, f := range s.Fits {
		for _, u := range f.Users {
			known[[2]catalog.Ref{f.On, u}] = true
		}
		now := s.fingerprint(target, f)
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
	// What came to stand on something the script touches is in its way.
	for _, st := range s.Planned() {
		for _, t := range st.Touches {
			touched[t] = true
		}
	}
	users, counts := dependents(target, touched), regard(target, s.Meta.Groups, s.Meta.Said)
	for _, f := range s.Fits {
		for _, u := range users[f.On] {
			if f.Was != "" && !r.Done && !touched[u] && !counts.Ignores(target.Find(u)) && !known[[2]catalog.Ref{f.On, u}] {
				r.Moves = append(r.Moves, Move{u, "is new, and stands on " + f.On.String()})
			}
		}
	}
	return r
}

// fingerprint is that of an object as the footer has it, "" where it is not
// there.
func (s *Script) fingerprint(c *catalog.Catalog, f Fit) string {
	o := c.Find(f.On)
	if o == nil {
		return ""
	}
	counts := regard(c, s.Meta.Groups, s.Meta.Said)
	counts.Named = f.Named
	return shorten(counts.Fingerprint(o))
}

// Ends lists what is not as the script leaves it.
func (s *Script) Ends(now *catalog.Catalog) []Move {
	var out []Move
	for _, f := range s.Fits {
		switch is := s.fingerprint(now, f); {
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

// LostWords says which steps are gone from a script, as the end of a sentence.
func (s *Script) LostWords() string {
	if len(s.Lost) == 0 {
		return ""
	}
	var list []string
	for _, n := range s.Lost {
		list = append(list, fmt.Sprint(n))
	}
	return ": of its steps these are gone: " + words.Join(list, 10)
}

// Command is one statement of a script as it is run.
type Command struct {
	sqltext.Statement
	Step int // the step it belongs to, 0 for what stands around the steps
	Line int // in the file, from 1
}

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
		if d.Batches && st.Times != 1 && !st.Client {
			return nil, fmt.Errorf("line %d: the batch that begins here is to run %d times; write GO alone behind it", line, st.Times)
		}
		if m := stepComment.FindAllStringSubmatch(st.Before, -1); m != nil {
			step, _ = strconv.Atoi(m[len(m)-1][1])
		}
		out = append(out, Command{st, step, line})
	}
	return out, nil
}
