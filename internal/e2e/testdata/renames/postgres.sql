--- case a release renames what it touches
--- target
CREATE SCHEMA office; CREATE TYPE office.mood AS ENUM ('calm', 'rough'); CREATE DOMAIN office.imo AS text CHECK (VALUE <> '');
CREATE TABLE office.ship (ident integer PRIMARY KEY, ship_name text NOT NULL, flag office.imo DEFAULT 'QH', length numeric CHECK (length > 0), CONSTRAINT known_flag CHECK (flag <> '' OR length > 1));
CREATE SEQUENCE office.visits; CREATE TABLE office.visit (id integer DEFAULT nextval('office.visits') PRIMARY KEY, ship_ident integer REFERENCES office.ship (ident) ON DELETE CASCADE, sea office.mood DEFAULT 'calm', days numeric GENERATED ALWAYS AS (ship_ident * 2) STORED, CONSTRAINT once UNIQUE (ship_ident, sea));
CREATE INDEX visit_by_ship ON office.visit (ship_ident DESC, lower(days::text)) WHERE sea <> 'rough';
CREATE FUNCTION office.is_calm(m office.mood) RETURNS boolean LANGUAGE sql IMMUTABLE RETURN m = 'calm'::office.mood;
CREATE FUNCTION office.longest() RETURNS numeric LANGUAGE sql STABLE AS $$ SELECT max(length) FROM office.ship $$;
CREATE VIEW office.long_ones AS SELECT s.ident AS n, s.ship_name AS t, v.sea AS st FROM office.ship s JOIN office.visit v ON v.ship_ident = s.ident WHERE s.length > 100 AND office.is_calm(v.sea);
CREATE FUNCTION office.seen() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN UPDATE office.ship SET flag = 'seen' WHERE ident = NEW.ship_ident; RETURN NEW; END $$;
CREATE TRIGGER on_visit AFTER INSERT OR UPDATE OF ship_ident ON office.visit FOR EACH ROW WHEN (NEW.ship_ident > 0) EXECUTE FUNCTION office.seen();
ALTER TABLE office.visit ENABLE ROW LEVEL SECURITY; CREATE POLICY calm ON office.visit USING (sea = 'calm'::office.mood AND ship_ident IN (SELECT ident AS n FROM office.ship));
GRANT SELECT, UPDATE (ship_name) ON office.ship TO pg_monitor; GRANT SELECT ON office.long_ones TO pg_monitor; GRANT EXECUTE ON FUNCTION office.longest() TO pg_monitor; GRANT USAGE ON SCHEMA office TO pg_monitor;
INSERT INTO office.ship VALUES (1, 'Heron', 'QH', 120), (2, 'Tern', 'XX', 20); INSERT INTO office.visit (ship_ident, sea) VALUES (1, 'calm'), (2, 'rough');
--- source
CREATE SCHEMA harbour; CREATE TYPE harbour.weather AS ENUM ('calm', 'rough'); CREATE DOMAIN harbour.hull AS text CHECK (VALUE <> '');
CREATE TABLE harbour.vessel (id integer PRIMARY KEY, name text NOT NULL, flag harbour.hull DEFAULT 'QH', metres numeric CHECK (metres > 0), CONSTRAINT known_flag CHECK (flag <> '' OR metres > 1));
CREATE SEQUENCE harbour.calls; CREATE TABLE harbour.port_call (id integer DEFAULT nextval('harbour.calls') PRIMARY KEY, vessel_id integer REFERENCES harbour.vessel (id) ON DELETE CASCADE, sea harbour.weather DEFAULT 'calm', days numeric GENERATED ALWAYS AS (vessel_id * 2) STORED, CONSTRAINT once UNIQUE (vessel_id, sea));
CREATE INDEX visit_by_ship ON harbour.port_call (vessel_id DESC, lower(days::text)) WHERE sea <> 'rough';
CREATE FUNCTION harbour.calm(m harbour.weather) RETURNS boolean LANGUAGE sql IMMUTABLE RETURN m = 'calm'::harbour.weather;
CREATE FUNCTION harbour.longest() RETURNS numeric LANGUAGE sql STABLE AS $$ SELECT max(metres) FROM harbour.vessel $$;
CREATE VIEW harbour.long_ones AS SELECT s.id AS n, s.name AS t, v.sea AS st FROM harbour.vessel s JOIN harbour.port_call v ON v.vessel_id = s.id WHERE s.metres > 100 AND harbour.calm(v.sea);
CREATE FUNCTION harbour.seen() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN UPDATE harbour.vessel SET flag = 'seen' WHERE id = NEW.vessel_id; RETURN NEW; END $$;
CREATE TRIGGER on_visit AFTER INSERT OR UPDATE OF vessel_id ON harbour.port_call FOR EACH ROW WHEN (NEW.vessel_id > 0) EXECUTE FUNCTION harbour.seen();
ALTER TABLE harbour.port_call ENABLE ROW LEVEL SECURITY; CREATE POLICY calm ON harbour.port_call USING (sea = 'calm'::harbour.weather AND vessel_id IN (SELECT id AS n FROM harbour.vessel));
GRANT SELECT, UPDATE (name) ON harbour.vessel TO pg_monitor; GRANT SELECT ON harbour.long_ones TO pg_monitor; GRANT EXECUTE ON FUNCTION harbour.longest() TO pg_monitor; GRANT USAGE ON SCHEMA harbour TO pg_monitor;
--- says schema:office=harbour
--- says enum:office.mood=weather
--- says domain:office.imo=hull
--- says table:office.ship=vessel
--- says table:office.visit=port_call
--- says sequence:office.visits=calls
--- says routine:office.is_calm=calm
--- says column:office.ship.ident=id
--- says column:office.ship.ship_name=name
--- says column:office.ship.length=metres
--- says column:office.visit.ship_ident=vessel_id
--- keep SELECT name, metres FROM harbour.vessel ORDER BY id
--- keep SELECT id, sea FROM harbour.port_call ORDER BY id
--- case two swap their names
--- target
CREATE TABLE berth (id integer PRIMARY KEY, depth real, beam real); CREATE TABLE quay (code text PRIMARY KEY); CREATE VIEW pairs AS SELECT b.depth AS d, q.code AS c FROM berth b, quay q;
INSERT INTO berth VALUES (1, 9.5, 20); INSERT INTO quay VALUES ('A');
--- source
CREATE TABLE quay (id integer, depth real, beam real, CONSTRAINT berth_pkey PRIMARY KEY (id)); CREATE TABLE berth (code text, CONSTRAINT quay_pkey PRIMARY KEY (code)); ALTER TABLE quay RENAME depth TO x; ALTER TABLE quay RENAME beam TO depth; ALTER TABLE quay RENAME x TO beam; CREATE VIEW pairs AS SELECT b.beam AS d, q.code AS c FROM quay b, berth q;
--- says table:public.berth=quay
--- says table:public.quay=berth
--- says column:public.berth.depth=beam
--- says column:public.berth.beam=depth
--- keep SELECT beam, depth FROM quay
--- keep SELECT code FROM berth
--- case renamed and retyped in one go
--- exit 1
--- target
CREATE TABLE ship (ident int PRIMARY KEY, name varchar(20) CONSTRAINT one_name UNIQUE, tons varchar(9) CONSTRAINT heavy CHECK (tons <> ''), gone text); CREATE TABLE stay (id serial PRIMARY KEY, ship int CONSTRAINT of_ship REFERENCES ship (ident), note text); CREATE INDEX by_ship ON stay (ship);
CREATE FUNCTION dues(d int) RETURNS int LANGUAGE sql AS 'SELECT d * 2'; CREATE FUNCTION seen() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END'; CREATE TRIGGER on_stay BEFORE INSERT ON stay FOR EACH ROW EXECUTE FUNCTION seen(); CREATE POLICY own ON stay USING (ship > 0); CREATE RULE r1 AS ON DELETE TO stay DO INSTEAD NOTHING;
CREATE VIEW ships AS SELECT ident, name FROM ship; CREATE MATERIALIZED VIEW heavy_ones AS SELECT ident FROM ship WHERE tons > '1';
INSERT INTO ship VALUES (1, 'Heron', '120', 'x'), (2, 'Tern', '20', NULL); INSERT INTO stay VALUES (1, 1, NULL);
--- source
CREATE TABLE vessel (id bigint CONSTRAINT vessel_key PRIMARY KEY, title varchar(40) NOT NULL CONSTRAINT one_title UNIQUE, tonnage int CONSTRAINT weighs CHECK (tonnage > 0)); CREATE TABLE stay (id serial PRIMARY KEY, vessel_id bigint CONSTRAINT of_vessel REFERENCES vessel (id) ON DELETE CASCADE, note text); CREATE INDEX by_vessel ON stay (vessel_id, id);
CREATE FUNCTION charges(d int) RETURNS int LANGUAGE sql AS 'SELECT d * 2'; CREATE FUNCTION noted() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END'; CREATE TRIGGER before_stay BEFORE INSERT ON stay FOR EACH ROW EXECUTE FUNCTION noted(); CREATE POLICY mine ON stay USING (vessel_id > 0); CREATE RULE r2 AS ON DELETE TO stay DO INSTEAD NOTHING;
CREATE VIEW vessels AS SELECT id, title FROM vessel; CREATE MATERIALIZED VIEW big_ones AS SELECT id FROM vessel WHERE tonnage > 1;
--- says table:ship=vessel
--- says column:ship.ident=id
--- says column:ship.name=title
--- says column:ship.tons=tonnage
--- says column:stay.ship=vessel_id
--- says index:stay.by_ship=by_vessel
--- says unique:ship.one_name=one_title
--- says check:ship.heavy=weighs
--- says primary-key:ship.ship_pkey=vessel_key
--- says foreign-key:stay.of_ship=of_vessel
--- says routine:dues=charges
--- says routine:seen=noted
--- says trigger:stay.on_stay=before_stay
--- says policy:stay.own=mine
--- says rule:stay.r1=r2
--- says view:ships=vessels
--- says materialized-view:heavy_ones=big_ones
--- keep SELECT title, tonnage FROM vessel ORDER BY id
--- keep SELECT vessel_id FROM stay
--- case what is in a table and nothing else
--- target
CREATE TABLE stay (id int PRIMARY KEY, ship int CHECK (ship > 0), note text); CREATE INDEX by_ship ON stay (ship); CREATE FUNCTION seen() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END'; CREATE TRIGGER on_stay BEFORE INSERT ON stay FOR EACH ROW WHEN (NEW.ship > 0) EXECUTE FUNCTION seen(); COMMENT ON TRIGGER on_stay ON stay IS 'x'; ALTER TABLE stay DISABLE TRIGGER on_stay; CREATE POLICY own ON stay USING (ship > 0); CREATE RULE "odd rule" AS ON DELETE TO stay WHERE OLD.ship > 1 DO INSTEAD NOTHING; INSERT INTO stay VALUES (1, 1);
--- source
CREATE TABLE stay (id int PRIMARY KEY, vessel int CONSTRAINT stay_ship_check CHECK (vessel > 0), note text); CREATE INDEX by_vessel ON stay (vessel); CREATE FUNCTION seen() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END'; CREATE TRIGGER "before" BEFORE INSERT ON stay FOR EACH ROW WHEN (NEW.vessel > 0) EXECUTE FUNCTION seen(); COMMENT ON TRIGGER "before" ON stay IS 'x'; ALTER TABLE stay DISABLE TRIGGER "before"; CREATE POLICY mine ON stay USING (vessel > 0); CREATE RULE even AS ON DELETE TO stay WHERE OLD.vessel > 1 DO INSTEAD NOTHING;
--- says column:stay.ship=vessel
--- says index:stay.by_ship=by_vessel
--- says trigger:stay.on_stay=before
--- says policy:stay.own=mine
--- says rule:stay."odd rule"=even
--- keep SELECT vessel FROM stay
--- case values of an enum
--- target
CREATE SCHEMA office; CREATE TYPE office.mood AS ENUM ('calm', 'it''s rough'); CREATE TABLE call (id int PRIMARY KEY, sea office.mood DEFAULT 'calm' CHECK (sea <> 'it''s rough'), seas office.mood[] DEFAULT '{calm}'); CREATE INDEX calm_ones ON call (id) WHERE sea = 'calm'; CREATE VIEW calms AS SELECT id AS n, 'calm'::text AS t FROM call WHERE sea = 'calm'; CREATE POLICY own ON call USING (sea = 'calm');
INSERT INTO call VALUES (1, 'calm');
--- source
CREATE SCHEMA office; CREATE TYPE office.mood AS ENUM ('quiet', 'wild'); CREATE TABLE call (id int PRIMARY KEY, sea office.mood DEFAULT 'quiet' CHECK (sea <> 'wild'), seas office.mood[] DEFAULT '{quiet}'); CREATE INDEX calm_ones ON call (id) WHERE sea = 'quiet'; CREATE VIEW calms AS SELECT id AS n, 'calm'::text AS t FROM call WHERE sea = 'quiet'; CREATE POLICY own ON call USING (sea = 'quiet');
--- exit 1
--- says value:office.mood.calm=quiet
--- says value:mood."it's rough"=wild
--- keep SELECT id FROM call WHERE sea = 'quiet'
--- case columns called like types, in capitals, and in other letters
--- target
CREATE TABLE log (id int PRIMARY KEY, "timestamp" bigint DEFAULT 0, made_at timestamp DEFAULT '2026-01-01'::timestamp without time zone, "Version" int NOT NULL CHECK ("Version" > 0), "time" time, CHECK (made_at > '2020-01-01'::timestamp)); CREATE INDEX by_version ON log ("Version", "timestamp"); CREATE FUNCTION latest() RETURNS bigint LANGUAGE plpgsql AS $$ BEGIN RETURN (SELECT max(ID) FROM Log WHERE Made_At > CAST('2020-01-01' AS timestamp)); END $$;
INSERT INTO log VALUES (1, 7, '2026-02-02', 3, '10:00');
--- source
CREATE TABLE log (id int PRIMARY KEY, stamp bigint DEFAULT 0, made_at timestamp DEFAULT '2026-01-01'::timestamp without time zone, edition int NOT NULL CONSTRAINT "log_Version_check" CHECK (edition > 0), "Clock" time, CHECK (made_at > '2020-01-01'::timestamp)); CREATE INDEX by_version ON log (edition, stamp); CREATE FUNCTION latest() RETURNS bigint LANGUAGE plpgsql AS $$ BEGIN RETURN (SELECT max(ID) FROM Log WHERE Made_At > CAST('2020-01-01' AS timestamp)); END $$;
--- says column:log.timestamp=stamp
--- says column:log.Version=edition
--- says column:log.time=Clock
--- keep SELECT stamp, edition FROM log
