--- case an empty table goes
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY); CREATE TABLE tide_gauge (id INTEGER PRIMARY KEY, level REAL);
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY);
--- says every row of table tide_gauge: the table is empty; the script stops if that is no longer so
--- trips INSERT INTO tide_gauge VALUES (1, 2.5)
--- keep SELECT count(*) FROM tide_gauge
--- case a column without values goes
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY, note TEXT); INSERT INTO berth (id) VALUES (1), (2);
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY);
--- says none of 2 rows holds a value; the script stops
--- trips UPDATE berth SET note = 'mud' WHERE id = 2
--- keep SELECT note FROM berth ORDER BY id
--- case a column with values is held back
--- exit 3
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY, note TEXT); INSERT INTO berth VALUES (1, 'mud'), (2, NULL);
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY);
--- says every value of column note of table berth: 1 of 2 rows holds a value
--- says see them: SELECT * FROM berth WHERE note IS NOT NULL;
--- case NOT NULL over NULLs
--- exit 3
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT); INSERT INTO berth VALUES (1, NULL), (2, 'Heron');
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
--- says will-fail: fails when a row holds NULL in column name
--- says 1 of 2 rows holds NULL
--- case NOT NULL without NULLs
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT); INSERT INTO berth VALUES (2, 'Heron');
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
--- says none of 1 row holds NULL; the script stops
--- trips INSERT INTO berth (id) VALUES (9)
--- case a key twice
--- exit 3
--- target
CREATE TABLE pilot (id INTEGER PRIMARY KEY, name TEXT); INSERT INTO pilot VALUES (1, 'Ada'), (2, 'ADA'), (3, 'Bo'), (4, NULL), (5, NULL);
--- source
CREATE TABLE pilot (id INTEGER PRIMARY KEY, name TEXT); CREATE UNIQUE INDEX pilot_name ON pilot (name COLLATE NOCASE DESC);
--- says 2 of 5 rows share their key with another
--- case orphans under a new key
--- exit 3
--- target
CREATE TABLE vessel (id INTEGER PRIMARY KEY); INSERT INTO vessel VALUES (1);
CREATE TABLE port_call (id INTEGER PRIMARY KEY, vessel_id INTEGER); INSERT INTO port_call VALUES (1, 1), (2, 8), (3, NULL);
--- source
CREATE TABLE vessel (id INTEGER PRIMARY KEY);
CREATE TABLE port_call (id INTEGER PRIMARY KEY, vessel_id INTEGER REFERENCES vessel (id));
--- says 1 of 3 rows refers to a row that is not there
--- case rows that break a check
--- exit 3
--- target
CREATE TABLE vessel (id INTEGER PRIMARY KEY, tonnage INTEGER); INSERT INTO vessel VALUES (1, 5), (2, -5), (3, NULL);
--- source
CREATE TABLE vessel (id INTEGER PRIMARY KEY, tonnage INTEGER CHECK (tonnage > 0));
--- says will-fail: fails when a row breaks the check: 1 of 3 rows breaks the check
--- case a check on a new column that its default breaks
--- exit 3
--- target
CREATE TABLE vessel (id INTEGER PRIMARY KEY); INSERT INTO vessel VALUES (1);
--- source
CREATE TABLE vessel (id INTEGER PRIMARY KEY, tonnage INTEGER DEFAULT 0 CHECK (tonnage > 0));
--- says will-fail
--- case numbers written with zeros
--- exit 3
--- target
CREATE TABLE tariff (id INTEGER PRIMARY KEY, code TEXT); INSERT INTO tariff VALUES (1, '007'), (2, '12');
--- source
CREATE TABLE tariff (id INTEGER PRIMARY KEY, code INTEGER);
--- says 1 of 2 rows holds a value that would change
--- case numbers that stay as they are
--- target
CREATE TABLE tariff (id INTEGER PRIMARY KEY, code TEXT); INSERT INTO tariff VALUES (2, '12');
--- source
CREATE TABLE tariff (id INTEGER PRIMARY KEY, code INTEGER);
--- says none of 1 row holds a value that would change; the script stops
--- trips INSERT INTO tariff VALUES (3, '0012')
--- case a column that rows have no value for
--- exit 3
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY); INSERT INTO berth VALUES (1), (2);
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
--- says 2 rows would have no value
--- case values that a strict table takes
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY, n INTEGER, x); INSERT INTO berth VALUES (1, '12', '13');
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY, n INTEGER, x TEXT) STRICT;
--- says none of 1 row holds a value of another type
--- case another type in a strict table
--- exit 3
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY, n INTEGER); INSERT INTO berth VALUES (1, 'twelve'), (2, 12), (3, 2.5);
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY, n INTEGER) STRICT;
--- says 2 of 3 rows hold a value of another type
--- case rows share a key that lets them go
--- exit 3
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY, k TEXT); INSERT INTO berth VALUES (1, 'a'), (2, 'a'), (3, 'b');
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY, k TEXT UNIQUE ON CONFLICT REPLACE);
--- says loss: of rows of table berth that have the same k all but one (ON CONFLICT REPLACE): 2 of 3 rows share their key with another
--- case rows that share no key yet
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY, k TEXT); INSERT INTO berth VALUES (1, 'a'), (2, 'b');
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY, k TEXT UNIQUE ON CONFLICT IGNORE);
--- trips INSERT INTO berth VALUES (3, 'a')
--- keep SELECT count(*) FROM berth
--- case a virtual table is held back, whatever it says it holds
--- exit 3
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY); CREATE VIRTUAL TABLE log USING fts5 (body, content='');
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY);
--- says loss: every row of virtual table log
