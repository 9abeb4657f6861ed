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
--- case every type and odd value
--- source
CREATE TYPE mood AS ENUM ('it''s', 'b\c'); CREATE TYPE spot AS (x int, y text); CREATE DOMAIN short AS varchar(9);
CREATE TABLE keyed (id int PRIMARY KEY); CREATE TABLE bare (a text);
--- target
CREATE TYPE mood AS ENUM ('it''s', 'b\c'); CREATE TYPE spot AS (x int, y text); CREATE DOMAIN short AS varchar(9);
CREATE TABLE keyed (id int PRIMARY KEY, b bool, i2 smallint, i8 bigint, n numeric, n2 numeric(20,5), f4 real, f8 double precision, m money, t text, v varchar(20), c char(5), "char" "char", na name, by bytea, d date, ti time(3), tz timetz, ts timestamp, tsz timestamptz, iv interval,
  u uuid, j json, jb jsonb, x xml, bi bit(9), vb bit varying, i4 inet, ci cidr, ma macaddr, p point, bx box, po polygon, ir int4range, tr tstzrange, mr int4multirange, a int[], ta text[], mo mood, sp spot, sh short, tv tsvector, ls pg_lsn, o oid);
INSERT INTO keyed VALUES (1, true, -32768, 9223372036854775807, 'NaN', 123456789012345.67891, 'NaN', '-Infinity', '$12.34', E'a\r\nb\\c\t''"', 'x', 'ab', 'q', 'na me', '\x000d0aff', '4713-01-01 BC', '23:59:59.999', '12:00:00+05:30', '294276-12-31', 'infinity', '-1 year 2 mons -3 days 04:05:06.789',
  'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11', '{"a":  1, "a": 2}', '{"b": "c\\d\r\n"}', '<a b="c">d</a>', B'101010101', B'1', '10.1.2.3/8', '10.0.0.0/8', '08:00:2b:01:02:03', '(0.1,-2.5)', '((0,0),(1,1))', '((0,0),(1,1),(2,0))', '[1,5)', '["2026-01-01 00:00:00+00",)', '{[1,2),[5,7)}', '{{1,NULL},{3,4}}', E'{"a\\"b",NULL,"","NULL"}', 'it''s', '(1,"a ""b"" (c)")', 'short', 'fat:1A cat:2', '16/B374D848', 4294967295),
  (3, false, 0, 0, 0.1, -0.00001, 0.1, 0.1, '-$0.01', '', '', '', '', '', '', 'infinity', '24:00:00', '00:00:00-15:59', '-infinity', '2026-03-29 01:30:00+00', '0', NULL, 'null', 'null', NULL, B'000000000', B'', '::1', '::/0', NULL, NULL, NULL, NULL, 'empty', 'empty', '{}', '{}', '{}', E'b\\c', '(,)', '', '', '0/0', 0);
INSERT INTO keyed (id) VALUES (2);
INSERT INTO keyed (id, f4, f8, n) VALUES (4, 3.4028235e38, 1.7976931348623157e308, 1e-40), (5, 1.17549435e-38, 4.9e-324, 12345678901234567890123456789.0123456789);
CREATE TABLE bare (a text, v text, n int DEFAULT 5); INSERT INTO bare VALUES ('same', 'one', 1), ('same', 'two', 2), ('same', NULL, NULL), (NULL, 'three', 3), ('other', NULL, NULL);
CREATE TABLE whole (k text, v double precision, b bytea); INSERT INTO whole VALUES ('a', 0.30000000000000004, '\x00'), (NULL, NULL, NULL), (E'\r\n', '-0', '\x');
--- keep SELECT k::text FROM keyed k ORDER BY id
--- keep SELECT b::text FROM bare b ORDER BY a, v, n
--- keep SELECT w::text FROM whole w ORDER BY k
