package order

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/words"
)

// Question is what the target's rows can say about a risk. Its queries read
// only; all of them are SQL of the engine that made the risk.
type Question struct {
	// Count answers how many rows are concerned, with one number. Where
	// Probe is set it stands in for Count: a query that fails on a value
	// that cannot be converted, and otherwise shows that all can.
	Count, Probe string
	Total        string // answers of how many; "" where that says nothing
	List         string // lists the rows concerned
	Where        string // what they meet, in the table of the first of On; "" where that is not known
	What         string // what these rows do: "hold NULL"
	None         string // what is said when there are none; "none does" where empty
	Found, Way   string // of what is no row: what is said when there is any, and what can be done
	// Converts says that Count converts values, so that one that cannot be
	// converted is found by its failing.
	Converts bool
	// Unsure says that rows found need not mean failure.
	Unsure bool
	// Tries says whose expression is tried on the rows by asking; where that
	// fails the answer is Broken.
	Tries string
	// Locks keep others from changing the rows, Guard stops the script when
	// Count would no longer be 0; each is one statement. They stand before the
	// first step that touches one of On, and Release, where an engine has no
	// transaction, behind it.
	Locks, Guard, Release []string
	// On are the objects whose rows are asked.
	On []catalog.Ref

	early func(guard string) string // how a guard is written before the renames; nil where nothing is renamed
}

// RowsWhere asks how many rows of a table meet a condition; "" is every row.
// from is how the engine's SQL names the table.
func RowsWhere(from, where, what string) *Question {
	q := &Question{Count: "SELECT count(*) FROM " + from, List: "SELECT * FROM " + from, What: what}
	if where == "" {
		q.None = "the table is empty"
		return q
	}
	q.Total = q.Count
	q.Count += " WHERE " + where
	q.List += " WHERE " + where
	q.Where = where
	return q
}

// key tells questions apart.
func (q *Question) key() string { return q.Probe + q.Count }

// AnswerState is how a row check came out.
type AnswerState string

// The states.
const (
	Clean    AnswerState = "clean"     // no row is concerned
	Found    AnswerState = "found"     // some are
	NotKnown AnswerState = "not known" // it could not be asked, or took too long
	Broken   AnswerState = "broken"    // what it tries does not work at all
)

// Answer is what the rows say.
type Answer struct {
	State AnswerState `json:"state"`
	Rows  int64       `json:"rows,omitempty"` // concerned
	Of    int64       `json:"of,omitempty"`
	Text  string      `json:"text"`            // "12 of 9,310 rows hold NULL"
	Count string      `json:"count,omitempty"` // the query that was asked
	List  string      `json:"list,omitempty"`  // a query that lists the rows
	// Guarded says that the script stops when it is no longer so.
	Guarded bool `json:"guarded,omitempty"`
}

// Answers are the answers to questions, by what was asked. A nil map says
// that nothing was asked.
type Answers map[string]Answer

// Give notes an answer.
func (as Answers) Give(q *Question, a Answer) { as[q.key()] = a }

// To is the answer to a question, nil where there is none.
func (as Answers) To(q *Question) *Answer {
	if q == nil {
		return nil
	}
	a, ok := as[q.key()]
	if !ok {
		return nil
	}
	return &a
}

// Clean tells whether the rows say that the risk is none.
func (as Answers) Clean(r Risk) bool {
	a := as.To(r.Ask)
	return a != nil && a.State == Clean && !r.Ask.Unsure
}

// Forbids tells whether the rows say that the step of the risk will fail.
func (as Answers) Forbids(r Risk) bool {
	a := as.To(r.Ask)
	return a != nil && r.Kind == MayFail && a.State == Found && !r.Ask.Unsure
}

// Words are what an answer says: "12 of 9,310 rows hold NULL".
func (q *Question) Words(state AnswerState, rows, of int64, why string) string {
	switch {
	case state == NotKnown:
		return "not known (" + why + ")"
	case state == Broken:
		return why
	case state == Clean && q.Total != "":
		return fmt.Sprintf("none of %s %s", words.Number(of, "row", "rows"), agree(1, q.What))
	case state == Clean:
		return cmp.Or(q.None, "none does")
	case q.Total != "" && rows > 0:
		return fmt.Sprintf("%s of %s %s", words.Thousands(rows), words.Number(of, "row", "rows"), agree(rows, q.What))
	case rows > 0 && q.Found != "":
		return q.Found
	case rows > 0:
		return fmt.Sprintf("%s %s", words.Number(rows, "row", "rows"), agree(rows, q.What))
	}
	return why
}

// singular are the verbs that change behind one row.
var singular = map[string]string{"hold": "holds", "break": "breaks", "refer": "refers", "do": "does", "have": "has"}

// agree makes a sentence's verb agree with its number.
func agree(rows int64, what string) string {
	verb, rest, _ := strings.Cut(what, " ")
	if one := singular[verb]; one != "" && rows == 1 {
		return one + " " + rest
	}
	return what
}

// Questions are what the rows are to be asked, each once.
func (p *Plan) Questions() []*Question {
	var out []*Question
	seen := map[string]bool{}
	add := func(q *Question) {
		if q != nil && !seen[q.key()] {
			seen[q.key()] = true
			out = append(out, q)
		}
	}
	for _, s := range slices.Concat(p.Steps, p.Held) {
		for _, r := range s.Risks {
			add(r.Ask)
		}
		for _, f := range s.Fills {
			add(f.Ask)
		}
	}
	return out
}

// Settle writes the answers into the plan: what is clean is no risk any more
// but guarded, what was found fails for sure. permitted tells which losses
// need no guard.
func (p *Plan) Settle(as Answers, permitted func(Risk) bool) {
	for _, s := range p.Steps {
		var left []Risk
		for _, r := range s.Risks {
			r.Rows = as.To(r.Ask)
			switch {
			case as.Clean(r) && (r.Kind == Loss || r.Kind == MayFail):
				if len(r.Ask.Guard) > 0 && !(r.Kind == Loss && permitted(r)) && !(r.Kind == MayFail && s.Later) {
					r.Rows.Guarded = true
					p.guard(s, r.Ask)
				}
				s.Cleared = append(s.Cleared, r)
				continue
			case as.Forbids(r):
				r.Kind = WillFail
			}
			left = append(left, r)
			if r.Kind == Loss && permitted(r) {
				s.SQL = append(slices.Clone(r.First), s.SQL...)
			}
		}
		s.Risks = left
	}
	for _, s := range p.Held {
		as.annotate(s.Risks)
	}
	as.annotate(p.HeldBecause)
	for _, r := range p.HeldBecause { // also where the held step comes another way than the one that was asked about
		for _, s := range p.Held {
			same := func(x Risk) bool { return x.Kind == r.Kind && x.On == r.On }
			if (s.About == r.On || slices.Contains(s.Makes, r.On)) && !slices.ContainsFunc(s.Risks, same) {
				s.Risks = append(s.Risks, r)
				break
			}
		}
	}
	for _, s := range slices.Concat(p.Steps, p.Held) {
		for i := range s.Fills {
			s.Fills[i].Rows = as.To(s.Fills[i].Ask)
		}
	}
}

// annotate writes the answers into risks of what is held back.
func (as Answers) annotate(risks []Risk) {
	for i := range risks {
		r := &risks[i]
		r.Rows = as.To(r.Ask)
		if as.Forbids(*r) {
			r.Kind = WillFail
		}
	}
}

// guard puts a question's guard where it belongs: what it looks at must still
// be as it was asked about.
func (p *Plan) guard(s *Step, q *Question) {
	switch {
	case len(q.Release) > 0:
		s.Release = q.Release
	case s.Leads && len(q.On) > 0: // who comes between is not kept out, as nothing locks there
		s.Guards = q.guards(s.Guards)
		return
	case s.Alone || s.Later || len(q.On) == 0:
		at := len(p.Guards)
		p.Guards = q.guards(p.Guards) // at the beginning of the transaction
		for ; at < len(p.Guards) && q.early != nil; at++ {
			p.Guards[at] = q.early(p.Guards[at])
		}
		return
	default:
		for _, earlier := range p.Steps {
			if earlier == s {
				break
			}
			if !earlier.Alone && !earlier.Later && !earlier.renames && earlier.touches(q.On) {
				s = earlier
				break
			}
		}
	}
	s.Guards = q.guards(s.Guards)
}

// guards adds the statements of a guard to those that are there.
func (q *Question) guards(there []string) []string {
	for _, lock := range q.Locks {
		if !slices.Contains(there, lock) {
			there = append(there, lock)
		}
	}
	if !slices.Contains(there, q.Guard[0]) {
		there = append(there, q.Guard...)
	}
	return there
}

// touches tells whether the action changes one of the objects.
func (a *Action) touches(objects []catalog.Ref) bool {
	refs := slices.Concat([]catalog.Ref{a.About}, a.Makes, a.Removes)
	for _, e := range a.Effects {
		refs = append(refs, e.On)
	}
	return slices.ContainsFunc(refs, func(r catalog.Ref) bool { return slices.Contains(objects, r.Object()) })
}

// GuardLosses makes the script stop where a loss would destroy something,
// whatever the rows say now: for a script that runs another day. permitted
// tells which losses need none. The losses are answered as guarded.
func (p *Plan) GuardLosses(permitted func(Risk) bool) {
	for _, s := range p.Steps {
		for i, r := range s.Risks {
			if r.Kind == Loss && r.Ask != nil && len(r.Ask.Guard) > 0 && !permitted(r) {
				p.guard(s, r.Ask)
				s.Risks[i].Rows = &Answer{State: NotKnown, Text: "the script stops when there are any", Guarded: true}
			}
		}
	}
}

// WillFail lists the risks that stop the script for sure.
func (p *Plan) WillFail() []Risk { return risks(p.Steps, WillFail) }
