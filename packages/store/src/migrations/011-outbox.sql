-- Finished records on their way to a target that takes them by request. They lie here from the moment at which their chunk is
-- settled until what the target said of them is.
CREATE TABLE outbox (
  id bigserial PRIMARY KEY,
  run integer NOT NULL REFERENCES run (id) ON DELETE CASCADE,
  -- `system/dataset`.
  target text NOT NULL,
  part integer NOT NULL,
  -- What the target may know the record by; it never changes.
  key text NOT NULL,
  -- Records of one order key go one after the other; null: in any order.
  order_key text,
  -- json, not jsonb: what is kept of a record stays in the order in which it was read.
  cells json NOT NULL,
  -- What a failed record of it would have, and what is kept when it arrives: remarks, keys.
  record json NOT NULL,
  on_arrival json NOT NULL,
  -- The failed record that is sent again.
  replayed bigint,
  -- The request that it went with, by its first record's id, written before that is sent; null: it waits.
  request bigint
);
CREATE INDEX ON outbox (target, id);
CREATE INDEX ON outbox (target, request) WHERE request IS NOT NULL;
CREATE INDEX ON outbox (run, id);

-- The columns of a run's records, by part.
CREATE TABLE outbox_part (
  run integer NOT NULL REFERENCES run (id) ON DELETE CASCADE,
  part integer NOT NULL,
  dataset text NOT NULL,
  columns json NOT NULL,
  key json NOT NULL,
  PRIMARY KEY (run, part)
);

-- Who sends to a target, until when if nothing more is heard, and the how-manyth claim of it that is.
CREATE TABLE sender (
  target text PRIMARY KEY,
  claim bigint NOT NULL DEFAULT 0,
  claimed_by text,
  claimed_until timestamptz,
  -- Since when the target does not take anything, and why.
  outage_since timestamptz,
  outage text
);
CREATE FUNCTION require_sender(of text, number bigint) RETURNS void LANGUAGE plpgsql AS $$
BEGIN
  PERFORM 1 FROM sender WHERE target = of AND claim = number FOR UPDATE;
  IF NOT FOUND THEN
    RAISE EXCEPTION 'records for % are sent elsewhere now', of USING ERRCODE = 'VRS01';
  END IF;
END $$;
-- What is settled is there to be settled: nothing counts twice.
CREATE FUNCTION require_outbox(ids bigint[]) RETURNS void LANGUAGE plpgsql AS $$
BEGIN
  PERFORM 1 FROM outbox WHERE id = ANY (ids) FOR UPDATE;
  IF (SELECT count(*) FROM outbox WHERE id = ANY (ids)) <> cardinality(ids) THEN
    RAISE EXCEPTION 'these records are settled already' USING ERRCODE = 'VRS02';
  END IF;
END $$;

-- When the next request may go to a system that is asked at a pace, over all that goes on.
CREATE TABLE pace (
  system text PRIMARY KEY,
  free timestamptz NOT NULL
);

ALTER TABLE run ADD COLUMN waiting bigint NOT NULL DEFAULT 0;
-- How the mapping of its records ended, once all of them are delivered or wait.
ALTER TABLE run ADD COLUMN mapped json;
-- Why its records can't be sent, where something stands against all of them.
ALTER TABLE run ADD COLUMN trouble text;

-- The course of a run: a point for each chunk that is settled, or a few a second while records are sent.
ALTER TABLE run_chunk RENAME TO run_sample;
ALTER TABLE run_sample DROP CONSTRAINT run_chunk_pkey;
ALTER TABLE run_sample DROP COLUMN chunk;
ALTER TABLE run_sample RENAME COLUMN read TO settled;
ALTER TABLE run_sample ADD COLUMN id bigserial PRIMARY KEY;
CREATE INDEX ON run_sample (run, id);
