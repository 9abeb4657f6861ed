--- case a release renames what it touches
--- target
CREATE TABLE dbo.ship (ident int NOT NULL CONSTRAINT PK_ship PRIMARY KEY, ship_name nvarchar(40) NOT NULL, flag char(2) DEFAULT 'QH', length float CONSTRAINT CK_length CHECK (length > 0));
CREATE INDEX by_name ON dbo.ship (ship_name) INCLUDE (flag) WHERE length > 10;
CREATE TABLE dbo.visit (id int IDENTITY PRIMARY KEY, ship_ident int CONSTRAINT of_ship FOREIGN KEY REFERENCES dbo.ship (ident) ON DELETE CASCADE, state varchar(9), days AS (ship_ident * 2), CONSTRAINT once UNIQUE (ship_ident, state));
GO
CREATE VIEW dbo.long_ones AS SELECT s.ident AS n, s.ship_name AS t, v.state AS st FROM dbo.ship s JOIN dbo.visit v ON v.ship_ident = s.ident WHERE s.length > 100;
GO
CREATE PROCEDURE dbo.longest AS SELECT MAX(length) AS m FROM dbo.ship;
GO
CREATE TRIGGER dbo.on_visit ON dbo.visit AFTER INSERT AS UPDATE dbo.ship SET flag = 'XX' FROM dbo.ship s JOIN inserted i ON i.ship_ident = s.ident WHERE i.state <> 'left';
GO
INSERT INTO dbo.ship VALUES (1, N'Heron', 'QH', 120), (2, N'Tern', 'XX', 20);
INSERT INTO dbo.visit (ship_ident, state) VALUES (1, 'here'), (2, 'left');
--- source
CREATE TABLE dbo.vessel (id int NOT NULL CONSTRAINT PK_ship PRIMARY KEY, name nvarchar(40) NOT NULL, flag char(2) DEFAULT 'QH', metres float CONSTRAINT CK_length CHECK (metres > 0));
CREATE INDEX by_name ON dbo.vessel (name) INCLUDE (flag) WHERE metres > 10;
CREATE TABLE dbo.port_call (id int IDENTITY PRIMARY KEY, vessel_id int CONSTRAINT of_ship FOREIGN KEY REFERENCES dbo.vessel (id) ON DELETE CASCADE, state varchar(9), days AS (vessel_id * 2), CONSTRAINT once UNIQUE (vessel_id, state));
GO
CREATE VIEW dbo.long_ones AS SELECT s.id AS n, s.name AS t, v.state AS st FROM dbo.vessel s JOIN dbo.port_call v ON v.vessel_id = s.id WHERE s.metres > 100;
GO
CREATE PROCEDURE dbo.longest AS SELECT MAX(metres) AS m FROM dbo.vessel;
GO
CREATE TRIGGER dbo.on_visit ON dbo.port_call AFTER INSERT AS UPDATE dbo.vessel SET flag = 'XX' FROM dbo.vessel s JOIN inserted i ON i.vessel_id = s.id WHERE i.state <> 'left';
--- says table:dbo.ship=vessel
--- says table:dbo.visit=port_call
--- says column:dbo.ship.ident=id
--- says column:dbo.ship.ship_name=name
--- says column:dbo.ship.length=metres
--- says column:dbo.visit.ship_ident=vessel_id
--- keep SELECT name, metres FROM vessel ORDER BY id
--- keep SELECT id, state FROM port_call ORDER BY id
--- case two swap their names
--- target
CREATE TABLE berth (id int PRIMARY KEY, depth float, beam float); CREATE TABLE quay (code varchar(9) PRIMARY KEY);
INSERT INTO berth VALUES (1, 9.5, 20); INSERT INTO quay VALUES ('A');
--- source
CREATE TABLE quay (id int PRIMARY KEY, beam float, depth float); CREATE TABLE berth (code varchar(9) PRIMARY KEY);
--- says table:dbo.berth=quay
--- says table:dbo.quay=berth
--- says column:dbo.berth.depth=beam
--- says column:dbo.berth.beam=depth
--- keep SELECT beam, depth FROM quay
--- keep SELECT code FROM berth
--- case parts, routines and views get other names
--- target
CREATE TABLE stay (id int CONSTRAINT PK_stay PRIMARY KEY, ship int CONSTRAINT D_ship DEFAULT 7, CONSTRAINT sound CHECK (ship > 0)); CREATE UNIQUE INDEX by_ship ON stay (ship DESC);
GO
CREATE FUNCTION dues(@d int) RETURNS int AS BEGIN RETURN @d * 2 END;
GO
CREATE VIEW stays AS SELECT id FROM stay;
GO
CREATE TRIGGER on_stay ON stay AFTER INSERT AS SET NOCOUNT ON;
GO
CREATE SEQUENCE next_stay AS int START WITH 5;
INSERT INTO stay VALUES (1, 2);
--- source
CREATE TABLE stay (id int CONSTRAINT PK_stays PRIMARY KEY, ship int CONSTRAINT D_ship DEFAULT 7, CONSTRAINT is_sound CHECK (ship > 0)); CREATE UNIQUE INDEX by_vessel ON stay (ship DESC);
GO
CREATE FUNCTION charges(@d int) RETURNS int AS BEGIN RETURN @d * 2 END;
GO
CREATE VIEW all_stays AS SELECT id FROM stay;
GO
CREATE TRIGGER after_stay ON stay AFTER INSERT AS SET NOCOUNT ON;
GO
CREATE SEQUENCE stay_no AS int START WITH 5;
--- says index:dbo.stay.by_ship=by_vessel
--- says routine:dbo.dues=charges
--- says view:dbo.stays=all_stays
--- says trigger:dbo.stay.on_stay=after_stay
--- says sequence:dbo.next_stay=stay_no
--- keep SELECT id FROM all_stays
--- case renamed and retyped in one go
--- exit 1
--- target
CREATE TABLE ship (ident int PRIMARY KEY, name varchar(20), tons varchar(9), gone nvarchar(99), CONSTRAINT one_name UNIQUE (name), CONSTRAINT heavy CHECK (tons <> '')); CREATE TABLE stay (id int PRIMARY KEY, ship int CONSTRAINT of_ship REFERENCES ship (ident), note nvarchar(99)); CREATE INDEX by_ship ON stay (ship);
INSERT INTO ship VALUES (1, 'Heron', '120', N'x'), (2, 'Tern', '20', NULL); INSERT INTO stay VALUES (1, 1, NULL);
--- source
CREATE TABLE vessel (id bigint PRIMARY KEY, title varchar(40) NOT NULL, tonnage int, CONSTRAINT one_title UNIQUE (title), CONSTRAINT weighs CHECK (tonnage > 0)); CREATE TABLE stay (id int PRIMARY KEY, vessel_id bigint CONSTRAINT of_vessel REFERENCES vessel (id) ON DELETE CASCADE, note nvarchar(99)); CREATE INDEX by_vessel ON stay (vessel_id);
--- says table:dbo.ship=vessel
--- says column:dbo.ship.ident=id
--- says column:dbo.ship.name=title
--- says column:dbo.ship.tons=tonnage
--- says column:dbo.stay.ship=vessel_id
--- says index:dbo.stay.by_ship=by_vessel
--- says unique:dbo.ship.one_name=one_title
--- says foreign-key:dbo.stay.of_ship=of_vessel
--- keep SELECT title, tonnage FROM vessel ORDER BY id
--- keep SELECT vessel_id FROM stay
--- case a table moves to another schema in name only
--- target
CREATE SCHEMA yard;
GO
CREATE TABLE yard.[a b] (id int PRIMARY KEY, [x]]y] int); INSERT INTO yard.[a b] VALUES (1, 2);
--- source
CREATE SCHEMA yard;
GO
CREATE TABLE yard.[c]]d] (id int PRIMARY KEY, [$(x)] int);
--- says table:yard."a b"="c]d"
--- says column:yard."a b"."x]y"="$(x)"
--- keep SELECT id FROM yard.[c]]d]
--- case a column of a table that keeps its history
--- target
CREATE TABLE berth (id int PRIMARY KEY, depth int, since datetime2 GENERATED ALWAYS AS ROW START NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (since, until)) WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.berth_was, HISTORY_RETENTION_PERIOD = 3 YEARS));
GO
INSERT INTO berth (id, depth) VALUES (1, 2);
GO
UPDATE berth SET depth = 3;
--- source
CREATE TABLE berth (id int PRIMARY KEY, draft int, since datetime2 GENERATED ALWAYS AS ROW START NOT NULL, until datetime2 GENERATED ALWAYS AS ROW END NOT NULL, PERIOD FOR SYSTEM_TIME (since, until)) WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.berth_was, HISTORY_RETENTION_PERIOD = 3 YEARS));
--- says column:dbo.berth.depth=draft
--- says column:dbo.berth_was.depth=draft
--- keep SELECT id FROM berth FOR SYSTEM_TIME ALL
--- case columns that are searched, in XML and in words
--- target
CREATE FULLTEXT CATALOG words AS DEFAULT;
CREATE TABLE berth (id int NOT NULL CONSTRAINT PK_berth PRIMARY KEY, name nvarchar(20), words xml, pic varbinary(max), kind varchar(9));
CREATE PRIMARY XML INDEX all_words ON berth (words);
CREATE XML INDEX some_words ON berth (words) USING XML INDEX all_words FOR PATH;
CREATE FULLTEXT INDEX ON berth (name LANGUAGE 1031, pic TYPE COLUMN kind) KEY INDEX PK_berth;
INSERT INTO berth (id, name) VALUES (1, N'Ostkai');
--- source
CREATE FULLTEXT CATALOG words AS DEFAULT;
CREATE TABLE quay (no int NOT NULL CONSTRAINT PK_berth PRIMARY KEY, title nvarchar(20), cargo xml, picture varbinary(max), sort varchar(9));
CREATE PRIMARY XML INDEX all_words ON quay (cargo);
CREATE XML INDEX some_words ON quay (cargo) USING XML INDEX all_words FOR PATH;
CREATE FULLTEXT INDEX ON quay (title LANGUAGE 1031, picture TYPE COLUMN sort) KEY INDEX PK_berth;
--- says table:dbo.berth=quay
--- says column:dbo.berth.id=no
--- says column:dbo.berth.name=title
--- says column:dbo.berth.words=cargo
--- says column:dbo.berth.pic=picture
--- says column:dbo.berth.kind=sort
--- keep SELECT no, title FROM quay
