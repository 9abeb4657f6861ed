--- case a release renames what it touches
--- target
CREATE TABLE ship (ident int PRIMARY KEY, ship_name varchar(40) NOT NULL, flag varchar(3) DEFAULT 'QH', length double CHECK (length > 0), CONSTRAINT known_flag CHECK (flag <> '' OR length > 1), KEY by_name (ship_name));
CREATE TABLE visit (id int AUTO_INCREMENT PRIMARY KEY, ship_ident int, state varchar(9), days int AS (ship_ident * 2) VIRTUAL, UNIQUE KEY once (ship_ident, state), CONSTRAINT of_ship FOREIGN KEY (ship_ident) REFERENCES ship (ident) ON DELETE CASCADE);
CREATE VIEW long_ones AS SELECT s.ident AS n, s.ship_name AS t, visit.state AS st FROM ship s JOIN visit ON visit.ship_ident = s.ident WHERE s.length > 100;
CREATE FUNCTION longest() RETURNS double READS SQL DATA RETURN (SELECT max(length) FROM ship);
CREATE TRIGGER on_visit AFTER INSERT ON visit FOR EACH ROW UPDATE ship SET flag = 'yes' WHERE ident = NEW.ship_ident;
INSERT INTO ship (ident, ship_name, flag, length) VALUES (1, 'Heron', 'QH', 120), (2, 'Tern', 'XX', 20); INSERT INTO visit (ship_ident, state) VALUES (1, 'here'), (2, 'left');
--- source
CREATE TABLE vessel (id int PRIMARY KEY, name varchar(40) NOT NULL, flag varchar(3) DEFAULT 'QH', metres double CHECK (metres > 0), CONSTRAINT known_flag CHECK (flag <> '' OR metres > 1), KEY by_name (name));
CREATE TABLE port_call (id int AUTO_INCREMENT PRIMARY KEY, vessel_id int, state varchar(9), days int AS (vessel_id * 2) VIRTUAL, UNIQUE KEY once (vessel_id, state), CONSTRAINT of_ship FOREIGN KEY (vessel_id) REFERENCES vessel (id) ON DELETE CASCADE);
CREATE VIEW long_ones AS SELECT s.id AS n, s.name AS t, port_call.state AS st FROM vessel s JOIN port_call ON port_call.vessel_id = s.id WHERE s.metres > 100;
CREATE FUNCTION longest() RETURNS double READS SQL DATA RETURN (SELECT max(metres) FROM vessel);
CREATE TRIGGER on_visit AFTER INSERT ON port_call FOR EACH ROW UPDATE vessel SET flag = 'yes' WHERE id = NEW.vessel_id;
--- says table:ship=vessel
--- says table:visit=port_call
--- says column:ship.ident=id
--- says column:ship.ship_name=name
--- says column:ship.length=metres
--- says column:visit.ship_ident=vessel_id
--- keep SELECT name, metres FROM vessel ORDER BY id
--- keep SELECT id, state FROM port_call ORDER BY id
--- case two swap their names
--- target
CREATE TABLE berth (id int PRIMARY KEY, depth double, beam double); CREATE TABLE quay (code varchar(9) PRIMARY KEY);
INSERT INTO berth VALUES (1, 9.5, 20); INSERT INTO quay VALUES ('A');
--- source
CREATE TABLE quay (id int PRIMARY KEY, beam double, depth double); CREATE TABLE berth (code varchar(9) PRIMARY KEY);
--- says table:berth=quay
--- says table:quay=berth
--- says column:berth.depth=beam
--- says column:berth.beam=depth
--- keep SELECT beam, depth FROM quay
--- keep SELECT code FROM berth
--- case renamed and retyped in one go
--- exit 1
--- target
CREATE TABLE ship (ident int PRIMARY KEY, name varchar(20), tons varchar(9), gone text, UNIQUE KEY one_name (name), CONSTRAINT heavy CHECK (tons <> '')); CREATE TABLE stay (id int PRIMARY KEY, ship int, note text, KEY by_ship (ship), CONSTRAINT of_ship FOREIGN KEY (ship) REFERENCES ship (ident));
CREATE FUNCTION dues(d int) RETURNS int RETURN d * 2; CREATE TRIGGER on_stay BEFORE INSERT ON stay FOR EACH ROW SET NEW.note = 'x';
INSERT INTO ship VALUES (1, 'Heron', '120', 'x'), (2, 'Tern', '20', NULL); INSERT INTO stay VALUES (1, 1, NULL); CREATE USER IF NOT EXISTS clerk; GRANT SELECT, UPDATE (name, gone) ON ship TO clerk; GRANT INSERT (ship) ON stay TO clerk;
--- source
CREATE TABLE vessel (id bigint PRIMARY KEY, title varchar(40) NOT NULL, tonnage int, UNIQUE KEY one_title (title), CONSTRAINT weighs CHECK (tonnage > 0)); CREATE TABLE stay (id int PRIMARY KEY, vessel_id bigint, note text, KEY by_vessel (vessel_id), CONSTRAINT of_vessel FOREIGN KEY (vessel_id) REFERENCES vessel (id) ON DELETE CASCADE);
CREATE FUNCTION charges(d int) RETURNS int RETURN d * 2; CREATE TRIGGER before_stay BEFORE INSERT ON stay FOR EACH ROW SET NEW.note = 'x';
--- says table:ship=vessel
--- says column:ship.ident=id
--- says column:ship.name=title
--- says column:ship.tons=tonnage
--- says column:stay.ship=vessel_id
--- says index:stay.by_ship=by_vessel
--- says index:ship.one_name=one_title
--- says foreign-key:stay.of_ship=of_vessel
--- says routine:dues=charges
--- says trigger:stay.on_stay=before_stay
--- keep SELECT title, tonnage FROM vessel ORDER BY id
--- keep SELECT vessel_id FROM stay
--- keep SELECT privilege_type FROM information_schema.table_privileges WHERE table_name = 'vessel' AND table_schema = DATABASE()
--- keep SELECT privilege_type FROM information_schema.column_privileges WHERE column_name IN ('title', 'vessel_id') AND table_schema = DATABASE()

--- case capitals, and foreign keys the server named after their table
--- target
CREATE TABLE berth (BerthNo int PRIMARY KEY, KeelNo int, Depth double CHECK (Depth > 0), KEY deep (Depth), FULLTEXT KEY words (Remark), Remark text, OldNo int, FOREIGN KEY (OldNo) REFERENCES berth (BerthNo));
INSERT INTO berth VALUES (1, 7, 9.5, 'by the mole', NULL), (2, 8, 4, 'mud', 1);
--- source
CREATE TABLE mooring (MooringNo int PRIMARY KEY, HullNo int, metres double CHECK (metres > 0), KEY deep (metres), FULLTEXT KEY words (Words), Words text, OldNo int, FOREIGN KEY (OldNo) REFERENCES mooring (MooringNo));
--- says table:berth=mooring
--- says column:berth.BerthNo=MooringNo
--- says column:berth.KeelNo=HullNo
--- says column:berth.Depth=metres
--- says column:berth.Remark=Words
--- keep SELECT MooringNo, HullNo, metres, Words, OldNo FROM mooring ORDER BY MooringNo
