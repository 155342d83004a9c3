-- And everything back as it was. Columns that return come last: a database can't put them where they were.
DROP VIEW harvest_by_apiary;
DROP TABLE swarm_report;
ALTER TABLE keeper RENAME COLUMN postal_code TO postcode;
ALTER TABLE keeper DROP COLUMN iban, DROP COLUMN email_confirmed;
ALTER TABLE hive RENAME COLUMN hive_no TO tag;
ALTER TABLE medicine RENAME TO remedy;
ALTER TABLE colony ADD COLUMN queen_mark VARCHAR(20);
ALTER TABLE apiary DROP COLUMN access_code;
ALTER TABLE inspection ALTER COLUMN varroa_count DROP NOT NULL;
UPDATE inspection SET inspector_id = 1 WHERE inspector_id = 99;
ALTER TABLE inspection ADD FOREIGN KEY (inspector_id) REFERENCES keeper (id);
ALTER TABLE inspection DROP COLUMN weather;
ALTER TABLE harvest ALTER COLUMN honey_g TYPE DECIMAL(8, 2) USING honey_g / 1000.0;
ALTER TABLE harvest RENAME COLUMN honey_g TO honey_kg;
ALTER TABLE harvest ALTER COLUMN jar_label TYPE VARCHAR(60);
ALTER TABLE hive DROP CONSTRAINT hive_hive_type_check;
UPDATE hive SET hive_type = 'skep' WHERE hive_type = 'nucleus';
ALTER TABLE hive ADD CHECK (hive_type IN ('log', 'skep', 'frame', 'top-bar'));
CREATE VIEW harvest_by_apiary AS
  SELECT h.apiary_id, a.name AS apiary, to_char(v.harvested_on, 'YYYY') AS season, sum(v.honey_kg) AS kg
  FROM harvest v JOIN colony c ON c.id = v.colony_id JOIN hive h ON h.id = c.hive_id JOIN apiary a ON a.id = h.apiary_id
  GROUP BY h.apiary_id, a.name, to_char(v.harvested_on, 'YYYY');
GRANT SELECT ON harvest_by_apiary TO app_office;
DROP PROCEDURE close_apiary(integer, date, text);
CREATE PROCEDURE close_apiary(which integer, on_day date) LANGUAGE sql AS $body$
  UPDATE apiary SET closed_on = on_day WHERE id = which
$body$;
GRANT UPDATE ON apiary TO app_keeper;
DROP POLICY own_apiaries ON apiary;
CREATE POLICY own_apiaries ON apiary TO app_keeper
  USING (keeper_id = (SELECT k.id FROM keeper k WHERE k.email = current_user));
