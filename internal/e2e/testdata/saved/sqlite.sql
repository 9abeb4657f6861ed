--- case rows that are lost by permission
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY);
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY, note TEXT NOT NULL, depth REAL); INSERT INTO berth VALUES (1, 'it''s "mud" \ and
so on', 3.1), (2, '', NULL), (3, 'Ω', 0.1);
CREATE TABLE tide (at TEXT, raw BLOB, n INTEGER); INSERT INTO tide VALUES ('noon', x'00ff27', 1), (NULL, NULL, 9007199254740993);
CREATE TABLE pair (a TEXT, b INTEGER, v TEXT, PRIMARY KEY (a, b)) WITHOUT ROWID; INSERT INTO pair VALUES ('x''y', 1, 'v');
--- keep SELECT quote(id), quote(note), quote(depth) FROM berth ORDER BY id
--- keep SELECT quote(at), quote(raw), quote(n) FROM tide ORDER BY at
--- keep SELECT quote(a), quote(b), quote(v) FROM pair
--- case every storage class and odd value
--- source
CREATE TABLE free (keep TEXT); CREATE TABLE named (rowid TEXT, _rowid_ TEXT); CREATE TABLE oids (k TEXT); CREATE TABLE loose (a TEXT, b TEXT, PRIMARY KEY (a, b)); CREATE TABLE strict_one (id INTEGER PRIMARY KEY) STRICT;
--- target
CREATE TABLE free (v, keep TEXT, w REAL, i INTEGER, n NUMERIC);
INSERT INTO free (rowid, v, keep, w, i, n) VALUES (7, CAST(x'6100620d0a63' AS TEXT), 'same', 0.1, 1, 1.5), (9, x'000d0a', 'same', 1e308, -9223372036854775808, '12abc'), (11, 'a' || char(13, 10) || 'b', 'same', -0.0, 9223372036854775807, 1e-320),
  (12, NULL, 'same', 9e999, NULL, NULL), (13, 'plain''quote"', 'same', -9e999, 0, 123456789012345.678), (14, 5, 'same', 2.0, 3, 1.0), (15, 5.0, 'same', 3.3333333333333335, '7', '007'), (16, '', 'same', 1.7976931348623157e308, 8, x''), (17, CAST(x'ff00fe' AS TEXT), 'same', 4.9e-324, 9, 'x' || char(0) || 'y');
CREATE TABLE named (rowid TEXT, _rowid_ TEXT, v TEXT); INSERT INTO named VALUES ('r', 's', 'u'), ('r', 's', 'v'), (NULL, NULL, NULL); CREATE TABLE oids (oid TEXT, k TEXT); INSERT INTO oids VALUES ('x', 'y');
CREATE TABLE loose (a TEXT, b TEXT, v TEXT, PRIMARY KEY (a, b)); INSERT INTO loose VALUES (NULL, 'x', 'one'), (NULL, 'x', 'two'), ('k', 'y', 'three'), (NULL, NULL, 'four');
CREATE TABLE strict_one (id INTEGER PRIMARY KEY, x ANY, t TEXT) STRICT; INSERT INTO strict_one VALUES (1, '007', 'a'), (2, 7, NULL), (3, x'07', 'c'), (4, 7.0, 'd');
CREATE TABLE gone (a, b TEXT); INSERT INTO gone (rowid, a, b) VALUES (3, 1.1, NULL), (5, 'x' || char(0), 'y' || char(13, 10)), (8, 9007199254740993, x'0d');
CREATE VIRTUAL TABLE notes USING fts5 (title, body); INSERT INTO notes (rowid, title, body) VALUES (4, 'quay', 'deep ''water'''), (6, 'mud' || char(13, 10), NULL);
--- keep SELECT rowid, typeof(v), hex(CAST(v AS BLOB)), keep, typeof(w), printf('%!.20g', w), typeof(i), i, typeof(n), hex(CAST(n AS BLOB)) FROM free ORDER BY 1
--- keep SELECT oid, quote(rowid), quote(_rowid_), quote(v) FROM named ORDER BY 1
--- keep SELECT rowid, oid, k FROM oids
--- keep SELECT rowid, quote(a), quote(b), quote(v) FROM loose ORDER BY 1
--- keep SELECT id, typeof(x), quote(x), t FROM strict_one ORDER BY 1
--- keep SELECT rowid, typeof(a), hex(CAST(a AS BLOB)), typeof(b), hex(CAST(b AS BLOB)) FROM gone ORDER BY 1
--- keep SELECT rowid, hex(title), hex(body) FROM notes ORDER BY 1
