--- case column goes that partitions
--- target
CREATE TABLE tide (id int, y int, v int) PARTITION BY RANGE (y) (PARTITION a VALUES LESS THAN (10), PARTITION b VALUES LESS THAN MAXVALUE);
CREATE TABLE visit (id int, y int, v int) PARTITION BY RANGE (y) (PARTITION a VALUES LESS THAN (10), PARTITION b VALUES LESS THAN MAXVALUE);
--- source
CREATE TABLE tide (id int, v int);
CREATE TABLE visit (id int, v int) PARTITION BY HASH (v) PARTITIONS 3;
--- rows
INSERT INTO tide VALUES (1, 5, 1);
INSERT INTO visit VALUES (1, 5, 1);
--- loss
--- keep SELECT id, v FROM visit
--- case window of ranges moves on
--- target
CREATE TABLE tide (id int, y int) PARTITION BY RANGE (y) (PARTITION p20 VALUES LESS THAN (2021), PARTITION p21 VALUES LESS THAN (2022));
--- source
CREATE TABLE tide (id int, y int) PARTITION BY RANGE (y) (PARTITION p21 VALUES LESS THAN (2022), PARTITION p22 VALUES LESS THAN (2023));
--- rows
INSERT INTO tide VALUES (1, 2020), (2, 2021);
--- keep SELECT id FROM tide ORDER BY id
--- case partitions go with their rows
--- target
CREATE TABLE tide (id int, y int) PARTITION BY RANGE (y) (PARTITION p20 VALUES LESS THAN (2021), PARTITION p21 VALUES LESS THAN (2022));
CREATE TABLE visit (id int, y int) PARTITION BY LIST (y) (PARTITION a VALUES IN (1, 2), PARTITION b VALUES IN (3));
--- source
CREATE TABLE tide (id int, y int) PARTITION BY RANGE (y) (PARTITION p20 VALUES LESS THAN (2021));
CREATE TABLE visit (id int, y int) PARTITION BY LIST (y) (PARTITION a VALUES IN (1, 2));
--- rows
INSERT INTO tide VALUES (1, 2020), (2, 2021);
INSERT INTO visit VALUES (1, 1), (2, 3);
--- loss
--- keep SELECT id FROM tide WHERE y = 2020
--- case history stays
--- target
CREATE TABLE tide (id int PRIMARY KEY, a varchar(10)) WITH SYSTEM VERSIONING;
--- source
CREATE TABLE tide (id int PRIMARY KEY, a varchar(20) DEFAULT 'x', b int) WITH SYSTEM VERSIONING;
--- rows
INSERT INTO tide VALUES (1, 'x');
UPDATE tide SET a = 'y';
--- keep SELECT count(*) FROM tide FOR SYSTEM_TIME ALL
--- case index is ignored, key only named, keys of a table that was compressed
--- common
CREATE TABLE pilot (id int PRIMARY KEY);
--- target
CREATE TABLE visit (id int PRIMARY KEY, p int, KEY kp (p), KEY k2 (p, id), CONSTRAINT f FOREIGN KEY (p) REFERENCES pilot (id));
CREATE TABLE tide (id int PRIMARY KEY, a int, KEY ka (a)) ENGINE=InnoDB ROW_FORMAT=COMPRESSED KEY_BLOCK_SIZE=8;
CREATE SEQUENCE s START WITH 1 INCREMENT BY 1 MINVALUE 1 MAXVALUE 1000;
--- source
CREATE TABLE visit (id int PRIMARY KEY, p int, KEY kp (p), KEY k2 (p, id) IGNORED, CONSTRAINT g FOREIGN KEY (p) REFERENCES pilot (id));
CREATE TABLE tide (id int PRIMARY KEY, a int, KEY ka (a)) ENGINE=MyISAM CHECKSUM=1;
CREATE SEQUENCE s START WITH -5 INCREMENT BY -2 MINVALUE -1000 MAXVALUE -1 NOCACHE CYCLE;
--- case display widths and counters in comments
--- target
CREATE TABLE visit (id int PRIMARY KEY COMMENT 'begins with AUTO_INCREMENT=100', n int(4), m int(10) unsigned, b bigint, y tinyint(2));
--- source
CREATE TABLE visit (id int PRIMARY KEY COMMENT 'begins with AUTO_INCREMENT=200', n int, m int(11) unsigned, b bigint(21) NOT NULL DEFAULT 3, y tinyint(1));
--- case one permitted loss, all else strictly
--- about what is cut by permission is cut alone: digits, letters and NULLs beside it stay or stop the script
--- target
CREATE TABLE visit (id int PRIMARY KEY, note varchar(40), dues decimal(10, 4), name varchar(20), kind varchar(10), at datetime, slot timestamp NULL) CHARSET=utf8mb4;
--- source
CREATE TABLE visit (id int PRIMARY KEY, note varchar(4), dues decimal(12, 4), name char(20), kind enum('tanker', 'ferry'), at timestamp NULL, slot datetime) CHARSET=utf8mb4;
--- rows
INSERT INTO visit VALUES (1, 'too long to keep', 1.2345, 'Anna', 'ferry', '2024-07-01 12:00:00', '2024-07-01 12:00:00'), (2, NULL, NULL, '🚤', 'tanker', NULL, NULL);
--- loss
--- keep SELECT id, dues, name, kind, at, slot FROM visit ORDER BY id
--- case computed otherwise, and no longer, under indexes
--- target
CREATE TABLE visit (id int PRIMARY KEY, a int, v int AS (a + 1) VIRTUAL, w int AS (a + 2) VIRTUAL, s int AS (a + 3) STORED, p int, KEY kv (v), KEY kw (w, a), UNIQUE KEY ks (s), KEY kp (p));
--- source
CREATE TABLE visit (id int PRIMARY KEY, a int, v int AS (a + 5) VIRTUAL, w int, s int AS (a + 4) STORED, p int AS (a * 2) VIRTUAL, KEY kv (v), KEY kw (w, a), UNIQUE KEY ks (s), KEY kp (p));
--- rows
INSERT INTO visit (id, a) VALUES (1, 4);
--- loss
--- keep SELECT a FROM visit
--- case an index that the server added for a key, and keys that could do its work
--- target
CREATE TABLE berth (id INT PRIMARY KEY);
CREATE TABLE stay (id INT PRIMARY KEY, berth INT, since INT, CONSTRAINT at_berth FOREIGN KEY (berth) REFERENCES berth (id));
CREATE TABLE crane (id INT PRIMARY KEY, berth INT, reach INT, CONSTRAINT crane_berth FOREIGN KEY (berth) REFERENCES berth (id));
--- source
CREATE TABLE berth (id INT PRIMARY KEY);
CREATE TABLE stay (id INT PRIMARY KEY, berth INT, since INT, KEY at_berth (berth), UNIQUE KEY once (berth, since), CONSTRAINT at_berth FOREIGN KEY (berth) REFERENCES berth (id));
CREATE TABLE crane (id INT, berth INT NOT NULL DEFAULT 0, reach BIGINT NOT NULL DEFAULT 7, note TEXT, KEY crane_berth (berth), PRIMARY KEY (berth, id), UNIQUE KEY noted (note), CONSTRAINT crane_berth FOREIGN KEY (berth) REFERENCES berth (id));
--- rows
INSERT INTO berth VALUES (1), (2); INSERT INTO stay VALUES (1, 1, 3), (2, 2, NULL); INSERT INTO crane VALUES (1, 1, NULL), (2, 2, 40);
--- keep SELECT id, berth, since FROM stay ORDER BY id
--- keep SELECT id, berth FROM crane ORDER BY id
--- case foreign keys of tables with a unique key on long texts
--- target
CREATE TABLE berth (id INT PRIMARY KEY);
CREATE TABLE stay (id INT PRIMARY KEY, berth INT, note TEXT, UNIQUE KEY noted (note), CONSTRAINT at_berth FOREIGN KEY (berth) REFERENCES berth (id));
CREATE TABLE crane (id INT PRIMARY KEY, berth INT, note TEXT, UNIQUE KEY noted (note), CONSTRAINT crane_berth FOREIGN KEY (berth) REFERENCES berth (id));
CREATE TABLE pilot (id INT PRIMARY KEY, berth INT, note TEXT, UNIQUE KEY noted (note), KEY crane_berth (berth));
--- source
CREATE TABLE berth (id INT PRIMARY KEY);
CREATE TABLE stay (id INT PRIMARY KEY, berth INT, note TEXT, UNIQUE KEY noted (note), CONSTRAINT beside FOREIGN KEY (berth) REFERENCES berth (id));
CREATE TABLE crane (id INT PRIMARY KEY, berth INT, note TEXT, UNIQUE KEY noted (note), KEY crane_berth (berth), seen INT AS (berth + 1) VIRTUAL, KEY seen (seen));
CREATE TABLE pilot (id INT PRIMARY KEY, berth INT, note TEXT, KEY crane_berth (berth), CONSTRAINT crane_berth FOREIGN KEY (berth) REFERENCES berth (id));
--- rows
INSERT INTO berth VALUES (1), (2); INSERT INTO stay VALUES (1, 1, 'a'), (2, 2, NULL); INSERT INTO crane SELECT * FROM stay; INSERT INTO pilot SELECT * FROM stay;
--- keep SELECT id, berth, note FROM stay UNION ALL SELECT id, berth, note FROM crane UNION ALL SELECT * FROM pilot ORDER BY id
