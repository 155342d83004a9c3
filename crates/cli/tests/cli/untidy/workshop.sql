-- One wide table with everything, columns in families, switches by the dozen.
CREATE TABLE customer (
    id {number}, customer_type integer NOT NULL DEFAULT 0, salutation varchar(10), firstname varchar(40), lastname varchar(60), company varchar(80),
    billing_name varchar(80), billing_street varchar(80), billing_zip varchar(10), billing_city varchar(60), billing_country char(2),
    shipping_name varchar(80), shipping_street varchar(80), shipping_zip varchar(10), shipping_city varchar(60), shipping_country char(2),
    phone varchar(30), mobile varchar(30), fax_no varchar(30), email varchar(120), email_subject varchar(80), website varchar(200),
    bank_iban varchar(34), bank_bic varchar(11), bank_owner varchar(80), credit_limit decimal(10,2), discount_pct decimal(4,1), balance decimal(12,2) NOT NULL DEFAULT 0,
    is_active integer NOT NULL DEFAULT 1, is_supplier integer NOT NULL DEFAULT 0, is_private integer NOT NULL DEFAULT 0, has_newsletter integer NOT NULL DEFAULT 0, has_login integer NOT NULL DEFAULT 0,
    ids_of_old varchar(60), notes text, internal_comment text, lastmodified {stamp}, lastmodified_by varchar(20));
CREATE TABLE vehicle (id {number}, customer_id integer NOT NULL REFERENCES customer (id), plate varchar(12) NOT NULL, vin varchar(17), make varchar(30), model varchar(40), year integer, km integer, power_kw integer, empty_weight_kg integer, load_weight_kg integer);
CREATE TABLE repair (id {number}, vehicle_id integer NOT NULL REFERENCES vehicle (id), came_on date NOT NULL, done integer NOT NULL DEFAULT 0, hours decimal(5,2), hourly_rate decimal(6,2), parts_amount decimal(10,2), total decimal(10,2), km integer, complaint text);
CREATE TABLE repair_part (repair_id integer NOT NULL REFERENCES repair (id), pos integer NOT NULL, part_no varchar(20) NOT NULL, quantity decimal(8,2) NOT NULL DEFAULT 1, unit_price decimal(8,2), PRIMARY KEY (repair_id, pos));
CREATE TABLE job_queue (id {number}, payload text, tries integer NOT NULL DEFAULT 0, locked_until {stamp});
-- then
ALTER TABLE customer RENAME COLUMN mobile TO mobile_phone;
ALTER TABLE vehicle ADD COLUMN is_electric integer NOT NULL DEFAULT 0;
ALTER TABLE repair DROP COLUMN hourly_rate;
