-- Every kind of thing that MariaDB has and the program reads.
CREATE TABLE region (id int unsigned AUTO_INCREMENT PRIMARY KEY, name varchar(60) NOT NULL UNIQUE, active boolean NOT NULL DEFAULT 1) COMMENT 'Where yards are';
CREATE TABLE keeper (
  id int(11) AUTO_INCREMENT PRIMARY KEY,
  full_name varchar(120) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  email varchar(120) UNIQUE,
  temper enum('calm', 'lively', 'hot') NOT NULL DEFAULT 'calm',
  skills set('queens', 'comb', 'wax'),
  region_id int unsigned,
  fee decimal(10, 2) NOT NULL DEFAULT 12.50 COMMENT 'in crowns',
  joined timestamp(3) NOT NULL DEFAULT current_timestamp(3) ON UPDATE current_timestamp(3),
  note text DEFAULT NULL,
  motto varchar(20) DEFAULT 'NULL',
  slug varchar(130) GENERATED ALWAYS AS (lower(full_name)) STORED,
  half decimal(10, 2) GENERATED ALWAYS AS (fee / 2) VIRTUAL,
  settings json,
  badge uuid,
  flags bit(8),
  born year,
  tiny tinyint unsigned,
  photo mediumblob,
  spot point,
  CONSTRAINT fee_fits CHECK (fee >= 0 AND fee < 1000),
  CONSTRAINT in_region FOREIGN KEY (region_id) REFERENCES region (id) ON DELETE SET NULL ON UPDATE CASCADE,
  KEY by_name (full_name(20), joined DESC),
  FULLTEXT KEY by_note (note)
) COLLATE utf8mb4_general_ci;
CREATE TABLE pair (a int NOT NULL, b int NOT NULL, c int, PRIMARY KEY (a, b), UNIQUE KEY (c, a)) ENGINE = Aria;
CREATE TABLE pair_note (id int PRIMARY KEY, a int, b int, text longtext);
CREATE TABLE reading (taken date NOT NULL, hive int NOT NULL, grams bigint, PRIMARY KEY (taken, hive))
  PARTITION BY RANGE (year(taken)) (PARTITION p2025 VALUES LESS THAN (2026), PARTITION p2026 VALUES LESS THAN (2027));
CREATE TABLE price (id int PRIMARY KEY, amount decimal(8, 2)) WITH SYSTEM VERSIONING;
CREATE SEQUENCE ticket_no START WITH 100 INCREMENT BY 5 MAXVALUE 9000 CYCLE;
CREATE VIEW keeper_names AS SELECT k.id, k.full_name, r.name AS region FROM keeper k LEFT JOIN region r ON r.id = k.region_id;
CREATE SQL SECURITY INVOKER VIEW active_region AS SELECT id, name FROM region WHERE active WITH CHECK OPTION;
CREATE FUNCTION fee_of(who int) RETURNS decimal(10, 2) DETERMINISTIC READS SQL DATA RETURN (SELECT fee FROM keeper WHERE id = who);
CREATE PROCEDURE close_region(IN area int, OUT done int) MODIFIES SQL DATA UPDATE region SET active = 0 WHERE id = area;
CREATE TRIGGER keeper_stamp BEFORE UPDATE ON keeper FOR EACH ROW SET NEW.joined = current_timestamp(3);
CREATE EVENT nightly ON SCHEDULE EVERY 1 DAY STARTS '2026-01-01 02:00:00' DISABLE DO DELETE FROM region WHERE active = 0 AND id > 1000;
