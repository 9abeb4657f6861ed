--- case rights in the tail of a database
--- says 2 
DELIMITER //
CREATE DATABASE x CHARACTER SET utf8mb4; CREATE USER evil@'%' //
--- case two statements in one
--- says 2 
DELIMITER //
CREATE TABLE t (a int); CREATE TABLE u (b int) //
--- case somebody else's rights
--- says 0 "name": "t"
CREATE TABLE t (a int);
GRANT PROXY ON 'root'@'localhost' TO 'evil'@'%';
GRANT SELECT ON t TO root@localhost IDENTIFIED BY 'x';
GRANT FILE ON *.* TO evil@'%';
SELECT 1 INTO OUTFILE '{mark}';
--- case another engine
--- says 2 is kept elsewhere
CREATE TABLE c (a int) ENGINE=CONNECT TABLE_TYPE=CSV FILE_NAME='/etc/passwd';
--- case another engine in a comment that is code
--- says 2 is kept elsewhere
CREATE TABLE c (a int) /*!50000 ENGINE = `FEDERATED` CONNECTION='mysql://root@db/x/y' */;
--- case a file of its own
--- says 2 writes files at a place of its own
CREATE TABLE c (a int) DATA DIRECTORY = '/tmp';
--- case a program as a function
--- says 2 loads a program
CREATE FUNCTION f RETURNS STRING SONAME 'evil.so';
--- case another database
--- says 2 denied
CREATE TABLE w AS SELECT * FROM mysql.user;
--- case another file
--- says 2 give the folder that they are in
source /etc/passwd
--- case a command of the client
--- says 2 not followed in a text
system touch {mark}
--- case a plugin
--- says 2 reaches beyond the database
INSTALL SONAME 'ha_connect';
--- case settings of the server
--- says 0 "name": "t"
SET GLOBAL general_log_file = '{mark}';
SET @@GLOBAL.general_log = 1;
SET default_storage_engine = CONNECT;
CREATE TABLE t (a int);
--- case views before what they stand on
--- says 0 "name": "v"
CREATE VIEW v AS SELECT a FROM good;
CREATE TABLE good (a int, FOREIGN KEY (a) REFERENCES base (id));
CREATE TABLE base (id int PRIMARY KEY);
--- case a prepared statement
--- says 0 a prepared statement was not run
CREATE TABLE t (a int);
PREPARE s FROM 'CREATE TABLE u (a int)';
EXECUTE s;
--- case broken syntax
--- says 2 x.sql:3
CREATE TABLE t (
  a int
) ) WITH;
--- case an open comment
--- says 2 x.sql:1:25: a comment opens here and does not close
CREATE TABLE t (a int); /* x
