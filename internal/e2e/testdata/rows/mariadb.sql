--- case an empty table goes
--- target
CREATE TABLE berth (id int); CREATE TABLE tide_gauge (id int, level double);
--- source
CREATE TABLE berth (id int);
--- says every row of table tide_gauge: the table is empty; the script stops if that is no longer so
--- trips INSERT INTO tide_gauge VALUES (1, 2.5)
--- keep SELECT count(*) FROM tide_gauge
--- case a column without values goes
--- target
CREATE TABLE `ber;th` (id int PRIMARY KEY, note text); INSERT INTO `ber;th` (id) VALUES (1), (2);
--- source
CREATE TABLE `ber;th` (id int PRIMARY KEY);
--- says none of 2 rows holds a value; the script stops
--- trips UPDATE `ber;th` SET note = 'mud' WHERE id = 2
--- keep SELECT note FROM `ber;th` ORDER BY id
--- case a column with values is held back
--- exit 3
--- target
CREATE TABLE berth (id int, note text); INSERT INTO berth VALUES (1, 'mud'), (2, NULL);
--- source
CREATE TABLE berth (id int);
--- says every value of column note of table berth: 1 of 2 rows holds a value
--- case NOT NULL over NULLs
--- exit 3
--- target
CREATE TABLE berth (id int, name text); INSERT INTO berth VALUES (1, NULL), (2, 'Heron');
--- source
CREATE TABLE berth (id int, name text NOT NULL);
--- says will-fail: fails when a row holds NULL in column name
--- says 1 of 2 rows holds NULL
--- case NOT NULL without NULLs, and two guards on one table
--- target
CREATE TABLE berth (id int, name text, note text); INSERT INTO berth VALUES (2, 'Heron', NULL);
--- source
CREATE TABLE berth (id int, name text NOT NULL);
--- says none of 1 row holds NULL; the script stops
--- says none of 1 row holds a value; the script stops
--- trips INSERT INTO berth (id) VALUES (9)
--- case a key twice
--- exit 3
--- target
CREATE TABLE pilot (id int, name varchar(20), code varchar(20)); INSERT INTO pilot VALUES (1, 'Ada', 'abc'), (2, 'ADA', 'abd'), (3, 'Bo', 'x'), (4, NULL, 'y'), (5, NULL, 'z');
--- source
CREATE TABLE pilot (id int, name varchar(20), code varchar(20), UNIQUE KEY n (name), UNIQUE KEY c (code(2)), PRIMARY KEY (id));
--- says 2 of 5 rows share their key with another
--- case orphans under a new key
--- exit 3
--- target
CREATE TABLE vessel (id int PRIMARY KEY); INSERT INTO vessel VALUES (1);
CREATE TABLE port_call (id int, vessel_id int); INSERT INTO port_call VALUES (1, 1), (2, 8), (3, NULL);
--- source
CREATE TABLE vessel (id int PRIMARY KEY);
CREATE TABLE port_call (id int, vessel_id int, KEY v (vessel_id), CONSTRAINT v FOREIGN KEY (vessel_id) REFERENCES vessel (id));
--- says 1 of 3 rows refers to a row that is not there
--- case rows that break a check
--- exit 3
--- target
CREATE TABLE vessel (id int, tonnage int); INSERT INTO vessel VALUES (1, 5), (2, -5), (3, NULL);
--- source
CREATE TABLE vessel (id int, tonnage int, CONSTRAINT heavy CHECK (tonnage > 0));
--- says 1 of 3 rows breaks the check
--- case values that are cut
--- exit 3
--- target
CREATE TABLE vessel (id int, name varchar(20), dues decimal(8,2), seen datetime, n int, k enum('a', 'b', 'c'), s set('x', 'y'), c varchar(9) CHARACTER SET utf8mb4);
INSERT INTO vessel VALUES (1, 'Grey Heron', 1.25, '2026-01-01', 70000, 'c', 'x,y', 'Ω'), (2, 'Eel', 2, '2026-01-01 10:00', 7, 'a', 'x', 'e');
--- source
CREATE TABLE vessel (id int, name varchar(5), dues decimal(8,1), seen date, n smallint, k enum('a', 'b'), s set('x'), c varchar(9) CHARACTER SET latin1);
--- says column name of table vessel: values longer than varchar(5) are cut: 1 of 2 rows holds a value that would change
--- says column dues of table vessel: values that decimal(8,1) cannot hold are changed: 1 of 2 rows
--- says column seen of table vessel: the time of day is cut off: 1 of 2 rows
--- says column n of table vessel: values that smallint cannot hold are changed: 1 of 2 rows
--- says column k of table vessel: rows that hold 'c' lose it: 1 of 2 rows
--- says column s of table vessel: rows that hold 'y' lose it: 1 of 2 rows
--- says letters that latin1 does not have become question marks: 1 of 2 rows
--- case values that fit
--- target
CREATE TABLE vessel (id int, name varchar(20), n bigint, k enum('a', 'b', 'c'), b bit(8)); INSERT INTO vessel VALUES (1, 'Eel', 7, 'a', b'101');
--- source
CREATE TABLE vessel (id int, name varchar(5), n smallint, k enum('a', 'b'), b bit(4));
--- says column name of table vessel: values longer than varchar(5) are cut: none of 1 row holds a value that would change; the script stops
--- says rows that hold 'c' lose it: none of 1 row
--- trips INSERT INTO vessel VALUES (2, 'Heron of the marsh', 1, 'a', 1)
--- keep SELECT name, n, k FROM vessel ORDER BY id
--- case rows that no partition takes
--- exit 3
--- target
CREATE TABLE tide (day date NOT NULL, level double); INSERT INTO tide VALUES ('2026-05-01', 1), ('2028-05-01', 2);
CREATE TABLE cargo (kind int NOT NULL); INSERT INTO cargo VALUES (1), (2), (9);
--- source
CREATE TABLE tide (day date NOT NULL, level double) PARTITION BY RANGE COLUMNS (day) (PARTITION a VALUES LESS THAN ('2026-01-01'), PARTITION b VALUES LESS THAN ('2027-01-01'));
CREATE TABLE cargo (kind int NOT NULL) PARTITION BY LIST (kind) (PARTITION a VALUES IN (1, 2), PARTITION b VALUES IN (3));
--- says 1 of 2 rows has no partition
--- says 1 of 3 rows has no partition
--- case a table that is empty but for its history
--- exit 3
--- target
CREATE TABLE berth (id int); CREATE TABLE pilot (id int) WITH SYSTEM VERSIONING; INSERT INTO pilot VALUES (1); DELETE FROM pilot;
--- source
CREATE TABLE berth (id int);
--- says loss: every row of table pilot
