// Package view is what a report says, as plain data: objects in groups, what is said of
// each in a line and closely, both definitions as one text, steps with their risks and
// row checks. Text, JSON, pages, sheets, Markdown and test reports only lay it out.
package view

import (
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/judge"
	"slices"
)

// Comparison is two structures side by side.
type Comparison struct {
	Source, Target Side
	Alike          int // tenths of a percent
	Counts         compare.Counts
	Losing         int // of the differences, how many would lose values
	Stays          int // of the differences, how many do not go to the target, by choice
	Objects        []Object
	Gaps           []Gap
	Likely         []Likely
	Tolerated      []Tolerated
	Tally          []judge.Tallied
	Names          []Pair
}

// Side is one of the two structures.
type Side struct {
	Place, Engine, Version string
	Counts                 []catalog.Count
}

// Object is an object of either side, or of both.
type Object struct {
	Kind         catalog.Kind
	Schema, Name string
	Status       compare.Status
	Said         []Phrase // in a line of a list
	Facts        []Phrase // what differs, one by one; losses and choices too
	Loses        []string
	Choice       string // what becomes of it, where that is not to change the target
	Fields       []Field
	Parts        []Object // those that differ
	Order        string   // a note on the order of its parts
	SourceAt     string   // where in a text it stands
	TargetAt     string
	Defined      bool   // the definitions are known
	SourceSQL    string // its definitions, whole; "" where a side lacks it
	TargetSQL    string
	// Partial says that some of it is out of scope: WantedSQL is what it is to be.
	Partial        bool
	WantedSQL      string
	Source, Target []string // the same in lines, as they are to be and are: what is out of scope stays
	// Untouched says that the target lacks it and is not to have it: it is out of
	// scope.
	Untouched bool
}

// Field is a fact that differs; nil where a side lacks it.
type Field struct {
	Name           string
	Source, Target *string
}

// Phrase is one of the things said about an object.
type Phrase struct {
	Mark  Mark     `json:"mark,omitempty"`
	Text  string   `json:"text"`
	Names []string `json:"names,omitempty"` // go on with the text, by comma
}

// Mark is what a phrase, line or step is marked with; a sign stands beside every
// colour.
type Mark string

// The marks.
const (
	Plain   Mark = ""
	Changed Mark = "changed"
	Comes   Mark = "comes"
	Goes    Mark = "goes"
	Loses   Mark = "loses"
	Equal   Mark = "equal"
	Stays   Mark = "stays" // by choice; has no sign, since nothing comes of it here
)

// Signs are what stands for a mark where there are no colours.
var Signs = map[Mark]string{Changed: "~", Comes: "+", Goes: "-", Loses: "!", Equal: "="}

// MarkOf is the mark of a status.
func MarkOf(s compare.Status) Mark {
	return map[compare.Status]Mark{compare.Same: Equal, compare.Differs: Changed, compare.SourceOnly: Comes, compare.TargetOnly: Goes}[s]
}

// Words are how people say a status.
var Words = map[compare.Status]string{compare.Same: "same", compare.Differs: "differs", compare.SourceOnly: "source-only", compare.TargetOnly: "target-only"}

// Actions are what would happen to the target's thing.
var Actions = map[compare.Status]string{compare.Same: "same", compare.Differs: "change", compare.SourceOnly: "create", compare.TargetOnly: "drop"}

// Gap is something that was not compared.
type Gap struct{ Side, Kind, Property, What, Why string }

// Likely is something that looks like one thing under two names.
type Likely struct {
	Old, New, Option string
	Weight           int
	Reasons          []string
}

// Pair is one thing under two names, as was said.
type Pair struct {
	Source, Target string
	Rename         bool
}

// Tolerated is a difference that does not count.
type Tolerated struct {
	On, Fact       string // Fact is "" where a side lacks the thing
	By             []string
	Source, Target *string
	What           string // in words
}

// Title is the name with its schema.
func (o *Object) Title() string {
	if o.Schema != "" {
		return o.Schema + "." + o.Name
	}
	return o.Name
}

// ID names the object in links and by itself: kind:schema.name.
func (o *Object) ID() string { return string(o.Kind) + ":" + o.Title() }

// Group is objects under one heading.
type Group struct {
	Title   string
	Objects []*Object
}

// Groups puts the objects into groups, by kind or by status; equal ones only where all
// is asked for.
func (c *Comparison) Groups(byStatus, all bool) []Group {
	var out []Group
	at := map[string]int{}
	add := func(title string, o *Object) {
		i, ok := at[title]
		if !ok {
			i = len(out)
			at[title] = i
			out = append(out, Group{Title: title})
		}
		out[i].Objects = append(out[i].Objects, o)
	}
	if byStatus {
		for _, s := range []struct {
			s compare.Status
			t string
		}{{compare.Differs, "differ"}, {compare.SourceOnly, "only in the source"}, {compare.TargetOnly, "only in the target"}, {compare.Same, "the same"}} {
			for i := range c.Objects {
				if o := &c.Objects[i]; o.Status == s.s && (all || s.s != compare.Same) {
					add(s.t, o)
				}
			}
		}
		return out
	}
	for i := range c.Objects {
		if o := &c.Objects[i]; all || o.Status != compare.Same {
			add(o.Kind.Plural(), o)
		}
	}
	return out
}

// Different tells whether anything differs.
func (c *Comparison) Different() bool {
	return c.Counts.Differs+c.Counts.SourceOnly+c.Counts.TargetOnly > 0
}

// Report is all that a report says.
type Report struct {
	Title string
	Head  [][2]string // what was compared and how: a word and a text
	// Comparisons are those that are shown; of several targets one for each way in which
	// they differ, with a title that says whose it is.
	Comparisons []*Comparison
	Titles      []string
	Targets     []Target
	Sum         string // of several targets, in a line
	Steps, Held []Step
	Script      string // its file, "" where there is none
	Notes       []string
	Wrong       []string // of the notes those that say that the script cannot be run as it is
}

// Target is one of several targets.
type Target struct {
	Name, Result, Detail            string
	Way                             int
	Known                           bool // it was compared
	Differs, SourceOnly, TargetOnly int
	Held, Losing                    int
	Script                          string
	Bad                             bool // something went wrong
}

// Step is a step of a script.
type Step struct {
	Number  int
	Title   string
	On      string
	Risks   []Phrase // losses and what will fail are marked
	Checks  []string // risks that are none, as the rows said
	Fills   []string
	Locks   []string
	SQL     []string
	Because string // of one that is held back
}

// Risky tells whether a step destroys something or fails on the rows.
func (s *Step) Risky() bool {
	for _, r := range s.Risks {
		if r.Mark == Loses {
			return true
		}
	}
	return false
}

// Lines are both definitions of an object as one text.
func (o *Object) Lines() []Line { return Merge(o.Target, o.Source) }

// Undefined is the same without definitions.
func (c *Comparison) Undefined() *Comparison {
	out := *c
	out.Objects = slices.Clone(c.Objects)
	for i := range out.Objects {
		o := &out.Objects[i]
		o.Defined, o.Partial, o.SourceSQL, o.TargetSQL, o.WantedSQL, o.Source, o.Target = false, false, "", "", "", nil, nil
	}
	return &out
}
