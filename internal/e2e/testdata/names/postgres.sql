--- case a whole schema
--- says schema:dev_app=live_app
--- source
CREATE SCHEMA dev_app; CREATE TYPE dev_app.mood AS ENUM ('calm', 'rough'); CREATE DOMAIN dev_app.hull AS text CHECK (VALUE <> ''); CREATE SEQUENCE dev_app.calls;
CREATE TABLE dev_app.berth (id integer PRIMARY KEY, code text NOT NULL, sea dev_app.mood DEFAULT 'calm', hull dev_app.hull, CHECK (code <> '')); COMMENT ON TABLE dev_app.berth IS 'where ships lie';
CREATE TABLE dev_app.stay (id integer DEFAULT nextval('dev_app.calls') PRIMARY KEY, berth_id integer REFERENCES dev_app.berth ON DELETE CASCADE, days integer, sea dev_app.mood[]);
CREATE FUNCTION dev_app.dues(d integer, m dev_app.mood) RETURNS integer LANGUAGE plpgsql AS $$ BEGIN RETURN (SELECT count(*) FROM dev_app.stay s WHERE s.days > d); END $$;
CREATE VIEW dev_app.busy AS SELECT b.id AS n, dev_app.dues(b.id, b.sea) AS d FROM dev_app.berth b JOIN dev_app.stay s ON s.berth_id = b.id WHERE b.sea = 'calm'::dev_app.mood; GRANT SELECT ON dev_app.busy TO pg_monitor;
CREATE FUNCTION dev_app.seen() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN INSERT INTO dev_app.berth VALUES (1); RETURN NEW; END $$; CREATE TRIGGER on_stay BEFORE INSERT ON dev_app.stay FOR EACH ROW WHEN (NEW.sea[1] = 'calm'::dev_app.mood) EXECUTE FUNCTION dev_app.seen();
CREATE INDEX by_sea ON dev_app.berth (sea) WHERE sea <> 'rough'::dev_app.mood; ALTER TABLE dev_app.stay ENABLE ROW LEVEL SECURITY; CREATE POLICY own ON dev_app.stay USING (berth_id IN (SELECT id FROM dev_app.berth));
CREATE TABLE dev_app.tide (taken date, level real) PARTITION BY RANGE (taken); CREATE TABLE dev_app.tide_26 PARTITION OF dev_app.tide FOR VALUES FROM ('2026-01-01') TO ('2027-01-01'); CREATE MATERIALIZED VIEW dev_app.tides AS SELECT taken AS t FROM dev_app.tide;
--- rows
ALTER TABLE dev_app.stay ADD hull dev_app.hull, ALTER days TYPE bigint; CREATE VIEW dev_app.hulls AS SELECT hull FROM dev_app.stay; ALTER TYPE dev_app.mood ADD VALUE 'foul'; ALTER TABLE dev_app.tide ADD note text; CREATE TABLE dev_app.tide_27 PARTITION OF dev_app.tide FOR VALUES FROM ('2027-01-01') TO ('2028-01-01');
CREATE TABLE dev_app.lamp (id integer PRIMARY KEY, berth_id integer REFERENCES dev_app.berth, moods dev_app.mood); CREATE FUNCTION dev_app.lit(l dev_app.lamp) RETURNS dev_app.mood LANGUAGE sql AS 'SELECT (l).moods'; ALTER TABLE dev_app.berth ALTER code TYPE varchar(20);
--- case tables, columns and routines
--- says table:dev_*=live_*
--- says column:public.dev_berth.dev_depth=live_depth
--- says routine:dev_dues=live_dues
--- source
CREATE TABLE dev_berth (id integer PRIMARY KEY, dev_depth real CHECK (dev_depth > 0)); CREATE TABLE dev_stay (id serial PRIMARY KEY, berth_id integer REFERENCES dev_berth, depth real);
CREATE FUNCTION dev_dues(b dev_berth) RETURNS real LANGUAGE sql AS 'SELECT dev_depth FROM public.dev_berth'; CREATE VIEW due AS SELECT dev_dues(b) AS d, b.dev_depth AS e FROM dev_berth b;
--- rows
ALTER TABLE dev_berth ADD lamp text; CREATE TABLE dev_lamp (id integer PRIMARY KEY, of integer REFERENCES dev_berth); CREATE INDEX by_depth ON dev_berth (dev_depth, lamp); CREATE VIEW lamps AS SELECT l.id AS l, b.dev_depth AS d FROM dev_lamp l, dev_berth b;
