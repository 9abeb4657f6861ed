--- case column:berth.depth --change drop
--- source
CREATE TABLE berth (id INTEGER PRIMARY KEY, depth REAL, twice REAL AS (depth * 2)); CREATE INDEX deep ON berth (depth); CREATE VIEW deep_ones AS SELECT id AS n FROM berth WHERE depth > 10; CREATE VIEW counted AS SELECT count(*) AS c FROM deep_ones; CREATE TABLE stay (id INTEGER PRIMARY KEY, berth_id INTEGER REFERENCES berth (id));
--- says <column:berth.twice  reads it; would break
--- says <index:berth.deep  is over it; would break
--- says <view:deep_ones  reads it; would break
--- says < view:counted  reads it; would break
