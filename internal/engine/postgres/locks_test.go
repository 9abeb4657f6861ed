package postgres

import (
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
)

// TestLocks: the strongest lock a step takes, and who waits.
func TestLocks(t *testing.T) {
	actual := &catalog.Catalog{}
	berth := &catalog.Object{Kind: catalog.Table, Schema: "h", Name: "berth"}
	actual.Add(berth)
	actual.Add(&catalog.Object{Kind: catalog.Table, Schema: "h", Name: "quay"})
	for sql, want := range map[string]string{
		"ALTER TABLE h.berth ADD COLUMN x int;":                                               "ACCESS EXCLUSIVE on h.berth: readers and writers wait",
		"ALTER TABLE h.berth VALIDATE CONSTRAINT c;":                                          "SHARE UPDATE EXCLUSIVE on h.berth: nobody waits but other changes of the table and VACUUM",
		"ALTER TABLE h.berth ADD CONSTRAINT f FOREIGN KEY (id) REFERENCES h.quay(id);":        "SHARE ROW EXCLUSIVE on h.berth: writers wait|SHARE ROW EXCLUSIVE on h.quay: writers wait",
		"CREATE INDEX i ON h.berth USING btree (id);":                                         "SHARE on h.berth: writers wait",
		"CREATE UNIQUE INDEX CONCURRENTLY i ON h.berth USING btree (id);":                     "SHARE UPDATE EXCLUSIVE on h.berth: nobody waits but other changes of the table and VACUUM",
		"CREATE INDEX i ON h.berth USING btree (id);\nCOMMENT ON INDEX h.i IS 'x';":           "SHARE on h.berth: writers wait",
		"UPDATE h.berth SET name = 'x';\nALTER TABLE h.berth ALTER COLUMN name SET NOT NULL;": "ACCESS EXCLUSIVE on h.berth: readers and writers wait",
		"CREATE TRIGGER t AFTER INSERT ON h.berth FOR EACH ROW EXECUTE FUNCTION h.f();":       "SHARE ROW EXCLUSIVE on h.berth: writers wait",
		"GRANT SELECT ON h.berth TO clerk;":                                                   "",
	} {
		s := &order.Step{Action: &order.Action{About: berth.Ref(), SQL: strings.Split(sql, "\n")}}
		var got []string
		for _, l := range (Engine{}).Locks(s, actual) {
			got = append(got, l.Words())
		}
		if g := strings.Join(got, "|"); g != want {
			t.Errorf("%s\n got %s\nwant %s", sql, g, want)
		}
	}
	if l := (Engine{}).Locks(&order.Step{Action: &order.Action{About: catalog.Ref{Kind: catalog.Table, Schema: "h", Name: "new"}, SQL: []string{"ALTER TABLE h.new ADD COLUMN x int;"}}}, actual); l != nil {
		t.Errorf("a table that is not there is locked: %v", l)
	}
}
