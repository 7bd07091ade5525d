-- Runs are counted without gaps: a sequence leaves out up to 32 numbers when the server is killed.
CREATE FUNCTION next_run() RETURNS integer LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_advisory_xact_lock(7404002);
  RETURN (SELECT COALESCE(max(id), 0) + 1 FROM run);
END $$;
ALTER TABLE run ALTER COLUMN id SET DEFAULT next_run();
