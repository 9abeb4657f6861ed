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
