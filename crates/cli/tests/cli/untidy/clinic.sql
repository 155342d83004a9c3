-- The same columns noted on every table, by people who are records themselves; a log beside every table.
CREATE TABLE app_user (id {number}, username varchar(40) NOT NULL UNIQUE, password_hash varchar(100) NOT NULL, full_name varchar(80) NOT NULL, mfa_secret varchar(60), locked {flag} NOT NULL DEFAULT {no});
CREATE TABLE patient (id {number}, card_no varchar(12) NOT NULL, firstname varchar(40) NOT NULL, lastname varchar(60) NOT NULL, birthdate date, insurance_no varchar(20), phone_home varchar(30), street varchar(60), zipcode varchar(10), city varchar(40), created_at {moment}, created_by integer REFERENCES app_user (id), modified_when {stamp}, modified_by integer REFERENCES app_user (id), t_version integer NOT NULL DEFAULT 1);
CREATE TABLE patient_log (log_id {number}, log_action char(1) NOT NULL, log_time {moment}, id integer, card_no varchar(12), firstname varchar(40), lastname varchar(60), birthdate date);
CREATE TABLE visit (id {number}, patient_id integer NOT NULL REFERENCES patient (id), doctor_id integer REFERENCES app_user (id), visited {stamp} NOT NULL, findings text, weight decimal(5,2), height integer, bloodpressure varchar(10), created_at {moment}, created_by integer REFERENCES app_user (id));
CREATE TABLE diagnosis (code varchar(8) PRIMARY KEY, text varchar(200) NOT NULL, created_at {moment}, created_by integer REFERENCES app_user (id));
CREATE TABLE visit_diagnosis (visit_id integer NOT NULL REFERENCES visit (id), diagnosis_code varchar(8) NOT NULL REFERENCES diagnosis (code), created_at {moment}, created_by integer REFERENCES app_user (id), PRIMARY KEY (visit_id, diagnosis_code));
CREATE TABLE audit_log (id {number}, at {moment}, who varchar(60), what text);
-- then
ALTER TABLE patient RENAME COLUMN insurance_no TO insurance_number;
ALTER TABLE patient_log RENAME COLUMN card_no TO card_number;
ALTER TABLE visit ADD COLUMN room varchar(10);
DROP TABLE audit_log;
