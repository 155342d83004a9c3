-- Three Combs, a beekeepers' co-operative. All made up.
CREATE TABLE region (
  id INTEGER AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(60) NOT NULL UNIQUE,
  active BOOLEAN NOT NULL DEFAULT 1
);
CREATE TABLE keeper (
  id INTEGER AUTO_INCREMENT PRIMARY KEY,
  member_no VARCHAR(12) NOT NULL UNIQUE,
  first_name VARCHAR(60) NOT NULL,
  last_name VARCHAR(60) NOT NULL,
  email VARCHAR(120),
  phone VARCHAR(40),
  street VARCHAR(80),
  postcode VARCHAR(10),
  place VARCHAR(60),
  region_id INTEGER,
  joined_on DATE NOT NULL,
  portrait MEDIUMBLOB,
  api_token VARCHAR(64),
  CONSTRAINT keeper_region_id FOREIGN KEY (region_id) REFERENCES region (id)
);
CREATE TABLE apiary (
  id INTEGER AUTO_INCREMENT PRIMARY KEY,
  code VARCHAR(8) NOT NULL UNIQUE,
  name VARCHAR(80) NOT NULL,
  keeper_id INTEGER NOT NULL,
  region_id INTEGER,
  street VARCHAR(80),
  place VARCHAR(60),
  latitude DECIMAL(9, 6),
  longitude DECIMAL(9, 6),
  opened_on DATE NOT NULL,
  closed_on DATE,
  notes TEXT,
  CONSTRAINT apiary_keeper_id FOREIGN KEY (keeper_id) REFERENCES keeper (id),
  CONSTRAINT apiary_region_id FOREIGN KEY (region_id) REFERENCES region (id)
);
CREATE TABLE apiary_helper (
  apiary_id INTEGER NOT NULL,
  keeper_id INTEGER NOT NULL,
  PRIMARY KEY (apiary_id, keeper_id),
  CONSTRAINT apiary_helper_apiary_id FOREIGN KEY (apiary_id) REFERENCES apiary (id) ON DELETE CASCADE,
  CONSTRAINT apiary_helper_keeper_id FOREIGN KEY (keeper_id) REFERENCES keeper (id)
);
CREATE TABLE hive (
  id INTEGER AUTO_INCREMENT PRIMARY KEY,
  apiary_id INTEGER NOT NULL,
  tag VARCHAR(12) NOT NULL UNIQUE,
  hive_type VARCHAR(12) NOT NULL CHECK (hive_type IN ('log', 'skep', 'frame', 'top-bar')),
  colour VARCHAR(20),
  photo MEDIUMBLOB,
  built_on DATE,
  row_version INTEGER NOT NULL DEFAULT 1,
  CONSTRAINT hive_apiary_id FOREIGN KEY (apiary_id) REFERENCES apiary (id)
);
CREATE TABLE queen_strain (
  id INTEGER AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(60) NOT NULL UNIQUE,
  origin VARCHAR(60),
  temper INTEGER CHECK (temper BETWEEN 1 AND 5)
);
CREATE TABLE colony (
  id INTEGER AUTO_INCREMENT PRIMARY KEY,
  hive_id INTEGER NOT NULL,
  strain_id INTEGER,
  queen_mark VARCHAR(20),
  started_on DATE NOT NULL,
  ended_on DATE,
  strength INTEGER,
  CONSTRAINT colony_hive_id FOREIGN KEY (hive_id) REFERENCES hive (id),
  CONSTRAINT colony_strain_id FOREIGN KEY (strain_id) REFERENCES queen_strain (id)
);
CREATE TABLE inspection (
  id INTEGER AUTO_INCREMENT PRIMARY KEY,
  colony_id INTEGER NOT NULL,
  inspected_on DATE NOT NULL,
  inspector_id INTEGER,
  brood_frames INTEGER,
  honey_kg DECIMAL(6, 2),
  temper INTEGER,
  varroa_count INTEGER,
  findings TEXT,
  CONSTRAINT inspection_colony_id FOREIGN KEY (colony_id) REFERENCES colony (id),
  CONSTRAINT inspection_inspector_id FOREIGN KEY (inspector_id) REFERENCES keeper (id)
);
CREATE TABLE remedy (
  id INTEGER AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(60) NOT NULL UNIQUE,
  substance VARCHAR(60),
  withdrawal_days INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE treatment (
  inspection_id INTEGER NOT NULL,
  remedy_id INTEGER NOT NULL,
  dose_ml DECIMAL(6, 1),
  PRIMARY KEY (inspection_id, remedy_id),
  CONSTRAINT treatment_inspection_id FOREIGN KEY (inspection_id) REFERENCES inspection (id),
  CONSTRAINT treatment_remedy_id FOREIGN KEY (remedy_id) REFERENCES remedy (id)
);
CREATE TABLE harvest (
  id INTEGER AUTO_INCREMENT PRIMARY KEY,
  colony_id INTEGER NOT NULL,
  harvested_on DATE NOT NULL,
  honey_kg DECIMAL(8, 2) NOT NULL,
  moisture_pct DECIMAL(4, 1),
  jar_label VARCHAR(60),
  CONSTRAINT harvest_colony_id FOREIGN KEY (colony_id) REFERENCES colony (id)
);
CREATE VIEW harvest_by_apiary AS
  SELECT h.apiary_id, a.name AS apiary, substr(v.harvested_on, 1, 4) AS season, sum(v.honey_kg) AS kg
  FROM harvest v JOIN colony c ON c.id = v.colony_id JOIN hive h ON h.id = c.hive_id JOIN apiary a ON a.id = h.apiary_id
  GROUP BY h.apiary_id, a.name, substr(v.harvested_on, 1, 4);

CREATE PROCEDURE close_apiary(which INTEGER, on_day DATE) MODIFIES SQL DATA UPDATE apiary SET closed_on = on_day WHERE id = which;
CREATE TRIGGER hive_version BEFORE UPDATE ON hive FOR EACH ROW SET NEW.row_version = OLD.row_version + 1;
-- Roles belong to the whole server, so they may be there already.
CREATE ROLE IF NOT EXISTS app_keeper, app_vet, app_office;
GRANT SELECT, INSERT, UPDATE, DELETE ON keeper TO app_office;
GRANT SELECT, INSERT, UPDATE, DELETE ON apiary TO app_office;
GRANT SELECT, INSERT, UPDATE, DELETE ON hive TO app_office;
GRANT SELECT, INSERT ON inspection TO app_vet;
GRANT SELECT, INSERT ON treatment TO app_vet;
GRANT SELECT, UPDATE ON apiary TO app_keeper;
GRANT SELECT, INSERT, UPDATE ON hive TO app_keeper;

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
