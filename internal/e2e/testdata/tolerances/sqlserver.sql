--- case comments
--- source
CREATE TABLE dbo.berth (id int PRIMARY KEY, code varchar(9)); CREATE INDEX by_code ON dbo.berth (code);
EXEC sp_addextendedproperty N'MS_Description', N'where ships lie', N'SCHEMA', N'dbo', N'TABLE', N'berth';
EXEC sp_addextendedproperty N'MS_Description', N'painted on the quay', N'SCHEMA', N'dbo', N'TABLE', N'berth', N'COLUMN', N'code';
--- target
CREATE TABLE dbo.berth (id int PRIMARY KEY, code varchar(9)); CREATE INDEX by_code ON dbo.berth (code);
EXEC sp_addextendedproperty N'MS_Description', N'berths', N'SCHEMA', N'dbo', N'TABLE', N'berth';
INSERT INTO dbo.berth VALUES (1, 'A');
--- rows
ALTER TABLE dbo.berth ALTER COLUMN code varchar(20); ALTER TABLE dbo.berth ADD lamp int;
--- keep SELECT id, code FROM dbo.berth
--- case whitespace
--- source
CREATE FUNCTION dbo.dues (@d int) RETURNS int AS
BEGIN
  IF @d > 3
    RETURN @d * 2;   -- long stays

  RETURN   @d;
END
--- target
CREATE FUNCTION dbo.dues (@d int) RETURNS int AS BEGIN IF @d > 3 RETURN @d * 2; -- long   stays
RETURN @d; END
--- rows
GO
CREATE VIEW dbo.rate AS SELECT 3 AS r;
--- case line-endings
--- source
EXEC (N'CREATE PROCEDURE dbo.rate AS' + NCHAR(10) + N'SELECT 1 AS one');
--- target
EXEC (N'CREATE PROCEDURE dbo.rate AS' + NCHAR(13) + NCHAR(10) + N'SELECT 1 AS one');
--- rows
GO
CREATE VIEW dbo.rates AS SELECT 3 AS r;
--- case text-comments
--- source
CREATE PROCEDURE dbo.flag AS
BEGIN
  -- agreed with the pilots
  SELECT 1 AS f; -- a day
END
--- target
CREATE PROCEDURE dbo.flag AS
BEGIN
  SELECT 1 AS f;
END
--- rows
GO
CREATE VIEW dbo.rates AS SELECT 3 AS r;
--- case collation
--- source
CREATE TABLE dbo.berth (id int PRIMARY KEY, code varchar(9) COLLATE Latin1_General_BIN2);
--- target
CREATE TABLE dbo.berth (id int PRIMARY KEY, code varchar(9) COLLATE Latin1_General_CI_AS); INSERT INTO dbo.berth VALUES (1, 'A');
--- rows
ALTER TABLE dbo.berth ADD lamp int;
--- keep SELECT id, code FROM dbo.berth
--- case default-names
--- source
CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int CONSTRAINT DF_depth DEFAULT 4);
--- target
CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int DEFAULT 4); INSERT INTO dbo.berth VALUES (1, 2);
--- rows
ALTER TABLE dbo.berth ADD lamp int;
--- keep SELECT id, depth FROM dbo.berth
--- case enabled
--- source
CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int CONSTRAINT CK CHECK (depth > 1)); CREATE INDEX by_depth ON dbo.berth (depth);
GO
CREATE TRIGGER dbo.t ON dbo.berth AFTER INSERT AS SET NOCOUNT ON;
GO
DISABLE TRIGGER dbo.t ON dbo.berth;
--- target
CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int CONSTRAINT CK CHECK (depth > 1)); CREATE INDEX by_depth ON dbo.berth (depth); INSERT INTO dbo.berth VALUES (1, 2);
GO
CREATE TRIGGER dbo.t ON dbo.berth AFTER INSERT AS SET NOCOUNT ON;
--- rows
GO
ALTER TABLE dbo.berth ADD lamp int;
--- keep SELECT id, depth FROM dbo.berth
--- case identity
--- source
CREATE TABLE dbo.berth (id int IDENTITY(1, 1) PRIMARY KEY, depth int);
--- target
CREATE TABLE dbo.berth (id int IDENTITY(100, 5) PRIMARY KEY, depth int); INSERT INTO dbo.berth VALUES (2);
--- rows
ALTER TABLE dbo.berth ADD lamp int;
--- keep SELECT id, depth FROM dbo.berth
--- case sequence-options
--- source
CREATE SEQUENCE dbo.n AS int START WITH 1 INCREMENT BY 1 CACHE 10;
--- target
CREATE SEQUENCE dbo.n AS int START WITH 1 INCREMENT BY 5 NO CACHE CYCLE;
--- rows
CREATE TABLE dbo.berth (id int);
--- case storage
--- source
CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int) WITH (DATA_COMPRESSION = PAGE); CREATE INDEX by_depth ON dbo.berth (depth) WITH (FILLFACTOR = 80);
--- target
CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int); CREATE INDEX by_depth ON dbo.berth (depth); INSERT INTO dbo.berth VALUES (1, 2);
--- rows
ALTER TABLE dbo.berth ADD lamp int;
--- keep SELECT id, depth FROM dbo.berth
--- case trigger-order
--- source
CREATE TABLE dbo.berth (id int PRIMARY KEY);
GO
CREATE TRIGGER dbo.t ON dbo.berth AFTER INSERT AS SET NOCOUNT ON;
GO
EXEC sp_settriggerorder N'dbo.t', N'First', N'INSERT';
--- target
CREATE TABLE dbo.berth (id int PRIMARY KEY);
GO
CREATE TRIGGER dbo.t ON dbo.berth AFTER INSERT AS SET NOCOUNT ON;
--- rows
GO
ALTER TABLE dbo.berth ADD lamp int;
--- case validated
--- source
CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int CONSTRAINT CK CHECK (depth > 1));
--- target
CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int); INSERT INTO dbo.berth VALUES (1, 2);
ALTER TABLE dbo.berth WITH NOCHECK ADD CONSTRAINT CK CHECK (depth > 1);
--- rows
ALTER TABLE dbo.berth ADD lamp int;
--- keep SELECT id, depth FROM dbo.berth
--- case index-names
--- source
CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int); CREATE INDEX by_depth ON dbo.berth (depth);
--- target
CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int); CREATE INDEX IX_depth ON dbo.berth (depth); INSERT INTO dbo.berth VALUES (1, 2);
--- rows
ALTER TABLE dbo.berth ADD lamp int;
--- keep SELECT id, depth FROM dbo.berth
--- case constraint-names
--- source
CREATE TABLE dbo.berth (id int CONSTRAINT PK_a PRIMARY KEY, depth int CONSTRAINT CK_a CHECK (depth > 1));
--- target
CREATE TABLE dbo.berth (id int CONSTRAINT PK_b PRIMARY KEY, depth int CONSTRAINT CK_b CHECK (depth > 1)); INSERT INTO dbo.berth VALUES (1, 2);
--- rows
ALTER TABLE dbo.berth ADD lamp int;
--- keep SELECT id, depth FROM dbo.berth
--- case owners
--- says --include owners
--- source
CREATE ROLE clerk; CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int);
GO
CREATE PROCEDURE dbo.free AS SELECT 1;
GO
ALTER AUTHORIZATION ON dbo.berth TO clerk;
--- target
CREATE ROLE clerk; CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int);
GO
CREATE PROCEDURE dbo.free AS SELECT 1;
GO
ALTER AUTHORIZATION ON dbo.free TO clerk;
INSERT INTO dbo.berth VALUES (1, 2);
--- rows
ALTER TABLE dbo.berth ADD lamp int;
--- keep SELECT id, depth FROM dbo.berth
--- case grants
--- says --include grants
--- source
CREATE ROLE clerk; CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int); GRANT SELECT ON dbo.berth TO clerk; GRANT CREATE TABLE TO clerk;
--- target
CREATE ROLE spare; CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int); GRANT UPDATE (depth) ON dbo.berth TO spare; INSERT INTO dbo.berth VALUES (1, 2);
--- rows
ALTER TABLE dbo.berth ADD lamp int;
--- keep SELECT id, depth FROM dbo.berth
--- case column-order
--- says --include column-order
--- source
CREATE TYPE dbo.calls AS TABLE (no int, paid bit); CREATE TABLE dbo.berth (name nvarchar(9), id int PRIMARY KEY, depth int);
--- target
CREATE TYPE dbo.calls AS TABLE (paid bit, no int); CREATE TABLE dbo.berth (id int PRIMARY KEY, depth int, name nvarchar(9)); INSERT INTO dbo.berth VALUES (1, 2, N'Ost');
--- rows
ALTER TABLE dbo.berth ADD lamp int;
--- keep SELECT id, depth FROM dbo.berth
