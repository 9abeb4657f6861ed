CREATE TABLE dbo.tmp(id int NOT NULL);
INSERT INTO dbo.tmp VALUES (1), (2);
ALTER TABLE dbo.tmp ADD CONSTRAINT PK_tmp PRIMARY KEY (id);
EXEC sp_rename N'dbo.tmp', N'tmp2';
ALTER TABLE dbo.berth ADD tide int NULL, CONSTRAINT CK_tide CHECK (tide > 0);
UPDATE dbo.berth SET zone = 'X9', note = NULL;
DELETE FROM dbo.berth WHERE id = 20;
EXEC sp_dropextendedproperty N'MS_Description', N'SCHEMA', N'dbo', N'TABLE', N'berth';
ALTER TABLE dbo.berth ALTER COLUMN note varchar(80) NULL;
CREATE TYPE dbo.other FROM int;
DROP PROCEDURE dbo.p_later;
CREATE SCHEMA yard;
GO
CREATE TABLE yard.crane(id int);
DROP INDEX IX_booking_fee ON dbo.booking;
GO
