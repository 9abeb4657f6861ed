--- case faults
--- target
CREATE TABLE vessel (id INTEGER PRIMARY KEY, name TEXT, tonnage INTEGER); CREATE TABLE port_call (id INTEGER PRIMARY KEY, vessel_id INTEGER, state TEXT, note TEXT); CREATE TABLE tide_gauge (id INTEGER PRIMARY KEY);
CREATE TABLE old_tariff (code TEXT PRIMARY KEY, per_tonne REAL); INSERT INTO old_tariff VALUES ('A''1', 1.5), ('B', 2.25);
WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 20000) INSERT INTO vessel SELECT i, 'vessel ' || i, i * 7 FROM n;
WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 30000) INSERT INTO port_call SELECT i, 1 + i % 20000, 'left', NULL FROM n;
--- source
CREATE TABLE vessel (id INTEGER PRIMARY KEY, name TEXT NOT NULL, tonnage REAL); CREATE TABLE port_call (id INTEGER PRIMARY KEY, vessel_id INTEGER REFERENCES vessel (id), state TEXT CHECK (state <> ''));
CREATE INDEX vessel_name ON vessel (name); CREATE INDEX port_call_state ON port_call (state, vessel_id); CREATE VIEW gone AS SELECT count(*) AS n FROM port_call WHERE state = 'left';
--- keep SELECT count(*), sum(id), min(name) FROM vessel
--- keep SELECT count(*), sum(vessel_id) FROM port_call
--- trips INSERT INTO tide_gauge VALUES (1)
