--- case rows that are lost by permission
--- source
CREATE TABLE berth (id int PRIMARY KEY); CREATE TABLE pair (a varchar(9), b int, PRIMARY KEY (a, b));
--- target
CREATE TABLE berth (id int PRIMARY KEY, note text NOT NULL, depth double, seen timestamp(3) NULL, k enum('a','it''s'), s set('p','q')); INSERT INTO berth VALUES (1, 'it''s "mud" \\ and\nso on', 3.1, '2026-03-01 10:00:00.123', 'it''s', 'p,q'), (2, '', NULL, NULL, NULL, ''), (3, 'Ω', 0.1, NULL, 'a', NULL);
CREATE TABLE tide (id bigint PRIMARY KEY AUTO_INCREMENT, at time, raw varbinary(9), b bit(9), j json, twice int AS (2) STORED); INSERT INTO tide (at, raw, b, j) VALUES ('10:20:30', x'00ff27', b'100000001', '{"a": "b\\\\c"}'), (NULL, NULL, NULL, NULL);
CREATE TABLE pair (a varchar(9), b int, v decimal(30,10), PRIMARY KEY (a, b)); INSERT INTO pair VALUES ('x''y', 1, 12345678901234567890.0123456789);
--- keep SELECT id, hex(note), depth, seen, k, s FROM berth ORDER BY id
--- keep SELECT id, at, hex(raw), b + 0, j, twice FROM tide ORDER BY id
--- keep SELECT a, b, v FROM pair
--- case every type and odd value
--- source
CREATE TABLE keyed (id int PRIMARY KEY); CREATE TABLE bare (a varchar(9));
--- target
SET SESSION sql_mode = '';
CREATE TABLE keyed (id int PRIMARY KEY, t1 tinyint unsigned, i8 bigint unsigned, ib bigint, de decimal(65,30), f float, f2 float(7,3), dd double, b1 bit(1), b64 bit(64), da date, dt datetime(6), ts timestamp(6) NULL, ti time(6), y year, c char(9), v varchar(200) CHARACTER SET latin1, tx text, mt mediumtext CHARACTER SET utf8mb3,
  bi binary(4), vb varbinary(20), bl blob, e enum('a','it''s','') , st set('p','q''r'), j json, u uuid, i4 inet4, i6 inet6, g geometry, w text CHARACTER SET sjis);
INSERT INTO keyed VALUES (1, 255, 18446744073709551615, -9223372036854775808, 12345678901234567890.123456789012345678901234567891, 0.1, 1234.567, 0.30000000000000004, b'1', b'1111111111111111111111111111111111111111111111111111111111111111', '0000-00-00', '9999-12-31 23:59:59.999999', '2026-03-29 01:30:00.000001', '-838:59:59.999999', 2155, 'ab', 'é\r\nx', 'a\r\nb\\c\t''"\0z\Z', 'ü',
  x'00ff', x'000d0a', x'000d0aff', 'it''s', 'p,q''r', '{"a": "b\\\\c"}', '123e4567-e89b-12d3-a456-426655440000', '10.1.2.3', 'fe80::1', ST_GeomFromText('POINT(1.5 -2.25)'), x'835c835c'),
  (2, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL),
  (3, 0, 0, 0, -0.000000000000000000000000000001, 3.40282e38, -0.001, 1.7976931348623157e308, b'0', 0, '1000-01-01', '0000-00-00 00:00:00', '2038-01-19 03:14:07', '00:00:00', 0, '', '', '', '', x'', x'', x'', 'nosuch', '', '[]', NULL, '0.0.0.0', '::', NULL, ''),
  (4, 1, 1, 1, 1, 16777217, 0, 4.9e-324, NULL, 5, '2026-02-29', NULL, NULL, '12:34:56', 1999, 'x\r', '\0', '\r', NULL, NULL, NULL, NULL, '', 'p', '1', NULL, NULL, NULL, NULL, NULL);
CREATE TABLE bare (a varchar(9), v varchar(9), n int DEFAULT 5); INSERT INTO bare VALUES ('same', 'one', 1), ('same', 'two', 2), ('same', NULL, NULL), (NULL, 'three', 3), ('other', NULL, NULL);
CREATE TABLE whole (k varchar(9), v double, b blob, f float); INSERT INTO whole VALUES ('a', 0.30000000000000004, x'00', 0.1), (NULL, NULL, NULL, NULL), ('\r\n', -0.0, x'', 16777216);
--- keep SELECT id, t1, i8, ib, de, CAST(f AS DOUBLE), f2, dd, b1 + 0, b64 + 0, da, dt, ts, ti, y, hex(c), hex(v), hex(tx), hex(mt), hex(bi), hex(vb), hex(bl), e + 0, st + 0, j, u, i4, i6, hex(g), hex(w) FROM keyed ORDER BY id
--- keep SELECT a, v, n FROM bare ORDER BY a, v, n
--- keep SELECT hex(k), v, hex(b), CAST(f AS DOUBLE) FROM whole ORDER BY k
