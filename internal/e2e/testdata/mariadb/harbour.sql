--- case keys at both ends of a retyped column, and a table that refers to itself
--- target
CREATE TABLE berth (id INT NOT NULL PRIMARY KEY, next_to INT, CONSTRAINT beside FOREIGN KEY (next_to) REFERENCES berth (id));
CREATE TABLE stay (id INT NOT NULL AUTO_INCREMENT PRIMARY KEY, berth_id INT NOT NULL, KEY at_berth (berth_id), CONSTRAINT stay_berth FOREIGN KEY (berth_id) REFERENCES berth (id) ON DELETE CASCADE);
--- source
CREATE TABLE berth (id BIGINT NOT NULL PRIMARY KEY, next_to BIGINT, CONSTRAINT beside FOREIGN KEY (next_to) REFERENCES berth (id));
CREATE TABLE stay (id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY, berth_id BIGINT NOT NULL, since DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3), KEY at_berth (berth_id, since), CONSTRAINT stay_berth FOREIGN KEY (berth_id) REFERENCES berth (id));
--- rows
INSERT INTO berth VALUES (1, NULL), (2, 1); INSERT INTO stay VALUES (7, 2), (9, 1);
--- keep SELECT id, berth_id FROM stay ORDER BY id
--- keep SELECT * FROM berth ORDER BY id
--- case new tables in a ring of keys, old ones go
--- loss
--- target
CREATE TABLE x (id INT PRIMARY KEY, y INT); CREATE TABLE y (id INT PRIMARY KEY, x INT, CONSTRAINT y_x FOREIGN KEY (x) REFERENCES x (id)); ALTER TABLE x ADD CONSTRAINT x_y FOREIGN KEY (y) REFERENCES y (id);
--- source
CREATE TABLE a (id INT PRIMARY KEY, b INT); CREATE TABLE b (id INT PRIMARY KEY, a INT, CONSTRAINT b_a FOREIGN KEY (a) REFERENCES a (id)); ALTER TABLE a ADD CONSTRAINT a_b FOREIGN KEY (b) REFERENCES b (id);
--- rows
INSERT INTO x VALUES (1, NULL); INSERT INTO y VALUES (1, 1);
--- keep /* held */ SELECT x FROM y
--- case columns are moved, added at every place, dropped and renamed in letters
--- loss
--- target
CREATE TABLE vessel (a INT, b VARCHAR(20), c INT, d INT, e TEXT, Name VARCHAR(10), gone INT);
--- source
CREATE TABLE vessel (n1 INT, d INT, n2 INT DEFAULT 3, a INT, b VARCHAR(300), n3 INT, c INT NOT NULL DEFAULT 0, name VARCHAR(10), e TEXT, n4 INT, n5 INT);
--- rows
INSERT INTO vessel VALUES (1, 'x', 3, 4, 'long', 'Heron', 9), (2, NULL, NULL, NULL, NULL, NULL, NULL);
--- keep SELECT a, b, d, e, name FROM vessel ORDER BY a
--- keep /* held */ SELECT gone FROM vessel WHERE a = 1
--- case enum values in place and out of place
--- loss
--- target
CREATE TABLE port_call (id INT PRIMARY KEY, state ENUM('announced', 'left') NOT NULL DEFAULT 'announced', tags SET('dry', 'wet'), kind ENUM('a', 'b', 'c'));
--- source
CREATE TABLE port_call (id INT PRIMARY KEY, state ENUM('announced', 'left', 'lost') NOT NULL DEFAULT 'announced', tags SET('dry', 'wet', 'ice'), kind ENUM('c', 'a'));
--- rows
INSERT INTO port_call VALUES (1, 'left', 'dry,wet', 'a'), (2, 'announced', NULL, 'c');
--- keep SELECT id, state, tags, kind FROM port_call ORDER BY id
--- case views on views, a function between, and letters in them
--- target
CREATE TABLE tide (id INT PRIMARY KEY, level_cm INT, note VARCHAR(40)); CREATE VIEW low AS SELECT id, level_cm FROM tide WHERE level_cm < 5; CREATE VIEW lower_still AS SELECT id FROM low;
--- source
CREATE TABLE tide (id INT PRIMARY KEY, level_cm INT, note VARCHAR(40)); CREATE FUNCTION metres(cm INT) RETURNS DECIMAL(6,2) DETERMINISTIC NO SQL RETURN cm / 100;
CREATE VIEW lower_still AS SELECT id, metres(level_cm) AS m, 'Ænd''s; \\ "x"' AS odd FROM tide; CREATE ALGORITHM=MERGE SQL SECURITY INVOKER VIEW low AS SELECT id FROM lower_still WHERE m > 1 WITH LOCAL CHECK OPTION;
--- rows
INSERT INTO tide VALUES (1, 3, 'x');
--- keep SELECT * FROM tide
--- case routines, events and triggers with semicolons and modes of their own
--- target
CREATE TABLE log (id INT AUTO_INCREMENT PRIMARY KEY, body TEXT); CREATE PROCEDURE p1() SELECT 1; CREATE PROCEDURE turned() SELECT 2;
CREATE TRIGGER second BEFORE INSERT ON log FOR EACH ROW SET NEW.body = CONCAT(NEW.body, '2'); CREATE TRIGGER third BEFORE INSERT ON log FOR EACH ROW SET NEW.body = CONCAT(NEW.body, '3');
CREATE EVENT nightly ON SCHEDULE EVERY 1 DAY STARTS '2026-01-01 02:00:00' DO DELETE FROM log WHERE id < 5;
--- source
CREATE TABLE log (id INT AUTO_INCREMENT PRIMARY KEY, body TEXT);
DELIMITER $$
CREATE PROCEDURE p1(IN a INT, OUT b TEXT) MODIFIES SQL DATA COMMENT 'it''s' BEGIN DECLARE x INT DEFAULT 1; IF a > x THEN INSERT INTO log (body) VALUES ('a;;b'); END IF; SET b = 'é'; END$$
CREATE FUNCTION turned() RETURNS VARCHAR(10) CHARSET utf8mb4 DETERMINISTIC BEGIN /* ; */ RETURN 'x'; END$$
CREATE TRIGGER first BEFORE INSERT ON log FOR EACH ROW BEGIN SET NEW.body = CONCAT(COALESCE(NEW.body, ''), '1'); END$$
DELIMITER ;
CREATE TRIGGER second BEFORE INSERT ON log FOR EACH ROW SET NEW.body = CONCAT(NEW.body, '2'); CREATE TRIGGER third BEFORE INSERT ON log FOR EACH ROW SET NEW.body = CONCAT(NEW.body, '3');
SET sql_mode = 'ANSI_QUOTES'; CREATE PROCEDURE quoting() SELECT "body" FROM log; SET sql_mode = DEFAULT;
SET time_zone = '+02:00'; CREATE EVENT nightly ON SCHEDULE EVERY 2 DAY STARTS '2026-01-01 02:00:00' ON COMPLETION PRESERVE DISABLE COMMENT 'c' DO CALL p1(1, @x);
--- rows
INSERT INTO log (body) VALUES ('a');
--- keep SELECT body FROM log
--- case character sets of a table and its columns
--- loss
--- target
CREATE TABLE pilot (id INT PRIMARY KEY, a VARCHAR(20), b TEXT, c CHAR(5) COLLATE latin1_bin, d VARCHAR(20) CHARACTER SET utf8mb4) DEFAULT CHARSET=latin1;
--- source
CREATE TABLE pilot (id INT PRIMARY KEY, a VARCHAR(20), b TEXT, c CHAR(5) COLLATE utf8mb4_bin, d VARCHAR(20) CHARACTER SET utf8mb4) DEFAULT CHARSET=utf8mb4 COMMENT='who; ''knows'' \\';
--- rows
INSERT INTO pilot VALUES (1, 'Åse', 'Ørn', 'æ', 'ø');
--- keep SELECT * FROM pilot
--- case indexes of every class, and the one under a key
--- target
CREATE TABLE p (id INT PRIMARY KEY, u INT, UNIQUE KEY pu (u)); CREATE TABLE t (id INT, a VARCHAR(50), b INT, txt TEXT, g POINT NOT NULL, KEY k (a), UNIQUE KEY u (b), CONSTRAINT f FOREIGN KEY (b) REFERENCES p (u));
--- source
CREATE TABLE p (id INT PRIMARY KEY, u INT, UNIQUE KEY pu (u, id)); CREATE TABLE t (id INT, a VARCHAR(50), b INT, txt TEXT, g POINT NOT NULL, KEY k (a(10), b DESC), KEY renamed (b), FULLTEXT KEY ft (txt) COMMENT 'words', SPATIAL KEY sp (g), KEY ign (id) IGNORED, PRIMARY KEY (id), CONSTRAINT f FOREIGN KEY (b) REFERENCES p (u) ON DELETE SET NULL);
--- rows
INSERT INTO p VALUES (1, 5); INSERT INTO t VALUES (1, 'x', 5, 'words', POINT(1, 2));
--- keep SELECT id, a, b, txt FROM t
--- case generated columns, checks, invisible ones, JSON
--- target
CREATE TABLE t (id INT PRIMARY KEY, a INT, b INT GENERATED ALWAYS AS (a + 1) VIRTUAL, c INT, j TEXT, CONSTRAINT pos CHECK (a > 0));
--- source
CREATE TABLE t (id INT PRIMARY KEY, a INT, b INT GENERATED ALWAYS AS (a + 2) STORED, c INT INVISIBLE, j JSON, n INT GENERATED ALWAYS AS (c * 2) VIRTUAL, u UUID DEFAULT UUID(), at TIMESTAMP NULL DEFAULT CURRENT_TIMESTAMP ON UPDATE CURRENT_TIMESTAMP, CONSTRAINT pos CHECK (a > 1), CONSTRAINT more CHECK (c < 100), KEY (b));
--- rows
INSERT INTO t (id, a, c, j) VALUES (1, 2, 3, '{"a": 1}');
--- keep SELECT id, a, c, j FROM t
--- case partitions come, are added, and go
--- target
CREATE TABLE a (id INT, d DATE NOT NULL, KEY (d)) PARTITION BY RANGE (YEAR(d)) (PARTITION p25 VALUES LESS THAN (2026)); CREATE TABLE b (id INT PRIMARY KEY) PARTITION BY HASH (id) PARTITIONS 3; CREATE TABLE c (id INT PRIMARY KEY, k INT NOT NULL);
--- source
CREATE TABLE a (id INT, d DATE NOT NULL, n INT, KEY (d)) PARTITION BY RANGE (YEAR(d)) (PARTITION p25 VALUES LESS THAN (2026), PARTITION p26 VALUES LESS THAN (2027) COMMENT = 'now;', PARTITION rest VALUES LESS THAN MAXVALUE);
CREATE TABLE b (id INT PRIMARY KEY); CREATE TABLE c (id INT, k INT NOT NULL, PRIMARY KEY (id, k)) PARTITION BY LIST (k) (PARTITION one VALUES IN (1), PARTITION two VALUES IN (2));
--- rows
INSERT INTO a VALUES (1, '2025-02-03'); INSERT INTO b VALUES (4), (5); INSERT INTO c VALUES (1, 1), (2, 2);
--- keep SELECT id, d FROM a
--- keep SELECT id FROM b ORDER BY 1
--- keep SELECT id, k FROM c ORDER BY 1
--- case sequences, and a default that counts by one
--- target
CREATE SEQUENCE no START WITH 5 INCREMENT BY 1; CREATE TABLE t (id INT PRIMARY KEY, a INT);
--- source
CREATE SEQUENCE no START WITH 5 INCREMENT BY 2 MAXVALUE 1000 CYCLE CACHE 5; CREATE SEQUENCE other; CREATE TABLE t (id INT PRIMARY KEY, a INT DEFAULT NEXT VALUE FOR other);
--- rows
INSERT INTO t VALUES (1, 1);
--- keep SELECT * FROM t
--- case names that could leave their quotes
--- target
CREATE TABLE `a``b; -- x` (`c'd` INT, `e"f` INT); CREATE TABLE `DELIMITER $$` (`a*/b` INT PRIMARY KEY);
--- source
CREATE TABLE `a``b; -- x` (`c'd` BIGINT, `e"f` INT, `g\\h` INT COMMENT 'a\nb', KEY `k``;` (`c'd`)); CREATE TABLE `DELIMITER $$` (`a*/b` INT PRIMARY KEY, `/* x` INT); CREATE VIEW `v;``;` AS SELECT `c'd` AS `x;y` FROM `a``b; -- x`;
--- rows
INSERT INTO `a``b; -- x` VALUES (1, 2);
--- keep SELECT `c'd`, `e"f` FROM `a``b; -- x`
--- case the same in other words
--- same
--- source
CREATE TABLE t (id INTEGER(11) NOT NULL AUTO_INCREMENT, a NUMERIC(5,2), b BOOL, c CHARACTER VARYING(10), e DOUBLE PRECISION, ts DATETIME DEFAULT NOW(), PRIMARY KEY (id), INDEX x USING BTREE (a));
INSERT INTO t (a) VALUES (1), (2);
--- target
create table `t` (`id` int auto_increment primary key, a decimal(5,2) default null, b tinyint(1), c varchar(10) null, e double, ts datetime default current_timestamp(), key x (a) using btree) auto_increment=100;
