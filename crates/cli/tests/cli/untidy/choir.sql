-- Abbreviations, a prefix on every column, references that nothing declares, yes and no as numbers.
CREATE TABLE tb_mitglied (
    mg_id {number}, mg_nr varchar(10) NOT NULL, mg_vorname varchar(40) NOT NULL DEFAULT '', mg_nachname varchar(60) NOT NULL,
    mg_gebdat date, mg_strasse varchar(80), mg_plz varchar(10), mg_ort varchar(60), mg_stimme_id integer, mg_aktiv integer NOT NULL DEFAULT 1,
    mg_del integer NOT NULL DEFAULT 0, mg_passwort varchar(120), mg_bem text, UNIQUE (mg_nr));
CREATE TABLE tb_stimme (st_id {number}, st_bez varchar(40) NOT NULL, st_sort integer NOT NULL DEFAULT 0);
CREATE TABLE tb_probe (pr_id {number}, pr_datum date NOT NULL, pr_ort varchar(60), pr_dauer_min integer, pr_lastupdated {moment});
CREATE TABLE tb_anwesend (an_probe_id integer NOT NULL, an_mitglied_id integer NOT NULL, an_entsch integer NOT NULL DEFAULT 0, PRIMARY KEY (an_probe_id, an_mitglied_id));
CREATE TABLE tb_einst (es_key varchar(40) PRIMARY KEY, es_value text);
-- then
ALTER TABLE tb_mitglied RENAME COLUMN mg_bem TO mg_bemerkung;
ALTER TABLE tb_probe ADD COLUMN pr_stimme_id integer;
ALTER TABLE tb_mitglied DROP COLUMN mg_ort;
