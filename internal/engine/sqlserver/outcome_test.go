package sqlserver

import (
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine"
)

// TestOutcome: what became of a transaction is told by the structure, and not told where
// it cannot be.
func TestOutcome(t *testing.T) {
	for _, c := range []struct {
		name, within, end, after string
		named                    bool
		want                     engine.Outcome
	}{
		{"kept", "ALTER TABLE dbo.berth ADD depth int", "COMMIT TRANSACTION", "", true, engine.Committed},
		{"undone", "ALTER TABLE dbo.berth ADD depth int", "ROLLBACK TRANSACTION", "", true, engine.Aborted},
		{"kept, and somebody went on", "ALTER TABLE dbo.berth ADD depth int", "COMMIT TRANSACTION", "ALTER TABLE dbo.berth ADD tide int", true, engine.NotKnown},
		{"a comment alone", "EXEC sp_addextendedproperty N'MS_Description', N'x', N'SCHEMA', N'dbo', N'TABLE', N'berth'", "COMMIT TRANSACTION", "", true, engine.Committed},
		{"a right alone", "GRANT SELECT ON dbo.berth TO public", "COMMIT TRANSACTION", "", true, engine.Committed},
		{"rows alone", "UPDATE dbo.berth SET id = 2", "COMMIT TRANSACTION", "", false, ""},
	} {
		d, _ := with(t, "CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY); INSERT INTO dbo.berth VALUES (1)")
		do := func(sql string) {
			if sql == "" {
				return
			}
			if err := d.Exec(t.Context(), sql); err != nil {
				t.Fatalf("%s: %s: %v", c.name, sql, err)
			}
		}
		do("BEGIN TRANSACTION")
		if _, err := d.Read(t.Context()); err != nil {
			t.Fatal(err)
		}
		do(c.within)
		id, err := d.Transaction(t.Context())
		if err != nil || (id != "") != c.named {
			t.Errorf("%s: it is called %q, %v", c.name, id, err)
		}
		do(c.end)
		do(c.after)
		if !c.named {
			continue
		}
		if got, err := d.Outcome(t.Context(), id); err != nil || got != c.want {
			t.Errorf("%s: %s, %v; want %s", c.name, got, err, c.want)
		}
	}
}

// TestMarks: the mark of some things is another one when anything of them is, and is not
// when only others are.
func TestMarks(t *testing.T) {
	d, _ := with(t, "CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT PK PRIMARY KEY, name nvarchar(9)); CREATE TABLE dbo.call (id int)")
	things := []catalog.Ref{{Kind: catalog.Table, Schema: "dbo", Name: "berth"}, {Kind: catalog.View, Schema: "dbo", Name: "v"}}
	before, err := d.Mark(t.Context(), things)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		sql   string
		moves bool
	}{
		{"ALTER TABLE dbo.call ADD n int", false}, {"INSERT INTO dbo.berth VALUES (1, N'x')", false}, {"ALTER TABLE dbo.berth ADD n int", true}, {"EXEC sp_rename N'dbo.PK', N'PK2'", true},
		{"EXEC sp_rename N'dbo.berth', N'quay'", true}, {"EXEC sp_rename N'dbo.quay', N'berth'", true}, {"GRANT SELECT ON dbo.berth TO public", true}, {"CREATE VIEW dbo.v AS SELECT id FROM dbo.berth", true},
		{"CREATE INDEX i ON dbo.berth (name)", true}, {"ALTER INDEX i ON dbo.berth DISABLE", true}, {"CREATE TABLE dbo.dapper_mirror_new_berth (id int)", false},
	} {
		if err := d.Exec(t.Context(), c.sql); err != nil {
			t.Fatalf("%s: %v", c.sql, err)
		}
		now, err := d.Mark(t.Context(), things)
		if err != nil || (now != before) != c.moves {
			t.Errorf("%s: it moves: %v, %v", c.sql, now != before, err)
		}
		before = now
	}
}
