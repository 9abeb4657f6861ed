--- case comments
--- source
CREATE TABLE berth (id int PRIMARY KEY, code varchar(9) COMMENT 'painted on the quay', depth float, KEY deep (depth) COMMENT 'for the office') COMMENT 'where ships lie';
CREATE FUNCTION rate() RETURNS int COMMENT 'agreed' RETURN 3;
--- target
CREATE TABLE berth (id int PRIMARY KEY COMMENT 'one each', code varchar(9), depth float, KEY deep (depth)) COMMENT 'berths';
CREATE FUNCTION rate() RETURNS int RETURN 3;
INSERT INTO berth VALUES (1, 'A1', 9);
--- rows
ALTER TABLE berth MODIFY code varchar(20) NOT NULL COMMENT 'painted on the quay', ADD lamp text;
--- case whitespace
--- source
DELIMITER //
CREATE FUNCTION dues(days int) RETURNS int
BEGIN
  IF days > 3 THEN RETURN days  * 2; END IF;

  RETURN days;
END//
DELIMITER ;
CREATE VIEW one AS SELECT 1 AS  a;
--- target
DELIMITER //
CREATE FUNCTION dues(days int) RETURNS int BEGIN IF days > 3 THEN RETURN days * 2; END IF; RETURN days; END//
DELIMITER ;
CREATE VIEW one AS SELECT 1 AS a;
--- rows
CREATE FUNCTION flag() RETURNS varchar(9) RETURN 'Q  H'; DROP FUNCTION dues; CREATE FUNCTION dues(days int) RETURNS int RETURN days;
--- case letter-case
--- source
CREATE TABLE tide (id int PRIMARY KEY, level float); CREATE TRIGGER on_tide BEFORE INSERT ON tide FOR EACH ROW set new.LEVEL = abs(NEW.level);
--- target
CREATE TABLE tide (id int PRIMARY KEY, level float); CREATE TRIGGER on_tide BEFORE INSERT ON tide FOR EACH ROW SET NEW.level = ABS(NEW.level);
INSERT INTO tide VALUES (1, 2);
--- rows
ALTER TABLE tide ADD lamp text; DROP TRIGGER on_tide; CREATE TRIGGER on_tide BEFORE INSERT ON tide FOR EACH ROW set new.LEVEL = abs(NEW.level) + 1;
--- case text-comments
--- source
DELIMITER //
CREATE FUNCTION rate() RETURNS int
BEGIN
  -- agreed with the pilots
  RETURN 3; # a day
END//
DELIMITER ;
--- target
DELIMITER //
CREATE FUNCTION rate() RETURNS int
BEGIN
  RETURN 3;
END//
DELIMITER ;
--- rows
DROP FUNCTION rate; CREATE FUNCTION rate() RETURNS int RETURN 4;
--- case constraint-names
--- source
CREATE TABLE berth (id int PRIMARY KEY, depth float, CONSTRAINT deep CHECK (depth > 0)); CREATE TABLE stay (id int PRIMARY KEY, berth_id int, KEY by_berth (berth_id), CONSTRAINT at_berth FOREIGN KEY (berth_id) REFERENCES berth (id));
--- target
CREATE TABLE berth (id int PRIMARY KEY, depth float, CONSTRAINT is_deep CHECK (depth > 0)); CREATE TABLE stay (id int PRIMARY KEY, berth_id int, KEY by_berth (berth_id), CONSTRAINT stay_berth FOREIGN KEY (berth_id) REFERENCES berth (id));
INSERT INTO berth VALUES (1, 9); INSERT INTO stay VALUES (1, 1);
--- rows
ALTER TABLE stay DROP FOREIGN KEY at_berth; ALTER TABLE berth MODIFY id bigint NOT NULL; ALTER TABLE stay MODIFY berth_id bigint, ADD CONSTRAINT at_berth FOREIGN KEY (berth_id) REFERENCES berth (id);
--- case index-names
--- source
CREATE TABLE berth (id int PRIMARY KEY, code varchar(9), depth float, UNIQUE KEY one_code (code), KEY deep (depth, id));
--- target
CREATE TABLE berth (id int PRIMARY KEY, code varchar(9), depth float, UNIQUE KEY berth_code (code), KEY berth_deep (depth, id));
INSERT INTO berth VALUES (1, 'A1', 9);
--- rows
ALTER TABLE berth MODIFY code varchar(20), ADD KEY three (id, depth);
--- case character-set
--- source
CREATE TABLE vessel (id int PRIMARY KEY, name varchar(20), flag char(2) CHARACTER SET ascii COLLATE ascii_general_ci) CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci;
CREATE FUNCTION flag() RETURNS varchar(9) CHARSET utf8mb4 RETURN 'QH';
--- target
CREATE TABLE vessel (id int PRIMARY KEY, name varchar(20), flag char(2)) CHARACTER SET utf8mb3 COLLATE utf8mb3_general_ci;
CREATE FUNCTION flag() RETURNS varchar(9) CHARSET latin1 RETURN 'QH';
INSERT INTO vessel VALUES (1, 'Heron', 'QH');
--- rows
ALTER TABLE vessel MODIFY name varchar(40) NOT NULL;
--- case collation
--- source
CREATE TABLE vessel (id int PRIMARY KEY, name varchar(20), flag char(2) COLLATE utf8mb4_bin) CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci;
--- target
CREATE TABLE vessel (id int PRIMARY KEY, name varchar(20), flag char(2)) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;
INSERT INTO vessel VALUES (1, 'Heron', 'QH');
--- rows
ALTER TABLE vessel MODIFY name varchar(40) NOT NULL, ADD length float;
--- case column-order
--- source
CREATE TABLE vessel (id int PRIMARY KEY, name varchar(20), flag char(2), length float);
--- target
CREATE TABLE vessel (length float, id int PRIMARY KEY, flag char(2), name varchar(20));
INSERT INTO vessel VALUES (9, 1, 'QH', 'Heron');
--- rows
ALTER TABLE vessel ADD lamp text AFTER name, MODIFY flag char(3);
--- case display-width
--- source
CREATE TABLE dues (id int(4) PRIMARY KEY, rate bigint(30));
--- target
CREATE TABLE dues (id int(11) PRIMARY KEY, rate bigint(20));
INSERT INTO dues VALUES (1, 2);
--- rows
ALTER TABLE dues MODIFY rate bigint(30) NOT NULL, ADD note text;
--- case enabled
--- source
CREATE TABLE tide (id int PRIMARY KEY, level float, KEY by_level (level) IGNORED); CREATE EVENT wipe ON SCHEDULE EVERY 1 DAY STARTS '2035-01-01 00:00:00' DISABLE DO DELETE FROM tide;
--- target
CREATE TABLE tide (id int PRIMARY KEY, level float, KEY by_level (level)); CREATE EVENT wipe ON SCHEDULE EVERY 1 DAY STARTS '2035-01-01 00:00:00' ENABLE DO DELETE FROM tide;
--- keep SELECT status FROM information_schema.events WHERE event_schema = database()
--- rows
ALTER TABLE tide ADD lamp text; ALTER EVENT wipe ON SCHEDULE EVERY 2 DAY;
--- case name-case
--- source
CREATE TABLE tide (Id int PRIMARY KEY, Level float);
--- target
CREATE TABLE tide (id int PRIMARY KEY, level float);
INSERT INTO tide VALUES (1, 2);
--- rows
ALTER TABLE tide MODIFY Level double NOT NULL;
--- case partitions
--- source
CREATE TABLE tide (id int, taken int, PRIMARY KEY (id, taken)) PARTITION BY RANGE (taken) (PARTITION a VALUES LESS THAN (10), PARTITION b VALUES LESS THAN (20));
--- target
CREATE TABLE tide (id int, taken int, PRIMARY KEY (id, taken)) PARTITION BY HASH (taken) PARTITIONS 3;
INSERT INTO tide VALUES (1, 2), (2, 40);
--- keep SELECT id FROM tide ORDER BY id
--- rows
ALTER TABLE tide ADD lamp varchar(9);
--- case sequence-options
--- source
CREATE SEQUENCE calls START 100 CACHE 5;
--- target
CREATE SEQUENCE calls INCREMENT 10 MAXVALUE 9999;
--- rows
CREATE TABLE call_log (id int PRIMARY KEY DEFAULT nextval(calls));
--- case sql-mode
--- source
SET sql_mode = 'PIPES_AS_CONCAT'; CREATE FUNCTION rate() RETURNS int RETURN 3;
--- target
CREATE FUNCTION rate() RETURNS int RETURN 3;
--- rows
SET sql_mode = 'PIPES_AS_CONCAT'; DROP FUNCTION rate; CREATE FUNCTION rate() RETURNS int RETURN 4;
--- case storage
--- source
CREATE TABLE berth (id int PRIMARY KEY, code varchar(9), KEY by_code (code) USING HASH) ENGINE=InnoDB ROW_FORMAT=COMPRESSED KEY_BLOCK_SIZE=8;
--- target
CREATE TABLE berth (id int PRIMARY KEY, code varchar(9), KEY by_code (code)) ENGINE=Aria;
INSERT INTO berth VALUES (1, 'A1');
--- rows
ALTER TABLE berth MODIFY code varchar(20) NOT NULL;
--- case trigger-order
--- source
CREATE TABLE tide (id int PRIMARY KEY, level float); CREATE TRIGGER b BEFORE INSERT ON tide FOR EACH ROW SET NEW.level = 2; CREATE TRIGGER a BEFORE INSERT ON tide FOR EACH ROW SET NEW.level = 1;
--- target
CREATE TABLE tide (id int PRIMARY KEY, level float); CREATE TRIGGER a BEFORE INSERT ON tide FOR EACH ROW SET NEW.level = 1; CREATE TRIGGER b BEFORE INSERT ON tide FOR EACH ROW SET NEW.level = 2;
--- rows
ALTER TABLE tide ADD lamp text;
--- case view-algorithm
--- source
CREATE ALGORITHM=MERGE VIEW one AS SELECT 1 AS a;
--- target
CREATE ALGORITHM=TEMPTABLE VIEW one AS SELECT 1 AS a;
--- rows
CREATE OR REPLACE ALGORITHM=MERGE VIEW one AS SELECT 1 AS a, 2 AS b;
--- case definers
--- says --include definers
--- source
CREATE DEFINER=root@localhost VIEW one AS SELECT 1 AS a;
--- target
CREATE DEFINER=`mariadb.sys`@localhost VIEW one AS SELECT 1 AS a;
--- rows
CREATE OR REPLACE DEFINER=root@localhost VIEW one AS SELECT 1 AS a, 2 AS b;
