--- case column:berth.depth --change drop
--- source
CREATE TABLE berth (id int PRIMARY KEY, depth float, twice float AS (depth * 2), KEY deep (depth), CHECK (depth > 0)); CREATE VIEW deep_ones AS SELECT id AS n FROM berth WHERE depth > 10; CREATE VIEW counted AS SELECT count(*) AS c FROM deep_ones; CREATE TABLE stay (id int PRIMARY KEY, berth_id int, CONSTRAINT at_berth FOREIGN KEY (berth_id) REFERENCES berth (id));
--- says <check:berth.CONSTRAINT_1  reads it; would break
--- says <column:berth.twice  reads it; would break
--- says <index:berth.deep  is over it; would break
--- says <view:deep_ones  reads it; would break
--- says < view:counted  reads it; would break
