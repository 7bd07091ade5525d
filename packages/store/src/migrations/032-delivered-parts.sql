-- What a mapping has delivered is kept as it was delivered: a part for each time, of which the later one counts, instead of
-- a row for each record. `digests` has 32 bytes a record, `cells` and `sources` a member each where keys are remembered.
CREATE TABLE delivered_part (
  memory integer NOT NULL REFERENCES delivery_memory (id) ON DELETE CASCADE,
  number bigserial,
  -- Whose delivery it was; null once several have been brought together.
  run integer,
  digests bytea NOT NULL,
  cells json,
  sources json,
  -- That the target has had these is known, but not what it has of them now.
  unsure boolean NOT NULL DEFAULT false,
  PRIMARY KEY (memory, number)
);
-- Hashes can't be packed; nothing is lost by not trying.
ALTER TABLE delivered_part ALTER COLUMN digests SET STORAGE EXTERNAL;
INSERT INTO delivered_part (memory, digests, cells, sources)
  SELECT memory, string_agg(key || CASE WHEN content = '' THEN decode(repeat('11', 16), 'hex') ELSE content END, ''::bytea ORDER BY n),
         CASE WHEN bool_or(cells IS NOT NULL) THEN json_agg(cells ORDER BY n) END,
         CASE WHEN bool_or(source IS NOT NULL) THEN json_agg(source ORDER BY n) END
    FROM (SELECT *, row_number() OVER (PARTITION BY memory ORDER BY key) - 1 AS n FROM delivered_before) AS d
   GROUP BY memory, n / 20000 ORDER BY memory, n / 20000;
DROP TABLE delivered_before;
