-- Every kind of thing that SQLite has and the program reads.
CREATE TABLE region (id INTEGER PRIMARY KEY AUTOINCREMENT, name VARCHAR(60) NOT NULL UNIQUE ON CONFLICT REPLACE, active BOOLEAN NOT NULL DEFAULT 1);
CREATE TABLE keeper (
  id INTEGER PRIMARY KEY,
  full_name TEXT NOT NULL COLLATE NOCASE,
  email VARCHAR(120) UNIQUE,
  region_id INTEGER REFERENCES region (id) ON DELETE SET NULL ON UPDATE CASCADE DEFERRABLE INITIALLY DEFERRED,
  mentor_id INTEGER REFERENCES keeper DEFERRABLE,
  fee DECIMAL(10, 2) NOT NULL DEFAULT 12.50,
  joined TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP,
  slug TEXT GENERATED ALWAYS AS (lower(full_name)) STORED,
  half REAL AS (fee / 2),
  photo BLOB, anything,
  CONSTRAINT fee_fits CHECK (fee >= 0 AND fee < 1000)
);
CREATE INDEX keeper_by_lower ON keeper (lower(full_name), joined DESC) WHERE fee > 0;
CREATE INDEX keeper_by_name ON keeper (full_name COLLATE BINARY);
CREATE UNIQUE INDEX keeper_active_email ON keeper (email) WHERE region_id IS NOT NULL;
CREATE TABLE pair (a INTEGER NOT NULL, b TEXT NOT NULL, PRIMARY KEY (a, b)) STRICT, WITHOUT ROWID;
CREATE TABLE "two words" ("a column" TEXT, "quo""ted" INT);
CREATE VIEW keeper_names AS SELECT k.id, k.full_name, r.name AS region FROM keeper k LEFT JOIN region r ON r.id = k.region_id;
CREATE TRIGGER keeper_stamp AFTER UPDATE ON keeper BEGIN UPDATE keeper SET joined = CURRENT_TIMESTAMP WHERE id = NEW.id; END;
CREATE TRIGGER keeper_names_insert INSTEAD OF INSERT ON keeper_names BEGIN INSERT INTO keeper (full_name) VALUES (NEW.full_name); END;
