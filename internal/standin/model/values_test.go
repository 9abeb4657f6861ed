package model

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"dappermirror/internal/standin/tds"
	"dappermirror/internal/standin/tsql"
)

// alone is a session on an empty database, without a wire.
func alone(t *testing.T) *session {
	t.Helper()
	s := New("port")
	x, refused := s.Open(tds.Login{User: "sa", Database: "port"})
	if refused != nil {
		t.Fatal(refused)
	}
	return x.(*session)
}

// runs runs a text, and answers the numbers of the errors that come of it.
func (x *session) runs(text string) string {
	x.s.mu.Lock()
	defer x.s.mu.Unlock()
	x.ctx, x.out, x.vars = context.Background(), &tds.Out{}, map[string]*variable{}
	failed := x.tried(func() { x.run(text) })
	if failed == nil {
		return ""
	}
	var out []string
	for _, e := range failed.all(1) {
		out = append(out, fmt.Sprint(e.Number))
	}
	return strings.Join(out, " ")
}

// value is what a query answers: columns by commas, rows by semicolons; or the numbers
// of the errors.
func (x *session) value(query string) (out string) {
	x.s.mu.Lock()
	defer x.s.mu.Unlock()
	x.ctx, x.out, x.vars = context.Background(), &tds.Out{}, map[string]*variable{}
	failed := x.tried(func() {
		list, err := tsqlBatch("SELECT " + query)
		if err != nil {
			panic(syntax(err))
		}
		r := x.query(list, nil)
		var rows []string
		for _, row := range r.rows {
			var cells []string
			for _, v := range row {
				switch v := v.(type) {
				case nil:
					cells = append(cells, "NULL")
				case []byte:
					cells = append(cells, hexText(v))
				default:
					cells = append(cells, text(v))
				}
			}
			rows = append(rows, strings.Join(cells, ","))
		}
		out = strings.Join(rows, ";")
	})
	if failed != nil {
		return fmt.Sprint("error ", failed.last.Number)
	}
	return out
}

// TestConversions: what values become, and which the types have no room for.
func TestConversions(t *testing.T) {
	x := alone(t)
	for _, c := range [][2]string{
		{"CAST(255 AS tinyint)", "255"},
		{"CAST(256 AS tinyint)", "error 8115"},
		{"CAST(-1 AS tinyint)", "error 8115"},
		{"CAST(32767 AS smallint)", "32767"},
		{"CAST(32768 AS smallint)", "error 8115"},
		{"CAST(2147483648 AS int)", "error 8115"},
		{"CAST('2147483648' AS int)", "error 248"},
		{"CAST(' 12 ' AS int)", "12"},
		{"CAST('' AS int)", "0"},
		{"CAST('1.5' AS int)", "error 245"},
		{"CAST(1.5 AS int)", "1"},
		{"CAST(-1.5 AS int)", "-1"},
		{"CAST(5 AS bit)", "1"},
		{"CAST('true' AS bit)", "1"},
		{"CAST('yes' AS bit)", "error 245"},
		{"CAST(9223372036854775807 AS bigint)", "9223372036854775807"},
		{"CAST('1.255' AS decimal(5,2))", "1.26"},
		{"CAST(-1.255 AS decimal(5,2))", "-1.26"},
		{"CAST(999.99 AS decimal(5,2))", "999.99"},
		{"CAST(1000 AS decimal(5,2))", "error 8115"},
		{"CAST('abc' AS decimal(5,2))", "error 8114"},
		{"CAST(1 AS decimal)", "1"},
		{"CAST(0.1 AS decimal(38,37))", "0.1000000000000000000000000000000000000"},
		{"CAST('$12.5' AS money)", "12.5000"},
		{"CAST(922337203685478 AS smallmoney)", "error 8115"},
		{"CAST('1e3' AS float)", "1000"},
		{"CAST('x' AS float)", "error 8114"},
		{"CAST(1.25 AS real)", "1.25"},
		{"CAST('abcdef' AS varchar(3))", "abc"},
		{"CAST('abcdef' AS varchar)", "abcdef"},
		{"CAST(12345 AS varchar(3))", "*"},
		{"CAST('ab' AS char(4)) + '|'", "ab  |"},
		{"CAST(N'ä' AS nchar(2)) + N'|'", "ä |"},
		{"CAST(CAST('2026-05-04' AS date) AS varchar(20))", "2026-05-04"},
		{"CAST('20260504' AS date)", "2026-05-04"},
		{"CAST('2026-02-30' AS date)", "error 241"},
		{"CAST('2026-05-04 10:11:12.345' AS datetime)", "2026-05-04 10:11:12.347"},
		{"CAST('2026-05-04 10:11:12.3456789' AS datetime2(3))", "2026-05-04 10:11:12.346"},
		{"CAST('2026-05-04 10:11:40' AS smalldatetime)", "2026-05-04 10:12:00"},
		{"CAST('10:11:12.5' AS time(1))", "10:11:12.5"},
		{"CAST(CAST('2026-05-04 10:11:12' AS datetime2(0)) AS date)", "2026-05-04"},
		{"CAST(CAST('2026-05-04 10:11:12' AS datetime2(0)) AS time(0))", "10:11:12"},
		{"CAST(CAST('1900-01-03' AS datetime) AS int)", "2"},
		{"CAST(2 AS datetime)", "1900-01-03 00:00:00.000"},
		{"CAST(2 AS date)", "error 206"},
		{"CAST('0E984725-C51C-4BF4-9960-E1C80E27ABA0' AS uniqueidentifier)", "0E984725-C51C-4BF4-9960-E1C80E27ABA0"},
		{"CAST('nonsense' AS uniqueidentifier)", "error 8169"},
		{"CAST(0x0102 AS varbinary(1))", "0x01"},
		{"CAST(0x01 AS binary(3))", "0x010000"},
		{"CAST(258 AS varbinary(4))", "0x00000102"},
		{"CONVERT(varbinary(4), '0x0aff', 1)", "0x0AFF"},
		{"CONVERT(varbinary(4), '0aff', 2)", "0x0AFF"},
		{"CONVERT(varbinary(4), 'xyz', 2)", "error 8114"},
		{"CONVERT(varchar(20), 0x0aff, 2)", "0AFF"},
		{"CONVERT(varchar(19), CAST('2026-05-04 10:11:12' AS datetime2(0)), 120)", "2026-05-04 10:11:12"},
		{"CONVERT(varchar(10), CAST('2026-05-04' AS date), 104)", "04.05.2026"},
		{"CONVERT(varchar(10), 1, 999)", "error 40000"},
		{"TRY_CAST('x' AS int)", "NULL"},
		{"TRY_CONVERT(tinyint, 300)", "NULL"},
		{"TRY_CONVERT(varchar(2), 'abc')", "ab"},
		{"CAST(NULL AS int)", "NULL"},
		{"CAST(1 AS nothing)", "error 2715"},
		{"CAST(1 AS int(4))", "error 2716"},
		{"CAST('x' AS varchar(8001))", "error 131"},
		{"CAST('x' AS varchar(0))", "error 1001"},
		{"CAST('x' AS nvarchar(4001))", "error 2717"},
		{"CAST(1 AS decimal(39, 1))", "error 2750"},
		{"CAST(1 AS decimal(5, 6))", "error 192"},
		{"CAST(1 AS float(54))", "error 2750"},
		{"CAST('2026-05-04' AS datetime2(8))", "error 1002"},
	} {
		if got := x.value(c[0]); got != c[1] {
			t.Errorf("%s: %s, want %s", c[0], got, c[1])
		}
	}
}

// TestExpressions: arithmetic, comparisons, NULL, and the functions.
func TestExpressions(t *testing.T) {
	x := alone(t)
	for _, c := range [][2]string{
		{"1 + 2 * 3 - 4 / 2", "5"},
		{"(1 + 2) * 3", "9"},
		{"-7 / 2", "-3"},
		{"-7 % 3", "-1"},
		{"7 & 3 | 8 ^ 1", "10"},
		{"1.50 + 2", "3.50"},
		{"1.5 * 1.5", "2.25"},
		{"1 / 3.0", "0.333333"},
		{"1 / 0", "error 8134"},
		{"1.0 / 0", "error 8134"},
		{"9223372036854775807 + 1", "error 8115"},
		{"1 + NULL", "NULL"},
		{"'a' + NULL", "NULL"},
		{"'a' + 1", "error 245"},
		{"'2' * 3", "6"},
		{"1e2 + 1", "101"},
		{"~5", "-6"},
		{"- - 5", "5"},
		{"0x01 + 0x02", "0x0102"},
		{"CASE WHEN 'a' = 'A ' THEN 1 ELSE 0 END", "1"},
		{"CASE WHEN 'a' COLLATE Latin1_General_BIN2 = 'A' THEN 1 ELSE 0 END", "0"},
		{"CASE WHEN NULL = NULL THEN 1 WHEN NULL IS NULL THEN 2 END", "2"},
		{"CASE 3 WHEN 1 THEN 'one' WHEN 3 THEN 'three' END", "three"},
		{"CASE WHEN 1 = 2 THEN 1 END", "NULL"},
		{"CASE WHEN 1 NOT IN (2, NULL) THEN 1 ELSE 0 END", "0"},
		{"CASE WHEN 2 IN (2, NULL) THEN 1 ELSE 0 END", "1"},
		{"CASE WHEN NOT (NULL = 1) OR 1 = 1 THEN 1 ELSE 0 END", "1"},
		{"CASE WHEN 5 NOT BETWEEN 1 AND 4 AND 'abc' LIKE 'a%' THEN 1 ELSE 0 END", "1"},
		{"CASE WHEN 'a_c' LIKE 'a!_c' ESCAPE '!' THEN 1 ELSE 0 END", "1"},
		{"CASE WHEN 'abc' LIKE 'a!_c' ESCAPE '!' THEN 1 ELSE 0 END", "0"},
		{"CASE WHEN 'b7' LIKE '[a-c][^0-6]' THEN 1 ELSE 0 END", "1"},
		{"CASE WHEN 'aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaab' LIKE '%a%a%a%a%a%a%a%a%a%a%c' THEN 1 ELSE 0 END", "0"},
		{"CASE WHEN EXISTS (SELECT 1 WHERE 1 = 2) THEN 1 ELSE 0 END", "0"},
		{"CASE WHEN 1 THEN 1 END", "error 4145"},
		{"(SELECT 1 UNION ALL SELECT 2)", "error 512"},
		{"(SELECT 1, 2)", "error 116"},
		{"LEN('abc  ')", "3"},
		{"LEN(N'äöü')", "3"},
		{"LEN(N'😀')", "2"},
		{"DATALENGTH(0x010203)", "3"},
		{"UPPER('aß'), LOWER('AB')", "Aß,ab"},
		{"LTRIM('  a '), RTRIM(' a  '), TRIM('  a  ')", "a , a,a"},
		{"LEFT('abc', 2), RIGHT('abc', 2), RIGHT('abc', 9)", "ab,bc,abc"},
		{"SUBSTRING('abcdef', 0, 3), SUBSTRING('abc', 2, 99)", "ab,bc"},
		{"REPLACE('aXbXc', 'x', '')", "abc"},
		{"REPLACE('abc', '', 'z')", "abc"},
		{"CHARINDEX('c', 'abcabc', 4), CHARINDEX('z', 'abc')", "6,0"},
		{"REPLICATE('ab', 3), SPACE(2) + '|', REVERSE('abc')", "ababab,  |,cba"},
		{"REPLICATE('a', -1)", "NULL"},
		{"STUFF('abcdef', 2, 3, 'X'), STUFF('abc', 9, 1, 'x')", "aXef,NULL"},
		{"CONCAT('a', NULL, 1, 2.5)", "a12.5"},
		{"QUOTENAME('a]b'), QUOTENAME('a''b', '''')", "[a]]b],'a''b'"},
		{"CHAR(65), NCHAR(228), ASCII('A'), UNICODE(N'ä')", "A,ä,65,228"},
		{"STRING_ESCAPE('a\"b/<' + CHAR(10), 'json')", `a\"b\/<\n`},
		{"CONVERT(varchar(64), HASHBYTES('MD5', 'a'), 2)", "4144E195F46DE78A3623DA7364D04F11"},
		{"PARSENAME('a.[b c].d', 2)", "b c"},
		{"ABS(-3), ABS(-2.5), SIGN(-4)", "3,2.5,-1"},
		{"ROUND(2.567, 1), ROUND(7, 2), FLOOR(-1.5), CEILING(1.2)", "2.600,7,-2,2"},
		{"POWER(2, 10), SQRT(16.0)", "1024,4"},
		{"ISNUMERIC('1.5'), ISNUMERIC('x'), ISNUMERIC(NULL)", "1,0,0"},
		{"YEAR('2026-05-04'), MONTH('2026-05-04'), DAY('2026-05-04')", "2026,5,4"},
		{"CAST(DATEADD(month, 2, '2026-05-04') AS date), CAST(DATEADD(dd, -4, '2026-05-04') AS date)", "2026-07-04,2026-04-30"},
		{"DATEDIFF(day, '2026-05-04', '2026-05-09'), DATEDIFF(hour, '2026-05-04 23:59', '2026-05-05 00:01'), DATEDIFF(year, '2025-12-31', '2026-01-01')", "5,1,1"},
		{"DATEPART(minute, '2026-05-04 10:11:12')", "11"},
		{"DATEADD(fortnight, 1, '2026-05-04')", "error 155"},
		{"ISDATE('2026-05-04'), ISDATE('x')", "1,0"},
		{"ISNULL(NULL, 'x'), COALESCE(NULL, NULL, 3), NULLIF(1, 1), IIF(2 > 1, 'y', 'n')", "x,3,NULL,y"},
		{"DB_NAME(), SCHEMA_NAME(1), USER_NAME(), OBJECT_ID('nowhere'), TYPE_ID('int')", "port,dbo,dbo,NULL,56"},
		{"@@TRANCOUNT, XACT_STATE(), @@ERROR", "0,0,0"},
		{"SERVERPROPERTY('ProductVersion')", Version},
		{"NOSUCH(1)", "error 195"},
		{"LEN()", "error 174"},
		{"LEN('a', 'b')", "error 174"},
		{"SUM(1) OVER (ORDER BY 1)", "error 40000"},
		{"x.y", "error 4104"},
		{"y", "error 207"},
		{"@nobody", "error 137"},
		{"@@nobody", "error 137"},
	} {
		if got := x.value(c[0]); got != c[1] {
			t.Errorf("%s: %s, want %s", c[0], got, c[1])
		}
	}
}

// TestQueries: joins, groups, order, sets, and what stands within.
func TestQueries(t *testing.T) {
	x := alone(t)
	if n := x.runs("CREATE TABLE a (id int NOT NULL, n nvarchar(9)); CREATE TABLE b (id int, a int, v decimal(5,1)); INSERT INTO a VALUES (1, N'x'), (2, N'Y'), (3, NULL); INSERT INTO b VALUES (1, 1, 1.5), (2, 1, 2.5), (3, 9, NULL)"); n != "" {
		t.Fatal(n)
	}
	for _, c := range [][2]string{
		{"a.id, b.id FROM a JOIN b ON b.a = a.id ORDER BY b.id", "1,1;1,2"},
		{"a.id, b.id FROM a LEFT JOIN b ON b.a = a.id ORDER BY a.id, b.id", "1,1;1,2;2,NULL;3,NULL"},
		{"a.id, b.id FROM a RIGHT JOIN b ON b.a = a.id ORDER BY b.id", "1,1;1,2;NULL,3"},
		{"a.id, b.id FROM a FULL JOIN b ON b.a = a.id AND b.v > 2 ORDER BY a.id, b.id", "NULL,1;NULL,3;1,2;2,NULL;3,NULL"},
		{"count(*) FROM a CROSS JOIN b", "9"},
		{"count(*) FROM a, b WHERE a.id = b.a", "2"},
		{"a.id, c.v FROM a CROSS APPLY (SELECT TOP 1 v FROM b WHERE b.a = a.id ORDER BY v DESC) c", "1,2.5"},
		{"a.id, c.v FROM a OUTER APPLY (SELECT v FROM b WHERE b.a = a.id AND v > 2) c ORDER BY a.id", "1,2.5;2,NULL;3,NULL"},
		{"a, count(*), sum(v), avg(v), min(v), max(v) FROM b GROUP BY a ORDER BY a", "1,2,4.0,2.000000,1.5,2.5;9,1,NULL,NULL,NULL,NULL"},
		{"count(n), count(DISTINCT n), count(*) FROM a", "2,2,3"},
		{"string_agg(n, '+') FROM a", "x+Y"},
		{"a FROM b GROUP BY a HAVING count(*) > 1", "1"},
		{"sum(v) FROM b WHERE 1 = 2", "NULL"},
		{"count(*) FROM b WHERE 1 = 2 GROUP BY a", ""},
		{"DISTINCT a FROM b ORDER BY 1 DESC", "9;1"},
		{"TOP (2) id FROM a ORDER BY n", "3;1"},
		{"id FROM a ORDER BY id OFFSET 1 ROWS FETCH NEXT 1 ROWS ONLY", "2"},
		{"id AS z FROM a ORDER BY z DESC", "3;2;1"},
		{"id FROM a WHERE n = 'X' OR n LIKE 'y' ORDER BY id", "1;2"},
		{"id FROM a WHERE id IN (SELECT a FROM b)", "1"},
		{"id FROM a WHERE id NOT IN (SELECT a FROM b WHERE a IS NOT NULL) ORDER BY id", "2;3"},
		{"id, (SELECT count(*) FROM b WHERE b.a = a.id) FROM a ORDER BY id", "1,2;2,0;3,0"},
		{"1 UNION SELECT 1 UNION ALL SELECT 2 EXCEPT SELECT 2", "1"},
		{"id FROM a INTERSECT SELECT a FROM b", "1"},
		{"1, 2 UNION SELECT 1", "error 205"},
		{"v.x FROM (VALUES (1), (2)) AS v(x) ORDER BY 1 DESC", "2;1"},
		{"q.n FROM (SELECT n FROM a WHERE id < 3) AS q ORDER BY q.n", "x;Y"},
		{"z.* FROM a z WHERE z.id = 2", "2,Y"},
		{"* FROM a x WHERE x.id = 1", "1,x"},
		{"nobody.* FROM a", "error 107"},
		{"id FROM a x JOIN b y ON x.id = y.a", "error 209"},
		{"1 FROM nowhere", "error 208"},
		{"1 FROM sys.nowhere", "error 208"},
		{"nothing FROM sys.objects", "error 207"},
		{"id FROM a ORDER BY 7", "error 108"},
		{"id FROM a WITH (NOSUCHHINT)", "error 321"},
		{"id FROM a FOR XML PATH", "error 40000"},
		{"q.[n] FROM (SELECT 1) AS q", "error 8155"},
		{"count(*) FROM INFORMATION_SCHEMA.TABLES", "2"},
		{"TABLE_NAME, COLUMN_NAME, DATA_TYPE, CHARACTER_MAXIMUM_LENGTH FROM INFORMATION_SCHEMA.COLUMNS WHERE TABLE_NAME = 'a' ORDER BY ORDINAL_POSITION", "a,id,int,NULL;a,n,nvarchar,9"},
		{"name, xtype FROM sysobjects WHERE OBJECTPROPERTY(id, 'IsUserTable') = 1 ORDER BY name", "a,U;b,U"},
	} {
		if got := x.value(c[0]); got != c[1] {
			t.Errorf("%s: %s, want %s", c[0], got, c[1])
		}
	}
}

// tsqlBatch is the query of a text that is one.
// tsqlBatch is the one query that a text is.
func tsqlBatch(text string) (*tsql.Query, error) {
	list, err := tsql.Batch(text)
	if err != nil {
		return nil, err
	}
	if len(list) != 1 {
		return nil, fmt.Errorf("%d statements", len(list))
	}
	s, ok := list[0].Body.(*tsql.SelectStmt)
	if !ok {
		return nil, fmt.Errorf("%T is no query", list[0].Body)
	}
	return s.Query, nil
}

// TestBounds: what would take all memory, or never end, is given up.
func TestBounds(t *testing.T) {
	for _, c := range []struct{ name, text, refused string }{
		{"a value that doubles", "DECLARE @a nvarchar(max) = N'x'; WHILE 1 = 1 SET @a = @a + @a", "40000"},
		{"bytes that double", "DECLARE @a varbinary(max) = 0x01; WHILE 1 = 1 SET @a = @a + @a", "40000"},
		{"through a function", "DECLARE @a nvarchar(max) = N'x'; WHILE 1 = 1 SET @a = CONCAT(@a, @a)", "40000"},
		{"rows that double", "CREATE TABLE dbo.n (i int); INSERT INTO dbo.n VALUES (1); WHILE 1 = 1 INSERT INTO dbo.n SELECT i FROM dbo.n", "40000"},
		{
			"a product of tables",
			"CREATE TABLE dbo.n (i int); INSERT INTO dbo.n VALUES (1), (2), (3), (4), (5), (6), (7), (8); SELECT COUNT(*) FROM dbo.n a, dbo.n b, dbo.n c, dbo.n d, dbo.n e, dbo.n f, dbo.n g, dbo.n h",
			"40000",
		},
		{"a loop", "WHILE 1 = 1 PRINT 'x'", "40000"},
		{
			"loops in loops count together",
			"DECLARE @i int = 0, @j int; WHILE @i < 2000 BEGIN SET @i = @i + 1; SET @j = 0; WHILE @j < 2000 SET @j = @j + 1 END",
			"40000",
		},
		{"a procedure that calls itself", "EXEC ('CREATE PROCEDURE dbo.p AS EXEC dbo.p'); EXEC dbo.p", "217"},
		{
			"a view that names itself",
			"EXEC ('CREATE VIEW dbo.v AS SELECT 1 AS a'); EXEC ('ALTER VIEW dbo.v AS SELECT a FROM dbo.v'); SELECT a FROM dbo.v",
			"217",
		},
		{"many rounds", "DECLARE @i int = 0; WHILE @i < 5000 SET @i = @i + 1", ""},
	} {
		x := alone(t)
		x.rounds = 0
		if got := x.runs(c.text); got != c.refused {
			t.Errorf("%s: ended with %q, want %q", c.name, got, c.refused)
		}
	}
}

// TestStyles: how moments are written in a style (SQL Server: CAST and CONVERT, Date and
// time styles): what the type has, and no more.
func TestStyles(t *testing.T) {
	x := alone(t)
	for _, c := range []struct{ typ, value, style, want string }{
		{"date", "'2026-05-04'", "121", "2026-05-04"},
		{"date", "'2026-05-04'", "120", "2026-05-04"},
		{"date", "'2026-05-04'", "126", "2026-05-04"},
		{"date", "'2026-05-04'", "112", "20260504"},
		{"date", "'2026-05-04'", "104", "04.05.2026"},
		{"date", "'2026-05-04'", "101", "05/04/2026"},
		{"time", "'10:11:12.5'", "121", "10:11:12.5000000"},
		{"time(0)", "'10:11:12'", "121", "10:11:12"},
		{"time(3)", "'10:11:12.123'", "108", "10:11:12"},
		{"datetime", "'2026-05-04 10:11:12.347'", "121", "2026-05-04 10:11:12.347"},
		{"datetime", "'2026-05-04 10:11:12.347'", "120", "2026-05-04 10:11:12"},
		{"datetime", "'2026-05-04 10:11:12.347'", "126", "2026-05-04T10:11:12.347"},
		{"smalldatetime", "'2026-05-04 10:11'", "121", "2026-05-04 10:11:00.000"},
		{"datetime2", "'2026-05-04 10:11:12.1234567'", "121", "2026-05-04 10:11:12.1234567"},
		{"datetime2(2)", "'2026-05-04 10:11:12.12'", "121", "2026-05-04 10:11:12.12"},
		{"datetime2(0)", "'2026-05-04 10:11:12'", "126", "2026-05-04T10:11:12"},
		{"datetimeoffset", "'2026-05-04 10:11:12.1234567 +02:00'", "121", "2026-05-04 10:11:12.1234567 +02:00"},
		{"datetimeoffset(0)", "'2026-05-04 10:11:12 -05:30'", "121", "2026-05-04 10:11:12 -05:30"},
		{"datetimeoffset(3)", "'2026-05-04 10:11:12.5 +02:00'", "126", "2026-05-04T10:11:12.500+02:00"},
		{"datetime", "NULL", "121", "NULL"},
		{"date", "'2026-05-04'", "999", "error 40000"},
	} {
		if got := x.value("CONVERT(nvarchar(50), CAST(" + c.value + " AS " + c.typ + "), " + c.style + ")"); got != c.want {
			t.Errorf("%s %s in style %s is %s, want %s", c.typ, c.value, c.style, got, c.want)
		}
	}
}

// TestViewsOfTheCatalog: the old and the standard views of the catalog say what the new
// ones say.
func TestViewsOfTheCatalog(t *testing.T) {
	x := alone(t)
	for _, s := range []string{
		"CREATE SCHEMA yard",
		"CREATE TABLE yard.berth (id int IDENTITY NOT NULL CONSTRAINT PK_b PRIMARY KEY, name nvarchar(20) COLLATE Latin1_General_BIN2 NOT NULL CONSTRAINT UQ_b UNIQUE, depth decimal(5,2) NULL CONSTRAINT DF_b DEFAULT 4 CONSTRAINT CK_b CHECK (depth > 0), noted datetime2(3), photo varbinary(max), twice AS depth * 2)",
		"CREATE TABLE dbo.call (id bigint NOT NULL PRIMARY KEY, berth int CONSTRAINT FK_c REFERENCES yard.berth (id) ON DELETE CASCADE ON UPDATE SET NULL)",
		"CREATE INDEX IX_c ON dbo.call (berth)",
		"EXEC ('CREATE VIEW dbo.v AS SELECT id, name FROM yard.berth')",
		"EXEC ('CREATE PROCEDURE dbo.p @a int AS SELECT @a AS a')",
		"EXEC ('CREATE FUNCTION yard.f (@a int) RETURNS int AS BEGIN RETURN @a END')",
		"EXEC ('CREATE TRIGGER dbo.tr ON dbo.call AFTER INSERT AS PRINT 1')",
		"CREATE SEQUENCE dbo.s AS int START WITH 3",
	} {
		if n := x.runs(s); n != "" {
			t.Fatalf("%s: %s", s, n)
		}
	}
	for _, c := range []struct{ name, one, other string }{
		{
			"tables",
			"s.name, t.name FROM sys.tables t JOIN sys.schemas s ON s.schema_id = t.schema_id ORDER BY s.name, t.name",
			"TABLE_SCHEMA, TABLE_NAME FROM INFORMATION_SCHEMA.TABLES WHERE TABLE_TYPE = 'BASE TABLE' ORDER BY 1, 2",
		},
		{"views", "name FROM sys.views ORDER BY name", "TABLE_NAME FROM INFORMATION_SCHEMA.VIEWS ORDER BY TABLE_NAME"},
		{
			"objects",
			"id, name FROM sysobjects WHERE xtype IN ('U', 'V', 'P') ORDER BY id",
			"object_id, name FROM sys.objects WHERE type IN ('U', 'V', 'P') ORDER BY object_id",
		},
		{
			"columns",
			"c.name, c.is_nullable FROM sys.columns c JOIN sys.tables t ON t.object_id = c.object_id ORDER BY t.name, c.column_id",
			"COLUMN_NAME, CASE IS_NULLABLE WHEN 'YES' THEN 1 ELSE 0 END FROM INFORMATION_SCHEMA.COLUMNS WHERE TABLE_NAME <> 'v' ORDER BY TABLE_NAME, ORDINAL_POSITION",
		},
		{
			"types",
			"y.name FROM sys.columns c JOIN sys.types y ON y.user_type_id = c.user_type_id JOIN sys.tables t ON t.object_id = c.object_id ORDER BY t.name, c.column_id",
			"DATA_TYPE FROM INFORMATION_SCHEMA.COLUMNS WHERE TABLE_NAME <> 'v' ORDER BY TABLE_NAME, ORDINAL_POSITION",
		},
		{
			"routines",
			"name FROM sys.objects WHERE type IN ('P', 'FN') ORDER BY name",
			"ROUTINE_NAME FROM INFORMATION_SCHEMA.ROUTINES ORDER BY ROUTINE_NAME",
		},
		{"everything by its number", "o.name FROM sys.objects o ORDER BY o.object_id", "OBJECT_NAME(object_id) FROM sys.objects ORDER BY object_id"},
		{
			"everything by its name",
			"o.object_id FROM sys.objects o WHERE type IN ('U', 'V') ORDER BY 1",
			"OBJECT_ID(SCHEMA_NAME(schema_id) + '.' + name) FROM sys.objects WHERE type IN ('U', 'V') ORDER BY 1",
		},
		{
			"parts belong to what is there",
			"count(*) FROM sys.objects WHERE parent_object_id <> 0",
			"count(*) FROM sys.objects o JOIN sys.objects p ON p.object_id = o.parent_object_id",
		},
		{
			"constraints are objects",
			"name FROM sys.objects WHERE type IN ('C', 'D', 'F', 'PK', 'UQ') ORDER BY name",
			"name FROM (SELECT name FROM sys.check_constraints UNION ALL SELECT name FROM sys.default_constraints UNION ALL SELECT name FROM sys.foreign_keys UNION ALL SELECT name FROM sys.key_constraints) AS k ORDER BY name",
		},
		{
			"keys have their indexes",
			"name FROM sys.key_constraints ORDER BY name",
			"name FROM sys.indexes WHERE is_primary_key = 1 OR is_unique_constraint = 1 ORDER BY name",
		},
		{
			"columns of indexes are columns",
			"count(*) FROM sys.index_columns",
			"count(*) FROM sys.index_columns i JOIN sys.columns c ON c.object_id = i.object_id AND c.column_id = i.column_id",
		},
		{
			"foreign keys",
			"OBJECT_NAME(parent_object_id), OBJECT_NAME(referenced_object_id), delete_referential_action_desc, update_referential_action_desc FROM sys.foreign_keys",
			"'call', 'berth', 'CASCADE', 'SET_NULL'",
		},
		{
			"defaults",
			"OBJECT_DEFINITION(default_object_id) FROM sys.columns WHERE default_object_id <> 0",
			"COLUMN_DEFAULT FROM INFORMATION_SCHEMA.COLUMNS WHERE COLUMN_DEFAULT IS NOT NULL",
		},
		{"checks", "definition FROM sys.check_constraints", "OBJECT_DEFINITION(object_id) FROM sys.objects WHERE type = 'C'"},
		{"modules", "definition FROM sys.sql_modules ORDER BY object_id", "OBJECT_DEFINITION(object_id) FROM sys.sql_modules ORDER BY object_id"},
		{"triggers", "name, OBJECT_NAME(parent_id) FROM sys.triggers", "'tr', 'call'"},
		{"sequences", "name FROM sys.sequences", "name FROM sys.objects WHERE type = 'SO'"},
		{"identity", "OBJECT_NAME(object_id), name FROM sys.identity_columns", "OBJECT_NAME(object_id), name FROM sys.columns WHERE is_identity = 1"},
		{"computed", "OBJECT_NAME(object_id), name FROM sys.computed_columns", "OBJECT_NAME(object_id), name FROM sys.columns WHERE is_computed = 1"},
		{
			"partitions are of indexes",
			"count(*) FROM sys.partitions",
			"count(*) FROM sys.partitions p JOIN sys.indexes i ON i.object_id = p.object_id AND i.index_id = p.index_id",
		},
		{"databases", "name FROM sys.databases WHERE name = DB_NAME()", "DB_NAME()"},
	} {
		one, other := x.value(c.one), x.value(c.other)
		if one != other || one == "" {
			t.Errorf("%s: the one view says\n%s\nthe other\n%s", c.name, one, other)
		}
	}
}
