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
