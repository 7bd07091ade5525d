-- What is remembered of delivered records holds the values of their keys where something is done about those that are gone:
-- `keys` are the fields, and `cells` their values as texts. A content that is empty is like no other: the record is sent again.
ALTER TABLE delivery_memory ADD COLUMN keys json;
ALTER TABLE delivered_before ADD COLUMN cells json;
-- The keys that a run met in each of its chunks, and how many records it read whose key can't be told.
CREATE TABLE run_seen (
  run integer NOT NULL REFERENCES run (id) ON DELETE CASCADE,
  chunk integer NOT NULL,
  keys bytea NOT NULL,
  untold integer NOT NULL,
  PRIMARY KEY (run, chunk)
);
-- Records that were delivered before and a run did not meet any more, until its target has been told.
CREATE TABLE run_gone (
  run integer NOT NULL REFERENCES run (id) ON DELETE CASCADE,
  key bytea NOT NULL,
  cells json NOT NULL,
  PRIMARY KEY (run, key)
);
-- How many of them were deleted or marked.
ALTER TABLE run ADD COLUMN gone bigint NOT NULL DEFAULT 0;
