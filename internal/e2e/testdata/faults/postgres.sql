--- case faults
--- target
CREATE TYPE state AS ENUM ('announced', 'left'); CREATE TABLE vessel (id int PRIMARY KEY, name varchar(40), tonnage int); CREATE TABLE port_call (id int PRIMARY KEY, vessel_id int, state state, note text); CREATE TABLE tide_gauge (id int);
CREATE TABLE old_tariff (code text PRIMARY KEY, per_tonne numeric); INSERT INTO old_tariff VALUES ('A''1', 1.5), ('B', 2.25);
INSERT INTO vessel SELECT i, 'vessel ' || i, i * 7 FROM generate_series(1, 20000) i; INSERT INTO port_call SELECT i, 1 + i % 20000, 'left', NULL FROM generate_series(1, 30000) i;
--- source
CREATE TYPE state AS ENUM ('announced', 'inspected', 'left'); CREATE TABLE vessel (id int PRIMARY KEY, name text NOT NULL, tonnage bigint); CREATE TABLE port_call (id bigint PRIMARY KEY, vessel_id int REFERENCES vessel, state state DEFAULT 'inspected', CHECK (id > 0));
CREATE INDEX vessel_name ON vessel (name); CREATE UNIQUE INDEX port_call_state ON port_call (state, vessel_id, id); CREATE VIEW gone AS SELECT count(*) AS n FROM port_call WHERE state = 'left';
--- keep SELECT count(*), sum(id), min(name) FROM vessel
--- keep SELECT count(*), sum(vessel_id) FROM port_call
--- trips INSERT INTO tide_gauge VALUES (1)
