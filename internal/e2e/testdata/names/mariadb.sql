--- case tables and columns
--- says table:dev_*=live_*
--- says column:dev_berth.dev_depth=live_depth
--- source
CREATE TABLE dev_berth (id int PRIMARY KEY, dev_depth float, KEY by_depth (dev_depth), CHECK (dev_depth > 0)); CREATE TABLE dev_stay (id int PRIMARY KEY, berth_id int, KEY by_berth (berth_id), CONSTRAINT at_berth FOREIGN KEY (berth_id) REFERENCES dev_berth (id));
CREATE VIEW due AS SELECT b.dev_depth AS e FROM dev_berth b JOIN dev_stay s ON s.berth_id = b.id; CREATE FUNCTION dues() RETURNS int RETURN (SELECT count(*) FROM dev_stay); CREATE TRIGGER on_stay BEFORE INSERT ON dev_stay FOR EACH ROW SET NEW.id = (SELECT max(id) FROM dev_berth);
--- rows
ALTER TABLE dev_berth ADD lamp varchar(9), ADD KEY by_lamp (lamp, dev_depth); CREATE TABLE dev_lamp (id int PRIMARY KEY, of_berth int, KEY of_berth (of_berth), CONSTRAINT of_berth FOREIGN KEY (of_berth) REFERENCES dev_berth (id)); CREATE VIEW lamps AS SELECT l.id AS l, b.dev_depth AS d FROM dev_lamp l, dev_berth b; ALTER TABLE dev_stay MODIFY id bigint NOT NULL;
