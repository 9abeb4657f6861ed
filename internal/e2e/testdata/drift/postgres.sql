-- drift: none
-- drift: an index is gone
DROP INDEX harbour.port_call_vessel;
-- drift: a table of somebody's own
CREATE TABLE harbour.hot_fix (id integer PRIMARY KEY, note text);
INSERT INTO harbour.hot_fix VALUES (1, 'kept by hand');
-- drift: a column more, with values
ALTER TABLE harbour.agent ADD COLUMN remark text;
INSERT INTO harbour.agent (id, name, remark) VALUES (1, 'Brine & Sons', 'pays late');
-- drift: a view is gone
DROP VIEW harbour.dues_by_vessel;
-- drift: a function of another making
CREATE OR REPLACE FUNCTION harbour.dues(tonnage integer, rate numeric) RETURNS numeric LANGUAGE sql IMMUTABLE AS $$ SELECT tonnage * rate $$;
-- drift: a policy and a trigger are gone
DROP POLICY own_calls ON harbour.port_call; DROP TRIGGER invoice_paid ON harbour.invoice;
-- drift: a check that rows break
ALTER TABLE harbour.pilot ADD CONSTRAINT licensed CHECK (licence <> '');
-- drift: NULL where none may be
ALTER TABLE harbour.pilot ALTER family_name DROP NOT NULL;
INSERT INTO harbour.pilot (id, given_name, licence) VALUES (7, 'Maren', 'Q-7');
-- drift: another length
ALTER TABLE harbour.tariff ALTER title TYPE varchar(200);
-- drift: a table is gone
DROP TABLE harbour.audit_trail CASCADE;
