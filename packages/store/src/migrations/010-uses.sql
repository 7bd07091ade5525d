-- What mappings use of the things around them, as their drafts say; written with each save.
CREATE TABLE mapping_use (
  mapping text NOT NULL REFERENCES mapping (id) ON DELETE CASCADE,
  thing text NOT NULL CHECK (thing IN ('dataset', 'code table', 'key map')),
  name text NOT NULL,
  role text,
  field text,
  line text,
  number integer
);
CREATE INDEX ON mapping_use (thing, name);
CREATE INDEX ON mapping_use (mapping);
-- The version of the draft whose uses are kept; null where they still have to be found.
ALTER TABLE mapping ADD COLUMN uses_of integer;
-- A zero byte can't be kept in JSON; drafts that have one (no page could write it) lose it, so that they can be read.
UPDATE mapping SET draft = regexp_replace(draft, '(?<!\\)((?:\\\\)*)\\u0000', '\1', 'g') WHERE strpos(draft, '\u0000') > 0;
-- As the draft says; a draft that is no JSON to PostgreSQL keeps its id as its name until it is saved.
ALTER TABLE mapping ADD COLUMN name text;
DO $$
DECLARE
  one record;
BEGIN
  FOR one IN SELECT id, draft FROM mapping LOOP
    BEGIN
      UPDATE mapping SET name = one.draft::jsonb ->> 'name' WHERE id = one.id;
    EXCEPTION WHEN data_exception THEN
      UPDATE mapping SET name = one.id WHERE id = one.id;
    END;
  END LOOP;
END $$;
ALTER TABLE mapping ALTER COLUMN name SET NOT NULL;
