-- What a system writes down itself of the changes of a dataset, for a step of a plan. It counts only for the same mapping and
-- revision: what was confirmed was worked off by these.
CREATE TABLE capture (
  -- What the system knows it by.
  consumer text PRIMARY KEY,
  plan text NOT NULL,
  step text NOT NULL,
  dataset text NOT NULL,
  mapping text NOT NULL,
  -- Null until a run has worked all of it off.
  revision integer,
  since timestamptz NOT NULL DEFAULT now()
);
-- What a run took of it.
ALTER TABLE run ADD COLUMN captured json;
-- By which fields of the source delivered records are known, and their values, where deletes come along.
ALTER TABLE delivery_memory ADD COLUMN source json;
ALTER TABLE delivered_before ADD COLUMN source text;
CREATE INDEX delivered_before_source ON delivered_before (memory, source) WHERE source IS NOT NULL;
