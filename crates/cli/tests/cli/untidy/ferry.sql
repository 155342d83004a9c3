-- Keys of several columns and references to them, references in a circle and to itself.
CREATE TABLE country (iso char(2) PRIMARY KEY, name varchar(60) NOT NULL);
CREATE TABLE port (iso char(2) NOT NULL REFERENCES country (iso), port_no integer NOT NULL, name varchar(60) NOT NULL, lat decimal(8,5), lon decimal(8,5), PRIMARY KEY (iso, port_no));
CREATE TABLE line (id {number}, from_iso char(2) NOT NULL, from_port integer NOT NULL, to_iso char(2) NOT NULL, to_port integer NOT NULL, minutes integer, FOREIGN KEY (from_iso, from_port) REFERENCES port (iso, port_no), FOREIGN KEY (to_iso, to_port) REFERENCES port (iso, port_no));
CREATE TABLE ship (id {number}, name varchar(60) NOT NULL, captain_id integer, cars integer, max_weight_t decimal(8,1), sister_id integer REFERENCES ship (id));
CREATE TABLE crew (id {number}, name varchar(60) NOT NULL, ship_id integer NOT NULL REFERENCES ship (id), boss_id integer REFERENCES crew (id), rate decimal(6,2));
CREATE TABLE departure (line_id integer NOT NULL REFERENCES line (id), leaves_at {stamp} NOT NULL, ship_id integer REFERENCES ship (id), status varchar(12) NOT NULL DEFAULT 'planned' CHECK (status IN ('planned', 'boarding', 'left', 'cancelled')), PRIMARY KEY (line_id, leaves_at));
CREATE TABLE ticket (no varchar(14) PRIMARY KEY, line_id integer NOT NULL, leaves_at {stamp} NOT NULL, passenger varchar(80) NOT NULL, price decimal(8,2) NOT NULL DEFAULT 0, pin_code varchar(6), FOREIGN KEY (line_id, leaves_at) REFERENCES departure (line_id, leaves_at));
-- then
ALTER TABLE port RENAME COLUMN name TO port_name;
ALTER TABLE ticket ADD COLUMN vehicle_length decimal(4,1);
ALTER TABLE crew DROP COLUMN rate;
