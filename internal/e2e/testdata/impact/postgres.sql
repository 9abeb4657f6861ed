--- case column:berth.depth --change type
--- source
CREATE TABLE berth (id int PRIMARY KEY, depth real, CHECK (depth > 0)); CREATE INDEX deep ON berth (depth); CREATE VIEW deep_ones AS SELECT id AS n FROM berth WHERE depth > 10; CREATE VIEW counted AS SELECT count(*) AS c FROM deep_ones; CREATE FUNCTION mean() RETURNS real LANGUAGE sql AS 'SELECT avg(depth)::real FROM public.berth'; CREATE POLICY own ON berth USING (depth > 1);
--- says <check:public.berth.berth_depth_check  reads it
--- says <index:public.berth.deep  is over it
--- says <policy:public.berth.own  works on it; would come down and be put back
--- says <view:public.deep_ones  reads it; would come down and be put back
--- says < view:public.counted  reads it; would come down and be put back
--- case routine:dues --change drop
--- source
CREATE TYPE mood AS ENUM ('calm'); CREATE FUNCTION dues(m mood) RETURNS int LANGUAGE sql IMMUTABLE AS 'SELECT 1'; CREATE TABLE call (id int PRIMARY KEY, sea mood, CHECK (dues(sea) > 0)); CREATE VIEW due AS SELECT dues(sea) AS d FROM call;
--- says <check:public.call.call_sea_check  calls it; would break
--- says <view:public.due  calls it; would break
--- says >schema:public  is in it
--- says >enum:public.mood  is made with it
