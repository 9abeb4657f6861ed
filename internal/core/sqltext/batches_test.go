package sqltext

import (
	"fmt"
	"strings"
	"testing"
)

// batched is a dialect whose client sends batches.
var batched = Dialect{Bracket: true, Sigils: true, Batches: true, Command: ":", Nested: true}

// TestSplitBatches: only a line that holds GO ends a batch, wherever it stands: the client
// knows no quotes but those that run over its end.
func TestSplitBatches(t *testing.T) {
	for _, c := range []struct {
		name, in string
		want     []string
	}{
		{"nothing", "", nil},
		{"blanks", " \n\t\n", nil},
		{"one without an end", "SELECT 1", []string{"SELECT 1"}},
		{"one", "SELECT 1\nGO\n", []string{"SELECT 1"}},
		{"in small letters, with blanks", "SELECT 1\n  go \nSELECT 2", []string{"SELECT 1", "SELECT 2"}},
		{"semicolons end nothing", "SELECT 1; SELECT 2;\nGO\nSELECT 3;", []string{"SELECT 1; SELECT 2;", "SELECT 3;"}},
		{"GO within a line", "SELECT 1 GO\nSELECT GO FROM t\nGO", []string{"SELECT 1 GO\nSELECT GO FROM t"}},
		{"a longer word", "GOTO x\nGO\ngoing", []string{"GOTO x", "going"}},
		{"empty batches", "GO\nGO\nSELECT 1\nGO\nGO\n", []string{"SELECT 1"}},
		{"a string over lines", "SELECT 'a\nGO\nb'\nGO\nSELECT 2", []string{"SELECT 'a\nGO\nb'", "SELECT 2"}},
		{"a name over lines", "SELECT [a\nGO\nb]\nGO\nSELECT 2", []string{"SELECT [a\nGO\nb]", "SELECT 2"}},
		{"a comment over lines", "SELECT 1 /* a\nGO\nb */\nGO\nSELECT 2", []string{"SELECT 1 /* a\nGO\nb */", "SELECT 2"}},
		{"GO in a line comment", "-- GO\nSELECT 1\nGO -- the end\nSELECT 2", []string{"SELECT 1", "SELECT 2"}},
		{"a procedure with a body", "CREATE PROCEDURE p AS\nBEGIN\n  SELECT 1;\nEND\nGO\nEXEC p\nGO", []string{"CREATE PROCEDURE p AS\nBEGIN\n  SELECT 1;\nEND", "EXEC p"}},
		{"several times", "SELECT 1\nGO 3\nSELECT 2\ngo 0 -- never\nSELECT 3\nGO 2 3\nGO 99999999999\nGO", []string{"SELECT 1 x3", "SELECT 2 x0", "SELECT 3\nGO 2 3\nGO 99999999999"}},
		{"carriage returns", "SELECT 1\r\nGO\r\nSELECT 2\r\nGO\r\n", []string{"SELECT 1", "SELECT 2"}},
	} {
		var got []string
		for _, st := range Split(batched, c.in) {
			text := strings.TrimSpace(st.Text)
			if st.Times != 1 {
				text += fmt.Sprintf(" x%d", st.Times)
			}
			got = append(got, text)
			if !strings.HasPrefix(c.in[st.Pos:], st.Text[:1]) {
				t.Errorf("%s: %q is said to begin at %d", c.name, st.Text, st.Pos)
			}
		}
		if strings.Join(got, "|") != strings.Join(c.want, "|") {
			t.Errorf("%s:\n got %q\nwant %q", c.name, got, c.want)
		}
	}
}

// TestClosedBatches: what the client would not hand on as exactly one batch.
func TestClosedBatches(t *testing.T) {
	for _, c := range []struct {
		in   string
		says string // why it is not closed; "" where it is
	}{
		{"SELECT 1;\nGO", ""},
		{"SELECT 1\nGO\n", ""},
		{"SELECT 1; SELECT 2;\nGO", ""},
		{"CREATE PROCEDURE p AS SELECT 'GO'\nGO", ""},
		{"SELECT N'a$b (c)'\nGO", ""},
		{"", "empty"},
		{"GO", "empty"},
		{"SELECT 1;", "not marked"},
		{"SELECT 1;\nGO\nSELECT 2;\nGO", "behind it stands"},
		{"SELECT 'a\nGO", "does not end"},
		{"SELECT [a\nGO", "does not end"},
		{"SELECT 1 /* a\nGO", "does not end"},
		{"SELECT 1\nGO 5", ""},
		{"SELECT '$(x)'\nGO", "take"},
		{"SELECT [$(x)]\nGO", "take"},
		{"SELECT 1 -- $(x)\nGO", "take"},
		{"SELECT 'a\n:r file.sql\n'\nGO", "take"},
		{"SELECT 'a\n!!rm file\n'\nGO", "take"},
		{"SELECT 'a\nGO\nb'\nGO", "take"},
		{"SELECT 'a\n go 3\nb'\nGO", "take"},
		{"SELECT [a\nGO\nb]\nGO", "take"},
		{"/*\nGO\n*/ SELECT 1\nGO", "take"},
	} {
		err := Closed(batched, c.in)
		switch {
		case strings.HasSuffix(c.in, "GO 5"): // it would run five times
			if err == nil {
				t.Errorf("%q: closed, and runs five times", c.in)
			}
		case (err == nil) != (c.says == ""), err != nil && !strings.Contains(err.Error(), c.says):
			t.Errorf("%q: %v, want %q", c.in, err, c.says)
		}
	}
}

// TestClientLine: lines that the client keeps for itself, whatever stands around them.
func TestClientLine(t *testing.T) {
	for _, c := range []struct {
		batch string
		kept  bool
	}{
		{"SELECT 1", false}, {"SELECT 1 : 2", false}, {"SELECT 'a$b'", false}, {"SELECT $1", false}, {"GOTO done", false}, {"going\ngone", false}, {"a !! b", false},
		{":r x", true}, {"SELECT 1\n  :setvar a b", true}, {"!!ls", true}, {"a\n\t!!ls", true}, {"$(x)", true}, {"a $( b", true}, {"go", true}, {"a\nGo\nb", true}, {"a\ngo 12\nb", true}, {"a\ngo -- no\nb", true},
	} {
		if line := ClientLine(batched, c.batch); (line != "") != c.kept {
			t.Errorf("%q: kept is %q", c.batch, line)
		}
	}
}

// FuzzBatches: what is cut is all of the text but blanks, comments and lines of the
// client; and what is closed with its end is one batch.
func FuzzBatches(f *testing.F) {
	for _, s := range []string{"SELECT 1\nGO\nSELECT 2", "GO", "'\nGO\n'", "[\nGO", "/*/**/GO\n*/\nGO", "a\r\nGO\r\n", ":r x\nSELECT 1", "go go\ngo", "\x00GO", "SELECT N'ä\nGO'"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		end := 0
		for _, st := range Split(batched, text) {
			if st.Pos < end || st.Pos+len(st.Text) > len(text) || text[st.Pos:st.Pos+len(st.Text)] != st.Text {
				t.Fatalf("%q: cut %q at %d", text, st.Text, st.Pos)
			}
			end = st.Pos + len(st.Text)
			if st.Open || st.Client {
				continue
			}
			if err := Closed(batched, batched.Ended(st.Text)); err != nil && ClientLine(batched, st.Text) == "" {
				t.Fatalf("%q: %q with its end: %v", text, st.Text, err)
			}
		}
	})
}
