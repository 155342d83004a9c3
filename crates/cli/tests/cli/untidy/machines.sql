-- Ids in two spellings, records that two texts tell apart, logs beside their tables, no foreign keys.
CREATE TABLE hosts (id {number}, host varchar(120) NOT NULL, instance varchar(60) NOT NULL, mac_address varchar(20), ip_address varchar(45), last_seen {moment}, passwd_min_length integer, UNIQUE (host, instance));
CREATE TABLE "Job" ("JobId" {number}, "Name" varchar(80) NOT NULL, "hostId" integer, "IsActive" integer NOT NULL DEFAULT 1, "RetryMultiplier" decimal(4,2), "maxLoadKg" decimal(8,2), "apiToken" varchar(64));
CREATE TABLE "JobLog" ("LogId" {number}, "JobId" integer NOT NULL, "LoggedAt" {moment}, level varchar(10) NOT NULL DEFAULT 'info', message text);
CREATE TABLE files (id {number}, directory varchar(200) NOT NULL, file_name varchar(120) NOT NULL, host_id integer NOT NULL, checksum varchar(64) NOT NULL, bytes {big} NOT NULL DEFAULT 0, UNIQUE (directory, file_name));
CREATE TABLE host_groups (host_id integer NOT NULL, group_id integer NOT NULL, PRIMARY KEY (host_id, group_id));
CREATE TABLE groups_of_hosts (id {number}, name varchar(60) NOT NULL, parent_id integer);
CREATE TABLE schema_migrations (version varchar(40) PRIMARY KEY, applied_at {moment});
-- then
ALTER TABLE hosts RENAME COLUMN instance TO instance_name;
ALTER TABLE "Job" ADD COLUMN "fileId" integer;
ALTER TABLE files DROP COLUMN bytes;
ALTER TABLE "JobLog" RENAME TO "JobHistory";
