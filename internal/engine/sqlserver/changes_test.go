package sqlserver

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
)

// planned are the statements from one text to another, with the risks of their steps.
func planned(t *testing.T, from, to string, opt engine.WriteOptions) (statements, risks []string, p *order.Plan) {
	t.Helper()
	target, err := textOf(t, from)
	if err != nil {
		t.Fatal(err)
	}
	source, err := textOf(t, to)
	if err != nil {
		t.Fatal(err)
	}
	p, err = order.Build(choose.All(compare.Compare(source, target, compare.Options{})), Engine{}.Writer(opt), func(order.Risk) bool { return true })
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range p.Steps {
		for _, sql := range s.SQL {
			if !strings.HasSuffix(sql, "\nGO") {
				t.Errorf("a statement without its end: %s", sql)
			}
			statements = append(statements, strings.Join(strings.Fields(strings.TrimSuffix(sql, "\nGO")), " "))
		}
		for _, r := range s.Risks {
			risks = append(risks, string(r.Kind))
		}
	}
	return statements, risks, p
}

// TestStatementsOfChanges: the fewest and gentlest statements that carry a change out.
func TestStatementsOfChanges(t *testing.T) {
	const head = "CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT PK_b PRIMARY KEY, "
	for _, c := range []struct {
		name, from, to string
		want           []string
		risks          string
	}{
		{
			"a column more",
			head + "a int)",
			head + "a int, b int NOT NULL CONSTRAINT DF_b DEFAULT 1)",
			[]string{"ALTER TABLE [dbo].[berth] ADD [b] int NOT NULL CONSTRAINT [DF_b] DEFAULT ((1));"},
			"",
		},
		{
			"a column that rows have no value for",
			head + "a int)",
			head + "a int, b int NOT NULL)",
			[]string{"ALTER TABLE [dbo].[berth] ADD [b] int NOT NULL;"},
			"may-fail",
		},
		{"a column less", head + "a int, b int)", head + "a int)", []string{"ALTER TABLE [dbo].[berth] DROP COLUMN [b];"}, "loss"},
		{"a wider column", head + "a varchar(5))", head + "a varchar(9))", []string{"ALTER TABLE [dbo].[berth] ALTER COLUMN [a] varchar(9) NULL;"}, ""},
		{
			"a narrower one",
			head + "a varchar(9))",
			head + "a varchar(5))",
			[]string{"ALTER TABLE [dbo].[berth] ALTER COLUMN [a] varchar(5) NULL;"},
			"loss may-fail",
		},
		{"a larger number", head + "a int)", head + "a bigint)", []string{"ALTER TABLE [dbo].[berth] ALTER COLUMN [a] bigint NULL;"}, ""},
		{"NOT NULL", head + "a int)", head + "a int NOT NULL)", []string{"ALTER TABLE [dbo].[berth] ALTER COLUMN [a] int NOT NULL;"}, "may-fail"},
		{"NULL again", head + "a int NOT NULL)", head + "a int)", []string{"ALTER TABLE [dbo].[berth] ALTER COLUMN [a] int NULL;"}, ""},
		{
			"a named default changes",
			head + "a int CONSTRAINT d DEFAULT 1)",
			head + "a int CONSTRAINT d DEFAULT 2)",
			[]string{"ALTER TABLE [dbo].[berth] DROP CONSTRAINT [d];", "ALTER TABLE [dbo].[berth] ADD CONSTRAINT [d] DEFAULT ((2)) FOR [a];"},
			"",
		},
		{"a named default goes", head + "a int CONSTRAINT d DEFAULT 1)", head + "a int)", []string{"ALTER TABLE [dbo].[berth] DROP CONSTRAINT [d];"}, ""},
		{
			"a default gets another name",
			head + "a int CONSTRAINT d DEFAULT 1)",
			head + "a int CONSTRAINT e DEFAULT 1)",
			[]string{"EXEC sp_rename N'[dbo].[d]', N'e';"},
			"",
		},
		{
			"a check gets another name",
			head + "a int CONSTRAINT c CHECK (a > 0))",
			head + "a int CONSTRAINT e CHECK (a > 0))",
			[]string{"EXEC sp_rename N'[dbo].[c]', N'e';"},
			"",
		},
		{
			"an index gets another name",
			head + "a int); CREATE INDEX i ON dbo.berth (a)",
			head + "a int); CREATE INDEX j ON dbo.berth (a)",
			[]string{"EXEC sp_rename N'[dbo].[berth].[i]', N'j', N'INDEX';"},
			"",
		},
		{
			"a key gets another name",
			"CREATE TABLE dbo.a (id int NOT NULL CONSTRAINT k PRIMARY KEY)",
			"CREATE TABLE dbo.a (id int NOT NULL CONSTRAINT l PRIMARY KEY)",
			[]string{"EXEC sp_rename N'[dbo].[k]', N'l';"},
			"",
		},
		{"letters of a name", head + "Zone int)", head + "zone int)", []string{"EXEC sp_rename N'[dbo].[berth].[Zone]', N'zone', N'COLUMN';"}, ""},
		{
			"persisted",
			head + "a int, b AS (a * 2))",
			head + "a int, b AS (a * 2) PERSISTED)",
			[]string{"ALTER TABLE [dbo].[berth] ALTER COLUMN [b] ADD PERSISTED;"},
			"",
		},
		{
			"a mask comes and goes",
			head + "a nvarchar(9), b nvarchar(9) MASKED WITH (FUNCTION = 'default()'))",
			head + "a nvarchar(9) MASKED WITH (FUNCTION = 'email()'), b nvarchar(9))",
			[]string{"ALTER TABLE [dbo].[berth] ALTER COLUMN [a] ADD MASKED WITH (FUNCTION = 'email()');", "ALTER TABLE [dbo].[berth] ALTER COLUMN [b] DROP MASKED;"},
			"",
		},
		{
			"lock escalation",
			head + "a int)",
			head + "a int); ALTER TABLE dbo.berth SET (LOCK_ESCALATION = AUTO)",
			[]string{"ALTER TABLE [dbo].[berth] SET (LOCK_ESCALATION = AUTO);"},
			"",
		},
		{
			"compression of an index",
			head + "a int); CREATE INDEX i ON dbo.berth (a)",
			head + "a int); CREATE INDEX i ON dbo.berth (a) WITH (DATA_COMPRESSION = PAGE)",
			[]string{"ALTER INDEX [i] ON [dbo].[berth] REBUILD WITH (DATA_COMPRESSION = PAGE);"},
			"rewrite",
		},
		{
			"an index is switched off",
			head + "a int); CREATE INDEX i ON dbo.berth (a)",
			head + "a int); CREATE INDEX i ON dbo.berth (a); ALTER INDEX i ON dbo.berth DISABLE",
			[]string{"ALTER INDEX [i] ON [dbo].[berth] DISABLE;"},
			"",
		},
		{
			"and on",
			head + "a int); CREATE INDEX i ON dbo.berth (a); ALTER INDEX i ON dbo.berth DISABLE",
			head + "a int); CREATE INDEX i ON dbo.berth (a)",
			[]string{"ALTER INDEX [i] ON [dbo].[berth] REBUILD;"},
			"",
		},
		{
			"a check is switched off",
			head + "a int CONSTRAINT c CHECK (a > 0))",
			head + "a int CONSTRAINT c CHECK (a > 0)); ALTER TABLE dbo.berth NOCHECK CONSTRAINT c",
			[]string{"ALTER TABLE [dbo].[berth] NOCHECK CONSTRAINT [c];"},
			"",
		},
		{
			"and on, with a look at the rows",
			head + "a int CONSTRAINT c CHECK (a > 0)); ALTER TABLE dbo.berth NOCHECK CONSTRAINT c",
			head + "a int CONSTRAINT c CHECK (a > 0))",
			[]string{"ALTER TABLE [dbo].[berth] WITH CHECK CHECK CONSTRAINT [c];"},
			"may-fail",
		},
		{
			"a unique key",
			head + "a int)",
			head + "a int CONSTRAINT u UNIQUE)",
			[]string{"ALTER TABLE [dbo].[berth] ADD CONSTRAINT [u] UNIQUE NONCLUSTERED ([a]);"},
			"may-fail",
		},
		{
			"a filtered index",
			head + "a int)",
			head + "a int); CREATE UNIQUE INDEX i ON dbo.berth (a DESC) INCLUDE (id) WHERE a > 3 WITH (FILLFACTOR = 80)",
			[]string{"CREATE UNIQUE INDEX [i] ON [dbo].[berth] ([a] DESC) INCLUDE ([id]) WHERE [a]>(3) WITH (FILLFACTOR = 80);"},
			"may-fail",
		},
		{
			"a columnstore index",
			head + "a int)",
			head + "a int); CREATE COLUMNSTORE INDEX i ON dbo.berth (a, id)",
			[]string{"CREATE NONCLUSTERED COLUMNSTORE INDEX [i] ON [dbo].[berth] ([a], [id]);"},
			"",
		},
		{
			"a description",
			head + "a int)",
			head + "a int); EXEC sp_addextendedproperty 'MS_Description', 'it''s', 'SCHEMA', 'dbo', 'TABLE', 'berth', 'COLUMN', 'a'",
			[]string{"EXEC sp_addextendedproperty N'MS_Description', N'it''s', N'SCHEMA', N'dbo', N'TABLE', N'berth', N'COLUMN', N'a';"},
			"",
		},
		{
			"a description less",
			head + "a int); EXEC sp_addextendedproperty 'x', 'y', 'SCHEMA', 'dbo', 'TABLE', 'berth'",
			head + "a int)",
			[]string{"EXEC sp_dropextendedproperty N'x', N'SCHEMA', N'dbo', N'TABLE', N'berth';"},
			"",
		},
		{
			"a view is replaced",
			"CREATE VIEW dbo.v AS SELECT 1 AS a",
			"CREATE VIEW dbo.v AS SELECT 2 AS a",
			[]string{"CREATE OR ALTER VIEW [dbo].[v] AS SELECT 2 AS a"},
			"",
		},
		{
			"a sequence",
			"CREATE SEQUENCE dbo.s AS int",
			"CREATE SEQUENCE dbo.s AS int INCREMENT BY 5 MAXVALUE 100",
			[]string{"ALTER SEQUENCE [dbo].[s] INCREMENT BY 5 MAXVALUE 100;"},
			"",
		},
		{
			"a synonym is made anew",
			"CREATE SYNONYM dbo.q FOR dbo.a",
			"CREATE SYNONYM dbo.q FOR dbo.b",
			[]string{"DROP SYNONYM [dbo].[q];", "CREATE SYNONYM [dbo].[q] FOR [dbo].[b];"},
			"",
		},
		{"a table goes", head + "a int)", "", []string{"DROP TABLE [dbo].[berth];"}, "loss"},
		{
			"nothing",
			head + "a int DEFAULT 1)",
			"create table Berth (ID integer not null constraint pk_b primary key clustered, A int null default ((1)))",
			[]string{"EXEC sp_rename N'[dbo].[berth].[id]', N'ID', N'COLUMN';"},
			"skip",
		},
	} {
		got, risks, p := planned(t, c.from, c.to, engine.WriteOptions{})
		if c.risks == "skip" { // letters of names are what is left
			for _, sql := range got {
				if !strings.HasPrefix(sql, "EXEC sp_rename") {
					t.Errorf("%s: %s", c.name, sql)
				}
			}
			continue
		}
		if !slices.Equal(got, c.want) || strings.Join(risks, " ") != c.risks {
			t.Errorf("%s:\n got %s\nwant %s\nrisks %v, want %s", c.name, strings.Join(got, "\n     "), strings.Join(c.want, "\n     "), risks, c.risks)
		}
		if len(p.Steps) != 1 && len(c.want) == 1 {
			t.Errorf("%s takes %d steps", c.name, len(p.Steps))
		}
	}
}

// TestLooksUpNames: what the server named is dropped by what it says, on a database where
// it has another name.
func TestLooksUpNames(t *testing.T) {
	const from = `CREATE TABLE dbo.p (id int NOT NULL PRIMARY KEY, k int NOT NULL);
CREATE UNIQUE INDEX ux ON dbo.p (k);
CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY, n int UNIQUE, m int, u int DEFAULT 1 CHECK (u > 0), [o'd]]d] int REFERENCES dbo.p (id), q int REFERENCES dbo.p (k), UNIQUE (n, m), UNIQUE (m, n))`
	const to = "CREATE TABLE dbo.p (id int NOT NULL PRIMARY KEY, k int NOT NULL);\nCREATE UNIQUE INDEX ux ON dbo.p (k);\nCREATE TABLE dbo.a (id int NOT NULL, n int, m int, u int, [o'd]]d] int, q int REFERENCES dbo.p (k), UNIQUE (m, n))"
	statements, _, p := planned(t, from, to, engine.WriteOptions{})
	for _, noise := range []string{"", "CREATE TABLE dbo.x (a int DEFAULT 1 CHECK (a > 3) UNIQUE)\nGO\n"} {
		d, _ := empty(t)
		if noise != "" {
			if err := d.Exec(t.Context(), strings.TrimSuffix(noise, "\nGO\n")); err != nil {
				t.Fatal(err)
			}
		}
		if err := d.Exec(t.Context(), from); err != nil {
			t.Fatal(err)
		}
		for _, s := range p.Steps {
			for _, sql := range s.SQL {
				if err := d.Exec(t.Context(), strings.TrimSuffix(sql, "\nGO")); err != nil {
					t.Fatalf("%v\n%s\n%s", err, sql, strings.Join(statements, "\n"))
				}
			}
		}
		c, err := d.Read(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		var left []string
		for _, part := range c.Find(catalog.Ref{Kind: catalog.Table, Schema: "dbo", Name: "a"}).Parts {
			if part.Kind != catalog.Column {
				left = append(left, fmt.Sprint(part.Kind, part.List("columns")))
			}
		}
		if want := "unique[m n] foreign-key[q]"; strings.Join(left, " ") != want {
			t.Errorf("left are %s, want %s", strings.Join(left, " "), want)
		}
	}
}

// TestOnline: indexes are built online where that is asked for and the edition knows it.
func TestOnline(t *testing.T) {
	const from, to = "CREATE TABLE dbo.a (id int NOT NULL)", "CREATE TABLE dbo.a (id int NOT NULL); CREATE INDEX i ON dbo.a (id); CREATE COLUMNSTORE INDEX c ON dbo.a (id)"
	for _, ask := range []bool{false, true} {
		got, _, _ := planned(t, from, to, engine.WriteOptions{AvoidBlocking: ask})
		online := 0
		for _, sql := range got {
			if strings.Contains(sql, "ONLINE = ON") {
				online++
			}
		}
		if want := map[bool]int{true: 1}[ask]; online != want {
			t.Errorf("asked %v: %d online: %s", ask, online, strings.Join(got, "\n"))
		}
	}
}

// TestDefinitions: what is laid out for people makes the same again.
func TestDefinitions(t *testing.T) {
	text, err := os.ReadFile(filepath.Join("..", "..", "..", "facts", "sqlserver", "port.sql"))
	if err != nil {
		t.Fatal(err)
	}
	c, err := textOf(t, string(text))
	if err != nil {
		t.Fatal(err)
	}
	var all []string
	for _, o := range c.Objects {
		all = append(all, Engine{}.Definition(o))
	}
	again, err := textOf(t, strings.Join(all, "\nGO\n"))
	if err != nil {
		t.Fatalf("%v\n%s", err, strings.Join(all, "\nGO\n"))
	}
	if cmp := compare.Compare(again, c, compare.Options{}); len(cmp.Items) != cmp.Counts().Same {
		t.Errorf("the definitions make something else: %+v", cmp.Counts())
	}
}
