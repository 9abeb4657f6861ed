package order

import (
	"slices"
	"testing"

	"dappermirror/internal/core/catalog"
)

func TestSettle(t *testing.T) {
	ref := catalog.Ref{Kind: catalog.Table, Name: "berth"}
	question := func(name string) *Question {
		return &Question{Count: name, Total: "all", What: "hold NULL", Locks: []string{"lock"}, Guard: []string{"look at " + name}}
	}
	around := question("around")
	around.Release = []string{"unlock"}
	unsure := question("unsure")
	unsure.Unsure = true
	for _, c := range []struct {
		name      string
		kind      RiskKind
		ask       *Question
		state     AnswerState
		permitted bool
		later     bool
		left      RiskKind // "" where the risk is cleared
		guards    []string
		sql       []string
	}{
		{"an empty table goes", Loss, question("q"), Clean, false, false, "", []string{"lock", "look at q"}, []string{"DO;"}},
		{"it goes by permission", Loss, question("q"), Clean, true, false, "", nil, []string{"DO;"}},
		{"values go", Loss, question("q"), Found, true, false, Loss, nil, []string{"DO;"}},
		{"not known", MayFail, question("q"), NotKnown, false, false, MayFail, nil, []string{"DO;"}},
		{"sure to fail", MayFail, question("q"), Found, false, false, WillFail, nil, []string{"DO;"}},
		{"perhaps to fail", MayFail, unsure, Found, false, false, MayFail, nil, []string{"DO;"}},
		{"perhaps not", MayFail, unsure, Clean, false, false, MayFail, nil, []string{"DO;"}},
		{"guarded by itself behind the transaction", MayFail, question("q"), Clean, false, true, "", nil, []string{"DO;"}},
		{"guarded around the step", Loss, around, Clean, false, false, "", nil, []string{"lock", "look at around", "DO;", "unlock"}},
		{"not asked", MayFail, question("q"), "", false, false, MayFail, nil, []string{"DO;"}},
		{"a copy is a copy", Rewrite, nil, "", false, false, Rewrite, nil, []string{"DO;"}},
	} {
		p := &Plan{Steps: []*Step{{Number: 1, Action: &Action{SQL: []string{"DO;"}, Later: c.later, Risks: []Risk{{Kind: c.kind, On: ref, Text: "risk", Ask: c.ask}}}}}}
		as := Answers{}
		if c.state != "" {
			as.Give(c.ask, Answer{State: c.state, Rows: 2, Text: "said"})
		}
		p.Settle(as, func(Risk) bool { return c.permitted })
		s := p.Steps[0]
		left := RiskKind("")
		if len(s.Risks) > 0 {
			left = s.Risks[0].Kind
		}
		if left != c.left || (left == "") != (len(s.Cleared) == 1) || !slices.Equal(p.Guards, c.guards) || !slices.Equal(s.Statements(), c.sql) {
			t.Errorf("%s: left %q, cleared %v, guards %q, sql %q", c.name, left, s.Cleared, p.Guards, s.Statements())
		}
	}
}

func TestGuardsShareALock(t *testing.T) {
	one := &Question{Count: "1", Locks: []string{"lock"}, Guard: []string{"look 1"}, Release: []string{"unlock"}}
	two := &Question{Count: "2", Locks: []string{"lock"}, Guard: []string{"look 2"}, Release: []string{"unlock"}}
	p := &Plan{Steps: []*Step{{Action: &Action{SQL: []string{"DO;"}, Risks: []Risk{{Kind: Loss, Ask: one}, {Kind: Loss, Ask: two}, {Kind: Loss}}}}}}
	p.GuardLosses(func(Risk) bool { return false })
	if got := p.Steps[0].Statements(); !slices.Equal(got, []string{"lock", "look 1", "look 2", "DO;", "unlock"}) {
		t.Errorf("guards: %q", got)
	}
	if n := len(p.Questions()); n != 2 {
		t.Errorf("%d questions", n)
	}
}

func TestAnswerWords(t *testing.T) {
	q, all := &Question{Total: "t", What: "hold NULL"}, &Question{What: "would go", None: "the table is empty"}
	for _, c := range []struct {
		q        *Question
		state    AnswerState
		rows, of int64
		want     string
	}{
		{q, Found, 1204, 9310, "1,204 of 9,310 rows hold NULL"}, {q, Found, 1, 2, "1 of 2 rows holds NULL"}, {q, Clean, 0, 1, "none of 1 row holds NULL"},
		{q, NotKnown, 0, 0, "not known (why)"}, {all, Clean, 0, 0, "the table is empty"}, {all, Found, 1000000, 0, "1,000,000 rows would go"}, {all, Found, 0, 0, "why"},
	} {
		if got := c.q.Words(c.state, c.rows, c.of, "why"); got != c.want {
			t.Errorf("says %q, want %q", got, c.want)
		}
	}
}
