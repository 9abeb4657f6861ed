--- case an empty table goes
--- target
CREATE TABLE berth (id int); CREATE TABLE tide_gauge (id int, level real);
--- source
CREATE TABLE berth (id int);
--- says every row of table tide_gauge: the table is empty; the script stops if that is no longer so
--- trips INSERT INTO tide_gauge VALUES (1, 2.5)
--- keep SELECT count(*) FROM tide_gauge
--- case a column without values goes
--- target
CREATE TABLE "Berth $guard$" (id int, "no te" text); INSERT INTO "Berth $guard$" (id) VALUES (1), (2);
--- source
CREATE TABLE "Berth $guard$" (id int);
--- says none of 2 rows holds a value; the script stops
--- trips UPDATE "Berth $guard$" SET "no te" = 'mud' WHERE id = 2
--- keep SELECT "no te" FROM "Berth $guard$" ORDER BY id
--- case a column with values is held back
--- exit 3
--- target
CREATE TABLE berth (id int, note text); INSERT INTO berth SELECT i, CASE WHEN i % 2 = 0 THEN 'mud' END FROM generate_series(1, 3000) i;
--- source
CREATE TABLE berth (id int);
--- says every value of column note of table berth: 1,500 of 3,000 rows hold a value
--- says see them: SELECT * FROM public.berth WHERE note IS NOT NULL;
--- case NOT NULL over NULLs
--- exit 3
--- target
CREATE TABLE berth (id int, name text); INSERT INTO berth VALUES (1, NULL), (2, 'Heron');
--- source
CREATE TABLE berth (id int, name text NOT NULL);
--- says will-fail: fails when a row holds NULL in column name
--- says 1 of 2 rows holds NULL
--- case NOT NULL without NULLs
--- target
CREATE TABLE berth (id int, name text); INSERT INTO berth VALUES (2, 'Heron');
--- source
CREATE TABLE berth (id int, name text NOT NULL);
--- says none of 1 row holds NULL; the script stops
--- trips INSERT INTO berth (id) VALUES (9)
--- case keys twice
--- exit 3
--- target
CREATE TABLE pilot (id int, name text, since date); INSERT INTO pilot VALUES (1, 'Ada', NULL), (2, 'ADA', NULL), (3, 'Bo', '2020-01-01'), (4, NULL, NULL), (5, NULL, NULL);
--- source
CREATE TABLE pilot (id int PRIMARY KEY, name text, since date); CREATE UNIQUE INDEX pilot_name ON pilot USING btree (lower(name) text_pattern_ops DESC NULLS LAST, (1 + 0)) INCLUDE (since) WHERE id > 0;
CREATE UNIQUE INDEX pilot_since ON pilot (since) NULLS NOT DISTINCT;
--- says 2 of 5 rows share their key with another
--- says 4 of 5 rows share their key with another
--- says none of 5 rows share their key with another
--- case orphans under a new key
--- exit 3
--- target
CREATE TABLE vessel (id int PRIMARY KEY, imo text UNIQUE); INSERT INTO vessel VALUES (1, 'a');
CREATE TABLE port_call (id int, vessel_id int, imo text); INSERT INTO port_call VALUES (1, 1, 'a'), (2, 8, 'a'), (3, NULL, 'a');
--- source
CREATE TABLE vessel (id int PRIMARY KEY, imo text UNIQUE);
CREATE TABLE port_call (id int, vessel_id int REFERENCES vessel (id) ON DELETE CASCADE, imo text REFERENCES vessel (imo));
--- says 1 of 3 rows refers to a row that is not there
--- says none of 3 rows refers to a row that is not there
--- case rows that break a check
--- exit 3
--- target
CREATE TABLE vessel (id int, tonnage int); INSERT INTO vessel VALUES (1, 5), (2, -5), (3, NULL);
--- source
CREATE TABLE vessel (id int, tonnage int CHECK (tonnage > 0 AND (tonnage < 90)));
--- says will-fail: fails when a row breaks the check: 1 of 3 rows breaks the check
--- case values that are cut
--- exit 3
--- target
CREATE TABLE vessel (id int, name varchar(20), dues numeric(8,2), seen timestamp); INSERT INTO vessel VALUES (1, 'Grey Heron', 1.25, '2026-01-01'), (2, 'Eel', 2, '2026-01-01 10:00');
--- source
CREATE TABLE vessel (id int, name varchar(5), dues numeric(8,1), seen date);
--- says values longer than 5 are cut: 1 of 2 rows holds a value that would change
--- says digits after the point are rounded away: 1 of 2 rows holds a value that would change
--- says the time of day is cut off: 1 of 2 rows holds a value that would change
--- case values that fit
--- target
CREATE TABLE vessel (id int, name varchar(20), n bigint, t text); INSERT INTO vessel VALUES (1, 'Eel', 7, '12');
--- source
CREATE TABLE vessel (id int, name varchar(5), n smallint, t int);
--- says none of 1 row holds a value that would change; the script stops
--- says none of 1 row holds a value that does not fit
--- trips INSERT INTO vessel VALUES (2, 'Heron of the marsh', 1, '1')
--- case values that do not fit
--- exit 3
--- target
CREATE TABLE vessel (id int, n bigint, t text, d text, u text); INSERT INTO vessel VALUES (1, 70000, 'x12', '2026-13-01', 'g'), (2, 7, '12', NULL, NULL), (3, 7, '99999999999', NULL, NULL);
--- source
CREATE TABLE vessel (id int, n smallint, t int, d date, u inet);
--- says 1 of 3 rows holds a value that does not fit
--- says will-fail: column u of table vessel: fails when a value is no inet
--- case an enum value that is not used
--- target
CREATE TYPE state AS ENUM ('planned', 'moored', 'gone'); CREATE TABLE port_call (id int, s state, all_of state[]); INSERT INTO port_call VALUES (1, 'planned', '{moored}');
--- source
CREATE TYPE state AS ENUM ('planned', 'moored'); CREATE TABLE port_call (id int, s state, all_of state[]);
--- says none of 2 rows holds a value that goes; the script stops
--- trips INSERT INTO port_call VALUES (2, 'gone')
--- case an enum value in use
--- exit 3
--- target
CREATE TYPE state AS ENUM ('planned', 'moored', 'gone'); CREATE TABLE port_call (id int, s state, all_of state[]); INSERT INTO port_call VALUES (1, 'planned', '{gone}'), (2, 'gone', NULL);
--- source
CREATE TYPE state AS ENUM ('planned', 'moored'); CREATE TABLE port_call (id int, s state, all_of state[]);
--- says 2 of 4 rows hold a value that goes
--- case rows that no partition takes
--- exit 3
--- target
CREATE TABLE tide (day date, level real); INSERT INTO tide VALUES ('2026-05-01', 1), ('2028-05-01', 2);
--- source
CREATE TABLE tide (day date, level real) PARTITION BY RANGE (day); CREATE TABLE tide_2026 PARTITION OF tide FOR VALUES FROM ('2026-01-01') TO ('2027-01-01');
--- says 1 of 2 rows has no partition
--- case a table that becomes a partition
--- exit 3
--- target
CREATE TABLE cargo (port text, kind int) PARTITION BY LIST (port); CREATE TABLE cargo_a (port text, kind int); INSERT INTO cargo_a VALUES ('Q', 1), ('R', 2), (NULL, 3);
CREATE TABLE h (k int) PARTITION BY HASH (k); CREATE TABLE h0 (k int); INSERT INTO h0 SELECT generate_series(1, 8);
--- source
CREATE TABLE cargo (port text, kind int) PARTITION BY LIST (port); CREATE TABLE cargo_a PARTITION OF cargo FOR VALUES IN ('Q', NULL);
CREATE TABLE h (k int) PARTITION BY HASH (k); CREATE TABLE h0 PARTITION OF h FOR VALUES WITH (MODULUS 1, REMAINDER 0);
--- says 1 of 3 rows does not belong into it
--- says none of 8 rows does not belong into it
--- case a domain that wants a value
--- exit 3
--- target
CREATE DOMAIN sign AS text; CREATE TABLE vessel (id int, call_sign sign); INSERT INTO vessel VALUES (1, NULL);
--- source
CREATE DOMAIN sign AS text NOT NULL; CREATE TABLE vessel (id int, call_sign sign);
--- says 1 row holds NULL
--- case a counter outside its limits
--- exit 3
--- target
CREATE SEQUENCE call_number; SELECT setval('call_number', 5000);
--- source
CREATE SEQUENCE call_number MAXVALUE 1000;
--- says will-fail: fails when its counter is outside the new limits
--- case a table that is new to its child
--- target
CREATE TABLE port_call (id int, berth int); INSERT INTO port_call VALUES (1, NULL);
--- source
CREATE TABLE berth (id int PRIMARY KEY); CREATE TABLE port_call (id int, berth int REFERENCES berth);
--- says may-fail: fails when a row refers to a row that is not there
--- case a check by what changes as well
--- target
CREATE TYPE state AS ENUM ('planned', 'moored'); CREATE FUNCTION fine(int) RETURNS boolean LANGUAGE sql IMMUTABLE AS 'SELECT $1 > 5'; CREATE TABLE port_call (id int, s state); INSERT INTO port_call VALUES (1, 'planned');
--- source
CREATE TYPE state AS ENUM ('planned', 'moored', 'gone'); CREATE FUNCTION fine(int) RETURNS boolean LANGUAGE sql IMMUTABLE AS 'SELECT $1 > 0'; CREATE TABLE port_call (id int CHECK (fine(id)), s state CHECK (s <> 'gone'));
--- says may-fail: fails when a row breaks the check
--- case a cast the rows cannot be asked about
--- target
CREATE TABLE port_call (id int, t text); INSERT INTO port_call VALUES (1, 'x');
--- source
CREATE TABLE port_call (id int, t text CHECK (CASE WHEN t ~ '^[0-9]+$' THEN t::int > 0 ELSE true END));
--- says none of 1 row breaks the check
--- case a column whose type gives a value, a check that children do not have
--- target
CREATE DOMAIN depth AS int DEFAULT 3; CREATE TABLE berth (id int); CREATE TABLE quay () INHERITS (berth); INSERT INTO berth VALUES (1); INSERT INTO quay VALUES (-1);
--- source
CREATE DOMAIN depth AS int DEFAULT 3; CREATE TABLE berth (id int CHECK (id > 0) NO INHERIT, d depth NOT NULL); CREATE TABLE quay () INHERITS (berth);
--- says none of 1 row breaks the check
--- case a new check of a domain
--- exit 3
--- target
CREATE DOMAIN depth AS int; CREATE TABLE berth (id int, d depth, "value" depth); CREATE TABLE dock (d depth); INSERT INTO berth VALUES (1, 5, NULL), (2, -5, 7); INSERT INTO dock VALUES (-1);
--- source
CREATE DOMAIN depth AS int CHECK (VALUE > 0); CREATE TABLE berth (id int, d depth, "value" depth); CREATE TABLE dock (d depth);
--- says will-fail: fails when a value breaks the check: 2 rows break the check
--- case a new check of a domain that all values meet
--- target
CREATE DOMAIN depth AS int; CREATE TABLE berth (id int, d depth); INSERT INTO berth VALUES (1, 5), (2, NULL);
--- source
CREATE DOMAIN depth AS int CHECK (VALUE > 0 AND VALUE < 90); CREATE TABLE berth (id int, d depth);
--- says fails when a value breaks the check: none does
