--- case tables, columns and views
--- says table:dev_*=live_*
--- says column:dev_berth.dev_depth=live_depth
--- says view:dev_due=live_due
--- source
CREATE TABLE dev_berth (id INTEGER PRIMARY KEY, dev_depth REAL CHECK (dev_depth > 0), twice REAL AS (dev_depth * 2)); CREATE INDEX by_depth ON dev_berth (dev_depth); CREATE TABLE dev_stay (id INTEGER PRIMARY KEY, berth_id INTEGER REFERENCES dev_berth (id));
CREATE VIEW dev_due AS SELECT b.dev_depth AS e FROM dev_berth b JOIN dev_stay s ON s.berth_id = b.id; CREATE VIEW dues AS SELECT e FROM dev_due; CREATE TRIGGER on_stay AFTER INSERT ON dev_stay BEGIN UPDATE dev_berth SET dev_depth = 1 WHERE id = NEW.berth_id; END;
--- rows
ALTER TABLE dev_berth ADD lamp TEXT; CREATE TABLE dev_lamp (id INTEGER PRIMARY KEY, of_berth INTEGER REFERENCES dev_berth (id)); CREATE VIEW lamps AS SELECT l.id AS l, b.dev_depth AS d FROM dev_lamp l, dev_berth b; DROP VIEW dues; CREATE VIEW dues AS SELECT e, 1 AS one FROM dev_due;
