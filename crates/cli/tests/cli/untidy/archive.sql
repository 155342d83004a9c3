-- Binary keys and contents, digests, names that are texts of any length, one record for one other.
CREATE TABLE box (id {uuid} PRIMARY KEY, shelfmark varchar(40) NOT NULL UNIQUE, title varchar(300), from_year integer, to_year integer);
CREATE TABLE item (id {uuid} PRIMARY KEY, box_id {uuid} NOT NULL REFERENCES box (id), sha256 {bytes}, scan {bytes}, scan_thumbnail {bytes}, image_format_id integer, caption text, width_mm integer, height_mm integer, pages integer, url_of_copy varchar(300), colour varchar(7));
CREATE TABLE item_rights (item_id {uuid} PRIMARY KEY REFERENCES item (id), holder varchar(120), until date, public {flag} NOT NULL DEFAULT {no});
CREATE TABLE image_format (id {number}, extension varchar(8) NOT NULL, mime varchar(60) NOT NULL);
CREATE TABLE keyword (word varchar(60) PRIMARY KEY);
CREATE TABLE item_keyword (item_id {uuid} NOT NULL REFERENCES item (id), keyword varchar(60) NOT NULL REFERENCES keyword (word), PRIMARY KEY (item_id, keyword));
CREATE TABLE loan (item_id {uuid} NOT NULL REFERENCES item (id), lent_on date NOT NULL DEFAULT CURRENT_DATE, to_whom varchar(80) NOT NULL, back_on date, PRIMARY KEY (item_id, lent_on));
-- then
ALTER TABLE item RENAME COLUMN caption TO legend;
ALTER TABLE box ADD COLUMN room varchar(10);
ALTER TABLE item DROP COLUMN colour;
