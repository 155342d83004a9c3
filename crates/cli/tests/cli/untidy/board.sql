-- A prefix on every table, settings, caches, sessions, values by keys, empty texts as defaults.
CREATE TABLE nb_people (id {number}, login varchar(60) NOT NULL DEFAULT '' UNIQUE, login_pass varchar(255) NOT NULL DEFAULT '', email varchar(100) NOT NULL DEFAULT '', since {moment}, confirm_key varchar(60) NOT NULL DEFAULT '', state integer NOT NULL DEFAULT 0, shown_name varchar(250) NOT NULL DEFAULT '');
CREATE TABLE nb_notices (id {number}, people_id {big} NOT NULL DEFAULT 0, pinned_at {moment}, body text NOT NULL, heading text NOT NULL, state varchar(20) NOT NULL DEFAULT 'open', remark_count {big} NOT NULL DEFAULT 0, thumbnail_type varchar(20), above {big} NOT NULL DEFAULT 0);
CREATE TABLE nb_noticevalues (value_id {number}, notice_id integer NOT NULL DEFAULT 0, value_key varchar(190), value_text text);
CREATE TABLE nb_remarks (remark_id {number}, notice_id integer NOT NULL REFERENCES nb_notices (id), author text NOT NULL, author_email varchar(100) NOT NULL DEFAULT '', author_url varchar(200) NOT NULL DEFAULT '', author_ip varchar(100) NOT NULL DEFAULT '', body text NOT NULL, allowed varchar(20) NOT NULL DEFAULT '1', people_id integer);
CREATE TABLE nb_settings (setting_id {number}, setting_name varchar(190) NOT NULL DEFAULT '' UNIQUE, setting_value text NOT NULL, loaded_first varchar(20) NOT NULL DEFAULT 'yes');
CREATE TABLE nb_sessions (session_key varchar(40) PRIMARY KEY, session_data text NOT NULL, expires {moment});
CREATE TABLE nb_cache (cache_key varchar(190) PRIMARY KEY, value text, expires {big});
CREATE TABLE nb_topic_notice (topic_id integer NOT NULL, notice_id integer NOT NULL REFERENCES nb_notices (id), sort integer NOT NULL DEFAULT 0, PRIMARY KEY (topic_id, notice_id));
CREATE TABLE nb_topics (id {number}, name varchar(200) NOT NULL DEFAULT '', short varchar(200) NOT NULL DEFAULT '', topic_group {big} NOT NULL DEFAULT 0);
-- then
ALTER TABLE nb_remarks RENAME COLUMN author_ip TO author_address;
ALTER TABLE nb_topics ADD COLUMN colour varchar(7) NOT NULL DEFAULT '';
ALTER TABLE nb_notices DROP COLUMN above;
