-- The types of the fields that a source says itself, as it was read last.
ALTER TABLE source_structure ADD COLUMN types json NOT NULL DEFAULT '{}';
