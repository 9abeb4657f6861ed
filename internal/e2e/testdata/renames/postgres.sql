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
--- says schema:harbour=schema:office
--- says enum:harbour.weather=enum:office.mood
--- says domain:harbour.hull=domain:office.imo
--- says table:harbour.vessel=table:office.ship
--- says table:harbour.port_call=table:office.visit
--- says sequence:harbour.calls=sequence:office.visits
--- says routine:harbour.calm=routine:office.is_calm
--- says column:harbour.vessel.id=column:office.ship.ident
--- says column:harbour.vessel.name=column:office.ship.ship_name
--- says column:harbour.vessel.metres=column:office.ship.length
--- says column:harbour.port_call.vessel_id=column:office.visit.ship_ident
--- keep SELECT name, metres FROM harbour.vessel ORDER BY id
--- keep SELECT id, sea FROM harbour.port_call ORDER BY id
--- case two swap their names
--- target
CREATE TABLE berth (id integer PRIMARY KEY, depth real, beam real); CREATE TABLE quay (code text PRIMARY KEY); CREATE VIEW pairs AS SELECT b.depth AS d, q.code AS c FROM berth b, quay q;
INSERT INTO berth VALUES (1, 9.5, 20); INSERT INTO quay VALUES ('A');
--- source
CREATE TABLE quay (id integer, depth real, beam real, CONSTRAINT berth_pkey PRIMARY KEY (id)); CREATE TABLE berth (code text, CONSTRAINT quay_pkey PRIMARY KEY (code)); ALTER TABLE quay RENAME depth TO x; ALTER TABLE quay RENAME beam TO depth; ALTER TABLE quay RENAME x TO beam; CREATE VIEW pairs AS SELECT b.beam AS d, q.code AS c FROM quay b, berth q;
--- says table:public.quay=table:public.berth
--- says table:public.berth=table:public.quay
--- says column:public.quay.beam=column:public.berth.depth
--- says column:public.quay.depth=column:public.berth.beam
--- keep SELECT beam, depth FROM quay
--- keep SELECT code FROM berth
