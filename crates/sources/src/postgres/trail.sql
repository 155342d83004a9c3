-- A change log for ysomorph: who changed which table, when, and by which statement.
-- Run it once as a superuser, in the database it is for. DROP SCHEMA ysomorph_trail CASCADE takes it away again.
BEGIN;
CREATE SCHEMA ysomorph_trail;
CREATE TABLE ysomorph_trail.entry (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  at timestamptz NOT NULL DEFAULT clock_timestamp(),
  who text NOT NULL DEFAULT session_user,
  application text DEFAULT current_setting('application_name', true),
  command text NOT NULL,
  object_type text,
  object text,
  statement text DEFAULT current_query()
);
CREATE FUNCTION ysomorph_trail.note() RETURNS event_trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog AS $note$
BEGIN
  INSERT INTO ysomorph_trail.entry (command, object_type, object)
    SELECT DISTINCT command_tag, object_type, object_identity FROM pg_event_trigger_ddl_commands() WHERE NOT in_extension;
END
$note$;
CREATE FUNCTION ysomorph_trail.note_drop() RETURNS event_trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog AS $note$
BEGIN
  INSERT INTO ysomorph_trail.entry (command, object_type, object)
    SELECT tg_tag, object_type, object_identity FROM pg_event_trigger_dropped_objects() WHERE original AND schema_name IS DISTINCT FROM 'pg_temp';
END
$note$;
CREATE EVENT TRIGGER ysomorph_trail_note ON ddl_command_end EXECUTE FUNCTION ysomorph_trail.note();
CREATE EVENT TRIGGER ysomorph_trail_note_drop ON sql_drop EXECUTE FUNCTION ysomorph_trail.note_drop();
-- Whoever runs ysomorph may read it.
GRANT USAGE ON SCHEMA ysomorph_trail TO PUBLIC;
GRANT SELECT ON ysomorph_trail.entry TO PUBLIC;
COMMIT;
