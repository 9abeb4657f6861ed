// Package review is the full-screen view of one judgement. The script is its spine: the
// steps stand in the order in which they will run, each opens in place to show why it is
// there, and what was chosen away stands folded where it stood. It works nothing out:
// whoever opens it gives it a desk that does.
package review

import (
	"context"
	"slices"

	"dappermirror/internal/report/view"
)

// Said is what was said in a review, as the options of the commands have it.
type Said struct {
	// Own says that what the call said of choices stands here too, difference by
	// difference, and counts no more by itself.
	Own                                    bool     `json:"own,omitempty"`
	Leave, ToSource, Rename, Fill, MayLose []string `json:",omitempty"`
	Tolerate                               []string `json:",omitempty"`
	// Apart are likely renames that are none.
	Apart     []string `json:",omitempty"`
	AddNeeded bool     `json:",omitempty"`
}

// Empty tells whether nothing was said.
func (s Said) Empty() bool {
	return !s.Own && !s.AddNeeded && len(s.Leave)+len(s.ToSource)+len(s.Rename)+len(s.Fill)+len(s.MayLose)+len(s.Tolerate)+len(s.Apart) == 0
}

// bare is what was said without what is nothing by itself, to be told from other.
func (s Said) bare() Said {
	s = s.clone()
	for _, l := range []*[]string{&s.Leave, &s.ToSource, &s.Rename, &s.Fill, &s.MayLose, &s.Tolerate, &s.Apart} {
		if len(*l) == 0 {
			*l = nil
		}
	}
	s.Own = s.Own && len(s.Leave)+len(s.ToSource) > 0
	return s
}

// clone is the same, to be changed.
func (s Said) clone() Said {
	for _, l := range []*[]string{&s.Leave, &s.ToSource, &s.Rename, &s.Fill, &s.MayLose, &s.Tolerate, &s.Apart} {
		*l = slices.Clone(*l)
	}
	return s
}

// Judged is what follows from what was said.
type Judged struct {
	Source, Target string
	Alike          int // in tenths of a percent
	Differences    []*Difference
	Same           []string // what is equal
	Steps, Held    []*Step
	Lacking        []Lack
	Likely         []view.Likely
	// Stuck says why there is no script, "" where there is one.
	Stuck   string
	Unasked int // questions the rows were not asked yet
	Notes   []string
}

// Difference is an object that differs, or a part of one.
type Difference struct {
	ID, Kind, Name, Title string // ID is what options name it by
	Of                    string // the object it is a part of, "" for an object
	Mark                  view.Mark
	Said                  []view.Phrase
	Choice                string // "", "leave" or "to-source"
	// Bare says that nothing but its parts differs.
	Bare  bool
	Parts []*Difference
}

// Step is a step of the script.
type Step struct {
	view.Step
	Worst string // the worst of its risks, "" for none
	// Of are the differences that it carries out, by ID.
	Of []string
	// Loses are what it destroys that nobody allowed, as --may-lose names it.
	Loses []string
	// Fills are columns that lack a value for the rows that are there.
	Lacks []string
}

// Lack is something that cannot come or go by what was chosen.
type Lack struct {
	Thing, Needs string
	Goes         bool // it cannot go, because Needs stands on it
}

// Closely is what is shown of an object when somebody looks.
type Closely struct {
	Object *view.Object
	Users  []string // what stands on it
}

// Desk works out what a review shows.
type Desk interface {
	// Judge says what follows from what was said. It reads nothing.
	Judge(ctx context.Context, s Said) (*Judged, error)
	// Ask asks the rows what the last judgement wants to know of them.
	Ask(ctx context.Context) error
	// AskNow asks them also where the call said that they are not asked.
	AskNow(ctx context.Context, s Said) error
	// Again reads both places anew, and answers what changed meanwhile.
	Again(ctx context.Context, s Said) ([]string, error)
	// Look is one object closely.
	Look(id string) (*Closely, error)
	// Rows are the rows that a step's risk is about, as lines.
	Rows(ctx context.Context, step *Step) ([]string, error)
	// Tolerances are what could be said so that a difference counts no more.
	Tolerances(id string) []string
	// Write writes something of a judgement into a file and says what it wrote.
	Write(ctx context.Context, what What, file string, s Said) (string, error)
	// Rehearse and Apply run the script. Summary is what is to be agreed to before.
	Rehearse(ctx context.Context, s Said) (string, error)
	Summary(s Said) ([]string, error)
	Apply(ctx context.Context, s Said) (string, error)
	// Keep keeps what was said until it is written or given up.
	Keep(s Said) error
}

// What is something that is written.
type What string

// What can be written.
const (
	Script  What = "script"
	Backout What = "back-out script"
	Choices What = "choices"
	Report  What = "report"
	Source  What = "script for the source"
	Task    What = "task"
)
