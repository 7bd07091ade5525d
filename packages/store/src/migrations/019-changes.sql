-- What a mapping has delivered to a dataset, by hashes of the target's key and of the record: so that a run tells what changed.
CREATE TABLE delivery_memory (
  id serial PRIMARY KEY,
  mapping text NOT NULL,
  target text NOT NULL,
  UNIQUE (mapping, target)
);
CREATE TABLE delivered_before (
  memory integer NOT NULL REFERENCES delivery_memory (id) ON DELETE CASCADE,
  key bytea NOT NULL,
  content bytea NOT NULL,
  PRIMARY KEY (memory, key)
);
-- Up to which value of a field the loads of a plan's step have come. It counts only for the same mapping, revision and field,
-- and for the same variables.
CREATE TABLE watermark (
  plan text NOT NULL REFERENCES plan (id) ON DELETE CASCADE,
  step text NOT NULL,
  scope text NOT NULL,
  mapping text NOT NULL,
  revision integer NOT NULL,
  field text NOT NULL,
  value text NOT NULL,
  type text NOT NULL,
  run integer NOT NULL,
  PRIMARY KEY (plan, step, scope)
);
-- From where a run reads, fixed when it begins, and the highest value that it has passed.
ALTER TABLE run ADD COLUMN since json;
ALTER TABLE run ADD COLUMN highest text;
ALTER TABLE run ADD COLUMN highest_type text;
