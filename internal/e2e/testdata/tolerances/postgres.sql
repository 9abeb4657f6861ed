--- case comments
--- source
CREATE TABLE berth (id integer PRIMARY KEY, code text, depth real CONSTRAINT deep CHECK (depth > 0)); CREATE VIEW deep_ones AS SELECT id AS n FROM berth WHERE depth > 10; CREATE INDEX by_code ON berth (code);
COMMENT ON TABLE berth IS 'where ships lie'; COMMENT ON COLUMN berth.code IS 'painted on the quay'; COMMENT ON VIEW deep_ones IS 'for the big ones'; COMMENT ON CONSTRAINT deep ON berth IS 'no dry berths'; COMMENT ON INDEX by_code IS 'for the office';
--- target
CREATE TABLE berth (id integer PRIMARY KEY, code text, depth real CONSTRAINT deep CHECK (depth > 0)); CREATE VIEW deep_ones AS SELECT id AS n FROM berth WHERE depth > 10; CREATE INDEX by_code ON berth (code);
COMMENT ON TABLE berth IS 'berths'; COMMENT ON VIEW deep_ones IS 'deep berths'; COMMENT ON COLUMN deep_ones.n IS 'the berth';
INSERT INTO berth VALUES (1, 'A1', 12);
--- rows
DROP VIEW deep_ones; ALTER TABLE berth ALTER depth TYPE numeric USING depth, ADD lamp text; CREATE VIEW deep_ones AS SELECT id AS n FROM berth WHERE depth > 10; COMMENT ON VIEW deep_ones IS 'for the big ones';
--- case whitespace
--- source
CREATE FUNCTION dues(days integer) RETURNS integer LANGUAGE plpgsql AS $$
BEGIN
  IF days > 3 THEN
    RETURN days * 2;   -- long stays

  END IF;
  RETURN   days;
END $$;
CREATE FUNCTION flag() RETURNS text LANGUAGE sql AS 'SELECT  ''QH  1'' ';
--- target
CREATE FUNCTION dues(days integer) RETURNS integer LANGUAGE plpgsql AS $$ BEGIN IF days > 3 THEN RETURN days * 2; -- long   stays
END IF; RETURN days; END $$;
CREATE FUNCTION flag() RETURNS text LANGUAGE sql AS 'SELECT ''QH  1''';
--- rows
CREATE FUNCTION rate() RETURNS integer LANGUAGE sql AS 'SELECT 3'; CREATE OR REPLACE FUNCTION flag() RETURNS text LANGUAGE sql AS 'SELECT  ''QH 1'' ';
--- case line-endings
--- source
CREATE FUNCTION rate() RETURNS integer LANGUAGE sql AS E'\n SELECT 1\n';
--- target
CREATE FUNCTION rate() RETURNS integer LANGUAGE sql AS E'\r\n SELECT 1\r\n';
--- rows
CREATE VIEW rates AS SELECT rate() AS r; CREATE OR REPLACE FUNCTION rate() RETURNS integer LANGUAGE sql AS E'\n SELECT 2\n';
--- case letter-case
--- source
CREATE FUNCTION flag() RETURNS text LANGUAGE plpgsql AS 'BEGIN return Lower(''QH''); END';
--- target
CREATE FUNCTION flag() RETURNS text LANGUAGE plpgsql AS 'begin RETURN lower(''QH''); end';
--- rows
CREATE OR REPLACE FUNCTION flag() RETURNS text LANGUAGE plpgsql AS 'BEGIN return Lower(''qh''); END';
--- case text-comments
--- source
CREATE FUNCTION rate() RETURNS integer LANGUAGE plpgsql AS $$
BEGIN
  -- agreed with the pilots
  RETURN 3; -- a day
END $$;
--- target
CREATE FUNCTION rate() RETURNS integer LANGUAGE plpgsql AS $$
BEGIN
  RETURN 3;
END $$;
--- rows
CREATE OR REPLACE FUNCTION rate() RETURNS integer LANGUAGE plpgsql AS $$
BEGIN
  RETURN 4;
END $$;
--- case constraint-names
--- source
CREATE TABLE berth (id integer CONSTRAINT berth_key PRIMARY KEY, code text CONSTRAINT one_code UNIQUE, depth real CONSTRAINT deep CHECK (depth > 0)); CREATE TABLE stay (id integer PRIMARY KEY, berth_id integer CONSTRAINT at_berth REFERENCES berth);
--- target
CREATE TABLE berth (id integer PRIMARY KEY, code text UNIQUE, depth real CHECK (depth > 0)); CREATE TABLE stay (id integer PRIMARY KEY, berth_id integer REFERENCES berth);
INSERT INTO berth VALUES (1, 'A1', 9); INSERT INTO stay VALUES (1, 1);
--- rows
ALTER TABLE berth ALTER id TYPE bigint; ALTER TABLE stay ALTER berth_id TYPE bigint; ALTER TABLE berth ALTER code TYPE varchar(12);
--- case index-names
--- source
CREATE TABLE berth (id integer PRIMARY KEY, code text, depth real); CREATE INDEX deep ON berth (depth) WHERE depth > 10; CREATE UNIQUE INDEX one_code ON berth (lower(code));
--- target
CREATE TABLE berth (id integer PRIMARY KEY, code text, depth real); CREATE INDEX berth_deep ON berth (depth) WHERE depth > 10; CREATE UNIQUE INDEX berth_code ON berth (lower(code));
INSERT INTO berth VALUES (1, 'A1', 9);
--- rows
ALTER TABLE berth ALTER id TYPE bigint, ADD lamp text; CREATE INDEX by_lamp ON berth (lamp);
--- case collation
--- source
CREATE TABLE vessel (id integer PRIMARY KEY, name text COLLATE "C", flag text);
--- target
CREATE TABLE vessel (id integer PRIMARY KEY, name text, flag text COLLATE "POSIX");
INSERT INTO vessel VALUES (1, 'Heron', 'QH');
--- rows
ALTER TABLE vessel ALTER name SET NOT NULL, ADD length real;
--- case default-spelling
--- source
CREATE TABLE dues (id integer PRIMARY KEY, rate integer DEFAULT 5, taken timestamptz DEFAULT now(), note varchar(9) DEFAULT 'none'::varchar);
--- target
CREATE TABLE dues (id integer PRIMARY KEY, rate integer DEFAULT (5), taken timestamptz DEFAULT CURRENT_TIMESTAMP, note varchar(9) DEFAULT 'none'::text);
INSERT INTO dues VALUES (1);
--- rows
ALTER TABLE dues ADD paid boolean DEFAULT false, ALTER rate TYPE bigint;
--- case enabled
--- source
CREATE TABLE tide (id integer PRIMARY KEY, level real); CREATE FUNCTION seen() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END'; CREATE TRIGGER on_tide BEFORE INSERT ON tide FOR EACH ROW EXECUTE FUNCTION seen(); ALTER TABLE tide DISABLE TRIGGER on_tide;
--- target
CREATE TABLE tide (id integer PRIMARY KEY, level real); CREATE FUNCTION seen() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END'; CREATE TRIGGER on_tide BEFORE INSERT ON tide FOR EACH ROW EXECUTE FUNCTION seen();
--- rows
DROP TRIGGER on_tide ON tide; CREATE TRIGGER on_tide BEFORE INSERT OR UPDATE ON tide FOR EACH ROW EXECUTE FUNCTION seen(); ALTER TABLE tide DISABLE TRIGGER on_tide;
--- case validated
--- source
CREATE TABLE berth (id integer PRIMARY KEY, depth real); ALTER TABLE berth ADD CONSTRAINT deep CHECK (depth > 0) NOT VALID;
--- target
CREATE TABLE berth (id integer PRIMARY KEY, depth real CONSTRAINT deep CHECK (depth > 0));
INSERT INTO berth VALUES (1, 9);
--- rows
ALTER TABLE berth ALTER depth TYPE numeric;
--- case identity
--- source
CREATE TABLE call (id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, at date);
--- target
CREATE TABLE call (id integer GENERATED BY DEFAULT AS IDENTITY PRIMARY KEY, at date);
INSERT INTO call (at) VALUES ('2026-01-01');
--- rows
ALTER TABLE call ADD berth text, ALTER at SET NOT NULL;
--- case sequence-options
--- source
CREATE SEQUENCE calls START 100 CACHE 5; CREATE TABLE call (id integer GENERATED ALWAYS AS IDENTITY (INCREMENT 2) PRIMARY KEY);
--- target
CREATE SEQUENCE calls INCREMENT 10 MAXVALUE 9999; CREATE TABLE call (id integer GENERATED ALWAYS AS IDENTITY (START 7) PRIMARY KEY);
INSERT INTO call DEFAULT VALUES;
--- rows
ALTER SEQUENCE calls AS integer; ALTER TABLE call ADD at date;
--- case storage
--- source
CREATE TABLE berth (id integer PRIMARY KEY, code text, note text COMPRESSION pglz, CONSTRAINT one UNIQUE (code) WITH (fillfactor = 60)) WITH (fillfactor = 70); CREATE INDEX by_note ON berth (note) WITH (fillfactor = 50); ALTER TABLE berth ALTER code SET STORAGE EXTERNAL;
--- target
CREATE TABLE berth (id integer PRIMARY KEY, code text, note text, CONSTRAINT one UNIQUE (code)) WITH (autovacuum_enabled = false); CREATE INDEX by_note ON berth (note);
INSERT INTO berth VALUES (1, 'A1', 'x');
--- rows
ALTER TABLE berth ALTER code SET NOT NULL, ADD lamp text; DROP INDEX by_note; CREATE UNIQUE INDEX by_note ON berth (note, id) WITH (fillfactor = 50);
--- case statistics-targets
--- source
CREATE TABLE berth (id integer PRIMARY KEY, code text); ALTER TABLE berth ALTER code SET STATISTICS 500; CREATE INDEX low ON berth (lower(code)); ALTER INDEX low ALTER COLUMN 1 SET STATISTICS 300;
--- target
CREATE TABLE berth (id integer PRIMARY KEY, code text); CREATE INDEX low ON berth (lower(code));
INSERT INTO berth VALUES (1, 'A1');
--- rows
ALTER TABLE berth ALTER code SET NOT NULL;
--- case partitions
--- source
CREATE TABLE tide (taken date, level real) PARTITION BY RANGE (taken); CREATE TABLE tide_26 PARTITION OF tide FOR VALUES FROM ('2026-01-01') TO ('2027-01-01'); CREATE TABLE tide_27 PARTITION OF tide FOR VALUES FROM ('2027-01-01') TO ('2028-01-01');
--- target
CREATE TABLE tide (taken date, level real) PARTITION BY RANGE (taken); CREATE TABLE tide_26 PARTITION OF tide FOR VALUES FROM ('2025-06-01') TO ('2027-01-01'); CREATE TABLE tide_24 PARTITION OF tide FOR VALUES FROM ('2024-01-01') TO ('2025-01-01');
INSERT INTO tide VALUES ('2026-02-03', 1), ('2024-02-03', 2);
--- keep SELECT level FROM tide ORDER BY taken
--- rows
ALTER TABLE tide ADD lamp text; CREATE INDEX by_taken ON tide (taken); ALTER TABLE tide ALTER level TYPE numeric;
--- case row-security
--- source
CREATE TABLE call (id integer PRIMARY KEY, agent text); ALTER TABLE call ENABLE ROW LEVEL SECURITY; ALTER TABLE call FORCE ROW LEVEL SECURITY; CREATE POLICY own ON call USING (agent = 'x');
--- target
CREATE TABLE call (id integer PRIMARY KEY, agent text); CREATE POLICY own ON call USING (agent = 'x');
--- rows
ALTER TABLE call ADD at date; ALTER POLICY own ON call USING (agent = 'y');
--- case replica-identity
--- source
CREATE TABLE call (id integer PRIMARY KEY, agent text); ALTER TABLE call REPLICA IDENTITY FULL;
--- target
CREATE TABLE call (id integer PRIMARY KEY, agent text); INSERT INTO call VALUES (1, 'x');
--- rows
ALTER TABLE call ALTER agent TYPE varchar(9);
--- case extension-versions
--- source
CREATE EXTENSION citext VERSION '1.5';
--- target
CREATE EXTENSION citext;
--- rows
CREATE TABLE call (id integer PRIMARY KEY, agent citext);
--- case owners
--- says --include owners
--- source
CREATE TABLE call (id integer PRIMARY KEY, agent text); ALTER TABLE call OWNER TO pg_monitor; CREATE VIEW agents AS SELECT agent AS a FROM call;
--- target
CREATE TABLE call (id integer PRIMARY KEY, agent text); CREATE VIEW agents AS SELECT agent AS a FROM call; ALTER VIEW agents OWNER TO pg_monitor;
INSERT INTO call VALUES (1, 'x');
--- rows
ALTER VIEW agents RENAME a TO b; ALTER TABLE call ADD at date;
--- case grants
--- says --include grants
--- source
CREATE TABLE call (id integer PRIMARY KEY, agent text); GRANT SELECT ON call TO pg_monitor; CREATE VIEW agents AS SELECT agent AS a FROM call;
--- target
CREATE TABLE call (id integer PRIMARY KEY, agent text); CREATE VIEW agents AS SELECT agent AS a FROM call; GRANT SELECT ON agents TO pg_monitor; GRANT UPDATE (agent) ON call TO pg_monitor;
INSERT INTO call VALUES (1, 'x');
--- rows
DROP VIEW agents; ALTER TABLE call ALTER agent TYPE varchar(9); CREATE VIEW agents AS SELECT agent AS a FROM call;
