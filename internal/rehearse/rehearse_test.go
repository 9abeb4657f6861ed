package rehearse

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlite"
	"dappermirror/internal/script"
)

// watched is SQLite whose scratch databases are counted.
type watched struct {
	sqlite.Engine
	open *int
}

func (w watched) Scratch(ctx context.Context, where string, like *catalog.Catalog) (engine.Database, string, func() error, error) {
	db, about, remove, err := w.Engine.Scratch(ctx, where, like)
	if err != nil {
		return nil, "", nil, err
	}
	*w.open++
	return db, about, func() error { *w.open--; return remove() }, nil
}

func database(t *testing.T, sql string) engine.Database {
	t.Helper()
	db, _, remove, err := sqlite.Engine{}.Scratch(t.Context(), "", nil)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = remove() })
	if err := db.Exec(t.Context(), sql); err != nil {
		t.Fatal(err)
	}
	return db
}

// written is a script from one structure to another, and the way back.
func written(t *testing.T, source, target *catalog.Catalog) (*order.Plan, *script.Script, *script.Script) {
	t.Helper()
	eng := sqlite.Engine{}
	make := func(source, target *catalog.Catalog, back bool) (*order.Plan, *script.Script) {
		p, err := order.Build(choose.All(compare.Compare(source, target, compare.Options{})), eng.Writer(engine.WriteOptions{Back: back}), func(order.Risk) bool { return true })
		if err != nil {
			t.Fatal(err)
		}
		text, err := script.Write(script.Input{Plan: p, Engine: eng, Source: "dev", Target: "live"})
		if err != nil {
			t.Fatal(err)
		}
		s, err := script.Read(string(text))
		if err != nil {
			t.Fatal(err)
		}
		return p, s
	}
	p, up := make(source, target, false)
	_, down := make(p.Actual, p.Desired, true)
	return p, up, down
}

func TestRun(t *testing.T) {
	live := database(t, `CREATE TABLE vessel (id INTEGER PRIMARY KEY, name TEXT);
		CREATE TABLE port_call (id INTEGER PRIMARY KEY, vessel_id INTEGER REFERENCES vessel (id), before_id INTEGER REFERENCES port_call (id));
		CREATE TRIGGER noted AFTER INSERT ON port_call BEGIN UPDATE vessel SET name = 'seen ' || name; END;
		INSERT INTO vessel VALUES (1, 'a'), (2, 'b'), (3, NULL);
		INSERT INTO port_call VALUES (1, 3, NULL), (2, 1, 1), (3, 1, 2), (4, 1, NULL), (5, NULL, NULL)`)
	dev := database(t, `CREATE TABLE vessel (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
		CREATE TABLE port_call (id INTEGER PRIMARY KEY, vessel_id INTEGER REFERENCES vessel (id), before_id INTEGER REFERENCES port_call (id));
		CREATE TRIGGER noted AFTER INSERT ON port_call BEGIN UPDATE vessel SET name = 'seen ' || name; END;
		CREATE VIEW calls AS SELECT count(*) AS n FROM port_call`)
	source, err := dev.Read(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	target, err := live.Read(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	plan, up, down := written(t, source, target)
	broken, less, taker := *up, *up, *up
	broken.Body = strings.Replace(up.Body, "CREATE VIEW", "CREATE VEIW", 1)
	taker.Body = strings.Replace(up.Body, "CREATE VIEW", "DELETE FROM vessel;\nCREATE VIEW", 1)
	less.Body = strings.Replace(up.Body, "CREATE VIEW calls AS SELECT count(*) AS n FROM port_call;", "SELECT 1;", 1)
	for _, c := range []struct {
		name     string
		s, back  *script.Script
		rows     int
		passed   bool
		failed   int // the step
		left     string
		copied   int
		wentBack bool
	}{
		{"without rows", up, nil, 0, true, 0, "", 0, false},
		{"there and back", up, down, 0, true, 0, "", 0, true},
		// Of three rows each, the calls 2 and 3 lead to a vessel and a call that came along.
		{"a row that is there stands in the way", up, nil, 3, false, 1, "", 6, false},
		{"rows that do not", up, nil, 1, true, 0, "", 1, false},
		{"rows that go", &taker, nil, 1, false, 0, "table:vessel had 1 row and has 0", 1, false},
		{"a step that fails", &broken, nil, 0, false, 2, "", 0, false},
		{"it ends elsewhere", &less, down, 0, false, 0, "view:calls is not there", 0, false},
	} {
		open := 0
		res, err := Run(t.Context(), c.s, c.back, watched{open: &open}, target, Options{CopyRows: c.rows, From: live, Desired: plan.Desired})
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		failed, left := 0, []string{}
		if res.Failed != nil {
			failed = res.Failed.Step
		}
		for _, m := range res.Left {
			left = append(left, m.On.String()+" "+m.What)
		}
		if res.Passed() != c.passed || failed != c.failed || !strings.Contains(strings.Join(left, ", "), c.left) || res.Rows != c.copied || res.Back != c.wentBack {
			t.Errorf("%s: %+v, failed at %d, left %v", c.name, res, failed, left)
		}
		if open != 0 {
			t.Errorf("%s: %d scratch databases are left", c.name, open)
		}
	}
	// What the script cannot meet is not built: here it could not be.
	far := *target
	far.Objects = slices.Clone(target.Objects)
	far.Add(&catalog.Object{Kind: catalog.View, Name: "far", Needs: []catalog.Need{{On: catalog.Ref{Kind: catalog.Table, Name: "nowhere"}}}})
	far.Objects[len(far.Objects)-1].Set("definition", catalog.PlainSQL("CREATE VEIW"))
	if res, err := Run(t.Context(), up, down, watched{open: new(int)}, &far, Options{Desired: plan.Desired}); err != nil || !res.Passed() {
		t.Errorf("beside what cannot be built: %+v, %v", res, err)
	}
	// What is no copy of the target is no rehearsal.
	elsewhere := database(t, "CREATE TABLE vessel (id INTEGER PRIMARY KEY, name TEXT, flag TEXT)")
	other, err := elsewhere.Read(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	open := 0
	if _, err := Run(t.Context(), up, nil, watched{open: &open}, other, Options{}); err == nil || !strings.Contains(err.Error(), "is not like the target the script was written for") || open != 0 {
		t.Errorf("another target: %v, %d left", err, open)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := Run(ctx, up, nil, watched{open: &open}, target, Options{}); !errors.Is(err, context.Canceled) || open != 0 {
		t.Errorf("interrupted: %v, %d left", err, open)
	}
	if !slices.Equal(target.Objects, plan.Actual.Objects) {
		t.Error("the rehearsal changed what it was given")
	}
}

// TestWithin: built is what the script touches, what stands on that and what
// these need; what is only needed comes without its own keys and triggers.
func TestWithin(t *testing.T) {
	sql := func(name string) string {
		return `CREATE TABLE harbour (id INTEGER PRIMARY KEY); CREATE TABLE pier (id INTEGER PRIMARY KEY, harbour_id REFERENCES harbour (id));
			CREATE TABLE berth (id INTEGER PRIMARY KEY, pier_id REFERENCES pier (id), name ` + name + `);
			CREATE TABLE port_call (id INTEGER PRIMARY KEY, berth_id REFERENCES berth (id), agent_id REFERENCES agent (id));
			CREATE TABLE agent (id INTEGER PRIMARY KEY); CREATE TABLE bill (id INTEGER PRIMARY KEY, call_id REFERENCES port_call (id));
			CREATE TABLE ledger (id INTEGER PRIMARY KEY); CREATE VIEW berths AS SELECT name FROM berth; CREATE VIEW names AS SELECT name FROM berths;
			CREATE VIEW ledgers AS SELECT id FROM ledger`
	}
	source, err := database(t, sql("TEXT NOT NULL")).Read(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	target, err := database(t, sql("TEXT")).Read(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	_, up, down := written(t, source, target)
	part, whole := within(target, up, down)
	var got []string
	for _, o := range part.Objects {
		how := "bare"
		if whole[o.Ref()] {
			how = "whole"
		}
		got = append(got, fmt.Sprintf("%s %s %d", o.Name, how, len(o.PartsOf(catalog.ForeignKey))))
	}
	want := []string{"agent bare 0", "berth whole 1", "berths whole 0", "harbour bare 0", "names whole 0", "pier whole 1", "port_call whole 2"}
	if !slices.Equal(got, want) {
		t.Errorf("built: %q, want %q", got, want)
	}
}
