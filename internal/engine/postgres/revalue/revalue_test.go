package revalue_test

import (
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/revalue"
	"dappermirror/internal/engine/postgres/vocab"
)

// TestFollow: a value is spelled anew wherever the server prints it of its type,
// and nowhere else.
func TestFollow(t *testing.T) {
	enum := func(values ...string) *catalog.Object {
		o := &catalog.Object{Kind: catalog.Enum, Schema: "office", Name: "mood"}
		return o.Set(catalog.Values, catalog.List(values...))
	}
	for _, c := range []struct{ text, want string }{
		{"(sea = 'calm'::office.mood)", "(sea = 'still'::office.mood)"},
		{"(sea = 'calm'::mood)", "(sea = 'still'::mood)"},
		{"(sea = 'calm'::office.moods)", "(sea = 'calm'::office.moods)"},
		{"(sea = 'calm'::text)", "(sea = 'calm'::text)"},
		{"('calm'::other.mood)", "('calm'::other.mood)"},
		{"'calmer'::office.mood", "'calmer'::office.mood"},
		{"'it''s calm'::office.mood, 'calm'::office.mood, 'calm'", "'it''s calm'::office.mood, 'still'::office.mood, 'calm'"},
		{"'rough'::office.mood", "'it''s wild'::office.mood"},
	} {
		actual, desired := &catalog.Catalog{Engine: "postgres", Kinds: vocab.Kinds}, &catalog.Catalog{Engine: "postgres", Kinds: vocab.Kinds}
		view := &catalog.Object{Kind: catalog.View, Schema: "office", Name: "v"}
		view.Set("definition", catalog.PlainSQL(c.text))
		routine := &catalog.Object{Kind: catalog.Routine, Schema: "office", Name: "r()"}
		routine.Set("definition", catalog.PlainSQL(c.text))
		for _, o := range []*catalog.Object{enum("calm", "rough"), view, routine} {
			actual.Add(o)
		}
		wish := enum("still", "it's wild")
		wish.Carry(catalog.Revalued, catalog.List("calm", "still", "rough", "it's wild", "gone", "x"))
		desired.Add(wish)
		actions, after := revalue.Follow(desired, actual)
		if len(actions) != 2 || strings.Join(append(actions[0].SQL, actions[1].SQL...), " ") != "ALTER TYPE office.mood RENAME VALUE 'calm' TO 'still'; ALTER TYPE office.mood RENAME VALUE 'rough' TO 'it''s wild';" {
			t.Fatalf("%v", actions)
		}
		if got := after.Find(view.Ref()).Text("definition"); got != c.want {
			t.Errorf("%s becomes %s, not %s", c.text, got, c.want)
		}
		if after.Find(routine.Ref()).Text("definition") != c.text || actual.Find(view.Ref()).Text("definition") != c.text {
			t.Errorf("%s: a body, or what is, was changed", c.text)
		}
		if l := after.Find(wish.Ref()).List(catalog.Values); strings.Join(l, ",") != "still,it's wild" {
			t.Errorf("the values are %v", l)
		}
	}
}
