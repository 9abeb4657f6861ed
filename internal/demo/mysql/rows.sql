-- Rows of a believable year. Every name is made up.
INSERT INTO berth (id, name, quay, length_m, depth_m) VALUES
  (1, 'Heron 1', 'Heron Quay', 180.00, 9.50), (2, 'Heron 2', 'Heron Quay', 210.50, 10.20), (3, 'Tar Steps', 'Old Basin', 85.00, 5.10),
  (4, 'Salt Wharf', 'Old Basin', 120.00, 6.80), (5, 'Lantern Pier', 'Outer Mole', 240.00, 12.40), (6, 'Cooper''s Rest', 'Outer Mole', 160.00, NULL);
INSERT INTO vessel (id, name, call_sign, gross_tonnage)
WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 48)
SELECT i, CONCAT(ELT(1 + i % 8, 'Brisk', 'Gilded', 'Patient', 'Quiet', 'Ruddy', 'Stormless', 'Wayward', 'Merry'), ' ', ELT(1 + i % 6, 'Gannet', 'Heron', 'Kittiwake', 'Tern', 'Curlew', 'Petrel')),
  CONCAT('QH', LPAD(i * 7, 3, '0')), 900 + (i * 613) % 24000 FROM n;
INSERT INTO agent VALUES (1, 'Tallow & Finch', 'tallow'), (2, 'Marrow Shipping', 'marrow'), (3, 'Widdershins Lines', NULL);
INSERT INTO tariff VALUES ('HARBOUR', 'Harbour dues', 0.215), ('PILOT', 'Pilotage', 0.040), ('WASTE', 'Waste reception', 0.008);
INSERT INTO port_call (id, vessel_id, berth_id, agent_id, state, arrived_at, left_at)
WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 640)
SELECT i, 1 + (i * 29) % 48, 1 + (i * 5) % 6, 1 + i % 3, IF(i % 17 = 0, 'berthed', 'left'), '2025-01-03' + INTERVAL i * 13 HOUR, IF(i % 17 = 0, NULL, '2025-01-03' + INTERVAL i * 13 + 9 + i % 30 HOUR) FROM n;
INSERT INTO pilot (id, name, licence) VALUES (1, 'Isolde Farrow', 'P-101'), (2, 'Bram Oakenshaw', 'P-102'), (3, 'Nell Quince', 'P-107'), (4, 'Tobiah Marsh', 'P-110');
INSERT INTO booking (id, call_id, pilot_id, planned_at, pilotage)
WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 420)
SELECT i, i, 1 + i % 4, '2025-01-03' + INTERVAL i * 13 - 1 HOUR, IF(i % 3 = 0, 180 + (i * 11) % 400, NULL) FROM n;
INSERT INTO tide_reading (station, read_at, level_cm)
WITH RECURSIVE n (i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM n WHERE i < 99), m (i) AS (SELECT h.i * 100 + o.i FROM n h CROSS JOIN n o WHERE h.i < 30)
SELECT ELT(1 + i % 2, 'Outer Mole', 'Old Basin'), '2025-01-01' + INTERVAL (i DIV 2) * 20 MINUTE, 210 + (i * 37) % 320 - 160 FROM m;
INSERT INTO invoice (id, call_id, tariff_code, amount, due_on, paid_on)
SELECT id, id, 'HARBOUR', 100 + (id * 71) % 4000, DATE(arrived_at) + INTERVAL 30 DAY, IF(id % 5 = 0, NULL, DATE(arrived_at) + INTERVAL 22 DAY) FROM port_call WHERE id <= 500;
