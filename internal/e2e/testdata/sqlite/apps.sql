--- case statistics of a rebuilt table
--- target
CREATE TABLE t (a, b); CREATE INDEX ti ON t (a); CREATE INDEX tj ON t (b); CREATE TABLE u (x); CREATE INDEX ux ON u (x);
--- source
CREATE TABLE t (a NOT NULL, b); CREATE INDEX ti ON t (a); CREATE INDEX tj ON t (b); CREATE TABLE u (x); CREATE INDEX ux ON u (x);
--- rows
INSERT INTO t VALUES (1, 2), (2, 3); INSERT INTO u VALUES (1); ANALYZE;
--- keep SELECT tbl, idx, stat FROM sqlite_stat1 ORDER BY 1, 2
--- case a check that names its own table, beside a broken view
--- target
CREATE VIEW broken AS SELECT * FROM gone; CREATE TABLE berth (depth INT, name TEXT);
--- source
CREATE VIEW broken AS SELECT * FROM gone; CREATE TABLE berth (depth INT CHECK (berth.depth > 0 AND "berth" . name <> ''), name TEXT);
--- rows
INSERT INTO berth VALUES (9, 'North');
--- keep SELECT * FROM berth
--- case a key to a view is no key
--- target
CREATE VIEW pv AS SELECT 1 AS id; CREATE TABLE c (a INT REFERENCES pv (id), b TEXT);
--- source
CREATE VIEW pv AS SELECT 1 AS id; CREATE TABLE c (a INT REFERENCES pv (id), b TEXT NOT NULL);
--- rows
INSERT INTO c VALUES (1, 'x');
--- keep SELECT * FROM c
--- case ON INSERT means nothing
--- target
CREATE TABLE q (id INTEGER PRIMARY KEY); CREATE TABLE t (a INT REFERENCES q (id) ON INSERT CASCADE ON DELETE CASCADE);
--- source
CREATE TABLE q (id INTEGER PRIMARY KEY); CREATE TABLE t (a INT REFERENCES q (id) ON DELETE CASCADE, b INT);
--- case columns that ADD COLUMN can add
--- target
CREATE TABLE q (id INTEGER PRIMARY KEY); CREATE TABLE t (id INTEGER PRIMARY KEY, lo INT);
--- source
CREATE TABLE q (id INTEGER PRIMARY KEY); CREATE TABLE t (id INTEGER PRIMARY KEY, lo INT, n INTEGER NOT NULL DEFAULT (0), m REAL DEFAULT ((-1.5)), q_id INT DEFAULT 1 REFERENCES q (id), hi INT CHECK (hi IS NULL OR hi >= lo), g INT NOT NULL AS (lo + 1));
--- rows
INSERT INTO q VALUES (1); INSERT INTO t VALUES (1, 5);
--- keep SELECT id, lo FROM t
--- says ALTER TABLE t ADD COLUMN n
--- says ALTER TABLE t ADD COLUMN g
--- case the settings of a full-text table
--- target
CREATE VIRTUAL TABLE log USING fts5 (title, body);
--- source
CREATE VIRTUAL TABLE log USING fts5 (title, body, tag);
--- rows
INSERT INTO log (log, rank) VALUES ('pgsz', 128), ('rank', 'bm25(10.0, 5.0)'); INSERT INTO log (rowid, title, body) VALUES (7, 'Fog', 'horns');
--- keep SELECT k, v FROM log_config WHERE k <> 'version' ORDER BY 1
--- keep SELECT rowid, title FROM log WHERE log MATCH 'horns'
--- case the settings of a full-text table over another
--- target
CREATE TABLE note (id INTEGER PRIMARY KEY, title TEXT, body TEXT); CREATE VIRTUAL TABLE log USING fts5 (title, body, content='note', content_rowid='id');
--- source
CREATE TABLE note (id INTEGER PRIMARY KEY, title TEXT, body TEXT); CREATE VIRTUAL TABLE log USING fts5 (title, body, content='note', content_rowid='id', tokenize='porter');
--- rows
INSERT INTO log (log, rank) VALUES ('automerge', 2); INSERT INTO note VALUES (7, 'Fog', 'horns'); INSERT INTO log (log) VALUES ('rebuild');
--- keep SELECT k, v FROM log_config WHERE k <> 'version'
--- keep SELECT rowid FROM log WHERE log MATCH 'fog'
--- case conflict clauses come and go over rows that fit
--- loss
--- target
CREATE TABLE t (id INTEGER PRIMARY KEY, k TEXT, n TEXT);
--- source
CREATE TABLE t (id INTEGER PRIMARY KEY ON CONFLICT REPLACE, k TEXT UNIQUE ON CONFLICT REPLACE, n TEXT NOT NULL ON CONFLICT IGNORE, UNIQUE (k, n) ON CONFLICT ROLLBACK);
--- rows
INSERT INTO t VALUES (1, 'a', 'x'), (2, 'b', 'y');
--- keep SELECT id, k, n FROM t
--- case a conflict clause that would drop rows
--- loss
--- target
CREATE TABLE t (id INTEGER PRIMARY KEY, k TEXT);
--- source
CREATE TABLE t (id INTEGER PRIMARY KEY, k TEXT UNIQUE ON CONFLICT REPLACE);
--- rows
INSERT INTO t VALUES (1, 'a'), (2, 'a');
--- keep /* held */ SELECT count(*) FROM t
--- case STRICT goes, and ANY is a word like others
--- loss
--- target
CREATE TABLE t (id INTEGER PRIMARY KEY, v ANY) STRICT;
--- source
CREATE TABLE t (id INTEGER PRIMARY KEY, v ANY);
--- rows
INSERT INTO t VALUES (1, '007'), (2, 7);
--- keep /* held */ SELECT v FROM t
