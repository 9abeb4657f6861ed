-- drift: none
-- drift: an index is gone
DROP INDEX ix_booking_pilot;
-- drift: a table of somebody's own
CREATE TABLE hot_fix (id INTEGER PRIMARY KEY, note TEXT);
INSERT INTO hot_fix VALUES (1, 'kept by hand');
-- drift: a column more, with values
ALTER TABLE berth ADD COLUMN remark TEXT;
UPDATE berth SET remark = 'silted';
-- drift: a view is gone
DROP VIEW v_dues_by_vessel;
-- drift: a trigger is gone
DROP TRIGGER invoice_paid;
-- drift: an index more
CREATE INDEX ix_hand ON vessel (name);
-- drift: a table is gone
DROP TABLE crane_slot;
-- drift: a table and an index are gone
DROP TABLE audit_trail; DROP INDEX ix_port_call_vessel;
-- drift: a unique index
CREATE UNIQUE INDEX ux_agent ON agent (name);
-- drift: a view of another making
DROP VIEW v_dues_by_vessel; CREATE VIEW v_dues_by_vessel AS SELECT 1 AS vessel;
