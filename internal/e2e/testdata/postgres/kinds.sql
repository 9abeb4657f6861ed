-- One of every kind that no ordinary database has.
CREATE SCHEMA harbour;
CREATE EXTENSION citext SCHEMA harbour;
CREATE EXTENSION postgres_fdw;
CREATE TYPE harbour.position AS (lat double precision, lon double precision);
COMMENT ON COLUMN harbour.position.lat IS 'north of the pier';
CREATE TABLE harbour.buoy OF harbour.position (PRIMARY KEY (lat, lon), lat WITH OPTIONS DEFAULT 0);
-- Operators that are each other's commutators and negators, over a composite.
CREATE FUNCTION harbour.north_of(a harbour.position, b harbour.position) RETURNS boolean LANGUAGE sql IMMUTABLE AS 'SELECT a.lat > b.lat';
CREATE FUNCTION harbour.south_of(a harbour.position, b harbour.position) RETURNS boolean LANGUAGE sql IMMUTABLE AS 'SELECT a.lat < b.lat';
CREATE FUNCTION harbour.not_north_of(a harbour.position, b harbour.position) RETURNS boolean LANGUAGE sql IMMUTABLE AS 'SELECT a.lat <= b.lat';
CREATE OPERATOR harbour.>^ (FUNCTION = harbour.north_of, LEFTARG = harbour.position, RIGHTARG = harbour.position, COMMUTATOR = OPERATOR(harbour.<^), NEGATOR = OPERATOR(harbour.<=^), RESTRICT = scalargtsel, JOIN = scalargtjoinsel);
CREATE OPERATOR harbour.<^ (FUNCTION = harbour.south_of, LEFTARG = harbour.position, RIGHTARG = harbour.position, COMMUTATOR = OPERATOR(harbour.>^));
CREATE OPERATOR harbour.<=^ (FUNCTION = harbour.not_north_of, LEFTARG = harbour.position, RIGHTARG = harbour.position, NEGATOR = OPERATOR(harbour.>^));
COMMENT ON OPERATOR harbour.>^ (harbour.position, harbour.position) IS 'lies further north';
CREATE FUNCTION harbour.minus(harbour.position) RETURNS harbour.position LANGUAGE sql IMMUTABLE AS 'SELECT ROW(-($1).lat, -($1).lon)::harbour.position';
CREATE OPERATOR harbour.- (FUNCTION = harbour.minus, RIGHTARG = harbour.position);
-- An order of its own, for an index.
CREATE TYPE harbour.grade AS ENUM ('calm', 'rough');
CREATE FUNCTION harbour.grade_cmp(a text, b text) RETURNS integer LANGUAGE sql IMMUTABLE STRICT AS 'SELECT CASE WHEN length(a) < length(b) THEN -1 WHEN length(a) > length(b) THEN 1 ELSE 0 END';
CREATE OPERATOR FAMILY harbour.by_length USING btree;
CREATE OPERATOR CLASS harbour.length_ops FOR TYPE text USING btree FAMILY harbour.by_length AS OPERATOR 1 pg_catalog.<, OPERATOR 2 pg_catalog.<=, OPERATOR 3 pg_catalog.=, OPERATOR 4 pg_catalog.>=, OPERATOR 5 pg_catalog.>, FUNCTION 1 harbour.grade_cmp(text, text);
ALTER OPERATOR FAMILY harbour.by_length USING btree ADD OPERATOR 1 pg_catalog.< (bpchar, bpchar);
CREATE TABLE harbour.log (id integer PRIMARY KEY, body text, at harbour.position, sea harbour.grade, word harbour.citext);
CREATE INDEX log_length ON harbour.log (body harbour.length_ops);
CREATE VIEW harbour.northern AS SELECT id FROM harbour.log WHERE at OPERATOR(harbour.>^) ROW(50, 0)::harbour.position;
-- Functions with defaults over views over functions; windows; aggregates.
CREATE FUNCTION harbour.count_of() RETURNS bigint LANGUAGE sql STABLE AS 'SELECT count(*) FROM harbour.log';
CREATE VIEW harbour.counted AS SELECT harbour.count_of() AS n;
CREATE FUNCTION harbour.more(n bigint DEFAULT harbour.count_of()) RETURNS bigint LANGUAGE sql AS 'SELECT n + 1';
CREATE FUNCTION harbour.nth() RETURNS bigint LANGUAGE internal WINDOW AS 'window_row_number';
CREATE FUNCTION harbour.add(bigint, integer) RETURNS bigint LANGUAGE sql IMMUTABLE AS 'SELECT $1 + $2';
CREATE AGGREGATE harbour.total(integer) (SFUNC = harbour.add, STYPE = bigint, INITCOND = '0', PARALLEL = SAFE);
CREATE AGGREGATE harbour.tally(*) (SFUNC = int8inc, STYPE = bigint, INITCOND = '0');
COMMENT ON AGGREGATE harbour.total(integer) IS 'all of it';
-- A type made in C, whose functions need it and which needs them.
CREATE TYPE harbour.tonnage;
CREATE FUNCTION harbour.tonnage_in(cstring) RETURNS harbour.tonnage LANGUAGE internal IMMUTABLE STRICT AS 'int4in';
CREATE FUNCTION harbour.tonnage_out(harbour.tonnage) RETURNS cstring LANGUAGE internal IMMUTABLE STRICT AS 'int4out';
CREATE TYPE harbour.tonnage (INPUT = harbour.tonnage_in, OUTPUT = harbour.tonnage_out, LIKE = integer);
CREATE FUNCTION harbour.as_integer(harbour.tonnage) RETURNS integer LANGUAGE internal IMMUTABLE STRICT AS 'int4up';
CREATE CAST (harbour.tonnage AS integer) WITH FUNCTION harbour.as_integer(harbour.tonnage) AS IMPLICIT;
CREATE TABLE harbour.cargo (id integer, weight harbour.tonnage DEFAULT '5', weights harbour.tonnage[]);
CREATE TYPE harbour.span;
CREATE FUNCTION harbour.span_canonical(harbour.span) RETURNS harbour.span LANGUAGE internal IMMUTABLE STRICT AS 'int4range_canonical';
CREATE TYPE harbour.span AS RANGE (SUBTYPE = integer, CANONICAL = harbour.span_canonical);
-- Text search, from the parser on.
CREATE TEXT SEARCH PARSER harbour.words (START = prsd_start, GETTOKEN = prsd_nexttoken, END = prsd_end, LEXTYPES = prsd_lextype, HEADLINE = prsd_headline);
CREATE TEXT SEARCH TEMPLATE harbour.plain (INIT = dsimple_init, LEXIZE = dsimple_lexize);
CREATE TEXT SEARCH DICTIONARY harbour.sailors (TEMPLATE = harbour.plain, ACCEPT = false);
CREATE TEXT SEARCH CONFIGURATION harbour.logs (PARSER = harbour.words);
ALTER TEXT SEARCH CONFIGURATION harbour.logs ADD MAPPING FOR asciiword, word WITH harbour.sailors, simple;
CREATE INDEX log_words ON harbour.log USING gin (to_tsvector('harbour.logs'::regconfig, body));
CREATE COLLATION harbour.bytes (LOCALE = 'C');
CREATE CONVERSION harbour.greek FOR 'LATIN1' TO 'UTF8' FROM iso8859_1_to_utf8;
CREATE STATISTICS harbour.log_stats (ndistinct, mcv) ON id, body FROM harbour.log;
ALTER STATISTICS harbour.log_stats SET STATISTICS 200;
-- Foreign data, without secrets.
CREATE FOREIGN DATA WRAPPER nowhere OPTIONS (level '3');
CREATE SERVER far FOREIGN DATA WRAPPER nowhere OPTIONS (host 'far.example', "odd name" 'it''s');
CREATE SERVER far_pg TYPE 'pier' VERSION '2' FOREIGN DATA WRAPPER postgres_fdw OPTIONS (host 'far.example', dbname 'quay');
CREATE USER MAPPING FOR PUBLIC SERVER far_pg OPTIONS (user 'guest');
CREATE FOREIGN TABLE harbour.far_tide (station text OPTIONS (column_name 'st') NOT NULL, level_cm integer DEFAULT 0, CHECK (level_cm < 2000)) SERVER far_pg OPTIONS (schema_name 'public', table_name 'tide');
COMMENT ON FOREIGN TABLE harbour.far_tide IS 'the other side of the bay';
CREATE TABLE harbour.tide (station text, level_cm integer) PARTITION BY LIST (station);
CREATE FOREIGN TABLE harbour.tide_far PARTITION OF harbour.tide FOR VALUES IN ('far') SERVER far;
-- Languages and transforms.
CREATE LANGUAGE plbody HANDLER plpgsql_call_handler INLINE plpgsql_inline_handler VALIDATOR plpgsql_validator;
CREATE FUNCTION harbour.pos_from(internal) RETURNS internal LANGUAGE internal IMMUTABLE AS 'int4in';
CREATE TRANSFORM FOR integer LANGUAGE plbody (FROM SQL WITH FUNCTION harbour.pos_from(internal));
CREATE FUNCTION harbour.said() RETURNS integer LANGUAGE plbody AS $$ BEGIN RETURN 1; END $$;
CREATE ACCESS METHOD harbour_heap TYPE TABLE HANDLER heap_tableam_handler;
CREATE TABLE harbour.other_heap (id integer) USING harbour_heap;
CREATE PUBLICATION calls FOR TABLE harbour.log (id, body) WHERE (id > 5), TABLE harbour.cargo WITH (publish = 'insert');
CREATE PUBLICATION of_schema FOR TABLES IN SCHEMA harbour;
CREATE SUBSCRIPTION from_far CONNECTION '' PUBLICATION one, "Two" WITH (connect = false, slot_name = NONE, synchronous_commit = 'off');
CREATE FUNCTION harbour.watch() RETURNS event_trigger LANGUAGE plpgsql AS $$ BEGIN NULL; END $$;
CREATE EVENT TRIGGER watch ON ddl_command_end WHEN TAG IN ('DROP TABLE') EXECUTE FUNCTION harbour.watch();
ALTER TABLE harbour.log REPLICA IDENTITY FULL;
CREATE INDEX cargo_at ON harbour.cargo (id) WITH (fillfactor = 70);
ALTER TABLE harbour.cargo CLUSTER ON cargo_at;
