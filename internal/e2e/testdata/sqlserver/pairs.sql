=== a default without a name changes
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int NOT NULL DEFAULT 4);
INSERT INTO dbo.berth VALUES (1, 7);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int NOT NULL DEFAULT 5);
INSERT INTO dbo.berth (id) VALUES (2);
--- rows SELECT id, depth FROM dbo.berth
1,7
=== a default gets a name
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int NOT NULL DEFAULT ((4)));
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int NOT NULL CONSTRAINT DF_berth_depth DEFAULT 4);
--- rows SELECT name, definition FROM sys.default_constraints
DF_berth_depth,((4))
=== a default loses its name
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int NOT NULL CONSTRAINT DF_berth_depth DEFAULT 4);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int NOT NULL DEFAULT 4);
--- rows SELECT is_system_named FROM sys.default_constraints
1
=== a default is renamed
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int CONSTRAINT DF_one DEFAULT 4);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int CONSTRAINT DF_two DEFAULT 4);
=== two defaults exchange their names
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, a int CONSTRAINT DF_a DEFAULT 4, b int CONSTRAINT DF_b DEFAULT 5);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, a int CONSTRAINT DF_b DEFAULT 4, b int CONSTRAINT DF_a DEFAULT 5);
=== a default goes, another comes
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, a int DEFAULT 4, b nvarchar(9));
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, a int, b nvarchar(9) DEFAULT N'x');
=== defaults in other spellings are no difference
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, a int DEFAULT 4, b datetime DEFAULT getdate(), c nvarchar(9) DEFAULT (N'x'), d bit DEFAULT (CAST(1 AS bit)));
--- to
CREATE TABLE [dbo].[berth] ([id] integer PRIMARY KEY NOT NULL, [a] [int] NULL DEFAULT ((4)), [b] datetime DEFAULT (CURRENT_TIMESTAMP), c nvarchar(9) DEFAULT N'x', d bit DEFAULT CONVERT(bit, 1, 0));
--- same
=== checks in other spellings are no difference
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone char(2) CHECK (zone IN ('N1', 'S1', 'W1')), depth int CHECK (depth BETWEEN 1 AND 40), tide int CONSTRAINT CK_tide CHECK (NOT (tide = 3) AND COALESCE(tide, 1) <> 9));
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone char(2) CHECK ([zone]='W1' OR [zone]='S1' OR [zone]='N1'), depth int CHECK (depth >= 1 AND (depth <= (40))), tide int CONSTRAINT CK_tide CHECK (NOT tide=(3) AND case when tide IS NOT NULL then tide else 1 end != 9));
--- same
=== words of dates in other spellings, and keys beside what a table lies in, are no difference
CREATE TABLE dbo.berth (id int PRIMARY KEY, zone int UNIQUE CLUSTERED, since date DEFAULT DATEADD(DAY, 1, GETDATE()), age AS (DATEDIFF(yy, since, '2026-01-01')), doc nvarchar(max) CHECK (ISJSON(doc) = 1));
CREATE TABLE dbo.tide (id int PRIMARY KEY, at int INDEX CX_at CLUSTERED);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY NONCLUSTERED, zone int, since date DEFAULT (dateadd(dd,(1),getdate())), age AS datediff(year, [since], '2026-01-01'), doc nvarchar(max) CHECK ((isjson([doc])=(1))), UNIQUE CLUSTERED (zone));
CREATE TABLE dbo.tide (id int NOT NULL PRIMARY KEY NONCLUSTERED, at int);
CREATE CLUSTERED INDEX CX_at ON dbo.tide (at);
--- same
=== a column is widened under an index
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(20) NOT NULL);
CREATE INDEX IX_name ON dbo.berth (name);
INSERT INTO dbo.berth VALUES (1, N'Ostkai');
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(60) NOT NULL);
CREATE INDEX IX_name ON dbo.berth (name);
--- steps 1
--- rows SELECT name FROM dbo.berth
Ostkai
=== a column under an index gets another type
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, code varchar(20) NOT NULL);
CREATE UNIQUE INDEX IX_code ON dbo.berth (code DESC);
INSERT INTO dbo.berth VALUES (1, '17');
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, code int NOT NULL);
CREATE UNIQUE INDEX IX_code ON dbo.berth (code DESC);
--- rows SELECT code FROM dbo.berth
17
=== a column gets narrower than rows are | held
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(20) NOT NULL);
INSERT INTO dbo.berth VALUES (1, N'Ostkai');
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(3) NOT NULL);
=== a column gets narrower, and that may lose | --may-lose column:berth.name
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(20) NOT NULL);
INSERT INTO dbo.berth VALUES (1, N'Ostkai');
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(3) NOT NULL);
--- rows SELECT name FROM dbo.berth
Ost
=== a column gets narrower and no row minds
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(20) NOT NULL, depth decimal(9,4));
INSERT INTO dbo.berth VALUES (1, N'Ost', 1.5);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(3) NOT NULL, depth decimal(5,1));
--- rows SELECT name, depth FROM dbo.berth
Ost,1.5
=== NULL to NOT NULL with a value | --fill berth.note=N'none'
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, note nvarchar(20));
INSERT INTO dbo.berth VALUES (1, NULL), (2, N'x');
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, note nvarchar(20) NOT NULL);
--- rows SELECT note FROM dbo.berth ORDER BY id
none;x
=== NULL to NOT NULL without one | held
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, note nvarchar(20));
INSERT INTO dbo.berth VALUES (1, NULL), (2, N'x');
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, note nvarchar(20) NOT NULL);
=== NULL to NOT NULL by the default
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, note nvarchar(20));
INSERT INTO dbo.berth VALUES (1, NULL), (2, N'x');
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, note nvarchar(20) NOT NULL DEFAULT N'-');
--- rows SELECT note FROM dbo.berth ORDER BY id
-;x
=== NOT NULL to NULL under a key and an index
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, note nvarchar(20) NOT NULL UNIQUE, zone int NOT NULL);
CREATE INDEX IX_zone ON dbo.berth (zone) INCLUDE (note);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, note nvarchar(20) NULL UNIQUE, zone int NULL);
CREATE INDEX IX_zone ON dbo.berth (zone) INCLUDE (note);
=== a fill is nobody's change but ours | --fill berth.zone=9
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone int);
CREATE TABLE dbo.log (n int);
INSERT INTO dbo.berth VALUES (1, NULL);
GO
CREATE TRIGGER dbo.noted ON dbo.berth AFTER UPDATE AS INSERT INTO dbo.log VALUES (1);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone int NOT NULL);
CREATE TABLE dbo.log (n int);
GO
CREATE TRIGGER dbo.noted ON dbo.berth AFTER UPDATE AS INSERT INTO dbo.log VALUES (1);
--- rows SELECT (SELECT zone FROM dbo.berth), (SELECT count(*) FROM dbo.log), (SELECT is_disabled FROM sys.triggers)
9,0,0
=== int to bigint through keys
CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT PK_berth PRIMARY KEY, zone int);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int NOT NULL CONSTRAINT FK_call_berth REFERENCES dbo.berth (id) ON DELETE CASCADE);
CREATE INDEX IX_call ON dbo.call (berth_id);
INSERT INTO dbo.berth VALUES (1, 2);
INSERT INTO dbo.call VALUES (5, 1);
--- to
CREATE TABLE dbo.berth (id bigint NOT NULL CONSTRAINT PK_berth PRIMARY KEY, zone int);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id bigint NOT NULL CONSTRAINT FK_call_berth REFERENCES dbo.berth (id) ON DELETE CASCADE);
CREATE INDEX IX_call ON dbo.call (berth_id);
--- rows SELECT c.berth_id, b.zone FROM dbo.call c JOIN dbo.berth b ON b.id = c.berth_id
1,2
=== int to bigint of a counter
CREATE TABLE dbo.berth (id int IDENTITY(5,5) NOT NULL PRIMARY KEY, zone int);
INSERT INTO dbo.berth (zone) VALUES (1), (2);
--- to
CREATE TABLE dbo.berth (id bigint IDENTITY(5,5) NOT NULL PRIMARY KEY, zone int);
--- rows SELECT id, IDENT_CURRENT('dbo.berth') FROM dbo.berth ORDER BY id
5,10;10,10
=== the collation of a column under a check
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone varchar(9) NOT NULL CONSTRAINT CK_zone CHECK (zone LIKE 'N%'));
INSERT INTO dbo.berth VALUES (1, 'N1');
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone varchar(9) COLLATE Latin1_General_CS_AS NOT NULL CONSTRAINT CK_zone CHECK (zone LIKE 'N%'));
--- rows SELECT zone FROM dbo.berth WHERE zone = 'n1'
=== a computed column changes
CREATE TABLE dbo.dues (id int NOT NULL PRIMARY KEY, fee int NOT NULL, twice AS (fee * 2));
CREATE INDEX IX_twice ON dbo.dues (twice);
INSERT INTO dbo.dues (id, fee) VALUES (1, 4);
--- to
CREATE TABLE dbo.dues (id int NOT NULL PRIMARY KEY, fee int NOT NULL, twice AS (fee * 3));
CREATE INDEX IX_twice ON dbo.dues (twice);
--- rows SELECT twice FROM dbo.dues
12
=== a computed column is kept
CREATE TABLE dbo.dues (id int NOT NULL PRIMARY KEY, fee int NOT NULL, twice AS (fee * 2));
--- to
CREATE TABLE dbo.dues (id int NOT NULL PRIMARY KEY, fee int NOT NULL, twice AS fee*(2) PERSISTED);
--- steps 1
=== what a computed column stands on changes
CREATE TABLE dbo.dues (id int NOT NULL PRIMARY KEY, fee int NOT NULL, twice AS (fee * 2) PERSISTED NOT NULL);
INSERT INTO dbo.dues (id, fee) VALUES (1, 4);
--- to
CREATE TABLE dbo.dues (id int NOT NULL PRIMARY KEY, fee bigint NOT NULL, twice AS (fee * 2) PERSISTED NOT NULL);
--- rows SELECT fee, twice FROM dbo.dues
4,8
=== identity on
CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT PK_berth PRIMARY KEY, name nvarchar(20) NOT NULL CONSTRAINT DF_name DEFAULT N'?');
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int CONSTRAINT FK_call REFERENCES dbo.berth (id));
CREATE INDEX IX_name ON dbo.berth (name);
INSERT INTO dbo.berth VALUES (7, N'Ost'), (3, N'Süd');
INSERT INTO dbo.call VALUES (1, 7);
--- to
CREATE TABLE dbo.berth (id int IDENTITY NOT NULL CONSTRAINT PK_berth PRIMARY KEY, name nvarchar(20) NOT NULL CONSTRAINT DF_name DEFAULT N'?');
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int CONSTRAINT FK_call REFERENCES dbo.berth (id));
CREATE INDEX IX_name ON dbo.berth (name);
--- rows SELECT b.id, b.name, c.id, IDENT_CURRENT('dbo.berth') FROM dbo.berth b LEFT JOIN dbo.call c ON c.berth_id = b.id ORDER BY b.id
3,Süd,<nil>,7;7,Ost,1,7
=== identity off
CREATE TABLE dbo.berth (id int IDENTITY(10,5) NOT NULL PRIMARY KEY, name nvarchar(20));
INSERT INTO dbo.berth (name) VALUES (N'Ost'), (N'Süd');
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(20));
--- rows SELECT id, name FROM dbo.berth ORDER BY id
10,Ost;15,Süd
=== identity counts otherwise
CREATE TABLE dbo.berth (id int IDENTITY(1,1) NOT NULL PRIMARY KEY, name nvarchar(20));
INSERT INTO dbo.berth (name) VALUES (N'Ost'), (N'Süd'), (N'West');
DELETE FROM dbo.berth WHERE id = 3;
--- to
CREATE TABLE dbo.berth (id int IDENTITY(1,2) NOT NULL PRIMARY KEY, name nvarchar(20));
--- rows SELECT id, IDENT_CURRENT('dbo.berth') FROM dbo.berth ORDER BY id
1,3;2,3
=== a counter is no structure
CREATE TABLE dbo.berth (id int IDENTITY NOT NULL PRIMARY KEY, name nvarchar(20));
INSERT INTO dbo.berth (name) VALUES (N'Ost'), (N'Süd');
--- to
CREATE TABLE dbo.berth (id int IDENTITY NOT NULL PRIMARY KEY, name nvarchar(20));
--- same
=== clustered to nonclustered, and another one clustered
CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT PK_berth PRIMARY KEY CLUSTERED, zone int NOT NULL, name nvarchar(20));
CREATE INDEX IX_zone ON dbo.berth (zone);
INSERT INTO dbo.berth VALUES (1, 2, N'x');
--- to
CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT PK_berth PRIMARY KEY NONCLUSTERED, zone int NOT NULL, name nvarchar(20));
CREATE CLUSTERED INDEX IX_zone ON dbo.berth (zone);
--- rows SELECT name FROM dbo.berth
x
=== heap to clustered and back
CREATE TABLE dbo.a (id int NOT NULL);
CREATE TABLE dbo.b (id int NOT NULL);
CREATE CLUSTERED INDEX CX_b ON dbo.b (id);
INSERT INTO dbo.a VALUES (2), (1);
--- to
CREATE TABLE dbo.a (id int NOT NULL);
CREATE TABLE dbo.b (id int NOT NULL);
CREATE UNIQUE CLUSTERED INDEX CX_a ON dbo.a (id DESC);
--- rows SELECT count(*) FROM dbo.a
2
=== INCLUDE and filter
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth int, fee money, note nvarchar(9));
CREATE INDEX IX_call ON dbo.call (berth) INCLUDE (fee);
CREATE UNIQUE INDEX UX_call ON dbo.call (berth) WHERE fee > 5;
--- to
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth int, fee money, note nvarchar(9));
CREATE INDEX IX_call ON dbo.call (berth) INCLUDE (fee, note);
CREATE UNIQUE INDEX UX_call ON dbo.call (berth) WHERE fee > 5 AND note IS NOT NULL;
=== an index gets another name
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth int);
CREATE INDEX IX_one ON dbo.call (berth);
--- to
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth int);
CREATE INDEX IX_two ON dbo.call (berth);
--- steps 1
=== options of an index, and one that is off
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth int, fee int);
CREATE INDEX IX_one ON dbo.call (berth);
CREATE INDEX IX_two ON dbo.call (fee) WITH (FILLFACTOR = 80);
ALTER INDEX IX_two ON dbo.call DISABLE;
--- to
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth int, fee int);
CREATE INDEX IX_one ON dbo.call (berth) WITH (FILLFACTOR = 70, PAD_INDEX = ON, DATA_COMPRESSION = PAGE);
CREATE INDEX IX_two ON dbo.call (fee) WITH (FILLFACTOR = 80);
=== rowstore to columnstore
CREATE TABLE dbo.tide (at int NOT NULL, height int);
CREATE CLUSTERED INDEX CX_tide ON dbo.tide (at);
INSERT INTO dbo.tide VALUES (1, 2);
--- to
CREATE TABLE dbo.tide (at int NOT NULL, height int);
CREATE CLUSTERED COLUMNSTORE INDEX CX_tide ON dbo.tide;
--- rows SELECT height FROM dbo.tide
2
=== a columnstore index beside rows
CREATE TABLE dbo.tide (at int NOT NULL PRIMARY KEY, height int);
--- to
CREATE TABLE dbo.tide (at int NOT NULL PRIMARY KEY, height int);
CREATE NONCLUSTERED COLUMNSTORE INDEX NC_tide ON dbo.tide (at, height);
=== actions of a foreign key
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int CONSTRAINT FK_call REFERENCES dbo.berth (id));
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int CONSTRAINT FK_call REFERENCES dbo.berth (id) ON DELETE SET NULL ON UPDATE CASCADE);
=== a foreign key that nobody looked at is trusted
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int, fee int);
ALTER TABLE dbo.call WITH NOCHECK ADD CONSTRAINT FK_call FOREIGN KEY (berth_id) REFERENCES dbo.berth (id);
ALTER TABLE dbo.call WITH NOCHECK ADD CONSTRAINT CK_fee CHECK (fee > 0);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int CONSTRAINT FK_call REFERENCES dbo.berth (id), fee int CONSTRAINT CK_fee CHECK (fee > 0));
--- rows SELECT is_not_trusted FROM sys.foreign_keys UNION ALL SELECT is_not_trusted FROM sys.check_constraints
0;0
=== a trusted one is trusted no more, one is off
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int CONSTRAINT FK_call REFERENCES dbo.berth (id), fee int CONSTRAINT CK_fee CHECK (fee > 0));
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int, fee int);
ALTER TABLE dbo.call WITH NOCHECK ADD CONSTRAINT FK_call FOREIGN KEY (berth_id) REFERENCES dbo.berth (id);
ALTER TABLE dbo.call ADD CONSTRAINT CK_fee CHECK (fee > 0);
ALTER TABLE dbo.call NOCHECK CONSTRAINT CK_fee;
=== orphans forbid a foreign key | held
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int);
INSERT INTO dbo.call VALUES (1, 9);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int REFERENCES dbo.berth (id));
=== keys in a circle come
CREATE TABLE dbo.z (id int);
--- to
CREATE TABLE dbo.z (id int);
CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY, b int);
CREATE TABLE dbo.b (id int NOT NULL PRIMARY KEY, a int CONSTRAINT FK_b REFERENCES dbo.a (id));
ALTER TABLE dbo.a ADD CONSTRAINT FK_a FOREIGN KEY (b) REFERENCES dbo.b (id);
=== keys in a circle go | --may-lose *
CREATE TABLE dbo.z (id int);
CREATE TABLE dbo.a (id int NOT NULL PRIMARY KEY, b int);
CREATE TABLE dbo.b (id int NOT NULL PRIMARY KEY, a int CONSTRAINT FK_b REFERENCES dbo.a (id));
ALTER TABLE dbo.a ADD CONSTRAINT FK_a FOREIGN KEY (b) REFERENCES dbo.b (id);
INSERT INTO dbo.a VALUES (1, NULL);
--- to
CREATE TABLE dbo.z (id int);
=== a table goes that another one refers to | --may-lose table:berth
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int REFERENCES dbo.berth (id));
INSERT INTO dbo.berth VALUES (1);
INSERT INTO dbo.call VALUES (1, 1);
--- to
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int);
--- rows SELECT berth_id FROM dbo.call
1
=== a key that others refer to moves to other columns
CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT PK_berth PRIMARY KEY, code int NOT NULL);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int CONSTRAINT FK_call REFERENCES dbo.berth (id));
INSERT INTO dbo.berth VALUES (1, 5);
--- to
CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT UQ_berth UNIQUE, code int NOT NULL CONSTRAINT PK_berth PRIMARY KEY);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth_id int CONSTRAINT FK_call REFERENCES dbo.berth (id));
=== a schema bound view on what changes
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int NOT NULL);
INSERT INTO dbo.berth VALUES (1, 2);
GO
CREATE VIEW dbo.deep WITH SCHEMABINDING AS SELECT id, depth FROM dbo.berth;
GO
CREATE VIEW dbo.deeper WITH SCHEMABINDING AS SELECT id FROM dbo.deep WHERE depth > 1;
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth bigint NOT NULL);
GO
CREATE VIEW dbo.deep WITH SCHEMABINDING AS SELECT id, depth FROM dbo.berth;
GO
CREATE VIEW dbo.deeper WITH SCHEMABINDING AS SELECT id FROM dbo.deep WHERE depth > 1;
--- rows SELECT id FROM dbo.deeper
1
=== an indexed view is made anew
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth int NOT NULL, fee int NOT NULL);
GO
CREATE VIEW dbo.sums WITH SCHEMABINDING AS SELECT berth, SUM(fee) AS fees, COUNT_BIG(*) AS n FROM dbo.call GROUP BY berth;
GO
CREATE UNIQUE CLUSTERED INDEX CX_sums ON dbo.sums (berth);
CREATE INDEX IX_sums ON dbo.sums (fees);
--- to
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth int NOT NULL, fee bigint NOT NULL);
GO
CREATE VIEW dbo.sums WITH SCHEMABINDING AS SELECT berth, SUM(fee) AS fees, COUNT_BIG(*) AS n FROM dbo.call GROUP BY berth;
GO
CREATE UNIQUE CLUSTERED INDEX CX_sums ON dbo.sums (berth);
CREATE INDEX IX_sums ON dbo.sums (fees);
=== an indexed view changes
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth int NOT NULL, fee int NOT NULL);
GO
CREATE VIEW dbo.sums WITH SCHEMABINDING AS SELECT berth, COUNT_BIG(*) AS n FROM dbo.call GROUP BY berth;
GO
CREATE UNIQUE CLUSTERED INDEX CX_sums ON dbo.sums (berth);
--- to
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, berth int NOT NULL, fee int NOT NULL);
GO
CREATE VIEW dbo.sums WITH SCHEMABINDING AS SELECT berth, SUM(fee) AS fees, COUNT_BIG(*) AS n FROM dbo.call GROUP BY berth;
GO
CREATE UNIQUE CLUSTERED INDEX CX_sums ON dbo.sums (berth);
=== a view of stars sees a new column
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
INSERT INTO dbo.berth VALUES (1);
GO
CREATE VIEW dbo.everything AS SELECT * FROM dbo.berth;
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone int DEFAULT 3);
GO
CREATE VIEW dbo.everything AS SELECT * FROM dbo.berth;
--- rows SELECT * FROM dbo.everything
1,<nil>
=== views on views change
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone int);
GO
CREATE VIEW dbo.a AS SELECT id FROM dbo.berth;
GO
CREATE VIEW dbo.b AS SELECT id FROM dbo.a;
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone int);
GO
CREATE VIEW dbo.a AS SELECT id, zone FROM dbo.berth;
GO
CREATE VIEW dbo.b AS SELECT id, zone FROM dbo.a;
=== a function in a check changes
CREATE TABLE dbo.z (id int);
GO
CREATE FUNCTION dbo.fits(@n int) RETURNS bit WITH SCHEMABINDING AS BEGIN RETURN CASE WHEN @n > 0 THEN 1 ELSE 0 END END
GO
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, CONSTRAINT CK_fits CHECK (dbo.fits(depth) = 1));
INSERT INTO dbo.berth VALUES (1, 4);
--- to
CREATE TABLE dbo.z (id int);
GO
CREATE FUNCTION dbo.fits(@n int) RETURNS bit WITH SCHEMABINDING AS BEGIN RETURN CASE WHEN @n > 2 THEN 1 ELSE 0 END END
GO
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, CONSTRAINT CK_fits CHECK (dbo.fits(depth) = 1));
--- rows SELECT depth FROM dbo.berth
4
=== procedures that call what is not there yet
CREATE TABLE dbo.z (id int);
--- to
CREATE TABLE dbo.z (id int);
GO
CREATE PROCEDURE dbo.a AS EXEC dbo.b;
GO
CREATE PROCEDURE dbo.b AS SELECT x FROM dbo.nowhere;
GO
CREATE PROC dbo.c @n int = 3 OUTPUT AS SET @n = 4;
=== a procedure changes and a function becomes another kind
CREATE TABLE dbo.z (id int);
GO
CREATE PROCEDURE dbo.a @n int AS SELECT @n;
GO
CREATE FUNCTION dbo.f(@n int) RETURNS int AS BEGIN RETURN @n END
--- to
CREATE TABLE dbo.z (id int);
GO
CREATE PROCEDURE dbo.a @n bigint, @m int = 1 AS SELECT @n + @m;
GO
CREATE FUNCTION dbo.f(@n int) RETURNS TABLE AS RETURN SELECT id FROM dbo.z WHERE id > @n
=== a table becomes a view | --may-lose table:berth
CREATE TABLE dbo.z (id int);
CREATE TABLE dbo.berth (id int);
--- to
CREATE TABLE dbo.z (id int);
GO
CREATE VIEW dbo.berth AS SELECT id FROM dbo.z;
=== order and state of triggers
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
GO
CREATE TRIGGER dbo.one ON dbo.berth AFTER INSERT AS PRINT 'one';
GO
CREATE TRIGGER dbo.two ON dbo.berth AFTER INSERT, UPDATE AS PRINT 'two';
GO
EXEC sp_settriggerorder 'dbo.one', 'First', 'INSERT';
DISABLE TRIGGER dbo.two ON dbo.berth;
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
GO
CREATE TRIGGER dbo.one ON dbo.berth AFTER INSERT AS PRINT 'one!';
GO
CREATE TRIGGER dbo.two ON dbo.berth AFTER INSERT, UPDATE AS PRINT 'two';
GO
CREATE TRIGGER dbo.three ON dbo.berth AFTER DELETE AS PRINT 'three';
GO
EXEC sp_settriggerorder 'dbo.one', 'Last', 'INSERT';
DISABLE TRIGGER dbo.three ON dbo.berth;
=== a trigger instead of, on a view
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
GO
CREATE VIEW dbo.v AS SELECT id FROM dbo.berth;
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
GO
CREATE VIEW dbo.v AS SELECT id FROM dbo.berth;
GO
CREATE TRIGGER dbo.instead ON dbo.v INSTEAD OF INSERT AS INSERT INTO dbo.berth SELECT id FROM inserted;
=== a table type in use
CREATE TYPE dbo.ids AS TABLE (id int NOT NULL PRIMARY KEY);
GO
CREATE PROCEDURE dbo.take @ids dbo.ids READONLY AS SELECT id FROM @ids;
--- to
CREATE TYPE dbo.ids AS TABLE (id bigint NOT NULL PRIMARY KEY, note nvarchar(9) DEFAULT N'x', CHECK (id > 0));
GO
CREATE PROCEDURE dbo.take @ids dbo.ids READONLY AS SELECT id FROM @ids;
=== an alias type in use
CREATE TYPE dbo.label FROM nvarchar(20) NOT NULL;
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name dbo.label DEFAULT N'x');
INSERT INTO dbo.berth VALUES (1, N'Ost');
GO
CREATE PROCEDURE dbo.p @l dbo.label AS SELECT @l;
--- to
CREATE TYPE dbo.label FROM nvarchar(40) NOT NULL;
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name dbo.label DEFAULT N'x');
GO
CREATE PROCEDURE dbo.p @l dbo.label AS SELECT @l;
--- rows SELECT b.name, t.max_length FROM dbo.berth b, sys.types t WHERE t.user_type_id > 256
Ost,80
=== a sequence changes
CREATE SEQUENCE dbo.no AS int START WITH 10 INCREMENT BY 2;
CREATE TABLE dbo.call (id int NOT NULL DEFAULT (NEXT VALUE FOR dbo.no), n int);
INSERT INTO dbo.call (n) VALUES (1);
--- to
CREATE SEQUENCE dbo.no AS int START WITH 10 INCREMENT BY 5 MAXVALUE 1000 CYCLE NO CACHE;
CREATE TABLE dbo.call (id int NOT NULL DEFAULT (NEXT VALUE FOR dbo.no), n int);
--- rows SELECT id FROM dbo.call
10
=== a sequence of another type under a default
CREATE SEQUENCE dbo.no AS int;
CREATE TABLE dbo.call (id bigint NOT NULL DEFAULT (NEXT VALUE FOR dbo.no));
--- to
CREATE SEQUENCE dbo.no AS bigint START WITH 1;
CREATE TABLE dbo.call (id bigint NOT NULL DEFAULT (NEXT VALUE FOR dbo.no));
=== synonyms, schemas and descriptions
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone int);
CREATE SYNONYM dbo.quay FOR dbo.berth;
EXEC sp_addextendedproperty 'MS_Description', 'old', 'SCHEMA', 'dbo', 'TABLE', 'berth';
EXEC sp_addextendedproperty 'MS_Description', 'goes', 'SCHEMA', 'dbo', 'TABLE', 'berth', 'COLUMN', 'zone';
--- to
CREATE SCHEMA yard;
GO
CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT PK_b PRIMARY KEY, zone int);
CREATE TABLE yard.crane (id int NOT NULL PRIMARY KEY);
CREATE SYNONYM dbo.quay FOR yard.crane;
EXEC sp_addextendedproperty 'MS_Description', 'it''s new', 'SCHEMA', 'dbo', 'TABLE', 'berth';
EXEC sp_addextendedproperty 'MS_Description', 'key', 'SCHEMA', 'dbo', 'TABLE', 'berth', 'CONSTRAINT', 'PK_b';
EXEC sp_addextendedproperty 'owner of data', 'office', 'SCHEMA', 'dbo', 'TABLE', 'berth', 'COLUMN', 'id';
EXEC sp_addextendedproperty 'MS_Description', 'the yard', 'SCHEMA', 'yard';
=== masks, sparse columns, row guids, compression, escalation
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, mail nvarchar(99), note nvarchar(9), u uniqueidentifier NOT NULL);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, mail nvarchar(99) MASKED WITH (FUNCTION = 'email()'), note nvarchar(9) SPARSE, u uniqueidentifier ROWGUIDCOL NOT NULL);
ALTER TABLE dbo.berth SET (LOCK_ESCALATION = DISABLE);
ALTER INDEX ALL ON dbo.berth REBUILD WITH (DATA_COMPRESSION = PAGE);
=== a type that is only converted when told to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, at datetime NOT NULL, n int);
CREATE INDEX IX_at ON dbo.berth (at);
INSERT INTO dbo.berth VALUES (1, '1900-01-03', 4);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, at int NOT NULL, n int);
CREATE INDEX IX_at ON dbo.berth (at);
--- rows SELECT at FROM dbo.berth
2
=== a column comes with rows there | --fill berth.zone=id+1
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
INSERT INTO dbo.berth VALUES (1), (2);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone int NOT NULL, made datetime2 NOT NULL DEFAULT sysutcdatetime(), v rowversion);
--- rows SELECT zone FROM dbo.berth ORDER BY id
2;3
=== a column comes that rows have no value for | held
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
INSERT INTO dbo.berth VALUES (1), (2);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone int NOT NULL);
=== a column goes with its default, index and check | --may-lose column:berth.zone
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone int NOT NULL DEFAULT 3 CHECK (zone > 0));
CREATE INDEX IX_zone ON dbo.berth (zone);
INSERT INTO dbo.berth (id) VALUES (1);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
=== rows that stand twice forbid a unique index | held
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone int);
INSERT INTO dbo.berth VALUES (1, 1), (2, 1);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, zone int);
CREATE UNIQUE INDEX UX ON dbo.berth (zone);
=== hostile names
CREATE TABLE dbo.z (id int);
--- to
CREATE TABLE dbo.z (id int);
CREATE TABLE dbo.[a]]b; DROP TABLE z--] ([x'y] int NOT NULL CONSTRAINT [p]]k] PRIMARY KEY, [$(HOME)] nvarchar(9) CONSTRAINT [d'f] DEFAULT N'it''s', [go
go] int CHECK ([go
go] > 0), [/* */] int);
CREATE INDEX [i
GO
] ON dbo.[a]]b; DROP TABLE z--] ([$(HOME)]);
EXEC sp_addextendedproperty 'MS_Description', 'a
GO
$(PATH) :r x ''''', 'SCHEMA', 'dbo', 'TABLE', 'a]b; DROP TABLE z--';
GO
CREATE VIEW dbo.[v'w] AS /* a
GO : in it
:r file
*/ SELECT [x'y] AS [select] FROM dbo.[a]]b; DROP TABLE z--] WHERE [$(HOME)] <> '$(x)';
=== modules made under other settings
CREATE TABLE dbo.z (id int);
--- to
CREATE TABLE dbo.z (id int);
GO
SET ANSI_NULLS OFF
GO
CREATE PROCEDURE dbo.old AS SELECT id FROM dbo.z WHERE id = NULL;
GO
SET ANSI_NULLS ON
GO
-- what it is for
CREATE PROCEDURE dbo.new AS SELECT 1;
=== a module under an old name
CREATE TABLE dbo.z (id int);
GO
CREATE VIEW dbo.before AS SELECT id FROM dbo.z;
GO
EXEC sp_rename 'dbo.before', 'after';
--- to
CREATE TABLE dbo.z (id int);
GO
CREATE VIEW [dbo].[after] AS SELECT id FROM dbo.z;
--- same
=== idioms of scripts that are kept with a program
CREATE TABLE dbo.z (id int);
--- to
SET ANSI_NULLS ON
GO
SET QUOTED_IDENTIFIER ON
GO
IF OBJECT_ID(N'dbo.z', N'U') IS NULL CREATE TABLE dbo.z (id int);
GO
IF EXISTS (SELECT * FROM sys.objects WHERE object_id = OBJECT_ID(N'[dbo].[p]') AND type IN (N'P', N'PC')) DROP PROCEDURE [dbo].[p]
GO
CREATE PROCEDURE dbo.p AS SELECT 1
GO
IF NOT EXISTS (SELECT 1 FROM sys.columns WHERE object_id = OBJECT_ID('dbo.z') AND name = 'zone') ALTER TABLE dbo.z ADD zone int
GO
ALTER PROCEDURE dbo.p AS SELECT 2
GO
DECLARE @sql nvarchar(max) = N'CREATE VIEW dbo.v AS SELECT zone FROM dbo.z'
EXEC sp_executesql @sql
=== a table and its columns get other names | --rename table:dbo.berth=quay --rename column:berth.depth=deep --rename column:berth.name=title
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(20) NOT NULL CONSTRAINT DF_n DEFAULT N'x', depth int CONSTRAINT CK_d CHECK (depth > 0), twice AS (depth * 2));
CREATE INDEX IX ON dbo.berth (name, depth DESC) INCLUDE (twice) WHERE depth > 3;
CREATE INDEX IX_twice ON dbo.berth (twice);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, b int CONSTRAINT FK_c REFERENCES dbo.berth (id));
INSERT INTO dbo.berth (id, depth) VALUES (1, 5);
INSERT INTO dbo.call VALUES (9, 1);
GO
CREATE VIEW dbo.v AS SELECT name, twice FROM dbo.berth;
GO
CREATE TRIGGER dbo.tr ON dbo.berth AFTER DELETE AS PRINT 'gone';
--- to
CREATE TABLE dbo.quay (id int NOT NULL PRIMARY KEY, title nvarchar(20) NOT NULL CONSTRAINT DF_n DEFAULT N'x', deep int CONSTRAINT CK_d CHECK (deep > 0), twice AS (deep * 2));
CREATE INDEX IX ON dbo.quay (title, deep DESC) INCLUDE (twice) WHERE deep > 3;
CREATE INDEX IX_twice ON dbo.quay (twice);
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, b int CONSTRAINT FK_c REFERENCES dbo.quay (id));
GO
CREATE VIEW dbo.v AS SELECT title, twice FROM dbo.quay;
GO
CREATE TRIGGER dbo.tr ON dbo.quay AFTER DELETE AS PRINT 'gone';
--- rows SELECT q.title, q.deep, q.twice, c.id FROM dbo.quay q JOIN dbo.call c ON c.b = q.id
x,5,10,9
=== two columns exchange their names | --rename column:berth.a=b --rename column:berth.b=a
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, a int, b nvarchar(9));
INSERT INTO dbo.berth VALUES (1, 7, N'x');
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, b int, a nvarchar(9));
--- rows SELECT a, b FROM dbo.berth
x,7
=== a table is renamed and rebuilt | --rename table:berth=quay
CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT PK_b PRIMARY KEY, name nvarchar(20));
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, b int CONSTRAINT FK_c REFERENCES dbo.berth (id));
INSERT INTO dbo.berth VALUES (5, N'x');
INSERT INTO dbo.call VALUES (9, 5);
--- to
CREATE TABLE dbo.quay (id int IDENTITY NOT NULL CONSTRAINT PK_b PRIMARY KEY, name nvarchar(30));
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, b int CONSTRAINT FK_c REFERENCES dbo.quay (id));
--- rows SELECT q.id, q.name, c.id FROM dbo.quay q JOIN dbo.call c ON c.b = q.id
5,x,9
=== a trigger that describes things changes
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
GO
CREATE TRIGGER dbo.tr ON dbo.berth AFTER INSERT AS EXEC sp_addextendedproperty N'a', N'b';
GO
EXEC sp_addextendedproperty N'MS_Description', N'old', N'SCHEMA', N'dbo', N'TABLE', N'berth', N'TRIGGER', N'tr';
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
GO
CREATE TRIGGER dbo.tr ON dbo.berth AFTER INSERT AS EXEC sp_addextendedproperty N'a', N'c';
GO
EXEC sp_addextendedproperty N'MS_Description', N'new', N'SCHEMA', N'dbo', N'TABLE', N'berth', N'TRIGGER', N'tr';
=== nameless constraints are switched off
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, n int UNIQUE, m int CHECK (m > 0), p int REFERENCES dbo.berth (id));
INSERT INTO dbo.berth VALUES (1, 2, 3, 1);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, n int UNIQUE, m int CHECK (m > 0), p int REFERENCES dbo.berth (id));
GO
DECLARE @sql nvarchar(max);
SET @sql = N'ALTER TABLE dbo.berth NOCHECK CONSTRAINT ALL';
EXEC (@sql);
SELECT @sql = N'ALTER INDEX ' + QUOTENAME(name) + N' ON dbo.berth DISABLE' FROM sys.key_constraints WHERE type = 'UQ';
EXEC (@sql);
--- rows SELECT id, n FROM dbo.berth
1,2
=== nameless constraints come that are off
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, n int, m int, p int);
INSERT INTO dbo.berth VALUES (1, 2, -3, 7);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, n int UNIQUE, m int CHECK (m > 0), p int REFERENCES dbo.berth (id));
CREATE TABLE dbo.quay (id int NOT NULL PRIMARY KEY, n int UNIQUE);
GO
DECLARE @sql nvarchar(max);
SET @sql = N'ALTER TABLE dbo.berth NOCHECK CONSTRAINT ALL';
EXEC (@sql);
SELECT @sql = N'ALTER INDEX ' + QUOTENAME(name) + N' ON dbo.berth DISABLE' FROM sys.key_constraints WHERE type = 'UQ' AND parent_object_id = OBJECT_ID('dbo.berth');
EXEC (@sql);
SELECT @sql = N'ALTER INDEX ' + QUOTENAME(name) + N' ON dbo.quay DISABLE' FROM sys.key_constraints WHERE type = 'UQ' AND parent_object_id = OBJECT_ID('dbo.quay');
EXEC (@sql);
--- rows SELECT m, p FROM dbo.berth
-3,7
=== a described column gets a type that wants to be told, beside one of our name
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, code nvarchar(9) NULL, dapper_mirror_code int);
INSERT INTO dbo.berth VALUES (1, N'ab', 5);
EXEC sp_addextendedproperty N'MS_Description', N'painted on the quay', N'SCHEMA', N'dbo', N'TABLE', N'berth', N'COLUMN', N'code';
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, code varbinary(20) NULL, dapper_mirror_code int);
EXEC sp_addextendedproperty N'MS_Description', N'painted on the quay', N'SCHEMA', N'dbo', N'TABLE', N'berth', N'COLUMN', N'code';
--- rows SELECT dapper_mirror_code FROM dbo.berth
5
=== rights come, go and change | --include grants
CREATE USER web WITHOUT LOGIN; CREATE USER [desk 2] WITHOUT LOGIN; CREATE ROLE clerk;
GO
CREATE SCHEMA yard;
GO
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, note nvarchar(40));
CREATE TABLE yard.crane (id int);
CREATE TYPE dbo.mark FROM nvarchar(9);
GO
CREATE PROCEDURE dbo.free AS SELECT 1;
GO
GRANT SELECT, INSERT ON dbo.berth TO web;
GRANT UPDATE (depth, note) ON dbo.berth TO clerk;
DENY DELETE ON dbo.berth TO public;
GRANT SELECT ON SCHEMA::yard TO web WITH GRANT OPTION;
GRANT EXECUTE ON dbo.free TO web;
GRANT CREATE TABLE TO clerk;
GRANT EXECUTE ON SCHEMA::dbo TO [desk 2];
--- to
CREATE USER web WITHOUT LOGIN; CREATE USER [desk 2] WITHOUT LOGIN; CREATE ROLE clerk;
GO
CREATE SCHEMA yard;
GO
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, note nvarchar(40), tide int);
CREATE TABLE yard.crane (id int);
CREATE TYPE dbo.mark FROM nvarchar(9);
GO
CREATE PROCEDURE dbo.free AS SELECT 1;
GO
GRANT SELECT ON dbo.berth TO web WITH GRANT OPTION;
GRANT SELECT ON dbo.berth TO [desk 2];
GRANT UPDATE (depth, tide) ON dbo.berth TO clerk;
GRANT UPDATE ON dbo.berth TO clerk;
GRANT SELECT ON SCHEMA::yard TO web;
DENY EXECUTE ON dbo.free TO web;
GRANT REFERENCES ON TYPE::dbo.mark TO clerk;
GRANT VIEW DEFINITION ON ROLE::clerk TO web;
GRANT CREATE VIEW, CREATE TABLE TO clerk;
--- rows SELECT COUNT(*) FROM sys.database_permissions WHERE permission_name = 'DELETE'
0
=== roles come, go and get members | --include grants
CREATE USER web WITHOUT LOGIN; CREATE ROLE clerk; CREATE ROLE spare; CREATE ROLE pilot;
ALTER ROLE spare ADD MEMBER web; ALTER ROLE clerk ADD MEMBER web; ALTER ROLE db_datareader ADD MEMBER web;
CREATE TABLE dbo.berth (id int);
GRANT SELECT ON dbo.berth TO spare;
--- to
CREATE USER web WITHOUT LOGIN; CREATE ROLE pilot; CREATE ROLE clerk; CREATE ROLE [a chief]; CREATE ROLE aide;
ALTER ROLE [a chief] ADD MEMBER clerk; ALTER ROLE clerk ADD MEMBER aide; ALTER ROLE db_datawriter ADD MEMBER pilot;
CREATE TABLE dbo.berth (id int);
GRANT SELECT ON dbo.berth TO [a chief];
--- rows SELECT r.name, m.name FROM sys.database_role_members x JOIN sys.database_principals r ON r.principal_id = x.role_principal_id JOIN sys.database_principals m ON m.principal_id = x.member_principal_id WHERE r.name = 'db_datawriter'
db_datawriter,pilot
=== owners change, and rights stay | --include owners,grants
CREATE ROLE clerk; CREATE ROLE pilot AUTHORIZATION clerk;
GO
CREATE SCHEMA yard AUTHORIZATION clerk;
GO
CREATE TABLE yard.crane (id int, name nvarchar(20));
CREATE TABLE dbo.berth (id int);
CREATE TYPE dbo.mark FROM nvarchar(9);
GRANT SELECT ON SCHEMA::yard TO pilot;
GRANT SELECT (name) ON yard.crane TO pilot;
ALTER AUTHORIZATION ON dbo.berth TO pilot;
--- to
CREATE ROLE clerk; CREATE ROLE pilot; CREATE ROLE chief;
GO
CREATE SCHEMA yard AUTHORIZATION chief;
GO
CREATE TABLE yard.crane (id int, name nvarchar(20));
CREATE TABLE dbo.berth (id int);
CREATE TYPE dbo.mark FROM nvarchar(9);
ALTER AUTHORIZATION ON OBJECT::yard.crane TO pilot;
ALTER AUTHORIZATION ON TYPE::dbo.mark TO chief;
GRANT SELECT ON SCHEMA::yard TO pilot;
GRANT SELECT (name) ON yard.crane TO pilot;
--- rows SELECT COUNT(*) FROM sys.database_permissions
2
=== what is made anew keeps its rights and its owner
CREATE USER web WITHOUT LOGIN; CREATE ROLE clerk;
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int NOT NULL, mark nvarchar(20));
GO
CREATE VIEW dbo.deep WITH SCHEMABINDING AS SELECT id, depth FROM dbo.berth;
GO
CREATE FUNCTION dbo.f (@a int) RETURNS int AS BEGIN RETURN @a END;
GO
GRANT SELECT, UPDATE (depth) ON dbo.berth TO web;
GRANT SELECT (id) ON dbo.deep TO web;
GRANT UPDATE (mark) ON dbo.berth TO clerk;
GRANT EXECUTE ON dbo.f TO clerk;
ALTER AUTHORIZATION ON dbo.berth TO clerk;
GRANT SELECT ON dbo.berth TO web;
GRANT UPDATE (depth) ON dbo.berth TO web;
GRANT UPDATE (mark) ON dbo.berth TO clerk;
INSERT INTO dbo.berth VALUES (7, 4, N'x');
--- to
CREATE USER web WITHOUT LOGIN; CREATE ROLE clerk;
CREATE TABLE dbo.berth (id int IDENTITY NOT NULL PRIMARY KEY, depth bigint NOT NULL, mark varbinary(40));
GO
CREATE VIEW dbo.deep WITH SCHEMABINDING AS SELECT id, depth FROM dbo.berth;
GO
CREATE FUNCTION dbo.f (@a int) RETURNS TABLE AS RETURN SELECT @a AS a;
GO
ALTER AUTHORIZATION ON dbo.berth TO clerk;
GRANT SELECT, UPDATE (depth) ON dbo.berth TO web;
GRANT UPDATE (mark) ON dbo.berth TO clerk;
GRANT SELECT (id) ON dbo.deep TO web;
--- rows SELECT COUNT(*) FROM sys.database_permissions WHERE class = 1
4
=== a column with rights is made anew
CREATE USER web WITHOUT LOGIN;
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, mark nvarchar(20));
GRANT UPDATE (mark) ON dbo.berth TO web;
INSERT INTO dbo.berth VALUES (7, 4, N'x');
--- to
CREATE USER web WITHOUT LOGIN;
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, mark varbinary(40));
GRANT UPDATE (mark) ON dbo.berth TO web;
--- rows SELECT mark FROM dbo.berth
[120 0]
=== a table begins to keep its history
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int);
INSERT INTO dbo.berth VALUES (1, 4), (2, 5);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, since datetime2(0) GENERATED ALWAYS AS ROW START HIDDEN NOT NULL, until datetime2(0) GENERATED ALWAYS AS ROW END HIDDEN NOT NULL, PERIOD FOR SYSTEM_TIME (since, until))
  WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.berth_was, HISTORY_RETENTION_PERIOD = 6 MONTHS));
--- rows SELECT id, depth FROM dbo.berth FOR SYSTEM_TIME AS OF '2020-01-01' ORDER BY id
1,4;2,5
=== a table no longer keeps its history | --may-lose *
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, since datetime2 GENERATED ALWAYS AS ROW START NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (since, until))
  WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.berth_was));
GO
INSERT INTO dbo.berth (id, depth) VALUES (1, 4);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int);
--- rows SELECT * FROM dbo.berth
1,4
=== a history stays as a plain table
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, since datetime2 GENERATED ALWAYS AS ROW START NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (since, until))
  WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.berth_was));
GO
INSERT INTO dbo.berth (id, depth) VALUES (1, 4);
GO
UPDATE dbo.berth SET depth = 5;
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, since datetime2 NOT NULL, until datetime2 NOT NULL);
CREATE TABLE dbo.berth_was (id int NOT NULL, depth int, since datetime2 NOT NULL, until datetime2 NOT NULL);
CREATE CLUSTERED INDEX ix_berth_was ON dbo.berth_was (until, since) WITH (DATA_COMPRESSION = PAGE);
--- rows SELECT depth FROM dbo.berth_was
4
=== columns of a table and of its history change
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, name nvarchar(20), gone int, since datetime2 GENERATED ALWAYS AS ROW START NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (since, until))
  WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.berth_was));
GO
INSERT INTO dbo.berth (id, depth, name) VALUES (1, 4, N'Ostkai');
GO
UPDATE dbo.berth SET depth = 5;
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, tide int NULL, depth bigint, name nvarchar(60) NOT NULL, since datetime2 GENERATED ALWAYS AS ROW START HIDDEN NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (since, until))
  WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.berth_was, HISTORY_RETENTION_PERIOD = 2 WEEKS));
--- rows SELECT depth, name, tide FROM dbo.berth FOR SYSTEM_TIME ALL ORDER BY depth
4,Ostkai,<nil>;5,Ostkai,<nil>
=== a table with a history that the server named is rebuilt
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, since datetime2 GENERATED ALWAYS AS ROW START NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (since, until))
  WITH (SYSTEM_VERSIONING = ON);
GO
INSERT INTO dbo.berth (id, depth) VALUES (1, 4), (2, 3);
GO
UPDATE dbo.berth SET depth = 5 WHERE id = 1;
--- to
CREATE TABLE dbo.filler (id int PRIMARY KEY);
CREATE TABLE dbo.berth (id int IDENTITY NOT NULL PRIMARY KEY, note nvarchar(9), depth int, since datetime2 GENERATED ALWAYS AS ROW START NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (since, until))
  WITH (SYSTEM_VERSIONING = ON);
--- rows SELECT id, depth FROM dbo.berth FOR SYSTEM_TIME ALL ORDER BY id, depth
1,4;1,5;2,3
=== a table and its history come, others go | --may-lose *
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, since datetime2 GENERATED ALWAYS AS ROW START NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (since, until))
  WITH (SYSTEM_VERSIONING = ON);
--- to
CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT PK_berth PRIMARY KEY NONCLUSTERED, depth int CONSTRAINT DF_depth DEFAULT 4 CHECK (depth > 1), since datetime2 GENERATED ALWAYS AS ROW START CONSTRAINT DF_since DEFAULT SYSUTCDATETIME() NOT NULL, until datetime2(3) GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (since, until))
  WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.[berth was]));
CREATE INDEX IX_depth ON dbo.[berth was] (depth);
=== a period alone comes, another goes
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, a datetime2 NOT NULL, b datetime2 NOT NULL);
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, since datetime2(0) GENERATED ALWAYS AS ROW START HIDDEN NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (since, until));
GO
INSERT INTO dbo.berth VALUES (1, '2020-01-01', '9999-12-31T23:59:59.9999999');
INSERT INTO dbo.crane (id) VALUES (1);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, a datetime2 GENERATED ALWAYS AS ROW START NOT NULL, b datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (a, b));
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, since datetime2 NOT NULL, until datetime2 NOT NULL);
--- rows SELECT a, b FROM dbo.berth
2020-01-01 00:00:00.0000000,9999-12-31 23:59:59.9999999
=== security policies come, go and change
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, agent nvarchar(20), depth int);
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, agent nvarchar(20));
GO
CREATE FUNCTION dbo.mine (@agent nvarchar(20)) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @agent = N'port';
GO
CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.mine(agent) ON dbo.berth;
CREATE SECURITY POLICY dbo.gone ADD BLOCK PREDICATE dbo.mine(agent) ON dbo.crane AFTER INSERT;
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, agent nvarchar(20), depth int);
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, agent nvarchar(20));
GO
CREATE FUNCTION dbo.mine (@agent nvarchar(20)) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @agent = N'port';
GO
CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.mine(agent) ON dbo.berth, ADD BLOCK PREDICATE dbo.mine(agent) ON dbo.berth AFTER UPDATE WITH (STATE = OFF);
CREATE SECURITY POLICY dbo.[new one] ADD FILTER PREDICATE dbo.mine(agent) ON dbo.crane WITH (STATE = ON, SCHEMABINDING = OFF);
=== a security policy is switched off
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, agent nvarchar(20), depth int);
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, agent nvarchar(20));
GO
CREATE FUNCTION dbo.mine (@agent nvarchar(20)) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @agent = N'port';
GO
CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.mine(agent) ON dbo.berth;
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, agent nvarchar(20), depth int);
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, agent nvarchar(20));
GO
CREATE FUNCTION dbo.mine (@agent nvarchar(20)) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @agent = N'port';
GO
CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.mine(agent) ON dbo.berth WITH (STATE = OFF);
--- steps 1
=== rows that a policy hides are not lost in a rebuild
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, agent nvarchar(20), depth int);
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, agent nvarchar(20));
GO
CREATE FUNCTION dbo.mine (@agent nvarchar(20)) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @agent = N'port';
GO
INSERT INTO dbo.berth VALUES (1, N'port', 4), (2, N'other', 5);
CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.mine(agent) ON dbo.berth;
GO
GRANT ALTER ON dbo.own TO guest;
--- to
CREATE TABLE dbo.berth (id int IDENTITY NOT NULL PRIMARY KEY, agent nvarchar(20), depth int);
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, agent nvarchar(20));
GO
CREATE FUNCTION dbo.mine (@agent nvarchar(20)) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @agent = N'port';
GO
CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.mine(agent) ON dbo.berth;
GO
GRANT ALTER ON dbo.own TO guest;
GO
CREATE VIEW dbo.hidden AS SELECT COUNT(*) AS n FROM dbo.berth;
--- rows SELECT SUM(p.rows) FROM sys.partitions AS p WHERE p.object_id = OBJECT_ID('dbo.berth') AND p.index_id < 2
2
=== rows that a policy hides are filled as well | --fill dbo.berth.depth=7
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, agent nvarchar(20), depth int);
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, agent nvarchar(20));
GO
CREATE FUNCTION dbo.mine (@agent nvarchar(20)) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @agent = N'port';
GO
INSERT INTO dbo.berth VALUES (1, N'port', NULL), (2, N'other', NULL);
CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.mine(agent) ON dbo.berth;
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, agent nvarchar(20), depth int NOT NULL);
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, agent nvarchar(20));
GO
CREATE FUNCTION dbo.mine (@agent nvarchar(20)) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @agent = N'port';
GO
CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.mine(agent) ON dbo.berth;
--- rows SELECT depth FROM dbo.berth
7
=== the function and the column of a policy change
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, agent nvarchar(20), depth int);
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, agent nvarchar(20));
GO
CREATE FUNCTION dbo.mine (@agent nvarchar(20)) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @agent = N'port';
GO
CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.mine(agent) ON dbo.berth;
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, agent nvarchar(40), depth int);
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, agent nvarchar(40));
GO
CREATE FUNCTION dbo.mine (@agent nvarchar(40)) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @agent = N'quay';
GO
CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.mine(agent) ON dbo.berth;
=== a column of which a policy hides rows is not dropped unseen | held
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, agent nvarchar(20), depth int);
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, agent nvarchar(20));
GO
CREATE FUNCTION dbo.mine (@agent nvarchar(20)) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @agent = N'port';
GO
CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.mine(agent) ON dbo.berth;
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, agent nvarchar(20));
CREATE TABLE dbo.crane (id int NOT NULL PRIMARY KEY, agent nvarchar(20));
GO
CREATE FUNCTION dbo.mine (@agent nvarchar(20)) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @agent = N'port';
GO
CREATE SECURITY POLICY dbo.own ADD FILTER PREDICATE dbo.mine(agent) ON dbo.berth;
=== partitions are split and merged
CREATE PARTITION FUNCTION by_year (datetime2(0)) AS RANGE RIGHT FOR VALUES ('2024-01-01', '2025-01-01');
CREATE PARTITION SCHEME years AS PARTITION by_year ALL TO ([PRIMARY]);
GO
CREATE TABLE dbo.call (id int NOT NULL, made datetime2(0) NOT NULL, CONSTRAINT PK_call PRIMARY KEY CLUSTERED (id, made)) ON years (made);
CREATE INDEX IX_made ON dbo.call (made);
CREATE INDEX IX_id ON dbo.call (id) ON [PRIMARY];
INSERT INTO dbo.call VALUES (1, '2023-05-05'), (2, '2024-05-05'), (3, '2026-05-05');
--- to
CREATE PARTITION FUNCTION by_year (datetime2(0)) AS RANGE RIGHT FOR VALUES ('2023-01-01', '2025-01-01', '2026-01-01');
CREATE PARTITION SCHEME years AS PARTITION by_year ALL TO ([PRIMARY]);
GO
CREATE TABLE dbo.call (id int NOT NULL, made datetime2(0) NOT NULL, CONSTRAINT PK_call PRIMARY KEY CLUSTERED (id, made)) ON years (made);
CREATE INDEX IX_made ON dbo.call (made);
CREATE INDEX IX_id ON dbo.call (id) ON [PRIMARY];
--- steps 1
--- rows SELECT p.rows FROM sys.partitions AS p WHERE p.object_id = OBJECT_ID('dbo.call') AND p.index_id = 1 ORDER BY p.partition_number
0;2;0;1
=== a table is partitioned, another one no longer
CREATE PARTITION FUNCTION by_year (datetime2(0)) AS RANGE RIGHT FOR VALUES ('2024-01-01', '2025-01-01');
CREATE PARTITION SCHEME years AS PARTITION by_year ALL TO ([PRIMARY]);
GO
CREATE TABLE dbo.call (id int NOT NULL CONSTRAINT PK_call PRIMARY KEY, made datetime2(0) NOT NULL);
CREATE TABLE dbo.stay (id int NOT NULL, made datetime2(0) NOT NULL) ON years (made);
CREATE INDEX IX_stay ON dbo.stay (id);
INSERT INTO dbo.call VALUES (1, '2023-05-05'), (2, '2024-05-05'); INSERT INTO dbo.stay VALUES (7, '2024-05-05');
--- to
CREATE PARTITION FUNCTION by_year (datetime2(0)) AS RANGE RIGHT FOR VALUES ('2024-01-01', '2025-01-01');
CREATE PARTITION SCHEME years AS PARTITION by_year ALL TO ([PRIMARY]);
GO
CREATE TABLE dbo.call (id int NOT NULL, made datetime2(0) NOT NULL, CONSTRAINT PK_call PRIMARY KEY CLUSTERED (id, made)) ON years (made);
CREATE TABLE dbo.stay (id int NOT NULL, made datetime2(0) NOT NULL);
CREATE INDEX IX_stay ON dbo.stay (id);
--- rows SELECT p.rows FROM sys.partitions AS p WHERE p.object_id = OBJECT_ID('dbo.call') AND p.index_id = 1 ORDER BY p.partition_number
1;1;0
=== partition functions and schemes come and go | --may-lose *
CREATE PARTITION FUNCTION [by no] (int) AS RANGE LEFT FOR VALUES (1, -5, 30);
CREATE PARTITION SCHEME nos AS PARTITION [by no] TO ([PRIMARY], [PRIMARY], [PRIMARY], [PRIMARY]);
GO
CREATE TABLE dbo.berth (id int NOT NULL) ON nos (id);
--- to
CREATE PARTITION FUNCTION by_letter (nvarchar(9)) AS RANGE RIGHT FOR VALUES (N'm''n');
CREATE PARTITION SCHEME letters AS PARTITION by_letter ALL TO ([PRIMARY]);
CREATE PARTITION FUNCTION by_byte (varbinary(4)) AS RANGE LEFT FOR VALUES (0x1F);
GO
CREATE TABLE dbo.crane (name nvarchar(9) NOT NULL PRIMARY KEY, id int) ON letters (name);
CREATE UNIQUE INDEX IX_crane ON dbo.crane (id) ON [PRIMARY];
=== a partition function in use is not made anew | held
CREATE PARTITION FUNCTION by_year (datetime2(0)) AS RANGE RIGHT FOR VALUES ('2024-01-01', '2025-01-01');
CREATE PARTITION SCHEME years AS PARTITION by_year ALL TO ([PRIMARY]);
GO
CREATE TABLE dbo.call (id int NOT NULL, made datetime2(0) NOT NULL) ON years (made);
--- to
CREATE PARTITION FUNCTION by_year (datetime2(0)) AS RANGE LEFT FOR VALUES ('2024-01-01', '2025-01-01');
CREATE PARTITION SCHEME years AS PARTITION by_year ALL TO ([PRIMARY]);
GO
CREATE TABLE dbo.call (id int NOT NULL, made datetime2(0) NOT NULL) ON years (made);
=== triggers of the database come, go and change
CREATE TABLE dbo.noted (what nvarchar(max));
CREATE TABLE dbo.gone (id int);
GO
CREATE TRIGGER [no drop] ON DATABASE FOR DROP_TABLE AS THROW 50001, N'no table goes', 1;
GO
CREATE TRIGGER notes ON DATABASE AFTER CREATE_VIEW, DDL_PROCEDURE_EVENTS AS INSERT INTO dbo.noted VALUES (EVENTDATA());
GO
CREATE TRIGGER idle ON DATABASE FOR DDL_TABLE_EVENTS AS THROW 50002, N'nothing', 1;
GO
DISABLE TRIGGER idle ON DATABASE;
--- to
CREATE TABLE dbo.noted (what nvarchar(max));
GO
CREATE VIEW dbo.all_noted AS SELECT what FROM dbo.noted;
GO
-- what is made is noted
CREATE TRIGGER notes ON DATABASE AFTER CREATE_VIEW, CREATE_TABLE AS INSERT INTO dbo.noted VALUES (N'a view or a table');
GO
CREATE TRIGGER idle ON DATABASE FOR ALTER_TABLE AS THROW 50002, N'nothing', 1;
GO
CREATE TRIGGER [none] ON DATABASE FOR DDL_DATABASE_LEVEL_EVENTS AS THROW 50003, N'none at all', 1;
GO
DISABLE TRIGGER [none] ON DATABASE;
--- rows SELECT COUNT(*) FROM dbo.noted WHERE what LIKE '%CREATE_VIEW%'
1
=== a column is added to a table and its history
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, since datetime2 GENERATED ALWAYS AS ROW START NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (since, until))
  WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.berth_was));
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, since datetime2 GENERATED ALWAYS AS ROW START NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (since, until))
  WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.berth_was));
--- steps 4
=== statistics step aside for their column, come and go
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth int, tide int, name varchar(9));
CREATE STATISTICS by_depth ON dbo.berth (depth, tide) WHERE depth > 3 WITH FULLSCAN, NORECOMPUTE;
CREATE STATISTICS by_name ON dbo.berth (name);
CREATE STATISTICS gone ON dbo.berth (tide) WITH SAMPLE 5 PERCENT;
INSERT INTO dbo.berth VALUES (1, 4, 5, 'Ost');
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, depth bigint, tide int, name varchar(20));
CREATE STATISTICS by_depth ON dbo.berth (depth, tide) WHERE depth > 3 WITH NORECOMPUTE;
CREATE STATISTICS by_name ON dbo.berth (name);
CREATE STATISTICS [new one] ON dbo.berth (tide, id);
UPDATE STATISTICS dbo.berth;
--- rows SELECT depth FROM dbo.berth
4
=== XML indexes step aside for the key they stand on
CREATE TABLE dbo.manifest (id int NOT NULL CONSTRAINT PK_manifest PRIMARY KEY, cargo xml, note xml);
CREATE PRIMARY XML INDEX cargo_all ON dbo.manifest (cargo);
CREATE XML INDEX cargo_path ON dbo.manifest (cargo) USING XML INDEX cargo_all FOR PATH;
CREATE XML INDEX cargo_value ON dbo.manifest (cargo) USING XML INDEX cargo_all FOR VALUE WITH (FILLFACTOR = 70);
CREATE PRIMARY XML INDEX note_all ON dbo.manifest (note);
INSERT INTO dbo.manifest VALUES (1, '<crate/>', NULL);
--- to
CREATE TABLE dbo.manifest (id bigint NOT NULL CONSTRAINT PK_manifest PRIMARY KEY, cargo xml, note xml);
CREATE PRIMARY XML INDEX cargo_all ON dbo.manifest (cargo) WITH (PAD_INDEX = ON);
CREATE XML INDEX cargo_path ON dbo.manifest (cargo) USING XML INDEX cargo_all FOR PATH;
CREATE XML INDEX cargo_value ON dbo.manifest (cargo) USING XML INDEX cargo_all FOR PROPERTY;
--- rows SELECT id, CAST(cargo AS nvarchar(50)) FROM dbo.manifest
1,<crate/>
=== spatial indexes change
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, outline geometry, place geography, [far away] geometry);
CREATE SPATIAL INDEX outlined ON dbo.berth (outline) USING GEOMETRY_GRID WITH (BOUNDING_BOX = (0, 0, 500, 200.5), GRIDS = (LOW, LOW, MEDIUM, HIGH), CELLS_PER_OBJECT = 64, PAD_INDEX = ON);
CREATE SPATIAL INDEX placed ON dbo.berth (place);
CREATE SPATIAL INDEX gone ON dbo.berth ([far away]) WITH (BOUNDING_BOX = (XMIN = -10, YMIN = -10, XMAX = 1e6, YMAX = 10));
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, outline geometry, place geography, [far away] geometry);
CREATE SPATIAL INDEX outlined ON dbo.berth (outline) USING GEOMETRY_GRID WITH (BOUNDING_BOX = (XMIN = 0, YMIN = 0, XMAX = 500, YMAX = 200.5), GRIDS = (LEVEL_4 = HIGH, LEVEL_1 = LOW, LEVEL_2 = LOW), CELLS_PER_OBJECT = 64, PAD_INDEX = ON);
CREATE SPATIAL INDEX placed ON dbo.berth (place) USING GEOGRAPHY_GRID;
CREATE SPATIAL INDEX [new one] ON dbo.berth ([far away]) WITH (BOUNDING_BOX = (-0.25, -10, 1, 10));
--- steps 4
=== spatial indexes in other spellings are no difference
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, outline geometry, place geography);
CREATE SPATIAL INDEX outlined ON dbo.berth (outline) USING GEOMETRY_GRID WITH (BOUNDING_BOX = (0, 0, 500, 200));
CREATE SPATIAL INDEX placed ON dbo.berth (place);
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, outline geometry, place geography);
CREATE SPATIAL INDEX outlined ON dbo.berth (outline) USING GEOMETRY_GRID WITH (BOUNDING_BOX = (XMIN = 0.0, YMIN = 0, XMAX = 5e2, YMAX = 200), GRIDS = (MEDIUM, MEDIUM, MEDIUM, MEDIUM), CELLS_PER_OBJECT = 16);
CREATE SPATIAL INDEX placed ON dbo.berth (place) USING GEOGRAPHY_AUTO_GRID WITH (CELLS_PER_OBJECT = 12);
--- same
=== full-text search comes
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(60));
INSERT INTO dbo.berth VALUES (1, N'Ostkai');
--- to
CREATE FULLTEXT CATALOG [harbour words] WITH ACCENT_SENSITIVITY = OFF AS DEFAULT;
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(60), [plan] varbinary(max), kind varchar(9));
CREATE UNIQUE INDEX ix_berth ON dbo.berth (id);
CREATE FULLTEXT INDEX ON dbo.berth (name LANGUAGE 'German', [plan] TYPE COLUMN kind LANGUAGE 0x409) KEY INDEX ix_berth;
=== full-text indexes step aside for a column and a key without a name
CREATE FULLTEXT CATALOG words AS DEFAULT;
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name nvarchar(60), note nvarchar(max));
CREATE FULLTEXT CATALOG others WITH ACCENT_SENSITIVITY = OFF;
CREATE TABLE dbo.ship (no int NOT NULL CONSTRAINT UQ_ship UNIQUE, name nvarchar(60));
CREATE FULLTEXT INDEX ON dbo.ship (name) KEY INDEX UQ_ship ON others WITH CHANGE_TRACKING MANUAL;
INSERT INTO dbo.berth VALUES (1, N'Ostkai', NULL);
GO
DECLARE @key nvarchar(200) = (SELECT name FROM sys.key_constraints WHERE type = 'PK'), @sql nvarchar(max);
SET @sql = N'CREATE FULLTEXT INDEX ON dbo.berth (name LANGUAGE 1031, note) KEY INDEX ' + QUOTENAME(@key);
EXEC (@sql);
--- to
CREATE FULLTEXT CATALOG words;
CREATE FULLTEXT CATALOG fresh AS DEFAULT;
CREATE TABLE dbo.berth (id bigint NOT NULL PRIMARY KEY, name nvarchar(90), note nvarchar(max));
CREATE TABLE dbo.ship (no int NOT NULL CONSTRAINT UQ_ship UNIQUE, name nvarchar(60));
GO
CREATE FULLTEXT INDEX ON dbo.ship (name LANGUAGE 'English') KEY INDEX UQ_ship ON fresh WITH CHANGE_TRACKING = OFF, STOPLIST OFF;
ALTER FULLTEXT INDEX ON dbo.ship DISABLE;
DECLARE @key nvarchar(200) = (SELECT name FROM sys.key_constraints WHERE type = 'PK'), @sql nvarchar(max);
SET @sql = N'CREATE FULLTEXT INDEX ON dbo.berth (name LANGUAGE 1031, note) KEY INDEX ' + QUOTENAME(@key) + N' ON words';
EXEC (@sql);
--- rows SELECT id, name FROM dbo.berth
1,Ostkai
=== full-text search changes in place | --may-lose *
CREATE FULLTEXT CATALOG words WITH ACCENT_SENSITIVITY = OFF;
CREATE TABLE dbo.ship (no int NOT NULL CONSTRAINT UQ_ship UNIQUE, name nvarchar(60));
CREATE FULLTEXT INDEX ON dbo.ship (name) KEY INDEX UQ_ship ON words WITH CHANGE_TRACKING MANUAL;
CREATE TABLE dbo.gone (no int NOT NULL CONSTRAINT UQ_gone UNIQUE, name nvarchar(60));
CREATE FULLTEXT INDEX ON dbo.gone (name) KEY INDEX UQ_gone ON words;
--- to
CREATE FULLTEXT CATALOG words AS DEFAULT;
CREATE TABLE dbo.ship (no int NOT NULL CONSTRAINT UQ_ship UNIQUE, name nvarchar(60));
CREATE FULLTEXT INDEX ON dbo.ship (name) KEY INDEX UQ_ship WITH STOPLIST = OFF;
=== types that nothing converts | --may-lose * --fill dbo.call.day=CONVERT(date,CONVERT(varchar(8),day)) --fill dbo.call.key=NEWID()
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, [key] int NOT NULL, day int NOT NULL, at time NULL, doc xml NULL, word text NULL, mark uniqueidentifier NULL CONSTRAINT DF_mark DEFAULT NEWID(), days date NULL);
CREATE INDEX by_key ON dbo.call ([key]) INCLUDE (day);
CREATE INDEX by_mark ON dbo.call (mark);
INSERT INTO dbo.call VALUES (1, 7, 20261127, '10:11', '<a/>', 'x', NULL, '2026-11-27'), (2, 8, 20251126, NULL, NULL, NULL, '0E984725-C51C-4BF4-9960-E1C80E27ABA0', NULL);
--- to
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, [key] uniqueidentifier NOT NULL, day date NOT NULL, at date NULL, doc int NULL, word int NULL, mark int NULL CONSTRAINT DF_mark DEFAULT 3, days int NULL);
CREATE INDEX by_key ON dbo.call ([key]) INCLUDE (day);
CREATE INDEX by_mark ON dbo.call (mark);
--- rows SELECT id, day FROM dbo.call ORDER BY id
1,2026-11-27;2,2025-11-26
=== alias types whose own types nothing converts | --may-lose *
CREATE TYPE dbo.mark FROM int NULL;
CREATE TYPE dbo.day FROM date NULL;
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, a dbo.mark, b dbo.day, c int NULL, d dbo.mark);
CREATE INDEX by_a ON dbo.call (a);
INSERT INTO dbo.call VALUES (1, 7, '2026-11-27', 3, 4);
--- to
CREATE TYPE dbo.mark FROM uniqueidentifier NULL;
CREATE TYPE dbo.day FROM date NULL;
CREATE TABLE dbo.call (id int NOT NULL PRIMARY KEY, a dbo.mark, b int NULL, c dbo.day, d int NULL);
CREATE INDEX by_a ON dbo.call (a);
--- rows SELECT id, d FROM dbo.call
1,4
=== full-text search of views comes, goes, and steps aside | --may-lose *
CREATE FULLTEXT CATALOG words AS DEFAULT;
CREATE TABLE dbo.ship (no int NOT NULL CONSTRAINT PK_ship PRIMARY KEY, name nvarchar(60), notes nvarchar(max), flag nvarchar(2));
GO
CREATE VIEW dbo.altered WITH SCHEMABINDING AS SELECT no, name FROM dbo.ship;
GO
CREATE VIEW dbo.bound WITH SCHEMABINDING AS SELECT no, name, flag FROM dbo.ship;
GO
CREATE VIEW dbo.kept WITH SCHEMABINDING AS SELECT no, notes FROM dbo.ship;
GO
CREATE VIEW dbo.gone WITH SCHEMABINDING AS SELECT no, notes FROM dbo.ship;
GO
CREATE UNIQUE CLUSTERED INDEX UQ_altered ON dbo.altered (no);
CREATE UNIQUE CLUSTERED INDEX UQ_bound ON dbo.bound (no);
CREATE UNIQUE CLUSTERED INDEX UQ_kept ON dbo.kept (no);
CREATE UNIQUE CLUSTERED INDEX UQ_gone ON dbo.gone (no);
CREATE FULLTEXT INDEX ON dbo.altered (name LANGUAGE 1033) KEY INDEX UQ_altered;
CREATE FULLTEXT INDEX ON dbo.bound (name LANGUAGE 1033) KEY INDEX UQ_bound WITH STOPLIST = OFF;
CREATE FULLTEXT INDEX ON dbo.gone (notes) KEY INDEX UQ_gone;
INSERT INTO dbo.ship VALUES (7, N'Möwe', N'a gull', N'NO');
--- to
CREATE FULLTEXT CATALOG words AS DEFAULT;
CREATE TABLE dbo.ship (no int NOT NULL CONSTRAINT PK_ship PRIMARY KEY, name nvarchar(60), notes nvarchar(max), flag nvarchar(9) NOT NULL DEFAULT N'NO');
GO
CREATE VIEW dbo.altered WITH SCHEMABINDING AS SELECT no, name FROM dbo.ship WHERE no > 0;
GO
CREATE VIEW dbo.bound WITH SCHEMABINDING AS SELECT no, name, flag FROM dbo.ship;
GO
CREATE VIEW dbo.kept WITH SCHEMABINDING AS SELECT no, notes FROM dbo.ship;
GO
CREATE UNIQUE CLUSTERED INDEX UQ_altered ON dbo.altered (no);
CREATE UNIQUE CLUSTERED INDEX UQ_bound ON dbo.bound (no);
CREATE UNIQUE CLUSTERED INDEX UQ_kept ON dbo.kept (no);
CREATE FULLTEXT INDEX ON dbo.altered (name LANGUAGE 1033) KEY INDEX UQ_altered;
CREATE FULLTEXT INDEX ON dbo.bound (name LANGUAGE 1033) KEY INDEX UQ_bound WITH STOPLIST = OFF;
CREATE FULLTEXT INDEX ON dbo.kept (notes) KEY INDEX UQ_kept;
--- rows SELECT k.no, b.flag, k.notes FROM dbo.kept AS k JOIN dbo.bound AS b ON b.no = k.no
7,NO,a gull
=== tables and indexes move between filegroups
ALTER DATABASE CURRENT ADD FILEGROUP [old [default]] disk];
ALTER DATABASE CURRENT ADD FILE (NAME = one, FILENAME = '/data/one.ndf') TO FILEGROUP [old [default]] disk];
ALTER DATABASE CURRENT ADD FILEGROUP [new disk];
ALTER DATABASE CURRENT ADD FILE (NAME = two, FILENAME = '/data/two.ndf') TO FILEGROUP [new disk];
GO
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name varchar(9));
CREATE INDEX by_name ON dbo.berth (name) ON [old [default]] disk];
CREATE TABLE dbo.ship (id int NOT NULL CONSTRAINT PK_ship PRIMARY KEY, berth int REFERENCES dbo.berth (id)) ON [old [default]] disk];
CREATE INDEX by_berth ON dbo.ship (berth);
CREATE TABLE dbo.heap (id int IDENTITY, name varchar(9));
CREATE TABLE dbo.log (id int) ON [old [default]] disk];
CREATE CLUSTERED INDEX logged ON dbo.log (id);
INSERT INTO dbo.berth VALUES (1, 'Ost');
INSERT INTO dbo.ship VALUES (7, 1);
INSERT INTO dbo.heap VALUES ('x');
CREATE PARTITION FUNCTION by_no (int) AS RANGE RIGHT FOR VALUES (10, 20);
CREATE PARTITION SCHEME nos AS PARTITION by_no ALL TO ([old [default]] disk]);
GO
CREATE TABLE dbo.call (no int NOT NULL) ON nos (no);
--- to
ALTER DATABASE CURRENT ADD FILEGROUP [old [default]] disk];
ALTER DATABASE CURRENT ADD FILE (NAME = one, FILENAME = '/data/one.ndf') TO FILEGROUP [old [default]] disk];
ALTER DATABASE CURRENT ADD FILEGROUP [new disk];
ALTER DATABASE CURRENT ADD FILE (NAME = two, FILENAME = '/data/two.ndf') TO FILEGROUP [new disk];
GO
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, name varchar(9)) ON [new disk];
CREATE INDEX by_name ON dbo.berth (name);
CREATE TABLE dbo.ship (id int NOT NULL CONSTRAINT PK_ship PRIMARY KEY, berth int REFERENCES dbo.berth (id));
CREATE INDEX by_berth ON dbo.ship (berth) ON [new disk];
CREATE TABLE dbo.heap (id int IDENTITY, name varchar(9)) ON [new disk];
CREATE TABLE dbo.log (id bigint) ON [new disk];
CREATE CLUSTERED INDEX logged ON dbo.log (id);
CREATE PARTITION FUNCTION by_no (int) AS RANGE RIGHT FOR VALUES (10, 20, 30);
CREATE PARTITION SCHEME nos AS PARTITION by_no ALL TO ([old [default]] disk]);
GO
CREATE TABLE dbo.call (no int NOT NULL) ON nos (no);
--- rows SELECT s.id, s.berth, h.id FROM dbo.ship AS s CROSS JOIN dbo.heap AS h
7,1,1
=== the filegroup where nothing is said is no difference
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, note varchar(max)) ON [PRIMARY] TEXTIMAGE_ON [PRIMARY];
CREATE INDEX i ON dbo.berth (id) ON [default];
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, note varchar(max));
CREATE INDEX i ON dbo.berth (id);
--- same
=== triggers exchange their places
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
GO
CREATE TRIGGER dbo.one ON dbo.berth AFTER INSERT AS PRINT 'one';
GO
CREATE TRIGGER dbo.two ON dbo.berth AFTER INSERT AS PRINT 'two';
GO
CREATE TRIGGER d_one ON DATABASE FOR CREATE_TABLE, DROP_TABLE AS PRINT 'one';
GO
CREATE TRIGGER d_two ON DATABASE FOR DDL_TABLE_EVENTS AS PRINT 'two';
GO
CREATE TRIGGER d_three ON DATABASE FOR CREATE_TABLE AS PRINT 'three';
GO
EXEC sp_settriggerorder 'dbo.one', 'First', 'INSERT';
EXEC sp_settriggerorder 'dbo.two', 'Last', 'INSERT';
EXEC sp_settriggerorder 'd_one', 'First', 'CREATE_TABLE', 'DATABASE';
EXEC sp_settriggerorder 'd_two', 'Last', 'CREATE_TABLE', 'DATABASE';
EXEC sp_settriggerorder 'd_one', 'First', 'DROP_TABLE', 'DATABASE';
--- to
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY);
GO
CREATE TRIGGER dbo.one ON dbo.berth AFTER INSERT AS PRINT 'one';
GO
CREATE TRIGGER dbo.two ON dbo.berth AFTER INSERT AS PRINT 'two';
GO
CREATE TRIGGER d_one ON DATABASE FOR CREATE_TABLE, DROP_TABLE AS PRINT 'one!';
GO
CREATE TRIGGER d_two ON DATABASE FOR DDL_TABLE_EVENTS AS PRINT 'two';
GO
CREATE TRIGGER d_three ON DATABASE FOR CREATE_TABLE AS PRINT 'three';
GO
EXEC sp_settriggerorder 'dbo.one', 'Last', 'INSERT';
EXEC sp_settriggerorder 'dbo.two', 'First', 'INSERT';
EXEC sp_settriggerorder 'd_three', 'First', 'CREATE_TABLE', 'DATABASE';
EXEC sp_settriggerorder 'd_one', 'Last', 'CREATE_TABLE', 'DATABASE';
EXEC sp_settriggerorder 'd_two', 'First', 'ALTER_TABLE', 'DATABASE';
=== a table goes into memory, with its rows and numbers
ALTER DATABASE CURRENT ADD FILEGROUP fast CONTAINS MEMORY_OPTIMIZED_DATA;
ALTER DATABASE CURRENT ADD FILE (NAME = fast, FILENAME = '/data/fast') TO FILEGROUP fast;
GO
CREATE TABLE dbo.call (id int IDENTITY CONSTRAINT PK_call PRIMARY KEY, ship int NOT NULL, note nvarchar(40) CONSTRAINT DF_note DEFAULT N'-');
CREATE INDEX by_ship ON dbo.call (ship);
INSERT INTO dbo.call (ship) VALUES (7), (8), (9);
DELETE FROM dbo.call WHERE ship = 7;
EXEC sp_addextendedproperty N'MS_Description', N'calls', N'SCHEMA', N'dbo', N'TABLE', N'call';
GO
CREATE VIEW dbo.calls AS SELECT id, ship FROM dbo.call;
--- to
ALTER DATABASE CURRENT ADD FILEGROUP fast CONTAINS MEMORY_OPTIMIZED_DATA;
ALTER DATABASE CURRENT ADD FILE (NAME = fast, FILENAME = '/data/fast') TO FILEGROUP fast;
GO
CREATE TABLE dbo.call (id int IDENTITY CONSTRAINT PK_call PRIMARY KEY NONCLUSTERED, ship bigint NOT NULL, note nvarchar(40) CONSTRAINT DF_note DEFAULT N'-', INDEX by_ship HASH (ship) WITH (BUCKET_COUNT = 1000), CONSTRAINT CK_ship CHECK (ship > 0)) WITH (MEMORY_OPTIMIZED = ON);
EXEC sp_addextendedproperty N'MS_Description', N'calls in memory', N'SCHEMA', N'dbo', N'TABLE', N'call';
GO
CREATE VIEW dbo.calls AS SELECT id, ship, note FROM dbo.call;
--- rows SELECT id, ship, note FROM dbo.call ORDER BY id
2,8,-;3,9,-
=== a table leaves the memory, another one changes in it
ALTER DATABASE CURRENT ADD FILEGROUP fast CONTAINS MEMORY_OPTIMIZED_DATA;
ALTER DATABASE CURRENT ADD FILE (NAME = fast, FILENAME = '/data/fast') TO FILEGROUP fast;
GO
CREATE TABLE dbo.call (id int IDENTITY CONSTRAINT PK_call PRIMARY KEY NONCLUSTERED HASH WITH (BUCKET_COUNT = 100), ship int, INDEX by_ship (ship DESC)) WITH (MEMORY_OPTIMIZED = ON, DURABILITY = SCHEMA_AND_DATA);
CREATE TABLE dbo.ship (id int NOT NULL CONSTRAINT PK_ship PRIMARY KEY NONCLUSTERED HASH WITH (BUCKET_COUNT = 100), name nvarchar(20) NOT NULL CONSTRAINT UQ_ship UNIQUE, tons int, gone int, INDEX by_tons (tons)) WITH (MEMORY_OPTIMIZED = ON);
CREATE TABLE dbo.draft (id int NOT NULL PRIMARY KEY NONCLUSTERED, of_ship int REFERENCES dbo.ship (id)) WITH (MEMORY_OPTIMIZED = ON);
INSERT INTO dbo.call (ship) VALUES (7), (8);
INSERT INTO dbo.ship VALUES (7, N'Möwe', 300, NULL);
INSERT INTO dbo.draft VALUES (1, 7);
GO
CREATE PROCEDURE dbo.weigh @id int WITH NATIVE_COMPILATION, SCHEMABINDING AS BEGIN ATOMIC WITH (TRANSACTION ISOLATION LEVEL = SNAPSHOT, LANGUAGE = N'us_english')
  SELECT tons FROM dbo.ship WHERE id = @id;
END
GO
CREATE TRIGGER dbo.noted ON dbo.ship WITH NATIVE_COMPILATION, SCHEMABINDING AFTER INSERT AS BEGIN ATOMIC WITH (TRANSACTION ISOLATION LEVEL = SNAPSHOT, LANGUAGE = N'us_english')
  DECLARE @n int = 1;
END
--- to
ALTER DATABASE CURRENT ADD FILEGROUP fast CONTAINS MEMORY_OPTIMIZED_DATA;
ALTER DATABASE CURRENT ADD FILE (NAME = fast, FILENAME = '/data/fast') TO FILEGROUP fast;
GO
CREATE TABLE dbo.call (id int IDENTITY CONSTRAINT PK_call PRIMARY KEY, ship int);
CREATE INDEX by_ship ON dbo.call (ship DESC);
CREATE TABLE dbo.ship (id int NOT NULL CONSTRAINT PK_ship PRIMARY KEY NONCLUSTERED HASH WITH (BUCKET_COUNT = 5000), name nvarchar(50) NOT NULL, tons bigint NOT NULL DEFAULT 1, crew int, INDEX by_tons (tons), INDEX by_name UNIQUE (name)) WITH (MEMORY_OPTIMIZED = ON);
CREATE TABLE dbo.draft (id bigint NOT NULL PRIMARY KEY NONCLUSTERED, of_ship int REFERENCES dbo.ship (id)) WITH (MEMORY_OPTIMIZED = ON);
CREATE TYPE dbo.ids AS TABLE (id int NOT NULL PRIMARY KEY NONCLUSTERED HASH WITH (BUCKET_COUNT = 16)) WITH (MEMORY_OPTIMIZED = ON);
GO
CREATE PROCEDURE dbo.weigh @id int WITH NATIVE_COMPILATION, SCHEMABINDING AS BEGIN ATOMIC WITH (TRANSACTION ISOLATION LEVEL = SNAPSHOT, LANGUAGE = N'us_english')
  SELECT tons, crew FROM dbo.ship WHERE id = @id;
END
GO
CREATE TRIGGER dbo.noted ON dbo.ship WITH NATIVE_COMPILATION, SCHEMABINDING AFTER INSERT, UPDATE AS BEGIN ATOMIC WITH (TRANSACTION ISOLATION LEVEL = SNAPSHOT, LANGUAGE = N'us_english')
  DECLARE @n int = 2;
END
--- rows SELECT c.id, s.name, s.tons, d.id FROM dbo.call AS c JOIN dbo.ship AS s ON s.id = c.ship JOIN dbo.draft AS d ON d.of_ship = s.id
1,Möwe,300,1
=== tables in memory come and go | --may-lose *
ALTER DATABASE CURRENT ADD FILEGROUP fast CONTAINS MEMORY_OPTIMIZED_DATA;
ALTER DATABASE CURRENT ADD FILE (NAME = fast, FILENAME = '/data/fast') TO FILEGROUP fast;
GO
CREATE TABLE dbo.gone (id int NOT NULL PRIMARY KEY NONCLUSTERED, n int) WITH (MEMORY_OPTIMIZED = ON);
CREATE TABLE dbo.kept (id int NOT NULL PRIMARY KEY NONCLUSTERED, n int, m int) WITH (MEMORY_OPTIMIZED = ON);
INSERT INTO dbo.gone VALUES (1, 2);
INSERT INTO dbo.kept VALUES (1, 2, 3);
--- to
ALTER DATABASE CURRENT ADD FILEGROUP fast CONTAINS MEMORY_OPTIMIZED_DATA;
ALTER DATABASE CURRENT ADD FILE (NAME = fast, FILENAME = '/data/fast') TO FILEGROUP fast;
GO
CREATE SCHEMA yard;
GO
CREATE TYPE yard.tons FROM int;
CREATE TABLE dbo.kept (id int NOT NULL PRIMARY KEY NONCLUSTERED, n int) WITH (MEMORY_OPTIMIZED = ON, DURABILITY = SCHEMA_ONLY);
CREATE TABLE yard.fresh (id int NOT NULL, tons yard.tons, INDEX i (id)) WITH (MEMORY_OPTIMIZED = ON, DURABILITY = SCHEMA_ONLY);
GO
CREATE VIEW dbo.v AS SELECT tons FROM yard.fresh;
=== columns stand in another order, which was asked for | --include column-order
CREATE TABLE dbo.berth (id int IDENTITY (5, 5) NOT NULL CONSTRAINT PK_berth PRIMARY KEY, name nvarchar(9), depth int CONSTRAINT DF_depth DEFAULT 4);
CREATE TABLE dbo.call (no int NOT NULL, berth int CONSTRAINT FK_call REFERENCES dbo.berth (id), paid bit);
CREATE TABLE dbo.ship (id int NOT NULL, name nvarchar(9));
CREATE TABLE dbo.kept (a int, b int);
INSERT INTO dbo.berth (name, depth) VALUES (N'Ost', 7), (N'Süd', 8);
INSERT INTO dbo.call VALUES (1, 10, 1);
INSERT INTO dbo.ship VALUES (1, N'Möwe');
--- to
CREATE TABLE dbo.berth (name nvarchar(9), id int IDENTITY (5, 5) NOT NULL CONSTRAINT PK_berth PRIMARY KEY, depth int CONSTRAINT DF_depth DEFAULT 4);
CREATE TABLE dbo.call (no int NOT NULL, fee money, berth int CONSTRAINT FK_call REFERENCES dbo.berth (id), paid bit);
CREATE TABLE dbo.ship (id int NOT NULL, name nvarchar(9), tons int);
CREATE TABLE dbo.kept (a int, b int);
--- steps 6
--- rows SELECT b.name, b.id, b.depth, c.fee, c.berth, s.tons, (SELECT STRING_AGG(c.name, ' ') FROM sys.columns AS c WHERE c.object_id IN (OBJECT_ID('dbo.berth'), OBJECT_ID('dbo.call'))) FROM dbo.call AS c JOIN dbo.berth AS b ON b.id = c.berth CROSS JOIN dbo.ship AS s
Süd,10,8,<nil>,10,<nil>,name id depth no fee berth paid
=== the columns of a type stand in another order, those of a table may
CREATE TYPE dbo.calls AS TABLE (no int NOT NULL, paid bit);
CREATE TABLE dbo.berth (id int, name nvarchar(9));
GO
CREATE PROCEDURE dbo.pay @calls dbo.calls READONLY AS SELECT no FROM @calls;
--- to
CREATE TYPE dbo.calls AS TABLE (paid bit, no int NOT NULL);
CREATE TABLE dbo.berth (name nvarchar(9), id int);
GO
CREATE PROCEDURE dbo.pay @calls dbo.calls READONLY AS SELECT no FROM @calls;
=== what is bound gets other names, and what is searched under them | --rename table:dbo.berth=quay --rename column:dbo.berth.name=title --rename column:dbo.berth.depth=draft
CREATE FULLTEXT CATALOG words AS DEFAULT;
CREATE TABLE berth (id int NOT NULL CONSTRAINT PK_berth PRIMARY KEY, name nvarchar(20) NOT NULL, depth int);
CREATE FULLTEXT INDEX ON berth (name) KEY INDEX PK_berth;
INSERT INTO berth VALUES (1, N'Ostkai', 7);
GO
CREATE VIEW deep WITH SCHEMABINDING AS SELECT id, name, depth FROM dbo.berth WHERE depth > 5;
GO
CREATE UNIQUE CLUSTERED INDEX deep_id ON deep (id);
GO
CREATE VIEW deeper WITH SCHEMABINDING AS SELECT id, depth FROM dbo.deep WHERE depth > 9;
GO
CREATE FUNCTION ours (@d int) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @d < 99;
GO
CREATE SECURITY POLICY own ADD FILTER PREDICATE dbo.ours(depth) ON dbo.berth WITH (STATE = OFF);
--- to
CREATE FULLTEXT CATALOG words AS DEFAULT;
CREATE TABLE quay (id int NOT NULL CONSTRAINT PK_berth PRIMARY KEY, title nvarchar(60) NOT NULL, draft int);
CREATE FULLTEXT INDEX ON quay (title) KEY INDEX PK_berth;
GO
CREATE VIEW deep WITH SCHEMABINDING AS SELECT id, title, draft FROM dbo.quay WHERE draft > 5;
GO
CREATE UNIQUE CLUSTERED INDEX deep_id ON deep (id);
GO
CREATE VIEW deeper WITH SCHEMABINDING AS SELECT id, draft FROM dbo.deep WHERE draft > 9;
GO
CREATE FUNCTION ours (@d int) RETURNS TABLE WITH SCHEMABINDING AS RETURN SELECT 1 AS ok WHERE @d < 99;
GO
CREATE SECURITY POLICY own ADD FILTER PREDICATE dbo.ours(draft) ON dbo.quay WITH (STATE = OFF);
--- rows SELECT id, title, draft FROM dbo.quay
1,Ostkai,7
=== a table in memory gets another name, and what is compiled for it | --rename table:dbo.berth=quay --rename column:dbo.berth.name=title
ALTER DATABASE CURRENT ADD FILEGROUP fast CONTAINS MEMORY_OPTIMIZED_DATA;
ALTER DATABASE CURRENT ADD FILE (NAME = fast, FILENAME = '/data/fast') TO FILEGROUP fast;
GO
CREATE TABLE dbo.berth (id int NOT NULL CONSTRAINT PK_berth PRIMARY KEY NONCLUSTERED, name nvarchar(20) NOT NULL, depth int, INDEX by_name (name)) WITH (MEMORY_OPTIMIZED = ON, DURABILITY = SCHEMA_ONLY);
INSERT INTO dbo.berth VALUES (1, N'Ostkai', 7);
GO
CREATE PROCEDURE dbo.look WITH NATIVE_COMPILATION, SCHEMABINDING AS BEGIN ATOMIC WITH (TRANSACTION ISOLATION LEVEL = SNAPSHOT, LANGUAGE = N'us_english') SELECT name FROM dbo.berth; END
--- to
ALTER DATABASE CURRENT ADD FILEGROUP fast CONTAINS MEMORY_OPTIMIZED_DATA;
ALTER DATABASE CURRENT ADD FILE (NAME = fast, FILENAME = '/data/fast') TO FILEGROUP fast;
GO
CREATE TABLE dbo.quay (id int NOT NULL CONSTRAINT PK_berth PRIMARY KEY NONCLUSTERED, title nvarchar(60) NOT NULL, depth int, INDEX by_name (title)) WITH (MEMORY_OPTIMIZED = ON, DURABILITY = SCHEMA_ONLY);
GO
CREATE PROCEDURE dbo.look WITH NATIVE_COMPILATION, SCHEMABINDING AS BEGIN ATOMIC WITH (TRANSACTION ISOLATION LEVEL = SNAPSHOT, LANGUAGE = N'us_english') SELECT title FROM dbo.quay; END
--- rows SELECT id, title FROM dbo.quay
1,Ostkai
=== a table is copied while the type of a column is made anew
CREATE TYPE dbo.tons FROM int;
CREATE TABLE dbo.ship (id int NOT NULL CONSTRAINT PK_ship PRIMARY KEY, weight dbo.tons NOT NULL CONSTRAINT DF_weight DEFAULT 1, name nvarchar(9));
CREATE INDEX by_weight ON dbo.ship (weight);
CREATE TABLE dbo.cargo (weight dbo.tons);
INSERT INTO dbo.ship VALUES (7, 300, N'Möwe');
INSERT INTO dbo.cargo VALUES (12);
--- to
CREATE TYPE dbo.tons FROM bigint;
CREATE TABLE dbo.ship (id int IDENTITY NOT NULL CONSTRAINT PK_ship PRIMARY KEY, weight dbo.tons NOT NULL CONSTRAINT DF_weight DEFAULT 2, name nvarchar(9));
CREATE INDEX by_weight ON dbo.ship (weight);
CREATE TABLE dbo.cargo (weight dbo.tons);
--- rows SELECT s.id, s.weight, s.name, c.weight FROM dbo.ship AS s CROSS JOIN dbo.cargo AS c
7,300,Möwe,12
=== where things lie that say nothing is another filegroup here
ALTER DATABASE CURRENT ADD FILEGROUP data;
ALTER DATABASE CURRENT ADD FILE (NAME = one, FILENAME = '/data/one.ndf') TO FILEGROUP data;
ALTER DATABASE CURRENT MODIFY FILEGROUP data DEFAULT;
GO
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, note varchar(max));
CREATE TABLE dbo.ship (id int NOT NULL CONSTRAINT PK_ship PRIMARY KEY, name varchar(9)) ON [PRIMARY];
CREATE INDEX by_name ON dbo.ship (name);
CREATE PARTITION FUNCTION by_no (int) AS RANGE RIGHT FOR VALUES (10);
CREATE PARTITION SCHEME nos AS PARTITION by_no ALL TO (data);
INSERT INTO dbo.ship VALUES (7, 'Gull');
--- to
ALTER DATABASE CURRENT ADD FILEGROUP data;
ALTER DATABASE CURRENT ADD FILE (NAME = one, FILENAME = '/data/one.ndf') TO FILEGROUP data;
ALTER DATABASE CURRENT MODIFY FILEGROUP data DEFAULT;
GO
CREATE TABLE dbo.berth (id int NOT NULL PRIMARY KEY, note varchar(max), depth int) TEXTIMAGE_ON [default];
CREATE TABLE dbo.ship (id int NOT NULL CONSTRAINT PK_ship PRIMARY KEY, name varchar(9));
CREATE INDEX by_name ON dbo.ship (name) ON [default];
CREATE PARTITION FUNCTION by_no (int) AS RANGE RIGHT FOR VALUES (10, 20);
CREATE PARTITION SCHEME nos AS PARTITION by_no ALL TO ([default]);
CREATE PARTITION FUNCTION by_date (date) AS RANGE RIGHT FOR VALUES ('2026-01-01');
CREATE PARTITION SCHEME dates AS PARTITION by_date ALL TO ([default]);
--- rows SELECT id, name FROM dbo.ship
7,Gull
