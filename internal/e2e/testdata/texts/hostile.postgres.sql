--- case a program through COPY
--- says 0 "name": "t"
CREATE TABLE t (a int);
COPY t TO PROGRAM 'touch {mark}';
--- case a program through a block
--- says 2 must be superuser
CREATE TABLE t (a int);
DO $$ BEGIN EXECUTE 'COPY t TO PROGRAM ''touch {mark}'''; END $$;
--- case a command of the client
--- says 2 not followed in a text
CREATE TABLE t (a int);
\! touch {mark}
--- case a command of the client behind a statement
--- says 2 a command of psql stands within a statement
CREATE TABLE t (a int) \gexec
--- case another file
--- says 2 give the folder that they are in
\i /etc/passwd
--- case an owner behind an expression
--- says 2 
CREATE FUNCTION evil() RETURNS int LANGUAGE plpgsql AS $$ BEGIN EXECUTE 'COPY (SELECT 1) TO PROGRAM ''touch {mark}'''; RETURN 1; END $$;
CREATE TABLE t (a text);
ALTER TABLE t ALTER a TYPE int USING evil(), OWNER TO postgres;
--- case an event trigger
--- says 0 "kind": "event-trigger"
CREATE FUNCTION evil() RETURNS event_trigger LANGUAGE plpgsql AS $$ BEGIN EXECUTE 'COPY (SELECT 1) TO PROGRAM ''touch {mark}'''; END $$;
CREATE TABLE t (a int);
CREATE EVENT TRIGGER e ON ddl_command_end EXECUTE FUNCTION evil();
CREATE EVENT TRIGGER f ON ddl_command_start EXECUTE FUNCTION evil();
COMMENT ON EVENT TRIGGER e IS 'x';
ALTER TABLE t OWNER TO postgres;
GRANT SELECT ON t TO PUBLIC;
--- case a file as a table
--- says 2 pg_read_server_files
CREATE EXTENSION file_fdw;
CREATE SERVER s FOREIGN DATA WRAPPER file_fdw;
CREATE FOREIGN TABLE p (l text) SERVER s OPTIONS (filename '/etc/passwd');
--- case another server
--- says 2 permission denied for function dblink
CREATE EXTENSION dblink;
DO $$ BEGIN PERFORM x FROM dblink('host=/nowhere user=postgres password=x', 'select 1') AS d(x text); END $$;
--- case two statements in one
--- says 0 "name": "u"
CREATE TABLE t (a int);
SELECT begin atomic; ALTER SYSTEM SET work_mem = '9MB'; end;
CREATE TABLE u (b int);
--- case the server's settings
--- says 2 may not change the server's settings
ALTER SYSTEM SET work_mem = '9MB';
--- case a program as a function
--- says 2 a function in C loads a program
CREATE FUNCTION f() RETURNS int LANGUAGE c AS '/tmp/evil.so', 'f';
--- case a subscription
--- says 2 would connect to another server
CREATE SUBSCRIPTION s CONNECTION 'host=/nowhere' PUBLICATION p;
--- case it takes back what it did
--- says 2 takes back what it did
BEGIN;
CREATE TABLE t (a int);
ROLLBACK;
--- case rights to read files
--- says 0 "name": "t"
GRANT pg_read_server_files TO PUBLIC;
CREATE TABLE t (a int);
--- case views before what they stand on
--- says 0 "name": "good_a_fkey"
CREATE VIEW v AS SELECT a, f(a) FROM good;
CREATE FUNCTION f(int) RETURNS int LANGUAGE sql AS 'SELECT a FROM good WHERE a = $1';
CREATE TABLE good (a int REFERENCES base);
CREATE TABLE base (id int PRIMARY KEY);
--- case an extension that is not here
--- says 0 has not got the extension quillhaven_tides
CREATE EXTENSION quillhaven_tides;
CREATE TABLE t (a int);
--- case what it calls is not run
--- says 0 a SELECT that calls make_partitions was not run
CREATE TABLE t (a int);
SELECT make_partitions('t');
--- case broken syntax
--- says 2 x.sql:3:3: syntax error
CREATE TABLE t (
  a int
) ) WITH;
--- case an open quote
--- says 2 x.sql:1:32: a quote opens here and does not close
CREATE TABLE t (a text DEFAULT 'x);
--- case nothing at all
--- says 0 "objects"
-- nothing
