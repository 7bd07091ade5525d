-- What becomes of a record when it is mapped: the hash of what was read, of the key and of the content, one after the other
-- (changes/mapped-before.ts). It holds for whatever is mapped in just the same way, which is what the identity says.
CREATE TABLE mapped_part (
  memory integer NOT NULL REFERENCES delivery_memory (id) ON DELETE CASCADE,
  number bigserial,
  identity text NOT NULL,
  entries bytea NOT NULL,
  PRIMARY KEY (memory, number)
);
-- Hashes can't be packed; nothing is lost by not trying.
ALTER TABLE mapped_part ALTER COLUMN entries SET STORAGE EXTERNAL;
