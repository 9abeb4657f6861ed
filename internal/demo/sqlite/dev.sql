-- The harbour office of Quillhaven, as its developers have it.
CREATE TABLE berth (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE,
  quay TEXT NOT NULL,
  length_m NUMERIC(6,2) NOT NULL CHECK (length_m > 0),
  depth_m NUMERIC(5,2),
  shore_power INTEGER NOT NULL DEFAULT 0 CHECK (shore_power IN (0, 1))
);
CREATE TABLE vessel (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  call_sign TEXT UNIQUE,
  flag_state TEXT NOT NULL DEFAULT 'QH',
  gross_tonnage INTEGER NOT NULL CHECK (gross_tonnage > 0),
  length_m NUMERIC(6,2) NOT NULL
);
CREATE TABLE agent (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL,
  email TEXT COLLATE NOCASE UNIQUE
);
CREATE TABLE port_call (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  vessel_id INTEGER NOT NULL REFERENCES vessel (id),
  berth_id INTEGER REFERENCES berth (id) ON DELETE SET NULL,
  agent_id INTEGER REFERENCES agent (id),
  arrived_at TEXT NOT NULL,
  left_at TEXT,
  CHECK (left_at IS NULL OR left_at >= arrived_at)
);
CREATE INDEX ix_port_call_vessel ON port_call (vessel_id, arrived_at);
CREATE TABLE pilot (
  id INTEGER PRIMARY KEY,
  given_name TEXT,
  family_name TEXT NOT NULL,
  licence TEXT NOT NULL UNIQUE
);
CREATE TABLE booking (
  id INTEGER PRIMARY KEY,
  call_id INTEGER NOT NULL REFERENCES port_call (id) ON DELETE CASCADE,
  pilot_id INTEGER REFERENCES pilot (id) ON DELETE SET NULL,
  planned_at TEXT NOT NULL,
  note TEXT
);
CREATE INDEX ix_booking_pilot ON booking (pilot_id, planned_at);
CREATE TABLE tide_reading (
  station TEXT NOT NULL,
  read_at TEXT NOT NULL,
  level_cm INTEGER NOT NULL,
  PRIMARY KEY (station, read_at)
) WITHOUT ROWID;
CREATE TABLE cargo_line (
  call_id INTEGER NOT NULL REFERENCES port_call (id) ON DELETE CASCADE,
  line_no INTEGER NOT NULL,
  goods TEXT NOT NULL,
  tonnes REAL NOT NULL CHECK (tonnes >= 0),
  PRIMARY KEY (call_id, line_no)
);
CREATE TABLE tariff (
  code VARCHAR(12) PRIMARY KEY,
  title TEXT NOT NULL,
  per_tonne NUMERIC(8,3) NOT NULL DEFAULT 0
);
CREATE TABLE invoice (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  call_id INTEGER NOT NULL REFERENCES port_call (id),
  tariff_code VARCHAR(12) NOT NULL REFERENCES tariff (code),
  amount NUMERIC(10,2) NOT NULL,
  due_on TEXT NOT NULL,
  paid_on TEXT
);
CREATE TABLE crane_slot (
  berth_id INTEGER NOT NULL REFERENCES berth (id) ON DELETE CASCADE,
  starts_at TEXT NOT NULL,
  call_id INTEGER REFERENCES port_call (id),
  PRIMARY KEY (berth_id, starts_at)
) WITHOUT ROWID;
CREATE TABLE audit_trail (
  id INTEGER PRIMARY KEY,
  at TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP,
  what TEXT NOT NULL
);
CREATE VIEW v_call_dues AS
  SELECT c.id AS call_id, v.name AS vessel, round(v.gross_tonnage * t.per_tonne, 2) AS dues
  FROM port_call c
  JOIN vessel v ON v.id = c.vessel_id
  JOIN tariff t ON t.code = 'HARBOUR'
  WHERE c.left_at IS NOT NULL;
CREATE VIEW v_dues_by_vessel AS
  SELECT vessel, count(*) AS calls, sum(dues) AS dues FROM v_call_dues GROUP BY vessel;
CREATE TRIGGER invoice_paid AFTER UPDATE OF paid_on ON invoice
  WHEN NEW.paid_on IS NOT NULL AND OLD.paid_on IS NULL
BEGIN
  INSERT INTO audit_trail (what) VALUES ('invoice ' || NEW.id || ' paid on ' || NEW.paid_on);
END;
