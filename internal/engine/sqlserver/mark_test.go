package sqlserver

import (
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
)

// marks are the names in a thing's facts that are known for what they stand for.
func marks(c *catalog.Catalog, ref catalog.Ref) []string {
	var out []string
	at := c.Resolve(ref)
	if at == nil {
		return []string{ref.String() + " is not there"}
	}
	for i := range at.Properties {
		v := &at.Properties[i].Value
		for _, p := range v.Pieces {
			if p.Ref != nil && p.Text != "" {
				out = append(out, at.Properties[i].Name+" "+p.Text+" is "+strings.ReplaceAll(p.Ref.String(), `"`, ""))
			}
		}
		for _, item := range v.Marks {
			for _, p := range item {
				if p.Ref != nil {
					out = append(out, at.Properties[i].Name+" "+p.Text+" is "+strings.ReplaceAll(p.Ref.String(), `"`, ""))
				}
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// TestMark: names in texts are known for what they stand for, so that a rename reaches
// them; where that cannot be told, a name is left alone.
func TestMark(t *testing.T) {
	const port = `CREATE SCHEMA yard
GO
CREATE TABLE dbo.ship (id int NOT NULL CONSTRAINT PK PRIMARY KEY, name nvarchar(9), tons int CONSTRAINT CK CHECK (tons > 0), twice AS (tons * 2))
CREATE TABLE yard.stay (id int NOT NULL, ship int CONSTRAINT FK REFERENCES dbo.ship (id), days int)
CREATE INDEX IX ON dbo.ship (name DESC) INCLUDE (tons) WHERE tons > 3
GO
`
	table := func(schema, name string) catalog.Ref {
		return catalog.Ref{Kind: catalog.Table, Schema: schema, Name: name}
	}
	part := func(r catalog.Ref, kind catalog.Kind, name string) catalog.Ref {
		r.PartKind, r.Part = kind, name
		return r
	}
	view := catalog.Ref{Kind: catalog.View, Schema: "dbo", Name: "v"}
	for _, c := range []struct {
		name, text string
		of         catalog.Ref
		has        []string // among others
		hasNot     []string
	}{
		{"a check", "", part(table("dbo", "ship"), catalog.Check, "ck"), []string{"expression [tons] is column:dbo.ship.tons"}, nil},
		{"a computed column", "", part(table("dbo", "ship"), catalog.Column, "twice"), []string{"[tons] is column:dbo.ship.tons"}, nil},
		{"a key", "", part(table("dbo", "ship"), catalog.PrimaryKey, ""), []string{"columns id is column:dbo.ship.id"}, nil},
		{"an index", "", part(table("dbo", "ship"), catalog.Index, "ix"), []string{"columns name is column:dbo.ship.name", "include tons is column:dbo.ship.tons", "where [tons] is column:dbo.ship.tons"}, nil},
		{"a foreign key", "", part(table("yard", "stay"), catalog.ForeignKey, "fk"), []string{"columns ship is column:yard.stay.ship", "parent columns id is column:dbo.ship.id"}, nil},
		{"a view", "CREATE VIEW dbo.v AS SELECT s.name, t.days FROM dbo.ship AS s JOIN yard.stay t ON t.ship = s.id", view,
			[]string{"name is column:dbo.ship.name", "days is column:yard.stay.days", "stay is table:yard.stay", "yard is schema:yard", "ship is table:dbo.ship", "ship is column:yard.stay.ship"}, nil},
		{"a name that two have", "CREATE PROCEDURE dbo.p AS SELECT id FROM dbo.ship s, yard.stay t", catalog.Ref{Kind: catalog.Routine, Schema: "dbo", Name: "p"}, []string{"ship is table:dbo.ship"}, []string{"id is"}},
		{"an alias is no column", "CREATE VIEW dbo.v AS SELECT tons AS name FROM dbo.ship", view, []string{"tons is column:dbo.ship.tons"}, []string{"name is"}},
		{"what is quoted is no name", "CREATE VIEW dbo.v AS SELECT N'name' AS x, tons FROM dbo.ship", view, []string{"tons is column:dbo.ship.tons"}, []string{"name"}},
		{"brackets and other letters", "CREATE VIEW dbo.v AS SELECT [NAME] FROM DBO.[Ship]", view, []string{"[NAME] is column:dbo.ship.name", "[Ship] is table:dbo.ship"}, nil},
		{"a trigger, by the rows that came", "CREATE TRIGGER dbo.tr ON dbo.ship AFTER UPDATE AS INSERT INTO yard.stay (ship) SELECT i.tons FROM inserted AS i JOIN deleted d ON d.name = i.name WHERE UPDATE(tons)", part(table("dbo", "ship"), catalog.Trigger, "tr"),
			[]string{"tons is column:dbo.ship.tons", "name is column:dbo.ship.name", "ship is column:yard.stay.ship", "ship is table:dbo.ship", "stay is table:yard.stay"}, nil},
		{"a trigger, by the rows' own name", "CREATE TRIGGER dbo.tr ON dbo.ship AFTER DELETE AS SELECT deleted.name FROM deleted", part(table("dbo", "ship"), catalog.Trigger, "tr"), []string{"name is column:dbo.ship.name"}, nil},
		{"a procedure that changes", "CREATE PROCEDURE dbo.p AS UPDATE dbo.ship SET tons = 3 WHERE name = N'x'; DELETE FROM yard.stay WHERE days > 3", catalog.Ref{Kind: catalog.Routine, Schema: "dbo", Name: "p"},
			[]string{"tons is column:dbo.ship.tons", "name is column:dbo.ship.name", "days is column:yard.stay.days"}, nil},
		{"a function that another calls", "CREATE FUNCTION dbo.f (@a int) RETURNS int AS BEGIN RETURN @a END\nGO\nCREATE VIEW dbo.v AS SELECT dbo.f(tons) AS x FROM dbo.ship", view, []string{"f is routine:dbo.f", "tons is column:dbo.ship.tons"}, nil},
		{"a variable is no column", "CREATE PROCEDURE dbo.p @name nvarchar(9) AS SELECT @name AS x FROM dbo.ship", catalog.Ref{Kind: catalog.Routine, Schema: "dbo", Name: "p"}, []string{"ship is table:dbo.ship"}, []string{"@name is"}},
	} {
		cat, err := textOf(t, port+c.text)
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		before := len(cat.Objects)
		marked := Engine{}.Mark(cat)
		if len(marked.Objects) != before {
			t.Errorf("%s: marking leaves %d objects of %d", c.name, len(marked.Objects), before)
		}
		if d := differences(cat, marked); len(d) > 0 {
			t.Errorf("%s: marking changes what it says: %s", c.name, d)
		}
		if c.of.PartKind == catalog.PrimaryKey { // a table has one at most
			o := marked.Find(c.of.Object())
			c.of = o.PartRef(o.PartsOf(catalog.PrimaryKey)[0])
		}
		all := marks(marked, c.of)
		for _, want := range c.has {
			if !slices.ContainsFunc(all, func(s string) bool { return strings.Contains(s, want) }) {
				t.Errorf("%s: not known: %s\n%s", c.name, want, strings.Join(all, "\n"))
			}
		}
		for _, bad := range c.hasNot {
			if slices.ContainsFunc(all, func(s string) bool { return strings.Contains(s, " "+bad) }) {
				t.Errorf("%s: known, and should not be: %s\n%s", c.name, bad, strings.Join(all, "\n"))
			}
		}
	}
}
