package model

import (
	"database/sql"
	"strings"
	"testing"
)

// TestQueriesAnswer: what queries answer, or which error they end with. What is defined and not
// worked out is refused where rows are wanted.
func TestQueriesAnswer(t *testing.T) {
	x := alone(t)
	if n := x.runs(`CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, pier int NULL, depth decimal(5,1) NULL, name nvarchar(20) NULL);
INSERT INTO dbo.berth VALUES (1, NULL, 9.5, N'North'), (2, 1, 8, N'East'), (3, 1, NULL, NULL), (4, 2, 12, N'Old'), (5, 4, 3, N'New');
EXEC sp_addextendedproperty N'MS_Description', N'where ships lie', N'SCHEMA', N'dbo', N'TABLE', N'berth';
EXEC sp_addextendedproperty N'shown', N'no', N'SCHEMA', N'dbo', N'TABLE', N'berth', N'COLUMN', N'depth';
CREATE SYNONYM dbo.far FOR quay.dbo.berth;
EXEC(N'CREATE VIEW dbo.ranked AS SELECT id, ROW_NUMBER() OVER (PARTITION BY pier ORDER BY depth) AS nth FROM dbo.berth');
EXEC(N'CREATE FUNCTION dbo.twice (@n int = 21) RETURNS int AS BEGIN RETURN @n * 2 END');
EXEC(N'CREATE FUNCTION dbo.least (@n int = 4) RETURNS TABLE AS RETURN (SELECT id FROM dbo.berth WHERE id >= @n)');
EXEC(N'CREATE VIEW dbo.afar AS SELECT f.id, f.whatever FROM dbo.far AS f')`); n != "" {
		t.Fatal(n)
	}
	for _, c := range []struct{ query, want, refused string }{
		{"WITH up AS (SELECT id, 0 AS n FROM dbo.berth WHERE pier IS NULL UNION ALL SELECT b.id, up.n + 1 FROM dbo.berth AS b JOIN up ON up.id = b.pier) SELECT id, n FROM up ORDER BY id", "1,0;2,1;3,1;4,2;5,3", ""},
		{"WITH n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 5) SELECT SUM(i) AS s FROM n", "15", ""},
		{"WITH n (i) AS (SELECT 1 UNION ALL SELECT i FROM n) SELECT COUNT(*) AS c FROM n", "", "530"},
		{"WITH n (i) AS (SELECT 1 UNION ALL SELECT i, i FROM n) SELECT COUNT(*) AS c FROM n", "", "205"},
		{"SELECT id FROM dbo.berth WHERE depth > ALL (SELECT depth FROM dbo.berth WHERE pier = 1 AND depth IS NOT NULL) ORDER BY id", "1;4", ""},
		{"SELECT id FROM dbo.berth WHERE id > ALL (SELECT id FROM dbo.berth WHERE id > 9) ORDER BY id", "1;2;3;4;5", ""},
		{"SELECT id FROM dbo.berth WHERE depth > ALL (SELECT depth FROM dbo.berth WHERE pier = 1)", "", ""}, // NULL is among them
		{"SELECT id FROM dbo.berth WHERE id = ANY (SELECT pier FROM dbo.berth) ORDER BY id", "1;2;4", ""},
		{"SELECT id FROM dbo.berth WHERE id < SOME (SELECT 2 UNION SELECT 3) ORDER BY id", "1;2", ""},
		{"SELECT id FROM dbo.berth WHERE id = ANY (SELECT id, pier FROM dbo.berth)", "", "116"},
		{"SELECT id FROM dbo.berth WHERE pier IS DISTINCT FROM 1 ORDER BY id", "1;4;5", ""},
		{"SELECT id FROM dbo.berth WHERE depth IS NOT DISTINCT FROM NULL", "3", ""},
		{"SELECT TOP (50) PERCENT id FROM dbo.berth ORDER BY id", "1;2;3", ""},
		{"SELECT TOP 0 PERCENT id FROM dbo.berth", "", ""},
		{"SELECT TOP (SELECT 2) id FROM dbo.berth ORDER BY id DESC", "5;4", ""},
		{"SELECT name, value FROM sys.fn_listextendedproperty(NULL, N'SCHEMA', N'dbo', N'TABLE', N'berth', NULL, NULL)", "MS_Description,where ships lie", ""},
		{"SELECT objtype, objname, value FROM fn_listextendedproperty(N'shown', N'schema', N'dbo', N'table', N'berth', N'column', N'depth')", "COLUMN,depth,no", ""},
		{"SELECT value FROM sys.fn_listextendedproperty(default, N'SCHEMA', N'dbo', N'TABLE', N'nowhere', default, default)", "", ""},
		{"SELECT value FROM sys.fn_listextendedproperty(NULL, N'SCHEMA', N'dbo', N'TABLE', NULL, NULL, NULL)", "", "40000"},
		{"SELECT DATEDIFF(dd, '2026-11-01', '2026-11-27') AS d, DATEPART(year, '2026-11-01') AS y", "26,2026", ""},
		{"SELECT DATEADD(day, id, '2026-11-01') AS d FROM dbo.berth WHERE id = 2", "2026-11-03 00:00:00.000", ""},
		{"SELECT INDEXPROPERTY(OBJECT_ID('dbo.berth'), 'nowhere', 'IndexID') AS i, OBJECT_ID('tempdb..#x') AS o", "NULL,NULL", ""},
		{"SELECT dbo.twice(DEFAULT) AS a, dbo.twice(3) AS b", "42,6", ""},
		{"SELECT l.id FROM dbo.least(default) AS l ORDER BY l.id", "4;5", ""},
		{"SELECT nth FROM dbo.ranked", "", "40000"},
		{"SELECT id FROM dbo.afar", "", "40000"},
		{"SELECT id FROM dbo.far", "", "40000"},
		{"SELECT id FROM quay.dbo.berth", "", "40000"},
		{"SELECT JSON_VALUE(name, '$.a') AS j FROM dbo.berth", "", "40000"},
		{"SELECT id FROM dbo.berth FOR XML PATH('')", "", "40000"},
		{"SELECT pier, COUNT(*) AS c FROM dbo.berth GROUP BY ROLLUP (pier)", "", "40000"},
		{"SELECT id FROM dbo.berth WHERE CONTAINS(name, N'x')", "", "40000"},
		{"SELECT v.value FROM STRING_SPLIT(N'a,b', N',') AS v", "", "40000"},
		{"SELECT [1] FROM (SELECT id, pier FROM dbo.berth) AS s PIVOT (MAX(id) FOR pier IN ([1])) AS p", "", "40000"},
		{"SELECT STDEV(depth) AS s FROM dbo.berth", "", "40000"},
		{"MERGE dbo.berth AS b USING dbo.ranked AS r ON r.id = b.id WHEN MATCHED THEN DELETE", "", "10713"},
		{"MERGE dbo.berth AS b USING dbo.ranked AS r ON r.id = b.id WHEN MATCHED THEN DELETE;", "", "40000"},
		{"DELETE FROM dbo.berth OUTPUT deleted.id WHERE id = 1", "", "40000"},
		{"DECLARE @t TABLE (id int)", "", "40000"},
		{"EXEC ('SELECT 1') AT far", "", "40000"},
		{"CREATE VIEW dbo.v AS SELECT nowhere.value('.', 'int') AS v FROM dbo.berth", "", "4121"},
		{"CREATE VIEW dbo.v AS SELECT LAG(nowhere) OVER (ORDER BY id) AS v FROM dbo.berth", "", "207"},
		{"CREATE VIEW dbo.v AS SELECT SUM(id) OVER (ORDER BY nowhere) AS v FROM dbo.berth", "", "207"},
		{"CREATE VIEW dbo.v AS SELECT JSON_VALUE(nowhere, '$.a') AS v FROM dbo.berth", "", "207"},
		{"CREATE VIEW dbo.v AS SELECT id FROM dbo.berth GROUP BY ROLLUP (nowhere)", "", "207"},
		{"CREATE VIEW dbo.v AS SELECT o.nowhere FROM dbo.berth AS b CROSS APPLY OPENJSON(b.name) AS o", "", "4104"},
		{"CREATE VIEW dbo.v AS SELECT p.pier FROM (SELECT id, pier FROM dbo.berth) AS s PIVOT (MAX(id) FOR pier IN ([1])) AS p", "", "4104"},
		{"CREATE VIEW dbo.v AS SELECT NOSUCH(id) AS v FROM dbo.berth", "", "195"},
		{"CREATE VIEW dbo.v AS SELECT k.RANK FROM CONTAINSTABLE(dbo.nowhere, name, N'x') AS k", "", "208"},
	} {
		if n := x.runs(c.query); n != c.refused {
			t.Errorf("%s: ended with %q, want %q", c.query, n, c.refused)
			continue
		}
		if c.refused == "" && strings.HasPrefix(c.query, "SELECT ") {
			if got := x.value(strings.TrimPrefix(c.query, "SELECT ")); got != c.want {
				t.Errorf("%s: %s, want %s", c.query, got, c.want)
			}
		}
	}
	if got := x.value("COUNT(*) FROM dbo.berth"); got != "5" {
		t.Errorf("%s rows are left", got)
	}
}

// TestRecursionAgainstAnotherEngine: a table that is read by way of itself answers what
// another engine does.
func TestRecursionAgainstAnotherEngine(t *testing.T) {
	other, err := sql.Open("sqlite", ":memory:")
	if err != nil {
		t.Fatal(err)
	}
	defer other.Close()
	other.SetMaxOpenConns(1)
	const tables = "CREATE TABLE pier (id int, up int); INSERT INTO pier VALUES (1, NULL), (2, 1), (3, 1), (4, 2), (5, 4), (6, 9), (7, NULL), (8, 7)"
	x := alone(t)
	if _, err := other.Exec(tables); err != nil || x.runs(tables) != "" {
		t.Fatal(err)
	}
	for _, c := range []struct{ with, rest string }{
		{"c (id, n) AS (SELECT id, 0 FROM pier WHERE up IS NULL UNION ALL SELECT p.id, c.n + 1 FROM pier AS p JOIN c ON c.id = p.up)", "id, n FROM c ORDER BY id"},
		{"c (id, up) AS (SELECT id, up FROM pier WHERE id = 5 UNION ALL SELECT p.id, p.up FROM c JOIN pier AS p ON p.id = c.up)", "COUNT(*) AS n, MIN(id) AS m FROM c"},
		{"a AS (SELECT id FROM pier WHERE id < 4), c (i) AS (SELECT id FROM a UNION ALL SELECT i + 3 FROM c WHERE i < 20)", "i FROM c ORDER BY i"},
		{"c (i, j) AS (SELECT 1, 1 UNION ALL SELECT j, i + j FROM c WHERE j < 90)", "i, j FROM c ORDER BY j, i"},
	} {
		there, err := rowsOf(other, "WITH RECURSIVE "+c.with+" SELECT "+c.rest)
		if err != nil {
			t.Fatal(err)
		}
		if n := x.runs("IF OBJECT_ID('v') IS NOT NULL DROP VIEW v"); n != "" {
			t.Fatal(n)
		}
		columns, order, _ := strings.Cut(c.rest, " ORDER BY ")
		if n := x.runs("CREATE VIEW v AS WITH " + c.with + " SELECT " + columns); n != "" {
			t.Errorf("%s: %s", c.with, n)
			continue
		}
		ask := "* FROM v"
		if order != "" {
			ask += " ORDER BY " + order
		}
		if here := x.value(ask); here != there {
			t.Errorf("%s: %s here, %s there", c.with, here, there)
		}
	}
}
