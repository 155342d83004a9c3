-- What the database's owner did meanwhile.
DROP VIEW harvest_by_apiary;
ALTER TABLE keeper RENAME COLUMN postcode TO postal_code;
ALTER TABLE keeper ADD COLUMN iban VARCHAR(34);
ALTER TABLE keeper ADD COLUMN email_confirmed BOOLEAN NOT NULL DEFAULT 0;
CREATE TABLE new_hive (
  id INTEGER PRIMARY KEY,
  apiary_id INTEGER NOT NULL REFERENCES apiary (id),
  hive_no VARCHAR(12) NOT NULL UNIQUE,
  hive_type VARCHAR(12) NOT NULL CHECK (hive_type IN ('log', 'skep', 'frame', 'nucleus')),
  colour VARCHAR(20),
  photo BLOB,
  built_on DATE,
  row_version INTEGER NOT NULL DEFAULT 1
);
INSERT INTO new_hive SELECT * FROM hive;
DROP TABLE hive;
ALTER TABLE new_hive RENAME TO hive;
UPDATE hive SET hive_type = 'nucleus' WHERE id = 2;
ALTER TABLE remedy RENAME TO medicine;
ALTER TABLE colony DROP COLUMN queen_mark;
ALTER TABLE apiary ADD COLUMN access_code VARCHAR(12);
CREATE TABLE new_inspection (
  id INTEGER PRIMARY KEY,
  colony_id INTEGER NOT NULL REFERENCES colony (id),
  inspected_on DATE NOT NULL,
  inspector_id INTEGER,
  brood_frames INTEGER,
  honey_kg DECIMAL(6, 2),
  temper INTEGER,
  varroa_count INTEGER NOT NULL,
  weather VARCHAR(40) NOT NULL,
  findings TEXT
);
INSERT INTO new_inspection SELECT id, colony_id, inspected_on, inspector_id, brood_frames, honey_kg, temper, varroa_count, 'fair', findings FROM inspection;
DROP TABLE inspection;
ALTER TABLE new_inspection RENAME TO inspection;
UPDATE inspection SET inspector_id = 99 WHERE id = 1;
CREATE TABLE new_harvest (
  id INTEGER PRIMARY KEY,
  colony_id INTEGER NOT NULL REFERENCES colony (id),
  harvested_on DATE NOT NULL,
  honey_g INTEGER NOT NULL,
  moisture_pct DECIMAL(4, 1),
  jar_label VARCHAR(24)
);
INSERT INTO new_harvest SELECT id, colony_id, harvested_on, honey_kg * 1000, moisture_pct, jar_label FROM harvest;
DROP TABLE harvest;
ALTER TABLE new_harvest RENAME TO harvest;
CREATE TABLE swarm_report (
  id INTEGER PRIMARY KEY,
  reported_on DATE NOT NULL,
  place VARCHAR(60) NOT NULL,
  apiary_id INTEGER REFERENCES apiary (id)
);
CREATE VIEW harvest_by_apiary AS
  SELECT h.apiary_id, a.name AS apiary, sum(v.honey_g) / 1000.0 AS kg
  FROM harvest v JOIN colony c ON c.id = v.colony_id JOIN hive h ON h.id = c.hive_id JOIN apiary a ON a.id = h.apiary_id
  GROUP BY h.apiary_id, a.name;
