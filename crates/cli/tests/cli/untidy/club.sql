-- Words that SQL keeps for itself, blanks and umlauts in names, links with more than their ends, records that belong to anything.
CREATE TABLE "user" (id {number}, "name" varchar(60) NOT NULL, "group" varchar(20), "order" integer, "select" integer NOT NULL DEFAULT 0);
CREATE TABLE "Größe" (id {number}, "Länge in cm" integer, "Straße" varchar(80), "Hinweis" text);
CREATE TABLE team (id {number}, name varchar(60) NOT NULL, "Größe_id" integer REFERENCES "Größe" (id));
CREATE TABLE team_user (team_id integer NOT NULL REFERENCES team (id), user_id integer NOT NULL REFERENCES "user" (id), since date, PRIMARY KEY (team_id, user_id));
CREATE TABLE team_friend (team_id integer NOT NULL REFERENCES team (id), friend_id integer NOT NULL REFERENCES team (id), updated_by integer REFERENCES "user" (id), PRIMARY KEY (team_id, friend_id));
CREATE TABLE attachment (id {number}, owner_type varchar(40) NOT NULL, owner_id integer NOT NULL, file_name varchar(120) NOT NULL, content {bytes}, mail_host varchar(60));
CREATE TABLE "event log" (at {stamp}, "what happened" varchar(200), "user" integer);
-- then
ALTER TABLE team RENAME COLUMN name TO called;
ALTER TABLE team_user ADD COLUMN role varchar(20);
ALTER TABLE "Größe" DROP COLUMN "Hinweis";
