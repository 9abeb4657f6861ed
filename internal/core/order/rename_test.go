package order

import (
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// TestOldNames: a question is asked in the names that things have before the steps run;
// one that could be about something else is not asked.
func TestOldNames(t *testing.T) {
	table := func(name string, columns ...string) *catalog.Object {
		o := &catalog.Object{Kind: catalog.Table, Schema: "dbo", Name: name}
		for _, c := range columns {
			o.Add(&catalog.Object{Kind: catalog.Column, Name: c})
		}
		return o
	}
	column := func(owner, name string) catalog.Ref {
		return catalog.Ref{Kind: catalog.Table, Schema: "dbo", Name: owner, PartKind: catalog.Column, Part: name}
	}
	whole := func(name string) catalog.Ref {
		return catalog.Ref{Kind: catalog.Table, Schema: "dbo", Name: name}
	}
	for _, c := range []struct {
		name   string
		tables []*catalog.Object // under their new names
		old    oldNames          // by the new ones
		in     string
		want   string
		unsure bool
	}{
		{"nothing has another name", []*catalog.Object{table("stay", "id")}, nil, "SELECT id FROM dbo.stay", "SELECT id FROM dbo.stay", false},
		{"a table", []*catalog.Object{table("vessel", "id")}, oldNames{whole("vessel"): whole("ship")}, "SELECT id FROM dbo.vessel WHERE id > 1", `SELECT id FROM dbo."ship" WHERE id > 1`, false},
		{"a table before a dot", []*catalog.Object{table("vessel", "id")}, oldNames{whole("vessel"): whole("ship")}, "SELECT vessel.id FROM dbo.vessel", `SELECT "ship".id FROM dbo."ship"`, false},
		{"a column", []*catalog.Object{table("stay", "vessel_id")}, oldNames{column("stay", "vessel_id"): column("stay", "ship")}, "SELECT count(*) FROM dbo.stay WHERE vessel_id IS NULL", `SELECT count(*) FROM dbo.stay WHERE "ship" IS NULL`, false},
		{"a column of another table", []*catalog.Object{table("stay", "vessel_id"), table("log", "vessel_id")}, oldNames{column("stay", "vessel_id"): column("stay", "ship")}, "SELECT vessel_id FROM dbo.log", "SELECT vessel_id FROM dbo.log", false},
		{"a column that two tables of the question have", []*catalog.Object{table("stay", "vessel_id"), table("log", "vessel_id")}, oldNames{column("stay", "vessel_id"): column("stay", "ship")},
			"SELECT 1 FROM dbo.stay s JOIN dbo.log l ON l.vessel_id = s.vessel_id", `SELECT 1 FROM dbo.stay s JOIN dbo.log l ON l."ship" = s."ship"`, true},
		{"what is quoted is no name", []*catalog.Object{table("vessel", "id")}, oldNames{whole("vessel"): whole("ship")}, "SELECT 'vessel' FROM dbo.vessel", `SELECT 'vessel' FROM dbo."ship"`, false},
		{"a table and a column of one new name", []*catalog.Object{table("ship", "id"), table("stay", "id", "ship")},
			oldNames{whole("ship"): whole("vessel"), column("stay", "ship"): column("stay", "vessel_id")},
			"SELECT ship FROM dbo.stay WHERE NOT EXISTS (SELECT 1 FROM dbo.ship WHERE ship.id = stay.ship)",
			`SELECT "vessel_id" FROM dbo.stay WHERE NOT EXISTS (SELECT 1 FROM dbo."vessel" WHERE "vessel".id = stay."vessel_id")`, false},
		{"and the table alone", []*catalog.Object{table("ship", "id"), table("stay", "id", "ship")},
			oldNames{whole("ship"): whole("vessel"), column("stay", "ship"): column("stay", "vessel_id")}, "SELECT id FROM ship", `SELECT id FROM "vessel"`, false},
		{"exchanged", []*catalog.Object{table("berth", "id"), table("quay", "id")}, oldNames{whole("berth"): whole("quay"), whole("quay"): whole("berth")}, "SELECT 1 FROM dbo.berth, dbo.quay", `SELECT 1 FROM dbo."quay", dbo."berth"`, false},
	} {
		cat := &catalog.Catalog{Spell: func(name string, _ bool) string { return `"` + name + `"` }}
		for _, o := range c.tables {
			cat.Add(o)
		}
		got, sure := c.old.text(cat, sqltext.Dialect{}, c.in)
		if got != c.want || sure == c.unsure {
			t.Errorf("%s: %s (sure: %v)\nwant %s", c.name, got, sure, c.want)
		}
	}
}
