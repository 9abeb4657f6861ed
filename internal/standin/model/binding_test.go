package model

import "testing"

// TestBinding: what a query may name, with no row to be seen: which grouped queries, sorted
// ones and tables beside each other are refused, and which are not.
func TestBinding(t *testing.T) {
	x := alone(t)
	if n := x.runs(`CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth int, at datetime2(0), fee money, note nvarchar(50));
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(20), pier int);
EXEC(N'CREATE SCHEMA yard'); CREATE TABLE yard.call (id int);
EXEC(N'CREATE FUNCTION dbo.dues (@fee money) RETURNS money AS BEGIN RETURN @fee END')`); n != "" {
		t.Fatal(n)
	}
	for query, refused := range map[string]string{
		// grouped
		"SELECT berth, COUNT(*) FROM dbo.call GROUP BY berth":                                                                     "",
		"SELECT c.berth, COUNT(*) FROM dbo.call AS c GROUP BY berth":                                                              "",
		"SELECT berth, COUNT(*) FROM dbo.call AS c GROUP BY c.berth":                                                              "",
		"SELECT [Berth], MAX(fee) FROM dbo.call GROUP BY BERTH":                                                                   "",
		"SELECT dbo.call.berth FROM dbo.call GROUP BY call.berth":                                                                 "",
		"SELECT YEAR(at), MONTH(c.at), SUM(fee) FROM dbo.call AS c GROUP BY YEAR(c.at), MONTH(at)":                                "",
		"SELECT YEAR(at) * 100 + MONTH(at) AS m FROM dbo.call GROUP BY YEAR(at), MONTH(at)":                                       "",
		"SELECT DATEPART(month, at) FROM dbo.call GROUP BY DATEPART(mm, at)":                                                      "",
		"SELECT CASE WHEN fee > 0 THEN 1 ELSE 0 END AS paid, COUNT(*) FROM dbo.call GROUP BY CASE WHEN fee > 0 THEN 1 ELSE 0 END": "",
		"SELECT berth + 1, 'x', 3, GETDATE(), ISNULL(berth, MAX(id)) FROM dbo.call GROUP BY berth":                                "",
		"SELECT CASE WHEN COUNT(*) > 1 THEN MAX(note) ELSE N'' END FROM dbo.call":                                                 "",
		"SELECT dbo.dues(SUM(fee)) FROM dbo.call":                                                                                 "",
		"SELECT dbo.dues(fee) FROM dbo.call GROUP BY fee":                                                                         "",
		"SELECT COUNT(*) FROM dbo.call HAVING COUNT(*) > 1 AND MAX(id) > MIN(berth)":                                              "",
		"SELECT berth FROM dbo.call GROUP BY berth HAVING berth > 1 AND SUM(fee) > 0":                                             "",
		"SELECT berth, SUM(fee) AS s FROM dbo.call GROUP BY berth ORDER BY s, berth, COUNT(*), 1":                                 "",
		"SELECT berth AS b FROM dbo.call GROUP BY berth ORDER BY b":                                                               "",
		"SELECT berth, (SELECT name FROM dbo.berth AS b WHERE b.id = c.berth) FROM dbo.call AS c GROUP BY berth":                  "",
		"SELECT berth, (SELECT COUNT(*) FROM dbo.berth) + COUNT(*) FROM dbo.call GROUP BY berth":                                  "",
		"SELECT id, (SELECT MAX(fee) FROM dbo.call) AS most FROM dbo.berth":                                                       "",
		"SELECT id, fee - (SELECT AVG(fee) FROM dbo.call) FROM dbo.call":                                                          "",
		"SELECT b.name, x.n FROM dbo.berth AS b CROSS APPLY (SELECT COUNT(*) AS n FROM dbo.call AS c WHERE c.berth = b.id) AS x":  "",
		"SELECT berth, ROW_NUMBER() OVER (ORDER BY SUM(fee)) AS n FROM dbo.call GROUP BY berth":                                   "",
		"SELECT id, COUNT(*) OVER (PARTITION BY berth) AS n FROM dbo.call":                                                        "",
		"SELECT berth FROM dbo.call WHERE id IN (SELECT MAX(id) FROM dbo.call GROUP BY berth)":                                    "",
		"SELECT berth, fee FROM dbo.call GROUP BY berth":                                                                          "8120",
		"SELECT *, COUNT(*) FROM dbo.berth":                                                                                       "8120",
		"SELECT berth + id FROM dbo.call GROUP BY berth":                                                                          "8120",
		"SELECT YEAR(at), at FROM dbo.call GROUP BY YEAR(at)":                                                                     "8120",
		"SELECT SUM(fee) OVER (ORDER BY id) AS s FROM dbo.call GROUP BY berth":                                                    "8120",
		"SELECT berth FROM dbo.call GROUP BY berth HAVING fee > 1":                                                                "8121",
		"SELECT berth FROM dbo.call GROUP BY berth ORDER BY fee":                                                                  "8127",
		"SELECT berth FROM dbo.call GROUP BY nowhere":                                                                             "207",
		// sorted
		"SELECT DISTINCT berth FROM dbo.call ORDER BY berth":                              "",
		"SELECT DISTINCT c.berth AS b, fee FROM dbo.call AS c ORDER BY b DESC, c.fee, 1":  "",
		"SELECT DISTINCT YEAR(at) FROM dbo.call ORDER BY YEAR(at)":                        "",
		"SELECT DISTINCT berth FROM dbo.call ORDER BY fee":                                "145",
		"SELECT id FROM dbo.call UNION SELECT id FROM dbo.berth ORDER BY id":              "",
		"SELECT id AS n FROM dbo.call UNION ALL SELECT pier FROM dbo.berth ORDER BY n, 1": "",
		"SELECT id FROM dbo.call UNION SELECT id FROM dbo.berth ORDER BY pier":            "104",
		"SELECT id FROM dbo.call ORDER BY nowhere":                                        "207",
		"SELECT id FROM dbo.call ORDER BY fee, note":                                      "",
		// beside each other
		"SELECT c.id FROM dbo.call AS c, dbo.call AS d, dbo.call":                                                                       "",
		"SELECT 1 FROM dbo.call, yard.call":                                                                                             "",
		"SELECT 1 FROM dbo.call AS c JOIN (SELECT id FROM dbo.call) AS d ON d.id = c.id":                                                "",
		"SELECT 1 FROM dbo.call JOIN dbo.berth ON berth.id = call.berth WHERE EXISTS (SELECT 1 FROM dbo.call WHERE call.id = berth.id)": "",
		"SELECT 1 FROM call, dbo.call":                                                                                                  "1013",
		"SELECT 1 FROM dbo.call AS c JOIN dbo.berth AS C ON 1 = 1":                                                                      "1011",
		"SELECT a FROM (SELECT 1 AS a, 2 AS b) AS d":                                                                                    "",
		"SELECT 1 FROM (SELECT id, pier AS ID FROM dbo.berth) AS d":                                                                     "8156",
		"WITH c AS (SELECT id, id FROM dbo.call) SELECT 1 FROM c":                                                                       "8156",
		"WITH c (a, b) AS (SELECT id, id FROM dbo.call) SELECT a, b FROM c":                                                             "",
		"SELECT id FROM dbo.call WHERE nowhere = 1":                                                                                     "207",
		"SELECT x.id FROM dbo.call AS c":                                                                                                "4104",
		"UPDATE dbo.call SET fee = nowhere":                                                                                             "207",
		"UPDATE dbo.call SET fee = 1, note = DEFAULT, FEE = 2":                                                                          "264",
		"UPDATE dbo.call SET fee = CONVERT(money, CONVERT(uniqueidentifier, note))":                                                     "529",
		"UPDATE dbo.call SET fee = 1, note = DEFAULT WHERE berth IS NULL":                                                               "",
	} {
		if got := x.runs(query); got != refused {
			t.Errorf("%s: ended with %q, want %q", query, got, refused)
		}
	}
}
