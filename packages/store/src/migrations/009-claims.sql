-- Who carries out a run, until when if nothing more is heard, and the how-manyth claim of it that is: whoever lost one writes nothing.
ALTER TABLE run ADD COLUMN claim bigint NOT NULL DEFAULT 0;
ALTER TABLE run ADD COLUMN claimed_by text;
ALTER TABLE run ADD COLUMN claimed_until timestamptz;

-- What a run reads (several may), writes (several may, while nobody reads it) or has to have for itself.
CREATE TABLE run_use (
  run integer NOT NULL REFERENCES run (id) ON DELETE CASCADE,
  thing text NOT NULL,
  use text NOT NULL CHECK (use IN ('read', 'write', 'alone')),
  PRIMARY KEY (run, thing)
);
CREATE INDEX ON run_use (thing);

CREATE FUNCTION require_claim(of integer, number bigint) RETURNS void LANGUAGE plpgsql AS $$
BEGIN
  PERFORM 1 FROM run WHERE id = of AND claim = number FOR UPDATE;
  IF NOT FOUND THEN
    RAISE EXCEPTION 'run % is carried out elsewhere now', of USING ERRCODE = 'VRS01';
  END IF;
END $$;
