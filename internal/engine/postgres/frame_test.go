package postgres

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/postgres/vocab"
	"dappermirror/internal/engine/postgres/writer"
)

func TestExplain(t *testing.T) {
	for _, c := range []struct {
		err  error
		want error
		text string
	}{
		{&pgconn.PgError{Code: "3D000", Message: "x"}, engine.ErrNotFound, "no such database"},
		{&pgconn.PgError{Code: "28P01", Message: "password authentication failed"}, engine.ErrConnect, "user or password"},
		{&pgconn.PgError{Code: "55P03", Message: "lock timeout"}, engine.ErrLocked, "lock timeout"},
		{&pgconn.PgError{Code: "25006", Message: "read only"}, engine.ErrReadOnly, ""},
		{&pgconn.PgError{Code: "53100", Message: "full"}, engine.ErrDiskFull, ""},
		{&pgconn.PgError{Code: "42P01", Message: "no relation", Detail: "two\nlines"}, nil, "no relation; two lines (SQLSTATE 42P01)"},
	} {
		got := explain(c.err)
		if c.want != nil && !errors.Is(got, c.want) || !strings.Contains(got.Error(), c.text) {
			t.Errorf("%v: %v", c.err, got)
		}
	}
}

// The script gives back every setting it makes.
func TestFrameGivesBack(t *testing.T) {
	f := Engine{}.Frame(&order.Plan{Actual: &catalog.Catalog{}, Desired: &catalog.Catalog{}})
	if len(f.Restore) != len(f.Settings) {
		t.Fatalf("%d settings, %d given back", len(f.Settings), len(f.Restore))
	}
	for i, s := range f.Settings {
		name := strings.Fields(s)[1]
		if f.Restore[i] != "RESET "+name+";" {
			t.Errorf("%s is given back by %s", s, f.Restore[i])
		}
	}
	for _, s := range append(f.Settings, f.Restore...) {
		if n := len(sqltext.Split(vocab.Dialect, s)); n != 1 {
			t.Errorf("%q is %d statements", s, n)
		}
	}
}

// TestFrameSpeaksUp: of locks there is no room for, of columns without
// statistics, of whom it acts for.
func TestFrameSpeaksUp(t *testing.T) {
	cat := &catalog.Catalog{Limits: map[string]int64{lockRoom: 100, lockFactor: 10}}
	p := &order.Plan{Actual: cat, Desired: &catalog.Catalog{}}
	for i := range 30 {
		o := &catalog.Object{Kind: catalog.Table, Schema: "h", Name: fmt.Sprint("t", i)}
		o.Add(&catalog.Object{Kind: catalog.Column, Name: "Odd"})
		cat.Add(o)
		p.Desired.Add(o)
		p.Steps = append(p.Steps, &order.Step{Action: &order.Action{About: o.Ref(), Makes: []catalog.Ref{o.Ref()}}})
	}
	if notes := strings.Join(Engine{}.Frame(p).Notes, " "); !strings.Contains(notes, "180 locks") || !strings.Contains(notes, "max_locks_per_transaction to 26") {
		t.Errorf("notes: %s", notes)
	}
	p.Steps = p.Steps[:3]
	o := cat.Objects[0]
	p.Steps[0].Effects = []order.Effect{{On: o.PartRef(o.Parts[0]), Aspect: catalog.AspectType}}
	p.Steps[1].Makes = []catalog.Ref{{Kind: writer.RowsBack, Schema: "h", Name: "t1"}}
	f := Engine{}.Frame(p)
	if strings.Contains(strings.Join(f.Notes, " "), "ATTENTION") || !slices.Equal(f.Restore[:2], []string{`ANALYZE h.t0 ("Odd");`, "ANALYZE h.t1;"}) {
		t.Errorf("frame: %+v", f)
	}
	Engine{}.As(&f, "Harbour Master")
	if f.Settings[len(f.Settings)-1] != `SET ROLE "Harbour Master";` || f.Restore[len(f.Restore)-1] != "RESET ROLE;" {
		t.Errorf("settings: %v", f.Settings)
	}
	if len(settings) == len(f.Settings) {
		t.Error("a role for one script is one for all")
	}
}
