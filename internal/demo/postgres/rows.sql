-- Rows of a believable year. Every name is made up.
INSERT INTO harbour.berth (id, name, quay, length_m, depth_m) VALUES
  (1, 'Heron 1', 'Heron Quay', 180.00, 9.50), (2, 'Heron 2', 'Heron Quay', 210.50, 10.20), (3, 'Tar Steps', 'Old Basin', 85.00, 5.10),
  (4, 'Salt Wharf', 'Old Basin', 120.00, 6.80), (5, 'Lantern Pier', 'Outer Mole', 240.00, 12.40), (6, 'Cooper''s Rest', 'Outer Mole', 160.00, NULL);
INSERT INTO harbour.vessel (id, name, call_sign, gross_tonnage)
SELECT i, (ARRAY['Brisk','Gilded','Patient','Quiet','Ruddy','Stormless','Wayward','Merry'])[1 + i % 8] || ' ' || (ARRAY['Gannet','Heron','Kittiwake','Tern','Curlew','Petrel'])[1 + i % 6],
  'QH' || lpad((i * 7)::text, 3, '0'), 900 + (i * 613) % 24000 FROM generate_series(1, 48) i;
INSERT INTO harbour.agent VALUES (1, 'Tallow & Finch', 'tallow'), (2, 'Marrow Shipping', 'marrow'), (3, 'Widdershins Lines', NULL);
INSERT INTO harbour.tariff VALUES ('HARBOUR', 'Harbour dues', 0.215), ('PILOT', 'Pilotage', 0.040), ('WASTE', 'Waste reception', 0.008);
INSERT INTO harbour.port_call (id, vessel_id, berth_id, agent_id, state, arrived_at, left_at)
SELECT i, 1 + (i * 29) % 48, 1 + (i * 5) % 6, 1 + i % 3, CASE WHEN i % 17 = 0 THEN 'berthed' ELSE 'left' END::harbour.call_state,
  timestamptz '2025-01-03 00:00+00' + i * interval '13 hours', CASE WHEN i % 17 <> 0 THEN timestamptz '2025-01-03 00:00+00' + (i * 13 + 9 + i % 30) * interval '1 hour' END
FROM generate_series(1, 640) i;
INSERT INTO harbour.pilot (id, name, licence) VALUES (1, 'Isolde Farrow', 'P-101'), (2, 'Bram Oakenshaw', 'P-102'), (3, 'Nell Quince', 'P-107'), (4, 'Tobiah Marsh', 'P-110');
INSERT INTO harbour.booking (id, call_id, pilot_id, planned_at, pilotage)
SELECT i, i, 1 + i % 4, timestamptz '2025-01-03 00:00+00' + (i * 13 - 1) * interval '1 hour', CASE WHEN i % 3 = 0 THEN 180 + (i * 11) % 400 END FROM generate_series(1, 420) i;
INSERT INTO harbour.tide_reading SELECT (ARRAY['Outer Mole','Old Basin'])[1 + i % 2], timestamptz '2025-01-01 00:00+00' + (i / 2) * interval '20 minutes', 210 + (i * 37) % 320 - 160 FROM generate_series(0, 2999) i;
INSERT INTO harbour.invoice (id, call_id, tariff_code, amount, due_on, paid_on)
SELECT id, id, 'HARBOUR', 100 + (id * 71) % 4000, arrived_at::date + 30, CASE WHEN id % 5 <> 0 THEN arrived_at::date + 22 END FROM harbour.port_call WHERE id <= 500;
