-- The harbour office of Quillhaven, as it runs today.
CREATE TABLE berth (
  id INT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(60) NOT NULL,
  quay VARCHAR(60) NOT NULL,
  length_m DECIMAL(6,2) NOT NULL,
  depth_m DECIMAL(5,2),
  UNIQUE KEY berth_name (name),
  CONSTRAINT berth_length CHECK (length_m > 0)
);
CREATE TABLE vessel (
  id INT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(60) NOT NULL,
  call_sign VARCHAR(12),
  flag CHAR(2) NOT NULL DEFAULT 'QH',
  gross_tonnage INT UNSIGNED NOT NULL,
  UNIQUE KEY vessel_call_sign (call_sign)
);
CREATE TABLE agent (id INT NOT NULL PRIMARY KEY, name VARCHAR(60) NOT NULL, login VARCHAR(32), UNIQUE KEY agent_login (login));
CREATE TABLE tariff (code VARCHAR(8) NOT NULL PRIMARY KEY, title VARCHAR(60) NOT NULL, per_tonne DECIMAL(8,3) NOT NULL DEFAULT 0);
CREATE TABLE port_call (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  vessel_id INT NOT NULL,
  berth_id INT,
  agent_id INT,
  state ENUM('announced', 'berthed', 'left') NOT NULL DEFAULT 'announced',
  arrived_at DATETIME NOT NULL,
  left_at DATETIME,
  KEY port_call_vessel (vessel_id, arrived_at DESC),
  KEY port_call_berth (berth_id),
  KEY port_call_agent (agent_id),
  CONSTRAINT port_call_of_vessel FOREIGN KEY (vessel_id) REFERENCES vessel (id),
  CONSTRAINT port_call_at_berth FOREIGN KEY (berth_id) REFERENCES berth (id) ON DELETE SET NULL,
  CONSTRAINT port_call_by_agent FOREIGN KEY (agent_id) REFERENCES agent (id),
  CONSTRAINT port_call_leaves CHECK (left_at >= arrived_at)
) COMMENT='One visit of one vessel';
CREATE TABLE pilot (id INT NOT NULL PRIMARY KEY, name VARCHAR(60) NOT NULL, licence VARCHAR(12) NOT NULL, UNIQUE KEY pilot_licence (licence));
CREATE TABLE booking (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  call_id BIGINT NOT NULL,
  pilot_id INT,
  planned_at DATETIME NOT NULL,
  pilotage DECIMAL(8,2),
  KEY booking_call (call_id),
  KEY booking_pilot (pilot_id),
  CONSTRAINT booking_of_call FOREIGN KEY (call_id) REFERENCES port_call (id) ON DELETE CASCADE,
  CONSTRAINT booking_by_pilot FOREIGN KEY (pilot_id) REFERENCES pilot (id)
);
CREATE TABLE tide_reading (station VARCHAR(40) NOT NULL, read_at DATETIME NOT NULL, level_cm INT NOT NULL, PRIMARY KEY (station, read_at))
PARTITION BY RANGE COLUMNS (read_at) (PARTITION y2025 VALUES LESS THAN ('2026-01-01'));
CREATE TABLE invoice (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  call_id BIGINT NOT NULL,
  tariff_code VARCHAR(8) NOT NULL,
  amount DECIMAL(10,2) NOT NULL,
  due_on DATE NOT NULL,
  paid_on DATE,
  KEY invoice_call (call_id),
  KEY invoice_tariff (tariff_code),
  KEY invoice_due (due_on), -- the hot fix of last week
  CONSTRAINT invoice_of_call FOREIGN KEY (call_id) REFERENCES port_call (id),
  CONSTRAINT invoice_by_tariff FOREIGN KEY (tariff_code) REFERENCES tariff (code)
);
CREATE TABLE audit_trail (id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY, at DATETIME NOT NULL DEFAULT CURRENT_TIMESTAMP, what TEXT NOT NULL);
CREATE FUNCTION dues(tonnage INT, rate DECIMAL(8,3)) RETURNS DECIMAL(12,3) DETERMINISTIC NO SQL RETURN tonnage * rate;
CREATE VIEW call_dues AS
  SELECT c.id AS call_id, v.name AS vessel, dues(v.gross_tonnage, t.per_tonne) AS dues, t.code
  FROM port_call c JOIN vessel v ON v.id = c.vessel_id JOIN tariff t ON t.code = 'HARBOUR';
CREATE VIEW dues_by_vessel AS SELECT vessel, COUNT(*) AS calls, SUM(dues) AS dues FROM call_dues GROUP BY vessel;
DELIMITER //
CREATE TRIGGER invoice_paid AFTER UPDATE ON invoice FOR EACH ROW
BEGIN
  IF NEW.paid_on IS NOT NULL AND OLD.paid_on IS NULL THEN
    INSERT INTO audit_trail (what) VALUES (CONCAT('invoice ', NEW.id, ' paid'));
  END IF;
END//
DELIMITER ;
