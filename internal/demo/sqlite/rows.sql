-- Rows of a believable year. Every name is made up.
INSERT INTO berth (id, name, quay, length_m, depth_m) VALUES
  (1, 'Heron 1', 'Heron Quay', 180.00, 9.50), (2, 'Heron 2', 'Heron Quay', 210.50, 10.20), (3, 'Tar Steps', 'Old Basin', 85.00, 5.10),
  (4, 'Salt Wharf', 'Old Basin', 120.00, 6.80), (5, 'Lantern Pier', 'Outer Mole', 240.00, 12.40), (6, 'Cooper''s Rest', 'Outer Mole', 160.00, NULL);
WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 48)
INSERT INTO vessel (id, name, call_sign, gross_tonnage, length_m)
SELECT i, CASE i % 8 WHEN 0 THEN 'Brisk' WHEN 1 THEN 'Gilded' WHEN 2 THEN 'Patient' WHEN 3 THEN 'Quiet' WHEN 4 THEN 'Ruddy' WHEN 5 THEN 'Stormless' WHEN 6 THEN 'Wayward' ELSE 'Merry' END
  || ' ' || CASE i % 6 WHEN 0 THEN 'Gannet' WHEN 1 THEN 'Heron' WHEN 2 THEN 'Kittiwake' WHEN 3 THEN 'Tern' WHEN 4 THEN 'Curlew' ELSE 'Petrel' END,
  'QH' || printf('%03d', i * 7), 900 + (i * 613) % 24000, 60 + (i * 37) % 140 FROM n;
INSERT INTO agent (id, name, email) VALUES (1, 'Tallow & Finch', 'desk@tallowfinch.example'), (2, 'Marrow Shipping', 'ops@marrow.example'), (3, 'Widdershins Lines', NULL);
WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 640)
INSERT INTO port_call (id, vessel_id, berth_id, agent_id, arrived_at, left_at)
SELECT i, 1 + (i * 29) % 48, 1 + (i * 5) % 6, 1 + i % 3, datetime('2025-01-03', '+' || (i * 13) || ' hours'),
  CASE WHEN i % 17 THEN datetime('2025-01-03', '+' || (i * 13 + 9 + i % 30) || ' hours') END FROM n;
INSERT INTO pilot (id, name, licence) VALUES (1, 'Isolde Farrow', 'P-101'), (2, 'Bram Oakenshaw', 'P-102'), (3, 'Nell Quince', 'P-107'), (4, 'Tobiah Marsh', 'P-110');
WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 420)
INSERT INTO booking (id, call_id, pilot_id, planned_at, pilotage, note)
SELECT i, i, 1 + i % 4, datetime('2025-01-03', '+' || (i * 13 - 1) || ' hours'), CASE WHEN i % 3 = 0 THEN 180 + (i * 11) % 400 END, CASE WHEN i % 40 = 0 THEN 'fog' END FROM n;
WITH RECURSIVE n (i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM n WHERE i < 2999)
INSERT INTO tide_reading (station, read_at, level_cm)
SELECT CASE i % 2 WHEN 0 THEN 'Outer Mole' ELSE 'Old Basin' END, datetime('2025-01-01', '+' || (i / 2 * 20) || ' minutes'), 210 + (i * 37) % 320 - 160 FROM n;
INSERT INTO cargo_line (call_id, line_no, goods, tonnes)
SELECT id, 1, CASE id % 4 WHEN 0 THEN 'timber' WHEN 1 THEN 'slate' WHEN 2 THEN 'wool' ELSE 'salt' END, 20 + (id * 17) % 900 FROM port_call WHERE id % 2 = 0;
INSERT INTO tariff (code, title, per_tonne) VALUES ('HARBOUR', 'Harbour dues', 0.215), ('PILOT', 'Pilotage', 0.040), ('WASTE', 'Waste reception', 0.008);
INSERT INTO invoice (id, call_id, tariff_code, amount, due_on, paid_on)
SELECT id, id, 'HARBOUR', 100 + (id * 71) % 4000, date(arrived_at, '+30 days'), CASE WHEN id % 5 THEN date(arrived_at, '+22 days') END FROM port_call WHERE id <= 500;
