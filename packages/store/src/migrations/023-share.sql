-- A run that shares out the records of a dataset among mappings, and those that none of them took.
ALTER TABLE run DROP CONSTRAINT run_kind_check;
ALTER TABLE run ADD CONSTRAINT run_kind_check CHECK (kind IN ('full', 'replay', 'plan', 'each', 'share', 'sql', 'request'));
ALTER TABLE run ADD COLUMN unmatched bigint NOT NULL DEFAULT 0;
CREATE TABLE unmatched_record (
  run integer NOT NULL REFERENCES run (id) ON DELETE CASCADE,
  -- Its place among those of the run.
  place bigint NOT NULL,
  row_number bigint NOT NULL,
  file text,
  source json NOT NULL,
  why text NOT NULL,
  -- Otherwise nobody could read it, and it can't be shared out again.
  readable boolean NOT NULL,
  -- The run that shared it out once more.
  shared_by integer REFERENCES run (id),
  PRIMARY KEY (run, place)
);
