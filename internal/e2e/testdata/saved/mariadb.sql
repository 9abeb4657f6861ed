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
