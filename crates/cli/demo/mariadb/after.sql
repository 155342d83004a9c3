-- What the database's owner did meanwhile.
ALTER TABLE keeper RENAME COLUMN postcode TO postal_code;
ALTER TABLE keeper ADD COLUMN iban VARCHAR(34);
ALTER TABLE keeper ADD COLUMN email_confirmed BOOLEAN NOT NULL DEFAULT 0;
ALTER TABLE hive RENAME COLUMN tag TO hive_no;
ALTER TABLE remedy RENAME TO medicine;
ALTER TABLE colony DROP COLUMN queen_mark;
ALTER TABLE apiary ADD COLUMN access_code VARCHAR(12);
ALTER TABLE inspection MODIFY varroa_count INTEGER NOT NULL;
ALTER TABLE inspection DROP FOREIGN KEY inspection_inspector_id;
UPDATE inspection SET inspector_id = 99 WHERE id = 1;
ALTER TABLE inspection ADD COLUMN weather VARCHAR(40) NOT NULL AFTER varroa_count;
UPDATE harvest SET honey_kg = honey_kg * 1000;
ALTER TABLE harvest CHANGE honey_kg honey_g INTEGER NOT NULL;
ALTER TABLE harvest MODIFY jar_label VARCHAR(24);
ALTER TABLE hive MODIFY hive_type VARCHAR(12) NOT NULL CHECK (hive_type IN ('log', 'skep', 'frame', 'nucleus'));
UPDATE hive SET hive_type = 'nucleus' WHERE id = 2;
CREATE TABLE swarm_report (
  id INTEGER AUTO_INCREMENT PRIMARY KEY,
  reported_on DATE NOT NULL,
  place VARCHAR(60) NOT NULL,
  apiary_id INTEGER,
  CONSTRAINT swarm_report_apiary_id FOREIGN KEY (apiary_id) REFERENCES apiary (id)
);
CREATE OR REPLACE VIEW harvest_by_apiary AS
  SELECT h.apiary_id, a.name AS apiary, sum(v.honey_g) / 1000.0 AS kg
  FROM harvest v JOIN colony c ON c.id = v.colony_id JOIN hive h ON h.id = c.hive_id JOIN apiary a ON a.id = h.apiary_id
  GROUP BY h.apiary_id, a.name;
DROP PROCEDURE close_apiary;
CREATE PROCEDURE close_apiary(which INTEGER, on_day DATE, reason VARCHAR(80)) MODIFIES SQL DATA
  UPDATE apiary SET closed_on = on_day, notes = reason WHERE id = which;
REVOKE UPDATE ON apiary FROM app_keeper;
