-- Rows of a believable year. Every name is made up.
CREATE TABLE harbour.n (i int NOT NULL);
INSERT INTO harbour.n VALUES (1);
WHILE (SELECT COUNT(*) FROM harbour.n) < 4096 INSERT INTO harbour.n SELECT i + (SELECT MAX(i) FROM harbour.n) FROM harbour.n;
INSERT INTO harbour.berth (name, quay, length_m, depth_m) VALUES
  (N'Heron 1', N'Heron Quay', 180.00, 9.50), (N'Heron 2', N'Heron Quay', 210.50, 10.20), (N'Tar Steps', N'Old Basin', 85.00, 5.10),
  (N'Salt Wharf', N'Old Basin', 120.00, 6.80), (N'Lantern Pier', N'Outer Mole', 240.00, 12.40), (N'Cooper''s Rest', N'Outer Mole', 160.00, NULL);
INSERT INTO harbour.vessel (name, call_sign, gross_tonnage)
SELECT RTRIM(SUBSTRING(N'Brisk     Gilded    Patient   Quiet     Ruddy     Stormless Wayward   Merry     ', 1 + 10 * (i % 8), 10)) + N' ' + RTRIM(SUBSTRING(N'Gannet    Heron     Kittiwake Tern      Curlew    Petrel    ', 1 + 10 * (i % 6), 10)),
  'QH' + RIGHT('00' + CAST(i * 7 AS varchar(3)), 3), 900 + (i * 613) % 24000 FROM harbour.n WHERE i <= 48 ORDER BY i;
INSERT INTO harbour.agent VALUES (1, N'Tallow & Finch', N'tallow'), (2, N'Marrow Shipping', N'marrow'), (3, N'Widdershins Lines', NULL);
INSERT INTO harbour.tariff VALUES ('HARBOUR', N'Harbour dues', 0.215), ('PILOT', N'Pilotage', 0.040), ('WASTE', N'Waste reception', 0.008);
INSERT INTO harbour.port_call (vessel_id, berth_id, agent_id, state, arrived_at, left_at)
SELECT 1 + (i * 29) % 48, 1 + (i * 5) % 6, 1 + i % 3, CASE WHEN i % 17 = 0 THEN 'berthed' ELSE 'left' END, DATEADD(hour, i * 13, '2025-01-03 00:00:00'),
  CASE WHEN i % 17 <> 0 THEN DATEADD(hour, i * 13 + 9 + i % 30, '2025-01-03 00:00:00') END FROM harbour.n WHERE i <= 640 ORDER BY i;
INSERT INTO harbour.pilot (id, name, licence) VALUES (1, N'Isolde Farrow', 'P-101'), (2, N'Bram Oakenshaw', 'P-102'), (3, N'Nell Quince', 'P-107'), (4, N'Tobiah Marsh', 'P-110');
INSERT INTO harbour.booking (call_id, pilot_id, planned_at, pilotage)
SELECT i, 1 + i % 4, DATEADD(hour, i * 13 - 1, '2025-01-03 00:00:00'), CASE WHEN i % 3 = 0 THEN 180 + (i * 11) % 400 END FROM harbour.n WHERE i <= 420 ORDER BY i;
INSERT INTO harbour.tide_reading SELECT CASE WHEN i % 2 = 0 THEN N'Outer Mole' ELSE N'Old Basin' END, DATEADD(minute, 20 * (i / 2), '2025-01-01 00:00:00'), 210 + (i * 37) % 320 - 160 FROM harbour.n WHERE i <= 3000;
INSERT INTO harbour.invoice (call_id, tariff_code, amount, due_on, paid_on)
SELECT id, 'HARBOUR', 100 + (id * 71) % 4000, DATEADD(day, 30, arrived_at), CASE WHEN id % 5 <> 0 THEN DATEADD(day, 22, arrived_at) END FROM harbour.port_call WHERE id <= 500 ORDER BY id;
DROP TABLE harbour.n;
