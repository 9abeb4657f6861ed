package text

import (
	"fmt"
	"strings"
	"testing"

	"dappermirror/internal/engine"
	"dappermirror/internal/engine/texts"
	"dappermirror/internal/fuzzing"
)

// said is what a statement is said to make or change: kind, name and part.
func said(m *texts.Made) string {
	if m == nil {
		return ""
	}
	s := strings.TrimPrefix(m.Schema+"."+m.Name, ".")
	if len(m.Kinds) == 1 {
		s = string(m.Kinds[0]) + " " + s
	}
	if m.Part != "" {
		s += fmt.Sprint(" ", m.PartKinds[0], " ", m.Part)
	}
	return s
}

func cut(text string) ([]Unit, error) {
	return Cut(engine.TextFile{Name: "a.sql", Reader: strings.NewReader(text)})
}

// TestAbout: what each statement makes (+) or changes (~), sets, or leaves as it is.
func TestAbout(t *testing.T) {
	for sql, want := range map[string]string{
		"CREATE TABLE berth (id int)":                                                    "+table dbo.berth",
		"CREATE TABLE [yard].[a]]b] (id int)":                                            "+table yard.a]b",
		"CREATE TABLE quay.yard.crane (id int)":                                          "+table yard.crane",
		"CREATE TYPE yard.ids AS TABLE (id int)":                                         "+table-type yard.ids",
		"CREATE TYPE mark FROM nvarchar(9)":                                              "+alias-type dbo.mark",
		"ALTER TABLE yard.crane ADD tons int":                                            "~table yard.crane",
		"ALTER TABLE yard.crane ADD CONSTRAINT ck CHECK (tons > 0)":                      "+table yard.crane check ck",
		"ALTER TABLE yard.crane ADD CONSTRAINT pk PRIMARY KEY (id)":                      "+table yard.crane primary-key pk",
		"ALTER TABLE yard.crane ADD CONSTRAINT df DEFAULT 1 FOR tons":                    "~table yard.crane",
		"ALTER TABLE yard.crane ADD CHECK (tons > 0)":                                    "~table yard.crane",
		"ALTER TABLE yard.crane NOCHECK CONSTRAINT ck":                                   "~table yard.crane check ck",
		"ALTER TABLE yard.crane DISABLE TRIGGER tr":                                      "~table yard.crane trigger tr",
		"CREATE UNIQUE INDEX ix ON berth (id) WHERE id > 0":                              "+dbo.berth index ix",
		"CREATE PRIMARY XML INDEX x ON berth (doc)":                                      "+dbo.berth index x",
		"ALTER INDEX ix ON berth REBUILD":                                                "~dbo.berth index ix",
		"ALTER INDEX ALL ON berth REBUILD":                                               "~dbo.berth",
		"CREATE STATISTICS st ON berth (id)":                                             "+dbo.berth statistic st",
		"DROP STATISTICS yard.crane.st":                                                  "~yard.crane statistic st",
		"UPDATE STATISTICS berth":                                                        "rows",
		"CREATE FULLTEXT CATALOG words":                                                  "+fulltext-catalog words",
		"CREATE FULLTEXT INDEX ON berth (name) KEY INDEX pk":                             "+dbo.berth fulltext-index full text",
		"ALTER FULLTEXT INDEX ON berth DISABLE":                                          "~dbo.berth fulltext-index full text",
		"CREATE VIEW yard.v AS SELECT 1 AS a":                                            "+view yard.v",
		"CREATE OR ALTER PROC p AS SELECT 1":                                             "+routine dbo.p",
		"ALTER FUNCTION f () RETURNS int AS BEGIN RETURN 1 END":                          "~routine dbo.f",
		"CREATE TRIGGER yard.tr ON yard.crane AFTER INSERT AS RETURN":                    "+yard.crane trigger tr",
		"CREATE TRIGGER tr ON DATABASE AFTER CREATE_TABLE AS RETURN":                     "+database-trigger tr",
		"DISABLE TRIGGER tr ON DATABASE":                                                 "~database-trigger tr",
		"DISABLE TRIGGER ALL ON DATABASE":                                                "",
		"ENABLE TRIGGER yard.tr ON yard.crane":                                           "~yard.crane trigger tr",
		"DROP TABLE IF EXISTS yard.crane":                                                "~table yard.crane",
		"DROP INDEX ix ON berth":                                                         "~dbo.berth index ix",
		"DROP TRIGGER yard.tr":                                                           "~yard. trigger tr",
		"DROP TRIGGER tr ON DATABASE":                                                    "~database-trigger tr",
		"DROP SCHEMA yard":                                                               "~schema yard",
		"DROP PARTITION SCHEME years":                                                    "~partition-scheme years",
		"CREATE SEQUENCE s":                                                              "+sequence dbo.s",
		"ALTER SEQUENCE s RESTART WITH 3":                                                "~sequence dbo.s",
		"CREATE SYNONYM yard.c FOR far.other.dbo.crane":                                  "+synonym yard.c",
		"CREATE SCHEMA yard":                                                             "+schema yard",
		"ALTER SCHEMA yard TRANSFER dbo.crane":                                           "~yard.crane",
		"CREATE ROLE clerk":                                                              "+role clerk",
		"ALTER ROLE clerk ADD MEMBER web":                                                "~role clerk",
		"CREATE USER web WITHOUT LOGIN":                                                  "",
		"GRANT SELECT ON yard.crane TO web":                                              "~yard.crane",
		"DENY SELECT ON SCHEMA::yard TO web":                                             "~schema yard",
		"GRANT VIEW DEFINITION TO web":                                                   "~grant web",
		"ALTER AUTHORIZATION ON yard.crane TO web":                                       "~yard.crane",
		"CREATE PARTITION FUNCTION years (int) AS RANGE LEFT FOR VALUES (1)":             "+partition-function years",
		"ALTER PARTITION FUNCTION years () SPLIT RANGE (3)":                              "~partition-function years",
		"ALTER PARTITION SCHEME lies NEXT USED [PRIMARY]":                                "~partition-scheme lies",
		"CREATE SECURITY POLICY yard.own ADD FILTER PREDICATE dbo.mine(id) ON dbo.berth": "+security-policy yard.own",
		"EXEC sp_addextendedproperty N'MS_Description', N'x'":                            "",
		"EXEC sp_addextendedproperty N'MS_Description', N'x', N'SCHEMA', N'yard'":        "~schema yard",
		"EXEC sys.sp_addextendedproperty @level2name = N'id', @level2type = N'COLUMN', @name = N'd', @value = N'x', @level0type = N'SCHEMA', @level0name = N'dbo', @level1type = N'TABLE', @level1name = N'berth'": "~table dbo.berth column id",
		"EXEC sp_dropextendedproperty N'd', N'SCHEMA', N'dbo', N'VIEW', N'v'":   "~view dbo.v",
		"EXEC sp_rename 'yard.crane', 'hoist'":                                  "~yard.hoist",
		"EXEC sp_rename 'yard.crane.tons', 'load', 'COLUMN'":                    "~table yard.crane column load",
		"EXEC sp_rename N'berth.ix', N'iy', N'INDEX'":                           "~dbo.berth index iy",
		"EXEC sp_settriggerorder N'yard.tr', N'First', N'INSERT'":               "~yard. trigger tr",
		"EXEC sp_settriggerorder N'tr', N'First', N'CREATE_TABLE', N'DATABASE'": "~database-trigger tr",
		"EXEC sp_addrolemember 'clerk', 'web'":                                  "~role clerk",
		"EXEC (N'CREATE VIEW yard.v AS SELECT 1 AS a')":                         "+view yard.v",
		"EXEC sp_executesql N'CREATE TABLE yard.crane (id int)'":                "+table yard.crane",
		"EXEC sp_configure 'show advanced options', 1":                          "passed sp_configure",
		"EXEC dbo.fill": "",
		"IF OBJECT_ID('berth') IS NULL CREATE TABLE berth (id int)":                                   "+table dbo.berth",
		"IF OBJECT_ID('berth') IS NULL BEGIN CREATE TABLE berth (id int) END":                         "+table dbo.berth",
		"IF OBJECT_ID('berth') IS NULL BEGIN CREATE TABLE berth (id int); CREATE TABLE b (i int) END": "",
		"SET QUOTED_IDENTIFIER OFF":    "sets",
		"SET IDENTITY_INSERT berth ON": "rows",
		"INSERT berth VALUES (1)":      "rows",
		"MERGE berth AS b USING other AS o ON o.id = b.id WHEN MATCHED THEN DELETE;": "rows",
		"DBCC CHECKIDENT (berth, RESEED, 3)":                                         "rows",
		"PRINT 'x'":                                                                  "rows",
		"CREATE LOGIN web WITH PASSWORD = 'x'":                                       "passed LOGIN",
		"CHECKPOINT":                                                                 "passed CHECKPOINT",
	} {
		list, err := cut(sql)
		if err != nil || len(list) != 1 {
			t.Errorf("%s: %d units, %v", sql, len(list), err)
			continue
		}
		u, got := list[0], ""
		switch {
		case u.Why != "":
			got = "passed " + u.Why
		case u.Rows:
			got = "rows"
		case u.Action == texts.Set:
			got = "sets"
		case u.Makes != nil:
			got = "+" + said(u.Makes)
		case u.Alters != nil:
			got = "~" + said(u.Alters)
		}
		if got != want || u.Action.Runs() != (u.Why == "" && !u.Rows && u.Action != texts.Set) {
			t.Errorf("%s is about %q, want %q", sql, got, want)
		}
	}
}

// TestCut: where each unit stands, in which settings and for which database, and how often
// it runs.
func TestCut(t *testing.T) {
	list, err := cut("\ufeff-- harbour\r\nUSE quay\r\nCREATE TABLE a (id int); CREATE TABLE b (id int)\r\nGO\r\nSET ANSI_NULLS OFF\r\nGO\r\n/* é */ CREATE VIEW v AS\r\n SELECT 1 AS x -- é\r\nGO 3\r\nDECLARE @n int = 1;\r\nSET QUOTED_IDENTIFIER OFF\r\nGO\r\nCREATE TABLE c (id int)")
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, u := range list {
		first, _, _ := strings.Cut(u.Statement.SQL, "\r\n")
		got = append(got, fmt.Sprintf("%d:%d %s %s x%d %v", u.Origin.Line, u.Origin.Column, u.Database, first, u.Times, u.Settings))
	}
	const on, off = "SET ANSI_NULLS ON;", "SET ANSI_NULLS OFF;"
	want := []string{
		"2:1 quay USE quay x1 [" + on + " SET QUOTED_IDENTIFIER ON;]",
		"3:1 quay CREATE TABLE a (id int); x1 [" + on + " SET QUOTED_IDENTIFIER ON;]",
		"3:26 quay CREATE TABLE b (id int) x1 [" + on + " SET QUOTED_IDENTIFIER ON;]",
		"5:1 quay SET ANSI_NULLS OFF x1 [" + on + " SET QUOTED_IDENTIFIER ON;]",
		"7:9 quay CREATE VIEW v AS x3 [" + off + " SET QUOTED_IDENTIFIER ON;]",
		"10:1 quay DECLARE @n int = 1; x1 [" + off + " SET QUOTED_IDENTIFIER ON;]",
		"13:1 quay CREATE TABLE c (id int) x1 [" + off + " SET QUOTED_IDENTIFIER OFF;]",
	}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

// TestVariables: what the client puts in.
func TestVariables(t *testing.T) {
	list, err := cut(":on error exit\n:setvar Base \"Quay\"\n:SETVAR n  7\nUSE [$(base)];\nGO\nCREATE TABLE $(BASE).dbo.t$(n) (id int, note nvarchar(9) DEFAULT '$(other) $(5)')\nGO\nCREATE TABLE a (id int); CREATE TABLE b$(n) (id int)\nGO\nCREATE TABLE c (id int)")
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, u := range list {
		got = append(got, u.Database+": "+u.Statement.SQL+" "+said(u.Makes))
	}
	want := []string{"Quay: USE [Quay]; ", "Quay: CREATE TABLE Quay.dbo.t7 (id int, note nvarchar(9) DEFAULT '$(other) $(5)') table dbo.t7", "Quay: CREATE TABLE a (id int); CREATE TABLE b7 (id int) ", "Quay: CREATE TABLE c (id int) table dbo.c"}
	if strings.Join(got, "|") != strings.Join(want, "|") {
		t.Errorf("%q", got)
	}
	if _, err := cut(":r other.sql"); err == nil {
		t.Error("a command that reads a file is passed over")
	}
}

// FuzzCut: units stand one behind the other, and each is what stands there.
func FuzzCut(f *testing.F) {
	f.Add("CREATE TABLE a (id int);;CREATE TABLE b (id int)\nGO 2\nUSE x\r\nSET ANSI_NULLS OFF\nGO\nEXEC (N'CREATE VIEW v AS SELECT 1 AS a')")
	f.Add("\ufeffMERGE a USING b ON 1 = 1 WHEN MATCHED THEN DELETE;\nIF 1 = 1 BEGIN DROP TABLE a END\nDISABLE TRIGGER ALL ON DATABASE")
	f.Add("SELECT {fn LEN(a)}, JSON_OBJECT('a': b) FROM t PIVOT (MAX(a) FOR b IN (c)) AS p GROUP BY ROLLUP (a, (b)) FOR XML PATH")
	f.Fuzz(func(t *testing.T, text string) {
		defer fuzzing.Bound()()
		list, err := cut(text)
		if err != nil {
			return
		}
		at := int64(0)
		for _, u := range list {
			if u.Start < at || u.End < u.Start || u.End > int64(len(text)) {
				t.Fatalf("%q: a unit stands from %d to %d behind %d", text, u.Start, u.End, at)
			}
			at = u.End
			if here := strings.TrimSpace(text[u.Start:u.End]); !strings.Contains(here, "$(") && !strings.HasPrefix(strings.TrimSpace(u.Statement.SQL), here) && here != u.Statement.SQL {
				t.Fatalf("%q: %q is said to stand where %q does", text, u.Statement.SQL, here)
			}
			_, _ = said(u.Makes), said(u.Alters)
		}
		if _, err := Of(list, ""); err == nil && len(list) > 0 && list[0].Database != "" {
			if kept, err := Of(list, strings.ToUpper(list[0].Database)); err != nil || len(kept) == 0 {
				t.Fatalf("%q: %d units of %s: %v", text, len(kept), list[0].Database, err)
			}
		}
	})
}
