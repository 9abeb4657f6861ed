--- case a release renames what it touches
--- target
CREATE TABLE ship (ident INTEGER PRIMARY KEY, ship_name TEXT NOT NULL COLLATE NOCASE, flag TEXT DEFAULT 'QH', length REAL CHECK (length > 0), CONSTRAINT known_flag CHECK (flag <> '' OR length > 1));
CREATE TABLE visit (id INTEGER PRIMARY KEY, ship_ident INTEGER REFERENCES ship (ident) ON DELETE CASCADE, state TEXT, hours REAL AS (state || '') VIRTUAL, UNIQUE (ship_ident, state));
CREATE INDEX visit_by_ship ON visit (ship_ident DESC, lower(state)) WHERE state <> 'left';
CREATE VIEW long_ones AS SELECT s.ident AS n, s.ship_name AS t, visit.state AS st FROM ship AS s JOIN visit ON visit.ship_ident = s.ident WHERE s.length > 100;
CREATE VIEW flags AS SELECT DISTINCT flag AS f FROM ship;
CREATE TRIGGER on_visit AFTER INSERT ON visit WHEN NEW.ship_ident > 0 BEGIN UPDATE ship SET flag = 'seen' WHERE ident = NEW.ship_ident; END;
INSERT INTO ship (ident, ship_name, flag, length) VALUES (1, 'Heron', 'QH', 120), (2, 'Tern', 'XX', 20);
INSERT INTO visit (id, ship_ident, state) VALUES (1, 1, 'here'), (2, 2, 'left');
--- source
CREATE TABLE vessel (id INTEGER PRIMARY KEY, name TEXT NOT NULL COLLATE NOCASE, flag TEXT DEFAULT 'QH', metres REAL CHECK (metres > 0), CONSTRAINT known_flag CHECK (flag <> '' OR metres > 1));
CREATE TABLE port_call (id INTEGER PRIMARY KEY, vessel_id INTEGER REFERENCES vessel (id) ON DELETE CASCADE, state TEXT, hours REAL AS (state || '') VIRTUAL, UNIQUE (vessel_id, state));
CREATE INDEX visit_by_ship ON port_call (vessel_id DESC, lower(state)) WHERE state <> 'left';
CREATE VIEW long_ones AS SELECT s.id AS n, s.name AS t, port_call.state AS st FROM vessel AS s JOIN port_call ON port_call.vessel_id = s.id WHERE s.metres > 100;
CREATE VIEW flags AS SELECT DISTINCT flag AS f FROM vessel;
CREATE TRIGGER on_visit AFTER INSERT ON port_call WHEN NEW.vessel_id > 0 BEGIN UPDATE vessel SET flag = 'seen' WHERE id = NEW.vessel_id; END;
--- says table:ship=vessel
--- says table:visit=port_call
--- says column:ship.ident=id
--- says column:ship.ship_name=name
--- says column:ship.length=metres
--- says column:visit.ship_ident=vessel_id
--- keep SELECT name, metres FROM vessel ORDER BY id
--- keep SELECT state FROM port_call ORDER BY id
--- case two swap their names
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY, depth REAL, beam REAL);
CREATE TABLE quay (code TEXT PRIMARY KEY);
INSERT INTO berth VALUES (1, 9.5, 20); INSERT INTO quay VALUES ('A');
--- source
CREATE TABLE quay (id INTEGER PRIMARY KEY, beam REAL, depth REAL);
CREATE TABLE berth (code TEXT PRIMARY KEY);
--- says table:berth=quay
--- says table:quay=berth
--- says column:berth.depth=beam
--- says column:berth.beam=depth
--- keep SELECT beam, depth FROM quay
--- keep SELECT code FROM berth
--- case a name of something that goes
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY, depth REAL);
CREATE TABLE old_berth (x TEXT);
INSERT INTO berth VALUES (1, 9.5);
--- source
CREATE TABLE old_berth (id INTEGER PRIMARY KEY, depth REAL);
--- exit 3
--- says table:berth=old_berth
--- keep SELECT depth FROM old_berth
--- case renamed and retyped in one go
--- exit 1
--- target
CREATE TABLE ship (ident INTEGER PRIMARY KEY, name TEXT, tons TEXT, gone TEXT, UNIQUE (name)); CREATE TABLE stay (id INTEGER PRIMARY KEY, ship INTEGER REFERENCES ship (ident), note TEXT);
INSERT INTO ship VALUES (1, 'Heron', '120', 'x'), (2, 'Tern', '20', NULL); INSERT INTO stay VALUES (1, 1, NULL);
--- source
CREATE TABLE vessel (id INTEGER PRIMARY KEY, title TEXT NOT NULL, tonnage REAL CHECK (tonnage > 0), UNIQUE (title)); CREATE TABLE stay (id INTEGER PRIMARY KEY, vessel_id INTEGER REFERENCES vessel (id) ON DELETE CASCADE, note TEXT DEFAULT 'none');
--- says table:ship=vessel
--- says column:ship.ident=id
--- says column:ship.name=title
--- says column:ship.tons=tonnage
--- says column:stay.ship=vessel_id
--- keep SELECT title, tonnage FROM vessel ORDER BY id
--- keep SELECT vessel_id FROM stay
