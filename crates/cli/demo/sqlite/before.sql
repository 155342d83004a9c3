-- Three Combs, a beekeepers' co-operative. All made up.
CREATE TABLE region (
  id INTEGER PRIMARY KEY,
  name VARCHAR(60) NOT NULL UNIQUE,
  active BOOLEAN NOT NULL DEFAULT 1
);
CREATE TABLE keeper (
  id INTEGER PRIMARY KEY,
  member_no VARCHAR(12) NOT NULL UNIQUE,
  first_name VARCHAR(60) NOT NULL,
  last_name VARCHAR(60) NOT NULL,
  email VARCHAR(120),
  phone VARCHAR(40),
  street VARCHAR(80),
  postcode VARCHAR(10),
  place VARCHAR(60),
  region_id INTEGER REFERENCES region (id),
  joined_on DATE NOT NULL,
  portrait BLOB,
  api_token VARCHAR(64)
);
CREATE TABLE apiary (
  id INTEGER PRIMARY KEY,
  code VARCHAR(8) NOT NULL UNIQUE,
  name VARCHAR(80) NOT NULL,
  keeper_id INTEGER NOT NULL REFERENCES keeper (id),
  region_id INTEGER REFERENCES region (id),
  street VARCHAR(80),
  place VARCHAR(60),
  latitude DECIMAL(9, 6),
  longitude DECIMAL(9, 6),
  opened_on DATE NOT NULL,
  closed_on DATE,
  notes TEXT
);
CREATE TABLE apiary_helper (
  apiary_id INTEGER NOT NULL REFERENCES apiary (id) ON DELETE CASCADE,
  keeper_id INTEGER NOT NULL REFERENCES keeper (id),
  PRIMARY KEY (apiary_id, keeper_id)
);
CREATE TABLE hive (
  id INTEGER PRIMARY KEY,
  apiary_id INTEGER NOT NULL REFERENCES apiary (id),
  tag VARCHAR(12) NOT NULL UNIQUE,
  hive_type VARCHAR(12) NOT NULL CHECK (hive_type IN ('log', 'skep', 'frame', 'top-bar')),
  colour VARCHAR(20),
  photo BLOB,
  built_on DATE,
  row_version INTEGER NOT NULL DEFAULT 1
);
CREATE TABLE queen_strain (
  id INTEGER PRIMARY KEY,
  name VARCHAR(60) NOT NULL UNIQUE,
  origin VARCHAR(60),
  temper INTEGER CHECK (temper BETWEEN 1 AND 5)
);
CREATE TABLE colony (
  id INTEGER PRIMARY KEY,
  hive_id INTEGER NOT NULL REFERENCES hive (id),
  strain_id INTEGER REFERENCES queen_strain (id),
  queen_mark VARCHAR(20),
  started_on DATE NOT NULL,
  ended_on DATE,
  strength INTEGER
);
CREATE TABLE inspection (
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
CREATE TABLE remedy (
  id INTEGER PRIMARY KEY,
  name VARCHAR(60) NOT NULL UNIQUE,
  substance VARCHAR(60),
  withdrawal_days INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE treatment (
  inspection_id INTEGER NOT NULL REFERENCES inspection (id),
  remedy_id INTEGER NOT NULL REFERENCES remedy (id),
  dose_ml DECIMAL(6, 1),
  PRIMARY KEY (inspection_id, remedy_id)
);
CREATE TABLE harvest (
  id INTEGER PRIMARY KEY,
  colony_id INTEGER NOT NULL REFERENCES colony (id),
  harvested_on DATE NOT NULL,
  honey_kg DECIMAL(8, 2) NOT NULL,
  moisture_pct DECIMAL(4, 1),
  jar_label VARCHAR(60)
);
CREATE VIEW harvest_by_apiary AS
  SELECT h.apiary_id, a.name AS apiary, substr(v.harvested_on, 1, 4) AS season, sum(v.honey_kg) AS kg
  FROM harvest v JOIN colony c ON c.id = v.colony_id JOIN hive h ON h.id = c.hive_id JOIN apiary a ON a.id = h.apiary_id
  GROUP BY h.apiary_id, a.name, substr(v.harvested_on, 1, 4);

INSERT INTO region (id, name) VALUES (1, 'Marsh'), (2, 'Heath');
INSERT INTO keeper (id, member_no, first_name, last_name, postcode, place, region_id, joined_on) VALUES
  (1, 'K-001', 'Isa', 'Thorn', '4120', 'Reedham', 1, '2019-03-01'), (2, 'K-002', 'Odo', 'Vell', '4188', 'Lingford', 2, '2021-05-12');
INSERT INTO apiary (id, code, name, keeper_id, region_id, place, opened_on) VALUES
  (1, 'A1', 'Willow bend', 1, 1, 'Reedham', '2019-04-01'), (2, 'A2', 'Quarry edge', 2, 2, 'Lingford', '2021-06-01');
INSERT INTO hive (id, apiary_id, tag, hive_type) VALUES (1, 1, 'W-1', 'frame'), (2, 2, 'Q-1', 'skep');
INSERT INTO queen_strain (id, name) VALUES (1, 'Heath gold');
INSERT INTO colony (id, hive_id, strain_id, queen_mark, started_on) VALUES (1, 1, 1, 'blue', '2020-05-01');
INSERT INTO inspection (id, colony_id, inspected_on, inspector_id, varroa_count) VALUES (1, 1, '2026-05-02', 1, 3);
INSERT INTO remedy (id, name) VALUES (1, 'Thyme strips');
INSERT INTO treatment VALUES (1, 1, 2.5);
INSERT INTO harvest (id, colony_id, harvested_on, honey_kg, jar_label) VALUES (1, 1, '2026-07-20', 12.5, 'Willow bend 2026');
