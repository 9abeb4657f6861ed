--- case constraint-names
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY, code TEXT, depth REAL, CONSTRAINT deep CHECK (depth > 0), CONSTRAINT one_code UNIQUE (code));
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY, code TEXT, depth REAL, CONSTRAINT is_deep CHECK (depth > 0), CONSTRAINT code_once UNIQUE (code));
INSERT INTO berth VALUES (1, 'A1', 9);
--- rows
ALTER TABLE berth ADD COLUMN lamp TEXT; CREATE INDEX by_depth ON berth (depth);
--- case index-names
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY, code TEXT, depth REAL); CREATE UNIQUE INDEX one_code ON berth (code); CREATE INDEX deep ON berth (depth) WHERE depth > 10;
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY, code TEXT, depth REAL); CREATE UNIQUE INDEX berth_code ON berth (code); CREATE INDEX berth_deep ON berth (depth) WHERE depth > 10;
INSERT INTO berth VALUES (1, 'A1', 9);
--- rows
CREATE INDEX by_id ON berth (depth, id);
--- case collation
--- source
CREATE TABLE vessel (id INTEGER PRIMARY KEY, name TEXT COLLATE NOCASE, flag TEXT);
--- target
CREATE TABLE vessel (id INTEGER PRIMARY KEY, name TEXT, flag TEXT COLLATE RTRIM);
INSERT INTO vessel VALUES (1, 'Heron', 'QH');
--- rows
DROP TABLE vessel; CREATE TABLE vessel (id INTEGER PRIMARY KEY, name TEXT NOT NULL COLLATE NOCASE, flag TEXT, length REAL CHECK (length > 0));
--- case default-spelling
--- source
CREATE TABLE dues (id INTEGER PRIMARY KEY, rate REAL DEFAULT (5), taken TEXT DEFAULT current_timestamp, note TEXT DEFAULT ('none'));
--- target
CREATE TABLE dues (id INTEGER PRIMARY KEY, rate REAL DEFAULT '5', taken TEXT DEFAULT (CURRENT_TIMESTAMP), note TEXT DEFAULT 'none');
INSERT INTO dues (id) VALUES (1);
--- rows
ALTER TABLE dues ADD COLUMN paid INTEGER DEFAULT 0;
--- case letter-case
--- source
CREATE TABLE tide (id INTEGER PRIMARY KEY, level REAL); CREATE VIEW high AS SELECT id AS Reading, level AS Metres FROM tide WHERE level > 4;
--- target
CREATE TABLE tide (id INTEGER PRIMARY KEY, level REAL); CREATE VIEW high AS SELECT id AS reading, level AS metres FROM tide WHERE level > 4;
INSERT INTO tide VALUES (1, 5);
--- rows
CREATE VIEW low AS SELECT Reading AS r FROM high;
