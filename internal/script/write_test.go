package script_test

import (
	"errors"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/mysql"
	"dappermirror/internal/engine/postgres"
	"dappermirror/internal/engine/sqlite"
	"dappermirror/internal/fuzzing"
	"dappermirror/internal/script"
)

// FuzzWrite: whatever a name, a default or a view holds, the script has the
// statements the plan has, no more and no fewer, or it is refused.
func FuzzWrite(f *testing.F) {
	for _, s := range [][3]string{
		{"berth", "'a'", "SELECT 1"}, {`be"rth`, "1; DROP TABLE keep", "SELECT 1;\n.shell id"}, {"be`rth\n.read x", "'", "SELECT ':x' /* open"},
		{"\\! id", "'\\'", "SELECT 1\n/\nSELECT 2"}, {"x\r\ngo\r\n", "(1", "SELECT $$;\n\\q\n$$"}, {"delimiter //", "0 -- ", "SELECT 1\ndelimiter //\nDROP TABLE keep//"},
	} {
		f.Add(s[0], s[1], s[2])
	}
	f.Fuzz(func(t *testing.T, name, def, view string) {
		defer fuzzing.Bound()()
		if name == "" {
			return
		}
		for _, eng := range []engine.Engine{sqlite.Engine{}, postgres.Engine{}, mysql.Engine{}} {
			table := &catalog.Object{Kind: catalog.Table, Name: name}
			col := &catalog.Object{Kind: catalog.Column, Name: name}
			col.Set("type", catalog.PlainSQL("text")).Set("default", catalog.PlainSQL(def))
			table.Add(col)
			v := &catalog.Object{Kind: catalog.View, Name: "v"}
			v.Set("definition", catalog.PlainSQL(view))
			source, target := &catalog.Catalog{Engine: eng.Name(), Place: name}, &catalog.Catalog{Engine: eng.Name()}
			source.Add(table)
			source.Add(v)
			plan, err := order.Build(choose.All(compare.Compare(source, target, compare.Options{})), eng.Writer(engine.WriteOptions{}), func(order.Risk) bool { return true })
			if err != nil {
				continue // no plan, no script
			}
			text, err := script.Write(script.Input{Plan: plan, Engine: eng, Source: name, Target: def, TargetArg: view, FileName: name})
			if errors.Is(err, sqltext.ErrNotClosed) {
				continue
			}
			if err != nil {
				t.Fatalf("%s: %v", eng.Name(), err)
			}
			s, err := script.Read(string(text))
			if err != nil || s.Edited {
				t.Fatalf("%s: what was written is not read back: %v\n%s", eng.Name(), err, text)
			}
			cmds, err := s.Commands(eng.Dialect())
			if err != nil {
				t.Fatalf("%s: %v\n%s", eng.Name(), err, text)
			}
			want := map[int]int{}
			for _, st := range plan.Steps {
				want[st.Number] = len(st.Statements())
			}
			for _, c := range cmds {
				if !c.Client {
					want[c.Step]--
				}
			}
			for step, n := range want {
				if step > 0 && n != 0 && (n > 0 || step < len(plan.Steps)) { // the frame's end follows the last one
					t.Fatalf("%s: step %d has %d statements too few\n%s", eng.Name(), step, n, text)
				}
			}
		}
	})
}
