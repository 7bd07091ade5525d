-- A run's own name in journals and keys: numbers come again when a data directory is put back. Null: older than this.
ALTER TABLE run ADD COLUMN uid text;
ALTER TABLE run ALTER COLUMN uid SET DEFAULT gen_random_uuid()::text;
-- What cuts the run into chunks, fixed when it begins.
ALTER TABLE run ADD COLUMN cut jsonb;
-- Records that the target has already as they are, or keeps as it has them.
ALTER TABLE run ADD COLUMN unchanged bigint NOT NULL DEFAULT 0;
-- The last number of a sequence before the run, and at its checkpoint.
ALTER TABLE run ADD COLUMN sequence_from bigint;
ALTER TABLE run ADD COLUMN sequence bigint;
-- It ended because a system could not be reached; it may go on by itself.
ALTER TABLE run ADD COLUMN outage boolean NOT NULL DEFAULT false;
-- Who said that a table may lose most of its rows.
ALTER TABLE run ADD COLUMN confirmed_by text;

CREATE TABLE mapping_sequence (
  mapping text PRIMARY KEY REFERENCES mapping (id) ON DELETE CASCADE,
  last bigint NOT NULL
);
INSERT INTO mapping_sequence (mapping, last) SELECT mapping, max(delivered + failed) FROM run GROUP BY mapping;

-- What the target may know the record by, for good, and the number that it had in a sequence.
ALTER TABLE failed_record ADD COLUMN delivery_key text;
ALTER TABLE failed_record ADD COLUMN sequence bigint;

-- The order in which a replay sends its records, fixed when it is made.
ALTER TABLE replay_item ADD COLUMN place bigint NOT NULL DEFAULT 0;
ALTER TABLE replay_item ADD COLUMN duplicate boolean NOT NULL DEFAULT false;
UPDATE replay_item i SET duplicate = true FROM failed_record f WHERE f.id = i.record AND f.cause = 'duplicate_key';

-- What was connected before keeps the signature that its sender makes.
UPDATE system SET connection = connection || '{"signs":"body"}' WHERE connection ->> 'kind' = 'webhook';

-- Share of a table's rows that a run may remove without asking.
ALTER TABLE plan ADD COLUMN removes_at_most real NOT NULL DEFAULT 0.5;

-- What a delivery had as its body, to tell another body under the same id.
ALTER TABLE received ADD COLUMN hash text;

-- Requests to an API: written before each is sent, and again when its answer is there.
CREATE TABLE request_journal (
  run text NOT NULL,
  chunk integer NOT NULL,
  first integer NOT NULL,
  records integer NOT NULL,
  at timestamptz NOT NULL DEFAULT clock_timestamp(),
  -- What the answer said of the records; null: none came yet.
  outcome json,
  PRIMARY KEY (run, chunk, first)
)
