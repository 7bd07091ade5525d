-- Everything is found by a few letters, also among a million failed records, and also misspelt.
CREATE EXTENSION IF NOT EXISTS pg_trgm;
ALTER TABLE mapping_use DROP CONSTRAINT mapping_use_thing_check;
ALTER TABLE mapping_use ADD CONSTRAINT mapping_use_thing_check CHECK (thing IN ('dataset', 'code table', 'key map', 'line'));
-- The names of lines are kept from now on: drafts are looked through once more.
UPDATE mapping SET uses_of = NULL;
CREATE INDEX mapping_use_words ON mapping_use USING gin (name gin_trgm_ops) WHERE thing = 'line';
CREATE INDEX failed_record_words ON failed_record USING gin ((label || ' ' || example) gin_trgm_ops);
-- Hashed: a key may be longer than a B-tree takes.
CREATE INDEX failed_record_label ON failed_record USING hash (label);
-- The records of a cause, page by page.
CREATE INDEX failed_record_rows ON failed_record (mapping, cause, row_number, id);
-- What a system held when it was last looked at.
CREATE TABLE known_dataset (
  system text NOT NULL REFERENCES system (id) ON DELETE CASCADE,
  name text NOT NULL,
  PRIMARY KEY (system, name)
);
