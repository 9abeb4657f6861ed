CREATE TYPE dbo.mooring FROM nvarchar(30) NOT NULL;
CREATE TYPE dbo.berth_list AS TABLE (id int NOT NULL PRIMARY KEY, depth decimal(5,2));
CREATE SEQUENCE dbo.call_no AS int START WITH 100 INCREMENT BY 5;
CREATE TABLE dbo.berth (
  id int IDENTITY(10,5) NOT NULL CONSTRAINT PK_berth PRIMARY KEY,
  [name] nvarchar(60) NOT NULL,
  depth decimal(5,2) NOT NULL CONSTRAINT DF_berth_depth DEFAULT 4.5,
  note varchar(max) NULL,
  zone char(2) DEFAULT 'N1',
  CONSTRAINT CK_berth_depth CHECK (depth >= 0 AND depth < 40)
);
CREATE TABLE dbo.booking (
  id bigint NOT NULL PRIMARY KEY NONCLUSTERED,
  berth_id int NOT NULL CONSTRAINT FK_booking_berth REFERENCES dbo.berth(id) ON DELETE CASCADE,
  fee money NOT NULL,
  pilotage money NULL,
  made datetime2(0) NOT NULL DEFAULT CURRENT_TIMESTAMP,
  mooring dbo.mooring,
  no int NOT NULL DEFAULT NEXT VALUE FOR dbo.call_no,
  total AS (fee + pilotage) PERSISTED
);
CREATE UNIQUE CLUSTERED INDEX CX_booking ON dbo.booking(berth_id, id DESC);
CREATE INDEX IX_booking_fee ON dbo.booking(fee) INCLUDE (pilotage) WHERE fee > 100;
EXEC sp_addextendedproperty N'MS_Description', N'where ships lie', N'SCHEMA', N'dbo', N'TABLE', N'berth';
GO
CREATE VIEW dbo.v_deep WITH SCHEMABINDING AS
  SELECT id, [name], depth FROM dbo.berth WHERE depth > 10;
GO
CREATE PROCEDURE dbo.p_later AS
  SELECT x FROM dbo.not_there_yet;
GO
CREATE FUNCTION dbo.dues(@depth decimal(5,2), @rate int = 2) RETURNS decimal(9,2) AS
BEGIN
  DECLARE @out decimal(9,2) = @depth * @rate;
  IF @out > 50 SET @out = 50;
  RETURN @out;
END
GO
CREATE FUNCTION dbo.deeper(@than int) RETURNS TABLE AS RETURN (SELECT id, [name] FROM dbo.berth WHERE depth > @than);
GO
CREATE SYNONYM dbo.quay FOR dbo.berth;
INSERT INTO dbo.berth([name], depth) VALUES (N'Ost''kai', 12), (N'Süd', 3);
INSERT INTO dbo.berth([name], depth, note) SELECT [name] + N' II', depth + 1, 'a copy' FROM dbo.berth WHERE depth > 5;
INSERT INTO dbo.booking(id, berth_id, fee, pilotage, mooring) VALUES (1, 10, 100, 20, N'bow'), (2, 15, $250.50, NULL, N'stern');
CREATE TABLE dbo.tariff (id int NOT NULL CONSTRAINT PK_tariff PRIMARY KEY, fee money NULL,
  valid_from datetime2 GENERATED ALWAYS AS ROW START HIDDEN NOT NULL, valid_to datetime2 GENERATED ALWAYS AS ROW END HIDDEN NOT NULL, PERIOD FOR SYSTEM_TIME (valid_from, valid_to))
  WITH (SYSTEM_VERSIONING = ON (HISTORY_TABLE = dbo.tariff_history));
INSERT INTO dbo.tariff (id, fee) VALUES (1, 10);
CREATE PARTITION FUNCTION by_no (int) AS RANGE RIGHT FOR VALUES (10, 20);
CREATE PARTITION SCHEME nos AS PARTITION by_no ALL TO ([PRIMARY]);
CREATE TABLE dbo.tide (id int NOT NULL, height int) ON nos (id);
INSERT INTO dbo.tide VALUES (1, 1), (10, 2), (19, 3), (20, 4);
CREATE TABLE dbo.lamp (id int NOT NULL, power int, colour varchar(9));
CREATE STATISTICS by_power ON dbo.lamp (power) WHERE colour = 'red';
CREATE TABLE dbo.manifest (id int NOT NULL CONSTRAINT PK_manifest PRIMARY KEY, cargo xml, outline geometry);
CREATE PRIMARY XML INDEX cargo_all ON dbo.manifest (cargo);
CREATE XML INDEX cargo_path ON dbo.manifest (cargo) USING XML INDEX cargo_all FOR PATH;
CREATE SPATIAL INDEX outlined ON dbo.manifest (outline) USING GEOMETRY_GRID WITH (BOUNDING_BOX = (0, 0, 500, 200), GRIDS = (LOW, LOW, MEDIUM, HIGH), CELLS_PER_OBJECT = 64);
CREATE TABLE dbo.sketch (id int, drawing xml, place geometry);
