--- case partition split
--- about a quay's numbers are cut in two; what is above the cut moves
--- common
CREATE TABLE berth (id int PRIMARY KEY, quay text NOT NULL) PARTITION BY RANGE (id);
CREATE FUNCTION noted() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RAISE EXCEPTION ''seen''; END';
--- target
CREATE TABLE berth_low PARTITION OF berth FOR VALUES FROM (0) TO (100);
--- source
CREATE TABLE berth_low PARTITION OF berth FOR VALUES FROM (0) TO (50);
CREATE TABLE berth_high PARTITION OF berth FOR VALUES FROM (50) TO (100);
--- rows
INSERT INTO berth VALUES (7, 'North'), (70, 'South');
--- keep SELECT string_agg(id || quay, ',' ORDER BY id) FROM berth
--- case partition split under other names
--- about the old one goes, two take its rows; a trigger sees none of it
--- common
CREATE TABLE berth (id int PRIMARY KEY, quay text NOT NULL) PARTITION BY RANGE (id);
CREATE FUNCTION noted() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN IF current_setting(''harbour.moving'', true) = ''no'' THEN RETURN NEW; END IF; RAISE EXCEPTION ''seen''; END';
CREATE TRIGGER noted BEFORE INSERT OR UPDATE OR DELETE ON berth FOR EACH ROW EXECUTE FUNCTION noted();
--- target
CREATE TABLE berth_all PARTITION OF berth FOR VALUES FROM (0) TO (100);
--- source
CREATE TABLE berth_low PARTITION OF berth FOR VALUES FROM (0) TO (50);
CREATE TABLE berth_high PARTITION OF berth FOR VALUES FROM (50) TO (100);
ALTER TABLE berth_high DISABLE TRIGGER noted;
--- rows
SET harbour.moving = 'no';
INSERT INTO berth VALUES (7, 'North'), (70, 'South');
--- loss
--- keep SELECT string_agg(id || quay, ',' ORDER BY id) FROM berth
--- case partitions merged
--- common
CREATE TABLE tide (station text, level int) PARTITION BY LIST (station);
--- target
CREATE TABLE tide_a PARTITION OF tide FOR VALUES IN ('A');
CREATE TABLE tide_b PARTITION OF tide FOR VALUES IN ('B');
--- source
CREATE TABLE tide_a PARTITION OF tide FOR VALUES IN ('A', 'B');
--- rows
INSERT INTO tide VALUES ('A', 1), ('B', 2);
--- loss
--- keep SELECT string_agg(station || level, ',' ORDER BY station) FROM tide
--- case hash partitions doubled
--- common
CREATE TABLE tide (station int, level int GENERATED ALWAYS AS (station * 2) STORED) PARTITION BY HASH (station);
--- target
CREATE TABLE tide_0 PARTITION OF tide FOR VALUES WITH (MODULUS 2, REMAINDER 0);
CREATE TABLE tide_1 PARTITION OF tide FOR VALUES WITH (MODULUS 2, REMAINDER 1);
--- source
CREATE TABLE tide_0 PARTITION OF tide FOR VALUES WITH (MODULUS 4, REMAINDER 0);
CREATE TABLE tide_1 PARTITION OF tide FOR VALUES WITH (MODULUS 4, REMAINDER 1);
CREATE TABLE tide_2 PARTITION OF tide FOR VALUES WITH (MODULUS 4, REMAINDER 2);
CREATE TABLE tide_3 PARTITION OF tide FOR VALUES WITH (MODULUS 4, REMAINDER 3);
--- rows
INSERT INTO tide (station) SELECT g FROM generate_series(1, 100) g;
--- keep SELECT sum(station), count(*) FROM tide
--- case partition out of the default one
--- common
CREATE TABLE call (id int, at date, PRIMARY KEY (id, at)) PARTITION BY RANGE (at, id);
CREATE TABLE call_rest PARTITION OF call DEFAULT;
CREATE TABLE call_old PARTITION OF call FOR VALUES FROM ('2020-01-01', MINVALUE) TO ('2021-01-01', 5);
--- source
CREATE TABLE call_new PARTITION OF call FOR VALUES FROM ('2021-01-01', 5) TO ('2022-01-01', MAXVALUE);
--- rows
INSERT INTO call VALUES (1, '2020-02-02'), (4, '2021-01-01'), (5, '2021-01-01'), (9, '2022-01-01'), (9, '2022-01-02'), (2, '2025-01-01');
--- keep SELECT string_agg(id || ' ' || at, ',' ORDER BY at, id) FROM call
--- case window of partitions
--- about the oldest goes, with its rows, and a new one comes
--- common
CREATE TABLE call (id int, at date) PARTITION BY RANGE (at);
CREATE TABLE call_21 PARTITION OF call FOR VALUES FROM ('2021-01-01') TO ('2022-01-01');
--- target
CREATE TABLE call_20 PARTITION OF call FOR VALUES FROM ('2020-01-01') TO ('2021-01-01');
--- source
CREATE TABLE call_22 PARTITION OF call FOR VALUES FROM ('2022-01-01') TO ('2023-01-01');
--- rows
INSERT INTO call VALUES (1, '2020-02-02'), (4, '2021-01-01');
--- loss
--- keep SELECT string_agg(id || ' ' || at, ',' ORDER BY at, id) FROM call_21
--- case partition dropped under foreign keys
--- common
CREATE TABLE berth (id int PRIMARY KEY) PARTITION BY RANGE (id);
CREATE TABLE berth_high PARTITION OF berth FOR VALUES FROM (10) TO (20);
CREATE TABLE booking (berth int CONSTRAINT at_berth REFERENCES berth);
--- target
CREATE TABLE berth_low PARTITION OF berth FOR VALUES FROM (0) TO (10);
--- rows
INSERT INTO berth VALUES (15);
INSERT INTO booking VALUES (15);
--- loss
--- keep SELECT count(*) FROM booking
--- case key to many partitions
--- common
CREATE TABLE berth (id int PRIMARY KEY) PARTITION BY RANGE (id);
CREATE TABLE berth_low PARTITION OF berth FOR VALUES FROM (0) TO (10);
CREATE TABLE berth_high PARTITION OF berth FOR VALUES FROM (10) TO (20);
--- target
CREATE TABLE booking (berth int CONSTRAINT at_berth REFERENCES berth);
--- source
CREATE TABLE booking (berth int CONSTRAINT at_berth REFERENCES berth ON DELETE CASCADE);
--- rows
INSERT INTO berth VALUES (5), (15);
INSERT INTO booking VALUES (5);
--- keep SELECT count(*) FROM booking
--- case key of a family to a widened one
--- common
--- target
CREATE TABLE berth (id int PRIMARY KEY);
CREATE TABLE booking (berth int NOT NULL REFERENCES berth, at date NOT NULL) PARTITION BY RANGE (at);
CREATE TABLE booking_24 PARTITION OF booking FOR VALUES FROM ('2024-01-01') TO ('2025-01-01');
--- source
CREATE TABLE berth (id bigint, name text, CONSTRAINT berth_pkey PRIMARY KEY (id) INCLUDE (name));
CREATE TABLE booking (berth bigint NOT NULL REFERENCES berth, at date NOT NULL) PARTITION BY RANGE (at);
CREATE TABLE booking_24 PARTITION OF booking FOR VALUES FROM ('2024-01-01') TO ('2025-01-01');
--- rows
INSERT INTO berth VALUES (1);
INSERT INTO booking VALUES (1, '2024-02-02');
--- keep SELECT count(*) FROM booking
--- case family of families recast
--- about the key of the outer and the inner partitioning changes its type: the rows come back once
--- source
CREATE TABLE call (id bigint, at date, n int, PRIMARY KEY (id, at)) PARTITION BY RANGE (id);
CREATE TABLE call_a PARTITION OF call FOR VALUES FROM (0) TO (10) PARTITION BY RANGE (at, id);
CREATE TABLE call_a1 PARTITION OF call_a FOR VALUES FROM ('2020-01-01', MINVALUE) TO ('2021-01-01', MAXVALUE);
CREATE TABLE call_b PARTITION OF call FOR VALUES FROM (10) TO (20);
--- target
CREATE TABLE call (id int, at date, n int, PRIMARY KEY (id, at)) PARTITION BY RANGE (id);
CREATE TABLE call_a PARTITION OF call FOR VALUES FROM (0) TO (10) PARTITION BY RANGE (at, id);
CREATE TABLE call_a1 PARTITION OF call_a FOR VALUES FROM ('2020-01-01', MINVALUE) TO ('2021-01-01', MAXVALUE);
CREATE TABLE call_b PARTITION OF call FOR VALUES FROM (10) TO (20);
--- rows
INSERT INTO call VALUES (5, '2020-02-02'), (15, '2020-02-03');
--- keep SELECT string_agg(id || ' ' || at, ',' ORDER BY id) FROM call
--- case column of another table's row type
--- about the audit keeps whole berths, also in arrays; the berth's columns change
--- target
CREATE TABLE berth (id int PRIMARY KEY, name varchar(10), seen timestamptz);
CREATE TABLE audit (n int PRIMARY KEY, was berth, all_of berth[]);
--- source
CREATE TABLE berth (id bigint PRIMARY KEY, name text, seen timestamptz, extra int);
CREATE TABLE audit (n int PRIMARY KEY, was berth, all_of berth[]);
--- rows
INSERT INTO berth VALUES (1, 'a "q", b', 'infinity'), (2, NULL, NULL);
INSERT INTO audit SELECT 1, b, ARRAY[b, NULL, b] FROM berth b WHERE id = 1;
INSERT INTO audit VALUES (2, NULL, NULL), (3, ROW(NULL, NULL, NULL), '{}');
--- keep SELECT string_agg(n || ' ' || coalesce((was).name, '-') || coalesce((was).id::text, '-') || coalesce(array_length(all_of, 1)::text, '-') || coalesce((all_of[3]).name, '-'), ';' ORDER BY n) FROM audit
--- case attributes of a composite
--- about an attribute changes type, one goes, the order changes for another; typed tables and columns follow
--- target
CREATE TYPE reading AS (id int, level varchar(10), gone text);
CREATE TABLE tide OF reading (PRIMARY KEY (id), level DEFAULT 'x');
CREATE TABLE station (n int, last reading);
CREATE VIEW levels AS SELECT id, level FROM tide;
--- source
CREATE TYPE reading AS (id bigint, level text, at date);
CREATE TABLE tide OF reading (PRIMARY KEY (id), level DEFAULT 'x');
CREATE TABLE station (n int, last reading);
CREATE VIEW levels AS SELECT id, level, at FROM tide;
--- rows
INSERT INTO tide (id, level) VALUES (1, 'a');
INSERT INTO station VALUES (1, ROW(2, 'b', NULL)), (2, NULL);
--- loss
--- keep SELECT id || level FROM tide
--- keep SELECT (last).id || (last).level FROM station WHERE n = 1
--- case serial becomes identity with no rows left
--- target
CREATE TABLE ticket (id serial PRIMARY KEY, n text);
CREATE TABLE slip (id int GENERATED BY DEFAULT AS IDENTITY PRIMARY KEY, n text);
--- source
CREATE TABLE ticket (id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY, n text);
CREATE TABLE slip (id serial PRIMARY KEY, n text);
--- rows
INSERT INTO ticket (n) SELECT 'x' FROM generate_series(1, 50);
DELETE FROM ticket;
INSERT INTO slip (n) SELECT 'x' FROM generate_series(1, 20);
--- keep SELECT pg_sequence_last_value(pg_get_serial_sequence('public.ticket', 'id')::regclass), pg_sequence_last_value(pg_get_serial_sequence('public.slip', 'id')::regclass)
--- case plain number starts to count
--- target
CREATE TABLE ticket (id int PRIMARY KEY, n text);
--- source
CREATE TABLE ticket (id serial PRIMARY KEY, n text);
--- rows
INSERT INTO ticket VALUES (41, 'x');
--- keep SELECT coalesce(pg_sequence_last_value(pg_get_serial_sequence('public.ticket', 'id')::regclass), 41)
--- case partition leaves with its keys
--- common
CREATE TABLE pilot (id int PRIMARY KEY);
--- target
CREATE TABLE call (id int, at date, pilot int REFERENCES pilot, CONSTRAINT after CHECK (id > 0), PRIMARY KEY (id, at)) PARTITION BY RANGE (at);
CREATE INDEX call_at ON call (at);
CREATE TABLE call_20 PARTITION OF call FOR VALUES FROM ('2020-01-01') TO ('2021-01-01');
CREATE TABLE call_21 PARTITION OF call FOR VALUES FROM ('2021-01-01') TO ('2022-01-01');
--- source
CREATE TABLE call (id int, at date, pilot int REFERENCES pilot, CONSTRAINT after CHECK (id > 0), PRIMARY KEY (id, at)) PARTITION BY RANGE (at);
CREATE INDEX call_at ON call (at);
CREATE TABLE call_21 PARTITION OF call FOR VALUES FROM ('2021-01-01') TO ('2022-01-01');
CREATE TABLE call_20 (id int, at date, pilot int CONSTRAINT by_pilot REFERENCES pilot, CONSTRAINT after CHECK (id > 0), CONSTRAINT call_20_key PRIMARY KEY (id, at));
COMMENT ON CONSTRAINT call_20_key ON call_20 IS 'kept';
--- rows
INSERT INTO pilot VALUES (1);
INSERT INTO call VALUES (1, '2020-05-05', 1), (2, '2021-05-05', 1);
--- keep SELECT count(*) FROM call_20
--- case inheritance dissolved while types change
--- target
CREATE TABLE craft (id int PRIMARY KEY, name varchar(10) NOT NULL, CONSTRAINT named CHECK (name <> ''));
CREATE TABLE tug (power int) INHERITS (craft);
--- source
CREATE TABLE craft (id bigint PRIMARY KEY, name text NOT NULL, CONSTRAINT named CHECK (name <> ''));
CREATE TABLE tug (id int NOT NULL, name varchar(20) NOT NULL, power int, CONSTRAINT named CHECK (name <> ''), CONSTRAINT tug_pkey PRIMARY KEY (id));
--- rows
INSERT INTO craft VALUES (1, 'a');
INSERT INTO tug VALUES (2, 'b', 5);
--- keep SELECT count(*) FROM tug
--- case parents joined
--- target
CREATE TABLE craft (id int, v int, CONSTRAINT positive CHECK (v > 0));
CREATE TABLE tug (extra text, CONSTRAINT positive CHECK (v > 0)) INHERITS (craft);
CREATE TABLE pusher () INHERITS (tug);
CREATE TABLE rated (rating int);
--- source
CREATE TABLE craft (id int NOT NULL, v bigint DEFAULT 3, CONSTRAINT positive CHECK (v > 0), CONSTRAINT only_here CHECK (id > 0) NO INHERIT);
CREATE TABLE rated (rating int);
CREATE TABLE tug (extra varchar(50), CONSTRAINT positive CHECK (v > 0), CONSTRAINT extras CHECK (extra <> '')) INHERITS (craft);
CREATE TABLE pusher () INHERITS (tug, rated);
--- rows
INSERT INTO craft VALUES (1, 1);
INSERT INTO tug VALUES (2, 2, 'k');
INSERT INTO pusher VALUES (3, 3, 'g');
--- loss
--- keep SELECT string_agg(id || ':' || v, ',' ORDER BY id) FROM craft
--- case what columns of views have
--- about how a materialized view keeps its columns, and targets of an index's expressions
--- common
CREATE TABLE tide (id int PRIMARY KEY, station text, level int);
--- target
CREATE MATERIALIZED VIEW levels AS SELECT id, station, level FROM tide;
ALTER MATERIALIZED VIEW levels ALTER COLUMN id SET STATISTICS 10, ALTER COLUMN station SET STORAGE external;
CREATE INDEX by_name ON tide (lower(station), (level + 1));
ALTER INDEX by_name ALTER COLUMN 2 SET STATISTICS 77;
--- source
CREATE MATERIALIZED VIEW levels AS SELECT id, station, level FROM tide;
ALTER MATERIALIZED VIEW levels ALTER COLUMN level SET STATISTICS 500, ALTER COLUMN station SET (n_distinct = 5);
CREATE INDEX by_name ON tide (lower(station), (level + 1));
ALTER INDEX by_name ALTER COLUMN 1 SET STATISTICS 99;
--- case states of triggers in partitions
--- about the parent's trigger is made anew and another enabled; the partition's stay as they are
--- common
CREATE FUNCTION noted() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END';
CREATE TABLE call (id int, at date) PARTITION BY RANGE (at);
CREATE TABLE call_20 PARTITION OF call FOR VALUES FROM ('2020-01-01') TO ('2021-01-01');
CREATE TABLE call_21 PARTITION OF call FOR VALUES FROM ('2021-01-01') TO ('2022-01-01');
--- target
CREATE TRIGGER noted AFTER INSERT ON call FOR EACH ROW EXECUTE FUNCTION noted();
CREATE TRIGGER other AFTER INSERT ON call FOR EACH ROW EXECUTE FUNCTION noted();
ALTER TABLE call DISABLE TRIGGER other;
ALTER TABLE call_20 DISABLE TRIGGER noted;
--- source
CREATE TRIGGER noted AFTER INSERT OR UPDATE ON call FOR EACH ROW EXECUTE FUNCTION noted();
CREATE TRIGGER other AFTER INSERT ON call FOR EACH ROW EXECUTE FUNCTION noted();
ALTER TABLE call_20 DISABLE TRIGGER noted;
ALTER TABLE call_21 DISABLE TRIGGER other;
--- case types in the way of an enum and a collation
--- about an enum that partitions by it loses a value; a collation is made anew
--- target
CREATE TYPE state AS ENUM ('open', 'closed', 'never');
CREATE COLLATION folded (provider = icu, locale = 'und-u-ks-level2');
CREATE TABLE booking (id int, s state, name text COLLATE folded UNIQUE NOT NULL);
CREATE TABLE archive (id int, s state) PARTITION BY LIST (s);
CREATE TABLE archive_open PARTITION OF archive FOR VALUES IN ('open');
CREATE TABLE archive_rest PARTITION OF archive DEFAULT;
--- source
CREATE TYPE state AS ENUM ('closed', 'open');
CREATE COLLATION folded (provider = icu, locale = 'und-u-ks-level2', deterministic = false);
CREATE TABLE booking (id int, s state, name text COLLATE folded UNIQUE NOT NULL);
CREATE TABLE archive (id int, s state) PARTITION BY LIST (s);
CREATE TABLE archive_open PARTITION OF archive FOR VALUES IN ('open');
CREATE TABLE archive_rest PARTITION OF archive DEFAULT;
--- rows
INSERT INTO booking VALUES (1, 'open', 'a');
INSERT INTO archive VALUES (1, 'open'), (2, 'closed'), (3, NULL);
--- keep SELECT string_agg(id || s::text, ',' ORDER BY id) FROM archive
--- case times get the target's own zone
--- target
CREATE TABLE call (id int, at timestamp, left_at timestamptz, day date, past timestamptz);
--- source
CREATE TABLE call (id int, at timestamptz, left_at timestamp, day timestamptz, past date);
--- rows
DO $$ BEGIN EXECUTE format('ALTER DATABASE %I SET TimeZone = ''Asia/Kolkata''', current_database()); END $$;
SET TimeZone = 'Asia/Kolkata';
INSERT INTO call VALUES (1, '2024-07-01 12:00', '2024-07-01 12:00', '2024-07-01', '2024-07-02 00:00');
--- loss
--- keep SELECT to_char(at, 'DD HH24:MI'), to_char(left_at, 'DD HH24:MI'), to_char(day, 'DD HH24:MI'), to_char(past, 'DD HH24:MI') FROM call
--- case extension that moves
--- common
CREATE SCHEMA ext;
--- target
CREATE EXTENSION citext;
CREATE TABLE berth (id int, name citext, code citext UNIQUE);
CREATE INDEX by_name ON berth (name);
--- source
CREATE EXTENSION citext SCHEMA ext;
CREATE TABLE berth (id int, name ext.citext, code text UNIQUE);
CREATE INDEX by_name ON berth (name);
--- rows
INSERT INTO berth VALUES (1, 'North', 'N');
--- keep SELECT name::text || code::text FROM berth
--- case what is in the way of unlogged tables and ranges
--- target
CREATE UNLOGGED TABLE a (id int PRIMARY KEY);
CREATE UNLOGGED TABLE b (id int REFERENCES a);
CREATE TABLE c (id int PRIMARY KEY);
CREATE TABLE d (id int REFERENCES c);
CREATE TYPE span AS RANGE (subtype = float4);
CREATE TABLE booking (id int, r span, EXCLUDE USING gist (r WITH &&));
CREATE INDEX by_span ON booking USING gist (r);
--- source
CREATE TABLE a (id int PRIMARY KEY);
CREATE TABLE b (id int REFERENCES a);
CREATE UNLOGGED TABLE c (id int PRIMARY KEY);
CREATE UNLOGGED TABLE d (id int REFERENCES c);
CREATE TYPE span AS RANGE (subtype = float8);
CREATE TABLE booking (id int, r span, EXCLUDE USING gist (r WITH &&));
CREATE INDEX by_span ON booking USING gist (r);
--- rows
INSERT INTO a VALUES (1);
INSERT INTO b VALUES (1);
INSERT INTO booking VALUES (1, '[1,2)');
--- keep SELECT r::text FROM booking
--- case what copies in partitions have of their own
--- about clusters, replica identities, options, comments and names of the copies of indexes and keys
--- target
CREATE TABLE call (id int NOT NULL, at date NOT NULL, n int, PRIMARY KEY (id, at)) PARTITION BY RANGE (at);
CREATE INDEX by_n ON call (n);
CREATE TABLE call_20 PARTITION OF call FOR VALUES FROM ('2020-01-01') TO ('2021-01-01');
CREATE TABLE call_21 PARTITION OF call FOR VALUES FROM ('2021-01-01') TO ('2022-01-01');
ALTER TABLE call_21 CLUSTER ON call_21_n_idx;
COMMENT ON INDEX call_21_n_idx IS 'old';
--- source
CREATE TABLE call (id int NOT NULL, at date NOT NULL, n int, PRIMARY KEY (id, at)) PARTITION BY RANGE (at);
CREATE INDEX by_n ON call (n);
CREATE INDEX by_at ON call (at);
CREATE TABLE call_20 PARTITION OF call FOR VALUES FROM ('2020-01-01') TO ('2021-01-01');
CREATE TABLE call_21 PARTITION OF call FOR VALUES FROM ('2021-01-01') TO ('2022-01-01');
CREATE TABLE call_22 PARTITION OF call FOR VALUES FROM ('2022-01-01') TO ('2023-01-01');
ALTER TABLE call_20 CLUSTER ON call_20_n_idx;
ALTER TABLE call_20 REPLICA IDENTITY USING INDEX call_20_pkey;
ALTER INDEX call_21_n_idx RENAME TO numbers_of_21;
ALTER INDEX numbers_of_21 SET (fillfactor = 70);
COMMENT ON CONSTRAINT call_21_pkey ON call_21 IS 'who and when';
ALTER INDEX call_22_at_idx RENAME TO days_of_22;
COMMENT ON INDEX days_of_22 IS 'days';
ALTER TABLE call_22 CLUSTER ON call_22_n_idx;
