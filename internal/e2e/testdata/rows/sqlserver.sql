--- case an empty table goes
--- target
CREATE TABLE berth (id int); CREATE TABLE tide_gauge (id int, level real);
--- source
CREATE TABLE berth (id int);
--- says every row of table tide_gauge: the table is empty; the script stops if that is no longer so
--- trips INSERT INTO tide_gauge VALUES (1, 2.5)
--- keep SELECT count(*) FROM tide_gauge
--- case a column without values goes
--- target
CREATE TABLE [Berth $(guard) ]]x] (id int, [no te] nvarchar(99)); INSERT INTO [Berth $(guard) ]]x] (id) VALUES (1), (2);
--- source
CREATE TABLE [Berth $(guard) ]]x] (id int);
--- says none of 2 rows holds a value; the script stops
--- trips UPDATE [Berth $(guard) ]]x] SET [no te] = N'mud' WHERE id = 2
--- keep SELECT [no te] FROM [Berth $(guard) ]]x] ORDER BY id
--- case a column with values is held back
--- exit 3
--- target
CREATE TABLE berth (id int, note nvarchar(9)); INSERT INTO berth VALUES (1, N'mud'), (2, NULL), (3, N'sand');
--- source
CREATE TABLE berth (id int);
--- says the values of column note of table berth: 2 of 3 rows hold a value
--- case NOT NULL over NULLs
--- exit 3
--- target
CREATE TABLE berth (id int, name nvarchar(9)); INSERT INTO berth VALUES (1, NULL), (2, N'Heron');
--- source
CREATE TABLE berth (id int, name nvarchar(9) NOT NULL);
--- says will-fail: fails when a row holds NULL in column name
--- says 1 of 2 rows holds NULL
--- case NOT NULL without NULLs
--- target
CREATE TABLE berth (id int, name nvarchar(9)); INSERT INTO berth VALUES (2, N'Heron');
--- source
CREATE TABLE berth (id int, name nvarchar(9) NOT NULL);
--- says none of 1 row holds NULL; the script stops
--- trips INSERT INTO berth (id) VALUES (9)
--- case keys twice, and NULL is a value of a key
--- exit 3
--- target
CREATE TABLE pilot (id int NOT NULL, name nvarchar(9), since date); INSERT INTO pilot VALUES (1, N'Ada', NULL), (2, N'ada', NULL), (3, N'Bo', '2020-01-01'), (4, NULL, NULL);
--- source
CREATE TABLE pilot (id int NOT NULL PRIMARY KEY, name nvarchar(9), since date); CREATE UNIQUE INDEX pilot_name ON pilot (name DESC) INCLUDE (since) WHERE id > 0; CREATE UNIQUE INDEX pilot_since ON pilot (since);
--- says 2 of 4 rows share their key with another
--- says 3 of 4 rows share their key with another
--- case orphans under a new key
--- exit 3
--- target
CREATE TABLE berth (id int NOT NULL PRIMARY KEY); CREATE TABLE stay (id int NOT NULL PRIMARY KEY, berth int); INSERT INTO berth VALUES (1); INSERT INTO stay VALUES (1, 1), (2, 7), (3, NULL);
--- source
CREATE TABLE berth (id int NOT NULL PRIMARY KEY); CREATE TABLE stay (id int NOT NULL PRIMARY KEY, berth int CONSTRAINT of_berth REFERENCES berth (id));
--- says 1 of 3 rows
--- case a key without orphans
--- target
CREATE TABLE berth (id int NOT NULL PRIMARY KEY); CREATE TABLE stay (id int NOT NULL PRIMARY KEY, berth int); INSERT INTO berth VALUES (1); INSERT INTO stay VALUES (1, 1), (3, NULL);
--- source
CREATE TABLE berth (id int NOT NULL PRIMARY KEY); CREATE TABLE stay (id int NOT NULL PRIMARY KEY, berth int CONSTRAINT of_berth REFERENCES berth (id));
--- says none of 2 rows
--- trips INSERT INTO stay VALUES (4, 9)
--- keep SELECT count(*) FROM stay
--- case a check that rows break
--- exit 3
--- target
CREATE TABLE berth (id int NOT NULL, depth int); INSERT INTO berth VALUES (1, 4), (2, -1), (3, NULL);
--- source
CREATE TABLE berth (id int NOT NULL, depth int CONSTRAINT deep CHECK (depth > 0));
--- says 1 of 3 rows
--- case a check that no row breaks
--- target
CREATE TABLE berth (id int NOT NULL, depth int); INSERT INTO berth VALUES (1, 4), (3, NULL);
--- source
CREATE TABLE berth (id int NOT NULL, depth int CONSTRAINT deep CHECK (depth > 0));
--- says none of 2 rows
--- trips INSERT INTO berth VALUES (4, -9)
--- case long values under a shorter type
--- exit 3
--- target
CREATE TABLE berth (id int NOT NULL, name nvarchar(20)); INSERT INTO berth VALUES (1, N'Ostkai am Hafen'), (2, N'Kai');
--- source
CREATE TABLE berth (id int NOT NULL, name nvarchar(5));
--- says 1 of 2 rows
--- case short values under a shorter type
--- target
CREATE TABLE berth (id int NOT NULL, name nvarchar(20)); INSERT INTO berth VALUES (1, N'Ost'), (2, N'Kai');
--- source
CREATE TABLE berth (id int NOT NULL, name nvarchar(5));
--- says none of 2 rows
--- trips UPDATE berth SET name = N'Ostkai am Hafen' WHERE id = 2
--- keep SELECT name FROM berth ORDER BY id
--- case numbers that do not fit
--- exit 3
--- target
CREATE TABLE berth (id int NOT NULL, big bigint); INSERT INTO berth VALUES (1, 5000000000), (2, 7);
--- source
CREATE TABLE berth (id int NOT NULL, big int);
--- says 1 of 2 rows
--- case text that is no number
--- exit 3
--- target
CREATE TABLE berth (id int NOT NULL, code varchar(9)); INSERT INTO berth VALUES (1, '17'), (2, 'x7');
--- source
CREATE TABLE berth (id int NOT NULL, code int);
--- says 1 of 2 rows
--- case a filegroup that nobody made
--- exit 3
--- target
CREATE TABLE berth (id int);
--- source
ALTER DATABASE CURRENT ADD FILEGROUP [cold disk];
ALTER DATABASE CURRENT ADD FILE (NAME = one, FILENAME = '/data/one.ndf') TO FILEGROUP [cold disk];
GO
CREATE TABLE berth (id int);
CREATE TABLE call (id int) ON [cold disk];
--- says will-fail: fails when the database has no filegroup cold disk: it has none of that name
--- case a filegroup that is there
--- target
ALTER DATABASE CURRENT ADD FILEGROUP [cold disk];
ALTER DATABASE CURRENT ADD FILE (NAME = one, FILENAME = '/data/one.ndf') TO FILEGROUP [cold disk];
--- source
ALTER DATABASE CURRENT ADD FILEGROUP [cold disk];
ALTER DATABASE CURRENT ADD FILE (NAME = one, FILENAME = '/data/one.ndf') TO FILEGROUP [cold disk];
GO
CREATE TABLE call (id int) ON [cold disk];
--- says row check: fails when the database has no filegroup cold disk: it has it
--- case no room for tables in memory
--- exit 3
--- target
CREATE TABLE berth (id int NOT NULL CONSTRAINT PK_b PRIMARY KEY NONCLUSTERED); INSERT INTO berth VALUES (1);
--- source
ALTER DATABASE CURRENT ADD FILEGROUP fast CONTAINS MEMORY_OPTIMIZED_DATA;
ALTER DATABASE CURRENT ADD FILE (NAME = one, FILENAME = '/data/one') TO FILEGROUP fast;
GO
CREATE TABLE berth (id int NOT NULL CONSTRAINT PK_b PRIMARY KEY NONCLUSTERED) WITH (MEMORY_OPTIMIZED = ON);
--- says will-fail: fails when the database has no filegroup for tables in memory: it has none
--- case rows of a table in memory that would go
--- target
ALTER DATABASE CURRENT ADD FILEGROUP fast CONTAINS MEMORY_OPTIMIZED_DATA;
ALTER DATABASE CURRENT ADD FILE (NAME = one, FILENAME = '/data/one') TO FILEGROUP fast;
GO
CREATE TABLE berth (id int NOT NULL PRIMARY KEY NONCLUSTERED, gone int) WITH (MEMORY_OPTIMIZED = ON);
INSERT INTO berth VALUES (1, NULL);
--- source
ALTER DATABASE CURRENT ADD FILEGROUP fast CONTAINS MEMORY_OPTIMIZED_DATA;
ALTER DATABASE CURRENT ADD FILE (NAME = one, FILENAME = '/data/one') TO FILEGROUP fast;
GO
CREATE TABLE berth (id int NOT NULL PRIMARY KEY NONCLUSTERED) WITH (MEMORY_OPTIMIZED = ON);
--- says none of 1 row holds a value; the script stops
--- trips UPDATE berth SET gone = 4
--- keep SELECT gone FROM berth
--- case a key to a table of which a policy hides rows
--- target
CREATE TABLE berth (id int NOT NULL PRIMARY KEY); CREATE TABLE call (berth int); INSERT INTO berth VALUES (1), (2); INSERT INTO call VALUES (1), (2);
GO
CREATE FUNCTION ours (@id int) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @id = 1;
GO
CREATE SECURITY POLICY own ADD FILTER PREDICATE dbo.ours(id) ON dbo.berth;
--- source
CREATE TABLE berth (id int NOT NULL PRIMARY KEY); CREATE TABLE call (berth int CONSTRAINT FK REFERENCES berth (id));
GO
CREATE FUNCTION ours (@id int) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @id = 1;
GO
CREATE SECURITY POLICY own ADD FILTER PREDICATE dbo.ours(id) ON dbo.berth;
--- says may-fail: fails when a row refers to a row that is not there
