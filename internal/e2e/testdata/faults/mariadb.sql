--- case faults
--- target
CREATE TABLE vessel (id int PRIMARY KEY, name varchar(40), tonnage int); CREATE TABLE port_call (id int PRIMARY KEY, vessel_id int, state enum('announced', 'left'), note text); CREATE TABLE tide_gauge (id int);
CREATE TABLE old_tariff (code varchar(9) PRIMARY KEY, per_tonne decimal(8,2)); INSERT INTO old_tariff VALUES ('A''1', 1.5), ('B', 2.25);
INSERT INTO vessel SELECT seq, concat('vessel ', seq), seq * 7 FROM seq_1_to_8000; INSERT INTO port_call SELECT seq, 1 + seq % 8000, 'left', NULL FROM seq_1_to_9000;
--- source
CREATE TABLE vessel (id int PRIMARY KEY, name varchar(60) NOT NULL DEFAULT 'x', tonnage bigint); CREATE TABLE port_call (id bigint PRIMARY KEY, vessel_id int, state enum('announced', 'inspected', 'left'), KEY v (vessel_id), KEY s (state, vessel_id), CONSTRAINT v FOREIGN KEY (vessel_id) REFERENCES vessel (id), CONSTRAINT positive CHECK (id > 0));
CREATE TABLE crane (id int PRIMARY KEY); CREATE VIEW gone AS SELECT count(*) AS n FROM port_call WHERE state = 'left'; CREATE FUNCTION dues(t int) RETURNS int RETURN t * 2;
CREATE TRIGGER vessel_named BEFORE INSERT ON vessel FOR EACH ROW SET NEW.name = trim(NEW.name);
--- keep SELECT count(*), sum(id), min(name) FROM vessel
--- keep SELECT count(*), sum(vessel_id) FROM port_call
--- trips INSERT INTO tide_gauge VALUES (1)
