-- And everything back as it was.
DROP TABLE swarm_report;
ALTER TABLE keeper RENAME COLUMN postal_code TO postcode;
ALTER TABLE keeper DROP COLUMN iban, DROP COLUMN email_confirmed;
ALTER TABLE hive RENAME COLUMN hive_no TO tag;
ALTER TABLE medicine RENAME TO remedy;
ALTER TABLE colony ADD COLUMN queen_mark VARCHAR(20);
ALTER TABLE apiary DROP COLUMN access_code;
ALTER TABLE inspection MODIFY varroa_count INTEGER;
UPDATE inspection SET inspector_id = 1 WHERE inspector_id = 99;
ALTER TABLE inspection ADD CONSTRAINT inspection_inspector_id FOREIGN KEY (inspector_id) REFERENCES keeper (id);
ALTER TABLE inspection DROP COLUMN weather;
ALTER TABLE harvest CHANGE honey_g honey_kg DECIMAL(8, 2) NOT NULL;
UPDATE harvest SET honey_kg = honey_kg / 1000;
ALTER TABLE harvest MODIFY jar_label VARCHAR(60);
ALTER TABLE hive MODIFY hive_type VARCHAR(12) NOT NULL;
UPDATE hive SET hive_type = 'skep' WHERE hive_type = 'nucleus';
ALTER TABLE hive MODIFY hive_type VARCHAR(12) NOT NULL CHECK (hive_type IN ('log', 'skep', 'frame', 'top-bar'));
CREATE OR REPLACE VIEW harvest_by_apiary AS
  SELECT h.apiary_id, a.name AS apiary, substr(v.harvested_on, 1, 4) AS season, sum(v.honey_kg) AS kg
  FROM harvest v JOIN colony c ON c.id = v.colony_id JOIN hive h ON h.id = c.hive_id JOIN apiary a ON a.id = h.apiary_id
  GROUP BY h.apiary_id, a.name, substr(v.harvested_on, 1, 4);
DROP PROCEDURE close_apiary;
CREATE PROCEDURE close_apiary(which INTEGER, on_day DATE) MODIFIES SQL DATA UPDATE apiary SET closed_on = on_day WHERE id = which;
GRANT UPDATE ON apiary TO app_keeper;
