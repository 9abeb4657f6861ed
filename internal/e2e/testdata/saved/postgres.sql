--- case rows that are lost by permission
--- source
CREATE TABLE berth (id int PRIMARY KEY); CREATE TABLE pair (a text, b int, PRIMARY KEY (a, b));
--- target
CREATE TABLE berth (id int PRIMARY KEY, note text NOT NULL, depth double precision, seen timestamptz, tags text[]); INSERT INTO berth VALUES (1, E'it''s "mud" \\ and\nso on', 3.1, '2026-03-01 10:00:00.123+02', '{"a,b",NULL}'), (2, '', NULL, NULL, NULL), (3, 'Ω', 0.1, 'infinity', '{}');
CREATE TABLE tide (id bigint GENERATED ALWAYS AS IDENTITY, at interval, raw bytea, j jsonb, twice int GENERATED ALWAYS AS (2) STORED); INSERT INTO tide (at, raw, j) VALUES ('1 day 2 hours', '\x00ff27', '{"a": "b\\c"}'), (NULL, NULL, NULL);
CREATE TABLE pair (a text, b int, v numeric(30,10), PRIMARY KEY (a, b)); INSERT INTO pair VALUES ('x''y', 1, 12345678901234567890.0123456789);
--- keep SELECT b::text FROM berth b ORDER BY id
--- keep SELECT t::text FROM tide t ORDER BY id
--- keep SELECT a, b, v FROM pair
