-- How people write: each line is a batch, on these two tables.
CREATE TABLE dbo.stay (id int NOT NULL PRIMARY KEY, a int, b nvarchar(50), d datetime2, x xml, j nvarchar(max), m money, g uniqueidentifier, parent int);
CREATE TABLE dbo.fee (id int NOT NULL PRIMARY KEY, stay int, v decimal(9,2), w date, b bit);

CREATE VIEW dbo.v AS SELECT id, ROW_NUMBER() OVER (PARTITION BY a ORDER BY d DESC) AS rn FROM dbo.stay
CREATE VIEW dbo.v AS SELECT id, SUM(a) OVER (ORDER BY id ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW) AS running FROM dbo.stay
CREATE VIEW dbo.v AS SELECT id, LAG(a, 1, 0) OVER (ORDER BY id) AS l, FIRST_VALUE(b) OVER (PARTITION BY a ORDER BY id) AS f, NTILE(4) OVER (ORDER BY id) AS q FROM dbo.stay
CREATE VIEW dbo.v AS SELECT a, STUFF((SELECT ',' + b FROM dbo.stay AS i WHERE i.a = o.a FOR XML PATH('')), 1, 1, '') AS list FROM dbo.stay AS o GROUP BY a
CREATE VIEW dbo.v AS SELECT a, STUFF((SELECT ',' + b FROM dbo.stay AS i WHERE i.a = o.a FOR XML PATH(''), TYPE).value('.', 'nvarchar(max)'), 1, 1, '') AS list FROM dbo.stay AS o GROUP BY a
CREATE VIEW dbo.v AS SELECT a, STRING_AGG(b, ',') WITHIN GROUP (ORDER BY b) AS list FROM dbo.stay GROUP BY a
CREATE VIEW dbo.v AS WITH c AS (SELECT id, parent, 0 AS depth FROM dbo.stay WHERE parent IS NULL UNION ALL SELECT stay.id, stay.parent, c.depth + 1 FROM dbo.stay AS stay JOIN c ON c.id = stay.parent) SELECT * FROM c
CREATE VIEW dbo.v AS SELECT id, x.value('(/a/b)[1]', 'int') AS n FROM dbo.stay
CREATE VIEW dbo.v AS SELECT stay.id, n.c.value('@id', 'int') AS nid FROM dbo.stay AS stay CROSS APPLY stay.x.nodes('/a/b') AS n(c)
CREATE VIEW dbo.v AS SELECT stay.id, o.[key], o.value FROM dbo.stay AS stay CROSS APPLY OPENJSON(stay.j) AS o
CREATE VIEW dbo.v AS SELECT stay.id, o.name FROM dbo.stay AS stay CROSS APPLY OPENJSON(stay.j, '$.list') WITH (name nvarchar(20) '$.name', n int) AS o
CREATE VIEW dbo.v AS SELECT id, JSON_VALUE(j, '$.a') AS ja, JSON_QUERY(j, '$.b') AS jb, ISJSON(j) AS ok FROM dbo.stay
CREATE VIEW dbo.v AS SELECT a, [1], [2] FROM (SELECT a, id, m FROM dbo.stay) AS s PIVOT (SUM(m) FOR id IN ([1], [2])) AS p
CREATE VIEW dbo.v AS SELECT id, col, val FROM (SELECT id, a, parent FROM dbo.stay) AS s UNPIVOT (val FOR col IN (a, parent)) AS p
CREATE VIEW dbo.v AS SELECT a, COUNT(*) AS n FROM dbo.stay GROUP BY ROLLUP (a)
CREATE VIEW dbo.v AS SELECT a, b, COUNT_BIG(*) AS n FROM dbo.stay GROUP BY GROUPING SETS ((a), (b), ())
CREATE VIEW dbo.v AS SELECT a, GROUPING(a) AS g, COUNT(*) AS n FROM dbo.stay GROUP BY a WITH ROLLUP
CREATE VIEW dbo.v AS SELECT a, b, COUNT(*) AS n FROM dbo.stay GROUP BY CUBE (a, b)
CREATE VIEW dbo.v AS SELECT TOP (10) WITH TIES id, a FROM dbo.stay ORDER BY a DESC
CREATE VIEW dbo.v AS SELECT TOP 100 PERCENT id FROM dbo.stay ORDER BY id
CREATE VIEW dbo.v AS SELECT IIF(a > 1, 'x', 'y') AS i, CHOOSE(a, 'p', 'q') AS c, NULLIF(a, 1) AS n, COALESCE(a, 2) AS co, ISNULL(a, 3) AS isn FROM dbo.stay
CREATE VIEW dbo.v AS SELECT TRY_CONVERT(int, b) AS t1, TRY_CAST(b AS date) AS t2, TRY_PARSE(b AS int USING 'en-GB') AS t3, PARSE(b AS date) AS t4, FORMAT(d, 'yyyy-MM') AS f FROM dbo.stay
CREATE VIEW dbo.v AS SELECT DATEADD(day, 1, d) AS a1, DATEDIFF(month, d, GETDATE()) AS a2, DATEPART(iso_week, d) AS a3, EOMONTH(d) AS a4, DATENAME(weekday, d) AS a5, DATEFROMPARTS(2020, 1, 1) AS a6, YEAR(d) AS y, SWITCHOFFSET(d, '+01:00') AS so, d AT TIME ZONE 'UTC' AS tz FROM dbo.stay
CREATE VIEW dbo.v AS SELECT HASHBYTES('SHA2_256', b) AS h, CHECKSUM(b, a) AS c, BINARY_CHECKSUM(*) AS bc, NEWID() AS n, LEN(b) AS l, DATALENGTH(b) AS dl, REPLICATE('0', 3) AS r, REVERSE(b) AS rv, CHARINDEX('a', b) AS ci, PATINDEX('%a%', b) AS pi, LEFT(b, 2) AS le, RIGHT(b, 2) AS ri, SUBSTRING(b, 1, 2) AS su, UPPER(b) AS up, LTRIM(RTRIM(b)) AS tr, TRIM(b) AS t2, QUOTENAME(b) AS q, SPACE(2) AS sp, STR(a, 5, 2) AS st, CONCAT(a, b) AS co, CONCAT_WS('-', a, b) AS cw, TRANSLATE(b, 'ab', 'cd') AS tl, SOUNDEX(b) AS so, DIFFERENCE(b, b) AS di, UNICODE(b) AS un, NCHAR(65) AS nc, ASCII('a') AS asc1, STRING_ESCAPE(b, 'json') AS se FROM dbo.stay
CREATE VIEW dbo.v AS SELECT ABS(a) AS ab, ROUND(m, 2) AS ro, CEILING(m) AS ce, FLOOR(m) AS fl, POWER(a, 2) AS po, SQRT(a) AS sq, SIGN(a) AS si, EXP(a) AS ex, LOG(a) AS lo, RAND(a) AS ra, PI() AS pi, a % 3 AS mo, a & 1 AS an, a | 2 AS o, a ^ 3 AS xo, ~a AS no FROM dbo.stay
CREATE VIEW dbo.v AS SELECT STDEV(a) AS s, STDEVP(a) AS sp, VAR(a) AS v, VARP(a) AS vp, AVG(m) AS av, MIN(d) AS mi, MAX(d) AS ma, COUNT(DISTINCT a) AS c, APPROX_COUNT_DISTINCT(a) AS ac, CHECKSUM_AGG(a) AS ca FROM dbo.stay
CREATE VIEW dbo.v AS SELECT stay.id FROM dbo.stay AS stay WITH (NOLOCK) INNER HASH JOIN dbo.fee AS fee ON fee.stay = stay.id LEFT OUTER JOIN dbo.fee u2 (NOLOCK) ON u2.id = fee.id RIGHT JOIN dbo.fee u3 ON 1 = 1 FULL OUTER JOIN dbo.fee u4 ON u4.id = stay.id
CREATE VIEW dbo.v AS SELECT id FROM dbo.stay WHERE EXISTS (SELECT 1 FROM dbo.fee WHERE fee.stay = stay.id) AND a NOT IN (SELECT stay FROM dbo.fee) AND a > ALL (SELECT stay FROM dbo.fee) AND a = ANY (SELECT stay FROM dbo.fee) AND b LIKE N'%x[a-c]%' ESCAPE '!' AND d BETWEEN '2020-01-01' AND '2021-01-01'
CREATE VIEW dbo.v AS SELECT id FROM dbo.stay EXCEPT SELECT id FROM dbo.fee INTERSECT SELECT stay FROM dbo.fee
CREATE VIEW dbo.v AS SELECT id FROM dbo.stay ORDER BY id OFFSET 10 ROWS FETCH NEXT 5 ROWS ONLY
CREATE VIEW dbo.v AS SELECT v.n, v.s FROM (VALUES (1, 'a'), (2, 'b')) AS v(n, s)
CREATE VIEW dbo.v AS SELECT s.value FROM dbo.stay CROSS APPLY STRING_SPLIT(b, ',') AS s
CREATE VIEW dbo.v AS SELECT id FROM dbo.stay TABLESAMPLE (10 PERCENT)
CREATE VIEW dbo.v AS SELECT SUSER_SNAME() AS a, SYSTEM_USER AS b, CURRENT_USER AS c, SESSION_USER AS d, USER_NAME() AS e, DB_NAME() AS f, HOST_NAME() AS g, APP_NAME() AS h, @@SERVERNAME AS i, @@VERSION AS j, @@SPID AS k, ORIGINAL_LOGIN() AS l, OBJECT_ID('dbo.stay') AS m, SESSION_CONTEXT(N'k') AS n, CONTEXT_INFO() AS o
CREATE VIEW dbo.v AS SELECT o.name, c.name AS col FROM sys.objects AS o JOIN sys.columns AS c ON c.object_id = o.object_id
CREATE VIEW dbo.v AS SELECT TABLE_NAME, COLUMN_NAME FROM INFORMATION_SCHEMA.COLUMNS
CREATE VIEW dbo.v AS SELECT b COLLATE Latin1_General_BIN AS b, CAST(a AS varchar(10)) + ':' + CONVERT(varchar(30), d, 121) AS s, CASE a WHEN 1 THEN 'x' ELSE 'y' END AS c FROM dbo.stay
CREATE VIEW dbo.v (one, two) WITH SCHEMABINDING, VIEW_METADATA AS SELECT id, a FROM dbo.stay WITH CHECK OPTION
CREATE VIEW dbo.v AS SELECT x.query('/a') AS q, x.exist('/a[@b="1"]') AS e FROM dbo.stay
CREATE VIEW dbo.v AS SELECT stay.*, fee.v FROM dbo.stay stay, dbo.fee fee WHERE stay.id = fee.stay
CREATE VIEW dbo.v AS SELECT id, a AS [select], 'lit' AS lit, N'lit' AS nlit, 0x1F AS bin, 1.5e3 AS fl, $12.5 AS mon, -1 AS neg FROM dbo.stay
CREATE VIEW dbo.v AS SELECT alias = a, other = id FROM dbo.stay
CREATE VIEW dbo.v AS SELECT * FROM OPENQUERY(far, 'SELECT 1 AS n')
CREATE VIEW dbo.v AS SELECT id FROM otherdb.dbo.stay
CREATE VIEW dbo.v AS SELECT id FROM far.otherdb.dbo.stay
CREATE VIEW dbo.v AS SELECT g.STAsText() AS s FROM (SELECT geography::Point(1, 2, 4326) AS g) AS q
CREATE VIEW dbo.v AS SELECT id FROM dbo.stay WHERE CONTAINS(b, N'gull') OR FREETEXT(b, N'gull')
CREATE VIEW dbo.v AS SELECT k.[KEY], k.RANK FROM CONTAINSTABLE(dbo.stay, b, N'gull') AS k
CREATE VIEW dbo.v AS SELECT GREATEST(a, 1) AS g, LEAST(a, 2) AS l, DATETRUNC(month, d) AS dt, DATE_BUCKET(week, 1, d) AS db, GENERATE_SERIES.value FROM dbo.stay CROSS JOIN GENERATE_SERIES(1, 3)
CREATE VIEW dbo.v AS SELECT id FROM dbo.stay WHERE a IS DISTINCT FROM parent
CREATE VIEW dbo.v AS SELECT PERCENTILE_CONT(0.5) WITHIN GROUP (ORDER BY a) OVER (PARTITION BY b) AS p, PERCENT_RANK() OVER (ORDER BY a) AS pr, CUME_DIST() OVER (ORDER BY a) AS cd, RANK() OVER (ORDER BY a) AS r, DENSE_RANK() OVER (ORDER BY a) AS dr FROM dbo.stay
CREATE VIEW dbo.v AS SELECT id, SUM(a) OVER w AS s FROM dbo.stay WINDOW w AS (PARTITION BY b ORDER BY id)
CREATE VIEW dbo.v AS SELECT $IDENTITY AS i FROM dbo.stay
CREATE FUNCTION dbo.f (@a int = 1) RETURNS TABLE AS RETURN (SELECT id, ROW_NUMBER() OVER (ORDER BY id) AS rn FROM dbo.stay WHERE a = @a)
CREATE FUNCTION dbo.f () RETURNS @r TABLE (id int PRIMARY KEY, n nvarchar(20) COLLATE Latin1_General_BIN NULL DEFAULT 'x', INDEX ix (n)) WITH SCHEMABINDING AS BEGIN INSERT @r SELECT id, NULL FROM dbo.stay; RETURN END
CREATE FUNCTION dbo.f (@s nvarchar(max), @d date = NULL) RETURNS bit WITH RETURNS NULL ON NULL INPUT, EXECUTE AS CALLER AS BEGIN DECLARE @n int = 0; WHILE @n < 3 BEGIN SET @n += 1; IF @n = 2 BREAK; END; RETURN CASE WHEN @n = 2 THEN 1 ELSE 0 END END
CREATE PROCEDURE dbo.p @a int, @b varchar(10) = 'x', @c cursor VARYING OUTPUT WITH RECOMPILE AS BEGIN TRY DECLARE @stay TABLE (id int); DECLARE cur CURSOR LOCAL FAST_FORWARD FOR SELECT id FROM dbo.stay; OPEN cur; FETCH NEXT FROM cur INTO @a; WHILE @@FETCH_STATUS = 0 FETCH NEXT FROM cur INTO @a; CLOSE cur; DEALLOCATE cur; MERGE dbo.fee AS fee USING dbo.stay AS stay ON stay.id = fee.id WHEN MATCHED THEN UPDATE SET stay = stay.a WHEN NOT MATCHED BY TARGET THEN INSERT (id) VALUES (stay.id) WHEN NOT MATCHED BY SOURCE THEN DELETE OUTPUT $action, inserted.id; END TRY BEGIN CATCH THROW; END CATCH
CREATE PROC dbo.p AS SELECT * INTO #x FROM dbo.stay; CREATE TABLE #y (id int); INSERT #y EXEC dbo.q; RAISERROR('a %d', 16, 1, 3) WITH NOWAIT; EXEC ('SELECT 1') AT far; GOTO done; done: RETURN 1
CREATE TRIGGER dbo.tr ON dbo.stay FOR INSERT, DELETE NOT FOR REPLICATION AS IF (ROWCOUNT_BIG() = 0) RETURN; SET NOCOUNT ON; IF COLUMNS_UPDATED() & 1 = 1 ROLLBACK
CREATE TRIGGER dbo.tr ON dbo.stay WITH EXECUTE AS 'dbo' INSTEAD OF UPDATE AS UPDATE dbo.stay SET a = 1 OUTPUT deleted.id INTO dbo.fee(id) FROM inserted i WHERE i.id = stay.id
CREATE VIEW dbo.v AS SELECT q.*, stay.a FROM OPENQUERY(far, 'SELECT 1 AS n') AS q JOIN dbo.stay ON stay.id = q.n
CREATE VIEW dbo.v AS WITH XMLNAMESPACES ('urn:x' AS ns) SELECT x.value('(/ns:a)[1]', 'int') AS n FROM dbo.stay
CREATE VIEW dbo.v AS SELECT stay.id, x2.n.query('.') AS q FROM dbo.stay CROSS APPLY x.nodes('/a') AS x2(n)
CREATE VIEW dbo.v AS SELECT stay.id, c.v FROM dbo.stay CROSS APPLY (SELECT TOP 1 fee.v FROM dbo.fee WHERE fee.stay = stay.id ORDER BY fee.id DESC) AS c OUTER APPLY (VALUES (stay.a), (stay.parent)) AS vals(z)
CREATE VIEW dbo.v AS SELECT COUNT(*) OVER () AS n, SUM(SUM(a)) OVER (ORDER BY b) AS s, b FROM dbo.stay GROUP BY b
CREATE VIEW dbo.v AS SELECT CAST('<a/>' AS xml).value('/a[1]', 'int') AS n, CONVERT(xml, j).exist('/a') AS e FROM dbo.stay
CREATE VIEW dbo.v AS SELECT id, a, b FROM (SELECT *, ROW_NUMBER() OVER (PARTITION BY a ORDER BY id) AS rn FROM dbo.stay) AS z WHERE z.rn = 1
CREATE VIEW dbo.v AS SELECT DATEDIFF(DAY, d, SYSDATETIME()) / 365.25 AS y, CONVERT(char(8), d, 112) AS s, CONVERT(varchar, d, 103) AS s2, DATEADD(mm, DATEDIFF(mm, 0, d), 0) AS f FROM dbo.stay
CREATE VIEW dbo.v AS SELECT 'a' + CAST(id AS varchar) + CHAR(13) + CHAR(10) AS stay, ISNULL(NULLIF(LTRIM(RTRIM(b)), ''), 'none') AS n, CASE WHEN b LIKE '[0-9]%' THEN 1 END AS c FROM dbo.stay
CREATE VIEW dbo.v AS (SELECT id FROM dbo.stay) UNION ALL (SELECT id FROM dbo.fee)
CREATE VIEW dbo.v AS SELECT p.* FROM (SELECT id, b, m FROM dbo.stay) AS s PIVOT (MAX(m) FOR b IN ([x y], z)) AS p
CREATE VIEW dbo.v AS SELECT t1.id FROM dbo.stay AS t1 LEFT JOIN (dbo.stay AS t2 INNER JOIN dbo.fee ON fee.stay = t2.id) ON t2.id = t1.parent
CREATE VIEW dbo.v AS SELECT id FROM dbo.stay WHERE (a = 1 OR b IS NOT NULL) AND NOT (a IN (1, 2, 3)) AND NOT EXISTS (SELECT * FROM dbo.fee WHERE fee.id = stay.id)
CREATE VIEW [dbo].[v] AS SELECT "id", [a] AS "x y" FROM "dbo"."stay"
CREATE VIEW dbo.v AS SELECT TOP (SELECT 5) id FROM dbo.stay ORDER BY NEWID()
CREATE VIEW dbo.v AS SELECT MAX(CASE WHEN a = 1 THEN b END) AS m, COUNT(DISTINCT CASE WHEN a = 1 THEN id END) AS c FROM dbo.stay HAVING COUNT(*) > 1
CREATE PROCEDURE dbo.p AS BEGIN SET NOCOUNT ON; BEGIN TRY BEGIN TRAN; UPDATE stay SET a = 1 OUTPUT inserted.id, deleted.a INTO @x FROM dbo.stay AS stay JOIN dbo.fee fee ON fee.stay = stay.id WHERE stay.id = 1; DELETE TOP (5) FROM dbo.stay OUTPUT deleted.*; DELETE stay FROM dbo.stay stay; INSERT dbo.fee (id) OUTPUT inserted.id VALUES (1); COMMIT; END TRY BEGIN CATCH IF @@TRANCOUNT > 0 ROLLBACK; DECLARE @m nvarchar(2048) = ERROR_MESSAGE(); RAISERROR(@m, 16, 1); RETURN -1; END CATCH END
CREATE PROCEDURE dbo.p @xml xml AS SELECT n.value('.', 'int') FROM @xml.nodes('/a') AS stay(n); SET @xml.modify('delete /a'); EXEC sp_xml_preparedocument @h OUTPUT, @xml; SELECT * FROM OPENXML(@h, '/a', 2) WITH (a int '@a')
CREATE PROCEDURE dbo.p AS EXECUTE AS USER = 'x'; REVERT; GRANT SELECT ON dbo.stay TO x; OPEN SYMMETRIC KEY k DECRYPTION BY CERTIFICATE c; BACKUP DATABASE x TO DISK = 'y'
CREATE PROCEDURE dbo.p AS DECLARE c CURSOR FOR SELECT 1; OPEN c
CREATE PROCEDURE dbo.p AS WAITFOR DELAY '00:00:01'; again: SET ROWCOUNT 10; SET TRANSACTION ISOLATION LEVEL READ UNCOMMITTED; GOTO again
CREATE PROCEDURE dbo.p AS EXEC dbo.q 1, @b = 2 WITH RESULT SETS ((id int)); EXEC @rc = dbo.q; EXEC ('x', 1) AT far; EXEC('a') AS USER = 'b'
CREATE FUNCTION dbo.f () RETURNS int WITH INLINE = OFF AS BEGIN RETURN 1 END
CREATE TABLE dbo.x (id int NOT NULL, j nvarchar(max) CHECK (ISJSON(j) = 1), jv AS JSON_VALUE(j, '$.a'), c AS CONCAT_WS('-', id, j), d date DEFAULT (EOMONTH(GETDATE())), fee AS (UPPER(j)) PERSISTED, k AS CHECKSUM(id), h AS HASHBYTES('MD5', j), f AS FORMAT(id, '000'), INDEX ix (id), s varchar(9) DEFAULT SUSER_SNAME(), n bigint DEFAULT (DATEDIFF_BIG(ms, '2000-01-01', SYSUTCDATETIME())), CHECK (PATINDEX('%x%', j) = 0 AND id % 2 = 0 OR LEN(j) > 3))
CREATE TABLE dbo.x (id int, g geography, lat AS g.Lat, p AS (g.STAsText()), hid hierarchyid, lev AS hid.GetLevel() PERSISTED, sg AS geography::Point(1, 2, 4326))
CREATE TABLE dbo.x (id int IDENTITY(1,1) PRIMARY KEY NONCLUSTERED, a int CONSTRAINT uq UNIQUE CLUSTERED, b bit NOT NULL DEFAULT ((0)), v sql_variant, h hierarchyid, stay time(0), o datetimeoffset(3), r real, f float(24), sm smallmoney, im image, tx text, nt ntext, sn sysname NULL, ch char(10), vb varbinary(10), x xml, ts timestamp)
CREATE TRIGGER dbo.tr ON dbo.stay AFTER INSERT, UPDATE AS BEGIN IF NOT EXISTS (SELECT 1 FROM inserted) RETURN; MERGE dbo.fee AS d USING inserted AS s ON s.id = d.id WHEN MATCHED THEN UPDATE SET d.stay = s.a; IF UPDATE(a) AND NOT UPDATE(b) INSERT dbo.fee (id, stay) SELECT i.id, ISNULL(d.a, 0) FROM inserted i LEFT JOIN deleted d ON d.id = i.id END
CREATE TABLE dbo.x (a datetime DEFAULT DATEADD(DAY, 1, GETDATE()), b AS DATEDIFF(dd, a, GETDATE()), c AS DATENAME(weekday, a), d AS YEAR(a), e AS DATEPART(QUARTER, a), f AS (CONVERT(varchar(10), a, 103)), g AS CAST(a AS date) PERSISTED)
CREATE TABLE dbo.x (id int NOT NULL IDENTITY (1, 1), CONSTRAINT PK_x PRIMARY KEY (id) WITH FILLFACTOR = 90 ON [PRIMARY])
CREATE TABLE x (id int primary key, constraint fk foreign key (id) references stay (id) on delete no action on update no action)
CREATE TABLE dbo.x (a int not null default 0 check (a >= 0), b varchar(max) collate database_default, c int references dbo.stay, unique (a), check (a < 10 and b is not null))
CREATE TABLE dbo.x (id int NOT NULL, v varchar(5) CONSTRAINT c1 CHECK (v IN ('a','b')), w varchar(5) CHECK (w LIKE '[A-Z]%' OR LEN(w) BETWEEN 1 AND 3))
CREATE TABLE dbo.x (id UNIQUEIDENTIFIER NOT NULL DEFAULT NEWSEQUENTIALID() ROWGUIDCOL, ts ROWVERSION)
CREATE TABLE dbo.x (id int, n numeric(18,0), d dec(5), i integer, c character varying(20), nc national character(5), dp double precision, bv binary varying(3), f float, ch char, vc varchar, nvc nvarchar, vb varbinary)
CREATE TABLE [dbo].[x]([a b] [int] NULL, [from] [nvarchar](50) NULL, [x]]y] int)
CREATE TABLE dbo.x (id int PRIMARY KEY CLUSTERED WITH (DATA_COMPRESSION = PAGE), s int SPARSE NULL, m varchar(20) MASKED WITH (FUNCTION = 'partial(1,"xx",0)') NULL)
CREATE TABLE dbo.x (id int, INDEX ix1 CLUSTERED (id DESC), INDEX ix2 NONCLUSTERED (id) WHERE id > 5)
CREATE TABLE dbo.x (id int) WITH (DATA_COMPRESSION = ROW)
CREATE TABLE dbo.x (id int) ON "default"
CREATE TABLE dbo.x (id int, INDEX cci CLUSTERED COLUMNSTORE)
CREATE NONCLUSTERED COLUMNSTORE INDEX ncci ON dbo.fee (stay, v) WHERE stay > 3
CREATE UNIQUE INDEX ux ON dbo.stay (a, b DESC) INCLUDE (m) WHERE a IS NOT NULL AND b <> N'x' WITH (FILLFACTOR = 80, PAD_INDEX = ON, IGNORE_DUP_KEY = ON, STATISTICS_NORECOMPUTE = ON, SORT_IN_TEMPDB = ON, ONLINE = ON, MAXDOP = 2, DATA_COMPRESSION = PAGE)
CREATE INDEX ix ON dbo.stay (a) WITH FILLFACTOR = 70
CREATE INDEX ix ON stay(a asc, id desc) on [primary]
ALTER TABLE dbo.stay ADD z int NULL, y varchar(3) NOT NULL CONSTRAINT df DEFAULT 'a' WITH VALUES
ALTER TABLE dbo.stay ADD CONSTRAINT ck CHECK NOT FOR REPLICATION (a > 0)
ALTER TABLE dbo.stay WITH NOCHECK ADD CONSTRAINT fk FOREIGN KEY (a) REFERENCES dbo.fee (id) NOT FOR REPLICATION
ALTER TABLE dbo.stay ALTER COLUMN b nvarchar(60) NOT NULL
ALTER TABLE dbo.stay DROP COLUMN m, g
ALTER TABLE dbo.stay REBUILD WITH (DATA_COMPRESSION = PAGE)
ALTER TABLE dbo.stay SET (LOCK_ESCALATION = DISABLE)
ALTER INDEX ALL ON dbo.stay REBUILD
ALTER TABLE stay ADD CONSTRAINT uq UNIQUE NONCLUSTERED (a) WITH (IGNORE_DUP_KEY = ON) ON [PRIMARY]
IF COL_LENGTH('dbo.stay', 'zz') IS NULL ALTER TABLE dbo.stay ADD zz int NULL
IF COL_LENGTH(N'dbo.stay', N'zz') IS NULL BEGIN ALTER TABLE dbo.stay ADD zz int NULL END
IF NOT EXISTS (SELECT 1 FROM INFORMATION_SCHEMA.COLUMNS WHERE TABLE_SCHEMA = 'dbo' AND TABLE_NAME = 'stay' AND COLUMN_NAME = 'zz') ALTER TABLE dbo.stay ADD zz int NULL
IF NOT EXISTS (SELECT 1 FROM INFORMATION_SCHEMA.TABLES WHERE TABLE_NAME = 'zz') CREATE TABLE zz (id int)
IF NOT EXISTS (SELECT * FROM sys.columns WHERE Name = N'zz' AND Object_ID = Object_ID(N'dbo.stay')) BEGIN ALTER TABLE dbo.stay ADD zz int NULL; EXEC('UPDATE dbo.stay SET zz = 1') END
IF NOT EXISTS (SELECT * FROM sys.schemas WHERE name = N'yard') EXEC('CREATE SCHEMA [yard]')
IF SCHEMA_ID('yard') IS NULL EXEC sys.sp_executesql N'CREATE SCHEMA yard'
IF OBJECT_ID('dbo.zz', 'U') IS NULL CREATE TABLE dbo.zz (id int)
IF TYPE_ID('dbo.mark') IS NULL CREATE TYPE dbo.mark FROM int
IF EXISTS (SELECT * FROM sys.objects WHERE type = 'P' AND name = 'p') DROP PROCEDURE p
IF EXISTS (SELECT * FROM dbo.sysobjects WHERE id = OBJECT_ID(N'[dbo].[zz]') AND OBJECTPROPERTY(id, N'IsUserTable') = 1) DROP TABLE [dbo].[zz]
IF INDEXPROPERTY(OBJECT_ID('dbo.stay'), 'ix', 'IndexID') IS NULL CREATE INDEX ix ON dbo.stay (a)
IF EXISTS (SELECT name FROM sys.indexes WHERE name = 'ix' AND object_id = OBJECT_ID('dbo.stay')) DROP INDEX ix ON dbo.stay
IF OBJECT_ID('tempdb..#x') IS NOT NULL DROP TABLE #x
DECLARE @n int = 3; IF @n > 2 ALTER TABLE dbo.stay ADD zz int; ELSE ALTER TABLE dbo.stay ADD yy int
DECLARE @sql nvarchar(max); SET @sql = N'CREATE TABLE dbo.zz (id int)'; EXEC (@sql)
DECLARE @sql nvarchar(max) = N''; SELECT @sql += 'DROP TABLE ' + QUOTENAME(name) + ';' FROM sys.tables WHERE name LIKE 'zz%'; EXEC sp_executesql @sql
DECLARE @c sysname; SELECT @c = name FROM sys.default_constraints WHERE parent_object_id = OBJECT_ID('dbo.stay') AND parent_column_id = 2; IF @c IS NOT NULL EXEC('ALTER TABLE dbo.stay DROP CONSTRAINT [' + @c + ']')
DECLARE @stay TABLE (id int, n varchar(5)); INSERT INTO @stay VALUES (1, 'a'); INSERT dbo.fee (id, stay) SELECT id, 1 FROM @stay
BEGIN TRANSACTION; ALTER TABLE dbo.stay ADD zz int; COMMIT TRANSACTION
SET XACT_ABORT ON; BEGIN TRY BEGIN TRAN; ALTER TABLE dbo.stay ADD zz int; COMMIT; END TRY BEGIN CATCH ROLLBACK; THROW; END CATCH
MERGE INTO dbo.fee AS d USING (VALUES (1, 2), (3, 4)) AS s (id, stay) ON d.id = s.id WHEN MATCHED THEN UPDATE SET stay = s.stay WHEN NOT MATCHED THEN INSERT (id, stay) VALUES (s.id, s.stay);
SET IDENTITY_INSERT dbo.stay ON; INSERT dbo.stay (id, a) VALUES (1, 2), (3, 4); SET IDENTITY_INSERT dbo.stay OFF
INSERT INTO dbo.fee SELECT id, a, 1.5, GETDATE(), 0 FROM dbo.stay WHERE a IN (SELECT TOP 1 stay FROM dbo.fee ORDER BY id) UNION ALL SELECT 1, 2, 3, NULL, NULL
UPDATE fee SET fee.v = stay.m FROM dbo.fee AS fee INNER JOIN dbo.stay AS stay ON stay.id = fee.stay WHERE fee.b = 1
DELETE FROM fee FROM dbo.fee fee JOIN dbo.stay stay ON stay.id = fee.stay
EXEC sp_rename 'dbo.stay.a', 'aa', 'COLUMN'
EXEC sp_rename N'dbo.stay', N'tt'
EXEC sp_rename @objname = N'dbo.fee', @newname = N'uu', @objtype = N'OBJECT'
CREATE STATISTICS st ON dbo.stay (a, b) WHERE a > 1 WITH FULLSCAN, NORECOMPUTE
UPDATE STATISTICS dbo.stay WITH FULLSCAN
CREATE SEQUENCE dbo.s AS bigint START WITH 1 INCREMENT BY 1 MINVALUE 1 NO MAXVALUE NO CYCLE CACHE 50
CREATE SYNONYM dbo.syn FOR far.other.dbo.stay
CREATE USER pilot FOR LOGIN pilot WITH DEFAULT_SCHEMA = dbo
CREATE USER pilot WITHOUT LOGIN; ALTER ROLE db_owner ADD MEMBER pilot; GRANT SELECT, INSERT ON SCHEMA::dbo TO pilot; DENY DELETE ON dbo.stay TO pilot; GRANT EXECUTE TO pilot; REVOKE INSERT ON SCHEMA::dbo FROM pilot CASCADE
CREATE LOGIN pilot WITH PASSWORD = 'x', CHECK_POLICY = OFF
IF NOT EXISTS (SELECT * FROM sys.database_principals WHERE name = N'pilot') CREATE USER [pilot] FOR LOGIN [pilot]
IF DATABASE_PRINCIPAL_ID('clerks') IS NULL CREATE ROLE clerks
ALTER DATABASE CURRENT SET RECOVERY SIMPLE WITH NO_WAIT
ALTER DATABASE SCOPED CONFIGURATION SET MAXDOP = 4
CREATE SCHEMA yard AUTHORIZATION dbo CREATE TABLE crane (id int) GRANT SELECT ON crane TO public
PRINT 'done'; SELECT @@VERSION; SELECT 1 AS one
WAITFOR DELAY '00:00:00'
DBCC CHECKIDENT ('dbo.stay', RESEED, 10)
DBCC FREEPROCCACHE
CHECKPOINT
RECONFIGURE
EXEC sp_configure 'show advanced options', 1; RECONFIGURE
TRUNCATE TABLE dbo.fee
RAISERROR('x', 10, 1) WITH NOWAIT
GRANT VIEW DEFINITION TO public
DROP TABLE IF EXISTS dbo.zz, dbo.yy
DROP INDEX IF EXISTS ix ON dbo.stay
ALTER TABLE dbo.stay DROP CONSTRAINT IF EXISTS ck
ALTER TABLE dbo.stay DISABLE TRIGGER ALL
DISABLE TRIGGER ALL ON DATABASE
ALTER TABLE dbo.stay NOCHECK CONSTRAINT ALL
CREATE VIEW dbo.v AS SELECT dbo.stay.id, [dbo].[stay].[a] FROM dbo.stay WITH (INDEX(1), NOLOCK) WHERE dbo.stay.a !< 3 AND dbo.stay.a !> 9
CREATE VIEW dbo.v AS SELECT COUNT(ALL a) AS c, COUNT_BIG(*) AS cb, SUM(DISTINCT a) AS s FROM dbo.stay
CREATE VIEW dbo.v AS SELECT DISTINCT TOP 5 a FROM dbo.stay ORDER BY a
CREATE VIEW dbo.v AS SELECT {fn CONCAT(b, 'x')} AS c, {d '2020-01-01'} AS d, {ts '2020-01-01 00:00:00'} AS ts FROM dbo.stay
CREATE VIEW dbo.v AS SELECT id FROM dbo.stay WHERE b LIKE '50!%' ESCAPE '!' AND b NOT LIKE N'%x'
CREATE VIEW dbo.v AS SELECT CONVERT(VARCHAR(MAX), b) AS m, CAST(d AS TIME) AS stay, CAST(d AS DATE) AS dd, CAST(a AS NVARCHAR) AS n, CAST(m AS DECIMAL(18, 2)) AS de, CONVERT(DECIMAL(10, 2), m, 1) AS c FROM dbo.stay
CREATE VIEW dbo.v AS SELECT DATEADD(d, -1, d) AS x, DATEDIFF(yy, d, GETDATE()) - CASE WHEN MONTH(d) > 3 THEN 1 ELSE 0 END AS age FROM dbo.stay
CREATE VIEW dbo.v AS SELECT 1 AS [1], N'é' AS [é], 'it''s' AS q, $5 AS m, .5 AS h, 5. AS f, 1E5 AS e, 0xABCD AS b, -+-1 AS s
CREATE VIEW dbo.v AS SELECT a.id, b.id AS bid FROM dbo.stay a CROSS JOIN dbo.fee b
CREATE VIEW dbo.v AS SELECT a.id FROM dbo.stay a INNER JOIN dbo.fee b INNER JOIN dbo.stay c ON b.id = c.id ON a.id = b.id
CREATE VIEW dbo.v AS SELECT id FROM dbo.stay a WHERE a.id = (SELECT MAX(b.id) FROM dbo.stay b WHERE b.a = a.a)
CREATE VIEW dbo.v AS SELECT z.id, z.n FROM (SELECT id, COUNT(*) AS n FROM dbo.stay GROUP BY id HAVING COUNT(*) > 1) z
CREATE VIEW dbo.v AS SELECT z.x FROM (SELECT 1 UNION ALL SELECT 2) AS z(x)
CREATE VIEW dbo.v AS SELECT id, CASE WHEN EXISTS (SELECT 1 FROM dbo.fee WHERE fee.stay = stay.id) THEN 'Y' ELSE 'N' END AS y FROM dbo.stay
CREATE VIEW dbo.v AS SELECT id FROM dbo.stay WHERE a IN (SELECT stay FROM dbo.fee UNION SELECT 3) OR (a) BETWEEN (1) AND (2)
CREATE VIEW dbo.v AS SELECT id, RIGHT('0000' + CAST(id AS VARCHAR(4)), 4) AS code, LEFT(b, CHARINDEX('-', b + '-') - 1) AS l FROM dbo.stay
CREATE VIEW dbo.v AS WITH a AS (SELECT id FROM dbo.stay), b (x) AS (SELECT id FROM a) SELECT x FROM b UNION SELECT id FROM a
CREATE VIEW dbo.v AS SELECT o.id, x.n FROM dbo.stay AS o CROSS APPLY (SELECT COUNT(*) AS n FROM dbo.fee AS i WHERE i.stay = o.id) AS x WHERE x.n > 0
CREATE VIEW dbo.v AS SELECT id, a [my col], b 'quoted', m AS "dq" FROM dbo.stay
CREATE VIEW dbo.v WITH SCHEMABINDING AS SELECT a, COUNT_BIG(*) AS n, SUM(ISNULL(id, 0)) AS s FROM dbo.stay GROUP BY a
CREATE VIEW dbo.v AS SELECT TOP (100) PERCENT id FROM dbo.stay ORDER BY CASE WHEN a IS NULL THEN 1 ELSE 0 END, b COLLATE Latin1_General_CI_AI DESC
CREATE VIEW dbo.v AS SELECT * FROM dbo.stay
CREATE VIEW dbo.v AS SELECT stay.*, 1 AS one FROM dbo.stay
CREATE VIEW dbo.v AS SELECT GETDATE() AS now, CURRENT_TIMESTAMP AS ct, USER AS fee, @@ROWCOUNT AS r, @@TRANCOUNT AS tc, @@FETCH_STATUS AS fs, @@LANGUAGE AS l
CREATE VIEW dbo.v AS SELECT ISNULL(a, 0) + ISNULL(parent, 0) AS s, a / NULLIF(parent, 0) AS q, CAST(a AS float) / 100 AS p, ROUND(CAST(m AS float), 2) AS r FROM dbo.stay
CREATE VIEW dbo.v AS SELECT CASE a WHEN 1 THEN N'one' WHEN 2 THEN N'two' END AS w, IIF(a IS NULL, 1, 2) AS i FROM dbo.stay
CREATE VIEW dbo.v AS SELECT JSON_OBJECT('a': a, 'b': b) AS o, JSON_ARRAY(a, b) AS ar FROM dbo.stay
CREATE VIEW dbo.v AS SELECT ROW_NUMBER() OVER (ORDER BY (SELECT NULL)) AS rn, ROW_NUMBER() OVER (ORDER BY (SELECT 1)) AS rn2 FROM dbo.stay
CREATE VIEW dbo.v AS SELECT LAST_VALUE(a) IGNORE NULLS OVER (ORDER BY id ROWS BETWEEN 1 PRECEDING AND 1 FOLLOWING) AS lv FROM dbo.stay
CREATE VIEW dbo.v AS SELECT c.value('(@id)[1]', 'int') AS id FROM (SELECT CAST(j AS xml) AS doc FROM dbo.stay) AS s CROSS APPLY s.doc.nodes('/r/c') AS n(c)
CREATE VIEW dbo.v AS SELECT STUFF((SELECT DISTINCT ', ' + QUOTENAME(b) FROM dbo.stay FOR XML PATH(''), ROOT('r'), TYPE).value('/r[1]', 'nvarchar(max)'), 1, 2, N'') AS l
CREATE VIEW dbo.v AS SELECT (SELECT id, b AS [x.y] FROM dbo.stay FOR JSON PATH, INCLUDE_NULL_VALUES, WITHOUT_ARRAY_WRAPPER) AS j
CREATE VIEW dbo.v AS SELECT id FROM dbo.stay WHERE CONTAINS((b, j), N'"gull*" NEAR "sea"') AND FREETEXT(*, N'x') AND CONTAINS(stay.b, N'FORMSOF(INFLECTIONAL, sail)')
CREATE VIEW dbo.v AS SELECT OBJECT_NAME(object_id) AS n, SCHEMA_NAME(schema_id) AS s, TYPE_NAME(1) AS stay FROM sys.tables
CREATE VIEW dbo.v AS SELECT s.name FROM sys.dm_exec_sessions AS x JOIN sys.databases AS s ON s.database_id = x.database_id
CREATE VIEW dbo.v AS SELECT r.session_id, q.text FROM sys.dm_exec_requests AS r CROSS APPLY sys.dm_exec_sql_text(r.sql_handle) AS q
CREATE VIEW dbo.v AS SELECT name, type_desc FROM sys.all_objects UNION ALL SELECT ROUTINE_NAME, ROUTINE_TYPE FROM INFORMATION_SCHEMA.ROUTINES
CREATE VIEW dbo.v AS SELECT name FROM master..spt_values WHERE type = 'P'
CREATE VIEW dbo.v AS SELECT number FROM master.dbo.spt_values
CREATE VIEW dbo.v AS SELECT id = stay.id, [sum] = SUM(stay.a) OVER (), 'x' AS c FROM dbo.stay AS stay
CREATE FUNCTION dbo.f (@a int, @b int = NULL) RETURNS TABLE WITH SCHEMABINDING AS RETURN WITH c AS (SELECT id FROM dbo.stay WHERE a = @a) SELECT id FROM c WHERE @b IS NULL OR id = @b
CREATE FUNCTION dbo.f (@a int) RETURNS TABLE AS RETURN SELECT TOP (@a) id FROM dbo.stay ORDER BY id OFFSET 0 ROWS
CREATE FUNCTION f (@a AS int) RETURNS varchar(20) AS BEGIN RETURN CASE WHEN @a=1 THEN 'x' END END
CREATE FUNCTION dbo.f (@p geography) RETURNS float AS BEGIN RETURN @p.STDistance(geography::Point(1, 2, 4326)) END
CREATE FUNCTION dbo.f() RETURNS TABLE RETURN SELECT 1 AS one
CREATE OR ALTER PROCEDURE dbo.p AS SELECT 1
ALTER TABLE dbo.stay ADD CONSTRAINT ck CHECK (b COLLATE Latin1_General_BIN LIKE '[A-Z][A-Z]' AND LEN(b) = 2 AND (a IS NULL OR a IN (1, 2)) AND d < '99991231')
ALTER TABLE dbo.stay ADD CONSTRAINT ck CHECK ((a = 1 AND parent IS NULL) OR (a <> 1 AND parent IS NOT NULL))
ALTER TABLE dbo.stay ADD CONSTRAINT ck CHECK (ISDATE(b) = 1 OR ISNUMERIC(b) = 1 OR TRY_CONVERT(int, b) IS NOT NULL)
ALTER TABLE dbo.stay ADD CONSTRAINT df DEFAULT (CONVERT(date, GETDATE())) FOR d
ALTER TABLE dbo.stay ADD CONSTRAINT df DEFAULT (DATEADD(day, 30, CONVERT(date, SYSDATETIME()))) FOR d
ALTER TABLE dbo.stay ADD full_name AS (b + N' ' + CONVERT(nvarchar(10), a)) PERSISTED, y AS (DATEPART(year, d)), k AS (CASE WHEN a > 0 THEN CONVERT(bit, 1) ELSE CONVERT(bit, 0) END)
ALTER TABLE dbo.stay ADD CONSTRAINT df DEFAULT (CONCAT('x', NEWID())) FOR b
ALTER TABLE dbo.stay ADD CONSTRAINT df DEFAULT (CAST(SERVERPROPERTY('MachineName') AS nvarchar(50))) FOR b
ALTER TABLE dbo.stay ADD CONSTRAINT df DEFAULT (ORIGINAL_LOGIN()) FOR b
ALTER TABLE dbo.stay ADD CONSTRAINT df DEFAULT (SESSION_CONTEXT(N'tenant')) FOR b
ALTER TABLE dbo.stay ADD c1 AS (BINARY_CHECKSUM(a, b)), c2 AS (CAST(HASHBYTES('SHA2_256', b) AS binary(32))) PERSISTED, c3 AS (SUBSTRING(b, 1, 3)), c4 AS (TRY_CAST(b AS int)), c5 AS (COALESCE(a, parent, 0)), c6 AS (IIF(a > 1, 2, 3)), c7 AS (x.value('(/a)[1]', 'int'))
