-- Defaults of all kinds, values that the database works out, and views over it all.
CREATE TABLE employee (id {number}, short char(3) NOT NULL UNIQUE, name varchar(60) NOT NULL, entered date NOT NULL DEFAULT CURRENT_DATE, weekly_hours decimal(4,1) NOT NULL DEFAULT 40, pwd varchar(100) NOT NULL DEFAULT '', created_when {moment}, created_user varchar(60) {user});
CREATE TABLE project (id {number}, code varchar(10) NOT NULL UNIQUE, title varchar(80) NOT NULL, budget decimal(12,2), hidden integer NOT NULL DEFAULT 0, colour varchar(7) NOT NULL DEFAULT '#cccccc', lead_id integer);
CREATE TABLE entry (id {number}, employee_id integer NOT NULL REFERENCES employee (id), project_id integer NOT NULL REFERENCES project (id), worked_on date NOT NULL, minutes integer NOT NULL CHECK (minutes BETWEEN 1 AND 1440), remark varchar(200) NOT NULL DEFAULT '', entered_at {moment}, entered_by varchar(60) {user}, hours decimal(8,2) GENERATED ALWAYS AS (minutes / 60.0) STORED);
CREATE TABLE absence (employee_id integer NOT NULL REFERENCES employee (id), kind varchar(10) NOT NULL DEFAULT 'holiday', first_day date NOT NULL, last_day date NOT NULL, CHECK (last_day >= first_day), PRIMARY KEY (employee_id, first_day));
CREATE VIEW hours_by_project AS SELECT p.id AS project_id, p.title, sum(e.minutes) AS minutes FROM project p JOIN entry e ON e.project_id = p.id GROUP BY p.id, p.title;
CREATE VIEW last_entries AS SELECT e.worked_on, m.name, e.remark FROM entry e JOIN employee m ON m.id = e.employee_id;
-- then
ALTER TABLE employee RENAME COLUMN short TO initials;
ALTER TABLE entry ADD COLUMN billed integer NOT NULL DEFAULT 0;
ALTER TABLE absence DROP COLUMN kind;
