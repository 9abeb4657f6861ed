--- case add column in place
--- target
CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT);
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT, depth REAL DEFAULT 3.5 CHECK (depth > 0));
--- rows
INSERT INTO berth VALUES (1, 'Heron'), (7, 'Tar Steps');
--- keep SELECT id, name FROM berth ORDER BY id
--- case every limit of ADD COLUMN
--- target
CREATE TABLE p (id INTEGER PRIMARY KEY);
CREATE TABLE a (id INTEGER PRIMARY KEY); CREATE TABLE b (id INTEGER PRIMARY KEY); CREATE TABLE c (id INTEGER PRIMARY KEY);
CREATE TABLE d (id INTEGER PRIMARY KEY); CREATE TABLE e (id INTEGER PRIMARY KEY); CREATE TABLE f (id INTEGER PRIMARY KEY);
CREATE TABLE g (id INTEGER PRIMARY KEY, x INTEGER);
--- source
CREATE TABLE p (id INTEGER PRIMARY KEY);
CREATE TABLE a (id INTEGER PRIMARY KEY, u TEXT UNIQUE);
CREATE TABLE b (id INTEGER PRIMARY KEY, t TEXT DEFAULT CURRENT_TIMESTAMP);
CREATE TABLE c (id INTEGER PRIMARY KEY, e INTEGER DEFAULT (1 + 2));
CREATE TABLE d (id INTEGER PRIMARY KEY, s INTEGER AS (id * 2) STORED);
CREATE TABLE e (id INTEGER PRIMARY KEY, v INTEGER AS (id * 2) VIRTUAL);
CREATE TABLE f (id INTEGER PRIMARY KEY, r INTEGER DEFAULT 1 REFERENCES p (id));
CREATE TABLE g (id INTEGER PRIMARY KEY, x INTEGER, y INTEGER CHECK (y > x));
--- rows
INSERT INTO p VALUES (1); INSERT INTO a VALUES (1); INSERT INTO b VALUES (2); INSERT INTO c VALUES (3); INSERT INTO d VALUES (4);
INSERT INTO e VALUES (5); INSERT INTO f VALUES (6); INSERT INTO g VALUES (7, 8);
--- keep SELECT (SELECT id FROM a), (SELECT id FROM b), (SELECT id FROM c), (SELECT id FROM d), (SELECT id FROM e), (SELECT id FROM f), (SELECT x FROM g)
--- case every limit of DROP COLUMN
--- loss
--- target
CREATE TABLE a (id INTEGER PRIMARY KEY, x TEXT UNIQUE);
CREATE TABLE b (id INTEGER, x INTEGER, PRIMARY KEY (id, x));
CREATE TABLE c (id INTEGER PRIMARY KEY, x INTEGER, y INTEGER, CHECK (y > x));
CREATE TABLE d (id INTEGER PRIMARY KEY, x INTEGER, g INTEGER AS (x + 1));
CREATE TABLE e (id INTEGER PRIMARY KEY, x INTEGER REFERENCES a (id));
CREATE TABLE f (id INTEGER PRIMARY KEY, x INTEGER); CREATE INDEX f_x ON f (x); CREATE INDEX f_w ON f (id) WHERE x > 1;
CREATE TABLE h (id INTEGER PRIMARY KEY, x INTEGER); CREATE VIEW hv AS SELECT id, x FROM h;
CREATE TRIGGER ht AFTER UPDATE OF x ON h BEGIN SELECT 1; END;
--- source
CREATE TABLE a (id INTEGER PRIMARY KEY);
CREATE TABLE b (id INTEGER, PRIMARY KEY (id));
CREATE TABLE c (id INTEGER PRIMARY KEY, y INTEGER);
CREATE TABLE d (id INTEGER PRIMARY KEY);
CREATE TABLE e (id INTEGER PRIMARY KEY);
CREATE TABLE f (id INTEGER PRIMARY KEY);
CREATE TABLE h (id INTEGER PRIMARY KEY); CREATE VIEW hv AS SELECT id FROM h;
--- rows
INSERT INTO a VALUES (1, 'x'); INSERT INTO b VALUES (1, 2); INSERT INTO c VALUES (1, 2, 3); INSERT INTO d (id, x) VALUES (1, 2);
INSERT INTO e VALUES (1, 1); INSERT INTO f VALUES (1, 5); INSERT INTO h VALUES (1, 6);
--- keep SELECT (SELECT id FROM a), (SELECT id FROM b), (SELECT y FROM c), (SELECT id FROM d), (SELECT id FROM e), (SELECT id FROM f), (SELECT id FROM h)
--- keep /* held */ SELECT (SELECT x FROM a), (SELECT x FROM b), (SELECT x FROM c), (SELECT x FROM d), (SELECT x FROM e), (SELECT x FROM f), (SELECT x FROM h)
--- case rebuild under children keeps every row
--- target
CREATE TABLE vessel (id INTEGER PRIMARY KEY AUTOINCREMENT, name TEXT);
CREATE TABLE call (id INTEGER PRIMARY KEY, vessel_id INTEGER NOT NULL REFERENCES vessel (id) ON DELETE CASCADE);
CREATE TABLE note (call_id INTEGER REFERENCES call (id) ON DELETE SET NULL, txt TEXT);
--- source
CREATE TABLE vessel (id INTEGER PRIMARY KEY AUTOINCREMENT, name TEXT NOT NULL CHECK (length(name) < 40));
CREATE TABLE call (id INTEGER PRIMARY KEY, vessel_id INTEGER NOT NULL REFERENCES vessel (id) ON DELETE CASCADE);
CREATE TABLE note (call_id INTEGER REFERENCES call (id) ON DELETE SET NULL, txt TEXT);
--- rows
INSERT INTO vessel VALUES (3, 'Gilded Tern'), (9, 'Quiet Petrel'); DELETE FROM vessel WHERE id = 9;
INSERT INTO call VALUES (1, 3), (2, 3); INSERT INTO note VALUES (1, 'fog'), (NULL, 'x');
--- keep SELECT * FROM vessel
--- keep SELECT * FROM call ORDER BY id
--- keep SELECT rowid, * FROM note ORDER BY rowid
--- keep SELECT seq FROM sqlite_sequence WHERE name = 'vessel'
--- case orphans that were there stay
--- target
CREATE TABLE vessel (id INTEGER PRIMARY KEY, name TEXT);
CREATE TABLE call (id INTEGER PRIMARY KEY, vessel_id INTEGER REFERENCES vessel (id), at TEXT);
--- source
CREATE TABLE vessel (id INTEGER PRIMARY KEY, name TEXT);
CREATE TABLE call (id INTEGER PRIMARY KEY, vessel_id INTEGER REFERENCES vessel (id), at TEXT NOT NULL);
--- rows
INSERT INTO call VALUES (1, 99, 'noon');
--- keep SELECT * FROM call
--- case a check names its own table
--- target
CREATE TABLE tide (station TEXT, level INTEGER);
CREATE VIEW high AS SELECT station FROM tide WHERE level > 400;
CREATE TABLE seen (s TEXT);
CREATE TRIGGER watch AFTER INSERT ON seen BEGIN DELETE FROM tide WHERE station = NEW.s; END;
--- source
CREATE TABLE tide (station TEXT, level INTEGER, CHECK (tide.level < 900));
CREATE VIEW high AS SELECT station FROM tide WHERE level > 400;
CREATE TABLE seen (s TEXT);
CREATE TRIGGER watch AFTER INSERT ON seen BEGIN DELETE FROM tide WHERE station = NEW.s; END;
--- rows
INSERT INTO tide VALUES ('Mole', 410);
--- keep SELECT rowid, * FROM tide
--- keep SELECT * FROM high
--- case names that attack
--- loss
--- target
CREATE TABLE "a"";DROP TABLE x;--" ("--" TEXT, "*/" INTEGER);
CREATE TABLE x (id INTEGER PRIMARY KEY, "gone';" TEXT);
CREATE VIEW "v
two lines" AS SELECT id FROM x;
--- source
CREATE TABLE "a"";DROP TABLE x;--" ("--" TEXT NOT NULL, "*/" INTEGER, "$$" TEXT DEFAULT ''';--');
CREATE TABLE x (id INTEGER PRIMARY KEY);
CREATE TABLE "ünï ‮ code" ("select" INTEGER PRIMARY KEY, "a.b:c*" TEXT UNIQUE);
CREATE INDEX "ix
--
" ON "ünï ‮ code" ("a.b:c*");
CREATE TRIGGER "t;end;" AFTER INSERT ON x BEGIN SELECT 'END; --', "id" FROM x; END;
CREATE VIEW "[31mred" AS SELECT id FROM x;
--- rows
INSERT INTO "a"";DROP TABLE x;--" VALUES ('v', 2); INSERT INTO x VALUES (5, 'g');
--- keep SELECT "--", "*/" FROM "a"";DROP TABLE x;--"
--- keep SELECT id FROM x
--- keep /* held */ SELECT "gone';" FROM x
--- case tables become views and views tables
--- loss
--- target
CREATE TABLE one (a INTEGER); CREATE VIEW two AS SELECT a FROM one; CREATE TABLE base (a INTEGER);
--- source
CREATE TABLE base (a INTEGER); CREATE VIEW one AS SELECT a FROM base; CREATE TABLE two (a INTEGER, b TEXT); CREATE VIEW three AS SELECT b FROM two;
--- rows
INSERT INTO one VALUES (5); INSERT INTO base VALUES (6);
--- keep SELECT a FROM base
--- keep /* held */ SELECT a FROM one
--- case two tables swap their definitions
--- loss
--- target
CREATE TABLE a (x INTEGER PRIMARY KEY, only_a TEXT); CREATE TABLE b (x INTEGER PRIMARY KEY, only_b TEXT); CREATE INDEX i ON a (only_a);
--- source
CREATE TABLE b (x INTEGER PRIMARY KEY, only_a TEXT); CREATE TABLE a (x INTEGER PRIMARY KEY, only_b TEXT); CREATE INDEX i ON b (only_a);
--- rows
INSERT INTO a VALUES (1, 'a'); INSERT INTO b VALUES (2, 'b');
--- keep SELECT x FROM a
--- keep /* held */ SELECT only_a FROM a
--- case keys in a ring, dropped
--- loss
--- target
CREATE TABLE a (id INTEGER PRIMARY KEY, b INTEGER REFERENCES b (id)); CREATE TABLE b (id INTEGER PRIMARY KEY, a INTEGER REFERENCES a (id)); CREATE TABLE k (id INTEGER PRIMARY KEY);
--- source
CREATE TABLE k (id INTEGER PRIMARY KEY);
--- rows
INSERT INTO a VALUES (1, 1); INSERT INTO b VALUES (1, 1); INSERT INTO k VALUES (4);
--- keep SELECT id FROM k
--- keep /* held */ SELECT (SELECT b FROM a), (SELECT a FROM b)
--- case full text keeps its rows
--- target
CREATE VIRTUAL TABLE log USING fts5(title, body);
--- source
CREATE VIRTUAL TABLE log USING fts5(title, body, tag);
--- rows
INSERT INTO log (rowid, title, body) VALUES (12, 'Fog', 'horns all night');
--- keep SELECT rowid, title, body FROM log
--- keep SELECT rowid FROM log WHERE log MATCH 'horns'
--- case a constraint gets a name
--- target
CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER CHECK (a > 1), b TEXT UNIQUE);
--- source
CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER CONSTRAINT a_big CHECK (a > 1), b TEXT CONSTRAINT b_one UNIQUE);
--- rows
INSERT INTO t VALUES (1, 2, 'x');
--- keep SELECT * FROM t
--- case same in another spelling
--- same
--- target
CREATE TABLE t (a INTEGER PRIMARY KEY, b VARCHAR(10) DEFAULT 'x', c INTEGER NOT NULL CHECK (c <> 0), UNIQUE (b), FOREIGN KEY (c) REFERENCES u (id));
CREATE TABLE u (id INTEGER PRIMARY KEY);
CREATE VIEW v AS SELECT a, b FROM t WHERE c == 1;
--- source
create table "U" (ID integer primary key);
create table [t] (/* the key */ A integer, `b` varchar ( 10 ) default ('x') unique, -- with a default
  c integer check ((c != 0)) not null references u (id), primary key (a));
create view v as select "a", b  from t where c = 1;
--- case columns in another order are the same
--- same
--- target
CREATE TABLE t (a INTEGER PRIMARY KEY, b TEXT, c REAL);
--- source
CREATE TABLE t (a INTEGER PRIMARY KEY, c REAL, b TEXT);
--- case a trigger and an index move to another table
--- target
CREATE TABLE a (x INTEGER); CREATE TABLE b (x INTEGER); CREATE TRIGGER watch AFTER INSERT ON b BEGIN SELECT 1; END; CREATE INDEX ix ON b (x);
CREATE VIEW av AS SELECT x FROM a; CREATE TRIGGER put INSTEAD OF INSERT ON av BEGIN SELECT 2; END;
--- source
CREATE TABLE a (x INTEGER); CREATE TABLE b (x INTEGER); CREATE TRIGGER watch AFTER INSERT ON a BEGIN SELECT 1; END; CREATE INDEX ix ON a (x);
CREATE VIEW av AS SELECT x, 1 AS y FROM a; CREATE TRIGGER put INSTEAD OF INSERT ON av BEGIN SELECT 2; END;
--- rows
INSERT INTO a VALUES (1);
--- keep SELECT * FROM a
--- case a table in a write-ahead log
--- target
PRAGMA journal_mode=WAL; CREATE TABLE a (x INTEGER, y TEXT);
--- source
PRAGMA journal_mode=WAL; CREATE TABLE a (x INTEGER NOT NULL, y TEXT);
--- rows
INSERT INTO a VALUES (1, 'one');
--- keep SELECT rowid, * FROM a
--- case views on views on a changed column
--- target
CREATE TABLE t (id INTEGER PRIMARY KEY, a TEXT, b TEXT); CREATE VIEW one AS SELECT id, a FROM t; CREATE VIEW two AS SELECT a FROM one; CREATE VIEW three AS SELECT count(*) AS n FROM two;
--- source
CREATE TABLE t (id INTEGER PRIMARY KEY, a INTEGER, c TEXT DEFAULT 'x'); CREATE VIEW one AS SELECT id, c FROM t; CREATE VIEW two AS SELECT c FROM one; CREATE VIEW three AS SELECT count(*) AS n FROM two;
--- loss
--- rows
INSERT INTO t VALUES (1, '5', 'gone');
--- keep SELECT id FROM t
--- keep /* held */ SELECT a, b FROM t
