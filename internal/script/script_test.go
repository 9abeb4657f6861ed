package script

import (
	"bytes"
	"compress/flate"
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/mysql"
	"dappermirror/internal/engine/postgres"
	"dappermirror/internal/engine/sqlite"
	"dappermirror/internal/fuzzing"
)

// odd is a name that tries everything to get out of a comment.
const odd = "x\n; DROP TABLE y; --*/ $$ \x1b[31m \u202e \" ' \r\n.shell id\n\\! id"

var lite = sqlite.Engine{}.Dialect()

type toyEngine struct {
	engine.Engine // what is not wanted here
	dialect       sqltext.Dialect
}

func (toyEngine) Name() string  { return "toy" }
func (toyEngine) Title() string { return "Toy" }
func (toyEngine) Classes() map[string]engine.Class {
	return map[string]engine.Class{"begin": engine.Begins, "commit": engine.Commits, "set": engine.Passing, "reset": engine.Passing}
}
func (e toyEngine) Dialect() sqltext.Dialect { return e.dialect }
func (toyEngine) Frame(*order.Plan) engine.Frame {
	return engine.Frame{Client: []string{".bail on"}, Settings: []string{"SET a;"}, Begin: "BEGIN;", Guards: []string{"GUARD;"}, Checks: []string{"CHECK;"}, Commit: "COMMIT;", Restore: []string{"RESET a;"},
		Notes: []string{"One transaction.", "A second note."}, Lock: "everything", RunWith: "toy %[1]s < %[2]s"}
}

func object(name, fact string) *catalog.Object {
	o := &catalog.Object{Kind: catalog.Table, Name: name}
	o.Set("fact", catalog.Scalar(fact))
	return o
}

func plan(name string) *order.Plan {
	actual, desired := &catalog.Catalog{Engine: "toy"}, &catalog.Catalog{Engine: "toy"}
	actual.Add(object(name, "old"))
	actual.Add(object("kept", "k"))
	desired.Add(object(name, "new"))
	n := object("newcomer", "n")
	n.Need(catalog.Ref{Kind: catalog.Table, Name: "kept"}, catalog.AspectName)
	desired.Add(n)
	desired.Add(object("kept", "k"))
	ref := catalog.Ref{Kind: catalog.Table, Name: name}
	return &order.Plan{Actual: actual, Desired: desired, Full: desired,
		Steps: []*order.Step{
			{Number: 1, Action: &order.Action{About: ref, Title: "alter " + name, SQL: []string{"ALTER 1;", "ALTER 2;"}, Makes: []catalog.Ref{ref}, Risks: []order.Risk{{Kind: order.Loss, On: ref, Text: "rows of " + name}}}},
			{Number: 2, Action: &order.Action{About: n.Ref(), Title: "create newcomer", SQL: []string{"CREATE newcomer;"}, Makes: []catalog.Ref{n.Ref()}, Note: "Slowly."}},
		},
		Held:        []*order.Step{{Number: 3, Action: &order.Action{About: ref, Title: "drop part of " + name, SQL: []string{"DROP a;", "DROP\nb;"}}}},
		HeldBecause: []order.Risk{{Kind: order.Loss, On: ref, Text: "values of " + name}}}
}

func text(name string) string {
	text, err := Write(Input{Plan: plan(name), Engine: toyEngine{dialect: lite}, Source: "dev " + name, Target: "live", Said: []string{"--only", "table:x"}, FileName: "up.sql", TargetArg: "live.db"})
	if err != nil {
		panic(err)
	}
	return string(text)
}

func TestWriteAndRead(t *testing.T) {
	for _, name := range []string{"berth", odd} {
		raw := text(name)
		if again := text(name); again != raw {
			t.Error("the same input gives other bytes")
		}
		for i, l := range strings.Split(raw, "\n") {
			switch {
			case l == "", strings.HasPrefix(l, "--"):
			case strings.Contains(".bail on|SET a;|BEGIN;|GUARD;|ALTER 1;|ALTER 2;|CREATE newcomer;|CHECK;|COMMIT;|RESET a;", l):
			default:
				t.Errorf("%q: line %d left its comment: %q", name, i+1, l)
			}
			if strings.ContainsAny(l, "\x1b\r") || strings.ContainsRune(l, '\u202e') {
				t.Errorf("%q: line %d has a control character: %q", name, i+1, l)
			}
		}
		s, err := Read(raw)
		if err != nil {
			t.Fatal(err)
		}
		if s.Edited || s.Meta.Steps != 2 || s.Meta.Held != 1 || len(s.Planned()) != 2 || len(s.Held()) != 1 || s.Meta.Source != "dev "+name || s.Meta.Said[1] != "table:x" {
			t.Errorf("%q read back: %+v", name, s.Meta)
		}
		if r := s.Planned()[0].Risks; len(r) != 1 || r[0].On.Name != name {
			t.Errorf("the risk is lost: %v", r)
		}
		cmds, err := s.Commands(lite)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, c := range cmds {
			got = append(got, fmt.Sprintf("%d %s", c.Step, c.Text))
		}
		want := "0 .bail on|0 SET a;|0 BEGIN;|0 GUARD;|1 ALTER 1;|1 ALTER 2;|2 CREATE newcomer;|2 CHECK;|2 COMMIT;|2 RESET a;"
		if strings.Join(got, "|") != want {
			t.Errorf("commands\n got %s\nwant %s", strings.Join(got, "|"), want)
		}
	}
}

func TestHeaderSaysIt(t *testing.T) {
	raw := text("berth")
	for _, want := range []string{"source      dev berth", "target      live", "2 to run, 1 held back", "--only table:x", "dapper-mirror check up.sql live.db", "toy live.db < up.sql",
		"LOSSES      rows of berth, allowed by --may-lose", "held back   values of berth", "--may-lose 'table:berth'", "One transaction.", "locks       everything", "backup",
		"step 1 of 2  alter berth", "! loss: rows of berth", "Slowly.", "held back 3  drop part of berth", "--     DROP a;\n--     DROP\n--     b;"} {
		if !strings.Contains(raw, want) {
			t.Errorf("the script does not say %q:\n%s", want, raw)
		}
	}
	for _, l := range strings.Split(raw, "\n") {
		if len([]rune(l)) > 80 && !strings.HasPrefix(l, "-- @") {
			t.Errorf("a line of %d columns: %s", len([]rune(l)), l)
		}
	}
}

func TestReadBadScripts(t *testing.T) {
	good := text("berth")
	for name, c := range map[string]struct {
		text   string
		want   error
		edited bool
	}{
		"as written":      {good, nil, false},
		"DOS line ends":   {strings.ReplaceAll(good, "\n", "\r\n"), nil, false},
		"an edited step":  {strings.Replace(good, "ALTER 2;", "ALTER 3;", 1), nil, true},
		"a comment more":  {"-- approved\n" + good, nil, true},
		"SQL at the end":  {good + "DROP x;\n", nil, true},
		"no footer":       {good[:strings.Index(good, "-- @dapper")], ErrNotScript, false},
		"some other SQL":  {"SELECT 1;", ErrNotScript, false},
		"empty":           {"", ErrNotScript, false},
		"a newer format":  {strings.Replace(good, "-- @dapper-mirror 2 ", "-- @dapper-mirror 9 ", 1), ErrNewerScript, false},
		"an older format": {good[:strings.Index(good, "-- @dapper")] + "-- @dapper-mirror {\"format\":1}\n", ErrOlderScript, false},
		"a broken footer": {strings.Replace(good, "-- @dapper-mirror 2 ", "-- @dapper-mirror x ", 1), ErrCutShort, false},
		"no data":         {good[:strings.Index(good, "-- @ ")], ErrCutShort, false},
		"half the data":   {good[:len(good)-40], ErrCutShort, false},
		"another hash":    {strings.Replace(good, "-- @dapper-mirror 2 ", "-- @dapper-mirror 2 0", 1), nil, true},
		"a step lost":     {strings.Replace(good, "CREATE newcomer;\n", "", 1), nil, true},
	} {
		s, err := Read(c.text)
		if !errors.Is(err, c.want) || c.want == nil && err != nil {
			t.Errorf("%s: %v, want %v", name, err, c.want)
			continue
		}
		if err == nil && s.Edited != c.edited {
			t.Errorf("%s: edited is %v", name, s.Edited)
		}
	}
	s, err := Read(strings.Replace(good, "ALTER 2;", "ALTER 'open;", 1))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Commands(lite); err == nil || !strings.Contains(err.Error(), "line ") {
		t.Errorf("an open quote: %v", err)
	}
}

// TestFooterIsSmall: it is a tenth of the script at most, also of one with many
// steps, and tells of steps that are gone.
func TestFooterIsSmall(t *testing.T) {
	for _, n := range []int{1, 20, 300} {
		p := &order.Plan{Actual: &catalog.Catalog{Engine: "toy"}, Desired: &catalog.Catalog{Engine: "toy"}}
		for i := range n {
			name := fmt.Sprintf("%s_%d", []string{"berth", "vessel", "port_call", "booking", "tariff"}[i%5], i)
			p.Actual.Add(object(name, "old"))
			p.Desired.Add(object(name, fmt.Sprint("new", i)))
			ref := catalog.Ref{Kind: catalog.Table, Name: name}
			col := catalog.Ref{Kind: catalog.Table, Name: name, PartKind: catalog.Column, Part: "pilotage"}
			p.Steps = append(p.Steps, &order.Step{Number: i + 1, Action: &order.Action{About: ref, Title: "change table " + name + ": drop column pilotage", Makes: []catalog.Ref{ref},
				SQL: []string{"ALTER TABLE " + name + " DROP COLUMN pilotage, ADD COLUMN pilotage_fee numeric(8,2) NOT NULL DEFAULT 0;", "COMMENT ON TABLE " + name + " IS 'what the pilots are paid for each call';"}, Risks: []order.Risk{{Kind: order.Loss, On: col, Text: "every value of column pilotage of table " + name}}}})
		}
		b, err := Write(Input{Plan: p, Engine: toyEngine{dialect: lite}, Source: "dev.db", Target: "live.db", FileName: "up.sql", TargetArg: "live.db"})
		if err != nil {
			t.Fatal(err)
		}
		text := string(b)
		if foot := len(text) - strings.Index(text, footMark); foot > max(200, len(text)/10) {
			t.Errorf("%d steps: the footer is %d of %d bytes", n, foot, len(text))
		}
		s, err := Read(text)
		if err != nil || len(s.Planned()) != n || len(s.Lost) > 0 || s.Planned()[n-1].Risks[0].On.Part != "pilotage" || !strings.Contains(s.Planned()[0].Title, "drop column pilotage") {
			t.Fatalf("%d steps read back: %v %+v", n, err, s)
		}
		s, err = Read(strings.Replace(text, "-- step 1 of", "-- stop 1 of", 1))
		if err != nil || !s.Edited || fmt.Sprint(s.Lost) != "[1]" {
			t.Errorf("the first step is gone: %v", s.Lost)
		}
	}
}

// TestDataIsBounded: data that claims to be without end is refused.
func TestDataIsBounded(t *testing.T) {
	var out bytes.Buffer
	z, err := flate.NewWriterDict(&out, flate.BestCompression, []byte(common))
	if err != nil {
		t.Fatal(err)
	}
	for range 1100 {
		if _, err := z.Write(make([]byte, 1<<16)); err != nil {
			t.Fatal(err)
		}
	}
	z.Close()
	if err := (&Script{}).unpack(base64.StdEncoding.EncodeToString(out.Bytes())); err == nil || !strings.Contains(err.Error(), "too large") {
		t.Errorf("a bomb: %v", err)
	}
}

func TestFit(t *testing.T) {
	s, err := Read(text("berth"))
	if err != nil {
		t.Fatal(err)
	}
	p := plan("berth")
	if r := s.Check(p.Actual); len(r.Moves) != 0 || r.Done {
		t.Errorf("the target it was made for: %+v", r)
	}
	if r := s.Check(p.Desired); !r.Done {
		t.Errorf("the target it leaves: %+v", r)
	}
	for name, c := range map[string]struct {
		change func(*catalog.Catalog)
		want   string
	}{
		"changed":   {func(c *catalog.Catalog) { c.Objects[0].Set("fact", catalog.Scalar("else")) }, "table:berth has changed"},
		"gone":      {func(c *catalog.Catalog) { c.Objects = c.Objects[1:] }, "table:berth is gone"},
		"new":       {func(c *catalog.Catalog) { c.Add(object("newcomer", "x")) }, "table:newcomer is new"},
		"relied on": {func(c *catalog.Catalog) { c.Objects[1].Set("fact", catalog.Scalar("else")) }, "table:kept has changed"},
		"unrelated": {func(c *catalog.Catalog) { c.Add(object("bystander", "x")) }, ""},
		"a new user": {func(c *catalog.Catalog) {
			o := object("view", "x")
			o.Need(catalog.Ref{Kind: catalog.Table, Name: "berth"}, catalog.AspectType)
			c.Add(o)
		}, "table:view is new, and stands on table:berth"},
	} {
		now := plan("berth").Actual
		c.change(now)
		var got []string
		for _, m := range s.Check(now).Moves {
			got = append(got, m.On.String()+" "+m.What)
		}
		if strings.Join(got, ", ") != c.want {
			t.Errorf("%s: %v, want %s", name, got, c.want)
		}
	}
}

// fake is a database that records what it is told and fails where it is
// asked to.
type fake struct {
	said   []string
	failAt string
	err    error
	now    *catalog.Catalog
}

func (f *fake) Exec(_ context.Context, sql string) error {
	f.said = append(f.said, sql)
	if sql == f.failAt {
		return f.err
	}
	return nil
}
func (f *fake) Read(context.Context) (*catalog.Catalog, error) { return f.now, nil }
func (f *fake) Close() error                                   { return nil }

func TestRun(t *testing.T) {
	boom := errors.New("boom")
	for _, c := range []struct {
		name, failAt string
		err          error
		now          *catalog.Catalog
		rolledBack   bool
		moved        bool
		last         string
	}{
		{"well", "", nil, plan("berth").Actual, false, false, "RESET a;"},
		{"in a step", "ALTER 2;", boom, plan("berth").Actual, true, false, "ROLLBACK"},
		{"in a check", "CHECK;", boom, plan("berth").Actual, true, false, "ROLLBACK"},
		{"before the transaction", "SET a;", boom, plan("berth").Actual, true, false, "SET a;"},
		{"after it", "RESET a;", boom, plan("berth").Actual, false, false, "RESET a;"},
		{"cut when all that stays is there", "RESET a;", fmt.Errorf("lost; %w", engine.ErrConnect), plan("berth").Actual, false, false, "RESET a;"},
		{"at the commit, not known", "COMMIT;", fmt.Errorf("lost; %w", engine.ErrUncertain), plan("berth").Actual, false, false, "ROLLBACK"},
		{"the target has moved", "", nil, plan("berth").Desired, true, true, "ROLLBACK"},
	} {
		s, err := Read(text("berth"))
		if err != nil {
			t.Fatal(err)
		}
		db := &fake{failAt: c.failAt, err: c.err, now: c.now}
		var told []int
		err = Run(t.Context(), s, toyEngine{dialect: lite}, db, RunOptions{Progress: func(step, of int, _ string) {
			if step > 0 {
				told = append(told, step*10+of)
			}
		}})
		if c.err == nil && !c.moved || errors.Is(c.err, engine.ErrConnect) {
			if err != nil || fmt.Sprint(told) != "[12 22]" {
				t.Errorf("%s: %v, progress %v", c.name, err, told)
			}
		} else {
			var se *StepError
			if c.name == "at the commit, not known" && !strings.Contains(err.Error(), "whether the transaction was kept is not known; apply --resume finds out") {
				t.Errorf("%s: says %v", c.name, err)
			}
			if !errors.As(err, &se) || se.RolledBack != c.rolledBack || se.Line == 0 {
				t.Errorf("%s: %v (%+v)", c.name, err, se)
			}
			var me *MovedError
			if errors.As(err, &me) != c.moved {
				t.Errorf("%s: moved is %v", c.name, !c.moved)
			}
		}
		if db.said[len(db.said)-1] != c.last {
			t.Errorf("%s: the last word was %q, want %q", c.name, db.said[len(db.said)-1], c.last)
		}
		for _, s := range db.said {
			if strings.HasPrefix(s, ".") {
				t.Errorf("%s: a line for the client was run: %q", c.name, s)
			}
		}
	}
}

func TestRunStopsWhenInterrupted(t *testing.T) {
	s, err := Read(text("berth"))
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	db := &fake{now: plan("berth").Actual}
	err = Run(ctx, s, toyEngine{dialect: lite}, db, RunOptions{Progress: func(step, of int, _ string) {
		if step > 0 {
			cancel()
		}
	}})
	var se *StepError
	if !errors.As(err, &se) || !errors.Is(err, context.Canceled) || !se.RolledBack || db.said[len(db.said)-1] != "ROLLBACK" {
		t.Errorf("%v, last %q", err, db.said[len(db.said)-1])
	}
}

func TestRunWithoutCommit(t *testing.T) {
	s, err := Read(strings.Replace(text("berth"), "COMMIT;\n", "", 1))
	if err != nil {
		t.Fatal(err)
	}
	db := &fake{now: plan("berth").Actual}
	if err := Run(t.Context(), s, toyEngine{dialect: lite}, db, RunOptions{}); err == nil || !strings.Contains(err.Error(), "never commits") {
		t.Errorf("a script that lost its COMMIT: %v", err)
	}
}

func FuzzRead(f *testing.F) {
	f.Add(text("berth"))
	f.Add(text(odd))
	f.Add("\n-- @dapper-mirror {}")
	f.Fuzz(func(t *testing.T, s string) {
		defer fuzzing.Bound()()
		r, err := Read(s)
		if err != nil {
			return
		}
		r.Check(&catalog.Catalog{})
		for _, d := range []sqltext.Dialect{lite, postgres.Engine{}.Dialect(), mysql.Engine{}.Dialect()} {
			cmds, err := r.Commands(d)
			if err != nil {
				continue
			}
			for _, c := range cmds {
				if c.Line < 1 || !strings.Contains(r.Body, c.Text) {
					t.Fatalf("%+v: a command that is not there: %+v", d, c)
				}
			}
		}
	})
}

// marked is a database whose statements commit one by one, and which can tell
// how often each thing was changed.
type marked struct {
	fake
	changes map[string]int
}

var errDied = errors.New("died")

func (m *marked) Exec(ctx context.Context, sql string) error {
	m.said = append(m.said, sql)
	if strings.HasPrefix(sql, "ALTER") || strings.HasPrefix(sql, "CREATE") {
		m.changes[sql]++
	}
	return nil
}

func (m *marked) Mark(_ context.Context, things []catalog.Ref) (string, error) {
	verbs := map[string]string{"berth": "ALTER", "newcomer": "CREATE"}
	n := 0
	for _, t := range things {
		for sql, times := range m.changes {
			if strings.HasPrefix(sql, verbs[t.Name]) {
				n += times
			}
		}
	}
	return fmt.Sprint(things, n), nil
}

// apart is a script of which every statement commits.
func apart(t *testing.T) *Script {
	t.Helper()
	raw := text("berth")
	for _, word := range []string{"BEGIN;\n", "COMMIT;\n", "GUARD;\n", "CHECK;\n"} {
		raw = strings.Replace(raw, word, "", 1)
	}
	s, err := Read(raw)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// TestResume: wherever a run dies, before or behind its note, the run that goes
// on carries out each statement once.
func TestResume(t *testing.T) {
	path := filepath.Join(t.TempDir(), "up.run.json")
	eng := toyEngine{dialect: lite}
	for dies := 1; ; dies++ {
		s := apart(t)
		if !s.NeedsRecord(eng) {
			t.Fatal("a script without a transaction needs no record")
		}
		db := &marked{fake: fake{now: plan("berth").Actual}, changes: map[string]int{}}
		record := NewRecord(s, "here")
		puts := 0
		record.Put = func(data []byte) error {
			if puts++; puts == dies {
				return errDied // what was to be noted is lost
			}
			return os.WriteFile(path, data, 0o644)
		}
		os.Remove(path)
		err := Run(t.Context(), s, eng, db, RunOptions{Record: record})
		if err == nil {
			if dies < 6 {
				t.Fatalf("only %d notes", dies)
			}
			return
		}
		if !errors.Is(err, errDied) {
			t.Fatalf("died at note %d: %v", dies, err)
		}
		again, err := ReadRecord(path, s)
		if err != nil {
			if dies > 1 {
				t.Fatal(err)
			}
			continue // nothing had run
		}
		again.Put = func(data []byte) error { return os.WriteFile(path, data, 0o644) }
		if _, err := again.Resume(t.Context(), s, eng, db, nil); err != nil {
			t.Fatalf("died at note %d: %v", dies, err)
		}
		if err := Run(t.Context(), s, eng, db, RunOptions{Record: again}); err != nil {
			t.Fatalf("died at note %d, went on: %v", dies, err)
		}
		for _, sql := range []string{"ALTER 1;", "ALTER 2;", "CREATE newcomer;"} {
			if n := db.changes[sql]; n != 1 {
				t.Errorf("died at note %d: %s ran %d times; all: %q", dies, sql, n, db.said)
			}
		}
	}
}

func TestRecordsThatDoNotFit(t *testing.T) {
	s, eng := apart(t), toyEngine{dialect: lite}
	path := filepath.Join(t.TempDir(), "up.run.json")
	for name, c := range map[string]struct{ text, says string }{
		"damaged":        {"{", "damaged"},
		"a newer format": {`{"format":9}`, "newer version"},
		"another script": {`{"format":1,"script":"x"}`, "another script"},
	} {
		if err := os.WriteFile(path, []byte(c.text), 0o644); err != nil {
			t.Fatal(err)
		}
		if _, err := ReadRecord(path, s); !errors.Is(err, ErrRecord) || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := ReadRecord(path+"x", s); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("none: %v", err)
	}
	// Somebody else changed what had been done.
	db := &marked{fake: fake{now: plan("berth").Actual}, changes: map[string]int{}}
	record := NewRecord(s, "here")
	record.Statements = []RecordEntry{{Statement: 2, Step: 1, Before: "a", After: "b", Ran: true}}
	var moved *MovedError
	if _, err := record.Resume(t.Context(), s, eng, db, nil); !errors.As(err, &moved) || moved.Moves[0].What != "has changed since the run stopped" {
		t.Errorf("changed since: %v", err)
	}
	record.Statements[0].Statement = 99
	if _, err := record.Resume(t.Context(), s, eng, db, nil); !errors.Is(err, ErrRecord) {
		t.Errorf("a statement that is not there: %v", err)
	}
}

// TestLocksAreTriedAgain: a lock that somebody holds is tried for again, from the
// transaction's beginning.
func TestLocksAreTriedAgain(t *testing.T) {
	s, err := Read(text("berth"))
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		tries, fails int
		ok           bool
	}{{3, 2, true}, {2, 5, false}, {0, 1, false}} {
		db := &locked{fake: fake{now: plan("berth").Actual}, fails: c.fails}
		told := 0
		err := Run(t.Context(), s, toyEngine{dialect: lite}, db, RunOptions{LockTries: c.tries, Retry: func(try, of int, _ error) { told++ },
			Holders: func(_ context.Context, tables []catalog.Ref) []string {
				return []string{fmt.Sprint("the harbour office holds ", tables[0])}
			}})
		if (err == nil) != c.ok || told != max(min(c.tries-1, c.fails), 0) {
			t.Errorf("%d tries, %d failures: %v, told %d times", c.tries, c.fails, err, told)
		}
		if !c.ok && c.tries > 1 && !strings.Contains(err.Error(), "wanted: table:berth; the harbour office holds table:berth; given up after 2 tries; the target is as it was") {
			t.Errorf("says %v", err)
		}
		if n := strings.Count(" "+strings.Join(db.said, " "), " SET a;"); n != 1 {
			t.Errorf("the settings were made %d times", n)
		}
	}
}

type locked struct {
	fake
	fails int
}

func (l *locked) Exec(ctx context.Context, sql string) error {
	if sql == "ALTER 2;" && l.fails > 0 {
		l.fails--
		l.said = append(l.said, sql)
		return engine.ErrLocked
	}
	return l.fake.Exec(ctx, sql)
}

// TestLimitsHoldForEachStep: a step of its own can set other limits; the next
// one has the user's again.
func TestLimitsHoldForEachStep(t *testing.T) {
	s := apart(t)
	db := &limiter{fake: fake{now: plan("berth").Actual}}
	if err := Run(t.Context(), s, toyEngine{dialect: lite}, db, RunOptions{LockTimeout: time.Second, StepTimeout: time.Minute}); err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(db.said, "|"); got != "SET a;|lock 1s|step 1m0s|ALTER 1;|ALTER 2;|lock 1s|step 1m0s|CREATE newcomer;|RESET a;" {
		t.Errorf("said %s", got)
	}
}

type limiter struct{ fake }

func (*limiter) LockLimit(d time.Duration) string { return "lock " + d.String() }
func (*limiter) StepLimit(d time.Duration) string { return "step " + d.String() }
