-- The harbour office of Quillhaven, as it runs today.
CREATE SCHEMA harbour;
GO
CREATE TABLE harbour.berth (
  id int IDENTITY NOT NULL PRIMARY KEY,
  name nvarchar(60) NOT NULL UNIQUE,
  quay nvarchar(60) NOT NULL,
  length_m decimal(6,2) NOT NULL CHECK (length_m > 0),
  depth_m decimal(5,2) NULL
);
CREATE TABLE harbour.vessel (
  id int IDENTITY NOT NULL PRIMARY KEY,
  name nvarchar(80) NOT NULL,
  call_sign varchar(8) NULL,
  flag char(2) NOT NULL CONSTRAINT DF_vessel_flag DEFAULT 'QH',
  gross_tonnage int NOT NULL CHECK (gross_tonnage > 0)
);
CREATE UNIQUE INDEX vessel_call_sign ON harbour.vessel (call_sign) WHERE call_sign IS NOT NULL;
CREATE TABLE harbour.agent (id int NOT NULL PRIMARY KEY, name nvarchar(80) NOT NULL, login sysname NULL);
CREATE TABLE harbour.tariff (code varchar(8) NOT NULL PRIMARY KEY, title nvarchar(80) NOT NULL, per_tonne decimal(8,3) NOT NULL DEFAULT 0);
CREATE TABLE harbour.port_call (
  id bigint IDENTITY NOT NULL PRIMARY KEY,
  vessel_id int NOT NULL REFERENCES harbour.vessel (id),
  berth_id int NULL REFERENCES harbour.berth (id) ON DELETE SET NULL,
  agent_id int NULL REFERENCES harbour.agent (id),
  state varchar(12) NOT NULL DEFAULT 'announced' CONSTRAINT CK_port_call_state CHECK (state IN ('announced', 'berthed', 'left')),
  arrived_at datetime2(0) NOT NULL,
  left_at datetime2(0) NULL,
  CHECK (left_at >= arrived_at)
);
CREATE INDEX port_call_vessel ON harbour.port_call (vessel_id, arrived_at DESC);
CREATE INDEX port_call_agent ON harbour.port_call (agent_id);
CREATE TABLE harbour.pilot (id int NOT NULL PRIMARY KEY, name nvarchar(60) NOT NULL, licence varchar(12) NOT NULL UNIQUE);
CREATE TABLE harbour.booking (
  id bigint IDENTITY NOT NULL PRIMARY KEY,
  call_id bigint NOT NULL REFERENCES harbour.port_call (id) ON DELETE CASCADE,
  pilot_id int NULL CONSTRAINT FK_booking_pilot REFERENCES harbour.pilot (id),
  planned_at datetime2(0) NOT NULL,
  pilotage decimal(8,2) NULL
);
CREATE TABLE harbour.tide_reading (station nvarchar(40) NOT NULL, read_at datetime2(0) NOT NULL, level_cm int NOT NULL, PRIMARY KEY (station, read_at));
CREATE TABLE harbour.invoice (
  id bigint IDENTITY NOT NULL PRIMARY KEY,
  call_id bigint NOT NULL REFERENCES harbour.port_call (id),
  tariff_code varchar(8) NOT NULL REFERENCES harbour.tariff (code),
  amount decimal(10,2) NOT NULL,
  due_on date NOT NULL,
  paid_on date NULL
);
CREATE INDEX invoice_due ON harbour.invoice (due_on) WHERE paid_on IS NULL; -- the hot fix of last week
CREATE TABLE harbour.audit_trail (id bigint IDENTITY NOT NULL PRIMARY KEY, at datetime2(3) NOT NULL DEFAULT sysutcdatetime(), what nvarchar(200) NOT NULL);
EXEC sp_addextendedproperty N'MS_Description', N'One visit of one vessel', N'SCHEMA', N'harbour', N'TABLE', N'port_call';
GO
CREATE FUNCTION harbour.dues(@tonnage int, @rate decimal(8,3)) RETURNS decimal(12,2) AS
BEGIN
  RETURN @tonnage * @rate;
END
GO
CREATE VIEW harbour.call_dues AS
  SELECT c.id AS call_id, v.name AS vessel, harbour.dues(v.gross_tonnage, t.per_tonne) AS dues, t.code
  FROM harbour.port_call c JOIN harbour.vessel v ON v.id = c.vessel_id JOIN harbour.tariff t ON t.code = 'HARBOUR';
GO
CREATE VIEW harbour.dues_by_vessel AS SELECT vessel, COUNT(*) AS calls, SUM(dues) AS dues FROM harbour.call_dues GROUP BY vessel;
GO
CREATE TRIGGER harbour.invoice_paid ON harbour.invoice AFTER UPDATE AS
  INSERT INTO harbour.audit_trail (what)
  SELECT CONCAT(N'invoice ', i.id, N' paid') FROM inserted i JOIN deleted d ON d.id = i.id WHERE i.paid_on IS NOT NULL AND d.paid_on IS NULL;
GO
