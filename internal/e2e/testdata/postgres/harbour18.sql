--- case a generated column becomes virtual
--- since 18
--- target
CREATE TABLE berth (id integer PRIMARY KEY, name text, label text GENERATED ALWAYS AS (upper(name)) STORED);
--- source
CREATE TABLE berth (id integer PRIMARY KEY, name text, label text GENERATED ALWAYS AS (upper(name)) VIRTUAL, both_of text GENERATED ALWAYS AS (name || id) VIRTUAL);
--- rows
INSERT INTO berth (id, name) VALUES (1, 'north');
--- keep SELECT id, name, label FROM berth
--- case NOT NULL has names
--- since 18
--- target
CREATE TABLE berth (id integer CONSTRAINT berth_key NOT NULL, name text NOT NULL, quay text, depth integer CONSTRAINT deep NOT NULL, beam integer);
--- source
CREATE TABLE berth (id integer CONSTRAINT berth_has_key NOT NULL, name text CONSTRAINT named NOT NULL, quay text CONSTRAINT at_quay NOT NULL, depth integer, beam integer);
ALTER TABLE berth ADD CONSTRAINT has_beam NOT NULL beam NOT VALID;
CREATE TABLE pier (id integer CONSTRAINT pier_key NOT NULL NO INHERIT, b integer NOT NULL);
--- rows
INSERT INTO berth VALUES (1, 'north', 'a', 2, NULL);
--- keep SELECT * FROM berth
--- case keys over time
--- since 18
--- target
CREATE EXTENSION btree_gist; CREATE TABLE berth (id integer, valid tstzrange, PRIMARY KEY (id, valid)); CREATE TABLE stay (id integer, berth integer, during tstzrange);
--- source
CREATE EXTENSION btree_gist; CREATE TABLE berth (id integer, valid tstzrange, PRIMARY KEY (id, valid WITHOUT OVERLAPS));
CREATE TABLE stay (id integer, berth integer, during tstzrange, FOREIGN KEY (berth, PERIOD during) REFERENCES berth (id, PERIOD valid));
--- case checks that are not enforced
--- since 18
--- target
CREATE TABLE berth (id integer PRIMARY KEY, depth integer CHECK (depth > 0), length integer, CHECK (length > 0) NOT ENFORCED);
--- source
CREATE TABLE berth (id integer PRIMARY KEY, depth integer CHECK (depth > 0) NOT ENFORCED, length integer, CHECK (length > 0));
--- rows
INSERT INTO berth VALUES (1, 2, 3);
--- keep SELECT * FROM berth
