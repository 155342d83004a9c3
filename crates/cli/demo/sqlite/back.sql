-- And everything back as it was. Columns that return come last: a database can't put them where they were.
DROP VIEW harvest_by_apiary;
DROP TABLE swarm_report;
ALTER TABLE keeper RENAME COLUMN postal_code TO postcode;
ALTER TABLE keeper DROP COLUMN iban;
ALTER TABLE keeper DROP COLUMN email_confirmed;
UPDATE hive SET hive_type = 'skep' WHERE hive_type = 'nucleus';
UPDATE inspection SET inspector_id = 1 WHERE inspector_id = 99;
CREATE TABLE new_hive (
  id INTEGER PRIMARY KEY,
  apiary_id INTEGER NOT NULL REFERENCES apiary (id),
  tag VARCHAR(12) NOT NULL UNIQUE,
  hive_type VARCHAR(12) NOT NULL CHECK (hive_type IN ('log', 'skep', 'frame', 'top-bar')),
  colour VARCHAR(20),
  photo BLOB,
  built_on DATE,
  row_version INTEGER NOT NULL DEFAULT 1
);
INSERT INTO new_hive SELECT * FROM hive;
DROP TABLE hive;
ALTER TABLE new_hive RENAME TO hive;
ALTER TABLE medicine RENAME TO remedy;
ALTER TABLE colony ADD COLUMN queen_mark VARCHAR(20);
ALTER TABLE apiary DROP COLUMN access_code;
CREATE TABLE new_inspection (
  id INTEGER PRIMARY KEY,
  colony_id INTEGER NOT NULL REFERENCES colony (id),
  inspected_on DATE NOT NULL,
  inspector_id INTEGER REFERENCES keeper (id),
  brood_frames INTEGER,
  honey_kg DECIMAL(6, 2),
  temper INTEGER,
  varroa_count INTEGER,
  findings TEXT
);
INSERT INTO new_inspection SELECT id, colony_id, inspected_on, inspector_id, brood_frames, honey_kg, temper, varroa_count, findings FROM inspection;
DROP TABLE inspection;
ALTER TABLE new_inspection RENAME TO inspection;
CREATE TABLE new_harvest (
  id INTEGER PRIMARY KEY,
  colony_id INTEGER NOT NULL REFERENCES colony (id),
  harvested_on DATE NOT NULL,
  honey_kg DECIMAL(8, 2) NOT NULL,
  moisture_pct DECIMAL(4, 1),
  jar_label VARCHAR(60)
);
INSERT INTO new_harvest SELECT id, colony_id, harvested_on, honey_g / 1000.0, moisture_pct, jar_label FROM harvest;
DROP TABLE harvest;
ALTER TABLE new_harvest RENAME TO harvest;
CREATE VIEW harvest_by_apiary AS
  SELECT h.apiary_id, a.name AS apiary, substr(v.harvested_on, 1, 4) AS season, sum(v.honey_kg) AS kg
  FROM harvest v JOIN colony c ON c.id = v.colony_id JOIN hive h ON h.id = c.hive_id JOIN apiary a ON a.id = h.apiary_id
  GROUP BY h.apiary_id, a.name, substr(v.harvested_on, 1, 4);
